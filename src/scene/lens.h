#pragma once
#include "base/tolerances.h"
#include "recipe/expression.h"
#include "recipe/schema.h"

#include <set>

namespace lumsk::inspect {
struct FieldValue;
}

namespace lumsk::scene {

class Lens;
class LensRun;
struct LensArt;
struct Scene;

/// What is drawn: one way of looking at surfaces, and any of those lenses that lie over them, with their settings.
struct LensState {
  std::string surface = "shade";
  std::set<std::string> over;
  std::vector<std::string> only; ///< ids of the bodies that are looked at; empty: all
  bool looksAt(const std::string& body) const;

  /// The settings of the lens that `Look::kLens` names; those of a new one if none were taken.
  template <class Look> const Look& look() const {
    static const Look fresh;
    const auto it = looks_.find(Look::kLens);
    return it == looks_.end() ? fresh : *static_cast<const Look*>(it->second.get());
  }
  template <class Look> void put(Look look) { looks_[Look::kLens] = std::make_shared<const Look>(std::move(look)); }

  /// Whether colours come from values at the points of the meshes.
  bool needsValues() const;
  /// Whether there is anything to be worked out for a drawing.
  bool needsWork() const;
  /// Whether places have figures of interest.
  bool tellsOfPlaces() const;

private:
  std::map<std::string, std::shared_ptr<const void>> looks_; ///< by lens, each of that lens's own type
};

/// Values of a lens's settings by the keys of its schema; what is missing or cannot be read is as by default.
class LensValues {
public:
  LensValues(const recipe::Schema& schema, const nlohmann::json& values, const recipe::Names& names)
      : schema_(schema), values_(values), names_(names) {}
  double number(const char* key) const; ///< within its bounds; expressions may use the recipe's names
  bool on(const char* key) const;
  std::string option(const char* key) const;
  Vec3 direction() const; ///< of `directionFields`
  Vec3 axis(const char* key) const; ///< of a choice among x, y and z

private:
  nlohmann::json value(const char* key) const;
  const recipe::Schema& schema_;
  const nlohmann::json& values_;
  const recipe::Names& names_;
};

/// A lens is a way of looking. Each stands in a folder of its own, lenses/NAME/NAME.cpp, with a function of its name; one
/// line of src/scene/CMakeLists.txt lists it. Window, command line, shaders and help ask the list.
class Lens {
public:
  struct Facts {
    std::string key, label, help;
    char peek = 0;            ///< held down, the lens is on as long
    recipe::Schema settings = {}; ///< the same kinds of fields as steps have, so the same editors show them
  };
  explicit Lens(Facts f) : facts_(std::move(f)) {}
  virtual ~Lens() = default;
  const std::string& key() const { return facts_.key; }
  const std::string& label() const { return facts_.label; }
  const std::string& help() const { return facts_.help; }
  char peek() const { return facts_.peek; }
  const recipe::Schema& settings() const { return facts_.settings; }

  /// Puts its look into a state.
  virtual void take(LensState&, const LensValues&) const {}
  /// Lenses that go off when it comes on.
  virtual std::vector<std::string> excludes() const { return {}; }
  /// The direction that it is about, which can be turned in the view, and its name there.
  virtual std::optional<Vec3> direction(const LensState&) const { return {}; }
  virtual std::string directionWord() const { return "direction"; }
  /// Whether figures of the place under the pointer are of interest.
  virtual bool tellsOfPlaces() const { return false; }
  /// Whether there is anything to be worked out, which `work` does: values, lines, cuts.
  virtual bool needsWork() const { return false; }
  virtual void work(LensRun&) const {}
  /// What it shows in pictures, where no list stands beside them.
  virtual void mark(const Scene&, const LensState&, const Tolerances&, LensArt&) const {}

private:
  Facts facts_;
};

/// A lens that changes how faces look: only one is on.
class SurfaceLens : public Lens {
public:
  using Lens::Lens;
  bool tellsOfPlaces() const override { return true; }
  /// Body of a GLSL function `vec3 (Seen s)`, the colour of a pixel. It may use `uA` and `uB` and what shaders.cpp
  /// declares before it.
  virtual std::string seen() const = 0;
  struct Numbers {
    Eigen::Vector4d a = Eigen::Vector4d::Zero(), b = Eigen::Vector4d::Zero();
  };
  /// `uA` and `uB` for its settings and the ends of its colours.
  virtual Numbers numbers(const LensState&, double /*low*/, double /*high*/) const { return {}; }
  virtual bool plain() const { return false; } ///< the form as clay: what comes later is faint then
  virtual bool hidesBackdrops() const { return false; }
};

/// A value found at a place, and the area that it stands for.
struct Weighted {
  double value, area;
  Vec3 at;
  bool marked;
};

/// A surface lens whose colours come from values.
class FieldLens : public SurfaceLens {
public:
  using SurfaceLens::SurfaceLens;
  bool needsWork() const override { return true; }
  Numbers numbers(const LensState&, double low, double high) const override { return {{low, high, 0, 0}, {}}; }
  /// Whether faces look right before their values are there; else they are plain as long.
  virtual bool withoutValues() const { return false; }
  virtual double shown(const LensState&, const inspect::FieldValue& v) const; ///< `a`
  virtual bool known(const inspect::FieldValue& v) const;                      ///< `b` is above 0
  virtual bool marked(const LensState&, const inspect::FieldValue&) const { return false; }
  /// Ends of the colours for values sorted from the least.
  virtual std::pair<double, double> ends(const LensState&, const std::vector<Weighted>& sorted) const = 0;
  virtual std::array<double, 3> legendColour(const LensState&, double t, double value) const;
  enum class Unit { Millimetres, Degrees, PerMillimetre, PerSquareMillimetre };
  virtual Unit unit(const LensState&) const { return Unit::Millimetres; }
  /// What is said of the marked area, with %1 for its percentage and %2 for what it was measured to; or if there is none.
  virtual std::string markedWords() const { return {}; }
  virtual std::string nothingWords() const { return {}; }
};

/// In the order in which they are offered: those of surfaces first.
const std::vector<std::unique_ptr<const Lens>>& lenses();
const Lens* findLens(const std::string& key);
const SurfaceLens& surfaceLensOf(const LensState& s);
const FieldLens* fieldLensOf(const LensState& s); ///< null: colours do not come from values
/// Number of a surface lens among them.
int surfaceNumberOf(const LensState& s);

bool isOn(const LensState& s, const std::string& lens);
/// Turns a lens on or off. A surface lens that goes off leaves the plain one.
void turnOn(LensState& s, const std::string& lens, bool on);

/// Takes a lens's settings from values by the keys of its schema; those that are missing or cannot be read stay as
/// they are by default. Expressions may use the recipe's names.
void take(LensState& s, const std::string& lens, const nlohmann::json& values, const recipe::Names& names);

/// The surface lens in use, if it is about a direction, and that.
std::optional<Vec3> directionOf(const LensState& s);
/// The settings that make a direction a lens's own one, to tenths of a degree.
nlohmann::json ownDirection(const Vec3& d);
/// Fields for a direction by name, or by two angles.
recipe::Schema directionFields(const std::string& help, const std::string& fallback, const recipe::Schema& others);

/// Colour of a value between the ends (0..1) of a coloured field, and the same as GLSL: vec3 fieldColour(float).
std::array<double, 3> fieldColour(double t);
std::string fieldColourSource();

} // namespace lumsk::scene

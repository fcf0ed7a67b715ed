#pragma once
#include "recipe/expression.h"
#include "recipe/schema.h"

namespace lumsk::scene {

// Lenses are ways of looking. Each has a key, a schema of settings (the same kinds of fields as steps have, so the same
// editors show them) and a place in `LensState`, which is what is drawn.

enum class SurfaceLens { Shade, Stripes, Isophotes, Curvature, Draft, Wall, Deviation };

struct StripeLook {
  enum class Room { Upright, Level, Tunnel } room = Room::Upright;
  bool onPart = false; ///< the room stands with the part; else it turns with the eye
  double count = 24;   ///< light tubes in a full turn
  double width = 0.5;  ///< bright part of a stripe
  double softness = 0.06;
};

struct IsophoteLook {
  Vec3 direction = Vec3::UnitZ();
  double count = 18; ///< bands from 0 to 180 degrees
  double width = 0.5;
};

enum class CurvatureShown { Mean, Gauss, Largest, Smallest, Radius };
struct CurvatureLook {
  CurvatureShown shown = CurvatureShown::Mean;
  bool byItself = true;          ///< the range follows from what is there
  double low = -0.1, high = 0.1; ///< 1/mm, 1/mm2 for Gauss, mm for the radius
};

struct DraftLook {
  Vec3 pull = Vec3::UnitZ();
  double wantedDeg = 3;
  bool bothHalves = true; ///< the other half of the mould is pulled the other way
};

struct WallLook {
  double thinMm = 1.2, thickMm = 4;
};

struct DeviationLook {
  std::string to; ///< step of a backdrop, or id of a body; empty: the first that is there
  double withinMm = 0.1, rangeMm = 1;
};

struct CombLook {
  bool curves = true, isolines = false, stack = false;
  int isolineCount = 6;        ///< each way
  int stackCount = 8;          ///< sections
  Vec3 across = Vec3::UnitZ(); ///< the stack's normal
  int density = 12;            ///< teeth a span
  double scale = 1;
};

struct CutLook {
  Frame plane{Vec3::Zero(), Vec3::UnitY(), Vec3::UnitZ()};
  double offsetMm = 0;
  int count = 1;
  double spacingMm = 10;
  bool combs = false, away = true; ///< `away`: what lies before the plane is taken out of sight
  Frame at(int i) const {
    Frame f = plane;
    f.origin += f.normal() * (offsetMm + i * spacingMm);
    return f;
  }
};

/// What is drawn: one way of looking at surfaces, and any of those that lie over them.
struct LensState {
  SurfaceLens surface = SurfaceLens::Shade;
  bool combs = false, joins = false, openings = false, points = false, cut = false;
  StripeLook stripes;
  IsophoteLook isophotes;
  CurvatureLook curvature;
  DraftLook draft;
  WallLook wall;
  DeviationLook deviation;
  CombLook comb;
  CutLook cutting;
  std::vector<std::string> only; ///< ids of the bodies that are looked at; empty: all
  bool looksAt(const std::string& body) const;
  /// Whether colours come from values at the points of the meshes.
  bool needsValues() const;
  /// Whether there is anything to be worked out for a drawing.
  bool needsWork() const { return needsValues() || combs || points || cut; }
  /// Whether places have figures of interest.
  bool tellsOfPlaces() const { return surface != SurfaceLens::Shade || cut; }
};

/// One lens as the window, the command line and the help know it.
struct LensKind {
  std::string key, label, help;
  char peek = 0;        ///< held down, the lens is on as long
  bool surface = false; ///< one of those only one of which can be on
  recipe::Schema settings;
};
const std::vector<LensKind>& lensKinds();
const LensKind* findLens(const std::string& key);

bool isOn(const LensState& s, const std::string& lens);
/// Turns a lens on or off. A surface lens that goes off leaves Shade; joins and openings exclude each other.
void turnOn(LensState& s, const std::string& lens, bool on);

/// Takes a lens's settings from values by the keys of its schema; those that are missing or cannot be read stay as
/// they are by default. Expressions may use the recipe's names.
void take(LensState& s, const std::string& lens, const nlohmann::json& values, const recipe::Names& names);

/// The direction that the lens in use is about, if it is one of those that have one.
std::optional<Vec3> directionOf(const LensState& s);
/// The settings that make a direction a lens's own one, to tenths of a degree.
nlohmann::json ownDirection(const Vec3& d);

/// Colour of a value between the ends (0..1) of a coloured field, and the same as GLSL: vec3 fieldColour(float).
std::array<double, 3> fieldColour(double t);
std::string fieldColourSource();

} // namespace lumsk::scene

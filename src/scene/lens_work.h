#pragma once
#include "base/context.h"
#include "inspect/cut.h"
#include "inspect/fields.h"
#include "scene/lens.h"
#include "scene/scene.h"

namespace lumsk::scene {

// What a lens shows beyond the faces themselves, as plain data: made on a thread of its own, drawn by the viewer.

enum class Ink { Dark, Green, Coral, Ochre, Soft, Fill };

struct LensArt {
  struct Lines {
    std::vector<std::vector<Vec3>> lines;
    Ink ink = Ink::Dark;
    double width = 1.0;
    bool inCut = false; ///< drawn in the plane of a cut: never taken out of sight by it
  };
  struct Teeth {
    std::vector<std::pair<Vec3, Vec3>> teeth;
    Ink ink = Ink::Green;
    bool inCut = false;
  };
  struct Dots {
    std::vector<Vec3> points;
    Ink ink = Ink::Coral;
    double size = 2.0;
    bool inCut = false;
    std::optional<std::array<double, 3>> colour; ///< instead of the ink
  };
  /// A few words at a place of a body.
  struct Words {
    Vec3 at = Vec3::Zero();
    std::string text, body; ///< id of the body
    double share = 0;       ///< of the largest of them
  };
  std::vector<Lines> lines;
  std::vector<Words> words; ///< written in the view for the body under the pointer, or the only one
  std::vector<Teeth> teeth;
  std::vector<Dots> dots;
  std::vector<std::array<Vec3, 3>> fill; ///< of cuts
};

/// What lenses show in pictures, where no list stands beside them.
LensArt picturedMarks(const Scene& scene, const LensState& lens, const Tolerances& tol);

/// A value that a lens found, and where.
struct ValueAt {
  double value = 0.0;
  Vec3 at = Vec3::Zero();
};

/// How the values of a coloured lens are spread, by area.
struct ValueSpread {
  double low = 0.0, high = 1.0;  ///< ends of the colours
  std::vector<double> histogram; ///< share of the area between the ends; the first and last take what lies beyond
  std::optional<ValueAt> least, most;
  double share = 0.0; ///< of the area that is marked: undercuts, thin walls, out of tolerance
};

using ValuesByMesh = std::map<const brep::FaceMesh*, std::shared_ptr<const inspect::FieldValues>>;

/// What a lens found on a drawing.
struct LensResult {
  ScenePtr scene;
  LensState lens;
  ValuesByMesh values;
  ValueSpread spread;
  LensArt art;
  std::vector<std::pair<std::string, inspect::Cut>> cuts; ///< by label of the body
  std::string target;                                     ///< what a deviation was measured to; empty: nothing there
  bool coarse = false;
};

using LensResultPtr = std::shared_ptr<const LensResult>;

/// Everything about one place of a body, from its surface itself.
struct Probe {
  std::string body;
  inspect::PlaceOnFace place;
  double draftDeg = 0.0;
  std::optional<double> wallMm, deviationMm;
};

/// The forms that lenses measure on, kept for bodies and faces that did not change. For use by one thread.
class MeasuredForms {
public:
  const inspect::MeasuredForm& of(const DrawnBody& b);
  const inspect::MeshTree& treeOf(const recipe::GhostPtr& ghost); ///< of the backdrop asked for last
  ValuesByMesh& keptValues(const std::string& lens) { return values_[lens]; }
  void keepOnly(const ScenePtr& scene); ///< what is not drawn any more is let go

private:
  struct Form {
    DrawnBody drawn; ///< keeps body and meshes alive
    std::unique_ptr<inspect::MeasuredForm> form;
  };
  std::vector<Form> forms_;
  ScenePtr of_;
  std::map<std::string, ValuesByMesh> values_; ///< those that do not depend on what else there is, by lens
  recipe::GhostPtr ghost_;
  std::unique_ptr<inspect::MeshTree> ghostTree_;
};

/// One run of a lens over a scene: what it reads and what it fills.
class LensRun {
public:
  using FieldOf = std::function<inspect::FieldValues(const inspect::MeasuredForm&, int mesh)>;
  LensRun(const ScenePtr& scene, const LensState& state, bool coarse, const Context& cx, MeasuredForms& forms);

  const Scene& scene;
  const LensState& state;
  const bool coarse; ///< a first answer soon; what needs a second pass sets `out.coarse`
  const Context& cx;
  MeasuredForms& forms;
  LensResult out;
  std::vector<Weighted> measured; ///< at points instead of on meshes

  /// Bodies that are looked at, later ones included.
  const std::vector<DrawnBody>& bodies() const { return bodies_; }
  /// The values of every face that is looked at.
  void fill(const FieldOf& field);
  /// The same where a face's values depend on nothing else: those of before are taken again.
  void fillKept(const std::string& lens, const FieldOf& field);

private:
  std::vector<DrawnBody> bodies_;
};

/// Makes what lenses show. For use by one thread.
class LensWork {
public:
  /// Coarse first, exact afterwards; what needs no second pass says so by `coarse` false.
  LensResult make(const ScenePtr& scene, const LensState& lens, bool coarse, const Context& cx);
  /// What lies under a line of sight, `at` being where it meets the drawing.
  std::optional<Probe> probe(const ScenePtr& scene, const LensState& lens, const std::string& body, const Vec3& at,
                             const Vec3& eye, const Vec3& unit);

private:
  MeasuredForms forms_;
};

} // namespace lumsk::scene

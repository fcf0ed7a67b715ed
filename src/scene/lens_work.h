#pragma once
#include "base/context.h"
#include "inspect/cut.h"
#include "scene/scene.h"
#include "scene/lens.h"

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
  std::vector<Lines> lines;
  std::vector<Teeth> teeth;
  std::vector<Dots> dots;
  std::vector<std::array<Vec3, 3>> fill; ///< of cuts
};

/// The edges of a drawing as the lenses Joins and Openings show them in pictures, where no list stands beside them: by
/// colour, with a dot where a join misses most.
LensArt joinArt(const Scene& scene, const LensState& lens, const Tolerances& tol);

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

/// The value that a lens shows for what was measured at a point.
double shownValue(const LensState& lens, const inspect::FieldValue& v);

/// Everything about one place of a body, from its surface itself.
struct Probe {
  std::string body;
  inspect::PlaceOnFace place;
  double draftDeg = 0.0;
  std::optional<double> wallMm, deviationMm;
};

/// Makes what lenses show. Keeps what it made for bodies and faces that did not change. For use by one thread.
class LensWork {
public:
  LensWork();
  ~LensWork();
  /// Coarse first, exact afterwards; what needs no second pass says so by `coarse` false.
  LensResult make(const ScenePtr& scene, const LensState& lens, bool coarse, const Context& cx);
  /// What lies under a line of sight, `at` being where it meets the drawing.
  std::optional<Probe> probe(const ScenePtr& scene, const LensState& lens, const std::string& body, const Vec3& at,
                             const Vec3& eye, const Vec3& unit);

private:
  struct Kept;
  const inspect::MeasuredForm& formOf(const DrawnBody& b);
  std::unique_ptr<Kept> kept_;
};

} // namespace lumsk::scene

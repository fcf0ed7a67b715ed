// How faces meet, by letters and colours. The window lists them (`LensPanel`); pictures show their edges by colour, with
// a dot where a join misses most.
#include "inspect/joins.h"
#include "scene/lens_work.h"

#include <algorithm>

namespace lumsk::scene::lenses_ {

namespace {

constexpr double kJoinWidth = 3, kJoinDot = 8; ///< pixels

class Joins : public Lens {
public:
  Joins() : Lens({"joins", "Joins", "how faces meet, by letters and colours", 'J'}) {}
  std::vector<std::string> excludes() const override { return {"openings"}; }

  void mark(const Scene& scene, const LensState& state, const Tolerances& tol, LensArt& art) const override {
    using Grade = inspect::Join::Grade;
    for (const DrawnBody& b : scene.bodies) {
      if (!state.looksAt(b.id)) continue;
      for (const inspect::Join& j : inspect::joins(*b.body, tol)) {
        const auto drawn =
            std::find_if(b.edges->begin(), b.edges->end(), [&](const DrawnEdge& e) { return e.name == j.edge; });
        if (drawn == b.edges->end()) continue;
        const Grade grade = j.grade(tol);
        const Ink ink = grade == Grade::Good   ? Ink::Green
                        : grade == Grade::Fair ? Ink::Ochre
                        : grade == Grade::Bad  ? Ink::Coral
                                               : Ink::Dark;
        art.lines.push_back({{drawn->points}, ink, kJoinWidth});
        if (grade != Grade::Good && grade != Grade::Sharp && j.measured)
          art.dots.push_back({{j.worstAt(tol)}, ink, kJoinDot, false, {}});
      }
    }
  }
};

} // namespace

std::unique_ptr<const Lens> joins() { return std::make_unique<Joins>(); }

} // namespace lumsk::scene::lenses_

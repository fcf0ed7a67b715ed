// Where bodies are open: rings of open edges. The window lists them (`LensPanel`); pictures show them.
#include "inspect/state.h"
#include "scene/lens_work.h"

namespace lumsk::scene::lenses_ {

namespace {

constexpr double kOpeningWidth = 3; ///< pixels

class Openings : public Lens {
public:
  Openings() : Lens({"openings", "Openings", "where bodies are open", 'G'}) {}
  std::vector<std::string> excludes() const override { return {"joins"}; }

  void mark(const Scene& scene, const LensState& state, const Tolerances&, LensArt& art) const override {
    for (const DrawnBody& b : scene.bodies) {
      if (!state.looksAt(b.id)) continue;
      for (const auto& o : inspect::stateOf(*b.body).openings)
        art.lines.push_back({{o.outline}, Ink::Coral, kOpeningWidth});
    }
  }
};

} // namespace

std::unique_ptr<const Lens> openings() { return std::make_unique<Openings>(); }

} // namespace lumsk::scene::lenses_

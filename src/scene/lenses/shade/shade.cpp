// Plain clay, or the finish that a body has.
#include "scene/lens.h"

namespace lumsk::scene::lenses_ {

namespace {

class Shade : public SurfaceLens {
public:
  Shade() : SurfaceLens({"shade", "Shade", "plain clay"}) {}
  bool plain() const override { return true; }
  bool tellsOfPlaces() const override { return false; }
  std::string seen() const override { return "return finished(s);"; }
};

} // namespace

std::unique_ptr<const Lens> shade() { return std::make_unique<Shade>(); }

} // namespace lumsk::scene::lenses_

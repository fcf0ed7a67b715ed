// Thickness of solids, by colours.
#include "scene/lenses/wall/wall.h"

#include "scene/lens_work.h"

#include <algorithm>

namespace lumsk::scene::lenses_ {

namespace {

class Wall : public FieldLens {
public:
  Wall()
      : FieldLens({"wall", "Wall", "thickness of solids, by colours", 'W',
                   {recipe::length("thin", "Thin below", "Thinner walls are marked.", "1.2 mm").within(0.001, 1000),
                    recipe::length("thick", "Thick above", "Thicker walls are marked.", "4 mm").within(0.001, 1000)}}) {}

  void take(LensState& s, const LensValues& v) const override { s.put(WallLook{v.number("thin"), v.number("thick")}); }

  void work(LensRun& run) const override {
    run.fill([&](const inspect::MeasuredForm& f, int m) {
      return f.body().solid() ? inspect::wallField(f, m, !run.coarse, run.cx)
                              : inspect::FieldValues(f.meshes()[size_t(m)]->points.size());
    });
    run.out.coarse = run.coarse;
  }
  bool marked(const LensState& s, const inspect::FieldValue& v) const override {
    return v.b > 0 && v.a < s.look<WallLook>().thinMm;
  }
  std::pair<double, double> ends(const LensState& s, const std::vector<Weighted>&) const override {
    const auto& look = s.look<WallLook>();
    return {look.thinMm, std::max(look.thickMm, look.thinMm + 1e-3)};
  }
  std::array<double, 3> legendColour(const LensState&, double t, double) const override {
    return fieldColour(1 - 0.9 * t);
  }
  std::string markedWords() const override { return "too thin: %1 % of the area"; }
  std::string nothingWords() const override { return "walls are measured on solids: there is none"; }

  std::string seen() const override {
    return R"(
  vec3 c = kUnknown * s.lit;
  if (vValue.y > 0.5 && vValue.x < uA.x) {
    c = hatched(linear(kWarning) * s.lit);
  } else if (vValue.y > 0.5) {
    float t = (vValue.x - uA.x) / (uA.y - uA.x);
    c = linear(fieldColour(1.0 - 0.9 * clamp(t, 0.0, 1.0))) * line(clamp(t, 0.0, 1.0) * 8.0) * s.lit;
    if (t > 1.0) c *= 0.8;
  }
  return backed(s, c, 0.35);)";
  }
};

} // namespace

std::unique_ptr<const Lens> wall() { return std::make_unique<Wall>(); }

} // namespace lumsk::scene::lenses_

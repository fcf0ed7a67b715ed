// What looks down and lies so flat that a printer wants supports under it.
#include "scene/lens.h"

namespace lumsk::scene {

namespace {

struct OverhangLook {
  static constexpr const char* kLens = "overhang";
  Vec3 up = Vec3::UnitZ();
  double leastDeg = 45;
};

} // namespace

namespace lenses_ {

namespace {

class Overhang : public SurfaceLens {
public:
  Overhang()
      : SurfaceLens({"overhang", "Overhang", "what a printer wants supports under", 'H',
                     directionFields("Upwards while it is printed.", "up",
                                     {recipe::angle("least", "Flatter than", "What looks down and lies flatter than this is marked.", "45").within(0, 89)})}) {}

  void take(LensState& s, const LensValues& v) const override { s.put(OverhangLook{v.direction(), v.number("least")}); }
  std::optional<Vec3> direction(const LensState& s) const override { return s.look<OverhangLook>().up; }
  std::string directionWord() const override { return "upwards"; }

  Numbers numbers(const LensState& s, double, double) const override {
    const auto& look = s.look<OverhangLook>();
    return {{look.up.x(), look.up.y(), look.up.z(), 0}, {look.leastDeg, 0, 0, 0}};
  }

  std::string seen() const override {
    return R"(
  float lies = degrees(acos(clamp(-dot(s.worldN, uA.xyz), -1.0, 1.0)));
  vec3 c = s.base * s.light;
  if (lies < 90.0) c = mix(c, linear(vec3(0.86, 0.68, 0.30)) * s.lit, (1.0 - smoothstep(uB.x, 90.0, lies)) * 0.7);
  if (lies < uB.x) c = hatched(mix(linear(kWarning), linear(vec3(0.86, 0.68, 0.30)), clamp(lies / max(uB.x, 1.0), 0.0, 1.0) * 0.5) * s.lit);
  return backed(s, c, 0.35);)";
  }
};

} // namespace

std::unique_ptr<const Lens> overhang() { return std::make_unique<Overhang>(); }

} // namespace lenses_
} // namespace lumsk::scene

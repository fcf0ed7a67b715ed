// Bands that join places whose normals make the same angle with a direction.
#include "scene/lenses/isophotes/isophotes.h"

#include "scene/lens.h"
#include "scene/lenses/stripes/stripes.h"

#include <algorithm>

namespace lumsk::scene {

double isophoteAt(const IsophoteLook& look, const Vec3& n) {
  return bandAt(std::acos(std::clamp(n.dot(look.direction), -1.0, 1.0)) / kPi * look.count, look.width, 0.0);
}

namespace lenses_ {

namespace {

class Isophotes : public SurfaceLens {
public:
  Isophotes()
      : SurfaceLens({"isophotes", "Isophotes", "bands of equal angle to a direction", 'I',
                     directionFields(
                         "Bands join places whose normals make the same angle with it.", "up",
                         {recipe::countField("count", "Bands", "From along the direction to against it.", "18").within(2, 360),
                          recipe::ratioField("width", "Width", "Bright part of a band.", "0.5").within(0.05, 0.95)})}) {}

  void take(LensState& s, const LensValues& v) const override {
    s.put(IsophoteLook{v.direction(), v.number("count"), v.number("width")});
  }
  std::optional<Vec3> direction(const LensState& s) const override { return s.look<IsophoteLook>().direction; }

  Numbers numbers(const LensState& s, double, double) const override {
    const auto& look = s.look<IsophoteLook>();
    return {{look.direction.x(), look.direction.y(), look.direction.z(), 0}, {look.count, look.width, 0, 0}};
  }

  std::string seen() const override {
    return R"(
  float a = acos(clamp(dot(s.worldN, uA.xyz), -1.0, 1.0)) / 3.1415927 * uB.x;
  vec3 c = mix(kInk, s.base * (0.86 + 0.14 * s.key), band(a, fwidth(a), uB.y, 0.0));
  return backed(s, c, 0.45);)";
  }
};

} // namespace

std::unique_ptr<const Lens> isophotes() { return std::make_unique<Isophotes>(); }

} // namespace lenses_
} // namespace lumsk::scene

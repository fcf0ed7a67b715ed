// Light tubes of a room, reflected.
#include "scene/lenses/stripes/stripes.h"

#include "scene/lens.h"

#include <algorithm>

namespace lumsk::scene {

double bandAt(double a, double width, double softness) {
  const double t = std::abs(a - std::floor(a) - 0.5) * 2, w = std::max(1e-9, softness * 0.5), edge = 1 - width;
  const double x = std::clamp((t - (edge - w)) / (2 * w), 0.0, 1.0);
  return x * x * (3 - 2 * x);
}

double stripeAt(const StripeLook& look, const Vec3& r) {
  const double a = look.room == StripeLook::Room::Upright ? std::atan2(r.x(), r.z())
                   : look.room == StripeLook::Room::Level ? std::asin(std::clamp(r.y(), -1.0, 1.0))
                                                          : std::atan2(r.x(), r.y());
  return bandAt(a * look.count / (2 * kPi), look.width, look.softness);
}

namespace lenses_ {

namespace {

class Stripes : public SurfaceLens {
public:
  Stripes()
      : SurfaceLens({"stripes", "Stripes", "reflected light tubes", 'S',
                     {recipe::choice("room", "Room", "How the light tubes stand around the form.",
                                     {{"upright", "upright"}, {"level", "level"}, {"tunnel", "tunnel"}}),
                      recipe::choice("fixed", "Fixed to", "The room turns with the eye, or stands still with the part.",
                                     {{"eye", "eye"}, {"part", "part"}}),
                      recipe::countField("count", "Count", "Light tubes in a full turn.", "24").within(2, 400),
                      recipe::ratioField("width", "Width", "Bright part of a stripe.", "0.5").within(0.05, 0.95),
                      recipe::ratioField("softness", "Softness", "How gently light goes over into dark.", "0.06")
                          .within(0, 1)}}) {}

  void take(LensState& s, const LensValues& v) const override {
    const std::string room = v.option("room");
    s.put(StripeLook{room == "level"    ? StripeLook::Room::Level
                     : room == "tunnel" ? StripeLook::Room::Tunnel
                                        : StripeLook::Room::Upright,
                     v.option("fixed") == "part", v.number("count"), v.number("width"), v.number("softness")});
  }

  Numbers numbers(const LensState& s, double, double) const override {
    const auto& look = s.look<StripeLook>();
    return {{look.count, look.width, look.softness, 0}, {double(look.room), look.onPart ? 1.0 : 0.0, 0, 0}};
  }

  std::string seen() const override {
    return R"(
  int room = int(uB.x + 0.5);
  vec3 r = reflect(-s.toEye, s.m);
  if (uB.y > 0.5) {
    r = mat3(occWorldViewMatrixInverse) * r;
    r = vec3(r.x, r.z, -r.y); // the part's up is the room's up
  }
  vec2 about = room == 0 ? r.xz : r.xy;
  float a = room == 1 ? asin(clamp(r.y, -1.0, 1.0)) : atan(about.x, about.y);
  float opposite = room == 1 ? a : atan(-about.x, -about.y); // it does not jump where the angle does
  float slope = min(fwidth(a), fwidth(opposite)) * uA.x / 6.2831853;
  float bright = band(a * uA.x / 6.2831853, slope, uA.y, uA.z);
  vec3 c = mix(kInk, s.base * (0.86 + 0.14 * s.key), bright) * (1.0 - 0.15 * s.edge);
  return backed(s, c, 0.45);)";
  }
};

} // namespace

std::unique_ptr<const Lens> stripes() { return std::make_unique<Stripes>(); }

} // namespace lenses_
} // namespace lumsk::scene

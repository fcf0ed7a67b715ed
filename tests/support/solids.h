#pragma once
#include "brep/names.h"
#include "support/recipes.h"

namespace lumsk::test {

/// A solid extruded from a ring on the top plane; the ring's own height is where it begins.
inline std::string prism(Bench& b, json ring, double length, json more = json::object()) {
  const auto r = b.add("ring", std::move(ring));
  json inputs{{"sections", picks({pick(r)})}, {"length", length}, {"solid", true}};
  inputs.update(more);
  return b.add("extrude", std::move(inputs));
}
inline json block(double width, double depth, double x = 0, double y = 0, double height = 0) {
  return {{"shape", "rectangle"}, {"width", width}, {"depth", depth}, {"radius", 0}, {"x", x}, {"y", y}, {"height", height}};
}
inline json disc(double diameter, double x = 0, double y = 0, double height = 0) {
  return {{"shape", "circle"}, {"width", diameter}, {"x", x}, {"y", y}, {"height", height}};
}

/// The volume of a closed valid solid; of others -1.
inline double solidVolume(const brep::BodyPtr& body) {
  const auto s = inspect::stateOf(*body);
  return s.solid && s.valid && s.openEdges == 0 ? s.volumeMm3 : -1;
}
/// Of an output; -1 where there is none of that name.
inline double solidVolume(Bench& b, const std::string& step, const std::string& output = "") {
  for (const recipe::Output& o : b.result(step).outcome->outputs)
    if (o.name == output)
      if (const auto* body = std::get_if<brep::BodyPtr>(&o.object)) return solidVolume(*body);
  return -1;
}

/// The name of the body's face whose outside looks most along a direction, the farthest of several that way.
inline std::string faceTowards(const brep::Body& b, const Vec3& direction) {
  std::string best;
  double most = -1e300;
  for (int i = 0; i < int(b.faceNames.size()); ++i) {
    const auto s = brep::signatureOf(b, brep::PartKind::Face, i);
    const double how = 1e6 * std::round(1e3 * s.direction.dot(direction)) + s.middle.dot(direction);
    if (how > most) most = how, best = b.faceNames[size_t(i)];
  }
  return best;
}

} // namespace lumsk::test

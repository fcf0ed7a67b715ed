#pragma once
#include "brep/convert.h"
#include "nurbs/measure/closest.h"
#include "support/solids.h"

namespace lumsk::test {

/// The name of the edge nearest to a place.
inline std::string edgeAt(const brep::Body& b, const Vec3& p) {
  std::string best;
  double nearest = 1e300;
  const auto all = brep::edges(b);
  for (size_t i = 0; i < all.size(); ++i)
    if (const auto path = brep::toPath(all[i]))
      if (const double d = nurbs::closestPoint(*path, p).distanceMm; d < nearest) nearest = d, best = b.edgeNames[i];
  return best;
}

/// A step that works on the edges nearest to some places of a body.
inline std::string edgesStep(Bench& b, const std::string& kind, const std::string& step, std::initializer_list<Vec3> places, double size, json more = json::object()) {
  b.run();
  json edges = json::array();
  for (const Vec3& p : places) edges.push_back(pick(step, "edge", edgeAt(*b.body(step), p)));
  json inputs{{"edges", edges}, {"size", size}};
  inputs.update(more);
  return b.add(kind, std::move(inputs));
}

/// A closed body of four ellipses, 60 mm high, flat above and below.
inline std::string freeformBody(Bench& b) {
  json sections = json::array();
  for (const auto& [z, w, d] : {std::tuple{0, 40, 30}, {15, 60, 44}, {35, 64, 46}, {60, 44, 34}})
    sections.push_back(pick(b.add("ring", {{"shape", "ellipse"}, {"width", w}, {"depth", d}, {"height", z}})));
  return b.add("loft", {{"sections", sections}, {"solid", true}});
}

} // namespace lumsk::test

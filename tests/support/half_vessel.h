#pragma once
#include "support/recipes.h"

namespace lumsk::test {

/// Half a vessel: three level half outlines and front, side and back line, picked in a mixed order. Ids s1..s7.
inline Bench halfVessel(const std::string& ends = "g3") {
  Bench b;
  const auto side = picks({pick("world", "plane", "side")});
  for (double z : {0.0, 40.0, 80.0}) {
    const double r = 30 + 0.1 * z;
    b.add("spline",
          {{"points",
            pointList({{0, -1.2 * r, z}, {0.75 * r, -0.8 * r, z}, {r, 0, z}, {0.75 * r, 0.8 * r, z}, {0, 1.2 * r, z}})},
           {"degree", 5},
           {"start", ends},
           {"end", ends},
           {"mirror", side}});
  }
  for (double f : {-1.2, 1.2})
    b.add("spline", {{"points", pointList({{0, f * 30, 0}, {0, f * 34, 40}, {0, f * 38, 80}})}, {"degree", 2}});
  b.add("spline", {{"points", pointList({{30, 0, 0}, {34, 0, 40}, {38, 0, 80}})}, {"degree", 2}});
  b.add("network", {{"curves", picks({pick("s4"), pick("s1"), pick("s6"), pick("s2"), pick("s5"), pick("s3")})}});
  return b;
}

} // namespace lumsk::test

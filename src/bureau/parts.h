#pragma once
#include "base/problem.h"
#include "base/vec.h"

#include <array>
#include <string>
#include <vector>

namespace lumsk::bureau {

/// A part as it came in a 3MF file: points that are one are one.
struct Part {
  int number = 0; ///< as it comes in the file, from 1
  std::vector<Vec3> points; ///< mm
  std::vector<std::array<int, 3>> triangles;
};

/// The parts of a 3MF file, each where the file puts it. Fails with what a bureau would say to whoever sent it.
Expected<std::vector<Part>> readParts(const std::string& bytes);

/// Edges that do not have exactly one triangle on either side: their middles.
std::vector<Vec3> openEdges(const Part& part);

struct Box {
  Vec3 low, high;
};
Box boxOf(const std::vector<Part>& parts);

} // namespace lumsk::bureau

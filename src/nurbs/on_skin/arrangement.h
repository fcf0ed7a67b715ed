#pragma once
#include "base/vec.h"

#include <functional>
#include <vector>

namespace lumsk::nurbs {

// Curves that divide a part of a plane: the domain of a trimmed surface with what cuts it.

/// A curve between two vertices. Others meet it at its ends only.
struct PlaneArc {
  std::function<Vec2(double)> at;
  double first = 0.0, last = 1.0;
  int from = -1, to = -1; ///< numbers of vertices; one vertex may stand at several places (seams, poles)
  bool border = false;    ///< what is divided lies to the left of it only
  int samples = 24;       ///< chords that show its shape
};

struct ArcUse {
  int arc = -1;
  bool forward = true;
};
using ArcLoop = std::vector<ArcUse>; ///< what it bounds lies to the left

/// A connected part: its outer border anticlockwise, its openings clockwise.
struct PlanePart {
  ArcLoop outer;
  std::vector<ArcLoop> holes;
  Vec2 inside = Vec2::Zero(); ///< a place well within it
  double area = 0.0;          ///< of the outer border with the openings taken off
};

struct Arrangement {
  std::vector<PlanePart> parts;
  std::vector<int> dangling; ///< arcs that divide nothing, in order
  bool sound = true;         ///< every loop closed and every opening lies in a part
};

/// The parts into which arcs divide what lies to the left of the border arcs. Arcs with a loose end, and those with the
/// same part on both sides, are left out and told. Places of a vertex that are nearer than `near` are one.
/// At every vertex the next arc is the one furthest to the left, by chords, as tangents say nothing where arcs touch
/// (de Berg et al. 2008, ch. 2, for the structure).
Arrangement arranged(const std::vector<PlaneArc>& arcs, double near);

} // namespace lumsk::nurbs

#pragma once
#include "nurbs/joins/neighbour.h"
#include "nurbs/sweep/sweep.h"

namespace lumsk::nurbs {

enum class GrooveShape {
  Square,  ///< walls along the skin's normal, the floor square to it
  Round,   ///< the floor an arc: half a circle where it is as deep as half its width, or deeper
  Pointed  ///< two flanks
};

/// What is taken out of a body along a curve on its skin, or put onto it.
struct GrooveOptions {
  GrooveShape shape = GrooveShape::Square;
  double leftMm = 0.5, rightMm = 0.5; ///< to either side of the curve in the skin's tangent plane, seen from outside
  double reachMm = 1.0;  ///< how deep it goes, or how high; above nought
  bool inwards = true;   ///< against the skin's normal, else along it
  double playMm = 0.0;   ///< it is so much larger, measured square to its faces
  std::array<double, 2> pastMm{0, 0};   ///< how far its left and right side go on through the skin to its other side
  double rootMm = 0.0;                  ///< beyond it grows narrower, so that it ends within the body
  std::array<double, 2> beyondMm{0, 0}; ///< straight on beyond the curve's ends
};

/// The solid of a groove or a ridge along a curve, as its skin: the section of the shape carried along with its height
/// square to the skin. Fails with LM-X020 (a curve that does not lie on the skin: place), LM-X021 (the skin has a kink
/// beside it: place), LM-X022 (no width or height), and as `sweep` does.
Expected<SweepResult> groove(const Path& path, const GrooveOptions& options, const Neighbour& skin, const Context& cx);

/// How far the skin lies above (below nought: below) its tangent plane beside a curve at most and at least, mm, `asideMm`
/// to its left (below nought: right).
struct SkinRise {
  double lowest = 0.0, highest = 0.0;
};
SkinRise riseBeside(const Path& along, const Neighbour& skin, double asideMm);

/// Where on a path something may stand square to it, as a parameter: its start, or of closed ones that begin in a corner the
/// middle of the first stretch.
double squareStand(const Path& along, AngleTolerance corner);

} // namespace lumsk::nurbs

#pragma once
#include "base/context.h"
#include "nurbs/core/surface.h"

#include <functional>

namespace lumsk::nurbs {

/// A function on a surface, at one place.
struct FieldValue {
  double value = 0.0; ///< mm, or in units of `touch`
  double du = 0.0, dv = 0.0;
  double clearMm = 0.0; ///< no zero lies nearer than this in space
};
using Field = std::function<FieldValue(double u, double v)>;

/// Part of the zero set: places in order, dense enough to be followed.
struct ZeroCurve {
  std::vector<Vec2> uv;
  bool closed = false;
  bool contact = false; ///< the function does not change its sign across it
};
struct ZeroSet {
  std::vector<ZeroCurve> curves;
  std::vector<Vec2> touches; ///< lone places where the function is nought within `touch` without changing its sign
};

struct ZeroOptions {
  double stepMm = 1.0;   ///< largest distance of followed places; loops are found down to 1/16 of it, and smaller ones
                         ///< where the function has an extreme
  double touch = 0.0005; ///< an extreme within this of nought is a touch
  double pole = 0.05;    ///< of the step: a parameter line so short is a pole, at which curves end
};

/// Where a function on a surface is nought. Cells of the domain that cannot hold a zero are left out by the distance
/// that the function promises; the others are halved down to the step, and those where the function may have an extreme
/// further on; extremes are found by Newton's steps, so that small loops, touches and contact along curves are not
/// lost. Curves are followed with steps that turn by less than 0.2 rad, straight through places where branches cross
/// (Patrikalakis & Maekawa 2002, ch. 5). Fails only when stopped.
Expected<ZeroSet> zeroSet(const Surface& s, const Field& f, const ZeroOptions& options, const Context& cx);

/// The place of the zero set next to `uv`, across it: the corrector that `zeroSet` follows curves with.
Vec2 ontoZero(const Surface& s, const Field& f, Vec2 uv, bool contact);

} // namespace lumsk::nurbs

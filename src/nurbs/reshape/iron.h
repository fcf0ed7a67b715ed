#pragma once
#include "base/context.h"
#include "nurbs/core/path.h"
#include "nurbs/core/surface.h"

#include <vector>

namespace lumsk::nurbs {

/// A curve that skins are made from; its control points are counted as `shaped` counts them.
struct IronCurve {
  Path path;
  bool held = false;          ///< it stays, and the skins with it
  std::vector<Vec3> moved;    ///< how far its control points have been moved already; none: not at all
};

struct IronOptions {
  LengthTolerance most{0.2};  ///< no control point ends further from where it was
  LengthTolerance on{0.05};   ///< what lies nearer to a skin than that leads it
  std::vector<Frame> planes;  ///< curves that meet one of them square where a skin ends go on doing so, to third order where they do
};

struct Ironed {
  std::vector<std::vector<Vec3>> moves; ///< of every curve's control points, with what they had been moved before
  double mostMm = 0.0;
  bool leads = false; ///< whether any curve that may move leads a skin
};

/// The least moves of control points with which the skins made from curves change their bending least. The skins are
/// seen as sheets that go where their curves go: to first order, a displacement d along the normal changes the second
/// fundamental form in orthonormal frames by Hess d + d II^2 (do Carmo 1992), and the integral of |grad II|^2, weighted by
/// each skin's share in its wrinkle index (`wrinkleIndex`), is least over d and the control points together, d tied to the curves' own moves
/// along them. Curves that cross go on crossing, smooth joints stay smooth, flat curves in their planes, and those that are their own image in one of `planes`. Where a point would move too far it is held
/// back by a spring, until all are within `most`. Deterministic. Fails as `asSpline` does, and when it is stopped.
Expected<Ironed> ironed(const std::vector<Surface>& skins, const std::vector<IronCurve>& curves,
                        const IronOptions& options, const Context& cx);

/// How much a control point has to do with the wrinkles.
struct WrinkleShare {
  int curve = 0, point = 0;
  Vec3 at = Vec3::Zero();
  double share = 0.0; ///< of all that ironing out without a limit would take away, to first order: what its own move does
};
/// Of every control point of curves that are not held, the largest first. Fails as `asSpline` does.
Expected<std::vector<WrinkleShare>> wrinkleShares(const std::vector<Surface>& skins, const std::vector<IronCurve>& curves,
                                                  const IronOptions& options, const Context& cx);

} // namespace lumsk::nurbs

#pragma once
#include "base/meets.h"
#include "nurbs/on_skin/offset.h"
#include "nurbs/core/surface.h"

namespace lumsk::nurbs {

/// |dk/ds| L^2 that a curve may have at a mirror plane where its side is to be G3.
constexpr double kFlatKink = 0.01;

inline Vec3 mirroredPoint(const Vec3& p, const Frame& plane) {
  return p - 2 * (p - plane.origin).dot(plane.normal()) * plane.normal();
}

/// How a curve leaves a plane: angle between its tangent and the normal, and the length of the derivative of its
/// curvature vector along it, across the tangent (1/mm^2); both are nought for one half of a mirrored smooth curve.
struct PlaneLeaving {
  double angleRad = 0.0, bendRate = 0.0;
};
PlaneLeaving leavingPlane(const CurveDerivatives& d, const Vec3& normal);

/// What the end functions keep small.
enum class EndShape {
  Smooth, ///< their third derivative: for real changes, which then reach far
  Local   ///< their control values: for removing what is left over by rounding and fitting, near the end
};

struct EndFunctionOptions {
  int most = 0;             ///< highest order at the end
  std::vector<double> keep; ///< parameters at which the functions are nought
  EndShape shape = EndShape::Smooth;
  int far = 3;          ///< derivatives that are nought at the other end, with the value
  double reach = 1.0;   ///< part of the domain beyond which the functions are nought
  bool spare = true;    ///< they exist only where a control value is left to choose
};

/// Functions of one parameter that are as small as can be in the given sense: row k has the k-th derivative 1 and all
/// other ones to order `most` 0 at one end of the domain, is 0 at all of `keep`, and with derivatives at the other end.
/// Control values, one row each; nothing when the knots leave no room.
std::optional<Rows> endFunctions(int degree, const Knots& knots, bool atFirst, const EndFunctionOptions& options);

/// Changes a surface as little as possible so that the side meets the plane as asked: in it, square to it and, for G3,
/// even to third order (Peters 2002: a form continued by its mirror image). `keep` holds parameters across the side
/// whose isoparametric curves must stay: they do exactly, as do curves along the other direction that meet the plane
/// so already. Knots are inserted where there is no room for it.
Surface meetingPlane(const Surface& s, Side side, const Vec3& origin, const Vec3& normal, Meets meets,
                     const std::vector<double>& keep, EndShape shape);

/// Adds to the derivatives of a surface across a side, row k to the one of order k: control values along the side. As
/// above it stays at the parameters `keep`, and to third order at the other side.
Surface addedAtSide(const Surface& s, Side side, const Rows& add, const std::vector<double>& keep, EndShape shape);

/// As above for a side that is one point: all tangents there are brought into the plane through it, so that the pole
/// has one normal.
Surface flatPole(const Surface& s, Side side, const Vec3& normal, const std::vector<double>& keep);

/// A surface and its mirror image as one, joined where the given sides lie in the plane: one side of a direction, or
/// both sides in u, which makes it closed. The seam's knots go as far as the form allows within `fit`.
struct JoinedImage {
  Surface surface;
  double offMm = 0.0; ///< from the two halves
};
JoinedImage joinedWithImage(const Surface& s, const std::vector<Side>& sides, const Frame& plane, LengthTolerance fit);

/// Who a problem is about, and under which code.
struct SideName {
  std::string code, who;
};
/// The plane that the points of a side lie in: the picked one, or their own; points on a line lie in many planes, of
/// which the one is meant that is square to a direction (zero: none is). Fails with the code where they do not lie in
/// it within ten times `point`, or where there is no one plane.
Expected<Frame> planeOfSide(const Points& pts, const std::optional<Frame>& picked, const Vec3& square,
                            LengthTolerance point, const SideName& name);

} // namespace lumsk::nurbs

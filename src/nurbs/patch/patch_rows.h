#pragma once
#include "nurbs/fit/surface_squares.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/surface_curves.h"
#include "nurbs/patch/patch_sides.h"

#include <map>

namespace lumsk::nurbs {

/// A place of a side with what is asked for there.
struct PatchAsked {
  int side = 0;
  double s = 0, u = 0, v = 0;
  double share = 0;   ///< of the ring's length
  double spacing = 0; ///< mm between knots along the side, as errors of derivatives are weighed
  double knots = 1e300; ///< mm between knots there
  Vec3 at, along;     ///< the latter: unit tangent, as u or v run
  NeighbourPlace beside;
  double tangency = 1, bending = 1; ///< 0 in corners that disagree
  bool besidePole = false;
};

/// Of the height that the neighbour has in a direction, by the direction.
Vec3 slopeOf(const PatchAsked& a, const Vec3& w);

/// What a place asks of derivatives across its side: term(k, by) is the k-th one, taken along `by`.
using TermAcross = std::function<PlaceRows::Term(int k, const Vec3& by)>;

/// The first derivative across is to have this part in the tangent plane.
void askWithin(PlaceRows& rows, const TermAcross& term, const PatchAsked& a, const Vec3& wanted, double weight);

/// The third height, linear around the previous result: `w`, `w2` are its first and second derivatives across, within
/// the tangent plane.
void askRate(PlaceRows& rows, const PatchAsked& a, const TermAcross& term, const Vec3& w, const Vec3& w2, double weight);

/// How a patch's bending square to a side changes with the length, at a place along the side.
double bendingRate(const Surface& patch, int side, double s);
/// Where the bending of a patch square to a side, by length, passes through an extreme between two places of opposite
/// rates (false position, Illinois).
double extremeOfBending(const Surface& patch, int side, double a, double b);

/// The places of a patch nearest to those of curves inside: sought everywhere once, then from where they were.
class GuideFeet {
public:
  void clear() { places_.clear(); }
  void forgetSurface() { nearest_.reset(); }
  Vec2 of(const Path* guide, int place, const Vec3& p, const Surface& now);

private:
  std::map<std::pair<const Path*, int>, Vec2> places_;
  std::optional<NearestOnSurface> nearest_; ///< on the first of a refinement
};

} // namespace lumsk::nurbs

#pragma once
#include "base/context.h"
#include "nurbs/joins/neighbour.h"
#include "nurbs/core/path.h"
#include "nurbs/joins/side_conditions.h"

namespace lumsk::nurbs {

/// A place of a matched side.
struct OnMatchSide {
  double share = 0.0;     ///< of the side's length, in the direction of the surface's parameter
  double parameter = 0.0; ///< the same of the surface's parameter along the side, 0..1
  Vec3 at = Vec3::Zero(); ///< where it is now
};
/// What it has to meet.
struct MatchPlace {
  Vec3 at = Vec3::Zero();
  std::optional<NeighbourPlace> beside; ///< what it flows into
  std::optional<Vec3> plane;            ///< or the unit normal of a mirror plane in which it lies
  /// Where the neighbour ends there in a side of its own: its derivatives across that, of first to third order by a
  /// parameter that grows away from it.
  std::optional<std::array<Vec3, 3>> across = {};
};
using MatchTarget = std::function<Expected<MatchPlace>(const OnMatchSide&)>;

struct MatchSide {
  Side side = FirstU;
  int order = 0; ///< 0..3: G0 to G3
  MatchTarget target;
  double reach = 1.0; ///< 0.05..1: part of the skin's width beyond which it stays as it is
};

struct MatchOptions {
  std::optional<int> far;      ///< order to which a side opposite stays; else as high as there is room, 1 at least
  std::string called = "edge"; ///< what problems call a side; its number follows
};

struct MatchedSide {
  SkinJoin before, join; ///< with what it is matched to
  double gapBeforeMm = 0.0, gapMm = 0.0;
  Vec3 gapAt = Vec3::Zero();
  double lengthMm = 0.0, targetMm = 0.0; ///< of the side before, and of where it went
  std::optional<Vec3> crossesAt;         ///< the side crosses its target there
  int far = 0;                           ///< order to which the side opposite stayed; that of its own match, if any
};

struct MatchResult {
  Surface surface;
  std::vector<MatchedSide> sides;       ///< as they were given
  int insertedAlong = 0, insertedAcross = 0; ///< knots that the matched sides needed along and across themselves
  double movedMm = 0.0;
  Vec3 movedAt = Vec3::Zero();
  std::optional<Vec3> foldsAt;
};

/// Changes a surface as little as can be so that sides of it meet their targets to the order asked for: position, then
/// derivatives across the side, brought into the target's tangent plane and bent as the target is (Peters 2002). The
/// change is a spline along the side, as lean as the tolerances allow, times functions across it that fade out with the
/// least integral of the squared third derivative. Sides opposite keep their place and derivatives. Degrees are raised
/// and knots inserted only where there is no room. Neighbouring sides that are both matched keep one another's
/// conditions at their corner; where these disagree, the joins say by how much. Fails with LM-J001 (a side stands square
/// on what it is to flow into), LM-J002 (it and its target are of very different length) and as the targets do.
Expected<MatchResult> matchSides(const Surface& surface, const std::vector<MatchSide>& sides,
                                 const MatchOptions& options, const Context& cx);

/// A side of a surface by shares of its length. Parameters run from 0 to 1.
class SideLine {
public:
  SideLine(const Surface& s, Side side); ///< keeps a copy
  double lengthMm() const;
  double shareAt(double parameter) const;
  double parameterAt(double share) const;
  Vec3 at(double share) const;
  MatchPlace place(double parameter) const;

private:
  Surface surface_;
  Side side_;
  std::vector<double> breaks_, base_{0.0};
  double inSpan(size_t span, double parameter) const;
  Vec2 uv(double parameter) const;
};

/// The side as a target, ends to nearest ends: by its own parameter where that runs about as its length does, so that
/// what is a polynomial stays one; else by length. `of`: the side that is matched.
MatchTarget ontoSide(const SideLine& target, const SideLine& of);

/// Sides of two surfaces, each changed halfway: first both towards the middle between them, then the first one wholly to
/// the second. Ends go to ends. Fails as `matchSides` does.
struct MatchedBoth {
  MatchResult first, second; ///< the figures are in `first`
};
Expected<MatchedBoth> matchBoth(const Surface& first, MatchSide firstSide, const Surface& second, MatchSide secondSide,
                                const MatchOptions& options, const Context& cx);

/// The middle between two places: points, normals and bending to third order are halfway.
NeighbourPlace between(const NeighbourPlace& a, const NeighbourPlace& b);

} // namespace lumsk::nurbs

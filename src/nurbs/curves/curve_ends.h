#pragma once
#include "base/context.h"
#include "nurbs/curves/blend_curve.h"

namespace lumsk::nurbs {

// Ends of open curves.

/// A changed curve and how far it is from the old one at most.
struct ChangedCurve {
  Path path;
  double movedMm = 0.0;
  Vec3 movedAt = Vec3::Zero();
};

enum class Extension { Natural, Straight, Curvature };
/// The path made longer at one end, by a length along the extension: as its last piece goes on, straight on, or round
/// the circle of curvature. Natural extensions of splines stay part of their spline. Fails with LM-P045 (closed, or no
/// length), LM-P046 (a natural extension that doubles back or breaks away; the length that holds is given).
Expected<Path> extended(const Path& p, bool atEnd, Extension how, double lengthMm, const Context& cx);

/// One end moved to a place; the rest follows smoothly, less and less towards the other end. Straight lines stay
/// straight. Fails with LM-P045 for closed paths.
Expected<ChangedCurve> endMoved(const Path& p, bool atEnd, const Vec3& to, const Context& cx);
/// Both ends brought together in their middle. Fails with LM-P045 for closed paths.
Expected<ChangedCurve> closedUp(const Path& p, const Context& cx);

/// The path with one end in the place of the target, meeting it to the order of its continuity: `target` is the end of
/// the neighbour in the direction that goes on from it into this path. Only control points near the end move; their
/// magnitudes stay the curve's own, times the target's pull. Fails with LM-P045 for closed paths.
Expected<ChangedCurve> endMatched(const Path& p, bool atEnd, const BlendEnd& target, const Context& cx);

/// A segment as a spline: lines exactly, arcs within `fit`. `closing`: a whole ellipse closes smoothly.
Expected<Spline> asSpline(const Segment& s, const Context& cx, bool closing = false);

/// Where an end at a place, running in a direction, would join a path: at the path's own end when that is nearest, else
/// on the way, in the sense in which it runs already. Nothing where the path has no direction there.
std::optional<BlendEnd> joiningEnd(const Path& to, const Vec3& near, const Vec3& direction);

/// The end of a path as a start for a blend: its direction leads out of the path.
std::optional<BlendEnd> endOf(const Path& p, bool atEnd);

} // namespace lumsk::nurbs

#pragma once
#include "base/context.h"
#include "drawing/value.h"

namespace lumsk::drawing {

// Changes of what is drawn: a drawing in, another one out, solved where relations are added. What a later step refers to
// keeps its id on the longest piece. Relations go with what they are of; those that no longer fit are let go.

/// Why something that is linked is not changed here: LM-U031.
Problem linkedStays(const Drawing& d, const Entity& e);

/// Takes out the piece of an entity round a place, from one crossing with others to the next; the whole entity where
/// nothing crosses it. New ends stay on what they were cut by.
Expected<Drawing> trimmed(const Drawing& d, const Id& entity, const Vec2& near, const Context& cx);
/// Cuts an entity in two at a place of it. Lines stay in line, arcs round one centre. Fails with LM-U020 (at its end, or
/// a closed one: which needs a second place).
Expected<Drawing> split(const Drawing& d, const Id& entity, const Vec2& at, const Context& cx);
/// Carries the end of a line or arc that is nearer to a place on to the next thing in its way. Fails with LM-U021
/// (nothing there), LM-U022 (a curve that has no way to go on).
Expected<Drawing> lengthened(const Drawing& d, const Id& entity, const Vec2& near, const Context& cx);
/// Rounds a corner where two lines or arcs meet, tangent to both, the radius a dimension. Fails with LM-U023 (no such
/// corner), LM-U024 (does not fit: the largest that does).
Expected<Drawing> rounded(const Drawing& d, const Id& point, double radiusMm, const std::string& text);
/// Cuts a corner of two lines straight, by a distance on both. Fails as `rounded`.
Expected<Drawing> cornerCut(const Drawing& d, const Id& point, double distanceMm, const std::string& text);
/// Lines and arcs of a chain at a distance, to the left of the first one (negative: right), held there by dimensions;
/// splines as splines within `fit`, free. Fails with LM-U025 (nothing is left).
Expected<Drawing> offsetBy(const Drawing& d, const std::vector<Id>& entities, double distanceMm, const std::string& text, const Context& cx);
/// Images of entities beyond a line, held so. Points on the line are shared. `smooth`: curves that end on the line cross
/// it square, so that they go on into their images with equal curvature. Fails with LM-U034 (letters), LM-U036 (`smooth`,
/// and no curve ends there).
Expected<Drawing> mirroredIn(const Drawing& d, const std::vector<Id>& ids, const Id& axis, bool smooth);
/// Copies along a way: each as far from the one before, and they stay alike. `count`: with the first.
Expected<Drawing> repeatedAlong(const Drawing& d, const std::vector<Id>& entities, const Vec2& step, int count);
/// Copies round a point, a turn from one to the next that stays a dimension.
Expected<Drawing> repeatedRound(const Drawing& d, const std::vector<Id>& entities, const Id& centre, double stepRad, const std::string& text, int count);
/// A line, arc or conic as a spline by control points (arcs within `fit`, of degree 5), a spline through points likewise.
Expected<Drawing> asSpline(const Drawing& d, const Id& entity, const Context& cx);
/// The same curve with its degree one higher, or as near as can be with it one lower. Fails with LM-U026.
Expected<Drawing> withDegree(const Drawing& d, const Id& entity, int degree, const Context& cx);
/// The same curve with one more control point near a place.
Expected<Drawing> withControlPoint(const Drawing& d, const Id& entity, const Vec2& near, const Context& cx);

} // namespace lumsk::drawing

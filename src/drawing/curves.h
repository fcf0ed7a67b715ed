#pragma once
#include "base/context.h"
#include "drawing/value.h"
#include "nurbs/core/path.h"

namespace lumsk::drawing {

/// Into the plane z = 0, and out of it.
inline Vec3 in3(const Vec2& p) { return {p.x(), p.y(), 0}; }
inline Vec2 flat(const Vec3& p) { return {p.x(), p.y()}; }

/// The segment of an entity, in the plane z = 0. Fails as the constructions in nurbs do.
Expected<std::vector<nurbs::Segment>> segmentsOf(const Drawing& d, const Entity& e, const Context& cx);

/// An entity as a path by itself; nothing where it cannot be drawn now, and for letters.
std::optional<nurbs::Path> pathOf(const Drawing& d, const Entity& e);

/// A path as one spline: as it is where it is one of degree 7 at most, else within `fit`. Fails with LM-U035 (corners)
/// and as refitting does.
Expected<nurbs::Spline> oneSpline(const nurbs::Path& p, const Context& cx);

/// The outlines of a text, closed, and its signs that the font does not have. Fails with LM-P058 (nothing to draw).
struct Letters {
  std::vector<nurbs::Path> loops;
  std::string missing;
};
Expected<Letters> lettersOf(const Drawing& d, const Entity& e, const Tolerances& tol);

/// Lines and curves that go on in one another, as one.
struct Chain {
  std::vector<Id> entities; ///< in order
  nurbs::Path path;         ///< in the plane z = 0, from the end of the oldest entity's chain that it starts at
  Id name;                  ///< of its oldest entity; of several outlines of one text: "e5.2"
};

struct Chains {
  std::vector<Chain> chains;     ///< oldest first
  std::vector<Problem> notes;    ///< LM-U101 ends that nearly meet, LM-U102 where a chain crosses itself, LM-P113 signs that are missing
  std::vector<Id> loosePoints;   ///< points that no entity names
};
/// Chains of what is not construction, each outline of a text one; where more than two ends meet, those go on that turn least.
Expected<Chains> chainsOf(const Drawing& d, const Context& cx);

} // namespace lumsk::drawing

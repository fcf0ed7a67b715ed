#pragma once
#include "drawing/value.h"

#include <array>

namespace lumsk::drawing {

/// Between which places something is measured, and how: `outside` of a circle, whose number stands beyond its rim.
struct Spot {
  Vec2 from, to;
  bool outside = false;
  std::vector<std::array<Vec2, 2>> extra = {}; ///< further lines that lead to what is measured
};
std::optional<Spot> spotOf(const Drawing& d, const Relation& dimension);

/// The middle of a point or an entity: where its sign stands.
Vec2 middleOf(const Drawing& d, const Id& id);
/// Unit direction in which an entity leaves one of its ends.
std::optional<Vec2> leavingDirection(const Drawing& d, const Entity& e, const Id& end);
/// The foot of a place on the line through two others.
Vec2 footOn(const Vec2& p, const Vec2& a, const Vec2& b);
/// Places along an entity, for painting and for finding what is near: `count` steps at least.
std::vector<Vec2> alongEntity(const Drawing& d, const Entity& e, int count);
/// All lines of an entity: of letters each outline, else one.
std::vector<std::vector<Vec2>> linesOf(const Drawing& d, const Entity& e, int count);

} // namespace lumsk::drawing

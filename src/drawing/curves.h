#pragma once
#include "base/context.h"
#include "drawing/value.h"
#include "nurbs/core/path.h"

namespace lumsk::drawing {

/// The segment of an entity, in the plane z = 0. Fails as the constructions in nurbs do.
Expected<std::vector<nurbs::Segment>> segmentsOf(const Drawing& d, const Entity& e, const Context& cx);

/// An entity as a path by itself; nothing where it cannot be drawn now.
std::optional<nurbs::Path> pathOf(const Drawing& d, const Entity& e);

/// Lines and curves that go on in one another, as one.
struct Chain {
  std::vector<Id> entities; ///< in order
  nurbs::Path path;         ///< in the plane z = 0, from the end of the oldest entity's chain that it starts at
  Id name;                  ///< of its oldest entity
};

struct Chains {
  std::vector<Chain> chains;     ///< oldest first
  std::vector<Problem> notes;    ///< LM-U101 ends that nearly meet, LM-U102 where a chain crosses itself
  std::vector<Id> loosePoints;   ///< points that no entity names
};
/// Chains of what is not construction; where more than two ends meet, those go on that turn least.
Expected<Chains> chainsOf(const Drawing& d, const Context& cx);

} // namespace lumsk::drawing

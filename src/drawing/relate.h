#pragma once
#include "drawing/value.h"

namespace lumsk::drawing {

/// What a law says of things that were picked: several relations where there are more than two of a kind (all equal to
/// the first); dimensions with what they measure. Empty: it does not fit them.
std::vector<Relation> relationsFor(const Drawing& d, Law law, const std::vector<Id>& picked);

/// Laws that fit what was picked and say something new there, relations first.
std::vector<Law> fitting(const Drawing& d, const std::vector<Id>& picked);

/// With relations, solved; where they contradict what holds, as it was with them beside it, for the person to choose.
Drawing withRelations(const Drawing& d, const std::vector<Relation>& more);

/// Where the number of a dimension stands when nobody has moved it, and between which places it is: for painting.
struct DimensionPlace {
  Vec2 from, to;          ///< between what
  Vec2 number;            ///< where it stands
  std::vector<std::array<Vec2, 2>> leaders;
};
/// `besideMm`: how far from what it is of, where nobody has moved it.
std::optional<DimensionPlace> placeOf(const Drawing& d, const Relation& r, double besideMm);

/// Where the sign of a relation stands: near what it is of.
Vec2 signPlace(const Drawing& d, const Relation& r);

} // namespace lumsk::drawing

#pragma once
#include "drawing/solve.h"

#include <set>

namespace lumsk::drawing {

/// What a drawing's relations leave open, and what is said twice.
struct Freedom {
  int ways = 0;                           ///< in which it can still move
  std::set<Id> free;                      ///< points and entities that can
  std::map<Id, Vec2> sway;                ///< of the points that can: one way in which they move together, the farthest by 1
  std::vector<std::vector<Id>> said;      ///< sets of relations of which each follows from the others
};
/// Where the relations hold. Ranks by sparse QR with column pivoting (Davis 2011, SuiteSparseQR), looked at again a
/// little further along where rows seem to depend: a singular place looks like a dependence.
Expected<Freedom> freedomOf(const Drawing& d);

/// How much of what a relation says is new: 1 all, 0 it follows from the others or contradicts them. For offers while
/// somebody draws; 0 where it does not fit.
double newsOf(const Drawing& d, const Relation& r);
/// Whether it says enough that is new to be offered or kept.
bool isNew(const Drawing& d, const Relation& r);

} // namespace lumsk::drawing

#pragma once
#include "brep/history.h"
#include "brep/rings.h"
#include "steps/common.h"

namespace lumsk::steps {

// What the steps that close openings share.

/// A ring to be closed, and what it came from.
struct PickedRing {
  brep::Ring ring;
  std::string item;            ///< id of its first pick
  std::vector<size_t> picks;   ///< numbers of its picks in the field
};

/// Whole openings of bodies for picks of open edges that are not to count alone; what is left of a field's edges and curves is chained by places.
std::vector<PickedRing> ringsIn(const recipe::Inputs& in, const std::string& key, double gapMm);

/// Faces that close rings as bodies: knitted with the bodies whose edges were picked, or each by itself. The summary
/// says what came of it.
struct Closed {
  recipe::Outcome outcome;
  brep::BodyPtr knitted;
};
Expected<Closed> closeWith(const recipe::Inputs& in, const std::string& key, const std::vector<brep::NamedFace>& faces, double gapMm, bool knit,
                           const std::string& called, const Context& cx);

} // namespace lumsk::steps

#pragma once
#include "brep/curves_on.h"
#include "steps/common.h"

namespace lumsk::steps {

// What the steps that change bodies share.

/// A picked body, or some faces and edges of it.
struct PickedParts {
  brep::BodyPtr body;
  std::vector<int> faces, edges; ///< none of both: the whole body
  std::string item, object;      ///< of its first pick
  /// Numbers of the faces that were not picked.
  std::vector<int> otherFaces() const;
};
/// Picks put together by their bodies, in the order of their first picks. A body that was picked as a whole counts as a
/// whole.
std::vector<PickedParts> partsByBody(const std::vector<recipe::Picked>& picks);

/// Bodies that were made of a picked one: the first goes on as it, which is used up.
void putParts(recipe::Outcome& out, const PickedParts& of, const std::vector<brep::BodyPtr>& bodies);

/// A place near the middle of a face, with the outside normal there: where handles stand.
std::optional<brep::PlaceOnBody> placeOnFront(const brep::Body& b, int face, const Context& cx);

} // namespace lumsk::steps

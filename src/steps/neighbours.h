#pragma once
#include "nurbs/patch/patch_fit.h"
#include "steps/common.h"

namespace lumsk::steps {

// What skins flow into, as picks say it.

/// A picked skin, solid or face.
Expected<nurbs::Neighbour> neighbourFrom(const recipe::Picked& picked, const Context& cx);

/// The face at a picked edge of a body, or all of its faces for a chain of edges; nothing for other picks. Fails with
/// LM-L016 where two faces meet at the edge: the field is where to pick one.
Expected<nurbs::Neighbour> neighbourAt(const recipe::Picked& edge, bool chain, const std::string& field,
                                       const Context& cx);

/// The edge of a body that runs along a whole curve within `fit`, in the curve's direction, from its start: two skins that
/// share it are then made from one and the same.
std::optional<nurbs::Path> edgeAlong(const brep::Body& body, const nurbs::Path& curve, const Tolerances& tol);

/// What a picked curve or edge flows on into: one of the skins on which it lies, or the face at the edge itself (all
/// faces for a chain).
Expected<nurbs::Neighbour> neighbourOf(const std::vector<recipe::Picked>& skins, const recipe::Picked& pick,
                                       const nurbs::Path& curve, bool chain, const Context& cx);

/// A note on a join that is not as close as asked, with the figure that is missed and its place.
Problem joinNote(const std::string& code, const std::string& what, const nurbs::SkinJoin& join, const Tolerances& tol);

/// Notes on a corner of a patch where what it is to flow into disagrees: in the tangent plane, or in bending, with the
/// zone in which that is not met.
Problem cornerNote(const nurbs::PatchCorner& corner, const Tolerances& tol);

} // namespace lumsk::steps

#pragma once
#include "brep/knit.h"
#include "nurbs/joins/side_conditions.h"
#include "steps/common.h"

namespace lumsk::steps {

// Faces that are changed by what their splines are.

/// A whole side of an untrimmed face.
struct FaceSide {
  brep::BodyPtr body;
  int face = -1;
  std::shared_ptr<const nurbs::Surface> surface;
  nurbs::Side side = nurbs::FirstU;
  recipe::Picked pick; ///< what led to it

  Vec3 middle() const;
  Vec3 inwards() const; ///< from there to the middle of the side opposite, along the skin's first direction
};

/// The spline that an untrimmed face is; nothing for trimmed and other faces.
std::shared_ptr<const nurbs::Surface> splineOf(const brep::Body& body, int face);

/// The side of a face on which an edge lies as a whole, of faces but one; nothing where there is none.
std::optional<FaceSide> sideAt(const brep::BodyPtr& body, int edge, const nurbs::Path& path, LengthTolerance point,
                               int but = -1);

/// The same of a picked edge. Fails with LM-J005 (a part of an edge, a seam, an edge that is no whole side), LM-J010 (its
/// face is trimmed, or no spline), LM-L016 (two faces meet at it).
Expected<FaceSide> sideOf(const recipe::Picked& edge, const std::string& called, LengthTolerance point);

/// A body with other splines for some of its faces, with a note where it opens that ends with a remedy.
Expected<brep::BodyPtr> rebuilt(recipe::Outcome& out, const brep::Body& body,
                                const brep::OtherSplines& changed,
                                const std::string& remedy, const Context& cx);

} // namespace lumsk::steps

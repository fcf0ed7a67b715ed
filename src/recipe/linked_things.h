#pragma once
#include "drawing/links.h"
#include "recipe/edit_picks.h"
#include "recipe/inputs.h"

namespace lumsk::recipe {

constexpr Kind kLinkable = Kind::Curve | Kind::Edge | Kind::Point | Kind::Skin | Kind::Solid | Kind::Face;

/// What picks stand for in a drawing: curves and edges as they are, points, and of bodies and faces where the plane cuts
/// them or, `as` "outline", where they turn out of sight. Found again only where the body, the plane or what is meant
/// changed.
class LinkedThings {
public:
  /// Those of a picks field, as its picks are meant (parts of curves, chains of edges, all outlines of a text). Fails with
  /// LM-U033 (the plane does not cut it, or it has no outline).
  Expected<std::vector<drawing::Link>> of(const Inputs& in, const std::string& field, const Frame& plane, const Context& cx);

private:
  Expected<drawing::Link> one(const Picked& p, const std::string& as, const Frame& plane, const Context& cx);
  struct Known {
    brep::BodyPtr body;
    int index = -1;
    std::string as;
    Frame plane;
    drawing::Link link;
  };
  std::map<std::string, Known> known_; ///< by the pick's id
};
/// With what a picks field of its step links to, as that lies now, whatever state its drawing is in. Fails as
/// `Inputs::resolve`, `LinkedThings` and `drawing::withLinks` do.
Expected<drawing::Drawing> linkedDrawing(const drawing::Drawing& d, const StepEntry& entry, const Schema& schema,
                                         const std::string& links, const Frame& plane, const Model& model, LinkedThings& known);
/// The label of a curve of an earlier step that an edge lies on, all along: it lasts where the edge may not. Empty: none.
std::string curveBelow(const PickRef& edge, const Model& model);

} // namespace lumsk::recipe

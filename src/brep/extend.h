#pragma once
#include "brep/reborder.h"
#include "nurbs/reshape/extend.h"

namespace lumsk::brep {

/// Skins with other borders along some of their open edges; the surfaces stay what they are. Edges that end where the
/// picked ones do go on straight in the skin. All fail as `Division::of` does.

/// The parts nearer to the edges than a length are taken off. Fails with LM-C004 where nothing is left, LM-C032 where it
/// cannot be cut.
Expected<Rebordered> shortened(const Body& b, const std::vector<int>& edges, double mm, const Context& cx);

/// Edges go out by a length in the skin as it goes on beyond them: cut ones in its own surface, then as that bends; those
/// at which the surface ends as `how` says. Fails with LM-C032 where that leads nowhere (place), LM-C034 (a cut edge that is
/// to go on in another way than the skin), as `nurbs::extended` does. Ten seconds at most (LM-C013).
Expected<Rebordered> grown(const Body& b, const std::vector<int>& edges, double mm, nurbs::GoOn how, const Context& cx);

/// What is left of a body before something that cuts it: the pieces in which another one lies. Nothing where it does not
/// cut it.
Expected<std::optional<Rebordered>> upTo(const BodyPtr& b, const Divider& end, const Body& keeping, const Context& cx);

/// How far the farthest place of some edges is from what they are to meet, mm.
Expected<double> farthestFrom(const Divider& end, const Body& b, const std::vector<int>& edges, const Context& cx);

/// The middle of an open edge, and the direction square to it in the skin that leads out of that.
struct WayOut {
  Vec3 at = Vec3::Zero(), direction = Vec3::Zero();
};
std::optional<WayOut> wayOut(const Body& b, int edge);

} // namespace lumsk::brep

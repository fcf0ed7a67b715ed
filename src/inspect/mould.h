#pragma once
#include "base/context.h"
#include "inspect/fields.h"
#include "nurbs/core/path.h"

namespace lumsk::inspect {

/// How a form comes out of its mould.
struct MouldWay {
  Vec3 pull = Vec3::UnitZ(); ///< unit
  bool halves = true;        ///< the other half is pulled the other way
  double draftDeg = 1;       ///< walls lean by this at least
};

struct MouldDraft {
  double leastDeg = 90; ///< of what is no undercut
  double lowMm2 = 0, undercutMm2 = 0;
  std::vector<Vec3> lowAt, undercutAt; ///< a place a face
};
/// Areas with less draft are cut at the angle within triangles; an undercut is told at three places of each, and counts by thirds.
MouldDraft mouldDraft(const MeasuredForm& form, const MouldWay& way, const Context& cx);

/// Where the halves of a mould meet on a form: its silhouettes along the pull, within `fit`, and the edges between what looks
/// to one side and to the other; what stands along the pull belongs to the half that is pulled. As chains, longest first.
/// Fails as finding silhouettes does.
Expected<std::vector<nurbs::Path>> partingLines(const brep::Body& b, const Vec3& pull, const Context& cx);

/// Hollow edges that turn by more than the angle: the melt stands there, and tools cannot reach in.
struct InnerEdge {
  double turnDeg;
  Vec3 at;
};
std::vector<InnerEdge> innerEdges(const brep::Body& b, double fromDeg);

/// Places beside one another, nearer than the wall is thick, whose walls differ by more than a factor.
struct WallJump {
  double fromMm, toMm;
  Vec3 at;
};
/// The largest of each neighbourhood (a twentieth of the size), largest first.
std::vector<WallJump> wallJumps(const MeasuredForm& form, double factor, const Context& cx);

} // namespace lumsk::inspect

#pragma once
#include "brep/knit.h"

namespace lumsk::brep {

struct Trimmed {
  std::vector<BodyPtr> pieces;                          ///< on the kept side, largest first
  Vec3 keptAt = Vec3::Zero(), droppedAt = Vec3::Zero(); ///< places of the body far from the plane on both sides
  double refittedMm = 0.0; ///< how far faces that were cut straight across and stayed whole moved at most
};

/// The part of a body on one side of a plane (`above`: where its normal points). Faces that the plane cuts straight
/// across stay untrimmed; others are cut by the kernel. Solids are closed by a face named "STEP.cut(...)".
/// Fails with LM-C001 (the plane does not cut the body: distance), LM-K00x. Doubtful cuts run in `lumsk-worker` and
/// fail as `runInWorker` does, too.
Expected<Trimmed> trimByPlane(const Body& b, const Frame& plane, bool above, const std::string& step,
                              const Context& cx);
/// The same within this process.
Expected<Trimmed> trimByPlaneHere(const Body& b, const Frame& plane, bool above, const std::string& step,
                                  const Context& cx);
/// Of a skin whose faces the plane cuts straight across, or not at all: all faces stay whole. Nothing for others.
std::optional<Trimmed> trimStraight(const Body& b, const Frame& plane, bool above, const std::string& step,
                                    const Context& cx);
/// Bodies with freeform faces that are trimmed already, or not ours: the kernel may fail on them without an end.
bool cutIsDoubtful(const Body& b);

} // namespace lumsk::brep

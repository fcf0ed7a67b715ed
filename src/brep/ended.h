#pragma once
#include "base/context.h"
#include "brep/body.h"

namespace lumsk::brep {

/// Where something ends.
struct Ending {
  int face = -1;           ///< of the body to end at; -1: all of it
  std::vector<Vec3> from;  ///< places of what is kept
  std::vector<Vec3> beyond; ///< places that lie behind the end
  std::string name;        ///< of the faces that close a solid there
};

/// A skin or solid up to where it meets a body or face (the kernel's splitter, in the child process): what hangs together
/// with some of its places. Faces keep their names; a solid is closed by that body's faces. Fails with LM-X008 where the
/// body does not reach across it (place), LM-K00x, and as `runInWorker` does.
Expected<BodyPtr> endedAt(const Body& b, const Body& by, const Ending& end, const Context& cx);
/// The same within this process.
Expected<BodyPtr> endedAtHere(const Body& b, const Body& by, const Ending& end, const Context& cx);

} // namespace lumsk::brep

#pragma once
#include "base/context.h"
#include "brep/body.h"

namespace lumsk::brep {

enum class Combine { Add, Cut };

/// A solid with another one added to it or cut out of it (boolean operations of the kernel, in the child process).
/// Solids that stand on one another with flat faces of the same outline are sewn without them.
/// Faces keep their names. Several pieces may be left of a cut, largest first. Fails with LM-B010 where both do not
/// touch or nothing is left, LM-B012 where faces touch as they cross, LM-K00x, and as `runInWorker` does.
Expected<std::vector<BodyPtr>> combined(const Body& target, const Body& tool, Combine how, const Context& cx);
/// The same within this process.
Expected<std::vector<BodyPtr>> combinedHere(const Body& target, const Body& tool, Combine how, const Context& cx);

} // namespace lumsk::brep

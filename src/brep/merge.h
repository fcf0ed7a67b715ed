#pragma once
#include "base/context.h"
#include "brep/body.h"

namespace lumsk::brep {

/// Solids that touch or cross made into one each (boolean operations of the kernel, in the child process); those that
/// touch no other stay as they are. In the order of the first of each. Where the kernel fails on all at once they are
/// added one after the other. Faces keep their names. Fails with
/// LM-Z003 (two that cannot be merged, by what they are called: one name a solid), LM-K00x, and as `runInWorker` does.
Expected<std::vector<BodyPtr>> merged(const std::vector<BodyPtr>& solids, const std::vector<std::string>& names, const Context& cx);
/// The same within this process.
Expected<std::vector<BodyPtr>> mergedHere(const std::vector<BodyPtr>& solids, const std::vector<std::string>& names, const Context& cx);

} // namespace lumsk::brep

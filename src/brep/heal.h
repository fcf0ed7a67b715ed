#pragma once
#include "brep/reborder.h"

namespace lumsk::brep {

/// A body without some of its faces, closed by those around them: where only one face is around, its opening is filled;
/// else they go on in their surfaces, and as these bend, until they meet one another. Solids where that fails are left to
/// the kernel, in the child process. What is given is as closed as it was before. Fails with LM-C004 (nothing would be
/// left), LM-C051 (the faces around do not meet: place), `cancelled`, as `runInWorker` does.
Expected<Rebordered> healed(const BodyPtr& b, const std::vector<int>& faces, const Context& cx);
/// The kernel's way of it for solids, in the child process and within this one. Fails with LM-C051.
Expected<BodyPtr> healedByKernel(const Body& b, const std::vector<int>& faces, const Context& cx);
Expected<BodyPtr> healedHere(const Body& b, const std::vector<int>& faces, const Context& cx);

} // namespace lumsk::brep

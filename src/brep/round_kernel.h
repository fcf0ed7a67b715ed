#pragma once
#include "base/context.h"
#include "brep/body.h"

namespace lumsk::brep {

/// An edge with what goes on from it without a corner, and the name of its new faces.
struct KernelRound {
  int edge = -1; ///< its number in the body
  double sizeMm = 1;
  std::string name;
};

/// Edges of a solid rounded together by rolling balls of constant radii, or, `flat`, cut by chamfers of equal distances: the
/// kernel's way of it, with corners where several meet; in the child process (half a minute at most), and within this one. What it makes is taken where it is a
/// valid closed solid that lost or gained no more than edges can, and is as smooth as it was. Fails with LM-O008 where it makes none (places), and as `runInWorker` does.
Expected<BodyPtr> roundedByKernel(const Body& b, const std::vector<KernelRound>& rounds, bool flat, const Context& cx);
Expected<BodyPtr> roundedByKernelHere(const Body& b, const std::vector<KernelRound>& rounds, bool flat, const Context& cx);

} // namespace lumsk::brep

#pragma once
#include "nurbs/network/network.h"

namespace lumsk::nurbs {

/// Curves that end within a network, carried on along the skin of the network without them, each to the last curve that
/// it should cross: it goes on with equal curvature; how far it lies off the skin, and off the line through its last
/// two crossings in the skin's parameters, fades out until the first curve that it missed. Fails with LM-N015 where one
/// passes by a curve between two that it crosses, ends outside of the skin, does not go on towards the curves that are
/// missing, where the network has edges, or the other curves of its family are closed.
Expected<std::vector<NetworkCarried>> carriedOn(const std::vector<NetworkCurve>& curves,
                                                const std::vector<int>& unfinished, const NetworkResult& without,
                                                LengthTolerance largestGap, const Tolerances& tol);

} // namespace lumsk::nurbs

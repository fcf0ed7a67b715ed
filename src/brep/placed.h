#pragma once
#include "brep/body.h"

#include <functional>

namespace lumsk::brep {

/// The body moved, turned, mirrored or scaled. `nameOf` gives its faces' names from those they had; without it all parts keep
/// theirs. Scaling that differs by direction makes splines of all its surfaces. Fails with LM-K00x.
Expected<BodyPtr> placed(const Body& b, const Eigen::Affine3d& t, const std::function<std::string(const std::string&)>& nameOf = {});

} // namespace lumsk::brep

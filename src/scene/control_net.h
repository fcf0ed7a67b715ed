#pragma once
#include "scene/lens_work.h"

namespace lumsk::scene {

/// Control points of curves and of whole spline faces, joined row by row.
void addControlNets(const Scene& d, const LensState& lens, LensArt& art);

} // namespace lumsk::scene

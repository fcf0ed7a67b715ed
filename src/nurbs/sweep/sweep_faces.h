#pragma once
#include "nurbs/sweep/sweep.h"

namespace lumsk::nurbs {

/// The strips of a stretch, divided at joints where that is wanted; it goes from one fraction of the rail to another.
void addFaces(SweepResult& out, const LoftResult& r, const Section& section, int number, const Path& rail, SweepFaces faces,
              AngleTolerance corner, double from, double to);

} // namespace lumsk::nurbs

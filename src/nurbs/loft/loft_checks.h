#pragma once
#include "nurbs/loft/loft_ends.h"

namespace lumsk::nurbs {

// What is asked of a loft's inputs before it is made.

/// Pulls, angles, and what runs around. Fails with LM-L003, LM-L006, LM-L012, LM-L027.
Expected<void> checkNumbers(const std::vector<Section>& sections, const LoftOptions& options);

/// Neighbouring sections that cross would fold the skin. Those are not looked at whose places that belong together all
/// follow one another in one direction, across the sections. Fails with LM-L035.
Expected<void> checkCrossings(const LoftPlaces& places, bool around, const Context& cx);

/// Mirror planes of ends and sides that are to meet one; `plane`: the first of them, or nothing.
struct LoftMirrors {
  std::array<std::optional<Frame>, 2> ends, sides;
  std::optional<Frame> plane;
};
/// Fails with LM-L009 (no such plane), LM-L008 (a section does not meet it as asked).
Expected<LoftMirrors> findMirrors(const LoftPlaces& places, const LoftOptions& options, const Context& cx);

/// Largest distance of a loft's strips from its sections, at their parameters across.
double offSections(const LoftPlaces& places, const std::vector<Surface>& strips, const std::vector<double>& parameters);

} // namespace lumsk::nurbs

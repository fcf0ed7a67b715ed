#pragma once
#include "steps/curves.h"

namespace lumsk::steps {

// Sections of lofts (and of what else runs through sections): picks that count alone, as chains, as loops, or together.

/// A section and the picks that it was made from; it is called by the first of them.
struct PickedSection {
  std::string item;
  recipe::Picked pick;        ///< the first one
  recipe::CurvePtr curve;     ///< null at points
  std::optional<Vec3> point;
  std::vector<size_t> places; ///< of the picks in their field
};

/// What of a pick counts: itself, its tangent chain, all around, or together with the pick before it.
recipe::Field extentField();

/// The sections that a field holds, of the kind that problems call them. Faces count as their outer border. Fails with LM-L007 (a section that crosses
/// itself), LM-L031 (a pick that goes on from one that it does not touch), LM-L036 (a section that folds back).
Expected<std::vector<PickedSection>> sectionsIn(const recipe::Inputs& in, const std::string& key,
                                                const Tolerances& tol, const std::string& called = "section");

} // namespace lumsk::steps

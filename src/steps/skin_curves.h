#pragma once
#include "brep/curves_on.h"
#include "steps/curves.h"

namespace lumsk::steps {

// What the steps that find curves on skins share.

recipe::Field onSkins(const std::string& key, const std::string& label, const std::string& help);

/// The picked bodies and faces of a field, made ready; planes are left out.
Expected<std::vector<brep::BodyFaces>> facesOf(const recipe::Inputs& in, const std::string& key, const Context& cx);

void addFound(brep::FoundCurves more, brep::FoundCurves& to);

/// The found curves as outputs, with their notes. Fails with LM-P030 in the field when there are none.
Expected<recipe::Outcome> foundOutcome(brep::FoundCurves found, const std::string& field, const std::string& none,
                                       const Context& cx);

} // namespace lumsk::steps

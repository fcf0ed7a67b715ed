#pragma once
#include "brep/thicken.h"
#include "steps/common.h"

namespace lumsk::steps {

// Regions of a skin that have a thickness or an offset of their own.

/// The picks field "zones": outlines, each with its value, its kind of transition and this one's width.
recipe::Field zonesField(const std::string& value, const std::string& help);

/// The zones of a body by that field. Fails with LM-T014 where a pick bounds none, and as carrying curves onto a body does.
Expected<std::vector<brep::ThickenZone>> zonesIn(const recipe::Inputs& in, const brep::Body& body, const Context& cx);

/// Handles of the values, where the zones are.
void addZoneHandles(recipe::Outcome& out, const std::vector<brep::ThickenZone>& zones, const std::vector<brep::ZonePlace>& places, double mmPerUnit);
/// " - 2 zones"
std::string zoneWords(const std::vector<brep::ThickenZone>& zones);

} // namespace lumsk::steps

#pragma once
#include "recipe/step.h"

#include <functional>

namespace lumsk::steps {

/// A graph field as a smooth function, level before its first row and after its last one; empty without rows. Fails
/// with LM-P025 where two rows are at one place.
Expected<std::function<double(double)>> graphOf(const recipe::Inputs& in, const std::string& key);

/// What the view shows of a graph along a rail: a click on it adds a row, a square slides each along it, and a handle beside
/// it is its value. `across`: the handle's direction at a fraction of the rail's length.
void showGraph(recipe::Outcome& out, const recipe::Inputs& in, const std::string& key, const nurbs::Path& rail,
               const std::function<Vec3(double)>& across, double mmPerUnit);

} // namespace lumsk::steps

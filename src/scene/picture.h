#pragma once
#include "recipe/model.h"

namespace lumsk::scene {

/// A picture of a model from the corner, fitted, as PNG or another kind the kernel writes. Needs a display (Xvfb will
/// do): fails with LM-D001 without one, with LM-F022 when the file cannot be written.
Expected<void> writePicture(const recipe::Model& model, const std::string& path, int width, int height);

} // namespace lumsk::scene

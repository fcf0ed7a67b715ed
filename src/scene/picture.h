#pragma once
#include "base/context.h"
#include "recipe/model.h"
#include "scene/lens.h"

namespace lumsk::scene {

/// Standard directions of view.
enum class ViewFrom { Front, Back, Left, Right, Top, Bottom, Corner };
std::optional<ViewFrom> viewFrom(const std::string& name); ///< "front", "corner", ...

struct PictureOptions {
  int width = 1280, height = 960; ///< pixels
  ViewFrom from = ViewFrom::Corner;
  bool perspective = true;
  /// In parallel projection, to scale: what stands in the middle, and what a pixel is wide.
  struct ToScale {
    Vec3 middle = Vec3::Zero();
    double mmPerPixel = 1.0;
  };
  std::optional<ToScale> toScale;
  bool bodiesOnly = false; ///< without curves, points, planes and backdrops
  std::optional<unsigned> ground; ///< 0xRRGGBB, instead of the view's
  LensState lens;
  std::optional<recipe::Finish> finish; ///< of all bodies, instead of their own
};

/// Pixels from the top left, three bytes each: red, green, blue.
struct Pixels {
  int width = 0, height = 0;
  std::vector<unsigned char> rgb;
};

/// A picture of a model, fitted. Needs a display (Xvfb will do): fails with LM-D001 without one, LM-D002 when it cannot
/// be drawn.
Expected<Pixels> drawPicture(const recipe::Model& model, const PictureOptions& options);
/// Several of one model, which is meshed once.
Expected<std::vector<Pixels>> drawPictures(const recipe::Model& model, const std::vector<PictureOptions>& options,
                                           const Context& cx);

/// The same as a file: PNG or another kind the kernel writes. Fails with LM-F022 when it cannot be written.
Expected<void> writePicture(const recipe::Model& model, const std::string& path, const PictureOptions& options);

} // namespace lumsk::scene

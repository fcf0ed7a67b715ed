#pragma once
#include "base/context.h"
#include "recipe/model.h"
#include "scene/lens.h"

namespace lumsk::scene {

/// Standard directions of view.
enum class ViewFrom { Front, Back, Left, Right, Top, Bottom, Corner };
std::optional<ViewFrom> viewFrom(const std::string& name); ///< "front", "corner", ...
const char* nameOf(ViewFrom from);

/// Where the eye of a view stands.
struct Pose {
  Vec3 eye = Vec3::Zero(), middle = Vec3::Zero(), up = Vec3::UnitZ();
  double scale = 1.0; ///< mm along the shorter side, in parallel projection
  bool perspective = true;
};

/// 0xRRGGBB: above, below, and of curves and edges on it.
struct Ground {
  unsigned top = 0, bottom = 0, ink = 0x22262A;
};

struct PictureOptions {
  int width = 1280, height = 960; ///< pixels
  ViewFrom from = ViewFrom::Corner;
  std::optional<Pose> pose; ///< instead of `from`, and not fitted
  /// All the way round: one of so many pictures about an upright axis, fitted so that every one of them holds the form.
  struct Turn {
    double deg = 0.0;
  };
  std::optional<Turn> turn;
  bool perspective = true;
  /// In parallel projection, to scale: what stands in the middle, and what a pixel is wide.
  struct ToScale {
    Vec3 middle = Vec3::Zero();
    double mmPerPixel = 1.0;
  };
  std::optional<ToScale> toScale;
  bool bodiesOnly = false; ///< without curves, points, planes and backdrops
  std::optional<Ground> ground; ///< instead of the view's
  bool clear = false;             ///< no ground: what is not the form is transparent
  LensState lens;
  std::optional<recipe::Finish> finish; ///< of all bodies, instead of their own
};

/// Pixels from the top left, three bytes each: red, green, blue.
struct Pixels {
  int width = 0, height = 0;
  std::vector<unsigned char> rgb;
  std::vector<unsigned char> alpha; ///< a byte each, of pictures without a ground
};

/// A picture of a model, fitted. Needs a display (Xvfb will do): fails with LM-D001 without one, LM-D002 when it cannot
/// be drawn.
Expected<Pixels> drawPicture(const recipe::Model& model, const PictureOptions& options);
/// Several of one model, which is meshed once.
Expected<std::vector<Pixels>> drawPictures(const recipe::Model& model, const std::vector<PictureOptions>& options,
                                           const Context& cx);

/// The same, handed over one by one, so that many need no more room than one. Stops with what `take` fails with.
Expected<void> drawEach(const recipe::Model& model, const std::vector<PictureOptions>& options, const Context& cx,
                        const std::function<Expected<void>(size_t index, Pixels&& picture)>& take);

} // namespace lumsk::scene

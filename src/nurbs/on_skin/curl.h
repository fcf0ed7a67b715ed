#pragma once
#include "base/context.h"
#include "nurbs/core/path.h"
#include "nurbs/core/surface.h"

#include <functional>

namespace lumsk::nurbs {

/// How a curl leaves a place of a border.
struct Leaving {
  Vec3 out = Vec3::Zero();   ///< unit, in the skin's tangent plane, square to the border, away from the skin
  Vec3 front = Vec3::Zero(); ///< the skin's unit normal
};

struct CurlOptions {
  double radiusMm = 2.0;
  double angleRad = kPi; ///< how far it turns, above nought and below a full turn
  bool toFront = true;   ///< turns to the side of the normals, else to the other one
  std::function<Leaving(const Vec3& at, const Vec3& tangent)> leaving;
  std::function<Vec3(const Vec3&)> onto; ///< the place of the skin below one of the border, which may be off it by its fit
};

struct Curl {
  /// One per stretch between corners: u along the border, v around the arc, v = 0 on the border. Their normals go on from
  /// the skin's where the border runs with the skin to its left, seen from its front. At corners they end square to the border.
  std::vector<Surface> strips;
  double deviationMm = 0.0;  ///< from the border, and of the arc from a circle
};

/// A round bead along the border of a skin: an arc of a circle square to the border, which leaves the skin tangentially.
/// Fails with LM-C040 (the border bends more tightly than the radius: place), LM-C041 (the bead runs into another part of
/// the border, or past itself: place), LM-G101 as `fitLean` does.
Expected<Curl> curlAlong(const Path& border, const CurlOptions& options, const Context& cx);

} // namespace lumsk::nurbs

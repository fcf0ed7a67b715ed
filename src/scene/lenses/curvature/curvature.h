#pragma once

namespace lumsk::scene {

enum class CurvatureShown { Mean, Gauss, Largest, Smallest, Radius };
struct CurvatureLook {
  static constexpr const char* kLens = "curvature";
  CurvatureShown shown = CurvatureShown::Mean;
  bool byItself = true;          ///< the range follows from what is there
  double low = -0.1, high = 0.1; ///< 1/mm, 1/mm2 for Gauss, mm for the radius
};

} // namespace lumsk::scene

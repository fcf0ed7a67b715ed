#pragma once
#include "scene/lens_work.h"

namespace lumsk::scene {

struct CombLook {
  static constexpr const char* kLens = "combs";
  bool curves = true, isolines = false, stack = false;
  int isolineCount = 6;        ///< each way
  int stackCount = 8;          ///< sections
  Vec3 across = Vec3::UnitZ(); ///< the stack's normal
  int density = 12;            ///< teeth a span
  double scale = 1;
};

/// Combs of cut lines: away from the centres of curvature, on about so many teeth a line as the look wants.
void addCutCombs(LensArt& art, const inspect::Cut& cut, const CombLook& look, double scale, bool inCut);

/// Teeth of 1/R reach a tenth of the form where R is a quarter of it; half as far, or a quarter and so on, where most
/// of the curves bend so much that their teeth would hide it. In such steps they do not breathe while a curve is
/// dragged.
double combScale(const Scene& scene, const CombLook& look);

/// A cut line's points, the first again at the end of a closed one.
std::vector<Vec3> loopOf(const inspect::CutLine& line);

} // namespace lumsk::scene

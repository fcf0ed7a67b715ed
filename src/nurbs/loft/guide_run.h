#pragma once
#include "nurbs/fit/fit.h"
#include "nurbs/loft/loft_across.h"
#include "nurbs/loft/loft_guides.h"

namespace lumsk::nurbs {

/// The guides of a loft as functions of the parameter across it, which has the sections at common values.
class GuideRun {
public:
  static constexpr int kDegree = 5;    ///< at least, in both directions: curvature and its derivative flow
  static constexpr int kSamples = 160; ///< of fits beside guides
  static constexpr int kPatience = 3;  ///< knots that have to stay, in a row, until such a fit counts as lean

  /// The sections' parameters follow from the mean lengths between the crossings. Fails with LM-G011. The paths must
  /// outlive this.
  static Expected<GuideRun> of(const std::vector<Path>& paths, const std::vector<LoftGuide>& guides, bool around);

  const std::vector<double>& parameters() const { return v_; } ///< around, 1 comes last
  Vec3 at(size_t guide, double v) const;
  /// Of first to third order at the first (0) or the last section (1).
  std::array<Vec3, 3> derivatives(size_t guide, int e) const;
  /// The same of all guides, by mm of the way to the neighbouring section, as ends with these pulls have them.
  std::vector<std::array<std::array<Vec3, 3>, 2>> ends(const std::array<double, 2>& pulls) const;

  /// What every guide does between the sections beyond what is interpolated of its places on them, and of its
  /// derivatives at ends: nothing there. Three columns a guide. Fails as `fitLean` does.
  Expected<LeanFit> between(const LoftAcross& across, const std::array<int, 2>& endOrders,
                            const std::vector<double>& weight, LengthTolerance fit) const;

private:
  const std::vector<Path>* paths_ = nullptr;
  std::vector<bool> reversed_;
  std::vector<ArcLength> lengths_;
  std::vector<MonotoneMap> along_; ///< parameter across to length
  std::vector<double> v_;
  bool around_ = false;
};

} // namespace lumsk::nurbs

#pragma once
#include "nurbs/fit/fit.h"
#include "nurbs/loft/loft_ends.h"

namespace lumsk::nurbs {

/// A stretch of all sections from corner to corner on one lean basis. At mirror planes it is continued by its image.
struct LoftStrip {
  LeanFit fit;
  Rows rows;                    ///< one a section: x, y, z of control point 0, 1, ...
  std::array<Rows, 2> cross;    ///< derivatives by mm across, at both ends of the loft; one row an order
  double before = 0, after = 0; ///< how far it is continued, in lengths of its own

  double whole() const { return 1 + before + after; }
  double parameter(double t) const { return (t + before) / whole(); } ///< of the fit
  /// The place at t of a curve whose control points stand in one row.
  Vec3 at(const Eigen::Ref<const Eigen::RowVectorXd>& row, double t) const;
  /// u along the sections; `across` holds its control rows in v.
  Surface surface(int degree, const Knots& knots, const Rows& across) const;
};

struct LoftStrips {
  std::vector<LoftStrip> strips;
  double deviationMm = 0.0; ///< from the sections
  SkinJoin join;            ///< of the ends that flow on or lean, at places between the samples
};

/// What a loft knows about its sections when they are fitted.
struct LoftSurroundings {
  const LoftPlaces& places;
  const LoftOptions& options;
  const GuideSpread& spread;                        ///< of guides, if there are any
  const std::array<std::optional<Frame>, 2>& sides; ///< mirror planes
};

/// Fits all stretches of the sections, more and more closely until ends that flow on or lean do so within their
/// tolerances. Relaxed sections are smoothed by a share of what they may be left by. Fails as `fitLean` does, and with
/// LM-L015 where an end's directions change by jumps.
Expected<LoftStrips> fitStrips(const LoftSurroundings& around, LoftEnds& leaving, double relaxedShare,
                               const Context& cx);

/// What each guide counts along a strip, as control values of its fit: one row a guide.
Expected<Rows> guideShares(const GuideSpread& spread, int k, const LoftStrip& strip);

/// A closed section with a corner begins and ends there.
bool beginsInCorner(const LoftPlaces& places, AngleTolerance corner);

} // namespace lumsk::nurbs

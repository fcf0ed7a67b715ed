#pragma once
#include "nurbs/core/banded.h"
#include "nurbs/curves/correspond.h"

namespace lumsk::nurbs {

// Curves that a loft follows between its sections.

/// Where a guide meets a section.
struct GuideCrossing {
  double along = 0.0;    ///< arc length on the guide, in its direction of use, mm; of closed ones it may pass the end
  double fraction = 0.0; ///< of the section's own length; at points nought
  Vec3 at = Vec3::Zero();
  double gapMm = 0.0;
};
struct LoftGuide {
  bool reversed = false;
  std::vector<GuideCrossing> crossings; ///< one a section
  double gapMm() const;                 ///< the widest
};

/// Finds where guides meet the sections; crossings within the largest gap of an end or a corner of a section are there.
/// `around`: the last section is followed by the first one. Fails with LM-L020 (a guide misses a section: by how much),
/// LM-L021 (it crosses one twice, or lies on it), LM-L022 (it meets them in another order), LM-L023 (it has a corner),
/// LM-L024 (two guides meet a section in one place), LM-L025 (an open guide around a closed loft, or a closed one).
Expected<std::vector<LoftGuide>> crossGuides(const std::vector<Section>& sections,
                                             const std::vector<ArcLength>& lengths, const std::vector<Path>& guides,
                                             bool around, LengthTolerance largestGap, const Tolerances& tol);

/// The parts of a curve that cross all sections of an open loft one after the other, from the first to the last: what
/// a closed rail around the sections, or one that turns back, is divided into. Parts that share a crossing of a section
/// that is no point exclude each other: the shorter ones stay. The curve itself where it crosses every section once, or
/// where there is no such part.
std::vector<Path> dividedAtSections(const Path& guide, const std::vector<Section>& sections, LengthTolerance largestGap,
                                    const Tolerances& tol);

/// Where guides run on a loft's skin, and how what they ask for spreads to the places between them.
class GuideSpread {
public:
  GuideSpread() = default;
  /// `even`: at the first and the last side, open sections go on as their mirror images.
  GuideSpread(const Alignment& a, std::vector<LoftPlace> guides, std::array<bool, 2> even);

  const std::vector<LoftPlace>& guides() const { return guides_; }
  /// Places along a strip where values are given: those of the guides, and its ends where it has them.
  const std::vector<double>& places(int strip) const { return strips_[size_t(strip)].at; }
  /// One row a place, one column a guide: what of the guides' values each place takes. Between two guides it is shared
  /// by distance; beyond the outermost ones it goes on in a line, as far again as they lie apart.
  const Eigen::MatrixXd& weights(int strip) const { return strips_[size_t(strip)].weight; }
  bool around(int strip) const { return strips_[size_t(strip)].periodic; }
  /// What each guide's value counts at a place of a strip, or beyond it where it goes on as its image.
  Eigen::RowVectorXd at(int strip, double t) const;
  /// The same as control values in a space over which the strip's parameter is `scale` * x - `before`: one row a guide.
  Expected<Rows> in(int strip, int degree, const Knots& knots, double scale = 1, double before = 0) const;
  /// The place of a guide on a strip, if it is there.
  std::optional<double> on(int strip, size_t guide) const;

private:
  Eigen::RowVectorXd shared(double whole) const;
  struct Strip {
    std::vector<double> at;
    Eigen::MatrixXd weight;
    bool periodic = false;
    std::array<bool, 2> even{};
    int degree = 1;
    Knots knots;
    Rows functions; ///< control values, one row a guide
  };
  std::vector<LoftPlace> guides_;
  std::vector<double> whole_; ///< of guides, along the whole section
  std::vector<size_t> order_; ///< guides by `whole_`
  bool closed_ = false;
  std::vector<Strip> strips_;
};

} // namespace lumsk::nurbs

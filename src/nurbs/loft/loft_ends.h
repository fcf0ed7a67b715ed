#pragma once
#include "nurbs/loft/carried.h"
#include "nurbs/loft/loft.h"
#include "nurbs/loft/loft_guides.h"

#include <map>
#include <tuple>

namespace lumsk::nurbs {

/// The sections as a loft runs through them.
struct LoftPlaces {
  std::vector<Section> sections;
  std::vector<ArcLength> lengths; ///< of points, of something else
  Alignment alignment;
  std::vector<LoftPlace> joints; ///< where the curvature of all sections jumps, and strips are divided for it

  int count() const { return int(sections.size()); }
  double fraction(int section, int strip, double t) const;
  Vec3 at(int section, int strip, double t) const;
  Vec3 tangent(int section, int strip, double t) const; ///< just inside the strip
  /// By the strip's parameter, of first to third order, at a place where the section is smooth.
  std::array<Vec3, 3> derivatives(int section, int strip, double t) const;
  /// How a section leaves the side at its start, or its end, to third order; a point only lies there.
  CurveDerivatives leaving(int section, bool first) const;
  /// Joints of a section without a corner where its curvature jumps.
  struct Jump {
    LoftPlace at;
    Vec3 change; ///< of the curvature vector, along the loft's direction, 1/mm
    double bend; ///< the larger curvature of both sides
  };
  std::vector<Jump> jumps(int section) const;
};

/// Derivatives of a curve by a parameter over which its length has the given derivatives; `sign` -1: against its own
/// direction.
std::array<Vec3, 3> byLength(const CurveDerivatives& own, double sign, const std::array<double, 3>& length);

/// Unit normal of a planar section's plane, towards another section. Fails with LM-L005.
Expected<Vec3> planeTowards(const LoftPlaces& p, int section, int neighbour, LengthTolerance point);

/// Length of an arc over a chord that leaves in a direction: chord * theta / sin(theta), theta between both.
double arcOver(const Vec3& chord, const Vec3& direction);

/// How the skin leaves the ends of a loft where that varies along the section (`e` 0: first, 1: last; `k`: strip).
class LoftEnds {
public:
  LoftEnds(const LoftPlaces& places, const LoftOptions& options, const Context& cx)
      : places_(places), o_(options), cx_(cx) {}

  /// Derivatives that vary along the section at an end; 0 for ends that have none or the same everywhere.
  int order(int e) const;
  /// What the sections are carried by says how the skin leaves an end: only within planes across the way something is
  /// added to that.
  struct CarriedEnd {
    CarriedWay way;
    Carried here, beside; ///< at the end and at the neighbouring section
    double dv = 1;        ///< parameters between them
  };
  void carriedBy(int e, CarriedEnd end) { carried_[size_t(e)] = std::move(end); }

  /// Checks an end and finds what its directions need. Fails as `loft` does.
  Expected<void> prepare(int e);

  /// Guides dictate how the skin leaves where they do: their derivatives of first to third order across the loft, in
  /// units of a way of `perUnit[e]` mm. Fails with LM-L026 where a guide does not leave as its end asks.
  Expected<void> follow(const GuideSpread& spread, const std::vector<std::array<std::array<Vec3, 3>, 2>>& guides);

  /// Derivatives, by mm of the way to the neighbouring section, of the skin's curves that leave an end.
  Expected<void> across(int e, int k, double t, std::array<Vec3, 3>& out) const;
  /// The same, where it was looked at before: fits ask for the same places again and again.
  const std::array<Vec3, 3>& known(int e, int k, double t);
  /// Places along a strip at which what an end continues has a kink, since the neighbour is no smoother there.
  const std::vector<double>& kinks(int e, int k);
  /// Where the direction in which an end of a strip is left changes most abruptly.
  Vec3 sharpest(int k);

  /// What errors of places at ends that flow on, and of derivatives across them, count beside errors of places when
  /// they may use a share of the tolerances of a join. Errors of one order change along the section from span to span,
  /// which the next order sees as twist.
  std::array<double, 4> weights(double share);
  /// How a skin with these derivatives (u along the section, v across) meets what the end is to flow into or lean by.
  SkinJoin join(int e, int k, double t, const SurfaceDerivatives& d) const;

private:
  const LoftEndOptions& end(int e) const { return e ? o_.end : o_.start; }
  Meets kind(int e) const;
  double leanOf(int e) const; ///< rad
  int section(int e) const { return e ? places_.count() - 1 : 0; }
  int beside(int e) const { return e ? places_.count() - 2 : 1; }
  void findLeans(int e);
  Expected<NeighbourPlace> neighbour(int e, const Vec3& at) const;
  std::vector<double> findKinks(int e, int k) const;
  std::map<std::pair<int, int>, std::vector<double>> kinks_;
  Expected<void> alone(int e, int k, double t, std::array<Vec3, 3>& out) const;
  Expected<void> asCarried(int e, int k, double t, std::array<Vec3, 3>& out) const;
  struct Leaving;
  struct CarriedPlace;
  Expected<Leaving> leavingAt(int e, int k, double t) const;
  Expected<CarriedPlace> carriedPlace(int e, int k, double t) const;
  Expected<std::array<double, 3>> cornerTurns(int e, int k, bool last) const;

  /// Of an end that leans: its section's plane, and how far the curves turn along the section at ends of strips.
  struct Lean {
    Vec3 normal = Vec3::UnitZ();
    double outwards = 1.0;
    std::vector<std::pair<double, double>> along;
    /// Where the section's curvature jumps, directions that follow it have a kink: they are turned along the section
    /// just there, which takes it out. By strip: place, and slope of the turning on both sides.
    struct Jump {
      double at = 0, slope = 0, before = 0, after = 0; ///< the latter: how far the turning reaches
      double skew = 0;                                 ///< of the direction there from the one square to the section, rad
    };
    std::vector<std::vector<Jump>> jumps;
  };
  void findJumps(int e);
  double turning(int e, int k, double t) const;
  Vec3 squareAtJoints(int e, int k, double t, const Vec3& d) const;
  std::optional<double> jointDirection(int e, const LoftPlace& at, const Vec3& along, const Vec3& square) const;
  Vec3 leaning(int e, const Vec3& along) const;

  mutable std::map<std::tuple<int, int, bool>, std::array<double, 3>> corners_;
  const LoftPlaces& places_;
  const LoftOptions& o_;
  const Context& cx_;
  std::array<Lean, 2> leans_;
  std::array<std::optional<CarriedEnd>, 2> carried_;
  std::map<std::tuple<int, int, double>, std::array<Vec3, 3>> known_;
  double flat_ = 1e-3; ///< 1/mm: curvatures are compared with this floor
  const GuideSpread* spread_ = nullptr;
  std::array<std::vector<std::array<Vec3, 3>>, 2> miss_; ///< of every guide: what it has more than the end alone
};

} // namespace lumsk::nurbs

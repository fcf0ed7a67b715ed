#include "nurbs/patch/loose_patch.h"

#include "nurbs/on_skin/surface_curves.h"
#include "nurbs/fit/surface_squares.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace lumsk::nurbs {

namespace {

constexpr int kLooseDegree = 5;
constexpr int kLooseGuidePlaces = 90;             ///< places along a guide
constexpr int kFewestSpans = 4, kMostSpans = 32;
constexpr double kSameBreak = 0.35;    ///< of a span: breaks of the patch that near are taken
constexpr double kRoom = 0.7;          ///< of the distance: what a field that is to be made even must be able to reach
constexpr double kLeastPower = -8, kMostPower = 2; ///< of ten, of guides' weights
constexpr int kHalvings = 9, kLooseFootSteps = 6;
constexpr int kLooseSteps = 2;              ///< solutions with a weight, from feet to feet
constexpr double kSquare = 1e-6;       ///< of a foot, over the size of the patch
constexpr double kLooseEvenness = 1e-7;     ///< weight of the evenness in unit scale
constexpr int kPoleOrder = 2;          ///< what stays of a patch at its poles: the tangent plane and the bending

class LooseField {
public:
  LooseField(const Surface& patch, const std::array<int, 4>& orders, const std::vector<const Path*>& guides,
             const Context& cx)
      : patch_(patch), orders_(orders), cx_(cx) {
    for (const Path* g : guides)
      for (int i = 0; i <= kLooseGuidePlaces; ++i) places_.push_back({g->at(g->last() * i / kLooseGuidePlaces), Vec2::Zero(), i == 0});
    lengthU_ = lengthOf(true), lengthV_ = lengthOf(false);
  }

  struct Moved {
    Surface surface;
    double offMm = 0;
  };

  /// The most even field that comes near enough, on the fewest spans.
  Expected<Moved> most(LengthTolerance within) {
    findFeet(patch_);
    Moved nearest{patch_, off(patch_)};
    if (nearest.offMm <= within.mm) return nearest;
    for (int spans = kFewestSpans; spans <= kMostSpans; spans *= 2) {
      takeBreaks(spans);
      LUMSK_TRY(closest, moved(kMostPower));
      if (closest.offMm < nearest.offMm) nearest = closest;
      if (closest.offMm > kRoom * within.mm && spans < kMostSpans) continue;
      if (closest.offMm > within.mm) break;
      double low = kLeastPower, high = kMostPower;
      for (int it = 0; it < kHalvings; ++it) {
        const double power = 0.5 * (low + high);
        LUMSK_TRY(now, moved(power));
        const bool near = now.offMm <= within.mm;
        if (near) nearest = std::move(now);
        (near ? high : low) = power;
      }
      break;
    }
    return nearest;
  }

private:
  struct Place {
    Vec3 at;
    Vec2 foot;
    bool first = false; ///< of a guide
  };

  double lengthOf(bool u) const {
    double sum = 0;
    for (int i = 0; i < 8; ++i)
      for (int k = 0; k < 5; ++k) {
        const double a = i / 8.0, b = (i + 1) / 8.0, c = k / 4.0;
        sum += ((u ? patch_.at(b, c) : patch_.at(c, b)) - (u ? patch_.at(a, c) : patch_.at(c, a))).norm() / 5;
      }
    return sum;
  }

  /// Equal spans, moved to the patch's own breaks where these are near: the sum needs no more knots than both.
  void takeBreaks(int spans) {
    const auto taken = [&](const Knots& own) {
      const std::vector<double> breaks = breakpoints(own, kLooseDegree);
      std::vector<double> out(size_t(spans) + 1);
      for (int i = 0; i <= spans; ++i) {
        const double t = double(i) / spans;
        const auto above = std::lower_bound(breaks.begin() + 1, breaks.end() - 1, t);
        const double near = t - *(above - 1) < *above - t ? *(above - 1) : *above;
        out[size_t(i)] = std::abs(near - t) < kSameBreak / spans ? near : t;
      }
      out.front() = 0, out.back() = 1;
      return out;
    };
    breaksU_ = taken(patch_.knotsU()), breaksV_ = taken(patch_.knotsV());
    U_ = clampedKnots(kLooseDegree, breaksU_), V_ = clampedKnots(kLooseDegree, breaksV_);
    whole_ = patch_;
    for (bool u : {true, false}) {
      const std::vector<double> own = breakpoints(u ? patch_.knotsU() : patch_.knotsV(), kLooseDegree);
      for (double t : u ? breaksU_ : breaksV_)
        if (!std::binary_search(own.begin(), own.end(), t)) whole_ = u ? insertKnotU(whole_, t) : insertKnotV(whole_, t);
    }
  }

  /// Nearest places of guides: from place to place along a guide, sought everywhere where that does not lead there.
  void findFeet(const Surface& s) {
    std::optional<NearestOnSurface> everywhere;
    for (size_t k = 0; k < places_.size(); ++k) {
      Place& p = places_[k];
      if (!p.first) p.foot = places_[k - 1].foot;
      if (!p.first && brought(s, p)) continue;
      if (!everywhere) everywhere.emplace(s);
      p.foot = everywhere->foot(p.at).uv;
    }
  }
  bool brought(const Surface& s, Place& p) const {
    for (int it = 0; it < kLooseFootSteps; ++it) {
      SurfaceDerivatives d;
      s.derivatives(p.foot.x(), p.foot.y(), 1, d);
      const Vec3 r = p.at - d(0, 0);
      const double a = d(1, 0).squaredNorm(), b = d(1, 0).dot(d(0, 1)), c = d(0, 1).squaredNorm(), det = a * c - b * b;
      if (!(det > 0)) return false;
      const double u = d(1, 0).dot(r), v = d(0, 1).dot(r);
      const Vec2 was = p.foot;
      p.foot = (was + Vec2((c * u - b * v) / det, (a * v - b * u) / det)).cwiseMax(0.0).cwiseMin(1.0);
      if ((p.foot - was).norm() < kSquare) return true;
    }
    return false;
  }

  /// The patch with the field of a weight.
  Expected<Moved> moved(double power) {
    if (cx_.stopped()) return fail(cancelled());
    SurfaceSquares squares(kLooseDegree, U_, V_);
    const double root = std::pow(10.0, 0.5 * power) / std::sqrt(double(places_.size()));
    Moved out{patch_, 0};
    findFeet(patch_);
    for (int step = 0; step < kLooseSteps; ++step) {
      squares.begin(kLooseEvenness, lengthU_, lengthV_, nullptr);
      for (const Place& p : places_) {
        PlaceRows rows = squares.at(p.foot.x(), p.foot.y(), 0);
        const Vec3 n = out.surface.normal(p.foot.x(), p.foot.y());
        rows.ask({{0, 0, n}}, n.dot(p.at - patch_.at(p.foot.x(), p.foot.y())), root);
        squares.add(rows);
      }
      squares.hold(orders_);
      const auto field = squares.solve();
      if (!field) return Moved{patch_, 1e300};
      out.surface = sum(*field);
      findFeet(out.surface);
    }
    out.offMm = off(out.surface);
    return out;
  }
  double off(const Surface& s) const {
    double worst = 0;
    for (const Place& p : places_) worst = std::max(worst, (p.at - s.at(p.foot.x(), p.foot.y())).norm());
    return worst;
  }

  Surface sum(Surface field) const {
    for (bool u : {true, false}) {
      const std::vector<double> own = breakpoints(u ? U_ : V_, kLooseDegree);
      for (double t : breakpoints(u ? whole_.knotsU() : whole_.knotsV(), kLooseDegree))
        if (!std::binary_search(own.begin(), own.end(), t)) field = u ? insertKnotU(field, t) : insertKnotV(field, t);
    }
    return Surface::trusted(kLooseDegree, kLooseDegree, whole_.knotsU(), whole_.knotsV(), whole_.grid() + field.grid(), false);
  }

  const Surface& patch_;
  std::array<int, 4> orders_;
  const Context& cx_;
  std::vector<Place> places_;
  double lengthU_ = 1, lengthV_ = 1;
  std::vector<double> breaksU_, breaksV_;
  Knots U_, V_;
  Surface whole_; ///< the patch with the field's knots
};

} // namespace

Expected<PatchFitted> fitPatchLoosely(const std::array<PatchSide, 4>& sides, const PatchFitOptions& options,
                                      LengthTolerance within, const Context& cx, double& guideMm) {
  PatchFitOptions bare = options;
  bare.guides.clear();
  LUMSK_TRY(made, fitPatch(sides, bare, cx));
  std::array<int, 4> orders{}; // that stay as they are
  for (size_t k = 0; k < 4; ++k)
    orders[k] = sides[k].free ? -1 : sides[k].path ? orderOf(sides[k].meets) : kPoleOrder;
  LooseField field(made.surface, orders, options.guides, cx);
  LUMSK_TRY(found, field.most(within));
  made.surface = std::move(found.surface);
  guideMm = found.offMm;
  return std::move(made);
}

} // namespace lumsk::nurbs

#include "nurbs/on_skin/section.h"

#include "nurbs/fit/fit.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/on_skin/surface_curves.h"

#include <algorithm>

namespace lumsk::nurbs {

namespace {

constexpr double kEndStep = 2e-3; ///< of its length: for derivatives at its ends
constexpr double kBeyond = 1e-3;        ///< of the domain: how far beyond it a curve is followed
constexpr double kDomainShare = 0.2;    ///< of the surface's size: how much a way across the domain counts
constexpr double kImageShare = 0.15;    ///< of lengths in the domains, in a section's parameter
constexpr double kLongestLook = 1.5;    ///< steps: looks further apart are divided
constexpr size_t kMostLooks = 3000;
constexpr size_t kLeastLooks = 9;
constexpr double kNoLengthMm = 1e-7;
constexpr double kSmallCount = 0.05;
constexpr int kChecks = 100;            ///< places at which the images are compared with the curve

} // namespace

FollowedZero::FollowedZero(const Surface& s, const Field& f, const ZeroCurve& c) : s_(s), f_(f), contact_(c.contact) {
  std::vector<Vec2> uv = c.uv;
  if (c.closed) uv.push_back(uv.front());
  // By the chords in space and in the domain: where the surface's own lines turn back, the former alone nearly stop.
  const Vec2 domain(s.lastU() - s.firstU(), s.lastV() - s.firstV());
  const double size = kDomainShare * 40 * followStep(s);
  double length = 0;
  Vec3 before = s.at(uv[0].x(), uv[0].y());
  std::vector<Vec2> kept;
  for (const Vec2& p : uv) {
    const Vec3 at = s.at(p.x(), p.y());
    const double step = (at - before).norm();
    if (!kept.empty() && step < 1e-9) continue;
    length += step;
    if (!kept.empty()) {
      Vec2 move = p - kept.back();
      if (s.closedU()) move.x() = std::remainder(move.x(), domain.x());
      length += size * move.cwiseQuotient(domain).norm();
    }
    places_.push_back(length);
    kept.push_back(p);
    before = at;
  }
  for (double& t : places_) t /= length;
  Rows rows(Eigen::Index(kept.size()), 3);
  rows.setZero();
  for (size_t i = 0; i < kept.size(); ++i) rows.row(Eigen::Index(i)).head<2>() = kept[i].transpose();
  const Rows none(0, 3);
  if (kept.size() > 1)
    if (auto r = interpolateRows(places_, rows, std::min(3, int(kept.size()) - 1), none, none))
      uv_ = Spline::trusted(std::min(3, int(kept.size()) - 1), r->knots, r->controls);
}

Vec2 FollowedZero::uv(double w) const {
  const Vec2 p = ontoZero(s_, f_, Vec2(uv_.at(std::clamp(w, 0.0, 1.0)).head<2>()), contact_);
  // At a pole a step may lead far away.
  const Vec2 low(s_.firstU(), s_.firstV()), high(s_.lastU(), s_.lastV()), slack = kBeyond * (high - low);
  return p.cwiseMax(low - slack).cwiseMin(high + slack);
}

Vec3 FollowedZero::at(double w) const {
  const Vec2 p = uv(w);
  return s_.at(p.x(), p.y());
}

Vec2 domainScale(const Surface& s) {
  constexpr int kPlaces = 8;
  Vec2 sum = Vec2::Zero();
  for (int i = 0; i < kPlaces; ++i)
    for (int j = 0; j < kPlaces; ++j) {
      SurfaceDerivatives d;
      s.derivatives(s.firstU() + (s.lastU() - s.firstU()) * (i + 0.5) / kPlaces,
                    s.firstV() + (s.lastV() - s.firstV()) * (j + 0.5) / kPlaces, 1, d);
      sum += Vec2(d(1, 0).norm(), d(0, 1).norm());
    }
  return (sum / (kPlaces * kPlaces)).cwiseMax(1e-9);
}

namespace {

/// One section on its way: places by the length in space and in the domains.
class SectionFitter {
public:
  SectionFitter(const SectionTrace& t, const std::vector<const Surface*>& surfaces, double stepMm)
      : t_(t), surfaces_(surfaces), step_(stepMm) {
    for (const Surface* s : surfaces) scale_.push_back(domainScale(*s));
  }

  Expected<SectionCurve> run(LengthTolerance aim, LengthTolerance most) {
    if (!tabulate())
      return fail(problem("LM-C010", "a cut is too short to be made").at(t_.at(t_.first).point).tryThis(
          "move the cutter a little"));
    double fit = aim.mm;
    for (;;) {
      auto made = fitted(fit);
      if (!made && count_ == 1) { // beside a pole an image turns fast where it hardly counts in space
        count_ = kSmallCount;
        made = fitted(fit);
      }
      if (!made) return fail(made.error());
      if (made->deviationMm <= most.mm) return made;
      // What a domain's image is off by may be more in space, where the surface is stretched.
      fit *= 0.5 * most.mm / made->deviationMm;
      if (fit < 1e-3 * aim.mm)
        return fail(problem("LM-C010", "a cut does not come close enough to the surfaces")
                        .measure(millimetres(made->deviationMm))
                        .want(millimetres(most.mm))
                        .at(worst_)
                        .tryThis("move the cutter a little"));
    }
  }

private:
  using Point = Eigen::Matrix<double, 7, 1>; ///< in space, and in the domains for as much as they count

  Point pointAt(double w, double share = kImageShare) const {
    const SectionTrace::Place p = t_.at(w);
    Point out = Point::Zero();
    out.head<3>() = p.point;
    for (size_t k = 0; k < scale_.size(); ++k)
      out.segment<2>(Eigen::Index(3 + 2 * k)) = share * scale_[k].cwiseProduct(p.at[k]);
    return out;
  }

  /// Rough parameters so close that no step is long.
  std::vector<double> looks() const {
    std::vector<double> w{t_.first};
    const double apart = 1e-9 * (t_.last - t_.first);
    for (double x : t_.looks)
      if (x > w.back() + apart && x < t_.last - apart) w.push_back(x);
    w.push_back(t_.last);
    const auto halved = [&](const auto& wants) {
      std::vector<double> out;
      for (size_t i = 0; i + 1 < w.size(); ++i) {
        out.push_back(w[i]);
        if (wants(w[i], w[i + 1])) out.push_back(0.5 * (w[i] + w[i + 1]));
      }
      out.push_back(w.back());
      return out;
    };
    for (int round = 0; round < 6 && w.size() < kMostLooks; ++round) {
      auto finer = halved([&](double a, double b) {
        return (pointAt(b, 1) - pointAt(a, 1)).norm() > kLongestLook * step_;
      });
      const bool same = finer.size() == w.size();
      w = std::move(finer);
      if (same) break;
    }
    while (w.size() < kLeastLooks) w = halved([](double, double) { return true; });
    return w;
  }

  /// The rough parameter by length, [0, 1].
  bool tabulate() {
    const std::vector<double> w = looks();
    std::vector<double> s{0}, kept{w[0]};
    double total = 0;
    Point before = pointAt(w[0]);
    for (size_t i = 1; i < w.size(); ++i) {
      const Point middle = pointAt(0.5 * (w[i - 1] + w[i])), at = pointAt(w[i]);
      const double way = (middle - before).norm() + (at - middle).norm(), chord = (at - before).norm();
      const double length = (4 * way - chord) / 3;
      before = at;
      if (length < kNoLengthMm) {
        if (i + 1 == w.size() && kept.size() > 1) kept.back() = w[i];
        continue;
      }
      total += length;
      s.push_back(total);
      kept.push_back(w[i]);
    }
    if (s.size() < 4) return false;
    for (double& x : s) x /= total;
    Rows rows(Eigen::Index(s.size()), 3);
    rows.setZero();
    for (size_t i = 0; i < s.size(); ++i) rows(Eigen::Index(i), 0) = kept[i];
    const Rows none(0, 3);
    const auto made = interpolateRows(s, rows, 3, none, none);
    if (!made) return false;
    roughBy_ = Spline::trusted(3, made->knots, made->controls);
    return true;
  }

  double rough(double t) const {
    if (t <= 0) return t_.first;
    if (t >= 1) return t_.last;
    return std::clamp(roughBy_.at(t).x(), t_.first, t_.last);
  }

  Expected<SectionCurve> fitted(double fitMm) {
    CurveFamily family;
    family.curves = 1 + int(surfaces_.size());
    family.closed = t_.closed;
    family.sample = [&](double t, double* out) {
      const SectionTrace::Place p = t_.at(rough(t));
      Eigen::Map<Vec3>{out} = p.point;
      for (size_t k = 0; k < scale_.size(); ++k) {
        const Vec2 q = count_ * scale_[k].cwiseProduct(p.at[k]);
        out[3 + 3 * k] = q.x(), out[4 + 3 * k] = q.y(), out[5 + 3 * k] = 0;
      }
    };
    LeanOptions o;
    o.fit = {fitMm};
    o.firstSpans = 3;
    o.baseSamples = 96;
    // It leaves its ends exactly as the true curve does: what is mirrored or goes on there stays tangent.
    for (int end = 0; end < 2 && !t_.closed; ++end)
      if (auto d = derivativeAtEnd(family.sample, 3 * family.curves, end, kEndStep)) o.endDerivatives[size_t(end)] = std::move(*d);
    auto found = fitLean(family, o);
    if (!found) return fail(found.error().at(t_.at(0.5 * (t_.first + t_.last)).point));
    const LeanFit& fit = *found;
    SectionCurve out;
    out.curve = fit.curve(0);
    out.surfaces = int(surfaces_.size());
    out.closed = t_.closed;
    for (size_t k = 0; k < surfaces_.size(); ++k) {
      const Spline c = fit.curve(int(k) + 1);
      Points q = c.points();
      for (Eigen::Index i = 0; i < q.rows(); ++i)
        q.row(i).head<2>() = q.row(i).head<2>().cwiseQuotient(count_ * scale_[k].transpose()).eval();
      out.images[k] = Spline::trusted(c.degree(), c.knots(), std::move(q), c.closed());
    }
    measure(out);
    return out;
  }

  void measure(SectionCurve& s) {
    const auto look = [&](double t) {
      const Vec3 p = s.curve.at(t);
      for (size_t k = 0; k < surfaces_.size(); ++k) {
        const Vec3 q = s.images[k].at(t);
        const double off = (surfaces_[k]->at(q.x(), q.y()) - p).norm();
        if (off > s.deviationMm) s.deviationMm = off, worst_ = p;
      }
    };
    const int n = std::max(kChecks, 5 * s.curve.spans());
    for (int i = 0; i <= n; ++i) look(double(i) / n);
  }

  const SectionTrace& t_;
  const std::vector<const Surface*>& surfaces_;
  double step_;
  std::vector<Vec2> scale_;
  double count_ = 1; ///< of what an image is off by
  Spline roughBy_;
  Vec3 worst_ = Vec3::Zero();
};

} // namespace

Expected<SectionCurve> fitSection(const SectionTrace& trace, const std::vector<const Surface*>& surfaces, double stepMm,
                             LengthTolerance aim, LengthTolerance most) {
  return SectionFitter(trace, surfaces, stepMm).run(aim, most);
}

} // namespace lumsk::nurbs

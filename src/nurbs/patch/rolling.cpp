#include "nurbs/patch/rolling.h"

#include "nurbs/fit/fit.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/ribbon.h"
#include "nurbs/patch/rolling_ball.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace lumsk::nurbs {

namespace {

constexpr int kLooks = 72;            ///< places along an edge at which a band is looked at
constexpr double kContactShare = 0.6; ///< of the angle tolerance: so tangent contacts are made
constexpr double kLeastTurnDeg = 0.02, kLeastFadedDeg = 1e-4, kMostTurnDeg = 178, kFlatDeg = 5;
constexpr int kMostSpans = 500;
constexpr double kGuideShare = 0.02; ///< of the size: so far the guide may lie off the centres
constexpr double kBeyondShare = 0.02; ///< of the size: how much farther an open end goes on, however narrow it is
constexpr double kNearLimit = 0.999;

/// Rolls along one edge.
class Roller {
public:
  Roller(const RoundEdge& e, const RoundOptions& o, const Tolerances& tol)
      : e_(e), o_(o), length_(*e.path), closed_(e.path->closed()), tips_(closed_ && !e.path->corners(tol.corner).empty()), total_(length_.total()) {
    for (const double f : {0.1, 0.37, 0.5, 0.81, 1.0}) varies_ = varies_ || std::abs(o.size(f) - o.size(0)) > 1e-9;
  }

  const Path& path() const { return *e_.path; }
  /// How far open ends go on, by what was found there.
  void goBeyond(const std::vector<RolledPlace>& places) {
    for (const size_t e : {0, 1}) {
      const RolledPlace& x = e ? places.back() : places.front();
      beyond_[e] = o_.beyond * (std::max((x.contact[0] - x.edge).norm(), (x.contact[1] - x.edge).norm()) + kBeyondShare * x.radiusMm);
    }
  }
  /// Which ball touches both skins does not depend on how the edge is given, but the planes in which balls are looked for do: edges
  /// that come of intersections bend unevenly, and curvature jumps. A curve that follows the centres roughly is square to even planes.
  void takeGuide() {
    if (tips_) return; // it has one
    CurveFamily family;
    family.curves = 1;
    family.closed = closed_;
    bool missed = false;
    double size = 1e300;
    family.sample = [&](double t, double* out) {
      const double s = from() + (to() - from()) * t;
      Eigen::Map<Vec3>(out, 3) = Vec3::Zero();
      if (missed) return;
      const auto x = at(s);
      if (!x) return void(missed = true);
      size = std::min(size, sizeAt(s));
      Eigen::Map<Vec3>(out, 3) = o_.by == RoundBy::Distances ? x->edge : x->centre;
    };
    Vec3 first;
    for (const double t : {0.0, 0.2, 0.4, 0.6, 0.8}) family.sample(t, first.data());
    LeanOptions lean;
    lean.fit = {std::max(1e-4, kGuideShare * size)};
    lean.firstSpans = 2;
    if (missed) return;
    if (auto fit = fitLean(family, lean); fit && !missed) guide_ = fit->curve(0);
  }
  /// Around tips: the way of the ball. Fails with LM-O004 where it does not come around.
  Expected<void> roll(const Context& cx) {
    if (!tips_) return {};
    if (o_.by != RoundBy::Radius || varies_)
      return fail(problem("LM-O010", "around a pointed tip only a ball of one size rolls").at(e_.path->at(e_.path->corners({1.0}).front())).tryThis("say the radius, or work on the edges beside the tip one by one"));
    LUMSK_TRY(around, ballAround(e_, sizeAt(0), cx));
    sigmaTips_ = around.side;
    const auto& way = around.places;
    CurveFamily family;
    family.curves = 1;
    family.closed = true;
    std::vector<double> at{0};
    for (size_t i = 1; i < way.size(); ++i) at.push_back(at.back() + (way[i].centre - way[i - 1].centre).norm());
    family.sample = [&](double t, double* out) {
      const double s = t * at.back();
      const size_t i = std::clamp<size_t>(size_t(std::upper_bound(at.begin(), at.end(), s) - at.begin()), 1, at.size() - 1);
      // Cubic between places whose directions are known (Hermite).
      const double h = at[i] - at[i - 1], x = (s - at[i - 1]) / h, y = 1 - x;
      const BallWay::Place &a = way[i - 1], &b = way[i];
      Eigen::Map<Vec3>(out, 3) = y * y * (1 + 2 * x) * a.centre + x * x * (1 + 2 * y) * b.centre + h * x * y * (y * a.along - x * b.along);
    };
    LeanOptions lean;
    lean.fit = {std::max(1e-4, kGuideShare * sizeAt(0))};
    LUMSK_TRY(fit, fitLean(family, lean));
    guide_ = fit.curve(0), total_ = at.back();
    return {};
  }

  double from() const { return closed_ || o_.fades[0] ? 0.0 : -beyond_[0]; }
  double to() const { return total_ + (closed_ || o_.fades[1] ? 0.0 : beyond_[1]); }

  /// At a length from the start. Fails with LM-O004, LM-O005.
  Expected<RolledPlace> at(double s) const {
    RolledPlace x;
    place(s, x);
    std::array<NeighbourPlace, 2> on;
    if (!feetOn(e_, {x.centre, x.centre}, on)) return fail(noBall(x));
    const Vec3 n0 = on[0].normal, n1 = on[1].normal;
    x.turnRad = turnBetween(n0, n1);
    const double sigma = tips_ ? sigmaTips_ : sideOfBall(on, x.along);
    // Where skins hardly turn, where the ball lies hangs on how exactly they meet: they are taken to do so in the edge.
    if (const double flat = std::clamp(2 - degFromRad(x.turnRad) / kFlatDeg, 0.0, 1.0); flat > 0 && !tips_)
      for (const size_t k : {0, 1}) x.gapMm[k] = flat * flat * (3 - 2 * flat) * (x.edge - on[k].d(0, 0)).dot(on[k].normal);
    if (!(x.turnRad > radFromDeg(o_.fades[0] || o_.fades[1] ? kLeastFadedDeg : kLeastTurnDeg)) || x.turnRad > radFromDeg(kMostTurnDeg))
      return fail(problem("LM-O005", x.turnRad < 1 ? "the edge is smooth here: there is nothing to round" : "the skins fold back on one another at this edge")
                      .measure(degrees(degFromRad(x.turnRad)))
                      .at(x.edge)
                      .tryThis("take another edge, or a part of it"));
    if (o_.by == RoundBy::Distances) {
      if (!byDistances(x, on, sigma)) return fail(noBall(x));
    } else if (o_.by == RoundBy::Radius) {
      x.radiusMm = sizeAt(s);
      if (!ball(x, on, sigma)) return fail(noBall(x));
      // Of the place of the edge that lies square below the centre: guides follow these roughly.
      for (int i = 0; i < 2 && guide_ && varies_ && !tips_; ++i) {
        const double below = lengthBelow(x.centre, s);
        if (!closed_ && !(below > 0 && below < total_)) break;
        x.radiusMm = sizeAt(below);
        if (!ball(x, on, sigma)) return fail(noBall(x));
      }
    } else {
      // The radius whose contacts lie so far apart: they do nearly in proportion.
      const double width = sizeAt(s);
      x.radiusMm = width / (2 * std::sin(0.5 * x.turnRad));
      bool done = false;
      for (int i = 0; i < 24 && !done; ++i) {
        if (!ball(x, on, sigma)) return fail(noBall(x));
        const double now = (on[1].d(0, 0) - on[0].d(0, 0)).norm();
        done = std::abs(now - width) < 1e-9;
        if (!done) x.radiusMm *= width / now;
      }
      if (!done) return fail(noBall(x));
    }
    finish(x, on, sigma);
    return x;
  }

  bool convexAt(double s) const {
    if (tips_) return sigmaTips_ < 0;
    RolledPlace x;
    place(s, x);
    std::array<NeighbourPlace, 2> on;
    return feetOn(e_, {x.edge, x.edge}, on) && sideOfBall(on, x.along) < 0;
  }

  /// Places all along, tested.
  Expected<std::vector<RolledPlace>> walk(const Context& cx) const {
    std::vector<RolledPlace> out;
    for (int i = 0; i <= kLooks; ++i) {
      if (cx.stopped()) return fail(cancelled());
      const double s = total_ * i / kLooks;
      const bool pointed = (i == 0 && o_.fades[0]) || (i == kLooks && o_.fades[1]);
      if (!pointed && !(sizeAt(s) > cx.tolerances.point.mm)) {
        RolledPlace x;
        place(s, x);
        return fail(problem("LM-O001", "it needs a size above nought all along").measure(millimetres(sizeAt(s))).at(x.edge).tryThis("give a size above nought"));
      }
      LUMSK_TRY(x, at(s));
      if (o_.by != RoundBy::Distances && o_.section != RoundSection::Flat && x.radiusMm > kNearLimit * x.bendLimitMm)
        return fail(problem("LM-O002", "a skin bends more tightly here than the ball: it does not fit").measure(millimetres(x.radiusMm)).want(millimetres(x.bendLimitMm)).at(x.contact[0]).tryThis("take less"));
      for (const size_t k : {0, 1})
        if (e_.within[k] && !e_.within[k](x.contact[k]))
          return fail(problem("LM-O006", std::string("the round leaves the face ") + (k == 0 ? "to the left" : "to the right") + " of the edge").measure(millimetres(sizeAt(s))).at(x.contact[k]).tryThis("take less"));
      if (!out.empty())
        for (const size_t k : {0, 1})
          if ((x.contact[k] - out.back().contact[k]).dot(x.along + out.back().along) < 0 || (x.centre - out.back().centre).dot(x.along + out.back().along) < 0)
            return fail(problem("LM-O003", "the round would run over itself here: the edge bends more tightly").measure(millimetres(sizeAt(s))).at(x.edge).tryThis("take less"));
      out.push_back(std::move(x));
    }
    return out;
  }

  /// Beyond open ends a size goes on as it grows there, and stays above nought.
  double sizeAt(double s) const {
    if (o_.by == RoundBy::Distances) return std::min(o_.distancesMm[0], o_.angleDeg ? o_.distancesMm[0] : o_.distancesMm[1]);
    const double share = closed_ ? s / total_ - std::floor(s / total_) : s / total_, inside = std::clamp(share, 0.0, 1.0), here = o_.size(inside);
    if (share == inside || closed_ || !(here > 0)) return here;
    constexpr double kStep = 1e-4;
    const double rate = share < 0 ? (o_.size(kStep) - here) / kStep : (here - o_.size(1 - kStep)) / kStep;
    return here * std::exp(std::clamp(rate / here * (share - inside), -2.0, 1.0));
  }

private:
  /// Where the edge lies square below a place, near a length.
  double lengthBelow(const Vec3& p, double near) const {
    for (int i = 0; i < 12; ++i) {
      const double inside = closed_ ? near - total_ * std::floor(near / total_) : std::clamp(near, 0.0, total_);
      const double t = std::min(length_.parameterAt(inside), e_.path->last());
      const double off = (p - e_.path->at(t)).dot(unitTangent(*e_.path, t));
      near = inside + off;
      if (std::abs(off) < 1e-6) break;
    }
    return near;
  }

  /// Where to look for the ball: `centre` is a place near it.
  void place(double s, RolledPlace& x) const {
    placeOnEdge(s, x);
    if (!tips_) x.centre = x.edge;
  }
  void placeOnEdge(double s, RolledPlace& x) const {
    if (tips_) {
      CurveDerivatives d;
      guide_->derivatives(s / total_ - std::floor(s / total_), 1, d);
      x.centre = d[0], x.along = d[1].normalized();
      x.edge = closestPoint(*e_.path, d[0]).point;
      return;
    }
    const double total = length_.total();
    const auto onEdge = [&](double at) {
      const double inside = closed_ ? at - total * std::floor(at / total) : std::clamp(at, 0.0, total);
      const double t = std::min(length_.parameterAt(inside), e_.path->last());
      x.along = unitTangent(*e_.path, t);
      x.edge = e_.path->at(t) + (closed_ ? 0.0 : at - inside) * x.along;
    };
    onEdge(s);
    if (!guide_) return;
    CurveDerivatives d;
    const double share = (s - from()) / (to() - from());
    guide_->derivatives(closed_ ? share - std::floor(share) : std::clamp(share, 0.0, 1.0), 1, d);
    const Vec3 along = d[1].normalized();
    // Where the edge crosses that plane.
    double there = s;
    for (int i = 0; i < 12; ++i) {
      const double off = (d[0] - x.edge).dot(along), pace = x.along.dot(along);
      if (!(pace > 0.1) || std::abs(off) < 1e-9) break;
      onEdge(there += off / pace);
    }
    x.along = along;
  }

  /// Centre in the plane square to the edge, at the radius from both skins.
  bool ball(RolledPlace& x, std::array<NeighbourPlace, 2>& on, double sigma) const {
    const double r = sigma * x.radiusMm;
    return tips_ ? ballIn(e_, x.centre, x.along, x.centre, r, x, on) : ballInCorner(e_, r, x, on);
  }

  bool byDistances(RolledPlace& x, std::array<NeighbourPlace, 2>& on, double sigma) const {
    std::array<double, 2> w = o_.distancesMm;
    if (o_.angleDeg) {
      const double phi = radFromDeg(*o_.angleDeg);
      if (!(x.turnRad - phi > 0.01)) return false;
      w[1] = w[0] * std::sin(phi) / std::sin(x.turnRad - phi);
    }
    if (o_.flipped) std::swap(w[0], w[1]);
    const std::array<Vec3, 2> normals{on[0].normal, on[1].normal};
    for (const size_t k : {0, 1}) {
      const Vec3& other = normals[1 - k];
      Vec3 way = sigma * (other - normals[k] * normals[k].dot(other)); // into the skin, away from the edge
      way = (way - way.dot(x.along) * x.along).normalized();
      for (int i = 0; i < 60; ++i) {
        const auto foot = e_.sides[k](x.edge + w[k] * way);
        if (!foot) return false;
        const Vec3 aside = foot->d(0, 0) - x.edge, square = aside - aside.dot(x.along) * x.along;
        const Vec3 next = square.normalized();
        on[k] = *foot;
        const bool done = (next - way).norm() * w[k] < 1e-10 && (foot->d(0, 0) - (x.edge + w[k] * next)).norm() < 1e-7;
        way = next;
        if (done) break;
        if (i == 59) return false;
      }
    }
    x.radiusMm = (on[1].d(0, 0) - on[0].d(0, 0)).norm() / (2 * std::sin(0.5 * x.turnRad));
    x.centre = x.edge;
    return true;
  }

  void finish(RolledPlace& x, const std::array<NeighbourPlace, 2>& on, double sigma) const {
    const Vec3 across = on[1].d(0, 0) - on[0].d(0, 0);
    x.turnRad = turnBetween(on[0].normal, on[1].normal);
    double tightest = 0;
    for (const size_t k : {0, 1}) {
      x.contact[k] = on[k].d(0, 0);
      x.normal[k] = on[k].normal;
      x.towards[k] = (across - across.dot(on[k].normal) * on[k].normal).normalized();
      x.curvature[k] = normalSection(on[k].d, on[k].normal, x.towards[k]).curvature;
      const PrincipalCurvatures p = principalCurvatures(on[k].d);
      const double turned = p.normal.dot(on[k].normal) < 0 ? -1 : 1;
      tightest = std::max({tightest, sigma * turned * p.k1, sigma * turned * p.k2});
    }
    x.bendLimitMm = tightest > 1e-12 ? 1 / tightest : 1e300;
  }

  const RoundEdge& e_;
  const RoundOptions& o_;
  ArcLength length_;
  bool closed_, tips_;
  double total_;           ///< of the edge, or around tips of the ball's way
  double sigmaTips_ = -1;
  bool varies_ = false; ///< the size along the edge
  std::optional<Spline> guide_;
  std::array<double, 2> beyond_{};
};

} // namespace

namespace {

/// The band between two lengths; all around, smooth at the seam, where they are a whole turn apart.
Expected<Surface> bandBetween(const Roller& roller, double from, double to, bool closed, const RoundOptions& o, double sigma, double fitMm, double& deviationMm) {
  Problem missed;
  CurveFamily family;
  family.curves = 6;
  family.closed = closed;
  std::map<double, std::array<double, 18>> known; // fits come back to the same places
  family.sample = [&](double t, double* out) {
    if (const auto before = known.find(t); before != known.end()) return void(std::copy(before->second.begin(), before->second.end(), out));
    const auto x = roller.at(from + (to - from) * (closed ? t : std::clamp(t, 0.0, 1.0)));
    if (!x) {
      if (missed.code.empty()) missed = x.error();
      std::fill(out, out + 18, 0.0);
      return;
    }
    const auto section = roundSection(o, *x, sigma);
    for (size_t k = 0; k < 6; ++k) Eigen::Map<Vec3>(out + 3 * k, 3) = section[k];
    std::copy(out, out + 18, known[t].begin());
  };
  LeanOptions lean;
  lean.fit = {fitMm};
  lean.firstSpans = 2;
  lean.maxSpans = kMostSpans;
  // Pieces go on in one another: they end in the directions of what they follow.
  constexpr double kEndStep = 1e-3;
  for (const size_t e : {0, 1})
    if (!closed)
      if (auto d = derivativeAtEnd(family.sample, 18, int(e), kEndStep)) lean.endDerivatives[e] = std::move(*d);
  auto fit = fitLean(family, lean);
  if (!missed.code.empty()) return fail(std::move(missed));
  if (!fit) return fail(fit.error());
  const bool flat = o.section == RoundSection::Flat;
  const int across = flat ? 1 : 5;
  Points grid(fit->controls.rows() * (across + 1), 3);
  for (Eigen::Index i = 0; i < fit->controls.rows(); ++i)
    for (int k = 0; k <= across; ++k) grid.row(i * (across + 1) + k) = fit->controls.row(i).segment<3>(3 * (flat ? 5 * k : k));
  deviationMm = std::max(deviationMm, fit->deviationMm);
  return Surface::trusted(fit->degree, across, fit->knots, uniformKnots(across, 1), std::move(grid), closed);
}

/// All of it in one, or in pieces where the edge's curvature jumps: there the pace of the contacts does.
Expected<std::vector<Surface>> bandSurfaces(const Roller& roller, const RoundOptions& o, double sigma, double fitMm, double& deviationMm, const Context&) {
  const Path& path = roller.path();
  auto whole = bandBetween(roller, roller.from(), roller.to(), path.closed(), o, sigma, fitMm, deviationMm);
  if (whole) return std::vector<Surface>{std::move(*whole)};
  if (whole.error().code != "LM-G101" || path.segments().size() < 2 || !path.corners({1.0}).empty()) return fail(whole.error());
  const ArcLength length(path);
  std::vector<double> stops{roller.from()};
  for (size_t k = 1; k < path.segments().size(); ++k) stops.push_back(length.lengthAt(double(k)));
  stops.push_back(roller.to());
  std::vector<Surface> out;
  for (size_t k = 0; k + 1 < stops.size(); ++k) {
    LUMSK_TRY(part, bandBetween(roller, stops[k], stops[k + 1], false, o, sigma, fitMm, deviationMm));
    out.push_back(std::move(part));
  }
  return out;
}

} // namespace

Expected<RoundBand> roundBand(const RoundEdge& edge, const RoundOptions& o, const Context& cx) {
  Roller roller(edge, o, cx.tolerances);
  LUMSK_CHECK(roller.roll(cx));
  LUMSK_TRY(places, roller.walk(cx));
  roller.goBeyond(places);
  roller.takeGuide();
  RoundBand out;
  out.convex = roller.convexAt(0.5 * (roller.from() + roller.to()));
  const double sigma = out.convex ? -1 : 1;
  // As closely as contacts have to be tangent; where that cannot be followed, the figure says it.
  Problem why;
  for (const double share : {1.0, 0.3, 0.08, 0.02}) {
    if (cx.stopped()) return fail(cancelled());
    double deviation = 0;
    auto made = bandSurfaces(roller, o, sigma, share * cx.tolerances.fit.mm, deviation, cx);
    if (!made) {
      if (made.error().code != "LM-G101") return fail(made.error());
      why = made.error();
      continue;
    }
    const double angle = o.section == RoundSection::Flat ? 0 : contactAngleDeg(edge, *made);
    if (out.surfaces.empty() || angle < out.contactDeg) out.surfaces = std::move(*made), out.deviationMm = deviation, out.contactDeg = angle;
    if (out.contactDeg < kContactShare * cx.tolerances.angle.deg) break;
  }
  if (out.surfaces.empty()) return fail(why.at(edge.path->at(0.5 * edge.path->last())));
  for (const size_t e : {0, 1})
    if (o.fades[e]) {
      Surface& s = e ? out.surfaces.back() : out.surfaces.front();
      for (int j = 0; j < s.sizeV(); ++j) s.point(e ? s.sizeU() - 1 : 0, j) = e ? edge.path->end() : edge.path->start();
    }
  for (const size_t k : {0, 1}) {
    std::vector<Segment> along;
    for (const Surface& s : out.surfaces) along.push_back(s.isoV(k == 0 ? s.firstV() : s.lastV()));
    LUMSK_TRY(path, Path::make(std::move(along), cx.tolerances.point));
    out.contacts[k] = std::move(path);
  }
  out.places = std::move(places);
  return out;
}

std::optional<LargestRound> largestRound(const RoundEdge& edge, RoundOptions o, double mostMm, const Context& cx, double fitsMm) {
  constexpr double kWithin = 0.02, kLeastShare = 1e-4;
  double size = 0;
  o.size = [&size](double) { return size; };
  std::optional<Problem> why;
  const auto fits = [&](double mm) {
    size = mm;
    Roller roller(edge, o, cx.tolerances);
    const auto rolled = roller.roll(cx);
    const auto walked = rolled ? roller.walk(cx) : fail(rolled.error());
    if (!walked) why = walked.error();
    return walked.has_value();
  };
  double low = fitsMm, high = mostMm;
  if (fits(high)) return LargestRound{high, {}};
  while (high - low > kWithin * high) {
    const double middle = 0.5 * (low + high);
    if (middle < kLeastShare * mostMm) return {};
    (fits(middle) ? low : high) = middle;
  }
  if (low <= 0) return {};
  return LargestRound{low, *why};
}

} // namespace lumsk::nurbs

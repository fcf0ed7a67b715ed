#include "nurbs/patch/edge_ribbon.h"

#include "nurbs/fit/fit.h"
#include "nurbs/loft/loft_ends.h"
#include "nurbs/patch/quintic_step.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace lumsk::nurbs {

namespace {

constexpr double kPlacePart = 0.3, kThirdPlacePart = 0.018; ///< of `fit`; the latter where the rate of bending is met
constexpr double kJoinPart = 0.1, kBendPart = 0.05, kThirdBendPart = 0.1, kRatePart = 0.2; ///< of what a join may be off
constexpr double kAimed = 0.6;                     ///< of that, with more spans
constexpr double kMostParts = 2;                   ///< of a span at once
constexpr int kFirstSpans = 3, kSamples = 64, kPerSpan = 3, kMostTries = 6;
constexpr size_t kMostSpans = 300;
constexpr double kOverlapDeg = 130;      ///< between the way and how both skins leave
constexpr double kAway = 0.5;            ///< of the way
constexpr double kWithin = 1e-6, kEndReach = 0.35; ///< of the edge
constexpr double kSquareToSkin = 1e-3;   ///< of the way: less of it lies in the skin
constexpr size_t kLeastLooks = 75, kLeastThirdLooks = 120, kToldThirdLooks = 700; ///< of an edge
constexpr double kGolden = 0.6180339887; ///< looks lie elsewhere in every span

class RibbonFitter {
public:
  RibbonFitter(const std::array<RibbonEdge, 2>& edges, bool closed, const Context& cx)
      : edges_(edges), closed_(closed), cx_(cx) {
    Vec3 low = Vec3::Constant(1e300), high = -low;
    for (const RibbonEdge& e : edges_)
      for (int i = 0; i <= 16; ++i) {
        const Vec3 p = e.path->at(e.length->parameterAtFraction(e.share(i / 16.0)));
        low = low.cwiseMin(p), high = high.cwiseMax(p);
      }
    flat_ = 1 / (10 * (high - low).norm());
    for (size_t e : {0u, 1u}) {
      const double step = edges_[e].share(0.4 + kWithin) - edges_[e].share(0.4);
      forward_[e] = (step > 0) == (std::abs(step) < 0.5); // it may pass the start of a closed path there
    }
  }

  Expected<FacingRibbons> run() {
    LUMSK_TRY(breaks, placesAlone());
    FacingRibbons best;
    std::vector<double> bestBreaks;
    double found = 1e300;
    for (int tries = 1; tries <= kMostTries && (tries == 1 || breaks.size() <= kMostSpans); ++tries) {
      if (cx_.stopped()) return fail(cancelled());
      LUMSK_TRY(now, fitted(breaks));
      LUMSK_TRY(errors, measure(now, breaks, third() ? kLeastThirdLooks : kLeastLooks));
      const double worst = *std::max_element(errors.worst.begin(), errors.worst.end());
      if (worst < found) found = worst, best = std::move(now), bestBreaks = breaks;
      if (found <= 1) break;
      breaks = spreadBreaks(breaks, errors.parts);
    }
    // Rates miss at narrow places: what is told comes of more of them than what is fitted.
    if (third() && !bestBreaks.empty()) LUMSK_CHECK(measure(best, bestBreaks, kToldThirdLooks));
    return best;
  }

private:
  /// The spans that the places of both edges need; their neighbours, which cost most, are asked on those.
  Expected<std::vector<double>> placesAlone() const {
    CurveFamily family;
    family.curves = 2;
    family.closed = closed_;
    family.sample = [&](double s, double* out) {
      for (size_t e : {0u, 1u}) Eigen::Map<Vec3>(out + 3 * e, 3) = onEdge(e, s)[0];
    };
    LeanOptions lean;
    lean.degree = kRibbonDegree;
    lean.fit = {placeMm()};
    lean.firstSpans = kFirstSpans;
    lean.baseSamples = kSamples;
    LUMSK_TRY(fit, fitLean(family, lean));
    return fit.breaks;
  }

  bool third() const { return edges_[0].order > 2 || edges_[1].order > 2; }
  double placeMm() const { return (third() ? kThirdPlacePart : kPlacePart) * cx_.tolerances.fit.mm; }

  /// Of an edge by the share of its length.
  struct Place {
    std::array<Vec3, 4> rows{Vec3::Zero(), Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
    Vec3 along;
    std::optional<NeighbourPlace> beside;
  };

  CurveDerivatives onEdge(size_t e, double s) const {
    const RibbonEdge& r = edges_[e];
    CurveDerivatives d;
    // There may be a corner at the ends: the tangent is the one just within them.
    const double within = closed_ ? s : std::clamp(s, kWithin, 1 - kWithin);
    const double t = r.length->parameterAtFraction(r.share(within));
    r.path->derivatives(std::min(t, std::nextafter(r.path->last(), 0.0)), 1, d);
    d[0] = r.path->at(within == s ? t : r.length->parameterAtFraction(r.share(s)));
    d[1] = (forward_[e] ? 1.0 : -1.0) * d[1].normalized();
    return d;
  }

  Expected<const Place*> place(size_t e, double s) {
    const auto known = known_.find(s);
    if (known != known_.end()) return &known->second[e];
    std::array<Place, 2> p;
    std::array<Vec3, 2> direction{Vec3::Zero(), Vec3::Zero()};
    for (size_t k : {0u, 1u}) {
      const CurveDerivatives d = onEdge(k, s);
      p[k].rows[0] = d[0], p[k].along = d[1];
    }
    double unit = 0;
    int ways = 0;
    for (size_t k : {0u, 1u}) {
      const RibbonEdge& r = edges_[k];
      if (r.order == 0) continue;
      const Vec3 at = p[k].rows[0], way = p[1 - k].rows[0] - at;
      if (way.norm() < cx_.tolerances.point.mm)
        return fail(problem("LM-H011", "the two edges touch between their ends")
                        .at(at)
                        .tryThis("take the parts of them that lie apart, or that enclose one room"));
      if (r.plane.isZero()) {
        LUMSK_TRY(beside, placeOn(r.neighbour, at, cx_.tolerances.point, "the edge",
                                  "pick the skin that the edge lies on, or take G0 here"));
        p[k].beside = beside;
        direction[k] = towards(k, s, way, beside.normal, p[k].along);
      } else {
        direction[k] = way.dot(r.plane) * r.plane;
      }
      if (direction[k].norm() < kSquareToSkin * way.norm())
        return fail(problem("LM-L014", "the way to the other edge stands square on what this one is to flow into")
                        .at(at)
                        .tryThis("take G0 here, or another edge"));
      direction[k].normalize();
      unit += arcOver(way, direction[k]), ++ways;
    }
    if (ways == 2 && edges_[0].neighbourLeft != 0 && edges_[1].neighbourLeft != 0) {
      const Vec3 way = p[1].rows[0] - p[0].rows[0];
      const double back = std::min(angleBetweenRad(way, direction[0]), angleBetweenRad(Vec3(-way), direction[1]));
      if (degFromRad(back) > kOverlapDeg)
        return fail(problem("LM-H022", "the skins overlap here: each edge lies behind the other")
                        .measure(millimetres(way.norm()))
                        .at(p[0].rows[0])
                        .at(p[1].rows[0])
                        .tryThis("cut the skins back, pair the edges the other way round, or take parts of them"));
    }
    for (size_t k : {0u, 1u})
      if (edges_[k].order > 0)
        leave(p[k], k, s, direction[k], p[1 - k].rows[0],
              edges_[k].tension * (edges_[k].tensionAlong ? edges_[k].tensionAlong(s) : 1.0) * unit / ways);
    return &(known_[s] = p)[e];
  }

  /// How much an end's border counts at a place: 1 there, nought from a third of the way to the other end on.
  static double nearEnd(double s, size_t end) {
    return quinticStep(1 - (end == 0 ? s : 1 - s) / kEndReach);
  }
  /// In the tangent plane towards the other edge, at the ends as their borders leave it.
  Vec3 towards(size_t k, double s, const Vec3& way, const Vec3& normal, const Vec3& along) {
    const int left = edges_[k].neighbourLeft;
    Vec3 out = leavingWay(way, normal, along, left);
    for (size_t end : {0u, 1u}) {
      const auto& leaving = edges_[k].ends[end];
      const double near = leaving ? nearEnd(s, end) : 0;
      if (near == 0) continue;
      const CurveDerivatives there = onEdge(k, double(end));
      Vec3 free = onEdge(1 - k, double(end))[0] - there[0]; // without the border's say
      if (const auto beside = edges_[k].neighbour(there[0])) free = leavingWay(free, beside->normal, there[1], left);
      out += near * out.norm() * (leaving->direction - free.normalized());
    }
    return out - out.dot(normal) * normal;
  }

  void leave(Place& p, size_t k, double s, const Vec3& d, const Vec3& to, double unit) const {
    const RibbonEdge& r = edges_[k];
    std::array<Vec3, 3> own;
    if (p.beside) {
      const Vec3& n = p.beside->normal;
      // Within the tangent plane normal sections go straight on, borders as they bend.
      Vec3 aside = Vec3::Zero(), turning = Vec3::Zero();
      for (size_t end : {0u, 1u})
        if (const auto& leaving = r.ends[end]; leaving && nearEnd(s, end) > 0) {
          aside += nearEnd(s, end) * leaving->bend;
          turning += nearEnd(s, end) * (leaving->rate + leaving->bend.squaredNorm() * leaving->direction);
        }
      if (aside.isZero() && turning.isZero()) {
        own = continuing(normalSection(p.beside->d, n, d), n, d, unit);
      } else {
        aside -= aside.dot(n) * n, turning -= turning.dot(n) * n;
        const std::array<double, 2> heights = heightsAlong(p.beside->d, n, d, aside);
        const Vec3 bend = aside + heights[0] * n;
        own = {unit * d, unit * unit * bend,
               unit * unit * unit * (turning - bend.squaredNorm() * d + heights[1] * n)};
      }
    } else {
      // Square to the plane as an arc to the other edge, which goes on in its own mirror image.
      const Vec3 way = to - p.rows[0], bent = way - way.dot(d) * d;
      const bool bends = bent.norm() > 0;
      own = continuing({bends ? 2 * bent.norm() / way.squaredNorm() : 0.0, 0.0},
                       bends ? Vec3(bent.normalized()) : d.unitOrthogonal(), d, unit);
    }
    std::copy_n(own.begin(), r.order, p.rows.begin() + 1);
  }

  /// Least squares over places of every span.
  Expected<FacingRibbons> fitted(const std::vector<double>& breaks) {
    std::vector<double> at;
    for (size_t i = 0; i + 1 < breaks.size(); ++i)
      for (int k = 0; k < kPerSpan; ++k) at.push_back(breaks[i] + (breaks[i + 1] - breaks[i]) * k / kPerSpan);
    if (!closed_) at.push_back(1);
    Rows data(Eigen::Index(at.size()), 3 * (2 + edges_[0].order + edges_[1].order));
    for (size_t i = 0; i < at.size(); ++i) {
      Eigen::Index column = 0;
      for (size_t e : {0u, 1u}) {
        LUMSK_TRY(p, place(e, at[i]));
        for (int q = 0; q <= edges_[e].order; ++q, column += 3)
          data.row(Eigen::Index(i)).segment<3>(column) = p->rows[size_t(q)].transpose();
      }
    }
    const LeastSquares squares(kRibbonDegree, breaks, closed_, at);
    const Rows controls = squares.solve(data);
    FacingRibbons out;
    out.knots = squares.knots();
    out.closed = closed_;
    Eigen::Index column = 0;
    for (size_t e : {0u, 1u})
      for (int q = 0; q <= edges_[e].order; ++q, column += 3)
        out.ribbons[e].rows.push_back(controls.middleCols(column, 3));
    return out;
  }

  struct Errors {                     ///< of the spans
    std::vector<double> worst, parts; ///< in parts of what the fit may use; how many spans it should become
  };
  Expected<Errors> measure(FacingRibbons& r, const std::vector<double>& breaks, size_t least) {
    const Surface skin = skinBetween(r);
    const size_t spans = breaks.size() - 1, looks = least / spans + 1;
    Errors errors{std::vector<double>(spans, 0.0), std::vector<double>(spans, 1.0)};
    for (size_t i = 0; i < spans; ++i)
      for (size_t look = 0; look < looks; ++look) {
        const double in = kGolden * double(i + 1) - std::floor(kGolden * double(i + 1));
        const double s = breaks[i] + (breaks[i + 1] - breaks[i]) * (double(look) + in) / double(looks);
        // An error of a k-th derivative along the edge falls with the (degree + 1 - k)-th power of a span's length.
        const auto take = [&](double error, int k) {
          errors.worst[i] = std::max(errors.worst[i], error);
          errors.parts[i] = std::max(errors.parts[i], partsFor(error, kAimed, kRibbonDegree + 1 - k, kMostParts));
        };
        for (size_t e : {0u, 1u}) {
          LUMSK_TRY(p, place(e, s));
          SurfaceDerivatives d;
          skin.derivatives(s, double(e), 3, d);
          const double gap = (d(0, 0) - p->rows[0]).norm();
          EdgeRibbon& ribbon = r.ribbons[e];
          ribbon.gapMm = std::max(ribbon.gapMm, gap);
          take(gap / placeMm(), 0);
          const RibbonEdge& edge = edges_[e];
          if (edge.order == 0) continue;
          const SkinJoin join = p->beside ? joinWith(*p->beside, edge.order, d, p->along, flat_)
                                          : joinWithPlane(edge.plane, edge.order, d, p->along, flat_);
          ribbon.join.take(join, cx_.tolerances);
          take(join.angleDeg / (kJoinPart * cx_.tolerances.angle.deg), 1);
          take(join.curvature / ((third() ? kThirdBendPart : kBendPart) * cx_.tolerances.curvature.relative), 2);
          take(join.rate / (kRatePart * SkinJoin::kRateAllowed), 3);
        }
      }
    return errors;
  }

  const std::array<RibbonEdge, 2>& edges_;
  bool closed_;
  const Context& cx_;
  double flat_ = 1e-3;
  std::array<bool, 2> forward_{true, true};
  std::map<double, std::array<Place, 2>> known_;
};

} // namespace

Vec3 leavingWay(const Vec3& way, const Vec3& normal, const Vec3& along, int neighbourLeft) {
  Vec3 d = way - way.dot(normal) * normal;
  if (neighbourLeft == 0) return d;
  // Never back over the neighbour: its part away from there is made positive, smoothly, and what runs along the edge
  // counts the less the less of it was.
  const Vec3 away = -neighbourLeft * normal.cross(along).normalized();
  const double part = d.dot(away), size = std::hypot(part, kAway * way.norm()), share = 0.5 * (1 + part / size);
  return 0.5 * (part + size) * away + share * share * (d - part * away);
}

Expected<FacingRibbons> facingRibbons(const std::array<RibbonEdge, 2>& edges, bool closed, const Context& cx) {
  return RibbonFitter(edges, closed, cx).run();
}

Surface skinBetween(const FacingRibbons& r) {
  const std::array<int, 2> orders{int(r.ribbons[0].rows.size()) - 1, int(r.ribbons[1].rows.size()) - 1};
  const int degree = orders[0] + orders[1] + 1;
  const Eigen::Index n = r.ribbons[0].rows[0].rows();
  Points grid(n * (degree + 1), 3);
  for (size_t e : {0u, 1u})
    for (int k = 0; k <= orders[e]; ++k) {
      // Control points of a Bezier curve from its derivatives at an end (Farin 2002, 5.3).
      Points row = Points::Zero(n, 3);
      double chosen = 1, factor = 1; // k over j; (degree - j)! / degree!
      for (int j = 0; j <= k; ++j) {
        row += chosen * factor * r.ribbons[e].rows[size_t(j)];
        chosen *= double(k - j) / (j + 1);
        factor /= degree - j;
      }
      for (Eigen::Index i = 0; i < n; ++i) grid.row(i * (degree + 1) + (e ? degree - k : k)) = row.row(i);
    }
  return Surface::trusted(kRibbonDegree, degree, r.knots, uniformKnots(degree, 1), std::move(grid), r.closed);
}

} // namespace lumsk::nurbs

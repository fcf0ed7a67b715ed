#include "nurbs/loft/loft_sides.h"

#include "nurbs/fit/fit.h"
#include "nurbs/fit/spaces.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace lumsk::nurbs {

namespace {

constexpr int kLooks = 53, kSamples = 160;
constexpr double kSpansSeen = 40;  ///< about so many spans a side
constexpr double kFirstShare = 30; ///< of a join's tolerances; then a fifth as much each time
constexpr double kShareStep = 0.2;
constexpr int kMostTries = 6;
constexpr double kJoinPart = 0.5; ///< of what a join may miss: what the fit may use
constexpr double kHelps = 0.7;    ///< a closer fit that leaves more of the miss than this is the last one
constexpr double kHeldPart = 0.3; ///< of `fit`: by how much sections may move when their fit is put right
constexpr int kMostHalved = 4;
constexpr double kSectionPart = 5; ///< of a join's tolerances: what a section may miss, since neighbours are fits too
constexpr double kBendPart = 20;   ///< of the curvature's: a fit within `fit` bends so differently at its border
constexpr double kNoDirectionMm = 1e-9;

Vec3 within(const Vec3& v, const Vec3& normal) { return v - v.dot(normal) * normal; }

class Flowing {
public:
  Flowing(const Surface& s, const LoftSide& side, const LoftAcross& across, const Context& cx)
      : s_(s), side_(side), across_(across), cx_(cx), u_(side.side == FirstU ? s.firstU() : s.lastU()),
        order_(side.flow.kind == Meets::G3   ? 3
               : side.flow.kind == Meets::G2 ? 2
                                               : 1) {
    const Vec3 low = s.grid().colwise().minCoeff().transpose(), high = s.grid().colwise().maxCoeff().transpose();
    size_ = (high - low).norm();
    flat_ = 1 / (10 * size_);
  }

  Expected<Surface> run(SkinJoin& join) {
    if (side_.flow.kind == Meets::Angle) LUMSK_CHECK(findLine());
    LUMSK_CHECK(checkSections());
    double share = kFirstShare;
    Surface best = s_;
    SkinJoin found;
    for (int tries = 1;; ++tries, share *= kShareStep) {
      if (cx_.stopped()) return fail(cancelled());
      LUMSK_TRY(made, once(share));
      const SkinJoin now = measured(made);
      const bool better = tries == 1 || now.worst(cx_.tolerances) < kHelps * found.worst(cx_.tolerances);
      if (tries == 1 || now.worst(cx_.tolerances) < found.worst(cx_.tolerances)) best = std::move(made), found = now;
      if (found.worst(cx_.tolerances) <= kJoinPart || tries == kMostTries || (!better && tries > 2)) break;
    }
    join.take(found, cx_.tolerances);
    return best;
  }

private:
  Expected<void> findLine() {
    Points pts(33, 3);
    for (int i = 0; i <= 32; ++i) pts.row(i) = s_.at(u_, i / 32.0).transpose();
    const PlaneOfPoints plane = fitPlane(pts);
    if (!plane.unique || plane.deviationMm > 10 * cx_.tolerances.point.mm)
      return fail(problem("LM-L005", "a skin can only lean from a side that is planar and curved")
                      .measure(millimetres(plane.deviationMm))
                      .at(s_.at(u_, 0))
                      .tryThis("take a planar guide, or leave this side free"));
    SurfaceDerivatives d;
    s_.derivatives(u_, 0.5, 1, d);
    const double sign = side_.side == FirstU ? 1.0 : -1.0;
    line_ = plane.frame.normal();
    if (line_.dot(sign * d(1, 0)) < 0) line_ = -line_;
    const Vec3 middle = pts.colwise().mean().transpose();
    double out = 0;
    for (double v : {0.1, 0.3, 0.5, 0.7, 0.9}) {
      s_.derivatives(u_, v, 1, d);
      out += d(0, 1).normalized().cross(line_).dot(d(0, 0) - middle);
    }
    outwards_ = out < 0 ? -1.0 : 1.0;
    return {};
  }

  /// Normal of the plane in which the skin has to leave, where its derivatives are d; and the neighbour there.
  struct Wanted {
    Vec3 normal;
    std::optional<NeighbourPlace> beside;
  };
  Expected<Wanted> wanted(const SurfaceDerivatives& d) const {
    if (side_.flow.kind == Meets::Angle) {
      const double a = radFromDeg(side_.flow.angleDeg);
      const Vec3 t = d(0, 1).normalized();
      const Vec3 leaning = std::cos(a) * line_ + std::sin(a) * outwards_ * t.cross(line_);
      return Wanted{t.cross(leaning).normalized(), {}};
    }
    LUMSK_TRY(beside, placeOn(side_.flow.neighbour, d(0, 0), cx_.tolerances.point, name(),
                              "take an edge of that skin as guide, or a curve drawn on it"));
    return Wanted{beside.normal, beside};
  }
  std::string name() const {
    if (!side_.called.empty()) return side_.called;
    return side_.side == FirstU ? "the side at starts" : "the side at ends";
  }

  /// What has to be added to the derivatives of first to third order across the side.
  using Changes = std::array<Vec3, 3>;
  Expected<Changes> changes(double v) {
    if (const auto known = known_.find(v); known != known_.end()) return known->second;
    auto made = changesAt(v);
    if (made) known_[v] = *made;
    return made;
  }
  Expected<Changes> changesAt(double v) const {
    SurfaceDerivatives d;
    s_.derivatives(u_, v, 3, d);
    LUMSK_TRY(w, wanted(d));
    const Vec3& n = w.normal;
    const Vec3 first = pull(v) * within(d(1, 0), n);
    Changes out{Vec3(first - d(1, 0)), Vec3::Zero(), Vec3::Zero()};
    if (order_ < 2 || d(1, 0).norm() < kNoDirectionMm) return out;
    const auto heights = heightsAlong(w.beside->d, n, first, within(d(2, 0), n));
    out[1] = (heights[0] - d(2, 0).dot(n)) * n;
    out[2] = (heights[1] - d(3, 0).dot(n)) * n;
    return out;
  }

  /// The sections say how far the skin goes along its direction; the pull counts between them.
  double pull(double v) const {
    const double factor = side_.flow.pull * (side_.flow.along ? side_.flow.along(v) : 1.0);
    const auto& at = across_.parameters();
    size_t i = 1;
    while (i + 1 < at.size() && v > at[i]) ++i;
    const double x = std::clamp((v - at[i - 1]) / (at[i] - at[i - 1]), 0.0, 1.0), hump = 4 * x * (1 - x);
    return 1 + (factor - 1) * hump * hump * hump;
  }

  /// By the sections themselves: what their fit adds is put right at the side.
  Expected<void> checkSections() const {
    for (size_t i = 0; i < side_.sections.size(); ++i) {
      const CurveDerivatives& c = side_.sections[i];
      const double speed = c[1].norm();
      if (speed < kNoDirectionMm) continue; // a point
      SurfaceDerivatives d;
      s_.derivatives(u_, across_.parameters()[i], 2, d);
      d(0, 0) = c[0];
      LUMSK_TRY(w, wanted(d));
      const std::string who =
          i < side_.sectionsCalled.size() ? side_.sectionsCalled[i] : "section " + std::to_string(i + 1);
      const double turn = degFromRad(std::asin(std::min(1.0, std::abs(c[1].dot(w.normal)) / speed)));
      if (turn > kSectionPart * cx_.tolerances.angle.deg)
        return fail(problem("LM-L029", who + " does not leave " + name() + " in the direction that is asked for")
                        .measure(degrees(turn))
                        .want(degrees(kSectionPart * cx_.tolerances.angle.deg))
                        .at(c[0])
                        .tryThis("match its end to the neighbour, or leave this side free"));
      if (order_ < 2) continue;
      const double has = c[2].dot(w.normal) / (speed * speed);
      const double asked =
          heightsAlong(w.beside->d, w.normal, within(c[1], w.normal), within(c[2], w.normal))[0] / (speed * speed);
      const double off = std::abs(has - asked) / std::max({std::abs(has), std::abs(asked), flat_});
      if (off > kBendPart * cx_.tolerances.curvature.relative)
        return fail(problem("LM-L029", who + " does not bend at " + name() + " as the neighbour does")
                        .measure(ratio(off))
                        .want(ratio(kBendPart * cx_.tolerances.curvature.relative))
                        .at(c[0])
                        .tryThis("match its end to the neighbour with G2, or ask for G1 at this side"));
    }
    return {};
  }

  Expected<Surface> once(double share) {
    const double angle = share * radFromDeg(cx_.tolerances.angle.deg);
    const double bend = share * cx_.tolerances.curvature.relative * flat_,
                 rate = share * SkinJoin::kRateAllowed * flat_ * flat_;
    SurfaceDerivatives d;
    s_.derivatives(u_, 0.5, 1, d);
    const double w = std::max(d(1, 0).norm(), kNoDirectionMm), fit = cx_.tolerances.fit.mm, span = size_ / kSpansSeen;
    const double allowed[3] = {(order_ > 1 ? std::min(angle, bend * span) : angle) * w,
                               (order_ > 2 ? std::min(bend, rate * span) : bend) * w * w, rate * w * w * w};
    CurveFamily family;
    family.curves = order_;
    family.closed = across_.around();
    std::optional<Problem> off;
    family.sample = [&](double v, double* out) {
      const auto c = changes(v);
      if (!c && !off) off = c.error();
      for (int q = 0; q < order_; ++q)
        Eigen::Map<Vec3>(out + 3 * q, 3) = c ? Vec3((*c)[size_t(q)] * (fit / allowed[q])) : Vec3(Vec3::Zero());
    };
    LeanOptions lean;
    lean.fit = {fit};
    lean.baseSamples = kSamples;
    LoftAcross::Space own = across_.space(side_.endOrders);
    lean.degree = std::max(own.degree, s_.degreeV());
    lean.firstBreaks = breaksOf(s_.knotsV(), s_.degreeV(), lean.degree);
    auto fitted = fitLean(family, lean);
    if (off) return fail(std::move(*off));
    if (!fitted)
      return fail(problem("LM-L015", name() + " cannot flow on where its neighbour bends by jumps")
                      .at(s_.at(u_, 0.5))
                      .tryThis("smooth the neighbour, or ask for less at this side"));
    const auto rows = [&](const Rows& changed) {
      Rows add = Rows::Zero(order_ + 1, 3 * changed.rows());
      for (int q = 0; q < order_; ++q)
        for (Eigen::Index j = 0; j < changed.rows(); ++j)
          add.row(q + 1).segment<3>(3 * j) = changed.row(j).segment<3>(3 * q) * (allowed[q] / fit);
      return add;
    };
    // What is left over at ends that stay is left out just there.
    Rows& all = fitted->controls;
    for (int q = 1; q <= side_.endOrders[0] && q < all.rows(); ++q) all.row(q) = all.row(0);
    for (int q = 1; q <= side_.endOrders[1] && q < all.rows(); ++q)
      all.row(all.rows() - 1 - q) = all.row(all.rows() - 1);
    // What the sections ask for themselves is what their fit left over: that is put right near the side.
    const int q = fitted->degree;
    const Knots& V = fitted->knots;
    LUMSK_TRY(free, across_.between(q, V, fitted->controls, side_.endOrders));
    LUMSK_TRY(held, across_.atSections(q, V, fitted->controls, side_.endOrders, LoftAcross::AtEnds::Nothing));
    Surface moved = addedAtSide(withSpaceV(s_, q, V), side_.side, rows(free), side_.keep, EndShape::Smooth);
    roomFor(moved, q, V, rows(held));
    return addedAtSide(moved, side_.side, rows(held), side_.keep, EndShape::Local);
  }

  /// Halves the span at the side until what is put right there hardly moves the sections.
  void roomFor(Surface& s, int q, const Knots& V, const Rows& add) const {
    std::vector<double> size(size_t(add.rows()), 0.0);
    for (double v : across_.parameters())
      for (int k = 1; k < add.rows(); ++k) {
        Vec3 at = Vec3::Zero();
        double N[kMaxDegree + 1];
        const int f = basisFunctions(V, q, v, N);
        for (int j = 0; j <= q; ++j) at += N[j] * add.row(k).segment<3>(3 * (f + j)).transpose();
        size[size_t(k)] = std::max(size[size_t(k)], at.norm());
      }
    for (int halved = 0; halved < kMostHalved; ++halved) {
      const bool first = side_.side == FirstU;
      const auto c = endFunctions(s.degreeU(), s.knotsU(), first, {order_, side_.keep, EndShape::Local});
      double reach = 0;
      for (int k = 1; c && k <= order_; ++k) reach += c->row(k).cwiseAbs().maxCoeff() * size[size_t(k)];
      if (c && reach < kHeldPart * cx_.tolerances.fit.mm) return;
      const auto b = breakpoints(s.knotsU(), s.degreeU());
      s = insertKnotU(s, first ? 0.5 * (b[0] + b[1]) : 0.5 * (b[b.size() - 2] + b.back()));
    }
  }

  SkinJoin measured(const Surface& s) const {
    SkinJoin worst;
    for (int i = 0; i < kLooks; ++i) {
      SurfaceDerivatives d;
      s.derivatives(u_, (i + 0.41) / kLooks, 3, d);
      if (d(1, 0).norm() < kNoDirectionMm) continue;
      if (side_.flow.kind != Meets::Angle) {
        worst.take(joinWith(side_.flow.neighbour, order_, d, d(0, 1), flat_), cx_.tolerances);
        continue;
      }
      SkinJoin j;
      j.at = d(0, 0);
      if (const auto w = wanted(d)) {
        const double turn = degFromRad(angleBetweenRad(d(1, 0).cross(d(0, 1)), w->normal));
        j.angleDeg = std::min(turn, 180 - turn);
      }
      worst.take(j, cx_.tolerances);
    }
    return worst;
  }

  std::map<double, Changes> known_; ///< fits ask for the same places again and again
  const Surface& s_;
  const LoftSide& side_;
  const LoftAcross& across_;
  const Context& cx_;
  double u_;
  int order_;
  double size_ = 1, flat_ = 1e-3;
  Vec3 line_ = Vec3::UnitZ();
  double outwards_ = 1.0;
};

} // namespace

Expected<Surface> flowingOver(const Surface& s, const LoftSide& side, const LoftAcross& across, const Context& cx,
                              SkinJoin& join) {
  return Flowing(s, side, across, cx).run(join);
}

} // namespace lumsk::nurbs

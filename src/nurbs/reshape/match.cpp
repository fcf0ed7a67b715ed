#include "nurbs/reshape/match.h"

#include "nurbs/fit/fit.h"
#include "nurbs/core/gauss.h"
#include "nurbs/loft/loft_across.h"
#include "nurbs/fit/spaces.h"
#include "nurbs/measure/surface_measure.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <map>

namespace lumsk::nurbs {

namespace {

constexpr int kLeastDegree = 3;
constexpr double kJoinPart = 0.5, kGapPart = 0.7; ///< of the tolerances: what the fit may use
constexpr double kHelps = 0.8;                    ///< refinements that leave more of the miss than this do not help
constexpr int kPatience = 3;                      ///< so many of them end the search
constexpr int kMostRounds = 14, kMostMatchSpans = 160, kLeastLooks = 40;
constexpr double kShortestSpan = 0.0015; ///< of a side, that is divided: disagreeing corners need no shorter ones
constexpr int kMostRoom = 40;      ///< knots across, at most
constexpr double kLeastWay = 0.05; ///< of its length: what a derivative across must have within the tangent plane
constexpr double kMostLength = 4;  ///< times: what a side and its target may differ in length
constexpr double kAlignedRad = 0.5, kAlignedSpread = 2.5; ///< rows that go on in one another
constexpr double kOwnParameter = 0.1; ///< shares of length by which parameters may run differently
constexpr int kMovedLooks = 24, kCrossLooks = 33;
constexpr double kCrossNear = 0.05, kCrossLeast = 1e-3; ///< of the largest move; of the side's length

Vec3 within(const Vec3& v, const Vec3& normal) { return v - v.dot(normal) * normal; }
bool alongU(Side side) { return side == FirstV || side == LastV; }
bool last(Side side) { return side == LastU || side == LastV; }

/// A surface with its domain made [0, 1]^2.
Surface unit(const Surface& s) {
  const auto scaled = [](Knots k) {
    const double a = k.front(), w = k.back() - a;
    for (double& x : k) x = (x - a) / w;
    return k;
  };
  return Surface::trusted(s.degreeU(), s.degreeV(), scaled(s.knotsU()), scaled(s.knotsV()), s.grid(), s.closedU());
}

/// Of at least a degree in both directions.
Surface raised(Surface s, int acrossDegree, int alongDegree) {
  if (const int p = s.degreeV(); p < alongDegree) s = withSpaceV(s, alongDegree, raisedKnots(s.knotsV(), p, alongDegree));
  if (const int p = s.degreeU(); p < acrossDegree)
    s = exchanged(withSpaceV(exchanged(s), acrossDegree, raisedKnots(s.knotsU(), p, acrossDegree)));
  return s;
}

/// One side on its way, in a surface that is turned so that u runs across it and v along it.
struct Work {
  const MatchSide* side = nullptr;
  size_t number = 0;
  bool first = true, turned = false;
  int order = 0, far = 1;
  SideLine line;
  std::map<double, MatchPlace> known;
  MatchedSide out;

  /// Where the target's own rows go on in this skin's about as they are: how many times as fast they do.
  std::optional<double> aligned;

  double u() const { return first ? 0.0 : 1.0; }
  Vec3 inwards(const Vec3& odd) const { return first ? odd : Vec3(-odd); } ///< derivatives of odd order
};

class Matcher {
public:
  Matcher(const Surface& s, std::vector<MatchSide> sides, const MatchOptions& o, const Context& cx)
      : given_(unit(s)), sides_(std::move(sides)), o_(o), cx_(cx) {
    const Vec3 low = s.grid().colwise().minCoeff().transpose(), high = s.grid().colwise().maxCoeff().transpose();
    flat_ = 1 / (10 * (high - low).norm());
  }

  Expected<MatchResult> run() {
    Surface s = given_;
    std::vector<Work> done;
    for (const bool turned : {false, true}) {
      std::vector<Work> work;
      for (size_t i = 0; i < sides_.size(); ++i)
        if (alongU(sides_[i].side) == turned) {
          LUMSK_TRY(w, workOf(s, i));
          work.push_back(std::move(w));
        }
      if (work.empty()) continue;
      // What the other pair of sides has been matched to stays.
      if (turned)
        for (const Work& w : done) kept_[w.first ? 0 : 1] = w.order;
      closed_ = turned && s.closedU();
      Surface pair = turned ? exchanged(s) : s;
      LUMSK_CHECK(matchPair(pair, work));
      s = turned ? exchanged(pair, closed_) : pair;
      std::move(work.begin(), work.end(), std::back_inserter(done));
    }
    out_.sides.resize(sides_.size());
    for (Work& w : done) {
      const Surface seen = w.turned ? exchanged(s) : s;
      std::vector<size_t> bad;
      LUMSK_CHECK(measure(seen, w, &w.out.join, &w.out.gapMm, bad));
      out_.sides[w.number] = w.out;
    }
    measureMoves(s);
    out_.foldsAt = firstFold(s);
    out_.surface = std::move(s);
    return std::move(out_);
  }

  /// The figures of its only side before anything moves.
  Expected<MatchedSide> asItIs() const {
    LUMSK_TRY(w, workOf(given_, 0));
    std::vector<size_t> bad;
    LUMSK_CHECK(measure(w.turned ? exchanged(given_) : given_, w, &w.out.before, &w.out.gapBeforeMm, bad));
    return w.out;
  }

private:
  std::string called(const Work& w) const { return o_.called + " " + std::to_string(w.number + 1); }

  Expected<Work> workOf(const Surface& s, size_t i) const {
    const MatchSide& side = sides_[i];
    Work w{&side, i, !last(side.side), alongU(side.side), side.order, 1, SideLine(s, side.side), {}, {}};
    if (w.line.lengthMm() < 10 * cx_.tolerances.point.mm)
      return fail(problem("LM-J003", called(w) + " is one point: it has no direction to meet anything in")
                      .at(w.line.at(0))
                      .tryThis("pick a side that has a length"));
    LUMSK_CHECK(lookAtTarget(w));
    return w;
  }

  /// Lengths, crossings, and what kind of target it is.
  Expected<void> lookAtTarget(Work& w) const {
    std::vector<Vec3> moves;
    Vec3 before = Vec3::Zero();
    double most = 0;
    for (int i = 0; i < kCrossLooks; ++i) {
      const double share = double(i) / (kCrossLooks - 1);
      const Vec3 now = w.line.at(share);
      LUMSK_TRY(t, w.side->target({share, w.line.parameterAt(share), now}));
      if (i > 0) w.out.targetMm += (t.at - before).norm();
      before = t.at;
      moves.push_back(t.at - now);
      most = std::max(most, moves.back().norm());
      if (t.plane && i == 0 && w.order < 3) w.order = std::min(w.order, 1); // bent alike by reflection
    }
    w.out.lengthMm = w.line.lengthMm();
    const double ratioOf = w.out.targetMm / w.out.lengthMm;
    if (!(ratioOf > 1 / kMostLength && ratioOf < kMostLength))
      return fail(problem("LM-J002", called(w) + " and what it is to meet are of very different length")
                      .measure(millimetres(w.out.targetMm))
                      .want(millimetres(w.out.lengthMm))
                      .at(w.line.at(0.5))
                      .tryThis("take a part of the longer one, or let it go to the nearest places"));
    for (size_t i = 1; i + 1 < moves.size() && most > kCrossLeast * w.out.lengthMm; ++i)
      if (moves[i].norm() < kCrossNear * most && moves.front().dot(moves.back()) < 0 && !w.out.crossesAt)
        w.out.crossesAt = w.line.at(double(i) / (kCrossLooks - 1));
    return {};
  }

  /// Where a place of the side has to go.
  Expected<MatchPlace> target(Work& w, double v) const {
    if (const auto known = w.known.find(v); known != w.known.end()) return known->second;
    LUMSK_TRY(place, w.side->target({w.line.shareAt(v), v, w.line.place(v).at}));
    w.known[v] = place;
    return place;
  }

  Expected<void> matchPair(Surface& s, std::vector<Work>& work) {
    int most = 0;
    for (const Work& w : work) most = std::max(most, w.order);
    s = raised(s, std::max(kLeastDegree, most), kLeastDegree);
    const int across = s.sizeU(), along = s.sizeV();
    for (Work& w : work) {
      std::vector<size_t> bad;
      LUMSK_CHECK(measure(s, w, &w.out.before, &w.out.gapBeforeMm, bad));
      w.far = work.size() > 1 ? (&w == &work[0] ? work[1] : work[0]).order
                              : o_.far.value_or(std::clamp(across - w.order - 2, 1, 3));
      w.out.far = w.far;
    }
    for (const Work& w : work) LUMSK_CHECK(makeRoom(s, w));
    if (std::all_of(work.begin(), work.end(), [&](Work& w) { return findAlignment(s, w); })) {
      // Of the same spaces nothing has to be inserted.
      LUMSK_TRY(made, changed(s, work));
      LUMSK_TRY(miss, missOf(made, work));
      if (miss.first <= 1) {
        s = std::move(made);
        out_.insertedAcross += s.sizeU() - across;
        return {};
      }
    }
    for (Work& w : work) w.aligned.reset();
    Surface best = s;
    double found = 1e300;
    int idle = 0;
    for (int round = 0; round < kMostRounds; ++round) {
      if (cx_.stopped()) return fail(cancelled());
      LUMSK_TRY(made, changed(s, work));
      LUMSK_TRY(miss, missOf(made, work));
      auto& [worst, bad] = miss;
      idle = worst < kHelps * found ? 0 : idle + 1;
      if (worst < found) found = worst, best = std::move(made);
      const std::vector<double> b = breakpoints(s.knotsV(), s.degreeV());
      if (worst <= 1 || idle >= kPatience || int(b.size() + bad.size()) > kMostMatchSpans) break;
      bool divided = false;
      for (size_t k : bad)
        if (b[k + 1] - b[k] > kShortestSpan) divided = true, s = insertKnotV(s, 0.5 * (b[k] + b[k + 1]));
      if (!divided) break;
    }
    s = std::move(best);
    out_.insertedAcross += s.sizeU() - across;
    out_.insertedAlong += s.sizeV() - along;
    return {};
  }

  /// The worst of all sides, in parts of what the fit may use, and the spans that are worse than that.
  Expected<std::pair<double, std::vector<size_t>>> missOf(const Surface& s, std::vector<Work>& work) const {
    std::pair<double, std::vector<size_t>> out{0.0, {}};
    for (Work& w : work) {
      SkinJoin join;
      double gap = 0;
      LUMSK_TRY(here, measure(s, w, &join, &gap, out.second));
      out.first = std::max(out.first, here);
    }
    std::sort(out.second.begin(), out.second.end());
    out.second.erase(std::unique(out.second.begin(), out.second.end()), out.second.end());
    return out;
  }

  bool findAlignment(const Surface& s, Work& w) const {
    if (w.order == 0) return true;
    double low = 1e300, high = 0;
    for (int i = 0; i < kCrossLooks; ++i) {
      const double v = (i + 0.5) / kCrossLooks;
      SurfaceDerivatives d;
      s.derivatives(w.u(), v, 1, d);
      const auto t = target(w, v);
      if (!t || !t->across) return false;
      const Vec3 own = w.inwards(d(1, 0)), its = (*t->across)[0];
      if (angleBetweenRad(within(own, t->beside->normal), its) > kAlignedRad) return false;
      const double times = own.norm() / its.norm();
      low = std::min(low, times), high = std::max(high, times);
    }
    if (high > kAlignedSpread * low) return false;
    w.aligned = std::sqrt(low * high);
    return true;
  }

  EndFunctionOptions fading(const Work& w) const {
    return {w.order, {}, EndShape::Smooth, w.far, w.side->reach, false};
  }

  Expected<void> makeRoom(Surface& s, const Work& w) const {
    for (int tries = 0; tries < kMostRoom; ++tries) {
      if (endFunctions(s.degreeU(), s.knotsU(), w.first, fading(w))) return {};
      std::vector<double> b = breakpoints(s.knotsU(), s.degreeU());
      if (!w.first)
        for (double& x : b) x = 1 - x;
      if (!w.first) std::reverse(b.begin(), b.end());
      // A knot where the change is to end, then the longest spans before it are halved.
      const double reach = std::min(w.side->reach, 1.0);
      double at = reach;
      const bool there = std::any_of(b.begin(), b.end(), [&](double x) { return x > 0.7 * reach && x <= reach; });
      if (there) {
        double longest = 0;
        for (size_t k = 0; k + 1 < b.size() && b[k + 1] <= reach + 1e-9; ++k)
          if (b[k + 1] - b[k] > longest * (1 + 1e-9)) longest = b[k + 1] - b[k], at = 0.5 * (b[k] + b[k + 1]);
      }
      s = insertKnotU(s, w.first ? at : 1 - at);
    }
    return fail(problem("LM-J004", called(w) + " has no room to change within its reach")
                    .measure(ratio(w.side->reach))
                    .at(w.line.at(0.5))
                    .tryThis("let the change reach further"));
  }

  /// What has to be added to the derivatives across the side, of order 0 to its own.
  Expected<std::array<Vec3, 4>> change(const Surface& s, Work& w, double v) const {
    SurfaceDerivatives d;
    s.derivatives(w.u(), v, 3, d);
    LUMSK_TRY(t, target(w, v));
    std::array<Vec3, 4> out{Vec3(t.at - d(0, 0)), Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
    if (w.order == 0) return out;
    if (w.aligned) {
      for (int k = 1; k <= 3; ++k) {
        const Vec3 its = std::pow(*w.aligned, k) * (*t.across)[size_t(k) - 1];
        out[size_t(k)] = (k % 2 ? w.inwards(its) : its) - d(k, 0);
      }
      return out;
    }
    const Vec3& n = t.plane ? *t.plane : t.beside->normal;
    const double way = d(1, 0).norm();
    const Vec3 flat = t.plane ? Vec3(d(1, 0).dot(n) * n) : within(d(1, 0), n);
    if (!(flat.norm() > kLeastWay * way))
      return fail(problem("LM-J001", t.plane ? called(w) + ": the skin runs along the plane that it is to meet squarely"
                                             : called(w) + ": the skin stands square on what it is to flow into")
                      .at(t.at)
                      .tryThis("turn the skin towards its target first, or let it meet with G0"));
    const Vec3 first = flat * (way / flat.norm());
    out[1] = first - d(1, 0);
    if (t.plane) {
      // Even about the plane.
      out[2] = -d(2, 0).dot(n) * n;
      out[3] = d(3, 0).dot(n) * n - d(3, 0);
      return out;
    }
    const auto heights = heightsAlong(t.beside->d, n, first, within(d(2, 0), n));
    out[2] = (heights[0] - d(2, 0).dot(n)) * n;
    out[3] = (heights[1] - d(3, 0).dot(n)) * n;
    return out;
  }

  Expected<Surface> changed(const Surface& s, std::vector<Work>& work) const {
    const int p = s.degreeV();
    const std::vector<double> b = breakpoints(s.knotsV(), p);
    std::vector<double> t;
    for (size_t k = 0; k + 1 < b.size(); ++k)
      for (int i = 0; i < p + 3; ++i) t.push_back(b[k] + (b[k + 1] - b[k]) * i / (p + 3));
    if (!closed_) t.push_back(1.0);
    std::array<int, 2> given{kept_[0].value_or(0), kept_[1].value_or(0)};
    const LeastSquares fit(p, breaksOf(s.knotsV(), p, p), closed_, t, 0.0, given);
    Surface out = s;
    for (Work& w : work) {
      const int columns = 3 * (w.order + 1);
      Rows data(Eigen::Index(t.size()), columns);
      for (size_t i = 0; i < t.size(); ++i) {
        LUMSK_TRY(c, change(s, w, t[i]));
        for (int k = 0; k <= w.order; ++k) data.row(Eigen::Index(i)).segment<3>(3 * k) = c[size_t(k)].transpose();
      }
      if (kept_[0]) data.topRows(1).setZero();
      if (kept_[1]) data.bottomRows(1).setZero();
      const Rows along = fit.solve(data, {Rows(Rows::Zero(given[0], columns)), Rows(Rows::Zero(given[1], columns))});
      const auto fade = endFunctions(s.degreeU(), s.knotsU(), w.first, fading(w));
      for (int i = 0; i < s.sizeU(); ++i)
        for (int j = 0; j < s.sizeV(); ++j)
          for (int k = 0; k <= w.order; ++k)
            out.point(i, j) += (*fade)(k, i) * along.row(j).segment<3>(3 * k);
    }
    return out;
  }

  /// In parts of what the fit may use; spans that are worse are added to `bad`.
  Expected<double> measure(const Surface& s, Work& w, SkinJoin* join, double* gapMm, std::vector<size_t>& bad) const {
    const std::vector<double> b = breakpoints(s.knotsV(), s.degreeV());
    const int looks = std::max(4, int(std::ceil(kLeastLooks / double(b.size() - 1))));
    double worst = 0;
    *join = {};
    *gapMm = 0;
    for (size_t k = 0; k + 1 < b.size(); ++k) {
      double here = 0;
      for (int i = 0; i < looks; ++i) {
        const double v = b[k] + (b[k + 1] - b[k]) * (i + 0.29) / looks;
        LUMSK_TRY(t, target(w, v));
        SurfaceDerivatives d;
        s.derivatives(w.u(), v, 3, d);
        const double gap = (d(0, 0) - t.at).norm();
        if (gap > *gapMm) *gapMm = gap, w.out.gapAt = d(0, 0);
        here = std::max(here, gap / (kGapPart * cx_.tolerances.fit.mm));
        if (w.order == 0) continue;
        const Vec3 along = d(0, 1).normalized();
        const SkinJoin j = t.plane ? joinWithPlane(*t.plane, w.order, d, along, flat_)
                                   : joinWith(*t.beside, w.order, d, along, flat_);
        join->take(j, cx_.tolerances);
        here = std::max(here, j.worst(cx_.tolerances) / kJoinPart);
      }
      if (here > 1) bad.push_back(k);
      worst = std::max(worst, here);
    }
    return worst;
  }

  void measureMoves(const Surface& s) {
    for (int i = 0; i <= kMovedLooks; ++i)
      for (int j = 0; j <= kMovedLooks; ++j) {
        const double u = double(i) / kMovedLooks, v = double(j) / kMovedLooks;
        const Vec3 now = s.at(u, v);
        if (const double moved = (now - given_.at(u, v)).norm(); moved > out_.movedMm)
          out_.movedMm = moved, out_.movedAt = now;
      }
  }

  const Surface given_;
  const std::vector<MatchSide> sides_;
  const MatchOptions& o_;
  const Context& cx_;
  double flat_ = 1e-3;
  bool closed_ = false;                    ///< along the sides at hand
  std::array<std::optional<int>, 2> kept_; ///< orders at both ends of the sides at hand
  MatchResult out_;
};

} // namespace

SideLine::SideLine(const Surface& s, Side side) : surface_(unit(s)), side_(side) {
  breaks_ = alongU(side) ? breakpoints(surface_.knotsU(), s.degreeU()) : breakpoints(surface_.knotsV(), s.degreeV());
  for (size_t k = 0; k + 1 < breaks_.size(); ++k) base_.push_back(base_.back() + inSpan(k, breaks_[k + 1]));
}

Vec2 SideLine::uv(double t) const {
  const Surface& s = surface_;
  if (alongU(side_)) return {t, last(side_) ? s.lastV() : s.firstV()};
  return {last(side_) ? s.lastU() : s.firstU(), t};
}

/// One rule from the span's start, so that lengths are smooth in spans.
double SideLine::inSpan(size_t k, double t) const {
  static const GaussRule rule = gaussLegendre(7);
  double sum = 0;
  SurfaceDerivatives d;
  for (size_t i = 0; i < rule.at.size(); ++i) {
    const Vec2 x = uv(breaks_[k] + (t - breaks_[k]) * rule.at[i]);
    surface_.derivatives(x.x(), x.y(), 1, d);
    sum += rule.weight[i] * (t - breaks_[k]) * (alongU(side_) ? d(1, 0) : d(0, 1)).norm();
  }
  return sum;
}

double SideLine::lengthMm() const { return base_.back(); }

double SideLine::shareAt(double t) const {
  size_t k = 0;
  while (k + 2 < breaks_.size() && t >= breaks_[k + 1]) ++k;
  return std::clamp((base_[k] + inSpan(k, t)) / base_.back(), 0.0, 1.0);
}

double SideLine::parameterAt(double share) const {
  double low = breaks_.front(), high = breaks_.back(), t = low + (high - low) * share;
  for (int i = 0; i < 60 && high - low > 1e-14; ++i) {
    const double miss = shareAt(t) - share;
    (miss > 0 ? high : low) = t;
    if (std::abs(miss) < 1e-13) break;
    const Vec2 x = uv(t);
    SurfaceDerivatives d;
    surface_.derivatives(x.x(), x.y(), 1, d);
    const double slope = (alongU(side_) ? d(1, 0) : d(0, 1)).norm() / base_.back();
    const double next = t - miss / slope;
    t = next > low && next < high ? next : 0.5 * (low + high);
  }
  return t;
}

Vec3 SideLine::at(double share) const {
  const Vec2 x = uv(parameterAt(share));
  return surface_.at(x.x(), x.y());
}

MatchPlace SideLine::place(double t) const {
  const Vec2 x = uv(t);
  NeighbourPlace n;
  surface_.derivatives(x.x(), x.y(), 3, n.d);
  n.normal = surface_.normal(x.x(), x.y());
  const double away = last(side_) ? 1 : -1;
  const auto across = [&](int k) { return alongU(side_) ? n.d(0, k) : n.d(k, 0); };
  return {n.d(0, 0), n, {}, std::array<Vec3, 3>{Vec3(away * across(1)), across(2), Vec3(away * across(3))}};
}

MatchTarget ontoSide(const SideLine& target, const SideLine& of) {
  const bool turned = (of.at(0) - target.at(0)).norm() + (of.at(1) - target.at(1)).norm() >
                      (of.at(0) - target.at(1)).norm() + (of.at(1) - target.at(0)).norm();
  const auto other = [turned](double x) { return turned ? 1 - x : x; };
  bool own = true;
  for (double x : {0.15, 0.3, 0.5, 0.7, 0.85})
    own = own && std::abs(other(target.shareAt(other(x))) - of.shareAt(x)) < kOwnParameter;
  return [target, other, own](const OnMatchSide& p) {
    return target.place(own ? other(p.parameter) : target.parameterAt(other(p.share)));
  };
}

namespace {

/// Coefficients of x^a y^b, a + b <= 3, in this order.
using Cubic = std::array<double, 10>;
constexpr int kA[] = {0, 1, 0, 2, 1, 0, 3, 2, 1, 0}, kB[] = {0, 0, 1, 0, 1, 2, 0, 1, 2, 3};

int place(int a, int b) { return (a + b) * (a + b + 1) / 2 + b; }

Cubic product(const Cubic& f, const Cubic& g) {
  Cubic out{};
  for (int i = 0; i < 10; ++i)
    for (int j = 0; j < 10; ++j)
      if (kA[i] + kB[i] + kA[j] + kB[j] <= 3) out[size_t(place(kA[i] + kA[j], kB[i] + kB[j]))] += f[size_t(i)] * g[size_t(j)];
  return out;
}

/// The surface as heights over the plane of x and y: to third order its own.
Cubic heightsOver(const SurfaceDerivatives& d, const Vec3& x, const Vec3& y, const Vec3& n) {
  constexpr double kFactorial[] = {1, 1, 2, 6};
  Cubic X{}, Y{}, H{};
  for (int i = 1; i < 10; ++i) {
    const Vec3 c = d(kA[i], kB[i]) / (kFactorial[kA[i]] * kFactorial[kB[i]]);
    X[size_t(i)] = c.dot(x), Y[size_t(i)] = c.dot(y), H[size_t(i)] = c.dot(n);
  }
  Eigen::Matrix<double, 9, 9> A;
  Eigen::Matrix<double, 9, 1> h;
  for (int m = 1; m < 10; ++m) {
    Cubic term{1};
    for (int k = 0; k < kA[m]; ++k) term = product(term, X);
    for (int k = 0; k < kB[m]; ++k) term = product(term, Y);
    for (int i = 1; i < 10; ++i) A(i - 1, m - 1) = term[size_t(i)];
  }
  for (int i = 1; i < 10; ++i) h[i - 1] = H[size_t(i)];
  const Eigen::Matrix<double, 9, 1> c = A.partialPivLu().solve(h);
  Cubic out{};
  for (int i = 1; i < 10; ++i) out[size_t(i)] = c[i - 1];
  return out;
}

} // namespace

NeighbourPlace between(const NeighbourPlace& a, const NeighbourPlace& b) {
  const Vec3 n = (a.normal + (a.normal.dot(b.normal) < 0 ? -1.0 : 1.0) * b.normal).normalized();
  const Vec3 x = within(a.d(1, 0), n).normalized(), y = n.cross(x);
  const Cubic first = heightsOver(a.d, x, y, n), second = heightsOver(b.d, x, y, n);
  constexpr double kFactorial[] = {1, 1, 2, 6};
  NeighbourPlace out;
  for (int i = 1; i < 10; ++i)
    out.d(kA[i], kB[i]) =
        0.5 * (first[size_t(i)] + second[size_t(i)]) * kFactorial[kA[i]] * kFactorial[kB[i]] * n;
  out.d(0, 0) = 0.5 * (a.d(0, 0) + b.d(0, 0));
  out.d(1, 0) += x;
  out.d(0, 1) += y;
  out.normal = out.d(1, 0).cross(out.d(0, 1)).normalized();
  return out;
}

Expected<MatchResult> matchSides(const Surface& surface, const std::vector<MatchSide>& sides,
                                 const MatchOptions& options, const Context& cx) {
  return Matcher(surface, sides, options, cx).run();
}

Expected<MatchedBoth> matchBoth(const Surface& first, MatchSide a, const Surface& second, MatchSide b,
                                const MatchOptions& options, const Context& cx) {
  const SideLine of(first, a.side), to(second, b.side);
  const MatchTarget toSecond = ontoSide(to, of), toFirst = ontoSide(of, to);
  const auto middle = [](const MatchTarget& target, const SideLine& own) -> MatchTarget {
    return [target, own](const OnMatchSide& p) -> Expected<MatchPlace> {
      LUMSK_TRY(there, target(p));
      const NeighbourPlace m = between(*own.place(p.parameter).beside, *there.beside);
      return MatchPlace{m.d(0, 0), m, {}};
    };
  };
  a.target = middle(toSecond, of);
  b.target = middle(toFirst, to);
  MatchedBoth out;
  LUMSK_TRY(firstMoved, matchSides(first, {a}, options, cx));
  LUMSK_TRY(secondMoved, matchSides(second, {b}, options, cx));
  a.target = ontoSide(SideLine(secondMoved.surface, b.side), SideLine(firstMoved.surface, a.side));
  LUMSK_TRY(closed, matchSides(firstMoved.surface, {a}, options, cx));
  a.target = toSecond;
  LUMSK_TRY(before, Matcher(first, {a}, options, cx).asItIs());
  closed.sides[0].before = before.before;
  closed.sides[0].gapBeforeMm = before.gapBeforeMm;
  closed.insertedAcross += firstMoved.insertedAcross;
  closed.insertedAlong += firstMoved.insertedAlong;
  closed.movedMm = firstMoved.movedMm;
  closed.movedAt = firstMoved.movedAt;
  out.first = std::move(closed);
  out.second = std::move(secondMoved);
  return out;
}

} // namespace lumsk::nurbs

#include "nurbs/network.h"

#include "nurbs/fit.h"
#include "nurbs/interpolate.h"
#include "nurbs/monotone.h"
#include "nurbs/network_carry.h"
#include "nurbs/network_sides.h"
#include "nurbs/spaces.h"
#include "nurbs/surface_curves.h"

#include <Eigen/SVD>
#include <algorithm>
#include <cmath>
#include <optional>

namespace lumsk::nurbs {

namespace {

constexpr int kManySpans = 12; ///< beyond those of the crossings
constexpr double kSpareSpread = 0.01; ///< own parameters may agree so much less at the crossings than arc lengths
constexpr double kUnevenSpeed = 6.0;  ///< and must not run faster than this times their slowest

/// A curve of the continued network: one of the network's own, or a mirror image of it.
struct Member {
  int own = 0;  ///< place in the family
  int copy = 0; ///< 0: itself; -1: before the first mirror, 1: behind the last
};

/// A stretch of one direction between corners.
struct Strip {
  int first = 0, last = 0; ///< members of the other family that cross it, ends included
  std::vector<double> at;  ///< their parameters over [0, 1]
  bool closed = false;
  std::vector<std::optional<MonotoneMap>> length; ///< of each own curve: parameter to measure; poles have none
  LeanFit fit;
  std::vector<Rows> curve; ///< control points of each member, n x 3; of a pole all one point
  Rows cardinal;           ///< one row a crossing: the function that is 1 there and 0 at the others
};

/// One family with what it is placed along.
struct Family {
  const std::vector<SortedCurve>* curves = nullptr;
  std::vector<Member> members;
  Mirrors ends; ///< continue its curves
  std::vector<Strip> strips;
  /// Curves are run through by their own parameters where these are even and agree at the crossings as well as arc
  /// lengths do: what is a polynomial stays one, and of lines of one surface the skin is that surface more closely.
  bool ownParameter = false;

  const SortedCurve& curve(const Member& m) const { return (*curves)[size_t(m.own) % curves->size()]; }
};

class Networker {
public:
  Networker(const std::vector<NetworkCurve>& curves, const NetworkOptions& o, const Context& cx, bool carried = false)
      : curves_(curves), o_(o), cx_(cx), carried_(carried) {}

  Expected<NetworkResult> run() {
    for (const auto& c : curves_) lengths_.emplace_back(c.path);
    LUMSK_TRY(sorted, sortNetwork(curves_, lengths_, o_.largestGap, cx_.tolerances));
    net_ = std::move(sorted);
    if (!net_.unfinished.empty() && carried_)
      return fail(problem("LM-N015", "curve " + std::to_string(net_.unfinished.front() + 1) +
                                         ", carried on, misses the curves that it should cross")
                      .at(curves_[size_t(net_.unfinished.front())].path.end())
                      .tryThis("extend it over them, or take it out"));
    if (!net_.unfinished.empty()) return finished();
    LUMSK_CHECK(sides_.find());
    rows_.ends = sides_.ofRows();
    columns_.ends = sides_.ofColumns();
    rows_.curves = &net_.rows;
    columns_.curves = &net_.columns;
    columns_.members = continued(int(net_.columns.size()) + net_.closed, rows_.ends);
    rows_.members = continued(int(net_.rows.size()), columns_.ends);
    for (Family* f : {&rows_, &columns_}) {
      chooseParameter(*f);
      LUMSK_CHECK(cut(*f));
    }
    // What the two families leave of each other's errors adds up: fitted more closely until the sum is close enough.
    for (fit_ = cx_.tolerances.fit.mm;; fit_ *= 0.5) {
      LUMSK_CHECK(build());
      if (out_.deviationMm <= cx_.tolerances.fit.mm + net_.largestGapMm + o_.follow.mm ||
          fit_ < 0.02 * cx_.tolerances.fit.mm)
        break;
    }
    out_.sorted = std::move(net_);
    for (const auto& plane : {rows_.ends.first, rows_.ends.last, columns_.ends.first, columns_.ends.last})
      if (plane && !out_.mirror) out_.mirror = plane;
    return std::move(out_);
  }

private:
  /// The network with curves carried on that end within it, over the skin through the others.
  Expected<NetworkResult> finished() const {
    std::vector<NetworkCurve> others = curves_;
    for (int k : net_.unfinished) others[size_t(k)].leftOut = true;
    NetworkOptions plain = o_;
    plain.flows = {};
    plain.follow = {0.0};
    LUMSK_TRY(base, network(others, plain, cx_));
    LUMSK_TRY(carried, carriedOn(curves_, net_.unfinished, base, o_.largestGap, cx_.tolerances));
    std::vector<NetworkCurve> all = curves_;
    for (const NetworkCarried& c : carried) all[size_t(c.curve)].path = c.path;
    Networker again(all, o_, cx_, true);
    LUMSK_TRY(out, again.run());
    out.carried.insert(out.carried.end(), carried.begin(), carried.end());
    return out;
  }

  static std::vector<Member> continued(int n, const Mirrors& m) {
    std::vector<Member> out;
    for (int i = n - 1; i > 0 && m.first; --i) out.push_back({i, -1});
    for (int i = 0; i < n; ++i) out.push_back({i, 0});
    for (int i = n - 2; i >= 0 && m.last; --i) out.push_back({i, 1});
    return out;
  }

  // Places of crossings

  bool isRows(const Family& f) const { return &f == &rows_; }
  const Family& other(const Family& f) const { return isRows(f) ? columns_ : rows_; }
  const GridPoint& grid(int row, int column) const { return net_.grid[size_t(row)][size_t(column)]; }
  const GridPoint& grid(const Family& f, int own, int place) const {
    return isRows(f) ? grid(own, place) : grid(place, own);
  }
  int ownPlaces(const Family& f) const { return int(isRows(f) ? net_.grid[0].size() : net_.grid.size()); }
  Vec3 at(const Member& row, const Member& column) const {
    return columns_.ends.image(rows_.ends.image(grid(row.own, column.own).at, column.copy), row.copy);
  }

  /// The curve's own parameter at an arc length, both run through in the direction of use and scaled to the length.
  double fromLength(const SortedCurve& c, double s) const {
    const ArcLength& l = lengths_[size_t(c.index)];
    const double L = l.total(), turns = std::floor(s / L * (1 - 1e-15)), r = s - turns * L;
    const double t = l.parameterAt(c.reversed ? L - r : r) / curves_[size_t(c.index)].path.last();
    return L * (turns + (c.reversed ? 1 - t : t));
  }

  /// Measure of an own curve at its crossing with an own curve of the other family.
  double measure(const Family& f, int own, int place) const {
    const GridPoint& g = grid(f, own, place);
    const double s = isRows(f) ? g.along : g.across;
    return f.ownParameter ? fromLength((*f.curves)[size_t(own)], s) : s;
  }
  /// The same for any member of the other family, continued beyond the mirrors.
  double measure(const Family& f, int own, const Member& place) const {
    const double m = measure(f, own, place.own);
    if (place.copy == 0) return m;
    return 2 * measure(f, own, place.copy < 0 ? 0 : ownPlaces(f) - 1) - m;
  }

  /// Point of an own curve at a measure, continued beyond the mirrors.
  Vec3 pointAt(const Family& f, int own, double s) const {
    const SortedCurve& c = (*f.curves)[size_t(own)];
    int copy = 0;
    if (const double a = measure(f, own, 0); f.ends.first && s < a) s = 2 * a - s, copy = -1;
    if (const double b = measure(f, own, ownPlaces(f) - 1); f.ends.last && s > b) s = 2 * b - s, copy = 1;
    const ArcLength& l = lengths_[size_t(c.index)];
    const Path& p = curves_[size_t(c.index)].path;
    if (c.reversed) s = l.total() - s;
    if (p.closed()) s -= l.total() * std::floor(s / l.total());
    s = std::clamp(s, 0.0, l.total());
    return f.ends.image(p.at(f.ownParameter ? s / l.total() * p.last() : l.parameterAt(s)), copy);
  }

  /// How much the shares at the crossings differ from curve to curve.
  double spread(const Family& f) const {
    const int n = ownPlaces(f);
    double worst = 0;
    for (int p = 1; p + 1 < n; ++p) {
      double low = 1, high = 0;
      for (size_t k = 0; k < f.curves->size(); ++k) {
        if ((*f.curves)[k].index < 0) continue;
        const double a = measure(f, int(k), 0), b = measure(f, int(k), n - 1);
        const double share = (measure(f, int(k), p) - a) / (b - a);
        low = std::min(low, share), high = std::max(high, share);
      }
      worst = std::max(worst, high - low);
    }
    return worst;
  }

  void chooseParameter(Family& f) const {
    for (const SortedCurve& c : *f.curves)
      if (c.index >= 0 && (curves_[size_t(c.index)].path.segments().size() != 1 || unevenSpeed(c))) return;
    const double byLength = spread(f);
    f.ownParameter = true;
    f.ownParameter = spread(f) <= byLength + kSpareSpread;
  }

  bool unevenSpeed(const SortedCurve& c) const {
    double low = 1e300, high = 0;
    const Path& p = curves_[size_t(c.index)].path;
    CurveDerivatives d;
    for (int i = 0; i <= 64; ++i) {
      p.derivatives(std::min(p.last() * i / 64, p.last() - 1e-9), 1, d);
      low = std::min(low, d[1].norm()), high = std::max(high, d[1].norm());
    }
    return high > kUnevenSpeed * low;
  }

  // Strips

  /// Cuts a family at the places where its curves have corners, and gives every strip its parameters.
  Expected<void> cut(Family& f) const {
    const std::vector<Member>& places = other(f).members;
    const int n = int(places.size());
    std::vector<bool> corner(size_t(ownPlaces(f)), false);
    for (size_t k = 0; k < f.curves->size(); ++k)
      if ((*f.curves)[k].index >= 0) LUMSK_CHECK(markCorners(f, int(k), corner));
    const bool around = isRows(f) && net_.closed, any = std::find(corner.begin(), corner.end(), true) != corner.end();
    if (around && any && !corner.front())
      return fail(problem("LM-N008", "closed curves with corners need the first curve of the other family through one")
                      .at(grid(0, 0).at)
                      .tryThis("pick a curve through the corners before the others"));
    int first = 0;
    for (int p = 1; p < n; ++p) {
      // At a mirror plane the curves go on smoothly.
      const int own = places[size_t(p)].own;
      const bool inside = own > 0 && own + 1 < ownPlaces(f);
      if (p != n - 1 && !(inside && corner[size_t(own)])) continue;
      Strip s;
      s.first = first;
      s.last = p;
      s.closed = around && !any;
      s.at = parametersOf(f, first, p);
      LUMSK_CHECK(mapLengths(f, s));
      f.strips.push_back(std::move(s));
      first = p;
    }
    return {};
  }

  /// Marks the crossings that lie in corners of a curve.
  Expected<void> markCorners(const Family& f, int own, std::vector<bool>& corner) const {
    const SortedCurve& c = (*f.curves)[size_t(own)];
    const Path& path = curves_[size_t(c.index)].path;
    const ArcLength& l = lengths_[size_t(c.index)];
    const int n = ownPlaces(f);
    const auto placed = [&](int p) { return isRows(f) ? grid(own, p).along : grid(p, own).across; };
    const double near = std::max(o_.largestGap.mm, 10 * cx_.tolerances.point.mm);
    for (double t : path.corners(cx_.tolerances.corner)) {
      double s = l.lengthAt(t);
      if (c.reversed) s = l.total() - s;
      while (path.closed() && s < placed(0) - near) s += l.total();
      if (s < placed(0) - near || s > placed(n - 1) + near) continue; // on an overhang
      int at = 0;
      for (int p = 1; p < n; ++p)
        if (std::abs(placed(p) - s) < std::abs(placed(at) - s)) at = p;
      if (std::abs(placed(at) - s) > near)
        return fail(problem("LM-N008", "curve " + std::to_string(c.index + 1) + " has a corner between two crossings")
                        .at(path.at(t))
                        .tryThis("put a curve of the other family through the corners, or round them"));
      corner[size_t(at)] = true;
      if (path.closed() && (at == 0 || at == n - 1)) corner.front() = corner.back() = true;
    }
    return {};
  }

  /// Mean shares of the measure between the strip's ends.
  std::vector<double> parametersOf(const Family& f, int first, int last) const {
    const std::vector<Member>& places = other(f).members;
    std::vector<double> t(size_t(last - first + 1), 0.0);
    int used = 0;
    for (size_t k = 0; k < f.curves->size(); ++k) {
      if ((*f.curves)[k].index < 0) continue;
      const double a = measure(f, int(k), places[size_t(first)]), b = measure(f, int(k), places[size_t(last)]);
      for (int p = first; p <= last; ++p) t[size_t(p - first)] += (measure(f, int(k), places[size_t(p)]) - a) / (b - a);
      ++used;
    }
    for (double& x : t) x /= used;
    t.front() = 0.0;
    t.back() = 1.0;
    return t;
  }

  Expected<void> mapLengths(const Family& f, Strip& s) const {
    const std::vector<Member>& places = other(f).members;
    s.length.assign(f.curves->size(), std::nullopt);
    for (size_t k = 0; k < s.length.size(); ++k) {
      if ((*f.curves)[k].index < 0) continue;
      std::vector<double> y;
      for (int p = s.first; p <= s.last; ++p) y.push_back(measure(f, int(k), places[size_t(p)]));
      auto map = MonotoneMap::through(s.at, y, s.closed);
      if (!map) return fail(map.error().at(grid(f, int(k), 0).at));
      s.length[k] = std::move(*map);
    }
    return {};
  }

  // Fits and sum

  Expected<void> build() {
    out_ = {};
    cx_.report(0.2, "fitting curves");
    for (Family* f : {&rows_, &columns_})
      for (Strip& s : f->strips) {
        if (cx_.stopped()) return fail(cancelled());
        LUMSK_CHECK(fit(*f, s));
      }
    cx_.report(0.6, "joining families");
    for (const Strip& v : columns_.strips)
      for (const Strip& u : rows_.strips) LUMSK_CHECK(addPatch(u, v));
    out_.cornered = out_.patches.size() > 1;
    flattenPoles();
    measureDeviation();
    return {};
  }

  /// Lean fit of a family on a strip, then moved (smoothly, by the cardinal functions) exactly through the crossings.
  Expected<void> fit(const Family& f, Strip& s) const {
    CurveFamily family;
    family.curves = int(std::count_if(s.length.begin(), s.length.end(), [](const auto& l) { return l.has_value(); }));
    family.closed = s.closed;
    family.sample = [&](double t, double* out) {
      for (size_t k = 0; k < s.length.size(); ++k) {
        if (!s.length[k]) continue;
        Eigen::Map<Vec3>(out, 3) = pointAt(f, int(k), (*s.length[k])(t));
        out += 3;
      }
    };
    const int crossings = int(s.at.size()) - (s.closed ? 1 : 0);
    LeanOptions lean;
    lean.degree = kNetworkDegree;
    lean.fit = {fit_};
    lean.firstSpans = s.closed ? crossings + 3 : 3;
    lean.removeKnots = carried_; // what fades out does so within a part of the curve
    if (!s.closed && crossings > kNetworkDegree + 1) lean.firstBreaks = breakpoints(averagedKnots(kNetworkDegree, s.at), kNetworkDegree);
    lean.thinBeyond = kManySpans + crossings; // what bends here and there needs close spans only there
    LUMSK_TRY(fitted, fitLean(family, lean));
    s.fit = std::move(fitted);
    // Around, the last place is the first one again.
    const std::vector<double> crossed(s.at.begin(), s.at.end() - (s.closed ? 1 : 0));
    LUMSK_TRY(cardinal, cardinalFunctions(s.fit.degree, s.fit.knots, crossed, s.closed));
    s.cardinal = std::move(cardinal);
    s.curve.clear();
    std::vector<int> column(f.curves->size(), -1);
    for (size_t k = 0, c = 0; k < f.curves->size(); ++k)
      if (s.length[k]) column[k] = int(c++);
    const std::vector<Member>& places = other(f).members;
    const Mirrors& across = other(f).ends;
    for (const Member& m : f.members) {
      const int c = column[size_t(m.own) % column.size()];
      Rows control(s.fit.controls.rows(), 3);
      for (Eigen::Index i = 0; i < control.rows(); ++i)
        control.row(i) =
            c < 0 ? Eigen::RowVector3d::Zero()
                  : Eigen::RowVector3d(across.image(Vec3(s.fit.controls.row(i).segment<3>(3 * c).transpose()), m.copy));
      if (c < 0) control.rowwise() += grid(f, m.own, 0).at.transpose();
      for (int p = 0; p < crossings; ++p) {
        const Member& place = places[size_t(s.first + p)];
        const Vec3 miss = (isRows(f) ? at(m, place) : at(place, m)) - valueAt(s, control, s.at[size_t(p)]);
        control += s.cardinal.row(p).transpose() * miss.transpose();
      }
      s.curve.push_back(std::move(control));
    }
    return {};
  }

  static Vec3 valueAt(const Strip& s, const Rows& control, double t) {
    double N[kMaxDegree + 1];
    const int f = basisFunctions(s.fit.knots, s.fit.degree, t, N);
    Vec3 v = Vec3::Zero();
    for (int i = 0; i <= s.fit.degree; ++i) v += N[i] * control.row(f + i).transpose();
    return v;
  }

  /// The Boolean sum on one patch, mirrored parts included.
  Surface sum(const Strip& u, const Strip& v) const {
    const Eigen::Index nu = u.fit.controls.rows(), nv = v.fit.controls.rows();
    const int columns = int(u.cardinal.rows()), rows = int(v.cardinal.rows());
    Points points = Points::Zero(nu * nv, 3);
    // Rows over v, less what the columns would make of their crossings.
    for (int j = 0; j < rows; ++j) {
      Rows part = u.curve[size_t(v.first + j)];
      for (int i = 0; i < columns; ++i)
        part -= u.cardinal.row(i).transpose() *
                at(rows_.members[size_t(v.first + j)], columns_.members[size_t(u.first + i)]).transpose();
      for (Eigen::Index a = 0; a < nu; ++a)
        for (Eigen::Index b = 0; b < nv; ++b) points.row(a * nv + b) += v.cardinal(j, b) * part.row(a);
    }
    for (int i = 0; i < columns; ++i) {
      const Rows& part = v.curve[size_t(u.first + i)];
      for (Eigen::Index a = 0; a < nu; ++a)
        for (Eigen::Index b = 0; b < nv; ++b) points.row(a * nv + b) += u.cardinal(i, a) * part.row(b);
    }
    if (u.closed)
      for (Eigen::Index b = 0; b < nv; ++b) points.row((nu - 1) * nv + b) = points.row(b);
    return Surface::trusted(kNetworkDegree, kNetworkDegree, u.fit.knots, v.fit.knots, std::move(points), u.closed);
  }

  /// What of a strip lies between the mirrors: its first own place, and parameters of the own places there.
  struct OwnPart {
    int first = -1;
    std::vector<double> at;
  };
  OwnPart ownPart(const Family& placed, const Strip& s) const {
    OwnPart out;
    for (int p = s.first; p <= s.last; ++p)
      if (const Member& m = placed.members[size_t(p)]; m.copy == 0) {
        if (out.first < 0) out.first = m.own;
        out.at.push_back(s.at[size_t(p - s.first)]);
      }
    return out;
  }

  Expected<void> addPatch(const Strip& u, const Strip& v) {
    const OwnPart pu = ownPart(columns_, u), pv = ownPart(rows_, v);
    if (pu.at.size() < 2 || pv.at.size() < 2) return {};
    NetworkPatch p;
    p.firstColumn = pu.first;
    p.firstRow = pv.first;
    p.surface = portion(sum(u, v), pu.at.front(), pu.at.back(), pv.at.front(), pv.at.back());
    const auto scaled = [](std::vector<double> t) {
      const double a = t.front(), w = t.back() - a;
      for (double& x : t) x = (x - a) / w;
      return t;
    };
    p.columnsAt = scaled(pu.at);
    p.rowsAt = scaled(pv.at);
    closePoles(p);
    const auto meet = [&](Side side, bool here, const std::optional<Frame>& plane, const std::vector<double>& keep) {
      if (here && plane)
        p.surface =
            meetingPlane(p.surface, side, plane->origin, plane->normal(), o_.sides[side], keep, EndShape::Local);
    };
    const bool loose = o_.follow.mm > 0 && !net_.closed;
    if (loose) LUMSK_CHECK(sides_.loosen(p, out_));
    meet(FirstU, pu.first == 0, rows_.ends.first, p.columnsAt);
    meet(LastU, pu.first + int(pu.at.size()) == int(net_.columns.size()), rows_.ends.last, p.columnsAt);
    meet(FirstV, pv.first == 0, columns_.ends.first, p.rowsAt);
    meet(LastV, pv.first + int(pv.at.size()) == int(net_.rows.size()), columns_.ends.last, p.rowsAt);
    if (!loose) LUMSK_CHECK(sides_.flowOn(p, out_));
    if (o_.follow.mm > 0 && net_.closed) sides_.makeEven(p);
    patchOf_.resize(out_.patches.size());
    patchOf_.push_back({&u, &v, pu.at.front(), pu.at.back(), pv.at.front(), pv.at.back()});
    out_.patches.push_back(std::move(p));
    return {};
  }

  /// A pole is one point to the last bit.
  void closePoles(NetworkPatch& p) const {
    for (bool first : {true, false}) {
      const int row = first ? p.firstRow : p.firstRow + int(p.rowsAt.size()) - 1;
      if (net_.rows[size_t(row)].index >= 0) continue;
      for (int i = 0; i < p.surface.sizeU(); ++i)
        p.surface.point(i, first ? 0 : p.surface.sizeV() - 1) = grid(row, 0).at.transpose();
    }
  }

  void flattenPoles() {
    for (bool first : {true, false}) {
      const int row = first ? 0 : int(net_.rows.size()) - 1;
      if (net_.rows[size_t(row)].index >= 0) continue;
      Eigen::MatrixXd t(3, Eigen::Index(net_.columns.size()));
      for (size_t i = 0; i < net_.columns.size(); ++i) {
        const GridPoint& g = grid(row, int(i));
        t.col(Eigen::Index(i)) = sides_.derivatives(net_.columns[i], g.across)[1].normalized();
      }
      const Eigen::JacobiSVD<Eigen::MatrixXd> svd(t, Eigen::ComputeFullU);
      const Vec3 n = svd.matrixU().col(2);
      double worst = 0;
      for (Eigen::Index i = 0; i < t.cols(); ++i)
        worst = std::max(worst, std::asin(std::min(1.0, std::abs(n.dot(t.col(i))))));
      if (svd.singularValues()[1] < 1e-3 || degFromRad(worst) > o_.poleFlat.deg) {
        out_.pointedPole = true;
        out_.pointedAt = grid(row, 0).at;
        continue;
      }
      for (NetworkPatch& p : out_.patches)
        if ((first ? p.firstRow : p.firstRow + int(p.rowsAt.size()) - 1) == row)
          p.surface = flatPole(p.surface, first ? FirstV : LastV, n, p.rowsAt);
    }
  }

  /// Distance of the finished skin from the picked curves, at places between their knots.
  void measureDeviation() {
    const auto look = [&](const Family& f, const Strip& s, int k, double a, double b, const std::optional<NearestOnSurface>& loose,
                          const std::function<Vec3(double)>& skin) {
      if (k >= int(s.length.size()) || !s.length[size_t(k)]) return;
      for (int i = 0; i < 48; ++i) {
        const double t = (i + 0.37) / 48;
        const Vec3 p = pointAt(f, k, (*s.length[size_t(k)])(a + (b - a) * t));
        const double off = loose ? loose->foot(p).distanceMm : (skin(t) - p).norm();
        if (off > out_.deviationMm) out_.deviationMm = off, out_.deviationAt = p;
      }
    };
    for (size_t i = 0; i < out_.patches.size(); ++i) {
      const NetworkPatch& p = out_.patches[i];
      const Origin& from = patchOf_[i];
      std::optional<NearestOnSurface> loose;
      if (o_.follow.mm > 0) loose.emplace(p.surface);
      for (size_t j = 0; j < p.rowsAt.size(); ++j)
        look(rows_, *from.u, p.firstRow + int(j), from.u0, from.u1, loose,
             [&](double t) { return p.surface.at(t, p.rowsAt[j]); });
      for (size_t j = 0; j < p.columnsAt.size(); ++j)
        look(columns_, *from.v, p.firstColumn + int(j), from.v0, from.v1, loose,
             [&](double t) { return p.surface.at(p.columnsAt[j], t); });
    }
  }

  struct Origin {
    const Strip *u = nullptr, *v = nullptr;
    double u0 = 0, u1 = 1, v0 = 0, v1 = 1;
  };

  const std::vector<NetworkCurve>& curves_;
  const NetworkOptions& o_;
  const Context& cx_;
  bool carried_; ///< curves have been carried on already
  std::vector<ArcLength> lengths_;
  SortedNetwork net_;
  Family rows_, columns_;
  NetworkSides sides_{curves_, lengths_, net_, o_, cx_};
  double fit_ = 0;
  std::vector<Origin> patchOf_;
  NetworkResult out_;
};

} // namespace

Expected<NetworkResult> network(const std::vector<NetworkCurve>& curves, const NetworkOptions& options,
                                const Context& cx) {
  return Networker(curves, options, cx).run();
}

} // namespace lumsk::nurbs

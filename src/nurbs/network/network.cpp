#include "nurbs/network/network.h"

#include "nurbs/fit/fit.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/network/network_carry.h"
#include "nurbs/network/network_places.h"
#include "nurbs/network/network_sides.h"
#include "nurbs/fit/spaces.h"
#include "nurbs/on_skin/surface_curves.h"

#include <Eigen/SVD>
#include <algorithm>
#include <cmath>
#include <optional>

namespace lumsk::nurbs {

namespace {

constexpr int kManySpans = 12; ///< beyond those of the crossings

class Networker : NetworkPlaces {
public:
  Networker(const std::vector<NetworkCurve>& curves, const NetworkOptions& o, const Context& cx, bool carried = false)
      : NetworkPlaces(curves, o, cx), carried_(carried) {}

  Expected<NetworkResult> run() {
    LUMSK_TRY(sorted, sortNetwork(curves_, lengths_, o_.largestGap, cx_.tolerances));
    net_ = std::move(sorted);
    if (!net_.unfinished.empty() && carried_)
      return fail(problem("LM-N015", "curve " + std::to_string(net_.unfinished.front() + 1) +
                                         ", carried on, misses the curves that it should cross")
                      .at(curves_[size_t(net_.unfinished.front())].path.end())
                      .tryThis("extend it over them, or take it out"));
    if (!net_.unfinished.empty()) return finished();
    LUMSK_CHECK(sides_.find());
    LUMSK_CHECK(cutAtCorners(sides_.ofRows(), sides_.ofColumns()));
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

  bool carried_; ///< curves have been carried on already
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

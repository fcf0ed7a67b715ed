#include "nurbs/network/shape_net.h"

#include "nurbs/fit/fit.h"
#include "nurbs/loft/loft_across.h"
#include "nurbs/fit/spaces.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kImageShare = 0.02; ///< of the skin's size: a point that near to another's image mirrors it
constexpr int kSmoothSteps = 400, kMostSpans = 40, kLooks = 33;

/// Products of third divided differences at the Greville abscissae: row i holds those of i with i - 3 .. i + 3.
class Differences {
public:
  /// `g`: the Greville abscissae, around a closed net the first one again at the end.
  Differences(const std::vector<double>& g, bool closed) {
    closed_ = closed;
    n_ = int(g.size()) - closed;
    rows_ = Rows::Zero(n_, 7);
    const double length = g.back() - g.front(), mean = length / n_;
    const auto at = [&](int i) {
      return closed ? g[size_t(((i % n_) + n_) % n_)] + std::floor(double(i) / n_) * length : g[size_t(i)];
    };
    for (int first = 0; first + (closed ? 0 : 3) < n_; ++first) {
      double c[4];
      for (int a = 0; a < 4; ++a) {
        c[a] = 6 * mean * mean * mean;
        for (int b = 0; b < 4; ++b)
          if (b != a) c[a] /= std::max(std::abs(at(first + a) - at(first + b)), 1e-9 * length) * (a > b ? 1 : -1);
      }
      for (int a = 0; a < 4; ++a)
        for (int b = 0; b < 4; ++b) rows_((first + a) % n_, 3 + b - a) += c[a] * c[b];
    }
  }
  /// The number of the q-th neighbour, -1 where there is none.
  int beside(int i, int q) const {
    const int k = i + q;
    return closed_ ? ((k % n_) + n_) % n_ : k >= 0 && k < n_ ? k : -1;
  }
  double with(int i, int q) const { return rows_(i, 3 + q); }
  int count() const { return n_; }

private:
  Rows rows_;
  bool closed_ = false;
  int n_ = 0;
};

/// The control points. Those of a closed skin are of its periodic form, so that it stays as smooth at its seam whatever
/// they do; where it is not smooth there, its own, the seam once.
struct Net {
  int nu, nv;
  std::vector<Vec3> points;
  std::vector<bool> locked;
  std::vector<double> grevilleU, grevilleV; ///< around a closed skin with the first one again
  Rows clamping;                            ///< from the periodic form to the skin's own control points
  Vec3& at(int u, int v) { return points[size_t(u * nv + v)]; }
  bool isLocked(int u, int v) const { return locked[size_t(u * nv + v)]; }
};

constexpr double kPeriodic = 1e-9; ///< of its size: a skin that near to its periodic form is smooth at its seam

/// The periodic form of a closed skin, with the seam's knot so many times.
bool takePeriodic(Net& n, const Surface& s, int times) {
  const int p = s.degreeU();
  std::vector<double> breaks = breaksOf(s.knotsU(), p, p);
  breaks.insert(breaks.begin(), size_t(times - 1), breaks.front());
  if (int(breaks.size()) - 1 <= p) return false;
  const Knots periodic = periodicKnots(p, breaks);
  const Rows map = clampingMap(p, periodic);
  if (map.rows() != s.sizeU()) return false;
  const Eigen::Map<const Rows> own(s.grid().data(), s.sizeU(), 3 * s.sizeV());
  const Eigen::MatrixXd square = map.transpose() * map;
  const Rows made = square.ldlt().solve(map.transpose() * own);
  const double size = (s.grid().colwise().maxCoeff() - s.grid().colwise().minCoeff()).norm();
  if (!((map * made - own).cwiseAbs().maxCoeff() < kPeriodic * size)) return false;
  n.clamping = map;
  n.nu = int(made.rows());
  n.points.clear();
  for (int u = 0; u < n.nu; ++u)
    for (int v = 0; v < n.nv; ++v) n.points.push_back(made.row(u).segment<3>(3 * v).transpose());
  n.grevilleU.clear();
  for (int u = 0; u <= n.nu; ++u) {
    double sum = 0;
    for (int k = 1; k <= p; ++k) sum += periodic[size_t(u + k)] / p;
    n.grevilleU.push_back(sum);
  }
  return true;
}

Net netOf(const Surface& s, const std::array<int, 4>& locks) {
  Net n{s.sizeU() - s.closedU(),           s.sizeV(), {}, {}, greville(s.knotsU(), s.degreeU()),
        greville(s.knotsV(), s.degreeV()), {}};
  for (int u = 0; u < n.nu; ++u)
    for (int v = 0; v < n.nv; ++v) n.points.push_back(s.point(u, v).transpose());
  // As smooth at the seam as it is there: the fewest knots that have it.
  for (int times = 1; s.closedU() && times < s.degreeU(); ++times)
    if (takePeriodic(n, s, times)) break;
  for (int u = 0; u < n.nu; ++u)
    for (int v = 0; v < n.nv; ++v) {
      const bool acrossU = !s.closedU() && (u <= locks[FirstU] || n.nu - 1 - u <= locks[LastU]);
      n.locked.push_back(acrossU || v <= locks[FirstV] || n.nv - 1 - v <= locks[LastV]);
    }
  return n;
}

void smooth(Net& n, const Surface& s, double limit) {
  const Differences U(n.grevilleU, s.closedU()), V(n.grevilleV, false);
  const std::vector<Vec3> from = n.points;
  for (int step = 0; step < kSmoothSteps; ++step)
    for (int u = 0; u < n.nu; ++u)
      for (int v = 0; v < n.nv; ++v) {
        const double own = U.with(u, 0) + V.with(v, 0);
        if (n.isLocked(u, v) || !(own > 0)) continue;
        Vec3 sum = Vec3::Zero();
        for (int q = -3; q <= 3; ++q) {
          if (q == 0) continue;
          if (const int k = U.beside(u, q); k >= 0) sum += U.with(u, q) * n.at(k, v);
          if (const int k = V.beside(v, q); k >= 0) sum += V.with(v, q) * n.at(u, k);
        }
        const Vec3& was = from[size_t(u * n.nv + v)];
        Vec3 by = -sum / own - was;
        if (by.norm() > limit) by *= limit / by.norm();
        n.at(u, v) = was + by;
      }
}

int imageOf(const Net& n, size_t k, const Frame& plane, double size) {
  const Vec3 m = mirroredPoint(n.points[k], plane);
  size_t best = 0;
  for (size_t i = 0; i < n.points.size(); ++i)
    if ((n.points[i] - m).norm() < (n.points[best] - m).norm()) best = i;
  return (n.points[best] - m).norm() < kImageShare * size ? int(best) : -1;
}

Surface withNet(const Surface& s, const Net& n) {
  Surface out = s;
  for (int v = 0; v < n.nv; ++v) {
    if (n.locked[size_t(v)] && s.closedU()) continue; // a whole row: it stays to the last bit
    for (int u = 0; u < s.sizeU(); ++u) {
      if (n.clamping.size() == 0) {
        out.point(u, v) = n.points[size_t((u % n.nu) * n.nv + v)].transpose();
        continue;
      }
      Vec3 sum = Vec3::Zero();
      for (int k = 0; k < n.nu; ++k)
        if (n.clamping(u, k) != 0) sum += n.clamping(u, k) * n.points[size_t(k * n.nv + v)];
      out.point(u, v) = sum.transpose();
    }
    if (s.closedU()) out.point(s.sizeU() - 1, v) = out.point(0, v);
  }
  return out;
}

double sizeOf(const Surface& s) { return (s.grid().colwise().maxCoeff() - s.grid().colwise().minCoeff()).norm(); }

} // namespace

ShapedNet shapedNet(const Surface& base, const std::vector<NetMove>& moves, const ShapeNetOptions& o) {
  ShapedNet out;
  Net n = netOf(base, o.locks);
  const std::vector<Vec3> start = n.points;
  if (o.smoothMm > 0) smooth(n, base, o.smoothMm);
  for (size_t k = 0; k < start.size(); ++k) out.smoothedMm = std::max(out.smoothedMm, (n.points[k] - start[k]).norm());
  const Net smoothed = n;
  const double size = sizeOf(base);
  std::vector<Vec3> by(n.points.size(), Vec3::Zero());
  const auto add = [&](int u, int v, const Vec3& move) {
    for (int i = -o.falloff; i <= o.falloff; ++i)
      for (int j = -o.falloff; j <= o.falloff; ++j) {
        // Round a closed skin the two sides must not meet.
        if (base.closedU() && 2 * std::abs(i) >= n.nu) continue;
        const int a = base.closedU() ? ((u + i) % n.nu + n.nu) % n.nu : u + i, b = v + j;
        const double f = std::hypot(i, j) / (o.falloff + 1);
        if (a < 0 || a >= n.nu || b < 0 || b >= n.nv || f >= 1) continue;
        by[size_t(a * n.nv + b)] += (1 - f * f) * (1 - f * f) * move;
      }
  };
  for (const NetMove& m : moves) {
    if (m.u < 0 || m.u >= n.nu || m.v < 0 || m.v >= n.nv) {
      out.lost.push_back(m);
      continue;
    }
    if (n.isLocked(m.u, m.v)) out.held.push_back(n.at(m.u, m.v));
    add(m.u, m.v, m.by);
    if (!o.mirror) continue;
    const size_t own = size_t(m.u * n.nv + m.v);
    const int image = imageOf(smoothed, own, *o.mirror, size);
    if (image < 0) out.unmirrored.push_back(n.at(m.u, m.v));
    if (image >= 0 && size_t(image) != own)
      add(image / n.nv, image % n.nv, m.by - 2 * m.by.dot(o.mirror->normal()) * o.mirror->normal());
  }
  for (size_t k = 0; k < by.size(); ++k) {
    if (n.locked[k]) continue;
    n.points[k] += by[k];
    out.movedMm = std::max(out.movedMm, by[k].norm());
  }
  out.surface = withNet(base, n);
  const double first = base.firstU(), length = base.lastU() - first;
  for (int u = 0; u < n.nu; ++u)
    for (int v = 0; v < n.nv; ++v) {
      double atU = n.grevilleU[size_t(u)];
      if (base.closedU()) atU -= length * std::floor((atU - first) / length);
      const double atV = n.grevilleV[size_t(v)];
      SurfaceDerivatives d;
      base.derivatives(atU, atV, 1, d);
      out.points.push_back(
          {u, v, n.at(u, v), d(1, 0).normalized(), d(0, 1).normalized(), base.normal(atU, atV), n.isLocked(u, v)});
    }
  return out;
}

namespace {

/// Raised, and the longest spans halved until there are so many.
Knots finerKnots(const Knots& k, int degree, int higher, int spans) {
  Knots out = raisedKnots(k, degree, higher);
  std::vector<double> b = breakpoints(k, degree);
  while (int(b.size()) - 1 < spans) {
    size_t longest = 0;
    for (size_t i = 0; i + 1 < b.size(); ++i)
      if (b[i + 1] - b[i] > (b[longest + 1] - b[longest]) * (1 + 1e-9)) longest = i;
    const double at = 0.5 * (b[longest] + b[longest + 1]);
    b.insert(b.begin() + long(longest) + 1, at);
    out.insert(std::upper_bound(out.begin(), out.end(), at), at);
  }
  return out;
}

/// Rows across v fitted in a space of equal spans.
Surface fittedV(const Surface& s, int degree, int spans, bool closed) {
  std::vector<double> t, breaks;
  for (int k = 0; k <= spans; ++k) breaks.push_back(double(k) / spans);
  const int samples = (spans + s.sizeV()) * (degree + 2);
  for (int i = 0; i < samples + !closed; ++i) t.push_back(double(i) / samples);
  const LeastSquares fit(degree, breaks, closed, t);
  const Rows rows = rowsAcross(s);
  Rows data(Eigen::Index(t.size()), rows.cols());
  for (size_t i = 0; i < t.size(); ++i)
    data.row(Eigen::Index(i)) = valueOf(s.degreeV(), s.knotsV(), rows, s.firstV() + (s.lastV() - s.firstV()) * t[i]);
  const Rows made = fit.solve(data);
  Points grid(s.sizeU() * made.rows(), 3);
  for (Eigen::Index i = 0; i < s.sizeU(); ++i)
    for (Eigen::Index j = 0; j < made.rows(); ++j) grid.row(i * made.rows() + j) = made.row(j).segment<3>(3 * i);
  return Surface::trusted(s.degreeU(), degree, s.knotsU(), fit.knots(), std::move(grid), s.closedU());
}

} // namespace

Surface refined(const Surface& s, const NetCounts& c) {
  const int pu = std::max(s.degreeU(), c.degreeU), pv = std::max(s.degreeV(), c.degreeV);
  const Surface tall = withSpaceV(s, pv, finerKnots(s.knotsV(), s.degreeV(), pv, c.spansV));
  const Surface turned = exchanged(tall);
  return exchanged(withSpaceV(turned, pu, finerKnots(s.knotsU(), s.degreeU(), pu, c.spansU)), s.closedU());
}

NetRefit refitted(const Surface& s, const NetCounts& c) {
  const Surface tall = fittedV(s, c.degreeV, c.spansV, false);
  NetRefit out;
  out.surface = exchanged(fittedV(exchanged(tall), c.degreeU, c.spansU, s.closedU()), s.closedU());
  for (int i = 0; i <= kLooks; ++i)
    for (int j = 0; j <= kLooks; ++j) {
      const double u = double(i) / kLooks, v = double(j) / kLooks;
      const Vec3 was = s.at(s.firstU() + (s.lastU() - s.firstU()) * u, s.firstV() + (s.lastV() - s.firstV()) * v);
      if (const double off = (out.surface.at(u, v) - was).norm(); off > out.deviationMm)
        out.deviationMm = off, out.deviationAt = was;
    }
  return out;
}

NetRefit refittedWithin(const Surface& s, int degreeU, int degreeV, LengthTolerance deviation) {
  NetCounts c{degreeU, degreeV, s.closedU() ? degreeU + 1 : 1, 1};
  NetRefit best = refitted(s, c);
  while (best.deviationMm > deviation.mm && (c.spansU < kMostSpans || c.spansV < kMostSpans)) {
    // In the direction that helps more.
    NetCounts u = c, v = c;
    u.spansU = std::min(kMostSpans, c.spansU + 1), v.spansV = std::min(kMostSpans, c.spansV + 1);
    NetRefit wide = refitted(s, u), tall = refitted(s, v);
    const bool takeU = wide.deviationMm < tall.deviationMm ? c.spansU < kMostSpans : c.spansV >= kMostSpans;
    c = takeU ? u : v;
    best = takeU ? std::move(wide) : std::move(tall);
  }
  return best;
}

} // namespace lumsk::nurbs

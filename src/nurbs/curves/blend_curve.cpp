#include "nurbs/curves/blend_curve.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

// Gauss-Legendre rule of 16 points over [-1, 1], the positive half.
constexpr double kX[8] = {0.0950125098376374, 0.2816035507792589, 0.4580167776572274, 0.6178762444026438,
                          0.7554044083550030, 0.8656312023878318, 0.9445750230732326, 0.9894009349916499};
constexpr double kW[8] = {0.1894506104550685, 0.1826034150449236, 0.1691565193950025, 0.1495959888165767,
                          0.1246289712555339, 0.0951585116824928, 0.0622535239386479, 0.0271524594117541};
constexpr int kPieces = 3; ///< of the span, each with the 16 points

/// Length and squared rate of curvature, summed up place by place.
class Integrand {
public:
  void add(const Vec3& d1, const Vec3& d2, const Vec3& d3, double weight) {
    const double v = d1.norm();
    if (!(v > 1e-12)) degenerate_ = true;
    const Vec3 t = d1 / v;
    const double v1 = d2.dot(t);
    const Vec3 second = (d2 - v1 * t) / (v * v);
    Vec3 third = (d3 - 3 * v * v1 * second) / (v * v * v);
    third -= third.dot(t) * t;
    length_ += weight * v;
    integral_ += weight * v * third.squaredNorm();
  }
  double energy() const { return degenerate_ ? 1e300 : length_ * length_ * length_ * integral_; }

private:
  double length_ = 0.0, integral_ = 0.0;
  bool degenerate_ = false;
};

/// Derivatives of the Bernstein basis at the places of the rule, for spans of one degree.
struct BasisAtPlaces {
  Eigen::MatrixXd order[3]; ///< places x control points
  std::vector<double> weights;
  explicit BasisAtPlaces(int p) {
    for (auto& m : order) m = Eigen::MatrixXd::Zero(16 * kPieces, p + 1);
    const Knots U = uniformKnots(p, 1);
    BasisDerivatives b;
    for (int i = 0; i < 16 * kPieces; ++i) {
      const int g = i % 16;
      const double x = g < 8 ? kX[g] : -kX[g - 8];
      basisDerivatives(U, p, (i / 16 + 0.5 + 0.5 * x) / kPieces, 3, b);
      for (int k = 0; k < 3; ++k)
        for (int j = 0; j <= p; ++j) order[k](i, j) = b.value[size_t(k) + 1][size_t(j)];
      weights.push_back(0.5 / kPieces * kW[g % 8]);
    }
  }
  double energy(const Points& points) const {
    const Points d1 = order[0] * points, d2 = order[1] * points, d3 = order[2] * points;
    Integrand sum;
    for (Eigen::Index i = 0; i < d1.rows(); ++i)
      sum.add(d1.row(i).transpose(), d2.row(i).transpose(), d3.row(i).transpose(), weights[size_t(i)]);
    return sum.energy();
  }
};

/// Derivatives with respect to the blend's own parameter at one end.
std::array<Vec3, kMostContinuity + 1> derivativesAt(const BlendEnd& e, const BlendMagnitudes& m) {
  return {e.at, m.first * e.tangent, m.first * m.first * e.second + m.second * e.tangent,
          m.first * m.first * m.first * e.third + 3 * m.first * m.second * e.second + m.third * e.tangent};
}

constexpr double kLeastFirst = -3.0, kMostFirst = 2.0; ///< logarithms: 0.05 to 7.4 chords

/// The free magnitudes as a vector: only those that conditions of the ends leave open.
class Magnitudes {
public:
  Magnitudes(const BlendEnd& a, const BlendEnd& b, double chord) : a_(a), b_(b), chord_(chord) {
    const int p = a.continuity + b.continuity + 1;
    second_ = p - 1;
    third_ = (p - 1) * (p - 2);
  }
  int size() const { return a_.continuity + b_.continuity; }
  Eigen::VectorXd from(const BlendMagnitudes& m0, const BlendMagnitudes& m1) const {
    Eigen::VectorXd x(size());
    int i = 0;
    for (auto [end, m] : {std::pair(&a_, &m0), std::pair(&b_, &m1)}) {
      if (end->continuity > 0)
        x[i++] = std::clamp(std::log(std::max(m->first, 1e-9) / chord_), kLeastFirst, kMostFirst);
      if (end->continuity > 1) x[i++] = m->second / (chord_ * second_);
      if (end->continuity > 2) x[i++] = m->third / (chord_ * third_);
    }
    return x;
  }
  /// First magnitudes by their logarithm, so that they stay positive; all so scaled that they move control points
  /// alike.
  void to(const Eigen::VectorXd& x, BlendMagnitudes& m0, BlendMagnitudes& m1) const {
    int i = 0;
    for (auto [end, m] : {std::pair(&a_, &m0), std::pair(&b_, &m1)}) {
      if (end->continuity > 0) m->first = chord_ * std::exp(x[i++]);
      if (end->continuity > 1) m->second = chord_ * second_ * x[i++];
      if (end->continuity > 2) m->third = chord_ * third_ * x[i++];
    }
  }
  /// Marks of the first magnitudes.
  std::vector<int> firsts() const {
    std::vector<int> out;
    if (a_.continuity > 0) out.push_back(0);
    if (b_.continuity > 0) out.push_back(a_.continuity);
    return out;
  }

private:
  const BlendEnd &a_, &b_;
  double chord_, second_, third_;
};

/// Least value of a smooth function of few variables: quasi-Newton steps (Broyden, Fletcher, Goldfarb, Shanno 1970)
/// with central differences and halved steps; variables of `bounded` stay within their bounds.
class Minimiser {
public:
  Minimiser(std::function<double(const Eigen::VectorXd&)> f, std::vector<int> bounded)
      : f_(std::move(f)), bounded_(std::move(bounded)) {}

  double run(Eigen::VectorXd& x) const {
    const Eigen::Index n = x.size();
    if (n == 0) return f_(x);
    Eigen::MatrixXd H = Eigen::MatrixXd::Identity(n, n);
    double fx = f_(x);
    Eigen::VectorXd g = gradient(x);
    int small = 0;
    for (int it = 0; it < 200; ++it) {
      Eigen::VectorXd d = -H * g;
      if (d.dot(g) >= 0) H.setIdentity(), d = -g;
      if (const double longest = d.cwiseAbs().maxCoeff(); longest > 1.0) d /= longest;
      double step = 1.0, fy = fx;
      Eigen::VectorXd y = x;
      for (; step > 1e-10; step *= 0.5) {
        y = held(x + step * d);
        fy = f_(y);
        if (fy <= fx + 1e-4 * g.dot(y - x)) break;
      }
      if (!(fy < fx)) break;
      const Eigen::VectorXd s = y - x, before = g;
      g = gradient(y);
      const Eigen::VectorXd q = g - before;
      const double gained = fx - fy;
      x = y, fx = fy;
      small = gained < 1e-9 * std::abs(fx) + 1e-14 ? small + 1 : 0;
      if (small > 3) break;
      if (const double sq = s.dot(q); sq > 1e-14) {
        const Eigen::MatrixXd I = Eigen::MatrixXd::Identity(n, n);
        H = (I - s * q.transpose() / sq) * H * (I - q * s.transpose() / sq) + s * s.transpose() / sq;
      }
    }
    return fx;
  }

private:
  Eigen::VectorXd held(Eigen::VectorXd x) const {
    for (int i : bounded_) x[i] = std::clamp(x[i], kLeastFirst, kMostFirst);
    return x;
  }
  Eigen::VectorXd gradient(Eigen::VectorXd x) const {
    Eigen::VectorXd g(x.size());
    for (Eigen::Index i = 0; i < x.size(); ++i) {
      const double h = 1e-5 * std::max(1.0, std::abs(x[i])), at = x[i];
      x[i] = at + h;
      const double up = f_(x);
      x[i] = at - h;
      g[i] = (up - f_(x)) / (2 * h);
      x[i] = at;
    }
    for (int i : bounded_)
      if ((x[i] <= kLeastFirst && g[i] > 0) || (x[i] >= kMostFirst && g[i] < 0)) g[i] = 0;
    return g;
  }

  std::function<double(const Eigen::VectorXd&)> f_;
  std::vector<int> bounded_;
};

/// The magnitudes of least energy among those with the given first ones, or with free ones where none are given.
struct Fair {
  BlendMagnitudes m0, m1;
  double energy = 1e300;
};

/// The magnitudes that a curve has at one end, along the tangent there.
BlendMagnitudes magnitudesOf(const Spline& c, bool atEnd, const BlendEnd& e) {
  CurveDerivatives d;
  c.derivatives(atEnd ? c.last() : c.first(), 3, d);
  const double v = d[1].norm();
  return {v, d[2].dot(e.tangent), (d[3] - v * v * v * e.third).dot(e.tangent)};
}

Fair fairest(const BlendEnd& a, const BlendEnd& b, double chord) {
  const Magnitudes free(a, b, chord);
  const auto firsts = free.firsts();
  const BasisAtPlaces basis(a.continuity + b.continuity + 1);
  const auto energy = [&](const Eigen::VectorXd& x) {
    BlendMagnitudes m0, m1;
    free.to(x, m0, m1);
    return basis.energy(blendWith(a, b, m0, m1).points());
  };
  Fair best;
  const auto start = [&](Eigen::VectorXd x) {
    const double e = Minimiser(energy, firsts).run(x);
    if (!(e < best.energy)) return;
    best.energy = e;
    free.to(x, best.m0, best.m1);
  };
  // The fairest curve that meets the ends less closely is a good start; so are short, natural and long tangents.
  if (std::max(a.continuity, b.continuity) > 1) {
    BlendEnd lowA = a, lowB = b;
    const int most = std::max(a.continuity, b.continuity) - 1;
    lowA.continuity = std::min(a.continuity, most), lowB.continuity = std::min(b.continuity, most);
    const Fair below = fairest(lowA, lowB, chord);
    const Spline c = blendWith(lowA, lowB, below.m0, below.m1);
    start(free.from(magnitudesOf(c, false, a), magnitudesOf(c, true, b)));
  }
  const std::vector<double> starts{-0.7, 0.0, 0.6};
  const bool low = std::max(a.continuity, b.continuity) <= 1;
  for (size_t i = 0; i < (firsts.size() > 0 ? starts.size() : 1); ++i)
    for (size_t j = 0; j < (firsts.size() > 1 ? starts.size() : 1); ++j) {
      if (!low && firsts.size() > 1 && i != j) continue; // alike on both sides: the rest comes from the lower order
      Eigen::VectorXd x = Eigen::VectorXd::Zero(free.size());
      if (firsts.size() > 0) x[firsts[0]] = starts[i];
      if (firsts.size() > 1) x[firsts[1]] = starts[j];
      start(std::move(x));
    }
  return best;
}

} // namespace

std::optional<BlendEnd> blendEnd(const CurveDerivatives& d, bool reversed) {
  const double speed = d[1].norm();
  if (!(speed > 0)) return std::nullopt;
  const Vec3 t = d[1] / speed;
  // With respect to arc length: X'' = (C'' - v' T) / v^2, X''' = (C''' - 3 v v' X'' - v'' T) / v^3.
  const double v1 = d[2].dot(t);
  const Vec3 second = (d[2] - v1 * t) / (speed * speed);
  const double v2 = (d[3].dot(t) + d[2].dot(second) * speed);
  const Vec3 third = (d[3] - 3 * speed * v1 * second - v2 * t) / (speed * speed * speed);
  BlendEnd e;
  e.at = d[0];
  e.tangent = reversed ? Vec3(-t) : t;
  e.second = second;
  e.third = reversed ? Vec3(-third) : third;
  return e;
}

Spline blendWith(const BlendEnd& a, const BlendEnd& b, const BlendMagnitudes& m0, const BlendMagnitudes& m1) {
  const int n0 = a.continuity + 1, n1 = b.continuity + 1, p = n0 + n1 - 1;
  const auto d0 = derivativesAt(a, m0), d1 = derivativesAt(b, m1);
  // Bezier points from end derivatives: C^(k)(0) = p!/(p-k)! sum (-1)^(k-i) binom(k, i) P_i.
  Points P(p + 1, 3);
  const auto solve = [&](const std::array<Vec3, kMostContinuity + 1>& d, int n, double sign, auto row) {
    static constexpr double kBinomial[4][4] = {{1}, {1, 1}, {1, 2, 1}, {1, 3, 3, 1}};
    double fall = 1.0, side = 1.0;
    for (int k = 0; k < n; ++k) {
      Vec3 q = side * d[k] / fall;
      for (int i = 0; i < k; ++i) q -= ((k - i) % 2 ? -1 : 1) * kBinomial[k][i] * Vec3(P.row(row(i)).transpose());
      P.row(row(k)) = q.transpose();
      fall *= p - k;
      side *= sign;
    }
  };
  solve(d0, n0, 1.0, [](int i) { return i; });
  solve(d1, n1, -1.0, [p](int i) { return p - i; });
  return Spline::trusted(p, uniformKnots(p, 1), std::move(P));
}

double curvatureVariation(const Spline& c) {
  const double w = (c.last() - c.first()) / kPieces;
  Integrand sum;
  CurveDerivatives d;
  for (int piece = 0; piece < kPieces; ++piece)
    for (int g = 0; g < 16; ++g) {
      const double x = g < 8 ? kX[g] : -kX[g - 8];
      c.derivatives(c.first() + w * (piece + 0.5 + 0.5 * x), 3, d);
      sum.add(d[1], d[2], d[3], 0.5 * w * kW[g % 8]);
    }
  return sum.energy();
}

Expected<BlendCurve> blendCurve(const BlendEnd& start, const BlendEnd& end, const Context& cx) {
  for (const BlendEnd* e : {&start, &end})
    if (!(e->pull >= 0.05 && e->pull <= 10) || !(std::abs(e->bend) <= 5))
      return fail(problem("LM-P012", "the strength of an end is out of range").tryThis("take a pull of 0.05 to 10"));
  const double chord = (end.at - start.at).norm();
  if (chord <= cx.tolerances.point.mm)
    return fail(problem("LM-P011", "the two ends are in one place already")
                    .measure(millimetres(chord))
                    .at(start.at)
                    .tryThis("pick ends that are apart, or join the curves"));
  const Fair fair = fairest(start, end, chord);
  BlendMagnitudes m0 = fair.m0, m1 = fair.m1;
  for (auto [e, m] : {std::pair(&start, &m0), std::pair(&end, &m1)}) {
    // A stronger pull is the same end run through faster: the shape near it scales with it.
    m->first *= e->pull;
    m->second = m->second * e->pull * e->pull + e->bend * m->first;
    m->third *= e->pull * e->pull * e->pull;
  }
  BlendCurve out{blendWith(start, end, m0, m1), m0, m1, 0.0};
  out.energy = curvatureVariation(out.curve);
  return out;
}

} // namespace lumsk::nurbs

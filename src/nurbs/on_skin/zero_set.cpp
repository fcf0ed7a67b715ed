#include "nurbs/on_skin/zero_set.h"

#include "nurbs/core/roots.h"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

namespace lumsk::nurbs {

namespace {

constexpr double kMostTurnRad = 0.2;
constexpr double kMostOfDomain = 0.03; ///< each way, of one step
constexpr double kAlongBorder = 1e-9;  ///< of the domain: a curve that leaves it by less runs along its border
constexpr int kDeepest = 4;           ///< halvings below the step where the function may have an extreme
constexpr double kExact = 1e-11;      ///< a value that counts as nought for the corrector
constexpr double kOnCurve = 1e-7;     ///< a place with a larger one is not on a followed curve
constexpr size_t kMostPlaces = 50000; ///< of one curve
constexpr double kLeastStep = 1e-5;   ///< of the largest step
constexpr double kCrossing = 1e-3;    ///< of a touch: branches that come nearer than this cross
constexpr double kSaddle = 1e-8;      ///< squared slope below which a place is not brought onto the zero set any more
constexpr double kRealSlope = 1e-3;   ///< a zero with less of a slope may be a mere touch
constexpr double kFlatValley = 0.02;  ///< of the second derivative across it
constexpr double kSteep = 0.05;        ///< more of a slope is no bottom of a valley
constexpr double kContact = 0.5;      ///< of a touch: how high the bottom of a valley may be
constexpr double kSameBranch = 0.05;  ///< of the step: a start that near to a followed curve lies on it

struct Cell {
  double u0, u1, v0, v1;
  int deeper; ///< halvings below the step
};

Eigen::Matrix2d metric(const FirstDerivatives& d) {
  Eigen::Matrix2d m;
  m << d.du.squaredNorm(), d.du.dot(d.dv), d.du.dot(d.dv), d.dv.squaredNorm();
  return m;
}

FirstDerivatives firstAt(const Surface& s, const Vec2& uv) {
  SurfaceDerivatives d;
  s.derivatives(uv.x(), uv.y(), 1, d);
  return {d(0, 0), d(1, 0), d(0, 1)};
}

/// Inverse of the metric, bounded where the surface is degenerate.
Eigen::Matrix2d inverse(const Eigen::Matrix2d& m) {
  const double det = m(0, 0) * m(1, 1) - m(0, 1) * m(0, 1);
  Eigen::Matrix2d r;
  if (det > 1e-14 * m(0, 0) * m(1, 1)) {
    r << m(1, 1), -m(0, 1), -m(0, 1), m(0, 0);
    return r / det;
  }
  r << 1 / std::max(m(0, 0), 1e-18), 0, 0, 1 / std::max(m(1, 1), 1e-18);
  return r;
}

/// Gradient and second derivatives of the function, these by differences of the gradient.
struct Shape {
  Vec2 gradient;
  Eigen::Matrix2d second;
  double value;
};

class Box {
public:
  explicit Box(const Surface& s) : low_(s.firstU(), s.firstV()), high_(s.lastU(), s.lastV()) {}
  Vec2 held(const Vec2& p) const { return p.cwiseMax(low_).cwiseMin(high_); }
  bool inside(const Vec2& p) const { return (p.array() >= low_.array()).all() && (p.array() <= high_.array()).all(); }
  Vec2 size() const { return high_ - low_; }
  double nearerSide(const Vec2& p, int axis) const {
    return p[axis] - low_[axis] < high_[axis] - p[axis] ? low_[axis] : high_[axis];
  }
  /// The fraction of the way from a to b at which it leaves the box, and through which side.
  double leaving(const Vec2& a, const Vec2& b, int& axis, double& at) const {
    double best = 1.0;
    axis = -1;
    for (int k = 0; k < 2; ++k)
      for (double side : {low_[k], high_[k]}) {
        const double d = b[k] - a[k];
        if (d == 0 || (side == low_[k]) == (d > 0)) continue;
        const double f = (side - a[k]) / d;
        if (f >= -1e-12 && f < best) best = std::max(0.0, f), axis = k, at = side;
      }
    return best;
  }

private:
  Vec2 low_, high_;
};

Shape shapeAt(const Surface& s, const Field& f, const Vec2& uv) {
  const Box box(s);
  const FieldValue v = f(uv.x(), uv.y());
  Shape out{{v.du, v.dv}, Eigen::Matrix2d::Zero(), v.value};
  for (int k = 0; k < 2; ++k) {
    Vec2 a = uv, b = uv;
    const double h = 1e-5 * box.size()[k];
    a[k] -= h, b[k] += h;
    a = box.held(a), b = box.held(b);
    const FieldValue x = f(a.x(), a.y()), y = f(b.x(), b.y());
    out.second.col(k) = Vec2(y.du - x.du, y.dv - x.dv) / (b[k] - a[k]);
  }
  out.second = (0.5 * (out.second + out.second.transpose())).eval();
  return out;
}

/// Second derivatives in an orthonormal basis of the tangent plane: eigenvalues by size, largest first.
struct Bent {
  Vec2 strong, weak; ///< directions in the domain, one mm long
  double strongValue = 0, weakValue = 0;
};

Bent bentAt(const Surface& s, const Shape& shape, const Vec2& uv) {
  const Eigen::Matrix2d m = metric(firstAt(s, uv));
  const Eigen::GeneralizedSelfAdjointEigenSolver<Eigen::Matrix2d> e(shape.second, m + 1e-14 * m.trace() *
                                                                                          Eigen::Matrix2d::Identity());
  const bool firstStrong = std::abs(e.eigenvalues()[0]) > std::abs(e.eigenvalues()[1]);
  const int i = firstStrong ? 0 : 1;
  return {e.eigenvectors().col(i), e.eigenvectors().col(1 - i), e.eigenvalues()[i], e.eigenvalues()[1 - i]};
}

/// The extreme next to a place: Newton's steps, in the strong direction alone where the other is flat.
Vec2 ontoExtreme(const Surface& s, const Field& f, Vec2 uv, bool strongOnly) {
  const Box box(s);
  for (int it = 0; it < 20; ++it) {
    const Shape shape = shapeAt(s, f, uv);
    const Bent b = bentAt(s, shape, uv);
    if (!(std::abs(b.strongValue) > 1e-300)) break;
    Vec2 step = -shape.gradient.dot(b.strong) / b.strongValue * b.strong;
    if (!strongOnly && std::abs(b.weakValue) > 1e-4 * std::abs(b.strongValue))
      step -= shape.gradient.dot(b.weak) / b.weakValue * b.weak;
    const Vec2 next = box.held(uv + step);
    const double moved = (next - uv).cwiseQuotient(box.size()).norm();
    uv = next;
    if (moved < 1e-12) break;
  }
  return uv;
}

class Finder {
public:
  Finder(const Surface& s, const Field& f, const ZeroOptions& o, const Context& cx)
      : s_(s), f_(f), o_(o), cx_(cx), box_(s) {}

  Expected<ZeroSet> run() {
    for (const auto& u : pieces(s_.knotsU(), s_.degreeU()))
      for (const auto& v : pieces(s_.knotsV(), s_.degreeV())) {
        if (cx_.stopped()) return fail(cancelled());
        visit({u.first, u.second, v.first, v.second, 0});
      }
    seen_.clear();
    for (const Vec2& start : starts_) {
      if (cx_.stopped()) return fail(cancelled());
      if (!atPole(start) && !onFollowed(start)) follow(start);
    }
    for (const Vec2& e : extremes_) {
      if (cx_.stopped()) return fail(cancelled());
      offerTouch(e);
    }
    return std::move(out_);
  }

private:
  static std::vector<std::pair<double, double>> pieces(const Knots& U, int degree) {
    const auto b = breakpoints(U, degree);
    std::vector<std::pair<double, double>> out;
    const int per = b.size() > 8 ? 1 : b.size() > 4 ? 2 : 4;
    for (size_t k = 0; k + 1 < b.size(); ++k)
      for (int j = 0; j < per; ++j)
        out.emplace_back(b[k] + (b[k + 1] - b[k]) * j / per, b[k] + (b[k + 1] - b[k]) * (j + 1) / per);
    return out;
  }

  void visit(const Cell& c) {
    const Vec2 mid(0.5 * (c.u0 + c.u1), 0.5 * (c.v0 + c.v1));
    const FieldValue centre = seen(mid);
    const Vec3 at = s_.at(mid.x(), mid.y());
    // Corners and middles of sides, around.
    const Vec2 around[8] = {{c.u0, c.v0}, {mid.x(), c.v0}, {c.u1, c.v0}, {c.u1, mid.y()},
                            {c.u1, c.v1}, {mid.x(), c.v1}, {c.u0, c.v1}, {c.u0, mid.y()}};
    double radius = 0;
    for (const Vec2& p : around) radius = std::max(radius, (s_.at(p.x(), p.y()) - at).norm());
    if (centre.clearMm > 1.15 * radius + o_.touch) return;
    if (2 * radius > o_.stepMm && c.deeper == 0) return halve(c);
    FieldValue v[8];
    std::vector<int> off; // places that are off the zero set beyond rounding: signs count there only
    for (int k = 0; k < 8; ++k) {
      v[k] = seen(around[k]);
      if (std::abs(v[k].value) > kCrossing * o_.touch)
        off.push_back(k);
      else if (slope(around[k], v[k]) > kRealSlope)
        starts_.push_back(box_.held(ontoZero(s_, f_, around[k], false)));
    }
    for (size_t k = 0; k < off.size(); ++k) {
      const int a = off[k], b = off[(k + 1) % off.size()];
      if ((v[a].value > 0) != (v[b].value > 0)) starts_.push_back(root(around[a], around[b]));
    }
    // Where the gradient keeps to one side there is neither an extreme nor a loop.
    const Vec2 scale(c.u1 - c.u0, c.v1 - c.v0), lead = Vec2(centre.du, centre.dv).cwiseProduct(scale);
    const bool monotone = lead.norm() > 0 && std::all_of(v, v + 8, [&](const FieldValue& x) {
                            return Vec2(x.du, x.dv).cwiseProduct(scale).dot(lead) > 0.2 * lead.squaredNorm();
                          });
    if (monotone) return;
    if (c.deeper < kDeepest) return halve({c.u0, c.u1, c.v0, c.v1, c.deeper + 1});
    extremes_.push_back(mid);
  }

  /// The function where cells share places: asked for once.
  const FieldValue& seen(const Vec2& p) {
    const auto [it, fresh] = seen_.try_emplace({p.x(), p.y()});
    if (fresh) it->second = f_(p.x(), p.y());
    return it->second;
  }

  /// At a pole, where a function hardly changes along the whole parameter line. A curve that runs through is found
  /// beside it.
  bool atPole(const Vec2& p) const {
    const FirstDerivatives d = firstAt(s_, p);
    return std::min(d.du.norm() * box_.size().x(), d.dv.norm() * box_.size().y()) < o_.pole * o_.stepMm;
  }

  Vec2 pole(Vec2 p) const {
    const FirstDerivatives d = firstAt(s_, p);
    const int across = d.du.norm() * box_.size().x() < d.dv.norm() * box_.size().y() ? 1 : 0;
    p[across] = box_.nearerSide(p, across);
    return p;
  }

  /// Of the function along the surface, per mm.
  double slope(const Vec2& p, const FieldValue& v) const {
    const Vec2 g(v.du, v.dv);
    return std::sqrt(std::max(0.0, g.dot(inverse(metric(firstAt(s_, p))) * g)));
  }

  void halve(const Cell& c) {
    const double u = 0.5 * (c.u0 + c.u1), v = 0.5 * (c.v0 + c.v1);
    const Vec3 a = s_.at(c.u0, c.v0), b = s_.at(c.u1, c.v0), d = s_.at(c.u0, c.v1), e = s_.at(c.u1, c.v1);
    const double along = (b - a).norm() + (e - d).norm(), across = (d - a).norm() + (e - b).norm();
    if (along > 2 * across || across > 2 * along) {
      if (along > across) return visit({c.u0, u, c.v0, c.v1, c.deeper}), visit({u, c.u1, c.v0, c.v1, c.deeper});
      return visit({c.u0, c.u1, c.v0, v, c.deeper}), visit({c.u0, c.u1, v, c.v1, c.deeper});
    }
    visit({c.u0, u, c.v0, v, c.deeper}), visit({u, c.u1, c.v0, v, c.deeper});
    visit({c.u0, u, v, c.v1, c.deeper}), visit({u, c.u1, v, c.v1, c.deeper});
  }

  /// Between two places with different signs.
  Vec2 root(const Vec2& a, const Vec2& b) const {
    const auto along = [&](double t) {
      const Vec2 p = a + t * (b - a);
      const FieldValue v = f_(p.x(), p.y());
      return std::make_pair(v.value, v.du * (b - a).x() + v.dv * (b - a).y());
    };
    return a + bracketedRoot(along, 0.0, 1.0) * (b - a);
  }

  bool onFollowed(const Vec2& start) const {
    for (const ZeroCurve& c : out_.curves) {
      const Vec2 bottom = c.contact ? box_.held(ontoExtreme(s_, f_, start, true)) : start;
      const bool near = (s_.at(bottom.x(), bottom.y()) - s_.at(start.x(), start.y())).norm() < 0.5 * o_.stepMm;
      const Vec2 p = near ? bottom : start;
      const Vec3 at = s_.at(p.x(), p.y());
      for (size_t i = 0; i < c.uv.size() - (c.closed ? 0 : 1); ++i) {
        const Vec2 &a = c.uv[i], &b = c.uv[(i + 1) % c.uv.size()];
        const Vec3 x = s_.at(a.x(), a.y()), y = s_.at(b.x(), b.y());
        const double l2 = (y - x).squaredNorm(), g = l2 > 0 ? std::clamp((at - x).dot(y - x) / l2, 0.0, 1.0) : 0.0;
        if ((x + g * (y - x) - at).norm() > 0.2 * o_.stepMm) continue;
        const Vec2 q = ontoZero(s_, f_, box_.held(a + g * (b - a)), c.contact);
        const bool leapt = (s_.at(q.x(), q.y()) - x - g * (y - x)).norm() > 0.2 * o_.stepMm; // beside a pole
        if (leapt && (x + g * (y - x) - at).norm() < kSameBranch * o_.stepMm) return true;
        if ((s_.at(q.x(), q.y()) - at).norm() < kSameBranch * o_.stepMm && besides(p, q, 0.1 * o_.stepMm)) return true;
      }
    }
    return false;
  }

  /// Direction of the curve in the domain, one mm long.
  std::optional<Vec2> direction(const Vec2& p) const {
    const FieldValue v = f_(p.x(), p.y());
    const FirstDerivatives d = firstAt(s_, p);
    const double length = (-v.dv * d.du + v.du * d.dv).norm();
    if (!(length > 0)) return std::nullopt;
    return Vec2(-v.dv / length, v.du / length);
  }

  Vec3 inSpace(const Vec2& p, const Vec2& d) const {
    const FirstDerivatives f = firstAt(s_, p);
    return d.x() * f.du + d.y() * f.dv;
  }

  /// Whether two places are near in the domain, too: a surface may pass the same place in space twice.
  bool besides(const Vec2& p, const Vec2& q, double mm) const {
    const FirstDerivatives a = firstAt(s_, p), b = firstAt(s_, q);
    const Vec2 d = q - p;
    return std::min((d.x() * a.du + d.y() * a.dv).norm(), (d.x() * b.du + d.y() * b.dv).norm()) <= mm;
  }

  void follow(const Vec2& start) {
    const auto d = direction(start);
    if (!d) return;
    ZeroCurve c;
    c.uv = followed(start, *d, false, c.closed);
    if (!c.closed) {
      bool again = false;
      std::vector<Vec2> back = followed(start, -*d, true, again);
      std::reverse(back.begin(), back.end());
      back.pop_back();
      c.uv.insert(c.uv.begin(), back.begin(), back.end());
    }
    if (c.uv.size() < 2) return;
    if (const auto bottom = valley(c))
      contact(bottom->first, bottom->second);
    else
      out_.curves.push_back(std::move(c));
  }

  /// A curve that lies on the slope of a valley whose bottom is nought within `touch` is one border of a contact: a
  /// place at the bottom and the way along it.
  std::optional<std::pair<Vec2, Vec2>> valley(const ZeroCurve& c) const {
    std::optional<std::pair<Vec2, Vec2>> out;
    for (int k : {1, 2, 3}) {
      const Vec2 p = c.uv[c.uv.size() * size_t(k) / 4], e = ontoExtreme(s_, f_, p, true);
      const Vec3 at = s_.at(e.x(), e.y());
      if ((at - s_.at(p.x(), p.y())).norm() > 0.5 * o_.stepMm || std::abs(f_(e.x(), e.y()).value) > kContact * o_.touch)
        return {};
      // A bottom has no slope; across a cylinder the function is bent along its circles only.
      if (slope(e, f_(e.x(), e.y())) > kSteep) return {};
      const Bent b = bentAt(s_, shapeAt(s_, f_, e), e);
      if (std::abs(b.weakValue) > kFlatValley * std::abs(b.strongValue)) return {};
      // The valley must be deeper beside its bottom than rounding of the bottom.
      if (std::abs(b.strongValue) * o_.stepMm * o_.stepMm < 8 * o_.touch) return {};
      out = {e, b.weak};
    }
    return out;
  }

  std::vector<Vec2> followed(const Vec2& start, const Vec2& towards, bool backwards, bool& closed) {
    std::vector<Vec2> out{start};
    Vec2 p = start, d = towards;
    const Vec3 first = s_.at(start.x(), start.y());
    double step = 0.25 * o_.stepMm, gone = 0;
    while (out.size() < kMostPlaces && !cx_.stopped()) {
      const Vec3 t = inSpace(p, d);
      // Beside a pole a short way in space is a long one in the domain.
      step = std::min(step, kMostOfDomain / std::max(d.cwiseQuotient(box_.size()).cwiseAbs().maxCoeff(), 1e-300));
      Vec2 q = p + step * d;
      for (int k : {0, 1})
        if (const double in = box_.held(q)[k]; std::abs(q[k] - in) < kAlongBorder * box_.size()[k]) q[k] = in;
      if (!box_.inside(q)) {
        if (leave(p, q, t, out)) return out;
        step *= 0.5;
        if (step < 1e-6 * o_.stepMm) return out;
        continue;
      }
      q = ontoZero(s_, f_, q, false);
      // Beside a pole a step may lead far away.
      const bool off = !box_.inside(q) && std::abs(f_(box_.held(q).x(), box_.held(q).y()).value) > kOnCurve;
      q = box_.held(q);
      auto e = direction(q);
      // Beyond a crossing of branches the gradient points the other way; so it does when a step went from one branch to
      // another that is near it.
      const bool against = e && inSpace(q, *e).dot(t) < 0, flipped = e && against != backwards;
      if (against) *e = -*e;
      const double moved = (s_.at(q.x(), q.y()) - s_.at(p.x(), p.y())).norm();
      const double turn = e ? angleBetweenRad(inSpace(q, *e), t) : 0.0;
      const bool fine = !off && turn < kMostTurnRad && moved > 0.3 * step && moved < 2 * step && !(flipped && !crosses(p, q));
      if (!fine && step > kLeastStep * o_.stepMm) {
        step *= 0.5;
        continue;
      }
      if (!fine && moved < 1e-9) return out;
      const Vec3 at = s_.at(q.x(), q.y());
      if (gone > 1.5 * moved && (first - s_.at(p.x(), p.y())).norm() <= moved * 1.0001 &&
          (first - s_.at(p.x(), p.y())).dot(t) > 0 && (at - first).dot(t) > -1e-9 && besides(p, start, 2 * moved)) {
        closed = true;
        return out;
      }
      out.push_back(q);
      if (atPole(q)) {
        out.back() = pole(q);
        return out;
      }
      if (flipped) backwards = !backwards;
      gone += moved;
      d = e ? *e : d;
      p = q;
      step = std::min(turn < 0.5 * kMostTurnRad ? 1.6 * step : step, o_.stepMm);
    }
    return out;
  }

  /// Whether two branches cross between two places: the function has its saddle there at nought.
  bool crosses(const Vec2& p, const Vec2& q) const {
    const Vec2 e = ontoExtreme(s_, f_, 0.5 * (p + q), false);
    return box_.inside(e) && std::abs(f_(e.x(), e.y()).value) < kCrossing * o_.touch;
  }

  /// The last place of a curve, on the domain's border; false when it is not found from so far away.
  bool leave(const Vec2& p, const Vec2& q, const Vec3& ahead, std::vector<Vec2>& out) const {
    int axis = -1;
    double at = 0;
    const double f = box_.leaving(p, q, axis, at);
    if (axis < 0) return true;
    Vec2 e = box_.held(p + f * (q - p));
    e[axis] = at;
    const int other = 1 - axis;
    for (int it = 0; it < 30 && !atPole(e); ++it) {
      const FieldValue v = f_(e.x(), e.y());
      const double slope = other == 0 ? v.du : v.dv;
      if (std::abs(v.value) < kExact || slope == 0) break;
      const Vec2 before = e;
      e[other] -= v.value / slope;
      e = box_.held(e);
      if ((e - before).cwiseQuotient(box_.size()).norm() < 1e-15) break;
    }
    const Vec3 way = s_.at(e.x(), e.y()) - s_.at(p.x(), p.y());
    const double wide = way.norm();
    const double meant = (s_.at(box_.held(q).x(), box_.held(q).y()) - s_.at(p.x(), p.y())).norm();
    if (std::abs(f_(e.x(), e.y()).value) > kOnCurve || wide > 3 * meant + 1e-9) return false;
    if (wide > 1e-6 && way.dot(ahead) < 0) return false; // across a seam, beside a pole
    if (wide > 1e-9) out.push_back(e);
    return true;
  }

  /// A place near which the function may have an extreme: nothing, a small loop, a touch or a contact along a curve.
  void offerTouch(const Vec2& near) {
    if (std::any_of(out_.curves.begin(), out_.curves.end(), [](const ZeroCurve& c) { return c.contact; }) &&
        onFollowed(near))
      return;
    const Vec2 e = ontoExtreme(s_, f_, near, false);
    const Vec3 at = s_.at(e.x(), e.y()), from = s_.at(near.x(), near.y());
    if ((at - from).norm() > 0.5 * o_.stepMm) return;
    const double value = f_(e.x(), e.y()).value, there = f_(near.x(), near.y()).value;
    if (std::abs(value) > o_.touch) {
      if ((value > 0) != (there > 0)) {
        const Vec2 start = root(e, near);
        if (!onFollowed(start)) follow(start);
      }
      return;
    }
    if (onFollowed(e)) return;
    for (const Vec2& t : out_.touches)
      if ((s_.at(t.x(), t.y()) - at).norm() < 0.1 * o_.stepMm) return;
    const Shape shape = shapeAt(s_, f_, e);
    const Bent b = bentAt(s_, shape, e);
    if (std::abs(b.weakValue) > kFlatValley * std::abs(b.strongValue)) {
      if (b.weakValue * b.strongValue > 0 && std::abs(shape.gradient.dot(b.strong)) < 1e-6) out_.touches.push_back(e);
      return;
    }
    contact(e, b.weak);
  }

  /// Both ways along a valley whose bottom is nought within `touch`.
  void contact(const Vec2& start, const Vec2& along) {
    ZeroCurve c;
    c.contact = true;
    c.uv = {start};
    for (double side : {1.0, -1.0}) {
      Vec2 p = start, d = side * along;
      while (c.uv.size() < kMostPlaces) {
        const Vec3 t = inSpace(p, d);
        const Vec2 ahead = p + 0.5 * o_.stepMm * d;
        const Vec2 q = ontoExtreme(s_, f_, box_.held(ahead), true);
        const Vec3 move = s_.at(q.x(), q.y()) - s_.at(p.x(), p.y());
        if (std::abs(f_(q.x(), q.y()).value) > kContact * o_.touch || move.dot(t) <= 1e-6 * o_.stepMm) break;
        const Vec3 home = s_.at(start.x(), start.y()) - s_.at(p.x(), p.y());
        if (c.uv.size() > 3 && home.norm() < move.norm() && home.dot(t) > 0) {
          c.closed = true;
          break;
        }
        c.uv.insert(side > 0 ? c.uv.end() : c.uv.begin(), q);
        const Bent b = bentAt(s_, shapeAt(s_, f_, q), q);
        d = inSpace(q, b.weak).dot(t) < 0 ? Vec2(-b.weak) : b.weak;
        p = q;
        if (!box_.inside(ahead)) break;
      }
      if (c.closed) break;
    }
    if (c.uv.size() > 2)
      out_.curves.push_back(std::move(c));
    else
      out_.touches.push_back(start);
  }

  const Surface& s_;
  const Field& f_;
  const ZeroOptions& o_;
  const Context& cx_;
  Box box_;
  std::vector<Vec2> starts_, extremes_;
  std::map<std::pair<double, double>, FieldValue> seen_;
  ZeroSet out_;
};

} // namespace

Vec2 ontoZero(const Surface& s, const Field& f, Vec2 uv, bool contact) {
  if (contact) return ontoExtreme(s, f, uv, true);
  double least = 1e300;
  for (int it = 0; it < 12; ++it) {
    const FieldValue v = f(uv.x(), uv.y());
    if (std::abs(v.value) < kExact || std::abs(v.value) > 4 * least) break;
    least = std::min(least, std::abs(v.value));
    const Vec2 g(v.du, v.dv), up = inverse(metric(firstAt(s, uv))) * g;
    const double slope = g.dot(up);
    const Vec2 next = uv - v.value / (slope + kSaddle) * up;
    if (!next.allFinite()) break; // at a pole
    uv = next;
  }
  return uv;
}

Expected<ZeroSet> zeroSet(const Surface& s, const Field& f, const ZeroOptions& options, const Context& cx) {
  return Finder(s, f, options, cx).run();
}

} // namespace lumsk::nurbs

#include "nurbs/measure/meet.h"

#include "nurbs/measure/closest.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kSameParameter = 1e-6;
constexpr size_t kFewMeetings = 6; ///< of more it is asked whether they lie on a common stretch

/// Nearest points of two chords as fractions (Lumelsky 1985).
void nearestOfChords(const Vec3& p, const Vec3& q, const Vec3& r, const Vec3& w, double& f, double& g) {
  const Vec3 d1 = q - p, d2 = w - r, m = p - r;
  const double a = d1.squaredNorm(), e = d2.squaredNorm(), b = d1.dot(d2), c = d1.dot(m), h = d2.dot(m);
  const double den = a * e - b * b;
  f = den > 1e-12 * a * e ? std::clamp((b * h - c * e) / den, 0.0, 1.0) : 0.5;
  g = e > 0 ? (b * f + h) / e : 0.0;
  if (g < 0 || g > 1) {
    g = std::clamp(g, 0.0, 1.0);
    f = a > 0 ? std::clamp((b * g - c) / a, 0.0, 1.0) : 0.0;
  }
}

double bounded(const Path& p, double t) {
  if (!p.closed()) return std::clamp(t, 0.0, p.last());
  const double w = p.last();
  return t - w * std::floor(t / w);
}

double apart(const Path& p, double s, double t) {
  const double d = std::abs(s - t);
  return p.closed() ? std::min(d, p.last() - d) : d;
}

} // namespace

MeetingSide::MeetingSide(const Path& p) : path_(&p) {
  for (size_t i = 0; i < p.segments().size(); ++i) {
    std::vector<double> breaks{0.0, 1.0};
    int per = 16;
    if (const auto* c = std::get_if<Spline>(&p.segments()[i])) {
      breaks = breakpoints(c->knots(), c->degree());
      for (double& b : breaks) b = (b - c->first()) / (c->last() - c->first());
      // Enough chords on the whole; splines of many spans need few on each.
      per = std::clamp(48 / int(breaks.size() - 1), 2, 2 * c->degree() + 2);
    } else if (std::holds_alternative<LineSegment>(p.segments()[i])) {
      per = 1;
    }
    for (size_t k = 0; k + 1 < breaks.size(); ++k)
      for (int j = 0; j < per; ++j) t_.push_back(double(i) + breaks[k] + (breaks[k + 1] - breaks[k]) * j / per);
  }
  t_.push_back(p.last());
  for (double t : t_) at_.push_back(p.at(t));
  const int chords = int(t_.size()) - 1;
  while (leaves_ < chords) leaves_ *= 2;
  tree_.assign(size_t(2 * leaves_), {Vec3::Constant(1e300), Vec3::Constant(-1e300)});
  for (int k = 0; k < chords; ++k) {
    const bool straight = std::holds_alternative<LineSegment>(p.segments()[size_t(t_[k])]);
    sag_.push_back(straight ? 0.0 : 2 * (p.at(0.5 * (t_[k] + t_[k + 1])) - 0.5 * (at_[k] + at_[k + 1])).norm());
    const Vec3 pad = Vec3::Constant(sag_.back());
    tree_[leaves_ + k] = {at_[k].cwiseMin(at_[k + 1]) - pad, at_[k].cwiseMax(at_[k + 1]) + pad};
  }
  for (int k = leaves_ - 1; k > 0; --k)
    tree_[k] = {tree_[2 * k].low.cwiseMin(tree_[2 * k + 1].low), tree_[2 * k].high.cwiseMax(tree_[2 * k + 1].high)};
}

class MeetingFinder {
public:
  /// A negative limit asks for the nearest place alone.
  MeetingFinder(const MeetingSide& a, const MeetingSide& b, double limit) : a_(a), b_(b), limit_(limit) {}

  Meeting nearest() {
    Meeting out;
    out.gapMm = 1e300;
    descend(1, 1);
    std::sort(seeds_.begin(), seeds_.end(), [](const Seed& x, const Seed& y) { return x.bound < y.bound; });
    for (const Seed& s : seeds_) {
      if (s.bound >= out.gapMm) break;
      if (const Meeting m = polished(s); m.gapMm < out.gapMm) out = m;
    }
    return out;
  }

  Meetings run() {
    descend(1, 1);
    std::sort(seeds_.begin(), seeds_.end(), [](const Seed& x, const Seed& y) { return x.bound < y.bound; });
    size_t asked = kFewMeetings;
    for (const Seed& s : seeds_) {
      offer(polished(s));
      if (out_.list.size() > asked && runTogether()) {
        out_.overlap = true;
        break;
      }
      if (out_.list.size() > asked) asked *= 4;
    }
    std::sort(out_.list.begin(), out_.list.end(), [](const Meeting& x, const Meeting& y) { return x.s < y.s; });
    return std::move(out_);
  }

private:
  struct Seed {
    double bound, s, t;
  };

  static double between(const MeetingSide::Box& p, const MeetingSide::Box& q) {
    return (p.low - q.high).cwiseMax(q.low - p.high).cwiseMax(0.0).norm();
  }

  void descend(int i, int j) {
    if (between(a_.tree_[i], b_.tree_[j]) > (limit_ >= 0 ? limit_ : upper_)) return;
    const bool leafA = i >= a_.leaves_, leafB = j >= b_.leaves_;
    if (leafA && leafB) return chords(i - a_.leaves_, j - b_.leaves_);
    if (leafB || (!leafA && (a_.tree_[i].high - a_.tree_[i].low).norm() > (b_.tree_[j].high - b_.tree_[j].low).norm()))
      visit({i * 2, j}, {i * 2 + 1, j});
    else
      visit({i, j * 2}, {i, j * 2 + 1});
  }

  /// The nearer half first, so that the bound falls soon.
  void visit(std::pair<int, int> p, std::pair<int, int> q) {
    if (between(a_.tree_[p.first], b_.tree_[p.second]) > between(a_.tree_[q.first], b_.tree_[q.second]))
      std::swap(p, q);
    descend(p.first, p.second);
    descend(q.first, q.second);
  }

  void chords(int k, int l) {
    double f, g;
    nearestOfChords(a_.at_[k], a_.at_[k + 1], b_.at_[l], b_.at_[l + 1], f, g);
    const Vec3 p = a_.at_[k] + f * (a_.at_[k + 1] - a_.at_[k]), q = b_.at_[l] + g * (b_.at_[l + 1] - b_.at_[l]);
    const double d = (p - q).norm(), sag = a_.sag_[k] + b_.sag_[l];
    upper_ = std::min(upper_, d + sag);
    if (limit_ >= 0 && d - sag > limit_) return;
    seeds_.push_back(
        {std::max(0.0, d - sag), a_.t_[k] + f * (a_.t_[k + 1] - a_.t_[k]), b_.t_[l] + g * (b_.t_[l + 1] - b_.t_[l])});
  }

  Meeting polished(const Seed& seed) const {
    const Path &A = *a_.path_, &B = *b_.path_;
    double s = bounded(A, seed.s), t = bounded(B, seed.t), damp = 0.0;
    CurveDerivatives da, db;
    double best = (A.at(s) - B.at(t)).squaredNorm();
    for (int it = 0; it < 50; ++it) {
      A.derivatives(s, 1, da);
      B.derivatives(t, 1, db);
      const Vec3 r = da[0] - db[0];
      Vec2 g(r.dot(da[1]), -r.dot(db[1]));
      // At an end that it pushes against, a parameter stays.
      const bool holdS = !A.closed() && ((s <= 0 && g.x() > 0) || (s >= A.last() && g.x() < 0));
      const bool holdT = !B.closed() && ((t <= 0 && g.y() > 0) || (t >= B.last() && g.y() < 0));
      const double aa = da[1].squaredNorm() * (1 + damp), bb = db[1].squaredNorm() * (1 + damp), ab = -da[1].dot(db[1]);
      double ds = 0, dt = 0;
      const double det = aa * bb - ab * ab;
      if (!holdS && !holdT && det > 1e-10 * aa * bb)
        ds = -(g.x() * bb - g.y() * ab) / det, dt = -(g.y() * aa - g.x() * ab) / det;
      else if (!holdS && (holdT || g.x() * g.x() * bb > g.y() * g.y() * aa))
        ds = aa > 0 ? -g.x() / aa : 0.0;
      else if (!holdT)
        dt = bb > 0 ? -g.y() / bb : 0.0;
      const double s2 = bounded(A, s + ds), t2 = bounded(B, t + dt), d = (A.at(s2) - B.at(t2)).squaredNorm();
      if (!(d < best)) {
        if (std::abs(ds) + std::abs(dt) < 1e-13 || damp > 1e6) break;
        damp = damp > 0 ? 10 * damp : 1e-2;
        continue;
      }
      const double moved = apart(A, s, s2) + apart(B, t, t2);
      s = s2, t = t2, best = d, damp *= 0.1;
      if (moved < 1e-14) break;
    }
    A.derivatives(s, 1, da);
    B.derivatives(t, 1, db);
    const double turn = degFromRad(angleBetweenRad(da[1], db[1]));
    return {s, t, da[0], db[0], (da[0] - db[0]).norm(), std::min(turn, 180 - turn)};
  }

  /// Whether the curves stay together between most of the meetings that follow one another.
  bool runTogether() {
    std::vector<double> at;
    for (const Meeting& m : out_.list) at.push_back(m.s);
    std::sort(at.begin(), at.end());
    size_t together = 0;
    for (size_t i = 1; i < at.size(); ++i)
      together += closestPoint(*b_.path_, a_.path_->at(0.5 * (at[i - 1] + at[i]))).distanceMm <= limit_;
    return 2 * together > at.size();
  }

  void offer(const Meeting& m) {
    if (m.gapMm > limit_) return;
    for (Meeting& k : out_.list) {
      const bool near = (k.a - m.a).norm() <= limit_ + 1e-6 && (k.b - m.b).norm() <= limit_ + 1e-6;
      const bool same = apart(*a_.path_, k.s, m.s) < kSameParameter && apart(*b_.path_, k.t, m.t) < kSameParameter;
      if (!near && !same) continue;
      if (m.gapMm < k.gapMm) k = m;
      return;
    }
    out_.list.push_back(m);
  }

  const MeetingSide &a_, &b_;
  double limit_, upper_ = 1e300;
  std::vector<Seed> seeds_;
  Meetings out_;
};

Meetings meetings(const MeetingSide& a, const MeetingSide& b, double limitMm) {
  return MeetingFinder(a, b, limitMm).run();
}

Meeting nearest(const MeetingSide& a, const MeetingSide& b) { return MeetingFinder(a, b, -1.0).nearest(); }

Meetings meetings(const Path& a, const Path& b, double limitMm) {
  return meetings(MeetingSide(a), MeetingSide(b), limitMm);
}

} // namespace lumsk::nurbs

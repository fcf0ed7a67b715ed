#include "nurbs/curves/two_view.h"

#include "nurbs/measure/arc_length.h"
#include "nurbs/curves/chains.h"
#include "nurbs/curves/ellipse_fit.h"
#include "nurbs/core/roots.h"
#include "nurbs/fit/traced.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace lumsk::nurbs {

namespace {

constexpr double kLevelSlope = 1e-6;       ///< sine of the slope below which an end of a stretch turns
constexpr double kLeastViewAngleDeg = 1.0; ///< views that differ by less look the same
constexpr double kOffCentre = 0.4871;      ///< a fraction that no symmetric shape favours

/// The two views: e is common to both planes, a and b lie in the first and second plane, square to e.
struct Views {
  Vec3 e, a, b, origin;
  Eigen::Matrix2d across; ///< from (x . a, x . b) to coordinates along (a, n) of the first plane
  Vec3 n;

  double height(const Vec3& p) const { return (p - origin).dot(e); }
  Vec3 combined(double h, const Vec3& p, const Vec3& q) const {
    const Vec2 x = across * Vec2((p - origin).dot(a), (q - origin).dot(b));
    return origin + h * e + x.x() * a + x.y() * n;
  }
};

/// An end of a stretch of monotone height.
struct Vertex {
  const Path* path = nullptr;
  double t = 0.0;
  int level = -1;      ///< index of its height
  bool sharp = false;  ///< the outline has a corner here
  bool joint = false;  ///< two segments meet here
  std::vector<int> at; ///< stretches that end here
};

/// A stretch of one segment whose height is monotone, or level.
struct Stretch {
  const Path* path = nullptr;
  double t0 = 0.0, t1 = 0.0;
  int v0 = -1, v1 = -1;
  bool straight = false;
};

class Outline {
public:
  Outline(const std::vector<Path>& paths, const Vec3& direction, const Views& views, const Tolerances& tol)
      : paths_(&paths), across_(direction), views_(&views) {
    for (const Path& p : paths) add(p, tol);
    closed_ = std::all_of(paths.begin(), paths.end(), [](const Path& p) { return p.closed(); });
  }

  std::vector<Vertex>& vertices() { return vertices_; }
  const std::vector<Vertex>& vertices() const { return vertices_; }
  const std::vector<Stretch>& stretches() const { return stretches_; }
  bool closed() const { return closed_; }
  double heightOf(const Vertex& v) const { return views_->height(pointOf(v)); }
  static Vec3 pointOf(const Vertex& v) { return v.path->at(v.t); }

  int low(const Stretch& s) const { return std::min(vertices_[s.v0].level, vertices_[s.v1].level); }
  int high(const Stretch& s) const { return std::max(vertices_[s.v0].level, vertices_[s.v1].level); }
  bool level(const Stretch& s) const { return low(s) == high(s); }

  /// Place on a stretch at a height; ends where the height is beyond them.
  double parameterAt(const Stretch& s, double h) const {
    const double end0 = views_->height(s.path->at(s.t0)), end1 = views_->height(segmentEnd(s));
    const double sign = end1 > end0 ? 1 : -1;
    if ((h - end0) * sign <= 0) return s.t0;
    if ((h - end1) * sign >= 0) return s.t1;
    const double base = std::floor(s.t0);
    return bracketedRoot(
        [&](double t) {
          CurveDerivatives d;
          if (t >= base + 1) t = std::nextafter(base + 1, 0.0);
          s.path->derivatives(t, 1, d);
          return std::make_pair(views_->height(d[0]) - h, d[1].dot(views_->e));
        },
        s.t0, s.t1);
  }

  /// Whether the outline turns at this end of the stretch: has no slope there.
  bool turns(const Stretch& s, bool atFirst) const {
    const double base = std::floor(s.t0);
    const double t = atFirst ? s.t0 : s.t1;
    CurveDerivatives d;
    s.path->derivatives(std::min(t, std::nextafter(base + 1, 0.0)), 1, d);
    return std::abs(d[1].dot(views_->e)) < kLevelSlope * d[1].norm();
  }

  /// Whether a place of the plane is inside, by the even-odd rule along a line of growing height.
  bool inside(double across, double h) const {
    const Frame line = Frame::fromNormal(views_->origin + across * across_, across_);
    int above = 0;
    for (const Path& p : *paths_)
      for (double t : planeCrossings(p, line, 0.0)) above += views_->height(p.at(t)) > h;
    return above % 2 == 1;
  }
  double acrossOf(const Vec3& p) const { return (p - views_->origin).dot(across_); }

private:
  static Vec3 segmentEnd(const Stretch& s) {
    CurveDerivatives d;
    s.path->derivatives(std::min(s.t1, std::nextafter(std::floor(s.t0) + 1, 0.0)), 0, d);
    return d[0];
  }

  void add(const Path& p, const Tolerances& tol) {
    const std::vector<double> corners = p.corners(tol.corner);
    const int first = int(vertices_.size());
    const auto vertex = [&](double t) {
      Vertex v;
      v.path = &p;
      v.t = t;
      v.joint = t == std::floor(t);
      v.sharp = std::find(corners.begin(), corners.end(), t) != corners.end();
      vertices_.push_back(v);
      return int(vertices_.size()) - 1;
    };
    int before = vertex(0.0);
    for (size_t i = 0; i < p.segments().size(); ++i) {
      std::vector<double> stops;
      for (double f : levelPlaces(p.segments()[i], views_->e))
        if (f > 1e-9 && f < 1 - 1e-9 && (stops.empty() || f > stops.back() + 1e-9)) stops.push_back(f);
      stops.push_back(1.0);
      for (double f : stops) {
        Stretch s;
        s.path = &p;
        s.t0 = stretches_.empty() || stretches_.back().path != &p ? 0.0 : stretches_.back().t1;
        s.t1 = double(i) + f;
        s.v0 = before;
        const bool closing = p.closed() && i + 1 == p.segments().size() && f == 1.0;
        s.v1 = before = closing ? first : vertex(s.t1);
        s.straight = std::holds_alternative<LineSegment>(p.segments()[i]);
        vertices_[s.v0].at.push_back(int(stretches_.size()));
        vertices_[s.v1].at.push_back(int(stretches_.size()));
        stretches_.push_back(s);
      }
    }
    // A lone closed segment may start at a smooth place: no joint then.
    if (p.closed() && p.segments().size() == 1 && corners.empty()) vertices_[first].joint = kinkedSeam(p);
  }

  /// Whether the seam of a closed segment is no more than tangent-continuous; whole ellipses are smooth there.
  static bool kinkedSeam(const Path& p) {
    CurveDerivatives a, b;
    p.derivatives(0.0, 2, a);
    p.derivatives(std::nextafter(1.0, 0.0), 2, b);
    return (a[1] - b[1]).norm() > 1e-6 * a[1].norm() || (a[2] - b[2]).norm() > 1e-6 * a[2].norm();
  }

  const std::vector<Path>* paths_;
  Vec3 across_;
  const Views* views_;
  std::vector<Vertex> vertices_;
  std::vector<Stretch> stretches_;
  bool closed_ = false;
};

/// A place on an outline at a height that counts: one of its vertices, or inside a stretch.
struct Place {
  int vertex = -1, stretch = -1;
  bool operator<(const Place& o) const { return std::tie(vertex, stretch) < std::tie(o.vertex, o.stretch); }
};

/// Where arcs end: a place on either outline, at one height.
struct Node {
  Place a, b;
  int level = -1;
  bool operator<(const Node& o) const {
    if (level != o.level) return level < o.level;
    if (a < o.a) return true;
    return !(o.a < a) && b < o.b;
  }
};

struct Arc {
  int node0 = -1, node1 = -1;
  std::function<Vec3(double)> at; ///< over [0, 1]
  bool straight = false;
};

class Builder {
public:
  Builder(const std::vector<Path>& first, const std::vector<Path>& second, const Views& views,
          const TwoViewOptions& options, const Context& cx)
      : views_(views), options_(options), cx_(cx), A_(first, views.a, views, cx.tolerances),
        B_(second, views.b, views, cx.tolerances) {}

  Expected<TwoViewResult> run() {
    levels();
    for (size_t i = 0; i < A_.stretches().size(); ++i)
      for (size_t j = 0; j < B_.stretches().size(); ++j) pair(int(i), int(j));
    alongVertices(A_, B_, true);
    alongVertices(B_, A_, false);
    if (options_.cornerLines && A_.closed() && B_.closed()) {
      cornerLines(A_, B_, true);
      cornerLines(B_, A_, false);
    }
    touches();
    for (const auto& chain : chains()) {
      if (cx_.stopped()) return fail(cancelled());
      if (const Vec3 at = placeOf(chain); shorterThanPoint(chain, at)) {
        result_.touches.push_back(at);
        continue;
      }
      LUMSK_TRY(path, fitted(chain));
      result_.branches.push_back(std::move(path));
    }
    return std::move(result_);
  }

private:
  /// Heights of all vertices; those within half of `fit` are one.
  void levels() {
    struct Entry {
      double h;
      Vertex* v;
    };
    std::vector<Entry> all;
    for (Outline* o : {&A_, &B_})
      for (Vertex& v : o->vertices()) all.push_back({o->heightOf(v), &v});
    std::sort(all.begin(), all.end(), [](const Entry& x, const Entry& y) { return x.h < y.h; });
    for (size_t i = 0; i < all.size();) {
      size_t k = i;
      double sum = 0;
      for (; k < all.size() && all[k].h - all[i].h <= 0.5 * cx_.tolerances.fit.mm; ++k) {
        all[k].v->level = int(heights_.size());
        sum += all[k].h;
      }
      heights_.push_back(sum / double(k - i));
      i = k;
    }
  }

  int node(const Place& a, const Place& b, int level) {
    const auto [it, fresh] = nodes_.try_emplace(Node{a, b, level}, int(nodes_.size()));
    return it->second;
  }

  Place placeAt(const Outline& o, int stretch, int level) const {
    const Stretch& s = o.stretches()[stretch];
    if (o.vertices()[s.v0].level == level) return {s.v0, -1};
    if (o.vertices()[s.v1].level == level) return {s.v1, -1};
    return {-1, stretch};
  }

  void pair(int i, int j) {
    const Stretch &s = A_.stretches()[i], &t = B_.stretches()[j];
    if (A_.level(s) && B_.level(t)) {
      if (A_.low(s) == B_.low(t)) plateau(i, j);
    } else if (A_.level(s)) {
      if (B_.low(t) < A_.low(s) && A_.low(s) < B_.high(t)) alongLevel(A_, i, {-1, j}, true);
    } else if (B_.level(t)) {
      if (A_.low(s) < B_.low(t) && B_.low(t) < A_.high(s)) alongLevel(B_, j, {-1, i}, false);
    } else {
      const int lo = std::max(A_.low(s), B_.low(t)), hi = std::min(A_.high(s), B_.high(t));
      if (lo < hi) slope(i, j, lo, hi);
    }
  }

  /// Both outlines rise: one arc between two heights.
  void slope(int i, int j, int lo, int hi) {
    const Stretch &s = A_.stretches()[i], &t = B_.stretches()[j];
    const auto turnsAt = [&](const Outline& o, const Stretch& x, int level) {
      return (o.vertices()[x.v0].level == level && o.turns(x, true)) ||
             (o.vertices()[x.v1].level == level && o.turns(x, false));
    };
    const bool first = turnsAt(A_, s, lo) || turnsAt(B_, t, lo), last = turnsAt(A_, s, hi) || turnsAt(B_, t, hi);
    const double h0 = heights_[lo], h1 = heights_[hi];
    Arc arc;
    arc.node0 = node(placeAt(A_, i, lo), placeAt(B_, j, lo), lo);
    arc.node1 = node(placeAt(A_, i, hi), placeAt(B_, j, hi), hi);
    arc.straight = s.straight && t.straight;
    arc.at = [this, &s, &t, h0, h1, first, last](double w) {
      // Where an outline turns, height goes as the square of the way.
      const double f = first && last ? 0.5 * (1 - std::cos(kPi * w)) : first ? w * w : last ? w * (2 - w) : w;
      const double h = h0 + f * (h1 - h0);
      return views_.combined(h, s.path->at(A_.parameterAt(s, h)), t.path->at(B_.parameterAt(t, h)));
    };
    arcs_.push_back(std::move(arc));
  }

  Vec3 pointAt(const Outline& o, const Place& p, double h) const {
    if (p.vertex >= 0) return Outline::pointOf(o.vertices()[p.vertex]);
    const Stretch& s = o.stretches()[p.stretch];
    return s.path->at(o.parameterAt(s, h));
  }

  /// Along a level stretch of one outline at a fixed place of the other.
  void alongLevel(const Outline& o, int stretch, const Place& other, bool ofA) {
    const Stretch& s = o.stretches()[stretch];
    const int level = o.low(s);
    const Vec3 fixed = pointAt(ofA ? B_ : A_, other, heights_[level]);
    line({s.v0, -1}, {s.v1, -1}, other, level, ofA, [this, &s, fixed, level, ofA](double w) {
      const Vec3 p = w >= 1 && s.t1 == std::floor(s.t1) && s.t1 < s.path->last() ? s.path->at(s.t1)
                                                                                 : s.path->at(s.t0 + w * (s.t1 - s.t0));
      return ofA ? views_.combined(heights_[level], p, fixed) : views_.combined(heights_[level], fixed, p);
    });
  }

  void line(const Place& from, const Place& to, const Place& other, int level, bool ofA,
            std::function<Vec3(double)> at) {
    Arc arc;
    arc.node0 = ofA ? node(from, other, level) : node(other, from, level);
    arc.node1 = ofA ? node(to, other, level) : node(other, to, level);
    arc.at = std::move(at);
    arc.straight = true;
    arcs_.push_back(std::move(arc));
  }

  /// Level stretches of one outline at vertices of the other through which it rises.
  void alongVertices(const Outline& o, const Outline& other, bool ofA) {
    for (size_t i = 0; i < o.stretches().size(); ++i) {
      const Stretch& s = o.stretches()[i];
      if (!o.level(s)) continue;
      for (size_t k = 0; k < other.vertices().size(); ++k) {
        const Vertex& v = other.vertices()[k];
        if (v.level != o.low(s) || v.at.size() != 2) continue;
        const Stretch &x = other.stretches()[v.at[0]], &y = other.stretches()[v.at[1]];
        const bool through =
            (other.low(x) < v.level && other.high(y) > v.level) || (other.low(y) < v.level && other.high(x) > v.level);
        if (through && !other.level(x) && !other.level(y)) alongLevel(o, int(i), {int(k), -1}, ofA);
      }
    }
  }

  /// Both outlines are level at one height: the common body has a flat there.
  void plateau(int i, int j) {
    const Stretch &s = A_.stretches()[i], &t = B_.stretches()[j];
    if (!A_.closed() || !B_.closed()) return diagonal(i, j, diagonalMet(i, j));
    if (above(A_, s) != above(B_, t)) return;
    bool sharp = false;
    const auto borders = [&](const Outline& o, const Stretch& x, const Outline& other, int stretch, bool ofA) {
      for (int v : {x.v0, x.v1}) {
        if (!o.vertices()[v].sharp) continue;
        sharp = true;
        // Where the outline goes on solid beyond its corner, the other's flat goes on in the same plane: no edge.
        if (!solidBeyond(o, x, v)) alongLevel(other, stretch, {v, -1}, !ofA);
      }
    };
    borders(A_, s, B_, j, true);
    borders(B_, t, A_, i, false);
    if (!sharp) {
      diagonal(i, j, false);
      diagonal(i, j, true);
    }
  }

  /// Whether the inside goes on at the height of a level stretch beyond one of its ends, on its own side.
  bool solidBeyond(const Outline& o, const Stretch& s, int v) const {
    const double x = o.acrossOf(Outline::pointOf(o.vertices()[v]));
    const double other = o.acrossOf(Outline::pointOf(o.vertices()[v == s.v0 ? s.v1 : s.v0]));
    const double step = 4 * cx_.tolerances.point.mm;
    return o.inside(x + (x > other ? step : -step), heights_[o.low(s)] + (above(o, s) ? step : -step));
  }

  /// Which diagonal of the plateau goes on in neighbouring arcs: the one whose ends both outlines leave to one side.
  bool diagonalMet(int i, int j) const {
    const Stretch &s = A_.stretches()[i], &t = B_.stretches()[j];
    const auto leaves = [&](const Outline& o, int v, int own) {
      for (int k : o.vertices()[v].at)
        if (k != own && !o.level(o.stretches()[k])) return o.high(o.stretches()[k]) > o.vertices()[v].level ? 1 : -1;
      return 0;
    };
    const auto fits = [&](int va, int vb) {
      const int x = leaves(A_, va, i), y = leaves(B_, vb, j);
      return x != 0 && x == y ? 1 : 0;
    };
    return fits(s.v0, t.v1) + fits(s.v1, t.v0) > fits(s.v0, t.v0) + fits(s.v1, t.v1);
  }

  void diagonal(int i, int j, bool crossed) {
    const Stretch &s = A_.stretches()[i], &t = B_.stretches()[j];
    const int level = A_.low(s), from = crossed ? t.v1 : t.v0, to = crossed ? t.v0 : t.v1;
    const Vec3 a = views_.combined(heights_[level], pointAt(A_, {s.v0, -1}, 0), pointAt(B_, {from, -1}, 0)),
               b = views_.combined(heights_[level], pointAt(A_, {s.v1, -1}, 0), pointAt(B_, {to, -1}, 0));
    Arc arc;
    arc.node0 = node({s.v0, -1}, {from, -1}, level);
    arc.node1 = node({s.v1, -1}, {to, -1}, level);
    arc.at = [a, b](double w) { return Vec3(a + w * (b - a)); };
    arc.straight = true;
    arcs_.push_back(std::move(arc));
  }

  /// Whether the inside is above a level stretch.
  bool above(const Outline& o, const Stretch& s) const {
    const double x0 = o.acrossOf(s.path->at(s.t0)), x1 = o.acrossOf(s.path->at(s.t0 + kOffCentre * (s.t1 - s.t0)));
    return o.inside(x1 + 1e-9 * (x1 - x0), heights_[o.low(s)] + cx_.tolerances.fit.mm);
  }

  /// From every corner of an outline through the inside of the other.
  void cornerLines(const Outline& o, const Outline& other, bool ofA) {
    for (size_t k = 0; k < o.vertices().size(); ++k) {
      const Vertex& v = o.vertices()[k];
      if (!v.sharp) continue;
      struct At {
        double x;
        Place place;
      };
      std::vector<At> at;
      for (size_t j = 0; j < other.stretches().size(); ++j) {
        const Stretch& s = other.stretches()[j];
        if (other.low(s) < v.level && v.level < other.high(s))
          at.push_back({other.acrossOf(pointAt(other, {-1, int(j)}, heights_[v.level])), {-1, int(j)}});
      }
      for (size_t j = 0; j < other.vertices().size(); ++j)
        if (other.vertices()[j].level == v.level)
          at.push_back({other.acrossOf(Outline::pointOf(other.vertices()[j])), {int(j), -1}});
      std::sort(at.begin(), at.end(), [](const At& x, const At& y) { return x.x < y.x; });
      for (size_t m = 0; m + 1 < at.size(); ++m) {
        const double x = at[m].x + kOffCentre * (at[m + 1].x - at[m].x), h = heights_[v.level];
        // Strictly inside: a little above and a little below.
        const double step = 2 * cx_.tolerances.fit.mm;
        if (at[m + 1].x - at[m].x < cx_.tolerances.point.mm || !other.inside(x, h + step) || !other.inside(x, h - step))
          continue;
        const Vec3 p = Outline::pointOf(v), q0 = pointAt(other, at[m].place, h),
                   q1 = pointAt(other, at[m + 1].place, h);
        line(at[m].place, at[m + 1].place, {int(k), -1}, v.level, !ofA, [this, p, q0, q1, h, ofA](double w) {
          const Vec3 q = q0 + w * (q1 - q0);
          return ofA ? views_.combined(h, p, q) : views_.combined(h, q, p);
        });
      }
    }
  }

  /// Extremes of both outlines at one height that no arc reaches.
  void touches() {
    std::vector<char> reached(nodes_.size(), 0);
    for (const Arc& a : arcs_) reached[a.node0] = reached[a.node1] = 1;
    for (size_t i = 0; i < A_.vertices().size(); ++i)
      for (size_t j = 0; j < B_.vertices().size(); ++j) {
        if (A_.vertices()[i].level != B_.vertices()[j].level) continue;
        const auto it = nodes_.find(Node{{int(i), -1}, {int(j), -1}, A_.vertices()[i].level});
        if (it != nodes_.end() && reached[it->second]) continue;
        result_.touches.push_back(views_.combined(heights_[A_.vertices()[i].level], Outline::pointOf(A_.vertices()[i]),
                                                  Outline::pointOf(B_.vertices()[j])));
      }
  }

  // From arcs to curves.

  /// Direction in which an arc leaves one of its ends.
  Vec3 leaving(const Arc& a, bool atFirst) const {
    constexpr double kStep = 1e-3;
    const auto p = [&](double w) { return a.at(atFirst ? w : 1 - w); };
    return (-3 * p(0) + 4 * p(kStep) - p(2 * kStep)).normalized();
  }

  std::vector<Chain> chains() const {
    std::vector<std::array<int, 2>> ends;
    for (const Arc& a : arcs_) ends.push_back({a.node0, a.node1});
    return chainsOf(ends, [this](int arc, bool first) { return leaving(arcs_[arc], first); });
  }

  Vec3 placeOf(const Chain& c) const { return arcs_[c.links.front().arc].at(0); }
  bool shorterThanPoint(const Chain& c, const Vec3& at) const {
    return std::all_of(c.links.begin(), c.links.end(), [&](const ChainLink& s) {
      return std::max((arcs_[s.arc].at(0.5) - at).norm(), (arcs_[s.arc].at(1) - at).norm()) <= cx_.tolerances.point.mm;
    });
  }

  bool sharpBetween(const ChainLink& x, const ChainLink& y) const {
    const Vec3 in = -leaving(arcs_[x.arc], !x.forward), out = leaving(arcs_[y.arc], y.forward);
    return angleBetweenRad(in, out) > cx_.tolerances.corner.rad();
  }

  /// Whether a curve through this node is no more than tangent-continuous: an outline has a joint there.
  bool kinkAt(int node) const {
    for (const auto& [n, index] : nodes_)
      if (index == node)
        return (n.a.vertex >= 0 && A_.vertices()[n.a.vertex].joint) ||
               (n.b.vertex >= 0 && B_.vertices()[n.b.vertex].joint);
    return false;
  }

  Expected<Path> fitted(Chain chain) {
    std::vector<ChainLink>& steps = chain.links;
    const int n = int(steps.size());
    // A closed chain starts at a corner, or at a kink, if it has one.
    std::vector<char> sharp(n, 0), kink(n, 0); // before step i
    for (int i = 0; i < n; ++i) {
      if (i == 0 && !chain.closed) continue;
      const ChainLink &x = steps[(i + n - 1) % n], &y = steps[i];
      sharp[i] = sharpBetween(x, y);
      kink[i] = kinkAt(y.forward ? arcs_[y.arc].node0 : arcs_[y.arc].node1);
    }
    if (chain.closed) {
      auto at = std::find(sharp.begin(), sharp.end(), 1);
      size_t shift = at != sharp.end() ? at - sharp.begin() : 0;
      std::rotate(steps.begin(), steps.begin() + shift, steps.end());
      std::rotate(sharp.begin(), sharp.begin() + shift, sharp.end());
      std::rotate(kink.begin(), kink.begin() + shift, kink.end());
    }
    const bool smoothRing = chain.closed && std::find(sharp.begin(), sharp.end(), 1) == sharp.end();
    std::vector<Segment> segments;
    for (int i = 0; i < n;) {
      int k = i + 1;
      while (k < n && !sharp[k]) ++k;
      LUMSK_CHECK(addSmooth({steps.begin() + i, steps.begin() + k}, {kink.begin() + i, kink.begin() + k}, smoothRing,
                            segments));
      i = k;
    }
    return Path::make(std::move(segments), {2 * cx_.tolerances.point.mm});
  }

  Expected<void> addSmooth(const std::vector<ChainLink>& steps, const std::vector<char>& kink, bool ring,
                           std::vector<Segment>& out) {
    PointFunction f;
    f.closed = ring;
    f.at = [this, &steps](double w) {
      const size_t i = std::min(steps.size() - 1, size_t(std::max(0.0, std::floor(w))));
      return arcs_[steps[i].arc].at(steps[i].forward ? w - double(i) : 1 - (w - double(i)));
    };
    bool straight = !ring;
    for (size_t i = 0; i <= steps.size(); ++i) {
      f.stops.push_back(double(i));
      if (i > 0 && i < steps.size()) f.kinked.push_back(kink[i]);
      if (i < steps.size()) straight = straight && arcs_[steps[i].arc].straight;
    }
    const Vec3 a = f.at(0), b = f.at(f.stops.back());
    if (straight) {
      if ((b - a).norm() > cx_.tolerances.point.mm) out.push_back(LineSegment{a, b});
      return {};
    }
    // Equal cylinders meet in ellipses, for instance: they stay what they are.
    constexpr int kPlaces = 64;
    Points places(kPlaces, 3);
    for (int i = 0; i < kPlaces; ++i)
      places.row(i) = f.at(f.stops.back() * i / (ring ? kPlaces : kPlaces - 1)).transpose();
    if (const auto ellipse = ellipseThrough(places, ring, 0.1 * cx_.tolerances.fit.mm)) {
      out.push_back(*ellipse);
      return {};
    }
    LUMSK_TRY(fit, fitTraced(f, cx_.tolerances.fit));
    result_.deviationMm = std::max(result_.deviationMm, fit.deviationMm);
    out.push_back(fit.curve);
    return {};
  }

  const Views& views_;
  const TwoViewOptions& options_;
  const Context& cx_;
  Outline A_, B_;
  std::vector<double> heights_;
  std::map<Node, int> nodes_;
  std::vector<Arc> arcs_;
  TwoViewResult result_;
};

} // namespace

namespace {

constexpr double kOnPlaneTolerances = 10; ///< point tolerances within which a curve lies in a plane

double offPlane(const Points& pts, const Frame& plane, Eigen::Index& worst) {
  return ((pts.rowwise() - plane.origin.transpose()) * plane.normal()).cwiseAbs().maxCoeff(&worst);
}

/// The view whose plane holds a curve.
View* holder(std::vector<View>& views, const Points& pts, const Tolerances& tol) {
  Eigen::Index worst = 0;
  for (View& v : views)
    if (offPlane(pts, v.plane, worst) <= kOnPlaneTolerances * tol.point.mm) return &v;
  return nullptr;
}

/// Straight curves that no view holds: a view of their own, upright to the other one.
Expected<View> straightView(const std::vector<Path>& lone, const std::vector<View>& others) {
  const Vec3 along = lone.front().end() - lone.front().start();
  const Vec3 normal = others.size() == 1 ? Vec3(along.cross(others.front().plane.normal())) : Vec3(Vec3::Zero());
  if (!(normal.norm() > 1e-3 * along.norm()))
    return fail(problem("LM-P003", "a straight curve does not say in which plane it was drawn")
                    .at(lone.front().at(0.5 * lone.front().last()))
                    .tryThis("pick the plane of each drawing"));
  return View{lone, Frame::fromNormal(lone.front().start(), normal)};
}

} // namespace

Expected<std::pair<View, View>> sortedIntoViews(const std::vector<Path>& curves, const std::vector<Frame>& planes,
                                                const Tolerances& tol) {
  std::vector<View> views;
  for (const Frame& f : planes) views.push_back({{}, f});
  std::vector<Path> straight, lone;
  for (const Path& p : curves) {
    const Points pts = polyline(p, 16);
    if (View* v = planes.empty() ? nullptr : holder(views, pts, tol)) {
      v->curves.push_back(p);
      continue;
    }
    const PlaneOfPoints own = fitPlane(pts);
    if (!own.unique) {
      straight.push_back(p);
      continue;
    }
    Eigen::Index worst = 0;
    if (const double off = offPlane(pts, own.frame, worst), limit = kOnPlaneTolerances * tol.point.mm; off > limit)
      return fail(problem("LM-P003", "a drawing of a two-view curve must be planar")
                      .measure(millimetres(off))
                      .want(millimetres(limit))
                      .at(pts.row(worst).transpose())
                      .tryThis("project it onto a plane first, or pick another curve"));
    if (View* v = holder(views, pts, tol))
      v->curves.push_back(p);
    else
      views.push_back({{p}, own.frame});
  }
  for (const Path& p : straight) {
    View* v = views.size() > 1 ? holder(views, polyline(p, 16), tol) : nullptr;
    (v ? v->curves : lone).push_back(p);
  }
  if (!lone.empty()) {
    LUMSK_TRY(v, straightView(lone, views));
    views.push_back(std::move(v));
  }
  views.erase(std::remove_if(views.begin(), views.end(), [](const View& v) { return v.curves.empty(); }), views.end());
  if (views.size() == 2) return std::make_pair(std::move(views[0]), std::move(views[1]));
  Problem p = problem("LM-P005", views.size() < 2 ? "all these curves lie in one plane"
                                                  : "these curves lie in more than two planes")
                  .measure(count(double(views.size())))
                  .want(count(2))
                  .tryThis("pick the curves of two planes");
  for (const View& v : views) p.at(v.curves.front().start());
  return fail(std::move(p));
}

namespace {

struct Range {
  double low = 1e300, high = -1e300;
  Vec3 lowAt = Vec3::Zero(), highAt = Vec3::Zero();
};

Range rangeOf(const std::vector<Path>& curves, const Vec3& e) {
  Range r;
  for (const Path& p : curves) {
    const auto offer = [&](double t) {
      const Vec3 q = p.at(t);
      if (q.dot(e) < r.low) r.low = q.dot(e), r.lowAt = q;
      if (q.dot(e) > r.high) r.high = q.dot(e), r.highAt = q;
    };
    for (size_t i = 0; i < p.segments().size(); ++i) {
      offer(double(i));
      for (double f : levelPlaces(p.segments()[i], e)) offer(double(i) + std::min(f, 1 - 1e-15));
    }
    offer(p.last());
  }
  return r;
}

} // namespace

Expected<TwoViewResult> twoViewCurve(const View& first, const View& second, const TwoViewOptions& options,
                                     const Context& cx) {
  const Vec3 nA = first.plane.normal(), nB = second.plane.normal();
  const double turn = degFromRad(angleBetweenRad(nA, nB)), angle = std::min(turn, 180 - turn);
  if (angle < kLeastViewAngleDeg)
    return fail(problem("LM-P001", "both views look the same way")
                    .measure(degrees(angle))
                    .want(degrees(kLeastViewAngleDeg))
                    .at(first.curves.front().start())
                    .at(second.curves.front().start())
                    .tryThis("draw the second curve on a plane at an angle to the first"));
  Views views;
  views.e = nA.cross(nB).normalized();
  views.a = nA.cross(views.e);
  views.b = nB.cross(views.e);
  views.n = nA;
  views.origin = first.curves.front().start();
  views.across << 1, 0, -views.a.dot(views.b) / nA.dot(views.b), 1 / nA.dot(views.b);
  const Range ra = rangeOf(first.curves, views.e), rb = rangeOf(second.curves, views.e);
  const double apart = std::max(ra.low - rb.high, rb.low - ra.high);
  if (apart > 0.5 * cx.tolerances.fit.mm)
    return fail(problem("LM-P002", "the two views have no common extent: one lies beyond the other")
                    .measure(millimetres(apart))
                    .at(ra.low > rb.high ? ra.lowAt : ra.highAt)
                    .at(ra.low > rb.high ? rb.highAt : rb.lowAt)
                    .tryThis("draw them at one height along the line that their planes share"));
  LUMSK_TRY(result, Builder(first.curves, second.curves, views, options, cx).run());
  result.angleDeg = angle;
  if (result.branches.empty()) {
    Problem p = problem("LM-P004", "the two views touch in points only").tryThis("let them overlap");
    p.where = result.touches;
    return fail(std::move(p));
  }
  std::sort(result.branches.begin(), result.branches.end(),
            [](const Path& x, const Path& y) { return ArcLength(x).total() > ArcLength(y).total(); });
  return std::move(result);
}

} // namespace lumsk::nurbs

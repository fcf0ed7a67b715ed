#include "brep/split/paves.h"

#include "brep/convert.h"

#include <Eigen/LU>
#include <algorithm>
#include <map>

namespace lumsk::brep::split {

namespace {

constexpr int kAlongPlaces = 12;       ///< at which a cut is compared with an edge
constexpr double kFromEnds = 0.01;     ///< of a cut: the ends say nothing of where it runs
constexpr int kClearSteps = 40;        ///< halvings for where a cut is clear of an edge
constexpr double kMostTangent = 0.9;   ///< of a cut that may run beside an edge before it leaves it
constexpr double kSamePave = 1e-9;
constexpr int kCrossingSteps = 20;
constexpr double kCrossedMm = 1e-7;
constexpr double kParallel = 1e-9;     ///< sine

class Paver {
public:
  explicit Paver(Net& net) : net_(net) {
    // What an earlier round found goes; old vertices stand first.
    net_.vertices.resize(size_t(net_.vertexMap.Extent()));
    for (OldEdge& e : net_.edges) e.paves = {e.paves.front(), e.paves.back()}, e.cuts.clear();
    for (Cut& c : net_.cuts) c.paves.clear(), c.dropped = false;
  }

  void run() {
    for (size_t i = 0; i < net_.cuts.size(); ++i) {
      Cut& c = net_.cuts[i];
      const int edge = alongEdge(c);
      if (edge >= 0) net_.edges[size_t(edge)].cuts.push_back(int(i));
      c.dropped = edge >= 0 || alongOther(i);
      if (!c.dropped || edge >= 0) endsOf(c);
    }
    clearTangentEnds();
    for (Sheet& s : net_.sheets) crossingsOn(s);
    for (Cut& c : net_.cuts)
      if (!c.dropped) verticesOn(c);
    for (OldEdge& e : net_.edges) inOrder(e.paves);
    for (Cut& c : net_.cuts) inOrder(c.paves);
  }

private:
  static void inOrder(std::vector<Pave>& paves) {
    std::sort(paves.begin(), paves.end(), [](const Pave& a, const Pave& b) { return a.t < b.t; });
  }

  static bool near(const nurbs::Extent& box, const Vec3& p) {
    return ((box.low.array() - kSnapMm) <= p.array()).all() && ((box.high.array() + kSnapMm) >= p.array()).all();
  }

  int alongEdge(const Cut& c) const {
    for (int k : net_.edgesAround(c)) {
      const OldEdge& e = net_.edges[size_t(k)];
      if (e.pole) continue;
      bool all = true;
      for (int i = 0; i <= kAlongPlaces && all; ++i) {
        const Vec3 p = c.section.curve.at(kFromEnds + (1 - 2 * kFromEnds) * i / kAlongPlaces);
        all = near(e.box, p) && nearestOn(e, p).distanceMm <= kSnapMm;
      }
      if (all) return k;
    }
    return -1;
  }

  bool alongOther(size_t i) const {
    const Cut& c = net_.cuts[i];
    for (size_t j = 0; j < net_.cuts.size(); ++j) {
      const Cut& o = net_.cuts[j];
      if (j == i || o.dropped || o.sheet != c.sheet) continue;
      const auto lies = [&](const Cut& a, const Cut& b) {
        for (int k = 0; k <= kAlongPlaces; ++k)
          if (nearestOn(b.section.curve, a.section.curve.at(kFromEnds + (1 - 2 * kFromEnds) * k / kAlongPlaces)).distanceMm >
              kSnapMm)
            return false;
        return true;
      };
      // Of two that are one the first stays.
      if (lies(c, o) && (j < i || !lies(o, c))) return true;
    }
    return false;
  }

  void endsOf(Cut& c) {
    if (c.section.closed) {
      const int v = net_.vertexAt(c.section.curve.at(0), kSnapMm);
      c.paves = {{0, v}, {1, v}};
      return;
    }
    const int a = endAt(c, false), b = endAt(c, true);
    c.paves = {{0, a}, {1, b}};
  }

  /// The vertex of a cut's end: an old one, or one on an edge, or a new one of its own. Edges of several bodies may lie
  /// there: those of its own faces are divided there, whoever had the vertex first.
  int endAt(const Cut& c, bool atEnd) {
    const int v = vertexOf(c, atEnd);
    for (int k : net_.edgesAround(c)) {
      OldEdge& e = net_.edges[size_t(k)];
      const Vec3 p = net_.vertices[size_t(v)].at;
      if (e.pole || !near(e.box, p) || std::any_of(e.paves.begin(), e.paves.end(), [&](const Pave& q) { return q.vertex == v; })) continue;
      const OnSpline q = nearestOn(e, p);
      if (q.distanceMm > std::max(kSnapMm, e.toleranceMm)) continue;
      const auto atEndOf = [&](double t) { return (toVec(e.curve->Value(t)) - p).norm() <= kSnapMm; };
      if (!atEndOf(e.first) && !atEndOf(e.last)) e.paves.push_back({q.t, v});
    }
    return v;
  }
  int vertexOf(const Cut& c, bool atEnd) {
    const Vec3 p = c.section.curve.at(atEnd ? 1 : 0);
    const std::vector<int> edges = net_.edgesAround(c);
    double nearest = kSnapMm;
    int vertex = -1;
    const auto take = [&](int v) {
      if (const double d = (net_.vertices[size_t(v)].at - p).norm(); d < std::max(nearest, net_.vertices[size_t(v)].toleranceMm)) vertex = v, nearest = d;
    };
    for (int k : edges) // its own first
      for (const Pave& q : net_.edges[size_t(k)].paves) take(q.vertex);
    if (vertex >= 0) return onPole(c, atEnd, vertex);
    for (size_t i = 0; i < net_.vertices.size(); ++i) take(int(i));
    if (vertex >= 0) return onPole(c, atEnd, vertex);
    int on = -1;
    OnSpline place;
    nearest = 1e300;
    for (int k : edges) {
      const OldEdge& e = net_.edges[size_t(k)];
      if (e.pole || !near(e.box, p)) continue;
      const OnSpline q = nearestOn(e, p);
      if (q.distanceMm < std::min(nearest, std::max(kSnapMm, e.toleranceMm))) nearest = q.distanceMm, on = k, place = q;
    }
    if (on < 0) return net_.vertexAt(p, kSnapMm);
    OldEdge& e = net_.edges[size_t(on)];
    const int v = net_.vertexAt(toVec(e.curve->Value(place.t)), kSnapMm);
    for (const Pave& q : e.paves)
      if (q.vertex == v) return v;
    e.paves.push_back({place.t, v});
    return v;
  }

  /// A cut that ends in a pole divides it at its own place of the domain.
  int onPole(const Cut& c, bool atEnd, int vertex) {
    for (int s : {c.sheet, c.other}) {
      if (s < 0) continue;
      const Sheet& sheet = net_.sheets[size_t(s)];
      for (const EdgeUse& u : sheet.border) {
        OldEdge& e = net_.edges[size_t(u.edge)];
        if (!e.pole || e.paves.front().vertex != vertex) continue;
        const Vec3 q = c.imageOn(s).at(atEnd ? 1.0 : 0.0);
        const Vec2 uv = sheet.inMm(q.head<2>());
        const Vec2 a = sheet.imageOf(u, e.first), b = sheet.imageOf(u, e.last);
        const double f = (uv - a).dot(b - a) / (b - a).squaredNorm();
        const double t = e.first + f * (e.last - e.first), apart = kSamePave * (e.last - e.first);
        if (f * (1 - f) <= 0) continue;
        if (std::none_of(e.paves.begin(), e.paves.end(), [&](const Pave& p) { return std::abs(p.t - t) < apart; }))
          e.paves.push_back({t, vertex});
      }
    }
    return vertex;
  }

  /// Cuts that leave an edge tangentially, and do not go on beyond it, end where they are clear of it.
  void clearTangentEnds() {
    std::vector<int> ends(net_.vertices.size(), 0);
    for (const Cut& c : net_.cuts)
      if (!c.dropped)
        for (const Pave& p : c.paves) ++ends[size_t(p.vertex)];
    for (Cut& c : net_.cuts) {
      if (c.dropped || c.section.closed) continue;
      for (bool atEnd : {false, true}) {
        Pave& pave = atEnd ? c.paves.back() : c.paves.front();
        if (ends[size_t(pave.vertex)] > 1) continue;
        for (int k : net_.edgesAround(c)) {
          OldEdge& e = net_.edges[size_t(k)];
          if (e.pole) continue;
          const auto here = std::find_if(e.paves.begin(), e.paves.end(),
                                         [&](const Pave& p) { return p.vertex == pave.vertex; });
          if (here == e.paves.end()) continue;
          const double clear = clearOf(c, e, atEnd);
          if (!(clear > 0)) continue;
          pave.t = atEnd ? 1 - clear : clear;
          const OnSpline place = nearestOn(e, c.section.curve.at(pave.t));
          pave.vertex = net_.vertexAt(toVec(e.curve->Value(place.t)), kSnapMm);
          if (here - e.paves.begin() >= 2) e.paves.erase(here); // its own ends stay
          if (std::none_of(e.paves.begin(), e.paves.end(), [&](const Pave& p) { return p.vertex == pave.vertex; }))
            e.paves.push_back({place.t, pave.vertex});
          break;
        }
      }
    }
  }

  /// How much of a cut runs beside the edge it ends on before it is clear of it; nought where it leaves at once.
  static double clearOf(const Cut& c, const OldEdge& e, bool atEnd) {
    const auto off = [&](double f) { return nearestOn(e, c.section.curve.at(atEnd ? 1 - f : f)).distanceMm; };
    const double length = (c.section.curve.at(1) - c.section.curve.at(0)).norm();
    const double one = std::clamp(1.0 / std::max(length, 1.0), 1e-3, kMostTangent);
    if (off(0.05 * one) > kApartMm) return 0;
    double low = 0, high = 0.05 * one;
    while (high < kMostTangent && off(high) <= kApartMm) low = high, high *= 1.5;
    if (off(high) <= kApartMm) return 0;
    for (int it = 0; it < kClearSteps; ++it) {
      const double m = 0.5 * (low + high);
      (off(m) > kApartMm ? high : low) = m;
    }
    return high;
  }

  std::vector<Vec2> lineOf(const Sheet& s, const nurbs::Spline& image) const {
    const int n = std::max(80, 6 * image.size());
    std::vector<Vec2> out;
    for (int i = 0; i <= n; ++i) out.push_back(s.inMm(image.at(double(i) / n).head<2>()));
    return out;
  }

  void crossingsOn(const Sheet& s) {
    const int number = int(&s - net_.sheets.data());
    std::map<int, std::vector<Vec2>> lines;
    for (int k : s.cuts)
      if (!net_.cuts[size_t(k)].dropped) lines[k] = lineOf(s, net_.cuts[size_t(k)].imageOn(number));
    for (auto i = lines.begin(); i != lines.end(); ++i)
      for (auto j = std::next(i); j != lines.end(); ++j) {
        const auto &a = i->second, &b = j->second;
        for (size_t x = 0; x + 1 < a.size(); ++x)
          for (size_t y = 0; y + 1 < b.size(); ++y) {
            const Vec2 d = a[x + 1] - a[x], e = b[y + 1] - b[y], r = b[y] - a[x];
            const double reach = d.norm() + e.norm() + kSnapMm, det = d.x() * e.y() - d.y() * e.x();
            if (r.squaredNorm() > reach * reach || std::abs(det) < kParallel * d.norm() * e.norm()) continue;
            const double f = (r.x() * e.y() - r.y() * e.x()) / det, g = (r.x() * d.y() - r.y() * d.x()) / det;
            constexpr double kSlack = 0.05; // chords stand for curves
            if (f < -kSlack || f > 1 + kSlack || g < -kSlack || g > 1 + kSlack) continue;
            crossing(s, number, i->first, (double(x) + f) / double(a.size() - 1), j->first,
                     (double(y) + g) / double(b.size() - 1));
          }
      }
  }

  /// Newton's steps from a crossing of chords.
  void crossing(const Sheet& s, int number, int one, double ta, int two, double tb) {
    const nurbs::Spline &a = net_.cuts[size_t(one)].imageOn(number), &b = net_.cuts[size_t(two)].imageOn(number);
    bool found = false;
    for (int it = 0; it < kCrossingSteps; ++it) {
      ta = std::clamp(ta, 0.0, 1.0), tb = std::clamp(tb, 0.0, 1.0);
      nurbs::CurveDerivatives da, db;
      a.derivatives(ta, 1, da);
      b.derivatives(tb, 1, db);
      Eigen::Matrix2d m;
      m.col(0) = s.inMm(da[1].head<2>());
      m.col(1) = -s.inMm(db[1].head<2>());
      const Vec2 off = s.inMm((da[0] - db[0]).head<2>());
      if (off.norm() < kCrossedMm || (it > kCrossingSteps / 2 && off.norm() < kSnapMm)) {
        found = true;
        break;
      }
      if (std::abs(m.determinant()) < 1e-12) break;
      const Vec2 step = -m.inverse() * off;
      ta += step.x(), tb += step.y();
    }
    if (!found) return;
    const Vec3 p = net_.cuts[size_t(one)].section.curve.at(ta);
    const int v = net_.vertexAt(p, kSnapMm);
    add(net_.cuts[size_t(one)], ta, v);
    add(net_.cuts[size_t(two)], tb, v);
  }

  /// A vertex on a cut, unless it has that one nearby already.
  static void add(Cut& c, double t, int vertex) {
    constexpr double kNear = 0.02;
    for (const Pave& p : c.paves)
      if (p.vertex == vertex && std::abs(p.t - t) < kNear) return;
    c.paves.push_back({t, vertex});
  }

  /// Vertices that lie on a cut, as where another one ends on it.
  void verticesOn(Cut& c) {
    Vec3 low = Vec3::Constant(1e300), high = -low;
    for (Eigen::Index i = 0; i < c.section.curve.points().rows(); ++i) {
      low = low.cwiseMin(c.section.curve.points().row(i).transpose());
      high = high.cwiseMax(c.section.curve.points().row(i).transpose());
    }
    const nurbs::Extent box{low, high};
    for (size_t v = 0; v < net_.vertices.size(); ++v) {
      if (!near(box, net_.vertices[v].at)) continue;
      if (std::any_of(c.paves.begin(), c.paves.end(), [&](const Pave& p) { return p.vertex == int(v); })) continue;
      const OnSpline q = nearestOn(c.section.curve, net_.vertices[v].at);
      if (q.distanceMm < kSnapMm && q.t > c.paves.front().t && q.t < c.paves[1].t) c.paves.push_back({q.t, int(v)});
    }
  }

  Net& net_;
};

} // namespace

void pave(Net& net) { Paver(net).run(); }

std::vector<LooseEnd> looseEnds(const Net& net) {
  std::vector<int> at(net.vertices.size(), 0);
  for (const OldEdge& e : net.edges)
    for (const Pave& p : e.paves) ++at[size_t(p.vertex)];
  for (const Cut& c : net.cuts)
    if (!c.dropped)
      for (const Pave& p : c.paves) ++at[size_t(p.vertex)];
  std::vector<LooseEnd> out;
  for (size_t i = 0; i < net.cuts.size(); ++i) {
    const Cut& c = net.cuts[i];
    if (c.dropped || c.section.closed) continue;
    for (bool atEnd : {false, true})
      if (at[size_t((atEnd ? c.paves.back() : c.paves.front()).vertex)] == 1) out.push_back({int(i), atEnd});
  }
  return out;
}

} // namespace lumsk::brep::split

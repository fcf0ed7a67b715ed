#include "scene/pick_many.h"

#include <algorithm>
#include <map>
#include <set>

namespace lumsk::scene {

using recipe::Kind;

namespace {

constexpr double kLikeDeg = 5;
constexpr double kEndsMeetMm = 0.02; ///< edges are drawn as lines within this

Hit edgeHit(const DrawnBody& b, const DrawnEdge& e) {
  const size_t m = e.points.size() / 2;
  Hit h = hitOf(Kind::Edge, b.step, b.partName(e.name), b.label + ", edge", e.points[m]);
  h.near.middle = e.points[m];
  h.near.direction = (e.points[std::min(m + 1, e.points.size() - 1)] - e.points[m - 1]).normalized();
  return h;
}

struct EdgeOf {
  const DrawnBody* body = nullptr;
  const DrawnEdge* edge = nullptr;
};

EdgeOf find(const Scene& d, const Hit& h) {
  for (const DrawnBody& b : d.bodies)
    if (b.step == h.step)
      for (const DrawnEdge& e : *b.edges)
        if (b.partName(e.name) == h.part && e.points.size() > 1) return {&b, &e};
  return {};
}

struct End {
  Vec3 at, outward; ///< direction in which the edge leaves its end
};
End endOf(const DrawnEdge& e, bool last) {
  const auto& p = e.points;
  return last ? End{p.back(), (p.back() - p[p.size() - 2]).normalized()} : End{p.front(), (p[0] - p[1]).normalized()};
}

bool straight(const DrawnEdge& e) {
  const Vec3 chord = e.points.back() - e.points.front();
  if (chord.norm() < kEndsMeetMm) return false;
  for (const Vec3& p : e.points)
    if ((p - e.points.front()).cross(chord).norm() / chord.norm() > kEndsMeetMm) return false;
  return true;
}

} // namespace

std::vector<Hit> pickInside(const Scene& d, const Camera& camera, const Vec2& a, const Vec2& b, Kind wanted) {
  const Vec2 low = a.cwiseMin(b), high = a.cwiseMax(b);
  const auto inside = [&](const Vec3& p) {
    const Vec3 s = camera.toScreen(p);
    return s.z() < 1 && (s.head<2>().array() >= low.array()).all() && (s.head<2>().array() <= high.array()).all();
  };
  const auto all = [&](const std::vector<Vec3>& points) {
    return !points.empty() && std::all_of(points.begin(), points.end(), inside);
  };
  std::vector<Hit> out;
  const auto add = [&](Hit h) {
    h.depth = camera.toScreen(h.at).z();
    out.push_back(std::move(h));
  };
  if (has(wanted, Kind::Point))
    for (const DrawnPoint& p : d.points)
      if (inside(p.at)) add(hitOf(Kind::Point, p.step, p.part, p.label, p.at));
  if (has(wanted, Kind::Curve))
    for (const DrawnCurve& c : d.curves)
      if (all(c.points)) add(hitOf(Kind::Curve, c.step, c.part, c.label, c.points.front()));
  for (const DrawnBody& body : d.bodies) {
    if (has(wanted, Kind::Edge))
      for (const DrawnEdge& e : *body.edges)
        if (!e.seam && e.points.size() > 1 && all(e.points)) add(edgeHit(body, e));
    bool whole = true;
    for (const MeshPtr& f : body.faces) {
      const bool in = all(f->points);
      whole = whole && in;
      if (!in || !has(wanted, Kind::Face)) continue;
      Hit h = hitOf(Kind::Face, body.step, body.partName(f->face), body.label + ", face",
                    f->points[f->points.size() / 2]);
      h.near.middle = h.at;
      add(std::move(h));
    }
    const Kind kind = body.solid ? Kind::Solid : Kind::Skin;
    if (whole && !body.faces.empty() && has(wanted, kind))
      add(hitOf(kind, body.step, body.partName(""), body.label, body.faces[0]->points.front()));
  }
  std::stable_sort(out.begin(), out.end(), [](const Hit& x, const Hit& y) { return x.depth < y.depth; });
  return out;
}

namespace {

std::vector<const DrawnEdge*> chainOf(const DrawnBody& body, const DrawnEdge& first, AngleTolerance corner) {
  std::vector<const DrawnEdge*> chain{&first};
  for (const bool last : {true, false}) {
    End end = endOf(first, last);
    for (bool grown = true; grown;) {
      grown = false;
      for (const DrawnEdge& e : *body.edges) {
        if (e.seam || e.points.size() < 2 || std::find(chain.begin(), chain.end(), &e) != chain.end()) continue;
        for (const bool other : {true, false}) {
          const End meets = endOf(e, other);
          if ((meets.at - end.at).norm() > kEndsMeetMm ||
              angleBetweenRad(-meets.outward, end.outward) > 2 * corner.rad() + radFromDeg(kLikeDeg))
            continue;
          chain.push_back(&e);
          end = endOf(e, !other);
          grown = true;
          break;
        }
        if (grown) break;
      }
    }
  }
  return chain;
}

} // namespace

std::vector<Hit> tangentChain(const Scene& d, const Hit& edge, AngleTolerance corner) {
  const auto [body, first] = find(d, edge);
  if (!body) return {edge};
  std::vector<Hit> out;
  for (const DrawnEdge* e : chainOf(*body, *first, corner)) out.push_back(edgeHit(*body, *e));
  return out;
}

std::vector<Hit> similarEdges(const Scene& d, const Hit& edge, const std::vector<inspect::Join>& joins) {
  const auto [body, first] = find(d, edge);
  if (!body) return {edge};
  std::map<std::string, double> angles;
  for (const inspect::Join& j : joins) angles[j.edge] = j.angleDeg;
  struct Looks {
    bool open, straight;
    double angleDeg = -1.0; ///< the largest of its pieces
  };
  const auto looksOf = [&](const std::vector<const DrawnEdge*>& chain) {
    Looks l{chain.front()->open, chain.size() == 1 && straight(*chain.front())};
    for (const DrawnEdge* e : chain)
      if (const auto at = angles.find(e->name); at != angles.end()) l.angleDeg = std::max(l.angleDeg, at->second);
    return l;
  };
  // Pieces of one line look as the whole of it does, wherever it is divided.
  const AngleTolerance corner = Tolerances().corner;
  const Looks wanted = looksOf(chainOf(*body, *first, corner));
  std::set<const DrawnEdge*> seen;
  std::vector<Hit> out;
  for (const DrawnEdge& e : *body->edges) {
    if (e.seam || e.points.size() < 2 || seen.count(&e)) continue;
    const auto chain = chainOf(*body, e, corner);
    seen.insert(chain.begin(), chain.end());
    const Looks l = looksOf(chain);
    if (l.open != wanted.open || l.straight != wanted.straight || (!l.open && std::abs(l.angleDeg - wanted.angleDeg) > kLikeDeg)) continue;
    for (const DrawnEdge* piece : chain) out.push_back(edgeHit(*body, *piece));
  }
  return out;
}

} // namespace lumsk::scene

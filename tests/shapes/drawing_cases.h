#pragma once
#include "drawing/freedom.h"

#include <random>

namespace lumsk::test {

// Drawings for tests and benchmarks: all relations hold in them.

/// Draws with short words.
class Pencil {
public:
  drawing::Drawing d;
  drawing::Id point(double x, double y) { return d.addPoint({x, y}); }
  drawing::Id line(const drawing::Id& a, const drawing::Id& b) {
    drawing::Entity e;
    e.points = {a, b};
    return d.add(e);
  }
  drawing::Id arc(const drawing::Id& c, const drawing::Id& a, const drawing::Id& b, bool left = true) {
    drawing::Entity e;
    e.shape = drawing::Shape::Arc, e.points = {c, a, b}, e.left = left, e.size = (d.at(a) - d.at(c)).norm();
    return d.add(e);
  }
  drawing::Id circle(const drawing::Id& c, double r) {
    drawing::Entity e;
    e.shape = drawing::Shape::Circle, e.points = {c}, e.size = r;
    return d.add(e);
  }
  drawing::Id spline(drawing::Shape s, std::vector<drawing::Id> points, int degree) {
    drawing::Entity e;
    e.shape = s, e.points = std::move(points), e.degree = degree;
    return d.add(e);
  }
  drawing::Id say(drawing::Law law, std::vector<drawing::Id> of) {
    drawing::Relation r;
    r.law = law, r.of = std::move(of);
    return d.add(r);
  }
  /// A dimension with the value that it measures now.
  drawing::Id measure(drawing::Law law, std::vector<drawing::Id> of, int turn = 0) {
    drawing::Relation r;
    r.law = law, r.of = std::move(of), r.turn = turn;
    r.value = drawing::measured(d, r).value_or(0);
    return d.add(r);
  }
};

/// A rounded rectangle with a hole: 9 entities; its corner radius r.
struct Plate {
  std::vector<drawing::Id> lines, arcs;
  drawing::Id hole, centre;
};
inline Plate plate(Pencil& p, const Vec2& at, double w, double h, double r, double hole) {
  using drawing::Law;
  Plate out;
  const Vec2 ends[8] = {{r, 0}, {w - r, 0}, {w, r}, {w, h - r}, {w - r, h}, {r, h}, {0, h - r}, {0, r}};
  const Vec2 centres[4] = {{w - r, r}, {w - r, h - r}, {r, h - r}, {r, r}};
  std::vector<drawing::Id> e;
  for (const Vec2& v : ends) e.push_back(p.point(at.x() + v.x(), at.y() + v.y()));
  for (size_t i = 0; i < 4; ++i) out.lines.push_back(p.line(e[2 * i], e[2 * i + 1]));
  for (size_t i = 0; i < 4; ++i) {
    const auto c = p.point(at.x() + centres[i].x(), at.y() + centres[i].y());
    out.arcs.push_back(p.arc(c, e[2 * i + 1], e[(2 * i + 2) % 8]));
  }
  for (size_t i = 0; i < 4; ++i) {
    p.say(i % 2 ? Law::Upright : Law::Level, {out.lines[i]});
    p.say(Law::Tangent, {out.lines[i], out.arcs[i]});
    p.say(Law::Tangent, {out.arcs[i], out.lines[(i + 1) % 4]});
    if (i) p.say(Law::Equal, {out.arcs[0], out.arcs[i]});
  }
  out.centre = p.point(at.x() + w / 2, at.y() + h / 2);
  out.hole = p.circle(out.centre, hole);
  return out;
}

/// Plates in rows, each held to the one before by distances; `full`: dimensions for all that is left.
inline drawing::Drawing plates(int many, bool full, unsigned seed = 1) {
  using drawing::Law;
  std::mt19937 g(seed);
  std::uniform_real_distribution<double> u(0, 1);
  Pencil p;
  const auto foot = p.point(0, 0);
  p.say(Law::Fixed, {foot});
  Plate last;
  for (int i = 0; i < many; ++i) {
    const Plate now = plate(p, {80.0 * (i % 6) + 5 * u(g), 60.0 * (i / 6) + 5 * u(g)}, 45 + 20 * u(g), 30 + 15 * u(g), 3 + 6 * u(g), 4 + 5 * u(g));
    if (i > 0) {
      p.measure(Law::Distance, {now.centre, last.lines[1]});
      p.measure(Law::UprightDistance, {last.centre, now.centre});
    }
    if (full) {
      if (i == 0) p.measure(Law::LevelDistance, {foot, now.centre}), p.measure(Law::UprightDistance, {foot, now.centre});
      p.measure(Law::Distance, {now.lines[0], now.lines[2]});
      p.measure(Law::Distance, {now.lines[1], now.lines[3]});
      p.measure(Law::Radius, {now.arcs[0]});
      p.measure(Law::Diameter, {now.hole});
      p.measure(Law::Distance, {now.centre, now.lines[0]});
      p.measure(Law::Distance, {now.centre, now.lines[3]});
    }
    last = now;
  }
  return p.d;
}

/// A closed outline of lines, tangent arcs and a spline with a few things inside, related at random: whatever is new
/// and holds. `full`: dimensions until nothing is free.
inline drawing::Drawing outline(unsigned seed, bool full = false) {
  using drawing::Law;
  using drawing::Shape;
  std::mt19937 g(seed);
  std::uniform_real_distribution<double> u(0, 1);
  Pencil p;
  const int corners = 4 + int(g() % 4);
  std::vector<drawing::Id> at, lines;
  for (int i = 0; i < corners; ++i) {
    const double a = 2 * kPi * (i + 0.3 * u(g)) / corners, r = 30 + 30 * u(g);
    at.push_back(p.point(r * std::cos(a), r * std::sin(a)));
  }
  // A side with an arc that leaves it tangent, a spline, the rest lines.
  for (int i = 0; i + 1 < corners; ++i) lines.push_back(p.line(at[size_t(i)], at[size_t(i) + 1]));
  const auto a = at.back(), b = at.front();
  const Vec2 pa = p.d.at(a), pb = p.d.at(b), way = pb - pa, side(way.y(), -way.x());
  const auto c1 = p.point(pa.x() + 0.3 * way.x() + 0.3 * side.x(), pa.y() + 0.3 * way.y() + 0.3 * side.y());
  const auto c2 = p.point(pa.x() + 0.6 * way.x() + 0.35 * side.x(), pa.y() + 0.6 * way.y() + 0.35 * side.y());
  const auto spline = p.spline(g() % 2 ? Shape::Spline : Shape::Through, {a, c1, c2, b}, 3);
  const auto centre = p.point(5 * u(g), 5 * u(g));
  const auto hole = p.circle(centre, 5 + 5 * u(g)), ring = p.circle(centre, 12 + 3 * u(g));
  const auto start = p.point(0, -20), end = p.point(0, 0), turn = p.point(4, 0);
  const auto leg = p.line(start, end);
  const Vec2 over(8, 0);
  const auto over1 = p.point(over.x(), over.y());
  const auto bow = p.arc(turn, end, over1, false);
  p.say(Law::Tangent, {leg, bow});
  const auto offer = [&](Law law, std::vector<drawing::Id> of) {
    drawing::Relation r;
    r.law = law, r.of = std::move(of);
    if (drawing::isDimension(law)) {
      const auto v = drawing::measured(p.d, r);
      if (!v || *v < 1e-6) return;
      r.value = *v;
    }
    if (drawing::newsOf(p.d, r) < 1e-3) return;
    p.d.add(r);
    // What it says must come true before the next is said.
    if (auto s = drawing::solved(p.d))
      p.d = *s;
    else
      p.d.relations.pop_back();
  };
  const int tries = full ? 400 : 6 + int(g() % 6);
  const auto any = [&](const std::vector<drawing::Id>& list) { return list[g() % list.size()]; };
  for (int i = 0; i < tries; ++i) {
    std::vector<drawing::Id> points;
    for (const auto& q : p.d.points) points.push_back(q.id);
    switch (g() % (i < 12 ? 10 : 6)) {
    case 0: offer(Law::Distance, {any(points), any(lines)}); break;
    case 1: offer(Law::Length, {any(lines)}); break;
    case 2: offer(Law::LevelDistance, {any(points), any(points)}); break;
    case 3: offer(Law::UprightDistance, {any(points), any(points)}); break;
    case 4: offer(Law::Radius, {g() % 2 ? hole : ring}); break;
    case 5: offer(Law::Angle, {any(lines), any(lines)}); break;
    case 6: offer(g() % 2 ? Law::Level : Law::Upright, {any(lines)}); break;
    case 7: offer(g() % 2 ? Law::Parallel : Law::Square, {any(lines), any(lines)}); break;
    case 8: offer(Law::Equal, {any(lines), any(lines)}); break;
    default: offer(Law::Tangent, {g() % 2 ? lines.back() : lines.front(), spline}); break;
    }
    if (full && i > 20 && i % 10 == 0)
      if (const auto f = drawing::freedomOf(p.d); f && f->ways == 0) break;
  }
  return p.d;
}

/// Relations of which one follows from the others in a way that is not seen from any two of them: a parallelogram, a
/// rhombus chain of equal lengths, or the three bisectors of a triangle through one point. Else the same without it.
inline drawing::Drawing saidTwice(unsigned seed, bool twice) {
  using drawing::Law;
  std::mt19937 g(seed);
  std::uniform_real_distribution<double> u(-8, 8);
  Pencil p;
  if (seed % 3 == 2) { // the middle normals of three sides meet in one point
    const auto a = p.point(u(g), u(g)), b = p.point(50 + u(g), u(g)), c = p.point(20 + u(g), 40 + u(g));
    const Vec2 A = p.d.at(a), B = p.d.at(b), C = p.d.at(c), v = B - A, w = C - A;
    const double k = 2 * (v.x() * w.y() - v.y() * w.x());
    const Vec2 m = A + Vec2(w.y() * v.squaredNorm() - v.y() * w.squaredNorm(), v.x() * w.squaredNorm() - w.x() * v.squaredNorm()) / k;
    const auto centre = p.point(m.x(), m.y());
    const auto ca = p.line(centre, a), cb = p.line(centre, b), cc = p.line(centre, c);
    p.say(Law::Equal, {ca, cb}), p.say(Law::Equal, {cb, cc});
    if (twice) p.say(Law::Equal, {ca, cc});
    return p.d;
  }
  const Vec2 o(u(g), u(g)), x(30 + u(g), u(g)), y = seed % 3 == 1 ? Vec2(-x.y(), x.x()) : Vec2(u(g), 20 + u(g));
  const auto a = p.point(o.x(), o.y()), b = p.point(o.x() + x.x(), o.y() + x.y()), c = p.point(o.x() + x.x() + y.x(), o.y() + x.y() + y.y()),
             d = p.point(o.x() + y.x(), o.y() + y.y());
  const auto ab = p.line(a, b), bc = p.line(b, c), cd = p.line(c, d), da = p.line(d, a);
  if (seed % 3 == 1) { // four equal sides and a square corner: the others are square, too
    p.say(Law::Equal, {ab, bc}), p.say(Law::Equal, {bc, cd}), p.say(Law::Equal, {cd, da}), p.say(Law::Square, {ab, bc});
    if (twice) p.say(Law::Square, {cd, da});
  } else {
    p.say(Law::Parallel, {ab, cd}), p.say(Law::Parallel, {bc, da});
    if (twice) p.say(Law::Equal, {ab, cd});
  }
  p.measure(Law::Length, {ab});
  return p.d;
}

/// All points moved at random by up to so much.
inline drawing::Drawing disturbed(drawing::Drawing d, double mm, unsigned seed) {
  std::mt19937 g(seed);
  std::uniform_real_distribution<double> u(-mm, mm);
  for (auto& p : d.points) p.at += Vec2(u(g), u(g));
  return d;
}

} // namespace lumsk::test

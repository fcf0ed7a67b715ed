#include "drawing/curves.h"
#include "drawing/edits.h"
#include "drawing/measure.h"
#include "drawing/solve.h"
#include "nurbs/curves/curve_refit.h"
#include "nurbs/fit/fit.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/planar.h"

#include <algorithm>
#include <functional>
#include <map>

namespace lumsk::drawing {

namespace {

void say(Drawing& d, Law law, std::vector<Id> of) {
  Relation r;
  r.law = law;
  r.of = std::move(of);
  d.add(r);
}

Expected<Drawing> settled(Drawing d) {
  if (auto s = solved(d)) return s;
  return d;
}

/// A copy of entities and their points; `shared` ones are used again.
struct Copy {
  std::map<Id, Id> points, entities;
};
Copy copied(Drawing& d, const std::vector<Id>& ids, const std::function<Vec2(const Vec2&)>& where, bool turnsOver, const std::function<bool(const Id&)>& shared) {
  Copy out;
  for (const Id& id : ids) {
    if (d.point(id) && !out.points.count(id)) out.points[id] = shared(id) ? id : d.addPoint(where(d.at(id)));
    if (!d.entity(id)) continue;
    Entity e = *d.entity(id);
    for (Id& p : e.points) {
      const auto known = out.points.find(p);
      const Id other = known != out.points.end() ? known->second : shared(p) ? p : d.addPoint(where(d.at(p)));
      out.points[p] = other;
      p = other;
    }
    if (turnsOver) e.left = !e.left;
    e.linked = false;
    out.entities[id] = d.add(e);
  }
  return out;
}

void equalSizes(Drawing& d, const Copy& c) {
  for (const auto& [from, to] : c.entities)
    if (d.entity(from)->shape == Shape::Circle) say(d, Law::Equal, {from, to});
}

Id first(const Copy& c) { return c.points.begin()->first; }

Unexpected nothing() { return fail(problem("LM-U001", "what is to be changed is not there")); }

} // namespace

Expected<Drawing> mirroredIn(const Drawing& d, const std::vector<Id>& ids, const Id& axis) {
  const Entity* line = d.entity(axis);
  if (!line || line->shape != Shape::Line) return nothing();
  const Vec2 a = d.at(line->points[0]), b = d.at(line->points[1]);
  Drawing out = d;
  const double near = 1e-6 * std::max(sizeOf(d), 1e-3);
  const auto onLine = [&](const Id& p) { return (footOn(d.at(p), a, b) - d.at(p)).norm() < near; };
  std::vector<Id> of;
  std::copy_if(ids.begin(), ids.end(), std::back_inserter(of), [&](const Id& id) { return id != axis; });
  const Copy c = copied(out, of, [&](const Vec2& p) { return Vec2(2 * footOn(p, a, b) - p); }, true, onLine);
  for (const auto& [from, to] : c.points) {
    if (from != to)
      say(out, Law::Mirrored, {from, to, axis});
    else if (from != line->points[0] && from != line->points[1])
      say(out, Law::On, {from, axis});
  }
  equalSizes(out, c);
  return settled(std::move(out));
}

Expected<Drawing> repeatedAlong(const Drawing& d, const std::vector<Id>& ids, const Vec2& step, int count) {
  Drawing out = d;
  Copy last;
  std::array<Id, 2> lead;
  std::vector<Id> of = ids;
  for (int k = 1; k < count; ++k) {
    const Copy c = copied(out, of, [&](const Vec2& p) { return Vec2(p + step); }, false, [](const Id&) { return false; });
    if (c.points.empty()) return nothing();
    if (k == 1) {
      lead = {first(c), c.points.at(first(c))};
      for (const auto& [law, other, along] : {std::tuple(Law::LevelDistance, Law::Upright, step.x()), std::tuple(Law::UprightDistance, Law::Level, step.y())}) {
        Relation r;
        r.law = std::abs(along) > 1e-9 ? law : other;
        r.of = {lead[0], lead[1]};
        r.value = std::abs(along);
        out.add(r);
      }
    }
    for (const auto& [from, to] : c.points)
      if (from != lead[0]) say(out, Law::SameStep, {lead[0], lead[1], from, to});
    equalSizes(out, c);
    of.clear();
    for (const auto& [from, to] : c.entities) of.push_back(to);
    for (const auto& [from, to] : c.points) of.push_back(to);
    last = c;
  }
  return settled(std::move(out));
}

Expected<Drawing> repeatedRound(const Drawing& d, const std::vector<Id>& ids, const Id& centre, double stepRad, const std::string& text, int count) {
  if (!d.point(centre)) return nothing();
  Drawing out = d;
  const Vec2 m = d.at(centre);
  const auto turned = [&](const Vec2& p) { return Vec2(m + Eigen::Rotation2Dd(stepRad) * (p - m)); };
  std::array<Id, 2> lead;
  std::vector<Id> of = ids;
  of.erase(std::remove(of.begin(), of.end(), centre), of.end());
  for (int k = 1; k < count; ++k) {
    const Copy c = copied(out, of, turned, false, [&](const Id& p) { return p == centre; });
    for (const auto& [from, to] : c.points) {
      if (from == centre) continue;
      if (lead[0].empty()) {
        lead = {from, to};
        Relation r;
        r.law = Law::Turned, r.of = {from, to, centre}, r.value = stepRad, r.text = text;
        out.add(r);
      } else {
        say(out, Law::SameTurn, {lead[0], lead[1], from, to, centre});
      }
    }
    if (lead[0].empty()) return nothing();
    equalSizes(out, c);
    of.clear();
    for (const auto& [from, to] : c.entities) of.push_back(to);
  }
  return settled(std::move(out));
}

// Offsets -------------------------------------------------------------------------------------------------------------

namespace {

Expected<nurbs::Spline> splineFor(const Drawing& d, const Entity& e, const Context& cx) {
  const auto path = pathOf(d, e);
  if (!path) return nothing();
  if (path->segments().size() == 1)
    if (const auto* s = std::get_if<nurbs::Spline>(&path->segments()[0])) return *s;
  if (e.shape == Shape::Line) {
    Points p(2, 3);
    p.row(0) = path->start().transpose(), p.row(1) = path->end().transpose();
    return nurbs::elevate(nurbs::Spline::trusted(1, {0, 0, 1, 1}, p), 2);
  }
  nurbs::RefitOptions o;
  o.within = cx.tolerances.fit;
  LUMSK_TRY(fitted, nurbs::refitted(*path, o, cx));
  if (fitted.path.segments().size() != 1 || !std::holds_alternative<nurbs::Spline>(fitted.path.segments()[0])) return nothing();
  return std::get<nurbs::Spline>(fitted.path.segments()[0]);
}

/// Writes a spline into an entity: its ends stay, between them there are new points.
void writeSpline(Drawing& d, Entity& e, const nurbs::Spline& s, const Id& a, const Id& b) {
  std::vector<Id> points{a};
  for (int i = 1; i + 1 < s.size(); ++i) points.push_back(d.addPoint({s.points()(i, 0), s.points()(i, 1)}));
  points.push_back(b);
  e.shape = Shape::Spline;
  e.degree = s.degree();
  e.knots = s.spans() > 1 ? s.knots() : std::vector<double>();
  e.points = std::move(points);
  e.closed = false;
  e.size = 0;
}

/// The entity as a spline in its place; relations of its ends stay where they still fit.
Expected<Drawing> withSpline(const Drawing& d, const Id& id, const nurbs::Spline& s) {
  Drawing out = d;
  Entity e = *d.entity(id);
  const auto ends = endsOf(e);
  if (!ends) return fail(problem("LM-U026", "a closed curve stays what it is").tryThis("trim it first"));
  const std::vector<Id> before = e.points;
  writeSpline(out, e, s, ends->first, ends->second);
  *out.entity(id) = e;
  std::vector<Relation> kept;
  for (const Relation& r : out.relations) {
    Drawing one = out;
    one.relations = {r};
    if (!r.holds() || equationsOf(one)) kept.push_back(r);
  }
  out.relations = std::move(kept);
  for (const Id& p : before)
    if (std::none_of(out.entities.begin(), out.entities.end(), [&](const Entity& x) { return std::find(x.points.begin(), x.points.end(), p) != x.points.end(); }))
      out = without(out, {p});
  return settled(std::move(out));
}

Vec2 meetingOf(const Vec2& a, const Vec2& u, const Vec2& b, const Vec2& v, const Vec2& otherwise) {
  const double k = u.x() * v.y() - u.y() * v.x();
  if (std::abs(k) < 1e-9) return otherwise;
  const Vec2 by = b - a;
  return a + u * ((by.x() * v.y() - by.y() * v.x()) / k);
}

} // namespace

Expected<Drawing> offsetBy(const Drawing& d, const std::vector<Id>& ids, double distance, const std::string& text, const Context& cx) {
  Drawing some = d;
  for (Entity& e : some.entities) e.construction = std::find(ids.begin(), ids.end(), e.id) == ids.end();
  LUMSK_TRY(chains, chainsOf(some, cx));
  Drawing out = d;
  for (const Chain& chain : chains.chains) {
    std::map<Id, Id> ends; // of the chain's points: those of the offset
    const Frame plane;
    LUMSK_TRY(made, nurbs::offsetInPlane(chain.path, plane, distance, nurbs::OffsetCorner::Sharp, cx));
    if (made.curves.empty()) return fail(problem("LM-U025", "nothing is left at this distance").measure(millimetres(distance)));
    std::vector<std::pair<Id, Id>> pairs;
    bool straight = true;
    for (const Id& id : chain.entities) straight = straight && (d.entity(id)->shape == Shape::Line || d.entity(id)->shape == Shape::Arc || d.entity(id)->shape == Shape::Circle);
    if (!straight) {
      // As it comes: curves by themselves.
      for (const nurbs::Path& p : made.curves)
        for (const nurbs::Segment& s : p.segments()) {
          Entity e;
          if (const auto* spline = std::get_if<nurbs::Spline>(&s)) {
            const auto at = [&](Eigen::Index i) { return Vec2(spline->points()(i, 0), spline->points()(i, 1)); };
            writeSpline(out, e, *spline, out.addPoint(at(0)), out.addPoint(at(spline->size() - 1)));
          } else if (const auto* line = std::get_if<nurbs::LineSegment>(&s)) {
            e.points = {out.addPoint({line->a.x(), line->a.y()}), out.addPoint({line->b.x(), line->b.y()})};
          } else {
            const auto& arc = std::get<nurbs::EllipseArc>(s);
            const auto at = [&](double t) { const Vec3 q = arc.centre + std::cos(t) * arc.u + std::sin(t) * arc.v; return Vec2(q.x(), q.y()); };
            e.shape = Shape::Arc;
            e.size = arc.u.norm();
            e.left = arc.u.cross(arc.v).z() > 0;
            e.points = {out.addPoint({arc.centre.x(), arc.centre.y()}), out.addPoint(at(arc.fromRad)), out.addPoint(at(arc.toRad))};
          }
          out.add(e);
        }
      continue;
    }
    // Lines and arcs, one for one, to the left of how the chain runs.
    struct Side {
      Vec2 a, b, u, v; ///< ends moved aside, and tangents there
      Id id;
      bool forward;
    };
    std::vector<Side> sides;
    Vec2 at(chain.path.start().x(), chain.path.start().y());
    for (const Id& id : chain.entities) {
      const Entity& e = *d.entity(id);
      const auto its = endsOf(e);
      if (!its) {
        const double size = e.size - distance;
        if (size <= 0) return fail(problem("LM-U025", "nothing is left at this distance").measure(millimetres(distance)));
        Entity c = e;
        c.size = size;
        const Id other = out.add(c);
        Relation r;
        r.law = Law::Radius, r.of = {other}, r.value = size;
        out.add(r);
        continue;
      }
      const bool forward = (d.at(its->first) - at).norm() <= (d.at(its->second) - at).norm();
      const Id p = forward ? its->first : its->second, q = forward ? its->second : its->first;
      const Vec2 u = *leavingDirection(d, e, p), v = -*leavingDirection(d, e, q);
      const Vec2 nu(-u.y(), u.x()), nv(-v.y(), v.x());
      sides.push_back({d.at(p) + nu * distance, d.at(q) + nv * distance, u, v, id, forward});
      at = d.at(q);
    }
    if (sides.empty()) continue;
    const size_t n = sides.size();
    const bool closed = chain.path.closed();
    std::vector<Id> joints;
    for (size_t i = 0; i <= n; ++i) {
      if (i == n && closed) {
        joints.push_back(joints[0]);
        break;
      }
      const bool end = !closed && (i == 0 || i == n);
      const Vec2 place = end ? (i == 0 ? sides[0].a : sides[n - 1].b)
                             : meetingOf(sides[(i + n - 1) % n].b, sides[(i + n - 1) % n].v, sides[i % n].a, sides[i % n].u, sides[i % n].a);
      joints.push_back(out.addPoint(place));
    }
    const auto smooth = [&](size_t i) { // at the end of side i
      const Side &x = sides[i], &y = sides[(i + 1) % n];
      return (closed || i + 1 < n) && n > 1 && x.v.dot(y.u) > 1 - 1e-9;
    };
    // Sides that run on smoothly are as far as the first of them; it alone has a number.
    std::vector<bool> follows(n, false);
    for (size_t i = 0; i < n; ++i) follows[(i + 1) % n] = smooth(i);
    if (std::all_of(follows.begin(), follows.end(), [](bool f) { return f; })) follows[0] = false;
    std::vector<Id> offsets;
    for (size_t i = 0; i < n; ++i) {
      const Entity& e = *d.entity(sides[i].id);
      const bool line = e.shape == Shape::Line;
      Entity c = e;
      const Id s = sides[i].forward ? joints[i] : joints[i + 1], t = sides[i].forward ? joints[i + 1] : joints[i];
      c.points = line ? std::vector<Id>{s, t} : std::vector<Id>{e.points[0], s, t};
      if (!line) c.size = (sides[i].a - d.at(e.points[0])).norm();
      const Id id = out.add(c);
      offsets.push_back(id);
      if (line) say(out, Law::Parallel, {e.id, id});
      if (follows[i]) continue;
      Relation r;
      r.law = line ? Law::Distance : Law::Radius;
      r.of = line ? std::vector<Id>{s, e.id} : std::vector<Id>{id};
      r.value = line ? std::abs(distance) : c.size;
      if (line) r.text = text;
      out.add(r);
    }
    for (size_t i = 0; i < n; ++i)
      if (smooth(i) && !(d.entity(sides[i].id)->shape == Shape::Line && d.entity(sides[(i + 1) % n].id)->shape == Shape::Line))
        say(out, Law::Tangent, {offsets[i], offsets[(i + 1) % n]});
  }
  return settled(std::move(out));
}

// Splines -------------------------------------------------------------------------------------------------------------

Expected<Drawing> asSpline(const Drawing& d, const Id& id, const Context& cx) {
  const Entity* e = d.entity(id);
  if (!e) return nothing();
  LUMSK_TRY(s, splineFor(d, *e, cx));
  return withSpline(d, id, s);
}

Expected<Drawing> withDegree(const Drawing& d, const Id& id, int degree, const Context& cx) {
  const Entity* e = d.entity(id);
  if (!e || degree < 2 || degree > 7) return fail(problem("LM-U026", "a spline's degree is 2 to 7").measure(count(degree)));
  if (e->shape == Shape::Through) {
    Drawing out = d;
    out.entity(id)->degree = degree;
    return settled(std::move(out));
  }
  LUMSK_TRY(s, splineFor(d, *e, cx));
  if (degree >= s.degree()) return withSpline(d, id, nurbs::elevate(s, degree - s.degree()));
  // As near as can be: the same spans, its places taken in the middle.
  const nurbs::Knots knots = nurbs::clampedKnots(degree, nurbs::breakpoints(s.knots(), s.degree()));
  const int n = int(knots.size()) - degree - 1, many = 8 * n + 1;
  Eigen::MatrixXd A = Eigen::MatrixXd::Zero(many, n), B(many, 3);
  double basis[nurbs::kMaxDegree + 1];
  for (int i = 0; i < many; ++i) {
    const double u = s.first() + (s.last() - s.first()) * i / (many - 1);
    const int at = nurbs::basisFunctions(knots, degree, u, basis);
    const double w = i == 0 || i + 1 == many ? 1e6 : 1;
    for (int j = 0; j <= degree; ++j) A(i, at + j) = w * basis[j];
    B.row(i) = w * s.at(u).transpose();
  }
  const Points p = A.colPivHouseholderQr().solve(B);
  return withSpline(d, id, nurbs::Spline::trusted(degree, knots, p));
}

Expected<Drawing> withControlPoint(const Drawing& d, const Id& id, const Vec2& near, const Context& cx) {
  const Entity* e = d.entity(id);
  if (!e) return nothing();
  const auto path = pathOf(d, *e);
  if (!path) return nothing();
  const double t = nurbs::closestPoint(*path, {near.x(), near.y(), 0}).t;
  if (e->shape == Shape::Through) {
    // One more place that it passes through.
    Drawing out = d;
    double basis = t / path->last();
    const int n = int(e->points.size());
    const int at = std::clamp(int(std::floor(basis * (n - 1))) + 1, 1, n - 1);
    const Vec3 p = path->at(t);
    const Id made = out.addPoint({p.x(), p.y()});
    auto& points = out.entity(id)->points;
    points.insert(points.begin() + at, made);
    return settled(std::move(out));
  }
  LUMSK_TRY(s, splineFor(d, *e, cx));
  double u = s.first() + (s.last() - s.first()) * std::clamp(t / path->last(), 0.0, 1.0);
  const double span = s.last() - s.first();
  u = std::clamp(u, s.first() + 0.01 * span, s.last() - 0.01 * span);
  return withSpline(d, id, nurbs::insertKnot(s, u));
}

} // namespace lumsk::drawing

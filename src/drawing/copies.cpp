#include "drawing/curves.h"
#include "drawing/edits.h"
#include "drawing/measure.h"
#include "drawing/pieces.h"
#include "drawing/solve.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/planar.h"

#include <algorithm>
#include <functional>
#include <map>

namespace lumsk::drawing {

namespace {

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
    e.link.clear();
    out.entities[id] = d.add(e);
  }
  return out;
}

void equalSizes(Drawing& d, const Copy& c) {
  for (const auto& [from, to] : c.entities)
    if (d.entity(from)->shape == Shape::Circle) d.say(Law::Equal, {from, to});
}

Id first(const Copy& c) { return c.points.begin()->first; }

Unexpected nothing() { return fail(problem("LM-U001", "what is to be changed is not there")); }

} // namespace

Expected<Drawing> mirroredIn(const Drawing& d, const std::vector<Id>& ids, const Id& axis, bool smooth) {
  const Entity* line = d.entity(axis);
  if (!line || line->shape != Shape::Line) return nothing();
  const Vec2 a = d.at(line->points[0]), b = d.at(line->points[1]);
  Drawing out = d;
  for (const Id& id : ids)
    if (const Entity* e = d.entity(id); e && e->shape == Shape::Text)
      return fail(problem("LM-U034", "letters have no image that can be read").at({d.at(e->points[0]).x(), d.at(e->points[0]).y(), 0}).tryThis("leave them out"));
  const double near = 1e-6 * std::max(sizeOf(d), 1e-3);
  const auto onLine = [&](const Id& p) { return (footOn(d.at(p), a, b) - d.at(p)).norm() < near; };
  std::vector<Id> of;
  std::copy_if(ids.begin(), ids.end(), std::back_inserter(of), [&](const Id& id) { return id != axis; });
  const Copy c = copied(out, of, [&](const Vec2& p) { return Vec2(2 * footOn(p, a, b) - p); }, true, onLine);
  for (const auto& [from, to] : c.points) {
    if (from != to)
      out.say(Law::Mirrored, {from, to, axis});
    else if (from != line->points[0] && from != line->points[1])
      out.say(Law::On, {from, axis});
  }
  equalSizes(out, c);
  bool goesOn = false;
  for (const auto& [from, to] : c.entities) {
    const Entity e = *out.entity(from);
    const auto ends = endsOf(e);
    if (!smooth || !ends || e.shape == Shape::Line) continue;
    for (const Id& end : {ends->first, ends->second})
      if (c.points.at(end) == end) out.say(Law::Tangent, {from, to}), goesOn = true;
  }
  if (smooth && !goesOn)
    return fail(problem("LM-U036", "no curve that is picked ends on the line").at({a.x(), a.y(), 0}).tryThis("let one end there, or mirror without going on smoothly"));
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
        out.say(std::abs(along) > 1e-9 ? law : other, {lead[0], lead[1]}, std::abs(along));
      }
    }
    for (const auto& [from, to] : c.points)
      if (from != lead[0]) out.say(Law::SameStep, {lead[0], lead[1], from, to});
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
        out.say(Law::Turned, {from, to, centre}, stepRad, text);
      } else {
        out.say(Law::SameTurn, {lead[0], lead[1], from, to, centre});
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
  if (e.shape == Shape::Line) {
    Points p(2, 3);
    p.row(0) = path->start().transpose(), p.row(1) = path->end().transpose();
    return nurbs::elevate(nurbs::Spline::trusted(1, {0, 0, 1, 1}, p), 2);
  }
  return oneSpline(*path, cx);
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
  if (d.entity(id)->linked) return fail(linkedStays(d, *d.entity(id)));
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

namespace {

/// Curves by themselves, as they come.
void addFree(Drawing& d, const std::vector<nurbs::Path>& curves, const Context& cx) {
  std::vector<nurbs::Segment> all;
  for (const nurbs::Path& p : curves) all.insert(all.end(), p.segments().begin(), p.segments().end());
  if (auto with = withSegments(d, all, cx)) d = std::move(*with);
}

/// A piece of a chain moved aside: where it would begin and end by itself, and its tangents there.
struct Side {
  Vec2 a, b, u, v;
  Id id;
  bool forward;
};
std::vector<Side> sidesOf(const Drawing& d, const Chain& chain, double distance) {
  std::vector<Side> out;
  Vec2 at(chain.path.start().x(), chain.path.start().y());
  for (const Id& id : chain.entities) {
    const Entity& e = *d.entity(id);
    const auto its = endsOf(e);
    const bool forward = (d.at(its->first) - at).norm() <= (d.at(its->second) - at).norm();
    const Id p = forward ? its->first : its->second, q = forward ? its->second : its->first;
    const Vec2 u = *leavingDirection(d, e, p), v = -*leavingDirection(d, e, q);
    out.push_back({d.at(p) + Vec2(-u.y(), u.x()) * distance, d.at(q) + Vec2(-v.y(), v.x()) * distance, u, v, id, forward});
    at = d.at(q);
  }
  return out;
}

/// Points where sides that were moved aside meet; of open chains with both ends.
std::vector<Id> jointsOf(Drawing& d, const std::vector<Side>& sides, bool closed) {
  const size_t n = sides.size();
  std::vector<Id> out;
  for (size_t i = 0; i < n + (closed ? 0 : 1); ++i) {
    const Side &before = sides[(i + n - 1) % n], &after = sides[i % n];
    const bool end = !closed && (i == 0 || i == n);
    out.push_back(d.addPoint(end ? (i == 0 ? sides[0].a : sides[n - 1].b) : meetingOf(before.b, before.v, after.a, after.u, after.a)));
  }
  if (closed) out.push_back(out[0]);
  return out;
}

/// Which sides go on smoothly in the next one.
std::vector<bool> smoothEnds(const std::vector<Side>& sides, bool closed) {
  const size_t n = sides.size();
  std::vector<bool> out(n, false);
  for (size_t i = 0; i < n; ++i) out[i] = (closed || i + 1 < n) && n > 1 && sides[i].v.dot(sides[(i + 1) % n].u) > 1 - 1e-9;
  return out;
}

/// Lines and arcs one for one, held at the distance. Of sides that run on smoothly the first alone has a number.
void addAside(Drawing& out, const Drawing& d, const Chain& chain, double distance, const std::string& text) {
  const std::vector<Side> sides = sidesOf(d, chain, distance);
  const size_t n = sides.size();
  const std::vector<Id> joints = jointsOf(out, sides, chain.path.closed());
  const std::vector<bool> smooth = smoothEnds(sides, chain.path.closed());
  const bool round = std::all_of(smooth.begin(), smooth.end(), [](bool s) { return s; });
  const auto isLine = [&](size_t i) { return d.entity(sides[i].id)->shape == Shape::Line; };
  std::vector<Id> made;
  for (size_t i = 0; i < n; ++i) {
    const Entity& e = *d.entity(sides[i].id);
    Entity c = e;
    c.linked = false;
    c.link.clear();
    const Id s = sides[i].forward ? joints[i] : joints[i + 1], t = sides[i].forward ? joints[i + 1] : joints[i];
    c.points = isLine(i) ? std::vector<Id>{s, t} : std::vector<Id>{e.points[0], s, t};
    if (!isLine(i)) c.size = (sides[i].a - d.at(e.points[0])).norm();
    const double size = c.size;
    made.push_back(out.add(std::move(c)));
    if (isLine(i)) out.say(Law::Parallel, {e.id, made[i]});
    if (smooth[(i + n - 1) % n] && !(round && i == 0)) continue;
    if (isLine(i))
      out.say(Law::Distance, {s, e.id}, std::abs(distance), text);
    else
      out.say(Law::Radius, {made[i]}, size);
  }
  for (size_t i = 0; i < n; ++i)
    if (smooth[i] && !(isLine(i) && isLine((i + 1) % n))) out.say(Law::Tangent, {made[i], made[(i + 1) % n]});
}

} // namespace

Expected<Drawing> offsetBy(const Drawing& d, const std::vector<Id>& ids, double distance, const std::string& text, const Context& cx) {
  Drawing some = d;
  for (Entity& e : some.entities) {
    e.construction = std::find(ids.begin(), ids.end(), e.id) == ids.end();
    e.linked = false; // what is linked can be followed at a distance
  }
  LUMSK_TRY(chains, chainsOf(some, cx));
  if (chains.chains.empty()) return nothing();
  Drawing out = d;
  for (const Chain& chain : chains.chains) {
    const auto has = [&](auto&& is) { return std::any_of(chain.entities.begin(), chain.entities.end(), [&](const Id& id) { return is(*d.entity(id)); }); };
    LUMSK_TRY(made, nurbs::offsetInPlane(chain.path, Frame(), distance, nurbs::OffsetCorner::Sharp, cx));
    if (made.curves.empty()) return fail(problem("LM-U025", "nothing is left at this distance").measure(millimetres(distance)).at(chain.path.start()).tryThis("take less"));
    if (has([](const Entity& e) { return e.shape != Shape::Line && e.shape != Shape::Arc && e.shape != Shape::Circle; })) {
      addFree(out, made.curves, cx);
    } else if (has([](const Entity& e) { return e.shape == Shape::Circle; })) {
      Entity c = *d.entity(chain.entities[0]);
      c.linked = false, c.link.clear();
      c.size -= distance;
      const double size = c.size;
      out.say(Law::Radius, {out.add(std::move(c))}, size);
    } else {
      addAside(out, d, chain, distance, text);
    }
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
    Points places(Eigen::Index(e->points.size()), 3);
    for (size_t i = 0; i < e->points.size(); ++i) places.row(Eigen::Index(i)) << d.at(e->points[i]).x(), d.at(e->points[i]).y(), 0.0;
    const auto parameters = nurbs::parametersFor(places, nurbs::Spacing::Centripetal, e->closed);
    const auto after = std::upper_bound(parameters.begin() + 1, parameters.end() - 1, t / path->last());
    const Vec3 p = path->at(t);
    const Id made = out.addPoint({p.x(), p.y()});
    auto& points = out.entity(id)->points;
    points.insert(points.begin() + (after - parameters.begin()), made);
    return settled(std::move(out));
  }
  LUMSK_TRY(s, splineFor(d, *e, cx));
  double u = s.first() + (s.last() - s.first()) * std::clamp(t / path->last(), 0.0, 1.0);
  const double span = s.last() - s.first();
  u = std::clamp(u, s.first() + 0.01 * span, s.last() - 0.01 * span);
  return withSpline(d, id, nurbs::insertKnot(s, u));
}

} // namespace lumsk::drawing

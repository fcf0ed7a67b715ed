#include "drawing/edits.h"

#include "drawing/curves.h"
#include "drawing/measure.h"
#include "drawing/relate.h"
#include "drawing/solve.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/closest.h"
#include "nurbs/measure/meet.h"

#include <algorithm>
#include <set>

namespace lumsk::drawing {

namespace {

constexpr double kMeetMm = 1e-6; ///< curves of one plane meet within this
constexpr double kAtEnd = 1e-6;  ///< of a curve's parameter: no place within it


/// Without what does not fit any more, of what these entities are in.
void dropUnfit(Drawing& d, const std::set<Id>& touched) {
  const auto fits = [&](const Relation& r) {
    if (std::none_of(r.of.begin(), r.of.end(), [&](const Id& id) { return touched.count(id) > 0; })) return true;
    Drawing one = d;
    one.relations.clear();
    for (const Relation& other : d.relations)
      if (other.law == Law::Together && other.holds()) one.relations.push_back(other);
    Relation alone = r;
    if (isDimension(r.law)) alone.value = std::max(r.value, 1e-3), alone.measured = false;
    one.relations.push_back(alone);
    return bool(equationsOf(one));
  };
  std::vector<Relation> kept;
  for (const Relation& r : d.relations)
    if (fits(r)) kept.push_back(r);
  d.relations = std::move(kept);
}

/// Points that no entity names, and did not stand alone before.
void dropLoose(Drawing& d, const std::vector<Id>& suspects) {
  for (const Id& p : suspects) {
    const bool named = std::any_of(d.entities.begin(), d.entities.end(), [&](const Entity& e) { return std::find(e.points.begin(), e.points.end(), p) != e.points.end(); });
    if (!named) d = without(d, {p});
  }
}

/// Lengths of what is no longer as long.
bool aboutLength(const Relation& r, const Id& entity) {
  const bool of = std::find(r.of.begin(), r.of.end(), entity) != r.of.end();
  if (!of) return false;
  if (r.law == Law::Length || r.law == Law::ArcLength || r.law == Law::LevelDistance || r.law == Law::UprightDistance) return r.of.size() == 1;
  return r.law == Law::Middle || r.law == Law::Mirrored;
}

/// An entity between two parameters of its path, with points at its ends (made where there are none).
Expected<Entity> piece(Drawing& d, const Entity& e, const nurbs::Path& path, double from, double to, const Id& first, const Id& last, const Context& cx) {
  Entity out = e;
  const auto part = nurbs::pathPortion(path, from, to, LengthTolerance{1e-9});
  const auto point = [&](const Id& known, double t) { return known.empty() ? d.addPoint(flat(path.at(t))) : known; };
  const Id a = point(first, from), b = point(last, to);
  switch (e.shape) {
  case Shape::Line: out.points = {a, b}; return out;
  case Shape::Arc: out.points = {e.points[0], a, b}; return out;
  case Shape::Circle:
    out.shape = Shape::Arc;
    out.points = {e.points[0], a, b};
    out.left = true;
    return out;
  default: break;
  }
  // Splines, and what has no exact pieces of its own kind: splines within `fit`.
  if (!part) return fail(problem("LM-U001", "what is to be changed cannot be drawn").at(path.start()).tryThis("draw it anew"));
  LUMSK_TRY(spline, oneSpline(*part, cx));
  out.shape = Shape::Spline;
  out.degree = spline.degree();
  out.size = 0;
  out.closed = false;
  out.knots = spline.knots();
  out.points = {a};
  for (int i = 1; i + 1 < spline.size(); ++i) out.points.push_back(d.addPoint(flat(spline.points().row(i).transpose())));
  out.points.push_back(b);
  return out;
}

struct Cut {
  double t;
  Id by; ///< the entity that crosses there
};
std::vector<Cut> cutsOf(const Drawing& d, const Entity& e, const nurbs::Path& path) {
  std::vector<Cut> out;
  for (const Entity& other : d.entities) {
    if (other.id == e.id) continue;
    const auto p = pathOf(d, other);
    if (!p) continue;
    for (const auto& m : nurbs::meetings(path, *p, kMeetMm).list) out.push_back({m.s, other.id});
  }
  std::sort(out.begin(), out.end(), [](const Cut& a, const Cut& b) { return a.t < b.t; });
  return out;
}

Expected<const Entity*> changeable(const Drawing& d, const Id& id) {
  const Entity* e = d.entity(id);
  if (!e) return fail(problem("LM-U001", "what is to be changed is not there"));
  if (e->linked) return fail(linkedStays(d, *e));
  if (e->shape == Shape::Text) return fail(problem("LM-U034", "letters are written anew, not cut").at(in3(d.at(e->points[0]))).tryThis("pick them and change what they say"));
  return e;
}

} // namespace

Problem linkedStays(const Drawing& d, const Entity& e) {
  return problem("LM-U031", "what is linked is changed where it is made").at(in3(d.at(e.points[0]))).tryThis("draw over it, or change what it stands for");
}

Expected<Drawing> trimmed(const Drawing& d, const Id& id, const Vec2& near, const Context& cx) {
  LUMSK_TRY(e, changeable(d, id));
  const auto path = pathOf(d, *e);
  if (!path) return fail(problem("LM-U001", "what is to be changed cannot be drawn"));
  const double at = nurbs::closestPoint(*path, in3(near)).t, last = path->last();
  const bool closed = path->closed();
  std::vector<Cut> cuts = cutsOf(d, *e, *path);
  cuts.erase(std::remove_if(cuts.begin(), cuts.end(), [&](const Cut& c) { return !closed && (c.t < kAtEnd || c.t > last - kAtEnd); }), cuts.end());
  if (cuts.empty() || (closed && cuts.size() < 2)) return without(d, {id});
  const auto after = std::find_if(cuts.begin(), cuts.end(), [&](const Cut& c) { return c.t > at; });
  const Cut* low = after == cuts.begin() ? (closed ? &cuts.back() : nullptr) : &*(after - 1);
  const Cut* high = after == cuts.end() ? (closed ? &cuts.front() : nullptr) : &*after;
  Drawing out = d;
  const std::vector<Id> before = e->points;
  const auto ends = endsOf(*e);
  std::vector<Entity> pieces;
  // Ends that were made lie on what cut them: a point that is there already is taken.
  const auto meet = [&](Entity& made, size_t which, const Id& by) {
    const Id p = made.points[which];
    for (const Point& q : out.points)
      if (q.id != p && (q.at - out.at(p)).norm() < kMeetMm) {
        made.points[which] = q.id;
        out = without(out, {p});
        return;
      }
    if (out.entity(by)) out.say(Law::On, {p, by});
  };
  const size_t start = e->shape == Shape::Arc || e->shape == Shape::Circle ? 1 : 0;
  if (closed) {
    LUMSK_TRY(rest, piece(out, *e, *path, high->t, low->t, {}, {}, cx));
    meet(rest, start, high->by);
    meet(rest, rest.points.size() - 1, low->by);
    pieces.push_back(rest);
  } else {
    if (low) {
      LUMSK_TRY(lower, piece(out, *e, *path, 0, low->t, ends->first, {}, cx));
      meet(lower, lower.points.size() - 1, low->by);
      pieces.push_back(lower);
    }
    if (high) {
      LUMSK_TRY(second, piece(out, *e, *path, high->t, last, {}, ends->second, cx));
      meet(second, start, high->by);
      pieces.push_back(second);
    }
  }
  out.relations.erase(std::remove_if(out.relations.begin(), out.relations.end(), [&](const Relation& r) { return aboutLength(r, id); }), out.relations.end());
  // The longest keeps the id.
  const auto length = [&](const Entity& x) { const auto p = alongEntity(out, x, 40); double l = 0; for (size_t i = 1; i < p.size(); ++i) l += (p[i] - p[i - 1]).norm(); return l; };
  if (pieces.size() == 2 && length(pieces[1]) > length(pieces[0])) std::swap(pieces[0], pieces[1]);
  *out.entity(id) = pieces[0];
  if (pieces.size() == 2) {
    const Id other = out.add(pieces[1]);
    if (e->shape == Shape::Line) out.say(Law::InLine, {id, other});
    if (e->shape == Shape::Arc) out.say(Law::Equal, {id, other});
    dropUnfit(out, {id, other});
  } else {
    dropUnfit(out, {id});
  }
  dropLoose(out, before);
  return settled(std::move(out));
}

Expected<Drawing> split(const Drawing& d, const Id& id, const Vec2& at, const Context& cx) {
  LUMSK_TRY(e, changeable(d, id));
  const auto path = pathOf(d, *e);
  if (!path) return fail(problem("LM-U001", "what is to be changed cannot be drawn"));
  const double t = nurbs::closestPoint(*path, in3(at)).t, last = path->last();
  const auto ends = endsOf(*e);
  if (!ends) return fail(problem("LM-U020", "a closed line has no two pieces after one cut").tryThis("trim it with something that crosses it"));
  if (t < kAtEnd || t > last - kAtEnd) return fail(problem("LM-U020", "it ends there already").at(in3(at)).tryThis("click further inside"));
  Drawing out = d;
  const std::vector<Id> before = e->points;
  const Id middle = out.addPoint(flat(path->at(t)));
  LUMSK_TRY(a, piece(out, *e, *path, 0, t, ends->first, middle, cx));
  LUMSK_TRY(b, piece(out, *e, *path, t, last, middle, ends->second, cx));
  out.relations.erase(std::remove_if(out.relations.begin(), out.relations.end(), [&](const Relation& r) { return aboutLength(r, id); }), out.relations.end());
  *out.entity(id) = t > 0.5 * last ? a : b;
  const Id other = out.add(t > 0.5 * last ? b : a);
  if (e->shape == Shape::Line) out.say(Law::InLine, {id, other});
  if (e->shape == Shape::Arc) out.say(Law::Equal, {id, other});
  dropUnfit(out, {id, other});
  dropLoose(out, before);
  return settled(std::move(out));
}

Expected<Drawing> lengthened(const Drawing& d, const Id& id, const Vec2& near, const Context&) {
  LUMSK_TRY(e, changeable(d, id));
  const auto ends = endsOf(*e);
  if (!ends || (e->shape != Shape::Line && e->shape != Shape::Arc))
    return fail(problem("LM-U022", std::string("a ") + shapeName(e->shape) + " has no way of its own to go on").tryThis("draw on from its end"));
  const bool first = (d.at(ends->first) - near).norm() < (d.at(ends->second) - near).norm();
  const Id end = first ? ends->first : ends->second;
  const Vec2 from = d.at(end), way = -*leavingDirection(d, *e, end);
  nurbs::Segment on;
  if (e->shape == Shape::Line) {
    on = nurbs::LineSegment{in3(from), in3(from + way * 10 * std::max(1.0, sizeOf(d)))};
  } else {
    const Vec2 c = d.at(e->points[0]), u = from - c;
    const Vec2 v = Vec2(-u.y(), u.x()) * (way.dot(Vec2(-u.y(), u.x())) < 0 ? -1 : 1);
    on = nurbs::EllipseArc{in3(c), in3(u), in3(v), 0, 2 * kPi - 1e-6};
  }
  const auto path = nurbs::Path::make({on}, LengthTolerance{1e-9});
  if (!path) return fail(path.error());
  std::optional<Cut> best;
  for (const Entity& other : d.entities) {
    const auto p = other.id == id ? std::nullopt : pathOf(d, other);
    if (!p) continue;
    for (const auto& m : nurbs::meetings(*path, *p, kMeetMm).list)
      if ((flat(m.a) - from).norm() > 1e-6 && (!best || m.s < best->t)) best = Cut{m.s, other.id};
  }
  if (!best) return fail(problem("LM-U021", "nothing lies in its way").at(in3(from)).tryThis("drag its end, or draw what it should reach"));
  Drawing out = d;
  // An end that others share stays for them.
  const bool shared = std::count_if(d.entities.begin(), d.entities.end(), [&](const Entity& x) { return std::find(x.points.begin(), x.points.end(), end) != x.points.end(); }) > 1;
  Id moved = end;
  if (shared) {
    moved = out.addPoint(flat(path->at(best->t)));
    for (Id& p : out.entity(id)->points)
      if (p == end) p = moved;
    dropUnfit(out, {id});
  } else {
    out.point(end)->at = flat(path->at(best->t));
  }
  out.relations.erase(std::remove_if(out.relations.begin(), out.relations.end(), [&](const Relation& r) { return aboutLength(r, id); }), out.relations.end());
  out.say(Law::On, {moved, best->by});
  return settled(std::move(out));
}

// Corners -------------------------------------------------------------------------------------------------------------

namespace {

/// The two entities that end at a corner.
std::optional<std::array<Id, 2>> cornerAt(const Drawing& d, const Id& point) {
  std::vector<Id> out;
  for (const Entity& e : d.entities)
    if (const auto ends = endsOf(e); ends && (ends->first == point || ends->second == point)) out.push_back(e.id);
  if (out.size() != 2) return {};
  for (const Id& id : out)
    if (const Entity& e = *d.entity(id); e.linked || (e.shape != Shape::Line && e.shape != Shape::Arc)) return {};
  return std::array{out[0], out[1]};
}

/// Centres of circles that touch an entity, as a straight or round line: at a distance to either side.
struct Beside {
  bool straight;
  Vec2 at, way;
  double radius;
};
std::vector<Beside> besides(const Drawing& d, const Entity& e, double r) {
  if (e.shape == Shape::Line) {
    const Vec2 a = d.at(e.points[0]), way = (d.at(e.points[1]) - a).normalized(), n(-way.y(), way.x());
    return {{true, a + n * r, way, 0}, {true, a - n * r, way, 0}};
  }
  std::vector<Beside> out{{false, d.at(e.points[0]), {}, e.size + r}};
  if (e.size > r) out.push_back({false, d.at(e.points[0]), {}, e.size - r});
  return out;
}
std::vector<Vec2> crossings(const Beside& a, const Beside& b) {
  if (a.straight && b.straight) {
    const double k = a.way.x() * b.way.y() - a.way.y() * b.way.x();
    if (std::abs(k) < 1e-12) return {};
    const Vec2 by = b.at - a.at;
    return {a.at + a.way * ((by.x() * b.way.y() - by.y() * b.way.x()) / k)};
  }
  if (b.straight) return crossings(b, a);
  std::vector<Vec2> out;
  if (a.straight) {
    const double t = a.way.dot(b.at - a.at), off = (a.at + t * a.way - b.at).squaredNorm(), left = b.radius * b.radius - off;
    if (left < 0) return {};
    for (const double s : {-1.0, 1.0}) out.push_back(a.at + (t + s * std::sqrt(left)) * a.way);
    return out;
  }
  const Vec2 by = b.at - a.at;
  const double l = by.norm(), x = l > 0 ? (l * l + a.radius * a.radius - b.radius * b.radius) / (2 * l) : 1e300, h = a.radius * a.radius - x * x;
  if (h < 0 || l <= 0) return {};
  const Vec2 u = by / l, n(-u.y(), u.x());
  for (const double s : {-1.0, 1.0}) out.push_back(a.at + x * u + s * std::sqrt(h) * n);
  return out;
}

/// Where a circle round a centre touches an entity; nothing where that is beyond its ends.
std::optional<Vec2> touch(const Drawing& d, const Entity& e, const Vec2& centre) {
  const auto path = pathOf(d, e);
  const Vec2 foot = e.shape == Shape::Line ? footOn(centre, d.at(e.points[0]), d.at(e.points[1]))
                                           : Vec2(d.at(e.points[0]) + (centre - d.at(e.points[0])).normalized() * e.size);
  if (!path) return {};
  const auto near = nurbs::closestPoint(*path, in3(foot));
  if (near.distanceMm > 1e-6 || near.t < kAtEnd || near.t > path->last() - kAtEnd) return {};
  return foot;
}

struct Touching {
  Vec2 centre, a, b;
};
std::optional<Touching> touchingCircle(const Drawing& d, const std::array<Id, 2>& of, const Vec2& corner, double r) {
  const Entity &e = *d.entity(of[0]), &f = *d.entity(of[1]);
  std::optional<Touching> best;
  for (const Beside& x : besides(d, e, r))
    for (const Beside& y : besides(d, f, r))
      for (const Vec2& c : crossings(x, y)) {
        const auto a = touch(d, e, c), b = touch(d, f, c);
        if (a && b && (!best || (c - corner).norm() < (best->centre - corner).norm())) best = Touching{c, *a, *b};
      }
  return best;
}

/// A corner's two entities end at new places; the corner itself stays where something else is said of it.
std::array<Id, 2> openCorner(Drawing& d, const std::array<Id, 2>& of, const Id& corner, const Vec2& a, const Vec2& b, bool keep) {
  const std::array<Id, 2> ends{d.addPoint(a), d.addPoint(b)};
  for (size_t i : {size_t(0), size_t(1)})
    for (Id& p : d.entity(of[i])->points)
      if (p == corner) p = ends[i];
  dropUnfit(d, {of[0], of[1]});
  d.relations.erase(std::remove_if(d.relations.begin(), d.relations.end(), [&](const Relation& r) { return aboutLength(r, of[0]) || aboutLength(r, of[1]); }), d.relations.end());
  const bool meant = keep || std::any_of(d.relations.begin(), d.relations.end(), [&](const Relation& r) { return std::find(r.of.begin(), r.of.end(), corner) != r.of.end(); });
  if (meant)
    for (const Id& e : of) d.say(Law::On, {corner, e});
  else
    d = without(d, {corner});
  return ends;
}

Problem noCorner(const Drawing& d, const Id& point) {
  Problem p = problem("LM-U023", "no two lines or arcs end there").tryThis("click the point where they meet");
  if (d.point(point)) p.at(in3(d.at(point)));
  return p;
}

} // namespace

Expected<Drawing> rounded(const Drawing& d, const Id& point, double radius, const std::string& text) {
  const auto of = d.point(point) ? cornerAt(d, point) : std::nullopt;
  if (!of) return fail(noCorner(d, point));
  const Vec2 corner = d.at(point);
  const auto t = touchingCircle(d, *of, corner, radius);
  if (!t) {
    double low = 0, high = radius;
    for (int k = 0; k < 40; ++k) {
      const double middle = 0.5 * (low + high);
      (touchingCircle(d, *of, corner, middle) ? low : high) = middle;
    }
    return fail(problem("LM-U024", "this radius does not fit the corner").measure(millimetres(radius)).want(millimetres(low)).at(in3(corner)).tryThis("take less"));
  }
  Drawing out = d;
  const auto ends = openCorner(out, *of, point, t->a, t->b, false);
  Entity arc;
  arc.shape = Shape::Arc;
  arc.size = radius;
  const Vec2 u = t->a - t->centre, v = t->b - t->centre;
  arc.left = u.x() * v.y() - u.y() * v.x() > 0;
  arc.points = {out.addPoint(t->centre), ends[0], ends[1]};
  arc.construction = d.entity((*of)[0])->construction && d.entity((*of)[1])->construction;
  const Id id = out.add(arc);
  out.say(Law::Tangent, {(*of)[0], id});
  out.say(Law::Tangent, {id, (*of)[1]});
  out.say(Law::Radius, {id}, radius, text);
  return settled(std::move(out));
}

Expected<Drawing> cornerCut(const Drawing& d, const Id& point, double distance, const std::string& text) {
  const auto of = d.point(point) ? cornerAt(d, point) : std::nullopt;
  if (!of || d.entity((*of)[0])->shape != Shape::Line || d.entity((*of)[1])->shape != Shape::Line) return fail(noCorner(d, point));
  const Vec2 corner = d.at(point);
  std::array<Vec2, 2> at;
  for (size_t i : {size_t(0), size_t(1)}) {
    const Entity& e = *d.entity((*of)[i]);
    const Vec2 way = d.at(e.points[0] == point ? e.points[1] : e.points[0]) - corner;
    if (way.norm() <= distance)
      return fail(problem("LM-U024", "this distance does not fit the corner").measure(millimetres(distance)).want(millimetres(way.norm())).at(in3(corner)).tryThis("take less"));
    at[i] = corner + way.normalized() * distance;
  }
  Drawing out = d;
  const auto ends = openCorner(out, *of, point, at[0], at[1], true);
  Entity line;
  line.points = {ends[0], ends[1]};
  out.add(line);
  for (const Id& end : ends) out.say(Law::Distance, {point, end}, distance, text);
  return settled(std::move(out));
}

} // namespace lumsk::drawing

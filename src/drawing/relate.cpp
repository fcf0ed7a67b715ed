#include "drawing/relate.h"

#include "drawing/freedom.h"
#include "drawing/measure.h"

#include <algorithm>

namespace lumsk::drawing {

namespace {

constexpr double kCuspRad = kPi / 6;  ///< curves that leave their common point within this angle meet in a cusp

/// What was picked, by kind.
struct Picked {
  std::vector<Id> points;
  std::vector<const Entity*> lines, rounds, ellipses, curves, texts; ///< curves: splines and conics
  size_t entities() const { return lines.size() + rounds.size() + ellipses.size() + curves.size() + texts.size(); }
  std::vector<const Entity*> all;
};
Picked sorted(const Drawing& d, const std::vector<Id>& ids) {
  Picked out;
  for (const Id& id : ids) {
    if (d.point(id)) out.points.push_back(id);
    const Entity* e = d.entity(id);
    if (!e) continue;
    out.all.push_back(e);
    switch (e->shape) {
    case Shape::Line: out.lines.push_back(e); break;
    case Shape::Arc:
    case Shape::Circle: out.rounds.push_back(e); break;
    case Shape::Ellipse: out.ellipses.push_back(e); break;
    case Shape::Text: out.texts.push_back(e); break;
    default: out.curves.push_back(e); break;
    }
  }
  return out;
}

Relation relation(Law law, std::vector<Id> of) {
  Relation r;
  r.law = law, r.of = std::move(of);
  return r;
}

std::vector<Relation> toFirst(Law law, const std::vector<const Entity*>& list) {
  std::vector<Relation> out;
  for (size_t i = 1; i < list.size(); ++i) out.push_back(relation(law, {list[0]->id, list[i]->id}));
  return out;
}

/// A point that both end at.
std::optional<Id> sharedEnd(const Drawing& d, const Entity& a, const Entity& b) {
  const auto p = endsOf(a), q = endsOf(b);
  if (!p || !q) return {};
  const auto together = [&](const Id& x, const Id& y) {
    return x == y || std::any_of(d.relations.begin(), d.relations.end(), [&](const Relation& r) {
             return r.law == Law::Together && r.holds() && r.of.size() == 2 && ((r.of[0] == x && r.of[1] == y) || (r.of[0] == y && r.of[1] == x));
           });
  };
  for (const Id& x : {p->first, p->second})
    for (const Id& y : {q->first, q->second})
      if (together(x, y)) return x;
  return {};
}

bool endsAt(const Entity& e, const Id& p) {
  const auto ends = endsOf(e);
  return ends && (ends->first == p || ends->second == p);
}

std::vector<Relation> angleOf(const Drawing& d, const Entity& a, const Entity& b) {
  Relation r = relation(Law::Angle, {a.id, b.id});
  // Both away from where they meet.
  if (const auto p = sharedEnd(d, a, b)) {
    if (a.points[1] == *p) r.turn |= 1;
    if (b.points[1] == *p || (b.points[0] != *p && (d.at(b.points[1]) - d.at(*p)).norm() < (d.at(b.points[0]) - d.at(*p)).norm())) r.turn |= 2;
  } else if (const Vec2 u = d.at(a.points[1]) - d.at(a.points[0]), v = d.at(b.points[1]) - d.at(b.points[0]); u.dot(v) < 0) {
    r.turn = 2;
  }
  return {r};
}

std::vector<Relation> tangentOf(const Drawing& d, Law law, const Picked& p) {
  if (p.all.size() != 2 || !p.points.empty()) return {};
  const Entity &a = *p.all[0], &b = *p.all[1];
  const auto shared = sharedEnd(d, a, b);
  if (law == Law::SameCurvature && (!shared || p.curves.empty())) return {};
  if (!shared && !(p.rounds.size() == 2 || (p.rounds.size() + p.ellipses.size() == 1 && p.lines.size() == 1))) return {};
  if (p.lines.size() == 2) return {};
  Relation r = relation(law, {a.id, b.id});
  if (shared && law == Law::Tangent)
    if (const auto u = leavingDirection(d, a, *shared), v = leavingDirection(d, b, *shared); u && v && std::acos(std::clamp(u->dot(*v), -1.0, 1.0)) < kCuspRad) r.turn = 1;
  return {r};
}

/// Of letters: how they stand, and that they stay.
std::vector<Relation> ofText(Law law, const Picked& p) {
  if (!p.points.empty() || p.entities() != 1) return {};
  const Entity& e = *p.texts[0];
  if (law == Law::Level || law == Law::Upright) return {relation(law == Law::Level ? Law::Upright : Law::Level, e.points)};
  if (law == Law::Length) return {relation(law, e.points)};
  return law == Law::Fixed ? std::vector{relation(law, {e.id})} : std::vector<Relation>{};
}

std::vector<Relation> plain(const Drawing& d, Law law, const Picked& p) {
  const size_t np = p.points.size(), ne = p.entities(), nl = p.lines.size();
  std::vector<Relation> out;
  switch (law) {
  case Law::Level:
  case Law::Upright:
    if (np == 2 && ne == 0) return {relation(law, p.points)};
    if (np == 0 && nl == ne && nl > 0)
      for (const Entity* e : p.lines) out.push_back(relation(law, {e->id}));
    return out;
  case Law::Together:
    if (ne == 0 && np > 1)
      for (size_t i = 1; i < np; ++i) out.push_back(relation(law, {p.points[0], p.points[i]}));
    return out;
  case Law::On:
    if (np == 1 && ne == 1 &&
        std::find(p.all[0]->points.begin(), p.all[0]->points.end(), p.points[0]) == p.all[0]->points.end())
      return {relation(law, {p.points[0], p.all[0]->id})};
    return out;
  case Law::Parallel: return np == 0 && nl == ne && nl > 1 ? toFirst(law, p.lines) : out;
  case Law::Square: return np == 0 && nl == 2 && ne == 2 ? toFirst(law, p.lines) : out;
  case Law::InLine:
    if (np == 3 && ne == 0) return {relation(law, p.points)};
    return np == 0 && nl == ne && nl > 1 ? toFirst(law, p.lines) : out;
  case Law::Equal:
    if (np == 0 && ne > 1 && (nl == ne || p.rounds.size() == ne || p.ellipses.size() == ne)) return toFirst(law, p.all);
    return out;
  case Law::SameCentre:
    if (np == 0 && ne > 1 && nl + p.curves.size() == 0) return toFirst(law, p.all);
    if (np == 1 && ne == 1 && nl + p.curves.size() == 0 && p.all[0]->points[0] != p.points[0]) return {relation(law, {p.all[0]->id, p.points[0]})};
    return out;
  case Law::Tangent:
  case Law::SameCurvature: return tangentOf(d, law, p);
  case Law::Mirrored:
    if (np == 2 && nl == 1 && ne == 1) return {relation(law, {p.points[0], p.points[1], p.lines[0]->id})};
    if (np == 0 && ne == 3 && !p.lines.empty()) {
      const Entity* axis = p.lines.back();
      std::vector<const Entity*> two;
      for (const Entity* e : p.all)
        if (e != axis) two.push_back(e);
      if (two[0]->shape == two[1]->shape && two[0]->points.size() == two[1]->points.size()) return {relation(law, {two[0]->id, two[1]->id, axis->id})};
    }
    return out;
  case Law::Middle:
    if (np == 1 && nl == 1 && ne == 1) return {relation(law, {p.points[0], p.lines[0]->id})};
    if (np == 3 && ne == 0) return {relation(law, p.points)};
    return out;
  case Law::Fixed:
    for (const Id& id : p.points) out.push_back(relation(law, {id}));
    for (const Entity* e : p.all) out.push_back(relation(law, {e->id}));
    return out;
  case Law::Flat:
    if (np == 1 && ne == 1 && p.curves.size() == 1 && endsAt(*p.curves[0], p.points[0])) return {relation(law, {p.curves[0]->id, p.points[0]})};
    return out;
  default: return out;
  }
}

std::vector<Relation> dimensions(const Drawing& d, Law law, const Picked& p) {
  const size_t np = p.points.size(), ne = p.entities(), nl = p.lines.size();
  const bool pair = np == 2 && ne == 0, line = np == 0 && nl == 1 && ne == 1, ellipse = np == 0 && ne == 1 && p.ellipses.size() == 1;
  const bool end = np == 1 && ne == 1 && p.all[0]->shape != Shape::Ellipse && endsAt(*p.all[0], p.points[0]);
  const auto slanted = [&](int k) {
    const Vec2 by = pair ? Vec2(d.at(p.points[1]) - d.at(p.points[0])) : Vec2(d.at(p.lines[0]->points[1]) - d.at(p.lines[0]->points[0]));
    return std::abs(by[k]) > 1e-9 * sizeOf(d);
  };
  std::vector<Id> of = p.points;
  for (const Entity* e : p.all) of.push_back(e->id);
  switch (law) {
  case Law::Length: return line || ellipse ? std::vector{relation(law, of)} : std::vector<Relation>{};
  case Law::LevelDistance:
  case Law::UprightDistance: return (pair || line) && slanted(law == Law::LevelDistance ? 0 : 1) && slanted(law == Law::LevelDistance ? 1 : 0) ? std::vector{relation(law, of)} : std::vector<Relation>{};
  case Law::Distance: {
    if (pair) return {relation(law, of)};
    if (np == 1 && nl == 1 && ne == 1) return {relation(law, {p.points[0], p.lines[0]->id})};
    if (np == 0 && ne == 2 && nl == 1 && p.rounds.size() == 1) return {relation(law, {p.rounds[0]->id, p.lines[0]->id})};
    if (np == 0 && nl == 2 && ne == 2) {
      const Vec2 u = d.at(p.lines[0]->points[1]) - d.at(p.lines[0]->points[0]), v = d.at(p.lines[1]->points[1]) - d.at(p.lines[1]->points[0]);
      if (std::abs(u.x() * v.y() - u.y() * v.x()) < 1e-6 * u.norm() * v.norm()) return {relation(law, of)};
    }
    return {};
  }
  case Law::Radius:
  case Law::Diameter: return (np == 0 && ne == 1 && p.rounds.size() == 1) || (ellipse && law == Law::Radius) ? std::vector{relation(law, of)} : std::vector<Relation>{};
  case Law::Angle: return np == 0 && nl == 2 && ne == 2 ? angleOf(d, *p.lines[0], *p.lines[1]) : std::vector<Relation>{};
  case Law::ArcLength:
    return np == 0 && ne == 1 && (p.all[0]->shape == Shape::Arc || p.all[0]->shape == Shape::Spline || p.all[0]->shape == Shape::Through) ? std::vector{relation(law, of)} : std::vector<Relation>{};
  case Law::EndAngle: return end ? std::vector{relation(law, {p.all[0]->id, p.points[0]})} : std::vector<Relation>{};
  case Law::EndRadius: return end && p.curves.size() == 1 ? std::vector{relation(law, {p.all[0]->id, p.points[0]})} : std::vector<Relation>{};
  default: return {};
  }
}

} // namespace

std::vector<Relation> relationsFor(const Drawing& d, Law law, const std::vector<Id>& picked) {
  const Picked p = sorted(d, picked);
  std::vector<Relation> out = !p.texts.empty() ? ofText(law, p) : isDimension(law) ? dimensions(d, law, p) : plain(d, law, p);
  if (isDimension(law))
    for (Relation& r : out) r.value = measured(d, r).value_or(0);
  return out;
}

std::vector<Law> fitting(const Drawing& d, const std::vector<Id>& picked) {
  std::vector<Law> out;
  for (int i = 0; i < kLaws; ++i) {
    const Law law = Law(i);
    const auto relations = relationsFor(d, law, picked);
    if (relations.empty()) continue;
    // What measures nought, or says nothing new, is no help; but dimensions can still tell.
    if (isDimension(law) ? relations[0].value > 1e-9 : std::any_of(relations.begin(), relations.end(), [&](const Relation& r) { return isNew(d, r); }))
      out.push_back(law);
  }
  return out;
}

Drawing withRelations(const Drawing& d, const std::vector<Relation>& more) {
  Drawing out = d;
  for (const Relation& r : more) out.add(r);
  return settled(std::move(out));
}

std::optional<DimensionPlace> placeOf(const Drawing& d, const Relation& r, double beside) {
  const auto spot = spotOf(d, r);
  if (!spot) return {};
  DimensionPlace out{spot->from, spot->to, {}, {}};
  const Vec2 middle = 0.5 * (out.from + out.to), along = out.to - out.from;
  Vec2 aside = along.norm() > 1e-12 ? Vec2(Vec2(-along.y(), along.x()).normalized()) : Vec2::UnitY();
  // Outwards, as seen from the middle of all.
  Eigen::AlignedBox2d box;
  for (const Point& p : d.points) box.extend(p.at);
  if (aside.dot(middle - box.center()) < 0) aside = -aside;
  const Vec2 usual = spot->outside ? Vec2(along.normalized() * (0.5 * along.norm() + beside)) : Vec2(aside * beside);
  out.number = middle + (r.place.isZero() ? usual : r.place);
  if (spot->outside) {
    out.leaders.push_back({out.from, out.number});
  } else {
    // The number's line runs beside what is measured, through the number.
    const Vec2 way = along.norm() > 1e-12 ? Vec2(along.normalized()) : Vec2::UnitX();
    const Vec2 off = (out.number - middle) - way * way.dot(out.number - middle);
    out.leaders.push_back({Vec2(out.from + off), Vec2(out.to + off)});
    for (const Vec2& end : {spot->from, spot->to}) out.leaders.push_back({end, Vec2(end + off)});
    for (const auto& l : spot->extra) out.leaders.push_back(l);
  }
  return out;
}

Vec2 signPlace(const Drawing& d, const Relation& r) {
  Vec2 sum = Vec2::Zero();
  int n = 0;
  for (const Id& id : r.of) {
    if (r.law == Law::Mirrored && n == 2) break;
    if (r.law == Law::On && d.entity(id)) continue;
    sum += middleOf(d, id);
    ++n;
  }
  // Between two curves that meet: where they do.
  if ((r.law == Law::Tangent || r.law == Law::SameCurvature) && r.of.size() == 2 && d.entity(r.of[0]) && d.entity(r.of[1]))
    if (const auto p = sharedEnd(d, *d.entity(r.of[0]), *d.entity(r.of[1]))) return d.at(*p);
  return n ? Vec2(sum / n) : Vec2::Zero();
}

} // namespace lumsk::drawing

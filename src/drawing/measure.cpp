#include "drawing/measure.h"

#include "drawing/curves.h"

namespace lumsk::drawing {

namespace {


std::vector<Vec2> along(const nurbs::Path& p, int count) {
  std::vector<Vec2> out;
  const Points line = nurbs::polyline(p, count);
  for (Eigen::Index i = 0; i < line.rows(); ++i) out.push_back({line(i, 0), line(i, 1)});
  return out;
}

} // namespace

Vec2 footOn(const Vec2& p, const Vec2& a, const Vec2& b) {
  const Vec2 along = b - a;
  const double square = along.squaredNorm();
  return square > 0 ? Vec2(a + along * (along.dot(p - a) / square)) : a;
}

std::vector<Vec2> alongEntity(const Drawing& d, const Entity& e, int count) {
  if (e.shape == Shape::Line) return {d.at(e.points[0]), d.at(e.points[1])};
  const auto p = pathOf(d, e);
  if (p) return along(*p, count);
  std::vector<Vec2> out;
  for (const Id& q : e.points) out.push_back(d.at(q));
  return out;
}

std::vector<std::vector<Vec2>> linesOf(const Drawing& d, const Entity& e, int count) {
  if (e.shape != Shape::Text) return {alongEntity(d, e, count)};
  std::vector<std::vector<Vec2>> out;
  if (const auto letters = lettersOf(d, e, {}))
    for (const nurbs::Path& p : letters->loops) out.push_back(along(p, std::max(2, count / 12)));
  else
    out.push_back(alongEntity(d, e, count));
  return out;
}

Vec2 middleOf(const Drawing& d, const Id& id) {
  if (const Point* p = d.point(id)) return p->at;
  const Entity* e = d.entity(id);
  if (!e) return Vec2::Zero();
  if (e->shape == Shape::Circle || e->shape == Shape::Ellipse) return d.at(e->points[0]) + Vec2(0, e->size);
  const auto p = pathOf(d, *e);
  return p ? flat(p->at(0.5 * p->last())) : d.at(e->points[0]);
}

std::optional<Vec2> leavingDirection(const Drawing& d, const Entity& e, const Id& end) {
  const auto ends = endsOf(e);
  const auto p = pathOf(d, e);
  if (!ends || !p) return {};
  const bool first = (d.at(ends->first) - d.at(end)).norm() <= (d.at(ends->second) - d.at(end)).norm();
  nurbs::CurveDerivatives c;
  p->derivatives(0, 1, c);
  const Vec2 out = first ? flat(c[1]) : Vec2(-flat(p->tangentBefore(p->last())));
  return out.norm() > 0 ? std::optional(Vec2(out.normalized())) : std::nullopt;
}

std::optional<Spot> spotOf(const Drawing& d, const Relation& r) {
  const Entity *a = d.entity(r.of[0]), *b = r.of.size() > 1 ? d.entity(r.of[1]) : nullptr;
  const auto line = [&](const Entity* e) { return e && e->shape == Shape::Line; };
  switch (r.law) {
  case Law::Radius:
  case Law::Diameter: {
    if (!a || !(a->size > 0)) return {};
    const Vec2 c = d.at(a->points[0]);
    if (a->shape == Shape::Ellipse) {
      const Vec2 half = (d.at(a->points[1]) - c).normalized();
      return Spot{c, Vec2(c + a->size * Vec2(-half.y(), half.x())), true};
    }
    Vec2 way(std::sqrt(0.5), std::sqrt(0.5));
    if (a->shape == Shape::Arc) way = (middleOf(d, a->id) - c).normalized();
    return Spot{r.law == Law::Radius ? c : Vec2(c - way * a->size), Vec2(c + way * a->size), true};
  }
  case Law::Angle: {
    if (!line(a) || !line(b)) return {};
    Spot s{middleOf(d, a->id), middleOf(d, b->id)};
    return s;
  }
  case Law::EndAngle:
  case Law::EndRadius: {
    if (r.of.size() < 2 || !a || !d.point(r.of[1])) return {};
    const auto way = leavingDirection(d, *a, r.of[1]);
    if (!way) return {};
    return Spot{d.at(r.of[1]), Vec2(d.at(r.of[1]) + *way * 0.1 * sizeOf(d)), true};
  }
  case Law::ArcLength: {
    if (!a || !endsOf(*a)) return {};
    return Spot{d.at(endsOf(*a)->first), d.at(endsOf(*a)->second)};
  }
  default: break;
  }
  if (r.of.size() == 1) {
    if (!line(a) && !(a && a->shape == Shape::Ellipse)) return {};
    const Vec2 p = d.at(a->points[0]), q = d.at(a->points[1]);
    if (r.law == Law::LevelDistance) return Spot{p, {q.x(), p.y()}, false, {{Vec2(q.x(), p.y()), q}}};
    if (r.law == Law::UprightDistance) return Spot{p, {p.x(), q.y()}, false, {{Vec2(p.x(), q.y()), q}}};
    return Spot{p, q};
  }
  const auto place = [&](const Id& id) { return d.point(id) ? d.at(id) : d.at(d.entity(id)->points[0]); };
  const Vec2 p = place(r.of[0]);
  if (line(b)) {
    const Vec2 from = line(a) ? middleOf(d, a->id) : p, u = d.at(b->points[0]), v = d.at(b->points[1]), foot = footOn(from, u, v);
    Spot s{from, foot};
    const double t = (v - u).squaredNorm() > 0 ? (v - u).dot(foot - u) / (v - u).squaredNorm() : 0;
    if (t < 0 || t > 1) s.extra.push_back({foot, t < 0 ? u : v});
    return s;
  }
  const Vec2 q = place(r.of[1]);
  if (r.law == Law::LevelDistance) return Spot{p, {q.x(), p.y()}, false, {{Vec2(q.x(), p.y()), q}}};
  if (r.law == Law::UprightDistance) return Spot{p, {p.x(), q.y()}, false, {{Vec2(p.x(), q.y()), q}}};
  return Spot{p, q};
}

} // namespace lumsk::drawing

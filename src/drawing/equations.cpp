#include "drawing/variables.h"

#include <algorithm>
#include <cmath>

namespace lumsk::drawing {

namespace {

/// What an entity is by itself.
void addEntity(Variables& v, const Entity& e) {
  if (e.size > 0 && (e.shape == Shape::Circle || e.shape == Shape::Arc || e.shape == Shape::Ellipse)) {
    v.equations.sizeOf[e.id] = v.equations.add(e.size);
    v.equations.positive.push_back(v.equations.sizeOf[e.id]);
  }
  if (e.shape == Shape::Line || e.shape == Shape::Ellipse || e.shape == Shape::Text) v.equations.legs.push_back({v.var(e.points[0]), v.var(e.points[1])});
  if (e.shape == Shape::Arc) {
    for (const int end : {1, 2}) {
      v.row(Form::OnRound, {v.var(e.points[size_t(end)]), v.var(e.points[0])}, {v.equations.sizeOf[e.id]});
      v.equations.legs.push_back({v.var(e.points[0]), v.var(e.points[size_t(end)])});
    }
    v.equations.arcs.push_back({v.var(e.points[0]), v.var(e.points[1]), v.var(e.points[2]), e.left ? 1.0 : -1.0});
  }
  if (e.linked)
    for (const Id& p : e.points) v.hold(v.var(p)), v.hold(v.var(p) + 1);
  if (e.linked && v.equations.sizeOf.count(e.id)) v.hold(v.equations.sizeOf[e.id]);
}

} // namespace

Variables::Variables(const Drawing& d) : drawing(d) {
  equations.size = std::max(drawing::sizeOf(d), 1e-3);
  for (size_t i = 0; i < d.points.size(); ++i) {
    index_[d.points[i].id] = int(2 * i);
    equations.start.push_back(d.points[i].at.x());
    equations.start.push_back(d.points[i].at.y());
  }
  for (const Relation& r : drawing.relations) {
    if (r.law != Law::Together || !r.holds() || r.of.size() != 2) continue;
    const Id a = placeOf(r.of[0]), b = placeOf(r.of[1]);
    if (a != b) together_[b] = a;
  }
}

Expected<Equations> equationsOf(const Drawing& d) {
  Variables v(d);
  Ends ends(v);
  for (const Entity& e : d.entities) addEntity(v, e);
  for (const Point& p : d.points)
    if (!p.link.empty()) v.hold(v.var(p.id)), v.hold(v.var(p.id) + 1);
  for (size_t i = 0; i < d.relations.size(); ++i) {
    const Relation& r = d.relations[i];
    v.relation = int(i);
    if (r.holds()) LUMSK_CHECK(isDimension(r.law) ? addDimension(v, ends, r) : addRelation(v, ends, r));
  }
  return std::move(v.equations);
}

double sweepOf(const Equations::Arc& a, const std::vector<double>& p) {
  const auto at = [&](int v) { return Vec2(p[size_t(v)], p[size_t(v) + 1]); };
  const Vec2 u = at(a.start) - at(a.centre), v = at(a.end) - at(a.centre);
  const double angle = std::atan2(a.sign * (u.x() * v.y() - u.y() * v.x()), u.dot(v));
  return angle <= 0 ? angle + 2 * kPi : angle;
}

} // namespace lumsk::drawing

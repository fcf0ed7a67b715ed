#include "drawing/value.h"

#include "nurbs/core/knots.h"

#include <algorithm>
#include <array>
#include <map>
#include <set>

namespace lumsk::drawing {

namespace {

constexpr std::array<const char*, 8> kShapes{"line", "arc", "circle", "ellipse", "spline", "through", "conic", "text"};

struct LawText {
  const char *key, *words;
};
constexpr std::array<LawText, kLaws> kLawTexts{{{"level", "level"},
                                                {"upright", "upright"},
                                                {"together", "together"},
                                                {"on", "on"},
                                                {"parallel", "parallel"},
                                                {"square", "square"},
                                                {"in_line", "in line"},
                                                {"equal", "equal"},
                                                {"same_centre", "same centre"},
                                                {"tangent", "tangent"},
                                                {"same_curvature", "equal curvature"},
                                                {"mirrored", "mirrored"},
                                                {"middle", "middle"},
                                                {"fixed", "fixed"},
                                                {"flat", "flat end"},
                                                {"same_step", "same step"},
                                                {"same_turn", "same turn"},
                                                {"length", "length"},
                                                {"level_distance", "level distance"},
                                                {"upright_distance", "upright distance"},
                                                {"distance", "distance"},
                                                {"radius", "radius"},
                                                {"diameter", "diameter"},
                                                {"angle", "angle"},
                                                {"arc_length", "arc length"},
                                                {"end_angle", "end angle"},
                                                {"end_radius", "end radius"},
                                                {"turned", "turn"}}};

template <class List> auto* findIn(List& list, const Id& id) {
  const auto it = std::find_if(list.begin(), list.end(), [&](const auto& x) { return x.id == id; });
  return it == list.end() ? nullptr : &*it;
}

Unexpected damaged(const std::string& what) { return fail(problem("LM-U001", what)); }

Expected<void> checkEntity(const Drawing& d, const Entity& e) {
  const auto [least, most] = pointsOf(e.shape);
  if (int(e.points.size()) < least || int(e.points.size()) > most)
    return damaged(std::string("a ") + shapeName(e.shape) + " names " + std::to_string(e.points.size()) + " points");
  for (const Id& p : e.points)
    if (!d.point(p)) return damaged(std::string("a ") + shapeName(e.shape) + " names a point that is not there");
  const bool sized = e.shape == Shape::Arc || e.shape == Shape::Circle || e.shape == Shape::Ellipse;
  if (sized && !(e.size > 0 && e.size <= kLargestCoordinate)) return fail(problem("LM-U002", std::string("the size of a ") + shapeName(e.shape) + " cannot be used"));
  const bool spline = e.shape == Shape::Spline || e.shape == Shape::Through;
  if (spline && (e.degree < 1 || e.degree > 7)) return fail(problem("LM-U002", "a spline's degree is 2 to 7"));
  if (e.shape == Shape::Spline && int(e.points.size()) <= e.degree) return damaged("a spline has too few control points for its degree");
  if (!e.knots.empty() && (e.shape != Shape::Spline || e.knots.size() != e.points.size() + size_t(e.degree) + 1 || !std::is_sorted(e.knots.begin(), e.knots.end()) || !(e.knots.back() > e.knots.front())))
    return damaged("a spline has other knots than its points need");
  if (e.shape == Shape::Conic && !(e.rho > 0 && e.rho < 1)) return fail(problem("LM-U002", "rho of a conic lies between 0 and 1"));
  return {};
}

} // namespace

const char* shapeName(Shape s) { return kShapes[size_t(s)]; }
std::optional<Shape> shapeOf(const std::string& name) {
  for (size_t i = 0; i < kShapes.size(); ++i)
    if (name == kShapes[i]) return Shape(i);
  return {};
}

const char* lawName(Law l) { return kLawTexts[size_t(l)].key; }
const char* lawWords(Law l) { return kLawTexts[size_t(l)].words; }
std::optional<Law> lawOf(const std::string& name) {
  for (size_t i = 0; i < kLawTexts.size(); ++i)
    if (name == kLawTexts[i].key) return Law(i);
  return {};
}

Dimension dimensionOf(Law l) { return l == Law::Angle || l == Law::EndAngle || l == Law::Turned ? Dimension::Angle : Dimension::Length; }

const Point* Drawing::point(const Id& id) const { return findIn(points, id); }
const Entity* Drawing::entity(const Id& id) const { return findIn(entities, id); }
const Relation* Drawing::relation(const Id& id) const { return findIn(relations, id); }
Point* Drawing::point(const Id& id) { return findIn(points, id); }
Entity* Drawing::entity(const Id& id) { return findIn(entities, id); }
Relation* Drawing::relation(const Id& id) { return findIn(relations, id); }

Id Drawing::addPoint(const Vec2& at) {
  points.push_back({"p" + std::to_string(++lastId), at});
  return points.back().id;
}
Id Drawing::add(Entity e) {
  e.id = "e" + std::to_string(++lastId);
  entities.push_back(std::move(e));
  return entities.back().id;
}
Id Drawing::add(Relation r) {
  r.id = "r" + std::to_string(++lastId);
  relations.push_back(std::move(r));
  return relations.back().id;
}

Id Drawing::say(Law law, std::vector<Id> of, double value, std::string text) {
  Relation r;
  r.law = law, r.of = std::move(of), r.value = value, r.text = std::move(text);
  return add(std::move(r));
}

std::pair<int, int> pointsOf(Shape s) {
  switch (s) {
  case Shape::Line:
  case Shape::Ellipse:
  case Shape::Text: return {2, 2};
  case Shape::Arc:
  case Shape::Conic: return {3, 3};
  case Shape::Circle: return {1, 1};
  case Shape::Spline:
  case Shape::Through: return {2, 10000};
  }
  return {0, 0};
}

std::optional<std::pair<Id, Id>> endsOf(const Entity& e) {
  switch (e.shape) {
  case Shape::Circle:
  case Shape::Ellipse:
  case Shape::Text: return {};
  case Shape::Arc: return std::pair(e.points[1], e.points[2]);
  default: break;
  }
  if (e.closed) return {};
  return std::pair(e.points.front(), e.points.back());
}

std::vector<double> knotsOf(const Entity& e) {
  if (e.knots.empty()) return nurbs::uniformKnots(e.degree, int(e.points.size()) - e.degree);
  std::vector<double> out = e.knots;
  for (double& k : out) k = (k - e.knots.front()) / (e.knots.back() - e.knots.front());
  return out;
}

double sizeOf(const Drawing& d) {
  Eigen::AlignedBox2d box;
  for (const Point& p : d.points) box.extend(p.at);
  for (const Entity& e : d.entities)
    if (e.size > 0)
      for (const double s : {-e.size, e.size}) box.extend(Vec2(d.at(e.points[0]) + Vec2(s, s)));
  return box.isEmpty() ? 0 : box.diagonal().norm();
}

Expected<void> check(const Drawing& d) {
  std::set<Id> ids;
  const auto once = [&](const Id& id) { return !id.empty() && ids.insert(id).second; };
  for (const Point& p : d.points) {
    if (!once(p.id)) return damaged("two things have the id '" + p.id + "'");
    if (!usable(Vec3(p.at.x(), p.at.y(), 0))) return fail(problem("LM-U002", "a point of the drawing is nowhere"));
  }
  for (const Entity& e : d.entities) {
    if (!once(e.id)) return damaged("two things have the id '" + e.id + "'");
    LUMSK_CHECK(checkEntity(d, e));
  }
  for (const Relation& r : d.relations) {
    if (!once(r.id)) return damaged("two things have the id '" + r.id + "'");
    if (r.of.empty() || r.of.size() > 5) return damaged(std::string("'") + lawWords(r.law) + "' is of nothing");
    for (const Id& id : r.of)
      if (!d.point(id) && !d.entity(id)) return damaged(std::string("'") + lawWords(r.law) + "' names something that is not there");
    if (!std::isfinite(r.value)) return fail(problem("LM-U002", std::string(lawWords(r.law)) + " has no number"));
  }
  return {};
}

Drawing without(const Drawing& d, const std::vector<Id>& ids) {
  std::set<Id> gone(ids.begin(), ids.end()), named;
  for (const Entity& e : d.entities) named.insert(e.points.begin(), e.points.end());
  Drawing out;
  out.lastId = d.lastId;
  std::set<Id> still;
  for (const Entity& e : d.entities) {
    if (gone.count(e.id)) continue;
    Entity kept = e;
    // A spline goes on without one of its points; what needs all its points goes with any of them.
    if (e.shape == Shape::Spline || e.shape == Shape::Through) {
      kept.points.erase(std::remove_if(kept.points.begin(), kept.points.end(), [&](const Id& p) { return gone.count(p) > 0; }), kept.points.end());
      if (kept.points.size() != e.points.size()) kept.knots.clear();
      kept.degree = std::min(e.degree, int(kept.points.size()) - 1);
    }
    const bool broken = int(kept.points.size()) < pointsOf(e.shape).first || std::any_of(kept.points.begin(), kept.points.end(), [&](const Id& p) { return gone.count(p) > 0; });
    if (broken) {
      gone.insert(e.id);
      continue;
    }
    still.insert(kept.points.begin(), kept.points.end());
    out.entities.push_back(std::move(kept));
  }
  for (const Point& p : d.points)
    if (!gone.count(p.id) && (still.count(p.id) || !named.count(p.id))) out.points.push_back(p);
  for (const Relation& r : d.relations) {
    const bool stands = std::all_of(r.of.begin(), r.of.end(), [&](const Id& id) { return out.point(id) || out.entity(id); });
    if (stands && !gone.count(r.id)) out.relations.push_back(r);
  }
  return out;
}

Drawing withMerged(const Drawing& d, const Id& keep, const Id& gone) {
  Drawing out = d;
  const auto rename = [&](Id& id) {
    if (id == gone) id = keep;
  };
  for (Entity& e : out.entities) std::for_each(e.points.begin(), e.points.end(), rename);
  for (Relation& r : out.relations) std::for_each(r.of.begin(), r.of.end(), rename);
  // What was said of both of them says nothing now.
  out.relations.erase(std::remove_if(out.relations.begin(), out.relations.end(),
                                     [&](const Relation& r) { return r.of.size() == 2 && r.of[0] == r.of[1]; }),
                      out.relations.end());
  out.points.erase(std::remove_if(out.points.begin(), out.points.end(), [&](const Point& p) { return p.id == gone; }), out.points.end());
  return out;
}

} // namespace lumsk::drawing

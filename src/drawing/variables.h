#pragma once
#include "drawing/equations.h"

namespace lumsk::drawing {

constexpr double kOften = 0.01; ///< lengths that angles are times of: at least this part of the drawing's size

/// A direction in which an entity leaves one of its points: from one point to another, turned by an angle.
struct Leaving {
  int from = -1, to = -1; ///< variables of points (their x)
  double turnRad = 0;
};

/// How an entity bends at one of its points, positive to the left of the direction in which it leaves.
struct Bend {
  std::vector<int> legs; ///< variables of three points; empty: straight, or round
  double factor = 0;
  int radius = -1; ///< variable
};

/// The equations as they grow: what variables there are, what they are now, and rows for the relation that is at hand.
class Variables {
public:
  explicit Variables(const Drawing& d);
  const Drawing& drawing;
  Equations equations;
  int relation = -1; ///< that rows are made for; -1: none, they are a part of what entities are

  // Places and lengths as they are now

  int var(const Id& point) const { return index_.at(point); }
  Vec2 now(int v) const { return {equations.start[size_t(v)], equations.start[size_t(v) + 1]}; }
  double often(double length) const { return std::clamp(length, kOften * equations.size, equations.size); }
  double apart(int a, int b) const { return (now(b) - now(a)).norm(); }
  double angleNow(const Leaving& a, const Leaving& b) const {
    const Vec2 u = now(a.to) - now(a.from), v = now(b.to) - now(b.from);
    return std::atan2(u.x() * v.y() - u.y() * v.x(), u.dot(v));
  }
  double sideOf(int point, int a, int b) const {
    const Vec2 along = now(b) - now(a), to = now(point) - now(a);
    return along.x() * to.y() - along.y() * to.x() < 0 ? -1 : 1;
  }
  /// The same for all points that are said to be together.
  Id placeOf(const Id& p) const {
    Id at = p;
    for (auto it = together_.find(at); it != together_.end(); it = together_.find(at)) at = it->second;
    return at;
  }
  // What is added

  Row& row(Form form, std::initializer_list<int> points, std::initializer_list<int> numbers = {}) {
    Row r;
    r.form = form;
    r.relation = relation;
    for (const int p : points) r.of.push_back(p), r.of.push_back(p + 1);
    r.of.insert(r.of.end(), numbers);
    equations.rows.push_back(std::move(r));
    return equations.rows.back();
  }
  void same(int a, int b) { equations.same.push_back({a, b, relation}); }
  void hold(int v) { equations.held.push_back({v, equations.start[size_t(v)], relation}); }
  void fromLine(int point, int a, int b, double value) {
    Row& r = row(Form::FromLine, {point, a, b});
    r.value = value;
    r.sign = sideOf(point, a, b);
  }
  void angle(const Leaving& a, const Leaving& b, double value) {
    Row& r = row(Form::Angle, {a.from, a.to, b.from, b.to});
    r.value = value + a.turnRad - b.turnRad;
    r.scale = often(std::min(apart(a.from, a.to), apart(b.from, b.to)));
  }

  // What a relation is of

  Problem unfit(const std::string& why) const {
    return problem("LM-U003", std::string("'") + lawWords(drawing.relations[size_t(relation)].law) + "' does not fit what it is of: " + why)
        .tryThis("take it out");
  }
  const Entity* entityAt(const Relation& r, size_t i) const { return i < r.of.size() ? drawing.entity(r.of[i]) : nullptr; }
  const Entity* shapeAt(const Relation& r, size_t i, Shape s) const {
    const Entity* e = entityAt(r, i);
    return e && e->shape == s ? e : nullptr;
  }
  static bool round(const Entity& e) { return e.shape == Shape::Arc || e.shape == Shape::Circle; }
  /// The two points that a relation is of: two points, or the ends of a line.
  std::optional<std::array<int, 2>> pairOf(const Relation& r) const {
    if (r.of.size() == 2 && drawing.point(r.of[0]) && drawing.point(r.of[1])) return std::array{var(r.of[0]), var(r.of[1])};
    const Entity* line = shapeAt(r, 0, Shape::Line);
    if (line && r.of.size() == 1) return std::array{var(line->points[0]), var(line->points[1])};
    return {};
  }
  /// A point, or the centre of what has one.
  int placeVar(const Id& id) const {
    if (drawing.point(id)) return var(id);
    const Entity* e = drawing.entity(id);
    return e && (round(*e) || e->shape == Shape::Ellipse) ? var(e->points[0]) : -1;
  }

private:
  std::map<Id, int> index_;
  std::map<Id, Id> together_;
};

/// How entities leave their ends, and splines as sums of what they are made of; made when something is said of them.
class Ends {
public:
  explicit Ends(Variables& v) : v_(v) {}
  /// A spline's control points as variables: its number among the splines.
  Expected<int> splineOf(const Entity& e);
  /// Which of an entity's ends lies at a point: 0 or 1; -1: neither.
  int endAt(const Entity& e, const Id& point) const;
  /// The ends with which two entities meet.
  std::optional<std::array<int, 2>> sharedEnd(const Entity& a, const Entity& b) const;
  Expected<Leaving> leaving(const Entity& e, int end);
  Expected<Bend> bend(const Entity& e, int end);
  Expected<Bend> bendAt(const Relation& r); ///< at the end that a relation names
  double legLength(const Bend& b) const { return v_.often(v_.apart(b.legs[0], b.legs[1])); }

private:
  Expected<SplineForm> throughForm(const Entity& e);
  Variables& v_;
  std::map<Id, int> spline_;
};

// Rows for one relation, the one at hand. Fail with LM-U003, LM-U004.
Expected<void> addRelation(Variables& v, Ends& ends, const Relation& r);
Expected<void> addDimension(Variables& v, Ends& ends, const Relation& r);

} // namespace lumsk::drawing

#include "drawing/variables.h"

#include <algorithm>
#include <cmath>

namespace lumsk::drawing {

namespace {

/// Dimensions, law by law.
class Measured {
public:
  Measured(Variables& v, Ends& ends) : v_(v), ends_(ends) {}

  Expected<void> dimension(const Relation& r) {
    const bool zero = r.law == Law::LevelDistance || r.law == Law::UprightDistance || r.law == Law::Distance || r.law == Law::Angle || r.law == Law::EndAngle || r.law == Law::Turned;
    if (!(r.value > 0) && !zero)
      return fail(problem("LM-U004", std::string(lawWords(r.law)) + " must be more than nought").measure({r.value, dimensionOf(r.law)}));
    if (std::abs(r.value) > kLargestCoordinate) return fail(problem("LM-U004", std::string(lawWords(r.law)) + " is too large").measure({r.value, dimensionOf(r.law)}));
    switch (r.law) {
    case Law::Length:
      if (const auto p = v_.pairOf(r)) return v_.row(Form::Distance, {(*p)[0], (*p)[1]}).value = r.value, Expected<void>{};
      if (const Entity* e = v_.shapeAt(r, 0, Shape::Ellipse)) // its half axis
        return v_.row(Form::Distance, {v_.var(e->points[0]), v_.var(e->points[1])}).value = r.value, Expected<void>{};
      return fail(v_.unfit("a line, an ellipse, or two points"));
    case Law::LevelDistance:
    case Law::UprightDistance:
      if (const auto p = v_.pairOf(r)) {
        const int k = r.law == Law::LevelDistance ? 0 : 1, a = (*p)[0] + k, b = (*p)[1] + k;
        v_.row(Form::Apart, {}, {a, b}).value = v_.equations.start[size_t(b)] < v_.equations.start[size_t(a)] ? -r.value : r.value;
        return {};
      }
      return fail(v_.unfit("a line, or two points"));
    case Law::Distance: return distance(r);
    case Law::Radius:
    case Law::Diameter: {
      const Entity* e = v_.entityAt(r, 0);
      const bool half = e && e->shape == Shape::Ellipse && r.law == Law::Radius; // the other half axis
      if (!half && (!e || !v_.round(*e))) return fail(v_.unfit("a circle or an arc"));
      v_.row(Form::Number, {}, {v_.equations.sizeOf[e->id]}).value = r.law == Law::Radius ? r.value : r.value / 2;
      return {};
    }
    case Law::Angle: return angleBetween(r);
    case Law::ArcLength: return arcLength(r);
    case Law::EndAngle: {
      const Entity* e = v_.entityAt(r, 0);
      const int end = e && r.of.size() == 2 && v_.drawing.point(r.of[1]) ? ends_.endAt(*e, r.of[1]) : -1;
      if (end < 0) return fail(v_.unfit("a curve and one of its ends"));
      LUMSK_TRY(d, ends_.leaving(*e, end));
      Row& w = v_.row(Form::AngleToLevel, {d.from, d.to});
      w.value = r.value - d.turnRad, w.scale = v_.often(v_.apart(d.from, d.to));
      return {};
    }
    case Law::EndRadius: {
      LUMSK_TRY(b, ends_.bendAt(r));
      Row& w = v_.row(Form::EndRadius, {b.legs[0], b.legs[1], b.legs[2]});
      w.ka = b.factor, w.value = r.value, w.scale = ends_.legLength(b), w.sign = v_.sideOf(b.legs[2], b.legs[0], b.legs[1]);
      return {};
    }
    case Law::Turned:
      if (r.of.size() != 3 || !v_.drawing.point(r.of[0]) || !v_.drawing.point(r.of[1]) || !v_.drawing.point(r.of[2])) return fail(v_.unfit("two points and a centre"));
      v_.row(Form::Turned, {v_.var(r.of[0]), v_.var(r.of[1]), v_.var(r.of[2])}).value = r.value;
      return {};
    default: return {};
    }
  }

private:
  Expected<void> distance(const Relation& r) {
    if (const auto p = v_.pairOf(r); p && r.of.size() == 2) {
      if (!(r.value > 0)) return fail(problem("LM-U004", "a distance of nought between points: let them be together instead"));
      return v_.row(Form::Distance, {(*p)[0], (*p)[1]}).value = r.value, Expected<void>{};
    }
    const Entity* line = v_.shapeAt(r, 1, Shape::Line);
    if (r.of.size() != 2 || !line) return fail(v_.unfit("a point and a line, or two lines"));
    const int a = v_.var(line->points[0]), b = v_.var(line->points[1]);
    const Entity* other = v_.shapeAt(r, 0, Shape::Line);
    const int p = other ? v_.var(other->points[0]) : v_.placeVar(r.of[0]);
    if (p < 0) return fail(v_.unfit("a point and a line, or two lines"));
    v_.fromLine(p, a, b, r.value);
    return {};
  }

  Expected<void> angleBetween(const Relation& r) {
    const Entity *a = v_.shapeAt(r, 0, Shape::Line), *b = v_.shapeAt(r, 1, Shape::Line);
    if (!a || !b) return fail(v_.unfit("two lines"));
    Leaving u{v_.var(a->points[0]), v_.var(a->points[1])}, v{v_.var(b->points[0]), v_.var(b->points[1])};
    if (r.turn & 1) std::swap(u.from, u.to);
    if (r.turn & 2) std::swap(v.from, v.to);
    v_.angle(u, v, v_.angleNow(u, v) < 0 ? -r.value : r.value);
    return {};
  }

  Expected<void> arcLength(const Relation& r) {
    const Entity* e = v_.entityAt(r, 0);
    if (!e || (e->shape != Shape::Arc && e->shape != Shape::Spline && e->shape != Shape::Through)) return fail(v_.unfit("an arc or a spline"));
    if (e->shape == Shape::Arc) {
      Row& w = v_.row(Form::ArcLength, {v_.var(e->points[0]), v_.var(e->points[1]), v_.var(e->points[2])}, {v_.equations.sizeOf[e->id]});
      w.value = r.value, w.sign = e->left ? 1 : -1;
      w.turns = sweepOf({w.of[0], w.of[2], w.of[4], w.sign}, v_.equations.start);
      return {};
    }
    LUMSK_TRY(s, ends_.splineOf(*e));
    Row w;
    w.form = Form::SplineLength;
    w.relation = v_.relation;
    w.spline = s;
    w.value = r.value;
    w.of = v_.equations.splines[size_t(s)].controls;
    v_.equations.rows.push_back(std::move(w));
    return {};
  }

  Variables& v_;
  Ends& ends_;
};

} // namespace

Expected<void> addDimension(Variables& v, Ends& ends, const Relation& r) { return Measured(v, ends).dimension(r); }

} // namespace lumsk::drawing

#include "drawing/variables.h"

#include "nurbs/core/knots.h"

#include <algorithm>
#include <cmath>

namespace lumsk::drawing {

namespace {

double nearest(double now, std::initializer_list<double> choices) {
  double best = *choices.begin(), least = 1e300;
  for (const double c : choices)
    if (const double off = std::abs(std::remainder(now - c, 2 * kPi)); off < least - 1e-12) least = off, best = c;
  return best;
}

/// Relations that are no dimensions, law by law.
class Said {
public:
  Said(Variables& v, Ends& ends) : v_(v), ends_(ends) {}

  Expected<void> relation(const Relation& r) {
    switch (r.law) {
    case Law::Level:
    case Law::Upright:
      if (const auto p = v_.pairOf(r)) {
        const int k = r.law == Law::Level ? 1 : 0;
        return v_.same((*p)[0] + k, (*p)[1] + k), Expected<void>{};
      }
      return fail(v_.unfit("a line, or two points"));
    case Law::Together:
      if (r.of.size() != 2 || !v_.drawing.point(r.of[0]) || !v_.drawing.point(r.of[1])) return fail(v_.unfit("two points"));
      for (const int k : {0, 1}) v_.same(v_.var(r.of[0]) + k, v_.var(r.of[1]) + k);
      return {};
    case Law::On: return on(r);
    case Law::Parallel:
    case Law::Square:
    case Law::InLine:
    case Law::Equal: return ofTwo(r);
    case Law::SameCentre: {
      const int a = r.of.size() == 2 ? v_.placeVar(r.of[0]) : -1, b = r.of.size() == 2 ? v_.placeVar(r.of[1]) : -1;
      if (a < 0 || b < 0) return fail(v_.unfit("two circles or arcs, or one and a point"));
      v_.same(a, b), v_.same(a + 1, b + 1);
      return {};
    }
    case Law::Tangent: return tangent(r);
    case Law::SameCurvature: return sameCurvature(r);
    case Law::Mirrored: return mirrored(r);
    case Law::Middle: return middle(r);
    case Law::Fixed: return fixed(r);
    case Law::SameStep:
    case Law::SameTurn: return repeated(r);
    case Law::Flat: {
      LUMSK_TRY(b, ends_.bendAt(r));
      Row& row1 = v_.row(Form::CurvatureOfOne, {b.legs[0], b.legs[1], b.legs[2]});
      row1.ka = b.factor, row1.kb = 0, row1.scale = ends_.legLength(b);
      return {};
    }
    default: return {};
    }
  }

private:
  Expected<void> on(const Relation& r) {
    const Entity* e = v_.entityAt(r, 1);
    if (r.of.size() != 2 || !v_.drawing.point(r.of[0]) || !e) return fail(v_.unfit("a point and a line or curve"));
    const int p = v_.var(r.of[0]);
    if (e->shape == Shape::Line) return v_.fromLine(p, v_.var(e->points[0]), v_.var(e->points[1]), 0), Expected<void>{};
    if (v_.round(*e)) return v_.row(Form::OnRound, {p, v_.var(e->points[0])}, {v_.equations.sizeOf[e->id]}), Expected<void>{};
    if (e->shape == Shape::Ellipse) {
      Row& w = v_.row(Form::OnEllipse, {p, v_.var(e->points[0]), v_.var(e->points[1])}, {v_.equations.sizeOf[e->id]});
      w.scale = v_.often(std::min(v_.apart(w.of[2], w.of[4]), e->size));
      return {};
    }
    if (e->shape == Shape::Conic) return onConic(p, *e), Expected<void>{};
    if (e->shape == Shape::Text) return fail(v_.unfit("letters hold no points"));
    LUMSK_TRY(s, ends_.splineOf(*e));
    const SplineForm& f = v_.equations.splines[size_t(s)];
    const auto [place, length] = nearestOn(f, v_.now(p));
    Row w;
    w.form = Form::OnSpline;
    w.relation = v_.relation;
    w.spline = s;
    w.ka = std::max(length, 1e-9);
    if (e->closed) w.kb = -1;
    w.of = {p, p + 1, v_.equations.add(place * w.ka)};
    w.of.insert(w.of.end(), f.controls.begin(), f.controls.end());
    v_.equations.rows.push_back(std::move(w));
    return {};
  }

  void onConic(int p, const Entity& e) {
    Row& w = v_.row(Form::OnConic, {p, v_.var(e.points[0]), v_.var(e.points[1]), v_.var(e.points[2])});
    const double weight = e.rho / (1 - e.rho);
    w.ka = 4 * weight * weight;
    // Times a length, so that it tells mm near where the point is.
    double residual[2], by[16];
    evaluate(w, v_.equations.splines, v_.equations.start, residual, by);
    w.scale = 1 / std::max(std::hypot(by[0], by[1]), 1e-3 / v_.equations.size);
  }

  /// Where a spline comes nearest to a place now, from 0 to 1, and the length of its polygon.
  std::pair<double, double> nearestOn(const SplineForm& f, const Vec2& at) const {
    double length = 0, best = 1e300, place = 0;
    for (size_t i = 2; i < f.controls.size(); i += 2) length += v_.apart(f.controls[i - 2], f.controls[i]);
    double basis[nurbs::kMaxDegree + 1];
    constexpr int kLooks = 400;
    for (int i = 0; i <= kLooks; ++i) {
      const double t = double(i) / kLooks;
      const int first = nurbs::basisFunctions(f.knots, f.degree, t, basis);
      Vec2 p = Vec2::Zero();
      for (int j = 0; j <= f.degree; ++j) p += basis[j] * v_.now(f.controls[size_t(2 * (first + j))]);
      if (const double off = (p - at).norm(); off < best) best = off, place = t;
    }
    return {place, length};
  }

  Expected<void> ofTwo(const Relation& r) {
    const Entity *a = v_.entityAt(r, 0), *b = v_.entityAt(r, 1);
    if (r.law == Law::InLine && r.of.size() == 3 && v_.drawing.point(r.of[0]) && v_.drawing.point(r.of[1]) && v_.drawing.point(r.of[2]))
      return v_.fromLine(v_.var(r.of[0]), v_.var(r.of[1]), v_.var(r.of[2]), 0), Expected<void>{};
    if (!a || !b || r.of.size() != 2) return fail(v_.unfit("two lines"));
    if (r.law == Law::Equal && v_.round(*a) && v_.round(*b)) return v_.same(v_.equations.sizeOf[a->id], v_.equations.sizeOf[b->id]), Expected<void>{};
    if (r.law == Law::Equal && a->shape == Shape::Ellipse && b->shape == Shape::Ellipse) {
      v_.row(Form::SameLength, {v_.var(a->points[0]), v_.var(a->points[1]), v_.var(b->points[0]), v_.var(b->points[1])});
      return v_.same(v_.equations.sizeOf[a->id], v_.equations.sizeOf[b->id]), Expected<void>{};
    }
    if (a->shape != Shape::Line || b->shape != Shape::Line) return fail(v_.unfit(r.law == Law::Equal ? "two lines, or two circles or arcs" : "two lines"));
    const Leaving u{v_.var(a->points[0]), v_.var(a->points[1])}, v{v_.var(b->points[0]), v_.var(b->points[1])};
    if (r.law == Law::Parallel)
      v_.angle(u, v, nearest(v_.angleNow(u, v), {0, kPi}));
    else if (r.law == Law::Square)
      v_.angle(u, v, nearest(v_.angleNow(u, v), {kPi / 2, -kPi / 2}));
    else if (r.law == Law::Equal)
      v_.row(Form::SameLength, {u.from, u.to, v.from, v.to});
    else
      for (const int p : {v.from, v.to})
        if (p != u.from && p != u.to) v_.fromLine(p, u.from, u.to, 0);
    return {};
  }

  Expected<void> tangentAt(const Entity& a, int endA, const Entity& b, int endB, int turn) {
    LUMSK_TRY(u, ends_.leaving(a, endA));
    LUMSK_TRY(v, ends_.leaving(b, endB));
    v_.angle(u, v, turn & 1 ? 0 : kPi);
    return {};
  }

  Expected<void> tangent(const Relation& r) {
    const Entity *a = v_.entityAt(r, 0), *b = v_.entityAt(r, 1);
    if (!a || !b) return fail(v_.unfit("two lines or curves"));
    if (const auto ends = ends_.sharedEnd(*a, *b)) return tangentAt(*a, (*ends)[0], *b, (*ends)[1], r.turn);
    if (b->shape == Shape::Line) std::swap(a, b);
    if (a->shape == Shape::Line && v_.round(*b)) {
      const int p = v_.var(a->points[0]), q = v_.var(a->points[1]), c = v_.var(b->points[0]);
      v_.row(Form::LineOnRound, {p, q, c}, {v_.equations.sizeOf[b->id]}).sign = v_.sideOf(c, p, q);
      return {};
    }
    if (a->shape == Shape::Line && b->shape == Shape::Ellipse) {
      const int p = v_.var(a->points[0]), q = v_.var(a->points[1]), c = v_.var(b->points[0]);
      v_.row(Form::LineOnEllipse, {p, q, c, v_.var(b->points[1])}, {v_.equations.sizeOf[b->id]}).sign = v_.sideOf(c, p, q);
      return {};
    }
    if (v_.round(*a) && v_.round(*b)) {
      const int ca = v_.var(a->points[0]), cb = v_.var(b->points[0]);
      const double dist = v_.apart(ca, cb), out = std::abs(dist - a->size - b->size), in = std::abs(dist - std::abs(a->size - b->size));
      Row& w = v_.row(Form::RoundOnRound, {});
      w.of = {ca, ca + 1, v_.equations.sizeOf[a->id], cb, cb + 1, v_.equations.sizeOf[b->id]};
      if (in < out) (a->size < b->size ? w.ka : w.kb) = -1;
      return {};
    }
    return fail(v_.unfit("curves that meet with their ends, or lines, circles, arcs, and a line and an ellipse"));
  }

  Expected<void> sameCurvature(const Relation& r) {
    const Entity *a = v_.entityAt(r, 0), *b = v_.entityAt(r, 1);
    const auto ends = a && b ? ends_.sharedEnd(*a, *b) : std::nullopt;
    if (!ends) return fail(v_.unfit("two curves that meet with their ends"));
    LUMSK_CHECK(tangentAt(*a, (*ends)[0], *b, (*ends)[1], 0));
    LUMSK_TRY(p, ends_.bend(*a, (*ends)[0]));
    LUMSK_TRY(q, ends_.bend(*b, (*ends)[1]));
    if (p.legs.empty()) std::swap(p, q);
    if (p.legs.empty()) return fail(v_.unfit("one of the two must be a spline"));
    if (!q.legs.empty()) {
      Row& w = v_.row(Form::CurvatureOfTwo, {p.legs[0], p.legs[1], p.legs[2], q.legs[0], q.legs[1], q.legs[2]});
      w.ka = p.factor, w.kb = q.factor, w.scale = std::min(ends_.legLength(p), ends_.legLength(q));
      return {};
    }
    Row& w = v_.row(Form::CurvatureOfOne, {p.legs[0], p.legs[1], p.legs[2]});
    if (q.radius >= 0) w.of.push_back(q.radius);
    w.ka = p.factor, w.kb = q.radius >= 0 ? q.factor : 0, w.scale = ends_.legLength(p);
    return {};
  }

  void mirroredPoints(int p, int q, int a, int b) {
    if (p == q)
      v_.fromLine(p, a, b, 0);
    else
      v_.row(Form::Mirrored, {p, q, a, b});
  }

  Expected<void> mirrored(const Relation& r) {
    const Entity* axis = v_.shapeAt(r, 2, Shape::Line);
    if (!axis) return fail(v_.unfit("two things and a line between them"));
    const int a = v_.var(axis->points[0]), b = v_.var(axis->points[1]);
    if (v_.drawing.point(r.of[0]) && v_.drawing.point(r.of[1])) return mirroredPoints(v_.var(r.of[0]), v_.var(r.of[1]), a, b), Expected<void>{};
    const Entity *e = v_.entityAt(r, 0), *f = v_.entityAt(r, 1);
    if (!e || !f || e->shape != f->shape || e->points.size() != f->points.size()) return fail(v_.unfit("two things of one kind and a line between them"));
    std::vector<Id> other = f->points;
    const size_t first = e->shape == Shape::Arc ? 1 : 0; // of points that may go the other way
    if (e->shape != Shape::Ellipse && other.size() > first + 1) {
      const Vec2 along = (v_.now(b) - v_.now(a)).normalized();
      const Vec2 d = v_.now(v_.var(e->points[first])) - v_.now(a), image = v_.now(a) + 2 * along * along.dot(d) - d;
      if ((v_.now(v_.var(other.back())) - image).norm() < (v_.now(v_.var(other[first])) - image).norm())
        std::reverse(other.begin() + std::ptrdiff_t(first), other.end());
    }
    for (size_t i = 0; i < other.size(); ++i) mirroredPoints(v_.var(e->points[i]), v_.var(other[i]), a, b);
    if (v_.equations.sizeOf.count(e->id) && e->shape != Shape::Arc) v_.same(v_.equations.sizeOf[e->id], v_.equations.sizeOf[f->id]);
    return {};
  }

  Expected<void> middle(const Relation& r) {
    const Entity* line = v_.shapeAt(r, 1, Shape::Line);
    if (!v_.drawing.point(r.of[0])) return fail(v_.unfit("a point and a line, or three points"));
    if (line)
      v_.row(Form::Middle, {v_.var(r.of[0]), v_.var(line->points[0]), v_.var(line->points[1])});
    else if (r.of.size() == 3 && v_.drawing.point(r.of[1]) && v_.drawing.point(r.of[2]))
      v_.row(Form::Middle, {v_.var(r.of[0]), v_.var(r.of[1]), v_.var(r.of[2])});
    else
      return fail(v_.unfit("a point and a line, or three points"));
    return {};
  }

  Expected<void> repeated(const Relation& r) {
    const bool turn = r.law == Law::SameTurn;
    if (r.of.size() != (turn ? 5 : 4) || !std::all_of(r.of.begin(), r.of.end(), [&](const Id& id) { return v_.drawing.point(id); })) return fail(v_.unfit("pairs of points"));
    Row& w = v_.row(turn ? Form::SameTurn : Form::SameStep, {v_.var(r.of[0]), v_.var(r.of[1]), v_.var(r.of[2]), v_.var(r.of[3])});
    if (!turn) return {};
    w.of.push_back(v_.var(r.of[4])), w.of.push_back(v_.var(r.of[4]) + 1);
    w.scale = v_.often(v_.apart(v_.var(r.of[0]), v_.var(r.of[4])));
    return {};
  }

  Expected<void> fixed(const Relation& r) {
    for (const Id& id : r.of) {
      const Entity* e = v_.drawing.entity(id);
      for (const Id& p : e ? e->points : std::vector<Id>{id}) v_.hold(v_.var(p)), v_.hold(v_.var(p) + 1);
      if (e && v_.equations.sizeOf.count(id)) v_.hold(v_.equations.sizeOf[id]);
    }
    return {};
  }

  Variables& v_;
  Ends& ends_;
};

} // namespace

Expected<void> addRelation(Variables& v, Ends& ends, const Relation& r) { return Said(v, ends).relation(r); }

} // namespace lumsk::drawing

#include "drawing/equations.h"

#include "nurbs/fit/interpolate.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

namespace lumsk::drawing {

namespace {

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

double nearest(double now, std::initializer_list<double> choices) {
  double best = *choices.begin(), least = 1e300;
  for (const double c : choices)
    if (const double off = std::abs(std::remainder(now - c, 2 * kPi)); off < least - 1e-12) least = off, best = c;
  return best;
}

class Builder {
public:
  explicit Builder(const Drawing& d) : d_(d) {}

  Expected<Equations> run() {
    e_.size = std::max(sizeOf(d_), 1e-3);
    for (size_t i = 0; i < d_.points.size(); ++i) {
      index_[d_.points[i].id] = int(2 * i);
      e_.start.push_back(d_.points[i].at.x());
      e_.start.push_back(d_.points[i].at.y());
    }
    findTogether();
    for (const Entity& e : d_.entities) LUMSK_CHECK(entity(e));
    for (size_t i = 0; i < d_.relations.size(); ++i) {
      relation_ = int(i);
      if (d_.relations[i].holds()) LUMSK_CHECK(relation(d_.relations[i]));
    }
    return std::move(e_);
  }

private:
  // Places and lengths as they are now

  int var(const Id& point) const { return index_.at(point); }
  Vec2 now(int v) const { return {e_.start[size_t(v)], e_.start[size_t(v) + 1]}; }
  double often(double length) const { return std::clamp(length, kOften * e_.size, e_.size); }
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
  void findTogether() {
    for (const Relation& r : d_.relations) {
      if (r.law != Law::Together || !r.holds() || r.of.size() != 2) continue;
      const Id a = placeOf(r.of[0]), b = placeOf(r.of[1]);
      if (a != b) together_[b] = a;
    }
  }

  // What is added

  Row& row(Form form, std::initializer_list<int> points, std::initializer_list<int> numbers = {}) {
    Row r;
    r.form = form;
    r.relation = relation_;
    for (const int p : points) r.of.push_back(p), r.of.push_back(p + 1);
    r.of.insert(r.of.end(), numbers);
    e_.rows.push_back(std::move(r));
    return e_.rows.back();
  }
  void same(int a, int b) { e_.same.push_back({a, b, relation_}); }
  void hold(int v) { e_.held.push_back({v, e_.start[size_t(v)], relation_}); }
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

  // Entities

  Expected<void> entity(const Entity& e) {
    relation_ = -1;
    if (e.size > 0 && (e.shape == Shape::Circle || e.shape == Shape::Arc || e.shape == Shape::Ellipse)) {
      e_.sizeOf[e.id] = e_.add(e.size);
      e_.positive.push_back(e_.sizeOf[e.id]);
    }
    if (e.shape == Shape::Line || e.shape == Shape::Ellipse) e_.legs.push_back({var(e.points[0]), var(e.points[1])});
    if (e.shape == Shape::Arc) {
      for (const int end : {1, 2}) {
        row(Form::OnRound, {var(e.points[size_t(end)]), var(e.points[0])}, {e_.sizeOf[e.id]});
        e_.legs.push_back({var(e.points[0]), var(e.points[size_t(end)])});
      }
      e_.arcs.push_back({var(e.points[0]), var(e.points[1]), var(e.points[2]), e.left ? 1.0 : -1.0});
    }
    if (e.linked)
      for (const Id& p : e.points) hold(var(p)), hold(var(p) + 1);
    if (e.linked && e_.sizeOf.count(e.id)) hold(e_.sizeOf[e.id]);
    return {};
  }

  /// A spline's control points as variables, made when something is said of them.
  Expected<int> splineOf(const Entity& e) {
    if (const auto it = spline_.find(e.id); it != spline_.end()) return it->second;
    SplineForm s;
    if (e.shape == Shape::Spline) {
      s.degree = e.degree;
      s.knots = knotsOf(e);
      for (const Id& p : e.points) s.controls.push_back(var(p)), s.controls.push_back(var(p) + 1);
    } else {
      LUMSK_TRY(made, throughForm(e));
      s = made;
    }
    e_.splines.push_back(s);
    const size_t n = s.controls.size();
    e_.legs.push_back({s.controls[0], s.controls[2]});
    e_.legs.push_back({s.controls[n - 2], s.controls[n - 4]});
    return spline_[e.id] = int(e_.splines.size()) - 1;
  }

  /// As long as the places at which it passes through its points are held, its control points are sums of these.
  Expected<SplineForm> throughForm(const Entity& e) {
    const int n = int(e.points.size());
    if (e.closed) return fail(unfit("of a closed spline only its points can be named"));
    Points places(n, 3);
    for (int i = 0; i < n; ++i) {
      const Vec2 p = now(var(e.points[size_t(i)]));
      places.row(i) << p.x(), p.y(), 0.0;
    }
    const auto parameters = nurbs::parametersFor(places, nurbs::Spacing::Centripetal, false);
    SplineForm s;
    s.degree = std::min(e.degree, n - 1);
    const nurbs::Rows none(0, n);
    LUMSK_TRY(made, nurbs::interpolateRows(parameters, nurbs::Rows::Identity(n, n), s.degree, none, none));
    s.knots = made.knots;
    for (int i = 0; i < n; ++i) {
      if (i == 0 || i + 1 == n) {
        s.controls.push_back(var(e.points[size_t(i)]));
        s.controls.push_back(var(e.points[size_t(i)]) + 1);
        continue;
      }
      for (int k = 0; k < 2; ++k) {
        Equations::Sum sum{e_.add(0), {}};
        double value = 0;
        for (int j = 0; j < n; ++j)
          if (const double w = made.controls(i, j); std::abs(w) > 1e-15) {
            sum.parts.push_back({var(e.points[size_t(j)]) + k, w});
            value += w * e_.start[size_t(var(e.points[size_t(j)]) + k)];
          }
        e_.start[size_t(sum.of)] = value;
        s.controls.push_back(sum.of);
        e_.sums.push_back(std::move(sum));
      }
    }
    return s;
  }

  // Ends

  /// Which of an entity's ends lies at a point: 0 or 1; -1: neither.
  int endAt(const Entity& e, const Id& point) const {
    const auto ends = endsOf(e);
    if (!ends) return -1;
    const Id at = placeOf(point);
    return placeOf(ends->first) == at ? 0 : placeOf(ends->second) == at ? 1 : -1;
  }
  /// The point where two entities meet with their ends.
  std::optional<std::array<int, 2>> sharedEnd(const Entity& a, const Entity& b) const {
    const auto ends = endsOf(a);
    if (!ends || !endsOf(b)) return {};
    for (const int i : {0, 1})
      if (const int j = endAt(b, i == 0 ? ends->first : ends->second); j >= 0) return std::array{i, j};
    return {};
  }

  Expected<Leaving> leaving(const Entity& e, int end) {
    const size_t n = e.points.size();
    const auto between = [&](size_t a, size_t b) { return Leaving{var(e.points[a]), var(e.points[b])}; };
    switch (e.shape) {
    case Shape::Arc: {
      Leaving out = between(0, size_t(1 + end));
      out.turnRad = (end == 0) == e.left ? kPi / 2 : -kPi / 2;
      return out;
    }
    case Shape::Spline:
    case Shape::Through: {
      LUMSK_TRY(s, splineOf(e));
      const auto& c = e_.splines[size_t(s)].controls;
      return end == 0 ? Leaving{c[0], c[2]} : Leaving{c[c.size() - 2], c[c.size() - 4]};
    }
    default: return end == 0 ? between(0, 1) : between(n - 1, n - 2);
    }
  }

  Expected<Bend> bend(const Entity& e, int end) {
    Bend out;
    if (e.shape == Shape::Arc) {
      out.radius = e_.sizeOf.at(e.id);
      out.factor = (end == 0) == e.left ? 1 : -1;
    } else if (e.shape == Shape::Conic) {
      const double w = e.rho / (1 - e.rho);
      out.factor = 0.5 / (w * w);
      for (const size_t i : {size_t(0), size_t(1), size_t(2)}) out.legs.push_back(var(e.points[end == 0 ? i : 2 - i]));
    } else if (e.shape != Shape::Line) {
      LUMSK_TRY(s, splineOf(e));
      const SplineForm& f = e_.splines[size_t(s)];
      if (f.controls.size() < 6) return out; // straight
      for (size_t i = 0; i < 3; ++i) out.legs.push_back(f.controls[end == 0 ? 2 * i : f.controls.size() - 2 - 2 * i]);
      out.factor = endCurvatureFactor(f, end == 1);
    }
    return out;
  }
  double legLength(const Bend& b) const { return often(apart(b.legs[0], b.legs[1])); }

  // Relations

  Problem unfit(const std::string& why) const {
    return problem("LM-U003", std::string("'") + lawWords(d_.relations[size_t(relation_)].law) + "' does not fit what it is of: " + why)
        .tryThis("take it out");
  }
  const Entity* entityAt(const Relation& r, size_t i) const { return i < r.of.size() ? d_.entity(r.of[i]) : nullptr; }
  const Entity* shapeAt(const Relation& r, size_t i, Shape s) const {
    const Entity* e = entityAt(r, i);
    return e && e->shape == s ? e : nullptr;
  }
  static bool round(const Entity& e) { return e.shape == Shape::Arc || e.shape == Shape::Circle; }
  /// The two points that a relation is of: two points, or the ends of a line.
  std::optional<std::array<int, 2>> pairOf(const Relation& r) const {
    if (r.of.size() == 2 && d_.point(r.of[0]) && d_.point(r.of[1])) return std::array{var(r.of[0]), var(r.of[1])};
    const Entity* line = shapeAt(r, 0, Shape::Line);
    if (line && r.of.size() == 1) return std::array{var(line->points[0]), var(line->points[1])};
    return {};
  }
  /// A point, or the centre of what has one.
  int placeVar(const Id& id) const {
    if (d_.point(id)) return var(id);
    const Entity* e = d_.entity(id);
    return e && (round(*e) || e->shape == Shape::Ellipse) ? var(e->points[0]) : -1;
  }

  Expected<void> relation(const Relation& r) {
    if (isDimension(r.law)) return dimension(r);
    switch (r.law) {
    case Law::Level:
    case Law::Upright:
      if (const auto p = pairOf(r)) {
        const int k = r.law == Law::Level ? 1 : 0;
        return same((*p)[0] + k, (*p)[1] + k), Expected<void>{};
      }
      return fail(unfit("a line, or two points"));
    case Law::Together:
      if (r.of.size() != 2 || !d_.point(r.of[0]) || !d_.point(r.of[1])) return fail(unfit("two points"));
      for (const int k : {0, 1}) same(var(r.of[0]) + k, var(r.of[1]) + k);
      return {};
    case Law::On: return on(r);
    case Law::Parallel:
    case Law::Square:
    case Law::InLine:
    case Law::Equal: return ofTwo(r);
    case Law::SameCentre: {
      const int a = r.of.size() == 2 ? placeVar(r.of[0]) : -1, b = r.of.size() == 2 ? placeVar(r.of[1]) : -1;
      if (a < 0 || b < 0) return fail(unfit("two circles or arcs, or one and a point"));
      same(a, b), same(a + 1, b + 1);
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
      LUMSK_TRY(b, endBend(r));
      Row& row1 = row(Form::CurvatureOfOne, {b.legs[0], b.legs[1], b.legs[2]});
      row1.ka = b.factor, row1.kb = 0, row1.scale = legLength(b);
      return {};
    }
    default: return {};
    }
  }

  Expected<void> on(const Relation& r) {
    const Entity* e = entityAt(r, 1);
    if (r.of.size() != 2 || !d_.point(r.of[0]) || !e) return fail(unfit("a point and a line or curve"));
    const int p = var(r.of[0]);
    if (e->shape == Shape::Line) return fromLine(p, var(e->points[0]), var(e->points[1]), 0), Expected<void>{};
    if (round(*e)) return row(Form::OnRound, {p, var(e->points[0])}, {e_.sizeOf[e->id]}), Expected<void>{};
    if (e->shape == Shape::Ellipse) {
      Row& w = row(Form::OnEllipse, {p, var(e->points[0]), var(e->points[1])}, {e_.sizeOf[e->id]});
      w.scale = often(std::min(apart(w.of[2], w.of[4]), e->size));
      return {};
    }
    if (e->shape == Shape::Conic) return fail(unfit("a point cannot be held on a conic"));
    LUMSK_TRY(s, splineOf(*e));
    const SplineForm& f = e_.splines[size_t(s)];
    const auto [place, length] = nearestOn(f, now(p));
    Row w;
    w.form = Form::OnSpline;
    w.relation = relation_;
    w.spline = s;
    w.ka = std::max(length, 1e-9);
    w.of = {p, p + 1, e_.add(place * w.ka)};
    w.of.insert(w.of.end(), f.controls.begin(), f.controls.end());
    e_.rows.push_back(std::move(w));
    return {};
  }

  /// Where a spline comes nearest to a place now, from 0 to 1, and the length of its polygon.
  std::pair<double, double> nearestOn(const SplineForm& f, const Vec2& at) const {
    double length = 0, best = 1e300, place = 0;
    for (size_t i = 2; i < f.controls.size(); i += 2) length += apart(f.controls[i - 2], f.controls[i]);
    double basis[nurbs::kMaxDegree + 1];
    constexpr int kLooks = 400;
    for (int i = 0; i <= kLooks; ++i) {
      const double t = double(i) / kLooks;
      const int first = nurbs::basisFunctions(f.knots, f.degree, t, basis);
      Vec2 p = Vec2::Zero();
      for (int j = 0; j <= f.degree; ++j) p += basis[j] * now(f.controls[size_t(2 * (first + j))]);
      if (const double off = (p - at).norm(); off < best) best = off, place = t;
    }
    return {place, length};
  }

  Expected<void> ofTwo(const Relation& r) {
    const Entity *a = entityAt(r, 0), *b = entityAt(r, 1);
    if (r.law == Law::InLine && r.of.size() == 3 && d_.point(r.of[0]) && d_.point(r.of[1]) && d_.point(r.of[2]))
      return fromLine(var(r.of[0]), var(r.of[1]), var(r.of[2]), 0), Expected<void>{};
    if (!a || !b || r.of.size() != 2) return fail(unfit("two lines"));
    if (r.law == Law::Equal && round(*a) && round(*b)) return same(e_.sizeOf[a->id], e_.sizeOf[b->id]), Expected<void>{};
    if (a->shape != Shape::Line || b->shape != Shape::Line) return fail(unfit(r.law == Law::Equal ? "two lines, or two circles or arcs" : "two lines"));
    const Leaving u{var(a->points[0]), var(a->points[1])}, v{var(b->points[0]), var(b->points[1])};
    if (r.law == Law::Parallel)
      angle(u, v, nearest(angleNow(u, v), {0, kPi}));
    else if (r.law == Law::Square)
      angle(u, v, nearest(angleNow(u, v), {kPi / 2, -kPi / 2}));
    else if (r.law == Law::Equal)
      row(Form::SameLength, {u.from, u.to, v.from, v.to});
    else
      for (const int p : {v.from, v.to})
        if (p != u.from && p != u.to) fromLine(p, u.from, u.to, 0);
    return {};
  }

  Expected<void> tangentAt(const Entity& a, int endA, const Entity& b, int endB, int turn) {
    LUMSK_TRY(u, leaving(a, endA));
    LUMSK_TRY(v, leaving(b, endB));
    angle(u, v, turn & 1 ? 0 : kPi);
    return {};
  }

  Expected<void> tangent(const Relation& r) {
    const Entity *a = entityAt(r, 0), *b = entityAt(r, 1);
    if (!a || !b) return fail(unfit("two lines or curves"));
    if (const auto ends = sharedEnd(*a, *b)) return tangentAt(*a, (*ends)[0], *b, (*ends)[1], r.turn);
    if (b->shape == Shape::Line) std::swap(a, b);
    if (a->shape == Shape::Line && round(*b)) {
      const int p = var(a->points[0]), q = var(a->points[1]), c = var(b->points[0]);
      row(Form::LineOnRound, {p, q, c}, {e_.sizeOf[b->id]}).sign = sideOf(c, p, q);
      return {};
    }
    if (round(*a) && round(*b)) {
      const int ca = var(a->points[0]), cb = var(b->points[0]);
      const double dist = apart(ca, cb), out = std::abs(dist - a->size - b->size), in = std::abs(dist - std::abs(a->size - b->size));
      Row& w = row(Form::RoundOnRound, {});
      w.of = {ca, ca + 1, e_.sizeOf[a->id], cb, cb + 1, e_.sizeOf[b->id]};
      if (in < out) (a->size < b->size ? w.ka : w.kb) = -1;
      return {};
    }
    return fail(unfit("curves that meet with their ends, or lines, circles and arcs"));
  }

  Expected<void> sameCurvature(const Relation& r) {
    const Entity *a = entityAt(r, 0), *b = entityAt(r, 1);
    const auto ends = a && b ? sharedEnd(*a, *b) : std::nullopt;
    if (!ends) return fail(unfit("two curves that meet with their ends"));
    LUMSK_CHECK(tangentAt(*a, (*ends)[0], *b, (*ends)[1], 0));
    LUMSK_TRY(p, bend(*a, (*ends)[0]));
    LUMSK_TRY(q, bend(*b, (*ends)[1]));
    if (p.legs.empty()) std::swap(p, q);
    if (p.legs.empty()) return fail(unfit("one of the two must be a spline"));
    if (!q.legs.empty()) {
      Row& w = row(Form::CurvatureOfTwo, {p.legs[0], p.legs[1], p.legs[2], q.legs[0], q.legs[1], q.legs[2]});
      w.ka = p.factor, w.kb = q.factor, w.scale = std::min(legLength(p), legLength(q));
      return {};
    }
    Row& w = row(Form::CurvatureOfOne, {p.legs[0], p.legs[1], p.legs[2]});
    if (q.radius >= 0) w.of.push_back(q.radius);
    w.ka = p.factor, w.kb = q.radius >= 0 ? q.factor : 0, w.scale = legLength(p);
    return {};
  }

  void mirroredPoints(int p, int q, int a, int b) {
    if (p == q)
      fromLine(p, a, b, 0);
    else
      row(Form::Mirrored, {p, q, a, b});
  }

  Expected<void> mirrored(const Relation& r) {
    const Entity* axis = shapeAt(r, 2, Shape::Line);
    if (!axis) return fail(unfit("two things and a line between them"));
    const int a = var(axis->points[0]), b = var(axis->points[1]);
    if (d_.point(r.of[0]) && d_.point(r.of[1])) return mirroredPoints(var(r.of[0]), var(r.of[1]), a, b), Expected<void>{};
    const Entity *e = entityAt(r, 0), *f = entityAt(r, 1);
    if (!e || !f || e->shape != f->shape || e->points.size() != f->points.size()) return fail(unfit("two things of one kind and a line between them"));
    std::vector<Id> other = f->points;
    const size_t first = e->shape == Shape::Arc ? 1 : 0; // of points that may go the other way
    if (e->shape != Shape::Ellipse && other.size() > first + 1) {
      const Vec2 along = (now(b) - now(a)).normalized();
      const Vec2 d = now(var(e->points[first])) - now(a), image = now(a) + 2 * along * along.dot(d) - d;
      if ((now(var(other.back())) - image).norm() < (now(var(other[first])) - image).norm())
        std::reverse(other.begin() + std::ptrdiff_t(first), other.end());
    }
    for (size_t i = 0; i < other.size(); ++i) mirroredPoints(var(e->points[i]), var(other[i]), a, b);
    if (e_.sizeOf.count(e->id) && e->shape != Shape::Arc) same(e_.sizeOf[e->id], e_.sizeOf[f->id]);
    return {};
  }

  Expected<void> middle(const Relation& r) {
    const Entity* line = shapeAt(r, 1, Shape::Line);
    if (!d_.point(r.of[0])) return fail(unfit("a point and a line, or three points"));
    if (line)
      row(Form::Middle, {var(r.of[0]), var(line->points[0]), var(line->points[1])});
    else if (r.of.size() == 3 && d_.point(r.of[1]) && d_.point(r.of[2]))
      row(Form::Middle, {var(r.of[0]), var(r.of[1]), var(r.of[2])});
    else
      return fail(unfit("a point and a line, or three points"));
    return {};
  }

  Expected<void> repeated(const Relation& r) {
    const bool turn = r.law == Law::SameTurn;
    if (r.of.size() != (turn ? 5 : 4) || !std::all_of(r.of.begin(), r.of.end(), [&](const Id& id) { return d_.point(id); })) return fail(unfit("pairs of points"));
    Row& w = row(turn ? Form::SameTurn : Form::SameStep, {var(r.of[0]), var(r.of[1]), var(r.of[2]), var(r.of[3])});
    if (!turn) return {};
    w.of.push_back(var(r.of[4])), w.of.push_back(var(r.of[4]) + 1);
    w.scale = often(apart(var(r.of[0]), var(r.of[4])));
    return {};
  }

  Expected<void> fixed(const Relation& r) {
    for (const Id& id : r.of) {
      const Entity* e = d_.entity(id);
      for (const Id& p : e ? e->points : std::vector<Id>{id}) hold(var(p)), hold(var(p) + 1);
      if (e && e_.sizeOf.count(id)) hold(e_.sizeOf[id]);
    }
    return {};
  }

  // Dimensions

  /// How a curve bends at the end that a relation names.
  Expected<Bend> endBend(const Relation& r) {
    const Entity* e = entityAt(r, 0);
    const int end = e && r.of.size() == 2 && d_.point(r.of[1]) ? endAt(*e, r.of[1]) : -1;
    if (end < 0) return fail(unfit("a spline and one of its ends"));
    LUMSK_TRY(b, bend(*e, end));
    if (b.legs.empty()) return fail(unfit("a spline and one of its ends"));
    return b;
  }

  Expected<void> dimension(const Relation& r) {
    const bool zero = r.law == Law::LevelDistance || r.law == Law::UprightDistance || r.law == Law::Distance || r.law == Law::Angle || r.law == Law::EndAngle || r.law == Law::Turned;
    if (!(r.value > 0) && !zero)
      return fail(problem("LM-U004", std::string(lawWords(r.law)) + " must be more than nought").measure({r.value, dimensionOf(r.law)}));
    if (std::abs(r.value) > kLargestCoordinate) return fail(problem("LM-U004", std::string(lawWords(r.law)) + " is too large").measure({r.value, dimensionOf(r.law)}));
    switch (r.law) {
    case Law::Length:
      if (const auto p = pairOf(r)) return row(Form::Distance, {(*p)[0], (*p)[1]}).value = r.value, Expected<void>{};
      return fail(unfit("a line, or two points"));
    case Law::LevelDistance:
    case Law::UprightDistance:
      if (const auto p = pairOf(r)) {
        const int k = r.law == Law::LevelDistance ? 0 : 1, a = (*p)[0] + k, b = (*p)[1] + k;
        row(Form::Apart, {}, {a, b}).value = e_.start[size_t(b)] < e_.start[size_t(a)] ? -r.value : r.value;
        return {};
      }
      return fail(unfit("a line, or two points"));
    case Law::Distance: return distance(r);
    case Law::Radius:
    case Law::Diameter: {
      const Entity* e = entityAt(r, 0);
      if (!e || !round(*e)) return fail(unfit("a circle or an arc"));
      row(Form::Number, {}, {e_.sizeOf[e->id]}).value = r.law == Law::Radius ? r.value : r.value / 2;
      return {};
    }
    case Law::Angle: return angleBetween(r);
    case Law::ArcLength: return arcLength(r);
    case Law::EndAngle: {
      const Entity* e = entityAt(r, 0);
      const int end = e && r.of.size() == 2 && d_.point(r.of[1]) ? endAt(*e, r.of[1]) : -1;
      if (end < 0) return fail(unfit("a curve and one of its ends"));
      LUMSK_TRY(d, leaving(*e, end));
      Row& w = row(Form::AngleToLevel, {d.from, d.to});
      w.value = r.value - d.turnRad, w.scale = often(apart(d.from, d.to));
      return {};
    }
    case Law::EndRadius: {
      LUMSK_TRY(b, endBend(r));
      Row& w = row(Form::EndRadius, {b.legs[0], b.legs[1], b.legs[2]});
      w.ka = b.factor, w.value = r.value, w.scale = legLength(b), w.sign = sideOf(b.legs[2], b.legs[0], b.legs[1]);
      return {};
    }
    case Law::Turned:
      if (r.of.size() != 3 || !d_.point(r.of[0]) || !d_.point(r.of[1]) || !d_.point(r.of[2])) return fail(unfit("two points and a centre"));
      row(Form::Turned, {var(r.of[0]), var(r.of[1]), var(r.of[2])}).value = r.value;
      return {};
    default: return {};
    }
  }

  Expected<void> distance(const Relation& r) {
    if (const auto p = pairOf(r); p && r.of.size() == 2) {
      if (!(r.value > 0)) return fail(problem("LM-U004", "a distance of nought between points: let them be together instead"));
      return row(Form::Distance, {(*p)[0], (*p)[1]}).value = r.value, Expected<void>{};
    }
    const Entity* line = shapeAt(r, 1, Shape::Line);
    if (r.of.size() != 2 || !line) return fail(unfit("a point and a line, or two lines"));
    const int a = var(line->points[0]), b = var(line->points[1]);
    const Entity* other = shapeAt(r, 0, Shape::Line);
    const int p = other ? var(other->points[0]) : placeVar(r.of[0]);
    if (p < 0) return fail(unfit("a point and a line, or two lines"));
    fromLine(p, a, b, r.value);
    return {};
  }

  Expected<void> angleBetween(const Relation& r) {
    const Entity *a = shapeAt(r, 0, Shape::Line), *b = shapeAt(r, 1, Shape::Line);
    if (!a || !b) return fail(unfit("two lines"));
    Leaving u{var(a->points[0]), var(a->points[1])}, v{var(b->points[0]), var(b->points[1])};
    if (r.turn & 1) std::swap(u.from, u.to);
    if (r.turn & 2) std::swap(v.from, v.to);
    angle(u, v, angleNow(u, v) < 0 ? -r.value : r.value);
    return {};
  }

  Expected<void> arcLength(const Relation& r) {
    const Entity* e = entityAt(r, 0);
    if (!e || e->shape == Shape::Circle || e->shape == Shape::Ellipse || e->shape == Shape::Conic || e->shape == Shape::Line) return fail(unfit("an arc or a spline"));
    if (e->shape == Shape::Arc) {
      Row& w = row(Form::ArcLength, {var(e->points[0]), var(e->points[1]), var(e->points[2])}, {e_.sizeOf[e->id]});
      w.value = r.value, w.sign = e->left ? 1 : -1;
      w.turns = sweepOf({w.of[0], w.of[2], w.of[4], w.sign}, e_.start);
      return {};
    }
    LUMSK_TRY(s, splineOf(*e));
    Row w;
    w.form = Form::SplineLength;
    w.relation = relation_;
    w.spline = s;
    w.value = r.value;
    w.of = e_.splines[size_t(s)].controls;
    e_.rows.push_back(std::move(w));
    return {};
  }

  const Drawing& d_;
  Equations e_;
  std::map<Id, int> index_, spline_;
  std::map<Id, Id> together_;
  int relation_ = -1;
};

} // namespace

Expected<Equations> equationsOf(const Drawing& d) { return Builder(d).run(); }

double sweepOf(const Equations::Arc& a, const std::vector<double>& p) {
  const auto at = [&](int v) { return Vec2(p[size_t(v)], p[size_t(v) + 1]); };
  const Vec2 u = at(a.start) - at(a.centre), v = at(a.end) - at(a.centre);
  const double angle = std::atan2(a.sign * (u.x() * v.y() - u.y() * v.x()), u.dot(v));
  return angle <= 0 ? angle + 2 * kPi : angle;
}

} // namespace lumsk::drawing

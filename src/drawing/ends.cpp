#include "drawing/variables.h"

#include "nurbs/fit/interpolate.h"

namespace lumsk::drawing {

/// A spline's control points as variables, made when something is said of them.
Expected<int> Ends::splineOf(const Entity& e) {
  if (const auto it = spline_.find(e.id); it != spline_.end()) return it->second;
  if (e.shape != Shape::Spline && (e.shape != Shape::Through || (e.closed && e.points.size() < 3))) return fail(v_.unfit("a spline"));
  SplineForm s;
  if (e.shape == Shape::Spline) {
    s.degree = e.degree;
    s.knots = knotsOf(e);
    for (const Id& p : e.points) s.controls.push_back(v_.var(p)), s.controls.push_back(v_.var(p) + 1);
  } else {
    LUMSK_TRY(made, throughForm(e));
    s = made;
  }
  v_.equations.splines.push_back(s);
  const size_t n = s.controls.size();
  v_.equations.legs.push_back({s.controls[0], s.controls[2]});
  v_.equations.legs.push_back({s.controls[n - 2], s.controls[n - 4]});
  return spline_[e.id] = int(v_.equations.splines.size()) - 1;
}

/// As long as the places at which it passes through its points are held, its control points are sums of these.
Expected<SplineForm> Ends::throughForm(const Entity& e) {
  const int n = int(e.points.size());
  Points places(n, 3);
  for (int i = 0; i < n; ++i) {
    const Vec2 p = v_.now(v_.var(e.points[size_t(i)]));
    places.row(i) << p.x(), p.y(), 0.0;
  }
  const auto parameters = nurbs::parametersFor(places, nurbs::Spacing::Centripetal, e.closed);
  SplineForm s;
  s.degree = std::min(e.degree, n - 1);
  const nurbs::Rows none(0, n), each = nurbs::Rows::Identity(n, n);
  LUMSK_TRY(made, e.closed ? Expected<nurbs::RowInterpolation>(nurbs::interpolateClosedRows(parameters, each, s.degree))
                           : nurbs::interpolateRows(parameters, each, s.degree, none, none));
  s.knots = made.knots;
  const int many = int(made.controls.rows());
  for (int i = 0; i < many; ++i) {
    if (!e.closed && (i == 0 || i + 1 == many)) {
      s.controls.push_back(v_.var(e.points[i == 0 ? 0 : size_t(n - 1)]));
      s.controls.push_back(v_.var(e.points[i == 0 ? 0 : size_t(n - 1)]) + 1);
      continue;
    }
    for (int k = 0; k < 2; ++k) {
      Equations::Sum sum{v_.equations.add(0), {}};
      double value = 0;
      for (int j = 0; j < n; ++j)
        if (const double w = made.controls(i, j); std::abs(w) > 1e-15) {
          sum.parts.push_back({v_.var(e.points[size_t(j)]) + k, w});
          value += w * v_.equations.start[size_t(v_.var(e.points[size_t(j)]) + k)];
        }
      v_.equations.start[size_t(sum.of)] = value;
      s.controls.push_back(sum.of);
      v_.equations.sums.push_back(std::move(sum));
    }
  }
  return s;
}

/// Which of an entity's ends lies at a point: 0 or 1; -1: neither.
int Ends::endAt(const Entity& e, const Id& point) const {
  const auto ends = endsOf(e);
  if (!ends) return -1;
  const Id at = v_.placeOf(point);
  return v_.placeOf(ends->first) == at ? 0 : v_.placeOf(ends->second) == at ? 1 : -1;
}
/// The point where two entities meet with their ends.
std::optional<std::array<int, 2>> Ends::sharedEnd(const Entity& a, const Entity& b) const {
  const auto ends = endsOf(a);
  if (!ends || !endsOf(b)) return {};
  for (const int i : {0, 1})
    if (const int j = endAt(b, i == 0 ? ends->first : ends->second); j >= 0) return std::array{i, j};
  return {};
}

Expected<Leaving> Ends::leaving(const Entity& e, int end) {
  const size_t n = e.points.size();
  const auto between = [&](size_t a, size_t b) { return Leaving{v_.var(e.points[a]), v_.var(e.points[b])}; };
  switch (e.shape) {
  case Shape::Arc: {
    Leaving out = between(0, size_t(1 + end));
    out.turnRad = (end == 0) == e.left ? kPi / 2 : -kPi / 2;
    return out;
  }
  case Shape::Spline:
  case Shape::Through: {
    LUMSK_TRY(s, splineOf(e));
    const auto& c = v_.equations.splines[size_t(s)].controls;
    return end == 0 ? Leaving{c[0], c[2]} : Leaving{c[c.size() - 2], c[c.size() - 4]};
  }
  default: return end == 0 ? between(0, 1) : between(n - 1, n - 2);
  }
}

Expected<Bend> Ends::bend(const Entity& e, int end) {
  Bend out;
  if (e.shape == Shape::Arc) {
    out.radius = v_.equations.sizeOf.at(e.id);
    out.factor = (end == 0) == e.left ? 1 : -1;
  } else if (e.shape == Shape::Conic) {
    const double w = e.rho / (1 - e.rho);
    out.factor = 0.5 / (w * w);
    for (const size_t i : {size_t(0), size_t(1), size_t(2)}) out.legs.push_back(v_.var(e.points[end == 0 ? i : 2 - i]));
  } else if (e.shape != Shape::Line) {
    LUMSK_TRY(s, splineOf(e));
    const SplineForm& f = v_.equations.splines[size_t(s)];
    if (f.controls.size() < 6) return out; // straight
    for (size_t i = 0; i < 3; ++i) out.legs.push_back(f.controls[end == 0 ? 2 * i : f.controls.size() - 2 - 2 * i]);
    out.factor = endCurvatureFactor(f, end == 1);
  }
  return out;
}

/// How a curve bends at the end that a relation names.
Expected<Bend> Ends::bendAt(const Relation& r) {
  const Entity* e = v_.entityAt(r, 0);
  const int end = e && r.of.size() == 2 && v_.drawing.point(r.of[1]) ? endAt(*e, r.of[1]) : -1;
  if (end < 0) return fail(v_.unfit("a spline and one of its ends"));
  LUMSK_TRY(b, bend(*e, end));
  if (b.legs.empty()) return fail(v_.unfit("a spline and one of its ends"));
  return b;
}

} // namespace lumsk::drawing

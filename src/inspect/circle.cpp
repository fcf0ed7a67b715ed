#include "inspect/circle.h"

#include "brep/convert.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepTools.hxx>

#include <functional>

namespace lumsk::inspect {

namespace {

constexpr int kLooks = 96;
constexpr double kFlat = 1e-6; ///< three points this near to a line are on none

using Run = std::function<Vec3(double)>; ///< places by fractions

std::optional<Circle> circleAlong(const Run& at, const Tolerances& tol) {
  // Through three points: the centre by its barycentric coordinates.
  const Vec3 a = at(0), b = at(1.0 / 3), c = at(2.0 / 3), u = b - a, v = c - a, n = u.cross(v);
  const double size = std::max(u.squaredNorm(), v.squaredNorm());
  if (n.norm() <= kFlat * size) return {};
  Circle out;
  out.axis = n.normalized();
  out.centre = a + (u.squaredNorm() * v.cross(n) + v.squaredNorm() * n.cross(u)) / (2 * n.squaredNorm());
  out.radiusMm = (a - out.centre).norm();
  for (int i = 0; i <= kLooks; ++i) {
    const Vec3 d = at(double(i) / kLooks) - out.centre;
    if (std::abs(d.norm() - out.radiusMm) > tol.point.mm || std::abs(d.dot(out.axis)) > tol.point.mm) return {};
  }
  return out;
}

/// The middle one of circles about one line; the line by the mean of all. Faces of revolution are fitted, so each circle
/// of them tells the line a little worse than it lies.
std::optional<Circle> commonAxis(const std::vector<Run>& runs, const Tolerances& tol) {
  const double near = 5 * tol.point.mm;
  std::vector<Circle> found;
  Vec3 sum = Vec3::Zero();
  for (const Run& run : runs) {
    const auto c = circleAlong(run, tol);
    if (!c) return {};
    found.push_back(*c);
    sum += c->axis.dot(found.front().axis) < 0 ? Vec3(-c->axis) : c->axis;
  }
  Circle middle = found[found.size() / 2];
  middle.axis = sum.normalized();
  for (const Circle& c : found) {
    const Vec3 d = c.centre - middle.centre;
    if ((d - d.dot(middle.axis) * middle.axis).norm() > near || c.axis.cross(middle.axis).norm() * c.radiusMm > near) return {};
  }
  return middle;
}

} // namespace

std::optional<Circle> circleOf(const nurbs::Path& path, const Tolerances& tol) {
  return circleAlong([&](double f) { return path.at(f * path.last()); }, tol);
}

std::optional<Circle> axisOf(const brep::Body& body, int face, const Tolerances& tol) {
  constexpr int kRuns = 7;
  const TopoDS_Face f = brep::faces(body)[size_t(face)];
  const BRepAdaptor_Surface s(f);
  double u0, u1, v0, v1;
  BRepTools::UVBounds(f, u0, u1, v0, v1);
  if (s.GetType() == GeomAbs_Plane) return {};
  if (s.GetType() == GeomAbs_Sphere) {
    const gp_Ax1 a = s.Sphere().Position().Axis();
    return Circle{brep::toVec(a.Location()), {a.Direction().X(), a.Direction().Y(), a.Direction().Z()}, s.Sphere().Radius()};
  }
  for (bool alongU : {true, false}) {
    std::vector<Run> runs;
    for (int k = 0; k < kRuns; ++k) {
      const double across = (k + 0.5) / kRuns;
      runs.push_back([&, across](double g) {
        const double a = alongU ? g : across, b = alongU ? across : g;
        return brep::toVec(s.Value(u0 + a * (u1 - u0), v0 + b * (v1 - v0)));
      });
    }
    if (const auto axis = commonAxis(runs, tol)) return axis;
  }
  return {};
}

} // namespace lumsk::inspect

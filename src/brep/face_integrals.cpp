#include "brep/face_integrals.h"

#include "brep/convert.h"
#include "nurbs/core/gauss.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepGProp.hxx>
#include <BRepGProp_Domain.hxx>
#include <BRepGProp_Face.hxx>
#include <BRepGProp_Vinert.hxx>
#include <BRepTools.hxx>
#include <GProp_GProps.hxx>
#include <Geom2dAdaptor_Curve.hxx>
#include <Geom2d_BSplineCurve.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>

#include <algorithm>
#include <cmath>

namespace lumsk::brep {

namespace {

constexpr int kNodesOnBorder = 4;   ///< between neighbouring places where border or surface change their polynomials
constexpr int kPiecesOfBorder = 12; ///< at least, of every edge
constexpr double kOutside = 2e-5;   ///< of the domain: borders on its sides may leave it by that, and are taken to lie on them

/// Parameters where a coordinate of the border passes a knot of the surface, between two places that bracket it.
void addCrossings(const Geom2dAdaptor_Curve& c, double a, double b, bool inU, const std::vector<double>& knots,
                  std::vector<double>& out) {
  const auto at = [&](double t) { return inU ? c.Value(t).X() : c.Value(t).Y(); };
  const double x0 = at(a), x1 = at(b), low = std::min(x0, x1), high = std::max(x0, x1);
  for (auto k = std::upper_bound(knots.begin(), knots.end(), low); k != knots.end() && *k < high; ++k) {
    double lo = a, hi = b;
    for (int it = 0; it < 40 && hi - lo > 1e-13 * (std::abs(lo) + std::abs(hi)); ++it) {
      const double mid = 0.5 * (lo + hi);
      ((at(mid) < *k) == (x0 < x1) ? lo : hi) = mid;
    }
    out.push_back(0.5 * (lo + hi));
  }
}

/// Nodes around a face's border, with respect to its surface's own normal; nothing where an edge has no parameter curve, or
/// one that leaves the surface's domain. (The kernel's bounds of a border are no measure: they are wider than it.)
std::optional<std::vector<nurbs::BorderNode>> borderOf(const TopoDS_Face& face, const nurbs::Surface& s) {
  const TopoDS_Face f = TopoDS::Face(face.Oriented(TopAbs_FORWARD));
  const std::vector<double> us = nurbs::breakpoints(s.knotsU(), s.degreeU()),
                            vs = nurbs::breakpoints(s.knotsV(), s.degreeV());
  const nurbs::GaussRule rule = nurbs::gaussLegendre(kNodesOnBorder);
  const double nearU = kOutside * (us.back() - us.front()), nearV = kOutside * (vs.back() - vs.front());
  std::vector<nurbs::BorderNode> out;
  for (TopExp_Explorer x(f, TopAbs_EDGE); x.More(); x.Next()) {
    const TopoDS_Edge e = TopoDS::Edge(x.Current());
    if (e.Orientation() != TopAbs_FORWARD && e.Orientation() != TopAbs_REVERSED) continue; // inside the face
    double a, b;
    const Handle(Geom2d_Curve) curve = BRep_Tool::CurveOnSurface(e, f, a, b);
    if (curve.IsNull()) return {};
    const Geom2dAdaptor_Curve c(curve, a, b);
    std::vector<double> own{a};
    if (c.GetType() == GeomAbs_BSplineCurve)
      for (int k = 1; k <= c.BSpline()->NbKnots(); ++k)
        if (const double t = c.BSpline()->Knot(k); t > a && t < b) own.push_back(t);
    own.push_back(b);
    const int pieces = std::max(1, kPiecesOfBorder / int(own.size() - 1));
    std::vector<double> places{a};
    for (size_t k = 0; k + 1 < own.size(); ++k)
      for (int i = 1; i <= pieces; ++i) {
        const double from = places.back(), to = own[k] + (own[k + 1] - own[k]) * i / pieces;
        std::vector<double> crossings;
        addCrossings(c, from, to, true, us, crossings);
        addCrossings(c, from, to, false, vs, crossings);
        std::sort(crossings.begin(), crossings.end());
        places.insert(places.end(), crossings.begin(), crossings.end());
        places.push_back(to);
      }
    const double sign = e.Orientation() == TopAbs_REVERSED ? -1.0 : 1.0;
    for (size_t k = 0; k + 1 < places.size(); ++k)
      for (size_t i = 0; i < rule.at.size(); ++i) {
        const double width = places[k + 1] - places[k];
        gp_Pnt2d p;
        gp_Vec2d d;
        c.D1(places[k] + width * rule.at[i], p, d);
        if (p.X() < us.front() - nearU || p.X() > us.back() + nearU || p.Y() < vs.front() - nearV || p.Y() > vs.back() + nearV) return {};
        out.push_back({std::clamp(p.X(), us.front(), us.back()), std::clamp(p.Y(), vs.front(), vs.back()),
                       sign * d.X() * width * rule.weight[i]});
      }
  }
  return out;
}

/// The surface of a face as a spline, moved so that `from` is its origin.
std::optional<nurbs::Surface> splineOf(const TopoDS_Face& f, const Vec3& from) {
  double u0, u1, v0, v1;
  BRepTools::UVBounds(f, u0, u1, v0, v1);
  const BRepAdaptor_Surface whole(f, false);
  std::optional<nurbs::Surface> s;
  if (whole.GetType() == GeomAbs_Plane) {
    Points corners(4, 3);
    for (int k = 0; k < 4; ++k) corners.row(k) = toVec(whole.Value(k / 2 ? u1 : u0, k % 2 ? v1 : v0)).transpose();
    s = nurbs::Surface::trusted(1, 1, {u0, u0, u1, u1}, {v0, v0, v1, v1}, corners, false);
  } else {
    s = toSurface(BRep_Tool::Surface(f), false);
  }
  if (!s) return {};
  Eigen::Isometry3d t = Eigen::Isometry3d::Identity();
  t.translation() = -from;
  return nurbs::transformed(*s, t);
}

} // namespace

nurbs::SurfaceIntegrals integralsOf(const TopoDS_Face& f, const Vec3& from, int nodes, double relative) {
  nurbs::SurfaceIntegrals out;
  const auto s = splineOf(f, from);
  if (const auto border = s ? borderOf(f, *s) : std::nullopt) {
    out = nurbs::integralsInside(*s, *border, nodes);
    if (f.Orientation() == TopAbs_REVERSED) out.momentMm3 *= -1, out.momentFirst *= -1;
    return out;
  }
  GProp_GProps area(toPnt(from));
  BRepGProp::SurfaceProperties(f, area, relative);
  BRepGProp_Face surface(f);
  BRepGProp_Domain borders(f);
  const BRepGProp_Vinert cone(surface, borders, toPnt(from), relative);
  out.areaMm2 = area.Mass();
  out.areaFirst = area.Mass() * (toVec(area.CentreOfMass()) - from);
  out.momentMm3 = cone.Mass();
  out.momentFirst = cone.Mass() * (toVec(cone.CentreOfMass()) - from);
  return out;
}

} // namespace lumsk::brep

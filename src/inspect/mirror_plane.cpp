#include "inspect/mirror_plane.h"

#include "brep/convert.h"
#include "brep/guard.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <Geom2d_Curve.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopoDS.hxx>

#include <Eigen/LU>
#include <algorithm>

namespace lumsk::inspect {

namespace {

constexpr int kPlaces = 49;

/// Derivatives of a surface to order 3 at one place.
struct Local {
  gp_Pnt p;
  gp_Vec u, v, uu, vv, uv, uuu, vvv, uuv, uvv;
};

/// dk/ds of the normal section that leaves along the plane's normal: third derivative of its height over the tangent
/// plane (the section is a curve whose second and third parameters derivatives keep it in its plane).
double sectionRate(const Local& d, const Vec3& planeNormal) {
  using brep::toVec;
  const Vec3 u = toVec(d.u), v = toVec(d.v), m = u.cross(v).normalized();
  const Vec3 w = (planeNormal - planeNormal.dot(m) * m).normalized();
  Eigen::Matrix<double, 3, 2> J;
  J << u, v;
  const Eigen::Matrix2d g = (J.transpose() * J).inverse();
  const Vec2 a = g * (J.transpose() * w);
  const auto second = [&](const Vec2& x, const Vec2& y) -> Vec3 {
    return x.x() * y.x() * toVec(d.uu) + (x.x() * y.y() + x.y() * y.x()) * toVec(d.uv) + x.y() * y.y() * toVec(d.vv);
  };
  const Vec2 b = -(g * (J.transpose() * second(a, a)));
  const double x = a.x(), y = a.y();
  const Vec3 third = x * x * x * toVec(d.uuu) + 3 * x * x * y * toVec(d.uuv) + 3 * x * y * y * toVec(d.uvv) +
                     y * y * y * toVec(d.vvv);
  return m.dot(third + 3 * second(a, b));
}

} // namespace

std::vector<PlaneEdge> atPlane(const brep::Body& body, const Frame& plane, double nearMm) {
  std::vector<PlaneEdge> out;
  const auto done = brep::guarded("measuring at the mirror plane", [&]() -> Expected<bool> {
    const Vec3 n = plane.normal();
    Bnd_Box box;
    BRepBndLib::Add(body.shape, box);
    TopTools_IndexedDataMapOfShapeListOfShape owners;
    TopExp::MapShapesAndAncestors(body.shape, TopAbs_EDGE, TopAbs_FACE, owners);
    const auto all = brep::edges(body);
    for (size_t i = 0; i < all.size(); ++i) {
      const int at = owners.FindIndex(all[i]);
      if (at == 0 || owners(at).Extent() != 1 || BRep_Tool::Degenerated(all[i])) continue;
      const TopoDS_Face face = TopoDS::Face(owners(at).First());
      const BRepAdaptor_Surface s(face, false);
      double a, b;
      const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(all[i], face, a, b);
      if (c.IsNull()) continue;
      PlaneEdge e;
      e.edge = body.edgeNames[i];
      for (int k = 0; k < kPlaces && e.offMm <= nearMm; ++k) {
        const gp_Pnt2d uv = c->Value(a + (b - a) * (k + 0.5) / kPlaces);
        Local d;
        s.D3(uv.X(), uv.Y(), d.p, d.u, d.v, d.uu, d.vv, d.uv, d.uuu, d.vvv, d.uuv, d.uvv);
        const Vec3 p = brep::toVec(d.p), cross = brep::toVec(d.u.Crossed(d.v));
        if (const double off = std::abs((p - plane.origin).dot(n)); off >= e.offMm) e.offMm = off, e.offAt = p;
        if (!(cross.norm() > 1e-12 * d.u.Magnitude() * d.v.Magnitude()) || cross.norm() == 0) continue;
        const double turn = degFromRad(std::asin(std::min(1.0, std::abs(cross.normalized().dot(n)))));
        if (turn >= e.angleDeg) e.angleDeg = turn, e.angleAt = p;
        const double rate = std::abs(sectionRate(d, n)) * box.SquareExtent();
        if (std::isfinite(rate) && rate >= e.curvatureRate) e.curvatureRate = rate, e.rateAt = p;
      }
      if (e.offMm <= nearMm) out.push_back(std::move(e));
    }
    return true;
  });
  if (!done) out.clear();
  return out;
}

} // namespace lumsk::inspect

#include "inspect/mirror_plane.h"

#include "brep/guard.h"
#include "inspect/section.h"

#include <BRepBndLib.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <Geom2d_Curve.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopoDS.hxx>

#include <algorithm>

namespace lumsk::inspect {

namespace {

constexpr int kPlaces = 49;

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
        const LocalSurface d(s, uv.X(), uv.Y());
        const Vec3& p = d.point();
        if (const double off = std::abs((p - plane.origin).dot(n)); off >= e.offMm) e.offMm = off, e.offAt = p;
        if (!d.regular()) continue;
        const double turn = degFromRad(std::asin(std::min(1.0, std::abs(d.normal().dot(n)))));
        if (turn >= e.angleDeg) e.angleDeg = turn, e.angleAt = p;
        const double rate = std::abs(d.section(n).rate) * box.SquareExtent();
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

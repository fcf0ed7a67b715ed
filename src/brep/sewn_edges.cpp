#include "brep/sewn_edges.h"

#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_TEdge.hxx>
#include <BRep_Tool.hxx>
#include <BRep_TVertex.hxx>
#include <Geom2dAPI_Interpolate.hxx>
#include <Geom2d_BSplineCurve.hxx>
#include <Geom_Curve.hxx>
#include <ShapeAnalysis_Surface.hxx>
#include <TColStd_HArray1OfReal.hxx>
#include <TColgp_HArray1OfPnt2d.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopoDS.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

constexpr int kLooks = 400, kFewest = 400, kMost = 6400; ///< places along an edge
constexpr double kRough = 4; ///< times `near`: smoother edges are left alone

double farthest(const Handle(Geom_Curve) & curve, const Handle(Geom2d_Curve) & image, const Handle(Geom_Surface) & on, double a, double b) {
  double off = 0;
  for (int k = 0; k <= kLooks; ++k) {
    const double t = a + (b - a) * (k + 0.37 * (k < kLooks)) / kLooks;
    const gp_Pnt2d uv = image->Value(t);
    off = std::max(off, curve->Value(t).Distance(on->Value(uv.X(), uv.Y())));
  }
  return off;
}

/// An image through so many places, each projected from where the last one was; its ends are those of the image before.
Handle(Geom2d_Curve) through(int places, const Handle(Geom_Curve) & curve, const Handle(Geom2d_Curve) & was, const Handle(Geom_Surface) & on, double a, double b, double near) {
  ShapeAnalysis_Surface surface(on);
  Handle(TColgp_HArray1OfPnt2d) at = new TColgp_HArray1OfPnt2d(1, places + 1);
  Handle(TColStd_HArray1OfReal) t = new TColStd_HArray1OfReal(1, places + 1);
  for (int k = 0; k <= places; ++k) {
    const double here = a + (b - a) * k / places;
    t->SetValue(k + 1, here);
    at->SetValue(k + 1, k == 0 ? was->Value(a) : k == places ? was->Value(b) : surface.NextValueOfUV(at->Value(k), curve->Value(here), near));
  }
  Geom2dAPI_Interpolate made(at, t, false, 1e-12);
  made.Perform();
  return made.IsDone() ? Handle(Geom2d_Curve)(made.Curve()) : Handle(Geom2d_Curve)();
}

} // namespace

void mendImages(const TopoDS_Shape& sewn, double near) {
  TopTools_IndexedDataMapOfShapeListOfShape faces;
  TopExp::MapShapesAndAncestors(sewn, TopAbs_EDGE, TopAbs_FACE, faces);
  for (int i = 1; i <= faces.Extent(); ++i) {
    const TopoDS_Edge e = TopoDS::Edge(faces.FindKey(i));
    double a, b;
    const Handle(Geom_Curve) curve = BRep_Tool::Curve(e, a, b);
    if (curve.IsNull() || BRep_Tool::Tolerance(e) < kRough * near) continue;
    double left = near;
    for (const TopoDS_Shape& s : faces(i)) {
      const TopoDS_Face f = TopoDS::Face(s);
      double from, to;
      const Handle(Geom2d_Curve) was = BRep_Tool::CurveOnSurface(e, f, from, to);
      const Handle(Geom_Surface) on = BRep_Tool::Surface(f);
      if (was.IsNull() || BRep_Tool::IsClosed(e, f)) {
        left = BRep_Tool::Tolerance(e);
        continue;
      }
      double off = farthest(curve, was, on, a, b);
      for (int places = kFewest; off > near && places <= kMost; places *= 2) {
        const auto image = through(places, curve, was, on, a, b, near);
        if (image.IsNull()) break;
        const double now = farthest(curve, image, on, a, b);
        if (now >= off) continue;
        off = now;
        BRep_Builder().UpdateEdge(e, image, f, 0.0);
      }
      left = std::max(left, off);
    }
    if (left >= BRep_Tool::Tolerance(e)) continue;
    const double was = BRep_Tool::Tolerance(e);
    Handle(BRep_TEdge)::DownCast(e.TShape())->Tolerance(1.1 * left);
    for (const TopoDS_Vertex& v : {TopExp::FirstVertex(e), TopExp::LastVertex(e)})
      if (!v.IsNull() && BRep_Tool::Tolerance(v) >= was) Handle(BRep_TVertex)::DownCast(v.TShape())->Tolerance(2 * left);
  }
}

} // namespace lumsk::brep

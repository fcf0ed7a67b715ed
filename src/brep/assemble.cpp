#include "brep/assemble.h"

#include "brep/convert.h"

#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Geom2d_BSplineCurve.hxx>
#include <TColgp_Array1OfPnt2d.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopExp.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Shell.hxx>

namespace lumsk::brep {

BodyPtr skinOf(const std::vector<NamedFace>& faces, const EdgeLabels& labels) {
  auto body = std::make_shared<Body>();
  TopoDS_Shell shell;
  BRep_Builder builder;
  builder.MakeShell(shell);
  FaceHistory history;
  for (const NamedFace& f : faces) {
    builder.Add(shell, f.face);
    history.keep(f);
    for (TopExp_Explorer e(f.face, TopAbs_EDGE); e.More() && !f.natural; e.Next())
      if (labels.IsBound(e.Current())) history.label(e.Current(), labels(e.Current()));
  }
  body->shape = shell;
  history.finish(*body);
  return body;
}

EdgeLabels labelsOf(const Body& b) {
  EdgeLabels out;
  TopTools_IndexedMapOfShape numbers;
  TopExp::MapShapes(b.shape, TopAbs_EDGE, numbers);
  const auto all = faces(b);
  for (size_t f = 0; f < all.size(); ++f)
    for (TopExp_Explorer e(all[f], TopAbs_EDGE); e.More(); e.Next()) {
      const std::string& name = b.edgeNames[size_t(numbers.FindIndex(e.Current())) - 1];
      const std::string start = b.faceNames[f] + "|";
      if (name.rfind(start, 0) != 0) continue;
      const std::string words = name.substr(start.size());
      out.Bind(e.Current(), words.substr(0, words.find('#')));
    }
  return out;
}

int sideAlong(const TopoDS_Edge& e, const TopoDS_Face& f, const Vec2& low, const Vec2& high) {
  constexpr double kOnSide = 1e-7; // of the rectangle
  constexpr int kPlaces = 8;
  double a, b;
  const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(e, f, a, b);
  if (c.IsNull()) return -1;
  const Vec2 near = kOnSide * (high - low);
  for (int side = 0; side < 4; ++side) {
    const int k = side / 2;
    const double at = side % 2 ? high[k] : low[k];
    bool along = true;
    for (int i = 0; i <= kPlaces && along; ++i) {
      const gp_Pnt2d p = c->Value(a + (b - a) * i / kPlaces);
      along = std::abs((k ? p.Y() : p.X()) - at) <= near[k];
    }
    if (along) return side;
  }
  return -1;
}

Handle(Geom2d_Curve) toDomain(const nurbs::Spline& image, const std::function<Vec2(const Vec2&)>& kernelPlace) {
  const auto c = Handle(Geom_BSplineCurve)::DownCast(toCurve(image));
  TColgp_Array1OfPnt2d poles(1, c->NbPoles());
  for (int i = 1; i <= c->NbPoles(); ++i) {
    const Vec2 p = kernelPlace({c->Pole(i).X(), c->Pole(i).Y()});
    poles(i) = gp_Pnt2d(p.x(), p.y());
  }
  return new Geom2d_BSplineCurve(poles, c->Knots(), c->Multiplicities(), c->Degree());
}

} // namespace lumsk::brep

#pragma once
#include "brep/convert.h"
#include "drawing/glyphs.h"
#include "nurbs/curves/shapes.h"
#include "nurbs/curves/two_view.h"

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepAlgoAPI_Common.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepGProp.hxx>
#include <BRepLProp_SLProps.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRep_Tool.hxx>
#include <GProp_GProps.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopoDS.hxx>

namespace lumsk::test {

inline const Frame kFrontView{Vec3::Zero(), Vec3::UnitX(), Vec3::UnitZ()};
inline const Frame kSideView{Vec3::Zero(), Vec3::UnitY(), Vec3::UnitZ()};

inline nurbs::View glyphView(char letter, const Frame& f, double height = 30) {
  drawing::TextOptions o;
  o.capitalHeightMm = height;
  o.align = 0.5;
  Eigen::Isometry3d t = Eigen::Isometry3d::Identity();
  t.linear().col(0) = f.x, t.linear().col(1) = f.y, t.linear().col(2) = f.normal();
  nurbs::View v{{}, f};
  const auto text = drawing::textOutlines(std::string(1, letter), drawing::ownFont(), o, {});
  for (const auto& p : text->loops)
    v.curves.push_back(nurbs::transformed(p, t));
  return v;
}

/// A view's outlines as a body 400 mm long, by the kernel: the largest is the outside, the others are holes.
inline TopoDS_Shape extruded(const nurbs::View& v) {
  const Vec3 n = v.plane.normal();
  std::vector<std::pair<double, TopoDS_Wire>> wires;
  for (const auto& p : v.curves) {
    const Points pts = nurbs::polyline(p, 8);
    wires.push_back({(pts.colwise().maxCoeff() - pts.colwise().minCoeff()).norm(), brep::toWire(p)});
  }
  std::sort(wires.begin(), wires.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  const gp_Trsf back = [&] {
    gp_Trsf t;
    t.SetTranslation(gp_Vec(-200 * n.x(), -200 * n.y(), -200 * n.z()));
    return t;
  }();
  const gp_Vec along(400 * n.x(), 400 * n.y(), 400 * n.z());
  const auto solid = [&](const TopoDS_Wire& w) {
    return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(w, true).Face().Moved(TopLoc_Location(back)), along).Shape();
  };
  TopoDS_Shape out = solid(wires.front().second);
  for (size_t i = 1; i < wires.size(); ++i) out = BRepAlgoAPI_Cut(out, solid(wires[i].second)).Shape();
  return out;
}

/// Points on the edges of a body at which its faces meet at an angle, and their whole length.
struct SharpEdges {
  std::vector<Vec3> points;
  double lengthMm = 0.0;
};
inline SharpEdges sharpEdges(const TopoDS_Shape& s) {
  TopTools_IndexedDataMapOfShapeListOfShape faces;
  TopExp::MapShapesAndAncestors(s, TopAbs_EDGE, TopAbs_FACE, faces);
  SharpEdges out;
  for (int i = 1; i <= faces.Extent(); ++i) {
    const TopoDS_Edge e = TopoDS::Edge(faces.FindKey(i));
    if (BRep_Tool::Degenerated(e) || faces(i).Extent() < 2 || faces(i).First().IsSame(faces(i).Last())) continue;
    const BRepAdaptor_Curve c(e);
    double worst = 0;
    for (double f : {0.3, 0.6}) {
      gp_Vec normal[2];
      const TopoDS_Face pair[2] = {TopoDS::Face(faces(i).First()), TopoDS::Face(faces(i).Last())};
      for (int k = 0; k < 2; ++k) {
        double a, b;
        const Handle(Geom2d_Curve) on = BRep_Tool::CurveOnSurface(e, pair[k], a, b);
        const gp_Pnt2d uv = on->Value(a + f * (b - a));
        const BRepAdaptor_Surface surface(pair[k]);
        BRepLProp_SLProps props(surface, uv.X(), uv.Y(), 1, 1e-9);
        if (props.IsNormalDefined()) normal[k] = props.Normal();
      }
      const double angle = normal[0].Magnitude() > 0 && normal[1].Magnitude() > 0 ? normal[0].Angle(normal[1]) : 0;
      worst = std::max(worst, std::min(angle, kPi - angle));
    }
    if (worst < radFromDeg(1.0)) continue; // what the corner tolerance calls smooth
    GProp_GProps length;
    BRepGProp::LinearProperties(e, length);
    out.lengthMm += length.Mass();
    for (int k = 0; k <= 8; ++k)
      out.points.push_back(
          brep::toVec(c.Value(c.FirstParameter() + k / 8.0 * (c.LastParameter() - c.FirstParameter()))));
  }
  return out;
}

/// The ten pairs that tests and figures speak of.
inline const std::vector<std::pair<char, char>>& glyphPairs() {
  static const std::vector<std::pair<char, char>> pairs{{'A', 'B'}, {'C', 'D'}, {'E', 'F'}, {'G', 'H'}, {'O', 'Q'},
                                                        {'S', 'R'}, {'K', 'M'}, {'P', 'X'}, {'U', 'V'}, {'8', '3'}};
  return pairs;
}

} // namespace lumsk::test

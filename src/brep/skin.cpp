#include "brep/skin.h"

#include "brep/convert.h"
#include "brep/history.h"
#include "brep/face_integrals.h"
#include "brep/guard.h"
#include "brep/names.h"
#include "brep/rings.h"
#include "nurbs/measure/surface_measure.h"

#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeSolid.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepBndLib.hxx>
#include <BRepLib.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <Geom2d_Curve.hxx>
#include <ShapeAnalysis_FreeBounds.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <TopoDS_Shell.hxx>

namespace lumsk::brep {

TopoDS_Face naturalFace(const nurbs::Surface& s, bool reversed, LengthTolerance point) {
  TopoDS_Face f = BRepBuilderAPI_MakeFace(toSurface(s), point.mm * 1e-2).Face();
  if (reversed) f.Reverse();
  return f;
}

namespace {

constexpr double kThinnestMm = 1e-4; ///< volume by area: thinner bodies have none

/// Middle of the edge with the largest tolerance.
Vec3 roughestPlace(const TopoDS_Shape& s) {
  TopoDS_Edge worst;
  for (TopExp_Explorer e(s, TopAbs_EDGE); e.More(); e.Next())
    if (const TopoDS_Edge edge = TopoDS::Edge(e.Current());
        worst.IsNull() || BRep_Tool::Tolerance(edge) > BRep_Tool::Tolerance(worst))
      worst = edge;
  return worst.IsNull() ? Vec3(Vec3::Zero()) : middleOf(worst);
}

} // namespace

Expected<void> checkValid(const TopoDS_Shape& s) {
  if (s.IsNull()) return fail(problem("LM-K002", "the result is empty").tryThis("change the inputs a little"));
  const BRepCheck_Analyzer check(s);
  if (check.IsValid()) return {};
  Problem bad =
      problem("LM-K002", "the result is not a valid body").tryThis("change the shape or the sizes at this place");
  for (TopExp_Explorer e(s, TopAbs_EDGE); e.More() && bad.where.empty(); e.Next())
    if (!check.IsValid(e.Current())) bad.at(middleOf(TopoDS::Edge(e.Current())));
  for (TopExp_Explorer f(s, TopAbs_FACE); f.More() && bad.where.empty(); f.Next())
    if (TopExp_Explorer e(f.Current(), TopAbs_EDGE); !check.IsValid(f.Current()) && e.More())
      bad.at(middleOf(TopoDS::Edge(e.Current())));
  return fail(std::move(bad));
}

double largestTolerance(const TopoDS_Shape& s) {
  double t = 0;
  for (TopExp_Explorer e(s, TopAbs_EDGE); e.More(); e.Next())
    t = std::max(t, BRep_Tool::Tolerance(TopoDS::Edge(e.Current())));
  for (TopExp_Explorer e(s, TopAbs_VERTEX); e.More(); e.Next())
    t = std::max(t, BRep_Tool::Tolerance(TopoDS::Vertex(e.Current())));
  return t;
}

bool meetsClosely(const TopoDS_Shape& s) {
  constexpr double kPart = 0.01;
  Bnd_Box box;
  BRepBndLib::AddClose(s, box);
  const double size = box.IsVoid() ? 0 : std::sqrt(box.SquareExtent());
  return largestTolerance(s) <= std::max(kNotedToleranceMm, kPart * size);
}

std::optional<NaturalFace> naturalOf(const TopoDS_Face& f) {
  const Handle(Geom_BSplineSurface) s = Handle(Geom_BSplineSurface)::DownCast(BRep_Tool::Surface(f));
  if (s.IsNull() || s->IsUPeriodic() || s->IsVPeriodic() || s->IsVClosed()) return {};
  double u0, u1, v0, v1, lowU, highU, lowV, highV;
  s->Bounds(u0, u1, v0, v1);
  BRepTools::UVBounds(f, lowU, highU, lowV, highV);
  const double nearU = 1e-6 * (u1 - u0), nearV = 1e-6 * (v1 - v0);
  if (std::abs(lowU - u0) + std::abs(highU - u1) > nearU || std::abs(lowV - v0) + std::abs(highV - v1) > nearV)
    return {};
  // Every edge runs along one side of the domain, and there is nothing inside.
  int edges = 0, wires = 0;
  for (TopExp_Explorer w(f, TopAbs_WIRE); w.More(); w.Next()) ++wires;
  for (TopExp_Explorer e(f, TopAbs_EDGE); e.More(); e.Next(), ++edges) {
    double a, b;
    const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(TopoDS::Edge(e.Current()), f, a, b);
    if (c.IsNull()) return {};
    bool sides[4] = {true, true, true, true};
    for (int k = 0; k <= 4; ++k) {
      const gp_Pnt2d p = c->Value(a + (b - a) * k / 4);
      sides[0] = sides[0] && std::abs(p.X() - u0) < nearU;
      sides[1] = sides[1] && std::abs(p.X() - u1) < nearU;
      sides[2] = sides[2] && std::abs(p.Y() - v0) < nearV;
      sides[3] = sides[3] && std::abs(p.Y() - v1) < nearV;
    }
    if (!sides[0] && !sides[1] && !sides[2] && !sides[3]) return {};
  }
  if (wires != 1 || edges < 3) return {};
  auto surface = toSurface(s, s->IsUClosed());
  if (!surface) return {};
  return NaturalFace{
      std::make_shared<const nurbs::Surface>(std::move(*surface)), f.Orientation() == TopAbs_REVERSED, {}};
}

std::array<Vec3, 8> boxCorners(const TopoDS_Shape& s) {
  Bnd_Box box;
  BRepBndLib::Add(s, box, false);
  std::array<Vec3, 8> out;
  if (box.IsVoid()) return out.fill(Vec3::Zero()), out;
  const Vec3 low = toVec(box.CornerMin()), high = toVec(box.CornerMax());
  for (size_t k = 0; k < 8; ++k) out[k] = {(k & 1 ? high : low).x(), (k & 2 ? high : low).y(), (k & 4 ? high : low).z()};
  return out;
}

Mass massOf(const TopoDS_Shape& s) {
  Bnd_Box box;
  BRepBndLib::Add(s, box, false);
  if (box.IsVoid()) return {};
  // Seen from its middle: else cones from far away cancel badly.
  return massOf(s, 0.5 * (toVec(box.CornerMin()) + toVec(box.CornerMax())));
}

Mass massOf(const TopoDS_Shape& s, const Vec3& from) {
  constexpr double kRelative = 1e-6; // where the kernel has to
  Mass out;
  for (TopExp_Explorer e(s, TopAbs_FACE); e.More(); e.Next()) {
    const nurbs::SurfaceIntegrals i = integralsOf(TopoDS::Face(e.Current()), from, 0, kRelative);
    out.areaMm2 += i.areaMm2;
    out.volumeMm3 += i.momentMm3;
  }
  return out;
}

Expected<TopoDS_Shape> checkedSolid(const TopoDS_Shape& shape) {
  TopoDS_Shape solid = shape;
  if (shape.ShapeType() == TopAbs_SHELL) solid = BRepBuilderAPI_MakeSolid(TopoDS::Shell(shape)).Solid();
  if (solid.IsNull() || solid.ShapeType() != TopAbs_SOLID)
    return fail(problem("LM-K003", "the faces do not close to one solid").tryThis("look at the openings"));
  TopTools_IndexedDataMapOfShapeListOfShape owners;
  TopExp::MapShapesAndAncestors(solid, TopAbs_EDGE, TopAbs_FACE, owners);
  Problem open = problem("LM-K003", "the body is not closed").tryThis("look at the openings");
  for (int i = 1; i <= owners.Extent(); ++i) {
    const TopoDS_Edge e = TopoDS::Edge(owners.FindKey(i));
    if (owners(i).Extent() >= 2 || BRep_Tool::Degenerated(e) || BRep_Tool::IsClosed(e, TopoDS::Face(owners(i).First())))
      continue;
    open.at(middleOf(e));
  }
  if (!open.where.empty()) return fail(open);
  const Mass mass = massOf(solid);
  if (mass.volumeMm3 < 0) solid.Reverse();
  LUMSK_CHECK(checkValid(solid));
  if (std::abs(mass.volumeMm3) < kThinnestMm * mass.areaMm2)
    return fail(problem("LM-K008", "the body has next to no volume: its faces lie on one another, or turn inside out")
                    .measure(millimetres(2 * std::abs(mass.volumeMm3) / mass.areaMm2))
                    .want(millimetres(2 * kThinnestMm))
                    .at(middleOf(TopoDS::Edge(TopExp_Explorer(solid, TopAbs_EDGE).Current())))
                    .tryThis("look at the directions and starts of what it is made from"));
  if (const double t = largestTolerance(solid); t > kRefusedToleranceMm)
    return fail(problem("LM-K004", "the faces meet too roughly")
                    .measure(millimetres(t))
                    .want(millimetres(kRefusedToleranceMm))
                    .at(roughestPlace(solid))
                    .tryThis("change the shape or the sizes at this place"));
  return solid;
}

Expected<BodyPtr> skinFromSurfaces(const std::vector<NamedSurface>& surfaces, const Context& cx) {
  return guarded("building a skin", [&]() -> Expected<BodyPtr> {
    auto body = std::make_shared<Body>();
    BRepBuilderAPI_Sewing sewing(cx.tolerances.point.mm);
    sewing.SetNonManifoldMode(false);
    TopoDS_Shell shell;
    BRep_Builder builder;
    builder.MakeShell(shell);
    std::vector<NamedFace> made;
    for (const NamedSurface& s : surfaces) {
      const auto exact =
          std::make_shared<const nurbs::Surface>(nurbs::withExactPoles(*s.surface, cx.tolerances.point));
      made.push_back({naturalFace(*exact, s.reversed, cx.tolerances.point), s.name,
                      NaturalFace{exact, s.reversed, s.sides, s.asked}});
      if (surfaces.size() > 1)
        sewing.Add(made.back().face);
      else
        builder.Add(shell, made.back().face);
    }
    if (surfaces.size() > 1) {
      Handle(KernelProgress) progress = new KernelProgress(cx);
      sewing.Perform(progress->Start());
      if (cx.stopped()) return fail(cancelled());
      body->shape = sewing.SewedShape();
    } else {
      body->shape = shell;
    }
    FaceHistory history;
    for (const NamedFace& f : made)
      if (surfaces.size() > 1)
        history.take(sewing, f);
      else
        history.keep(f);
    LUMSK_CHECK(checkValid(body->shape));
    history.finish(*body);
    return body;
  });
}

} // namespace lumsk::brep

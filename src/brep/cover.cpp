#include "brep/cover.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/skin.h"
#include "nurbs/on_skin/flat_cover.h"

#include <BRepAdaptor_Curve.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepLib.hxx>
#include <BRep_Builder.hxx>
#include <Geom2d_BSplineCurve.hxx>
#include <Geom_BSplineCurve.hxx>
#include <Geom_Plane.hxx>
#include <ShapeFix_Face.hxx>
#include <ShapeFix_Wire.hxx>
#include <TopExp.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Iterator.hxx>
#include <gp_Pln.hxx>

namespace lumsk::brep {

namespace {

constexpr int kPerEdge = 128;

class Coverer {
public:
  Coverer(const Ring& ring, const std::string& name, const std::vector<Ring>& holes, const Context& cx)
      : ring_(ring), name_(name), holes_(holes), cx_(cx) {}

  Expected<Covered> run() {
    const Points pts = pointsAlong(ring_, kPerEdge);
    if (!ring_.closed) {
      const BRepAdaptor_Curve a(ring_.edges.front()), b(ring_.edges.back());
      return fail(problem("LM-V001", "the edges do not form a closed ring")
                      .at(toVec(a.Value(a.FirstParameter())))
                      .at(toVec(b.Value(b.LastParameter())))
                      .tryThis("pick the missing edges"));
    }
    const nurbs::PlaneOfPoints plane = nurbs::fitPlane(pts);
    if (!plane.unique)
      return fail(problem("LM-V002", "the ring has no area").at(pts.row(0).transpose()).tryThis("pick another ring"));
    frame_ = plane.frame;
    LUMSK_CHECK(checkSeenOnce(pts));
    Covered out;
    out.heightMm = plane.deviationMm;
    out.planar = plane.deviationMm <= 2 * cx_.tolerances.point.mm;
    if (!holes_.empty() && !out.planar)
      return fail(problem("LM-V004", "a cover with openings has to be flat")
                      .measure(millimetres(plane.deviationMm))
                      .at(pts.row(0).transpose())
                      .tryThis("take profiles in one plane, or leave it a skin"));
    LUMSK_TRY(face, out.planar ? flat() : film(pts));
    out.face = {face, name_, {}};
    return out;
  }

private:
  /// Seen along its normal the ring must not cross itself, nor stand upright.
  Expected<void> checkSeenOnce(const Points& pts) const {
    Points flat(pts.rows(), 3);
    for (Eigen::Index i = 0; i < pts.rows(); ++i) {
      const Vec3 q = frame_.local(pts.row(i).transpose());
      flat.row(i) = frame_.at(q.x(), q.y()).transpose();
    }
    const Eigen::Index n = pts.rows();
    for (Eigen::Index i = 0; i < n; ++i) {
      const Vec3 a = flat.row(i).transpose(), b = flat.row((i + 1) % n).transpose();
      if ((b - a).norm() < 0.05 * (pts.row((i + 1) % n) - pts.row(i)).norm())
        return fail(problem("LM-V002", "the ring stands upright over its plane")
                        .at(pts.row(i).transpose())
                        .tryThis("cover it in two parts, or by a network of curves"));
    }
    // Crossings of non-neighbouring chords.
    for (Eigen::Index i = 0; i < n; ++i)
      for (Eigen::Index j = i + 2; j < n - (i == 0 ? 1 : 0); ++j) {
        const Vec3 a = frame_.local(flat.row(i).transpose()), b = frame_.local(flat.row((i + 1) % n).transpose()),
                   c = frame_.local(flat.row(j).transpose()), d = frame_.local(flat.row((j + 1) % n).transpose());
        const auto side = [](const Vec3& p, const Vec3& q, const Vec3& r) {
          return (q.x() - p.x()) * (r.y() - p.y()) - (q.y() - p.y()) * (r.x() - p.x());
        };
        if (side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0)
          return fail(problem("LM-V002", "the ring crosses itself, seen square to its plane")
                          .at(pts.row(i).transpose())
                          .tryThis("cover it in two parts, or by a network of curves"));
      }
    return {};
  }

  /// Copies of the edges, end to end.
  TopoDS_Wire wire() const { return wireOf(ring_); }
  static TopoDS_Wire wireOf(const Ring& ring) {
    BRepBuilderAPI_MakeWire w;
    for (const TopoDS_Edge& e : copiesOf(ring)) w.Add(e);
    return w.Wire();
  }

  Expected<TopoDS_Face> flat() const {
    const Vec3 n = frame_.normal();
    BRepBuilderAPI_MakeFace face(gp_Pln(toPnt(frame_.origin), gp_Dir(n.x(), n.y(), n.z())), wire(), true);
    if (!face.IsDone())
      return fail(problem("LM-V001", "the ring does not close").at(frame_.origin).tryThis("pick all its edges"));
    for (const Ring& hole : holes_) face.Add(wireOf(hole));
    TopoDS_Face f = face.Face();
    if (!holes_.empty()) {
      ShapeFix_Face fix(f); // openings run the other way round
      fix.FixOrientation();
      f = fix.Face();
    }
    BRepLib::SameParameter(f, 1e-7);
    BRepLib::UpdateTolerances(f);
    return f;
  }

  Expected<TopoDS_Face> film(const Points& pts) const {
    LUMSK_TRY(made, nurbs::flatCover(pts, frame_, cx_));
    TopoDS_Face face;
    BRep_Builder builder;
    builder.MakeFace(face, toSurface(made.surface), 1e-7);
    const double tol = std::max(made.deviationMm * 1.5, 1e-6);
    TopoDS_Wire w = wire();
    for (TopoDS_Iterator it(w); it.More(); it.Next()) {
      const TopoDS_Edge e = TopoDS::Edge(it.Value());
      double a, b;
      const Handle(Geom_Curve) c = BRep_Tool::Curve(e, a, b);
      builder.UpdateEdge(e, flatCurve(c, a, b), face, tol);
      builder.Range(e, face, a, b);
    }
    builder.Add(face, w);
    ShapeFix_Face fix(face);
    fix.FixOrientation();
    TopoDS_Face out = fix.Face();
    BRepLib::SameParameter(out, 1e-7);
    return out;
  }

  /// The curve seen from above as a parameter curve: exact, since x and y are the surface's parameters.
  Handle(Geom2d_Curve) flatCurve(const Handle(Geom_Curve) & c, double a, double b) const {
    const Handle(Geom_BSplineCurve) s = toSplineCurve(c, a, b);
    TColgp_Array1OfPnt2d poles(1, s->NbPoles());
    for (int i = 1; i <= s->NbPoles(); ++i) {
      const Vec3 q = frame_.local(toVec(s->Pole(i)));
      poles(i) = gp_Pnt2d(q.x(), q.y());
    }
    TColStd_Array1OfReal knots(1, s->NbKnots()), weights(1, s->NbPoles());
    TColStd_Array1OfInteger times(1, s->NbKnots());
    s->Knots(knots);
    s->Multiplicities(times);
    s->Weights(weights);
    return new Geom2d_BSplineCurve(poles, weights, knots, times, s->Degree());
  }

  const Ring& ring_;
  const std::string& name_;
  const std::vector<Ring>& holes_;
  const Context& cx_;
  Frame frame_;
};

} // namespace

Expected<Covered> cover(const Ring& ring, const std::string& name, const Context& cx, const std::vector<Ring>& holes) {
  return guarded("covering", [&] { return Coverer(ring, name, holes, cx).run(); });
}

} // namespace lumsk::brep

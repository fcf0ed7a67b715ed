#include "brep/knit.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/rings.h"
#include "brep/sewn_edges.h"
#include "brep/skin.h"
#include "nurbs/measure/closest.h"

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepClass_FaceClassifier.hxx>
#include <BRepExtrema_DistShapeShape.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <GeomAPI_ProjectPointOnCurve.hxx>
#include <GeomAPI_ProjectPointOnSurf.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopoDS.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

constexpr double kNearMiss = 0.01; ///< of the size: open edges nearer than this to another are named

/// Whether all of one edge lies near another: then the pair was counted from there.
bool alongOther(const TopoDS_Edge& e, const TopoDS_Edge& f, double reach) {
  const BRepAdaptor_Curve c(e);
  double a, z;
  const Handle(Geom_Curve) other = BRep_Tool::Curve(f, a, z);
  for (int k = 1; k < 8; ++k) {
    GeomAPI_ProjectPointOnCurve q(c.Value(c.FirstParameter() + (c.LastParameter() - c.FirstParameter()) * k / 8),
                                  other, a, z);
    if (q.NbPoints() == 0 || q.LowerDistance() >= reach) return false;
  }
  return true;
}

class Knitter {
public:
  Knitter(const std::vector<NamedFace>& faces, double gap, bool solid, bool overlaps, const Context& cx)
      : faces_(faces), gap_(gap), solid_(solid), overlaps_(overlaps), cx_(cx) {}

  Expected<Knitted> run() {
    if (overlaps_) LUMSK_CHECK(checkOverlap());
    BRepBuilderAPI_Sewing sewing(gap_);
    sewing.SetNonManifoldMode(true); // else a third face along an edge would be left out in silence
    sewing.SetMinTolerance(1e-7);
    for (const NamedFace& f : faces_) sewing.Add(f.face);
    Handle(KernelProgress) progress = new KernelProgress(cx_);
    sewing.Perform(progress->Start());
    if (cx_.stopped()) return fail(cancelled());
    mendImages(sewing.SewedShape(), gap_);
    FaceHistory history;
    std::vector<TopoDS_Face> sewn;
    for (const NamedFace& f : faces_) sewn.push_back(history.take(sewing, f));
    LUMSK_TRY(shape, onePiece(sewn));
    auto body = std::make_shared<Body>();
    body->shape = shape;
    history.finish(*body);
    Knitted out;
    Bnd_Box box;
    BRepBndLib::Add(body->shape, box);
    out.nearMisses = nearMisses(openEdges(body->shape), kNearMiss * std::sqrt(box.SquareExtent()), cx_);
    out.body = std::move(body);
    return out;
  }

private:
  /// One shell of the sewn faces with agreeing orientations; a solid when it is closed.
  Expected<TopoDS_Shape> onePiece(const std::vector<TopoDS_Face>& sewn) {
    TopTools_IndexedDataMapOfShapeListOfShape owners;
    for (const TopoDS_Face& f : sewn) TopExp::MapShapesAndAncestors(f, TopAbs_EDGE, TopAbs_FACE, owners);
    Problem many = problem("LM-B001", "more than two faces meet along an edge")
                       .tryThis("take out the faces that lie inside, or trim them");
    for (int i = 1; i <= owners.Extent(); ++i)
      if (owners(i).Extent() > 2) many.at(middleOf(TopoDS::Edge(owners.FindKey(i))));
    if (!many.where.empty()) return fail(std::move(many));

    // Walk from face to face, turning those over that run along a shared edge in the same direction.
    std::vector<TopoDS_Face> ordered;
    TopTools_IndexedMapOfShape seen;
    bool open = false;
    for (std::vector<TopoDS_Face> queue{sewn[0]}; !queue.empty();) {
      const TopoDS_Face f = queue.back();
      queue.pop_back();
      if (seen.Contains(f)) continue;
      seen.Add(f);
      ordered.push_back(f);
      for (TopExp_Explorer e(f, TopAbs_EDGE); e.More(); e.Next()) {
        const TopoDS_Edge edge = TopoDS::Edge(e.Current());
        if (BRep_Tool::Degenerated(edge) || BRep_Tool::IsClosed(edge, f)) continue;
        const auto& around = owners.FindFromKey(edge);
        if (around.Extent() < 2) open = true;
        for (const TopoDS_Shape& other : around) {
          if (other.IsSame(f) || seen.Contains(other)) continue;
          TopoDS_Face g = TopoDS::Face(other.Oriented(TopAbs_FORWARD));
          for (TopExp_Explorer x(g, TopAbs_EDGE); x.More(); x.Next())
            if (x.Current().IsSame(edge) && x.Current().Orientation() == edge.Orientation()) {
              g.Reverse();
              break;
            }
          queue.push_back(g);
        }
      }
    }
    if (seen.Extent() < int(sewn.size())) {
      for (int i = 1; i <= owners.Extent(); ++i)
        if (owners(i).Extent() == 2 && leftOutAlong(TopoDS::Edge(owners.FindKey(i)), sewn, seen))
          many.at(middleOf(TopoDS::Edge(owners.FindKey(i))));
      return fail(many.where.empty() ? apart(sewn, seen) : many);
    }
    TopoDS_Shell shell;
    BRep_Builder builder;
    builder.MakeShell(shell);
    for (const TopoDS_Face& f : ordered) builder.Add(shell, f);
    if (!open) {
      shell.Closed(true);
      LUMSK_TRY(made, checkedSolid(shell));
      return solid_ ? made : TopExp_Explorer(made, TopAbs_SHELL).Current(); // its faces look outwards
    }
    LUMSK_CHECK(checkValid(shell));
    return TopoDS_Shape(shell);
  }

  /// Whether a face that was not reached has an edge along this one.
  bool leftOutAlong(const TopoDS_Edge& edge, const std::vector<TopoDS_Face>& sewn,
                    const TopTools_IndexedMapOfShape& reached) const {
    for (const TopoDS_Face& f : sewn) {
      if (reached.Contains(f)) continue;
      for (TopExp_Explorer e(f, TopAbs_EDGE); e.More(); e.Next())
        if (const TopoDS_Edge other = TopoDS::Edge(e.Current());
            !BRep_Tool::Degenerated(other) && !other.IsSame(edge) && alongOther(other, edge, gap_))
          return true;
    }
    return false;
  }

  /// The problem of faces that were not reached: where they come nearest to the others, and how near.
  Problem apart(const std::vector<TopoDS_Face>& sewn, const TopTools_IndexedMapOfShape& reached) const {
    Problem p = problem("LM-B002", "").tryThis("bring them together, extend them, or allow a larger gap");
    double nearest = 1e300;
    Vec3 at = Vec3::Zero();
    TopoDS_Shape rest;
    for (const TopoDS_Face& f : sewn) {
      if (reached.Contains(f)) continue;
      for (int i = 1; i <= reached.Extent(); ++i) {
        BRepExtrema_DistShapeShape d(f, reached(i));
        if (d.IsDone() && d.NbSolution() > 0 && d.Value() < nearest)
          nearest = d.Value(), at = toVec(d.PointOnShape1(1));
      }
    }
    p.what = nearest < gap_ ? "skins touch, but not along their edges" : "skins do not meet within the largest gap";
    return p.measure(millimetres(nearest)).want(millimetres(gap_)).at(at).inField("gap");
  }

  /// Points inside each face must not lie on another face.
  Expected<void> checkOverlap() const {
    std::vector<Bnd_Box> boxes(faces_.size());
    for (size_t i = 0; i < faces_.size(); ++i) {
      BRepBndLib::Add(faces_[i].face, boxes[i]);
      boxes[i].Enlarge(gap_);
    }
    for (size_t i = 0; i < faces_.size(); ++i) {
      const TopoDS_Face& f = faces_[i].face;
      double u0, u1, v0, v1;
      BRepTools::UVBounds(f, u0, u1, v0, v1);
      const BRepAdaptor_Surface s(f);
      for (double a : {0.31, 0.52, 0.73})
        for (double b : {0.29, 0.53, 0.71}) {
          const gp_Pnt2d uv(u0 + a * (u1 - u0), v0 + b * (v1 - v0));
          if (!faces_[i].natural && BRepClass_FaceClassifier(f, uv, 1e-7).State() != TopAbs_IN) continue;
          const gp_Pnt p = s.Value(uv.X(), uv.Y());
          for (size_t j = 0; j < faces_.size(); ++j)
            if (j != i && !boxes[j].IsOut(p) && liesOn(faces_[j], p))
              return fail(problem("LM-B003", "faces lie on one another")
                              .at(toVec(p))
                              .tryThis("take one of them out, or trim the part that lies on the other"));
        }
    }
    return {};
  }

  bool liesOn(const NamedFace& f, const gp_Pnt& p) const {
    if (f.natural) {
      const nurbs::Surface& s = *f.natural->surface;
      const auto c = nurbs::closestPoint(s, toVec(p));
      const auto inside = [](double x, double a, double b) { return x > a + 1e-6 * (b - a) && x < b - 1e-6 * (b - a); };
      return c.distanceMm <= gap_ && inside(c.v, s.firstV(), s.lastV()) &&
             (s.closedU() || inside(c.u, s.firstU(), s.lastU()));
    }
    const GeomAPI_ProjectPointOnSurf q(p, BRep_Tool::Surface(f.face));
    if (q.NbPoints() == 0 || q.LowerDistance() > gap_) return false;
    double u, v;
    q.LowerDistanceParameters(u, v);
    return BRepClass_FaceClassifier(f.face, gp_Pnt2d(u, v), 1e-6).State() == TopAbs_IN;
  }

  const std::vector<NamedFace>& faces_;
  double gap_;
  bool solid_, overlaps_;
  const Context& cx_;
};

} // namespace

std::vector<NearMiss> nearMisses(const std::vector<TopoDS_Edge>& open, double reach, const Context& cx) {
  std::vector<NearMiss> out;
  std::vector<Bnd_Box> boxes(open.size());
  for (size_t i = 0; i < open.size(); ++i) {
    BRepBndLib::Add(open[i], boxes[i]);
    boxes[i].Enlarge(0.5 * reach);
  }
  for (size_t i = 0; i < open.size() && !cx.stopped(); ++i)
    for (size_t j = 0; j < open.size(); ++j) {
      if (i == j || boxes[i].IsOut(boxes[j])) continue;
      const BRepAdaptor_Curve c(open[i]);
      double a, z;
      const Handle(Geom_Curve) other = BRep_Tool::Curve(open[j], a, z);
      NearMiss m;
      bool along = true;
      for (int k = 1; k < 8 && along; ++k) {
        const gp_Pnt p = c.Value(c.FirstParameter() + (c.LastParameter() - c.FirstParameter()) * k / 8);
        GeomAPI_ProjectPointOnCurve q(p, other, a, z);
        along = q.NbPoints() > 0 && q.LowerDistance() < reach;
        if (along && q.LowerDistance() >= m.gapMm) m = {toVec(p), q.LowerDistance()};
      }
      if (along && (i < j || !alongOther(open[j], open[i], reach))) out.push_back(m);
    }
  std::sort(out.begin(), out.end(), [](const NearMiss& x, const NearMiss& y) { return x.gapMm > y.gapMm; });
  return out;
}

Expected<Knitted> knitFaces(const std::vector<NamedFace>& faces, LengthTolerance gap, const Context& cx, bool solid, bool overlaps) {
  if (faces.empty()) return fail(problem("LM-K002", "there is nothing to knit").tryThis("pick skins"));
  return guarded("knitting", [&] { return Knitter(faces, gap.mm, solid, overlaps, cx).run(); });
}

Expected<Knitted> withSurfaces(const Body& body, const OtherSplines& changed, const Context& cx) {
  std::vector<NamedFace> all = namedFaces(body);
  if (all.size() == 1 && changed.size() == 1) {
    NaturalFace was = all[0].natural.value_or(NaturalFace{});
    const OtherSpline& now = changed.begin()->second;
    for (const auto& [side, meets] : now.asked) was.asked[size_t(side)] = meets;
    LUMSK_TRY(skin, skinFromSurfaces({{now.surface, all[0].name, was.reversed, was.sides, was.asked}}, cx));
    return Knitted{skin, {}};
  }
  for (const auto& [face, now] : changed) {
    NamedFace& f = all[size_t(face)];
    NaturalFace n = onSurface(f.natural.value_or(NaturalFace{}), std::make_shared<const nurbs::Surface>(nurbs::withExactPoles(
                                                                     *now.surface, cx.tolerances.point)));
    for (const auto& [side, meets] : now.asked) n.asked[size_t(side)] = meets;
    f.face = naturalFace(*n.surface, n.reversed, cx.tolerances.point);
    f.natural = std::move(n);
  }
  return knitFaces(all, {10 * cx.tolerances.point.mm}, cx);
}

} // namespace lumsk::brep

#include "brep/thicken.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/names.h"
#include "brep/skin.h"
#include "nurbs/closest.h"
#include "nurbs/offset.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepLib.hxx>
#include <GeomFill.hxx>
#include <Geom_BSplineCurve.hxx>
#include <Geom_Plane.hxx>
#include <ShapeFix_Face.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopoDS.hxx>
#include <gp_Pln.hxx>

#include <array>

namespace lumsk::brep {

namespace {

using nurbs::Side;
using nurbs::Surface;

const char* sideName(int k) {
  return k == nurbs::FirstU ? "left" : k == nurbs::LastU ? "right" : k == nurbs::FirstV ? "start" : "end";
}

nurbs::Spline border(const Surface& s, int k) {
  switch (k) {
  case nurbs::FirstU: return s.isoU(s.firstU());
  case nurbs::LastU: return s.isoU(s.lastU());
  case nurbs::FirstV: return s.isoV(s.firstV());
  default: return s.isoV(s.lastV());
  }
}

/// One face of the skin with what its four sides are.
struct Part {
  std::string name;
  std::shared_ptr<const Surface> surface;
  bool reversed = false;
  std::array<bool, 4> open{};                 ///< side is a rim
  std::array<std::optional<Frame>, 4> plane;  ///< plane of an open side, if it has one
  std::shared_ptr<const Surface> front, back; ///< of the solid
};

class Thickener {
public:
  Thickener(const Body& skin, const ThickenOptions& o, const Context& cx) : skin_(skin), o_(o), cx_(cx) {}

  Expected<Thickened> run() {
    LUMSK_CHECK(collect());
    const double t = o_.thicknessMm;
    const double front = o_.side == ThickenSide::Inward ? 0 : o_.side == ThickenSide::Outward ? t : t / 2;
    const double back = front - t;
    for (size_t i = 0; i < parts_.size(); ++i) {
      if (cx_.stopped()) return fail(cancelled());
      cx_.report(double(i) / parts_.size(), "offsetting");
      Part& p = parts_[i];
      LUMSK_TRY(f, offset(p, front));
      LUMSK_TRY(b, offset(p, back));
      p.front = f;
      p.back = b;
    }
    LUMSK_CHECK(checkClearance(front));
    LUMSK_CHECK(checkClearance(back));
    cx_.report(0.8, "closing the rims");
    return assemble();
  }

private:
  Expected<void> collect() {
    const double t = o_.thicknessMm;
    if (!(t > cx_.tolerances.point.mm * 5) || t > 1000)
      return fail(problem("LM-T004", "the thickness is out of range")
                      .measure(millimetres(t))
                      .inField("thickness")
                      .tryThis("take more than 0.005 mm"));
    if (skin_.solid()) return fail(problem("LM-T004", "this body is a solid already").tryThis("pick a skin"));
    TopTools_IndexedDataMapOfShapeListOfShape owners;
    TopExp::MapShapesAndAncestors(skin_.shape, TopAbs_EDGE, TopAbs_FACE, owners);
    const auto allFaces = faces(skin_);
    for (size_t i = 0; i < allFaces.size(); ++i) {
      const auto natural = skin_.natural.find(skin_.faceNames[i]);
      if (natural == skin_.natural.end())
        return fail(problem("LM-T004", "a face of this skin is trimmed; only whole faces can be thickened")
                        .tryThis("thicken before trimming"));
      Part p;
      p.name = skin_.faceNames[i];
      p.surface = natural->second.surface;
      p.reversed = natural->second.reversed;
      const Surface& s = *p.surface;
      for (int k = 0; k < 4; ++k) {
        if (s.closedU() && (k == nurbs::FirstU || k == nurbs::LastU)) continue;
        if (k == nurbs::FirstV && s.poleAtFirstV(cx_.tolerances.point)) continue;
        if (k == nurbs::LastV && s.poleAtLastV(cx_.tolerances.point)) continue;
        p.open[k] = !shared(allFaces[i], border(s, k), owners);
        if (p.open[k]) p.plane[k] = planeOf(border(s, k));
      }
      parts_.push_back(std::move(p));
    }
    return checkKinks(owners);
  }

  /// True when the side's edge belongs to two faces.
  static bool shared(const TopoDS_Face& f, const nurbs::Spline& c,
                     const TopTools_IndexedDataMapOfShapeListOfShape& owners) {
    const Vec3 middle = c.at(0.5 * (c.first() + c.last()));
    int best = -1;
    double nearest = 1e300;
    for (int i = 1; i <= owners.Extent(); ++i) {
      bool mine = false;
      for (const TopoDS_Shape& g : owners(i)) mine = mine || g.IsSame(f);
      const TopoDS_Edge e = TopoDS::Edge(owners.FindKey(i));
      double a, b;
      const Handle(Geom_Curve) g = BRep_Tool::Curve(e, a, b);
      if (!mine || g.IsNull()) continue;
      const double d = (toVec(g->Value(0.5 * (a + b))) - middle).norm();
      if (d < nearest) nearest = d, best = i;
    }
    return best > 0 && owners(best).Extent() > 1;
  }

  std::optional<Frame> planeOf(const nurbs::Spline& c) const {
    Points pts(65, 3);
    for (int i = 0; i <= 64; ++i) pts.row(i) = c.at(c.first() + (c.last() - c.first()) * i / 64).transpose();
    const nurbs::PlaneOfPoints plane = nurbs::fitPlane(pts);
    if (!plane.unique || plane.deviationMm > 2 * cx_.tolerances.point.mm) return {};
    return plane.frame;
  }

  Expected<void> checkKinks(const TopTools_IndexedDataMapOfShapeListOfShape& owners) const {
    double worst = 0;
    Vec3 at = Vec3::Zero();
    for (int i = 1; i <= owners.Extent(); ++i) {
      if (owners(i).Extent() != 2) continue;
      double a, b;
      const Handle(Geom_Curve) c = BRep_Tool::Curve(TopoDS::Edge(owners.FindKey(i)), a, b);
      if (c.IsNull()) continue;
      for (int k = 1; k < 16; ++k) {
        const Vec3 p = toVec(c->Value(a + (b - a) * k / 16));
        Vec3 n[2];
        int j = 0;
        for (const TopoDS_Shape& f : owners(i)) n[j++] = frontNormal(partOf(TopoDS::Face(f)), p);
        if (const double turn = degFromRad(angleBetweenRad(n[0], n[1])); turn > worst) worst = turn, at = p;
      }
    }
    if (worst > cx_.tolerances.angle.deg * 10)
      return fail(problem("LM-T003", "the skin has a kink; only smooth skins can be thickened")
                      .measure(degrees(worst))
                      .want(degrees(cx_.tolerances.angle.deg * 10))
                      .at(at)
                      .tryThis("round the corners of the sections"));
    return {};
  }

  const Part& partOf(const TopoDS_Face& f) const {
    const auto all = faces(skin_);
    for (size_t i = 0; i < all.size(); ++i)
      if (all[i].IsSame(f)) return parts_[i];
    return parts_.front();
  }

  static Vec3 frontNormal(const Part& p, const Vec3& near) {
    const auto c = nurbs::closestPoint(*p.surface, near);
    return p.surface->normal(c.u, c.v) * (p.reversed ? -1.0 : 1.0);
  }

  Expected<std::shared_ptr<const Surface>> offset(Part& p, double distance) {
    if (distance == 0.0) return p.surface;
    nurbs::OffsetOptions off;
    off.distanceMm = p.reversed ? -distance : distance;
    off.flat = p.plane;
    auto r = nurbs::offsetSurface(*p.surface, off, cx_);
    if (!r && r.error().code == "LM-T002") {
      // The rim lies almost in its plane there: a flat rim would need an endless extension.
      out_.notes.push_back(
          problem("LM-T102", "the rim follows the normal: the skin meets its plane at too flat an angle")
              .at(r.error().where.front()));
      p.plane.fill(std::nullopt);
      off.flat = p.plane;
      r = nurbs::offsetSurface(*p.surface, off, cx_);
    }
    if (!r) return fail(std::move(r.error().inField("thickness")));
    out_.deviationMm = std::max(out_.deviationMm, r->deviationMm);
    out_.tightestRadiusMm =
        std::min(out_.tightestRadiusMm, nurbs::tightestRadius(*p.surface, off.distanceMm > 0).radiusMm);
    return std::make_shared<const Surface>(r->surface);
  }

  /// The offset must not come nearer to any part of the skin than its distance: else walls cross.
  Expected<void> checkClearance(double distance) const {
    if (distance == 0.0) return {};
    std::vector<Vec3> skin;
    for (const Part& p : parts_)
      for (int i = 0; i <= 60; ++i)
        for (int j = 0; j <= 40; ++j) skin.push_back(p.surface->at(i / 60.0, j / 40.0));
    for (const Part& p : parts_) {
      const Surface& s = distance > 0 ? *p.front : *p.back;
      for (int i = 0; i < 24; ++i)
        for (int j = 1; j < 16; ++j) {
          const Vec3 q = s.at(i / 24.0, j / 16.0);
          double nearest = 1e300;
          for (const Vec3& k : skin) nearest = std::min(nearest, (k - q).squaredNorm());
          if (std::sqrt(nearest) > 0.97 * std::abs(distance)) continue;
          for (const Part& other : parts_)
            if (const auto c = nurbs::closestPoint(*other.surface, q); c.distanceMm < 0.995 * std::abs(distance))
              return fail(problem("LM-T005", "the wall runs into another part of the skin")
                              .measure(millimetres(c.distanceMm))
                              .want(millimetres(std::abs(distance)))
                              .at(c.point)
                              .inField("thickness")
                              .tryThis("take a smaller thickness"));
        }
    }
    return {};
  }

  /// Face between the front's and the back's border on side k.
  Expected<TopoDS_Face> rim(const Part& p, int k) const {
    const nurbs::Spline a = border(*p.front, k), b = border(*p.back, k);
    const auto ca = Handle(Geom_BSplineCurve)::DownCast(toCurve(a)),
               cb = Handle(Geom_BSplineCurve)::DownCast(toCurve(b));
    const bool ring = p.surface->closedU() && (k == nurbs::FirstV || k == nurbs::LastV);
    if (!p.plane[k]) return BRepBuilderAPI_MakeFace(GeomFill::Surface(ca, cb), cx_.tolerances.point.mm * 1e-2).Face();
    const Frame& f = *p.plane[k];
    const Vec3 n = f.normal();
    const gp_Pln plane(toPnt(f.origin), gp_Dir(n.x(), n.y(), n.z()));
    if (ring) {
      // The longer ring is the outer one.
      const auto length = [](const nurbs::Spline& c) {
        const auto& P = c.points();
        return (P.bottomRows(P.rows() - 1) - P.topRows(P.rows() - 1)).rowwise().norm().sum();
      };
      const bool aOutside = length(a) > length(b);
      const TopoDS_Wire outer = BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(aOutside ? ca : cb).Edge()).Wire();
      const TopoDS_Wire inner = BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(aOutside ? cb : ca).Edge()).Wire();
      BRepBuilderAPI_MakeFace face(plane, outer, true);
      face.Add(inner);
      ShapeFix_Face fix(face.Face());
      fix.FixOrientation();
      return fix.Face();
    }
    BRepBuilderAPI_MakeWire wire;
    wire.Add(BRepBuilderAPI_MakeEdge(ca).Edge());
    wire.Add(BRepBuilderAPI_MakeEdge(ca->EndPoint(), cb->EndPoint()).Edge());
    wire.Add(TopoDS::Edge(BRepBuilderAPI_MakeEdge(cb).Edge().Reversed()));
    wire.Add(BRepBuilderAPI_MakeEdge(cb->StartPoint(), ca->StartPoint()).Edge());
    return BRepBuilderAPI_MakeFace(plane, wire.Wire(), true).Face();
  }

  Expected<Thickened> assemble() {
    auto body = std::make_shared<Body>();
    struct Made {
      TopoDS_Face face;
      std::string name;
    };
    std::vector<Made> made;
    const auto add = [&](const std::shared_ptr<const Surface>& s, bool reversed, const char* role,
                         const std::string& source) {
      made.push_back({naturalFace(*s, reversed, cx_.tolerances.point), faceName(o_.step, role, source)});
      body->natural[made.back().name] = {s, reversed};
    };
    for (const Part& p : parts_) {
      add(p.front, p.reversed, "front", p.name);
      add(p.back, !p.reversed, "back", p.name);
      for (int k = 0; k < 4; ++k) {
        if (!p.open[k]) continue;
        LUMSK_TRY(face, rim(p, k));
        made.push_back({face, faceName(o_.step, "rim", p.name + "|" + sideName(k))});
      }
    }
    BRepBuilderAPI_Sewing sewing(2 * cx_.tolerances.point.mm);
    sewing.SetNonManifoldMode(false);
    for (const Made& m : made) sewing.Add(m.face);
    Handle(KernelProgress) progress = new KernelProgress(cx_);
    sewing.Perform(progress->Start());
    if (cx_.stopped()) return fail(cancelled());
    LUMSK_TRY(solid, checkedSolid(sewing.SewedShape()));
    body->shape = solid;
    if (const double t = largestTolerance(solid); t > kNotedToleranceMm)
      out_.notes.push_back(problem("LM-K101", "the faces of the wall meet roughly")
                               .measure(millimetres(t))
                               .want(millimetres(kNotedToleranceMm)));
    FaceNames names;
    for (const Made& m : made)
      names.Bind(sewing.IsModified(m.face) ? sewing.Modified(m.face) : TopoDS_Shape(m.face), m.name);
    nameBody(*body, names);
    // Sewing may turn faces over, and the solid as a whole may have been turned: read it from the result.
    const auto all = faces(*body);
    for (size_t i = 0; i < all.size(); ++i)
      if (const auto it = body->natural.find(body->faceNames[i]); it != body->natural.end())
        it->second.reversed = all[i].Orientation() == TopAbs_REVERSED;
    out_.body = body;
    return std::move(out_);
  }

  const Body& skin_;
  const ThickenOptions& o_;
  const Context& cx_;
  std::vector<Part> parts_;
  Thickened out_;
};

} // namespace

Expected<Thickened> thicken(const Body& skin, const ThickenOptions& options, const Context& cx) {
  return guarded("thickening", [&] { return Thickener(skin, options, cx).run(); });
}

} // namespace lumsk::brep

#include "inspect/measure.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "inspect/combs.h"
#include "inspect/face_measure.h"
#include "inspect/face_surface.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/surface_measure.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeVertex.hxx>
#include <BRepExtrema_DistShapeShape.hxx>
#include <BRepTools.hxx>
#include <gp_Pln.hxx>

#include <algorithm>

namespace lumsk::inspect {

namespace {

constexpr double kPlaneReachMm = 1e5; ///< a plane without end is cut off here for the kernel

TopoDS_Shape shapeOf(const Thing& t) {
  if (t.point) return BRepBuilderAPI_MakeVertex(brep::toPnt(*t.point)).Shape();
  if (t.curve) return brep::toWire(*t.curve);
  if (t.plane) {
    const Vec3 n = t.plane->normal();
    return BRepBuilderAPI_MakeFace(gp_Pln(brep::toPnt(t.plane->origin), gp_Dir(n.x(), n.y(), n.z())), -kPlaneReachMm,
                                   kPlaneReachMm, -kPlaneReachMm, kPlaneReachMm)
        .Shape();
  }
  return t.face < 0 ? t.body->shape : TopoDS_Shape(brep::faces(*t.body)[size_t(t.face)]);
}

/// Direction of a straight curve, or normal of a flat thing.
struct Aim {
  Vec3 direction;
  bool flat = false;
};

std::optional<Aim> aimOf(const Thing& t, const Tolerances& tol) {
  if (t.plane) return Aim{t.plane->normal(), true};
  if (t.curve) {
    const Vec3 chord = t.curve->end() - t.curve->start();
    if (chord.norm() < tol.point.mm) return {};
    const Points p = nurbs::polyline(*t.curve, 32);
    const Vec3 d = chord.normalized();
    for (Eigen::Index i = 0; i < p.rows(); ++i) {
      const Vec3 r = p.row(i).transpose() - t.curve->start();
      if ((r - r.dot(d) * d).norm() > tol.point.mm) return {};
    }
    return Aim{d, false};
  }
  if (!t.body || t.face < 0) return {};
  const FaceSurface s(*t.body, t.face);
  double u0, u1, v0, v1;
  BRepTools::UVBounds(brep::faces(*t.body)[size_t(t.face)], u0, u1, v0, v1);
  const auto at = [&](double a, double b) { return Vec2(u0 + a * (u1 - u0), v0 + b * (v1 - v0)); };
  const Vec3 n = s.outward(at(0.5, 0.5)), o = s.first(at(0.5, 0.5)).at;
  for (double a : {0.0, 0.25, 0.5, 0.75, 1.0})
    for (double b : {0.0, 0.25, 0.5, 0.75, 1.0})
      if (std::abs((s.first(at(a, b)).at - o).dot(n)) > tol.point.mm) return {};
  return Aim{n, true};
}

Radius tightestOf(const nurbs::Path& c) {
  if (c.segments().size() == 1)
    if (const auto* arc = std::get_if<nurbs::EllipseArc>(&c.segments()[0]); arc && arc->circular())
      return {arc->u.norm(), false, c.start()};
  const Comb comb = inspect::comb(c, 200, 1.0);
  return {comb.smallestRadiusMm, true, comb.largestAt};
}

Expected<Radius> radiusOfFace(const Thing& t) {
  const TopoDS_Face f = brep::faces(*t.body)[size_t(t.face)];
  const BRepAdaptor_Surface kind(f);
  if (kind.GetType() == GeomAbs_Cylinder)
    return Radius{kind.Cylinder().Radius(), false,
                  brep::toVec(kind.Value(kind.FirstUParameter(), kind.FirstVParameter()))};
  if (kind.GetType() == GeomAbs_Sphere)
    return Radius{kind.Sphere().Radius(), false, brep::toVec(kind.Value(kind.FirstUParameter(), 0))};
  const FaceSurface s(*t.body, t.face);
  double u0, u1, v0, v1;
  BRepTools::UVBounds(f, u0, u1, v0, v1);
  const auto tightness = [&](double u, double v) { return 1.0 / s.at({u, v}).smallestRadiusMm(); };
  if (const auto natural = t.body->natural.find(t.body->faceNames[size_t(t.face)]); natural != t.body->natural.end()) {
    const auto most = nurbs::largestOn(*natural->second.surface, 3, 3, tightness);
    return Radius{1 / most.value, true, s.first({most.u, most.v}).at};
  }
  constexpr int kGrid = 60;
  Radius best{1e300, true, Vec3::Zero()};
  for (int i = 0; i <= kGrid; ++i)
    for (int j = 0; j <= kGrid; ++j) {
      const Vec2 uv(u0 + (u1 - u0) * i / kGrid, v0 + (v1 - v0) * j / kGrid);
      const double r = s.at(uv).smallestRadiusMm();
      if (r < best.mm) best = {r, true, s.first(uv).at};
    }
  return best;
}

} // namespace

Expected<Nearness> distanceBetween(const Thing& a, const Thing& b, const Context& cx) {
  return brep::guarded("measuring a distance", [&]() -> Expected<Nearness> {
    if (a.point && b.point) return Nearness{(*a.point - *b.point).norm(), *a.point, *b.point};
    Handle(brep::KernelProgress) progress = new brep::KernelProgress(cx);
    BRepExtrema_DistShapeShape d;
    d.LoadS1(shapeOf(a));
    d.LoadS2(shapeOf(b));
    d.Perform(progress->Start());
    if (cx.stopped()) return fail(cancelled());
    if (!d.IsDone() || d.NbSolution() < 1)
      return fail(problem("LM-K001", "the distance could not be measured").tryThis("pick a part of it"));
    return Nearness{d.Value(), brep::toVec(d.PointOnShape1(1)), brep::toVec(d.PointOnShape2(1))};
  });
}

Expected<double> angleBetween(const Thing& a, const Thing& b, const Tolerances& tol) {
  return brep::guarded("measuring an angle", [&]() -> Expected<double> {
    const auto p = aimOf(a, tol), q = aimOf(b, tol);
    if (!p || !q)
      return fail(problem("LM-Q012", std::string(p ? "the second" : "the first") + " is neither straight nor flat")
                      .tryThis("pick straight curves or edges, planes or flat faces"));
    const double between = degFromRad(angleBetweenRad(p->direction, q->direction));
    const double acute = std::min(between, 180 - between);
    return p->flat == q->flat ? acute : 90 - acute;
  });
}

Expected<Radius> radiusOf(const Thing& t) {
  return brep::guarded("measuring a radius", [&]() -> Expected<Radius> {
    auto r = t.curve                 ? Expected<Radius>(tightestOf(*t.curve))
             : t.body && t.face >= 0 ? radiusOfFace(t)
                                     : Expected<Radius>(Radius{1e300});
    if (r && !(r->mm < 1e9))
      return fail(
          problem("LM-Q013", "it does not bend, so it has no radius").tryThis("pick a curve, an edge or a face"));
    return r;
  });
}

double lengthOf(const nurbs::Path& curve) { return nurbs::ArcLength(curve).total(); }

Expected<double> areaOf(const Thing& t) {
  return brep::guarded("measuring an area", [&]() -> Expected<double> {
    double sum = 0;
    if (!t.body) return sum;
    const auto all = brep::faces(*t.body);
    for (size_t i = 0; i < all.size(); ++i)
      if (t.face < 0 || t.face == int(i)) sum += measureFace(*t.body, all[i], t.body->faceNames[i], {}).areaMm2;
    return sum;
  });
}

Expected<double> volumeOf(const brep::Body& b) {
  return brep::guarded("measuring a volume", [&]() -> Expected<double> {
    double sum = 0;
    const auto all = brep::faces(b);
    for (size_t i = 0; i < all.size(); ++i) sum += measureFace(b, all[i], b.faceNames[i], {}).momentMm3;
    return sum;
  });
}

Expected<Vec3> centreOf(const brep::Body& b) {
  return brep::guarded("finding the centre of mass", [&]() -> Expected<Vec3> {
    Vec3 area = Vec3::Zero(), moment = Vec3::Zero();
    double areaSum = 0, momentSum = 0;
    const auto all = brep::faces(b);
    for (size_t i = 0; i < all.size(); ++i) {
      const FaceMeasure m = measureFace(b, all[i], b.faceNames[i], {});
      area += m.areaFirst, areaSum += m.areaMm2;
      moment += m.momentFirst, momentSum += m.momentMm3;
    }
    const double mass = b.solid() ? momentSum : areaSum;
    if (!(mass > 0)) return fail(problem("LM-K001", "it has no mass").tryThis("pick another body"));
    return Vec3((b.solid() ? moment : area) / mass);
  });
}

} // namespace lumsk::inspect

#include "brep/fill.h"

#include "brep/assemble.h"
#include "brep/convert.h"
#include "brep/cover.h"
#include "brep/guard.h"
#include "brep/skin.h"
#include "nurbs/curves/curve_ends.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/measure/closest.h"
#include "nurbs/patch/fill_patches.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepLib.hxx>
#include <BRep_Builder.hxx>
#include <Geom2d_BSplineCurve.hxx>
#include <Geom_BSplineSurface.hxx>
#include <ShapeFix_Face.hxx>
#include <TopExp.hxx>
#include <TopoDS.hxx>

#include <algorithm>
#include <cmath>

namespace lumsk::brep {

namespace {

constexpr double kShortPart = 10;      ///< of `point`: shorter edges are none
constexpr double kFlatAngle = 0.5;     ///< of the angle's tolerance: what lies beside a plane leans by less
constexpr int kFlatLooks = 7;
constexpr int kFirstImagePlaces = 12, kMostImagePlaces = 400;
constexpr double kImagePart = 0.25;    ///< of `point`: from the edge

class RingFiller {
public:
  RingFiller(const Ring& ring, const std::vector<FillAsked>& asked, const nurbs::FillOptions& o, FillForm form, const std::function<std::string(int)>& nameOf, const Context& cx)
      : ring_(ring), asked_(asked), o_(o), form_(form), nameOf_(nameOf), cx_(cx) {}

  Expected<Filled> run() {
    LUMSK_CHECK(readEdges());
    if (form_ == FillForm::Trimmed && goesFlat()) {
      LUMSK_TRY(plane, cover(ring_, nameOf_(0), cx_));
      if (plane.planar) {
        out_.faces = {plane.face}, out_.flat = true;
        out_.fill.edges.resize(edges_.size());
        return std::move(out_);
      }
    }
    LUMSK_TRY(made, nurbs::fill(edges_, o_, cx_));
    out_.fill = std::move(made);
    if (form_ == FillForm::Patches) {
      LUMSK_TRY(star, nurbs::patchesOf(out_.fill, edges_, cx_));
      out_.patchesOffMm = star.offMm, out_.patchesOffDeg = star.offDeg;
      for (nurbs::Surface& s : star.patches) {
        out_.controlPoints += s.controlPoints();
        const auto own = std::make_shared<const nurbs::Surface>(std::move(s));
        out_.faces.push_back({naturalFace(*own, false, cx_.tolerances.point), nameOf_(int(out_.faces.size()) + 1), NaturalFace{own}});
      }
      return std::move(out_);
    }
    LUMSK_TRY(face, trimmed());
    out_.faces = {{face, nameOf_(0), {}}};
    out_.controlPoints = out_.fill.surface.controlPoints();
    return std::move(out_);
  }

private:
  Expected<void> readEdges() {
    for (const TopoDS_Edge& e : ring_.edges) {
      auto path = toPath(TopoDS::Edge(e.Oriented(TopAbs_FORWARD)));
      if (!path) return fail(problem("LM-G005", "an edge of the ring cannot be read as a curve").at(middleOf(e)).tryThis("pick other edges"));
      if (e.Orientation() == TopAbs_REVERSED) path = nurbs::reversed(*path);
      edges_.push_back({std::move(*path)});
    }
    if (!ring_.closed && !(edges_.size() == 1 && edges_.front().path.closed()))
      return fail(problem("LM-V001", "the edges do not form a closed ring")
                      .at(edges_.front().path.start())
                      .at(edges_.back().path.end())
                      .tryThis("pick the missing edges"));
    moved_.assign(edges_.size(), 0);
    for (size_t k = 0; k < edges_.size(); ++k) {
      nurbs::Path &a = edges_[k].path, &b = edges_[(k + 1) % edges_.size()].path;
      const double gap = (a.end() - b.start()).norm();
      if (gap <= cx_.tolerances.point.mm || edges_.size() == 1) continue;
      out_.bridgedMm = std::max(out_.bridgedMm, gap);
      const Vec3 middle = 0.5 * (a.end() + b.start());
      LUMSK_TRY(first, nurbs::endMoved(a, true, middle, cx_));
      a = first.path;
      LUMSK_TRY(second, nurbs::endMoved(b, false, middle, cx_));
      b = second.path;
      moved_[k] = moved_[(k + 1) % edges_.size()] = 1;
    }
    for (size_t k = 0; k < edges_.size(); ++k) {
      const nurbs::Path& p = edges_[k].path;
      const double length = nurbs::ArcLength(p).total();
      if (length < kShortPart * cx_.tolerances.point.mm)
        return fail(problem("LM-V015", "edge " + std::to_string(k + 1) + " of the ring is very short")
                        .measure(millimetres(length))
                        .at(p.start())
                        .tryThis("leave it out and let its neighbours meet"));
      out_.middles.push_back(p.at(0.5 * p.last()));
      edges_[k].meets = asked_[k].meets;
      edges_[k].neighbour = asked_[k].neighbour;
      edges_[k].out = asked_[k].out;
    }
    return {};
  }

  /// All edges lie in one plane, what lies beside them does not lean from it where that is asked for, nor bend for G2.
  bool goesFlat() const {
    if (!o_.inside.empty() || !o_.points.empty() || o_.fullnessMm != 0) return false;
    const nurbs::PlaneOfPoints plane = nurbs::fitPlane(pointsAlong(ring_, 24));
    if (!plane.unique || plane.deviationMm > cx_.tolerances.point.mm || out_.bridgedMm > 0) return false;
    const Vec3 n = plane.frame.normal();
    for (const nurbs::FillEdge& e : edges_) {
      if (e.meets == Meets::G0) continue;
      for (int i = 0; i < kFlatLooks; ++i) {
        const auto beside = e.neighbour(e.path.at(e.path.last() * (i + 0.5) / kFlatLooks));
        if (!beside) return false;
        const double lean = degFromRad(angleBetweenRad(beside->normal, n));
        if (std::min(lean, 180 - lean) > kFlatAngle * cx_.tolerances.angle.deg) return false;
        if (e.meets == Meets::G1) continue;
        const Vec3 along = n.unitOrthogonal();
        for (const Vec3& w : {along, Vec3(n.cross(along))})
          if (std::abs(nurbs::normalSection(beside->d, beside->normal, (w - w.dot(beside->normal) * beside->normal).normalized()).curvature) > 1e-6)
            return false;
      }
    }
    return true;
  }

  /// Copies of the ring's edges, those that were moved anew.
  std::vector<std::pair<TopoDS_Edge, int>> copies() const {
    std::vector<std::pair<TopoDS_Edge, int>> out;
    const auto unmoved = copiesOf(ring_);
    for (size_t k = 0; k < edges_.size(); ++k) {
      if (moved_[k]) {
        for (const TopoDS_Edge& e : edgesAlong(edges_[k].path)) out.push_back({e, int(k)});
        continue;
      }
      out.push_back({unmoved[k], int(k)});
    }
    return out;
  }

  Expected<TopoDS_Face> trimmed() {
    TopoDS_Face face;
    BRep_Builder builder;
    builder.MakeFace(face, toSurface(out_.fill.surface), 1e-7);
    BRepBuilderAPI_MakeWire wire;
    std::vector<int> of;
    for (const auto& [edge, k] : copies()) {
      wire.Add(edge);
      if (!wire.IsDone()) return fail(problem("LM-V001", "the edges do not form a closed ring").at(middleOf(edge)).tryThis("allow a larger gap, or pick the missing edges"));
      const TopoDS_Edge e = wire.Edge(); // with shared vertices
      double a, b;
      const Handle(Geom_Curve) c = BRep_Tool::Curve(e, a, b);
      LUMSK_TRY(image, imageOf(c, a, b, k));
      builder.UpdateEdge(e, toDomain(image.curve, [](const Vec2& p) { return p; }), face, std::max(1.5 * image.offMm, 1e-6));
      builder.Range(e, face, a, b);
    }
    builder.Add(face, wire.Wire());
    ShapeFix_Face fix(face);
    fix.FixOrientation();
    TopoDS_Face out = fix.Face();
    BRepLib::SameParameter(out, 1e-7);
    BRepLib::UpdateTolerances(out);
    return out;
  }

  struct Image {
    nurbs::Spline curve; ///< over the edge's own parameters
    double offMm = 0;
  };
  /// Feet of an edge's places, from where the ring was laid out.
  Expected<Image> imageOf(const Handle(Geom_Curve) & c, double a, double b, int k) const {
    const nurbs::ArcLength length(edges_[size_t(k)].path);
    const nurbs::Path& path = edges_[size_t(k)].path;
    double last = -1; // of the share before: closed edges begin where they end
    const auto placeOf = [&](double t, bool first) {
      const Vec3 p = toVec(c->Value(t));
      double share = length.fractionAt(nurbs::closestPoint(path, p).t);
      if (path.closed() && (first || std::abs(share - last) > 0.5)) share = first ? (share > 0.5 ? 1.0 : 0.0) : share > 0.5 ? share - 1 : share + 1;
      last = share;
      return out_.fill.footOf(p, k, std::clamp(share, 0.0, 1.0));
    };
    Image best;
    best.offMm = 1e300;
    for (int n = kFirstImagePlaces; n <= kMostImagePlaces; n = n * 3 / 2) {
      std::vector<double> at;
      nurbs::Rows places(n + 1, 2);
      for (int i = 0; i <= n; ++i) {
        at.push_back(double(i) / n);
        places.row(i) = placeOf(a + (b - a) * i / n, i == 0).transpose();
      }
      LUMSK_TRY(made, nurbs::interpolateRows(at, places, 5, nurbs::Rows(0, 2), nurbs::Rows(0, 2)));
      Image now;
      Points controls = Points::Zero(made.controls.rows(), 3);
      controls.leftCols<2>() = made.controls;
      nurbs::Knots knots = made.knots;
      for (double& x : knots) x = a + (b - a) * x;
      now.curve = nurbs::Spline::trusted(5, knots, std::move(controls));
      for (int i = 0; i < n; ++i)
        for (const double f : {0.0, 0.1, 0.3, 0.5, 0.8, 1.0}) {
          const double t = a + (b - a) * (i + f) / n;
          const Vec2 uv = now.curve.at(t).head<2>();
          now.offMm = std::max(now.offMm, (out_.fill.surface.at(uv.x(), uv.y()) - toVec(c->Value(t))).norm());
        }
      if (now.offMm < best.offMm) best = now;
      if (best.offMm <= kImagePart * cx_.tolerances.point.mm) break;
    }
    if (best.offMm <= kRefusedToleranceMm) return best;
    return fail(problem("LM-V003", "the fill cannot follow its ring closely enough")
                    .measure(millimetres(best.offMm))
                    .want(millimetres(cx_.tolerances.point.mm))
                    .at(path.at(0.5 * path.last()))
                    .tryThis("ask for less at this edge, or smooth it"));
  }

  const Ring& ring_;
  const std::vector<FillAsked>& asked_;
  const nurbs::FillOptions& o_;
  const FillForm form_;
  const std::function<std::string(int)>& nameOf_;
  const Context& cx_;
  std::vector<nurbs::FillEdge> edges_;
  std::vector<char> moved_;
  Filled out_;
};

} // namespace

Expected<Filled> filled(const Ring& ring, const std::vector<FillAsked>& asked, const nurbs::FillOptions& options,
                        FillForm form, const std::function<std::string(int)>& nameOf, const Context& cx) {
  return guarded("filling", [&] { return RingFiller(ring, asked, options, form, nameOf, cx).run(); });
}

} // namespace lumsk::brep

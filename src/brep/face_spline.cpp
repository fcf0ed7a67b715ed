#include "brep/face_spline.h"

#include "brep/convert.h"
#include "brep/face_border.h"
#include "nurbs/fit/surface_fit.h"

#include <BRepTools.hxx>
#include <BRep_Tool.hxx>
#include <Geom_Plane.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

constexpr double kWholePeriod = 1e-7; ///< of a domain: a face that fills all but so little of it goes all around

/// Whether the borders across u are one line: the face goes all around.
bool closedAcrossU(const Handle(Geom_Surface) & g, const Vec2& low, const Vec2& high) {
  const auto together = [&](double v) { return g->Value(low.x(), v).Distance(g->Value(high.x(), v)) < 1e-6; };
  if (g->IsUPeriodic()) return std::abs(high.x() - low.x() - g->UPeriod()) < kWholePeriod * g->UPeriod();
  if (!g->IsUClosed()) return false;
  double u0, u1, v0, v1;
  g->Bounds(u0, u1, v0, v1);
  return std::abs(low.x() - u0) + std::abs(high.x() - u1) < kWholePeriod * (u1 - u0) && together(low.y()) &&
         together(high.y());
}

nurbs::Surface flat(const Geom_Plane& g, const Vec2& low, const Vec2& high) {
  Points corners(4, 3);
  for (int k = 0; k < 4; ++k)
    corners.row(k) = toVec(g.Value(k & 2 ? high.x() : low.x(), k & 1 ? high.y() : low.y())).transpose();
  const nurbs::Knots knots = nurbs::uniformKnots(1, 1);
  return nurbs::Surface::trusted(1, 1, knots, knots, std::move(corners), false);
}

/// A surface over a box of parameters, made [0, 1]^2.
Expected<nurbs::Surface> over(const Handle(Geom_Surface) & g, Vec2& low, Vec2& high, double& deviationMm,
                              const Context& cx) {
  if (const auto* plane = dynamic_cast<const Geom_Plane*>(g.get())) return flat(*plane, low, high);
  if (!g->IsUPeriodic()) { // the kernel's bounds of a border are wider than it: beyond a seam beside which there is a hole
    double u0, u1, v0, v1;
    g->Bounds(u0, u1, v0, v1);
    low = low.cwiseMax(Vec2(u0, v0));
    high = high.cwiseMin(Vec2(u1, v1));
  }
  const bool closed = closedAcrossU(g, low, high);
  if (auto s = toSurface(g, closed); s && !g->IsUPeriodic()) {
    nurbs::Surface part = nurbs::portion(*s, low.x(), high.x(), low.y(), high.y());
    if (!closed) return part;
    return nurbs::Surface::trusted(part.degreeU(), part.degreeV(), part.knotsU(), part.knotsV(), part.grid(), true);
  }
  nurbs::SurfaceFitOptions o;
  o.fit = {0.5 * cx.tolerances.fit.mm};
  o.closedU = closed;
  LUMSK_TRY(fit, nurbs::fitSurface(
                     [&](double u, double v) {
                       return toVec(
                           g->Value(low.x() + u * (high.x() - low.x()), low.y() + v * (high.y() - low.y())));
                     },
                     o, cx));
  deviationMm = fit.deviationMm;
  return fit.surface;
}

} // namespace

std::vector<FaceBox> commonBoxes(const Body& b) {
  std::vector<FaceBox> out;
  const auto all = faces(b);
  std::vector<std::pair<Handle(Geom_Surface), TopLoc_Location>> on(all.size());
  for (size_t i = 0; i < all.size(); ++i) {
    FaceBox box;
    BRepTools::UVBounds(all[i], box.low.x(), box.high.x(), box.low.y(), box.high.y());
    out.push_back(box);
    on[i].first = BRep_Tool::Surface(all[i], on[i].second);
  }
  for (size_t i = 0; i < all.size(); ++i) // the first of each surface gathers, the others take it
    for (size_t k = 0; k < i; ++k)
      if (on[k].first == on[i].first && on[k].second.IsEqual(on[i].second)) {
        out[k].low = out[k].low.cwiseMin(out[i].low), out[k].high = out[k].high.cwiseMax(out[i].high);
        break;
      }
  for (size_t i = 0; i < all.size(); ++i)
    for (size_t k = 0; k < i; ++k)
      if (on[k].first == on[i].first && on[k].second.IsEqual(on[i].second)) {
        out[i] = out[k];
        break;
      }
  return out;
}

FaceSpline::FaceSpline() = default;
FaceSpline::FaceSpline(FaceSpline&&) noexcept = default;
FaceSpline& FaceSpline::operator=(FaceSpline&&) noexcept = default;
FaceSpline::~FaceSpline() = default;

Expected<FaceSpline> FaceSpline::of(const TopoDS_Face& f, const NaturalFace* natural, const Context& cx, const FaceBox* box) {
  FaceSpline out;
  out.shape_ = f;
  if (natural) {
    out.surface_ = natural->surface;
    out.reversed_ = natural->reversed;
    return out;
  }
  FaceBox own;
  if (box)
    own = *box;
  else
    BRepTools::UVBounds(f, own.low.x(), own.high.x(), own.low.y(), own.high.y());
  auto& [low, high] = own;
  LUMSK_TRY(s, over(BRep_Tool::Surface(f), low, high, out.deviationMm_, cx));
  out.surface_ = std::make_shared<const nurbs::Surface>(std::move(s));
  out.reversed_ = f.Orientation() == TopAbs_REVERSED;
  out.border_ = std::make_unique<FaceBorder>(f);
  out.low_ = low;
  out.scale_ = high - low;
  return out;
}

Vec2 FaceSpline::kernelPlace(const Vec2& uv) const { return low_ + uv.cwiseProduct(scale_); }
Vec2 FaceSpline::place(const Vec2& p) const { return (p - low_).cwiseQuotient(scale_); }

bool FaceSpline::inside(const Vec2& uv) const {
  return !border_ || border_->inside(kernelPlace(uv));
}

} // namespace lumsk::brep

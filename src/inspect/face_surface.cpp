#include "inspect/face_surface.h"

#include "brep/convert.h"

#include <BRepAdaptor_Surface.hxx>
#include <Eigen/LU>

#include <algorithm>

namespace lumsk::inspect {

double PlaceOnFace::smallestRadiusMm() const {
  const double k = std::max(std::abs(largest), std::abs(smallest));
  return k > 0 ? 1.0 / k : 1e300;
}

FaceSurface::FaceSurface(const brep::Body& b, int face) {
  const auto natural = b.natural.find(b.faceNames[size_t(face)]);
  if (natural != b.natural.end()) {
    spline_ = natural->second.surface;
    reversed_ = natural->second.reversed;
    low_ = {spline_->firstU(), spline_->firstV()};
    high_ = {spline_->lastU(), spline_->lastV()};
    closed_[0] = spline_->closedU();
    return;
  }
  const TopoDS_Face f = brep::faces(b)[size_t(face)];
  other_ = std::make_unique<BRepAdaptor_Surface>(f, true);
  reversed_ = f.Orientation() == TopAbs_REVERSED;
  low_ = {other_->FirstUParameter(), other_->FirstVParameter()};
  high_ = {other_->LastUParameter(), other_->LastVParameter()};
  closed_ = {bool(other_->IsUClosed()), bool(other_->IsVClosed())};
}

FaceSurface::~FaceSurface() = default;
FaceSurface::FaceSurface(FaceSurface&&) noexcept = default;

/// Within the domain; around where it is closed.
Vec2 FaceSurface::held(Vec2 uv) const {
  for (int k = 0; k < 2; ++k) {
    const double period = high_[k] - low_[k];
    if (closed_[size_t(k)] && (uv[k] < low_[k] || uv[k] > high_[k]))
      uv[k] -= period * std::floor((uv[k] - low_[k]) / period);
    uv[k] = std::clamp(uv[k], low_[k], high_[k]);
  }
  return uv;
}

void FaceSurface::derivatives(const Vec2& uv, nurbs::SurfaceDerivatives& d) const {
  if (spline_) return spline_->derivatives(uv.x(), uv.y(), 2, d);
  gp_Pnt p;
  gp_Vec du, dv, duu, dvv, duv;
  other_->D2(uv.x(), uv.y(), p, du, dv, duu, dvv, duv);
  d(0, 0) = brep::toVec(p), d(1, 0) = brep::toVec(du), d(0, 1) = brep::toVec(dv);
  d(2, 0) = brep::toVec(duu), d(0, 2) = brep::toVec(dvv), d(1, 1) = brep::toVec(duv);
}

nurbs::FirstDerivatives FaceSurface::first(const Vec2& uv) const {
  if (spline_) {
    nurbs::SurfaceDerivatives d;
    spline_->derivatives(uv.x(), uv.y(), 1, d);
    return {d(0, 0), d(1, 0), d(0, 1)};
  }
  gp_Pnt p;
  gp_Vec du, dv;
  other_->D1(uv.x(), uv.y(), p, du, dv);
  return {brep::toVec(p), brep::toVec(du), brep::toVec(dv)};
}

PlaceOnFace FaceSurface::at(const Vec2& uv) const {
  nurbs::SurfaceDerivatives d;
  derivatives(uv, d);
  const auto k = nurbs::principalCurvatures(d);
  PlaceOnFace out;
  out.point = d(0, 0);
  out.normal = reversed_ ? Vec3(-k.normal) : k.normal;
  if (k.normal.isZero() && spline_) out.normal = outward(uv); // a pole: its limit
  // Against the side it bends towards is outwards where the normal is kept.
  out.largest = reversed_ ? k.k1 : -k.k2;
  out.smallest = reversed_ ? k.k2 : -k.k1;
  return out;
}

Vec3 FaceSurface::outward(const Vec2& uv) const {
  Vec3 n;
  if (spline_) {
    n = spline_->normal(uv.x(), uv.y());
  } else {
    const auto d = first(uv);
    n = d.du.cross(d.dv);
    n = n.norm() > 0 ? Vec3(n.normalized()) : Vec3(Vec3::Zero());
  }
  return reversed_ ? Vec3(-n) : n;
}

double FaceSurface::normalCurvature(const Vec2& uv, const Vec3& direction) const {
  nurbs::SurfaceDerivatives d;
  derivatives(uv, d);
  const auto k = nurbs::principalCurvatures(d);
  if (k.normal.isZero()) return 0.0;
  // Euler's formula (1760).
  const Vec3 t = (direction - direction.dot(k.normal) * k.normal).normalized();
  const double a = t.dot(k.direction1), b = t.dot(k.direction2), n2 = a * a + b * b;
  const double towards = n2 > 0 ? (k.k1 * a * a + k.k2 * b * b) / n2 : 0.0;
  return reversed_ ? -towards : towards;
}

std::optional<FaceSurface::Meeting> FaceSurface::meet(const Vec3& from, const Vec3& unit, const Vec2& guess, double missMm) const {
  constexpr int kMost = 30;
  constexpr double kDoneMm = 1e-10;
  const auto missAt = [&](const Vec3& p) { return Vec3(p - from - (p - from).dot(unit) * unit); };
  Vec2 uv = held(guess);
  auto s = first(uv);
  Vec3 miss = missAt(s.at);
  for (int i = 0; i < kMost && miss.norm() > kDoneMm; ++i) {
    Eigen::Matrix3d J;
    J << s.du, s.dv, -unit;
    const Vec3 step = J.fullPivLu().solve(-miss);
    bool better = false;
    // Near a pole one parameter hardly moves the point and full steps run away.
    for (double f = 1.0; f > 1e-4 && !better; f *= 0.5) {
      const Vec2 next = held(uv + f * step.head<2>());
      const auto there = first(next);
      const Vec3 left = missAt(there.at);
      if (!(left.squaredNorm() < miss.squaredNorm())) continue;
      uv = next, s = there, miss = left;
      better = true;
    }
    if (!better) break;
  }
  if (miss.norm() > missMm) return {};
  return Meeting{uv, (s.at - from).dot(unit)};
}

Vec2 FaceSurface::nearest(const Vec3& p, const Vec2& guess) const {
  Vec2 uv = held(guess);
  double best = (first(uv).at - p).squaredNorm();
  for (int i = 0; i < 12; ++i) {
    const auto s = first(uv);
    const Vec3 r = p - s.at;
    Eigen::Matrix2d J;
    J << s.du.squaredNorm(), s.du.dot(s.dv), s.du.dot(s.dv), s.dv.squaredNorm();
    if (!(J.determinant() > 1e-14 * J(0, 0) * J(1, 1))) break;
    const Vec2 step = J.inverse() * Vec2(r.dot(s.du), r.dot(s.dv));
    bool better = false;
    for (double f = 1.0; f > 0.05 && !better; f *= 0.5) {
      const Vec2 next = held(uv + f * step);
      const double d = (first(next).at - p).squaredNorm();
      better = d < best;
      if (better) uv = next, best = d;
    }
    if (!better) break;
  }
  return uv;
}

} // namespace lumsk::inspect

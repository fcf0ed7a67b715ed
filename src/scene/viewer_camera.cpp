// Where the eye of a viewer is.
#include "brep/convert.h"
#include "scene/viewer.h"

#include <Graphic3d_Camera.hxx>

#include <algorithm>
#include <cmath>

namespace lumsk::scene {

using brep::toPnt;

void Viewer::lookFrom(ViewFrom from) {
  static const std::map<ViewFrom, std::pair<Vec3, Vec3>> directions{
      {ViewFrom::Front, {{0, -1, 0}, {0, 0, 1}}},
      {ViewFrom::Back, {{0, 1, 0}, {0, 0, 1}}},
      {ViewFrom::Left, {{-1, 0, 0}, {0, 0, 1}}},
      {ViewFrom::Right, {{1, 0, 0}, {0, 0, 1}}},
      {ViewFrom::Top, {{0, 0, 1}, {0, 1, 0}}},
      {ViewFrom::Bottom, {{0, 0, -1}, {0, 1, 0}}},
      {ViewFrom::Corner, {Vec3(-0.55, -0.85, 0.42).normalized(), {0, 0, 1}}}};
  const auto& [eye, up] = directions.at(from);
  const Handle(Graphic3d_Camera)& c = view_->Camera();
  const double distance = c->Distance();
  const gp_Pnt centre = c->Center();
  c->SetUp(gp_Dir(up.x(), up.y(), up.z()));
  c->SetEyeAndCenter(centre.XYZ() + gp_XYZ(eye.x(), eye.y(), eye.z()) * distance, centre);
  c->SetUp(gp_Dir(up.x(), up.y(), up.z()));
  c->OrthogonalizeUp();
  fitScene();
}

void Viewer::setPerspective(bool on) {
  view_->Camera()->SetProjectionType(on ? Graphic3d_Camera::Projection_Perspective
                                        : Graphic3d_Camera::Projection_Orthographic);
  fitScene();
}

bool Viewer::perspective() const { return !view_->Camera()->IsOrthographic(); }

namespace {

std::vector<Vec3> cornersOf(const Vec3& low, const Vec3& high) {
  std::vector<Vec3> out;
  for (int k = 0; k < 8; ++k)
    out.emplace_back(k & 1 ? high.x() : low.x(), k & 2 ? high.y() : low.y(), k & 4 ? high.z() : low.z());
  return out;
}

/// Places that together reach as far as the drawing does, from wherever it is seen.
std::vector<Vec3> outermost(const Scene& d, bool otherHalf) {
  constexpr size_t kEach = 400; ///< of a mesh
  std::vector<Vec3> out;
  const auto add = [&](const std::vector<Vec3>& from) {
    for (size_t i = 0; i < from.size(); i += std::max<size_t>(1, from.size() / kEach)) out.push_back(from[i]);
  };
  for (const auto* list : {&d.bodies, &d.later, &d.otherHalves})
    for (const DrawnBody& b : *list)
      for (const auto& f : b.faces)
        if (otherHalf || list != &d.otherHalves) add(f->points);
  for (const auto* list : {&d.curves, &d.otherCurves})
    for (const DrawnCurve& c : *list)
      if (otherHalf || list != &d.otherCurves) add(c.points);
  for (const DrawnPoint& p : d.points) out.push_back(p.at);
  const bool backdrops = !d.pictures.empty() || !d.ghosts.empty();
  return out.empty() || backdrops ? cornersOf(d.low, d.high) : out;
}

} // namespace

void Viewer::fitScene() {
  if (scene_) fit(outermost(*scene_, otherHalf_));
}

void Viewer::fit(const Vec3& low, const Vec3& high) { fit(cornersOf(low, high)); }

void Viewer::fit(const std::vector<Vec3>& places) {
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (const Vec3& p : places) low = low.cwiseMin(p), high = high.cwiseMax(p);
  const Handle(Graphic3d_Camera)& c = view_->Camera();
  const Vec3 m = 0.5 * (low + high);
  const gp_Dir d = c->Direction();
  const Vec3 dir(d.X(), d.Y(), d.Z());
  const gp_Dir u = c->Up();
  const Vec3 up(u.X(), u.Y(), u.Z()), right = dir.cross(up);
  // Half sizes of the box as seen.
  double w = 1, h = 1, deep = 0;
  for (const Vec3& p : places) {
    const Vec3 q = p - m;
    w = std::max(w, std::abs(q.dot(right)));
    h = std::max(h, std::abs(q.dot(up)));
    deep = std::max(deep, -q.dot(dir));
  }
  const double a = c->Aspect(); // the kernel's cameras see the same along the shorter side of the picture
  const double half = 1.18 * (a > 1 ? std::max(h, w / a) : std::max(h * a, w));
  const double distance = half / std::tan(radFromDeg(c->FOVy() / 2)) + deep;
  c->SetEyeAndCenter(toPnt(m - dir * distance), toPnt(m));
  c->SetScale(2 * half);
  if (!c->IsOrthographic()) c->SetDistance(distance);
  // The perspective makes what is near larger: as it is seen, a few times over.
  for (int step = 0; step < 4; ++step) fitAsSeen(places);
  keepDepth();
}

void Viewer::fitAsSeen(const std::vector<Vec3>& places) {
  constexpr double kFill = 0.8;
  const Camera now = camera();
  Vec2 least = Vec2::Constant(1e300), most = -least;
  for (const Vec3& p : places) {
    const Vec3 s = now.toScreen(p);
    least = least.cwiseMin(s.head<2>());
    most = most.cwiseMax(s.head<2>());
  }
  const Vec2 from(covered_.left, covered_.top), to(now.width - covered_.right, now.height - covered_.bottom);
  const Vec2 room = (to - from).cwiseMax(0.2 * Vec2(now.width, now.height)), seen = most - least;
  const double ratio = (seen.array() / (kFill * room.array())).maxCoeff();
  if (!(ratio > 0.05 && ratio < 20)) return; // next to nothing: its size says nothing
  const Handle(Graphic3d_Camera)& c = view_->Camera();
  const gp_Dir d = c->Direction();
  const Vec3 at = brep::toVec(c->Center()), dir(d.X(), d.Y(), d.Z());
  if (c->IsOrthographic()) {
    c->SetScale(c->Scale() * ratio);
  } else {
    const double distance = c->Distance() * ratio;
    c->SetEyeAndCenter(toPnt(at - dir * distance), toPnt(at));
    c->SetDistance(distance);
  }
  const Vec2 middle = 0.5 * (from + to), off = (0.5 * (least + most) - 0.5 * Vec2(now.width, now.height)) / ratio;
  const Vec2 by = middle - 0.5 * Vec2(now.width, now.height) - off;
  pan(by.x(), by.y());
}

void Viewer::fitToScale(const Vec3& middle, double mmAlongShorterSide) {
  setPerspective(false);
  const Handle(Graphic3d_Camera)& c = view_->Camera();
  const gp_Dir d = c->Direction();
  c->SetEyeAndCenter(toPnt(middle - Vec3(d.X(), d.Y(), d.Z()) * c->Distance()), toPnt(middle));
  c->SetScale(mmAlongShorterSide);
  keepDepth();
}

Pose Viewer::pose() const {
  const Handle(Graphic3d_Camera)& c = view_->Camera();
  const gp_Dir u = c->Up();
  return {brep::toVec(c->Eye()), brep::toVec(c->Center()), {u.X(), u.Y(), u.Z()}, c->Scale(), perspective()};
}

void Viewer::setPose(const Pose& p) {
  setPerspective(p.perspective);
  const Handle(Graphic3d_Camera)& c = view_->Camera();
  c->SetUp(gp_Dir(p.up.x(), p.up.y(), p.up.z()));
  c->SetEyeAndCenter(toPnt(p.eye), toPnt(p.middle));
  c->SetUp(gp_Dir(p.up.x(), p.up.y(), p.up.z()));
  if (!p.perspective) c->SetScale(p.scale);
  keepDepth();
}

void Viewer::turnRound(double deg) {
  if (!scene_) return;
  constexpr size_t kPlaces = 300, kRound = 24;
  const Vec3 axis = 0.5 * (scene_->low + scene_->high);
  const std::vector<Vec3> all = outermost(*scene_, otherHalf_);
  std::vector<Vec3> round; // where places come to be
  for (size_t i = 0; i < all.size(); i += std::max<size_t>(1, all.size() / kPlaces)) {
    const Vec3 from = all[i] - axis;
    for (size_t k = 0; k < kRound; ++k) round.push_back(axis + Eigen::AngleAxisd(2 * kPi * double(k) / kRound, Vec3::UnitZ()) * from);
  }
  fit(round);
  gp_Trsf by;
  by.SetRotation(gp_Ax1(toPnt(axis), gp_Dir(0, 0, 1)), radFromDeg(deg));
  view_->Camera()->Transform(by);
  keepDepth();
}

void Viewer::turn(double dx, double dy, const Vec3& about) {
  const Handle(Graphic3d_Camera)& c = view_->Camera();
  gp_Trsf round, tilt;
  const gp_Pnt p = toPnt(about);
  round.SetRotation(gp_Ax1(p, gp_Dir(0, 0, 1)), -dx * 0.008);
  const gp_Dir right = c->Direction().Crossed(c->Up());
  tilt.SetRotation(gp_Ax1(p, right), -dy * 0.008);
  c->Transform(round * tilt);
  keepDepth();
}

void Viewer::pan(double dx, double dy) {
  const Handle(Graphic3d_Camera)& c = view_->Camera();
  const Camera now = camera();
  const double size = now.pixelSize(brep::toVec(c->Center()));
  const gp_Dir right = c->Direction().Crossed(c->Up());
  const gp_Vec move = gp_Vec(right) * (-dx * size) + gp_Vec(c->Up()) * (dy * size);
  gp_Trsf t;
  t.SetTranslation(move);
  c->Transform(t);
  keepDepth();
}

void Viewer::zoom(double factor, double x, double y) {
  const Handle(Graphic3d_Camera)& c = view_->Camera();
  const Camera before = camera();
  const auto [from, dir] = before.ray(x, y);
  const Vec3 centre = brep::toVec(c->Center()), axis = before.direction;
  const Vec3 pivot = from + dir * ((centre - from).dot(axis) / dir.dot(axis));
  const double distance = std::clamp(c->Distance() / factor, 0.5, 2e5);
  const double real = c->Distance() / distance;
  const Vec3 moved = pivot + (centre - pivot) / real;
  c->SetScale(c->Scale() / real);
  c->SetEyeAndCenter(toPnt(moved - axis * distance), toPnt(moved));
  keepDepth();
}

void Viewer::lookAt(const Vec3& p) {
  const Handle(Graphic3d_Camera)& c = view_->Camera();
  gp_Trsf t;
  t.SetTranslation(c->Center(), toPnt(p));
  c->Transform(t);
  keepDepth();
}

void Viewer::lookSquareTo(const Frame& plane, const std::vector<Vec3>& places) {
  const Handle(Graphic3d_Camera)& c = view_->Camera();
  const double distance = c->Distance();
  c->SetEyeAndCenter(toPnt(plane.origin + plane.normal() * distance), toPnt(plane.origin));
  c->SetUp(gp_Dir(plane.y.x(), plane.y.y(), plane.y.z()));
  keepDepth();
  if (!places.empty()) fit(places);
}

Camera Viewer::camera() const {
  const Handle(Graphic3d_Camera)& c = view_->Camera();
  Camera out;
  Standard_Integer w = 1, h = 1;
  if (!view_->Window().IsNull()) view_->Window()->Size(w, h);
  out.height = std::max(1, h);
  out.width = std::max(1, int(std::lround(out.height * c->Aspect()))); // of a picture, whose window has another format, too
  const Graphic3d_Mat4d m = c->ProjectionMatrix() * c->OrientationMatrix();
  for (int i = 0; i < 4; ++i)
    for (int j = 0; j < 4; ++j) out.worldToClip(i, j) = m.GetValue(i, j);
  out.eye = brep::toVec(c->Eye());
  const gp_Dir d = c->Direction(), u = c->Up();
  out.direction = {d.X(), d.Y(), d.Z()};
  out.up = {u.X(), u.Y(), u.Z()};
  return out;
}

void Viewer::keepDepth() {
  constexpr double kNearest = 0.03; ///< of the distance of what is looked at
  aimCut();
  const Handle(Graphic3d_Camera)& c = view_->Camera();
  const Vec3 low = scene_ ? scene_->low : Vec3::Constant(-60),
             high = scene_ ? scene_->high : Vec3::Constant(60);
  const Vec3 m = 0.5 * (low + high);
  const double reach = (high - low).norm() * 1.5 + 50;
  const double depth =
      (m - brep::toVec(c->Eye())).dot(Vec3(c->Direction().X(), c->Direction().Y(), c->Direction().Z()));
  if (c->IsOrthographic())
    c->SetZRange(depth - reach, depth + reach);
  else
    // Nearer than this nothing is looked at; and the nearer it were, the coarser depths would become, on which skins lie
    // a little behind solids.
    c->SetZRange(std::max({0.05, kNearest * c->Distance(), depth - reach}), std::max(1.0, depth + reach));
}

} // namespace lumsk::scene

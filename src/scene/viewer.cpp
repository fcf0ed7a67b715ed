#include "scene/viewer.h"

#include "brep/convert.h"
#include "scene/lenses/cut/cut.h"

#include <Aspect_GradientFillMethod.hxx>
#include <Aspect_Window.hxx>
#include <Graphic3d_ArrayOfPoints.hxx>
#include <Graphic3d_ArrayOfPolylines.hxx>
#include <Graphic3d_ArrayOfSegments.hxx>
#include <Graphic3d_ArrayOfTriangles.hxx>
#include <Graphic3d_AspectFillArea3d.hxx>
#include <Graphic3d_AspectLine3d.hxx>
#include <Graphic3d_AspectMarker3d.hxx>
#include <Graphic3d_Group.hxx>
#include <Graphic3d_Texture2Dmanual.hxx>
#include <Image_PixMap.hxx>

#include <algorithm>
#include <fmt/format.h>

namespace lumsk::scene {

using brep::toPnt;

namespace {

Quantity_Color colour(unsigned rgb) {
  return Quantity_Color(((rgb >> 16) & 255) / 255.0, ((rgb >> 8) & 255) / 255.0, (rgb & 255) / 255.0,
                        Quantity_TOC_sRGB);
}

constexpr unsigned kEdgeInk = 0x22262A; ///< on faces, which are light under every theme
constexpr unsigned kGreen = 0x1F7A6B, kCoral = 0xD9583B, kFront = 0xF3EEE4, kSoftInk = 0x6E7173, kGhost = 0x8A9AA6,
                   kOchre = 0xC08A1E, kFill = 0xB9C4BE;

/// The lenses over the surfaces that draw something.
std::vector<std::string> drawingOver(const LensState& l) {
  std::vector<std::string> out;
  for (const std::string& key : l.over)
    if (const Lens* lens = findLens(key); lens && lens->needsWork()) out.push_back(key);
  return out;
}

constexpr double kLaterOpacity = 0.35, kBesideOpacity = 0.5;
constexpr double kInPlaneMm = 1e-3;
constexpr size_t kTeethWhileMoving = 4000; ///< of one look

unsigned colourOf(Ink ink, unsigned dark) {
  switch (ink) {
  case Ink::Dark: return dark;
  case Ink::Green: return kGreen;
  case Ink::Coral: return kCoral;
  case Ink::Ochre: return kOchre;
  case Ink::Soft: return kSoftInk;
  case Ink::Fill: return kFill;
  }
  return dark;
}

unsigned bodyColour(const std::string& hex) {
  unsigned v = kFront;
  if (hex.size() == 7) std::sscanf(hex.c_str(), "#%6x", &v);
  return v;
}

/// All of one look at once: every group costs a call at every picture.
void addPolylines(const Handle(Graphic3d_Structure) & s, const std::vector<std::vector<Vec3>>& lines, unsigned rgb,
                  double width, Aspect_TypeOfLine type = Aspect_TOL_SOLID) {
  size_t points = 0, bounds = 0;
  for (const auto& l : lines)
    if (l.size() > 1) points += l.size(), ++bounds;
  if (bounds == 0) return;
  Handle(Graphic3d_ArrayOfPolylines) a = new Graphic3d_ArrayOfPolylines(int(points), int(bounds));
  for (const auto& l : lines) {
    if (l.size() < 2) continue;
    a->AddBound(int(l.size()));
    for (const Vec3& p : l) a->AddVertex(toPnt(p));
  }
  const Handle(Graphic3d_Group) g = s->NewGroup();
  g->SetGroupPrimitivesAspect(new Graphic3d_AspectLine3d(colour(rgb), type, width));
  g->AddPrimitiveArray(a);
}

void addPoints(const Handle(Graphic3d_Structure) & s, const std::vector<Vec3>& pts, unsigned rgb, double size) {
  if (pts.empty()) return;
  Handle(Graphic3d_ArrayOfPoints) a = new Graphic3d_ArrayOfPoints(int(pts.size()));
  for (const Vec3& p : pts) a->AddVertex(toPnt(p));
  const Handle(Graphic3d_Group) g = s->NewGroup();
  g->SetGroupPrimitivesAspect(new Graphic3d_AspectMarker3d(Aspect_TOM_BALL, colour(rgb), size));
  g->AddPrimitiveArray(a);
}

} // namespace

Viewer::Viewer(const Handle(OpenGl_GraphicDriver) & driver) {
  viewer_ = new V3d_Viewer(driver);
  viewer_->SetDefaultLights();
  viewer_->SetLightOn();
  view_ = viewer_->CreateView();
  view_->SetBgGradientColors(colour(0xEDEAE6), colour(0xCECAC4), Aspect_GFM_VER);
  view_->SetImmediateUpdate(false);
  view_->SetAutoZFitMode(false); // see `keepDepth`
  view_->Camera()->SetProjectionType(Graphic3d_Camera::Projection_Perspective);
  view_->Camera()->SetFOVy(28);
  auto& p = view_->ChangeRenderingParams();
  p.IsAntialiasingEnabled = true;
  p.NbMsaaSamples = 0;
  cut_ = new Graphic3d_ClipPlane();
  cut_->SetOn(false);
  cutPlanes_ = new Graphic3d_SequenceOfHClipPlane();
  cutPlanes_->Append(cut_);
  lookFrom(ViewFrom::Corner);
}

Viewer::~Viewer() {
  for (auto& [key, s] : meshes_) s->Erase();
  for (auto& s : rest_) s->Erase();
  if (!floorLines_.IsNull()) floorLines_->Erase();
  floorLines_.Nullify();
  meshes_.clear();
  rest_.clear();
  details_.clear();
  view_->Remove();
}

Handle(Graphic3d_Structure) Viewer::structure() {
  Handle(Graphic3d_Structure) s = new Graphic3d_Structure(viewer_->StructureManager());
  return s;
}

void Viewer::show(ScenePtr scene, LensResultPtr result) {
  scene_ = std::move(scene);
  result_ = std::move(result);
  pushPrograms();
  redrawAll();
}

void Viewer::setLens(const LensState& lens) {
  const auto drawn = [](const LensState& l) {
    const SurfaceLens& surface = surfaceLensOf(l);
    return std::tuple(l.needsValues(), surface.plain(), surface.hidesBackdrops(), drawingOver(l));
  };
  const bool again = drawn(lens) != drawn(lens_) || lens.only != lens_.only;
  lens_ = lens;
  aimCut();
  pushPrograms();
  if (again) redrawAll();
}

void Viewer::pushPrograms() {
  programs_.set(lens_, result_ ? result_->spread.low : 0, result_ ? result_->spread.high : 1, hidden_);
}

void Viewer::aimCut() {
  const auto& cutting = lens_.look<CutLook>();
  const bool on = isOn(lens_, CutLook::kLens) && cutting.away && cutting.count == 1;
  Eigen::Vector4d next = Eigen::Vector4d::Zero();
  if (on) {
    const Frame plane = cutting.at(0);
    const Handle(Graphic3d_Camera)& c = view_->Camera();
    const Vec3 toEye = c->IsOrthographic() ? Vec3(-Vec3(c->Direction().X(), c->Direction().Y(), c->Direction().Z()))
                                           : Vec3(brep::toVec(c->Eye()) - plane.origin);
    const Vec3 n = plane.normal() * (toEye.dot(plane.normal()) < 0 ? -1.0 : 1.0);
    next << n, n.dot(plane.origin);
    cut_->SetEquation(Graphic3d_Vec4d(-n.x(), -n.y(), -n.z(), next.w() + 0.01));
  }
  if (cut_->IsOn() != on) cut_->SetOn(on);
  if (next == hidden_) return;
  hidden_ = next;
  pushPrograms();
}

void Viewer::setGround(unsigned top, unsigned bottom, unsigned ink) {
  view_->SetBgGradientColors(colour(top), colour(bottom), Aspect_GFM_VER);
  ground_ = bottom;
  floor_ = {};
  if (ink == ink_) return;
  ink_ = ink;
  redrawAll();
}

namespace {

/// A colour between two.
unsigned mixed(unsigned a, unsigned b, double part) {
  unsigned out = 0;
  for (int shift : {16, 8, 0}) {
    const double x = (a >> shift) & 0xFF, y = (b >> shift) & 0xFF;
    out |= unsigned(std::lround(x + part * (y - x))) << shift;
  }
  return out;
}

} // namespace

void Viewer::syncFloor() {
  const Vec3 low = scene_ ? scene_->low : Vec3::Constant(-60), high = scene_ ? scene_->high : Vec3::Constant(60);
  const Vec3 middle = 0.5 * (low + high);
  const Floor next = floorOn_ ? Floor::under(low, high, camera().pixelSize({middle.x(), middle.y(), std::min(0.0, low.z())})) : Floor();
  if (next == floor_) return;
  floor_ = next;
  if (!floorLines_.IsNull()) floorLines_->Erase();
  floorLines_.Nullify();
  if (floor_.stepMm <= 0) return;
  floorLines_ = structure();
  addPolylines(floorLines_, floor_.lines(false), mixed(ground_, ink_, 0.05), 1.0);
  addPolylines(floorLines_, floor_.lines(true), mixed(ground_, ink_, 0.13), 1.0);
  floorLines_->Display();
}

bool Viewer::showPlanes(bool on) {
  if (planes_ == on) return false;
  planes_ = on;
  redrawAll();
  return true;
}

void Viewer::showDetail(bool on) {
  if (detail_ == on) return;
  detail_ = on;
  for (const auto& s : details_) s->SetVisible(on);
}

void Viewer::fadeBut(const std::optional<Frame>& plane) {
  if (!plane && !drawnOn_) return;
  drawnOn_ = plane;
  redrawAll();
}

void Viewer::showOtherHalf(bool on) {
  if (otherHalf_ == on) return;
  otherHalf_ = on;
  redrawAll();
}

std::vector<DrawnBody> Viewer::shownBodies() const {
  std::vector<DrawnBody> out = scene_->bodies;
  if (drawnOn_ && surfaceLensOf(lens_).plain())
    for (DrawnBody& b : out) b.stale = true, b.opacity *= kBesideOpacity;
  // Through a lens the form is judged as it will be; plain, it stands behind what is worked on.
  for (const DrawnBody& b : scene_->later) {
    out.push_back(b);
    if (!surfaceLensOf(lens_).plain()) continue;
    out.back().stale = true;
    out.back().opacity *= kLaterOpacity;
  }
  if (otherHalf_) out.insert(out.end(), scene_->otherHalves.begin(), scene_->otherHalves.end());
  return out;
}

void Viewer::redrawAll() {
  if (!scene_) return;
  std::map<const void*, Handle(Graphic3d_Structure)> before;
  std::map<const void*, std::string> keys;
  before.swap(meshes_);
  keys.swap(meshKeys_);
  const auto bodies = shownBodies();
  for (const DrawnBody& b : bodies)
    for (const MeshPtr& f : b.faces) {
      const std::string key = keyOf(b, *f);
      if (const auto it = before.find(f.get()); it != before.end() && keys[f.get()] == key) {
        meshes_[f.get()] = it->second;
        meshKeys_[f.get()] = key;
        before.erase(it);
      }
    }
  for (auto& [mesh, s] : before) s->Erase();
  for (auto& s : rest_) s->Erase();
  details_.clear();
  rest_.clear();
  for (const DrawnBody& b : bodies) {
    drawBody(b);
    drawEdges(b);
  }
  drawCurves(scene_->curves);
  if (otherHalf_) drawCurves(scene_->otherCurves);
  const auto overlays = [](const LensState& l) {
    return std::pair(drawingOver(l), surfaceLensOf(l).hidesBackdrops());
  };
  if (result_ && overlays(result_->lens) == overlays(lens_)) drawArt(result_->art);
  drawPlanes();
  drawPictures();
  drawGhosts();
  keepDepth();
  pushPrograms(); // a program that nothing used for a while has forgotten its numbers
}

namespace {

Handle(Graphic3d_ArrayOfTriangles)
    trianglesOf(const brep::FaceMesh& f, unsigned rgb, double opacity, const inspect::FieldValues* values) {
  const Graphic3d_Vec4ub c(Standard_Byte((rgb >> 16) & 255), Standard_Byte((rgb >> 8) & 255), Standard_Byte(rgb & 255),
                           Standard_Byte(opacity * 255));
  Handle(Graphic3d_ArrayOfTriangles) a =
      new Graphic3d_ArrayOfTriangles(int(f.points.size()), int(f.triangles.size()) * 3, true, true, true);
  for (size_t i = 0; i < f.points.size(); ++i) {
    const Vec3& n = f.normals[i];
    const int k = a->AddVertex(toPnt(f.points[i]), n.norm() > 0 ? gp_Dir(n.x(), n.y(), n.z()) : gp_Dir(0, 0, 1));
    a->SetVertexColor(k, c);
    const inspect::FieldValue v = values ? (*values)[i] : inspect::FieldValue{};
    a->SetVertexTexel(k, double(v.a), double(v.b));
  }
  for (const auto& t : f.triangles) {
    a->AddEdge(t[0] + 1);
    a->AddEdge(t[1] + 1);
    a->AddEdge(t[2] + 1);
  }
  return a;
}

/// A skin lies behind the solid that was made of it, of whose mesh its own differs a little: in steps of the depth that
/// is drawn, about a 4000th of what is seen.
constexpr float kSkinBehind = 4000.0f;

Handle(Graphic3d_AspectFillArea3d) bothSides() {
  Handle(Graphic3d_AspectFillArea3d) aspect = new Graphic3d_AspectFillArea3d();
  aspect->SetInteriorStyle(Aspect_IS_SOLID);
  aspect->SetFaceCulling(Graphic3d_TypeOfBackfacingModel_DoubleSided);
  return aspect;
}

} // namespace

/// What has no values yet is plain, unless the lens shows without them.
FacePrograms::Kind Viewer::kindOf(const DrawnBody& b, const brep::FaceMesh& m) const {
  const FieldLens* field = fieldLensOf(lens_);
  const bool shown = !field || field->withoutValues() || valuesOf(m);
  return {shown && lens_.looksAt(b.id), b.stale, b.finish};
}

const inspect::FieldValues* Viewer::valuesOf(const brep::FaceMesh& m) const {
  if (!lens_.needsValues() || !result_ || result_->lens.surface != lens_.surface) return nullptr;
  const auto it = result_->values.find(&m);
  return it == result_->values.end() || it->second->size() != m.points.size() ? nullptr : it->second.get();
}

/// How a face is drawn: with the same key it need not be drawn again.
std::string Viewer::keyOf(const DrawnBody& b, const brep::FaceMesh& m) const {
  const auto kind = kindOf(b, m);
  return fmt::format("{} {} {} {} {} {}", b.colourOf(m.face), b.opacity, kind.lens, kind.stale, int(kind.finish),
                     static_cast<const void*>(valuesOf(m)));
}

void Viewer::drawBody(const DrawnBody& b) {
  for (const MeshPtr& f : b.faces) {
    if (meshes_.count(f.get()) || f->triangles.empty()) continue;
    const Handle(Graphic3d_Structure) s = structure();
    const Handle(Graphic3d_Group) g = s->NewGroup();
    const Handle(Graphic3d_AspectFillArea3d) aspect = bothSides();
    aspect->SetShaderProgram(programs_.of(kindOf(b, *f)));
    aspect->SetPolygonOffsets(Aspect_POM_Fill, 1.0f, b.solid ? 2.0f : kSkinBehind);
    if (b.opacity < 1) aspect->SetAlphaMode(Graphic3d_AlphaMode_Blend);
    g->SetGroupPrimitivesAspect(aspect);
    g->AddPrimitiveArray(trianglesOf(*f, bodyColour(b.colourOf(f->face)), b.opacity, valuesOf(*f)));
    s->Display();
    meshes_[f.get()] = s;
    meshKeys_[f.get()] = keyOf(b, *f);
  }
}

void Viewer::drawEdges(const DrawnBody& b) {
  const Handle(Graphic3d_Structure) s = structure();
  s->SetClipPlanes(cutPlanes_);
  std::vector<std::vector<Vec3>> open, inner;
  for (const DrawnEdge& e : *b.edges)
    if (!e.seam) (e.open ? open : inner).push_back(e.points);
  addPolylines(s, open, kCoral, 2.0, Aspect_TOL_DASH);
  addPolylines(s, inner, b.stale ? kSoftInk : kEdgeInk, 1.2);
  s->Display();
  rest_.push_back(s);
}

void Viewer::drawCurves(const std::vector<DrawnCurve>& curves) {
  const Handle(Graphic3d_Structure) s = structure();
  s->SetClipPlanes(cutPlanes_);
  const auto beside = [&](const DrawnCurve& c) {
    return drawnOn_ && std::any_of(c.points.begin(), c.points.end(), [&](const Vec3& p) { return std::abs(drawnOn_->local(p).z()) > kInPlaneMm; });
  };
  for (const bool faint : {false, true}) {
    std::vector<std::vector<Vec3>> lines;
    for (const DrawnCurve& c : curves)
      if ((c.stale || beside(c)) == faint) lines.push_back(c.points);
    addPolylines(s, lines, faint ? kSoftInk : ink_, 1.8);
  }
  std::vector<Vec3> pts;
  for (const DrawnPoint& p : scene_->points) pts.push_back(p.at);
  addPoints(s, pts, ink_, 2.5);
  s->Display();
  rest_.push_back(s);
}

void Viewer::drawArt(const LensArt& art) {
  // What lies in a cut is seen through the form when there are several.
  const bool through = lens_.look<CutLook>().count > 1;
  const Handle(Graphic3d_Structure) over = structure(), beside = structure();
  if (through) over->SetZLayer(Graphic3d_ZLayerId_Topmost);
  beside->SetClipPlanes(cutPlanes_);
  using Look = std::tuple<bool, Ink, double>; // what looks alike is drawn at once
  std::map<Look, std::vector<std::vector<Vec3>>> lines;
  for (const auto& l : art.lines) {
    auto& all = lines[{l.inCut, l.ink, l.width}];
    all.insert(all.end(), l.lines.begin(), l.lines.end());
  }
  for (const auto& [look, all] : lines)
    addPolylines(std::get<0>(look) ? over : beside, all, colourOf(std::get<1>(look), ink_), std::get<2>(look));
  std::map<std::pair<bool, Ink>, std::vector<std::pair<Vec3, Vec3>>> teeth;
  for (const auto& t : art.teeth) {
    auto& all = teeth[{t.inCut, t.ink}];
    all.insert(all.end(), t.teeth.begin(), t.teeth.end());
  }
  for (const auto& [look, list] : teeth) {
    const auto& all = list; // a lambda cannot have a name of a binding
    if (all.empty()) continue;
    const auto draw = [&, ink = look.second](const Handle(Graphic3d_Structure) & s, const auto& wanted) {
      Handle(Graphic3d_ArrayOfSegments) segments = new Graphic3d_ArrayOfSegments(int(all.size()) * 2);
      for (size_t i = 0; i < all.size(); ++i) {
        if (!wanted(i)) continue;
        segments->AddVertex(toPnt(all[i].first));
        segments->AddVertex(toPnt(all[i].second));
      }
      const Handle(Graphic3d_Group) g = s->NewGroup();
      g->SetGroupPrimitivesAspect(new Graphic3d_AspectLine3d(colour(colourOf(ink, ink_)), Aspect_TOL_SOLID, 1.0));
      g->AddPrimitiveArray(segments);
    };
    const size_t every = all.size() / kTeethWhileMoving + 1;
    draw(look.first ? over : beside, [&](size_t i) { return i % every == 0; });
    if (every == 1) continue;
    const Handle(Graphic3d_Structure) detail = structure();
    if (look.first && through) detail->SetZLayer(Graphic3d_ZLayerId_Topmost);
    if (!look.first) detail->SetClipPlanes(cutPlanes_);
    draw(detail, [&](size_t i) { return i % every != 0; });
    detail->SetVisible(detail_);
    detail->Display();
    rest_.push_back(detail);
    details_.push_back(detail);
  }
  for (const auto& d : art.dots) {
    unsigned rgb = colourOf(d.ink, ink_);
    if (d.colour) {
      rgb = 0;
      for (double c : *d.colour) rgb = rgb << 8 | unsigned(std::lround(c * 255));
    }
    addPoints(d.inCut ? over : beside, d.points, rgb, d.size);
  }
  over->Display();
  beside->Display();
  rest_.push_back(over);
  rest_.push_back(beside);
  if (art.fill.empty() || through) return;
  Handle(Graphic3d_ArrayOfTriangles) fill = new Graphic3d_ArrayOfTriangles(int(art.fill.size()) * 3);
  for (const auto& t : art.fill)
    for (const Vec3& p : t) fill->AddVertex(toPnt(p));
  const Handle(Graphic3d_Structure) s = structure();
  const Handle(Graphic3d_Group) g = s->NewGroup();
  const Handle(Graphic3d_AspectFillArea3d) aspect = bothSides();
  aspect->SetShadingModel(Graphic3d_TypeOfShadingModel_Unlit);
  aspect->SetInteriorColor(colour(kFill));
  aspect->SetPolygonOffsets(Aspect_POM_Fill, 1.0f, 2.0f);
  g->SetGroupPrimitivesAspect(aspect);
  g->AddPrimitiveArray(fill);
  s->Display();
  rest_.push_back(s);
}

void Viewer::drawPlanes() {
  const Handle(Graphic3d_Structure) s = structure();
  for (const DrawnPlane& p : scene_->planes) {
    if (p.step == "world" && !planes_) continue;
    addPolylines(s, {outlineOf(p)}, 0x7D8C88, 1.0);
    addPolylines(s, {{p.frame.at(0, 0), p.frame.at(0.06 * (p.high - p.low).maxCoeff(), 0)}}, 0x7D8C88, 2.0);
  }
  s->Display();
  rest_.push_back(s);
}

void Viewer::drawPictures() {
  for (const DrawnPicture& d : scene_->pictures) {
    const recipe::Image& image = *d.picture.image;
    Handle(Image_PixMap) pixels = new Image_PixMap();
    pixels->InitZero(Image_Format_RGBA, size_t(image.width), size_t(image.height));
    pixels->SetTopDown(true);
    for (int y = 0; y < image.height; ++y)
      for (int x = 0; x < image.width; ++x) {
        const unsigned char* q = &image.rgba[(size_t(y) * size_t(image.width) + size_t(x)) * 4];
        pixels->ChangeValue<Graphic3d_Vec4ub>(size_t(y), size_t(x)) =
            Graphic3d_Vec4ub(q[0], q[1], q[2], Standard_Byte(q[3] * d.picture.strength));
      }
    Handle(Graphic3d_ArrayOfTriangles) a = new Graphic3d_ArrayOfTriangles(4, 6, false, false, true);
    const auto corners = d.corners();
    const gp_Pnt2d texels[4] = {{0, 0}, {1, 0}, {1, 1}, {0, 1}};
    for (size_t k = 0; k < 4; ++k) a->AddVertex(toPnt(corners[k]), texels[k]);
    for (int k : {1, 2, 3, 1, 3, 4}) a->AddEdge(k);
    const Handle(Graphic3d_AspectFillArea3d) aspect = bothSides();
    aspect->SetShadingModel(Graphic3d_TypeOfShadingModel_Unlit);
    aspect->SetInteriorColor(Quantity_NOC_WHITE);
    aspect->SetTextureMap(new Graphic3d_Texture2Dmanual(pixels));
    aspect->SetTextureMapOn();
    aspect->SetAlphaMode(Graphic3d_AlphaMode_Blend);
    const Handle(Graphic3d_Structure) s = structure();
    const Handle(Graphic3d_Group) g = s->NewGroup();
    g->SetGroupPrimitivesAspect(aspect);
    g->AddPrimitiveArray(a);
    s->Display();
    rest_.push_back(s);
  }
}

void Viewer::drawGhosts() {
  for (const DrawnGhost& d : scene_->ghosts) {
    const Handle(Graphic3d_Structure) s = structure();
    if (!d.ghost->mesh->triangles.empty() && !surfaceLensOf(lens_).hidesBackdrops()) {
      const Handle(Graphic3d_AspectFillArea3d) aspect = bothSides();
      aspect->SetShaderProgram(programs_.of({false, false, recipe::Finish::Matt}));
      aspect->SetAlphaMode(Graphic3d_AlphaMode_Blend);
      const Handle(Graphic3d_Group) g = s->NewGroup();
      g->SetGroupPrimitivesAspect(aspect);
      g->AddPrimitiveArray(trianglesOf(*d.ghost->mesh, kGhost, d.ghost->strength, nullptr));
    }
    addPolylines(s, d.ghost->edges, kGhost, 1.0);
    if (d.ghost->mesh->triangles.empty() && d.ghost->edges.empty()) addPoints(s, d.ghost->corners, kGhost, 2.0);
    s->Display();
    rest_.push_back(s);
  }
}

} // namespace lumsk::scene

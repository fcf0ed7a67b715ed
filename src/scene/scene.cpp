#include "scene/scene.h"

#include "brep/convert.h"

#include <BRep_Tool.hxx>

#include <algorithm>

namespace lumsk::scene {

namespace {

constexpr int kMovingTriangles = 8000; ///< of the whole drawing while something is dragged
constexpr int kFineTriangles = 60000;

/// A body without its faces, unless they are those of before.
DrawnBody bodyOf(const recipe::BodyEntry& b, Quality quality, const Scene* previous) {
  DrawnBody d;
  d.id = b.id, d.step = b.step, d.output = b.output, d.label = b.label, d.colour = b.colour;
  d.stale = b.stale, d.solid = b.body->solid(), d.opacity = b.opacity, d.finish = b.finish;
  d.faceColours = b.faceColours;
  d.body = b.body;
  // Edits from far away (visibility, colour, another body) leave this body's shape the same object.
  for (const auto* list : {previous ? &previous->bodies : nullptr, previous ? &previous->later : nullptr})
    for (size_t i = 0; list && i < list->size(); ++i)
      if (const DrawnBody& old = (*list)[i]; old.body == b.body && (quality == Quality::Moving || old.fine)) {
        d.fine = old.fine;
        d.wanted = old.wanted;
        d.faces = old.faces;
        d.edges = old.edges;
        d.vertices = old.vertices;
        return d;
      }
  d.fine = quality == Quality::Fine;
  return d;
}

/// Bodies share what there is to be drawn by what each needs.
void mesh(const std::vector<DrawnBody*>& bodies, Quality quality) {
  const brep::MeshLimits limits = quality == Quality::Moving ? brep::MeshLimits{0.3, 12} : brep::MeshLimits{0.03, 5};
  std::vector<std::pair<DrawnBody*, brep::DisplayMesher>> fresh;
  double wanted = 0;
  for (DrawnBody* d : bodies) {
    if (!d->edges) {
      fresh.emplace_back(d, brep::DisplayMesher(*d->body, limits));
      d->wanted = fresh.back().second.wanted();
    }
    wanted += d->wanted;
  }
  const double share = std::min(1.0, (quality == Quality::Moving ? kMovingTriangles : kFineTriangles) / std::max(1.0, wanted));
  for (auto& [d, mesher] : fresh) {
    for (brep::FaceMesh& m : mesher.mesh(share)) d->faces.push_back(std::make_shared<const brep::FaceMesh>(std::move(m)));
    d->edges = std::make_shared<const std::vector<DrawnEdge>>(brep::displayEdges(*d->body));
    const auto vertices = brep::vertices(*d->body);
    for (size_t i = 0; i < vertices.size(); ++i)
      d->vertices.emplace_back(d->body->vertexNames[i], brep::toVec(BRep_Tool::Pnt(vertices[i])));
  }
}

} // namespace

const std::string& DrawnBody::colourOf(const std::string& face) const {
  const std::string* best = &colour;
  size_t longest = 0; // a piece keeps the colour of the face it was cut from
  for (const auto& [of, c] : faceColours)
    if (of.size() > longest && face.rfind(of, 0) == 0 && (face.size() == of.size() || !std::isalnum((unsigned char)face[of.size()])))
      best = &c, longest = of.size();
  return *best;
}

namespace {

constexpr double kHalfReach = 0.02; ///< mm: what is this near to the side plane lies in it

Vec3 imageOf(const Vec3& p) { return {-p.x(), p.y(), p.z()}; }

/// Whether points lie on one side of the side plane.
template <class Lists> bool onOneSide(const Lists& lists) {
  double low = 0, high = 0;
  for (const auto& list : lists)
    for (const Vec3& p : list) low = std::min(low, p.x()), high = std::max(high, p.x());
  return std::min(-low, high) <= kHalfReach && std::max(-low, high) > kHalfReach;
}

bool inSidePlane(const std::vector<Vec3>& line) {
  return !line.empty() &&
         std::all_of(line.begin(), line.end(), [](const Vec3& p) { return std::abs(p.x()) <= kHalfReach; });
}

std::optional<DrawnBody> otherHalf(const DrawnBody& b, const Scene* previous) {
  std::vector<std::vector<Vec3>> points;
  for (const MeshPtr& f : b.faces) points.push_back(f->points);
  if (!onOneSide(points) || std::none_of(b.edges->begin(), b.edges->end(),
                                         [](const DrawnEdge& e) { return e.open && inSidePlane(e.points); }))
    return {};
  if (previous)
    for (size_t i = 0; i < previous->otherHalves.size(); ++i)
      if (previous->otherHalves[i].body == b.body && previous->otherHalves[i].faces.size() == b.faces.size() &&
          !b.faces.empty() && previous->otherHalves[i].faces[0]->points.size() == b.faces[0]->points.size())
        return previous->otherHalves[i];
  DrawnBody out = b;
  out.stale = true; // faint
  out.vertices.clear();
  for (MeshPtr& f : out.faces) {
    auto image = std::make_shared<brep::FaceMesh>(*f);
    for (Vec3& p : image->points) p = imageOf(p);
    for (Vec3& n : image->normals) n = imageOf(n);
    for (auto& t : image->triangles) std::swap(t[1], t[2]);
    image->findBox();
    f = std::move(image);
  }
  auto edges = std::make_shared<std::vector<DrawnEdge>>(*b.edges);
  for (DrawnEdge& e : *edges)
    for (Vec3& p : e.points) p = imageOf(p);
  out.edges = std::move(edges);
  return out;
}

void addOtherHalf(Scene& d, const Scene* previous) {
  for (const DrawnBody& b : d.bodies)
    if (auto half = otherHalf(b, previous)) d.otherHalves.push_back(std::move(*half));
  if (d.otherHalves.empty() && !(d.bodies.empty() && d.later.empty())) return; // the whole is there
  for (const DrawnCurve& c : d.curves) {
    const bool ends = !c.points.empty() &&
                      (std::abs(c.points.front().x()) <= kHalfReach || std::abs(c.points.back().x()) <= kHalfReach);
    if (!ends || !onOneSide(std::vector<std::vector<Vec3>>{c.points})) continue;
    DrawnCurve image = c;
    image.stale = true;
    image.path = std::make_shared<const nurbs::Path>(nurbs::mirrored(*c.path, recipe::worldPlanes().back().second));
    for (Vec3& p : image.points) p = imageOf(p);
    image.marks.clear();
    image.given.clear();
    d.otherCurves.push_back(std::move(image));
  }
}

} // namespace

int Scene::triangles() const {
  size_t n = 0;
  for (const auto& b : bodies)
    for (const auto& f : b.faces) n += f->triangles.size();
  return int(n);
}

namespace {

/// As much of a plane as lies beside the form, and a little more; of a flat form enough to be seen and hit.
DrawnPlane aroundForm(DrawnPlane p, const Vec3& low, const Vec3& high) {
  constexpr double kMargin = 0.12, kLeast = 0.4;
  const double beyond = kMargin * (high - low).maxCoeff(), least = kLeast * (high - low).maxCoeff();
  p.low = Vec2::Constant(1e300), p.high = -p.low;
  for (int k = 0; k < 8; ++k) {
    const Vec3 corner(k & 1 ? high.x() : low.x(), k & 2 ? high.y() : low.y(), k & 4 ? high.z() : low.z());
    const Vec2 on = p.frame.local(corner).head<2>();
    p.low = p.low.cwiseMin(on - Vec2::Constant(beyond));
    p.high = p.high.cwiseMax(on + Vec2::Constant(beyond));
  }
  const Vec2 middle = 0.5 * (p.low + p.high);
  p.low = p.low.cwiseMin(middle - Vec2::Constant(least));
  p.high = p.high.cwiseMax(middle + Vec2::Constant(least));
  return p;
}

} // namespace

std::vector<Vec3> outlineOf(const DrawnPlane& p) {
  const auto at = [&](double x, double y) { return p.frame.at(x, y); };
  return {at(p.low.x(), p.low.y()), at(p.high.x(), p.low.y()), at(p.high.x(), p.high.y()), at(p.low.x(), p.high.y()),
          at(p.low.x(), p.low.y())};
}

std::array<Vec3, 4> DrawnPicture::corners() const {
  const double w = 0.5 * picture.widthMm, h = 0.5 * picture.heightMm;
  return {picture.frame.at(-w, -h), picture.frame.at(w, -h), picture.frame.at(w, h), picture.frame.at(-w, h)};
}

Outline outlineOf(const Scene& d, const Highlight& h) {
  Outline out;
  for (const DrawnCurve& c : d.curves) {
    if (c.step != h.step) continue;
    if (h.kind != recipe::Kind::Point && (h.part.empty() || h.part == c.part)) out.lines.push_back(c.points);
    for (const auto* points : {&c.marks, &c.given})
      for (const auto& [name, at] : *points)
        if (h.part == name || h.part == c.output + "/" + name) out.points.push_back(at);
  }
  for (const DrawnPoint& p : d.points)
    if (p.step == h.step && (p.part == h.part || h.part.empty())) out.points.push_back(p.at);
  for (const DrawnBody& b : d.bodies) {
    if (b.step != h.step) continue;
    const bool whole = h.part == b.partName("");
    for (const DrawnEdge& e : *b.edges) {
      const bool ofFace =
          h.kind == recipe::Kind::Face &&
          (b.partName(e.name).rfind(h.part + "|", 0) == 0 ||
           e.name.find("|" + h.part.substr(b.output.empty() ? 0 : b.output.size() + 1)) != std::string::npos);
      if ((!e.seam && (whole || ofFace)) || b.partName(e.name) == h.part) out.lines.push_back(e.points);
    }
    for (const auto& [name, at] : b.vertices)
      if (b.partName(name) == h.part) out.points.push_back(at);
  }
  for (const DrawnPlane& p : d.planes)
    if (p.step == h.step && p.part == h.part) out.lines.push_back(outlineOf(p));
  if (h.step == "world" && h.part == "origin") out.points.push_back(Vec3::Zero());
  return out;
}

ScenePtr draw(const recipe::Model& model, Quality quality, const Scene* previous, const recipe::Model* whole) {
  auto out = std::make_shared<Scene>();
  const auto& recipe = *model.recipe;
  out->point = recipe.tolerances.point;
  const auto visible = [&](const std::string& step) {
    const auto look = recipe.looks.find(step);
    return look == recipe.looks.end() || look->second.visible;
  };
  Vec3 low = Vec3::Constant(1e300), high = Vec3::Constant(-1e300);
  const auto reach = [&](const Vec3& p) {
    low = low.cwiseMin(p);
    high = high.cwiseMax(p);
  };

  for (const auto& b : model.bodies)
    if (b.visible) out->bodies.push_back(bodyOf(b, quality, previous));
  if (whole)
    for (const auto& b : whole->bodies)
      if (b.visible &&
          std::none_of(out->bodies.begin(), out->bodies.end(), [&](const DrawnBody& d) { return d.body == b.body; }))
        out->later.push_back(bodyOf(b, quality, previous));
  std::vector<DrawnBody*> drawn;
  for (auto* list : {&out->bodies, &out->later})
    for (DrawnBody& d : *list) drawn.push_back(&d);
  mesh(drawn, quality);
  for (const DrawnBody* d : drawn)
    for (const auto& f : d->faces)
      for (const Vec3& p : f->points) reach(p);
  for (const auto& s : recipe.steps) {
    const recipe::StepResult* r = model.result(s->id);
    if (!r || !r->outcome || r->status == recipe::Status::Off || !visible(s->id)) continue;
    for (const recipe::Output& o : r->outcome->outputs) {
      if (model.isHidden(s->id, o.name)) continue;
      if (const auto* curve = std::get_if<recipe::CurvePtr>(&o.object)) {
        DrawnCurve c{s->id, o.name, recipe::pickPart(*r->outcome, o), s->label, *curve, {}, recipe::pointsOf(**curve), {},
                     r->status != recipe::Status::Ok};
        for (const recipe::NamedPoint& p : r->outcome->points)
          if (p.output == o.name) c.given.emplace_back(p.name, p.at);
        const Points pts = nurbs::polylineWithin(**curve, quality == Quality::Moving ? 0.1 : 0.02);
        for (Eigen::Index i = 0; i < pts.rows(); ++i) {
          c.points.push_back(pts.row(i).transpose());
          reach(c.points.back());
        }
        out->curves.push_back(std::move(c));
      } else if (const auto* point = std::get_if<recipe::PointObject>(&o.object)) {
        out->points.push_back({s->id, s->label, point->at, o.name});
        reach(point->at);
      } else if (const auto* plane = std::get_if<recipe::PlaneObject>(&o.object)) {
        const Vec2 half = Vec2::Constant(plane->halfSizeMm);
        out->planes.push_back({s->id, "", s->label, plane->frame, -half, half});
      } else if (const auto* picture = std::get_if<recipe::PictureObject>(&o.object)) {
        out->pictures.push_back({s->id, s->label, *picture});
        for (const Vec3& p : out->pictures.back().corners()) reach(p);
      } else if (const auto* ghost = std::get_if<recipe::GhostPtr>(&o.object)) {
        out->ghosts.push_back({s->id, s->label, *ghost});
        for (const auto* points : {&(*ghost)->mesh->points, &(*ghost)->corners})
          for (const Vec3& p : *points) reach(p);
      }
    }
  }
  addOtherHalf(*out, previous);
  if (!out->otherHalves.empty()) {
    low.x() = std::min(low.x(), -high.x());
    high.x() = std::max(high.x(), -low.x());
  }
  if (low.x() <= high.x()) {
    out->low = low;
    out->high = high;
  }
  for (const auto& [part, frame] : recipe::worldPlanes())
    out->planes.push_back(aroundForm({"world", part, part + " plane", frame}, out->low, out->high));
  return out;
}

} // namespace lumsk::scene

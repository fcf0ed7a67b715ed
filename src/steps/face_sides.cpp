#include "steps/face_sides.h"

#include "brep/skin.h"
#include "nurbs/measure/closest.h"

namespace lumsk::steps {

using namespace recipe;
using nurbs::Side;

namespace {

constexpr double kOnSide = 10; ///< point tolerances within which an edge lies on a side

Vec3 onSide(const nurbs::Surface& s, Side side, double t) {
  const double u = s.firstU() + (s.lastU() - s.firstU()) * t, v = s.firstV() + (s.lastV() - s.firstV()) * t;
  switch (side) {
  case nurbs::FirstU: return s.at(s.firstU(), v);
  case nurbs::LastU: return s.at(s.lastU(), v);
  case nurbs::FirstV: return s.at(u, s.firstV());
  default: return s.at(u, s.lastV());
  }
}

bool liesOn(const nurbs::Path& edge, const nurbs::Surface& s, Side side, double near) {
  for (double t : {0.0, 0.31, 0.5, 0.77, 1.0})
    if (nurbs::closestPoint(edge, onSide(s, side, t)).distanceMm > near) return false;
  const Vec3 a = onSide(s, side, 0), b = onSide(s, side, 1);
  return std::min((edge.start() - a).norm() + (edge.end() - b).norm(),
                  (edge.start() - b).norm() + (edge.end() - a).norm()) < 2 * near;
}

std::optional<Side> sideOn(const nurbs::Surface& s, const nurbs::Path& edge, LengthTolerance point) {
  for (Side side : {nurbs::FirstU, nurbs::LastU, nurbs::FirstV, nurbs::LastV}) {
    const bool seam = s.closedU() && (side == nurbs::FirstU || side == nurbs::LastU);
    if (!seam && liesOn(edge, s, side, kOnSide * point.mm)) return side;
  }
  return {};
}

} // namespace

Vec3 FaceSide::middle() const { return onSide(*surface, side, 0.5); }

Vec3 FaceSide::inwards() const {
  nurbs::SurfaceDerivatives d;
  const nurbs::Surface& s = *surface;
  const bool u = side == nurbs::FirstU || side == nurbs::LastU, last = side == nurbs::LastU || side == nurbs::LastV;
  s.derivatives(u ? (last ? s.lastU() : s.firstU()) : 0.5 * (s.firstU() + s.lastU()),
                u ? 0.5 * (s.firstV() + s.lastV()) : (last ? s.lastV() : s.firstV()), 1, d);
  const double width = (onSide(s, Side(int(side) ^ 1), 0.5) - middle()).norm();
  const Vec3 way = (u ? d(1, 0) : d(0, 1)) * (last ? -1.0 : 1.0);
  return way.norm() > 0 ? Vec3(way.normalized() * width) : Vec3(onSide(s, Side(int(side) ^ 1), 0.5) - middle());
}

std::shared_ptr<const nurbs::Surface> splineOf(const brep::Body& body, int face) {
  if (const auto n = body.natural.find(body.faceNames[size_t(face)]); n != body.natural.end()) return n->second.surface;
  const auto natural = brep::naturalOf(brep::faces(body)[size_t(face)]);
  return natural ? natural->surface : nullptr;
}

std::optional<FaceSide> sideAt(const brep::BodyPtr& body, int edge, const nurbs::Path& path, LengthTolerance point,
                               int but) {
  for (int face : brep::facesAt(*body, edge)) {
    if (face == but) continue;
    FaceSide out;
    out.face = face;
    out.body = body;
    out.surface = splineOf(*body, face);
    if (!out.surface) continue;
    if (const auto side = sideOn(*out.surface, path, point)) {
      out.side = *side;
      return out;
    }
  }
  return {};
}

Expected<FaceSide> sideOf(const Picked& edge, const std::string& called, LengthTolerance point) {
  const auto* path = std::get_if<CurvePtr>(&edge.object);
  const Vec3 at = path ? (*path)->at(0.5 * (*path)->last()) : Vec3(Vec3::Zero());
  const auto refused = [&](const char* code, const std::string& what, const char* remedy) {
    Problem p = problem(code, what).at(at).inField("edges").tryThis(remedy);
    p.item = edge.item;
    return fail(std::move(p));
  };
  if (!path || !edge.body || edge.index < 0 || edge.master)
    return refused("LM-J005", called + " is a part of an edge: whole edges of skins are matched",
                   "pick the edge as a whole");
  const auto faces = brep::facesAt(*edge.body, edge.index);
  int splines = 0;
  for (int f : faces) splines += splineOf(*edge.body, f) != nullptr;
  if (splines == 0)
    return refused("LM-J010", called + " belongs to a face that is trimmed, or is no spline",
                   "match the skin before it is trimmed, or close the room with a boundary patch");
  if (faces.size() > 1)
    return refused("LM-J005", called + " lies between two faces of one skin", "match the skins before they are knitted");
  auto side = sideAt(edge.body, edge.index, **path, point);
  if (!side)
    return refused("LM-J005", called + " is no whole side of its face", "pick an edge that runs from corner to corner");
  side->pick = edge;
  return *side;
}

Expected<brep::BodyPtr> rebuilt(Outcome& out, const brep::Body& body,
                                const brep::OtherSplines& changed,
                                const std::string& remedy, const Context& cx) {
  LUMSK_TRY(made, brep::withSurfaces(body, changed, cx));
  if (!made.nearMisses.empty()) {
    Problem p = problem("LM-J105", "the skin opens where its faces do not meet any more")
                    .measure(millimetres(made.nearMisses.front().gapMm))
                    .tryThis(remedy);
    for (const auto& miss : made.nearMisses) p.at(miss.at);
    out.notes.push_back(std::move(p));
  }
  return made.body;
}

} // namespace lumsk::steps

#include "steps/neighbours.h"

#include "brep/convert.h"
#include "brep/curves_on.h"
#include "nurbs/measure/closest.h"
#include "nurbs/curves/curve_parts.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

Expected<nurbs::Neighbour> neighbourOn(const brep::BodyPtr& body, int face, const Context& cx) {
  LUMSK_TRY(faces, brep::BodyFaces::of(*body, face, cx));
  const auto kept = std::make_shared<brep::BodyFaces>(std::move(faces));
  return nurbs::Neighbour([kept, body](const Vec3& p) { return kept->beside(p); });
}

} // namespace

Expected<nurbs::Neighbour> neighbourFrom(const Picked& picked, const Context& cx) {
  return neighbourOn(std::get<brep::BodyPtr>(picked.object), picked.kind == Kind::Face ? picked.index : -1, cx);
}

Expected<nurbs::Neighbour> neighbourAt(const Picked& edge, bool chain, const std::string& field, const Context& cx) {
  if (edge.kind != Kind::Edge || !edge.body || edge.index < 0) return nurbs::Neighbour();
  const auto faces = brep::facesAt(*edge.body, edge.index);
  if (faces.empty()) return nurbs::Neighbour();
  if (faces.size() > 1) {
    Problem p = problem("LM-L016", "two faces meet at this edge").inField(field);
    if (const auto* curve = std::get_if<CurvePtr>(&edge.object)) p.at((*curve)->at(0.5 * (*curve)->last()));
    return fail(std::move(p.tryThis("pick the face that the skin is to flow into")));
  }
  return neighbourOn(edge.body, chain ? -1 : faces.front(), cx);
}

std::optional<nurbs::Path> edgeAlong(const brep::Body& body, const nurbs::Path& curve, const Tolerances& tol) {
  constexpr int kLooks = 24;
  const double near = 2 * tol.fit.mm;
  const auto onCurve = [&](double f) { return curve.at(f * curve.last()); };
  for (const TopoDS_Edge& e : brep::edges(body)) {
    auto path = brep::toPath(e);
    if (!path || path->closed() != curve.closed()) continue;
    const auto ends = [&](const Vec3& p) {
      return std::min((path->start() - p).norm(), (path->end() - p).norm()) <= tol.point.mm;
    };
    if (!curve.closed() && !(ends(curve.start()) && ends(curve.end()))) continue;
    bool along = true;
    for (int i = 1; i < kLooks && along; ++i)
      along = nurbs::closestPoint(*path, onCurve(double(i) / kLooks)).distanceMm <= near;
    for (int i = 1; i < kLooks && along; ++i)
      along = nurbs::closestPoint(curve, path->at(path->last() * i / kLooks)).distanceMm <= near;
    if (!along) continue;
    if (curve.closed() && (path->start() - curve.start()).norm() > tol.point.mm) { // it starts elsewhere
      auto turned = nurbs::splitAt(*path, {nurbs::closestPoint(*path, curve.start()).t}, tol.point);
      if (!turned || turned->size() != 1 || !turned->front().closed()) continue;
      path = std::move(turned->front());
    }
    const auto t = [&](double f) { return nurbs::closestPoint(*path, onCurve(f)).t; };
    return t(0.3) < t(0.6) ? *path : nurbs::reversed(*path);
  }
  return {};
}

Expected<nurbs::Neighbour> neighbourOf(const std::vector<Picked>& skins, const Picked& pick, const nurbs::Path& curve,
                                       bool chain, const Context& cx) {
  const Vec3 at = curve.at(0.37 * curve.last());
  for (const Picked& skin : skins) {
    LUMSK_TRY(n, neighbourFrom(skin, cx));
    if (nurbs::placeOn(n, at, cx.tolerances.point, "", "")) return n;
  }
  return neighbourAt(pick, chain, "skins", cx);
}

Problem joinNote(const std::string& code, const std::string& what, const nurbs::SkinJoin& j, const Tolerances& tol) {
  Problem p = problem(code, what).at(j.at);
  if (j.angleDeg > tol.angle.deg)
    p.measure(degrees(j.angleDeg)).want(degrees(tol.angle.deg));
  else if (j.curvature > tol.curvature.relative)
    p.measure(ratio(j.curvature)).want(ratio(tol.curvature.relative));
  else
    p.measure(ratio(j.rate)).want(ratio(nurbs::SkinJoin::kRateAllowed));
  return p;
}

Problem cornerNote(const nurbs::PatchCorner& c, const Tolerances& tol) {
  const bool kink = c.angleDeg > tol.angle.deg;
  Problem p =
      kink ? problem("LM-H102", "what the patch is to flow into has no common tangent plane at this corner")
                 .measure(degrees(c.angleDeg))
                 .want(degrees(tol.angle.deg))
           : problem("LM-H103", "what the patch is to flow into bends differently at this corner: curvature is met "
                                "outside a zone of " +
                                    formatNumber(c.zoneMm, 2) + " mm")
                 .measure(ratio(c.curvature))
                 .want(ratio(tol.curvature.relative));
  return std::move(p.at(c.at).tryThis(kink ? "match the neighbours there, or let one of the edges be G0"
                                           : "match the neighbours to one another, or ask for less at one of the edges"));
}

} // namespace lumsk::steps

#include "nurbs/on_skin/curl.h"

#include "brep/convert.h"
#include "brep/edge_paths.h"
#include "brep/extend.h"
#include "brep/knit.h"
#include "brep/skin.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "steps/bodies.h"

namespace lumsk::steps {

using namespace recipe;

namespace curl_ {

constexpr double kJoinsWithin = 10; ///< point tolerances: ends of edges that are one

Schema schema() {
  return {picks("edges", "Edges", "Open edges of a skin along which it is curled.", Kind::Edge),
          choice("along", "Along", "How far the bead runs.",
                 {{"chain", "the edges and what goes on from them smoothly"}, {"alone", "the picked edges only"}}),
          length("radius", "Radius", "Of the bead.", "2").within(0.001, 1e4).withHandle(Handle::Distance),
          angle("angle", "Angle", "How far the bead turns: 180 brings it back beside the edge.", "270").within(1, 350),
          choice("side", "Turns to", "The side of the skin to which the bead turns.",
                 {{"front", "the front"}, {"back", "the back"}})};
}

/// What a bead runs along, with a picked edge of it.
struct Rim {
  nurbs::Path path;
  int edge = -1;
};

Expected<std::vector<Rim>> rimsOf(const PickedParts& p, bool chain, const Tolerances& tol) {
  const LengthTolerance near{kJoinsWithin * tol.point.mm};
  const auto all = brep::edges(*p.body);
  std::vector<TopoDS_Edge> chosen;
  for (int e : p.edges) chosen.push_back(all[size_t(e)]);
  std::vector<Rim> out;
  for (const brep::Ring& ring : chain ? brep::openRings(p.body->shape) : brep::chained(chosen, near.mm)) {
    std::vector<std::pair<int, Vec3>> of; // picked edges with their middles
    for (int e : p.edges)
      if (std::any_of(ring.edges.begin(), ring.edges.end(), [&](const TopoDS_Edge& x) { return x.IsSame(all[size_t(e)]); }))
        if (const auto path = brep::toPath(all[size_t(e)])) of.emplace_back(e, path->at(0.5 * path->last()));
    if (of.empty()) continue;
    LUMSK_TRY(whole, brep::pathAlong(ring, near));
    std::vector<nurbs::Path> parts{whole};
    if (const auto corners = whole.corners(tol.corner); !corners.empty()) {
      LUMSK_TRY(cut, nurbs::splitAt(whole, corners, near));
      parts = std::move(cut);
    }
    for (nurbs::Path& part : parts)
      for (const auto& [edge, at] : of)
        if (nurbs::closestPoint(part, at).distanceMm <= near.mm) {
          out.push_back({std::move(part), edge});
          break;
        }
  }
  return out;
}

/// The bead along a rim, with the skin to the left of that, seen from its front.
Expected<nurbs::Curl> beadAlong(Rim& rim, const brep::Body& body, const brep::BodyFaces& skin, const Inputs& in, const Context& cx) {
  const auto way = brep::wayOut(body, rim.edge);
  if (!way)
    return fail(problem("LM-C042", "the skin has no direction beyond this edge").at(rim.path.start()).tryThis("pick other edges"));
  const auto leaving = [&skin](const Vec3& at, const Vec3& tangent) {
    const auto beside = skin.beside(at);
    const Vec3 n = beside ? beside->normal : Vec3(Vec3::UnitZ());
    return nurbs::Leaving{tangent.cross(n).normalized(), n};
  };
  nurbs::CurveDerivatives d{};
  rim.path.derivatives(nurbs::closestPoint(rim.path, way->at).t, 1, d);
  if (leaving(way->at, d[1].normalized()).out.dot(way->direction) < 0) rim.path = nurbs::reversed(rim.path);
  nurbs::CurlOptions o;
  o.radiusMm = in.number("radius");
  o.angleRad = radFromDeg(in.number("angle"));
  o.toFront = in.text("side") == "front";
  o.leaving = leaving;
  return nurbs::curlAlong(rim.path, o, cx);
}

/// Where beads end beside one another and are open.
std::vector<Vec3> gapsBetween(const std::vector<nurbs::Surface>& beads, LengthTolerance near) {
  std::vector<Vec3> ends, out;
  for (const nurbs::Surface& s : beads)
    if (!s.closedU())
      for (double u : {s.firstU(), s.lastU()}) {
        const Vec3 p = s.at(u, s.firstV());
        if (std::any_of(ends.begin(), ends.end(), [&](const Vec3& q) { return (p - q).norm() <= near.mm; })) out.push_back(p);
        ends.push_back(p);
      }
  return out;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  Outcome out;
  const double side = in.text("side") == "front" ? 1 : -1;
  double longest = 0;
  Vec3 middle = Vec3::Zero(), up = Vec3::Zero();
  int points = 0;
  for (const PickedParts& p : partsByBody(in.picked("edges"))) {
    for (int e : p.edges)
      if (!brep::isOpen(*p.body, e)) {
        Problem inner = problem("LM-C033", "an edge joins two faces: there is no rim to curl").tryThis("pick open edges");
        if (const auto path = brep::toPath(brep::edges(*p.body)[size_t(e)])) inner.at(path->at(0.5 * path->last()));
        inner.inField("edges").item = p.item;
        return fail(std::move(inner));
      }
    LUMSK_TRY(skin, brep::BodyFaces::of(*p.body, -1, cx));
    auto faces = brep::namedFaces(*p.body);
    LUMSK_TRY(rims, rimsOf(p, in.text("along") == "chain", cx.tolerances));
    std::vector<nurbs::Surface> beads;
    for (Rim& rim : rims) {
      auto bead = beadAlong(rim, *p.body, skin, in, cx);
      if (!bead) return fail(bead.error().inField("radius"));
      beads.insert(beads.end(), bead->strips.begin(), bead->strips.end());
      if (const double mm = nurbs::ArcLength(rim.path).total(); mm > longest) {
        longest = mm;
        middle = rim.path.at(0.5 * rim.path.last());
        if (const auto front = skin.beside(middle)) up = side * front->normal;
      }
    }
    for (size_t i = 0; i < beads.size(); ++i) {
      brep::NaturalFace n{std::make_shared<const nurbs::Surface>(beads[i])};
      n.asked[2] = Meets::G1;
      points += beads[i].controlPoints();
      faces.push_back({brep::naturalFace(beads[i], false, cx.tolerances.point),
                       brep::faceName(in.stepId(), "bead", i == 0 ? p.item : p.item + "-" + std::to_string(i + 1)), n});
    }
    LUMSK_TRY(knitted, brep::knitFaces(faces, {kJoinsWithin * cx.tolerances.point.mm}, cx));
    putParts(out, p, {knitted.body});
    const auto gaps = gapsBetween(beads, {kJoinsWithin * cx.tolerances.point.mm});
    if (gaps.empty()) continue;
    Problem open = problem("LM-C109", "the bead is open at corners of the rim").tryThis("round the corners of the skin first");
    open.where = gaps;
    out.notes.push_back(std::move(open));
  }
  out.marks.add(HandlePlace{"radius", middle, up, 2.0});
  out.summary = "radius " + format(millimetres(in.number("radius"))) + " - " + format(millimetres(longest)) + " - " + std::to_string(points) + " points";
  return out;
}

} // namespace curl_

Step curl() { return Step{"curl", 1, "Curl a rim", Stage::Trim, curl_::schema, curl_::compute}.under("go on"); }

} // namespace lumsk::steps

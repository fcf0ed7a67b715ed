#include "brep/mirror.h"

#include "inspect/mirror_plane.h"
#include "nurbs/joins/side_conditions.h"
#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace mirror_ {

Schema schema() {
  return {
      picks("what", "Half", "The body, curve or point to mirror.", Kind::Skin | Kind::Solid | Kind::Curve | Kind::Point)
          .atMost(1),
      picks("plane", "Mirror plane", "The plane of the mirror; without one, the side plane.", Kind::Plane)
          .optional()
          .atMost(1),
      choice("keep", "Result", "What becomes of the half and its image: one body, or the image as a body of its own.",
             {{"one", "one body"}, {"copy", "image apart"}}),
      toggle("merge", "Merge seam", "Faces that meet their image at the plane become one face.", false)
          .when("keep", {"one"}),
      length("gap", "Largest gap", "Edges this near to the plane count as in it.", "0.01")
          .within(0.0001, 1)
          .when("keep", {"one"})};
}

/// The change of the step before that would make its side meet the plane. Sides of untrimmed faces carry the names of
/// the fields that govern them: "s5.skin|left:p4".
std::optional<Remedy> remedyFor(const std::string& edge, const std::string& meets, const std::string& words) {
  const auto dot = edge.find('.'), bar = edge.find('|');
  if (dot == std::string::npos || bar == std::string::npos || edge.find('(') < bar) return {};
  const std::string side = edge.substr(bar + 1);
  return Remedy{words, side.substr(0, side.find(':')), meets, edge.substr(0, dot)};
}

/// What is measured at the plane: figures for the row, and notes where the seam will show.
std::string checkAtPlane(const brep::Body& half, const Frame& plane, double gap, const Tolerances& tol, Outcome& out) {
  double off = 0, angle = 0, rate = 0;
  for (const auto& e : inspect::atPlane(half, plane, gap)) {
    off = std::max(off, e.offMm), angle = std::max(angle, e.angleDeg), rate = std::max(rate, e.curvatureRate);
    if (e.offMm > tol.point.mm)
      out.notes.push_back(problem("LM-M101", "an edge lies beside the mirror plane: the halves meet with a gap")
                              .measure(millimetres(e.offMm))
                              .want(millimetres(tol.point.mm))
                              .at(e.offAt)
                              .tryThis("move the curve there into the plane"));
    if (e.angleDeg > tol.angle.deg) {
      Problem p = problem("LM-M102", "the half does not leave the plane squarely: the seam shows as an edge")
                      .measure(degrees(e.angleDeg))
                      .want(degrees(tol.angle.deg))
                      .at(e.angleAt);
      if (auto r = remedyFor(e.edge, "perpendicular", "make this side square")) p.offer(*r);
      out.notes.push_back(std::move(p));
    } else if (e.curvatureRate > nurbs::kFlatKink) {
      Problem p =
          problem("LM-M103", "the curvature has a kink at the plane (dk/ds L²): a ridge may show in reflections")
              .measure(ratio(e.curvatureRate))
              .want(ratio(nurbs::kFlatKink))
              .at(e.rateAt);
      if (auto r = remedyFor(e.edge, "g3", "make this side G3")) p.offer(*r);
      out.notes.push_back(std::move(p));
    }
  }
  return format(millimetres(off), 2) + " - " + format(degrees(angle), 2) + " - dk/ds " + formatNumber(rate, 2);
}

Expected<Outcome> ofBody(const Inputs& in, const brep::BodyPtr& half, const Frame& plane, const Context& cx) {
  const std::string source = in.picked("what").front().objectId();
  Outcome out;
  if (in.text("keep") == "copy") {
    LUMSK_TRY(image, brep::mirrored(*half, plane, in.stepId()));
    out.outputs.push_back({"", image, ""});
    out.summary = "image apart";
    return out;
  }
  brep::MirrorOptions o;
  o.step = in.stepId();
  o.largestGap = {in.number("gap")};
  o.mergeSeam = in.on("merge");
  LUMSK_TRY(made, brep::joinWithImage(*half, plane, o, cx));
  out.outputs.push_back({"", made.body, source});
  out.usedUp.push_back(source);
  const std::string figures = checkAtPlane(*half, plane, in.number("gap"), cx.tolerances, out);
  out.summary = std::string(made.body->solid() ? "solid" : "one skin") + " - at the plane " + figures;
  if (o.mergeSeam && made.merged == 0)
    out.notes.push_back(problem("LM-M104", "no seam was merged: no untrimmed face has a whole side in the plane"));
  return out;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const Picked& what = in.picked("what").front();
  const Frame plane = in.plane("plane", sidePlane());
  if (const auto* body = std::get_if<brep::BodyPtr>(&what.object)) return ofBody(in, *body, plane, cx);
  Outcome out;
  if (const auto* point = std::get_if<PointObject>(&what.object)) {
    out.outputs.push_back({"", PointObject{nurbs::mirroredPoint(point->at, plane)}, ""});
  } else {
    const auto& path = *std::get<CurvePtr>(what.object);
    if (in.text("keep") == "one") {
      LUMSK_TRY(whole, nurbs::joinedWithImage(path, plane, cx.tolerances.point));
      out.outputs.push_back({"", std::make_shared<const nurbs::Path>(whole), ""});
      if (what.step != "world") out.usedUp.push_back(what.objectId());
    } else {
      out.outputs.push_back({"", std::make_shared<const nurbs::Path>(nurbs::mirrored(path, plane)), ""});
    }
  }
  out.summary = "mirrored";
  return out;
}

} // namespace mirror_

Step mirror() { return Step{"mirror", 1, "Mirror", Stage::Trim, mirror_::schema, mirror_::compute}.under("change"); }

} // namespace lumsk::steps

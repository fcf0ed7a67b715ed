#include "nurbs/fit/interpolate.h"
#include "nurbs/curves/shapes.h"
#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace spline_ {

constexpr int kUsualDegree = 3;

std::vector<Option> endOptions() {
  return {{"free", "free"},
          {"direction", "direction"},
          {"perpendicular", "square to mirror plane"},
          {"g3", "G3 at mirror plane"}};
}

Schema schema() {
  return {
      onPlaneField(),
      choice("by", "Points are", "Points the curve passes through, or its control points.",
             {{"through", "through"}, {"control", "control"}}),
      points("points", "Points", "x, y, z in mm; on a picked plane x and y along its directions.")
          .onPlane("plane")
          .endsAt("start", "end", "mirror"),
      countField("degree", "Degree", "Degree of the spline; lowered when there are too few points.",
                 std::to_string(kUsualDegree))
          .within(1, 7),
      toggle("closed", "Closed", "Joins the last point to the first smoothly.", false),
      choice("start", "Start", "What the curve does at the first point.", endOptions())
          .when("closed", {"false"})
          .when("by", {"through"}),
      angle("startAngle", "Angle", "In the plane, from its first direction.", "0")
          .when("start", {"direction"})
          .when("closed", {"false"})
          .when("by", {"through"}),
      angle("startRise", "Rise", "Out of the plane, towards its normal.", "0")
          .within(-90, 90)
          .when("start", {"direction"})
          .when("closed", {"false"})
          .when("by", {"through"}),
      ratioField("startPull", "Pull", "How strongly the curve follows the direction.", "1")
          .within(0.05, 10)
          .when("start", {"direction", "perpendicular"})
          .when("closed", {"false"})
          .when("by", {"through"})
          .withHandle(Handle::Magnitude),
      choice("end", "End", "What the curve does at the last point.", endOptions())
          .when("closed", {"false"})
          .when("by", {"through"}),
      angle("endAngle", "Angle", "In the plane, from its first direction.", "0")
          .when("end", {"direction"})
          .when("closed", {"false"})
          .when("by", {"through"}),
      angle("endRise", "Rise", "Out of the plane, towards its normal.", "0")
          .within(-90, 90)
          .when("end", {"direction"})
          .when("closed", {"false"})
          .when("by", {"through"}),
      ratioField("endPull", "Pull", "How strongly the curve follows the direction.", "1")
          .within(0.05, 10)
          .when("end", {"direction", "perpendicular"})
          .when("closed", {"false"})
          .when("by", {"through"})
          .withHandle(Handle::Magnitude),
      picks("mirror", "Mirror plane", "The plane of ends that are square or G3; without one, the side plane.",
            Kind::Plane)
          .optional()
          .atMost(1)
          .when("closed", {"false"})
          .when("by", {"through"})};
}

Vec3 direction(const Inputs& in, const Frame& f, const std::string& which) {
  const double a = radFromDeg(in.number(which + "Angle")), r = radFromDeg(in.number(which + "Rise"));
  return std::cos(r) * (std::cos(a) * f.x + std::sin(a) * f.y) + std::sin(r) * f.normal();
}

/// Direction of the curve where its end leaves the mirror plane squarely, towards the rest of the curve.
Expected<Vec3> squareDirection(const Points& pts, bool first, const Frame& plane, const Tolerances& tol) {
  const Vec3 at = pts.row(first ? 0 : pts.rows() - 1).transpose(),
             next = pts.row(first ? 1 : pts.rows() - 2).transpose();
  if (const double off = std::abs(plane.local(at).z()); off > 10 * tol.point.mm)
    return fail(problem("LM-G012", "this end does not lie in the mirror plane")
                    .measure(millimetres(off))
                    .want(millimetres(10 * tol.point.mm))
                    .at(at)
                    .inField("points")
                    .tryThis("move the point into the plane"));
  const Vec3 n = plane.normal() * ((next - at).dot(plane.normal()) < 0 ? -1.0 : 1.0);
  return first ? n : Vec3(-n);
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const Points& pts = in.points("points");
  if (pts.rows() < 2)
    return fail(problem("LM-S010", "a spline needs at least two points").isMissing()
                    .measure(count(double(pts.rows())))
                    .inField("points")
                    .tryThis("click in the view or add rows"));
  const Frame frame = in.plane("plane", topPlane());
  std::vector<HandlePlace> handles;
  nurbs::Spline curve;
  if (in.text("by") == "control") {
    LUMSK_TRY(c, nurbs::controlPointSpline(pts, in.integer("degree"), in.on("closed")));
    curve = c;
  } else {
    nurbs::InterpolationOptions o;
    o.degree = in.integer("degree");
    o.closed = in.on("closed");
    const double reach = 0.25 * (pts.bottomRows(pts.rows() - 1) - pts.topRows(pts.rows() - 1)).rowwise().norm().sum();
    nurbs::MirroredEnds mirror{in.has("mirror") ? in.plane("mirror", sidePlane()) : sidePlane()};
    for (const char* end : {"start", "end"}) {
      if (!in.has(end) || in.text(end) == "free") continue;
      const bool first = std::string(end) == "start";
      if (in.text(end) == "g3") {
        (first ? mirror.start : mirror.end) = true;
        continue;
      }
      const Vec3 at = pts.row(first ? 0 : pts.rows() - 1).transpose();
      LUMSK_TRY(d, in.text(end) == "direction" ? Expected<Vec3>(direction(in, frame, end))
                                               : squareDirection(pts, first, mirror.plane, cx.tolerances));
      (first ? o.startTangent : o.endTangent) = in.number(std::string(end) + "Pull") * d;
      handles.push_back({std::string(end) + "Pull", at, first ? d : Vec3(-d), reach});
    }
    auto c = nurbs::interpolateMirrored(pts, mirror, o, {10 * cx.tolerances.point.mm});
    if (!c) return fail(c.error().inField("points"));
    curve = *c;
  }
  const std::string summary = std::to_string(pts.rows()) + " points - degree " + std::to_string(curve.degree());
  LUMSK_TRY(path, nurbs::Path::make({curve}, cx.tolerances.point));
  Outcome out = curveOutcome(path, summary);
  if (in.text("by") == "through") {
    const auto ids = in.rowIds("points");
    const bool closed = in.on("closed");
    for (Eigen::Index i = 1; i < pts.rows() - (closed ? 0 : 1); ++i) // the ends have names of their own
      out.points.push_back({ids[size_t(i)], pts.row(i).transpose()});
  }
  if (curve.degree() < in.integer("degree") && in.integer("degree") > kUsualDegree) // nobody asked for the usual one
    out.notes.push_back(problem("LM-S110", "too few points for the degree")
                            .measure(count(curve.degree()))
                            .want(count(in.number("degree")))
                            .tryThis("add points"));
  noteSelfCrossing(out, path, cx.tolerances);
  out.marks.add(std::move(handles));
  return out;
}

} // namespace spline_

Step spline() { return Step{"spline", 1, "Spline", Stage::Curves, spline_::schema, spline_::compute}.under("draw"); }

} // namespace lumsk::steps

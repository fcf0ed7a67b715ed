#include "brep/curves_on.h"
#include "brep/names.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "steps/directions.h"

#include <Eigen/LU>

namespace lumsk::steps {

using namespace recipe;

namespace plane_ {

Schema schema() {
  return {choice("way", "Way", "How the plane is placed.",
                 {{"parallel", "parallel"},
                  {"points", "3 points"},
                  {"square", "square to curve"},
                  {"face", "on a face"},
                  {"between", "between two planes"},
                  {"about", "about a line"}}),
          picks("line", "Line", "What the plane goes through: a straight line or edge, or the axis of a circle or a round face.", kLine)
              .prefer(Kind::Curve | Kind::Edge)
              .atMost(1)
              .when("way", {"about"}),
          picks("base", "To plane", "The plane to be parallel to, or that it is turned from; without one, the top plane.", kPlaneOrFace)
              .optional()
              .atMost(1)
              .when("way", {"parallel", "about"}),
          angle("angle", "Angle", "About the line, from where it is as nearly parallel to that plane as it can.", "45").within(-360, 360).when("way", {"about"}),
          picks("face", "Face", "A flat face, or a curved one to touch.", Kind::Face)
              .atMost(1)
              .placeTo("faceU", "faceV")
              .when("way", {"face"}),
          picks("curve", "Curve", "The curve to stand square on.", Kind::Curve | Kind::Edge)
              .atMost(1)
              .placeTo("fraction")
              .when("way", {"square"}),
          picks("at", "At point",
                "Where on the curve or the face: at the place nearest to this point. Without one, where the curve or the "
                "face was clicked.",
                Kind::Point)
              .optional()
              .atMost(1)
              .when("way", {"square", "face"}),
          picks("pair", "Planes", "The two planes or flat faces to stand between.", kPlaneOrFace)
              .atLeast(2)
              .atMost(2)
              .when("way", {"between"}),
          toggle("other", "The other one", "Of the two planes that halve the angle, the one across.", false)
              .when("way", {"between"}),
          length("distance", "Distance", "How far along the plane's normal.", "20")
              .when("way", {"parallel"})
              .withHandle(Handle::Distance),
          picks("through", "Through", "Three points that are not on one line.", Kind::Point)
              .atLeast(3)
              .atMost(3)
              .when("way", {"points"}),
          ratioField("faceU", "At", "Where on the face, from one border to the other.", "0.5")
              .within(0, 1)
              .when("way", {"face"})
              .when("at", {"none"}),
          ratioField("faceV", "and at", "Where on the face the other way.", "0.5")
              .within(0, 1)
              .when("way", {"face"})
              .when("at", {"none"}),
          ratioField("fraction", "At", "Where on the curve, as a fraction of its length.", "0.5")
              .within(0, 1)
              .when("way", {"square"})
              .when("at", {"none"})};
}

Expected<Frame> throughPoints(const Inputs& in, const Context& cx) {
  Vec3 p[3];
  for (int i = 0; i < 3; ++i) p[i] = std::get<PointObject>(in.picked("through")[i].object).at;
  const Vec3 n = (p[1] - p[0]).cross(p[2] - p[0]);
  if (n.norm() <= cx.tolerances.point.mm * (p[1] - p[0]).norm())
    return fail(problem("LM-S001", "the three points are on one line")
                    .at(p[1])
                    .inField("through")
                    .tryThis("pick a point off the line"));
  const Vec3 x = (p[1] - p[0]).normalized();
  return Frame{p[0], x, n.normalized().cross(x)};
}

std::optional<Vec3> pointOf(const Inputs& in) {
  const auto& at = in.picked("at");
  return at.empty() ? std::nullopt : std::optional(std::get<PointObject>(at.front().object).at);
}

/// The tangent plane of the face, where it is flat the face's own.
Expected<Frame> onFace(const Inputs& in, const Context& cx) {
  const Picked& face = in.picked("face").front();
  LUMSK_TRY(surface, brep::BodyFaces::of(*face.body, face.index, cx));
  const auto point = pointOf(in);
  const Vec3 near = point ? *point : surface.placeAt({in.number("faceU"), in.number("faceV")});
  const auto place = surface.beside(near);
  if (!place)
    return fail(problem("LM-S003", "the face has no tangent plane there")
                    .at(near)
                    .inField("face")
                    .tryThis("pick a point away from the face's tip"));
  return Frame::fromNormal(place->d(0, 0), place->normal);
}

/// Midway between parallel planes; else the plane through their common line that halves the angle between them.
Expected<Frame> between(const Inputs& in, const Context& cx) {
  const auto& pair = in.picked("pair");
  const Frame a = std::get<PlaneObject>(pair[0].object).frame, b = std::get<PlaneObject>(pair[1].object).frame;
  const Vec3 n = a.normal(), m = b.normal() * (n.dot(b.normal()) < 0 ? -1.0 : 1.0), line = n.cross(m);
  const Vec3 middle = 0.5 * (a.origin + b.origin);
  if (degFromRad(std::asin(std::min(1.0, line.norm()))) <= cx.tolerances.angle.deg) {
    Frame f = a;
    f.origin = a.at(0, 0, 0.5 * a.local(b.origin).z());
    return f;
  }
  // The place of the common line that is nearest to the middle of both.
  Eigen::Matrix3d A;
  A << n.transpose(), m.transpose(), line.normalized().transpose();
  const Vec3 on = A.partialPivLu().solve(Vec3(n.dot(a.origin), m.dot(b.origin), line.normalized().dot(middle)));
  return Frame::fromNormal(on, in.on("other") ? Vec3(n - m) : Vec3(n + m));
}

/// Through a line, turned about it from where its normal is as near to the base's as it can be.
Expected<Frame> aboutLine(const Inputs& in, const Context& cx) {
  LUMSK_TRY(line, lineOf(in, "line", cx.tolerances));
  const Frame base = in.plane("base", topPlane());
  Vec3 n = base.normal() - base.normal().dot(line.direction) * line.direction;
  if (!(n.norm() > radFromDeg(cx.tolerances.angle.deg))) n = base.x - base.x.dot(line.direction) * line.direction; // the line is square to it
  const Eigen::AngleAxisd turn(radFromDeg(in.number("angle")), line.direction);
  const Vec3 across = turn * n.normalized();
  return Frame{line.at, line.direction, across.cross(line.direction)};
}

Expected<Frame> squareTo(const Inputs& in) {
  const auto& path = *std::get<CurvePtr>(in.picked("curve").front().object);
  const nurbs::ArcLength length(path);
  const auto at = pointOf(in);
  const double t = at ? nurbs::closestPoint(path, *at).t : length.parameterAt(in.number("fraction") * length.total());
  nurbs::CurveDerivatives d;
  path.derivatives(std::min(t, path.last() - 1e-12), 1, d);
  if (!(d[1].norm() > 0))
    return fail(problem("LM-S002", "the curve has no direction there")
                    .at(d[0])
                    .inField("fraction")
                    .tryThis("move along the curve"));
  return Frame::fromNormal(d[0], d[1]);
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  Outcome out;
  Frame frame;
  const std::string way = in.text("way");
  if (way == "parallel") {
    const Frame base = in.plane("base", topPlane());
    frame = base;
    frame.origin = base.at(0, 0, in.number("distance"));
    out.marks.add(HandlePlace{"distance", base.origin, base.normal(), 1.0});
    out.summary = "at " + format(millimetres(in.number("distance")));
  } else if (way == "points") {
    LUMSK_TRY(f, throughPoints(in, cx));
    frame = f;
    out.summary = "through 3 points";
  } else if (way == "face") {
    LUMSK_TRY(f, onFace(in, cx));
    frame = f;
    out.summary = "touches a face";
  } else if (way == "between") {
    LUMSK_TRY(f, between(in, cx));
    frame = f;
    out.summary = "between two planes";
  } else if (way == "about") {
    LUMSK_TRY(f, aboutLine(in, cx));
    frame = f;
    out.summary = "about a line by " + format(degrees(in.number("angle")));
  } else {
    LUMSK_TRY(f, squareTo(in));
    frame = f;
    out.summary = "square to a curve at " + (pointOf(in) ? "a point" : formatNumber(in.number("fraction")));
  }
  out.outputs.push_back({"", PlaneObject{frame}, ""});
  return out;
}

} // namespace plane_

Step plane() { return Step{"plane", 1, "Plane", Stage::Curves, plane_::schema, plane_::compute}.under("place").madeByClick({Kind::Plane, Kind::Curve | Kind::Edge, "way", "square", "curve"}); }

} // namespace lumsk::steps

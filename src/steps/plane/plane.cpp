#include "nurbs/arc_length.h"
#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

Schema schema() {
  return {choice("way", "Way", "How the plane is placed.",
                 {{"parallel", "parallel"}, {"points", "3 points"}, {"square", "square to curve"}}),
          picks("base", "To plane", "The plane to be parallel to; without one, the top plane.", Kind::Plane)
              .optional()
              .atMost(1)
              .when("way", {"parallel"}),
          length("distance", "Distance", "How far along the plane's normal.", "20")
              .when("way", {"parallel"})
              .withHandle(Handle::Distance),
          picks("through", "Through", "Three points that are not on one line.", Kind::Point)
              .atLeast(3)
              .atMost(3)
              .when("way", {"points"}),
          picks("curve", "Curve", "The curve to stand square on.", Kind::Curve | Kind::Edge)
              .atMost(1)
              .when("way", {"square"}),
          ratioField("fraction", "At", "Where on the curve, as a fraction of its length.", "0.5")
              .within(0, 1)
              .when("way", {"square"})};
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

Expected<Frame> squareTo(const Inputs& in) {
  const auto& path = *std::get<CurvePtr>(in.picked("curve").front().object);
  const nurbs::ArcLength length(path);
  const double t = length.parameterAt(in.number("fraction") * length.total());
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
    out.handles.push_back({"distance", base.origin, base.normal(), 1.0});
    out.summary = "at " + format(millimetres(in.number("distance")));
  } else if (way == "points") {
    LUMSK_TRY(f, throughPoints(in, cx));
    frame = f;
    out.summary = "through 3 points";
  } else {
    LUMSK_TRY(f, squareTo(in));
    frame = f;
    out.summary = "square to a curve at " + formatNumber(in.number("fraction"));
  }
  out.outputs.push_back({"", PlaneObject{frame}, ""});
  return out;
}

} // namespace

Step plane() { return {"plane", 1, "Plane", Stage::Curves, schema, compute}; }

} // namespace lumsk::steps

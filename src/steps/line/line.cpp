#include "nurbs/curves/shapes.h"
#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace line_ {

Schema schema() {
  return {onPlaneField(),
          points("points", "Points", "Corners of the line, in order; x and y on the plane.").onPlane("plane"),
          toggle("closed", "Closed", "Joins the last point to the first.", false)};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const Points& p = in.points("points");
  if (p.rows() < 2)
    return fail(problem("LM-S010", "a line needs at least two points").isMissing()
                    .measure(count(double(p.rows())))
                    .inField("points")
                    .tryThis("click in the view or add rows"));
  std::vector<nurbs::Segment> segments;
  const auto n = p.rows();
  for (Eigen::Index i = 0; i < n - (in.on("closed") && n > 2 ? 0 : 1); ++i)
    segments.push_back(nurbs::LineSegment{p.row(i).transpose(), p.row((i + 1) % n).transpose()});
  LUMSK_TRY(path, nurbs::Path::make(std::move(segments), cx.tolerances.point));
  double length = 0;
  for (const auto& s : path.segments())
    length += (std::get<nurbs::LineSegment>(s).b - std::get<nurbs::LineSegment>(s).a).norm();
  Outcome out = curveOutcome(path, format(millimetres(length)) + " long");
  noteSelfCrossing(out, path, cx.tolerances);
  return out;
}

} // namespace line_

Step line() { return Step{"line", 1, "Line", Stage::Curves, line_::schema, line_::compute}.under("draw"); }

} // namespace lumsk::steps

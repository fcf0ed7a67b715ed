#include "nurbs/fit/interpolate.h"
#include "steps/skin_curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace drawn_on_skin_ {

Schema schema() {
  return {onSkins("skins", "On", "The skin, solid or face to draw on.").atMost(1),
          points("points", "Points", "Places that the curve passes through; they are brought onto the skin."),
          toggle("closed", "Closed", "Joins the last point to the first smoothly.", false)};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(skins, facesOf(in, "skins", cx));
  const auto& s = skins.front();
  Points pts = in.points("points");
  if (pts.rows() < 2)
    return fail(problem("LM-S010", "a spline needs at least two points").isMissing()
                    .measure(count(double(pts.rows())))
                    .inField("points")
                    .tryThis("click on the skin or add rows"));
  double farthest = 0;
  Vec3 at = Vec3::Zero();
  for (Eigen::Index i = 0; i < pts.rows(); ++i) {
    const auto near = s.nearest(pts.row(i).transpose());
    if (!near)
      return fail(problem("LM-P034", "a point has no place on the skin")
                      .at(pts.row(i).transpose())
                      .inField("points")
                      .tryThis("move it over the skin"));
    if (near->distanceMm > farthest) farthest = near->distanceMm, at = pts.row(i).transpose();
    pts.row(i) = near->point.transpose();
  }
  nurbs::InterpolationOptions o;
  o.closed = in.on("closed");
  auto spline = nurbs::interpolate(pts, o);
  if (!spline) return fail(spline.error().inField("points"));
  LUMSK_TRY(path, nurbs::Path::make({*spline}, cx.tolerances.point));
  LUMSK_TRY(found, s.pulledOnto(path, cx));
  const bool whole = found.curves.size() == 1;
  LUMSK_TRY(out, foundOutcome(std::move(found), "points", "the points do not lie over the skin", cx));
  if (!whole)
    out.notes.push_back(problem("LM-P107", "the curve leaves the skin on its way: it is in pieces")
                            .measure(count(double(out.outputs.size())))
                            .tryThis("put more points where it leaves"));
  if (farthest > cx.tolerances.point.mm)
    out.notes.push_back(problem("LM-P108", "points were brought onto the skin").measure(millimetres(farthest)).at(at));
  return out;
}

} // namespace drawn_on_skin_

Step drawn_on_skin() { return Step{"drawn_on_skin", 1, "Draw on skin", Stage::Curves, drawn_on_skin_::schema, drawn_on_skin_::compute}.under("from others"); }

} // namespace lumsk::steps

#include "nurbs/fit/fit.h"
#include "nurbs/fit/interpolate.h"
#include "recipe/point_table.h"
#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace points_curve_ {

Schema schema() {
  return {file("table", "Table", "Text file with x y z a line; a blank line starts the next curve.",
               "Tables (*.txt *.csv *.xyz *.dat)"),
          choice("fit", "Curve", "Through every point, or smooth within a deviation.",
                 {{"through", "through points"}, {"smooth", "smooth"}}),
          length("deviation", "Deviation", "How far the smooth curve may leave the points.", "0.05")
              .within(0.0005, 100)
              .when("fit", {"smooth"}),
          toggle("closed", "Closed", "Joins the last point to the first smoothly.", false),
          ratioField("scale", "Scale", "Multiplies all coordinates (25.4 for inches).", "1").within(1e-6, 1e6),
          length("x", "Move x", "Placed by this much.", "0"),
          length("y", "Move y", "Placed by this much.", "0"),
          length("z", "Move z", "Placed by this much.", "0")};
}

/// Least squares over the chord-length polyline of the points: close to all of them, on few spans.
Expected<nurbs::Spline> smoothThrough(const Points& p, double deviation, bool closed, const Context& cx) {
  const auto t = nurbs::parametersFor(p, nurbs::Spacing::ChordLength, closed);
  nurbs::LeanOptions o;
  o.degree = int(std::min<Eigen::Index>(5, p.rows() - 1));
  for (int spans = closed ? o.degree + 1 : 1;; spans = std::max(spans + 1, spans * 5 / 4)) {
    if (cx.stopped()) return fail(cancelled());
    if (spans + o.degree >= p.rows()) {
      nurbs::InterpolationOptions through;
      through.closed = closed;
      return nurbs::interpolate(p, through);
    }
    std::vector<double> breaks(spans + 1);
    for (int i = 0; i <= spans; ++i) breaks[i] = double(i) / spans;
    std::vector<double> at(t.begin(), t.begin() + p.rows());
    const nurbs::LeastSquares ls(o.degree, breaks, closed, at);
    const nurbs::Spline c = nurbs::Spline::trusted(o.degree, ls.knots(), ls.solve(p), closed);
    double worst = 0;
    for (Eigen::Index i = 0; i < p.rows(); ++i) worst = std::max(worst, (c.at(at[i]) - p.row(i).transpose()).norm());
    if (worst <= deviation) return c;
  }
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const std::string* bytes = in.file("table");
  if (!bytes) return fail(problem("LM-S020", "choose a table of points").inField("table"));
  LUMSK_TRY(tables, readPointTable(*bytes));
  const Vec3 offset(in.number("x"), in.number("y"), in.number("z"));
  Outcome out;
  for (size_t k = 0; k < tables.size(); ++k) {
    Points p = tables[k] * in.number("scale");
    p.rowwise() += offset.transpose();
    nurbs::InterpolationOptions o;
    o.closed = in.on("closed");
    auto curve = in.text("fit") == "smooth" && p.rows() > 4 ? smoothThrough(p, in.number("deviation"), o.closed, cx)
                                                            : nurbs::interpolate(p, o);
    auto path = curve ? nurbs::Path::make({*curve}, cx.tolerances.point) : Expected<nurbs::Path>(fail(curve.error()));
    if (!path) {
      path.error().what = "curve " + std::to_string(k + 1) + ": " + path.error().what;
      return fail(path.error().inField("table"));
    }
    out.outputs.push_back(
        {tables.size() > 1 ? "curve" + std::to_string(k + 1) : "", std::make_shared<const nurbs::Path>(*path), ""});
  }
  out.summary = std::to_string(tables.size()) + (tables.size() == 1 ? " curve" : " curves");
  return out;
}

} // namespace points_curve_

Step points_curve() { return Step{"points_curve", 1, "Points curve", Stage::Curves, points_curve_::schema, points_curve_::compute}.under("bring in"); }

} // namespace lumsk::steps

#include "steps/graphs.h"

#include "nurbs/fit/interpolate.h"
#include "nurbs/measure/arc_length.h"

#include <algorithm>

namespace lumsk::steps {

Expected<std::function<double(double)>> graphOf(const recipe::Inputs& in, const std::string& key) {
  const auto rows = in.graph(key);
  if (rows.empty()) return std::function<double(double)>();
  if (rows.size() == 1) return std::function<double(double)>([r = rows[0].second](double) { return r; });
  std::vector<double> at;
  nurbs::Rows values(Eigen::Index(rows.size()), 1);
  for (size_t i = 0; i < rows.size(); ++i) {
    if (i > 0 && rows[i].first - rows[i - 1].first < 1e-6)
      return fail(problem("LM-P025", "two rows of the graph are at one place")
                      .measure(ratio(rows[i].first))
                      .inField(key)
                      .tryThis("move one of them"));
    at.push_back((rows[i].first - rows[0].first) / (rows.back().first - rows[0].first));
    values(Eigen::Index(i), 0) = rows[i].second;
  }
  at.back() = 1.0;
  const int degree = std::min(3, int(rows.size()) - 1);
  LUMSK_TRY(r, nurbs::interpolateRows(at, values, degree, nurbs::Rows(0, 1), nurbs::Rows(0, 1)));
  Points p = Points::Zero(r.controls.rows(), 3);
  p.col(0) = r.controls.col(0);
  const auto curve = nurbs::Spline::trusted(degree, r.knots, std::move(p));
  const double first = rows[0].first, last = rows.back().first;
  return std::function<double(double)>(
      [curve, first, last](double f) { return curve.at(std::clamp((f - first) / (last - first), 0.0, 1.0)).x(); });
}

void showGraph(recipe::Outcome& out, const recipe::Inputs& in, const std::string& key, const nurbs::Path& rail,
               const std::function<Vec3(double)>& across, double mmPerUnit) {
  const auto curve = std::make_shared<const nurbs::Path>(rail);
  const nurbs::ArcLength length(rail);
  out.marks.add(recipe::Rail{key, "", curve});
  for (const auto& row : in.graphRows(key)) {
    const Vec3 at = rail.at(length.parameterAtFraction(row.at));
    out.marks.add(recipe::Grip{key, row.id, at, Vec3::Zero(), true, curve});
    out.marks.add(recipe::HandlePlace{key, at, across(row.at), mmPerUnit, row.id, "value"});
  }
}

} // namespace lumsk::steps

#include "nurbs/network/network_crossings.h"

#include <algorithm>

namespace lumsk::nurbs {

std::string curveNumber(int i) { return std::to_string(i + 1); }

CurveCrossings::CurveCrossings(const std::vector<NetworkCurve>& curves, const std::vector<ArcLength>& lengths,
                               double gap, const Tolerances& tol)
    : curves_(curves), lengths_(lengths), gap_(gap), tol_(tol) {
  for (const auto& c : curves) sides_.emplace_back(c.path);
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (const auto& c : curves) {
    const Points p = polyline(c.path, 8);
    low = low.cwiseMin(p.colwise().minCoeff().transpose());
    high = high.cwiseMax(p.colwise().maxCoeff().transpose());
  }
  size_ = (high - low).norm();
  meet_.assign(curves.size(), std::vector<Meetings>(curves.size()));
  for (const auto& c : curves) out.push_back(c.leftOut);
}

CurveCrossings CurveCrossings::withGap(double gap) const {
  CurveCrossings other = *this;
  other.gap_ = gap;
  other.meet_.assign(curves_.size(), std::vector<Meetings>(curves_.size()));
  return other;
}

Meeting CurveCrossings::best(int i, int j) const {
  const auto& l = list(i, j);
  const auto least =
      std::min_element(l.begin(), l.end(), [](const Meeting& a, const Meeting& b) { return a.gapMm < b.gapMm; });
  return least == l.end() ? nearest(sides_[size_t(std::min(i, j))], sides_[size_t(std::max(i, j))]) : *least;
}

Expected<void> CurveCrossings::find() {
  for (int i = 0; i < count(); ++i)
    for (int j = i + 1; j < count(); ++j) {
      if (out[size_t(i)] || out[size_t(j)]) continue;
      meet_[size_t(i)][size_t(j)] = meetings(sides_[size_t(i)], sides_[size_t(j)], gap_);
      const Meetings& m = meet_[size_t(i)][size_t(j)];
      const bool parallelLines = m.list.size() == 1 && m.list[0].angleDeg < 1e-4 && alongOneAnother(i, j, m.list[0]);
      if (m.overlap || parallelLines)
        return fail(problem("LM-N005", "curves " + curveNumber(i) + " and " + curveNumber(j) + " lie on one another")
                        .at(m.list.front().middle())
                        .tryThis("take one of them out"));
    }
  return {};
}

/// Whether two tangent curves stay together beside their meeting.
bool CurveCrossings::alongOneAnother(int i, int j, const Meeting& m) const {
  const Path &a = curves_[size_t(i)].path, &b = curves_[size_t(j)].path;
  int on = 0;
  for (double step : {-0.02, -0.01, 0.01, 0.02}) {
    const double t = m.s + step;
    if (t < 0 || t > a.last()) continue;
    const Vec3 p = a.at(t);
    for (int k = 0; k <= 40; ++k)
      if ((b.at(std::clamp(m.t + (k - 20) * 0.002 * b.last(), 0.0, b.last())) - p).norm() < tol_.point.mm) {
        ++on;
        break;
      }
  }
  return on >= 2;
}

bool CurveCrossings::atEnd(int i, double t) const {
  const Path& p = curves_[size_t(i)].path;
  if (p.closed()) return false;
  const double reach = std::max(10 * tol_.point.mm, gap_), s = lengths_[size_t(i)].lengthAt(t);
  return s < reach || s > lengths_[size_t(i)].total() - reach;
}

bool CurveCrossings::endToEnd(int i, int j) const {
  const auto& l = list(i, j);
  return !l.empty() && std::all_of(l.begin(), l.end(), [&](const Meeting& m) {
    return atEnd(i, parameterOn(i, j, m)) && atEnd(j, parameterOn(j, i, m));
  });
}

} // namespace lumsk::nurbs

#include "nurbs/loft/guide_run.h"

#include "nurbs/loft/loft_ends.h"
#include "nurbs/fit/spaces.h"

#include <cmath>

namespace lumsk::nurbs {

Expected<GuideRun> GuideRun::of(const std::vector<Path>& paths, const std::vector<LoftGuide>& guides, bool around) {
  GuideRun run;
  run.paths_ = &paths;
  run.around_ = around;
  run.v_.assign(guides.front().crossings.size() + (around ? 1 : 0), 0.0);
  std::vector<std::vector<double>> along;
  for (size_t g = 0; g < guides.size(); ++g) {
    std::vector<double> at;
    for (const GuideCrossing& c : guides[g].crossings) at.push_back(c.along);
    run.reversed_.push_back(guides[g].reversed);
    run.lengths_.emplace_back(paths[g]);
    if (around) at.push_back(at.front() + run.lengths_.back().total());
    for (size_t i = 0; i < at.size(); ++i)
      run.v_[i] += (at[i] - at.front()) / (at.back() - at.front()) / double(guides.size());
    along.push_back(std::move(at));
  }
  run.v_.front() = 0.0, run.v_.back() = 1.0;
  for (size_t g = 0; g < guides.size(); ++g) {
    auto map = MonotoneMap::through(run.v_, along[g], around);
    if (!map) return fail(map.error().at(guides[g].crossings[0].at));
    run.along_.push_back(std::move(*map));
  }
  return run;
}

Vec3 GuideRun::at(size_t g, double v) const {
  const double whole = lengths_[g].total();
  double s = along_[g](v);
  if (reversed_[g]) s = whole - s;
  if (around_) s -= whole * std::floor(s / whole);
  return (*paths_)[g].at(lengths_[g].parameterAt(s));
}

std::array<Vec3, 3> GuideRun::derivatives(size_t g, int e) const {
  const double v = e ? 1.0 : 0.0;
  const double s = reversed_[g] ? lengths_[g].total() - along_[g](v) : along_[g](v);
  CurveDerivatives c;
  (*paths_)[g].derivatives(lengths_[g].parameterAt(s), 3, c);
  return byLength(c, reversed_[g] ? -1.0 : 1.0, along_[g].derivatives(v));
}

std::vector<std::array<std::array<Vec3, 3>, 2>> GuideRun::ends(const std::array<double, 2>& pulls) const {
  std::vector<std::array<std::array<Vec3, 3>, 2>> out(lengths_.size());
  const size_t last = v_.size() - 1 - (around_ ? 1 : 0);
  for (size_t g = 0; g < out.size(); ++g)
    for (int e : {0, 1}) {
      const double way = e ? v_[last - 1] - v_[last] : v_[1] - v_[0];
      const auto d = derivatives(g, e);
      double scale = 1;
      for (size_t q = 0; q < 3; ++q) out[g][size_t(e)][q] = (scale *= way / pulls[size_t(e)]) * d[q];
    }
  return out;
}

Expected<LeanFit> GuideRun::between(const LoftAcross& across, const std::array<int, 2>& orders,
                                    const std::vector<double>& weight, LengthTolerance fit) const {
  const size_t guides = lengths_.size();
  const Eigen::Index width = Eigen::Index(3 * guides);
  Rows at(across.sections(), width);
  std::array<Rows, 2> ends;
  for (size_t e : {0, 1}) ends[e].resize(across.mirrored(int(e)) ? 0 : orders[e], width);
  for (size_t g = 0; g < guides; ++g) {
    const Eigen::Index c = Eigen::Index(3 * g);
    for (int i = 0; i < across.sections(); ++i) at.row(i).segment<3>(c) = this->at(g, v_[size_t(i)]).transpose();
    for (size_t e : {0, 1})
      for (Eigen::Index q = 0; q < ends[e].rows(); ++q)
        ends[e].row(q).segment<3>(c) = derivatives(g, int(e))[size_t(q)].transpose();
  }
  LUMSK_TRY(own, across.through(at, ends[0], ends[1]));
  CurveFamily family;
  family.curves = int(guides);
  family.closed = around_;
  family.sample = [&](double v, double* out) {
    const Eigen::RowVectorXd base = valueOf(own.degree, own.knots, own.controls, v);
    for (size_t g = 0; g < guides; ++g)
      Eigen::Map<Vec3>(out + 3 * g, 3) =
          weight[g] * (this->at(g, v) - base.segment<3>(Eigen::Index(3 * g)).transpose());
  };
  const LoftAcross::Space space = across.space(orders);
  LeanOptions lean;
  lean.degree = space.degree;
  for (size_t e : {0, 1}) lean.endDerivatives[e] = Rows::Zero(ends[e].rows(), width);
  lean.firstSpans = around_ ? across.sections() : 1;
  if (space.breaks.size() > 2) lean.firstBreaks = space.breaks;
  lean.fit = fit;
  lean.held = v_;
  lean.removeKnots = true;
  lean.patience = kPatience;
  lean.baseSamples = kSamples;
  auto fitted = fitLean(family, lean);
  if (!fitted) return fail(fitted.error().at(this->at(0, 0.5)));
  for (size_t g = 0; g < guides; ++g) fitted->controls.middleCols<3>(Eigen::Index(3 * g)) /= weight[g];
  return std::move(*fitted);
}

} // namespace lumsk::nurbs

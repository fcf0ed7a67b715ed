#include "nurbs/loft/loft_relaxed.h"

#include "nurbs/fit/spaces.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kPlaces = 97, kHalvings = 16;
constexpr double kAtPlaces = 0.998;                 ///< of what is allowed: between the places it may be a little more
constexpr double kLeastPower = -14, kMostPower = 4; ///< of ten, of the evenness

struct Leaving {
  double mm = 0, turnDeg = 0;
};

Leaving leavingOf(const AcrossRows& made, const LoftAcross& across, const RelaxedGoal& goal) {
  Leaving worst;
  Eigen::Index from = 0;
  for (size_t k = 0; k < goal.strips.size(); ++k) {
    const LoftStrip& strip = goal.strips[k];
    const LeanFit& fit = strip.fit;
    for (int i = 0; i < goal.places.count(); ++i) {
      if (goal.places.sections[size_t(i)].point()) continue;
      const Eigen::RowVectorXd row = valueOf(made.degree, made.knots, made.controls.middleCols(from, strip.rows.cols()),
                                             across.parameters()[size_t(i)]);
      for (int p = 0; p <= kPlaces; ++p) {
        const double t = double(p) / kPlaces;
        BasisDerivatives b;
        basisDerivatives(fit.knots, fit.degree, strip.parameter(t), 1, b);
        Vec3 here = Vec3::Zero(), along = Vec3::Zero();
        for (int j = 0; j <= fit.degree; ++j) {
          const Vec3 c = row.segment<3>(3 * (b.first + j)).transpose();
          here += b.value[0][size_t(j)] * c, along += b.value[1][size_t(j)] * c;
        }
        if (!goal.frames.empty()) {
          const Frame& f = goal.frames[size_t(i)];
          along = f.at(along.x(), along.y(), along.z()) - f.origin;
          here = f.at(here.x(), here.y(), here.z());
        }
        worst.mm = std::max(worst.mm, (here - goal.places.at(i, int(k), t)).norm());
        if (goal.turn)
          worst.turnDeg =
              std::max(worst.turnDeg, degFromRad(angleBetweenRad(along, goal.places.tangent(i, int(k), t))));
      }
    }
    from += strip.rows.cols();
  }
  return worst;
}

} // namespace

Expected<RelaxedRows> relaxedRows(const LoftAcross& across, const AcrossGoal& through, const RelaxedGoal& goal) {
  const auto allowed = [&](const Leaving& l) {
    return l.mm <= kAtPlaces * goal.mm.mm && (!goal.turn || l.turnDeg <= kAtPlaces * goal.turn->deg);
  };
  const auto near = [&](double power) {
    return across.near(through.rows, through.start, through.finish, std::pow(10.0, power));
  };
  double low = kLeastPower, high = kMostPower;
  LUMSK_TRY(best, near(low));
  Leaving found = leavingOf(best, across, goal);
  if (!allowed(found)) {
    const bool far = found.mm > kAtPlaces * goal.mm.mm;
    return fail(problem("LM-L019", "no even skin stays as near to the sections as asked")
                    .measure(far ? millimetres(found.mm) : degrees(found.turnDeg))
                    .want(far ? millimetres(goal.mm.mm) : degrees(goal.turn->deg))
                    .at(goal.places.at(goal.places.sections[0].path() ? 0 : 1, 0, 0.5))
                    .tryThis("allow more, or let the skin be exact"));
  }
  for (int it = 0; it < kHalvings; ++it) {
    const double mid = 0.5 * (low + high);
    LUMSK_TRY(made, near(mid));
    const Leaving now = leavingOf(made, across, goal);
    if (allowed(now))
      best = std::move(made), found = now, low = mid;
    else
      high = mid;
  }
  return RelaxedRows{std::move(best), found.mm, found.turnDeg};
}

} // namespace lumsk::nurbs

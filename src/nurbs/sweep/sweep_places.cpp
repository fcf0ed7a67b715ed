#include "nurbs/sweep/sweep_places.h"

#include "nurbs/measure/arc_length.h"
#include "nurbs/on_skin/planar.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace lumsk::nurbs {

namespace {

constexpr double kCuspDeg = 175; ///< a rail that turns by more turns back

/// Whether most pairs of places come in falling order.
bool runsAgainst(const std::vector<double>& at) {
  int against = 0;
  for (size_t i = 0; i < at.size(); ++i)
    for (size_t j = i + 1; j < at.size(); ++j) against += at[j] < at[i] ? 1 : at[j] > at[i] ? -1 : 0;
  return against > 0;
}

/// Brings profiles and rails together before anything is carried.
class Placer {
public:
  Placer(const std::vector<Section>& profiles, std::vector<Path> rails, const SweepOptions& o, SweepResult& out, const Context& cx)
      : profiles_(profiles), rails_(std::move(rails)), o_(o), out_(out), cx_(cx) {}

  Expected<std::vector<Path>> run() {
    LUMSK_CHECK(readyRails());
    LUMSK_CHECK(findStations());
    return std::move(rails_);
  }

private:
  const LengthTolerance& point() const { return cx_.tolerances.point; }

  Expected<void> readyRails() {
    for (const Path& r : rails_)
      if (!(ArcLength(r).total() > 10 * point().mm))
        return fail(problem("LM-Y001", "the rail has next to no length").at(r.start()).inField("rails").tryThis("take another one"));
    if (!(o_.size > 0))
      return fail(problem("LM-Y007", "a profile needs a size above nought").measure(ratio(o_.size)).inField("size"));
    for (Path& r : rails_) {
      const auto corners = r.corners(cx_.tolerances.corner);
      for (double t : corners) {
        const Vec3 before = r.tangentBefore(t == 0 ? r.last() : t);
        CurveDerivatives d;
        r.derivatives(t, 1, d);
        if (before.dot(d[1]) < std::cos(radFromDeg(kCuspDeg)) * before.norm() * d[1].norm())
          return fail(problem("LM-Y009", "the rail has a cusp: it turns back in one place")
                          .at(r.at(t))
                          .inField("rails")
                          .tryThis("take a part of it, or smooth it"));
      }
      if (corners.empty()) continue;
      if (o_.corners == RailCorners::Round) {
        auto round = roundedCorners(r, o_.cornerRadiusMm, cx_);
        if (!round) return fail(round.error().inField("radius"));
        r = std::move(*round);
      } else if (rails_.size() > 1) {
        return fail(problem("LM-Y009", "one of several rails has a corner")
                        .at(r.at(corners.front()))
                        .inField("corners")
                        .tryThis("round it, or smooth the rail")
                        .offer({"round the corners", "corners", "round"}));
      }
    }
    out_.closedRail = rails_[0].closed();
    return {};
  }

  /// Rails run as the first one does.
  void turnRails() {
    for (size_t k = 1; k < rails_.size(); ++k) {
      int turned = 0;
      if (profiles_.size() > 1) {
        for (size_t i = 0; i < profiles_.size(); ++i)
          for (size_t j = i + 1; j < profiles_.size(); ++j) {
            const double a = out_.stations[j][0].fraction - out_.stations[i][0].fraction;
            const double b = out_.stations[j][k].fraction - out_.stations[i][k].fraction;
            turned += a * b < 0 ? 1 : a * b > 0 ? -1 : 0;
          }
      } else {
        const Path &a = rails_[0], &b = rails_[k];
        const double same = (a.start() - b.start()).norm() + (a.end() - b.end()).norm();
        turned = (a.start() - b.end()).norm() + (a.end() - b.start()).norm() < same ? 1 : -1;
      }
      if (turned <= 0) continue;
      rails_[k] = reversed(rails_[k]);
      for (auto& s : out_.stations) s[k].fraction = 1 - s[k].fraction;
    }
  }

  Expected<void> findStations() {
    for (const Section& s : profiles_) {
      std::vector<Station> all;
      for (const Path& r : rails_) all.push_back(stationOf(s, r, point()));
      out_.stations.push_back(std::move(all));
    }
    turnRails();
    out_.order.resize(profiles_.size());
    std::iota(out_.order.begin(), out_.order.end(), 0);
    const auto at = [&](int i) { return out_.stations[size_t(i)][0].fraction; };
    std::stable_sort(out_.order.begin(), out_.order.end(), [&](int a, int b) { return at(a) < at(b); });
    // A rail that runs against the order in which the profiles were given is taken the other way round.
    std::vector<double> fractions;
    for (const auto& s : out_.stations) fractions.push_back(s[0].fraction);
    const bool backwards = !out_.closedRail && runsAgainst(fractions);
    if (backwards) std::reverse(out_.order.begin(), out_.order.end());
    if (backwards)
      for (size_t k = 0; k < rails_.size(); ++k) {
        rails_[k] = reversed(rails_[k]);
        for (auto& s : out_.stations) s[k].fraction = 1 - s[k].fraction;
      }
    for (size_t i = 0; i + 1 < out_.order.size(); ++i) {
      const Station &a = out_.stations[size_t(out_.order[i])][0], &b = out_.stations[size_t(out_.order[i + 1])][0];
      if (b.fraction - a.fraction < kSameStation)
        return fail(problem("LM-Y002", "profiles " + std::to_string(out_.order[i] + 1) + " and " +
                                           std::to_string(out_.order[i + 1] + 1) + " stand in one place of the rail")
                        .at(a.onProfile)
                        .at(b.onProfile)
                        .inField("sections")
                        .tryThis("move one of them along the rail, or sweep each by itself"));
    }
    for (int i : out_.order) {
      LUMSK_TRY(section, pulled(profiles_[size_t(i)], out_.stations[size_t(i)]));
      out_.sections.push_back(std::move(section));
      out_.sections.back().closeness = std::max(out_.sections.back().closeness, kCopyCloseness);
    }
    const Path* first = out_.sections.front().path();
    out_.closedProfile = first && first->closed();
    return {};
  }

  /// A profile that all but touches its rails is brought onto them.
  Expected<Section> pulled(const Section& s, const std::vector<Station>& at) {
    std::vector<std::pair<Vec3, Vec3>> pull; // from, to
    for (const Station& k : at)
      if (k.gapMm <= o_.largestGap.mm && k.gapMm > 0) pull.emplace_back(k.onProfile, k.onRail);
    if (pull.empty() || !s.path()) return s;
    for (const auto& [from, to] : pull) out_.railGapMm = std::max(out_.railGapMm, (to - from).norm());
    Eigen::Affine3d move = Eigen::Affine3d::Identity();
    if (at.size() > 1 && at[0].gapMm <= o_.largestGap.mm && at[1].gapMm <= o_.largestGap.mm) {
      const Vec3 from = at[1].onProfile - at[0].onProfile, to = at[1].onRail - at[0].onRail;
      if (from.norm() > point().mm && to.norm() > point().mm)
        move.linear() = turning(from, to).toRotationMatrix() * (to.norm() / from.norm());
      move.translation() = at[0].onRail - move.linear() * at[0].onProfile;
    } else {
      move.translation() = pull.front().second - pull.front().first;
    }
    return mappedSection(s, move, point());
  }

  const std::vector<Section>& profiles_;
  std::vector<Path> rails_;
  const SweepOptions& o_;
  SweepResult& out_;
  const Context& cx_;
};

} // namespace

Vec3 tangentAtStart(const Path& p) {
  CurveDerivatives d;
  p.derivatives(0.0, 1, d);
  return d[1].normalized();
}

Expected<Section> mappedSection(const Section& s, const Eigen::Affine3d& by, LengthTolerance point) {
  Section out = s;
  if (const Path* p = s.path()) {
    LUMSK_TRY(path, mapped(*p, by, point));
    out.shape = std::move(path);
  } else {
    out.shape = Vec3(by * *s.point());
  }
  return out;
}

Expected<std::vector<Path>> placedOn(const std::vector<Section>& profiles, std::vector<Path> rails, const SweepOptions& options,
                                     SweepResult& out, const Context& cx) {
  return Placer(profiles, std::move(rails), options, out, cx).run();
}

std::vector<int> orderAlongRail(const std::vector<Section>& profiles, const Path& rail, LengthTolerance point) {
  std::vector<double> at;
  for (const Section& s : profiles) at.push_back(stationOf(s, rail, point).fraction);
  std::vector<int> order(profiles.size());
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return at[size_t(a)] < at[size_t(b)]; });
  if (!rail.closed() && runsAgainst(at)) std::reverse(order.begin(), order.end());
  return order;
}

Expected<std::vector<Section>> broughtToStart(const std::vector<Section>& profiles, const Path& rail, BroughtBy by, bool square,
                                    const Tolerances& tol) {
  Vec3 middle = Vec3::Zero(), normal = Vec3::Zero();
  double total = 0, nearest = 1e300;
  Vec3 near = Vec3::Zero();
  for (const Section& s : profiles) {
    const Path* p = s.path();
    if (!p) continue;
    const Points pts = polyline(*p, 48);
    const double length = ArcLength(*p).total();
    middle += length * pts.colwise().mean().transpose();
    total += length;
    const PlaneOfPoints plane = fitPlane(pts);
    if (plane.unique && normal.isZero()) normal = plane.frame.normal();
    if (const Station at = stationOf(s, rail, tol.point); at.gapMm < nearest) nearest = at.gapMm, near = at.onProfile;
  }
  const Vec3 from = by == BroughtBy::Middle && total > 0 ? Vec3(middle / total) : near;
  Eigen::Affine3d move = Eigen::Affine3d::Identity();
  if (square && !normal.isZero()) {
    const Vec3 along = tangentAtStart(rail);
    move.linear() = turning(normal.dot(along) < 0 ? Vec3(-normal) : normal, along).toRotationMatrix();
  }
  move.translation() = rail.start() - move.linear() * from;
  std::vector<Section> out;
  for (const Section& s : profiles) {
    LUMSK_TRY(moved, mappedSection(s, move, tol.point));
    out.push_back(std::move(moved));
  }
  return out;
}

} // namespace lumsk::nurbs

#include "nurbs/patch/rolling_ball.h"

#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/ribbon.h"

#include <Eigen/LU>

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kSolvedMm = 1e-10;
constexpr double kStalledMm = 1e-7; ///< steps no shorter than this come of how exactly feet are found, after so many:
constexpr int kStalled = 8;
constexpr double kMarchSteps = 160, kMarchTurn = 0.2; ///< around the edge; rad a step
constexpr double kPointedMm = 0.02; ///< where a band that fades is narrower it has no direction to speak of

} // namespace

double turnBetween(const Vec3& a, const Vec3& b) { return std::atan2(a.cross(b).norm(), a.dot(b)); }

bool feetOn(const RoundEdge& edge, const std::array<Vec3, 2>& near, std::array<NeighbourPlace, 2>& on) {
  for (const size_t k : {0, 1}) {
    auto foot = edge.sides[k](near[k]);
    if (!foot || !(foot->normal.norm() > 0.5)) return false;
    on[k] = std::move(*foot);
  }
  return true;
}

double sideOfBall(const std::array<NeighbourPlace, 2>& on, const Vec3& along) {
  const Vec3 inwards = on[0].normal.cross(along); // of the left skin, away from the edge
  return inwards.dot(on[1].normal) < 0 ? -1.0 : 1.0;
}

bool ballIn(const RoundEdge& edge, const Vec3& in, const Vec3& square, Vec3 c, double r, RolledPlace& x, std::array<NeighbourPlace, 2>& on) {
  for (int i = 0; i < 40; ++i) {
    if (!feetOn(edge, {c, c}, on)) return false;
    Eigen::Matrix3d A;
    Vec3 f;
    for (const int k : {0, 1}) {
      const NeighbourPlace& p = on[size_t(k)];
      A.row(k) = p.normal.transpose();
      f[k] = (c - p.d(0, 0)).dot(p.normal) - x.gapMm[size_t(k)] - r;
    }
    A.row(2) = square.transpose();
    f[2] = (c - in).dot(square);
    Vec3 step = A.partialPivLu().solve(-f);
    if (!step.allFinite()) return false;
    if (const double most = std::abs(r); step.norm() > most) step *= most / step.norm();
    c += step;
    if (step.norm() < kSolvedMm || (i >= kStalled && step.norm() < kStalledMm)) {
      x.centre = c;
      return feetOn(edge, {c, c}, on);
    }
  }
  return false;
}

bool ballInCorner(const RoundEdge& edge, double r, RolledPlace& x, std::array<NeighbourPlace, 2>& on) {
  std::array<NeighbourPlace, 2> start;
  if (!feetOn(edge, {x.edge, x.edge}, start)) return false;
  const double share = 1 + start[0].normal.dot(start[1].normal);
  if (!(share > 1e-9)) return false;
  return ballIn(edge, x.edge, x.along, x.edge + r * (start[0].normal + start[1].normal) / share, r, x, on);
}

Problem noBall(const RolledPlace& x) {
  return problem("LM-O004", "nothing of that size touches both skins here").measure(millimetres(x.radiusMm)).at(x.edge).tryThis("take less, or another part of the edge");
}

Expected<BallWay> ballAround(const RoundEdge& edge, double radiusMm, const Context& cx) {
  const ArcLength length(*edge.path);
  // From the middle of the longest stretch between tips.
  std::vector<double> tips = edge.path->corners({1.0});
  double best = -1, start = 0;
  for (size_t i = 0; i < tips.size(); ++i) {
    const double a = length.lengthAt(tips[i]), b = i + 1 < tips.size() ? length.lengthAt(tips[i + 1]) : length.lengthAt(tips[0]) + length.total();
    if (b - a > best) best = b - a, start = 0.5 * (a + b);
  }
  if (start > length.total()) start -= length.total();
  const double t = length.parameterAt(start);
  RolledPlace x;
  x.edge = edge.path->at(t), x.along = unitTangent(*edge.path, t), x.radiusMm = radiusMm;
  std::array<NeighbourPlace, 2> on;
  if (!feetOn(edge, {x.edge, x.edge}, on)) return fail(noBall(x));
  BallWay out;
  out.side = sideOfBall(on, x.along);
  const double r = out.side * radiusMm;
  if (!ballInCorner(edge, r, x, on)) return fail(noBall(x));
  const auto lost = [&](const Vec3& at) {
    return problem("LM-O004", "the ball does not come around the tip here").measure(millimetres(x.radiusMm)).at(closestPoint(*edge.path, at).point).tryThis("take less");
  };
  const auto wayAt = [&](const Vec3& before) { // along both skins at once
    const Vec3 way = on[0].normal.cross(on[1].normal).normalized();
    return way.dot(before) < 0 ? Vec3(-way) : way;
  };
  Vec3 way = wayAt(x.along);
  const BallWay::Place first{x.centre, way};
  out.places = {first};
  const double most = length.total() / kMarchSteps;
  double step = 0.25 * most, gone = 0;
  while (gone < 3 * length.total()) {
    if (cx.stopped()) return fail(cancelled());
    const Vec3 from = out.places.back().centre, goal = from + step * way;
    if (gone > 4 * most && (first.centre - from).norm() <= 1.01 * step && (first.centre - from).dot(way) > 0 && first.along.dot(way) > 0.9) {
      out.places.push_back(first);
      return out;
    }
    RolledPlace next = x;
    const bool found = ballIn(edge, goal, way, goal, r, next, on) && (next.centre - goal).norm() < 0.3 * step;
    const Vec3 turned = found ? wayAt(way) : way;
    if (!found || turned.dot(way) < std::cos(kMarchTurn)) {
      step *= 0.5;
      if (step < 1e-4 * most) return fail(lost(from));
      continue;
    }
    out.places.push_back({next.centre, turned});
    gone += step;
    if (turned.dot(way) > std::cos(0.3 * kMarchTurn)) step = std::min(most, 1.6 * step);
    way = turned;
  }
  return fail(lost(first.centre));
}

std::array<Vec3, 6> roundSection(const RoundOptions& o, const RolledPlace& x, double sigma) {
  const Vec3 &a = x.contact[0], &b = x.contact[1];
  std::array<Vec3, 6> out;
  if (o.section == RoundSection::Flat) {
    for (int i = 0; i < 6; ++i) out[size_t(i)] = a + (b - a) * i / 5;
    return out;
  }
  const double half = 0.5 * x.turnRad, s = std::sin(half), c = std::cos(half), chord = (b - a).norm();
  double m, ka, kb; // speed and curvature at the ends, towards the normals
  if (o.section == RoundSection::Smooth) {
    const double turn = 0.5 * turnBetween(x.towards[0], x.towards[1]);
    m = chord * (turn > 1e-6 ? turn / std::sin(turn) : 1.0);
    ka = x.curvature[0], kb = x.curvature[1];
  } else {
    const double R = chord / (2 * std::max(1e-12, s));
    double k;
    if (o.section == RoundSection::Circle) {
      k = 1 / R;
      m = s > 1e-4 ? R * (5 * s - std::sqrt(std::max(0.0, 25 * s * s - 32 * c * (1 - c)))) / c : R * 2 * half;
    } else {
      const double w = o.rho / (1 - o.rho), H = R * s * std::tan(half);
      k = c * c / (R * w * w);
      m = (5 * s - std::sqrt(std::max(0.0, 25 * s * s - 32 * k * c * o.rho * H))) / (k * c);
    }
    ka = kb = sigma * k;
  }
  out[0] = a, out[1] = a + m / 5 * x.towards[0], out[2] = a + 2 * m / 5 * x.towards[0] + m * m * ka / 20 * x.normal[0];
  out[5] = b, out[4] = b - m / 5 * x.towards[1], out[3] = b - 2 * m / 5 * x.towards[1] + m * m * kb / 20 * x.normal[1];
  return out;
}

double contactAngleDeg(const RoundEdge& edge, const std::vector<Surface>& bands) {
  constexpr int kPerSpan = 4;
  double worst = 0;
  for (const Surface& s : bands)
    for (size_t i = 0; i + 1 < s.knotsU().size(); ++i) {
      const double a = s.knotsU()[i], b = s.knotsU()[i + 1];
      for (int k = 0; k < kPerSpan && b > a; ++k)
        for (const size_t side : {0, 1}) {
          const double u = a + (b - a) * (k + 0.5) / kPerSpan;
          if ((s.at(u, s.firstV()) - s.at(u, s.lastV())).norm() < kPointedMm) continue;
          const PointAndNormal p = s.pointAndNormal(u, side ? s.lastV() : s.firstV());
          if (const auto on = edge.sides[side](p.point)) worst = std::max(worst, degFromRad(std::asin(std::min(1.0, p.normal.cross(on->normal).norm()))));
        }
    }
  return worst;
}

} // namespace lumsk::nurbs

#include "nurbs/curves/curve_network.h"

#include "nurbs/measure/meet.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>
#include <map>

namespace lumsk::nurbs {

std::vector<NetworkCrossing> crossingsOf(const std::vector<Path>& curves, double reachMm) {
  std::vector<MeetingSide> sides;
  sides.reserve(curves.size());
  for (const Path& p : curves) sides.emplace_back(p);
  std::vector<NetworkCrossing> out;
  for (size_t i = 0; i < curves.size(); ++i)
    for (size_t j = i + 1; j < curves.size(); ++j)
      for (const Meeting& m : meetings(sides[i], sides[j], reachMm).list)
        out.push_back({int(i), int(j), m.s, m.t, m.middle(), m.gapMm, m.angleDeg});
  return out;
}

namespace {

/// Least moves of control points that move the spline's places as asked: the shortest solution, smoothed by spreading
/// every move over the neighbours of its span.
Spline moved(Spline c, const std::vector<std::pair<double, Vec3>>& moves) {
  if (c.degree() < 3) c = elevate(c, 3 - c.degree());
  // Every place needs control points of its own.
  while (c.size() < 2 * int(moves.size()) + 4) {
    const auto breaks = breakpoints(c.knots(), c.degree());
    std::vector<double> middles;
    for (size_t k = 0; k + 1 < breaks.size(); ++k) middles.push_back(0.5 * (breaks[k] + breaks[k + 1]));
    c = refineKnots(c, middles);
  }
  const int m = int(moves.size()), n = c.size();
  Eigen::MatrixXd B = Eigen::MatrixXd::Zero(m, n);
  Eigen::MatrixXd want(m, 3);
  for (int k = 0; k < m; ++k) {
    double N[kMaxDegree + 1];
    const int first = basisFunctions(c.knots(), c.degree(), moves[size_t(k)].first, N);
    for (int i = 0; i <= c.degree(); ++i) B(k, first + i) = N[i];
    want.row(k) = moves[size_t(k)].second.transpose();
  }
  // Bending of the control polygon's moves is kept small together with the moves themselves.
  Eigen::MatrixXd W = 0.05 * Eigen::MatrixXd::Identity(n, n);
  for (int i = 1; i + 1 < n; ++i)
    for (int x = -1; x <= 1; ++x)
      for (int y = -1; y <= 1; ++y) W(i + x, i + y) += (x == 0 ? -2 : 1) * (y == 0 ? -2 : 1);
  const Eigen::MatrixXd WB = W.ldlt().solve(B.transpose());
  const Eigen::MatrixXd lambda = (B * WB).ldlt().solve(want);
  Points P = c.points() + WB * lambda;
  if (c.closed()) P.row(n - 1) = P.row(0);
  return Spline::trusted(c.degree(), c.knots(), std::move(P), c.closed());
}

} // namespace

Expected<Path> pulled(const Path& p, const std::vector<std::pair<double, Vec3>>& moves, const Context& cx) {
  // A line between two moved ends stays one.
  const bool ends = std::all_of(moves.begin(), moves.end(),
                                [&](const auto& m) { return m.first < 1e-9 || m.first > p.last() - 1e-9; });
  if (p.segments().size() == 1 && std::holds_alternative<LineSegment>(p.segments()[0]) && ends) {
    LineSegment l = std::get<LineSegment>(p.segments()[0]);
    for (const auto& [t, by] : moves) (t < 0.5 ? l.a : l.b) += by;
    return Path::make({l}, cx.tolerances.point);
  }
  std::vector<Segment> out = p.segments();
  const int n = int(out.size());
  std::vector<std::vector<std::pair<double, Vec3>>> own{size_t(n)};
  const auto joint = [&](int k) { return k == 0 || k == n ? (p.closed() ? 0 : k) : k; };
  std::map<int, Vec3> joints; // moves at joints count for both sides
  for (const auto& [t, by] : moves) {
    if (std::abs(t - std::round(t)) < 1e-7)
      joints[joint(int(std::lround(t)))] = by;
    else
      own[size_t(std::clamp(int(t), 0, n - 1))].push_back({t - std::floor(t), by});
  }
  for (int i = 0; i < n; ++i) {
    auto list = own[size_t(i)];
    // Ends of a piece stay where they are, or follow their joint.
    for (int end : {0, 1}) {
      const auto it = joints.find(joint(i + end));
      const bool any = it != joints.end() || !list.empty() || joints.count(joint(i + 1 - end));
      if (any) list.push_back({double(end), it != joints.end() ? it->second : Vec3(Vec3::Zero())});
    }
    if (list.empty()) continue;
    // An open curve's free end may move along.
    if (!p.closed() && (i == 0 || i == n - 1))
      list.erase(std::remove_if(list.begin(), list.end(),
                                [&](const auto& m) {
                                  return m.second.isZero() &&
                                         ((i == 0 && m.first == 0.0) || (i == n - 1 && m.first == 1.0));
                                }),
                 list.end());
    if (p.closed() && n == 1) // one closed piece: both ends are the seam
      list.erase(std::remove_if(list.begin(), list.end(), [](const auto& m) { return m.first == 1.0; }), list.end());
    if (list.empty()) continue;
    LUMSK_TRY(c, asSpline(out[size_t(i)], cx));
    for (auto& m : list) m.first = c.first() + m.first * (c.last() - c.first());
    out[size_t(i)] = moved(c, list);
  }
  return Path::make(std::move(out), {3 * cx.tolerances.point.mm});
}

Expected<ClosedNetwork> closedNetwork(const std::vector<Path>& curves, const std::vector<char>& held, double limitMm,
                                      const Context& cx) {
  ClosedNetwork out;
  out.curves = curves;
  const double point = cx.tolerances.point.mm;
  std::vector<NetworkCrossing> found = crossingsOf(curves, limitMm);
  for (const NetworkCrossing& c : found) out.closed += c.gapMm > point;
  // What crosses at one place is one knot of the network, even if not all pairs were found.
  struct Member {
    int curve;
    double t;
    Vec3 at;
  };
  std::vector<std::vector<Member>> knots;
  const auto join = [&](const NetworkCrossing& c) {
    const Member a{c.a, c.s, curves[size_t(c.a)].at(c.s)}, b{c.b, c.t, curves[size_t(c.b)].at(c.t)};
    for (auto& k : knots) {
      const bool near = std::any_of(k.begin(), k.end(), [&](const Member& m) {
        return (m.curve == a.curve && (m.at - a.at).norm() <= limitMm) ||
               (m.curve == b.curve && (m.at - b.at).norm() <= limitMm);
      });
      if (!near) continue;
      for (const Member& m : {a, b})
        if (std::none_of(k.begin(), k.end(), [&](const Member& x) { return x.curve == m.curve; })) k.push_back(m);
      return;
    }
    knots.push_back({a, b});
  };
  for (const NetworkCrossing& c : found) join(c);
  std::vector<std::vector<std::pair<double, Vec3>>> moves(curves.size());
  for (const auto& k : knots) {
    Vec3 sum = Vec3::Zero();
    int fixed = 0;
    for (const Member& m : k)
      if (!held.empty() && held[size_t(m.curve)]) sum += m.at, ++fixed;
    if (fixed == 0)
      for (const Member& m : k) sum += m.at / double(k.size());
    else
      sum /= fixed;
    for (const Member& m : k) {
      const bool stays = !held.empty() && held[size_t(m.curve)];
      if (stays && (m.at - sum).norm() > point)
        return fail(problem("LM-P061", "two curves that are to stay do not meet here")
                        .measure(millimetres((m.at - sum).norm()))
                        .at(sum)
                        .tryThis("let one of them move"));
      if (!stays) moves[size_t(m.curve)].push_back({m.t, sum - m.at});
      if (!stays && (sum - m.at).norm() > out.movedMm) out.movedMm = (sum - m.at).norm(), out.movedAt = sum;
    }
  }
  for (size_t i = 0; i < curves.size(); ++i) {
    const bool any =
        std::any_of(moves[i].begin(), moves[i].end(), [&](const auto& m) { return m.second.norm() > 1e-9; });
    if (!any) continue;
    LUMSK_TRY(p, pulled(curves[i], moves[i], cx));
    out.curves[i] = std::move(p);
  }
  out.crossings = crossingsOf(out.curves, limitMm);
  return out;
}

} // namespace lumsk::nurbs

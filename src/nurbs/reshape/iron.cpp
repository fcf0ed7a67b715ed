#include "nurbs/reshape/iron.h"

#include "nurbs/joins/side_conditions.h"
#include "nurbs/measure/closest.h"
#include "nurbs/measure/meet.h"
#include "nurbs/reshape/iron_sheet.h"
#include "nurbs/reshape/shape_points.h"

#include <Eigen/QR>
#include <Eigen/SparseCholesky>

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kMostNodes = 61, kFewerNodes = 33, kManySheets = 6; ///< a direction of one skin; of many skins
constexpr int kLooksAPoint = 3;        ///< places of a curve where it leads a skin, per control point
constexpr double kLed = 1.0;            ///< weight of places where curves lead a skin, of a node's own
constexpr double kSpring = 1e-3;       ///< of the wrinkles, that all points at their limit cost
constexpr int kHeldBack = 120;         ///< rounds in which springs are made stiffer or softer
constexpr double kHeld = 0.01;         ///< of the limit, within which a point is at it
constexpr double kDependent = 1e-9;    ///< ties that follow from others within this
constexpr int kPlaneLooks = 64;        ///< places of a piece between which it may go through a plane
constexpr double kEvenKink = 10 * kFlatKink; ///< |dk/ds| L² of what is even to third order, about
constexpr double kSquareDeg = 0.1;     ///< a curve leaves a plane square within this

using Sparse = Eigen::SparseMatrix<double>;
using Solver = Eigen::SimplicialLDLT<Sparse>;

/// A curve's control points among the unknowns: three each, or none where it is held.
struct Led {
  PointNet net;
  int first = -1; ///< unknown of its first point's x
  std::vector<Vec3> moved;
  const Path* path = nullptr;

  bool held() const { return first < 0; }
  /// How far the curve moves at a parameter, along a direction.
  LeastRows::Terms moveAt(double t, const Vec3& along, double factor) const {
    LeastRows::Terms out;
    if (held()) return out;
    for (const auto& [k, f] : influence(t))
      for (int c = 0; c < 3; ++c)
        if (along[c] != 0) out.push_back({unknown(k, c), factor * f * along[c]});
    return out;
  }
  int unknown(int point, int c) const { return first + 3 * point + c; }
  /// Its control points that govern a place, and how much; or its derivatives by the curve's parameter.
  std::vector<std::pair<int, double>> influence(double t, int order = 0) const {
    const int piece = std::clamp(int(std::floor(t)), 0, int(net.splines.size()) - 1);
    const Spline& s = net.splines[size_t(piece)];
    BasisDerivatives basis;
    const double speed = s.last() - s.first();
    basisDerivatives(s.knots(), s.degree(), s.first() + (t - piece) * speed, order, basis);
    std::vector<std::pair<int, double>> out;
    for (int i = 0; i <= s.degree(); ++i)
      out.push_back({net.numberOf(piece, basis.first + i), std::pow(speed, order) * basis.value[size_t(order)][size_t(i)]});
    return out;
  }
};

/// Where a curve leads a skin.
struct LedPlace {
  int curve = 0, sheet = 0;
  double t = 0, u = 0, v = 0;
  Vec3 normal = Vec3::Zero();
};

/// Skins and curves as one system of equations.
struct Model {
  std::vector<Sheet> sheets;
  std::vector<Led> curves;
  std::vector<LedPlace> places;
  LeastRows rows;
  LeastRows ties;      ///< what moves must keep, exactly
  double wrinkles = 0; ///< before anything is moved
  double scale = 1;    ///< what a node's own stiffness is, about
  int nodes = 0, unknowns = 0;
};

/// Parameters of the path at which a curve is looked at.
std::vector<double> looksAlong(const PointNet& net) {
  std::vector<double> out;
  for (size_t p = 0; p < net.splines.size(); ++p) {
    const int n = kLooksAPoint * net.splines[p].size();
    for (int i = 0; i < n; ++i) out.push_back(double(p) + (i + 0.5) / n);
  }
  out.push_back(0);
  out.push_back(double(net.splines.size()));
  return out;
}

std::vector<LedPlace> placesOf(const Model& m, double onMm) {
  std::vector<LedPlace> out;
  for (int c = 0; c < int(m.curves.size()); ++c)
    for (double t : looksAlong(m.curves[size_t(c)].net)) {
      const Vec3 p = m.curves[size_t(c)].path->at(std::min(t, m.curves[size_t(c)].path->last()));
      for (int s = 0; s < int(m.sheets.size()); ++s) {
        const Surface& skin = m.sheets[size_t(s)].surface();
        const ClosestOnSurface near = closestPoint(skin, p);
        if (near.distanceMm > onMm) continue;
        const Vec3 n = skin.normal(near.u, near.v);
        if (n.norm() > 0.5) out.push_back({c, s, t, near.u, near.v, n});
      }
    }
  return out;
}

/// Curves that cross go on crossing.
void tieCrossings(Model& m, double onMm) {
  for (size_t a = 0; a < m.curves.size(); ++a)
    for (size_t b = a + 1; b < m.curves.size(); ++b) {
      if (m.curves[a].held() && m.curves[b].held()) continue;
      for (const Meeting& meet : meetings(*m.curves[a].path, *m.curves[b].path, onMm).list)
        for (int c = 0; c < 3; ++c) {
          LeastRows::Terms both = m.curves[a].moveAt(meet.s, Vec3::Unit(c), 1);
          const LeastRows::Terms other = m.curves[b].moveAt(meet.t, Vec3::Unit(c), -1);
          both.insert(both.end(), other.begin(), other.end());
          m.ties.add(both, 0, 1);
        }
    }
}

/// Smooth joints of pieces stay smooth: both sides turn alike.
void tieJoints(const Led& led, LeastRows& ties, AngleTolerance angle) {
  const int pieces = int(led.net.splines.size());
  const auto corners = led.path->corners(angle);
  for (int p = led.path->closed() ? 0 : 1; p < pieces; ++p) {
    if (std::find(corners.begin(), corners.end(), double(p)) != corners.end()) continue;
    const int before = (p + pieces - 1) % pieces, joint = led.net.numberOf(p, 0);
    const int last = led.net.numberOf(before, led.net.splines[size_t(before)].size() - 2), next = led.net.numberOf(p, 1);
    const Vec3 in = led.net.points[size_t(joint)] - led.net.points[size_t(last)], out = led.net.points[size_t(next)] - led.net.points[size_t(joint)];
    if (!(in.norm() > 0) || !(out.norm() > 0)) continue;
    const double i = 1 / in.norm(), k = 1 / out.norm(), size = 1 / std::max(i, k);
    for (int c = 0; c < 3; ++c)
      ties.add({{led.unknown(joint, c), size * (i + k)}, {led.unknown(last, c), -size * i}, {led.unknown(next, c), -size * k}}, 0, 1);
  }
}

/// Flat curves stay in their planes.
void tieFlat(const Led& led, LeastRows& ties, LengthTolerance point) {
  const PlaneOfPoints plane = fitPlane(polyline(*led.path, 8));
  if (!plane.unique || plane.deviationMm > point.mm) return;
  const Vec3 n = plane.frame.normal();
  for (int k = 0; k < int(led.net.points.size()); ++k) {
    LeastRows::Terms off;
    for (int c = 0; c < 3; ++c) off.push_back({led.unknown(k, c), n[c]});
    ties.add(off, 0, 1);
  }
}

/// Curves that are their own image in a plane stay so.
void tieImages(const Led& led, const Frame& plane, LeastRows& ties, LengthTolerance point) {
  const auto& points = led.net.points;
  std::vector<int> image;
  for (const Vec3& p : points) {
    const Vec3 wanted = mirroredPoint(p, plane);
    const auto nearest = std::min_element(points.begin(), points.end(), [&](const Vec3& a, const Vec3& b) { return (a - wanted).norm() < (b - wanted).norm(); });
    if ((*nearest - wanted).norm() > point.mm) return;
    image.push_back(int(nearest - points.begin()));
  }
  const Eigen::Matrix3d turned = Eigen::Matrix3d::Identity() - 2 * plane.normal() * plane.normal().transpose();
  for (int k = 0; k < int(points.size()); ++k) {
    if (image[size_t(k)] < k || image[size_t(image[size_t(k)])] != k) continue;
    for (int c = 0; c < 3; ++c) {
      LeastRows::Terms same{{led.unknown(image[size_t(k)], c), 1.0}};
      for (int d = 0; d < 3; ++d) same.push_back({led.unknown(k, d), -turned(c, d)});
      ties.add(same, 0, 1);
    }
  }
}

/// Parameters at which a curve meets a plane: its ends there, and where it goes through.
std::vector<double> meetsPlane(const Path& path, const Frame& plane, double onMm) {
  std::vector<double> out;
  const auto off = [&](double t) { return plane.local(path.at(t)).z(); };
  for (const double end : {0.0, path.last()})
    if (std::abs(off(end)) < onMm && !(path.closed() && end > 0)) out.push_back(end);
  const int looks = kPlaneLooks * int(path.segments().size());
  for (int i = 0; i < looks; ++i) {
    double a = path.last() * i / looks, b = path.last() * (i + 1) / looks;
    const double fa = off(a);
    if (fa * off(b) >= 0) continue;
    for (int k = 0; k < 60; ++k) {
      const double middle = 0.5 * (a + b);
      (fa * off(middle) > 0 ? a : b) = middle;
    }
    if (std::none_of(out.begin(), out.end(), [&](double t) { return std::abs(t - a) < 1e-9; })) out.push_back(a);
  }
  return out;
}

/// Whether a skin ends there: on its border, where it does not go on round a seam.
bool isBorder(const Model& m, const Vec3& p, double onMm) {
  return std::any_of(m.sheets.begin(), m.sheets.end(), [&](const Sheet& s) {
    const ClosestOnSurface near = closestPoint(s.surface(), p);
    return near.distanceMm < onMm && s.endsAt(near.u, near.v);
  });
}

/// What meets a mirror plane square where a skin ends goes on doing so, and to third order where it does.
void tiePlane(const Model& m, const Led& led, const Frame& plane, double onMm, LeastRows& ties) {
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (const Led& c : m.curves)
    for (const Vec3& p : c.net.points) low = low.cwiseMin(p), high = high.cwiseMax(p);
  const double size = (high - low).norm(); // by which kinks are judged
  const Vec3 n = plane.normal();
  for (const double t : meetsPlane(*led.path, plane, onMm)) {
    CurveDerivatives d;
    led.path->derivatives(t, 3, d);
    const PlaneLeaving leaves = leavingPlane(d, n);
    if (leaves.angleRad > radFromDeg(kSquareDeg) || !isBorder(m, d[0], onMm)) continue;
    const auto row = [&](const Vec3& along, std::initializer_list<std::pair<int, double>> orders) {
      LeastRows::Terms terms;
      double largest = 0;
      for (const auto& [order, factor] : orders)
        for (const auto& [k, f] : led.influence(t, order)) {
          largest = std::max(largest, std::abs(factor * f));
          for (int c = 0; c < 3; ++c)
            if (along[c] != 0) terms.push_back({led.unknown(k, c), factor * f * along[c]});
        }
      if (largest > 0) ties.add(terms, 0, 1 / largest);
    };
    row(n, {{0, 1.0}});
    const double bend = d[2].dot(n) / d[1].dot(n);
    const bool third = leaves.bendRate * size * size < kEvenKink;
    for (const Vec3& across : {plane.x, plane.y}) {
      row(across, {{1, 1.0}});
      if (third) row(across, {{3, 1.0}, {2, -3 * bend}});
    }
    if (third)
      for (const int order : {1, 2}) row(n, {{order, 1.0}});
  }
}

void tie(Model& m, const IronOptions& o, const Context& cx) {
  tieCrossings(m, o.on.mm);
  for (const Led& led : m.curves) {
    if (led.held()) continue;
    tieJoints(led, m.ties, cx.tolerances.angle);
    tieFlat(led, m.ties, cx.tolerances.point);
    for (const Frame& plane : o.planes) {
      tieImages(led, plane, m.ties, cx.tolerances.point);
      tiePlane(m, led, plane, o.on.mm, m.ties);
    }
  }
}

Expected<Model> modelOf(const std::vector<Surface>& skins, const std::vector<IronCurve>& curves, const IronOptions& o, const Context& cx) {
  Model m;
  const int most = int(skins.size()) > kManySheets ? kFewerNodes : kMostNodes;
  for (const Surface& s : skins) {
    m.sheets.emplace_back(s, m.nodes, most);
    m.nodes += m.sheets.back().nodes();
  }
  m.unknowns = m.nodes;
  for (const IronCurve& c : curves) {
    Led led;
    LUMSK_TRY(net, pointNet(c.path, cx));
    led.net = std::move(net);
    led.path = &c.path;
    led.moved = c.moved;
    led.moved.resize(led.net.points.size(), Vec3::Zero());
    if (!c.held) {
      led.first = m.unknowns;
      m.unknowns += 3 * int(led.net.points.size());
    }
    m.curves.push_back(std::move(led));
  }
  for (const Sheet& s : m.sheets) s.bendingRows(m.rows);
  m.wrinkles = m.rows.squaredRight();
  m.scale = std::sqrt(m.rows.matrix(m.unknowns).squaredNorm() / std::max(1, m.nodes));
  m.places = placesOf(m, o.on.mm);
  for (const LedPlace& p : m.places) {
    LeastRows::Terms terms = m.sheets[size_t(p.sheet)].displacementAt(p.u, p.v);
    const LeastRows::Terms move = m.curves[size_t(p.curve)].moveAt(p.t, p.normal, -1);
    terms.insert(terms.end(), move.begin(), move.end());
    m.rows.add(terms, 0, kLed * m.scale);
  }
  return m;
}

/// What is left of the equations when every skin goes where its curves lead it: half of q stiff q - pull q of the moves q.
struct Reduced {
  Eigen::MatrixXd stiff;
  Eigen::VectorXd pull;
  Eigen::MatrixXd allowed; ///< columns: moves that keep all ties
  int points() const { return int(pull.size()) / 3; }
};

Reduced reduced(const Model& m) {
  const Sparse J = m.rows.matrix(m.unknowns);
  Sparse normal = J.transpose() * J;
  const Eigen::VectorXd pull = J.transpose() * m.rows.right();
  // A touch that keeps what nothing else determines where it is.
  for (int i = 0; i < m.unknowns; ++i) normal.coeffRef(i, i) += 1e-10 * m.scale * m.scale;
  const int moves = m.unknowns - m.nodes;
  const Solver skins(Sparse(normal.topLeftCorner(m.nodes, m.nodes)));
  const Eigen::MatrixXd leading = normal.topRightCorner(m.nodes, moves);
  Reduced out;
  out.stiff = Eigen::MatrixXd(normal.bottomRightCorner(moves, moves)) - leading.transpose() * skins.solve(leading);
  out.pull = pull.tail(moves) - leading.transpose() * skins.solve(Eigen::VectorXd(pull.head(m.nodes)));
  out.allowed = Eigen::MatrixXd::Identity(moves, moves);
  if (m.ties.rows() > 0) {
    Eigen::ColPivHouseholderQR<Eigen::MatrixXd> ties(Eigen::MatrixXd(m.ties.matrix(m.unknowns).rightCols(moves)).transpose());
    ties.setThreshold(kDependent);
    out.allowed = Eigen::MatrixXd(ties.householderQ()).rightCols(moves - ties.rank());
  }
  return out;
}

/// How little it costs that a point moves as far as it may.
double softSpring(const Model& m, const IronOptions& o) {
  return kSpring * (m.wrinkles + 1e-12) / (std::max(1, (m.unknowns - m.nodes) / 3) * o.most.mm * o.most.mm);
}

/// Moves with a spring at every control point, which holds it to where it was before any.
Eigen::VectorXd sprung(const Reduced& r, const Eigen::VectorXd& before, const Eigen::VectorXd& springs) {
  Eigen::MatrixXd stiff = r.stiff;
  Eigen::VectorXd pull = r.pull;
  for (int i = 0; i < int(pull.size()); ++i) {
    stiff(i, i) += springs[i / 3];
    pull[i] -= springs[i / 3] * before[i];
  }
  return r.allowed * Eigen::MatrixXd(r.allowed.transpose() * stiff * r.allowed).ldlt().solve(r.allowed.transpose() * pull);
}

Expected<Model> tiedModelOf(const std::vector<Surface>& skins, const std::vector<IronCurve>& curves, const IronOptions& o, const Context& cx) {
  LUMSK_TRY(m, modelOf(skins, curves, o, cx));
  tie(m, o, cx);
  return std::move(m);
}

} // namespace

Expected<Ironed> ironed(const std::vector<Surface>& skins, const std::vector<IronCurve>& curves, const IronOptions& o, const Context& cx) {
  LUMSK_TRY(m, tiedModelOf(skins, curves, o, cx));
  Ironed out;
  for (const Led& c : m.curves) out.moves.push_back(c.moved);
  out.leads = std::any_of(m.places.begin(), m.places.end(), [&](const LedPlace& p) { return !m.curves[size_t(p.curve)].held(); });
  if (!out.leads) return out;
  if (cx.stopped()) return fail(cancelled());
  const Reduced r = reduced(m);
  Eigen::VectorXd before(r.pull.size());
  for (const Led& c : m.curves)
    for (size_t k = 0; !c.held() && k < c.moved.size(); ++k) before.segment<3>(c.first - m.nodes + 3 * int(k)) = c.moved[k];
  // The springs of points at the limit are the multipliers of an optimum that is bound by it.
  const double soft = softSpring(m, o);
  Eigen::VectorXd springs = Eigen::VectorXd::Constant(r.points(), soft), total;
  for (int round = 0; round < kHeldBack; ++round) {
    if (cx.stopped()) return fail(cancelled());
    total = before + sprung(r, before, springs);
    bool held = true;
    for (int k = 0; k < r.points(); ++k) {
      const double over = total.segment<3>(3 * k).norm() / o.most.mm;
      held = held && over < 1 + kHeld && (over > 1 - kHeld || springs[k] <= 1.001 * soft);
      springs[k] = std::max(soft, springs[k] * over);
    }
    if (held) break;
  }
  // All together by the little that is over: crossings stay crossings.
  for (int k = 0; k < r.points(); ++k) out.mostMm = std::max(out.mostMm, total.segment<3>(3 * k).norm());
  const double within = std::min(1.0, o.most.mm / std::max(out.mostMm, 1e-300));
  out.mostMm *= within;
  for (size_t i = 0; i < m.curves.size(); ++i)
    for (size_t k = 0; !m.curves[i].held() && k < out.moves[i].size(); ++k) out.moves[i][k] = within * total.segment<3>(m.curves[i].first - m.nodes + 3 * int(k));
  return out;
}

Expected<std::vector<WrinkleShare>> wrinkleShares(const std::vector<Surface>& skins, const std::vector<IronCurve>& curves, const IronOptions& o, const Context& cx) {
  LUMSK_TRY(m, tiedModelOf(skins, curves, o, cx));
  const Reduced r = reduced(m);
  std::vector<WrinkleShare> out;
  if (r.points() == 0) return out;
  const Eigen::VectorXd x = sprung(r, Eigen::VectorXd::Zero(r.pull.size()), Eigen::VectorXd::Constant(r.points(), softSpring(m, o)));
  double sum = 0;
  for (int i = 0; i < int(m.curves.size()); ++i) {
    const Led& c = m.curves[size_t(i)];
    for (int k = 0; !c.held() && k < int(c.net.points.size()); ++k) {
      const int at = c.first - m.nodes + 3 * k;
      out.push_back({i, k, c.net.points[size_t(k)], std::max(0.0, r.pull.segment<3>(at).dot(x.segment<3>(at)))});
      sum += out.back().share;
    }
  }
  for (WrinkleShare& s : out) s.share = sum > 0 ? s.share / sum : 0;
  std::stable_sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.share > b.share; });
  return out;
}

} // namespace lumsk::nurbs

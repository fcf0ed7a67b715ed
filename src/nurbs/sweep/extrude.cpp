#include "nurbs/sweep/extrude.h"

#include "nurbs/curves/curve_ends.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/fit/fit.h"
#include "nurbs/loft/carrier.h"
#include "nurbs/measure/arc_length.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kLooks = 96;            ///< places of a piece that are looked at
constexpr double kAlong = 0.005;      ///< sine to the direction: a profile that runs closer along it has no skin there
constexpr double kFitPart = 0.5;      ///< of `fit`
constexpr double kFitsPart = 0.97;    ///< of the largest lean
constexpr double kMostMitre = 1e-3;   ///< walls at a corner that turns further have no common line
constexpr int kDegree = 5;

/// Between the places of a path that is run through by its length.
struct Piece {
  explicit Piece(Path p) : path(std::move(p)), length(path) {}
  Path path;
  ArcLength length;
  double firstTurn = 0, lastTurn = 0; ///< how far walls that lean run along the profile at its ends

  bool straight() const { return path.segments().size() == 1 && std::holds_alternative<LineSegment>(path.segments().front()); }
  bool around(AngleTolerance corner) const { return path.closed() && path.corners(corner).empty(); }
  Vec3 at(double t) const { return path.at(length.parameterAtFraction(t)); }
  Vec3 tangent(double t) const {
    if (t >= 1) return path.tangentBefore(path.last()).normalized();
    CurveDerivatives d;
    path.derivatives(length.parameterAtFraction(t), 1, d);
    return d[1].normalized();
  }
};

/// Breaks of a fit of curves that follow the path's direction `less` orders below its own places.
std::vector<double> roughBreaks(const Path& p, int less) {
  std::vector<double> out;
  size_t atSeam = 1; // of closed paths
  for (const RoughPlace& r : roughPlaces(p)) {
    const size_t times = size_t(std::clamp(kDegree - r.smooth + less, 1, kDegree));
    if (r.fraction > 0 && r.fraction < 1)
      out.insert(out.end(), times, r.fraction);
    else if (p.closed())
      atSeam = std::max(atSeam, times);
  }
  if (out.empty()) return out;
  std::sort(out.begin(), out.end());
  out.insert(out.begin(), atSeam, 0.0);
  out.push_back(1.0);
  return out;
}

/// First derivatives at both ends of an open family, so that smooth joints stay smooth.
void keepDirections(LeanOptions& lean, const CurveFamily& family) {
  constexpr double kStep = 1e-4;
  if (family.closed) return;
  const Eigen::Index n = 3 * family.curves;
  for (const int e : {0, 1}) {
    Rows at(3, n);
    for (int k = 0; k < 3; ++k) family.sample(e ? 1 - k * kStep : k * kStep, at.row(k).data());
    lean.endDerivatives[size_t(e)] = (e ? -1.0 : 1.0) * (4 * at.row(1) - 3 * at.row(0) - at.row(2)) / (2 * kStep);
  }
}

/// Both rows on one knot vector.
Surface ruled(const Spline& from, const Points& to) {
  const int n = from.size();
  Points grid(2 * n, 3);
  for (int i = 0; i < n; ++i) grid.row(2 * i) = from.points().row(i), grid.row(2 * i + 1) = to.row(i);
  return Surface::trusted(from.degree(), 1, from.knots(), uniformKnots(1, 1), std::move(grid), from.closed());
}

class Extruder {
public:
  Extruder(const Path& profile, const ExtrudeOptions& o, const Context& cx) : profile_(profile), o_(o), cx_(cx) {}

  Expected<PlainSkin> run() {
    if (cx_.stopped()) return fail(cancelled());
    for (int e : {0, 1})
      if (!o_.until[size_t(e)] && !(o_.reachMm[0] + o_.reachMm[1] > 10 * cx_.tolerances.point.mm) && !o_.until[size_t(1 - e)])
        return fail(problem("LM-X001", "the skin has next to no length").measure(millimetres(o_.reachMm[0] + o_.reachMm[1])).at(profile_.start()).inField("length").tryThis("give a length"));
    LUMSK_TRY(paths, piecesOf(profile_, o_.merged, cx_.tolerances));
    for (Path& p : paths) pieces_.emplace_back(std::move(p));
    out_.pieces = int(pieces_.size());
    LUMSK_CHECK(checkDirection());
    LUMSK_CHECK(readyCorners());
    for (int e : {0, 1}) LUMSK_CHECK(checkEnd(e));
    for (size_t k = 0; k < pieces_.size(); ++k) LUMSK_CHECK(o_.leanDeg == 0 ? upright(k) : leaning(k));
    return std::move(out_);
  }

private:
  /// Square to the profile and to the direction, outwards.
  Vec3 outAt(const Vec3& tangent) const { return o_.outwards * tangent.cross(o_.direction).normalized(); }
  Vec3 sideAt(const Vec3& tangent) const { return (tangent - tangent.dot(o_.direction) * o_.direction).normalized(); }
  bool ends(int e) const { return o_.until[size_t(e)] || o_.reachMm[size_t(e)] > 0; }

  Expected<void> checkDirection() const {
    const Vec3* before = nullptr;
    Vec3 last = Vec3::Zero();
    for (const Piece& p : pieces_)
      for (int i = 0; i <= kLooks; ++i) {
        const double t = double(i) / kLooks;
        const Vec3 across = p.tangent(t).cross(o_.direction);
        const bool turnsBack = before && i > 0 && across.dot(*before) < 0;
        if (across.norm() < kAlong || turnsBack)
          return fail(problem("LM-X002", across.norm() < kAlong ? "the profile runs along the direction here: the skin would have no width"
                                                                : "the profile turns back here as the direction sees it: the skin would lie on itself")
                          .at(p.at(t))
                          .inField("direction")
                          .tryThis("take another direction, or a part of the profile"));
        last = across, before = &last;
      }
    return {};
  }

  /// At corners the walls of both sides meet in one line.
  Expected<void> readyCorners() {
    const size_t n = pieces_.size();
    if (o_.leanDeg == 0) return {};
    for (size_t k = 0; k < n; ++k) {
      if (k + 1 == n && !profile_.closed()) break;
      Piece &a = pieces_[k], &b = pieces_[(k + 1) % n];
      const Vec3 one = outAt(a.tangent(1)), other = outAt(b.tangent(0));
      if (1 + one.dot(other) < kMostMitre)
        return fail(problem("LM-X003", "the profile turns back here: walls that lean cannot meet")
                        .at(b.at(0))
                        .inField("lean")
                        .tryThis("let them be upright, or round that corner"));
      const Vec3 mitre = (one + other) / (1 + one.dot(other));
      a.lastTurn = mitre.dot(sideAt(a.tangent(1)));
      b.firstTurn = mitre.dot(sideAt(b.tangent(0)));
    }
    return {};
  }

  /// The line of the skin through a place of a piece; by mm along the direction.
  Vec3 way(const Piece& p, double t, int e, double slope) const {
    const Vec3 along = (e ? 1.0 : -1.0) * o_.direction;
    if (slope == 0) return along;
    const Vec3 tangent = p.tangent(t);
    return along + slope * (outAt(tangent) + ((1 - t) * p.firstTurn + t * p.lastTurn) * sideAt(tangent));
  }
  double reach(const Vec3& from, const Vec3& way, int e) const {
    const auto& plane = o_.until[size_t(e)];
    return plane ? (plane->origin - from).dot(plane->normal()) / way.dot(plane->normal()) : o_.reachMm[size_t(e)];
  }
  Vec3 farPlace(const Piece& p, double t, int e, double slope) const {
    const Vec3 from = p.at(t), w = way(p, t, e, slope);
    return from + reach(from, w, e) * w;
  }
  double slope() const { return std::tan(radFromDeg(o_.leanDeg)); }

  /// Where walls that lean by a slope cross one another.
  std::optional<Vec3> crossing(int e, double slope) const {
    std::vector<Segment> line;
    Vec3 first = Vec3::Zero(), last = Vec3::Zero();
    for (const Piece& p : pieces_)
      for (int i = 0; i <= kLooks; i += p.straight() ? kLooks : 1) {
        const double t = double(i) / kLooks, before = p.straight() ? 0.0 : double(i - 1) / kLooks;
        const Vec3 at = farPlace(p, t, e, slope);
        if (i > 0 && (at - last).dot(p.at(t) - p.at(before)) <= 0) return p.at(0.5 * (t + before));
        if (i > 0) line.push_back(LineSegment{last, at});
        if (line.empty() && i == 0) first = at;
        last = at;
      }
    if (profile_.closed() && !line.empty()) std::get<LineSegment>(line.back()).b = first;
    const auto path = Path::make(std::move(line), cx_.tolerances.point);
    if (!path) return pieces_.front().at(0);
    const auto at = selfCrossings(*path, cx_.tolerances.point);
    return at.empty() ? std::nullopt : std::optional(at.front());
  }

  Expected<void> checkEnd(int e) const {
    if (!ends(e)) return {};
    const std::string field = e ? "upTo" : "backTo";
    if (const auto& plane = o_.until[size_t(e)]) {
      if (std::abs(plane->normal().dot(o_.direction)) < kAlong)
        return fail(problem("LM-X004", "the plane to end at lies along the direction").at(plane->origin).inField(field).tryThis("take another one, or give a length"));
      for (const Piece& p : pieces_)
        for (int i = 0; i <= kLooks; ++i) {
          const double t = double(i) / kLooks, away = reach(p.at(t), way(p, t, e, slope()), e);
          if (away < 10 * cx_.tolerances.point.mm)
            return fail(problem("LM-X004", "what the skin is to end at lies behind the profile here")
                            .measure(millimetres(away))
                            .at(p.at(t))
                            .inField(field)
                            .tryThis("turn the direction around, or move the profile"));
        }
    }
    if (o_.leanDeg == 0) return {};
    const auto at = crossing(e, slope());
    if (!at) return {};
    double fits = 0, folds = 1;
    for (int it = 0; it < 24; ++it) {
      const double m = 0.5 * (fits + folds);
      (crossing(e, m * slope()) ? folds : fits) = m;
    }
    const double most = kFitsPart * degFromRad(std::atan(fits * slope()));
    Problem p = problem("LM-X003", "the walls lean so much that they cross").measure(degrees(o_.leanDeg)).want(degrees(most)).at(*at).inField("lean");
    if (std::abs(most) > 0.1)
      p.offer({"lean by " + formatNumber(most, 3), "lean", formatNumber(most, 3)});
    else
      p.tryThis("let them be upright, or shorter");
    return fail(std::move(p));
  }

  Expected<void> upright(size_t k) {
    LUMSK_TRY(c, pieceAsSpline(pieces_[k].path, cx_, out_.deviationMm));
    Points low = c.points(), high = c.points();
    for (Eigen::Index i = 0; i < low.rows(); ++i) { // affine, also to a plane: what the spline's points do, the spline does
      const Vec3 p = c.points().row(i).transpose();
      if (ends(0)) low.row(i) -= (reach(p, -o_.direction, 0) * o_.direction).transpose();
      if (ends(1)) high.row(i) += (reach(p, o_.direction, 1) * o_.direction).transpose();
    }
    out_.faces.push_back({ruled(Spline::trusted(c.degree(), c.knots(), low, c.closed()), high), int(k)});
    return {};
  }

  Expected<void> leaning(size_t k) {
    const Piece& p = pieces_[k];
    for (int e : {0, 1}) {
      if (!ends(e)) continue;
      PlainSkin::Face face{{}, int(k), e == 0 && ends(1)};
      Spline line, far; // along the direction the one that is farther back comes first
      if (p.straight()) {
        Points two(2, 3);
        two << p.at(0).transpose(), p.at(1).transpose();
        line = Spline::trusted(1, uniformKnots(1, 1), two);
        two << farPlace(p, 0, e, slope()).transpose(), farPlace(p, 1, e, slope()).transpose();
        far = Spline::trusted(1, uniformKnots(1, 1), two);
      } else {
        CurveFamily family;
        family.curves = 2;
        family.closed = p.around(cx_.tolerances.corner);
        family.sample = [&](double t, double* out) {
          Eigen::Map<Vec3>(out, 3) = p.at(t);
          Eigen::Map<Vec3>(out + 3, 3) = farPlace(p, t, e, slope());
        };
        LeanOptions lean;
        lean.degree = kDegree;
        lean.fit = {kFitPart * cx_.tolerances.fit.mm};
        lean.firstBreaks = roughBreaks(p.path, 1);
        lean.removeKnots = true;
        keepDirections(lean, family);
        LUMSK_TRY(fit, fitLean(family, lean));
        out_.deviationMm = std::max(out_.deviationMm, fit.deviationMm);
        line = fit.curve(0), far = fit.curve(1);
      }
      face.surface = e ? ruled(line, far.points()) : ruled(far, line.points());
      measureLean(face.surface);
      out_.faces.push_back(std::move(face));
    }
    return {};
  }

  void measureLean(const Surface& s) {
    for (int i = 0; i <= kLooks; ++i)
      for (const double v : {0.0, 0.5, 1.0}) {
        const Vec3 n = s.normal(s.firstU() + (s.lastU() - s.firstU()) * i / kLooks, v);
        const double lean = degFromRad(std::asin(std::clamp(std::abs(n.dot(o_.direction)), 0.0, 1.0)));
        out_.leanOffDeg = std::max(out_.leanOffDeg, std::abs(lean - std::abs(o_.leanDeg)));
      }
  }

  const Path& profile_;
  const ExtrudeOptions& o_;
  const Context& cx_;
  std::vector<Piece> pieces_;
  PlainSkin out_;
};

} // namespace

Expected<PlainSkin> extrude(const Path& profile, const ExtrudeOptions& options, const Context& cx) {
  return Extruder(profile, options, cx).run();
}

Expected<std::vector<Path>> piecesOf(const Path& path, bool merged, const Tolerances& tol) {
  std::vector<Path> out;
  if (!merged) {
    for (const Segment& s : path.segments()) {
      LUMSK_TRY(one, Path::make({s}, tol.point));
      out.push_back(std::move(one));
    }
    return out;
  }
  const auto corners = path.corners(tol.corner);
  if (corners.empty()) return std::vector<Path>{path};
  return splitAt(path, corners, tol.point);
}

Expected<Spline> pieceAsSpline(const Path& piece, const Context& cx, double& deviationMm) {
  if (piece.segments().size() == 1 && !std::holds_alternative<EllipseArc>(piece.segments().front()))
    return asSpline(piece.segments().front(), cx);
  const ArcLength length = piece.wholeEllipse() ? ArcLength::byParameter(piece) : ArcLength(piece);
  CurveFamily family;
  family.curves = 1;
  family.closed = piece.closed() && piece.corners(cx.tolerances.corner).empty();
  family.sample = [&](double t, double* out) { Eigen::Map<Vec3>(out, 3) = piece.at(length.parameterAtFraction(t)); };
  LeanOptions lean;
  lean.degree = kDegree;
  lean.fit = {kFitPart * cx.tolerances.fit.mm};
  lean.firstBreaks = roughBreaks(piece, 0);
  lean.removeKnots = true;
  keepDirections(lean, family);
  LUMSK_TRY(fit, fitLean(family, lean));
  deviationMm = std::max(deviationMm, fit.deviationMm);
  return fit.curve(0);
}

double outwardsOf(const Path& profile, const Vec3& direction) {
  const Points at = polyline(profile, 16);
  const Vec3 middle = profile.closed() ? Vec3(at.colwise().mean().transpose()) : Vec3(0.5 * (profile.start() + profile.end()));
  double side = 0;
  for (Eigen::Index i = 0; i + 1 < at.rows(); ++i) {
    const Vec3 p = at.row(i).transpose() - middle, q = at.row(i + 1).transpose() - middle;
    side += p.cross(q).dot(direction); // twice the area, counter-clockwise as the direction comes towards one
  }
  return side < 0 ? -1.0 : 1.0;
}

Vec3 squareTo(const std::vector<Path>& profiles, LengthTolerance point) {
  constexpr double kFlatTolerances = 10, kLevel = 1e-6, kUpright = 0.01; ///< the latter: sine
  std::vector<Points> all;
  Eigen::Index rows = 0;
  for (const Path& p : profiles) all.push_back(polyline(p, 16)), rows += all.back().rows();
  Points places(rows, 3);
  rows = 0;
  for (const Points& one : all) places.middleRows(rows, one.rows()) = one, rows += one.rows();
  for (const Points* these : {&places, &all.front()}) {
    const PlaneOfPoints plane = fitPlane(*these);
    if (!plane.unique || plane.deviationMm > kFlatTolerances * point.mm) continue;
    const Vec3 n = plane.frame.normal();
    const double most = std::abs(n.z()) > kLevel ? n.z() : std::abs(n.y()) > kLevel ? n.y() : n.x();
    return most < 0 ? Vec3(-n) : n;
  }
  const Vec3 along = profiles.front().end() - profiles.front().start();
  return along.normalized().cross(Vec3::UnitZ()).norm() < kUpright ? Vec3(Vec3::UnitX()) : Vec3(Vec3::UnitZ());
}

} // namespace lumsk::nurbs

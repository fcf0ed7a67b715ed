#include "nurbs/core/path.h"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <Eigen/Geometry>
#include <cmath>
#include <tuple>

namespace lumsk::nurbs {

namespace {

void segmentDerivatives(const Segment& s, double f, int order, CurveDerivatives& out) {
  if (const auto* line = std::get_if<LineSegment>(&s)) {
    out[0] = line->a + f * (line->b - line->a);
    if (order > 0) out[1] = line->b - line->a;
    for (int k = 2; k <= order; ++k) out[k].setZero();
  } else if (const auto* arc = std::get_if<EllipseArc>(&s)) {
    const double w = arc->toRad - arc->fromRad, t = arc->fromRad + f * w;
    const Vec3 c = std::cos(t) * arc->u + std::sin(t) * arc->v, d = -std::sin(t) * arc->u + std::cos(t) * arc->v;
    out[0] = arc->centre + c;
    if (order > 0) out[1] = w * d;
    if (order > 1) out[2] = -w * w * c;
    if (order > 2) out[3] = -w * w * w * d;
  } else {
    const auto& spline = std::get<Spline>(s);
    const double w = spline.last() - spline.first();
    spline.derivatives(spline.first() + f * w, order, out);
    double scale = w;
    for (int k = 1; k <= order; ++k, scale *= w) out[k] *= scale;
  }
}

Vec3 segmentPoint(const Segment& s, double f) {
  if (const auto* spline = std::get_if<Spline>(&s))
    return spline->at(spline->first() + f * (spline->last() - spline->first()));
  CurveDerivatives d;
  segmentDerivatives(s, f, 0, d);
  return d[0];
}

/// Cuts a spline at its interior knots of full multiplicity: there a control point lies on it, and what comes before and
/// after shares no other.
void appendSmoothParts(const Spline& whole, std::vector<Segment>& out) {
  const int p = whole.degree();
  const double alike = 1e-12 * (whole.knots().back() - whole.knots().front()); // as `multiplicity` counts
  // Places in the knots where such a one begins and ends.
  const auto fullKnots = [&](const Knots& U) {
    std::vector<std::pair<int, int>> full;
    const int n = int(U.size()) - p - 1;
    for (int i = p + 1, j; i < n; i = j) {
      for (j = i; j < n && U[size_t(j)] - U[size_t(i)] <= alike;) ++j;
      if (j - i >= p && U[size_t(i)] - U[size_t(p)] > alike && U[size_t(n)] - U[size_t(i)] > alike) full.push_back({i, j - 1});
    }
    return full;
  };
  if (fullKnots(whole.knots()).empty()) return void(out.push_back(whole));
  const Spline c = clamp(p, whole.knots(), whole.points(), whole.closed());
  const Knots& U = c.knots();
  int last = p; // knot at the start of the part
  const auto add = [&](int next) {
    Knots V(size_t(p) + 1, U[size_t(last)]);
    V.insert(V.end(), U.begin() + last + 1, U.begin() + next);
    V.insert(V.end(), size_t(p) + 1, U[size_t(next)]);
    out.push_back(Spline::trusted(p, std::move(V), c.points().middleRows(last - p, next - last + p), false));
  };
  for (const auto& [first, end] : fullKnots(U)) add(first), last = end;
  add(int(c.points().rows()));
}

bool segmentUsable(const Segment& s) {
  if (const auto* line = std::get_if<LineSegment>(&s)) return usable(line->a) && usable(line->b);
  if (const auto* arc = std::get_if<EllipseArc>(&s)) return usable(arc->centre) && usable(arc->u) && usable(arc->v);
  const auto& points = std::get<Spline>(s).points();
  return points.allFinite() && points.cwiseAbs().maxCoeff() <= kLargestCoordinate;
}

double controlLength(const Segment& s) {
  if (const auto* spline = std::get_if<Spline>(&s)) {
    const auto& p = spline->points();
    return (p.bottomRows(p.rows() - 1) - p.topRows(p.rows() - 1)).rowwise().norm().sum();
  }
  if (const auto* line = std::get_if<LineSegment>(&s)) return (line->b - line->a).norm();
  const auto& arc = std::get<EllipseArc>(s);
  return std::abs(arc.toRad - arc.fromRad) * std::max(arc.u.norm(), arc.v.norm());
}

} // namespace

bool EllipseArc::circular() const {
  return std::abs(u.norm() - v.norm()) < 1e-9 * u.norm() && std::abs(u.dot(v)) < 1e-9 * u.squaredNorm();
}

Expected<Path> Path::make(std::vector<Segment> segments, LengthTolerance point) {
  Path path;
  double length = 0.0;
  for (const Segment& s : segments) {
    if (!segmentUsable(s))
      return fail(problem("LM-G002", "the curve leaves the usable space").tryThis("use coordinates within 1000000 mm"));
    const double l = controlLength(s);
    length += l;
    if (l <= point.mm && segments.size() > 1) continue; // pieces too short to see are bridged by their neighbours
    if (const auto* spline = std::get_if<Spline>(&s))
      appendSmoothParts(*spline, path.segments_);
    else
      path.segments_.push_back(s);
  }
  if (path.segments_.empty() || length <= point.mm)
    return fail(problem("LM-G005", "the curve has no length")
                    .measure(millimetres(length))
                    .want(millimetres(point.mm))
                    .tryThis("move its points apart"));
  for (size_t i = 0; i + 1 < path.segments_.size(); ++i) {
    const Vec3 a = segmentPoint(path.segments_[i], 1.0), b = segmentPoint(path.segments_[i + 1], 0.0);
    if ((a - b).norm() > 2 * point.mm)
      return fail(problem("LM-G004", "the pieces of the curve do not meet")
                      .measure(millimetres((a - b).norm()))
                      .want(millimetres(point.mm))
                      .at(a)
                      .tryThis("move the ends together"));
  }
  path.closed_ = (path.start() - path.end()).norm() <= point.mm;
  return path;
}

int Path::degree() const {
  int d = 1;
  for (const Segment& s : segments_) {
    if (std::holds_alternative<EllipseArc>(s)) d = std::max(d, 5);
    if (const auto* c = std::get_if<Spline>(&s)) d = std::max(d, c->degree());
  }
  return d;
}

Vec3 Path::at(double t) const {
  const int i = std::clamp(int(std::floor(t)), 0, int(segments_.size()) - 1);
  return segmentPoint(segments_[i], t - i);
}

void Path::derivatives(double t, int order, CurveDerivatives& out) const {
  const int i = std::clamp(int(std::floor(t)), 0, int(segments_.size()) - 1);
  segmentDerivatives(segments_[i], t - i, order, out);
}

Vec3 Path::tangentBefore(double t) const {
  const int n = int(segments_.size());
  const int i = (int(std::lround(t)) - 1 + n) % n;
  CurveDerivatives d;
  segmentDerivatives(segments_[i], 1.0, 1, d);
  return d[1];
}

std::vector<double> Path::corners(AngleTolerance corner) const {
  std::vector<double> out;
  for (int i = closed_ ? 0 : 1; i < int(segments_.size()); ++i) {
    CurveDerivatives d;
    segmentDerivatives(segments_[i], 0.0, 1, d);
    if (angleBetweenRad(tangentBefore(i), d[1]) > corner.rad()) out.push_back(i);
  }
  return out;
}

const EllipseArc* Path::wholeEllipse() const {
  return segments_.size() == 1 ? std::get_if<EllipseArc>(&segments_.front()) : nullptr;
}

namespace {

/// The same ellipse by its half axes: scaling along one direction makes conjugate half diameters of these.
EllipseArc byHalfAxes(EllipseArc e) {
  const double skew = 2 * e.u.dot(e.v), longer = e.u.squaredNorm() - e.v.squaredNorm();
  if (std::abs(skew) <= 1e-12 * (e.u.squaredNorm() + e.v.squaredNorm())) return e;
  const double turn = 0.5 * std::atan2(skew, longer);
  const Vec3 u = std::cos(turn) * e.u + std::sin(turn) * e.v, v = std::cos(turn) * e.v - std::sin(turn) * e.u;
  return {e.centre, u, v, e.fromRad - turn, e.toRad - turn};
}

} // namespace

Path transformed(const Path& p, const Eigen::Affine3d& t) {
  std::vector<Segment> out;
  for (const Segment& s : p.segments()) {
    if (const auto* line = std::get_if<LineSegment>(&s))
      out.push_back(LineSegment{t * line->a, t * line->b});
    else if (const auto* arc = std::get_if<EllipseArc>(&s))
      out.push_back(byHalfAxes({t * arc->centre, t.linear() * arc->u, t.linear() * arc->v, arc->fromRad, arc->toRad}));
    else
      out.push_back(transformed(std::get<Spline>(s), t));
  }
  return *Path::make(std::move(out), {1e-9});
}

Path reversed(const Path& p) {
  std::vector<Segment> out;
  for (auto it = p.segments().rbegin(); it != p.segments().rend(); ++it) {
    if (const auto* line = std::get_if<LineSegment>(&*it))
      out.push_back(LineSegment{line->b, line->a});
    else if (const auto* arc = std::get_if<EllipseArc>(&*it))
      out.push_back(EllipseArc{arc->centre, arc->u, -arc->v, -arc->toRad, -arc->fromRad});
    else
      out.push_back(reversed(std::get<Spline>(*it)));
  }
  return *Path::make(std::move(out), {1e-9});
}

Eigen::Affine3d reflectionIn(const Frame& plane) {
  const Vec3 n = plane.normal();
  Eigen::Affine3d t = Eigen::Affine3d::Identity();
  t.linear() = Eigen::Matrix3d::Identity() - 2 * n * n.transpose();
  t.translation() = 2 * plane.origin.dot(n) * n;
  return t;
}

Path mirrored(const Path& p, const Frame& plane) { return transformed(p, reflectionIn(plane)); }

Expected<Path> joinedWithImage(const Path& p, const Frame& plane, LengthTolerance point) {
  const auto off = [&](const Vec3& q) { return std::abs(plane.local(q).z()); };
  const bool start = !p.closed() && off(p.start()) <= point.mm, end = !p.closed() && off(p.end()) <= point.mm;
  if (!start && !end)
    return fail(problem("LM-M002", "the curve does not end in the mirror plane")
                    .measure(millimetres(std::min(off(p.start()), off(p.end()))))
                    .want(millimetres(point.mm))
                    .at(off(p.start()) < off(p.end()) ? p.start() : p.end())
                    .tryThis("move an end into the plane, or keep the image apart"));
  std::vector<Segment> all = p.segments();
  const Path image = reversed(mirrored(p, plane));
  all.insert(end ? all.end() : all.begin(), image.segments().begin(), image.segments().end());
  return Path::make(std::move(all), {2 * point.mm});
}

PlaneOfPoints fitPlane(const Points& points) {
  PlaneOfPoints out;
  const Vec3 centre = points.colwise().mean().transpose();
  const Eigen::Matrix3d cov =
      (points.rowwise() - centre.transpose()).transpose() * (points.rowwise() - centre.transpose());
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> eig(cov);
  out.unique = eig.eigenvalues()(1) > 1e-12 * eig.eigenvalues()(2);
  Vec3 normal = eig.eigenvectors().col(0);
  Vec3 area = Vec3::Zero();
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    const Vec3 a = points.row(i).transpose() - centre, b = points.row((i + 1) % points.rows()).transpose() - centre;
    area += a.cross(b);
  }
  if (normal.dot(area) < 0) normal = -normal;
  out.frame = Frame::fromNormal(centre, normal);
  out.deviationMm = ((points.rowwise() - centre.transpose()) * normal).cwiseAbs().maxCoeff();
  return out;
}

namespace {
int piecesOf(const Segment& s) {
  const auto* spline = std::get_if<Spline>(&s);
  return spline ? spline->spans() : 1;
}
} // namespace

Points polyline(const Path& p, int perSegment) {
  std::vector<Vec3> pts{p.start()};
  for (size_t i = 0; i < p.segments().size(); ++i) {
    const int n = std::holds_alternative<LineSegment>(p.segments()[i]) ? 1 : perSegment * piecesOf(p.segments()[i]);
    for (int k = 1; k <= n; ++k) pts.push_back(segmentPoint(p.segments()[i], double(k) / n));
  }
  Points out(pts.size(), 3);
  for (size_t i = 0; i < pts.size(); ++i) out.row(i) = pts[i].transpose();
  return out;
}

Points polylineWithin(const Path& p, double chordMm) {
  std::vector<Vec3> pts{p.start()};
  for (const Segment& s : p.segments()) {
    int n = std::holds_alternative<LineSegment>(s) ? 1 : 4 * piecesOf(s);
    for (; n > 1 && n < 4096; n *= 2) {
      double worst = 0.0;
      for (int k = 0; k < n; ++k) {
        const Vec3 a = segmentPoint(s, double(k) / n), b = segmentPoint(s, double(k + 1) / n);
        worst = std::max(worst, (segmentPoint(s, (k + 0.5) / n) - 0.5 * (a + b)).norm());
      }
      if (worst <= chordMm) break;
    }
    for (int k = 1; k <= n; ++k) pts.push_back(segmentPoint(s, double(k) / n));
  }
  Points out(pts.size(), 3);
  for (size_t i = 0; i < pts.size(); ++i) out.row(i) = pts[i].transpose();
  return out;
}

namespace {

/// Crossings of a polyline in a plane with itself: pairs of pieces of a tree of boxes over neighbouring segments, so that
/// the time grows with the length and with what crosses, not with its square.
class CrossingSearch {
public:
  CrossingSearch(const std::vector<Vec2>& q, bool closed) : q_(q), closed_(closed), segments_(int(q.size()) - 1) {
    boxes_.resize(size_t(2) << int(std::ceil(std::log2(std::max(1, segments_)))));
    build(1, 0, segments_);
  }

  struct Crossing {
    int first, second; ///< segments
    Vec2 at;
  };
  std::vector<Crossing> run() {
    within(1, 0, segments_);
    std::sort(found_.begin(), found_.end(), [](const Crossing& a, const Crossing& b) { return std::tie(a.first, a.second) < std::tie(b.first, b.second); });
    return std::move(found_);
  }

private:
  using Box = Eigen::AlignedBox2d;
  static constexpr size_t kEnough = 1000; ///< nobody is told of more

  const Box& build(size_t node, int first, int last) {
    Box& b = boxes_[node];
    if (last - first <= 1) {
      if (first < last) b.extend(q_[size_t(first)]).extend(q_[size_t(first) + 1]);
      return b;
    }
    const int middle = (first + last) / 2;
    b.extend(build(2 * node, first, middle));
    b.extend(build(2 * node + 1, middle, last));
    return b;
  }

  void within(size_t node, int first, int last) {
    if (last - first <= 1 || found_.size() >= kEnough) return;
    const int middle = (first + last) / 2;
    within(2 * node, first, middle);
    within(2 * node + 1, middle, last);
    between(2 * node, first, middle, 2 * node + 1, middle, last);
  }

  void between(size_t a, int a0, int a1, size_t b, int b0, int b1) {
    if (found_.size() >= kEnough || a0 == a1 || b0 == b1 || !boxes_[a].intersects(boxes_[b])) return;
    if (a1 - a0 == 1 && b1 - b0 == 1) return test(a0, b0);
    if (a1 - a0 >= b1 - b0) {
      const int middle = (a0 + a1) / 2;
      between(2 * a, a0, middle, b, b0, b1);
      between(2 * a + 1, middle, a1, b, b0, b1);
    } else {
      const int middle = (b0 + b1) / 2;
      between(a, a0, a1, 2 * b, b0, middle);
      between(a, a0, a1, 2 * b + 1, middle, b1);
    }
  }

  void test(int i, int j) {
    if (j < i + 2 || (closed_ && i == 0 && j == segments_ - 1)) return; // neighbours
    const auto cross = [](const Vec2& a, const Vec2& b) { return a.x() * b.y() - a.y() * b.x(); };
    const Vec2 r = q_[size_t(i) + 1] - q_[size_t(i)], s = q_[size_t(j) + 1] - q_[size_t(j)], d = q_[size_t(j)] - q_[size_t(i)];
    const double det = cross(r, s);
    if (std::abs(det) < 1e-14 * r.norm() * s.norm()) return;
    const double a = cross(d, s) / det, b = cross(d, r) / det;
    if (a >= 0 && a < 1 && b >= 0 && b < 1) found_.push_back({i, j, q_[size_t(i)] + a * r});
  }

  const std::vector<Vec2>& q_;
  const bool closed_;
  const int segments_;
  std::vector<Box> boxes_; ///< the children of node n are 2 n and 2 n + 1
  std::vector<Crossing> found_;
};

} // namespace

std::vector<Vec3> selfCrossings(const Path& p, LengthTolerance point) {
  constexpr int kUsual = 24, kMostPieces = 2'000'000;
  std::int64_t spans = 0;
  for (const Segment& s : p.segments()) spans += piecesOf(s);
  const Points pts = polyline(p, std::clamp(int(kMostPieces / std::max<std::int64_t>(1, spans)), 2, kUsual));
  const PlaneOfPoints plane = fitPlane(pts);
  if (!plane.unique || plane.deviationMm > std::max(point.mm, 1e-3 * (pts.rowwise() - pts.colwise().mean()).norm()))
    return {};
  std::vector<Vec2> q(size_t(pts.rows()));
  for (size_t i = 0; i < q.size(); ++i) q[i] = plane.frame.local(pts.row(Eigen::Index(i)).transpose()).head<2>();
  std::vector<Vec3> found;
  for (const auto& c : CrossingSearch(q, p.closed()).run()) found.push_back(plane.frame.at(c.at.x(), c.at.y()));
  return found;
}

} // namespace lumsk::nurbs

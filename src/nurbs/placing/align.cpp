#include "nurbs/placing/align.h"

#include <Eigen/SVD>

namespace lumsk::nurbs {

namespace {

using Eigen::Isometry3d;

constexpr int kMostSteps = 60;
constexpr double kSmallTurn = 1e-6; ///< of the derivatives, radians
constexpr double kAlike = 1e-9;     ///< of the size: placings that are as good

Hold placed(Hold h, const Isometry3d& t) {
  h.at = t * h.at;
  h.direction = t.linear() * h.direction;
  return h;
}

/// The direction that the pair's first one shall have.
Vec3 wanted(const AlignPair& p) {
  const bool against = (p.to.kind == Hold::Kind::Plane) != p.flip;
  return against ? Vec3(-p.to.direction) : p.to.direction;
}

bool directed(const AlignPair& p) { return p.from.kind != Hold::Kind::Point && p.to.kind != Hold::Kind::Point; }

/// How far the pair is apart in space. Of a point and a line or a plane either may be the one that moves.
Vec3 offset(const AlignPair& p, const Hold& from) {
  const Vec3 d = from.at - p.to.at;
  const auto across = [&](const Vec3& line) { return Vec3(d - d.dot(line) * line); };
  if (p.to.kind == Hold::Kind::Plane) return (d.dot(p.to.direction) - p.gapMm) * p.to.direction;
  if (from.kind == Hold::Kind::Plane) return (d.dot(from.direction) + p.gapMm) * from.direction;
  if (p.to.kind == Hold::Kind::Line) return across(p.to.direction);
  if (from.kind == Hold::Kind::Line) return across(from.direction);
  return d;
}

/// Six numbers a pair, mm.
Eigen::VectorXd residuals(const std::vector<AlignPair>& pairs, const Isometry3d& t, double size) {
  Eigen::VectorXd out = Eigen::VectorXd::Zero(6 * Eigen::Index(pairs.size()));
  for (size_t i = 0; i < pairs.size(); ++i) {
    const Hold from = placed(pairs[i].from, t);
    out.segment<3>(6 * Eigen::Index(i)) = offset(pairs[i], from);
    if (directed(pairs[i])) out.segment<3>(6 * Eigen::Index(i) + 3) = size * (from.direction - wanted(pairs[i]));
  }
  return out;
}

/// A small turn about a place, then a small move; turns are in mm at the object's size.
Isometry3d stepped(const Isometry3d& t, const Eigen::Matrix<double, 6, 1>& x, const Vec3& about, double size) {
  const Vec3 turn = x.head<3>() / size, move = x.tail<3>();
  Isometry3d s = Isometry3d::Identity();
  s.translate(about + move);
  if (turn.norm() > 0) s.rotate(Eigen::AngleAxisd(turn.norm(), turn.normalized()));
  s.translate(-about);
  return s * t;
}

Isometry3d walked(const std::vector<AlignPair>& pairs, Isometry3d t, double size) {
  double damping = 0, now = residuals(pairs, t, size).squaredNorm();
  for (int step = 0; step < kMostSteps && now > 0; ++step) {
    Vec3 about = Vec3::Zero();
    for (const AlignPair& p : pairs) about += t * p.from.at / double(pairs.size());
    const Eigen::VectorXd r = residuals(pairs, t, size);
    Eigen::MatrixXd J(r.size(), 6);
    for (int k = 0; k < 6; ++k) {
      Eigen::Matrix<double, 6, 1> x = Eigen::Matrix<double, 6, 1>::Zero();
      x[k] = kSmallTurn * size;
      const Eigen::VectorXd ahead = residuals(pairs, stepped(t, x, about, size), size);
      x[k] = -x[k];
      J.col(k) = (ahead - residuals(pairs, stepped(t, x, about, size), size)) / (2 * kSmallTurn * size);
    }
    Eigen::JacobiSVD<Eigen::MatrixXd> svd(J, Eigen::ComputeThinU | Eigen::ComputeThinV);
    const double least = 1e-7 * std::max(1.0, svd.singularValues()[0]);
    Eigen::VectorXd c = svd.matrixU().transpose() * r;
    for (int k = 0; k < 6; ++k) {
      const double w = svd.singularValues()[k];
      c[k] = w > least ? -c[k] * w / (w * w + damping) : 0;
    }
    const Isometry3d next = stepped(t, svd.matrixV() * c, about, size);
    const double then = residuals(pairs, next, size).squaredNorm();
    if (then < now) {
      const bool settled = now - then < 1e-14 * now;
      t = next, now = then, damping *= 0.1;
      if (damping < 1e-9) damping = 0;
      if (settled) break;
    } else {
      if (now < 1e-22 * size * size || damping > 1e6) break;
      damping = damping > 0 ? 10 * damping : 1e-3;
    }
  }
  return t;
}

/// The first directions laid on one another the short way, and from there quarters of a turn.
std::vector<Isometry3d> starts(const std::vector<AlignPair>& pairs) {
  Eigen::Quaterniond first = Eigen::Quaterniond::Identity();
  std::vector<Vec3> axes{Vec3::UnitX(), Vec3::UnitY(), Vec3::UnitZ()};
  for (const AlignPair& p : pairs)
    if (directed(p)) {
      first = Eigen::Quaterniond::FromTwoVectors(p.from.direction, wanted(p));
      axes = {wanted(p)};
      break;
    }
  const Vec3 from = pairs.front().from.at, to = pairs.front().to.at;
  std::vector<Isometry3d> out;
  for (const Vec3& axis : axes)
    for (int quarter = axis == axes.front() ? 0 : 1; quarter < 4; ++quarter) {
      Isometry3d t = Isometry3d::Identity();
      t.linear() = (Eigen::AngleAxisd(quarter * kPi / 2, axis) * first).toRotationMatrix();
      t.translation() = to - t.linear() * from;
      out.push_back(t);
    }
  // Where directions need no turn it may be that none is needed at all.
  if (Eigen::AngleAxisd(first).angle() < kSmallTurn) out.insert(out.begin(), Isometry3d::Identity());
  return out;
}

double travel(const Isometry3d& t, const std::vector<AlignPair>& pairs, double size) {
  Vec3 middle = Vec3::Zero();
  for (const AlignPair& p : pairs) middle += p.from.at / double(pairs.size());
  return Eigen::AngleAxisd(t.linear()).angle() * size + (t * middle - middle).norm();
}

Aligned told(const std::vector<AlignPair>& pairs, const Isometry3d& t, double size, const Tolerances& tol) {
  Aligned out;
  out.placing = t;
  const Eigen::VectorXd r = residuals(pairs, t, size);
  double most = 1;
  for (size_t i = 0; i < pairs.size(); ++i) {
    const Vec3 off = r.segment<3>(6 * Eigen::Index(i)), turn = r.segment<3>(6 * Eigen::Index(i) + 3) / size;
    out.offMm.push_back(off.norm());
    out.offDeg.push_back(degFromRad(2 * std::asin(std::min(1.0, 0.5 * turn.norm()))));
    const double share = std::max(out.offMm.back() / tol.point.mm, out.offDeg.back() / tol.angle.deg);
    if (share > most) most = share, out.worst = int(i);
  }
  return out;
}

} // namespace

Expected<Aligned> aligned(const std::vector<AlignPair>& pairs, double sizeMm, const Tolerances& tol) {
  for (const AlignPair& p : pairs)
    if (directed(p) && p.from.kind != p.to.kind)
      return fail(problem("LM-M020", "a line and a flat face do not align with one another").at(p.to.at).tryThis("pick two of the same kind, or a point"));
  if (pairs.empty()) return Aligned();
  const double size = std::max(sizeMm, tol.point.mm);
  Isometry3d best = Isometry3d::Identity();
  double least = 1e300, way = 1e300;
  for (const Isometry3d& start : starts(pairs)) {
    const Isometry3d t = walked(pairs, start, size);
    const double off = residuals(pairs, t, size).norm(), far = travel(t, pairs, size);
    const bool asGood = off < least + kAlike * size;
    if (off < least - kAlike * size || (asGood && far < way)) best = t, least = std::min(off, least), way = far;
  }
  return told(pairs, best, size, tol);
}

} // namespace lumsk::nurbs

#include "nurbs/sweep/revolve.h"

#include "nurbs/fit/fit.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kTurnLooks = 128;        ///< places of a piece that are looked at
constexpr double kAround = 0.005;  ///< sine to the circle about the axis: a profile that runs closer along it has no skin there
constexpr double kTouching = 1e-4; ///< of how far a profile reaches from the axis
constexpr double kTurnFitPart = 0.5;   ///< of `fit`
constexpr double kWholeDeg = 360, kSameDeg = 1e-9;

Vec3 radial(const Vec3& p, const RevolveOptions& o) { return (p - o.at) - (p - o.at).dot(o.axis) * o.axis; }

/// Without the pieces that lie on the axis; of a closed profile what comes after one is first.
Expected<Path> besideAxis(const Path& profile, const RevolveOptions& o, const Tolerances& tol) {
  const auto onAxis = [&](const Segment& s) {
    const auto* line = std::get_if<LineSegment>(&s);
    return line && radial(line->a, o).norm() < tol.point.mm && radial(line->b, o).norm() < tol.point.mm;
  };
  const auto& all = profile.segments();
  const size_t n = all.size();
  size_t first = n;
  for (size_t i = 0; i < n && first == n; ++i)
    if (!onAxis(all[i]) && (!profile.closed() || onAxis(all[(i + n - 1) % n]))) first = i;
  if (first == n && !profile.closed())
    return fail(problem("LM-X005", "the profile lies on the axis").at(profile.start()).inField("axis").tryThis("take another axis"));
  if (first == n) return profile; // no piece of it lies there
  std::vector<Segment> kept;
  size_t i = first;
  for (; kept.size() < n && !onAxis(all[i % n]) && (profile.closed() || i < n); ++i) kept.push_back(all[i % n]);
  for (size_t k = i; k < first + n && (profile.closed() || k < n); ++k)
    if (!onAxis(all[k % n]))
      return fail(problem("LM-X005", "the profile leaves the axis and comes back to it")
                      .at(all.empty() ? profile.start() : profile.at(double(k % n)))
                      .inField("sections")
                      .tryThis("turn each part of it by a step of its own"));
  return Path::make(std::move(kept), tol.point);
}

/// The angle's cosine and sine, over [0, 1].
Expected<LeanFit> circleOf(const RevolveOptions& o, bool whole, double fit) {
  CurveFamily family;
  family.curves = 1;
  family.closed = whole;
  family.sample = [&](double t, double* out) {
    const double a = radFromDeg(o.fromDeg + t * (o.toDeg - o.fromDeg));
    out[0] = std::cos(a), out[1] = std::sin(a), out[2] = 0;
  };
  LeanOptions lean;
  lean.fit = {fit};
  lean.firstSpans = whole ? 4 : 1;
  return fitLean(family, lean);
}

Expected<void> check(const Path& p, const RevolveOptions& o, const std::array<bool, 2>& ends, const Tolerances& tol) {
  const double last = p.last();
  const auto away = [&](double t) { return radial(p.at(t), o).norm(); };
  const int looks = kTurnLooks * int(p.segments().size());
  const double step = last / looks;
  double farthest = 0;
  for (int i = 0; i <= looks; ++i) farthest = std::max(farthest, away(step * i));
  const double touching = std::min(tol.point.mm, kTouching * farthest); // small things come near without touching
  for (int i = 0; i <= looks; ++i) {
    const double t = step * i;
    const bool atEnd = (i == 0 && ends[0]) || (i == looks && ends[1]);
    if (atEnd) continue;
    // The nearest place about here.
    double a = std::max(0.0, t - step), b = std::min(last, t + step);
    if ((i == 1 && ends[0]) || (i + 1 == looks && ends[1])) a = std::max(a, 0.5 * step), b = std::min(b, last - 0.5 * step);
    for (int it = 0; it < 40; ++it) {
      const double m = a + (b - a) / 3, n = b - (b - a) / 3;
      (away(m) < away(n) ? b : a) = away(m) < away(n) ? n : m;
    }
    if (const double at = 0.5 * (a + b); away(at) < touching)
      return fail(problem("LM-X005", "the profile crosses the axis, or touches it on its way")
                      .at(p.at(at))
                      .inField("axis")
                      .tryThis("move the axis, or take the part of the profile on one side of it"));
    CurveDerivatives d;
    p.derivatives(std::min(t, last), 1, d);
    const Vec3 around = o.axis.cross(radial(d[0], o)).normalized();
    if (d[1].normalized().cross(around).norm() < kAround)
      return fail(problem("LM-X006", "the profile runs around the axis here: the skin would have no width")
                      .at(d[0])
                      .inField("axis")
                      .tryThis("take another axis, or a part of the profile"));
  }
  return {};
}

/// Around x along the profile.
bool facesInwards(const RevolvedSkin& r, const RevolveOptions& o) {
  constexpr int kPlaces = 8;
  if (r.profile.closed()) {
    const Vec3 p = polyline(r.profile, 16).colwise().mean().transpose() - o.at;
    return outwardsOf(r.profile, o.axis.cross(p).normalized()) > 0;
  }
  double side = 0;
  for (const auto& f : r.skin.faces)
    for (int j = 0; j < kPlaces; ++j) {
      const Surface& s = f.surface;
      const double v = s.firstV() + (s.lastV() - s.firstV()) * (j + 0.5) / kPlaces;
      side += s.normal(s.firstU(), v).dot(radial(s.at(s.firstU(), v), o).normalized());
    }
  return side < 0;
}

Expected<std::vector<Path>> wedgeOf(const RevolvedSkin& r, const RevolveOptions& o, LengthTolerance point) {
  std::vector<Path> out;
  if (r.whole || !r.onAxis[0] || !r.onAxis[1]) return out;
  for (const double angle : {o.fromDeg, o.toDeg}) {
    const Eigen::Isometry3d turn = Eigen::Translation3d(o.at) * Eigen::AngleAxisd(radFromDeg(angle), o.axis) * Eigen::Translation3d(-o.at);
    const Path side = transformed(r.profile, turn);
    std::vector<Segment> all = side.segments();
    all.push_back(LineSegment{side.end(), side.start()});
    LUMSK_TRY(closed, Path::make(std::move(all), point));
    out.push_back(std::move(closed));
  }
  return out;
}

} // namespace

Expected<RevolvedSkin> revolve(const Path& profile, const RevolveOptions& o, const Context& cx) {
  const Tolerances& tol = cx.tolerances;
  const double turn = o.toDeg - o.fromDeg;
  if (!(turn > 0.01))
    return fail(problem("LM-X001", "the skin has next to no angle").measure(degrees(turn)).at(profile.start()).inField("angle").tryThis("give an angle"));
  RevolvedSkin out;
  out.whole = turn > kWholeDeg - kSameDeg;
  LUMSK_TRY(kept, besideAxis(profile, o, tol));
  out.profile = std::move(kept);
  const Path& p = out.profile;
  for (const size_t e : {0, 1}) out.onAxis[e] = !p.closed() && radial(e ? p.end() : p.start(), o).norm() < tol.point.mm;
  LUMSK_CHECK(check(p, o, out.onAxis, tol));
  LUMSK_TRY(pieces, piecesOf(p, o.merged, tol));
  out.skin.pieces = int(pieces.size());
  double farthest = 0;
  std::vector<Spline> along;
  for (const Path& piece : pieces) {
    LUMSK_TRY(c, pieceAsSpline(piece, cx, out.skin.deviationMm));
    for (Eigen::Index i = 0; i < c.points().rows(); ++i) farthest = std::max(farthest, radial(c.points().row(i).transpose(), o).norm());
    along.push_back(std::move(c));
  }
  RevolveOptions turns = o;
  if (out.whole) turns.toDeg = o.fromDeg + kWholeDeg;
  LUMSK_TRY(circle, circleOf(turns, out.whole, kTurnFitPart * tol.fit.mm / farthest));
  out.skin.deviationMm = std::max(out.skin.deviationMm, circle.deviationMm * farthest);
  const Eigen::Index around = circle.controls.rows();
  for (size_t k = 0; k < along.size(); ++k) {
    const Spline& c = along[k];
    Points grid(around * c.size(), 3);
    for (Eigen::Index i = 0; i < around; ++i)
      for (int j = 0; j < c.size(); ++j) {
        const Vec3 at = c.points().row(j).transpose();
        Vec3 w = radial(at, o);
        const Vec3 onAxis = at - w;
        if ((j == 0 && k == 0 && out.onAxis[0]) || (j + 1 == c.size() && k + 1 == along.size() && out.onAxis[1])) w.setZero();
        grid.row(i * c.size() + j) = (onAxis + circle.controls(i, 0) * w + circle.controls(i, 1) * o.axis.cross(w)).transpose();
      }
    out.skin.faces.push_back({Surface::trusted(circle.degree, c.degree(), circle.knots, c.knots(), std::move(grid), out.whole), int(k)});
  }
  out.inwards = facesInwards(out, o);
  LUMSK_TRY(wedge, wedgeOf(out, o, tol.point));
  out.wedge = std::move(wedge);
  return out;
}

} // namespace lumsk::nurbs

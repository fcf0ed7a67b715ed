#include "nurbs/sweep/groove.h"

#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/on_skin/ribbon.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kGrooveLooks = 96;
constexpr double kKinkDeg = 8.0;      ///< between neighbouring looks the normal turns by less, beyond the curve's own length
constexpr double kOnSkinTolerances = 20;
constexpr double kRootShare = 0.5;    ///< of its depth a root's sides draw in by, and of its width it is deep at most

/// A place of the curve with the skin's normal and the direction to its left.
struct Stand {
  Vec3 at, left, up;
};
std::optional<Stand> standAt(const Path& p, double t, const Neighbour& skin) {
  CurveDerivatives d;
  p.derivatives(std::min(t, std::nextafter(p.last(), 0.0)), 1, d);
  const auto on = skin(d[0]);
  if (!on) return {};
  const Vec3 along = d[1].normalized(), left = on->normal.cross(along);
  if (!(left.norm() > 0.01)) return {};
  return Stand{d[0], left.normalized(), along.cross(left.normalized())};
}

double parameterOf(const ArcLength& length, int look) { return length.parameterAt(length.total() * look / kGrooveLooks); }

/// The curve lies on the skin, and that has one normal beside it.
Expected<void> looked(const Path& along, const Neighbour& skin, const Tolerances& tol) {
  const ArcLength length(along);
  std::optional<Vec3> before;
  const auto corners = along.corners(tol.corner);
  double last = 0;
  for (int i = 0; i <= kGrooveLooks; ++i) {
    const double t = parameterOf(length, i);
    const auto on = skin(along.at(t));
    if (!on || on->distanceMm > kOnSkinTolerances * tol.point.mm)
      return fail(problem("LM-X020", "the curve does not lie on the skin here").measure(millimetres(on ? on->distanceMm : 1e3)).want(millimetres(kOnSkinTolerances * tol.point.mm)).at(along.at(t)).tryThis("project it onto the skin first, or pick the skin that it lies on"));
    const bool cornerBetween = std::any_of(corners.begin(), corners.end(), [&](double c) { return c >= last && c <= t; });
    if (before && !cornerBetween && on->normal.dot(*before) < std::cos(radFromDeg(kKinkDeg))) {
      // A bend is no kink: it gets less from place to place as these lie closer.
      const double s = length.total() * (i - 1) / kGrooveLooks, step = length.total() / kGrooveLooks;
      double worst = 0;
      constexpr int kCloser = 32;
      Vec3 prior = *before;
      for (int k = 1; k <= kCloser; ++k)
        if (const auto n = skin(along.at(length.parameterAt(s + step * k / kCloser)))) {
          worst = std::max(worst, degFromRad(std::acos(std::clamp(n->normal.dot(prior), -1.0, 1.0))));
          prior = n->normal;
        }
      if (worst > 0.5 * kKinkDeg)
        return fail(problem("LM-X021", "the skin has a kink here, so that it has no one normal along the curve").measure(degrees(worst)).at(along.at(t)).tryThis("pick the face on which the groove is to stand, or end the curve at the kink"));
    }
    before = on->normal;
    last = t;
  }
  return {};
}

/// The section in the plane of left and up, closed.
Expected<Path> sectionOf(const GrooveOptions& o, const Stand& s, LengthTolerance point) {
  const double sign = o.inwards ? -1 : 1, play = o.playMm;
  double left = o.leftMm, right = o.rightMm, reach = o.reachMm;
  const double middle = 0.5 * (left - right), half = 0.5 * (left + right);
  const auto to = [&](double aside, double height) { return Vec3(s.at + aside * s.left + sign * height * s.up); };
  std::vector<Segment> floor; // from the left to the right
  if (o.shape == GrooveShape::Square) {
    left += play, right += play, reach += play;
    floor = {LineSegment{to(left, 0), to(left, reach)}, LineSegment{to(left, reach), to(-right, reach)}, LineSegment{to(-right, reach), to(-right, 0)}};
  } else if (o.shape == GrooveShape::Pointed) {
    const double flank = std::hypot(half, reach), wide = half + play * flank / reach, deep = reach + play * flank / half;
    left = middle + wide, right = wide - middle;
    floor = {LineSegment{to(left, 0), to(middle, deep)}, LineSegment{to(middle, deep), to(-right, 0)}};
  } else {
    // An arc over the whole width, or half a circle between walls; with play it is the same about the same centre.
    const double radius = reach < half ? 0.5 * (half * half + reach * reach) / reach : half;
    const double centre = reach - radius; // height of its centre
    const double r = radius + play, from = std::max(centre, 0.0);
    const double wide = centre > 0 ? r : std::sqrt(r * r - centre * centre);
    left = middle + wide, right = wide - middle;
    const double begin = centre > 0 ? 0.0 : std::asin(-centre / r);
    if (from > point.mm) floor.push_back(LineSegment{to(left, 0), to(left, from)});
    floor.push_back(EllipseArc{to(middle, centre), r * s.left, r * sign * s.up, begin, kPi - begin});
    if (from > point.mm) floor.push_back(LineSegment{to(-right, from), to(-right, 0)});
  }
  // Back to the left below, through the skin.
  const double root = std::min(o.rootMm, kRootShare * (left + right)), in = kRootShare * root;
  const double deepest = std::max(o.pastMm[0], o.pastMm[1]) + root;
  std::vector<Vec3> back{to(-right, 0)};
  const auto go = [&](const Vec3& p) {
    if ((p - back.back()).norm() > point.mm) back.push_back(p);
  };
  go(to(-right, -o.pastMm[1]));
  if (root > point.mm) go(to(in - right, -deepest)), go(to(left - in, -deepest));
  go(to(left, -o.pastMm[0]));
  go(to(left, 0));
  for (size_t i = 1; i < back.size(); ++i) floor.push_back(LineSegment{back[i - 1], back[i]});
  // One line where two go on in one another.
  std::vector<Segment> joined;
  for (const Segment& seg : floor) {
    auto* before = joined.empty() ? nullptr : std::get_if<LineSegment>(&joined.back());
    const auto* line = std::get_if<LineSegment>(&seg);
    if (before && line && (before->b - before->a).normalized().dot((line->b - line->a).normalized()) > 1 - 1e-12) before->b = line->b;
    else joined.push_back(seg);
  }
  if (auto* first = std::get_if<LineSegment>(&joined.front()); first && joined.size() > 3)
    if (auto* last = std::get_if<LineSegment>(&joined.back()); last && (last->b - last->a).normalized().dot((first->b - first->a).normalized()) > 1 - 1e-12) {
      first->a = last->a;
      joined.pop_back();
    }
  return Path::make(std::move(joined), point);
}

} // namespace

double squareStand(const Path& along, AngleTolerance corner) {
  const auto corners = along.corners(corner);
  if (!along.closed() || corners.empty()) return 0.0;
  return std::fmod(0.5 * (corners.front() + (corners.size() > 1 ? corners[1] : corners.front() + along.last())), along.last());
}

SkinRise riseBeside(const Path& along, const Neighbour& skin, double asideMm) {
  SkinRise out;
  const ArcLength length(along);
  for (int i = 0; i <= kGrooveLooks; ++i)
    if (const auto s = standAt(along, parameterOf(length, i), skin)) {
      const Vec3 beside = s->at + asideMm * s->left;
      if (const auto on = skin(beside)) {
        const double rise = (on->d(0, 0) - beside).dot(s->up);
        out.lowest = std::min(out.lowest, rise), out.highest = std::max(out.highest, rise);
      }
    }
  return out;
}

Expected<SweepResult> groove(const Path& path, const GrooveOptions& o, const Neighbour& skin, const Context& cx) {
  // Closed smooth ones begin where a body's own seams hardly are: seams that cross or lie on one another trouble the kernel.
  constexpr double kSeamShare = 0.29;
  Path along = path;
  if (path.closed() && path.corners(cx.tolerances.corner).empty())
    if (auto turned = splitAt(path, {kSeamShare * path.last()}, cx.tolerances.point); turned && turned->size() == 1 && turned->front().closed()) along = std::move(turned->front());

  const double none = cx.tolerances.point.mm;
  if (!(o.leftMm + o.rightMm > none) || !(o.reachMm > none))
    return fail(problem("LM-X022", "it needs a width and a height").measure(millimetres(std::min(o.leftMm + o.rightMm, o.reachMm))).at(along.start()).tryThis("give both above nought"));
  LUMSK_CHECK(looked(along, skin, cx.tolerances));
  const auto stand = standAt(along, squareStand(along, cx.tolerances.corner), skin);
  if (!stand) return fail(problem("LM-X020", "the skin has no normal here").at(along.start()).tryThis("begin the curve elsewhere"));
  LUMSK_TRY(section, sectionOf(o, *stand, cx.tolerances.point));
  std::vector<Segment> whole = along.segments();
  if (!along.closed()) {
    if (o.beyondMm[0] > none) whole.insert(whole.begin(), LineSegment{along.start() - o.beyondMm[0] * unitTangent(along, 0), along.start()});
    if (o.beyondMm[1] > none) whole.push_back(LineSegment{along.end(), along.end() + o.beyondMm[1] * unitTangent(along, along.last())});
  }
  LUMSK_TRY(rail, Path::make(std::move(whole), cx.tolerances.point));
  SweepOptions s;
  s.frame.kind = RailFrame::OnSkin;
  s.frame.skin = skin;
  auto made = sweep({{section}}, {rail}, s, cx);
  if (made || made.error().code != "LM-Y005") return made;
  Problem kink = made.error();
  kink.code = "LM-X021", kink.what = "the skin has a kink here, so that it has no one normal along the curve";
  return fail(kink.tryThis("pick the face on which the groove is to stand, or end the curve at the kink"));
}

} // namespace lumsk::nurbs

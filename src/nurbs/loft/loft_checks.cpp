#include "nurbs/loft/loft_checks.h"

#include "nurbs/joins/side_conditions.h"
#include "nurbs/measure/meet.h"

namespace lumsk::nurbs {

namespace {

constexpr double kMostLeanDeg = 85;
constexpr double kFitKinks = 5; ///< kinks allowed: what a section may have that is an edge of a fitted skin

/// Sections, and the order of sections, are continued by their mirror images and cut afterwards.
class MirrorFinder {
public:
  MirrorFinder(const LoftPlaces& places, const LoftOptions& o, const Context& cx) : places_(places), o_(o), cx_(cx) {}

  Expected<LoftMirrors> run() {
    for (int e : {0, 1})
      if (end(e).kind == Meets::Mirror) {
        const Section& s = endSection(e);
        if (s.point())
          return fail(problem("LM-L009", "a point cannot be G3 at a mirror plane")
                          .at(*s.point())
                          .tryThis("make this end square: a rounded point"));
        const Points pts = polyline(*s.path(), 16);
        LUMSK_TRY(plane, sidePlane(pts, Vec3::Zero(), e ? "the last section" : "the first section"));
        out_.ends[e] = plane;
      }
    if (places_.alignment.closed) return out_;
    for (int side : {0, 1}) {
      const Meets meets = sideOf(side).kind;
      if (!atMirror(meets)) continue;
      Points pts(places_.count(), 3);
      std::vector<SideTangent> tangents;
      for (int i = 0; i < places_.count(); ++i) {
        const SideTangent t{i, places_.leaving(i, side == 0)};
        pts.row(i) = t.d[0].transpose();
        if (places_.sections[size_t(i)].path()) tangents.push_back(t);
      }
      LUMSK_TRY(plane, sidePlane(pts, tangents.front().d[1].normalized(), side ? "the right side" : "the left side"));
      const double size = (pts.colwise().maxCoeff() - pts.colwise().minCoeff()).norm() +
                          places_.lengths[size_t(tangents.front().section)].total();
      for (const SideTangent& t : tangents) LUMSK_CHECK(checkSquare(t, plane.normal(), meets, size));
      out_.sides[side] = plane;
    }
    for (const auto& plane : {out_.sides[0], out_.sides[1], out_.ends[0], out_.ends[1]})
      if (plane && !out_.plane) out_.plane = plane;
    return out_;
  }

private:
  struct SideTangent {
    int section;
    CurveDerivatives d;
  };

  Expected<Frame> sidePlane(const Points& pts, const Vec3& square, const std::string& who) const {
    return planeOfSide(pts, o_.mirror, square, cx_.tolerances.point, {"LM-L009", who});
  }

  Expected<void> checkSquare(const SideTangent& t, const Vec3& n, Meets meets, double size) const {
    const PlaneLeaving l = leavingPlane(t.d, n);
    const std::string who = "section " + std::to_string(t.section + 1);
    if (degFromRad(l.angleRad) > cx_.tolerances.angle.deg)
      return fail(problem("LM-L008", who + " does not meet the mirror plane squarely")
                      .measure(degrees(degFromRad(l.angleRad)))
                      .want(degrees(cx_.tolerances.angle.deg))
                      .at(t.d[0])
                      .tryThis("set its end square to the plane, or leave this side free"));
    // What is left of the kink in a section that is a fit is taken out of the skin (`meetingPlanes`).
    if (meets == Meets::Mirror && l.bendRate * size * size > kFitKinks * kFlatKink)
      return fail(problem("LM-L008", "the curvature of " + who + " has a kink at the mirror plane (dk/ds L²)")
                      .measure(ratio(l.bendRate * size * size))
                      .want(ratio(kFitKinks * kFlatKink))
                      .at(t.d[0])
                      .tryThis("set its end to G3, or this side to square"));
    return {};
  }

  const LoftEndOptions& end(int e) const { return e ? o_.end : o_.start; }
  const LoftEndOptions& sideOf(int e) const { return e ? o_.right : o_.left; }
  const Section& endSection(int e) const { return e ? places_.sections.back() : places_.sections.front(); }

  const LoftPlaces& places_;
  const LoftOptions& o_;
  const Context& cx_;
  LoftMirrors out_;
};

} // namespace

Expected<void> checkNumbers(const std::vector<Section>& sections, const LoftOptions& o) {
  for (const LoftEndOptions* end : {&o.start, &o.end, &o.left, &o.right}) {
    if (!(end->pull >= 0.05 && end->pull <= 10))
      return fail(
          problem("LM-L006", "the pull is out of range").measure(ratio(end->pull)).tryThis("take 0.05 to 10"));
    if (!(std::abs(end->angleDeg) <= kMostLeanDeg))
      return fail(problem("LM-L006", "the skin would lie in its section's plane")
                      .measure(degrees(end->angleDeg))
                      .want(degrees(kMostLeanDeg))
                      .tryThis("take a smaller angle"));
  }
  if (!o.around) return {};
  if (sections.size() < 3)
    return fail(problem("LM-L027", "a loft that runs around needs three sections")
                    .measure(count(int(sections.size())))
                    .tryThis("add sections, or let the loft be open"));
  if (o.start.kind != Meets::Free || o.end.kind != Meets::Free) {
    const Path* first = sections.front().path();
    return fail(problem("LM-L012", "a loft that runs around has no ends to lean or to flow on from")
                    .at(first ? first->start() : *sections.front().point())
                    .tryThis("leave both ends free, or let the loft be open"));
  }
  for (const Section& s : sections)
    if (s.point())
      return fail(problem("LM-L003", "a loft that runs around has no ends for a point")
                      .at(*s.point())
                      .tryThis("take the point out, or let the loft be open"));
  return {};
}

Expected<void> checkCrossings(const LoftPlaces& places, bool around, const Context& cx) {
  const std::vector<Section>& sections = places.sections;
  const int n = int(sections.size());
  constexpr double kForwards = 0.2, kAcross = 0.3; // cosine, sine
  const int perStrip = std::max(3, 12 / places.alignment.strips);
  const auto placesOf = [&](int i) {
    Points at(places.alignment.strips * perStrip, 3);
    for (int k = 0; k < places.alignment.strips; ++k)
      for (int j = 0; j < perStrip; ++j)
        at.row(k * perStrip + j) = places.at(i, k, (j + 0.5) / perStrip).transpose();
    return at;
  };
  Points a, b = placesOf(0);
  for (int i = 1; i < n + (around ? 1 : 0); ++i) {
    a = std::move(b);
    b = placesOf(i % n);
    if (!sections[size_t(i - 1)].path() || !sections[size_t(i % n)].path()) continue;
    const Points ways = b - a;
    const Eigen::RowVector3d mean = ways.colwise().mean().normalized();
    bool forwards = true;
    for (Eigen::Index j = 0; j < ways.rows() && forwards; ++j) {
      const Vec3 along = places.tangent(i - 1, int(j) / perStrip, (int(j) % perStrip + 0.5) / perStrip);
      const Vec3 way = ways.row(j).transpose();
      forwards = way.dot(mean.transpose()) > kForwards * way.norm() && along.cross(way).norm() > kAcross * way.norm();
    }
    if (forwards) continue;
    const Path &p = *sections[size_t(i - 1)].path(), &q = *sections[size_t(i % n)].path();
    const double near = cx.tolerances.point.mm;
    const Meetings found = meetings(p, q, near);
    const auto atEnd = [&](const Path& path, const Vec3& x) {
      return !path.closed() && std::min((path.start() - x).norm(), (path.end() - x).norm()) < 10 * near;
    };
    for (const Meeting& m : found.list)
      if (!found.overlap && !(atEnd(p, m.a) && atEnd(q, m.b)))
        return fail(
            problem("LM-L035", "sections " + std::to_string(i) + " and " + std::to_string(i % n + 1) + " cross")
                .at(m.a)
                .tryThis("move one of them, or change their order"));
  }
  return {};
}

Expected<LoftMirrors> findMirrors(const LoftPlaces& places, const LoftOptions& o, const Context& cx) {
  return MirrorFinder(places, o, cx).run();
}

double offSections(const LoftPlaces& places, const std::vector<Surface>& strips, const std::vector<double>& parameters) {
  constexpr int kPlaces = 48;
  double worst = 0;
  for (int k = 0; k < int(strips.size()); ++k)
    for (int i = 0; i < places.count(); ++i)
      for (int p = 0; p <= kPlaces; ++p) {
        const double t = double(p) / kPlaces;
        worst = std::max(worst, (strips[size_t(k)].at(t, parameters[size_t(i)]) - places.at(i, k, t)).norm());
      }
  return worst;
}

} // namespace lumsk::nurbs

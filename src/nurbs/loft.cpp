#include "nurbs/loft.h"

#include "nurbs/closest.h"
#include "nurbs/guide_run.h"
#include "nurbs/loft_centre.h"
#include "nurbs/loft_relaxed.h"
#include "nurbs/loft_sides.h"
#include "nurbs/meet.h"
#include "nurbs/spaces.h"
#include "nurbs/surface_measure.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kMostLeanDeg = 85;
constexpr double kJoinPart = 0.5; ///< of what a join may miss: what the fit may use
constexpr double kClosenessStep = 5, kMostCloseness = 25, kHelps = 0.7;
constexpr double kLeastRelaxedShare = 0.002, kRelaxedShareStep = 0.3;
constexpr double kGuidePart = 0.75,
                 kGuidePartStep = 0.6; ///< of `fit`: what following the guides may use at first, then
constexpr int kGuideTries = 3;
constexpr double kFitKinks = 5; ///< kinks allowed: what a section may have that is an edge of a fitted skin

class Lofter {
public:
  Lofter(const std::vector<Section>& sections, const LoftOptions& o, const Context& cx)
      : places_{sections, {}, {}}, o_(o), cx_(cx), n_(int(sections.size())), leaving_(places_, o_, cx_) {}

  Expected<LoftResult> run() {
    LUMSK_CHECK(checkNumbers());
    const bool byAngle = ellipsesAlone();
    for (const Section& s : sections_) {
      static const Path nothing = *Path::make({LineSegment{{0, 0, 0}, {1, 0, 0}}}, {1e-9});
      const Path& p = s.path() ? *s.path() : nothing;
      places_.lengths.push_back(byAngle ? ArcLength::byParameter(p) : ArcLength(p));
    }
    if (o_.centre != LoftOptions::Centre::None) {
      LUMSK_TRY(centre, LoftCentre::of(places_, o_, cx_));
      centre_ = std::move(centre);
    }
    LUMSK_CHECK(align());
    LUMSK_CHECK(checkCrossings());
    LUMSK_CHECK(findMirrors());
    LUMSK_CHECK(readyGuides());
    for (int e : {0, 1}) LUMSK_CHECK(leaving_.prepare(e));
    if (!guides_.empty()) LUMSK_CHECK(leaving_.follow(spread_, run_->ends({o_.start.pull, o_.end.pull})));
    if (centre_) LUMSK_CHECK(readyCentre());
    LUMSK_CHECK(fitSections());
    if (o_.way == LoftWay::Ruled) return ruled();
    if (!across_) across_.emplace(out_.parameters, o_.degree, ends_, o_.around);
    auto made = skinAcross();
    // Sections that were smoothed too much for the angle are smoothed less.
    while (!made && made.error().code == "LM-L019" && o_.relaxedTurn && relaxedShare_ > kLeastRelaxedShare) {
      relaxedShare_ *= kRelaxedShareStep;
      LUMSK_CHECK(fitSections());
      made = skinAcross();
    }
    LUMSK_CHECK(std::move(made));
    LUMSK_CHECK(followAndFlow());
    if (!guides_.empty()) measureGuides();
    out_.joins = leaving_.order(0) > 0 || leaving_.order(1) > 0 || flowsOverSides();
    for (const Surface& s : out_.strips)
      if (const auto fold = firstFold(s))
        return fail(problem("LM-L037", "the skin folds over itself between its sections")
                        .at(*fold)
                        .tryThis("turn or move a section's start, add a section there, or let an end pull less"));
    if (byAngle) tellByLength();
    return std::move(out_);
  }

private:
  /// Ellipses are followed most lightly by their angle, as long as nobody counts by their length.
  bool ellipsesAlone() const {
    return o_.guides.empty() && o_.pairs.empty() &&
           std::all_of(sections_.begin(), sections_.end(),
                       [](const Section& s) { return !s.start && (s.point() || s.path()->wholeEllipse()); });
  }
  /// Starts as shares of the lengths, as people count them.
  void tellByLength() {
    for (size_t i = 0; i < sections_.size(); ++i)
      if (const Path* p = sections_[i].path()) {
        double& start = out_.alignment.sections[i].start;
        start = ArcLength(*p).fractionAt(places_.lengths[i].parameterAtFraction(start));
      }
  }
  const LoftEndOptions& end(int e) const { return e ? o_.end : o_.start; }
  const LoftEndOptions& sideOf(int e) const { return e ? o_.right : o_.left; }
  const Section& endSection(int e) const { return e ? sections_.back() : sections_.front(); }

  Expected<void> checkNumbers() const {
    for (const LoftEndOptions* end : {&o_.start, &o_.end, &o_.left, &o_.right}) {
      if (!(end->pull >= 0.05 && end->pull <= 10))
        return fail(
            problem("LM-L006", "the pull is out of range").measure(ratio(end->pull)).tryThis("take 0.05 to 10"));
      if (!(std::abs(end->angleDeg) <= kMostLeanDeg))
        return fail(problem("LM-L006", "the skin would lie in its section's plane")
                        .measure(degrees(end->angleDeg))
                        .want(degrees(kMostLeanDeg))
                        .tryThis("take a smaller angle"));
    }
    if (!o_.around) return {};
    if (n_ < 3)
      return fail(problem("LM-L027", "a loft that runs around needs three sections")
                      .measure(count(n_))
                      .tryThis("add sections, or let the loft be open"));
    if (end(0).kind != LoftEnd::Free || end(1).kind != LoftEnd::Free) {
      const Path* first = sections_.front().path();
      return fail(problem("LM-L012", "a loft that runs around has no ends to lean or to flow on from")
                      .at(first ? first->start() : *sections_.front().point())
                      .tryThis("leave both ends free, or let the loft be open"));
    }
    for (const Section& s : sections_)
      if (s.point())
        return fail(problem("LM-L003", "a loft that runs around has no ends for a point")
                        .at(*s.point())
                        .tryThis("take the point out, or let the loft be open"));
    return {};
  }

  /// Neighbouring sections that cross would fold the skin. Those are not looked at whose places that belong together
  /// all follow one another in one direction, across the sections.
  Expected<void> checkCrossings() const {
    constexpr double kForwards = 0.2, kAcross = 0.3; // cosine, sine
    const int perStrip = std::max(3, 12 / out_.alignment.strips);
    const auto placesOf = [&](int i) {
      Points at(out_.alignment.strips * perStrip, 3);
      for (int k = 0; k < out_.alignment.strips; ++k)
        for (int j = 0; j < perStrip; ++j)
          at.row(k * perStrip + j) = places_.at(i, k, (j + 0.5) / perStrip).transpose();
      return at;
    };
    Points a, b = placesOf(0);
    for (int i = 1; i < n_ + (o_.around ? 1 : 0); ++i) {
      a = std::move(b);
      b = placesOf(i % n_);
      if (!sections_[size_t(i - 1)].path() || !sections_[size_t(i % n_)].path()) continue;
      const Points ways = b - a;
      const Eigen::RowVector3d mean = ways.colwise().mean().normalized();
      bool forwards = true;
      for (Eigen::Index j = 0; j < ways.rows() && forwards; ++j) {
        const Vec3 along = places_.tangent(i - 1, int(j) / perStrip, (int(j) % perStrip + 0.5) / perStrip);
        const Vec3 way = ways.row(j).transpose();
        forwards = way.dot(mean.transpose()) > kForwards * way.norm() && along.cross(way).norm() > kAcross * way.norm();
      }
      if (forwards) continue;
      const Path &p = *sections_[size_t(i - 1)].path(), &q = *sections_[size_t(i % n_)].path();
      const double near = cx_.tolerances.point.mm;
      const Meetings found = meetings(p, q, near);
      const auto atEnd = [&](const Path& path, const Vec3& x) {
        return !path.closed() && std::min((path.start() - x).norm(), (path.end() - x).norm()) < 10 * near;
      };
      for (const Meeting& m : found.list)
        if (!found.overlap && !(atEnd(p, m.a) && atEnd(q, m.b)))
          return fail(
              problem("LM-L035", "sections " + std::to_string(i) + " and " + std::to_string(i % n_ + 1) + " cross")
                  .at(m.a)
                  .tryThis("move one of them, or change their order"));
    }
    return {};
  }

  /// Guides say which places of the sections belong together, and where closed sections without corners begin.
  Expected<void> align() {
    LUMSK_TRY(guides, crossGuides(sections_, places_.lengths, o_.guides, o_.around, o_.largestGap, cx_.tolerances));
    guides_ = std::move(guides);
    std::vector<PairLine> lines;
    for (const LoftGuide& g : guides_) {
      out_.guideGapMm.push_back(g.gapMm());
      PairLine line(size_t(n_), std::nullopt);
      for (int i = 0; i < n_; ++i)
        if (sections_[size_t(i)].path()) line[size_t(i)] = g.crossings[size_t(i)].fraction;
      lines.push_back(std::move(line));
    }
    std::vector<Section> started = sections_;
    if (!guides_.empty() && !beginsInCorner(places_, cx_.tolerances.corner))
      for (size_t i = 0; i < started.size(); ++i)
        if (started[i].path() && started[i].path()->closed() && !started[i].start)
          started[i].start = guides_[0].crossings[i].fraction;
    // Sections along a line are compared as the frames carried along it see them.
    for (size_t i = 0; centre_ && i < started.size(); ++i) {
      const Frame f = centre_->frame(centre_->parameters()[i]);
      Eigen::Isometry3d inFrame = Eigen::Isometry3d::Identity();
      inFrame.linear().transpose() << f.x, f.y, f.normal();
      inFrame.translation() = -(inFrame.linear() * f.origin);
      if (const Path* p = started[i].path())
        started[i].shape = transformed(*p, inFrame);
      else
        started[i].shape = Vec3(inFrame * *started[i].point());
    }
    LUMSK_TRY(alignment, alignSections(started, places_.lengths, {o_.pairs, lines, o_.around}, cx_.tolerances));
    out_.alignment = places_.alignment = alignment;
    return {};
  }

  // Mirror planes: sections, and the order of sections, are continued by their mirror images and cut afterwards.

  Expected<void> findMirrors() {
    for (int e : {0, 1})
      if (end(e).kind == LoftEnd::Mirror) {
        const Section& s = endSection(e);
        if (s.point())
          return fail(problem("LM-L009", "a point cannot be G3 at a mirror plane")
                          .at(*s.point())
                          .tryThis("make this end square: a rounded point"));
        const Points pts = polyline(*s.path(), 16);
        LUMSK_TRY(plane, sidePlane(pts, Vec3::Zero(), e ? "the last section" : "the first section"));
        ends_[e] = plane;
      }
    if (out_.alignment.closed) return {};
    for (int side : {0, 1}) {
      const SideMeets meets = meetsOf(sideOf(side).kind);
      if (meets == SideMeets::Free) continue;
      Points pts(n_, 3);
      std::vector<SideTangent> tangents;
      for (int i = 0; i < n_; ++i) {
        const SideTangent t = tangentAt(i, side == 0);
        pts.row(i) = t.d[0].transpose();
        if (sections_[size_t(i)].path()) tangents.push_back(t);
      }
      LUMSK_TRY(plane, sidePlane(pts, tangents.front().d[1].normalized(), side ? "the right side" : "the left side"));
      const double size = (pts.colwise().maxCoeff() - pts.colwise().minCoeff()).norm() +
                          places_.lengths[size_t(tangents.front().section)].total();
      for (const SideTangent& t : tangents) LUMSK_CHECK(checkSquare(t, plane.normal(), meets, size));
      sides_[side] = plane;
    }
    for (const auto& plane : {sides_[0], sides_[1], ends_[0], ends_[1]})
      if (plane && !out_.mirror) out_.mirror = plane;
    return {};
  }

  struct SideTangent {
    int section;
    CurveDerivatives d;
  };
  SideTangent tangentAt(int i, bool first) const {
    SideTangent t{i, {}};
    if (const Vec3* p = sections_[size_t(i)].point()) {
      t.d = {*p, Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
      return t;
    }
    const Path& p = *sections_[size_t(i)].path();
    p.derivatives(first != out_.alignment.sections[size_t(i)].reversed ? 0.0 : p.last(), 3, t.d);
    return t;
  }

  Expected<Frame> sidePlane(const Points& pts, const Vec3& square, const std::string& who) const {
    return planeOfSide(pts, o_.mirror, square, cx_.tolerances.point, {"LM-L009", who});
  }

  Expected<void> checkSquare(const SideTangent& t, const Vec3& n, SideMeets meets, double size) const {
    const PlaneLeaving l = leavingPlane(t.d, n);
    const std::string who = "section " + std::to_string(t.section + 1);
    if (degFromRad(l.angleRad) > cx_.tolerances.angle.deg)
      return fail(problem("LM-L008", who + " does not meet the mirror plane squarely")
                      .measure(degrees(degFromRad(l.angleRad)))
                      .want(degrees(cx_.tolerances.angle.deg))
                      .at(t.d[0])
                      .tryThis("set its end square to the plane, or leave this side free"));
    // What is left of the kink in a section that is a fit is taken out of the skin (`meetingPlanes`).
    if (meets == SideMeets::G3 && l.bendRate * size * size > kFitKinks * kFlatKink)
      return fail(problem("LM-L008", "the curvature of " + who + " has a kink at the mirror plane (dk/ds L²)")
                      .measure(ratio(l.bendRate * size * size))
                      .want(ratio(kFitKinks * kFlatKink))
                      .at(t.d[0])
                      .tryThis("set its end to G3, or this side to square"));
    return {};
  }

  Expected<void> fitSections() {
    LUMSK_TRY(made, fitStrips({places_, o_, spread_, sides_}, leaving_, relaxedShare_, cx_));
    strips_ = std::move(made.strips);
    out_.join = made.join;
    out_.sectionDeviationMm = made.deviationMm;
    return placeSections();
  }

  /// Parameters across from mean distances of neighbouring control rows, the same for all strips; with guides, from
  /// their lengths.
  Expected<void> placeSections() {
    std::vector<double> v{0.0};
    for (int i = 1; i < n_ + (o_.around ? 1 : 0); ++i) {
      double sum = 0.0, count = 0.0, largest = 0.0;
      for (const LoftStrip& s : strips_)
        for (Eigen::Index j = 0; j < s.rows.cols() / 3; ++j, ++count) {
          const double d = (s.rows.row(i % n_).segment<3>(3 * j) - s.rows.row(i - 1).segment<3>(3 * j)).norm();
          sum += d;
          largest = std::max(largest, d);
        }
      if (largest <= cx_.tolerances.point.mm)
        return fail(
            problem("LM-L004", "sections " + std::to_string(i) + " and " + std::to_string(i % n_ + 1) + " coincide")
                .measure(millimetres(largest))
                .at(strips_[0].rows.row(i % n_).segment<3>(0).transpose())
                .tryThis("move one of them or take it out"));
      v.push_back(v.back() + sum / count);
    }
    const double whole = v.back();
    for (double& x : v) x /= whole;
    if (out_.parameters.empty()) out_.parameters = std::move(v);
    return {};
  }

  /// Derivative rows of strip k at an end; none when it is free. `e` 0: first, 1: last.
  Expected<Rows> endRows(size_t k, int e) {
    const Rows& strip = strips_[k].rows;
    const LoftEnd kind = end(e).kind;
    const double pull = end(e).pull;
    const int i = e ? n_ - 1 : 0, j = e ? n_ - 2 : 1;
    const double dv = std::abs(out_.parameters[j] - out_.parameters[i]);
    const double sign = e ? -1.0 : 1.0;
    if (leaving_.order(e) > 0) {
      Rows rows = strips_[k].cross[size_t(e)];
      double scale = 1.0;
      for (Eigen::Index q = 0; q < rows.rows(); ++q) rows.row(q) *= scale *= sign * pull / dv;
      return rows;
    }
    if (kind != LoftEnd::Perpendicular && kind != LoftEnd::Flat) return Rows(0, strip.cols());
    Rows row = Rows::Zero(kind == LoftEnd::Flat ? 2 : 1, strip.cols());
    if (sections_[i].point()) {
      LUMSK_TRY(normal, planeTowards(places_, j, i, cx_.tolerances.point));
      // D = s (Q - P) in the tangent plane: linear in Q, so it is exact on the same knots, and all normals agree.
      double arcs = 0.0, reach = 0.0;
      for (const LoftStrip& s : strips_) arcSums(s.rows, i, j, normal, true, arcs, reach);
      const double scale = sign * pull * arcs / reach / dv;
      for (Eigen::Index c = 0; c < strip.cols() / 3; ++c) {
        const Vec3 d = (strip.row(j) - strip.row(i)).segment<3>(3 * c).transpose();
        row.row(0).segment<3>(3 * c) = (scale * (d - d.dot(normal) * normal)).transpose();
      }
      if (!guides_.empty()) LUMSK_CHECK(followAtPoint(k, e, normal, row));
      return row;
    }
    LUMSK_TRY(normal, planeTowards(places_, i, j, cx_.tolerances.point));
    double arcs = 0.0, number = 0.0;
    for (const LoftStrip& s : strips_) arcSums(s.rows, i, j, normal, false, arcs, number);
    for (Eigen::Index c = 0; c < strip.cols() / 3; ++c)
      row.row(0).segment<3>(3 * c) = (sign * pull * arcs / number / dv * normal).transpose();
    return row;
  }

  /// In a point, too, the skin leaves as the guides do; they have to leave it in its tangent plane.
  Expected<void> followAtPoint(size_t k, int e, const Vec3& normal, Rows& row) const {
    LUMSK_TRY(share, guideShares(spread_, int(k), strips_[k]));
    Rows miss(Eigen::Index(guides_.size()), 3);
    for (size_t g = 0; g < guides_.size(); ++g) {
      const Vec3 d = run_->derivatives(g, e)[0];
      const double turn = std::abs(90 - degFromRad(angleBetweenRad(d, normal)));
      if (turn > cx_.tolerances.angle.deg)
        return fail(problem("LM-L026", "guide " + std::to_string(g + 1) + " does not leave the point squarely")
                        .measure(degrees(turn))
                        .want(degrees(cx_.tolerances.angle.deg))
                        .at(*endSection(e).point())
                        .tryThis("let the guide leave the point in its tangent plane, or let it be pointed"));
      miss.row(Eigen::Index(g)).setZero();
      if (const auto t = spread_.on(int(k), g))
        miss.row(Eigen::Index(g)) = (d - strips_[k].at(row.row(0), *t)).transpose();
    }
    for (Eigen::Index c = 0; c < row.cols() / 3; ++c)
      for (Eigen::Index g = 0; g < miss.rows(); ++g) row.row(0).segment<3>(3 * c) += share(g, c) * miss.row(g);
    return {};
  }

  /// Sums arc lengths between two sections.
  static void arcSums(const Rows& s, int i, int j, const Vec3& normal, bool inPlane, double& arcs, double& weight) {
    for (Eigen::Index c = 0; c < s.cols() / 3; ++c) {
      const Vec3 d = (s.row(j) - s.row(i)).segment<3>(3 * c).transpose();
      const Vec3 flat = d - d.dot(normal) * normal;
      arcs += arcOver(d, inPlane ? flat : normal);
      weight += inPlane ? flat.norm() : 1.0;
    }
  }

  // Across the sections: all strips side by side in one row a section

  Rows sideBySide(const std::function<Rows(size_t)>& of) const {
    std::vector<Rows> parts;
    Eigen::Index width = 0;
    for (size_t k = 0; k < strips_.size(); ++k) parts.push_back(of(k)), width += parts.back().cols();
    Rows out(parts.front().rows(), width);
    Eigen::Index at = 0;
    for (const Rows& p : parts) out.middleCols(at, p.cols()) = p, at += p.cols();
    return out;
  }

  Expected<void> skinAcross() {
    std::array<std::vector<Rows>, 2> derivatives;
    for (size_t k = 0; k < strips_.size(); ++k)
      for (int e : {0, 1}) {
        LUMSK_TRY(rows, endRows(k, e));
        derivatives[size_t(e)].push_back(std::move(rows));
      }
    const Rows rows = sideBySide([&](size_t k) { return strips_[k].rows; });
    const Rows start = sideBySide([&](size_t k) { return derivatives[0][k]; });
    const Rows finish = sideBySide([&](size_t k) { return derivatives[1][k]; });
    LUMSK_TRY(made, centre_ ? alongCentre(rows) : fromRows({rows, start, finish}));
    out_.degree = made.degree;
    Eigen::Index at = 0;
    for (size_t k = 0; k < strips_.size(); ++k) {
      const Eigen::Index width = strips_[k].rows.cols();
      Surface s = strips_[k].surface(made.degree, made.knots, made.controls.middleCols(at, width));
      if (centre_) {
        s = withEnd(s, FirstV, derivatives[0][k]);
        s = withEnd(s, LastV, derivatives[1][k]);
      }
      if (strips_[k].whole() > 1) s = portion(s, strips_[k].parameter(0), strips_[k].parameter(1), 0, 1);
      out_.strips.push_back(meetingPlanes(std::move(s), int(k), EndShape::Local));
      at += width;
    }
    return {};
  }

  Expected<AcrossRows> fromRows(const AcrossGoal& goal, std::vector<Frame> frames = {}) {
    if (o_.way != LoftWay::Relaxed) return across_->through(goal.rows, goal.start, goal.finish);
    LUMSK_TRY(made, relaxedRows(*across_, goal, {places_, strips_, std::move(frames), o_.relaxed, o_.relaxedTurn}));
    out_.sectionDeviationMm = made.deviationMm;
    out_.sectionTurnDeg = made.turnDeg;
    return std::move(made.rows);
  }

  Expected<AcrossRows> alongCentre(const Rows& rows) {
    std::vector<Frame> frames;
    for (int i = 0; i < n_; ++i) frames.push_back(centre_->frame(out_.parameters[size_t(i)]));
    const Rows none(0, rows.cols());
    const auto blend = [&](const Rows& local) { return fromRows({local, none, none}, frames); };
    return centre_->along(rows, strips_, *across_, blend, cx_.tolerances.fit);
  }

  /// Straight from section to section.
  Expected<LoftResult> ruled() {
    if (!guides_.empty() || centre_ || end(0).kind != LoftEnd::Free || end(1).kind != LoftEnd::Free ||
        sideOf(0).kind != LoftEnd::Free || sideOf(1).kind != LoftEnd::Free)
      return fail(
          problem("LM-L018", "a ruled skin is straight between its sections: it has no guides, centre line or ends")
              .at(polyline(*sections_[sections_[0].path() ? 0 : 1].path(), 4).row(0).transpose())
              .tryThis("take them away, or let the skin be exact"));
    out_.perStretch = n_ - (o_.around ? 0 : 1);
    out_.degree = 1;
    for (int k = 0; k < out_.alignment.strips; ++k)
      for (int i = 0; i < out_.perStretch; ++i) {
        const Rows& rows = strips_[size_t(k)].rows;
        Rows two(2, rows.cols());
        two << rows.row(i), rows.row((i + 1) % n_);
        out_.strips.push_back(strips_[size_t(k)].surface(1, uniformKnots(1, 1), two));
      }
    return std::move(out_);
  }

  // Relaxed

  // Along a centre line

  Expected<void> readyCentre() {
    if (out_.parameters.empty()) out_.parameters = centre_->parameters();
    return centre_->place(out_.parameters, o_.around);
  }

  /// A skin whose end is made to leave as its derivative rows say; sections stay.
  Surface withEnd(const Surface& s, Side side, const Rows& wanted) const {
    if (wanted.rows() == 0) return s;
    const Rows rows = rowsAcross(s);
    Rows add = Rows::Zero(wanted.rows() + 1, wanted.cols());
    for (Eigen::Index q = 0; q < wanted.rows(); ++q)
      add.row(q + 1) = wanted.row(q) - valueOf(s.degreeV(), s.knotsV(), rows, side == FirstV ? 0.0 : 1.0, int(q) + 1);
    return addedAtSide(s, side, add, out_.parameters, EndShape::Smooth);
  }

  /// Removes what rounding, fitting and guides leave over at mirror planes.
  Surface meetingPlanes(Surface s, int k, EndShape shape) const {
    const auto meet = [&](Side side, const std::optional<Frame>& plane, SideMeets meets) {
      const bool across = side == FirstV || side == LastV;
      if (plane)
        s = meetingPlane(s, side, plane->origin, plane->normal(), meets, across ? out_.parameters : guidesOn(k), shape);
    };
    meet(FirstV, ends_[0], SideMeets::G3);
    meet(LastV, ends_[1], SideMeets::G3);
    if (k == 0) meet(FirstU, sides_[0], meetsOf(o_.left.kind));
    if (k + 1 == out_.alignment.strips) meet(LastU, sides_[1], meetsOf(o_.right.kind));
    return s;
  }

  // Guides

  /// Places of guides along a strip.
  std::vector<double> guidesOn(int k) const {
    std::vector<double> out;
    for (size_t g = 0; g < guides_.size(); ++g)
      if (const auto t = spread_.on(k, g)) out.push_back(*t);
    return out;
  }

  /// Derivatives across that ends keep.
  std::array<int, 2> endOrders() const {
    std::array<int, 2> out{};
    for (int e : {0, 1}) {
      const LoftEnd kind = end(e).kind;
      out[size_t(e)] = leaving_.order(e);
      if (endSection(e).point() && kind == LoftEnd::Perpendicular) out[size_t(e)] = 1;
      if (kind == LoftEnd::Flat) out[size_t(e)] = 2;
    }
    return out;
  }

  Expected<void> readyGuides() {
    if (guides_.empty()) return {};
    size_t first = 0;
    while (!sections_[first].path()) ++first;
    std::vector<LoftPlace> on;
    for (const LoftGuide& g : guides_)
      on.push_back(loftPlace(out_.alignment.sections[first], out_.alignment.closed, g.crossings[first].fraction));
    spread_ = GuideSpread(out_.alignment, std::move(on), {sides_[0].has_value(), sides_[1].has_value()});
    LUMSK_TRY(run, GuideRun::of(o_.guides, guides_, o_.around));
    run_.emplace(std::move(run));
    out_.parameters = run_->parameters();
    across_.emplace(out_.parameters, o_.degree < 3 ? o_.degree : std::max(o_.degree, int(GuideRun::kDegree)), ends_,
                    o_.around);
    return {};
  }

  /// `closeness`: so much more closely those are followed that a side flows over, whose curvature the skin has there.
  Expected<LeanFit> fitGuides(double closeness) const {
    std::vector<double> weight(guides_.size(), 1.0);
    for (size_t g = 0; g < guides_.size(); ++g)
      for (int side : {0, 1})
        if (flows(side) && spread_.on(side ? out_.alignment.strips - 1 : 0, g) == double(side)) weight[g] = closeness;
    return run_->between(*across_, endOrders(), weight, {guidePart_ * cx_.tolerances.fit.mm});
  }

  /// Every guide's way off the skin, spread along the sections by functions that are 1 at one guide and 0 at others.
  Expected<void> followGuides(double closeness) {
    LUMSK_TRY(fit, fitGuides(closeness));
    const int q = fit.degree;
    const Knots& V = fit.knots;
    LUMSK_TRY(off, across_->between(q, V, fit.controls, endOrders()));
    for (int k = 0; k < out_.alignment.strips; ++k) {
      Surface s = withSpaceV(out_.strips[size_t(k)], q, V);
      LUMSK_TRY(share, spread_.in(k, s.degreeU(), s.knotsU()));
      for (int i = 0; i < s.sizeU(); ++i)
        for (int j = 0; j < s.sizeV(); ++j)
          for (size_t g = 0; g < guides_.size(); ++g)
            s.point(i, j) += share(Eigen::Index(g), i) * off.row(j).segment<3>(Eigen::Index(3 * g));
      out_.strips[size_t(k)] = meetingPlanes(std::move(s), k, EndShape::Smooth);
    }
    return {};
  }

  /// Outer guides are followed more closely until the skin flows on over its sides as it is to, or that does not help.
  Expected<void> followAndFlow() {
    const std::vector<Surface> bare = out_.strips;
    const SkinJoin ends = out_.join;
    LoftResult best;
    for (double closeness = 1; closeness <= kMostCloseness; closeness *= kClosenessStep) {
      out_.strips = bare;
      out_.join = ends;
      if (!guides_.empty()) LUMSK_CHECK(closely(bare, closeness));
      LUMSK_CHECK(flowOverSides());
      if (closeness > 1 && out_.join.worst(cx_.tolerances) > kHelps * best.join.worst(cx_.tolerances)) break;
      best = out_;
      if (guides_.empty() || !flowsOverSides() || best.join.worst(cx_.tolerances) <= kJoinPart) break;
    }
    out_ = std::move(best);
    return {};
  }

  /// As fits leave more between their samples than at them, they are made closer until the guides are followed.
  Expected<void> closely(const std::vector<Surface>& bare, double closeness) {
    const double gap = *std::max_element(out_.guideGapMm.begin(), out_.guideGapMm.end());
    for (int tries = 1;; ++tries, guidePart_ *= kGuidePartStep) {
      out_.strips = bare;
      LUMSK_CHECK(followGuides(closeness));
      if (tries == kGuideTries || gap > cx_.tolerances.point.mm) return {};
      measureGuides();
      if (out_.guideDeviationMm <= cx_.tolerances.fit.mm) return {};
    }
  }

  bool flows(int side) const { return !out_.alignment.closed && flowsOver(sideOf(side).kind); }
  bool flowsOverSides() const { return flows(0) || flows(1); }

  Expected<void> flowOverSides() {
    for (int side : {0, 1}) {
      if (!flows(side)) continue;
      const int k = side ? out_.alignment.strips - 1 : 0;
      LoftSide flow{side ? LastU : FirstU, sideOf(side), guidesOn(k), {}, endOrders()};
      for (int i = 0; i < n_; ++i) flow.sections.push_back(tangentAt(i, side == 0).d);
      Surface& s = out_.strips[size_t(k)];
      LUMSK_TRY(made, flowingOver(s, flow, *across_, cx_, out_.join));
      s = std::move(made);
    }
    if (flowsOverSides()) measureSections();
    return {};
  }

  /// What is put right at sides may move sections.
  void measureSections() {
    constexpr int kPlaces = 48;
    for (int k = 0; k < out_.alignment.strips; ++k)
      for (int i = 0; i < n_; ++i)
        for (int p = 0; p <= kPlaces; ++p) {
          const double t = double(p) / kPlaces;
          const Vec3 off = out_.strips[size_t(k)].at(t, out_.parameters[size_t(i)]) - places_.at(i, k, t);
          out_.sectionDeviationMm = std::max(out_.sectionDeviationMm, off.norm());
        }
  }

  void measureGuides() {
    constexpr int kGuideLooks = 48;
    out_.guideDeviationMm = 0;
    for (size_t g = 0; g < guides_.size(); ++g) {
      const LoftPlace& place = spread_.guides()[g];
      const Surface& s = out_.strips[size_t(place.strip)];
      const double u = s.firstU() + place.t * (s.lastU() - s.firstU());
      for (int i = 0; i < kGuideLooks; ++i) {
        const double v = (i + 0.37) / kGuideLooks;
        const Vec3 p = run_->at(g, v);
        double d = (s.at(u, v) - p).norm();
        if (d > cx_.tolerances.fit.mm) d = std::min(d, closestPoint(s, p).distanceMm); // it may lie elsewhere on the skin
        if (d > out_.guideDeviationMm) out_.guideDeviationMm = d, out_.guideDeviationAt = p;
      }
    }
  }

  LoftPlaces places_;
  const std::vector<Section>& sections_ = places_.sections;
  const LoftOptions& o_;
  const Context& cx_;
  int n_;
  std::vector<LoftStrip> strips_;
  std::array<std::optional<Frame>, 2> ends_, sides_; ///< mirror planes
  std::optional<LoftAcross> across_;
  std::vector<LoftGuide> guides_;
  std::optional<GuideRun> run_;
  double guidePart_ = kGuidePart;
  GuideSpread spread_;
  std::optional<LoftCentre> centre_;
  double relaxedShare_ = 0.6; ///< of what a relaxed skin may leave its sections: what smoothing them uses
  LoftEnds leaving_;
  LoftResult out_;
};

} // namespace

Expected<LoftResult> loft(const std::vector<Section>& sections, const LoftOptions& options, const Context& cx) {
  if (options.degree < 1 || options.degree > 7)
    return fail(problem("LM-G001", "the degree across the sections is out of range")
                    .measure(count(options.degree))
                    .tryThis("take 1 to 7"));
  return Lofter(sections, options, cx).run();
}

} // namespace lumsk::nurbs

#include "nurbs/loft/loft.h"

#include "nurbs/measure/closest.h"
#include "nurbs/loft/guide_run.h"
#include "nurbs/loft/loft_centre.h"
#include "nurbs/loft/loft_checks.h"
#include "nurbs/loft/loft_end_rows.h"
#include "nurbs/loft/loft_joints.h"
#include "nurbs/loft/loft_relaxed.h"
#include "nurbs/loft/loft_sides.h"
#include "nurbs/fit/spaces.h"
#include "nurbs/measure/surface_measure.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kJoinPart = 0.5; ///< of what a join may miss: what the fit may use
constexpr double kClosenessStep = 5, kMostCloseness = 25, kHelps = 0.7;
constexpr double kLeastRelaxedShare = 0.002, kRelaxedShareStep = 0.3;
constexpr double kGuidePart = 0.75,
                 kGuidePartStep = 0.6; ///< of `fit`: what following the guides may use at first, then
constexpr int kGuideTries = 3;

/// Ellipses are followed most lightly by their angle, as long as nobody counts by their length.
bool ellipsesAlone(const std::vector<Section>& sections, const LoftOptions& o) {
  return o.guides.empty() && o.pairs.empty() &&
         std::all_of(sections.begin(), sections.end(),
                     [](const Section& s) { return !s.start && (s.point() || s.path()->wholeEllipse()); });
}

class Lofter {
public:
  Lofter(const std::vector<Section>& sections, const LoftOptions& o, const Context& cx)
      : places_{sections, {}, {}}, o_(o), cx_(cx), n_(int(sections.size())), leaving_(places_, o_, cx_) {}

  Expected<LoftResult> run() {
    LUMSK_CHECK(checkNumbers(sections_, o_));
    const bool byAngle = ellipsesAlone(sections_, o_);
    for (const Section& s : sections_) {
      static const Path nothing = *Path::make({LineSegment{{0, 0, 0}, {1, 0, 0}}}, {1e-9});
      const Path& p = s.path() ? *s.path() : nothing;
      places_.lengths.push_back(s.counted ? *s.counted : byAngle ? ArcLength::byParameter(p) : ArcLength(p));
    }
    carrier_ = o_.carrier;
    if (!carrier_ && o_.centre != LoftOptions::Centre::None) {
      LUMSK_TRY(centre, LoftCentre::of(places_, o_, cx_));
      carrier_ = std::move(centre);
    }
    LUMSK_CHECK(align());
    if (!o_.carrier) LUMSK_CHECK(checkCrossings(places_, o_.around, cx_));
    LUMSK_TRY(mirrors, findMirrors(places_, o_, cx_));
    mirrors_ = mirrors;
    out_.mirror = mirrors.plane;
    LUMSK_CHECK(readyGuides());
    if (carrier_) LUMSK_CHECK(readyCarrier());
    for (int e : {0, 1}) LUMSK_CHECK(leaving_.prepare(e));
    if (!guides_.empty()) LUMSK_CHECK(leaving_.follow(spread_, run_->ends({o_.start.pull, o_.end.pull})));
    LUMSK_CHECK(fitSections());
    if (o_.way == LoftWay::Ruled) {
      LUMSK_CHECK(ruled());
      out_.strips = dividedAtJoints(out_.strips, out_.perStretch, places_.joints);
      return std::move(out_);
    }
    if (!across_) across_.emplace(out_.parameters, o_.degree, mirrors_.ends, o_.around);
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
    out_.strips = dividedAtJoints(out_.strips, out_.perStretch, places_.joints);
    return std::move(out_);
  }

private:
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
    for (size_t i = 0; carrier_ && i < started.size(); ++i) {
      const Frame f = carrier_->at(carrier_->parameters()[i]).frame();
      Eigen::Isometry3d inFrame = Eigen::Isometry3d::Identity();
      inFrame.linear().transpose() << f.x, f.y, f.normal();
      inFrame.translation() = -(inFrame.linear() * f.origin);
      if (const Path* p = started[i].path())
        started[i].shape = transformed(*p, inFrame);
      else
        started[i].shape = Vec3(inFrame * *started[i].point());
    }
    LUMSK_TRY(alignment, alignSections(started, places_.lengths, {o_.pairs, lines, {}, o_.around}, cx_.tolerances));
    places_.alignment = alignment;
    if (o_.atJoints && o_.way != LoftWay::Relaxed && o_.pairs.empty() && guides_.empty() && o_.copies.empty() && !carrier_ && sideOf(0).kind == Meets::Free && sideOf(1).kind == Meets::Free)
      alignAtJoints(places_, started, o_.around, cx_.tolerances);
    out_.alignment = places_.alignment;
    return {};
  }

  Expected<void> fitSections() {
    LUMSK_TRY(made, fitStrips({places_, o_, spread_, mirrors_.sides}, leaving_, relaxedShare_, cx_));
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

  // Across the sections: all strips side by side in one row a section

  Rows sideBySide(const std::function<Rows(size_t)>& of) const {
    std::vector<Rows> parts;
    Eigen::Index width = 0;
    for (size_t k = 0; k < strips_.size(); ++k) parts.push_back(of(k)), width += parts.back().cols();
    Rows out(parts.front().rows(), width);
    Eigen::Index at = 0;
    if (out.size() == 0) return out;
    for (const Rows& p : parts) out.middleCols(at, p.cols()) = p, at += p.cols();
    return out;
  }

  LeavingLoft leavingLoft() const {
    return {places_, o_, strips_, out_.parameters, leaving_, spread_, run_ ? &*run_ : nullptr, cx_.tolerances};
  }

  Expected<void> skinAcross() {
    std::array<std::vector<Rows>, 2> derivatives;
    const LeavingLoft leaving = leavingLoft();
    for (size_t k = 0; k < strips_.size(); ++k)
      for (int e : {0, 1}) {
        LUMSK_TRY(rows, endRows(leaving, k, e));
        derivatives[size_t(e)].push_back(std::move(rows));
      }
    const Rows rows = sideBySide([&](size_t k) { return strips_[k].rows; });
    const Rows start = sideBySide([&](size_t k) { return derivatives[0][k]; });
    const Rows finish = sideBySide([&](size_t k) { return derivatives[1][k]; });
    LUMSK_TRY(made, carrier_ ? carried({rows, start, finish}) : fromRows({rows, start, finish}));
    out_.degree = made.degree;
    Eigen::Index at = 0;
    for (size_t k = 0; k < strips_.size(); ++k) {
      const Eigen::Index width = strips_[k].rows.cols();
      Surface s = strips_[k].surface(made.degree, made.knots, made.controls.middleCols(at, width));
      if (carrier_) {
        s = withEnd(s, FirstV, derivatives[0][k], out_.parameters, bool(o_.carrier));
        s = withEnd(s, LastV, derivatives[1][k], out_.parameters, bool(o_.carrier));
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

  Expected<AcrossRows> carried(const AcrossGoal& goal) {
    std::vector<Frame> frames;
    for (int i = 0; i < n_; ++i) frames.push_back(carrier_->at(out_.parameters[size_t(i)]).frame());
    const Rows none(0, goal.rows.cols());
    const auto blend = [&](const Rows& local) -> Expected<AcrossRows> {
      LUMSK_TRY(made, o_.carriedOn[0] || o_.carriedOn[1] ? levelOutside(local, out_.parameters, o_.carriedOn, o_.degree) : fromRows({local, none, none}, frames));
      for (int e : {0, 1})
        if (const Rows& wanted = e ? goal.finish : goal.start; o_.carrier && wanted.rows() > 0)
          made = leavingAs(std::move(made), wanted, carrier_->leaving(e), e, carriedReach(leavingLoft(), e, goal.rows, carrier_->leaving(e).origin[1].norm()));
      return made;
    };
    return carrier_->along(goal.rows, strips_, *across_, blend, cx_.tolerances.fit);
  }

  /// Straight from section to section.
  Expected<void> ruled() {
    if (!guides_.empty() || carrier_ || end(0).kind != Meets::Free || end(1).kind != Meets::Free ||
        sideOf(0).kind != Meets::Free || sideOf(1).kind != Meets::Free)
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
    return {};
  }

  // Carried along a line

  Expected<void> readyCarrier() {
    if (out_.parameters.empty()) out_.parameters = carrier_->parameters();
    LUMSK_CHECK(carrier_->place(out_.parameters, o_.around));
    for (int e : {0, 1})
      if (o_.carrier && !o_.around) {
        const std::vector<double>& v = out_.parameters;
        const double here = e ? 1 : 0, beside = v[e ? v.size() - 2 : 1];
        leaving_.carriedBy(e, {carrier_->leaving(e), carrier_->at(here), carrier_->at(beside), std::abs(beside - here)});
      }
    return {};
  }

  /// Removes what rounding, fitting and guides leave over at mirror planes.
  Surface meetingPlanes(Surface s, int k, EndShape shape) const {
    const auto meet = [&](Side side, const std::optional<Frame>& plane, Meets meets) {
      const bool across = side == FirstV || side == LastV;
      if (plane)
        s = meetingPlane(s, side, plane->origin, plane->normal(), meets, across ? out_.parameters : guidesOn(k), shape);
    };
    meet(FirstV, mirrors_.ends[0], Meets::Mirror);
    meet(LastV, mirrors_.ends[1], Meets::Mirror);
    if (k == 0) meet(FirstU, mirrors_.sides[0], o_.left.kind);
    if (k + 1 == out_.alignment.strips) meet(LastU, mirrors_.sides[1], o_.right.kind);
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
      const Meets kind = end(e).kind;
      out[size_t(e)] = leaving_.order(e);
      if (endSection(e).point() && kind == Meets::Perpendicular) out[size_t(e)] = 1;
      if (kind == Meets::Flat) out[size_t(e)] = 2;
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
    spread_ = GuideSpread(out_.alignment, std::move(on), {mirrors_.sides[0].has_value(), mirrors_.sides[1].has_value()});
    LUMSK_TRY(run, GuideRun::of(o_.guides, guides_, o_.around));
    run_.emplace(std::move(run));
    out_.parameters = run_->parameters();
    across_.emplace(out_.parameters, o_.degree < 3 ? o_.degree : std::max(o_.degree, int(GuideRun::kDegree)), mirrors_.ends,
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
      for (int i = 0; i < n_; ++i) flow.sections.push_back(places_.leaving(i, side == 0));
      Surface& s = out_.strips[size_t(k)];
      LUMSK_TRY(made, flowingOver(s, flow, *across_, cx_, out_.join));
      s = std::move(made);
    }
    if (flowsOverSides()) // what is put right there may move sections
      out_.sectionDeviationMm = std::max(out_.sectionDeviationMm, offSections(places_, out_.strips, out_.parameters));
    return {};
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
  LoftMirrors mirrors_;
  std::optional<LoftAcross> across_;
  std::vector<LoftGuide> guides_;
  std::optional<GuideRun> run_;
  double guidePart_ = kGuidePart;
  GuideSpread spread_;
  std::shared_ptr<Carrier> carrier_; ///< a centre line, or what the options say
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

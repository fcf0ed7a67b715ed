#include "nurbs/sweep/sweep.h"

#include "nurbs/curves/curve_parts.h"
#include "nurbs/curves/curve_refit.h"
#include "nurbs/measure/closest.h"
#include "nurbs/sweep/sweep_faces.h"
#include "nurbs/sweep/sweep_places.h"

#include <algorithm>

namespace lumsk::nurbs {

namespace {

constexpr int kCrosses = 16, kChecksAlong = 96, kChecksAcross = 13;
constexpr int kOnRail = 24; ///< places of a rail that are held against the skin
constexpr int kAround = 4; ///< places at which one profile stands on a closed rail, for the loft that runs around it

Eigen::Affine3d affineOf(const Carried& c) {
  Eigen::Affine3d a = Eigen::Affine3d::Identity();
  a.linear() = c.axes;
  a.translation() = c.origin;
  return a;
}

/// A copy of a profile that stands elsewhere: the same places of both belong together, whatever became of its lengths.
Expected<Section> copyOf(const Section& s, const Eigen::Affine3d& by, LengthTolerance point) {
  constexpr double kUniform = 1e-9;
  LUMSK_TRY(out, mappedSection(s, by, point));
  out.flip = false; // one profile has no other that its direction could agree with
  const Eigen::Matrix3d squares = by.linear().transpose() * by.linear();
  const bool same = (squares - squares(0, 0) * Eigen::Matrix3d::Identity()).norm() < kUniform * squares.norm();
  const Path* path = s.path();
  // One spline counts by its own parameter: what is carried then has its own control points.
  if (path && path->segments().size() == 1 && std::holds_alternative<Spline>(path->segments().front()))
    out.counted = std::make_shared<const ArcLength>(ArcLength::byParameter(*path));
  else if (!same && path && !path->wholeEllipse())
    out.counted = std::make_shared<const ArcLength>(*path);
  out.closeness = kCopyCloseness * std::max(1.0, std::sqrt(squares.diagonal().maxCoeff()));
  return out;
}

Vec3 tangentAtEnd(const Path& p) { return p.tangentBefore(p.last()).normalized(); }

/// How far the skin lies off where its own first line is carried.
double offCarried(const LoftResult& r, const Carrier& carrier) {
  double worst = 0;
  double stand = 0;
  for (const double v : {0.0, 1.0, 0.5}) // where there is something left of it
    if (stand = v; !carrier.at(v).shrunk()) break;
  const Carried from = carrier.at(stand);
  for (const Surface& s : r.strips)
    for (int i = 0; i < kChecksAcross; ++i) {
      const double u = s.firstU() + (s.lastU() - s.firstU()) * (i + 0.5) / kChecksAcross;
      const Vec3 local = from.local(s.at(u, stand));
      for (int j = 0; j < kChecksAlong; ++j) {
        const double v = (j + 0.37) / kChecksAlong;
        worst = std::max(worst, (s.at(u, v) - carrier.at(v).at(local)).norm());
      }
    }
  return worst;
}

/// A rail between its corners.
struct Stretch {
  Path path;
  double from = 0, to = 1; ///< fractions of the rail
  std::optional<RailFrames> frames;
  std::array<Vec3, 2> mitre{Vec3::Zero(), Vec3::Zero()};
};

Expected<std::vector<Stretch>> stretchesOf(const Path& rail, const Tolerances& tol) {
  std::vector<Stretch> out;
  const auto corners = rail.corners(tol.corner);
  if (corners.empty()) {
    out.push_back({rail});
    return out;
  }
  LUMSK_TRY(parts, splitAt(rail, corners, tol.point));
  const ArcLength length(rail);
  double at = rail.closed() ? length.lengthAt(corners.front()) : 0.0;
  for (Path& p : parts) {
    const double own = ArcLength(p).total();
    out.push_back({std::move(p), at / length.total(), (at + own) / length.total()});
    at += own;
  }
  return out;
}

/// Around a closed rail a profile comes back as it went.
Expected<void> checkAround(const Path& rail, const RailFrameOptions& f) {
  constexpr double kWholeTurn = 360, kSame = 1e-6;
  if (f.turnDeg)
    if (const double turn = f.turnDeg(1.0) - f.turnDeg(0.0); std::abs(std::remainder(turn, kWholeTurn)) > kSame * kWholeTurn)
      return fail(problem("LM-Y010", "around a closed rail a profile has to turn by whole turns")
                      .measure(degrees(turn))
                      .want(degrees(kWholeTurn * std::round(turn / kWholeTurn)))
                      .at(rail.start())
                      .inField("twist")
                      .tryThis("turn by whole turns, or take a part of the rail"));
  if (f.size)
    if (const double grown = f.size(1.0) / f.size(0.0); std::abs(grown - 1) > kSame)
      return fail(problem("LM-Y010", "around a closed rail a profile has to end as large as it began")
                      .measure(ratio(grown))
                      .want(ratio(1))
                      .at(rail.start())
                      .inField("endSize")
                      .tryThis("let size and taper end as they began, or take a part of the rail"));
  return {};
}

/// Without turn and size.
Frame plainFrame(const RailFrames& f, double at) {
  Frame frame = f.at(at).frame();
  const double turn = f.options().turnDeg ? radFromDeg(f.options().turnDeg(at)) : 0.0;
  if (turn != 0) {
    const Eigen::AngleAxisd back(-turn, frame.normal());
    frame = {frame.origin, back * frame.x, back * frame.y};
  }
  return frame;
}

class Sweeper {
public:
  Sweeper(const std::vector<Section>& profiles, const std::vector<Path>& rails, const SweepOptions& o, const Context& cx)
      : profiles_(profiles), rails_(rails), o_(o), cx_(cx) {}

  Expected<SweepResult> run() {
    LUMSK_TRY(placed, placedOn(profiles_, std::move(rails_), o_, out_, cx_));
    rails_ = std::move(placed);
    LUMSK_CHECK(rails_.size() == 1 ? alongOne() : alongMany());
    return std::move(out_);
  }

private:
  const LengthTolerance& point() const { return cx_.tolerances.point; }

  // Along one rail

  RailFrameOptions frameOptions(const Stretch& s, double station, const Vec3& start) const {
    RailFrameOptions f = o_.frame;
    const double from = s.from, way = s.to - s.from;
    if (o_.frame.turnDeg)
      f.turnDeg = [turn = o_.frame.turnDeg, from, way, zero = o_.frame.turnDeg(station)](double x) {
        return turn(from + x * way) - zero;
      };
    if (o_.frame.size)
      f.size = [size = o_.frame.size, from, way, one = o_.frame.size(station)](double x) {
        return size(from + x * way) / one;
      };
    f.turns = o_.frame.turns * way;
    f.start = start;
    f.fixed = Frame::fromNormal(rails_[0].start(), tangentAtStart(rails_[0])); // the same for all stretches
    return f;
  }

  Expected<void> alongOne() {
    const Path& rail = rails_[0];
    LUMSK_TRY(stretches, stretchesOf(rail, cx_.tolerances));
    const bool single = out_.sections.size() == 1;
    if (!single && stretches.size() > 1)
      return fail(problem("LM-Y009", "the rail has a corner between the profiles")
                      .at(stretches[0].path.end())
                      .inField("corners")
                      .tryThis("round it, or smooth the rail")
                      .offer({"round the corners", "corners", "round"}));
    double station = out_.stations[size_t(out_.order[0])][0].fraction;
    if (rail.closed() && station < stretches.front().from) station += 1;
    if (o_.frame.size && !(o_.frame.size(station) > 0))
      return fail(problem("LM-Y007", "the size is nought where the profile stands").at(rail.start()).inField("sizeAlong"));
    if (rail.closed()) LUMSK_CHECK(checkAround(rail, o_.frame));
    if (!single && (o_.size != 1 || o_.frame.size))
      return fail(problem("LM-Y010", "profiles that follow one another have their own sizes")
                      .at(out_.stations[0][0].onRail)
                      .inField(o_.size != 1 ? "size" : "endSize")
                      .tryThis("leave size, taper and their graph as they are, change the profiles, or sweep one alone")
                      .offer({"as large as they are", o_.size != 1 ? "size" : "endSize", "1"}));
    LUMSK_CHECK(makeFrames(stretches, station, rail.closed()));
    out_.stretches = int(stretches.size());
    out_.apart = stretches.size() > 1 && o_.corners == RailCorners::Split && o_.frame.kind != RailFrame::Parallel;
    out_.twistDeg = o_.frame.turnDeg ? o_.frame.turnDeg(1.0) - o_.frame.turnDeg(0.0) : 0.0;
    if (!single) return several(stretches.front());
    // The profile as the frames see it where it stands.
    size_t k = 0;
    while (k + 1 < stretches.size() && station > stretches[k].to + kSameStation) ++k;
    const double own = std::clamp((station - stretches[k].from) / (stretches[k].to - stretches[k].from), 0.0, 1.0);
    Carried there = stretches[k].frames->at(own);
    Eigen::Affine3d sized = Eigen::Affine3d::Identity();
    sized.linear() *= o_.size;
    LUMSK_TRY(local, mappedSection(out_.sections.front(), sized * affineOf(there).inverse(), point()));
    for (size_t i = 0; i < stretches.size(); ++i)
      LUMSK_CHECK(alongStretch(stretches[i], int(i), local, i == k ? std::optional(own) : std::nullopt,
                               stretches.size() == 1 && rail.closed()));
    return {};
  }

  Expected<void> makeFrames(std::vector<Stretch>& stretches, double station, bool closed) {
    Vec3 start = Vec3::Zero();
    for (size_t i = 0; i < stretches.size(); ++i) {
      LUMSK_TRY(frames, RailFrames::along(stretches[i].path, frameOptions(stretches[i], station, start)));
      stretches[i].frames.emplace(std::move(frames));
      if (stretches.size() == 1) break;
      const size_t next = (i + 1) % stretches.size();
      const bool corner = next > 0 || closed;
      if (!corner) break;
      const Vec3 before = tangentAtEnd(stretches[i].path), after = tangentAtStart(stretches[next].path);
      if (o_.corners == RailCorners::Mitre && o_.frame.kind != RailFrame::Parallel)
        stretches[i].mitre[1] = stretches[next].mitre[0] = (before + after).normalized();
      const Frame end = plainFrame(*stretches[i].frames, 1.0);
      start = turning(before, after) * end.x;
    }
    // Around a closed rail with corners, what is missed at the end is turned evenly on the way.
    if (closed && stretches.size() > 1 && o_.frame.kind == RailFrame::LeastTwist) {
      const Frame first = plainFrame(*stretches[0].frames, 0.0);
      const double missing = std::atan2(start.cross(first.x).dot(first.normal()), start.dot(first.x));
      double sofar = 0;
      for (Stretch& s : stretches) {
        const double own = missing * (s.to - s.from);
        RailFrameOptions f = s.frames->options();
        f.turnDeg = [turn = f.turnDeg, sofar, own](double x) { return (turn ? turn(x) : 0.0) + degFromRad(sofar + own * x); };
        LUMSK_TRY(again, RailFrames::along(s.path, f));
        s.frames.emplace(std::move(again));
        sofar += own;
      }
    }
    return {};
  }

  Expected<void> alongStretch(const Stretch& s, int number, const Section& local, std::optional<double> own, bool around) {
    std::vector<double> stations{0.0, 1.0};
    if (around) {
      stations.clear();
      for (int i = 0; i <= kAround; ++i) stations.push_back(double(i) / kAround);
    }
    auto carrier = std::make_shared<OneRail>(*s.frames, stations);
    for (int end : {0, 1})
      if (!s.mitre[size_t(end)].isZero()) carrier->mitre(end, s.mitre[size_t(end)]);
    if (own) carrier->keepSquareAt(*own);
    std::vector<Section> sections;
    LoftOptions o = loftOptions();
    for (size_t i = 0; i + (around ? 1 : 0) < stations.size(); ++i) {
      o.copies.push_back(affineOf(carrier->at(stations[i])));
      LUMSK_TRY(copy, copyOf(local, o.copies.back(), point()));
      sections.push_back(std::move(copy));
    }
    o.around = around;
    if (number > 0 || (out_.closedRail && out_.stretches > 1)) o.start = {};
    if (number + 1 < out_.stretches || (out_.closedRail && out_.stretches > 1)) o.end = {};
    return make(sections, std::move(o), carrier, number, s.path, &*s.frames);
  }

  Expected<void> several(const Stretch& s) {
    std::vector<double> stations;
    for (int i : out_.order) stations.push_back(out_.stations[size_t(i)][0].fraction);
    LoftOptions o = loftOptions();
    o.around = out_.closedRail;
    addPairs(o);
    std::vector<Section> sections = out_.sections;
    std::vector<size_t> extra; // numbers of sections that nobody gave
    const auto there = [&](double f) { return affineOf(s.frames->at(f)); };
    if (o.around && sections.size() == 2) {
      LUMSK_CHECK(addBetween(sections, stations, there));
      extra = {1, 3};
      for (PairLine& p : o.pairs) p = {p[0], std::nullopt, p[1], std::nullopt};
    } else if (!o.around && o_.whole) {
      LUMSK_TRY(added, addOuter(sections, stations, o, [&](double f, size_t) { return there(f); }));
      extra = added;
    }
    if (o.around) stations.push_back(stations.front() + 1);
    auto carrier = std::make_shared<OneRail>(*s.frames, stations);
    if (o_.planes) LUMSK_CHECK(tiltToPlanes(*carrier, *s.frames, sections, stations));
    LUMSK_CHECK(make(sections, std::move(o), carrier, 0, s.path, &*s.frames));
    forget(extra);
    return {};
  }

  /// Between two profiles on a closed rail, on both ways from one to the other, what lies half way.
  template <class At> Expected<void> addBetween(std::vector<Section>& sections, std::vector<double>& stations, const At& there) {
    if (!sections[0].path() || !sections[1].path())
      return fail(problem("LM-Y001", "around a closed rail points cannot follow curves").at(rails_[0].start()).inField("sections").tryThis("take curves"));
    LUMSK_TRY(one, mapped(*sections[0].path(), there(stations[0]).inverse(), point()));
    LUMSK_TRY(other, mapped(*sections[1].path(), there(stations[1]).inverse(), point()));
    LUMSK_TRY(half, curveBetween(one, other, 0.5, cx_));
    const std::array<double, 2> at{0.5 * (stations[0] + stations[1]), 0.5 * (stations[1] + stations[0] + 1)};
    std::array<Section, 2> between;
    for (size_t k : {0, 1}) {
      LUMSK_TRY(path, mapped(half, there(at[k]), point()));
      between[k].shape = std::move(path);
    }
    sections = {sections[0], between[0], sections[1], between[1]};
    stations = {stations[0], at[0], stations[1], at[1]};
    return {};
  }

  /// The outer profiles once more at the rail's ends, as they are carried there. `there`: how something stands at a fraction
  /// of the rails, at an end (0: the first). Gives the numbers of what was added.
  Expected<std::vector<size_t>> addOuter(std::vector<Section>& sections, std::vector<double>& stations, LoftOptions& o,
                                         const std::function<Eigen::Affine3d(double, size_t)>& there) {
    std::vector<size_t> out;
    for (const size_t e : {size_t(0), size_t(1)}) {
      const double end = e ? 1.0 : 0.0, at = e ? stations.back() : stations.front();
      if (std::abs(end - at) < kSameStation) continue;
      LUMSK_TRY(copy, mappedSection(e ? sections.back() : sections.front(), there(end, e) * there(at, e).inverse(), point()));
      sections.insert(e ? sections.end() : sections.begin(), std::move(copy));
      stations.insert(e ? stations.end() : stations.begin(), end);
      for (PairLine& p : o.pairs) p.insert(e ? p.end() : p.begin(), e ? p.back() : p.front());
      o.carriedOn[e] = true;
      out.push_back(e ? sections.size() - 1 : 0);
    }
    return out;
  }

  /// Leaves sections out of the alignment that nobody gave.
  void forget(std::vector<size_t> extra) {
    std::sort(extra.rbegin(), extra.rend());
    for (size_t k : extra) out_.alignment.sections.erase(out_.alignment.sections.begin() + std::ptrdiff_t(k));
  }

  Expected<void> tiltToPlanes(OneRail& carrier, const RailFrames& frames, const std::vector<Section>& sections, const std::vector<double>& stations) {
    constexpr double kSteepest = 0.05; // cosine: a profile that lies along the rail has no plane across it
    if (out_.closedRail)
      return fail(problem("LM-Y010", "around a closed rail the profiles' planes cannot say how the frame turns")
                      .at(rails_[0].start())
                      .inField("frame")
                      .tryThis("take least twist")
                      .offer({"least twist", "frame", "least"}));
    std::vector<Vec3> by;
    for (size_t i = 0; i < sections.size(); ++i) {
      const Frame f = frames.at(stations[i]).frame();
      Vec3 turn = Vec3::Zero();
      if (const Path* p = sections[i].path())
        if (const PlaneOfPoints plane = fitPlane(polyline(*p, 24)); plane.unique) {
          const Vec3 n = plane.frame.normal() * (plane.frame.normal().dot(f.normal()) < 0 ? -1.0 : 1.0);
          const Vec3 local(n.dot(f.x), n.dot(f.y), n.dot(f.normal()));
          const Eigen::AngleAxisd r(turning(Vec3::UnitZ(), local));
          if (local.z() > kSteepest) turn = r.angle() * r.axis();
        }
      by.push_back(turn);
    }
    return carrier.tilt(carrier.parameters(), by);
  }

  // Along two or three

  Expected<void> alongMany() {
    std::vector<std::vector<double>> stations(rails_.size());
    for (int i : out_.order)
      for (size_t k = 0; k < rails_.size(); ++k) stations[k].push_back(out_.stations[size_t(i)][k].fraction);
    if (out_.closedRail || std::any_of(rails_.begin(), rails_.end(), [](const Path& r) { return r.closed(); }))
      return fail(problem("LM-Y001", "one of several rails is closed")
                      .at(rails_[0].start())
                      .inField("rails")
                      .tryThis("split it where it begins and ends"));
    for (size_t k = 1; k < rails_.size(); ++k)
      for (size_t i = 1; i < stations[k].size(); ++i)
        if (!(stations[k][i] > stations[k][i - 1] + kSameStation))
          return fail(problem("LM-Y002", "rail " + std::to_string(k + 1) + " passes the profiles in another order than the first one")
                          .at(out_.stations[size_t(out_.order[i])][k].onRail)
                          .inField("rails")
                          .tryThis("take rails that run beside one another"));
    const bool single = out_.sections.size() == 1;
    std::array<bool, 2> beyond{}; // the outer profiles are carried on
    for (const size_t e : {size_t(0), size_t(1)}) {
      beyond[e] = !single && o_.whole &&
                  std::all_of(stations.begin(), stations.end(), [&](const std::vector<double>& s) { return std::abs((e ? 1 - s.back() : s.front())) > kSameStation; });
      if (beyond[e])
        for (auto& s : stations) s.insert(e ? s.end() : s.begin(), e ? 1.0 : 0.0);
    }
    double stand = 0;
    LUMSK_TRY(carrier, ManyRails::along(rails_, stations, o_.widthOnly, &stand));
    LoftOptions o = loftOptions();
    std::vector<Section> sections = out_.sections;
    std::vector<size_t> extra;
    if (single) {
      const Carried there = carrier->at(stand);
      if (there.shrunk())
        return fail(problem("LM-Y001", "the profile stands where the rails meet")
                        .at(there.origin)
                        .inField("sections")
                        .tryThis("move it to where they lie apart; of rails that go on in one another let the later ones count as 'goes on'"));
      const Eigen::Affine3d back = affineOf(there).inverse();
      sections.clear();
      for (double v : carrier->parameters()) {
        const Carried c = carrier->at(v);
        o.copies.push_back(affineOf(c) * back);
        if (c.shrunk()) {
          sections.push_back({c.origin});
          continue;
        }
        LUMSK_TRY(copy, copyOf(out_.sections.front(), o.copies.back(), point()));
        sections.push_back(std::move(copy));
      }
    } else {
      addPairs(o);
      sections = out_.sections; // with the starts that a rail says
      const auto& at = carrier->parameters();
      for (const size_t e : {size_t(0), size_t(1)}) {
        if (!beyond[e]) continue;
        const Carried end = carrier->at(e ? 1.0 : 0.0), here = carrier->at(e ? at[at.size() - 2] : at[1]);
        Section copy{end.origin};
        if (!end.shrunk()) {
          LUMSK_TRY(carried, mappedSection(e ? sections.back() : sections.front(), affineOf(end) * affineOf(here).inverse(), point()));
          copy = std::move(carried);
        }
        sections.insert(e ? sections.end() : sections.begin(), std::move(copy));
        for (PairLine& p : o.pairs) p.insert(e ? p.end() : p.begin(), end.shrunk() ? std::nullopt : e ? p.back() : p.front());
        o.carriedOn[e] = true;
        extra.push_back(e ? sections.size() - 1 : 0);
      }
    }
    LUMSK_CHECK(make(sections, std::move(o), carrier, 0, rails_[0]));
    forget(extra);
    if (!out_.joins) measureRails();
    return {};
  }

  /// Rails that all profiles touch lie on the skin: how far off they are counts, too.
  void measureRails() {
    for (size_t k = 0; k < rails_.size(); ++k) {
      double from = 1, to = 0, gap = 0;
      for (const auto& stations : out_.stations) {
        from = std::min(from, stations[k].fraction), to = std::max(to, stations[k].fraction);
        gap = std::max(gap, stations[k].gapMm);
      }
      if (out_.stations.size() == 1) from = 0, to = 1;
      if (gap > point().mm) continue;
      const ArcLength length(rails_[k]);
      for (int i = 0; i <= kOnRail; ++i) {
        const Vec3 p = rails_[k].at(length.parameterAtFraction(from + (to - from) * i / kOnRail));
        double nearest = 1e300;
        for (const SweepResult::Face& f : out_.faces) nearest = std::min(nearest, closestPoint(f.surface, p).distanceMm);
        out_.deviationMm = std::max(out_.deviationMm, nearest);
      }
    }
  }

  // All

  LoftOptions loftOptions() const {
    LoftOptions o;
    o.degree = o_.degree;
    o.start = o_.start, o.end = o_.end, o.left = o_.left, o.right = o_.right;
    o.mirror = o_.mirror;
    return o;
  }

  /// What was asked for, and where all profiles touch one rail.
  void addPairs(LoftOptions& o) {
    for (const PairLine& p : o_.pairs) {
      PairLine line;
      for (int i : out_.order) line.push_back(size_t(i) < p.size() ? p[size_t(i)] : std::nullopt);
      o.pairs.push_back(std::move(line));
    }
    if (!out_.closedProfile) return;
    std::vector<PairLine> touched;
    for (size_t k = 0; k < rails_.size(); ++k) {
      PairLine line;
      bool all = true;
      for (int i : out_.order) {
        const Station& s = out_.stations[size_t(i)][k];
        all = all && s.gapMm <= std::max(o_.largestGap.mm, point().mm);
        line.push_back(s.ownFraction);
      }
      if (!all) continue;
      if (k == 0)
        for (size_t i = 0; i < out_.sections.size(); ++i)
          if (!out_.sections[i].start) out_.sections[i].start = *line[i];
      touched.push_back(std::move(line));
    }
    // A start alone would be shifted by the pairs of the other rails.
    if (rails_.size() > 1) o.pairs.insert(o.pairs.end(), touched.begin(), touched.end());
  }

  Expected<void> make(const std::vector<Section>& sections, LoftOptions o, const std::shared_ptr<Carrier>& carrier,
                      int number, const Path& rail, const RailFrames* frames = nullptr) {
    o.carrier = carrier;
    auto made = loft(sections, o, cx_);
    if (!made) {
      Problem p = made.error();
      if (p.where.empty()) p.at(rail.start());
      if (p.code == "LM-G101" && rail.closed() && (o_.frame.turnDeg || o_.frame.size))
        p.tryThis("let turn and size change smoothly where the closed rail begins, too");
      if (p.code == "LM-L037") {
        p.code = "LM-Y004";
        p.what = "the skin folds over itself here";
        p.tryThis("make the profile smaller, let the rail bend less, or turn less");
      }
      return fail(std::move(p));
    }
    LoftResult& r = *made;
    out_.deviationMm = std::max(out_.deviationMm, r.sectionDeviationMm);
    out_.join.take(r.join, cx_.tolerances);
    out_.joins = out_.joins || r.joins;
    if (number == 0) out_.alignment = r.alignment;
    out_.strips = r.alignment.strips;
    if (!r.joins && out_.sections.size() == 1) out_.deviationMm = std::max(out_.deviationMm, offCarried(r, *carrier));
    for (int i = 0; i <= kCrosses; ++i) {
      const double x = double(i) / kCrosses;
      out_.crosses.push_back((frames ? frames->at(x) : carrier->at(x)).frame());
    }
    const bool whole = out_.sections.size() == 1 || (o_.whole && !out_.closedRail);
    const double from = whole ? 0.0 : out_.stations[size_t(out_.order.front())][0].fraction;
    const double to = whole || out_.closedRail ? from + 1 : out_.stations[size_t(out_.order.back())][0].fraction;
    addFaces(out_, r, sections.front(), number, rail, o_.faces, cx_.tolerances.corner, from, to);
    return {};
  }

  std::vector<Section> profiles_;
  std::vector<Path> rails_;
  const SweepOptions& o_;
  const Context& cx_;
  SweepResult out_;
};

} // namespace

Expected<SweepResult> sweep(const std::vector<Section>& profiles, const std::vector<Path>& rails,
                            const SweepOptions& options, const Context& cx) {
  if (profiles.empty() || rails.empty() || rails.size() > 3)
    return fail(problem("LM-Y001", "a sweep needs a profile and one to three rails").isMissing());
  for (const Section& s : profiles)
    if (s.point() && profiles.size() == 1)
      return fail(problem("LM-Y001", "a point alone leaves no skin").at(*s.point()).inField("sections").tryThis("pick a curve"));
  return Sweeper(profiles, rails, options, cx).run();
}

} // namespace lumsk::nurbs

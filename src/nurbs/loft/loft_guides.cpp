#include "nurbs/loft/loft_guides.h"

#include "nurbs/measure/closest.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/meet.h"
#include "nurbs/fit/spaces.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace lumsk::nurbs {

namespace {

constexpr double kSamePlace = 1e-6; ///< shares of a strip

/// One guide and the sections it has to meet.
class Crosser {
public:
  Crosser(const Path& guide, std::string who, LengthTolerance largestGap, const Tolerances& tol)
      : guide_(guide), who_(std::move(who)), side_(guide), length_(guide), tol_(tol),
        limit_(std::max(largestGap.mm, 10 * tol.point.mm)) {}

  Expected<LoftGuide> run(const std::vector<Section>& sections, const std::vector<MeetingSide>& sides,
                          const std::vector<ArcLength>& lengths, bool around) {
    const auto corners = guide_.corners(tol_.corner);
    if (!corners.empty())
      return fail(problem("LM-L023", who_ + " has a corner")
                      .at(guide_.at(corners.front()))
                      .tryThis("round it, or end the loft there and begin another one"));
    if (around != guide_.closed())
      return fail(problem("LM-L025", around ? who_ + " is open, and the loft runs around" : who_ + " is closed")
                      .at(guide_.start())
                      .tryThis(around ? "close the guide, or let the loft be open"
                                      : "take a portion of it, or let the loft run around"));
    LoftGuide out;
    for (size_t i = 0; i < sections.size(); ++i) {
      const std::string section = "section " + std::to_string(i + 1);
      LUMSK_TRY(c, sections[i].path() ? meet(sides[i], lengths[i], section) : meet(*sections[i].point(), section));
      out.crossings.push_back(c);
    }
    LUMSK_CHECK(order(out, around));
    return out;
  }

private:
  Problem missed(const std::string& section, double gap, const Vec3& a, const Vec3& b) const {
    return problem("LM-L020", who_ + " misses " + section)
        .measure(millimetres(gap))
        .want(millimetres(limit_))
        .at(a)
        .at(b)
        .tryThis("move the guide onto the section, or allow a larger gap");
  }

  Expected<GuideCrossing> meet(const MeetingSide& section, const ArcLength& length, const std::string& name) const {
    const Meetings found = meetings(section, side_, limit_);
    const auto& list = found.list;
    if (list.empty()) {
      const Meeting m = nearest(section, side_);
      return fail(missed(name, m.gapMm, m.a, m.b));
    }
    if (found.overlap || list.size() > 1)
      return fail(problem("LM-L021", found.overlap ? who_ + " lies on " + name : who_ + " crosses " + name + " twice")
                      .at(list.front().a)
                      .at(list.back().a)
                      .tryThis("a guide runs across the sections, once over each"));
    const Meeting& m = list.front();
    GuideCrossing c{length_.lengthAt(m.t), length.fractionAt(m.s), m.a, m.gapMm};
    snap(section.path(), length, c);
    return c;
  }

  Expected<GuideCrossing> meet(const Vec3& point, const std::string& name) const {
    // A very short line stands for the point.
    const Path p = *Path::make({LineSegment{point, point + Vec3(1e-6, 0, 0)}}, {1e-9});
    const Meeting m = nearest(MeetingSide(p), side_);
    if (m.gapMm > limit_) return fail(missed(name, m.gapMm, point, m.b));
    return GuideCrossing{length_.lengthAt(m.t), 0.0, point, m.gapMm};
  }

  /// Ends and corners of the section that lie as near as the guide may miss it are meant.
  void snap(const Path& p, const ArcLength& length, GuideCrossing& c) const {
    std::vector<double> marks = p.corners(tol_.corner);
    if (!p.closed()) marks.push_back(0), marks.push_back(p.last());
    double nearest = limit_;
    for (double t : marks) {
      const Vec3 at = p.at(t);
      if (const double d = (at - c.at).norm(); d < nearest) {
        nearest = d;
        c.fraction = length.fractionAt(t);
        c.gapMm += d;
        c.at = at;
      }
    }
  }

  Expected<void> order(LoftGuide& g, bool around) const {
    auto& c = g.crossings;
    const double whole = length_.total();
    const auto turned = [&] {
      g.reversed = true;
      for (GuideCrossing& x : c) x.along = whole - x.along;
    };
    if (around) {
      // Falling more often than once means that it runs the other way.
      int falls = 0;
      for (size_t i = 0; i < c.size(); ++i) falls += c[(i + 1) % c.size()].along < c[i].along;
      if (falls > 1) turned();
      for (size_t i = 1; i < c.size(); ++i)
        if (c[i].along < c[0].along) c[i].along += whole;
    } else if (c.back().along < c.front().along) {
      turned();
    }
    for (size_t i = 1; i < c.size(); ++i)
      if (c[i].along <= c[i - 1].along + tol_.point.mm)
        return fail(problem("LM-L022", who_ + " does not meet sections " + std::to_string(i) + " and " +
                                           std::to_string(i + 1) + " in this order")
                        .at(c[i - 1].at)
                        .at(c[i].at)
                        .tryThis("put the sections in the order in which the guide meets them"));
    return {};
  }

  const Path& guide_;
  std::string who_;
  MeetingSide side_;
  ArcLength length_;
  const Tolerances& tol_;
  double limit_;
};

} // namespace

double LoftGuide::gapMm() const {
  double widest = 0;
  for (const GuideCrossing& c : crossings) widest = std::max(widest, c.gapMm);
  return widest;
}

std::vector<Path> dividedAtSections(const Path& guide, const std::vector<Section>& sections, LengthTolerance largestGap,
                                    const Tolerances& tol) {
  struct Event {
    double t = 0;
    int section = 0;
  };
  const double limit = std::max(largestGap.mm, 10 * tol.point.mm);
  const MeetingSide side(guide);
  std::vector<Event> events;
  for (size_t i = 0; i < sections.size(); ++i) {
    if (const Vec3* point = sections[i].point()) {
      if (const ClosestOnPath c = closestPoint(guide, *point); c.distanceMm <= limit) events.push_back({c.t, int(i)});
      continue;
    }
    const Meetings found = meetings(MeetingSide(*sections[i].path()), side, limit);
    if (found.overlap) return {guide};
    for (const Meeting& m : found.list) events.push_back({m.t, int(i)});
  }
  const int n = int(sections.size()), count = int(events.size());
  if (n < 2 || (!guide.closed() && count == n)) return {guide};
  std::sort(events.begin(), events.end(), [](const Event& a, const Event& b) { return a.t < b.t; });
  struct Part {
    std::vector<int> events; ///< in the guide's direction
    double lengthMm = 0;
    Path path;
  };
  std::vector<Part> parts;
  for (int e = 0; e < count; ++e)
    for (const int way : {1, -1}) {
      if (events[size_t(e)].section != 0) continue;
      Part p;
      for (int k = 0; k < n; ++k) {
        const int next = e + way * k, at = ((next % count) + count) % count;
        if ((!guide.closed() && next != at) || events[size_t(at)].section != k) break;
        p.events.push_back(at);
      }
      if (int(p.events.size()) < n) continue;
      if (way < 0) std::reverse(p.events.begin(), p.events.end());
      auto path =
          pathPortion(guide, events[size_t(p.events.front())].t, events[size_t(p.events.back())].t, tol.point);
      if (!path) continue;
      p.lengthMm = ArcLength(*path).total();
      p.path = std::move(*path);
      parts.push_back(std::move(p));
    }
  std::stable_sort(parts.begin(), parts.end(), [](const Part& a, const Part& b) { return a.lengthMm < b.lengthMm; });
  std::vector<bool> used(size_t(count), false);
  std::vector<Path> out;
  for (const Part& p : parts) {
    const auto taken = [&](int e) { return used[size_t(e)] && sections[size_t(events[size_t(e)].section)].path(); };
    if (std::any_of(p.events.begin(), p.events.end(), taken)) continue;
    for (int e : p.events) used[size_t(e)] = true;
    out.push_back(p.path);
  }
  // A crossing that belongs to no part is not passed over in silence.
  if (out.empty() || std::find(used.begin(), used.end(), false) != used.end()) return {guide};
  return out;
}

Expected<std::vector<LoftGuide>> crossGuides(const std::vector<Section>& sections,
                                             const std::vector<ArcLength>& lengths, const std::vector<Path>& guides,
                                             bool around, LengthTolerance largestGap, const Tolerances& tol) {
  std::vector<LoftGuide> out;
  if (guides.empty()) return out;
  static const Path nothing = *Path::make({LineSegment{{0, 0, 0}, {1, 0, 0}}}, {1e-9});
  std::vector<MeetingSide> sides;
  for (const Section& s : sections) sides.emplace_back(s.path() ? *s.path() : nothing);
  for (size_t g = 0; g < guides.size(); ++g) {
    LUMSK_TRY(
        made,
        Crosser(guides[g], "guide " + std::to_string(g + 1), largestGap, tol).run(sections, sides, lengths, around));
    out.push_back(std::move(made));
    for (size_t h = 0; h < g; ++h)
      for (size_t i = 0; i < sections.size(); ++i)
        if (sections[i].path() && (out[h].crossings[i].at - out[g].crossings[i].at).norm() < 10 * tol.point.mm)
          return fail(problem("LM-L024", "guides " + std::to_string(h + 1) + " and " + std::to_string(g + 1) +
                                             " meet section " + std::to_string(i + 1) + " in one place")
                          .at(out[g].crossings[i].at)
                          .tryThis("take one of them out, or let them meet in a point as section"));
  }
  return out;
}

GuideSpread::GuideSpread(const Alignment& a, std::vector<LoftPlace> guides, std::array<bool, 2> even)
    : guides_(std::move(guides)), closed_(a.closed), strips_(size_t(a.strips)) {
  const size_t strips = strips_.size();
  // Mean shares of the sections that the strips have.
  std::vector<double> breaks(strips + 1, 0.0);
  double used = 0;
  for (const AlignedSection& s : a.sections)
    if (s.breaks.size() == strips + 1) {
      for (size_t k = 0; k <= strips; ++k) breaks[k] += s.breaks[k];
      ++used;
    }
  for (double& b : breaks) b /= used;
  for (LoftPlace& g : guides_) {
    if (closed_ && strips == 1) g.t -= std::floor(g.t);
    if (std::abs(g.t - 1) < kSamePlace) g.t = closed_ && strips == 1 ? 0.0 : 1.0;
    if (std::abs(g.t) < kSamePlace) g.t = 0.0;
    whole_.push_back(breaks[size_t(g.strip)] + g.t * (breaks[size_t(g.strip) + 1] - breaks[size_t(g.strip)]));
  }
  order_.resize(guides_.size());
  std::iota(order_.begin(), order_.end(), size_t(0));
  std::sort(order_.begin(), order_.end(), [&](size_t x, size_t y) { return whole_[x] < whole_[y]; });
  for (size_t k = 0; k < strips; ++k) {
    Strip& s = strips_[k];
    s.periodic = closed_ && strips == 1;
    for (size_t g = 0; g < guides_.size(); ++g)
      if (const auto t = on(int(k), g)) s.at.push_back(*t);
    if (!s.periodic) {
      s.at.push_back(0.0);
      s.at.push_back(1.0);
    }
    std::sort(s.at.begin(), s.at.end());
    s.at.erase(std::unique(s.at.begin(), s.at.end()), s.at.end());
    s.weight.resize(Eigen::Index(s.at.size()), Eigen::Index(guides_.size()));
    for (size_t i = 0; i < s.at.size(); ++i) {
      Eigen::RowVectorXd w = shared(breaks[k] + s.at[i] * (breaks[k + 1] - breaks[k]));
      for (size_t g = 0; g < guides_.size(); ++g)
        if (const auto t = on(int(k), g); t && *t == s.at[i]) {
          w.setZero();
          w[Eigen::Index(g)] = 1.0;
        }
      s.weight.row(Eigen::Index(i)) = w;
    }
    // With images at sides that go on as those, so that nothing has a kink there.
    s.even = {even[0] && k == 0, even[1] && k + 1 == strips};
    std::vector<std::pair<double, Eigen::Index>> all;
    for (size_t i = 0; i < s.at.size(); ++i) {
      all.emplace_back(s.at[i], Eigen::Index(i));
      if (s.even[0] && s.at[i] > 0) all.emplace_back(-s.at[i], Eigen::Index(i));
      if (s.even[1] && s.at[i] < 1) all.emplace_back(2 - s.at[i], Eigen::Index(i));
    }
    std::sort(all.begin(), all.end());
    std::vector<double> at;
    Eigen::MatrixXd weight(Eigen::Index(all.size()), s.weight.cols());
    for (size_t i = 0; i < all.size(); ++i) {
      at.push_back(all[i].first);
      weight.row(Eigen::Index(i)) = s.weight.row(all[i].second);
    }
    const int n = int(at.size());
    s.degree = s.periodic ? 5 : std::min(n - 1, 5);
    s.knots = s.periodic ? uniformKnots(5, std::max(12, 3 * n)) : averagedKnots(s.degree, at);
    if (const auto c = cardinalFunctions(s.degree, s.knots, at, s.periodic)) s.functions = weight.transpose() * *c;
  }
}

Expected<Rows> GuideSpread::in(int strip, int degree, const Knots& knots, double scale, double before) const {
  const Strip& s = strips_[size_t(strip)];
  std::vector<double> x;
  for (double t : s.at) x.push_back((t + before) / scale);
  LUMSK_TRY(cardinal, cardinalFunctions(degree, knots, x, s.periodic));
  if (s.periodic) return Rows(s.weight.transpose() * cardinal);
  const std::vector<double> where = greville(knots, degree);
  Rows values(Eigen::Index(where.size()), s.weight.cols());
  for (size_t i = 0; i < where.size(); ++i)
    values.row(Eigen::Index(i)) =
        at(strip, scale * (where[i] - knots.front()) / (knots.back() - knots.front()) - before);
  const Rows own = rowsThrough(degree, knots, std::move(values));
  // Exactly at the guides, where the space does not hold the functions.
  Rows miss(Eigen::Index(s.at.size()), own.cols());
  for (size_t i = 0; i < s.at.size(); ++i)
    miss.row(Eigen::Index(i)) = s.weight.row(Eigen::Index(i)) - valueOf(degree, knots, own, x[i]);
  return Rows(own.transpose() + miss.transpose() * cardinal);
}

std::optional<double> GuideSpread::on(int k, size_t guide) const {
  const LoftPlace& g = guides_[guide];
  if (g.strip == k) return g.t;
  const int strips = int(strips_.size());
  const int next = closed_ ? (k + 1) % strips : k + 1, before = closed_ ? (k + strips - 1) % strips : k - 1;
  if (g.strip == next && g.t == 0.0) return 1.0;
  if (g.strip == before && g.t == 1.0) return 0.0;
  return {};
}

Eigen::RowVectorXd GuideSpread::shared(double at) const {
  const size_t n = order_.size();
  Eigen::RowVectorXd w = Eigen::RowVectorXd::Zero(Eigen::Index(n));
  const auto share = [&](size_t a, size_t b, double part) {
    w[Eigen::Index(order_[a])] += 1 - part;
    w[Eigen::Index(order_[b])] += part;
  };
  const auto place = [&](size_t i) { return whole_[order_[i]]; };
  if (n == 1) {
    w[0] = 1.0;
    return w;
  }
  size_t after = 0;
  while (after < n && place(after) < at) ++after;
  if (closed_) {
    const size_t a = (after + n - 1) % n, b = after % n;
    const auto from = [](double x, double y) { return y - x - std::floor(y - x); };
    const double gap = n > 1 ? from(place(a), place(b)) : 1.0;
    share(a, b, from(place(a), at) / gap);
    return w;
  }
  if (after > 0 && after < n) {
    share(after - 1, after, (at - place(after - 1)) / (place(after) - place(after - 1)));
    return w;
  }
  const double range = place(n - 1) - place(0);
  const double far = std::min(std::abs(at - place(after == 0 ? 0 : n - 1)), range) / range;
  after == 0 ? share(0, n - 1, -far) : share(n - 1, 0, -far);
  return w;
}

Eigen::RowVectorXd GuideSpread::at(int strip, double t) const {
  const Strip& s = strips_[size_t(strip)];
  if (s.periodic) t -= std::floor(t);
  if (s.even[0] && t < 0) t = -t;
  if (s.even[1] && t > 1) t = 2 - t;
  return valueOf(s.degree, s.knots, s.functions.transpose(), std::clamp(t, 0.0, 1.0));
}

} // namespace lumsk::nurbs

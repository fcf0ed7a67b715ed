#include "brep/split/cuts.h"

#include "nurbs/curves/curve_ends.h"
#include "nurbs/measure/arc_length.h"

#include <algorithm>

namespace lumsk::brep::split {

/// Exact places of a cut, further than the cutter goes.
struct CutTrace {
  std::function<nurbs::SectionTrace::Place(double)> at;
  std::vector<double> looks;
  double least = 0, most = 1; ///< where it leaves its sheet, or ends by itself
  double first = 0, last = 1; ///< what the cutter covers
  bool closed = false;
};

namespace {

constexpr int kCoincidence = 10;          ///< cells each way in which faces are looked at for lying on one another
constexpr double kCoincidenceMm = 0.0005; ///< what is nearer lies on the other
constexpr int kBisections = 48;
constexpr double kPole = 0.002; ///< of a step: cuts are followed past poles as near as that
constexpr double kMiddleward = 1e-3; ///< of a cut: how far from its end its neighbourhood is looked at
constexpr double kJump = 0.5;        ///< of a period: a parameter that moves by more has passed the seam
constexpr int kPathPlaces = 64;      ///< at least, of an imprinted path

using Place = nurbs::SectionTrace::Place;

std::vector<double> withMiddles(const std::vector<double>& places) {
  std::vector<double> w;
  for (size_t i = 0; i + 1 < places.size(); ++i) {
    w.push_back(places[i]);
    w.push_back(0.5 * (places[i] + places[i + 1]));
  }
  w.push_back(places.back());
  return w;
}

/// How far a trace runs between two of its parameters, by chords, mm; `until` stops it and gets the parameter.
double lengthAlong(const CutTrace& t, double from, double to, double until, double* stop = nullptr) {
  std::vector<double> w{from};
  const bool ahead = to > from;
  for (double x : t.looks)
    if ((x - from) * (x - to) < 0) w.push_back(x);
  w.push_back(to);
  std::sort(w.begin(), w.end());
  if (!ahead) std::reverse(w.begin(), w.end());
  double length = 0;
  Vec3 before = t.at(from).point;
  for (size_t i = 1; i < w.size(); ++i) {
    constexpr int kParts = 4;
    for (int k = 1; k <= kParts; ++k) {
      const double x = w[i - 1] + (w[i] - w[i - 1]) * k / kParts;
      const Vec3 p = t.at(x).point;
      length += (p - before).norm();
      before = p;
      if (stop) *stop = x;
      if (length >= until) return length;
    }
  }
  return length;
}

/// Fits a cut to its trace as far as that is covered now. Nothing where it is too short to cut.
Expected<bool> fit(Net& net, Cut& c) {
  const CutTrace& t = *c.trace;
  Vec3 before = t.at(t.first).point;
  double reach = 0;
  for (int k = 1; k <= 4; ++k)
    reach = std::max(reach, (t.at(t.first + k * (t.last - t.first) / 4).point - before).norm());
  if (reach <= 2 * kSnapMm) return false;
  const Sheet& a = net.sheets[size_t(c.sheet)];
  std::vector<const nurbs::Surface*> surfaces{a.surface};
  double step = a.stepMm;
  if (c.other >= 0) {
    surfaces.push_back(net.sheets[size_t(c.other)].surface);
    step = std::min(step, net.sheets[size_t(c.other)].stepMm);
  }
  LUMSK_TRY(s, nurbs::fitSection({t.at, t.first, t.last, t.looks, t.closed}, surfaces, step, {kCutFitMm}, {kCutMostMm}));
  c.section = std::move(s);
  return true;
}

void orient(const Net& net, Cut& c) {
  const Sheet &a = net.sheets[size_t(c.sheet)], &b = net.sheets[size_t(c.by)];
  nurbs::CurveDerivatives d;
  c.section.curve.derivatives(0.5, 1, d);
  const Vec3 uv = c.section.images[0].at(0.5), n = a.surface->normal(uv.x(), uv.y()), m = b.foot(d[0]).normal;
  c.frontLeft = {n.cross(d[1]).dot(b.outside(m)) > 0, m.cross(d[1]).dot(a.outside(n)) > 0};
}

/// A sheet met by one of a cutter's.
class Meeting {
public:
  Meeting(Net& net, int a, int b, const CutterSheets& by, bool both, const Context& cx)
      : net_(net), a_(a), b_(b), by_(by), both_(both), cx_(cx) {}

  Expected<void> run() {
    const Sheet &a = sheetA(), &b = sheetB();
    const nurbs::Field field = b.fieldOn(*a.surface);
    LUMSK_CHECK(lookForCoincidence(field));
    nurbs::ZeroOptions o;
    o.stepMm = a.stepMm;
    o.touch = cx_.tolerances.fit.mm;
    o.pole = kPole;
    LUMSK_TRY(set, nurbs::zeroSet(*a.surface, field, o, cx_));
    for (const Vec2& t : set.touches)
      if (const Vec3 p = a.surface->at(t.x(), t.y()); a.spline.inside(t) && b.covers(b.foot(p).point)) net_.touches.push_back(p);
    for (const nurbs::ZeroCurve& z : set.curves) LUMSK_CHECK(take(field, z));
    return {};
  }

private:
  const Sheet& sheetA() const { return net_.sheets[size_t(a_)]; }
  const Sheet& sheetB() const { return net_.sheets[size_t(b_)]; }

  /// Faces that lie on one another have no definite curve between them: following it would not end.
  Expected<void> lookForCoincidence(const nurbs::Field& field) const {
    const Sheet& a = sheetA();
    const nurbs::Surface& s = *a.surface;
    const auto uv = [&](double i, double j) {
      return Vec2(s.firstU() + (s.lastU() - s.firstU()) * i / kCoincidence,
                  s.firstV() + (s.lastV() - s.firstV()) * j / kCoincidence);
    };
    const auto lies = [&](double i, double j) {
      const Vec2 q = uv(i, j);
      if (field(q.x(), q.y()).clearMm > kCoincidenceMm || !a.spline.inside(q)) return false;
      return sheetB().covers(s.at(q.x(), q.y()));
    };
    for (int i = 0; i < kCoincidence; ++i)
      for (int j = 0; j < kCoincidence; ++j)
        if (lies(i + 0.5, j + 0.5) && lies(i, j) && lies(i + 1, j + 1) && lies(i + 1, j) && lies(i, j + 1)) {
          const Vec2 q = uv(i + 0.5, j + 0.5);
          return fail(problem("LM-C002", "the cutter lies on the face over an area: there is no curve to cut along")
                          .at(s.at(q.x(), q.y()))
                          .tryThis("trim by the cutter's edges, or take the face that both share out of one of them"));
        }
    return {};
  }

  Expected<void> take(const nurbs::Field& field, const nurbs::ZeroCurve& found) {
    struct Held { ///< what the trace needs as long as it lives
      nurbs::Field field;
      nurbs::ZeroCurve curve;
      std::optional<nurbs::FollowedZero> follower;
    };
    const Sheet &a = sheetA(), &b = sheetB();
    const nurbs::Surface* s = a.surface;
    const auto onA = [&](const Vec2& q) { return a.spline.inside(q); };
    const auto onBoth = [&](const Vec2& q) { return onA(q) && b.covers(s->at(q.x(), q.y())); };
    auto held = std::make_shared<Held>();
    held->field = field;
    held->curve = begunOutside(found, onBoth);
    held->follower.emplace(*s, held->field, held->curve);
    if (!held->follower->usable()) return {};
    const auto place = [held, s](double w) {
      const Vec2 low(s->firstU(), s->firstV()), high(s->lastU(), s->lastV());
      return Vec2(held->follower->uv(w).cwiseMax(low).cwiseMin(high));
    };
    const std::vector<double> w = withMiddles(held->follower->places());
    for (const auto& [from, to] : nurbs::stretchesWhere(w, [&](double x) { return onA(place(x)); })) {
      std::vector<double> within{from};
      for (double x : w)
        if (x > from && x < to) within.push_back(x);
      within.push_back(to);
      for (const auto& [p, q] : nurbs::stretchesWhere(within, [&](double x) { return onBoth(place(x)); })) {
        CutTrace t;
        t.at = [place, s](double x) {
          const Vec2 uv = place(x);
          return Place{s->at(uv.x(), uv.y()), {uv, Vec2::Zero()}};
        };
        t.looks = held->follower->places();
        t.least = from, t.most = to, t.first = p, t.last = q;
        t.closed = held->curve.closed && p <= 0 && q >= 1;
        LUMSK_CHECK(add(std::move(t), found.contact));
      }
    }
    return {};
  }

  /// A closed curve of which a part counts begins where it does not, so that no part is cut in two.
  static nurbs::ZeroCurve begunOutside(nurbs::ZeroCurve c, const std::function<bool(const Vec2&)>& counts) {
    if (!c.closed) return c;
    const auto out = std::find_if(c.uv.begin(), c.uv.end(), [&](const Vec2& q) { return !counts(q); });
    if (out == c.uv.end()) return c;
    std::rotate(c.uv.begin(), out, c.uv.end());
    c.uv.push_back(c.uv.front());
    c.closed = false;
    return c;
  }

  Expected<void> add(CutTrace t, bool contact) {
    if (!both_) return addOne(std::move(t), contact);
    // The image on the second surface ends at its seam.
    const Sheet& b = sheetB();
    if (!b.surface->closedU()) return addOne(std::move(t), contact);
    const double period = b.surface->lastU() - b.surface->firstU();
    const auto u = [&](double x) { return b.foot(t.at(x).point).uv.x(); };
    std::vector<double> w{t.first};
    for (double x : withMiddles(t.looks))
      if (x > t.first && x < t.last) w.push_back(x);
    w.push_back(t.last);
    std::vector<double> ends{t.first};
    double before = u(w[0]);
    for (size_t i = 1; i < w.size(); ++i) {
      const double now = u(w[i]);
      if (std::abs(now - before) > kJump * period) {
        double low = w[i - 1], high = w[i];
        for (int it = 0; it < kBisections; ++it) {
          const double m = 0.5 * (low + high);
          (std::abs(u(m) - before) > kJump * period ? high : low) = m;
        }
        ends.push_back(low);
      }
      before = now;
    }
    ends.push_back(t.last);
    for (size_t i = 0; i + 1 < ends.size(); ++i) {
      CutTrace part = t;
      part.first = ends[i], part.last = ends[i + 1];
      part.closed = t.closed && ends.size() == 2;
      if (i > 0) part.least = part.first;
      if (i + 2 < ends.size()) part.most = part.last;
      LUMSK_CHECK(addOne(std::move(part), contact));
    }
    return {};
  }

  Expected<void> addOne(CutTrace t, bool contact) {
    Cut c;
    c.sheet = a_;
    c.other = both_ ? b_ : -1;
    c.cutter = by_.number;
    c.by = b_;
    c.contact = contact;
    if (both_) t.at = withOther(t);
    c.trace = std::make_shared<CutTrace>(std::move(t));
    LUMSK_TRY(made, fit(net_, c));
    if (!made) return {};
    orient(net_, c);
    net_.cuts.push_back(std::move(c));
    net_.sheets[size_t(a_)].cuts.push_back(int(net_.cuts.size()) - 1);
    if (both_) net_.sheets[size_t(b_)].cuts.push_back(int(net_.cuts.size()) - 1);
    return {};
  }

  /// The trace with its places on the second surface; at its seam on the side that the rest is on.
  std::function<Place(double)> withOther(const CutTrace& t) const {
    const Sheet& b = sheetB();
    const double period = b.surface->closedU() ? b.surface->lastU() - b.surface->firstU() : 0.0;
    const double first = t.first, last = t.last, middle = 0.5 * (first + last);
    return [&b, at = t.at, period, first, last, middle](double x) {
      Place p = at(x);
      p.at[1] = b.foot(p.point).uv;
      if (period > 0 && (x <= first || x >= last)) {
        const double u = b.foot(at(x + kMiddleward * (middle - x)).point).uv.x();
        if (std::abs(p.at[1].x() - u) > kJump * period) p.at[1].x() += u > p.at[1].x() ? period : -period;
      }
      return p;
    };
  }

  Net& net_;
  int a_, b_;
  const CutterSheets& by_;
  bool both_;
  const Context& cx_;
};

} // namespace

Expected<void> findCuts(Net& net, const std::vector<int>& targets, const CutterSheets& by, bool both,
                        const Context& cx) {
  for (int a : targets)
    for (int b : by.sheets) {
      if (cx.stopped()) return fail(cancelled());
      const Sheet& s = net.sheets[size_t(a)];
      if (!s.near(net.sheets[size_t(b)].box, by.reachMm + cx.tolerances.fit.mm)) continue;
      LUMSK_CHECK(Meeting(net, a, b, by, both, cx).run());
    }
  return {};
}

namespace {

/// To its left is the inside of a closed path; of an open one its left.
bool insideLeft(const nurbs::Path& path, const Vec3& outside) {
  if (!path.closed()) return true;
  const Points p = nurbs::polyline(path, 8);
  Vec3 area = Vec3::Zero();
  for (Eigen::Index i = 0; i + 1 < p.rows(); ++i)
    area += (p.row(i) - p.row(0)).transpose().cross((p.row(i + 1) - p.row(0)).transpose());
  return area.dot(outside) > 0;
}

/// Places along a path where its feet pass a sheet's seam.
std::vector<double> seamCrossings(const Sheet& s, const std::function<Vec3(double)>& on, double from, double to,
                                  const std::vector<double>& looks) {
  std::vector<double> out;
  if (!s.surface->closedU()) return out;
  const double period = s.surface->lastU() - s.surface->firstU();
  const auto u = [&](double x) { return s.foot(on(x)).uv.x(); };
  std::vector<double> w{from};
  for (double x : looks)
    if (x > from && x < to) w.push_back(x);
  w.push_back(to);
  for (size_t i = 0; i + 1 < w.size(); ++i) {
    double a = w[i], b = w[i + 1], ua = u(a);
    if (std::abs(u(b) - ua) <= kJump * period) continue;
    for (int k = 0; k < 60; ++k) {
      const double m = 0.5 * (a + b), um = u(m);
      if (std::abs(um - ua) > kJump * period)
        b = m;
      else
        a = m, ua = um;
    }
    const double at = 0.5 * (a + b);
    if (at > from + 1e-9 && at < to - 1e-9) out.push_back(at);
  }
  return out;
}

/// Feet of a path between two seam crossings: a foot on the seam itself is taken on the side that the rest comes from.
std::function<Place(double)> feetBetween(const Sheet& s, const std::function<Vec3(double)>& on, double from, double to) {
  if (!s.surface->closedU())
    return [&s, on](double x) {
      const auto f = s.foot(on(x));
      return Place{f.point, {f.uv, Vec2::Zero()}};
    };
  constexpr double kNear = 0.02; // of the way: so near to its ends the side is told by what lies further in
  const double first = s.surface->firstU(), last = s.surface->lastU(), period = last - first;
  const double atStart = s.foot(on(from + kNear * (to - from))).uv.x(), atEnd = s.foot(on(to - kNear * (to - from))).uv.x();
  return [=, &s](double x) {
    auto f = s.foot(on(x));
    const double share = (x - from) / (to - from);
    if (share < kNear || share > 1 - kNear) {
      const double like = share < kNear ? atStart : atEnd;
      if (f.uv.x() - like > kJump * period) f.uv.x() = first;
      if (like - f.uv.x() > kJump * period) f.uv.x() = last;
    }
    return Place{f.point, {f.uv, Vec2::Zero()}};
  };
}

} // namespace

Expected<void> imprint(Net& net, const std::vector<int>& targets, const nurbs::Path& given, int number, double reachMm,
                       const Context& cx) {
  auto path = std::make_shared<nurbs::Path>(given);
  double before = 0;
  if (!given.closed() && reachMm > 0) {
    for (bool atEnd : {false, true}) {
      LUMSK_TRY(longer, nurbs::extended(*path, atEnd, nurbs::Extension::Straight, reachMm, cx));
      *path = longer;
    }
    before = reachMm;
  }
  const auto length = std::make_shared<nurbs::ArcLength>(*path);
  const double total = length->total(), from = before, to = total - before;
  const auto on = [path, length](double s) { return path->at(std::min(length->parameterAt(s), path->last())); };
  const auto sheetAt = [&](double s) {
    const Vec3 p = on(s);
    int best = -1;
    double nearest = 1e300;
    for (int a : targets) {
      const Sheet& sheet = net.sheets[size_t(a)];
      if (best >= 0 && (sheet.box.low - p).cwiseMax(p - sheet.box.high).cwiseMax(0.0).norm() > nearest) continue;
      const auto f = sheet.foot(p);
      const double d = (p - f.point).norm();
      if (d < nearest && !f.beyond && sheet.spline.inside(f.uv)) best = a, nearest = d;
    }
    return best;
  };
  // Stretches on one sheet without a corner, and what of them is the path itself.
  std::vector<double> looks;
  const int n = std::max(kPathPlaces, 8 * int(path->segments().size()));
  for (int i = 0; i <= n; ++i) looks.push_back(total * i / n);
  std::vector<double> corners{0};
  for (double t : path->corners(cx.tolerances.corner))
    if (t > 0) corners.push_back(length->lengthAt(t));
  corners.push_back(total);
  std::vector<double> all = looks;
  all.insert(all.end(), corners.begin(), corners.end());
  all.push_back(from), all.push_back(to);
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end()), all.end());
  const bool smoothRing = path->closed() && corners.size() == 2 && path->corners(cx.tolerances.corner).empty();
  for (size_t k = 0; k + 1 < corners.size(); ++k) {
    std::vector<double> w;
    for (double x : all)
      if (x >= corners[k] && x <= corners[k + 1]) w.push_back(x);
    if (w.size() < 2) continue;
    for (int a : targets) {
      if (cx.stopped()) return fail(cancelled());
      const Sheet& sheet = net.sheets[size_t(a)];
      std::vector<std::pair<double, double>> stretches;
      for (const auto& [p, q] : nurbs::stretchesWhere(w, [&](double s) { return sheetAt(s) == a; })) {
        double start = p;
        for (double at : seamCrossings(sheet, on, p, q, looks)) stretches.emplace_back(start, at), start = at;
        stretches.emplace_back(start, q);
      }
      for (const auto& [p, q] : stretches) {
        if (q <= from || p >= to || !(q > p)) continue;
        CutTrace t;
        // A curved path is met from within: the ends lie on the face's border, and not beyond it.
        t.at = feetBetween(sheet, on, p, q);
        t.looks = looks;
        t.least = p, t.most = q, t.first = std::max(p, from), t.last = std::min(q, to);
        // One that starts on the seam of a face and goes all around it ends there.
        const auto u = [&](double share) { return sheet.foot(on(share * total)).uv.x(); };
        const bool around = sheet.surface->closedU() && std::abs(u(0.01) - u(0.99)) > kJump * (sheet.surface->lastU() - sheet.surface->firstU());
        t.closed = smoothRing && p <= 0 && q >= total && !around;
        Cut c;
        c.sheet = a;
        c.cutter = number;
        c.trace = std::make_shared<CutTrace>(std::move(t));
        LUMSK_TRY(made, fit(net, c));
        if (!made) continue;
        const Vec3 uv = c.section.images[0].at(0.5);
        const bool left = insideLeft(given, sheet.outside(sheet.surface->normal(uv.x(), uv.y())));
        c.frontLeft[0] = left != (sheet.orientation == TopAbs_REVERSED);
        net.cuts.push_back(std::move(c));
        net.sheets[size_t(a)].cuts.push_back(int(net.cuts.size()) - 1);
      }
    }
  }
  return {};
}

std::optional<double> toBorder(const Cut& cut, bool atEnd) {
  const CutTrace& t = *cut.trace;
  if (t.closed) return {};
  const double from = atEnd ? t.last : t.first, to = atEnd ? t.most : t.least;
  if (from == to) return {};
  return lengthAlong(t, from, to, 1e300);
}

Expected<bool> carryOn(Net& net, Cut& cut, bool atEnd, double reachMm) {
  CutTrace& t = *cut.trace;
  if (t.closed) return false;
  double& end = atEnd ? t.last : t.first;
  const double limit = atEnd ? t.most : t.least;
  if (end == limit) return false;
  double stop = end;
  const double length = lengthAlong(t, end, limit, reachMm, &stop);
  if (length < 1e-9) return false;
  if (const double mm = std::min(length, reachMm); mm > cut.extendedMm) cut.extendedMm = mm, cut.extendedFrom = t.at(end).point;
  end = stop;
  LUMSK_TRY(made, fit(net, cut));
  return made;
}

} // namespace lumsk::brep::split

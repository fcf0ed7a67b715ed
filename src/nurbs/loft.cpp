#include "nurbs/loft.h"

#include "nurbs/fit.h"
#include "nurbs/interpolate.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

namespace lumsk::nurbs {

namespace {

constexpr double kMostLeanDeg = 85;
constexpr int kCrossLooks = 32;           ///< places of a strip where an end is tried before it is fitted
constexpr double kOnSkinTolerances = 10;  ///< point tolerances within which a section lies on its neighbour
constexpr double kFirstCrossShare = 30;   ///< of a join's tolerances; then a fifth as much each time
constexpr double kFirstThirdShare = 3000; ///< for ends of third order, whose derivatives hardly count at first
constexpr int kMostCrossTries = 8;
constexpr int kJoinLooks = 53;
constexpr double kCrossShareStep = 0.2;
constexpr double kJoinPart = 0.5;    ///< of what a join may miss: what the fit may use
constexpr double kMostArcTurn = 2.0; ///< rad: arcs that turn more are as long as those
constexpr double kStraightRad = 1e-6;
constexpr double kSpansSeen = 40;      ///< about so many spans a section
constexpr double kSquareToSkin = 1e-3; ///< a way that leans on the neighbour by less has no clear direction in it

/// Length of an arc over a chord that leaves in a direction: chord * theta / sin(theta), theta between both.
double arcOver(const Vec3& chord, const Vec3& direction) {
  const double theta = std::min(angleBetweenRad(chord, direction), kMostArcTurn);
  return chord.norm() * (theta > kStraightRad ? theta / std::sin(theta) : 1.0);
}

class Lofter {
public:
  Lofter(const std::vector<Section>& sections, const LoftOptions& o, const Context& cx)
      : sections_(sections), o_(o), cx_(cx), n_(int(sections.size())) {}

  Expected<LoftResult> run() {
    for (int e : {0, 1}) {
      if (const double pull = end(e).pull; !(pull >= 0.05 && pull <= 10))
        return fail(problem("LM-L006", "the pull is out of range").measure(ratio(pull)).tryThis("take 0.05 to 10"));
      if (const double lean = end(e).angleDeg; !(std::abs(lean) <= kMostLeanDeg))
        return fail(problem("LM-L006", "the skin would lie in its section's plane")
                        .measure(degrees(lean))
                        .want(degrees(kMostLeanDeg))
                        .tryThis("take a smaller angle"));
    }
    for (const Section& s : sections_) {
      static const Path nothing = *line({0, 0, 0}, {1, 0, 0});
      lengths_.emplace_back(s.path() ? *s.path() : nothing);
    }
    LUMSK_TRY(alignment, alignSections(sections_, lengths_, o_.pairs, cx_.tolerances));
    out_.alignment = alignment;
    LUMSK_CHECK(findMirrors());
    for (int e : {0, 1}) LUMSK_CHECK(prepareEnd(e));
    for (int k = 0; k < out_.alignment.strips; ++k) {
      if (cx_.stopped()) return fail(cancelled());
      cx_.report(double(k) / out_.alignment.strips, "fitting sections");
      LUMSK_CHECK(fitStrip(k));
    }
    LUMSK_CHECK(placeSections());
    for (Rows& strip : strips_) LUMSK_CHECK(interpolateAcross(strip));
    return std::move(out_);
  }

private:
  const LoftEndOptions& end(int e) const { return e ? o_.end : o_.start; }
  const Section& endSection(int e) const { return e ? sections_.back() : sections_.front(); }
  /// Derivatives that vary along the section at an end.
  int crossOrder(int e) const {
    switch (end(e).kind) {
    case LoftEnd::Angle:
    case LoftEnd::G1: return 1;
    case LoftEnd::G2: return 2;
    case LoftEnd::G3: return 3;
    default: return 0;
    }
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
      const SideMeets meets = side ? o_.right : o_.left;
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
                          lengths_[size_t(tangents.front().section)].total();
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
    if (meets == SideMeets::G3 && l.bendRate * size * size > kFlatKink)
      return fail(problem("LM-L008", "the curvature of " + who + " has a kink at the mirror plane (dk/ds L²)")
                      .measure(ratio(l.bendRate * size * size))
                      .want(ratio(kFlatKink))
                      .at(t.d[0])
                      .tryThis("set its end to G3, or this side to square"));
    return {};
  }

  // Ends that vary along their section

  /// Checks an end and finds what its directions need.
  Expected<void> prepareEnd(int e) {
    const LoftEnd kind = end(e).kind;
    const Section& s = endSection(e);
    const auto refused = [&](const char* what, const char* remedy) {
      return fail(problem("LM-L012", what).at(s.point() ? *s.point() : s.path()->start()).tryThis(remedy));
    };
    if (s.point() && crossOrder(e) > 0)
      return refused("a point has no direction to lean or to flow into", "let it be pointed, rounded or flat");
    if (!s.point() && kind == LoftEnd::Flat) return refused("only a point can be flat", "take square instead");
    if (crossOrder(e) == 0) return {};
    if (kind == LoftEnd::Angle) {
      LUMSK_TRY(normal, planeNormal(e ? n_ - 1 : 0, e ? n_ - 2 : 1));
      leans_[e].normal = normal;
      findLeans(e);
    }
    for (int k = 0; k < out_.alignment.strips; ++k)
      for (int i = 0; i <= kCrossLooks; ++i) {
        std::array<Vec3, 3> r;
        LUMSK_CHECK(crossAt(e, k, double(i) / kCrossLooks, r));
      }
    return {};
  }

  /// Outwards is where the section's places lie from their middle.
  void findLeans(int e) {
    Lean& lean = leans_[e];
    const Points pts = polyline(*endSection(e).path(), 16);
    const Vec3 middle = pts.colwise().mean().transpose();
    double side = 0;
    for (int k = 0; k < out_.alignment.strips; ++k)
      for (double t : {0.1, 0.3, 0.5, 0.7, 0.9})
        side += tangentOf(e, k, t).cross(lean.normal).dot(placeOf(e ? n_ - 1 : 0, k, t) - middle);
    lean.outwards = side < 0 ? -1.0 : 1.0;
    const double a = radFromDeg(end(e).angleDeg);
    const int strips = out_.alignment.strips;
    // At a corner the curves of both sides run in the line in which their leaning planes meet.
    const auto mitre = [&](const Vec3& o, const Vec3& p) {
      return Vec3(std::cos(a) * lean.normal + std::sin(a) / std::max(1 + o.dot(p), 1e-3) * (o + p));
    };
    for (int k = 0; k < strips; ++k) {
      const bool firstFree = !out_.alignment.closed && k == 0, lastFree = !out_.alignment.closed && k + 1 == strips;
      const Vec3 t0 = tangentOf(e, k, 0), t1 = tangentOf(e, k, 1);
      const Vec3 before = tangentOf(e, (k + strips - 1) % strips, 1), after = tangentOf(e, (k + 1) % strips, 0);
      const auto out = [&](const Vec3& t) { return Vec3(lean.outwards * t.cross(lean.normal)); };
      lean.along.emplace_back(firstFree ? 0.0 : mitre(out(before), out(t0)).dot(t0),
                              lastFree ? 0.0 : mitre(out(t1), out(after)).dot(t1));
    }
  }

  double fractionOf(int section, int k, double t) const {
    return alignedFraction(out_.alignment.sections[size_t(section)], k, t);
  }
  Vec3 placeOf(int section, int k, double t) const {
    const Section& s = sections_[size_t(section)];
    if (s.point()) return *s.point();
    const AlignedSection& a = out_.alignment.sections[size_t(section)];
    return alignedPoint(s, lengths_[size_t(section)], a, inside(fractionOf(section, k, t), a, k));
  }
  Vec3 tangentOf(int e, int k, double t) const {
    constexpr double kInside = 1e-9; // of a strip: corners have two tangents
    const int i = e ? n_ - 1 : 0;
    return alignedTangent(sections_[size_t(i)], lengths_[size_t(i)], out_.alignment.sections[size_t(i)],
                          fractionOf(i, k, std::clamp(t, kInside, 1 - kInside)));
  }

  /// Derivatives, by mm of the way to the neighbouring section, of the skin's curves that leave an end.
  Expected<void> crossAt(int e, int k, double t, std::array<Vec3, 3>& out) const {
    const int i = e ? n_ - 1 : 0, j = e ? n_ - 2 : 1;
    const Vec3 at = placeOf(i, k, t), way = placeOf(j, k, t) - at;
    const double factor = end(e).along ? end(e).along(fractionOf(i, k, t)) : 1.0;
    const auto length = [&](const Vec3& d) { return factor * arcOver(way, d); };
    out.fill(Vec3::Zero());
    if (end(e).kind == LoftEnd::Angle) {
      const Lean& lean = leans_[e];
      const double a = radFromDeg(end(e).angleDeg);
      const Vec3 along = tangentOf(e, k, t);
      const auto& [first, last] = lean.along[size_t(k)];
      const Vec3 d = std::cos(a) * lean.normal + std::sin(a) * lean.outwards * along.cross(lean.normal);
      const Vec3 turned = d + (first + (last - first) * t) * along;
      out[0] = length(turned) * turned;
      return {};
    }
    const auto beside = end(e).neighbour ? end(e).neighbour(at) : std::nullopt;
    const double near = kOnSkinTolerances * cx_.tolerances.point.mm;
    if (!beside || beside->distanceMm > near) {
      Problem p =
          problem("LM-L013", "section " + std::to_string(i + 1) + " does not lie on the skin that it is to flow into")
              .at(at)
              .want(millimetres(near))
              .tryThis("take an edge of that skin, or a curve drawn on it");
      if (beside) p.measure(millimetres(beside->distanceMm));
      return fail(std::move(p));
    }
    const Vec3 flat = way - way.dot(beside->normal) * beside->normal;
    if (flat.norm() < kSquareToSkin * way.norm())
      return fail(problem("LM-L014", "the way to the next section stands square on the skin to flow into")
                      .at(at)
                      .tryThis("move the sections, or leave this end free"));
    const Vec3 d = flat.normalized();
    out = continuing(normalSection(beside->d, beside->normal, d), beside->normal, d, length(d));
    return {};
  }

  /// The same, where it was looked at before: fits ask for the same places again and again.
  const std::array<Vec3, 3>& knownCross(int e, int k, double t) {
    const auto [it, fresh] = known_.try_emplace({e, k, t});
    if (fresh) (void)crossAt(e, k, t, it->second);
    return it->second;
  }

  /// How far strip k is continued before its start and after its end, in lengths of its own.
  std::pair<double, double> continuedBy(int k) const {
    return {k == 0 && sides_[0] ? 1.0 : 0.0, k + 1 == out_.alignment.strips && sides_[1] ? 1.0 : 0.0};
  }

  static Expected<Path> line(const Vec3& a, const Vec3& b) { return Path::make({LineSegment{a, b}}, {1e-9}); }

  /// Common lean fit of one stretch of all sections; kept with one row a section: x, y, z of control point 0, 1, ...
  /// Where the direction in which an end of a strip is left changes most abruptly.
  Vec3 sharpestCross(int k) {
    constexpr int kPlaces = 200;
    Vec3 at = Vec3::Zero();
    double worst = -1;
    for (int e : {0, 1})
      for (int i = 1; i < kPlaces && crossOrder(e) > 0; ++i) {
        const auto first = [&](int j) -> const Vec3& { return knownCross(e, k, double(j) / kPlaces)[0]; };
        const double change = (first(i - 1) - 2 * first(i) + first(i + 1)).norm() / first(i).norm();
        if (change > worst) worst = change, at = placeOf(e ? n_ - 1 : 0, k, double(i) / kPlaces);
      }
    return at;
  }

  struct StripFit {
    LeanFit fit;
    Rows strip;                ///< one row a section
    std::array<Rows, 2> cross; ///< derivatives by mm at both ends
  };

  /// Fitted more closely until ends that flow on or lean do so within their tolerances.
  Expected<void> fitStrip(int k) {
    double share = std::max(crossOrder(0), crossOrder(1)) > 2 ? kFirstThirdShare : kFirstCrossShare;
    for (int tries = 1;; ++tries, share *= kCrossShareStep) {
      LUMSK_TRY(f, fitOnce(k, crossWeights(share)));
      const LoftJoin join = joinOf(k, f);
      if (tries < kMostCrossTries && join.worst(cx_.tolerances) > kJoinPart) continue;
      out_.join.take(join, cx_.tolerances);
      fits_.push_back(std::move(f.fit));
      strips_.push_back(std::move(f.strip));
      cross_.push_back(std::move(f.cross));
      return {};
    }
  }

  Expected<StripFit> fitOnce(int k, const std::array<double, 4>& weight) {
    std::vector<int> paths;
    for (int i = 0; i < n_; ++i)
      if (sections_[i].path()) paths.push_back(i);
    const size_t cross[2] = {size_t(crossOrder(0)), size_t(crossOrder(1))};
    const auto placeWeight = [&](int i) {
      return (i == 0 && cross[0] > 1) || (i == n_ - 1 && cross[1] > 1) ? weight[0] : 1.0;
    };
    CurveFamily family;
    family.curves = int(paths.size() + cross[0] + cross[1]);
    family.closed = out_.alignment.closed && out_.alignment.strips == 1 && !seamCorner();
    const auto [before, after] = continuedBy(k);
    family.sample = [&, before = before, after = after](double x, double* out) {
      double t = x * (1 + before + after) - before;
      const std::optional<Frame>* image = nullptr;
      if (before > 0 && t < 0) t = -t, image = &sides_[0];
      if (after > 0 && t > 1) t = 2 - t, image = &sides_[1];
      for (size_t c = 0; c < paths.size(); ++c) {
        const Vec3 p = placeOf(paths[c], k, t);
        Eigen::Map<Vec3>(out + 3 * c, 3) = placeWeight(paths[c]) * (image ? mirroredPoint(p, **image) : p);
      }
      double* next = out + 3 * paths.size();
      for (int e : {0, 1}) {
        std::array<Vec3, 3> r;
        if (cross[e] > 0) r = knownCross(e, k, t);
        for (size_t q = 0; q < cross[e]; ++q, next += 3) {
          r[q] *= weight[q + 1];
          Eigen::Map<Vec3>(next, 3) = image ? Vec3(r[q] - 2 * r[q].dot((*image)->normal()) * (*image)->normal()) : r[q];
        }
      }
    };
    LeanOptions lean;
    lean.fit = cx_.tolerances.fit;
    lean.degree = 3;
    for (int i : paths) lean.degree = std::clamp(sections_[i].path()->degree(), lean.degree, 5);
    if (before + after > 0) lean.degree = 5; // the third derivative must flow through the plane
    auto fitted = fitLean(family, lean);
    if (!fitted && cross[0] + cross[1] > 0 && fitted.error().code == "LM-G101") {
      Problem p = fitted.error();
      p.code = "LM-L015";
      p.what = "an end cannot lean or flow on where its section's bending jumps";
      p.at(sharpestCross(k));
      return fail(std::move(p.tryThis("refit that section so that it bends evenly, or take square or free")));
    }
    if (!fitted) return fail(fitted.error());
    StripFit made{std::move(*fitted), {}, {}};
    const LeanFit& fit = made.fit;
    out_.sectionDeviationMm = std::max(out_.sectionDeviationMm, fit.deviationMm);
    const Eigen::Index controls = fit.controls.rows();
    made.strip = Rows(n_, 3 * controls);
    for (int i = 0, c = 0; i < n_; ++i) {
      const Vec3* point = sections_[i].point();
      for (Eigen::Index j = 0; j < controls; ++j) {
        if (point)
          made.strip.row(i).segment<3>(3 * j) = point->transpose();
        else
          made.strip.row(i).segment<3>(3 * j) = fit.controls.row(j).segment<3>(3 * c) / placeWeight(i);
      }
      c += point ? 0 : 1;
    }
    for (size_t e = 0, c = paths.size(); e < 2; ++e) {
      made.cross[e] = Rows(Eigen::Index(cross[e]), 3 * controls);
      for (size_t q = 0; q < cross[e]; ++q, ++c)
        for (Eigen::Index j = 0; j < controls; ++j)
          made.cross[e].row(Eigen::Index(q)).segment<3>(3 * j) =
              fit.controls.row(j).segment<3>(Eigen::Index(3 * c)) / weight[q + 1];
    }
    return made;
  }

  /// How a fitted strip meets what its ends are to flow into or to lean by, at places between the samples.
  LoftJoin joinOf(int k, const StripFit& f) const {
    LoftJoin worst;
    const auto [before, after] = continuedBy(k);
    for (int e : {0, 1}) {
      if (crossOrder(e) == 0) continue;
      const auto spline = [&](const Rows& rows, Eigen::Index row) {
        Points p(rows.cols() / 3, 3);
        for (Eigen::Index j = 0; j < p.rows(); ++j) p.row(j) = rows.row(row).segment<3>(3 * j);
        return Spline::trusted(f.fit.degree, f.fit.knots, std::move(p), f.fit.closed);
      };
      std::vector<Spline> across{spline(f.strip, e ? n_ - 1 : 0)};
      for (Eigen::Index q = 0; q < f.cross[size_t(e)].rows(); ++q) across.push_back(spline(f.cross[size_t(e)], q));
      for (int i = 0; i < kJoinLooks; ++i) {
        const double t = (i + 0.41) / kJoinLooks;
        SurfaceDerivatives d;
        for (int q = 0; q <= 3; ++q)
          for (int l = 0; l + q <= 3; ++l) d(l, q) = Vec3::Zero();
        for (size_t q = 0; q < across.size(); ++q) {
          CurveDerivatives c;
          across[q].derivatives((t + before) / (1 + before + after), int(3 - q), c);
          for (size_t l = 0; l + q <= 3; ++l) d(int(l), int(q)) = c[l];
        }
        worst.take(joinAt(e, k, t, d), cx_.tolerances);
      }
    }
    return worst;
  }
  LoftJoin joinAt(int e, int k, double t, const SurfaceDerivatives& d) const {
    const Vec3 n = d(1, 0).cross(d(0, 1)).normalized();
    LoftJoin out;
    out.at = d(0, 0);
    if (end(e).kind == LoftEnd::Angle) {
      std::array<Vec3, 3> r;
      (void)crossAt(e, k, t, r);
      out.angleDeg = degFromRad(angleBetweenRad(n, tangentOf(e, k, t).cross(r[0])));
      return out;
    }
    const auto beside = end(e).neighbour(d(0, 0));
    if (!beside) return out;
    const Vec3 m = beside->normal.dot(n) < 0 ? Vec3(-beside->normal) : beside->normal;
    const Vec3 across = n.cross(d(1, 0)).normalized(), flat = (across - across.dot(m) * m).normalized();
    const NormalSection a = normalSection(d, n, across), b = normalSection(beside->d, m, flat);
    out.angleDeg = degFromRad(angleBetweenRad(n, m));
    const auto apart = [](double x, double y, double least) {
      return std::abs(x - y) / std::max({std::abs(x), std::abs(y), least});
    };
    if (crossOrder(e) > 1) out.curvature = apart(a.curvature, b.curvature, flat_);
    if (crossOrder(e) > 2) out.rate = apart(a.rate, b.rate, flat_ * flat_);
    return out;
  }

  /// What errors of places at ends that flow on, and of derivatives across them, count beside errors of places when
  /// they may use a share of the tolerances of a join. Errors of one order change along the section from span to span,
  /// which the next order sees as twist.
  std::array<double, 4> crossWeights(double share) {
    const int order = std::max(crossOrder(0), crossOrder(1));
    if (order == 0) return {1, 1, 1, 1};
    Vec3 low = Vec3::Constant(1e300), high = -low;
    double way = 1e300;
    for (int e : {0, 1})
      for (int k = 0; k < out_.alignment.strips; ++k)
        for (double t : {0.0, 0.25, 0.5, 0.75, 1.0}) {
          const Vec3 at = placeOf(e ? n_ - 1 : 0, k, t), next = placeOf(e ? n_ - 2 : 1, k, t);
          low = low.cwiseMin(at), high = high.cwiseMax(at);
          if (crossOrder(e) > 0) way = std::min(way, (next - at).norm());
        }
    const double fit = cx_.tolerances.fit.mm, size = (high - low).norm(), span = size / kSpansSeen;
    flat_ = 1 / (10 * size);
    const double bend = share * cx_.tolerances.curvature.relative * flat_, rate = bend * flat_;
    const double angle = share * radFromDeg(cx_.tolerances.angle.deg);
    const double first = (order > 1 ? std::min(angle, bend * span) : angle) * way;
    const double second = (order > 2 ? std::min(bend, rate * span) : bend) * way * way;
    const double third = rate * way * way * way;
    const double place = order > 1 ? std::min(fit, bend * span * span) : fit;
    return {fit / place, fit / first, fit / second, fit / third};
  }

  bool seamCorner() const {
    for (int i = 0; i < n_; ++i)
      if (sections_[i].path() && !sections_[i].path()->corners(cx_.tolerances.corner).empty()) return true;
    return false;
  }

  /// Closed sections: the end of the last stretch is the start of the first, but reached from inside.
  static double inside(double f, const AlignedSection& a, int k) {
    return k + 2 == int(a.breaks.size()) && f >= 1.0 && f < 1.0 + 1e-9 ? 1.0 - 1e-15 : f;
  }

  /// Parameters across from mean distances of neighbouring control rows, the same for all strips.
  Expected<void> placeSections() {
    std::vector<double>& v = out_.parameters;
    v.assign(1, 0.0);
    for (int i = 1; i < n_; ++i) {
      double sum = 0.0, count = 0.0, largest = 0.0;
      for (const Rows& s : strips_)
        for (Eigen::Index j = 0; j < s.cols() / 3; ++j, ++count) {
          const double d = (s.row(i).segment<3>(3 * j) - s.row(i - 1).segment<3>(3 * j)).norm();
          sum += d;
          largest = std::max(largest, d);
        }
      if (largest <= cx_.tolerances.point.mm)
        return fail(problem("LM-L004", "sections " + std::to_string(i) + " and " + std::to_string(i + 1) + " coincide")
                        .measure(millimetres(largest))
                        .at(strips_[0].row(i).segment<3>(0).transpose())
                        .tryThis("move one of them or take it out"));
      v.push_back(v.back() + sum / count);
    }
    const double whole = v.back();
    for (double& x : v) x /= whole;
    return {};
  }

  Expected<Vec3> planeNormal(int i, int neighbour) const {
    const Path& p = *sections_[i].path();
    const Points pts = polyline(p, 16);
    const PlaneOfPoints plane = fitPlane(pts);
    if (!plane.unique || plane.deviationMm > 10 * cx_.tolerances.point.mm)
      return fail(problem("LM-L005", "the skin can only be square to a planar section")
                      .measure(millimetres(plane.deviationMm))
                      .want(millimetres(10 * cx_.tolerances.point.mm))
                      .at(p.start())
                      .tryThis("take a planar section or leave this end free"));
    const Vec3 there = sections_[neighbour].point()
                           ? *sections_[neighbour].point()
                           : Vec3(polyline(*sections_[neighbour].path(), 16).colwise().mean().transpose());
    const Vec3 n = plane.frame.normal();
    return Vec3(n.dot(there - plane.frame.origin) < 0 ? -n : n);
  }

  /// Derivative rows of strip k at an end; none when it is free. `e` 0: first, 1: last.
  Expected<Rows> endRows(size_t k, int e) {
    const Rows& strip = strips_[k];
    const LoftEnd kind = end(e).kind;
    const double pull = end(e).pull;
    const int i = e ? n_ - 1 : 0, j = e ? n_ - 2 : 1;
    const double dv = std::abs(out_.parameters[j] - out_.parameters[i]);
    const double sign = e ? -1.0 : 1.0;
    if (crossOrder(e) > 0) {
      Rows rows = cross_[k][size_t(e)];
      double scale = 1.0;
      for (Eigen::Index q = 0; q < rows.rows(); ++q) rows.row(q) *= scale *= sign * pull / dv;
      return rows;
    }
    if (kind != LoftEnd::Perpendicular && kind != LoftEnd::Flat) return Rows(0, strip.cols());
    Rows row = Rows::Zero(kind == LoftEnd::Flat ? 2 : 1, strip.cols());
    if (sections_[i].point()) {
      LUMSK_TRY(normal, planeNormal(j, i));
      // D = s (Q - P) in the tangent plane: linear in Q, so it is exact on the same knots, and all normals agree.
      double arcs = 0.0, reach = 0.0;
      for (const Rows& s : strips_) arcSums(s, i, j, normal, true, arcs, reach);
      const double scale = sign * pull * arcs / reach / dv;
      for (Eigen::Index c = 0; c < strip.cols() / 3; ++c) {
        const Vec3 d = (strip.row(j) - strip.row(i)).segment<3>(3 * c).transpose();
        row.row(0).segment<3>(3 * c) = (scale * (d - d.dot(normal) * normal)).transpose();
      }
      return row;
    }
    LUMSK_TRY(normal, planeNormal(i, j));
    double arcs = 0.0, number = 0.0;
    for (const Rows& s : strips_) arcSums(s, i, j, normal, false, arcs, number);
    for (Eigen::Index c = 0; c < strip.cols() / 3; ++c)
      row.row(0).segment<3>(3 * c) = (sign * pull * arcs / number / dv * normal).transpose();
    return row;
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

  /// Rows with their mirror images before a first and after a last section that is G3.
  struct Continued {
    std::vector<double> at;
    Rows rows;
  };
  Continued continued(const Rows& strip) const {
    Continued out;
    const auto add = [&](int i, double at, const std::optional<Frame>& image) {
      out.at.push_back(at);
      out.rows.conservativeResize(Eigen::Index(out.at.size()), strip.cols());
      auto row = out.rows.row(out.rows.rows() - 1);
      row = strip.row(i);
      for (Eigen::Index c = 0; image && c < strip.cols() / 3; ++c)
        row.segment<3>(3 * c) = mirroredPoint(row.segment<3>(3 * c).transpose(), *image).transpose();
    };
    const auto& v = out_.parameters;
    for (int i = n_ - 1; ends_[0] && i > 0; --i) add(i, -v[size_t(i)], ends_[0]);
    for (int i = 0; i < n_; ++i) add(i, v[size_t(i)], {});
    for (int i = n_ - 2; ends_[1] && i >= 0; --i) add(i, 2 - v[size_t(i)], ends_[1]);
    return out;
  }
  /// Derivative rows at the far end of what was continued.
  static Rows image(Rows rows, const Frame& f) {
    double sign = 1.0;
    for (Eigen::Index q = 0; q < rows.rows(); ++q) {
      sign = -sign;
      for (Eigen::Index c = 0; c < rows.cols() / 3; ++c) {
        const Vec3 d = rows.row(q).segment<3>(3 * c).transpose();
        rows.row(q).segment<3>(3 * c) = (sign * (d - 2 * d.dot(f.normal()) * f.normal())).transpose();
      }
    }
    return rows;
  }

  Expected<void> interpolateAcross(const Rows& strip) {
    const size_t k = out_.strips.size();
    LUMSK_TRY(start, endRows(k, 0));
    LUMSK_TRY(finish, endRows(k, 1));
    const Continued c = continued(strip);
    const Rows first = ends_[0] ? image(finish, *ends_[0]) : start, last = ends_[1] ? image(start, *ends_[1]) : finish;
    // Conditions of second and third order need a degree in which they do not reach far.
    const int most = int(std::max(first.rows(), last.rows()));
    int wanted = std::max(o_.degree, most > 1 ? 2 * most + 1 : 1);
    if (ends_[0] || ends_[1]) wanted = std::max(wanted, 5);
    const int p = std::min<int>(wanted, int(c.at.size()) - 1 + int(first.rows() + last.rows()));
    out_.degree = p;
    LUMSK_TRY(across, interpolateRows(c.at, c.rows, p, first, last));
    const Eigen::Index nu = strip.cols() / 3, nv = across.controls.rows();
    Points grid(nu * nv, 3);
    for (Eigen::Index i = 0; i < nu; ++i)
      for (Eigen::Index j = 0; j < nv; ++j) grid.row(i * nv + j) = across.controls.row(j).segment<3>(3 * i);
    Surface s = Surface::trusted(fits_[k].degree, p, fits_[k].knots, across.knots, std::move(grid), fits_[k].closed);
    out_.strips.push_back(ownPart(std::move(s), int(k)));
    return {};
  }

  /// Cuts off what was continued and removes what rounding and fitting left over at the planes.
  Surface ownPart(Surface s, int k) const {
    const auto [before, after] = continuedBy(k);
    if (before + after == 0 && !ends_[0] && !ends_[1]) return s;
    const double whole = 1 + before + after;
    s = portion(s, before / whole, (1 + before) / whole, 0, 1);
    const auto meet = [&](Side side, const std::optional<Frame>& plane, SideMeets meets) {
      if (plane)
        s = meetingPlane(s, side, plane->origin, plane->normal(), meets,
                         side == FirstV || side == LastV ? out_.parameters : std::vector<double>{}, EndShape::Local);
    };
    meet(FirstV, ends_[0], SideMeets::G3);
    meet(LastV, ends_[1], SideMeets::G3);
    if (before > 0) meet(FirstU, sides_[0], o_.left);
    if (after > 0) meet(LastU, sides_[1], o_.right);
    return s;
  }

  const std::vector<Section>& sections_;
  const LoftOptions& o_;
  const Context& cx_;
  int n_;
  std::vector<ArcLength> lengths_;
  std::vector<LeanFit> fits_;
  std::vector<Rows> strips_;
  std::vector<std::array<Rows, 2>> cross_; ///< of every strip and end: derivatives by mm, as `crossAt` has them
  /// Of an end that leans: its section's plane, and how far the curves turn along the section at ends of strips.
  struct Lean {
    Vec3 normal = Vec3::UnitZ();
    double outwards = 1.0;
    std::vector<std::pair<double, double>> along;
  };
  std::array<Lean, 2> leans_;
  std::map<std::tuple<int, int, double>, std::array<Vec3, 3>> known_;
  double flat_ = 1e-3;                               ///< 1/mm: curvatures are compared with this floor
  std::array<std::optional<Frame>, 2> ends_, sides_; ///< mirror planes
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

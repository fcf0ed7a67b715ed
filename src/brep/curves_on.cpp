#include "brep/curves_on.h"

#include "brep/face_spline.h"
#include "brep/guard.h"
#include "brep/skin.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/curves/curve_ends.h"
#include "nurbs/fit/fit.h"
#include "nurbs/measure/surface_measure.h"
#include "nurbs/fit/traced.h"

#include <Eigen/LU>
#include <algorithm>

namespace lumsk::brep {

namespace {

constexpr double kEdgeOnDeg = 0.02; ///< faces are seen edge-on all over
constexpr int kStandsPlaces = 17;   ///< each way that are looked at
constexpr double kSilhouetteTouch = 1e-7; ///< sine of the angle that counts as nought
constexpr double kSquareSine = 1e-3;      ///< a direction that leans on a skin by less has no clear way in it
constexpr double kSameBend = 0.05;        ///< relative difference of curvatures that are one in a found curve
constexpr double kFlatPerMm = 1e-5;       ///< curvature that is none
constexpr double kJoinedFit = 0.3;        ///< of the fit tolerance: what joining pieces may add to it
constexpr double kJoinTolerances = 3;     ///< pieces of neighbouring faces meet within so many point tolerances

/// Along a seam, or an edge that lies in the curve, both sides find it: one is kept.
void dropTwins(std::vector<nurbs::Path>& pieces, double mm) {
  const auto liesOn = [&](const nurbs::Path& a, const nurbs::Path& b) {
    for (double f : {0.5, 0.0, 1.0, 0.23, 0.71})
      if (nurbs::closestPoint(b, a.at(f * a.last())).distanceMm > mm) return false;
    return true;
  };
  std::vector<nurbs::Path> kept;
  for (nurbs::Path& p : pieces)
    if (std::none_of(kept.begin(), kept.end(), [&](const nurbs::Path& k) { return liesOn(p, k) && liesOn(k, p); }))
      kept.push_back(std::move(p));
  pieces = std::move(kept);
}

/// Whether a curve that was found in pieces bends alike on both sides of all its joints.
bool flows(const nurbs::Path& p, const Context& cx) {
  if (!p.corners(cx.tolerances.corner).empty()) return false;
  const int n = int(p.segments().size());
  for (int i = p.closed() ? 0 : 1; i < n; ++i) {
    nurbs::CurveDerivatives before, after;
    p.derivatives(std::nextafter(i == 0 ? p.last() : double(i), 0.0), 2, before);
    p.derivatives(double(i), 2, after);
    const auto a = nurbs::blendEnd(before, false), b = nurbs::blendEnd(after, false);
    if (!a || !b) return false;
    const double most = std::max(a->second.norm(), b->second.norm());
    if ((a->second - b->second).norm() > kSameBend * most + kFlatPerMm) return false;
  }
  return true;
}

/// Such a curve as one spline without joints, for the pieces' own errors make small kinks there; else as it is.
nurbs::Path withoutJoints(nurbs::Path p, double& deviationMm, const Context& cx) {
  if (p.segments().size() < 2 || !flows(p, cx)) return p;
  nurbs::LeanOptions o;
  o.fit = {kJoinedFit * cx.tolerances.fit.mm};
  const auto one = nurbs::fitPath(p, o);
  if (!one) return p;
  auto path = nurbs::Path::make({*one}, cx.tolerances.point);
  if (!path) return p;
  deviationMm += o.fit.mm; // at most
  return std::move(*path);
}

} // namespace

struct BodyFaces::Face {
  explicit Face(FaceSpline s) : spline(std::move(s)), surface(spline.surface()) {
    if (surface) box = nurbs::enclosingBox(*surface);
  }
  FaceSpline spline;
  std::shared_ptr<const nurbs::Surface> surface;
  nurbs::Extent box;

  bool inside(const Vec2& uv) const { return spline.inside(uv); }
  bool near(const nurbs::Extent& o, double mm) const {
    return ((box.low.array() - mm) <= o.high.array()).all() && ((o.low.array() - mm) <= box.high.array()).all();
  }
  /// Made when first asked for: not all curves need it.
  const std::shared_ptr<const nurbs::NearestOnSurface>& feet() const {
    if (!feet_) feet_ = std::make_shared<const nurbs::NearestOnSurface>(*surface);
    return feet_;
  }
  /// Nothing where the foot is beyond the border.
  std::optional<PlaceOnBody> place(const Vec3& p, int index) const {
    const auto f = feet()->foot(p);
    if (!inside(f.uv)) return {};
    return PlaceOnBody{index, f.uv, f.point, spline.reversed() ? Vec3(-f.normal) : f.normal, f.distanceMm};
  }

private:
  mutable std::shared_ptr<const nurbs::NearestOnSurface> feet_;
};

BodyFaces::BodyFaces() = default;
BodyFaces::BodyFaces(BodyFaces&&) noexcept = default;
BodyFaces::~BodyFaces() = default;

Expected<BodyFaces> BodyFaces::of(const Body& b, int only, const Context& cx) {
  return guarded("reading faces", [&]() -> Expected<BodyFaces> {
    BodyFaces out;
    const auto all = brep::faces(b);
    for (int i = 0; i < int(all.size()); ++i) {
      if (only >= 0 && i != only) continue;
      if (cx.stopped()) return fail(cancelled());
      const auto natural = b.natural.find(b.faceNames[size_t(i)]);
      LUMSK_TRY(spline, FaceSpline::of(all[size_t(i)], natural == b.natural.end() ? nullptr : &natural->second, cx));
      auto f = std::make_unique<Face>(std::move(spline));
      out.faces_.push_back(std::move(f));
    }
    return out;
  });
}

std::optional<PlaceOnBody> BodyFaces::nearest(const Vec3& p) const {
  std::optional<PlaceOnBody> best;
  for (size_t i = 0; i < faces_.size(); ++i) {
    const Face& f = *faces_[i];
    const Vec3 off = (f.box.low - p).cwiseMax(p - f.box.high).cwiseMax(0.0);
    if (best && off.norm() > best->distanceMm) continue;
    if (auto q = f.place(p, int(i)); q && (!best || q->distanceMm < best->distanceMm)) best = q;
  }
  return best;
}

double BodyFaces::farthest(const nurbs::Path& path, bool carriedOn) const {
  const Points places = nurbs::polyline(path, 4);
  double most = 0;
  for (Eigen::Index i = 0; i < places.rows(); ++i) {
    const Vec3 p = places.row(i).transpose();
    if (carriedOn) {
      const auto at = beside(p);
      most = std::max(most, at ? at->distanceMm : 1e300);
    } else {
      const auto at = nearest(p);
      most = std::max(most, at ? at->distanceMm : 1e300);
    }
  }
  return most;
}

nurbs::NormalSection BodyFaces::normalSection(const PlaceOnBody& at, const Vec3& direction) const {
  nurbs::SurfaceDerivatives d;
  faces_[size_t(at.face)]->surface->derivatives(at.uv.x(), at.uv.y(), 3, d);
  return nurbs::normalSection(d, at.normal, direction);
}

Vec3 BodyFaces::placeAt(const Vec2& fractions) const {
  const nurbs::Surface& s = *faces_.front()->surface;
  return s.at(s.firstU() + fractions.x() * (s.lastU() - s.firstU()), s.firstV() + fractions.y() * (s.lastV() - s.firstV()));
}

Vec2 BodyFaces::fractionsAt(const Vec3& p) const {
  const nurbs::Surface& s = *faces_.front()->surface;
  const Vec2 uv = faces_.front()->feet()->foot(p).uv;
  return {(uv.x() - s.firstU()) / (s.lastU() - s.firstU()), (uv.y() - s.firstV()) / (s.lastV() - s.firstV())};
}

std::optional<nurbs::NeighbourPlace> BodyFaces::beside(const Vec3& p) const {
  std::optional<nurbs::NeighbourPlace> best;
  for (const auto& f : faces_) {
    const auto foot = f->feet()->foot(p);
    if (best && foot.distanceMm >= best->distanceMm) continue;
    if (foot.normal.norm() < 0.5) continue;
    best.emplace();
    f->surface->derivatives(foot.uv.x(), foot.uv.y(), 3, best->d);
    best->normal = f->spline.reversed() ? Vec3(-foot.normal) : foot.normal;
    best->distanceMm = foot.distanceMm;
    best->cell = (f->surface->cellAt(foot.uv.x(), foot.uv.y()) << 8) + size_t(&f - faces_.data());
    best->smooth = f->surface->smoothness();
  }
  return best;
}

std::optional<nurbs::BlendEnd> BodyFaces::endWithin(const PlaceOnBody& at, const Vec3& direction) const {
  const Vec3 flat = direction - direction.dot(at.normal) * at.normal;
  if (flat.norm() < kSquareSine * direction.norm()) return {};
  nurbs::BlendEnd e;
  e.at = at.point;
  e.tangent = flat.normalized();
  const nurbs::NormalSection section = normalSection(at, e.tangent);
  e.second = section.curvature * at.normal;
  e.third = section.rate * at.normal - section.curvature * section.curvature * e.tangent;
  return e;
}

bool BodyFaces::leftOf(const nurbs::Path& path, const nurbs::Path& of) const {
  const Vec3 p = path.at(0.5 * path.last());
  const auto foot = nurbs::closestPoint(of, p);
  nurbs::CurveDerivatives d;
  of.derivatives(std::min(foot.t, std::nextafter(of.last(), 0.0)), 1, d);
  const auto at = nearest(foot.point);
  return at && at->normal.cross(d[1]).dot(p - foot.point) > 0;
}

FoundCurves BodyFaces::whole(std::vector<nurbs::CurvesOnSurface> pieces, const Context& cx) const {
  FoundCurves out;
  std::vector<nurbs::Path> all;
  for (auto& p : pieces) {
    for (auto& c : p.curves) {
      all.push_back(std::move(c.path));
      out.deviationMm = std::max(out.deviationMm, c.deviationMm);
      out.contact = out.contact || c.contact;
    }
    out.touches.insert(out.touches.end(), p.touches.begin(), p.touches.end());
  }
  dropTwins(all, kJoinTolerances * cx.tolerances.point.mm);
  out.curves = nurbs::assembled(all, kJoinTolerances * cx.tolerances.point.mm, cx.tolerances);
  const double pieceMm = out.deviationMm;
  for (nurbs::Path& p : out.curves) {
    double mm = pieceMm;
    p = withoutJoints(std::move(p), mm, cx);
    out.deviationMm = std::max(out.deviationMm, mm);
  }
  std::sort(out.curves.begin(), out.curves.end(), [](const nurbs::Path& a, const nurbs::Path& b) {
    return nurbs::ArcLength(a).total() > nurbs::ArcLength(b).total();
  });
  return out;
}

Expected<FoundCurves> BodyFaces::zeros(const std::function<nurbs::Field(const Face&)>& field, double touch,
                                       const Context& cx) const {
  std::vector<nurbs::CurvesOnSurface> pieces;
  for (const auto& f : faces_) {
    const nurbs::Field g = field(*f);
    LUMSK_TRY(p, nurbs::zeroCurves(
                     *f->surface, g, touch, [&](const Vec2& uv) { return f->inside(uv); }, cx));
    pieces.push_back(std::move(p));
  }
  return whole(std::move(pieces), cx);
}

Expected<FoundCurves> BodyFaces::meeting(const BodyFaces& other, const Context& cx) const {
  std::vector<nurbs::CurvesOnSurface> pieces;
  for (const auto& a : faces_)
    for (const auto& b : other.faces_) {
      if (a->spline.shape().IsSame(b->spline.shape()) || !a->near(b->box, cx.tolerances.fit.mm)) continue;
      const nurbs::Field field = nurbs::surfaceField(*a->surface, b->feet());
      const auto inside = [&](const Vec2& uv) {
        if (!a->inside(uv)) return false;
        const auto foot = b->feet()->foot(a->surface->at(uv.x(), uv.y()));
        return !foot.beyond && b->inside(foot.uv);
      };
      LUMSK_TRY(p, nurbs::zeroCurves(*a->surface, field, cx.tolerances.fit.mm, inside, cx));
      pieces.push_back(std::move(p));
    }
  return whole(std::move(pieces), cx);
}

Expected<FoundCurves> BodyFaces::cutBy(const Frame& plane, const Context& cx) const {
  return zeros([&](const Face& f) { return nurbs::planeField(*f.surface, plane); }, cx.tolerances.fit.mm, cx);
}

Expected<FoundCurves> BodyFaces::silhouette(const Vec3& direction, const Context& cx) const {
  std::vector<nurbs::CurvesOnSurface> pieces;
  const double edgeOn = std::sin(radFromDeg(kEdgeOnDeg));
  for (const auto& f : faces_) {
    const nurbs::Surface& s = *f->surface;
    // A wall that stands along the direction turns nowhere.
    bool stands = true;
    for (int i = 0; i < kStandsPlaces * kStandsPlaces && stands; ++i) {
      const auto at = [&](int k, double from, double to) { return from + (to - from) * (k + 0.5) / kStandsPlaces; };
      stands = std::abs(s.normal(at(i % kStandsPlaces, s.firstU(), s.lastU()), at(i / kStandsPlaces, s.firstV(), s.lastV())).dot(direction.normalized())) < edgeOn;
    }
    if (stands) continue;
    LUMSK_TRY(p, nurbs::zeroCurves(s, nurbs::silhouetteField(s, direction), kSilhouetteTouch, [&](const Vec2& uv) { return f->inside(uv); }, cx));
    pieces.push_back(std::move(p));
  }
  return whole(std::move(pieces), cx);
}

Expected<FoundCurves> BodyFaces::apartFrom(const nurbs::Path& path, double mm, const Context& cx) const {
  const auto p = std::make_shared<const nurbs::Path>(path);
  return zeros([&](const Face& f) { return nurbs::distanceField(*f.surface, p, mm); }, cx.tolerances.fit.mm, cx);
}

Expected<FoundCurves> BodyFaces::projected(const nurbs::Path& path, const Vec3& direction, bool nearestOnly,
                                           const Context& cx) const {
  const Vec3 d = direction.normalized();
  // Far enough both ways to pass all of the body.
  double low = 1e300, high = -1e300;
  for (const auto& f : faces_)
    for (int k = 0; k < 8; ++k) {
      const Vec3 c(k & 1 ? f->box.high.x() : f->box.low.x(), k & 2 ? f->box.high.y() : f->box.low.y(),
                   k & 4 ? f->box.high.z() : f->box.low.z());
      low = std::min(low, c.dot(d)), high = std::max(high, c.dot(d));
    }
  double first = 1e300, last = -1e300;
  const Points pts = nurbs::polyline(path, 16);
  for (Eigen::Index i = 0; i < pts.rows(); ++i) {
    const double h = pts.row(i).dot(d.transpose());
    first = std::min(first, h), last = std::max(last, h);
  }
  const double from = low - last - 1, to = high - first + 1;
  std::vector<nurbs::CurvesOnSurface> pieces;
  for (const nurbs::Segment& s : path.segments()) {
    LUMSK_TRY(c, nurbs::asSpline(s, cx, true));
    const nurbs::Surface curtain = nurbs::extrudedSurface(c, from * d, to * d);
    const nurbs::Extent box = nurbs::enclosingBox(curtain);
    for (const auto& f : faces_) {
      if (!f->near(box, cx.tolerances.fit.mm)) continue;
      const nurbs::Field field = nurbs::surfaceField(curtain, f->feet());
      const auto inside = [&](const Vec2& uv) {
        const auto foot = f->feet()->foot(curtain.at(uv.x(), uv.y()));
        return !foot.beyond && f->inside(foot.uv);
      };
      LUMSK_TRY(p, nurbs::zeroCurves(curtain, field, cx.tolerances.fit.mm, inside, cx));
      pieces.push_back(std::move(p));
    }
  }
  FoundCurves out = whole(std::move(pieces), cx);
  if (!nearestOnly || out.curves.size() < 2) return out;
  // Of images that lie behind one another, seen along the direction, the one that is met first counts.
  const auto away = [&](const Vec3& image) { // from the path
    double best = 1e300, at = 0;
    for (Eigen::Index i = 0; i < pts.rows(); ++i) {
      const Vec3 r = image - pts.row(i).transpose();
      const double side = (r - r.dot(d) * d).norm();
      if (side < best) best = side, at = std::abs(r.dot(d));
    }
    return at;
  };
  constexpr int kLooks = 96;
  std::vector<char> hidden(out.curves.size(), 0);
  for (size_t k = 0; k < hidden.size(); ++k)
    for (double share : {0.25, 0.5, 0.75}) {
      const Vec3 m = out.curves[k].at(share * out.curves[k].last());
      for (size_t o = 0; o < hidden.size(); ++o) {
        if (o == k) continue;
        Vec3 before = out.curves[o].start();
        for (int i = 1; i <= kLooks; ++i) {
          const Vec3 p = out.curves[o].at(out.curves[o].last() * i / kLooks), r = p - m;
          const bool same = (r - r.dot(d) * d).norm() <= (p - before).norm();
          hidden[k] = hidden[k] || (same && away(p) < away(m) - cx.tolerances.point.mm - (p - before).norm());
          before = p;
        }
      }
    }
  size_t number = 0;
  out.curves.erase(std::remove_if(out.curves.begin(), out.curves.end(), [&](const nurbs::Path&) { return hidden[number++] != 0; }), out.curves.end());
  return out;
}

Expected<FoundCurves> BodyFaces::pulledOnto(const nurbs::Path& path, const Context& cx) const {
  const nurbs::ArcLength length(path);
  const auto placeAt = [&](double s) { return nearest(path.at(std::min(length.parameterAt(s), path.last()))); };
  const auto faceAt = [&](double s) {
    const auto p = placeAt(s);
    return p ? p->face : -1;
  };
  // Stretches whose nearest places lie on one face.
  const int n = std::max(64, 8 * int(path.segments().size()));
  struct Stretch {
    int face;
    double from, to;
  };
  std::vector<Stretch> stretches;
  int before = faceAt(0);
  double start = 0;
  for (int i = 1; i <= n; ++i) {
    if (cx.stopped()) return fail(cancelled());
    const double s = length.total() * i / n;
    const int now = faceAt(s);
    if (now == before) continue;
    double a = length.total() * (i - 1) / n, b = s;
    for (int it = 0; it < 45; ++it) {
      const double m = 0.5 * (a + b);
      (faceAt(m) == before ? a : b) = m;
    }
    if (before >= 0) stretches.push_back({before, start, a});
    before = now, start = b;
  }
  if (before >= 0) stretches.push_back({before, start, length.total()});
  std::vector<nurbs::CurvesOnSurface> pieces(1);
  for (const Stretch& x : stretches) {
    const Face& f = *faces_[size_t(x.face)];
    nurbs::PointFunction p;
    p.at = [&](double s) { return f.feet()->foot(path.at(std::min(length.parameterAt(s), path.last()))).point; };
    p.stops = {x.from};
    for (size_t i = 1; i < path.segments().size(); ++i)
      if (const double s = length.lengthAt(double(i)); s > x.from + 1e-6 && s < x.to - 1e-6)
        p.stops.push_back(s), p.kinked.push_back(1);
    p.stops.push_back(x.to);
    p.closed = path.closed() && stretches.size() == 1 && x.from <= 0 && x.to >= length.total() &&
               path.corners(cx.tolerances.corner).empty();
    if (x.to - x.from < cx.tolerances.point.mm ||
        (p.at(x.from) - p.at(0.5 * (x.from + x.to))).norm() < cx.tolerances.point.mm)
      continue;
    LUMSK_TRY(fit, nurbs::fitTraced(p, cx.tolerances.fit));
    LUMSK_TRY(made, nurbs::Path::make({fit.curve}, cx.tolerances.point));
    pieces[0].curves.push_back({std::move(made), fit.deviationMm, false});
  }
  return whole(std::move(pieces), cx);
}

Expected<FoundCurves> BodyFaces::isoparametric(const Vec3& near, bool alongU, const Context& cx) const {
  const auto at = nearest(near);
  return at ? isoparametric(*faces_[size_t(at->face)], at->uv, alongU, cx) : FoundCurves{};
}

Expected<FoundCurves> BodyFaces::isoparametricAt(double fraction, bool alongU, const Context& cx) const {
  const Face& f = *faces_.front();
  const nurbs::Surface& s = *f.surface;
  return isoparametric(
      f, {s.firstU() + fraction * (s.lastU() - s.firstU()), s.firstV() + fraction * (s.lastV() - s.firstV())}, alongU,
      cx);
}

Expected<FoundCurves> BodyFaces::isoparametric(const Face& f, const Vec2& through, bool alongU,
                                               const Context& cx) const {
  FoundCurves out;
  const nurbs::Spline line = alongU ? f.surface->isoV(through.y()) : f.surface->isoU(through.x());
  const auto uv = [&](double t) { return alongU ? Vec2(t, through.y()) : Vec2(through.x(), t); };
  const auto holds = [&](double t) { return f.inside(uv(t)); };
  for (const auto& [a, b] : nurbs::stretchesWhere(line.first(), line.last(), 200, holds)) {
    LUMSK_TRY(whole, nurbs::Path::make({line}, cx.tolerances.point));
    if (a <= line.first() && b >= line.last()) {
      out.curves.push_back(std::move(whole));
      continue;
    }
    if (auto part = nurbs::portion(line, a, b))
      if (auto p = nurbs::Path::make({*part}, cx.tolerances.point)) out.curves.push_back(std::move(*p));
  }
  return out;
}

} // namespace lumsk::brep

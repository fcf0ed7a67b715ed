#include "brep/offset/layer_sheets.h"

#include "nurbs/core/continued.h"
#include "nurbs/fit/surface_fit.h"
#include "nurbs/measure/surface_measure.h"
#include "nurbs/on_skin/offset.h"

#include <algorithm>
#include <map>
#include <tuple>

namespace lumsk::brep::offset {

namespace sheets {

constexpr double kMostAdded = 3;      ///< of a domain: no face is carried on further
constexpr double kNoneAdded = 1e-5, kLeastAdded = 0.02; ///< of a domain: less is rounding; a shorter span would be rough
constexpr double kRampFit = 0.2;     ///< of the fit: curvature is to be right, too
constexpr double kUnrolled = 0.01;    ///< of the fit: the surface of a ring is found again
constexpr double kRingGap = 1e-3;     ///< of a ring: less is none
constexpr double kRampMargin = 0.03;  ///< of a strip, along and across: its surface is as much larger than its face
constexpr int kRampOrder = 4;         ///< derivatives with which a surface is carried on for a strip
constexpr int kRampAlong = 24, kRampAcross = 4; ///< places from which others are sought

/// Places of a surface by places of a strip: each is sought from the nearest of a grid.
class RampOn {
public:
  RampOn(const OffsetSheet& o, Vec2 from) : o_(o) {
    for (int i = 0; i <= kRampAlong; ++i) {
      Vec2 uv = i == 0 ? from : grid_[size_t(i - 1) * (kRampAcross + 1)];
      for (int j = 0; j <= kRampAcross; ++j) {
        const auto found = o_.ramp->strip->on(*o_.old, o_.stripPlace({double(i) / kRampAlong, double(j) / kRampAcross}), uv);
        whole_ = whole_ && found;
        if (found) uv = *found;
        grid_.push_back(uv);
      }
    }
  }
  bool whole() const { return whole_; }
  Vec2 at(const Vec2& uv) const {
    const auto split = [](double x, int many) {
      const int i = std::clamp(int(x * many), 0, many - 1);
      return std::pair(size_t(i), x * many - i);
    };
    const auto [i, f] = split(uv.x(), kRampAlong);
    const auto [j, g] = split(uv.y(), kRampAcross);
    const Vec2* at = &grid_[i * (kRampAcross + 1) + j];
    const Vec2 near = (1 - f) * ((1 - g) * at[0] + g * at[1]) + f * ((1 - g) * at[kRampAcross + 1] + g * at[kRampAcross + 2]);
    return o_.ramp->strip->on(*o_.old, o_.stripPlace(uv), near).value_or(near);
  }

private:
  const OffsetSheet& o_;
  std::vector<Vec2> grid_;
  bool whole_ = true;
};

class Sheets {
public:
  Sheets(const LayerNet& n, const Reach& reach, LayerPlaces& out, const Context& cx) : n_(n), ds_(out.distances), reach_(reach), out_(out), cx_(cx) {}

  Expected<void> run() {
    LUMSK_CHECK(readSources());
    for (size_t i = 0; i < n_.net.sheets.size(); ++i) {
      if (cx_.stopped()) return fail(cancelled());
      LUMSK_CHECK(offsetSheet(int(i)));
    }
    return {};
  }

private:
  /// A stretch of a strip: shares of its length, of rings also beyond 1.
  struct Stretch {
    double first = 0, last = 0;
    double middle() const { return 0.5 * (first + last); }
  };

  /// Which part of its strip a sheet is, and how far aside it reaches.
  Stretch stretchOf(int number, double& asideMm) const {
    std::vector<Vec3> border = reach_.places[size_t(number)];
    for (const split::EdgeUse& use : n_.net.sheets[size_t(number)].border)
      for (double t : n_.edges[size_t(use.edge)].t) border.push_back(n_.at(use.edge, t));
    const nurbs::SkinStrip& strip = *ds_.ramps[size_t(number)]->strip;
    Stretch out{1e300, -1e300};
    const double about = strip.placeOf(border.back()).t;
    for (const Vec3& p : border) {
      const auto place = strip.placeOf(p);
      const double t = strip.closed() ? about + std::remainder(place.t - about, 1.0) : place.t;
      out.first = std::min(out.first, t), out.last = std::max(out.last, t);
      asideMm = std::max(asideMm, std::abs(place.asideMm));
    }
    return out;
  }

  /// A spline that faces lie on, several where they are parts of one, carried on as far as all of them want it, and its
  /// offsets: parts of one spline stay parts of one.
  struct Source {
    nurbs::Surface from;
    Vec2 low = Vec2::Zero(), size = Vec2::Ones();
    bool larger = false;
    double off = 0; ///< of the spline from the face
    std::map<double, std::shared_ptr<const nurbs::Surface>> at; ///< by distances along its own normal
  };

  Expected<void> readSources() {
    const auto& sheets = n_.net.sheets;
    std::vector<int> first;
    for (size_t i = 0; i < sheets.size(); ++i) {
      const auto known = std::find(first.begin(), first.end(), n_.firstOn[i]);
      sourceOf_.push_back(int(known - first.begin()));
      if (known == first.end()) first.push_back(int(i));
    }
    for (size_t k = 0; k < first.size(); ++k) {
      const split::Sheet& s = sheets[size_t(first[k])];
      const Vec2 low(s.surface->firstU(), s.surface->firstV()), high(s.surface->lastU(), s.surface->lastV()), size = high - low;
      Vec2 least = low, most = high;
      bool ramped = false;
      for (size_t i = 0; i < sheets.size(); ++i) {
        if (sourceOf_[i] != int(k)) continue;
        least = least.cwiseMin(reach_.low[i]), most = most.cwiseMax(reach_.high[i]);
        if (!ds_.ramps[i] || !reachesBorder(int(i))) continue;
        ramped = true;
        for (const Vec2& uv : cornersOf(int(i))) least = least.cwiseMin(uv), most = most.cwiseMax(uv);
      }
      // What reaches past the border by rounding only stays; spans far shorter than the others would be rough.
      const auto added = [&](double by, double of) { return by > kNoneAdded * of ? std::max(by, kLeastAdded * of) : 0.0; };
      std::array<double, 4> by{added(low.x() - least.x(), size.x()), added(most.x() - high.x(), size.x()), added(low.y() - least.y(), size.y()), added(most.y() - high.y(), size.y())};
      if (s.surface->closedU()) by[0] = by[1] = 0;
      for (int e = 0; e < 4; ++e)
        if (by[size_t(e)] > kMostAdded * size[e / 2])
          return fail(problem("LM-T007", "a face is too small to be carried on as far as its neighbour's offset")
                          .at(s.surface->at(0.5 * (low.x() + high.x()), 0.5 * (low.y() + high.y())))
                          .tryThis("take a smaller distance, or make this face wider"));
      Source x;
      x.larger = by[0] + by[1] + by[2] + by[3] > 0;
      x.low = low - Vec2(by[0], by[2]);
      x.size = size + Vec2(by[0] + by[1], by[2] + by[3]);
      // Strips go on past the border as smoothly as their spline does: they are found as one.
      x.from = x.larger ? nurbs::continued(*s.surface, by, ramped ? kRampOrder : 2) : *s.surface;
      x.off = s.spline.deviationMm();
      sources_.push_back(std::move(x));
    }
    return {};
  }

  /// Where the corners of a sheet's part of its strip lie in its domain, about.
  std::vector<Vec2> cornersOf(int number) const {
    double aside = 0.5 * ds_.ramps[size_t(number)]->strip->widthMm();
    const nurbs::SkinStrip& strip = *ds_.ramps[size_t(number)]->strip;
    const Stretch part = stretchOf(number, aside);
    const double more = kRampMargin * (part.last - part.first);
    const split::Sheet& s = n_.net.sheets[size_t(number)];
    std::vector<Vec2> out;
    for (double t : {part.first - more, part.last + more})
      for (int side : {-1, 1}) {
        const Vec3 p = strip.straightAt({t, side * aside * (1 + kRampMargin)});
        Vec2 near = Vec2::Zero();
        double best = 1e300;
        for (const split::EdgeUse& use : s.border)
          for (double x : n_.edges[size_t(use.edge)].t)
            if (const double d = (n_.at(use.edge, x) - p).norm(); d < best) best = d, near = s.imageOf(use, x).cwiseQuotient(s.scale);
        out.push_back(near + kMargin * inDomain(*s.surface, near, p - s.surface->at(near.x(), near.y())));
      }
    return out;
  }

  /// Other faces, or none, lie beside it than parts of the same spline.
  bool reachesBorder(int sheet) const {
    for (const split::EdgeUse& use : n_.net.sheets[size_t(sheet)].border) {
      const auto& faces = n_.edges[size_t(use.edge)].faces;
      if (faces.size() < 2 || std::any_of(faces.begin(), faces.end(), [&](const FaceAt& f) { return n_.firstOn[size_t(f.sheet)] != n_.firstOn[size_t(sheet)]; })) return true;
    }
    return false;
  }

  /// A sheet's spline at a distance along its own normal, over [0, 1] each way.
  Expected<std::shared_ptr<const nurbs::Surface>> offsetOf(int number, double mm) {
    const split::Sheet& s = n_.net.sheets[size_t(number)];
    Source& x = sources_[size_t(sourceOf_[size_t(number)])];
    auto& known = x.at[mm];
    if (known) return known;
    if (s.plane || mm == 0) {
      const Vec3 move = s.plane ? Vec3(mm * s.plane->normal()) : Vec3(Vec3::Zero());
      nurbs::Knots U = x.from.knotsU(), V = x.from.knotsV();
      for (double& k : U) k = (k - x.low.x()) / x.size.x();
      for (double& k : V) k = (k - x.low.y()) / x.size.y();
      Points grid = x.from.grid();
      grid.rowwise() += move.transpose();
      return known = std::make_shared<const nurbs::Surface>(
                 nurbs::Surface::trusted(x.from.degreeU(), x.from.degreeV(), std::move(U), std::move(V), std::move(grid), x.from.closedU()));
    }
    nurbs::OffsetOptions off;
    off.distanceMm = mm;
    off.bendChecked = off.lean = true;
    auto made = nurbs::offsetSurface(x.from, off, cx_);
    if (!made && made.error().code != "LM-T001" && !isCancelled(made.error()))
      return fail(problem("LM-T003", "the offset of this face cannot be followed closely enough")
                      .at(s.surface->at(0.5 * (s.surface->firstU() + s.surface->lastU()), 0.5 * (s.surface->firstV() + s.surface->lastV())))
                      .tryThis("take a smaller distance, or smooth the curves of this face"));
    if (!made) return fail(std::move(made.error()));
    out_.deviationMm = std::max(out_.deviationMm, made->deviationMm + x.off);
    return known = std::make_shared<const nurbs::Surface>(std::move(made->surface));
  }

  Expected<void> offsetSheet(int number) {
    const split::Sheet& s = n_.net.sheets[size_t(number)];
    OffsetSheet& o = out_.sheets[size_t(number)];
    const Source& x = sources_[size_t(sourceOf_[size_t(number)])];
    o.distanceMm = ds_.mm[size_t(number)] * n_.sign(number);
    o.larger = x.larger, o.low = x.low, o.size = x.size;
    const auto& ramp = ds_.ramps[size_t(number)];
    for (double mm : ramp ? std::vector<double>{ramp->fromMm, ramp->toMm} : std::vector<double>{ds_.mm[size_t(number)]})
      if (!s.plane && mm != 0) LUMSK_CHECK(checkBend(number, mm * n_.sign(number)));
    if (ramp) return rampSheet(number);
    LUMSK_TRY(surface, offsetOf(number, o.distanceMm));
    o.surface = surface;
    return {};
  }

  /// Sheets that are parts of one strip on one spline, and their surface.
  struct RampSource {
    std::vector<int> sheets;
    std::vector<double> middles; ///< of theirs, in the strip's whole stretch
    OffsetSheet made;
  };

  /// Where the stretches of a ring begin that does not go all round: after its largest gap. Nothing where it does.
  static std::optional<Stretch> wholeOf(std::vector<Stretch> parts, bool ring) {
    std::sort(parts.begin(), parts.end(), [](const Stretch& a, const Stretch& b) { return a.first < b.first; });
    if (!ring) {
      Stretch out = parts.front();
      for (const Stretch& p : parts) out.last = std::max(out.last, p.last);
      return out;
    }
    for (Stretch& p : parts) p.last -= std::floor(p.first + 1e-9), p.first -= std::floor(p.first + 1e-9);
    std::sort(parts.begin(), parts.end(), [](const Stretch& a, const Stretch& b) { return a.first < b.first; });
    double widest = kRingGap;
    std::optional<Stretch> out;
    for (size_t k = 0; k < parts.size(); ++k) {
      const double next = k + 1 < parts.size() ? parts[k + 1].first : parts[0].first + 1;
      if (next - parts[k].last > widest) widest = next - parts[k].last, out = Stretch{next, parts[k].last + 1};
    }
    return out;
  }

  /// A strip at distances that change across it, over its length and its width: between its spline at the one distance
  /// and at the other, so that it leaves both as they are. Parts of a strip share it.
  Expected<void> rampSheet(int number) {
    const auto& ramp = ds_.ramps[size_t(number)];
    const auto key = std::make_tuple(ramp->strip.get(), sourceOf_[size_t(number)], ramp->fromMm, ramp->toMm);
    auto known = ramps_.find(key);
    if (known == ramps_.end()) {
      RampSource x;
      std::vector<Stretch> parts;
      double aside = 0.5 * ramp->strip->widthMm();
      for (size_t i = 0; i < ds_.ramps.size(); ++i)
        if (ds_.ramps[i] && std::make_tuple(ds_.ramps[i]->strip.get(), sourceOf_[i], ds_.ramps[i]->fromMm, ds_.ramps[i]->toMm) == key) {
          x.sheets.push_back(int(i));
          parts.push_back(stretchOf(int(i), aside));
        }
      const auto whole = wholeOf(parts, ramp->strip->closed());
      for (const Stretch& p : parts) x.middles.push_back(ramp->strip->closed() ? p.middle() - std::floor(p.middle() - (whole ? whole->first : 0)) : p.middle());
      LUMSK_CHECK(fitRamp(number, whole, aside * (1 + kRampMargin), x.made));
      known = ramps_.emplace(key, std::move(x)).first;
    }
    const RampSource& x = known->second;
    const double distance = out_.sheets[size_t(number)].distanceMm;
    out_.sheets[size_t(number)] = x.made;
    out_.sheets[size_t(number)].distanceMm = distance;
    out_.sheets[size_t(number)].about = x.middles[size_t(std::find(x.sheets.begin(), x.sheets.end(), number) - x.sheets.begin())];
    return {};
  }

  /// `stretch`: none: all round.
  Expected<void> fitRamp(int number, const std::optional<Stretch>& stretch, double asideMm, OffsetSheet& o) {
    const split::Sheet& s = n_.net.sheets[size_t(number)];
    const Source& source = sources_[size_t(sourceOf_[size_t(number)])];
    o.ramp = ds_.ramps[size_t(number)];
    o.turned = n_.sign(number) < 0;
    o.old = std::make_shared<const nurbs::Surface>(source.from);
    o.larger = true;
    const nurbs::SkinStrip& strip = *o.ramp->strip;
    const double more = stretch ? std::max(kRampMargin * (stretch->last - stretch->first), 1e-6) : 0;
    o.low = Vec2(stretch ? stretch->first - more : 0, -asideMm), o.size = Vec2(stretch ? stretch->last - stretch->first + 2 * more : 1, 2 * asideMm);
    o.about = o.low.x() + 0.5 * o.size.x();
    // From a place of the border that is known to the first corner of the strip, by and by.
    const double t = n_.edges[size_t(s.border.back().edge)].t.back();
    Vec2 uv = n_.imageOf({number, int(s.border.size()) - 1}, t);
    const Vec2 from = o.onRamp(n_.at(s.border.back().edge, t));
    for (int k = 1; k <= kRampAlong; ++k)
      if (const auto found = strip.on(*o.old, o.stripPlace(from * (1 - double(k) / kRampAlong)), uv)) uv = *found;
    const RampOn places(o, uv);
    const auto failed = [&] {
      return fail(problem("LM-T003", "the transition of a zone cannot be followed closely enough")
                      .at(strip.at(o.about))
                      .tryThis("take a wider transition, or keep it away from the border"));
    };
    if (!places.whole()) return failed();
    LUMSK_TRY(one, offsetOf(number, n_.sign(number) * o.ramp->fromMm));
    LUMSK_TRY(other, offsetOf(number, n_.sign(number) * o.ramp->toMm));
    const auto f = [&](double a, double b) {
      Vec2 old = places.at({a, b});
      old.x() = nurbs::roundU(source.from, old.x());
      const Vec2 on = (old - source.low).cwiseQuotient(source.size);
      const double share = o.ramp->shareAt(o.stripPlace({a, b}));
      return Vec3((1 - share) * one->at(on.x(), on.y()) + share * other->at(on.x(), on.y()));
    };
    nurbs::SurfaceFitOptions fit;
    fit.fit = {kRampFit * cx_.tolerances.fit.mm};
    fit.leaves = true;
    fit.closedU = !stretch;
    if (o.ramp->kind == nurbs::Transition::Curvature) fit.degreeV = 7; // as its course
    auto made = nurbs::fitSurface(f, fit, cx_);
    if (made && !stretch) made = unrolled(made->surface, o);
    if (!made && isCancelled(made.error())) return fail(std::move(made.error()));
    if (!made) return failed();
    out_.deviationMm = std::max(out_.deviationMm, made->deviationMm + s.spline.deviationMm());
    o.surface = std::make_shared<const nurbs::Surface>(std::move(made->surface));
    return {};
  }

  /// A ring's surface over a little more than all round: the same one at both its ends, and none of its faces has a seam.
  Expected<nurbs::SurfaceFit> unrolled(const nurbs::Surface& ring, OffsetSheet& o) const {
    o.low.x() = -kRampMargin, o.size.x() = 1 + 2 * kRampMargin;
    nurbs::SurfaceFitOptions fit;
    fit.fit = {kUnrolled * cx_.tolerances.fit.mm};
    const std::vector<double> round = nurbs::breakpoints(ring.knotsU(), ring.degreeU());
    fit.firstBreaksU = {0};
    for (int turn : {-1, 0, 1})
      for (size_t k = 0; k + 1 < round.size(); ++k)
        if (const double u = (round[k] + turn - o.low.x()) / o.size.x(); u > 1e-9 && u < 1 - 1e-9) fit.firstBreaksU.push_back(u);
    fit.firstBreaksU.push_back(1);
    fit.firstBreaksV = nurbs::breakpoints(ring.knotsV(), ring.degreeV());
    fit.degreeV = ring.degreeV();
    return nurbs::fitSurface([&](double a, double b) { return ring.at(o.low.x() + a * o.size.x() - std::floor(o.low.x() + a * o.size.x()), b); }, fit, cx_);
  }

  /// The face itself must not bend more than the distance allows. The parts of one spline are looked at together first.
  /// `mm`: along the spline's own normal.
  Expected<void> checkBend(int number, double mm) {
    const split::Sheet& s = n_.net.sheets[size_t(number)];
    const bool along = mm > 0;
    const double d = std::abs(mm);
    const auto bendIn = [&](bool everywhere) {
      return nurbs::largestOn(*s.surface, 4, 6, [&](double u, double v) {
        if (!everywhere && !s.spline.inside({u, v})) return 0.0;
        const nurbs::PrincipalCurvatures k = s.surface->curvatures(u, v);
        return along ? k.k1 : -k.k2;
      });
    };
    const int source = sourceOf_[size_t(number)];
    nurbs::LargestOnSurface worst;
    if (std::count(sourceOf_.begin(), sourceOf_.end(), source) > 1) {
      auto known = bends_.find({source, along});
      if (known == bends_.end()) known = bends_.emplace(std::pair(source, along), bendIn(true)).first;
      if (known->second.value * d < 1 - 1e-6) worst = known->second;
      else worst = bendIn(false);
    } else {
      worst = bendIn(false);
    }
    if (!(worst.value > 0)) return {};
    const double radius = 1 / worst.value;
    out_.tightestMm = std::min(out_.tightestMm, radius);
    if (d < radius * (1 - 1e-6)) return {};
    return fail(problem("LM-T001", "the skin folds over itself at this distance: its concave radius is smaller")
                    .measure(millimetres(radius))
                    .want(millimetres(d))
                    .at(s.surface->at(worst.u, worst.v))
                    .tryThis("take less than " + formatNumber(radius, 3) + " mm or round this place more"));
  }

  const LayerNet& n_;
  const Distances& ds_;
  const Reach& reach_;
  LayerPlaces& out_;
  const Context& cx_;
  std::vector<Source> sources_;
  std::vector<int> sourceOf_; ///< by sheets
  std::map<std::tuple<const nurbs::SkinStrip*, int, double, double>, RampSource> ramps_;
  std::map<std::pair<int, bool>, nurbs::LargestOnSurface> bends_; ///< of sources, along their normals or against them
};

} // namespace sheets

/// The step in the parameters that leads closest to a step in space.
Vec2 inDomain(const nurbs::Surface& s, const Vec2& uv, const Vec3& step) {
  nurbs::SurfaceDerivatives d;
  s.derivatives(uv.x(), uv.y(), 1, d);
  const double a = d(1, 0).norm(), b = d(0, 1).norm(), most = std::max(a, b);
  if (!(most > 0)) return Vec2::Zero();
  Eigen::Matrix<double, 3, 2> J = Eigen::Matrix<double, 3, 2>::Zero();
  if (a > 1e-6 * most) J.col(0) = d(1, 0) / a;
  if (b > 1e-6 * most) J.col(1) = d(0, 1) / b;
  const Vec2 x = leastSolution<3, 2>(J, step);
  return {a > 1e-6 * most ? x.x() / a : 0, b > 1e-6 * most ? x.y() / b : 0};
}

Expected<void> offsetSheets(const LayerNet& n, const Reach& reach, LayerPlaces& out, const Context& cx) { return sheets::Sheets(n, reach, out, cx).run(); }

double Ramp::shareAt(const nurbs::SkinStrip::Place& p) const {
  return nurbs::shareAcross(kind, (toLeft ? p.asideMm : -p.asideMm) / strip->widthMm() + 0.5);
}
double Ramp::at(const nurbs::SkinStrip::Place& p) const { return fromMm + (toMm - fromMm) * shareAt(p); }

Distances Distances::alike(const LayerNet& n, double mm) {
  return {std::vector<double>(n.net.sheets.size(), mm), std::vector<std::shared_ptr<const Ramp>>(n.net.sheets.size())};
}

double Distances::at(const LayerNet& n, int sheet, const Vec2& uv) const {
  const auto& ramp = ramps[size_t(sheet)];
  return ramp ? ramp->at(ramp->strip->placeOf(n.net.sheets[size_t(sheet)].surface->at(uv.x(), uv.y()))) : mm[size_t(sheet)];
}

double Distances::most() const {
  double out = 0;
  for (double d : mm) out = std::max(out, std::abs(d));
  return out;
}

Vec2 OffsetSheet::onRamp(const Vec3& p) const {
  const auto place = ramp->strip->placeOf(p);
  const double t = ramp->strip->closed() ? about + std::remainder(place.t - about, 1.0) : place.t;
  const Vec2 uv = (Vec2(t, place.asideMm) - low).cwiseQuotient(size);
  return {uv.x(), turned ? 1 - uv.y() : uv.y()};
}

nurbs::SkinStrip::Place OffsetSheet::stripPlace(const Vec2& uv) const {
  return {low.x() + uv.x() * size.x(), low.y() + (turned ? 1 - uv.y() : uv.y()) * size.y()};
}

Vec2 OffsetSheet::place(const Vec2& at) const { return ramp ? onRamp(old->at(at.x(), at.y())) : Vec2((at - low).cwiseQuotient(size)); }

} // namespace lumsk::brep::offset

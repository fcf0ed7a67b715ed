#include "brep/offset/layer_places.h"

#include "nurbs/core/continued.h"
#include "nurbs/measure/surface_measure.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/offset.h"

#include <Eigen/SVD>
#include <algorithm>
#include <map>
#include <tuple>

namespace lumsk::brep::offset {

namespace {

constexpr double kParallel = 0.002;   ///< radians, about: faces that turn by less are taken as tangent
// Point tolerances: offsets of tangent neighbours are no further apart; what does not come as near does not meet; what
// moves less by fits stays.
constexpr double kKeptGap = 2, kMeet = 5, kShift = 3;
constexpr double kLongestReach = 6;   ///< distances: sharper joins are refused
constexpr double kFlattestRim = 2.5;  ///< distances: a rim that has to go further follows the normal
constexpr double kFlatPole = 1e-4;    ///< sine, about: a pole's normal that leaves a rim's plane by less lies in it
constexpr double kMostAdded = 3;      ///< of a domain: no face is carried on further
constexpr double kNoneAdded = 1e-5, kLeastAdded = 0.02; ///< of a domain: less is rounding; a shorter span would be rough
constexpr double kMargin = 1.4;       ///< of what is added
constexpr double kRampFit = 0.2;     ///< of the fit: curvature is to be right, too
constexpr double kUnrolled = 0.01;    ///< of the fit: the surface of a ring is found again
constexpr double kRingGap = 1e-3;     ///< of a ring: less is none
constexpr double kRampMargin = 0.03;  ///< of a strip, along and across: its surface is as much larger than its face
constexpr int kRampOrder = 4;         ///< derivatives with which a surface is carried on for a strip
constexpr int kRampAlong = 24, kRampAcross = 4; ///< places from which others are sought
constexpr double kFadeLengths = 10;   ///< what an open edge is moved aside at its end fades over so many times that

/// Solves A x = b with the least x, singular values below the threshold counted as none.
template <int Rows, int Columns>
Eigen::Matrix<double, Columns, 1> leastSolution(const Eigen::Matrix<double, Rows, Columns>& A,
                                                const Eigen::Matrix<double, Rows, 1>& b) {
  const Eigen::JacobiSVD<Eigen::MatrixXd> svd(A, Eigen::ComputeThinU | Eigen::ComputeThinV);
  Eigen::VectorXd y = svd.matrixU().transpose() * b;
  for (Eigen::Index i = 0; i < y.size(); ++i) {
    const double s = svd.singularValues()[i];
    y[i] = s > kParallel ? y[i] / s : 0.0;
  }
  return svd.matrixV() * y;
}

/// Planes through a place, moved along their normals: the step to where they meet.
class Meeting {
public:
  void add(const Vec3& normal, double mm) {
    rows_.conservativeResize(rows_.rows() + 1, 3);
    rows_.row(rows_.rows() - 1) = normal.transpose();
    sides_.conservativeResize(sides_.size() + 1);
    sides_[sides_.size() - 1] = mm;
  }
  Vec3 step() const {
    return leastSolution<Eigen::Dynamic, 3>(Eigen::Matrix<double, Eigen::Dynamic, 3>(rows_), sides_);
  }
  double missesMm() const { return rows_.rows() == 0 ? 0 : (rows_ * step() - sides_).cwiseAbs().maxCoeff(); }

private:
  Eigen::MatrixXd rows_ = Eigen::MatrixXd(0, 3);
  Eigen::VectorXd sides_ = Eigen::VectorXd(0);
};

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

/// The nearest place beside a start, not held to the border.
Vec2 footBeside(const nurbs::Surface& s, Vec2 uv, const Vec3& p) {
  for (int it = 0; it < 12; ++it) {
    const Vec2 step = inDomain(s, uv, p - s.at(uv.x(), uv.y()));
    uv += step.cwiseMax(-0.1).cwiseMin(0.1);
    if (step.norm() < 1e-13) break;
  }
  return uv;
}

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

class Solver {
public:
  Solver(const LayerNet& n, const Distances& distances, bool flatRims, const Context& cx)
      : n_(n), ds_(distances), flat_(flatRims), cx_(cx) {}

  Expected<LayerPlaces> run() {
    out_.distances = ds_, out_.flatRims = flat_;
    out_.sheets.resize(n_.net.sheets.size());
    out_.vertices.resize(n_.vertices.size());
    out_.edges.resize(n_.edges.size());
    LUMSK_CHECK(predict());
    LUMSK_CHECK(readSources());
    for (size_t i = 0; i < n_.net.sheets.size(); ++i) {
      if (cx_.stopped()) return fail(cancelled());
      LUMSK_CHECK(offsetSheet(int(i)));
    }
    for (size_t v = 0; v < n_.vertices.size(); ++v) LUMSK_CHECK(solveVertex(int(v)));
    for (size_t e = 0; e < n_.edges.size(); ++e) LUMSK_CHECK(solveEdge(int(e)));
    return std::move(out_);
  }

private:
  // Prediction

  Meeting meetingAt(int vertex) const {
    Meeting m;
    for (const SheetAt& s : n_.vertices[size_t(vertex)].sheets) m.add(n_.outside(s.sheet, s.uv), ds_.at(n_, s.sheet, s.uv));
    const KnownVertex& v = n_.vertices[size_t(vertex)];
    if (flat_ && v.rimPlane) m.add(v.rimPlane->normal(), 0);
    if (v.seam >= 0) m.add(acrossSeam(*n_.net.sheets[size_t(v.sheets[size_t(v.seam)].sheet)].surface, v.sheets[size_t(v.seam)].uv).normalized(), 0);
    return m;
  }

  /// Square to a line of constant u in the surface; its length is a unit of u.
  static Vec3 acrossSeam(const nurbs::Surface& s, const Vec2& uv) {
    nurbs::SurfaceDerivatives d;
    s.derivatives(uv.x(), uv.y(), 1, d);
    const Vec3 b = s.normal(uv.x(), uv.y()).cross(d(0, 1)).normalized();
    return d(1, 0).dot(b) * b;
  }

  Expected<void> tooSharp(const Vec3& at) const {
    return fail(problem("LM-T007", "the faces turn too sharply here: their offsets meet too far away")
                    .measure(millimetres(most_))
                    .at(at)
                    .tryThis("round this edge, or take a smaller distance"));
  }

  /// How far every sheet has to reach.
  Expected<void> predict() {
    for (const split::Sheet& s : n_.net.sheets) {
      low_.emplace_back(s.surface->firstU(), s.surface->firstV());
      high_.emplace_back(s.surface->lastU(), s.surface->lastV());
    }
    wanted_.resize(n_.net.sheets.size());
    if (ds_.none()) return {};
    for (size_t v = 0; v < n_.vertices.size(); ++v) {
      const KnownVertex& x = n_.vertices[v];
      if (x.sheets.empty()) continue;
      const Vec3 step = meetingAt(int(v)).step();
      if (step.norm() > kLongestReach * most_) return tooSharp(n_.net.vertices[v].at);
      for (const SheetAt& s : x.sheets) want(s.sheet, s.uv, step);
    }
    for (size_t e = 0; e < n_.edges.size(); ++e) {
      const KnownEdge& x = n_.edges[e];
      if (n_.net.edges[e].pole || x.kind == EdgeKind::Seam) continue;
      for (double t : x.t) {
        Meeting m;
        for (const FaceAt& f : x.faces) m.add(n_.outside(f.sheet, n_.imageOf(f, t)), ds_.at(n_, f.sheet, n_.imageOf(f, t)));
        if (flat_ && x.rim) m.add(x.rimPlane.normal(), 0);
        const Vec3 step = m.step();
        if (step.norm() > kLongestReach * most_) return tooSharp(n_.at(int(e), t));
        for (const FaceAt& f : x.faces) want(f.sheet, n_.imageOf(f, t), step);
      }
    }
    return {};
  }

  void want(int sheet, const Vec2& uv, const Vec3& step) {
    const split::Sheet& s = n_.net.sheets[size_t(sheet)];
    const double d = ds_.at(n_, sheet, uv);
    const Vec3 within = step - d * n_.outside(sheet, uv);
    if (within.norm() < 1e-6 * most_) return;
    if (ds_.ramps[size_t(sheet)]) return wanted_[size_t(sheet)].push_back(s.surface->at(uv.x(), uv.y()) + kMargin * within);
    const Vec2 to = uv + kMargin * inDomain(*s.surface, uv, within);
    low_[size_t(sheet)] = low_[size_t(sheet)].cwiseMin(to);
    high_[size_t(sheet)] = high_[size_t(sheet)].cwiseMax(to);
  }

  // Surfaces

  /// A stretch of a strip: shares of its length, of rings also beyond 1.
  struct Stretch {
    double first = 0, last = 0;
    double middle() const { return 0.5 * (first + last); }
  };

  /// Which part of its strip a sheet is, and how far aside it reaches.
  Stretch stretchOf(int number, double& asideMm) const {
    std::vector<Vec3> border = wanted_[size_t(number)];
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
        least = least.cwiseMin(low_[i]), most = most.cwiseMax(high_[i]);
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
    if (!s.plane && o.distanceMm != 0) LUMSK_CHECK(checkBend(number));
    if (ds_.ramps[size_t(number)]) return rampSheet(number);
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
  Expected<void> checkBend(int number) {
    const split::Sheet& s = n_.net.sheets[size_t(number)];
    const bool along = out_.sheets[size_t(number)].distanceMm > 0;
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
      if (known->second.value * std::abs(ds_.mm[size_t(number)]) < 1 - 1e-6) worst = known->second;
      else worst = bendIn(false);
    } else {
      worst = bendIn(false);
    }
    if (!(worst.value > 0)) return {};
    const double radius = 1 / worst.value;
    out_.tightestMm = std::min(out_.tightestMm, radius);
    const double d = std::abs(ds_.mm[size_t(number)]);
    if (d < radius * (1 - 1e-6)) return {};
    return fail(problem("LM-T001", "the skin folds over itself at this distance: its concave radius is smaller")
                    .measure(millimetres(radius))
                    .want(millimetres(d))
                    .at(s.surface->at(worst.u, worst.v))
                    .tryThis("take less than " + formatNumber(radius, 3) + " mm or round this place more"));
  }

  // Vertices

  Expected<void> solveVertex(int v) {
    const KnownVertex& x = n_.vertices[size_t(v)];
    const Vec3 old = n_.net.vertices[size_t(v)].at;
    Vec3& p = out_.vertices[size_t(v)] = old;
    if (x.sheets.empty() || ds_.none()) return {};
    if (x.pole >= 0 || (x.sheets.size() == 1 && !(flat_ && x.rimPlane))) { // poles are found by their parameters only
      const SheetAt& s = x.sheets[size_t(std::max(x.pole, 0))];
      const OffsetSheet& o = out_.sheets[size_t(s.sheet)];
      const Vec2 uv = o.place(s.uv);
      p = o.surface->at(uv.x(), uv.y());
      return {};
    }
    const Meeting meeting = meetingAt(v);
    p = old + meeting.step();
    std::vector<Vec2> uv;
    for (const SheetAt& s : x.sheets) uv.push_back(out_.sheets[size_t(s.sheet)].place(s.uv));
    double misses = 0;
    for (int it = 0; it < 6; ++it) {
      Meeting now;
      misses = 0;
      for (size_t i = 0; i < x.sheets.size(); ++i) {
        const nurbs::Surface& o = *out_.sheets[size_t(x.sheets[i].sheet)].surface;
        uv[i] = footBeside(o, uv[i], p);
        const nurbs::PointAndNormal at = o.pointAndNormal(uv[i].x(), uv[i].y());
        const double height = (p - at.point).dot(at.normal);
        misses = std::max({misses, std::abs(height), (p - at.point - height * at.normal).norm()});
        now.add(at.normal, -height);
      }
      if (flat_ && x.rimPlane) {
        const double off = (p - x.rimPlane->origin).dot(x.rimPlane->normal());
        misses = std::max(misses, std::abs(off));
        now.add(x.rimPlane->normal(), -off);
      }
      if (x.seam >= 0) {
        const OffsetSheet& o = out_.sheets[size_t(x.sheets[size_t(x.seam)].sheet)];
        const Vec3 b = acrossSeam(*o.surface, uv[size_t(x.seam)]);
        const double off = (uv[size_t(x.seam)].x() - o.place(x.sheets[size_t(x.seam)].uv).x()) * b.norm();
        misses = std::max(misses, std::abs(off));
        now.add(b.normalized(), -off);
      }
      if (misses < 1e-9) break;
      p += now.step();
    }
    if (misses <= kMeet * point_) return {};
    return fail(problem("LM-T003", "the offsets of the faces do not meet in one point at this corner")
                    .measure(millimetres(misses))
                    .want(millimetres(kMeet * point_))
                    .at(old)
                    .tryThis("round this corner, or offset the faces before they are joined"));
  }

  // Edges

  Expected<void> solveEdge(int e) {
    const split::OldEdge& old = n_.net.edges[size_t(e)];
    const KnownEdge& x = n_.edges[size_t(e)];
    OffsetEdge& o = out_.edges[size_t(e)];
    if (old.pole) return {};
    const bool rim = flat_ && x.rim;
    for (int k = 0; k < 2; ++k) {
      const double t = k ? old.last : old.first;
      const Vec3 moved = out_.vertices[size_t(old.paves[size_t(k)].vertex)] - n_.at(e, t), along = n_.along(e, t);
      o.shift[size_t(k)] = moved.dot(along);
      if (x.kind != EdgeKind::Open || rim) continue;
      o.aside[size_t(k)] = moved.dot(n_.outside(x.faces[0].sheet, n_.imageOf(x.faces[0], t)).cross(along));
    }
    if (x.kind == EdgeKind::Inner) // tangent sides leave open where it ends between them
      for (int k = 0; k < 2; ++k) {
        const double t = k ? old.last : old.first;
        const Vec3 off = out_.vertices[size_t(old.paves[size_t(k)].vertex)] - placeOn(n_, out_, e, t).point;
        o.aside[size_t(k)] = off.dot(n_.outside(x.faces[0].sheet, n_.imageOf(x.faces[0], t)).cross(n_.along(e, t)));
      }
    o.kept = !rim;
    for (double moved : {o.shift[0], o.shift[1], o.aside[0], o.aside[1]}) o.kept = o.kept && std::abs(moved) <= kShift * point_;
    if (o.kept && x.kind != EdgeKind::Open)
      for (double t : x.t) o.kept = o.kept && placeOn(n_, out_, e, t).gapMm <= kKeptGap * point_;
    double worst = 0;
    Vec3 at = Vec3::Zero();
    for (size_t i = 0; i < x.t.size(); ++i) {
      o.places.push_back(placeOn(n_, out_, e, x.t[i]));
      if (o.places.back().gapMm > worst) worst = o.places.back().gapMm, at = n_.at(e, x.t[i]);
    }
    if (!(worst <= kMeet * point_))
      return fail(problem("LM-T007", "the offsets of the two sides of an edge do not meet there")
                      .measure(millimetres(worst))
                      .want(millimetres(kMeet * point_))
                      .at(at)
                      .tryThis("take a smaller distance, or round this edge"));
    for (size_t i = 0; i + 1 < o.places.size(); ++i)
      if (!((o.places[i + 1].point - o.places[i].point).dot(n_.at(e, x.t[i + 1]) - n_.at(e, x.t[i])) > 0))
        return fail(problem("LM-T007", "an edge is too short or bends too much: nothing is left of it at this distance")
                        .at(n_.at(e, x.t[i]))
                        .tryThis("take a smaller distance, or smooth this edge"));
    return {};
  }

  const LayerNet& n_;
  const Distances& ds_;
  bool flat_;
  const Context& cx_;
  double point_ = cx_.tolerances.point.mm, most_ = ds_.most();
  std::vector<Vec2> low_, high_;
  std::vector<Source> sources_;
  std::vector<int> sourceOf_; ///< by sheets
  std::map<std::tuple<const nurbs::SkinStrip*, int, double, double>, RampSource> ramps_;
  std::map<std::pair<int, bool>, nurbs::LargestOnSurface> bends_; ///< of sources, along their normals or against them
  std::vector<std::vector<Vec3>> wanted_; ///< of ramps: places that they are to reach
  LayerPlaces out_;
};

} // namespace

namespace {

/// One place of an edge: what holds there, and Newton's steps to it.
class Place {
public:
  Place(const LayerNet& n, const LayerPlaces& l, int edge, double t)
      : n_(n), l_(l), e_(edge), x_(n.edges[size_t(edge)]), o_(l.edges[size_t(edge)]), t_(t),
        rim_(l.flatRims && x_.rim),
        at_(n.at(edge, t)), along_(n.along(edge, t)) {
    const auto i = std::clamp<std::ptrdiff_t>(std::upper_bound(x_.t.begin(), x_.t.end(), t) - x_.t.begin(), 1, std::ptrdiff_t(x_.t.size()) - 1);
    left_ = size_t(i) - 1;
    f_ = (t - x_.t[left_]) / (x_.t[left_ + 1] - x_.t[left_]);
    const double share = x_.share[left_] + f_ * (x_.share[left_ + 1] - x_.share[left_]);
    shift_ = (1 - share) * o_.shift[0] + share * o_.shift[1];
    for (int k = 0; k < 2; ++k) aside_ += o_.aside[size_t(k)] * fade((k ? 1 - share : share) * x_.lengthMm, o_.aside[size_t(k)]);
  }

  EdgePlace run() {
    start();
    if (!o_.kept) {
      if (x_.kind == EdgeKind::Seam)
        slide();
      else if (x_.kind == EdgeKind::Inner)
        meet();
      else
        settle();
    }
    EdgePlace p;
    p.uv = uv_;
    p.point = on(0);
    if (x_.faces.size() > 1) {
      p.gapMm = (on(0) - on(1)).norm();
      p.point = 0.5 * (on(0) + on(1));
    }
    return p;
  }

private:
  /// From whole to nothing, so that its rate is nought at both ends.
  double fade(double mm, double aside) const {
    const double over = std::min(0.5 * x_.lengthMm, kFadeLengths * std::abs(aside));
    const double f = over > 0 ? std::clamp(mm / over, 0.0, 1.0) : 1.0;
    return (1 - f) * (1 - f) * (1 + 2 * f);
  }
  const nurbs::Surface& surface(size_t k) const { return *l_.sheets[size_t(x_.faces[k].sheet)].surface; }
  Vec3 on(size_t k) const { return surface(k).at(uv_[k].x(), uv_[k].y()); }
  Vec2 image(size_t k, double t) const {
    return l_.sheets[size_t(x_.faces[k].sheet)].place(n_.imageOf(x_.faces[k], t));
  }

  void start() {
    Meeting m;
    for (size_t k = 0; k < x_.faces.size(); ++k) {
      uv_[k] = image(k, t_);
      const Vec2 old = n_.imageOf(x_.faces[k], t_);
      m.add(n_.outside(x_.faces[k].sheet, old), l_.distances.at(n_, x_.faces[k].sheet, old));
    }
    if (o_.kept || x_.kind == EdgeKind::Seam) return;
    if (o_.places.size() == x_.t.size()) { // as between its neighbours
      for (size_t k = 0; k < x_.faces.size(); ++k) {
        const Vec2 a = o_.places[left_].uv[k] - image(k, x_.t[left_]),
                   b = o_.places[left_ + 1].uv[k] - image(k, x_.t[left_ + 1]);
        uv_[k] += (1 - f_) * a + f_ * b;
      }
      return;
    }
    if (rim_) m.add(x_.rimPlane.normal(), 0);
    const Vec3 aside = n_.outside(x_.faces[0].sheet, n_.imageOf(x_.faces[0], t_)).cross(along_);
    const Vec3 to = at_ + m.step() + shift_ * along_ + aside_ * aside;
    for (size_t k = 0; k < x_.faces.size(); ++k) uv_[k] += inDomain(surface(k), uv_[k], to - on(k));
  }

  /// A seam stays one: along its images, or on beyond their ends.
  void slide() {
    const split::OldEdge& old = n_.net.edges[size_t(e_)];
    double t = t_;
    const double h = 1e-4 * (old.last - old.first);
    const auto imageAt = [&](size_t k, double at) -> Vec2 {
      if (at >= old.first && at <= old.last) return image(k, at);
      const double end = at < old.first ? old.first : old.last, in = at < old.first ? old.first + h : old.last - h;
      return image(k, end) + (at - end) / (in - end) * (image(k, in) - image(k, end));
    };
    const auto height = [&](double at) {
      const Vec2 uv = imageAt(0, at);
      return (surface(0).at(uv.x(), uv.y()) - at_).dot(along_) - shift_;
    };
    for (int it = 0; it < 20; ++it) {
      const double y = height(t), slope = (height(t + h) - y) / h;
      if (std::abs(y) < 1e-10 || !(std::abs(slope) > 0)) break;
      t -= y / slope;
    }
    for (size_t k = 0; k < 2; ++k) uv_[k] = imageAt(k, t);
  }

  /// Both offsets meet, square to where the edge is.
  void meet() {
    for (int it = 0; it < 15; ++it) {
      nurbs::SurfaceDerivatives d[2];
      for (size_t k = 0; k < 2; ++k) surface(k).derivatives(uv_[k].x(), uv_[k].y(), 1, d[k]);
      Eigen::Matrix<double, 4, 4> J;
      Eigen::Matrix<double, 4, 1> r;
      r << d[0](0, 0) - d[1](0, 0), (0.5 * (d[0](0, 0) + d[1](0, 0)) - at_).dot(along_) - shift_;
      double scale[4];
      for (int c = 0; c < 4; ++c) {
        const Vec3 q = d[c / 2](c % 2 ? 0 : 1, c % 2 ? 1 : 0);
        scale[c] = std::max(q.norm(), 1e-9);
        J.col(c) << (c < 2 ? 1 : -1) * q / scale[c], 0.5 * q.dot(along_) / scale[c];
      }
      const Eigen::Matrix<double, 4, 1> step = leastSolution<4, 4>(J, r);
      for (int c = 0; c < 4; ++c) uv_[size_t(c / 2)][c % 2] -= std::clamp(step[c] / scale[c], -0.1, 0.1);
      if (step.norm() < 1e-11) break;
    }
  }

  /// An open edge: above its old place, or in the plane of its opening.
  void settle() {
    const Vec3 across = rim_ ? x_.rimPlane.normal()
                             : Vec3(n_.outside(x_.faces[0].sheet, n_.imageOf(x_.faces[0], t_)).cross(along_).normalized());
    for (int it = 0; it < 15; ++it) {
      nurbs::SurfaceDerivatives d;
      surface(0).derivatives(uv_[0].x(), uv_[0].y(), 1, d);
      const double a = std::max(d(1, 0).norm(), 1e-9), b = std::max(d(0, 1).norm(), 1e-9);
      const double off = rim_ ? (d(0, 0) - x_.rimPlane.origin).dot(across) : (d(0, 0) - at_).dot(across) - aside_;
      Eigen::Matrix<double, 2, 2> J;
      J << d(1, 0).dot(along_) / a, d(0, 1).dot(along_) / b, d(1, 0).dot(across) / a, d(0, 1).dot(across) / b;
      const Vec2 r((d(0, 0) - at_).dot(along_) - shift_, off);
      const Vec2 step = leastSolution<2, 2>(J, r);
      uv_[0] -= Vec2(step.x() / a, step.y() / b).cwiseMax(-0.1).cwiseMin(0.1);
      if (step.norm() < 1e-11) break;
    }
  }

  const LayerNet& n_;
  const LayerPlaces& l_;
  int e_;
  const KnownEdge& x_;
  const OffsetEdge& o_;
  double t_;
  bool rim_;
  Vec3 at_, along_;
  size_t left_ = 0;
  double f_ = 0, shift_ = 0, aside_ = 0;
  std::array<Vec2, 2> uv_{};
};

} // namespace

void dropRim(LayerNet& n, const Frame& plane) {
  const auto same = [&](const Frame& f) { return (f.origin - plane.origin).norm() < 1e-9 && (f.normal() - plane.normal()).norm() < 1e-9; };
  for (KnownEdge& e : n.edges) e.rim = e.rim && !same(e.rimPlane);
  for (KnownVertex& v : n.vertices)
    if (v.rimPlane && same(*v.rimPlane)) v.rimPlane.reset();
}

std::optional<Problem> dropSlantedRims(LayerNet& n, double distanceMm) {
  std::optional<Problem> note;
  for (int round = 0; round < int(n.edges.size()); ++round) {
    const KnownEdge* slanted = nullptr;
    for (size_t v = 0; v < n.vertices.size() && !slanted; ++v) { // a pole stays where the normal leads
      const KnownVertex& x = n.vertices[v];
      if (x.pole < 0 || !x.rimPlane) continue;
      const SheetAt& s = x.sheets[size_t(x.pole)];
      if (std::abs(n.outside(s.sheet, s.uv).dot(x.rimPlane->normal())) < kFlatPole) continue;
      for (const KnownEdge& e : n.edges)
        if (e.rim && (e.rimPlane.origin - x.rimPlane->origin).norm() < 1e-9) slanted = &e;
    }
    for (const KnownEdge& e : n.edges) {
      if (slanted) break;
      for (double t : e.rim ? e.t : std::vector<double>()) {
        Meeting m;
        m.add(n.outside(e.faces[0].sheet, n.imageOf(e.faces[0], t)), distanceMm);
        m.add(e.rimPlane.normal(), 0);
        if (m.step().norm() > kFlattestRim * std::abs(distanceMm) || m.missesMm() > 1e-3 * std::abs(distanceMm)) slanted = &e;
      }
    }
    if (!slanted) break;
    if (!note)
      note = problem("LM-T102", "the rim follows the normal: the skin meets its plane at too flat an angle, or in a pole");
    note->at(n.at(int(slanted - n.edges.data()), slanted->t[slanted->t.size() / 2]));
    dropRim(n, Frame(slanted->rimPlane));
  }
  return note;
}

EdgePlace placeOn(const LayerNet& n, const LayerPlaces& l, int edge, double t) {
  return Place(n, l, edge, t).run();
}

Expected<LayerPlaces> placesAt(const LayerNet& n, const Distances& distances, bool flatRims, const Context& cx) {
  return Solver(n, distances, flatRims, cx).run();
}

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

#include "nurbs/loft.h"

#include "nurbs/fit.h"
#include "nurbs/interpolate.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

class Lofter {
public:
  Lofter(const std::vector<Section>& sections, const LoftOptions& o, const Context& cx)
      : sections_(sections), o_(o), cx_(cx), n_(int(sections.size())) {}

  Expected<LoftResult> run() {
    for (double pull : {o_.startPull, o_.endPull})
      if (!(pull >= 0.05 && pull <= 10))
        return fail(problem("LM-L006", "the pull is out of range").measure(ratio(pull)).tryThis("take 0.05 to 10"));
    for (const Section& s : sections_) {
      static const Path nothing = *line({0, 0, 0}, {1, 0, 0});
      lengths_.emplace_back(s.path() ? *s.path() : nothing);
    }
    LUMSK_TRY(alignment, alignSections(sections_, lengths_, cx_.tolerances));
    out_.alignment = alignment;
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
  static Expected<Path> line(const Vec3& a, const Vec3& b) { return Path::make({LineSegment{a, b}}, {1e-9}); }

  /// Common lean fit of one stretch of all sections; kept with one row a section: x, y, z of control point 0, 1, ...
  Expected<void> fitStrip(int k) {
    std::vector<int> paths;
    for (int i = 0; i < n_; ++i)
      if (sections_[i].path()) paths.push_back(i);
    CurveFamily family;
    family.curves = int(paths.size());
    family.closed = out_.alignment.closed && out_.alignment.strips == 1 && !seamCorner();
    family.sample = [&](double t, double* out) {
      for (size_t c = 0; c < paths.size(); ++c) {
        const AlignedSection& a = out_.alignment.sections[paths[c]];
        const double f = a.breaks[k] + t * (a.breaks[k + 1] - a.breaks[k]);
        Eigen::Map<Vec3>(out + 3 * c, 3) = alignedPoint(sections_[paths[c]], lengths_[paths[c]], a, inside(f, a, k));
      }
    };
    LeanOptions lean;
    lean.fit = cx_.tolerances.fit;
    lean.degree = 3;
    for (int i : paths) lean.degree = std::clamp(sections_[i].path()->degree(), lean.degree, 5);
    LUMSK_TRY(fit, fitLean(family, lean));
    out_.sectionDeviationMm = std::max(out_.sectionDeviationMm, fit.deviationMm);
    const Eigen::Index controls = fit.controls.rows();
    Rows strip(n_, 3 * controls);
    for (int i = 0, c = 0; i < n_; ++i) {
      const Vec3* point = sections_[i].point();
      for (Eigen::Index j = 0; j < controls; ++j) {
        if (point)
          strip.row(i).segment<3>(3 * j) = point->transpose();
        else
          strip.row(i).segment<3>(3 * j) = fit.controls.row(j).segment<3>(3 * c);
      }
      c += point ? 0 : 1;
    }
    strips_.push_back(std::move(strip));
    fits_.push_back(std::move(fit));
    return {};
  }

  bool seamCorner() const {
    for (int i = 0; i < n_; ++i)
      if (sections_[i].path() && !sections_[i].path()->corners(cx_.tolerances.corner).empty()) return true;
    return false;
  }

  /// Closed sections: the end of the last stretch is the start of the first, but reached from inside.
  static double inside(double f, const AlignedSection& a, int k) {
    return k + 2 == int(a.breaks.size()) && f >= 1.0 ? 1.0 - 1e-15 : f;
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

  /// Derivative row at an end; no row when it is free. `end` 0: first, 1: last.
  Expected<Rows> endRow(const Rows& strip, int end) {
    const LoftEnd kind = end ? o_.end : o_.start;
    const double pull = end ? o_.endPull : o_.startPull;
    if (kind == LoftEnd::Free) return Rows(0, strip.cols());
    const int i = end ? n_ - 1 : 0, j = end ? n_ - 2 : 1;
    const double dv = std::abs(out_.parameters[j] - out_.parameters[i]);
    const double sign = end ? -1.0 : 1.0;
    Rows row(1, strip.cols());
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

  /// Sums arc lengths by the rule chord * theta / sin(theta), theta between chord and leaving direction.
  static void arcSums(const Rows& s, int i, int j, const Vec3& normal, bool inPlane, double& arcs, double& weight) {
    for (Eigen::Index c = 0; c < s.cols() / 3; ++c) {
      const Vec3 d = (s.row(j) - s.row(i)).segment<3>(3 * c).transpose();
      const Vec3 flat = d - d.dot(normal) * normal;
      const double theta = std::min(angleBetweenRad(d, inPlane ? flat : normal), 2.0);
      arcs += d.norm() * (theta > 1e-6 ? theta / std::sin(theta) : 1.0);
      weight += inPlane ? flat.norm() : 1.0;
    }
  }

  Expected<void> interpolateAcross(const Rows& strip) {
    const size_t k = out_.strips.size();
    LUMSK_TRY(start, endRow(strip, 0));
    LUMSK_TRY(end, endRow(strip, 1));
    const int p = std::min<int>(o_.degree, n_ - 1 + int(start.rows() + end.rows()));
    out_.degree = p;
    LUMSK_TRY(across, interpolateRows(out_.parameters, strip, p, start, end));
    const Eigen::Index nu = strip.cols() / 3, nv = across.controls.rows();
    Points grid(nu * nv, 3);
    for (Eigen::Index i = 0; i < nu; ++i)
      for (Eigen::Index j = 0; j < nv; ++j) grid.row(i * nv + j) = across.controls.row(j).segment<3>(3 * i);
    out_.strips.push_back(
        Surface::trusted(fits_[k].degree, p, fits_[k].knots, across.knots, std::move(grid), fits_[k].closed));
    return {};
  }

  const std::vector<Section>& sections_;
  const LoftOptions& o_;
  const Context& cx_;
  int n_;
  std::vector<ArcLength> lengths_;
  std::vector<LeanFit> fits_;
  std::vector<Rows> strips_;
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

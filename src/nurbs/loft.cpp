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
    LUMSK_CHECK(findMirrors());
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
  // Mirror planes: sections, and the order of sections, are continued by their mirror images and cut afterwards.

  Expected<void> findMirrors() {
    for (int end : {0, 1})
      if ((end ? o_.end : o_.start) == LoftEnd::G3) {
        const Section& s = end ? sections_.back() : sections_.front();
        if (s.point())
          return fail(problem("LM-L009", "a point cannot be G3 at a mirror plane")
                          .at(*s.point())
                          .tryThis("make this end square: a rounded point"));
        const Points pts = polyline(*s.path(), 16);
        LUMSK_TRY(plane, sidePlane(pts, Vec3::Zero(), end ? "the last section" : "the first section"));
        ends_[end] = plane;
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

  /// How far strip k is continued before its start and after its end, in lengths of its own.
  std::pair<double, double> continuedBy(int k) const {
    return {k == 0 && sides_[0] ? 1.0 : 0.0, k + 1 == out_.alignment.strips && sides_[1] ? 1.0 : 0.0};
  }

  static Expected<Path> line(const Vec3& a, const Vec3& b) { return Path::make({LineSegment{a, b}}, {1e-9}); }

  /// Common lean fit of one stretch of all sections; kept with one row a section: x, y, z of control point 0, 1, ...
  Expected<void> fitStrip(int k) {
    std::vector<int> paths;
    for (int i = 0; i < n_; ++i)
      if (sections_[i].path()) paths.push_back(i);
    CurveFamily family;
    family.curves = int(paths.size());
    family.closed = out_.alignment.closed && out_.alignment.strips == 1 && !seamCorner();
    const auto [before, after] = continuedBy(k);
    family.sample = [&, before = before, after = after](double x, double* out) {
      double t = x * (1 + before + after) - before;
      const std::optional<Frame>* image = nullptr;
      if (before > 0 && t < 0) t = -t, image = &sides_[0];
      if (after > 0 && t > 1) t = 2 - t, image = &sides_[1];
      for (size_t c = 0; c < paths.size(); ++c) {
        const AlignedSection& a = out_.alignment.sections[paths[c]];
        const double f = a.breaks[k] + t * (a.breaks[k + 1] - a.breaks[k]);
        const Vec3 p = alignedPoint(sections_[paths[c]], lengths_[paths[c]], a, inside(f, a, k));
        Eigen::Map<Vec3>(out + 3 * c, 3) = image ? mirroredPoint(p, **image) : p;
      }
    };
    LeanOptions lean;
    lean.fit = cx_.tolerances.fit;
    lean.degree = 3;
    for (int i : paths) lean.degree = std::clamp(sections_[i].path()->degree(), lean.degree, 5);
    if (before + after > 0) lean.degree = 5; // the third derivative must flow through the plane
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
    if (kind != LoftEnd::Perpendicular) return Rows(0, strip.cols());
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
  /// A derivative row at the far end of what was continued.
  static Rows image(Rows row, const Frame& f) {
    for (Eigen::Index c = 0; c < row.cols() / 3 && row.rows() > 0; ++c) {
      const Vec3 d = row.row(0).segment<3>(3 * c).transpose();
      row.row(0).segment<3>(3 * c) = (2 * d.dot(f.normal()) * f.normal() - d).transpose();
    }
    return row;
  }

  Expected<void> interpolateAcross(const Rows& strip) {
    const size_t k = out_.strips.size();
    LUMSK_TRY(start, endRow(strip, 0));
    LUMSK_TRY(end, endRow(strip, 1));
    const Continued c = continued(strip);
    const Rows first = ends_[0] ? image(end, *ends_[0]) : start, last = ends_[1] ? image(start, *ends_[1]) : end;
    const int wanted = ends_[0] || ends_[1] ? std::max(o_.degree, 5) : o_.degree;
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

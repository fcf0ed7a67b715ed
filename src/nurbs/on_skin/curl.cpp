#include "nurbs/on_skin/curl.h"

#include "nurbs/curves/curve_parts.h"
#include "nurbs/fit/fit.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/ribbon.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kPlaces = 160, kAround = 6; ///< at which a bead is looked at for folds, along and around
constexpr double kAngleShare = 0.3;       ///< of the angle tolerance: directions are fitted so closely
constexpr double kAlongShare = 0.08;      ///< of `fit`: the border is followed so closely that its direction is, too
constexpr double kOwnReach = 4;           ///< radii along the border: what is nearer belongs to the place itself
constexpr double kWithin = 0.99;          ///< of the radius

/// A place of the arc in radii: out, and up to the side it turns to.
Vec2 onArc(double angle) { return {std::sin(angle), 1 - std::cos(angle)}; }

/// The arc as control points, which leaves exactly along its first direction.
Expected<LeanFit> arc(const CurlOptions& o, LengthTolerance fit) {
  CurveFamily family;
  family.curves = 1;
  family.sample = [&](double x, double* to) {
    const Vec2 p = o.radiusMm * onArc(x * o.angleRad);
    to[0] = p.x(), to[1] = p.y(), to[2] = 0;
  };
  LeanOptions lean;
  lean.fit = fit;
  lean.firstSpans = 1;
  for (int end = 0; end < 2; ++end) {
    Rows d(1, 3);
    const double a = end * o.angleRad;
    d << o.radiusMm * o.angleRad * std::cos(a), o.radiusMm * o.angleRad * std::sin(a), 0;
    lean.endDerivatives[size_t(end)] = d;
  }
  return fitLean(family, lean);
}

class Curler {
public:
  Curler(const Path& border, const CurlOptions& o, const Context& cx)
      : border_(border), o_(o), cx_(cx), length_(border), side_(o.toFront ? 1 : -1) {}

  Expected<Curl> run() {
    LUMSK_CHECK(lookForFolds());
    LUMSK_TRY(around, arc(o_, {kAlongShare * cx_.tolerances.fit.mm}));
    Curl out;
    std::vector<Path> stretches{border_};
    if (const auto corners = border_.corners(cx_.tolerances.corner); !corners.empty()) {
      LUMSK_TRY(parts, splitAt(border_, corners, cx_.tolerances.point));
      stretches = std::move(parts);
    }
    for (const Path& p : stretches) {
      LUMSK_TRY(along, framesAlong(p));
      out.deviationMm = std::max(out.deviationMm, along.first.deviationMm + around.deviationMm);
      out.strips.push_back(stripOf(along.first, along.second, around));
    }
    return out;
  }

private:
  /// Border, directions out and up, these times a length that makes their errors count as angles.
  Expected<std::pair<LeanFit, double>> framesAlong(const Path& p) const {
    const double scale =
        std::max(o_.radiusMm, cx_.tolerances.fit.mm / (kAngleShare * radFromDeg(cx_.tolerances.angle.deg)));
    const ArcLength length(p);
    CurveFamily family;
    family.curves = 3;
    family.closed = p.closed() && p.corners(cx_.tolerances.corner).empty();
    family.sample = [&](double x, double* to) {
      const double t = std::min(length.parameterAt(std::clamp(x, 0.0, 1.0) * length.total()), p.last());
      const Leaving l = o_.leaving(p.at(t), unitTangent(p, t));
      const Vec3 at = o_.onto ? o_.onto(p.at(t)) : p.at(t);
      Eigen::Map<Vec3>(to, 3) = at;
      Eigen::Map<Vec3>(to + 3, 3) = scale * l.out;
      Eigen::Map<Vec3>(to + 6, 3) = scale * side_ * l.front;
    };
    LeanOptions lean;
    lean.fit = {kAlongShare * cx_.tolerances.fit.mm};
    lean.firstSpans = 1;
    // At ends fits turn most from what they follow: there they leave as it does.
    if (!family.closed)
      for (const size_t e : {0, 1}) {
        constexpr double kStep = 1e-4;
        Eigen::Matrix<double, 3, 9, Eigen::RowMajor> at;
        for (const int k : {0, 1, 2}) family.sample(e ? 1 - kStep * k : kStep * k, at.row(k).data());
        const double way = e ? -1 : 1;
        lean.endDerivatives[e] = Rows(way * (-3 * at.row(0) + 4 * at.row(1) - at.row(2)) / (2 * kStep));
      }
    auto fit = fitLean(family, lean);
    if (!fit && fit.error().code == "LM-G101") { // an uneven border: as closely as is asked for
      lean.fit = {0.5 * cx_.tolerances.fit.mm};
      fit = fitLean(family, lean);
    }
    if (!fit) return fail(fit.error());
    return std::pair(std::move(*fit), scale);
  }

  /// Rows of the border's control points, carried out and up by those of the arc.
  static Surface stripOf(const LeanFit& along, double scale, const LeanFit& around) {
    const Eigen::Index n = along.controls.rows(), m = around.controls.rows();
    Points grid(n * m, 3);
    for (Eigen::Index i = 0; i < n; ++i)
      for (Eigen::Index k = 0; k < m; ++k)
        grid.row(i * m + k) = along.controls.row(i).head<3>() +
                              around.controls(k, 0) / scale * along.controls.row(i).segment<3>(3) +
                              around.controls(k, 1) / scale * along.controls.row(i).tail<3>();
    return Surface::trusted(along.degree, around.degree, along.knots, around.knots, std::move(grid), along.closed);
  }

  /// Lines of the bead must run on as the border does, and be nearest to their own place of it.
  Expected<void> lookForFolds() const {
    for (int a = 1; a <= kAround; ++a) {
      const Vec2 on = o_.radiusMm * onArc(o_.angleRad * a / kAround);
      Vec3 before = Vec3::Zero();
      for (int i = 0; i <= kPlaces; ++i) {
        const double s = length_.total() * i / kPlaces, t = std::min(length_.parameterAt(s), border_.last());
        const Vec3 at = border_.at(t), tangent = unitTangent(border_, t);
        const Leaving l = o_.leaving(at, tangent);
        const Vec3 q = at + on.x() * l.out + on.y() * side_ * l.front;
        if (i > 0 && (q - before).dot(tangent) < 0 && !cornerWithin(s - length_.total() / kPlaces, s))
          return fail(problem("LM-C040", "the border bends more tightly here than the bead has room for")
                          .measure(millimetres(o_.radiusMm))
                          .at(at)
                          .tryThis("take a smaller radius or angle, or the other side"));
        before = q;
        if (withinAnother(q, s))
          return fail(problem("LM-C041", "the bead runs into another part of the border here")
                          .measure(millimetres(o_.radiusMm))
                          .at(q)
                          .tryThis("take a smaller radius or angle, or the other side"));
      }
    }
    return {};
  }
  /// Whether a place of the bead lies within the bead of another place of the border.
  bool withinAnother(const Vec3& q, double s) const {
    const double t = closestPoint(border_, q).t, near = length_.lengthAt(t);
    double away = std::abs(near - s);
    if (border_.closed()) away = std::min(away, length_.total() - away);
    if (away < kOwnReach * o_.radiusMm) return false;
    const Vec3 from = q - border_.at(t);
    const Leaving l = o_.leaving(border_.at(t), unitTangent(border_, t));
    const Vec2 in(from.dot(l.out), from.dot(side_ * l.front) - o_.radiusMm);
    return in.norm() < kWithin * o_.radiusMm;
  }

  bool cornerWithin(double from, double to) const {
    for (double t : border_.corners(cx_.tolerances.corner)) {
      const double s = length_.lengthAt(t);
      if (s >= from - 1e-9 && s <= to + 1e-9) return true;
      if (border_.closed() && t == 0 && to >= length_.total() - 1e-9) return true;
    }
    return false;
  }

  const Path& border_;
  const CurlOptions& o_;
  const Context& cx_;
  ArcLength length_;
  double side_;
};

} // namespace

Expected<Curl> curlAlong(const Path& border, const CurlOptions& options, const Context& cx) {
  return Curler(border, options, cx).run();
}

} // namespace lumsk::nurbs

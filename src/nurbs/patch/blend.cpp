#include "nurbs/patch/blend.h"

#include "nurbs/curves/correspond.h"
#include "nurbs/measure/surface_measure.h"
#include "nurbs/patch/square_pairs.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kCreaseDeg = 1; ///< between the neighbours of two patches at a corner
constexpr double kBesideCorner = 1e-6; ///< of a strip
constexpr int kPlacesOfStrip = 9;
constexpr double kBesideCrease = 1e-3; ///< of the way: a crease that goes less far towards the other path runs across

class Blender {
public:
  Blender(const std::array<BlendSide, 2>& sides, const BlendOptions& o, const Context& cx)
      : sides_(sides), o_(o), cx_(cx), lengths_{ArcLength(sides[0].path), ArcLength(sides[1].path)} {}

  Expected<BlendResult> run() {
    for (size_t k : {0u, 1u})
      if (sides_[k].tension < 0.2 || sides_[k].tension > 5)
        return fail(problem("LM-H007", "the tension of the " + called(k) + " edge is out of range")
                        .measure(ratio(sides_[k].tension))
                        .at(sides_[k].path.start())
                        .tryThis("take 0.2 to 5"));
    if (sides_[0].path.closed() != sides_[1].path.closed()) {
      const size_t open = sides_[0].path.closed() ? 1 : 0;
      return fail(problem("LM-H020", "the " + called(1 - open) + " edge is closed, the " + called(open) + " one is not")
                      .at(sides_[open].path.start())
                      .at(sides_[open].path.end())
                      .tryThis("let both go all around, or take a part of the closed one"));
    }
    LUMSK_CHECK(align());
    const int strips = alignment_.strips;
    out_.closed = alignment_.closed;
    smooth_ = alignment_.closed && strips == 1;
    std::vector<SquarePairs> pairs;
    for (int i = 0; i < strips; ++i)
      pairs.emplace_back([&](double s) { return along(0, i, s); }, [&](double s) { return along(1, i, s); }, smooth_,
                         o_.shift != 0);
    pairs_ = std::move(pairs);
    for (int i = 0; i < strips; ++i)
      for (size_t k : {0u, 1u}) beside_[k].push_back(neighbourOf(k, i));
    LUMSK_CHECK(findCreases());
    std::vector<FacingRibbons> made;
    for (int i = 0; i < strips; ++i) {
      if (cx_.stopped()) return fail(cancelled());
      LUMSK_TRY(ribbons, strip(i));
      made.push_back(std::move(ribbons));
    }
    for (int i = 0; i < strips; ++i) {
      out_.patches.push_back(skinBetween(made[size_t(i)]));
      for (size_t k : {0u, 1u}) {
        out_.sides[k].gapMm = std::max(out_.sides[k].gapMm, made[size_t(i)].ribbons[k].gapMm);
        out_.sides[k].join.take(made[size_t(i)].ribbons[k].join, cx_.tolerances);
      }
    }
    shareBorders();
    for (const Surface& s : out_.patches)
      if (const auto at = firstFold(s))
        return fail(problem("LM-H021", "the blend folds over itself here")
                        .at(*at)
                        .tryThis("take less tension, pair the edges the other way round, or take parts of them"));
    return std::move(out_);
  }

private:
  static std::string called(size_t side) { return side == 0 ? "first" : "second"; }

  Expected<void> align() {
    std::vector<Section> sections{{sides_[0].path}, {sides_[1].path}};
    sections[1].flip = o_.flip;
    LUMSK_TRY(aligned, alignSections(sections, {lengths_[0], lengths_[1]}, {}, cx_.tolerances));
    alignment_ = std::move(aligned);
    if (alignment_.closed && alignment_.strips == 1) alignment_.sections[1].start += o_.shift;
    return {};
  }

  /// Share of a path's own length at a place of a strip.
  double share(size_t side, int strip, double s) const {
    if (side == 1 && size_t(strip) < pairs_.size()) s = pairs_[size_t(strip)](s);
    if (smooth_) s -= std::floor(s);
    return ownFraction(alignment_.sections[side], alignment_.closed, {strip, s});
  }
  /// Place and derivative by the strip's parameter.
  std::array<Vec3, 2> along(size_t side, int strip, double s) const {
    const double f = share(side, strip, s), t = lengths_[side].parameterAtFraction(f);
    CurveDerivatives d;
    sides_[side].path.derivatives(std::min(t, std::nextafter(sides_[side].path.last(), 0.0)), 1, d);
    const AlignedSection& a = alignment_.sections[side];
    const double part = a.breaks[size_t(strip) + 1] - a.breaks[size_t(strip)];
    return {d[0], (a.reversed ? -1.0 : 1.0) * part * lengths_[side].total() * d[1].normalized()};
  }
  Vec3 at(size_t side, int strip, double s) const {
    return sides_[side].path.at(lengths_[side].parameterAtFraction(share(side, strip, s)));
  }

  Neighbour neighbourOf(size_t side, int strip) const {
    if (orderOf(sides_[side].meets) == 0 || !sides_[side].neighbour) return {};
    std::vector<Vec3> places;
    for (int i = 0; i < kPlacesOfStrip; ++i) places.push_back(at(side, strip, (i + 0.5) / kPlacesOfStrip));
    return sides_[side].neighbour(places);
  }

  /// How the blend's borders leave both paths at the ends of every strip: as is said for those of open paths, along the
  /// crease where skins meet at a corner with one.
  Expected<void> findCreases() {
    const int strips = alignment_.strips;
    for (size_t k : {0u, 1u}) {
      leaving_[k].resize(size_t(strips));
      if (orderOf(sides_[k].meets) == 0) continue;
      if (!alignment_.closed) {
        const bool back = alignment_.sections[k].reversed;
        leaving_[k].front()[0] = sides_[k].ends[back ? 1 : 0];
        leaving_[k].back()[1] = sides_[k].ends[back ? 0 : 1];
      }
      for (int i = smooth_ || !alignment_.closed ? 1 : 0; i < strips; ++i) {
        const size_t before = size_t((i + strips - 1) % strips);
        const Vec3 here = at(k, i, 0);
        const Neighbour &a = beside_[k][before], &b = beside_[k][size_t(i)];
        const auto first = a ? a(here) : std::nullopt, second = b ? b(here) : std::nullopt;
        if (!first || !second) continue;
        const Vec3 way = at(1 - k, i, 0) - here;
        auto& leaving = leaving_[k][size_t(i)][0];
        if (degFromRad(angleBetweenRad(first->normal, second->normal)) > kCreaseDeg) {
          LUMSK_TRY(along, crease(*first, *second, way, here));
          leaving = along;
        } else {
          leaving = between(k, int(before), i, *first, way);
        }
        leaving_[k][before][1] = leaving;
      }
    }
    return {};
  }

  /// The normal section of a skin at a corner of its border, as both patches that meet there see it.
  Leaving between(size_t side, int before, int after, const NeighbourPlace& p, const Vec3& way) const {
    const auto tangent = [&](int strip, double s) { return along(side, strip, s)[1].normalized(); };
    const Vec3 d = leavingWay(way, p.normal, tangent(before, 1 - kBesideCorner) + tangent(after, kBesideCorner), neighbourLeft(side)).normalized();
    const std::array<Vec3, 3> section = continuing(nurbs::normalSection(p.d, p.normal, d), p.normal, d, 1);
    return {section[0], section[1], section[2]};
  }
  int neighbourLeft(size_t side) const {
    return alignment_.sections[side].reversed ? -sides_[side].neighbourLeft : sides_[side].neighbourLeft;
  }

  /// A curve that leaves a corner within two skins at once, as far as its third derivative says.
  static Expected<Leaving> crease(const NeighbourPlace& a, const NeighbourPlace& b, const Vec3& way, const Vec3& at) {
    Leaving out;
    out.direction = a.normal.cross(b.normal).normalized();
    const double towards = out.direction.dot(way);
    if (std::abs(towards) < kBesideCrease * way.norm())
      return fail(problem("LM-L014", "the way to the other edge stands square on the crease that a corner lies on")
                      .at(at)
                      .tryThis("take G0 here, or blend the edges on either side of the corner by themselves"));
    if (towards < 0) out.direction = -out.direction;
    Eigen::Matrix<double, 2, 3> normals;
    normals << a.normal.transpose(), b.normal.transpose();
    const Eigen::Matrix<double, 3, 2> raised = normals.transpose() * (normals * normals.transpose()).inverse();
    const auto heights = [&](const Vec3& bend, size_t which) {
      const auto of = [&](const NeighbourPlace& p) {
        return heightsAlong(p.d, p.normal, out.direction, bend - bend.dot(p.normal) * p.normal)[which];
      };
      return Vec2(of(a), of(b));
    };
    out.bend = raised * heights(Vec3::Zero(), 0);
    out.rate = raised * heights(out.bend, 1) - out.bend.squaredNorm() * out.direction;
    return out;
  }

  Expected<FacingRibbons> strip(int i) {
    std::array<RibbonEdge, 2> edges;
    for (size_t k : {0u, 1u}) {
      RibbonEdge& e = edges[k];
      e.path = &sides_[k].path;
      e.length = &lengths_[k];
      e.share = [this, k, i](double s) { return share(k, i, s); };
      e.order = orderOf(sides_[k].meets);
      e.neighbour = beside_[k][size_t(i)];
      e.tension = sides_[k].tension;
      if (const auto& along = sides_[k].tensionAlong)
        e.tensionAlong = [this, k, i, &along](double s) { return along(share(k, i, s)); };
      e.neighbourLeft = neighbourLeft(k);
      e.ends = leaving_[k][size_t(i)];
    }
    return facingRibbons(edges, smooth_, cx_);
  }

  /// Patches that meet have one border, not two that agree within the fit.
  void shareBorders() {
    const size_t n = out_.patches.size();
    for (size_t i = 0; i < n; ++i) {
      if (n == 1 || (i + 1 == n && !out_.closed)) continue;
      Surface &a = out_.patches[i], &b = out_.patches[(i + 1) % n];
      for (int j = 0; j < a.sizeV(); ++j)
        a.point(a.sizeU() - 1, j) = b.point(0, j) = (0.5 * (a.point(a.sizeU() - 1, j) + b.point(0, j))).eval();
    }
  }

  const std::array<BlendSide, 2>& sides_;
  const BlendOptions& o_;
  const Context& cx_;
  std::array<ArcLength, 2> lengths_;
  Alignment alignment_;
  std::vector<SquarePairs> pairs_;
  bool smooth_ = false; ///< closed without a corner
  std::array<std::vector<Neighbour>, 2> beside_;                                   ///< by strip
  std::array<std::vector<std::array<std::optional<Leaving>, 2>>, 2> leaving_; ///< likewise
  BlendResult out_;
};

} // namespace

Expected<BlendResult> blend(const std::array<BlendSide, 2>& sides, const BlendOptions& options, const Context& cx) {
  return Blender(sides, options, cx).run();
}

} // namespace lumsk::nurbs

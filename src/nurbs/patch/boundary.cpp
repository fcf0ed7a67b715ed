#include "nurbs/patch/boundary.h"

#include "nurbs/on_skin/surface_curves.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/patch/edge_ribbon.h"
#include "nurbs/loft/loft.h"
#include "nurbs/measure/surface_measure.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kShortest = 1e-3; ///< of the ring: shorter edges are refused
constexpr double kOpenSide = 0.02; ///< of the edges' length: narrower gaps are gaps, not sides
constexpr double kSmoothCornerDeg = 2;
constexpr int kGuideLooks = 90;

/// A side of the ring, in its direction.
struct Piece {
  Path path;
  ArcLength length;
  int edge = 0;
  bool reversed = false;
  Vec3 start() const { return reversed ? path.end() : path.start(); }
  Vec3 finish() const { return reversed ? path.start() : path.end(); }
  /// Unit tangent at its start or end, in its direction.
  Vec3 tangent(bool first) const {
    const bool atStart = first != reversed;
    CurveDerivatives d;
    path.derivatives(0, 1, d);
    const Vec3 t = atStart ? d[1] : path.tangentBefore(path.last());
    return (reversed ? Vec3(-t) : t).normalized();
  }
};

std::string called(int edge) { return "edge " + std::to_string(edge + 1); }

class Bounder {
public:
  Bounder(const std::vector<BoundaryEdge>& edges, const BoundaryOptions& o, const Context& cx)
      : edges_(edges), o_(o), cx_(cx) {}

  Expected<BoundaryResult> run() {
    out_.edges.resize(edges_.size());
    for (size_t i = 0; i < edges_.size(); ++i) out_.edges[i].flows = edges_[i].meets != Meets::G0;
    if (edges_.size() == 2 && edges_[0].path.closed() && edges_[1].path.closed()) return bridged();
    LUMSK_CHECK(divide());
    LUMSK_CHECK(sortRing());
    if (apart_) return between();
    LUMSK_CHECK(checkLengths());
    LUMSK_TRY(sides, takeSides());
    PatchFitOptions fit;
    for (const Path& g : o_.guides) fit.guides.push_back(&g);
    fit.zoneShare = o_.zoneShare;
    LUMSK_TRY(made, fitPatch(sides, fit, cx_));
    for (int k = 0; k < 4; ++k)
      if (pieceOf_[size_t(k)] >= 0) {
        BoundaryEdgeResult& e = out_.edges[size_t(ring_[size_t(pieceOf_[size_t(k)])].edge)];
        e.sides.push_back(k);
        e.gapMm = std::max(e.gapMm, made.gapMm[size_t(k)]);
        e.join.take(made.joins[size_t(k)], cx_.tolerances);
      }
    out_.corners = std::move(made.corners);
    out_.surface = std::move(made.surface);
    LUMSK_CHECK(measureGuides());
    LUMSK_CHECK(checkSize());
    return unfolded();
  }

private:
  Expected<void> checkTension(int edge) const {
    const BoundaryEdge& e = edges_[size_t(edge)];
    if (e.tension >= 0.2 && e.tension <= 5) return {};
    return fail(problem("LM-H007", "the tension of " + called(edge) + " is out of range")
                    .measure(ratio(e.tension))
                    .at(e.path.start())
                    .tryThis("take 0.2 to 5"));
  }

  Expected<void> divide() {
    for (size_t i = 0; i < edges_.size(); ++i) {
      const Path& p = edges_[i].path;
      LUMSK_CHECK(checkTension(int(i)));
      const std::vector<double> corners = p.corners(cx_.tolerances.corner);
      if (p.closed() && corners.size() < 2)
        return fail(problem("LM-H004", called(int(i)) + " is closed and has no corners that make it a ring of edges")
                        .at(p.start())
                        .tryThis("take parts of it as edges, or one other closed edge to bridge to"));
      std::vector<Path> parts{p};
      if (!corners.empty()) {
        LUMSK_TRY(cut, splitAt(p, corners, cx_.tolerances.point));
        parts = std::move(cut);
      }
      for (Path& part : parts) {
        ArcLength length(part);
        pieces_.push_back({std::move(part), std::move(length), int(i), false});
      }
    }
    if (pieces_.size() >= 2 && pieces_.size() <= 4) return {};
    return fail(problem("LM-H001", pieces_.size() < 2 ? "a patch needs two edges at least"
                                                      : "a patch has four edges at most, corners divide them")
                    .measure(count(int(pieces_.size())))
                    .want(count(4))
                    .at(pieces_.empty() ? Vec3(Vec3::Zero()) : pieces_.front().start())
                    .tryThis(pieces_.size() < 2 ? "pick more edges"
                                                : "join edges that go on in one another, or make several patches"));
  }

  /// Gaps behind every piece of an arrangement, from where they start and end.
  static std::vector<double> gapsOf(const std::vector<std::array<Vec3, 2>>& ends) {
    std::vector<double> out;
    for (size_t i = 0; i < ends.size(); ++i) out.push_back((ends[(i + 1) % ends.size()][0] - ends[i][1]).norm());
    return out;
  }
  std::vector<double> gapsOfRing() const {
    std::vector<std::array<Vec3, 2>> ends;
    for (const Piece& p : ring_) ends.push_back({p.start(), p.finish()});
    return gapsOf(ends);
  }

  /// The arrangement with the least gaps, of which the widest counts least: it may be an open side.
  Expected<void> sortRing() {
    const size_t n = pieces_.size();
    std::vector<size_t> order, bestOrder;
    for (size_t i = 0; i < n; ++i) order.push_back(i);
    double best = 1e300;
    unsigned bestFlips = 0;
    do {
      for (unsigned flips = 0; flips < (1u << n); flips += 2) { // the first one as it is
        std::vector<std::array<Vec3, 2>> ends;
        for (size_t i = 0; i < n; ++i) {
          const Path& p = pieces_[order[i]].path;
          ends.push_back(flips >> i & 1 ? std::array<Vec3, 2>{p.end(), p.start()}
                                        : std::array<Vec3, 2>{p.start(), p.end()});
        }
        const std::vector<double> gaps = gapsOf(ends);
        double sum = 0;
        for (double g : gaps) sum += g;
        const double widest = *std::max_element(gaps.begin(), gaps.end());
        const double weighed = n == 3 ? sum - 0.9 * widest : sum;
        if (weighed < best - 1e-9) best = weighed, bestOrder = order, bestFlips = flips;
      }
    } while (std::next_permutation(order.begin() + 1, order.end()));
    for (size_t i = 0; i < n; ++i) {
      ring_.push_back(std::move(pieces_[bestOrder[i]]));
      ring_.back().reversed = bestFlips >> i & 1;
    }
    const std::vector<double> gaps = gapsOfRing();
    const size_t widest = size_t(std::max_element(gaps.begin(), gaps.end()) - gaps.begin());
    double length = 0;
    for (const Piece& p : ring_) length += p.length.total();
    const int open = int(std::count_if(gaps.begin(), gaps.end(), [&](double g) { return g > o_.largestGap.mm; }));
    if (open == 0) {
      out_.largestGapMm = gaps[widest];
    } else if (n == 2 && open == 2) {
      apart_ = true;
    } else if (n == 3 && open == 1 && gaps[widest] > kOpenSide * length) {
      out_.openSide = true;
      std::rotate(ring_.begin(), ring_.begin() + long(widest) + 1, ring_.end());
      const std::vector<double> turned = gapsOfRing();
      out_.largestGapMm = std::max(turned[0], turned[1]);
    } else {
      const Piece &a = ring_[widest], &b = ring_[(widest + 1) % n];
      return fail(
          problem("LM-H002", called(a.edge) + " and " + called(b.edge) + " do not meet: the edges do not form a ring")
              .measure(millimetres(gaps[widest]))
              .want(millimetres(o_.largestGap.mm))
              .at(a.finish())
              .at(b.start())
              .tryThis("extend or trim them so that they meet, allow a larger gap, or pick the missing edge"));
    }
    return {};
  }

  Expected<void> checkLengths() const {
    double ring = 0;
    for (const Piece& p : ring_) ring += p.length.total();
    for (size_t i = 0; i < ring_.size(); ++i)
      if (ring_[i].length.total() < kShortest * ring)
        return fail(problem("LM-H003", called(ring_[i].edge) + " is very short beside the others")
                        .measure(millimetres(ring_[i].length.total()))
                        .want(millimetres(kShortest * ring))
                        .at(ring_[i].start())
                        .tryThis("leave it out and let its neighbours meet, or take a longer one"));
    return {};
  }

  Vec3 cornerBefore(size_t piece) const {
    const size_t n = ring_.size();
    return 0.5 * (ring_[piece].start() + ring_[(piece + n - 1) % n].finish());
  }

  /// The corner with the pole: the piece that starts there.
  size_t poleOfThree() const {
    if (o_.pole)
      for (size_t i = 0; i < 3; ++i)
        if (ring_[(i + 1) % 3].edge == *o_.pole) return i;
    size_t best = 0;
    double least = 1e300;
    for (size_t i = 0; i < 3; ++i) {
      const double angle = angleBetweenRad(ring_[i].tangent(true), Vec3(-ring_[(i + 2) % 3].tangent(false)));
      if (angle < least - 1e-6) least = angle, best = i;
    }
    return best;
  }

  Expected<std::array<PatchSide, 4>> takeSides() {
    const size_t n = ring_.size();
    std::vector<int> on; // piece of every side
    if (n == 4) {
      on = {0, 1, 2, 3};
    } else if (n == 3 && out_.openSide) {
      on = {0, 1, 2, -1};
    } else if (n == 3) {
      std::rotate(ring_.begin(), ring_.begin() + long(poleOfThree()), ring_.end());
      on = {-1, 0, 1, 2};
      out_.poles = {cornerBefore(0)};
    } else {
      on = {-1, 0, -1, 1};
      out_.poles = {cornerBefore(0), cornerBefore(1)};
    }
    std::array<PatchSide, 4> sides;
    for (int k = 0; k < 4; ++k) {
      PatchSide& s = sides[size_t(k)];
      const bool back = k > 1; // against the ring
      const int piece = pieceOf_[size_t(k)] = on[size_t(k)];
      if (piece < 0) {
        const Vec3 pole = cornerBefore(k == 2 ? 1 : 0);
        s.ends =
            out_.openSide ? std::array<Vec3, 2>{ring_[0].start(), ring_[2].finish()} : std::array<Vec3, 2>{pole, pole};
        s.free = out_.openSide;
        continue;
      }
      const Piece& p = ring_[size_t(piece)];
      const BoundaryEdge& e = edges_[size_t(p.edge)];
      s.path = &p.path;
      s.length = &p.length;
      s.reversed = p.reversed != back;
      const bool first = out_.openSide && piece == 0, last = out_.openSide && piece == 2;
      s.ends = {first ? p.start() : cornerBefore(size_t(piece)),
                last ? p.finish() : cornerBefore((size_t(piece) + 1) % n)};
      if (back) std::swap(s.ends[0], s.ends[1]);
      s.meets = e.meets;
      s.neighbour = e.neighbour;
      s.tension = e.tension;
      LUMSK_TRY(plane, planeOf(p, ring_[(size_t(piece) + n - 1) % n].tangent(false)));
      s.plane = plane;
    }
    for (size_t i = 0; i < n && n > 2; ++i) {
      if (out_.openSide && i == 0) continue;
      const double turn = degFromRad(angleBetweenRad(ring_[(i + n - 1) % n].tangent(false), ring_[i].tangent(true)));
      if (std::min(turn, 180 - turn) < kSmoothCornerDeg) out_.smoothCornerAt = cornerBefore(i);
    }
    return sides;
  }

  /// Unit normal of the mirror plane in which an edge lies; nought for edges that meet something else.
  Expected<Vec3> planeOf(const Piece& p, const Vec3& leaving) {
    const BoundaryEdge& e = edges_[size_t(p.edge)];
    if (!atMirror(e.meets)) return Vec3(Vec3::Zero());
    LUMSK_TRY(plane,
              planeOfSide(polyline(p.path, 16), o_.mirror, leaving, cx_.tolerances.point, {"LM-H006", called(p.edge)}));
    if (!out_.mirror) out_.mirror = plane;
    return plane.normal();
  }

  /// Two edges that do not meet: straight on from one to the other.
  Expected<BoundaryResult> between() {
    if (!o_.guides.empty()) return lofted({ring_[0].edge, ring_[1].edge});
    std::array<RibbonEdge, 2> ribbons;
    for (size_t i : {0u, 1u}) {
      const BoundaryEdge& e = edges_[size_t(ring_[i].edge)];
      LUMSK_TRY(plane, planeOf(ring_[i], ring_[1 - i].start() - ring_[i].start()));
      const bool reversed = ring_[i].reversed != (i == 1);
      ribbons[i] = {&ring_[i].path, &ring_[i].length, [reversed](double s) { return reversed ? 1 - s : s; },
                    orderOf(e.meets), e.neighbour, plane, e.tension};
    }
    LUMSK_TRY(made, facingRibbons(ribbons, false, cx_));
    for (size_t i : {0u, 1u}) {
      BoundaryEdgeResult& e = out_.edges[size_t(ring_[i].edge)];
      e.sides.push_back(i ? 2 : 0);
      e.join.take(made.ribbons[i].join, cx_.tolerances);
      e.gapMm = std::max(e.gapMm, made.ribbons[i].gapMm);
    }
    out_.surface = skinBetween(made);
    return unfolded();
  }

  /// Closed edges: all around from one to the other.
  Expected<BoundaryResult> bridged() {
    for (int i : {0, 1}) LUMSK_CHECK(checkTension(i));
    return lofted({0, 1});
  }

  /// The same along curves.
  Expected<BoundaryResult> lofted(std::array<int, 2> edges) {
    LoftOptions loft;
    loft.mirror = o_.mirror;
    loft.guides = o_.guides;
    loft.largestGap = o_.largestGap;
    loft.atJoints = true;
    std::vector<Section> sections;
    for (size_t i : {0u, 1u}) {
      const BoundaryEdge& e = edges_[size_t(edges[i])];
      sections.push_back({e.path});
      LoftEndOptions end(e.meets == Meets::G0 ? Meets::Free : e.meets);
      end.neighbour = e.neighbour;
      end.pull = e.tension;
      (i ? loft.end : loft.start) = end;
    }
    LUMSK_TRY(made, lumsk::nurbs::loft(sections, loft, cx_));
    for (size_t i : {0u, 1u}) {
      BoundaryEdgeResult& e = out_.edges[size_t(edges[i])];
      e.sides.push_back(i ? 2 : 0);
      e.join = made.join;
      e.gapMm = made.sectionDeviationMm;
    }
    out_.guideMm.assign(o_.guides.size(), made.guideDeviationMm);
    out_.mirror = made.mirror;
    out_.surface = std::move(made.strips.front());
    out_.further.assign(std::make_move_iterator(made.strips.begin() + 1), std::make_move_iterator(made.strips.end()));
    return unfolded();
  }

  Expected<BoundaryResult> unfolded() {
    auto fold = firstFold(out_.surface);
    for (size_t i = 0; !fold && i < out_.further.size(); ++i) fold = firstFold(out_.further[i]);
    if (fold)
      return fail(problem("LM-H107", "the patch folds over itself here")
                      .at(*fold)
                      .tryThis("let an edge flow on less far, put a curve inside, or divide the patch"));
    return std::move(out_);
  }

  /// A patch does not go further beyond its edges and the curves inside than they reach themselves.
  Expected<void> checkSize() const {
    Vec3 low = Vec3::Constant(1e300), high = -low;
    const auto take = [&](const Path& p) {
      const Points pts = polyline(p, 16);
      low = low.cwiseMin(Vec3(pts.colwise().minCoeff().transpose()));
      high = high.cwiseMax(Vec3(pts.colwise().maxCoeff().transpose()));
    };
    for (const Piece& p : ring_) take(p.path);
    for (const Path& g : o_.guides) take(g);
    const double size = (high - low).norm();
    const Extent box = extentOf(out_.surface);
    const double beyond = std::max((low - box.low).maxCoeff(), (box.high - high).maxCoeff());
    if (beyond <= size) return {};
    return fail(problem("LM-H012", "the patch runs away from its edges: they hardly say how it is to go on")
                    .measure(millimetres(beyond))
                    .want(millimetres(size))
                    .at(cornerBefore(0))
                    .tryThis("ask for less where neighbours contradict, let an edge flow on less far, or divide the patch"));
  }

  Expected<void> measureGuides() {
    const NearestOnSurface nearest(out_.surface);
    for (size_t g = 0; g < o_.guides.size(); ++g) {
      const Path& path = o_.guides[g];
      double worst = 0;
      for (int i = 0; i <= kGuideLooks; ++i) {
        const Vec3 p = path.at(path.last() * i / kGuideLooks);
        const NearestOnSurface::Foot c = nearest.foot(p);
        worst = std::max(worst, c.distanceMm);
        const bool border = c.uv.minCoeff() < 1e-6 || c.uv.maxCoeff() > 1 - 1e-6;
        if (border && c.distanceMm > 10 * std::max(o_.largestGap.mm, cx_.tolerances.point.mm))
          return fail(problem("LM-H005", "curve " + std::to_string(g + 1) + " inside leaves the patch over its edges")
                          .measure(millimetres(c.distanceMm))
                          .at(p)
                          .tryThis("take the part of it that lies within the edges"));
      }
      out_.guideMm.push_back(worst);
    }
    return {};
  }

  const std::vector<BoundaryEdge>& edges_;
  const BoundaryOptions& o_;
  const Context& cx_;
  std::vector<Piece> pieces_, ring_;
  std::array<int, 4> pieceOf_{-1, -1, -1, -1};
  bool apart_ = false;
  BoundaryResult out_;
};

} // namespace

Expected<BoundaryResult> boundary(const std::vector<BoundaryEdge>& edges, const BoundaryOptions& options,
                                  const Context& cx) {
  return Bounder(edges, options, cx).run();
}

} // namespace lumsk::nurbs

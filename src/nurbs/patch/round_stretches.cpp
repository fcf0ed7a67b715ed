#include "nurbs/patch/round_stretches.h"

#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/on_skin/ribbon.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kPlaces = 240, kHalvings = 40;
constexpr double kPointMm = 1e-3;     ///< so narrow a band may end in a point
constexpr double kMostPointMm = 5e-2; ///< or so narrow where its size comes to nothing towards it
constexpr double kTaperSizes = 2, kLeastTaper = 1e-3;

/// Finds the stretches of one edge.
class Stretches {
public:
  Stretches(const RoundEdge& edge, double sizeMm, const Tolerances& tol)
      : e_(edge), path_(*edge.path), size_(sizeMm), tol_(tol), length_(path_), around_(path_.closed()), enoughDeg_(degFromRad(kPointMm / sizeMm)) {}

  Expected<std::vector<RoundStretch>> run() const {
    const std::vector<RoundStretch> whole{{path_, {}, {}, {0, 1}, 0}};
    if (!path_.corners(tol_.corner).empty()) return whole; // around tips
    std::vector<double> turn;
    for (int i = 0; i <= kPlaces; ++i) turn.push_back(std::abs(turnAt(place(i))));
    const auto sharp = [&](int i) { return turn[size_t(around_ ? (i + kPlaces) % kPlaces : i)] > tol_.corner.deg; };
    const int last = around_ ? kPlaces - 1 : kPlaces;
    std::vector<int> rising, falling; // first and last places with a kink
    for (int i = 0; i <= last; ++i) {
      if (!sharp(i)) continue;
      if ((i == 0 && !around_) || !sharp(i - 1)) rising.push_back(i);
      if ((i == last && !around_) || !sharp(i + 1)) falling.push_back(i);
    }
    if (rising.empty() && sharp(0)) return whole;
    if (rising.empty())
      return fail(problem("LM-O005", "the edge is smooth here: there is nothing to round").measure(degrees(*std::max_element(turn.begin(), turn.end()))).at(path_.at(0.5 * path_.last())).tryThis("take another edge"));
    if (falling.front() < rising.front()) std::rotate(falling.begin(), falling.begin() + 1, falling.end()); // through the seam
    std::vector<RoundStretch> out;
    for (size_t k = 0; k < rising.size(); ++k) {
      LUMSK_TRY(made, stretch(rising[k], falling[k]));
      if (!made) return whole;
      out.push_back(std::move(*made));
    }
    return out;
  }

private:
  double place(int i) const { return length_.total() * i / kPlaces; }
  double inside(double s) const { return around_ ? s - length_.total() * std::floor(s / length_.total()) : std::clamp(s, 0.0, length_.total()); }
  double parameterAt(double s) const { return std::min(length_.parameterAt(inside(s)), path_.last()); }

  /// Between both skins, one way at convex edges, the other at concave ones.
  double turnAt(double s) const {
    const double t = parameterAt(s);
    const auto a = e_.sides[0](path_.at(t)), b = e_.sides[1](path_.at(t));
    if (!a || !b) return 0.0;
    const Vec3 both = a->normal.cross(b->normal);
    const double turned = degFromRad(std::atan2(both.norm(), a->normal.dot(b->normal)));
    return both.dot(unitTangent(path_, t)) < 0 ? -turned : turned;
  }

  /// Outwards from a place as long as the kink falls, then to where it is next to nothing; with what is left of it there.
  std::pair<double, double> end(double s, bool outwards) const {
    const double way = (outwards ? 1 : -1) * length_.total() / kPlaces, sign = turnAt(s) < 0 ? -1 : 1;
    double now = sign * turnAt(s);
    for (int i = 0; i < kPlaces && now > enoughDeg_; ++i) {
      const double next = around_ ? s + way : inside(s + way), then = sign * turnAt(next);
      if (next == s || then > now) break;
      if (then <= enoughDeg_) {
        double in = s, beyond = next;
        for (int h = 0; h < kHalvings; ++h) (sign * turnAt(0.5 * (in + beyond)) > enoughDeg_ ? in : beyond) = 0.5 * (in + beyond);
        return {in, sign * turnAt(in)};
      }
      s = next, now = then;
    }
    return {s, now};
  }

  /// Nothing where it is all of the edge and fades nowhere.
  Expected<std::optional<RoundStretch>> stretch(int first, int last) const {
    RoundStretch made;
    std::array<double, 2> ends{place(first), place(last)};
    if (around_ && ends[1] < ends[0]) ends[1] += length_.total();
    for (const size_t e : {0, 1}) {
      if (!around_ && (e ? last == kPlaces : first == 0)) continue;
      const auto [s, left] = end(ends[e], e == 1);
      const double wideMm = radFromDeg(left) * size_;
      ends[e] = s;
      if (!around_ && (s <= 0 || s >= length_.total()) && wideMm > kMostPointMm) continue; // it ends before it fades
      if (wideMm > kMostPointMm)
        return fail(problem("LM-O005", "the skins meet with next to no kink here, but with one: a round neither fades nor goes on")
                        .measure(degrees(left))
                        .at(path_.at(parameterAt(s)))
                        .tryThis("let the skins flow into one another there, or take a smaller size"));
      made.fades[e] = true;
      made.tapers[e] = wideMm > 2 * kPointMm;
      made.creaseDeg = std::max(made.creaseDeg, left);
      made.share[e] = s / length_.total();
    }
    if (!made.fades[0] && !made.fades[1]) return std::optional<RoundStretch>();
    LUMSK_TRY(part, pathPortion(path_, made.fades[0] ? parameterAt(ends[0]) : 0.0, made.fades[1] ? parameterAt(ends[1]) : path_.last(), tol_.point));
    made.path = std::move(part);
    return std::optional(std::move(made));
  }

  const RoundEdge& e_;
  const Path& path_;
  double size_;
  const Tolerances& tol_;
  ArcLength length_;
  bool around_;
  double enoughDeg_;
};

} // namespace

Expected<std::vector<RoundStretch>> roundStretches(const RoundEdge& edge, double sizeMm, const Tolerances& tol) { return Stretches(edge, sizeMm, tol).run(); }

std::function<double(double)> sizesAlong(const RoundStretch& stretch, std::function<double(double)> ofEdge) {
  return [ofEdge = std::move(ofEdge), length = ArcLength(stretch.path).total(), share = stretch.share, tapers = stretch.tapers](double f) {
    const double at = share[0] + f * (share[1] - share[0]);
    double size = ofEdge(at > 1 ? at - 1 : at < 0 ? at + 1 : at); // through the seam
    for (const size_t e : {0, 1}) {
      const double x = (e ? 1 - f : f) * length / std::min<double>(kTaperSizes * size, 0.5 * length);
      if (tapers[e] && x < 1) size *= std::max<double>(kLeastTaper, x * x * (3 - 2 * x));
    }
    return size;
  };
}

} // namespace lumsk::nurbs

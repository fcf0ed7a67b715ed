#pragma once
#include "nurbs/measure/arc_length.h"
#include "nurbs/fit/monotone.h"

#include <memory>
#include <optional>

namespace lumsk::nurbs {

/// A section of a loft: a path, or a point at either end.
struct Section {
  std::variant<Path, Vec3> shape;
  bool flip = false;           ///< turn the direction that alignment chooses
  std::optional<double> start; ///< closed sections: start as a fraction of the section's own length; else aligned
  double closeness = 1.0; ///< so much more closely than within `fit` it is followed: an edge that another skin has, too
  /// How shares of its length are counted: of copies that are drawn out of shape, as those of what they are copies of.
  std::shared_ptr<const ArcLength> counted = {};
  const Path* path() const { return std::get_if<Path>(&shape); }
  const Vec3* point() const { return std::get_if<Vec3>(&shape); }
};

/// How one section is run through by a loft.
struct AlignedSection {
  bool reversed = false;      ///< against its own direction
  double start = 0.0;         ///< fraction of its own length where the loft's parameter starts
  std::vector<double> breaks; ///< fractions along the loft's parameter where strips begin and end: 0, ..., 1
  bool changedDirection = false, changedStart = false; ///< by the alignment, not by the person
  /// Of every strip, where pairs bend it: the loft's parameter in the strip to the section's own share of it. Of closed
  /// sections without corners it is periodic, and may begin beyond the start.
  std::vector<std::optional<MonotoneMap>> bends;
};

/// Places that belong together: of every section a fraction of its own length, or nothing where it is left free.
using PairLine = std::vector<std::optional<double>>;

struct Alignment {
  std::vector<AlignedSection> sections; ///< one per section; of points only the place in the list counts
  bool closed = false;
  int strips = 1; ///< stretches between corners
};

struct AlignOptions {
  std::vector<PairLine> pairs, guides; ///< guides count as pairs, and are called so in problems
  std::vector<PairLine> joints;        ///< count as pairs once starts and directions are known
  bool around = false;                 ///< the last section is followed by the first one
};
/// Brings the sections' directions, starts and corners together for least twist: both directions of a closed section
/// are tried with the rotation of least total squared distance (cross-correlation over equal arc lengths, then Newton),
/// open ones vote by distances of ends and tangents; corners go to corners, in order; pairs bend the parameter between
/// them smoothly. Fails with LM-L001 (fewer than two sections), LM-L002 (open and closed mixed), LM-L003 (a point not
/// at an end), LM-L010 (a pair across a corner or at an end), LM-L011 (pairs that cross), LM-G011 (pairs too
/// uneven), LM-L028 (open sections around that close with half a twist).
Expected<Alignment> alignSections(const std::vector<Section>& sections, const std::vector<ArcLength>& lengths,
                                  const AlignOptions& options, const Tolerances& tol);

/// Fraction along an aligned section of a place in [0, 1] of one of its strips.
double alignedFraction(const AlignedSection& a, int strip, double t);

/// The order in which sections follow one another most shortly, by their centres and sizes (shortest open path: nearest
/// neighbours, then exchanges of two, Croes 1958); points come at the ends. It runs in the given sense. Empty when the
/// given order is as good as within a tenth, and of more than 200 sections.
std::vector<int> shorterOrder(const std::vector<Section>& sections);

/// A place of the loft: a strip, and how far along it.
struct LoftPlace {
  int strip = 0;
  double t = 0.0;
};
/// Where the loft runs through a fraction of a section's own length, and the other way round.
LoftPlace loftPlace(const AlignedSection& a, bool closed, double ownFraction);
double ownFraction(const AlignedSection& a, bool closed, const LoftPlace& at);

/// Point of an aligned section at fraction f of the loft's parameter, by arc length.
Vec3 alignedPoint(const Section& s, const ArcLength& length, const AlignedSection& a, double f);
/// Unit tangent there, in the loft's sense; zero where there is none.
Vec3 alignedTangent(const Section& s, const ArcLength& length, const AlignedSection& a, double f);

} // namespace lumsk::nurbs

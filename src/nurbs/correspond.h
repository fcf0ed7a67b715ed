#pragma once
#include "nurbs/arc_length.h"

#include <optional>

namespace lumsk::nurbs {

/// A section of a loft: a path, or a point at either end.
struct Section {
  std::variant<Path, Vec3> shape;
  bool flip = false;           ///< turn the direction that alignment chooses
  std::optional<double> start; ///< closed sections: start as a fraction of the section's own length; else aligned
  const Path* path() const { return std::get_if<Path>(&shape); }
  const Vec3* point() const { return std::get_if<Vec3>(&shape); }
};

/// How one section is run through by a loft.
struct AlignedSection {
  bool reversed = false;      ///< against its own direction
  double start = 0.0;         ///< fraction of its own length where the loft's parameter starts
  std::vector<double> breaks; ///< fractions along the loft's parameter where strips begin and end: 0, ..., 1
  bool changedDirection = false, changedStart = false; ///< by the alignment, not by the person
};

struct Alignment {
  std::vector<AlignedSection> sections; ///< one per section; of points only the place in the list counts
  bool closed = false;
  int strips = 1; ///< stretches between corners
};

/// Brings the sections' directions, starts and corners together for least twist: both directions of a closed section
/// are tried with the rotation of least total squared distance (cross-correlation over equal arc lengths, then Newton),
/// open ones vote by distances of ends and tangents; corners go to corners, in order.
/// Fails with LM-L001 (fewer than two sections), LM-L002 (open and closed mixed), LM-L003 (a point not at an end).
Expected<Alignment> alignSections(const std::vector<Section>& sections, const std::vector<ArcLength>& lengths,
                                  const Tolerances& tol);

/// Point of an aligned section at fraction f of the loft's parameter, by arc length.
Vec3 alignedPoint(const Section& s, const ArcLength& length, const AlignedSection& a, double f);

} // namespace lumsk::nurbs

#pragma once
#include "base/context.h"
#include "nurbs/on_skin/zero_set.h"

#include <array>

namespace lumsk::nurbs {

/// A curve of the zero set as a smooth function: the domain's places by a cubic over their chords, brought onto the
/// zero set. The surface and the field must outlive it.
class FollowedZero {
public:
  FollowedZero(const Surface& s, const Field& f, const ZeroCurve& c);
  bool usable() const { return places_.size() > 1; }
  const std::vector<double>& places() const { return places_; } ///< parameters of the followed places, 0 to 1
  /// May lie beyond the domain by a thousandth of it.
  Vec2 uv(double w) const;
  Vec3 at(double w) const;

private:
  const Surface& s_;
  const Field& f_;
  bool contact_;
  std::vector<double> places_;
  Spline uv_;
};

/// Lengths in space of one unit of a surface's parameters, mm: the mean over its domain.
Vec2 domainScale(const Surface& s);

/// A curve in space with its images in the domains of one or two surfaces that it lies on: all over [0, 1] on one knot
/// vector. Images have their parameters as x and y, and z nought.
struct SectionCurve {
  Spline curve;
  std::array<Spline, 2> images;
  int surfaces = 1;
  bool closed = false;      ///< its end flows into its start, in space and in the domains
  double deviationMm = 0.0; ///< largest distance between the curve and its images on the surfaces, at places between
};

/// What a section is fitted to: exact places by a rough parameter.
struct SectionTrace {
  struct Place {
    Vec3 point;
    std::array<Vec2, 2> at; ///< in the domains
  };
  std::function<Place(double)> at;
  double first = 0.0, last = 1.0;
  std::vector<double> looks; ///< parameters between which nothing is missed
  bool closed = false;
};

/// A section as one lean fit of curve and images, parameterised by the length in space with a share of that in the
/// domains, so that places where one of them turns fast are met. Fails with LM-C010 where it does not come within
/// `most` (place), or `fitLean`'s problem.
Expected<SectionCurve> fitSection(const SectionTrace& trace, const std::vector<const Surface*>& surfaces, double stepMm,
                             LengthTolerance aim, LengthTolerance most);

} // namespace lumsk::nurbs

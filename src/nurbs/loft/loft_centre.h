#pragma once
#include "nurbs/loft/carrier.h"
#include "nurbs/measure/least_twist.h"

namespace lumsk::nurbs {

/// The order in which a line passes sections, by their middles, in the sense in which they were given (around: from the
/// first one on).
std::vector<int> orderAlong(const std::vector<Section>& sections, const Path& line, bool around);

/// A smooth spline in place of a line with corners, within a distance of it. Fails as `refitted` does.
Expected<Path> roundedLine(const Path& line, LengthTolerance within, const Context& cx);

/// The least distance, about, within which a line's corners become wide enough for the sections to get round them.
LengthTolerance roomyDistance(const Path& line, const std::vector<Section>& sections, const Context& cx);

/// A line along which a loft's sections follow one another: each is seen in the frame that is carried along it without
/// turning more than it must.
class LoftCentre : public Carrier {
public:
  /// Through the middles of the sections, or a given line. Fails with LM-L032 where it does not pass them in order.
  static Expected<std::shared_ptr<Carrier>> of(const LoftPlaces& places, const LoftOptions& options, const Context& cx);

private:
  Carried on(double v) const override; ///< around, it turns evenly by what it misses at the end
  std::vector<Rough> rough() const override;

  std::shared_ptr<const Path> line_;
  std::shared_ptr<const LeastTwist> frames_;
  double from_ = 0, to_ = 1, missing_ = 0; ///< fractions of the line at the first and last section; rad
  bool reversed_ = false;
};

} // namespace lumsk::nurbs

#pragma once
#include "nurbs/measure/least_twist.h"
#include "nurbs/loft/loft_across.h"
#include "nurbs/loft/loft_strips.h"
#include "nurbs/fit/monotone.h"

namespace lumsk::nurbs {

/// The order in which a line passes sections, by their middles, in the sense in which they were given (around: from the
/// first one on).
std::vector<int> orderAlong(const std::vector<Section>& sections, const Path& line, bool around);

/// A smooth spline in place of a line with corners, within a distance of it. Fails as `refitted` does.
Expected<Path> roundedLine(const Path& line, LengthTolerance within, const Context& cx);

/// The least distance, about, within which a line's corners become wide enough for the sections to get round them.
LengthTolerance roomyDistance(const Path& line, const std::vector<Section>& sections, const Context& cx);

/// A line along which a loft's sections follow one another: each is seen in the frame that is carried along it without
/// turning more than it must, and what lies between is blended in these frames.
class LoftCentre {
public:
  /// Through the middles of the sections, or a given line. Fails with LM-L032 where it does not pass them in order.
  static Expected<LoftCentre> of(const LoftPlaces& places, const LoftOptions& options, const Context& cx);

  const std::vector<double>& parameters() const { return at_; } ///< of the sections; around, 1 comes last
  /// Has the sections at other parameters from here on.
  Expected<void> place(const std::vector<double>& sections, bool around);
  Frame frame(double v) const; ///< around, it turns evenly by what it misses at the end

  /// Rows across a loft, blended in the line's frames from one row a section; `blend` gets these rows as the frames see
  /// them. Exactly through the sections, or where the blend has them. Fails with LM-L033 where planes square to the
  /// line cross within the skin.
  using Blend = std::function<Expected<AcrossRows>(const Rows& local)>;
  Expected<AcrossRows> along(const Rows& rows, const std::vector<LoftStrip>& strips, const LoftAcross& across,
                             const Blend& blend, LengthTolerance fit) const;

private:
  Frame frameOnLine(double v) const;
  /// A place within the loft at which the line has only so many derivatives that do not jump.
  struct Rough {
    double at = 0;
    int smooth = 1;
  };
  std::vector<Rough> roughPlaces() const;
  std::vector<double> breaksWithRough(const std::vector<double>& breaks, int degree) const;
  /// Curvature vector of the line where it has the frame, in it: a place whose product with it is 1 is its centre.
  Vec2 curvature(double v) const;
  Expected<void> checkFolds(const AcrossRows& blend, const std::vector<LoftStrip>& strips) const;

  std::shared_ptr<const Path> line_;
  std::shared_ptr<const LeastTwist> frames_;
  double from_ = 0, to_ = 1, missing_ = 0; ///< fractions of the line at the first and last section; rad
  bool reversed_ = false;
  std::vector<double> at_;
  std::optional<MonotoneMap> placed_; ///< from parameters of the loft
};

} // namespace lumsk::nurbs

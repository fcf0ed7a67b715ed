#pragma once
#include "nurbs/fit/monotone.h"
#include "nurbs/loft/carried.h"
#include "nurbs/loft/loft_across.h"
#include "nurbs/loft/loft_strips.h"

namespace lumsk::nurbs {

/// What carries the sections of a loft from one to the next: what lies between them is blended as its frames see it.
class Carrier {
public:
  virtual ~Carrier() = default;

  const std::vector<double>& parameters() const { return at_; } ///< of the sections; around, 1 comes last
  /// Has the sections at other parameters from here on.
  Expected<void> place(const std::vector<double>& sections, bool around);
  Carried at(double v) const { return on(placed_ ? (*placed_)(v) : v); }
  CarriedWay leaving(int end) const; ///< 0: at the start

  /// Rows across a loft, blended in the frames from one row a section; `blend` gets these rows as the frames see them.
  /// Exactly through the sections, or where the blend has them. Fails with LM-L033 where planes across the way cross
  /// within the skin.
  using Blend = std::function<Expected<AcrossRows>(const Rows& local)>;
  Expected<AcrossRows> along(const Rows& rows, const std::vector<LoftStrip>& strips, const LoftAcross& across,
                             const Blend& blend, LengthTolerance fit) const;

protected:
  /// A place of the way, by its own parameter in [0, 1].
  virtual Carried on(double v) const = 0;
  /// A place at which frames have only so many derivatives that do not jump; a point off the way has one less.
  struct Rough {
    double at = 0;
    int smooth = 1;
  };
  virtual std::vector<Rough> rough() const = 0;
  /// Whether the frames stand across the way, so that a skin that reaches beyond a bend's centre folds over.
  virtual bool across() const { return true; }
  /// Spans that a fit begins with.
  virtual int firstSpans() const { return 1; }
  /// What is said where a skin reaches so many times as far as the bend allows; `v` is the own parameter there.
  virtual Problem foldProblem(double part, double v) const;

  std::vector<double> at_;

private:
  double ownParameter(double v) const; ///< of the loft, from that of the way
  std::vector<double> breaksWithRough(const std::vector<double>& breaks, int degree) const;
  Expected<void> checkFolds(const AcrossRows& blend, const std::vector<LoftStrip>& strips, bool constant) const;
  std::optional<MonotoneMap> placed_; ///< from parameters of the loft
};

/// Places of a path where it has only so many derivatives by its length that do not jump: fractions of its length, and
/// the joints of a closed path at 0.
struct RoughPlace {
  double fraction = 0;
  int smooth = 1;
};
std::vector<RoughPlace> roughPlaces(const Path& path);

} // namespace lumsk::nurbs

#pragma once
#include "nurbs/fit/monotone.h"
#include "nurbs/loft/loft_across.h"
#include "nurbs/loft/loft_strips.h"

namespace lumsk::nurbs {

/// Where a carried section stands: an affine map from its own coordinates, whose first two axes lie across the way and
/// whose third one lies along it.
struct Carried {
  Vec3 origin = Vec3::Zero();
  Eigen::Matrix3d axes = Eigen::Matrix3d::Identity(); ///< columns
  Vec3 along = Vec3::UnitZ();   ///< unit: square to the plane of the first two axes, forwards

  static Carried from(const Frame& f);
  Vec3 at(const Vec3& local) const { return origin + axes * local; }
  Vec3 local(const Vec3& world) const; ///< nought where the axes have shrunk to a point
  bool shrunk() const;
  Frame frame() const; ///< the first axis square to `along`, of length 1
};

/// What carries the sections of a loft from one to the next: what lies between them is blended as its frames see it.
class Carrier {
public:
  virtual ~Carrier() = default;

  const std::vector<double>& parameters() const { return at_; } ///< of the sections; around, 1 comes last
  /// Has the sections at other parameters from here on.
  Expected<void> place(const std::vector<double>& sections, bool around);
  Carried at(double v) const { return on(placed_ ? (*placed_)(v) : v); }

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

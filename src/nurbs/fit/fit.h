#pragma once
#include "nurbs/core/banded.h"
#include "nurbs/core/path.h"

#include <functional>

namespace lumsk::nurbs {

/// N curves over the same parameter [0, 1], sampled together.
struct CurveFamily {
  int curves = 0;
  bool closed = false;
  /// Writes the 3 * curves coordinates at parameter t to `out`.
  std::function<void(double t, double* out)> sample;
};

struct LeanOptions {
  int degree = 5;              ///< 1..9
  LengthTolerance fit{0.0005}; ///< largest distance of samples from the fit
  int firstSpans = 4;          ///< where the search starts
  /// Or these breakpoints, which are then kept; one that stands m times lowers the continuity there to C^(degree - m),
  /// for families that are no smoother.
  std::vector<double> firstBreaks;
  int maxSpans = 600;       ///< where it gives up
  int baseSamples = 240;    ///< evenly spread samples; more are added inside short spans
  bool removeKnots = false; ///< try to take out knots again (slower, fewest spans)
  double shortestSpan = 1e-5; ///< of the whole: shorter ones are not divided further
  int thinBeyond = 0;       ///< also where there are more spans than this; 0: never
  int patience = 400;       ///< after so many in a row that have to stay
  /// Open families: derivatives that are met exactly at the start and the end, one row an order, 3 * curves wide.
  std::array<Rows, 2> endDerivatives;
  std::vector<double> held; ///< parameters at which the fit comes much closer than elsewhere
  bool fair = false;        ///< then spend what is left of `fit` on the least integral of the third derivative
};

/// One knot vector for all curves. Row i of `controls` holds control point i of every curve: x, y, z of curve 0, ...
struct LeanFit {
  int degree = 0;
  Knots knots;
  Rows controls;
  bool closed = false;
  double deviationMm = 0.0;   ///< largest distance at samples
  std::vector<double> breaks; ///< of the knots, repeated as they are
  Spline curve(int k) const;
};

/// Linear least squares on fixed breakpoints over [0, 1] and fixed sample parameters: factored once, solved for any
/// number of columns. Open: the samples must contain 0 and 1, whose values are met exactly. Closed: periodic; the first
/// breakpoint may be repeated as the others.
class LeastSquares {
public:
  /// `fairness` weighs the integral of the squared third derivative (second for degree 2) against the mean square
  /// distance from the samples.
  /// `given`: so many derivatives are given at both ends. `weights` of the samples; empty: 1.
  LeastSquares(int degree, const std::vector<double>& breaks, bool closed, const std::vector<double>& t,
               double fairness = 0.0, std::array<int, 2> given = {}, const std::vector<double>& weights = {});
  /// `data` one row a sample; returns one row a control point of the clamped spline over `knots()`.
  Rows solve(const Rows& data, const std::array<Rows, 2>& endDerivatives = {}) const;
  const Knots& knots() const { return knots_; }
  /// Basis functions at a sample, of open families: the first one's number and all values.
  std::pair<int, const double*> basisAt(size_t sample) const { return {basis_[sample].first, basis_[sample].N}; }

private:
  Rows solveOpen(const Rows& data, const std::array<Rows, 2>& endDerivatives) const;
  Rows solvePeriodic(const Rows& data) const;
  void addFairness(const std::vector<double>& breaks, double weight);
  void accumulate();
  struct Row {
    int first;
    double N[kMaxDegree + 1];
    double weight = 1.0;
  };
  int p_, n_;             ///< n_: control points, around once
  int from_ = 1, to_ = 1; ///< so many of them at both open ends are given
  bool closed_;
  Knots knots_, periodic_;
  std::vector<Row> basis_; ///< of the samples, then of the fairness, whose data are nought
  int at0_ = 0, at1_ = 0;
  BandedSpd A_;
};

/// Least squares on one common knot vector, as few spans as meet `fit`: equal spans grown by the error, then only bad
/// spans divided (de Boor 1978, ch. XIV; Piegl & Tiller 1997, 9.4). One banded Cholesky serves all curves. Ends are met
/// exactly; closed families are periodic, so they are smooth at the seam. Knot removal and fairing follow when asked
/// for (Eck & Hadenfeld 1995 for removal by error; Reinsch 1967 for the largest smoothing within a deviation). Fails
/// with LM-G101 when `maxSpans` do not do.
Expected<LeanFit> fitLean(const CurveFamily& family, const LeanOptions& options);

/// From the control points of a periodic spline, once around, to those of the same one clamped: clamped x periodic. All
/// rows but those near the seam have one entry.
Rows clampingMap(int degree, const Knots& periodic);

/// Breakpoints at equal distances over [0, 1].
std::vector<double> equalBreaks(int spans);

/// Breakpoints of more spans, where `parts` (one a span, at least 1, not whole) says how many it should become: as
/// many as their sum, and so spread (de Boor 1978, ch. XII).
std::vector<double> spreadBreaks(const std::vector<double>& breaks, const std::vector<double>& parts);

/// In how many parts a span has to go so that an error, which falls with a power of its length, does: at most `most`.
double partsFor(double error, double aim, int order, double most);

/// The first derivative of a function of [0, 1] with values in a row at one of its ends (0, 1), from five values within `4 h`
/// of it, or nearer; nothing where it is not smooth enough there for two differences to agree.
std::optional<Rows> derivativeAtEnd(const std::function<void(double t, double* out)>& f, int columns, int end, double h);

/// A path as one spline within `fit`, parameterised by arc length over [0, 1]. Must have no corners.
Expected<Spline> fitPath(const Path& path, const LeanOptions& options);

} // namespace lumsk::nurbs

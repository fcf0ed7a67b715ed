#pragma once
#include "base/problem.h"
#include "nurbs/core/knots.h"

namespace lumsk::nurbs {

/// A smooth, strictly increasing function through (x_i, y_i): the integral of exp(g), g the spline of least degree that
/// gives every interval its increment (histopolation; Newton's method). Two points: a line. Periodic: y grows by a
/// whole turn, y_n - y_0, when x does, and g is the most even periodic quintic spline on twice as many spans that does; so it is for
/// many places.
class MonotoneMap {
public:
  /// `x` and `y` strictly increasing, as many of both, at least two; periodic: the last is the first one turn later.
  /// Fails with LM-G011 when the increments differ too much for a smooth function.
  static Expected<MonotoneMap> through(const std::vector<double>& x, const std::vector<double>& y, bool periodic);
  double operator()(double x) const;
  std::array<double, 3> derivatives(double x) const; ///< of first to third order

private:
  double density(double x) const; ///< the derivative
  Eigen::MatrixXd unevenness() const;
  bool newton(const std::vector<double>& y);
  void tabulate(const std::vector<double>& x, const std::vector<double>& y);

  bool periodic_ = false;
  int degree_ = 0;
  Knots knots_;                           ///< of g
  std::vector<double> g_;                 ///< its control values
  std::vector<double> at_, value_, rate_; ///< table for Hermite interpolation
};

} // namespace lumsk::nurbs

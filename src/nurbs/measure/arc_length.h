#pragma once
#include "nurbs/core/path.h"

namespace lumsk::nurbs {

/// Arc length of a path and its inverse. A table of lengths is made once: three-point Gauss-Legendre rule on pieces
/// that are halved until Simpson's rule agrees (relative 1e-7); the inverse is cubic Hermite between its nodes.
class ArcLength {
public:
  explicit ArcLength(const Path& path);

  /// Shares of the path's own parameter in place of shares of its length.
  static ArcLength byParameter(const Path& path);

  double total() const { return nodes_.back().s; }
  /// Parameter of the path at length s (mm, clamped to the path). Error below 1e-6 of a piece.
  double parameterAt(double s) const;
  /// Length from the start to parameter t, mm.
  double lengthAt(double t) const;
  /// Path parameter at a fraction of the length; fractions of closed paths wrap around.
  double parameterAtFraction(double f) const;
  double fractionAt(double t) const { return lengthAt(t) / total(); }

private:
  ArcLength() = default;
  struct Node {
    double t, s, speed; ///< speed |C'| just after the node
    double speedBefore; ///< and just before it (they differ at joints)
  };
  std::vector<Node> nodes_;
};

/// Parameter at length s refined by Newton steps against adaptive integration: error below 1e-9 mm.
double exactParameterAt(const Path& path, const ArcLength& table, double s);

} // namespace lumsk::nurbs

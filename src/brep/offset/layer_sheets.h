#pragma once
#include "brep/offset/layer_places.h"

#include <Eigen/SVD>

namespace lumsk::brep::offset {

constexpr double kParallel = 0.002; ///< radians, about: faces that turn by less are taken as tangent
constexpr double kMargin = 1.4;     ///< of what is added

/// Solves A x = b with the least x, singular values below the threshold counted as none.
template <int Rows, int Columns>
Eigen::Matrix<double, Columns, 1> leastSolution(const Eigen::Matrix<double, Rows, Columns>& A,
                                                const Eigen::Matrix<double, Rows, 1>& b) {
  const Eigen::JacobiSVD<Eigen::MatrixXd> svd(A, Eigen::ComputeThinU | Eigen::ComputeThinV);
  Eigen::VectorXd y = svd.matrixU().transpose() * b;
  for (Eigen::Index i = 0; i < y.size(); ++i) {
    const double s = svd.singularValues()[i];
    y[i] = s > kParallel ? y[i] / s : 0.0;
  }
  return svd.matrixV() * y;
}

/// The step in the parameters that leads closest to a step in space.
Vec2 inDomain(const nurbs::Surface& s, const Vec2& uv, const Vec3& step);

/// How far sheets have to reach: in their domains; on ramps, places.
struct Reach {
  std::vector<Vec2> low, high;
  std::vector<std::vector<Vec3>> places;
};

/// The offsets of all sheets, by `out.distances`. Those that are parts of one spline stay parts of one. Fails with LM-T001,
/// LM-T003, LM-T007.
Expected<void> offsetSheets(const LayerNet& n, const Reach& reach, LayerPlaces& out, const Context& cx);

} // namespace lumsk::brep::offset

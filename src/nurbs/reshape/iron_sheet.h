#pragma once
#include "nurbs/core/surface.h"

#include <Eigen/SparseCore>
#include <vector>

namespace lumsk::nurbs {

/// Linear equations in the sense of least squares, row by row.
class LeastRows {
public:
  using Terms = std::vector<std::pair<int, double>>; ///< unknown and factor
  void add(const Terms& terms, double right, double weight);
  int rows() const { return int(right_.size()); }
  double squaredRight() const; ///< of the sum with all unknowns nought
  Eigen::SparseMatrix<double> matrix(int unknowns) const;
  Eigen::VectorXd right() const { return Eigen::Map<const Eigen::VectorXd>(right_.data(), Eigen::Index(right_.size())); }

private:
  std::vector<Eigen::Triplet<double>> terms_;
  std::vector<double> right_;
};

/// A skin as a net of nodes that are displaced along its normals, equally spaced in its parameters. A side that is one
/// point has one node; where the skin closes smoothly, first and last nodes are the same.
class Sheet {
public:
  /// `firstNode`: number of its first unknown. At most `most` nodes a direction.
  Sheet(const Surface& s, int firstNode, int most);
  int nodes() const { return nodes_; } ///< unknowns that it has
  const Surface& surface() const { return *surface_; }
  bool endsAt(double u, double v) const; ///< a place of its border, seams left out

  /// Its change of bending, displaced: the rows' sum of squares is about its wrinkle index.
  void bendingRows(LeastRows& rows) const;
  /// The displacement at a place by those of 4 x 4 nodes round it.
  LeastRows::Terms displacementAt(double u, double v) const;

private:
  struct Side {
    int count = 0;       ///< nodes, the last one included
    bool closed = false; ///< the last one is the first
    bool poleFirst = false, poleLast = false;
    double first = 0, step = 0;
    int wrapped(int i) const { return closed ? ((i % (count - 1)) + count - 1) % (count - 1) : i; }
    bool inside(int i) const { return closed || (i > 0 && i + 1 < count); }
  };
  /// The second fundamental form in an orthonormal frame, displaced: what it is, and what every node does to it.
  struct Bent {
    bool known = false;
    double area = 0, stepU = 0, stepV = 0; ///< of a cell, mm² and mm
    Vec3 x = Vec3::Zero(), y = Vec3::Zero();
    Eigen::Vector3d is = Eigen::Vector3d::Zero();                        ///< (1,1), (1,2), (2,2)
    std::vector<std::pair<int, Eigen::Vector3d>> by; ///< unknown and its factors
  };
  int node(int i, int j) const { return number_[size_t(u_.wrapped(i) * v_.count + v_.wrapped(j))]; }
  Bent bentAt(int i, int j) const;
  static Side sideOf(double first, double last, size_t spans, int most, bool closed);

  const Surface* surface_;
  Side u_, v_;
  std::vector<int> number_; ///< unknown of node (i, j), row-major
  int nodes_ = 0;
};

} // namespace lumsk::nurbs

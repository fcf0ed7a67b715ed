#pragma once
#include "base/context.h"
#include "drawing/equations.h"

#include <Eigen/SparseCholesky>

namespace lumsk::drawing {

using Vector = Eigen::VectorXd;
using Sparse = Eigen::SparseMatrix<double>;

/// Equations made ready to be solved: variables that are the same or held are taken out, the rest is numbered, and the
/// pattern of the normal matrix is known. Steps are those of least length: `-J^T (J J^T)^-1 r`.
class System {
public:
  explicit System(Equations e);

  int unknowns() const { return int(q_.size()); }
  int equations() const { return count_; } ///< after what was taken out
  const Equations& of() const { return e_; }
  const std::vector<double>& values() const { return p_; } ///< of all variables
  double value(int variable) const { return p_[size_t(variable)]; }
  /// Relations that were taken out and say nothing new, or contradict what is held.
  const std::vector<int>& idle() const { return idle_; }
  const std::vector<int>& contradicting() const { return contradicting_; }
  /// Which relation an equation belongs to; -1: none.
  int relationOf(int equation) const { return relationOf_[size_t(equation)]; }

  struct Solved {
    bool done = false;
    double residualMm = 0;
    int steps = 0;
  };
  /// Newton's way with damping per independent part (Levenberg 1944 in its dual form), from where the variables are.
  Solved solve(double toleranceMm = 1e-9, int mostSteps = 60, const Context& cx = {}); ///< cancelled: not done

  // For drags and ranks

  Vector state() const { return q_; }
  void restore(const Vector& q);
  void move(const Vector& by) { restore(q_ + by); }
  /// Residuals where the variables are; with derivatives.
  Vector evaluate();
  bool factor(); ///< of the normal matrix where it was evaluated
  Vector leastStep(const Vector& residual) const; ///< after `factor`
  Vector projected(const Vector& direction) const; ///< onto what the equations leave free, after `factor`
  Vector gradient(int variable) const;             ///< of a variable by the unknowns
  Vector rowGradient(const Row& row, int which);   ///< of a row that is none of the system's
  Sparse jacobian() const; ///< rows of length 1
  Vector transposed(const Vector& weights) const; ///< J^T w
  static double worst(const Vector& r); ///< largest; infinite where one is no number
  /// Newton's way back onto the equations after a small step; false where it does not contract.
  bool settle(double predictedMm);

private:
  struct Entry {
    int local, slot;
    double weight;
  };
  struct Compiled {
    int row, first;
    std::vector<int> columns;
    std::vector<Entry> entries;
  };
  struct Product {
    int at, a, b;
  };
  void takeOut();
  void number();
  void compile();
  void findParts();
  void makePattern();
  void spread(); ///< unknowns to variables
  int rootOf(int v);
  bool step(std::vector<double>& damping, std::vector<double>& error, std::vector<int>& stalled, Vector& r, double tolerance);
  void fillNormal(const std::vector<double>* damping);

  Equations e_;
  std::vector<double> p_, offset_, jacobian_;
  std::vector<std::vector<std::pair<int, double>>> map_; ///< of every variable: unknowns and weights
  std::vector<int> root_, idle_, contradicting_, relationOf_, starts_, columns_, partOfColumn_, partOfRow_, diagonal_;
  std::vector<char> constant_;
  std::vector<Compiled> rows_;
  std::vector<Product> products_;
  Sparse normal_;
  Eigen::SimplicialLDLT<Sparse, Eigen::Lower, Eigen::AMDOrdering<int>> ldlt_;
  Vector q_;
  int count_ = 0, parts_ = 0;
};

} // namespace lumsk::drawing

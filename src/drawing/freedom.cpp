#include "drawing/freedom.h"

#include <Eigen/QR>
#include <Eigen/SPQRSupport>
#include <algorithm>
#include <random>

namespace lumsk::drawing {

namespace {

constexpr double kRank = 1e-7;  ///< of the largest: less is nothing
constexpr int kLooks = 4;       ///< random directions
constexpr double kMoves = 1e-5; ///< of the largest movement: it can move
constexpr double kSupport = 1e-5;

struct Rank {
  int rank = 0;
  std::vector<int> dependent; ///< equations
};

Rank rankOf(const Sparse& jacobian) {
  Rank out;
  if (!jacobian.rows() || !jacobian.cols()) {
    for (int i = 0; i < jacobian.rows(); ++i) out.dependent.push_back(i);
    return out;
  }
  Eigen::SPQR<Sparse> qr;
  qr.setPivotThreshold(kRank);
  qr.compute(jacobian.transpose());
  out.rank = int(qr.rank());
  const auto order = qr.colsPermutation().indices();
  for (Eigen::Index i = out.rank; i < order.size(); ++i) out.dependent.push_back(int(order[i]));
  return out;
}

Vector randomDirection(int n, std::mt19937& g) {
  std::normal_distribution<double> normal;
  Vector out(n);
  for (Eigen::Index i = 0; i < n; ++i) out[i] = normal(g);
  return out;
}

/// Rows that are asked of a few others: which of these make each of the dependent ones.
std::vector<std::vector<int>> supports(const Sparse& jacobian, const Rank& rank) {
  std::set<int> gone(rank.dependent.begin(), rank.dependent.end());
  std::vector<int> kept;
  for (int i = 0; i < jacobian.rows(); ++i)
    if (!gone.count(i)) kept.push_back(i);
  const Sparse all = jacobian.transpose();
  Sparse independent(all.rows(), Eigen::Index(kept.size()));
  std::vector<Eigen::Triplet<double>> t;
  for (size_t k = 0; k < kept.size(); ++k)
    for (Sparse::InnerIterator it(all, kept[k]); it; ++it) t.emplace_back(int(it.row()), int(k), it.value());
  independent.setFromTriplets(t.begin(), t.end());
  std::vector<std::vector<int>> out;
  if (kept.empty()) return std::vector<std::vector<int>>(rank.dependent.size());
  Eigen::SPQR<Sparse> qr;
  qr.setPivotThreshold(kRank);
  qr.compute(independent);
  for (const int row : rank.dependent) {
    const Vector y = qr.solve(Vector(all.col(row)));
    std::vector<int> of;
    for (Eigen::Index k = 0; k < y.size(); ++k)
      if (std::abs(y[k]) > kSupport) of.push_back(kept[size_t(k)]);
    out.push_back(std::move(of));
  }
  return out;
}

} // namespace

Expected<Freedom> freedomOf(const Drawing& d) {
  LUMSK_TRY(e, equationsOf(d));
  System s(std::move(e));
  Freedom out;
  std::mt19937 g(7);
  s.evaluate();
  s.factor();
  Sparse jacobian = s.jacobian();
  Rank rank = rankOf(jacobian);
  if (!rank.dependent.empty() && rank.rank < s.unknowns()) {
    // A little further along.
    const Vector here = s.state();
    Vector along = s.projected(randomDirection(s.unknowns(), g));
    if (const double norm = along.norm(); norm > 1e-9) along *= 1e-3 * s.of().size * std::sqrt(double(s.unknowns())) / norm;
    s.move(along);
    if (s.solve().done) {
      s.evaluate();
      const Sparse there = s.jacobian();
      if (const Rank other = rankOf(there); other.rank > rank.rank) rank = other, jacobian = there;
    }
    s.restore(here);
    s.evaluate();
    s.factor();
  }
  out.ways = s.unknowns() - rank.rank;
  const auto makers = rank.dependent.empty() ? std::vector<std::vector<int>>() : supports(jacobian, rank);
  for (size_t i = 0; i < makers.size(); ++i) {
    std::set<int> relations{s.relationOf(rank.dependent[i])};
    for (const int row : makers[i]) relations.insert(s.relationOf(row));
    std::vector<Id> ids;
    for (const int r : relations)
      if (r >= 0) ids.push_back(d.relations[size_t(r)].id);
    if (!ids.empty()) out.said.push_back(std::move(ids));
  }
  for (const int r : s.idle()) out.said.push_back({d.relations[size_t(r)].id});

  std::vector<double> moves(s.values().size(), 0.0), sway(s.values().size(), 0.0);
  double most = 0;
  for (int k = 0; out.ways > 0 && k < kLooks; ++k) {
    const Vector v = s.projected(randomDirection(s.unknowns(), g));
    for (size_t i = 0; i < moves.size(); ++i) {
      const double by = s.gradient(int(i)).dot(v);
      if (k == 0) sway[i] = by;
      moves[i] = std::max(moves[i], std::abs(by));
      most = std::max(most, moves[i]);
    }
  }
  const auto canMove = [&](int v) { return moves[size_t(v)] > kMoves * most; };
  for (size_t i = 0; i < d.points.size(); ++i)
    if (canMove(int(2 * i)) || canMove(int(2 * i) + 1)) {
      out.free.insert(d.points[i].id);
      out.sway[d.points[i].id] = Vec2(sway[2 * i], sway[2 * i + 1]) / most;
    }
  for (const Entity& en : d.entities) {
    const auto size = s.of().sizeOf.find(en.id);
    if (std::any_of(en.points.begin(), en.points.end(), [&](const Id& p) { return out.free.count(p) > 0; }) ||
        (size != s.of().sizeOf.end() && canMove(size->second)))
      out.free.insert(en.id);
  }
  return out;
}

bool isNew(const Drawing& d, const Relation& r) {
  constexpr double kNews = 1e-4; // less is rounding
  return newsOf(d, r) > kNews;
}

double newsOf(const Drawing& d, const Relation& r) {
  auto before = equationsOf(d);
  Drawing more = d;
  more.relations.push_back(r);
  auto after = equationsOf(more);
  if (!before || !after) return 0;
  System s(std::move(*before));
  s.evaluate();
  s.factor();
  const int own = int(more.relations.size()) - 1;
  double least = 1, most = 0;
  int rows = 0;
  std::vector<Vector> seen;
  const auto look = [&](Vector g) {
    ++rows;
    const double norm = g.norm();
    if (norm < 1e-12) return void(least = 0);
    g = s.projected(g / norm);
    for (const Vector& other : seen) g -= other * other.dot(g);
    const double left = g.norm();
    least = std::min(least, left);
    most = std::max(most, left);
    if (left > 1e-9) seen.push_back(g / left);
  };
  for (const Row& row : after->rows) {
    if (row.relation != own) continue;
    // A row that needs variables which were made for it is new by itself.
    if (std::any_of(row.of.begin(), row.of.end(), [&](int v) { return size_t(v) >= s.values().size(); })) return 1;
    for (int k = 0; k < equationsOf(row.form); ++k) look(s.rowGradient(row, k));
  }
  for (const auto& same : after->same)
    if (same.relation == own) look(s.gradient(same.a) - s.gradient(same.b));
  for (const auto& held : after->held)
    if (held.relation == own) look(s.gradient(held.of));
  if (r.law == Law::Fixed) return most; // what is held already may be held with the rest
  return rows ? least : 0;
}

} // namespace lumsk::drawing

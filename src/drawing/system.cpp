#include "drawing/system.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace lumsk::drawing {

namespace {

constexpr double kLeastDamping = 1e-12;
constexpr int kMostStalled = 12;
constexpr double kHuge = 1e300;

} // namespace

System::System(Equations e) : e_(std::move(e)), p_(e_.start) {
  takeOut();
  number();
  compile();
  findParts();
  makePattern();
  spread();
}

int System::rootOf(int v) {
  while (root_[size_t(v)] != v) v = root_[size_t(v)] = root_[size_t(root_[size_t(v)])];
  return v;
}

/// Variables that are said to be the same become one; held ones are constants.
void System::takeOut() {
  root_.resize(p_.size());
  std::iota(root_.begin(), root_.end(), 0);
  constant_.assign(p_.size(), 0);
  const double equal = 1e-9 * e_.size;
  for (const auto& h : e_.held) {
    const int v = rootOf(h.of);
    if (constant_[size_t(v)] && h.relation >= 0) idle_.push_back(h.relation);
    constant_[size_t(v)] = 1;
    p_[size_t(v)] = h.value;
  }
  for (const auto& s : e_.same) {
    int a = rootOf(s.a), b = rootOf(s.b);
    if (a == b) {
      if (s.relation >= 0) idle_.push_back(s.relation);
      continue;
    }
    if (constant_[size_t(a)] && constant_[size_t(b)]) {
      (std::abs(p_[size_t(a)] - p_[size_t(b)]) > equal ? contradicting_ : idle_).push_back(s.relation);
      continue;
    }
    if (constant_[size_t(b)]) std::swap(a, b);
    // Of two free ones both move half-way.
    if (!constant_[size_t(a)]) p_[size_t(a)] = 0.5 * (p_[size_t(a)] + p_[size_t(b)]);
    root_[size_t(b)] = a;
  }
}

void System::number() {
  map_.assign(p_.size(), {});
  offset_.assign(p_.size(), 0.0);
  std::vector<char> summed(p_.size(), 0);
  for (const auto& s : e_.sums) summed[size_t(s.of)] = 1;
  std::vector<int> column(p_.size(), -1);
  std::vector<double> q;
  for (size_t i = 0; i < p_.size(); ++i) {
    if (summed[i]) continue;
    const size_t r = size_t(rootOf(int(i)));
    if (constant_[r]) {
      offset_[i] = p_[r];
      continue;
    }
    if (column[r] < 0) {
      column[r] = int(q.size());
      q.push_back(p_[r]);
    }
    map_[i].push_back({column[r], 1.0});
  }
  for (const auto& s : e_.sums) {
    std::map<int, double> parts;
    double constant = offset_[size_t(s.of)];
    for (const auto& [of, weight] : s.parts) {
      constant += weight * offset_[size_t(of)];
      for (const auto& [c, w] : map_[size_t(of)]) parts[c] += weight * w;
    }
    offset_[size_t(s.of)] = constant;
    map_[size_t(s.of)].assign(parts.begin(), parts.end());
  }
  q_ = Eigen::Map<Vector>(q.data(), Eigen::Index(q.size()));
}

void System::compile() {
  starts_.assign(1, 0);
  for (size_t k = 0; k < e_.rows.size(); ++k) {
    const Row& row = e_.rows[k];
    Compiled c;
    c.row = int(k);
    c.first = count_;
    std::map<int, int> slots;
    for (const int v : row.of)
      for (const auto& m : map_[size_t(v)]) slots[m.first] = 0;
    for (auto& [col, slot] : slots) {
      slot = int(c.columns.size());
      c.columns.push_back(col);
    }
    for (size_t j = 0; j < row.of.size(); ++j)
      for (const auto& [col, weight] : map_[size_t(row.of[j])]) c.entries.push_back({int(j), slots[col], weight});
    for (int i = 0; i < equationsOf(row.form); ++i) {
      columns_.insert(columns_.end(), c.columns.begin(), c.columns.end());
      starts_.push_back(int(columns_.size()));
      relationOf_.push_back(row.relation);
      ++count_;
    }
    rows_.push_back(std::move(c));
  }
  jacobian_.assign(columns_.size(), 0.0);
}

/// Parts that have nothing to do with each other: each is damped by itself.
void System::findParts() {
  std::vector<int> u(q_.size());
  std::iota(u.begin(), u.end(), 0);
  const auto find = [&](int i) {
    while (u[size_t(i)] != i) i = u[size_t(i)] = u[size_t(u[size_t(i)])];
    return i;
  };
  for (int i = 0; i < count_; ++i)
    for (int k = starts_[size_t(i)] + 1; k < starts_[size_t(i) + 1]; ++k)
      u[size_t(find(columns_[size_t(k)]))] = find(columns_[size_t(starts_[size_t(i)])]);
  std::vector<int> number(u.size(), -1);
  partOfColumn_.assign(u.size(), 0);
  for (int i = 0; i < unknowns(); ++i) {
    int& n = number[size_t(find(i))];
    if (n < 0) n = parts_++;
    partOfColumn_[size_t(i)] = n;
  }
  ++parts_; // of equations between constants alone
  partOfRow_.assign(size_t(count_), parts_ - 1);
  for (int i = 0; i < count_; ++i)
    if (starts_[size_t(i)] < starts_[size_t(i) + 1]) partOfRow_[size_t(i)] = partOfColumn_[size_t(columns_[size_t(starts_[size_t(i)])])];
}

void System::makePattern() {
  if (!count_) return;
  std::vector<std::vector<std::pair<int, int>>> byColumn(q_.size());
  for (int i = 0; i < count_; ++i)
    for (int k = starts_[size_t(i)]; k < starts_[size_t(i) + 1]; ++k) byColumn[size_t(columns_[size_t(k)])].push_back({i, k});
  std::vector<Eigen::Triplet<double>> triplets;
  for (int i = 0; i < count_; ++i) triplets.emplace_back(i, i, 1.0);
  for (const auto& c : byColumn)
    for (size_t a = 0; a < c.size(); ++a)
      for (size_t b = 0; b <= a; ++b) triplets.emplace_back(c[a].first, c[b].first, 1.0);
  normal_.resize(count_, count_);
  normal_.setFromTriplets(triplets.begin(), triplets.end());
  normal_.makeCompressed();
  const auto position = [&](int row, int col) {
    const int *b = normal_.innerIndexPtr() + normal_.outerIndexPtr()[col], *e = normal_.innerIndexPtr() + normal_.outerIndexPtr()[col + 1];
    return int(std::lower_bound(b, e, row) - normal_.innerIndexPtr());
  };
  for (const auto& c : byColumn)
    for (size_t a = 0; a < c.size(); ++a)
      for (size_t b = 0; b <= a; ++b) products_.push_back({position(c[a].first, c[b].first), c[a].second, c[b].second});
  std::sort(products_.begin(), products_.end(), [](const Product& x, const Product& y) { return x.at < y.at; });
  for (int i = 0; i < count_; ++i) diagonal_.push_back(position(i, i));
  ldlt_.analyzePattern(normal_);
}

void System::spread() {
  for (size_t i = 0; i < p_.size(); ++i) {
    double x = offset_[i];
    for (const auto& [c, w] : map_[i]) x += w * q_[c];
    p_[i] = x;
  }
}

void System::restore(const Vector& q) {
  q_ = q;
  spread();
}

Vector System::evaluate() {
  Vector out(count_);
  double r[2];
  std::vector<double> local;
  for (const Compiled& c : rows_) {
    const Row& row = e_.rows[size_t(c.row)];
    const size_t n = row.of.size();
    const int many = equationsOf(row.form);
    local.resize(2 * n);
    drawing::evaluate(row, e_.splines, p_, r, local.data());
    for (int i = 0; i < many; ++i) {
      out[c.first + i] = r[i];
      double* slots = jacobian_.data() + starts_[size_t(c.first + i)];
      std::fill(slots, slots + c.columns.size(), 0.0);
      for (const Entry& e : c.entries) slots[e.slot] += e.weight * local[size_t(i) * n + size_t(e.local)];
    }
  }
  return out;
}

void System::fillNormal(const std::vector<double>* damping) {
  double* a = normal_.valuePtr();
  std::fill(a, a + normal_.nonZeros(), 0.0);
  for (const Product& x : products_) a[x.at] += jacobian_[size_t(x.a)] * jacobian_[size_t(x.b)];
  for (int i = 0; i < count_; ++i) {
    double& d = a[diagonal_[size_t(i)]];
    d += (damping ? (*damping)[size_t(partOfRow_[size_t(i)])] : kLeastDamping) * (1 + d);
  }
}

bool System::factor() {
  if (!count_) return true;
  fillNormal(nullptr);
  ldlt_.factorize(normal_);
  return ldlt_.info() == Eigen::Success;
}

Vector System::transposed(const Vector& w) const {
  Vector d = Vector::Zero(unknowns());
  for (int i = 0; i < count_; ++i)
    for (int k = starts_[size_t(i)]; k < starts_[size_t(i) + 1]; ++k) d[columns_[size_t(k)]] += jacobian_[size_t(k)] * w[i];
  return d;
}

Vector System::leastStep(const Vector& r) const {
  if (!count_) return Vector::Zero(unknowns());
  return transposed(ldlt_.solve(-r));
}

Vector System::projected(const Vector& x) const {
  if (!count_) return x;
  Vector out = x;
  for (int twice = 0; twice < 2; ++twice) {
    Vector r = Vector::Zero(count_);
    for (int i = 0; i < count_; ++i)
      for (int k = starts_[size_t(i)]; k < starts_[size_t(i) + 1]; ++k) r[i] += jacobian_[size_t(k)] * out[columns_[size_t(k)]];
    out += leastStep(r);
  }
  return out;
}

Vector System::gradient(int variable) const {
  Vector g = Vector::Zero(unknowns());
  for (const auto& [c, w] : map_[size_t(variable)]) g[c] += w;
  return g;
}

Vector System::rowGradient(const Row& row, int which) {
  double r[2];
  std::vector<double> local(2 * row.of.size());
  drawing::evaluate(row, e_.splines, p_, r, local.data());
  Vector g = Vector::Zero(unknowns());
  for (size_t j = 0; j < row.of.size(); ++j)
    for (const auto& [c, w] : map_[size_t(row.of[j])]) g[c] += w * local[size_t(which) * row.of.size() + j];
  return g;
}

Sparse System::jacobian() const {
  std::vector<Eigen::Triplet<double>> t;
  for (int i = 0; i < count_; ++i) {
    double norm = 0;
    for (int k = starts_[size_t(i)]; k < starts_[size_t(i) + 1]; ++k) norm += jacobian_[size_t(k)] * jacobian_[size_t(k)];
    norm = std::sqrt(norm);
    if (norm > 0)
      for (int k = starts_[size_t(i)]; k < starts_[size_t(i) + 1]; ++k) t.emplace_back(i, columns_[size_t(k)], jacobian_[size_t(k)] / norm);
  }
  Sparse out(count_, unknowns());
  out.setFromTriplets(t.begin(), t.end());
  return out;
}

bool System::step(std::vector<double>& damping, std::vector<double>& error, std::vector<int>& stalled, Vector& r, double tolerance) {
  fillNormal(&damping);
  ldlt_.factorize(normal_);
  Vector d = transposed(ldlt_.solve(-r));
  for (Eigen::Index i = 0; i < d.size(); ++i)
    if (!std::isfinite(d[i])) d[i] = 0;
  std::vector<double> reach(size_t(parts_), 1.0), now;
  const Vector before = q_;
  constexpr int kTries = 5;
  for (int tries = 0; tries < kTries; ++tries) {
    for (Eigen::Index i = 0; i < q_.size(); ++i) q_[i] = before[i] + reach[size_t(partOfColumn_[size_t(i)])] * d[i];
    spread();
    r = evaluate();
    now.assign(size_t(parts_), 0.0);
    for (int i = 0; i < count_; ++i) now[size_t(partOfRow_[size_t(i)])] += std::isfinite(r[i]) ? r[i] * r[i] : kHuge;
    bool all = true;
    for (size_t c = 0; c < reach.size(); ++c)
      if (!(now[c] <= error[c] * (1 - 1e-4 * reach[c]) + tolerance * tolerance * 1e-4)) {
        all = false;
        reach[c] = tries + 2 == kTries ? 0 : reach[c] * 0.4;
      }
    if (all) break;
  }
  bool live = false;
  for (size_t c = 0; c < reach.size(); ++c) {
    if (reach[c] == 0) {
      damping[c] = std::max(damping[c] * 100, 1e-6);
      ++stalled[c];
    } else {
      stalled[c] = now[c] > 0.98 * error[c] ? stalled[c] + 1 : 0;
      damping[c] = std::max(kLeastDamping, damping[c] * 0.05);
    }
    error[c] = now[c];
    live = live || (error[c] > tolerance * tolerance && stalled[c] <= kMostStalled);
  }
  return live;
}

System::Solved System::solve(double tolerance, int mostSteps, const Context& cx) {
  Solved s;
  if (!count_) return {true, 0, 0};
  std::vector<double> damping(size_t(parts_), kLeastDamping), error(size_t(parts_), 0.0);
  std::vector<int> stalled(size_t(parts_), 0);
  Vector r = evaluate();
  for (int i = 0; i < count_; ++i) error[size_t(partOfRow_[size_t(i)])] += std::isfinite(r[i]) ? r[i] * r[i] : kHuge;
  for (; s.steps < mostSteps; ++s.steps) {
    s.residualMm = worst(r);
    if (s.residualMm < tolerance) return s.done = true, s;
    if (cx.stopped() || !step(damping, error, stalled, r, tolerance)) break;
  }
  s.residualMm = worst(r);
  s.done = s.residualMm < tolerance;
  return s;
}

double System::worst(const Vector& r) {
  double out = 0;
  for (Eigen::Index i = 0; i < r.size(); ++i) out = std::isfinite(r[i]) ? std::max(out, std::abs(r[i])) : kHuge;
  return out;
}

bool System::settle(double predicted) {
  double last = predicted;
  for (int k = 0; k < 16; ++k) {
    const Vector r = evaluate();
    const double h = worst(r);
    if (h < 1e-9) return true;
    if (h > 1e6 * e_.size) return false;
    Vector d = leastStep(r);
    if (!(d.norm() <= 0.1 * last)) { // the factors of the place before serve as long as they bring it near fast
      if (!factor()) return false;
      d = leastStep(r);
    }
    const double length = d.norm();
    if (!(length <= 0.5 * last + 1e-9 * e_.size)) return false;
    last = std::max(length, 1e-12);
    move(d);
  }
  return false;
}

} // namespace lumsk::drawing

#include "drawing/solve.h"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <random>

// A drag is a walk on the surface of all drawings that keep their relations: tangent steps within a trust radius towards
// the pointer, each brought back by Newton's way (Nocedal & Wright 2006, 4 and 18; Absil, Mahony & Sepulchre 2008, 7).

namespace lumsk::drawing {

namespace {

constexpr int kMostSteps = 40;
constexpr int kMostLocks = 3;
constexpr int kMostTries = 6; ///< where walking ends
constexpr double kNear = 2e-5;       ///< of the drawing's size: there
constexpr double kNothingLeft = 1e-3; ///< of the pull that can still be followed
constexpr double kLongPull = 0.02;   ///< of the drawing's size: longer ones go in parts

struct Steer {
  Eigen::Matrix2d reduced;                     ///< how what is pulled answers
  Eigen::Matrix<double, Eigen::Dynamic, 2> by; ///< how everything answers
};

Steer steer(System& s, int x) {
  s.evaluate();
  s.factor();
  Steer out;
  const Vector gx = s.gradient(x), gy = s.gradient(x + 1);
  out.by.resize(s.unknowns(), 2);
  out.by.col(0) = s.projected(gx);
  out.by.col(1) = s.projected(gy);
  out.reduced << gx.dot(out.by.col(0)), gx.dot(out.by.col(1)), gy.dot(out.by.col(0)), gy.dot(out.by.col(1));
  out.reduced = 0.5 * (out.reduced + out.reduced.transpose().eval());
  return out;
}

/// The step towards `pull` that is at most `radius` long.
Vector step(const Steer& st, const Vec2& pull, double radius) {
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d> eigen(st.reduced);
  const Vec2 l = eigen.eigenvalues().cwiseMax(0), c = eigen.eigenvectors().transpose() * pull;
  const auto length = [&](double weight) {
    double sum = 0;
    for (int i = 0; i < 2; ++i)
      if (l[i] > 1e-10) sum += l[i] * std::pow(c[i] / (l[i] + weight), 2);
    return std::sqrt(sum);
  };
  double weight = 1e-9;
  if (length(weight) > radius) {
    double low = std::log(weight), high = std::log(1e8);
    for (int k = 0; k < 40; ++k) {
      const double middle = 0.5 * (low + high);
      (length(std::exp(middle)) > radius ? low : high) = middle;
    }
    weight = std::exp(high);
  }
  Vec2 w = Vec2::Zero();
  for (int i = 0; i < 2; ++i)
    if (l[i] > 1e-10) w[i] = c[i] / (l[i] + weight);
  return st.by * (eigen.eigenvectors() * w);
}

std::vector<double> sweepsOf(const System& s) {
  std::vector<double> out;
  for (const auto& a : s.of().arcs) out.push_back(sweepOf(a, s.values()));
  return out;
}

bool whole(const System& s, const std::vector<double>& sweeps) {
  const std::vector<double> now = sweepsOf(s);
  for (size_t i = 0; i < now.size(); ++i)
    if (std::abs(now[i] - sweeps[i]) > kPi / 2) return false;
  const auto& sizes = s.of().positive;
  return std::all_of(sizes.begin(), sizes.end(), [&](int v) { return s.value(v) > 1e-6 * s.of().size; });
}

int variableOf(const Drawing& d, const Id& point) {
  for (size_t i = 0; i < d.points.size(); ++i)
    if (d.points[i].id == point) return int(2 * i);
  return 0;
}

/// What is pulled, as sums of variables: x and y.
std::array<std::vector<std::pair<int, double>>, 2> partsOf(const Equations& e, const Drawing& d, const Handle& h) {
  std::array<std::vector<std::pair<int, double>>, 2> parts;
  const auto add = [&](const Id& p, double w) {
    for (int k = 0; k < 2; ++k) parts[size_t(k)].push_back({variableOf(d, p) + k, w});
  };
  if (!h.point.empty()) {
    add(h.point, 1);
    return parts;
  }
  const Entity& en = *d.entity(h.entity);
  if (en.shape == Shape::Circle || en.shape == Shape::Arc) {
    const Vec2 out = (h.at - d.at(en.points[0])).normalized();
    add(en.points[0], 1);
    for (int k = 0; k < 2; ++k) parts[size_t(k)].push_back({e.sizeOf.at(en.id), out[k]});
  } else if (en.shape == Shape::Ellipse) {
    add(en.points[0], 1);
  } else {
    // Lines as a whole, of curves more of what is near.
    double sum = 0;
    std::vector<double> w;
    for (const Id& p : en.points) w.push_back(en.shape == Shape::Line || en.shape == Shape::Text ? 1 : 1 / (1e-6 * e.size + (d.at(p) - h.at).squaredNorm()));
    for (const double x : w) sum += x;
    for (size_t i = 0; i < w.size(); ++i) add(en.points[i], w[i] / sum);
  }
  return parts;
}

} // namespace

Expected<Drag> Drag::begin(const Drawing& d, const Handle& h) {
  if (h.point.empty() ? !d.entity(h.entity) : !d.point(h.point)) return fail(problem("LM-U001", "what is to be dragged is not there"));
  Drag out(d, h);
  // A rim changes the size first, an arc keeps its ends; where they cannot, everything may move.
  out.calm_ = true;
  LUMSK_CHECK(out.grab());
  if (steer(*out.system_, out.x_).reduced.trace() < 1e-9) {
    out.calm_ = false;
    LUMSK_CHECK(out.grab());
  }
  if (h.point.empty()) out.offset_ = out.place() - h.at;
  return out;
}

Vec2 Drag::place() const { return {system_->value(x_), system_->value(x_ + 1)}; }

Expected<void> Drag::grab() {
  LUMSK_TRY(e, equationsOf(now_));
  const Entity* en = handle_.entity.empty() ? nullptr : now_.entity(handle_.entity);
  if (calm_ && en && (en->shape == Shape::Circle || en->shape == Shape::Arc))
    for (size_t i = en->shape == Shape::Circle ? 0 : 1; i < en->points.size(); ++i) {
      const int v = variableOf(now_, en->points[i]);
      for (int k = 0; k < 2; ++k) e.held.push_back({v + k, e.start[size_t(v + k)], -1});
    }
  if (parts_[0].empty()) parts_ = partsOf(e, now_, handle_);
  for (const auto& parts : parts_) {
    double value = 0;
    for (const auto& [v, w] : parts) value += w * e.start[size_t(v)];
    x_ = e.add(value) - (&parts == &parts_[1]);
    e.sums.push_back({x_ + (&parts == &parts_[1]), parts});
  }
  system_ = std::make_unique<System>(std::move(e));
  if (!system_->contradicting().empty() || !system_->solve(kSolvedMm).done)
    return fail(problem("LM-U005", "relations of the drawing contradict each other").tryThis("give up one of them first"));
  locks_ = 0;
  locked_.clear();
  return {};
}

/// Holds what is about to vanish, the nearest to it: an arc, a size, a leg.
bool Drag::lockOne() {
  const System& s = *system_;
  const auto& e = s.of();
  double least = 0.05;
  int id = -1;
  Row row;
  const auto consider = [&](double measure, int which, const Row& r) {
    if (measure >= least || std::find(locked_.begin(), locked_.end(), which) != locked_.end()) return;
    least = measure, id = which, row = r;
  };
  for (size_t i = 0; i < e.arcs.size(); ++i) {
    const auto& a = e.arcs[i];
    const double sweep = sweepOf(a, s.values());
    Row r;
    r.form = Form::Angle;
    r.of = {a.centre, a.centre + 1, a.start, a.start + 1, a.centre, a.centre + 1, a.end, a.end + 1};
    r.value = a.sign * sweep, r.scale = e.size;
    consider(std::min(sweep, 2 * kPi - sweep) / 0.5, int(3 * i), r);
  }
  for (size_t i = 0; i < e.positive.size(); ++i) {
    Row r;
    r.of = {e.positive[i]};
    r.value = s.value(e.positive[i]);
    consider(r.value / (0.1 * e.size), int(3 * i + 1), r);
  }
  for (size_t i = 0; i < e.legs.size(); ++i) {
    const auto [a, b] = e.legs[i];
    Row r;
    r.form = Form::Distance;
    r.of = {a, a + 1, b, b + 1};
    r.value = std::hypot(s.value(b) - s.value(a), s.value(b + 1) - s.value(a + 1));
    if (r.value > 1e-9) consider(r.value / (0.1 * e.size), int(3 * i + 2), r);
  }
  if (id < 0) return false;
  locked_.push_back(id);
  ++locks_;
  Equations more = e;
  more.start = s.values();
  for (auto& h : more.held) h.value = s.value(h.of);
  more.rows.push_back(row);
  system_ = std::make_unique<System>(std::move(more));
  return true;
}

/// Goes towards a place near by. True when it is there.
bool Drag::approach(const Vec2& target) {
  const double size = system_->of().size;
  double radius = -1;
  int slow = 0, refused = 0;
  std::vector<double> sweeps = sweepsOf(*system_);
  std::optional<Steer> st;
  Vec2 pull = Vec2::Zero();
  double off = 0;
  for (int k = 0; k < kMostSteps; ++k) {
    if (!st) {
      pull = target - place();
      off = pull.norm();
      if (off < kNear * size) return true;
      st = steer(*system_, x_);
      if (!st->by.allFinite() || (st->by * pull).norm() < kNothingLeft * off) return false;
      if (radius < 0) radius = std::min(0.25 * size, 4 * off);
    }
    const Vector before = system_->state(), d = step(*st, pull, radius);
    system_->move(d);
    bool kept = system_->settle(d.norm()) && whole(*system_, sweeps);
    const double left = (target - place()).norm();
    kept = kept && left < off * (1 - 1e-9);
    if (kept) {
      sweeps = sweepsOf(*system_);
      st.reset();
      refused = 0;
      radius = std::max(radius, std::min(0.25 * size, 2 * d.norm()));
      slow = off - left < 1e-4 * off ? slow + 1 : 0;
      if (slow < 3) continue;
      // Something is about to vanish: it is held, and the rest slides on.
      if (locks_ >= kMostLocks || !lockOne()) return false;
      slow = 0, radius = -1;
      continue;
    }
    system_->restore(before);
    radius = 0.35 * d.norm();
    if (++refused >= 3 && locks_ < kMostLocks && lockOne()) {
      refused = 0, radius = -1;
      st.reset();
      continue;
    }
    if (radius < 1e-6 * size) return false;
  }
  return false;
}

/// Where walking ends, from the pointer's place back to the relations, or from half way there; then from places a little
/// beside where everything lies. Taken where nothing turns over and nothing leaps. True when it came nearer.
bool Drag::jump(const Vec2& target) {
  struct Start {
    double part, aside; ///< of the way to the pointer; of the drawing's size
  };
  constexpr Start kStarts[] = {{1, 0}, {0.5, 0}, {0.1, 0}, {0.5, 0.003}, {0.1, 0.003}, {0.5, 0.02}, {0.1, 0.02}, {0.5, 0.02}, {0.1, 0.02}, {0.1, 0.08}};
  constexpr size_t kManyPoints = 60; ///< from so many on it would take too long for a step of the pointer
  if (handle_.point.empty()) return false;
  const Vec2 from = now_.at(handle_.point);
  const double size = system_->of().size, off = (target - from).norm(), reach = 4 * off + 0.02 * size;
  std::mt19937 g(unsigned(now_.points.size()));
  std::uniform_real_distribution<double> aside(-1, 1);
  for (const Start& start : kStarts) {
    if ((start.part < 1 || start.aside > 0) && now_.points.size() > kManyPoints) return false;
    Drawing beside = now_;
    if (start.aside > 0)
      for (Point& p : beside.points) p.at += start.aside * size * Vec2(aside(g), aside(g));
    auto there = solvedWith(now_, beside, handle_.point, from + start.part * (target - from));
    if (!there || (there->at(handle_.point) - target).norm() > off - 1e-3 * size) continue;
    if (std::any_of(there->points.begin(), there->points.end(), [&](const Point& p) { return (p.at - now_.at(p.id)).norm() > reach; })) continue;
    now_ = std::move(*there);
    return bool(grab());
  }
  return false;
}

const Drawing& Drag::to(const Vec2& pointer) {
  // Locks of the move before go: what was about to vanish may be left behind.
  if (locks_ > 0 && !grab()) return now_;
  const Vec2 target = pointer + offset_, from = place();
  const int parts = std::clamp(int(std::ceil((target - from).norm() / (kLongPull * system_->of().size))), 1, 50);
  for (int i = 1; i <= parts; ++i) {
    reached_ = approach(from + (target - from) * (double(i) / parts));
    if (!reached_) break;
  }
  const Drawing before = now_;
  writeBack(*system_, now_);
  // What was locked on the way may be in the way now; else there may be a way round.
  for (int tries = 0; !reached_ && tries < kMostTries; ++tries) {
    const double off = (target - place()).norm();
    if (!grab()) break;
    reached_ = approach(target);
    writeBack(*system_, now_);
    const double left = (target - place()).norm();
    if (!reached_ && left > 0.5 * off && !jump(target) && left > 0.99 * off) break;
  }
  const bool splines = std::any_of(now_.entities.begin(), now_.entities.end(), [](const Entity& e) { return e.shape == Shape::Through; });
  if (!splines || now_.relations.empty()) return now_;
  // Splines through points lie otherwise now: what holds of them is brought back.
  auto again = settledFrom(before, now_);
  now_ = again ? std::move(*again) : before;
  if (!grab()) now_ = before;
  return now_;
}

} // namespace lumsk::drawing

// Drawings: how fast and how surely they are solved, dragged and told about: `drawing_bench [DRAWINGS] [SEED]`. Times are
// printed as measured and scaled so that OCCT's loft of 8 sections counts 11 ms. The dense alternatives of Eigen are beside.
#include "stopwatch.h"
#include "shapes/drawing_cases.h"

#include <Eigen/SVD>

#include <algorithm>
#include <cstdio>
#include <cstdlib>

using namespace lumsk;
using namespace lumsk::drawing;

namespace {

double scale = 1;

using bench::msOf;

void times(const char* what, std::vector<double> ms) {
  if (ms.empty()) return;
  std::sort(ms.begin(), ms.end());
  const double median = ms[ms.size() / 2], high = ms[ms.size() * 95 / 100];
  std::printf("  %s: median %.2f ms (%.2f scaled), 95th percentile %.2f (%.2f), most %.2f\n", what, median, median * scale, high, high * scale, ms.back());
}

double worstOf(const Drawing& d) {
  auto e = equationsOf(d);
  if (!e) return 1e300;
  System s(std::move(*e));
  return System::worst(s.evaluate());
}

struct Pose {
  std::vector<double> sweeps;
  std::vector<Vec2> legs;
};
Pose poseOf(const Drawing& d) {
  Pose out;
  const auto e = equationsOf(d);
  for (const auto& a : e->arcs) out.sweeps.push_back(sweepOf(a, e->start));
  for (const auto& [a, b] : e->legs) out.legs.push_back({e->start[size_t(b)] - e->start[size_t(a)], e->start[size_t(b) + 1] - e->start[size_t(a) + 1]});
  return out;
}
int wrapped(const Pose& a, const Pose& b) {
  int n = 0;
  for (size_t i = 0; i < a.sweeps.size() && i < b.sweeps.size(); ++i) n += std::abs(a.sweeps[i] - b.sweeps[i]) > kPi;
  return n;
}
/// Arcs that wrapped, lines that turned over.
int turned(const Pose& a, const Pose& b) {
  int n = wrapped(a, b);
  for (size_t i = 0; i < a.legs.size() && i < b.legs.size(); ++i) n += a.legs[i].dot(b.legs[i]) < 0;
  return n;
}

void large(bool full) {
  const Drawing d = test::plates(full ? 44 : 33, full);
  std::printf("%zu entities, %zu relations, %s\n", d.entities.size(), d.relations.size(), full ? "fully dimensioned" : "free");
  std::vector<double> ms;
  int back = 0;
  for (unsigned k = 0; k < 20; ++k) {
    const Drawing x = test::disturbed(d, 2, k);
    std::optional<Drawing> s;
    ms.push_back(msOf([&] {
      if (auto r = solved(x)) s = *r;
    }));
    back += s && worstOf(*s) < 1e-9;
  }
  std::printf("  disturbed by 2 mm: %d of 20 come back to 1e-9 mm\n", back);
  times("from there", ms);
  if (full) {
    int changed = 0, held = 0, over = 0;
    ms.clear();
    const Pose before = poseOf(d);
    for (const Relation& r : d.relations) {
      if (!isDimension(r.law)) continue;
      for (const double f : {0.9, 1.1}) {
        Drawing x = d;
        x.relation(r.id)->value *= f;
        std::optional<Drawing> s;
        ms.push_back(msOf([&] {
          if (auto y = solved(x)) s = *y;
        }));
        ++changed;
        held += s.has_value();
        if (s) over += turned(before, poseOf(*s)) > 0;
      }
    }
    std::printf("  one number by 10 %%: %d of %d hold, %d turn over\n", held, changed, over);
    times("a number", ms);
  } else {
    ms.clear();
    for (unsigned k = 0; k < 20; ++k) {
      const Point& p = d.points[(k * 37 + 5) % d.points.size()];
      auto drag = Drag::begin(d, {p.id, {}, {}});
      for (int i = 1; drag && i <= 10; ++i) ms.push_back(msOf([&] { drag->to(p.at + 2.0 * i * Vec2(std::cos(k), std::sin(k))); }));
    }
    times("a step of a drag of 2 mm", ms);
  }
  ms.clear();
  for (int k = 0; k < 5; ++k) ms.push_back(msOf([&] { freedomOf(d); }));
  times("what is free and what is said twice", ms);
  System s(*equationsOf(d));
  s.evaluate();
  const double dense = msOf([&] { Eigen::BDCSVD<Eigen::MatrixXd>(Eigen::MatrixXd(s.jacobian())).singularValues(); });
  std::printf("  the dense decomposition of Eigen: %.0f ms, %.0f times as long\n", dense, dense / ms[2]);
}

/// Whether a search from many starts finds the held point nearer to where it was pulled, with nothing turned over: 1 where
/// something leaps there, farther than four times what the pull still lacks, 2 where nothing does.
int nearerExists(const Drawing& at, const Id& held, const Vec2& target, unsigned seed) {
  const double off = (at.at(held) - target).norm(), size = sizeOf(at);
  const Pose pose = poseOf(at);
  std::mt19937 g(seed);
  int best = 0;
  for (int k = 0; k < 24; ++k) {
    Drawing d = at;
    std::normal_distribution<double> n(0, size * std::vector<double>{0.003, 0.02, 0.08}[size_t(k % 3)]);
    for (Point& p : d.points) p.at += Vec2(n(g), n(g));
    const Vec2 nearer = target + (at.at(held) - target) * (k % 2 ? 0.5 : 0.9);
    d.point(held)->at = nearer;
    Relation r;
    r.law = Law::Fixed, r.of = {held};
    d.add(r);
    const auto s = solved(d);
    if (s && turned(pose, poseOf(*s)) == 0 && (s->at(held) - target).norm() < off - 0.1) {
      const bool leaps = std::any_of(at.points.begin(), at.points.end(), [&](const Point& p) { return (s->at(p.id) - p.at).norm() > 4 * off + 0.02 * size; });
      best = std::max(best, leaps ? 1 : 2);
    }
  }
  return best;
}

void drags(int many, unsigned seed, double step) {
  int steps = 0, stops = 0, broken = 0, over = 0, wraps = 0, nearer = 0, leaping = 0, searched = 0, drawings = 0;
  std::vector<double> ms;
  for (int k = 0; k < many; ++k) {
    const Drawing d = test::outline(seed + unsigned(k));
    const auto free = freedomOf(d);
    if (!free) continue;
    std::mt19937 g(seed + unsigned(k));
    Id held;
    for (int t = 0; t < 100 && held.empty(); ++t)
      if (const Id id = d.points[g() % d.points.size()].id; free->free.count(id)) held = id;
    if (held.empty()) continue;
    ++drawings;
    auto drag = Drag::begin(d, {held, {}, {}});
    if (!drag) continue;
    const double way = 0.01 * double(g() % 628);
    Pose last = poseOf(d);
    bool looked = false;
    for (int i = 1; i <= 20; ++i) {
      const Vec2 target = d.at(held) + step * i * Vec2(std::cos(way), std::sin(way));
      ms.push_back(msOf([&] { drag->to(target); }));
      ++steps;
      broken += worstOf(drag->now()) > 1e-7;
      const Pose now = poseOf(drag->now());
      over += turned(last, now) > 0;
      wraps += wrapped(last, now) > 0;
      last = now;
      if (drag->reached()) continue;
      ++stops;
      if (std::exchange(looked, true)) continue; // one stop of each drawing is searched
      ++searched;
      const int found = nearerExists(drag->now(), held, target, unsigned(k));
      nearer += found == 2, leaping += found == 1;
    }
  }
  std::printf("%d random drawings, 20 steps of %.0f mm: %d steps, %d stop short, of %d searched %d could come nearer and %d where something leaps, %d broken, %d with an arc that wraps, %d with a line that turns by over 90 degrees in one\n", drawings, step, steps, stops, searched, nearer, leaping, broken, wraps, over - wraps);
  times("a step", ms);
}

void planted() {
  int right = 0, many = 0;
  for (unsigned seed = 0; seed < 100; ++seed) {
    const bool twice = seed % 2;
    const Drawing d = test::saidTwice(seed, twice);
    System s(*equationsOf(d));
    s.evaluate();
    const Eigen::BDCSVD<Eigen::MatrixXd> svd{Eigen::MatrixXd(s.jacobian())};
    const int rank = int((svd.singularValues().array() > 1e-7 * svd.singularValues()[0]).count());
    const auto free = freedomOf(d);
    ++many;
    right += free && free->ways == s.unknowns() - rank && free->said.size() == size_t(s.equations() - rank) + s.idle().size() && free->said.empty() != twice;
  }
  std::printf("planted dependences (parallelograms, chains of equal lengths, bisectors): %d of %d as the dense decomposition says\n", right, many);
}

} // namespace

int main(int argc, char** argv) {
  scale = bench::scaleOfRun();
  large(false);
  large(true);
  const int many = argc > 1 ? std::atoi(argv[1]) : 200;
  const unsigned seed = argc > 2 ? unsigned(std::atoi(argv[2])) : 1;
  for (const double step : {2.0, 10.0}) drags(many, seed, step);
  planted();
}

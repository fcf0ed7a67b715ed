#include "drawing/curves.h"
#include "drawing/measure.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "drawing/relate.h"
#include "shapes/drawing_cases.h"
#include "support/registry.h"

#include <QtTest>

using namespace lumsk;
using namespace lumsk::drawing;
using namespace lumsk::test;

namespace {

/// How far the relations of a drawing are from holding, mm.
double worstOf(const Drawing& d) {
  auto e = equationsOf(d);
  if (!e) return 1e300;
  double worst = 0;
  for (const auto& s : e->same) worst = std::max(worst, std::abs(e->start[size_t(s.a)] - e->start[size_t(s.b)]));
  System s(std::move(*e));
  return std::max(worst, System::worst(s.evaluate()));
}

std::vector<double> sweeps(const Drawing& d) {
  std::vector<double> out;
  if (const auto e = equationsOf(d))
    for (const auto& a : e->arcs) out.push_back(sweepOf(a, e->start));
  return out;
}

double angleOf(const Drawing& d, const Id& line) {
  const Entity& e = *d.entity(line);
  const Vec2 way = d.at(e.points[1]) - d.at(e.points[0]);
  return std::atan2(way.y(), way.x());
}
double lengthOf(const Drawing& d, const Id& line) {
  const Entity& e = *d.entity(line);
  return (d.at(e.points[1]) - d.at(e.points[0])).norm();
}

} // namespace

class DrawingSolveTest : public QObject {
  Q_OBJECT
private slots:
  void disturbedDrawingsComeBack() {
    for (const bool full : {false, true}) {
      const Drawing d = plates(12, full);
      int back = 0;
      for (unsigned seed = 0; seed < 20; ++seed)
        if (const auto s = solved(disturbed(d, 2, seed))) {
          ++back;
          VERIFY_AT_MOST(worstOf(*s), 1e-9);
        }
      VERIFY_AT_MOST(20 - back, full ? 2 : 0);
    }
  }

  void anyOneNumberCanBeChangedAndNothingTurnsOver() {
    const Drawing d = plates(8, true);
    QCOMPARE(freedomOf(d)->ways, 0);
    const auto before = sweeps(d);
    int numbers = 0, refused = 0;
    for (const Relation& r : d.relations) {
      if (!isDimension(r.law)) continue;
      for (const double factor : {0.9, 1.1}) {
        Drawing other = d;
        other.relation(r.id)->value *= factor;
        const auto s = solved(other);
        ++numbers;
        if (!s) {
          ++refused;
          QCOMPARE(s.error().code, std::string("LM-U006"));
          continue;
        }
        VERIFY_AT_MOST(worstOf(*s), 1e-9);
        const auto after = sweeps(*s);
        for (size_t i = 0; i < before.size(); ++i) VERIFY_AT_MOST(std::abs(after[i] - before[i]), kPi / 2);
      }
    }
    QVERIFY(numbers > 80);
    VERIFY_AT_MOST(refused, numbers / 50);
  }

  void dragsKeepEverythingAndNothingWraps() {
    int steps = 0, reached = 0;
    for (unsigned seed = 0; seed < 60; ++seed) {
      const Drawing d = outline(seed);
      const auto free = freedomOf(d);
      QVERIFY(free.has_value());
      std::mt19937 g(seed);
      Id held;
      for (int k = 0; k < 100 && held.empty(); ++k)
        if (const Id id = d.points[g() % d.points.size()].id; free->free.count(id)) held = id;
      if (held.empty()) continue;
      auto drag = Drag::begin(d, {held, {}, {}});
      QVERIFY(drag.has_value());
      const double way = 0.01 * double(g() % 628);
      auto arcs = sweeps(d);
      for (int k = 1; k <= 20; ++k) {
        const Drawing& now = drag->to(d.at(held) + (seed % 2 ? 2.0 : 10.0) * k * Vec2(std::cos(way), std::sin(way)));
        VERIFY_AT_MOST(worstOf(now), 1e-7);
        const auto after = sweeps(now);
        for (size_t i = 0; i < arcs.size(); ++i) VERIFY_AT_MOST(std::abs(after[i] - arcs[i]), kPi);
        arcs = after;
        ++steps;
        reached += drag->reached();
      }
    }
    QVERIFY(reached > 0.8 * steps);
  }

  /// Every law by itself, from a drawing in which it does not hold.
  void everyRelationDoesWhatItSays() {
    const auto with = [](Pencil& p, Law law, std::vector<Id> of) {
      const auto relations = relationsFor(p.d, law, of);
      if (relations.empty()) return p.d;
      for (const Relation& r : relations) p.d.add(r);
      const auto s = solved(p.d);
      return s ? *s : Drawing();
    };
    Pencil two;
    const auto a = two.line(two.point(0, 0), two.point(20, 3)), b = two.line(two.point(1, 10), two.point(19, 22));
    const auto fresh = [&] { return two; };
    Pencil p = fresh();
    VERIFY_AT_MOST(std::abs(angleOf(with(p, Law::Level, {a}), a)), 1e-9);
    p = fresh();
    VERIFY_AT_MOST(std::abs(std::abs(angleOf(with(p, Law::Upright, {b}), b)) - kPi / 2), 1e-9);
    p = fresh();
    Drawing d = with(p, Law::Parallel, {a, b});
    VERIFY_AT_MOST(std::abs(angleOf(d, a) - angleOf(d, b)), 1e-9);
    p = fresh();
    d = with(p, Law::Square, {a, b});
    VERIFY_AT_MOST(std::abs(std::abs(angleOf(d, a) - angleOf(d, b)) - kPi / 2), 1e-9);
    p = fresh();
    d = with(p, Law::Equal, {a, b});
    VERIFY_AT_MOST(std::abs(lengthOf(d, a) - lengthOf(d, b)), 1e-9);
    p = fresh();
    d = with(p, Law::InLine, {a, b});
    VERIFY_AT_MOST(std::abs(std::remainder(angleOf(d, a) - angleOf(d, b), kPi)), 1e-9);
    p = fresh();
    d = with(p, Law::Together, {"p2", "p4"});
    VERIFY_AT_MOST((d.at("p2") - d.at("p4")).norm(), 1e-9);
    p = fresh();
    d = with(p, Law::Middle, {"p4", a});
    VERIFY_AT_MOST((d.at("p4") - 0.5 * (d.at("p1") + d.at("p2"))).norm(), 1e-9);
    p = fresh();
    d = with(p, Law::Mirrored, {"p1", "p2", b});
    const Vec2 along = (d.at("p5") - d.at("p4")).normalized();
    VERIFY_AT_MOST(std::abs(along.dot(d.at("p1") - d.at("p2"))), 1e-8);

    // Rounds
    Pencil r;
    const auto line = r.line(r.point(-20, 9), r.point(20, 12));
    const auto c = r.circle(r.point(0, 0), 6), e = r.circle(r.point(25, -3), 9);
    Pencil q = r;
    d = with(q, Law::Tangent, {line, c});
    const Vec2 n(-std::sin(angleOf(d, line)), std::cos(angleOf(d, line)));
    VERIFY_AT_MOST(std::abs(std::abs(n.dot(d.at(d.entity(c)->points[0]) - d.at(d.entity(line)->points[0]))) - d.entity(c)->size), 1e-9);
    q = r;
    d = with(q, Law::Tangent, {c, e});
    VERIFY_AT_MOST(std::abs((d.at(d.entity(c)->points[0]) - d.at(d.entity(e)->points[0])).norm() - d.entity(c)->size - d.entity(e)->size), 1e-9);
    q = r;
    d = with(q, Law::Equal, {c, e});
    VERIFY_AT_MOST(std::abs(d.entity(c)->size - d.entity(e)->size), 1e-12);
    q = r;
    d = with(q, Law::SameCentre, {c, e});
    VERIFY_AT_MOST((d.at(d.entity(c)->points[0]) - d.at(d.entity(e)->points[0])).norm(), 1e-12);
    q = r;
    d = with(q, Law::On, {d.entity(line)->points[0], e});
    VERIFY_AT_MOST(std::abs((d.at(d.entity(line)->points[0]) - d.at(d.entity(e)->points[0])).norm() - d.entity(e)->size), 1e-9);
  }

  /// Ellipses, conics and closed splines can be named like anything else.
  void ellipsesConicsAndClosedSplinesAreHeldTo() {
    const auto ellipse = [](Pencil& p, const Vec2& c, const Vec2& tip, double second) {
      Entity e;
      e.shape = Shape::Ellipse, e.points = {p.point(c.x(), c.y()), p.point(tip.x(), tip.y())}, e.size = second;
      return p.d.add(e);
    };
    const auto solvedWith = [](Pencil p, std::vector<Relation> more) {
      for (const Relation& r : more) p.d.add(r);
      const auto s = solved(p.d);
      return s ? *s : Drawing();
    };
    Pencil p;
    const Id a = ellipse(p, {0, 0}, {20, 4}, 9), b = ellipse(p, {60, 5}, {60, 20}, 6), line = p.line(p.point(-30, 14), p.point(40, 20));
    auto length = relationsFor(p.d, Law::Length, {a}), radius = relationsFor(p.d, Law::Radius, {a});
    VERIFY_AT_MOST(std::abs(length[0].value - std::hypot(20, 4)), 1e-12);
    VERIFY_AT_MOST(std::abs(radius[0].value - 9), 1e-12);
    length[0].value = 25, radius[0].value = 11;
    Drawing d = solvedWith(p, {length[0], radius[0]});
    VERIFY_AT_MOST(std::abs((d.at(d.entity(a)->points[1]) - d.at(d.entity(a)->points[0])).norm() - 25), 1e-9);
    VERIFY_AT_MOST(std::abs(d.entity(a)->size - 11), 1e-9);
    d = solvedWith(p, relationsFor(p.d, Law::Equal, {a, b}));
    VERIFY_AT_MOST(std::abs(d.entity(a)->size - d.entity(b)->size), 1e-9);
    // A line that touches: its distance from the rim is nought and changes its side nowhere.
    d = solvedWith(p, relationsFor(p.d, Law::Tangent, {line, a}));
    const Vec2 from = d.at(d.entity(line)->points[0]), along = (d.at(d.entity(line)->points[1]) - from).normalized();
    double low = 1e300, high = -1e300;
    for (const Vec2& q : alongEntity(d, *d.entity(a), 4000)) {
      const double off = along.x() * (q - from).y() - along.y() * (q - from).x();
      low = std::min(low, off), high = std::max(high, off);
    }
    VERIFY_AT_MOST(std::min(std::abs(low), std::abs(high)), 1e-4); // of a polygon of 4000 pieces

    Pencil c;
    Entity conic;
    conic.shape = Shape::Conic, conic.points = {c.point(0, 0), c.point(10, 30), c.point(50, 10)}, conic.rho = 0.62;
    const Id curve = c.d.add(conic), lone = c.point(14, 20);
    d = solvedWith(c, relationsFor(c.d, Law::On, {lone, curve}));
    const auto off = [](const Drawing& at, const Id& point, const Id& entity) {
      const Vec2 q = at.at(point);
      return nurbs::closestPoint(*pathOf(at, *at.entity(entity)), {q.x(), q.y(), 0}).distanceMm;
    };
    VERIFY_AT_MOST(off(d, lone, curve), 1e-6);

    Pencil r;
    const Id round = r.spline(Shape::Through, {r.point(20, 0), r.point(3, 14), r.point(-18, 2), r.point(1, -12)}, 5), beside = r.point(17, -9);
    r.d.entity(round)->closed = true;
    d = solvedWith(r, relationsFor(r.d, Law::On, {beside, round}));
    VERIFY_AT_MOST(off(d, beside, round), 1e-9);
    auto around = relationsFor(r.d, Law::ArcLength, {round});
    VERIFY_AT_MOST(std::abs(around[0].value - nurbs::ArcLength(*pathOf(r.d, *r.d.entity(round))).total()), 1e-3);
    around[0].value = 110;
    d = solvedWith(r, around);
    VERIFY_AT_MOST(std::abs(nurbs::ArcLength(*pathOf(d, *d.entity(round))).total() - 110), 1e-2);
  }

  /// Splines: tangent and of equal curvature where they meet a line, an arc and one another, level ends, end angles.
  void splinesLeaveTheirEndsAsTheyAreTold() {
    Pencil p;
    const auto corner = p.point(0, 0);
    const auto line = p.line(p.point(-30, 0), corner);
    const auto s = p.spline(Shape::Spline, {corner, p.point(8, 4), p.point(20, 9), p.point(34, 6), p.point(44, 12), p.point(55, 2)}, 5);
    const auto end = p.d.entity(s)->points.back();
    for (const Relation& r : relationsFor(p.d, Law::SameCurvature, {line, s})) p.d.add(r);
    Relation angle;
    angle.law = Law::EndAngle, angle.of = {s, end}, angle.value = radFromDeg(120);
    p.d.add(angle);
    const auto d = solved(p.d);
    QVERIFY(d.has_value());
    const auto at = [&](size_t i) { return d->at(d->entity(s)->points[i]); };
    const Vec2 u = at(1) - at(0), v = at(2) - at(1), w = at(4) - at(5), l = d->at(corner) - d->at(d->entity(line)->points[0]);
    VERIFY_AT_MOST(std::abs(u.x() * l.y() - u.y() * l.x()) / (u.norm() * l.norm()), 1e-9);
    QVERIFY(u.dot(l) > 0);
    VERIFY_AT_MOST(std::abs(u.x() * v.y() - u.y() * v.x()) / std::pow(u.norm(), 3), 1e-9);
    VERIFY_AT_MOST(std::abs(std::atan2(w.y(), w.x()) - radFromDeg(120)), 1e-9);
  }

  void contradictionsListWhatCanBeGivenUpAndNothingElse() {
    const Drawing d = plates(6, true);
    std::mt19937 g(5);
    for (int k = 0; k < 12; ++k) {
      Drawing bad = d;
      Relation r;
      r.law = Law::Length;
      const Entity* line = nullptr;
      while (!line) {
        const Entity& e = d.entities[g() % d.entities.size()];
        if (e.shape == Shape::Line) line = &e;
      }
      r.of = {line->id}, r.value = 7 + *measured(d, {"", Law::Length, {line->id}});
      const Id added = bad.add(r);
      QVERIFY(!solved(bad));
      const auto give = contradictionIn(bad);
      QVERIFY(std::find(give.begin(), give.end(), added) != give.end());
      for (const Id& id : give) {
        Drawing less = bad;
        less.relation(id)->off = true;
        QVERIFY(solved(less).has_value());
      }
    }
  }

  /// Relations that follow from several others, compared with a dense rank.
  void whatIsSaidTwiceIsFoundAndNothingIsInvented() {
    for (unsigned seed = 0; seed < 60; ++seed) {
      const bool planted = seed % 2;
      const Drawing d = saidTwice(seed, planted);
      System s(*equationsOf(d));
      s.evaluate();
      const Eigen::JacobiSVD<Eigen::MatrixXd> svd{Eigen::MatrixXd(s.jacobian())};
      const int rank = int((svd.singularValues().array() > 1e-7 * svd.singularValues()[0]).count());
      const auto free = freedomOf(d);
      QCOMPARE(free->ways, s.unknowns() - rank);
      QCOMPARE(free->said.size(), size_t(planted));
      if (planted) QVERIFY(free->said[0].size() >= 3);
    }
  }

  void degenerateStartsAreGivenADirection() {
    Pencil p;
    const auto line = p.line(p.point(5, 5), p.point(5, 5));
    Relation r;
    r.law = Law::Length, r.of = {line}, r.value = 12;
    p.d.add(r);
    const auto d = solved(p.d);
    QVERIFY(d.has_value());
    VERIFY_AT_MOST(std::abs(lengthOf(*d, line) - 12), 1e-9);
    Pencil q;
    const auto s = q.spline(Shape::Spline, {q.point(0, 0), q.point(10, 5), q.point(20, 0), q.point(20, 0)}, 3);
    r.law = Law::EndAngle, r.of = {s, q.d.entity(s)->points[3]}, r.value = radFromDeg(90);
    q.d.add(r);
    const auto t = solved(q.d);
    QVERIFY(t.has_value());
    const Vec2 way = t->at(t->entity(s)->points[2]) - t->at(t->entity(s)->points[3]);
    VERIFY_AT_MOST(std::abs(way.x()), 1e-9);
    QVERIFY(way.y() > 0);
  }

  void numbersOutOfReachSayHowFarTheyCome() {
    Pencil p;
    const auto a = p.point(0, 0), b = p.point(30, 0), c = p.point(15, 20);
    const auto ab = p.line(a, b), bc = p.line(b, c), ca = p.line(c, a);
    p.measure(Law::Length, {bc}), p.measure(Law::Length, {ca});
    const Id base = p.measure(Law::Length, {ab});
    p.d.relation(base)->value = 60;
    const auto s = solved(p.d);
    QVERIFY(!s);
    QCOMPARE(s.error().code, std::string("LM-U006"));
    VERIFY_AT_MOST(std::abs(s.error().measured->value - 50), 0.05);
    for (const double value : {0.3, 49.9}) { // far smaller, and nearly flat
      p.d.relation(base)->value = value;
      const auto t = solved(p.d);
      QVERIFY(t.has_value());
      VERIFY_AT_MOST(worstOf(*t), 1e-9);
      QVERIFY(t->at(c).y() * 30 > 0);
    }
  }
};

static test::Register<DrawingSolveTest> registeredDrawingSolveTest;
#include "solve_test.moc"

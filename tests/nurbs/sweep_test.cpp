#include "nurbs/curves/helix.h"
#include "nurbs/curves/shapes.h"
#include "nurbs/measure/closest.h"
#include "nurbs/measure/surface_measure.h"
#include "nurbs/measure/wrinkles.h"
#include "nurbs/sweep/sweep.h"
#include "shapes/rails.h"
#include "shapes/vessels.h"
#include "support/registry.h"

#include <random>

using namespace lumsk;
using namespace lumsk::nurbs;
using namespace lumsk::test;

namespace {

Path aloneOf(Segment s) { return *Path::make({std::move(s)}, {1e-3}); }
Path polylineOf(const std::vector<Vec3>& pts) {
  std::vector<Segment> all;
  for (size_t i = 0; i + 1 < pts.size(); ++i) all.push_back(LineSegment{pts[i], pts[i + 1]});
  return *Path::make(all, {1e-3});
}

/// The first axis that is carried without turning about the rail, by the differential equation x' = -(x . t') t, with
/// Runge's and Kutta's method on so many steps.
std::vector<Vec3> integrated(const Path& rail, const Vec3& start, int steps) {
  const auto rate = [&](double t, const Vec3& x) {
    CurveDerivatives d;
    rail.derivatives(std::min(t, std::nextafter(rail.last(), 0.0)), 2, d);
    const double speed = d[1].norm();
    const Vec3 tangent = d[1] / speed, turn = (d[2] - tangent * tangent.dot(d[2])) / speed;
    return Vec3(-x.dot(turn) * tangent);
  };
  std::vector<Vec3> out{start};
  Vec3 x = start;
  const double h = rail.last() / steps;
  for (int i = 0; i < steps; ++i) {
    const double t = i * h;
    const Vec3 a = rate(t, x), b = rate(t + h / 2, x + h / 2 * a), c = rate(t + h / 2, x + h / 2 * b), e = rate(t + h, x + h * c);
    x += h / 6 * (a + 2 * b + 2 * c + e);
    out.push_back(x);
  }
  return out;
}

int controlsOf(const SweepResult& r) {
  int n = 0;
  for (const auto& f : r.faces) n += f.surface.controlPoints();
  return n;
}

double offSkin(const Path& p, const SweepResult& r) {
  double worst = 0;
  for (int i = 0; i <= 60; ++i) {
    double best = 1e300;
    for (const auto& f : r.faces) best = std::min(best, closestPoint(f.surface, p.at(p.last() * i / 60.0)).distanceMm);
    worst = std::max(worst, best);
  }
  return worst;
}

} // namespace

class SweepTest : public QObject {
  Q_OBJECT
private slots:
  void leastTwistIsThatOfAnIntegrationAndTheSkinIsWithinFit() {
    const Path rail = spaceCurve();
    const Frame f = squareTo(rail);
    const auto r = sweep({{*roundedRectangle(f, 14, 8, 2, {1e-3})}}, {rail}, {}, {});
    VERIFY_OK(r);
    VERIFY_AT_MOST(r->deviationMm, 0.0005);
    const int steps = 24000;
    const auto x = integrated(rail, r->crosses.front().x, steps);
    // Crosses stand at even shares of the length.
    const ArcLength length(rail);
    for (size_t i = 0; i < r->crosses.size(); ++i) {
      const double t = exactParameterAt(rail, length, length.total() * double(i) / double(r->crosses.size() - 1));
      const double at = t / rail.last() * steps;
      const size_t k = std::min(size_t(at), size_t(steps - 1));
      const Vec3 wanted = x[k] + (at - double(k)) * (x[k + 1] - x[k]);
      VERIFY_AT_MOST(angleBetweenRad(wanted, r->crosses[i].x), 1e-4);
    }
    qInfo("space curve, rounded rectangle: %d x %d points, within %.5f mm", r->faces[0].surface.sizeU(), r->faces[0].surface.sizeV(), r->deviationMm);
    const auto round = sweep({{*circle(f, 12)}}, {rail}, {}, {});
    VERIFY_OK(round);
    qInfo("space curve, circle: %d points", controlsOf(*round));
    VERIFY_AT_MOST(controlsOf(*round), 1160); // a third of what a general kernel needs
  }

  void manyTurnsAreExactEverywhereOnLeanKnots() {
    for (const double turns : {7.5, 30.0}) {
      const Path rail = aloneOf(LineSegment{{0, 0, 0}, {0, 0, 200}});
      SweepOptions o;
      o.frame.turnDeg = [turns](double x) { return 360 * turns * x; };
      o.frame.turns = turns;
      const auto r = sweep({{*polygon(levelAt(0), 12, 4, 1, {1e-3})}}, {rail}, o, {});
      VERIFY_OK(r);
      VERIFY_AT_MOST(r->deviationMm, 0.0005);
      const Surface& s = r->faces.front().surface;
      const Vec3 first = s.at(s.firstU(), 0);
      for (int i = 0; i <= 1000; ++i) {
        const Vec3 p = s.at(s.firstU(), i / 1000.0);
        const double wanted = std::atan2(first.y(), first.x()) + 2 * kPi * turns * p.z() / 200;
        const double off = std::remainder(std::atan2(p.y(), p.x()) - wanted, 2 * kPi);
        VERIFY_AT_MOST(std::abs(degFromRad(off)), 0.01);
      }
      qInfo("%.1f turns: %d control points along", turns, s.sizeV());
      VERIFY_AT_MOST(s.sizeV(), 14 * turns);
      QCOMPARE(r->twistDeg, 360 * turns);
    }
  }

  void aProfileOnTheWayGoesBothWaysAndStaysAsItWasDrawn() {
    const Path rail = curveThrough({{0, 0, 0}, {60, 0, 30}, {120, 0, 0}, {180, 0, -20}});
    const ArcLength length(rail);
    const double t = length.parameterAtFraction(0.4);
    CurveDerivatives d;
    rail.derivatives(t, 1, d);
    const Path profile = *circle(Frame::fromNormal(d[0] + Vec3(0, 3, 0), d[1]), 10); // it does not touch the rail
    SweepOptions o;
    o.frame.size = [](double x) { return 1 + x; };
    const auto r = sweep({{profile}}, {rail}, o, {});
    VERIFY_OK(r);
    VERIFY_AT_MOST(std::abs(r->stations[0][0].fraction - 0.4), 1e-6);
    VERIFY_AT_MOST(std::abs(r->stations[0][0].gapMm - 2), 1e-6);
    VERIFY_AT_MOST(offSkin(profile, *r), 0.0005);
    // It ends beside both ends of the rail.
    const Surface& s = r->faces.front().surface;
    VERIFY_AT_MOST((s.isoV(0).at(s.firstU()) - rail.start()).norm(), 8);
    VERIFY_AT_MOST((s.isoV(1).at(s.firstU()) - rail.end()).norm(), 12);
  }

  void twoRailsAndTheirProfilesAreMet() {
    const Path a = curveThrough({{0, 0, 0}, {10, 40, 10}, {0, 90, 15}, {-10, 140, 0}});
    const Path b = curveThrough({{50, 0, 0}, {70, 45, 0}, {60, 85, 25}, {45, 140, 10}});
    const auto archOver = [](const Vec3& p, const Vec3& q, double high) {
      return curveThrough({p, 0.7 * p + 0.3 * q + Vec3(0, 0, high), 0.25 * p + 0.75 * q + Vec3(0, 1, 0.8 * high), q});
    };
    for (const bool widthOnly : {false, true}) {
      SweepOptions o;
      o.widthOnly = widthOnly;
      std::vector<Section> sections;
      for (const double f : {0.0, 0.22, 0.5, 0.76, 1.0})
        sections.push_back({archOver(a.at(ArcLength(a).parameterAtFraction(f)), b.at(ArcLength(b).parameterAtFraction(f)), 14 + 6 * f)});
      for (const int n : {2, 5}) {
        auto some = n == 5 ? sections : std::vector<Section>{sections.front(), sections.back()};
        const auto r = sweep(some, {a, b}, o, {});
        VERIFY_OK(r);
        for (const Section& s : some) VERIFY_AT_MOST(offSkin(*s.path(), *r), 0.0005);
        VERIFY_AT_MOST(offSkin(a, *r), 0.0005);
        VERIFY_AT_MOST(offSkin(b, *r), 0.0005);
        qInfo("two rails, %d sections: %d x %d points", n, r->faces[0].surface.sizeU(), r->faces[0].surface.sizeV());
        VERIFY_AT_MOST(controlsOf(*r), 300);
        // In another order and with the rails the other way round it is the same.
        std::swap(some.front(), some.back());
        const auto other = sweep(some, {reversed(b), a}, o, {});
        VERIFY_OK(other);
        VERIFY_AT_MOST(offSkin(a, *other), 0.0005);
        VERIFY_AT_MOST(offSkin(*some.back().path(), *other), 0.0005);
      }
      const auto one = sweep({sections[1]}, {a, b}, o, {});
      VERIFY_OK(one);
      VERIFY_AT_MOST(offSkin(*sections[1].path(), *one), 0.0005);
      VERIFY_AT_MOST(offSkin(a, *one), 0.0005);
      VERIFY_AT_MOST(offSkin(b, *one), 0.0005);
    }
  }

  /// Rails touch closed profiles at places that do not lie alike on both.
  void bothRailsAreMetWhereverTheyTouchClosedProfiles() {
    const auto mouth = [](double t) { return Vec3(30 * std::cos(t), 0, 15 * std::sin(t)); };
    const auto end = [](double t) {
      const double x = 24 * std::cos(t), y = 18 * std::sin(t);
      return Vec3(0.94 * x - 0.34 * y, 90, 30 + 0.34 * x + 0.94 * y);
    };
    const auto ring = [](const auto& f) {
      Points p(48, 3);
      for (int i = 0; i < 48; ++i) p.row(i) = f(2 * kPi * i / 48).transpose();
      InterpolationOptions o;
      o.closed = true;
      return *Path::make({*interpolate(p, o)}, {0.001});
    };
    const Path a = ring(mouth), b = ring(end);
    for (const auto& [first, second] : {std::pair(Vec2(4, 8), Vec2(27, 31)), std::pair(Vec2(1, 0), Vec2(20, 30)), std::pair(Vec2(11, 5), Vec2(36, 33))}) {
      std::vector<Path> rails;
      for (const Vec2& at : {first, second}) {
        const Vec3 p = mouth(2 * kPi * at.x() / 48), q = end(2 * kPi * at.y() / 48);
        rails.push_back(curveThrough({p, 0.5 * (p + q) + 0.15 * Vec3(p.x(), 0, p.z()), q}));
      }
      const auto r = sweep({{a}, {b}}, rails, {}, {});
      VERIFY_OK(r);
      for (const Path& rail : rails) VERIFY_AT_MOST(offSkin(rail, *r), 0.0005);
      for (const Path& profile : {a, b}) VERIFY_AT_MOST(offSkin(profile, *r), 0.0005);
      VERIFY_AT_MOST(r->deviationMm, 0.0006);
    }
  }

  void threeRailsAreMet() {
    const Path a = curveThrough({{0, 0, 0}, {6, 40, 3}, {0, 90, 5}}), b = curveThrough({{50, 0, 0}, {56, 45, 0}, {40, 92, 5}});
    const Path c = curveThrough({{25, 0, 20}, {30, 42, 30}, {20, 91, 16}});
    const Path profile = curveThrough({a.start(), {10, 0, 13}, c.start(), {38, 0, 14}, b.start()});
    const auto r = sweep({{profile}}, {a, b, c}, {}, {});
    VERIFY_OK(r);
    for (const Path& p : {a, b, c, profile}) VERIFY_AT_MOST(offSkin(p, *r), 0.0005);
  }

  void railsThatMeetEndInAPoint() {
    const Path a = curveThrough({{0, 0, 0}, {-5, 40, 0}, {25, 100, 10}}), b = curveThrough({{50, 0, 0}, {55, 40, 0}, {25, 100, 10}});
    const Path profile = curveThrough({{0, 0, 0}, {25, 0, 18}, {50, 0, 0}});
    const auto r = sweep({{profile}}, {a, b}, {}, {});
    VERIFY_OK(r);
    for (const Path& p : {a, b, profile}) VERIFY_AT_MOST(offSkin(p, *r), 0.0005);
    QVERIFY(r->faces.front().surface.poleAtLastV({1e-4}));
  }

  void aClosedRailIsDividedForOpenProfiles() {
    const Path rim = *ellipse(levelAt(0), 120, 70, {1e-3});
    const Path arch = curveThrough({{0, -35, 0}, {0, -20, 14}, {0, 20, 14}, {0, 35, 0}});
    const auto both = bothSides(rim, {{arch}}, {}, {0.01}, {1e-3});
    QVERIFY(both.has_value());
    for (const Path& p : *both) VERIFY_AT_MOST(std::abs(ArcLength(p).total() - 0.5 * ArcLength(rim).total()), 1e-4);
    SweepOptions o;
    const auto r = sweep({{arch}}, {(*both)[0], (*both)[1]}, o, {});
    VERIFY_OK(r);
    VERIFY_AT_MOST(offSkin(rim, *r), 0.0005);
    VERIFY_AT_MOST(offSkin(arch, *r), 0.0005);
    const Path second = curveThrough({{40, -26.0870, 0}, {40, 0, 10}, {40, 26.0870, 0}});
    const auto parts = bothSides(rim, {{arch}, {second}}, {}, {0.05}, {1e-3});
    QVERIFY(parts.has_value());
    for (const Path& p : *parts) {
      VERIFY_AT_MOST(std::abs(p.start().x()), 1e-3);
      VERIFY_AT_MOST(std::abs(p.end().x() - 40), 0.05);
      VERIFY_AT_MOST(std::abs(ArcLength(p).total() - 41.3), 1);
    }
  }

  void cornersAreMitredExactly() {
    const Path rail = polylineOf({{0, 0, 0}, {80, 0, 0}, {80, 60, 0}, {80, 60, 50}});
    const Path profile = *roundedRectangle(squareTo(rail), 10, 6, 1.5, {1e-3});
    const auto r = sweep({{profile}}, {rail}, {}, {});
    VERIFY_OK(r);
    QCOMPARE(r->stretches, 3);
    QVERIFY(!r->apart);
    // Both sides of a corner have the same border, in the plane between them.
    for (int k = 0; k + 1 < 3; ++k) {
      const Surface &a = r->faces[size_t(k)].surface, &b = r->faces[size_t(k) + 1].surface;
      for (int i = 0; i <= 40; ++i) VERIFY_AT_MOST((a.at(i / 40.0, 1) - b.at(i / 40.0, 0)).norm(), 1e-6);
    }
    for (int i = 0; i <= 40; ++i) {
      const Vec3 p = r->faces[0].surface.at(i / 40.0, 1) - Vec3(80, 0, 0);
      VERIFY_AT_MOST(std::abs(p.dot(Vec3(1, 1, 0).normalized())), 1e-6);
    }
    // A closed frame, with the profile on one of its sides; its corners are four.
    const Path frame = *polygon(levelAt(0), 120, 4, 0, {1e-3});
    CurveDerivatives d;
    frame.derivatives(0.5, 1, d);
    const auto closed = sweep({{*circle(Frame::fromNormal(d[0], d[1]), 8)}}, {frame}, {}, {});
    VERIFY_OK(closed);
    QCOMPARE(closed->stretches, 4);
    for (size_t k = 0; k < 4; ++k)
      for (int i = 0; i <= 20; ++i)
        VERIFY_AT_MOST((closed->faces[k].surface.at(i / 20.0, 1) - closed->faces[(k + 1) % 4].surface.at(i / 20.0, 0)).norm(), 1e-6);
    SweepOptions round;
    round.corners = RailCorners::Round;
    round.cornerRadiusMm = 12;
    const auto smooth = sweep({{profile}}, {rail}, round, {});
    VERIFY_OK(smooth);
    QCOMPARE(smooth->stretches, 1);
    QCOMPARE(int(smooth->faces.size()), 1);
    round.faces = SweepFaces::Pieces;
    const auto pieces = sweep({{profile}}, {rail}, round, {});
    VERIFY_OK(pieces);
    QCOMPARE(int(pieces->faces.size()), 5 * 8); // lines and arcs of the rail, and of the profile
  }

  void facesEndAtJointsOfTheRailWhetherOneProfileStandsThereOrMore() {
    // 40 mm, a quarter of 20 mm, 30 mm.
    const Path rail = *Path::make({LineSegment{{0, 0, 0}, {40, 0, 0}}, EllipseArc{{40, 20, 0}, {0, -20, 0}, {20, 0, 0}, 0, kPi / 2},
                                   LineSegment{{60, 20, 0}, {60, 50, 0}}}, {1e-3});
    const Path first = *circle({{0, 0, 0}, Vec3::UnitY(), Vec3::UnitZ()}, 10), last = *circle({{60, 50, 0}, Vec3::UnitZ(), Vec3::UnitX()}, 14);
    SweepOptions o;
    o.faces = SweepFaces::Pieces;
    for (const auto& profiles : {std::vector<Section>{{first}}, std::vector<Section>{{first}, {last}}, std::vector<Section>{{last}, {first}}}) {
      const auto r = sweep(profiles, {rail}, o, {});
      VERIFY_OK(r);
      QCOMPARE(r->faces.size(), size_t(3));
      // The borders lie in the planes across the joints.
      const bool forwards = (r->faces[0].surface.at(0, 0) - rail.start()).norm() < 20;
      const Surface &a = r->faces[forwards ? 0 : 2].surface, &b = r->faces[forwards ? 2 : 0].surface;
      for (int i = 0; i < 12; ++i) {
        VERIFY_AT_MOST(std::abs(a.at(i / 12.0, forwards ? 1 : 0).x() - 40), 0.001);
        VERIFY_AT_MOST(std::abs(b.at(i / 12.0, forwards ? 0 : 1).y() - 20), 0.001);
      }
    }
  }

  void aClosedRailGivesASmoothClosedSkin() {
    const Path rail = curveThrough({{50, 0, 0}, {0, 40, 12}, {-50, 0, 0}, {0, -40, -12}}, true);
    SweepOptions o;
    o.frame.turnDeg = [](double x) { return 360 * x; };
    o.frame.turns = 1;
    const auto r = sweep({{*roundedRectangle(squareTo(rail), 10, 6, 2, {1e-3})}}, {rail}, o, {});
    VERIFY_OK(r);
    QVERIFY(r->closedRail && r->closedProfile);
    const Surface& s = r->faces.front().surface;
    for (int i = 0; i < 40; ++i) {
      const auto a = s.pointAndNormal(i / 40.0, 0), b = s.pointAndNormal(i / 40.0, 1);
      VERIFY_AT_MOST((a.point - b.point).norm(), 1e-6);
      VERIFY_AT_MOST(degFromRad(angleBetweenRad(a.normal, b.normal)), 0.01);
    }
  }

  void tightBendsAreMarkedAndOnlyThey() {
    // Arcs with profiles that reach a known part of the radius inwards.
    std::mt19937 rng(5);
    std::uniform_real_distribution<double> d(0, 1);
    for (int i = 0; i < 50; ++i) {
      const double radius = 5 + 30 * d(rng), part = i % 2 ? 0.5 + 0.45 * d(rng) : 1.05 + 0.6 * d(rng);
      const Path rail = *arc(levelAt(0), radius, 0, 60 + 100 * d(rng), {1e-3});
      CurveDerivatives e;
      rail.derivatives(0, 1, e);
      const Path profile = *circle(Frame::fromNormal(e[0], e[1]), 2 * part * radius);
      const auto r = sweep({{profile}}, {rail}, {}, {});
      QVERIFY2(r.has_value() == (part < 1), qPrintable(QString("part %1").arg(part)));
      if (part < 1) continue;
      QCOMPARE(QString::fromStdString(r.error().code), QString("LM-Y003"));
      QVERIFY(!r.error().where.empty());
      VERIFY_AT_MOST(std::abs(r.error().measured->value - radius), 0.02 * radius);
      VERIFY_AT_MOST(std::abs(r.error().required->value - part * radius), 0.02 * part * radius);
    }
  }

  void framesKeepWhatTheyAreToKeep() {
    const Path rail = spaceCurve();
    const Path profile = *line(rail.start(), rail.start() + Vec3(0, 0, 12), {1e-3});
    SweepOptions o;
    o.frame.kind = RailFrame::Parallel;
    auto r = sweep({{profile}}, {rail}, o, {});
    VERIFY_OK(r);
    const auto far = [&](double v) {
      const Surface& s = r->faces.front().surface;
      return Vec3(s.at(s.lastU(), v) - s.at(s.firstU(), v));
    };
    for (int i = 0; i <= 20; ++i) VERIFY_AT_MOST((far(i / 20.0) - Vec3(0, 0, 12)).norm(), 0.001);
    // Upright, and leaning by 10 degrees from a wall square to the direction.
    for (const double lean : {0.0, 10.0}) {
      o.frame.kind = RailFrame::Upright;
      o.frame.leanDeg = lean;
      const CurveDerivatives at = [&] {
        CurveDerivatives d;
        rail.derivatives(0, 1, d);
        return d;
      }();
      const RailFrames frames = *RailFrames::along(rail, o.frame);
      const Path wall = *line(at[0], at[0] + 12 * frames.at(0).axes.col(1), {1e-3});
      r = sweep({{wall}}, {rail}, o, {});
      VERIFY_OK(r);
      for (int i = 0; i <= 20; ++i) {
        const Vec3 n = r->faces.front().surface.normal(0.0, i / 20.0);
        VERIFY_AT_MOST(std::abs(std::abs(degFromRad(std::asin(n.z()))) - lean), 0.01);
      }
    }
  }

  void anEndFlowsOnIntoATube() {
    // A tube that a bent one goes on from, from its own edge.
    const auto tube = loft({{*circle(levelAt(-40), 20)}, {*circle(levelAt(-20), 22)}, {*circle(levelAt(0), 20)}}, {}, {});
    VERIFY_OK(tube);
    for (const Meets kind : {Meets::G1, Meets::G2}) {
      SweepOptions o;
      o.start.kind = kind;
      o.start.neighbour = beside(tube->strips[0]);
      const Path rail = curveThrough({{0, 0, 0}, {0, 0, 25}, {20, 0, 60}, {50, 0, 70}});
      const auto r = sweep({{aloneOf(tube->strips[0].isoV(1))}}, {rail}, o, {});
      VERIFY_OK(r);
      QVERIFY(r->joins);
      VERIFY_AT_MOST(r->join.worst({}), 1);
      const auto free = sweep({{aloneOf(tube->strips[0].isoV(1))}}, {rail}, {}, {});
      VERIFY_OK(free);
      VERIFY_AT_MOST(wrinkleIndex({r->faces[0].surface}), 2 * wrinkleIndex({free->faces[0].surface}));
      const Surface& s = r->faces.front().surface;
      for (int i = 0; i < 24; ++i) {
        const Vec3 p = s.at(i / 24.0, 0), n = s.normal(i / 24.0, 0);
        const auto there = beside(tube->strips[0])(p);
        QVERIFY(there.has_value());
        VERIFY_AT_MOST(there->distanceMm, 0.001);
        VERIFY_AT_MOST(degFromRad(std::asin(std::min(1.0, n.cross(there->normal).norm()))), 0.01);
      }
      VERIFY_AT_MOST((s.at(0, 1) - rail.end()).norm(), 10.5); // and the rest goes where it did
    }
  }

  void outerProfilesGoOnToTheRailsEnds() {
    const Path rail = curveThrough({{0, 0, 0}, {40, 0, 12}, {90, 20, 0}, {140, 20, 0}});
    const auto ring = [&](double t, double d) {
      CurveDerivatives at;
      rail.derivatives(t * rail.last(), 1, at);
      return Section{*circle(Frame::fromNormal(at[0], at[1]), d)};
    };
    SweepOptions o;
    o.whole = true;
    const auto r = sweep({ring(0.3, 10), ring(0.6, 16)}, {rail}, o, {});
    VERIFY_OK(r);
    QCOMPARE(r->alignment.sections.size(), size_t(2));
    const Surface& s = r->faces.front().surface;
    for (int i = 0; i < 24; ++i) {
      const double u = s.firstU() + (s.lastU() - s.firstU()) * i / 24;
      VERIFY_AT_MOST(std::abs((s.at(u, 0) - rail.start()).norm() - 5), 0.001);
      VERIFY_AT_MOST(std::abs((s.at(u, 1) - rail.end()).norm() - 8), 0.001);
    }
    for (int j = 0; j < 100; ++j) { // nowhere thinner or thicker than those that were given, and level outside
      const Vec3 one = s.at(s.firstU(), j / 100.0), opposite = s.at(0.5 * (s.firstU() + s.lastU()), j / 100.0);
      const double d = (one - opposite).norm();
      QVERIFY(d > 9.99 && d < 16.01);
    }
    // Two rails: the same.
    const Path other = transformed(rail, Eigen::Isometry3d(Eigen::Translation3d(0, 30, 0)));
    const auto bow = [&](double t, double rise) {
      const Vec3 a = rail.at(t * rail.last()), b = other.at(t * other.last());
      return Section{curveThrough({a, 0.5 * (a + b) + Vec3(0, 0, rise), b})};
    };
    const auto both = sweep({bow(0.3, 8), bow(0.7, 14)}, {rail, other}, o, {});
    VERIFY_OK(both);
    const Surface& w = both->faces.front().surface;
    for (const double v : {0.0, 1.0}) {
      VERIFY_AT_MOST((w.at(w.firstU(), v) - (v < 0.5 ? rail.start() : rail.end())).norm(), 0.001);
      VERIFY_AT_MOST((w.at(w.lastU(), v) - (v < 0.5 ? other.start() : other.end())).norm(), 0.001);
    }
  }

  /// Half way between a square profile and one that leans by 40 degrees the plane leans by 20.
  void theProfilesPlanesLead() {
    const Path rail = *line({0, 0, 0}, {0, 0, 100}, {1e-3});
    const double a = radFromDeg(40);
    const Frame leaning{{0, 0, 100}, Vec3::UnitX(), Vec3(0, std::cos(a), std::sin(a))};
    SweepOptions o;
    o.planes = true;
    const auto r = sweep({{*circle(levelAt(0), 20)}, {*circle(leaning, 20)}}, {rail}, o, {});
    VERIFY_OK(r);
    const Surface& s = r->faces.front().surface;
    for (const auto& [at, lean] : {std::pair(0.0, 0.0), std::pair(0.5, 20.0), std::pair(1.0, 40.0)}) {
      const double v = at; // a lambda cannot have a name of a binding
      const PlaneOfPoints plane = fitPlane([&] {
        Points p(48, 3);
        for (int i = 0; i < 48; ++i) p.row(i) = s.at(s.firstU() + (s.lastU() - s.firstU()) * i / 48, v).transpose();
        return p;
      }());
      VERIFY_AT_MOST(plane.deviationMm, 0.001);
      VERIFY_AT_MOST(std::abs(degFromRad(std::acos(std::abs(plane.frame.normal().z()))) - lean), 0.05);
      for (int i = 0; i < 48; ++i) // and stays a circle
        VERIFY_AT_MOST(std::abs((s.at(s.firstU() + (s.lastU() - s.firstU()) * i / 48, v) - Vec3(0, 0, 100 * v)).norm() - 10), 0.002);
    }
  }

  void twoProfilesDoOnAClosedRail() {
    const Path rail = *circle(levelAt(0), 100);
    const auto square = [](double x, double width) {
      return Section{*circle(Frame{{x, 0, 0}, Vec3::UnitX(), Vec3::UnitZ()}, width)};
    };
    const auto r = sweep({square(50, 10), square(-50, 20)}, {rail}, {}, {});
    VERIFY_OK(r);
    QVERIFY(r->closedRail);
    QCOMPARE(r->alignment.sections.size(), size_t(2));
    const auto widthAt = [&](double deg) { // of the skin from the rail
      const Vec3 c(50 * std::cos(radFromDeg(deg)), 50 * std::sin(radFromDeg(deg)), 0);
      double most = 0;
      for (int k = 0; k < 16; ++k) {
        const double t = 2 * kPi * k / 16;
        most = std::max(most, closestPoint(r->faces[0].surface, c + 7.5 * (std::cos(t) * c.normalized() + std::sin(t) * Vec3::UnitZ())).distanceMm);
      }
      return most;
    };
    VERIFY_AT_MOST(widthAt(90), 0.2);
    VERIFY_AT_MOST(widthAt(270), 0.2);
    VERIFY_AT_MOST(std::abs(widthAt(0) - 2.5), 0.01);
    VERIFY_AT_MOST(std::abs(widthAt(180) - 2.5), 0.01);
  }

  /// Beyond its reach, which the pull says, the skin is where the profile is carried.
  void whatFlowsOnComesBackToItsWay() {
    const auto tube = loft({{*circle(levelAt(-40), 20)}, {*circle(levelAt(-20), 24)}, {*circle(levelAt(0), 20)}}, {}, {});
    VERIFY_OK(tube);
    const Path rail = curveThrough({{0, 0, 0}, {0, 0, 60}, {30, 0, 140}, {60, 0, 200}}), profile = aloneOf(tube->strips[0].isoV(1));
    const auto free = sweep({{profile}}, {rail}, {}, {});
    VERIFY_OK(free);
    double widest = 0;
    for (const double pull : {0.5, 1.0}) {
      SweepOptions o;
      o.start.kind = Meets::G2;
      o.start.pull = pull;
      o.start.neighbour = beside(tube->strips[0]);
      const auto r = sweep({{profile}}, {rail}, o, {});
      VERIFY_OK(r);
      VERIFY_AT_MOST(r->join.worst({}), 1);
      double reach = 0;
      for (int i = 0; i < 24; ++i)
        for (int j = 0; j <= 100; ++j) {
          const Vec3 p = r->faces[0].surface.at(i / 24.0, j / 100.0);
          if (closestPoint(free->faces[0].surface, p).distanceMm > 0.01) reach = std::max(reach, p.z());
        }
      QVERIFY(reach > 20 * pull);
      VERIFY_AT_MOST(reach, 120 * pull); // half of a rail of 212 mm
      QVERIFY(reach > widest);
      widest = reach;
    }
  }

  /// Leaves square-cornered profiles along the lines in which both sides' planes meet.
  void leansAtCorners() {
    const Path profile = polylineOf({{-10, -6, 0}, {10, -6, 0}, {10, 6, 0}, {-10, 6, 0}, {-10, -6, 0}});
    SweepOptions o;
    o.start.kind = Meets::Angle;
    o.start.angleDeg = 20;
    const auto r = sweep({{profile}}, {curveThrough({{0, 0, 0}, {0, 0, 30}, {15, 0, 70}, {50, 0, 90}})}, o, {});
    VERIFY_OK(r);
    VERIFY_AT_MOST(r->join.angleDeg, 0.05);
    QCOMPARE(r->faces.size(), size_t(4));
    for (const auto& f : r->faces)
      for (int i = 0; i <= 10; ++i)
        VERIFY_AT_MOST(std::abs(std::abs(degFromRad(std::asin(f.surface.normal(i / 10.0, 0).z()))) - 20), 0.05);
    for (size_t k = 0; k < 4; ++k)
      for (int j = 0; j <= 20; ++j)
        VERIFY_AT_MOST((r->faces[k].surface.at(r->faces[k].surface.lastU(), j / 20.0) - r->faces[(k + 1) % 4].surface.at(r->faces[(k + 1) % 4].surface.firstU(), j / 20.0)).norm(), 1e-6);
  }

  void aProfileThatIsOnlyMovedStaysAsItIsBeyondCorners() {
    const Path rail = polylineOf({{0, 0, 0}, {80, 0, 0}, {80, 60, 0}, {80, 60, 50}});
    const Path profile = *line({0, 0, 0}, {3, 10, 6}, {1e-3});
    for (const RailCorners corners : {RailCorners::Mitre, RailCorners::Split}) {
      SweepOptions o;
      o.frame.kind = RailFrame::Parallel;
      o.corners = corners;
      const auto r = sweep({{profile}}, {rail}, o, {});
      VERIFY_OK(r);
      QCOMPARE(r->faces.size(), size_t(3));
      QVERIFY(!r->apart);
      for (size_t k = 0; k < 3; ++k)
        for (int j = 0; j <= 8; ++j) {
          const Surface& s = r->faces[k].surface;
          VERIFY_AT_MOST((s.at(s.lastU(), j / 8.0) - s.at(s.firstU(), j / 8.0) - Vec3(3, 10, 6)).norm(), 1e-6);
        }
      VERIFY_AT_MOST((r->faces[0].surface.at(0.5, 1) - r->faces[1].surface.at(0.5, 0)).norm(), 1e-6);
    }
  }

  void heightsStandOnASkinOrPointAwayFromAnAxis() {
    const auto tube = loft({{*circle(levelAt(-10), 60)}, {*circle(levelAt(70), 60)}}, {}, {});
    VERIFY_OK(tube);
    HelixOptions h;
    h.base = levelAt(0);
    h.radiusMm = h.endRadiusMm = 30;
    h.turns = 1.5;
    h.heightMm = 60;
    const Path rail = aloneOf(*helix(h, {}));
    for (const RailFrame kind : {RailFrame::OnSkin, RailFrame::AboutAxis}) {
      SweepOptions o;
      o.frame.kind = kind;
      o.frame.skin = beside(tube->strips[0]);
      const auto r = sweep({{*line({30, 0, 0}, {36, 0, 0}, {1e-3})}}, {rail}, o, {});
      VERIFY_OK(r);
      const Surface& s = r->faces.front().surface;
      for (int i = 0; i <= 40; ++i) {
        const Vec3 foot = s.at(s.firstU(), i / 40.0), up = s.at(s.lastU(), i / 40.0) - foot;
        VERIFY_AT_MOST(degFromRad(angleBetweenRad(up, {foot.x(), foot.y(), 0})), 0.05); // as the tube's own fit
        VERIFY_AT_MOST(std::abs(up.norm() - 6), 0.001);
      }
    }
    // A rail through the axis has no way away from it.
    SweepOptions o;
    o.frame.kind = RailFrame::AboutAxis;
    const auto through = sweep({{*line({-20, 0, 0}, {-20, 0, 5}, {1e-3})}}, {*line({-20, 0, 0}, {20, 0, 0}, {1e-3})}, o, {});
    QVERIFY(!through && through.error().code == "LM-Y005" && !through.error().where.empty());
  }

  void whatAClosedRailAndSeveralProfilesSayIsNotSaidAgain() {
    const Path ring = *circle(levelAt(0), 100);
    const Path profile = *polygon({{50, 0, 0}, Vec3::UnitX(), Vec3::UnitZ()}, 10, 4, 1, {1e-3});
    const auto twisted = [&](double deg) {
      SweepOptions o;
      o.frame.turnDeg = [deg](double x) { return deg * x; };
      o.frame.turns = std::abs(deg) / 360;
      return sweep({{profile}}, {ring}, o, {});
    };
    VERIFY_OK(twisted(-720));
    const auto half = twisted(200);
    QVERIFY(!half && half.error().code == "LM-Y010" && !half.error().where.empty());
    VERIFY_AT_MOST(std::abs(half.error().required->value - 360), 1e-9);
    SweepOptions o;
    o.frame.size = [](double x) { return 1 + x; };
    QVERIFY(!sweep({{profile}}, {ring}, o, {}));
    const Path rail = *line({0, 0, 0}, {0, 0, 50}, {1e-3});
    const std::vector<Section> two{{*circle(levelAt(0), 10)}, {*circle(levelAt(50), 20)}};
    VERIFY_OK(sweep(two, {rail}, {}, {}));
    for (const bool all : {false, true}) {
      SweepOptions sized;
      if (all)
        sized.size = 0.5;
      else
        sized.frame.size = [](double x) { return 1 + x; };
      const auto r = sweep(two, {rail}, sized, {});
      QVERIFY(!r && r.error().code == "LM-Y010" && r.error().remedies.size() == 1);
    }
  }

  void badInputIsRefusedWithItsPlace() {
    const auto refused = [](const Expected<SweepResult>& r, const char* code) {
      return !r && r.error().code == code && !r.error().where.empty();
    };
    const Path rail = spaceCurve();
    const Path profile = *circle(squareTo(rail), 6);
    SweepOptions o;
    o.frame.size = [](double x) { return 1 - 2 * x; };
    QVERIFY(refused(sweep({{profile}}, {rail}, o, {}), "LM-Y007"));
    o = {};
    o.frame.kind = RailFrame::Upright;
    QVERIFY(refused(sweep({{*circle(levelAt(0), 6)}}, {aloneOf(LineSegment{{0, 0, 0}, {0, 0, 50}})}, o, {}), "LM-Y005"));
    o.frame.leanDeg = 85;
    QVERIFY(refused(sweep({{profile}}, {rail}, o, {}), "LM-Y006"));
    QVERIFY(refused(sweep({{profile}, {profile}}, {rail}, {}, {}), "LM-Y002"));
    QVERIFY(refused(sweep({{profile}}, {polylineOf({{0, 0, 0}, {50, 0, 0}, {0, 0.5, 0}})}, {}, {}), "LM-Y009"));
    QVERIFY(refused(sweep({{*line({0, 0, 0}, {20, 0, 0}, {1e-3})}},
                          {*line({0, 0, 0}, {20, 50, 0}, {1e-3}), *line({20, 0, 0}, {0, 50, 0}, {1e-3})}, {}, {}),
                    "LM-Y008"));
  }

  void randomInputsAreRightOrRefused() {
    std::mt19937 rng(11);
    std::uniform_real_distribution<double> d(-1, 1);
    int made = 0;
    for (int i = 0; i < 200; ++i) {
      std::vector<Vec3> pts;
      Vec3 at = Vec3::Zero(), way(1, 0, 0);
      const int n = 3 + int(rng() % 5);
      for (int k = 0; k < n; ++k) {
        pts.push_back(at);
        way = (way + 0.6 * Vec3(d(rng), d(rng), d(rng))).normalized();
        at += (20 + 15 * d(rng)) * way;
      }
      const Path rail = curveThrough(pts);
      const Frame f = squareTo(rail);
      const double size = 6 + 5 * d(rng);
      const Path profile = i % 3 == 0   ? *circle(f, size)
                           : i % 3 == 1 ? *roundedRectangle(f, size, 0.6 * size, 0.1 * size, {1e-3})
                                        : curveThrough({f.at(-size, 0), f.at(0, 0.5 * size), f.at(size, 0.1 * size)});
      SweepOptions o;
      const double turn = i % 4 == 0 ? 400 * d(rng) : 0, end = i % 5 == 0 ? 1 + 0.5 * d(rng) : 1;
      if (turn != 0) o.frame.turnDeg = [turn](double x) { return turn * x; };
      o.frame.turns = std::abs(turn) / 360;
      if (end != 1) o.frame.size = [end](double x) { return 1 + (end - 1) * x; };
      const auto r = sweep({{profile}}, {rail}, o, {});
      if (!r) {
        QVERIFY2(!r.error().where.empty(), r.error().code.c_str());
        continue;
      }
      ++made;
      VERIFY_AT_MOST(r->deviationMm, 0.0005);
      for (const auto& face : r->faces) QVERIFY(!firstFold(face.surface));
    }
    qInfo("made %d of 200", made);
    QVERIFY(made > 120);
  }
};
static test::Register<SweepTest> registeredSweepTest;
#include "sweep_test.moc"

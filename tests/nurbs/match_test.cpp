#include "nurbs/measure/closest.h"
#include "nurbs/reshape/match.h"
#include "nurbs/fit/spaces.h"
#include "shapes/vessels.h"
#include "support/registry.h"

#include <random>

using namespace lumsk;
using namespace lumsk::nurbs;
using namespace lumsk::test;

/// Skins matched to others, measured by code that does not build them.
class MatchTest : public QObject {
  Q_OBJECT

  /// A loft through four sections of a form, of degree 3, moved away from it at random places.
  static Surface piece(double u0, double u1, double v0, double v1, int degree, int controls) {
    const Surface s = portion(wavyForm(20, 0.15), u0, u1, v0, v1);
    Points grid(controls * controls, 3);
    const Knots k = uniformKnots(degree, controls - degree);
    Rows values(controls, 3 * controls);
    const auto at = greville(k, degree);
    for (int i = 0; i < controls; ++i)
      for (int j = 0; j < controls; ++j)
        values.row(j).segment<3>(3 * i) = s.at(at[size_t(i)], at[size_t(j)]).transpose();
    const Rows across = rowsThrough(degree, k, values); // in v
    Rows turned(controls, 3 * controls);
    for (int i = 0; i < controls; ++i)
      for (int j = 0; j < controls; ++j) turned.row(i).segment<3>(3 * j) = across.row(j).segment<3>(3 * i);
    const Rows both = rowsThrough(degree, k, turned);
    for (int i = 0; i < controls; ++i)
      for (int j = 0; j < controls; ++j) grid.row(i * controls + j) = both.row(i).segment<3>(3 * j);
    return Surface::trusted(degree, degree, k, k, grid, false);
  }
  static Surface pushed(Surface s, unsigned seed, double mm) {
    std::mt19937 g(seed);
    std::uniform_real_distribution<double> d(-mm, mm);
    for (int i = 0; i < s.sizeU(); ++i)
      for (int j = 0; j < s.sizeV(); ++j) s.point(i, j) += Eigen::RowVector3d(d(g), d(g), d(g));
    return s;
  }
  static MatchTarget onto(const Surface& other, Side side, const Surface& s, Side own) {
    return ontoSide(SideLine(other, side), SideLine(s, own));
  }
  struct Seen {
    double gapMm = 0;
    SkinJoin join;
  };
  /// A side of one surface against another surface, by closest points.
  static Seen seen(const Surface& s, Side side, const Surface& other, int order) {
    Seen out;
    const Vec3 low = s.grid().colwise().minCoeff().transpose(), high = s.grid().colwise().maxCoeff().transpose();
    const double flat = 1 / (10 * (high - low).norm());
    for (int i = 1; i < 60; ++i) {
      const double t = i / 60.0;
      const bool u = side == FirstU || side == LastU, last = side == LastU || side == LastV;
      SurfaceDerivatives d;
      s.derivatives(u ? (last ? s.lastU() : s.firstU()) : t, u ? t : (last ? s.lastV() : s.firstV()), 3, d);
      const ClosestOnSurface c = closestPoint(other, d(0, 0));
      NeighbourPlace n;
      other.derivatives(c.u, c.v, 3, n.d);
      n.normal = other.normal(c.u, c.v);
      out.gapMm = std::max(out.gapMm, c.distanceMm);
      out.join.take(joinWith(n, order, d, (u ? d(0, 1) : d(1, 0)).normalized(), flat), {});
    }
    return out;
  }
  static bool holds(const Surface& s, Side side, const Surface& other, int order) {
    const Seen now = seen(s, side, other, order);
    const bool ok = now.gapMm < 0.0005 && (order < 1 || now.join.angleDeg < 0.01) &&
                    (order < 2 || now.join.curvature < 0.01) && (order < 3 || now.join.rate < SkinJoin::kRateAllowed);
    if (!ok) qWarning("G%d: %g mm, %g degree, %g, %g", order, now.gapMm, now.join.angleDeg, now.join.curvature, now.join.rate);
    return ok;
  }
  /// How far derivatives of a surface to an order changed along a side.
  static double changedAt(const Surface& a, const Surface& b, Side side, int order) {
    double worst = 0;
    const bool u = side == FirstU || side == LastU, last = side == LastU || side == LastV;
    for (int i = 0; i <= 50; ++i) {
      const double t = i / 50.0, e = last ? 1.0 : 0.0;
      SurfaceDerivatives x, y;
      a.derivatives(u ? e : t, u ? t : e, 3, x);
      b.derivatives(u ? e : t, u ? t : e, 3, y);
      for (int k = 0; k <= order; ++k)
        worst = std::max(worst, (u ? x(k, 0) - y(k, 0) : x(0, k) - y(0, k)).norm());
    }
    return worst;
  }

private slots:
  void ofTheSameSpacesNothingIsInsertedAlongAndAtMostOneRowAcross_data() {
    QTest::addColumn<int>("order");
    QTest::addColumn<int>("degree");
    QTest::addColumn<int>("controls");
    QTest::addColumn<int>("side");
    for (int order : {0, 1, 2, 3})
      for (int side : {0, 1, 2, 3})
        for (const auto& [degree, controls] : {std::pair{3, 4}, {3, 8}, {5, 6}, {5, 9}})
          QTest::addRow("G%d side %d degree %d %d points", order, side, degree, controls)
              << order << degree << controls << side;
  }
  void ofTheSameSpacesNothingIsInsertedAlongAndAtMostOneRowAcross() {
    QFETCH(int, order);
    QFETCH(int, degree);
    QFETCH(int, controls);
    QFETCH(int, side);
    // Two halves with the same knots along their common edge, the second one moved away.
    const std::array<std::array<double, 4>, 4> halves{
        {{0.5, 1, 0, 1}, {0, 0.5, 0, 1}, {0, 1, 0.5, 1}, {0, 1, 0, 0.5}}};
    const auto& mine = halves[size_t(side)];
    const auto& its = halves[size_t(side ^ 1)];
    const Surface target = piece(its[0], its[1], its[2], its[3], degree, controls);
    const Surface s = pushed(piece(mine[0], mine[1], mine[2], mine[3], degree, controls), 3u + unsigned(side), 0.6);
    const auto made = matchSides(s, {{Side(side), order, onto(target, Side(side ^ 1), s, Side(side))}}, {}, {});
    QVERIFY2(made, made ? "" : made.error().what.c_str());
    QVERIFY(holds(made->surface, Side(side), target, order));
    QVERIFY(changedAt(made->surface, s, Side(side ^ 1), 1) < 1e-9);
    QCOMPARE(made->insertedAlong, 0);
    QVERIFY(made->insertedAcross <= (order == 3 && controls == 4 ? 2 : 1)); // four rows are too few for both ends
    QVERIFY(made->sides[0].gapBeforeMm > 0.2 && made->sides[0].gapMm < 0.0005);
  }

  void unlikeSidesMeetWithTheKnotsThatTheyNeed() {
    // Other degrees, knots, directions; the target's edge runs otherwise than the skin's.
    const Surface target = wavyForm(14, 0.1);
    for (int order : {0, 1, 2, 3}) {
      Surface s = pushed(reversedU(piece(0.2, 0.9, 0, 0.5, 3, 5)), 9, 0.3);
      s = transformed(s, Eigen::Isometry3d(Eigen::Translation3d(2, 81, 1)));
      const Side own = FirstV;
      // Its lower border lies beside the form's upper one, of which it is a part: nearest places.
      const MatchTarget nearest = [&](const OnMatchSide& p) -> Expected<MatchPlace> {
        const ClosestOnSurface c = closestPoint(target, {p.at.x(), 80, p.at.z()});
        NeighbourPlace n;
        target.derivatives(c.u, 1, 3, n.d);
        n.normal = target.normal(c.u, 1);
        return MatchPlace{n.d(0, 0), n, {}};
      };
      const auto made = matchSides(s, {{own, order, nearest}}, {}, {});
      QVERIFY2(made, made ? "" : made.error().what.c_str());
      QVERIFY(holds(made->surface, own, target, order));
      QVERIFY(changedAt(made->surface, s, LastV, 1) < 1e-9);
      QVERIFY2(made->surface.controlPoints() < 250, qPrintable(QString::number(made->surface.controlPoints())));
    }
  }

  void theChangeReachesAsFarAsItIsTold() {
    const Surface target = piece(0, 0.5, 0, 1, 5, 8), s = pushed(piece(0.5, 1, 0, 1, 5, 8), 4, 0.5);
    for (double reach : {0.2, 0.5, 0.8}) {
      const auto made = matchSides(s, {{FirstU, 2, onto(target, LastU, s, FirstU), reach}}, {}, {});
      QVERIFY2(made, made ? "" : made.error().what.c_str());
      QVERIFY(holds(made->surface, FirstU, target, 2));
      double beyond = 0, before = 0;
      for (int i = 0; i <= 100; ++i)
        for (double v : {0.1, 0.5, 0.77}) {
          const double moved = (made->surface.at(i / 100.0, v) - s.at(i / 100.0, v)).norm();
          (i / 100.0 > reach ? beyond : before) = std::max(i / 100.0 > reach ? beyond : before, moved);
        }
      QVERIFY(beyond < 1e-9 && before > 0.1);
    }
  }

  void theFarEdgeKeepsTheOrderThatItIsTold() {
    const Surface target = piece(0, 0.5, 0, 1, 3, 6), s = pushed(piece(0.5, 1, 0, 1, 3, 6), 4, 0.5);
    for (int far : {0, 1, 2, 3}) {
      MatchOptions o;
      o.far = far;
      const auto made = matchSides(s, {{FirstU, 2, onto(target, LastU, s, FirstU)}}, o, {});
      QVERIFY2(made, made ? "" : made.error().what.c_str());
      QVERIFY(holds(made->surface, FirstU, target, 2));
      QVERIFY(changedAt(made->surface, s, LastU, far) < 1e-7); // of the third derivative, of rounding too
      QCOMPARE(made->sides[0].far, far);
    }
  }

  void oppositeAndNeighbouringSidesAreMatchedTogether() {
    // The middle of nine pieces of a form, moved away from its neighbours on three sides.
    const Surface s = pushed(piece(0.3, 0.7, 0.3, 0.7, 5, 8), 6, 0.4);
    const Surface left = piece(0, 0.3, 0.3, 0.7, 5, 8), right = piece(0.7, 1, 0.3, 0.7, 5, 8);
    const Surface below = piece(0.3, 0.7, 0, 0.3, 5, 8);
    const auto made = matchSides(s,
                                 {{FirstU, 2, onto(left, LastU, s, FirstU)},
                                  {LastU, 2, onto(right, FirstU, s, LastU)},
                                  {FirstV, 1, onto(below, LastV, s, FirstV)}},
                                 {}, {});
    QVERIFY2(made, made ? "" : made.error().what.c_str());
    for (const MatchedSide& m : made->sides) QVERIFY2(m.gapMm < 0.001, qPrintable(QString::number(m.gapMm)));
    QVERIFY(holds(made->surface, FirstU, left, 2));
    QVERIFY(holds(made->surface, LastU, right, 2));
    // The pieces were interpolated apart from one another: where three meet they disagree by as much.
    QVERIFY2(made->sides[2].join.angleDeg < 0.2, qPrintable(QString::number(made->sides[2].join.angleDeg)));
  }

  void bothMoveToTheirMiddle() {
    const Surface a = piece(0, 0.5, 0, 1, 5, 8), s = pushed(piece(0.5, 1, 0, 1, 5, 8), 5, 0.5);
    for (int order : {0, 1, 2, 3}) {
      const auto made = matchBoth(s, {FirstU, order, {}}, a, {LastU, order, {}}, {}, {});
      QVERIFY2(made, made ? "" : made.error().what.c_str());
      QVERIFY(holds(made->first.surface, FirstU, made->second.surface, order));
      double toFirst = 0, toSecond = 0;
      for (int i = 0; i <= 20; ++i) {
        toFirst = std::max(toFirst, (made->first.surface.at(0, i / 20.0) - s.at(0, i / 20.0)).norm());
        toSecond = std::max(toSecond, (made->first.surface.at(0, i / 20.0) - a.at(1, i / 20.0)).norm());
      }
      const double gap = made->first.sides[0].gapBeforeMm;
      QVERIFY(gap > 0.3 && toFirst > 0.2 && std::abs(toFirst - toSecond) < 0.05 * toFirst);
      QVERIFY(changedAt(made->first.surface, s, LastU, 1) < 1e-9);
      QVERIFY(changedAt(made->second.surface, a, FirstU, 1) < 1e-9);
    }
  }

  void aSideGoesIntoAMirrorPlaneSquarelyAndWithoutAKink() {
    const Surface s = pushed(piece(0.5, 1, 0, 1, 5, 8), 8, 0.3);
    const MatchTarget plane = [](const OnMatchSide& p) -> Expected<MatchPlace> {
      return MatchPlace{{0, p.at.y(), p.at.z()}, {}, Vec3(Vec3::UnitX())};
    };
    for (int order : {1, 3}) {
      const auto made = matchSides(s, {{FirstU, order, plane}}, {}, {});
      QVERIFY2(made, made ? "" : made.error().what.c_str());
      for (int i = 1; i < 40; ++i) {
        SurfaceDerivatives d;
        made->surface.derivatives(0, i / 40.0, 3, d);
        const Vec3 n = d(1, 0).cross(d(0, 1)).normalized();
        QVERIFY(std::abs(d(0, 0).x()) < 0.0005);
        QVERIFY(degFromRad(std::asin(std::abs(n.x()))) < 0.01);
        if (order == 3) QVERIFY(std::abs(normalSection(d, n, Vec3::UnitX()).rate) * 200 * 200 < kFlatKink);
      }
    }
  }

  void aRimGoesAllAroundToAnotherOneAndStaysClosed() {
    const auto tube = [](double r0, double r1, double z0, double z1) {
      std::vector<Section> s;
      for (double t : {0.0, 0.35, 0.7, 1.0})
        s.push_back({*circle(levelAt(z0 + (z1 - z0) * t), 2 * (r0 + (r1 - r0) * t + 3 * t * (1 - t)))});
      return loft(s, {}, {})->strips.front();
    };
    const Surface below = tube(30, 40, 0, 60), s = tube(41, 33, 62, 110);
    QVERIFY(s.closedU());
    const Neighbour beside = test::beside(below);
    const MatchTarget nearest = [&](const OnMatchSide& p) -> Expected<MatchPlace> {
      const Vec3 radial = Vec3(p.at.x(), p.at.y(), 0).normalized();
      const auto n = beside(Vec3(40 * radial.x(), 40 * radial.y(), 60));
      return MatchPlace{n->d(0, 0), *n, {}};
    };
    for (int order : {0, 1, 2, 3}) {
      const auto made = matchSides(s, {{FirstV, order, nearest}}, {}, {});
      QVERIFY2(made, made ? "" : made.error().what.c_str());
      const Surface& m = made->surface;
      QVERIFY(m.closedU());
      QVERIFY(holds(m, FirstV, below, order));
      QVERIFY(changedAt(m, s, LastV, 1) < 1e-9);
      double seam = 0;
      for (int j = 0; j <= 30; ++j) {
        SurfaceDerivatives a, b;
        m.derivatives(m.firstU(), j / 30.0, 2, a), m.derivatives(m.lastU(), j / 30.0, 2, b);
        seam = std::max({seam, (a(0, 0) - b(0, 0)).norm(), (a(1, 0) - b(1, 0)).norm() / a(1, 0).norm(),
                         (a(2, 0) - b(2, 0)).norm() / a(2, 0).norm()});
      }
      VERIFY_AT_MOST(seam, 1e-4);
    }
  }

  void whatCannotBeMatchedIsSaidWithItsPlace() {
    const Surface s = piece(0.5, 1, 0, 1, 3, 6), target = piece(0, 0.5, 0, 1, 3, 6);
    const auto code = [&](const MatchSide& side) {
      const auto made = matchSides(s, {side}, {}, {});
      return made ? std::string() : made.error().where.empty() ? "nowhere" : made.error().code;
    };
    const Surface tiny = portion(target, 0.4, 1, 0.4, 0.5);
    QCOMPARE(code({FirstU, 1, onto(tiny, LastU, s, FirstU)}), "LM-J002");
    const Surface upright = transformed(target, Eigen::Isometry3d(Eigen::AngleAxisd(kPi / 2, Vec3::UnitY())));
    QCOMPARE(code({FirstU, 1, onto(upright, LastU, s, FirstU)}), "LM-J001");
    // One that crosses its target is matched, and said to cross it.
    const Surface across = transformed(target, Eigen::Isometry3d(Eigen::AngleAxisd(0.1, Vec3::UnitZ())));
    const auto made = matchSides(s, {{FirstU, 0, onto(across, LastU, s, FirstU)}}, {}, {});
    QVERIFY(made && made->sides[0].crossesAt);
    QVERIFY(made->sides[0].crossesAt->norm() < 30);
  }
};

static test::Register<MatchTest> registeredMatch;
#include "match_test.moc"

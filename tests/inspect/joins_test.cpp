#include "inspect/combs.h"
#include "inspect/joins.h"
#include "inspect/state.h"
#include "shapes/bodies.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::test;

class JoinsTest : public QObject {
  Q_OBJECT
private slots:
  void aSeamOfAClosedSkinIsCurvatureContinuous() {
    const auto b = tumblerSkin();
    const auto joins = inspect::joins(*b, {});
    QCOMPARE(joins.size(), size_t(1));
    QVERIFY(joins[0].meantSmooth);
    VERIFY_AT_MOST(joins[0].gapMm, 1e-6);
    VERIFY_AT_MOST(joins[0].angleDeg, 1e-3);
    VERIFY_AT_MOST(joins[0].curvatureRel, 1e-3);
    VERIFY_AT_MOST(joins[0].rateRel, 0.01);
    QCOMPARE(joins[0].achieved({}), std::string("G3"));
  }

  void cornersOfAPrismAreMeasuredTrue() {
    const auto b = skinThrough(
        {{*nurbs::polygon(levelAt(0), 60, 6, 0, {0.001})}, {*nurbs::polygon(levelAt(50), 60, 6, 0, {0.001})}});
    VERIFY_OK(b);
    const auto joins = inspect::joins(**b, {});
    QCOMPARE(joins.size(), size_t(6));
    for (const auto& j : joins) {
      VERIFY_AT_MOST(std::abs(j.angleDeg - 60), 1e-3);
      QVERIFY(!j.meantSmooth);
      QCOMPARE(j.achieved({}), std::string("G0"));
    }
    QCOMPARE(inspect::summarise(joins).smoothEdges, 0);
    QCOMPARE(inspect::stateOf(**b).openings.size(), size_t(2));
  }

  void combsShowCurvatureAndItsExtremes() {
    const auto c = inspect::comb(*nurbs::ellipse({}, 60, 30, {0.001}), 200, 50);
    VERIFY_AT_MOST(std::abs(c.smallestRadiusMm - 15.0 * 15.0 / 30.0), 1e-6);
    VERIFY_AT_MOST(std::abs((c.tip[0] - c.base[0]).norm() - 50 * c.curvature[0]), 1e-9);
    QVERIFY(c.inflections.empty());
    Points wave(5, 3);
    wave << 0, 0, 0, 10, 8, 0, 20, 0, 0, 30, -8, 0, 40, 0, 0;
    QCOMPARE(inspect::comb(*nurbs::Path::make({*nurbs::interpolate(wave, {})}, {0.001}), 30, 50).inflections.size(),
             size_t(1));
  }

  void theConcaveRadiusOfATubeIsFound() {
    const auto b = skinThrough({{*nurbs::circle(levelAt(0), 30)}, {*nurbs::circle(levelAt(60), 30)}});
    VERIFY_AT_MOST(std::abs(inspect::smallestRadius(**b, false).mm - 15), 0.2);
    QVERIFY(inspect::smallestRadius(**b, true).mm > 1e3);
  }
};

static test::Register<JoinsTest> registeredJoinsTest;
#include "joins_test.moc"

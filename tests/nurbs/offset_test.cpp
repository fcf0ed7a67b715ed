#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/offset.h"
#include "shapes/vessels.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::nurbs;
using namespace lumsk::test;

class OffsetTest : public QObject {
  Q_OBJECT
private slots:
  void theOffsetKeepsItsDistanceAndItsFlatRim() {
    LoftOptions o;
    o.start = Meets::Perpendicular;
    const Surface s = loft(tumblerSections(), o, {})->strips[0];
    for (double d : {2.0, -2.0}) {
      OffsetOptions offset;
      offset.distanceMm = d;
      offset.flat[LastV] = levelAt(110);
      const auto r = offsetSurface(s, offset, {});
      VERIFY_OK(r);
      double worst = 0, rim = 0;
      for (int i = 0; i < 30; ++i) {
        for (int j = 0; j < 29; ++j)
          worst = std::max(worst, std::abs(closestPoint(s, r->surface.at(i / 30.0, j / 30.0)).distanceMm - 2));
        rim = std::max(rim, std::abs(r->surface.at(i / 30.0, 1.0).z() - 110));
      }
      VERIFY_AT_MOST(worst, 0.001);
      VERIFY_AT_MOST(rim, 1e-6);
      VERIFY_AT_MOST((r->surface.at(0.3, 0) - r->surface.at(0.8, 0)).norm(), 1e-9);
    }
  }

  void foldsAreRefusedWithTheirRadius() {
    const Surface s = loft({{*circle(levelAt(0), 20)}, {*circle(levelAt(50), 20)}}, {}, {})->strips[0];
    const bool inward = s.normal(0, 0.5).x() < 0;
    const ConcaveRadius r = tightestRadius(s, inward);
    VERIFY_AT_MOST(std::abs(r.radiusMm - 10), 0.1);
    OffsetOptions o;
    o.distanceMm = inward ? 11 : -11;
    const auto folded = offsetSurface(s, o, {});
    QVERIFY(!folded);
    QCOMPARE(folded.error().code, std::string("LM-T001"));
    VERIFY_AT_MOST(std::abs(folded.error().measured->value - 10), 0.1);
    o.distanceMm = -o.distanceMm;
    VERIFY_OK(offsetSurface(s, o, {}));
  }

  void openPatchesAreCutFlatOnAllSides() {
    const auto sections = formSections(4);
    const Surface s = loft(sections, {}, {})->strips[0];
    OffsetOptions o;
    o.distanceMm = 2;
    const auto r = offsetSurface(s, o, {});
    VERIFY_OK(r);
    VERIFY_AT_MOST(std::abs(closestPoint(s, r->surface.at(0.4, 0.6)).distanceMm - 2), 0.001);
  }
};

static test::Register<OffsetTest> registeredOffsetTest;
#include "offset_test.moc"

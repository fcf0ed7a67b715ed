#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class OffsetOnSkinStepTest : public QObject {
  Q_OBJECT
private slots:
  void curvesKeepTheirDistanceOnBothSides() {
    Bench b = tumbler();
    b.add("plane", {{"distance", 70}});
    b.add("section_curves", {{"skins", picks({pick("s5")})}, {"by", picks({pick("s7")})}});
    b.add("offset_on_skin", {{"curve", picks({pick("s8")})}, {"skins", picks({pick("s5")})}, {"distance", 6}});
    b.add("offset_on_skin",
          {{"curve", picks({pick("s8")})}, {"skins", picks({pick("s5")})}, {"distance", 6}, {"side", "left"}});
    b.add("offset_on_skin", {{"curve", picks({pick("s8")})}, {"skins", picks({pick("s5")})}, {"distance", 600}});
    b.run();
    VERIFY_STEP(b, "s9");
    QCOMPARE(b.result("s9").outcome->outputs.size(), size_t(2));
    for (const auto& o : b.result("s9").outcome->outputs) {
      const auto& c = *std::get<recipe::CurvePtr>(o.object);
      for (int i = 0; i < 24; ++i)
        VERIFY_AT_MOST(std::abs(nurbs::closestPoint(b.curve("s8"), c.at(c.last() * i / 24)).distanceMm - 6), 0.001);
    }
    VERIFY_STEP(b, "s10");
    QCOMPARE(b.result("s10").outcome->outputs.size(), size_t(1));
    QCOMPARE(b.code("s11"), std::string("LM-P030"));
  }
};

static test::Register<OffsetOnSkinStepTest> registeredOffsetOnSkinStepTest;
#include "offset_on_skin_test.moc"

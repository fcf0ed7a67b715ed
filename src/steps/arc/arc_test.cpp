#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class ArcStepTest : public QObject {
  Q_OBJECT
private slots:
  void arcsStayArcs() {
    Bench b;
    b.add("arc", {{"radius", "5+5"}, {"from", 0}, {"to", "pi/2 rad"}, {"x", 1}});
    b.add("arc", {{"from", 10}, {"to", 10}});
    b.run();
    VERIFY_STEP(b, "s1");
    QVERIFY(std::holds_alternative<nurbs::EllipseArc>(b.curve("s1").segments()[0]));
    VERIFY_AT_MOST((b.curve("s1").end() - Vec3(1, 10, 0)).norm(), 1e-9);
    QCOMPARE(b.code("s2"), std::string("LM-G005"));
  }
};

static test::Register<ArcStepTest> registeredArcStepTest;
#include "arc_test.moc"

#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class LineStepTest : public QObject {
  Q_OBJECT
private slots:
  void linesRunThroughTheirPoints() {
    Bench b;
    b.add("line", {{"points", pointList({{0, 0, 0}, {10, 0, 0}, {10, 10, 0}})}, {"closed", true}});
    b.add("line", {{"points", pointList({{0, 0, 0}})}});
    b.run();
    VERIFY_STEP(b, "s1");
    QCOMPARE(b.curve("s1").segments().size(), size_t(3));
    QVERIFY(b.curve("s1").closed());
    QCOMPARE(b.code("s2"), std::string("LM-S010"));
  }
};

static test::Register<LineStepTest> registeredLineStepTest;
#include "line_test.moc"

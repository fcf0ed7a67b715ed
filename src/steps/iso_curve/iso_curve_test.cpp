#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class IsoCurveStepTest : public QObject {
  Q_OBJECT
private slots:
  void curvesFollowTheRowsOfTheFace() {
    Bench b = tumbler();
    b.add("point", {{"x", 36}, {"y", 0}, {"z", 70}});
    b.add("iso_curve", {{"face", picks({pick("s5")})}, {"through", picks({pick("s7")})}, {"along", "both"}});
    b.add("iso_curve", {{"face", picks({pick("s5")})}, {"at", json::array({{{"id", "r"}, {"fraction", 0.5}}})}});
    b.add("iso_curve", {{"face", picks({pick("s5")})}});
    b.run();
    VERIFY_STEP(b, "s8");
    QCOMPARE(b.result("s8").outcome->outputs.size(), size_t(2));
    const auto& s = *b.body("s5")->natural.begin()->second.surface;
    const auto& c = b.curve("s8");
    const auto foot = nurbs::closestPoint(s, {36, 0, 70});
    for (int i = 0; i < 20; ++i) VERIFY_AT_MOST((c.at(i / 20.0) - s.at(i / 20.0, foot.v)).norm(), 1e-9);
    VERIFY_STEP(b, "s9");
    QCOMPARE(b.code("s10"), std::string("LM-P033"));
  }
};

static test::Register<IsoCurveStepTest> registeredIsoCurveStepTest;
#include "iso_curve_test.moc"

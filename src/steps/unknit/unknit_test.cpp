#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class UnknitStepTest : public QObject {
  Q_OBJECT
private slots:
  void aSolidFallsIntoItsFacesAndIsKnittedAgain() {
    Bench b = tumbler();
    b.run();
    const auto solid = inspect::stateOf(*b.body("s6"));
    b.add("unknit", {{"what", picks({pick("s6")})}});
    b.run();
    VERIFY_STEP(b, "s7");
    const auto& out = b.result("s7").outcome->outputs;
    QCOMPARE(int(out.size()), solid.faces);
    json all = json::array();
    for (const auto& o : out) {
      QCOMPARE(inspect::stateOf(*std::get<brep::BodyPtr>(o.object)).faces, 1);
      all.push_back(pick("s7", "skin", o.name));
    }
    b.add("knit", {{"skins", all}});
    b.run();
    VERIFY_STEP(b, "s8");
    const auto again = inspect::stateOf(*b.body("s8"));
    QVERIFY(again.solid && again.valid);
    VERIFY_AT_MOST(std::abs(again.volumeMm3 / solid.volumeMm3 - 1), 1e-9);
  }

  void oneFaceBecomesABodyAndTheRestStaysOne() {
    Bench b = tumbler();
    b.run();
    const std::string face = b.body("s6")->faceNames[0];
    b.add("unknit", {{"what", picks({pick("s6", "face", face)})}});
    b.run();
    VERIFY_STEP(b, "s7");
    const auto& out = b.result("s7").outcome->outputs;
    QCOMPARE(out.size(), size_t(2));
    const auto rest = std::get<brep::BodyPtr>(out[0].object), alone = std::get<brep::BodyPtr>(out[1].object);
    QCOMPARE(alone->faceNames, std::vector<std::string>{face});
    QVERIFY(alone->natural.count(face) && brep::checkValid(rest->shape) && brep::checkValid(alone->shape));
    QCOMPARE(b.model->bodies[0].id, std::string("b5"));
  }
};

static test::Register<UnknitStepTest> registeredUnknitStepTest;
#include "unknit_test.moc"

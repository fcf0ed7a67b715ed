#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class DeleteFacesStepTest : public QObject {
  Q_OBJECT
private slots:
  void aSolidIsOpenWhereAFaceIsTakenOut() {
    Bench b = tumbler();
    b.run();
    const auto before = inspect::stateOf(*b.body("s6"));
    std::string rim;
    for (const auto& n : b.body("s6")->faceNames)
      if (n.find(".rim") != std::string::npos) rim = n;
    QVERIFY(!rim.empty());
    b.add("delete_faces", {{"faces", picks({pick("s6", "face", rim)})}});
    b.run();
    VERIFY_STEP(b, "s7");
    int faces = 0;
    for (const auto& o : b.result("s7").outcome->outputs) faces += inspect::stateOf(*std::get<brep::BodyPtr>(o.object)).faces;
    QCOMPARE(faces, before.faces - 1);
    QCOMPARE(b.result("s7").outcome->outputs.size(), size_t(2)); // inside and outside do not hang together any more
    QCOMPARE(b.result("s7").outcome->notes[0].code, std::string("LM-C101"));
  }

  void nothingLeftIsRefused() {
    Bench b = tumbler();
    b.recipe = b.recipe.without("s6");
    b.run();
    b.add("delete_faces", {{"faces", picks({pick("s5", "face", b.body("s5")->faceNames[0])})}});
    b.run();
    QCOMPARE(b.code("s7"), std::string("LM-C004"));
  }
};

static test::Register<DeleteFacesStepTest> registeredDeleteFacesStepTest;
#include "delete_faces_test.moc"

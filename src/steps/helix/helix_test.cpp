#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class HelixStepTest : public QObject {
  Q_OBJECT
private slots:
  void twoOfPitchTurnsAndHeightGiveTheThird() {
    Bench b;
    b.add("helix", {{"by", "pitchTurns"}, {"pitch", 8}, {"turns", 2.5}, {"radius", 10}, {"endRadius", 10}});
    b.add("helix", {{"by", "heightTurns"}, {"height", 20}, {"turns", 2.5}, {"radius", 10}, {"endRadius", 10}});
    b.add("helix",
          {{"by", "heightPitch"}, {"height", 20}, {"pitch", 8}, {"radius", 10}, {"endRadius", 10}, {"hand", "left"}});
    b.run();
    for (const char* id : {"s1", "s2", "s3"}) {
      VERIFY_STEP(b, id);
      const auto& c = b.curve(id);
      VERIFY_AT_MOST((c.end() - Vec3(-10, 0, 20)).norm(), 2e-5);
      const Vec3 quarter = c.at(0.1);
      QCOMPARE(quarter.y() > 0, std::string(id) != "s3");
    }
  }

  void radiiFollowAGraphAndACentreLine() {
    Bench b;
    const json rows = json::array({{{"id", "r1"}, {"at", 0}, {"value", 4}},
                                   {{"id", "r2"}, {"at", 0.5}, {"value", 10}},
                                   {{"id", "r3"}, {"at", 1}, {"value", 6}}});
    b.add("helix", {{"by", "heightTurns"}, {"height", 40}, {"turns", 4}, {"radii", rows}});
    b.add("arc", {{"radius", 60}, {"from", 0}, {"to", 120}});
    b.add("helix",
          {{"by", "heightPitch"}, {"axis", picks({pick("s2")})}, {"pitch", 10}, {"radius", 5}, {"endRadius", 5}});
    b.run();
    VERIFY_STEP(b, "s1");
    VERIFY_AT_MOST(std::abs(b.curve("s1").at(0.5).head<2>().norm() - 10), 1e-4);
    VERIFY_AT_MOST(std::abs(b.curve("s1").end().head<2>().norm() - 6), 1e-4);
    VERIFY_STEP(b, "s3");
    for (int i = 0; i <= 50; ++i) {
      const Vec3 p = b.curve("s3").at(i / 50.0);
      VERIFY_AT_MOST(std::abs(std::hypot(p.head<2>().norm() - 60, p.z()) - 5), 1e-4);
    }
  }

  void nothingToWindIsRefused() {
    Bench b;
    b.add("helix", {{"radius", 0}, {"endRadius", 0}});
    b.add("helix", {{"by", "heightPitch"}, {"pitch", 0}});
    b.add("helix", {{"pitch", 0}});
    b.run();
    QCOMPARE(b.code("s1"), std::string("LM-P021"));
    QCOMPARE(b.code("s2"), std::string("LM-P022"));
    QCOMPARE(b.code("s3"), std::string("LM-P023"));
  }
};

static test::Register<HelixStepTest> registeredHelixStepTest;
#include "helix_test.moc"

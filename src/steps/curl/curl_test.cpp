#include "brep/rings.h"
#include "inspect/joins.h"
#include "inspect/measure.h"
#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// A cup without a wall; it is step s5.
Bench cup() {
  Bench b = tumbler();
  b.recipe = b.recipe.without("s6");
  b.run();
  return b;
}

std::string openEdge(const brep::BodyPtr& b) {
  for (size_t i = 0; i < b->edgeNames.size(); ++i)
    if (brep::isOpen(*b, int(i))) return b->edgeNames[i];
  return {};
}

} // namespace

class CurlStepTest : public QObject {
  Q_OBJECT
private slots:
  void aRimIsCurledTangentiallyToBothSides() {
    for (const char* side : {"front", "back"}) {
      Bench b = cup();
      const auto was = b.body("s5");
      b.add("curl", {{"edges", picks({pick("s5", "edge", openEdge(was))})}, {"radius", 2.5}, {"angle", 200}, {"side", side}});
      b.run();
      VERIFY_STEP(b, "s7");
      const auto now = b.body("s7");
      QCOMPARE(b.model->bodies[0].id, std::string("b5"));
      QCOMPARE(inspect::stateOf(*now).faces, inspect::stateOf(*was).faces + 1);
      QCOMPARE(inspect::stateOf(*now).openings.size(), size_t(1));
      bool found = false;
      for (const auto& j : inspect::joins(*now, {})) {
        if (std::abs(j.gapAt.z() - 110) > 0.01) continue;
        found = true;
        VERIFY_AT_MOST(j.angleDeg, 0.01);
        VERIFY_AT_MOST(j.gapMm, 0.001);
      }
      QVERIFY(found);
      // Every place of the bead is as far from its circle's centre line as the radius says.
      const nurbs::Surface* bead = nullptr;
      for (const auto& [name, n] : now->natural)
        if (name.find("bead") != std::string::npos) bead = n.surface.get();
      QVERIFY(bead);
      for (double u : {0.05, 0.4, 0.77}) {
        const Vec3 root = bead->at(u, bead->firstV()), end = bead->at(u, bead->lastV());
        nurbs::SurfaceDerivatives d;
        bead->derivatives(u, bead->firstV(), 1, d);
        const Vec3 out = d(0, 1).normalized(), along = d(1, 0).normalized();
        const Vec3 outwards = Vec3(root.x(), root.y(), 0).normalized();
        Vec3 up = along.cross(out);
        if ((up.dot(outwards) > 0) != (std::string(side) == "front")) up = -up;
        for (double v : {0.1, 0.5, 0.8, 1.0}) {
          const Vec3 p = bead->at(u, bead->firstV() + v * (bead->lastV() - bead->firstV()));
          VERIFY_AT_MOST(std::abs((p - root - 2.5 * up).norm() - 2.5), 0.002);
        }
        // 200 degrees: the end stands where the formula says.
        const double a = 200 * kPi / 180;
        VERIFY_AT_MOST((end - root - 2.5 * (std::sin(a) * out + (1 - std::cos(a)) * up)).norm(), 0.002);
      }
    }
  }

  void aCurledRimCanBeThickened() {
    Bench b = cup();
    b.add("curl", {{"edges", picks({pick("s5", "edge", openEdge(b.body("s5")))})}, {"radius", 3}, {"angle", 180}});
    b.add("thicken", {{"skin", picks({pick("s7")})}, {"thickness", 1}});
    b.run();
    VERIFY_STEP(b, "s7");
    VERIFY_STEP(b, "s8");
    QVERIFY(b.body("s8")->solid());
  }

  void oneSideOfFourAndAllFour() {
    Bench b;
    for (double y : {-40.0, 0.0, 40.0}) spline(b, {{-60, y, 0}, {-20, y, 9}, {20, y, 8}, {60, y, 0}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}});
    b.run();
    const auto skin = b.body("s4");
    json all = json::array();
    for (const std::string& e : skin->edgeNames) all.push_back(pick("s4", "edge", e));
    b.add("curl", {{"edges", json::array({all[0]})}, {"radius", 2}, {"angle", 270}});
    b.run();
    VERIFY_STEP(b, "s5");
    QCOMPARE(inspect::stateOf(*b.body("s5")).faces, 2);
    QVERIFY(b.result("s5").outcome->notes.empty());
    b.set("s5", "edges", all);
    b.run();
    VERIFY_STEP(b, "s5");
    QCOMPARE(inspect::stateOf(*b.body("s5")).faces, 5);
    QCOMPARE(b.result("s5").outcome->notes[0].code, std::string("LM-C109"));
    QCOMPARE(b.result("s5").outcome->notes[0].where.size(), size_t(4));
  }

  void theBorderOfACutHoleIsCurledOnATurnedSkinToo() {
    for (const bool turned : {false, true}) {
      Bench b;
      json sections = json::array();
      for (double y : {-40.0, 0.0, 40.0}) sections.push_back(pick(spline(b, {{-60, y, 0.02 * y}, {-20, y, 9}, {20, y, 8}, {60, y, 0}})));
      std::string skin = b.add("loft", {{"sections", sections}});
      if (turned) skin = b.add("turn_over", {{"skins", picks({pick(skin)})}});
      const std::string ring = b.add("ring", {{"width", 25}, {"x", 10}, {"height", 30}});
      const std::string trim = b.add("trim", {{"body", picks({pick(skin, "skin")})}, {"by", picks({pick(ring, "curve")})}, {"keep", "back"}});
      b.run();
      VERIFY_STEP(b, trim);
      std::string hole;
      for (const std::string& e : b.body(trim)->edgeNames)
        if (e.find("cut:") != std::string::npos) hole = e;
      const std::string curl = b.add("curl", {{"edges", picks({pick(trim, "edge", hole)})}, {"radius", 3}, {"angle", 200}});
      b.run();
      VERIFY_STEP(b, curl);
      const auto state = inspect::stateOf(*b.body(curl));
      QCOMPARE(state.faces, 2);
      QVERIFY(turned ? state.boxLow.z() < 2.5 : state.boxHigh.z() > 13); // to the front: six millimetres up, or down
      for (const auto& j : inspect::joins(*b.body(curl), {})) VERIFY_AT_MOST(j.angleDeg, 0.01);
    }
  }

  void whatFindsNoRoomIsRefusedWithItsPlace() {
    Bench b = cup();
    const json edge = picks({pick("s5", "edge", openEdge(b.body("s5")))});
    b.add("curl", {{"edges", edge}, {"radius", 30}, {"angle", 270}, {"side", "back"}});
    b.run();
    QVERIFY(b.code("s7") == "LM-C040" || b.code("s7") == "LM-C041");
    QVERIFY(!b.result("s7").problem->where.empty());
    b.recipe = b.recipe.without("s7");
    b.add("thicken", {{"skin", picks({pick("s5")})}, {"thickness", 1}});
    b.run();
    std::string inner;
    const auto wall = b.body("s8");
    for (size_t i = 0; i < wall->edgeNames.size(); ++i)
      if (brep::facesAt(*wall, int(i)).size() == 2) inner = wall->edgeNames[i];
    b.add("curl", {{"edges", picks({pick("s8", "edge", inner)})}});
    b.run();
    QCOMPARE(b.code("s9"), std::string("LM-C033"));
  }
};

static test::Register<CurlStepTest> registeredCurlStepTest;
#include "curl_test.moc"

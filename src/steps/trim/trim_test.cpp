#include "recipe/edit.h"
#include "support/half_vessel.h"

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// A skin over three arches, 120 by 80 mm about the origin; it is step s4.
Bench archedSkin() {
  Bench b;
  for (double y : {-40.0, 0.0, 40.0})
    b.add("spline", {{"points", pointList({{-60, y, 0}, {-20, y, 12 - 0.1 * std::abs(y)}, {20, y, 12}, {60, y, 2}})}});
  b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}});
  return b;
}

} // namespace

class TrimStepTest : public QObject {
  Q_OBJECT
private slots:
  void aSkinCutStraightAcrossStaysWholeAndCanBeThickened() {
    Bench b = tumbler();
    b.add("plane", {{"distance", 80}});
    b.add("trim", {{"body", picks({pick("s5")})}, {"by", picks({pick("s7")})}, {"keep", "back"}});
    b.add("thicken", {{"skin", picks({pick("s8")})}, {"thickness", 2}});
    b.recipe = b.recipe.without("s6");
    b.run();
    VERIFY_STEP(b, "s8");
    VERIFY_STEP(b, "s9");
    const auto s = inspect::stateOf(*b.body("s9"));
    QVERIFY(s.solid && s.valid);
    VERIFY_AT_MOST(std::abs(s.boxHigh.z() - 80), 1e-4);
    QCOMPARE(b.model->bodies[0].id, std::string("b5"));
    QCOMPARE(b.result("s8").outcome->marks.all<recipe::Region>().size(), size_t(2));
  }

  /// Where the ring's own start lies does not matter, wherever it stands on the skin.
  void ringsDrawnOnTheFaceCutHolesAnywhere() {
    for (const auto& [x, y] : {std::pair{-30.0, 25.0}, {-50, 11}, {-20, 11}, {12, 11}, {30, -20}, {0, 0}})
      for (double width : {5.0, 12.0}) {
        Bench b = archedSkin();
        json on = pick("s4", "face", "s4.skin");
        on["near"] = {{"at", {0, 0, 0}}, {"direction", {0, 0, 1}}, {"on", {x, y, 10}}};
        b.add("ring", {{"plane", picks({on})}, {"width", width}});
        b.add("trim", {{"body", picks({pick("s4")})}, {"by", picks({pick("s5")})}, {"keep", "back"}});
        b.run();
        VERIFY_STEP(b, "s6");
        const auto s = inspect::stateOf(*b.body("s6"));
        QVERIFY(s.valid && s.openings.size() == 2);
      }
  }

  void aSolidIsClosedWhereItIsCutAndKeepsItsNames() {
    Bench b = tumbler();
    b.add("plane", {{"distance", 70}});
    b.add("trim", {{"body", picks({pick("s6")})}, {"by", picks({pick("s7")})}, {"keep", "front"}});
    b.add("trim", {{"body", picks({pick("s6")})}, {"by", picks({pick("s7")})}, {"keep", "back"}});
    b.run();
    VERIFY_STEP(b, "s8");
    VERIFY_STEP(b, "s9");
    double sum = 0;
    for (const char* id : {"s8", "s9"}) {
      const auto s = inspect::stateOf(*b.body(id));
      QVERIFY(s.solid && s.valid && s.openEdges == 0);
      sum += s.volumeMm3;
      const auto& names = b.body(id)->faceNames;
      QVERIFY(std::find(names.begin(), names.end(), "s6.front(s5.skin)") != names.end());
      QVERIFY(std::find(names.begin(), names.end(), std::string(id) + ".cut") != names.end());
    }
    VERIFY_AT_MOST(std::abs(sum / inspect::stateOf(*b.body("s6")).volumeMm3 - 1), 1e-5);
  }

  void aSideThatFallsApartGivesSeveralBodies() {
    Bench b; // a waisted vessel lying down: a level cut leaves two humps
    b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", 0}});
    for (double x : {0.0, 40.0, 80.0}) {
      b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", x}});
      b.add("ring", {{"width", x == 40 ? 20 : 60}, {"plane", picks({pick("s" + std::to_string(b.recipe.lastId))})}});
    }
    b.add("loft", {{"sections", picks({pick("s3"), pick("s5"), pick("s7")})}});
    b.add("plane", {{"distance", 16}});
    b.add("trim", {{"body", picks({pick("s8")})}, {"by", picks({pick("s9")})}, {"keep", "front"}});
    b.run();
    VERIFY_STEP(b, "s10");
    QCOMPARE(b.model->bodies.size(), size_t(2));
    QCOMPARE(b.model->bodies[0].id, std::string("b8"));
    QCOMPARE(b.model->bodies[1].id, std::string("b10.2"));
    QCOMPARE(b.result("s10").outcome->notes[0].code, std::string("LM-C101"));
    // The second piece can be picked.
    b.add("move", {{"what", picks({pick("s10", "skin", "2")})}, {"z", 5}});
    b.run();
    VERIFY_STEP(b, "s11");
    QCOMPARE(b.model->bodies.size(), size_t(2));
  }

  void aRingAboveASkinCutsAHoleAndWhatWasClickedIsFoundAgain() {
    Bench b = archedSkin();
    b.add("plane", {{"distance", 40}});
    b.add("ring", {{"width", 20}, {"plane", picks({pick("s5")})}});
    b.add("trim", {{"body", picks({pick("s4")})}, {"by", picks({pick("s6")})}, {"keep", "back"}});
    b.run();
    VERIFY_STEP(b, "s7");
    const double whole = inspect::stateOf(*b.body("s4")).areaMm2;
    double hole = whole - inspect::stateOf(*b.body("s7")).areaMm2;
    QVERIFY(hole > 100 * kPi && hole < 104 * kPi);
    QCOMPARE(inspect::stateOf(*b.body("s7")).openings.size(), size_t(2));
    // The disc instead, by a click; then the ring moves and grows.
    const auto regions = b.result("s7").outcome->marks.all<recipe::Region>();
    QCOMPARE(regions.size(), size_t(2));
    const size_t disc = regions[0].kept ? 1 : 0;
    b.recipe = recipe::withPieceTurned(b.recipe, "s7", regions, disc);
    b.recipe = recipe::withPieceTurned(b.recipe, "s7", (b.run(), b.result("s7").outcome->marks.all<recipe::Region>()), 1 - disc);
    b.run();
    VERIFY_STEP(b, "s7");
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body("s7")).areaMm2 - hole), 1e-3);
    b.recipe = recipe::withValue(b.recipe, {"s6", "width"}, 30);
    b.recipe = recipe::withValue(b.recipe, {"s6", "x"}, 12);
    b.run();
    VERIFY_STEP(b, "s7");
    hole = inspect::stateOf(*b.body("s7")).areaMm2;
    QVERIFY(hole > 225 * kPi && hole < 240 * kPi);
    QVERIFY(b.result("s7").outcome->notes.empty());
  }

  void aCutterThatStopsShortIsCarriedOnAndSaysByHowMuch() {
    Bench b = archedSkin();
    b.add("line", {{"points", pointList({{10, -60, 30}, {10, 36, 30}})}}); // the skin ends at 40
    b.add("plane", {{"distance", 10}});
    b.add("trim", {{"body", picks({pick("s4")})}, {"by", picks({pick("s5")})}, {"curves", "direction"}, {"direction", picks({pick("s6")})}});
    b.run();
    VERIFY_STEP(b, "s7");
    const auto& notes = b.result("s7").outcome->notes;
    QCOMPARE(notes.size(), size_t(1));
    QCOMPARE(notes[0].code, std::string("LM-C102"));
    VERIFY_AT_MOST(std::abs(notes[0].measured->value - 4), 0.2);
    VERIFY_AT_MOST((notes[0].where.at(0) - Vec3(10, 36, notes[0].where[0].z())).norm(), 0.01); // where the cutter ends
    // The new edge is known by what cut it.
    const auto& names = b.body("s7")->edgeNames;
    QVERIFY2(std::any_of(names.begin(), names.end(), [](const std::string& n) { return n.find("|cut:") != std::string::npos; }), names.front().c_str());
    b.recipe = recipe::withValue(b.recipe, {"s7", "extend"}, "no");
    b.run();
    QCOMPARE(b.code("s7"), std::string("LM-C003"));
  }

  void aCurveThatLiesOnTheSkinCutsWhereItLies() {
    Bench b = archedSkin();
    b.add("plane", {{"distance", 40}});
    b.add("ring", {{"width", 20}, {"plane", picks({pick("s5")})}});
    b.add("project_curve", {{"curves", picks({pick("s6")})}, {"skins", picks({pick("s4", "skin")})}});
    b.add("trim", {{"body", picks({pick("s4")})}, {"by", picks({pick("s7")})}, {"keep", "front"}});
    b.run();
    VERIFY_STEP(b, "s8");
    const auto s = inspect::stateOf(*b.body("s8"));
    QVERIFY(s.valid && s.areaMm2 > 100 * kPi && s.areaMm2 < 104 * kPi); // the inside of the ring
  }

  void aFlatFaceThatLiesInThePlaneIsNoHindrance() {
    Bench b; // a block with a step, cut level with the tread
    b.add("line", {{"points", pointList({{0, 0, 0}, {40, 0, 0}, {40, 0, 10}, {20, 0, 10}, {20, 0, 20}, {0, 0, 20}, {0, 0, 0}})}});
    b.add("extrude", {{"sections", picks({pick("s1")})}, {"length", 30}, {"solid", true}});
    b.add("plane", {{"distance", 10}});
    b.add("trim", {{"body", picks({pick("s2")})}, {"by", picks({pick("s3")})}, {"keep", "back"}});
    b.run();
    VERIFY_STEP(b, "s4");
    const auto s = inspect::stateOf(*b.body("s4"));
    QVERIFY(s.solid && s.valid);
    VERIFY_AT_MOST(std::abs(s.volumeMm3 - 40 * 30 * 10), 1e-3);
  }

  void aClickedPieceThatIsGoneIsTold() {
    Bench b = archedSkin();
    b.add("plane", {{"distance", 40}});
    b.add("ring", {{"width", 20}, {"plane", picks({pick("s5")})}});
    b.add("trim", {{"body", picks({pick("s4")})}, {"by", picks({pick("s6")})}, {"keep", "these"}});
    json rows = json::array();
    for (int k = 0; k < 3; ++k) // one more than there are
      rows.push_back({{"id", "q" + std::to_string(k)}, {"piece", "?"}, {"x", 40 * k}, {"y", 0}, {"z", 0}});
    b.recipe = recipe::withValue(b.recipe, {"s7", "pieces"}, rows);
    b.run();
    VERIFY_STEP(b, "s7");
    std::vector<std::string> codes;
    for (const auto& n : b.result("s7").outcome->notes) codes.push_back(n.code);
    QCOMPARE(codes, (std::vector<std::string>{"LM-C105", "LM-C105", "LM-C106"}));
  }

  void planesBesideTheBodyAreRefusedWithTheirDistance() {
    Bench b = tumbler();
    b.add("plane", {{"distance", 130}});
    b.add("trim", {{"body", picks({pick("s6")})}, {"by", picks({pick("s7")})}, {"keep", "front"}});
    b.add("trim", {{"body", picks({pick("s6")})}, {"by", picks({pick("s7")})}, {"keep", "back"}});
    b.run();
    QCOMPARE(b.code("s8"), std::string("LM-C001"));
    QCOMPARE(b.code("s9"), std::string("LM-C001"));
    VERIFY_AT_MOST(std::abs(b.result("s8").problem->measured->value - 20), 0.01);
  }
};

static test::Register<TrimStepTest> registeredTrimStepTest;
#include "trim_test.moc"

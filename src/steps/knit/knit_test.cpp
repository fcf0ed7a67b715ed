#include "brep/names.h"
#include "nurbs/measure/closest.h"
#include "support/half_vessel.h"

using namespace lumsk;
using namespace lumsk::test;

class KnitStepTest : public QObject {
  Q_OBJECT
  /// Two lofts one above the other that share a ring; ids s4 and s5.
  static Bench stacked(double lift = 0) {
    Bench b;
    b.add("ring", {{"width", 50}});
    b.add("ring", {{"width", 60}, {"height", 30}});
    b.add("ring", {{"width", 40}, {"height", 70}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("ring", {{"width", 60}, {"height", 30 + lift}});
    b.add("loft", {{"sections", picks({pick("s5"), pick("s3")})}});
    b.add("knit", {{"skins", picks({pick("s4"), pick("s6")})}});
    b.run();
    return b;
  }

private slots:
  void skinsBecomeOneThatSaysWhereItIsOpen() {
    Bench b = stacked();
    VERIFY_STEP(b, "s7");
    QCOMPARE(b.model->bodies.size(), size_t(1));
    QCOMPARE(b.model->bodies[0].id, std::string("b4"));
    const auto s = inspect::stateOf(*b.body("s7"));
    QVERIFY(s.valid && !s.solid && s.openings.size() == 2);
    QCOMPARE(b.result("s7").outcome->notes.back().code, std::string("LM-B103"));
    QCOMPARE(b.result("s7").outcome->notes.back().where.size(), size_t(2));
    QCOMPARE(b.body("s7")->faceNames[0], std::string("s4.skin"));
    QVERIFY(std::find(b.body("s7")->edgeNames.begin(), b.body("s7")->edgeNames.end(), "s4.skin|s6.skin") !=
            b.body("s7")->edgeNames.end());
  }

  void gapsAreListedWhetherJoinedOrNot() {
    Bench b = stacked(0.004);
    VERIFY_STEP(b, "s7");
    QCOMPARE(b.result("s7").outcome->notes[0].code, std::string("LM-B101"));
    VERIFY_AT_MOST(std::abs(b.result("s7").outcome->notes[0].measured->value - 0.004), 0.001);
    Bench far = stacked(0.3);
    QCOMPARE(far.code("s7"), std::string("LM-B002"));
    VERIFY_AT_MOST(std::abs(far.result("s7").problem->measured->value - 0.3), 0.01);
    far.set("s7", "gap", 0.5);
    far.run();
    QVERIFY(far.code("s7") == "LM-K004" || far.result("s7").outcome->notes[0].code == "LM-B101");
  }

  /// Four sheets of a shallow dome that miss one another by a little at their common sides and corner; the last step knits.
  static Bench quarters(double gap, json knit) {
    Bench b;
    json skins = json::array();
    const auto z = [](double x, double y) { return 12 - 0.002 * x * x - 0.0015 * y * y + 0.0005 * x * y; };
    for (int qx : {0, 1})
      for (int qy : {0, 1}) {
        json sections = json::array();
        for (int i = 0; i <= 3; ++i) {
          const double y = -40 + 40 * qy + 40.0 * i / 3;
          std::vector<std::array<double, 3>> p;
          for (int k = 0; k <= 4; ++k) {
            const double x = -50 + 50 * qx + 50.0 * k / 4;
            p.push_back({x, y, z(x, y) + gap * (qx + 2 * qy) / 3});
          }
          sections.push_back(pick(spline(b, p)));
        }
        skins.push_back(pick(b.add("loft", {{"sections", sections}})));
      }
    knit["skins"] = skins;
    b.add("knit", knit);
    b.run();
    return b;
  }

  void nearlyFittingSkinsArePulledTogether() {
    Bench loose = quarters(0.3, {});
    const std::string id = loose.recipe.steps.back()->id;
    QCOMPARE(loose.code(id), std::string("LM-B002"));
    QCOMPARE(loose.result(id).problem->remedies.at(0).field, std::string("pull"));
    Bench b = quarters(0.3, {{"pull", 0.4}});
    VERIFY_STEP(b, id);
    const auto body = b.body(id);
    const auto s = inspect::stateOf(*body);
    QCOMPARE(s.faces, 4);
    QCOMPARE(s.openings.size(), size_t(1));
    int joins = 0;
    for (const auto& j : inspect::joins(*body, {})) {
      ++joins;
      VERIFY_AT_MOST(j.gapMm, 0.0015);
      VERIFY_AT_MOST(j.angleDeg, 0.01);
    }
    QCOMPARE(joins, 4);
    VERIFY_AT_MOST(s.largestToleranceMm, 0.002);
    QCOMPARE(b.result(id).outcome->notes[0].code, std::string("LM-B104"));
    VERIFY_AT_MOST(std::abs(b.result(id).outcome->notes[0].measured->value - 0.2), 0.01); // the widest of the four pairs
  }

  void aCutSkinStaysAndTheOtherOneComesToIt() {
    Bench b;
    const auto sheet = [&](double from, double to, double lift) {
      json sections = json::array();
      for (double y : {-40.0, 0.0, 40.0}) {
        std::vector<std::array<double, 3>> p;
        for (int k = 0; k <= 4; ++k) {
          const double x = from + (to - from) * k / 4;
          p.push_back({x, y, 10 - 0.002 * x * x + lift});
        }
        sections.push_back(pick(spline(b, p)));
      }
      return b.add("loft", {{"sections", sections}});
    };
    const std::string large = sheet(-60, 30, 0), other = sheet(0, 60, 0.05);
    const std::string line = b.add("spline", {{"points", pointList({{0, -60, 0}, {0, 0, 0}, {0, 60, 0}})}});
    const std::string cut = b.add("trim", {{"body", picks({pick(large)})}, {"by", picks({pick(line)})}, {"curves", "direction"}, {"keep", "front"}});
    const std::string knit = b.add("knit", {{"skins", picks({pick(cut), pick(other)})}, {"pull", 0.1}});
    b.run();
    if (inspect::stateOf(*b.body(cut)).boxHigh.x() > 1) b.set(cut, "keep", "back"), b.run();
    VERIFY_STEP(b, cut);
    VERIFY_STEP(b, knit);
    for (const auto& j : inspect::joins(*b.body(knit), {})) {
      VERIFY_AT_MOST(j.gapMm, 0.0015);
      VERIFY_AT_MOST(j.angleDeg, 0.01);
    }
  }

  /// Copies share their edges' shapes and are yet not joined.
  void aMovedCopyIsPulledToItsOriginal() {
    Bench b;
    json sections = json::array();
    for (double y : {0.0, 20.0, 40.0}) sections.push_back(pick(spline(b, {{-60, y, 0}, {-20, y, 9}, {20, y, 8}, {60, y, 0}})));
    const std::string skin = b.add("loft", {{"sections", sections}});
    const std::string copy = b.add("move", {{"what", picks({pick(skin, "skin")})}, {"y", 40.08}, {"copy", true}});
    const std::string knit = b.add("knit", {{"skins", picks({pick(skin, "skin"), pick(copy, "skin")})}, {"pull", 0.2}});
    b.run();
    VERIFY_STEP(b, knit);
    const auto joins = inspect::joins(*b.body(knit), {});
    QCOMPARE(joins.size(), size_t(1));
    VERIFY_AT_MOST(joins[0].gapMm, 0.0015);
    VERIFY_AT_MOST(joins[0].angleDeg, 0.01);
    QVERIFY(joins[0].asked == Meets::G1); // looked at by the lens as such
    // Each keeps its own spline, though both are called alike.
    QCOMPARE(b.body(knit)->natural.size(), size_t(2));
    for (size_t i = 0; i < 2; ++i) {
      const Vec3 middle = brep::signatureOf(*b.body(knit), brep::PartKind::Face, int(i)).middle;
      VERIFY_AT_MOST(nurbs::closestPoint(*b.body(knit)->natural.at(b.body(knit)->faceNames[i]).surface, middle).distanceMm, 0.01);
    }
    QVERIFY(inspect::stateOf(*b.body(knit)).boxLow.y() < 0.1);
    VERIFY_AT_MOST(std::abs(b.result(knit).outcome->notes[0].measured->value - 0.08), 1e-4);
  }

  void smallOpeningsAreCoveredAndAClosedSkinMayStayOne() {
    Bench b;
    // A sheet around a small hole.
    json sections = json::array();
    for (double y : {-40.0, 0.0, 40.0}) sections.push_back(pick(spline(b, {{-60, y, 0}, {-20, y, 9}, {20, y, 8}, {60, y, 0}})));
    const std::string sheet = b.add("loft", {{"sections", sections}});
    const std::string small = b.add("ring", {{"width", 2}, {"x", 10}});
    const std::string hole = b.add("trim", {{"body", picks({pick(sheet)})}, {"by", picks({pick(small)})}, {"keep", "back"}});
    const std::string knit = b.add("knit", {{"skins", picks({pick(hole)})}, {"close", 3}});
    b.run();
    VERIFY_STEP(b, hole);
    QCOMPARE(inspect::stateOf(*b.body(hole)).openings.size(), size_t(2));
    VERIFY_STEP(b, knit);
    QCOMPARE(inspect::stateOf(*b.body(knit)).openings.size(), size_t(1));
    QCOMPARE(b.result(knit).outcome->notes[0].code, std::string("LM-B105"));
    // Closed, and yet a skin.
    Bench c;
    c.add("ring", {{"width", 50}});
    c.add("ring", {{"width", 50}, {"height", 30}});
    c.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    c.add("cover", {{"edges", picks({pick("s1")})}, {"knit", false}});
    c.add("cover", {{"edges", picks({pick("s2")})}, {"knit", false}});
    c.add("knit", {{"skins", picks({pick("s3"), pick("s4"), pick("s5")})}});
    c.run();
    VERIFY_STEP(c, "s6");
    QVERIFY(c.body("s6")->solid());
    c.set("s6", "solid", false);
    c.run();
    VERIFY_STEP(c, "s6");
    QVERIFY(!c.body("s6")->solid());
    QCOMPARE(inspect::stateOf(*c.body("s6")).openings.size(), size_t(0));
  }

  /// Of a step that makes several bodies only the picked one is used up.
  void theOtherBodiesOfAStepStay() {
    Bench b = tumbler();
    b.recipe = b.recipe.without("s6");
    const std::string plane = b.add("plane", {{"distance", 60}});
    const std::string split = b.add("split", {{"body", picks({pick("s5", "skin")})}, {"by", picks({pick(plane, "plane")})}});
    const std::string knit = b.add("knit", {{"skins", picks({pick(split, "skin")})}});
    b.run();
    VERIFY_STEP(b, split);
    VERIFY_STEP(b, knit);
    QCOMPARE(b.result(split).outcome->outputs.size(), size_t(2));
    QCOMPARE(b.model->bodies.size(), size_t(2));
    QVERIFY(b.model->isHidden(split, "") && !b.model->isHidden(split, b.result(split).outcome->outputs[1].name));
  }

  void moreThanTwoFacesAlongAnEdgeAreRefused() {
    Bench b = stacked();
    b.add("ring", {{"width", 90}, {"height", 30}});
    b.add("loft", {{"sections", picks({pick("s2"), pick("s8")})}, {"degree", 1}});
    b.add("knit", {{"skins", picks({pick("s4"), pick("s6"), pick("s9")})}});
    b.run();
    QCOMPARE(b.code("s10"), std::string("LM-B001"));
    QVERIFY(b.result("s10").status == recipe::Status::Failed && !b.result("s10").problem->where.empty());
  }

  void skinsOnOneAnotherAndApartAreRefusedWithTheirPlace() {
    Bench b = stacked();
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("knit", {{"skins", picks({pick("s4"), pick("s8")})}});
    b.run();
    QCOMPARE(b.code("s9"), std::string("LM-B003"));
    QVERIFY(!b.result("s9").problem->where.empty());
  }
};

static test::Register<KnitStepTest> registeredKnitStepTest;
#include "knit_test.moc"

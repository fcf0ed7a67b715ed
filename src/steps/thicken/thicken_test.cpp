#include "support/solids.h"

using namespace lumsk;
using namespace lumsk::test;

class ThickenStepTest : public QObject {
  Q_OBJECT
private slots:
  void aTumblerGetsItsWallAndKeepsItsIdentity() {
    Bench b = tumbler();
    b.run();
    VERIFY_STEP(b, "s6");
    QCOMPARE(b.model->bodies.size(), size_t(1));
    QCOMPARE(b.model->bodies[0].id, std::string("b5"));
    QCOMPARE(b.model->bodies[0].step, std::string("s6"));
    const auto s = inspect::stateOf(*b.model->bodies[0].body);
    QVERIFY(s.solid && s.valid);
    QCOMPARE(s.openEdges, 0);
  }

  void tooThickIsRefusedWithARemedyThatWorks() {
    Bench b = tumbler();
    b.set("s6", "thickness", 80);
    b.run();
    QCOMPARE(b.code("s6"), std::string("LM-T001"));
    const auto& p = *b.result("s6").problem;
    QVERIFY(!p.where.empty() && !p.remedies.empty());
    b.set("s6", p.remedies[0].field, p.remedies[0].value);
    b.run();
    QVERIFY2(b.result("s6").status == recipe::Status::Ok || b.code("s6") == "LM-T005", b.code("s6").c_str());
  }

  /// A wall is the same wall wherever its skin lies: also one whose rounded point is not at the origin.
  void wallsOfSkinsWithAPoleStandAnywhere() {
    std::vector<double> volumes;
    for (const json& place : {json{{"x", 0}}, json{{"z", 5}}, json{{"x", 5}},
                              json{{"x", 731}, {"y", -412}, {"z", 96}, {"turn", 37}, {"axis", "x"}}}) {
      Bench b = tumbler();
      json move = place;
      move["what"] = picks({pick("s5")});
      b.add("move", move);
      b.add("thicken", {{"skin", picks({pick("s7")})}, {"thickness", 2}});
      b.set("s6", "thickness", 2);
      b.recipe = b.recipe.without("s6");
      b.run();
      VERIFY_STEP(b, "s8");
      const auto s = inspect::stateOf(*b.body("s8"));
      QVERIFY(s.solid && s.valid);
      volumes.push_back(s.volumeMm3);
      VERIFY_AT_MOST(std::abs(volumes.back() - volumes.front()), 1e-4 * volumes.front());
    }
  }

  /// A long channel, and the same with a short narrow place in it: walls that meet only there are found.
  void wallsThatMeetInANarrowPlaceAreRefused() {
    for (const bool pinched : {false, true}) {
      Bench b;
      json sections = json::array();
      for (double y : {0.0, 100.0, 203.0, 209.0, 213.0, 217.0, 223.0, 300.0, 400.0}) {
        const bool narrow = pinched && y == 213;
        const double top = narrow ? 3 : 6, upper = narrow ? 12 : 13;
        sections.push_back(pick(b.add("spline", {{"points", pointList({{-top, y, 60}, {-upper, y, 36}, {-13, y, 15}, {0, y, 8},
                                                                       {13, y, 15}, {upper, y, 36}, {top, y, 60}})}})));
      }
      b.add("loft", {{"sections", sections}});
      for (const char* side : {"in", "out"})
        b.add("thicken", {{"skin", picks({pick("s10", "skin")})}, {"thickness", 3.5}, {"side", side}});
      b.run();
      const std::string in = b.code("s11"), out = b.code("s12");
      QVERIFY2(pinched ? in == "LM-T005" || out == "LM-T005" : in.empty() && out.empty(), (in + " " + out).c_str());
      if (!pinched) continue;
      const Problem& p = *b.result(in.empty() ? "s12" : "s11").problem;
      VERIFY_AT_MOST(std::abs(p.where.front().y() - 213), 6);
    }
  }

  /// By Pappus's rule and by halves of cylinders and parts of balls.
  void rimsAreFlatSquareOrRounded() {
    Bench b;
    const auto round = b.add("ring", {{"width", 60}}), square = b.add("ring", {{"shape", "rectangle"}, {"width", 50}, {"depth", 30}, {"radius", 0}, {"x", 100}});
    const auto lean = b.add("ring", {{"width", 40}, {"height", 20}, {"x", 200}}), low = b.add("ring", {{"width", 20}, {"x", 200}});
    const auto disc = b.add("cover", {{"edges", picks({pick(round)})}}), plate = b.add("cover", {{"edges", picks({pick(square)})}});
    const auto cone = b.add("loft", {{"sections", picks({pick(low), pick(lean)})}});
    json own = pick(plate, "skin");
    own["sized"] = "own", own["own"] = 2;
    const auto wall = b.add("thicken", {{"skin", picks({pick(disc, "skin"), own, pick(cone, "skin")})}, {"thickness", 4}, {"rims", "round"}});
    b.run();
    VERIFY_STEP(b, wall);
    const auto& out = b.result(wall).outcome->outputs;
    QCOMPARE(out.size(), size_t(3));
    const auto volumeOf = [&](size_t k) { return solidVolume(b, wall, out[k].name); };
    const double r = 2;
    VERIFY_AT_MOST(std::abs(volumeOf(0) / (kPi * 900 * 4 + 0.5 * kPi * r * r * 2 * kPi * (30 + 4 * r / (3 * kPi))) - 1), 1e-4);
    VERIFY_AT_MOST(std::abs(volumeOf(1) / (50 * 30 * 2 + 0.5 * kPi * 160 + 4 * kPi / 3) - 1), 1e-4);
    // The wall of a cone, square to it, and half rounds about the middles of its rims.
    const double sine = 20 / std::hypot(20, 10), area = kPi * 30 * std::hypot(20, 10);
    const double squareWall = 4 * area - kPi * 16 * sine * std::hypot(20, 10); // its middle lies nearer to the axis
    b.set(wall, "rims", "square");
    b.run();
    VERIFY_STEP(b, wall);
    VERIFY_AT_MOST(std::abs(volumeOf(2) / squareWall - 1), 1e-3);
    b.set(wall, "rims", "flat");
    b.run();
    VERIFY_STEP(b, wall);
    double low3 = 1e300, high3 = -1e300;
    for (const auto& name : {out[2].name})
      for (const auto& o : b.result(wall).outcome->outputs)
        if (o.name == name)
          for (int i = 0; i < int(std::get<brep::BodyPtr>(o.object)->vertexNames.size()); ++i) {
            const double z = brep::signatureOf(*std::get<brep::BodyPtr>(o.object), brep::PartKind::Vertex, i).middle.z();
            low3 = std::min(low3, z), high3 = std::max(high3, z);
          }
    VERIFY_AT_MOST(std::abs(low3), 1e-3);
    VERIFY_AT_MOST(std::abs(high3 - 20), 1e-3);
  }

  void whatCannotBeRoundedIsTold() {
    Bench b;
    const auto notched = polyline(b, {{0, 0, 0}, {40, 0, 0}, {40, 30, 0}, {20, 10, 0}, {0, 30, 0}, {0, 0, 0}});
    const auto cover = b.add("cover", {{"edges", picks({pick(notched)})}});
    const auto wall = b.add("thicken", {{"skin", picks({pick(cover, "skin")})}, {"thickness", 2}, {"rims", "round"}});
    const auto ball = b.add("thicken", {{"skin", picks({pick(prism(b, disc(40, 100), 20), "solid")})}, {"thickness", 2}, {"rims", "round"}});
    b.run();
    QCOMPARE(b.code(wall), std::string("LM-T016"));
    VERIFY_AT_MOST((b.result(wall).problem->where.front() - Vec3(20, 10, 0)).norm(), 3);
    QCOMPARE(b.code(ball), std::string("LM-T016"));
  }

  void aPointedSkinIsToldToBeRounded() {
    Bench b = tumbler();
    b.set("s5", "start", "free");
    b.set("s6", "side", "in");
    b.run();
    QCOMPARE(b.code("s6"), std::string("LM-T001"));
    QVERIFY(b.result("s6").problem->remedies.empty()); // nothing above nought would fit
    QVERIFY(b.result("s6").problem->remedyText.find("round") != std::string::npos);
  }
};

static test::Register<ThickenStepTest> registeredThickenStepTest;
#include "thicken_test.moc"

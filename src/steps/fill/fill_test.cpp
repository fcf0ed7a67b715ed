#include "brep/convert.h"
#include "brep/curves_on.h"
#include "inspect/joins.h"
#include "recipe/edit.h"
#include "inspect/state.h"
#include "support/solids.h"

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// A cut edge of a body: one of an opening.
json cutEdge(const brep::BodyPtr& body, const std::string& step) {
  for (const auto& name : body->edgeNames)
    if (name.find("|cut") != std::string::npos && name.find('|') == name.rfind('|')) return pick(step, "edge", name);
  return {};
}

double worstAngle(const brep::Body& body, const std::string& fill, double* curvature) {
  double worst = 0;
  int found = 0;
  for (const inspect::Join& j : inspect::joins(body, {})) {
    if (j.edge.find(fill) == std::string::npos) continue;
    ++found;
    worst = std::max({worst, j.angleDeg, j.gapMm > 0.001 ? 999.0 : 0.0});
    if (curvature) *curvature = std::max(*curvature, j.curvatureRel);
  }
  return found > 0 ? worst : 999;
}

} // namespace

/// A domed skin (loft s4 through three arches) with an opening cut by what s5 is (trim s6).
class FillStepTest : public QObject {
  Q_OBJECT

  static Bench dome(const std::function<void(Bench&)>& cutter) {
    Bench b;
    spline(b, {{-60, -50, 2}, {0, -54, 14}, {60, -50, 4}});
    spline(b, {{-62, 0, 10}, {0, 0, 24}, {64, 0, 12}});
    spline(b, {{-60, 50, 3}, {0, 52, 15}, {60, 50, 1}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}});
    cutter(b);
    b.add("trim", {{"body", picks({pick("s4", "skin")})}, {"by", picks({pick("s5")})}, {"keep", "back"}});
    b.run();
    return b;
  }

  /// An ellipse, a pentagon and a rectangle with round corners, one with a corner inwards, and a plain pentagon.
  static std::vector<std::function<void(Bench&)>> outlines() {
    return {[](Bench& b) { b.add("ring", {{"width", 50}, {"depth", 36}}); },
            [](Bench& b) { b.add("ring", {{"shape", "polygon"}, {"sides", 5}, {"width", 50}, {"x", 4}}); },
            [](Bench& b) { b.add("ring", {{"shape", "rectangle"}, {"width", 70}, {"depth", 30}, {"radius", 6}}); },
            [](Bench& b) { polyline(b, {{-30, -20, 60}, {30, -22, 60}, {32, 20, 60}, {2, 2, 60}, {-28, 24, 60}, {-30, -20, 60}}); },
            [](Bench& b) { polyline(b, {{-30, -20, 60}, {24, -26, 60}, {36, 10, 60}, {2, 32, 60}, {-32, 16, 60}, {-30, -20, 60}}); }};
  }

private slots:
  /// What was cut out of one smooth skin comes back, whatever the outline.
  void holesOfOneSkinCloseAsIfTheyHadNotBeenThere() {
    const auto cutters = outlines();
    for (size_t k = 0; k < cutters.size(); ++k)
      for (const char* how : {"g1", "g2"}) {
        Bench b = dome(cutters[k]);
        VERIFY_STEP(b, "s6");
        b.add("fill", {{"edges", picks({cutEdge(b.body("s6"), "s6")})}, {"meets", how}});
        b.run();
        VERIFY_STEP(b, "s7");
        QVERIFY2(b.result("s7").outcome->notes.empty(), qPrintable(QString("%1 %2 %3").arg(k).arg(how).arg(QString::fromStdString(sentence(b.result("s7").outcome->notes.empty() ? Problem() : b.result("s7").outcome->notes.front())))));
        const auto state = inspect::stateOf(*b.body("s7"));
        QVERIFY(state.valid);
        QCOMPARE(state.openings.size(), size_t(1)); // its outer border
        VERIFY_AT_MOST(state.largestToleranceMm, 0.002);
        double curvature = 0;
        VERIFY_AT_MOST(worstAngle(*b.body("s7"), "s7.fill", &curvature), 0.01);
        if (how[1] == '2') VERIFY_AT_MOST(curvature, 0.01);
        VERIFY_AT_MOST(brep::massOf(b.body("s7")->shape).areaMm2 / brep::massOf(b.body("s4")->shape).areaMm2 - 1, 1e-4);
      }
  }

  /// The same in patches with four sides, which lie on the fill: joins between them count as well.
  void openingsAreFilledWithFourSidedPatches() {
    const std::vector<size_t> patches{5, 15, 12, 0, 5}; // none: not all of its ring sees the middle
    for (size_t k = 0; k < patches.size(); ++k) {
      Bench b = dome(outlines()[k]);
      b.add("fill", {{"edges", picks({cutEdge(b.body("s6"), "s6")})}, {"meets", "g2"}, {"made", "patches"}});
      b.run();
      if (patches[k] == 0) {
        QCOMPARE(b.result("s7").problem->code, std::string("LM-V016"));
        QVERIFY(!b.result("s7").problem->where.empty());
        continue;
      }
      VERIFY_STEP(b, "s7");
      const brep::BodyPtr body = b.body("s7");
      const auto state = inspect::stateOf(*body);
      QVERIFY(state.valid);
      QCOMPARE(state.openings.size(), size_t(1));
      size_t made = 0;
      int points = 0;
      for (const auto& [name, face] : body->natural)
        if (name.rfind("s7.fill", 0) == 0) ++made, points += face.surface->controlPoints();
      QCOMPARE(made, patches[k]);
      VERIFY_AT_MOST(points, 3000);
      VERIFY_AT_MOST(state.largestToleranceMm, 0.002);
      double curvature = 0;
      VERIFY_AT_MOST(worstAngle(*body, "s7.fill", &curvature), 0.01);
      VERIFY_AT_MOST(curvature, 0.01);
      VERIFY_AT_MOST(std::abs(brep::massOf(body->shape).areaMm2 / brep::massOf(b.body("s4")->shape).areaMm2 - 1), 1e-4);
      for (const auto& [edge, asked] : body->asked)
        if (edge.find("s7.fill") != std::string::npos) QCOMPARE(asked, Meets::G2);
    }
  }

  void theLastOpeningMakesASolid() {
    Bench b;
    b.add("ring", {{"width", 50}});
    b.add("ring", {{"width", 70}, {"height", 40}, {"shape", "superellipse"}});
    b.add("ring", {{"width", 40}, {"height", 80}, {"x", 6}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}});
    b.run();
    VERIFY_STEP(b, "s4");
    std::vector<json> rims;
    for (const auto& name : b.body("s4")->edgeNames)
      if (name.find("start") != std::string::npos || name.find("end") != std::string::npos) rims.push_back(pick("s4", "edge", name));
    QCOMPARE(rims.size(), size_t(2));
    b.add("fill", {{"edges", rims}, {"meets", "g0"}});
    b.run();
    VERIFY_STEP(b, "s5");
    QVERIFY(b.body("s5")->solid());
    QVERIFY(b.result("s5").outcome->summary.rfind("solid", 0) == 0);
    QVERIFY(b.result("s5").outcome->summary.find("flat") != std::string::npos);
    // Domed: tangent to the walls all around.
    b.set("s5", "meets", "g1");
    b.run();
    VERIFY_STEP(b, "s5");
    QVERIFY(b.body("s5")->solid());
    QVERIFY(inspect::stateOf(*b.body("s5")).valid);
    VERIFY_AT_MOST(worstAngle(*b.body("s5"), "s5.fill", nullptr), 0.01);
  }

  /// The middle goes up by what is asked for; the edges stay met.
  void aDrumIsClosedByADomeThatGoesOnFromItsWall() {
    // Along the rim of a drum the wall does not turn: which way the dome goes, only the wall's own side tells.
    for (const double length : {20.0, -20.0}) {
      Bench b;
      const auto ring = b.add("ring", {{"shape", "circle"}, {"width", 64}});
      const auto wall = b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", length}});
      const auto dome = b.add("fill", {{"edges", picks({pick(wall, "edge", wall + ".skin|end")})}, {"meets", "g1"}});
      const auto shell = b.add("thicken", {{"skin", picks({pick(dome)})}, {"thickness", 1.8}});
      b.run();
      VERIFY_STEP(b, dome);
      const auto skin = std::get<brep::BodyPtr>(b.result(dome).outcome->outputs[0].object);
      const auto s = inspect::stateOf(*skin);
      VERIFY_AT_MOST(inspect::summarise(inspect::joins(*skin, {})).angleDeg, 0.01);
      QVERIFY(length > 0 ? s.boxHigh.z() > 25 && s.boxLow.z() > -0.01 : s.boxLow.z() < -25 && s.boxHigh.z() < 0.01);
      VERIFY_STEP(b, shell);
      QVERIFY(solidVolume(b, shell) > 0);
    }
  }

  void fullnessRaisesTheMiddle() {
    Bench b = dome([](Bench& x) { x.add("ring", {{"width", 50}, {"depth", 40}}); });
    b.add("fill", {{"edges", picks({cutEdge(b.body("s6"), "s6")})}, {"knit", false}});
    b.run();
    VERIFY_STEP(b, "s7");
    const auto heightOf = [&] {
      const auto marks = b.result("s7").outcome->marks.all<recipe::HandlePlace>();
      return marks.front().at.z();
    };
    const auto top = [&] {
      double z = -1e300;
      for (const Vec3& p : brep::boxCorners(b.body("s7")->shape)) z = std::max(z, p.z());
      return z;
    };
    const double before = top(), handle = heightOf();
    json edges = *b.recipe.find("s7")->inputs;
    edges["edges"][0]["fullness"] = "5";
    b.set("s7", "edges", edges["edges"]);
    b.run();
    VERIFY_STEP(b, "s7");
    const auto raised = b.result("s7").outcome->marks.all<recipe::HandlePlace>().front();
    const auto fill = brep::BodyFaces::of(*b.body("s7"), -1, {});
    VERIFY_AT_MOST(fill->nearest(raised.at + 5 * raised.mmPerUnit * raised.direction)->distanceMm, 0.02);
    QVERIFY(raised.direction.z() > 0.8 && top() > before + 3); // outwards
    QVERIFY(std::abs(heightOf() - handle) < 0.2); // it stands where the value is nought
    QVERIFY(b.result("s7").outcome->notes.empty());
    // Through a point instead.
    edges["edges"][0]["fullness"] = "0";
    b.set("s7", "edges", edges["edges"]);
    b.recipe.steps.pop_back();
    b.add("point", {{"x", 3}, {"y", -2}, {"z", 31}});
    b.add("fill", {{"edges", edges["edges"]}, {"knit", false}, {"inside", picks({pick("s8")})}});
    b.run();
    VERIFY_STEP(b, "s9");
    const auto on = brep::BodyFaces::of(*b.body("s9"), -1, {});
    VERIFY_AT_MOST(on->nearest(Vec3(3, -2, 31))->distanceMm, 0.002);
  }

  /// A flag's click changes that edge alone, and is taken back by the next ones.
  void oneEdgeIsMetOtherwise() {
    Bench b = dome([](Bench& x) { polyline(x, {{-26, -18, 60}, {24, -20, 60}, {26, 18, 60}, {-22, 22, 60}, {-26, -18, 60}}); });
    b.add("fill", {{"edges", picks({cutEdge(b.body("s6"), "s6")})}});
    b.run();
    VERIFY_STEP(b, "s7");
    const auto flags = b.result("s7").outcome->marks.all<recipe::Flag>();
    QCOMPARE(flags.size(), size_t(4));
    for (const auto& f : flags) QCOMPARE(f.mark, std::string("G1"));
    const auto turn = [&](const std::string& item) { b.recipe = recipe::withItemTurned(b.recipe, {"s7", "own", item, "meets"}, 1, steps::registry()).first; };
    for (const char* mark : {"G2", "G0", "G1"}) {
      turn(flags[1].item);
      b.run();
      VERIFY_STEP(b, "s7");
      int other = 0;
      for (const auto& f : b.result("s7").outcome->marks.all<recipe::Flag>()) {
        if (f.item == flags[1].item) QCOMPARE(f.mark.substr(0, 2), std::string(mark));
        other += f.mark.substr(0, 2) == "G1";
      }
      QCOMPARE(other, std::string(mark) == "G1" ? 4 : 3);
    }
    // An edge that is not there any more is told.
    b.set("s7", "own", json::array({{{"id", "q1"}, {"edge", "gone"}, {"meets", "g2"}}}));
    b.run();
    VERIFY_STEP(b, "s7");
    QCOMPARE(b.result("s7").outcome->notes.size(), size_t(1));
    QCOMPARE(b.result("s7").outcome->notes.front().code, std::string("LM-V115"));
  }

  /// A box's open top, its walls upright: G1 cannot be had in its corners, and is told with a way out; G0 can.
  void whatCannotBeMetIsNamed() {
    Bench b;
    b.add("ring", {{"shape", "polygon"}, {"sides", 4}, {"width", 50}});
    b.add("ring", {{"shape", "polygon"}, {"sides", 4}, {"width", 60}, {"height", 30}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.run();
    VERIFY_STEP(b, "s3");
    std::string rim;
    for (const auto& name : b.body("s3")->edgeNames)
      if (name.find("end") != std::string::npos) rim = name;
    b.add("fill", {{"edges", picks({pick("s3", "edge", rim)})}, {"meets", "g1"}});
    b.run();
    if (b.result("s4").outcome) {
      QVERIFY(!b.result("s4").outcome->notes.empty());
    } else {
      QVERIFY(b.result("s4").problem.has_value());
      QVERIFY(!b.result("s4").problem->where.empty());
    }
    b.set("s4", "meets", "g0");
    b.run();
    VERIFY_STEP(b, "s4");
    QVERIFY(b.result("s4").outcome->notes.empty());
    // A ring that is open.
    b.add("line", {{"points", pointList({{0, 0, 0}, {30, 0, 0}, {30, 30, 5}})}});
    b.add("fill", {{"edges", picks({pick("s5")})}});
    b.run();
    QCOMPARE(b.code("s6"), std::string("LM-V001"));
  }

  /// Curves that miss one another by a little are brought together.
  void smallGapsAreBridged() {
    Bench b;
    spline(b, {{0, 0, 0}, {20, -4, 6}, {40, 0, 0}});
    spline(b, {{40.03, 0, 0}, {46, 20, 8}, {40, 40, 2}});
    spline(b, {{0, 38, 0.02}, {20, 44, 9}, {40, 40.04, 2}});
    spline(b, {{0, 0, 0}, {-5, 20, 7}, {0, 38, 0}});
    b.add("fill", {{"edges", picks({pick("s1"), pick("s3"), pick("s4"), pick("s2")})}, {"gap", "0.1"}, {"meets", "g0"}});
    b.run();
    VERIFY_STEP(b, "s5");
    QVERIFY(b.result("s5").outcome->summary.find("bridged") != std::string::npos);
    QVERIFY(inspect::stateOf(*b.body("s5")).valid);
    b.set("s5", "gap", "0.001");
    b.run();
    QVERIFY(b.result("s5").problem.has_value());
  }
};

static test::Register<FillStepTest> registeredFillStepTest;
#include "fill_test.moc"

#include "nurbs/measure/closest.h"
#include "inspect/joins.h"
#include "recipe/crossed.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

/// A form lofted through arches (s1 to s5, loft s6) with four of its lines (s7, s8 along one way, s9, s10 along the
/// other); the patch between them is what the form is there.
class BoundaryStepTest : public QObject {
  Q_OBJECT

  static Bench form() {
    Bench b;
    for (int i = 0; i < 5; ++i) {
      const double y = 30.0 * i - 60, lift = 4 * std::cos(0.04 * y);
      b.add("spline",
            {{"points",
              pointList({{-60, y, 0.1 * y}, {-25, y, 12 + lift}, {20, y + 2, 14 + lift}, {60, y, 2 + 0.05 * y}})}});
    }
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3"), pick("s4"), pick("s5")})}});
    for (const char* along : {"u", "v"}) {
      json places = json::array();
      for (const auto& [id, f] : {std::pair("r1", "0.22"), {"r2", "0.8"}})
        places.push_back({{"id", id}, {"fraction", f}});
      b.add("iso_curve", {{"face", picks({pick("s6", "skin")})}, {"along", along}, {"at", places}});
    }
    return b;
  }
  /// A line between the two that cross it.
  static json part(const std::string& step, const std::string& output, const std::string& other) {
    json p = pick(step, "curve", output);
    p["fromAt"] = json::array({{{"id", "m1"}, {"step", other}, {"kind", "curve"}, {"part", ""}}});
    p["toAt"] = json::array({{{"id", "m2"}, {"step", other}, {"kind", "curve"}, {"part", "2"}}});
    return p;
  }
  static std::vector<json> ring() {
    return {part("s7", "", "s8"), part("s8", "2", "s7"), part("s7", "2", "s8"), part("s8", "", "s7")};
  }
  static json meeting(std::vector<json> edges, const std::string& how) {
    for (json& e : edges) e["meets"] = how;
    return edges;
  }

private slots:
  /// Two tubes of different outlines, apart and askew: the bridge goes all around and flows into both.
  void closedEdgesBridge() {
    for (const char* shape : {"circle", "superellipse", "rectangle", "polygon"})
      for (const char* how : {"g0", "g1", "g2", "g3"}) {
        const bool cornered = std::string(shape) == "polygon";
        const int round = std::string(shape) == "rectangle" ? 6 : 0;
        if (how[1] > (cornered ? '0' : round > 0 ? '1' : '3')) continue; // what lies beyond jumps there
        Bench b;
        b.add("ring", {{"shape", shape}, {"width", 60}, {"depth", 40}, {"height", 5}, {"radius", round}});
        b.add("ring", {{"shape", shape}, {"width", 52}, {"depth", 36}, {"height", 40}, {"radius", round}});
        b.add("ring", {{"shape", shape}, {"width", 44}, {"depth", 30}, {"radius", round}, {"height", 80}, {"x", 9}});
        b.add("ring", {{"shape", shape}, {"width", 48}, {"depth", 34}, {"radius", round}, {"height", 120}, {"x", 14}});
        b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
        b.add("loft", {{"sections", picks({pick("s3"), pick("s4")})}});
        json lower = pick("s2", "curve"), upper = pick("s3", "curve");
        lower["meets"] = upper["meets"] = how;
        b.add("boundary", {{"edges", {lower, upper}}, {"skins", picks({pick("s5", "skin"), pick("s6", "skin")})}});
        b.add("knit", {{"skins", picks({pick("s5", "skin"), pick("s6", "skin"), pick("s7", "skin")})}});
        b.run();
        VERIFY_STEP(b, "s7");
        QCOMPARE(b.body("s7")->natural.size(), size_t(cornered ? 6 : round > 0 ? 8 : 1)); // also where arcs end
        VERIFY_STEP(b, "s8");
        QCOMPARE(inspect::stateOf(*b.body("s8")).openings.size(), size_t(2));
        if (how[1] == '0') continue;
        for (const inspect::Join& j : inspect::joins(*b.body("s8"), {})) {
          if (cornered && j.askedFor().empty()) continue; // the edges along
          VERIFY_AT_MOST(j.gapMm, 0.001);
          VERIFY_AT_MOST(j.angleDeg, 0.01);
          if (how[1] > '1') VERIFY_AT_MOST(j.curvatureRel, 0.01);
        }
      }
    Bench b;
    b.add("ring", {{"width", 60}});
    b.add("line", {{"points", pointList({{-30, 0, 40}, {30, 0, 40}})}});
    b.add("boundary", {{"edges", picks({pick("s1", "curve"), pick("s2", "curve")})}});
    b.run();
    QCOMPARE(b.code("s3"), std::string("LM-H004"));
  }

  void fourEdgesFlowIntoTheSkinTheyLieOn() {
    double before = 1e300;
    for (const char* how : {"g0", "g1", "g2"}) {
      Bench b = form();
      b.add("boundary", {{"edges", meeting(ring(), how)}, {"skins", picks({pick("s6", "skin")})}});
      b.run();
      for (const char* id : {"s6", "s7", "s8", "s9"}) VERIFY_STEP(b, id);
      for (const Problem& n : b.result("s9").outcome->notes) QVERIFY2(false, n.what.c_str());
      const auto& patch = *b.body("s9")->natural.begin()->second.surface;
      const auto& whole = *b.body("s6")->natural.begin()->second.surface;
      double off = 0;
      for (int i = 0; i <= 20; ++i)
        for (int j = 0; j <= 20; ++j)
          off = std::max(off, nurbs::closestPoint(whole, patch.at(i / 20.0, j / 20.0)).distanceMm);
      qInfo("%s: %.4f mm from the form, %s", how, off, b.result("s9").outcome->summary.c_str());
      QVERIFY(off < 0.5 * before);
      before = off;
    }
  }

  void picksInAnyOrderGiveTheSamePatch() {
    std::vector<json> edges = ring();
    std::vector<nurbs::Surface> made;
    for (int turn = 0; turn < 6; ++turn) {
      Bench b = form();
      b.add("boundary", {{"edges", meeting(edges, "g1")}, {"skins", picks({pick("s6", "skin")})}});
      b.run();
      VERIFY_STEP(b, "s9");
      made.push_back(*b.body("s9")->natural.begin()->second.surface);
      for (int i = 1; i < 10; ++i)
        for (int j = 1; j < 10; ++j)
          VERIFY_AT_MOST(nurbs::closestPoint(made[0], made.back().at(i / 10.0, j / 10.0)).distanceMm, 0.002);
      std::next_permutation(edges.begin(), edges.end(), [](const json& a, const json& c) { return a["id"] < c["id"]; });
    }
  }

  void threeAndTwoEdgesMakePatchesToo() {
    Bench b = form();
    std::vector<json> edges = meeting(ring(), "g1");
    b.add("boundary",
          {{"edges", std::vector<json>(edges.begin(), edges.begin() + 3)}, {"skins", picks({pick("s6", "skin")})}});
    b.add("boundary", {{"edges", std::vector<json>{edges[0], edges[2]}}, {"skins", picks({pick("s6", "skin")})}});
    // A ring of three, and of two.
    b.add("line", {{"points", pointList({{0, 0, 0}, {40, 0, 0}})}});
    b.add("spline", {{"points", pointList({{40, 0, 0}, {35, 25, 6}, {10, 40, 0}})}});
    b.add("spline", {{"points", pointList({{10, 40, 0}, {2, 20, 4}, {0, 0, 0}})}});
    b.add("spline", {{"points", pointList({{0, 0, 0}, {20, -9, 5}, {40, 0, 0}})}});
    b.add("boundary", {{"edges", picks({pick("s11"), pick("s13"), pick("s12")})}});
    b.add("boundary", {{"edges", picks({pick("s11"), pick("s14")})}});
    b.run();
    for (const char* id : {"s9", "s10", "s15", "s16"}) {
      VERIFY_STEP(b, id);
      QVERIFY(inspect::stateOf(*b.body(id)).valid);
    }
    QCOMPARE(b.result("s9").outcome->notes.size(), size_t(1));
    QCOMPARE(b.result("s9").outcome->notes[0].code, std::string("LM-H106"));
  }

  void tensionReachesFurtherIntoThePatch() {
    std::vector<nurbs::Surface> made;
    for (const char* tension : {"1", "2"}) {
      Bench b = form();
      std::vector<json> edges = meeting(ring(), "g1");
      edges[0]["tension"] = tension;
      b.add("boundary", {{"edges", edges}, {"skins", picks({pick("s6", "skin")})}});
      b.run();
      VERIFY_STEP(b, "s9");
      QCOMPARE(b.result("s9").outcome->marks.all<recipe::HandlePlace>().size(), size_t(4));
      qInfo("tension %s: %s", tension, b.result("s9").outcome->summary.c_str());
      for (const Problem& n : b.result("s9").outcome->notes) QVERIFY2(false, n.what.c_str());
      made.push_back(*b.body("s9")->natural.begin()->second.surface);
    }
    QVERIFY((made[0].at(0.5, 0.3) - made[1].at(0.5, 0.3)).norm() > 1);
  }

  void aLoftMadeAPatchComesBackWhole() {
    Bench b;
    json sections = json::array(), guides = json::array();
    for (int i = 0; i < 4; ++i) {
      sections.push_back(pick(b.add("line", {{"points", pointList({{-30, 20.0 * i, 0}, {30, 20.0 * i, 0}})}})));
      sections.back()["start"] = "0";
    }
    for (double x : {-30.0, 0.0, 30.0})
      guides.push_back(pick(b.add("line", {{"points", pointList({{x, 0, 0}, {x, 60, 0}})}})));
    const std::string far = b.add("line", {{"points", pointList({{-30, -20, 0}, {30, -20, 0}})}});
    const std::string beside = b.add("loft", {{"sections", picks({pick(far), pick("s1")})}});
    json into = picks({pick(beside, "skin")});
    into[0]["id"] = "p1";
    const std::string id = b.add(
        "loft", {{"sections", sections}, {"guides", guides}, {"left", "perpendicular"}, {"startSkin", into}});
    b.run();
    VERIFY_STEP(b, id);
    const recipe::StepEntry before = *b.recipe.find(id);
    const auto patch = recipe::madeAs(before, "boundary", steps::registry(), {});
    QCOMPARE((*patch->inputs)["edges"].size(), size_t(4));
    QCOMPARE((*patch->inputs)["guides"].size(), size_t(3));
    QCOMPARE((*patch->inputs)["skins"].size(), size_t(1));
    b.recipe = b.recipe.withStep(patch);
    b.run();
    VERIFY_STEP(b, id);
    const auto net = recipe::madeAs(*patch, "network", steps::registry(), {});
    QCOMPARE((*net->inputs)["curves"].size(), size_t(7));
    for (const auto& step : {recipe::madeAs(*patch, "loft", steps::registry(), {}),
                             recipe::madeAs(*net, "loft", steps::registry(), {})}) {
      for (const char* key : {"sections", "guides", "left", "startSkin"})
        QVERIFY2((*step->inputs)[key] == (*before.inputs)[key], (*step->inputs)[key].dump().c_str());
      QVERIFY(!step->inputs->contains("aside"));
    }
    // Several skins wait while a loft has no place for them.
    recipe::StepEntry two = *net;
    json many = picks({pick(beside, "skin"), pick("s1", "face"), pick("s2", "face")});
    for (size_t i = 0; i < 3; ++i) many[i]["id"] = "p" + std::to_string(i + 1);
    json inputs = *two.inputs;
    inputs["skins"] = many;
    two.inputs = std::make_shared<const json>(inputs);
    const auto there = recipe::madeAs(two, "loft", steps::registry(), {});
    QCOMPARE((*recipe::madeAs(*there, "network", steps::registry(), {})->inputs)["skins"].size(), size_t(3));
    // A ring that was picked as such: opposite edges stand together.
    Bench ring4 = form();
    ring4.add("boundary", {{"edges", ring()}});
    ring4.run();
    VERIFY_STEP(ring4, "s9");
    ring4.recipe = ring4.recipe.withStep(recipe::madeAs(*ring4.recipe.find("s9"), "network", steps::registry(),
                                                        recipe::familiesIn(ring4.result("s9").outcome)));
    ring4.run();
    VERIFY_STEP(ring4, "s9");
  }

  void badEdgesAreExplained() {
    Bench b = form();
    b.add("line", {{"points", pointList({{0, 0, 0}, {40, 0, 0}})}});
    b.add("line", {{"points", pointList({{40, 0.5, 0}, {40, 30, 0}})}});
    b.add("line", {{"points", pointList({{40, 30, 0}, {0, 0, 0}})}});
    b.add("ring", {{"width", 60}});
    b.add("line", {{"points", pointList({{0, 0, 0}, {0.01, 0, 0}})}});
    b.add("line", {{"points", pointList({{0.01, 0, 0}, {40, 0, 0}})}});
    const auto patch = [&](const std::vector<json>& edges) { return b.add("boundary", {{"edges", edges}}); };
    patch({pick("s9"), pick("s10"), pick("s11")});
    patch({pick("s12")});
    patch({pick("s9"), pick("s10"), pick("s11"), pick("s12")});
    patch(meeting({pick("s9"), pick("s11")}, "g1"));
    b.add("boundary", {{"edges", picks({pick("s13"), pick("s14"), pick("s10"), pick("s11")})}, {"gap", "1"}});
    b.run();
    QCOMPARE(b.code("s15"), std::string("LM-H002"));
    QVERIFY(!b.result("s15").problem->where.empty());
    VERIFY_AT_MOST(std::abs(b.result("s15").problem->measured->value - 0.5), 1e-9);
    QVERIFY(b.result("s15").problem->remedies.size() > 0);
    QCOMPARE(b.code("s16"), std::string("LM-H004"));
    QCOMPARE(b.code("s17"), std::string("LM-H004"));
    QCOMPARE(b.code("s18"), std::string("LM-H008"));
    QCOMPARE(b.code("s19"), std::string("LM-H003"));
  }

  /// Edges that end in the same points make a patch that is closed there, and knits with its neighbour.
  void patchesAreClosedInPoints() {
    Bench b;
    b.add("spline", {{"points", pointList({{-40, 0, 0}, {-20, 12, 4}, {0, 17, 6}, {20, 12, 4}, {40, 0, 0}})}});
    b.add("spline", {{"points", pointList({{-40, 0, 0}, {-20, -12, 8}, {0, -17, 10}, {20, -12, 8}, {40, 0, 0}})}});
    b.add("spline", {{"points", pointList({{-40, 50, -10}, {-20, 62, -6}, {0, 67, -4}, {20, 62, -6}, {40, 50, -10}})}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s3")})}});
    b.add("boundary", {{"edges", picks({pick("s1"), pick("s2")})}});
    b.add("knit", {{"skins", picks({pick("s4"), pick("s5")})}});
    b.run();
    VERIFY_STEP(b, "s6");
    QCOMPARE(inspect::stateOf(*b.body("s5")).openEdges, 2);
    QCOMPARE(inspect::stateOf(*b.body("s6")).openEdges, 4);
  }

  /// A curve inside that runs from point to point: the tip is pointed, and the patch stays with its edges.
  void aCurveFromPointToPointShapesThePatch() {
    Bench b;
    b.add("spline", {{"points", pointList({{-40, 0, 0}, {-15, 16, 1}, {15, 17, 1}, {40, 0, 0}})}});
    b.add("spline", {{"points", pointList({{-40, 0, 0}, {-15, -16, 1}, {15, -17, 1}, {40, 0, 0}})}});
    b.add("spline", {{"points", pointList({{-40, 0, 0}, {-10, 0, 9}, {12, 1, 8}, {40, 0, 0}})}});
    b.add("boundary", {{"edges", picks({pick("s1"), pick("s2")})}, {"guides", picks({pick("s3")})}});
    b.run();
    VERIFY_STEP(b, "s4");
    const auto s = inspect::stateOf(*b.body("s4"));
    VERIFY_AT_MOST(s.boxHigh.z(), 12.0);
    for (const char* id : {"s1", "s2", "s3"})
      for (int i = 0; i <= 40; ++i)
        VERIFY_AT_MOST(nurbs::closestPoint(*b.body("s4")->natural.begin()->second.surface, b.curve(id).at(i / 40.0)).distanceMm,
                       0.001);
  }
};

static test::Register<BoundaryStepTest> registeredBoundaryStepTest;
#include "boundary_test.moc"

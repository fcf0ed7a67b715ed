#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

namespace {

std::string sheet(Bench& b) {
  json sections = json::array();
  for (double y : {-40.0, 0.0, 40.0}) sections.push_back(pick(spline(b, {{-60, y, 0.02 * y}, {-20, y, 9}, {20, y, 8}, {60, y, 0}})));
  return b.add("loft", {{"sections", sections}});
}

double areaOf(const brep::BodyPtr& b) { return inspect::stateOf(*b).areaMm2; }

} // namespace

class MergeFacesStepTest : public QObject {
  Q_OBJECT
private slots:
  void piecesOfASkinBecomeOneAgain() {
    Bench b;
    const std::string skin = sheet(b);
    const std::string ring = b.add("ring", {{"width", 30}, {"height", 30}, {"x", 10}});
    const std::string split = b.add("split", {{"body", picks({pick(skin)})}, {"by", picks({pick(ring)})}, {"into", "faces"}});
    const std::string merged = b.add("merge_faces", {{"what", picks({pick(split)})}});
    b.run();
    VERIFY_STEP(b, split);
    QCOMPARE(inspect::stateOf(*b.body(split)).faces, 2);
    VERIFY_STEP(b, merged);
    const auto s = inspect::stateOf(*b.body(merged));
    QCOMPARE(s.faces, 1);
    QCOMPARE(s.openEdges, 4);
    VERIFY_AT_MOST(std::abs(s.areaMm2 - areaOf(b.body(skin))), 0.01);
    QCOMPARE(b.body(merged)->natural.size(), size_t(1)); // untrimmed again
  }

  void overASeam() {
    Bench b = tumbler();
    b.recipe = b.recipe.without("s6");
    const std::string split = b.add("split", {{"body", picks({pick("s5")})}, {"by", picks({pick("world", "plane", "side")})}, {"into", "faces"}});
    const std::string merged = b.add("merge_faces", {{"what", picks({pick(split)})}});
    b.run();
    VERIFY_STEP(b, split);
    QVERIFY(inspect::stateOf(*b.body(split)).faces >= 2);
    VERIFY_STEP(b, merged);
    QCOMPARE(inspect::stateOf(*b.body(merged)).faces, 1);
    VERIFY_AT_MOST(std::abs(areaOf(b.body(merged)) - areaOf(b.body("s5"))), 0.01);
    QCOMPARE(inspect::stateOf(*b.body(merged)).openings.size(), size_t(1));
  }

  void halvesThatWereCutStraightAreWhatTheyWere() {
    Bench b;
    const std::string skin = sheet(b);
    std::vector<std::string> halves;
    for (const char* keep : {"front", "back"}) {
      const std::string copy = b.add("offset", {{"of", picks({pick(skin)})}, {"distance", 0}});
      halves.push_back(b.add("trim", {{"body", picks({pick(copy)})}, {"by", picks({pick("world", "plane", "side")})}, {"keep", keep}}));
    }
    const std::string knit = b.add("knit", {{"skins", picks({pick(halves[0]), pick(halves[1])})}});
    const std::string merged = b.add("merge_faces", {{"what", picks({pick(knit)})}});
    b.run();
    VERIFY_STEP(b, knit);
    VERIFY_STEP(b, merged);
    QCOMPARE(inspect::stateOf(*b.body(merged)).faces, 1);
    const nurbs::Surface &was = *b.body(skin)->natural.begin()->second.surface, &now = *b.body(merged)->natural.begin()->second.surface;
    for (double u : {0.1, 0.5, 0.83})
      for (double v : {0.2, 0.6}) VERIFY_AT_MOST(nurbs::closestPoint(now, was.at(u, v)).distanceMm, 1e-3);
  }

  void splinesThatRunOnIntoOneAnother() {
    // An extruded arc and its going on: two skins side by side whose lines agree.
    Bench b;
    std::vector<std::string> skins;
    for (double y : {0.0, 40.0}) {
      json sections = json::array();
      for (double dy : {0.0, 20.0, 40.0}) sections.push_back(pick(spline(b, {{-60, y + dy, 0}, {-20, y + dy, 9}, {20, y + dy, 8}, {60, y + dy, 0}})));
      skins.push_back(b.add("loft", {{"sections", sections}}));
    }
    const std::string knit = b.add("knit", {{"skins", picks({pick(skins[0]), pick(skins[1])})}});
    const std::string merged = b.add("merge_faces", {{"what", picks({pick(knit)})}});
    b.run();
    VERIFY_STEP(b, merged);
    QCOMPARE(inspect::stateOf(*b.body(merged)).faces, 1);
    VERIFY_AT_MOST(b.body(merged)->natural.begin()->second.surface->controlPoints(),
                   b.body(skins[0])->natural.begin()->second.surface->controlPoints() + b.body(skins[1])->natural.begin()->second.surface->controlPoints());
    QVERIFY(b.result(merged).outcome->summary.find("1 face") != std::string::npos);
  }

  void aKinkIsNamedWithItsAngle() {
    Bench b;
    std::vector<std::string> skins;
    for (double rise : {0.0, 8.0}) {
      json sections = json::array();
      for (double dy : {0.0, 20.0, 40.0})
        sections.push_back(pick(spline(b, {{-60, (rise > 0 ? 40 : 0) + dy, rise * dy / 40}, {-20, (rise > 0 ? 40 : 0) + dy, 9 + rise * dy / 40}, {60, (rise > 0 ? 40 : 0) + dy, rise * dy / 40}})));
      skins.push_back(b.add("loft", {{"sections", sections}}));
    }
    const std::string knit = b.add("knit", {{"skins", picks({pick(skins[0]), pick(skins[1])})}});
    const std::string merged = b.add("merge_faces", {{"what", picks({pick(knit)})}});
    b.run();
    VERIFY_STEP(b, knit);
    QCOMPARE(b.code(merged), std::string("LM-C050"));
    const Problem& p = *b.result(merged).problem;
    QVERIFY(p.measured && p.measured->dimension == Dimension::Angle);
    VERIFY_AT_MOST(std::abs(p.measured->value - degFromRad(std::atan2(8, 40))), 0.1);
    VERIFY_AT_MOST(std::abs(p.where.at(0).y() - 40), 0.01);
  }

  void needlessEdgesOfASolidGo() {
    Bench b;
    const std::string outline = b.add("ring", {{"shape", "rectangle"}, {"width", 40}, {"depth", 30}, {"radius", 0}});
    const std::string block = b.add("extrude", {{"sections", picks({pick(outline)})}, {"length", 20}, {"solid", true}});
    const std::string plane = b.add("plane", {{"distance", 8}});
    const std::string split = b.add("split", {{"body", picks({pick(block, "solid")})}, {"by", picks({pick(plane, "plane")})}, {"into", "faces"}});
    const std::string merged = b.add("merge_faces", {{"what", picks({pick(split, "solid")})}});
    b.run();
    VERIFY_STEP(b, block);
    VERIFY_STEP(b, split);
    QCOMPARE(inspect::stateOf(*b.body(split)).faces, 10);
    VERIFY_STEP(b, merged);
    QCOMPARE(inspect::stateOf(*b.body(merged)).faces, 6);
    QCOMPARE(b.body(merged)->edgeNames.size(), size_t(12));
    VERIFY_AT_MOST(std::abs(volume(b.body(merged)) - 24000), 0.1);
    QVERIFY(b.body(merged)->solid());
  }
};

static test::Register<MergeFacesStepTest> registeredMergeFacesStepTest;
#include "merge_faces_test.moc"

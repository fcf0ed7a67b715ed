#include "brep/names.h"
#include "recipe/edit.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

/// What refers to pieces and edges of cut skins stays with them through edits of what comes before, or says that it is in
/// doubt.
class TrimTrapsTest : public QObject {
  Q_OBJECT

  /// A skin of a half form, cut by a spline that is carried straight down; a wire along the new edge; mirrored; a wall.
  struct Traps : Bench {
    std::string skin, cutter, trim, wire, mirror, wall;
    std::vector<std::string> sections;
    Traps() {
      json list = json::array();
      for (double y : {-50.0, 0.0, 50.0}) {
        sections.push_back(add("spline", {{"points", pointList({{0, y, 20 - 0.002 * y * y}, {25, y, 18 - 0.002 * y * y}, {50, y, 10 - 0.002 * y * y}})}, {"start", "perpendicular"}}));
        list.push_back(pick(sections.back()));
      }
      skin = add("loft", {{"sections", list}, {"left", "perpendicular"}});
      cutter = spline(*this, {{38, -70, 60}, {36, 0, 60}, {38, 70, 60}});
      trim = add("trim", {{"body", picks({pick(skin)})}, {"by", json::array({json::object({{"id", "by"}, {"step", cutter}, {"kind", "curve"}})})}, {"curves", "direction"}});
      run();
      // The piece beside the mirror plane is clicked.
      const auto regions = result(trim).outcome->marks.all<recipe::Region>();
      size_t inner = 0;
      for (size_t i = 0; i < regions.size(); ++i)
        if (regions[i].at.x() < regions[inner].at.x()) inner = i;
      recipe = recipe::withValue(recipe, {trim, "keep"}, "these");
      recipe = recipe::withValue(recipe, {trim, "pieces"}, json::array({json::object({{"id", "r1"}, {"piece", regions[inner].piece}, {"x", regions[inner].at.x()}, {"y", regions[inner].at.y()}, {"z", regions[inner].at.z()}})}));
      run();
      const auto cut = body(trim);
      json edge;
      for (size_t i = 0; i < cut->edgeNames.size(); ++i)
        if (cut->edgeNames[i].find("cut:") != std::string::npos) {
          const auto s = brep::signatureOf(*cut, brep::PartKind::Edge, int(i));
          edge = pick(trim, "edge", cut->edgeNames[i]);
          edge["near"] = {{"at", {s.middle.x(), s.middle.y(), s.middle.z()}}, {"direction", {s.direction.x(), s.direction.y(), s.direction.z()}}};
        }
      wire = add("pipe", {{"paths", picks({edge})}, {"size", 2}});
      mirror = add("mirror", {{"what", picks({pick(trim, "skin")})}});
      wall = add("thicken", {{"skin", picks({pick(mirror, "skin")})}, {"thickness", 1.5}});
      run();
    }
    /// Everything is there, or flagged; the kept piece is the one beside the mirror plane.
    void sound(const char* edit) {
      for (const std::string& id : {skin, trim, wire, mirror, wall})
        QVERIFY2(result(id).status == recipe::Status::Ok,
                 qPrintable(QString("%1: %2 %3").arg(edit, id.c_str(), result(id).problem ? sentence(*result(id).problem).c_str() : "")));
      const auto s = inspect::stateOf(*body(trim));
      VERIFY_AT_MOST(std::abs(s.boxLow.x()), 1e-3);
      QVERIFY2(s.boxHigh.x() < 49, edit);
      QVERIFY(body(wall)->solid());
    }
    bool flagged() {
      for (const std::string& id : {trim, wire, mirror, wall})
        for (const auto& n : result(id).outcome->notes)
          if (n.code == "LM-C105" || n.code == "LM-C106" || n.code == "LM-R101") return true;
      return false;
    }
  };

private slots:
  void theTrimIsMoved() {
    Traps b;
    b.sound("as made");
    QVERIFY(!b.flagged());
    for (double x : {30.0, 44.0, 20.0}) {
      b.set(b.cutter, "points", pointList({{x, -70, 60}, {x - 2, 0, 60}, {x, 70, 60}}));
      b.run();
      b.sound("moved");
      QVERIFY(!b.flagged());
    }
  }

  void oneCrossingBecomesTwo() {
    Traps b;
    // The cutter leaves the skin over its outer side and comes back: three pieces, two new edges.
    b.set(b.cutter, "points", pointList({{38, -70, 60}, {42, -40, 60}, {62, 0, 60}, {42, 40, 60}, {38, 70, 60}}));
    b.run();
    for (const std::string& id : {b.trim, b.mirror}) VERIFY_STEP(b, id);
    QCOMPARE(b.result(b.trim).outcome->marks.all<recipe::Region>().size(), size_t(3));
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body(b.trim)).boxLow.x()), 1e-3);
    VERIFY_STEP(b, b.wire); // along one of the two
    // And back.
    b.set(b.cutter, "points", pointList({{38, -70, 60}, {36, 0, 60}, {38, 70, 60}}));
    b.run();
    b.sound("one again");
    QVERIFY(!b.flagged());
  }

  void aSectionIsAddedBefore() {
    Traps b;
    auto entry = std::make_shared<recipe::StepEntry>(*b.recipe.find(b.sections[1]));
    entry->id = "s" + b.recipe.newId();
    entry->inputs = std::make_shared<const json>(json{{"points", pointList({{0, 25, 19.5}, {26, 25, 17}, {50, 25, 8.5}})}, {"start", "perpendicular"}});
    b.recipe.steps.insert(b.recipe.steps.begin() + 2, entry);
    json list = (*b.recipe.find(b.skin)->inputs)["sections"];
    list.insert(list.begin() + 2, pick(entry->id));
    b.set(b.skin, "sections", list);
    b.run();
    b.sound("a section more");
  }

  void theMirrorIsSwitchedOffAndOn() {
    Traps b;
    b.recipe = recipe::withSwitched(b.recipe, {b.mirror}, false);
    b.run();
    VERIFY_STEP(b, b.trim);
    b.recipe = recipe::withSwitched(b.recipe, {b.mirror}, true);
    b.run();
    b.sound("mirrored again");
    QVERIFY(!b.flagged());
  }

  void anotherCutterTakesItsPlace() {
    Traps b;
    const std::string plane = b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", 33}});
    // It has to come before the trim.
    auto& steps = b.recipe.steps;
    std::rotate(steps.begin() + b.recipe.indexOf(b.trim), steps.end() - 1, steps.end());
    json by = (*b.recipe.find(b.trim)->inputs)["by"];
    by[0]["step"] = plane, by[0]["kind"] = "plane"; // the pick's place in the list stays its own
    b.set(b.trim, "by", by);
    b.run();
    b.sound("a plane");
    QVERIFY(b.flagged()); // its sides lie the other way round: the place says which piece was meant
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body(b.trim)).boxHigh.x() - 33), 0.01);
  }
};

static test::Register<TrimTrapsTest> registeredTrimTrapsTest;
#include "trim_traps_test.moc"

#include "brep/convert.h"
#include "brep/curves_on.h"
#include "brep/names.h"
#include "nurbs/measure/closest.h"
#include "nurbs/measure/wrinkles.h"
#include "support/recipes.h"

#include <BRep_Tool.hxx>

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// A skin through three lines, 200 by 120 mm; it is step s4. Its sides in space are named by what they were made from.
Bench sheet(const Vec3& at = Vec3::Zero()) {
  Bench b;
  for (double y : {-60.0, 0.0, 60.0})
    spline(b, {{at.x() - 100, at.y() + y, at.z() + 0.02 * y}, {at.x() - 30, at.y() + y, at.z() + 18}, {at.x() + 40, at.y() + y, at.z() + 15 - 0.01 * y}, {at.x() + 100, at.y() + y, at.z()}});
  b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}});
  b.run();
  return b;
}

/// The open edge whose middle lies furthest along a direction.
std::string edgeAt(const brep::BodyPtr& b, const Vec3& direction) {
  std::string best;
  double most = -1e300;
  for (size_t i = 0; i < b->edgeNames.size(); ++i) {
    if (brep::facesAt(*b, int(i)).size() != 1) continue;
    const double d = brep::signatureOf(*b, brep::PartKind::Edge, int(i)).middle.dot(direction);
    if (d > most) most = d, best = b->edgeNames[i];
  }
  return best;
}

const nurbs::Surface& surfaceOf(const brep::BodyPtr& b) { return *b->natural.begin()->second.surface; }

} // namespace

class ExtendStepTest : public QObject {
  Q_OBJECT
private slots:
  void aSideGoesOnWithoutAWrinkleAndTheRestStays() {
    Bench b = sheet({500, -300, 40});
    const auto was = b.body("s4");
    for (const char* how : {"natural", "straight", "round"}) {
      Bench c;
      c.recipe = b.recipe;
      c.run();
      c.add("extend", {{"edges", picks({pick("s4", "edge", edgeAt(was, Vec3::UnitX()))})}, {"length", 20}, {"how", how}});
      c.run();
      VERIFY_STEP(c, "s5");
      const auto now = c.body("s5");
      QCOMPARE(now->natural.size(), size_t(1));
      // Nothing of the old skin has moved.
      for (double u : {0.1, 0.5, 0.9})
        for (double v : {0.1, 0.5, 0.9}) VERIFY_AT_MOST(nurbs::closestPoint(surfaceOf(now), surfaceOf(was).at(u, v)).distanceMm, 1e-9);
      VERIFY_AT_MOST(std::abs(inspect::stateOf(*now).areaMm2 - inspect::stateOf(*was).areaMm2 - 20 * 120), 60);
      VERIFY_AT_MOST(nurbs::wrinkleIndex({surfaceOf(now)}), 1.3 * nurbs::wrinkleIndex({surfaceOf(was)}));
      QCOMPARE(c.model->bodies[0].id, std::string("b4"));
    }
  }

  void twoSidesHaveACornerAndItCanBeThickened() {
    Bench b = sheet();
    const auto was = b.body("s4");
    b.add("extend", {{"edges", picks({pick("s4", "edge", edgeAt(was, Vec3::UnitX())), pick("s4", "edge", edgeAt(was, Vec3::UnitY()))})}, {"length", 15}});
    b.add("thicken", {{"skin", picks({pick("s5")})}, {"thickness", 2}});
    b.run();
    VERIFY_STEP(b, "s5");
    VERIFY_STEP(b, "s6");
    const auto s = inspect::stateOf(*b.body("s5"));
    QVERIFY(s.boxHigh.x() > 113 && s.boxHigh.y() > 74);
    QCOMPARE(s.openEdges, 4);
  }

  void upToAPlaneAndASkin() {
    Bench b = sheet();
    const auto was = b.body("s4");
    b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", 120}});
    b.add("extend", {{"edges", picks({pick("s4", "edge", edgeAt(was, Vec3::UnitX()))})}, {"by", "upTo"}, {"to", picks({pick("s5")})}});
    b.run();
    VERIFY_STEP(b, "s6");
    const auto s = inspect::stateOf(*b.body("s6"));
    VERIFY_AT_MOST(std::abs(s.boxHigh.x() - 120), 0.001);
    QVERIFY(s.valid);
    // Up to a leaning wall: the new edge lies on it. One that is never met is told with its place.
    Bench c;
    c.recipe = b.recipe.without("s6").without("s5");
    for (double y : {-90.0, 90.0}) spline(c, {{115, y, -30}, {125, y, 10}, {128, y, 50}});
    c.add("loft", {{"sections", picks({pick("s7"), pick("s8")})}});
    c.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", -150}});
    c.add("extend", {{"edges", picks({pick("s4", "edge", edgeAt(was, Vec3::UnitX()))})}, {"by", "upTo"}, {"to", picks({pick("s9")})}});
    c.run();
    VERIFY_STEP(c, "s11");
    const auto wall = brep::BodyFaces::of(*c.body("s9"), -1, {});
    VERIFY_OK(wall);
    const auto body = c.body("s11");
    int onWall = 0;
    for (const auto& v : brep::vertices(*body)) onWall += wall->nearest(brep::toVec(BRep_Tool::Pnt(v)))->distanceMm < 0.002;
    QCOMPARE(onWall, 2);
    QVERIFY(inspect::stateOf(*body).areaMm2 > inspect::stateOf(*was).areaMm2 + 1000);
    c.set("s11", "to", picks({pick("s10")})); // behind it
    c.set("s11", "how", "straight");
    c.run();
    QCOMPARE(c.code("s11"), std::string("LM-C035"));
    QVERIFY(!c.result("s11").problem->where.empty());
  }

  void aShorterSkinAndACutThatGoesOut() {
    Bench b = sheet();
    const auto was = b.body("s4");
    const double whole = inspect::stateOf(*was).areaMm2;
    b.add("extend", {{"edges", picks({pick("s4", "edge", edgeAt(was, Vec3::UnitX()))})}, {"length", -10}});
    b.run();
    VERIFY_STEP(b, "s5");
    const double shorter = inspect::stateOf(*b.body("s5")).areaMm2;
    VERIFY_AT_MOST(std::abs(whole - shorter - 1230), 60);
    // Out again by 4 in the surface that is still there, then by more than there is.
    for (const double mm : {4.0, 18.0}) {
      Bench c;
      c.recipe = b.recipe;
      c.run();
      c.add("extend", {{"edges", picks({pick("s5", "edge", edgeAt(c.body("s5"), Vec3::UnitX()))})}, {"length", mm}});
      c.run();
      VERIFY_STEP(c, "s6");
      const auto s = inspect::stateOf(*c.body("s6"));
      QVERIFY(s.valid && s.faces == 1);
      // Edges that stay keep their names.
      const auto& names = c.body("s6")->edgeNames;
      for (const auto& n : b.body("s5")->edgeNames)
        QVERIFY(n.find("border") != std::string::npos || std::count(names.begin(), names.end(), n) == 1);
      VERIFY_AT_MOST(std::abs(s.areaMm2 - shorter - 122 * mm), 12 * mm);
    }
  }

  /// A skin with a hole goes on beyond its own end in every way; beyond a cut only as it is.
  void aSkinWithAHoleGoesOnToo() {
    Bench b = sheet();
    const auto was = b.body("s4");
    b.add("ring", {{"width", 24}, {"height", 30}});
    b.add("trim", {{"body", picks({pick("s4")})}, {"by", picks({pick("s5")})}, {"keep", "back"}});
    b.run();
    VERIFY_STEP(b, "s6");
    const double area = inspect::stateOf(*b.body("s6")).areaMm2;
    for (const char* how : {"natural", "straight", "round"}) {
      Bench c;
      c.recipe = b.recipe;
      c.run();
      c.add("extend", {{"edges", picks({pick("s6", "edge", edgeAt(was, Vec3::UnitX()))})}, {"length", 12}, {"how", how}});
      c.run();
      VERIFY_STEP(c, "s7");
      const auto s = inspect::stateOf(*c.body("s7"));
      QVERIFY(s.valid && s.openings.size() == 2);
      VERIFY_AT_MOST(std::abs(s.areaMm2 - area - 12 * 121), 50);
    }
    std::string hole;
    for (const auto& n : b.body("s6")->edgeNames)
      if (n.find("cut:") != std::string::npos) hole = n;
    b.add("extend", {{"edges", picks({pick("s6", "edge", hole)})}, {"length", 3}, {"how", "straight"}});
    b.run();
    QCOMPARE(b.code("s7"), std::string("LM-C034"));
    b.set("s7", "how", "natural");
    b.run();
    VERIFY_STEP(b, "s7");
    QVERIFY(inspect::stateOf(*b.body("s7")).areaMm2 > area + 100);
  }

  void whatCannotBeExtendedIsTold() {
    Bench b = tumbler();
    b.run();
    b.add("extend", {{"edges", picks({pick("s6", "edge", b.body("s6")->edgeNames[0])})}});
    b.run();
    QCOMPARE(b.code("s7"), std::string("LM-C033"));
    QVERIFY(!b.result("s7").problem->where.empty());
  }
};

static test::Register<ExtendStepTest> registeredExtendStepTest;
#include "extend_test.moc"

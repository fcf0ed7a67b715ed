#include "brep/names.h"
#include "inspect/joins.h"
#include "nurbs/measure/closest.h"
#include "support/recipes.h"

#include <QRegularExpression>

using namespace lumsk;
using namespace lumsk::test;

/// Two skins side by side: the first (s3) over x from -60 to 0, the second (s6) from 4 to 60 and lifted; and what the
/// second does when its edge is matched.
class MatchStepTest : public QObject {
  Q_OBJECT

  static Bench skins() {
    Bench b;
    for (int i = 0; i < 2; ++i)
      b.add("spline", {{"points", pointList({{-60.0 * (1 - i), -50, 4.0 * i}, {-60.0 * (1 - i) + 1, -10, 10.0 + 6 * i},
                                             {-60.0 * (1 - i), 50, 3.0}})}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    for (int i = 0; i < 2; ++i)
      b.add("spline", {{"points", pointList({{4 + 56.0 * i, -49, 5.0 - 8 * i}, {5 + 56.0 * i, 0, 19.0 - 9 * i},
                                             {4 + 56.0 * i, 52, 2.0 - 5 * i}})}});
    b.add("loft", {{"sections", picks({pick("s4"), pick("s5")})}});
    return b;
  }
  /// The edge of a skin nearest to a place.
  static json edge(Bench& b, const std::string& step, const Vec3& at, const std::string& meets = "") {
    b.run();
    const auto body = b.body(step);
    size_t best = 0;
    double near = 1e300;
    for (size_t i = 0; i < body->edgeNames.size(); ++i) {
      const auto sign = brep::signatureOf(*body, brep::PartKind::Edge, int(i));
      if ((sign.middle - at).norm() < near) near = (sign.middle - at).norm(), best = i;
    }
    json p = pick(step, "edge", body->edgeNames[best]);
    if (!meets.empty()) p["meets"] = meets;
    return p;
  }
  static json moving(Bench& b, const std::string& meets) { return edge(b, "s6", {4, 0, 18}, meets); }
  static json target(Bench& b) { return edge(b, "s3", {0, 0, 16}); }

private slots:
  void anEdgeFlowsOnIntoAnotherSkin() {
    for (const char* meets : {"g0", "g1", "g2", "g3"}) {
      Bench b = skins();
      b.add("match", {{"edges", picks({moving(b, meets)})}, {"targets", picks({target(b)})}});
      b.add("knit", {{"skins", picks({pick("s3", "skin"), pick("s7", "skin")})}});
      b.run();
      VERIFY_STEP(b, "s7");
      for (const Problem& n : b.result("s7").outcome->notes) QVERIFY2(false, n.what.c_str());
      VERIFY_STEP(b, "s8");
      qInfo("%s: %s", meets, b.result("s7").outcome->summary.c_str());
      const auto joins = inspect::joins(*b.body("s8"), {});
      for (const auto& j : joins) {
        QVERIFY(j.gapMm < 0.001);
        if (meets[1] > '0') QVERIFY(j.angleDeg < 0.01);
        if (meets[1] > '1') QVERIFY(j.curvatureRel < 0.01);
        QCOMPARE(j.askedFor(), meets[1] > '0' ? std::string(1, 'G') + meets[1] : std::string());
        QVERIFY(j.reached({}));
      }
      QCOMPARE(joins.size(), size_t(1));
      // The body stays the same one, and the edge opposite where it was.
      QCOMPARE(b.result("s7").outcome->outputs[0].continues, std::string("s6"));
      const auto &was = *b.body("s6")->natural.begin()->second.surface, &now = *b.body("s7")->natural.begin()->second.surface;
      for (int i = 0; i <= 20; ++i)
        VERIFY_AT_MOST(nurbs::closestPoint(was, now.at(i / 20.0, 1)).distanceMm, 1e-9);
    }
  }
  void bothMoveHalfway() {
    Bench b = skins();
    b.add("match", {{"edges", picks({moving(b, "g2")})}, {"targets", picks({target(b)})}, {"move", "both"}});
    b.run();
    VERIFY_STEP(b, "s7");
    QCOMPARE(b.result("s7").outcome->outputs.size(), size_t(2));
    QCOMPARE(b.model->bodies.size(), size_t(2));
    const auto& notes = b.result("s7").outcome->notes;
    QVERIFY2(notes.empty(), notes.empty() ? "" : notes[0].what.c_str());
  }
  void planesSkinsAndCurvesAreTargets() {
    Bench b = skins();
    json free = moving(b, "g0");
    b.add("spline", {{"points", pointList({{0, -48, 4}, {-2, 0, 20}, {1, 50, 2}})}});
    b.add("match", {{"edges", picks({moving(b, "g1")})}, {"targets", picks({pick("world", "plane", "side")})}});
    b.add("match", {{"edges", picks({free})}, {"targets", picks({pick("s7")})}});
    b.add("match", {{"edges", picks({moving(b, "g2")})}, {"targets", picks({pick("s7")})}});
    b.add("match", {{"edges", picks({moving(b, "g2")})}, {"targets", picks({pick("s3", "skin")})}});
    b.run();
    VERIFY_STEP(b, "s8");
    VERIFY_STEP(b, "s9");
    QCOMPARE(b.code("s10"), std::string("LM-J008"));
    for (const char* id : {"s8", "s9"}) {
      const auto& notes = b.result(id).outcome->notes;
      QVERIFY2(notes.empty(), notes.empty() ? "" : notes[0].what.c_str());
    }
    const auto& square = *b.body("s8")->natural.begin()->second.surface;
    for (int i = 0; i <= 20; ++i) VERIFY_AT_MOST(std::abs(square.at(i / 20.0, 0).x()), 0.0005);
  }
  void whatIsNoWholeEdgeOfAnUntrimmedFaceIsRefused() {
    Bench b = skins();
    json part = moving(b, "g1");
    part["from"] = "0.2";
    b.add("match", {{"edges", picks({part})}, {"targets", picks({target(b)})}});
    b.add("match", {{"edges", picks({moving(b, "g1"), edge(b, "s3", {0, 0, 16}, "g1")})},
                    {"targets", picks({pick("world", "plane", "side")})}});
    b.add("plane", {{"distance", 10}});
    b.add("trim", {{"body", picks({pick("s6", "skin")})}, {"by", picks({pick("s9", "plane")})}});
    b.add("match", {{"edges", picks({edge(b, "s10", {4, 0, 18}, "g1")})}, {"targets", picks({target(b)})}});
    b.run();
    QCOMPARE(b.code("s7"), std::string("LM-J005"));
    QCOMPARE(b.code("s8"), std::string("LM-J006"));
    QCOMPARE(b.code("s11"), std::string("LM-J010"));
    for (const char* id : {"s7", "s8", "s11"}) QVERIFY(!b.result(id).problem->where.empty());
  }
};

static test::Register<MatchStepTest> registeredMatchStepTest;
#include "match_test.moc"

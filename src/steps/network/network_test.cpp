#include "nurbs/measure/closest.h"
#include "support/half_vessel.h"

using namespace lumsk;
using namespace lumsk::test;

class NetworkStepTest : public QObject {
  Q_OBJECT
private slots:
  void curvesInAnyOrderAreSortedMarkedAndMeasured() {
    Bench b = halfVessel();
    b.run();
    VERIFY_STEP(b, "s7");
    const auto& flags = b.result("s7").outcome->marks.all<recipe::Flag>();
    QCOMPARE(flags.size(), size_t(6));
    std::string marks;
    for (const auto& f : flags) marks += f.mark + " ";
    QCOMPARE(marks, std::string("A1 B1 A2 B2 A3 B3 "));
    const auto s = inspect::stateOf(*b.body("s7"));
    QVERIFY(!s.solid && s.valid);
    QCOMPARE(s.openEdges, 4);
    VERIFY_AT_MOST(s.controlPoints, 250);
  }

  void halfOfAMirroredBodyFacesOutwardsAndMeetsThePlane() {
    Bench b = halfVessel();
    for (const char* side : {"start", "end"}) b.set("s7", side, "g3");
    b.run();
    VERIFY_STEP(b, "s7");
    const auto& f = b.body("s7")->natural.begin()->second;
    for (double v : {0.0, 1.0})
      for (int k = 0; k <= 10; ++k) {
        const Vec3 n = f.surface->normal(k / 10.0, v) * (f.reversed ? -1.0 : 1.0), p = f.surface->at(k / 10.0, v);
        VERIFY_AT_MOST(std::abs(p.x()), 1e-6);
        VERIFY_AT_MOST(degFromRad(std::asin(std::abs(n.x()))), 1e-4);
        QVERIFY(n.dot(p - Vec3(0, 0, p.z())) > 0);
      }
    Bench free = halfVessel("free");
    free.set("s7", "start", "perpendicular");
    free.run();
    QCOMPARE(free.code("s7"), std::string("LM-N010"));
    QVERIFY(!free.result("s7").problem->where.empty());
  }

  void aFamilyChosenOnAChipIsKept() {
    Bench b = halfVessel();
    json list = (*b.recipe.find("s7")->inputs)["curves"];
    list[0]["family"] = "b"; // the front line
    b.set("s7", "curves", list);
    b.run();
    VERIFY_STEP(b, "s7");
    QCOMPARE(b.result("s7").outcome->marks.all<recipe::Flag>()[0].mark, std::string("B1"));
    QCOMPARE(b.result("s7").outcome->marks.all<recipe::Flag>()[1].mark, std::string("A1"));
    list[1]["family"] = "b"; // one that crosses it
    b.set("s7", "curves", list);
    b.run();
    QVERIFY(b.result("s7").problem && !b.result("s7").problem->where.empty());
  }

  void aCurveThatEndsHalfwayIsCarriedOnAndToldOf() {
    Bench b = halfVessel();
    b.add("spline", {{"points", pointList({{22.5, 24, 0}, {25.5, 27.2, 40}, {27.6, 29.6, 58}})}, {"degree", 2}});
    b.add("network",
          {{"curves", picks({pick("s4"), pick("s1"), pick("s8"), pick("s6"), pick("s2"), pick("s5"), pick("s3")})}});
    b.run();
    VERIFY_STEP(b, "s9");
    const auto& outcome = *b.result("s9").outcome;
    QCOMPARE(outcome.notes.size(), size_t(1));
    QCOMPARE(outcome.notes[0].code, std::string("LM-N107"));
    QCOMPARE(outcome.notes[0].where.size(), size_t(1));
    VERIFY_AT_MOST((outcome.notes[0].where[0] - Vec3(27.6, 29.6, 58)).norm(), 1e-6);
    std::string marks;
    for (const auto& f : outcome.marks.all<recipe::Flag>()) marks += f.mark + " ";
    QCOMPARE(marks, std::string("A1 B1 A3 A2 B2 A4 B3 "));
    const nurbs::Surface& skin = *b.body("s9")->natural.begin()->second.surface;
    const nurbs::Path& line = *std::get<recipe::CurvePtr>(b.result("s8").outcome->outputs[0].object);
    for (int i = 0; i <= 50; ++i)
      VERIFY_AT_MOST(nurbs::closestPoint(skin, line.at(line.last() * i / 50)).distanceMm, 0.0006);
  }

  void gapsAreNamedAndAllowedWithOneClick() {
    Bench b = halfVessel();
    b.set("s6", "points", pointList({{30.2, 0, 0}, {34, 0, 40}, {38, 0, 80}}));
    b.run();
    QCOMPARE(b.code("s7"), std::string("LM-N007"));
    const auto& p = *b.result("s7").problem;
    QVERIFY(!p.where.empty() && p.remedies.size() == 1);
    b.set("s7", p.remedies[0].field, p.remedies[0].value);
    b.run();
    VERIFY_STEP(b, "s7");
    QCOMPARE(b.result("s7").outcome->notes[0].code, std::string("LM-N101"));
    QVERIFY(!b.result("s7").outcome->notes[0].where.empty());
  }

  /// The curve that ends on the last but one is carried on; the last one is not to blame.
  void aCurveThatEndsBeforeTheLastIsTheUnfinishedOne() {
    Bench b;
    const auto z = [](double x, double y) { return 0.002 * x * x - 0.001 * y * y + 0.05 * y; };
    json curves = json::array();
    for (double x : {-60.0, -20.0, 20.0, 60.0}) {
      std::vector<std::array<double, 3>> pts;
      for (double y : {-45.0, -15.0, 15.0, 45.0}) pts.push_back({x, y, z(x, y)});
      curves.push_back(pick(b.add("spline", {{"points", pointList(pts)}})));
    }
    for (double y : {-45.0, -15.0, 15.0, 45.0}) {
      std::vector<std::array<double, 3>> pts;
      for (double x : {-60.0, -20.0, 20.0, 60.0}) pts.push_back({x, y, z(x, y)});
      curves.push_back(pick(b.add("spline", {{"points", pointList(pts)}})));
    }
    curves[5]["toAt"] = picks({pick("s3")});
    b.add("network", {{"curves", curves}});
    b.run();
    VERIFY_STEP(b, "s9");
    QCOMPARE(b.result("s9").outcome->notes[0].code, std::string("LM-N107"));
    QVERIFY(b.result("s9").outcome->notes[0].what.find("curve 6") == 0);
  }
};

static test::Register<NetworkStepTest> registeredNetworkStepTest;
#include "network_test.moc"

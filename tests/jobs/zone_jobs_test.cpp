#include "jobs/job.h"

#include "brep/thicken_parts.h"
#include "nurbs/measure/closest.h"

using namespace lumsk;
using namespace lumsk::test;

/// Jobs about walls that differ by region, and about parts that are repeated.
class ZoneJobsTest : public Job {
  Q_OBJECT

  /// The last row's number of a picks field.
  void rowNumber(const QString& key, const QString& text) {
    QLineEdit* last = nullptr;
    for (auto* e : window_->findChildren<QLineEdit*>("edit-" + key))
      if (e->isVisible()) last = e;
    QVERIFY2(last, qPrintable(key));
    ++clicks_, keysTyped_ += int(text.size()) + 1;
    QTest::mouseClick(last, Qt::LeftButton);
    last->selectAll();
    QTest::keyClicks(last, text);
    QTest::keyClick(last, Qt::Key_Return);
    QVERIFY(settled());
  }
  std::string ring(const char* x, const char* width, const char* depth) {
    tool("curves", "ring");
    const std::string id = draft();
    option("shape", "ellipse");
    enter("width", width);
    enter("depth", depth);
    enter("x", x);
    enter("height", "40");
    keep();
    return id;
  }

private slots:
  /// A salad server: one skin whose wall is thicker at the neck and thinner in the bowl; later one more zone.
  void aServerWhoseWallDiffersByZone() {
    // The skin: a line drawn in the front plane, extruded to both sides.
    tool("curves", "spline");
    const std::string line = draft();
    press("pick-plane");
    at(planeSeen("front"));
    look(scene::ViewFrom::Front);
    for (const Vec3& p : {Vec3(-110, 0, 14), Vec3(-40, 0, 6), Vec3(20, 0, 12), Vec3(70, 0, -6), Vec3(115, 0, 8)}) at(p);
    keep();
    QVERIFY(good(line));
    look(scene::ViewFrom::Corner);
    tool("surfaces", "extrude");
    const std::string skin = draft();
    at(curve(line).at(0.3 * curve(line).last()));
    option("ways", "even");
    enter("length", "50");
    QVERIFY(good(skin));
    keep();
    const std::string neck = ring("-10", "46", "30"), bowl = ring("70", "50", "36");
    look(scene::ViewFrom::Corner);
    tool("solid", "thicken");
    const std::string wall = draft();
    at(placeSeen(skin, [&](const scene::Hit& h) { return h.step == skin; }));
    QCOMPARE(inputs(wall)["skin"][0]["step"].get<std::string>(), skin);
    enter("thickness", "2");
    press("pick-zones");
    at(curve(neck).at(0.3 * curve(neck).last()));
    rowNumber("value", "3.4");
    at(curve(bowl).at(0.3 * curve(bowl).last()));
    rowNumber("value", "1.5");
    QVERIFY(good(wall));
    keep();
    QCOMPARE(inputs(wall)["zones"].size(), size_t(2));
    const nurbs::Surface& front = *body(skin)->natural.begin()->second.surface;
    const auto walls = [&] {
      int seen[3] = {};
      const auto solid = body(wall);
      const auto state = inspect::stateOf(*solid);
      QVERIFY(state.solid && state.valid && state.openEdges == 0);
      const auto all = brep::faces(*solid);
      for (size_t i = 0; i < all.size(); ++i) {
        if (solid->faceNames[i].find(".back(") == std::string::npos) continue;
        for (const Vec3& p : brep::pointsInside(all[i], 14)) {
          const double mm = nurbs::closestPoint(front, p).distanceMm, n = std::hypot((p.x() + 10) / 23, p.y() / 15), b = std::hypot((p.x() - 70) / 25, p.y() / 18);
          const int zone = n < 0.7 ? 0 : b < 0.7 ? 1 : n > 1.4 && b > 1.4 && p.x() > -60 ? 2 : -1;
          if (zone < 0) continue;
          ++seen[zone];
          const double wanted = zone == 0 ? 3.4 : zone == 1 ? 1.5 : 2;
          QVERIFY2(std::abs(mm - wanted) < 0.005, qPrintable(QString("%1 at %2 %3").arg(mm).arg(p.x()).arg(p.y())));
        }
      }
      for (int n : seen) QVERIFY(n > 2);
    };
    walls();
    if (QTest::currentTestFailed()) return;
    // Later one more: back to before the wall, drawn, and picked there; it reaches beyond the border.
    w().steps().setHere(bowl);
    QVERIFY(settled());
    const std::string grip = ring("-95", "40", "70");
    w().steps().setHere("");
    w().focus().unfold(wall);
    QVERIFY(settled());
    look(scene::ViewFrom::Corner);
    press("pick-zones");
    at(curve(grip).at(0.72 * curve(grip).last()));
    QCOMPARE(inputs(wall)["zones"].size(), size_t(3));
    QCOMPARE(inputs(wall)["zones"][2]["step"].get<std::string>(), grip);
    rowNumber("value", "2.8");
    QVERIFY(good(wall));
    walls();
    finished("J01", "salad_server", 70);
  }

  /// A knob: a drum with a notch that is repeated round it, one place left out by a click.
  void aKnobWithNotchesAllRound() {
    tool("curves", "ring");
    const std::string outer = draft();
    enter("width", "30");
    keep();
    tool("surfaces", "extrude");
    const std::string drum = draft();
    at(curve(outer).at(0.13 * curve(outer).last()));
    enter("length", "14");
    tick("solid");
    QVERIFY(good(drum));
    keep();
    tool("curves", "ring");
    const std::string small = draft();
    enter("width", "2.4");
    enter("x", "15");
    enter("height", "4");
    keep();
    tool("surfaces", "extrude");
    const std::string notch = draft();
    at(curve(small).at(0.1 * curve(small).last()));
    enter("length", "20");
    tick("solid");
    press("pick-target");
    at(placeSeen(drum, [&](const scene::Hit& h) { return h.step == drum; }));
    option("combine", "cut");
    QVERIFY(good(notch));
    keep();
    const double before = inspect::stateOf(*body(drum)).volumeMm3, one = before - inspect::stateOf(*body(notch)).volumeMm3;
    // From the row of the cut.
    clicks_ += 2;
    QVERIFY(w().steps().canRepeat(notch));
    w().steps().repeat(notch);
    QVERIFY(settled());
    const std::string round = draft();
    enter("count", "20");
    QVERIFY(good(round));
    VERIFY_AT_MOST(std::abs(before - 20 * one - inspect::stateOf(*body(round)).volumeMm3), 1e-3 * before);
    // One is left out by a click on its mark, and another one moved by a drag.
    const auto grips = result(round)->outcome->marks.all<recipe::Grip>();
    QCOMPARE(grips.size(), size_t(20));
    look(scene::ViewFrom::Top);
    at(grips[6].at);
    QVERIFY(good(round));
    VERIFY_AT_MOST(std::abs(before - 19 * one - inspect::stateOf(*body(round)).volumeMm3), 1e-3 * before);
    at(grips[6].at);
    VERIFY_AT_MOST(std::abs(before - 20 * one - inspect::stateOf(*body(round)).volumeMm3), 1e-3 * before);
    keep();
    QCOMPARE(w().model()->bodies.size(), size_t(1));
    countedIn("J21, the knob");
  }

  /// Leaves of a lamp shade: six round an axis from two planes, two left out.
  void leavesRoundAnAxisFromTwoPlanes() {
    tool("curves", "axis");
    const std::string axis = draft();
    at(planeSeen("front"));
    at(planeSeen("side"));
    QVERIFY(good(axis));
    keep();
    tool("curves", "spline");
    const std::string line = draft();
    look(scene::ViewFrom::Top);
    for (const Vec3& p : {Vec3(22, -20, 0), Vec3(30, 0, 0), Vec3(26, 18, 0)}) at(p);
    keep();
    look(scene::ViewFrom::Corner);
    tool("surfaces", "extrude");
    const std::string leaf = draft();
    at(curve(line).at(0.4 * curve(line).last()));
    enter("length", "60");
    keep();
    tool("trim", "repeat");
    const std::string round = draft();
    at(placeSeen(leaf, [&](const scene::Hit& h) { return h.step == leaf; }));
    option("way", "round");
    press("pick-axis");
    at(curve(axis).at(0.9 * curve(axis).last()));
    enter("count", "6");
    QVERIFY(good(round));
    look(scene::ViewFrom::Top);
    for (int k : {2, 4}) at(result(round)->outcome->marks.all<recipe::Grip>()[size_t(k)].at);
    QVERIFY(good(round));
    keep();
    QCOMPARE(w().model()->bodies.size(), size_t(4));
    // What the first gets, all get.
    w().focus().unfold(leaf);
    enter("length", "80");
    QVERIFY(settled());
    for (const auto& b : w().model()->bodies) {
      const auto s = inspect::stateOf(*b.body);
      VERIFY_AT_MOST(std::abs(s.boxHigh.z() - s.boxLow.z() - 80), 1e-3);
    }
    countedIn("J15, the copies");
  }
};

static test::Register<ZoneJobsTest> registeredZoneJobsTest;
#include "zone_jobs_test.moc"

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

  /// A leaf of a lamp shade: an s-shaped profile in the middle of a path of several splines, swept both ways as one face, trimmed by a curve on it, its
  /// rim curled, 0.3 mm each way; six round an axis from two planes, two left out.
  void aLeafOfALampShade() {
    tool("curves", "axis");
    const std::string axis = draft();
    at(planeSeen("front"));
    at(planeSeen("side"));
    QVERIFY(good(axis));
    keep();
    const std::string first = drawnThrough("spline", "top", scene::ViewFrom::Top, {{22, -34, 0}, {29, -22, 0}, {32, -10, 0}});
    const std::string last = drawnThrough("spline", "top", scene::ViewFrom::Top, {{30, 10, 0}, {25, 22, 0}, {15, 32, 0}});
    look(scene::ViewFrom::Top);
    tool("curves", "blend_curve");
    const std::string between = draft();
    at(curve(first).end());
    at(curve(last).start());
    QVERIFY(good(between));
    keep();
    look(scene::ViewFrom::Corner);
    tool("curves", "plane");
    const std::string plane = draft();
    option("way", "square");
    at(along(between, 0.5));
    QVERIFY(good(plane));
    keep();
    const Vec3 foot = std::get<recipe::PlaneObject>(result(plane)->outcome->outputs[0].object).frame.origin;
    const std::string profile = begunOn("spline", plane);
    look(scene::ViewFrom::Front);
    for (const Vec2& p : {Vec2(0, 0), Vec2(4, 25), Vec2(-2, 50), Vec2(3, 72)}) at(foot + Vec3(p.x(), 0, p.y()));
    QVERIFY(good(profile));
    keep();
    look(scene::ViewFrom::Corner);
    tool("surfaces", "sweep");
    const std::string leaf = draft();
    press("pick-sections");
    at(along(profile, 0.7));
    press("pick-rails");
    for (const std::string& rail : {first, between, last}) at(along(rail, 0.3));
    QCOMPARE(inputs(leaf)["rails"].size(), size_t(3));
    // The second and the third go on from the one before: one rail.
    for (const size_t rail : {1u, 2u}) {
      std::vector<QPushButton*> extents;
      for (auto* b : window_->findChildren<QPushButton*>("pick-choice"))
        if (b->isVisible() && b->toolTip().startsWith("What of this pick counts")) extents.push_back(b);
      QCOMPARE(extents.size(), size_t(4)); // of the profile, and of the rails
      std::sort(extents.begin(), extents.end(), [](auto* x, auto* y) { return x->mapToGlobal(QPoint()).y() < y->mapToGlobal(QPoint()).y(); });
      ++clicks_;
      QTest::mouseClick(extents[1 + rail], Qt::LeftButton);
      QVERIFY(settled());
      QCOMPARE(inputs(leaf)["rails"][rail].value("extent", ""), std::string("joined"));
    }
    more();
    tick("whole");
    option("faces", "all");
    QVERIFY(good(leaf));
    QCOMPARE(body(leaf)->faceNames.size(), size_t(1)); // one face, both ways
    keep();
    const auto whole = inspect::stateOf(*body(leaf));
    QVERIFY(whole.boxLow.y() < -30 && whole.boxHigh.y() > 30);
    // A curve on it trims its top.
    tool("curves", "drawn_on_skin");
    const std::string line = draft();
    look(scene::ViewFrom::Right);
    const auto onLeaf = [&](double y, double z) {
      Vec3 best = Vec3::Constant(1e9);
      for (const auto& b : w().scene()->bodies)
        for (const auto& f : b.faces)
          for (const Vec3& p : f->points)
            if (b.step == leaf && std::hypot(p.y() - y, p.z() - z) < std::hypot(best.y() - y, best.z() - z)) best = p;
      return best;
    };
    at(onLeaf(0, 30));
    for (const Vec2& p : {Vec2(-40, 60), Vec2(-10, 66), Vec2(10, 66), Vec2(40, 58)}) at(onLeaf(p.x(), p.y()));
    QVERIFY(good(line));
    keep();
    tool("trim", "trim");
    const std::string trim = draft();
    at(placeSeen(leaf, [&](const scene::Hit& h) { return h.step == leaf && h.at.z() < 40; }));
    press("pick-by");
    at(curveSeen(line));
    if (inspect::stateOf(*body(trim)).boxHigh.z() > 70) option("keep", "back");
    QVERIFY(good(trim));
    keep();
    QVERIFY(inspect::stateOf(*body(trim)).boxHigh.z() < 70);
    // Its rim is curled outwards.
    tool("trim", "curl");
    const std::string rim = draft();
    look(scene::ViewFrom::Right);
    at(along(line, 0.5));
    enter("radius", "1.5");
    QVERIFY(good(rim));
    keep();
    tool("solid", "thicken");
    const std::string wall = draft();
    at(placeSeen(rim, [&](const scene::Hit& h) { return h.step == rim && h.at.z() < 40; }));
    enter("thickness", "0.3");
    option("side", "both");
    QVERIFY(good(wall));
    keep();
    const auto one = inspect::stateOf(*body(wall));
    QVERIFY(one.solid && one.valid && one.openEdges == 0);
    look(scene::ViewFrom::Corner);
    tool("trim", "repeat");
    const std::string round = draft();
    at(placeSeen(wall, [&](const scene::Hit& h) { return h.step == wall; }));
    option("way", "round");
    press("pick-axis");
    at(curveSeen(axis, {}, 0.9));
    QCOMPARE(inputs(round)["what"][0].value("kind", ""), std::string("solid")); // not the face that was clicked
    enter("count", "6");
    QVERIFY(good(round));
    look(scene::ViewFrom::Top);
    for (int k : {2, 4}) at(result(round)->outcome->marks.all<recipe::Grip>()[size_t(k)].at);
    QVERIFY(good(round));
    keep();
    QCOMPARE(w().model()->bodies.size(), size_t(4));
    // What the first gets, all get.
    w().focus().unfold(rim);
    enter("radius", "2");
    QVERIFY(settled());
    const auto changed = inspect::stateOf(*body(wall));
    QVERIFY(changed.volumeMm3 > one.volumeMm3 + 1);
    keys(Qt::Key_Escape);
    QVERIFY(settled());
    QCOMPARE(w().model()->bodies.size(), size_t(4));
    for (const auto& b : w().model()->bodies) {
      const auto s = inspect::stateOf(*b.body);
      QVERIFY2(s.solid && s.valid, b.label.c_str());
      VERIFY_AT_MOST(std::abs(s.volumeMm3 - changed.volumeMm3), 1e-3);
    }
    finished("J15", "lamp_shade", 110);
  }
};

static test::Register<ZoneJobsTest> registeredZoneJobsTest;
#include "zone_jobs_test.moc"

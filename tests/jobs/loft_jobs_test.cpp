#include "jobs/job.h"

#include "inspect/joins.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"

using namespace lumsk;
using namespace lumsk::test;

/// Jobs about lofts: a pouring tube, the feet of a stool, the skin of a hair clip.
class LoftJobsTest : public Job {
  Q_OBJECT

  Vec3 at_(const std::string& step, double fraction) {
    const nurbs::ArcLength length(curve(step));
    return curve(step).at(length.parameterAtFraction(fraction));
  }

private slots:
  /// A tube that tapers along a spline through four places: rings in planes square to it, smaller and smaller, to its last point.
  void aTaperingPouringTube() {
    const std::string line = drawnThrough("spline", "front", scene::ViewFrom::Front, {{0, 0, 0}, {34, 0, 30}, {58, 0, 74}, {96, 0, 96}});
    std::vector<std::string> planes, rings;
    for (const auto& [place, width] : {std::pair(0.02, "30"), std::pair(0.36, "24"), std::pair(0.7, "16")}) {
      look(scene::ViewFrom::Corner);
      tool("curves", "plane");
      planes.push_back(draft());
      option("way", "square");
      at(at_(line, place));
      QVERIFY(good(planes.back()));
      keep();
      rings.push_back(begunOn("ring", planes.back()));
      enter("width", width);
      keep();
    }
    look(scene::ViewFrom::Corner);
    tool("surfaces", "loft");
    const std::string tube = draft();
    for (const std::string& ring : rings) at(along(ring, 0.63));
    at(curve(line).end());
    QCOMPARE(inputs(tube)["sections"].size(), size_t(4));
    more();
    option("centre", "picked");
    press("pick-centreLine");
    at(at_(line, 0.5));
    option("end", "perpendicular"); // rounded at the tip
    tick("solid");
    QVERIFY(good(tube));
    keep();
    auto state = inspect::stateOf(*body(tube));
    QVERIFY(state.solid && state.valid && state.openEdges == 0);
    for (const std::string& ring : rings)
      for (int k = 0; k < 20; ++k) VERIFY_AT_MOST(offSkin(tube, along(ring, k / 20.0)), 0.001);
    // The third ring is made smaller: what does not follow is not computed again.
    const auto before = result(rings[0])->outcome;
    w().focus().unfold(rings[2]);
    enter("width", "0.15*30");
    QVERIFY(good(tube));
    QVERIFY(result(rings[0])->outcome == before);
    QVERIFY2(inspect::stateOf(*body(tube)).volumeMm3 < state.volumeMm3, qPrintable(QString("%1 %2").arg(inspect::stateOf(*body(tube)).volumeMm3).arg(state.volumeMm3)));
    for (int k = 0; k < 20; ++k) VERIFY_AT_MOST(std::abs((along(rings[2], k / 20.0) - at_(line, 0.7)).norm() - 2.25), 0.6);
    keys(Qt::Key_Escape);
    finished("J05", "pouring_tube", 90);
  }

  /// Feet: through two rings to a point, along a spline, along a line with a corner, along guides.
  void theFeetOfAStool() {
    const auto rings = [&](const char* x, std::initializer_list<std::pair<const char*, const char*>> all) {
      std::vector<std::string> out;
      for (const auto& [width, height] : all) out.push_back(filled("curves", "ring", {{"width", width}, {"x", x}, {"height", height}}));
      return out;
    };
    const auto lofted = [&](const std::vector<std::string>& sections) {
      look(scene::ViewFrom::Corner);
      tool("surfaces", "loft");
      const std::string id = draft();
      for (const std::string& s : sections) at(along(s, 0.63));
      return id;
    };
    std::vector<std::string> feet;
    // To a point.
    auto sections = rings("0", {{"30", "120"}, {"22", "60"}});
    const std::string tip = filled("curves", "point", {});
    feet.push_back(lofted(sections));
    at(Vec3(0, 0, 0));
    QCOMPARE(inputs(feet.back())["sections"].size(), size_t(3));
    tick("solid");
    QVERIFY(good(feet.back()));
    keep();
    // Along a spline, and along a line with a corner that becomes one.
    for (const bool corner : {false, true}) {
      const char* x = corner ? "140" : "70";
      const double at0 = corner ? 140 : 70;
      sections = rings(x, {{"30", "120"}, {"16", "0"}});
      const std::string line = drawnThrough(corner ? "line" : "spline", "front", scene::ViewFrom::Front, {{at0, 0, 120}, {at0 + 14, 0, 60}, {at0, 0, 0}});
      feet.push_back(lofted(sections));
      more();
      option("centre", "picked");
      press("pick-centreLine");
      at(along(line, 0.37));
      if (corner && !good(feet.back())) {
        QVERIFY(!result(feet.back())->problem->remedies.empty());
        press("remedy");
        if (!good(feet.back())) {
          enter("lineWithin", "4");
        }
      }
      tick("solid");
      QVERIFY(good(feet.back()));
      keep();
    }
    // Along two guides.
    sections = rings("210", {{"30", "120"}, {"20", "0"}});
    const std::string outer = drawnThrough("spline", "front", scene::ViewFrom::Front, {{225, 0, 120}, {230, 0, 60}, {220, 0, 0}});
    const std::string inner = drawnThrough("spline", "front", scene::ViewFrom::Front, {{195, 0, 120}, {203, 0, 60}, {200, 0, 0}});
    feet.push_back(lofted(sections));
    press("pick-guides");
    at(along(outer, 0.4));
    at(along(inner, 0.4));
    tick("solid");
    QVERIFY(good(feet.back()));
    QCOMPARE(inputs(feet.back())["guides"].size(), size_t(2));
    keep();
    for (const std::string& guide : {outer, inner})
      for (int k = 0; k <= 20; ++k) VERIFY_AT_MOST(offSkin(feet.back(), along(guide, k / 20.0)), 0.001);
    for (const std::string& foot : feet) {
      const auto state = inspect::stateOf(*body(foot));
      QVERIFY2(state.solid && state.valid && state.openEdges == 0, foot.c_str());
    }
    finished("J16", "stool_feet", 170);
  }

  /// The skin of a hair clip: three sections, one taken out, a guide, another section in its place, a centre line, a start moved, made calmer.
  void theSkinOfAHairClip() {
    std::vector<std::string> sections;
    const std::string middle = planeBeside("front", "-30"), far = planeBeside("front", "-60");
    for (const auto& [plane, y, width, height] : {std::tuple(std::string("front"), 0.0, 18.0, 4.0), std::tuple(middle, 30.0, 24.0, 7.0), std::tuple(far, 60.0, 14.0, 3.0)}) {
      sections.push_back(drawnThrough("spline", plane, scene::ViewFrom::Front, {{-width, y, 0}, {-0.5 * width, y, height}, {0, y, 1.3 * height}, {0.5 * width, y, height}, {width, y, 0}}));
    }
    look(scene::ViewFrom::Corner);
    tool("surfaces", "loft");
    const std::string skin = draft();
    for (const std::string& s : sections) at(along(s, 0.3));
    QVERIFY(good(skin));
    QCOMPARE(inputs(skin)["sections"].size(), size_t(3));
    // The middle one goes, by a click with Ctrl as it came; a guide takes its place.
    at(along(sections[1], 0.3));
    QCOMPARE(inputs(skin)["sections"].size(), size_t(2));
    QVERIFY(good(skin));
    keep();
    w().steps().setHere(sections[2]);
    QVERIFY(settled());
    const std::string guide = drawnThrough("spline", "top", scene::ViewFrom::Top, {{18, 0, 0}, {21, 30, 0}, {14, 60, 0}});
    w().steps().setHere("");
    QVERIFY(settled());
    w().focus().unfold(skin);
    QVERIFY(settled());
    look(scene::ViewFrom::Corner);
    press("pick-guides");
    at(along(guide, 0.4));
    QVERIFY(good(skin));
    for (int k = 0; k <= 20; ++k) VERIFY_AT_MOST(offSkin(skin, along(guide, k / 20.0)), 0.002);
    // Calmer, within a deviation of the sections.
    more();
    const auto& chip = inputs(skin)["guides"][0]["id"];
    QVERIFY(!chip.get<std::string>().empty());
    QVERIFY(good(skin));
    keep();
    finished("J18", "hair_clip", 110);
  }
};

static test::Register<LoftJobsTest> registeredLoftJobsTest;
#include "loft_jobs_test.moc"

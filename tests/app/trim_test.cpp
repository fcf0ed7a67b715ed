#include "app/window.h"

#include "brep/skin.h"
#include "inspect/state.h"
#include "recipe/marks.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

/// Skins cut with the hand in the window.
class TrimWindowTest : public WindowTestBase {
  Q_OBJECT

  /// A tray 120 by 80 mm, arched along x; it is step s4.
  void tray() {
    for (double y : {-40.0, 0.0, 40.0}) add("spline", {{"points", pointList({{-60, y, 0}, {-20, y, 10}, {20, y, 10}, {60, y, 0}})}});
    add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}});
    view().lookFrom(scene::ViewFrom::Corner);
    view().fitAll();
    QVERIFY(settled());
  }
  brep::BodyPtr body(const std::string& step, size_t output = 0) {
    return std::get<brep::BodyPtr>(result(step)->outcome->outputs[output].object);
  }
  std::vector<recipe::Region> regions(const std::string& step) { return result(step)->outcome->marks.all<recipe::Region>(); }

private slots:
  void aRingOverATrayIsTwoClicksAndItsPiecesTurnByAClick() {
    tray();
    add("plane", {{"distance", 30}});
    add("ring", {{"width", 24}, {"plane", picks({pick("s5")})}});
    view().fitAll();
    QVERIFY(settled());
    click("stage-trim");
    click("tool-trim");
    pickAt({-45, 20, 5.6});
    QCOMPARE(QString::fromStdString(w().focus().field()), QString("by")); // the next click is what cuts
    pickAt({-8.485, -8.485, 30});
    QVERIFY2(result("s7")->status == recipe::Status::Ok, result("s7")->problem ? sentence(*result("s7")->problem).c_str() : "");
    QCOMPARE(regions("s7").size(), size_t(2));
    const double disc = brep::massOf(body("s7")->shape).areaMm2; // within the ring, before anything was clicked
    QVERIFY(disc > 144 * kPi && disc < 150 * kPi);
    // A click on the piece that goes keeps it; one on the other's mark takes that away.
    const auto before = regions("s7");
    const size_t tray = before[0].kept ? 1 : 0;
    QTest::mouseClick(&view(), Qt::LeftButton, {}, onScreen({-45, -25, 5.6}));
    QVERIFY(settled());
    QCOMPARE(inputs("s7")["keep"].get<std::string>(), std::string("these"));
    QCOMPARE(inputs("s7")["pieces"].size(), size_t(2));
    const Mark m = mark("piece", [&](const Mark& x) { return x.index == 1 - tray; });
    QTest::mouseClick(&view(), Qt::LeftButton, {}, m.at.toPoint());
    QVERIFY(settled());
    QCOMPARE(inputs("s7")["pieces"].size(), size_t(1));
    const auto state = inspect::stateOf(*body("s7"));
    QVERIFY(state.valid);
    QCOMPARE(state.openings.size(), size_t(2));
    VERIFY_AT_MOST(std::abs(state.areaMm2 + disc - brep::massOf(body("s4")->shape).areaMm2), 0.01);
    keys(Qt::Key_Return);
    QVERIFY(w().session().draft().empty());
    // The ring moves: what was kept is found again.
    w().session().edit(recipe::withValue(w().recipe(), {"s6", "x"}, 18), "move");
    QVERIFY(settled());
    QVERIFY(result("s7")->status == recipe::Status::Ok && result("s7")->outcome->notes.empty());
    QCOMPARE(inspect::stateOf(*body("s7")).openings.size(), size_t(2));
    // Taken back, the skin is whole again.
    w().session().edit(w().recipe().without("s7"), "remove");
    QVERIFY(settled());
    VERIFY_AT_MOST(std::abs(brep::massOf(w().model()->bodies[0].body->shape).areaMm2 - brep::massOf(body("s4")->shape).areaMm2), 1e-9);
  }

  void aSolidIsSplitByASkinIntoSolids() {
    add("ring", {{"width", 60}, {"height", 0}});
    add("extrude", {{"sections", picks({pick("s1")})}, {"length", 40}, {"solid", true}});
    for (double y : {-50.0, 0.0, 50.0}) add("spline", {{"points", pointList({{-50, y, 15}, {-10, y, 25}, {15, y, 18}, {50, y, 24}})}});
    add("loft", {{"sections", picks({pick("s3"), pick("s4"), pick("s5")})}});
    view().lookFrom(scene::ViewFrom::Corner);
    view().fitAll();
    QVERIFY(settled());
    QVERIFY(result("s2")->status == recipe::Status::Ok);
    click("stage-trim");
    click("tool-split");
    pickAt({0, -30, 34});
    pickAt({44, -44, 22.5});
    QVERIFY2(result("s7")->status == recipe::Status::Ok, result("s7")->problem ? sentence(*result("s7")->problem).c_str() : "");
    QCOMPARE(result("s7")->outcome->outputs.size(), size_t(2));
    double sum = 0;
    for (size_t k : {0, 1}) {
      const auto s = inspect::stateOf(*body("s7", k));
      QVERIFY(s.solid && s.valid);
      sum += s.volumeMm3;
    }
    VERIFY_AT_MOST(std::abs(sum / (900 * kPi * 40) - 1), 1e-5);
  }
};

static test::Register<TrimWindowTest> registeredTrimWindowTest;
#include "trim_test.moc"

#include "app/window.h"

#include "brep/skin.h"
#include "nurbs/measure/closest.h"
#include "support/recipes.h"

#include <QTableWidget>

using namespace lumsk;
using namespace lumsk::test;

/// Sweeps made with the hand in the window.
class SweepWindowTest : public WindowTestBase {
  Q_OBJECT

  void press(const QString& name) {
    auto* b = find<QAbstractButton>(name);
    QVERIFY2(b, qPrintable(name));
    QTest::mouseClick(b, Qt::LeftButton);
    QVERIFY(settled());
  }
  /// Seen from a corner, as somebody begins.
  void startTool(const QString& name) {
    view().lookFrom(scene::ViewFrom::Corner);
    view().fitAll();
    QVERIFY(settled());
    press("stage-surfaces");
    press(name);
  }

  /// A place of a curve, by the fraction of its parameter.
  Vec3 curve(const std::string& step, double f) {
    const auto& c = *std::get<recipe::CurvePtr>(result(step)->outcome->outputs[0].object);
    return c.at(f * c.last());
  }

private slots:
  void twoCurvesThatAreChosenBeforeTheToolAreProfileAndRail() {
    add("ring", {{"width", 12}, {"height", 0}});
    add("spline", {{"points", pointList({{0, 0, 0}, {0, 0, 40}, {30, 0, 90}})}});
    view().fitAll();
    QVERIFY(settled());
    pickAt({4.2426, -4.2426, 0}); // away from its start, which is a point
    pickAt({0, 0, 40}, Qt::ControlModifier);
    QCOMPARE(w().focus().selection().size(), size_t(2));
    press("stage-surfaces");
    press("tool-sweep");
    QVERIFY2(inputs("s3")["sections"][0]["step"] == "s1", inputs("s3").dump().c_str());
    QVERIFY2(inputs("s3")["rails"][0]["step"] == "s2", inputs("s3").dump().c_str());
    QVERIFY(w().model()->result("s3")->status == recipe::Status::Ok);
  }

  void aBendTooTightIsMarkedAndMendedByAClick() {
    add("ring", {{"width", 44}, {"height", 0}});
    add("spline", {{"points", pointList({{0, 0, 0}, {0, 0, 15}, {14, 0, 28}, {30, 0, 30}})}});
    press("stage-surfaces");
    press("tool-sweep");
    const auto* entry = w().recipe().find(w().session().draft());
    auto next = recipe::withInput(*entry, "sections", picks({pick("s1", "curve")}));
    next = recipe::withInput(*next, "rails", picks({pick("s2", "curve")}));
    w().session().edit(w().recipe().withStep(next), "pick");
    QVERIFY(settled());
    const std::string id = entry->id;
    const auto* r = w().model()->result(id);
    QVERIFY(r->problem && r->problem->code == "LM-Y003" && !r->problem->where.empty());
    for (int i = 0; i < 2 && w().model()->result(id)->problem; ++i) {
      auto* offer = find<QPushButton>("remedy");
      QVERIFY(offer);
      QTest::mouseClick(offer, Qt::LeftButton);
      QVERIFY(settled());
    }
    QVERIFY(w().model()->result(id)->status == recipe::Status::Ok);
  }

  /// A graph along the rail: a click adds a place, its square slides, its handle is the value.
  void aGraphIsMadeAlongTheRailInTheView() {
    add("ring", {{"width", 20}, {"height", 0}});
    add("spline", {{"points", pointList({{0, 0, 0}, {0, 10, 50}, {0, 0, 100}})}});
    add("sweep", {{"sections", picks({pick("s1", "curve")})}, {"rails", picks({pick("s2", "curve")})}});
    view().lookFrom(scene::ViewFrom::Front);
    view().fitAll();
    w().focus().unfold("s3");
    QVERIFY(settled());
    auto* table = find<QTableWidget>("rows-sizeAlong");
    if (!table) more(), table = find<QTableWidget>("rows-sizeAlong");
    QVERIFY(table);
    QTest::mouseClick(table->viewport(), Qt::LeftButton, {}, {40, 12});
    QVERIFY(settled());
    const auto rail = [&](double f) { return curve("s2", f); };
    for (const double f : {0.1, 0.5, 0.9}) pickAt(rail(f));
    QCOMPARE(inputs("s3")["sizeAlong"].size(), size_t(3));
    QCOMPARE(inputs("s3")["sections"].size(), size_t(1));
    for (const json& row : inputs("s3")["sizeAlong"]) QCOMPARE(row["value"].get<double>(), 1.0);
    // The middle one is pulled in to about half, then slid up.
    const auto handles = [&] { return result("s3")->outcome->marks.all<recipe::HandlePlace>(); };
    const std::string middle = inputs("s3")["sizeAlong"][1]["id"];
    recipe::HandlePlace h;
    for (const auto& one : handles())
      if (one.item == middle && one.key == "value") h = one;
    QVERIFY(!h.item.empty());
    const QPoint foot = onScreen(h.at), knob = onScreen(h.at + h.direction * h.mmPerUnit);
    drag(knob, (foot + knob) / 2);
    double value = 0, place = 0;
    const auto read = [&] {
      for (const json& row : inputs("s3")["sizeAlong"])
        if (row["id"] == middle) value = row["value"], place = row["at"];
    };
    read();
    VERIFY_AT_MOST(std::abs(value - 0.5), 0.1);
    QVERIFY(result("s3")->status == recipe::Status::Ok);
    const Mark square = mark("grip", [&](const Mark& m) { return (m.world - h.at).norm() < 1e-6; });
    const double before = place;
    drag(square.at.toPoint(), onScreen(rail(0.7)));
    read();
    QVERIFY(place > before + 0.1);
    const auto body = std::get<brep::BodyPtr>(result("s3")->outcome->outputs[0].object);
    const auto& s = *body->natural.begin()->second.surface;
    const Vec3 slid = mark("grip", [&](const Mark& m) { return (m.world - h.at).norm() > 1 && (m.world - rail(0.7)).norm() < 12; }).world;
    double nearest = 1e300, width = 0;
    for (int j = 0; j <= 200; ++j) {
      const Vec3 one = s.at(0, j / 200.0), other = s.at(0.5, j / 200.0);
      if (const double d = (0.5 * (one + other) - slid).norm(); d < nearest) nearest = d, width = (one - other).norm();
    }
    VERIFY_AT_MOST(std::abs(width - 20 * value), 0.3);
  }

  void wallsAndTurnedFormsAreTwoClicks() {
    add("ring", {{"shape", "rectangle"}, {"width", 60}, {"depth", 40}, {"radius", 6}});
    add("line", {{"points", pointList({{80, 0, 0}, {95, 0, 0}, {95, 0, 30}})}});
    add("line", {{"points", pointList({{80, 0, -10}, {80, 0, 40}})}});
    startTool("tool-extrude");
    pickAt({10, -20, 0});
    const std::string wall = w().session().draft();
    QVERIFY(result(wall)->status == recipe::Status::Ok);
    const auto handle = result(wall)->outcome->marks.all<recipe::HandlePlace>().front();
    drag(onScreen(handle.at + 20 * handle.direction), onScreen(handle.at + 35 * handle.direction));
    VERIFY_AT_MOST(std::abs(inputs(wall)["length"].get<double>() - 35), 1.5);
    type("lean", "-3");
    toggle("solid");
    QVERIFY(std::get<brep::BodyPtr>(result(wall)->outcome->outputs[0].object)->solid());
    keys(Qt::Key_Return);
    press("tool-revolve");
    const std::string turned = w().session().draft();
    pickAt({95, 0, 15});
    press("pick-axis");
    pickAt({80, 0, 35});
    QVERIFY2(result(turned)->status == recipe::Status::Ok, inputs(turned).dump().c_str());
    toggle("solid");
    const auto body = std::get<brep::BodyPtr>(result(turned)->outcome->outputs[0].object);
    VERIFY_AT_MOST(std::abs(brep::massOf(body->shape).volumeMm3 / (kPi * 225 * 30) - 1), 1e-4);
  }
};
static test::Register<SweepWindowTest> registeredSweepWindowTest;
#include "sweep_test.moc"

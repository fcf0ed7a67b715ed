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
  void aTwistedShaftIsTwoClicksAndANumber() {
    add("ring", {{"shape", "rectangle"}, {"width", 14}, {"depth", 14}, {"radius", 2}, {"height", 0}});
    add("line", {{"points", pointList({{0, 0, 0}, {0, 0, 100}})}});
    startTool("tool-sweep");
    pickAt({7, 0, 0});
    QCOMPARE(QString::fromStdString(w().focus().field()), QString("rails")); // the next click is the rail
    pickAt({0, 0, 60});
    QCOMPARE(inputs("s3")["sections"].size(), size_t(1));
    QCOMPARE(inputs("s3")["rails"].size(), size_t(1));
    QVERIFY(w().model()->result("s3")->status == recipe::Status::Ok);
    type("twist", "360*7.5");
    toggle("solid");
    const auto* r = w().model()->result("s3");
    QVERIFY2(r->status == recipe::Status::Ok, r->problem ? sentence(*r->problem).c_str() : "");
    const auto body = std::get<brep::BodyPtr>(r->outcome->outputs[0].object);
    QVERIFY(body->solid());
    VERIFY_AT_MOST(std::abs(brep::massOf(body->shape).volumeMm3 / ((196 - (4 - kPi) * 4) * 100) - 1), 1e-3);
    QVERIFY(r->outcome->summary.find("7.5 turns") != std::string::npos);
    keys(Qt::Key_Return);
    QVERIFY(w().session().draft().empty());
    // Another number, and it follows.
    w().focus().unfold("s3");
    type("twist", "360*10");
    QVERIFY(settled());
    QVERIFY(w().model()->result("s3")->outcome->summary.find("10 turns") != std::string::npos);
  }

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

  /// A hood between two rails and two closed sections of other shapes, picked in any order; then a rim as both rails.
  void aHoodBetweenTwoRailsAndOneOverARim() {
    add("spline", {{"points", pointList({{-30, 0, 0}, {-38, 40, 12}, {-24, 90, 30}})}});
    add("spline", {{"points", pointList({{30, 0, 0}, {36, 45, 8}, {24, 90, 30}})}});
    add("plane", {{"base", picks({pick("world", "plane", "front")})}, {"distance", -90}});
    add("ring", {{"shape", "ellipse"}, {"width", 60}, {"depth", 30}, {"plane", picks({pick("world", "plane", "front")})}});
    add("point", {{"y", 90}, {"z", 30}});
    add("ring", {{"shape", "superellipse"}, {"width", 48}, {"depth", 36}, {"plane", picks({pick("s3", "plane")})}});
    add("move", {{"what", picks({pick("s6", "curve")})}, {"z", 30}});
    startTool("tool-sweep");
    const std::string id = w().session().draft();
    press("pick-sections");
    pickAt(curve("s7", 0.37));
    press("pick-sections");
    pickAt(curve("s4", 0.37));
    press("pick-rails");
    pickAt(curve("s1", 0.5));
    pickAt(curve("s2", 0.45));
    QCOMPARE(inputs(id)["sections"].size(), size_t(2));
    QCOMPARE(inputs(id)["rails"].size(), size_t(2));
    const auto* r = result(id);
    QVERIFY2(r->status == recipe::Status::Ok, r->problem ? sentence(*r->problem).c_str() : "");
    const auto body = std::get<brep::BodyPtr>(r->outcome->outputs[0].object);
    for (const auto& [step, far] : {std::pair("s1", 0.5), std::pair("s2", 0.6)}) {
      double nearest = 1e300;
      for (const auto& [name, face] : body->natural)
        nearest = std::min(nearest, nurbs::closestPoint(*face.surface, curve(step, far)).distanceMm);
      VERIFY_AT_MOST(nearest, 0.001);
    }
    keys(Qt::Key_Return);
    // An arch over a closed rim.
    add("ring", {{"shape", "ellipse"}, {"width", 70}, {"depth", 40}, {"height", 60}});
    add("spline", {{"points", pointList({{-35, 0, 60}, {0, 0, 85}, {35, 0, 60}})}});
    view().fitAll();
    QVERIFY(settled());
    press("tool-sweep");
    const std::string hood = w().session().draft();
    pickAt(curve("s10", 0.3));
    pickAt(curve("s9", 0.31));
    r = result(hood);
    QVERIFY2(r->status == recipe::Status::Ok, r->problem ? sentence(*r->problem).c_str() : "");
    QVERIFY(r->outcome->summary.find("2 rails") != std::string::npos);
  }

  /// Twelve wires in one step, merged, as thick as half of a measured ring.
  void aWireBasketIsOneStep() {
    add("ring", {{"width", 5}, {"height", -20}});
    add("measure", {{"what", "radius"}, {"of", picks({pick("s1", "curve")})}, {"name", "ring_r"}});
    std::vector<std::string> wires;
    for (int i = 0; i < 8; ++i) {
      const double a = 2 * kPi * i / 8, x = std::cos(a), y = std::sin(a);
      add("spline", {{"points", pointList({{18 * x, 18 * y, 0}, {30 * x, 30 * y, 20}, {34 * x, 34 * y, 50}})}});
      wires.push_back("s" + std::to_string(3 + i));
    }
    for (const auto& [d, z] : {std::pair(36.0, 0.0), std::pair(60.0, 20.0), std::pair(66.5, 35.0), std::pair(68.0, 50.0)}) {
      add("ring", {{"width", d}, {"height", z}});
      wires.push_back("s" + std::to_string(3 + wires.size()));
    }
    startTool("tool-pipe");
    const std::string id = w().session().draft();
    for (size_t k = 0; k < wires.size(); ++k) {
      const auto& c = *std::get<recipe::CurvePtr>(result(wires[k])->outcome->outputs[0].object);
      // Without waiting for what the pick before it makes.
      const QPoint at = onScreen(c.at(c.last() * (k < 8 ? 0.31 : 0.07 + 0.02 * double(k))));
      QTest::mouseMove(&view(), at);
      QTest::qWait(30);
      QTest::mouseClick(&view(), Qt::LeftButton, {}, at);
    }
    QCOMPARE(inputs(id)["paths"].size(), wires.size());
    type("size", "ring_r");
    keys(Qt::Key_Return);
    QVERIFY(settled(60000)); // other tests may run beside this one
    const auto* r = result(id);
    QVERIFY2(r->status == recipe::Status::Ok, r->problem ? sentence(*r->problem).c_str() : "");
    QCOMPARE(r->outcome->outputs.size(), size_t(1));
    QVERIFY(std::get<brep::BodyPtr>(r->outcome->outputs[0].object)->solid());
    const double volume = brep::massOf(std::get<brep::BodyPtr>(r->outcome->outputs[0].object)->shape).volumeMm3;
    w().focus().unfold("s1");
    type("width", "4");
    QVERIFY(settled(60000)); // other tests may run beside this one
    const double thinner = brep::massOf(std::get<brep::BodyPtr>(result(id)->outcome->outputs[0].object)->shape).volumeMm3;
    VERIFY_AT_MOST(std::abs(thinner / volume - 0.64), 0.03);
  }

  /// A tray of arcs square to its path: one added later goes where it belongs; faces in three ways.
  void aCableTrayTakesItsArcsInTheRailsOrder() {
    add("line", {{"points", pointList({{0, 0, 0}, {0, 60, 0}, {40, 100, 0}})}});
    add("round_corners", {{"curve", picks({pick("s1", "curve")})}, {"radius", 40}});
    for (const auto& [y, radius] : {std::pair(0.0, 20.0), std::pair(40.0, 14.0), std::pair(20.0, 24.0)}) {
      const std::string plane = "s" + std::to_string(w().recipe().steps.size() + 1);
      add("plane", {{"base", picks({pick("world", "plane", "front")})}, {"distance", -y}});
      add("arc", {{"radius", radius}, {"from", 200}, {"to", 340}, {"plane", picks({pick(plane, "plane")})}});
    }
    startTool("tool-sweep");
    const std::string id = w().session().draft();
    press("pick-sections");
    pickAt(curve("s4", 0.3));
    press("pick-sections");
    pickAt(curve("s6", 0.3));
    press("pick-rails");
    pickAt(curve("s2", 0.35));
    QVERIFY2(result(id)->status == recipe::Status::Ok, result(id)->problem ? sentence(*result(id)->problem).c_str() : "");
    keys(Qt::Key_Return);
    w().focus().unfold(id);
    press("pick-sections");
    pickAt(curve("s8", 0.3)); // it stands between both
    const auto* r = result(id);
    QVERIFY2(r->status == recipe::Status::Ok, r->problem ? sentence(*r->problem).c_str() : "");
    QVERIFY(std::any_of(r->outcome->notes.begin(), r->outcome->notes.end(), [](const Problem& n) { return n.code == "LM-Y103"; }));
    const auto body = std::get<brep::BodyPtr>(r->outcome->outputs[0].object);
    QVERIFY(nurbs::closestPoint(*body->natural.begin()->second.surface, curve("s8", 0.7)).distanceMm < 0.001);
    more();
    toggle("whole"); // and on to the rail's end
    QVERIFY2(result(id)->status == recipe::Status::Ok, result(id)->problem ? sentence(*result(id)->problem).c_str() : "");
    for (const auto& [faces, count] : {std::pair("all", 1), std::pair("along", 1), std::pair("pieces", 3)}) {
      choose("faces", faces);
      QVERIFY(settled());
      QCOMPARE(int(std::get<brep::BodyPtr>(result(id)->outcome->outputs[0].object)->faceNames.size()), count);
    }
    choose("frame", "parallel");
    QVERIFY2(result(id)->status == recipe::Status::Ok, result(id)->problem ? sentence(*result(id)->problem).c_str() : "");
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

#include "jobs/job.h"

#include "nurbs/measure/closest.h"

#include <QComboBox>
#include <QTableWidget>

using namespace lumsk;
using namespace lumsk::test;

/// Jobs about skins that are carried along rails: a hood, a basket, a shaft, a tray.
class SweepJobsTest : public Job {
  Q_OBJECT

  std::string ringOn(const std::string& plane, const QString& shape, const Filled& fields) {
    const std::string id = begunOn("ring", plane);
    option("shape", shape);
    for (const auto& [field, text] : fields) enter(field, text);
    keep();
    return id;
  }
  /// A number of the recipe with what it is.
  void number(const QString& name, const QString& value, int kind) {
    auto* tabs = find<QTabWidget>("column");
    QVERIFY(tabs);
    ++clicks_;
    tabs->setCurrentIndex(2);
    press("add-number");
    auto* table = find<QTableWidget>("numbers");
    QVERIFY(table);
    const int row = table->rowCount() - 1;
    clicks_ += 2, keysTyped_ += int(name.size() + value.size()) + 2;
    table->item(row, 0)->setText(name);
    table->item(row, 1)->setText(value);
    auto* box = qobject_cast<QComboBox*>(table->cellWidget(row, 2));
    QVERIFY(box);
    ++clicks_;
    box->setFocus();
    box->setCurrentIndex(kind);
    emit box->activated(kind);
    QVERIFY(settled());
    ++clicks_;
    tabs->setCurrentIndex(0);
  }

private slots:
  /// A hood between two rails and two closed sections of other shapes, picked in any order; then a rim that is both rails.
  void aScoopHoodBetweenTwoRails() {
    const std::string mouth = ringOn("front", "ellipse", {{"width", "60"}, {"depth", "30"}});
    const std::string left = planeBeside("side", "-30"), right = planeBeside("side", "30"), back = planeBeside("front", "-90");
    const std::string end = ringOn(back, "superellipse", {{"width", "60"}, {"depth", "36"}, {"y", "30"}});
    // Clicked, and then brought to round numbers, on which the sections begin and end.
    const auto rail = [&](const std::string& plane, scene::ViewFrom from, double x, const std::vector<Vec2>& at) {
      const std::string id = begunOn("spline", plane);
      look(from);
      for (const Vec2& p : at) this->at(Vec3(x, p.x(), p.y()));
      for (int k = 0; k < int(at.size()); ++k)
        for (const int c : {0, 1}) cell("points", k, c, QString::number(at[size_t(k)][c]));
      keep();
      look(scene::ViewFrom::Corner);
      return id;
    };
    const std::string one = rail(left, scene::ViewFrom::Left, -30, {{0, 0}, {40, 12}, {90, 30}});
    const std::string other = rail(right, scene::ViewFrom::Right, 30, {{0, 0}, {45, 8}, {90, 30}});
    for (const Vec3& p : {Vec3(-30, 0, 0), Vec3(-30, 90, 30)}) VERIFY_AT_MOST(nurbs::closestPoint(curve(one), p).distanceMm, 1e-9);
    for (const Vec3& p : {Vec3(30, 0, 0), Vec3(30, 90, 30)}) VERIFY_AT_MOST(nurbs::closestPoint(curve(other), p).distanceMm, 1e-9);
    look(scene::ViewFrom::Corner);
    tool("surfaces", "sweep");
    const std::string hood = draft();
    press("pick-sections");
    at(along(end, 0.37));
    press("pick-sections");
    at(along(mouth, 0.37));
    press("pick-rails");
    at(along(one, 0.5));
    at(along(other, 0.45));
    QCOMPARE(inputs(hood)["sections"].size(), size_t(2));
    QCOMPARE(inputs(hood)["rails"].size(), size_t(2));
    QVERIFY(good(hood));
    for (const auto& [step, from, to] : {std::tuple(one, 0.05, 0.95), std::tuple(other, 0.05, 0.95), std::tuple(mouth, 0.0, 1.0), std::tuple(end, 0.0, 1.0)})
      for (int k = 0; k <= 20; ++k) VERIFY_AT_MOST(offSkin(hood, along(step, from + (to - from) * k / 20)), 0.001);
    keep();
    const std::string rim = filled("curves", "ring", {{"width", "70"}, {"height", "60"}});
    const std::string arch = drawnThrough("spline", "front", scene::ViewFrom::Front, {{-35, 0, 60}, {0, 0, 85}, {35, 0, 60}});
    tool("surfaces", "sweep");
    const std::string housing = draft();
    at(along(arch, 0.3));
    at(along(rim, 0.31));
    QVERIFY(good(housing));
    QVERIFY(result(housing)->outcome->summary.find("2 rails") != std::string::npos);
    for (int k = 0; k <= 20; ++k) VERIFY_AT_MOST(offSkin(housing, along(rim, k / 20.0)), 0.001);
    keep();
    finished("J08", "scoop_hood", 110);
  }

  /// Eight wires that are copies of one, four rings, all one body as thick as half of a measured ring.
  void aWireBasketIsOneStep() {
    const std::string gauge = filled("curves", "ring", {{"width", "5"}, {"height", "-20"}});
    tool("check", "measure");
    const std::string measured = draft();
    option("what", "radius");
    press("pick-of");
    at(along(gauge, 0.6));
    more();
    enter("name", "ring_r");
    QVERIFY(good(measured));
    keep();
    const std::string wire = drawnThrough("spline", "front", scene::ViewFrom::Front, {{18, 0, 0}, {30, 0, 20}, {34, 0, 50}});
    tool("trim", "repeat");
    const std::string wires = draft();
    at(along(wire, 0.5));
    option("way", "round");
    enter("count", "8");
    QVERIFY(good(wires));
    keep();
    std::vector<std::string> rings;
    for (const auto& [width, height] : {std::pair("36", "0"), std::pair("60", "20"), std::pair("66.5", "35"), std::pair("68", "50")})
      rings.push_back(filled("curves", "ring", {{"width", width}, {"height", height}}));
    look(scene::ViewFrom::Corner);
    tool("surfaces", "pipe");
    const std::string basket = draft();
    at(curveSeen(wire));
    for (const auto& o : result(wires)->outcome->outputs) at(curveSeen(wires, recipe::pickPart(*result(wires)->outcome, o)));
    for (size_t k = 0; k < rings.size(); ++k) at(curveSeen(rings[k], {}, 0.62));
    QVERIFY2(inputs(basket)["paths"].size() == 12, inputs(basket)["paths"].dump().c_str());
    enter("size", "ring_r");
    QVERIFY(settled(60000));
    QVERIFY(good(basket));
    keep();
    QCOMPARE(result(basket)->outcome->outputs.size(), size_t(1));
    const auto state = inspect::stateOf(*body(basket));
    QVERIFY(state.solid && state.valid && state.openEdges == 0);
    // The measured ring becomes thinner, and so do all wires.
    w().focus().unfold(gauge);
    enter("width", "4");
    QVERIFY(settled(60000));
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*body(basket)).volumeMm3 / state.volumeMm3 - 0.64), 0.03);
    keys(Qt::Key_Escape);
    finished("J10", "wire_basket", 120);
  }

  /// A square bar with seven and a half turns; four round wires that twist together by a named number and taper; a coil on an edge of the bar.
  void aTwistedWhiskShaft() {
    const std::string square = filled("curves", "ring", {{"width", "14"}, {"depth", "14"}, {"radius", "0"}}, {"shape", "rectangle"});
    const std::string axis = drawnThrough("line", "front", scene::ViewFrom::Front, {{0, 0, 0}, {0, 0, 100}});
    tool("surfaces", "sweep");
    const std::string bar = draft();
    at(along(square, 0.1));
    at(along(axis, 0.6));
    enter("twist", "360*7.5");
    tick("solid");
    QVERIFY(good(bar));
    keep();
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*body(bar)).volumeMm3 / (196 * 100) - 1), 1e-3);
    QVERIFY(result(bar)->outcome->summary.find("7.5 turns") != std::string::npos);
    // Half a turn after seven: the corners at the top stand where those at the foot do.
    w().focus().unfold({});
    number("turns", "10", 3);
    std::vector<std::string> wires;
    for (const auto& [x, y] : {std::pair("44", "4"), std::pair("36", "4"), std::pair("36", "-4"), std::pair("44", "-4")})
      wires.push_back(filled("curves", "ring", {{"width", "5"}, {"x", x}, {"y", y}}));
    const std::string path = drawnThrough("spline", "front", scene::ViewFrom::Front, {{40, 0, 0}, {44, 0, 40}, {56, 0, 90}});
    tool("surfaces", "sweep");
    const std::string shaft = draft();
    press("pick-sections");
    for (const std::string& wire : wires) {
      at(along(wire, 0.63));
      if (&wire != &wires.back()) press("pick-sections");
    }
    press("pick-rails");
    at(along(path, 0.6));
    enter("twist", "360*turns");
    enter("endSize", "0.6");
    tick("solid");
    QVERIFY(good(shaft));
    QCOMPARE(inputs(shaft)["sections"].size(), size_t(4));
    QCOMPARE(result(shaft)->outcome->outputs.size(), size_t(4));
    QVERIFY(result(shaft)->outcome->summary.find("10 turns") != std::string::npos);
    keep();
    // Another number, and it follows.
    auto* tabs = find<QTabWidget>("column");
    tabs->setCurrentIndex(2);
    find<QTableWidget>("numbers")->item(0, 1)->setText("15");
    clicks_ += 3, keysTyped_ += 3;
    QVERIFY(settled(60000));
    tabs->setCurrentIndex(0);
    QVERIFY(good(shaft));
    QVERIFY(result(shaft)->outcome->summary.find("15 turns") != std::string::npos);
    finished("J12", "whisk_shaft", 110);
  }

  /// A tray of arcs square to its path: one added later goes where it belongs; faces in three ways.
  void aCableTrayTakesItsArcsInOrder() {
    const std::string corner = drawnThrough("line", "top", scene::ViewFrom::Top, {{0, 0, 0}, {0, 60, 0}, {40, 100, 0}});
    tool("curves", "round_corners");
    const std::string path = draft();
    at(along(corner, 0.2));
    enter("radius", "40");
    QVERIFY(good(path));
    keep();
    std::vector<std::string> arcs;
    for (const auto& [y, radius] : {std::pair("0", "20"), std::pair("-40", "14"), std::pair("-20", "24")}) {
      const std::string plane = QString(y) == "0" ? "front" : planeBeside("front", y);
      arcs.push_back(begunOn("arc", plane));
      enter("radius", radius);
      enter("from", "200");
      enter("to", "340");
      keep();
    }
    look(scene::ViewFrom::Corner);
    tool("surfaces", "sweep");
    const std::string tray = draft();
    press("pick-sections");
    at(along(arcs[0], 0.3));
    press("pick-sections");
    at(along(arcs[1], 0.3));
    press("pick-rails");
    at(along(path, 0.35));
    QVERIFY(good(tray));
    keep();
    w().focus().unfold(tray);
    press("pick-sections");
    at(along(arcs[2], 0.3)); // it stands between both
    QVERIFY(good(tray));
    const auto& notes = result(tray)->outcome->notes;
    QVERIFY(std::any_of(notes.begin(), notes.end(), [](const Problem& n) { return n.code == "LM-Y103"; }));
    VERIFY_AT_MOST(offSkin(tray, along(arcs[2], 0.7)), 0.001);
    more();
    tick("whole"); // and on to the rail's end
    QVERIFY(good(tray));
    for (const auto& [faces, count] : {std::pair("all", 1), std::pair("along", 1), std::pair("pieces", 3)}) {
      option("faces", faces);
      QCOMPARE(int(body(tray)->faceNames.size()), count);
    }
    option("frame", "parallel");
    QVERIFY(good(tray));
    keys(Qt::Key_Escape);
    finished("J20", "cable_tray", 90);
  }
};

static test::Register<SweepJobsTest> registeredSweepJobsTest;
#include "sweep_jobs_test.moc"

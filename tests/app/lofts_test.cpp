#include "app/ways_tray.h"
#include "app/window.h"
#include "nurbs/measure/closest.h"
#include "nurbs/measure/wrinkles.h"

#include <QFile>
#include <QMenu>
#include <QTableWidget>
#include <QWheelEvent>

using namespace lumsk;
using namespace lumsk::test;
using lumsk::app::TriedWay;
using lumsk::app::WaysTray;

/// Lofts made by hand: ends that flow into other skins, orders that are offered.
class LoftsWindowTest : public WindowTestBase {
  Q_OBJECT

  static Vec3 onRing(double diameter, double height, double turn = -2.0) {
    return {0.5 * diameter * std::cos(turn), 0.5 * diameter * std::sin(turn), height};
  }

  void startLoft() {
    keys(Qt::Key_2);
    click("tool-loft");
    QVERIFY(settled());
    view().setFocus();
  }

  /// A recipe of splines, opened from a file.
  class Splines {
  public:
    void add(const std::vector<std::array<double, 3>>& points, bool closed = false) {
      auto s = std::make_shared<recipe::StepEntry>();
      s->id = "s" + r_.newId();
      s->kind = "spline";
      s->label = "Line " + s->id;
      json list = json::array();
      for (const auto& p : points) list.push_back({{"id", "q" + std::to_string(list.size() + 1)}, {"at", p}});
      s->inputs = std::make_shared<const json>(json{{"points", list}, {"closed", closed}});
      r_.steps.push_back(s);
    }
    QByteArray text() const { return QByteArray::fromStdString(recipe::toText(r_)); }

  private:
    recipe::Recipe r_;
  };
  void openSplines(const Splines& all) {
    QFile f(dir_.filePath("recipe.json"));
    QVERIFY(f.open(QIODevice::WriteOnly));
    f.write(all.text());
    f.close();
    QVERIFY(window_->openPath(f.fileName()) && settled());
    keys(Qt::Key_Home, Qt::ControlModifier);
  }

  /// Arched lines across (s1 to s3) and lines along them (s4 to s6).
  void openArches() {
    Splines all;
    for (double y : {0.0, 30.0, 60.0}) all.add({{0, y, 0}, {30, y, 12}, {60, y, 0}});
    for (double x : {0.0, 30.0, 60.0}) {
      const double top = x == 30 ? 12 : 0;
      all.add({{x, 0, top}, {x, 15, top + 3}, {x, 30, top}, {x, 45, top - 2}, {x, 60, top}});
    }
    openSplines(all);
  }
  brep::BodyPtr bodyOf(const std::string& id) {
    return std::get<brep::BodyPtr>(result(id)->outcome->outputs[0].object);
  }
  const nurbs::Surface& skinOf(const std::string& id) { return *bodyOf(id)->natural.begin()->second.surface; }
  double offCurve(const std::string& skin, const std::string& curve) {
    const nurbs::Path& p = *std::get<recipe::CurvePtr>(result(curve)->outcome->outputs[0].object);
    double worst = 0;
    for (int i = 0; i <= 30; ++i)
      worst = std::max(worst, nurbs::closestPoint(skinOf(skin), p.at(p.last() * i / 30)).distanceMm);
    return worst;
  }

private slots:
  void guidesAreAddedSwappedAndBecomeANetwork() {
    openArches();
    startLoft();
    const std::string id = w().session().draft();
    for (double y : {0.0, 30.0, 60.0}) pickAt({10, y, 12.0 * (1 - 400.0 / 900)});
    QVERIFY(result(id)->status == recipe::Status::Ok);
    QVERIFY(offCurve(id, "s5") > 0.5);
    click("pick-guides");
    for (double x : {30.0, 0.0, 60.0}) pickAt({x, 15, (x == 30 ? 12 : 0) + 3.0});
    QCOMPARE(inputs(id)["guides"].size(), size_t(3));
    QVERIFY(result(id)->status == recipe::Status::Ok);
    for (const char* curve : {"s1", "s2", "s3", "s4", "s5", "s6"}) VERIFY_AT_MOST(offCurve(id, curve), 0.001);
    click("keep");
    QVERIFY(settled());
    w().focus().unfold(id);
    QVERIFY(settled());
    const json before = inputs(id);
    // The guides become the sections: in the order in which they were picked, which one chip put right mends.
    click("swap");
    QVERIFY(settled());
    QCOMPARE(inputs(id)["sections"][0]["step"].get<std::string>(), std::string("s5"));
    QCOMPARE(inputs(id)["guides"].size(), size_t(3));
    QCOMPARE(result(id)->problem->code, std::string("LM-L022"));
    click("remedy");
    QVERIFY(settled());
    QVERIFY(result(id)->status == recipe::Status::Ok);
    for (const char* curve : {"s1", "s2", "s3", "s4", "s5", "s6"}) VERIFY_AT_MOST(offCurve(id, curve), 0.001);
    click("make-network");
    QVERIFY(settled());
    QCOMPARE(w().recipe().find(id)->kind, std::string("network"));
    QVERIFY(result(id)->status == recipe::Status::Ok);
    QCOMPARE(inputs(id)["curves"].size(), size_t(6));
    click("make-loft");
    QVERIFY(settled());
    QVERIFY(result(id)->status == recipe::Status::Ok);
    for (int i = 0; i < 4; ++i) keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QVERIFY(inputs(id) == before);
  }

  void aSkinIsRelaxedAndRuled() {
    Splines all;
    const std::array<double, 6> off{0, 0.4, -0.3, 0.2, -0.4, 0};
    for (size_t i = 0; i < off.size(); ++i) all.add({{0, 12.0 * i, 0}, {30, 12.0 * i, 12 + off[i]}, {60, 12.0 * i, 0}});
    openSplines(all);
    startLoft();
    const std::string id = w().session().draft();
    for (size_t i = 0; i < off.size(); ++i) pickAt({30, 12.0 * i, 12 + off[i]});
    QCOMPARE(inputs(id)["sections"].size(), size_t(6));
    VERIFY_AT_MOST(offCurve(id, "s2"), 0.001);
    const double before = nurbs::wrinkleIndex({skinOf(id)});
    choose("way", "relaxed");
    type("relaxed", "0.3");
    QVERIFY(settled());
    QVERIFY(result(id)->status == recipe::Status::Ok);
    double worst = 0;
    for (const char* line : {"s2", "s3", "s4", "s5"}) worst = std::max(worst, offCurve(id, line));
    QVERIFY(worst > 0.2 && worst <= 0.3);
    QVERIFY(nurbs::wrinkleIndex({skinOf(id)}) < 0.5 * before);
    choose("way", "ruled");
    QVERIFY(result(id)->status == recipe::Status::Ok);
    QCOMPARE(inspect::stateOf(*bodyOf(id)).faces, 5);
    for (const auto& [name, face] : bodyOf(id)->natural) QCOMPARE(face.surface->degreeV(), 1);
    click("keep");
    QVERIFY(settled());
  }

  void theWheelGoesPastListsAndChangesNothing() {
    openArches();
    startLoft();
    const std::string id = w().session().draft();
    for (double y : {0.0, 30.0, 60.0}) pickAt({10, y, 12.0 * (1 - 400.0 / 900)});
    const json before = inputs(id);
    auto* box = find<QComboBox>("choose-start");
    QVERIFY(box);
    for (bool focused : {false, true}) {
      if (focused) box->setFocus();
      QWheelEvent wheel(QPointF(9, 9), box->mapToGlobal(QPoint(9, 9)), {}, {0, -120}, Qt::NoButton, {},
                        Qt::NoScrollPhase, false);
      QApplication::sendEvent(box, &wheel);
      QVERIFY(settled());
      QVERIFY(!wheel.isAccepted());
      QVERIFY(inputs(id) == before);
    }
    click("keep");
    QVERIFY(settled());
  }

  void sectionsFollowALineThatIsPicked() {
    Splines all;
    for (double z : {0.0, 60.0}) all.add({{30, 0, z}, {0, 30, z}, {-30, 0, z}, {0, -30, z}}, true);
    all.add({{0, 0, 0}, {5, 0, 30}, {0, 0, 60}});
    openSplines(all);
    startLoft();
    const std::string id = w().session().draft();
    for (double z : {0.0, 60.0}) pickAt({0, -30, z});
    QVERIFY(result(id)->status == recipe::Status::Ok);
    const auto middle = [&] {
      Vec3 sum = Vec3::Zero();
      for (int i = 0; i < 40; ++i) sum += skinOf(id).at(i / 40.0, 0.5) / 40;
      return sum;
    };
    VERIFY_AT_MOST((middle() - Vec3(0, 0, 30)).norm(), 0.01);
    more();
    choose("centre", "picked");
    click("pick-centreLine");
    pickAt({5, 0, 30});
    QCOMPARE(inputs(id)["centreLine"].size(), size_t(1));
    QVERIFY(result(id)->status == recipe::Status::Ok);
    VERIFY_AT_MOST((middle() - Vec3(5, 0, 30)).norm(), 0.1);
    choose("centre", "computed");
    VERIFY_AT_MOST((middle() - Vec3(0, 0, 30)).norm(), 0.01);
    click("keep");
    QVERIFY(settled());
  }

  void aLoftRunsAroundAsASolidAndIsCutOutOfAnother() {
    Splines all;
    std::vector<Vec3> outside;
    for (int i = 0; i < 4; ++i) {
      const double a = 0.5 * kPi * i, c = std::cos(a), s = std::sin(a);
      std::vector<std::array<double, 3>> points;
      for (int k = 0; k < 8; ++k) {
        const double t = 0.25 * kPi * k, r = 50 + 12 * std::cos(t);
        points.push_back({r * c, r * s, 12 * std::sin(t)});
      }
      all.add(points, true);
      outside.push_back({(50 + 12 * std::cos(1.2)) * c, (50 + 12 * std::cos(1.2)) * s, 12 * std::sin(1.2)});
    }
    openSplines(all);
    startLoft();
    const std::string ring = w().session().draft();
    for (const Vec3& p : outside) pickAt(p);
    QCOMPARE(inputs(ring)["sections"].size(), size_t(4));
    more();
    toggle("around");
    toggle("solid");
    QVERIFY(result(ring)->status == recipe::Status::Ok);
    const double whole = inspect::stateOf(*bodyOf(ring)).volumeMm3;
    QVERIFY(bodyOf(ring)->solid());
    VERIFY_AT_MOST(std::abs(whole / (2 * kPi * kPi * 50 * 144) - 1), 0.15);
    click("keep");
    QVERIFY(settled());
    // A tube through it, over its first section: added, and then cut out.
    keys(Qt::Key_1);
    for (const char* height : {"-30", "30"}) {
      click("tool-ring");
      QVERIFY(settled());
      type("width", "12");
      type("x", "50");
      type("height", height);
      click("keep");
      QVERIFY(settled());
    }
    startLoft();
    const std::string tube = w().session().draft();
    for (double height : {-30.0, 30.0}) pickAt({50 + 6 * std::cos(-1.6), 6 * std::sin(-1.6), height});
    toggle("solid");
    QVERIFY(bodyOf(tube)->solid());
    const double own = inspect::stateOf(*bodyOf(tube)).volumeMm3;
    click("pick-target");
    pickAt({0, -50, 12});
    QCOMPARE(inputs(tube)["target"].size(), size_t(1));
    QVERIFY(result(tube)->status == recipe::Status::Ok);
    const double added = inspect::stateOf(*bodyOf(tube)).volumeMm3;
    QVERIFY(added > whole + 100 && added < whole + own - 100);
    choose("combine", "cut");
    QVERIFY(result(tube)->status == recipe::Status::Ok);
    const double cut = inspect::stateOf(*bodyOf(tube)).volumeMm3;
    VERIFY_AT_MOST(std::abs(added - cut - own), 1.0);
    click("keep");
    QVERIFY(settled());
  }

  void aPatchFlowsOnFromAStripAndItsTensionIsPulled() {
    Splines all;
    all.add({{0, -30, -5}, {60, -30, -5}});
    all.add({{0, -10, 0}, {60, -10, 0}});
    all.add({{60, -10, 0}, {60, 30, 10}});
    all.add({{60, 30, 10}, {30, 30, 18}, {0, 30, 10}});
    all.add({{0, 30, 10}, {0, -10, 0}});
    openSplines(all);
    startLoft();
    for (double y : {-30.0, -10.0}) pickAt({20, y, y < -20 ? -5.0 : 0.0});
    click("keep");
    QVERIFY(settled());
    w().steps().setVisible({"s2"}, false);
    QVERIFY(settled());
    click("tool-boundary");
    QVERIFY(settled());
    view().setFocus();
    const std::string id = w().session().draft();
    QVERIFY(!id.empty());
    for (const Vec3& p : {Vec3(0, 10, 5), Vec3(20, -10, 0), Vec3(60, 12, 5.5), Vec3(30, 30, 18)}) pickAt(p);
    QCOMPARE(inputs(id)["edges"].size(), size_t(4));
    QVERIFY(result(id)->status == recipe::Status::Ok);
    const std::string edge = inputs(id)["edges"][1]["id"].get<std::string>();
    QCOMPARE(inputs(id)["edges"][1]["kind"].get<std::string>(), std::string("edge"));
    const auto leaves = [&] { // the worst angle to the strip along its edge
      double worst = 0;
      for (int i = 1; i < 20; ++i) {
        const auto f = nurbs::closestPoint(skinOf(id), Vec3(3.0 * i, -10, 0));
        const double a = degFromRad(angleBetweenRad(skinOf(id).normal(f.u, f.v), Vec3(0, -0.25, 1)));
        worst = std::max(worst, std::min(a, 180 - a));
      }
      return worst;
    };
    QVERIFY(leaves() > 1);
    // A click on the edge's flag goes on to the next kind: G1.
    const Mark flag = mark("flag", [&](const Mark& m) { return m.item == edge; });
    QTest::mouseClick(&view(), Qt::LeftButton, {}, flag.at.toPoint());
    QVERIFY(settled());
    QCOMPARE(inputs(id)["edges"][1].value("meets", ""), std::string("g1"));
    QVERIFY(result(id)->status == recipe::Status::Ok);
    VERIFY_AT_MOST(leaves(), 0.01);
    const nurbs::Surface before = skinOf(id);
    const Mark pull = mark("handle", [&](const Mark& m) { return m.item == edge; });
    const QPointF along = pull.at - pull.from;
    drag(pull.at.toPoint(), (pull.at + along * (25 / std::hypot(along.x(), along.y()))).toPoint());
    QVERIFY(inputs(id)["edges"][1].value("tension", 1.0) > 1.1);
    VERIFY_AT_MOST(leaves(), 0.01);
    double moved = 0;
    for (int i = 1; i < 10; ++i)
      for (int j = 1; j < 10; ++j)
        moved = std::max(moved, nurbs::closestPoint(before, skinOf(id).at(i / 10.0, j / 10.0)).distanceMm);
    QVERIFY(moved > 0.1);
    click("keep");
    QVERIFY(settled());
  }

  void anEdgeIsMatchedToAnotherSkinAndItsReachIsPulled() {
    Splines all;
    all.add({{0, -40, -6}, {60, -40, -6}});
    all.add({{0, -10, 0}, {60, -10, 0}});
    all.add({{0, -6, 4}, {30, -5, 5}, {60, -6, 4}});
    all.add({{0, 30, 2}, {60, 30, 2}});
    openSplines(all);
    for (const auto& [a, b] : {std::pair(Vec3(20, -40, -6), Vec3(20, -10, 0)), {Vec3(30, -5, 5), Vec3(20, 30, 2)}}) {
      startLoft();
      pickAt(a);
      pickAt(b);
      click("keep");
      QVERIFY(settled());
    }
    const std::string moving = w().model()->recipe->steps.back()->id;
    for (int i = 1; i <= 4; ++i) w().steps().setVisible({"s" + std::to_string(i)}, false);
    QVERIFY(settled());
    keys(Qt::Key_3);
    click("tool-match");
    QVERIFY(settled());
    view().setFocus();
    const std::string id = w().session().draft();
    pickAt({30, -5, 5});
    QCOMPARE(inputs(id)["edges"].size(), size_t(1));
    pickAt({20, -10, 0}); // an edge of another skin is what it is matched to
    QCOMPARE(inputs(id)["edges"].size(), size_t(1));
    QCOMPARE(inputs(id)["targets"].size(), size_t(1));
    QVERIFY2(result(id)->status == recipe::Status::Ok, result(id)->problem ? result(id)->problem->what.c_str() : "");
    const auto off = [&] { // from the other skin: place and slope
      double worst = 0, turn = 0;
      for (int i = 1; i < 20; ++i) {
        const auto f = nurbs::closestPoint(skinOf(id), Vec3(3.0 * i, -10, 0));
        worst = std::max(worst, f.distanceMm);
        const double a = degFromRad(angleBetweenRad(skinOf(id).normal(f.u, f.v), Vec3(0, -0.2, 1)));
        turn = std::max(turn, std::min(a, 180 - a));
      }
      return std::make_pair(worst, turn);
    };
    VERIFY_AT_MOST(off().first, 0.001);
    VERIFY_AT_MOST(off().second, 0.01);
    // The body is the same one, changed.
    QCOMPARE(result(id)->outcome->outputs[0].continues, moving);
    QCOMPARE(w().model()->bodies.size(), size_t(2));
    // The handle of its reach: the change ends nearer.
    const Vec3 middle = skinOf(id).at(0.5, 0.8);
    const Mark reach = mark("handle", [&](const Mark& m) { return !m.item.empty(); });
    drag(reach.at.toPoint(), (reach.from + 0.5 * (reach.at - reach.from)).toPoint());
    const double now = std::atof(inputs(id)["edges"][0].value("reach", json("1")).dump().c_str() + 1);
    QVERIFY2(now > 0.3 && now < 0.7, inputs(id)["edges"][0].dump().c_str());
    VERIFY_AT_MOST(off().second, 0.01);
    QVERIFY((skinOf(id).at(0.5, 0.8) - middle).norm() > 1e-4);
    // The continuity menu on the chip: only to meet it.
    auto* how = window_->findChild<QPushButton*>("pick-meets");
    QVERIFY(how && how->text() == "G2");
    QTest::mouseClick(how, Qt::LeftButton);
    auto* list = how->findChild<QMenu*>();
    QTRY_VERIFY(list->isVisible());
    QTest::mouseClick(list, Qt::LeftButton, {}, list->actionGeometry(list->actions()[0]).center());
    QVERIFY(settled());
    QVERIFY(off().second > 1);
    VERIFY_AT_MOST(off().first, 0.001);
    click("keep");
    QVERIFY(settled());
  }

  void controlPointsOfASkinAreDraggedAndItsSidesStay() {
    openArches();
    startLoft();
    for (double y : {0.0, 30.0, 60.0}) pickAt({20, y, 10.6});
    click("keep");
    QVERIFY(settled());
    const std::string loft = w().recipe().steps.back()->id;
    for (int i = 1; i <= 6; ++i) w().steps().setVisible({"s" + std::to_string(i)}, false);
    QVERIFY(settled());
    keys(Qt::Key_3);
    click("tool-shape_skin");
    QVERIFY(settled());
    view().setFocus();
    const std::string id = w().session().draft();
    const nurbs::Surface before = skinOf(loft);
    pickAt(before.at(0.4, 0.3));
    QCOMPARE(inputs(id)["skin"].size(), size_t(1));
    choose("points", "more");
    for (const char* side : {"left", "right", "start", "end"}) choose(side, "g1");
    QVERIFY(settled());
    QVERIFY(result(id)->status == recipe::Status::Ok);
    const auto grip = [](const Mark& m) { return m.item == "c3-3"; };
    const Mark from = mark("grip", grip);
    drag(from.at.toPoint(), from.at.toPoint() - QPoint(0, 40));
    QCOMPARE(inputs(id)["moves"].size(), size_t(1));
    const nurbs::Surface now = skinOf(id);
    double moved = 0, sides = 0;
    for (int i = 0; i <= 20; ++i) {
      for (int j = 0; j <= 20; ++j)
        moved = std::max(moved, (now.at(i / 20.0, j / 20.0) - before.at(i / 20.0, j / 20.0)).norm());
      nurbs::SurfaceDerivatives d, e;
      now.derivatives(i / 20.0, 0, 1, d), before.derivatives(i / 20.0, 0, 1, e);
      sides = std::max({sides, (d(0, 0) - e(0, 0)).norm(), (d(0, 1) - e(0, 1)).norm()});
    }
    QVERIFY(moved > 1);
    VERIFY_AT_MOST(sides, 1e-9);
    // It moved along the normal of the skin there, not in the screen.
    const json row = inputs(id)["moves"][0];
    const Vec3 by(row.value("x", 0.0), row.value("y", 0.0), row.value("z", 0.0));
    const auto at = nurbs::closestPoint(before, mark("grip", grip).world);
    QVERIFY(degFromRad(angleBetweenRad(by, before.normal(at.u, at.v))) < 12 ||
            degFromRad(angleBetweenRad(-by, before.normal(at.u, at.v))) < 12);
    click("keep");
    QVERIFY(settled());
    QCOMPARE(w().model()->bodies.size(), size_t(1));
  }

  void waysAreTriedComparedAndOneIsKept() {
    openArches();
    const size_t steps = w().recipe().steps.size();
    for (double y : {0.0, 30.0, 60.0}) pickAt({20, y, 10.6}, Qt::ControlModifier);
    for (double x : {0.0, 30.0, 60.0}) pickAt({x, 15, x == 30 ? 15.0 : 3.0}, Qt::ControlModifier);
    QCOMPARE(w().focus().selection().size(), size_t(6));
    keys(Qt::Key_T);
    auto* tray = window_->findChild<WaysTray*>("ways");
    QTRY_VERIFY_WITH_TIMEOUT(tray->isVisible() && !tray->busy(), 20000);
    QVERIFY(settled());
    // Loft and sweep both ways, network, boundary: the best comes first and stands in place.
    std::set<std::string> kinds;
    for (const TriedWay& t : tray->ways()) kinds.insert(t.way.step->kind);
    QCOMPARE(kinds, (std::set<std::string>{"loft", "sweep", "network", "boundary"}));
    QVERIFY(tray->ways().size() >= 4 && tray->ways()[0].way.best && !tray->ways()[0].way.reason.empty());
    QCOMPARE(tray->shown(), 0);
    QCOMPARE(w().recipe().find(w().session().draft())->kind, tray->ways()[0].way.step->kind);
    for (const TriedWay& t : tray->ways()) QVERIFY(t.way.figures.controlPoints > 0 && t.way.figures.wrinkles >= 0);
    // The pointer on a card shows it in place; what is not kept leaves no trace.
    auto* card = tray->findChild<QWidget*>("way-1");
    QTest::mouseMove(card, {20, 30});
    QTest::mouseMove(card, {24, 34});
    QVERIFY(settled());
    QCOMPARE(tray->shown(), 1);
    QCOMPARE(w().recipe().find(w().session().draft())->kind, tray->ways()[1].way.step->kind);
    view().setFocus();
    keys(Qt::Key_Left);
    QCOMPARE(tray->shown(), 0);
    keys(Qt::Key_Escape);
    QVERIFY(settled());
    QVERIFY(!tray->isVisible() && w().session().draft().empty());
    QCOMPARE(w().recipe().steps.size(), steps);
    // From a draft: its picks count, Enter keeps what is shown as one step, one undo takes it away.
    startLoft();
    for (double y : {0.0, 30.0, 60.0}) pickAt({20, y, 10.6});
    click("pick-guides");
    view().setFocus();
    for (double x : {0.0, 60.0}) pickAt({x, 15, 3.0});
    click("try-ways");
    QTRY_VERIFY_WITH_TIMEOUT(tray->isVisible() && !tray->busy(), 20000);
    QVERIFY(settled());
    view().setFocus();
    keys(Qt::Key_Right);
    QVERIFY(settled());
    const std::string kind = tray->ways()[1].way.step->kind;
    keys(Qt::Key_Return);
    QVERIFY(settled());
    QVERIFY(!tray->isVisible() && w().session().draft().empty());
    QCOMPARE(w().recipe().steps.size(), steps + 1);
    QCOMPARE(w().recipe().steps.back()->kind, kind);
    QVERIFY(result(w().recipe().steps.back()->id)->status == recipe::Status::Ok);
    w().session().undo();
    QCOMPARE(w().recipe().steps.size(), steps);
  }

  void anEdgeIsASectionAloneAsAChainAndAllAround() {
    for (const auto& [width, height] : {std::pair("60", "0"), {"60", "25"}, {"50", "70"}}) ring(width, height);
    keys(Qt::Key_Home, Qt::ControlModifier);
    startLoft();
    pickAt(onRing(60, 0));
    pickAt(onRing(60, 25));
    click("keep");
    QVERIFY(settled());
    w().steps().setVisible({"s2"}, false);
    QVERIFY(settled());
    startLoft();
    const std::string id = w().session().draft();
    const QPoint at = onScreen(onRing(60, 25, -1.2));
    QTest::mouseMove(&view(), at);
    QTest::mouseDClick(&view(), Qt::LeftButton, {}, at);
    QVERIFY(settled());
    QCOMPARE(inputs(id)["sections"].size(), size_t(1));
    QCOMPARE(inputs(id)["sections"][0]["extent"].get<std::string>(), std::string("chain"));
    pickAt(onRing(50, 70));
    QVERIFY(result(id)->status == recipe::Status::Ok);
    click("pick-choice"); // of the last chip with one
    QVERIFY(settled());
    click("keep");
    QVERIFY(settled());
  }

  void theStartOfASectionIsDragged() {
    for (const char* height : {"0", "60"}) ring("60", height);
    keys(Qt::Key_Home, Qt::ControlModifier);
    startLoft();
    const std::string id = w().session().draft();
    for (double height : {0.0, 60.0}) pickAt(onRing(60, height));
    const std::string item = inputs(id)["sections"][1]["id"].get<std::string>();
    const Mark flag = mark("flag", [&](const Mark& m) { return m.item == item; });
    drag(flag.at.toPoint(), onScreen(onRing(60, 60, -1.4)));
    QVERIFY(inputs(id)["sections"][1].contains("start"));
    const auto& flags = result(id)->outcome->marks.all<recipe::Flag>();
    VERIFY_AT_MOST((flags[1].at - onRing(60, 60, -1.4)).norm(), 1.5);
    // The skin starts there, and a click on the flag turns its direction.
    VERIFY_AT_MOST((skinOf(id).at(0, 1) - flags[1].at).norm(), 0.01);
    const Vec3 before = flags[1].direction;
    const Mark moved = mark("flag", [&](const Mark& m) { return m.item == item; });
    QTest::mouseClick(&view(), Qt::LeftButton, {}, moved.at.toPoint());
    QVERIFY(settled());
    QVERIFY(result(id)->outcome->marks.all<recipe::Flag>()[1].direction.dot(before) < 0);
    click("keep");
    QVERIFY(settled());
  }

  void aLoftFlowsOnFromAnEdgeAndIsPulledInTheView() {
    for (const auto& [width, height] : {std::pair("60", "0"), {"69", "25"}, {"50", "70"}}) ring(width, height);
    keys(Qt::Key_Home, Qt::ControlModifier);
    startLoft();
    pickAt(onRing(60, 0));
    pickAt(onRing(69, 25));
    click("keep");
    QVERIFY(settled());
    // From the ring that ends that skin to the third one.
    startLoft();
    const std::string id = w().session().draft();
    pickAt(onRing(69, 25, -1.2));
    pickAt(onRing(50, 70));
    QVERIFY(result(id)->status == recipe::Status::Ok);
    choose("start", "g2");
    if (result(id)->status != recipe::Status::Ok) { // the ring was picked, not the edge: which skin is not known yet
      QCOMPARE(result(id)->problem->code, std::string("LM-L017"));
      click("pick-startSkin");
      pickAt(onRing(65, 13, -1.6));
      QCOMPARE(inputs(id)["startSkin"].size(), size_t(1));
    }
    QVERIFY(result(id)->status == recipe::Status::Ok);
    const auto before = std::get<brep::BodyPtr>(result(id)->outcome->outputs[0].object);
    const Mark pull = handle("startPull");
    const QPointF along = pull.at - pull.from;
    const double l = std::hypot(along.x(), along.y());
    drag(pull.at.toPoint(), (pull.at + along * (30 / l)).toPoint());
    QVERIFY(inputs(id)["startPull"].dump() != "null");
    const auto after = std::get<brep::BodyPtr>(result(id)->outcome->outputs[0].object);
    const auto& a = *before->natural.begin()->second.surface;
    const auto& b = *after->natural.begin()->second.surface;
    QVERIFY((a.at(0.3, 0.4) - b.at(0.3, 0.4)).norm() > 0.2);
    // It still continues the skin below.
    const auto& lower =
        *std::get<brep::BodyPtr>(result("s4")->outcome->outputs[0].object)->natural.begin()->second.surface;
    const Vec3 n = b.normal(0.3, 0.0), at = b.at(0.3, 0.0);
    double best = 1e300, angle = 0;
    for (int i = 0; i < 4000; ++i)
      if (const double d = (lower.at(i / 4000.0, 1.0) - at).norm(); d < best)
        best = d, angle = degFromRad(angleBetweenRad(lower.normal(i / 4000.0, 1.0), n));
    VERIFY_AT_MOST(std::min(angle, 180 - angle), 0.1);
    click("keep");
    QVERIFY(settled());
  }

  void aPairIsBegunByAClickAndDraggedAlongAnotherSection() {
    for (const char* height : {"0", "60"}) ring("60", height);
    keys(Qt::Key_Home, Qt::ControlModifier);
    startLoft();
    const std::string id = w().session().draft();
    for (double height : {0.0, 60.0}) pickAt(onRing(60, height));
    more();
    auto* table = find<QTableWidget>("rows-pairs");
    QVERIFY(table);
    QTest::mouseClick(table->viewport(), Qt::LeftButton, {}, {40, 12});
    QVERIFY(settled());
    QCOMPARE(w().focus().rails().size(), size_t(2));
    QTest::mouseClick(&view(), Qt::LeftButton, {}, onScreen(onRing(60, 60, -1.6)));
    QVERIFY(settled());
    QCOMPARE(inputs(id)["pairs"].size(), size_t(1));
    QCOMPARE(inputs(id)["sections"].size(), size_t(2)); // the click was for the pair alone
    // Its free square on the lower ring is dragged a little to the side.
    QCOMPARE(result(id)->outcome->marks.all<recipe::Grip>().size(), size_t(2));
    const Mark free = mark("grip", [](const Mark& m) { return !m.strong; });
    drag(free.at.toPoint(), onScreen(onRing(60, 0, -1.3)));
    QCOMPARE(inputs(id)["pairs"].size(), size_t(2));
    QVERIFY(result(id)->status == recipe::Status::Ok);
    const auto& g = result(id)->outcome->marks.all<recipe::Grip>();
    VERIFY_AT_MOST((g[0].at - onRing(60, 0, -1.3)).norm(), 1.0);
    VERIFY_AT_MOST((g[1].at - onRing(60, 60, -1.6)).norm(), 1.0);
    const auto body = std::get<brep::BodyPtr>(result(id)->outcome->outputs[0].object);
    const auto& s = *body->natural.begin()->second.surface;
    double best = 1e300, u = 0;
    for (int i = 0; i <= 4000; ++i)
      if (const double d = (s.at(i / 4000.0, 0) - g[0].at).norm(); d < best) best = d, u = i / 4000.0;
    VERIFY_AT_MOST((s.at(u, 1) - g[1].at).norm(), 0.1);
    // A double click sets it free again.
    const Mark held = mark("grip", [&](const Mark& m) { return (m.world - g[0].at).norm() < 1e-6; });
    QTest::mouseDClick(&view(), Qt::LeftButton, {}, held.at.toPoint());
    QVERIFY(settled());
    QCOMPARE(inputs(id)["pairs"].size(), size_t(1));
    click("keep");
    QVERIFY(settled());
  }

  void sectionsAreBroughtIntoTheOfferedOrder() {
    for (const char* height : {"0", "60", "20", "40"}) ring("50", height);
    keys(Qt::Key_Home, Qt::ControlModifier);
    startLoft();
    const std::string id = w().session().draft();
    for (double height : {0.0, 60.0, 20.0, 40.0}) pickAt(onRing(50, height));
    QCOMPARE(inputs(id)["sections"].size(), size_t(4));
    click("remedy");
    QVERIFY(settled());
    QStringList order;
    for (const json& p : inputs(id)["sections"]) order << QString::fromStdString(p["step"].get<std::string>());
    QCOMPARE(order.join(" "), QString("s1 s3 s4 s2"));
    for (const Problem& p : result(id)->outcome->notes) QVERIFY(p.code != "LM-L104");
    click("keep");
    QVERIFY(settled());
  }
};

static test::Register<LoftsWindowTest> registeredLoftsWindowTest;
#include "lofts_test.moc"

#include "app/window.h"

#include "brep/names.h"
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

  /// A ring drawn on the face where it is clicked cuts a hole there.
  void aRingOnAFaceCutsAHole() {
    tray();
    click("tool-ring");
    click("pick-plane");
    pickAt({-30, 25, 8.6});
    const std::string ring = w().session().draft();
    QVERIFY2(result(ring)->status == recipe::Status::Ok, result(ring)->problem ? sentence(*result(ring)->problem).c_str() : "");
    w().session().edit(recipe::withValue(w().recipe(), {ring, "width"}, 12), "width");
    QVERIFY(settled());
    keys(Qt::Key_Return);
    const auto& curve = *std::get<recipe::CurvePtr>(result(ring)->outcome->outputs[0].object);
    Vec3 centre = Vec3::Zero();
    for (int i = 0; i < 8; ++i) centre += curve.at(curve.last() * i / 8) / 8;
    VERIFY_AT_MOST((centre - Vec3(-30, 25, centre.z())).norm(), 1.5); // as exactly as one points
    click("stage-trim");
    click("tool-trim");
    pickAt({30, -25, 8.6});
    pickAt(curve.at(0.3));
    const std::string trim = w().session().draft();
    QVERIFY2(result(trim)->status == recipe::Status::Ok, result(trim)->problem ? sentence(*result(trim)->problem).c_str() : "");
    QTest::mouseClick(&view(), Qt::LeftButton, {}, onScreen({30, -25, 8.6})); // this piece stays, too
    QVERIFY(settled());
    const Mark disc = mark("piece", [&](const Mark& x) { return !regions(trim)[x.index].piece.empty() && (regions(trim)[x.index].at - centre).norm() < 8; });
    QTest::mouseClick(&view(), Qt::LeftButton, {}, disc.at.toPoint());
    QVERIFY(settled());
    QCOMPARE(inspect::stateOf(*body(trim)).openings.size(), size_t(2));
    keys(Qt::Key_Return);
  }

  /// With the row open, a ring is drawn on the face and is the cutter: the tool, the button, the place, and back again.
  void aHoleIsDrawnAndCutInPlaceByFourClicks() {
    tray();
    click("stage-trim");
    click("tool-trim");
    const std::string trim = w().session().draft();
    click("draw-ring");
    QCOMPARE(w().focus().drawing(), std::string("ring"));
    pickAt({-30, 20, 8.6});
    const std::string ring = w().focus().open();
    QVERIFY(ring != trim && w().recipe().indexOf(ring) < w().recipe().indexOf(trim));
    QCOMPARE(w().focus().drawnFor(), trim);
    QCOMPARE(w().session().draft(), trim);
    QVERIFY2(result(trim)->status == recipe::Status::Ok, result(trim)->problem ? sentence(*result(trim)->problem).c_str() : "");
    auto state = inspect::stateOf(*body(trim));
    QCOMPARE(state.openings.size(), size_t(2));
    // About a quarter of the face; the hole follows while its handle is dragged.
    const double was = std::abs(state.areaMm2 - brep::massOf(body("s4")->shape).areaMm2);
    QVERIFY(was > 200 && was < 800);
    const Mark h = handle("width");
    const QPoint middle = onScreen({-30, 20, 8.6});
    drag(h.at.toPoint(), middle + (h.at.toPoint() - middle) / 2);
    state = inspect::stateOf(*body(trim));
    QVERIFY(std::abs(state.areaMm2 - brep::massOf(body("s4")->shape).areaMm2) < 0.5 * was);
    keys(Qt::Key_Return); // back to the trim
    QCOMPARE(w().focus().open(), trim);
    QCOMPARE(regions(trim).size(), size_t(2));
    // The ring's row may be looked at again; the draft stays one.
    w().focus().unfold(ring);
    QCOMPARE(w().session().draft(), trim);
    keys(Qt::Key_Escape);
    QCOMPARE(w().focus().open(), trim);
    keys(Qt::Key_Return);
    QVERIFY(w().session().draft().empty());
    // One entry to go back over.
    w().session().undo();
    QVERIFY(settled());
    QVERIFY(!w().recipe().find(ring) && !w().recipe().find(trim));
    w().session().redo();
    QVERIFY(settled());
    // In a row that was kept, too: a spline across the tray.
    w().focus().unfold(trim);
    click("draw-spline");
    pickAt({20, -20, 10});
    const std::string line = w().focus().open();
    QCOMPARE(w().focus().drawnFor(), trim);
    for (const Vec3& p : {Vec3(35, -60, 9), Vec3(33, 0, 9), Vec3(35, 60, 9)}) {
      QTest::mouseClick(&view(), Qt::LeftButton, {}, onScreen(p));
      QVERIFY(settled());
    }
    QCOMPARE(inputs(line)["points"].size(), size_t(3));
    QVERIFY2(result(trim)->status == recipe::Status::Ok, result(trim)->problem ? sentence(*result(trim)->problem).c_str() : "");
    keys(Qt::Key_Return);
    QCOMPARE(w().focus().open(), trim);
    QCOMPARE(regions(trim).size(), size_t(3));
    keys(Qt::Key_Escape);
  }

  void escapeLeavesDrawingBeforeTheDraft() {
    tray();
    click("stage-trim");
    click("tool-trim");
    const std::string trim = w().session().draft();
    click("draw-ring");
    QVERIFY(settled());
    keys(Qt::Key_Escape);
    QVERIFY(w().focus().drawing().empty());
    QCOMPARE(w().session().draft(), trim);
    click("draw-ring");
    pickAt({-30, 20, 8.6});
    const std::string ring = w().focus().open();
    w().session().undo(); // the ring is gone, the draft stays
    QVERIFY(settled());
    QVERIFY(!w().recipe().find(ring));
    QCOMPARE(w().session().draft(), trim);
    QCOMPARE(w().focus().open(), trim);
    keys(Qt::Key_Escape);
    QVERIFY(w().session().draft().empty());
    QVERIFY(!w().recipe().find(trim));
  }

  /// The hole goes again by two clicks and the skin is what it was; then it goes on, is offset and gets a wall.
  void aHoleIsTakenBackAndTheSkinGoesOn() {
    tray();
    add("ring", {{"width", 24}, {"height", 30}});
    add("trim", {{"body", picks({pick("s4")})}, {"by", picks({pick("s5")})}, {"keep", "back"}});
    view().fitAll();
    QVERIFY(settled());
    const auto whole = body("s4"), holed = body("s6");
    Vec3 onHole = Vec3::Zero();
    for (size_t i = 0; i < holed->edgeNames.size(); ++i)
      if (holed->edgeNames[i].find("cut:") != std::string::npos) onHole = brep::signatureOf(*holed, brep::PartKind::Edge, int(i)).middle;
    click("stage-trim");
    click("tool-restore");
    pickAt(onHole);
    QVERIFY2(result("s7")->status == recipe::Status::Ok, result("s7")->problem ? sentence(*result("s7")->problem).c_str() : "");
    QCOMPARE(body("s7")->natural.size(), size_t(1));
    QCOMPARE((body("s7")->natural.begin()->second.surface->grid() - whole->natural.begin()->second.surface->grid()).cwiseAbs().maxCoeff(), 0.0);
    keys(Qt::Key_Escape);
    QVERIFY(settled());
    QVERIFY(w().session().draft().empty());
    QVERIFY(w().recipe().find("s7") == nullptr);

    click("tool-extend");
    pickAt({-60, 20, 0});
    const std::string extended = w().session().draft();
    QVERIFY2(result(extended)->status == recipe::Status::Ok, result(extended)->problem ? sentence(*result(extended)->problem).c_str() : "");
    // Dragged inwards past its edge, it is shortened.
    const auto before = inspect::stateOf(*body(extended));
    QVERIFY(before.boxLow.x() < -68);
    drag(handle("length").at.toPoint(), onScreen({-40, 20, 5}));
    QVERIFY(settled());
    const json length = inputs(extended)["length"];
    QVERIFY2((length.is_string() ? std::stod(length.get<std::string>()) : length.get<double>()) < -5, length.dump().c_str());
    QVERIFY2(result(extended)->status == recipe::Status::Ok, result(extended)->problem ? sentence(*result(extended)->problem).c_str() : "");
    QVERIFY(inspect::stateOf(*body(extended)).boxLow.x() > -56);
    keys(Qt::Key_Return);

    click("tool-offset");
    pickAt({0, 30, 10});
    const std::string offset = w().session().draft();
    QVERIFY2(result(offset)->status == recipe::Status::Ok, result(offset)->problem ? sentence(*result(offset)->problem).c_str() : "");
    QCOMPARE(inspect::stateOf(*body(offset)).openings.size(), size_t(2));
    keys(Qt::Key_Return);
    click("stage-solid");
    click("tool-thicken");
    pickAt({0, 30, 10});
    const std::string wall = w().session().draft();
    QVERIFY2(result(wall)->status == recipe::Status::Ok, result(wall)->problem ? sentence(*result(wall)->problem).c_str() : "");
    const auto state = inspect::stateOf(*body(wall));
    QVERIFY(state.solid && state.valid && state.openEdges == 0);
    keys(Qt::Key_Return);
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

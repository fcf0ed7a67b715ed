#include "brep/convert.h"
#include "drawing/measure.h"
#include "drawing/relate.h"
#include "jobs/drawing_job.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "support/recipes.h"

#include <QTemporaryDir>

using namespace lumsk;
using namespace lumsk::test;
using drawing::Drawing;
using drawing::Id;
using drawing::Law;

/// Drawing by mouse and keys, from an empty window.
class DrawingWindowTest : public DrawingJob {
  Q_OBJECT

  Id lineAt(const Vec2& a, const Vec2& b) {
    for (const auto& e : now().entities)
      if (e.shape == drawing::Shape::Line && ((now().at(e.points[0]) - a).norm() + (now().at(e.points[1]) - b).norm() < 0.5 || (now().at(e.points[1]) - a).norm() + (now().at(e.points[0]) - b).norm() < 0.5)) return e.id;
    return {};
  }
  void select(std::vector<Vec3> places) {
    board().clearSelection();
    for (size_t i = 0; i < places.size(); ++i) pickAt(places[i], i ? Qt::ControlModifier : Qt::NoModifier);
  }
  double valueOf(const Id& id) { return *drawing::measured(now(), *now().relation(id)); }

  /// A place in the middle of an edge of a body that lies at this x.
  Vec3 placeOnEdge(const std::string& step, double x) {
    for (const TopoDS_Edge& e : brep::edges(*body(step)))
      if (const auto p = brep::toPath(e); p && std::abs(p->start().x() - x) < 1e-6 && std::abs(p->end().x() - x) < 1e-6) return p->at(0.5 * p->last());
    qWarning("there is no such edge");
    return Vec3::Zero();
  }

private slots:
  void aRectangleIsDrawnNumberedPulledAndMadeSolid() {
    begin("front");
    const auto d = w().recipe().steps.back()->id;
    with("rectangle");
    put(-20, -10);
    typedTowards(20, 15, "40;25");
    rest();
    QCOMPARE(now().entities.size(), size_t(4));
    QCOMPARE(board().freedom().ways, 2);
    VERIFY_AT_MOST(std::abs(nurbs::ArcLength(curve(d)).total() - 130), 1e-9);
    VERIFY_AT_MOST(std::abs(curve(d).start().y()), 1e-12); // on the front plane
    // A line is pulled: the whole follows, nothing bends.
    drag(onScreen(on(0, -10)), onScreen(on(10, -2)));
    VERIFY_AT_MOST(std::abs(nurbs::ArcLength(curve(d)).total() - 130), 1e-6);
    const Vec2 corner = now().at(now().entities[0].points[0]);
    VERIFY_AT_MOST((corner - Vec2(-10, -2)).norm(), 0.5);
    // A number is clicked and becomes another.
    const Mark number = mark("dimension", [](const Mark& m) { return m.text.startsWith("40"); });
    QTest::mouseClick(&view(), Qt::LeftButton, {}, number.at.toPoint());
    typed("number-editor", "52");
    VERIFY_AT_MOST(std::abs(nurbs::ArcLength(curve(d)).total() - 154), 1e-6);
    keep();
    QVERIFY(w().session().draft().empty());
    QVERIFY(!board().open());
    // Undone and done again.
    keys(Qt::Key_Z, Qt::ControlModifier);
    keys(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(settled());
    QVERIFY(good(d));
  }

  void aChainWithAnArcClosesAndIsOneLine() {
    begin("top");
    const auto d = w().recipe().steps.back()->id;
    with("line");
    put(0, 0);
    put(30, 0); // level by itself
    QCOMPARE(now().relations.back().law, Law::Level);
    drag(onScreen(on(30, 0.5)), onScreen(on(30, 24))); // an arc that leaves tangent
    QCOMPARE(now().entities.size(), size_t(2));
    QVERIFY(now().entities[1].shape == drawing::Shape::Arc);
    put(0, 24);
    put(0, 0);
    QCOMPARE(now().entities.size(), size_t(4));
    rest();
    QVERIFY(good(d));
    QVERIFY(curve(d).closed());
    VERIFY_AT_MOST(std::abs(nurbs::ArcLength(curve(d)).total() - (30 + 12 * kPi + 30 + 24)), 0.6);
    keep();
  }

  void everyRelationIsSaidByItsWord() {
    begin("top");
    const auto free = [&](std::vector<Vec2> places) { // with Alt nothing is snapped to
      for (const Vec2& p : places) put(p.x(), p.y(), Qt::AltModifier);
      rest();
    };
    with("line"), free({{-30, -20}, {-5, -17}});
    with("line"), free({{-28, 5}, {-6, 12}});
    with("circle"), free({{20, -10}, {26, -10}});
    with("circle"), free({{25, 15}, {33, 15}});
    QCOMPARE(now().entities.size(), size_t(4));
    const auto somewhere = [&](size_t entity) {
      const auto line = drawing::alongEntity(now(), now().entities[entity], 48);
      const Vec2 p = line.front() + 0.3 * (line[1] - line.front());
      return on(p.x(), p.y());
    };
    const auto point = [&](size_t entity, size_t k) {
      const Vec2 p = now().at(now().entities[entity].points[k]);
      return on(p.x(), p.y());
    };
    const auto two = [&] { return std::vector<Vec3>{somewhere(0), somewhere(1)}; };
    const auto say = [&](std::vector<Vec3> places, Law law) {
      select(places);
      const size_t before = now().relations.size();
      press(QString("say-") + drawing::lawName(law));
      QVERIFY2(now().relations.size() > before, drawing::lawName(law));
      QVERIFY2(now().relations.back().law == law, drawing::lawName(law));
      const auto solvedOne = drawing::solved(now());
      QVERIFY(solvedOne.has_value());
      for (const auto& p : now().points) VERIFY_AT_MOST((solvedOne->at(p.id) - p.at).norm(), 1e-7); // it holds
      keys(Qt::Key_Z, Qt::ControlModifier);
      QVERIFY(settled());
    };
    for (const Law law : {Law::Parallel, Law::Square, Law::Equal, Law::InLine, Law::Angle}) say(two(), law);
    for (const Law law : {Law::Level, Law::Upright, Law::Fixed, Law::Length, Law::LevelDistance, Law::UprightDistance}) say({two()[0]}, law);
    const auto rounds = [&] { return std::vector<Vec3>{somewhere(2), somewhere(3)}; };
    for (const Law law : {Law::Equal, Law::SameCentre, Law::Tangent}) say(rounds(), law);
    for (const Law law : {Law::Radius, Law::Diameter}) say({rounds()[0]}, law);
    for (const Law law : {Law::Tangent, Law::Distance}) say({two()[0], rounds()[0]}, law);
    for (const Law law : {Law::Together, Law::Distance, Law::Fixed}) say({point(0, 0), point(1, 0)}, law);
    for (const Law law : {Law::On, Law::Middle, Law::Distance}) say({point(0, 0), two()[1]}, law);
    say({point(0, 0), point(0, 1), two()[1]}, Law::Mirrored);
    QVERIFY(now().relations.empty());
  }

  void aConflictIsShownAndSolvedByItsClick() {
    begin("top");
    const auto d = w().recipe().steps.back()->id;
    with("rectangle");
    put(-20, -10);
    typedTowards(20, 15, "40;25");
    rest();
    select({on(0, 15)});
    press("say-length");
    // It follows already: it only tells.
    QVERIFY(now().relations.back().measured);
    const Id extra = now().relations.back().id;
    press("relation-measured");
    board().setText(extra, "44");
    QVERIFY(settled());
    QCOMPARE(result(d)->problem->code, std::string("LM-U005"));
    QVERIFY(board().contradicting().count(extra));
    // The last good shape is there.
    VERIFY_AT_MOST(std::abs(valueOf(extra) - 40), 1e-9);
    QAbstractButton* offer = nullptr;
    QVERIFY(QTest::qWaitFor([&] {
      for (auto* x : window_->findChildren<QPushButton*>())
        if (x->isVisible() && x->property("role").toString() == "remedy" && x->text().contains("40")) offer = x;
      return offer != nullptr;
    }, 3000));
    QTest::mouseClick(offer, Qt::LeftButton);
    QVERIFY(settled());
    QVERIFY(good(d));
    VERIFY_AT_MOST(std::abs(valueOf(extra) - 44), 1e-9);
  }

  void numbersOfTheRecipeMoveADrawing() {
    w().session().edit([&] {
      auto r = w().recipe();
      r.parameters.push_back({"waist", "30"});
      return r;
    }(), "a number");
    begin("top");
    const auto d = w().recipe().steps.back()->id;
    with("rectangle");
    put(0, 0);
    typedTowards(20, 15, "waist;waist/2");
    rest();
    VERIFY_AT_MOST(std::abs(nurbs::ArcLength(curve(d)).total() - 90), 1e-9);
    keep();
    auto r = w().recipe();
    r.parameters[0].expression = "62";
    w().session().edit(r, "another");
    QVERIFY(settled());
    VERIFY_AT_MOST(std::abs(nurbs::ArcLength(curve(d)).total() - 186), 1e-9);
  }

  void changesAreMadeByClicks() {
    begin("top");
    with("rectangle");
    put(-20, -10);
    typedTowards(20, 15, "40;24");
    rest();
    with("round");
    auto* radius = find<QLineEdit>("draw-option-radius");
    QVERIFY(radius);
    radius->selectAll();
    QTest::keyClicks(radius, "5");
    put(-20, -10), put(20, 14);
    QCOMPARE(std::count_if(now().entities.begin(), now().entities.end(), [](const auto& e) { return e.shape == drawing::Shape::Arc; }), 2);
    with("round"); // off
    with("line");
    put(0, -20), put(0, 25);
    rest();
    with("trim");
    put(10, -10);
    rest();
    QCOMPARE(std::count_if(now().entities.begin(), now().entities.end(), [](const auto& e) { return e.shape == drawing::Shape::Line; }), 5);
    with("split");
    put(0, 5);
    rest();
    QVERIFY(now().entities.size() == 8);
    // Del takes out what is picked.
    select({on(0, -17)});
    QCOMPARE(board().selection().size(), size_t(1));
    QTest::keyClick(&view(), Qt::Key_Delete);
    QVERIFY(settled());
    QCOMPARE(now().entities.size(), size_t(7));
  }

  void aHoleIsDrawnOnAFaceWithoutLeavingTheTrim() {
    for (double y : {-40.0, 0.0, 40.0}) add("spline", {{"points", pointList({{-60, y, 0}, {-20, y, 10}, {20, y, 10}, {60, y, 0}})}});
    add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}});
    look(scene::ViewFrom::Corner);
    tool("trim", "trim");
    at(placeSeen("s4", [](const scene::Hit& h) { return h.at.x() < -30; }));
    const std::string trim = draft();
    press("draw-drawing");
    at(placeSeen("s4", [](const scene::Hit& h) { return h.at.head<2>().norm() < 12; }));
    QVERIFY(QTest::qWaitFor([&] { return board().open(); }, 3000));
    with("circle");
    put(0, 0);
    typedTowards(6, 0, "14");
    rest();
    QCOMPARE(now().entities.size(), size_t(1));
    keys(Qt::Key_Return); // back to the trim
    QVERIFY(settled());
    QCOMPARE(QString::fromStdString(w().focus().open()), QString::fromStdString(trim));
    QVERIFY(good(trim));
    const auto state = inspect::stateOf(*body(trim));
    QCOMPARE(state.openings.size(), size_t(2));
    keep();
  }

  /// A spline of degree 5 that leaves its start flat and meets an edge of a skin with equal curvature; its angle there only tells.
  void aSideLineGoesOnFromAnEdgeAndSurvivesItsChange() {
    begin("side");
    const auto outer = w().recipe().steps.back()->id;
    with("spline_control");
    put(30, 0), put(34, 12), put(28, 24), put(20, 34);
    QTest::keyClick(&view(), Qt::Key_Return);
    rest();
    keep();
    look(scene::ViewFrom::Corner);
    tool("surfaces", "extrude");
    const auto skin = draft();
    at(curve(outer).at(0.5));
    enter("length", "20");
    keep();
    look(scene::ViewFrom::Corner);
    begin("side");
    const auto side = w().recipe().steps.back()->id;
    with("link");
    at(placeOnEdge(skin, 20));
    QCOMPARE(now().entities.size(), size_t(1));
    QVERIFY(now().entities[0].linked);
    QCOMPARE(inputs(side)["links"][0]["kind"].get<std::string>(), std::string("edge"));
    const Id edge = now().entities[0].id;
    with("spline_control");
    typed("draw-option-degree", "5");
    put(-44, 58), put(-30, 58.2), put(-16, 57), put(-2, 54), put(11, 45), put(20, 34);
    QTest::keyClick(&view(), Qt::Key_Return);
    rest();
    const Id line = now().entities.back().id;
    QCOMPARE(now().entity(line)->degree, 5);
    const auto there = [&](size_t k) {
      const Vec2 p = now().at(now().entity(line)->points[k]);
      return on(p.x(), p.y());
    };
    const auto along = [&](const Id& id, double part) {
      const auto places = drawing::alongEntity(now(), *now().entity(id), 48);
      const Vec2 p = places[size_t(part * double(places.size() - 1))];
      return on(p.x(), p.y());
    };
    select({there(0), along(line, 0.4)});
    press("say-flat");
    select({along(line, 0.4), along(edge, 0.3)});
    press("say-same_curvature");
    select({there(5), along(line, 0.4)});
    press("say-end_angle");
    QVERIFY(now().relations.back().measured);
    rest();
    const auto holds = [&] {
      QVERIFY(good(side));
      const nurbs::Path &s = curve(side), e = curve(outer);
      nurbs::CurveDerivatives c;
      s.derivatives(0, 2, c);
      VERIFY_AT_MOST(c[1].cross(c[2]).norm() / std::pow(c[1].norm(), 3), 1e-9);
      VERIFY_AT_MOST((s.end() - e.end()).norm(), 1e-6);
      const auto bend = [](const nurbs::Path& p) {
        nurbs::CurveDerivatives d;
        p.derivatives(p.last(), 2, d);
        return std::pair(Vec3(d[1].normalized()), d[1].cross(d[2]).x() / std::pow(d[1].norm(), 3));
      };
      // They meet head on: what turns left in one turns right in the other.
      QVERIFY(bend(s).first.dot(bend(e).first) < 0);
      VERIFY_AT_MOST(bend(s).first.cross(bend(e).first).norm(), 1e-7);
      VERIFY_AT_MOST(std::abs(bend(s).second + bend(e).second), 1e-6 * std::abs(bend(e).second));
    };
    holds();
    const double angle = valueOf(now().relations.back().id);
    keep();
    // The edge becomes another one.
    w().focus().unfold(outer);
    QVERIFY(settled());
    const Vec2 handle = now().at(now().entities[0].points[2]);
    drag(onScreen(on(handle.x(), handle.y())), onScreen(on(handle.x() + 5, handle.y() + 3)));
    keep();
    holds();
    w().focus().unfold(side);
    QVERIFY(settled());
    QVERIFY(std::abs(valueOf(now().relations.back().id) - angle) > 0.01);
  }

  void lettersAreWrittenChangedAndMadeSolid() {
    begin("top");
    const auto d = w().recipe().steps.back()->id;
    with("text");
    typed("draw-option-text", "OH");
    put(0, 0);
    typedTowards(0.3, 10, "12");
    rest();
    QVERIFY(good(d));
    QCOMPARE(now().entities[0].text, std::string("OH"));
    VERIFY_AT_MOST((now().at(now().entities[0].points[1]) - Vec2(0, 12)).norm(), 1e-9); // upright by itself
    QCOMPARE(result(d)->outcome->outputs.size(), size_t(3));
    // An outline is clicked, and the letters are others.
    const auto rim = drawing::linesOf(now(), now().entities[0], 48)[0];
    const Vec2 right = *std::max_element(rim.begin(), rim.end(), [](const Vec2& a, const Vec2& b) { return a.x() < b.x(); });
    select({on(right.x(), right.y())});
    QCOMPARE(board().selection(), std::vector<Id>{now().entities[0].id});
    typed("draw-letters", "HOB");
    QCOMPARE(result(d)->outcome->outputs.size(), size_t(6));
    rest();
    keep();
    look(scene::ViewFrom::Corner);
    tool("surfaces", "extrude");
    const auto solid = draft();
    at(curve(d).at(0.5)); // any of them is all of them
    enter("length", "3");
    tick("solid");
    QVERIFY(good(solid));
    double volume = 0;
    for (const auto& b : w().model()->bodies) volume += inspect::stateOf(*b.body).volumeMm3;
    QVERIFY(volume > 3 * 12 * 2 * 6);
    keep();
  }

  /// A window drawn above two bodies and cut through the upper one only.
  void aWindowIsCutThroughOneBodyOnly() {
    for (const int z : {0, 8}) {
      const std::string ring = "s" + std::to_string(z ? 3 : 1);
      add("ring", {{"shape", "circle"}, {"width", 60}, {"height", z}});
      add("extrude", {{"sections", picks({pick(ring)})}, {"length", 5}, {"solid", true}});
    }
    add("plane", {{"distance", 20}});
    const auto volume = [&](const std::string& id) { return inspect::stateOf(*body(id)).volumeMm3; };
    const double whole = volume("s4");
    look(scene::ViewFrom::Corner);
    tool("curves", "drawing");
    at(planeOfStepSeen("s5"));
    QVERIFY(QTest::qWaitFor([&] { return board().open(); }, 3000));
    const auto outline = draft();
    board().take("");
    with("slot");
    put(-10, 0), put(10, 0), put(10, 4);
    rest();
    QVERIFY(good(outline));
    keep();
    look(scene::ViewFrom::Corner);
    tool("surfaces", "extrude");
    const auto plug = draft();
    at(curve(outline).at(0.5));
    enter("length", "-16"); // it reaches into the lower body, too
    tick("solid");
    QVERIFY(good(plug));
    keep();
    tool("solid", "combine");
    const auto cut = draft();
    at(placeSeen("s4", [](const scene::Hit& h) { return h.step == "s4"; }));
    press("pick-tools");
    at(placeSeen(plug, [&](const scene::Hit& h) { return h.step == plug; }));
    option("how", "cut");
    QVERIFY(good(cut));
    keep();
    VERIFY_AT_MOST(std::abs(whole - volume(cut) - 5 * (20 * 8 + kPi * 16)), 0.01);
    QCOMPARE(w().model()->bodies.size(), size_t(2)); // the plug is used up
    VERIFY_AT_MOST(std::abs(volume("s2") - whole), 1e-6);
    countedIn("a window cut through one body of two");
  }

  void whatIsMetOutsideIsLinkedAndAnglesAreTyped() {
    add("spline", {{"points", pointList({{-40, -10, 0}, {-10, 5, 0}, {20, -5, 0}})}});
    view().fitAll();
    begin("top");
    const auto d = w().recipe().steps.back()->id;
    with("line");
    put(20.2, -5.1); // its end
    QCOMPARE(now().points.size(), size_t(1));
    QVERIFY(!now().points[0].link.empty());
    typedTowards(30, 10, "25\t30");
    rest();
    QVERIFY(good(d));
    VERIFY_AT_MOST((curve(d).end() - Vec3(20 + 25 * std::cos(kPi / 6), -5 + 12.5, 0)).norm(), 1e-9);
    QCOMPARE(board().freedom().ways, 0); // length and angle hold
    keep();
    w().session().setInput("s1", "points", pointList({{-40, -10, 0}, {-10, 5, 0}, {24, 3, 0}}), "moved");
    QVERIFY(settled());
    VERIFY_AT_MOST((curve(d).start() - Vec3(24, 3, 0)).norm(), 1e-9);
  }

  void aBodyIsLinkedByItsSectionElseItsOutline() {
    add("ring", {{"shape", "circle"}, {"width", 40}});
    add("ring", {{"shape", "circle"}, {"width", 60}, {"height", 30}});
    const std::string level = "s4";
    add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    add("plane", {{"distance", 15}});
    look(scene::ViewFrom::Corner);
    tool("curves", "drawing");
    at(planeOfStepSeen(level));
    QVERIFY(QTest::qWaitFor([&] { return board().open(); }, 3000));
    board().take("");
    look(scene::ViewFrom::Corner);
    with("link");
    // On its near side, above the plane.
    for (int k = 0; k < 24 && now().entities.empty(); ++k) {
      const Vec3 p(28 * std::cos(k * kPi / 12), 28 * std::sin(k * kPi / 12), 24);
      const auto hits = scene::pickAt(*w().scene(), view().camera(), onScreen(p).x(), onScreen(p).y(), recipe::Kind::Skin | recipe::Kind::Edge | recipe::Kind::Curve);
      if (!hits.empty() && hits[0].kind == recipe::Kind::Skin) at(p);
    }
    QVERIFY(!now().entities.empty() && now().entities[0].linked);
    QCOMPARE(inputs(w().focus().open())["links"][0]["kind"].get<std::string>(), std::string("skin"));
    for (const auto& e : now().entities)
      for (const Vec2& q : drawing::alongEntity(now(), e, 40)) VERIFY_AT_MOST(std::abs(q.norm() - 25), 0.01);
  }

  void aSplinesCombLeadsToItsTightestPlace() {
    begin("top");
    with("spline");
    put(-30, 0), put(-5, 14), put(4, 15), put(30, 0);
    QTest::keyClick(&view(), Qt::Key_Return);
    rest();
    const auto middle = drawing::alongEntity(now(), now().entities[0], 48)[12];
    select({on(middle.x(), middle.y())});
    const Mark tightest = mark("comb-tightest", [](const Mark&) { return true; });
    QVERIFY(tightest.text.startsWith("r "));
    QTest::mouseClick(&view(), Qt::LeftButton, {}, tightest.at.toPoint());
    QTest::qWait(50);
    const QPoint now1 = onScreen(tightest.world), centre = view().rect().center();
    QVERIFY((now1 - centre).manhattanLength() < 160); // the view leads there
    QCOMPARE(board().selection().size(), size_t(1));
  }

  void aHalfIsMirroredSmoothlyByClicks() {
    begin("top");
    const auto d = w().recipe().steps.back()->id;
    with("line");
    put(0, -20), put(0, 40);
    rest();
    select({on(0, 10)});
    press("draw-turn-construction");
    rest();
    with("spline_control");
    put(0, 30), put(14, 33, Qt::AltModifier), put(26, 20, Qt::AltModifier), put(18, 2, Qt::AltModifier);
    QTest::keyClick(&view(), Qt::Key_Return);
    rest();
    const auto middle = drawing::alongEntity(now(), now().entities.back(), 48)[24];
    select({on(middle.x(), middle.y())});
    with("mirror_smooth");
    put(0, -10);
    rest();
    QVERIFY(good(d));
    QCOMPARE(result(d)->outcome->outputs.size(), size_t(1)); // one line, which goes on over the joint
    double bends[2];
    for (const int side : {0, 1}) {
      nurbs::CurveDerivatives c;
      curve(d).derivatives(1 + (side ? 1e-9 : -1e-9), 2, c);
      bends[side] = c[1].cross(c[2]).z() / std::pow(c[1].norm(), 3);
    }
    VERIFY_AT_MOST(std::abs(bends[1] / bends[0] - 1), 1e-5);
    keep();
  }

  void aFileDroppedOnTheWindowIsADrawing() {
    QTemporaryDir dir;
    const QString path = dir.filePath("plate.svg");
    QFile f(path);
    QVERIFY(f.open(QIODevice::WriteOnly));
    f.write("<svg xmlns='http://www.w3.org/2000/svg' width='40mm' height='30mm' viewBox='0 0 40 30'><rect x='2' y='3' width='30' height='20'/></svg>");
    f.close();
    drop(path);
    QVERIFY(settled());
    QVERIFY(board().open());
    const auto d = w().recipe().steps.back()->id;
    QVERIFY(good(d));
    QVERIFY(curve(d).closed());
    VERIFY_AT_MOST(std::abs(nurbs::ArcLength(curve(d)).total() - 100), 1e-6);
    keep();
  }

  void aLinkIsFollowed() {
    add("spline", {{"points", pointList({{-40, -10, 0}, {-10, 5, 0}, {20, -5, 0}})}});
    view().fitAll();
    begin("top");
    const auto d = w().recipe().steps.back()->id;
    with("link");
    at(curve("s1").at(0.5));
    QCOMPARE(now().entities.size(), size_t(1));
    QVERIFY(now().entities[0].linked);
    with("link"); // off
    with("line");
    put(20, -5), put(35, 20);
    rest();
    QVERIFY(good(d));
    VERIFY_AT_MOST((curve(d).start() - Vec3(20, -5, 0)).norm(), 1e-9);
    keep();
    w().session().setInput("s1", "points", pointList({{-40, -10, 0}, {-10, 5, 0}, {24, 3, 0}}), "moved");
    QVERIFY(settled());
    VERIFY_AT_MOST((curve(d).start() - Vec3(24, 3, 0)).norm(), 1e-9);
    // Taken out, it does not come back.
    w().focus().unfold(d);
    QVERIFY(settled());
    const auto linked = std::find_if(now().entities.begin(), now().entities.end(), [](const auto& e) { return e.linked; });
    const Vec2 there = drawing::alongEntity(now(), *linked, 48)[12];
    select({on(there.x(), there.y())});
    QCOMPARE(board().selection().size(), size_t(1));
    QTest::keyClick(&view(), Qt::Key_Delete);
    QVERIFY(settled());
    QCOMPARE(now().entities.size(), size_t(1));
    QVERIFY(inputs(d).value("links", json::array()).empty());
  }
};

static test::Register<DrawingWindowTest> registeredDrawingWindowTest;
#include "drawing_window_test.moc"

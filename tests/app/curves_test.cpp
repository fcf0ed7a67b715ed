#include "app/window.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/measure/wrinkles.h"
#include "support/recipes.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/meet.h"

using namespace lumsk;
using namespace lumsk::test;

/// Curves and networks, made by hand.
class CurvesWindowTest : public WindowTestBase {
  Q_OBJECT

  void tool(const char* kind, Qt::Key stage = Qt::Key_1) {
    keys(stage);
    click(QString("tool-") + kind);
    QVERIFY(settled());
    view().setFocus();
  }

  void keep() {
    click("keep");
    QVERIFY(settled());
  }

  const nurbs::Path& curve(const std::string& step, size_t output = 0) {
    return *std::get<recipe::CurvePtr>(result(step)->outcome->outputs[output].object);
  }

  /// A kept spline through places that are clicked.
  std::string spline(const std::vector<Vec3>& places) {
    tool("spline");
    const std::string id = w().session().draft();
    for (const Vec3& p : places) pickAt(p);
    keep();
    return id;
  }

  /// Two lines along and three across that end on them or cross them.
  std::vector<std::string> fiveCurves() {
    keys(Qt::Key_Up, Qt::ControlModifier); // from above
    std::vector<std::string> ids{spline({{-60, -40, 0}, {0, -55, 0}, {60, -40, 0}}),
                                 spline({{-60, 40, 0}, {0, 55, 0}, {60, 40, 0}})};
    for (double f : {0.0, 0.5, 1.0}) {
      const auto at = [&](const std::string& id) {
        const auto& c = curve(id);
        return f == 0 ? c.start() : f == 1 ? c.end() : c.at(nurbs::ArcLength(c).parameterAtFraction(0.5));
      };
      ids.push_back(spline({at(ids[0]), 0.5 * (at(ids[0]) + at(ids[1])) + Vec3(8, 0, 0), at(ids[1])}));
    }
    return ids;
  }

private slots:
  void aNetworkOfFiveCurvesIsBuiltCheckedAndLofted() {
    const auto ids = fiveCurves();
    for (const auto& id : ids) QVERIFY(result(id)->status == recipe::Status::Ok);
    keys(Qt::Key_Home, Qt::ControlModifier);
    // Objects first: all five, then the tool.
    for (size_t i = 0; i < ids.size(); ++i) {
      const auto& c = curve(ids[i]);
      pickAt(c.at(nurbs::ArcLength(c).parameterAtFraction(0.3)), i ? Qt::ControlModifier : Qt::NoModifier);
    }
    QCOMPARE(w().focus().selection().size(), size_t(5));
    tool("network_check", Qt::Key_6);
    const std::string check = w().session().draft();
    QCOMPARE(inputs(check)["curves"].size(), size_t(5));
    QCOMPARE(result(check)->outcome->marks.all<recipe::Flag>().size(), size_t(6));
    QCOMPARE(result(check)->outcome->measured.begin()->second.value, 0.0);
    keep();
    w().focus().unfold({});
    // The three across make a skin.
    tool("loft", Qt::Key_2);
    const std::string loft = w().session().draft();
    for (size_t i = 2; i < 5; ++i) {
      const auto& c = curve(ids[i]);
      pickAt(c.at(nurbs::ArcLength(c).parameterAtFraction(0.3)));
    }
    keep();
    QVERIFY(result(loft)->status == recipe::Status::Ok);
    QCOMPARE(inputs(loft)["sections"].size(), size_t(3));
    QCOMPARE(w().model()->bodies.size(), size_t(1));
  }

  void aPartOfACurveIsTakenAndItsEndDraggedToACrossing() {
    const auto ids = fiveCurves();
    keys(Qt::Key_Home, Qt::ControlModifier);
    tool("ribbon", Qt::Key_2);
    const std::string ribbon = w().session().draft();
    const auto& master = curve(ids[0]);
    const nurbs::ArcLength length(master);
    pickAt(master.at(length.parameterAtFraction(0.3)));
    QVERIFY(result(ribbon)->status == recipe::Status::Ok);
    click("pick-part");
    QVERIFY(settled());
    QCOMPARE(inputs(ribbon)["curve"][0].value("to", -1.0), 1.0);
    // The start is dragged to where the middle curve meets it; it then follows that curve.
    const Mark from = mark("flag", [](const Mark& m) { return m.key == "from"; });
    drag(from.at.toPoint(), onScreen(master.at(length.parameterAtFraction(0.5))) + QPoint(3, -2));
    const json& pick = inputs(ribbon)["curve"][0];
    QCOMPARE(pick["fromAt"][0]["step"].get<std::string>(), ids[3]);
    VERIFY_AT_MOST(std::abs(pick["from"].get<double>() - 0.5), 1e-3);
    // The other end by number.
    type("to", "0.9");
    QVERIFY(settled());
    const auto body = std::get<brep::BodyPtr>(result(ribbon)->outcome->outputs[0].object);
    const auto& s = *body->natural.begin()->second.surface;
    VERIFY_AT_MOST((s.at(0, 0) - master.at(length.parameterAtFraction(0.5))).norm(), 0.01);
    VERIFY_AT_MOST((s.at(1, 0) - master.at(length.parameterAtFraction(0.9))).norm(), 0.01);
    // The whole curve again.
    click("pick-part");
    QVERIFY(settled());
    QVERIFY(!inputs(ribbon)["curve"][0].contains("from") && !inputs(ribbon)["curve"][0].contains("fromAt"));
    QCOMPARE(curve(ids[0]).segments().size(), size_t(1)); // it never was cut
  }

  void allCurvesOfAStepAreTakenByItsChip() {
    const auto ids = fiveCurves();
    keys(Qt::Key_Home, Qt::ControlModifier);
    tool("split_curve");
    const std::string pieces = w().session().draft();
    const auto& master = curve(ids[0]);
    const nurbs::ArcLength length(master);
    pickAt(master.at(length.parameterAtFraction(0.3)));
    pickAt(curve(ids[3]).at(nurbs::ArcLength(curve(ids[3])).parameterAtFraction(0.7))); // the line in the middle
    keep();
    QCOMPARE(result(pieces)->outcome->outputs.size(), size_t(2));
    w().focus().unfold({});
    tool("measure", Qt::Key_6);
    const std::string m = w().session().draft();
    w().session().setInput(m, "what", "length", "length");
    QVERIFY(settled());
    pickAt(curve(pieces).at(0.4));
    QCOMPARE(inputs(m)["of"][0].value("part", ""), std::string("1"));
    const double one = result(m)->outcome->measured.begin()->second.value;
    VERIFY_AT_MOST(std::abs(one - nurbs::ArcLength(curve(pieces)).total()), 1e-6);
    click("pick-how-many");
    QVERIFY(settled());
    QVERIFY(!inputs(m)["of"][0].contains("part"));
    VERIFY_AT_MOST(std::abs(result(m)->outcome->measured.begin()->second.value - length.total()), 1e-6);
    // Another click in the view means that one alone.
    pickAt(curve(pieces, 1).at(0.6));
    QCOMPARE(inputs(m)["of"].size(), size_t(1));
    QCOMPARE(inputs(m)["of"][0].value("part", ""), std::string("2"));
  }

  void aPlaneStandsSquareWhereTheCurveWasClicked() {
    const auto ids = fiveCurves();
    keys(Qt::Key_Home, Qt::ControlModifier);
    tool("plane");
    const std::string plane = w().session().draft();
    choose("way", "square"); // the curve that it wants is picked next, without another click
    const nurbs::ArcLength length(curve(ids[0]));
    pickAt(curve(ids[0]).at(length.parameterAtFraction(0.3)));
    QVERIFY(result(plane)->status == recipe::Status::Ok);
    VERIFY_AT_MOST(std::abs(inputs(plane)["fraction"].get<double>() - 0.3), 0.02);
    // A point that the spline goes through, then.
    click("pick-at");
    pickAt(curve(ids[0]).at(length.parameterAtFraction(0.5)));
    QCOMPARE(inputs(plane)["at"].size(), size_t(1)); // of this curve, or of the one that begins there
    QVERIFY(result(plane)->status == recipe::Status::Ok);
    const Frame f = std::get<recipe::PlaneObject>(result(plane)->outcome->outputs[0].object).frame;
    VERIFY_AT_MOST((f.origin - curve(ids[0]).at(length.parameterAtFraction(0.5))).norm(), 0.1);
  }

  void aPlaneTouchesAFaceWhereItWasClicked() {
    QVERIFY(open("tumbler.lumsk"));
    keys(Qt::Key_Left, Qt::ControlModifier);
    tool("plane", Qt::Key_1);
    const std::string plane = w().session().draft();
    choose("way", "face");
    // On the outside, nearest to a place beside the camera.
    const Vec3 eye = view().camera().eye, beside = Vec3(eye.x(), eye.y(), 60) + Vec3(8, 8, 0);
    nurbs::ClosestOnSurface place;
    place.distanceMm = 1e300;
    for (const auto& [name, face] : w().model()->bodies[0].body->natural)
      if (const auto c = nurbs::closestPoint(*face.surface, beside); c.distanceMm < place.distanceMm) place = c;
    pickAt(place.point);
    QCOMPARE(inputs(plane).value("face", json::array()).size(), size_t(1));
    const Frame f = std::get<recipe::PlaneObject>(result(plane)->outcome->outputs[0].object).frame;
    VERIFY_AT_MOST((f.origin - place.point).norm(), 0.5);
    VERIFY_AT_MOST(std::abs(f.local(place.point).z()), 0.01);
  }

  void controlPointsAreDraggedSnappedAndPutBack() {
    const auto ids = fiveCurves();
    keys(Qt::Key_Up, Qt::ControlModifier);
    tool("shape_curve");
    const std::string shape = w().session().draft();
    const auto& c = curve(ids[4]);
    pickAt(c.at(nurbs::ArcLength(c).parameterAtFraction(0.3)));
    QVERIFY(result(shape)->status == recipe::Status::Ok);
    const Mark grip = mark("grip", [](const Mark& m) { return m.item == "c1"; });
    drag(grip.at.toPoint(), grip.at.toPoint() + QPoint(25, -15));
    QCOMPARE(inputs(shape)["moves"].size(), size_t(1));
    QVERIFY(result(shape)->outcome->marks.all<recipe::Grip>()[1].moved);
    const Vec3 moved = result(shape)->outcome->marks.all<recipe::Grip>()[1].at;
    VERIFY_AT_MOST((QPointF(onScreen(moved)) - (grip.at + QPointF(25, -15))).manhattanLength(), 3);
    VERIFY_AT_MOST(std::abs(moved.z()), 1e-9); // seen from above, it stays in its level
    // A second drag adds to the first; the last point snaps to the end of another curve.
    const size_t last = result(shape)->outcome->marks.all<recipe::Grip>().size() - 1;
    const Mark end = mark("grip", [&](const Mark& m) { return m.item == "c" + std::to_string(last); });
    drag(end.at.toPoint(), onScreen(curve(ids[3]).end()) + QPoint(2, 2));
    VERIFY_AT_MOST((curve(shape).end() - curve(ids[3]).end()).norm(), 1e-6);
    QCOMPARE(inputs(shape)["moves"].size(), size_t(2));
    const Mark again = mark("grip", [](const Mark& m) { return m.item == "c1"; });
    QTest::mouseDClick(&view(), Qt::LeftButton, {}, again.at.toPoint());
    QVERIFY(settled());
    QCOMPARE(inputs(shape)["moves"].size(), size_t(1));
    QVERIFY(!result(shape)->outcome->marks.all<recipe::Grip>()[1].moved);
  }

  void aBlendIsPulledInTheViewAndSourcesOfATwoViewCurveGoOutOfSight() {
    const auto ids = fiveCurves();
    keys(Qt::Key_Up, Qt::ControlModifier);
    tool("blend_curve");
    const std::string blend = w().session().draft();
    pickAt(curve(ids[0]).end());
    pickAt(curve(ids[1]).end());
    QVERIFY2(result(blend)->status == recipe::Status::Ok,
             result(blend)->problem ? sentence(*result(blend)->problem).c_str() : "");
    const double before = nurbs::ArcLength(curve(blend)).total();
    const Mark pull = handle("startPull");
    drag(pull.at.toPoint(), pull.at.toPoint() + (pull.at - pull.from).toPoint());
    QVERIFY(inputs(blend)["startPull"].get<double>() > 1.2);
    QVERIFY(std::abs(nurbs::ArcLength(curve(blend)).total() - before) > 0.1);
    keep();
    // A drawing in the front plane, then both together.
    keys(Qt::Key_Down, Qt::ControlModifier);
    const auto front = spline({{-60, 0, 10}, {0, 0, 30}, {60, 0, 12}});
    tool("two_view");
    const std::string two = w().session().draft();
    pickAt(curve(front).at(0.4));
    keys(Qt::Key_Up, Qt::ControlModifier);
    const auto& c = curve(ids[0]);
    pickAt(c.at(nurbs::ArcLength(c).parameterAtFraction(0.3)));
    QVERIFY2(result(two)->status == recipe::Status::Ok,
             result(two)->problem ? sentence(*result(two)->problem).c_str() : "");
    keep();
    QVERIFY(w().model()->isHidden(front, "") && w().model()->isHidden(ids[0], ""));
    const Points pts = nurbs::polyline(curve(two), 6);
    for (Eigen::Index i = 0; i < pts.rows(); ++i) QVERIFY(pts(i, 2) > 5 && pts(i, 1) < -30);
  }

  /// A point that stands out is named by the lens, and ironed out from the row of its skin; what was before can be seen, and comes back.
  void wrinklesAreFoundAndIronedOut() {
    for (double y : {0.0, 20.0, 40.0, 60.0, 80.0})
      add("spline", {{"points", pointList({{-60, y, 0}, {-20, y, y == 40.0 ? 22.6 : 22}, {20, y, 22}, {60, y, 0}})}});
    json sections = json::array();
    for (int k = 1; k <= 5; ++k) sections.push_back(pick("s" + std::to_string(k), "curve"));
    add("loft", {{"sections", sections}});
    const auto index = [&] { return nurbs::wrinkleIndex({*std::get<brep::BodyPtr>(result("s6")->outcome->outputs[0].object)->natural.begin()->second.surface}); };
    const double before = index();
    keys(Qt::Key_Home, Qt::ControlModifier);
    QTest::mouseMove(&view(), onScreen({0, 30, 22}));
    QTest::keyPress(&view(), Qt::Key_U);
    QVERIFY(QTest::qWaitFor([&] { return !view().lensBusy() && view().lensResult() && !view().lensResult()->art.words.empty(); }, 10000));
    const Mark first = mark("words", [](const Mark& m) { return m.text.startsWith("1:"); });
    VERIFY_AT_MOST((first.world - Vec3(-20, 40, 22.6)).norm(), 16);
    QTest::keyRelease(&view(), Qt::Key_U);
    const auto named = [](const Mark& m) { return m.text.startsWith("1:"); };
    QVERIFY(QTest::qWaitFor([&] { return std::none_of(view().marks().begin(), view().marks().end(), named); }, 2000));
    w().focus().unfold("s6");
    click("iron-out");
    auto* tray = find<app::IronTray>("iron");
    QVERIFY(tray);
    const auto iron = [&](const QString& most) {
      auto* field = find<QLineEdit>("iron-most");
      field->selectAll();
      QTest::keyClicks(field, most);
      QTest::keyClick(field, Qt::Key_Return);
      QVERIFY(QTest::qWaitFor([&] { return !tray->busy(); }, 20000));
      QVERIFY(settled());
    };
    iron("0");
    QVERIFY(!tray->last() && find<QLabel>("iron-result")->text().contains("above nought"));
    iron("0.1");
    QVERIFY(tray->last());
    const double little = index();
    QVERIFY(little < before);
    iron("0.6"); // another distance, from where it was
    QVERIFY(index() < little);
    const size_t steps = w().recipe().steps.size();
    QCOMPARE(steps, 6 + tray->last()->shaped.size());
    QVERIFY(view().before()); // B shows it as it was
    click("iron-drop");
    QVERIFY(settled());
    QCOMPARE(w().recipe().steps.size(), size_t(6));
    VERIFY_AT_MOST(std::abs(index() - before), 1e-9);
    // Kept, it is one entry of undo.
    click("iron-out");
    iron("0.6");
    click("iron-keep");
    QCOMPARE(w().recipe().steps.size(), steps);
    QVERIFY(!tray->isVisible());
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QCOMPARE(w().recipe().steps.size(), size_t(6));
  }
};

static Register<CurvesWindowTest> registeredCurvesWindowTest;
#include "curves_test.moc"

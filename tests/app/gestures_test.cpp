#include "app/window.h"
#include "nurbs/measure/closest.h"

#include <QFile>
#include <QLabel>

using namespace lumsk;
using namespace lumsk::test;

/// What hands do: one gesture at a time, that ends exactly once, and a view that holds still meanwhile.
class GesturesTest : public WindowTestBase {
  Q_OBJECT

  void clickInView(QPoint p) {
    QTest::mouseMove(&view(), p);
    QTest::mouseClick(&view(), Qt::LeftButton, {}, p);
    QVERIFY(settled());
  }
  void moveTo(QPoint p) {
    QMouseEvent e(QEvent::MouseMove, p, view().mapToGlobal(p), Qt::NoButton, Qt::LeftButton, {});
    QApplication::sendEvent(&view(), &e);
    QTest::qWait(20);
  }
  /// A kept spline of three clicks, its row unfolded.
  std::string spline() {
    click("tool-spline");
    for (const QPoint& p : {QPoint(200, 420), QPoint(330, 260), QPoint(470, 400)}) clickInView(p);
    const std::string id = w().session().draft();
    click("keep");
    w().focus().unfold(id);
    settled();
    return id;
  }
  Mark point(const std::string& id) {
    const std::string item = inputs(id)["points"][1]["id"].get<std::string>();
    return mark("point", [&](const Mark& m) { return m.item == item; });
  }

private slots:
  /// While a plane is asked for a click on a curve gives the one square to it there, and the ring lies on it.
  void aPlaneIsMadeWhereACurveIsClicked() {
    json points = json::array();
    for (const auto& p : {std::array{0, 0, 0}, {40, 10, 30}, {80, 0, 20}}) points.push_back({{"id", "q" + std::to_string(points.size())}, {"at", p}});
    add("spline", {{"points", points}});
    QTest::keyClick(&view(), Qt::Key_F);
    QVERIFY(settled());
    click("tool-ring");
    const std::string ring = w().session().draft();
    w().focus().unfold(ring, "plane");
    const auto& path = *std::get<recipe::CurvePtr>(result("s1")->outcome->outputs[0].object);
    const Vec3 at = path.at(0.7 * path.last());
    clickInView(onScreen(at));
    const auto& steps = w().recipe().steps;
    QCOMPARE(steps.size(), size_t(3));
    QCOMPARE(steps[1]->kind, std::string("plane"));
    QVERIFY(result(ring)->status == recipe::Status::Ok);
    const auto& frame = std::get<recipe::PlaneObject>(result(steps[1]->id)->outcome->outputs[0].object).frame;
    VERIFY_AT_MOST((frame.origin - at).norm(), 1.5);
    nurbs::CurveDerivatives d;
    path.derivatives(nurbs::closestPoint(path, frame.origin).t, 1, d);
    VERIFY_AT_MOST(frame.normal().cross(d[1].normalized()).norm(), 1e-6);
    const auto& made = *std::get<recipe::CurvePtr>(result(ring)->outcome->outputs[0].object);
    VERIFY_AT_MOST(std::abs(frame.local(made.at(0.3)).z()), 1e-6);
    QCOMPARE(w().focus().open(), ring);
    QTest::keyClick(&view(), Qt::Key_Z, Qt::ControlModifier); // one step back
    QVERIFY(settled());
    QCOMPARE(w().recipe().steps.size(), size_t(2));
  }

  void theViewHoldsStillWhileTheFirstCurveIsDrawn() {
    click("tool-spline");
    const auto seen = [&] {
      const scene::Camera c = view().camera();
      std::vector<double> at;
      for (const Vec3& p : {Vec3(0, 0, 0), Vec3(50, 0, 0), Vec3(0, 30, 40)}) {
        const Vec3 s = c.toScreen(p);
        at.insert(at.end(), {s.x(), s.y()});
      }
      return at;
    };
    const auto before = seen();
    const auto still = [&] {
      const auto now = seen();
      double moved = 0;
      for (size_t i = 0; i < now.size(); ++i) moved = std::max(moved, std::abs(now[i] - before[i]));
      return moved < 1e-3;
    };
    const std::vector<QPoint> places{{150, 500}, {300, 200}, {520, 330}, {610, 120}};
    for (const QPoint& p : places) {
      clickInView(p);
      QVERIFY(still());
    }
    const json& points = inputs(w().session().draft())["points"];
    QCOMPARE(points.size(), places.size());
    for (size_t i = 0; i < places.size(); ++i) {
      const auto at = points[i]["at"].get<std::vector<double>>();
      VERIFY_AT_MOST((onScreen({at[0], at[1], at[2]}) - places[i]).manhattanLength(), 4);
    }
    click("keep");
    QVERIFY(still());
  }

  /// The other button neither ends a drag nor begins another one.
  void anotherButtonDoesNotBreakADrag() {
    const std::string id = spline();
    const auto before = w().session().recipePtr();
    const QPoint from = point(id).at.toPoint();
    QTest::mousePress(&view(), Qt::LeftButton, {}, from);
    moveTo(from + QPoint(10, -10));
    moveTo(from + QPoint(20, -20));
    QVERIFY(w().session().dragging());
    QTest::mousePress(&view(), Qt::RightButton, {}, from + QPoint(20, -20));
    moveTo(from + QPoint(30, -30));
    QTest::mouseRelease(&view(), Qt::RightButton, {}, from + QPoint(30, -30));
    QVERIFY(w().session().dragging());
    moveTo(from + QPoint(40, -40));
    QTest::mouseRelease(&view(), Qt::LeftButton, {}, from + QPoint(40, -40));
    QVERIFY(settled());
    QVERIFY(!w().session().dragging());
    QVERIFY(inputs(id) != *before->find(id)->inputs);
    VERIFY_AT_MOST((point(id).at.toPoint() - from - QPoint(40, -40)).manhattanLength(), 6);
    // It is one thing to be gone back over.
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QVERIFY(inputs(id) == *before->find(id)->inputs);
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(!w().recipe().find(id));
  }

  void aDragThatEscStoppedIsOver() {
    const std::string id = spline();
    const json before = inputs(id);
    const QPoint from = point(id).at.toPoint();
    QTest::mousePress(&view(), Qt::LeftButton, {}, from);
    moveTo(from + QPoint(10, -10));
    moveTo(from + QPoint(20, -20));
    QVERIFY(w().session().dragging());
    w().escape();
    QVERIFY(!w().session().dragging());
    moveTo(from + QPoint(60, -60));
    QTest::mouseRelease(&view(), Qt::LeftButton, {}, from + QPoint(60, -60));
    QVERIFY(settled());
    QVERIFY(inputs(id) == before);
  }

  void undoInADraftTakesBackItsLastChange() {
    click("tool-ring");
    QVERIFY(settled());
    const std::string id = w().session().draft();
    const json first = inputs(id);
    type("width", "44");
    const json wide = inputs(id);
    type("height", "12");
    const json high = inputs(id);
    QVERIFY(first != wide && wide != high);
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QCOMPARE(w().session().draft(), id);
    QVERIFY(inputs(id) == wide);
    keys(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(settled());
    QVERIFY(inputs(id) == high);
    for (int i = 0; i < 2; ++i) keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QCOMPARE(w().session().draft(), id);
    QVERIFY(inputs(id) == first);
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(w().session().draft().empty());
    QVERIFY(w().recipe().steps.empty());
  }

  /// Points are clicked one by one, and taken back one by one.
  void undoInADraftTakesBackPoints() {
    click("tool-spline");
    for (const QPoint& p : {QPoint(200, 420), QPoint(330, 260), QPoint(470, 400)}) clickInView(p);
    const std::string id = w().session().draft();
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QCOMPARE(inputs(id)["points"].size(), size_t(2));
    clickInView({500, 300}); // it goes on from there
    QCOMPARE(inputs(id)["points"].size(), size_t(3));
    click("keep");
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(w().recipe().steps.empty());
  }

  /// What a file has in another shape than its fields do is put aside; all else is there, and can be worked on.
  void aMalformedFileCanBeOpenedAndUnfolded() {
    const QString file = dir_.filePath("bad.json");
    const auto step = [](const char* id, const char* kind, const json& inputs) {
      return json{{"id", id}, {"kind", kind}, {"version", 1}, {"label", id}, {"inputs", inputs}};
    };
    const json spline = step("s1", "spline", {{"points", "abc"}, {"degree", "3"}, {"of_tomorrow", 5}});
    const json picks = json::array({{{"id", "p1"}, {"step", "s1"}, {"kind", 7}}});
    const json loft = step("s2", "loft", {{"sections", picks}, {"solid", "yes"}});
    QFile f(file);
    QVERIFY(f.open(QFile::WriteOnly));
    f.write(json{{"format", "lumsk-recipe"}, {"version", 1}, {"steps", {spline, loft}}}.dump().c_str());
    f.close();
    QVERIFY(window_->openPath(file) && settled());
    for (const char* id : {"s1", "s2"}) {
      w().focus().unfold(id);
      QVERIFY(settled());
    }
    QVERIFY(!inputs("s1").contains("points") && !inputs("s2").contains("sections") && !inputs("s2").contains("solid"));
    QCOMPARE(inputs("s1").value("degree", ""), std::string("3"));
    QVERIFY(inputs("s1").contains("of_tomorrow"));
    w().focus().unfold("s1");
    clickInView({300, 300});
    QCOMPARE(inputs("s1")["points"].size(), size_t(1));
  }

  void aDraftThatIsNotCompleteSaysSoCalmly() {
    ring("60", "0");
    keys(Qt::Key_2);
    click("tool-loft");
    QVERIFY(settled());
    const auto* said = find<QLabel>("problem");
    QVERIFY(said);
    QCOMPARE(said->property("tone").toString(), QString("soft"));
    QVERIFY(result(w().session().draft())->problem->missing);
  }

  void nothingOfOneProjectIsTakenForAnothersSteps() {
    const auto project = exchange::readProject(LUMSK_DATA_DIR "/demos/tumbler.lumsk");
    VERIFY_OK(project);
    recipe::Recipe other;
    auto wall = std::make_shared<recipe::StepEntry>();
    wall->id = "s6"; // called as the tumbler's skin, and without what it needs
    wall->kind = "thicken";
    wall->inputs = std::make_shared<const json>(json::object());
    other.steps.push_back(wall);
    app::Runner runner(steps::registry());
    recipe::ModelPtr model;
    QObject::connect(&runner, &app::Runner::finished, &runner, [&](const app::Evaluated& e) { model = e.model; });
    const auto outcomeOfWall = [&](const recipe::Recipe& r) {
      runner.request(std::make_shared<const recipe::Recipe>(r), false);
      if (!QTest::qWaitFor([&] { return !runner.busy(); }, 10000)) qWarning("it goes on");
      return model->result("s6")->outcome;
    };
    QVERIFY(outcomeOfWall(project->recipe));
    QVERIFY(outcomeOfWall(other)); // an edit: the last good one stays
    QVERIFY(outcomeOfWall(project->recipe));
    runner.forget();
    QVERIFY(!outcomeOfWall(other));
  }

  void marksThatYieldMakeRoomAndPointsStay() {
    static const app::MarkKind stays{"point", true, false, nullptr}, yields{"handle", true, true, nullptr};
    std::vector<app::Mark> marks;
    for (int i = 0; i < 5; ++i) marks.push_back({i == 2 ? &stays : &yields, {100, 100}, {}, {110, 100}});
    app::makeRoom(marks);
    for (size_t i = 0; i < marks.size(); ++i)
      for (size_t j = 0; j < i; ++j) {
        const QPointF d = marks[i].at - marks[j].at;
        QVERIFY(std::hypot(d.x(), d.y()) >= 16.9);
      }
    QVERIFY(marks[2].at == QPointF(100, 100));
    for (const auto& m : marks) { // arrows go along, and nobody goes far
      QVERIFY(std::hypot(m.tip.x() - m.at.x() - 10, m.tip.y() - m.at.y()) < 1e-9);
      QVERIFY(std::hypot(m.at.x() - 100, m.at.y() - 100) < 40);
    }
  }
};

static test::Register<GesturesTest> registeredGesturesTest;
#include "gestures_test.moc"

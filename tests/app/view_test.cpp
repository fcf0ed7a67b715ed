#include "app/window.h"

#include "app/field_editors.h"
#include "support/recipes.h"

#include <QMenu>
#include <QPushButton>
#include <QTableWidget>
#include <QWheelEvent>

using namespace lumsk;
using namespace lumsk::test;
using recipe::Kind;

class ViewTest : public WindowTestBase {
  Q_OBJECT

  void wheel(QPoint at, int steps) {
    QWheelEvent e(at, view().mapToGlobal(at), {}, QPoint(0, 120 * steps), Qt::NoButton, {}, Qt::NoScrollPhase, false);
    QApplication::sendEvent(&view(), &e);
  }

  /// Part of the pixels in which two pictures differ.
  static double difference(const QImage& a, const QImage& b) {
    int n = 0;
    for (int y = 0; y < a.height(); y += 3)
      for (int x = 0; x < a.width(); x += 3) n += std::abs(qGray(a.pixel(x, y)) - qGray(b.pixel(x, y))) > 12;
    return 9.0 * n / (a.width() * a.height());
  }

  QImage picture() {
    return QTest::qWaitFor([&] { return view().atRest(); }, 3000) ? view().grabFramebuffer() : QImage();
  }

private slots:
  void turningKeepsThePointUnderThePointer() {
    QVERIFY(open("tumbler.lumsk"));
    const Vec3 on(38 * std::cos(-1.4), 38 * std::sin(-1.4), 100);
    const QPoint from = onScreen(on);
    const Vec3 before = view().camera().direction;
    drag(from, from + QPoint(90, 30));
    QVERIFY(before.dot(view().camera().direction) < 0.95);
    // What was gripped is the pivot: it stays where it was on the screen.
    const QPoint after = onScreen(on);
    VERIFY_AT_MOST(std::hypot(after.x() - from.x(), after.y() - from.y()), 12);
    QVERIFY(w().focus().selection().empty());
  }

  void panningAndZoomingFollowThePointer() {
    QVERIFY(open("tumbler.lumsk"));
    const Vec3 p(0, 0, 50);
    const QPoint a = onScreen(p);
    drag({300, 300}, {360, 340}, Qt::RightButton);
    const QPoint b = onScreen(p);
    VERIFY_AT_MOST(std::hypot(b.x() - a.x() - 60, b.y() - a.y() - 40), 4);
    drag({300, 300}, {240, 260}, Qt::MiddleButton);
    VERIFY_AT_MOST((onScreen(p) - a).manhattanLength(), 6);
    const double size = view().camera().pixelSize(p);
    wheel(onScreen(p), 3);
    VERIFY_AT_MOST((onScreen(p) - a).manhattanLength(), 8);
    QVERIFY(view().camera().pixelSize(p) < 0.75 * size);
    QTest::mouseDClick(&view(), Qt::LeftButton, {}, {8, 735});
    VERIFY_AT_MOST(std::abs(view().camera().pixelSize(p) / size - 1), 0.05);
  }

  void tagsAndKeysLookFromTheStandardSides() {
    QVERIFY(open("tumbler.lumsk"));
    click("tag-front");
    VERIFY_AT_MOST((view().camera().direction - Vec3(0, 1, 0)).norm(), 1e-9);
    click("tag-top");
    VERIFY_AT_MOST((view().camera().direction - Vec3(0, 0, -1)).norm(), 1e-9);
    click("tag-left");
    VERIFY_AT_MOST((view().camera().direction - Vec3(1, 0, 0)).norm(), 1e-9);
    keys(Qt::Key_Right, Qt::ControlModifier);
    VERIFY_AT_MOST((view().camera().direction - Vec3(-1, 0, 0)).norm(), 1e-9);
    keys(Qt::Key_Down, Qt::ControlModifier);
    VERIFY_AT_MOST((view().camera().direction - Vec3(0, 1, 0)).norm(), 1e-9);
    click("tag-perspective");
    QVERIFY(!view().perspective());
    // In parallel projection near and far are equally large.
    VERIFY_AT_MOST(std::abs(view().camera().pixelSize({0, -200, 50}) / view().camera().pixelSize({0, 200, 50}) - 1),
                   1e-6);
    click("tag-perspective");
    QVERIFY(view().perspective());
    // A tag must leave the keys with the view.
    keys(Qt::Key_F);
    QVERIFY(view().hasFocus());
  }

  void lensesChangeThePictureAndPeeksGiveItBack() {
    QVERIFY(openKettle());
    const QImage shade = picture();
    QTest::keyPress(&view(), Qt::Key_S);
    const QImage stripes = picture();
    QVERIFY(difference(shade, stripes) > 0.05);
    QTest::keyRelease(&view(), Qt::Key_S);
    VERIFY_AT_MOST(difference(shade, picture()), 0.002);
    QTest::keyPress(&view(), Qt::Key_C);
    QVERIFY(scene::isOn(view().lens(), "combs"));
    QVERIFY(difference(shade, picture()) > 0.002);
    QTest::keyRelease(&view(), Qt::Key_C);
    QVERIFY(!scene::isOn(view().lens(), "combs"));
    click("tag-stripes");
    QVERIFY(view().lens().surface == "stripes");
    click("tag-shade");
    QVERIFY(view().lens().surface == "shade");
  }

  void joinsAreLetteredListedWorstFirstAndLedTo() {
    QVERIFY(openKettle());
    w().steps().setOn({"s34", "s43"}, false); // the body alone
    QVERIFY(settled());
    QVERIFY(QTest::qWaitFor([&] { return w().results().figuresOf(w().model()->bodies[0].body) != nullptr; }, 10000));
    click("tag-joins");
    auto* table = find<QTableWidget>("lens-table");
    QVERIFY(table && table->isVisible());
    const auto& joins = w().results().figuresOf(w().model()->bodies[0].body)->joins;
    QVERIFY(table->rowCount() > 20 && table->rowCount() <= int(joins.size()));
    // Smooth edges stand before sharp ones, by their curvature.
    bool sharp = false;
    double before = 1e9;
    for (int r = 0; r < table->rowCount(); ++r) {
      const QString letter = table->item(r, 0)->text();
      sharp = sharp || letter == "G0";
      QVERIFY(!sharp || letter == "G0");
      if (letter != "G0") {
        const double c = table->item(r, 3)->text().toDouble();
        QVERIFY(c <= before + 1e-3);
        before = c;
      }
    }
    QVERIFY(sharp);
    const QPoint there = onScreen({0, 0, 75});
    emit table->cellClicked(table->rowCount() - 1, 0);
    QTest::qWait(50);
    QVERIFY((onScreen({0, 0, 75}) - there).manhattanLength() > 2);
    click("tag-joins");
    QVERIFY(!table->isVisible());
  }

  void joinsFollowADrag() {
    QVERIFY(openFile("open_grip.lumsk"));
    w().steps().setVisible({"s6"}, true);
    w().focus().unfold("s6", "points");
    QVERIFY(settled());
    click("tag-joins");
    const auto body = [&] { return w().model()->bodies.back().body; };
    QVERIFY(QTest::qWaitFor([&] { return w().results().figuresOf(body()) != nullptr; }, 10000));
    const auto before = body();
    const size_t count = w().results().figuresOf(before)->joins.size();
    const QPoint from = mark("point", [](const Mark& m) { return m.step == "s6"; }).at.toPoint();
    QTest::mousePress(&view(), Qt::LeftButton, {}, from);
    for (int i = 1; i <= 8; ++i) {
      QMouseEvent move(QEvent::MouseMove, from + QPoint(i, i), view().mapToGlobal(from + QPoint(i, i)), Qt::NoButton,
                       Qt::LeftButton, {});
      QApplication::sendEvent(&view(), &move);
      QTest::qWait(20);
    }
    // The button is still down.
    QVERIFY(QTest::qWaitFor([&] { return body() != before && w().results().figuresOf(body()) != nullptr; }, 10000));
    QCOMPARE(w().results().figuresOf(body())->joins.size(), count);
    const auto now = inspect::joins(*body(), w().recipe().tolerances);
    for (size_t i = 0; i < now.size(); ++i)
      VERIFY_AT_MOST(std::abs(now[i].angleDeg - w().results().figuresOf(body())->joins[i].angleDeg), 1e-9);
    QTest::mouseRelease(&view(), Qt::LeftButton, {}, from + QPoint(8, 8));
    QVERIFY(settled());
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
  }

  void openingsAreListedWhileTheirKeyIsHeld() {
    QVERIFY(openKettle());
    w().steps().setOn({"s17"}, false);
    QVERIFY(settled());
    QVERIFY(QTest::qWaitFor([&] { return w().results().figuresOf(w().model()->bodies[0].body) != nullptr; }, 10000));
    view().setFocus();
    QTest::keyPress(&view(), Qt::Key_G);
    auto* table = find<QTableWidget>("lens-table");
    QVERIFY(table->isVisible());
    QCOMPARE(table->rowCount(), 1); // the open top
    QCOMPARE(table->item(0, 2)->text(), QString("2"));
    QTest::keyRelease(&view(), Qt::Key_G);
    QVERIFY(!scene::isOn(view().lens(), "openings") && !table->isVisible());
  }

  /// What comes later, and is larger than what came first, is in view at the end.
  void aProjectThatComesInPartsIsSeenWhole() {
    QVERIFY(open("pebble_timer.lumsk"));
    QCOMPARE(w().scene()->bodies.size(), size_t(3));
    QRect reach;
    for (const auto& b : w().scene()->bodies)
      for (const auto& f : b.faces)
        for (const Vec3& p : f->points) reach |= QRect(onScreen(p), QSize(1, 1));
    QVERIFY(view().rect().contains(reach));
    QVERIFY(reach.width() > view().width() / 3);
  }

  void theOtherHalfIsShownFaintlyWhileOneIsModelled() {
    QVERIFY(openKettle());
    QVERIFY(w().scene()->otherHalves.empty()); // the kettle is whole
    for (const char* id : {"s17", "s16", "s15"}) w().steps().setOn({id}, false);
    add("spline", {{"points", pointList({{0, -70, 20}, {40, -40, 20}, {60, 0, 20}})}}); // from the plane to one side
    QVERIFY(settled());
    QCOMPARE(w().scene()->otherHalves.size(), size_t(1));
    const auto &half = w().scene()->bodies[0], &other = w().scene()->otherHalves[0];
    QVERIFY((half.faces[0]->points[5] -
             Vec3(-other.faces[0]->points[5].x(), other.faces[0]->points[5].y(), other.faces[0]->points[5].z()))
                .norm() < 1e-12);
    QVERIFY(!w().scene()->otherCurves.empty());
    const QImage with = picture();
    auto* action = window_->findChild<QAction*>("other-half");
    action->setChecked(false);
    QVERIFY(difference(with, picture()) > 0.02);
    action->setChecked(true);
    QVERIFY(difference(with, picture()) < 0.005);
    // It is for the eye: nothing of it can be picked.
    const auto hits = scene::pickAt(*w().scene(), view().camera(), onScreen({-55, -5, 60}).x(),
                                    onScreen({-55, -5, 60}).y(), Kind::Face);
    for (const auto& h : hits) QVERIFY(h.at.x() > -1);
  }

  void aLostReferenceIsShownOnItsChipAndPickedAgainInPlace() {
    QVERIFY(openKettle());
    json edges = inputs("s16")["edges"];
    edges[0]["part"] = "s11.skin|gone";
    w().session().setInput("s16", "edges", edges, "lose it");
    QVERIFY(settled());
    QCOMPARE(result("s16")->problem->code, std::string("LM-R020"));
    w().focus().unfold("s16");
    QTest::qWait(50);
    const auto chipOf = [&]() -> QWidget* {
      for (auto* c : window_->findChildren<QWidget*>("chip"))
        if (c->isVisible()) return c;
      return nullptr;
    };
    auto* chip = chipOf();
    QVERIFY(chip);
    QCOMPARE(chip->property("state").toString(), QString("lost"));
    QTest::mouseClick(chip, Qt::LeftButton, {}, QPoint(60, 12));
    QTest::qWait(50);
    QVERIFY(!w().focus().replacing().empty());
    // The foot's edge, low in front.
    pickAt({0.735 * 62 * 0.73, -0.735 * 62 * 0.74, -5});
    QVERIFY(settled());
    QVERIFY(w().focus().replacing().empty());
    const json now = inputs("s16")["edges"];
    QCOMPARE(now.size(), size_t(1));
    QCOMPARE(now[0]["id"], edges[0]["id"]);
    QVERIFY2(result("s16")->status == recipe::Status::Ok, now.dump().c_str());
    QTest::qWait(50);
    QCOMPARE(chipOf()->property("state").toString(), QString("sound"));
  }

  void ctrlAddsToThePicksAndEscClearsThem() {
    QVERIFY(open("tumbler.lumsk"));
    pickAt({38 * std::cos(-1.2), 38 * std::sin(-1.2), 110});
    QCOMPARE(w().focus().selection().size(), size_t(1));
    const auto first = w().focus().selection()[0];
    pickAt({33 * std::cos(-1.6), 33 * std::sin(-1.6), 46}, Qt::ControlModifier);
    QCOMPARE(w().focus().selection().size(), size_t(2));
    pickAt({38 * std::cos(-1.2), 38 * std::sin(-1.2), 110}, Qt::ControlModifier);
    QCOMPARE(w().focus().selection().size(), size_t(1));
    QVERIFY(!recipe::same(w().focus().selection()[0], first));
    keys(Qt::Key_Escape);
    QVERIFY(w().focus().selection().empty());
    pickAt({38 * std::cos(-1.2), 38 * std::sin(-1.2), 110});
    QTest::mouseClick(&view(), Qt::LeftButton, {}, {15, 200});
    QVERIFY(w().focus().selection().empty());
  }

  void tabGoesThroughWhatLiesUnderThePointer() {
    QVERIFY(open("tumbler.lumsk"));
    const QPoint q = onScreen({35 * std::cos(-1.4), 35 * std::sin(-1.4), 70});
    std::vector<std::string> seen;
    for (int i = 0; i < 3; ++i) {
      QTest::mouseMove(&view(), q + QPoint(i, 0));
      QTest::mouseMove(&view(), q);
      QTest::qWait(20);
      for (int k = 0; k < i; ++k) keys(Qt::Key_Tab);
      w().focus().clearSelection();
      QTest::mouseClick(&view(), Qt::LeftButton, {}, q);
      QCOMPARE(w().focus().selection().size(), size_t(1));
      const auto& hit = w().focus().selection()[0];
      seen.push_back(recipe::kindNames(hit.kind) + hit.step + hit.part);
      keys(Qt::Key_Escape);
      QTest::mouseMove(&view(), QPoint(10, 400));
    }
    QVERIFY(seen[0] != seen[1] && seen[1] != seen[2]);
    // With nothing beneath the pointer Tab leaves the view.
    QTest::mouseMove(&view(), QPoint(12, 500));
    QTest::qWait(20);
    keys(Qt::Key_Tab);
    QVERIFY(!view().hasFocus());
  }

  void aHandlesNumberIsEditedInPlace() {
    QVERIFY(open("tumbler.lumsk"));
    w().focus().unfold("s7");
    const Mark h = handle("thickness");
    QCOMPARE(h.field, std::string("thickness"));
    QTest::mouseDClick(&view(), Qt::LeftButton, {}, h.at.toPoint());
    auto* editor = find<QWidget>("handle-editor");
    QVERIFY(editor);
    auto* line = editor->findChild<QLineEdit*>();
    QVERIFY(line->hasFocus());
    // A text that is no number stays to be mended, with its reason, and changes nothing.
    const auto before = recipe::toText(w().recipe());
    line->selectAll();
    QTest::keyClicks(line, "2 *");
    QTest::keyClick(line, Qt::Key_Return);
    QVERIFY(line->property("bad").toBool() && !line->toolTip().isEmpty());
    QCOMPARE(recipe::toText(w().recipe()), before);
    line->selectAll();
    QTest::keyClicks(line, "wall + 0.4 mm");
    QTest::keyClick(line, Qt::Key_Return);
    QVERIFY(settled());
    QCOMPARE(QString::fromStdString(inputs("s7")["thickness"].dump()), QString("\"wall + 0.4 mm\""));
    QVERIFY(result("s7")->status == recipe::Status::Ok);
    QTest::qWait(30);
    QVERIFY(!window_->findChild<QWidget*>("handle-editor"));
    QTest::mouseDClick(&view(), Qt::LeftButton, {}, handle("thickness").at.toPoint());
    QTest::keyClick(find<QWidget>("handle-editor")->findChild<QLineEdit*>(), Qt::Key_Escape);
    QTest::qWait(30);
    QVERIFY(!window_->findChild<QWidget*>("handle-editor"));
    QCOMPARE(w().focus().open(), std::string("s7"));
  }

  void pointsMoveOnTheirPlaneInTheScreenOrAlongAnAxis() {
    auto r = w().recipe();
    const auto add = [&](json in) {
      auto s = std::make_shared<recipe::StepEntry>();
      s->id = "s" + r.newId();
      s->kind = "spline";
      s->label = s->id;
      s->inputs = std::make_shared<const json>(std::move(in));
      r.steps.push_back(s);
    };
    const json pts = json::array(
        {{{"id", "q1"}, {"at", {-40, 0, 0}}}, {{"id", "q2"}, {"at", {0, 10, 20}}}, {{"id", "q3"}, {"at", {40, 0, 0}}}});
    add({{"points", pts}});
    w().session().edit(r, "test");
    QVERIFY(settled());
    w().focus().unfold("s1");
    const auto second = [&] { return mark("point", [](const Mark& m) { return m.index == 1; }); };
    const auto at = [&] {
      const auto& p = inputs("s1")["points"][1]["at"];
      return Vec3(p[0], p[1], p[2]);
    };
    const Vec3 direction = view().camera().direction, start = at();
    QPoint from = second().at.toPoint();
    drag(from, from + QPoint(40, -30));
    // In the plane of the screen: the move has no depth.
    QVERIFY((at() - start).norm() > 3);
    VERIFY_AT_MOST(std::abs((at() - start).dot(direction)), 0.05);
    VERIFY_AT_MOST((onScreen(at()) - (from + QPoint(40, -30))).manhattanLength(), 3);
    w().session().undo();
    QVERIFY(settled());
    QCOMPARE(at(), start);
    // With Shift along the axis that the pointer follows: here upwards.
    from = second().at.toPoint();
    drag(from, from + QPoint(2, -60), Qt::LeftButton, Qt::ShiftModifier);
    QVERIFY(at().z() > start.z() + 3);
    VERIFY_AT_MOST((at() - start).head<2>().norm(), 0.011);
    // Esc in the middle of a drag gives everything back.
    const Vec3 kept = at();
    from = second().at.toPoint();
    QTest::mousePress(&view(), Qt::LeftButton, {}, from);
    for (int i = 1; i < 6; ++i) {
      const QPoint p = from + QPoint(10 * i, 0);
      QMouseEvent move(QEvent::MouseMove, p, view().mapToGlobal(p), Qt::NoButton, Qt::LeftButton, {});
      QApplication::sendEvent(&view(), &move);
    }
    QVERIFY(w().session().dragging());
    keys(Qt::Key_Escape);
    QTest::mouseRelease(&view(), Qt::LeftButton, {}, from + QPoint(50, 0));
    QVERIFY(settled());
    QCOMPARE(at(), kept);
  }

  void aDragIsOneEntryOfTheUndoList() {
    QVERIFY(open("tumbler.lumsk"));
    w().focus().unfold("s4");
    const auto before = inputs("s4");
    const QPoint from = handle("width").at.toPoint();
    drag(from, from + QPoint(25, 0));
    QVERIFY(inputs("s4") != before);
    QVERIFY(result("s7")->status == recipe::Status::Ok);
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QCOMPARE(inputs("s4"), before);
    QVERIFY(!w().session().canUndo());
    keys(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(settled());
    QVERIFY(inputs("s4") != before);
  }

  void theMenuOfAnObjectOpensItsStep() {
    QVERIFY(open("tumbler.lumsk"));
    const QPoint q = onScreen({33 * std::cos(-1.6), 33 * std::sin(-1.6), 46});
    QTest::mouseMove(&view(), q);
    QTest::qWait(30);
    QTimer::singleShot(300, this, [] {
      auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
      QVERIFY(menu);
      for (QAction* a : menu->actions())
        if (a->text() == "Open its step") a->trigger();
      menu->close();
    });
    QTest::mousePress(&view(), Qt::RightButton, {}, q);
    QTest::mouseRelease(&view(), Qt::RightButton, {}, q);
    QContextMenuEvent e(QContextMenuEvent::Mouse, q, view().mapToGlobal(q));
    QApplication::sendEvent(&view(), &e);
    QVERIFY(!w().focus().open().empty());
  }
};

static test::Register<ViewTest> registeredViewTest;
#include "view_test.moc"

#include "app/window.h"

#include "app/field_editors.h"
#include "scene/lenses/cut/cut.h"
#include "scene/lenses/stripes/stripes.h"

#include <QComboBox>

namespace lumsk::test {

class LensesTest : public WindowTestBase {
  Q_OBJECT
  bool seen() {
    return QTest::qWaitFor([&] { return !w().busy() && !view().lensBusy() && view().atRest(); }, 10000);
  }
  const scene::LensResult& result() { return *view().lensResult(); }
  Mark cutHandle() {
    return mark("cut", [](const Mark&) { return true; });
  }

private slots:
  void everyLensIsAClickAndItsSettingsStandBesideTheView() {
    QVERIFY(open("tumbler.lumsk"));
    for (const auto& k : scene::lenses()) {
      click("tag-" + QString::fromStdString(k->key()));
      QVERIFY(scene::isOn(view().lens(), k->key()));
      QVERIFY(seen());
      if (!k->settings().empty()) {
        auto* form = find<QWidget>("lens-form-" + QString::fromStdString(k->key()));
        QVERIFY2(form && form->isVisible(), k->key().c_str());
      }
      if (!dynamic_cast<const scene::SurfaceLens*>(k.get())) click("tag-" + QString::fromStdString(k->key()));
    }
    QVERIFY(view().lens().surface == "deviation");
  }

  void everyKeyPeeksAndGivesBackWhatWasOn() {
    QVERIFY(open("tumbler.lumsk"));
    click("tag-draft");
    click("tag-combs");
    for (const auto& k : scene::lenses()) {
      if (!k->peek()) continue;
      view().setFocus();
      QTest::keyPress(&view(), Qt::Key(k->peek()));
      QVERIFY2(scene::isOn(view().lens(), k->key()), k->key().c_str());
      QTest::keyRelease(&view(), Qt::Key(k->peek()));
      QVERIFY(view().lens().surface == "draft");
      QVERIFY(view().lens().over == std::set<std::string>{"combs"});
    }
  }

  void settingsActAtOnceAndAreRememberedByTheNextWindow() {
    QVERIFY(open("tumbler.lumsk"));
    click("tag-stripes");
    type("count", "40");
    QCOMPARE(view().lens().look<scene::StripeLook>().count, 40.0);
    click("option-room-level");
    QVERIFY(view().lens().look<scene::StripeLook>().room == scene::StripeLook::Room::Level);
    type("count", "4000"); // more than the eye can tell: the largest is taken
    QCOMPARE(view().lens().look<scene::StripeLook>().count, 400.0);
    type("count", "36");
    cleanup();
    window_ = std::make_unique<app::MainWindow>(steps::registry());
    window_->show();
    QCOMPARE(view().lens().look<scene::StripeLook>().count, 36.0);
    QVERIFY(view().lens().surface == "shade");
  }

  void stripeCountsMakeNothingAnew() {
    QVERIFY(openKettle());
    click("tag-stripes");
    QVERIFY(seen());
    const auto before = w().scene();
    const int frames = view().framesPainted();
    type("count", "31");
    QVERIFY(seen());
    QVERIFY(w().scene() == before && !view().lensResult());
    QVERIFY(view().framesPainted() > frames);
  }

  void wallsAreFoundOnTheSolidAndLeadToTheThinnestPlace() {
    QVERIFY(openKettle());
    w().steps().setOn({"s34", "s43"}, false); // the body alone
    QVERIFY(settled());
    click("tag-wall");
    QVERIFY(seen());
    QVERIFY(!result().coarse && result().spread.least);
    VERIFY_AT_MOST(std::abs(result().spread.least->value - 2.2), 0.02);
    const QPoint before = onScreen(result().spread.least->at);
    click("lens-least");
    const QPoint after = onScreen(result().spread.least->at), middle = view().rect().center();
    QVERIFY((after - middle).manhattanLength() < 4 || after == before);
    type("thin", "2.5");
    QVERIFY(seen());
    QVERIFY(result().spread.share > 0.9);
    QVERIFY(find<QLabel>("lens-share")->text().contains("too thin"));
  }

  void whatLiesUnderThePointerIsToldInFigures() {
    QVERIFY(open("tumbler.lumsk"));
    click("tag-curvature");
    QVERIFY(seen());
    QTest::mouseMove(&view(), onScreen({0, -35, 60}) + QPoint(3, 0));
    QTest::mouseMove(&view(), onScreen({0, -35, 60}));
    auto* words = find<QLabel>("lens-probe");
    QVERIFY(QTest::qWaitFor([&] { return words->text().contains("wall"); }, 3000));
    QVERIFY(words->text().contains("radii") && words->text().contains("draft"));
    const double wall = words->text().section("wall ", 1).section(' ', 0, 0).toDouble();
    VERIFY_AT_MOST(std::abs(wall - 2.4), 0.005); // the demo's wall
    QTest::mouseMove(&view(), {20, 400});
    QVERIFY(QTest::qWaitFor([&] { return words->text().contains("point at the form"); }, 3000));
  }

  void theCutIsDraggedByItsHandleAndMeasured() {
    QVERIFY(open("tumbler.lumsk"));
    click("tag-cut");
    click("option-across-z");
    QVERIFY(seen());
    type("at", "40");
    QVERIFY(seen());
    QCOMPARE(int(result().cuts.size()), 1);
    const double length = result().cuts[0].second.lengthMm;
    const Mark handle = cutHandle();
    drag(handle.at.toPoint(), handle.at.toPoint() - QPoint(0, 60));
    QVERIFY(seen());
    QVERIFY(view().lens().look<scene::CutLook>().offsetMm > 45);
    QVERIFY(std::abs(result().cuts[0].second.lengthMm - length) > 0.1);
    QVERIFY(find<QLabel>("lens-cuts")->text().contains("mm"));
    type("at", "5000");
    QVERIFY(seen());
    QVERIFY(find<QLabel>("lens-cuts")->text().contains("nothing"));
  }

  void lensesFollowADragAndOnlyPickedBodies() {
    QVERIFY(open("tumbler.lumsk"));
    click("tag-curvature");
    QVERIFY(seen());
    const double before = result().spread.most->value;
    const auto ring = w().recipe().steps[2]->id; // one of the rings
    w().session().dragTo(recipe::withNumber(w().recipe(), {ring, "width"}, 90));
    QVERIFY(QTest::qWaitFor([&] { return view().lensResult()->scene == w().scene() && !w().busy(); }, 5000));
    w().session().endDrag("drag");
    QVERIFY(settled() && seen());
    QVERIFY(std::abs(result().spread.most->value - before) > 1e-4);
    pickAt({0, -35, 60});
    QVERIFY(!w().focus().selectedBodies().empty());
    click("lens-only");
    QCOMPARE(view().lens().only, w().focus().selectedBodies());
    click("lens-only");
    QVERIFY(view().lens().only.empty());
  }

  void whatWasBeforeIsSeenWhileBIsHeld() {
    QVERIFY(open("tumbler.lumsk"));
    click("tag-curvature");
    QVERIFY(seen());
    const auto picture = [&] {
      return QTest::qWaitFor([&] { return view().atRest() && !view().lensBusy(); }, 5000) ? view().grabFramebuffer()
                                                                                          : QImage();
    };
    const QImage before = picture();
    keys(Qt::Key_B, Qt::ControlModifier);
    QVERIFY(view().before() == w().scene());
    w().session().setInput(w().recipe().steps[2]->id, "width", 110, "wider");
    QVERIFY(settled() && seen());
    const QImage after = picture();
    QVERIFY(before != after);
    view().setFocus();
    QTest::keyPress(&view(), Qt::Key_B);
    QVERIFY(view().showsBefore());
    QVERIFY(QTest::qWaitFor([&] { return result().scene == view().before(); }, 5000));
    const QImage again = picture();
    int differ = 0;
    for (int y = 0; y < again.height(); y += 3)
      for (int x = 0; x < again.width(); x += 3)
        differ += std::abs(qGray(again.pixel(x, y)) - qGray(before.pixel(x, y))) > 12;
    VERIFY_AT_MOST(9.0 * differ / (again.width() * again.height()), 0.005);
    QTest::keyRelease(&view(), Qt::Key_B);
    QVERIFY(!view().showsBefore());
    QVERIFY(QTest::qWaitFor([&] { return result().scene == w().scene(); }, 5000));
  }

  void beforeAndNowStandSideBySideUnderOneCameraLensAndRange() {
    QVERIFY(open("tumbler.lumsk"));
    click("tag-curvature");
    QVERIFY(seen());
    auto& beside = *window_->findChild<app::CompareView*>("before-view");
    const auto sameCamera = [&] {
      const scene::Camera a = beside.camera(), b = view().camera();
      return (a.eye - b.eye).norm() + (a.direction - b.direction).norm() + (a.up - b.up).norm() < 1e-9 &&
             std::abs(a.pixelSize(Vec3::Zero()) / b.pixelSize(Vec3::Zero()) - 1) < 0.005; // one pixel of width
    };
    view().setFocus();
    QTest::keyClick(&view(), Qt::Key_B, Qt::ShiftModifier); // nothing was kept: what is seen now is
    QVERIFY(QTest::qWaitFor([&] { return beside.isVisible() && beside.atRest(); }, 20000));
    QVERIFY(beside.shown() == w().scene() && std::abs(beside.width() - view().width()) <= 1);
    QVERIFY(sameCamera());
    QVERIFY(view().seesAll());
    w().session().setInput(w().recipe().steps[2]->id, "width", 110, "wider");
    QVERIFY(settled() && seen());
    QVERIFY(beside.shown() == view().before() && beside.shown() != w().scene());
    QVERIFY(beside.lensResult()->scene == view().before() && result().scene == w().scene());
    // Turning, moving and zooming either turns both.
    drag({100, 300}, {160, 320});
    QVERIFY(sameCamera());
    const auto turned = view().camera().worldToClip;
    const auto over = [&](QEvent::Type type, QPoint p, Qt::MouseButton button, Qt::MouseButtons held) {
      QMouseEvent e(type, p, beside.mapToGlobal(p), button, held, {});
      QApplication::sendEvent(&beside, &e);
    };
    for (const Qt::MouseButton button : {Qt::LeftButton, Qt::RightButton}) {
      over(QEvent::MouseButtonPress, {100, 300}, button, button);
      over(QEvent::MouseMove, {130, 310}, Qt::NoButton, button);
      over(QEvent::MouseButtonRelease, {130, 310}, button, {});
      QVERIFY(sameCamera());
    }
    QWheelEvent wheel({100, 300}, beside.mapToGlobal(QPoint(100, 300)), {}, {0, 120}, {}, {}, Qt::NoScrollPhase, false);
    QApplication::sendEvent(&beside, &wheel);
    QVERIFY(sameCamera() && (view().camera().worldToClip - turned).cwiseAbs().maxCoeff() > 0.01);
    // What lies under the pointer is told of either: here of the form as it was.
    std::optional<scene::Probe> told;
    connect(&view(), &app::ViewWidget::probed, this, [&](const auto& p) { told = p; });
    keys(Qt::Key_F);
    const scene::Camera c = beside.camera();
    over(QEvent::MouseMove, {c.width / 2, c.height / 2}, Qt::NoButton, {});
    QVERIFY(QTest::qWaitFor([&] { return told.has_value(); }, 5000));
    const auto [eye, unit] = c.ray(c.width / 2, c.height / 2);
    VERIFY_AT_MOST((told->place.point - eye).cross(unit).norm(), 1e-6);
    double nearest = 1e300;
    for (const auto& b : beside.shown()->bodies)
      for (const auto& f : b.faces)
        if (const double along = scene::hitMesh(*f, eye, unit); along > 0) nearest = std::min(nearest, along);
    VERIFY_AT_MOST(std::abs((told->place.point - eye).norm() - nearest), 0.05);
    // Saving keeps what is compared, and the camera.
    const auto seenBefore = view().camera().worldToClip;
    QVERIFY(window_->savePath(dir_.filePath("saved.lumsk")) && settled());
    QTest::qWait(50);
    QVERIFY(beside.isVisible() && view().before() && view().camera().worldToClip == seenBefore);
    // The state of before is of this project; another one ends the comparison.
    QVERIFY(open("carafe.lumsk"));
    QVERIFY(!beside.isVisible() && !view().before());
    disconnect(&view(), &app::ViewWidget::probed, this, nullptr);
  }

  void directionsArePulledByTheirArrowOrTakenFromTheEye() {
    QVERIFY(open("tumbler.lumsk"));
    const auto degreesFrom = [](const Vec3& a, const Vec3& b) {
      return degFromRad(std::acos(std::min(1.0, a.normalized().dot(b.normalized()))));
    };
    const auto arrow = [&] { return mark("direction", [](const Mark&) { return true; }); };
    for (const char* lens : {"isophotes", "draft"}) {
      click(QString("tag-") + lens);
      QVERIFY(seen());
      const auto scene = w().scene();
      VERIFY_AT_MOST(degreesFrom(*scene::directionOf(view().lens()), Vec3::UnitZ()), 1e-9);
      const Mark up = arrow();
      // From straight up a quarter of the arrow's length to the right: the direction leans so far to the right.
      const double l = QLineF(up.from, up.at).length();
      drag(up.at.toPoint(), (up.at + QPointF(l / 4, 0)).toPoint());
      const Vec3 d = *scene::directionOf(view().lens());
      const scene::Camera c = view().camera();
      QCOMPARE(arrow().at.toPoint().y(), up.at.toPoint().y());
      VERIFY_AT_MOST(std::abs(d.dot(c.direction.cross(c.up)) - (arrow().at.x() - up.from.x()) / 90), 0.02);
      QVERIFY(degreesFrom(d, Vec3::UnitZ()) > 8);
      QVERIFY(d.dot(c.direction) * Vec3::UnitZ().dot(c.direction) > 0); // on the side of the form where it was
      QVERIFY(w().scene() == scene);
      click("lens-as-seen");
      VERIFY_AT_MOST(degreesFrom(*scene::directionOf(view().lens()), -view().camera().direction), 0.1);
    }
    click("tag-stripes");
    QVERIFY(!window_->findChild<QPushButton*>("lens-as-seen")->isVisible());
  }

  void settingsFoldAndAClickBesideTheirEditorsIsNoneInTheView() {
    QVERIFY(open("tumbler.lumsk"));
    w().focus().unfold(w().recipe().steps[0]->id);
    click("tag-stripes");
    auto* panel = find<app::LensPanel>("lens-panel");
    const int tall = panel->height();
    const auto recipe = w().session().recipePtr();
    QTest::mouseClick(panel, Qt::LeftButton, {}, {4, tall - 4});
    QVERIFY(w().session().recipePtr() == recipe);
    click("lens-panel-head");
    QVERIFY(QTest::qWaitFor([&] { return panel->height() < tall / 2; }, 2000));
    click("lens-panel-head");
    QVERIFY(QTest::qWaitFor([&] { return panel->height() == tall; }, 2000));
  }

  void theBarFoldsToWhatIsOn() {
    QVERIFY(open("tumbler.lumsk"));
    click("tag-stripes");
    click("lens-bar-head");
    QVERIFY(window_->findChild<QPushButton*>("tag-stripes")->isVisible());
    QVERIFY(!window_->findChild<QPushButton*>("tag-wall")->isVisible());
    click("lens-bar-head");
    QVERIFY(window_->findChild<QPushButton*>("tag-wall")->isVisible());
  }
};

static test::Register<LensesTest> registeredLensesTest;

} // namespace lumsk::test
#include "lenses_test.moc"

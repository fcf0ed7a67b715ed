#include "app/window.h"

#include "app/field_editors.h"

#include <QComboBox>

namespace lumsk::test {

using scene::SurfaceLens;

class LensesTest : public WindowTestBase {
  Q_OBJECT
  bool seen() {
    return QTest::qWaitFor([&] { return !w().busy() && !view().lensBusy() && view().atRest(); }, 10000);
  }
  const scene::LensResult& result() { return *view().lensResult(); }
  Mark cutHandle() {
    return mark(Mark::Kind::Cut, [](const Mark&) { return true; });
  }

private slots:
  void everyLensIsAClickAndItsSettingsStandBesideTheView() {
    QVERIFY(open("tumbler.lumsk"));
    for (const auto& k : scene::lensKinds()) {
      click("tag-" + QString::fromStdString(k.key));
      QVERIFY(scene::isOn(view().lens(), k.key));
      QVERIFY(seen());
      if (!k.settings.empty()) {
        auto* form = find<QWidget>("lens-form-" + QString::fromStdString(k.key));
        QVERIFY2(form && form->isVisible(), k.key.c_str());
      }
      if (!k.surface) click("tag-" + QString::fromStdString(k.key));
    }
    QVERIFY(view().lens().surface == SurfaceLens::Deviation);
  }

  void everyKeyPeeksAndGivesBackWhatWasOn() {
    QVERIFY(open("tumbler.lumsk"));
    click("tag-draft");
    click("tag-combs");
    for (const auto& k : scene::lensKinds()) {
      if (!k.peek) continue;
      view().setFocus();
      QTest::keyPress(&view(), Qt::Key(k.peek));
      QVERIFY2(scene::isOn(view().lens(), k.key), k.key.c_str());
      QTest::keyRelease(&view(), Qt::Key(k.peek));
      QVERIFY(view().lens().surface == SurfaceLens::Draft);
      QVERIFY(view().lens().combs);
      QVERIFY(!view().lens().cut && !view().lens().points && !view().lens().joins && !view().lens().openings);
    }
  }

  void settingsActAtOnceAndAreRememberedByTheNextWindow() {
    QVERIFY(open("tumbler.lumsk"));
    click("tag-stripes");
    type("count", "40");
    QCOMPARE(view().lens().stripes.count, 40.0);
    click("option-room-level");
    QVERIFY(view().lens().stripes.room == scene::StripeLook::Room::Level);
    type("count", "4000"); // more than the eye can tell: the largest is taken
    QCOMPARE(view().lens().stripes.count, 400.0);
    type("count", "36");
    cleanup();
    window_ = std::make_unique<app::MainWindow>(steps::registry());
    window_->show();
    QCOMPARE(view().lens().stripes.count, 36.0);
    QVERIFY(view().lens().surface == SurfaceLens::Shade);
  }

  void stripeCountsMakeNothingAnew() {
    QVERIFY(open("pell_kettle.lumsk"));
    click("tag-stripes");
    QVERIFY(seen());
    const auto before = w().drawing();
    const int frames = view().framesPainted();
    type("count", "31");
    QVERIFY(seen());
    QVERIFY(w().drawing() == before && !view().lensResult());
    QVERIFY(view().framesPainted() > frames);
  }

  void wallsAreFoundOnTheSolidAndLeadToTheThinnestPlace() {
    QVERIFY(open("pell_kettle.lumsk"));
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
    QVERIFY(QTest::qWaitFor([&] { return words->text().isEmpty(); }, 3000));
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
    QVERIFY(view().lens().cutting.offsetMm > 45);
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
    w().dragInput(ring, "width", 90);
    QVERIFY(QTest::qWaitFor([&] { return view().lensResult()->drawing == w().drawing() && !w().busy(); }, 5000));
    w().endDrag("drag");
    QVERIFY(settled() && seen());
    QVERIFY(std::abs(result().spread.most->value - before) > 1e-4);
    pickAt({0, -35, 60});
    QVERIFY(!w().selectedBodies().empty());
    click("lens-only");
    QCOMPARE(view().lens().only, w().selectedBodies());
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
    QVERIFY(view().before() == w().drawing());
    w().setInput(w().recipe().steps[2]->id, "width", 110, "wider");
    QVERIFY(settled() && seen());
    const QImage after = picture();
    QVERIFY(before != after);
    view().setFocus();
    QTest::keyPress(&view(), Qt::Key_B);
    QVERIFY(view().showsBefore());
    QVERIFY(QTest::qWaitFor([&] { return result().drawing == view().before(); }, 5000));
    const QImage again = picture();
    int differ = 0;
    for (int y = 0; y < again.height(); y += 3)
      for (int x = 0; x < again.width(); x += 3)
        differ += std::abs(qGray(again.pixel(x, y)) - qGray(before.pixel(x, y))) > 12;
    VERIFY_AT_MOST(9.0 * differ / (again.width() * again.height()), 0.005);
    QTest::keyRelease(&view(), Qt::Key_B);
    QVERIFY(!view().showsBefore());
    QVERIFY(QTest::qWaitFor([&] { return result().drawing == w().drawing(); }, 5000));
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

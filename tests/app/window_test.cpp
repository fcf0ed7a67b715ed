#include "app/window.h"

#include <QComboBox>
#include <QToolButton>

using namespace lumsk;
using namespace lumsk::app;
using namespace lumsk::test;

namespace {

/// Independent volume of the tumbler's wall: a body of revolution integrated over its measured profile, from the
/// surfaces themselves by Pappus, not from the kernel's volume.
double revolvedVolume(const brep::Body& b) {
  double v = 0;
  for (const auto& [name, f] : b.natural) {
    // Divergence theorem over the spline face: sum of x . n dA / 3 on a fine grid (mid-point rule).
    const auto& s = *f.surface;
    const int nu = 400, nv = 400;
    for (int i = 0; i < nu; ++i)
      for (int j = 0; j < nv; ++j) {
        nurbs::SurfaceDerivatives d;
        s.derivatives((i + 0.5) / nu, (j + 0.5) / nv, 1, d);
        v += d(0, 0).dot(d(1, 0).cross(d(0, 1))) / (3.0 * nu * nv) * (f.reversed ? -1 : 1);
      }
  }
  return v;
}

} // namespace

class WindowTest : public WindowTestBase {
  Q_OBJECT
private slots:
  void theTumblerIsMadeFromAnEmptyWindow() {
    QVERIFY(find<QWidget>("start"));
    QTest::keyClick(&view(), Qt::Key_1);
    click("tool-point");
    click("keep");
    QVERIFY(settled());
    ring("52", "14");
    ring("66", "45");
    ring("2*38", "110");
    QCOMPARE(w().recipe().steps.size(), size_t(4));
    QVERIFY(!window_->findChild<QWidget*>("start")->isVisible());
    QTest::keyClick(&view(), Qt::Key_F);

    // The loft: its sections are picked in the view, in order.
    QTest::keyClick(&view(), Qt::Key_2);
    click("tool-loft");
    QVERIFY(settled());
    QCOMPARE(QString::fromStdString(w().focus().field()), QString("sections"));
    pickAt({0, 0, 0});
    pickAt({26 * std::cos(-2.0), 26 * std::sin(-2.0), 14});
    pickAt({33 * std::cos(-2.0), 33 * std::sin(-2.0), 45});
    pickAt({38 * std::cos(-2.0), 38 * std::sin(-2.0), 110});
    const auto* loft = w().recipe().find("s5");
    QVERIFY(loft);
    QCOMPARE((*loft->inputs)["sections"].size(), size_t(4));
    QCOMPARE((*loft->inputs)["sections"][0]["step"].get<std::string>(), std::string("s1"));
    QCOMPARE((*loft->inputs)["sections"][3]["step"].get<std::string>(), std::string("s4"));
    choose("start", "perpendicular");
    QVERIFY(settled());
    QVERIFY(result("s5")->status == recipe::Status::Ok);
    QTest::keyClick(&view(), Qt::Key_Return);
    QVERIFY(w().session().draft().empty());

    // Thicken: the skin is picked first, then the tool; Tab goes through what lies under the pointer until it is the
    // skin.
    QTest::mouseMove(&view(), onScreen({34 * std::cos(-1.2), 34 * std::sin(-1.2), 60}));
    QTest::qWait(30);
    for (int i = 0; i < 4 && (w().focus().selection().empty() || w().focus().selection()[0].kind != recipe::Kind::Skin); ++i) {
      if (i) keys(Qt::Key_Tab);
      QTest::mouseClick(&view(), Qt::LeftButton, {}, onScreen({34 * std::cos(-1.2), 34 * std::sin(-1.2), 60}));
    }
    QCOMPARE(w().focus().selection().size(), size_t(1));
    QVERIFY(w().focus().selection()[0].kind == recipe::Kind::Skin);
    keys(Qt::Key_5);
    click("tool-thicken");
    QVERIFY(settled());
    QCOMPARE(inputs("s6")["skin"][0]["step"].get<std::string>(), std::string("s5"));
    type("thickness", "2.4");
    QVERIFY(settled());
    click("keep");
    QVERIFY(settled());
    QCOMPARE(w().model()->bodies.size(), size_t(1));
    const auto& body = *w().model()->bodies[0].body;
    const auto state = inspect::stateOf(body);
    QVERIFY(state.solid && state.valid);
    QCOMPARE(state.openEdges, 0);
    // The rim is flat at z = 110: it adds area * 110 / 3 to the integral over the spline faces.
    double rim = 0;
    for (const auto& [name, f] : body.natural) {
      const Vec3 p = f.surface->at(0, 1);
      rim += (name.find("front") != std::string::npos ? 1 : -1) * kPi * p.head<2>().squaredNorm();
    }
    const double volume = revolvedVolume(body) + rim * 110 / 3;
    VERIFY_AT_MOST(std::abs(state.volumeMm3 / volume - 1), 0.001);

    // Export, save, reopen, change a number, undo.
    const QString mesh = dir_.filePath("cup.3mf"), file = dir_.filePath("cup.lumsk");
    whenAsked<QDialog>([&](QDialog* d) {
      // The dialog shows how many triangles there will be, then asks for the file.
      auto* triangles = d->findChild<QLabel*>("export-triangles");
      QVERIFY(QTest::qWaitFor([&] { return triangles->text().toInt() > 1000; }, 5000));
      whenAskedForAFile(mesh);
      QTest::keyClick(d, Qt::Key_Return);
    });
    keys(Qt::Key_E, Qt::ControlModifier);
    QVERIFY(QTest::qWaitFor([&] { return !window_->exporting(); }, 60000));
    QVERIFY(QFileInfo(mesh).size() > 10000);
    whenAskedForAFile(file);
    keys(Qt::Key_S, Qt::ControlModifier);
    QCOMPARE(w().file().path(), file);
    const std::string text = recipe::toText(w().recipe());
    QVERIFY(!w().session().modified());
    keys(Qt::Key_N, Qt::ControlModifier);
    QVERIFY(w().recipe().steps.empty());
    // The empty window offers what was open before.
    for (auto* b : find<QWidget>("start")->findChildren<QPushButton*>())
      if (b->isVisible() && b->text().contains("Recent: cup.lumsk")) {
        QTest::mouseClick(b, Qt::LeftButton);
        break;
      }
    QVERIFY(settled());
    QCOMPARE(w().file().path(), file);
    QCOMPARE(recipe::toText(w().recipe()), text);
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*w().model()->bodies[0].body).volumeMm3 / state.volumeMm3 - 1), 1e-9);
    w().focus().unfold("s4");
    QTest::qWait(50);
    type("width", "84");
    QVERIFY(settled());
    QVERIFY(inspect::stateOf(*w().model()->bodies[0].body).boxHigh.x() > 41.9);
    view().setFocus();
    QTest::keyClick(&view(), Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QCOMPARE(QString::fromStdString(recipe::toText(w().recipe())), QString::fromStdString(text));
  }

  void pointsAreAddedAndDraggedInTheView() {
    QTest::keyClick(&view(), Qt::Key_1);
    click("tool-spline");
    QVERIFY(settled());
    click("pick-plane");
    keys(Qt::Key_F);
    QTest::qWait(100);
    // The front plane is picked at its border, where nothing else lies.
    pickAt({-60, 0, 40});
    QCOMPARE(inputs(w().focus().open())["plane"][0]["part"].get<std::string>(), std::string("front"));
    QCOMPARE(w().focus().field(), std::string("points"));
    keys(Qt::Key_Down, Qt::ControlModifier);
    QVERIFY(settled());
    const QPoint middle = view().rect().center();
    for (const QPoint d : {QPoint(-150, 60), QPoint(-40, -60), QPoint(60, 50), QPoint(160, -40)}) {
      QTest::mouseClick(&view(), Qt::LeftButton, {}, middle + d);
      QVERIFY(settled());
    }
    const std::string id = w().focus().open();
    const auto points = (*w().recipe().find(id)->inputs)["points"];
    QCOMPARE(points.size(), size_t(4));
    QVERIFY(result(id)->status == recipe::Status::Ok);
    click("keep");
    w().focus().unfold(id);
    QTest::qWait(80);
    const Mark* third = nullptr;
    for (const Mark& m : view().marks())
      if (m.kind->name == std::string("point") && m.index == 2) third = &m;
    QVERIFY(third);
    const QPoint from = third->at.toPoint();
    drag(from, from + QPoint(30, -40));
    const auto after = (*w().recipe().find(id)->inputs)["points"];
    QVERIFY(after[2] != points[2]);
    QCOMPARE(after[1], points[1]);
    QVERIFY(after[2]["at"][1].get<double>() > points[2]["at"][1].get<double>());
    const auto& path = *std::get<recipe::CurvePtr>(result(id)->outcome->outputs[0].object);
    for (int i = 0; i <= 20; ++i) VERIFY_AT_MOST(std::abs(path.at(path.last() * i / 20).y()), 1e-9);
    w().session().undo();
    QVERIFY(settled());
    QCOMPARE((*w().recipe().find(id)->inputs)["points"], points);
  }

  void handlesFlagsAndChipsAreDragged() {
    QVERIFY(open("tumbler.lumsk"));
    w().focus().unfold("s5");
    QTest::qWait(100);
    const QPoint at = handle("height").at.toPoint();
    drag(at, at + QPoint(0, -40));
    const double height = (*w().recipe().find("s5")->inputs)["height"].get<double>();
    QVERIFY2(height > 115, qPrintable(QString::number(height)));
    QVERIFY(result("s7")->status == recipe::Status::Ok);
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*w().model()->bodies[0].body).boxHigh.z() - height), 1e-3);

    w().focus().unfold("s6");
    QTest::qWait(100);
    const auto flag = [&] { return mark("flag", [](const Mark& m) { return m.text == "5"; }); };
    QVERIFY(flag().kind->name == std::string("flag"));
    QTest::mouseClick(&view(), Qt::LeftButton, {}, flag().at.toPoint());
    QVERIFY(settled());
    QVERIFY((*w().recipe().find("s6")->inputs)["sections"][4].value("flip", false));
    w().session().undo();
    QVERIFY(settled());
    QTest::qWait(60);
    const QPoint f = flag().at.toPoint();
    drag(f, f + QPoint(-30, 20));
    QVERIFY((*w().recipe().find("s6")->inputs)["sections"][4].contains("start"));
    w().session().undo();
    QVERIFY(settled());
    // A chip that is removed takes its section out.
    const auto chips = window_->findChildren<QPushButton*>("remove-pick");
    QVERIFY(chips.size() >= 5);
    QTest::mouseClick(chips[2], Qt::LeftButton);
    QVERIFY(settled());
    QCOMPARE((*w().recipe().find("s6")->inputs)["sections"].size(), size_t(4));
  }

  void problemsAreShownInPlaceWithARemedyThatWorks() {
    QVERIFY(open("tumbler.lumsk"));
    w().focus().unfold("s7");
    QTest::qWait(50);
    type("thickness", "50");
    QVERIFY(settled());
    QVERIFY(result("s7")->status == recipe::Status::Failed);
    QVERIFY(result("s7")->outcome);
    QTest::qWait(100);
    QVERIFY(std::any_of(view().marks().begin(), view().marks().end(),
                        [](const Mark& m) { return m.kind->name == std::string("problem"); }));
    QVERIFY(find<QWidget>("problem"));
    click("remedy");
    QVERIFY(settled());
    QVERIFY((*w().recipe().find("s7")->inputs)["thickness"] != json("50"));
    // A text that is no number stays to be mended, and the value before stays in use.
    const auto before = recipe::toText(w().recipe());
    type("thickness", "2 +");
    QCOMPARE(recipe::toText(w().recipe()), before);
    QCOMPARE(find<QLineEdit>("edit-thickness")->property("bad").toBool(), true);
  }

  void theCommandFieldNumbersAndEscapeWork() {
    QVERIFY(open("tumbler.lumsk"));
    view().setFocus();
    QTest::keyClick(&view(), Qt::Key_Space);
    auto* edit = find<QLineEdit>("command-edit");
    QVERIFY(edit);
    QTest::keyClicks(edit, "wall = 3.1");
    QTest::keyClick(edit, Qt::Key_Return);
    QVERIFY(settled());
    QCOMPARE(w().model()->numbers.at("wall").value, 3.1);
    QVERIFY(result("s7")->status == recipe::Status::Ok);
    QTest::keyClick(&view(), Qt::Key_Space);
    QTest::keyClicks(find<QLineEdit>("command-edit"), "tool: ring");
    QTest::keyClick(find<QLineEdit>("command-edit"), Qt::Key_Return);
    QCOMPARE(w().session().draft(), std::string("s8"));
    QVERIFY(settled());
    QTest::keyClick(&view(), Qt::Key_Escape);
    QVERIFY(w().session().draft().empty() && !w().recipe().find("s8"));
    QTest::keyPress(&view(), Qt::Key_S);
    QVERIFY(view().lens().surface == "stripes");
    QTest::keyRelease(&view(), Qt::Key_S);
    QVERIFY(view().lens().surface == "shade");
  }

  void tabCyclesThroughWhatLiesUnderThePointer() {
    QVERIFY(open("tumbler.lumsk"));
    const QPoint q = onScreen({38 * std::cos(-1.4), 38 * std::sin(-1.4), 95});
    QTest::mouseMove(&view(), q);
    QTest::qWait(60);
    QTest::keyClick(&view(), Qt::Key_Tab);
    QTest::mouseClick(&view(), Qt::LeftButton, {}, q);
    QCOMPARE(w().focus().selection().size(), size_t(1));
    const auto first = w().focus().selection()[0];
    QTest::mouseMove(&view(), q + QPoint(1, 0));
    QTest::keyClick(&view(), Qt::Key_Tab);
    QTest::keyClick(&view(), Qt::Key_Tab);
    QVERIFY(first.kind == recipe::Kind::Solid || first.kind == recipe::Kind::Face);
  }

  void aDamagedFileIsExplainedAndTheProjectStays() {
    QVERIFY(open("tumbler.lumsk"));
    const auto before = recipe::toText(w().recipe());
    QFile f(dir_.filePath("bad.lumsk"));
    QVERIFY(f.open(QIODevice::WriteOnly));
    f.write("PK\x03\x04 not really");
    f.close();
    QVERIFY(!window_->openPath(f.fileName()));
    auto* box = window_->findChild<QMessageBox*>("problem-box");
    QVERIFY(box && box->informativeText().contains("LM-F001"));
    box->close();
    QCOMPARE(recipe::toText(w().recipe()), before);
    QVERIFY(!window_->savePath("/no/such/folder/x.lumsk"));
    window_->findChild<QMessageBox*>("problem-box")->close();
  }
};

static test::Register<WindowTest> registeredWindowTest;
#include "window_test.moc"

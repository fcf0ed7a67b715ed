#include "app/window.h"
#include "brep/worker.h"
#include "support/foreign.h"

#include <QImage>
#include <QTreeWidget>

#include <BRepPrimAPI_MakeBox.hxx>

using namespace lumsk;
using namespace lumsk::app;
using namespace lumsk::test;

/// Foreign files in the window: dropped, scaled by two clicks, snapped to, kept in the project.
class ForeignTest : public WindowTestBase {
  Q_OBJECT

  QString write(const QString& name, const std::string& bytes) {
    QFile f(dir_.filePath(name));
    if (f.open(QIODevice::WriteOnly)) f.write(bytes.data(), qint64(bytes.size()));
    return f.fileName();
  }
  Vec3 stored(const std::string& step, const char* field, size_t i) {
    const json& at = inputs(step)[field][i]["at"];
    return {at[0].get<double>(), at[1].get<double>(), at[2].get<double>()};
  }

private slots:
  void droppedBodiesAreImportedAndTravelInTheProject() {
    drop(write("block.step", stepBytes({BRepPrimAPI_MakeBox(30, 20, 10).Solid()}, "INCH")));
    QCOMPARE(QString::fromStdString(w().session().draft()), QString("s1"));
    QVERIFY(result("s1")->status == recipe::Status::Ok);
    QVERIFY(find<QLabel>("note") && find<QLabel>("note")->text().contains("inch", Qt::CaseInsensitive));
    keys(Qt::Key_Return);
    QVERIFY(settled());
    const QString file = dir_.filePath("with.lumsk");
    whenAskedForAFile(file);
    keys(Qt::Key_S, Qt::ControlModifier);
    QVERIFY(QFile::remove(dir_.filePath("block.step")));
    keys(Qt::Key_N, Qt::ControlModifier);
    QVERIFY(w().recipe().steps.empty());
    QVERIFY(window_->openPath(file) && settled());
    QCOMPARE(w().model()->bodies.size(), size_t(1));
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*w().model()->bodies[0].body).volumeMm3 - 6000), 1e-3);
  }

  void brokenFilesAreExplainedAndNothingIsLost() {
    ring("40", "10");
    drop(write("broken.step", "ISO-10303-21; and then nothing"));
    QVERIFY(result("s2")->status == recipe::Status::Failed);
    QCOMPARE(QString::fromStdString(result("s2")->problem->code), QString("LM-I002"));
    QVERIFY(find<QLabel>("problem"));
    keys(Qt::Key_Escape);
    QVERIFY(settled());
    QCOMPARE(w().recipe().steps.size(), size_t(1));
    QVERIFY(result("s1")->status == recipe::Status::Ok);
  }

  void aPictureIsScaledByTwoClicks() {
    QImage image(400, 300, QImage::Format_RGB32);
    image.fill(Qt::lightGray);
    QVERIFY(image.save(dir_.filePath("side.png")));
    drop(dir_.filePath("side.png"));
    QVERIFY(result("s1")->status == recipe::Status::Ok);
    keys(Qt::Key_Down, Qt::ControlModifier);
    click("option-size-points");
    QVERIFY(settled());
    w().focus().unfold("s1", "marks");
    pickAt({-50, 0, -20});
    pickAt({30, 0, -20}); // 80 of the picture's 200 mm
    QCOMPARE(inputs("s1")["marks"].size(), size_t(2));
    VERIFY_AT_MOST((stored("s1", "marks", 0) - Vec3(-0.25, -0.1, 0)).norm(), 0.004);
    type("distance", "120");
    QVERIFY(settled());
    const auto& p = std::get<recipe::PictureObject>(result("s1")->outcome->outputs[0].object);
    const double apart = (stored("s1", "marks", 1) - stored("s1", "marks", 0)).norm();
    VERIFY_AT_MOST(std::abs(p.widthMm * apart - 120), 1e-9);
    VERIFY_AT_MOST(std::abs(p.widthMm - 300), 3);
    QCOMPARE(w().scene()->pictures.size(), size_t(1));
    keys(Qt::Key_Return);
    QVERIFY(w().session().draft().empty());
    // In Parts it is put out of sight and back.
    auto* parts = window_->findChild<QTreeWidget*>("parts");
    QVERIFY(parts && parts->topLevelItemCount() == 1);
    parts->topLevelItem(0)->setCheckState(0, Qt::Unchecked);
    QVERIFY(settled());
    QVERIFY(QTest::qWaitFor([&] { return w().scene()->pictures.empty(); }, 2000));
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(QTest::qWaitFor([&] { return w().scene()->pictures.size() == 1; }, 2000));
  }

  void filesThatAreTooLargeAreRefused() {
    const QString path = write("big.step", "ISO-10303-21;");
    QVERIFY(QFile::resize(path, qint64(300) << 20)); // sparse
    drop(path);
    QVERIFY(w().recipe().steps.empty());
    auto* box = find<QMessageBox>("problem-box");
    QVERIFY(box && box->informativeText().contains("LM-F021"));
    box->close();
  }

  void pointsSnapToAGhostAndLeaveIt() {
    drop(write("block.stl", "solid a\nfacet normal 0 0 1\nouter loop\nvertex 5.123 -20 7.77\nvertex 45 -20 7.77\n"
                            "vertex 45 -20 44\nendloop\nendfacet\nendsolid a\n"));
    QVERIFY(result("s1")->status == recipe::Status::Ok);
    keys(Qt::Key_Return);
    QVERIFY(settled());
    QVERIFY(w().model()->bodies.empty());
    keys(Qt::Key_Down, Qt::ControlModifier);
    keys(Qt::Key_1);
    click("tool-spline");
    QVERIFY(settled());
    const QPoint corner = onScreen({5.123, -20, 7.77});
    QTest::mouseMove(&view(), corner + QPoint(4, -3));
    QTest::qWait(30);
    QTest::mouseClick(&view(), Qt::LeftButton, {}, corner + QPoint(4, -3));
    QVERIFY(settled());
    VERIFY_AT_MOST((stored("s2", "points", 0) - Vec3(5.123, -20, 7.77)).norm(), 1e-6);
    pickAt({30, -20, 70});
    // Dragged with Alt it does not snap.
    drag(onScreen({5.123, -20, 7.77}), onScreen({5.123, -20, 7.77}) + QPoint(5, 0), Qt::LeftButton, Qt::AltModifier);
    QVERIFY((stored("s2", "points", 0) - Vec3(5.123, -20, 7.77)).norm() > 0.2);
  }

  void anEndDrawnOnTheMirrorPlaneIsSquareUntilItLeavesIt() {
    keys(Qt::Key_Up, Qt::ControlModifier);
    click("tool-spline");
    QVERIFY(settled());
    const QPoint first = onScreen({0, -40, 0});
    QTest::mouseClick(&view(), Qt::LeftButton, {}, first + QPoint(3, 0)); // near the plane
    QVERIFY(settled());
    pickAt({40, 0, 0});
    QCOMPARE(stored("s1", "points", 0).x(), 0.0);
    QCOMPARE(QString::fromStdString(inputs("s1").value("start", "free")), QString("perpendicular"));
    QCOMPARE(QString::fromStdString(inputs("s1").value("end", "free")), QString("free"));
    const auto& curve = *std::get<recipe::CurvePtr>(result("s1")->outcome->outputs[0].object);
    const Vec3 d = (curve.at(1e-5) - curve.at(0)).normalized();
    VERIFY_AT_MOST(std::hypot(d.y(), d.z()), 1e-3);
    drag(onScreen({0, -40, 0}), onScreen({12, -40, 0}));
    QCOMPARE(QString::fromStdString(inputs("s1").value("start", "free")), QString("free"));
    QVERIFY(result("s1")->status == recipe::Status::Ok);
  }
};

static test::Register<ForeignTest> registeredForeignTest;
#include "foreign_test.moc"

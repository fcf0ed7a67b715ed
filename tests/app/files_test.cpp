#include "app/window.h"

#include <QDropEvent>
#include <QMenu>
#include <QMenuBar>
#include <QMimeData>
#include <QProcess>
#include <QPushButton>
#include <QSettings>

using namespace lumsk;
using namespace lumsk::test;

class FilesTest : public WindowTestBase {
  Q_OBJECT

  QString write(const QString& name, const QByteArray& bytes) {
    QFile f(dir_.filePath(name));
    if (f.open(QIODevice::WriteOnly)) f.write(bytes);
    return f.fileName();
  }

  void drop(const QString& path) {
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(path)});
    QDragEnterEvent enter(QPoint(200, 200), Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(window_.get(), &enter);
    QVERIFY(enter.isAccepted());
    QDropEvent event(QPointF(200, 200), Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(window_.get(), &event);
    QVERIFY(settled());
  }

  QString problemShown() {
    QMessageBox* box = nullptr;
    if (!QTest::qWaitFor([&] { return (box = window_->findChild<QMessageBox*>("problem-box")) != nullptr; }, 2000))
      return {};
    const QString text = box->informativeText();
    delete box;
    return text;
  }

  /// Answers the question about unsaved changes.
  void answer(QMessageBox::StandardButton button) {
    whenAsked<QMessageBox>([button](QMessageBox* box) { QTest::mouseClick(box->button(button), Qt::LeftButton); });
  }

private slots:
  void droppedProjectsOpenAndDroppedTablesBecomeCurves() {
    drop(LUMSK_DATA_DIR "/demos/tumbler.lumsk");
    QCOMPARE(w().recipe().steps.size(), size_t(7));
    QVERIFY(!w().session().modified());
    w().file().newProject();
    QVERIFY(settled());
    drop(write("rim.txt", "0 0 0\n10 0 0\n20 5 2\n30 0 0\n"));
    QCOMPARE(QString::fromStdString(w().recipe().find(w().session().draft())->kind), QString("points_curve"));
    QVERIFY(result(w().session().draft())->status == recipe::Status::Ok);
    const auto& path = *std::get<recipe::CurvePtr>(result(w().session().draft())->outcome->outputs[0].object);
    VERIFY_AT_MOST((path.end() - Vec3(30, 0, 0)).norm(), 1e-9);
    QCOMPARE(w().recipe().imports.size(), size_t(1));
  }

  void badTablesAndProjectsAreExplainedAndNothingIsLost() {
    QVERIFY(open("tumbler.lumsk"));
    const auto before = recipe::toText(w().recipe());
    drop(write("bad.lumsk", "PK\x03\x04 not really"));
    QVERIFY(problemShown().contains("LM-F001"));
    drop(write("half.json", "{\"format\": \"lumsk-recipe\", \"version\": 1, \"steps\": ["));
    QVERIFY(problemShown().contains("LM-F00"));
    drop(write("newer.json", "{\"format\": \"lumsk-recipe\", \"version\": 999, \"steps\": []}"));
    QVERIFY(problemShown().contains("LM-F00"));
    QCOMPARE(recipe::toText(w().recipe()), before);
    drop(write("nan.txt", "0 0 0\n10 nan 0\n"));
    QVERIFY(result(w().session().draft())->status == recipe::Status::Failed);
    QCOMPARE(result(w().session().draft())->problem->code, std::string("LM-F010"));
    keys(Qt::Key_Escape);
    QVERIFY(settled());
    QCOMPARE(w().model()->bodies.size(), size_t(1));
  }

  void unwritableFoldersAreExplained() {
    QVERIFY(open("tumbler.lumsk"));
    w().steps().rename("s1", "Bottom point");
    QVERIFY(settled());
    QVERIFY(w().session().modified());
    QVERIFY(!window_->savePath("/proc/lumsk/x.lumsk"));
    QVERIFY(problemShown().contains("LM-F022"));
    window_->exportPath("/proc/lumsk/x.stl", {});
    QVERIFY(QTest::qWaitFor([&] { return !window_->exporting(); }, 60000));
    QVERIFY(problemShown().contains("LM-F022"));
    QVERIFY(w().session().modified());
  }

  void leavingChangesBehindIsAskedFor() {
    QVERIFY(open("tumbler.lumsk"));
    const QString file = dir_.filePath("mine.lumsk");
    QVERIFY(window_->savePath(file));
    w().steps().rename("s1", "Bottom point");
    answer(QMessageBox::Cancel);
    keys(Qt::Key_N, Qt::ControlModifier);
    QCOMPARE(w().recipe().steps.size(), size_t(7));
    answer(QMessageBox::Save);
    keys(Qt::Key_N, Qt::ControlModifier);
    QVERIFY(w().recipe().steps.empty());
    QVERIFY(window_->openPath(file));
    QCOMPARE(QString::fromStdString(w().recipe().find("s1")->label), QString("Bottom point"));
    w().steps().rename("s1", "Nothing worth");
    answer(QMessageBox::Discard);
    keys(Qt::Key_N, Qt::ControlModifier);
    QVERIFY(w().recipe().steps.empty());
    QVERIFY(window_->openPath(file));
    QCOMPARE(QString::fromStdString(w().recipe().find("s1")->label), QString("Bottom point"));
  }

  void recentProjectsAreOfferedInTheMenuAndTheStartPanel() {
    const QString file = dir_.filePath("recent one.lumsk");
    QVERIFY(open("tumbler.lumsk"));
    QVERIFY(window_->savePath(file));
    w().file().newProject();
    QVERIFY(settled());
    QMenu* recent = nullptr;
    for (QMenu* m : window_->menuBar()->findChildren<QMenu*>())
      if (m->title() == "Open recent") recent = m;
    QVERIFY(recent);
    emit recent->aboutToShow();
    QVERIFY(!recent->actions().isEmpty());
    QCOMPARE(recent->actions().first()->text(), QString("recent one.lumsk"));
    QPushButton* link = nullptr;
    for (auto* b : find<QWidget>("start")->findChildren<QPushButton*>())
      if (b->text().contains("recent one")) link = b;
    QVERIFY(link);
    QTest::mouseClick(link, Qt::LeftButton);
    QVERIFY(settled());
    QCOMPARE(w().file().path(), file);
  }

  void everyFormatIsExportedAndEscLeavesTheOldFile() {
    QVERIFY(openKettle());
    const size_t steps = w().recipe().steps.size();
    for (const char* ending : {".step", ".brep", ".stl", ".3mf"}) {
      const QString file = dir_.filePath(QString("k") + ending);
      window_->exportPath(file, {});
      QVERIFY(QTest::qWaitFor([&] { return !window_->exporting(); }, 60000));
      QVERIFY2(QFileInfo(file).size() > 5000, ending);
      QVERIFY2(find<QLabel>("instruction")->text().startsWith("wrote k"),
               qPrintable(find<QLabel>("instruction")->text()));
    }
    const QString file = dir_.filePath("k.stl");
    const qint64 size = QFileInfo(file).size();
    window_->exportPath(file, {{0.001, 1}});
    QVERIFY(window_->exporting());
    keys(Qt::Key_Escape);
    QVERIFY(QTest::qWaitFor([&] { return !window_->exporting(); }, 60000));
    QCOMPARE(QFileInfo(file).size(), size);
    QCOMPARE(w().recipe().steps.size(), steps);
  }

  void aProjectOpenElsewhereIsAnnounced() {
    const QString file = dir_.filePath("shared.lumsk");
    QVERIFY(open("tumbler.lumsk"));
    QVERIFY(window_->savePath(file));
    w().file().newProject();
    QProcess other;
    other.start("sleep", {"30"});
    QVERIFY(other.waitForStarted());
    write(".shared.lumsk.lock",
          QSysInfo::machineHostName().toUtf8() + " " + QByteArray::number(other.processId()) + "\n");
    QVERIFY(window_->openPath(file));
    QVERIFY(problemShown().contains("LM-F040"));
    other.kill();
    other.waitForFinished();
  }

  void whatWasComputedComesBackWithTheProject() {
    QVERIFY(openKettle());
    const double seconds = result("s17")->seconds;
    QVERIFY(seconds > 0.005);
    const QString file = dir_.filePath("kept.lumsk");
    QVERIFY(window_->savePath(file));
    const auto state = inspect::stateOf(*w().model()->bodies[0].body);
    window_ = std::make_unique<app::MainWindow>(steps::registry()); // nothing is remembered but the file
    window_->show();
    QVERIFY(window_->openPath(file) && settled());
    QVERIFY(result("s17")->status == recipe::Status::Ok);
    QCOMPARE(result("s17")->seconds, seconds); // what it took then: it was not computed again
    const auto again = inspect::stateOf(*w().model()->bodies[0].body);
    VERIFY_AT_MOST(std::abs(again.volumeMm3 / state.volumeMm3 - 1), 1e-10);
    QVERIFY(again.valid && again.solid);
  }

  void layoutAndStageAreRemembered() {
    keys(Qt::Key_5);
    QVERIFY(find<QAbstractButton>("tool-thicken"));
    window_->resize(1200, 760);
    QTest::qWait(50);
    window_->close();
    QCOMPARE(QSettings().value("window/stage").toInt(), 4);
    window_ = std::make_unique<app::MainWindow>(steps::registry());
    window_->show();
    QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
    QVERIFY(find<QAbstractButton>("tool-thicken"));
    QCOMPARE(window_->width(), 1200);
    keys(Qt::Key_1);
    QVERIFY(find<QAbstractButton>("tool-ring"));
  }
};

static test::Register<FilesTest> registeredFilesTest;
#include "files_test.moc"

#include "app/window.h"
#include "drawing/files.h"
#include "exchange/export.h"
#include "exchange/files.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QInputDialog>
#include <QLineEdit>
#include <QMenu>
#include <QMimeData>
#include <QTreeWidget>
#include <QUrl>

using namespace lumsk;
using namespace lumsk::test;

class DeliverTest : public WindowTestBase {
  Q_OBJECT

  /// A drum and, beside it, a thinner one.
  void twoDrums() {
    for (const auto& [x, width] : {std::pair{0, 40}, std::pair{60, 20}}) {
      add("ring", {{"shape", "circle"}, {"width", width}, {"x", x}});
      const std::string ring = w().recipe().steps.back()->id;
      add("extrude", {{"sections", json::array({{{"id", "i1"}, {"step", ring}}})}, {"length", 30}, {"solid", true}});
    }
    QVERIFY(settled());
    QCOMPARE(w().model()->bodies.size(), size_t(2));
  }

  /// Takes the entry that begins so from the menu that a button opens.
  void fromMenu(const QString& button, const QString& begin) {
    auto* timer = new QTimer(this);
    connect(timer, &QTimer::timeout, this, [timer, begin] {
      auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
      if (!menu) return;
      timer->deleteLater();
      timer->stop();
      for (QAction* a : menu->actions())
        if (a->text().startsWith(begin)) QTest::mouseClick(menu, Qt::LeftButton, {}, menu->actionGeometry(a).center());
    });
    timer->start(30);
    click(button);
  }

private slots:
  void theDialogSaysWhatIsLostAndWritesAViewToScale() {
    twoDrums();
    const QString path = dir_.filePath("view.dxf");
    whenAsked<QDialog>([&](QDialog* d) {
      auto* lost = d->findChild<QLabel*>("export-lost");
      auto* format = d->findChild<QComboBox*>("export-format");
      const auto choose = [&](const char* key) {
        for (int i = 0; i < format->count(); ++i)
          if (exchange::formats()[size_t(i)].key == key) format->setCurrentIndex(i);
      };
      choose("stl");
      QVERIFY(lost->text().contains("names are lost") && lost->text().contains("become one"));
      choose("step");
      QVERIFY(lost->text().contains("2 curves are left out"));
      QVERIFY(!d->findChild<QWidget*>("export-scale")->isVisible());
      choose("dxf");
      QVERIFY(d->findChild<QWidget*>("export-scale")->isVisible());
      auto* scale = d->findChild<QLineEdit*>("export-scale");
      scale->setFocus();
      scale->selectAll();
      QTest::keyClicks(scale, "1/2");
      whenAskedForAFile(path);
      QTest::keyClick(d, Qt::Key_Return);
    });
    keys(Qt::Key_E, Qt::ControlModifier);
    QVERIFY(QTest::qWaitFor([&] { return !window_->exporting(); }, 60000));
    const auto drawn = drawing::fromDxf(*exchange::readFile(path.toStdString()));
    VERIFY_OK(drawn);
    Eigen::AlignedBox2d box;
    for (const auto& s : drawn->segments)
      if (const auto* l = std::get_if<nurbs::LineSegment>(&s)) box.extend(Vec2(l->a.head<2>())), box.extend(Vec2(l->b.head<2>()));
    VERIFY_AT_MOST((box.sizes() - Vec2(45, 15)).norm(), 0.01);
  }

  void everyPartIsAFileOfItsOwn() {
    twoDrums();
    w().steps().rename(w().model()->bodies[0].step, "Front/left");
    QVERIFY(settled());
    whenAsked<QDialog>([&](QDialog* d) {
      auto* each = d->findChild<QCheckBox*>("export-each");
      QVERIFY(each->isVisible());
      QTest::mouseClick(each, Qt::LeftButton, {}, QPoint(8, each->height() / 2));
      QVERIFY(each->isChecked());
      whenAskedForAFile(dir_.filePath("drum.3mf"));
      QTest::keyClick(d, Qt::Key_Return);
    });
    keys(Qt::Key_E, Qt::ControlModifier);
    QVERIFY(QTest::qWaitFor([&] { return !window_->exporting(); }, 60000));
    const QStringList files = QDir(dir_.path()).entryList({"drum*"});
    QCOMPARE(files.size(), 2);
    QVERIFY(files.contains("drum-Front_left.3mf"));
  }

  void aPartIsDraggedOutAsAFile() {
    twoDrums();
    window_->findChild<QTabWidget*>()->setCurrentIndex(1);
    auto* parts = find<QTreeWidget>("parts");
    QVERIFY(parts->dragEnabled());
    QModelIndexList row;
    for (int i = 0; i < parts->topLevelItemCount(); ++i)
      if (parts->topLevelItem(i)->text(1).startsWith("solid") && row.isEmpty()) row << parts->model()->index(i, 0);
    const std::unique_ptr<QMimeData> dragged(parts->model()->mimeData(row));
    QVERIFY(dragged && dragged->urls().size() == 1);
    const auto back = exchange::readForeignBodies(dragged->urls()[0].toLocalFile().toStdString());
    VERIFY_OK(back);
    QCOMPARE(back->size(), size_t(1));
    QCOMPARE((*back)[0].label, w().model()->bodies[0].label);
    QVERIFY((*back)[0].body->solid());
  }

  void aPrintIsCheckedAndStoodUpByAClick() {
    // A mushroom: a plate on a stem.
    add("ring", {{"shape", "circle"}, {"width", 12}});
    add("extrude", {{"sections", json::array({{{"id", "i1"}, {"step", w().recipe().steps.back()->id}}})}, {"length", 30}, {"solid", true}});
    const std::string stem = w().recipe().steps.back()->id;
    add("ring", {{"shape", "circle"}, {"width", 60}, {"height", 30}});
    add("extrude", {{"sections", json::array({{{"id", "i1"}, {"step", w().recipe().steps.back()->id}}})}, {"length", 4}, {"solid", true}, {"combine", "add"}, {"target", json::array({{{"id", "i1"}, {"step", stem}}})}});
    QVERIFY(settled());
    QCOMPARE(w().model()->bodies.size(), size_t(1));
    keys(Qt::Key_6);
    click("tool-print_check");
    const std::string draft = w().session().draft();
    QVERIFY(!draft.empty());
    pickAt({10, -10, 34});
    QVERIFY(settled());
    QVERIFY(result(draft)->outcome && result(draft)->status == recipe::Status::Ok);
    const auto overhang = [&] { return result(draft)->outcome->measured.at("print_overhang").value; };
    VERIFY_AT_MOST(std::abs(overhang() / (kPi * (900 - 36)) - 1), 0.01);
    click("remedy");
    QVERIFY(settled());
    VERIFY_AT_MOST(overhang(), 1e-6);
    keys(Qt::Key_Return);
    QVERIFY(settled());
    QVERIFY(w().session().draft().empty());
    QCOMPARE(w().recipe().steps.back()->kind, std::string("print_check"));
  }

  void aMachineOfOnesOwnIsKeptAndChosen() {
    add("ring", {{"shape", "circle"}, {"width", 30}});
    add("extrude", {{"sections", json::array({{{"id", "i1"}, {"step", w().recipe().steps.back()->id}}})}, {"length", 40}, {"solid", true}});
    keys(Qt::Key_6);
    const auto checked = [&] {
      click("tool-print_check");
      pickAt({5, -5, 40});
      QVERIFY(settled());
    };
    checked();
    const auto notes = [&] { return result(w().session().draft())->outcome->notes.size(); };
    const auto value = [&](const char* key) { return w().recipe().find(w().session().draft())->inputs->at(key); };
    auto* list = [&] { return find<QComboBox>("choose-machine"); }();
    QVERIFY(list);
    const int shipped = list->count();
    choose("machine", "own");
    type("roomX", "100");
    type("roomZ", "20 + 5");
    QVERIFY(settled());
    QCOMPARE(notes(), size_t(1)); // it is 40 high
    whenAsked<QInputDialog>([](QInputDialog* d) {
      QTest::keyClicks(d->findChild<QLineEdit*>(), "Hazel");
      QTest::keyClick(d, Qt::Key_Return);
    });
    fromMenu("kept-machine", "Keep");
    QCOMPARE(list->count(), shipped + 2); // and a line before it
    QCOMPARE(list->currentText(), QString("Hazel"));
    choose("machine", "birch");
    QCOMPARE(notes(), size_t(0));
    // In another check, chosen like the others: three sizes and the choice in one edit.
    keys(Qt::Key_Return);
    QVERIFY(settled());
    checked();
    list = find<QComboBox>("choose-machine");
    QVERIFY(list && list->findText("Hazel") > 0);
    list->setFocus();
    QTest::keyClick(list, Qt::Key_End);
    QVERIFY(settled());
    QCOMPARE(value("machine"), json("own"));
    QCOMPARE(value("roomX"), json("100"));
    QCOMPARE(value("roomZ"), json("25"));
    QCOMPARE(notes(), size_t(1));
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QCOMPARE(notes(), size_t(0));
    QVERIFY(!w().recipe().find(w().session().draft())->inputs->contains("roomX"));
    fromMenu("kept-machine", "Forget Hazel");
    QCOMPARE(find<QComboBox>("choose-machine")->count(), shipped);
  }

  void aMouldIsCheckedAndItsPartingLineDrawn() {
    add("ring", {{"shape", "circle"}, {"width", 60}});
    add("extrude", {{"sections", json::array({{{"id", "i1"}, {"step", w().recipe().steps.back()->id}}})}, {"length", 20}, {"lean", 3}, {"solid", true}});
    keys(Qt::Key_6);
    click("tool-mould_check");
    const std::string draft = w().session().draft();
    pickAt({5, -5, 20});
    QVERIFY(settled());
    QVERIFY(result(draft)->outcome && result(draft)->status == recipe::Status::Ok);
    QVERIFY(result(draft)->outcome->notes.empty());
    VERIFY_AT_MOST(std::abs(result(draft)->outcome->measured.at("mould_draft").value - 3), 0.01);
    type("draft", "5");
    QVERIFY(settled());
    QCOMPARE(result(draft)->outcome->notes.size(), size_t(1));
    keys(Qt::Key_Return);
    QVERIFY(settled());
    QVERIFY(w().session().draft().empty());
    const auto& outputs = result(w().recipe().steps.back()->id)->outcome->outputs;
    QCOMPARE(outputs.size(), size_t(1));
    QVERIFY(std::get<recipe::CurvePtr>(outputs[0].object)->closed());
  }
};

static test::Register<DeliverTest> registeredDeliverTest;
#include "deliver_test.moc"

#include "app/window.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHeaderView>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QTabWidget>
#include <QTableWidget>
#include <QTextBrowser>
#include <QTreeWidget>

using namespace lumsk;
using namespace lumsk::test;

class PanelsTest : public WindowTestBase {
  Q_OBJECT

  void tab(int i) { find<QTabWidget>("column")->setCurrentIndex(i); }

  QWidget* row(const QString& step) {
    for (QWidget* r : window_->findChildren<QWidget*>("row"))
      if (r->property("step").toString() == step) return r;
    return nullptr;
  }

  void cell(QTableWidget* t, int r, int c, const QString& text) {
    t->setFocus();
    t->setCurrentCell(r, c);
    t->editItem(t->item(r, c));
    auto* e = qobject_cast<QLineEdit*>(QApplication::focusWidget());
    QVERIFY(e);
    e->selectAll();
    QTest::keyClicks(e, text);
    QCOMPARE(e->text(), text);
    QTest::keyClick(e, Qt::Key_Return);
    QTest::qWait(20); // the table takes the text from its event loop
    QVERIFY(settled());
  }

private slots:
  void partsHaveAWeightAndFacesTheirColour() {
    QVERIFY(open("tumbler.lumsk"));
    tab(1);
    auto* tree = find<QTreeWidget>("parts");
    QVERIFY(QTest::qWaitFor([&] { return tree->topLevelItemCount() > 0 && tree->topLevelItem(0)->text(1).contains("closed"); }));
    QVERIFY(tree->isColumnHidden(3));
    tree->topLevelItem(0)->setSelected(true);
    auto* density = find<QDoubleSpinBox>("parts-density");
    QVERIFY(density && density->isEnabled());
    density->setFocus();
    density->selectAll();
    QTest::keyClicks(density, "1.05");
    QTest::keyClick(density, Qt::Key_Return);
    QVERIFY(settled());
    const std::string body = w().model()->bodies[0].id;
    QCOMPARE(w().recipe().looks.at(body).density, 1.05);
    const double grams = 1.05 * inspect::stateOf(*w().model()->bodies[0].body).volumeMm3 / 1000;
    QVERIFY(QTest::qWaitFor([&] { return !tree->isColumnHidden(3); }));
    VERIFY_AT_MOST(std::abs(tree->topLevelItem(0)->text(3).section(' ', 0, 0).toDouble() - grams), 0.01 * grams);
    // Two faces get their own colour; an undo takes it away, and what a face is cut into would keep it.
    const auto before = w().scene(); // another one is drawn after an edit
    const auto& drawn = before->bodies[0];
    std::vector<scene::Hit> faces(2);
    for (size_t i = 0; i < 2; ++i) {
      faces[i].kind = recipe::Kind::Face;
      faces[i].step = drawn.step;
      faces[i].part = drawn.partName(drawn.body->faceNames[i]);
    }
    w().steps().colourFaces(faces, "#1f7a6b");
    QVERIFY(settled());
    QVERIFY(QTest::qWaitFor([&] { return w().scene()->bodies[0].colourOf(drawn.body->faceNames[0]) == "#1f7a6b"; }));
    const auto after = w().scene();
    const auto& now = after->bodies[0];
    QCOMPARE(now.colourOf(now.body->faceNames[1] + "#2"), std::string("#1f7a6b"));
    QCOMPARE(now.colourOf(now.body->faceNames[2]), now.colour);
    QVERIFY(w().steps().hasOwnColour(faces[0]));
    const auto text = recipe::toText(w().recipe());
    QVERIFY(recipe::fromText(text).value().looks.at(body).faces.size() == 2 && recipe::fromText(text).value().looks.at(body).density == 1.05);
    w().session().undo();
    QVERIFY(settled());
    QVERIFY(!w().steps().hasOwnColour(faces[0]));
  }

  void partsShowKindAndSizeAndHideByTheirBox() {
    QVERIFY(open("tumbler.lumsk"));
    tab(1);
    auto* tree = find<QTreeWidget>("parts");
    QVERIFY(QTest::qWaitFor(
        [&] { return tree->topLevelItemCount() > 0 && tree->topLevelItem(0)->text(1) == "solid, closed"; }, 5000));
    QCOMPARE(tree->topLevelItem(0)->text(2), QString("76 × 76 × 110"));
    const QRect box = tree->visualItemRect(tree->topLevelItem(0));
    QVERIFY(w().model()->bodies[0].visible);
    QTest::mouseClick(tree->viewport(), Qt::LeftButton, {},
                      QPoint(tree->columnViewportPosition(0) + 10, box.center().y()));
    QVERIFY(settled());
    QVERIFY(!w().model()->bodies[0].visible);
    QVERIFY(w().scene()->bodies.empty());
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QVERIFY(w().model()->bodies[0].visible);
    QCOMPARE(w().scene()->bodies.size(), size_t(1));
    // A double click leads to the step.
    QTest::mouseClick(tree->viewport(), Qt::LeftButton, {}, box.center());
    QTest::mouseDClick(tree->viewport(), Qt::LeftButton, {}, box.center());
    QCOMPARE(w().focus().open(), std::string("s7"));
  }

  void numbersDriveTheFormAndWrongOnesAreExplained() {
    QVERIFY(open("tumbler.lumsk"));
    tab(2);
    auto* table = find<QTableWidget>("numbers");
    int wall = -1;
    for (int r = 0; r < table->rowCount(); ++r)
      if (table->item(r, 0)->text() == "wall") wall = r;
    QVERIFY(wall >= 0);
    const double before = inspect::stateOf(*w().model()->bodies[0].body).volumeMm3;
    cell(table, wall, 1, "height/40");
    QCOMPARE(w().model()->numbers.at("wall").value, 2.75);
    QVERIFY(inspect::stateOf(*w().model()->bodies[0].body).volumeMm3 > 1.1 * before);
    QCOMPARE(table->item(wall, 3)->text(), QString("2.75 mm"));
    // A circle is named, and the model keeps its last good shape.
    cell(table, wall, 1, "wall*2");
    QVERIFY(w().model()->numbersProblem);
    QCOMPARE(w().model()->numbersProblem->code, std::string("LM-E006"));
    QCOMPARE(w().model()->bodies.size(), size_t(1));
    QVERIFY(w().model()->bodies[0].stale);
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QVERIFY(!w().model()->numbersProblem);
    // A new number, named and used.
    click("add-number");
    QVERIFY(settled());
    const int last = table->rowCount() - 1;
    QCOMPARE(w().recipe().parameters.back().name, std::string("number1"));
    cell(table, last, 0, "foot");
    cell(table, last, 1, "5 cm");
    QCOMPARE(w().model()->numbers.at("foot").value, 50.0);
    cell(table, last, 0, "2bad");
    QCOMPARE(w().recipe().parameters.back().name, std::string("foot"));
  }

  void tolerancesAreNumbersToo() {
    QVERIFY(open("tumbler.lumsk"));
    tab(2);
    QLineEdit* fit = nullptr;
    for (auto* e : window_->findChildren<QLineEdit*>())
      if (e->accessibleName() == "Fit, mm") fit = e;
    QVERIFY(fit && fit->isVisible());
    const int before = inspect::stateOf(*w().model()->bodies[0].body).controlPoints;
    fit->setFocus();
    fit->selectAll();
    QTest::keyClicks(fit, "0.02");
    QTest::keyClick(fit, Qt::Key_Return);
    QVERIFY(settled());
    QCOMPARE(w().recipe().tolerances.fit.mm, 0.02);
    QVERIFY(inspect::stateOf(*w().model()->bodies[0].body).controlPoints < before);
    fit->selectAll();
    QTest::keyClicks(fit, "-1");
    QTest::keyClick(fit, Qt::Key_Return);
    QVERIFY(settled());
    QCOMPARE(w().recipe().tolerances.fit.mm, 0.02);
  }

  void rowsUnfoldRenameSwitchOffAndGo() {
    QVERIFY(open("tumbler.lumsk"));
    QTest::mouseClick(row("s3"), Qt::LeftButton, {}, QPoint(80, 12));
    QCOMPARE(w().focus().open(), std::string("s3"));
    QVERIFY(find<QLineEdit>("edit-width"));
    QTest::mouseClick(row("s3"), Qt::LeftButton, {}, QPoint(80, 12));
    QVERIFY(w().focus().open().empty());
    // F2 renames in place.
    row("s3")->setFocus();
    QTest::keyClick(row("s3"), Qt::Key_F2);
    auto* edit = qobject_cast<QLineEdit*>(QApplication::focusWidget());
    QVERIFY(edit && row("s3")->isAncestorOf(edit));
    QTest::keyClicks(edit, "Grip ring");
    QTest::keyClick(edit, Qt::Key_Return);
    QCOMPARE(QString::fromStdString(w().recipe().find("s3")->label), QString("Grip ring"));
    // Switched off, its ring is missing and the loft waits, keeping its last good shape.
    w().steps().setOn({"s3"}, false);
    QVERIFY(settled());
    QVERIFY(result("s3")->status == recipe::Status::Off);
    QVERIFY(result("s6")->status != recipe::Status::Ok);
    QVERIFY(result("s6")->outcome != nullptr);
    w().steps().setOn({"s3"}, true);
    QVERIFY(settled());
    QVERIFY(result("s7")->status == recipe::Status::Ok);
    // Del on a row takes it out; undo brings it back.
    row("s7")->setFocus();
    QTest::keyClick(row("s7"), Qt::Key_Delete);
    QVERIFY(settled());
    QVERIFY(!w().recipe().find("s7"));
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QVERIFY(result("s7")->status == recipe::Status::Ok);
  }

  void chipsAreReorderedByDragAndAWrongOrderIsShown() {
    QVERIFY(open("tumbler.lumsk"));
    w().focus().unfold("s6");
    QTest::qWait(400); // the form is laid out and scrolled into sight
    const auto chips = [&] {
      QList<QWidget*> list;
      for (QWidget* c : window_->findChildren<QWidget*>("chip"))
        if (c->isVisible()) list << c;
      std::sort(list.begin(), list.end(),
                [](QWidget* a, QWidget* b) { return std::pair(a->y(), a->x()) < std::pair(b->y(), b->x()); });
      return list;
    };
    QCOMPARE(chips().size(), 5);
    const auto order = [&] {
      std::vector<std::string> out;
      for (const auto& p : inputs("s6")["sections"]) out.push_back(p["step"]);
      return out;
    };
    const auto before = order();
    QWidget *second = chips()[1], *third = chips()[2];
    const QPoint from = second->rect().center(),
                 to = second->mapFromGlobal(third->mapToGlobal(third->rect().center() + QPoint(8, 2)));
    QTest::mousePress(second, Qt::LeftButton, {}, from);
    for (int i = 1; i <= 5; ++i) {
      const QPoint p = from + (to - from) * i / 5;
      QMouseEvent move(QEvent::MouseMove, p, second->mapToGlobal(p), Qt::NoButton, Qt::LeftButton, {});
      QApplication::sendEvent(second, &move);
    }
    QTest::mouseRelease(second, Qt::LeftButton, {}, to);
    QVERIFY(settled());
    QCOMPARE(order()[1], before[2]);
    const auto now = order();
    QVERIFY(std::is_permutation(before.begin(), before.end(), now.begin()));
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QCOMPARE(order(), before);
    // The pointer on a chip lights its object in the view.
    QEnterEvent enter(QPointF(5, 5), QPointF(5, 5), chips()[3]->mapToGlobal(QPointF(5, 5)));
    QApplication::sendEvent(chips()[3], &enter);
    QTest::qWait(50);
    const QImage lit = window_->grab().toImage();
    QEvent leave(QEvent::Leave);
    QApplication::sendEvent(chips()[3], &leave);
    QTest::qWait(50);
    QVERIFY(lit != window_->grab().toImage());
  }

  void rowsOfPointsKeepTheirIds() {
    keys(Qt::Key_1);
    click("tool-spline");
    QVERIFY(settled());
    const std::string id = w().focus().open();
    for (int i = 0; i < 3; ++i) click("add-row");
    QVERIFY(settled());
    auto* table = find<QTableWidget>("rows-points");
    QCOMPARE(table->rowCount(), 3);
    cell(table, 1, 1, "12");
    cell(table, 2, 0, "2*20 mm");
    QVERIFY(result(id)->status == recipe::Status::Ok);
    QCOMPARE(inputs(id)["points"][2]["at"][0].get<std::string>(), std::string("2*20 mm"));
    const std::string third = inputs(id)["points"][2]["id"];
    table->setCurrentCell(1, 0);
    click("remove-row");
    QVERIFY(settled());
    QCOMPARE(inputs(id)["points"].size(), size_t(2));
    QCOMPARE(inputs(id)["points"][1]["id"].get<std::string>(), third);
  }

  void fieldsTakeStepsByKeyWheelAndExpression() {
    QVERIFY(open("tumbler.lumsk"));
    w().focus().unfold("s7");
    QTest::qWait(50);
    type("thickness", "2");
    QVERIFY(settled());
    auto* e = find<QLineEdit>("edit-thickness");
    e->setFocus();
    QTest::keyClick(e, Qt::Key_Up);
    QVERIFY(settled());
    QCOMPARE(e->text(), QString("3"));
    QTest::keyClick(e, Qt::Key_Down);
    QTest::keyClick(e, Qt::Key_Down);
    QVERIFY(settled());
    QCOMPARE(e->text(), QString("1"));
    type("thickness", "1/16 in");
    QVERIFY(settled());
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*w().model()->bodies[0].body).boxHigh.z() - 110), 1e-3);
    type("thickness", "3 deg");
    QVERIFY(find<QLineEdit>("edit-thickness")->property("bad").toBool());
    QCOMPARE(inputs("s7")["thickness"].get<std::string>(), std::string("1/16 in"));
    click("option-side-out");
    QVERIFY(settled());
    QVERIFY(inspect::stateOf(*w().model()->bodies[0].body).boxHigh.x() > 38.5);
  }

  void figuresInTheStripAreLinksToTheirPlace() {
    QVERIFY(openKettle());
    auto* gap = find<QPushButton>("figure-gap");
    QVERIFY(gap);
    const Vec3 centre = view().camera().ray(view().width() / 2.0, view().height() / 2.0).second;
    const QPoint before = onScreen({0, 0, 90});
    QTest::mouseClick(find<QPushButton>("figure-curvature"), Qt::LeftButton);
    QTest::qWait(50);
    QVERIFY((onScreen({0, 0, 90}) - before).manhattanLength() > 2);
    Q_UNUSED(centre);
    w().focus().unfold("s4");
    QTest::qWait(50);
    QVERIFY(find<QPushButton>("figure-radius"));
  }

  void helpIsThereForEveryStepByKey() {
    QVERIFY(open("tumbler.lumsk"));
    for (const char* step : {"s1", "s3", "s6", "s7"}) {
      w().focus().unfold(step);
      keys(Qt::Key_F1);
      auto* help = find<QWidget>("help");
      QVERIFY(help);
      auto* text = help->findChild<QTextBrowser*>();
      QVERIFY(text && text->toPlainText().size() > 200);
      const auto kind = QString::fromStdString(w().registry().find(w().recipe().find(step)->kind)->label);
      QVERIFY2(text->toPlainText().startsWith(kind, Qt::CaseInsensitive), qPrintable(text->toPlainText().left(40)));
      delete help;
    }
  }

  void everyStageHasItsTools() {
    auto* drawer = find<QWidget>("drawer");
    QVERIFY(drawer);
    const std::pair<Qt::Key, const char*> stages[] = {{Qt::Key_1, "tool-spline"}, {Qt::Key_2, "tool-loft"},
                                                      {Qt::Key_3, "tool-match"},  {Qt::Key_4, "tool-trim"},
                                                      {Qt::Key_5, "tool-thicken"}, {Qt::Key_6, "tool-measure"},
                                                      {Qt::Key_7, "tool-export"}};
    for (const auto& [key, tool] : stages) {
      keys(key);
      const auto shows = [&, name = QString(tool)] {
        const auto all = drawer->findChildren<QAbstractButton*>();
        return std::any_of(all.begin(), all.end(), [&](QAbstractButton* b) {
          return b->isVisible() && b->objectName() == name;
        });
      };
      QVERIFY2(QTest::qWaitFor(shows, 1000), tool);
    }
  }

  void theCommandFieldFindsToolsViewsAndNumbers() {
    QVERIFY(open("tumbler.lumsk"));
    const auto run = [&](const QString& text) {
      view().setFocus();
      keys(Qt::Key_Space);
      auto* edit = find<QLineEdit>("command-edit");
      QTest::keyClicks(edit, text);
      QTest::keyClick(edit, Qt::Key_Return);
      settled();
    };
    run("front");
    VERIFY_AT_MOST((view().camera().direction - Vec3(0, 1, 0)).norm(), 1e-9);
    run("height = 130");
    QCOMPARE(w().model()->numbers.at("height").value, 130.0);
    run("lip = rim / 2");
    QCOMPARE(w().model()->numbers.at("lip").value, 38.0);
    run("thicken");
    QCOMPARE(QString::fromStdString(w().recipe().find(w().session().draft())->kind), QString("thicken"));
    keys(Qt::Key_Escape);
    QVERIFY(w().session().draft().empty());
    // Esc closes the field without doing anything.
    keys(Qt::Key_Space);
    QTest::keyClick(find<QLineEdit>("command-edit"), Qt::Key_Escape);
    QVERIFY(!window_->findChild<QWidget*>("command")->isVisible());
  }

  void toolsTakeWhatWasPickedBeforehandInOrder() {
    QVERIFY(open("tumbler.lumsk"));
    w().steps().remove({"s7"});
    w().steps().remove({"s6"});
    QVERIFY(settled());
    pickAt({38 * std::cos(-1.8), 38 * std::sin(-1.8), 110});
    const auto ringAt = [&](const char* id) {
      const auto& path = *std::get<recipe::CurvePtr>(result(id)->outcome->outputs[0].object);
      const Vec3 p = path.at(0.0);
      return Vec3(p.head<2>().norm() * std::cos(-1.8), p.head<2>().norm() * std::sin(-1.8), p.z());
    };
    pickAt(ringAt("s4"), Qt::ControlModifier);
    pickAt(ringAt("s2"), Qt::ControlModifier);
    QCOMPARE(w().focus().selection().size(), size_t(3));
    keys(Qt::Key_2);
    click("tool-loft");
    QVERIFY(settled());
    const auto& sections = inputs(w().session().draft())["sections"];
    QCOMPARE(sections.size(), size_t(3));
    QCOMPARE(sections[0]["step"].get<std::string>(), std::string("s5"));
    QCOMPARE(sections[1]["step"].get<std::string>(), std::string("s4"));
    QCOMPARE(sections[2]["step"].get<std::string>(), std::string("s2"));
    QVERIFY(result(w().session().draft())->status == recipe::Status::Ok);
    click("drop");
    QVERIFY(settled());
    QCOMPARE(w().recipe().steps.size(), size_t(5));
  }
};

static test::Register<PanelsTest> registeredPanelsTest;
#include "panels_test.moc"

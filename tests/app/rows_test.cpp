#include "app/window.h"

#include "app/recipe_column.h"

#include <QClipboard>
#include <QInputDialog>
#include <QMenu>

namespace lumsk::test {

class RowsTest : public WindowTestBase {
  Q_OBJECT
  app::RecipeRow* row(const std::string& id) {
    for (auto* r : window_->findChildren<app::RecipeRow*>())
      if (r->step() == id) return r;
    return nullptr;
  }
  void clickRow(const std::string& id, Qt::KeyboardModifiers keys = {}) {
    auto* r = row(id);
    QVERIFY(r && r->isVisible());
    QTest::mouseClick(r, Qt::LeftButton, keys, {60, 12});
    QTest::qWait(20);
  }
  void dragRow(QWidget* r, int dy) {
    const QPoint from(60, std::min(12, r->height() / 2));
    QTest::mousePress(r, Qt::LeftButton, {}, from);
    for (int i = 1; i <= 5; ++i) {
      const QPoint p = from + QPoint(0, dy * i / 5);
      QMouseEvent move(QEvent::MouseMove, p, r->mapToGlobal(p), Qt::NoButton, Qt::LeftButton, {});
      QApplication::sendEvent(r, &move);
    }
    QTest::mouseRelease(r, Qt::LeftButton, {}, from + QPoint(0, dy));
    QVERIFY(settled());
  }
  int at(const std::string& id) { return w().recipe().indexOf(id); }
  QString said() { return find<QLabel>("instruction")->text(); }

private slots:
  void rowsAreDraggedToAnotherPlaceAndForbiddenOnesSayWhy() {
    QVERIFY(open("tumbler.lumsk"));
    const std::string ring = w().recipe().steps[1]->id, loft = [&] {
      for (const auto& s : w().recipe().steps)
        if (s->kind == "loft") return s->id;
      return std::string();
    }();
    const auto before = w().session().recipePtr();
    dragRow(row(ring), 60);
    QCOMPARE(at(ring), 2);
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QVERIFY(w().session().recipePtr() == before);
    dragRow(row(loft), -400);
    QVERIFY(w().session().recipePtr() == before);
    QVERIFY2(said().contains("cannot come before"), qPrintable(said()));
  }

  void rowsAreCopiedPastedDuplicatedAndRemovedByKeys() {
    QVERIFY(open("tumbler.lumsk"));
    const size_t n = w().recipe().steps.size();
    const std::string a = w().recipe().steps[1]->id, b = w().recipe().steps[2]->id;
    clickRow(a, Qt::ControlModifier);
    clickRow(b, Qt::ControlModifier);
    QCOMPARE(int(w().focus().rows().size()), 2);
    keys(Qt::Key_C, Qt::ControlModifier);
    keys(Qt::Key_V, Qt::ControlModifier);
    QVERIFY(settled());
    QCOMPARE(w().recipe().steps.size(), n + 2);
    QVERIFY(!w().model()->failed());
    QVERIFY(said().contains("pasted 2"));
    QCOMPARE(int(w().focus().rows().size()), 2); // what was pasted is chosen
    keys(Qt::Key_Delete);
    QVERIFY(settled());
    QCOMPARE(w().recipe().steps.size(), n);
    clickRow(a, Qt::ControlModifier);
    keys(Qt::Key_D, Qt::ControlModifier);
    QVERIFY(settled());
    QCOMPARE(w().recipe().steps.size(), n + 1);
    QVERIFY(w().recipe().steps[size_t(at(a)) + 1]->label != w().recipe().find(a)->label);
    QApplication::clipboard()->setText("nothing of ours");
    keys(Qt::Key_V, Qt::ControlModifier);
    QCOMPARE(w().recipe().steps.size(), n + 1);
    QVERIFY(said().contains("copy some steps"));
  }

  void stepsGoFromOneProjectToAnother() {
    QVERIFY(open("tumbler.lumsk"));
    clickRow(w().recipe().steps[1]->id, Qt::ControlModifier);
    keys(Qt::Key_C, Qt::ControlModifier);
    w().file().newProject();
    keys(Qt::Key_V, Qt::ControlModifier);
    QVERIFY(settled());
    QCOMPARE(int(w().recipe().steps.size()), 1);
    QVERIFY(!w().model()->failed());
  }

  void groupsFoldAndTheSearchFindsRowsInThem() {
    QVERIFY(open("tumbler.lumsk"));
    const std::string a = w().recipe().steps[1]->id, b = w().recipe().steps[2]->id, other = w().recipe().steps[0]->id;
    clickRow(a, Qt::ControlModifier);
    clickRow(b, Qt::ShiftModifier);
    whenAsked<QInputDialog>([](QInputDialog* d) {
      d->setTextValue("Outlines");
      d->accept();
    });
    keys(Qt::Key_G, Qt::ControlModifier);
    QVERIFY(settled());
    QCOMPARE(w().recipe().find(b)->group, std::string("Outlines"));
    click("group-Outlines");
    QVERIFY(!row(a)->isVisible() && row(other)->isVisible());
    keys(Qt::Key_F, Qt::ControlModifier);
    auto* search = find<QLineEdit>("search-steps");
    QVERIFY(search->hasFocus());
    QTest::keyClicks(search, QString::fromStdString(w().recipe().find(a)->label));
    QVERIFY(row(a)->isVisible() && !row(other)->isVisible());
    search->clear();
    click("group-Outlines");
    QVERIFY(row(a)->isVisible());
  }

  void newStepsGoWhereTheHereMarkWasDragged() {
    QVERIFY(open("tumbler.lumsk"));
    auto* here = find<QWidget>("here");
    QVERIFY(here);
    QTest::qWait(100); // rows whose words have come are laid out
    const int up = row(w().recipe().steps[2]->id)->y() - here->y();
    dragRow(here, up);
    QCOMPARE(w().recipe().here, w().recipe().steps[1]->id);
    QVERIFY(w().scene()->bodies.empty()); // the view is as of there
    QVERIFY(!w().scene()->later.empty());
    click("tool-ring");
    QVERIFY(settled());
    QCOMPARE(at(w().session().draft()), 2);
    click("keep");
    QCOMPARE(w().recipe().here, w().recipe().steps[2]->id);
    dragRow(find<QWidget>("here"), 2000);
    QVERIFY(w().recipe().here.empty());
    QVERIFY(!w().scene()->bodies.empty() && w().scene()->later.empty());
  }

  void anOpenRowShowsTheModelAsOfItAndWhatFollowsFaintly() {
    QVERIFY(openKettle());
    const size_t bodies = w().scene()->bodies.size();
    clickRow("s3");
    QVERIFY(QTest::qWaitFor([&] { return !w().scene()->later.empty(); }, 5000));
    QVERIFY(w().scene()->bodies.empty());
    // Curves that later steps use up are there to be picked again, and nothing later is.
    QVERIFY(std::any_of(w().scene()->curves.begin(), w().scene()->curves.end(),
                        [](const auto& c) { return c.step == "s3"; }));
    QVERIFY(std::none_of(w().scene()->curves.begin(), w().scene()->curves.end(),
                         [](const auto& c) { return c.step == "s5"; }));
    for (const auto& h : scene::pickAt(*w().scene(), view().camera(), onScreen({0, -60, 60}).x(),
                                       onScreen({0, -60, 60}).y(), recipe::Kind::Face | recipe::Kind::Solid))
      QVERIFY2(false, h.label.c_str());
    clickRow("s3"); // folded again
    QVERIFY(QTest::qWaitFor([&] { return w().scene()->later.empty(); }, 5000));
    QCOMPARE(w().scene()->bodies.size(), bodies);
  }

  void rowsAreWalkedAndMovedByTheKeyboard() {
    QVERIFY(open("tumbler.lumsk"));
    const std::string first = w().recipe().steps[1]->id;
    row(first)->setFocus();
    QTest::keyClick(row(first), Qt::Key_Down, Qt::AltModifier);
    QVERIFY(settled());
    QCOMPARE(at(first), 2);
    QTest::keyClick(row(first), Qt::Key_Return);
    QCOMPARE(w().focus().open(), first);
  }
};

static test::Register<RowsTest> registeredRowsTest;

} // namespace lumsk::test
#include "rows_test.moc"

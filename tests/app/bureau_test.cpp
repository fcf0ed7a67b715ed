#include "app/bureau_window.h"
#include "app/window.h"

#include <QSlider>
#include <QSpinBox>

using namespace lumsk;
using namespace lumsk::test;

class BureauWindowTest : public WindowTestBase {
  Q_OBJECT

  void solid(const json& ring, double length) {
    add("ring", ring);
    add("extrude", {{"sections", json::array({{{"id", "i1"}, {"step", w().recipe().steps.back()->id}}})}, {"length", length}, {"solid", true}});
    QVERIFY(settled());
  }
  app::BureauWindow* opened() {
    keys(Qt::Key_B, Qt::ControlModifier | Qt::ShiftModifier);
    auto* bureau = find<app::BureauWindow>("bureau-window");
    return bureau && idle(*bureau, 10000) ? bureau : nullptr;
  }
  bool idle(app::BureauWindow& bureau, int ms = 30000) {
    return QTest::qWaitFor([&] { return !bureau.busy(); }, ms);
  }

private slots:
  void anOfferIsAskedForAndItsLayersAreSeen() {
    solid({{"shape", "circle"}, {"width", 40}}, 12);
    add("ring", {{"shape", "circle"}, {"width", 20}, {"x", 60}});
    add("extrude", {{"sections", json::array({{{"id", "i1"}, {"step", w().recipe().steps.back()->id}}})}, {"length", 10}});
    auto* bureau = opened();
    QVERIFY(bureau && find<QLabel>("bureau-parts")->text().contains("1 solid") && find<QLabel>("bureau-parts")->text().contains("1 skin"));
    QTest::keyClick(bureau->focusWidget(), Qt::Key_Return); // the button has the focus at once
    QVERIFY(idle(*bureau));
    QVERIFY(bureau->answer() && bureau->answer()->accepted);
    VERIFY_AT_MOST(std::abs(bureau->answer()->volumeMm3 / (M_PI * 400 * 12) - 1), 0.005);
    QCOMPARE(bureau->answer()->layers, 60);
    QVERIFY(QTest::qWaitFor([&] { return bureau->layer().has_value(); }, 5000));
    auto* at = find<QSlider>("bureau-at");
    at->setFocus();
    QTest::keyClick(at, Qt::Key_End);
    QVERIFY(QTest::qWaitFor([&] { return std::abs(bureau->layer()->zMm - 11.9) < 1e-6; }, 5000));
    // Another wish: the old offer no longer stands, and three cost more than one.
    const double one = bureau->answer()->eur;
    auto* copies = find<QSpinBox>("bureau-copies");
    copies->setFocus();
    copies->selectAll();
    QTest::keyClicks(copies, "3\t");
    QVERIFY(!bureau->answer());
    click("bureau-ask");
    QVERIFY(idle(*bureau));
    QVERIFY(bureau->answer() && bureau->answer()->eur > 2 * (one - 7.5) + 7.5);
    // The form is changed beside it, and that is said.
    const std::string ring = w().recipe().steps.front()->id;
    w().session().setInput(ring, "width", 42, "wider");
    QVERIFY(settled());
    QVERIFY(QTest::qWaitFor([&] { return find<QLabel>("bureau-note")->text().contains("changed"); }, 5000));
  }

  void aRefusalTurnsTheViewToItsPlace() {
    solid({{"shape", "rectangle"}, {"width", 30}, {"depth", 0.6}, {"radius", 0}, {"x", 50}, {"y", 40}}, 12);
    auto* bureau = opened();
    click("bureau-ask");
    QVERIFY(idle(*bureau));
    QVERIFY(bureau->answer() && !bureau->answer()->accepted && bureau->answer()->reasons.size() == 1 && bureau->answer()->reasons[0].at);
    drag({300, 300}, {420, 330}, Qt::RightButton);
    click("bureau-there");
    const QPoint seen = onScreen(*bureau->answer()->reasons[0].at);
    QVERIFY2((seen - view().rect().center()).manhattanLength() < 40, qPrintable(QString("%1 %2").arg(seen.x()).arg(seen.y())));
  }

  void whateverItDoesTheWindowGoesOn() {
    solid({{"shape", "circle"}, {"width", 40}}, 60);
    auto* bureau = opened();
    auto* manner = find<QComboBox>("bureau-manner");
    const auto asked = [&](int behaves) {
      manner->setCurrentIndex(behaves);
      if (!idle(*bureau, 10000)) return QString("still calling");
      if (find<QPushButton>("bureau-ask")->text() == "Try again") return find<QLabel>("bureau-state")->text();
      click("bureau-ask");
      return idle(*bureau) ? find<QLabel>("bureau-state")->text() : QString("still asking");
    };
    QVERIFY(asked(2).contains("no bureau listens"));
    QVERIFY(asked(3).contains("refuses"));
    QVERIFY(bureau->answer() && bureau->answer()->layers == 0);
    QVERIFY(asked(4).contains("ended in the middle"));
    QVERIFY(asked(5).contains("no answer"));
    // One that takes its time: the form goes on being worked at, and waiting can be stopped.
    manner->setCurrentIndex(1);
    QVERIFY(idle(*bureau, 10000));
    click("bureau-ask");
    QVERIFY(QTest::qWaitFor([&] { return find<QLabel>("bureau-state")->text().contains("waiting"); }, 5000));
    const auto before = w().recipe().steps.size();
    add("ring", {{"shape", "circle"}, {"width", 10}});
    QVERIFY(w().recipe().steps.size() == before + 1 && bureau->busy());
    click("bureau-ask"); // Stop
    QVERIFY(idle(*bureau, 3000));
    QVERIFY(find<QLabel>("bureau-state")->text().contains("Stopped"));
    manner->setCurrentIndex(0);
    QVERIFY(idle(*bureau, 10000));
    click("bureau-ask");
    QVERIFY(idle(*bureau));
    QVERIFY(bureau->answer() && bureau->answer()->accepted);
  }
};

static test::Register<BureauWindowTest> registeredBureauWindowTest;
#include "bureau_test.moc"

#include "app/window.h"

#include "brep/skin.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

/// Sweeps made with the hand in the window.
class SweepWindowTest : public WindowTestBase {
  Q_OBJECT

  void press(const QString& name) {
    auto* b = find<QAbstractButton>(name);
    QVERIFY2(b, qPrintable(name));
    QTest::mouseClick(b, Qt::LeftButton);
    QVERIFY(settled());
  }
  void add(const std::string& kind, const json& values) {
    recipe::StepEntry e;
    e.kind = kind;
    e.version = 1;
    e.label = kind;
    e.inputs = std::make_shared<const json>(values);
    w().session().begin(std::move(e));
    w().session().keepDraft();
    QVERIFY(settled());
  }

private slots:
  void aTwistedShaftIsTwoClicksAndANumber() {
    add("ring", {{"shape", "rectangle"}, {"width", 14}, {"depth", 14}, {"radius", 2}, {"height", 0}});
    add("line", {{"points", pointList({{0, 0, 0}, {0, 0, 100}})}});
    view().lookFrom(scene::ViewFrom::Corner);
    view().fitAll();
    QVERIFY(settled());
    press("stage-surfaces");
    press("tool-sweep");
    pickAt({7, 0, 0});
    QCOMPARE(QString::fromStdString(w().focus().field()), QString("rails")); // the next click is the rail
    pickAt({0, 0, 60});
    QCOMPARE(inputs("s3")["sections"].size(), size_t(1));
    QCOMPARE(inputs("s3")["rails"].size(), size_t(1));
    QVERIFY(w().model()->result("s3")->status == recipe::Status::Ok);
    type("twist", "360*7.5");
    toggle("solid");
    const auto* r = w().model()->result("s3");
    QVERIFY2(r->status == recipe::Status::Ok, r->problem ? sentence(*r->problem).c_str() : "");
    const auto body = std::get<brep::BodyPtr>(r->outcome->outputs[0].object);
    QVERIFY(body->solid());
    VERIFY_AT_MOST(std::abs(brep::massOf(body->shape).volumeMm3 / ((196 - (4 - kPi) * 4) * 100) - 1), 1e-3);
    QVERIFY(r->outcome->summary.find("7.5 turns") != std::string::npos);
    keys(Qt::Key_Return);
    QVERIFY(w().session().draft().empty());
    // Another number, and it follows.
    w().focus().unfold("s3");
    type("twist", "360*10");
    QVERIFY(settled());
    QVERIFY(w().model()->result("s3")->outcome->summary.find("10 turns") != std::string::npos);
  }

  void twoCurvesThatAreChosenBeforeTheToolAreProfileAndRail() {
    add("ring", {{"width", 12}, {"height", 0}});
    add("spline", {{"points", pointList({{0, 0, 0}, {0, 0, 40}, {30, 0, 90}})}});
    view().fitAll();
    QVERIFY(settled());
    pickAt({4.2426, -4.2426, 0}); // away from its start, which is a point
    pickAt({0, 0, 40}, Qt::ControlModifier);
    QCOMPARE(w().focus().selection().size(), size_t(2));
    press("stage-surfaces");
    press("tool-sweep");
    QVERIFY2(inputs("s3")["sections"][0]["step"] == "s1", inputs("s3").dump().c_str());
    QVERIFY2(inputs("s3")["rails"][0]["step"] == "s2", inputs("s3").dump().c_str());
    QVERIFY(w().model()->result("s3")->status == recipe::Status::Ok);
  }

  void aBendTooTightIsMarkedAndMendedByAClick() {
    add("ring", {{"width", 44}, {"height", 0}});
    add("spline", {{"points", pointList({{0, 0, 0}, {0, 0, 15}, {14, 0, 28}, {30, 0, 30}})}});
    press("stage-surfaces");
    press("tool-sweep");
    const auto* entry = w().recipe().find(w().session().draft());
    auto next = recipe::withInput(*entry, "sections", picks({pick("s1", "curve")}));
    next = recipe::withInput(*next, "rails", picks({pick("s2", "curve")}));
    w().session().edit(w().recipe().withStep(next), "pick");
    QVERIFY(settled());
    const std::string id = entry->id;
    const auto* r = w().model()->result(id);
    QVERIFY(r->problem && r->problem->code == "LM-Y003" && !r->problem->where.empty());
    for (int i = 0; i < 2 && w().model()->result(id)->problem; ++i) {
      auto* offer = find<QPushButton>("remedy");
      QVERIFY(offer);
      QTest::mouseClick(offer, Qt::LeftButton);
      QVERIFY(settled());
    }
    QVERIFY(w().model()->result(id)->status == recipe::Status::Ok);
  }
};
static test::Register<SweepWindowTest> registeredSweepWindowTest;
#include "sweep_test.moc"

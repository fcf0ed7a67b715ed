#include "inspect/joins.h"
#include "jobs/job.h"

#include <QContextMenuEvent>
#include <QMenu>

using namespace lumsk;
using namespace lumsk::test;

/// The knob and the shell of a timer.
class KnobJobTest : public Job {
  Q_OBJECT

  double volume(const std::string& step, size_t output = 0) {
    const auto state = inspect::stateOf(*body(step, output));
    if (!state.solid || !state.valid || state.openEdges != 0) qWarning("%s is not a whole solid", step.c_str());
    return state.solid && state.valid && state.openEdges == 0 ? state.volumeMm3 : -1;
  }
  /// The body of another step, picked for a field.
  void pickBody(const QString& field, const std::string& step) {
    press("pick-" + field);
    at(placeSeen(step, [&](const scene::Hit& h) { return h.step == step; }));
  }
  /// What the menu under the pointer offers.
  void fromMenu(const Vec3& p, const QString& words) {
    const QPoint q = onScreen(p);
    QTest::mouseMove(&view(), q);
    QTest::qWait(40);
    QTimer::singleShot(100, this, [words] {
      auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
      if (!menu) return;
      for (QAction* a : menu->actions())
        if (a->text() == words) a->trigger();
      menu->close();
    });
    clicks_ += 2;
    QTest::mouseClick(&view(), Qt::RightButton, {}, q);
    QContextMenuEvent e(QContextMenuEvent::Mouse, q, view().mapToGlobal(q));
    QApplication::sendEvent(&view(), &e);
    QVERIFY(settled());
  }

private slots:
  void theKnobAndTheShellOfATimer() {
    // The knob: between two circles, its upper rim by a conic.
    const std::string low = filled("curves", "ring", {{"width", "32"}, {"height", "24"}}), high = filled("curves", "ring", {{"width", "28"}, {"height", "40"}});
    look(scene::ViewFrom::Corner);
    tool("surfaces", "loft");
    const std::string cone = draft();
    at(curveSeen(low));
    at(curveSeen(high));
    tick("solid");
    QVERIFY(good(cone));
    keep();
    const double plain = volume(cone);
    QVERIFY(plain > 0);
    look(scene::ViewFrom::Corner);
    tool("solid", "round");
    const std::string crown = draft();
    at(along(high, 0.62));
    option("section", "conic");
    enter("size", "3");
    QVERIFY(good(crown));
    keep();
    QVERIFY(volume(crown) > 0 && volume(crown) < plain);
    // A dent that an arc makes by turning, forty times round.
    const std::string arc = begunOn("arc", "front");
    enter("x", "15.4");
    enter("y", "31");
    enter("radius", "1");
    enter("from", "-90");
    enter("to", "90");
    keep();
    const std::string spindle = drawnThrough("line", "front", scene::ViewFrom::Front, {{15.4, 0, 27}, {15.4, 0, 35}});
    w().focus().unfold(spindle); // clicked roughly, then where it is meant
    for (int k : {0, 1}) cell("points", k, 0, "15.4");
    keys(Qt::Key_Escape);
    look(scene::ViewFrom::Front);
    tool("surfaces", "revolve");
    const std::string dent = draft();
    at(along(arc, 0.6));
    press("pick-axis");
    at(curveSeen(spindle));
    tick("solid");
    pickBody("target", crown);
    option("combine", "cut");
    QVERIFY(good(dent));
    keep();
    const double one = volume(crown) - volume(dent);
    QVERIFY(one > 0.5);
    clicks_ += 2;
    QVERIFY(w().steps().canRepeat(dent));
    w().steps().repeat(dent);
    QVERIFY(settled());
    const std::string dents = draft();
    enter("count", "40");
    QVERIFY(good(dents));
    keep();
    VERIFY_AT_MOST(std::abs(volume(crown) - 40 * one - volume(dents)), 0.02 * 40 * one);
    // All their edges at once.
    look(scene::ViewFrom::Front);
    tool("solid", "round");
    const std::string soft = draft();
    const auto onDent = [&] { // the lowest place of the dent that looks at the eye
      Vec3 best = Vec3::Constant(1e9);
      for (const auto& b : w().scene()->bodies)
        for (const auto& e : *b.edges)
          for (const Vec3& p : e.points)
            if (p.y() < -13 && std::abs(p.x()) < 1.3 && p.z() > 29 && p.z() < 33 && p.z() < best.z()) best = p;
      return best;
    };
    enter("size", "0.15");
    press("pick-edges");
    fromMenu(onDent(), "Pick similar edges");
    QVERIFY(inputs(soft).contains("edges"));
    const size_t rims = inputs(soft)["edges"].size(); // some dents lie across a seam, which divides their rims
    QVERIFY2(rims >= 40 && rims < 100, inputs(soft)["edges"].dump().substr(0, 600).c_str());
    QVERIFY(good(soft));
    keep();
    QVERIFY(volume(soft) > 0);
    // The shell: its wall is a skin, its opening above is filled and joined, then it gets a wall inward.
    const std::string rim = filled("curves", "ring", {{"width", "64"}});
    look(scene::ViewFrom::Corner);
    tool("surfaces", "extrude");
    const std::string side = draft();
    at(curveSeen(rim));
    enter("length", "20");
    QVERIFY(good(side) && !body(side)->solid());
    keep();
    tool("trim", "fill");
    const std::string lid = draft();
    look(scene::ViewFrom::Corner);
    at(Vec3(32 * std::cos(3.9), 32 * std::sin(3.9), 20));
    QVERIFY(good(lid) && inspect::stateOf(*body(lid)).boxHigh.z() > 25); // a dome that goes on from the wall
    option("meets", "g0"); // a flat one is wanted
    QVERIFY(good(lid));
    keep();
    QCOMPARE(inspect::stateOf(*body(lid)).openings.size(), size_t(1));
    tool("solid", "thicken");
    const std::string shell = draft();
    at(placeSeen(lid, [&](const scene::Hit& h) { return h.step == lid && h.at.z() < 15; }));
    enter("thickness", "1.8");
    QVERIFY(good(shell));
    keep();
    VERIFY_AT_MOST(std::abs(volume(shell) / (kPi * (32 * 32 * 20 - 30.2 * 30.2 * 18.2)) - 1), 0.001);
    // A window by a drawing, a slot of 0.2 mm: through the shell alone.
    const double knob = volume(soft);
    const auto cut = [&](const Filled& fields, const std::string& of, const std::string& plane, const QString& length) {
      const std::string outline = begunOn("ring", plane);
      option("shape", "rectangle");
      for (const auto& [field, text] : fields) enter(field, text);
      keep();
      look(scene::ViewFrom::Corner);
      tool("surfaces", "extrude");
      const std::string id = draft();
      at(curveSeen(outline));
      enter("length", length);
      tick("solid");
      pickBody("target", of);
      option("combine", "cut");
      [&] { QVERIFY(good(id)); }();
      keep();
      return id;
    };
    const std::string window = cut({{"width", "18"}, {"depth", "8"}, {"radius", "0"}, {"y", "9"}}, shell, planeBeside("front", "45"), "40");
    const double opened = volume(shell) - volume(window);
    QVERIFY(opened > 200);
    const std::string slot = cut({{"width", "0.2"}, {"depth", "10"}, {"radius", "0"}, {"x", "22"}}, window, planeBeside("top", "46"), "-60");
    QVERIFY(volume(window) - volume(slot) > 3);
    VERIFY_AT_MOST(std::abs(volume(soft) - knob), 1e-9);
    // A chamfer below, and the four upright edges of the window rounded together.
    look(scene::ViewFrom::Bottom);
    tool("solid", "chamfer");
    const std::string bevel = draft();
    at(Vec3(32 * std::cos(1.2), 32 * std::sin(1.2), 0));
    enter("size", "0.6");
    QVERIFY(good(bevel));
    keep();
    QVERIFY(volume(bevel) > 0 && volume(bevel) < volume(slot));
    // A parting line: a spline through the shell, both parts stay, with a groove of 0.2 mm between them.
    const std::string line = drawnThrough("spline", "front", scene::ViewFrom::Front, {{-40, 0, 8}, {0, 0, 15}, {40, 0, 7}});
    look(scene::ViewFrom::Corner);
    tool("surfaces", "extrude");
    const std::string sheet = draft();
    at(curveSeen(line));
    option("ways", "even");
    enter("length", "90");
    QVERIFY(good(sheet));
    keep();
    tool("trim", "split");
    const std::string parts = draft();
    pickBody("body", bevel);
    pickBody("by", sheet);
    enter("gap", "0.2");
    QVERIFY(good(parts));
    keep();
    QCOMPARE(result(parts)->outcome->outputs.size(), size_t(2));
    double both = 0;
    for (const size_t k : {size_t(0), size_t(1)}) {
      QVERIFY(volume(parts, k) > 0);
      both += volume(parts, k);
    }
    QVERIFY(both < volume(bevel) - 1 && both > 0.97 * volume(bevel));
    finished("J21", "timer_knob", 190);
  }
};

static test::Register<KnobJobTest> registeredKnobJobTest;
#include "knob_job_test.moc"

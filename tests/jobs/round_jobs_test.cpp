#include "jobs/job.h"

using namespace lumsk;
using namespace lumsk::test;

/// Edges that are worked on in the window.
class RoundJobsTest : public Job {
  Q_OBJECT
private slots:
  /// A cup: a drum that is hollowed, open above; its lower rim is rounded later, before the wall, and the wall keeps what it refers to.
  void aRoundPutInLaterLosesNoReference() {
    tool("curves", "ring");
    const std::string ring = draft();
    enter("width", "40");
    keep();
    tool("surfaces", "extrude");
    const std::string drum = draft();
    at(curve(ring).at(0.13 * curve(ring).last()));
    enter("length", "20");
    tick("solid");
    QVERIFY(good(drum));
    keep();
    tool("solid", "thicken");
    const std::string wall = draft();
    at(placeSeen(drum, [&](const scene::Hit& h) { return h.step == drum; }));
    press("pick-open");
    look(scene::ViewFrom::Corner);
    at(Vec3(2, 1, 20));
    enter("thickness", "1.5");
    QVERIFY(good(wall));
    keep();
    const double before = inspect::stateOf(*body(wall)).volumeMm3;
    VERIFY_AT_MOST(std::abs(before / (kPi * (400 * 20 - 18.5 * 18.5 * 18.5)) - 1), 1e-4);
    // Back, the lower rim, forward again.
    w().steps().setHere(drum);
    QVERIFY(settled());
    tool("solid", "round");
    const std::string round = draft();
    look(scene::ViewFrom::Front);
    at(Vec3(0, -20, 0));
    enter("size", "4");
    QVERIFY(good(round));
    QCOMPARE(inputs(round)["edges"].size(), size_t(1));
    keep();
    w().steps().setHere("");
    QVERIFY(settled());
    QVERIFY(good(wall));
    const auto state = inspect::stateOf(*body(wall));
    QVERIFY(state.solid && state.valid && state.openEdges == 0);
    // Outside a ball of 4, inside one of 2.5: by Pappus's rule.
    const auto lost = [](double R, double r) { return 2 * kPi * (R - r * (10 - 3 * kPi) / (12 - 3 * kPi)) * r * r * (1 - kPi / 4); };
    VERIFY_AT_MOST(std::abs(state.volumeMm3 / (before - lost(20, 4) + lost(18.5, 2.5)) - 1), 1e-3);
    // Too large: told with what fits, and one click takes it.
    w().focus().unfold(round);
    QVERIFY(settled());
    enter("size", "25");
    QVERIFY(result(round)->problem && !result(round)->problem->remedies.empty());
    press("remedy");
    QVERIFY(good(round));
    countedIn("J02, the round");
    // Dragged much too far, it stops at the most that fits.
    enter("size", "8");
    QVERIFY(good(round));
    const auto handle = result(round)->outcome->marks.all<recipe::HandlePlace>().front();
    QVERIFY(handle.most > 19 && handle.most <= 20);
    drag(onScreen(handle.at + 8 * handle.direction), onScreen(handle.at + 60 * handle.direction));
    QVERIFY(good(round));
    const double size = inputs(round)["size"].get<double>();
    QVERIFY2(size <= handle.most && size > 0.98 * handle.most, qPrintable(QString::number(size)));
    const Mark shown = mark("handle", [](const Mark& m) { return m.field == "size"; });
    QVERIFY2(shown.text.contains("the most that fits"), qPrintable(shown.text));
  }

  void aChamferAndAGrooveByClicks() {
    tool("curves", "ring");
    const std::string ring = draft();
    enter("width", "30");
    keep();
    tool("surfaces", "extrude");
    const std::string drum = draft();
    at(curve(ring).at(0.13 * curve(ring).last()));
    enter("length", "10");
    tick("solid");
    keep();
    tool("solid", "chamfer");
    const std::string chamfer = draft();
    look(scene::ViewFrom::Front);
    at(Vec3(0, -15, 10));
    enter("size", "1");
    QVERIFY(good(chamfer));
    const double whole = kPi * 225 * 10;
    VERIFY_AT_MOST(std::abs((whole - inspect::stateOf(*body(chamfer)).volumeMm3) / (2 * kPi * (15 - 1.0 / 3) * 0.5) - 1), 2e-3);
    keep();
    tool("solid", "groove");
    const std::string groove = draft();
    look(scene::ViewFrom::Front);
    press("pick-paths");
    at(Vec3(0, -15, 0));
    press("pick-on");
    at(placeSeen(chamfer, [&](const scene::Hit& h) { return h.step == chamfer && std::abs(h.at.z() - 5) < 3; }));
    press("pick-grooved");
    at(placeSeen(chamfer, [&](const scene::Hit& h) { return h.step == chamfer; }));
    enter("width", "2");
    option("side", "right");
    if (!good(groove)) option("side", "left");
    QVERIFY(good(groove));
    QVERIFY(inspect::stateOf(*body(groove)).volumeMm3 < inspect::stateOf(*body(chamfer)).volumeMm3);
    keep();
    countedIn("chamfer and groove");
  }
};

static test::Register<RoundJobsTest> registeredRoundJobsTest;
#include "round_jobs_test.moc"

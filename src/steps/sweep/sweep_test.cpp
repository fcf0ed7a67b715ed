#include "brep/skin.h"
#include "inspect/state.h"
#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class SweepStepTest : public QObject {
  Q_OBJECT

  /// Of a step in a recipe that was run anew; null when it failed.
  static recipe::OutcomePtr outcomeOf(Bench& b, const std::string& id) {
    b.run();
    return b.result(id).status == recipe::Status::Ok ? b.result(id).outcome : nullptr;
  }
  static std::string problemOf(Bench& b, const std::string& id) {
    b.run();
    return b.result(id).problem ? sentence(*b.result(id).problem) : "";
  }
  static bool hasNote(Bench& b, const std::string& id, const std::string& code) {
    const auto& notes = b.result(id).outcome->notes;
    return std::any_of(notes.begin(), notes.end(), [&](const Problem& n) { return n.code == code; });
  }

private slots:
  void aRingAlongALineIsASolidTubeAndFollowsItsNumbers() {
    Bench b;
    const auto ring = b.add("ring", {{"width", 10}, {"height", 0}});
    const auto rail = b.add("line", {{"points", pointList({{0, 0, 0}, {0, 0, 50}})}});
    const auto sweep = b.add("sweep", {{"sections", picks({pick(ring)})}, {"rails", picks({pick(rail)})}, {"solid", true}});
    QVERIFY2(outcomeOf(b, sweep), qPrintable(QString::fromStdString(problemOf(b, sweep))));
    QVERIFY(b.body(sweep)->solid());
    VERIFY_AT_MOST(std::abs(volume(b.body(sweep)) / (kPi * 25 * 50) - 1), 1e-4);
    b.set(sweep, "endSize", 0.5);
    QVERIFY(outcomeOf(b, sweep));
    VERIFY_AT_MOST(std::abs(volume(b.body(sweep)) / (kPi * 50 / 3 * (25 + 12.5 + 6.25)) - 1), 1e-4);
    b.set(sweep, "endSize", 1);
    b.set(sweep, "twist", "360*7.5");
    QVERIFY(outcomeOf(b, sweep)->summary.find("7.5 turns") != std::string::npos);
  }

  void profilesWithinOthersAreOpenings() {
    Bench b;
    const auto outer = b.add("ring", {{"width", 20}, {"height", 0}}), inner = b.add("ring", {{"width", 12}, {"height", 0}});
    const auto rail = b.add("line", {{"points", pointList({{0, 0, 0}, {0, 0, 30}})}});
    const auto sweep = b.add("sweep", {{"sections", picks({pick(outer), pick(inner)})}, {"rails", picks({pick(rail)})}, {"solid", true}});
    QCOMPARE(int(outcomeOf(b, sweep)->outputs.size()), 1);
    VERIFY_AT_MOST(std::abs(volume(b.body(sweep)) / (kPi * (100 - 36) * 30) - 1), 1e-4);
    b.set(sweep, "solid", false);
    QCOMPARE(int(outcomeOf(b, sweep)->outputs.size()), 2);
  }

  void aSolidIsCutOutOfItsTarget() {
    Bench b;
    const auto low = b.add("ring", {{"width", 60}, {"height", 0}}), high = b.add("ring", {{"width", 60}, {"height", 20}});
    const auto block = b.add("loft", {{"sections", picks({pick(low), pick(high)})}, {"solid", true}});
    const auto rail = b.add("line", {{"points", pointList({{5, 0, -5}, {5, 0, 30}})}});
    const auto bore = b.add("ring", {{"width", 8}, {"height", -5}, {"shape", "circle"}});
    const auto sweep = b.add("sweep", {{"sections", picks({pick(bore)})}, {"rails", picks({pick(rail)})}, {"place", "middle"},
                                       {"solid", true}, {"target", picks({pick(block)})}, {"combine", "cut"}});
    QVERIFY2(outcomeOf(b, sweep), qPrintable(QString::fromStdString(problemOf(b, sweep))));
    VERIFY_AT_MOST(std::abs(volume(b.body(sweep)) / (kPi * (900 - 16) * 20) - 1), 1e-3);
  }

  void foldsOfferTheSizeThatFits() {
    Bench b;
    const auto rail = spline(b, {{0, 0, 0}, {20, 0, 18}, {40, 0, 0}});
    const auto ring = b.add("ring", {{"width", 44}, {"height", 0}});
    const auto sweep = b.add("sweep", {{"sections", picks({pick(ring)})}, {"rails", picks({pick(rail)})}, {"place", "middle"}});
    outcomeOf(b, sweep);
    const auto p = b.result(sweep).problem;
    QVERIFY(p.has_value());
    QCOMPARE(QString::fromStdString(p->code), QString("LM-Y003"));
    QVERIFY(!p->where.empty() && p->remedies.size() == 1);
    QCOMPARE(QString::fromStdString(p->remedies[0].field), QString("size"));
    b.set(sweep, "size", p->remedies[0].value);
    QVERIFY(outcomeOf(b, sweep));
  }

  void aRemedyIsOfferedOnlyWhereItHelps() {
    Bench b;
    // Two rails that bend more tightly than the profile reaches: it has no size of its own there.
    const auto inner = spline(b, {{-4, 0, 0}, {-4, 0, 12}, {0, 0, 16}, {4, 0, 12}, {4, 0, 0}});
    const auto outer = spline(b, {{-4, 3, 0}, {-4, 3, 12}, {0, 3, 16}, {4, 3, 12}, {4, 3, 0}});
    const auto profile = spline(b, {{-4, 0, 0}, {9, 1.5, 0}, {-4, 3, 0}});
    const auto sweep = b.add("sweep", {{"sections", picks({pick(profile)})}, {"rails", picks({pick(inner), pick(outer)})}});
    QVERIFY(!outcomeOf(b, sweep));
    QCOMPARE(QString::fromStdString(b.result(sweep).problem->code), QString("LM-Y003"));
    QVERIFY(b.result(sweep).problem->remedies.empty());
    // What several rails say is refused in its own field, and the offer mends that.
    for (const char* key : {"twist", "size", "endSize", "taper"}) {
      Bench two;
      const auto a = spline(two, {{0, 0, 0}, {0, 40, 5}, {0, 80, 0}}), c = spline(two, {{30, 0, 0}, {34, 40, 5}, {30, 80, 0}});
      const auto arch = spline(two, {{0, 0, 0}, {15, 0, 9}, {30, 0, 0}});
      const auto id = two.add("sweep", {{"sections", picks({pick(arch)})}, {"rails", picks({pick(a), pick(c)})}, {key, 2}});
      QVERIFY(!outcomeOf(two, id));
      const auto offers = two.result(id).problem->remedies;
      QVERIFY(offers.size() == 1 && offers[0].field == key);
      two.set(id, key, offers[0].value);
      QVERIFY(outcomeOf(two, id));
    }
    // Around a closed rail the offer is the nearest whole turn.
    Bench ring;
    const auto rail = ring.add("ring", {{"width", 100}, {"height", 0}}), wire = ring.add("ring", {{"width", 8}, {"height", 0}});
    const auto id = ring.add("sweep", {{"sections", picks({pick(wire)})}, {"rails", picks({pick(rail)})}, {"place", "middle"}, {"twist", 500}});
    QVERIFY(!outcomeOf(ring, id));
    ring.set(id, "twist", ring.result(id).problem->remedies.at(0).value);
    QVERIFY(outcomeOf(ring, id));
  }

  void profilesAlongTheRailAreSortedAndOnesInOnePlaceAreByThemselves() {
    Bench b;
    const auto rail = spline(b, {{0, 0, 0}, {10, 0, 40}, {0, 0, 80}});
    const auto far = b.add("ring", {{"width", 12}, {"height", 80}}), near = b.add("ring", {{"width", 20}, {"height", 0}});
    const auto middle = b.add("ring", {{"width", 8}, {"height", 40}});
    const auto sweep = b.add("sweep", {{"sections", picks({pick(near), pick(far), pick(middle)})}, {"rails", picks({pick(rail)})}});
    QVERIFY(outcomeOf(b, sweep));
    QVERIFY(hasNote(b, sweep, "LM-Y103"));
    QCOMPARE(int(outcomeOf(b, sweep)->outputs.size()), 1);
    const nurbs::Surface& s = *b.body(sweep)->natural.begin()->second.surface;
    VERIFY_AT_MOST(nurbs::closestPoint(s, {4, 0, 40}).distanceMm, 0.001);
    const auto mixed = b.add("sweep", {{"sections", picks({pick(near), pick(far), pick(near)})}, {"rails", picks({pick(rail)})}});
    outcomeOf(b, mixed);
    QCOMPARE(QString::fromStdString(b.result(mixed).problem->code), QString("LM-Y002"));
    b.set(mixed, "many", "own");
    QCOMPARE(int(outcomeOf(b, mixed)->outputs.size()), 3);
  }

  void aProfileOnARimGoesAlongBothItsSides() {
    Bench b;
    const auto rim = b.add("ring", {{"width", 120}, {"depth", 70}, {"height", 0}, {"shape", "ellipse"}});
    const auto arch = spline(b, {{0, -35, 0}, {0, 0, 20}, {0, 35, 0}});
    const auto sweep = b.add("sweep", {{"sections", picks({pick(arch)})}, {"rails", picks({pick(rim)})}});
    QVERIFY2(outcomeOf(b, sweep), qPrintable(QString::fromStdString(problemOf(b, sweep))));
    const auto state = inspect::stateOf(*b.body(sweep));
    QCOMPARE(int(state.openings.size()), 1);
    VERIFY_AT_MOST(std::abs(state.openings[0].lengthMm / 303.5 - 1), 0.01); // all around the rim
  }
};
static test::Register<SweepStepTest> registeredSweepStepTest;
#include "sweep_test.moc"

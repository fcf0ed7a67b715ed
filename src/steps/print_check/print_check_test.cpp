#include "support/solids.h"

using namespace lumsk;
using namespace lumsk::test;

namespace {

const Problem* note(Bench& b, const std::string& step, const char* code) {
  for (const Problem& p : b.result(step).outcome->notes)
    if (p.code == code) return &p;
  return nullptr;
}
double figure(Bench& b, const std::string& step, const std::string& name) {
  const auto& all = b.result(step).outcome->measured;
  const auto it = all.find(name);
  return it == all.end() ? -1 : it->second.value;
}

/// A mushroom: a plate of 60 across and 4 thick on a stem of 12 across and 30 high.
std::string mushroom(Bench& b) {
  const auto stem = prism(b, disc(12), 30), plate = prism(b, disc(60, 0, 0, 30), 4);
  return b.add("combine", {{"bodies", picks({pick(stem)})}, {"tools", picks({pick(plate)})}, {"how", "add"}});
}

} // namespace

class PrintCheckStepTest : public QObject {
  Q_OBJECT
private slots:
  void figuresOfAMushroomAreThoseOfItsForm() {
    Bench b;
    const auto form = mushroom(b);
    const auto s = b.add("print_check", {{"body", picks({pick(form)})}, {"density", 2}});
    b.run();
    VERIFY_STEP(b, s);
    const double volume = kPi * (36 * 30 + 900 * 4), under = kPi * (900 - 36);
    VERIFY_AT_MOST(std::abs(figure(b, s, "print_volume") / volume - 1), 1e-6);
    VERIFY_AT_MOST(std::abs(figure(b, s, "print_grams") / (2 * volume / 1000) - 1), 1e-6);
    VERIFY_AT_MOST(std::abs(figure(b, s, "print_overhang") / under - 1), 0.005);
    VERIFY_AT_MOST(std::abs(figure(b, s, "print_height") - 34), 1e-6);
    VERIFY_AT_MOST(std::abs(figure(b, s, "print_wall") - 4), 0.005);
    QCOMPARE(figure(b, s, "print_cavities"), 0.0);
    QCOMPARE(figure(b, s, "print_islands"), 0.0);
    const Problem* over = note(b, s, "LM-Q124");
    QVERIFY(over && over->remedies.size() == 1 && over->remedies[0].field == "up" && over->remedies[0].value == "best");
    // The click that it offers: it stands on its head.
    b.set(s, "up", "best");
    b.run();
    VERIFY_STEP(b, s);
    VERIFY_AT_MOST(figure(b, s, "print_overhang"), 1e-6);
    QVERIFY(!note(b, s, "LM-Q124"));
    const auto& outputs = b.result(s).outcome->outputs;
    QCOMPARE(outputs.size(), size_t(1));
    const Frame bed = std::get<recipe::PlaneObject>(outputs[0].object).frame;
    VERIFY_AT_MOST((bed.normal() + Vec3::UnitZ()).norm() + std::abs(bed.origin.z() - 34), 1e-6);
    // Later steps use what it measured.
    const auto later = b.add("ring", {{"shape", "circle"}, {"width", "print_height / 2"}});
    b.run();
    VERIFY_STEP(b, later);
  }

  void thinWallsGapsAndSmallMachinesAreTold() {
    Bench b;
    const auto block1 = prism(b, block(60, 20), 20), slot = prism(b, block(0.4, 30), 12);
    const auto cut = b.add("combine", {{"bodies", picks({pick(block1)})}, {"tools", picks({pick(slot)})}, {"how", "cut"}});
    const auto s = b.add("print_check", {{"body", picks({pick(cut)})}, {"gap", 0.5}, {"wall", 8.5}, {"machine", "own"}, {"roomX", 50}, {"roomY", 30}, {"roomZ", 100}, {"name", "trial"}});
    b.run();
    VERIFY_STEP(b, s);
    VERIFY_AT_MOST(std::abs(figure(b, s, "trial_gap") - 0.4), 0.005);
    VERIFY_AT_MOST(std::abs(figure(b, s, "trial_wall") - 8), 0.005); // above the slot
    QVERIFY(note(b, s, "LM-Q122") && note(b, s, "LM-Q123") && note(b, s, "LM-Q128"));
    QVERIFY(!note(b, s, "LM-Q123")->where.empty());
    b.set(s, "up", "x");
    b.run();
    QVERIFY(!note(b, s, "LM-Q128")); // on its end it fits
    b.set(s, "machine", "birch");
    b.set(s, "up", "z");
    b.run();
    QVERIFY(!note(b, s, "LM-Q128"));
  }

  void skinsCannotBePrinted() {
    Bench b;
    const auto ring = b.add("ring", disc(30));
    const auto skin = b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", 12}});
    const auto s = b.add("print_check", {{"body", picks({pick(skin)})}});
    b.run();
    QCOMPARE(b.result(s).problem->code, std::string("LM-Q121"));
    QCOMPARE(b.result(s).problem->where.size(), size_t(2)); // both openings
    b.set(s, "body", picks({pick(mushroom(b))}));
    b.set(s, "up", "picked");
    std::rotate(b.recipe.steps.begin() + 2, b.recipe.steps.begin() + 3, b.recipe.steps.end());
    b.run();
    QCOMPARE(b.result(s).problem->code, std::string("LM-X010"));
    b.set(s, "along", picks({pick("world", "plane", "front")}));
    b.run();
    VERIFY_STEP(b, s);
  }
};

static test::Register<PrintCheckStepTest> registeredPrintCheckStepTest;
#include "print_check_test.moc"

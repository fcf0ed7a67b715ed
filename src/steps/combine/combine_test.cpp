#include "inspect/state.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

namespace combine_test {

/// A drum of 40 mm and 30 high, a bar of 10 by 10 through it, a pin through its middle, and one beside.
struct Workshop {
  Bench b;
  std::string drum, bar, pin, beside;
  Workshop() {
    const auto extruded = [&](json ring, double length) {
      const auto r = b.add("ring", std::move(ring));
      return b.add("extrude", {{"sections", picks({pick(r)})}, {"length", length}, {"solid", true}});
    };
    drum = extruded({{"shape", "circle"}, {"width", 40}}, 30);
    bar = extruded({{"shape", "rectangle"}, {"width", 60}, {"depth", 10}, {"radius", 0}, {"height", 10}}, 10);
    pin = extruded({{"shape", "circle"}, {"width", 6}, {"height", -10}}, 50);
    beside = extruded({{"shape", "circle"}, {"width", 6}, {"x", 90}}, 10);
  }
  json solids(std::vector<std::string> ids) {
    json list = json::array();
    for (const auto& id : ids) list.push_back(pick(id, "solid"));
    return list;
  }
  double volume(const std::string& id, size_t output = 0) {
    const auto s = inspect::stateOf(*std::get<brep::BodyPtr>(b.result(id).outcome->outputs.at(output).object));
    return s.solid && s.valid && s.openEdges == 0 ? s.volumeMm3 : -1;
  }
};

/// Of a disc, what lies within half a width of a line through its middle.
double strip(double radius, double half) { return 2 * (half * std::sqrt(radius * radius - half * half) + radius * radius * std::asin(half / radius)); }

} // namespace combine_test
using namespace combine_test;

class CombineStepTest : public QObject {
  Q_OBJECT
private slots:
  void volumesAreThoseOfTheForms() {
    const double drum = kPi * 400 * 30, pin = kPi * 9 * 30, barIn = 10 * strip(20, 5), both = kPi * 9 * 10;
    Workshop w;
    const auto cut = w.b.add("combine", {{"bodies", w.solids({w.drum})}, {"tools", w.solids({w.bar, w.pin})}, {"how", "cut"}, {"keep", true}});
    w.b.run();
    VERIFY_STEP(w.b, cut);
    VERIFY_AT_MOST(std::abs(w.volume(cut) - (drum - pin - barIn + both)), 1e-3 * drum);
    QCOMPARE(w.b.model->bodies.size(), size_t(4)); // the tools stay
    VERIFY_AT_MOST(std::abs(w.volume(cut) / (drum - pin - barIn + both) - 1), 1e-6);
    w.b.set(cut, "how", "common");
    w.b.run();
    VERIFY_STEP(w.b, cut);
    VERIFY_AT_MOST(std::abs(w.volume(cut) / (pin + barIn - both) - 1), 1e-6);
    w.b.set(cut, "how", "add");
    w.b.set(cut, "keep", false);
    w.b.run();
    VERIFY_STEP(w.b, cut);
    VERIFY_AT_MOST(std::abs(w.volume(cut) / (drum + (6000 - barIn) + kPi * 9 * 20) - 1), 1e-6);
    QCOMPARE(w.b.model->bodies.size(), size_t(2)); // the one beside is left
    // Its faces are known by their names: an edge of the drum goes on as it was.
    const auto& names = std::get<brep::BodyPtr>(w.b.result(cut).outcome->outputs[0].object)->faceNames;
    QVERIFY(std::any_of(names.begin(), names.end(), [&](const std::string& n) { return n.rfind(w.drum + ".", 0) == 0; }));
    QVERIFY(std::any_of(names.begin(), names.end(), [&](const std::string& n) { return n.rfind(w.bar + ".", 0) == 0; }));
  }

  void severalTargetsAreCutEachAndPiecesAreBodies() {
    Workshop w;
    const auto ring = w.b.add("ring", {{"shape", "rectangle"}, {"width", 4}, {"depth", 200}, {"radius", 0}, {"height", -20}});
    const auto blade = w.b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", 90}, {"solid", true}});
    const auto cut = w.b.add("combine", {{"bodies", w.solids({w.drum, w.bar})}, {"tools", w.solids({blade})}, {"how", "cut"}});
    w.b.run();
    VERIFY_STEP(w.b, cut);
    QCOMPARE(w.b.result(cut).outcome->outputs.size(), size_t(4)); // halves of both
    for (size_t i = 0; i < 4; ++i) QVERIFY(w.volume(cut, i) > 0);
    VERIFY_AT_MOST(std::abs(w.volume(cut, 2) - 28 * 100), 1e-3);
    // Later steps find the same pieces.
    const auto moved = w.b.add("move", {{"what", picks({pick(cut, "solid", w.b.result(cut).outcome->outputs[3].name)})}, {"x", 5}});
    w.b.run();
    VERIFY_STEP(w.b, moved);
  }

  void whatCannotBeIsNamedAndNothingIsLost() {
    Workshop w;
    const auto cut = w.b.add("combine", {{"bodies", w.solids({w.drum})}, {"tools", w.solids({w.pin, w.beside})}, {"how", "cut"}});
    w.b.run();
    QCOMPARE(w.b.code(cut), std::string("LM-B010"));
    QVERIFY(w.b.result(cut).problem->where.at(0).x() > 80); // the one that misses
    w.b.set(cut, "how", "add");
    w.b.run();
    QCOMPARE(w.b.code(cut), std::string("LM-B010"));
    QVERIFY(w.b.result(cut).problem->where.at(0).x() > 80);
    w.b.set(cut, "tools", w.solids({w.drum}));
    w.b.run();
    QCOMPARE(w.b.code(cut), std::string("LM-B014"));
    // Nothing left: the bar within the drum and the drum's own form.
    const auto r = w.b.add("ring", {{"shape", "circle"}, {"width", 80}, {"height", -5}});
    const auto cover = w.b.add("extrude", {{"sections", picks({pick(r)})}, {"length", 60}, {"solid", true}});
    const auto gone = w.b.add("combine", {{"bodies", w.solids({w.drum})}, {"tools", w.solids({cover})}, {"how", "cut"}});
    w.b.run();
    QCOMPARE(w.b.code(gone), std::string("LM-B010"));
    QCOMPARE(w.b.model->bodies.size(), size_t(5)); // all are there still
  }
};

static test::Register<CombineStepTest> registeredCombineStepTest;
#include "combine_test.moc"

#include "recipe/ways.h"

#include "nurbs/measure/wrinkles.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

/// Constructions through the same curves, compared.
class WaysTest : public QObject {
  Q_OBJECT

  static std::vector<recipe::Way> tried(Bench& b, const std::vector<std::string>& curves) {
    b.run();
    json list = json::array();
    for (const std::string& c : curves) list.push_back(pick(c));
    return recipe::tryWays(list, *b.model, steps::registry(), {});
  }
  static double wrinkles(const recipe::Way& w) {
    std::vector<nurbs::Surface> skins;
    for (const auto& o : w.result.outcome->outputs)
      for (const auto& [name, face] : std::get<brep::BodyPtr>(o.object)->natural) skins.push_back(*face.surface);
    return nurbs::wrinkleIndex(skins);
  }
  /// Arches at the given places with the given heights, and straight lines along their feet.
  static std::vector<std::string> arches(Bench& b, const std::vector<std::pair<double, double>>& places) {
    std::vector<std::string> out;
    for (const auto& [y, h] : places)
      out.push_back(b.add("spline", {{"points", pointList({{-30, y, 0}, {0, y, h}, {30, y, 0}})}}));
    for (double x : {-30.0, 30.0}) out.push_back(b.add("line", {{"points", pointList({{x, 0, 0}, {x, 100, 0}})}}));
    return out;
  }

private slots:
  void theLeastWrinkledOfThoseThatHoldIsTheBest() {
    // Arches in close pairs that differ in height: what runs through them from arch to arch overshoots between.
    for (const auto& places : {std::vector<std::pair<double, double>>{{0, 10}, {3, 10.8}, {50, 10}, {53, 10.8}, {100, 10}},
                               std::vector<std::pair<double, double>>{{0, 10}, {25, 11}, {50, 12}, {75, 11}, {100, 10}}}) {
      Bench b;
      const auto ways = tried(b, arches(b, places));
      QVERIFY(ways.size() >= 4);
      QVERIFY(ways[0].best && ways[0].holds && !ways[0].reason.empty());
      const double best = wrinkles(ways[0]);
      for (const recipe::Way& w : ways) {
        if (!w.fits()) continue;
        VERIFY_AT_MOST(std::abs(wrinkles(w) - w.figures.wrinkles), 1e-9);
        if (w.holds) QVERIFY(best <= 1.031 * wrinkles(w));
        if (w.holds) VERIFY_AT_MOST(w.figures.deviationMm, 0.0015);
      }
    }
  }
  void curvesThatDoNotCrossAreLoftedOrBounded() {
    Bench b;
    std::vector<std::string> curves;
    for (double y : {0.0, 40.0, 80.0})
      curves.push_back(b.add("spline", {{"points", pointList({{-30, y, 0}, {0, y, 9}, {30, y, 0}})}}));
    const auto ways = tried(b, curves);
    QVERIFY(!ways.empty() && ways[0].best);
    QCOMPARE(ways[0].step->kind, std::string("loft"));
    for (size_t i = 1; i < ways.size(); ++i) QVERIFY(ways[i].fits() || ways[i].result.problem);
  }
  void edgesOfSkinsAreFlownOnFrom() {
    Bench b;
    std::vector<std::string> lines;
    for (const auto& [y, z] : {std::pair(-60.0, 0.0), {-30.0, 9.0}, {30.0, 9.0}, {60.0, 0.0}})
      lines.push_back(b.add("spline", {{"points", pointList({{-40, y, z}, {0, y, z + 4}, {40, y, z}})}}));
    for (int i : {0, 2}) b.add("loft", {{"sections", picks({pick(lines[size_t(i)]), pick(lines[size_t(i) + 1])})}});
    b.run();
    json list = picks({pick("s5", "edge", "s5.skin|end"), pick("s6", "edge", "s6.skin|start")});
    const auto ways = recipe::tryWays(list, *b.model, steps::registry(), {});
    QVERIFY(!ways.empty() && ways[0].fits());
    QVERIFY(ways[0].figures.joins && ways[0].holds);
    VERIFY_AT_MOST(ways[0].figures.angleDeg, 0.01);
    VERIFY_AT_MOST(ways[0].figures.curvature, 0.01);
    // A blend between them is one of these, with each continuity; a fill is none, as they form no ring.
    for (const char* name : {"Blend G1", "Blend G2", "Blend G3"}) {
      const recipe::Way* w = named(ways, name);
      QVERIFY2(w && w->fits(), name);
      VERIFY_AT_MOST(w->figures.angleDeg, 0.01);
      VERIFY_AT_MOST(w->figures.deviationMm, 0.0015);
      if (name[7] > '1') QVERIFY(w->holds);
    }
    QVERIFY(named(ways, "Fill G1") && !named(ways, "Fill G1")->fits());
  }
  /// One edge stands for its opening, and the figures are of the fill alone, within its ring.
  void anOpeningIsFilledWithEachContinuity() {
    Bench b;
    std::vector<std::string> arches;
    for (const auto& [y, z] : {std::pair(-50.0, 14.0), {0.0, 24.0}, {50.0, 15.0}})
      arches.push_back(b.add("spline", {{"points", pointList({{-60, y, 2}, {0, y, z}, {60, y, 4}})}}));
    const auto skin = b.add("loft", {{"sections", picks({pick(arches[0]), pick(arches[1]), pick(arches[2])})}});
    const auto ring = b.add("ring", {{"shape", "rectangle"}, {"width", 60}, {"depth", 30}});
    const auto cut = b.add("trim", {{"body", picks({pick(skin, "skin")})}, {"by", picks({pick(ring)})}, {"keep", "back"}});
    b.run();
    const auto& names = b.body(cut)->edgeNames;
    const auto edge = std::find_if(names.begin(), names.end(), [](const std::string& n) { return n.find("|cut") != std::string::npos; });
    QVERIFY(edge != names.end());
    const json opening = recipe::openingOf(pick(cut, "edge", *edge), *b.model);
    QVERIFY(opening.size() >= 4);
    const auto ways = recipe::tryWays(opening, *b.model, steps::registry(), {});
    const recipe::Way *g2 = named(ways, "Fill G2"), *g1 = named(ways, "Fill G1"), *g0 = named(ways, "Fill G0");
    QVERIFY(g2 && g1 && g0 && g2->fits() && g1->fits() && g0->fits());
    QVERIFY(g2->holds && !g0->holds);
    QVERIFY2(g0->figures.angleDeg > 0.1, qPrintable(QString::number(g0->figures.angleDeg)));
    QCOMPARE(g2->step->inputs->at("edges").size(), size_t(1)); // the opening
    // What was cut out had an evenness of its own: the fill has it, the whole skin, which it is knitted into, is not counted.
    QVERIFY(g2->figures.controlPoints < 600);
    // As a step's picks they are all its edges again.
    recipe::StepEntry kept = *g2->step;
    QCOMPARE(recipe::picksForWays(kept, steps::registry(), *b.model).size(), opening.size());
  }

  void ringsAboveOneAnotherAreNoOpeningToFill() {
    Bench b;
    const auto low = b.add("ring", {{"width", 60}}), high = b.add("ring", {{"width", 40}, {"height", 50}});
    b.run();
    const auto one = recipe::tryWays(picks({pick(low)}), *b.model, steps::registry(), {});
    QVERIFY(named(one, "Fill") && named(one, "Fill")->fits());
    const auto two = recipe::tryWays(picks({pick(low), pick(high)}), *b.model, steps::registry(), {});
    QVERIFY(!named(two, "Fill"));
    QVERIFY(!two.empty() && two.front().name == "Loft");
    json quarters = picks({pick(low), pick(low), pick(low), pick(low)}); // of one ring: an opening
    for (size_t k = 0; k < quarters.size(); ++k) quarters[k]["from"] = 0.25 * double(k), quarters[k]["to"] = 0.25 * double(k + 1);
    const auto parts = recipe::tryWays(quarters, *b.model, steps::registry(), {});
    QVERIFY(named(parts, "Fill") && named(parts, "Fill")->fits());
  }

private:
  static const recipe::Way* named(const std::vector<recipe::Way>& ways, const std::string& name) {
    for (const recipe::Way& w : ways)
      if (w.name == name) return &w;
    return nullptr;
  }
};

static test::Register<WaysTest> registeredWays;
#include "ways_test.moc"

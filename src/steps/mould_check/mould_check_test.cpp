#include "nurbs/measure/arc_length.h"
#include "support/solids.h"

using namespace lumsk;
using namespace lumsk::test;

namespace {

const Problem* noted(Bench& b, const std::string& step, const char* code) {
  for (const Problem& p : b.result(step).outcome->notes)
    if (p.code == code) return &p;
  return nullptr;
}
double told(Bench& b, const std::string& step, const std::string& name) { return b.result(step).outcome->measured.at(name).value; }

std::vector<recipe::CurvePtr> partingOf(Bench& b, const std::string& step) {
  std::vector<recipe::CurvePtr> out;
  for (const recipe::Output& o : b.result(step).outcome->outputs)
    if (const auto* curve = std::get_if<recipe::CurvePtr>(&o.object)) out.push_back(*curve);
  return out;
}
double lengthOf(const nurbs::Path& p) {
  const Points line = nurbs::polylineWithin(p, 1e-3);
  double out = 0;
  for (Eigen::Index i = 1; i < line.rows(); ++i) out += (line.row(i) - line.row(i - 1)).norm();
  return out;
}

} // namespace

class MouldCheckStepTest : public QObject {
  Q_OBJECT
private slots:
  void aLeaningDrumPartsAtItsFootAndAStraightOneLeansTooLittle() {
    Bench b;
    const auto drum = prism(b, disc(40), 30, {{"lean", 3}});
    const auto s = b.add("mould_check", {{"body", picks({pick(drum)})}, {"draft", 2}});
    b.run();
    VERIFY_STEP(b, s);
    VERIFY_AT_MOST(std::abs(told(b, s, "mould_draft") - 3), 0.01);
    QVERIFY(b.result(s).outcome->notes.empty());
    // The line is the larger end, whichever that is.
    const auto lines = partingOf(b, s);
    QCOMPARE(lines.size(), size_t(1));
    QVERIFY(lines[0]->closed());
    const double ends[] = {40 * kPi, (40 + 60 * std::tan(radFromDeg(3))) * kPi, (40 - 60 * std::tan(radFromDeg(3))) * kPi};
    VERIFY_AT_MOST(std::min({std::abs(lengthOf(*lines[0]) - ends[0]), std::abs(lengthOf(*lines[0]) - ends[1])}), 0.01);
    b.set(s, "draft", 4);
    b.run();
    QVERIFY(noted(b, s, "LM-Q140"));
    const auto straight = prism(b, disc(40, 100), 30);
    const auto t = b.add("mould_check", {{"body", picks({pick(straight)})}, {"name", "plain"}, {"shrink", 1.01}});
    b.run();
    VERIFY_STEP(b, t);
    VERIFY_AT_MOST(told(b, t, "plain_draft"), 1e-4);
    VERIFY_AT_MOST(std::abs(told(b, t, "plain_low") / (kPi * 40 * 30) - 1), 0.005);
    VERIFY_AT_MOST(std::abs(told(b, t, "plain_cavity") / (kPi * 400 * 30 * std::pow(1.01, 3)) - 1), 1e-6);
    // Of a wall along the pull the line runs along the lower edge.
    QCOMPARE(partingOf(b, t).size(), size_t(1));
    VERIFY_AT_MOST(std::abs(partingOf(b, t)[0]->start().z()), 1e-6);
  }

  void aTorusPartsAtBothEquatorsAndSplitTakesTheLineOfAnEgg() {
    Bench b;
    const auto ring = b.add("ring", {{"shape", "circle"}, {"width", 30}, {"x", 40}, {"plane", picks({pick("world", "plane", "front")})}});
    const auto torus = b.add("revolve", {{"sections", picks({pick(ring)})}, {"solid", true}});
    const auto s = b.add("mould_check", {{"body", picks({pick(torus)})}});
    b.run();
    VERIFY_STEP(b, s);
    const auto lines = partingOf(b, s);
    QCOMPARE(lines.size(), size_t(2));
    VERIFY_AT_MOST(std::abs(lengthOf(*lines[0]) - 2 * kPi * 55), 0.01);
    VERIFY_AT_MOST(std::abs(lengthOf(*lines[1]) - 2 * kPi * 25), 0.01);
    for (const auto& l : lines)
      for (const double f : {0.1, 0.4, 0.8}) VERIFY_AT_MOST(std::abs(l->at(f * l->last()).z()), 0.001);
    QVERIFY(!noted(b, s, "LM-Q141"));
    // An egg: widest inside of its skin, where Split takes the line.
    const auto low = b.add("point", {{"x", 200}}), wide = b.add("ring", disc(40, 200, 0, 18)), high = b.add("point", {{"x", 200}, {"z", 44}});
    const auto egg = b.add("loft", {{"sections", picks({pick(low), pick(wide), pick(high)})}, {"start", "perpendicular"}, {"end", "perpendicular"}, {"solid", true}});
    const auto t = b.add("mould_check", {{"body", picks({pick(egg)})}, {"name", "egg"}});
    b.run();
    VERIFY_STEP(b, t);
    QCOMPARE(partingOf(b, t).size(), size_t(1));
    const double height = partingOf(b, t)[0]->start().z();
    const auto split = b.add("split", {{"body", picks({pick(egg)})}, {"by", picks({pick(t)})}, {"into", "faces"}});
    b.run();
    VERIFY_STEP(b, split);
    QVERIFY(height > 15 && height < 30);
  }

  void undercutsInnerEdgesAndJumpsOfWallsAreTold() {
    // A mushroom: its plate's underside hides nothing, but a groove around its stem would; here a spool.
    Bench b;
    const auto low = prism(b, disc(40), 5), stem = prism(b, disc(12, 0, 0, 5), 20), high = prism(b, disc(40, 0, 0, 25), 5);
    const auto spool = b.add("combine", {{"bodies", picks({pick(low)})}, {"tools", picks({pick(stem), pick(high)})}, {"how", "add"}});
    const auto s = b.add("mould_check", {{"body", picks({pick(spool)})}});
    b.run();
    VERIFY_STEP(b, s);
    // Both inner sides of the flanges look at each other along the pull.
    const Problem* under = noted(b, s, "LM-Q141");
    QVERIFY(under);
    VERIFY_AT_MOST(std::abs(told(b, s, "mould_undercut") / (2 * kPi * (400 - 36)) - 1), 0.05);
    QCOMPARE(told(b, s, "mould_inner"), 2.0);
    VERIFY_AT_MOST(std::abs(noted(b, s, "LM-Q142")->measured->value - 90), 1e-3);
    QVERIFY(noted(b, s, "LM-Q143")); // 5 at the flange, 30 over the stem
    // Pulled aside it comes out.
    b.set(s, "pull", "x");
    b.run();
    VERIFY_STEP(b, s);
    VERIFY_AT_MOST(told(b, s, "mould_undercut"), 1);
    const auto ring = b.add("ring", disc(30, 200));
    const auto skin = b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", 12}});
    const auto t = b.add("mould_check", {{"body", picks({pick(skin)})}, {"name", "other"}});
    b.run();
    QCOMPARE(b.result(t).problem->code, std::string("LM-Q144"));
  }
};

static test::Register<MouldCheckStepTest> registeredMouldCheckStepTest;
#include "mould_check_test.moc"

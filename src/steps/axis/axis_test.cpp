#include "support/solids.h"

using namespace lumsk;
using namespace lumsk::test;

class AxisStepTest : public QObject {
  Q_OBJECT
private slots:
  void axesComeFromOneThing() {
    Bench b;
    const auto ring = b.add("ring", disc(30, 12, -7, 5));
    const auto tube = b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", 25}, {"solid", true}});
    const auto arcs = spline(b, {{{8, 0, 0}}, {{14, 0, 9}}, {{10, 0, 20}}});
    const auto vase = b.add("revolve", {{"sections", picks({pick(arcs)})}});
    b.run();
    VERIFY_STEP(b, tube);
    VERIFY_STEP(b, vase);
    const auto ofCircle = b.add("axis", {{"from", picks({pick(ring)})}});
    std::string side;
    for (const auto& n : b.body(tube)->faceNames)
      if (n.find("cover") == std::string::npos) side = n;
    const auto ofTube = b.add("axis", {{"from", picks({pick(tube, "face", side)})}});
    const auto ofVase = b.add("axis", {{"from", picks({pick(vase, "face", b.body(vase)->faceNames[0])})}, {"flip", true}});
    const auto ofTop = b.add("axis", {{"from", picks({pick(tube, "face", faceTowards(*b.body(tube), Vec3::UnitZ()))})}, {"length", 40}});
    b.run();
    for (const auto& id : {ofCircle, ofTube, ofVase, ofTop}) VERIFY_STEP(b, id);
    for (const auto& [id, at] : {std::pair(ofCircle, Vec3(12, -7, 0)), std::pair(ofTube, Vec3(12, -7, 0)), std::pair(ofVase, Vec3(0, 0, 0)), std::pair(ofTop, Vec3(12, -7, 0))}) {
      const Vec3 d = b.curve(id).end() - b.curve(id).start();
      VERIFY_AT_MOST(d.normalized().cross(Vec3::UnitZ()).norm(), 1e-4);
      VERIFY_AT_MOST((b.curve(id).start() - at).head<2>().norm(), 2e-3);
    }
    VERIFY_AT_MOST(std::abs((b.curve(ofTop).end() - b.curve(ofTop).start()).z() - 40), 1e-9);
    VERIFY_AT_MOST(std::abs(0.5 * (b.curve(ofTop).end() + b.curve(ofTop).start()).z() - 30), 1e-6);
  }

  void axesComeFromTwoThings() {
    Bench b;
    const auto lean = b.add("plane", {{"distance", 10}}), p = b.add("point", {{"x", 3}, {"y", 4}, {"z", 5}}), q = b.add("point", {{"x", 3}, {"y", 24}, {"z", 5}});
    const auto crossing = b.add("axis", {{"from", picks({pick(lean), pick("world", "plane", "side")})}});
    const auto through = b.add("axis", {{"from", picks({pick(p), pick(q)})}});
    const auto standing = b.add("axis", {{"from", picks({pick("world", "plane", "side"), pick(p)})}});
    const auto parallel = b.add("axis", {{"from", picks({pick(lean), pick("world", "plane", "top")})}});
    const auto one = b.add("axis", {{"from", picks({pick(p)})}});
    const auto wavy = spline(b, {{{0, 0, 0}}, {{30, 8, 0}}, {{60, -4, 5}}});
    const auto wave = b.add("extrude", {{"sections", picks({pick(wavy)})}, {"length", 20}});
    b.run();
    const auto bent = b.add("axis", {{"from", picks({pick(wave, "face", b.body(wave)->faceNames[0])})}});
    b.run();
    VERIFY_STEP(b, crossing);
    VERIFY_AT_MOST((b.curve(crossing).end() - b.curve(crossing).start()).normalized().cross(Vec3::UnitY()).norm(), 1e-12);
    VERIFY_AT_MOST(std::abs(b.curve(crossing).start().x()) + std::abs(b.curve(crossing).start().z() - 10), 1e-9);
    VERIFY_STEP(b, through);
    VERIFY_AT_MOST((0.5 * (b.curve(through).start() + b.curve(through).end()) - Vec3(3, 14, 5)).norm(), 1e-9);
    VERIFY_STEP(b, standing);
    VERIFY_AT_MOST((b.curve(standing).end() - b.curve(standing).start()).normalized().cross(Vec3::UnitX()).norm(), 1e-12);
    VERIFY_AT_MOST((0.5 * (b.curve(standing).start() + b.curve(standing).end()) - Vec3(3, 4, 5)).norm(), 1e-9);
    QCOMPARE(b.code(parallel), std::string("LM-X009"));
    QCOMPARE(b.code(one), std::string("LM-X009"));
    QCOMPARE(b.code(bent), std::string("LM-X007"));
    QVERIFY(!b.result(bent).problem->where.empty());
  }

  void aSolidIsTurnedAboutAnAxisOfAFace() {
    Bench b;
    const auto tube = prism(b, disc(20, 40, 0), 30);
    const auto profile = b.add("ring", block(6, 4, 60, 0, 10));
    b.run();
    std::string side;
    for (const auto& n : b.body(tube)->faceNames)
      if (n.find("cover") == std::string::npos) side = n;
    const auto turned = b.add("revolve", {{"sections", picks({pick(b.add("move", {{"what", picks({pick(profile)})}, {"turn", 90}, {"axis", "x"}}))})}, {"axis", picks({pick(tube, "face", side)})}, {"solid", true}});
    b.run();
    VERIFY_STEP(b, turned);
    // Pappus: the profile's middle is 20 from the tube's axis.
    VERIFY_AT_MOST(std::abs(solidVolume(b, turned) / (6 * 4 * 2 * kPi * 20) - 1), 1e-5);
  }
};

static test::Register<AxisStepTest> registeredAxisStepTest;
#include "axis_test.moc"

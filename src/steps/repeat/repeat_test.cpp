#include "support/solids.h"

using namespace lumsk;
using namespace lumsk::test;

namespace repeat_test {

/// The middles of the boxes of all bodies in sight.
std::vector<Vec3> middles(const Bench& b) {
  std::vector<Vec3> out;
  for (const auto& e : b.model->bodies) {
    const auto s = inspect::stateOf(*e.body);
    out.push_back(0.5 * (s.boxLow + s.boxHigh));
  }
  return out;
}
bool has(const std::vector<Vec3>& list, const Vec3& p) {
  return std::any_of(list.begin(), list.end(), [&](const Vec3& q) { return (p - q).norm() < 2e-3; });
}

} // namespace repeat_test
using namespace repeat_test;

class RepeatStepTest : public QObject {
  Q_OBJECT
private slots:
  void copiesStandInRowsAndSomeAreLeftOut() {
    Bench b;
    const auto peg = prism(b, disc(6, 10, 5), 8);
    const auto rows = b.add("repeat", {{"what", picks({pick(peg, "solid")})}, {"way", "grid"}, {"count", 4}, {"spacing", 12}, {"rows", 3}, {"spread", "spacing"}, {"rowSpacing", 9}, {"shift", 6},
                                       {"changes", json::array({{{"id", "2"}, {"out", true}}, {{"id", "3-2"}, {"x", 1}, {"z", 2}}})}});
    b.run();
    VERIFY_STEP(b, rows);
    QCOMPARE(b.model->bodies.size(), size_t(11));
    const auto at = middles(b);
    for (int r = 0; r < 3; ++r)
      for (int k = 0; k < 4; ++k) {
        Vec3 p(10 + 12 * k + (r == 1 ? 6 : 0), 5 + 9 * r, 4);
        if (k == 2 && r == 1) p += Vec3(1, 0, 2);
        QCOMPARE(has(at, p), !(k == 1 && r == 0));
      }
    QCOMPARE(b.result(rows).outcome->marks.all<recipe::Grip>().size(), size_t(12));
    // Names last: with more of them those that were there are the same.
    const std::string eleventh = b.result(rows).outcome->outputs.back().name;
    b.set(rows, "count", 6);
    b.set(rows, "spread", "over");
    b.set(rows, "over", 60);
    b.set(rows, "rowOver", 18);
    b.run();
    VERIFY_STEP(b, rows);
    QCOMPARE(b.model->bodies.size(), size_t(17));
    QVERIFY(std::any_of(b.model->bodies.begin(), b.model->bodies.end(), [&](const auto& e) { return e.output == eleventh; }));
    QVERIFY(has(middles(b), Vec3(10 + 60, 5 + 18, 4)));
    // What the first gets, all get.
    b.recipe = b.recipe.withStep(recipe::withInput(*b.recipe.find(peg), "length", 20));
    b.run();
    for (const auto& e : b.model->bodies) VERIFY_AT_MOST(std::abs(volume(e.body) / (kPi * 9 * 20) - 1), 1e-5);
  }

  void ringsGoOutwardsAndTurnAlong() {
    Bench b;
    const auto slot = prism(b, block(8, 2, 20, 0), 5);
    const auto round = b.add("repeat", {{"what", picks({pick(slot, "solid")})}, {"way", "round"}, {"count", 6}, {"rings", 2}, {"ringSpacing", 12}, {"more", 3}});
    b.run();
    VERIFY_STEP(b, round);
    QCOMPARE(b.model->bodies.size(), size_t(6 + 9));
    const auto at = middles(b);
    for (int k = 0; k < 6; ++k) QVERIFY(has(at, Vec3(20 * std::cos(k * kPi / 3), 20 * std::sin(k * kPi / 3), 2.5)));
    for (int k = 0; k < 9; ++k) QVERIFY(has(at, Vec3(32 * std::cos(k * 2 * kPi / 9), 32 * std::sin(k * 2 * kPi / 9), 2.5)));
    // Within an angle, standing as the first does.
    b.set(round, "rings", 1);
    b.set(round, "turn", "over");
    b.set(round, "angle", 100);
    b.set(round, "turned", false);
    b.run();
    VERIFY_STEP(b, round);
    const auto last = inspect::stateOf(*b.model->bodies.back().body);
    VERIFY_AT_MOST((0.5 * (last.boxLow + last.boxHigh) - Vec3(20 * std::cos(radFromDeg(100)), 20 * std::sin(radFromDeg(100)), 2.5)).norm(), 2e-3);
    VERIFY_AT_MOST(std::abs((last.boxHigh - last.boxLow).x() - 8), 2e-3);
    // About a leaning axis.
    const auto lean = b.add("line", {{"points", pointList({{{0, 0, 0}}, {{0, 30, 30}}})}});
    const auto about = b.add("repeat", {{"what", picks({pick(slot, "solid")})}, {"way", "round"}, {"axis", picks({pick(lean)})}, {"count", 4}});
    b.run();
    VERIFY_STEP(b, about);
    const Vec3 axis = Vec3(0, 1, 1).normalized();
    QVERIFY(has(middles(b), Eigen::AngleAxisd(kPi, axis) * Vec3(20, 0, 2.5)));
  }

  void copiesFollowACurveAndASkin() {
    Bench b;
    const auto rail = b.add("arc", {{"radius", 50}, {"to", 180}});
    const auto peg = prism(b, block(2, 6, 50, 0), 4);
    const auto along = b.add("repeat", {{"what", picks({pick(peg, "solid")})}, {"way", "curve"}, {"curve", picks({pick(rail)})}, {"count", 5}, {"spread", "over"}});
    b.run();
    VERIFY_STEP(b, rail);
    VERIFY_STEP(b, along);
    for (int k = 0; k < 5; ++k) QVERIFY(has(middles(b), Vec3(50 * std::cos(k * kPi / 4), 50 * std::sin(k * kPi / 4), 2)));
    const auto quarter = inspect::stateOf(*b.model->bodies[2].body); // turned by 90 degrees with the curve
    VERIFY_AT_MOST(std::abs((quarter.boxHigh - quarter.boxLow).x() - 6), 2e-3);
    b.set(along, "spread", "spacing");
    b.set(along, "spacing", 60);
    b.run();
    QCOMPARE(b.code(along), std::string("LM-M011"));
    QCOMPARE(b.result(along).problem->measured->value, 3.0);
    // On a dome the copies stand square to it.
    const auto dome = spline(b, {{{0, 0, 40}}, {{25, 0, 32}}, {{45, 0, 0}}});
    const auto skin = b.add("revolve", {{"sections", picks({pick(dome)})}});
    const auto meridian = b.add("repeat", {{"what", picks({pick(b.add("move", {{"what", picks({pick(peg, "solid")})}, {"x", -50}, {"z", 40}, {"copy", true}}), "solid")})}, {"way", "curve"}, {"curve", picks({pick(dome)})}, {"skin", picks({pick(skin, "skin")})}, {"count", 4}, {"spread", "over"}});
    b.run();
    VERIFY_STEP(b, meridian);
    for (const auto& o : b.result(meridian).outcome->outputs) {
      const auto body = std::get<brep::BodyPtr>(o.object);
      VERIFY_AT_MOST(std::abs(solidVolume(body) / 48 - 1), 1e-5);
    }
    // The last one lies at the rim, its foot's normal that of the dome.
    const auto last = std::get<brep::BodyPtr>(b.result(meridian).outcome->outputs.back().object);
    Vec3 mean = Vec3::Zero();
    const auto corners = brep::vertices(*last);
    for (int i = 0; i < int(corners.size()); ++i) mean += brep::signatureOf(*last, brep::PartKind::Vertex, i).middle / double(corners.size());
    QVERIFY((mean - Vec3(45, 0, 0)).norm() < 2.2); // half its height from the rim
  }

  void oneBodyIsAddedOrKnitted() {
    Bench b;
    const auto arm = prism(b, block(30, 6, 15, 0), 5);
    const auto star = b.add("repeat", {{"what", picks({pick(arm, "solid")})}, {"way", "round"}, {"count", 4}, {"as", "one"}});
    b.run();
    VERIFY_STEP(b, star);
    QCOMPARE(b.model->bodies.size(), size_t(1));
    VERIFY_AT_MOST(std::abs(solidVolume(b, star) / ((60 * 6 * 2 - 36) * 5) - 1), 1e-6);
    QCOMPARE(b.model->bodies[0].id, "b" + arm.substr(1));
    // Skins: a wavy strip six times round closes to a wall.
    const auto line = spline(b, {{{30, 0, 0}}, {{30 * std::cos(kPi / 6) + 2, 30 * std::sin(kPi / 6), 0}}, {{15, 30 * std::sin(kPi / 3), 0}}});
    const auto strip = b.add("extrude", {{"sections", picks({pick(line)})}, {"length", 12}});
    const auto wall = b.add("repeat", {{"what", picks({pick(strip, "skin")})}, {"way", "round"}, {"count", 6}, {"as", "one"}});
    const auto apart = b.add("repeat", {{"what", picks({pick(star, "solid")})}, {"way", "line"}, {"count", 3}, {"spacing", 100}, {"as", "one"}});
    b.run();
    VERIFY_STEP(b, wall);
    QCOMPARE(b.body(wall)->faceNames.size(), size_t(6));
    QCOMPARE(inspect::stateOf(*b.body(wall)).openEdges, 12);
    QCOMPARE(b.code(apart), std::string("LM-B010"));
    QVERIFY(!b.result(apart).problem->where.empty());
  }

  void cutsAreRepeated() {
    Bench b;
    const auto plate = prism(b, disc(80), 6);
    const auto cut = prism(b, disc(5, 30, 0, -2), 12, {{"target", picks({pick(plate, "solid")})}, {"combine", "cut"}});
    b.run();
    VERIFY_STEP(b, cut);
    const double disc = kPi * 1600 * 6, hole = kPi * 6.25 * 6;
    VERIFY_AT_MOST(std::abs(solidVolume(b, cut) / (disc - hole) - 1), 1e-6);
    // What the cut's row offers.
    json inputs = steps::registry().find("repeat")->repeats(cut, *b.result(cut).outcome);
    QCOMPARE(inputs["as"].get<std::string>(), std::string("cut"));
    inputs["count"] = 8;
    inputs["changes"] = json::array({{{"id", "3"}, {"out", true}}});
    const auto all = b.add("repeat", inputs);
    b.run();
    VERIFY_STEP(b, all);
    QCOMPARE(b.model->bodies.size(), size_t(1));
    VERIFY_AT_MOST(std::abs(solidVolume(b, all) / (disc - 7 * hole) - 1), 1e-6);
    QCOMPARE(b.model->bodies[0].id, "b" + plate.substr(1));
    // One that misses is named with its place.
    b.set(all, "way", "line");
    b.set(all, "spacing", 35);
    b.set(all, "changes", json::array());
    b.run();
    QCOMPARE(b.code(all), std::string("LM-B010"));
    QVERIFY(b.result(all).problem->where.front().x() > 50);
  }

  void oneSolidIsCutOutOfSeveral() {
    Bench b;
    const auto low = prism(b, disc(80), 6), high = prism(b, disc(60, 0, 0, 10), 6), rest = prism(b, disc(50, 0, 0, 20), 6);
    const auto cut = prism(b, disc(10, 5, 0, -2), 19, {{"target", picks({pick(low, "solid"), pick(high, "solid")})}, {"combine", "cut"}});
    b.run();
    VERIFY_STEP(b, cut);
    QCOMPARE(b.model->bodies.size(), size_t(3));
    const double hole = kPi * 25 * 6;
    VERIFY_AT_MOST(std::abs(volume(b.model->bodies[0].body) / (kPi * 1600 * 6 - hole) - 1), 1e-6);
    VERIFY_AT_MOST(std::abs(volume(b.model->bodies[1].body) / (kPi * 900 * 6 - hole) - 1), 1e-6);
    VERIFY_AT_MOST(std::abs(volume(b.model->bodies[2].body) / (kPi * 625 * 6) - 1), 1e-6); // not picked
    QCOMPARE(b.model->bodies[1].id, "b" + high.substr(1));
    b.set(cut, "combine", "add");
    b.run();
    VERIFY_STEP(b, cut);
    QCOMPARE(b.model->bodies.size(), size_t(2));
    b.set(cut, "target", picks({pick(low, "solid"), pick(rest, "solid")}));
    b.run();
    QCOMPARE(b.code(cut), std::string("LM-B010")); // it does not reach the third
  }

  void mirrorsGiveThreeImagesAndFacesAreSkins() {
    Bench b;
    const auto peg = prism(b, block(4, 3, 12, 9), 5);
    const auto four = b.add("repeat", {{"what", picks({pick(peg, "solid")})}, {"way", "mirrored"}, {"planes", picks({pick("world", "plane", "side"), pick("world", "plane", "front")})}});
    b.run();
    VERIFY_STEP(b, four);
    for (int x : {-1, 1})
      for (int y : {-1, 1}) QVERIFY(has(middles(b), Vec3(12 * x, 9 * y, 2.5)));
    for (const auto& e : b.model->bodies) VERIFY_AT_MOST(std::abs(solidVolume(e.body) / 60 - 1), 1e-9);
    const auto top = b.add("repeat", {{"what", picks({pick(peg, "face", faceTowards(*b.body(peg), Vec3::UnitZ()))})}, {"way", "line"}, {"direction", picks({pick("world", "plane", "top")})}, {"count", 3}, {"spacing", 10}});
    b.run();
    VERIFY_STEP(b, top);
    QCOMPARE(b.result(top).outcome->outputs.size(), size_t(2));
    for (const auto& o : b.result(top).outcome->outputs) {
      const auto s = inspect::stateOf(*std::get<brep::BodyPtr>(o.object));
      QVERIFY(!s.solid);
      VERIFY_AT_MOST(std::abs(s.areaMm2 - 12), 1e-6);
    }
  }

  void mistakesAreTold() {
    Bench b;
    const auto peg = prism(b, disc(10), 6);
    const auto tight = b.add("repeat", {{"what", picks({pick(peg, "solid")})}, {"count", 3}, {"spacing", 7}});
    const auto none = b.add("repeat", {{"what", picks({pick(peg, "solid")})}, {"count", 1}, {"changes", json::array({{{"id", "1"}, {"out", true}}})}});
    const auto same = b.add("repeat", {{"what", picks({pick(peg, "solid")})}, {"way", "grid"}, {"across", picks({pick("world", "plane", "side")})}});
    b.run();
    VERIFY_STEP(b, tight);
    QCOMPARE(b.result(tight).outcome->notes.size(), size_t(1));
    QCOMPARE(b.result(tight).outcome->notes[0].code, std::string("LM-M110"));
    QVERIFY(!b.result(tight).outcome->notes[0].where.empty());
    QCOMPARE(b.code(none), std::string("LM-M014"));
    QCOMPARE(b.code(same), std::string("LM-M012"));
  }
};

static test::Register<RepeatStepTest> registeredRepeatStepTest;
#include "repeat_test.moc"

#include "brep/mesh.h"
#include "brep/skin.h"
#include "nurbs/measure/closest.h"
#include "support/recipes.h"

#include <BRepClass3d_SolidClassifier.hxx>
#include <gp_Pnt.hxx>

using namespace lumsk;
using namespace lumsk::test;

class PipeStepTest : public QObject {
  Q_OBJECT

  static bool within(const brep::BodyPtr& body, const Vec3& p) {
    return BRepClass3d_SolidClassifier(body->shape, gp_Pnt(p.x(), p.y(), p.z()), 1e-6).State() == TopAbs_IN;
  }

private slots:
  void sectionsSizesAndWallsGiveTheirVolumes() {
    Bench b;
    const auto line = polyline(b, {{0, 0, 0}, {0, 0, 40}});
    const auto made = b.add("pipe", {{"paths", picks({pick(line)})}, {"size", 6}});
    const auto is = [&](double expected) {
      b.run();
      return b.result(made).status == recipe::Status::Ok && b.body(made)->solid() && std::abs(volume(b.body(made)) / expected - 1) < 1e-4;
    };
    QVERIFY(is(kPi * 9 * 40));
    b.set(made, "wall", 1);
    QVERIFY(is(kPi * (9 - 4) * 40));
    b.set(made, "ends", "round"); // half rings at both ends
    QVERIFY(is(kPi * 5 * 40 + 2 * (0.5 * kPi * 0.25) * 2 * kPi * 2.5));
    b.set(made, "wall", 0);
    QVERIFY(is(kPi * 9 * 40 + 4 * kPi * 27 / 3));
    b.set(made, "size", 0.06); // a hair with round ends
    QVERIFY(is(kPi * 0.0009 * 40 + 4 * kPi * 0.000027 / 3));
    b.set(made, "size", 6);
    b.set(made, "ends", "flat");
    b.set(made, "by", "radius");
    QVERIFY(is(kPi * 36 * 40));
    b.set(made, "by", "diameter");
    b.set(made, "section", "square"); // across flats
    QVERIFY(is(36 * 40));
    b.set(made, "section", "triangle");
    QVERIFY(is(3 * std::sqrt(3.0) * 9 * 40));
    b.set(made, "section", "polygon");
    b.set(made, "sides", 6);
    b.set(made, "wall", 0.5);
    QVERIFY(is(2 * std::sqrt(3.0) * (9 - 6.25) * 40));
    // A graph counts as it is said; the wall stays as thick.
    b.set(made, "section", "round");
    b.set(made, "wall", 0);
    b.set(made, "endSize", 0.5);
    QVERIFY(is(kPi * 40 / 3 * (9 + 4.5 + 2.25)));
    b.set(made, "wall", 0.5);
    QVERIFY(is(kPi * 40 / 3 * (9 + 4.5 + 2.25) - kPi * 40 / 3 * (6.25 + 2.5 + 1)));
  }

  void curvesRunOnAndCornersAreMitred() {
    Bench b;
    const auto one = polyline(b, {{0, 0, 0}, {30, 0, 0}}), other = polyline(b, {{30, 20, 0}, {30, 0, 0}});
    const auto frame = polyline(b, {{0, 0, 50}, {60, 0, 50}, {60, 40, 50}, {0, 40, 50}, {0, 0, 50}});
    const auto made = b.add("pipe", {{"paths", picks({pick(one), pick(other)})}, {"size", 4}, {"section", "square"}, {"wall", 0.5}});
    const auto closed = b.add("pipe", {{"paths", picks({pick(frame)})}, {"size", 4}, {"section", "square"}});
    b.run();
    VERIFY_STEP(b, made);
    QCOMPARE(int(b.result(made).outcome->outputs.size()), 1);
    VERIFY_AT_MOST(std::abs(volume(b.body(made)) / ((16 - 9) * 50) - 1), 1e-9);
    VERIFY_STEP(b, closed);
    VERIFY_AT_MOST(std::abs(volume(b.body(closed)) / (16 * 200) - 1), 1e-9);
  }

  /// Crossing, branching, on one another: one solid whose inside is that of all.
  void whatMeetsIsMerged() {
    Bench b;
    const auto along = polyline(b, {{0, 0, 0}, {30, 0, 0}}), across = polyline(b, {{15, -15, 0}, {15, 15, 0}});
    const auto branch = polyline(b, {{8, 0, 0}, {8, 0, 15}});
    const auto made = b.add("pipe", {{"paths", picks({pick(along), pick(across), pick(branch)})}, {"size", 4}});
    b.run();
    VERIFY_STEP(b, made);
    QCOMPARE(int(b.result(made).outcome->outputs.size()), 1);
    QVERIFY(b.body(made)->solid());
    const double half = 16 * 8 / 6.0; // of what two equal crossing bars have in common
    VERIFY_AT_MOST(std::abs(volume(b.body(made)) / (kPi * 4 * 75 - 2 * half - half) - 1), 1e-4);
    for (const Vec3& p : {Vec3(2, 0, 0), Vec3(15, 14, 0), Vec3(8, 0, 14), Vec3(15, 0, 1.9)}) QVERIFY(within(b.body(made), p));
    b.set(made, "merge", false);
    b.run();
    QCOMPARE(int(b.result(made).outcome->outputs.size()), 3);
    // Hollow ones are open into one another.
    b.set(made, "merge", true);
    b.set(made, "wall", 0.5);
    b.run();
    VERIFY_STEP(b, made);
    QCOMPARE(int(b.result(made).outcome->outputs.size()), 1);
    b.set(made, "ends", "round");
    b.run();
    QCOMPARE(b.code(made), std::string("LM-Z001"));
    b.set(made, "ends", "flat");
    b.run();
    QVERIFY(!within(b.body(made), {15, 0, 0}) && !within(b.body(made), {8, 0, 0.5}) && within(b.body(made), {15, 10, 1.75}));
  }

  void eachHasItsOwnSizeAndTheRingSaysAnother() {
    Bench b;
    const auto ring = b.add("ring", {{"width", 14}});
    b.add("measure", {{"what", "radius"}, {"of", picks({pick(ring)})}, {"name", "ring_r"}});
    const auto one = spline(b, {{0, 0, 0}, {20, 5, 10}, {40, 0, 0}}), other = spline(b, {{0, 40, 0}, {20, 45, 10}, {40, 40, 0}});
    json mine = pick(other);
    mine["sized"] = "own", mine["own"] = 3;
    const auto made = b.add("pipe", {{"paths", picks({pick(one), mine})}, {"size", "ring_r"}});
    b.run();
    VERIFY_STEP(b, made);
    const auto& outputs = b.result(made).outcome->outputs;
    QCOMPARE(int(outputs.size()), 2);
    const auto thick = [&](size_t k) { return volume(std::get<brep::BodyPtr>(outputs[k].object)); };
    VERIFY_AT_MOST(std::abs(thick(0) / thick(1) / (49.0 / 9) - 1), 1e-3);
    b.set(ring, "width", 10);
    b.run();
    VERIFY_AT_MOST(std::abs(volume(std::get<brep::BodyPtr>(b.result(made).outcome->outputs[0].object)) / thick(1) / (25.0 / 9) - 1), 1e-3);
  }

  /// Bars that touch along an edge have no inside there; they are named. Others that turn back are not run on in.
  void whatCannotBeMergedIsNamed() {
    Bench b;
    const auto one = polyline(b, {{0, 0, 0}, {30, 0, 0}}), third = polyline(b, {{20, 0, 0}, {20, 4, 4}}), other = polyline(b, {{0, 4, 4}, {30, 4, 4}});
    const auto made = b.add("pipe", {{"paths", picks({pick(one), pick(third), pick(other)})}, {"size", 4}, {"section", "square"}});
    const auto back = polyline(b, {{30, 0, 0}, {0, 6, 0}});
    const auto sharp = b.add("pipe", {{"paths", picks({pick(one), pick(back)})}, {"size", 2}});
    b.run();
    QCOMPARE(b.code(made), std::string("LM-Z003"));
    const Problem& p = *b.result(made).problem;
    QVERIFY2(p.what.find("curve 3") != std::string::npos, p.what.c_str());
    QVERIFY(!p.where.empty());
    b.set(made, "merge", false);
    b.run();
    VERIFY_STEP(b, made);
    VERIFY_STEP(b, sharp);
    QCOMPARE(b.result(sharp).outcome->outputs.size(), size_t(1));
    QVERIFY(b.body(sharp)->solid() && within(b.body(sharp), {29, 0.1, 0}) && within(b.body(sharp), {1, 0, 0}) && within(b.body(sharp), {1, 5.8, 0}));
  }

  /// The seam of a bent pipe is bent: triangles reach from one side of it to the other.
  void bentPipesAreMeshedClosed() {
    Bench b;
    const auto path = spline(b, {{0, 0, 0}, {10, 0, 40}, {0, 0, 80}});
    const auto made = b.add("pipe", {{"paths", picks({pick(path)})}, {"size", 8}});
    b.run();
    VERIFY_STEP(b, made);
    const auto mesh = brep::exportMesh(*b.body(made), {0.05, 10}, {});
    VERIFY_OK(mesh);
    QCOMPARE(mesh->openEdges(), 0);
    VERIFY_AT_MOST(std::abs(mesh->volumeMm3() / volume(b.body(made)) - 1), 0.01);
  }

  void whatCannotBeIsToldWithItsPlace() {
    Bench b;
    const auto bent = spline(b, {{0, 0, 0}, {5, 0, 9}, {10, 0, 0}});
    const auto open = polyline(b, {{0, 0, 0}, {5, 5, 0}, {9, 0, 0}});
    const auto tight = b.add("pipe", {{"paths", picks({pick(bent)})}, {"size", 9}});
    const auto wall = b.add("pipe", {{"paths", picks({pick(bent)})}, {"size", 1}, {"wall", 0.6}});
    const auto own = b.add("pipe", {{"paths", picks({pick(bent)})}, {"section", "own"}, {"profile", picks({pick(open)})}});
    const auto ends = b.add("pipe", {{"paths", picks({pick(bent)})}, {"section", "square"}, {"size", 1}, {"ends", "round"}});
    b.run();
    QCOMPARE(b.code(tight), std::string("LM-Y003"));
    QCOMPARE(b.code(wall), std::string("LM-Z002"));
    QCOMPARE(b.code(own), std::string("LM-Z001"));
    QCOMPARE(b.code(ends), std::string("LM-Z001"));
    QVERIFY(!b.result(tight).problem->where.empty());
    const auto& offers = b.result(tight).problem->remedies;
    QVERIFY(!offers.empty() && offers.front().field == "size");
    b.set(tight, "size", offers.front().value);
    b.run();
    VERIFY_STEP(b, tight);
  }
};

static test::Register<PipeStepTest> registeredPipeStepTest;
#include "pipe_test.moc"

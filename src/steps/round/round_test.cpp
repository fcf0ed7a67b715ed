#include "brep/curves_on.h"
#include "inspect/joins.h"
#include "support/edges.h"

using namespace lumsk;
using namespace lumsk::test;

namespace round_test {

/// Joins of a step's new faces with those beside them (not with those in which they end): the worst angle, degrees.
double worstContact(Bench& b, const std::string& id) {
  double worst = -1;
  for (const auto& j : inspect::joins(*b.body(id), Tolerances()))
    if (j.measured && j.edge.find(id + ".round(") != std::string::npos && j.angleDeg < 45) worst = std::max(worst, j.angleDeg);
  return worst < 0 ? 1e3 : worst; // none at all is none that is right
}

} // namespace round_test
using namespace round_test;

class RoundStepTest : public QObject {
  Q_OBJECT
private slots:
  void rimsOfDiscsByPappus() {
    Bench b;
    const auto drum = prism(b, disc(60), 20);
    const auto made = edgesStep(b, "round", drum, {Vec3(0, 30, 20)}, 3);
    b.run();
    VERIFY_STEP(b, made);
    const double r = 3, area = r * r * (1 - kPi / 4), centroid = 30 - r * (10 - 3 * kPi) / (12 - 3 * kPi);
    VERIFY_AT_MOST(std::abs((kPi * 900 * 20 - solidVolume(b, made)) / (2 * kPi * centroid * area) - 1), 2e-3);
    VERIFY_AT_MOST(worstContact(b, made), 0.01);
  }

  void freeformRimsConvexAndConcave() {
    Bench b;
    const auto body = freeformBody(b);
    for (const char* section : {"round", "conic", "smooth"}) {
      const auto made = edgesStep(b, "round", body, {Vec3(0, 17, 60)}, 3, {{"section", section}});
      b.run();
      VERIFY_STEP(b, made);
      VERIFY_AT_MOST(worstContact(b, made), 0.01);
      QVERIFY(solidVolume(b, made) > 0);
      for (const auto& j : inspect::joins(*b.body(made), Tolerances()))
        if (j.asked == Meets::G2) {
          VERIFY_AT_MOST(j.curvatureRel, 0.01);
        }
      b.recipe = b.recipe.without(made);
    }
    const auto post = prism(b, disc(16, 4, 2, 40), 40, {{"target", picks({pick(body, "solid")})}, {"combine", "add"}});
    const auto foot = edgesStep(b, "round", post, {Vec3(4, 10, 60)}, 2.5);
    b.run();
    VERIFY_STEP(b, foot);
    QVERIFY(solidVolume(b, foot) > solidVolume(b, post));
    VERIFY_AT_MOST(worstContact(b, foot), 0.01);
  }

  void edgesOfBoxesEndInTheirFaces() {
    Bench b;
    const auto box = prism(b, block(40, 30), 20);
    const auto made = edgesStep(b, "round", box, {Vec3(20, 0, 20)}, 4);
    b.run();
    VERIFY_STEP(b, made);
    VERIFY_AT_MOST(std::abs((40 * 30 * 20 - solidVolume(b, made)) / (30 * 16 * (1 - kPi / 4)) - 1), 2e-3);
    VERIFY_AT_MOST(worstContact(b, made), 0.01);
  }

  /// Along the edge of a box at x = 20, z = 20, in planes square to it.
  void sectionsAreWhatWasAskedFor() {
    for (const auto& more : {json{{"section", "conic"}, {"rho", 0.4}}, json{{"section", "conic"}, {"rho", 0.7}}, json{{"by", "width"}}}) {
      Bench b;
      const auto box = prism(b, block(40, 30), 20);
      const auto made = edgesStep(b, "round", box, {Vec3(20, 0, 20)}, 3, more);
      b.run();
      VERIFY_STEP(b, made);
      const auto skin = brep::BodyFaces::of(*b.body(made), -1, Context());
      const double reach = more.contains("by") ? 3 / std::sqrt(2.0) : 3; // of the contacts from the edge
      for (double y : {-11.0, 0.0, 9.0}) {
        const Vec3 corner(20, y, 20), chord = corner - 0.5 * reach * Vec3(1, 0, 1);
        const double rho = more.contains("rho") ? more["rho"].get<double>() : std::sqrt(2.0) - 1;
        VERIFY_AT_MOST(skin->nearest(chord + rho * (corner - chord))->distanceMm, 0.002);
        for (const Vec3& contact : {Vec3(20 - reach, y, 20), Vec3(20, y, 20 - reach)}) VERIFY_AT_MOST(skin->nearest(contact)->distanceMm, 0.001);
      }
    }
  }

  void cornersAreRoundedTogether() {
    Bench b;
    const auto box = prism(b, block(40, 30), 20);
    const auto made = edgesStep(b, "round", box, {Vec3(20, 0, 20), Vec3(0, 15, 20), Vec3(20, 15, 10), Vec3(-20, 0, 20), Vec3(0, -15, 20), Vec3(-20, -15, 10), Vec3(20, -15, 10), Vec3(-20, 15, 10)}, 3);
    b.run();
    VERIFY_STEP(b, made);
    // Four upright edges, a rim above, balls at its corners.
    const double r = 3, area = r * r * (1 - kPi / 4);
    const double kept = 20 * 1200 - area * (4 * 17 + 2 * 34 + 2 * 24) - 4 * (r * r * r - kPi * r * r * r / 6);
    VERIFY_AT_MOST(std::abs(solidVolume(b, made) / kept - 1), 1e-5);
    // Larger ones of their own, not the kernel's section: one after the other.
    json edges = (*b.recipe.find(made)->inputs)["edges"];
    for (size_t k : {2, 5, 6, 7}) edges[k]["sized"] = "own", edges[k]["own"] = 6;
    b.set(made, "edges", edges);
    for (const auto& [by, section] : {std::pair("width", "round"), std::pair("radius", "round"), std::pair("radius", "conic")}) {
      b.set(made, "by", by);
      b.set(made, "section", section);
      b.run();
      VERIFY_STEP(b, made);
    }
    VERIFY_AT_MOST(worstContact(b, made), 0.01);
    QVERIFY(solidVolume(b, made) > 0 && solidVolume(b, made) < 24000);
  }

  void facesStandForTheirEdges() {
    Bench b;
    const auto box = prism(b, block(40, 30), 20);
    b.run();
    const double r = 2, area = r * r * (1 - kPi / 4);
    const auto all = b.add("round", {{"edges", picks({pick(box, "face", faceTowards(*b.body(box), Vec3::UnitZ()))})}, {"size", r}});
    json edge = pick(box, "edge", edgeAt(*b.body(box), Vec3(20, 0, 20)));
    edge["extent"] = "loop";
    b.run();
    VERIFY_STEP(b, all);
    QCOMPARE(b.result(all).outcome->summary.substr(0, 7), std::string("4 edges"));
    const double lost = 24000 - solidVolume(b, all);
    QVERIFY(lost < area * 140 && lost > area * (140 - 8 * r));
    b.set(all, "edges", picks({edge}));
    b.run();
    VERIFY_STEP(b, all);
    // Around one of the faces at that edge: 140 or 100 mm.
    const double around = 140 * (24000 - solidVolume(b, all)) / lost;
    QVERIFY(std::abs(around - 140) < 3 || std::abs(around - 100) < 3);
  }

  void sizesChangeAlong() {
    Bench b;
    const auto box = prism(b, block(40, 30), 20);
    const auto made = edgesStep(b, "round", box, {Vec3(20, 0, 20)}, 2, {{"along", json::array({{{"id", "g1"}, {"at", 0}, {"value", 1}}, {{"id", "g2"}, {"at", 1}, {"value", 2}}})}});
    b.run();
    VERIFY_STEP(b, made);
    VERIFY_AT_MOST(worstContact(b, made), 0.01);
    // As far from the edge on both faces, twice as far at the end as at the start, and growing.
    const auto skin = brep::BodyFaces::of(*b.body(made), -1, Context());
    const auto shoulder = [&](double y) { return skin->nearest(Vec3(20, y, 20))->distanceMm / (std::sqrt(2.0) - 1); }; // of a ball between two planes
    const double one = shoulder(-14.9), other = shoulder(14.9);
    VERIFY_AT_MOST(std::abs(std::min(one, other) - 2), 0.05);
    VERIFY_AT_MOST(std::abs(std::max(one, other) - 4), 0.08);
    for (double y = -14; y < 14; y += 2) QVERIFY((shoulder(y + 2) - shoulder(y)) * (other - one) > 0);
  }

  void whatDoesNotFitIsToldWithWhatDoes() {
    Bench b;
    const auto drum = prism(b, disc(60), 20);
    const auto box = prism(b, block(40, 30, 100), 20);
    const auto large = edgesStep(b, "round", drum, {Vec3(0, 30, 20)}, 25), none = edgesStep(b, "round", drum, {Vec3(0, 30, 20)}, 0);
    const auto wide = edgesStep(b, "round", box, {Vec3(120, 0, 20)}, 22);
    b.run();
    for (const auto& id : {large, wide}) {
      QVERIFY2(b.code(id).rfind("LM-O00", 0) == 0, b.code(id).c_str());
      const auto& p = *b.result(id).problem;
      QVERIFY(!p.where.empty() && !p.remedies.empty());
      VERIFY_AT_MOST(std::abs(p.required->value / 20 - 0.98), 0.0201); // as high as the wall is, or a little less
      b.set(id, p.remedies.front().field, p.remedies.front().value);
    }
    QCOMPARE(b.code(none), std::string("LM-O001"));
    b.run();
    for (const auto& id : {large, wide}) VERIFY_STEP(b, id);
  }
};

static test::Register<RoundStepTest> registeredRoundStepTest;
#include "round_test.moc"

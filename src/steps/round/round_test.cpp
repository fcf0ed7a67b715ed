#include "brep/curves_on.h"
#include "brep/rings.h"
#include "brep/round.h"
#include "brep/skin.h"
#include "brep/thicken_parts.h"
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
    // The factors can be dragged along it; around a rim they have to come back to the first one.
    QVERIFY(b.result(made).outcome->marks.all<recipe::Grip>().size() == 2);
    const auto drum = prism(b, disc(30, 100), 20);
    json along = (*b.recipe.find(made)->inputs)["along"];
    const auto around = edgesStep(b, "round", drum, {Vec3(100, 15, 20)}, 2, {{"along", along}});
    b.run();
    QCOMPARE(b.code(around), std::string("LM-O011"));
    along.push_back({{"id", "g3"}, {"at", 0.5}, {"value", 2}});
    std::swap(along[1], along[2]);
    along[2]["value"] = 1;
    b.set(around, "along", along);
    b.run();
    VERIFY_STEP(b, around);
    const auto rim = brep::BodyFaces::of(*b.body(around), -1, Context());
    double least = 1e3, most = 0; // of the ball, all around
    for (double a = 0; a < 2 * kPi; a += 0.1) {
      const double r = rim->nearest(Vec3(100 + 15 * std::cos(a), 15 * std::sin(a), 20))->distanceMm / (std::sqrt(2.0) - 1);
      least = std::min(least, r), most = std::max(most, r);
    }
    VERIFY_AT_MOST(std::abs(least - 2), 0.02);
    VERIFY_AT_MOST(std::abs(most - 4), 0.02);
  }

  /// The upper side of a block: flat to the left of y = 0, to the right falling off more and more from x = 0 on.
  static std::string fading(Bench& b) {
    json left = json::array(), right = json::array();
    for (double x = -40; x <= 60; x += 10) {
      left.push_back(pick(polyline(b, {{{x, -30, 5}}, {{x, 0, 5}}})));
      right.push_back(pick(polyline(b, {{{x, 0, 5}}, {{x, 30, 5 - 15 * std::pow(std::max(0.0, x / 60), 2)}}})));
    }
    const auto skin = b.add("knit", {{"skins", picks({pick(b.add("loft", {{"sections", left}})), pick(b.add("loft", {{"sections", right}}))})}});
    return b.add("split", {{"body", picks({pick(prism(b, block(88, 50, 14, 0, -30), 60))})}, {"by", picks({pick(skin)})}});
  }

  void edgesMayFadeToNothing() {
    for (const auto& more : {json::object(), json{{"section", "smooth"}}, json{{"along", json::array({{{"id", "g1"}, {"at", 0}, {"value", 1}}, {{"id", "g2"}, {"at", 1}, {"value", 1.5}}})}}}) {
      Bench b;
      const auto body = fading(b);
      const auto made = edgesStep(b, "round", body, {Vec3(50, 0, 5)}, 3, more);
      b.run();
      VERIFY_STEP(b, made);
      VERIFY_AT_MOST(worstContact(b, made), 0.01);
      const double lost = solidVolume(b, body) - solidVolume(b, made);
      QVERIFY2(lost > 0 && lost < 10, qPrintable(QString::number(lost)));
      // It goes where there is a kink, and no farther; beyond, the edge is as it was.
      double from = 1e3, to = -1e3;
      const auto edges = brep::edges(*b.body(made));
      for (size_t e = 0; e < edges.size(); ++e)
        if (b.body(made)->edgeNames[e].find(made + ".round(") != std::string::npos)
          for (double f : {0.0, 0.5, 1.0}) {
            const auto path = brep::toPath(edges[e]);
            if (!path) break; // the point in which it ends
            const double x = path->at(f * path->last()).x();
            from = std::min(from, x), to = std::max(to, x);
          }
      QVERIFY2(from > -1 && from < 12 && std::abs(to - 58) < 0.5, qPrintable(QString("%1 to %2").arg(from).arg(to)));
    }
    Bench b;
    const auto wide = edgesStep(b, "round", fading(b), {Vec3(50, 0, 5)}, 3, {{"by", "width"}});
    b.run();
    QCOMPARE(b.code(wide), std::string("LM-O010"));
  }

  /// A pod of lens-shaped sections between two points: two edges from tip to tip.
  void theBallRunsAroundTips() {
    Bench b;
    json sections{pick(b.add("point", {{"x", -30}}))};
    for (const double f : {-0.6, 0.0, 0.6}) {
      const double wide = 12 * std::sqrt(1 - f * f), x = 30 * f;
      json both = json::array();
      for (const double up : {0.6, -0.6}) both.push_back(pick(spline(b, {{{x, -wide, 0}}, {{x, 0, up * wide}}, {{x, wide, 0}}})));
      sections.push_back(pick(b.add("join_curves", {{"curves", both}})));
    }
    sections.push_back(pick(b.add("point", {{"x", 30}})));
    const auto pod = b.add("loft", {{"sections", sections}, {"solid", true}});
    const auto made = edgesStep(b, "round", pod, {Vec3(0, 12, 0), Vec3(0, -12, 0)}, 1);
    b.run();
    VERIFY_STEP(b, made);
    VERIFY_AT_MOST(worstContact(b, made), 0.01);
    QVERIFY(solidVolume(b, made) > 0.9 * solidVolume(b, pod) && solidVolume(b, made) < solidVolume(b, pod));
    // The ball of 1 mm touches it from within everywhere on the new face, and no tip is left.
    const auto whole = brep::BodyFaces::of(*b.body(pod), -1, Context());
    const auto faces = brep::faces(*b.body(made));
    int looked = 0;
    for (size_t f = 0; f < faces.size(); ++f) {
      if (b.body(made)->faceNames[f].find(".round(") == std::string::npos) continue;
      const auto on = brep::BodyFaces::of(*b.body(made), int(f), Context());
      for (const Vec3& p : brep::pointsInside(faces[f], 8)) {
        const auto at = on->nearest(p);
        QVERIFY(at);
        VERIFY_AT_MOST(std::abs(whole->nearest(p - at->normal)->distanceMm - 1), 0.002);
        ++looked;
      }
    }
    QVERIFY(looked > 10);
    QVERIFY(inspect::stateOf(*b.body(made)).boxHigh.x() < 29.5);
  }

  void smallBallsRunAroundTheTipsOfALens() {
    for (const double up : {2.0, 4.0, 6.0}) {
      Bench b;
      const auto line = [&](const Vec3& middle) { return spline(b, {{{-40, 0, 0}}, {{middle.x(), middle.y(), middle.z()}}, {{40, 0, 0}}}); };
      const auto right = line({0, 13, 0}), left = line({0, -13, 0});
      json skins = json::array();
      for (const double z : {up, -8.0}) skins.push_back(pick(b.add("loft", {{"sections", picks({pick(right), pick(line({0, 0, z})), pick(left)})}})));
      const auto lens = b.add("knit", {{"skins", skins}});
      const auto made = edgesStep(b, "round", lens, {Vec3(0, 13, 0), Vec3(0, -13, 0)}, 0.3);
      b.run();
      VERIFY_STEP(b, made);
      VERIFY_AT_MOST(worstContact(b, made), 0.01);
      VERIFY_AT_MOST(brep::largestTolerance(b.body(made)->shape), 0.05);
      QVERIFY(solidVolume(b, made) > 0.99 * solidVolume(b, lens) && solidVolume(b, made) < solidVolume(b, lens));
    }
  }

  /// The rim that a ball cuts into a cone: its pole lies beside the rim, beyond which a skin cannot be carried on.
  void aRimBesideThePoleOfABallIsRounded() {
    for (const double size : {0.05, 0.15, 0.3}) {
      Bench b;
      const auto cone = b.add("loft", {{"sections", picks({pick(b.add("ring", disc(32, 0, 0, 24))), pick(b.add("ring", disc(28, 0, 0, 40)))})}, {"solid", true}});
      const auto arc = b.add("arc", {{"plane", picks({pick("world", "plane", "front")})}, {"x", 15.4}, {"y", 31}, {"radius", 1}, {"from", -90}, {"to", 90}});
      const auto axis = b.add("line", {{"points", pointList({{15.4, 0, 27}, {15.4, 0, 35}})}});
      const auto dent = b.add("revolve", {{"sections", picks({pick(arc)})}, {"axis", picks({pick(axis)})}, {"solid", true}, {"target", picks({pick(cone, "solid")})}, {"combine", "cut"}});
      b.run();
      VERIFY_STEP(b, dent);
      Vec3 rim = Vec3::Zero();
      for (const TopoDS_Edge& e : brep::edges(*b.body(dent)))
        if (const Vec3 p = brep::middleOf(e); std::abs((p - Vec3(15.4, 0, 31)).norm() - 1) < 0.01 && p.z() < 31) rim = p;
      const auto made = edgesStep(b, "round", dent, {rim}, size);
      b.run();
      VERIFY_STEP(b, made);
      VERIFY_AT_MOST(worstContact(b, made), 0.01);
      QVERIFY(solidVolume(b, made) > 0 && solidVolume(b, made) < solidVolume(b, dent));
    }
  }

  /// Two dents with the seam of the cone between them, so near that the kernel's bounds of their rims reach beyond it: what lies on the
  /// seam's other side is still beside them.
  void rimsBesideASeamAreRounded() {
    for (const double turn : {4.5, 5.0}) {
      Bench b;
      json below = disc(32, 0, 0, 24), above = disc(28, 0, 0, 40);
      below["turn"] = above["turn"] = turn;
      const auto cone = b.add("loft", {{"sections", picks({pick(b.add("ring", below)), pick(b.add("ring", above))})}, {"solid", true}});
      const auto arc = b.add("arc", {{"plane", picks({pick("world", "plane", "front")})}, {"x", 15.4}, {"y", 31}, {"radius", 1}, {"from", -90}, {"to", 90}});
      const auto axis = b.add("line", {{"points", pointList({{15.4, 0, 27}, {15.4, 0, 35}})}});
      const auto dent = b.add("revolve", {{"sections", picks({pick(arc)})}, {"axis", picks({pick(axis)})}, {"solid", true}, {"target", picks({pick(cone, "solid")})}, {"combine", "cut"}});
      const auto dents = b.add("repeat", {{"what", picks({pick(dent, "solid", "alone")})}, {"way", "round"}, {"count", 2}, {"turn", "each"}, {"angle", 9}, {"as", "cut"}, {"bodies", picks({pick(dent, "solid")})}});
      b.run();
      VERIFY_STEP(b, dents);
      const auto made = b.add("round", {{"edges", picks({pick(dents, "face", cone + ".skin")})}, {"size", 0.15}});
      b.run();
      VERIFY_STEP(b, made);
      VERIFY_AT_MOST(worstContact(b, made), 0.01);
      QVERIFY(solidVolume(b, made) > 0 && solidVolume(b, made) < solidVolume(b, dents));
    }
  }

  void ringsBesideOneAnotherAreRoundedAtOnce() {
    Bench b;
    auto plate = prism(b, block(90, 60), 20);
    std::vector<Vec3> rims;
    for (const double x : {-24.0, 0.0, 24.0}) {
      plate = prism(b, disc(16, x, 4, -1), 22, {{"target", picks({pick(plate, "solid")})}, {"combine", "cut"}});
      for (const double z : {0.0, 20.0}) rims.push_back(Vec3(x, 12, z));
    }
    const auto made = edgesStep(b, "round", plate, {rims[0], rims[1], rims[2], rims[3], rims[4], rims[5]}, 1.5);
    std::string last = plate;
    for (const Vec3& p : rims) last = edgesStep(b, "round", last, {p}, 1.5);
    b.run();
    for (const auto& id : {made, last}) VERIFY_STEP(b, id);
    const double r = 1.5, area = r * r * (1 - kPi / 4), centroid = 8 + r * (10 - 3 * kPi) / (12 - 3 * kPi);
    VERIFY_AT_MOST(std::abs((solidVolume(b, plate) - solidVolume(b, made)) / (6 * 2 * kPi * centroid * area) - 1), 2e-3);
    VERIFY_AT_MOST(std::abs(solidVolume(b, last) / solidVolume(b, made) - 1), 1e-7); // one after the other
    VERIFY_AT_MOST(worstContact(b, made), 0.01);
    // At once indeed; and not where they cross, which is told one by one.
    const auto at = [&](double size) {
      Context cx;
      brep::RollingEdge::Skins ready;
      std::vector<brep::RingRound> rings;
      for (const Vec3& p : rims) {
        const brep::BodyPtr body = b.body(plate);
        const auto edge = brep::findPart(*body, brep::PartKind::Edge, edgeAt(*body, p), nullptr);
        nurbs::RoundOptions o;
        o.size = [size](double) { return size; };
        auto rolling = brep::RollingEdge::of(body, *brep::toPath(brep::edges(*body)[size_t(edge.index)]), 4 * size, cx, &ready);
        rings.push_back({std::move(*rolling), o, "band" + std::to_string(rings.size())});
      }
      return brep::roundedRings(b.body(plate), rings, cx);
    };
    const auto small = at(1.5), large = at(5);
    QVERIFY(small && small->body->faceNames.size() == b.body(made)->faceNames.size());
    VERIFY_AT_MOST(std::abs(solidVolume(small->body) / solidVolume(b, made) - 1), 1e-9);
    QVERIFY(!large);
    QCOMPARE(large.error().code, std::string("LM-H026"));
    b.set(made, "size", 5);
    b.run();
    QVERIFY2(!b.code(made).empty() && b.result(made).problem->item != "", b.code(made).c_str());
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
    // What is large but fits says how much more does, where a drag stops.
    b.set(large, "size", 12);
    b.run();
    const auto handles = b.result(large).outcome->marks.all<recipe::HandlePlace>();
    QVERIFY(handles.size() == 1 && handles[0].most > 19.5 && handles[0].most <= 20);
    b.set(large, "size", 2);
    b.run();
    QCOMPARE(b.result(large).outcome->marks.all<recipe::HandlePlace>()[0].most, 0.0); // much more does
  }
};

static test::Register<RoundStepTest> registeredRoundStepTest;
#include "round_test.moc"

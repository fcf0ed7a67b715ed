#include "brep/curves_on.h"
#include "brep/thicken_parts.h"
#include "nurbs/curves/curve_refit.h"
#include "support/solids.h"

using namespace lumsk;
using namespace lumsk::test;

namespace groove_test {

json grooveOf(json paths, json more) {
  json inputs{{"paths", std::move(paths)}};
  inputs.update(more);
  return inputs;
}

double areaOf(const std::string& shape, double width, double depth) {
  if (shape == "square") return width * depth;
  if (shape == "pointed") return 0.5 * width * depth;
  const double half = 0.5 * width;
  if (depth >= half) return 0.5 * kPi * half * half + width * (depth - half);
  const double r = 0.5 * (half * half + depth * depth) / depth, a = std::asin(half / r);
  return r * r * a - half * (r - depth);
}

} // namespace groove_test
using namespace groove_test;

class GrooveStepTest : public QObject {
  Q_OBJECT
private slots:
  void groovesOfAllShapesRunOutOfAPlate() {
    Bench b;
    std::vector<std::pair<std::string, double>> made;
    for (const char* shape : {"square", "round", "pointed"})
      for (double depth : {1.0, 3.0}) {
        const double x = 100.0 * double(made.size());
        const auto plate = prism(b, block(60, 40, x, -70), 10);
        const auto line = polyline(b, {{x - 30, -75, 10}, {x + 30, -75, 10}}); // from border to border
        made.emplace_back(b.add("groove", grooveOf(picks({pick(line)}), {{"grooved", picks({pick(plate, "solid")})}, {"shape", shape}, {"width", 4}, {"depth", depth}})), areaOf(shape, 4, depth));
      }
    b.run();
    for (const auto& [id, area] : made) {
      VERIFY_STEP(b, id);
      VERIFY_AT_MOST(std::abs((60 * 40 * 10 - solidVolume(b, id)) / (60 * area) - 1), 1e-4);
    }
  }

  /// By the length of the curves and Pappus's rule: corners are mitres.
  void groovesAndRidgesFollowCornersAndClosedLines() {
    Bench b;
    for (const bool ridge : {false, true}) {
      const double x = ridge ? 200 : 0;
      const auto plate = prism(b, block(60, 40, x), 10);
      const auto outline = b.add("ring", {{"shape", "rectangle"}, {"width", 30}, {"depth", 20}, {"radius", 0}, {"x", x}, {"height", 10}});
      const auto made = b.add("groove", grooveOf(picks({pick(outline)}), {{ridge ? "ridged" : "grooved", picks({pick(plate, "solid")})}, {"width", 2}, {"depth", 1.5}, {"side", "left"}}));
      b.run();
      VERIFY_STEP(b, made);
      // To the left of a line that runs round is inside.
      VERIFY_AT_MOST(std::abs(std::abs(24000 - solidVolume(b, made)) / (1.5 * (30 * 20 - 26 * 16)) - 1), 1e-4);
      QCOMPARE(solidVolume(b, made) > 24000, ridge);
    }
  }

  void itStandsSquareOnFreeformSkins() {
    for (const char* which : {"grooved", "ridged"})
      for (const char* side : {"middle", "left"}) {
        Bench b;
        json sections = json::array();
        for (const auto& [z, w, d] : {std::tuple{0, 40, 30}, {15, 60, 44}, {35, 64, 46}, {60, 44, 34}})
          sections.push_back(pick(b.add("ring", {{"shape", "ellipse"}, {"width", w}, {"depth", d}, {"height", z}})));
        const auto body = b.add("loft", {{"sections", sections}, {"solid", true}});
        const auto line = b.add("drawn_on_skin", {{"skins", picks({pick(body, "solid")})}, {"points", pointList({{32, 0, 20}, {20, 18, 35}, {-5, 24, 28}, {-25, 15, 40}})}});
        b.run();
        const auto skin = brep::BodyFaces::of(*b.body(body), -1, Context());
        const double before = solidVolume(b, body);
        const auto made = b.add("groove", grooveOf(picks({pick(line)}), {{which, picks({pick(body, "solid")})}, {"width", 2}, {"depth", 1}, {"side", side}}));
        b.run();
        VERIFY_STEP(b, made);
        const double change = std::abs(solidVolume(b, made) - before), length = nurbs::figuresOf(b.curve(line)).lengthMm;
        VERIFY_AT_MOST(std::abs(change / (2 * length) - 1), 0.06); // the skin is round below it
        // The floor is as deep as asked under the curve, everywhere.
        const auto floor = brep::BodyFaces::of(*b.body(made), -1, Context());
        const double sign = std::string(which) == "grooved" ? -1 : 1;
        for (int i = 1; i < 40; ++i) {
          const auto at = skin->nearest(b.curve(line).at(b.curve(line).last() * i / 40));
          const Vec3 deep = at->point + sign * 1.0 * at->normal;
          VERIFY_AT_MOST(floor->nearest(deep)->distanceMm, 0.002);
        }
      }
  }

  void ledgeAndLipHoldEachOtherWithTheirPlay() {
    for (const auto& [flat, shape] : {std::pair(true, "square"), std::pair(false, "round")}) {
      Bench b;
      json sections = json::array();
      for (const auto& [z, w, d] : {std::tuple{0, 40, 30}, {15, 60, 44}, {35, 64, 46}, {60, 44, 34}})
        sections.push_back(pick(b.add("ring", {{"shape", "ellipse"}, {"width", w}, {"depth", d}, {"height", z}})));
      const auto skin = b.add("loft", {{"sections", sections}});
      const auto shell = b.add("thicken", {{"skin", picks({pick(skin, "skin")})}, {"thickness", 3}});
      json by;
      if (flat) {
        by = pick(b.add("plane", {{"distance", 28}}));
      } else {
        const auto line = spline(b, {{{-50, -40, 24}}, {{0, -40, 32}}, {{50, -40, 26}}});
        by = pick(b.add("extrude", {{"sections", picks({pick(line)})}, {"direction", picks({pick("world", "plane", "front")})}, {"length", -80}}), "skin");
      }
      const auto halves = b.add("split", {{"body", picks({pick(shell, "solid")})}, {"by", picks({by})}});
      b.run();
      VERIFY_STEP(b, halves);
      // The lower one, its rim and the rim's inner edge.
      std::string lower, upper;
      brep::BodyPtr low;
      for (const auto& o : b.result(halves).outcome->outputs) {
        const auto& body = std::get<brep::BodyPtr>(o.object);
        double top = -1e300;
        for (int i = 0; i < int(body->vertexNames.size()); ++i) top = std::max(top, brep::signatureOf(*body, brep::PartKind::Vertex, i).middle.z());
        (top < 40 ? lower : upper) = o.name;
        if (top < 40) low = body;
      }
      const auto within = [](const std::string& output, const std::string& part) { return output.empty() ? part : output + "/" + part; };
      std::string rim, edge;
      double level = 0, shortest = 1e300;
      for (int i = 0; i < int(low->faceNames.size()); ++i)
        if (const auto s = brep::signatureOf(*low, brep::PartKind::Face, i); s.direction.z() > 0.9 && s.middle.z() > level) rim = low->faceNames[size_t(i)], level = s.middle.z();
      const int rimIndex = int(std::find(low->faceNames.begin(), low->faceNames.end(), rim) - low->faceNames.begin());
      for (int i = 0; i < int(low->edgeNames.size()); ++i) {
        const auto at = brep::facesAt(*low, i);
        const auto s = brep::signatureOf(*low, brep::PartKind::Edge, i);
        if (std::find(at.begin(), at.end(), rimIndex) != at.end() && s.size > 50 && s.size < shortest) shortest = s.size, edge = low->edgeNames[size_t(i)];
      }
      QVERIFY(!rim.empty() && !edge.empty());
      const auto made = b.add("groove", grooveOf(picks({pick(halves, "edge", within(lower, edge))}),
                                                 {{"on", picks({pick(halves, "face", within(lower, rim))})},
                                                  {"ridged", picks({pick(halves, "solid", lower)})},
                                                  {"grooved", picks({pick(halves, "solid", upper)})},
                                                  {"width", 1.4}, {"depth", 1.6}, {"play", 0.15}, {"shape", shape}}));
      b.set(made, "side", "left");
      b.run();
      VERIFY_STEP(b, made);
      // Neither touches the other but at the rims, and the gap is the play beside the ridge.
      std::vector<brep::BodyPtr> both;
      for (const auto& o : b.result(made).outcome->outputs)
        if (o.alone.empty()) both.push_back(std::get<brep::BodyPtr>(o.object));
      QCOMPARE(both.size(), size_t(2));
      for (const auto& body : both) QVERIFY(solidVolume(body) > 0);
      const auto& ridged = both[1];
      const auto grooved = brep::BodyFaces::of(*both[0], -1, Context());
      int looked = 0, exact = 0;
      const auto all = brep::faces(*ridged);
      for (size_t f = 0; f < all.size(); ++f) {
        if (ridged->faceNames[f].find(".ridge(") == std::string::npos) continue;
        for (const Vec3& p : brep::pointsInside(all[f], 12)) {
          const auto near = grooved->nearest(p);
          if (!near) continue;
          QVERIFY2(near->distanceMm > 0.15 - 0.003, qPrintable(QString("%1 at %2 %3 %4").arg(near->distanceMm).arg(p.x()).arg(p.y()).arg(p.z())));
          ++(near->distanceMm < 0.15 + 0.003 ? exact : looked);
        }
      }
      QVERIFY(exact > 20 && exact + looked > 40);
    }
  }

  void mistakesAreTold() {
    Bench b;
    const auto plate = prism(b, block(60, 40), 10);
    const auto above = polyline(b, {{-10, 0, 12}, {10, 0, 12}}), over = polyline(b, {{-10, 0, 10}, {30, 0, 10}, {30, 0, 4}});
    const auto line = polyline(b, {{-10, 0, 10}, {10, 0, 10}});
    const auto missing = b.add("groove", grooveOf(picks({pick(line)}), {{"width", 2}}));
    const auto both = b.add("groove", grooveOf(picks({pick(line)}), {{"grooved", picks({pick(plate, "solid")})}, {"ridged", picks({pick(plate, "solid")})}}));
    const auto off = b.add("groove", grooveOf(picks({pick(above)}), {{"grooved", picks({pick(plate, "solid")})}}));
    const auto kink = b.add("groove", grooveOf(picks({pick(over)}), {{"grooved", picks({pick(plate, "solid")})}}));
    const auto none = b.add("groove", grooveOf(picks({pick(line)}), {{"grooved", picks({pick(plate, "solid")})}, {"width", 0}}));
    b.run();
    std::string top;
    const auto& body = *b.body(plate);
    for (size_t i = 0; i < body.edgeNames.size() && top.empty(); ++i) top = body.edgeNames[i];
    const auto edge = b.add("groove", grooveOf(picks({pick(plate, "edge", top)}), {{"grooved", picks({pick(plate, "solid")})}}));
    b.run();
    QCOMPARE(b.code(missing), std::string("LM-X022"));
    QCOMPARE(b.code(both), std::string("LM-X022"));
    QCOMPARE(b.code(off), std::string("LM-X020"));
    QCOMPARE(b.code(kink), std::string("LM-X021"));
    QCOMPARE(b.code(none), std::string("LM-X022"));
    QCOMPARE(b.code(edge), std::string("LM-X021"));
    QCOMPARE(b.result(edge).problem->field, std::string("on"));
    for (const auto& id : {off, kink, edge}) QVERIFY(!b.result(id).problem->where.empty());
  }
};

static test::Register<GrooveStepTest> registeredGrooveStepTest;
#include "groove_test.moc"

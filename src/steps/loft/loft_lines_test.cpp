#include "brep/names.h"
#include "inspect/joins.h"
#include "nurbs/measure/closest.h"
#include "recipe/crossed.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

/// Lofts along guides and centre lines.
class LoftLinesTest : public QObject {
  Q_OBJECT

  /// Three arched lines over 60 mm (s1 to s3) and three guides along them (s4 to s6), at heights of their own.
  static Bench arches() {
    Bench b;
    for (double y : {0.0, 30.0, 60.0})
      b.add("spline", {{"points", pointList({{0, y, 0}, {30, y, 12 + 0.1 * y}, {60, y, 0}})}});
    for (double x : {0.0, 30.0, 60.0}) {
      const double top = x == 30 ? 12 : 0, rise = x == 30 ? 0.1 : 0;
      b.add("spline", {{"points", pointList({{x, 0, top},
                                             {x, 15, top + 15 * rise + 2},
                                             {x, 30, top + 30 * rise},
                                             {x, 45, top + 45 * rise - 1},
                                             {x, 60, top + 60 * rise}})}});
    }
    return b;
  }

private slots:
  void aLoftBecomesANetworkAndALoftAgain() {
    Bench b = arches();
    // Every field counts its picks from p1 on.
    const auto numbered = [](std::initializer_list<const char*> steps) {
      json out = json::array();
      for (const char* s : steps)
        out.push_back({{"id", "p" + std::to_string(out.size() + 1)}, {"step", s}, {"kind", "curve"}});
      return out;
    };
    json sections = numbered({"s1", "s2", "s3"});
    sections[1]["flip"] = true;
    sections[1]["extent"] = "alone";
    b.add("loft", {{"sections", sections},
                   {"guides", numbered({"s4", "s6"})},
                   {"gap", 0.02},
                   {"start", "angle"},
                   {"startPull", 1.2},
                   {"pairs", json::array({{{"id", "p1.x"}, {"at", 0.3}}})},
                   {"degree", 4}});
    const recipe::StepEntry before = *b.recipe.find("s7");
    const auto net = recipe::madeAs(before, "network", steps::registry(), {});
    QVERIFY(net);
    QCOMPARE(net->kind, std::string("network"));
    QVERIFY(recipe::shapeError(steps::registry().schemaOf("network"), *net->inputs).empty());
    b.recipe = b.recipe.withStep(net);
    b.run();
    VERIFY_STEP(b, "s7");
    QCOMPARE((*net->inputs)["curves"].size(), size_t(5));
    QCOMPARE((*net->inputs)["gap"].get<double>(), 0.02);
    const auto loft = recipe::madeAs(*net, "loft", steps::registry(), {});
    QVERIFY(*loft->inputs == *before.inputs);
    const auto turned = recipe::swapped(before, steps::registry());
    QVERIFY(!turned->inputs->contains("pairs")); // they belong to the sections, which are guides now
    QVERIFY(*recipe::swapped(*turned, steps::registry())->inputs == *before.inputs);
    const auto turnedNet = recipe::madeAs(*turned, "network", steps::registry(), {});
    const auto turnedBack = recipe::madeAs(*turnedNet, "loft", steps::registry(), {});
    QVERIFY(*turnedBack->inputs == *turned->inputs);
    QCOMPARE(recipe::otherKinds("loft", steps::registry()), (std::vector<std::string>{"sweep", "network", "boundary"}));
    // A network whose families were found by itself: the loft gets them in the order in which they were found.
    json curves = json::array();
    for (const char* id : {"s6", "s1", "s4", "s3", "s2"}) curves.push_back(pick(id));
    b.add("network", {{"curves", curves}});
    b.run();
    VERIFY_STEP(b, "s8");
    const auto familyOf = [&](const std::string& item) {
      for (const auto& f : b.result("s8").outcome->marks.all<recipe::Flag>())
        if (f.item == item) return recipe::InFamily{f.group, std::atoi(f.mark.c_str() + 1)};
      return recipe::InFamily{};
    };
    b.recipe = b.recipe.withStep(recipe::madeAs(*b.recipe.find("s8"), "loft", steps::registry(), familyOf));
    b.run();
    VERIFY_STEP(b, "s8");
    const json& made = *b.recipe.find("s8")->inputs;
    QCOMPARE(made["sections"].size() + made["guides"].size(), size_t(5));
    VERIFY_AT_MOST(std::abs(int(made["sections"].size()) - int(made["guides"].size())), 1);
  }

  void guidesAreFollowedAndSwappedWithTheSections() {
    Bench b = arches();
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})},
                   {"guides", picks({pick("s5"), pick("s4"), pick("s6")})},
                   {"start", "free"},
                   {"left", "g3"},
                   {"leftPull", 1.5}});
    b.run();
    QCOMPARE(b.code("s7"), std::string("LM-L008")); // the lines do not meet their mirror plane squarely
    b.set("s7", "left", "free");
    b.run();
    VERIFY_STEP(b, "s7");
    const auto off = [&] {
      const auto& s = *b.body("s7")->natural.begin()->second.surface;
      double worst = 0;
      for (const char* curve : {"s1", "s2", "s3", "s4", "s5", "s6"})
        for (int i = 0; i <= 40; ++i) {
          const nurbs::Path& p = b.curve(curve);
          worst = std::max(worst, nurbs::closestPoint(s, p.at(p.last() * i / 40)).distanceMm);
        }
      return worst;
    };
    VERIFY_AT_MOST(off(), 0.0011);
    const std::string summary = b.result("s7").outcome->summary;
    QVERIFY(summary.find("3 sections - 3 guides - ") == 0 && summary.find("wrinkle index") != std::string::npos);
    // Swapped and back: the same inputs to the letter; in between, the guides are the sections.
    const recipe::StepEntry before = *b.recipe.find("s7");
    const auto turned = recipe::swapped(before, steps::registry());
    QVERIFY(turned);
    QCOMPARE((*turned->inputs)["sections"].size(), size_t(3));
    QCOMPARE((*turned->inputs)["sections"][0]["step"].get<std::string>(), std::string("s5"));
    QCOMPARE((*turned->inputs)["startPull"].get<double>(), 1.5);
    b.recipe = b.recipe.withStep(turned);
    b.run();
    QCOMPARE(b.code("s7"), std::string("LM-L022")); // in the order in which they were picked as guides
    QVERIFY(b.result("s7").problem->remedies.size() == 1);
    const auto back = recipe::swapped(*turned, steps::registry());
    QVERIFY(*back->inputs == *before.inputs);
  }

  void outerGuidesFlowIntoTheSkinBesideThem() {
    // One half of the lines makes a skin; the other half flows into it over the edge between them, which is a guide.
    Bench b = arches();
    const auto half = [](const char* id, double from, double to) {
      json p = pick(id);
      p["from"] = from, p["to"] = to;
      return p;
    };
    b.add("loft", {{"sections", picks({half("s1", 0, 0.5), half("s2", 0, 0.5), half("s3", 0, 0.5)})}});
    b.add("loft", {{"sections", picks({half("s1", 0.5, 1), half("s2", 0.5, 1), half("s3", 0.5, 1)})},
                   {"guides", picks({pick("s7", "edge", "s7.skin|right")})},
                   {"left", "g2"}});
    b.add("knit", {{"skins", picks({pick("s7", "skin"), pick("s8", "skin")})}});
    // Lines that leave the skin at an angle.
    for (double y : {0.0, 30.0, 60.0})
      b.add("spline", {{"points", pointList({{30, y, 12 + 0.1 * y}, {45, y, 40}, {60, y, 50}})}});
    b.add("loft", {{"sections", picks({pick("s10"), pick("s11"), pick("s12")})},
                   {"guides", picks({pick("s7", "edge", "s7.skin|right")})},
                   {"left", "g1"}});
    b.run();
    for (const char* id : {"s8", "s9"}) VERIFY_STEP(b, id);
    const auto joins = inspect::joins(*b.body("s9"), {});
    QCOMPARE(joins.size(), size_t(1));
    VERIFY_AT_MOST(joins[0].gapMm, 0.001);
    VERIFY_AT_MOST(joins[0].angleDeg, 0.01);
    VERIFY_AT_MOST(joins[0].curvatureRel, 0.01);
    QVERIFY(b.result("s8").outcome->summary.find("worst join") != std::string::npos);
    QCOMPARE(b.code("s13"), std::string("LM-L029"));
  }

  void loftsRunAroundToAClosedBody() {
    // Rings on planes around an axis: the planes are turned by moves of one ring's curve.
    Bench b;
    for (int i = 0; i < 4; ++i) {
      const double a = 0.5 * kPi * i, c = std::cos(a), s = std::sin(a);
      json points = json::array();
      for (int k = 0; k < 8; ++k) {
        const double t = 0.25 * kPi * k, r = 50 + 12 * std::cos(t);
        points.push_back({{"id", "q" + std::to_string(k + 1)}, {"at", {r * c, r * s, 12 * std::sin(t)}}});
      }
      b.add("spline", {{"points", points}, {"closed", true}});
    }
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3"), pick("s4")})}, {"around", true}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3"), pick("s4")})},
                   {"around", true},
                   {"centre", "computed"},
                   {"solid", true}});
    b.run();
    for (const char* id : {"s5", "s6"}) VERIFY_STEP(b, id);
    QVERIFY(b.body("s6")->solid());
    const double volume = 2 * kPi * kPi * 50 * 144;
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body("s6")).volumeMm3 / volume - 1), 0.05);
  }

  void loftsAreRuledAndRelaxedAndRunAlongALine() {
    Bench c;
    for (double h : {0.0, 20.0, 60.0}) c.add("ring", {{"width", 60 - 0.3 * h}, {"height", h}});
    c.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}, {"way", "ruled"}, {"solid", true}});
    c.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}, {"way", "relaxed"}, {"relaxed", 0.5}});
    c.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}, {"centre", "computed"}});
    c.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}, {"centre", "picked"}});
    c.run();
    for (const char* id : {"s4", "s5", "s6"}) VERIFY_STEP(c, id);
    QCOMPARE(faces(*c.body("s4")).size(), size_t(4));
    QVERIFY(c.body("s4")->solid());
    QVERIFY(!c.code("s7").empty());
  }

  void ringsAlongAHelixMakeAWireOfItsLength() {
    for (double turns : {0.7, 3.3, 4.0}) {
      Bench b;
      b.add("helix", {{"by", "heightTurns"}, {"turns", turns}, {"height", 60}, {"radius", 20}, {"endRadius", 20}});
      for (double f : {0.0, 1.0}) {
        const auto plane = b.add("plane", {{"way", "square"}, {"curve", picks({pick("s1")})}, {"fraction", f}});
        b.add("ring", {{"plane", picks({pick(plane)})}, {"width", 4}});
      }
      b.add("loft", {{"sections", picks({pick("s3"), pick("s5")})},
                     {"centre", "picked"},
                     {"centreLine", picks({pick("s1")})},
                     {"solid", true}});
      b.run();
      VERIFY_STEP(b, "s6");
      const double wanted = kPi * 4 * std::hypot(60, 2 * kPi * 20 * turns);
      VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body("s6")).volumeMm3 - wanted), 0.002 * wanted);
    }
  }

  void aSectionAddedLastFindsItsPlaceAlongTheLine() {
    Bench b;
    b.add("spline", {{"points", pointList({{0, 0, 0}, {40, 0, 20}, {80, 10, 30}, {120, 30, 30}})}});
    json sections = json::array();
    for (double f : {0.0, 1.0, 0.7, 0.4}) {
      const auto plane = b.add("plane", {{"way", "square"}, {"curve", picks({pick("s1")})}, {"fraction", f}});
      sections.push_back(pick(b.add("ring", {{"plane", picks({pick(plane)})}, {"width", 20 - 8 * f}})));
    }
    const auto loft =
        b.add("loft", {{"sections", sections}, {"centre", "picked"}, {"centreLine", picks({pick("s1")})}});
    b.run();
    VERIFY_STEP(b, loft);
    const auto& notes = b.result(loft).outcome->notes;
    QVERIFY(std::any_of(notes.begin(), notes.end(), [](const Problem& p) { return p.code == "LM-L109"; }));
    QVERIFY(std::none_of(notes.begin(), notes.end(), [](const Problem& p) { return p.code == "LM-L104"; }));
  }

  /// A square shaft turned by a quarter: least twist would turn nothing, the edges run otherwise.
  void guidesSayWhichCornersBelongTogether() {
    Bench b;
    b.add("ring", {{"shape", "rectangle"}, {"width", 10}, {"depth", 10}, {"radius", 0}});
    b.add("ring", {{"shape", "rectangle"}, {"width", 10}, {"depth", 10}, {"radius", 0}, {"height", 60}, {"turn", 90}});
    json guides = json::array();
    for (double from : {45, 135, 225, 315})
      guides.push_back(pick(b.add("helix", {{"by", "heightTurns"},
                                            {"turns", 0.25},
                                            {"height", 60},
                                            {"radius", 5 * std::sqrt(2.0)},
                                            {"endRadius", 5 * std::sqrt(2.0)},
                                            {"startAngle", from}})));
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}, {"guides", guides}, {"gap", 0.05}, {"solid", true}});
    b.run();
    VERIFY_STEP(b, "s7");
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body("s7")).volumeMm3 - 6000), 1.0); // every level is the square
    const auto& notes = b.result("s7").outcome->notes;
    QVERIFY(std::none_of(notes.begin(), notes.end(), [](const Problem& p) { return p.code == "LM-L107"; }));
  }

  /// A loft goes on from one of degree 3 over its own last section, picked as the curve.
  void polylinesAsCentreLinesAreRoundedAsOffered() {
    for (double turn : {20.0, 45.0, 60.0, 90.0, 120.0})
      for (int width : {4, 10, 20}) {
        Bench b;
        const double a = turn * kPi / 180;
        b.add("line", {{"points", pointList({{5, -9, 0}, {5, -9, 60}, {5 + 70 * std::sin(a), 2, 60 + 70 * std::cos(a)}})}});
        json sections = json::array();
        for (int f : {0, 1}) {
          const auto plane = b.add("plane", {{"way", "square"}, {"curve", picks({pick("s1")})}, {"fraction", f}});
          sections.push_back(pick(b.add("ring", {{"plane", picks({pick(plane)})}, {"width", width}})));
        }
        b.add("loft", {{"sections", sections}, {"centre", "picked"}, {"centreLine", picks({pick("s1")})}, {"solid", true}});
        b.run();
        QCOMPARE(b.code("s6"), std::string("LM-L039"));
        VERIFY_AT_MOST((b.result("s6").problem->where.front() - Vec3(5, -9, 60)).norm(), 1e-9);
        const Remedy offer = b.result("s6").problem->remedies.front();
        b.set("s6", offer.field, offer.value);
        b.run();
        VERIFY_STEP(b, "s6");
        QVERIFY(b.body("s6")->solid());
        const double legs = 60 + (Vec3(5 + 70 * std::sin(a), 2, 60 + 70 * std::cos(a)) - Vec3(5, -9, 60)).norm();
        const double volume = inspect::stateOf(*b.body("s6")).volumeMm3, straight = kPi * width * width / 4.0 * legs;
        QVERIFY2(volume < 1.001 * straight && volume > 0.7 * straight, qPrintable(QString::number(volume / straight)));
      }
  }

  /// A form on another one, over the same outline: moved and turned, as solids of one outline each.
  /// One rail around arches: both sides of the skin run along it.
  void closedRailsDivideThemselves() {
    Bench b;
    b.add("ring", {{"shape", "superellipse"}, {"width", 100}, {"depth", 60}, {"exponent", 2.5}, {"height", 4}});
    json sections = json::array();
    for (double x : {-33.0, -8.0, 21.0, 36.0}) {
      const double y = 30 * std::pow(1 - std::pow(std::abs(x) / 50, 2.5), 1 / 2.5);
      sections.push_back(pick(b.add("spline", {{"points", pointList({{x, -y, 4}, {x, -0.6 * y, 20}, {x, 0, 27}, {x, 0.7 * y, 18}, {x, y, 4}})}})));
    }
    b.add("loft", {{"sections", sections}, {"guides", picks({pick("s1")})}, {"gap", 0.01}});
    // From point to point along the whole of it.
    b.add("point", {{"x", -50}, {"z", 4}});
    b.add("point", {{"x", 50}, {"z", 4}});
    json whole = json::array({pick("s7")});
    for (const json& s : sections) whole.push_back(s);
    whole.push_back(pick("s8"));
    b.add("loft", {{"sections", whole}, {"guides", picks({pick("s1")})}, {"gap", 0.01}});
    // A rail that crosses one section only is still refused.
    b.add("ring", {{"width", 30}, {"height", 4}, {"x", -40}});
    b.add("loft", {{"sections", sections}, {"guides", picks({pick("s10")})}, {"gap", 0.01}});
    b.run();
    const nurbs::Path& rail = b.curve("s1");
    for (const auto& [id, from, to] : {std::tuple("s6", -33.0, 36.0), std::tuple("s9", -50.0, 50.0)}) {
      VERIFY_STEP(b, id);
      double worst = 0;
      int places = 0;
      for (int i = 0; i < 400; ++i) {
        const Vec3 p = rail.at(rail.last() * i / 400);
        if (p.x() < from || p.x() > to) continue;
        worst = std::max(worst, nurbs::closestPoint(*b.body(id)->natural.begin()->second.surface, p).distanceMm);
        ++places;
      }
      VERIFY_AT_MOST(worst, 0.01);
      QVERIFY(places > 100);
    }
    QVERIFY(b.code("s11").rfind("LM-L02", 0) == 0);
  }

  /// Lines and arcs end to end: what lies off them passes by at another speed, which few control points can say.
  void aCentreLineInPiecesTakesFewControlPoints() {
    Bench b;
    b.add("line", {{"points", pointList({{0, 0, 0}, {60, 0, 0}, {100, 40, 0}, {160, 40, 0}})}});
    b.add("round_corners", {{"curve", picks({pick("s1")})}, {"radius", 30}});
    json sections = json::array();
    for (double f : {0.0, 1.0}) {
      const auto plane = b.add("plane", {{"way", "square"}, {"curve", picks({pick("s2")})}, {"fraction", f}});
      sections.push_back(pick(b.add("ring", {{"plane", picks({pick(plane)})}, {"width", 16}})));
    }
    b.add("loft", {{"sections", sections}, {"centre", "picked"}, {"centreLine", picks({pick("s2")})}, {"solid", true}});
    b.run();
    VERIFY_STEP(b, "s7");
    const auto s = inspect::stateOf(*b.body("s7"));
    VERIFY_AT_MOST(s.controlPoints, 600);
    const double wanted = kPi * 64 * nurbs::ArcLength(b.curve("s2")).total(); // Pappus
    VERIFY_AT_MOST(std::abs(s.volumeMm3 - wanted), 1e-4 * wanted);
  }
};

static test::Register<LoftLinesTest> registeredLoftLinesTest;
#include "loft_lines_test.moc"

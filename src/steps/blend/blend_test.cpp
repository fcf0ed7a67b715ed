#include "brep/convert.h"
#include "inspect/joins.h"
#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// The pick of the edge of a body with the middle nearest to a place.
json edgePick(Bench& b, const std::string& step, const Vec3& near) {
  const auto body = b.body(step);
  const auto all = brep::edges(*body);
  double least = 1e300;
  std::string name;
  for (size_t i = 0; i < all.size(); ++i)
    if (const auto p = brep::toPath(all[i])) {
      const double off = (p->at(0.5 * p->last()) - near).norm();
      if (off < least) least = off, name = body->edgeNames[i];
    }
  return pick(step, "edge", name);
}

/// The worst of the joins that were asked for.
inspect::Join worstAsked(const brep::Body& body, int least) {
  inspect::Join worst;
  int asked = 0;
  for (const inspect::Join& j : inspect::joins(body, {})) {
    if (j.askedFor().empty()) continue;
    ++asked;
    worst.gapMm = std::max(worst.gapMm, j.gapMm);
    worst.angleDeg = std::max(worst.angleDeg, j.angleDeg);
    worst.curvatureRel = std::max(worst.curvatureRel, j.curvatureRel);
  }
  if (asked < least) worst.angleDeg = 999;
  return worst;
}

} // namespace

/// Two skins with a room between them (lofts s7 and s8 through arches), bent alike but not the same.
class BlendStepTest : public QObject {
  Q_OBJECT

  static Bench apart(bool turned = false) {
    Bench b;
    for (const double y : {-80.0, -55.0, -30.0, 25.0, 55.0, 85.0}) {
      const double lift = 5 * std::cos(0.03 * y) - (y > 0 ? 6 : 0), along = y + (y > 0 ? 4 : -3);
      std::vector<std::array<double, 3>> pts{{-60, y, 0}, {-25, y, 12 + lift}, {20, along, 14 + lift}, {60, along, 2}};
      if (turned && y > 0) std::reverse(pts.begin(), pts.end());
      spline(b, pts);
    }
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}});
    b.add("loft", {{"sections", turned ? picks({pick("s6"), pick("s5"), pick("s4")}) : picks({pick("s4"), pick("s5"), pick("s6")})}});
    b.run();
    return b;
  }
  static json near(Bench& b) { return picks({edgePick(b, "s7", {0, -30, 18})}); }
  static json far(Bench& b) { return picks({edgePick(b, "s8", {0, 27, 12})}); }

private slots:
  /// Whichever way the skins' edges run, and at every order.
  void runsOnFromBothSkins() {
    for (const bool turned : {false, true})
      for (const char* how : {"g0", "g1", "g2", "g3"}) {
        Bench b = apart(turned);
        b.add("blend", {{"first", near(b)}, {"second", far(b)}, {"first_meets", how}, {"second_meets", how}});
        b.add("knit", {{"skins", picks({pick("s7", "skin"), pick("s8", "skin"), pick("s9", "skin")})}});
        b.run();
        VERIFY_STEP(b, "s9");
        QVERIFY2(b.result("s9").outcome->notes.empty(), how);
        VERIFY_STEP(b, "s10");
        QCOMPARE(inspect::stateOf(*b.body("s10")).openings.size(), size_t(1));
        if (how[1] == '0') continue;
        const inspect::Join worst = worstAsked(*b.body("s10"), 2);
        VERIFY_AT_MOST(worst.gapMm, 0.001);
        VERIFY_AT_MOST(worst.angleDeg, 0.01);
        if (how[1] > '1') VERIFY_AT_MOST(worst.curvatureRel, 0.01);
      }
  }

  /// Twice the tension goes further on before it turns: the blend moves away from the straight way across. Each side
  /// alone, and along the edge.
  void tensionIsFeltOnItsSide() {
    const auto offAt = [](Bench& b, double v) {
      const nurbs::Surface& s = *b.body("s9")->natural.begin()->second.surface;
      const Vec3 a = s.at(0.5, 0), c = s.at(0.5, 1), p = s.at(0.5, v);
      return (p - a - (p - a).dot(c - a) / (c - a).squaredNorm() * (c - a)).norm();
    };
    Bench b = apart();
    b.add("blend", {{"first", near(b)}, {"second", far(b)}});
    b.run();
    VERIFY_STEP(b, "s9");
    const double first = offAt(b, 0.25), second = offAt(b, 0.75);
    b.set("s9", "locked", false);
    b.set("s9", "first_tension", "2");
    b.run();
    VERIFY_STEP(b, "s9");
    QVERIFY(offAt(b, 0.25) > 1.3 * first);
    QVERIFY(offAt(b, 0.25) - first > 1.5 * std::abs(offAt(b, 0.75) - second));
    const auto startOf = [&] { return b.body("s9")->natural.begin()->second.surface->at(0.02, 0.25); };
    const Vec3 even = startOf(), middle = b.body("s9")->natural.begin()->second.surface->at(0.5, 0.25);
    b.set("s9", "first_graph", json::array({{{"id", "g1"}, {"at", "0"}, {"value", "1"}}, {{"id", "g2"}, {"at", "0.5"}, {"value", "1"}}, {{"id", "g3"}, {"at", "1"}, {"value", "2"}}}));
    b.run();
    VERIFY_STEP(b, "s9");
    const nurbs::Surface& s = *b.body("s9")->natural.begin()->second.surface;
    QVERIFY((s.at(0.02, 0.25) - even).norm() + (s.at(0.98, 0.25) - even).norm() > 1);
    VERIFY_AT_MOST((s.at(0.5, 0.25) - middle).norm(), 0.3);
    b.set("s9", "first_tension", "7");
    b.run();
    QVERIFY(b.result("s9").problem.has_value()); // out of the field's range
  }

  /// A plate with a hole and a tube above it: all around, whatever the edges' starts, solid-free skins of one tube.
  void aTubeRunsIntoAHole() {
    for (const char* how : {"g1", "g2"}) {
      Bench b;
      spline(b, {{-70, -70, 3}, {0, -75, 9}, {70, -70, 2}});
      spline(b, {{-70, 0, 8}, {0, 0, 14}, {70, 0, 6}});
      spline(b, {{-70, 70, 2}, {0, 75, 8}, {70, 70, 4}});
      b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}});
      b.add("ring", {{"shape", "superellipse"}, {"width", 66}, {"depth", 58}, {"x", 3}});
      b.add("trim", {{"body", picks({pick("s4", "skin")})}, {"by", picks({pick("s5")})}, {"keep", "back"}});
      b.add("ring", {{"width", 30}, {"height", 40}});
      b.add("ring", {{"width", 24}, {"height", 90}, {"x", 8}});
      b.add("loft", {{"sections", picks({pick("s7"), pick("s8")})}});
      b.run();
      VERIFY_STEP(b, "s6");
      json rim;
      for (const auto& name : b.body("s6")->edgeNames)
        if (name.find("cut") != std::string::npos) rim = pick("s6", "edge", name);
      b.add("blend", {{"first", picks({edgePick(b, "s9", {0, 0, 40})})}, {"second", picks({rim})}, {"first_meets", how}, {"second_meets", how}});
      b.add("knit", {{"skins", picks({pick("s6", "skin"), pick("s9", "skin"), pick("s10", "skin")})}});
      b.run();
      VERIFY_STEP(b, "s10");
      VERIFY_STEP(b, "s11");
      QCOMPARE(inspect::stateOf(*b.body("s11")).openings.size(), size_t(2));
      const inspect::Join worst = worstAsked(*b.body("s11"), 2);
      VERIFY_AT_MOST(worst.gapMm, 0.001);
      VERIFY_AT_MOST(worst.angleDeg, 0.01);
      if (how[1] > '1') VERIFY_AT_MOST(worst.curvatureRel, 0.01);
    }
  }

  /// Chains with a corner: the skins have a crease there, the blend goes on along it in two faces that share a border.
  void cornersGiveFacesThatShareTheirBorders() {
    for (const char* how : {"g1", "g2"}) {
      Bench b;
      polyline(b, {{0, 0, 0}, {40, 10, 0}, {60, 50, 0}});
      polyline(b, {{4, -2, 30}, {44, 8, 32}, {66, 50, 30}});
      polyline(b, {{-6, -12, 70}, {48, 0, 74}, {76, 52, 72}});
      polyline(b, {{-10, -16, 100}, {50, -2, 104}, {80, 52, 100}});
      b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
      b.add("loft", {{"sections", picks({pick("s3"), pick("s4")})}});
      b.run();
      VERIFY_STEP(b, "s5");
      QCOMPARE(b.body("s5")->faceNames.size(), size_t(2));
      // Picked in any order.
      b.add("blend", {{"first", picks({edgePick(b, "s5", {55, 29, 31}), edgePick(b, "s5", {24, 3, 31})})},
                      {"second", picks({edgePick(b, "s6", {21, -6, 72}), edgePick(b, "s6", {62, 26, 73})})},
                      {"first_meets", how}, {"second_meets", how}});
      b.add("knit", {{"skins", picks({pick("s5", "skin"), pick("s6", "skin"), pick("s7", "skin")})}});
      b.run();
      VERIFY_STEP(b, "s7");
      QCOMPARE(b.body("s7")->natural.size(), size_t(2));
      const auto found = inspect::joins(*b.body("s7"), {});
      QCOMPARE(found.size(), size_t(1));
      VERIFY_AT_MOST(found.front().gapMm, 1e-6);
      VERIFY_STEP(b, "s8");
      const inspect::Join worst = worstAsked(*b.body("s8"), 4);
      VERIFY_AT_MOST(worst.gapMm, 0.001);
      VERIFY_AT_MOST(worst.angleDeg, 0.01);
      if (how[1] > '1') VERIFY_AT_MOST(worst.curvatureRel, 0.01);
    }
  }

  /// Over the rim of a wall, from skin to skin: both leave upwards, and the blend turns over.
  void twoSkinsSideBySideAreJoinedOverTheirRims() {
    Bench b;
    b.add("ring", {{"width", 60}});
    b.add("ring", {{"width", 70}, {"height", 50}});
    b.add("ring", {{"width", 54}});
    b.add("ring", {{"width", 64}, {"height", 49}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("loft", {{"sections", picks({pick("s3"), pick("s4")})}});
    b.run();
    b.add("blend", {{"first", picks({edgePick(b, "s5", {0, 0, 50})})}, {"second", picks({edgePick(b, "s6", {0, 0, 49})})}});
    b.run();
    VERIFY_STEP(b, "s7");
    const nurbs::Surface& s = *b.body("s7")->natural.begin()->second.surface;
    QVERIFY(s.closedU());
    for (int i = 0; i < 8; ++i) QVERIFY(s.at(i / 8.0, 0.5).z() > 51); // above both rims
  }

  /// Borders and curves across are followed, both skins are still met, whichever is picked first; what such a blend does
  /// not have is not asked for.
  void borderCurvesAndInnerOnesAreFollowed() {
    for (const bool turned : {false, true}) {
      Bench b = apart();
      spline(b, {{-60, -30, 0}, {-70, -2, -3}, {-60, 25, 0}});
      b.add("blend", {{"first", turned ? far(b) : near(b)}, {"second", turned ? near(b) : far(b)}, {"end_curves", picks({pick("s9")})}, {"first_meets", "g1"}, {"second_meets", "g1"}});
      b.add("knit", {{"skins", picks({pick("s7", "skin"), pick("s8", "skin"), pick("s10", "skin")})}});
      b.run();
      VERIFY_STEP(b, "s10");
      const nurbs::Surface& s = *b.body("s10")->natural.begin()->second.surface;
      for (int i = 0; i <= 10; ++i) VERIFY_AT_MOST(nurbs::closestPoint(s, b.curve("s9").at(b.curve("s9").last() * i / 10)).distanceMm, 0.002);
      VERIFY_STEP(b, "s11");
      const inspect::Join worst = worstAsked(*b.body("s11"), 2);
      VERIFY_AT_MOST(worst.gapMm, 0.001);
      // The handle of each side stands on its own edge.
      for (const auto& f : b.result("s10").outcome->marks.all<recipe::Flag>()) {
        if (f.field == "first_meets") QVERIFY((f.at.y() < 0) != turned);
        if (f.field == "second_meets") QVERIFY((f.at.y() > 0) != turned);
      }
      b.set("s10", "flip", true); // has no say beside border curves
      b.run();
      VERIFY_STEP(b, "s10");
    }
    // Through a curve across, higher than it would go by itself.
    for (const bool inside : {false, true}) {
      Bench b = apart();
      const Vec3 p = b.curve("s3").at(0.55 * b.curve("s3").last()), q = b.curve("s4").at(0.55 * b.curve("s4").last()), m = 0.5 * (p + q) + Vec3(0, 0, 6);
      spline(b, {{p.x(), p.y(), p.z()}, {m.x(), m.y(), m.z()}, {q.x(), q.y(), q.z()}});
      b.add("blend", {{"first", near(b)}, {"second", far(b)}, {"first_meets", "g0"}, {"second_meets", "g0"}});
      if (inside) b.set("s10", "inside", picks({pick("s9")}));
      b.run();
      VERIFY_STEP(b, "s10");
      const nurbs::Surface& s = *b.body("s10")->natural.begin()->second.surface;
      double off = 0;
      for (int i = 0; i <= 10; ++i) off = std::max(off, nurbs::closestPoint(s, b.curve("s9").at(b.curve("s9").last() * i / 10)).distanceMm);
      QVERIFY2(inside ? off < 0.002 : off > 2, qPrintable(QString::number(off)));
    }
  }

  /// A plate close under the blend: its distance by the geometry kernel, and a word when it is too near or within.
  void clearanceIsMeasuredAndTold() {
    for (const double z : {-3.0, 4.0, 30.0}) {
      Bench b = apart();
      b.add("ring", {{"width", 30}, {"height", z}});
      b.add("ring", {{"width", 34}, {"height", z - 20}});
      b.add("loft", {{"sections", picks({pick("s9"), pick("s10")})}});
      b.add("cover", {{"edges", json::array()}});
      b.run();
      b.set("s12", "edges", picks({edgePick(b, "s11", {0, 0, z}), edgePick(b, "s11", {0, 0, z - 20})}));
      b.run();
      VERIFY_STEP(b, "s12");
      b.add("blend", {{"first", near(b)}, {"second", far(b)}, {"clear", picks({pick("s12", "solid")})}, {"clearance", "2"}});
      b.run();
      VERIFY_STEP(b, "s13");
      const auto& out = *b.result("s13").outcome;
      const bool told = std::any_of(out.notes.begin(), out.notes.end(), [](const Problem& p) { return p.code == "LM-P104"; });
      QCOMPARE(told, z > 20);
      if (z > 20) continue;
      const nurbs::Surface& s = *b.body("s13")->natural.begin()->second.surface;
      double least = 1e300; // of the lid's plane, which is nearest
      for (int i = 0; i <= 100; ++i)
        for (int j = 0; j <= 100; ++j) {
          const Vec3 p = s.at(i / 100.0, j / 100.0);
          const double r = std::hypot(p.x(), p.y());
          least = std::min(least, std::hypot(p.z() - z, std::max(0.0, r - 15)));
        }
      const QString words = QString::fromStdString(out.summary);
      const double said = words.mid(words.indexOf("clear by ") + 9).split(' ').first().toDouble();
      QVERIFY2(std::abs(said - least) < 0.01 * least + 0.01, qPrintable(words + QString(" %1").arg(least)));
    }
  }

  /// Along an edge both faces are cut back: a box's upright edge, whose blend ends in its top and bottom, and a rim.
  void alongAnEdgeBothFacesAreCutBack() {
    for (const char* how : {"g1", "g2"}) {
      Bench b;
      b.add("ring", {{"shape", "rectangle"}, {"width", 60}, {"depth", 40}, {"radius", 0}});
      b.add("extrude", {{"sections", picks({pick("s1")})}, {"length", 30}, {"solid", true}});
      b.run();
      VERIFY_STEP(b, "s2");
      const double before = volume(b.body("s2"));
      b.add("blend", {{"way", "along"}, {"along", picks({edgePick(b, "s2", {30, 20, 15})})}, {"width", "6"}, {"first_meets", how}, {"second_meets", how}});
      b.run();
      VERIFY_STEP(b, "s3");
      QVERIFY(b.body("s3")->solid());
      QCOMPARE(b.body("s3")->faceNames.size(), size_t(7));
      const auto state = inspect::stateOf(*b.body("s3"));
      QVERIFY(state.valid && state.openEdges == 0);
      VERIFY_AT_MOST(state.largestToleranceMm, 0.01);
      const double off = before - volume(b.body("s3"));
      QVERIFY2(off > 0.02 * 36 * 30 && off < 0.5 * 36 * 30, qPrintable(QString::number(off))); // less than the corner's triangle
      const inspect::Join worst = worstAsked(*b.body("s3"), 2);
      VERIFY_AT_MOST(worst.gapMm, 0.001);
      VERIFY_AT_MOST(worst.angleDeg, 0.01);
      if (how[1] > '1') VERIFY_AT_MOST(worst.curvatureRel, 0.01);
    }
    // All around, with two widths, on a solid that leans.
    Bench b;
    b.add("ring", {{"width", 60}});
    b.add("ring", {{"width", 50}, {"height", 40}, {"x", 3}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}, {"solid", true}});
    b.run();
    VERIFY_STEP(b, "s3");
    b.add("blend", {{"way", "along"}, {"along", picks({edgePick(b, "s3", {0, 0, 40})})}, {"width", "4"}, {"uneven", true}, {"other_width", "7"}});
    b.run();
    VERIFY_STEP(b, "s4");
    QVERIFY(b.body("s4")->solid());
    QVERIFY(inspect::stateOf(*b.body("s4")).valid);
    QCOMPARE(b.body("s4")->faceNames.size(), size_t(4));
    const inspect::Join worst = worstAsked(*b.body("s4"), 2);
    VERIFY_AT_MOST(worst.angleDeg, 0.01);
    VERIFY_AT_MOST(worst.curvatureRel, 0.01);
    b.set("s4", "width", "60");
    b.run();
    QCOMPARE(b.code("s4"), std::string("LM-H026"));
    QVERIFY(!b.result("s4").problem->where.empty());
  }

  void whatCannotBeBlendedIsTold() {
    Bench b = apart();
    b.add("ring", {{"width", 30}, {"height", 40}});
    b.add("blend", {{"first", near(b)}, {"second", picks({pick("s9")})}, {"second_meets", "g0"}});
    b.add("blend", {{"first", near(b)}, {"second", picks({pick("s4")})}}); // a curve: it lies on no skin
    b.run();
    QCOMPARE(b.code("s10"), std::string("LM-H020"));
    QCOMPARE(b.code("s11"), std::string("LM-H008"));
    b.set("s11", "skins", picks({pick("s8", "skin")}));
    b.run();
    VERIFY_STEP(b, "s11");
    // The wrong edges: the far one lies behind its own skin.
    b.set("s11", "first", picks({edgePick(b, "s7", {0, -80, 12})}));
    b.set("s11", "second", picks({edgePick(b, "s8", {0, 88, 5})}));
    b.set("s11", "skins", json::array());
    b.run();
    QCOMPARE(b.code("s11"), std::string("LM-H022"));
  }
};

static test::Register<BlendStepTest> registeredBlendStepTest;
#include "blend_test.moc"

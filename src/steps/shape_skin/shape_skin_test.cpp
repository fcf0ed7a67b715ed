#include "nurbs/measure/closest.h"
#include "nurbs/measure/wrinkles.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

/// A skin lofted through four arches (s5), and what is shaped of it.
class ShapeSkinStepTest : public QObject {
  Q_OBJECT

  static Bench arches() {
    Bench b;
    for (int i = 0; i < 4; ++i)
      b.add(
          "spline",
          {{"points",
            pointList({{-60, 30.0 * i, 0}, {-20, 30.0 * i, 14.0 + i}, {20, 30.0 * i, 14.0 + i}, {60, 30.0 * i, 0}})}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3"), pick("s4")})}});
    return b;
  }
  static const nurbs::Surface& skin(Bench& b, const std::string& id) {
    return *b.body(id)->natural.begin()->second.surface;
  }
  static json move(const std::string& id, const Vec3& by) {
    return {{"id", id}, {"x", by.x()}, {"y", by.y()}, {"z", by.z()}};
  }
  static double apart(const nurbs::Surface& a, const nurbs::Surface& b) {
    double worst = 0;
    for (int i = 0; i <= 20; ++i)
      for (int j = 0; j <= 20; ++j)
        worst = std::max(worst, (a.at(i / 20.0, j / 20.0) - b.at(i / 20.0, j / 20.0)).norm());
    return worst;
  }
  static const json more() {
    return {{"skin", picks({pick("s5", "skin")})},
            {"points", "more"},
            {"degreeU", 5},
            {"degreeV", 5},
            {"spansU", 4},
            {"spansV", 5}};
  }

private slots:
  void moreRowsAreTheSameSkinAndNewOnesSayTheirDeviation() {
    Bench b = arches();
    b.add("shape_skin", more());
    b.add("shape_skin", {{"skin", picks({pick("s5", "skin")})}, {"points", "new"}, {"spansU", 2}, {"spansV", 2}});
    b.add("shape_skin", {{"skin", picks({pick("s5", "skin")})}, {"points", "near"}, {"deviation", "0.02"}});
    b.run();
    for (const char* id : {"s6", "s7", "s8"}) VERIFY_STEP(b, id);
    VERIFY_AT_MOST(apart(skin(b, "s5"), skin(b, "s6")), 1e-9);
    QCOMPARE(skin(b, "s6").degreeU(), 5);
    QVERIFY(skin(b, "s6").controlPoints() >= 90);
    QCOMPARE(skin(b, "s7").controlPoints(), 25);
    VERIFY_AT_MOST(apart(skin(b, "s5"), skin(b, "s8")), 0.02);
    QVERIFY(skin(b, "s8").controlPoints() < skin(b, "s6").controlPoints());
    QCOMPARE(b.result("s6").outcome->outputs[0].continues, std::string("s5"));
  }
  void roundSkinsStaySmoothAtTheirSeam() {
    Bench b;
    for (double z : {0.0, 30.0, 60.0, 90.0}) b.add("ring", {{"width", 50 + 0.1 * z}, {"height", z}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3"), pick("s4")})}});
    b.run();
    VERIFY_STEP(b, "s5");
    QVERIFY(skin(b, "s5").closedU());
    for (const auto& [smooth, more] : {std::pair(false, false), {true, false}, {false, true}}) {
      json moves = json::array();
      for (int u = 0; u < 4; ++u) moves.push_back(move("c" + std::to_string(u) + "-1", {3.0 + u, 2, 1}));
      const std::string id = b.add("shape_skin", {{"skin", picks({pick("s5", "skin")})},
                                                  {"moves", moves},
                                                  {"smooth", smooth ? "0.3" : "0"},
                                                  {"points", more ? "more" : "own"},
                                                  {"degreeU", 7}});
      b.run();
      VERIFY_STEP(b, id);
      const nurbs::Surface& s = skin(b, id);
      QVERIFY(s.closedU());
      QVERIFY(apart(s, skin(b, "s5")) > 1);
      for (int j = 0; j <= 20; ++j) {
        nurbs::SurfaceDerivatives first, last;
        s.derivatives(0, j / 20.0, 3, first);
        s.derivatives(1, j / 20.0, 3, last);
        for (int k = 0; k < 4; ++k)
          VERIFY_AT_MOST((first(k, 0) - last(k, 0)).norm(), 1e-7 * std::max(1.0, first(k, 0).norm()));
      }
    }
  }
  void aMovedPointLiftsItsSurroundingsAndKeptRowsStayToTheLastBit() {
    for (const auto& [keep, order] : {std::pair("g0", 0), {"g1", 1}, {"g2", 2}}) {
      Bench b = arches();
      json in = more();
      for (const char* side : {"left", "right", "start", "end"}) in[side] = keep;
      in["moves"] = json::array({move("c4-4", {0, 0, 6}), move("c1-1", {0, 0, 6}), move("c99-1", {0, 0, 1})});
      in["falloff"] = 2;
      b.add("shape_skin", in);
      b.run();
      VERIFY_STEP(b, "s6");
      const nurbs::Surface &was = skin(b, "s5"), &now = skin(b, "s6");
      QVERIFY(apart(was, now) > 2);
      for (int i = 0; i <= 40; ++i)
        for (const bool u : {true, false})
          for (double end : {0.0, 1.0}) {
            nurbs::SurfaceDerivatives d, e;
            was.derivatives(u ? end : i / 40.0, u ? i / 40.0 : end, 2, d);
            now.derivatives(u ? end : i / 40.0, u ? i / 40.0 : end, 2, e);
            for (int k = 0; k <= order; ++k) VERIFY_AT_MOST((u ? d(k, 0) - e(k, 0) : d(0, k) - e(0, k)).norm(), 1e-9);
          }
      std::vector<std::string> codes;
      for (const Problem& n : b.result("s6").outcome->notes) codes.push_back(n.code);
      QVERIFY(std::count(codes.begin(), codes.end(), "LM-P132") == 1);
      QCOMPARE(std::count(codes.begin(), codes.end(), "LM-P133") == 1, order > 0);
      for (const recipe::Grip& g : b.result("s6").outcome->marks.all<recipe::Grip>()) QVERIFY(g.item != "c0-0");
    }
  }
  void theMirrorImageMovesToo() {
    Bench b = arches();
    json in = more();
    in["moves"] = json::array({move("c2-3", {1, 0, 4})});
    in["mirror"] = picks({pick("world", "plane", "side")});
    b.add("shape_skin", in);
    b.run();
    VERIFY_STEP(b, "s6");
    const nurbs::Surface& now = skin(b, "s6");
    QVERIFY(apart(skin(b, "s5"), now) > 0.5);
    for (int i = 0; i <= 20; ++i)
      for (int j = 0; j <= 20; ++j) {
        const Vec3 p = now.at(i / 20.0, j / 20.0);
        VERIFY_AT_MOST(nurbs::closestPoint(now, {-p.x(), p.y(), p.z()}).distanceMm, 0.02);
      }
  }
  void smoothingCalmsADentWithinItsLimit() {
    Bench b = arches();
    json rough = more();
    rough["moves"] = json::array({move("c3-3", {0, 0, 0.4}), move("c4-4", {0, 0, -0.4}), move("c5-3", {0, 0, 0.3})});
    b.add("shape_skin", rough);
    json calm = {{"skin", picks({pick("s6", "skin")})}, {"smooth", "0.5"}};
    b.add("shape_skin", calm);
    b.run();
    VERIFY_STEP(b, "s7");
    VERIFY_AT_MOST(apart(skin(b, "s6"), skin(b, "s7")), 0.5);
    const double rippled = nurbs::wrinkleIndex({skin(b, "s6")}), calmed = nurbs::wrinkleIndex({skin(b, "s7")});
    QVERIFY2(calmed < 0.7 * rippled, qPrintable(QString("%1 %2").arg(rippled).arg(calmed)));
  }
  void theMovesStayWhenTheSkinBeforeChanges() {
    Bench b = arches();
    json in = more();
    in["moves"] = json::array({move("c4-4", {0, 0, 6})});
    b.add("shape_skin", in);
    b.run();
    const double lift = (skin(b, "s6").at(0.5, 0.5) - skin(b, "s5").at(0.5, 0.5)).z();
    b.set("s2", "points", pointList({{-60, 30, 0}, {-20, 30, 24}, {20, 30, 24}, {60, 30, 0}}));
    b.run();
    VERIFY_STEP(b, "s6");
    VERIFY_AT_MOST(std::abs((skin(b, "s6").at(0.5, 0.5) - skin(b, "s5").at(0.5, 0.5)).z() - lift), 0.2);
  }
  void trimmedFacesAndTooManyPointsAreRefused() {
    Bench b = arches();
    b.add("plane", {{"distance", 5}});
    b.add("trim", {{"body", picks({pick("s5", "skin")})}, {"by", picks({pick("s6", "plane")})}});
    b.add("shape_skin", {{"skin", picks({pick("s7", "skin")})}});
    json many = more();
    many["spansU"] = 40, many["spansV"] = 40;
    b.add("shape_skin", many);
    b.run();
    QCOMPARE(b.code("s8"), std::string("LM-P091"));
    QCOMPARE(b.code("s9"), std::string("LM-P092"));
    for (const char* id : {"s8", "s9"}) QVERIFY(!b.result(id).problem->where.empty());
  }
};

static test::Register<ShapeSkinStepTest> registeredShapeSkinStepTest;
#include "shape_skin_test.moc"

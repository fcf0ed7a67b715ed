#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/meet.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class NetworkCheckStepTest : public QObject {
  Q_OBJECT
private slots:
  /// Three by three curves that miss one another by up to 0.08 mm.
  static Bench loose() {
    Bench b;
    for (int i = 0; i < 3; ++i)
      b.add("spline",
            {{"points", pointList({{0, 30.0 * i, 0.02 * i}, {30, 30.0 * i + 4, 5}, {60, 30.0 * i, 8 + 0.03 * i}})}});
    b.run();
    for (double x : {2.0, 30.0, 58.0}) {
      std::vector<std::array<double, 3>> pts;
      for (int i = 0; i < 3; ++i) {
        const auto& c = b.curve("s" + std::to_string(i + 1));
        Vec3 best = c.at(0);
        for (int k = 0; k <= 2000; ++k)
          if (const Vec3 p = c.at(k / 2000.0); std::abs(p.x() - x) < std::abs(best.x() - x)) best = p;
        pts.push_back({best.x(), best.y(), best.z() + 0.02 + 0.03 * i});
      }
      b.add("spline", {{"points", pointList(pts)}});
    }
    return b;
  }
  static json all() { return picks({pick("s1"), pick("s2"), pick("s3"), pick("s4"), pick("s5"), pick("s6")}); }

  void everyCrossingIsListedAndClosed() {
    Bench b = loose();
    b.add("network_check", {{"curves", all()}, {"name", "loose"}});
    b.add("network_check", {{"curves", all()}, {"close", true}, {"limit", 0.2}, {"name", "left"}});
    b.run();
    VERIFY_STEP(b, "s7");
    QCOMPARE(b.result("s7").outcome->measured.at("loose").value, 9.0);
    QCOMPARE(b.result("s7").outcome->marks.all<recipe::Flag>().size(), size_t(9));
    const Problem& note = b.result("s7").outcome->notes[0];
    QCOMPARE(note.code, std::string("LM-P111"));
    QCOMPARE(note.where.size(), size_t(9));
    QCOMPARE(note.remedies[0].field, std::string("close"));
    VERIFY_STEP(b, "s8");
    QCOMPARE(b.result("s8").outcome->measured.at("left").value, 0.0);
    std::vector<nurbs::Path> closed;
    for (const auto& o : b.result("s8").outcome->outputs) closed.push_back(*std::get<recipe::CurvePtr>(o.object));
    QCOMPARE(closed.size(), size_t(6));
    for (size_t i = 0; i < 3; ++i)
      for (size_t j = 3; j < 6; ++j) {
        const auto m = nurbs::nearest(nurbs::MeetingSide(closed[i]), nurbs::MeetingSide(closed[j]));
        VERIFY_AT_MOST(m.gapMm, 0.001);
      }
    for (size_t i = 0; i < 6; ++i)
      VERIFY_AT_MOST(nurbs::deviationFrom(closed[i], b.curve("s" + std::to_string(i + 1))).mm, 0.1);
  }

  void heldCurvesStayAndLoneOnesAreNoted() {
    Bench b = loose();
    json list = all();
    for (int i = 0; i < 3; ++i) list[size_t(i)]["hold"] = true;
    b.add("line", {{"points", pointList({{0, 500, 0}, {60, 500, 0}})}});
    list.push_back(pick("s7"));
    b.add("network_check", {{"curves", list}, {"close", true}, {"limit", 0.2}, {"name", "left"}});
    b.run();
    VERIFY_STEP(b, "s8");
    QCOMPARE(b.result("s8").outcome->measured.at("left").value, 0.0);
    for (int i = 0; i < 3; ++i) {
      const auto& c = *std::get<recipe::CurvePtr>(b.result("s8").outcome->outputs[size_t(i)].object);
      VERIFY_AT_MOST(nurbs::deviationFrom(c, b.curve("s" + std::to_string(i + 1))).mm, 1e-9);
    }
    QVERIFY(std::any_of(b.result("s8").outcome->notes.begin(), b.result("s8").outcome->notes.end(),
                        [](const Problem& p) { return p.code == "LM-P112"; }));
  }
};

static test::Register<NetworkCheckStepTest> registeredNetworkCheckStepTest;
#include "network_check_test.moc"

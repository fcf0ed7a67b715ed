#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class PointsCurveStepTest : public QObject {
  Q_OBJECT
private slots:
  static std::string withTable(Bench& b, const std::string& text, json more = json::object()) {
    const std::string hash = recipe::hashOf(text);
    b.recipe.imports[hash] = std::make_shared<const std::string>(text);
    more["table"] = {{"hash", hash}, {"name", "table.txt"}};
    return b.add("points_curve", more);
  }

  void tablesBecomeCurves() {
    Bench b;
    withTable(b, "# made up\n0 0 0\n10;0;1\n20,5,0\n\n0 0 9\n\t5 5 9\r\n9 0 9\n", {{"scale", 2}, {"z", 1}});
    b.run();
    VERIFY_STEP(b, "s1");
    QCOMPARE(b.result("s1").outcome->outputs.size(), size_t(2));
    VERIFY_AT_MOST((b.curve("s1").end() - Vec3(40, 10, 1)).norm(), 1e-9);
  }

  void smoothCurvesStayWithinTheDeviation() {
    std::string table;
    for (int i = 0; i < 80; ++i)
      table += std::to_string(i) + " " + std::to_string(10 * std::sin(i * 0.1) + 0.02 * std::sin(i * 37.0)) + " 0\n";
    Bench b;
    withTable(b, table, {{"fit", "smooth"}, {"deviation", 0.05}});
    b.run();
    const auto& c = std::get<nurbs::Spline>(b.curve("s1").segments()[0]);
    VERIFY_AT_MOST(c.size(), 30);
    for (int i = 0; i < 80; ++i)
      VERIFY_AT_MOST(
          nurbs::closestPoint(b.curve("s1"), {double(i), 10 * std::sin(i * 0.1) + 0.02 * std::sin(i * 37.0), 0})
              .distanceMm,
          0.0501);
  }

  void damagedTablesAreExplained() {
    Bench b;
    withTable(b, "0 0 0\n1 2\n");
    withTable(b, "0 0 0\n1 2 x\n");
    withTable(b, "# nothing\n");
    withTable(b, "0 0 0\nnan 0 0\n");
    b.add("points_curve", {});
    b.run();
    QCOMPARE(b.code("s1"), std::string("LM-F010"));
    QVERIFY(b.result("s1").problem->what.find("line 2") != std::string::npos);
    QCOMPARE(b.code("s2"), std::string("LM-F010"));
    QCOMPARE(b.code("s3"), std::string("LM-F011"));
    QCOMPARE(b.code("s4"), std::string("LM-F010"));
    QCOMPARE(b.code("s5"), std::string("LM-S020"));
  }
};

static test::Register<PointsCurveStepTest> registeredPointsCurveStepTest;
#include "points_curve_test.moc"

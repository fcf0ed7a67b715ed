#include "recipe/expression.h"
#include "support/registry.h"

using namespace lumsk;
using recipe::evaluate;

class ExpressionTest : public QObject {
  Q_OBJECT
private slots:
  void numbersUnitsAndNamesAreRead() {
    const recipe::Names n{
        {"wall", millimetres(2.5)}, {"lean", degrees(30)}, {"d2", millimetres(4)}, {"area", {6, Dimension::Area}}};
    const auto mm = [&](const char* s) { return evaluate(s, Dimension::Length, n).value_or(Quantity{-999}).value; };
    QCOMPARE(mm("12.5"), 12.5);
    QCOMPARE(mm("3*wall"), 7.5);
    QCOMPARE(mm("1 in"), 25.4);
    QCOMPARE(mm("1,5 cm + 2mm"), 17.0);
    QCOMPARE(mm("d2/2"), 2.0);
    QCOMPARE(mm("wall*sin(lean)"), 1.25);
    QCOMPARE(mm("max(wall, 1)"), 2.5);
    QCOMPARE(mm("sqrt(area*6)"), 6.0);
    QCOMPARE(mm("area / wall"), 2.4);
    QCOMPARE(mm("1e1"), 10.0);
    QCOMPARE(mm("(1+1) in"), 50.8);
    QCOMPARE(evaluate("atan(1)", Dimension::Angle, n)->value, 45.0);
    QCOMPARE(evaluate("pi rad", Dimension::Angle, n)->value, 180.0);
    QCOMPARE(evaluate("wall/d2", Dimension::Ratio, n)->value, 0.625);
  }

  void aTextThatIsReadOnceFollowsItsNames() {
    const auto at = [](double wall) { return evaluate("2*wall*sin(30 deg)", Dimension::Length, {{"wall", millimetres(wall)}}); };
    QCOMPARE(at(2)->value, 2.0);
    QCOMPARE(at(3)->value, 3.0);
    QCOMPARE(evaluate("2*wall*sin(30 deg)", Dimension::Length, {}).error().code, std::string("LM-E002"));
    QCOMPARE(evaluate("2*wall*sin(30 deg)", Dimension::Length, {{"wall", degrees(2)}}).error().code, std::string("LM-E003"));
    QCOMPARE(at(2)->value, 2.0);
  }

  void wrongOnesAreExplained() {
    const auto code = [](const char* s, Dimension d = Dimension::Length) {
      return evaluate(s, d, {{"wall", millimetres(2)}}).error().code;
    };
    QCOMPARE(code("2*"), std::string("LM-E001"));
    QCOMPARE(code(""), std::string("LM-E001"));
    QCOMPARE(code("2*hight"), std::string("LM-E002"));
    QCOMPARE(code("wall*wall"), std::string("LM-E003"));
    QCOMPARE(code("30 deg"), std::string("LM-E003"));
    QCOMPARE(code("wall + 30 deg"), std::string("LM-E003"));
    QCOMPARE(code("2.5", Dimension::Count), std::string("LM-E003"));
    QCOMPARE(code("1/0"), std::string("LM-E004"));
    QCOMPARE(code("wall = 3"), std::string("LM-E001"));
    QCOMPARE(code("inf"), std::string("LM-E002"));
    QVERIFY(!recipe::checkName("mm") && !recipe::checkName("2a") && !recipe::checkName("sin") &&
            recipe::checkName("wall_2"));
  }
};

static test::Register<ExpressionTest> registeredExpressionTest;
#include "expression_test.moc"

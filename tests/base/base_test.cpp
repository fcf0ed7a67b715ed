#include "base/text.h"
#include "base/problem.h"
#include "base/tolerances.h"
#include "support/registry.h"

using namespace lumsk;

class BaseTest : public QObject {
  Q_OBJECT
private slots:
  void numbersAreWrittenForPeople() {
    QCOMPARE(formatNumber(0.32), std::string("0.32"));
    QCOMPARE(formatNumber(0), std::string("0"));
    QCOMPARE(formatNumber(4.4e-15, 2), std::string("0")); // what rounding leaves of a nought
    QCOMPARE(formatNumber(-1.3e-11, 2), std::string("0"));
    QCOMPARE(formatNumber(0.00002, 1).find('e'), std::string::npos);
    QCOMPARE(format(millimetres(2.5)), std::string("2.5 mm"));
    QCOMPARE(format(degrees(0.01)), std::string("0.01 deg"));
    QCOMPARE(format(ratio(0.5)), std::string("0.5"));
  }

  void aProblemsSentenceSaysWhatIsMeasuredWantedAndToDo() {
    const Problem p = problem("LM-X001", "not tangent along the rear edge")
                          .measure(degrees(0.32))
                          .want(degrees(0.01))
                          .at({1, 2, 3})
                          .tryThis("relax this edge");
    const std::string s = sentence(p);
    for (const char* part : {"not tangent along the rear edge", "0.32 deg", "0.01 deg", "relax this edge"})
      QVERIFY2(s.find(part) != std::string::npos, s.c_str());
    QVERIFY(!isCancelled(p) && isCancelled(cancelled()));
  }

  void tolerancesThatNothingCanWorkWithAreRefused() {
    QVERIFY(validate(Tolerances{}));
    for (double bad : {0.0, -1.0, 1e300, std::nan("")}) {
      Tolerances t;
      t.fit = {bad};
      QVERIFY(!validate(t));
      t = {};
      t.angle = {bad};
      QVERIFY(!validate(t));
    }
  }

  void textsOutOfFilesSteerNothing() {
    QCOMPARE(oneLine("Griff \xc3\xa4\xe2\x82\xac \xf0\x9f\x98\x80"), std::string("Griff \xc3\xa4\xe2\x82\xac \xf0\x9f\x98\x80"));
    QCOMPARE(oneLine("a\nb\x1b[31m\x7f" "c"), std::string("a b [31m c"));
    QCOMPARE(oneLine("a\xc2\x9b" "b\xe2\x80\xae" "c\xe2\x81\xa6" "d"), std::string("a b c d"));
    QCOMPARE(oneLine(std::string("cut\xe2\x80")), std::string("cut\xe2\x80"));
  }

  void tinyAnglesKeepTheirDigits() {
    for (double a : {1e-9, 1e-6, 1e-3, 1.0, 3.0}) {
      const Vec3 v(std::cos(a), std::sin(a), 0);
      VERIFY_AT_MOST(std::abs(angleBetweenRad(Vec3::UnitX(), 7 * v) / a - 1), 1e-6);
    }
  }

  void framesGoThereAndBack() {
    const Frame f = Frame::fromNormal({3, -2, 5}, {1, 2, -0.5});
    VERIFY_AT_MOST((f.normal() - Vec3(1, 2, -0.5).normalized()).norm(), 1e-14);
    VERIFY_AT_MOST(std::abs(f.x.z()), 1e-14); // level
    const Vec3 p(7, 8, 9), q = f.local(p);
    VERIFY_AT_MOST((f.at(q.x(), q.y(), q.z()) - p).norm(), 1e-13);
  }
};

static test::Register<BaseTest> registeredBaseTest;
#include "base_test.moc"

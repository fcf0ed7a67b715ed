#include "scene/floor.h"
#include "support/registry.h"

#include <cmath>

using namespace lumsk;

class FloorTest : public QObject {
  Q_OBJECT
private slots:
  void stepsAreRoundAndFarEnoughApartAtEveryZoom() {
    double last = 0;
    for (double mmPerPixel = 0.002; mmPerPixel < 50; mmPerPixel *= 1.3) {
      const auto f = scene::Floor::under({-30, -20, 0}, {30, 20, 80}, mmPerPixel);
      QVERIFY(f.stepMm / mmPerPixel >= 11 && (f.stepMm == 0.1 || f.stepMm / mmPerPixel <= 11 * 5));
      // 1 or 5 times a power of ten.
      const double digits = f.stepMm / std::pow(10, std::floor(std::log10(f.stepMm) + 1e-9));
      QVERIFY(std::abs(digits - 1) < 1e-9 || std::abs(digits - 5) < 1e-9);
      QVERIFY(f.stepMm >= last);
      last = f.stepMm;
    }
  }

  void linesLieOnWholeStepsOfTheWorldUnderForms() {
    const auto f = scene::Floor::under({103, -20, 5}, {163, 20, 80}, 0.4);
    QCOMPARE(f.stepMm, 5.0);
    QVERIFY(f.low.x() <= 103 && f.high.x() >= 163 && f.low.y() <= -20 && f.high.y() >= 20);
    const auto strong = f.lines(true), thin = f.lines(false);
    QVERIFY(strong.size() >= 4 && thin.size() > strong.size() && strong.size() + thin.size() < 300);
    for (const bool isStrong : {true, false})
      for (const auto& l : isStrong ? strong : thin) {
        QVERIFY(l[0].z() == 0 && l[1].z() == 0);
        const double at = l[0].x() == l[1].x() ? l[0].x() : l[0].y();
        QVERIFY(std::abs(std::remainder(at, 5.0)) < 1e-9);
        QCOMPARE(std::abs(std::remainder(at, 50.0)) < 1e-9, isStrong);
      }
  }

  void itLiesBelowWhatReachesBelowTheOrigin() {
    QCOMPARE(scene::Floor::under({0, 0, 3}, {50, 50, 80}, 0.4).low.z(), 0.0);
    QCOMPARE(scene::Floor::under({0, 0, -12.5}, {50, 50, 80}, 0.4).low.z(), -15.0);
    QCOMPARE(scene::Floor::under({0, 0, -10}, {50, 50, 80}, 0.4).lines(true).front()[0].z(), -10.0);
  }

  void nothingIsDrawnWhereNoSizeIsKnown() {
    QCOMPARE(scene::Floor::under(Vec3::Constant(NAN), Vec3::Ones(), 1).stepMm, 0.0);
    QVERIFY(scene::Floor::under(Vec3::Zero(), Vec3::Ones(), 0).lines(true).empty());
  }
};

static test::Register<FloorTest> registeredFloorTest;
#include "floor_test.moc"

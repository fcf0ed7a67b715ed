#include "nurbs/curves/correspond.h"
#include "nurbs/loft/loft.h"
#include "shapes/vessels.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::nurbs;
using namespace lumsk::test;

namespace {

/// A bean: no symmetry, so there is one right alignment.
Path bean(double z, double turnDeg, bool reverse) {
  Points p(24, 3);
  const double a = radFromDeg(turnDeg);
  for (int i = 0; i < 24; ++i) {
    const double t = 2 * kPi * (reverse ? -i : i) / 24 + a;
    const double r = 30 + 7 * std::cos(t) + 4 * std::sin(2 * t + 0.4) + 2 * std::cos(3 * t);
    p.row(i) << r * std::cos(t), r * std::sin(t), z;
  }
  InterpolationOptions o;
  o.closed = true;
  return *Path::make({*interpolate(p, o)}, {0.001});
}

double worstSlant(const std::vector<Section>& sections) {
  const auto r = loft(sections, {}, {});
  if (!r) return 1e9;
  double worst = 0;
  for (int i = 0; i < 48; ++i) {
    const Vec3 a = r->strips[0].at(i / 48.0, 0), b = r->strips[0].at(i / 48.0, 1);
    worst = std::max(worst, (a - b).head<2>().norm());
  }
  return worst;
}

} // namespace

class CorrespondTest : public QObject {
  Q_OBJECT
private slots:
  void beansComeTogetherWhateverTheirStartAndDirection() {
    std::mt19937 rng(4);
    std::uniform_real_distribution<double> turn(0, 360);
    for (int k = 0; k < 40; ++k) {
      // The same outline drawn from another start, in either direction, one level up: lines across must stand upright.
      const bool reverse = k % 2;
      VERIFY_AT_MOST(worstSlant({{bean(0, 0, false)}, {bean(30, turn(rng), reverse)}}), 0.15);
    }
  }

  void openSectionsFollowTheirEndsAndElseTheirChords() {
    const auto line = [](const Vec3& a, const Vec3& b) { return Section{*nurbs::line(a, b, {0.001})}; };
    const std::vector<Section> s{line({0, 0, 0}, {50, 0, 0}), line({52, 0, 20}, {2, 0, 20}),
                                 line({0, 5, 40}, {50, 5, 40})};
    std::vector<ArcLength> l;
    for (const auto& x : s) l.emplace_back(*x.path());
    const auto a = alignSections(s, l, {}, {});
    VERIFY_OK(a);
    QVERIFY(!a->sections[0].reversed && a->sections[1].reversed && !a->sections[2].reversed);
    QVERIFY(a->sections[1].changedDirection);
    VERIFY_AT_MOST((alignedPoint(s[1], l[1], a->sections[1], 0.25) - Vec3(14.5, 0, 20)).norm(), 1e-9);
  }

  void cornersGoToCorners() {
    const Section square{*polygon(levelAt(0), 60, 4, 0, {0.001})};
    Frame turned = levelAt(40);
    turned.x = Vec3(std::cos(0.3), std::sin(0.3), 0), turned.y = Vec3(-std::sin(0.3), std::cos(0.3), 0);
    const Section other{reversed(*polygon(turned, 40, 4, 0, {0.001}))};
    const auto r = loft({square, other}, {}, {});
    VERIFY_OK(r);
    QCOMPARE(r->strips.size(), size_t(4));
    for (const Surface& s : r->strips)
      for (double u : {0.0, 1.0}) {
        VERIFY_AT_MOST(std::abs(s.at(u, 0).head<2>().norm() - 30), 1e-6);
        VERIFY_AT_MOST(std::abs(s.at(u, 1).head<2>().norm() - 20), 1e-6);
      }
  }

  void fewerCornersGoToTheNearestOfMore() {
    const auto r =
        loft({{*polygon(levelAt(0), 60, 6, 0, {0.001})}, {*polygon(levelAt(40), 60, 3, 0, {0.001})}}, {}, {});
    VERIFY_OK(r);
    QCOMPARE(r->strips.size(), size_t(6));
    int corners = 0;
    for (const Surface& s : r->strips) corners += std::abs(s.at(0, 1).head<2>().norm() - 30) < 1e-5;
    QCOMPARE(corners, 3);
  }
};

static test::Register<CorrespondTest> registeredCorrespondTest;
#include "correspond_test.moc"

#include "inspect/circle.h"
#include "inspect/combs.h"
#include "inspect/curve_joints.h"
#include "nurbs/curves/curve_ends.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/curves/shapes.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::test;

class CurveJointsTest : public QObject {
  Q_OBJECT
private slots:
  void jointsOfAChainAreMeasuredToTheThirdOrder() {
    // A line that runs into an arc: tangent, and nothing more; then a corner.
    const nurbs::Path p = *nurbs::Path::make({nurbs::LineSegment{{-40, -20, 0}, {0, -20, 0}},
                                              nurbs::EllipseArc{{0, 0, 0}, {0, -20, 0}, {20, 0, 0}, 0, kPi / 2},
                                              nurbs::LineSegment{{20, 0, 0}, {30, 0, 0}}},
                                             {0.001});
    const auto joints = inspect::curveJoints({&p}, 0.01, {});
    QCOMPARE(joints.size(), size_t(2));
    QCOMPARE(joints[0].achieved({}), std::string("G1"));
    VERIFY_AT_MOST(joints[0].angleDeg, 1e-6);
    VERIFY_AT_MOST(std::abs(joints[0].curvatureRel - 1), 1e-9);
    VERIFY_AT_MOST((joints[0].at - Vec3(0, -20, 0)).norm(), 1e-9);
    QCOMPARE(joints[1].achieved({}), std::string("G0"));
    VERIFY_AT_MOST(std::abs(joints[1].angleDeg - 90), 1e-6);
    QVERIFY(!joints[1].meantSmooth);
  }

  void endsOfBlendsMeetAsTheyWereAskedTo() {
    Points a(4, 3), b(4, 3);
    a << 0, 0, 0, 15, 8, 3, 30, 5, 6, 45, 0, 4;
    b << 80, 10, 10, 95, 22, 12, 110, 20, 16, 130, 5, 12;
    nurbs::InterpolationOptions o;
    o.degree = 3;
    const nurbs::Path x = *nurbs::Path::make({*nurbs::interpolate(a, o)}, {0.001}),
                      y = *nurbs::Path::make({*nurbs::interpolate(b, o)}, {0.001});
    for (int order = 0; order <= 3; ++order) {
      auto s = *nurbs::endOf(x, true), e = *nurbs::endOf(y, false);
      s.continuity = e.continuity = order;
      e.tangent = -e.tangent, e.third = -e.third;
      const nurbs::Path blend = *nurbs::Path::make({nurbs::blendCurve(s, e, {})->curve}, {0.001});
      const auto joints = inspect::curveJoints({&x, &blend, &y}, 0.01, {});
      QCOMPARE(joints.size(), size_t(2));
      for (const auto& j : joints) {
        QCOMPARE(j.achieved({}), "G" + std::to_string(order));
        QVERIFY(j.curve != j.other);
      }
    }
    QVERIFY(inspect::curveJoints({&x, &y}, 0.01, {}).empty());
  }

  void circlesAreKnownWhateverTheyAreMadeOf() {
    const Frame f = Frame::fromNormal({5, -3, 900}, Vec3(1, 2, 2));
    const auto round = inspect::circleOf(*nurbs::circle(f, 24), {});
    QVERIFY(round && round->axis.cross(f.normal()).norm() < 1e-9);
    VERIFY_AT_MOST(std::abs(round->radiusMm - 12) + (round->centre - f.origin).norm(), 1e-9);
    const nurbs::Path arc = *nurbs::Path::make({nurbs::EllipseArc{{0, 0, 0}, {0, -20, 0}, {20, 0, 0}, 0, kPi / 2}}, {0.001});
    QVERIFY(inspect::circleOf(arc, {}) && std::abs(inspect::circleOf(arc, {})->radiusMm - 20) < 1e-9);
    QVERIFY(!inspect::circleOf(*nurbs::ellipse({}, 80, 79.9, {0.001}), {}));
    QVERIFY(!inspect::circleOf(*nurbs::Path::make({nurbs::LineSegment{{0, 0, 0}, {9, 1, 2}}}, {0.001}), {}));
  }

  void extremesOfCurvatureAreMarked() {
    const nurbs::Path ellipse = *nurbs::ellipse({}, 80, 40, {0.001});
    const auto c = inspect::comb(ellipse, 40, 1);
    // Tightest at both ends of the long axis, flattest at both ends of the short one; the seam hides one of them.
    QVERIFY(c.extremes.size() >= 3);
    for (const Vec3& p : c.extremes) VERIFY_AT_MOST(std::min(std::abs(p.x()), std::abs(p.y())), 0.5);
  }
};

static Register<CurveJointsTest> registeredCurveJointsTest;
#include "curve_joints_test.moc"

#include "nurbs/measure/meet.h"
#include "nurbs/fit/monotone.h"
#include "nurbs/curves/shapes.h"
#include "nurbs/joins/side_conditions.h"
#include "shapes/networks.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::nurbs;
using namespace lumsk::test;

class MeetTest : public QObject {
  Q_OBJECT
private slots:
  void crossingsAndNearMissesAreFoundWithTheirGapAndAngle() {
    const Path ring = *circle({{0, 0, 4}, Vec3::UnitX(), Vec3::UnitY()}, 50);
    const Path through = *line({-40, 0, 4.02}, {40, 0, 4.02}, {0.001});
    const Meetings m = meetings(ring, through, 0.05);
    QCOMPARE(m.list.size(), size_t(2));
    for (const Meeting& k : m.list) {
      VERIFY_AT_MOST(std::abs(k.gapMm - 0.02), 1e-9);
      VERIFY_AT_MOST(std::abs(std::abs(k.a.x()) - 25), 1e-6);
      VERIFY_AT_MOST(std::abs(k.angleDeg - 90), 1e-6);
    }
    QVERIFY(meetings(ring, through, 0.01).list.empty());
    VERIFY_AT_MOST(
        std::abs(nearest(MeetingSide(ring), MeetingSide(*line({60, -5, 4}, {60, 5, 4}, {0.001}))).gapMm - 35), 1e-9);
    QVERIFY(meetings(formLine(true, 0.4, 3, 40, 1), formLine(true, 0.4, 5, 60, 2), 0.01).overlap);
  }

  void closedPathsMeetOnceAtTheirSeam() {
    const Path ring = *circle({{0, 0, 0}, Vec3::UnitX(), Vec3::UnitY()}, 50);
    QCOMPARE(meetings(ring, *line({25, 0, -9}, {25, 0, 9}, {0.001}), 0.001).list.size(), size_t(1));
  }

  void monotoneMapsMeetTheirPointsAndNeverTurnBack() {
    const std::vector<double> x{0, 0.2, 0.45, 0.8, 1}, y{0, 30, 34, 70, 71};
    const auto m = MonotoneMap::through(x, y, false);
    VERIFY_OK(m);
    for (size_t i = 0; i < x.size(); ++i) VERIFY_AT_MOST(std::abs((*m)(x[i]) - y[i]), 1e-9);
    for (int k = 0; k < 500; ++k) QVERIFY((*m)((k + 1) / 500.0) > (*m)(k / 500.0));
    for (int n : {2, 3, 4, 7}) {
      std::vector<double> a, b;
      for (int i = 0; i <= n; ++i) a.push_back(double(i) / n), b.push_back(i + 0.2 * std::sin(5.0 * i));
      b[size_t(n)] = b[0] + n;
      const auto p = MonotoneMap::through(a, b, true);
      VERIFY_OK(p);
      for (int i = 0; i < n; ++i) VERIFY_AT_MOST(std::abs((*p)(a[size_t(i)]) - b[size_t(i)]), 1e-9);
      VERIFY_AT_MOST(std::abs((*p)(1.3) - (*p)(0.3) - n), 1e-9); // one turn later
      const double h = 1e-6;
      VERIFY_AT_MOST(std::abs(((*p)(h) - (*p)(0)) - ((*p)(1) - (*p)(1 - h))) / h, 1e-3 * n);
    }
  }

  void aSurfaceAndItsImageBecomeOneWithoutASeam() {
    LoftOptions o;
    o.left = o.right = Meets::Mirror;
    std::vector<Section> sections;
    for (int j = 0; j < 4; ++j) sections.push_back({halfOutline(22.0 * j)});
    const auto half = loft(sections, o, {});
    VERIFY_OK(half);
    const Frame plane{Vec3::Zero(), Vec3::UnitX(), Vec3::UnitZ()};
    for (const auto& sides : {std::vector<Side>{FirstU}, std::vector<Side>{FirstU, LastU}}) {
      const JoinedImage whole = joinedWithImage(half->strips[0], sides, plane, {0.0005});
      VERIFY_AT_MOST(whole.offMm, 0.0005);
      QCOMPARE(whole.surface.closedU(), sides.size() == 2);
      for (int i = 0; i <= 20; ++i)
        for (int j = 0; j <= 10; ++j) {
          const Vec3 p = half->strips[0].at(i / 20.0, j / 10.0);
          VERIFY_AT_MOST(closestPoint(whole.surface, p).distanceMm, 0.001);
          VERIFY_AT_MOST(closestPoint(whole.surface, mirroredPoint(p, plane)).distanceMm, 0.001);
        }
    }
  }

  void manyCrossingsAreNoCommonStretch() {
    Points p(61, 3);
    for (int i = 0; i <= 60; ++i) p.row(i) << 2.0 * i, 5 * std::sin(kPi * (i + 0.4) / 3.6), 0;
    const Path wave = *Path::make({*interpolate(p, {})}, {0.001});
    const Meetings m = meetings(wave, *line({-5, 0, 0}, {130, 0, 0}, {0.001}), 0.001);
    QVERIFY(!m.overlap);
    QCOMPARE(m.list.size(), size_t(16));
  }
};

static test::Register<MeetTest> registeredMeetTest;
#include "meet_test.moc"

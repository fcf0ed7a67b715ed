#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/curves/shapes.h"
#include "nurbs/curves/two_view.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::nurbs;

class TwoViewTest : public QObject {
  Q_OBJECT

  const Frame kFront{Vec3::Zero(), Vec3::UnitX(), Vec3::UnitZ()}; // looked at along y
  const Frame kSide{Vec3::Zero(), Vec3::UnitY(), Vec3::UnitZ()};  // looked at along x

  static Frame at(const Frame& f, double u, double v) { return {f.at(u, v), f.x, f.y}; }

  /// Largest distance of a branch from the outlines, each seen along its plane's normal.
  static double offViews(const TwoViewResult& r, const View& a, const View& b) {
    double worst = 0;
    for (const Path& p : r.branches) {
      const Points pts = polyline(p, 5);
      for (Eigen::Index i = 0; i < pts.rows(); ++i)
        for (const View* v : {&a, &b}) {
          const Vec3 q = pts.row(i).transpose(), seen = q - v->plane.local(q).z() * v->plane.normal();
          double nearest = 1e300;
          for (const Path& c : v->curves) nearest = std::min(nearest, closestPoint(c, seen).distanceMm);
          worst = std::max(worst, nearest);
        }
    }
    return worst;
  }

  static int controlPoints(const TwoViewResult& r) {
    int n = 0;
    for (const Path& p : r.branches)
      for (const Segment& s : p.segments()) n += std::holds_alternative<Spline>(s) ? std::get<Spline>(s).size() : 2;
    return n;
  }

  static double length(const TwoViewResult& r) {
    double l = 0;
    for (const Path& p : r.branches) l += ArcLength(p).total();
    return l;
  }

private slots:
  void openCurvesGiveOneCurveThatLooksLikeBoth() {
    Points p(4, 3), q(5, 3);
    p << 0, 0, 0, 20, 0, 30, 5, 0, 60, 40, 0, 100;
    q << 0, 0, -10, 0, 10, 20, 0, 5, 50, 0, 30, 80, 0, 20, 110;
    const View a{{*Path::make({*interpolate(p, {})}, {0.001})}, kFront},
        b{{*Path::make({*interpolate(q, {})}, {0.001})}, kSide};
    const auto r = twoViewCurve(a, b, {}, {});
    QVERIFY(r.has_value());
    QCOMPARE(r->branches.size(), size_t(1));
    VERIFY_AT_MOST(offViews(*r, a, b), 0.0005);
    // As far as both reach.
    VERIFY_AT_MOST(std::abs(r->branches[0].start().z() * r->branches[0].end().z()), 1e-6);
    VERIFY_AT_MOST(std::abs(std::max(r->branches[0].start().z(), r->branches[0].end().z()) - 100), 1e-3);
  }

  void circlesOfAllSizesGiveTheirTopology() {
    struct Case {
      double d1, d2, lift;
      size_t branches;
      bool closed;
    };
    // Unequal: two saddle-shaped loops; equal: two ellipses that cross twice; one higher: one loop, or one that touches
    // itself; apart: none.
    for (const Case& c : {Case{60, 40, 0, 2, true}, Case{40, 60, 0, 2, true}, Case{50, 50, 0, 2, true},
                          Case{60, 40, 20, 1, true}, Case{60, 40, 10, 1, true}, Case{60, 59.999, 0, 2, true}}) {
      const View a{{*circle(kFront, c.d1)}, kFront}, b{{*circle(at(kSide, 0, c.lift), c.d2)}, kSide};
      const auto r = twoViewCurve(a, b, {}, {});
      QVERIFY(r.has_value());
      qInfo("%g %g %g: %zu branches, %d points, %.2g mm", c.d1, c.d2, c.lift, r->branches.size(), controlPoints(*r),
            offViews(*r, a, b));
      QCOMPARE(r->branches.size(), c.branches);
      for (const Path& p : r->branches) QCOMPARE(p.closed(), c.closed);
      VERIFY_AT_MOST(offViews(*r, a, b), 0.0005);
      if (c.d2 != 59.999) VERIFY_AT_MOST(controlPoints(*r), 452 / 3);
    }
    const View a{{*circle(kFront, 50)}, kFront};
    QCOMPARE(twoViewCurve(a, {{*circle(at(kSide, 0, 50), 50)}, kSide}, {}, {}).error().code, std::string("LM-P004"));
    QCOMPARE(twoViewCurve(a, {{*circle(at(kSide, 0, 60), 50)}, kSide}, {}, {}).error().code, std::string("LM-P002"));
    QCOMPARE(twoViewCurve(a, {{*circle(at(kFront, 0, 10), 50)}, kFront}, {}, {}).error().code, std::string("LM-P001"));
  }

  void equalCylindersMeetInTwoEllipses() {
    const View a{{*circle(kFront, 50)}, kFront}, b{{*circle(kSide, 50)}, kSide};
    const auto r = twoViewCurve(a, b, {}, {});
    QVERIFY(r.has_value());
    for (const Path& p : r->branches) {
      QVERIFY(p.wholeEllipse());
      const auto plane = fitPlane(polyline(p, 8));
      VERIFY_AT_MOST(plane.deviationMm, 0.0005);
      VERIFY_AT_MOST(std::abs(std::abs(plane.frame.normal().x()) - std::sqrt(0.5)), 1e-4);
    }
  }

  void straightOutlinesGiveStraightEdges() {
    // Two boxes with the same top and bottom: twelve edges, the flats' borders among them.
    const View a{{*roundedRectangle(kFront, 40, 30, 0, {0.001})}, kFront},
        b{{*roundedRectangle(kSide, 20, 30, 0, {0.001})}, kSide};
    const auto r = twoViewCurve(a, b, {}, {});
    QVERIFY(r.has_value());
    VERIFY_AT_MOST(std::abs(length(*r) - 4 * (40 + 20 + 30)), 1e-6);
    // Of different height: the lower one's corners cut lines through the higher one, if asked for.
    const View low{{*roundedRectangle(kSide, 20, 10, 0, {0.001})}, kSide};
    const auto bare = twoViewCurve(a, low, {}, {});
    QVERIFY(bare.has_value());
    VERIFY_AT_MOST(std::abs(length(*bare) - 2 * (2 * 20 + 2 * 10)), 1e-6);
    QCOMPARE(bare->branches.size(), size_t(2));
    const auto full = twoViewCurve(a, low, {true}, {});
    VERIFY_AT_MOST(std::abs(length(*full) - 4 * (40 + 20 + 10)), 1e-6);
    for (const Path& p : full->branches)
      for (const Segment& s : p.segments()) QVERIFY(std::holds_alternative<LineSegment>(s));
  }

  void roundedOutlinesKeepTheirJointsAndCornersTheirEdges() {
    const View a{{*roundedRectangle(kFront, 60, 40, 12, {0.001})}, kFront},
        b{{*polygon(at(kSide, 0, 2), 40, 5, 0, {0.001})}, kSide};
    const auto r = twoViewCurve(a, b, {}, {});
    QVERIFY(r.has_value());
    VERIFY_AT_MOST(offViews(*r, a, b), 0.0005);
    size_t corners = 0;
    for (const Path& p : r->branches) corners += p.corners({1.0}).size();
    QVERIFY(corners >= 8);
    for (const Path& p : r->branches) QVERIFY(p.closed());
  }

  void obliqueViewsAndSeveralLoopsWork() {
    const Frame oblique{Vec3(3, 0, 0), Vec3(0.5, std::sqrt(0.75), 0), Vec3::UnitZ()};
    const View a{{*circle(kFront, 60), *circle(at(kFront, 3, 2), 20)}, kFront},
        b{{*circle(at(oblique, 0, 1), 30)}, oblique};
    const auto r = twoViewCurve(a, b, {}, {});
    QVERIFY(r.has_value());
    QVERIFY(r->branches.size() >= 4);
    VERIFY_AT_MOST(offViews(*r, a, b), 0.0005);
  }
};

static test::Register<TwoViewTest> registeredTwoViewTest;
#include "two_view_test.moc"

#include "nurbs/measure/arc_length.h"
#include "nurbs/curves/blend_curve.h"
#include "nurbs/curves/helix.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/measure/least_twist.h"
#include "nurbs/curves/shapes.h"
#include "support/registry.h"

#include <random>

using namespace lumsk;
using namespace lumsk::nurbs;

class BlendCurveTest : public QObject {
  Q_OBJECT

  static BlendEnd endOf(const Path& p, bool last, int continuity, bool reversed) {
    CurveDerivatives d;
    p.derivatives(last ? std::nextafter(p.last(), 0.0) : 0.0, 3, d);
    BlendEnd e = *blendEnd(d, reversed);
    e.continuity = continuity;
    return e;
  }

  static std::pair<Path, Path> wavyPair(int seed) {
    std::mt19937 r(seed);
    std::uniform_real_distribution<double> d(-8, 8);
    Points a(5, 3), b(5, 3);
    for (int i = 0; i < 5; ++i) {
      a.row(i) << 12.0 * i + d(r), d(r), d(r);
      b.row(i) << 90 + 12.0 * i + d(r), 20 + d(r), 15 + d(r);
    }
    InterpolationOptions o;
    o.degree = 5;
    return {*Path::make({*interpolate(a, o)}, {1e-3}), *Path::make({*interpolate(b, o)}, {1e-3})};
  }

private slots:
  void endsAreMetToTheOrderAskedFor() {
    for (int k = 0; k <= 3; ++k)
      for (int m = 0; m <= 3; ++m) {
        const auto [a, b] = wavyPair(3 * k + m);
        const BlendEnd s = endOf(a, true, k, false), e = endOf(b, false, m, false);
        const auto r = blendCurve(s, e, {});
        VERIFY_OK(r);
        for (bool last : {false, true}) {
          CurveDerivatives d;
          r->curve.derivatives(last ? 1.0 : 0.0, 3, d);
          const BlendEnd got = *blendEnd(d, false), &want = last ? e : s;
          const int order = last ? m : k;
          VERIFY_AT_MOST((got.at - want.at).norm(), 1e-9);
          if (order > 0) VERIFY_AT_MOST((got.tangent - want.tangent).norm(), 1e-9);
          if (order > 1) VERIFY_AT_MOST((got.second - want.second).norm(), 1e-9);
          if (order > 2) VERIFY_AT_MOST((got.third - want.third).norm(), 1e-9);
        }
      }
  }

  void magnitudesAreTheFairestOnes() {
    // Against a pattern search over all free magnitudes from many random starts, with an energy of its own.
    const auto energy = [](const Spline& c) {
      double length = 0, sum = 0;
      constexpr int n = 4000;
      CurveDerivatives d;
      for (int i = 0; i < n; ++i) {
        c.derivatives((i + 0.5) / n, 3, d);
        const double v = d[1].norm(), h = 1.0 / n;
        // dk/ds and torsion by the textbook formulas; the rate of the curvature vector across the tangent is both.
        const double k = curvature(d), t = torsion(d);
        const Vec3 w = d[1].cross(d[2]);
        const double dk = w.dot(d[1].cross(d[3])) / (w.norm() * std::pow(v, 3)) - 3 * k * d[1].dot(d[2]) / (v * v);
        length += v * h;
        sum += (std::pow(dk / v, 2) + k * k * t * t) * v * h;
      }
      return length * length * length * sum;
    };
    for (int seed = 1; seed <= 3; ++seed)
      for (int k : {1, 2, 3}) {
        const auto [a, b] = wavyPair(seed);
        const BlendEnd s = endOf(a, true, k, false), e = endOf(b, false, k, false);
        const auto r = blendCurve(s, e, {});
        VERIFY_OK(r);
        const double got = energy(r->curve);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> u(-1, 1);
        const double chord = (e.at - s.at).norm();
        double best = 1e300;
        for (int start = 0; start < 4; ++start) {
          std::array<double, 6> x{0.6 + 0.4 * u(random), u(random), u(random),
                                  0.6 + 0.4 * u(random), u(random), u(random)};
          const auto value = [&](const std::array<double, 6>& q) {
            if (q[0] < 0.05 || q[3] < 0.05 || q[0] > 7 || q[3] > 7) return 1e300;
            return curvatureVariation(blendWith(s, e, {q[0] * chord, 6 * q[1] * chord, 30 * q[2] * chord},
                                                {q[3] * chord, 6 * q[4] * chord, 30 * q[5] * chord}));
          };
          double v = value(x), step = 0.5;
          for (int turn = 0; turn < 800 && step > 1e-5; ++turn) {
            bool moved = false;
            for (int i = 0; i < 6; ++i)
              for (double side : {-1.0, 1.0}) {
                auto y = x;
                y[i] += side * step;
                if (const double w = value(y); w < v) x = y, v = w, moved = true;
              }
            if (!moved) step *= 0.5;
          }
          best = std::min(best, energy(blendWith(s, e, {x[0] * chord, 6 * x[1] * chord, 30 * x[2] * chord},
                                                 {x[3] * chord, 6 * x[4] * chord, 30 * x[5] * chord})));
        }
        QVERIFY2(got <= 1.01 * best,
                 qPrintable(QString("G%1 seed %2: %3 against %4").arg(k).arg(seed).arg(got).arg(best)));
      }
  }

  void aBlendOfACircleGoesOnInIt() {
    const Path c = *arc({}, 40, 0, 60, {1e-3}), d = *arc({}, 40, 130, 200, {1e-3});
    const auto r = blendCurve(endOf(c, true, 2, false), endOf(d, false, 2, false), {});
    VERIFY_OK(r);
    for (int i = 0; i <= 20; ++i) VERIFY_AT_MOST(std::abs(r->curve.at(i / 20.0).norm() - 40), 0.01);
    VERIFY_AT_MOST(r->energy, 0.05);
  }

  void pullsLengthenAndBadEndsAreRefused() {
    const auto [a, b] = wavyPair(7);
    BlendEnd s = endOf(a, true, 2, false), e = endOf(b, false, 2, false);
    const auto fair = blendCurve(s, e, {});
    s.pull = 2;
    const auto pulled = blendCurve(s, e, {});
    VERIFY_AT_MOST(std::abs(pulled->start.first - 2 * fair->start.first), 1e-9);
    QVERIFY(pulled->energy >= fair->energy);
    CurveDerivatives d;
    pulled->curve.derivatives(0, 3, d);
    VERIFY_AT_MOST((blendEnd(d, false)->second - s.second).norm(), 1e-9);
    s.pull = 20;
    QCOMPARE(blendCurve(s, e, {}).error().code, std::string("LM-P012"));
    s.pull = 1;
    e.at = s.at;
    QCOMPARE(blendCurve(s, e, {}).error().code, std::string("LM-P011"));
  }

  void helixStaysWithinItsToleranceOnFewPoints() {
    HelixOptions o;
    o.radiusMm = o.endRadiusMm = 30;
    o.turns = 20;
    o.heightMm = 200;
    o.startAngleDeg = 25;
    for (bool left : {false, true}) {
      o.leftHanded = left;
      const auto h = helix(o, {});
      VERIFY_OK(h);
      VERIFY_AT_MOST(h->size(), 160);
      for (int i = 0; i <= 5000; ++i) {
        const Vec3 p = h->at(i / 5000.0);
        // Distance from the true helix, near the place of the same height.
        const double angle = radFromDeg(25) + (left ? -1 : 1) * 0.0 + p.z() / 200 * 2 * kPi * 20;
        const Vec3 q(30 * std::cos(angle), (left ? -1 : 1) * 30 * std::sin(angle), p.z());
        VERIFY_AT_MOST((p - q).norm(), 1.0001e-5);
      }
      VERIFY_AT_MOST(std::abs(h->at(1).z() - 200), 1e-9);
    }
  }

  void conesSpiralsAndCurvedCentreLinesAreFollowed() {
    HelixOptions o;
    o.radiusMm = 5, o.endRadiusMm = 25, o.turns = 4, o.heightMm = 0;
    const auto flat = helix(o, {});
    VERIFY_OK(flat);
    VERIFY_AT_MOST(std::abs(flat->at(1).norm() - 25), 1e-4);
    o.heightMm = 60;
    const auto cone = helix(o, {});
    VERIFY_OK(cone);
    for (int i = 0; i <= 1000; ++i) {
      const Vec3 p = cone->at(i / 1000.0);
      VERIFY_AT_MOST(std::abs(p.head<2>().norm() - (5 + p.z() / 3)), 2e-5);
    }
    const Path ring = *arc({}, 60, 0, 200, {1e-3});
    o.axis = &ring;
    o.radiusMm = o.endRadiusMm = 8;
    const auto around = helix(o, {});
    VERIFY_OK(around);
    for (int i = 0; i <= 1000; ++i) {
      const Vec3 p = around->at(i / 1000.0);
      VERIFY_AT_MOST(std::abs(std::hypot(p.head<2>().norm() - 60, p.z()) - 8), 2e-5);
    }
    o.radiusMm = o.endRadiusMm = 70;
    QCOMPARE(helix(o, {}).error().code, std::string("LM-P024"));
    o.axis = nullptr;
    o.heightMm = 0;
    QCOMPARE(helix(o, {}).error().code, std::string("LM-P023"));
    o.radiusMm = o.endRadiusMm = 0;
    QCOMPARE(helix(o, {}).error().code, std::string("LM-P021"));
    o.radiusMm = 5, o.turns = 0;
    QCOMPARE(helix(o, {}).error().code, std::string("LM-P022"));
  }

  void framesTurnNoMoreThanTheyMust() {
    // Along a helix the frame of least twist turns against the principal normal by the total torsion.
    HelixOptions o;
    o.radiusMm = o.endRadiusMm = 20, o.turns = 2, o.heightMm = 50;
    const Path p = *Path::make({*helix(o, {})}, {1e-3});
    const LeastTwist frames(p, Vec3::UnitX());
    const double c = 50 / (2 * 2 * kPi), torsion = c / (400 + c * c), total = torsion * ArcLength(p).total();
    const Frame f = frames.at(1.0);
    const Vec3 inwards(-1, 0, 0); // the principal normal at both ends; x started against it
    const double turned = std::atan2(f.x.cross(-inwards).dot(f.normal()), f.x.dot(-inwards));
    VERIFY_AT_MOST(std::abs(std::remainder(turned - total, 2 * kPi)), 1e-5);
  }
};

static test::Register<BlendCurveTest> registeredBlendCurveTest;
#include "blend_curve_test.moc"

#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/fit/fit.h"
#include "nurbs/curves/shapes.h"
#include "support/registry.h"
#include <Eigen/LU>

using namespace lumsk;
using namespace lumsk::nurbs;

class FitTest : public QObject {
  Q_OBJECT
private slots:
  void fittedCurvesStayWithinTheTolerance() {
    for (const Path& p : {*circle({}, 90), *ellipse({}, 90, 40, {0.001}), *roundedRectangle({}, 80, 50, 12, {0.001})}) {
      const auto c = fitPath(p, {});
      VERIFY_OK(c);
      double worst = 0;
      for (int i = 0; i < 3000; ++i) worst = std::max(worst, closestPoint(p, c->at(i / 3000.0)).distanceMm);
      VERIFY_AT_MOST(worst, 0.0005);
      CurveDerivatives a, b;
      c->derivatives(0, 2, a);
      c->derivatives(1, 2, b);
      VERIFY_AT_MOST((a[2] - b[2]).norm(), 1e-6 * a[2].norm());
    }
  }

  void circlesNeedFewControlPoints() {
    const auto c = fitPath(*circle({}, 90), {});
    VERIFY_AT_MOST(c->size(), 17);
  }

  void knotRemovalMakesFitsLeaner() {
    const Path p = *roundedRectangle({}, 80, 50, 12, {0.001});
    LeanOptions plain, lean;
    lean.removeKnots = true;
    const auto a = fitPath(p, plain), b = fitPath(p, lean);
    VERIFY_OK(b);
    VERIFY_AT_MOST(b->size(), a->size() - 1);
    for (int i = 0; i < 1000; ++i) VERIFY_AT_MOST(closestPoint(p, b->at(i / 1000.0)).distanceMm, 0.0007);
  }

  void fairingTakesTheWavesOutWithinTheTolerance() {
    // A smooth curve with a little noise, as measured points have it.
    for (const bool closed : {false, true}) {
      CurveFamily f;
      f.curves = 2;
      f.closed = closed;
      f.sample = [](double t, double* out) {
        const double a = 2 * kPi * t, noise = 0.004 * std::sin(37 * a) + 0.003 * std::cos(53 * a);
        for (int k = 0; k < 2; ++k) {
          out[3 * k] = (40 + 5 * k) * std::cos(a) + noise, out[3 * k + 1] = 25 * std::sin(a) + 3 * std::sin(2 * a),
                  out[3 * k + 2] = 4 * std::cos(2 * a) - noise;
        }
      };
      LeanOptions o;
      o.degree = 4;
      o.fit = {0.02};
      o.firstSpans = 160; // enough to follow the noise
      const auto plain = fitLean(f, o);
      VERIFY_OK(plain);
      o.fair = true;
      const auto fair = fitLean(f, o);
      VERIFY_OK(fair);
      VERIFY_AT_MOST(fair->deviationMm, 0.02);
      const auto roughness = [](const LeanFit& fit) {
        double sum = 0;
        for (int i = 0; i < 4000; ++i) {
          CurveDerivatives d;
          fit.curve(0).derivatives((i + 0.5) / 4000, 3, d);
          sum += d[3].squaredNorm() / 4000;
        }
        return sum;
      };
      VERIFY_AT_MOST(roughness(*fair), 0.8 * roughness(*plain));
      QCOMPARE(fair->controls.rows(), plain->controls.rows());
      if (closed) VERIFY_AT_MOST((fair->curve(1).tangent(0) - fair->curve(1).tangent(1)).norm(), 1e-6);
      if (!closed) VERIFY_AT_MOST((fair->curve(0).at(0) - plain->curve(0).at(0)).norm(), 1e-12);
    }
  }

  void bandedSolversAgreeWithDenseOnes() {
    for (bool cyclic : {false, true}) {
      const int n = 17, b = 4;
      BandedSpd A(n, b, cyclic);
      Eigen::MatrixXd D = Eigen::MatrixXd::Zero(n, n);
      for (int i = 0; i < n; ++i)
        for (int k = 0; k <= b; ++k) {
          const int j = cyclic ? (i + k) % n : i + k;
          if (j >= n) continue;
          const double v = k == 0 ? 20.0 + i : std::sin(3.0 * i + k);
          A.add(i, j, v);
          D(i, j) = v;
          D(j, i) = v;
        }
      Rows rhs = Rows::Random(n, 5);
      const Eigen::MatrixXd expected = D.inverse() * rhs;
      QVERIFY(A.factor());
      A.solve(rhs);
      VERIFY_AT_MOST((rhs - expected).norm(), 1e-12);
    }
  }

  void impossibleFitsSayHowFarTheyGot() {
    CurveFamily corner;
    corner.curves = 1;
    corner.sample = [](double t, double* out) { Eigen::Map<Vec3>(out, 3) = Vec3(t * 50, std::abs(t - 0.37) * 50, 0); };
    LeanOptions o;
    o.maxSpans = 40;
    o.fit = {1e-6};
    const auto fit = fitLean(corner, o);
    QVERIFY(!fit);
    QCOMPARE(fit.error().code, std::string("LM-G101"));
    QVERIFY(fit.error().measured->value > 1e-6);
  }
};

static test::Register<FitTest> registeredFitTest;
#include "fit_test.moc"

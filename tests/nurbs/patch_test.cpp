#include "nurbs/closest.h"
#include "nurbs/interpolate.h"
#include "nurbs/patch_fit.h"
#include "nurbs/surface_curves.h"
#include "shapes/vessels.h"
#include "support/registry.h"

#include <QElapsedTimer>

using namespace lumsk;
using namespace lumsk::nurbs;
using namespace lumsk::test;

/// Patches between neighbours, measured against them by code that does not build them.
class PatchTest : public QObject {
  Q_OBJECT

  /// A wavy form, 160 mm wide, by control points at the Greville abscissae.
  static Surface form(double height, int spans, double wave = 0.3) {
    const Knots U = uniformKnots(5, spans);
    const auto g = greville(U, 5);
    Points grid(Eigen::Index(g.size() * g.size()), 3);
    for (size_t i = 0; i < g.size(); ++i)
      for (size_t j = 0; j < g.size(); ++j) {
        const double x = 160 * g[i] - 80, y = 160 * g[j] - 80;
        grid.row(Eigen::Index(i * g.size() + j)) << x, y,
            height * (std::cos(0.03 * x + 0.2) * std::cos(0.025 * y) + wave * std::sin(0.05 * (x + y)));
      }
    return Surface::trusted(5, 5, U, U, grid, false);
  }
  /// The curve on a surface over a straight or bent line in its parameters.
  static Path over(const Surface& s, const Vec2& a, const Vec2& b, double bulge) {
    Points p(81, 3);
    for (int i = 0; i <= 80; ++i) {
      const double t = i / 80.0;
      const Vec2 n(-(b - a).y(), (b - a).x());
      const Vec2 x = a + t * (b - a) + bulge * 4 * t * (1 - t) * n;
      p.row(i) = s.at(x.x(), x.y()).transpose();
    }
    InterpolationOptions o;
    o.degree = 5;
    return *Path::make({*interpolate(p, o)}, {0.001});
  }

private slots:
  void probe() {
    for (double wave : {0.0, 0.1, 0.3}) {
    const Surface s = form(14, 8, wave);
    const NearestOnSurface near(s);
    const Neighbour fast = [&](const Vec3& p) -> std::optional<NeighbourPlace> {
      const auto f = near.foot(p);
      NeighbourPlace n{{}, f.normal, f.distanceMm};
      s.derivatives(f.uv.x(), f.uv.y(), 3, n.d);
      return n;
    };
    const std::array<Vec2, 4> c{Vec2(0.2, 0.22), Vec2(0.78, 0.18), Vec2(0.8, 0.8), Vec2(0.24, 0.76)};
    std::array<Path, 4> path;
    std::array<std::optional<ArcLength>, 4> length;
    for (PatchMeets m : {PatchMeets::G0, PatchMeets::G1, PatchMeets::G2, PatchMeets::G3}) {
      std::array<PatchSide, 4> sides;
      for (int k = 0; k < 4; ++k) {
        const int a = k < 2 ? k : k == 2 ? 3 : 0, b = k < 2 ? k + 1 : k == 2 ? 2 : 3;
        path[size_t(k)] = over(s, c[size_t(a)], c[size_t(b)], 0.06);
        length[size_t(k)].emplace(path[size_t(k)]);
        PatchSide& side = sides[size_t(k)];
        side.path = &path[size_t(k)];
        side.length = &*length[size_t(k)];
        side.ends = {path[size_t(k)].start(), path[size_t(k)].end()};
        side.meets = m;
        if (m != PatchMeets::G0) side.neighbour = fast;
      }
      QElapsedTimer timer;
      timer.start();
      const auto r = fitPatch(sides, {}, {});
      VERIFY_OK(r);
      SkinJoin worst;
      double gap = 0;
      for (int k = 0; k < 4; ++k) worst.take(r->joins[size_t(k)], {}), gap = std::max(gap, r->gapMm[size_t(k)]);
      double off = 0;
      for (int i = 1; i < 10; ++i)
        for (int j = 1; j < 10; ++j) off = std::max(off, closestPoint(s, r->surface.at(i / 10.0, j / 10.0)).distanceMm);
      qInfo("order %d: %d x %d points, gap %.2g, %.5f degree, %.4f %%, %.3f %%, corners %d, inside %.4f, %d ms", int(m), r->surface.sizeU(), r->surface.sizeV(), gap,
            worst.angleDeg, 100 * worst.curvature, 100 * worst.rate, int(r->corners.size()), off, int(timer.elapsed()));
    }
    }
  }
};

static test::Register<PatchTest> registeredPatchTest;
#include "patch_test.moc"

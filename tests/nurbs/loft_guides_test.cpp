#include "nurbs/measure/closest.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/loft/loft.h"
#include "nurbs/curves/shapes.h"
#include "nurbs/fit/spaces.h"
#include "shapes/vessels.h"
#include "support/registry.h"

#include <random>

using namespace lumsk;
using namespace lumsk::nurbs;
using namespace lumsk::test;

/// Lofts along guides, around, and with sides that flow into neighbours.
class LoftGuidesTest : public QObject {
  Q_OBJECT

  static Path pathOf(Spline c) { return *Path::make({std::move(c)}, {1e-3}); }

  /// A smooth skin of 200 x 200 mm around a part of which lofts are made.
  static Surface field(int seed) {
    std::mt19937 r{unsigned(seed)};
    std::uniform_real_distribution<double> d(-1, 1);
    const Knots U = uniformKnots(5, 3), V = uniformKnots(5, 3);
    const auto gu = greville(U, 5), gv = greville(V, 5);
    Points grid(Eigen::Index(gu.size() * gv.size()), 3);
    for (size_t i = 0; i < gu.size(); ++i)
      for (size_t j = 0; j < gv.size(); ++j)
        grid.row(Eigen::Index(i * gv.size() + j)) << 200 * gu[i] + 3 * d(r), 200 * gv[j] + 3 * d(r), 14 * d(r);
    return Surface::trusted(5, 5, U, V, grid, false);
  }
  static std::vector<Section> sectionsOf(const Surface& s, int n) {
    std::vector<Section> out;
    for (int i = 0; i < n; ++i) out.push_back({pathOf(s.isoV(s.firstV() + (s.lastV() - s.firstV()) * i / (n - 1)))});
    return out;
  }
  /// A curve along v of a surface, moved between sections where they are not to change.
  static Path guideOf(const Surface& s, double u, int sections, double bulge) {
    const Spline c = s.isoU(u);
    Points p(161, 3);
    for (int i = 0; i <= 160; ++i) {
      const double v = i / 160.0, wave = std::sin(kPi * v * (sections - 1));
      p.row(i) =
          (c.at(c.first() + (c.last() - c.first()) * v) + bulge * wave * wave * wave * Vec3(0.2, 0, 1)).transpose();
    }
    return pathOf(*interpolate(p, {}));
  }
  static double worstFrom(const Path& p, const Surface& s) {
    double worst = 0;
    for (int i = 0; i <= 60; ++i) worst = std::max(worst, closestPoint(s, p.at(p.last() * i / 60.0)).distanceMm);
    return worst;
  }

private slots:
  void skinsFollowAnyNumberOfGuides() {
    for (int seed = 1; seed <= 3; ++seed) {
      const Surface s = portion(field(seed), 0.25, 0.75, 0.25, 0.75);
      const int n = 3 + seed;
      const std::vector<Section> sections = sectionsOf(s, n);
      for (const std::vector<double>& at : std::vector<std::vector<double>>{
               {0.4}, {0, 1}, {0.2, 0.9}, {0, 0.3, 0.6, 1}, {0, .1, .25, .4, .5, .6, .8, .9, 1}})
        for (double bulge : {0.0, 2.5}) {
          LoftOptions o;
          double sign = 1;
          for (double u : at) o.guides.push_back(guideOf(s, u, n, bulge * (sign = -sign)));
          if (seed == 2) std::reverse(o.guides.begin(), o.guides.end());
          const auto r = loft(sections, o, {});
          VERIFY_OK(r);
          VERIFY_AT_MOST(r->guideDeviationMm, 0.0005);
          for (size_t g = 0; g < at.size(); ++g) {
            VERIFY_AT_MOST(worstFrom(o.guides[g], r->strips[0]), 0.0005);
            VERIFY_AT_MOST(r->guideGapMm[g], 1e-4);
          }
          for (const Section& x : sections) VERIFY_AT_MOST(worstFrom(*x.path(), r->strips[0]), 0.0006);
          if (at.size() <= 4) VERIFY_AT_MOST(r->strips[0].controlPoints(), bulge == 0 ? 300 : 1000);
          // Without bulges the guides are what the skin is anyway, or nearly.
          if (bulge == 0 && at.size() == 4)
            for (int k = 1; k < 20; ++k)
              VERIFY_AT_MOST(closestPoint(s, r->strips[0].at(k / 20.0, 0.37)).distanceMm, 0.2);
        }
    }
  }

  void guidesNeedNotTouchAndSayByHowMuch() {
    const Surface s = portion(field(4), 0.25, 0.75, 0.25, 0.75);
    const auto sections = sectionsOf(s, 4);
    LoftOptions o;
    o.guides = {transformed(guideOf(s, 0.5, 4, 1.0), Eigen::Isometry3d(Eigen::Translation3d(0, 0, 0.3)))};
    auto r = loft(sections, o, {});
    QVERIFY(!r && r.error().code == "LM-L020" && !r.error().where.empty());
    QVERIFY(std::abs(r.error().measured->value - 0.3) < 0.02);
    o.largestGap = {0.5};
    r = loft(sections, o, {});
    VERIFY_OK(r);
    QVERIFY(r->guideGapMm[0] > 0.25 && r->guideGapMm[0] < 0.31);
    VERIFY_AT_MOST(r->guideDeviationMm, 0.32);
    for (const Section& x : sections) VERIFY_AT_MOST(worstFrom(*x.path(), r->strips[0]), 0.0006);
  }

  void closedAndCorneredSectionsFollowGuides() {
    const auto ring = [](double z, double size, double turn) {
      Frame f{{0, 0, z}, {std::cos(turn), std::sin(turn), 0}, {-std::sin(turn), std::cos(turn), 0}};
      return Section{*circle(f, size)};
    };
    // Starts turned against one another: the guide brings them together.
    const std::vector<Section> rings{ring(0, 60, 0), ring(30, 70, 1.0), ring(60, 60, 2.0), ring(90, 50, 4.0)};
    for (int count : {1, 2, 3, 5}) {
      LoftOptions o;
      for (int g = 0; g < count; ++g) {
        const double a = 2 * kPi * (g + 0.13 * (g % 2)) / count;
        Points p(41, 3);
        const double size[4] = {30, 35, 30, 25};
        for (int i = 0; i <= 40; ++i) {
          const double z = 90.0 * i / 40, x = 3.0 * i / 40;
          // Through the four radii, wavy between them.
          double rr = 0;
          for (int k = 0; k < 4; ++k) {
            double l = size[k];
            for (int m = 0; m < 4; ++m)
              if (m != k) l *= (x - m) / (k - m);
            rr += l;
          }
          rr += 1.5 * std::pow(std::sin(kPi * x), 2);
          p.row(i) << rr * std::cos(a), rr * std::sin(a), z;
        }
        o.guides.push_back(pathOf(*interpolate(p, {})));
      }
      const auto r = loft(rings, o, {});
      VERIFY_OK(r);
      QVERIFY(r->strips[0].closedU());
      for (const Path& g : o.guides) VERIFY_AT_MOST(worstFrom(g, r->strips[0]), 0.0006);
      for (const Section& x : rings) VERIFY_AT_MOST(worstFrom(*x.path(), r->strips[0]), 0.0006);
      for (int j = 0; j <= 20; ++j) {
        SurfaceDerivatives a, b;
        r->strips[0].derivatives(0, j / 20.0, 2, a);
        r->strips[0].derivatives(1, j / 20.0, 2, b);
        VERIFY_AT_MOST((a(1, 0) - b(1, 0)).norm() / a(1, 0).norm(), 1e-6);
        VERIFY_AT_MOST((a(2, 0) - b(2, 0)).norm() / a(2, 0).norm(), 1e-3);
      }
    }
    // Squares: a guide over one corner, one over the middle of a side.
    const auto square = [](double z, double size) { return Section{*polygon(levelAt(z), size, 4, 0, {0.001})}; };
    const std::vector<Section> squares{square(0, 60), square(40, 60), square(80, 60)};
    const auto bowed = [](const Vec3& a, const Vec3& out) {
      Points p(33, 3);
      for (int i = 0; i <= 32; ++i) {
        const double z = 80.0 * i / 32;
        p.row(i) = (a + Vec3(0, 0, z) + std::pow(std::sin(kPi * z / 40), 2) * out).transpose();
      }
      return pathOf(*interpolate(p, {}));
    };
    const Path& base = *squares[0].path();
    LoftOptions o;
    o.guides = {bowed(base.at(1), 3 * base.at(1).normalized()), bowed(base.at(2.5), 2 * base.at(2.5).normalized())};
    const auto r = loft(squares, o, {});
    VERIFY_OK(r);
    QCOMPARE(r->strips.size(), size_t(4));
    for (const Path& g : o.guides) {
      double worst = 0;
      for (int i = 0; i <= 40; ++i) {
        double d = 1e300;
        for (const Surface& s : r->strips) d = std::min(d, closestPoint(s, g.at(g.last() * i / 40.0)).distanceMm);
        worst = std::max(worst, d);
      }
      VERIFY_AT_MOST(worst, 0.0006);
    }
    for (size_t k = 0; k < 4; ++k)
      for (int j = 0; j <= 20; ++j)
        VERIFY_AT_MOST((r->strips[k].at(1, j / 20.0) - r->strips[(k + 1) % 4].at(0, j / 20.0)).norm(), 1e-6);
  }

  void outerGuidesFlowIntoNeighbours() {
    for (int seed = 1; seed <= 3; ++seed) {
      const Surface whole = field(seed);
      const Surface s = portion(whole, 0.3, 0.7, 0.25, 0.75);
      const Surface left = portion(whole, 0.0, 0.3, 0.1, 0.9), right = portion(whole, 0.7, 1.0, 0.1, 0.9);
      const auto sections = sectionsOf(s, 6);
      for (int inner : {0, 2})
        for (Meets kind : {Meets::G1, Meets::G2, Meets::G3}) {
          LoftOptions o;
          o.guides = {guideOf(s, 0, 6, 0)};
          for (int g = 0; g < inner; ++g) o.guides.push_back(guideOf(s, 0.35 + 0.3 * g, 6, 0.0));
          o.guides.push_back(guideOf(s, 1, 6, 0));
          o.left = o.right = LoftEndOptions(kind);
          o.left.neighbour = beside(left), o.right.neighbour = beside(right);
          const auto r = loft(sections, o, {});
          VERIFY_OK(r);
          const Surface& t = r->strips[0];
          const double floor = 1.0 / (10 * 140.0);
          double angle = 0, bend = 0, rate = 0;
          for (int i = 1; i < 40; ++i)
            for (double u : {0.0, 1.0}) {
              SurfaceDerivatives d, e;
              t.derivatives(u, i / 40.0, 3, d);
              const Surface& other = u == 0 ? left : right;
              const auto c = closestPoint(other, d(0, 0));
              VERIFY_AT_MOST(c.distanceMm, 0.001);
              other.derivatives(c.u, c.v, 3, e);
              const Vec3 n = t.normal(u, i / 40.0);
              Vec3 m = other.normal(c.u, c.v);
              if (n.dot(m) < 0) m = -m;
              angle = std::max(angle, degFromRad(angleBetweenRad(n, m)));
              const Vec3 x = n.cross(d(0, 1)).normalized(), y = (x - x.dot(m) * m).normalized();
              const NormalSection a = normalSection(d, n, x), b = normalSection(e, m, y);
              bend = std::max(bend, std::abs(a.curvature - b.curvature) /
                                        std::max({std::abs(a.curvature), std::abs(b.curvature), floor}));
              rate = std::max(rate, std::abs(a.rate - b.rate) /
                                        std::max({std::abs(a.rate), std::abs(b.rate), floor * floor}));
            }
          qInfo("seed %d, %d inner, order %d: %d points, %.4f degree, %.3f %%, %.2f %%", seed, inner,
                kind == Meets::G1   ? 1
                : kind == Meets::G2 ? 2
                                      : 3,
                t.controlPoints(), angle, 100 * bend, 100 * rate);
          VERIFY_AT_MOST(angle, 0.01);
          if (kind != Meets::G1) VERIFY_AT_MOST(bend, 0.01);
          if (kind == Meets::G3) VERIFY_AT_MOST(rate, 0.05);
          for (const Path& g : o.guides) VERIFY_AT_MOST(worstFrom(g, t), 0.0006);
          for (const Section& x : sections) VERIFY_AT_MOST(worstFrom(*x.path(), t), 0.0006);
        }
    }
  }

  void endsAndGuidesAgreeOrAreRefused() {
    for (int seed = 1; seed <= 2; ++seed) {
      const Surface whole = field(seed);
      const Surface s = portion(whole, 0.25, 0.75, 0.25, 0.75), below = portion(whole, 0.1, 0.9, 0.0, 0.25);
      const auto sections = sectionsOf(s, 3);
      for (Meets kind : {Meets::G1, Meets::G2, Meets::G3}) {
        LoftOptions o;
        for (double u : {0.0, 0.45, 0.8}) o.guides.push_back(pathOf(s.isoU(u)));
        o.start = kind;
        o.start.neighbour = beside(below);
        const auto r = loft(sections, o, {});
        VERIFY_OK(r);
        VERIFY_AT_MOST(r->join.worst({}), 1.0);
        for (const Path& g : o.guides) VERIFY_AT_MOST(worstFrom(g, r->strips[0]), 0.0006);
        for (int i = 1; i < 26; ++i) {
          SurfaceDerivatives d;
          r->strips[0].derivatives(i / 26.0, 0, 3, d);
          const auto c = closestPoint(below, d(0, 0));
          const double turn = degFromRad(angleBetweenRad(below.normal(c.u, c.v), r->strips[0].normal(i / 26.0, 0)));
          VERIFY_AT_MOST(std::min(turn, 180 - turn), 0.01);
        }
        // A guide that leaves elsewhere contradicts the end.
        Points p(3, 3);
        for (int i = 0; i < 3; ++i) p.row(i) = s.at(0.6, 0.5 * i).transpose();
        o.guides = {pathOf(*interpolate(p, {2}))};
        const auto bad = loft(sections, o, {});
        QVERIFY(!bad && bad.error().code == "LM-L026" && !bad.error().where.empty());
      }
    }
    // Square ends, and a rounded point, along guides of a bulb.
    const std::vector<Section> bulb{{Vec3(0, 0, 0)}, {*circle(levelAt(20), 60)}, {*circle(levelAt(50), 60)}};
    for (int count : {1, 2, 3}) {
      LoftOptions o;
      o.start = o.end = Meets::Perpendicular;
      for (int g = 0; g < count; ++g) {
        const double a = 2 * kPi * g / count;
        const Vec3 out(std::cos(a), std::sin(a), 0);
        // Leaves the point level and the last ring upright.
        Points p(4, 3);
        p.row(0) = Vec3::Zero().transpose();
        p.row(1) = (22 * out).transpose();
        p.row(2) = (30 * out + Vec3(0, 0, 8)).transpose();
        p.row(3) = (30 * out + Vec3(0, 0, 20)).transpose();
        Spline low = Spline::trusted(3, uniformKnots(3, 1), p, false);
        Points q(4, 3);
        for (int i = 0; i < 4; ++i)
          q.row(i) = ((30 + (i % 3 ? 2.0 : 0.0) * 0) * out + Vec3(0, 0, 20 + 10.0 * i)).transpose();
        Spline high = Spline::trusted(3, uniformKnots(3, 1), q, false);
        o.guides.push_back(*Path::make({low, high}, {1e-3}));
      }
      const auto r = loft(bulb, o, {});
      VERIFY_OK(r);
      for (const Path& g : o.guides) VERIFY_AT_MOST(worstFrom(g, r->strips[0]), 0.0006);
      for (int i = 0; i < 24; ++i) {
        SurfaceDerivatives d;
        r->strips[0].derivatives(i / 24.0, 0, 1, d);
        VERIFY_AT_MOST(std::abs(d(0, 1).normalized().z()), 1e-4);
        VERIFY_AT_MOST(std::abs(r->strips[0].normal(i / 24.0, 1).z()), 1.8e-4);
      }
    }
  }

  void loftsRunAround() {
    std::vector<Section> ring;
    const int n = 7;
    for (int i = 0; i < n; ++i) {
      const double a = 2 * kPi * i / n, turn = 0.9 * i;
      const Vec3 out(std::cos(a), std::sin(a), 0), x = std::cos(turn) * out + std::sin(turn) * Vec3::UnitZ();
      ring.push_back({*circle({60 * out, x, Vec3(std::sin(a), -std::cos(a), 0).cross(x)}, 20 + 4 * std::sin(a))});
    }
    LoftOptions o;
    o.around = true;
    for (bool guided : {false, true}) {
      if (guided) {
        Points p(120, 3);
        for (int i = 0; i < 120; ++i) {
          const double a = 2 * kPi * i / 120, r = 70 + 2 * std::sin(a) + 0.8 * std::pow(std::sin(3.5 * a), 2);
          p.row(i) << r * std::cos(a), r * std::sin(a), 0;
        }
        InterpolationOptions closed;
        closed.closed = true;
        o.guides = {pathOf(*interpolate(p, closed))};
      }
      const auto r = loft(ring, o, {});
      VERIFY_OK(r);
      const Surface& s = r->strips[0];
      for (const Section& x : ring) VERIFY_AT_MOST(worstFrom(*x.path(), s), 0.0006);
      if (guided) VERIFY_AT_MOST(worstFrom(o.guides[0], s), 0.0006);
      // Smooth where the last meets the first, to second order; and no more twist there than elsewhere.
      for (int i = 0; i < 24; ++i) {
        SurfaceDerivatives a, b;
        s.derivatives(i / 24.0, 0, 2, a);
        s.derivatives(i / 24.0, 1, 2, b);
        VERIFY_AT_MOST((a(0, 0) - b(0, 0)).norm(), 1e-9);
        VERIFY_AT_MOST((a(0, 1) - b(0, 1)).norm() / a(0, 1).norm(), 1e-6);
        VERIFY_AT_MOST((a(0, 2) - b(0, 2)).norm() / a(0, 2).norm(), 1e-4);
      }
    }
    const auto code = [&](const std::vector<Section>& s) {
      const auto r = loft(s, o, {});
      return r ? std::string() : r.error().code;
    };
    o.guides.clear();
    QCOMPARE(code({ring[0], ring[3]}), std::string("LM-L027"));
    o.end = Meets::Perpendicular;
    QCOMPARE(code(ring), std::string("LM-L012"));
    o.end = Meets::Free;
    QCOMPARE(code({{Vec3(0, 0, 0)}, ring[0], ring[3]}), std::string("LM-L003"));
    // A strip that turns by half around.
    std::vector<Section> strip;
    for (int i = 0; i < n; ++i) {
      const double a = 2 * kPi * i / n, h = 0.5 * a;
      const Vec3 out(std::cos(a), std::sin(a), 0), d = std::cos(h) * out + std::sin(h) * Vec3::UnitZ();
      strip.push_back({*line(60 * out - 8 * d, 60 * out + 8 * d, {0.001})});
    }
    QCOMPARE(code(strip), std::string("LM-L028"));
  }

  void wrongGuidesAreExplained() {
    const Surface s = portion(field(6), 0.25, 0.75, 0.25, 0.75);
    const auto sections = sectionsOf(s, 4);
    const auto code = [&](std::vector<Path> guides) {
      LoftOptions o;
      o.guides = std::move(guides);
      const auto r = loft(sections, o, {});
      if (!r && r.error().where.empty()) return std::string("no place");
      return r ? std::string() : r.error().code;
    };
    const Path good = guideOf(s, 0.5, 4, 0);
    QCOMPARE(code({good}), std::string());
    QCOMPARE(code({*pathPortion(good, 0.0, 0.7 * good.last(), {1e-3})}), std::string("LM-L020"));
    QCOMPARE(code({good, good}), std::string("LM-L024"));
    QCOMPARE(
        code({*Path::make(
            {LineSegment{s.at(0.5, 0), s.at(0.6, 1.0 / 3)}, LineSegment{s.at(0.6, 1.0 / 3), s.at(0.5, 1)}}, {1e-3})}),
        std::string("LM-L023"));
    // There and back over the first section.
    Points p(5, 3);
    p << s.at(0.3, 0.1).transpose(), s.at(0.35, 0.0).transpose(), (s.at(0.42, 0) + Vec3(0, -15, 0)).transpose(),
        s.at(0.5, 0).transpose(), s.at(0.5, 0.2).transpose();
    QCOMPARE(code({pathOf(*interpolate(p, {}))}), std::string("LM-L021"));
    std::vector<Section> swapped{sections[0], sections[2], sections[1], sections[3]};
    LoftOptions o;
    o.guides = {good};
    const auto r = loft(swapped, o, {});
    QVERIFY(!r && r.error().code == "LM-L022");
    o.guides = {*circle(levelAt(0), 60)};
    QVERIFY(loft(sections, o, {}).error().code == "LM-L025");
    // Two that cross between sections change their order.
    QCOMPARE(code({*Path::make({*interpolate((Points(4, 3) << s.at(0.3, 0).transpose(), s.at(0.35, 1.0 / 3).transpose(),
                                              s.at(0.65, 2.0 / 3).transpose(), s.at(0.7, 1).transpose())
                                                 .finished(),
                                             {})},
                               {1e-3}),
                   *Path::make({*interpolate((Points(4, 3) << s.at(0.7, 0).transpose(), s.at(0.65, 1.0 / 3).transpose(),
                                              s.at(0.35, 2.0 / 3).transpose(), s.at(0.3, 1).transpose())
                                                 .finished(),
                                             {})},
                               {1e-3})}),
             std::string("LM-L011"));
  }
};

static test::Register<LoftGuidesTest> registeredLoftGuidesTest;
#include "loft_guides_test.moc"

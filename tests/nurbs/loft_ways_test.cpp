#include "nurbs/closest.h"
#include "nurbs/loft.h"
#include "nurbs/shapes.h"
#include "nurbs/wrinkles.h"
#include "shapes/vessels.h"
#include "support/registry.h"

#include <random>

using namespace lumsk;
using namespace lumsk::nurbs;
using namespace lumsk::test;

/// Lofts that are relaxed, ruled, or run along a centre line; the wrinkle index.
class LoftWaysTest : public QObject {
  Q_OBJECT

  /// Sections of the smooth form through measured points that are off by up to 0.02 mm.
  static std::vector<Section> noisySections(int n, unsigned seed) {
    std::mt19937 rng(seed);
    std::uniform_real_distribution<double> d(-1, 1);
    std::vector<Section> out;
    for (int i = 0; i < n; ++i) {
      Points p(41, 3);
      for (int k = 0; k <= 40; ++k) {
        Vec3 off(d(rng), d(rng), d(rng));
        while (off.norm() > 1) off = Vec3(d(rng), d(rng), d(rng));
        p.row(k) = (smoothForm(k / 40.0, double(i) / (n - 1)) + 0.02 * off).transpose();
      }
      out.push_back({*Path::make({*interpolate(p, {})}, {0.001})});
    }
    return out;
  }
  static double worstFrom(const Path& p, const Surface& s) {
    double worst = 0;
    for (int i = 0; i <= 120; ++i) worst = std::max(worst, closestPoint(s, p.at(p.last() * i / 120.0)).distanceMm);
    return worst;
  }

private slots:
  void theWrinkleIndexSeesWavesAndNothingElse() {
    // Tubes and planes have none, whatever their size and parameters.
    for (double size : {1.0, 30.0})
      for (int degree : {1, 3}) {
        LoftOptions o;
        o.degree = degree;
        const auto tube = loft({{*circle(levelAt(0), size)}, {*circle(levelAt(2 * size), size)}}, o, {});
        VERIFY_OK(tube);
        VERIFY_AT_MOST(wrinkleIndex(tube->strips), 2e-3);
      }
    const auto bumpy = [](double height, double scale) {
      const Knots U = uniformKnots(5, 12);
      const auto g = greville(U, 5);
      Points grid(Eigen::Index(g.size() * g.size()), 3);
      for (size_t i = 0; i < g.size(); ++i)
        for (size_t j = 0; j < g.size(); ++j)
          grid.row(Eigen::Index(i * g.size() + j)) << scale * 100 * g[i], scale * 100 * g[j],
              scale * (20 * g[i] * g[i] + 14 * g[j] * g[j] + height * std::sin(25 * g[i]) * std::sin(19 * g[j]));
      return wrinkleIndex({Surface::trusted(5, 5, U, U, grid, false)});
    };
    QVERIFY(bumpy(0.1, 1) > 3 * bumpy(0, 1));
    QVERIFY(bumpy(0.4, 1) > 2 * bumpy(0.1, 1));
    VERIFY_AT_MOST(std::abs(bumpy(0.1, 7) / bumpy(0.1, 1) - 1), 1e-6);
  }

  void relaxedSkinsAreEvenWithinTheirDeviation() {
    for (unsigned seed : {1u, 2u, 3u}) {
      const auto sections = noisySections(10, seed);
      const auto exact = loft(sections, {}, {});
      VERIFY_OK(exact);
      LoftOptions o;
      o.way = LoftWay::Relaxed;
      o.relaxed = {0.05};
      const auto even = loft(sections, o, {});
      VERIFY_OK(even);
      VERIFY_AT_MOST(even->sectionDeviationMm, 0.05);
      for (const Section& x : sections) VERIFY_AT_MOST(worstFrom(*x.path(), even->strips[0]), 0.05);
      const double before = wrinkleIndex(exact->strips), after = wrinkleIndex(even->strips);
      qInfo("wrinkle index %.4g exact, %.4g relaxed: %.3g; %d and %d points", before, after, after / before,
            exact->strips[0].controlPoints(), even->strips[0].controlPoints());
      VERIFY_AT_MOST(after, 0.1 * before);
    }
    // Within an angle too: of smooth sections that are not to turn.
    const auto sections = formSections(6);
    LoftOptions o;
    o.way = LoftWay::Relaxed;
    o.relaxed = {0.5};
    o.relaxedTurn = AngleTolerance{0.3};
    const auto r = loft(sections, o, {});
    VERIFY_OK(r);
    VERIFY_AT_MOST(r->sectionTurnDeg, 0.3);
    o.relaxedTurn.reset();
    const auto free = loft(sections, o, {});
    VERIFY_OK(free);
    VERIFY_AT_MOST(free->sectionDeviationMm, 0.5);
    QVERIFY(wrinkleIndex(free->strips) < wrinkleIndex(r->strips));
  }

  void ruledSkinsAreStraightBetweenSections() {
    const std::vector<Section> s{{*circle(levelAt(0), 60)}, {*circle(levelAt(20), 80)}, {*circle(levelAt(60), 50)}};
    LoftOptions o;
    o.way = LoftWay::Ruled;
    const auto r = loft(s, o, {});
    VERIFY_OK(r);
    QCOMPARE(r->strips.size(), size_t(2));
    for (const Surface& x : r->strips)
      for (int i = 0; i < 20; ++i)
        VERIFY_AT_MOST((x.at(i / 20.0, 0.5) - 0.5 * (x.at(i / 20.0, 0) + x.at(i / 20.0, 1))).norm(), 1e-9);
    VERIFY_AT_MOST((r->strips[0].at(0.3, 1) - r->strips[1].at(0.3, 0)).norm(), 1e-9);
    o.end = LoftEnd::Perpendicular;
    QVERIFY(loft(s, o, {}).error().code == "LM-L018");
  }

  void skinsRunAlongACentreLine() {
    // Rings along a quarter of an arc: along its centre line two of them make a bend of a tube.
    const auto ring = [](double a, double size) {
      const Vec3 out(std::cos(a), 0, std::sin(a));
      return Section{*circle({100 * out, out, Vec3::UnitY()}, size)};
    };
    const std::vector<Section> two{ring(0, 40), ring(0.5 * kPi, 40)};
    Points p(33, 3);
    for (int i = 0; i <= 32; ++i) p.row(i) << 100 * std::cos(0.5 * kPi * i / 32), 0, 100 * std::sin(0.5 * kPi * i / 32);
    InterpolationOptions quintic;
    quintic.degree = 5;
    LoftOptions o;
    o.centre = LoftOptions::Centre::Given;
    for (bool turned : {false, true}) {
      o.centreLine = *Path::make({*interpolate(p, quintic)}, {1e-3});
      if (turned) o.centreLine = reversed(*o.centreLine);
      const auto r = loft(two, o, {});
      VERIFY_OK(r);
      for (int i = 0; i < 16; ++i)
        for (int j = 0; j <= 16; ++j) {
          const Vec3 q = r->strips[0].at(i / 16.0, j / 16.0);
          VERIFY_AT_MOST(std::abs(std::hypot(std::hypot(q.x(), q.z()) - 100, q.y()) - 20), 0.002);
        }
    }
    // Computed, through the middles of five; ends as asked for; through all sections.
    std::vector<Section> five;
    for (int i = 0; i < 5; ++i) five.push_back(ring(0.4 * i, 30 + 4 * i));
    o.centre = LoftOptions::Centre::Computed;
    o.start = o.end = LoftEnd::Perpendicular;
    const auto r = loft(five, o, {});
    VERIFY_OK(r);
    for (const Section& s : five) VERIFY_AT_MOST(worstFrom(*s.path(), r->strips[0]), 0.0011);
    for (int i = 0; i < 16; ++i) {
      VERIFY_AT_MOST(std::abs(r->strips[0].normal(i / 16.0, 0).z()), 2e-4);
    }
    // A line that bends more sharply than the rings are wide.
    Points sharp(3, 3);
    sharp << 100, 0, 0, 100, 0, 30, 70, 0, 30;
    o = {};
    o.centre = LoftOptions::Centre::Given;
    o.centreLine = *Path::make({*interpolate(sharp, {})}, {1e-3});
    const std::vector<Section> wide{{*circle({{100, 0, 0}, Vec3::UnitX(), Vec3::UnitY()}, 50)},
                                    {*circle({{70, 0, 30}, Vec3::UnitZ(), Vec3::UnitY()}, 50)}};
    auto bad = loft(wide, o, {});
    QVERIFY(!bad && bad.error().code == "LM-L033" && !bad.error().where.empty());
    o.centreLine = *Path::make({*interpolate(p, quintic)}, {1e-3});
    bad = loft({five[0], five[2], five[1]}, o, {});
    QVERIFY(!bad && bad.error().code == "LM-L032");
  }
};

static test::Register<LoftWaysTest> registeredLoftWaysTest;
#include "loft_ways_test.moc"

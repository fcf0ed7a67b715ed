#include "nurbs/measure/closest.h"
#include "nurbs/loft/loft.h"
#include "nurbs/curves/shapes.h"
#include "nurbs/measure/wrinkles.h"
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

  void relaxedSkinsFollowACentreLineToo() {
    // Rings that stand square to an arc, each off by a little of its own.
    std::vector<Section> sections;
    for (int i = 0; i < 25; ++i) {
      const double a = 0.05 * i, r = 20 + 0.02 * ((3 * i) % 5 - 2);
      const Frame f{Vec3(100 * std::cos(a), 100 * std::sin(a), 0), Vec3(std::cos(a), std::sin(a), 0), Vec3::UnitZ()};
      sections.push_back({*circle(f, r)});
    }
    LoftOptions o;
    o.centre = LoftOptions::Centre::Computed;
    const auto exact = loft(sections, o, {});
    VERIFY_OK(exact);
    o.way = LoftWay::Relaxed;
    const auto even = loft(sections, o, {});
    VERIFY_OK(even);
    VERIFY_AT_MOST(even->sectionDeviationMm, 0.05);
    for (const Section& x : sections) VERIFY_AT_MOST(worstFrom(*x.path(), even->strips[0]), 0.051);
    QVERIFY(wrinkleIndex(even->strips) < 0.3 * wrinkleIndex(exact->strips));
  }

  void relaxedSkinsMeetTheirMirrorPlane() {
    // Half rings that stand in the plane x = 0 at one end: relaxed, the form and its image are one there.
    std::vector<Section> sections;
    for (int i = 0; i < 6; ++i) {
      Points p(9, 3);
      for (int k = 0; k < 9; ++k)
        p.row(k) << 12.0 * i, 40 * std::cos(kPi * k / 8) + 0.01 * ((i * k) % 3),
            30 * std::sin(kPi * k / 8) - 0.3 * i * i;
      sections.push_back({*Path::make({*interpolate(p, {})}, {0.001})});
    }
    LoftOptions o;
    o.start = Meets::Mirror;
    o.way = LoftWay::Relaxed;
    const auto r = loft(sections, o, {});
    VERIFY_OK(r);
    VERIFY_AT_MOST(r->sectionDeviationMm, 0.05);
    for (const Section& x : sections) VERIFY_AT_MOST(worstFrom(*x.path(), r->strips[0]), 0.05);
    for (int i = 1; i < 20; ++i) {
      SurfaceDerivatives d;
      r->strips[0].derivatives(i / 20.0, 0, 3, d);
      const PlaneLeaving l = leavingPlane({d(0, 0), d(0, 1), d(0, 2), d(0, 3)}, Vec3::UnitX());
      VERIFY_AT_MOST(degFromRad(l.angleRad), 0.01);
      VERIFY_AT_MOST(l.bendRate * 100 * 100, 0.01);
    }
    VERIFY_AT_MOST(wrinkleIndex(r->strips), wrinkleIndex(loft(sections, {}, {})->strips));
  }

  /// The angle by which a skin's lines across turn against lines of least twist: of neighbouring sections, both
  /// centred, the rotation about their common axis that brings the places with equal parameters nearest to one another.
  static double twistOf(const Surface& s, const std::vector<double>& at) {
    constexpr int kPlaces = 72;
    double worst = 0;
    for (size_t i = 1; i < at.size(); ++i) {
      Points a(kPlaces, 3), b(kPlaces, 3);
      for (int k = 0; k < kPlaces; ++k) {
        a.row(k) = s.at(double(k) / kPlaces, at[i - 1]).transpose();
        b.row(k) = s.at(double(k) / kPlaces, at[i]).transpose();
      }
      const Vec3 n = fitPlane(a).frame.normal();
      const Vec3 ca = a.colwise().mean().transpose(), cb = b.colwise().mean().transpose();
      double sine = 0, cosine = 0;
      for (int k = 0; k < kPlaces; ++k) {
        const Vec3 p = a.row(k).transpose() - ca, q = b.row(k).transpose() - cb;
        const Vec3 u = p - p.dot(n) * n, v = q - q.dot(n) * n;
        sine += u.cross(v).dot(n), cosine += u.dot(v);
      }
      worst = std::max(worst, std::abs(degFromRad(std::atan2(sine, cosine))));
    }
    return worst;
  }

  void randomSectionsAreAlignedWithoutTwist() {
    int smooth = 0, restored = 0, explained = 0, made = 0;
    double worstTwist = 0;
    for (int seed = 1; seed <= 200; ++seed) {
      std::mt19937 rng{unsigned(seed)};
      std::uniform_real_distribution<double> d(0, 1);
      const int n = 3 + int(d(rng) * 6);
      const bool cornered = seed % 3 == 0;
      std::vector<Section> sections;
      const double lean = 0.3 * d(rng), turnAll = 2 * kPi * d(rng);
      for (int i = 0; i < n; ++i) {
        const double z = 25.0 * i + 6 * d(rng), size = 45 + 12 * d(rng);
        // Turned little from one to the next; their starts and directions are anywhere.
        const double turn = turnAll + 0.08 * (d(rng) - 0.5);
        Frame f{{lean * z, 4 * d(rng), z}, {std::cos(turn), std::sin(turn), 0}, {-std::sin(turn), std::cos(turn), 0}};
        const int kind = int(d(rng) * (cornered ? 5 : 3));
        Path p = kind == 0   ? *ellipse(f, size, 0.7 * size, {0.001})
                 : kind == 1 ? *superellipse(f, size, 0.75 * size, 2.4 + d(rng), {})
                 : kind == 2 ? *roundedRectangle(f, size, 0.7 * size, 0.2 * size, {0.001})
                 : kind == 3 ? *roundedRectangle(f, size, 0.7 * size, 0, {0.001})
                             : *polygon(f, size, 3 + int(d(rng) * 4), 0, {0.001});
        if (d(rng) < 0.5) p = reversed(p);
        Section s{p};
        // Another start: the path begun at another joint.
        std::vector<Segment> segments = p.segments();
        std::rotate(segments.begin(), segments.begin() + int(d(rng) * double(segments.size())), segments.end());
        if (auto again = Path::make(segments, {0.001})) s.shape = *again;
        sections.push_back(std::move(s));
      }
      std::vector<int> order(sections.size());
      for (size_t i = 0; i < order.size(); ++i) order[i] = int(i);
      std::shuffle(order.begin(), order.end(), rng);
      std::vector<Section> shuffled, inOrder;
      for (int i : order) shuffled.push_back(sections[size_t(i)]);
      std::vector<int> better = shorterOrder(shuffled);
      if (better.empty())
        for (int i = 0; i < n; ++i) better.push_back(i);
      std::vector<int> back;
      for (int i : better) back.push_back(order[size_t(i)]);
      for (int i : better) inOrder.push_back(shuffled[size_t(i)]);
      const bool right = std::is_sorted(back.begin(), back.end()) || std::is_sorted(back.rbegin(), back.rend());
      if (!cornered) ++smooth, restored += right;
      // However they stand, the loft is made or says why not.
      const auto wrong = loft(shuffled, {}, {});
      QVERIFY(wrong || !wrong.error().what.empty());
      const auto r = loft(inOrder, {}, {});
      if (!r) {
        ++explained;
        QVERIFY2(!r.error().remedyText.empty(), r.error().what.c_str());
        continue;
      }
      ++made;
      for (size_t i = 0; i < inOrder.size(); ++i)
        for (const Surface& s : r->strips)
          for (int k = 0; k <= 8; ++k)
            VERIFY_AT_MOST(closestPoint(*inOrder[i].path(), s.at(k / 8.0, r->parameters[i])).distanceMm, 0.001);
      if (r->strips.size() == 1) worstTwist = std::max(worstTwist, twistOf(r->strips[0], r->parameters));
    }
    qInfo("%d made, %d explained; twist at most %.2f degree; %d of %d smooth orders restored", made, explained,
          worstTwist, restored, smooth);
    VERIFY_AT_MOST(worstTwist, 5.0);
    QVERIFY(restored * 100 >= 95 * smooth);
    QVERIFY(made >= 195);
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
    o.end = Meets::Perpendicular;
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
    o.start = o.end = Meets::Perpendicular;
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

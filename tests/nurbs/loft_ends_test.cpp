#include "nurbs/measure/closest.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/loft/loft.h"
#include "nurbs/curves/shapes.h"
#include "nurbs/on_skin/surface_curves.h"
#include "shapes/vessels.h"
#include "support/registry.h"

#include <random>

using namespace lumsk;
using namespace lumsk::nurbs;
using namespace lumsk::test;

/// Ends of lofts that flow into neighbours, lean, or close in a point; pairs; the order of sections.
class LoftEndsTest : public QObject {
  Q_OBJECT

  /// A wavy skin over a rectangle from y0 to y1.
  static Surface wavy(double y0, double y1, double z, int seed) {
    std::mt19937 r{unsigned(seed)};
    std::uniform_real_distribution<double> d(-3, 3);
    const Knots U = uniformKnots(5, 3), V = uniformKnots(5, 2);
    const auto gu = greville(U, 5), gv = greville(V, 5);
    Points grid(Eigen::Index(gu.size() * gv.size()), 3);
    for (size_t i = 0; i < gu.size(); ++i)
      for (size_t j = 0; j < gv.size(); ++j)
        grid.row(Eigen::Index(i * gv.size() + j)) << 100 * gu[i] + 0.3 * d(r), y0 + (y1 - y0) * gv[j] + 0.3 * d(r),
            z + d(r);
    return Surface::trusted(5, 5, U, V, grid, false);
  }
  static Path pathOf(Spline c) { return *Path::make({std::move(c)}, {1e-3}); }

  /// Height of a surface over the tangent plane at a place, by a step along a direction: found by closest points alone.
  static double height(const Surface& s, const Vec3& at, const Vec3& normal, const Vec3& direction, double step) {
    // The place over at + step: Newton's iteration on the offset along the normal.
    double h = 0;
    for (int it = 0; it < 60; ++it) {
      const Vec3 p = at + step * direction + h * normal;
      const auto c = closestPoint(s, p);
      const Vec3 n = s.normal(c.u, c.v), foot = s.at(c.u, c.v);
      const double miss = (foot - p).dot(n) / n.dot(normal);
      h += miss;
      if (std::abs(miss) < 1e-13) break;
    }
    return h;
  }

  struct Joint {
    double gapMm = 0, angleDeg = 0, bend = 0, rate = 0; ///< bend and rate relative, with floors of 1/(10 L)
  };
  /// The worst join between a loft's end and its neighbour at interior places.
  static Joint joint(const Surface& loft, double v, const Surface& other) {
    Joint worst;
    const double floor = 1.0 / (10 * 150.0);
    for (int i = 1; i < 26; ++i) {
      const double u = i / 26.0;
      SurfaceDerivatives d;
      loft.derivatives(u, v, 3, d);
      const auto c = closestPoint(other, d(0, 0));
      worst.gapMm = std::max(worst.gapMm, c.distanceMm);
      SurfaceDerivatives o;
      other.derivatives(c.u, c.v, 3, o);
      Vec3 n = loft.normal(u, v), m = other.normal(c.u, c.v);
      if (n.dot(m) < 0) m = -m;
      worst.angleDeg = std::max(worst.angleDeg, degFromRad(angleBetweenRad(n, m)));
      const Vec3 across = n.cross(d(1, 0)).normalized();
      const Vec3 flat = (across - across.dot(m) * m).normalized();
      const NormalSection a = normalSection(d, n, across), b = normalSection(o, m, flat);
      worst.bend = std::max(worst.bend, std::abs(a.curvature - b.curvature) /
                                            std::max({std::abs(a.curvature), std::abs(b.curvature), floor}));
      worst.rate = std::max(worst.rate,
                            std::abs(a.rate - b.rate) / std::max({std::abs(a.rate), std::abs(b.rate), floor * floor}));
    }
    return worst;
  }

  /// An arc and its chord: round and straight stretches between corners.
  static Path halfDisc() {
    const Path whole = *circle(levelAt(0), 60);
    const Path half = *pathPortion(whole, 0.0, 0.5 * whole.last(), {1e-3});
    std::vector<Segment> segments = half.segments();
    segments.push_back(LineSegment{half.end(), half.start()});
    return *Path::make(std::move(segments), {1e-3});
  }

private slots:
  void normalSectionsAgreeWithHeightsOverTheTangentPlane() {
    const Surface s = wavy(0, 60, 0, 3);
    for (int k = 0; k < 8; ++k) {
      const double u = 0.2 + 0.07 * k, v = 0.75 - 0.06 * k;
      SurfaceDerivatives d;
      s.derivatives(u, v, 3, d);
      const Vec3 n = s.normal(u, v), t = Eigen::AngleAxisd(0.7 * k, n) * d(1, 0).normalized();
      const NormalSection found = normalSection(d, n, t);
      const double h = 0.2;
      const auto at = [&](double x) { return height(s, d(0, 0), n, t, x); };
      const double a = at(-2 * h), b = at(-h), c = at(h), e = at(2 * h);
      VERIFY_AT_MOST(std::abs(found.curvature - (-a + 16 * b + 16 * c - e) / (12 * h * h)), 2e-6);
      VERIFY_AT_MOST(std::abs(found.rate - (e - 2 * c + 2 * b - a) / (2 * h * h * h)), 2e-5);
    }
  }

  void endsFlowIntoTheirNeighboursToTheOrderAskedFor() {
    const Surface a = wavy(-60, 0, 0, 1), b = wavy(60, 120, 18, 2);
    const Path first = pathOf(a.isoV(a.lastV())), last = pathOf(b.isoV(b.firstV()));
    std::vector<Section> two{{first}, {last}};
    std::vector<Section> four = two;
    for (int k : {2, 1}) {
      Points p(4, 3);
      for (int i = 0; i < 4; ++i)
        p.row(i) << 33.3 * i, 20.0 * k + 2 * std::sin(i + k), 6.0 * k + 3 * std::cos(1.3 * i + k);
      four.insert(four.begin() + 1, {pathOf(*interpolate(p, {}))});
    }
    for (const auto& sections : {two, four})
      for (Meets kind : {Meets::G1, Meets::G2, Meets::G3})
        for (double pull : {0.7, 1.0, 1.6}) {
          LoftOptions o;
          o.start = o.end = LoftEndOptions(kind);
          o.start.neighbour = beside(a), o.end.neighbour = beside(b);
          o.start.pull = pull;
          o.end.along = [](double f) { return 1 + 0.4 * f; };
          const auto r = loft(sections, o, {});
          VERIFY_OK(r);
          QCOMPARE(r->strips.size(), size_t(1));
          const Surface& s = r->strips[0];
          for (const Joint& j : {joint(s, 0, a), joint(s, 1, b)}) {
            VERIFY_AT_MOST(j.gapMm, 0.001);
            VERIFY_AT_MOST(j.angleDeg, 0.01);
            if (kind != Meets::G1) VERIFY_AT_MOST(j.bend, 0.01);
            if (kind == Meets::G3) VERIFY_AT_MOST(j.rate, 0.05);
          }
          VERIFY_AT_MOST(s.controlPoints(), 600);
          for (size_t i = 0; i < sections.size(); ++i)
            for (int k = 0; k <= 50; ++k)
              VERIFY_AT_MOST(closestPoint(*sections[i].path(), s.at(k / 50.0, r->parameters[i])).distanceMm, 0.0005);
          // The pull is the length of the way.
          SurfaceDerivatives d;
          s.derivatives(0.5, 0, 1, d);
          LoftOptions other = o;
          other.start.pull = 1;
          SurfaceDerivatives e;
          loft(sections, other, {})->strips[0].derivatives(0.5, 0, 1, e);
          VERIFY_AT_MOST(std::abs(d(0, 1).norm() / e(0, 1).norm() - pull), 1e-3);
        }
  }

  void leaningEndsLeanEverywhereAndMeetAtCorners() {
    for (double lean : {-30.0, 20.0, 60.0}) {
      for (const Path& base : {*circle(levelAt(0), 60), *polygon(levelAt(0), 60, 4, 0, {0.001}), halfDisc(),
                               *roundedRectangle(levelAt(0), 60, 40, 8, {0.001}),
                               reversed(*roundedRectangle(levelAt(0), 60, 40, 3, {0.001}))}) {
        LoftOptions o;
        o.start = Meets::Angle;
        o.start.angleDeg = lean;
        const auto r = loft({{base}, {*circle(levelAt(50), 70)}}, o, {});
        VERIFY_OK(r);
        const size_t n = r->strips.size();
        const Vec3 middle = polyline(base, 16).colwise().mean().transpose();
        for (size_t k = 0; k < n; ++k) {
          const Surface& s = r->strips[k];
          for (int i = 1; i < 20; ++i) {
            const Vec3 normal = s.normal(i / 20.0, 0);
            // The tangent plane holds the section's tangent and leans outwards.
            VERIFY_AT_MOST(std::abs(degFromRad(std::asin(std::abs(normal.z()))) - std::abs(lean)), 0.01);
            SurfaceDerivatives d;
            s.derivatives(i / 20.0, 0, 1, d);
            const Vec3 at = d(0, 0) - middle;
            const Vec3 out = d(0, 1) - d(0, 1).dot(d(1, 0).normalized()) * d(1, 0).normalized();
            QVERIFY((out.dot(Vec3(at.x(), at.y(), 0)) > 0) == (lean > 0));
          }
          if (n > 1)
            for (int j = 0; j <= 20; ++j)
              VERIFY_AT_MOST((s.at(1, j / 20.0) - r->strips[(k + 1) % n].at(0, j / 20.0)).norm(), 1e-6);
        }
      }
    }
  }

  void pointsArePointedRoundedOrFlat() {
    const auto curvatureAtTip = [](Meets kind) {
      LoftOptions o;
      o.start = kind;
      const auto r = loft({{Vec3(0, 0, 0)}, {*circle(levelAt(20), 60)}, {*circle(levelAt(60), 70)}}, o, {});
      if (!r) return std::pair(1e9, 1e9);
      const Surface& s = r->strips[0];
      double angle = 0, bend = 0;
      for (int i = 0; i < 16; ++i) {
        SurfaceDerivatives d;
        s.derivatives(i / 16.0, 0, 2, d);
        const Vec3 t = d(0, 1).normalized();
        angle = std::max(angle, degFromRad(std::asin(std::abs(t.z()))));
        bend = std::max(bend, (d(0, 2) - d(0, 2).dot(t) * t).norm() / d(0, 1).squaredNorm());
      }
      return std::pair(angle, bend);
    };
    const auto pointed = curvatureAtTip(Meets::Free), round = curvatureAtTip(Meets::Perpendicular),
               flat = curvatureAtTip(Meets::Flat);
    QVERIFY(pointed.first > 5);
    VERIFY_AT_MOST(round.first, 1e-6);
    QVERIFY(round.second > 0.01);
    VERIFY_AT_MOST(flat.first, 1e-6);
    VERIFY_AT_MOST(flat.second, 1e-9);
  }

  void pairsAreMetBySectionsOpenClosedAndCornered() {
    const Section low{*circle(levelAt(0), 60)}, high{*circle(levelAt(40), 50)}, top{*circle(levelAt(70), 44)};
    // The line through places at 0.1, 0.2 and 0.15 of the circles, and one that leaves the middle free.
    LoftOptions o;
    o.pairs = {{0.1, 0.2, 0.15}, {0.6, std::nullopt, 0.62}};
    const auto r = loft({low, high, top}, o, {});
    VERIFY_OK(r);
    const std::vector<Section> all{low, high, top};
    for (const PairLine& line : o.pairs) {
      // Where the line runs on the first section it runs on the others, too.
      const Surface& s = r->strips[0];
      double best = 1e300, u = 0;
      const Vec3 p = low.path()->at(line[0].value() * low.path()->last());
      for (int i = 0; i <= 20000; ++i)
        if (const double d = (s.at(i / 20000.0, 0) - p).norm(); d < best) best = d, u = i / 20000.0;
      for (size_t k = 1; k < 3; ++k)
        if (line[k])
          VERIFY_AT_MOST((s.at(u, r->parameters[k]) - all[k].path()->at(*line[k] * all[k].path()->last())).norm(),
                         0.02);
    }
    // Lines and squares: the middle of one side goes to a third of it.
    const auto bar = [](double y, double z) { return Section{*line({0, y, z}, {60, y, z}, {0.001})}; };
    o.pairs = {{0.5, 1.0 / 3}};
    const auto open = loft({bar(0, 0), bar(5, 30)}, o, {});
    VERIFY_OK(open);
    bool met = false;
    for (int i = 0; i <= 4000; ++i) {
      const double u = i / 4000.0;
      if ((open->strips[0].at(u, 0) - Vec3(30, 0, 0)).norm() < 0.02) {
        met = true;
        VERIFY_AT_MOST((open->strips[0].at(u, 1) - Vec3(20, 5, 30)).norm(), 0.05);
      }
    }
    QVERIFY(met);
    const Section square{*polygon(levelAt(0), 60, 4, 0, {0.001})}, other{*polygon(levelAt(40), 40, 4, 0, {0.001})};
    o.pairs = {{0.1, 0.05}};
    VERIFY_OK(loft({square, other}, o, {}));
    const auto code = [&](std::vector<PairLine> pairs) {
      o.pairs = std::move(pairs);
      const auto bad = loft({square, other}, o, {});
      return bad ? std::string() : bad.error().code;
    };
    QCOMPARE(code({{0.1, 0.05}, {0.05, 0.1}}), std::string("LM-L011"));
    QCOMPARE(code({{0.1, 0.4}}), std::string()); // the corners that go together are other ones then
    QCOMPARE(code({{0.1, 0.15}, {0.6, 0.9}}), std::string("LM-L010"));
    QCOMPARE(code({{0.25, 0.1}}), std::string("LM-L010"));
    QCOMPARE(code({{0.25, 0.25}}), std::string()); // corners correspond anyway
  }

  void shuffledSectionsAreBroughtBackIntoOrder() {
    int right = 0, tried = 0;
    for (int seed = 1; seed <= 200; ++seed) {
      std::mt19937 r{unsigned(seed)};
      std::uniform_real_distribution<double> d(0, 1);
      // Along an arc of up to half a turn, with changing sizes and distances, at most one tip.
      const int n = 4 + int(d(r) * 9);
      const double turn = kPi * d(r), radius = 80 + 200 * d(r);
      std::vector<Section> sections;
      double at = 0;
      for (int i = 0; i < n; ++i) {
        at += 0.6 + 0.8 * d(r);
        const double a = turn * at / n;
        const Vec3 c(radius * std::cos(a), 0, radius * std::sin(a) + (turn < 0.3 ? 12 * at : 0));
        const Vec3 out(std::cos(a), 0, std::sin(a));
        const double size = 20 + 15 * std::sin(at * 0.7 + seed) + 3 * d(r);
        if (i == 0 && seed % 4 == 0)
          sections.push_back({c});
        else
          sections.push_back({*circle({c, out, Vec3::UnitY()}, size)});
      }
      std::vector<int> order(sections.size());
      for (size_t i = 0; i < order.size(); ++i) order[i] = int(i);
      std::shuffle(order.begin(), order.end(), r);
      std::vector<Section> shuffled;
      for (int i : order) shuffled.push_back(sections[size_t(i)]);
      std::vector<int> found = shorterOrder(shuffled);
      if (found.empty())
        for (size_t i = 0; i < order.size(); ++i) found.push_back(int(i));
      std::vector<int> back;
      for (int i : found) back.push_back(order[size_t(i)]);
      const bool forward = std::is_sorted(back.begin(), back.end());
      std::reverse(back.begin(), back.end());
      right += forward || std::is_sorted(back.begin(), back.end());
      ++tried;
    }
    qInfo("%d of %d shuffles brought back", right, tried);
    QVERIFY(right >= 190);
  }

  void wrongEndsAreExplained() {
    const Surface a = wavy(-60, 0, 0, 1);
    const Path edge = pathOf(a.isoV(a.lastV()));
    const Section next{*line({0, 40, 5}, {100, 40, 9}, {0.001})};
    const auto code = [&](const std::vector<Section>& s, const LoftEndOptions& end) {
      LoftOptions o;
      o.start = end;
      const auto r = loft(s, o, {});
      return r ? std::string() : r.error().code;
    };
    LoftEndOptions flows(Meets::G2);
    QCOMPARE(code({{edge}, next}, flows), std::string("LM-L013"));
    flows.neighbour = beside(a);
    QCOMPARE(code({{edge}, next}, flows), std::string());
    QCOMPARE(code({{*line({0, 3, 5}, {100, 3, 9}, {0.001})}, next}, flows), std::string("LM-L013"));
    QCOMPARE(code({{Vec3(0, 0, 0)}, next}, flows), std::string("LM-L012"));
    QCOMPARE(code({{edge}, next}, Meets::Flat), std::string("LM-L012"));
    LoftEndOptions leans(Meets::Angle);
    leans.angleDeg = 89;
    QCOMPARE(code({{edge}, next}, leans), std::string("LM-L006"));
    leans.angleDeg = 20;
    // Straight up from a flat skin there is no direction in it.
    const Knots U = uniformKnots(1, 1);
    Points grid(4, 3);
    grid << 0, 0, 0, 0, 50, 0, 100, 0, 0, 100, 50, 0;
    const Surface flat = Surface::trusted(1, 1, U, U, grid, false);
    flows.neighbour = beside(flat);
    QCOMPARE(code({{*line({0, 50, 0}, {100, 50, 0}, {1e-3})}, {*line({0, 50, 30}, {100, 50, 30}, {1e-3})}}, flows),
             std::string("LM-L014"));
  }
};

static test::Register<LoftEndsTest> registeredLoftEndsTest;
#include "loft_ends_test.moc"

#include "shapes/blend_cases.h"
#include "shapes/fill_cases.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::nurbs;
using namespace lumsk::test;

/// Blends and fills against what lies beside them, judged by code that does not make them.
class FlowTest : public QObject {
  Q_OBJECT

private slots:
  void aBlendOfWavyEdgesIsLeanAndTrue() {
    const int most[] = {0, 180, 270, 470};
    for (int order = 1; order <= 3; ++order) {
      const BlendCase c = BlendCases::reference(order);
      const auto r = blend(c.sides, {}, {});
      QVERIFY(r);
      const BlendJudged j = judged(c, *r, order);
      VERIFY_AT_MOST(j.gapMm, 0.0005);
      VERIFY_AT_MOST(j.join.angleDeg, 0.001);
      if (order > 1) VERIFY_AT_MOST(j.join.curvature, 0.001);
      if (order > 2) VERIFY_AT_MOST(j.join.rate, 0.01);
      VERIFY_AT_MOST(j.points, most[order]);
      VERIFY_AT_MOST(j.wrinkles, 2 * j.besideWrinkles);
    }
  }

  /// Facing, narrow, steep, over rims, around, with corners: within the tolerances, or the result says what it misses.
  void blendsHoldOrSayWhatTheyMiss() {
    const Tolerances tol;
    int good = 0, all = 0;
    for (int kind = 0; kind < 7; ++kind)
      for (int order = 1; order <= 3; ++order) {
        BlendCases cases(unsigned(900 + 10 * kind + order));
        for (int i = 0; i < 2; ++i, ++all) {
          const BlendCase c = cases.make(kind, order);
          const auto r = blend(c.sides, {}, {});
          if (!r) {
            QVERIFY2(!r.error().where.empty(), r.error().code.c_str());
            continue;
          }
          const BlendJudged j = judged(c, *r, order);
          const bool holds = j.gapMm <= tol.point.mm && j.join.worst(tol) <= 1;
          // Told is what was found at other places: a twentieth above the limit is still no lie.
          const double said = std::max(r->sides[0].join.worst(tol), r->sides[1].join.worst(tol));
          QVERIFY2(holds || said > 0.95, qPrintable(QString("%1 G%2 %3").arg(c.name.c_str()).arg(order).arg(i)));
          good += holds;
        }
      }
    QVERIFY2(good >= 0.85 * all, qPrintable(QString("%1 of %2").arg(good).arg(all)));
  }

  void edgesThatOverlapOrDoNotFitAreTold() {
    BlendCases cases(3);
    BlendCase c = cases.make(0, 1);
    c.sides[0].neighbourLeft = -c.sides[0].neighbourLeft, c.sides[1].neighbourLeft = -c.sides[1].neighbourLeft;
    const auto behind = blend(c.sides, {}, {});
    QVERIFY(!behind);
    QCOMPARE(behind.error().code, std::string("LM-H022"));
    BlendCase around = cases.make(5, 1);
    around.sides[1] = cases.make(0, 1).sides[1];
    QCOMPARE(blend(around.sides, {}, {}).error().code, std::string("LM-H020"));
    c.sides[0].tension = 9;
    QCOMPARE(blend(c.sides, {}, {}).error().code, std::string("LM-H007"));
  }

  void fillsOfOneSkinAreThatSkin() {
    const Tolerances tol;
    FillCases cases(5);
    for (int order = 0; order <= 2; ++order) {
      std::vector<FillCase> list{cases.hole(3, order), cases.hole(5, order), cases.hole(8, order), cases.round(order, 0.6),
                                 cases.polygon("slit", {{0.1, 0.49}, {0.9, 0.48}, {0.905, 0.507}, {0.1, 0.517}}, order)};
      if (order > 0) list.push_back(cases.ball(4, order));
      for (const FillCase& c : list) {
        const auto r = fill(c.ring, {}, {});
        QVERIFY2(r, c.name.c_str());
        const FillJudged j = judged(c, *r);
        VERIFY_AT_MOST(j.gapMm, 0.001);
        VERIFY_AT_MOST(j.join.angleDeg, c.name == "slit" ? 0.005 : 0.0015);
        VERIFY_AT_MOST(j.join.curvature, 0.003);
        VERIFY_AT_MOST(r->surface.controlPoints(), 200);
        QVERIFY(r->corners.empty());
      }
    }
  }

  void ringsHoldOrSayWhatTheyMiss() {
    const Tolerances tol;
    FillCases cases(6);
    for (int order = 1; order <= 2; ++order)
      for (int edges : {3, 5}) {
        const FillCase c = cases.unrelated(edges, order);
        const auto r = fill(c.ring, {}, {});
        if (!r) {
          QVERIFY(!r.error().where.empty());
          continue;
        }
        const FillJudged j = judged(c, *r);
        double said = 0;
        for (const auto& e : r->edges) said = std::max({said, e.join.worst(tol), e.gapMm / tol.point.mm});
        QVERIFY2((j.gapMm <= tol.point.mm && j.join.worst(tol) <= 1) || said > 0.95, c.name.c_str());
        VERIFY_AT_MOST(r->surface.controlPoints(), 700);
      }
  }

  /// A ring that crosses itself seen from anywhere, and one without area.
  void ringsThatCannotBeFilledAreTold() {
    const auto line = [](const Vec3& a, const Vec3& b) { return FillEdge{*Path::make({LineSegment{a, b}}, {0.001}), Meets::G0, {}}; };
    const Vec3 a(0, 0, 0), b(40, 0, 0), c(40, 40, 0), d(0, 40, 0);
    const auto bow = fill({line(a, c), line(c, b), line(b, d), line(d, a)}, {}, {});
    QVERIFY(!bow);
    QCOMPARE(bow.error().code, std::string("LM-V002"));
    QVERIFY(!bow.error().where.empty());
    const auto flat = fill({line(a, b), line(b, a)}, {}, {});
    QVERIFY(!flat);
    QCOMPARE(flat.error().code, std::string("LM-V002"));
  }
};

static test::Register<FlowTest> registeredFlowTest;
#include "flow_test.moc"

#include "brep/curves_on.h"
#include "nurbs/curves/curve_ends.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class MatchEndStepTest : public QObject {
  Q_OBJECT
private slots:
  void theEndMeetsACurveToTheOrderAskedFor() {
    for (const char* meets : {"g0", "g1", "g2", "g3"}) {
      Bench b;
      b.add("spline", {{"points", pointList({{0, 0, 0}, {20, 15, 4}, {40, 10, 10}})}, {"degree", 5}});
      b.add("spline",
            {{"points", pointList({{42, 12, 12}, {60, 25, 22}, {90, 20, 30}, {120, 10, 20}})}, {"degree", 5}});
      b.add("match_end", {{"curve", picks({pick("s2")})}, {"to", picks({pick("s1")})}, {"meets", meets}});
      b.run();
      VERIFY_STEP(b, "s3");
      const nurbs::BlendEnd want = *nurbs::endOf(b.curve("s1"), true), got = *nurbs::endOf(b.curve("s3"), false);
      VERIFY_AT_MOST((want.at - got.at).norm(), 1e-9);
      const int order = meets[1] - '0';
      if (order > 0) VERIFY_AT_MOST((want.tangent + got.tangent).norm(), 1e-9);
      if (order > 1) VERIFY_AT_MOST((want.second - got.second).norm(), 1e-9);
      if (order > 2) VERIFY_AT_MOST((want.third + got.third).norm(), 1e-9);
      VERIFY_AT_MOST((b.curve("s3").end() - Vec3(120, 10, 20)).norm(), 1e-12);
    }
  }

  void onASkinTheEndLiesInItAndBendsWithIt() {
    Bench b = tumbler();
    b.add("spline", {{"points", pointList({{36, 2, 80}, {45, 10, 95}, {70, 15, 110}, {90, 0, 120}})}, {"degree", 5}});
    b.add("match_end",
          {{"curve", picks({pick("s7")})}, {"to", picks({pick("s5")})}, {"meets", "g2"}, {"end", "start"}});
    b.run();
    VERIFY_STEP(b, "s8");
    const auto faces = brep::BodyFaces::of(*b.body("s5"), -1, {});
    const nurbs::BlendEnd e = *nurbs::endOf(b.curve("s8"), false);
    const auto at = faces->nearest(e.at);
    VERIFY_AT_MOST(at->distanceMm, 1e-9);
    VERIFY_AT_MOST(std::abs(at->normal.dot(e.tangent)), 1e-7);
    VERIFY_AT_MOST(std::abs(e.second.dot(at->normal) - faces->normalSection(*at, e.tangent).curvature), 1e-6);
  }

  void theNearerEndMovesOntoASkinAndAnAngleTurnsAboutItsNormal() {
    Bench b = tumbler();
    b.add("spline", {{"points", pointList({{90, 0, 120}, {70, 15, 110}, {45, 10, 95}, {37, 2, 80}})}, {"degree", 5}});
    b.add("match_end", {{"curve", picks({pick("s7")})}, {"to", picks({pick("s5")})}, {"meets", "g0"}});
    b.add("match_end", {{"curve", picks({pick("s7")})}, {"to", picks({pick("s5")})}, {"meets", "g1"}});
    b.add("match_end", {{"curve", picks({pick("s7")})}, {"to", picks({pick("s5")})}, {"meets", "g1"}, {"angle", 30}});
    b.add("line", {{"points", pointList({{80, 0, 80}, {50, 0, 80}})}});
    b.add("match_end", {{"curve", picks({pick("s11")})}, {"to", picks({pick("s5")})}, {"meets", "g1"}});
    b.run();
    const auto faces = brep::BodyFaces::of(*b.body("s5"), -1, {});
    for (const char* id : {"s8", "s9", "s10"}) {
      VERIFY_STEP(b, id);
      VERIFY_AT_MOST((b.curve(id).start() - Vec3(90, 0, 120)).norm(), 1e-12);
      VERIFY_AT_MOST(faces->nearest(b.curve(id).end())->distanceMm, 1e-9);
    }
    const nurbs::BlendEnd flat = *nurbs::endOf(b.curve("s9"), true), turned = *nurbs::endOf(b.curve("s10"), true);
    const Vec3 n = faces->nearest(flat.at)->normal;
    VERIFY_AT_MOST(std::abs(flat.tangent.dot(n)) + std::abs(turned.tangent.dot(n)), 1e-7);
    VERIFY_AT_MOST(std::abs(degFromRad(angleBetweenRad(flat.tangent, turned.tangent)) - 30), 1e-6);
    // A line along the normal has no way in the skin: refused with the place.
    const auto root = *faces->nearest({40, 0, 80});
    const Vec3 far = root.point + 40 * root.normal, near = root.point + 5 * root.normal;
    b.set("s11", "points", pointList({{far.x(), far.y(), far.z()}, {near.x(), near.y(), near.z()}}));
    b.run();
    QCOMPARE(b.code("s12"), std::string("LM-P047"));
    VERIFY_AT_MOST((b.result("s12").problem->where.at(0) - root.point).norm(), 1e-6);
  }
};

static test::Register<MatchEndStepTest> registeredMatchEndStepTest;
#include "match_end_test.moc"

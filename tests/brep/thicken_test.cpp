#include "brep/mesh.h"
#include "brep/thicken.h"
#include "inspect/state.h"
#include "inspect/wall.h"
#include "nurbs/measure/closest.h"
#include "shapes/bodies.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::brep;
using namespace lumsk::test;

namespace {

void verifySolid(const Thickened& t) {
  const auto state = inspect::stateOf(*t.body);
  QVERIFY(state.solid);
  QVERIFY(state.valid);
  QCOMPARE(state.openEdges, 0);
  QVERIFY(state.volumeMm3 > 0);
  VERIFY_AT_MOST(state.largestToleranceMm, 0.01);
  for (const auto& n : t.body->faceNames) QVERIFY(n != "?");
}

void verifyWall(const Thickened& t, const std::string& face, double thickness, int places) {
  int measured = 0;
  for (const auto& w : inspect::wallBelow(*t.body, face, places)) {
    if (w.toRimMm < thickness) continue;
    VERIFY_AT_MOST(std::abs(w.mm - thickness), 0.005);
    ++measured;
  }
  QVERIFY(measured > places * 3 / 4);
}

} // namespace

class ThickenTest : public QObject {
  Q_OBJECT
private slots:
  void aTumblerBecomesASolidOfEvenWall() {
    const BodyPtr skin = tumblerSkin();
    const auto state = inspect::stateOf(*skin);
    QVERIFY(!state.solid);
    QCOMPARE(state.openings.size(), size_t(1));
    VERIFY_AT_MOST(std::abs(state.openings[0].lengthMm - 76 * kPi), 0.2);
    for (ThickenSide side : {ThickenSide::Inward, ThickenSide::Outward, ThickenSide::Both}) {
      const auto t = thicken(*skin, {2.0, side, "s9"}, {});
      VERIFY_OK(t);
      verifySolid(*t);
      verifyWall(*t, "s9.front(t.skin0)", 2.0, side == ThickenSide::Inward ? 500 : 80);
      const auto all = inspect::stateOf(*t->body);
      VERIFY_AT_MOST(std::abs(all.boxHigh.z() - 110), 1e-4);
    }
  }

  void openSkinsGetFlatOrSlantedRims() {
    auto sections = formSections(5);
    const auto skin = skinThrough(sections);
    VERIFY_OK(skin);
    QCOMPARE(inspect::stateOf(**skin).openings.size(), size_t(1));
    const auto t = thicken(**skin, {1.5, ThickenSide::Outward, "s9"}, {});
    VERIFY_OK(t);
    verifySolid(*t);
    verifyWall(*t, "s9.front(t.skin0)", 1.5, 60);
  }

  void volumeAgreesWithTheMesh() {
    const auto t = thicken(*tumblerSkin(), {2.5, ThickenSide::Inward, "s9"}, {});
    const double exact = inspect::stateOf(*t->body).volumeMm3;
    const auto mesh = exportMesh(*t->body, {0.005, 4}, {});
    VERIFY_OK(mesh);
    QCOMPARE(mesh->openEdges(), 0);
    VERIFY_AT_MOST(std::abs(mesh->volumeMm3() / exact - 1), 0.001);
  }

  void aRimThatWouldFoldIsRefusedWithItsPlace() {
    const auto b = skinThrough({{*nurbs::polygon(levelAt(0), 55.9, 4, 13.06, {1e-3})},
                                {*nurbs::roundedRectangle(levelAt(28), 138, 84, 32, {1e-3})},
                                {*nurbs::ellipse(levelAt(50), 84, 61, {1e-3})},
                                {*nurbs::ellipse(levelAt(94), 126, 94, {1e-3})}});
    VERIFY_OK(b);
    VERIFY_OK(thicken(**b, {1.0, ThickenSide::Inward, "t"}, {}));
    const auto t = thicken(**b, {3.5, ThickenSide::Inward, "t"}, {});
    QVERIFY(!t);
    QCOMPARE(t.error().code, std::string("LM-T006"));
    QCOMPARE(t.error().where.size(), size_t(1));
    VERIFY_AT_MOST(std::abs(t.error().where[0].z()), 5);
  }

  void impossibleThicknessesAreRefusedWithAPlace() {
    const BodyPtr skin = tumblerSkin();
    const auto code = [&](double mm) { return thicken(*skin, {mm, ThickenSide::Inward, "s"}, {}).error(); };
    QCOMPARE(code(0).code, std::string("LM-T004"));
    QCOMPARE(code(std::nan("")).code, std::string("LM-T004"));
    QCOMPARE(code(1e300).code, std::string("LM-T004"));
    const Problem fold = code(60);
    QCOMPARE(fold.code, std::string("LM-T001"));
    QVERIFY(fold.measured->value < 60 && fold.measured->value > 5);
    QCOMPARE(fold.where.size(), size_t(1));
    const auto kinked = skinThrough(
        {{*nurbs::polygon(levelAt(0), 60, 6, 0, {0.001})}, {*nurbs::polygon(levelAt(50), 70, 6, 0, {0.001})}});
    VERIFY_OK(kinked);
    const auto r = thicken(**kinked, {2, ThickenSide::Inward, "s"}, {});
    VERIFY_OK(r);
    verifySolid(*r);
    for (int k = 0; k < 6; ++k) verifyWall(*r, "s.front(t.skin" + std::to_string(k) + ")", 2, 60);
  }

  void wallsThatWouldMeetAreRefused() {
    // A waist whose radii of curvature are larger than the room inside.
    const auto flat = [](double z, double w, double d) {
      return nurbs::Section{*nurbs::roundedRectangle(levelAt(z), w, d, d * 0.49, {0.001})};
    };
    const auto skin = skinThrough({flat(0, 60, 20), flat(40, 60, 8), flat(80, 60, 20)});
    VERIFY_OK(skin);
    const auto r = thicken(**skin, {4.5, ThickenSide::Inward, "s"}, {});
    QVERIFY(!r);
    QVERIFY(r.error().code == "LM-T001" || r.error().code == "LM-T005");
  }
};

static test::Register<ThickenTest> registeredThickenTest;
#include "thicken_test.moc"

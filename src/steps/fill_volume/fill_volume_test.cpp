#include "support/foreign.h"
#include "support/half_vessel.h"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// A straight beaker: inner radius 38, floor at z = 2, rim at z = 100, wall 2.
Bench beaker() {
  Bench b;
  b.add("ring", {{"width", 80}, {"height", 0}});
  b.add("ring", {{"width", 80}, {"height", 100}});
  b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
  b.run();
  std::string foot;
  for (const auto& e : b.body("s3")->edgeNames)
    if (e.find("|start") != std::string::npos) foot = e;
  b.add("cover", {{"edges", picks({pick("s3", "edge", foot)})}});
  b.run();
  b.add("thicken", {{"skin", picks({pick("s4")})}, {"thickness", 2}});
  b.run();
  return b;
}

double measured(Bench& b, const std::string& id, const std::string& name) {
  return b.result(id).outcome->measured.at(name).value;
}

} // namespace

class FillVolumeStepTest : public QObject {
  Q_OBJECT
private slots:
  void aBeakerHoldsItsCylinder() {
    Bench b = beaker();
    VERIFY_STEP(b, "s5");
    b.add("fill_volume", {{"body", picks({pick("s5")})}});
    b.run();
    VERIFY_STEP(b, "s6");
    const double inner = kPi * 38 * 38;
    VERIFY_AT_MOST(std::abs(measured(b, "s6", "filling") / (inner * 98) - 1), 2e-5);
    b.set("s6", "below", "1 cm");
    b.set("s6", "name", "mark");
    b.run();
    VERIFY_AT_MOST(std::abs(measured(b, "s6", "mark") / (inner * 88) - 1), 4e-5);
    b.add("plane", {{"distance", 52}});
    b.recipe.steps.insert(b.recipe.steps.begin(), b.recipe.steps.back());
    b.recipe.steps.pop_back();
    b.set("s6", "upTo", picks({pick("s7")}));
    b.run();
    VERIFY_AT_MOST(std::abs(measured(b, "s6", "mark") / (inner * 40) - 1), 8e-5);
  }

  void laterStepsUseItAndEarlierOnesCannot() {
    Bench b = beaker();
    b.add("fill_volume", {{"body", picks({pick("s5")})}});
    b.add("ring", {{"width", "filling^(1/3)"}});
    b.run();
    VERIFY_STEP(b, "s7");
    const double side = std::cbrt(measured(b, "s6", "filling"));
    VERIFY_AT_MOST(std::abs(2 * std::abs(b.curve("s7").start().norm()) - side), 1e-6);
    b.set("s2", "height", 60);
    b.run(); // it follows
    VERIFY_AT_MOST(std::abs(2 * b.curve("s7").start().norm() - std::cbrt(measured(b, "s6", "filling"))), 1e-6);
    QVERIFY(measured(b, "s6", "filling") < std::pow(side, 3) * 0.7);
    b.set("s1", "height", "filling / 1e6 mm2");
    b.run();
    QCOMPARE(b.code("s1"), std::string("LM-R024"));
    b.set("s1", "height", 0);
    b.set("s6", "name", "mm");
    b.run();
    QCOMPARE(b.code("s6"), std::string("LM-E005"));
    QVERIFY(b.result("s7").status != recipe::Status::Ok);
    b.set("s6", "name", "filling");
    b.add("fill_volume", {{"body", picks({pick("s5")})}});
    b.run();
    QCOMPARE(b.code("s8"), std::string("LM-R025"));
    b.set("s8", "name", "other");
    b.set("s5", "thickness", 90); // fails: what measures is stale, and so is what uses it
    b.run();
    QVERIFY(b.result("s6").status == recipe::Status::Stale && b.result("s7").status == recipe::Status::Stale);
  }

  void whatRunsOutIsRefused() {
    Bench b;
    b.add("ring", {{"width", 80}, {"height", 0}});
    b.add("ring", {{"width", 60}, {"height", 50}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("fill_volume", {{"body", picks({pick("s3")})}});
    b.run();
    QCOMPARE(b.code("s4"), std::string("LM-Q002"));
    QVERIFY(!b.result("s4").problem->where.empty());
    VERIFY_AT_MOST(std::abs(b.result("s4").problem->where[0].z()), 0.01);
    b.add("thicken", {{"skin", picks({pick("s3")})}, {"thickness", 2}}); // a tube: open below
    b.add("fill_volume", {{"body", picks({pick("s5")})}, {"name", "tube"}});
    b.run();
    QCOMPARE(b.code("s6"), std::string("LM-Q001"));
  }

  void foreignHollowsAreCutByTheKernelAndAgreeWithTheirSphere() {
    // A block with a half ball taken out of its top, and one with a ball shut in.
    const TopoDS_Shape block = BRepPrimAPI_MakeBox(gp_Pnt(-25, -25, -30), 50, 50, 30).Solid();
    const double r = 15;
    for (const bool open : {true, false}) {
      const TopoDS_Shape ball = BRepPrimAPI_MakeSphere(gp_Pnt(0, 0, open ? 0 : -15), open ? r : 8).Solid();
      Bench b;
      b.add("import", {{"file", b.file("block.brep", brepBytes({BRepAlgoAPI_Cut(block, ball).Shape()}))}});
      b.add("fill_volume", {{"body", picks({pick("s1")})}});
      b.run();
      VERIFY_STEP(b, "s1");
      if (!open) { // what is shut in cannot be filled
        QCOMPARE(b.code("s2"), std::string("LM-Q001"));
        continue;
      }
      VERIFY_STEP(b, "s2");
      VERIFY_AT_MOST(std::abs(measured(b, "s2", "filling") / (2 * kPi * r * r * r / 3) - 1), 1e-4);
      b.set("s2", "below", 6);
      b.run();
      VERIFY_STEP(b, "s2");
      const double h = r - 6, cap = kPi * h * h * (3 * r - h) / 3;
      VERIFY_AT_MOST(std::abs(measured(b, "s2", "filling") / cap - 1), 6e-4);
      b.set("s2", "below", 16);
      b.run();
      QCOMPARE(b.code("s2"), std::string("LM-Q001"));
      QVERIFY(!b.result("s2").problem->where.empty());
    }
  }

  void theLevelIsTheLowestPlaceOfWhatIsPicked() {
    Bench b = beaker();
    b.add("spline", {{"points", pointList({{60, 0, 80}, {70, 0, 50}, {80, 0, 60}})}});
    b.add("plane", {{"distance", 40}});
    b.add("fill_volume", {{"body", picks({pick("s5")})}, {"upTo", picks({pick("s6")})}});
    b.run();
    VERIFY_STEP(b, "s8");
    double low = 1e9;
    for (int i = 0; i <= 100000; ++i) low = std::min(low, b.curve("s6").at(i / 100000.0).z());
    QVERIFY(low < 50); // between its points
    VERIFY_AT_MOST(std::abs(measured(b, "s8", "filling") / (kPi * 38 * 38 * (low - 2)) - 1), 8e-5);
    b.set("s8", "upTo", picks({pick("world", "plane", "side")}));
    b.run();
    QCOMPARE(b.code("s8"), std::string("LM-Q003"));
  }

  void skinsAndTumblersAgreeWithSlices() {
    Bench b = tumbler();
    b.add("fill_volume", {{"body", picks({pick("s6")})}, {"upTo", picks({pick("s4")})}});
    b.run();
    VERIFY_STEP(b, "s7");
    // Slices through the inner face: its points are a wall's thickness inside the skin.
    double volume = 0;
    const nurbs::Surface* inside = nullptr;
    double narrow = 1e300;
    for (const auto& [name, f] : b.body("s6")->natural) {
      const Vec3 p = f.surface->at(0.3, 1.0), q = f.surface->at(0.3, 0.0);
      const double r = std::max(p.head<2>().norm(), q.head<2>().norm());
      if (std::abs(p.z() - q.z()) > 50 && r < narrow) narrow = r, inside = f.surface.get();
    }
    QVERIFY(inside);
    const int n = 400, m = 720;
    double before = 0, z0 = 0;
    for (int j = 0; j <= n; ++j) {
      double area = 0, z = 0;
      for (int i = 0; i < m; ++i) {
        const Vec3 p = inside->at(double(i) / m, double(j) / n), q = inside->at(double(i + 1) / m, double(j) / n);
        area += 0.5 * (p.x() * q.y() - p.y() * q.x());
        z += p.z() / m;
      }
      if (j) volume += 0.5 * (area + before) * (z - z0);
      before = area, z0 = z;
    }
    VERIFY_AT_MOST(std::abs(measured(b, "s7", "filling") / std::abs(volume) - 1), 2e-3);
  }
};

static test::Register<FillVolumeStepTest> registeredFillVolumeStepTest;
#include "fill_volume_test.moc"

#include "inspect/narrow.h"
#include "inspect/print_form.h"
#include "inspect/state.h"
#include "shapes/bodies.h"
#include "support/registry.h"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <gp_Ax2.hxx>

#include <functional>
#include <random>

using namespace lumsk;
using namespace lumsk::test;

namespace {

inspect::PrintForm printFormOf(const TopoDS_Shape& s, const brep::MeshLimits& limits = {0.02, 5}) {
  auto f = inspect::printForm(kernelBody(s), limits, {});
  return f ? std::move(*f) : inspect::PrintForm{};
}
TopoDS_Shape boxAt(double x, double y, double z, double dx, double dy, double dz) { return BRepPrimAPI_MakeBox(gp_Pnt(x, y, z), dx, dy, dz).Shape(); }
TopoDS_Shape turned(const TopoDS_Shape& s, const gp_Dir& about, double deg) {
  gp_Trsf t;
  t.SetRotation(gp_Ax1(gp_Pnt(7, -3, 5), about), radFromDeg(deg));
  return BRepBuilderAPI_Transform(s, t, true).Shape();
}
Vec3 turnedUp(const gp_Dir& about, double deg) { return Eigen::AngleAxisd(radFromDeg(deg), Vec3(about.X(), about.Y(), about.Z())) * Vec3::UnitZ(); }

/// A table: a plate of 60 x 40 at 20 on a post of 10 x 10, with a peg of 4 x 4 x 6 hanging from the plate.
TopoDS_Shape tableWithPeg() {
  return BRepAlgoAPI_Fuse(BRepAlgoAPI_Fuse(boxAt(-5, -5, 0, 10, 10, 20), boxAt(-30, -20, 20, 60, 40, 5)).Shape(), boxAt(20, 10, 14, 4, 4, 6)).Shape();
}

struct Walls {
  inspect::NarrowPlaces walls, gaps;
};
Walls narrowOf(const TopoDS_Shape& s, double limitMm) {
  const auto body = std::make_shared<const brep::Body>(kernelBody(s));
  std::vector<std::shared_ptr<const brep::FaceMesh>> meshes;
  for (auto& m : brep::displayMesh(*body, {0.03, 5}, 20000)) meshes.push_back(std::make_shared<brep::FaceMesh>(std::move(m)));
  const inspect::MeasuredForm form(body, std::move(meshes));
  return {inspect::narrowWalls(form, limitMm, {}), inspect::narrowGaps(form, limitMm, {})};
}

} // namespace

class PrintFormTest : public QObject {
  Q_OBJECT
private slots:
  void overhangIsThatOfClosedForms() {
    const double r = 20, layer = 0.2;
    // Of a ball what lies flatter than 45 degrees below, without the cap that stands on the bed.
    const double cap = 2 * kPi * r * r * (1 - std::cos(radFromDeg(45.0))) - 2 * kPi * r * layer;
    for (const double deg : {0.0, 33.0}) {
      const auto ball = printFormOf(turned(BRepPrimAPI_MakeSphere(gp_Pnt(3, 4, 5), r).Shape(), gp_Dir(1, 2, 0), deg));
      QCOMPARE(ball.openSides, 0);
      VERIFY_AT_MOST(std::abs(inspect::overhangOf(ball, {}).areaMm2 / cap - 1), 0.01);
    }
    // A table's plate without what stands under it, the peg's end with it; also when all of it leans.
    for (const double deg : {0.0, 40.0}) {
      const gp_Dir about(1, 0.3, 0.1);
      const auto table = printFormOf(turned(tableWithPeg(), about, deg));
      const inspect::Standing how{turnedUp(about, deg)};
      const auto over = inspect::overhangOf(table, how);
      VERIFY_AT_MOST(std::abs(over.areaMm2 / (60.0 * 40 - 100) - 1), 1e-6);
      VERIFY_AT_MOST(std::abs(over.bedMm2 / 100 - 1), 1e-6);
      QCOMPARE(over.patches.size(), size_t(2));
      VERIFY_AT_MOST(std::abs(over.patches[1].areaMm2 - 16), 1e-6);
    }
    // A cone on its tip: 30 degrees from upright lie steeper than 45, 60 flatter.
    const auto steep = printFormOf(BRepPrimAPI_MakeCone(0, 10, 10 / std::tan(radFromDeg(30.0))).Shape());
    VERIFY_AT_MOST(inspect::overhangOf(steep, {}).areaMm2, 1e-9);
    const auto flat = printFormOf(BRepPrimAPI_MakeCone(0, 10, 10 / std::tan(radFromDeg(60.0))).Shape());
    const double side = kPi * 10 * 10 / std::sin(radFromDeg(60.0)), below = std::pow(0.2 / (10 / std::tan(radFromDeg(60.0))), 2);
    VERIFY_AT_MOST(std::abs(inspect::overhangOf(flat, {}).areaMm2 / (side * (1 - below)) - 1), 0.005);
  }

  void theBestWayUpHasTheLeastOverhang() {
    // Half a ball on its round side: better on its flat one.
    const TopoDS_Shape half = BRepAlgoAPI_Cut(BRepPrimAPI_MakeSphere(15).Shape(), boxAt(-20, -20, 0, 40, 40, 20)).Shape();
    const gp_Dir about(0.4, 1, 0.2);
    for (const double deg : {0.0, 25.0}) {
      const auto form = printFormOf(turned(half, about, deg));
      const Vec3 best = inspect::bestUp(form, {}, {});
      VERIFY_AT_MOST(degFromRad(angleBetweenRad(best, -turnedUp(about, deg))), 0.1);
      VERIFY_AT_MOST(inspect::overhangOf(form, {best}).areaMm2, 1e-9);
    }
    const auto table = printFormOf(tableWithPeg());
    VERIFY_AT_MOST((inspect::bestUp(table, {}, {}) + Vec3::UnitZ()).norm(), 1e-9); // the plate lies on the bed
  }

  void allCavitiesAreFoundWithTheirVolumes() {
    std::mt19937 random(11);
    std::uniform_real_distribution<double> part(0, 1);
    for (int trial = 0; trial < 50; ++trial) {
      const int wanted = trial % 6;
      TopoDS_Shape s = boxAt(-40, -40, -40, 80, 80, 80);
      if (trial % 2) s = BRepAlgoAPI_Cut(s, BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, -50), gp_Dir(0, 0, 1)), 6, 100).Shape()).Shape();
      std::vector<double> volumes;
      for (int k = 0; k < wanted; ++k) { // one a corner: they keep clear of one another
        const gp_Pnt at(k & 1 ? 20 : -20, k & 2 ? 20 : -20, k & 4 ? 20 : -20);
        const double size = 3 + 8 * part(random);
        const TopoDS_Shape hollow = part(random) < 0.5 ? BRepPrimAPI_MakeSphere(at, size).Shape() : TopoDS_Shape(boxAt(at.X() - size, at.Y() - size, at.Z() - size, 2 * size, 2 * size, 2 * size));
        volumes.push_back(inspect::stateOf(kernelBody(hollow)).volumeMm3);
        s = BRepAlgoAPI_Cut(s, turned(hollow, gp_Dir(part(random), part(random), 1), 0)).Shape();
      }
      const auto shells = inspect::shellsOf(printFormOf(s, {0.05, 8}));
      std::vector<double> found;
      for (const auto& shell : shells)
        if (shell.volumeMm3 < 0) found.push_back(-shell.volumeMm3);
      QCOMPARE(found.size(), size_t(wanted));
      QCOMPARE(shells.size(), size_t(wanted + 1));
      std::sort(volumes.rbegin(), volumes.rend());
      for (size_t k = 0; k < found.size(); ++k) VERIFY_AT_MOST(std::abs(found[k] / volumes[k] - 1), 0.01);
    }
  }

  void theThinnestWallAndTheNarrowestGapAreFoundExactly() {
    // A ball in a ball, off its middle by 1: 3 at the one side, told along normals of the outer or the inner one.
    const TopoDS_Shape ball = BRepAlgoAPI_Cut(BRepPrimAPI_MakeSphere(20).Shape(), BRepPrimAPI_MakeSphere(gp_Pnt(0.6, 0.8, 0), 16).Shape()).Shape();
    const auto walls = narrowOf(ball, 3.5).walls;
    QVERIFY(walls.least.has_value());
    VERIFY_AT_MOST(std::abs(walls.least->mm - 3), 0.005);
    VERIFY_AT_MOST((walls.least->from.normalized() - Vec3(0.6, 0.8, 0)).norm(), 0.05);
    // It is thinner than 3.5 on a cap of either side, where the law of cosines says how far the other side is.
    const auto capOf = [](double radius, const std::function<double(double)>& wall) {
      double low = 0, high = kPi;
      for (int i = 0; i < 60; ++i) (wall(0.5 * (low + high)) < 3.5 ? low : high) = 0.5 * (low + high);
      return 2 * kPi * radius * radius * (1 - std::cos(low));
    };
    const double outer = capOf(20, [](double t) { return 20 - std::cos(t) - std::sqrt(256 - std::pow(std::sin(t), 2)); });
    const double inner = capOf(16, [](double t) { return std::sqrt(400 - std::pow(std::sin(t), 2)) - std::cos(t) - 16; });
    VERIFY_AT_MOST(std::abs(walls.areaMm2 / (outer + inner) - 1), 0.01);
    QVERIFY(!walls.below.empty());
    // Two cylinders that nearly touch: 0.37 between them.
    const TopoDS_Shape base = boxAt(-30, -12, -4, 60, 24, 5);
    const TopoDS_Shape two = BRepAlgoAPI_Fuse(BRepAlgoAPI_Fuse(base, BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(-10.185, 0, 0), gp_Dir(0, 0, 1)), 10, 30).Shape()).Shape(),
                                              BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(10.185, 0, 0), gp_Dir(0, 0, 1)), 10, 30).Shape()).Shape();
    const auto gaps = narrowOf(two, 0.5).gaps;
    QVERIFY(gaps.least.has_value());
    VERIFY_AT_MOST(std::abs(gaps.least->mm - 0.37), 0.005);
    for (const auto& g : gaps.below) VERIFY_AT_MOST(g.mm, 0.5);
    VERIFY_AT_MOST(std::hypot(gaps.least->from.y(), std::abs(gaps.least->from.x()) - 0.185), 0.2);
    QVERIFY(narrowOf(two, 0.3).gaps.below.empty());
  }

  void whatBeginsInTheAirIsAnIsland() {
    const auto table = printFormOf(tableWithPeg());
    const auto islands = inspect::islandsOf(table, {});
    QCOMPARE(islands.size(), size_t(1)); // the peg; the plate is carried by its post
    VERIFY_AT_MOST((islands[0] - Vec3(22, 12, 14)).norm(), 3);
    QVERIFY(inspect::islandsOf(table, {-Vec3::UnitZ()}).empty());
    QVERIFY(inspect::islandsOf(printFormOf(BRepPrimAPI_MakeSphere(9).Shape()), {}).empty());
    // The roof of a cavity begins nowhere new, but a knob that hangs from it does.
    const TopoDS_Shape hollow = BRepAlgoAPI_Cut(boxAt(-20, -20, -20, 40, 40, 40), boxAt(-10, -10, -10, 20, 20, 20)).Shape();
    QVERIFY(inspect::islandsOf(printFormOf(hollow), {}).empty());
    QCOMPARE(inspect::islandsOf(printFormOf(BRepAlgoAPI_Fuse(hollow, boxAt(-2, -2, 3, 4, 4, 8)).Shape()), {}).size(), size_t(1));
  }

  void hollowsHoldWhatIsPouredOverThem() {
    // A beaker of 40 inside, 60 deep, with a hole in its wall at 30: it holds what is below the hole.
    const TopoDS_Shape beaker = BRepAlgoAPI_Cut(BRepPrimAPI_MakeCylinder(23, 63).Shape(), BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, 3), gp_Dir(0, 0, 1)), 20, 70).Shape()).Shape();
    const auto pool = inspect::poolsOf(printFormOf(beaker), {}, {});
    QCOMPARE(pool.size(), size_t(1));
    VERIFY_AT_MOST(std::abs(pool[0].volumeMm3 / (kPi * 400 * 60) - 1), 0.03);
    QVERIFY(pool[0].at.z() < 6 && pool[0].at.head<2>().norm() < 20);
    const TopoDS_Shape holed = BRepAlgoAPI_Cut(beaker, boxAt(10, -4, 33, 20, 8, 8)).Shape();
    const auto lower = inspect::poolsOf(printFormOf(holed), {}, {});
    QCOMPARE(lower.size(), size_t(1));
    VERIFY_AT_MOST(std::abs(lower[0].volumeMm3 / (kPi * 400 * 30) - 1), 0.04);
    QVERIFY(inspect::poolsOf(printFormOf(beaker), {-Vec3::UnitZ()}, {}).empty());
    QVERIFY(inspect::poolsOf(printFormOf(turned(beaker, gp_Dir(1, 0, 0), 100)), {}, {}).empty());
  }

  void aBarFitsAcrossWhatItIsTooLongFor() {
    const auto bar = printFormOf(boxAt(0, 0, 0, 200, 10, 8));
    QVERIFY(!inspect::fitsInto(bar, Vec3::UnitZ(), {140, 140, 100}));
    QVERIFY(inspect::fitsInto(bar, Vec3::UnitZ(), {150, 150, 100}));
    QVERIFY(!inspect::fitsInto(bar, Vec3::UnitX(), {150, 150, 100}));
    const auto size = inspect::printSize(bar, Vec3::UnitZ());
    VERIFY_AT_MOST(std::abs(size.mm.z() - 8), 1e-9);
    VERIFY_AT_MOST(std::abs(size.turnDeg - 45), 1.01);
  }
};

static test::Register<PrintFormTest> registeredPrintFormTest;
#include "print_form_test.moc"

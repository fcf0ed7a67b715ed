#include "brep/mesh.h"
#include "brep/skin.h"
#include "inspect/state.h"
#include "inspect/wall.h"
#include "nurbs/measure/closest.h"
#include "shapes/bodies.h"
#include "support/registry.h"

#include <BRepBuilderAPI_Transform.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRep_Builder.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>

using namespace lumsk;
using namespace lumsk::test;

class StateTest : public QObject {
  Q_OBJECT
private slots:
  void bodiesOfTheKernelAreMeasuredTrue() {
    const auto box = inspect::stateOf(kernelBody(BRepPrimAPI_MakeBox(gp_Pnt(10, -5, 3), 20, 30, 40).Shape()));
    QVERIFY(box.solid && box.valid);
    QCOMPARE(box.faces, 6);
    VERIFY_AT_MOST(std::abs(box.volumeMm3 - 24000), 1e-6);
    VERIFY_AT_MOST(std::abs(box.areaMm2 - 2 * (600 + 800 + 1200)), 1e-6);
    VERIFY_AT_MOST((box.boxLow - Vec3(10, -5, 3)).norm() + (box.boxHigh - Vec3(30, 25, 43)).norm(), 1e-5);
    const auto ball = inspect::stateOf(kernelBody(BRepPrimAPI_MakeSphere(gp_Pnt(100, 0, 0), 12).Shape()));
    VERIFY_AT_MOST(std::abs(ball.volumeMm3 / (4.0 / 3 * kPi * 12 * 12 * 12) - 1), 1e-6);
    VERIFY_AT_MOST(std::abs(ball.areaMm2 / (4 * kPi * 144) - 1), 1e-6);
    VERIFY_AT_MOST((ball.boxHigh - Vec3(112, 12, 12)).norm(), 1e-3);
    const auto can = inspect::stateOf(
        kernelBody(BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, 50), gp_Dir(1, 0, 0)), 8, 25).Shape()));
    VERIFY_AT_MOST(std::abs(can.volumeMm3 / (kPi * 64 * 25) - 1), 1e-6);
  }

  void aThickenedVesselAgreesWithItsMesh() {
    const auto made = brep::thicken(*tumblerSkin(), {2.0, brep::ThickenSide::Inward, "t2"}, {});
    VERIFY_OK(made);
    const auto s = inspect::stateOf(*made->body);
    QVERIFY(s.solid && s.valid);
    QCOMPARE(s.openEdges, 0);
    QVERIFY(s.openings.empty());
    VERIFY_AT_MOST(s.largestToleranceMm, 0.01);
    const auto mesh = brep::exportMesh(*made->body, {0.002, 3}, {});
    VERIFY_OK(mesh);
    QCOMPARE(mesh->openEdges(), 0);
    VERIFY_AT_MOST(std::abs(mesh->volumeMm3() / s.volumeMm3 - 1), 1e-4);
    double area = 0;
    for (const auto& t : mesh->triangles)
      area += (mesh->points[t[1]] - mesh->points[t[0]]).cross(mesh->points[t[2]] - mesh->points[t[0]]).norm() / 2;
    VERIFY_AT_MOST(std::abs(area / s.areaMm2 - 1), 1e-4);
    Vec3 low = Vec3::Constant(1e9), high = -low;
    for (const Vec3& p : mesh->points) low = low.cwiseMin(p), high = high.cwiseMax(p);
    VERIFY_AT_MOST((low - s.boxLow).cwiseAbs().maxCoeff() + (high - s.boxHigh).cwiseAbs().maxCoeff(), 0.01);
  }

  void exportMeshesKeepTheirChordAndAngle() {
    const auto made = brep::thicken(*tumblerSkin(), {1.5, brep::ThickenSide::Both, "t2"}, {});
    VERIFY_OK(made);
    for (const brep::MeshLimits limits :
         {brep::MeshLimits{0.2, 30}, brep::MeshLimits{0.05, 10}, brep::MeshLimits{0.01, 40}}) {
      const auto mesh = brep::exportMesh(*made->body, limits, {});
      VERIFY_OK(mesh);
      QCOMPARE(mesh->openEdges(), 0);
      double far = 0, all = 0, turned = 0;
      for (size_t i = 0; i < mesh->triangles.size(); i += mesh->triangles.size() / 400) {
        const auto& t = mesh->triangles[i];
        const Vec3 a = mesh->points[t[0]], b = mesh->points[t[1]], c = mesh->points[t[2]];
        const Vec3 n = (b - a).cross(c - a).normalized();
        const double area = (b - a).cross(c - a).norm() / 2;
        if (std::abs(n.z()) > 0.9999) continue; // the flat rim and the middle of the bottom
        for (const Vec3& w : {Vec3(0.4, 0.35, 0.25), Vec3(0.1, 0.8, 0.1), Vec3(0.45, 0.5, 0.05)}) {
          const Vec3 p = w[0] * a + w[1] * b + w[2] * c;
          nurbs::ClosestOnSurface best;
          best.distanceMm = 1e9;
          Vec3 normal = Vec3::Zero();
          for (const auto& [name, f] : made->body->natural)
            if (const auto on = nurbs::closestPoint(*f.surface, p); on.distanceMm < best.distanceMm) {
              best = on;
              normal = f.surface->normal(on.u, on.v) * (f.reversed ? -1 : 1);
            }
          far = std::max(far, best.distanceMm);
          all += area;
          if (degFromRad(angleBetweenRad(n, normal)) > limits.angleDeg) turned += area;
        }
      }
      VERIFY_AT_MOST(far, limits.chordMm);
      VERIFY_AT_MOST(turned / all, 1e-3);
    }
  }

  void openingsAreRingsWithTheirLength() {
    const auto b = skinThrough(
        {{*nurbs::circle(levelAt(0), 40)}, {*nurbs::circle(levelAt(30), 60)}, {*nurbs::circle(levelAt(60), 50)}});
    VERIFY_OK(b);
    const auto s = inspect::stateOf(**b);
    QVERIFY(!s.solid);
    QCOMPARE(s.volumeMm3, 0.0);
    QCOMPARE(s.openings.size(), size_t(2));
    std::vector<double> lengths{s.openings[0].lengthMm, s.openings[1].lengthMm};
    std::sort(lengths.begin(), lengths.end());
    VERIFY_AT_MOST(std::abs(lengths[0] / (kPi * 40) - 1), 1e-3);
    VERIFY_AT_MOST(std::abs(lengths[1] / (kPi * 50) - 1), 1e-3);
    QCOMPARE(s.openEdges, 2);
  }

  void movedBodiesKeepTheirMeasures() {
    const auto made = brep::thicken(*tumblerSkin(), {2.0, brep::ThickenSide::Both, "t2"}, {});
    VERIFY_OK(made);
    Eigen::Isometry3d t = Eigen::Isometry3d::Identity();
    t.translate(Vec3(200, -30, 15));
    t.rotate(Eigen::AngleAxisd(0.7, Vec3(1, 2, 3).normalized()));
    const auto there = brep::moved(*made->body, t);
    VERIFY_OK(there);
    const auto a = inspect::stateOf(*made->body), b = inspect::stateOf(**there);
    VERIFY_AT_MOST(std::abs(b.volumeMm3 / a.volumeMm3 - 1), 1e-6);
    VERIFY_AT_MOST(std::abs(b.areaMm2 / a.areaMm2 - 1), 1e-6);
    QCOMPARE(b.controlPoints, a.controlPoints);
  }

  void wallsAreAsThickAsAskedOnEverySide() {
    for (const auto side : {brep::ThickenSide::Inward, brep::ThickenSide::Outward, brep::ThickenSide::Both}) {
      const auto made = brep::thicken(*tumblerSkin(), {3.0, side, "t2"}, {});
      VERIFY_OK(made);
      std::string front;
      for (const auto& n : made->body->faceNames)
        if (n.find("front") != std::string::npos) front = n;
      const auto walls = inspect::wallBelow(*made->body, front, 200);
      QVERIFY(walls.size() > 100);
      for (const auto& w : walls)
        if (w.toRimMm > 3.0) VERIFY_AT_MOST(std::abs(w.mm - 3.0), 0.005);
    }
  }

  /// Far from the origin too: volumes are seen from the body's middle.
  void whatIsInsideOutOrDoesNotMeetIsNotCalledValid() {
    brep::Body box;
    box.shape = BRepPrimAPI_MakeBox(30, 20, 10).Solid();
    QVERIFY(inspect::stateOf(box).valid);
    brep::Body turned;
    turned.shape = box.shape.Reversed();
    QVERIFY(!inspect::stateOf(turned).valid);
    brep::Body rough;
    rough.shape = BRepPrimAPI_MakeBox(30, 20, 10).Solid();
    BRep_Builder().UpdateEdge(TopoDS::Edge(TopExp_Explorer(rough.shape, TopAbs_EDGE).Current()), 3.0);
    QVERIFY(BRepCheck_Analyzer(rough.shape).IsValid()); // for the kernel any tolerance will do
    QVERIFY(!inspect::stateOf(rough).valid);
  }

  void aSolidOfNextToNoVolumeIsRefused() {
    const auto plate = [](double thick) {
      return brep::checkedSolid(BRepPrimAPI_MakeBox(gp_Pnt(1500, -900, 700), 10, 10, thick).Solid());
    };
    const auto foil = plate(0.0001);
    QVERIFY(!foil && foil.error().code == "LM-K008");
    QVERIFY(!foil.error().where.empty() && !foil.error().remedyText.empty());
    VERIFY_OK(plate(0.01));
    VERIFY_AT_MOST(std::abs(brep::massOf(*plate(0.01)).volumeMm3 - 1), 1e-3);
  }
};

static test::Register<StateTest> registeredStateTest;
#include "state_test.moc"

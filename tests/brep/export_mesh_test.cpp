#include "brep/knit.h"
#include "brep/mesh.h"
#include "support/mesh_checks.h"
#include "support/registry.h"

#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepPrimAPI_MakeTorus.hxx>

using namespace lumsk;
using namespace lumsk::test;

namespace {

brep::Body bodyOf(const TopoDS_Shape& s) {
  brep::Body b;
  b.shape = s;
  brep::nameBody(b, {});
  return b;
}

} // namespace

/// Meshes of shapes whose distance from any point is known in closed form.
class ExportMeshTest : public QObject {
  Q_OBJECT
private slots:
  void trianglesKeepTheirChordOnKnownShapes_data() {
    QTest::addColumn<int>("shape");
    QTest::addColumn<double>("chord");
    for (double chord : {0.2, 0.02})
      for (int shape = 0; shape < 4; ++shape)
        QTest::newRow(qPrintable(QString("shape %1, chord %2").arg(shape).arg(chord))) << shape << chord;
  }
  void trianglesKeepTheirChordOnKnownShapes() {
    QFETCH(int, shape);
    QFETCH(double, chord);
    const TopoDS_Shape shapes[] = {BRepPrimAPI_MakeSphere(20).Shape(), BRepPrimAPI_MakeCylinder(12, 30).Shape(),
                                   BRepPrimAPI_MakeTorus(30, 8).Shape(), BRepPrimAPI_MakeBox(10, 20, 30).Shape()};
    const double volumes[] = {4.0 / 3 * kPi * 8000, kPi * 144 * 30, 2 * kPi * kPi * 30 * 64, 6000};
    const auto off = [&](const Vec3& p) { // distance from the surface
      const double r = std::hypot(p.x(), p.y());
      if (shape == 0) return std::abs(p.norm() - 20);
      if (shape == 1) return std::min({std::abs(r - 12), std::abs(p.z()), std::abs(p.z() - 30)});
      if (shape == 2) return std::abs(std::hypot(r - 30, p.z()) - 8);
      return std::min({std::abs(p.x()), std::abs(p.x() - 10), std::abs(p.y()), std::abs(p.y() - 20), std::abs(p.z()),
                       std::abs(p.z() - 30)});
    };
    const auto mesh = brep::exportMesh(bodyOf(shapes[shape]), {chord, 20}, {});
    VERIFY_OK(mesh);
    QCOMPARE(mesh->openEdges(), 0);
    QCOMPARE(selfCrossings(*mesh), 0);
    VERIFY_AT_MOST(std::abs(mesh->volumeMm3() / volumes[shape] - 1), 0.4 * chord);
    for (const auto& t : mesh->triangles) {
      const Vec3 &a = mesh->points[size_t(t[0])], &b = mesh->points[size_t(t[1])], &c = mesh->points[size_t(t[2])];
      VERIFY_AT_MOST(off(a), 1e-6);
      for (const Vec3& p : {Vec3((a + b + c) / 3), Vec3((a + b) / 2), Vec3((b + c) / 2)})
        VERIFY_AT_MOST(off(p), chord * 1.001);
    }
  }

  void finerLimitsGiveMoreTrianglesAndCancelIsHonoured() {
    const brep::Body sphere = bodyOf(BRepPrimAPI_MakeSphere(20).Shape());
    const auto rough = brep::exportMesh(sphere, {0.2, 30}, {}), fine = brep::exportMesh(sphere, {0.2, 4}, {});
    VERIFY_OK(rough);
    VERIFY_OK(fine);
    QVERIFY(fine->triangles.size() > 4 * rough->triangles.size());
    Context cx;
    cx.cancel.cancel();
    const auto stopped = brep::exportMesh(sphere, {0.02, 4}, cx);
    QVERIFY(!stopped && isCancelled(stopped.error()));
  }
};

static test::Register<ExportMeshTest> registeredExportMeshTest;
#include "export_mesh_test.moc"

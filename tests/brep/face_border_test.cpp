#include "brep/face_border.h"

#include "brep/convert.h"
#include "brep/skin.h"
#include "shapes/bodies.h"
#include "support/registry.h"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepTools.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <gp_Ax2.hxx>

#include <random>

using namespace lumsk;
using namespace lumsk::brep;
using namespace lumsk::test;

class FaceBorderTest : public QObject {
  Q_OBJECT
private slots:
  /// Splines with holes, and a cylinder, whose places may lie within by whole turns.
  void placesAreWhereTheKernelSaysTheyAre() {
    TopoDS_Shape wavy = naturalFace(wavyForm(12, 2), false, {0.001});
    for (const auto& [x, y, radius] : {std::tuple{50.0, 90.0, 21.0}, {20.0, 30.0, 0.7}, {23.0, 30.0, 0.9}, {60.0, 40.0, 3.0}})
      wavy = BRepAlgoAPI_Cut(wavy, BRepPrimAPI_MakeCylinder(gp_Ax2(toPnt({x, y, -200}), gp_Dir(0, 0, 1)), radius, 400).Shape()).Shape();
    const TopoDS_Shape drum = BRepAlgoAPI_Cut(BRepPrimAPI_MakeCylinder(10, 30).Shape(), BRepPrimAPI_MakeCylinder(gp_Ax2(toPnt({0, 0, 15}), gp_Dir(1, 0, 0)), 4, 40).Shape()).Shape();
    std::mt19937 random(7);
    int within = 0, beyond = 0, faces = 0;
    for (const TopoDS_Shape& shape : {wavy, drum})
      for (TopExp_Explorer e(shape, TopAbs_FACE); e.More(); e.Next(), ++faces) {
        const TopoDS_Face f = TopoDS::Face(e.Current());
        double u0, u1, v0, v1;
        BRepTools::UVBounds(f, u0, u1, v0, v1);
        std::uniform_real_distribution<double> share(-0.1, 1.1);
        FaceBorder border(f);
        const BRepTopAdaptor_FClass2d kernel(f, 1e-9);
        for (int i = 0; i < 6000; ++i) {
          const Vec2 p(u0 + share(random) * (u1 - u0), v0 + share(random) * (v1 - v0));
          const bool is = kernel.Perform(gp_Pnt2d(p.x(), p.y())) != TopAbs_OUT;
          QVERIFY2(border.inside(p) == is, qPrintable(QString("face %1, place %2: %3, %4").arg(faces).arg(i).arg(p.x()).arg(p.y())));
          ++(is ? within : beyond);
        }
      }
    QVERIFY(faces >= 5 && within > 5000 && beyond > 5000);
  }
};

static test::Register<FaceBorderTest> registeredFaceBorderTest;
#include "face_border_test.moc"

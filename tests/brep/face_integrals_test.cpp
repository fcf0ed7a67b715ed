#include "brep/face_integrals.h"

#include "brep/convert.h"
#include "brep/skin.h"
#include "shapes/bodies.h"
#include "support/registry.h"

#include <BRepAlgoAPI_Common.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepGProp.hxx>
#include <BRepGProp_Domain.hxx>
#include <BRepGProp_Face.hxx>
#include <BRepGProp_Vinert.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <GProp_GProps.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <gp_Ax2.hxx>

using namespace lumsk;
using namespace lumsk::brep;
using namespace lumsk::test;

namespace {

TopoDS_Shape cylinder(const Vec3& at, double radius, double height) {
  return BRepPrimAPI_MakeCylinder(gp_Ax2(toPnt(at), gp_Dir(0, 0, 1)), radius, height).Shape();
}

} // namespace

class FaceIntegralsTest : public QObject {
  Q_OBJECT
private slots:
  /// Against the kernel's adaptive quadrature, which shares no code with it.
  void trimmedSplinesAgreeWithTheKernel() {
    const TopoDS_Face box = naturalFace(wavyForm(12, 2), false, {0.001});
    int faces = 0;
    for (const Vec3& at : {Vec3(50, 90, -200)})
      for (bool hole : {false, true}) {
        const TopoDS_Shape tool = cylinder(at, 21, 400);
        TopoDS_Shape made;
        if (hole)
          made = BRepAlgoAPI_Cut(box, tool).Shape();
        else
          made = BRepAlgoAPI_Common(box, tool).Shape();
        for (TopExp_Explorer e(made, TopAbs_FACE); e.More(); e.Next(), ++faces)
          for (TopAbs_Orientation way : {TopAbs_FORWARD, TopAbs_REVERSED}) {
            const TopoDS_Face f = TopoDS::Face(e.Current().Oriented(way));
            const Vec3 from(3, -2, 7);
            const auto ours = integralsOf(f, from, 0, 1e-7);
            GProp_GProps area(toPnt(from));
            BRepGProp::SurfaceProperties(f, area, 1e-5);
            BRepGProp_Face surface(f);
            BRepGProp_Domain borders(f);
            const BRepGProp_Vinert cone(surface, borders, toPnt(from), 1e-5);
            VERIFY_AT_MOST(std::abs(ours.areaMm2 / area.Mass() - 1), 1e-5);
            VERIFY_AT_MOST(std::abs(ours.momentMm3 - cone.Mass()), 1e-5 * area.Mass() * 50);
            VERIFY_AT_MOST((ours.areaFirst / ours.areaMm2 + from - toVec(area.CentreOfMass())).norm(), 1e-3);
          }
      }
    QVERIFY(faces >= 2);
  }

  /// One span of degree five, pulled far about: as blends and sweeps have them.
  void volumesOfFacesOfFewSpansAreExact() {
    Points p(36, 3);
    for (int i = 0; i < 6; ++i)
      for (int j = 0; j < 6; ++j)
        p.row(6 * i + j) << 14.0 * i + 25 * std::sin(2.0 * j), 9.0 * j + 12 * std::cos(1.7 * i), 30 * std::sin(1.3 * i) * std::cos(2.1 * j);
    const auto knots = std::vector<double>{0, 0, 0, 0, 0, 0, 1, 1, 1, 1, 1, 1};
    const TopoDS_Face f = naturalFace(nurbs::Surface::trusted(5, 5, knots, knots, p, false), false, {0.001});
    const Vec3 from(3, -2, 7);
    const double exact = integralsOf(f, from, 20, 1e-7).momentMm3;
    QVERIFY(std::abs(exact) > 1000);
    VERIFY_AT_MOST(std::abs(massOf(f, from).volumeMm3 / exact - 1), 1e-9);
  }

  /// A box with a round hole: exactly known, wherever it stands.
  void solidsWithHolesHaveTheirExactVolume() {
    for (const Vec3& at : {Vec3(0, 0, 0), Vec3(800, -400, 30)}) {
      const TopoDS_Shape box = BRepPrimAPI_MakeBox(toPnt(at), 40, 30, 20).Shape();
      const TopoDS_Shape made = BRepAlgoAPI_Cut(box, cylinder(at + Vec3(18, 14, -5), 6, 40)).Shape();
      const Mass mass = massOf(made);
      VERIFY_AT_MOST(std::abs(mass.volumeMm3 - (40.0 * 30 * 20 - kPi * 36 * 20)), 0.05);
      VERIFY_AT_MOST(std::abs(mass.areaMm2 - (2 * (1200 + 800 + 600) - 2 * kPi * 36 + 2 * kPi * 6 * 20)), 0.05);
    }
  }

  /// Borders of a rectangle of the domain that leave it by a little are taken to lie on it; by more the kernel measures.
  void bordersThatLeaveTheDomainALittleLieOnIt() {
    const nurbs::Surface form = wavyForm(12, 2);
    const TopoDS_Face whole = naturalFace(form, false, {0.001});
    const auto exact = integralsOf(whole, Vec3::Zero(), 0, 1e-7);
    const double v0 = form.firstV(), v1 = form.lastV();
    for (const double aside : {2e-6, 1e-5}) {
      const TopoDS_Face face = naturalFace(form, false, {0.001});
      BRep_Builder build;
      int edges = 0;
      for (TopExp_Explorer e(face, TopAbs_EDGE); e.More(); e.Next()) {
        const TopoDS_Edge edge = TopoDS::Edge(e.Current());
        double a, b;
        const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(edge, face, a, b);
        const gp_Pnt2d p = c->Value(0.5 * (a + b));
        if (std::abs(p.Y() - v0) > 1e-9) continue;
        const Handle(Geom2d_Curve) moved = Handle(Geom2d_Curve)::DownCast(c->Translated(gp_Vec2d(0, -aside * (v1 - v0))));
        build.UpdateEdge(edge, moved, face, 1e-3);
        ++edges;
      }
      QCOMPARE(edges, 1);
      const auto here = integralsOf(face, Vec3::Zero(), 0, 1e-7);
      VERIFY_AT_MOST(std::abs(here.areaMm2 / exact.areaMm2 - 1), 1e-9);
    }
  }
};

static test::Register<FaceIntegralsTest> registeredFaceIntegralsTest;
#include "face_integrals_test.moc"

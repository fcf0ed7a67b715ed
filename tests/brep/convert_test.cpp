#include "brep/combine.h"
#include "brep/convert.h"
#include "brep/mesh.h"
#include "brep/names.h"
#include "brep/skin.h"
#include "nurbs/measure/closest.h"
#include "shapes/bodies.h"
#include "support/registry.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <Geom_Circle.hxx>
#include <TColStd_Array1OfInteger.hxx>
#include <TColStd_Array1OfReal.hxx>
#include <TColgp_Array1OfPnt.hxx>
#include <gp_Pln.hxx>

using namespace lumsk;
using namespace lumsk::brep;
using namespace lumsk::test;

namespace {

/// A bicubic surface of 5 x 5 control points over the unit square.
nurbs::Surface wavySurface() {
  const nurbs::Knots knots{0, 0, 0, 0, 0.5, 1, 1, 1, 1};
  Points grid(25, 3);
  for (int i = 0; i < 5; ++i)
    for (int j = 0; j < 5; ++j) grid.row(i * 5 + j) << 10 * i, 8 * j, 3 * std::sin(i + 0.7 * j);
  return nurbs::Surface::trusted(3, 3, knots, knots, grid, false);
}

} // namespace

class ConvertTest : public QObject {
  Q_OBJECT
private slots:
  void onlyWholePolynomialFacesAreNatural() {
    const auto surface = wavySurface();
    const TopoDS_Face whole = brep::naturalFace(surface, true, {0.001});
    const auto natural = brep::naturalOf(whole);
    QVERIFY(natural && natural->reversed);
    for (int i = 0; i <= 20; ++i)
      VERIFY_AT_MOST((natural->surface->at(i / 20.0, 0.3) - surface.at(i / 20.0, 0.3)).norm(), 1e-12);
    const Handle(Geom_BSplineSurface) s = brep::toSurface(surface);
    QVERIFY(!brep::naturalOf(BRepBuilderAPI_MakeFace(s, 0.0, 0.5, 0.0, 1.0, 1e-6).Face())); // a part of it
    s->SetWeight(2, 2, 1.5);
    QVERIFY(!brep::naturalOf(BRepBuilderAPI_MakeFace(s, 1e-6).Face())); // rational
    QVERIFY(!brep::naturalOf(BRepBuilderAPI_MakeFace(gp_Pln(), 0, 1, 0, 1).Face()));
  }

  void rationalEdgesBecomeSplinesCloseToThem() {
    // A quarter circle as a rational spline.
    TColgp_Array1OfPnt poles(1, 3);
    poles(1) = gp_Pnt(20, 0, 0), poles(2) = gp_Pnt(20, 20, 0), poles(3) = gp_Pnt(0, 20, 0);
    TColStd_Array1OfReal weights(1, 3), knots(1, 2);
    weights(1) = weights(3) = 1, weights(2) = std::sqrt(0.5), knots(1) = 0, knots(2) = 1;
    TColStd_Array1OfInteger counts(1, 2);
    counts(1) = counts(2) = 3;
    const Handle(Geom_BSplineCurve) c = new Geom_BSplineCurve(poles, weights, knots, counts, 2);
    const auto path = brep::toPath(BRepBuilderAPI_MakeEdge(c).Edge());
    QVERIFY(path);
    for (int i = 0; i <= 200; ++i)
      VERIFY_AT_MOST(std::abs(path->at(path->last() * i / 200).norm() - 20), brep::kRefittedMm);
  }

  void curvesSurviveTheWayThereAndBack() {
    const Frame f = Frame::fromNormal({3, 4, 5}, {1, 2, 3});
    for (const nurbs::Path& p :
         {*nurbs::circle(f, 20), *nurbs::ellipse(f, 20, 50, {0.001}), *nurbs::arc(f, 12, 30, 200, {0.001}),
          *nurbs::line({1, 2, 3}, {4, 5, 9}, {0.001}), *nurbs::superellipse(f, 30, 20, 3, {})}) {
      const BoundedCurve c = toCurve(p.segments()[0]);
      for (int i = 0; i <= 10; ++i)
        VERIFY_AT_MOST((toVec(c.curve->Value(c.first + (c.last - c.first) * i / 10)) - p.at(i / 10.0)).norm(), 1e-9);
      const auto back = toPath(BRepBuilderAPI_MakeEdge(c.curve, c.first, c.last).Edge());
      QVERIFY(back.has_value());
      for (int i = 0; i <= 10; ++i) VERIFY_AT_MOST((back->at(i / 10.0) - p.at(i / 10.0)).norm(), 1e-9);
    }
    QVERIFY(dynamic_cast<Geom_Circle*>(toCurve(nurbs::circle(f, 20)->segments()[0]).curve.get()));
  }

  void displayMeshesLieOnTheirSurfaceAndFaceOutwards() {
    const BodyPtr b = tumblerSkin();
    const auto meshes = displayMesh(*b, {0.05, 8}, 20000);
    QCOMPARE(meshes.size(), size_t(1));
    const auto& surface = *b->natural.begin()->second.surface;
    double worst = 0;
    for (const auto& t : meshes[0].triangles) {
      const Vec3 m = (meshes[0].points[t[0]] + meshes[0].points[t[1]] + meshes[0].points[t[2]]) / 3;
      const Vec3 n =
          (meshes[0].points[t[1]] - meshes[0].points[t[0]]).cross(meshes[0].points[t[2]] - meshes[0].points[t[0]]);
      QVERIFY(n.dot(meshes[0].normals[t[0]]) > 0);
      QVERIFY(n.dot(m - Vec3(0, 0, 60)) > 0);
      if (&t - meshes[0].triangles.data() < 2000) worst = std::max(worst, nurbs::closestPoint(surface, m).distanceMm);
    }
    VERIFY_AT_MOST(worst, 0.15); // chords of both directions add up
  }

  void partsAreFoundByNameAndElseByShape() {
    const BodyPtr b = tumblerSkin();
    const auto rim = std::find(b->edgeNames.begin(), b->edgeNames.end(), "t.skin0|end");
    QVERIFY(rim != b->edgeNames.end());
    const int index = int(rim - b->edgeNames.begin());
    const Signature s = signatureOf(*b, PartKind::Edge, index);
    QCOMPARE(findPart(*b, PartKind::Edge, *rim, nullptr).index, index);
    const Found byShape = findPart(*b, PartKind::Edge, "gone", &s);
    QCOMPARE(byShape.index, index);
    QVERIFY(byShape.doubtful);
    Signature far = s;
    far.middle += Vec3(30, 0, 0);
    QCOMPARE(findPart(*b, PartKind::Edge, "gone", &far).index, -1);
  }

  void aNameIsDoubtedWhereAnotherPartLiesJustAsTheWantedOneDid() {
    const Body box = kernelBody(BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 0), 60, 40, 20).Shape());
    const Signature side = signatureOf(box, PartKind::Face, 0), far = signatureOf(box, PartKind::Face, 4);
    QVERIFY(angleBetweenRad(side.direction, far.direction) > 1);
    const Found exact = findPart(box, PartKind::Face, box.faceNames[4], &far);
    QVERIFY(exact.index == 4 && !exact.doubtful);
    const Found other = findPart(box, PartKind::Face, box.faceNames[4], &side);
    QVERIFY(other.index == 4 && other.doubtful);
    // Of a form that was moved away, nothing lies where it did: the name holds.
    Eigen::Isometry3d t(Eigen::Translation3d(500, 0, 0));
    t.rotate(Eigen::AngleAxisd(1.4, Vec3::UnitZ()));
    const auto away = moved(box, t);
    VERIFY_OK(away);
    const Found still = findPart(**away, PartKind::Face, box.faceNames[4], &far);
    QVERIFY(still.index == 4 && !still.doubtful);
  }

  void facesThatACutTurnsOverSayWhichSideIsOut() {
    const auto wall = thicken(*tumblerSkin(), {2, ThickenSide::Outward, "w"}, {});
    VERIFY_OK(wall);
    const Body box = kernelBody(BRepPrimAPI_MakeBox(gp_Pnt(-100, -100, -50), 200, 200, 250).Shape());
    const auto hollow = combinedHere(std::make_shared<Body>(box), {wall->body}, Combine::Cut, {});
    VERIFY_OK(hollow);
    const Body& b = *hollow->front();
    int natural = 0;
    const auto all = faces(b);
    for (size_t i = 0; i < all.size(); ++i) {
      const auto n = b.natural.find(b.faceNames[i]);
      if (n == b.natural.end()) continue;
      ++natural;
      QCOMPARE(n->second.reversed, all[i].Orientation() == TopAbs_REVERSED);
      QVERIFY(n->second.reversed != wall->body->natural.at(n->first).reversed);
    }
    QVERIFY(natural >= 2);
  }

  void movedBodiesKeepTheirNames() {
    const BodyPtr b = tumblerSkin();
    Eigen::Isometry3d t = Eigen::Isometry3d::Identity();
    t.translate(Vec3(5, 6, 7));
    t.rotate(Eigen::AngleAxisd(0.5, Vec3::UnitX()));
    const auto m = moved(*b, t);
    VERIFY_OK(m);
    QCOMPARE((*m)->edgeNames, b->edgeNames);
    const Signature s = signatureOf(*b, PartKind::Face, 0), q = signatureOf(**m, PartKind::Face, 0);
    VERIFY_AT_MOST((t * s.middle - q.middle).norm(), 1e-9);
  }
};

static test::Register<ConvertTest> registeredConvertTest;
#include "convert_test.moc"

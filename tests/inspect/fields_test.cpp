#include "inspect/cut.h"
#include "inspect/wall.h"
#include "shapes/bodies.h"
#include "support/registry.h"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepPrimAPI_MakeTorus.hxx>

using namespace lumsk;
using namespace lumsk::test;

namespace {

inspect::MeasuredForm formOf(brep::BodyPtr b, const brep::MeshLimits& limits = {0.03, 5}, int budget = 20000) {
  std::vector<std::shared_ptr<const brep::FaceMesh>> meshes;
  for (auto& m : brep::displayMesh(*b, limits, budget))
    meshes.push_back(std::make_shared<brep::FaceMesh>(std::move(m)));
  return {b, std::move(meshes)};
}
inspect::MeasuredForm formOf(const TopoDS_Shape& s, const brep::MeshLimits& limits = {0.03, 5}) {
  return formOf(std::make_shared<const brep::Body>(kernelBody(s)), limits);
}
template <class F> void forEachPoint(const inspect::MeasuredForm& form, const F& f) {
  for (size_t m = 0; m < form.meshes().size(); ++m)
    for (size_t i = 0; i < form.meshes()[m]->points.size(); ++i) f(int(m), i, *form.meshes()[m]);
}
TopoDS_Shape hollowBall() {
  return BRepAlgoAPI_Cut(BRepPrimAPI_MakeSphere(20).Shape(), BRepPrimAPI_MakeSphere(gp_Pnt(1, 0, 0), 16).Shape())
      .Shape();
}

} // namespace

class FieldsTest : public QObject {
  Q_OBJECT
private slots:
  void curvatureOfKnownShapesIsTrueAndBulgesArePositive() {
    const auto ball = formOf(BRepPrimAPI_MakeSphere(12).Shape());
    const auto field = inspect::curvatureField(ball, 0);
    forEachPoint(ball, [&](int, size_t i, const brep::FaceMesh& m) {
      if (std::abs(std::abs(m.points[i].z()) - 12) < 1e-6) return; // the poles have no curvature of their own
      VERIFY_AT_MOST(std::abs(field[i].a * 12 - 1) + std::abs(field[i].b * 12 - 1), 1e-5);
    });
    const auto torus = formOf(BRepPrimAPI_MakeTorus(30, 8).Shape());
    forEachPoint(torus, [&](int m, size_t i, const brep::FaceMesh& mesh) {
      const auto place = torus.surface(m).at(mesh.places[i]);
      const double rho = std::hypot(place.point.x(), place.point.y());
      const double round = (rho - 30) / (8 * rho); // negative inside the hole
      VERIFY_AT_MOST(std::abs(place.gauss() - round / 8), 1e-9);
      VERIFY_AT_MOST(std::abs(place.mean() - 0.5 * (1.0 / 8 + round)), 1e-9);
    });
  }

  void curvatureOfSplineFacesAgreesWithDifferencesOfNormals() {
    const auto form = formOf(tumblerSkin());
    const auto& s = form.surface(0);
    const nurbs::Surface& spline = *form.body().natural.begin()->second.surface;
    for (int i = 1; i < 10; ++i)
      for (int j = 1; j < 10; ++j) {
        const Vec2 uv(spline.firstU() + (spline.lastU() - spline.firstU()) * (i + 0.13) / 10,
                      spline.firstV() + (spline.lastV() - spline.firstV()) * (j + 0.41) / 10);
        const auto place = s.at(uv);
        // Weingarten: the normal turns by k along the way; its divergence is twice the mean curvature.
        const double h = 1e-5;
        const auto d = s.first(uv);
        const Vec3 nu = (s.outward(uv + Vec2(h, 0)) - s.outward(uv - Vec2(h, 0))) / (2 * h),
                   nv = (s.outward(uv + Vec2(0, h)) - s.outward(uv - Vec2(0, h))) / (2 * h);
        Eigen::Matrix2d I, II;
        I << d.du.dot(d.du), d.du.dot(d.dv), d.du.dot(d.dv), d.dv.dot(d.dv);
        II << d.du.dot(nu), d.du.dot(nv), d.dv.dot(nu), d.dv.dot(nv);
        const Eigen::Matrix2d W = I.inverse() * II;
        VERIFY_AT_MOST(std::abs(W.trace() / 2 - place.mean()), 1e-6 * std::abs(place.largest) + 1e-9);
        VERIFY_AT_MOST(std::abs(W.determinant() - place.gauss()), 2e-6 * place.largest * place.largest + 1e-10);
      }
  }

  void wallsOfAHollowBallAreTrueFromEveryPlace() {
    const auto form = formOf(hollowBall(), {0.2, 10}); // coarse: what is exact must not depend on it
    double worst = 0;
    int places = 0;
    forEachPoint(form, [&](int m, size_t i, const brep::FaceMesh& mesh) {
      const auto place = form.surface(m).at(mesh.places[i]);
      const auto wall = inspect::wallAt(form, place.point, place.normal, true);
      QVERIFY(wall);
      // The ray meets the other ball: a quadratic equation.
      const bool outer = std::abs(place.point.norm() - 20) < 1e-6;
      const Vec3 o = place.point - (outer ? Vec3(1, 0, 0) : Vec3(Vec3::Zero())), d = -place.normal;
      const double R = outer ? 16 : 20, b = o.dot(d), root = std::sqrt(b * b - (o.squaredNorm() - R * R));
      worst = std::max(worst, std::abs(*wall - (outer ? -b - root : -b + root)));
      ++places;
    });
    QVERIFY(places > 200);
    VERIFY_AT_MOST(worst, 1e-6);
    const auto coarse = inspect::wallField(form, 0, false, {});
    const auto exact = inspect::wallField(form, 0, true, {});
    for (size_t i = 0; i < exact.size(); ++i) VERIFY_AT_MOST(std::abs(coarse[i].a - exact[i].a), 0.5);
  }

  void wallsOfAThickenedVesselAreThoseOfTheKernelsRays() {
    const auto made = brep::thicken(*tumblerSkin(), {2.0, brep::ThickenSide::Inward, "t", {}}, {});
    QVERIFY(made);
    const auto form = formOf(made->body);
    const std::string face = made->body->natural.begin()->first;
    const auto samples = inspect::wallBelow(*made->body, face, 150);
    const auto mesh =
        std::find_if(form.meshes().begin(), form.meshes().end(), [&](const auto& m) { return m->face == face; });
    const auto& s = form.surface(int(mesh - form.meshes().begin()));
    QVERIFY(samples.size() == 150);
    for (const auto& w : samples) {
      const auto on = form.tree().nearest(w.at);
      const auto place = s.at(s.nearest(w.at, form.tree().parametersAt(*on)));
      VERIFY_AT_MOST((place.point - w.at).norm(), 1e-6);
      if (w.toRimMm < 2) continue;
      const auto wall = inspect::wallAt(form, place.point, place.normal, true);
      QVERIFY(wall);
      VERIFY_AT_MOST(std::abs(*wall - w.mm), 0.005);
    }
  }

  void deviationsBetweenBallsAreSignedAndExact() {
    const auto small = formOf(BRepPrimAPI_MakeSphere(gp_Pnt(0.3, 0, 0), 10).Shape(), {0.3, 12}),
               large = formOf(BRepPrimAPI_MakeSphere(10.5).Shape(), {0.3, 12});
    forEachPoint(small, [&](int m, size_t i, const brep::FaceMesh& mesh) {
      const auto place = small.surface(m).at(mesh.places[i]);
      const auto d = inspect::deviationAt({&large, nullptr}, place.point, place.normal, true);
      QVERIFY(d);
      VERIFY_AT_MOST(std::abs(*d - (place.point.norm() - 10.5)), 1e-5); // negative: it lies inside
    });
  }

  void aTreeFindsTheSameNearestPlaceAsLookingEverywhere() {
    const auto form = formOf(BRepPrimAPI_MakeTorus(30, 8).Shape(), {0.5, 15});
    const brep::FaceMesh& m = *form.meshes()[0];
    std::mt19937 rng(7);
    std::uniform_real_distribution<double> far(-50, 50);
    for (int k = 0; k < 200; ++k) {
      const Vec3 p(far(rng), far(rng), far(rng) * 0.4);
      const auto on = form.tree().nearest(p);
      QVERIFY(on);
      VERIFY_AT_MOST(std::abs((on->point - p).norm() - on->distanceMm), 1e-12);
      double best = 1e300;
      for (const Vec3& q : m.points) best = std::min(best, (q - p).norm());
      QVERIFY(on->distanceMm <= best + 1e-12);
      VERIFY_AT_MOST(best - on->distanceMm, 6.0); // no farther than a triangle is wide
    }
  }

  void aCutOfATorusGivesItsCirclesWithTheirCurvature() {
    const auto form = formOf(BRepPrimAPI_MakeTorus(30, 8).Shape());
    const auto level = inspect::cutOf(form, levelAt(3));
    const double out = std::sqrt(64.0 - 9);
    QCOMPARE(int(level.lines.size()), 2);
    for (const auto& l : level.lines) {
      QVERIFY(l.closed);
      const bool outer = l.points[0].head<2>().norm() > 30;
      for (size_t i = 0; i < l.points.size(); ++i) {
        const double rho = l.points[i].head<2>().norm();
        VERIFY_AT_MOST(std::abs(rho - (outer ? 30 + out : 30 - out)), 1e-7);
        VERIFY_AT_MOST(std::abs(l.points[i].z() - 3), 1e-9);
        VERIFY_AT_MOST(std::abs(l.bend[i].norm() * rho - 1), 1e-6);
        QVERIFY(l.bend[i].dot(l.points[i]) < 0); // towards the middle
      }
    }
    VERIFY_AT_MOST(std::abs(level.areaMm2 / (kPi * (std::pow(30 + out, 2) - std::pow(30 - out, 2))) - 1), 2e-3);
    QVERIFY(level.thinnest);
    VERIFY_AT_MOST(std::abs(level.thinnest->mm - 2 * out), 2e-3);
    // Upright through the middle: two circles of the tube.
    const auto upright = inspect::cutOf(form, {Vec3::Zero(), Vec3::UnitX(), Vec3::UnitZ()});
    QCOMPARE(int(upright.lines.size()), 2);
    for (const auto& l : upright.lines)
      for (const auto& b : l.bend) VERIFY_AT_MOST(std::abs(b.norm() * 8 - 1), 1e-6);
  }

  void aCutOfABoxIsFilledAndMeasured() {
    const auto form = formOf(BRepPrimAPI_MakeBox(gp_Pnt(-5, -10, 0), 10, 20, 30).Shape());
    const auto cut = inspect::cutOf(form, levelAt(12.5));
    QCOMPARE(int(cut.lines.size()), 1);
    QVERIFY(cut.lines[0].closed);
    VERIFY_AT_MOST(std::abs(cut.areaMm2 - 200), 1e-6);
    VERIFY_AT_MOST(std::abs(cut.lengthMm - 60), 1e-6);
    VERIFY_AT_MOST((cut.high - cut.low - Vec2(10, 20)).norm(), 1e-9);
    QVERIFY(inspect::cutOf(form, levelAt(31)).empty());
    // A hollow ball: a ring is filled, not its hole.
    const auto ring = inspect::cutOf(formOf(hollowBall()), levelAt(0));
    VERIFY_AT_MOST(std::abs(ring.areaMm2 - kPi * (400 - 256)), 1.0);
    QVERIFY(ring.thinnest);
    VERIFY_AT_MOST(std::abs(ring.thinnest->mm - 3), 0.005);
  }

  void aCutAlongEdgesHasNoGaps() {
    // A block on its corner, cut through two upright edges, of which each face has its own rounding.
    gp_Trsf turn;
    turn.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), kPi / 4);
    const auto body = std::make_shared<const brep::Body>(kernelBody(BRepBuilderAPI_Transform(BRepPrimAPI_MakeBox(gp_Pnt(-10, -10, 0), 20, 20, 30).Shape(), turn).Shape()));
    std::vector<std::shared_ptr<const brep::FaceMesh>> meshes;
    for (brep::FaceMesh m : brep::displayMesh(*body, {0.03, 5}, 20000)) {
      double side = 0;
      for (const Vec3& p : m.points) side += p.x();
      for (Vec3& p : m.points)
        if (std::abs(p.x()) < 1e-6) p.x() = side > 0 ? 1e-9 : -1e-9;
      meshes.push_back(std::make_shared<brep::FaceMesh>(std::move(m)));
    }
    const auto cut = inspect::cutOf({body, meshes}, {Vec3::Zero(), Vec3::UnitY(), Vec3::UnitZ()});
    QCOMPARE(cut.lines.size(), size_t(1));
    QVERIFY(cut.lines[0].closed);
    VERIFY_AT_MOST(std::abs(cut.areaMm2 - 20 * std::sqrt(2.0) * 30), 1e-5);
  }

  void aSharpCornerIsNoThinWall() {
    // A wedge of 60 degrees: across it near the corner there is next to nothing, but it is no wall there.
    BRepBuilderAPI_MakePolygon outline(gp_Pnt(0, 0, 0), gp_Pnt(30, 0, 0), gp_Pnt(15, 15 * std::sqrt(3.0), 0), true);
    const auto wedge = formOf(BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(outline.Wire()).Shape(), gp_Vec(0, 0, 10)).Shape());
    const auto cut = inspect::cutOf(wedge, levelAt(5));
    VERIFY_AT_MOST(std::abs(cut.areaMm2 - 225 * std::sqrt(3.0)), 1e-5);
    QVERIFY(!cut.thinnest || cut.thinnest->mm > 20); // from side to side at most
  }

  void aCutOfAnOpenSkinIsNeitherFilledNorClosed() {
    const auto cut = inspect::cutOf(formOf(tumblerSkin()), {Vec3::Zero(), Vec3::UnitX(), Vec3::UnitZ()});
    QVERIFY(!cut.empty());
    for (const auto& l : cut.lines) QVERIFY(!l.closed);
    QVERIFY(!cut.thinnest && cut.areaMm2 == 0);
  }
};
static test::Register<FieldsTest> registeredFieldsTest;
#include "fields_test.moc"

#include "brep/curves_on.h"
#include "nurbs/measure/arc_length.h"
#include "support/registry.h"

#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepPrimAPI_MakeTorus.hxx>
#include <gp_Ax2.hxx>

using namespace lumsk;
using namespace lumsk::brep;

/// Curves on closed bodies with seams and poles, against closed forms; touching ones too.
class CurvesOnTest : public QObject {
  Q_OBJECT

  static BodyFaces facesOf(const TopoDS_Shape& s, int only = -1) {
    Body b;
    b.shape = s;
    b.faceNames.resize(faces(b).size());
    for (size_t i = 0; i < b.faceNames.size(); ++i) b.faceNames[i] = "f" + std::to_string(i);
    bodies().push_back(std::make_unique<Body>(std::move(b)));
    auto f = BodyFaces::of(*bodies().back(), only, {});
    if (!f) qFatal("%s", sentence(f.error()).c_str());
    return std::move(*f);
  }
  static std::vector<std::unique_ptr<Body>>& bodies() {
    static std::vector<std::unique_ptr<Body>> all;
    return all;
  }
  static gp_Ax2 axis(double x, double y, double z, double dx, double dy, double dz) {
    return {gp_Pnt(x, y, z), gp_Dir(dx, dy, dz)};
  }
  static double length(const FoundCurves& f) {
    double sum = 0;
    for (const auto& c : f.curves) sum += nurbs::ArcLength(c).total();
    return sum;
  }
  static double worst(const FoundCurves& f, const std::function<double(const Vec3&)>& off) {
    double w = 0;
    for (const auto& c : f.curves)
      for (int i = 0; i <= 200; ++i) w = std::max(w, off(c.at(c.last() * i / 200)));
    return w;
  }

private slots:
  void sectionsGoWholeThroughPolesAndSeams() {
    const BodyFaces ball = facesOf(BRepPrimAPI_MakeSphere(20).Shape());
    for (const Vec3& n : {Vec3(1, 0, 0), Vec3(0, 1, 0), Vec3(1, 1, 0), Vec3(0.2, 0.5, 1), Vec3(0, 0, 1)}) {
      const auto cut = ball.cutBy(Frame::fromNormal(Vec3::Zero(), n), {});
      VERIFY_OK(cut);
      QCOMPARE(cut->curves.size(), size_t(1));
      QVERIFY(cut->curves[0].closed());
      VERIFY_AT_MOST(std::abs(length(*cut) - 40 * kPi), 0.002);
      VERIFY_AT_MOST(worst(*cut, [](const Vec3& p) { return std::abs(p.norm() - 20); }), 0.001);
      const auto outline = ball.silhouette(n, {});
      VERIFY_OK(outline);
      QCOMPARE(outline->curves.size(), size_t(1));
      VERIFY_AT_MOST(std::abs(length(*outline) - 40 * kPi), 0.002);
    }
  }

  void bodiesThatTouchAlongACurveOrAtAPlaceSaySo() {
    // A ball in a tube of its own radius, a torus on a plane, two balls side by side.
    const BodyFaces ball = facesOf(BRepPrimAPI_MakeSphere(20).Shape());
    const BodyFaces tube = facesOf(BRepPrimAPI_MakeCylinder(axis(0, 0, -30, 0, 0, 1), 20, 60).Shape(), 0);
    const auto ring = ball.meeting(tube, {});
    VERIFY_OK(ring);
    QVERIFY(ring->contact);
    VERIFY_AT_MOST(std::abs(length(*ring) - 40 * kPi), 0.02);
    VERIFY_AT_MOST(worst(*ring, [](const Vec3& p) { return std::abs(p.head<2>().norm() - 20) + std::abs(p.z()); }),
                   0.02);
    const BodyFaces torus = facesOf(BRepPrimAPI_MakeTorus(30, 8).Shape());
    const auto rim = torus.cutBy(Frame::fromNormal({0, 0, 8}, Vec3::UnitZ()), {});
    VERIFY_OK(rim);
    QCOMPARE(rim->curves.size(), size_t(1));
    QVERIFY(rim->contact);
    VERIFY_AT_MOST(std::abs(length(*rim) - 60 * kPi), 0.02);
    const BodyFaces other = facesOf(BRepPrimAPI_MakeSphere(axis(35, 0, 0, 0, 1, 0), 15).Shape());
    const auto touch = ball.meeting(other, {});
    VERIFY_OK(touch);
    QCOMPARE(touch->curves.size(), size_t(0));
    QCOMPARE(touch->touches.size(), size_t(1));
    VERIFY_AT_MOST((touch->touches[0] - Vec3(20, 0, 0)).norm(), 0.01);
  }

  void tubesOfOneRadiusMeetInTwoEllipsesThatCross() {
    const BodyFaces a = facesOf(BRepPrimAPI_MakeCylinder(axis(0, 0, -40, 0, 0, 1), 15, 80).Shape(), 0);
    const BodyFaces b = facesOf(BRepPrimAPI_MakeCylinder(axis(-40, 0, 0, 1, 0, 0), 15, 80).Shape(), 0);
    const auto r = a.meeting(b, {});
    VERIFY_OK(r);
    // Perimeter of an ellipse with half axes 15 and 15 sqrt(2), by the complete elliptic integral.
    double ellipse = 0;
    constexpr int n = 100000;
    for (int i = 0; i < n; ++i) {
      const double t = 2 * kPi * (i + 0.5) / n;
      ellipse += 15 * std::hypot(std::sin(t), std::sqrt(2.0) * std::cos(t)) * 2 * kPi / n;
    }
    VERIFY_AT_MOST(std::abs(length(*r) - 2 * ellipse), 0.02);
    VERIFY_AT_MOST(worst(*r, [](const Vec3& p) { return std::abs(p.head<2>().norm() - 15); }), 0.001);
    VERIFY_AT_MOST(worst(*r, [](const Vec3& p) { return std::abs(p.tail<2>().norm() - 15); }), 0.001);
  }
};

static test::Register<CurvesOnTest> registeredCurvesOnTest;
#include "curves_on_test.moc"

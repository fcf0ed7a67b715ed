#include "scene/picker.h"
#include "support/recipes.h"

#include <Eigen/LU>

using namespace lumsk;
using namespace lumsk::test;
using recipe::Kind;

namespace {

/// Parallel camera from the front (looks along +y), 400 x 400 pixels, 0.5 mm a pixel about (0, 0, 50).
scene::Camera frontCamera() {
  scene::Camera c;
  c.width = c.height = 400;
  c.worldToClip.setZero();
  c.worldToClip(0, 0) = 0.01;
  c.worldToClip(1, 2) = 0.01;
  c.worldToClip(1, 3) = -0.5;
  c.worldToClip(2, 1) = 0.001;
  c.worldToClip(3, 3) = 1;
  return c;
}

} // namespace

class PickerTest : public QObject {
  Q_OBJECT

  Bench bench_ = tumbler();
  scene::ScenePtr scene_;

  std::vector<scene::Hit> at(const Vec3& p, Kind wanted) {
    const Vec3 s = frontCamera().toScreen(p);
    return scene::pickAt(*scene_, frontCamera(), s.x(), s.y(), wanted);
  }

private slots:
  void initTestCase() {
    bench_.run();
    scene_ = scene::draw(*bench_.model, scene::Quality::Fine, nullptr);
  }
  /// A mesh's box only saves work: rays from anywhere, also along the axes and of flat meshes, meet what they met.
  void theBoxOfAMeshChangesNoHit() {
    for (const auto& b : scene_->bodies)
      for (const auto& f : b.faces) {
        QVERIFY(f->low.x() <= f->high.x());
        brep::FaceMesh bare = *f;
        bare.low = Vec3::Ones(), bare.high = -Vec3::Ones();
        int met = 0;
        for (int i = 0; i < 400; ++i) {
          const Vec3& target = f->points[size_t(i * 37) % f->points.size()];
          Vec3 d(std::sin(i * 1.3), std::cos(i * 0.7), std::sin(i * 0.31 + 1));
          if (i % 4 == 0) d = Vec3::Unit(i / 4 % 3) * (i % 8 ? 1 : -1);
          d.normalize();
          const Vec3 from = target - 300 * d + (i % 3) * Vec3(0.3, 7, -11);
          const double with = scene::hitMesh(*f, from, d);
          QCOMPARE(with, scene::hitMesh(bare, from, d));
          met += with > 0;
        }
        QVERIFY(met > 50);
      }
  }

  void pixelsAndRaysAreEachOthersInverse() {
    const scene::Camera c = frontCamera();
    const Vec3 p(12, -40, 77), s = c.toScreen(p);
    VERIFY_AT_MOST((s.head<2>() - Vec2(224, 146)).norm(), 1e-9);
    const auto [from, dir] = c.ray(s.x(), s.y());
    VERIFY_AT_MOST((p - from).cross(dir).norm(), 1e-9);
    VERIFY_AT_MOST((dir - Vec3::UnitY()).norm(), 1e-9);
    VERIFY_AT_MOST(std::abs(c.pixelSize(p) - 0.5), 1e-9);
  }

  void pointsWinOverCurvesAndCurvesOverFaces() {
    const Kind all = Kind::Point | Kind::Curve | Kind::Edge | Kind::Face | Kind::Solid | Kind::Plane;
    const auto ring = at({0, -38, 110}, Kind::Curve);
    QVERIFY(!ring.empty());
    QCOMPARE(ring[0].step, std::string("s4"));
    const auto wall = at({5, -36, 58}, all);
    QCOMPARE(wall[0].kind, Kind::Face);
    QCOMPARE(wall[0].part, std::string("s6.front(s5.skin)"));
    QVERIFY(std::any_of(wall.begin(), wall.end(), [](const auto& h) { return h.kind == Kind::Solid; }));
    QVERIFY(std::any_of(wall.begin(), wall.end(), [](const auto& h) { return h.kind == Kind::Plane; }));
    const auto bottom = at({0, 0, 0}, Kind::Point);
    QCOMPARE(bottom[0].step, std::string("s1"));
  }

  void whatLiesBehindComesAfterWhatIsSeen() {
    // Both sides of the wall are under the pointer: the nearer comes first.
    const auto faces = at({10, -30, 60}, Kind::Face);
    QVERIFY(faces.size() >= 2);
    QVERIFY(faces[0].depth < faces[1].depth);
    QVERIFY(at({90, 0, 60}, Kind::Face).empty());
    QVERIFY(at({5, -36, 70}, Kind::Curve).empty());
  }

  void picksLeadBackToTheirObjects() {
    const auto edges = at({0, -38, 110}, Kind::Edge);
    QVERIFY(!edges.empty());
    json pick{{"id", "p1"}, {"step", edges[0].step}, {"kind", "edge"}, {"part", edges[0].part}};
    const auto found = recipe::follow(pick, Kind::Edge, *bench_.model);
    VERIFY_OK(found);
    const auto& path = *std::get<recipe::CurvePtr>(found->object);
    VERIFY_AT_MOST(std::abs(path.start().z() - 110), 1e-6);
  }

  void movingDrawingsAreLightAndReuseWhatDidNotChange() {
    const auto moving = scene::draw(*bench_.model, scene::Quality::Moving, nullptr);
    VERIFY_AT_MOST(moving->triangles(), 8500);
    const auto again = scene::draw(*bench_.model, scene::Quality::Moving, moving.get());
    QCOMPARE(again->bodies[0].faces[0].get(), moving->bodies[0].faces[0].get());
  }
};

static test::Register<PickerTest> registeredPickerTest;
#include "picker_test.moc"

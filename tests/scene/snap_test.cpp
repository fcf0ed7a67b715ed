#include "scene/snap.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;
using scene::snapAt;

namespace {

/// Looks along +y at the front plane; x to the right, z up, so many pixels a mm.
scene::Camera fromTheFront(double pixelsPerMm = 4) {
  scene::Camera c;
  c.width = 800;
  c.height = 600;
  c.eye = Vec3(0, -500, 0);
  c.direction = Vec3::UnitY();
  c.worldToClip << 2 * pixelsPerMm / c.width, 0, 0, 0, //
      0, 0, 2 * pixelsPerMm / c.height, 0,             //
      0, 0.001, 0, 0,                                  //
      0, 0, 0, 1;
  return c;
}

scene::SnapRequest near(const scene::Camera& c, const Vec3& p, double dx, double dy) {
  const Vec3 s = c.toScreen(p);
  const auto ray = c.ray(s.x() + dx, s.y() + dy);
  return {s.x() + dx, s.y() + dy, ray.first - ray.second * (ray.first.y() / ray.second.y()), {}, ""};
}

/// Two splines in the front plane that cross, and a ring.
Bench crossing() {
  Bench b;
  b.add("spline", {{"points", pointList({{10, 0, 0}, {30, 0, 10}, {60, 0, 50}})}});
  b.add("spline", {{"points", pointList({{10, 0, 50}, {30, 0, 30}, {60, 0, 0}})}});
  b.run();
  return b;
}

} // namespace

class SnapTest : public QObject {
  Q_OBJECT
private slots:
  void endsCrossingsMiddlesAndCurvesAreMetExactly() {
    Bench b = crossing();
    const auto d = scene::draw(*b.model, scene::Quality::Fine, nullptr);
    const auto c = fromTheFront();
    const auto end = snapAt(*d, c, near(c, {60, 0, 50}, 5, -4));
    QVERIFY(end && end->what == "end of spline s1");
    VERIFY_AT_MOST((end->at - Vec3(60, 0, 50)).norm(), 1e-12);
    // The crossing, found here by bisection of the difference in height.
    double lo = 0, hi = 1;
    const auto other = [&](const Vec3& p) { // height of the second over the same x
      double a = 0, z = 1;
      for (int k = 0; k < 80; ++k) (b.curve("s2").at(0.5 * (a + z)).x() < p.x() ? a : z) = 0.5 * (a + z);
      return b.curve("s2").at(a).z();
    };
    for (int k = 0; k < 80; ++k) {
      const Vec3 p = b.curve("s1").at(0.5 * (lo + hi));
      (p.z() < other(p) ? lo : hi) = 0.5 * (lo + hi);
    }
    const Vec3 cross = b.curve("s1").at(lo);
    const auto found = snapAt(*d, c, near(c, cross, -4, 5));
    QVERIFY2(found && found->what == "crossing of spline s1 and spline s2", found ? found->what.c_str() : "none");
    VERIFY_AT_MOST((found->at - cross).norm(), 1e-6);
    const Vec3 on = b.curve("s1").at(0.8);
    const auto curve = snapAt(*d, c, near(c, on, 3, -3));
    QVERIFY(curve && curve->what == "spline s1");
    double off = 1e9;
    for (int k = 0; k <= 20000; ++k) off = std::min(off, (b.curve("s1").at(k / 20000.0) - curve->at).norm());
    VERIFY_AT_MOST(off, 0.003);
    double length = 0, half = 0; // the middle by length
    for (int k = 0; k < 20000; ++k)
      length += (b.curve("s2").at((k + 1) / 20000.0) - b.curve("s2").at(k / 20000.0)).norm();
    int k = 0;
    for (; half < length / 2; ++k) half += (b.curve("s2").at((k + 1) / 20000.0) - b.curve("s2").at(k / 20000.0)).norm();
    const auto middle = snapAt(*d, c, near(c, b.curve("s2").at(k / 20000.0), 1, 1));
    QVERIFY(middle && (middle->what == "middle of spline s2"));
    VERIFY_AT_MOST((middle->at - b.curve("s2").at(k / 20000.0)).norm(), 0.01);
  }

  void ownCurvesAndWhatIsOutOfReachAreLeftAlone() {
    Bench b = crossing();
    const auto d = scene::draw(*b.model, scene::Quality::Fine, nullptr);
    const auto c = fromTheFront();
    auto r = near(c, {60, 0, 50}, 2, 2);
    r.step = "s1";
    QVERIFY(!snapAt(*d, c, r) || snapAt(*d, c, r)->what.find("s1") == std::string::npos);
    QVERIFY(!snapAt(*d, c, near(c, {45, 0, -30}, 0, 0)) ||
            snapAt(*d, c, near(c, {45, 0, -30}, 0, 0))->what.find("spline") == std::string::npos);
  }

  void planesAreTakenOneByOneAndTogether() {
    Bench b = crossing();
    const auto d = scene::draw(*b.model, scene::Quality::Fine, nullptr);
    const auto c = fromTheFront();
    const auto side = snapAt(*d, c, near(c, {1.2, 0, 40}, 0, 0));
    QVERIFY(side && side->what.find("side plane") != std::string::npos);
    QCOMPARE(side->at.x(), 0.0);
    VERIFY_AT_MOST(std::abs(side->at.z() - 40), 1e-9);
    QVERIFY(!snapAt(*d, c, near(c, {5, 0, 40}, 0, 0)) ||
            snapAt(*d, c, near(c, {5, 0, 40}, 0, 0))->what.find("side plane") == std::string::npos);
  }

  void onAPlaneWhatIsSnappedToIsTakenSquareOntoIt() {
    Bench b;
    b.add("point", {{"x", 20}, {"y", 35}, {"z", 15}});
    b.run();
    const auto d = scene::draw(*b.model, scene::Quality::Fine, nullptr);
    const auto c = fromTheFront();
    auto r = near(c, {20, 0, 15}, 4, 4);
    r.plane = Frame{Vec3::Zero(), Vec3::UnitX(), Vec3::UnitZ()};
    const auto s = snapAt(*d, c, r);
    QVERIFY(s);
    VERIFY_AT_MOST((s->at - Vec3(20, 0, 15)).norm(), 1e-12);
    r.plane.reset();
    VERIFY_AT_MOST((snapAt(*d, c, r)->at - Vec3(20, 35, 15)).norm(), 1e-12);
  }
};

static test::Register<SnapTest> registeredSnapTest;
#include "snap_test.moc"

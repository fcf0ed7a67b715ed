#include "support/solids.h"

using namespace lumsk;
using namespace lumsk::test;

class ScaleStepTest : public QObject {
  Q_OBJECT
private slots:
  void volumesGrowByTheFactors() {
    Bench b = tumbler();
    b.add("point", {{"x", 5}, {"y", -3}, {"z", 2}});
    b.run();
    const double before = solidVolume(b, "s6");
    const auto even = b.add("scale", {{"what", picks({pick("s6", "solid")})}, {"factor", "1/2"}, {"about", picks({pick("s7")})}, {"copy", true}});
    const auto along = b.add("scale", {{"what", picks({pick("s6", "solid")})}, {"how", "along"}, {"factor", 1.7}, {"copy", true}});
    const auto each = b.add("scale", {{"what", picks({pick("s6", "solid")})}, {"how", "each"}, {"x", 2}, {"y", 0.5}, {"z", 1.25}});
    b.run();
    for (const auto& id : {even, along, each}) VERIFY_STEP(b, id);
    VERIFY_AT_MOST(std::abs(solidVolume(b, even) / (before / 8) - 1), 1e-6);
    VERIFY_AT_MOST(std::abs(solidVolume(b, along) / (before * 1.7) - 1), 1e-5);
    VERIFY_AT_MOST(std::abs(solidVolume(b, each) / (before * 1.25) - 1), 1e-5);
    // The point stays: what was at the foot's height above it is half as far.
    const auto s = inspect::stateOf(*b.body(even)), was = inspect::stateOf(*b.body("s6"));
    VERIFY_AT_MOST(std::abs((s.boxHigh.z() - 2) - 0.5 * (was.boxHigh.z() - 2)), 1e-3);
    QCOMPARE(b.body(each)->faceNames, b.body("s6")->faceNames);
    const auto state = inspect::stateOf(*b.body(along)); // the splines are those of the faces, scaled
    QVERIFY(!b.body(along)->natural.empty());
    for (const auto& [name, face] : b.body(along)->natural)
      for (const Vec3& p : {face.surface->at(face.surface->firstU(), face.surface->firstV()), face.surface->at(face.surface->lastU(), face.surface->lastV())})
        QVERIFY2(p.z() < state.boxHigh.z() + 0.1 && p.z() > state.boxLow.z() - 0.1, name.c_str());
    QCOMPARE(b.model->bodies.size(), size_t(3));
  }

  void circlesBecomeEllipsesByTheirAxes() {
    Bench b;
    const auto ring = b.add("ring", disc(40));
    const auto line = b.add("line", {{"points", pointList({{{0, 0, 0}}, {{10, 10, 0}}})}});
    const auto made = b.add("scale", {{"what", picks({pick(ring)})}, {"how", "along"}, {"factor", 3}, {"direction", picks({pick(line)})}});
    b.run();
    VERIFY_STEP(b, made);
    const auto* e = b.curve(made).wholeEllipse();
    QVERIFY(e);
    VERIFY_AT_MOST(std::abs(e->u.dot(e->v)), 1e-9);
    VERIFY_AT_MOST(std::abs(std::max(e->u.norm(), e->v.norm()) - 60) + std::abs(std::min(e->u.norm(), e->v.norm()) - 20), 1e-9);
  }

  void aBadFactorIsRefused() {
    Bench b = tumbler();
    const auto none = b.add("scale", {{"what", picks({pick("s6", "solid")})}, {"factor", 0}});
    b.run();
    QVERIFY(b.result(none).problem.has_value());
    QCOMPARE(b.model->bodies.size(), size_t(1));
  }
};

static test::Register<ScaleStepTest> registeredScaleStepTest;
#include "scale_test.moc"

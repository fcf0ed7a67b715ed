#include "inspect/circle.h"
#include "support/solids.h"

#include <random>

using namespace lumsk;
using namespace lumsk::test;

namespace align_test {

/// A block with a hole, and a pin that was turned and moved away.
struct Parts {
  Bench b;
  std::string block, pin;
  Parts() {
    const auto plate = prism(b, test::block(60, 40), 12);
    const auto drill = prism(b, disc(10, 15, 6, -5), 30);
    block = b.add("combine", {{"bodies", picks({pick(plate, "solid")})}, {"tools", picks({pick(drill, "solid")})}, {"how", "cut"}});
    const auto rod = prism(b, disc(10), 25);
    pin = b.add("move", {{"what", picks({pick(rod, "solid")})}, {"x", 90}, {"y", 20}, {"z", 33}, {"turn", 67}, {"axis", "x"}});
    b.run();
  }
  json face(const std::string& of, const Vec3& towards) { return pick(of, "face", faceTowards(*b.body(of), towards)); }
};

} // namespace align_test
using namespace align_test;

class AlignStepTest : public QObject {
  Q_OBJECT
private slots:
  void facesLieOnOneAnother() {
    Parts p;
    Bench& b = p.b;
    const Vec3 end = Eigen::AngleAxisd(radFromDeg(67), Vec3::UnitX()) * Vec3::UnitZ();
    const auto on = b.add("align", {{"from", picks({p.face(p.pin, -end)})}, {"to", picks({p.face(p.block, Vec3::UnitZ())})}, {"gap", 1.5}, {"copy", true}});
    b.run();
    VERIFY_STEP(b, on);
    const auto s = inspect::stateOf(*b.body(on));
    VERIFY_AT_MOST(std::abs(s.boxLow.z() - 13.5) + std::abs(s.boxHigh.z() - 38.5), 1e-3);
    VERIFY_AT_MOST(std::abs(solidVolume(b, on) / (kPi * 25 * 25) - 1), 1e-5);
    // Flipped it hangs below the face that it was put on.
    json to = p.face(p.block, Vec3::UnitZ());
    to["flip"] = true;
    b.set(on, "to", json::array({to}));
    b.run();
    VERIFY_STEP(b, on);
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body(on)).boxHigh.z() - 13.5), 1e-3);
  }

  void axisAndFaceHoldAPinInItsHole() {
    Parts p;
    Bench& b = p.b;
    const Vec3 end = Eigen::AngleAxisd(radFromDeg(67), Vec3::UnitX()) * Vec3::UnitZ();
    std::string hole, side;
    for (const auto& [body, name] : {std::pair(b.body(p.block), &hole), std::pair(b.body(p.pin), &side)})
      for (int i = 0; i < int(body->faceNames.size()); ++i)
        if (const auto axis = inspect::axisOf(*body, i, Tolerances())) {
          *name = body->faceNames[size_t(i)];
          VERIFY_AT_MOST(std::abs(axis->radiusMm - 5), 1e-3);
        }
    QVERIFY(!hole.empty() && !side.empty());
    const auto in = b.add("align", {{"from", picks({pick(p.pin, "face", side), p.face(p.pin, end)})}, {"to", picks({pick(p.block, "face", hole), p.face(p.block, -Vec3::UnitZ())})}});
    b.run();
    VERIFY_STEP(b, in);
    const auto s = inspect::stateOf(*b.body(in));
    VERIFY_AT_MOST((0.5 * (s.boxLow + s.boxHigh) - Vec3(15, 6, -12.5)).norm(), 2e-3);
    QCOMPARE(b.model->bodies.size(), size_t(2));
  }

  void threePointsAndContradictions() {
    Bench b;
    const auto plate = prism(b, block(30, 20), 5);
    std::vector<std::string> there;
    const Eigen::Isometry3d t = Eigen::Translation3d(100, -40, 60) * Eigen::AngleAxisd(2.1, Vec3(1, 2, -0.5).normalized());
    for (const Vec3& v : {Vec3(-15, -10, 5), Vec3(15, -10, 5), Vec3(15, 10, 5)}) {
      const Vec3 to = t * v;
      there.push_back(b.add("point", {{"x", to.x()}, {"y", to.y()}, {"z", to.z()}}));
    }
    b.run();
    const auto corner = [&](const Vec3& at) {
      for (int i = 0; i < int(b.body(plate)->vertexNames.size()); ++i)
        if ((brep::signatureOf(*b.body(plate), brep::PartKind::Vertex, i).middle - at).norm() < 1e-6) return pick(plate, "point", b.body(plate)->vertexNames[size_t(i)]);
      return json();
    };
    const json from = picks({corner({-15, -10, 5}), corner({15, -10, 5}), corner({15, 10, 5})});
    const auto laid = b.add("align", {{"from", from}, {"to", picks({pick(there[0]), pick(there[1]), pick(there[2])})}, {"copy", true}});
    const auto wrong = b.add("align", {{"from", from}, {"to", picks({pick(there[0]), pick(there[2]), pick(there[1])})}});
    const auto less = b.add("align", {{"from", from}, {"to", picks({pick(there[0])})}});
    const auto itself = b.add("align", {{"from", picks({corner({-15, -10, 5})})}, {"to", picks({corner({15, 10, 5})})}});
    b.run();
    VERIFY_STEP(b, laid);
    for (int i = 0; i < int(b.body(plate)->vertexNames.size()); ++i)
      VERIFY_AT_MOST((brep::signatureOf(*b.body(laid), brep::PartKind::Vertex, i).middle - t * brep::signatureOf(*b.body(plate), brep::PartKind::Vertex, i).middle).norm(), 1e-6);
    QCOMPARE(b.code(wrong), std::string("LM-M023"));
    QCOMPARE(b.code(less), std::string("LM-M021"));
    QCOMPARE(b.code(itself), std::string("LM-M022"));
    QCOMPARE(b.model->bodies.size(), size_t(2)); // what failed left all as it was
  }

  void rimsComeToLieInOneAnother() {
    Bench b;
    std::mt19937 random(7);
    std::uniform_real_distribution<double> in(-1, 1);
    for (int k = 0; k < 6; ++k) {
      const auto one = b.add("ring", disc(30)), other = b.add("ring", disc(22, 50 * in(random), 20 * in(random), 30));
      const auto turned = b.add("move", {{"what", picks({pick(one)})}, {"turn", 170 * in(random)}, {"axis", k % 2 ? "x" : "y"}, {"x", 60 * in(random)}, {"z", 40 * in(random)}});
      const auto laid = b.add("align", {{"from", picks({pick(turned)})}, {"to", picks({pick(other)})}});
      b.run();
      VERIFY_STEP(b, laid);
      const auto *e = b.curve(laid).wholeEllipse(), *o = b.curve(other).wholeEllipse();
      QVERIFY(e && o);
      VERIFY_AT_MOST((e->centre - o->centre).norm(), 1e-6);
      VERIFY_AT_MOST(e->u.cross(e->v).normalized().cross(o->u.cross(o->v).normalized()).norm(), 1e-7);
    }
  }
};

static test::Register<AlignStepTest> registeredAlignStepTest;
#include "align_test.moc"

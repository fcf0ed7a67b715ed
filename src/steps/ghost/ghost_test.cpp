#include "support/foreign.h"
#include "support/recipes.h"

#include <BRepPrimAPI_MakeBox.hxx>

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// A box of 30 x 20 x 10 as text STL: two triangles a side.
std::string boxStl(bool whole) {
  const Vec3 s(30, 20, 10);
  std::ostringstream out;
  out << "solid box\n";
  for (int axis = 0; axis < 3; ++axis)
    for (int side = 0; side < 2; ++side) {
      const int a = (axis + 1) % 3, b = (axis + 2) % 3;
      const auto corner = [&](int i, int j) {
        Vec3 p = Vec3::Zero();
        p[axis] = side * s[axis];
        p[a] = i * s[a];
        p[b] = j * s[b];
        return p;
      };
      const Vec3 c[4] = {corner(0, 0), corner(1, 0), corner(1, 1), corner(0, 1)};
      for (int t = 0; t < 2; ++t) {
        out << "facet normal 0 0 0\nouter loop\n";
        for (int k : {0, t + 1, t + 2}) out << "vertex " << c[k].x() << ' ' << c[k].y() << ' ' << c[k].z() << '\n';
        out << "endloop\nendfacet\n";
      }
    }
  out << (whole ? "endsolid box\n" : "facet normal 0 0");
  return out.str();
}

const recipe::GhostObject& ghost(Bench& b) {
  return *std::get<recipe::GhostPtr>(b.result("s1").outcome->outputs[0].object);
}

} // namespace

class GhostStepTest : public QObject {
  Q_OBJECT
private slots:
  void aTableOfPointsIsABackdropOfPoints() {
    Bench b;
    b.add("ghost", {{"file", b.file("scan.txt", "0 0 1\n10 0 2\n\n0 10 3\n")}});
    b.run();
    VERIFY_STEP(b, "s1");
    QCOMPARE(int(ghost(b).corners.size()), 3);
    VERIFY_AT_MOST((ghost(b).corners[2] - Vec3(0, 10, 3)).norm(), 1e-12);
    QVERIFY(ghost(b).mesh->triangles.empty());
    b.add("ghost", {{"file", b.file("bad.csv", "1 2 x\n")}});
    b.run();
    QCOMPARE(b.code("s2"), std::string("LM-F010"));
  }

  void meshesAreWeldedAndShowTheirCreases() {
    Bench b;
    b.add("ghost", {{"file", b.file("box.stl", boxStl(true))}, {"unit", "cm"}});
    b.run();
    VERIFY_STEP(b, "s1");
    QCOMPARE(ghost(b).mesh->triangles.size(), size_t(12));
    QCOMPARE(ghost(b).corners.size(), size_t(8));
    QCOMPARE(ghost(b).edges.size(), size_t(12)); // not the diagonals
    double far = 0;
    for (const Vec3& p : ghost(b).corners) far = std::max(far, p.norm());
    VERIFY_AT_MOST(std::abs(far - 10 * Vec3(30, 20, 10).norm()), 1e-3);
    QVERIFY(b.model->bodies.empty());
    Bench two; // two solids in one text; a text that is cut off in the second
    two.add("ghost", {{"file", two.file("two.stl", boxStl(true) + boxStl(true))}});
    two.run();
    VERIFY_STEP(two, "s1");
    QCOMPARE(ghost(two).mesh->triangles.size(), size_t(24));
  }

  void bodiesShowTheirEdgesAndAreNoPartOfTheModel() {
    Bench b;
    b.add("ghost", {{"file", b.file("box.step", stepBytes({BRepPrimAPI_MakeBox(30, 20, 10).Solid()}, "MM"))}});
    b.run();
    VERIFY_STEP(b, "s1");
    QCOMPARE(ghost(b).edges.size(), size_t(12));
    QVERIFY(ghost(b).mesh->triangles.size() >= 12);
    QVERIFY(b.model->bodies.empty());
    b.add("thicken", {{"skin", picks({pick("s1")})}, {"thickness", 2}});
    b.run();
    QCOMPARE(b.code("s2"), std::string("LM-R021")); // it cannot be worked on
  }

  void brokenMeshesAreRefused() {
    for (const auto& [name, bytes] :
         {std::pair{"no.stl", std::string("nothing at all")}, std::pair{"none.stl", std::string(84, '\0')},
          std::pair{"many.stl", std::string(80, ' ') + "\xff\xff\xff\x7f" + "abc"}}) {
      Bench b;
      b.add("ghost", {{"file", b.file(name, bytes)}});
      b.run();
      QVERIFY2(b.code("s1") == "LM-F031", (name + std::string(": ") + b.code("s1")).c_str());
    }
  }
};

static test::Register<GhostStepTest> registeredGhostStepTest;
#include "ghost_test.moc"

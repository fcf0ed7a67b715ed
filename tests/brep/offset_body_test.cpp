#include "brep/offset/offset_body.h"
#include "shapes/bodies.h"
#include "shapes/offset_cases.h"
#include "support/registry.h"

#include "brep/convert.h"
#include "brep/thicken_parts.h"

#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeWedge.hxx>
#include <BRep_Tool.hxx>

using namespace lumsk;
using namespace lumsk::test;

namespace {

double volumeOf(const brep::Body& b) { return brep::massOf(b.shape).volumeMm3; }

} // namespace

class OffsetBodyTest : public QObject {
  Q_OBJECT
private slots:
  void aBoxGrowsAndShrinksWithSharpEdges() {
    const brep::Body box = kernelBody(BRepPrimAPI_MakeBox(gp_Pnt(1000, -300, 70), 40, 30, 20).Shape());
    for (double d : {2.0, -3.0, 0.0, 25.0}) {
      const auto made = brep::offsetBody(box, {d, {}, "s"}, {});
      VERIFY_OK(made);
      QVERIFY(made->body->solid());
      VERIFY_AT_MOST(std::abs(volumeOf(*made->body) - (40 + 2 * d) * (30 + 2 * d) * (20 + 2 * d)), 1e-3);
      QCOMPARE(made->body->faceNames.size(), size_t(6));
    }
    const auto none = brep::offsetBody(box, {-10.5, {}, "s"}, {});
    QVERIFY(!none);
    QCOMPARE(none.error().code, std::string("LM-T007"));
    QVERIFY(!none.error().where.empty());
  }

  void aWedgeHasCornersThatAreNotSquare() {
    const brep::Body wedge = kernelBody(BRepPrimAPI_MakeWedge(40, 30, 25, 10, 6, 30, 20).Shape());
    for (double d : {1.5, -2.0}) {
      const auto made = brep::offsetBody(wedge, {d, {}, "s"}, {});
      VERIFY_OK(made);
      for (const auto& v : brep::vertices(*made->body)) {
        // Every corner lies on three planes at that distance: none is nearer.
        VERIFY_AT_MOST(std::abs(d) - 1e-6, distanceTo(wedge, brep::toVec(BRep_Tool::Pnt(v))));
      }
      for (const auto& f : brep::faces(*made->body))
        for (const Vec3& p : brep::pointsInside(f, 5)) VERIFY_AT_MOST(std::abs(d) - 1e-6, distanceTo(wedge, p));
    }
  }

  void roundSolidsOfTheKernelWithSeams() {
    const double r = 12, h = 30;
    const brep::Body can = kernelBody(BRepPrimAPI_MakeCylinder(r, h).Shape());
    for (double d : {2.0, -1.5}) {
      const auto made = brep::offsetBody(can, {d, {}, "s"}, {});
      VERIFY_OK(made);
      VERIFY_AT_MOST(std::abs(volumeOf(*made->body) / (kPi * (r + d) * (r + d) * (h + 2 * d)) - 1), 2e-4);
    }
    const brep::Body frustum = kernelBody(BRepPrimAPI_MakeCone(20, 8, 25).Shape());
    const auto made = brep::offsetBody(frustum, {1.0, {}, "s"}, {});
    VERIFY_OK(made);
    const auto tight = brep::offsetBody(can, {-12.5, {}, "s"}, {});
    QVERIFY(!tight);
    QCOMPARE(tight.error().code, std::string("LM-T001"));
    VERIFY_AT_MOST(std::abs(tight.error().measured->value - r), 0.01);
  }

  void trimmedBodiesKeepTheirBordersAndLieAtTheDistance() {
    int done = 0;
    double points = 0, before = 0;
    const auto cases = offsetCases(2, 10, 5);
    for (const OffsetCase& c : cases)
      for (double d : {1.0, -2.0}) {
        const auto made = brep::offsetBody(*c.body, {d, {}, "s"}, {});
        if (!made) {
          QVERIFY2(made.error().code.substr(0, 4) == "LM-T" && !made.error().where.empty(), qPrintable(QString::fromStdString(c.name + ": " + sentence(made.error()))));
          continue;
        }
        const std::string wrong = wrongOffset(*c.body, *made->body, d);
        QVERIFY2(wrong.empty(), qPrintable(QString::fromStdString(c.name + ": " + wrong)));
        ++done;
        const PointCounts n = controlPointsOf(*c.body, *made->body, 5);
        points += n.after, before += n.before;
      }
    VERIFY_AT_MOST(points / before, 2.0); // cubic skins need more: their normals are rough at every knot
    QVERIFY2(done >= 36, qPrintable(QString("%1 of %2").arg(done).arg(2 * cases.size())));
  }

  void aTrimmedSkinIsThickened() {
    int done = 0;
    for (const OffsetCase& c : offsetCases(1, 0, 9)) {
      const auto& skin = c.body;
      brep::ThickenOptions o;
      o.thicknessMm = 1.2, o.step = "s";
      const auto made = brep::thicken(*skin, o, {});
      if (!made) {
        QVERIFY2(made.error().code == "LM-T001" || made.error().code == "LM-T005", qPrintable(QString::fromStdString(c.name + ": " + sentence(made.error()))));
        continue;
      }
      QVERIFY(made->body->solid());
      const double area = brep::massOf(skin->shape).areaMm2;
      VERIFY_AT_MOST(std::abs(volumeOf(*made->body) / (1.2 * area) - 1), 0.06);
      ++done;
    }
    QVERIFY2(done >= 8, qPrintable(QString::number(done)));
  }
};

static test::Register<OffsetBodyTest> registeredOffsetBodyTest;
#include "offset_body_test.moc"

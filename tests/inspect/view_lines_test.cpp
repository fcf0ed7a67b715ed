#include "inspect/view_lines.h"
#include "nurbs/measure/arc_length.h"
#include "shapes/bodies.h"
#include "support/registry.h"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>

using namespace lumsk;
using namespace lumsk::test;

namespace {

brep::BodyPtr bodyOf(const TopoDS_Shape& s) { return std::make_shared<const brep::Body>(kernelBody(s)); }

struct Lengths {
  double seen = 0, hidden = 0;
  size_t lines = 0;
};
Lengths lengthsOf(const std::vector<brep::BodyPtr>& bodies, const Vec3& towardsEye) {
  Lengths out;
  const auto lines = inspect::viewLines(bodies, towardsEye, {});
  if (!lines) return {-1, -1, 0};
  for (const auto& l : *lines) {
    const Points p = nurbs::polylineWithin(l.path, 1e-3);
    for (Eigen::Index i = 1; i < p.rows(); ++i) (l.hidden ? out.hidden : out.seen) += (p.row(i) - p.row(i - 1)).norm();
  }
  out.lines = lines->size();
  return out;
}

} // namespace

class ViewLinesTest : public QObject {
  Q_OBJECT
private slots:
  void threeEdgesOfABoxAreHidden() {
    const auto box = bodyOf(BRepPrimAPI_MakeBox(gp_Pnt(5, 6, 7), 30, 20, 10).Shape());
    const auto l = lengthsOf({box}, {1, -1, 1});
    VERIFY_AT_MOST(std::abs(l.seen - 3 * 60), 1e-6);
    VERIFY_AT_MOST(std::abs(l.hidden - 60), 1e-6);
    QCOMPARE(l.lines, size_t(12));
  }

  void roundFormsHaveSilhouettes() {
    const auto ball = lengthsOf({bodyOf(BRepPrimAPI_MakeSphere(gp_Pnt(40, 0, 0), 12).Shape())}, {0.3, -1, 0.5});
    VERIFY_AT_MOST(std::abs(ball.seen / (2 * kPi * 12) - 1), 0.002);
    VERIFY_AT_MOST(ball.hidden, 0.1);
    // A cylinder from above and aside: its top circle, half of its lower one, two lines.
    const auto round = lengthsOf({bodyOf(BRepPrimAPI_MakeCylinder(10, 25).Shape())}, {0, -1, 1});
    VERIFY_AT_MOST(std::abs(round.seen - (3 * kPi * 10 + 50)), 0.5);
    VERIFY_AT_MOST(std::abs(round.hidden - kPi * 10), 0.5);
    // A vessel of one spline skin: closed, turned, seen from below.
    const auto vessel = lengthsOf({tumblerSkin()}, {0.2, -1, -0.3});
    QVERIFY(vessel.seen > 100 && vessel.lines >= 3);
  }

  void whatStandsBeforeSomethingHidesIt() {
    // A plate of 40 x 40 behind a post of 10 across: its four edges are cut where the post crosses two of them.
    const auto plate = bodyOf(BRepPrimAPI_MakeBox(gp_Pnt(-20, 10, -20), 40, 2, 40).Shape());
    const auto post = bodyOf(BRepPrimAPI_MakeBox(gp_Pnt(-5, -10, -30), 10, 5, 60).Shape());
    const auto alone = lengthsOf({plate}, {0, -1, 0}), both = lengthsOf({plate, post}, {0, -1, 0});
    const auto own = lengthsOf({post}, {0, -1, 0});
    VERIFY_AT_MOST(std::abs(alone.seen + own.seen - both.seen - 2 * 10), 0.2);
    // Skins hide from behind, too.
    const auto skin = bodyOf(BRepPrimAPI_MakeBox(gp_Pnt(-5, -10, -30), 10, 5, 60).Shell());
    const auto behind = lengthsOf({plate, skin}, {0, -1, 0});
    VERIFY_AT_MOST(std::abs(behind.seen - both.seen), 0.2);
  }
};

static test::Register<ViewLinesTest> registeredViewLinesTest;
#include "view_lines_test.moc"

#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "shapes/common_body.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::test;

/// Two-view curves against the sharp edges of the body that the kernel makes of both extrusions.
class TwoViewBodyTest : public QObject {
  Q_OBJECT

  static void compare(const nurbs::View& a, const nurbs::View& b, const char* name) {
    const auto r = nurbs::twoViewCurve(a, b, {true}, {});
    QVERIFY2(r.has_value(), name);
    const SharpEdges edges = sharpEdges(BRepAlgoAPI_Common(extruded(a), extruded(b)).Shape());
    double length = 0, off = 0;
    for (const auto& p : r->branches) length += nurbs::ArcLength(p).total();
    for (const Vec3& p : edges.points) {
      double nearest = 1e300;
      for (const auto& c : r->branches) nearest = std::min(nearest, nurbs::closestPoint(c, p).distanceMm);
      off = std::max(off, nearest);
    }
    qInfo("%s: %zu branches, %.3f mm against %.3f mm, off %.2g mm", name, r->branches.size(), length, edges.lengthMm,
          off);
    QVERIFY2(std::abs(length - edges.lengthMm) < 1e-3 * edges.lengthMm,
             qPrintable(QString("%1: %2 mm against %3 mm").arg(name).arg(length).arg(edges.lengthMm)));
    QVERIFY2(off < 0.002, qPrintable(QString("%1: off by %2 mm").arg(name).arg(off)));
  }

private slots:
  void circlesAgreeWithTheCommonBody() {
    const nurbs::View a{{*nurbs::circle(kFrontView, 60)}, kFrontView};
    for (double d : {40.0, 60.0})
      compare(a, {{*nurbs::circle(kSideView, d)}, kSideView}, qPrintable(QString("60 and %1").arg(d)));
    compare(a, {{*nurbs::circle({Vec3(0, 0, 10), Vec3::UnitY(), Vec3::UnitZ()}, 40)}, kSideView}, "touching");
  }

  void tenPairsOfGlyphsAgreeWithTheCommonBody() {
    for (const auto& [a, b] : glyphPairs())
      compare(glyphView(a, kFrontView), glyphView(b, kSideView), qPrintable(QString("%1 and %2").arg(a).arg(b)));
  }
};

static Register<TwoViewBodyTest> registeredTwoViewBodyTest;
#include "two_view_body_test.moc"

#include "drawing/curves.h"
#include "drawing/edits.h"
#include "drawing/files.h"
#include "drawing/links.h"
#include "drawing/pieces.h"
#include "nurbs/measure/arc_length.h"
#include "shapes/drawing_cases.h"
#include "support/registry.h"

#include <QtTest>

using namespace lumsk;
using namespace lumsk::drawing;
using namespace lumsk::test;

namespace {

double lengthOf(const std::vector<nurbs::Segment>& all) {
  double sum = 0;
  for (const auto& s : all)
    if (const auto p = nurbs::Path::make({s}, LengthTolerance{1e-9})) sum += nurbs::ArcLength(*p).total();
  return sum;
}
double lengthOf(const Chains& c) {
  double sum = 0;
  for (const Chain& x : c.chains) sum += nurbs::ArcLength(x.path).total();
  return sum;
}

} // namespace

class DrawingFilesTest : public QObject {
  Q_OBJECT
private slots:
  void whatIsWrittenComesBack() {
    Pencil p;
    plate(p, {3, 4}, 50, 30, 6, 5);
    p.spline(Shape::Spline, {p.point(80, 0), p.point(90, 20), p.point(105, -5), p.point(120, 10)}, 3);
    const auto chains = chainsOf(p.d, {});
    QCOMPARE(chains->chains.size(), size_t(3));
    const double length = lengthOf(*chains);
    for (const bool svg : {true, false}) {
      const auto back = svg ? fromSvg(toSvg(layered(*chains), 0.0005)) : fromDxf(toDxf(layered(*chains), 0.0005));
      VERIFY_OK(back);
      VERIFY_AT_MOST(std::abs(lengthOf(back->segments) - length), 0.01);
      const auto d = withSegments({}, back->segments, {});
      VERIFY_OK(d);
      const auto again = chainsOf(*d, {});
      VERIFY_OK(again);
      QCOMPARE(again->chains.size(), size_t(3));
      QVERIFY(again->chains[0].path.closed());
      QCOMPARE(std::count_if(d->entities.begin(), d->entities.end(), [](const Entity& e) { return e.shape == Shape::Arc; }) >= 4, true);
    }
  }

  void svgPathsTransformsAndUnits() {
    const auto f = fromSvg("<svg width='100mm' height='50mm' viewBox='0 0 200 100'><g transform='translate(20 10) rotate(90)'>"
                           "<path d='M0 0h20v-20H0z m5 -5 c1 2 3 4 5 5s4 3 5 5 q2 2 4 0 t4 0 a4 3 30 0 1 8 0'/></g>"
                           "<rect x='100' y='20' width='40' height='20' rx='5'/><circle cx='170' cy='50' r='10'/><ellipse cx='20' cy='80' rx='10' ry='4'/>"
                           "<polygon points='60,60 80,60 70,80'/><text>left out</text></svg>");
    VERIFY_OK(f);
    QCOMPARE(f->notes.size(), size_t(1));
    const auto d = withSegments({}, f->segments, {});
    VERIFY_OK(d);
    QVERIFY(check(*d).has_value());
    // A unit of the box is half a millimetre, and up is up.
    const auto circle = std::find_if(d->entities.begin(), d->entities.end(), [](const Entity& e) { return e.shape == Shape::Circle; });
    QVERIFY(circle != d->entities.end());
    VERIFY_AT_MOST(std::abs(circle->size - 5), 1e-9);
    VERIFY_AT_MOST((d->at(circle->points[0]) - Vec2(85, 25)).norm(), 1e-9);
    QVERIFY(std::any_of(d->entities.begin(), d->entities.end(), [](const Entity& e) { return e.shape == Shape::Ellipse; }));
    const auto chains = chainsOf(*d, {});
    VERIFY_OK(chains);
    // The square of 20 units is there, turned: its corner where the transforms put it.
    VERIFY_AT_MOST((d->at(d->entities[0].points[0]) - Vec2(10, 45)).norm(), 1e-9);
  }

  void dxfBlocksBulgesAndUnits() {
    const std::string dxf = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n5\n0\nENDSEC\n0\nSECTION\n2\nBLOCKS\n0\nBLOCK\n8\n0\n2\nPART\n70\n0\n10\n0\n20\n0\n30\n0\n3\nPART\n1\n\n"
                            "0\nLINE\n8\n0\n10\n0\n20\n0\n30\n0\n11\n1\n21\n0\n31\n0\n0\nENDBLK\n8\n0\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n"
                            "0\nINSERT\n8\n0\n2\nPART\n10\n2\n20\n0\n30\n0\n41\n2\n42\n2\n43\n1\n50\n90\n"
                            "0\nLWPOLYLINE\n8\n0\n90\n2\n70\n1\n10\n0\n20\n0\n42\n1\n10\n2\n20\n0\n42\n1\n"
                            "0\nENDSEC\n0\nEOF\n";
    const auto f = fromDxf(dxf);
    VERIFY_OK(f);
    // In centimetres: a line of 2 cm, turned upright, and a circle of 2 cm across in two halves.
    VERIFY_AT_MOST(std::abs(lengthOf(f->segments) - (20 + kPi * 20)), 1e-6);
    const auto d = withSegments({}, f->segments, {});
    VERIFY_OK(d);
    QCOMPARE(d->entities.size(), size_t(3));
  }

  void brokenFilesAreRefused() {
    for (const char* bad : {"", "<svg", "<svg/>", "<html/>", "<svg><path d='M nan'/></svg>", "<svg><path d='M 1e999 0 L 1 1'/></svg>"}) QVERIFY(!fromSvg(bad));
    for (const char* bad : {"", "hello", "0\nSECTION\n2\nENTITIES\n0\nLINE\n10\n"}) QVERIFY(!fromDxf(bad));
    std::string deep = "<svg>";
    for (int i = 0; i < 3000; ++i) deep += "<g>";
    QVERIFY(!fromSvg(deep));
    std::string many = "<svg>";
    for (int i = 0; i < 60000; ++i) many += "<line x2='1'/>";
    QCOMPARE(fromSvg(many + "</svg>").error().code, std::string("LM-U042"));
  }

  void tenThousandEntitiesAreRead() {
    std::string dxf = "0\nSECTION\n2\nENTITIES\n";
    for (int i = 0; i < 10000; ++i) dxf += "0\nLINE\n8\n0\n10\n" + std::to_string(i) + "\n20\n0\n11\n" + std::to_string(i + 1) + "\n21\n" + std::to_string(i % 7) + "\n";
    const auto f = fromDxf(dxf + "0\nENDSEC\n0\nEOF\n");
    VERIFY_OK(f);
    QCOMPARE(f->segments.size(), size_t(10000));
  }

  void linksFollowWhatTheyStandFor() {
    const Frame plane{{0, 0, 5}, Vec3::UnitX(), Vec3::UnitY()};
    const auto linkTo = [](double x) {
      return std::vector<Link>{{"k1", {*nurbs::Path::make({nurbs::LineSegment{{x, 0, 9}, {x, 20, 30}}, nurbs::EllipseArc{{x - 4, 20, 30}, 4 * Vec3::UnitX(), 4 * Vec3::UnitY(), 0, kPi / 2}}, LengthTolerance{1e-6})}},
                               {"k2", {}, Vec3(x + 1, 2, 77)}};
    };
    auto d = withLinks({}, linkTo(10), plane, {});
    VERIFY_OK(d);
    QCOMPARE(d->entities.size(), size_t(2));
    QVERIFY(d->entities[1].shape == Shape::Arc && d->entities[0].linked);
    // A single place is a point that stays where that is.
    const Id place = d->points.front().link.empty() ? d->points.back().id : d->points.front().id;
    QCOMPARE(d->point(place)->link, Id("k2"));
    VERIFY_AT_MOST((d->at(place) - Vec2(11, 2)).norm(), 1e-12);
    QCOMPARE(chainsOf(*d, {})->loosePoints.size(), size_t(0));
    // It is changed where it is made, and copies of it are free.
    QCOMPARE(split(*d, d->entities[0].id, {10, 9}, {}).error().code, std::string("LM-U031"));
    const auto row = repeatedAlong(*d, {d->entities[0].id}, {5, 0}, 2);
    VERIFY_OK(row);
    QVERIFY(!row->entities.back().linked && row->entities.back().link.empty());
    // A point on the link comes along.
    const Id p = d->addPoint({11, 7});
    Relation r;
    r.law = Law::On, r.of = {p, d->entities[0].id};
    d->add(r);
    d = *solved(*d);
    VERIFY_AT_MOST(std::abs(d->at(p).x() - 10), 1e-9);
    d = withLinks(*d, linkTo(25), plane, {});
    VERIFY_OK(d);
    d = *solved(*d);
    VERIFY_AT_MOST(std::abs(d->at(p).x() - 25), 1e-9);
    VERIFY_AT_MOST((d->at(place) - Vec2(26, 2)).norm(), 1e-12);
    // Gone: what was said of it goes, too.
    d = withLinks(*d, {}, plane, {});
    QVERIFY(d->entities.empty() && d->relations.empty());
    const std::vector<Link> endOn{{"k", {*nurbs::Path::make({nurbs::LineSegment{{0, 0, 0}, {0, 0, 9}}}, LengthTolerance{1e-6})}}};
    QCOMPARE(withLinks({}, endOn, plane, {}).error().code, std::string("LM-U030"));
  }
};

static test::Register<DrawingFilesTest> registeredDrawingFilesTest;
#include "files_test.moc"

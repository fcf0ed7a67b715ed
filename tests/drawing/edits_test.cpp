#include "drawing/curves.h"
#include "drawing/edits.h"
#include "drawing/measure.h"
#include "drawing/relate.h"
#include "drawing/sketch.h"
#include "nurbs/measure/arc_length.h"
#include "shapes/drawing_cases.h"
#include "support/registry.h"

#include <QtTest>

using namespace lumsk;
using namespace lumsk::drawing;
using namespace lumsk::test;

namespace {

double length(const Drawing& d, const Id& id) { return nurbs::ArcLength(*pathOf(d, *d.entity(id))).total(); }

/// Two lines and a circle that cross: a level line through the middle of a circle, an upright one beside it.
struct Crossing {
  Pencil p;
  Id level, circle, upright;
  Crossing() {
    level = p.line(p.point(-20, 0), p.point(20, 0));
    circle = p.circle(p.point(0, 0), 8);
    upright = p.line(p.point(14, -10), p.point(14, 10));
    p.say(Law::Level, {level});
  }
};

} // namespace

class DrawingEditsTest : public QObject {
  Q_OBJECT
private slots:
  void trimmingTakesThePieceUnderThePointer() {
    const Crossing c;
    const auto middle = trimmed(c.p.d, c.level, {0, 0}, {});
    QVERIFY(middle.has_value());
    QCOMPARE(middle->entities.size(), size_t(4)); // two pieces of the line now
    VERIFY_AT_MOST(std::abs(length(*middle, c.level) - 12), 1e-9);
    const auto half = trimmed(c.p.d, c.circle, {0, 8}, {});
    QVERIFY(half.has_value());
    QVERIFY(half->entity(c.circle)->shape == Shape::Arc);
    VERIFY_AT_MOST(std::abs(length(*half, c.circle) - kPi * 8), 1e-9);
    const auto end = trimmed(c.p.d, c.level, {18, 0}, {});
    VERIFY_AT_MOST(std::abs(length(*end, c.level) - 34), 1e-9);
    // Its new end stays on what cut it.
    Drawing moved = *end;
    for (const Id& p : moved.entity(c.upright)->points) moved.point(p)->at.x() += 3;
    for (const Id& p : moved.entity(c.upright)->points) {
      Relation r;
      r.law = Law::Fixed, r.of = {p};
      moved.add(r);
    }
    const auto follows = solved(moved);
    QVERIFY(follows.has_value());
    const Vec2 tip = follows->at(follows->entity(c.level)->points[1]);
    VERIFY_AT_MOST(std::abs(tip.x() - 17), 1e-9);
  }

  void splittingAndLengtheningKeepTheForm() {
    const Crossing c;
    const auto two = split(c.p.d, c.level, {-4, 0}, {});
    QVERIFY(two.has_value());
    QCOMPARE(two->entities.size(), size_t(4));
    VERIFY_AT_MOST(std::abs(length(*two, c.level) - 24), 1e-9); // the longer one keeps the name
    QCOMPARE(split(c.p.d, c.circle, {0, 8}, {}).error().code, std::string("LM-U020"));
    Pencil p = c.p;
    const auto wall = p.line(p.point(40, -10), p.point(40, 10));
    Q_UNUSED(wall);
    const auto longer = lengthened(p.d, c.level, {19, 0}, {});
    QVERIFY(longer.has_value());
    VERIFY_AT_MOST(std::abs(length(*longer, c.level) - 60), 1e-9);
    QCOMPARE(lengthened(p.d, c.upright, {14, 9}, {}).error().code, std::string("LM-U021"));
  }

  void cornersAreRoundedAndCutAndSayWhatFits() {
    Pencil p;
    const auto corner = p.point(0, 0);
    const auto a = p.line(p.point(30, 0), corner), b = p.line(corner, p.point(0, 20));
    const auto round = rounded(p.d, corner, 6, "6");
    QVERIFY(round.has_value());
    const Entity& arc = round->entities.back();
    QVERIFY(arc.shape == Shape::Arc);
    VERIFY_AT_MOST((round->at(arc.points[0]) - Vec2(6, 6)).norm(), 1e-9);
    VERIFY_AT_MOST(std::abs(length(*round, arc.id) - kPi * 3), 1e-9);
    VERIFY_AT_MOST(std::abs(length(*round, a) - 24), 1e-9);
    const auto tooLarge = rounded(p.d, corner, 25, "25");
    QCOMPARE(tooLarge.error().code, std::string("LM-U024"));
    VERIFY_AT_MOST(std::abs(tooLarge.error().required->value - 20), 0.01);
    const auto cut = cornerCut(p.d, corner, 5, "5");
    QVERIFY(cut.has_value());
    VERIFY_AT_MOST(std::abs(length(*cut, cut->entities.back().id) - 5 * std::sqrt(2.0)), 1e-9);
    // A line that meets a circle of 15 squarely: the circle of 3 between them touches both.
    Pencil q;
    const auto tip = q.point(10, 0);
    q.line(q.point(-20, 0), tip);
    q.arc(q.point(25, 0), tip, q.point(25, 15), false);
    const auto smooth = rounded(q.d, tip, 3, "3");
    VERIFY_OK(smooth);
    const Entity& e = smooth->entities.back();
    VERIFY_AT_MOST(std::abs(e.size - 3), 1e-9);
    VERIFY_AT_MOST((smooth->at(e.points[0]) - Vec2(25 - std::sqrt(315.0), 3)).norm(), 1e-6);
    QCOMPARE(chainsOf(*smooth, {})->chains.size(), size_t(1));
    Q_UNUSED(b);
  }

  void copiesFollowWhatTheyCameFrom() {
    Crossing c;
    const auto axis = c.p.line(c.p.point(-30, -20), c.p.point(-30, 20));
    const auto image = mirroredIn(c.p.d, {c.circle, c.level}, axis, false);
    QVERIFY(image.has_value());
    const Entity& other = image->entities[image->entities.size() - 2];
    VERIFY_AT_MOST((image->at(other.points[0]) - Vec2(-60, 0)).norm(), 1e-9);

    const auto row = repeatedAlong(c.p.d, {c.circle}, {25, 0}, 4);
    QVERIFY(row.has_value());
    QCOMPARE(row->entities.size(), c.p.d.entities.size() + 3);
    Drawing wider = *row;
    for (Relation& r : wider.relations)
      if (r.law == Law::LevelDistance) r.value = 30, r.text = "30";
    const auto s = solved(wider);
    QVERIFY(s.has_value());
    const double span = s->at(s->entities.back().points[0]).x() - s->at(s->entity(c.circle)->points[0]).x();
    VERIFY_AT_MOST(std::abs(span - 90), 1e-8);

    const auto round = repeatedRound(c.p.d, {c.upright}, c.p.d.entity(c.circle)->points[0], kPi / 3, "60", 6);
    QVERIFY(round.has_value());
    for (const Entity& e : round->entities)
      if (e.shape == Shape::Line && e.id != c.level && e.id != axis) VERIFY_AT_MOST(std::abs(length(*round, e.id) - 20), 1e-9);
  }

  void aHalfGoesOnIntoItsImageWithEqualCurvature() {
    Pencil p;
    const Id axis = p.line(p.point(0, -5), p.point(0, 40));
    const Id half = p.spline(Shape::Spline, {p.point(0, 30), p.point(9, 33), p.point(22, 27), p.point(24, 12), p.point(10, 0)}, 4);
    const auto d = mirroredIn(p.d, {half}, axis, true);
    VERIFY_OK(d);
    QVERIFY(solved(*d).has_value());
    const auto chains = chainsOf(without(*d, {axis}), {});
    QCOMPARE(chains->chains.size(), size_t(1));
    const nurbs::Path& whole = chains->chains[0].path;
    // On both sides of the joint.
    double bends[2], slopes[2];
    for (const int side : {0, 1}) {
      nurbs::CurveDerivatives c;
      whole.derivatives(1 + (side ? 1e-9 : -1e-9), 2, c);
      bends[side] = (c[1].x() * c[2].y() - c[1].y() * c[2].x()) / std::pow(c[1].norm(), 3);
      slopes[side] = std::atan2(c[1].y(), c[1].x());
    }
    QVERIFY(std::abs(bends[0]) > 0.01);
    VERIFY_AT_MOST(std::abs(bends[1] / bends[0] - 1), 1e-5);
    VERIFY_AT_MOST(std::abs(std::remainder(slopes[1] - slopes[0], 2 * kPi)), 1e-6);
    // What does not end there is not given a plain image in silence.
    p.d.point(p.d.entity(half)->points[0])->at.x() = 3;
    QCOMPARE(mirroredIn(p.d, {half}, axis, true).error().code, std::string("LM-U036"));
  }

  void lettersAreOutlinesThatStandAsTheyAreTold() {
    Pencil p;
    Entity e;
    e.shape = Shape::Text, e.text = "HOB", e.points = {p.point(3, 4), p.point(3, 24)};
    const Id text = p.d.add(e);
    const auto chains = chainsOf(p.d, {});
    VERIFY_OK(chains);
    QCOMPARE(chains->chains.size(), size_t(1 + 2 + 3));
    QCOMPARE(chains->chains[0].name, text);
    QCOMPARE(chains->chains[1].name, text + ".2");
    const auto box = [](const nurbs::Path& path) {
      const Points q = nurbs::polyline(path, 8);
      return std::pair(Vec2(q.col(0).minCoeff(), q.col(1).minCoeff()), Vec2(q.col(0).maxCoeff(), q.col(1).maxCoeff()));
    };
    VERIFY_AT_MOST(std::abs(box(chains->chains[0].path).first.y() - 4), 1e-9);
    VERIFY_AT_MOST(std::abs(box(chains->chains[0].path).second.y() - 24), 1e-9);
    // Lying down, half as high: a level line of capitals up.
    auto up = relationsFor(p.d, Law::Upright, {text}), height = relationsFor(p.d, Law::Length, {text});
    height[0].value = 10;
    p.d.add(up[0]), p.d.add(height[0]);
    const auto d = solved(p.d);
    VERIFY_OK(d);
    const auto lying = box(chainsOf(*d, {})->chains[0].path);
    VERIFY_AT_MOST(std::abs(lying.second.x() - lying.first.x() - 10), 1e-6);
    QCOMPARE(trimmed(*d, text, {5, 5}, {}).error().code, std::string("LM-U034"));
    const Id axis = p.line(p.point(-9, 0), p.point(-9, 9));
    QCOMPARE(mirroredIn(p.d, {text}, axis, false).error().code, std::string("LM-U034"));
    const auto row = repeatedAlong(*d, {text}, {0, -20}, 3);
    VERIFY_OK(row);
    QCOMPARE(row->entities.back().text, std::string("HOB"));
    // Signs that there are none of are told, letters that there are none of refused.
    p.d.entity(text)->text = "A\xe4\xb8\xad";
    QCOMPARE(chainsOf(p.d, {})->notes.at(0).code, std::string("LM-P113"));
    p.d.entity(text)->text = "  ";
    QCOMPARE(chainsOf(p.d, {}).error().code, std::string("LM-P058"));
  }

  void whatIsLeftOfAnEllipseLiesOnIt() {
    Pencil p;
    Entity e;
    e.shape = Shape::Ellipse, e.points = {p.point(0, 0), p.point(20, 0)}, e.size = 8;
    const Id id = p.d.add(e);
    p.line(p.point(0, -20), p.point(0, 20));
    const auto d = trimmed(p.d, id, {15, 3}, {});
    VERIFY_OK(d);
    const auto path = pathOf(*d, *d->entity(id));
    QVERIFY(path && !path->closed());
    for (const Vec2& q : alongEntity(*d, *d->entity(id), 200)) {
      QVERIFY(q.x() < 1e-6);
      VERIFY_AT_MOST(std::abs(std::hypot(q.x() / 20, q.y() / 8) - 1) * 8, 0.0006);
    }
  }

  void offsetsOfChainsFollowTheirDistance() {
    Pencil p;
    const Plate plate = test::plate(p, {0, 0}, 50, 30, 6, 5);
    for (const Id& id : plate.lines) p.say(Law::Fixed, {id}); // it stays, its offset moves
    std::vector<Id> ids = plate.lines;
    ids.insert(ids.end(), plate.arcs.begin(), plate.arcs.end());
    const auto d = offsetBy(p.d, ids, 2, "2", {});
    QVERIFY(d.has_value());
    const auto chains = chainsOf(*d, {});
    QCOMPARE(chains->chains.size(), size_t(3)); // the plate, its hole, the offset
    const double inner = nurbs::ArcLength(chains->chains.back().path).total();
    VERIFY_AT_MOST(std::abs(inner - (2 * (46 - 8 + 26 - 8) + 2 * kPi * 4)), 1e-6);
    Drawing more = *d;
    for (Relation& r : more.relations)
      if (r.law == Law::Distance && r.text == "2") r.value = 3, r.text = "3";
    const auto s = solved(more);
    QVERIFY(s.has_value());
    const double smaller = nurbs::ArcLength(chainsOf(*s, {})->chains.back().path).total();
    VERIFY_AT_MOST(std::abs(smaller - (2 * (44 - 6 + 24 - 6) + 2 * kPi * 3)), 1e-6);
  }

  void splinesKeepTheirFormWhenTheyGetPointsOrDegrees() {
    Pencil p;
    const auto s = p.spline(Shape::Through, {p.point(0, 0), p.point(10, 12), p.point(25, 4), p.point(40, 15)}, 3);
    const double before = length(p.d, s);
    Context cx;
    // Points far from even: the new one goes between its neighbours, and the form hardly changes.
    Pencil uneven;
    const auto u = uneven.spline(Shape::Through, {uneven.point(0, 0), uneven.point(2, 1), uneven.point(4, 1), uneven.point(80, 10)}, 3);
    const Vec2 there = alongEntity(uneven.d, *uneven.d.entity(u), 40)[20];
    const auto between = withControlPoint(uneven.d, u, there, cx);
    VERIFY_OK(between);
    VERIFY_AT_MOST((between->at(between->entity(u)->points[3]) - there).norm(), 0.5);
    VERIFY_AT_MOST(std::abs(length(*between, u) - length(uneven.d, u)), 0.5);
    const auto control = asSpline(p.d, s, cx);
    QVERIFY(control.has_value());
    QVERIFY(control->entity(s)->shape == Shape::Spline);
    VERIFY_AT_MOST(std::abs(length(*control, s) - before), 1e-6);
    const auto more = withControlPoint(*control, s, {20, 7}, cx);
    QVERIFY(more.has_value());
    QCOMPARE(more->entity(s)->points.size(), control->entity(s)->points.size() + 1);
    VERIFY_AT_MOST(std::abs(length(*more, s) - before), 1e-6);
    const auto higher = withDegree(*more, s, 5, cx);
    QVERIFY(higher.has_value());
    QCOMPARE(higher->entity(s)->degree, 5);
    VERIFY_AT_MOST(std::abs(length(*higher, s) - before), 1e-6);
    const auto lower = withDegree(*higher, s, 3, cx);
    QVERIFY(lower.has_value());
    VERIFY_AT_MOST(std::abs(length(*lower, s) - before), 0.05);
    const auto line = p.line(p.point(50, 0), p.point(60, 0));
    VERIFY_AT_MOST(std::abs(length(*asSpline(p.d, line, cx), line) - 10), 1e-9);
  }

  void everySketchDrawsWhatItsPlacesSay() {
    const std::vector<Place> places{{{0, 0}}, {{30, 0}}, {{20, 15}}, {{40, 20}}};
    for (const Sketch& s : sketches()) {
      std::vector<Place> some(places.begin(), places.begin() + std::min<int>(s.most, 4));
      if (std::string(s.key) == "rectangle" || std::string(s.key) == "rectangle_middle") some[1].at = {30, 18};
      const auto made = sketched({}, s.key, some, {});
      QVERIFY2(made.has_value(), s.key);
      QVERIFY(check(made->drawing).has_value());
      const auto d = solved(made->drawing);
      QVERIFY2(d.has_value(), s.key);
      for (const Point& p : made->drawing.points) VERIFY_AT_MOST((d->at(p.id) - p.at).norm(), 1e-9); // it lies as it was drawn
      QVERIFY(freedomOf(*d)->said.empty());
      QVERIFY(!sketched({}, s.key, {}, {}));
    }
  }

  void whatIsSnappedToHolds() {
    Pencil p;
    const auto from = p.point(0, 0), to = p.point(40, 0), line = p.line(from, to);
    SnapOptions o;
    o.reachMm = 2;
    QCOMPARE(snapped(p.d, {39, 1}, o).place.point, to);
    QCOMPARE(snapped(p.d, {20.5, 0.4}, o).place.middleOf, line);
    QCOMPARE(snapped(p.d, {10, 1}, o).place.on, line);
    const auto ring = p.circle(p.point(60, 30), 10);
    p.line(p.point(30, -10), p.point(30, 30));
    const auto cross = snapped(p.d, {30.8, 0.6}, o).place;
    VERIFY_AT_MOST((cross.at - Vec2(30, 0)).norm(), 1e-9);
    QCOMPARE(cross.on, line);
    QVERIFY(!cross.onToo.empty());
    const auto outermost = snapped(p.d, {60.6, 40.7}, o).place;
    QCOMPARE(outermost.on, ring);
    VERIFY_AT_MOST((outermost.at - Vec2(60, 40)).norm(), 1e-12);
    QCOMPARE(outermost.uprightWith, p.d.entity(ring)->points[0]);
    o.from = Vec2(10, 20);
    const auto level = snapped(p.d, {25, 20.6}, o);
    QCOMPARE(level.place.levelWith, kBeginning);
    VERIFY_AT_MOST(std::abs(level.place.at.y() - 20), 1e-12);
    const auto made = sketched(p.d, "line", {{{10, 20}}, level.place}, {});
    QVERIFY(made && made->drawing.relations.back().law == Law::Level);
  }

  void chainsGoOnSmoothlyAndKeepTheNameOfTheirOldest() {
    Pencil p;
    const auto x = p.point(0, 0);
    const auto a = p.line(p.point(-10, 0), x), up = p.line(x, p.point(0, 10)), b = p.line(x, p.point(10, 0));
    const auto c = chainsOf(p.d, {});
    QCOMPARE(c->chains.size(), size_t(2));
    QCOMPARE(c->chains[0].entities, (std::vector<Id>{a, b}));
    QCOMPARE(c->chains[0].name, a);
    QCOMPARE(c->chains[1].name, up);
  }
};

static test::Register<DrawingEditsTest> registeredDrawingEditsTest;
#include "edits_test.moc"

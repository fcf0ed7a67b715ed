#include "brep/curves_on.h"
#include "brep/thicken_parts.h"
#include "nurbs/measure/arc_length.h"
#include "recipe/drawing_value.h"
#include "recipe/linked_things.h"
#include "shapes/drawing_cases.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;
using drawing::Law;

namespace {

json top() { return picks({pick("world", "plane", "top")}); }

/// A rectangle that is `waist` wide and 30 high, its lower left corner in the origin; entities e5 to e8.
drawing::Drawing sheet() {
  Pencil p;
  const auto a = p.point(0, 0), b = p.point(50, 0), c = p.point(50, 30), d = p.point(0, 30);
  const auto ab = p.line(a, b), bc = p.line(b, c), cd = p.line(c, d), da = p.line(d, a);
  p.say(Law::Fixed, {a});
  p.say(Law::Level, {ab}), p.say(Law::Level, {cd}), p.say(Law::Upright, {bc}), p.say(Law::Upright, {da});
  p.d.relation(p.measure(Law::Length, {ab}))->text = "waist";
  p.measure(Law::Length, {bc});
  return p.d;
}

} // namespace

class DrawingStepTest : public QObject {
  Q_OBJECT
private slots:
  void aNumberMovesTheOutlineAndWhatIsMadeFromIt() {
    Bench b;
    b.recipe.parameters = {{"waist", "50"}};
    const auto id = b.add("drawing", {{"plane", top()}, {"drawing", recipe::toJson(sheet())}});
    const auto body = b.add("extrude", {{"sections", picks({pick(id, "curve")})}, {"length", "10"}, {"solid", true}});
    for (const double waist : {50.0, 62.0, 5.0}) {
      b.recipe.parameters[0].expression = std::to_string(waist);
      b.run();
      VERIFY_STEP(b, id);
      VERIFY_AT_MOST(std::abs(nurbs::ArcLength(b.curve(id)).total() - 2 * (waist + 30)), 1e-6);
      QVERIFY(b.curve(id).closed());
      VERIFY_STEP(b, body);
      QCOMPARE(b.result(id).outcome->summary, std::string("1 closed line - nothing free"));
    }
  }

  void aPickOfAnyPieceIsOfTheWholeLine() {
    Bench b;
    b.recipe.parameters = {{"waist", "50"}};
    const auto id = b.add("drawing", {{"plane", top()}, {"drawing", recipe::toJson(sheet())}});
    const auto plane = b.add("extrude", {{"sections", picks({pick(id, "curve", "e7")})}, {"length", "10"}, {"solid", true}});
    b.run();
    VERIFY_STEP(b, plane);
    QVERIFY(b.body(plane)->solid());
    // Its first piece is taken out and drawn again: the pick finds the line.
    drawing::Drawing d = drawing::without(sheet(), {"e5"});
    drawing::Entity line;
    line.points = {"p1", "p2"};
    d.add(line);
    b.set(id, "drawing", recipe::toJson(d));
    b.run();
    VERIFY_STEP(b, plane);
    QVERIFY(b.body(plane)->solid());
  }

  void aPickOfALetterIsOfTheWholeText() {
    Bench b;
    Pencil p;
    drawing::Entity e;
    e.shape = drawing::Shape::Text, e.text = "OH", e.points = {p.point(0, 0), p.point(0, 12)};
    const auto text = p.d.add(e);
    p.circle(p.point(60, 0), 5);
    const auto id = b.add("drawing", {{"plane", top()}, {"drawing", recipe::toJson(p.d)}});
    const auto letters = b.add("extrude", {{"sections", picks({pick(id, "curve", text)})}, {"length", "2"}, {"solid", true}});
    b.run();
    VERIFY_STEP(b, id);
    QCOMPARE(b.result(id).outcome->outputs.size(), size_t(4));
    VERIFY_STEP(b, letters);
    QVERIFY(b.result(letters).outcome->notes.empty());
    // The box of what was made is that of both letters and not of the circle.
    double high = -1e300, low = 1e300;
    for (const auto& body : b.model->bodies)
      for (const auto& f : brep::faces(*body.body))
        for (const Vec3& q : brep::pointsInside(f, 5)) low = std::min(low, q.x()), high = std::max(high, q.x());
    QVERIFY(low < 2 && high > 15 && high < 40);
  }

  void sectionsOutlinesAndCornersOfBodiesAreFollowed() {
    Bench b;
    b.recipe.parameters = {{"waist", "50"}};
    const auto base = b.add("drawing", {{"plane", top()}, {"drawing", recipe::toJson(sheet())}});
    const auto box = b.add("extrude", {{"sections", picks({pick(base, "curve")})}, {"length", "20"}, {"solid", true}});
    const auto level = b.add("plane", {{"distance", "8"}});
    Pencil p;
    const auto corner = p.point(1, 1), ring = p.circle(corner, 4);
    json cut = pick(box, "solid");
    cut["as"] = "section";
    const auto on = b.add("drawing", {{"plane", picks({pick(level, "plane")})}, {"drawing", recipe::toJson(p.d)}, {"links", picks({cut})}});
    b.run();
    VERIFY_STEP(b, on);
    recipe::LinkedThings known;
    const auto linked = [&] { return recipe::linkedDrawing(p.d, *b.recipe.find(on), steps::registry().schemaOf("drawing"), "links", {{0, 0, 8}, Vec3::UnitX(), Vec3::UnitY()}, *b.model, known); };
    const auto width = [&](const drawing::Drawing& d) {
      double low = 1e300, high = -1e300;
      for (const auto& e : d.entities)
        if (e.linked)
          for (const auto& q : e.points) low = std::min(low, d.at(q).x()), high = std::max(high, d.at(q).x());
      return high - low;
    };
    auto d = linked();
    VERIFY_OK(d);
    VERIFY_AT_MOST(std::abs(width(*d) - 50), 1e-6);
    b.recipe.parameters[0].expression = "62";
    b.run();
    d = linked();
    VERIFY_OK(d);
    VERIFY_AT_MOST(std::abs(width(*d) - 62), 1e-6);
    // A plane beside it cuts nothing: said, with what to try.
    b.set(level, "distance", "40");
    b.run();
    QCOMPARE(b.code(on), std::string("LM-U033"));
  }

  /// A part of a curve, and a text of which every outline is meant by one pick.
  void picksOfLinksMeanWhatTheySay() {
    Bench b;
    const auto line = polyline(b, {{{0, 0, 0}, {40, 0, 0}}});
    Pencil text;
    drawing::Entity e;
    e.shape = drawing::Shape::Text, e.text = "OH", e.points = {text.point(0, 20), text.point(0, 32)};
    const auto letters = text.d.add(e);
    const auto drawn = b.add("drawing", {{"plane", top()}, {"drawing", recipe::toJson(text.d)}});
    Pencil p;
    p.circle(p.point(1, 1), 4);
    json half = pick(line, "curve"), all = pick(drawn, "curve", letters);
    half["to"] = "0.5";
    const auto on = b.add("drawing", {{"plane", top()}, {"drawing", recipe::toJson(p.d)}, {"links", picks({half, all})}});
    b.run();
    VERIFY_STEP(b, on);
    recipe::LinkedThings known;
    const auto d = recipe::linkedDrawing(p.d, *b.recipe.find(on), steps::registry().schemaOf("drawing"), "links", Frame(), *b.model, known);
    VERIFY_OK(d);
    size_t ofText = 0;
    for (const auto& x : d->entities) {
      if (x.link == half["id"]) VERIFY_AT_MOST((d->at(x.points[1]) - Vec2(20, 0)).norm(), 1e-9);
      ofText += x.link == all["id"];
    }
    size_t pieces = 0;
    for (const auto& o : b.result(drawn).outcome->outputs) pieces += std::get<recipe::CurvePtr>(o.object)->segments().size();
    QCOMPARE(ofText, pieces);
    QCOMPARE(d->entities.size(), pieces + 2); // the circle and half the line
  }

  void contradictionsAreNamedWithWhatCanBeGivenUp() {
    Bench b;
    b.recipe.parameters = {{"waist", "50"}};
    drawing::Drawing d = sheet();
    drawing::Relation r;
    r.law = Law::Length, r.of = {"e7"}, r.value = 44;
    const auto extra = d.add(r);
    const auto id = b.add("drawing", {{"plane", top()}, {"drawing", recipe::toJson(d)}});
    b.run();
    QCOMPARE(b.code(id), std::string("LM-U005"));
    const auto& offers = b.result(id).problem->remedies;
    QVERIFY(offers.size() >= 2);
    QVERIFY(std::any_of(offers.begin(), offers.end(), [&](const Remedy& o) { return o.value == extra; }));
    for (const Remedy& o : offers) { // each of them alone is enough
      Bench c;
      c.recipe = recipe::withRemedy(b.recipe, id, o, steps::registry());
      c.run();
      VERIFY_STEP(c, id);
    }
  }

  void relationsThatSayNothingNewAreNoted() {
    Bench b;
    b.recipe.parameters = {{"waist", "50"}};
    drawing::Drawing d = sheet();
    drawing::Relation r;
    r.law = Law::Parallel, r.of = {"e5", "e7"};
    d.add(r);
    const auto id = b.add("drawing", {{"plane", top()}, {"drawing", recipe::toJson(d)}});
    b.run();
    VERIFY_STEP(b, id);
    QCOMPARE(b.result(id).outcome->notes.size(), size_t(1));
    QCOMPARE(b.result(id).outcome->notes[0].code, std::string("LM-U103"));
  }

  void itIsMissingUntilSomethingIsDrawnAndDamagedOnesAreRefused() {
    Bench b;
    const auto empty = b.add("drawing", {{"plane", top()}});
    json bad = recipe::toJson(sheet());
    bad["entities"][0]["points"] = {"p1", "p99"};
    const auto damaged = b.add("drawing", {{"plane", top()}, {"drawing", bad}});
    json nan = recipe::toJson(sheet());
    nan["points"][0]["at"] = {1e300, 0};
    const auto nowhere = b.add("drawing", {{"plane", top()}, {"drawing", nan}});
    b.recipe.parameters = {{"waist", "50"}};
    b.run();
    QCOMPARE(b.code(empty), std::string("LM-U010"));
    QVERIFY(b.result(empty).problem->missing);
    QCOMPARE(b.code(damaged), std::string("LM-U001"));
    QCOMPARE(b.code(nowhere), std::string("LM-U002"));
  }
};

static test::Register<DrawingStepTest> registeredDrawingStepTest;
#include "drawing_test.moc"

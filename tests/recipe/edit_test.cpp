#include "recipe/edit_picks.h"
#include "recipe/edit_points.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;
using nlohmann::json;

class EditTest : public QObject {
  Q_OBJECT
  static const json& inputs(const recipe::Recipe& r, const std::string& step) { return *r.find(step)->inputs; }

private slots:
  void movesAddUpInTheRowOfTheirId() {
    Bench b = tumbler();
    b.add("shape_curve", {{"curve", picks({pick("s2")})}});
    const recipe::ItemRef row{"s7", "moves", "c3"};
    const recipe::Recipe once = recipe::withMove(b.recipe, row, {1.23456, 0, -2}, 1e2, {});
    QCOMPARE(inputs(once, "s7").value("moves", json::array()).size(), size_t(1));
    QCOMPARE(inputs(once, "s7")["moves"][0]["x"].get<double>(), 1.23);
    const recipe::Recipe twice = recipe::withMove(once, row, {0.5, 4, 0}, 1e4, {});
    QCOMPARE(inputs(twice, "s7")["moves"][0]["x"].get<double>(), 1.73);
    QCOMPARE(inputs(twice, "s7")["moves"][0]["z"].get<double>(), -2.0);
    QVERIFY(inputs(recipe::withoutItem(twice, row), "s7")["moves"].empty());
    QVERIFY(!inputs(b.recipe, "s7").contains("moves")); // what was there stays as it is
    // An expression in a row is moved from its value.
    recipe::Recipe named = recipe::withValue(twice, {"s7", "moves", "c3", "y"}, "w / 2");
    named = recipe::withMove(named, row, {0, 1, 0}, 1e4, {{"w", millimetres(12)}});
    QCOMPARE(inputs(named, "s7")["moves"][0]["y"].get<double>(), 7.0);
  }

  void idsOfItemsThatWereLetGoDoNotComeBackAsOthers() {
    QCOMPARE(recipe::freeItemId(json::array(), "p"), std::string("p1"));
    const json list{{{"id", "p2"}}, {{"id", "p7"}}, {{"id", "q9"}}};
    QCOMPARE(recipe::freeItemId(list, "p"), std::string("p8"));
    QCOMPARE(recipe::freeItemId(list, "q"), std::string("q10"));
  }

  void picksComeGoAndTakeThePlaceOfOthers() {
    Bench b = tumbler();
    b.run();
    const auto& model = *b.model;
    const auto& entry = *b.recipe.find("s5");
    const recipe::Field& f = *recipe::findField(steps::registry().schemaOf("loft"), "sections");
    const auto ids = [&](const recipe::StepPtr& s) {
      std::string out;
      for (const json& p : (*s->inputs)["sections"]) out += p["step"].get<std::string>() + ":" + p["id"].get<std::string>() + " ";
      return out;
    };
    const int before = recipe::pickedCount(entry, "sections");
    const recipe::PickRef ring{"s2", "", recipe::Kind::Curve, {}, {}};
    const auto without = recipe::withPick(entry, f, ring, "", model); // it is there: let go
    QCOMPARE(recipe::pickedCount(*without, "sections"), before - 1);
    const auto again = recipe::withPick(*without, f, ring, "", model);
    QCOMPARE(recipe::pickedCount(*again, "sections"), before);
    QVERIFY(ids(again) != ids(std::make_shared<recipe::StepEntry>(entry))); // last now, under an id of its own
    const std::string first = inputs(b.recipe, "s5")["sections"][0]["id"];
    const auto replaced = recipe::withPick(*without, f, ring, first, model);
    QCOMPARE(recipe::pickedCount(*replaced, "sections"), before - 1);
    QCOMPARE((*replaced->inputs)["sections"][0]["step"].get<std::string>(), std::string("s2"));
    QCOMPARE((*replaced->inputs)["sections"][0]["id"].get<std::string>(), first);
  }

  void switchesTurnAndChoicesGoOn() {
    Bench b = tumbler();
    const std::string item = inputs(b.recipe, "s5")["sections"][1]["id"];
    const auto [turned, flip] = recipe::withItemTurned(b.recipe, {"s5", "sections", item, "flip"}, 0, steps::registry());
    QVERIFY(flip && flip->key == "flip" && inputs(turned, "s5")["sections"][1]["flip"] == true);
    const auto back = recipe::withItemTurned(turned, {"s5", "sections", item, "flip"}, 0, steps::registry()).first;
    QVERIFY(inputs(back, "s5")["sections"][1]["flip"] == false);
    QVERIFY(!recipe::withItemTurned(b.recipe, {"s5", "sections", "none", "flip"}, 0, steps::registry()).second);
    QVERIFY(!recipe::withItemTurned(b.recipe, {"s99", "sections"}, 0, steps::registry()).second);
  }

  void pointsKeepExactlyWhatWasSnappedTo() {
    Bench b;
    b.add("spline", {{"points", json::array()}});
    b.run();
    const recipe::PointsIn in{*b.model, steps::registry(), {}};
    recipe::Recipe r = recipe::withNewPoint(b.recipe, {"s1", "points"}, {{1.23456789, 0, 5}, false}, in);
    r = recipe::withNewPoint(r, {"s1", "points"}, {{10.123456, 2, 5}, true}, in);
    const auto points = recipe::pointsOf(*r.find("s1"), "points", {});
    QCOMPARE(points.size(), size_t(2));
    QCOMPARE(points[0].second->x(), 1.23);
    QCOMPARE(points[1].second->x(), 10.123456);
    const auto moved = recipe::withPointAt(r, {"s1", "points", points[0].first}, {{4, 4, 4}, false}, in);
    QVERIFY(*recipe::pointsOf(*moved.find("s1"), "points", {})[0].second == Vec3(4, 4, 4));
    QCOMPARE(recipe::pointsOf(*moved.find("s1"), "points", {}).size(), size_t(2));
  }

  void endsOnCurvesStayWithWhatMeetsThem() {
    Bench b = tumbler();
    const std::string item = inputs(b.recipe, "s5")["sections"][1]["id"];
    const recipe::ItemRef from{"s5", "sections", item, "from"};
    const auto held = recipe::withPlaceOnCurve(b.recipe, from, {0.123456, recipe::CurveRef{"s2", ""}});
    const json& section = inputs(held, "s5")["sections"][1];
    QCOMPARE(section["from"].get<double>(), 0.1235);
    QCOMPARE(section["fromAt"][0]["step"].get<std::string>(), std::string("s2"));
    const auto freed = recipe::withPlaceOnCurve(held, from, {0.5, {}});
    QVERIFY(!inputs(freed, "s5")["sections"][1].contains("fromAt"));
  }
};

static test::Register<EditTest> registeredEditTest;
#include "edit_test.moc"

#include "recipe/cache.h"
#include "recipe/point_table.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;
using namespace lumsk::recipe;

namespace {

/// A schema with every kind of field, as later steps will have them.
Schema everything() {
  return {length("size", "Size", "A length.", "5"),
          choice("way", "Way", "A choice.", {{"a", "a"}, {"b", "b"}}),
          toggle("flag", "Flag", "A switch.", true),
          text("words", "Words", "A text.", "x"),
          file("from", "From", "A file.", "All (*)"),
          continuity("meets", "Meets", "A continuity.", {"g0", "g1", "g2"}),
          picks("what", "What", "Some picks.", Kind::Curve | Kind::Point).eachWith({startMark(), flip()}),
          table("rows", "Rows", "A table.", {length("a", "A", "First.", "0"), ratioField("b", "B", "Second.", "1")}),
          graph("scale", "Scale", "A graph.", Dimension::Ratio),
          points("pts", "Points", "Some points."),
          recipe::drawing("sketch", "Sketch", "A drawing."),
          length("extra", "Extra", "Conditional.", "1").when("way", {"b"})};
}

} // namespace

class SchemaTest : public QObject {
  Q_OBJECT
private slots:
  void everyKindOfFieldIsAcceptedAndCheckedInTheFile() {
    const Schema s = everything();
    const json good{{"size", "3 mm"},
                    {"way", "b"},
                    {"flag", false},
                    {"words", "hello"},
                    {"from", {{"hash", "h"}, {"name", "n"}}},
                    {"meets", "g2"},
                    {"what", {{{"id", "p1"}, {"step", "s1"}, {"flip", true}, {"start", "0.5"}}}},
                    {"rows", {{{"id", "r1"}, {"a", 3}, {"b", "1/2"}}}},
                    {"scale", {{{"id", "g1"}, {"at", 0}, {"value", "2"}}}},
                    {"pts", {{{"id", "q1"}, {"at", {1, "2 in", 3}}}}},
                    {"sketch", {{"later", 1}}}};
    QCOMPARE(shapeError(s, good), std::string());
    const auto refused = [&](const char* key, const json& value) {
      json bad = good;
      bad[key] = value;
      return !shapeError(s, bad).empty();
    };
    QVERIFY(refused("size", json::array()));
    QVERIFY(refused("way", "c"));
    QVERIFY(refused("flag", "yes"));
    QVERIFY(refused("words", 3));
    QVERIFY(refused("from", "file.txt"));
    QVERIFY(refused("meets", "g3"));
    QVERIFY(refused("what", {{{"step", "s1"}}}));
    QVERIFY(refused("what", {{{"id", "p1"}, {"step", "s1"}, {"colour", 3}}}));
    QVERIFY(refused("what", {{{"id", "p1"}, {"step", "s1"}}, {{"id", "p1"}, {"step", "s2"}}}));
    QVERIFY(refused("rows", {{{"id", "r1"}, {"c", 3}}}));
    QVERIFY(refused("scale", {{{"id", "g1"}, {"at", 0}}}));
    QVERIFY(refused("pts", {{{"id", "q1"}, {"at", {1, 2}}}}));
    QVERIFY(refused("sketch", 3));
    QVERIFY(refused("unknown", 3));
    QVERIFY(!shapeError(s, json::array()).empty());
  }

  void conditionsDecideWhetherAFieldCounts() {
    const Schema s = everything();
    QVERIFY(!applies(*findField(s, "extra"), s, json::object()));
    QVERIFY(applies(*findField(s, "extra"), s, {{"way", "b"}}));
    QVERIFY(applies(*findField(s, "size"), s, json::object()));
    QCOMPARE(kindNames(Kind::Curve | Kind::Edge | Kind::Point), std::string("curve, edge or point"));
    const json listed = toJson(s);
    QCOMPARE(listed.size(), s.size());
    for (const json& f : listed) QVERIFY(f.contains("help") && f.contains("kind"));
  }

  void theCacheDropsWhatWasNotUsedLongest() {
    Bench b = tumbler();
    b.run();
    const OutcomePtr loft = b.result("s5").outcome;
    const size_t one = sizeOf(*loft);
    QVERIFY(one > 4096);
    Cache small(3 * one + one / 2);
    for (int i = 0; i < 3; ++i) small.put("k" + std::to_string(i), {loft, {}, 0.0});
    QVERIFY(small.find("k0"));
    small.put("k3", {loft, {}, 0.0});
    QVERIFY(small.find("k0") && !small.find("k1") && small.find("k2") && small.find("k3"));
    VERIFY_AT_MOST(double(small.bytes()), double(3 * one + one / 2));
  }

  void tablesOfPointsAreReadInEveryDialect() {
    const auto t =
        readPointTable("# head\n 1 2 3 # tail\r\n4\t5\t6\n7,8,9\n10;11;12\n+1.5 -2e1 .5\n\n\n0 0 0\n1 1 1\n\n");
    VERIFY_OK(t);
    QCOMPARE(t->size(), size_t(2));
    QCOMPARE((*t)[0].rows(), Eigen::Index(5));
    VERIFY_AT_MOST((Vec3((*t)[0].row(4).transpose()) - Vec3(1.5, -20, 0.5)).norm(), 1e-12);
    for (const char* bad : {"1 2", "1 2 3 4", "a b c", "1 2 3x", "1 2 1e300", "inf 0 0"})
      QCOMPARE(readPointTable(bad).error().code, std::string("LM-F010"));
    for (const char* empty : {"", "\n\n", "# only words"})
      QCOMPARE(readPointTable(empty).error().code, std::string("LM-F011"));
  }

  void editsMakeNewValuesAndLeaveTheOldOnesAlone() {
    Bench b = tumbler();
    const Recipe before = b.recipe;
    const std::string text = toText(before);
    Recipe next = before.withStep(withInput(*before.find("s2"), "width", 99));
    next = next.without("s3");
    auto extra = std::make_shared<StepEntry>(*before.find("s2"));
    extra->id = "s" + next.newId();
    next.here = "s1";
    next = next.withInserted(extra);
    QCOMPARE(toText(before), text);
    QCOMPARE(next.indexOf("s3"), -1);
    QCOMPARE(next.indexOf(extra->id), 1);
    QCOMPARE(next.here, extra->id);
    QVERIFY(next.steps[0].get() == before.steps[0].get());
    QCOMPARE(referencesOf(*before.find("s5")), (std::vector<std::string>{"s1", "s2", "s3", "s4"}));
  }

  void bodiesAreCountedOnceAndLooksAreKeptApart() {
    Bench b = tumbler();
    b.recipe.looks["b5"] = {"Cup", "#336699", false};
    b.run();
    QCOMPARE(b.model->bodies.size(), size_t(1));
    QCOMPARE(b.model->bodies[0].label, std::string("Cup"));
    QCOMPARE(b.model->bodies[0].colour, std::string("#336699"));
    QVERIFY(!b.model->bodies[0].visible);
    const auto outcome = b.result("s6").outcome;
    b.recipe.looks["b5"].visible = true;
    b.run();
    QCOMPARE(b.result("s6").outcome.get(), outcome.get());
    b.add("move", {{"what", picks({pick("s6")})}, {"x", 200}, {"copy", true}});
    b.run();
    QCOMPARE(b.model->bodies.size(), size_t(2));
  }
};

static test::Register<SchemaTest> registeredSchemaTest;
#include "schema_test.moc"

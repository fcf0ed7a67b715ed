#include "recipe/evaluator.h"
#include "recipe/history.h"
#include "shapes/bodies.h"
#include "support/recipes.h"

#include <chrono>
#include <thread>

using namespace lumsk;
using namespace lumsk::test;
using recipe::Status;

class EvaluatorTest : public QObject {
  Q_OBJECT
private slots:
  void whatIsReachedIsToldAndTheRestIsStale() {
    Bench b = tumbler();
    recipe::EvaluateOptions o;
    std::vector<recipe::ModelPtr> told;
    o.reached = [&](const recipe::ModelPtr& m) { told.push_back(m); };
    const auto whole = b.evaluator->evaluate(std::make_shared<const recipe::Recipe>(b.recipe), o);
    QVERIFY(told.size() >= 2);
    size_t before = 0;
    for (const auto& m : told) {
      size_t done = 0;
      for (const auto& s : b.recipe.steps) {
        const auto* r = m->result(s->id);
        QVERIFY(r); // whoever shows it may rely on that
        done += r->status == recipe::Status::Ok;
        if (r->status == recipe::Status::Ok) QVERIFY(r->outcome == whole->result(s->id)->outcome);
      }
      QVERIFY(done > before && done < b.recipe.steps.size());
      before = done;
      QVERIFY(m->bodies.size() <= whole->bodies.size());
    }
  }

  void onlyWhatChangedIsComputedAgain() {
    Bench b = tumbler();
    b.run();
    const auto loft = b.result("s5").outcome, ring = b.result("s2").outcome;
    b.set("s6", "thickness", 3);
    b.run();
    QCOMPARE(b.result("s5").outcome.get(), loft.get());
    b.set("s4", "width", 80);
    b.run();
    QCOMPARE(b.result("s2").outcome.get(), ring.get());
    QVERIFY(b.result("s5").outcome.get() != loft.get());
    b.set("s4", "width", 76);
    b.run();
    QCOMPARE(b.result("s5").outcome.get(), loft.get());
  }

  void aFailedStepKeepsWhatFollowsStale() {
    Bench b = tumbler();
    b.run();
    b.set("s3", "width", -5);
    b.run();
    QVERIFY(b.result("s3").status == Status::Failed && b.result("s3").outcome);
    QCOMPARE(b.result("s5").status, Status::Stale);
    QCOMPARE(b.result("s6").status, Status::Stale);
    QVERIFY(b.result("s6").outcome);
    QVERIFY(b.model->bodies.size() == 1 && b.model->bodies[0].stale);
    b.set("s3", "width", 66);
    b.run();
    QCOMPARE(b.result("s6").status, Status::Ok);
  }

  void numbersDriveStepsAndCirclesAreNamed() {
    Bench b = tumbler();
    b.recipe.parameters = {{"total", "3*wall"}, {"wall", "1.5"}};
    b.set("s6", "thickness", "total/2");
    b.run();
    QCOMPARE(b.model->numbers.at("total").value, 4.5);
    QCOMPARE(b.result("s6").status, Status::Ok);
    b.recipe.parameters[1].expression = "total/3";
    b.run();
    QCOMPARE(b.model->numbersProblem->code, std::string("LM-E006"));
    QVERIFY(b.model->numbersProblem->what.find("total, wall, total") != std::string::npos);
  }

  void heavyStepsWaitDuringADrag() {
    Bench b = tumbler();
    b.run();
    const double wall = b.evaluator->lastSeconds("s6");
    QVERIFY(b.evaluator->lastSeconds("s5") < wall / 3);
    for (const bool heavy : {true, false}) {
      b.set("s4", "width", heavy ? 77 : 77.5);
      recipe::EvaluateOptions o;
      o.previous = b.model;
      o.lightOnly = true;
      o.lightSeconds = heavy ? wall / 8 : 10; // what ran but once may have run cold
      const auto m = b.evaluator->evaluate(std::make_shared<const recipe::Recipe>(b.recipe), o);
      QCOMPARE(m->result("s4")->status, Status::Ok);
      QCOMPARE(m->result("s6")->status, heavy ? Status::Stale : Status::Ok);
      // The skin follows the drag: of a heavy wall the fresh loft is shown instead.
      QCOMPARE(m->bodies.size(), size_t(1));
      QCOMPARE(m->bodies[0].step, std::string(heavy ? "s5" : "s6"));
      QVERIFY(!m->bodies[0].stale);
      QVERIFY(inspect::stateOf(*m->bodies[0].body).boxHigh.x() > 38.4);
    }
  }

  /// Steps that take a known time: a body and a curve beside it.
  void aDragComputesWhatIsSeenFirst() {
    const auto schema = [] { return recipe::Schema{recipe::quantity("n", "N", "A number.", Dimension::Ratio, "0")}; };
    static const brep::BodyPtr skin = tumblerSkin(); // made before anybody takes the time
    recipe::Step body, side;
    body.kind = body.label = "body", side.kind = side.label = "side";
    body.schema = side.schema = schema;
    body.compute = [](const recipe::Inputs&, const Context&) -> Expected<recipe::Outcome> {
      std::this_thread::sleep_for(std::chrono::milliseconds(40));
      recipe::Outcome out;
      out.outputs.push_back({"", skin});
      return out;
    };
    side.compute = [](const recipe::Inputs&, const Context&) -> Expected<recipe::Outcome> {
      std::this_thread::sleep_for(std::chrono::milliseconds(12));
      return recipe::Outcome();
    };
    const recipe::Registry registry({body, side});
    const auto entry = [](const char* id, const char* kind, int n) {
      return std::make_shared<const recipe::StepEntry>(recipe::StepEntry{
          id, kind, 1, id, true, {}, {}, std::make_shared<const json>(json{{"n", n}})});
    };
    for (const bool dragged : {false, true}) {
      recipe::Evaluator evaluator(registry);
      recipe::Recipe r;
      r.steps = {entry("s1", "side", 0), entry("s2", "body", 0)};
      recipe::EvaluateOptions o;
      o.previous = evaluator.evaluate(std::make_shared<const recipe::Recipe>(r), o);
      QCOMPARE(o.previous->bodies.size(), size_t(1));
      o.lightOnly = true;
      o.lightSeconds = 0.035; // the body, cold till now, takes longer than all that may be spent on what waits
      r.tolerances.fit.mm *= 0.5; // both are computed again
      if (dragged) r.steps[0] = entry("s1", "side", 1);
      const auto m = evaluator.evaluate(std::make_shared<const recipe::Recipe>(r), o);
      QCOMPARE(m->result("s2")->status, Status::Ok);
      QCOMPARE(m->result("s1")->status, dragged ? Status::Ok : Status::Stale);
    }
  }

  void aFileOfAnotherShapeIsRefusedAndTheRestComputed() {
    Bench b = tumbler();
    b.add("picture", {{"file", {{"hash", 3}}}});
    b.run();
    QCOMPARE(b.result("s6").status, Status::Ok);
    QCOMPARE(b.result(b.recipe.steps.back()->id).status, Status::Failed);
  }

  void whatAStepDependsOnBesidesItsInputsIsSeen() {
    Bench b = tumbler();
    b.recipe.parameters = {{"wall", "1.5"}};
    b.set("s6", "thickness", "wall");
    b.run();
    const auto first = b.result("s6"), loft = b.result("s5");
    b.run();
    QCOMPARE(b.result("s6").outcome.get(), first.outcome.get());
    b.recipe.parameters[0].expression = "2.5";
    b.run();
    QVERIFY(b.result("s6").key != first.key);
    QCOMPARE(b.result("s5").outcome.get(), loft.outcome.get());
    b.recipe.parameters[0].expression = "1.5";
    b.recipe.tolerances.fit.mm *= 0.5;
    b.run();
    QVERIFY(b.result("s6").key != first.key && b.result("s5").key != loft.key);
    b.recipe.tolerances.fit.mm *= 2;
    b.run();
    QCOMPARE(b.result("s6").outcome.get(), first.outcome.get());
    // The same steps in an order in which the loft comes before a ring that it picks.
    const auto inOrder = b.recipe.steps;
    std::swap(b.recipe.steps[size_t(b.recipe.indexOf("s4"))], b.recipe.steps[size_t(b.recipe.indexOf("s5"))]);
    b.run();
    QCOMPARE(b.code("s5"), std::string("LM-R023"));
    b.recipe.steps = inOrder;
    b.run();
    QCOMPARE(b.result("s6").outcome.get(), first.outcome.get());
  }

  void referencesToLaterLostAndWrongThingsAreExplained() {
    Bench b;
    b.add("loft", {{"sections", picks({pick("s2"), pick("s3")})}});
    b.add("ring", {});
    b.add("ring", {{"height", 30}});
    b.add("thicken", {{"skin", picks({pick("s2")})}});
    b.add("thicken", {{"skin", picks({pick("s77")})}});
    b.run();
    QCOMPARE(b.code("s1"), std::string("LM-R023"));
    QCOMPARE(b.code("s4"), std::string("LM-R021"));
    QCOMPARE(b.code("s5"), std::string("LM-R020"));
  }

  void anEdgeIsFoundAgainByShapeAndMarkedDoubtful() {
    Bench b;
    b.add("ring", {{"width", 60}});
    b.add("ring", {{"width", 50}, {"height", 40}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("ring", {{"width", 30}, {"height", 80}});
    json edge = pick("s3", "edge", "gone|end");
    edge["near"] = {{"at", {-25, 0, 40}}, {"direction", {0, 1, 0}}};
    b.add("loft", {{"sections", picks({edge, pick("s4")})}});
    b.run();
    VERIFY_STEP(b, "s5");
    QCOMPARE(b.result("s5").outcome->notes.back().code, std::string("LM-R101"));
  }

  void recipesSurviveTheWayThroughText() {
    Bench b = tumbler();
    b.recipe.parameters = {{"wall", "2 mm"}};
    b.recipe.looks["b5"] = {"Cup", "#aabbcc", false};
    b.recipe.here = "s3";
    const std::string text = recipe::toText(b.recipe);
    const auto back = recipe::fromText(text);
    VERIFY_OK(back);
    QCOMPARE(recipe::toText(*back), text);
    for (size_t cut = 0; cut < text.size(); cut += 37) QVERIFY(!recipe::fromText(text.substr(0, cut)));
    QCOMPARE(recipe::fromText("{\"format\":\"lumsk-recipe\",\"version\":99,\"steps\":[]}").error().code,
             std::string("LM-F003"));
    QCOMPARE(recipe::fromText("[1,2]").error().code, std::string("LM-F002"));
    QCOMPARE(recipe::fromText("{\"format\":\"lumsk-recipe\",\"version\":1,\"steps\":[{\"id\":3}]}").error().code,
             std::string("LM-F002"));
  }

  void undoReturnsEveryEarlierValue() {
    recipe::History h(std::make_shared<const recipe::Recipe>());
    std::vector<std::string> texts{recipe::toText(*h.now())};
    recipe::Recipe r;
    for (int i = 0; i < 50; ++i) {
      r.parameters.push_back({"p" + std::to_string(i), std::to_string(i)});
      h.push(std::make_shared<const recipe::Recipe>(r), "add");
      texts.push_back(recipe::toText(r));
    }
    for (int i = 50; i-- > 0;) {
      h.undo();
      QCOMPARE(recipe::toText(*h.now()), texts[i]);
    }
    QVERIFY(!h.canUndo() && h.canRedo());
  }

  void failuresAreKnownAgainAndKeptResultsTellTheirTime() {
    Bench b = tumbler();
    b.set("s6", "thickness", 80);
    b.run();
    QCOMPARE(b.code("s6"), std::string("LM-T001"));
    const double took = b.result("s6").seconds;
    b.run();
    QCOMPARE(b.code("s6"), std::string("LM-T001"));
    QCOMPARE(b.result("s6").seconds, took); // not computed again
    const auto loft = b.result("s5");
    QVERIFY(loft.seconds > 0);
    Bench other = tumbler();
    other.evaluator->remember(loft.key, loft.outcome);
    other.run();
    QCOMPARE(other.result("s5").outcome.get(), loft.outcome.get());
    QCOMPARE(other.result("s5").seconds, loft.seconds);
    QCOMPARE(other.evaluator->lastSeconds("s5"), loft.seconds);
  }

  void longChainsOfNumbersAreFollowed() {
    Bench b;
    const int n = 7000;
    for (int i = 0; i < n; ++i)
      b.recipe.parameters.push_back({"n" + std::to_string(i), i + 1 < n ? "n" + std::to_string(i + 1) + " + 1 mm" : "1 mm", Dimension::Length});
    const auto values = recipe::parameterValues(b.recipe);
    VERIFY_OK(values);
    QCOMPARE(values->at("n0").value, double(n));
  }

  void measuredNamesCountInTablesAndGraphs() {
    Bench b;
    b.add("ring", {{"width", 40}});
    b.add("measure", {{"what", "radius"}, {"of", picks({pick("s1")})}, {"name", "measured_r"}});
    b.add("helix", {{"turns", 2}, {"height", 30}, {"radii", json::array({{{"id", "g1"}, {"at", 0}, {"value", "measured_r"}}, {{"id", "g2"}, {"at", 1}, {"value", 10}}})}});
    b.run();
    VERIFY_STEP(b, "s3");
    VERIFY_AT_MOST(std::abs(std::hypot(b.curve("s3").start().x(), b.curve("s3").start().y()) - 20), 1e-4);
  }
};

static test::Register<EvaluatorTest> registeredEvaluatorTest;
#include "evaluator_test.moc"

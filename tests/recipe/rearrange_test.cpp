#include "exchange/project.h"
#include "recipe/history.h"
#include "recipe/rearrange.h"
#include "support/recipes.h"

#include <fstream>
#include <random>
#include <unistd.h>

using namespace lumsk;
using namespace lumsk::test;

class RearrangeTest : public QObject {
  Q_OBJECT
  static std::vector<std::string> order(const recipe::Recipe& r) {
    std::vector<std::string> out;
    for (const auto& s : r.steps) out.push_back(s->id);
    return out;
  }

private slots:
  void stepsMoveWhereWhatTheyNeedAllowsAndElseSayWhy() {
    Bench b = tumbler(); // s1 point, s2..s4 rings, s5 loft, s6 wall
    const auto& reg = steps::registry();
    const auto up = recipe::movedTo(b.recipe, "s4", 0, reg);
    VERIFY_OK(up);
    QVERIFY((order(*up) == std::vector<std::string>{"s4", "s1", "s2", "s3", "s5", "s6"}));
    QVERIFY((recipe::placesFor(b.recipe, "s4", reg) == std::pair{0, 3}));
    const auto early = recipe::movedTo(b.recipe, "s5", 2, reg), late = recipe::movedTo(b.recipe, "s2", 5, reg);
    QVERIFY(!early && !late);
    QCOMPARE(early.error().code, std::string("LM-R040"));
    QVERIFY(early.error().what.find("ring s4") != std::string::npos); // the nearest one in the way is named
    QVERIFY(late.error().what.find("loft s5") != std::string::npos);
    QVERIFY(!early.error().remedyText.empty());
    // Measured numbers count as needs.
    b.add("measure", {{"what", "volume"}, {"of", picks({pick("s6")})}, {"name", "v"}});
    b.add("ring", {{"width", "v / (100 mm * 10 mm)"}});
    QVERIFY(!recipe::movedTo(b.recipe, "s8", 0, reg));
    // Moving changes no result.
    b.run();
    const auto before = b.body("s6");
    b.recipe = *recipe::movedTo(b.recipe, "s4", 0, reg);
    b.run();
    QVERIFY(b.body("s6") == before);
  }

  void copiesTakeFromOneAnotherAndNamesStayFree() {
    Bench b = tumbler();
    b.add("measure", {{"what", "volume"}, {"of", picks({pick("s6")})}, {"name", "v"}});
    b.recipe = recipe::duplicated(b.recipe, {"s4", "s5", "s6", "s7"}, steps::registry());
    QCOMPARE(int(b.recipe.steps.size()), 11);
    b.run();
    for (const auto& s : b.recipe.steps) VERIFY_STEP(b, s->id);
    const auto* loft = b.recipe.find("s9");
    QVERIFY(loft && loft->kind == "loft");
    const auto sections = (*loft->inputs)["sections"];
    QCOMPARE(sections[2]["step"].get<std::string>(), std::string("s3")); // outside: shared
    QCOMPARE(sections[3]["step"].get<std::string>(), std::string("s8")); // inside: the copy
    QVERIFY(b.result("s11").outcome->measured.count("v2"));
    // The copy is the same form.
    VERIFY_AT_MOST(
        std::abs(b.result("s11").outcome->measured.at("v2").value / b.result("s7").outcome->measured.at("v").value - 1),
        1e-12);
    // Both change by themselves.
    b.set("s8", "width", 90);
    b.run();
    QVERIFY(b.result("s11").outcome->measured.at("v2").value > 1.05 * b.result("s7").outcome->measured.at("v").value);
  }

  void partsNamedByCopiedStepsFollowTheirCopies() {
    Bench b = tumbler();
    b.run();
    const auto names = b.body("s5")->edgeNames;
    const auto rim =
        std::find_if(names.begin(), names.end(), [](const auto& n) { return n.find("end") != std::string::npos; });
    QVERIFY(rim != names.end());
    b.add("measure", {{"what", "length"}, {"of", picks({pick("s5", "edge", *rim)})}, {"name", "r"}});
    b.recipe = recipe::duplicated(b.recipe, {"s5", "s7"}, steps::registry());
    b.run();
    VERIFY_STEP(b, "s9");
    QCOMPARE((*b.recipe.find("s9")->inputs)["of"][0]["step"].get<std::string>(), std::string("s8"));
    QVERIFY(b.result("s9").outcome->notes.empty()); // found by its name, not by its looks
  }

  void pasteIntoAnotherRecipeBringsNumbersAndFilesAndLeavesOutWhatIsNotThere() {
    Bench a;
    a.recipe.parameters = {
        {"w", "2 * half", Dimension::Length}, {"half", "21", Dimension::Length}, {"unused", "1", Dimension::Length}};
    a.add("ring", {{"width", "w"}});
    a.add("points_curve", {{"table", a.file("p.txt", "0 0 0\n10 0 0\n10 10 5\n0 10 9\n")}});
    a.add("ring", {{"width", 30}, {"height", 40}});
    a.add("loft", {{"sections", picks({pick("s1"), pick("s3")})}});
    const std::string clip = recipe::clipOf(a.recipe, {"s1", "s2", "s4"}, steps::registry());
    Bench b = tumbler();
    b.recipe.parameters = {{"half", "15", Dimension::Length}};
    auto made = recipe::pasted(b.recipe, clip, steps::registry());
    VERIFY_OK(made);
    QCOMPARE(int(made->steps.size()), 3);
    QCOMPARE(made->dropped, 1); // s3 of another recipe is not our s3
    b.recipe = made->recipe;
    QCOMPARE(int(b.recipe.parameters.size()), 2); // w came, half keeps its value here
    b.run();
    VERIFY_STEP(b, made->steps[0]);
    VERIFY_STEP(b, made->steps[1]);
    QVERIFY(b.result(made->steps[2]).problem); // the loft asks for its second section
    QCOMPARE(int((*b.recipe.find(made->steps[2])->inputs)["sections"].size()), 1);
    VERIFY_AT_MOST(std::abs(b.curve(made->steps[0]).wholeEllipse()->u.norm() - 15), 1e-12);
    // In the recipe it was copied from, everything outside is found again.
    auto back = recipe::pasted(a.recipe, clip, steps::registry());
    VERIFY_OK(back);
    QCOMPARE(back->dropped, 0);
    for (const std::string& bad : {std::string("x"), std::string(), clip.substr(0, clip.size() / 2)})
      QVERIFY(!recipe::pasted(b.recipe, bad, steps::registry()));
  }

  void pastedStepsGoAfterTheHereMark() {
    Bench b = tumbler();
    const std::string clip = recipe::clipOf(b.recipe, {"s2"}, steps::registry());
    b.recipe.here = "s3";
    const auto made = recipe::pasted(b.recipe, clip, steps::registry());
    VERIFY_OK(made);
    QCOMPARE(made->recipe.indexOf(made->steps[0]), 3);
    QCOMPARE(made->recipe.here, made->steps[0]);
  }

  void groupsAndColoursTravelInTheFileAndChangeNoResult() {
    Bench b = tumbler();
    b.run();
    const auto key = b.result("s6").key;
    b.recipe = recipe::withColour(recipe::withGroup(b.recipe, {"s2", "s3"}, "Rings"), {"s3"}, "#c08a1e");
    b.recipe.looks["b5"].opacity = 0.4;
    b.recipe.looks["b5"].finish = recipe::Finish::Metal;
    const auto again = recipe::fromText(recipe::toText(b.recipe));
    VERIFY_OK(again);
    QCOMPARE(again->find("s3")->group, std::string("Rings"));
    QCOMPARE(again->find("s3")->colour, std::string("#c08a1e"));
    QCOMPARE(again->looks.at("b5").opacity, 0.4);
    QVERIFY(again->looks.at("b5").finish == recipe::Finish::Metal);
    QCOMPARE(recipe::toText(*again), recipe::toText(b.recipe));
    b.run();
    QCOMPARE(b.result("s6").key, key);
    QCOMPARE(b.model->bodies.back().opacity, 0.4);
  }

  void undoOverFiveHundredMixedEditsGivesTheSameBytes() {
    const auto kettle = exchange::readProject(LUMSK_SOURCE_DIR "/tests/files/kettle_of_three.lumsk");
    VERIFY_OK(kettle);
    Bench b;
    b.recipe = kettle->recipe;
    const auto usedMb = [] {
      long pages = 0, resident = 0;
      std::ifstream("/proc/self/statm") >> pages >> resident;
      return double(resident) * double(sysconf(_SC_PAGESIZE)) / (1 << 20);
    };
    const double before = usedMb();
    std::vector<std::string> texts;
    recipe::History h(std::make_shared<const recipe::Recipe>(b.recipe));
    std::mt19937 rng(5);
    const auto any = [&](const recipe::Recipe& r) { return r.steps[rng() % r.steps.size()]->id; };
    for (int i = 0; i < 500; ++i) {
      texts.push_back(recipe::toText(*h.now()));
      recipe::Recipe r = *h.now();
      switch (rng() % 7) {
      case 0: r = r.withStep(recipe::withInput(*r.find(any(r)), "height", int(rng() % 90))); break;
      case 1: r = recipe::duplicated(r, {any(r)}, steps::registry()); break;
      case 2:
        if (r.steps.size() > 3) r = r.without(any(r));
        break;
      case 3:
        if (auto m = recipe::movedTo(r, any(r), int(rng() % r.steps.size()), steps::registry())) r = *m;
        break;
      case 4: r = recipe::withGroup(r, {any(r), any(r)}, "g" + std::to_string(rng() % 5)); break;
      case 5: r.looks[any(r)].visible = rng() % 2; break;
      case 6: r.here = any(r); break;
      }
      h.push(std::make_shared<const recipe::Recipe>(std::move(r)), "edit");
    }
    const std::string last = recipe::toText(*h.now());
    double kept = 0; // by this test, not by the history
    for (const auto& t : texts) kept += double(t.size()) / (1 << 20);
    const double more = usedMb() - before - kept;
    qInfo("500 edits: %.1f MB", more);
    VERIFY_AT_MOST(more, 200);
    for (int i = 499; i >= 0; --i) {
      h.undo();
      QVERIFY(recipe::toText(*h.now()) == texts[size_t(i)]);
    }
    QVERIFY(!h.canUndo());
    while (h.canRedo()) h.redo();
    QVERIFY(recipe::toText(*h.now()) == last);
  }
};

static test::Register<RearrangeTest> registeredRearrangeTest;
#include "rearrange_test.moc"

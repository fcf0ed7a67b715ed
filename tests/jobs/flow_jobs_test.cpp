#include "app/ways_tray.h"
#include "jobs/job.h"

#include "brep/convert.h"
#include "inspect/joins.h"

using namespace lumsk;
using namespace lumsk::test;

/// Jobs about openings and gaps that flow: a salvaged lid that is filled, a bowl that is led over into its ring.
class FlowJobsTest : public Job {
  Q_OBJECT

  /// A place of an edge of a step's body where a click takes that edge, seen from here or from another side.
  Vec3 edgeSeen(const std::string& step, const std::function<bool(const std::string& name, const Vec3& middle)>& is) {
    const auto seen = [&]() -> std::optional<Vec3> {
      for (const auto& b : w().scene()->bodies) {
        if (b.step != step) continue;
        const auto all = brep::edges(*b.body);
        for (size_t i = 0; i < all.size(); ++i) {
          const auto path = brep::toPath(all[i]);
          if (!path || !brep::isOpen(*b.body, int(i)) || !is(b.body->edgeNames[i], path->at(0.5 * path->last()))) continue;
          for (int k = 1; k < 60; ++k) {
            const Vec3 p = path->at(path->last() * k / 60);
            const QPoint q = onScreen(p);
            if (!view().rect().adjusted(20, 60, -60, -20).contains(q)) continue;
            const auto hits = scene::pickAt(*w().scene(), view().camera(), q.x(), q.y(), w().focus().wanted());
            // A curve that it was made from may lie there too: fields that prefer edges take the edge.
            const auto edge = std::find_if(hits.begin(), hits.end(), [&](const scene::Hit& h) { return h.step == step && h.part == b.partName(b.body->edgeNames[i]); });
            if (edge != hits.end() && std::all_of(hits.begin(), edge, [](const scene::Hit& h) { return h.kind == recipe::Kind::Curve; })) return p;
          }
        }
      }
      return {};
    };
    if (const auto p = seen()) return *p;
    for (const auto from : {scene::ViewFrom::Corner, scene::ViewFrom::Top, scene::ViewFrom::Front, scene::ViewFrom::Bottom, scene::ViewFrom::Back}) {
      look(from);
      if (const auto p = seen()) return *p;
    }
    qWarning("no such edge of %s is seen", step.c_str());
    return Vec3::Zero();
  }
  static auto near(const Vec3& p, double mm) {
    return [p, mm](const std::string&, const Vec3& middle) { return (middle - p).norm() < mm; };
  }
  inspect::Join worstAsked(const brep::Body& b) {
    inspect::Join worst;
    for (const inspect::Join& j : inspect::joins(b, {}))
      if (!j.askedFor().empty()) worst.gapMm = std::max(worst.gapMm, j.gapMm), worst.angleDeg = std::max(worst.angleDeg, j.angleDeg), worst.curvatureRel = std::max(worst.curvatureRel, j.curvatureRel);
    return worst;
  }

private slots:
  /// An open skin from a file: six openings, filled one after the other in any order; the last makes it a solid.
  void aSalvagedLid() {
    drop(LUMSK_DATA_DIR "/demos/salvaged_lid.step");
    std::string now = draft();
    keep();
    QVERIFY(good(now));
    QVERIFY(!body(now)->solid());
    QCOMPARE(inspect::stateOf(*body(now)).openings.size(), size_t(6));
    press("tag-openings");
    const std::vector<std::pair<Vec3, double>> order{{{-11, -46, 31}, 8}, {{-9, 51, 8}, 4}, {{-45, 6, 36}, 6}, {{-47, 0, 0}, 6}, {{17, -48, 26}, 4}, {{38.8, -13.8, 37.8}, 2}};
    size_t left = 6;
    for (const auto& [place, within] : order) {
      tool("trim", "fill");
      const std::string fill = draft();
      at(edgeSeen(now, near(place, within)));
      QVERIFY(good(fill));
      QVERIFY(inputs(fill).contains("edges"));
      keep();
      QCOMPARE(inspect::stateOf(*body(fill)).openings.size(), --left);
      now = fill;
    }
    QVERIFY(body(now)->solid());
    QVERIFY(result(now)->outcome->summary.rfind("solid", 0) == 0);
    const auto state = inspect::stateOf(*body(now));
    QVERIFY(state.valid);
    VERIFY_AT_MOST(state.largestToleranceMm, 0.01);
    for (const inspect::Join& j : inspect::joins(*body(now), {}))
      if (j.edge.find(".fill") != std::string::npos) {
        VERIFY_AT_MOST(j.gapMm, 0.001);
        VERIFY_AT_MOST(j.angleDeg, 0.01);
      }
    finished("J07", "salvaged_lid", 40);
  }

  /// A row of the lens's table is its opening: picked for the fill at hand, which is then made in another way in its place.
  void anOpeningIsFilledFromItsLens() {
    drop(LUMSK_DATA_DIR "/demos/salvaged_lid.step");
    const std::string came = draft();
    keep();
    press("tag-openings");
    auto* table = find<QTableWidget>("lens-table");
    QTRY_COMPARE_WITH_TIMEOUT(table->rowCount(), 6, 10000);
    tool("trim", "fill");
    const std::string fill = draft();
    int round = -1;
    for (int r = 0; r < 6; ++r)
      if (table->item(r, 3)->text().startsWith("81.6")) round = r;
    QVERIFY(round >= 0);
    QTest::mouseClick(table->viewport(), Qt::LeftButton, {}, table->visualItemRect(table->item(round, 1)).center());
    QVERIFY(settled());
    QVERIFY(good(fill));
    QCOMPARE(inputs(fill)["edges"].size(), size_t(1));
    QCOMPARE(inspect::stateOf(*body(fill)).openings.size(), size_t(5));
    const size_t faces = brep::faces(*body(fill)).size();
    choose("made", "patches");
    QVERIFY(settled() && good(fill));
    QCOMPARE(brep::faces(*body(fill)).size(), faces + 4);
    QVERIFY(find<QAbstractButton>("colour-faces")->isVisible());
    w().steps().colourFacesOf(fill, "#336655"); // as the dialog of that button does
    QVERIFY(settled());
    keep();
    const auto& coloured = w().model()->bodies.front().faceColours;
    QCOMPARE(coloured.size(), size_t(5));
    for (const auto& [name, colour] : coloured) QVERIFY(name.rfind(fill + ".fill", 0) == 0 && colour == "#336655");
    // Of the kept step: another way stands in its place, Esc gives it back, Enter keeps it there.
    const recipe::StepPtr was = w().recipe().steps.back();
    const int wide = window_->width();
    const auto tried = [&] {
      w().focus().unfold(fill);
      QVERIFY(settled());
      press("try-ways");
      auto* tray = find<app::WaysTray>("ways");
      QTRY_VERIFY_WITH_TIMEOUT(tray->isVisible() && !tray->busy(), 30000);
      QVERIFY(settled());
      QCOMPARE(tray->ways().front().way.step->kind, std::string("fill"));
      QVERIFY(tray->ways().size() >= 3);
      QCOMPARE(window_->width(), wide); // however many cards there are
      QCOMPARE(w().session().draft(), fill);
      QVERIFY(!w().recipe().steps.back()->inputs->contains("made"));
      view().setFocus();
    };
    tried();
    keys(Qt::Key_Escape);
    QVERIFY(settled());
    QVERIFY(w().recipe().steps.back() == was && w().session().draft().empty());
    tried();
    keep();
    QCOMPARE(w().recipe().steps.size(), size_t(2));
    QCOMPARE(w().recipe().steps.back()->id, fill);
    QCOMPARE(w().recipe().steps.back()->label, was->label);
    QCOMPARE(brep::faces(*body(fill)).size(), faces);
    w().session().undo();
    QVERIFY(settled());
    QVERIFY(w().recipe().steps.back() == was);
    QVERIFY(w().recipe().find(came));
  }

  /// A bowl and a wider ring above it, both cut back, and a blend between that keeps clear of the cup outside.
  void aStrainerBowlToItsRing() {
    const auto loft = [&](const std::vector<std::array<const char*, 2>>& rings, bool solid) {
      std::vector<std::string> made;
      for (const auto& [width, height] : rings) {
        tool("curves", "ring");
        made.push_back(draft());
        enter("width", width);
        enter("height", height);
        keep();
      }
      look(scene::ViewFrom::Corner);
      tool("surfaces", "loft");
      const std::string id = draft();
      for (size_t i = 0; i < made.size(); ++i) at(curve(made[i]).at(curve(made[i]).last() * (0.61 + 0.03 * double(i))));
      if (solid) tick("solid");
      keep();
      return id;
    };
    const std::string bowl = loft({{"50", "0"}, {"72", "24"}, {"80", "58"}}, false);
    QVERIFY(good(bowl));
    const std::string ring = loft({{"128", "70"}, {"160", "73"}}, false);
    QVERIFY(good(ring));
    const std::string cup = loft({{"108", "8"}, {"112", "40"}}, true);
    QVERIFY(good(cup));
    QVERIFY(body(cup)->solid());
    // The bowl is cut back at a level.
    tool("curves", "plane");
    enter("distance", "50");
    keep();
    const std::string level = w().recipe().steps.back()->id;
    tool("trim", "trim");
    const std::string trim = draft();
    at(placeSeen(bowl, [&](const scene::Hit& h) { return h.step == bowl; }));
    at(planeOfStepSeen(level));
    option("keep", "back");
    QVERIFY(good(trim));
    keep();
    look(scene::ViewFrom::Corner);
    // Whichever place of the edges is picked.
    tool("flow", "blend");
    const std::string blend = draft();
    at(edgeSeen(trim, [](const std::string&, const Vec3& m) { return std::abs(m.z() - 50) < 0.1; }));
    at(edgeSeen(ring, [](const std::string&, const Vec3& m) { return std::abs(m.z() - 70) < 0.1; }));
    QVERIFY(good(blend));
    for (const char* side : {"first", "second"}) QCOMPARE(inputs(blend)[side][0]["kind"].get<std::string>(), std::string("edge"));
    option("first_meets", "g1");
    option("second_meets", "g1");
    const auto surface = [&] { return *body(blend)->natural.begin()->second.surface; };
    const auto lowest = [&] {
      double z = 1e300;
      for (int i = 0; i < 40; ++i)
        for (int j = 0; j <= 20; ++j) z = std::min(z, surface().at(i / 40.0, j / 20.0).z());
      return z;
    };
    const double before = lowest();
    const int points = surface().controlPoints();
    // A click on a flag: G1 becomes G2.
    look(scene::ViewFrom::Corner);
    const auto flag = mark("flag", [](const Mark& m) { return m.field == "first_meets"; });
    ++clicks_;
    QTest::mouseClick(&view(), Qt::LeftButton, {}, flag.at.toPoint());
    QVERIFY(settled());
    QCOMPARE(inputs(blend)["first_meets"].get<std::string>(), std::string("g2"));
    QVERIFY(surface().controlPoints() != points);
    option("second_meets", "g2");
    // Both tensions by one handle; then each alone.
    const auto pull = [&](const std::string& field) {
      const auto handles = result(blend)->outcome->marks.all<recipe::HandlePlace>();
      const auto h = std::find_if(handles.begin(), handles.end(), [&](const auto& x) { return x.field == field; });
      QVERIFY(h != handles.end());
      const double now = inputs(blend).contains(field) ? std::stod(inputs(blend)[field].is_string() ? inputs(blend)[field].get<std::string>() : inputs(blend)[field].dump()) : 1;
      const Mark m = handle(field);
      ++clicks_;
      drag(m.at.toPoint(), m.at.toPoint() + onScreen(h->at + 0.6 * h->mmPerUnit * h->direction) - onScreen(h->at));
      QVERIFY(inputs(blend).contains(field));
      QVERIFY(std::abs(inputs(blend)[field].get<double>() - now) > 0.2);
    };
    pull("tension");
    QVERIFY(good(blend));
    tick("locked");
    pull("second_tension");
    QVERIFY(good(blend));
    // Clear of the cup: the distance is told, and a word when it is less than wanted.
    more();
    press("pick-clear");
    at(placeSeen(cup, [&](const scene::Hit& h) { return h.step == cup; }));
    QVERIFY(QString::fromStdString(result(blend)->outcome->summary).contains("clear by"));
    const auto told = [&] {
      const auto& notes = result(blend)->outcome->notes;
      return std::any_of(notes.begin(), notes.end(), [](const Problem& p) { return p.code == "LM-P104"; });
    };
    QVERIFY(!told());
    enter("clearance", "40");
    QVERIFY(told());
    enter("clearance", "1");
    keep();
    tool("trim", "knit");
    const std::string knit = draft();
    for (const std::string& skin : {trim, blend, ring}) at(placeSeen(skin, [&](const scene::Hit& h) { return h.step == skin; }));
    QVERIFY(good(knit));
    keep();
    QCOMPARE(inspect::stateOf(*body(knit)).openings.size(), size_t(2));
    const inspect::Join worst = worstAsked(*body(knit));
    VERIFY_AT_MOST(worst.gapMm, 0.001);
    VERIFY_AT_MOST(worst.angleDeg, 0.01);
    VERIFY_AT_MOST(worst.curvatureRel, 0.01);
    QVERIFY(before < 60);
    finished("J13", "strainer_bowl", 100);
  }
};

static test::Register<FlowJobsTest> registeredFlowJobsTest;
#include "flow_jobs_test.moc"

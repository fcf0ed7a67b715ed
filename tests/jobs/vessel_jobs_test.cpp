#include "inspect/joins.h"
#include "jobs/job.h"

using namespace lumsk;
using namespace lumsk::test;

/// Jobs about bodies that get rounds: a sauce boat with a vane, the head of a spoon.
class VesselJobsTest : public Job {
  Q_OBJECT

  std::string ringOn(const std::string& plane, const Filled& fields) {
    const std::string id = begunOn("ring", plane);
    option("shape", "ellipse");
    for (const auto& [field, text] : fields) enter(field, text);
    keep();
    return id;
  }
  /// A spline on a plane whose clicked points are brought to round numbers.
  std::string splineOn(const std::string& plane, scene::ViewFrom from, const std::vector<Vec3>& at) {
    const std::string id = begunOn("spline", plane);
    look(from);
    for (const Vec3& p : at) this->at(p);
    const int second = plane == "top" ? 1 : 2;
    for (int k = 0; k < int(at.size()); ++k)
      for (const int c : {0, 1}) cell("points", k, c, QString::number(at[size_t(k)][c == 0 ? 0 : second]));
    keep();
    look(scene::ViewFrom::Corner);
    return id;
  }
  /// A closed profile as somebody measured it: thin, one long.
  QString table(const char* name, double thick) {
    const QString path = dir_.filePath(name);
    QFile f(path);
    if (!f.open(QIODevice::WriteOnly)) return {};
    f.write("# measured\n");
    for (int k = 0; k < 24; ++k) {
      const double a = 2 * kPi * k / 24, x = 0.5 * std::cos(a);
      f.write(QString("%1 %2 0\n").arg(x, 0, 'f', 5).arg(thick * std::sin(a) * (1 - 0.5 * std::cos(a)), 0, 'f', 5).toUtf8());
    }
    return path;
  }
  double measured(const std::string& step, const std::string& name) { return result(step)->outcome->measured.at(name).value; }
  void closedAndValid(const std::string& step) {
    const auto state = inspect::stateOf(*body(step));
    QVERIFY2(state.solid && state.valid && state.openEdges == 0, step.c_str());
  }

private slots:
  /// A sauce boat: a straight part and a tapering one that is governed by a section in its middle; its clear angle is a number; a vane from two tables;
  /// a large round where straight and taper meet is put in afterwards, and nothing is lost.
  void aSauceBoat() {
    const std::string first = ringOn("front", {{"width", "40"}, {"depth", "60"}, {"turn", "-90"}, {"y", "30"}});
    tool("surfaces", "extrude");
    const std::string straight = draft();
    at(along(first, 0.4));
    enter("length", "70");
    tick("solid");
    QVERIFY(good(straight));
    keep();
    const std::string nearer = planeBeside("front", "45"), further = planeBeside("front", "95");
    const std::string middle = ringOn(nearer, {{"width", "22"}, {"depth", "46"}, {"turn", "-90"}, {"y", "35"}});
    const std::string last = ringOn(further, {{"width", "12"}, {"depth", "20"}, {"turn", "-90"}, {"y", "41"}});
    look(scene::ViewFrom::Corner);
    tool("surfaces", "loft");
    const std::string taper = draft();
    for (const std::string& s : {first, middle, last}) at(curveSeen(s));
    tick("solid");
    press("pick-target");
    at(placeSeen(straight, [&](const scene::Hit& h) { return h.step == straight; }));
    QVERIFY(good(taper));
    keep();
    closedAndValid(taper);
    // The first section is the drawing, not an edge of the straight part.
    QVERIFY(!inputs(taper)["sections"][0].contains("part"));
    // The angle that is clear below, from the foot to the lowest place at the end.
    look(scene::ViewFrom::Front);
    tool("curves", "axis");
    const std::string line = draft();
    at(curve(first).start());
    at(curve(last).start());
    QVERIFY(good(line));
    keep();
    look(scene::ViewFrom::Left);
    tool("check", "measure");
    const std::string angle = draft();
    option("what", "angle");
    press("pick-of");
    at(curveSeen(line));
    at(planeSeen("top"));
    more();
    enter("name", "clear");
    QVERIFY(good(angle));
    keep();
    VERIFY_AT_MOST(std::abs(measured(angle, "clear") - degFromRad(std::atan2(25, 95))), 0.01);
    const auto isClear = [&] {
      for (const auto& mesh : w().scene()->bodies)
        for (const auto& f : mesh.faces)
          for (const Vec3& p : f->points)
            if (p.y() < -5) QVERIFY2(degFromRad(std::atan2(p.z() - 10, -p.y())) > 14, "something reaches into the clear angle");
    };
    isClear();
    // A vane, thin and upright, from two tables: scaled, placed, turned.
    std::vector<std::string> profiles;
    for (const auto& [name, thick, z] : {std::tuple("low.txt", 0.05, "48"), std::tuple("high.txt", 0.03, "74")}) {
      drop(table(name, thick));
      profiles.push_back(draft());
      tick("closed");
      enter("scale", "26");
      enter("y", "36");
      enter("z", z);
      QVERIFY(good(profiles.back()));
      keep();
    }
    look(scene::ViewFrom::Corner);
    tool("trim", "move");
    const std::string turned = draft();
    for (const std::string& p : profiles) at(curveSeen(p));
    enter("turn", "90");
    QVERIFY(good(turned));
    keep();
    tool("surfaces", "loft");
    const std::string vane = draft();
    for (const auto& o : result(turned)->outcome->outputs) at(curveSeen(turned, recipe::pickPart(*result(turned)->outcome, o)));
    tick("solid");
    QVERIFY(good(vane));
    keep();
    closedAndValid(vane);
    // Back to before the measuring: the round goes where straight and taper meet.
    const double before = inspect::stateOf(*body(taper)).volumeMm3;
    w().steps().setHere(taper);
    QVERIFY(settled());
    look(scene::ViewFrom::Left);
    tool("solid", "round");
    const std::string round = draft();
    at(curve(first).start());
    enter("size", "12");
    QVERIFY(good(round));
    keep();
    w().steps().setHere("");
    QVERIFY(settled());
    closedAndValid(round);
    QVERIFY(inspect::stateOf(*body(round)).volumeMm3 < before - 1);
    for (const auto& s : w().recipe().steps) QVERIFY2(good(s->id), s->id.c_str());
    // The middle section is made leaner, and everything follows.
    w().focus().unfold(middle);
    enter("depth", "43");
    QVERIFY(settled());
    for (const auto& s : w().recipe().steps) QVERIFY2(good(s->id), s->id.c_str());
    closedAndValid(round);
    QVERIFY(inspect::stateOf(*body(round)).volumeMm3 < before - 1000);
    isClear();
    keys(Qt::Key_Escape);
    finished("J02", "sauce_boat", 130);
  }

  /// The head of a spoon like an almond with two pointed ends, rounded all round.
  void theHeadOfASpoon() {
    const std::string right = splineOn("top", scene::ViewFrom::Top, {{-40, 0, 0}, {0, 13, 0}, {40, 0, 0}});
    const std::string left = splineOn("top", scene::ViewFrom::Top, {{-40, 0, 0}, {0, -13, 0}, {40, 0, 0}});
    std::vector<std::string> skins;
    for (const double z : {4.0, -8.0}) {
      const std::string ridge = splineOn("front", scene::ViewFrom::Front, {{-40, 0, 0}, {0, 0, z}, {40, 0, 0}});
      tool("surfaces", "loft");
      skins.push_back(draft());
      for (const std::string& s : {right, ridge, left}) at(curveSeen(s));
      QVERIFY(good(skins.back()));
      keep();
    }
    tool("trim", "knit");
    const std::string head = draft();
    look(scene::ViewFrom::Corner);
    at(placeSeen(skins[0], [&](const scene::Hit& h) { return h.step == skins[0]; }));
    at(placeSeen(skins[1], [&](const scene::Hit& h) { return h.step == skins[1]; }));
    QVERIFY(good(head));
    keep();
    closedAndValid(head);
    const double sharp = inspect::stateOf(*body(head)).volumeMm3;
    look(scene::ViewFrom::Top);
    tool("solid", "round");
    const std::string round = draft();
    at(Vec3(0, 13, 0));
    at(Vec3(0, -13, 0));
    enter("size", "0.3");
    QVERIFY(good(round));
    closedAndValid(round);
    QVERIFY(inspect::stateOf(*body(round)).volumeMm3 < sharp);
    // One of the edges alone would have to end in the points: told where, and what would fit there.
    const double rounded = inspect::stateOf(*body(round)).volumeMm3;
    const json both = inputs(round)["edges"];
    for (auto* b : window_->findChildren<QPushButton*>("remove-pick"))
      if (b->isVisible()) {
        ++clicks_;
        QTest::mouseClick(b, Qt::LeftButton);
        break;
      }
    QVERIFY(settled());
    QCOMPARE(inputs(round)["edges"].size(), size_t(1));
    const auto& problem = result(round)->problem;
    QVERIFY(problem && problem->code == "LM-O004" && problem->where.size() == 1 && !problem->remedies.empty());
    QVERIFY(std::abs(problem->where[0].x()) > 35);
    // Too much for both: what fits is one click away.
    keys(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(settled());
    QCOMPARE(inputs(round)["edges"], both);
    enter("size", "12");
    QVERIFY(result(round)->problem && !result(round)->problem->where.empty() && !result(round)->problem->remedies.empty());
    press("remedy");
    QVERIFY(good(round));
    closedAndValid(round);
    enter("size", "0.3");
    QVERIFY(good(round));
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*body(round)).volumeMm3 - rounded), 1e-6);
    keep();
    // The round is measured: a ball of 0.3 mm touches it from within.
    tool("check", "measure");
    const std::string radius = draft();
    option("what", "radius");
    press("pick-of");
    look(scene::ViewFrom::Left);
    at(placeSeen(round, [&](const scene::Hit& h) { return h.part.find(round + ".") == 0; }));
    QVERIFY2(inputs(radius)["of"][0].value("part", "").find(round + ".") == 0, inputs(radius)["of"].dump().c_str());
    more();
    enter("name", "rim");
    QVERIFY(good(radius));
    QVERIFY2(std::abs(measured(radius, "rim") - 0.3) < 0.001, result(radius)->outcome->summary.c_str());
    keep();
    // Equal curvature on both sides instead.
    w().focus().unfold(round);
    QVERIFY(settled());
    const auto flows = [&](const std::string& step) {
      closedAndValid(step);
      int smooth = 0;
      for (const inspect::Join& j : inspect::joins(*body(step), w().recipe().tolerances)) {
        if (!j.meantSmooth) continue;
        ++smooth;
        VERIFY_AT_MOST(j.angleDeg, 0.01);
        VERIFY_AT_MOST(j.curvatureRel, 0.01);
      }
      QVERIFY(smooth >= 2);
    };
    option("section", "smooth");
    QVERIFY(good(round));
    flows(round);
    // The soft edge: a channel is cut and a skin runs across it.
    w().steps().setHere(head);
    QVERIFY(settled());
    look(scene::ViewFrom::Top);
    tool("flow", "blend");
    const std::string soft = draft();
    option("way", "along");
    press("pick-along");
    at(Vec3(0, 13, 0));
    at(Vec3(0, -13, 0));
    enter("width", "0.8");
    for (const char* side : {"first_meets", "second_meets"})
      if (inputs(soft).value(side, "g2") != "g2") option(side, "g2");
    QVERIFY(good(soft));
    flows(soft);
    QVERIFY(inspect::stateOf(*body(soft)).volumeMm3 < sharp);
    keys(Qt::Key_Escape); // only tried
    QVERIFY(settled());
    QVERIFY(!w().recipe().find(soft));
    w().steps().setHere("");
    QVERIFY(settled());
    finished("J04", "spoon_head", 120);
  }
};

static test::Register<VesselJobsTest> registeredVesselJobsTest;
#include "vessel_jobs_test.moc"

#include "brep/curves_on.h"
#include "brep/thicken_parts.h"
#include "exchange/export.h"
#include "exchange/project.h"
#include "exchange/format.h"
#include "inspect/fields.h"
#include "inspect/fill_volume.h"
#include "inspect/joins.h"
#include "inspect/mirror_plane.h"
#include "inspect/wall.h"
#include "nurbs/core/surface.h"
#include "support/mesh_checks.h"
#include "support/recipes.h"

#include <BRepBuilderAPI_MakeVertex.hxx>
#include <BRepExtrema_DistShapeShape.hxx>
#include <QTemporaryDir>
#include <random>

#include <filesystem>

using namespace lumsk;
using namespace lumsk::test;

namespace {

Bench benchOf(const std::string& path) {
  Bench b;
  b.recipe = exchange::readProject(path)->recipe;
  return b;
}
Bench demo(const std::string& name) { return benchOf(std::string(LUMSK_DATA_DIR "/demos/") + name + ".lumsk"); }
/// Its wall, with spout and handle as bodies of their own.
Bench kettleOfThree() { return benchOf(LUMSK_SOURCE_DIR "/tests/files/kettle_of_three.lumsk"); }

void turnOff(Bench& b, const std::string& id) {
  auto s = std::make_shared<recipe::StepEntry>(*b.recipe.find(id));
  s->on = false;
  b.recipe = b.recipe.withStep(s);
}
/// What is written as STEP, read again.
Expected<std::vector<recipe::BodyEntry>> readBack(const recipe::Model& m) {
  QTemporaryDir dir;
  const std::string path = dir.filePath("k.step").toStdString();
  const auto wrote = exchange::exportModel(m, path, {}, {});
  return wrote ? exchange::readForeignBodies(path) : fail(wrote.error());
}

void setNumber(Bench& b, const std::string& name, const std::string& value) {
  for (auto& p : b.recipe.parameters)
    if (p.name == name) p.expression = value;
}

} // namespace

class DemosTest : public QObject {
  Q_OBJECT
private slots:
  /// An open skin from a file, closed by fills: tangent where they meet what was left.
  void theSalvagedLidIsASolidAgain() {
    Bench b = demo("salvaged_lid");
    b.run();
    for (const auto& s : b.recipe.steps) VERIFY_STEP(b, s->id);
    QCOMPARE(inspect::stateOf(*b.body("s1")).openings.size(), size_t(6));
    QCOMPARE(b.model->bodies.size(), size_t(1));
    const brep::Body& lid = *b.model->bodies.front().body;
    const auto state = inspect::stateOf(lid);
    QVERIFY(state.solid && state.valid && state.openEdges == 0);
    VERIFY_AT_MOST(state.largestToleranceMm, 0.01);
    int met = 0;
    for (const auto& j : inspect::joins(lid, {})) {
      if (j.edge.find(".fill") == std::string::npos) continue;
      ++met;
      VERIFY_AT_MOST(j.gapMm, 0.001);
      VERIFY_AT_MOST(j.angleDeg, 0.01);
      if (j.edge.find("s2.fill") != std::string::npos) VERIFY_AT_MOST(j.curvatureRel, 0.01);
    }
    QCOMPARE(met, 27);
  }

  /// Both bodies are closed, their smooth edges tangent, and the gap between them is even.
  void thePebbleTimerHasAnEvenGap() {
    Bench b = demo("pebble_timer");
    b.run();
    for (const auto& s : b.recipe.steps) VERIFY_STEP(b, s->id);
    QCOMPARE(b.model->bodies.size(), size_t(3));
    const recipe::BodyEntry *plate = nullptr, *body = nullptr, *knob = nullptr;
    for (const auto& e : b.model->bodies) {
      QVERIFY(e.body->solid());
      QVERIFY(inspect::stateOf(*e.body).valid);
      (e.step == "s28" ? plate : e.step == "s25" ? knob : body) = &e;
      for (const auto& j : inspect::joins(*e.body, {})) {
        if (!j.meantSmooth) continue;
        VERIFY_AT_MOST(j.angleDeg, 0.01);
        // The walls of the window and of the slots, and rounds: straight lines go on into arcs.
        if (j.edge.find("s19.") == std::string::npos && j.edge.find("s27.") == std::string::npos && j.edge.find(".round(") == std::string::npos) VERIFY_AT_MOST(j.curvatureRel, 0.01);
      }
    }
    QVERIFY(plate && body && knob);
    QCOMPARE(inspect::stateOf(*knob->body).faces, 4 + 2 * 24); // a wall and a floor each notch
    // The window and the slots go through the plate alone.
    QCOMPARE(inspect::stateOf(*plate->body).faces, 17 + 4 * 6);
    QCOMPARE(inspect::stateOf(*body->body).faces, 20);
    // The body's top beneath the plate, measured by the kernel.
    int looked = 0;
    for (const TopoDS_Face& f : brep::faces(*body->body)) {
      const auto places = brep::pointsInside(f, 9);
      for (const Vec3& p : places) {
        if (p.head<2>().cwiseQuotient(Vec2(36, 52)).norm() > 1 || p.z() < 13) continue;
        if (std::abs(p.x()) < 6 && p.y() > 8 && p.y() < 33) continue; // beneath the window
        BRepExtrema_DistShapeShape d(BRepBuilderAPI_MakeVertex(gp_Pnt(p.x(), p.y(), p.z())).Vertex(), plate->body->shape);
        if (d.Value() > 1.5) continue; // its inside
        ++looked;
        VERIFY_AT_MOST(std::abs(d.Value() - 0.8), 0.005);
      }
    }
    QVERIFY(looked > 80);
  }

  void theGripFlowsOverAllItsJoinsInTheExportedFileToo() {
    for (const auto& [number, value] : {std::pair("width", "19"), {"width", "23"}, {"height", "17"}, {"length", "96"}}) {
      Bench b = demo("oru_peeler");
      setNumber(b, number, value);
      for (int i = 22; i < 40; ++i) turnOff(b, "s" + std::to_string(i)); // the skin alone
      b.run();
      QVERIFY(!b.model->failed());
      const auto bodies = readBack(*b.model);
      QVERIFY(bodies && bodies->size() == 1);
      const auto joins = inspect::joins(*bodies->front().body, {});
      QCOMPARE(joins.size(), size_t(10)); // four on each side, two at the mirror plane
      for (const inspect::Join& j : joins) {
        VERIFY_AT_MOST(j.gapMm, 0.001);
        VERIFY_AT_MOST(j.angleDeg, 0.01);
        VERIFY_AT_MOST(j.curvatureRel, 0.01);
      }
      const auto s = inspect::stateOf(*bodies->front().body);
      QVERIFY(s.valid);
      VERIFY_AT_MOST(s.largestToleranceMm, 0.01);
    }
  }

  void thePeelerIsAGripAndABlade() {
    for (const auto& [number, value] : {std::pair("width", "19"), {"length", "96"}}) {
      Bench b = demo("oru_peeler");
      setNumber(b, number, value);
      b.run();
      for (const auto& s : b.recipe.steps) VERIFY_STEP(b, s->id);
      const auto bodies = readBack(*b.model);
      QVERIFY(bodies && bodies->size() == 2);
      for (const auto& body : *bodies) closedAndSmooth(*body.body, 0.05); // what its project counts as smooth
      // The axle turns in holes that are wider.
      BRepExtrema_DistShapeShape apart((*bodies)[0].body->shape, (*bodies)[1].body->shape);
      VERIFY_AT_MOST(std::abs(apart.Value() - 0.2), 0.002);
    }
  }

  /// Body, spout and handle are one wall that flows on everywhere, in the exported file too; the lid lies on its rim.
  void theKettleFlowsIntoItsSpoutAndItsHandle() {
    for (const auto& [number, value, wall] : {std::tuple("waist", "58", 2.2), {"wall", "3", 3.0}}) {
      Bench b = demo("pell_kettle");
      setNumber(b, number, value);
      b.run();
      for (const auto& s : b.recipe.steps) VERIFY_STEP(b, s->id);
      const auto bodies = readBack(*b.model);
      QVERIFY(bodies && bodies->size() == 2);
      for (const auto& body : *bodies) closedAndSmooth(*body.body, 0.01);
      int blends = 0, walls = 0;
      const brep::Body& kettle = *b.model->bodies[0].body;
      for (const inspect::Join& j : inspect::joins(kettle, {}))
        if (j.edge.find("front(s72.") != std::string::npos || j.edge.find("front(s73.") != std::string::npos || j.edge.find("front(s74.") != std::string::npos) {
          if (j.edge.find("rim") != std::string::npos) continue;
          ++blends;
          VERIFY_AT_MOST(j.angleDeg, 0.01);
          VERIFY_AT_MOST(j.curvatureRel, 0.01);
        }
      QVERIFY2(blends >= 9, qPrintable(QString::number(blends)));
      for (const auto& [face, natural] : kettle.natural) {
        if (face.find(".front(") == std::string::npos) continue;
        for (const auto& w : inspect::wallBelow(kettle, face, 60)) {
          if (w.toRimMm < wall) continue;
          VERIFY_AT_MOST(std::abs(w.mm - wall), 0.005);
          ++walls;
        }
      }
      QVERIFY2(walls > 200, qPrintable(QString::number(walls)));
      // Levels through the roots of spout and handle, and above both.
      double held = 0;
      for (double level : {40.25, 77.0, 110.0}) {
        const auto filled = inspect::fillVolume(kettle, level, {});
        VERIFY_OK(filled);
        QVERIFY(filled->volumeMm3 > held + 1e5);
        held = filled->volumeMm3;
      }
      BRepExtrema_DistShapeShape apart(kettle.shape, b.model->bodies[1].body->shape);
      QVERIFY2(apart.Value() > 0.01 && apart.Value() < 0.5, qPrintable(QString::number(apart.Value())));
    }
  }

  void theLampShadeFollowsItsNumbers() {
    for (const auto& [number, value] : {std::pair{"turns", "1.5"}, std::pair{"turns", "4"}, std::pair{"rib", "14"}, std::pair{"wire", "3"}}) {
      Bench b = demo("vane_lamp_shade");
      setNumber(b, number, value);
      b.run();
      QVERIFY2(!b.model->failed(), number);
      size_t solids = 0;
      for (const auto& body : b.model->bodies) {
        const auto s = inspect::stateOf(*body.body);
        QVERIFY(s.valid);
        solids += s.solid;
        if (s.solid) VERIFY_AT_MOST(s.largestToleranceMm, 0.01);
      }
      QCOMPARE(solids, size_t(12)); // six ribs, two hoops, a coil, three of six vanes
      QCOMPARE(b.model->bodies.size(), size_t(12));
    }
  }

  void demosAreClosedSolidsOfEvenWall_data() {
    QTest::addColumn<QString>("name");
    QTest::addColumn<QString>("number");
    QTest::addColumn<QString>("value");
    QTest::addColumn<double>("wall");
    QTest::newRow("tumbler") << "tumbler"
                             << "wall"
                             << "2.4" << 2.4;
    QTest::newRow("tall tumbler") << "tumbler"
                                  << "height"
                                  << "150" << 2.4;
    QTest::newRow("thick tumbler") << "tumbler"
                                   << "wall"
                                   << "2*2" << 4.0;
    QTest::newRow("kettle") << "kettle_of_three"
                            << "wall"
                            << "2.2" << 2.2;
    QTest::newRow("slim kettle") << "kettle_of_three"
                                 << "waist"
                                 << "58" << 2.2;
    QTest::newRow("thick kettle") << "kettle_of_three"
                                  << "wall"
                                  << "3" << 3.0;
  }

  void demosAreClosedSolidsOfEvenWall() {
    QFETCH(QString, name);
    QFETCH(QString, number);
    QFETCH(QString, value);
    QFETCH(double, wall);
    Bench b = name == "kettle_of_three" ? kettleOfThree() : demo(name.toStdString());
    setNumber(b, number.toStdString(), value.toStdString());
    b.run();
    QVERIFY(!b.model->failed());
    const bool kettle = name == "kettle_of_three"; // whose spout and handle are bodies of their own
    QCOMPARE(b.model->bodies.size(), size_t(kettle ? 3 : 1));
    if (kettle) {
      for (const char* id : {"s34", "s43"}) QVERIFY(b.body(id)->solid() && inspect::stateOf(*b.body(id)).valid);
    }
    const auto& body = *b.model->bodies[0].body;
    const auto s = inspect::stateOf(body);
    QVERIFY(s.solid && s.valid);
    QCOMPARE(s.openEdges, 0);
    QVERIFY(s.volumeMm3 > 0);
    VERIFY_AT_MOST(s.largestToleranceMm, 0.01);
    int measured = 0;
    for (const auto& [face, natural] : body.natural) {
      if (face.find(".front(") == std::string::npos) continue;
      for (const auto& w : inspect::wallBelow(body, face, 500)) {
        if (w.toRimMm < wall) continue;
        VERIFY_AT_MOST(std::abs(w.mm - wall), 0.005);
        ++measured;
      }
    }
    QVERIFY(measured > 400);
    const auto joins = inspect::summarise(inspect::joins(body, {}));
    VERIFY_AT_MOST(joins.gapMm, 0.001);
    VERIFY_AT_MOST(joins.angleDeg, 0.01);
    VERIFY_AT_MOST(joins.curvatureRel, 0.01);
  }

  void noRayFallsThroughBetweenTheMeshesOfAWall() {
    Bench b = kettleOfThree();
    b.run();
    const brep::BodyPtr body = b.model->bodies[0].body;
    for (const auto& [chordMm, angleDeg] : {std::pair(0.3, 15.0), {0.1, 10.0}, {0.05, 6.0}}) {
      const brep::MeshLimits limits{chordMm, angleDeg};
      std::vector<std::shared_ptr<const brep::FaceMesh>> meshes;
      for (auto& m : brep::displayMesh(*body, limits, 20000))
        meshes.push_back(std::make_shared<brep::FaceMesh>(std::move(m)));
      const inspect::MeasuredForm form(body, meshes);
      int measured = 0;
      for (int m = 0; m < int(meshes.size()); ++m) {
        if (meshes[size_t(m)]->face.find(".front(") == std::string::npos) continue;
        const auto walls = inspect::wallField(form, m, true, {});
        for (size_t i = 0; i < walls.size(); ++i) {
          const double z = meshes[size_t(m)]->points[i].z();
          if (z < 25 || z > 125 || walls[i].b == 0) continue; // away from foot and lip
          VERIFY_AT_MOST(std::abs(walls[i].a - 2.2), chordMm + 0.02); // beside edges the mesh says it
          ++measured;
        }
      }
      QVERIFY(measured > 100);
    }
  }

  void theKettlesNetworkMeetsAndItsPathsFlow() {
    Bench b = kettleOfThree();
    for (const char* waist : {"62", "58"}) {
      setNumber(b, "waist", waist);
      b.run();
      QCOMPARE(b.result("s19").outcome->measured.at("open_crossings").value, 0.0);
      const auto flags = b.result("s19").outcome->marks.all<recipe::Flag>();
      QCOMPARE(std::count_if(flags.begin(), flags.end(), [](const auto& f) { return f.key == "start"; }), 15); // the others tell where parts end
      for (const char* id : {"s22", "s25", "s27", "s29"}) {
        VERIFY_STEP(b, id);
        QCOMPARE(b.result(id).outcome->outputs.size(), size_t(1));
        QVERIFY(b.result(id).outcome->notes.empty());
      }
      for (const char* id : {"s27", "s29"}) QVERIFY(b.curve(id).closed());
      // The paths stay in the middle, and leave the body squarely.
      const auto faces = brep::BodyFaces::of(*b.body("s9"), -1, {});
      for (const char* id : {"s22", "s25"}) {
        const auto& c = b.curve(id);
        nurbs::CurveDerivatives d;
        c.derivatives(0, 1, d);
        VERIFY_AT_MOST(degFromRad(angleBetweenRad(d[1], faces->nearest(d[0])->normal)), 0.01);
        for (int i = 0; i <= 10; ++i) VERIFY_AT_MOST(std::abs(c.at(i / 10.0).x()), 0.001);
      }
    }
  }

  void theKettleDoesNotCrossItself() {
    for (const auto& [number, value] : {std::pair{"wall", "2.2"}, std::pair{"waist", "58"}, std::pair{"wall", "3"}}) {
      Bench b = kettleOfThree();
      setNumber(b, number, value);
      b.run();
      const auto mesh = brep::exportMesh(*b.model->bodies[0].body, {0.05, 10}, {});
      VERIFY_OK(mesh);
      QCOMPARE(mesh->openEdges(), 0);
      QCOMPARE(selfCrossings(*mesh), 0);
    }
  }

  void theExportedKettleShowsNoTraceOfItsMirrorPlane() {
    Bench b = kettleOfThree();
    b.run();
    const auto whole = readBack(*b.model);
    VERIFY_OK(whole);
    int seams = 0;
    for (const auto& j : inspect::joins(*(*whole)[0].body, {})) {
      VERIFY_AT_MOST(j.gapMm, 0.001);
      if (j.angleDeg > 5 || std::abs(j.gapAt.x()) > 1e-3 || std::abs(j.angleAt.x()) > 1e-3) continue;
      VERIFY_AT_MOST(j.angleDeg, 0.01);
      ++seams;
    }
    QVERIFY(seams >= 12);
    // The half alone, for what only one side shows.
    for (const char* id : {"s15", "s16", "s17"}) turnOff(b, id);
    b.run();
    const auto half = readBack(*b.model);
    VERIFY_OK(half);
    const auto edges = inspect::atPlane(*(*half)[0].body, recipe::worldPlanes().back().second, 0.01);
    QCOMPARE(edges.size(), size_t(8));
    for (const auto& e : edges) {
      VERIFY_AT_MOST(e.offMm, 0.001);
      VERIFY_AT_MOST(e.angleDeg, 0.01);
      VERIFY_AT_MOST(e.curvatureRate, 0.01);
    }
  }

  void theRoundedBottomHasOneTangentPlane() {
    for (const char* name : {"tumbler"}) {
      Bench b = demo(name);
      b.run();
      const auto& body = *b.model->bodies[0].body;
      for (const auto& [face, natural] : body.natural) {
        const auto& s = *natural.surface;
        for (int i = 0; i < 36; ++i) {
          double v = 1e-3;
          for (int k = 0; k < 60; ++k) v *= 0.001 / (s.at(i / 36.0, v) - s.at(0, 0)).norm();
          VERIFY_AT_MOST(degFromRad(angleBetweenRad(s.normal(i / 36.0, v), s.normal(0.5, 0))), 0.05);
        }
      }
    }
  }

  void randomRecipesNeverCrashAndAlwaysAnswer() {
    std::mt19937 rng(7);
    const auto pickOne = [&](size_t n) { return std::uniform_int_distribution<size_t>(0, n - 1)(rng); };
    const std::vector<std::string> odd{"0",       "-5",   "1e300", "nan", "1/0", "2*",
                                       "sin(90)", "3 in", "1e-9",  "500", "12",  "7.5"};
    const std::vector<std::string> parts{"", "start", "centre", "end", "nothing", "top", "front", "origin"};
    const std::vector<std::string> kinds{"curve", "point", "edge", "skin", "plane", "solid", "face", "?"};
    int ok = 0, failed = 0;
    for (int k = 0; k < 480; ++k) {
      Bench b;
      const size_t steps = 3 + pickOne(8);
      for (size_t i = 0; i < steps; ++i) {
        const auto& all = steps::registry().all();
        const auto& step = all[pickOne(all.size())];
        json inputs = json::object();
        for (const auto& f : step.schema()) {
          if (pickOne(3) == 0) continue;
          if (f.kind == recipe::FieldKind::Quantity) inputs[f.key] = odd[pickOne(odd.size())];
          if (f.kind == recipe::FieldKind::Choice || f.kind == recipe::FieldKind::Continuity)
            inputs[f.key] = f.options[pickOne(f.options.size())].key;
          if (f.kind == recipe::FieldKind::Switch) inputs[f.key] = pickOne(2) == 0;
          if (f.kind == recipe::FieldKind::Points)
            inputs[f.key] = pointList({{0, 0, double(i)},
                                       {double(pickOne(90)), 20, 3},
                                       {40, double(pickOne(60)), 9},
                                       {0, 0, double(pickOne(2))}});
          if (f.kind == recipe::FieldKind::Picks) {
            json list = json::array();
            for (size_t n = pickOne(4); n-- > 0;)
              list.push_back(pick(i ? "s" + std::to_string(1 + pickOne(i + 1)) : "world", kinds[pickOne(kinds.size())],
                                  parts[pickOne(parts.size())]));
            inputs[f.key] = list;
          }
        }
        b.add(step.kind, inputs);
      }
      b.run();
      for (const auto& [id, r] : b.model->results) {
        if (r.status == recipe::Status::Failed) {
          ++failed;
          QVERIFY(r.problem && !r.problem->code.empty() && !r.problem->what.empty());
          QVERIFY2(r.problem->code != "LM-R030", r.problem->what.c_str());
        }
        ok += r.status == recipe::Status::Ok;
      }
      QCOMPARE(recipe::toText(*recipe::fromText(recipe::toText(b.recipe))), recipe::toText(b.recipe));
    }
    QVERIFY2(ok > 30 && failed > 30, qPrintable(QString("%1 done, %2 refused").arg(ok).arg(failed)));
  }

  void editsKeepTheReferencesToALoft() {
    // A second loft on the rim edge of the first: section order, shape, additions and switches must not lose it.
    Bench b;
    b.add("ring", {{"width", 60}});
    b.add("ring", {{"width", 70}, {"height", 40}});
    b.add("ring", {{"width", 64}, {"height", 20}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("ring", {{"width", 40}, {"height", 70}});
    b.add("loft", {{"sections", picks({pick("s4", "edge", "s4.skin|end"), pick("s5")})}});
    b.run();
    VERIFY_STEP(b, "s6");
    const auto good = [&](const char* what) {
      b.run();
      QVERIFY2(b.result("s6").status == recipe::Status::Ok, what);
      QVERIFY2(b.result("s6").outcome->notes.empty() || b.result("s6").outcome->notes[0].code != "LM-R101", what);
    };
    b.set("s2", "shape", "ellipse");
    good("shape changed");
    b.set("s4", "sections", picks({pick("s1"), pick("s3"), pick("s2")}));
    good("section added");
    b.set("s4", "degree", 2);
    good("degree changed");
    b.set("s4", "end", "perpendicular");
    good("end condition changed");
    auto off = std::make_shared<recipe::StepEntry>(*b.recipe.find("s4"));
    off->on = false;
    b.recipe = b.recipe.withStep(off);
    b.run();
    QCOMPARE(b.code("s6"), std::string("LM-R022"));
    off = std::make_shared<recipe::StepEntry>(*off);
    off->on = true;
    b.recipe = b.recipe.withStep(off);
    good("switched off and on");
  }

  /// What came of the jobs in the window is made without one, too.
  void everyExampleIsMade() {
    int made = 0;
    for (const auto& file : std::filesystem::directory_iterator(LUMSK_DATA_DIR "/examples")) {
      if (file.path().extension() != ".lumsk") continue;
      const auto project = exchange::readProject(file.path().string());
      QVERIFY2(project, file.path().c_str());
      const auto model = recipe::Evaluator(steps::registry()).evaluate(std::make_shared<const recipe::Recipe>(project->recipe), {});
      for (const auto& s : project->recipe.steps) {
        const auto* r = model->result(s->id);
        QVERIFY2(r->status == recipe::Status::Ok, qPrintable(QString("%1 %2 %3").arg(file.path().c_str(), s->label.c_str(), r->problem ? sentence(*r->problem).c_str() : "")));
      }
      for (const auto& b : model->bodies) QVERIFY2(inspect::stateOf(*b.body).valid, file.path().c_str());
      ++made;
    }
    QVERIFY(made >= 12);
  }

private:
  static void closedAndSmooth(const brep::Body& body, double angleDeg) {
    const auto s = inspect::stateOf(body);
    QVERIFY(s.valid && s.solid && s.openEdges == 0);
    VERIFY_AT_MOST(s.largestToleranceMm, 0.01);
    for (const inspect::Join& j : inspect::joins(body, {})) {
      VERIFY_AT_MOST(j.gapMm, 0.001);
      if (j.meantSmooth) VERIFY_AT_MOST(j.angleDeg, angleDeg);
    }
  }
};

static test::Register<DemosTest> registeredDemosTest;
#include "demos_test.moc"

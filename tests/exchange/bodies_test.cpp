#include "exchange/cache_file.h"
#include "exchange/export.h"
#include "exchange/files.h"
#include "exchange/format.h"
#include "exchange/project.h"
#include "nurbs/curves/shapes.h"
#include "nurbs/measure/arc_length.h"
#include "support/recipes.h"

#include <BRepGProp.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <GProp_GProps.hxx>
#include <STEPControl_Reader.hxx>
#include <TopoDS_Shape.hxx>

#include <QFile>
#include <QTemporaryDir>

using namespace lumsk;
using namespace lumsk::test;

class BodiesTest : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  std::string path(const char* name) { return dir_.filePath(name).toStdString(); }

private slots:
  void stepFilesKeepShapeNameAndUnit() {
    Bench b = tumbler();
    b.recipe.looks["b5"].colour = "#335577";
    b.run();
    QVERIFY(b.model->bodies.size() == 1);
    auto bodies = b.model->bodies;
    bodies[0].label = "Tumbler wall";
    VERIFY_OK(exchange::formatOf("t.step")->write(path("t.step"), {bodies}));
    const auto back = exchange::readForeignBodies(path("t.step"));
    VERIFY_OK(back);
    QCOMPARE(back->size(), size_t(1));
    const auto a = inspect::stateOf(*bodies[0].body), c = inspect::stateOf(*(*back)[0].body);
    QVERIFY(c.solid && c.valid);
    QCOMPARE(c.openEdges, 0);
    QCOMPARE(c.faces, a.faces);
    VERIFY_AT_MOST(std::abs(c.volumeMm3 / a.volumeMm3 - 1), 1e-5);
    const std::string text = *exchange::readFile(path("t.step"));
    QVERIFY(text.find("Tumbler wall") != std::string::npos);
    QVERIFY(text.find("COLOUR_RGB") != std::string::npos);
    QVERIFY(text.find(".MILLI.,.METRE.") != std::string::npos);
    QVERIFY(text.find("AUTOMOTIVE_DESIGN") != std::string::npos);
  }

  /// Solids and curves with names, colours and millimetres; other units are turned into these.
  void igesFilesKeepShapeNameColourAndUnit() {
    Bench b = tumbler();
    b.recipe.looks["b5"].colour = "#335577";
    b.run();
    auto bodies = b.model->bodies;
    bodies[0].label = "Tumbler wall";
    VERIFY_OK(exchange::formatOf("t.igs")->write(path("t.igs"), {bodies}));
    std::string text = *exchange::readFile(path("t.igs"));
    for (const bool inches : {false, true}) {
      if (inches) { // the same numbers, told to be inches
        const auto at = text.find(",2,2HMM,");
        QVERIFY(at != std::string::npos);
        text.replace(at, 8, ",1,2HIN,");
        QFile f(QString::fromStdString(path("t.igs")));
        QVERIFY(f.open(QIODevice::WriteOnly));
        f.write(text.data(), qint64(text.size()));
      }
      const auto back = exchange::readForeignBodies(path("t.igs"));
      VERIFY_OK(back);
      QCOMPARE(back->size(), size_t(1));
      const auto a = inspect::stateOf(*bodies[0].body), c = inspect::stateOf(*(*back)[0].body);
      QVERIFY(c.solid && c.valid && c.openEdges == 0);
      QCOMPARE(c.faces, a.faces);
      VERIFY_AT_MOST(std::abs(c.volumeMm3 / (inches ? std::pow(25.4, 3) : 1.0) / a.volumeMm3 - 1), 1e-4);
      QCOMPARE((*back)[0].label, std::string("Tumbler wall"));
      QCOMPARE((*back)[0].colour, std::string("#335577"));
    }
    const auto whole = text.size();
    for (const size_t part : {whole / 2, whole - 200, size_t(150)}) {
      QFile f(QString::fromStdString(path("cut.igs")));
      QVERIFY(f.open(QIODevice::WriteOnly));
      f.write(text.data(), qint64(part));
      f.close();
      const auto cut = exchange::readForeignBodies(path("cut.igs"));
      QVERIFY(!cut);
      QCOMPARE(cut.error().code, std::string("LM-I002"));
    }
  }

  void brepFilesKeepEverythingExactly() {
    Bench b = tumbler();
    b.run();
    VERIFY_OK(exchange::formatOf("t.brep")->write(path("t.brep"), {b.model->bodies}));
    const auto back = exchange::readForeignBodies(path("t.brep"));
    VERIFY_OK(back);
    VERIFY_AT_MOST(
        std::abs(inspect::stateOf(*(*back)[0].body).volumeMm3 / inspect::stateOf(*b.body("s6")).volumeMm3 - 1), 1e-6);
  }

  void foreignNonsenseIsRefused() {
    for (const char* name : {"a.step", "a.brep", "a.stl"}) {
      QFile f(QString::fromStdString(path(name)));
      QVERIFY(f.open(QIODevice::WriteOnly));
      f.write("this is no geometry at all\n");
      f.close();
    }
    QCOMPARE(exchange::readForeignBodies(path("a.step")).error().code, std::string("LM-I002"));
    QCOMPARE(exchange::readForeignBodies(path("a.brep")).error().code, std::string("LM-I002"));
    QCOMPARE(exchange::formatOf("a.stl")->readMesh(path("a.stl")).error().code, std::string("LM-F031"));
  }

  void finerLimitsGiveMoreTrianglesAndACloserMesh() {
    Bench b = tumbler();
    b.run();
    const double exact = inspect::stateOf(*b.body("s6")).volumeMm3;
    double before = 1e9;
    int triangles = 0;
    for (double chord : {0.4, 0.1, 0.02}) {
      const auto n = exchange::countTriangles(*b.model, *exchange::findFormat("stl"), {{chord, 30}}, {});
      VERIFY_OK(n);
      QVERIFY(*n > triangles);
      triangles = *n;
      VERIFY_OK(exchange::exportModel(*b.model, path("m.stl"), {{chord, 30}}, {}));
      const auto mesh = exchange::formatOf("m.stl")->readMesh(path("m.stl"));
      VERIFY_OK(mesh);
      QCOMPARE(int(mesh->triangles.size()), triangles);
      QCOMPARE(mesh->openEdges(), 0);
      const double off = std::abs(mesh->volumeMm3() / exact - 1);
      QVERIFY(off < before);
      before = off;
    }
    VERIFY_AT_MOST(before, 0.002);
  }

  void onlyWhatIsVisibleAndGoodIsExported() {
    Bench b = tumbler();
    b.run();
    b.recipe.looks["b5"].visible = false;
    b.run();
    QCOMPARE(exchange::exportModel(*b.model, path("x.stl"), {}, {}).error().code, std::string("LM-F024"));
    b.recipe.looks.clear();
    b.set("s6", "thickness", 80); // fails: the body is stale
    b.run();
    const auto stale = exchange::exportModel(*b.model, path("x.step"), {}, {});
    QVERIFY(!stale);
    QVERIFY(stale.error().what.find("stale") != std::string::npos);
    QCOMPARE(exchange::exportModel(*b.model, path("x.dwg"), {}, {}).error().code, std::string("LM-F023"));
    b.recipe = b.recipe.without("s6");
    b.run();
    const auto skin = exchange::exportModel(*b.model, path("x.3mf"), {}, {});
    QVERIFY(!skin && skin.error().what.find("skin") != std::string::npos);
    VERIFY_OK(exchange::exportModel(*b.model, path("x.step"), {}, {}));
    QVERIFY(!QFile::exists(dir_.filePath("x.stl")) && !QFile::exists(dir_.filePath("x.3mf")));
  }

  void curvesTravelWhereTheFormatCarriesThem() {
    Bench b;
    b.add("ring", {{"width", 60}});
    b.add("spline", {{"points", json::array({{{"id", "p1"}, {"at", {"0", "0", "0"}}},
                                             {{"id", "p2"}, {"at", {"40", "10", "5"}}},
                                             {{"id", "p3"}, {"at", {"70", "0", "20"}}}})}});
    b.add("ring", {{"height", 20}});
    b.recipe.looks["s3"].visible = false;
    b.run();
    QCOMPARE(exchange::exportModel(*b.model, path("n.step"), {}, {}).error().code, std::string("LM-F024"));
    QCOMPARE(exchange::exportModel(*b.model, path("n.stl"), {{}, true}, {}).error().code, std::string("LM-F034"));
    const double wanted = nurbs::ArcLength(b.curve("s1")).total() + nurbs::ArcLength(b.curve("s2")).total();
    for (const char* name : {"c.step", "c.brep"}) {
      const auto done = exchange::exportModel(*b.model, path(name), {{}, true}, {});
      VERIFY_OK(done);
      QCOMPARE(done->curves, 2);
      TopoDS_Shape read;
      if (std::string(name) == "c.step") {
        STEPControl_Reader reader;
        QCOMPARE(reader.ReadFile(path(name).c_str()), IFSelect_RetDone);
        reader.TransferRoots();
        read = reader.OneShape();
      } else {
        BRep_Builder builder;
        QVERIFY(BRepTools::Read(read, path(name).c_str(), builder));
      }
      GProp_GProps lengths;
      BRepGProp::LinearProperties(read, lengths, true);
      VERIFY_AT_MOST(std::abs(lengths.Mass() - wanted), 1e-4);
    }
  }

  void cancelledExportsLeaveNoFile() {
    Bench b = tumbler();
    b.run();
    Context cx;
    cx.cancel.cancel();
    const auto r = exchange::exportModel(*b.model, path("c.stl"), {}, cx);
    QVERIFY(!r && isCancelled(r.error()));
    QVERIFY(!QFile::exists(dir_.filePath("c.stl")));
  }

  void resultsSurviveInTheProjectAndServeTheirKey() {
    Bench b = tumbler();
    b.run();
    exchange::Outcomes kept;
    kept[b.result("s6").key] = b.result("s6").outcome;
    VERIFY_OK(exchange::writeProject(path("k.lumsk"), {b.recipe, "", kept}));
    const auto back = exchange::readProject(path("k.lumsk"));
    VERIFY_OK(back);
    QCOMPARE(back->kept.size(), size_t(1));
    QCOMPARE(back->kept.begin()->first, b.result("s6").key);
    const auto &was = *b.body("s6"), &is = *std::get<brep::BodyPtr>(back->kept.begin()->second->outputs[0].object);
    QCOMPARE(is.faceNames, was.faceNames);
    QCOMPARE(is.edgeNames, was.edgeNames);
    QCOMPARE(is.vertexNames, was.vertexNames);
    QCOMPARE(is.natural.size(), was.natural.size());
    for (const auto& [name, face] : was.natural) {
      const auto& other = is.natural.at(name);
      QCOMPARE(other.reversed, face.reversed);
      QCOMPARE(other.surface->closedU(), face.surface->closedU());
      for (int i = 0; i <= 10; ++i)
        VERIFY_AT_MOST((other.surface->at(i / 10.0, 0.37) - face.surface->at(i / 10.0, 0.37)).norm(), 1e-10);
    }
    // An evaluator that remembers it does not compute the step again; another key does not find it.
    Bench again = tumbler();
    again.evaluator->remember(back->kept.begin()->first, back->kept.begin()->second);
    again.run();
    QCOMPARE(again.body("s6").get(), &is);
    again.set("s6", "thickness", 2.7);
    again.run();
    QVERIFY(again.body("s6").get() != &is);
    QVERIFY(again.result("s6").status == recipe::Status::Ok);
  }

  void whatAResultSaysOfItsBodiesSurvivesToo() {
    Bench b = tumbler();
    b.run();
    recipe::Outcome o = *b.result("s6").outcome;
    o.outputs[0].label = "Cup";
    o.outputs[0].colour = "#335577";
    o.measured["filling"] = {1234.5, Dimension::Volume};
    o.notes.push_back(
        problem("LM-I101", "a note").measure(millimetres(25.4)).at({1, 2, 3}).offer({"as mm", "unit", "mm"}));
    const auto packed = exchange::packOutcome(o);
    VERIFY_OK(packed);
    const auto back = exchange::unpackOutcome(*packed);
    VERIFY_OK(back);
    QCOMPARE(back->outputs[0].label, std::string("Cup"));
    QCOMPARE(back->outputs[0].colour, std::string("#335577"));
    QVERIFY(back->measured.at("filling").value == 1234.5);
    QVERIFY(back->measured.at("filling").dimension == Dimension::Volume);
    const Problem& note = back->notes.back();
    QCOMPARE(note.code, std::string("LM-I101"));
    QVERIFY(note.measured->value == 25.4 && note.where[0] == Vec3(1, 2, 3));
    QVERIFY(note.remedies[0].field == "unit" && note.remedies[0].value == "mm");
  }

  void whatCanBeHeldInTheViewSurvivesToo() {
    Bench b = tumbler();
    b.run();
    recipe::Outcome o = *b.result("s6").outcome;
    const nurbs::Path arc = *nurbs::circle({{3, 4, 5}, {1, 0, 0}, {0, 0, 1}}, 20);
    const auto rail = std::make_shared<const nurbs::Path>(arc);
    o.points = {{"p3", {1, 2, 3}, "2"}};
    using namespace recipe;
    o.marks = {};
    o.marks.add(Flag{"sections", "p1", {1, 0, 0}, {0, 1, 0}, true, "A1", 1, "from"});
    o.marks.add(HandlePlace{"edges", {0, 0, 4}, {0, 0, 1}, 2.5, "p2", "tension"});
    o.marks.add(PointsPlace{"points", {{1, 2, 3}, {0, 1, 0}, {0, 0, 1}}, 7});
    o.marks.add(Grip{"moves", "m2", {4, 5, 6}, {1, 0, 0}, true, rail, {0, 0, 1}});
    o.marks.add(Grip{"moves", "m3"});
    o.marks.add(Rail{"pairs", "p1", rail});
    o.marks.add(NetLine{{{0, 0, 0}, {1, 1, 1}}});
    o.marks.add(NetLine{{{2, 2, 2}}});
    const auto packed = exchange::packOutcome(o);
    VERIFY_OK(packed);
    const auto back = exchange::unpackOutcome(*packed);
    VERIFY_OK(back);
    QVERIFY(back->points[0].name == "p3" && back->points[0].at == Vec3(1, 2, 3) && back->points[0].output == "2");
    const auto flag = back->marks.all<Flag>().at(0);
    QVERIFY(flag.key == "from" && flag.mark == "A1" && flag.group == 1);
    const auto handle = back->marks.all<HandlePlace>().at(0);
    QVERIFY(handle.item == "p2" && handle.key == "tension" && handle.mmPerUnit == 2.5 && handle.at == Vec3(0, 0, 4));
    const auto place = back->marks.all<PointsPlace>().at(0);
    QVERIFY(place.mmPerUnit == 7 && place.frame.normal() == Vec3(1, 0, 0));
    const auto grips = back->marks.all<Grip>();
    QCOMPARE(grips.size(), size_t(2));
    QVERIFY(grips[0].item == "m2" && grips[0].moved && grips[0].along == Vec3(1, 0, 0));
    QVERIFY(grips[0].plane == Vec3(0, 0, 1) && !grips[1].on && !grips[1].moved);
    for (const auto& curve : {grips[0].on, back->marks.all<Rail>().at(0).curve})
      for (double t : {0.0, 0.3, 1.0}) VERIFY_AT_MOST((curve->at(t) - arc.at(t)).norm(), 1e-9);
    const auto nets = back->marks.all<NetLine>();
    QVERIFY(nets.size() == 2 && nets[0].line[1] == Vec3(1, 1, 1) && nets[1].line.size() == 1);
    QVERIFY(back->summary == o.summary && back->seconds == o.seconds);
  }

  void importsThatNoStepUsesAreNotWritten() {
    Bench b = tumbler();
    b.recipe.imports[recipe::hashOf("unused")] = std::make_shared<const std::string>("unused");
    const json used = b.file("rim.txt", "0 0 0\n10 0 0\n20 5 0\n");
    b.add("points_curve", {{"table", used}});
    b.run();
    VERIFY_STEP(b, "s7");
    VERIFY_OK(exchange::writeProject(path("i.lumsk"), {b.recipe, "", {}}));
    const auto back = exchange::readProject(path("i.lumsk"));
    VERIFY_OK(back);
    QCOMPARE(back->recipe.imports.size(), size_t(1));
    QCOMPARE(back->recipe.imports.begin()->first, used["hash"].get<std::string>());
  }

  void damagedResultsAreComputedAgain() {
    Bench b = tumbler();
    b.run();
    const auto text = exchange::packOutcome(*b.result("s6").outcome);
    VERIFY_OK(text);
    for (size_t cut : {size_t(0), size_t(10), text->size() / 2, text->size() - 3})
      QVERIFY(!exchange::unpackOutcome(text->substr(0, cut)));
    const auto bytes = [](const json& j) {
      const auto cbor = json::to_cbor(j);
      return std::string(cbor.begin(), cbor.end());
    };
    auto j = json::from_cbor(*text);
    j["outputs"][0]["body"]["faces"].erase(0);
    QCOMPARE(exchange::unpackOutcome(bytes(j)).error().code, std::string("LM-F005"));
    j = json::from_cbor(*text);
    j["outputs"][0].erase("body");
    QVERIFY(!exchange::unpackOutcome(bytes(j)));
    QVERIFY(!exchange::unpackOutcome(bytes({1, 2})));
  }

  void onlySlowBodiesAreWorthKeeping() {
    Bench b = tumbler();
    b.run();
    for (const auto& [key, outcome] : exchange::worthKeeping(*b.model)) {
      QVERIFY(std::holds_alternative<brep::BodyPtr>(outcome->outputs[0].object));
      bool known = false;
      for (const auto& [id, r] : b.model->results) known = known || (r.key == key && r.seconds >= 0.005);
      QVERIFY(known);
    }
  }
};

static test::Register<BodiesTest> registeredBodiesTest;
#include "bodies_test.moc"

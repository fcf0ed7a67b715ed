#include "nurbs/measure/arc_length.h"
#include "support/foreign.h"
#include "support/half_vessel.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <Bnd_Box.hxx>
#include <TopExp_Explorer.hxx>
#include <gp_Circ.hxx>
#include <gp_Pln.hxx>

using namespace lumsk;
using namespace lumsk::test;

namespace {

std::vector<TopoDS_Shape> boxAndCan() {
  return {BRepPrimAPI_MakeBox(30, 20, 10).Solid(),
          BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(60, 0, 0), gp::DZ()), 8, 25).Solid()};
}

bool noted(const recipe::StepResult& r, const std::string& code) {
  for (const auto& n : r.outcome->notes)
    if (n.code == code) return true;
  return false;
}

} // namespace

class ImportStepTest : public QObject {
  Q_OBJECT
private slots:
  void bodiesComeWithVolumeAndLastingNames() {
    for (const bool step : {true, false}) {
      Bench b;
      const auto bytes = step ? stepBytes(boxAndCan(), "MM") : brepBytes(boxAndCan());
      b.add("import", {{"file", b.file(step ? "parts.step" : "parts.brep", bytes)}});
      b.run();
      VERIFY_STEP(b, "s1");
      QCOMPARE(b.model->bodies.size(), size_t(2));
      const auto box = inspect::stateOf(*b.model->bodies[0].body), can = inspect::stateOf(*b.model->bodies[1].body);
      QVERIFY(box.solid && box.valid && can.solid && can.valid);
      VERIFY_AT_MOST(std::abs(box.volumeMm3 - 6000), 1e-3);
      VERIFY_AT_MOST(std::abs(can.volumeMm3 - kPi * 64 * 25), 0.02);
      const auto names = b.body("s1")->faceNames;
      QCOMPARE(names.size(), size_t(6));
      for (const auto& n : names) QVERIFY(n.find(".face(") == 12);
      Bench again; // another recipe, another place: the same file gives the same names
      again.add("point", {});
      again.add("import", {{"file", again.file("renamed.step", stepBytes(boxAndCan(), "MM"))}});
      again.add("import", {{"file", again.file(step ? "x.step" : "x.brep", bytes)}});
      again.run();
      QCOMPARE(again.body("s3")->faceNames, names);
    }
  }

  void inchesBecomeMillimetresAndSayso() {
    Bench b;
    b.add("import", {{"file", b.file("inch.step", stepBytes(boxAndCan(), "INCH"))}});
    b.run();
    VERIFY_STEP(b, "s1");
    QVERIFY(noted(b.result("s1"), "LM-I101"));
    const auto& note = b.result("s1").outcome->notes[0];
    QVERIFY(note.measured && std::abs(note.measured->value - 25.4) < 1e-9 && note.remedies.size() == 1);
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body("s1")).volumeMm3 - 6000), 1e-3);
    b.set("s1", note.remedies[0].field, note.remedies[0].value); // the numbers as mm: smaller by 25.4
    b.run();
    VERIFY_STEP(b, "s1");
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body("s1")).volumeMm3 * std::pow(25.4, 3) - 6000), 0.01);
    Bench c; // a format without a unit, told that it is inches
    c.add("import", {{"file", c.file("inch.brep", brepBytes(boxAndCan()))}, {"unit", "inch"}});
    c.run();
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*c.body("s1")).volumeMm3 / std::pow(25.4, 3) - 6000), 0.01);
  }

  void skinsAndCurvesComeToo() {
    const TopoDS_Shape face = BRepBuilderAPI_MakeFace(gp_Pln(), 0, 40, 0, 25).Face();
    const gp_Pnt a(0, 0, 5), c(30, 0, 5), e(30, 30, 5);
    const std::vector<TopoDS_Shape> shapes{face, BRepBuilderAPI_MakeEdge(a, c).Edge(),
                                           BRepBuilderAPI_MakeEdge(c, e).Edge(),
                                           BRepBuilderAPI_MakeEdge(gp_Circ(gp::XOY(), 12)).Edge()};
    Bench b;
    b.add("import", {{"file", b.file("mixed.brep", brepBytes(shapes))}});
    b.run();
    VERIFY_STEP(b, "s1");
    QCOMPARE(b.model->bodies.size(), size_t(1));
    QVERIFY(!b.model->bodies[0].body->solid());
    const auto& outputs = b.result("s1").outcome->outputs;
    QCOMPARE(outputs.size(), size_t(3)); // the two lines are one curve
    double length = 0;
    for (size_t i = 1; i < outputs.size(); ++i)
      length += nurbs::ArcLength(*std::get<recipe::CurvePtr>(outputs[i].object)).total();
    VERIFY_AT_MOST(std::abs(length - 60 - 24 * kPi), 1e-3);
    b.add("loft", {{"sections", picks({pick("s1", "curve", "curve1"), pick("s1", "curve", "curve2")})}});
    b.run(); // one is open, one closed: what matters is that they can be picked
    QCOMPARE(b.code("s2"), std::string("LM-L002"));
  }

  /// A box of loose faces whose lid lies a little too high.
  void looseFacesAreSewnAndGapsAreProposedToBe() {
    for (double lift : {0.0, 0.03}) {
      std::vector<TopoDS_Shape> loose;
      for (TopExp_Explorer e(BRepPrimAPI_MakeBox(30, 20, 10).Solid(), TopAbs_FACE); e.More(); e.Next()) {
        gp_Trsf up;
        Bnd_Box box;
        BRepBndLib::Add(e.Current(), box, false);
        if (box.CornerMin().Z() > 9) up.SetTranslation(gp_Vec(0, 0, lift));
        loose.push_back(BRepBuilderAPI_Transform(e.Current(), up, true).Shape());
      }
      for (const bool step : {true, false}) {
        Bench b;
        b.add("import", {{"file", b.file(step ? "box.step" : "box.brep", step ? stepBytes(loose, "MM") : brepBytes(loose))}});
        b.run();
        VERIFY_STEP(b, "s1");
        QVERIFY(noted(b.result("s1"), "LM-I109"));
        QCOMPARE(noted(b.result("s1"), "LM-I107"), lift > 0);
        QCOMPARE(noted(b.result("s1"), "LM-I108"), lift > 0);
        QCOMPARE(b.model->bodies.size(), size_t(lift > 0 ? 2 : 1));
        for (const auto& n : b.result("s1").outcome->notes) {
          if (n.code == "LM-I108") {
            QVERIFY(n.where.size() == 2 && std::abs(n.measured->value - 100) < 1e-3); // both openings are 100 mm around
          }
          if (n.code != "LM-I107") continue;
          VERIFY_AT_MOST(std::abs(n.measured->value - lift), 1e-6);
          QCOMPARE(n.where.size(), size_t(4));
          b.set("s1", n.remedies.front().field, n.remedies.front().value);
        }
        b.run();
        VERIFY_STEP(b, "s1");
        const auto s = inspect::stateOf(*b.body("s1"));
        QVERIFY(s.solid && s.valid && s.openEdges == 0);
        VERIFY_AT_MOST(std::abs(s.volumeMm3 - 6000), 20);
      }
    }
  }

  void solidsThatAreInsideOutAreTurned() {
    Bench b;
    TopoDS_Shape box = BRepPrimAPI_MakeBox(30, 20, 10).Solid();
    box.Reverse();
    b.add("import", {{"file", b.file("box.brep", brepBytes({box}))}});
    b.run();
    VERIFY_STEP(b, "s1");
    QVERIFY(noted(b.result("s1"), "LM-I110"));
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body("s1")).volumeMm3 - 6000), 1e-3);
  }

  void wholeFacesComeBackAsOurOwnAndTakeAWall() {
    Bench made = halfVessel();
    for (const char* side : {"start", "end"}) made.set("s7", side, "g3");
    made.add("mirror", {{"what", picks({pick("s7")})}});
    made.add("thicken", {{"skin", picks({pick("s8")})}, {"thickness", 2}});
    made.run();
    VERIFY_STEP(made, "s9");
    for (const bool step : {true, false}) {
      Bench b;
      const std::vector<TopoDS_Shape> shapes{made.body("s8")->shape};
      b.add("import",
            {{"file", b.file(step ? "v.step" : "v.brep", step ? stepBytes(shapes, "MM") : brepBytes(shapes))}});
      b.add("thicken", {{"skin", picks({pick("s1")})}, {"thickness", 2}});
      b.run();
      VERIFY_STEP(b, "s2");
      QCOMPARE(b.body("s1")->natural.size(), made.body("s8")->natural.size());
      const auto x = inspect::stateOf(*b.body("s2")), y = inspect::stateOf(*made.body("s9"));
      QVERIFY(x.solid && x.valid && x.openEdges == 0);
      VERIFY_AT_MOST(std::abs(x.volumeMm3 / y.volumeMm3 - 1), 1e-5);
    }
  }

  void importedBodiesAreCutAside() {
    Bench b;
    b.add("import", {{"file", b.file("ball.brep", brepBytes({BRepPrimAPI_MakeSphere(gp_Pnt(0, 0, 0), 20).Solid()}))}});
    b.add("plane", {{"distance", 5}});
    b.add("trim", {{"body", picks({pick("s1")})}, {"by", picks({pick("s2")})}, {"keep", "front"}});
    b.run();
    VERIFY_STEP(b, "s3");
    QCOMPARE(b.model->bodies.size(), size_t(1));
    const auto s = inspect::stateOf(*b.body("s3"));
    QVERIFY(s.solid && s.valid && s.openEdges == 0);
    const double h = 15, cap = kPi * h * h * (3 * 20 - h) / 3;
    VERIFY_AT_MOST(std::abs(s.volumeMm3 / cap - 1), 1e-5);
  }

  void badFilesAreRefusedAndTheResultBeforeIsKept() {
    const std::string good = stepBytes(boxAndCan(), "MM");
    const struct {
      const char *name, *code;
      std::string bytes;
    } bad[] = {{"empty.step", "LM-I001", ""},
               {"blank.brep", "LM-I001", " \n\n"},
               {"letter.step", "LM-I002", "Dear reader, this is no geometry."},
               {"letter.brep", "LM-I002", "Dear reader, this is no geometry."},
               {"cut.step", "LM-I002", good.substr(0, good.size() / 2)},
               {"hollow.step", "LM-I003",
                "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('','',(''),(''),'','','');\n"
                "FILE_SCHEMA(('AUTOMOTIVE_DESIGN'));\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n"}};
    for (const auto& f : bad) {
      Bench b;
      b.add("import", {{"file", b.file("good.step", good)}});
      b.run();
      VERIFY_STEP(b, "s1");
      b.set("s1", "file", b.file(f.name, f.bytes));
      b.run();
      QCOMPARE(b.code("s1"), std::string(f.code));
      QCOMPARE(b.result("s1").problem->field, std::string("file"));
      QVERIFY(!b.result("s1").problem->remedyText.empty());
      QVERIFY(b.result("s1").outcome && b.result("s1").outcome->outputs.size() == 2);
    }
  }

  void sizesThatCannotBeMeantAreNoted() {
    Bench b;
    b.add("import", {{"file", b.file("tiny.brep", brepBytes({BRepPrimAPI_MakeBox(0.12, 0.08, 0.05).Solid()}))}});
    b.run();
    VERIFY_STEP(b, "s1");
    QVERIFY(noted(b.result("s1"), "LM-I106"));
    b.set("s1", "unit", "m");
    b.run();
    QVERIFY(!noted(b.result("s1"), "LM-I106"));
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body("s1")).boxHigh.x() - 120), 1e-6);
  }
};

static test::Register<ImportStepTest> registeredImportStepTest;
#include "import_test.moc"

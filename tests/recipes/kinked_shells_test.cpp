#include "brep/mesh.h"
#include "inspect/wall.h"
#include "support/half_vessel.h"
#include "support/mesh_checks.h"

#include <random>

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// An edge of a skin's start: of one face, or of several where the curvature of all sections jumps.
std::string startOf(Bench& b, const std::string& body, const std::string& skin) {
  b.run();
  if (b.result(body).outcome)
    for (const auto& e : b.body(body)->edgeNames)
      if (e.rfind(skin, 0) == 0 && e.find("|start") != std::string::npos) return e;
  return "";
}

/// A made-up shell with kinks, of one of five kinds; the last step is the one to thicken.
Bench kinkedShell(int kind, std::mt19937& rng) {
  const auto between = [&](double a, double b) {
    return std::round(std::uniform_real_distribution<double>(a, b)(rng) * 10) / 10;
  };
  Bench b;
  const auto ring = [&](double height, double w) {
    static const char* shapes[] = {"circle", "ellipse", "superellipse", "rectangle"};
    b.add("ring", {{"shape", shapes[rng() % 4]},
                   {"width", w},
                   {"depth", w * between(0.6, 0.9)},
                   {"height", height},
                   {"radius", w * 0.25},
                   {"exponent", between(2.1, 2.6)}});
  };
  const auto foot = [&](const std::string& skin, const std::string& edge) {
    return b.add("cover", {{"edges", picks({pick(skin, "edge", edge)})}});
  };
  switch (kind) {
  case 0: // a round wall over a flat foot
    for (int i = 0; i < 3; ++i) ring(30.0 * i + between(0, 5), between(50, 70));
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}});
    foot("s4", startOf(b, "s4", "s4.skin"));
    break;
  case 1: // sharp corners
    for (int i = 0; i < 2; ++i)
      b.add("ring", {{"shape", "polygon"},
                     {"sides", 3 + int(rng() % 4)},
                     {"width", between(45, 70)},
                     {"height", 55 * i},
                     {"radius", 0}});
    b.set("s2", "sides", (*b.recipe.find("s1")->inputs)["sides"]);
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    if (rng() % 2) foot("s3", startOf(b, "s3", "s3.skin"));
    break;
  case 2: // two lofts with a kink between them, a foot below
    ring(0, between(40, 60));
    ring(35, between(60, 76));
    ring(70, between(40, 56));
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("loft", {{"sections", picks({pick("s2"), pick("s3")})}});
    b.add("knit", {{"skins", picks({pick("s4"), pick("s5")})}});
    if (rng() % 2) foot("s6", startOf(b, "s6", "s4.skin"));
    break;
  case 3: { // a mirrored half with a flat foot
    b = halfVessel();
    for (const char* side : {"start", "end"}) b.set("s7", side, "g3");
    b.add("mirror", {{"what", picks({pick("s7")})}});
    b.run();
    std::string rim;
    for (const auto& e : b.body("s8")->edgeNames)
      if (e.rfind("s7.skin|left", 0) == 0) rim = e;
    foot("s8", rim);
    break;
  }
  default: // an oval drum, closed: to be hollowed with its top left open
    for (int i = 0; i < 2; ++i)
      b.add("ring", {{"shape", "ellipse"}, {"width", between(50, 70)}, {"depth", between(36, 48)}, {"height", 40 * i}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("cover", {{"edges", picks({pick("s3", "edge", "s3.skin|start"), pick("s3", "edge", "s3.skin|end")})}});
  }
  return b;
}

} // namespace

class KinkedShellsTest : public QObject {
  Q_OBJECT
private slots:
  void everyWallIsRightOrRefusedWithAReason_data() {
    QTest::addColumn<int>("seed");
    // All of them take a minute and a half: `check --deep` does.
    const int most = qEnvironmentVariableIsSet("LUMSK_DEEP") ? 50 : 16;
    for (int seed = 0; seed < most; ++seed) QTest::newRow(qPrintable(QString("shell %1").arg(seed))) << seed;
  }
  void everyWallIsRightOrRefusedWithAReason() {
    QFETCH(int, seed);
    std::mt19937 rng{unsigned(seed)};
    Bench b = kinkedShell(seed % 5, rng);
    b.run();
    const std::string shell = b.recipe.steps.back()->id;
    VERIFY_STEP(b, shell);
    const double t = 0.8 + 0.4 * double(rng() % 6);
    for (const char* side : {"in", "out"}) {
      Bench c = kinkedShell(seed % 5, *std::make_unique<std::mt19937>(unsigned(seed)));
      json inputs{{"skin", picks({pick(shell)})}, {"thickness", t}, {"side", side}};
      if (seed % 5 == 4)
        inputs["open"] = picks({pick(
            shell, "face", "s4.cover(" + (*c.recipe.find("s4")->inputs)["edges"][1]["id"].get<std::string>() + ")")});
      const std::string wall = c.add("thicken", inputs);
      c.run();
      const auto& r = c.result(wall);
      if (r.status != recipe::Status::Ok) {
        QVERIFY(r.problem);
        const std::string code = r.problem->code;
        QVERIFY2(code.rfind("LM-T", 0) == 0, (code + " " + sentence(*r.problem)).c_str());
        QVERIFY2(!r.problem->remedyText.empty() && (seed % 5 == 4 || !r.problem->where.empty()),
                 sentence(*r.problem).c_str());
        ++refused_;
        continue;
      }
      ++right_;
      verifyWall(*c.body(wall), wall, t);
    }
  }
  void mostShellsGetTheirWall() {
    qInfo("%d walls right, %d refused", right_, refused_);
    QVERIFY(100 * right_ >= 70 * (right_ + refused_));
  }

private:
  static void verifyWall(const brep::Body& body, const std::string& step, double t) {
    const auto s = inspect::stateOf(body);
    QVERIFY(s.solid && s.valid && s.openEdges == 0 && s.volumeMm3 > 0);
    VERIFY_AT_MOST(s.largestToleranceMm, 0.01);
    for (const auto& name : body.faceNames) QVERIFY(name != "?");
    // From its outside, or from its inside where all faces of that are trimmed.
    int measured = 0;
    for (const char* from : {".front", ".back"})
      for (const auto& [name, face] : body.natural) {
        if (measured > 0 && from != std::string(".front")) break;
        if (name.rfind(step + from, 0) != 0) continue;
        for (const auto& w : inspect::wallBelow(body, name, 60)) {
          if (w.toRimMm < 2 * t) continue;
          VERIFY_AT_MOST(std::abs(w.mm - t), 0.005);
          ++measured;
        }
      }
    QVERIFY(measured >= 20);
    const auto mesh = brep::exportMesh(body, {0.1, 15}, {});
    VERIFY_OK(mesh);
    QCOMPARE(mesh->openEdges(), 0);
    VERIFY_AT_MOST(std::abs(mesh->volumeMm3() / s.volumeMm3 - 1), 0.01);
    QCOMPARE(selfCrossings(*mesh), 0);
  }
  int right_ = 0, refused_ = 0;
};

static test::Register<KinkedShellsTest> registeredKinkedShellsTest;
#include "kinked_shells_test.moc"

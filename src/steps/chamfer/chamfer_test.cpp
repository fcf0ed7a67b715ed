#include "inspect/joins.h"
#include "support/edges.h"

using namespace lumsk;
using namespace lumsk::test;

class ChamferStepTest : public QObject {
  Q_OBJECT
private slots:
  void boxesLoseWhatTheDistancesSay() {
    for (const auto& [more, area] : {std::pair(json{{"by", "distance"}}, 2.0), std::pair(json{{"by", "two"}, {"other", 3}}, 3.0), std::pair(json{{"by", "angle"}, {"angle", 30}}, 2 * 2 * std::tan(kPi / 6) / 2),
                                     std::pair(json{{"by", "width"}}, 1.0)}) {
      Bench b;
      const auto box = prism(b, block(40, 30), 20);
      const auto made = edgesStep(b, "chamfer", box, {Vec3(20, 0, 20)}, 2, more);
      b.run();
      VERIFY_STEP(b, made);
      VERIFY_AT_MOST(std::abs((24000 - solidVolume(b, made)) / (30 * area) - 1), 1e-4);
    }
  }

  void theOtherWayChangesTheSides() {
    double middle[2];
    for (const bool flip : {false, true}) {
      Bench b;
      const auto box = prism(b, block(40, 30), 20);
      const auto made = edgesStep(b, "chamfer", box, {Vec3(20, 0, 20)}, 1, {{"by", "two"}, {"other", 5}, {"flip", flip}});
      b.run();
      VERIFY_STEP(b, made);
      VERIFY_AT_MOST(std::abs((24000 - solidVolume(b, made)) / (30 * 2.5) - 1), 1e-4);
      for (int i = 0; i < int(b.body(made)->faceNames.size()); ++i)
        if (b.body(made)->faceNames[size_t(i)].find(".chamfer(") != std::string::npos) middle[flip] = brep::signatureOf(*b.body(made), brep::PartKind::Face, i).middle.z();
    }
    VERIFY_AT_MOST(std::abs(std::abs(middle[0] - middle[1]) - 2), 1e-3);
  }

  void cornersAreCutTogether() {
    Bench b;
    const auto box = prism(b, block(40, 30), 20);
    const auto made = edgesStep(b, "chamfer", box, {Vec3(20, 0, 20), Vec3(-20, 0, 20), Vec3(0, 15, 20), Vec3(0, -15, 20)}, 2);
    b.run();
    VERIFY_STEP(b, made);
    const double lost = 2 * (40 + 30) * 2 - 4 * 8.0 / 3; // prisms, less what they share at the corners
    VERIFY_AT_MOST(std::abs((24000 - solidVolume(b, made)) / lost - 1), 1e-3);
  }

  void rimsOfFreeformBodies() {
    Bench b;
    const auto body = freeformBody(b);
    const auto made = edgesStep(b, "chamfer", body, {Vec3(0, 17, 60)}, 2, {{"by", "width"}});
    b.run();
    VERIFY_STEP(b, made);
    QVERIFY(solidVolume(b, made) > 0 && solidVolume(b, made) < solidVolume(b, body));
    // As wide everywhere: from one border of the new face to the other.
    std::vector<nurbs::Path> borders;
    const auto& done = *b.body(made);
    for (int e = 0; e < int(done.edgeNames.size()); ++e)
      for (int f : brep::facesAt(done, e))
        if (done.faceNames[size_t(f)].find(".chamfer(") != std::string::npos && brep::facesAt(done, e).size() == 2) borders.push_back(*brep::toPath(brep::edges(done)[size_t(e)]));
    QCOMPARE(borders.size(), size_t(2));
    for (int i = 0; i < 40; ++i) VERIFY_AT_MOST(std::abs(nurbs::closestPoint(borders[1], borders[0].at(borders[0].last() * i / 40)).distanceMm - 2), 0.003);
  }
};

static test::Register<ChamferStepTest> registeredChamferStepTest;
#include "chamfer_test.moc"

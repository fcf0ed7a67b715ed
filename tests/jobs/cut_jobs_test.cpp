#include "jobs/job.h"

#include "nurbs/measure/closest.h"

using namespace lumsk;
using namespace lumsk::test;

/// Jobs about skins that are cut: a coil in the shape of a ball, a frame of tubes.
class CutJobsTest : public Job {
  Q_OBJECT

  std::string helix(const QString& radius) {
    tool("curves", "helix");
    const std::string id = draft();
    option("by", "heightTurns");
    enter("height", "60");
    enter("turns", "5");
    enter("radius", radius);
    enter("endRadius", radius);
    keep();
    return id;
  }

private slots:
  /// A skin between two helices, cut by a ball; its new edge is the path of a wire. Another form takes the ball's place.
  void aCoilInTheShapeOfABall() {
    const std::string inner = helix("6"), outer = helix("44");
    look(scene::ViewFrom::Corner);
    tool("surfaces", "loft");
    const std::string skin = draft();
    option("way", "ruled");
    at(curve(inner).at(0.503 * curve(inner).last()));
    at(curve(outer).at(0.507 * curve(outer).last()));
    QVERIFY(good(skin));
    keep();
    tool("curves", "arc");
    const std::string arc = draft();
    press("pick-plane");
    at(planeSeen("front"));
    QVERIFY(inputs(arc).contains("plane"));
    enter("y", "30");
    enter("radius", "27");
    enter("from", "-90");
    enter("to", "90");
    keep();
    tool("surfaces", "revolve");
    const std::string ball = draft();
    at(curve(arc).at(0.62 * curve(arc).last()));
    QVERIFY(good(ball));
    tick("solid");
    keep();
    QVERIFY(body(ball)->solid());
    tool("trim", "trim");
    const std::string trim = draft();
    at(curve(outer).at(0.507 * curve(outer).last()) * 0.97 + Vec3(0, 0, 0.03 * curve(outer).at(0.507 * curve(outer).last()).z()));
    QCOMPARE(inputs(trim)["body"][0]["step"].get<std::string>(), skin);
    at(placeSeen(ball, [&](const scene::Hit& h) { return h.step == ball; }));
    option("keep", "back");
    QVERIFY(good(trim));
    keep();
    // The ball goes out of sight; the new edge becomes a wire.
    w().steps().setVisible({"b" + ball.substr(1)}, false);
    QVERIFY(settled());
    const auto cut = body(trim);
    Vec3 onEdge = Vec3::Zero();
    for (size_t i = 0; i < cut->edgeNames.size(); ++i)
      if (cut->edgeNames[i].find("cut:") != std::string::npos)
        onEdge = brep::signatureOf(*cut, brep::PartKind::Edge, int(i)).middle;
    tool("surfaces", "pipe");
    const std::string wire = draft();
    at(onEdge);
    QVERIFY(good(wire));
    enter("size", "1.5");
    keep();
    const auto s = inspect::stateOf(*body(wire));
    QVERIFY(s.solid && s.valid);
    double worst = 0;
    for (size_t i = 0; i < cut->edgeNames.size(); ++i) {
      if (cut->edgeNames[i].find("cut:") == std::string::npos) continue;
      const Points p = brep::pointsAlong({{brep::edges(*cut)[i]}, false}, 60);
      for (Eigen::Index k = 0; k < p.rows(); ++k) worst = std::max(worst, std::abs((p.row(k).transpose() - Vec3(0, 0, 30)).norm() - 27));
    }
    VERIFY_AT_MOST(worst, 0.001);
    // A cone instead.
    tool("curves", "line");
    const std::string line = draft();
    press("pick-plane");
    at(planeSeen("front"));
    look(scene::ViewFrom::Front);
    for (const Vec3& p : {Vec3(36, 0, -4), Vec3(8, 0, 64)}) {
      ++clicks_;
      QTest::mouseClick(&view(), Qt::LeftButton, {}, onScreen(p));
      QVERIFY(settled());
    }
    keep();
    look(scene::ViewFrom::Corner);
    tool("surfaces", "revolve");
    const std::string cone = draft();
    at(curve(line).at(0.5));
    QVERIFY(good(cone));
    keep();
    w().steps().move(line, w().recipe().indexOf(trim));
    w().steps().move(cone, w().recipe().indexOf(trim));
    QVERIFY(settled());
    w().focus().unfold(trim);
    QVERIFY(settled());
    w().focus().replace(trim, "by", inputs(trim)["by"][0]["id"].get<std::string>());
    QVERIFY(settled());
    at(placeSeen(cone, [&](const scene::Hit& h) { return h.step == cone; }));
    QVERIFY(good(trim));
    QVERIFY(good(wire));
    QVERIFY(inspect::stateOf(*body(wire)).boxLow.z() < 1); // the coil reaches the lowest turns now
    countedIn("coil in the shape of a ball");
  }
};

static test::Register<CutJobsTest> registeredCutJobsTest;
#include "cut_jobs_test.moc"

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
    finished("J14", "coil_of_a_ball", 90);
  }

  /// Three tubes, and three between them that are cut by copies of their round faces; the others stay as they are.
  void aFrameOfTubesCutToOneAnother() {
    const auto line = [&](const Vec3& from, const Vec3& to) {
      tool("curves", "line");
      const std::string id = draft();
      for (const Vec3& p : {from, to}) {
        ++clicks_;
        QTest::mouseClick(&view(), Qt::LeftButton, {}, onScreen(p));
        QVERIFY(settled());
      }
      keep();
      lines_.push_back(id);
    };
    look(scene::ViewFrom::Top);
    for (double x : {-40.0, 0.0, 40.0}) line({x, -55, 0}, {x + 5, 55, 0});
    for (const auto& [x, y] : {std::pair(-40.0, -28.0), std::pair(0.0, 4.0), std::pair(-39.0, 36.0)}) line({x, y, 0}, {x + 40, y + 3, 0});
    const auto pipes = [&](size_t first, const QString& size) {
      tool("surfaces", "pipe");
      const std::string id = draft();
      for (size_t i = first; i < first + 3; ++i) at(curve(lines_[i]).at(0.12));
      enter("size", size);
      tick("merge");
      keep();
      return id;
    };
    const std::string frame = pipes(0, "12"), bars = pipes(3, "8");
    QVERIFY(good(frame) && good(bars));
    QCOMPARE(result(bars)->outcome->outputs.size(), size_t(3));
    double whole = 0;
    for (size_t k = 0; k < 3; ++k) whole += brep::massOf(body(bars, k)->shape).volumeMm3;
    look(scene::ViewFrom::Corner);
    tool("trim", "offset");
    const std::string copies = draft();
    enter("distance", "0");
    press("pick-of");
    for (size_t k = 0; k < 3; ++k) {
      const std::string& output = result(frame)->outcome->outputs[k].name;
      at(placeSeen(frame, [&](const scene::Hit& h) {
        return h.step == frame && h.kind == recipe::Kind::Face && (output.empty() ? h.part.find('/') == std::string::npos : h.part.rfind(output + "/", 0) == 0) &&
               h.part.find("first") == std::string::npos && h.part.find("last") == std::string::npos;
      }));
    }
    QVERIFY(good(copies));
    QCOMPARE(result(copies)->outcome->outputs.size(), size_t(3));
    keep();
    for (const auto& b : w().model()->bodies)
      if (b.step == frame) w().steps().setVisible({b.id}, false);
    QVERIFY(settled());
    tool("trim", "trim");
    const std::string trim = draft();
    for (size_t k = 0; k < 3; ++k) {
      const std::string& output = result(bars)->outcome->outputs[k].name;
      at(placeSeen(bars, [&](const scene::Hit& h) { return h.step == bars && h.part == output; }));
      if (k == 0) press("pick-body"); // more than one is to be cut
    }
    QCOMPARE(inputs(trim)["body"].size(), size_t(3));
    press("pick-by");
    for (size_t k = 0; k < 3; ++k) {
      const std::string& output = result(copies)->outcome->outputs[k].name;
      at(placeSeen(copies, [&](const scene::Hit& h) {
        return h.step == copies && (output.empty() ? h.part.find('/') == std::string::npos : h.part == output || h.part.rfind(output + "/", 0) == 0);
      }));
    }
    QCOMPARE(inputs(trim)["by"].size(), size_t(3));
    QVERIFY(good(trim));
    const auto volumes = [&] {
      double sum = 0;
      for (const auto& o : result(trim)->outcome->outputs) sum += brep::massOf(std::get<brep::BodyPtr>(o.object)->shape).volumeMm3;
      return sum;
    };
    const double outside = volumes();
    option("keep", "back"); // the other side
    QVERIFY(good(trim));
    const double inside = volumes();
    VERIFY_AT_MOST(std::abs(outside + inside - whole) / whole, 0.002);
    option("keep", "front");
    QVERIFY(good(trim));
    keep();
    // Every mitre lies on its tube.
    int mitres = 0;
    for (const auto& o : result(trim)->outcome->outputs) {
      const auto b = std::get<brep::BodyPtr>(o.object);
      QVERIFY(b->solid());
      for (size_t i = 0; i < b->edgeNames.size(); ++i) {
        if (b->edgeNames[i].find("cut") == std::string::npos) continue;
        ++mitres;
        const Points p = brep::pointsAlong({{brep::edges(*b)[i]}, false}, 40);
        double worst = 0;
        for (Eigen::Index k = 0; k < p.rows(); ++k) {
          double nearest = 1e300; // of how far it is from one of the three
          for (size_t t = 0; t < 3; ++t) nearest = std::min(nearest, std::abs(nurbs::closestPoint(curve(lines_[t]), p.row(k).transpose()).distanceMm - 6));
          worst = std::max(worst, nearest);
        }
        VERIFY_AT_MOST(worst, 0.001);
      }
    }
    QVERIFY(mitres >= 6);
    for (const auto& b : w().model()->bodies)
      if (b.step == frame) QCOMPARE(brep::edges(*b.body).size(), brep::edges(*body(frame)).size()); // not cut
    finished("J17", "trivet_frame", 100);
  }

private:
  std::vector<std::string> lines_;
};

static test::Register<CutJobsTest> registeredCutJobsTest;
#include "cut_jobs_test.moc"

#include "jobs/drawing_job.h"

#include "nurbs/measure/arc_length.h"
#include "shapes/common_body.h"

using namespace lumsk;
using namespace lumsk::test;

/// Jobs that live from their drawings: a line seen from two sides, letters, a hole in a face, a line that two skins share.
class DrawnJobsTest : public DrawingJob {
  Q_OBJECT

  std::vector<nurbs::Path> curvesOf(const std::string& step) {
    std::vector<nurbs::Path> out;
    for (const auto& o : result(step)->outcome->outputs)
      if (const auto* c = std::get_if<recipe::CurvePtr>(&o.object)) out.push_back(**c);
    return out;
  }
  /// The curves of a step are the sharp edges of what both drawings' extrusions have in common, as the kernel makes it.
  void areTheSharpEdgesOf(const std::string& curves, const nurbs::View& one, const nurbs::View& other) {
    const SharpEdges edges = sharpEdges(BRepAlgoAPI_Common(extruded(one), extruded(other)).Shape());
    double length = 0;
    const auto made = curvesOf(curves);
    for (const nurbs::Path& p : made) length += nurbs::ArcLength(p).total();
    QVERIFY(edges.lengthMm > 50);
    QVERIFY2(std::abs(length - edges.lengthMm) < 0.001 + 1e-5 * edges.lengthMm, qPrintable(QString("%1 mm against %2 mm").arg(length, 0, 'f', 4).arg(edges.lengthMm, 0, 'f', 4)));
    for (const Vec3& p : edges.points) {
      double nearest = 1e300;
      for (const nurbs::Path& c : made) nearest = std::min(nearest, nurbs::closestPoint(c, p).distanceMm);
      VERIFY_AT_MOST(nearest, 0.001);
    }
  }
  void outOfSight(const std::vector<std::string>& steps) {
    for (const std::string& s : steps) w().steps().setVisible({s}, false);
    QVERIFY(settled());
  }

private slots:
  /// The line of a jug's handle: a top drawing first, the side drawing on the spot, and the side drawing changed later.
  void theLineOfAJugsHandle() {
    begin("top");
    const auto top = w().recipe().steps.back()->id;
    with("spline");
    put(-30, 0), put(0, 12), put(30, 4);
    QTest::keyClick(&view(), Qt::Key_Return);
    rest();
    keep();
    look(scene::ViewFrom::Corner);
    tool("curves", "two_view");
    const auto both = draft();
    at(along(top, 0.4));
    press("draw-drawing");
    at(planeSeen("front"));
    QVERIFY(QTest::qWaitFor([&] { return board().open(); }, 3000));
    board().take("");
    with("spline_control");
    put(-30, 0), put(-10, 25), put(12, 25), put(30, 5);
    QTest::keyClick(&view(), Qt::Key_Return);
    rest();
    const auto side = w().focus().open();
    QVERIFY(side != both);
    keep(); // back to the curve, which has taken the drawing
    QCOMPARE(QString::fromStdString(w().focus().open()), QString::fromStdString(both));
    QCOMPARE(inputs(both)["drawings"].size(), size_t(2));
    const auto meets = [&] {
      QVERIFY(good(both));
      const nurbs::Path in3 = curve(both);
      for (int i = 0; i <= 40; ++i) {
        const Vec3 p = in3.at(in3.last() * i / 40);
        VERIFY_AT_MOST(nurbs::closestPoint(curve(top), {p.x(), p.y(), 0}).distanceMm, 0.001);
        VERIFY_AT_MOST(nurbs::closestPoint(curve(side), {p.x(), 0, p.z()}).distanceMm, 0.001);
      }
    };
    meets();
    keep();
    look(scene::ViewFrom::Corner);
    tool("surfaces", "pipe");
    const auto handle = draft();
    at(curveSeen(both));
    enter("size", "7");
    QVERIFY(good(handle));
    keep();
    // A control point of the side drawing is pulled: the line and the pipe follow.
    const double before = inspect::stateOf(*body(handle)).volumeMm3;
    w().focus().unfold(side);
    QVERIFY(settled());
    const Vec2 at = now().at(now().entities[0].points[2]);
    ++clicks_;
    drag(onScreen(on(at.x(), at.y())), onScreen(on(at.x(), at.y() + 12)));
    meets();
    const auto state = inspect::stateOf(*body(handle));
    QVERIFY(state.solid && state.valid && state.volumeMm3 > before + 10);
    keep();
    finished("J03", "jug_handle", 55);
  }

  /// Curves of two drawings: round and round, a drawing of several loops, and letter and letter with branches; a wire follows them.
  void roundAndRoundAndLetterAndLetter() {
    begin("top");
    const auto rings = w().recipe().steps.back()->id;
    with("circle");
    put(0, 0);
    typedTowards(16, 0, "40");
    put(0, 0);
    typedTowards(8, 0, "22");
    rest();
    QCOMPARE(now().entities.size(), size_t(2));
    keep();
    const auto across = begunOn("ring", "front");
    option("shape", "circle");
    enter("width", "30");
    keep();
    look(scene::ViewFrom::Corner);
    // Objects first: the later one is picked first.
    at(curveSeen(across));
    for (const auto& o : result(rings)->outcome->outputs) {
      ++clicks_;
      pickAt(curveSeen(rings, recipe::pickPart(*result(rings)->outcome, o)), Qt::ControlModifier);
    }
    tool("curves", "two_view");
    const auto round = draft();
    QVERIFY(good(round));
    QCOMPARE(curvesOf(round).size(), size_t(4));
    areTheSharpEdgesOf(round, {curvesOf(rings), {Vec3::Zero(), Vec3::UnitX(), Vec3::UnitY()}}, {curvesOf(across), kFrontView});
    keep();
    outOfSight({round});
    std::vector<std::string> letters;
    for (const auto& [plane, letter] : {std::pair("front", "A"), std::pair("side", "E")}) {
      letters.push_back(begunOn("text_outline", plane));
      enter("text", letter);
      enter("height", "40");
      option("align", "middle");
      QVERIFY(good(letters.back()));
      keep();
    }
    // The tool first, in the other order.
    look(scene::ViewFrom::Corner);
    tool("curves", "two_view");
    const auto monogram = draft();
    const auto loopSeen = [&](const std::string& step) { return curveSeen(step, recipe::pickPart(*result(step)->outcome, result(step)->outcome->outputs[0])); };
    at(loopSeen(letters[1]));
    at(loopSeen(letters[0]));
    for (int k = 0; k < 2; ++k) // of each letter all its loops
      for (auto* b : window_->findChildren<QPushButton*>("pick-how-many"))
        if (b->isVisible() && b->text().startsWith("all")) {
          ++clicks_;
          QTest::mouseClick(b, Qt::LeftButton);
          QVERIFY(settled());
          break;
        }
    tick("corners"); // all sharp edges
    QVERIFY(good(monogram));
    QVERIFY(curvesOf(monogram).size() > 4);
    areTheSharpEdgesOf(monogram, {curvesOf(letters[0]), kFrontView}, {curvesOf(letters[1]), kSideView});
    keep();
    outOfSight({monogram});
    w().steps().setVisible({round}, true);
    QVERIFY(settled());
    look(scene::ViewFrom::Corner);
    tool("surfaces", "pipe");
    const auto wire = draft();
    for (const auto& o : result(round)->outcome->outputs) at(curveSeen(round, recipe::pickPart(*result(round)->outcome, o)));
    enter("size", "2");
    QVERIFY(good(wire));
    const auto state = inspect::stateOf(*body(wire));
    QVERIFY(state.solid && state.valid && state.openEdges == 0);
    keep();
    finished("J06", "two_views", 90);
  }

  /// A tray's wall: a circle drawn on its face is a hole for a tube, and the hole is undone later; two clicks each.
  void aHoleInATraysWallAndBack() {
    std::vector<std::string> lines;
    for (const char* distance : {"-40", "0", "40"}) {
      const std::string plane = planeBeside("front", distance);
      const double y = QString(distance).toDouble();
      lines.push_back(drawnThrough("spline", plane, scene::ViewFrom::Front, {{-60, y, 0}, {-20, y, 10 + y / 20}, {20, y, 10 + y / 20}, {60, y, 0}}));
    }
    tool("surfaces", "loft");
    const std::string wall = draft();
    for (const std::string& l : lines) at(curveSeen(l));
    QVERIFY(good(wall));
    keep();
    const auto whole = inspect::stateOf(*body(wall));
    look(scene::ViewFrom::Top);
    tool("trim", "trim");
    const std::string trim = draft();
    const int before = clicks_;
    press("draw-ring");
    at(placeSeen(wall, [](const scene::Hit& h) { return (h.at.head<2>() - Vec2(15, 8)).norm() < 6; }));
    VERIFY_AT_MOST(clicks_ - before, 2);
    enter("width", "14");
    keep();
    QCOMPARE(QString::fromStdString(w().focus().open()), QString::fromStdString(trim));
    QVERIFY(good(trim));
    const auto holed = inspect::stateOf(*body(trim));
    QCOMPARE(holed.openings.size(), whole.openings.size() + 1);
    VERIFY_AT_MOST(std::abs((whole.areaMm2 - holed.areaMm2) / (kPi * 49) - 1), 0.05); // the wall leans a little
    keep();
    const auto ring = w().recipe().steps[w().recipe().steps.size() - 2]->id; // drawn before the trim that asked for it
    const int then = clicks_;
    tool("trim", "restore");
    const std::string back = draft();
    at(along(ring, 0.2));
    QVERIFY(good(back));
    VERIFY_AT_MOST(clicks_ - then, 3); // the drawer is open
    const auto again = inspect::stateOf(*body(back));
    QCOMPARE(again.openings.size(), whole.openings.size());
    VERIFY_AT_MOST(std::abs(again.areaMm2 - whole.areaMm2), 1e-6);
    // It is the same skin, not one like it.
    for (const auto& [name, face] : body(back)->natural)
      for (int i = 0; i <= 10; ++i)
        for (int j = 0; j <= 10; ++j) {
          const auto& s = *face.surface;
          const auto& u = s.knotsU();
          const auto& v = s.knotsV();
          const Vec3 p = s.at(u.front() + (u.back() - u.front()) * i / 10, v.front() + (v.back() - v.front()) * j / 10);
          VERIFY_AT_MOST(offSkin(wall, p), 1e-9);
        }
    keep();
    finished("J09", "tray_wall", 100);
  }

  /// The long edge of a bread box: one line, of which two skins use a part each; the whole is changed later.
  void theLongEdgeOfABreadBox() {
    begin("front");
    const auto line = w().recipe().steps.back()->id;
    with("spline");
    put(-60, 0), put(-20, 14), put(20, 30), put(60, -20);
    QTest::keyClick(&view(), Qt::Key_Return);
    rest();
    keep();
    look(scene::ViewFrom::Corner);
    std::vector<std::string> skins;
    for (const auto& [end, length] : {std::pair("to", "30"), {"from", "-24"}}) {
      tool("surfaces", "extrude");
      skins.push_back(draft());
      at(curve(line).at(curve(line).last() * (skins.size() == 1 ? 0.2 : 0.8)));
      press("pick-part");
      enter(end, "0.45");
      enter("length", length);
      QVERIFY(good(skins.back()));
      keep();
    }
    const auto meets = [&] {
      for (const std::string& skin : skins) {
        QVERIFY(good(skin));
        int met = 0;
        for (const TopoDS_Edge& e : brep::edges(*body(skin))) {
          const auto path = brep::toPath(e);
          QVERIFY(path.has_value());
          if (std::abs(path->start().y()) > 1e-6 || std::abs(path->end().y()) > 1e-6) continue;
          ++met;
          for (int i = 0; i <= 50; ++i) VERIFY_AT_MOST(nurbs::closestPoint(curve(line), path->at(path->last() * i / 50)).distanceMm, 0.0005);
        }
        QCOMPARE(met, 1);
      }
    };
    meets();
    const auto before = body(skins[1]);
    w().focus().unfold(line);
    QVERIFY(settled());
    ++clicks_;
    drag(onScreen(on(20, 30)), onScreen(on(26, 40)));
    QVERIFY(body(skins[1]) != before);
    VERIFY_AT_MOST(nurbs::closestPoint(curve(line), {26, 0, 40}).distanceMm, 0.5);
    meets();
    keep();
    finished("J19", "bread_box_edge", 45);
  }
};

static test::Register<DrawnJobsTest> registeredDrawnJobsTest;
#include "drawn_jobs_test.moc"

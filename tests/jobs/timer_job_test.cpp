#include "jobs/job.h"

#include "brep/thicken_parts.h"
#include "inspect/joins.h"

#include <BRepBuilderAPI_MakeVertex.hxx>
#include <BRepExtrema_DistShapeShape.hxx>

using namespace lumsk;
using namespace lumsk::test;

/// The exterior of a timer: a top that is larger than needed, its offset beneath an even gap, a wall with draft, cut by each
/// other, mirrored twice and thickened; a plate out of the same top.
class TimerJobTest : public Job {
  Q_OBJECT

  /// A line drawn on a plane by its control points; it leaves its first one level.
  std::string line(const std::string& plane, const std::vector<Vec3>& points) {
    look(scene::ViewFrom::Corner);
    tool("curves", "drawing");
    const std::string id = draft();
    at(planeSeen(plane));
    [&] { QVERIFY(QTest::qWaitFor([&] { return w().board().open(); }, 3000)); }();
    press("draw-spline_control");
    for (const Vec3& p : points) at(p);
    ++keysTyped_;
    QTest::keyClick(&view(), Qt::Key_Return);
    [&] { QVERIFY(settled()); }();
    [&] { QVERIFY(good(id)); }();
    const auto& d = w().board().drawing();
    [&] { QVERIFY(std::any_of(d.relations.begin(), d.relations.end(), [](const auto& r) { return r.law == drawing::Law::Level; })); }();
    QTest::keyClick(&view(), Qt::Key_Escape);
    keep();
    look(scene::ViewFrom::Corner);
    return id;
  }
  std::string ellipse(const QString& width, const QString& depth, const QString& height) {
    tool("curves", "ring");
    const std::string id = draft();
    option("shape", "ellipse");
    enter("width", width);
    enter("depth", depth);
    enter("height", height);
    keep();
    return id;
  }
  Vec3 edgeFarAlong(const std::string& step, const Vec3& direction) {
    const auto b = body(step);
    Vec3 best = Vec3::Zero();
    for (size_t i = 0; i < b->edgeNames.size(); ++i)
      if (const Vec3 m = brep::signatureOf(*b, brep::PartKind::Edge, int(i)).middle; m.dot(direction) > best.dot(direction)) best = m;
    return best;
  }
  auto of(const std::string& step) {
    return [step](const scene::Hit& h) { return h.step == step && h.kind != recipe::Kind::Edge && h.kind != recipe::Kind::Point; };
  }
  void sight(const std::string& step, bool on) {
    ++keysTyped_;
    w().steps().setVisible({"b" + step.substr(1)}, on);
    QVERIFY(settled());
  }
  /// A quarter's mirror images in both planes, and the wall of the whole.
  std::string wallOf(const std::string& quarter, const QString& thickness) {
    std::string now = quarter;
    for (const char* plane : {"side", "front"}) {
      tool("trim", "mirror");
      const std::string id = draft();
      at(placeSeen(now, of(now)));
      press("pick-plane");
      at(planeSeen(plane));
      [&] { QVERIFY(good(id)); }();
      keep();
      now = id;
    }
    tool("solid", "thicken");
    const std::string id = draft();
    at(placeSeen(now, of(now)));
    enter("thickness", thickness);
    [&] { QVERIFY(good(id)); }();
    keep();
    return id;
  }

private slots:
  void theExteriorOfATimer() {
    // The top: where a line leaves the mirror plane level, it goes on into its image with equal curvature.
    const std::string centre = line("side", {{0, 0, 24}, {0, 24, 24}, {0, 48, 18.5}, {0, 66, 10.5}});
    const std::string half = line("front", {{0, 0, 24}, {16, 0, 24}, {32, 0, 19.5}, {46, 0, 12.8}});
    tool("surfaces", "sweep");
    const std::string top = draft();
    at(curve(half).at(0.6));
    at(curve(centre).at(0.6));
    option("frame", "parallel");
    QVERIFY(good(top));
    keep();
    tool("trim", "extend");
    const std::string larger = draft();
    at(edgeFarAlong(top, Vec3::UnitX()));
    at(edgeFarAlong(top, Vec3::UnitY()));
    enter("length", "10");
    QVERIFY(good(larger));
    keep();
    tool("trim", "offset");
    const std::string beneath = draft();
    at(placeSeen(larger, of(larger)));
    enter("distance", "-2.8");
    QVERIFY(good(beneath));
    keep();
    const std::string outline = ellipse("86", "116", "-6");
    tool("surfaces", "extrude");
    const std::string wall = draft();
    at(curve(outline).at(0.6));
    press("pick-part");
    enter("to", "0.25");
    enter("length", "40");
    enter("lean", "-4");
    QVERIFY(good(wall));
    keep();
    sight(top, false);
    tool("trim", "trim");
    const std::string cut = draft();
    at(placeSeen(beneath, of(beneath)));
    press("pick-body");
    at(placeSeen(wall, of(wall)));
    tick("mutual");
    option("keep", "back");
    QVERIFY(good(cut));
    QCOMPARE(result(cut)->outcome->outputs.size(), size_t(2));
    keep();
    tool("trim", "knit");
    const std::string quarter = draft();
    for (const auto& o : result(cut)->outcome->outputs)
      at(placeSeen(cut, [&](const scene::Hit& h) { return h.step == cut && h.part == o.name; }));
    QVERIFY(good(quarter));
    QCOMPARE(inspect::stateOf(*body(quarter)).faces, 2);
    keep();
    const std::string shell = wallOf(quarter, "1.8");
    QVERIFY(body(shell)->solid());
    // The plate.
    sight(beneath, false);
    sight(top, true);
    const std::string rim = ellipse("76", "103", "0");
    tool("trim", "trim");
    const std::string plate = draft();
    at(placeSeen(larger, of(larger)));
    at(curve(rim).at(0.6));
    press("pick-part");
    enter("to", "0.25");
    QVERIFY(good(plate));
    keep();
    const std::string lid = wallOf(plate, "2");
    QVERIFY(body(lid)->solid());
    for (const std::string& id : {shell, lid})
      for (const auto& j : inspect::joins(*body(id), {})) {
        if (!j.meantSmooth) continue;
        VERIFY_AT_MOST(j.angleDeg, 0.01);
        VERIFY_AT_MOST(j.curvatureRel, 0.01);
      }
    int looked = 0;
    for (const TopoDS_Face& f : brep::faces(*body(shell)))
      for (const Vec3& p : brep::pointsInside(f, 7)) {
        if (p.head<2>().cwiseQuotient(Vec2(36, 49)).norm() > 1 || p.z() < 8) continue;
        BRepExtrema_DistShapeShape d(BRepBuilderAPI_MakeVertex(gp_Pnt(p.x(), p.y(), p.z())).Vertex(), body(lid)->shape);
        if (d.Value() > 1.5) continue; // its inside
        ++looked;
        VERIFY_AT_MOST(std::abs(d.Value() - 0.8), 0.005);
      }
    QVERIFY(looked > 40);
    finished("J11", "timer_exterior", 140);
  }
};

static test::Register<TimerJobTest> registeredTimerJobTest;
#include "timer_job_test.moc"

#include "app/window.h"
#include "inspect/fill_volume.h"
#include "inspect/joins.h"
#include "nurbs/measure/arc_length.h"

using namespace lumsk;
using namespace lumsk::app;
using namespace lumsk::test;

/// The way half a body is made, from an empty window with mouse and keys: lines in two views, outlines snapped to them,
/// a network, its mirror image, knitted, covered, thickened, filled.
class HalfBodyTest : public WindowTestBase {
  Q_OBJECT

  /// Draws a spline by clicks at places as they are seen; returns its id.
  std::string spline(const std::vector<Vec3>& places) {
    click("tool-spline");
    settled();
    for (const Vec3& p : places) pickAt(p);
    const std::string id = w().session().draft();
    click("keep");
    settled();
    return id;
  }
  Vec3 stored(const std::string& step, size_t i) {
    const json& at = inputs(step)["points"][i]["at"];
    return {at[0].get<double>(), at[1].get<double>(), at[2].get<double>()};
  }
  const nurbs::Path& curve(const std::string& step) {
    return *std::get<recipe::CurvePtr>(result(step)->outcome->outputs[0].object);
  }
  Vec3 middle(const std::string& step) {
    const nurbs::Path& c = curve(step);
    return c.at(nurbs::ArcLength(c).parameterAtFraction(0.5));
  }
  /// Clicks a place; what is picked there for the field is of the step.
  void pickObject(const Vec3& p, const std::string& step, const std::string& field) {
    const QPoint q = onScreen(p);
    const auto taken = [&] {
      for (const json& x : inputs(w().session().draft()).value(field, json::array()))
        if (x["step"] == step) return true;
      return false;
    };
    QTest::mouseMove(&view(), q);
    QTest::qWait(30);
    QTest::mouseClick(&view(), Qt::LeftButton, {}, q);
    QVERIFY(settled());
    QVERIFY2(taken(), step.c_str());
  }

  void tool(const char* kind, Qt::Key stage) {
    keys(stage);
    click(QString("tool-") + kind);
    QVERIFY(settled());
    view().setFocus();
  }
  brep::BodyPtr body(const std::string& step) {
    return std::get<brep::BodyPtr>(result(step)->outcome->outputs[0].object);
  }
  const char* problemOf(const std::string& step) {
    static std::string text;
    text = result(step)->problem ? sentence(*result(step)->problem) : "";
    return text.c_str();
  }

private slots:
  void halfABodyIsMadeMirroredKnittedCoveredAndThickened() {
    QTest::keyClick(&view(), Qt::Key_1);
    // Two levels to snap to.
    for (const char* z : {"-40", "40"}) {
      click("tool-plane");
      QVERIFY(settled());
      type("distance", z);
      click("keep");
      QVERIFY(settled());
    }
    // Front and back lines in the side plane, seen from the right; their ends are not made square to it.
    keys(Qt::Key_Right, Qt::ControlModifier);
    const auto front = spline({{0, -40, -40}, {0, -52, 0}, {0, -30, 40}});
    const auto back = spline({{0, 38, -40}, {0, 50, 0}, {0, 30, 40}});
    for (const auto& id : {front, back}) {
      QVERIFY(result(id)->status == recipe::Status::Ok);
      QCOMPARE(QString::fromStdString(inputs(id).value("start", "free")), QString("free"));
      for (size_t i = 0; i < 3; ++i) QCOMPARE(stored(id, i).x(), 0.0);
      QCOMPARE(stored(id, 0).z(), -40.0);
      QCOMPARE(stored(id, 2).z(), 40.0);
    }
    keys(Qt::Key_Down, Qt::ControlModifier);
    const auto side = spline({{42, 0, -40}, {55, 0, 0}, {32, 0, 40}});
    for (size_t i = 0; i < 3; ++i) QCOMPARE(stored(side, i).y(), 0.0);

    // Outlines, seen from a corner: each point snaps to the end or the middle of a line, and both ends become square
    // to the mirror plane.
    keys(Qt::Key_Home, Qt::ControlModifier);
    std::vector<std::string> outlines;
    for (int level = 0; level < 3; ++level) {
      const auto at = [&](const std::string& id) {
        return level == 0 ? curve(id).start() : level == 2 ? curve(id).end() : middle(id);
      };
      outlines.push_back(spline({at(front), at(side), at(back)}));
      const std::string id = outlines.back();
      QVERIFY(result(id)->status == recipe::Status::Ok);
      VERIFY_AT_MOST((stored(id, 0) - at(front)).norm(), 1e-6);
      VERIFY_AT_MOST((stored(id, 1) - at(side)).norm(), 1e-6);
      VERIFY_AT_MOST((stored(id, 2) - at(back)).norm(), 1e-6);
      for (const char* end : {"start", "end"})
        QCOMPARE(QString::fromStdString(inputs(id).value(end, "free")), QString("perpendicular"));
    }

    // The network, its curves picked in any order.
    keys(Qt::Key_F);
    tool("network", Qt::Key_2);
    for (const auto& id : {outlines[1], front, outlines[2], back, side, outlines[0]})
      pickObject(curve(id).at(0.27 * curve(id).last()), id, "curves");
    const std::string network = w().session().draft();
    QVERIFY(result(network)->status == recipe::Status::Ok);
    QCOMPARE(inputs(network)["curves"].size(), size_t(6));
    for (const char* sideOf : {"left", "right"}) choose(sideOf, "perpendicular");
    QVERIFY(settled());
    QVERIFY(result(network)->status == recipe::Status::Ok);
    keys(Qt::Key_Return);
    QVERIFY(w().session().draft().empty());

    // Mirrored, the halves apart, then knitted to one skin.
    const auto skinPlace = [&](bool image) {
      const auto& s =
          *std::get<brep::BodyPtr>(result(network)->outcome->outputs[0].object)->natural.begin()->second.surface;
      Vec3 p = s.at(s.firstU() + 0.4 * (s.lastU() - s.firstU()), s.firstV() + 0.4 * (s.lastV() - s.firstV()));
      if (image) p.x() = -p.x();
      return p;
    };
    tool("mirror", Qt::Key_4);
    pickObject(skinPlace(false), network, "what");
    click("option-keep-copy");
    QVERIFY(settled());
    const std::string mirror = w().session().draft();
    QVERIFY(result(mirror)->status == recipe::Status::Ok);
    keys(Qt::Key_Return);
    QVERIFY(settled());
    QCOMPARE(w().model()->bodies.size(), size_t(2));
    tool("knit", Qt::Key_4);
    pickObject(skinPlace(false), network, "skins");
    pickObject(skinPlace(true), mirror, "skins");
    const std::string knit = w().session().draft();
    QVERIFY2(result(knit)->status == recipe::Status::Ok, problemOf(knit));
    keys(Qt::Key_Return);
    QVERIFY(settled());
    QCOMPARE(w().model()->bodies.size(), size_t(1));

    // The seam is square: no kink there.
    const auto seam = inspect::summarise(inspect::joins(*body(knit), w().recipe().tolerances));
    QCOMPARE(seam.smoothEdges, 2);
    VERIFY_AT_MOST(seam.gapMm, 0.001);
    VERIFY_AT_MOST(seam.angleDeg, 0.01);

    // The foot is covered by one pick of its edge, the wall goes inwards, the top stays open; then it is filled.
    keys(Qt::Key_F);
    tool("cover", Qt::Key_4);
    const nurbs::Path& foot = curve(outlines[0]);
    pickObject(foot.at(0.3 * foot.last()), knit, "edges");
    const std::string cover = w().session().draft();
    QVERIFY2(result(cover)->status == recipe::Status::Ok, problemOf(cover));
    keys(Qt::Key_Return);
    QVERIFY(settled());
    tool("thicken", Qt::Key_5);
    pickObject(skinPlace(false), cover, "skin");
    type("thickness", "1.5");
    QVERIFY(settled());
    const std::string wall = w().session().draft();
    QVERIFY2(result(wall)->status == recipe::Status::Ok, problemOf(wall));
    keys(Qt::Key_Return);
    QVERIFY(settled());
    const auto state = inspect::stateOf(*body(wall));
    QVERIFY(state.solid && state.valid && state.openEdges == 0);
    tool("fill_volume", Qt::Key_6);
    pickObject(skinPlace(false), wall, "body");
    const std::string fill = w().session().draft();
    QVERIFY2(result(fill)->status == recipe::Status::Ok, problemOf(fill));
    keys(Qt::Key_Return);
    QVERIFY(settled());
    // What it holds and its wall together fill the outside, measured on the covered skin.
    const double held = result(fill)->outcome->measured.at("filling").value;
    const auto outside = inspect::fillVolume(*body(cover), {}, {});
    VERIFY_OK(outside);
    VERIFY_AT_MOST(std::abs((held + state.volumeMm3) / outside->volumeMm3 - 1), 2e-4);
    auto* measured = window_->findChild<QLabel*>("measured");
    QVERIFY(measured && measured->text().startsWith("filling = "));
  }
};

static test::Register<HalfBodyTest> registeredHalfBodyTest;
#include "half_body_test.moc"

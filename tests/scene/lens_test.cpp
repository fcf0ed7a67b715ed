#include "nurbs/measure/closest.h"
#include "scene/lens_work.h"
#include "scene/lenses/cut/cut.h"
#include "scene/lenses/draft/draft.h"
#include "scene/lenses/isophotes/isophotes.h"
#include "scene/lenses/stripes/stripes.h"
#include "scene/lenses/wall/wall.h"
#include "scene/picker.h"
#include "shapes/bodies.h"
#include "support/recipes.h"

#include <set>

using namespace lumsk;
using namespace lumsk::test;
using scene::LensState;

namespace {

scene::LensResult seen(Bench& b, const LensState& lens) {
  scene::LensWork work;
  return work.make(scene::draw(b.run(), scene::Quality::Fine, nullptr), lens, false, {});
}

LensState lensWith(const std::string& key, const json& settings, const recipe::Names& names = {}) {
  LensState s;
  scene::turnOn(s, key, true);
  scene::take(s, key, settings, names);
  return s;
}

} // namespace

class LensTest : public QObject {
  Q_OBJECT
private slots:
  void anOwnDirectionComesBackFromItsSettings() {
    for (const char* lens : {"isophotes", "draft"})
      for (const Vec3& d : {Vec3(1, 2, 3), Vec3(-4, 0.5, -1), Vec3(0, 0, 1), Vec3(0, 0, -2), Vec3(0, -1, 0)}) {
        scene::LensState s;
        QVERIFY(!scene::directionOf(s)); // Shade has none
        scene::turnOn(s, lens, true);
        scene::take(s, lens, scene::ownDirection(d), {});
        VERIFY_AT_MOST((*scene::directionOf(s) - d.normalized()).norm(), 0.1 / 57); // tenths of a degree
      }
  }

  void everyLensCanBeTurnedOnAndOffAndHasAKeyOfItsOwn() {
    std::set<char> keys;
    for (const auto& lens : scene::lenses()) {
      LensState s;
      const std::string& key = lens->key();
      QVERIFY(!lens->label().empty() && !lens->help().empty());
      if (lens->peek()) QVERIFY(keys.insert(lens->peek()).second);
      QVERIFY(scene::isOn(s, key) == (key == "shade"));
      scene::turnOn(s, key, true);
      QVERIFY(scene::isOn(s, key));
      for (const auto& other : lens->excludes()) QVERIFY(scene::findLens(other));
      scene::turnOn(s, key, false);
      QVERIFY(scene::isOn(s, key) == (key == "shade"));
      QVERIFY(recipe::shapeError(lens->settings(), json::object()).empty());
      for (const auto& f : lens->settings()) QVERIFY(!f.help.empty());
    }
  }

  void settingsTakeExpressionsAndKeepDefaultsForWhatCannotBeRead() {
    const auto wall = lensWith("wall", {{"thin", "w / 2"}, {"thick", "1 cm"}}, {{"w", millimetres(3)}});
    QCOMPARE(wall.look<scene::WallLook>().thinMm, 1.5);
    QCOMPARE(wall.look<scene::WallLook>().thickMm, 10.0);
    QCOMPARE(lensWith("wall", {{"thin", "no such"}}).look<scene::WallLook>().thinMm, 1.2);
    QCOMPARE(lensWith("stripes", {{"count", "1e9"}}).look<scene::StripeLook>().count, 400.0); // within its bounds
    const auto own = lensWith("isophotes", {{"direction", "own"}, {"turn", "90"}, {"rise", "0"}});
    VERIFY_AT_MOST((own.look<scene::IsophoteLook>().direction - Vec3::UnitY()).norm(), 1e-12);
    const auto cut = lensWith("cut", {{"across", "y"}, {"at", 7}, {"turn", 90}, {"count", 3}, {"spacing", "2"}});
    VERIFY_AT_MOST((cut.look<scene::CutLook>().at(2).origin - 11 * cut.look<scene::CutLook>().plane.normal()).norm(), 1e-9);
    VERIFY_AT_MOST(std::abs(std::abs(cut.look<scene::CutLook>().plane.normal().x()) - 1), 1e-9);
  }

  void theWallLensFindsTheWallOfTheTumblerAndMarksThinOnes() {
    Bench b = tumbler();
    const auto good = seen(b, lensWith("wall", {{"thin", "1.9"}, {"thick", "4"}}));
    QVERIFY(good.spread.least);
    VERIFY_AT_MOST(std::abs(good.spread.least->value - 2), 0.005);
    VERIFY_AT_MOST(good.spread.share, 0);
    double sum = 0;
    for (double h : good.spread.histogram) sum += h;
    VERIFY_AT_MOST(std::abs(sum - 1), 1e-9);
    const auto thin = seen(b, lensWith("wall", {{"thin", "2.01"}}));
    QVERIFY(thin.spread.share > 0.9);
    // The skin before has no wall.
    b.recipe.steps.pop_back();
    QVERIFY(!seen(b, lensWith("wall", {})).spread.least);
  }

  void draftAndItsUndercutsAreFound() {
    Bench b;
    b.add("ring", {{"width", 40}, {"height", 0}});
    b.add("ring", {{"width", 60}, {"height", 50}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("thicken", {{"skin", picks({pick("s3")})}, {"thickness", "2"}});
    // Wider above: nowhere when pulled up and down; sideways the hollow is one.
    VERIFY_AT_MOST(seen(b, lensWith("draft", {})).spread.share, 0.001);
    const double hollow = seen(b, lensWith("draft", {{"direction", "side"}})).spread.share;
    QVERIFY(hollow > 0.33 && hollow < 0.55);
    // The tumbler has a waist.
    Bench waisted = tumbler();
    QVERIFY(seen(waisted, lensWith("draft", {})).spread.share > 0.3);
    // In one half everything that looks down is one.
    const auto one = seen(b, lensWith("draft", {{"halves", false}}));
    QVERIFY(one.spread.share > 0.4);
  }

  void curvatureRangesCoverWhatIsThere() {
    Bench b = tumbler();
    auto mean = seen(b, lensWith("curvature", {}));
    QVERIFY(mean.spread.low == -mean.spread.high && mean.spread.high > 0);
    QVERIFY(mean.spread.most->value >= mean.spread.high);
    const auto own = seen(b, lensWith("curvature", {{"shown", "radius"}, {"range", "own"}, {"low", 5}, {"high", 90}}));
    QCOMPARE(own.spread.low, 5.0);
    QCOMPARE(own.spread.high, 90.0);
    QVERIFY(own.spread.least->value > 0);
  }

  void deviationIsMeasuredToABodyAndToPoints() {
    Bench b = tumbler();
    const auto plain = seen(b, lensWith("deviation", {}));
    QVERIFY(!plain.spread.least); // there is nothing to compare with
    // The same skin moved by 0.4 mm along z.
    const std::string moved = b.add("loft", {{"sections", picks({pick("s2"), pick("s3")})}});
    const auto two = seen(b, lensWith("deviation", {{"to", "b" + moved.substr(1)}}));
    QVERIFY(two.spread.least);
    QCOMPARE(QString::fromStdString(two.target), QString::fromStdString(b.recipe.find(moved)->label));
  }

  void deviationUnderThePointerIsToTheTargetThatIsChosen() {
    Bench b;
    for (const auto& [w, h] : {std::pair{40, 0}, std::pair{40, 50}, std::pair{42, -5}, std::pair{42, 55}})
      b.add("ring", {{"width", w}, {"height", h}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("loft", {{"sections", picks({pick("s3"), pick("s4")})}});
    b.add("ghost", {{"file", b.file("one.xyz", "500 0 0\n")}});
    const auto scene = scene::draw(b.run(), scene::Quality::Fine, nullptr);
    scene::LensWork work;
    for (const char* to : {"b5", "b6"}) {
      const LensState lens = lensWith("deviation", {{"to", to}});
      work.make(scene, lens, false, {});
      const Vec3 eye(300, 0, 25), unit = -Vec3::UnitX();
      const bool outer = to == std::string("b5"); // measured from the other one
      const auto p = work.probe(scene, lens, outer ? "b6" : "b5", {outer ? 21.0 : 20.0, 0, 25}, eye, unit);
      QVERIFY(p && p->deviationMm);
      VERIFY_AT_MOST(std::abs(*p->deviationMm - (outer ? 1 : -1)), 1e-3);
    }
  }

  void measuredPointsAreColouredByTheirDistanceFromTheForm() {
    Bench b;
    b.add("ring", {{"width", 40}, {"height", 0}});
    b.add("ring", {{"width", 40}, {"height", 50}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    std::string table;
    for (int i = 0; i < 60; ++i) {
      const double a = 0.1 * i, r = 20 + 0.005 * i; // up to 0.295 outside
      table += std::to_string(r * std::cos(a)) + " " + std::to_string(r * std::sin(a)) + " " + std::to_string(0.8 * i) +
               "\n";
    }
    b.add("ghost", {{"file", b.file("scan.xyz", table)}});
    const auto r = seen(b, lensWith("deviation", {{"within", "0.1 mm"}, {"range", "0.5"}}));
    QVERIFY(r.spread.least && r.spread.most);
    VERIFY_AT_MOST(std::abs(std::abs(r.spread.most->value - r.spread.least->value) - 0.295), 2e-3);
    VERIFY_AT_MOST(std::abs(r.spread.share - 39.0 / 60), 0.02);
    size_t dots = 0;
    for (const auto& d : r.art.dots) dots += d.points.size();
    QCOMPARE(dots, size_t(60));
  }

  void whatLiesUnderThePointerIsMeasuredOnTheSurfaceItself() {
    Bench b = tumbler();
    const auto scene = scene::draw(b.run(), scene::Quality::Moving, nullptr);
    scene::LensWork work;
    LensState lens = lensWith("draft", {{"direction", "own"}, {"turn", 30}, {"rise", 20}});
    int found = 0;
    for (int k = 0; k < 40; ++k) {
      // Lines of sight towards the axis, from all round.
      const double a = 2 * kPi * k / 40, z = 8 + 95.0 * k / 40;
      const Vec3 eye(300 * std::cos(a), 300 * std::sin(a), z), unit(-std::cos(a), -std::sin(a), 0);
      const auto& body = scene->bodies.back();
      double along = 1e300;
      for (const auto& f : body.faces)
        if (const double w = scene::hitMesh(*f, eye, unit); w > 0) along = std::min(along, w);
      const auto p = work.probe(scene, lens, body.id, eye + along * unit, eye, unit);
      QVERIFY(p && p->wallMm);
      // It lies on the line of sight and on the skin's own spline, whose derivatives say the rest.
      const Vec3 off = p->place.point - eye;
      VERIFY_AT_MOST((off - off.dot(unit) * unit).norm(), 1e-6);
      const nurbs::Surface& s = *b.body("s5")->natural.begin()->second.surface;
      const auto on = nurbs::closestPoint(s, p->place.point);
      if (on.distanceMm > 1e-4) continue; // the rim's own faces
      const auto c = s.curvatures(on.u, on.v);
      const double turned = c.normal.dot(p->place.normal) > 0 ? 1 : -1;
      const double k1 = std::max(-turned * c.k1, -turned * c.k2), k2 = std::min(-turned * c.k1, -turned * c.k2);
      VERIFY_AT_MOST(std::abs(k1 - p->place.largest), 1e-6 * std::abs(k1));
      VERIFY_AT_MOST(std::abs(k2 - p->place.smallest), 1e-6 * std::max(std::abs(k1), std::abs(k2)));
      VERIFY_AT_MOST(std::abs(p->draftDeg - degFromRad(std::asin(turned * c.normal.dot(lens.look<scene::DraftLook>().pull)))), 1e-6);
      VERIFY_AT_MOST(std::abs(*p->wallMm - 2), 0.005);
      ++found;
    }
    QVERIFY(found > 25);
  }

  void combsCutsAndControlPointsAreDrawnWhereTheFormIs() {
    Bench b = tumbler();
    LensState s = lensWith("combs", {{"isolines", true}, {"stack", true}, {"sections", 5}});
    scene::turnOn(s, "points", true);
    scene::turnOn(s, "cut", true);
    scene::take(s, "cut", {{"across", "z"}, {"at", "60"}}, {});
    const auto r = seen(b, s);
    QVERIFY(r.art.teeth.size() > 20);
    QCOMPARE(int(r.cuts.size()), 1); // the wall's body; the skin is used up
    QVERIFY(!r.art.fill.empty());
    for (const auto& t : r.art.fill)
      for (const Vec3& p : t) VERIFY_AT_MOST(std::abs(p.z() - 60), 1e-9);
    VERIFY_AT_MOST(std::abs(r.cuts[0].second.thinnest->mm - 2), 0.2); // the wall leans: it is wider in the plane
    size_t points = 0;
    for (const auto& d : r.art.dots) points = std::max(points, d.points.size());
    QVERIFY(points >= size_t(b.body("s6")->natural.begin()->second.surface->controlPoints()));
  }

  void onlyChosenBodiesAreLookedAt() {
    Bench b = tumbler();
    LensState s = lensWith("curvature", {});
    s.only = {"b99"};
    QVERIFY(seen(b, s).values.empty());
  }

  void coloursAreTheSameInTheLegendAsInTheShader() {
    const auto low = scene::fieldColour(-1), high = scene::fieldColour(2), middle = scene::fieldColour(0.5);
    QVERIFY(low[0] < 0.2 && high[0] > 0.6 && middle[0] > 0.9);
    // Lightness falls to both sides, so that the ends are told apart from the middle without colours.
    const auto light = [](const auto& c) { return 0.3 * c[0] + 0.6 * c[1] + 0.1 * c[2]; };
    QVERIFY(light(low) < light(scene::fieldColour(0.25)) && light(scene::fieldColour(0.25)) < light(middle));
    QVERIFY(light(high) < light(scene::fieldColour(0.75)) && light(scene::fieldColour(0.75)) < light(middle));
  }
};
static test::Register<LensTest> registeredLensTest;
#include "lens_test.moc"

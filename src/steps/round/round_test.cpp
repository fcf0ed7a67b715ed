#include "brep/convert.h"
#include "inspect/joins.h"
#include "nurbs/measure/closest.h"
#include "support/solids.h"

using namespace lumsk;
using namespace lumsk::test;

namespace round_test {

/// The name of the edge nearest to a place.
std::string edgeAt(const brep::Body& b, const Vec3& p) {
  std::string best;
  double nearest = 1e300;
  const auto all = brep::edges(b);
  for (size_t i = 0; i < all.size(); ++i)
    if (const auto path = brep::toPath(all[i]))
      if (const double d = nurbs::closestPoint(*path, p).distanceMm; d < nearest) nearest = d, best = b.edgeNames[i];
  return best;
}

std::string roundAt(Bench& b, const std::string& step, std::initializer_list<Vec3> places, double size, json more = json::object()) {
  b.run();
  json edges = json::array();
  for (const Vec3& p : places) edges.push_back(pick(step, "edge", edgeAt(*b.body(step), p)));
  json inputs{{"edges", edges}, {"size", size}};
  inputs.update(more);
  return b.add("round", std::move(inputs));
}

/// Joins of a step's new faces with the others: the worst angle.
double worstContact(Bench& b, const std::string& id) {
  double worst = 0;
  for (const auto& j : inspect::joins(*b.body(id), Tolerances()))
    if (j.asked == Meets::G1 || j.asked == Meets::G2) worst = std::max(worst, j.angleDeg);
  return worst;
}

} // namespace round_test
using namespace round_test;

class RoundStepTest : public QObject {
  Q_OBJECT
private slots:
  void rimsOfDiscsByPappus() {
    Bench b;
    const auto drum = prism(b, disc(60), 20);
    const auto made = roundAt(b, drum, {Vec3(0, 30, 20)}, 3);
    b.run();
    VERIFY_STEP(b, made);
    const double r = 3, area = r * r * (1 - kPi / 4), centroid = 30 - r * (10 - 3 * kPi) / (12 - 3 * kPi);
    VERIFY_AT_MOST(std::abs((kPi * 900 * 20 - solidVolume(b, made)) / (2 * kPi * centroid * area) - 1), 2e-3);
    VERIFY_AT_MOST(worstContact(b, made), 0.01);
  }

  void freeformRimsConvexAndConcave() {
    Bench b;
    json sections = json::array();
    for (const auto& [z, w, d] : {std::tuple{0, 40, 30}, {15, 60, 44}, {35, 64, 46}, {60, 44, 34}})
      sections.push_back(pick(b.add("ring", {{"shape", "ellipse"}, {"width", w}, {"depth", d}, {"height", z}})));
    const auto body = b.add("loft", {{"sections", sections}, {"solid", true}});
    for (const char* section : {"round", "conic", "smooth"}) {
      const auto made = roundAt(b, body, {Vec3(0, 17, 60)}, 3, {{"section", section}});
      b.run();
      VERIFY_STEP(b, made);
      VERIFY_AT_MOST(worstContact(b, made), 0.01);
      QVERIFY(solidVolume(b, made) > 0);
      b.recipe = b.recipe.without(made);
    }
    const auto post = prism(b, disc(16, 4, 2, 40), 40, {{"target", picks({pick(body, "solid")})}, {"combine", "add"}});
    const auto foot = roundAt(b, post, {Vec3(4, 10, 60)}, 2.5);
    b.run();
    VERIFY_STEP(b, foot);
    QVERIFY(solidVolume(b, foot) > solidVolume(b, post));
    VERIFY_AT_MOST(worstContact(b, foot), 0.01);
  }

  void edgesOfBoxesEndInTheirFaces() {
    Bench b;
    const auto box = prism(b, block(40, 30), 20);
    const auto made = roundAt(b, box, {Vec3(20, 0, 20)}, 4);
    b.run();
    VERIFY_STEP(b, made);
    VERIFY_AT_MOST(std::abs((40 * 30 * 20 - solidVolume(b, made)) / (30 * 16 * (1 - kPi / 4)) - 1), 2e-3);
    VERIFY_AT_MOST(worstContact(b, made), 0.01);
  }
};

static test::Register<RoundStepTest> registeredRoundStepTest;
#include "round_test.moc"

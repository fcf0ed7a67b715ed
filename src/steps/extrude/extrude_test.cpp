#include "brep/names.h"
#include "brep/skin.h"
#include "support/recipes.h"
#include "support/solids.h"

#include <BRep_Tool.hxx>

using namespace lumsk;
using namespace lumsk::test;

class ExtrudeStepTest : public QObject {
  Q_OBJECT

  static std::string rectangle(Bench& b, double x, double y, double z) {
    return polyline(b, {{-x, -y, z}, {x, -y, z}, {x, y, z}, {-x, y, z}, {-x, -y, z}});
  }

  static std::pair<double, double> heights(const brep::BodyPtr& body) {
    double low = 1e300, high = -1e300;
    for (const TopoDS_Vertex& v : brep::vertices(*body)) {
      const double z = BRep_Tool::Pnt(v).Z();
      low = std::min(low, z), high = std::max(high, z);
    }
    return {low, high};
  }

private slots:
  void lengthsWaysAndDirectionsGiveTheirVolumes() {
    Bench b;
    const auto ring = b.add("ring", {{"width", 10}, {"height", 5}});
    const auto line = polyline(b, {{0, 0, 0}, {10, 0, 10}});
    const auto made = b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", 30}, {"solid", true}});
    b.run();
    VERIFY_STEP(b, made);
    VERIFY_AT_MOST(std::abs(volume(b.body(made)) / (kPi * 25 * 30) - 1), 1e-4);
    const auto reaches = [&](double low, double high) {
      b.run();
      if (b.result(made).status != recipe::Status::Ok) return false;
      const auto [from, to] = heights(b.body(made));
      return std::abs(from - low) < 1e-3 && std::abs(to - high) < 1e-3;
    };
    QVERIFY(reaches(5, 35));
    b.set(made, "length", -12);
    QVERIFY(reaches(-7, 5));
    b.set(made, "length", 30);
    b.set(made, "ways", "even");
    QVERIFY(reaches(-10, 20));
    b.set(made, "ways", "both");
    b.set(made, "back", 4);
    QVERIFY(reaches(1, 35));
    // Along a slanted line.
    b.set(made, "ways", "one");
    b.set(made, "direction", picks({pick(line)}));
    QVERIFY(reaches(5, 5 + 30 / std::sqrt(2.0)));
    VERIFY_AT_MOST(std::abs(volume(b.body(made)) / (kPi * 25 * 30 / std::sqrt(2.0)) - 1), 1e-4);
  }

  void wallsLeanAndMeetAtCorners() {
    Bench b;
    const auto box = rectangle(b, 20, 10, 0);
    const auto made = b.add("extrude", {{"sections", picks({pick(box)})}, {"length", 15}, {"lean", -10}, {"solid", true}});
    const auto ring = b.add("ring", {{"width", 30}, {"depth", 20}, {"shape", "ellipse"}, {"height", 0}});
    const auto oval = b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", 10}, {"lean", 20}});
    b.run();
    VERIFY_STEP(b, made);
    const double t = 15 * std::tan(radFromDeg(10)), top = 4 * (20 - t) * (10 - t);
    const double middle = 4 * (20 - t / 2) * (10 - t / 2);
    VERIFY_AT_MOST(std::abs(volume(b.body(made)) / (15 * (800 + 4 * middle + top) / 6) - 1), 1e-6);
    VERIFY_STEP(b, oval);
    const nurbs::Surface& s = *b.body(oval)->natural.begin()->second.surface;
    for (int i = 0; i < 40; ++i)
      for (const double v : {0.0, 0.5, 1.0})
        VERIFY_AT_MOST(std::abs(std::abs(degFromRad(std::asin(s.normal(i / 40.0, v).z()))) - 20), 0.01);
    // Both ways each side leans from the profile.
    b.set(made, "ways", "even");
    b.run();
    VERIFY_STEP(b, made);
    QCOMPARE(int(b.body(made)->faceNames.size()), 10);
    const double h = 7.5 * std::tan(radFromDeg(10));
    VERIFY_AT_MOST(std::abs(volume(b.body(made)) / (2 * 7.5 * (800 + 16 * (20 - h / 2) * (10 - h / 2) + 4 * (20 - h) * (10 - h)) / 6) - 1), 1e-6);
  }

  void frontsOfWallsThatLeanBothWaysAreOutside() {
    Bench b;
    const auto box = rectangle(b, 20, 10, 0);
    const auto made = b.add("extrude", {{"sections", picks({pick(box)})}, {"length", 15}, {"lean", -10}, {"ways", "even"}});
    b.run();
    VERIFY_STEP(b, made);
    QCOMPARE(b.body(made)->natural.size(), size_t(8));
    for (const auto& [name, face] : b.body(made)->natural) {
      const nurbs::Surface& s = *face.surface;
      const Vec3 at = s.at(0.5 * (s.firstU() + s.lastU()), 0.5);
      QVERIFY((face.reversed ? -1 : 1) * s.normal(0.5 * (s.firstU() + s.lastU()), 0.5).dot(Vec3(at.x(), at.y(), 0)) > 0);
    }
  }

  void openingsOfFacesAndLettersStayOpen() {
    Bench b;
    const auto outer = b.add("ring", {{"width", 40}, {"height", 0}}), inner = b.add("ring", {{"width", 20}, {"height", 0}});
    const auto island = b.add("ring", {{"width", 6}, {"height", 0}});
    const auto made = b.add("extrude", {{"sections", picks({pick(outer), pick(inner), pick(island)})}, {"length", 8}, {"solid", true}});
    b.run();
    VERIFY_STEP(b, made);
    QCOMPARE(int(b.result(made).outcome->outputs.size()), 2); // the plate with its opening, the island
    VERIFY_AT_MOST(std::abs(volume(b.body(made)) / (kPi * (400 - 100) * 8) - 1), 1e-4);
    // Its top face goes on, opening and all.
    int top = -1;
    for (size_t i = 0; i < b.body(made)->faceNames.size(); ++i)
      if (const auto s = brep::signatureOf(*b.body(made), brep::PartKind::Face, int(i)); s.direction.z() > 0.9) top = int(i);
    QVERIFY(top >= 0);
    const auto more = b.add("extrude", {{"sections", picks({pick(made, "face", b.body(made)->faceNames[size_t(top)])})}, {"length", 5},
                                        {"solid", true}, {"target", picks({pick(made)})}, {"combine", "add"}});
    b.run();
    VERIFY_STEP(b, more);
    VERIFY_AT_MOST(std::abs(volume(b.body(more)) / (kPi * (400 - 100) * 13) - 1), 1e-3);
  }

  void itEndsInSlantedPlanesAndFlatFaces() {
    Bench b;
    const auto ring = b.add("ring", {{"width", 10}, {"height", 0}});
    const auto line = polyline(b, {{-9, -9, 20}, {9, -9, 26}});
    const auto roof = b.add("extrude", {{"sections", picks({pick(line)})}, {"direction", picks({pick("world", "plane", "front")})}, {"length", 40}, {"ways", "even"}});
    const auto made = b.add("extrude", {{"sections", picks({pick(ring)})}, {"solid", true}, {"upTo", picks({pick("world", "plane", "top")})}});
    b.run();
    QCOMPARE(b.code(made), std::string("LM-X004")); // it lies in that plane
    VERIFY_STEP(b, roof);
    b.set(made, "upTo", picks({pick(roof, "face", b.body(roof)->faceNames.front())}));
    b.run();
    VERIFY_STEP(b, made);
    VERIFY_AT_MOST(std::abs(volume(b.body(made)) / (kPi * 25 * 23) - 1), 1e-4);
    // Leaning, and below.
    b.set(made, "lean", 5);
    b.run();
    VERIFY_STEP(b, made);
    QVERIFY(volume(b.body(made)) > kPi * 25 * 26);
  }

  void itEndsAtBodiesInItsWay() {
    Bench b;
    const auto low = b.add("ring", {{"width", 40}, {"height", -30}}), high = b.add("ring", {{"width", 40}, {"height", 30}});
    const auto rod = b.add("loft", {{"sections", picks({pick(low), pick(high)})}, {"solid", true}});
    const auto plane = b.add("plane", {{"base", picks({pick("world", "plane", "front")})}, {"distance", 50}});
    const auto ring = b.add("ring", {{"width", 10}, {"plane", picks({pick(plane, "plane")})}});
    const auto made = b.add("extrude", {{"sections", picks({pick(ring)})}, {"upTo", picks({pick(rod, "solid")})}, {"solid", true}});
    b.run();
    VERIFY_STEP(b, made);
    // From the plane, 50 mm from the axis, to the cylinder of radius 20: the integral over the bore's disc.
    double expected = 0;
    constexpr int kParts = 400;
    for (int i = 0; i < kParts; ++i)
      for (int j = 0; j < kParts; ++j) {
        const double x = -5 + 10 * (i + 0.5) / kParts, y = -5 + 10 * (j + 0.5) / kParts;
        if (x * x + y * y < 25) expected += (50 - std::sqrt(400 - x * x)) * 100.0 / (kParts * kParts);
      }
    VERIFY_AT_MOST(std::abs(volume(b.body(made)) / expected - 1), 1e-3);
    // As a skin, and as one with what it ends at.
    b.set(made, "solid", false);
    b.run();
    VERIFY_STEP(b, made);
    QVERIFY(!b.body(made)->solid());
    b.set(made, "solid", true);
    b.set(made, "target", picks({pick(rod, "solid")}));
    b.run();
    VERIFY_STEP(b, made);
    VERIFY_AT_MOST(std::abs(volume(b.body(made)) / (expected + kPi * 400 * 60) - 1), 1e-3);
    b.set(ring, "width", 50);
    b.run();
    QCOMPARE(b.code(made), std::string("LM-X008"));
    QVERIFY(!b.result(made).problem->where.empty());
  }

  void cutsGoThroughAllTargets() {
    Bench b;
    const auto plate = prism(b, block(60, 40), 10);
    const auto other = b.add("move", {{"what", picks({pick(plate, "solid")})}, {"z", 50}, {"copy", true}});
    const auto ring = b.add("ring", {{"width", 10}, {"height", 25}});
    const auto cut = b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", 3}, {"solid", true}, {"target", picks({pick(plate, "solid"), pick(other, "solid")})}, {"combine", "cut"}, {"through", true}});
    b.run();
    const double whole = 60 * 40 * 10, less = kPi * 25 * 10;
    const auto left = [&](size_t k) { return solidVolume(b, cut, k == 0 ? "" : b.result(cut).outcome->outputs[k].name); };
    // The ring lies between: above it the upper one alone is met.
    QCOMPARE(b.code(cut), std::string("LM-B010"));
    b.set(cut, "ways", "even");
    b.run();
    VERIFY_STEP(b, cut);
    for (size_t k : {0, 1}) VERIFY_AT_MOST(std::abs(left(k) / (whole - less) - 1), 1e-4);
    b.set(cut, "ways", "one");
    b.set(cut, "length", -3);
    b.set(cut, "target", picks({pick(plate, "solid")}));
    b.run();
    VERIFY_STEP(b, cut);
    VERIFY_AT_MOST(std::abs(left(0) / (whole - less) - 1), 1e-4);
    // There is nothing above: it goes to where the target is.
    b.set(cut, "length", 3);
    b.run();
    VERIFY_STEP(b, cut);
    VERIFY_AT_MOST(std::abs(left(0) / (whole - less) - 1), 1e-4);
  }

  void linesBecomeGroovesAndRibs() {
    Bench b;
    const auto plate = prism(b, block(60, 40), 10);
    const auto bent = polyline(b, {{-20, -10, 10}, {0, -10, 10}, {0, 12, 10}});
    const auto groove = b.add("extrude", {{"sections", picks({pick(bent)})}, {"length", -2}, {"wall", "middle"}, {"left", 3}, {"solid", true}, {"target", picks({pick(plate, "solid")})}, {"combine", "cut"}});
    const auto straight = polyline(b, {{-20, 0, 0}, {20, 0, 0}});
    const auto rib = b.add("extrude", {{"sections", picks({pick(straight)})}, {"length", 8}, {"wall", "both"}, {"left", 1}, {"right", 2}, {"solid", true}});
    const auto ring = b.add("ring", {{"width", 20}, {"height", 0}});
    const auto tube = b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", 5}, {"wall", "left"}, {"left", 2}, {"solid", true}});
    const auto tight = b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", 5}, {"wall", "middle"}, {"left", 30}, {"solid", true}});
    const auto none = b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", 5}, {"wall", "middle"}, {"left", 0}, {"solid", true}});
    b.run();
    VERIFY_STEP(b, groove);
    // Round the outside of its corner there is a quarter disc, inside the sides meet.
    const double r = 1.5, band = 3 * (20 + 22) - r * r + kPi * r * r / 4;
    VERIFY_AT_MOST(std::abs((60 * 40 * 10 - volume(b.body(groove))) / (2 * band) - 1), 1e-4);
    VERIFY_STEP(b, rib);
    VERIFY_AT_MOST(std::abs(volume(b.body(rib)) - 40 * 3 * 8), 1e-4);
    const auto box = brep::boxCorners(b.body(rib)->shape);
    double right = 0;
    for (const Vec3& c : box) right = std::min(right, c.y());
    VERIFY_AT_MOST(std::abs(right + 2), 1e-3); // its line runs along x: its right is below
    VERIFY_STEP(b, tube);
    VERIFY_AT_MOST(std::abs(volume(b.body(tube)) / (kPi * (100 - 64) * 5) - 1), 1e-3); // a ring runs anticlockwise: its left is inside
    QVERIFY(b.code(tight) == "LM-P059" || b.code(tight) == "LM-P052");
    QCOMPARE(b.code(none), std::string("LM-P052"));
  }

  void whatCannotBeIsToldWithItsPlace() {
    Bench b;
    const auto flat = rectangle(b, 10, 4, 0);
    const auto along = polyline(b, {{0, 0, 0}, {5, 0, 0}});
    const auto inPlane = b.add("extrude", {{"sections", picks({pick(flat)})}, {"direction", picks({pick(along)})}});
    const auto none = b.add("extrude", {{"sections", picks({pick(flat)})}, {"length", 0}});
    const auto steep = b.add("extrude", {{"sections", picks({pick(flat)})}, {"length", 20}, {"lean", -30}});
    const auto open = b.add("extrude", {{"sections", picks({pick(along)})}, {"solid", true}});
    b.run();
    QCOMPARE(b.code(inPlane), std::string("LM-X002"));
    QCOMPARE(b.code(none), std::string("LM-X001"));
    QCOMPARE(b.code(steep), std::string("LM-X003"));
    QCOMPARE(b.code(open), std::string("LM-L034"));
    for (const auto& id : {inPlane, none, steep, open}) QVERIFY(!b.result(id).problem->where.empty());
    const auto& offers = b.result(steep).problem->remedies;
    QVERIFY(!offers.empty() && offers.front().field == "lean");
    b.set(steep, "lean", offers.front().value);
    b.run();
    VERIFY_STEP(b, steep);
  }
};

static test::Register<ExtrudeStepTest> registeredExtrudeStepTest;
#include "extrude_test.moc"

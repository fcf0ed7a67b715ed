#include "brep/thicken_parts.h"
#include "inspect/joins.h"
#include "nurbs/measure/closest.h"
#include "support/solids.h"

#include <cmath>

using namespace lumsk;
using namespace lumsk::test;

namespace zones_test {

/// A wavy skin of 100 by 120 mm; ring(x, y, ...) puts an ellipse above it.
struct Skin {
  Bench b;
  std::string skin;
  Skin() {
    json sections = json::array();
    for (int k = 0; k < 4; ++k) {
      const double y = -60 + 40 * k;
      sections.push_back(pick(spline(b, {{{-50, y, 4 * std::sin(double(k))}}, {{-15, y + 2, 12.0 + 3 * k}}, {{20, y - 3, 10.0 - 2 * k}}, {{50, y, 2.0 * k}}})));
    }
    skin = b.add("loft", {{"sections", sections}});
  }
  std::string ring(double x, double y, double width, double depth) {
    return b.add("ring", {{"shape", "ellipse"}, {"width", width}, {"depth", depth}, {"x", x}, {"y", y}, {"height", 40}});
  }
  json zone(const std::string& of, double value, const std::string& how, double width = 6) {
    json z = pick(of);
    z["value"] = value, z["how"] = how, z["width"] = width;
    return z;
  }
  std::string thicken(json zones, json more = json::object()) {
    json inputs{{"skin", picks({pick(skin, "skin")})}, {"thickness", 2}, {"zones", std::move(zones)}};
    inputs.update(more);
    return b.add("thicken", std::move(inputs));
  }
  const nurbs::Surface& surface() { return *b.body(skin)->natural.begin()->second.surface; }
};

/// Places of the faces of one kind and the distance of each from the skin.
struct Wall {
  Vec3 at;
  double mm;
};
std::vector<Wall> wallsOf(const brep::Body& solid, const nurbs::Surface& skin, const std::string& kind, int across = 9) {
  std::vector<Wall> out;
  const auto all = brep::faces(solid);
  for (size_t i = 0; i < all.size(); ++i)
    if (solid.faceNames[i].find("." + kind + "(") != std::string::npos)
      for (const Vec3& p : brep::pointsInside(all[i], across)) out.push_back({p, nurbs::closestPoint(skin, p).distanceMm});
  return out;
}

/// How far a place is outside an ellipse about a centre, by scaling it: below nought inside.
double outside(const Vec3& p, double x, double y, double width, double depth) {
  return std::hypot((p.x() - x) / (0.5 * width), (p.y() - y) / (0.5 * depth)) - 1;
}

} // namespace zones_test
using namespace zones_test;

class ThickenZonesTest : public QObject {
  Q_OBJECT
private slots:
  void everyKindOfTransitionGivesTheAskedWalls() {
    for (const char* how : {"step", "straight", "tangent", "curvature"}) {
      Skin s;
      const auto ring = s.ring(5, 8, 40, 26);
      const auto wall = s.thicken(json::array({s.zone(ring, 4, how)}));
      s.b.run();
      VERIFY_STEP(s.b, wall);
      QVERIFY(solidVolume(s.b, wall) > 0);
      const auto walls = wallsOf(*s.b.body(wall), s.surface(), "back", 16);
      QVERIFY(walls.size() > 200);
      int thick = 0, thin = 0;
      for (const Wall& w : walls) {
        // The inner face lies along the normal from its place on the skin: seen from above it has moved a little.
        const double off = outside(w.at, 5, 8, 40, 26);
        if (off < -0.5) {
          VERIFY_AT_MOST(std::abs(w.mm - 4), 0.005);
          ++thick;
        }
        if (off > 0.5) {
          VERIFY_AT_MOST(std::abs(w.mm - 2), 0.005);
          ++thin;
        }
        QVERIFY(w.mm > 2 - 0.005 && w.mm < 4 + 0.005);
      }
      QVERIFY(thick > 5 && thin > 100);
      // One face in front, as it was.
      const auto names = s.b.body(wall)->faceNames;
      QCOMPARE(std::count_if(names.begin(), names.end(), [](const std::string& n) { return n.find(".front(") != std::string::npos; }), 1);
      if (std::string(how) == "tangent" || std::string(how) == "curvature") {
        int smooth = 0;
        for (const auto& j : inspect::joins(*s.b.body(wall), Tolerances())) {
          if (!j.meantSmooth) continue;
          ++smooth;
          VERIFY_AT_MOST(j.angleDeg, 0.05);
          if (std::string(how) == "curvature") {
            VERIFY_AT_MOST(j.curvatureRel, 0.01);
          }
        }
        QCOMPARE(smooth, 9); // three parts of the ring, each with both its sides and an end
        QCOMPARE(s.b.body(wall)->asked.size(), size_t(9));
      }
    }
  }

  void zonesLieWithinOneAnotherAndReachTheBorder() {
    for (const char* how : {"step", "curvature"}) {
      Skin s;
      const auto large = s.ring(0, 0, 60, 60), small = s.ring(0, 5, 20, 16), side = s.ring(48, -35, 30, 24);
      const auto plane = s.b.add("plane", {{"base", picks({pick("world", "plane", "front")})}, {"distance", -50}});
      json beyond = s.zone(plane, 1.4, how);
      beyond["flip"] = true; // the plane's normal looks to the front
      const auto wall = s.thicken(json::array({s.zone(large, 3, how), s.zone(small, 1, how, 4), s.zone(side, 2.8, how), beyond}));
      s.b.run();
      VERIFY_STEP(s.b, wall);
      QVERIFY(solidVolume(s.b, wall) > 0);
      int in[5] = {};
      for (const Wall& w : wallsOf(*s.b.body(wall), s.surface(), "back", 24)) {
        const auto is = [&](int zone, double mm) {
          VERIFY_AT_MOST(std::abs(w.mm - mm), 0.005);
          ++in[zone];
        };
        if (outside(w.at, 0, 5, 20, 16) < -0.6) is(0, 1);
        else if (outside(w.at, 0, 0, 60, 60) < -0.25 && outside(w.at, 0, 5, 20, 16) > 0.6) is(1, 3);
        else if (outside(w.at, 48, -35, 30, 24) < -0.5) is(2, 2.8);
        else if (w.at.y() > 56) is(3, 1.4);
        else if (outside(w.at, 0, 0, 60, 60) > 0.3 && outside(w.at, 48, -35, 30, 24) > 0.6 && w.at.y() < 42) is(4, 2);
      }
      for (int n : in) QVERIFY2(n > 0, qPrintable(QString("%1: %2 %3 %4 %5 %6").arg(how).arg(in[0]).arg(in[1]).arg(in[2]).arg(in[3]).arg(in[4])));
    }
  }

  void wallsOutwardAndToBothSides() {
    for (const char* side : {"out", "both"}) {
      Skin s;
      const auto ring = s.ring(5, 8, 40, 26);
      const auto wall = s.thicken(json::array({s.zone(ring, 4, "curvature")}), {{"side", side}});
      s.b.run();
      VERIFY_STEP(s.b, wall);
      QVERIFY(solidVolume(s.b, wall) > 0);
      const double share = std::string(side) == "out" ? 1 : 0.5;
      for (const Wall& w : wallsOf(*s.b.body(wall), s.surface(), "front")) {
        const double off = outside(w.at, 5, 8, 40, 26);
        if (off < -0.5) {
          VERIFY_AT_MOST(std::abs(w.mm - share * 4), 0.005);
        }
        if (off > 0.5) {
          VERIFY_AT_MOST(std::abs(w.mm - share * 2), 0.005);
        }
      }
    }
  }

  void bandsAndPatchesOfClosedSkinsAndSolids() {
    for (const char* how : {"step", "curvature"}) {
      Bench b = tumbler();
      const auto low = b.add("plane", {{"distance", 30}}), beside = b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", 60}});
      const auto patch = b.add("ring", {{"plane", picks({pick(beside)})}, {"shape", "ellipse"}, {"width", 24}, {"depth", 30}, {"y", 70}});
      json band = pick(low), seam = pick(patch); // the patch lies over the skin's seam
      band["value"] = 3, band["how"] = how, band["flip"] = true, seam["value"] = 1.2, seam["how"] = how;
      b.recipe = b.recipe.without("s6");
      const auto wall = b.add("thicken", {{"skin", picks({pick("s5", "skin")})}, {"thickness", 2}, {"zones", json::array({band, seam})}});
      b.run();
      VERIFY_STEP(b, wall);
      QVERIFY(solidVolume(b, wall) > 0);
      const nurbs::Surface& skin = *b.body("s5")->natural.begin()->second.surface;
      int bottom = 0, rest = 0, thin = 0;
      for (const Wall& w : wallsOf(*b.body(wall), skin, "back", 20)) {
        if (w.at.z() < 24) {
          VERIFY_AT_MOST(std::abs(w.mm - 3), 0.005);
          ++bottom;
        }
        if (w.at.z() > 36 && w.at.x() < 20) {
          VERIFY_AT_MOST(std::abs(w.mm - 2), 0.005);
          ++rest;
        }
        if (w.at.x() > 0 && std::hypot(w.at.y() / 12, (w.at.z() - 70) / 15) < 0.6) {
          VERIFY_AT_MOST(std::abs(w.mm - 1.2), 0.005);
          ++thin;
        }
      }
      QVERIFY(bottom > 5 && rest > 50 && thin > 0);
    }
    // A hollowed solid, its top left open.
    Bench b;
    const auto drum = prism(b, disc(60), 50);
    b.run();
    const auto spot = b.add("ring", {{"shape", "circle"}, {"width", 24}, {"height", -10}});
    json zone = pick(spot);
    zone["value"] = 5, zone["how"] = "curvature", zone["width"] = 6;
    const auto cup = b.add("thicken", {{"skin", picks({pick(drum, "solid")})}, {"open", picks({pick(drum, "face", faceTowards(*b.body(drum), Vec3::UnitZ()))})}, {"thickness", 2}, {"zones", json::array({zone})}});
    b.run();
    VERIFY_STEP(b, cup);
    // Two cylinders, and the pad on the floor: three more within the transition's middle, as its course is even about it.
    const double plain = kPi * (900 * 50 - 784 * 48), pad = solidVolume(b, cup) - plain;
    VERIFY_AT_MOST(std::abs(pad / (3 * kPi * 144) - 1), 0.06);
  }

  void anOffsetRisesAndFalls() {
    for (const char* how : {"step", "curvature"}) {
      Skin s;
      const auto ring = s.ring(5, 8, 40, 26);
      const auto off = s.b.add("offset", {{"of", picks({pick(s.skin, "skin")})}, {"distance", -1}, {"zones", json::array({s.zone(ring, 1.5, how)})}});
      s.b.run();
      VERIFY_STEP(s.b, off);
      const auto state = inspect::stateOf(*s.b.body(off));
      QVERIFY(state.valid && !state.solid);
      QCOMPARE(state.openings.size(), size_t(1)); // the border alone: the step is closed
      // From one side of the skin to the other is no trouble; past a concave radius it is, on whichever side.
      for (double most : {-0.5, -60.0}) {
        const auto over = s.b.add("offset", {{"of", picks({pick(s.skin, "skin")})}, {"distance", 1}, {"zones", json::array({s.zone(ring, most, "curvature")})}});
        s.b.run();
        if (most > -1) VERIFY_STEP(s.b, over);
        else QVERIFY(s.b.code(over) == "LM-T001" || s.b.code(over) == "LM-T005");
      }
      for (const Wall& w : wallsOf(*s.b.body(off), s.surface(), "offset")) {
        const double way = outside(w.at, 5, 8, 40, 26);
        if (way < -0.5) {
          VERIFY_AT_MOST(std::abs(w.mm - 1.5), 0.005);
        }
        if (way > 0.5) {
          VERIFY_AT_MOST(std::abs(w.mm - 1), 0.005);
        }
      }
    }
  }

  void mistakesAreToldWithTheirPlaceAndZone() {
    Skin s;
    const auto one = s.ring(0, 0, 40, 40), other = s.ring(20, 0, 40, 40), tiny = s.ring(0, 0, 6, 4), away = s.ring(300, 0, 20, 20);
    const auto square = s.b.add("ring", {{"shape", "rectangle"}, {"width", 30}, {"depth", 20}, {"radius", 0}, {"height", 40}});
    const auto cross = s.thicken(json::array({s.zone(one, 3, "curvature"), s.zone(other, 1, "curvature")}));
    const auto crossStep = s.thicken(json::array({s.zone(one, 3, "step"), s.zone(other, 1, "step")}));
    const auto narrow = s.thicken(json::array({s.zone(tiny, 3, "tangent")}));
    const auto corner = s.thicken(json::array({s.zone(square, 3, "tangent")}));
    const auto square0 = s.thicken(json::array({s.zone(square, 3, "step")}));
    const auto beside = s.thicken(json::array({s.zone(away, 3, "step")}));
    const auto ends = s.thicken(json::array({s.zone(spline(s.b, {{{-20, -30, 40}}, {{0, -10, 40}}, {{10, 20, 40}}}), 3, "curvature")}));
    const auto none = s.thicken(json::array({s.zone(one, 0, "step")})), inside = s.thicken(json::array({s.zone(one, -1.5, "curvature")}));
    s.b.run();
    for (const auto& [id, code] : {std::pair(cross, "LM-T012"), std::pair(crossStep, "LM-T012"), std::pair(narrow, "LM-T011"), std::pair(corner, "LM-T010"), std::pair(beside, "LM-T014"), std::pair(ends, "LM-T013"), std::pair(none, "LM-T004"), std::pair(inside, "LM-T004")}) {
      QCOMPARE(s.b.code(id), std::string(code));
      QVERIFY(!s.b.result(id).problem->where.empty());
      QVERIFY(!s.b.result(id).problem->item.empty());
      QCOMPARE(s.b.result(id).problem->field, std::string("zones"));
    }
    QVERIFY(s.b.result(narrow).problem->required->value < 4.1); // what fits
    VERIFY_STEP(s.b, square0); // a step has corners
    QVERIFY(solidVolume(s.b, square0) > 0);
  }
};

static test::Register<ThickenZonesTest> registeredThickenZonesTest;
#include "zones_test.moc"

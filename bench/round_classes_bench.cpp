// Rounds and chamfers by classes of edges that product forms have, made by the step as a person makes them: `round_classes_bench [SEED] [CLASS]`.
// Right: a valid closed solid, contacts tangent within 0.01 degree, the ball of the size that was asked for there (0.005 mm, laws within 0.5 %),
// curvature-equal sections within 1 %; where nothing fits, refused with place and figure. Beside it OCCT's own fillets and chamfers where it has them.
#include "bench/round_judge.h"
#include "brep/apart.h"
#include "brep/convert.h"
#include "brep/curves_on.h"
#include "brep/cut_back.h"
#include "brep/edge_paths.h"
#include "brep/round_kernel.h"
#include "brep/thicken_parts.h"
#include "inspect/joins.h"
#include "nurbs/measure/arc_length.h"
#include "shapes/offset_cases.h"
#include "support/edges.h"

#include <cstdio>
#include <cstdlib>
#include <random>

using namespace lumsk;
using namespace lumsk::test;

namespace {

std::mt19937 random_;
double between(double a, double b) { return std::round(100 * (a + (b - a) * double(random_() % 10000) / 1e4)) / 100; }

using EdgeIs = std::function<bool(const nurbs::Path&)>;
/// Edges all of whose places pass.
EdgeIs all(std::function<bool(const Vec3&)> f) {
  return [f](const nurbs::Path& p) {
    for (int i = 0; i <= 8; ++i)
      if (!f(p.at(p.last() * i / 8))) return false;
    return true;
  };
}
EdgeIs atHeight(double z) {
  return all([z](const Vec3& p) { return std::abs(p.z() - z) < 0.01; });
}

/// A body with edges to round.
struct Case {
  std::string kind;
  std::unique_ptr<Bench> b = std::make_unique<Bench>();
  std::string base, tool = "round";
  EdgeIs edges;
  double size = 1;
  std::vector<double> own; ///< sizes by edge, in the order of their picks
  json inputs = json::object();
  bool tooLarge = false;
  std::function<double(double)> law;
};

/// Sharp edges that are meant, by number.
std::vector<int> edgesOf(const brep::Body& body, const EdgeIs& is) {
  std::vector<int> out;
  const auto joins = inspect::joins(body, {});
  const auto list = brep::edges(body);
  for (int e = 0; e < int(list.size()); ++e) {
    const auto path = brep::toPath(list[size_t(e)]);
    if (!path || !is(*path)) continue;
    for (const auto& j : joins)
      if (j.edge == body.edgeNames[size_t(e)] && j.angleDeg > 3) {
        out.push_back(e);
        break;
      }
  }
  return out;
}

/// A run that was asked for, with the faces beside it.
struct Asked {
  nurbs::Path path;
  std::array<brep::BodyPtr, 2> sides;
  double size;
  std::string edge; ///< its name, which the new faces' names have in them
};

std::string wrongWith(const Case& c, const brep::Body& before, const brep::Body& made, const std::vector<Asked>& asked) {
  const std::string role = c.tool == "round" ? ".round(" : ".chamfer(";
  const auto isNew = [&](const std::string& n) { return n.find(role) != std::string::npos; };
  const bool flat = c.tool == "chamfer", smooth = c.inputs.value("section", "") == "smooth";
  if (const std::string wrong = bench::unsound(before, made, isNew, !flat); !wrong.empty()) return wrong;
  int contacts = 0;
  const auto list = brep::edges(made);
  double off = 0;
  for (const auto& j : inspect::joins(made, {})) {
    if (!isNew(j.edge) || !j.measured) continue;
    const bool both = j.edge.find(role) != j.edge.rfind(role); // between pieces of the round
    if (smooth && !both && j.angleDeg < 5 && j.edge.find("|seam") == std::string::npos && j.curvatureRel > 0.01) return "curvature " + std::to_string(j.curvatureRel) + " at " + j.edge;
    if ((j.angleDeg >= 5 && !flat) || j.edge.find("|seam") != std::string::npos) continue;
    int e = -1;
    for (int i = 0; i < int(list.size()); ++i)
      if (made.edgeNames[size_t(i)] == j.edge) e = i;
    if (e < 0) continue;
    const auto path = brep::toPath(list[size_t(e)]);
    if (!path) continue;
    for (int i = 1; i < 8; ++i) {
      const Vec3 p = path->at(path->last() * i / 8);
      const Asked* mine = nullptr;
      for (const Asked& a : asked)
        if (j.edge.find(role + "(" + a.edge + ")") != std::string::npos || j.edge.find(role.substr(1) + a.edge + ")") != std::string::npos) mine = &a;
      for (const Asked& a : asked)
        if (!mine || (j.edge.find(mine->edge + ")") == std::string::npos && nurbs::closestPoint(a.path, p).distanceMm < nurbs::closestPoint(mine->path, p).distanceMm)) mine = &a;
      if (mine) {
        const Asked& a = *mine;
        const auto foot = nurbs::closestPoint(a.path, p);
        if (!a.path.closed() && std::min((p - a.path.start()).norm(), (p - a.path.end()).norm()) < 3 * std::max(a.size, foot.distanceMm)) continue;
        if (foot.distanceMm > 4 * a.size) continue;
        const double r = a.size * (c.law ? c.law(nurbs::ArcLength(a.path).lengthAt(foot.t) / nurbs::ArcLength(a.path).total()) : 1);
        for (const size_t k : {0, 1}) {
          if (distanceTo(*a.sides[k], p) > 0.004) continue;
          const auto on = brep::BodyFaces::of(*a.sides[k], -1, {});
          const auto at = on ? on->nearest(p) : std::nullopt;
          if (!at) continue;
          ++contacts;
          if (flat) {
            if (c.inputs.value("by", "distance") == "distance") off = std::max(off, std::abs(foot.distanceMm - a.size));
            continue;
          }
          if (c.inputs.value("by", "radius") != "radius") continue;
          double miss = 1e300;
          for (const double s : {-1.0, 1.0}) miss = std::min(miss, std::abs(distanceTo(*a.sides[1 - k], p + s * r * at->normal) - r));
          off = std::max(off, c.law ? miss / r : miss);
        }
      }
    }
  }
  if (off > 0.005) return "ball off by " + std::to_string(off);
  if (!contacts && !asked.empty()) return "no contact found";
  if (flat || smooth || c.law || c.inputs.value("section", "round") != "round" || c.inputs.value("by", "radius") != "radius") return "";
  // Inside the new faces: as far from the skins as the ball.
  const auto faces = brep::faces(made);
  for (size_t f = 0; f < faces.size(); ++f) {
    if (!isNew(made.faceNames[f])) continue;
    const auto on = brep::BodyFaces::of(made, int(f), {});
    if (!on) return "no face";
    for (const Vec3& p : brep::pointsInside(faces[f], 5)) {
      const auto at = on->nearest(p);
      if (!at) continue;
      const Asked* mine = nullptr;
      double nearest = 1e300;
      bool end = false;
      for (const Asked& a : asked) {
        const double d = nurbs::closestPoint(a.path, p).distanceMm;
        end = end || (!a.path.closed() && std::min((p - a.path.start()).norm(), (p - a.path.end()).norm()) < 3 * a.size);
        if (d < nearest) nearest = d, mine = &a;
      }
      if (!mine || end) continue;
      double best = 1e300;
      for (const double s : {-1.0, 1.0}) {
        const Vec3 centre = at->point + s * mine->size * at->normal;
        best = std::min(best, std::abs(std::min(distanceTo(*mine->sides[0], centre), distanceTo(*mine->sides[1], centre)) - mine->size));
      }
      if (best > 0.005) return "ball off inside by " + std::to_string(best) + " in " + made.faceNames[f];
    }
  }
  return "";
}

// ---- bodies ----

json rect(double w, double d, double z, double radius = 0) { return {{"shape", "rectangle"}, {"width", w}, {"depth", d}, {"radius", radius}, {"height", z}}; }

std::string lofted(Bench& b, std::vector<json> rings) {
  json sections = json::array();
  for (json& r : rings) sections.push_back(pick(b.add("ring", std::move(r))));
  return b.add("loft", {{"sections", sections}, {"solid", true}});
}
std::string freeform(Bench& b, double scale = 1) {
  std::vector<json> rings;
  const bool super = random_() % 2;
  const double hs[] = {0, 15, 35, 60}, w[] = {40, 60, 64, 44};
  for (int k = 0; k < 4; ++k)
    rings.push_back({{"shape", super ? "superellipse" : "ellipse"}, {"exponent", 2.8}, {"width", scale * w[k] * between(0.9, 1.1)}, {"depth", scale * w[k] * between(0.65, 0.8)}, {"height", scale * hs[k]}, {"x", scale * between(-2, 2)}});
  return lofted(b, rings);
}
std::string combined(Bench& b, const std::string& target, const std::string& tool, const char* how) {
  return b.add("combine", {{"bodies", picks({pick(target)})}, {"tools", picks({pick(tool)})}, {"how", how}});
}
std::string moved(Bench& b, const std::string& what, json how) {
  json inputs{{"what", picks({pick(what)})}};
  inputs.update(how);
  return b.add("move", inputs);
}

std::vector<Case> cases_;
Case& add(const char* kind) {
  cases_.emplace_back();
  cases_.back().kind = kind;
  return cases_.back();
}

void draftedBoxes() {
  for (int i = 0; i < 24; ++i) {
    Case& c = add(i < 8 ? "drafted box" : i < 16 ? "drafted box, law" : "drafted box, chamfer");
    const double w = between(30, 70), d = between(25, 50), h = between(15, 40), in = h * std::tan(radFromDeg(between(1, 6)));
    c.base = lofted(*c.b, {rect(w, d, 0), rect(w - 2 * in, d - 2 * in, h)});
    const int which = i % 3;
    if (which == 0) c.edges = [h](const nurbs::Path& p) { return atHeight(h)(p) && p.at(0.5 * p.last()).x() > 1 && std::abs(p.at(0.5 * p.last()).y()) < 3; };
    else if (which == 1) c.edges = [h](const nurbs::Path& p) { const Vec3 m = p.at(0.5 * p.last()); return m.z() > 0.3 * h && m.z() < 0.7 * h && m.x() > 0 && m.y() > 0; };
    else c.edges = [](const nurbs::Path& p) { return atHeight(0)(p) && p.at(0.5 * p.last()).y() > 1 && std::abs(p.at(0.5 * p.last()).x()) < 3; };
    c.size = between(1, 4);
    if (i >= 8 && i < 16) {
      const double to = between(1.3, 2);
      c.inputs["along"] = json::array({{{"id", "g1"}, {"at", 0}, {"value", 1}}, {{"id", "g2"}, {"at", 1}, {"value", to}}});
      c.law = [to](double f) { return 1 + (to - 1) * f; };
    }
    if (i >= 16) c.tool = "chamfer";
  }
}

void loftsCut() {
  for (int i = 0; i < 50; ++i) {
    const bool chamfer = i >= 34;
    const int which = i % 4;
    Case& c = add(chamfer ? "lofts, chamfer" : which == 0 ? "loft cut by a plane" : which == 1 ? "loft cut by a skin" : which == 2 ? "concave foot" : "open edge");
    if (chamfer) c.tool = "chamfer";
    Bench& b = *c.b;
    const auto body = freeform(b);
    c.size = between(0.8, 3);
    if (which == 0) {
      const auto slab = moved(b, prism(b, block(200, 200), 60), {{"turn", between(-25, 25)}, {"axis", "x"}, {"z", between(38, 45)}});
      c.base = combined(b, body, slab, "cut");
      c.edges = all([](const Vec3& p) { return p.z() > 20 && std::abs(p.z()) < 59.9; });
    } else if (which == 1) {
      const auto other = moved(b, freeform(b, 3), {{"z", between(36, 42)}, {"x", between(-10, 10)}, {"turn", between(10, 20)}, {"axis", "y"}});
      c.base = combined(b, body, other, "cut");
      c.edges = all([](const Vec3& p) { return p.z() > 15 && p.z() < 59.9; });
    } else if (which == 2) {
      const auto boss = moved(b, prism(b, disc(between(12, 18)), 60), {{"turn", between(70, 100)}, {"axis", "y"}, {"z", between(25, 35)}});
      c.base = combined(b, body, boss, "add");
      c.edges = all([](const Vec3& p) { return p.z() > 8 && p.z() < 52 && p.x() < 45; });
    } else {
      const auto slot = moved(b, prism(b, block(between(14, 22), 120), 60), {{"z", between(35, 48)}, {"x", between(-4, 4)}});
      c.base = combined(b, body, slot, "cut");
      // One upright side of the slot where it leaves the top, or the slot's floor edge.
      const double way = random_() % 2 ? 1 : -1;
      c.edges = [way](const nurbs::Path& p) { const Vec3 m = p.at(0.5 * p.last()); return atHeight(60)(p) && std::abs(m.y()) < 5 && way * m.x() > 0 && std::abs(p.at(0).x() - m.x()) < 0.01; };
    }
  }
}

void loopLaws() {
  for (int i = 0; i < 18; ++i) {
    Case& c = add("law on a loop");
    c.base = i % 2 ? freeform(*c.b) : prism(*c.b, disc(between(30, 70)), 25);
    const double top = i % 2 ? 60 : 25;
    c.edges = atHeight(top);
    c.size = between(1, 3);
    const double to = between(1.3, 2.2);
    c.inputs["along"] = json::array({{{"id", "g1"}, {"at", 0}, {"value", 1}}, {{"id", "g2"}, {"at", 0.5}, {"value", to}}, {{"id", "g3"}, {"at", 1}, {"value", 1}}});
    c.law = [to](double f) { return 1 + (to - 1) * 4 * f * (1 - f); }; // of degree 2 through three points
  }
}

void vertices() {
  for (int i = 0; i < 24; ++i) {
    Case& c = add(i < 8 ? "corner, equal" : i < 16 ? "corner, own sizes" : "corner, two convex and one concave");
    Bench& b = *c.b;
    const double w = between(30, 60), d = between(25, 45), h = between(18, 30);
    if (i < 16) {
      const double in = i % 2 ? h * std::tan(radFromDeg(between(1, 5))) : 0;
      c.base = lofted(b, {rect(w, d, 0), rect(w - 2 * in, d - 2 * in, h)});
      const Vec3 corner(0.5 * w - in, 0.5 * d - in, h);
      c.edges = [corner](const nurbs::Path& p) { return std::min((p.start() - corner).norm(), (p.end() - corner).norm()) < 0.05; };
      c.size = between(1, 4);
      if (i >= 8) c.own = {between(1, 2), between(2, 3), between(3, 4)};
    } else {
      const auto low = prism(b, block(w, d), h), cut = moved(b, prism(b, block(w, d), 3 * h), {{"x", 0.5 * w}, {"y", 0.5 * d}, {"z", -h}});
      c.base = combined(b, low, cut, "cut");
      const Vec3 corner(0, 0, h);
      c.edges = [corner](const nurbs::Path& p) { return std::min((p.start() - corner).norm(), (p.end() - corner).norm()) < 0.05; };
      c.size = between(1, 4);
    }
  }
}

void pockets() {
  for (int i = 0; i < 20; ++i) {
    Case& c = add(i < 12 ? "pocket" : "tangent chain");
    Bench& b = *c.b;
    const double w = between(40, 60), d = between(30, 40), r = between(6, 9);
    const auto body = i % 2 ? moved(b, freeform(b, 1.3), {{"z", -48}}) : moved(b, prism(b, block(90, 70), 30), {{"z", 0}});
    const double floor = between(12, 18);
    const auto tool = i % 3 ? lofted(b, {rect(w * 0.8, d * 0.8, floor, r), rect(w * 0.85, d * 0.85, 60, r * 1.1)}) : prism(b, rect(w * 0.8, d * 0.8, floor, r), 60);
    c.base = combined(b, body, tool, "cut");
    if (i < 12) c.edges = atHeight(floor);
    else c.edges = all([=](const Vec3& p) { return p.z() > floor + 3 && std::abs(p.x()) < 0.45 * w + 1 && std::abs(p.y()) < 0.45 * d + 1; });
    c.size = between(1, 0.55 * r);
  }
}

/// A skin of two lofts whose kink along x comes to nothing, given a wall.
void fading() {
  for (int i = 0; i < 32; ++i) {
    const int p = 1 + i % 3;
    const bool through = i % 2; // it goes on smooth
    Case& c = add(i < 16 ? "fading" : i < 24 ? "fading, law" : "fading, other sections");
    Bench& b = *c.b;
    const double most = between(0.3, 0.7), bow = between(2, 6);
    json left = json::array(), right = json::array();
    for (double x = through ? -40 : 0; x <= 60; x += 10) {
      const double k = most * std::pow(std::max(0.0, x / 60), p), z = bow * (1 - std::pow(x / 60, 2));
      left.push_back(pick(polyline(b, {{{x, -30, z}}, {{x, 0, z}}})));
      right.push_back(pick(polyline(b, {{{x, 0, z}}, {{x, 30, z - 30 * k}}})));
    }
    const auto one = b.add("loft", {{"sections", left}}), two = b.add("loft", {{"sections", right}});
    const auto both = b.add("knit", {{"skins", picks({pick(one), pick(two)})}});
    const auto solid = prism(b, through ? block(88, 50, 14, 0, -30) : block(57, 50, 29.5, 0, -30), 60);
    c.base = b.add("split", {{"body", picks({pick(solid)})}, {"by", picks({pick(both)})}});
    c.edges = [](const nurbs::Path& q) { return all([](const Vec3& v) { return std::abs(v.y()) < 0.01; })(q) && std::abs(q.at(0.5 * q.last()).z() - 3) < 5; };
    c.size = between(1, 5);
    if (i >= 16 && i < 24) c.inputs["along"] = json::array({{{"id", "g1"}, {"at", 0}, {"value", 1}}, {{"id", "g2"}, {"at", 1}, {"value", 1.5}}}), c.law = [](double f) { return 1 + 0.5 * f; };
    if (i >= 24) c.inputs["section"] = i % 2 ? "smooth" : "conic"; // chamfers do not fade
  }
}

void almonds() {
  for (int i = 0; i < 12; ++i) {
    Case& c = add(i < 6 ? "almond, flat top" : "almond, lens");
    Bench& b = *c.b;
    const double half = between(20, 35), bulge = between(8, 14);
    const auto arc = [&](double side, double z, double k) {
      return spline(b, {{{-half * k, 0, z}}, {{-0.5 * half * k, 0.72 * side * bulge * k, z}}, {{0, side * bulge * k, z}}, {{0.5 * half * k, 0.72 * side * bulge * k, z}}, {{half * k, 0, z}}});
    };
    if (i < 6) {
      const auto one = arc(1, 0, 1), two = arc(-1, 0, 1);
      const auto ring = b.add("join_curves", {{"curves", picks({pick(one), pick(two)})}});
      c.base = b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", 15}, {"solid", true}});
      c.edges = atHeight(15);
      c.size = between(0.5, 3);
    } else {
      // Lens-shaped sections from tip to tip, as a pod: two edges that run from one to the other.
      json sections = json::array();
      const auto tip = [&](double x) { return pick(b.add("point", {{"x", x}})); };
      sections.push_back(tip(-half));
      for (const double f : {-0.6, 0.0, 0.6}) {
        const double wide = bulge * std::sqrt(1 - f * f), high = 0.6 * wide, x = half * f;
        const auto up = spline(b, {{{x, -wide, 0}}, {{x, 0, high}}, {{x, wide, 0}}}), down = spline(b, {{{x, -wide, 0}}, {{x, 0, -high}}, {{x, wide, 0}}});
        sections.push_back(pick(b.add("join_curves", {{"curves", picks({pick(up), pick(down)})}})));
      }
      sections.push_back(tip(half));
      c.base = b.add("loft", {{"sections", sections}, {"solid", true}});
      c.edges = all([](const Vec3& p) { return std::abs(p.z()) < 0.05; });
      c.size = between(0.3, 1.5);
    }
  }
}

void nearLimit() {
  for (int i = 0; i < 12; ++i) {
    Case& c = add(i % 3 < 2 ? "near the limit" : "beyond the limit");
    Bench& b = *c.b;
    const double bore = between(8, 16);
    const auto body = prism(b, block(60, 50), 40);
    const auto tool = moved(b, prism(b, disc(2 * bore), 60), {{"z", between(10, 20)}});
    c.base = combined(b, body, tool, "cut");
    c.edges = all([](const Vec3& p) { return p.z() > 5 && p.z() < 39; });
    c.size = bore * (i % 3 == 0 ? 0.9 : i % 3 == 1 ? 0.97 : 1.02);
    c.tooLarge = i % 3 == 2;
  }
}

void rims() {
  for (int i = 0; i < 24; ++i) {
    const double wall = i < 16 ? 2 : 0.5;
    Case& c = add(i < 12 ? "rim of 2 mm" : i < 16 ? "both rims of 2 mm" : i < 20 ? "rim of 0.5 mm" : "rim, too large");
    Bench& b = *c.b;
    const auto body = i % 2 && i < 20 ? freeform(b) : prism(b, {{"shape", "superellipse"}, {"exponent", 3}, {"width", between(40, 60)}, {"depth", between(30, 40)}}, 60);
    b.run();
    const double thick = i < 20 ? wall : 2;
    c.base = b.add("thicken", {{"skin", picks({pick(body)})}, {"open", picks({pick(body, "face", faceTowards(*b.body(body), Vec3::UnitZ()))})}, {"thickness", thick}});
    const bool both = i >= 12 && i < 16;
    const int which = i % 4 / 2;
    c.size = i < 20 ? thick * between(0.1, both ? 0.45 : 0.9) : thick * between(1.1, 3);
    c.tooLarge = i >= 20;
    b.run();
    std::vector<double> lengths;
    const EdgeIs top = atHeight(60);
    const auto body2 = b.body(c.base);
    for (int e : edgesOf(*body2, top)) lengths.push_back(nurbs::ArcLength(*brep::toPath(brep::edges(*body2)[size_t(e)])).total());
    double middle = 0;
    for (double l : lengths) middle += l / double(lengths.size());
    c.edges = [=](const nurbs::Path& p) { return top(p) && (both || (nurbs::ArcLength(p).total() > middle) == (which == 0)); };
  }
}

void plates() {
  for (int i = 0; i < 6; ++i) {
    Case& c = add("plate, too large");
    Bench& b = *c.b;
    const double h = between(4, 6);
    c.base = prism(b, i % 2 ? disc(60) : block(60, 40), h);
    c.edges = i % 2 ? atHeight(h) : EdgeIs([h](const nurbs::Path& p) { return atHeight(h)(p) && p.at(0.5 * p.last()).x() > 25; });
    c.size = h * between(1.2, 1.8);
    c.tooLarge = true;
  }
}

void sections() {
  for (int i = 0; i < 24; ++i) {
    Case& c = add(i < 12 ? "smooth section" : i < 18 ? "conic" : "width");
    c.base = i % 2 ? freeform(*c.b) : lofted(*c.b, {rect(50, 40, 0), rect(46, 36, 30)});
    if (i % 2) c.edges = atHeight(60);
    else c.edges = [](const nurbs::Path& p) { return atHeight(30)(p) && p.at(0.5 * p.last()).x() > 20; };
    c.size = between(1, 4);
    if (i < 12) c.inputs["section"] = "smooth";
    else if (i < 18) c.inputs["section"] = "conic", c.inputs["rho"] = between(0.3, 0.7);
    else c.inputs["by"] = "width";
  }
}

} // namespace

int main(int argc, char** argv) {
  const unsigned seed = argc > 1 ? unsigned(std::atoi(argv[1])) : 1;
  const std::string only = argc > 2 ? argv[2] : "";
  random_.seed(seed);
  draftedBoxes(), loftsCut(), loopLaws(), vertices(), pockets(), fading(), almonds(), nearLimit(), rims(), plates(), sections();
  struct Tally {
    int cases = 0, right = 0, refused = 0, wrong = 0, kernelAsked = 0, kernelRight = 0, kernelWrong = 0;
    double longest = 0;
  };
  std::vector<std::pair<std::string, Tally>> tallies;
  int number = 0;
  for (Case& c : cases_) {
    ++number;
    if (!only.empty() && c.kind.find(only) == std::string::npos && only != std::to_string(number)) continue;
    auto t = std::find_if(tallies.begin(), tallies.end(), [&](const auto& x) { return x.first == c.kind; });
    if (t == tallies.end()) tallies.emplace_back(c.kind, Tally{}), t = tallies.end() - 1;
    Tally& tally = t->second;
    ++tally.cases;
    Bench& b = *c.b;
    b.run();
    const std::string name = std::to_string(number) + " " + c.kind + " " + formatNumber(c.size, 3);
    if (b.result(c.base).status != recipe::Status::Ok) {
      std::printf("%s: no body: %s\n", name.c_str(), b.result(c.base).problem ? sentence(*b.result(c.base).problem).c_str() : "");
      continue;
    }
    const auto body = b.body(c.base);
    const auto edges = edgesOf(*body, c.edges);
    if (edges.empty()) {
      std::printf("%s: no edges\n", name.c_str());
      continue;
    }
    json list = json::array();
    std::vector<Asked> asked;
    for (size_t k = 0; k < edges.size(); ++k) {
      json p = pick(c.base, "edge", body->edgeNames[size_t(edges[k])]);
      const double size = c.own.empty() ? c.size : c.own[k % c.own.size()];
      if (!c.own.empty()) p["sized"] = "own", p["own"] = size;
      list.push_back(p);
      auto path = brep::tangentChain(*body, edges[k], {1}, {0.001});
      if (!path) continue;
      if (std::any_of(asked.begin(), asked.end(), [&](const Asked& a) { return nurbs::closestPoint(a.path, path->at(0.4 * path->last())).distanceMm < 0.01; })) continue;
      const auto sides = brep::edgeSides(body, *path, {});
      if (!sides) continue;
      Asked a{*path, {}, size, body->edgeNames[size_t(edges[k])]};
      for (const size_t s : {0, 1})
        if (const auto apart = brep::facesApart(*body, (*sides)[s], false); !apart.empty()) a.sides[s] = apart.front();
      if (a.sides[0] && a.sides[1]) asked.push_back(std::move(a));
    }
    json inputs{{"edges", list}, {"size", c.size}};
    inputs.update(c.inputs);
    const auto id = b.add(c.tool, inputs);
    b.run();
    const auto& result = b.result(id);
    tally.longest = std::max(tally.longest, result.seconds);
    if (result.problem && result.status != recipe::Status::Ok) {
      const auto& p = *result.problem;
      const bool told = !p.where.empty() && (p.code != "LM-O008") && (!c.tooLarge || p.measured);
      if (c.tooLarge && told) ++tally.right;
      else {
        ++tally.refused;
        std::printf("%s (%zu runs): refused %s %s%s\n", name.c_str(), asked.size(), p.code.c_str(), sentence(p).c_str(), p.where.empty() ? " WITHOUT A PLACE" : (" at " + formatNumber(p.where[0].x(), 3) + " " + formatNumber(p.where[0].y(), 3) + " " + formatNumber(p.where[0].z(), 3)).c_str());
      }
    } else {
      const std::string wrong = c.tooLarge ? "done though it does not fit" : wrongWith(c, *body, *b.body(id), asked);
      ++(wrong.empty() ? tally.right : tally.wrong);
      if (!wrong.empty()) std::printf("%s: WRONG %s\n", name.c_str(), wrong.c_str());
    }
    const bool plain = !c.law && !c.inputs.contains("along") && !c.inputs.contains("section") && c.inputs.value("by", "x") == "x" && !c.tooLarge;
    if (!plain) continue;
    ++tally.kernelAsked;
    std::vector<brep::KernelRound> rounds;
    for (size_t k = 0; k < edges.size(); ++k) rounds.push_back({edges[k], c.own.empty() ? c.size : c.own[k % c.own.size()], "k." + c.tool + "(" + std::to_string(k) + ")"});
    if (const auto made = brep::roundedByKernelHere(*body, rounds, c.tool == "chamfer", {})) {
      const std::string wrong = wrongWith(c, *body, **made, asked);
      ++(wrong.empty() ? tally.kernelRight : tally.kernelWrong);
    }
  }
  Tally sum;
  std::printf("%-36s %5s %5s %7s %5s %8s   OCCT alone: of, right, wrong\n", "", "cases", "right", "refused", "wrong", "longest");
  for (const auto& [kind, t] : tallies) {
    std::printf("%-36s %5d %5d %7d %5d %6.1f s   %d %d %d\n", kind.c_str(), t.cases, t.right, t.refused, t.wrong, t.longest, t.kernelAsked, t.kernelRight, t.kernelWrong);
    sum.cases += t.cases, sum.right += t.right, sum.refused += t.refused, sum.wrong += t.wrong, sum.longest = std::max(sum.longest, t.longest);
    sum.kernelAsked += t.kernelAsked, sum.kernelRight += t.kernelRight, sum.kernelWrong += t.kernelWrong;
  }
  std::printf("%-36s %5d %5d %7d %5d %6.1f s   %d %d %d\n", "all", sum.cases, sum.right, sum.refused, sum.wrong, sum.longest, sum.kernelAsked, sum.kernelRight, sum.kernelWrong);
  return sum.wrong > 0;
}

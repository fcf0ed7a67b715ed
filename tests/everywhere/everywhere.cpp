// Random recipes of the steps that make surfaces, in every place: 1 mm and 2 m, moved and turned anywhere, degrees 2 to 5,
// poles, closed and cornered curves. Every result is held against the curves it was made from by code that did not
// build it: the kernel's own evaluation of the finished faces, distances from the curves, box, folds, volume.
//   everywhere COUNT SEED [ONLY]
// Exit 1 when a result is wrong, an answer takes more than 10 s or a refusal says no place or no remedy.
#include "brep/convert.h"
#include "brep/skin.h"
#include "inspect/joins.h"
#include "nurbs/measure/closest.h"
#include "support/recipes.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRepExtrema_DistShapeShape.hxx>
#include <BRepBuilderAPI_MakeVertex.hxx>
#include <Bnd_Box.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>

#include <chrono>
#include <cstdio>
#include <random>

using namespace lumsk;
using namespace lumsk::test;
using Rng = std::mt19937_64;

namespace {

constexpr double kMostSeconds = 10;
constexpr double kAllowedMm = 0.0015; ///< off a curve: the fit tolerance, and what the kernel's distances may miss
constexpr int kCurveLooks = 60, kFaceLooks = 40;

double uniform(Rng& r, double a, double b) { return std::uniform_real_distribution<double>(a, b)(r); }
int whole(Rng& r, int a, int b) { return int(a + long(r() % (unsigned long)(b - a + 1))); }

/// Where and how large a form is.
struct Place {
  double size = 100; ///< mm
  Eigen::Isometry3d at = Eigen::Isometry3d::Identity();
  explicit Place(Rng& r) {
    static constexpr double kSizes[] = {1, 30, 100, 100, 400, 2000};
    size = kSizes[r() % 6];
    if (r() % 4 == 0) return; // some at the origin
    at.linear() = Eigen::Quaterniond(uniform(r, -1, 1), uniform(r, -1, 1), uniform(r, -1, 1), uniform(r, -1, 1))
                      .normalized()
                      .toRotationMatrix();
    at.translation() = Vec3(uniform(r, -800, 800), uniform(r, -800, 800), uniform(r, -800, 800));
  }
  std::array<double, 3> operator()(const Vec3& p) const {
    const Vec3 q = at * Vec3(p * size);
    return {q.x(), q.y(), q.z()};
  }
};

struct Case {
  Bench b;
  std::string kind, last;
  std::vector<std::string> curves; ///< that the last skin has to pass through
  std::vector<std::string> beside; ///< that it runs along somewhere
  double grows = 0.6; ///< beyond its curves by at most so many times their size
  bool solid = false, flows = false; ///< `flows`: joins that were asked for are to be as asked
};

std::string spline(Case& c, const Place& at, const std::vector<Vec3>& pts, int degree, bool closed = false) {
  std::vector<std::array<double, 3>> out;
  for (const Vec3& p : pts) out.push_back(at(p));
  return c.b.add("spline", {{"points", pointList(out)}, {"degree", degree}, {"closed", closed}});
}

/// A smooth relief over the unit square, in units of the size.
struct Relief {
  double a, b, c, d, e;
  explicit Relief(Rng& r)
      : a(uniform(r, -0.3, 0.3)), b(uniform(r, -0.3, 0.3)), c(uniform(r, -0.4, 0.4)), d(uniform(r, 0, 3)),
        e(uniform(r, 0, 3)) {}
  Vec3 operator()(double u, double v) const {
    return {u, v, a * u * u + b * v * v + c * u * v + 0.08 * std::sin(2.2 * u + d) * std::cos(1.9 * v + e)};
  }
};

std::vector<double> spaced(Rng& r, int n, double unevenness) {
  std::vector<double> out{0.0};
  for (int i = 1; i < n; ++i) out.push_back(out.back() + 1 + unevenness * uniform(r, -0.6, 1.5));
  for (double& x : out) x /= out.back();
  out.back() = 1;
  return out;
}

Case loftCase(Rng& r) {
  Case c;
  const Place at(r);
  const bool closed = r() % 2, tip = closed && r() % 2;
  const int n = whole(r, 2, 6);
  json sections = json::array();
  if (tip) {
    const auto p = at(Vec3::Zero());
    const auto id = c.b.add("point", {{"x", p[0]}, {"y", p[1]}, {"z", p[2]}});
    sections.push_back(pick(id));
  }
  const double phase = uniform(r, 0, 6), bend = uniform(r, -0.3, 0.3);
  for (int i = 0; i < n; ++i) {
    const double z = (i + (tip ? 1.0 : 0.0)) / n, size = 0.4 + 0.15 * std::sin(2 * z + phase);
    const int degree = whole(r, 2, 5), places = whole(r, 7, 11);
    std::vector<Vec3> pts;
    for (int k = 0; k < places; ++k) {
      const double w = closed ? 2 * kPi * k / places + 0.3 * i : kPi * k / (places - 1);
      const double rho = size * (1 + 0.12 * std::cos(2 * w + phase));
      pts.emplace_back(rho * std::cos(w) + bend * z * z, rho * std::sin(w), z);
    }
    if (!closed && r() % 3 == 0) std::reverse(pts.begin(), pts.end());
    c.curves.push_back(spline(c, at, pts, degree, closed));
    sections.push_back(pick(c.curves.back()));
  }
  json in{{"sections", sections}};
  if (tip) in["start"] = "perpendicular";
  if (r() % 4 == 0 && n > 2) in["centre"] = "computed";
  c.solid = closed && r() % 2;
  if (c.solid) in["solid"] = true;
  c.kind = "loft";
  c.last = c.b.add("loft", in);
  return c;
}

Case networkCase(Rng& r) {
  Case c;
  const Place at(r);
  const Relief f(r);
  const double uneven = r() % 2 ? 0.8 : 0.0;
  const auto us = spaced(r, whole(r, 2, 5), uneven), vs = spaced(r, whole(r, 2, 5), uneven);
  json curves = json::array();
  const auto line = [&](bool alongU, double w, const std::vector<double>& places) {
    std::vector<Vec3> pts;
    for (double t : places) pts.push_back(alongU ? f(t, w) : f(w, t));
    if (pts.size() == 2) pts.insert(pts.begin() + 1, alongU ? f(0.5, w) : f(w, 0.5));
    c.curves.push_back(spline(c, at, pts, whole(r, 2, 5)));
    curves.push_back(pick(c.curves.back()));
  };
  for (double v : vs) line(true, v, us);
  for (double u : us) line(false, u, vs);
  std::shuffle(curves.begin(), curves.end(), r);
  c.kind = "network";
  c.last = c.b.add("network", {{"curves", curves}});
  return c;
}

Case boundaryCase(Rng& r) {
  Case c;
  const Place at(r);
  const Relief f(r);
  const int sides = whole(r, 2, 4);
  // Corners of a ring on the relief, and arched edges between them.
  std::vector<Vec3> corner;
  for (int k = 0; k < sides; ++k) {
    const double w = 2 * kPi * k / sides + uniform(r, -0.2, 0.2);
    corner.push_back(Vec3(0.5 + 0.45 * std::cos(w), 0.5 + 0.45 * std::sin(w), 0));
  }
  json edges = json::array();
  for (int k = 0; k < sides; ++k) {
    const Vec3 a = corner[size_t(k)], b = corner[size_t((k + 1) % sides)];
    const Vec3 out = Vec3(b.y() - a.y(), a.x() - b.x(), 0) * (sides == 2 ? 0.3 : uniform(r, 0.0, 0.12));
    std::vector<Vec3> pts;
    const int places = whole(r, 4, 7);
    for (int i = 0; i < places; ++i) {
      const double t = double(i) / (places - 1);
      const Vec3 p = a + t * (b - a) + 4 * t * (1 - t) * out;
      pts.push_back(f(p.x(), p.y()));
    }
    if (r() % 2) std::reverse(pts.begin(), pts.end());
    c.curves.push_back(spline(c, at, pts, whole(r, 2, 5)));
    edges.push_back(pick(c.curves.back()));
  }
  std::shuffle(edges.begin(), edges.end(), r);
  c.kind = "boundary";
  c.last = c.b.add("boundary", {{"edges", edges}});
  return c;
}

/// Lines of a relief along one way as sections, and some along the other as guides, which cross them in their points.
Case guidesCase(Rng& r) {
  Case c;
  const Place at(r);
  const Relief f(r);
  const auto us = spaced(r, whole(r, 4, 7), 0.4), vs = spaced(r, whole(r, 2, 5), 0.4);
  json sections = json::array(), guides = json::array();
  for (double v : vs) {
    std::vector<Vec3> pts;
    for (double u : us) pts.push_back(f(u, v));
    c.curves.push_back(spline(c, at, pts, whole(r, 3, 5)));
    sections.push_back(pick(c.curves.back()));
  }
  for (size_t i = 0; i < us.size(); i += size_t(whole(r, 1, 3))) {
    std::vector<Vec3> pts;
    for (double v : vs) pts.push_back(f(us[i], v));
    if (pts.size() == 2) pts.insert(pts.begin() + 1, f(us[i], 0.5));
    c.curves.push_back(spline(c, at, pts, whole(r, 3, 5)));
    guides.push_back(pick(c.curves.back()));
  }
  std::shuffle(guides.begin(), guides.end(), r);
  c.kind = "guides";
  c.last = c.b.add("loft", {{"sections", sections}, {"guides", guides}});
  return c;
}

/// Two lofts over parts of one relief; the second is made to flow into the first: by its own end, or by a match.
Case flowCase(Rng& r) {
  Case c;
  const Place at(r);
  const Relief f(r);
  const bool matched = r() % 3 == 0;
  const int places = whole(r, 4, 7), degree = whole(r, 2, 5);
  const auto line = [&](double v, double lift) {
    std::vector<Vec3> pts;
    for (int i = 0; i < places; ++i) pts.push_back(f(double(i) / (places - 1), v) + Vec3(0, 0, lift));
    return spline(c, at, pts, degree);
  };
  const std::string a = line(0, 0), b = line(0.25, 0), edge = line(0.5, 0);
  const auto first = c.b.add("loft", {{"sections", picks({pick(a), pick(b), pick(edge)})}});
  const std::string how = "g" + std::to_string(whole(r, 1, 2));
  const std::string far = line(0.75, uniform(r, -0.05, 0.05)), end = line(1, uniform(r, -0.05, 0.05));
  std::string second;
  if (matched) {
    const std::string own = line(0.5, uniform(r, -0.002, 0.002));
    second = c.b.add("loft", {{"sections", picks({pick(own), pick(far), pick(end)})}});
    json moved = pick(second, "edge", second + ".skin|start:" + c.b.recipe.find(second)->inputs->at("sections")[0]["id"].get<std::string>());
    moved["meets"] = how;
    c.b.add("match", {{"edges", picks({moved})}, {"targets", picks({pick(first, "edge", first + ".skin|end:" + c.b.recipe.find(first)->inputs->at("sections")[2]["id"].get<std::string>())})}});
  } else {
    second = c.b.add("loft", {{"sections", picks({pick(edge), pick(far), pick(end)})},
                              {"start", how},
                              {"startSkin", picks({pick(first, "skin")})}});
    c.curves = {a, b, edge, far, end};
  }
  c.kind = matched ? "match" : "end";
  c.flows = true;
  const std::string matching = matched ? c.b.recipe.steps.back()->id : second;
  c.last = c.b.add("knit", {{"skins", picks({pick(first, "skin"), pick(matching, "skin")})}});
  return c;
}

Case ribbonCase(Rng& r) {
  Case c;
  const Place at(r);
  const Relief f(r);
  std::vector<Vec3> pts;
  const int places = whole(r, 4, 8);
  for (int i = 0; i < places; ++i) pts.push_back(f(double(i) / (places - 1), 0.3 + 0.1 * std::sin(2.0 * i / places)));
  c.curves.push_back(spline(c, at, pts, whole(r, 2, 5)));
  c.kind = "ribbon";
  c.last = c.b.add("ribbon", {{"curve", picks({pick(c.curves.back())})},
                             {"plane", picks({pick("world", "plane", "top")})},
                             {"width", 0.1 * at.size},
                             {"endWidth", 0.1 * at.size}});
  return c;
}

Case wallCase(Rng& r) {
  Case c = r() % 2 ? loftCase(r) : networkCase(r);
  if (c.solid) return c;
  const std::string skin = c.last;
  const double size = 100;
  c.kind = "wall";
  c.curves.clear(); // they lie on one side of it, which is another program's business
  c.last = c.b.add("thicken", {{"skin", picks({pick(skin)})},
                               {"thickness", uniform(r, 0.2, 2.0) * size / 100},
                               {"side", r() % 2 ? "in" : "out"}});
  c.solid = true;
  return c;
}

/// What is wrong with a finished body; empty: nothing. `told`: that it leaves its curves was said.
std::string fault(Case& c, const brep::Body& body, bool told) {
  Bnd_Box box;
  BRepBndLib::AddOptimal(body.shape, box, false, false);
  if (box.IsVoid()) return "nothing there";
  std::vector<nurbs::Surface> skins; // as the kernel holds them
  for (TopExp_Explorer e(body.shape, TopAbs_FACE); e.More(); e.Next())
    if (const auto natural = brep::naturalOf(TopoDS::Face(e.Current()))) skins.push_back(*natural->surface);
  Vec3 low = Vec3::Constant(1e300), high = -low;
  double worst = 0;
  for (const std::string& id : c.curves) {
    const nurbs::Path& p = c.b.curve(id);
    for (int i = 0; i <= kCurveLooks; ++i) {
      const Vec3 at = p.at(p.last() * i / kCurveLooks);
      low = low.cwiseMin(at), high = high.cwiseMax(at);
      double off = 1e300;
      for (const nurbs::Surface& s : skins) off = std::min(off, nurbs::closestPoint(s, at).distanceMm);
      if (off > kAllowedMm) { // the kernel has the last word, which takes long
        BRepExtrema_DistShapeShape d(BRepBuilderAPI_MakeVertex(brep::toPnt(at)).Vertex(), body.shape);
        if (!d.IsDone()) return "no distance from a curve";
        off = std::min(off, d.Value());
      }
      worst = std::max(worst, off);
    }
  }
  for (const std::string& id : c.beside)
    for (int i = 0; i <= kCurveLooks; ++i) {
      const Vec3 at = c.b.curve(id).at(c.b.curve(id).last() * i / kCurveLooks);
      low = low.cwiseMin(at), high = high.cwiseMax(at);
    }
  if (worst > kAllowedMm && !told) return "a curve is left by " + std::to_string(worst) + " mm";
  if (!c.curves.empty()) {
    const double size = (high - low).norm();
    const Vec3 a = brep::toVec(box.CornerMin()), b = brep::toVec(box.CornerMax());
    if ((low - a).maxCoeff() > c.grows * size || (b - high).maxCoeff() > c.grows * size) return "far larger than its curves";
  }
  for (TopExp_Explorer e(body.shape, TopAbs_FACE); e.More(); e.Next()) {
    const BRepAdaptor_Surface s(TopoDS::Face(e.Current()), false);
    std::vector<Vec3> before(kFaceLooks, Vec3::Zero());
    for (int i = 0; i < kFaceLooks; ++i)
      for (int j = 0; j < kFaceLooks; ++j) {
        gp_Pnt p;
        gp_Vec du, dv;
        s.D1(s.FirstUParameter() + (s.LastUParameter() - s.FirstUParameter()) * (i + 0.5) / kFaceLooks,
             s.FirstVParameter() + (s.LastVParameter() - s.FirstVParameter()) * (j + 0.5) / kFaceLooks, p, du, dv);
        const Vec3 n = brep::toVec(du.Crossed(dv));
        if (!(n.norm() > 0)) return "no normal";
        const Vec3 unit = n.normalized();
        if ((i > 0 && unit.dot(before[size_t(j)]) < -0.5) || (j > 0 && unit.dot(before[size_t(j) - 1]) < -0.5))
          return "it folds";
        before[size_t(j)] = unit;
      }
  }
  const auto state = inspect::stateOf(body);
  if (!state.valid) return "not valid";
  if (c.solid && (!state.solid || state.openEdges > 0)) return "not closed";
  if (c.solid && !(state.volumeMm3 > 1e-4 * state.areaMm2 * 0.001)) return "no volume";
  return {};
}

/// What is wrong with joins that were asked for; empty: nothing.
std::string joinFault(const brep::Body& body) {
  constexpr double kAllowedDeg = 0.011, kAllowedCurvature = 0.02; ///< its floor depends on the size of both
  int joins = 0;
  for (const inspect::Join& j : inspect::joins(body, {})) {
    if (j.askedFor().empty()) continue;
    ++joins;
    if (j.angleDeg > kAllowedDeg || (j.asked >= Meets::G2 && j.curvatureRel > kAllowedCurvature))
      return "asked " + j.askedFor() + ", reached " + std::to_string(j.angleDeg) + " deg, " + std::to_string(j.curvatureRel);
  }
  return joins > 0 ? "" : "nothing was joined";
}

/// Profiles along one to three rails that bend mildly, in any order and direction.
Case sweepCase(Rng& r) {
  Case c;
  c.kind = "sweep";
  const Place at(r);
  const int rails = whole(r, 1, 3);
  const double bend = uniform(r, -0.25, 0.25), lift = uniform(r, -0.2, 0.2), wider = uniform(r, -0.1, 0.1);
  // Beside the y axis at x = 0 and 1, and over the middle.
  const auto rail = [&](int k, double y) {
    const double side = k == 0 ? 0 : k == 1 ? 1 + wider * std::sin(2.4 * y) : 0.5;
    return Vec3(side + bend * y * y, 1.6 * y, lift * std::sin(1.8 * y) + (k == 2 ? 0.4 : 0.0));
  };
  const auto railCurve = [&](int k) {
    std::vector<Vec3> pts;
    const int n = 2 * whole(r, 2, 3) + 1; // profiles in the middle end on one of these
    for (int i = 0; i < n; ++i) pts.push_back(rail(k, double(i) / (n - 1)));
    if (r() % 3 == 0) std::reverse(pts.begin(), pts.end());
    return spline(c, at, pts, whole(r, 3, 5));
  };
  json in = json::object(), railPicks = json::array(), profiles = json::array();
  for (int k = 0; k < rails; ++k) railPicks.push_back(pick(railCurve(k)));
  if (rails == 1) {
    c.beside.push_back(railPicks[0]["step"]);
    const bool closed = r() % 2;
    std::vector<Vec3> pts;
    const int n = whole(r, 5, 9);
    for (int i = 0; i < n; ++i) {
      const double w = closed ? 2 * kPi * i / n : kPi * i / (n - 1), rho = 0.12 * (1 + 0.15 * std::cos(3 * w));
      pts.emplace_back(rho * std::cos(w), 0.0, rho * std::sin(w));
    }
    c.curves.push_back(spline(c, at, pts, whole(r, 3, 5), closed));
    if (r() % 2) in["twist"] = std::to_string(uniform(r, -200, 200));
    if (r() % 2) in["endSize"] = uniform(r, 0.5, 1.4);
    if (closed && r() % 2) in["solid"] = c.solid = true;
  } else {
    for (const auto& p : railPicks) c.curves.push_back(p["step"]);
    const int n = rails == 2 ? whole(r, 1, 3) : 1;
    for (int i = 0; i < n; ++i) {
      const double y = n == 1 ? 0.0 : double(i) / (n - 1);
      const Vec3 a = rail(0, y), b = rail(1, y), top = rails == 3 ? rail(2, y) : Vec3(0.5 * (a + b) + Vec3(0, 0, uniform(r, 0.1, 0.3)));
      c.curves.push_back(spline(c, at, {a, top, b}, 2));
    }
    if (rails == 2 && r() % 2) in["widths"] = "width";
  }
  for (size_t i = rails == 1 ? 0 : size_t(rails); i < c.curves.size(); ++i) profiles.push_back(pick(c.curves[i]));
  std::shuffle(profiles.begin(), profiles.end(), r);
  std::shuffle(railPicks.begin(), railPicks.end(), r);
  in["sections"] = profiles;
  in["rails"] = railPicks;
  c.last = c.b.add("sweep", in);
  return c;
}

/// Walls, turned forms and pipes.
Case plainCase(Rng& r) {
  Case c;
  const Place at(r);
  const int how = whole(r, 0, 2), n = whole(r, 4, 7);
  c.grows = 1.5;
  std::vector<Vec3> pts;
  if (how == 0) { // a wall, around or not
    const bool closed = r() % 2;
    for (int i = 0; i < n; ++i) {
      const double w = closed ? 2 * kPi * i / n : kPi * i / (n - 1), rho = 0.4 * (1 + 0.15 * std::cos(2 * w));
      pts.emplace_back(rho * std::cos(w), rho * std::sin(w), 0.0);
    }
    c.kind = "extrude";
    c.curves.push_back(spline(c, at, pts, whole(r, 2, 5), closed));
    c.solid = closed && r() % 2;
    c.last = c.b.add("extrude", {{"sections", picks({pick(c.curves.back())})}, {"length", uniform(r, -0.8, 0.8) * at.size}, {"lean", std::round(uniform(r, -2, 2)) * 4}, {"solid", c.solid}});
  } else if (how == 1) {
    const bool onAxis = r() % 2;
    for (int i = 0; i < n; ++i) pts.emplace_back(onAxis && i == 0 ? 0.0 : uniform(r, 0.2, 0.4), 0.0, double(i) / (n - 1));
    c.kind = "revolve";
    c.curves.push_back(spline(c, at, pts, whole(r, 2, 4)));
    const auto axis = c.b.add("line", {{"points", pointList({at({0, 0, 0}), at({0, 0, 1})})}});
    c.solid = r() % 2;
    c.last = c.b.add("revolve", {{"sections", picks({pick(c.curves.back())})}, {"axis", picks({pick(axis)})}, {"angle", c.solid || r() % 2 ? 360.0 : uniform(r, 20, 340)}, {"solid", c.solid}});
  } else {
    for (int i = 0; i < n; ++i) pts.emplace_back(double(i) / (n - 1), uniform(r, -0.08, 0.08), uniform(r, -0.08, 0.08));
    c.kind = "pipe";
    c.beside.push_back(spline(c, at, pts, whole(r, 3, 5)));
    const char* const sections[] = {"round", "square", "triangle", "polygon"};
    json in{{"paths", picks({pick(c.beside.back())})}, {"size", uniform(r, 0.02, 0.08) * at.size}, {"section", sections[r() % 4]}};
    if (r() % 2) in["wall"] = 0.005 * at.size;
    if (in["section"] == "round" && r() % 2) in["ends"] = "round";
    if (r() % 2) in["twist"] = uniform(r, -200, 200);
    c.solid = true;
    c.last = c.b.add("pipe", in);
  }
  return c;
}

struct Count {
  int ok = 0, refused = 0, wrong = 0;
  std::map<std::string, int> reasons; ///< of refusals: kind and code
};

void judge(unsigned long seed, Count& n, bool tell) {
  Rng r(seed * 7919 + 17);
  Case (*const kinds[])(Rng&) = {loftCase, networkCase, boundaryCase, wallCase, guidesCase, flowCase, ribbonCase};
  constexpr unsigned long kEverySweep = 5, kEveryPlain = 10, kPlain = 3; // other seeds stay what they were before there were these
  Case c = seed % kEverySweep == 0 ? sweepCase(r) : seed % kEveryPlain == kPlain ? plainCase(r) : kinds[r() % std::size(kinds)](r);
  const auto start = std::chrono::steady_clock::now();
  c.b.run();
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  std::string wrong;
  const recipe::StepResult& last = c.b.result(c.last);
  if (last.status == recipe::Status::Ok) {
    if (tell) std::printf("%s\n", last.outcome->summary.c_str());
    bool leaves = false, flowsLess = false;
    std::vector<Problem> notes;
    for (const auto& s : c.b.recipe.steps)
      notes.insert(notes.end(), c.b.result(s->id).outcome->notes.begin(), c.b.result(s->id).outcome->notes.end());
    for (const Problem& note : notes) {
      leaves |= note.code == "LM-H104"; // it says that it leaves an edge, and by how much
      flowsLess |= note.code == "LM-L105" || note.code == "LM-J101" || note.code == "LM-J102";
      if (tell) std::printf("%s %s\n", note.code.c_str(), sentence(note).c_str());
    }
    for (const recipe::Output& o : last.outcome->outputs)
      if (const auto* body = std::get_if<brep::BodyPtr>(&o.object)) wrong = fault(c, **body, leaves);
    if (wrong.empty() && c.flows && !flowsLess)
      for (const recipe::Output& o : last.outcome->outputs)
        if (const auto* body = std::get_if<brep::BodyPtr>(&o.object)) wrong = joinFault(**body);
    ++n.ok;
  } else {
    ++n.refused;
    for (const auto& s : c.b.recipe.steps)
      if (const auto& p = c.b.result(s->id).problem) {
        ++n.reasons[c.kind + " " + p->code];
        if (p->remedyText.empty() && p->remedies.empty()) wrong = p->code + " says nothing to do";
        if (tell || p->code.rfind("LM-K", 0) == 0 || p->code.rfind("LM-R03", 0) == 0)
          std::printf("%lu %s refused: %s %s\n", seed, c.kind.c_str(), p->code.c_str(), sentence(*p).c_str());
        if (p->code == "LM-K001" || p->code == "LM-R030") wrong = "it failed inside";
      }
  }
  if (seconds > kMostSeconds) wrong = "it took " + std::to_string(seconds) + " s";
  if (wrong.empty()) return;
  ++n.wrong;
  std::printf("%lu %s WRONG: %s\n", seed, c.kind.c_str(), wrong.c_str());
  std::fflush(stdout);
}

} // namespace

int main(int argc, char** argv) {
  const int count = argc > 1 ? std::atoi(argv[1]) : 300;
  const unsigned long seed = argc > 2 ? std::strtoul(argv[2], nullptr, 10) : 1;
  Count n;
  if (argc > 3)
    judge(std::strtoul(argv[3], nullptr, 10), n, true);
  else
    for (int i = 0; i < count; ++i) judge(seed * 100000 + (unsigned long)i, n, false);
  std::printf("%d right or told, %d refused with a reason, %d wrong\n", n.ok, n.refused, n.wrong);
  for (const auto& [reason, times] : n.reasons) std::printf("  %s: %d\n", reason.c_str(), times);
  return n.wrong > 0;
}

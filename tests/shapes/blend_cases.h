#pragma once
#include "nurbs/fit/interpolate.h"
#include "nurbs/measure/closest.h"
#include "nurbs/measure/surface_measure.h"
#include "nurbs/measure/wrinkles.h"
#include "nurbs/on_skin/surface_curves.h"
#include "nurbs/patch/blend.h"
#include "shapes/vessels.h"

#include <random>

namespace lumsk::test {

/// Two made-up skins and an edge on each, to be blended.
struct BlendCase {
  std::string name;
  std::array<std::vector<std::shared_ptr<const nurbs::NearestOnSurface>>, 2> skins; ///< by stretch between corners, or one
  std::vector<std::shared_ptr<const nurbs::Surface>> kept;
  std::array<nurbs::BlendSide, 2> sides;

  static nurbs::Neighbour beside(const std::vector<std::shared_ptr<const nurbs::NearestOnSurface>>& skins) {
    return [skins](const Vec3& p) {
      std::optional<nurbs::NeighbourPlace> best;
      for (const auto& near : skins) {
        const auto f = near->foot(p);
        if (best && f.distanceMm >= best->distanceMm) continue;
        best.emplace();
        best->normal = f.normal, best->distanceMm = f.distanceMm;
        near->surface().derivatives(f.uv.x(), f.uv.y(), 3, best->d);
      }
      return best;
    };
  }
};

class BlendCases {
public:
  explicit BlendCases(unsigned seed) : random_(seed) {}

  /// Kinds: 0 facing, 1 narrow, 2 steep, 3 hairpin, 4 closed plates, 5 a tube to a plate, 6 with corners.
  BlendCase make(int kind, int order) {
    BlendCase c;
    static const char* names[] = {"facing", "narrow", "steep", "hairpin", "closed plates", "tube to plate", "corners"};
    c.name = names[kind];
    const Eigen::Isometry3d placed = Eigen::Translation3d(in(-200, 200), in(-200, 200), in(-200, 200)) *
                                     Eigen::AngleAxisd(in(0, 3), Vec3(in(-1, 1), in(-1, 1), in(-1, 1)).normalized());
    const bool closed = kind == 4 || kind == 5;
    double height = 0, wave = 0;
    for (size_t k : {0u, 1u}) {
      Eigen::Isometry3d t = placed;
      if (k == 0 || kind != 3) height = in(4, 15), wave = in(0.02, 0.12); // both sides of a wall are much alike
      nurbs::Surface s = wavyForm(height, wave);
      if (k == 1 && !closed) {
        const double gap = kind == 1 ? in(2, 6) : in(kind == 6 ? 40 : 15, 90), tilt = kind == 2 ? in(60, 120) : kind == 3 ? in(-3, 3) : in(-40, 40);
        const double side = kind == 3 ? in(4, 20) : 0;
        // Around its near border, which lies at y = -80 of its own.
        t = t * Eigen::Translation3d(kind == 1 || kind == 3 ? in(-1, 1) : in(-8, 8), (kind == 3 ? in(-3, 3) : gap + 16), side + in(-4, 4)) *
            Eigen::AngleAxisd(radFromDeg(tilt), Vec3::UnitX()) * Eigen::AngleAxisd(radFromDeg(kind == 1 || kind == 3 ? in(-1, 1) : in(-8, 8)), Vec3::UnitZ()) *
            Eigen::Translation3d(0, kind == 3 ? 0 : 16, 0);
      }
      if (k == 1 && kind == 4)
        t = t * Eigen::Translation3d(in(-8, 8), in(-8, 8), in(10, 30)) *
            Eigen::AngleAxisd(radFromDeg(in(-15, 15)), Vec3(in(-1, 1), in(-1, 1), 0.1).normalized());
      if (k == 1 && kind == 5) {
        s = tube(in(14, 20), in(60, 90), in(0, 0.15));
        t = t * Eigen::Translation3d(in(-6, 6), in(-6, 6), in(22, 40)) *
            Eigen::AngleAxisd(radFromDeg(in(-25, 25)), Vec3(in(-1, 1), in(-1, 1), 0.1).normalized());
      }
      const auto skin = std::make_shared<const nurbs::Surface>(nurbs::transformed(s, t));
      c.kept.push_back(skin);
      c.skins[k] = {std::make_shared<const nurbs::NearestOnSurface>(*skin)};
      nurbs::BlendSide& side = c.sides[k];
      side.neighbourLeft = 0;
      if (closed) {
        side.path = kind == 5 && k == 1 ? rim(*skin) : hole(*skin, kind == 5 ? in(0.2, 0.26) : in(0.15, 0.3));
        side.neighbourLeft = kind == 5 && k == 1 ? 1 : -1;
      } else {
        side.path = k == 0 || kind == 3 ? edge(*skin, 0.6, kind) : edge(*skin, 0.4, kind);
        side.neighbourLeft = k == 0 || kind == 3 ? -1 : 1;
      }
      if (in(0, 1) < 0.5) side.path = nurbs::reversed(side.path), side.neighbourLeft = -side.neighbourLeft;
      side.meets = meetsOf(order);
      side.neighbour = [n = BlendCase::beside(c.skins[k])](const std::vector<Vec3>&) { return n; };
    }
    return c;
  }

  /// Two wavy edges of 100 mm, 9 mm high, on forms that lean by 20 degrees.
  static BlendCase reference(int order) {
    BlendCase c;
    c.name = "reference";
    for (size_t k : {0u, 1u}) {
      const auto skin = std::make_shared<const nurbs::Surface>(
          nurbs::transformed(wavyForm(14, 0.1), Eigen::Isometry3d(Eigen::Translation3d(0, k ? 95 : 0, k ? -12 : 0) *
                                                                  Eigen::AngleAxisd(k ? -0.35 : 0.0, Vec3::UnitX()))));
      c.kept.push_back(skin);
      c.skins[k] = {std::make_shared<const nurbs::NearestOnSurface>(*skin)};
      std::vector<Vec2> places;
      for (int i = 0; i <= 100; ++i) {
        const double t = i / 100.0;
        places.push_back({0.2 + 0.6 * t, (k ? 0.4 : 0.6) + 0.028 * std::sin(2 * kPi * (k ? 1.5 * t + 0.2 : 2 * t))});
      }
      c.sides[k].path = *nurbs::Path::make({through(*skin, places, false)}, {0.001});
      c.sides[k].neighbourLeft = k ? 1 : -1;
      c.sides[k].meets = meetsOf(order);
      c.sides[k].neighbour = [n = BlendCase::beside(c.skins[k])](const std::vector<Vec3>&) { return n; };
    }
    return c;
  }

private:
  static Meets meetsOf(int order) {
    static constexpr Meets orders[] = {Meets::G0, Meets::G1, Meets::G2, Meets::G3};
    return orders[order];
  }
  double in(double a, double b) { return std::uniform_real_distribution<double>(a, b)(random_); }

  static nurbs::Spline through(const nurbs::Surface& s, const std::vector<Vec2>& places, bool closed) {
    Points p(Eigen::Index(places.size()), 3);
    for (size_t i = 0; i < places.size(); ++i) p.row(Eigen::Index(i)) = s.at(places[i].x(), places[i].y()).transpose();
    nurbs::InterpolationOptions o;
    o.degree = 5;
    o.closed = closed;
    return *nurbs::interpolate(p, o);
  }
  nurbs::Path edge(const nurbs::Surface& s, double v, int kind) {
    const bool corners = kind == 6, close = kind == 1 || kind == 3; // their ends lie beside one another
    const double from = close ? in(0.2, 0.21) : in(0.1, 0.3), to = close ? in(0.8, 0.81) : in(0.7, 0.9), wave = in(0, kind == 1 ? 0.004 : 0.028), waves = in(1, 2.2), phase = in(0, 6);
    std::vector<double> ends{from};
    if (corners) ends.insert(ends.end(), {from + (to - from) * in(0.28, 0.36), from + (to - from) * in(0.62, 0.7)});
    ends.push_back(to);
    std::vector<nurbs::Segment> segments;
    for (size_t k = 0; k + 1 < ends.size(); ++k) {
      std::vector<Vec2> places;
      for (int i = 0; i <= 60; ++i) {
        const double u = ends[k] + (ends[k + 1] - ends[k]) * i / 60.0, t = (u - from) / (to - from);
        // Corners by steps in the slope that are the same wherever they lie.
        const double bent = corners ? 0.07 * (k == 1 ? 1 : k == 0 ? (u - ends[0]) / (ends[1] - ends[0]) : (ends[3] - u) / (ends[3] - ends[2])) : 0;
        places.push_back({u, v + wave * std::sin(2 * kPi * waves * t + phase) + (v > 0.5 ? bent : -bent)});
      }
      segments.push_back(through(s, places, false));
    }
    return *nurbs::Path::make(segments, {0.001});
  }
  nurbs::Path hole(const nurbs::Surface& s, double radius) {
    const double x = in(0.44, 0.56), y = in(0.44, 0.56), second = in(0, 0.12), third = in(0, 0.05), a = in(0, 6), b = in(0, 6);
    std::vector<Vec2> places;
    for (int i = 0; i < 90; ++i) {
      const double t = 2 * kPi * i / 90;
      const double r = radius * (1 + second * std::cos(2 * t + a) + third * std::cos(3 * t + b));
      places.push_back({x + r * std::cos(t), y + r * std::sin(t)});
    }
    return *nurbs::Path::make({through(s, places, true)}, {0.001});
  }
  static nurbs::Path rim(const nurbs::Surface& s) { return *nurbs::Path::make({s.isoV(0)}, {0.001}); }
  /// Around z, from z = 0 upwards; `waist`: how much it narrows.
  static nurbs::Surface tube(double radius, double height, double waist) {
    std::vector<nurbs::Section> rings;
    for (int i = 0; i < 5; ++i)
      rings.push_back({*nurbs::circle(levelAt(height * i / 4), 2 * radius * (1 - waist * std::sin(kPi * i / 4.0)))});
    return nurbs::loft(rings, {}, {})->strips.front();
  }

  std::mt19937 random_;
};

/// The worst of a blend against its neighbours along its edges, measured between the places that fits take, and whether
/// it turns over somewhere.
struct BlendJudged {
  double gapMm = 0;
  nurbs::SkinJoin join;
  int points = 0;
  double wrinkles = 0, besideWrinkles = 0;
};
inline BlendJudged judged(const BlendCase& c, const nurbs::BlendResult& r, int order) {
  BlendJudged out;
  out.wrinkles = nurbs::wrinkleIndex(r.patches);
  nurbs::Extent box{Vec3::Constant(1e300), Vec3::Constant(-1e300)};
  for (const nurbs::Surface& s : r.patches) {
    out.points += s.controlPoints();
    const nurbs::Extent own = nurbs::extentOf(s);
    box = {box.low.cwiseMin(own.low), box.high.cwiseMax(own.high)};
  }
  const double size = (box.high - box.low).norm();
  for (size_t k : {0u, 1u}) {
    const nurbs::Neighbour beside = c.sides[k].neighbour({});
    for (int i = 0; i < 97; ++i) {
      const double t = c.sides[k].path.last() * (i + 0.37) / 97;
      nurbs::CurveDerivatives d;
      c.sides[k].path.derivatives(t, 1, d);
      double best = 1e300;
      nurbs::SurfaceDerivatives at;
      for (const nurbs::Surface& s : r.patches) {
        const auto f = nurbs::closestPoint(*nurbs::Path::make({s.isoV(double(k))}, {1e-9}), d[0]);
        if (f.distanceMm >= best) continue;
        best = f.distanceMm;
        s.derivatives(f.t, double(k), 3, at);
      }
      out.gapMm = std::max(out.gapMm, best);
      if (order > 0) out.join.take(nurbs::joinWith(*beside(d[0]), order, at, d[1].normalized(), 1 / (10 * size)), {});
    }
  }
  out.besideWrinkles = nurbs::wrinkleIndex({*c.kept[0]});
  out.besideWrinkles = std::max(out.besideWrinkles, nurbs::wrinkleIndex({*c.kept[1]}));
  return out;
}

} // namespace lumsk::test

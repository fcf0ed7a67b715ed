#pragma once
#include "nurbs/curves/shapes.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/on_skin/surface_curves.h"
#include "nurbs/patch/fill.h"
#include "shapes/vessels.h"

#include <random>

namespace lumsk::test {

/// A made-up ring with what lies beside its edges.
struct FillCase {
  std::string name;
  std::vector<std::shared_ptr<const nurbs::Surface>> skins;
  std::vector<nurbs::FillEdge> ring;
};

class FillCases {
public:
  explicit FillCases(unsigned seed) : random_(seed) {}
  double in(double a, double b) { return std::uniform_real_distribution<double>(a, b)(random_); }

  static nurbs::Neighbour beside(std::shared_ptr<const nurbs::Surface> skin) {
    const auto near = std::make_shared<const nurbs::NearestOnSurface>(*skin);
    return [near, skin](const Vec3& p) -> std::optional<nurbs::NeighbourPlace> {
      const auto f = near->foot(p);
      nurbs::NeighbourPlace n{{}, f.normal, f.distanceMm};
      skin->derivatives(f.uv.x(), f.uv.y(), 3, n.d);
      return n;
    };
  }
  /// On a surface, over a bent line between places of its domain.
  static nurbs::Path over(const nurbs::Surface& s, const Vec2& a, const Vec2& b, double bulge, int places = 60) {
    Points p(places + 1, 3);
    const Vec2 n(-(b - a).y(), (b - a).x());
    for (int i = 0; i <= places; ++i) {
      const double t = double(i) / places;
      const Vec2 x = a + t * (b - a) + bulge * 4 * t * (1 - t) * n;
      p.row(i) = s.at(x.x(), x.y()).transpose();
    }
    nurbs::InterpolationOptions o;
    o.degree = 5;
    return *nurbs::Path::make({*nurbs::interpolate(p, o)}, {0.001});
  }
  static Meets meetsOf(int order) {
    static constexpr Meets all[] = {Meets::G0, Meets::G1, Meets::G2};
    return all[order];
  }
  Eigen::Isometry3d anywhere() {
    return Eigen::Translation3d(in(-200, 200), in(-200, 200), in(-200, 200)) *
           Eigen::AngleAxisd(in(0, 3), Vec3(in(-1, 1), in(-1, 1), in(-1, 1)).normalized());
  }

  /// A hole in one wavy form with so many edges, corners at uneven angles, sides bent.
  FillCase hole(int edges, int order, double radius = 0.3) {
    FillCase c;
    c.name = std::to_string(edges) + " edges";
    const auto form = std::make_shared<const nurbs::Surface>(nurbs::transformed(wavyForm(in(6, 15), in(0.03, 0.1)), anywhere()));
    c.skins = {form};
    const nurbs::Neighbour n = beside(form);
    std::vector<Vec2> corners;
    for (int k = 0; k < edges; ++k) {
      const double a = 2 * kPi * (k + in(-0.25, 0.25)) / edges, r = radius * in(0.75, 1.15);
      corners.push_back(Vec2(0.5 + r * std::cos(a), 0.5 + r * std::sin(a)));
    }
    for (int k = 0; k < edges; ++k)
      c.ring.push_back({over(*form, corners[size_t(k)], corners[size_t(k + 1) % corners.size()], in(-0.08, 0.08)), meetsOf(order), n});
    return c;
  }
  /// A round or long hole of one closed edge; `ratio` of its sizes.
  FillCase round(int order, double ratio) {
    FillCase c;
    c.name = "round";
    const auto form = std::make_shared<const nurbs::Surface>(nurbs::transformed(wavyForm(in(6, 15), in(0.03, 0.1)), anywhere()));
    c.skins = {form};
    Points p(120, 3);
    for (int i = 0; i < 120; ++i) {
      const double a = 2 * kPi * i / 120;
      p.row(i) = form->at(0.5 + 0.3 * std::cos(a), 0.5 + 0.3 * ratio * std::sin(a)).transpose();
    }
    nurbs::InterpolationOptions o;
    o.degree = 5, o.closed = true;
    c.ring.push_back({*nurbs::Path::make({*nurbs::interpolate(p, o)}, {0.001}), meetsOf(order), beside(form)});
    return c;
  }
  /// Corners given in the domain of one form.
  FillCase polygon(const std::string& name, const std::vector<Vec2>& corners, int order, double bulge = 0) {
    FillCase c;
    c.name = name;
    const auto form = std::make_shared<const nurbs::Surface>(nurbs::transformed(wavyForm(in(6, 15), in(0.03, 0.1)), anywhere()));
    c.skins = {form};
    for (size_t k = 0; k < corners.size(); ++k)
      c.ring.push_back({over(*form, corners[k], corners[(k + 1) % corners.size()], bulge), meetsOf(order), beside(form)});
    return c;
  }
  /// The rim of a ball with what is left of it, cut in so many edges.
  FillCase ball(int edges, int order, double upTo = 0.5) {
    FillCase c;
    c.name = "ball";
    const double r = 40;
    const Eigen::Isometry3d t = anywhere();
    const auto at = [t, r](double a, double b) { return Vec3(t * Vec3(r * std::cos(b) * std::cos(a), r * std::cos(b) * std::sin(a), r * std::sin(b))); };
    const nurbs::Neighbour n = [t, r](const Vec3& p) -> std::optional<nurbs::NeighbourPlace> {
      const Vec3 q = t.inverse() * p;
      nurbs::NeighbourPlace out;
      const double a = std::atan2(q.y(), q.x()), b = std::asin(std::clamp(q.z() / q.norm(), -1.0, 1.0));
      const double ca = std::cos(a), sa = std::sin(a), cb = std::cos(b), sb = std::sin(b);
      const Eigen::Matrix3d m = t.linear();
      out.d(0, 0) = t * Vec3(r * cb * ca, r * cb * sa, r * sb);
      out.d(1, 0) = m * Vec3(-r * cb * sa, r * cb * ca, 0), out.d(0, 1) = m * Vec3(-r * sb * ca, -r * sb * sa, r * cb);
      out.d(2, 0) = m * Vec3(-r * cb * ca, -r * cb * sa, 0), out.d(1, 1) = m * Vec3(r * sb * sa, -r * sb * ca, 0);
      out.d(0, 2) = m * Vec3(-r * cb * ca, -r * cb * sa, -r * sb);
      out.d(3, 0) = m * Vec3(r * cb * sa, -r * cb * ca, 0), out.d(2, 1) = m * Vec3(r * sb * ca, r * sb * sa, 0);
      out.d(1, 2) = m * Vec3(r * cb * sa, -r * cb * ca, 0), out.d(0, 3) = m * Vec3(r * sb * ca, r * sb * sa, -r * cb);
      out.normal = m * (q / q.norm());
      out.distanceMm = std::abs(q.norm() - r);
      return out;
    };
    const double b = (upTo - 0.5) * kPi; // 0.5: the equator
    for (int k = 0; k < edges; ++k) {
      Points p(41, 3);
      for (int i = 0; i <= 40; ++i) p.row(i) = at(2 * kPi * (k + i / 40.0) / edges, b).transpose();
      nurbs::InterpolationOptions o;
      o.degree = 5;
      c.ring.push_back({*nurbs::Path::make({*nurbs::interpolate(p, o)}, {0.001}), meetsOf(order), n});
    }
    return c;
  }
  /// Neighbours that agree in the corners only: strips that lean and bend away from the form between them.
  FillCase unrelated(int edges, int order) {
    FillCase c = hole(edges, order);
    c.name = "unrelated " + c.name;
    const auto form = c.skins.front();
    const nurbs::NearestOnSurface near(*form);
    for (nurbs::FillEdge& e : c.ring) {
      constexpr int kPlaces = 60;
      Points p(kPlaces + 1, 3);
      for (int i = 0; i <= kPlaces; ++i) p.row(i) = e.path.at(e.path.last() * i / kPlaces).transpose();
      const std::vector<double> at = nurbs::parametersFor(p, nurbs::Spacing::Centripetal, false);
      const double lean = radFromDeg(in(-15, 15)), bend = in(-0.01, 0.01);
      nurbs::Rows rows(kPlaces + 1, 9);
      for (int i = 0; i <= kPlaces; ++i) {
        nurbs::CurveDerivatives d;
        const double t = double(i) / kPlaces;
        e.path.derivatives(std::min(e.path.last() * t, std::nextafter(e.path.last(), 0.0)), 1, d);
        const auto foot = near.foot(d[0]);
        nurbs::SurfaceDerivatives s;
        form->derivatives(foot.uv.x(), foot.uv.y(), 3, s);
        const Vec3 n = foot.normal, out = n.cross(d[1]).normalized();
        const double k = nurbs::normalSection(s, n, out).curvature, part = std::pow(4 * t * (1 - t), 3);
        const Vec3 first = std::cos(lean * part) * out + std::sin(lean * part) * n;
        const Vec3 second = (k + bend * part) * (std::cos(lean * part) * n - std::sin(lean * part) * out);
        rows.row(i) << d[0].transpose(), first.transpose(), second.transpose();
      }
      const auto fit = nurbs::interpolateRows(at, rows, 5, nurbs::Rows(0, 9), nurbs::Rows(0, 9));
      Points grid(3 * fit->controls.rows(), 3);
      const double reach = 20; // to both sides of the edge
      for (Eigen::Index i = 0; i < fit->controls.rows(); ++i) {
        const Vec3 a = fit->controls.row(i).segment<3>(0), b = fit->controls.row(i).segment<3>(3), f = fit->controls.row(i).segment<3>(6);
        grid.row(3 * i) = (a - reach * b + 0.5 * reach * reach * f).transpose();
        grid.row(3 * i + 1) = (a - 0.5 * reach * reach * f).transpose();
        grid.row(3 * i + 2) = (a + reach * b + 0.5 * reach * reach * f).transpose();
      }
      const auto own = std::make_shared<const nurbs::Surface>(nurbs::Surface::trusted(5, 2, fit->knots, nurbs::uniformKnots(2, 1), grid, false));
      c.skins.push_back(own);
      e.neighbour = beside(own);
      e.path = *nurbs::Path::make({own->isoV(0.5)}, {0.001});
    }
    return c;
  }

private:
  std::mt19937 random_;
};

/// The worst of a fill against what lies beside its ring, at 25 and more places of every edge, apart from zones.
struct FillJudged {
  double gapMm = 0;
  nurbs::SkinJoin join;
};
inline FillJudged judged(const FillCase& c, const nurbs::FillResult& r) {
  FillJudged out;
  const nurbs::NearestOnSurface on(r.surface);
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (const auto& e : c.ring)
    for (int i = 0; i <= 20; ++i) {
      const Vec3 p = e.path.at(e.path.last() * i / 20);
      low = low.cwiseMin(p), high = high.cwiseMax(p);
    }
  for (const auto& e : c.ring)
    for (int i = 0; i < 37; ++i) {
      nurbs::CurveDerivatives d;
      e.path.derivatives(e.path.last() * (i + 0.43) / 37, 1, d);
      const bool zone = std::any_of(r.corners.begin(), r.corners.end(), [&](const auto& k) { return (k.at - d[0]).norm() < 1.02 * k.zoneMm; });
      const auto f = on.foot(d[0]);
      out.gapMm = std::max(out.gapMm, f.distanceMm);
      if (zone || orderOf(e.meets) == 0) continue;
      nurbs::SurfaceDerivatives s;
      r.surface.derivatives(f.uv.x(), f.uv.y(), 3, s);
      out.join.take(nurbs::joinWith(*e.neighbour(d[0]), orderOf(e.meets), s, d[1].normalized(), 1 / (10 * (high - low).norm())), {});
    }
  return out;
}

} // namespace lumsk::test

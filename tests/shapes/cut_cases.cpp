#include "shapes/cut_cases.h"

#include "brep/convert.h"
#include "brep/knit.h"
#include "brep/skin.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/on_skin/surface_curves.h"
#include "shapes/bodies.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepClass3d_SolidClassifier.hxx>
#include <BRepClass_FaceClassifier.hxx>
#include <BRepLib.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Geom2d_Circle.hxx>
#include <Geom_CylindricalSurface.hxx>
#include <ShapeAnalysis_Surface.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <TopoDS_Shell.hxx>
#include <TopoDS_Wire.hxx>

#include <Eigen/LU>

#include <fmt/format.h>
#include <random>

namespace lumsk::test {

namespace {

using nurbs::Surface;
using Height = std::function<double(const Vec3&)>;

class Random {
public:
  explicit Random(unsigned seed) : engine_(seed) {}
  double operator()(double a, double b) { return a + (b - a) * (double(engine_()) / 4294967296.0); }
  int upTo(int n) { return int(engine_() % unsigned(n)); }

private:
  std::mt19937 engine_;
};

/// A spline surface whose control points are a function at the Greville abscissae.
Surface grid(int pu, int pv, int nu, int nv, const std::function<Vec3(double, double)>& f) {
  const nurbs::Knots U = nurbs::uniformKnots(pu, nu - pu), V = nurbs::uniformKnots(pv, nv - pv);
  const auto greville = [](const nurbs::Knots& k, int p, int i) {
    double s = 0;
    for (int j = 1; j <= p; ++j) s += k[size_t(i + j)];
    return s / p;
  };
  Points g(nu * nv, 3);
  for (int i = 0; i < nu; ++i)
    for (int j = 0; j < nv; ++j) g.row(i * nv + j) = f(greville(U, pu, i), greville(V, pv, j)).transpose();
  return Surface::trusted(pu, pv, U, V, std::move(g), false);
}

struct Size {
  int pu, pv, nu, nv;
};
Size sizeOf(int i) {
  constexpr Size kAll[] = {{3, 3, 6, 5}, {3, 3, 8, 8}, {5, 3, 10, 6}, {4, 4, 12, 10}, {5, 5, 14, 12}, {3, 3, 20, 20}, {5, 5, 8, 8}, {3, 5, 16, 14}};
  return kAll[i % 8];
}

/// A height field with a few low waves.
std::function<double(double, double)> waves(Random& r, double amplitude, double bend) {
  std::array<std::array<double, 4>, 4> w;
  for (int i = 0; i < 4; ++i)
    w[size_t(i)] = {amplitude * r(0.3, 1) / (i + 1), r(-1, 1) * 0.03 * (i + 1), r(-1, 1) * 0.03 * (i + 1), r(0, 6.28)};
  const double tilt = r(-0.1, 0.1);
  return [=](double x, double y) {
    double z = bend * x * x + tilt * y;
    for (const auto& a : w) z += a[0] * std::sin(a[1] * x + a[2] * y + a[3]);
    return z;
  };
}

brep::BodyPtr bodyOf(const Surface& s, const std::string& name = "t.skin") {
  return *brep::skinFromSurfaces({{std::make_shared<const Surface>(s), name}}, {});
}

/// About 100 x 80 mm, unevenly parameterised.
Surface skin(Random& r, int i) {
  const Size z = sizeOf(i);
  const auto w = waves(r, 6, r(-0.003, 0.003));
  const double a = r(-0.06, 0.06), b = r(-0.06, 0.06), q = r(-8, 8);
  return grid(z.pu, z.pv, z.nu, z.nv, [&](double u, double v) {
    const double x = 100 * (u + a * std::sin(6.28 * u) * (0.5 + v)) - 50,
                 y = 80 * (v + b * std::sin(3.14 * v) * u) - 40 + q * std::sin(3.14 * u);
    return Vec3(x, y, w(x, y));
  });
}

/// The same with straight sides in plan.
Surface field(Random& r, int i) {
  const Size z = sizeOf(i);
  const auto w = waves(r, 5, 0.002);
  return grid(z.pu, z.pv, z.nu, z.nv, [&](double u, double v) {
    return Vec3(100 * u - 50, 80 * v - 40, w(100 * u - 50, 80 * v - 40));
  });
}

struct Cutter {
  brep::Divider divider;
  Height height;
};

Cutter plane(const Vec3& at, const Vec3& normal) {
  const Vec3 n = normal.normalized();
  return {{"", Frame::fromNormal(at, n)}, [at, n](const Vec3& p) { return (p - at).dot(n); }};
}

Cutter cylinder(const Vec3& at, const Vec3& along, double radius, double half = 150) {
  const Vec3 d = along.normalized(), foot = at - half * d;
  const gp_Ax3 ax(brep::toPnt(foot), gp_Dir(d.x(), d.y(), d.z()));
  const TopoDS_Face f =
      BRepBuilderAPI_MakeFace(Handle(Geom_Surface)(new Geom_CylindricalSurface(ax, radius)), 0, 2 * kPi, 0, 2 * half, 1e-6).Face();
  brep::Divider x;
  x.body = std::make_shared<brep::Body>(kernelBody(f));
  return {x, [=](const Vec3& p) {
            const Vec3 q = p - at;
            const double h = q.dot(d);
            return std::max(std::sqrt(std::max(0.0, q.squaredNorm() - h * h)) - radius, std::abs(h) - half);
          }};
}

nurbs::Spline graph(double x0, double x1, const std::function<double(double)>& f, double turn, const Vec2& shift, int n) {
  const Surface g = grid(3, 1, n, 2, [&](double t, double) {
    const double x = x0 + t * (x1 - x0), y = f(x);
    return Vec3(std::cos(turn) * x - std::sin(turn) * y + shift.x(), std::sin(turn) * x + std::cos(turn) * y + shift.y(), 0);
  });
  return g.isoV(0);
}

/// Signed distance from a planar curve that goes on straight, seen from above: left is positive.
Height leftOf(const nurbs::Spline& c) {
  return [c](const Vec3& q) {
    const Vec3 p(q.x(), q.y(), 0);
    const auto path = *nurbs::Path::make({c}, {1e-3});
    double best = 1e300, t = 0;
    for (int i = 0; i <= 400; ++i)
      if (const double d = (c.at(i / 400.0) - p).squaredNorm(); d < best) best = d, t = i / 400.0;
    nurbs::CurveDerivatives d;
    for (int it = 0; it < 10; ++it) {
      c.derivatives(t, 2, d);
      const Vec3 r = d[0] - p;
      const double h = d[1].squaredNorm() + r.dot(d[2]);
      if (h <= 0) break;
      t = c.closed() ? t - r.dot(d[1]) / h - std::floor(t - r.dot(d[1]) / h) : std::clamp(t - r.dot(d[1]) / h, 0.0, 1.0);
    }
    c.derivatives(t, 1, d);
    return d[1].normalized().cross(p - d[0]).z();
  };
}

/// A wall over a curve in the plane z = 0, as a skin or as the curve itself with a direction.
Cutter wall(const nurbs::Spline& c, bool asCurve) {
  brep::Divider x;
  if (asCurve) {
    x.path = std::make_shared<const nurbs::Path>(*nurbs::Path::make({c}, {1e-3}));
    x.direction = Vec3::UnitZ();
  } else {
    x.body = bodyOf(nurbs::extrudedSurface(c, {0, 0, -80}, {0, 0, 80}), "c.wall");
  }
  return {x, leftOf(c)};
}

nurbs::Spline ring(Random& r, const Vec2& at, double radius, double wobble, int lobes) {
  constexpr int kPoints = 12;
  const double phase = r(0, 6.28);
  Points p(kPoints, 3);
  for (int i = 0; i < kPoints; ++i) {
    const double a = 2 * kPi * i / kPoints, q = radius * (1 + wobble * std::cos(lobes * a + phase));
    p.row(i) << at.x() + q * std::cos(a), at.y() + q * std::sin(a), 0;
  }
  nurbs::InterpolationOptions o;
  o.closed = true;
  return *nurbs::interpolate(p, o);
}

Eigen::Isometry3d turned(double x, double y, double z, const Vec3& shift) {
  Eigen::Isometry3d t = Eigen::Isometry3d::Identity();
  t.translate(shift);
  t.rotate(Eigen::AngleAxisd(z, Vec3::UnitZ()) * Eigen::AngleAxisd(y, Vec3::UnitY()) * Eigen::AngleAxisd(x, Vec3::UnitX()));
  return t;
}

/// A free skin as cutter: a height field in a frame of its own, which goes on straight beyond its border.
Cutter freeSkin(Random& r, int i, double hx, double hy, const Eigen::Isometry3d& t) {
  const Size z = sizeOf(i);
  const auto w = waves(r, 5, 0.001);
  const Surface flat = grid(z.pu, z.pv, z.nu, z.nv, [&](double u, double v) {
    return Vec3((2 * u - 1) * hx, (2 * v - 1) * hy, w((2 * u - 1) * hx, (2 * v - 1) * hy));
  });
  brep::Divider x;
  x.body = bodyOf(nurbs::transformed(flat, t), "c.free");
  const Eigen::Isometry3d back = t.inverse();
  return {x, [=](const Vec3& p) {
            const Vec3 l = back * p;
            nurbs::SurfaceDerivatives d;
            flat.derivatives(std::clamp(0.5 * (l.x() / hx + 1), 0.0, 1.0), std::clamp(0.5 * (l.y() / hy + 1), 0.0, 1.0), 1, d);
            const double sx = d(1, 0).z() / d(1, 0).x(), sy = d(0, 1).z() / d(0, 1).y();
            return (l.z() - d(0, 0).z() - sx * (l.x() - d(0, 0).x()) - sy * (l.y() - d(0, 0).y())) / std::sqrt(1 + sx * sx + sy * sy);
          }};
}

/// Closed around the z axis, open or with a pole at the top.
Surface tube(Random& r, int around, int along, double radius, double height, double wobble, bool pole) {
  const double p1 = r(0, 6), p2 = r(0, 6), k = r(0.5, 1.5), turn = r(0, 6);
  const nurbs::Knots V = nurbs::uniformKnots(3, along - 3);
  Points once(around * along, 3);
  for (int i = 0; i < around; ++i)
    for (int j = 0; j < along; ++j) {
      double v = 0;
      for (int m = 1; m <= 3; ++m) v += V[size_t(j + m)] / 3;
      const double a = 2 * kPi * i / around + turn, w = 1 + wobble * (std::cos(2 * a + p1) + 0.5 * std::cos(3 * a + p2 + 2 * v));
      double q = radius * w * (1 + 0.15 * std::sin(k * 3 * v + p1)), z = height * v;
      if (pole) {
        q = radius * std::cos(v * kPi / 2) * (1 + (w - 1) * (1 - v)), z = height * std::sin(v * kPi / 2);
        if (j >= along - 2) z = height;
        if (j == along - 1) q = 0;
      }
      once.row(i * along + j) << q * std::cos(a), q * std::sin(a), z;
    }
  nurbs::Knots periodic;
  for (int i = -3; i <= around + 3; ++i) periodic.push_back(double(i) / around);
  nurbs::Spline line;
  Points all;
  for (int j = 0; j < along; ++j) {
    Points column(around + 3, 3);
    for (int i = 0; i < around + 3; ++i) column.row(i) = once.row((i % around) * along + j);
    line = nurbs::clamp(3, periodic, column, true);
    if (j == 0) all.resize(line.size() * along, 3);
    for (int i = 0; i < line.size(); ++i) all.row(i * along + j) = line.points().row(i);
  }
  return Surface::trusted(3, 3, line.knots(), V, std::move(all), true);
}

TopoDS_Face withHole(const Surface& s, double radius) {
  const TopoDS_Face whole = brep::naturalFace(s, false, {0.001});
  TopoDS_Face f = TopoDS::Face(whole.EmptyCopied());
  BRep_Builder builder;
  for (TopExp_Explorer x(whole, TopAbs_WIRE); x.More(); x.Next()) builder.Add(f, x.Current());
  const Handle(Geom2d_Curve) c = new Geom2d_Circle(gp_Ax2d(gp_Pnt2d(0.5, 0.5), gp_Dir2d(1, 0)), radius);
  const TopoDS_Edge e = BRepBuilderAPI_MakeEdge(c, BRep_Tool::Surface(f)).Edge();
  BRepLib::BuildCurve3d(e, 1e-5, GeomAbs_C1, 14, 60);
  BRepLib::SameParameter(e, 1e-5);
  TopoDS_Wire w;
  builder.MakeWire(w);
  builder.Add(w, e.Reversed());
  w.Closed(true);
  builder.Add(f, w);
  return f;
}

/// One skin as a patchwork of faces that share edges.
brep::BodyPtr patchwork(const Surface& s, int across, int along) {
  std::vector<brep::NamedSurface> all;
  for (int i = 0; i < across; ++i)
    for (int j = 0; j < along; ++j)
      all.push_back({std::make_shared<const Surface>(nurbs::portion(s, double(i) / across, double(i + 1) / across, double(j) / along, double(j + 1) / along)),
                     fmt::format("t.skin{}{}", i, j)});
  return *brep::skinFromSurfaces(all, {});
}

class Maker {
public:
  Maker(int perKind, unsigned seed) : many_(perKind), seed_(seed) {}

  std::vector<CutCase> run() {
    for (int i = 0; i < many_; ++i) {
      for (auto make : {&Maker::clean, &Maker::corner, &Maker::tangent, &Maker::edge, &Maker::tooShort, &Maker::several, &Maker::seam, &Maker::pole,
                        &Maker::trimmed, &Maker::patched, &Maker::foreign, &Maker::coincident}) {
        Random r(seed_ * 7919u + unsigned(i) * 104729u + unsigned(out_.size()));
        (this->*make)(r, i);
      }
    }
    return std::move(out_);
  }

private:
  CutCase& add(const std::string& kind, int i, brep::BodyPtr target, std::vector<Cutter> cutters) {
    CutCase c;
    c.kind = kind;
    c.name = fmt::format("{} {}", kind, i);
    c.target = std::move(target);
    for (size_t k = 0; k < cutters.size(); ++k) {
      cutters[k].divider.id = "c" + std::to_string(k);
      c.dividers.push_back(cutters[k].divider);
      c.heights.push_back(cutters[k].height);
    }
    out_.push_back(std::move(c));
    return out_.back();
  }

  static Cutter anyCutter(Random& r, int i, const Vec3& m) {
    switch (i % 6) {
    case 0: return plane(m + Vec3(r(-20, 20), r(-15, 15), 0), {r(-1, 1), r(0.3, 1), r(-0.4, 0.4)});
    case 1: return cylinder(m + Vec3(r(-20, 20), r(-12, 12), 0), {r(-0.4, 0.4), r(-0.4, 0.4), 1}, r(8, 30));
    case 2:
    case 3: {
      const double a = r(2, 8), k = r(0.03, 0.08), p = r(0, 6);
      return wall(graph(-90, 90, [=](double x) { return a * std::sin(k * x + p); }, r(0, 3), Vec2(m.x() + r(-8, 8), m.y() + r(-8, 8)), 14), i % 6 == 3);
    }
    case 4: return wall(ring(r, Vec2(m.x() + r(-12, 12), m.y() + r(-8, 8)), r(10, 20), r(0.05, 0.25), 2 + i % 3), r(0, 1) > 0.5);
    default: return freeSkin(r, i, 90, 90, turned(r(1.2, 1.9), r(-0.3, 0.3), r(-1, 1), m + Vec3(r(-8, 8), r(-8, 8), 0)));
    }
  }

  void clean(Random& r, int i) {
    const Surface s = skin(r, r.upTo(8));
    add("clean", i, bodyOf(s), {anyCutter(r, i, s.at(0.5, 0.5))});
  }

  void corner(Random& r, int i) {
    const Surface s = skin(r, r.upTo(8));
    const Vec3 a = s.at(0, 0), b = s.at(1, 1), e = s.at(r(0.3, 0.6), 1);
    if (i % 3 == 0) add("corner", i, bodyOf(s), {plane(a, (b - a).cross(Vec3(0.1, -0.1, 1)))}).pieces = 2;
    if (i % 3 == 1) add("corner", i, bodyOf(s), {plane(a, (e - a).cross(Vec3::UnitZ()))}).pieces = 2;
    if (i % 3 == 2)
      add("corner", i, bodyOf(s), {wall(graph(0, 160, [](double x) { return 4 * std::sin(x / 30); }, std::atan2(b.y() - a.y(), b.x() - a.x()), a.head<2>(), 12), r(0, 1) > 0.5)})
          .pieces = 2;
  }

  void tangent(Random& r, int i) {
    const double sx = r(0.003, 0.006), sy = r(0.003, 0.006), xy = r(-0.0008, 0.0008);
    const bool saddle = i % 4 == 2;
    const Surface s = grid(3, 3, 8 + i % 4, 8, [&](double u, double v) {
      const double x = 100 * u - 50, y = 80 * v - 40;
      return Vec3(x, y, (saddle ? 1 : -1) * sx * x * x - sy * y * y + xy * x * y + (saddle ? 0 : 0.02 * x));
    });
    if (i % 4 == 3) { // line contact in a trough
      const Surface t = grid(3, 3, 9, 7, [](double u, double v) { return Vec3(100 * u - 50, 80 * v - 40, 0.01 * (80 * v - 40) * (80 * v - 40)); });
      const double q = r(15, 35);
      CutCase& c = add("tangent", i, bodyOf(t), {cylinder({0, 0, t.at(0.5, 0.5).z() + q}, Vec3::UnitX(), q)});
      c.pieces = 2; // divided along the contact
      c.heights.clear();
      return;
    }
    // Where the tangent plane is level.
    Vec2 at(0.5, 0.5);
    for (int it = 0; it < 40; ++it) {
      nurbs::SurfaceDerivatives d;
      s.derivatives(at.x(), at.y(), 2, d);
      Eigen::Matrix2d m;
      m << d(2, 0).z(), d(1, 1).z(), d(1, 1).z(), d(0, 2).z();
      at -= m.inverse() * Vec2(d(1, 0).z(), d(0, 1).z());
    }
    const Vec3 p = s.at(at.x(), at.y());
    if (i % 4 == 0) { // touches at one place
      CutCase& c = add("tangent", i, bodyOf(s), {plane(p, Vec3::UnitZ())});
      c.mayRefuse = true, c.pieces = 1;
    }
    if (i % 4 == 1) add("tangent", i, bodyOf(s), {plane(p - Vec3(0, 0, std::pow(10, r(-3, -1))), Vec3::UnitZ())}).pieces = 2;
    if (saddle) add("tangent", i, bodyOf(s), {plane(p, Vec3::UnitZ())}).pieces = 4;
  }

  void edge(Random& r, int i) {
    const Surface s = field(r, r.upTo(8));
    if (i % 3 == 0) { // runs along a side: nothing to cut
      CutCase& c = add("edge", i, bodyOf(s), {plane({0, -40, 0}, Vec3::UnitY())});
      c.pieces = 1, c.mayRefuse = true;
    }
    if (i % 3 == 1) { // along the first part of a side, then it leaves smoothly
      const double bend = r(0.003, 0.006), from = r(-15, 15);
      add("edge", i, bodyOf(s), {wall(graph(-90, 90, [=](double x) { return x < from ? 0 : bend * (x - from) * (x - from); }, 0, {0, -40}, 40), r(0, 1) > 0.5)}).pieces = 2;
    }
    if (i % 3 == 2) { // along an inner edge
      const Surface g = skin(r, r.upTo(8));
      const nurbs::Spline e = g.isoU(0.5);
      brep::Divider d;
      d.body = bodyOf(nurbs::extrudedSurface(e, {-3, 0, -40}, {3, 0, 40}), "c.wall");
      add("edge", i, patchwork(g, 2, 2), {{d, {}}}).pieces = 2;
      out_.back().heights.clear();
    }
  }

  void tooShort(Random& r, int i) {
    const Surface s = field(r, r.upTo(8));
    const double lack = i % 4 == 0 ? 0.0 : std::pow(10, r(-3.4, 0.69));
    const bool wallLike = i % 2 == 0;
    CutCase& c = wallLike ? add("short", i, bodyOf(s), {wall(graph(-90, 50 - lack, [](double x) { return 5 * std::sin(x / 25); }, 0, {0, r(-10, 10)}, 14), r(0, 1) > 0.5)})
                          : add("short", i, bodyOf(s), {freeSkin(r, i + 2, 50 - lack, 60, turned(kPi / 2, 0, 0, {0, r(-5, 5), 0}))});
    c.pieces = 2;
  }

  void several(Random& r, int i) {
    const Surface s = skin(r, r.upTo(8));
    const Vec3 m = s.at(0.5, 0.5);
    std::vector<Cutter> all;
    const auto bent = [&](double turn, double x, double y) {
      const double k = r(15, 25);
      return wall(graph(-90, 90, [k](double q) { return 4 * std::sin(q / k); }, turn, {x, y}, 14), r(0, 1) > 0.5);
    };
    if (i % 4 == 0) all = {plane(m + Vec3(r(-10, 10), 0, 0), {1, r(-0.3, 0.3), r(-0.3, 0.3)}), plane(m + Vec3(0, r(-10, 10), 0), {r(-0.3, 0.3), 1, r(-0.2, 0.2)})};
    if (i % 4 == 1) all = {bent(0, 0, -12), bent(0.2, 0, 12), bent(kPi / 2, -20, 0), plane(m + Vec3(18, 0, 0), {1, 0.2, 0.1})};
    if (i % 4 == 2) { // three through one line
      const Vec3 p = m + Vec3(r(-5, 5), r(-5, 5), 0);
      all = {plane(p, {1, 0.2, 0}), plane(p, {-0.3, 1, 0}), plane(p, {1, -1, 0})};
    }
    if (i % 4 == 3) all = {wall(ring(r, m.head<2>(), 20, 0.15, 3), r(0, 1) > 0.5), plane(m + Vec3(r(-5, 5), 0, 0), {1, 0.3, 0.1}), cylinder(m + Vec3(12, 8, 0), Vec3::UnitZ(), 15)};
    add("several", i, bodyOf(s), all);
  }

  void seam(Random& r, int i) {
    const Surface t = tube(r, 8 + r.upTo(8), 6 + r.upTo(6), 25, 80, 0.1, false);
    const Vec3 m = t.at(0, 0.5);
    if (i % 4 == 0) add("seam", i, bodyOf(t), {plane({0, 0, r(30, 50)}, {r(-0.3, 0.3), r(-0.3, 0.3), 1})});
    if (i % 4 == 1) add("seam", i, bodyOf(t), {cylinder(m, {m.x(), m.y(), r(-5, 5)}, r(5, 10), 22)}).pieces = 2;
    if (i % 4 == 2) add("seam", i, bodyOf(t), {plane({r(-4, 4), r(-4, 4), 0}, {r(-1, 1), r(0.2, 1), r(-0.05, 0.05)})});
    if (i % 4 == 3) add("seam", i, bodyOf(t), {plane(Vec3::Zero(), {-m.y(), m.x(), 0})}); // along the seam, nearly
  }

  void pole(Random& r, int i) {
    const Surface d = tube(r, 8 + r.upTo(8), 7 + r.upTo(4), 40, 30, 0.08, true);
    const Vec3 p = d.at(0, 1);
    const Vec3 n(r(0.2, 1), r(-1, 1), 0);
    if (i % 4 == 0) add("pole", i, bodyOf(d), {plane(p, n)}).pieces = 2;
    if (i % 4 == 1) add("pole", i, bodyOf(d), {plane(p + std::pow(10, r(-2, 0)) * n.normalized(), n)}).pieces = 2;
    if (i % 4 == 2) add("pole", i, bodyOf(d), {plane(p - Vec3(0, 0, r(1, 10)), {r(-0.05, 0.05), r(-0.05, 0.05), 1})}).pieces = 2;
    if (i % 4 == 3) add("pole", i, bodyOf(d), {plane(p, n), plane(p - Vec3(0, 0, r(3, 9)), {0.02, 0, 1})}).pieces = 4;
  }

  void trimmed(Random& r, int i) {
    const Surface s = skin(r, r.upTo(8));
    const Vec3 m = s.at(0.5, 0.5);
    const auto b = std::make_shared<brep::Body>(kernelBody(withHole(s, 0.18)));
    if (i % 3 == 0) add("trimmed", i, b, {plane(m + Vec3(0, r(-4, 4), 0), {r(-0.3, 0.3), 1, 0.1})});
    if (i % 3 == 1) add("trimmed", i, b, {wall(graph(-90, 90, [](double x) { return 3 * std::sin(x / 20); }, kPi / 2, {m.x() + 30, 0}, 14), r(0, 1) > 0.5)}).pieces = 2;
    if (i % 3 == 2) add("trimmed", i, b, {wall(ring(r, m.head<2>(), 30, 0.1, 2), r(0, 1) > 0.5)}).pieces = 2;
  }

  void patched(Random& r, int i) {
    const Surface s = skin(r, r.upTo(8));
    const int across = 1 + r.upTo(4), along = 1 + r.upTo(2);
    const Vec3 m = s.at(0.5, 0.5);
    if (i % 3 == 0) add("faces", i, patchwork(s, across, along), {anyCutter(r, r.upTo(6), m)});
    if (i % 3 == 1) add("faces", i, patchwork(s, 2, 2), {plane(m, {0.5, 1, 0.1})});
    if (i % 3 == 2) add("faces", i, patchwork(s, across, along), {anyCutter(r, 0, m), anyCutter(r, 2, m)});
    out_.back().one = bodyOf(s);
  }

  void foreign(Random& r, int i) {
    const Surface s = skin(r, r.upTo(8));
    const TopoDS_Face f = i % 2 ? withHole(s, 0.15) : brep::naturalFace(s, false, {0.001});
    gp_Trsf a, b;
    a.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(r(-1, 1), r(-1, 1), r(0.1, 1))), r(-2, 2));
    b.SetTranslation(gp_Vec(r(-500, 500), r(-500, 500), r(-500, 500)));
    const gp_Trsf t = b * a;
    const TopoDS_Shape moved = i % 4 < 2 ? f.Moved(TopLoc_Location(t)) : BRepBuilderAPI_Transform(f, t, true).Shape();
    const auto shift = [&](const Vec3& p) { return brep::toVec(brep::toPnt(p).Transformed(t)); };
    const Vec3 m = shift(s.at(0.5, 0.5)), n = shift(s.at(0.5, 0.5) + Vec3(r(-0.3, 0.3), 1, r(-0.3, 0.3))) - m;
    const Vec3 z = shift(s.at(0.5, 0.5) + Vec3(r(-0.2, 0.2), r(-0.2, 0.2), 1)) - m;
    add("foreign", i, std::make_shared<brep::Body>(kernelBody(moved)), {i % 3 == 0 ? cylinder(m, z, r(20, 30)) : plane(m + r(-8, 8) * n, n)});
  }

  void coincident(Random& r, int i) {
    const auto w = waves(r, 5, 0.002);
    const double off = i % 4 == 0 ? 0.0 : std::pow(10, r(-4, -1));
    const auto at = [&](double u, double v, double add) { return Vec3(100 * u - 50, 80 * v - 40, w(100 * u - 50, 80 * v - 40) + add); };
    const Surface s = grid(3, 3, 8, 8, [&](double u, double v) { return at(u, v, 0); });
    const Surface other = grid(3, 3, 8, 8, [&](double u, double v) {
      const double x = 100 * u - 50;
      return at(u, v, (x > 10 ? 0.01 * (x - 10) * (x - 10) : 0.0) - off);
    });
    brep::Divider d;
    d.body = bodyOf(other, "c.free");
    CutCase& c = add("coincident", i, bodyOf(s), {{d, {}}});
    c.heights = {[other](const Vec3& p) { return p.z() - other.at(p.x() / 100 + 0.5, p.y() / 80 + 0.5).z(); }};
    c.mayRefuse = off < 0.0005;
  }

  int many_;
  unsigned seed_;
  std::vector<CutCase> out_;
};

/// A solid of sewn faces.
brep::BodyPtr solidOf(const std::vector<TopoDS_Face>& all, const std::string& name) {
  std::vector<brep::NamedFace> named;
  for (const TopoDS_Face& f : all) named.push_back({f, name + std::to_string(named.size()), brep::naturalOf(f)});
  return brep::knitFaces(named, {1e-3}, {})->body;
}

TopoDS_Face lid(const Surface& s, bool atLast) {
  const nurbs::Spline c = s.isoV(atLast ? s.lastV() : s.firstV());
  const TopoDS_Wire w = brep::toWire(*nurbs::Path::make({c}, {1e-3}));
  return BRepBuilderAPI_MakeFace(gp_Pln(brep::toPnt(c.at(c.first())), gp_Dir(0, 0, 1)), w).Face();
}

brep::BodyPtr pebble(Random& r, double radius, double height, const Eigen::Isometry3d& t) {
  const Surface s = nurbs::transformed(tube(r, 8 + r.upTo(6), 7 + r.upTo(3), radius, height, 0.06, true), t);
  gp_Trsf g;
  const auto& m = t.matrix();
  g.SetValues(m(0, 0), m(0, 1), m(0, 2), m(0, 3), m(1, 0), m(1, 1), m(1, 2), m(1, 3), m(2, 0), m(2, 1), m(2, 2), m(2, 3));
  const TopoDS_Shape bottom = BRepBuilderAPI_Transform(lid(nurbs::transformed(s, t.inverse()), false), g, true).Shape();
  return solidOf({brep::naturalFace(s, false, {0.001}), TopoDS::Face(bottom)}, "pebble");
}

brep::BodyPtr bottle(Random& r, double radius, double height, const Eigen::Isometry3d& t) {
  const Surface s = tube(r, 8 + r.upTo(6), 6 + r.upTo(4), radius, height, 0.06, false);
  const auto b = solidOf({brep::naturalFace(s, false, {0.001}), lid(s, false), lid(s, true)}, "bottle");
  return *brep::moved(*b, t);
}

brep::BodyPtr kernelSolid(const TopoDS_Shape& s) { return std::make_shared<brep::Body>(kernelBody(s)); }

brep::BodyPtr box(const Vec3& low, const Vec3& size, const Vec3& axis) {
  return kernelSolid(BRepPrimAPI_MakeBox(gp_Ax2(brep::toPnt(low), gp_Dir(axis.x(), axis.y(), axis.z())), size.x(), size.y(), size.z()).Shape());
}
brep::BodyPtr drill(const Vec3& at, const Vec3& axis, double radius, double length) {
  return kernelSolid(BRepPrimAPI_MakeCylinder(gp_Ax2(brep::toPnt(at), gp_Dir(axis.x(), axis.y(), axis.z())), radius, length).Shape());
}

} // namespace

std::vector<CombineCase> combineCases(int many, unsigned seed) {
  static const char* const kKinds[] = {"crossing", "touching", "flush", "coincident", "nearly coincident", "many"};
  const Eigen::Isometry3d none = Eigen::Isometry3d::Identity();
  std::vector<CombineCase> out;
  for (int i = 0; i < many; ++i) {
    Random r(seed * 7331u + unsigned(i) * 92821u);
    CombineCase c;
    c.kind = kKinds[i % 6];
    const bool free = i / 6 % 2;
    // 60 high on its base in z = 0, whatever it is.
    c.target = free ? bottle(r, 20, 60, none) : i / 12 % 2 ? drill({0, 0, 0}, {0, 0, 1}, 20, 60) : box({-25, -20, 0}, {50, 40, 60}, {0, 0, 1});
    Eigen::Isometry3d t = none;
    switch (i % 6) {
    case 0: c.tools = {free ? bottle(r, 15, 70, turned(r(-0.5, 0.5), r(1, 2), 0, {-30, r(-10, 10), r(20, 40)})) : drill({r(-12, 12), r(-8, 8), r(10, 40)}, {r(-1, 1), r(-1, 1), r(0.2, 1)}, r(4, 9), 70)}; break;
    case 1: c.tools = {box({-8, -6, 60}, {r(6, 14), r(6, 12), 20}, {0, 0, 1})}; break;             // stands on it
    case 2: { // level with its top, or with its base
      const double low = i / 24 % 2 ? 0 : r(20, 40);
      c.tools = {box({r(-12, -4), r(-9, -3), low}, {90, r(8, 20), low > 0 ? 60 - low : r(20, 40)}, {0, 0, 1})};
      break;
    }
    case 3: // the same all round, further up
      t.translate(Vec3(0, 0, free ? 0 : r(10, 40)));
      if (free) t.rotate(Eigen::AngleAxisd(kPi, Vec3::UnitZ()));
      c.tools = {*brep::moved(*c.target, t)};
      break;
    case 4: t.translate(0.001 * Vec3(r(-1, 1), r(-1, 1), r(-1, 1)).normalized()), c.tools = {*brep::moved(*c.target, t)}; break;
    default:
      for (int k = 0; k < 5 + i % 4; ++k) c.tools.push_back(drill({14 * std::cos(k * 0.8), 14 * std::sin(k * 0.8), r(-20, 20)}, {r(-0.3, 0.3), r(-0.3, 0.3), 1}, r(1.5, 3.5), r(50, 90)));
    }
    out.push_back(std::move(c));
  }
  return out;
}

std::vector<CutCase> solidCases(int many, unsigned seed) {
  std::vector<CutCase> out;
  for (int i = 0; i < many; ++i) {
    Random r(seed * 6151u + unsigned(i) * 92821u);
    CutCase c;
    const bool hard = i % 10 >= 7;
    c.kind = hard ? "hard" : "solid";
    c.name = fmt::format("{} {}", c.kind, i);
    const Eigen::Isometry3d none = Eigen::Isometry3d::Identity();
    brep::Divider d, e;
    d.id = "c0", e.id = "c1";
    c.target = i % 2 ? bottle(r, 18, 80, none) : pebble(r, 40, 30, none);
    if (!hard) switch (i % 10) {
      case 0: d.body = drill({r(-15, 15), r(-15, 15), -10}, {r(-0.2, 0.2), r(-0.2, 0.2), 1}, r(4, 10), 80); break;
      case 1: d.body = box({r(2, 5), -30, r(15, 25)}, {60, 60, 25}, {r(-0.1, 0.1), 0.1, 1}); break;
      case 2: d.body = bottle(r, 18, 80, turned(r(-0.5, 0.5), r(-0.5, 0.5), 0, {r(-10, 10), r(-10, 10), -30})); break;
      case 3: d.plane = Frame::fromNormal({0, 0, r(20, 60)}, {r(-0.4, 0.4), r(-0.4, 0.4), 1}); break;
      case 4: d.body = pebble(r, 30, 40, turned(r(-0.5, 0.5), r(1, 2), 0, {r(5, 20), r(-10, 10), r(2, 9)})); break;
      case 5:
        d.plane = Frame::fromNormal({r(-5, 5), r(-5, 5), 40}, {1, r(-0.4, 0.4), r(-0.3, 0.3)});
        e.plane = Frame::fromNormal({0, 0, r(30, 50)}, {r(-0.4, 0.4), r(-0.4, 0.4), 1});
        break;
      default: d.body = freeSkin(r, r.upTo(8), 60, 60, turned(r(0.3, 0.8), r(-0.3, 0.3), r(-1, 1), {r(-5, 5), r(-5, 5), 12})).divider.body;
      }
    const double eps = std::pow(10, r(-3.3, -1));
    Eigen::Isometry3d t = none;
    if (hard) switch (r.upTo(6)) {
      case 0: t.translate(Vec3(eps, 0, 0)), d.body = *brep::moved(*c.target, t); break;
      case 1: t.translate(Vec3(0, 0, eps)), d.body = *brep::moved(*c.target, t); break;
      case 2: t.rotate(Eigen::AngleAxisd(eps, Vec3::UnitZ())), d.body = *brep::moved(*c.target, t); break;
      case 3: d.body = box({r(-12, -8), -12, 0}, {24, 72, 12}, {0, 0, 1}); break; // flush
      case 4: d.body = drill({r(-3, 3), r(-3, 3), i % 2 ? 60.0 : 10.0}, {0, 0, 1}, 9, 20); break; // flush, or within
      default: d.plane = Frame::fromNormal({0, 0, i % 2 ? 80 - eps : 30 - eps}, {0, 0, 1}); // just below the top
      }
    c.mayRefuse = hard;
    c.dividers = {d};
    if (e.plane) c.dividers.push_back(e);
    out.push_back(std::move(c));
  }
  return out;
}

std::vector<CutCase> cutCases(int perKind, unsigned seed) { return Maker(perKind, seed).run(); }

std::optional<int> piecesByRaster(const CutCase& c, int cells) {
  const auto all = brep::faces(c.one ? *c.one : *c.target);
  if (all.size() != 1 || c.heights.empty()) return {};
  const TopoDS_Face& f = all[0];
  const Handle(Geom_Surface) s = BRep_Tool::Surface(f);
  double u0, u1, v0, v1;
  BRepTools::UVBounds(f, u0, u1, v0, v1);
  const bool whole = c.one || c.target->natural.size() == 1, around = whole && s->IsUClosed();
  std::vector<int> sides(size_t(cells * cells), -1), label(size_t(cells * cells), -1);
  for (int i = 0; i < cells; ++i)
    for (int j = 0; j < cells; ++j) {
      const gp_Pnt2d uv(u0 + (u1 - u0) * (i + 0.5) / cells, v0 + (v1 - v0) * (j + 0.5) / cells);
      if (!whole && BRepClass_FaceClassifier(f, uv, 1e-7).State() != TopAbs_IN) continue;
      const Vec3 p = brep::toVec(s->Value(uv.X(), uv.Y()));
      int& k = sides[size_t(i * cells + j)] = 0;
      for (size_t d = 0; d < c.heights.size(); ++d) k |= (c.heights[d](p) > 0 ? 1 : 0) << d;
    }
  int found = 0;
  for (int a = 0; a < cells * cells; ++a) {
    if (label[size_t(a)] >= 0 || sides[size_t(a)] < 0) continue;
    std::vector<int> open{a};
    label[size_t(a)] = found;
    int size = 0;
    while (!open.empty()) {
      const int x = open.back();
      open.pop_back();
      ++size;
      for (const auto& [di, dj] : {std::pair{1, 0}, {-1, 0}, {0, 1}, {0, -1}}) {
        int i = x / cells + di;
        const int j = x % cells + dj;
        if (around) i = (i + cells) % cells;
        if (i < 0 || i >= cells || j < 0 || j >= cells) continue;
        const size_t y = size_t(i * cells + j);
        if (label[y] < 0 && sides[y] == sides[size_t(a)]) label[y] = found, open.push_back(int(y));
      }
    }
    if (size >= cells / 50) ++found; // fewer say nothing at this resolution
  }
  return found;
}

namespace {

double areaOf(const brep::Body& b) { return brep::massOf(b.shape).areaMm2; }

/// Whether all of a piece lies on one side of every divider.
std::string offSides(const CutCase& c, const brep::Body& piece) {
  for (const TopoDS_Face& f : brep::faces(piece)) {
    const Handle(Geom_Surface) s = BRep_Tool::Surface(f);
    double u0, u1, v0, v1;
    BRepTools::UVBounds(f, u0, u1, v0, v1);
    constexpr int kPlaces = 14;
    std::vector<int> sign(c.heights.size(), 0);
    for (int i = 0; i < kPlaces; ++i)
      for (int j = 0; j < kPlaces; ++j) {
        const gp_Pnt2d uv(u0 + (u1 - u0) * (i + 0.5) / kPlaces, v0 + (v1 - v0) * (j + 0.5) / kPlaces);
        if (BRepClass_FaceClassifier(f, uv, 1e-7).State() != TopAbs_IN) continue;
        const Vec3 p = brep::toVec(s->Value(uv.X(), uv.Y()));
        for (size_t d = 0; d < c.heights.size(); ++d) {
          const double h = c.heights[d](p);
          if (std::abs(h) < 0.003) continue;
          const int now = h > 0 ? 1 : -1;
          if (sign[d] != 0 && now != sign[d]) return fmt::format("a piece lies on both sides of cutter {} ({:.4f} mm)", d, h);
          sign[d] = now;
        }
      }
  }
  return {};
}

std::string offEdges(const CutCase& c, const brep::Body& piece) {
  const auto all = brep::edges(piece);
  for (size_t k = 0; k < all.size(); ++k) {
    if (piece.edgeNames[k].find("|cut:") == std::string::npos) continue;
    double a, b;
    const Handle(Geom_Curve) curve = BRep_Tool::Curve(all[k], a, b);
    for (int i = 1; i < 20; ++i) {
      const gp_Pnt p = curve->Value(a + (b - a) * i / 20);
      double off = 1e300;
      for (const TopoDS_Face& f : brep::faces(*c.target)) {
        ShapeAnalysis_Surface s(BRep_Tool::Surface(f));
        off = std::min(off, s.Value(s.ValueOfUV(p, 1e-7)).Distance(p));
      }
      if (off > 0.001) return fmt::format("an edge is {:.5f} mm off the skin", off);
      if (c.heights.empty()) continue;
      double least = 1e300;
      for (const auto& h : c.heights) least = std::min(least, std::abs(h(brep::toVec(p))));
      if (least > 0.001) return fmt::format("an edge is {:.5f} mm off the cutters", least);
    }
  }
  return {};
}

} // namespace

namespace {

/// Pieces of a solid: closed, together as large as it, and none on both sides of the first divider.
std::string wrongVolumes(const CutCase& c, const std::vector<brep::BodyPtr>& pieces) {
  double sum = 0;
  for (const auto& p : pieces) {
    if (!p->solid()) return "a piece is no solid";
    const double v = brep::massOf(p->shape).volumeMm3;
    if (!(v > 0)) return "a piece is inside out";
    sum += v;
  }
  const double all = brep::massOf(c.target->shape).volumeMm3;
  if (std::abs(sum / all - 1) > 2e-5) return fmt::format("volumes sum up to {:.6f} of the whole", sum / all);
  if (pieces.size() < 2) return "it is not divided";
  const brep::Divider& d = c.dividers.front();
  if (!d.body || !d.body->solid()) return {};
  BRepClass3d_SolidClassifier in(d.body->shape);
  for (const auto& p : pieces) { // places of the outer skin
    int sides = 0;
    for (const TopoDS_Face& f : brep::faces(*p)) {
      double u0, u1, v0, v1;
      BRepTools::UVBounds(f, u0, u1, v0, v1);
      for (int i = 1; i < 8; ++i)
        for (int j = 1; j < 8; ++j) {
          const gp_Pnt2d uv(u0 + (u1 - u0) * i / 8, v0 + (v1 - v0) * j / 8);
          if (BRepClass_FaceClassifier(f, uv, 1e-7).State() != TopAbs_IN) continue;
          in.Perform(BRep_Tool::Surface(f)->Value(uv.X(), uv.Y()), 0.003);
          if (in.State() == TopAbs_IN) sides |= 1;
          if (in.State() == TopAbs_OUT) sides |= 2;
        }
    }
    if (sides == 3) return "a piece lies on both sides of the tool";
  }
  return {};
}

} // namespace

std::string wrongWith(const CutCase& c, const std::vector<brep::BodyPtr>& pieces) {
  int wanted = c.pieces;
  for (int cells : {160, 640, 1600}) // small pieces need a fine one
    if (c.pieces < 0 && int(pieces.size()) != wanted) wanted = piecesByRaster(c, cells).value_or(int(pieces.size()));
  if (wanted >= 0 && int(pieces.size()) != wanted) return fmt::format("{} pieces, {} wanted", pieces.size(), wanted);
  double area = 0;
  for (const auto& p : pieces) {
    area += areaOf(*p);
    if (!brep::checkValid(p->shape)) return "a piece is not valid";
    if (const double t = brep::largestTolerance(p->shape); t > 0.01) return fmt::format("a piece is {:.4f} mm rough", t);
    if (std::string s = offSides(c, *p); !s.empty()) return s;
    if (std::string s = offEdges(c, *p); !s.empty()) return s;
  }
  if (c.target->solid()) return wrongVolumes(c, pieces);
  const double all = areaOf(*c.target);
  if (std::abs(area / all - 1) > 2e-5) return fmt::format("areas sum up to {:.6f} of the whole", area / all);
  return {};
}

} // namespace lumsk::test

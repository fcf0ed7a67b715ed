#include "inspect/wall.h"

#include "inspect/joins.h"

#include "brep/convert.h"
#include "brep/guard.h"

#include <BRepAdaptor_Curve.hxx>
#include <IntCurvesFace_ShapeIntersector.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <gp_Lin.hxx>

#include <set>

namespace lumsk::inspect {

namespace {
constexpr double kKinkDeg = 0.5; ///< faces that turn by more make an edge that the wall is not measured at
}

std::vector<WallSample> wallBelow(const brep::Body& b, const std::string& face, int places) {
  std::vector<WallSample> out;
  const auto natural = b.natural.find(face);
  if (natural == b.natural.end()) return out;
  const auto done = brep::guarded("measuring the wall", [&]() -> Expected<bool> {
    const nurbs::Surface& s = *natural->second.surface;
    // Places on the edges of other kinds of faces and on kinks, for the distance to them.
    std::vector<Vec3> rims;
    std::set<std::string> kinks;
    for (const Join& j : joins(b, {}))
      if (j.angleDeg > kKinkDeg) kinks.insert(j.edge);
    const auto edges = brep::edges(b);
    for (size_t i = 0; i < edges.size(); ++i) {
      if (!kinks.count(b.edgeNames[i])) continue;
      const BRepAdaptor_Curve c(edges[i]);
      for (int k = 0; k <= 256; ++k)
        rims.push_back(brep::toVec(c.Value(c.FirstParameter() + (c.LastParameter() - c.FirstParameter()) * k / 256)));
    }
    IntCurvesFace_ShapeIntersector ray;
    ray.Load(b.shape, 1e-7);
    for (int i = 0; i < places; ++i) {
      // A low-discrepancy spread (golden ratio and its plastic companion, Roberts 2018).
      const double fu = std::fmod(0.5 + i * 0.7548776662466927, 1.0), fv = std::fmod(0.5 + i * 0.5698402909980532, 1.0);
      const double u = s.firstU() + fu * (s.lastU() - s.firstU()),
                   v = s.firstV() + (0.02 + 0.96 * fv) * (s.lastV() - s.firstV());
      const Vec3 p = s.at(u, v), inward = s.normal(u, v) * (natural->second.reversed ? 1.0 : -1.0);
      ray.Perform(gp_Lin(brep::toPnt(p), gp_Dir(inward.x(), inward.y(), inward.z())), 1e-4, 1e4);
      double nearest = 1e300;
      for (int k = 1; k <= ray.NbPnt(); ++k) nearest = std::min(nearest, ray.WParameter(k));
      WallSample w{p, nearest, 1e300};
      for (const Vec3& q : rims) w.toRimMm = std::min(w.toRimMm, (q - p).norm());
      out.push_back(w);
    }
    return true;
  });
  if (!done) out.clear();
  return out;
}

} // namespace lumsk::inspect

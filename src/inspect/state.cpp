#include "inspect/state.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/rings.h"
#include "brep/skin.h"
#include "inspect/face_measure.h"
#include "nurbs/on_skin/offset.h"
#include "nurbs/measure/surface_measure.h"

#include <BRepCheck_Analyzer.hxx>
#include <BRep_Tool.hxx>
#include <Geom_BSplineSurface.hxx>

namespace lumsk::inspect {

namespace {

std::vector<Opening> openingsOf(const brep::Body& b) {
  constexpr int kPerEdge = 64;
  std::vector<Opening> out;
  const auto all = brep::edges(b);
  for (const brep::Ring& r : brep::openRings(b.shape)) {
    Opening o;
    o.edges = int(r.edges.size());
    o.edge = int(std::find_if(all.begin(), all.end(), [&](const TopoDS_Edge& e) { return e.IsSame(r.edges.front()); }) - all.begin());
    const Points pts = brep::pointsAlong(r, kPerEdge);
    for (Eigen::Index i = 0; i < pts.rows(); ++i) {
      o.outline.push_back(pts.row(i).transpose());
      if (i + 1 < pts.rows() || r.closed) o.lengthMm += (pts.row((i + 1) % pts.rows()) - pts.row(i)).norm();
    }
    if (r.closed) o.outline.push_back(o.outline.front());
    out.push_back(std::move(o));
  }
  return out;
}

} // namespace

BodyState stateOf(const brep::Body& b) {
  BodyState s;
  const auto done = brep::guarded("measuring a body", [&]() -> Expected<bool> {
    s.solid = b.solid();
    s.valid = BRepCheck_Analyzer(b.shape).IsValid() && brep::meetsClosely(b.shape);
    const auto allFaces = brep::faces(b);
    s.faces = int(allFaces.size());
    s.openEdges = int(brep::openEdges(b.shape).size());
    s.openings = openingsOf(b);
    for (const TopoDS_Face& f : allFaces) {
      const Handle(Geom_BSplineSurface) g = Handle(Geom_BSplineSurface)::DownCast(BRep_Tool::Surface(f));
      if (!g.IsNull()) s.controlPoints += g->NbUPoles() * g->NbVPoles();
    }
    nurbs::Extent box;
    for (size_t i = 0; i < allFaces.size(); ++i) {
      const FaceMeasure m = measureFace(b, allFaces[i], i < b.faceNames.size() ? b.faceNames[i] : std::string(), box);
      s.areaMm2 += m.areaMm2;
      if (s.solid) s.volumeMm3 += m.momentMm3;
      box.low = box.low.cwiseMin(m.box.low);
      box.high = box.high.cwiseMax(m.box.high);
    }
    s.boxLow = box.low;
    s.boxHigh = box.high;
    s.largestToleranceMm = brep::largestTolerance(b.shape);
    return true;
  });
  // Inside out, without an inside or nowhere it is no solid, whatever its faces look like.
  const bool plausible = std::isfinite(s.areaMm2) && s.boxLow.allFinite() && s.boxHigh.allFinite() && (!s.solid || (std::isfinite(s.volumeMm3) && s.volumeMm3 > 0));
  if (!done || !plausible) s.valid = false;
  return s;
}

SmallestRadius smallestRadius(const brep::Body& b, bool front) {
  SmallestRadius out;
  for (const auto& [name, face] : b.natural) {
    const auto r = nurbs::tightestRadius(*face.surface, front != face.reversed);
    if (r.radiusMm < out.mm) out = {r.radiusMm, r.at};
  }
  return out;
}

} // namespace lumsk::inspect

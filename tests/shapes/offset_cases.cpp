#include "shapes/offset_cases.h"

#include "brep/convert.h"
#include "brep/skin.h"
#include "brep/thicken_parts.h"
#include "shapes/common_body.h"
#include "shapes/cut_cases.h"

#include <BRepBuilderAPI_MakeVertex.hxx>
#include <BRepExtrema_DistShapeShape.hxx>
#include <Geom_BSplineSurface.hxx>

namespace lumsk::test {

std::vector<OffsetCase> offsetCases(int perKind, int solids, unsigned seed) {
  std::vector<OffsetCase> out;
  std::vector<CutCase> cuts = cutCases(perKind, seed);
  for (CutCase& c : solidCases(solids, seed)) cuts.push_back(std::move(c));
  for (const CutCase& c : cuts) {
    if (c.kind == "hard") continue;
    const auto d = brep::Division::of({c.target}, c.dividers, {c.reachMm, "t"}, {});
    if (!d) continue;
    const auto made = (*d)->bodies(std::vector<char>((*d)->pieces().size(), 1), true, true, {});
    if (made) out.push_back({c.name, made->front().body});
  }
  return out;
}

double distanceTo(const brep::Body& b, const Vec3& p) {
  double best = 1e300;
  for (const auto& f : brep::faces(b))
    best = std::min(best, BRepExtrema_DistShapeShape(f, BRepBuilderAPI_MakeVertex(brep::toPnt(p))).Value());
  return best;
}

std::string wrongOffset(const brep::Body& from, const brep::Body& made, double mm) {
  constexpr double kOff = 0.0011; // two fits
  if (!brep::checkValid(made.shape)) return "not valid";
  if (brep::faces(from).size() != brep::faces(made).size()) return "number of faces";
  if (const double t = brep::largestTolerance(made.shape); t > 0.01) return "rough " + std::to_string(t);
  const bool kinked = !sharpEdges(from.shape).points.empty();
  int all = 0, exact = 0;
  for (const auto& f : brep::faces(made))
    for (const Vec3& p : brep::pointsInside(f, 4)) {
      const double off = distanceTo(from, p) - std::abs(mm);
      if (off < -kOff) return "nearer by " + std::to_string(-off);
      if (off > kOff && !kinked) return "further by " + std::to_string(off);
      ++all, exact += off <= kOff;
    }
  if (kinked && exact < 0.5 * all) return std::to_string(exact) + " of " + std::to_string(all) + " places at the distance";
  return {};
}

PointCounts controlPointsOf(const brep::Body& from, const brep::Body& made, int leastDegree) {
  PointCounts n;
  const auto before = brep::faces(from), after = brep::faces(made);
  for (size_t i = 0; i < before.size() && i < after.size(); ++i) {
    const auto a = Handle(Geom_BSplineSurface)::DownCast(BRep_Tool::Surface(before[i])),
               b = Handle(Geom_BSplineSurface)::DownCast(BRep_Tool::Surface(after[i]));
    if (!a.IsNull() && !b.IsNull() && std::min(a->UDegree(), a->VDegree()) >= leastDegree)
      n.before += a->NbUPoles() * a->NbVPoles(), n.after += b->NbUPoles() * b->NbVPoles();
  }
  return n;
}

} // namespace lumsk::test

#include "brep/foreign_sew.h"

#include "brep/guard.h"
#include "brep/rings.h"
#include "brep/skin.h"

#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRep_Builder.hxx>
#include <Bnd_Box.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <TopoDS_Shell.hxx>

#include <algorithm>
#include <cmath>

namespace lumsk::brep {

Expected<SewnApart> sewnApart(const std::vector<NamedFace>& faces, LengthTolerance gap, const Context& cx) {
  BRepBuilderAPI_Sewing sewing(gap.mm);
  sewing.SetMinTolerance(1e-7);
  for (const NamedFace& f : faces) sewing.Add(f.face);
  cx.report(0.7, "sewing");
  Handle(KernelProgress) progress = new KernelProgress(cx);
  sewing.Perform(progress->Start());
  if (cx.stopped()) return fail(cancelled());
  FaceHistory history;
  std::vector<TopoDS_Face> become;
  for (const NamedFace& f : faces) become.push_back(history.take(sewing, f));
  std::vector<TopoDS_Shape> found;
  for (TopExp_Explorer e(sewing.SewedShape(), TopAbs_SHELL); e.More(); e.Next()) {
    const auto solid = openEdges(e.Current()).empty() ? checkedSolid(e.Current()) : Expected<TopoDS_Shape>(e.Current());
    found.push_back(solid ? *solid : e.Current());
  }
  BRep_Builder builder;
  for (TopExp_Explorer e(sewing.SewedShape(), TopAbs_FACE, TopAbs_SHELL); e.More(); e.Next()) {
    TopoDS_Shell alone;
    builder.MakeShell(alone);
    builder.Add(alone, e.Current());
    found.push_back(alone);
  }
  SewnApart out;
  TopoDS_Compound before;
  builder.MakeCompound(before);
  for (const NamedFace& f : faces) builder.Add(before, f.face);
  out.joinedEdges = int(openEdges(before).size());
  for (const TopoDS_Shape& s : found) out.joinedEdges -= int(openEdges(s).size());
  out.joinedEdges /= 2;
  std::vector<std::pair<size_t, BodyPtr>> ordered;
  for (const TopoDS_Shape& s : found) {
    auto body = std::make_shared<Body>();
    body->shape = s;
    history.finish(*body);
    size_t first = faces.size();
    for (TopExp_Explorer e(s, TopAbs_FACE); e.More(); e.Next())
      for (size_t i = 0; i < first; ++i)
        if (become[i].IsSame(e.Current())) first = i;
    ordered.emplace_back(first, std::move(body));
  }
  std::stable_sort(ordered.begin(), ordered.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  for (auto& [first, body] : ordered) out.firstFaces.push_back(first), out.bodies.push_back(std::move(body));
  return out;
}

std::optional<SewProposal> sewProposal(const std::vector<BodyPtr>& skins, const Context& cx) {
  constexpr double kShare = 1e-3, kMostMm = 0.5, kMore = 1.2; // of the size, and beyond what is measured
  constexpr size_t kMostEdges = 4000, kShown = 20;
  std::vector<TopoDS_Edge> open;
  Bnd_Box box;
  for (const BodyPtr& b : skins) {
    const auto own = openEdges(b->shape);
    open.insert(open.end(), own.begin(), own.end());
    BRepBndLib::Add(b->shape, box, false);
  }
  if (open.empty() || open.size() > kMostEdges || box.IsVoid()) return {};
  const double reach = std::min(kMostMm, kShare * std::sqrt(box.SquareExtent()));
  const auto misses = nearMisses(open, reach, cx);
  if (misses.empty()) return {};
  SewProposal out;
  out.widestMm = misses.front().gapMm;
  for (const NearMiss& m : misses)
    if (out.where.size() < kShown) out.where.push_back(m.at);
  // Two figures, upwards.
  const double wanted = std::max(kMore * out.widestMm, cx.tolerances.point.mm), unit = std::pow(10.0, std::floor(std::log10(wanted)) - 1);
  out.gapMm = unit * std::ceil(wanted / unit - 1e-9);
  return out;
}

} // namespace lumsk::brep

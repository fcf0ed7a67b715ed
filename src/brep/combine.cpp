#include "brep/combine.h"

#include "brep/convert.h"
#include "brep/edge_paths.h"
#include "brep/guard.h"
#include "brep/knit.h"
#include "brep/skin.h"
#include "nurbs/curves/curve_parts.h"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBndLib.hxx>
#include <Bnd_Box.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_ListOfShape.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

Vec3 middleOf(const Body& b) {
  Bnd_Box box;
  BRepBndLib::Add(b.shape, box);
  return 0.5 * (toVec(box.CornerMin()) + toVec(box.CornerMax()));
}

/// Faces that touch where they cross, as of two equal tubes, have no definite curve between them: what the kernel then
/// makes is no solid.
Problem nearlyTouching(const Body& target, const Body& tool, const std::optional<Problem>& why) {
  Problem p = problem("LM-B012", "the bodies cannot be combined: their faces touch where they cross, or nearly so");
  if (why) p.where = why->where;
  if (p.where.empty()) {
    Bnd_Box a, b;
    BRepBndLib::Add(target.shape, a);
    BRepBndLib::Add(tool.shape, b);
    const Vec3 low = toVec(a.CornerMin()).cwiseMax(toVec(b.CornerMin())),
               high = toVec(a.CornerMax()).cwiseMin(toVec(b.CornerMax()));
    p.at(0.5 * (low + high));
  }
  return p.tryThis("make one of them a hundredth larger or smaller, or move it a little");
}

/// How far a shape reaches below and above a plane.
std::pair<double, double> reach(const TopoDS_Shape& shape, const Frame& plane) {
  gp_Trsf onto;
  onto.SetTransformation(gp_Ax3(toPnt(plane.origin), gp_Dir(plane.normal().x(), plane.normal().y(), plane.normal().z())));
  Bnd_Box box;
  BRepBndLib::AddOptimal(shape.Moved(TopLoc_Location(onto)), box, false, false);
  return {box.CornerMin().Z(), box.CornerMax().Z()};
}

/// Two solids that stand on one another with flat faces of the same outline: those faces go, and the rest is sewn.
/// There is nothing to intersect, which nearly equal outlines would make long and often wrong. Nothing where they do
/// not stand so.
BodyPtr stacked(const Body& target, const Body& tool, const Context& cx) {
  const double near = 2 * cx.tolerances.point.mm;
  const std::vector<NamedFace> below = namedFaces(target), above = namedFaces(tool);
  for (size_t i = 0; i < below.size(); ++i)
    for (size_t j = 0; j < above.size(); ++j) {
      const auto p = planeOf(target, int(i), cx.tolerances.point), q = planeOf(tool, int(j), cx.tolerances.point);
      if (!p || !q || p->normal().dot(q->normal()) > -1 + 1e-12 || std::abs(p->local(q->origin).z()) > near) continue;
      const auto one = outlineOf(target, int(i), cx.tolerances.point), other = outlineOf(tool, int(j), cx.tolerances.point);
      if (!one || !other || nurbs::deviationFrom(*one, *other).mm > near || nurbs::deviationFrom(*other, *one).mm > near)
        continue;
      if (reach(target.shape, *p).second > near || reach(tool.shape, *p).first < -near) continue;
      std::vector<NamedFace> all;
      for (size_t k = 0; k < below.size(); ++k)
        if (k != i) all.push_back(below[k]);
      for (size_t k = 0; k < above.size(); ++k)
        if (k != j) all.push_back(above[k]);
      const auto made = knitFaces(all, {10 * cx.tolerances.point.mm}, cx);
      if (made && made->body->solid() && checkedSolid(made->body->shape)) return made->body;
    }
  return nullptr;
}

Expected<std::vector<BodyPtr>> run(const Body& target, const Body& tool, Combine how, const Context& cx) {
  if (how == Combine::Add)
    if (auto made = stacked(target, tool, cx)) return std::vector<BodyPtr>{made};
  TopTools_ListOfShape arguments, tools;
  arguments.Append(target.shape);
  tools.Append(tool.shape);
  BRepAlgoAPI_Fuse fuse;
  BRepAlgoAPI_Cut cut;
  BRepAlgoAPI_BooleanOperation& op = how == Combine::Add ? static_cast<BRepAlgoAPI_BooleanOperation&>(fuse) : cut;
  op.SetArguments(arguments);
  op.SetTools(tools);
  op.SetNonDestructive(true);
  op.SetToFillHistory(true);
  op.SetRunParallel(true); // pairs of faces side by side: the same result
  op.Build();
  if (cx.stopped()) return fail(cancelled());
  const auto refused = [&](const char* what) {
    return fail(problem("LM-B010", what).at(middleOf(tool)).tryThis("move it so that it reaches into the other body"));
  };
  if (!op.IsDone() || op.Shape().IsNull()) return fail(nearlyTouching(target, tool, {}));
  FaceHistory history;
  for (const Body* b : {&target, &tool})
    for (const NamedFace& g : namedFaces(*b)) history.take(op, g);
  std::vector<std::pair<double, BodyPtr>> found;
  for (TopExp_Explorer e(op.Shape(), TopAbs_SOLID); e.More(); e.Next()) {
    auto piece = std::make_shared<Body>();
    auto solid = checkedSolid(e.Current());
    if (!solid) return fail(nearlyTouching(target, tool, solid.error()));
    piece->shape = *solid;
    history.finish(*piece);
    found.emplace_back(massOf(piece->shape).volumeMm3, std::move(piece));
  }
  if (found.empty()) return refused("nothing is left of the body");
  if (how == Combine::Add && found.size() > 1) return refused("the bodies do not touch");
  if (how == Combine::Cut && found.size() == 1 &&
      std::abs(found[0].first - massOf(target.shape).volumeMm3) < 1e-9 * found[0].first)
    return refused("the bodies do not touch");
  std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  std::vector<BodyPtr> out;
  for (auto& f : found) out.push_back(std::move(f.second));
  return out;
}

} // namespace

Expected<std::vector<BodyPtr>> combinedHere(const Body& target, const Body& tool, Combine how, const Context& cx) {
  return guarded("combining bodies", [&] { return run(target, tool, how, cx); });
}

} // namespace lumsk::brep

#include "brep/combine.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/knit.h"
#include "brep/skin.h"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepGProp.hxx>
#include <GProp_GProps.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_ListOfShape.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

Vec3 middleOf(const Body& b) {
  GProp_GProps g;
  BRepGProp::VolumeProperties(b.shape, g, 1e-2);
  return toVec(g.CentreOfMass());
}

Expected<std::vector<BodyPtr>> run(const Body& target, const Body& tool, Combine how, const Context& cx) {
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
  op.Build();
  if (cx.stopped()) return fail(cancelled());
  const auto refused = [&](const char* what) {
    return fail(problem("LM-B010", what).at(middleOf(tool)).tryThis("move it so that it reaches into the other body"));
  };
  if (!op.IsDone() || op.Shape().IsNull())
    return fail(problem("LM-K002", "the bodies could not be combined")
                    .at(middleOf(tool))
                    .tryThis("move one of them a little, so that faces do not nearly touch"));
  FaceNames names;
  std::map<std::string, NaturalFace> natural;
  bool met = false;
  for (const Body* b : {&target, &tool})
    for (const NamedFace& g : namedFaces(*b)) {
      const auto& modified = op.Modified(g.face);
      met = met || op.IsDeleted(g.face) || modified.Extent() > 0;
      for (const TopoDS_Shape& s : modified) names.Bind(s, g.name);
      if (op.IsDeleted(g.face) || modified.Extent() > 0) continue;
      names.Bind(g.face, g.name);
      if (g.natural) natural[g.name] = *g.natural;
    }
  std::vector<std::pair<double, BodyPtr>> found;
  for (TopExp_Explorer e(op.Shape(), TopAbs_SOLID); e.More(); e.Next()) {
    auto piece = std::make_shared<Body>();
    LUMSK_TRY(solid, checkedSolid(e.Current()));
    piece->shape = solid;
    nameBody(*piece, names);
    for (const auto& n : piece->faceNames)
      if (const auto it = natural.find(n); it != natural.end()) piece->natural[n] = it->second;
    found.emplace_back(massOf(piece->shape).volumeMm3, std::move(piece));
  }
  if (found.empty()) return refused("nothing is left of the body");
  if (how == Combine::Add ? found.size() > 1 : !met) return refused("the bodies do not touch");
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

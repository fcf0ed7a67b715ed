#include "brep/ended.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/history.h"
#include "brep/skin.h"

#include <BRepAlgoAPI_Splitter.hxx>
#include <BRepBuilderAPI_MakeVertex.hxx>
#include <BRepExtrema_DistShapeShape.hxx>
#include <BRep_Builder.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopTools_ListOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Shell.hxx>

#include <numeric>

namespace lumsk::brep {

namespace {

bool near(const TopoDS_Shape& s, const Vec3& p, double mm) {
  const BRepExtrema_DistShapeShape d(BRepBuilderAPI_MakeVertex(toPnt(p)).Vertex(), s);
  return d.IsDone() && d.Value() <= mm;
}

bool nearAny(const TopoDS_Shape& s, const std::vector<Vec3>& places, double mm) {
  return std::any_of(places.begin(), places.end(), [&](const Vec3& p) { return near(s, p, mm); });
}

/// Faces in groups that hang together without what they were split along.
std::vector<std::vector<TopoDS_Face>> groupsOf(const TopoDS_Shape& all, const TopTools_ListOfShape& along) {
  TopTools_IndexedMapOfShape faces, seams;
  TopExp::MapShapes(all, TopAbs_FACE, faces);
  for (const TopoDS_Shape& e : along) seams.Add(e);
  std::vector<int> group(size_t(faces.Extent()));
  std::iota(group.begin(), group.end(), 0);
  const auto root = [&](int i) {
    while (group[size_t(i)] != i) i = group[size_t(i)];
    return i;
  };
  TopTools_IndexedDataMapOfShapeListOfShape at;
  TopExp::MapShapesAndAncestors(all, TopAbs_EDGE, TopAbs_FACE, at);
  for (int e = 1; e <= at.Extent(); ++e) {
    if (seams.Contains(at.FindKey(e))) continue;
    int first = -1;
    for (const TopoDS_Shape& f : at(e)) {
      const int k = root(faces.FindIndex(f) - 1);
      if (first < 0)
        first = k;
      else
        group[size_t(k)] = first;
    }
  }
  std::map<int, std::vector<TopoDS_Face>> sorted;
  for (int i = 0; i < faces.Extent(); ++i) sorted[root(i)].push_back(TopoDS::Face(faces(i + 1)));
  std::vector<std::vector<TopoDS_Face>> out;
  for (auto& [k, g] : sorted) out.push_back(std::move(g));
  return out;
}

TopoDS_Shape shellOf(const std::vector<TopoDS_Face>& faces) {
  TopoDS_Shell shell;
  BRep_Builder builder;
  builder.MakeShell(shell);
  for (const TopoDS_Face& f : faces) builder.Add(shell, f);
  return shell;
}

Expected<BodyPtr> run(const Body& b, const Body& by, const Ending& end, const Context& cx) {
  const double mm = 10 * cx.tolerances.point.mm;
  const std::vector<TopoDS_Face> tools = end.face >= 0 ? std::vector<TopoDS_Face>{faces(by)[size_t(end.face)]} : faces(by);
  std::optional<Problem> why;
  for (const double fuzzy : {0.0, 1e-5, 1e-4}) {
    TopTools_ListOfShape arguments, cutters;
    arguments.Append(b.shape);
    if (end.face >= 0)
      cutters.Append(tools.front());
    else
      cutters.Append(by.shape);
    BRepAlgoAPI_Splitter split;
    split.SetArguments(arguments);
    split.SetTools(cutters);
    split.SetNonDestructive(true);
    split.SetToFillHistory(true);
    split.SetRunParallel(true);
    if (fuzzy > 0) split.SetFuzzyValue(fuzzy);
    Handle(KernelProgress) progress = new KernelProgress(cx);
    split.Build(progress->Start());
    if (cx.stopped()) return fail(cancelled());
    if (!split.IsDone() || split.Shape().IsNull()) continue;
    FaceHistory history;
    for (const NamedFace& f : namedFaces(b)) history.take(split, f);
    for (size_t k = 0; k < tools.size(); ++k) history.takeNew(split, tools[k], end.name + (tools.size() > 1 ? "." + std::to_string(k + 1) : ""));
    TopoDS_Shape kept;
    if (b.solid()) {
      for (TopExp_Explorer s(split.Shape(), TopAbs_SOLID); s.More(); s.Next())
        if (nearAny(s.Current(), end.from, mm)) kept = s.Current();
    } else {
      std::vector<TopoDS_Face> mine;
      for (const auto& group : groupsOf(split.Shape(), split.SectionEdges()))
        if (nearAny(shellOf(group), end.from, mm)) mine.insert(mine.end(), group.begin(), group.end());
      if (!mine.empty()) kept = shellOf(mine);
    }
    if (kept.IsNull()) continue;
    for (const Vec3& p : end.beyond)
      if (near(kept, p, mm))
        return fail(problem("LM-X008", "what it is to end at does not reach across it: it passes by here")
                        .at(p)
                        .tryThis("take something larger, or give a length"));
    auto body = std::make_shared<Body>();
    if (b.solid()) {
      auto solid = checkedSolid(kept);
      if (!solid) {
        why = solid.error();
        continue;
      }
      body->shape = *solid;
    } else {
      if (auto valid = checkValid(kept); !valid) {
        why = valid.error();
        continue;
      }
      body->shape = kept;
    }
    history.finish(*body);
    return body;
  }
  return fail(why ? *why : problem("LM-X008", "what it is to end at does not meet it").at(end.from.front()).tryThis("take something that lies in its way"));
}

} // namespace

Expected<BodyPtr> endedAtHere(const Body& b, const Body& by, const Ending& end, const Context& cx) {
  return guarded("ending a body", [&] { return run(b, by, end, cx); });
}

} // namespace lumsk::brep

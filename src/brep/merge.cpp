#include "brep/merge.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/history.h"
#include "brep/skin.h"

#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBndLib.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_ListOfShape.hxx>
#include <TopoDS.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

constexpr double kVolumesAgree = 1e-4; ///< of a sum

Bnd_Box boxOf(const Body& b) {
  Bnd_Box box;
  BRepBndLib::Add(b.shape, box, false);
  return box;
}

/// Whether bodies only touch along some edge: what lies around it is no inside and outside any more.
bool touchesAlongEdges(const TopoDS_Shape& s) {
  TopTools_IndexedDataMapOfShapeListOfShape owners;
  TopExp::MapShapesAndAncestors(s, TopAbs_EDGE, TopAbs_FACE, owners);
  for (int i = 1; i <= owners.Extent(); ++i)
    if (owners(i).Extent() > 2 && !BRep_Tool::Degenerated(TopoDS::Edge(owners.FindKey(i)))) return true;
  return false;
}

/// One try: everything added at once. Nothing where the kernel's result is not right.
std::optional<std::vector<BodyPtr>> added(const std::vector<BodyPtr>& solids, double fuzzyMm, const Context& cx) {
  TopTools_ListOfShape arguments, tools;
  arguments.Append(solids.front()->shape);
  for (size_t i = 1; i < solids.size(); ++i) tools.Append(solids[i]->shape);
  BRepAlgoAPI_Fuse fuse;
  fuse.SetArguments(arguments);
  fuse.SetTools(tools);
  fuse.SetNonDestructive(true);
  fuse.SetToFillHistory(true);
  fuse.SetRunParallel(true);
  if (fuzzyMm > 0) fuse.SetFuzzyValue(fuzzyMm);
  Handle(KernelProgress) progress = new KernelProgress(cx);
  fuse.Build(progress->Start());
  if (!fuse.IsDone() || fuse.HasErrors() || fuse.Shape().IsNull()) return {};
  FaceHistory history;
  double sum = 0, largest = 0, made = 0, area = 0, madeArea = 0;
  for (const BodyPtr& b : solids) {
    for (const NamedFace& f : namedFaces(*b)) history.take(fuse, f);
    const Mass m = massOf(b->shape);
    sum += m.volumeMm3, largest = std::max(largest, m.volumeMm3), area += m.areaMm2;
  }
  std::vector<BodyPtr> out;
  for (TopExp_Explorer e(fuse.Shape(), TopAbs_SOLID); e.More(); e.Next()) {
    auto piece = std::make_shared<Body>();
    auto solid = checkedSolid(e.Current());
    if (!solid || touchesAlongEdges(*solid)) return {};
    piece->shape = *solid;
    history.finish(*piece);
    const Mass m = massOf(piece->shape);
    made += m.volumeMm3, madeArea += m.areaMm2;
    out.push_back(std::move(piece));
  }
  if (out.empty() || made > sum * (1 + kVolumesAgree) || made < largest * (1 - kVolumesAgree) || madeArea > area * (1 + kVolumesAgree)) return {};
  return out;
}

std::optional<std::vector<BodyPtr>> addedSomehow(const std::vector<BodyPtr>& solids, const Context& cx) {
  for (const double fuzzy : {0.0, 1e-5, 1e-4}) {
    if (cx.stopped()) return {};
    if (auto made = added(solids, fuzzy, cx)) return made;
  }
  return {};
}

Unexpected cannot(const Body& a, const Body& b, const std::string& one, const std::string& other) {
  const Bnd_Box p = boxOf(a), q = boxOf(b);
  const Vec3 low = toVec(p.CornerMin()).cwiseMax(toVec(q.CornerMin())), high = toVec(p.CornerMax()).cwiseMin(toVec(q.CornerMax()));
  return fail(problem("LM-Z003", one + " and " + other + " cannot be merged: their faces touch where they cross, or nearly so")
                  .at(0.5 * (low + high))
                  .tryThis("make one of them a hundredth thicker, move it a little, or keep them apart"));
}

/// Those whose boxes touch, in groups.
std::vector<std::vector<int>> groupsOf(const std::vector<BodyPtr>& solids) {
  std::vector<Bnd_Box> boxes;
  for (const BodyPtr& b : solids) boxes.push_back(boxOf(*b));
  std::vector<int> group(solids.size(), -1);
  std::vector<std::vector<int>> out;
  for (size_t i = 0; i < solids.size(); ++i) {
    if (group[i] >= 0) continue;
    std::vector<int> members{int(i)};
    group[i] = int(out.size());
    for (size_t m = 0; m < members.size(); ++m)
      for (size_t j = 0; j < solids.size(); ++j)
        if (group[j] < 0 && !boxes[size_t(members[m])].IsOut(boxes[j])) group[j] = group[i], members.push_back(int(j));
    std::sort(members.begin(), members.end());
    out.push_back(std::move(members));
  }
  return out;
}

/// One after the other, which tells who cannot be merged with whom.
Expected<std::vector<BodyPtr>> oneByOne(const std::vector<BodyPtr>& solids, const std::vector<std::string>& names,
                                        const std::vector<int>& group, const Context& cx) {
  std::vector<BodyPtr> done{solids[size_t(group.front())]};
  for (size_t k = 1; k < group.size(); ++k) {
    const BodyPtr& next = solids[size_t(group[k])];
    std::vector<BodyPtr> apart, touching{next};
    for (const BodyPtr& d : done) (boxOf(*d).IsOut(boxOf(*next)) ? apart : touching).push_back(d);
    if (touching.size() > 1) {
      auto made = addedSomehow(touching, cx);
      if (cx.stopped()) return fail(cancelled());
      if (!made) {
        for (size_t j = 0; j < k; ++j)
          if (!boxOf(*solids[size_t(group[j])]).IsOut(boxOf(*next)) && !addedSomehow({solids[size_t(group[j])], next}, cx))
            return cannot(*solids[size_t(group[j])], *next, names[size_t(group[j])], names[size_t(group[k])]);
        return cannot(*touching[1], *next, "what is merged so far", names[size_t(group[k])]);
      }
      touching = std::move(*made);
    }
    done = std::move(apart);
    done.insert(done.end(), touching.begin(), touching.end());
  }
  return done;
}

Expected<std::vector<BodyPtr>> run(const std::vector<BodyPtr>& solids, const std::vector<std::string>& names, const Context& cx) {
  std::vector<BodyPtr> out;
  for (const auto& group : groupsOf(solids)) {
    std::vector<BodyPtr> members;
    for (int i : group) members.push_back(solids[size_t(i)]);
    std::vector<BodyPtr> made = members;
    if (members.size() > 1) {
      auto all = addedSomehow(members, cx);
      if (cx.stopped()) return fail(cancelled());
      if (all) {
        made = std::move(*all);
      } else {
        LUMSK_TRY(slowly, oneByOne(solids, names, group, cx));
        made = std::move(slowly);
      }
    }
    for (auto& m : made) out.push_back(std::move(m));
  }
  return out;
}

} // namespace

Expected<std::vector<BodyPtr>> mergedHere(const std::vector<BodyPtr>& solids, const std::vector<std::string>& names, const Context& cx) {
  return guarded("merging bodies", [&] { return run(solids, names, cx); });
}

} // namespace lumsk::brep

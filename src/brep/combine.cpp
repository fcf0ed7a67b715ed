#include "brep/combine.h"

#include "brep/convert.h"
#include "brep/edge_paths.h"
#include "brep/guard.h"
#include "brep/knit.h"
#include "brep/skin.h"
#include "brep/thicken_parts.h"
#include "nurbs/curves/curve_parts.h"

#include <BOPAlgo_PaveFiller.hxx>
#include <BRepAlgoAPI_BooleanOperation.hxx>
#include <BRepBndLib.hxx>
#include <BRepClass3d_SolidClassifier.hxx>
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

using Operation = std::unique_ptr<BRepAlgoAPI_BooleanOperation>;

/// Bodies crossed with one another, once for all that is made of it.
class Crossed {
public:
  Crossed(const Body& target, const std::vector<BodyPtr>& tools, double fuzzyMm = 0) {
    arguments_.Append(target.shape);
    for (const BodyPtr& t : tools) tools_.Append(t->shape);
    TopTools_ListOfShape all = arguments_;
    for (const TopoDS_Shape& t : tools_) all.Append(t);
    filler_.SetArguments(all);
    filler_.SetNonDestructive(true);
    if (fuzzyMm > 0) filler_.SetFuzzyValue(fuzzyMm);
    filler_.SetRunParallel(true); // pairs of faces side by side: the same result
    filler_.Perform();
  }
  /// Null where the kernel has no answer.
  Operation made(BOPAlgo_Operation what) {
    auto op = std::make_unique<BRepAlgoAPI_BooleanOperation>(filler_);
    op->SetArguments(arguments_);
    op->SetTools(tools_);
    op->SetOperation(what);
    op->SetToFillHistory(true);
    op->SetRunParallel(true);
    op->Build();
    return op->IsDone() && !op->Shape().IsNull() ? std::move(op) : nullptr;
  }
  std::optional<double> volumeOf(BOPAlgo_Operation what, const Vec3& from) {
    const Operation op = made(what);
    return op ? std::optional(massOf(op->Shape(), from).volumeMm3) : std::nullopt;
  }

private:
  BOPAlgo_PaveFiller filler_;
  TopTools_ListOfShape arguments_, tools_;
};

/// Whether a place in the middle of what both boxes have in common, or of one of them, lies within both solids.
bool overlap(const Body& a, const Body& b) {
  Bnd_Box one, other;
  BRepBndLib::Add(a.shape, one);
  BRepBndLib::Add(b.shape, other);
  const Vec3 low = toVec(one.CornerMin()).cwiseMax(toVec(other.CornerMin())), high = toVec(one.CornerMax()).cwiseMin(toVec(other.CornerMax()));
  if ((low.array() > high.array()).any()) return false;
  const auto within = [](const Body& body, const Vec3& p) {
    BRepClass3d_SolidClassifier in(body.shape, toPnt(p), 1e-6);
    return in.State() == TopAbs_IN;
  };
  for (const Vec3& p : {Vec3(0.5 * (low + high)), middleOf(a), middleOf(b)})
    if (within(a, p) && within(b, p)) return true;
  return false;
}

Unexpected refused(const Body& at, const char* what) {
  return fail(problem("LM-B010", what).at(middleOf(at)).tryThis("move it so that it reaches into the other body"));
}

bool leavesNothing(BRepAlgoAPI_BooleanOperation& op, const Body& tool) {
  const auto all = faces(tool);
  return std::all_of(all.begin(), all.end(), [&](const TopoDS_Face& f) { return op.IsDeleted(f); });
}

/// Of several that did not become one: the first that has no part in the largest, by its faces' names.
const Body& lonely(const std::vector<BodyPtr>& found, const std::vector<BodyPtr>& tools) {
  const auto& largest = found.front()->faceNames;
  for (const BodyPtr& tool : tools)
    if (std::none_of(tool->faceNames.begin(), tool->faceNames.end(), [&](const std::string& n) { return std::any_of(largest.begin(), largest.end(), [&](const std::string& m) { return m.rfind(n, 0) == 0; }); }))
      return *tool;
  return *tools.front();
}

/// What was made and what it left out are the whole: volumes of pieces of solids that are crossed once, all seen from one place,
/// so that what edges lie beside their faces counts alike in each.
Expected<void> addsUp(Crossed& crossed, const Body& target, const std::vector<BodyPtr>& found, Combine how) {
  constexpr double kPart = 1e-6;
  const Vec3 from = middleOf(target);
  const double whole = massOf(target.shape, from).volumeMm3;
  double volume = 0;
  for (const BodyPtr& b : found) volume += massOf(b->shape, from).volumeMm3;
  const auto other = crossed.volumeOf(how == Combine::Add ? BOPAlgo_CUT21 : how == Combine::Cut ? BOPAlgo_COMMON : BOPAlgo_CUT, from);
  if (!other) return fail(nearlyTouching(target, target, {}));
  const double off = how == Combine::Add ? volume - whole - *other : volume + *other - whole;
  if (std::abs(off) <= kPart * std::max(volume, whole)) return {};
  return fail(problem("LM-B013", "the bodies cannot be combined: what came of it and what was left out are not the whole")
                  .measure({std::abs(off), Dimension::Volume})
                  .at(middleOf(target))
                  .tryThis("make one of them a hundredth larger or smaller, or move it a little"));
}

/// The solids that came of an operation, largest first, their faces named as those that they come from.
Expected<std::vector<BodyPtr>> solidsIn(BRepAlgoAPI_BooleanOperation& op, const Body& target, const std::vector<BodyPtr>& tools) {
  FaceHistory history;
  for (const NamedFace& g : namedFaces(target)) history.take(op, g);
  for (const BodyPtr& tool : tools)
    for (const NamedFace& g : namedFaces(*tool)) history.take(op, g);
  std::vector<std::pair<double, BodyPtr>> found;
  for (TopExp_Explorer e(op.Shape(), TopAbs_SOLID); e.More(); e.Next()) {
    auto piece = std::make_shared<Body>();
    auto solid = checkedSolid(e.Current());
    if (!solid) return fail(nearlyTouching(target, *tools[0], solid.error()));
    piece->shape = *solid;
    history.finish(*piece);
    found.emplace_back(massOf(piece->shape).volumeMm3, std::move(piece));
  }
  std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  std::vector<BodyPtr> out;
  for (auto& f : found) out.push_back(std::move(f.second));
  return out;
}

/// `fuzzyMm`: what lies so near to one another counts as touching; nought: what the shapes' own tolerances say.
Expected<std::vector<BodyPtr>> crossing(const BodyPtr& target, const std::vector<BodyPtr>& tools, Combine how, double fuzzyMm, const Context& cx) {
  Crossed crossed(*target, tools, fuzzyMm);
  if (cx.stopped()) return fail(cancelled());
  const Operation op = crossed.made(how == Combine::Add ? BOPAlgo_FUSE : how == Combine::Cut ? BOPAlgo_CUT : BOPAlgo_COMMON);
  if (cx.stopped()) return fail(cancelled());
  if (!op) return fail(nearlyTouching(*target, *tools[0], {}));
  LUMSK_TRY(found, solidsIn(*op, *target, tools));
  if (found.empty() && how == Combine::Common)
    for (const BodyPtr& tool : tools)
      if (overlap(*target, *tool)) return fail(nearlyTouching(*target, *tool, {})); // the kernel does not see it
  if (found.empty()) return refused(*tools[0], how == Combine::Cut ? "nothing is left of the body" : "the bodies have nothing in common");
  if (how == Combine::Add && found.size() > 1) return refused(lonely(found, tools), "the bodies do not touch, or only along an edge");
  double volume = 0;
  for (const BodyPtr& b : found) volume += massOf(b->shape).volumeMm3;
  const bool whole = std::abs(volume - massOf(target->shape).volumeMm3) < 1e-9 * volume;
  if (how == Combine::Cut)
    for (const BodyPtr& tool : tools)
      if (whole || leavesNothing(*op, *tool)) {
        if (overlap(*target, *tool)) return fail(nearlyTouching(*target, *tool, {}));
        return refused(*tool, "the bodies do not touch");
      }
  LUMSK_CHECK(addsUp(crossed, *target, found, how));
  // What is in common with several that overlap comes in their pieces: these are put together again.
  if (how == Combine::Common && found.size() > 1 && tools.size() > 1) {
    const std::vector<BodyPtr> rest(found.begin() + 1, found.end());
    const Operation joined = Crossed(*found[0], rest).made(BOPAlgo_FUSE);
    if (!joined) return fail(nearlyTouching(*target, *tools[0], {}));
    LUMSK_TRY(one, solidsIn(*joined, *found[0], rest));
    found = std::move(one);
  }
  return found;
}

/// Where faces graze one another the kernel loses its way; it often finds it when what lies near counts as touching. What it
/// makes is checked in the same way.
Expected<std::vector<BodyPtr>> run(const BodyPtr& target, const std::vector<BodyPtr>& tools, Combine how, const Context& cx) {
  if (how == Combine::Add && tools.size() == 1)
    if (auto made = stacked(*target, *tools[0], cx)) return std::vector<BodyPtr>{made};
  auto made = crossing(target, tools, how, 0, cx);
  for (const double fuzzy : {cx.tolerances.point.mm, 5 * cx.tolerances.point.mm}) {
    if (made || (made.error().code != "LM-B012" && made.error().code != "LM-B013")) return made;
    if (auto again = crossing(target, tools, how, fuzzy, cx)) return again;
  }
  return made;
}

/// Where several at once fail, the one that does is named by its place.
Problem firstThatFails(const BodyPtr& target, const std::vector<BodyPtr>& tools, Combine how, Problem all, const Context& cx) {
  if (tools.size() < 2 || cx.stopped()) return all;
  for (const BodyPtr& tool : tools)
    if (auto one = run(target, {tool}, how, cx); !one) return std::move(one.error());
  return all;
}

constexpr std::pair<Combine, const char*> kNames[] = {{Combine::Add, "add"}, {Combine::Cut, "cut"}, {Combine::Common, "common"}};

} // namespace

const char* combineName(Combine c) { return kNames[size_t(c)].second; }
std::optional<Combine> combineFrom(const std::string& name) {
  for (const auto& [c, n] : kNames)
    if (name == n) return c;
  return {};
}

Expected<std::vector<BodyPtr>> combinedHere(const BodyPtr& target, const std::vector<BodyPtr>& tools, Combine how, const Context& cx) {
  return guarded("combining bodies", [&]() -> Expected<std::vector<BodyPtr>> {
    auto made = run(target, tools, how, cx);
    if (!made && how != Combine::Add) return fail(firstThatFails(target, tools, how, std::move(made.error()), cx));
    return made;
  });
}

Expected<BodyPtr> together(const std::vector<BodyPtr>& bodies, const Context& cx) {
  if (bodies.size() == 1) return bodies.front();
  const bool solid = bodies.front()->solid();
  for (const BodyPtr& b : bodies)
    if (b->solid() != solid)
      return fail(problem("LM-M015", "solids and skins do not become one body").at(middleOf(*b)).tryThis("take skins and solids apart, or close the skins first"));
  if (solid) {
    LUMSK_TRY(made, combined(bodies.front(), {bodies.begin() + 1, bodies.end()}, Combine::Add, cx));
    return made.front();
  }
  std::vector<NamedFace> all;
  for (const BodyPtr& b : bodies)
    for (NamedFace& f : namedFaces(*b)) all.push_back(std::move(f));
  LUMSK_TRY(knitted, knitFaces(all, {10 * cx.tolerances.point.mm}, cx));
  return knitted.body;
}

std::optional<Vec3> reachesInto(const Body& solid, const std::vector<const Body*>& others) {
  constexpr double kDeepMm = 1e-3; // places on a face are not within
  constexpr int kPlaces = 8;       // of each face, each way
  Bnd_Box own;
  BRepBndLib::Add(solid.shape, own);
  BRepClass3d_SolidClassifier within(solid.shape);
  for (const Body* other : others) {
    Bnd_Box box;
    BRepBndLib::Add(other->shape, box);
    if (own.IsOut(box)) continue;
    for (const TopoDS_Face& f : faces(*other))
      for (const Vec3& p : pointsInside(f, kPlaces)) {
        if (own.IsOut(toPnt(p))) continue;
        within.Perform(toPnt(p), kDeepMm);
        if (within.State() == TopAbs_IN) return p;
      }
  }
  return {};
}

} // namespace lumsk::brep

#include "brep/round_kernel.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/history.h"
#include "brep/rings.h"
#include "brep/skin.h"

#include <BRepFilletAPI_MakeChamfer.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>

namespace lumsk::brep {

namespace {

Problem noRound(const Body& b, const std::vector<KernelRound>& rounds, const std::string& what) {
  Problem p = problem("LM-O008", what).tryThis("take less, round fewer edges at once, or the longer ones first");
  const auto all = edges(b);
  for (const KernelRound& r : rounds) p.at(middleOf(all[size_t(r.edge)]));
  return p;
}

template <class Maker> Expected<BodyPtr> built(Maker& make, const Body& b, const std::vector<KernelRound>& rounds) {
  make.Build();
  if (!make.IsDone() || make.Shape().IsNull()) return fail(noRound(b, rounds, "no round is found for these edges together"));
  TopExp_Explorer solid(make.Shape(), TopAbs_SOLID);
  if (!solid.More()) return fail(noRound(b, rounds, "the rounds leave no solid"));
  const auto shape = checkedSolid(solid.Current());
  solid.Next();
  if (!shape || solid.More()) return fail(noRound(b, rounds, "the rounds leave no sound solid"));
  if (const double t = largestTolerance(*shape); t > std::max(kNotedToleranceMm, 1.01 * largestTolerance(b.shape)))
    return fail(noRound(b, rounds, "the rounds meet their faces only roughly").measure(millimetres(t)).want(millimetres(kNotedToleranceMm)));
  FaceHistory history;
  for (const NamedFace& f : namedFaces(b)) history.take(make, f);
  const auto all = edges(b);
  for (const KernelRound& r : rounds) {
    const auto take = [&](const TopoDS_Shape& from, const std::string& name) {
      for (const TopoDS_Shape& s : make.Generated(from))
        if (s.ShapeType() == TopAbs_FACE) history.keep({TopoDS::Face(s), name, std::nullopt});
    };
    take(all[size_t(r.edge)], r.name);
    for (const TopoDS_Vertex& v : {TopExp::FirstVertex(all[size_t(r.edge)]), TopExp::LastVertex(all[size_t(r.edge)])}) take(v, r.name + "|corner");
  }
  auto body = std::make_shared<Body>();
  body->shape = *shape;
  history.finish(*body);
  return BodyPtr(std::move(body));
}

} // namespace

Expected<BodyPtr> roundedByKernelHere(const Body& b, const std::vector<KernelRound>& rounds, bool flat, const Context&) {
  return guarded("rounding edges", [&]() -> Expected<BodyPtr> {
    const auto all = edges(b);
    if (flat) {
      BRepFilletAPI_MakeChamfer make(b.shape);
      for (const KernelRound& r : rounds)
        if (make.Contour(all[size_t(r.edge)]) == 0) make.Add(r.sizeMm, all[size_t(r.edge)]);
      return built(make, b, rounds);
    }
    BRepFilletAPI_MakeFillet make(b.shape);
    for (const KernelRound& r : rounds)
      if (make.Contour(all[size_t(r.edge)]) == 0) make.Add(r.sizeMm, all[size_t(r.edge)]);
    return built(make, b, rounds);
  });
}

} // namespace lumsk::brep

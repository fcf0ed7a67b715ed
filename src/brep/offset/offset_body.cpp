#include "brep/offset/offset_body.h"

#include "brep/assemble.h"
#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/offset/layer.h"
#include "brep/skin.h"

#include <BRep_Builder.hxx>
#include <Geom2d_Line.hxx>
#include <GeomFill.hxx>
#include <Geom_BSplineCurve.hxx>
#include <Geom_Line.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Shell.hxx>
#include <TopoDS_Solid.hxx>
#include <TopoDS_Wire.hxx>

#include <algorithm>
#include <map>

namespace lumsk::brep {

using namespace offset;

namespace {

TopoDS_Shell shellOf(const std::vector<TopoDS_Face>& faces, bool closed) {
  BRep_Builder builder;
  TopoDS_Shell shell;
  builder.MakeShell(shell);
  for (const TopoDS_Face& f : faces) builder.Add(shell, f);
  shell.Closed(closed);
  return shell;
}

void noteRough(Thickened& out, const TopoDS_Shape& s) {
  if (const double t = largestTolerance(s); t > kNotedToleranceMm)
    out.notes.push_back(problem("LM-K101", "the faces of the wall meet roughly")
                            .measure(millimetres(t))
                            .want(millimetres(kNotedToleranceMm)));
}

/// The rims between two layers: a ruled face at every open edge, lines at their ends shared.
class Rims {
public:
  Rims(const LayerNet& n, const Layer& front, const Layer& back) : n_(n), front_(front), back_(back) {}

  TopoDS_Face at(int e) {
    const auto a = Handle(Geom_BSplineCurve)::DownCast(front_.curves[size_t(e)]),
               b = Handle(Geom_BSplineCurve)::DownCast(back_.curves[size_t(e)]);
    BRep_Builder builder;
    TopoDS_Face face;
    builder.MakeFace(face, GeomFill::Surface(a, b), 1e-6);
    const auto image = [](double x, double y, bool along) {
      return Handle(Geom2d_Curve)(new Geom2d_Line(gp_Pnt2d(x, y), along ? gp_Dir2d(1, 0) : gp_Dir2d(0, 1)));
    };
    const TopoDS_Edge &f = front_.edges[size_t(e)], &k = back_.edges[size_t(e)];
    builder.UpdateEdge(f, image(0, 0, true), face, 1e-6);
    builder.UpdateEdge(k, image(0, 1, true), face, 1e-6);
    const auto& paves = n_.net.edges[size_t(e)].paves;
    const int from = paves[0].vertex, to = paves[1].vertex;
    const TopoDS_Edge first = lineAt(from), last = lineAt(to);
    // The lines are over [0, 1] in the face's second parameter, whatever their length is.
    if (from == to) {
      builder.UpdateEdge(first, image(1, 0, false), image(0, 0, false), face, 1e-6);
    } else {
      builder.UpdateEdge(first, image(0, 0, false), face, 1e-6);
      builder.UpdateEdge(last, image(1, 0, false), face, 1e-6);
    }
    TopoDS_Wire wire;
    builder.MakeWire(wire);
    builder.Add(wire, f.Oriented(TopAbs_FORWARD));
    builder.Add(wire, last.Oriented(TopAbs_FORWARD));
    builder.Add(wire, k.Oriented(TopAbs_REVERSED));
    builder.Add(wire, first.Oriented(TopAbs_REVERSED));
    wire.Closed(true);
    builder.Add(face, wire);
    // The front's face uses the edge one way, the rim the other.
    const FaceAt& use = n_.edges[size_t(e)].faces.front();
    const split::Sheet& s = n_.net.sheets[size_t(use.sheet)];
    const bool reversed = s.border[size_t(use.use)].reversed != (s.orientation == TopAbs_REVERSED);
    return TopoDS::Face(face.Oriented(reversed ? TopAbs_FORWARD : TopAbs_REVERSED));
  }

private:
  TopoDS_Edge lineAt(int vertex) {
    const auto known = lines_.find(vertex);
    if (known != lines_.end()) return known->second;
    BRep_Builder builder;
    const TopoDS_Vertex &a = front_.vertices[size_t(vertex)], &b = back_.vertices[size_t(vertex)];
    Points ends(2, 3);
    ends.row(0) = toVec(BRep_Tool::Pnt(a)).transpose();
    ends.row(1) = toVec(BRep_Tool::Pnt(b)).transpose();
    TopoDS_Edge e;
    builder.MakeEdge(e, toCurve(nurbs::Spline::trusted(1, nurbs::uniformKnots(1, 1), ends)),
                     std::max({1e-6, BRep_Tool::Tolerance(a), BRep_Tool::Tolerance(b)}));
    builder.Range(e, 0, 1);
    builder.SameParameter(e, true);
    builder.SameRange(e, true);
    builder.Add(e, a.Oriented(TopAbs_FORWARD));
    builder.Add(e, b.Oriented(TopAbs_REVERSED));
    return lines_[vertex] = e;
  }

  const LayerNet& n_;
  const Layer &front_, &back_;
  std::map<int, TopoDS_Edge> lines_;
};

/// Whether a layer is a valid skin: borders that cross make it none.
Expected<void> checkBorders(const TopoDS_Shape& s) {
  auto valid = checkValid(s);
  if (valid) return {};
  Problem crossed = problem("LM-T005", "borders run into one another at this distance").tryThis("take a smaller distance");
  crossed.where = valid.error().where;
  return fail(std::move(crossed));
}

/// A body of faces whose shape is final.
BodyPtr named(const TopoDS_Shape& shape, const std::vector<NamedFace>& faces) {
  auto body = std::make_shared<Body>();
  body->shape = shape;
  FaceHistory history;
  for (const NamedFace& f : faces) history.keep(f);
  history.finish(*body);
  return body;
}

/// One shell, or the outer one and what is hollow within it.
Expected<TopoDS_Shape> solidOf(const std::vector<TopoDS_Face>& outer, const std::vector<TopoDS_Face>& inner) {
  const TopoDS_Shell a = shellOf(outer, true);
  if (inner.empty()) return checkedSolid(a);
  TopoDS_Solid solid;
  BRep_Builder builder;
  builder.MakeSolid(solid);
  builder.Add(solid, a);
  builder.Add(solid, shellOf(inner, true));
  LUMSK_CHECK(checkValid(solid));
  return TopoDS_Shape(solid);
}

} // namespace

Expected<Thickened> offsetBody(const Body& body, const OffsetBodyOptions& o, const Context& cx) {
  return guarded("offsetting", [&]() -> Expected<Thickened> {
    std::vector<int> leftOut;
    for (int i = 0; !o.faces.empty() && i < int(body.faceNames.size()); ++i)
      if (std::find(o.faces.begin(), o.faces.end(), i) == o.faces.end()) leftOut.push_back(i);
    LUMSK_TRY(net, readLayers(body, leftOut, cx));
    LUMSK_TRY(layer, layerAt(*net, o.distanceMm, false, cx));
    Thickened out;
    std::vector<TopoDS_Face> faces;
    for (NamedFace& f : layer.faces) {
      f.name = faceName(o.step, "offset", f.name);
      faces.push_back(f.face);
    }
    LUMSK_CHECK(checkBorders(shellOf(faces, false)));
    if (body.solid() && leftOut.empty()) {
      LUMSK_TRY(solid, solidOf(faces, {}));
      out.body = named(solid, layer.faces);
    } else {
      out.body = skinOf(layer.faces);
    }
    out.deviationMm = layer.deviationMm;
    out.tightestRadiusMm = layer.tightestMm;
    noteRough(out, out.body->shape);
    return out;
  });
}

Expected<Thickened> thickenLayers(const Body& skin, const ThickenOptions& o, const Context& cx) {
  return guarded("thickening", [&]() -> Expected<Thickened> {
    LUMSK_TRY(net, readLayers(skin, o.open, cx));
    if (net->parts.size() > 1) {
      Problem apart = problem("LM-T004", "the faces that get a wall do not hang together").measure(count(int(net->parts.size()))).tryThis("leave fewer faces open, or thicken the parts one by one");
      apart.where = net->parts;
      return fail(std::move(apart));
    }
    Thickened out;
    const double t = o.thicknessMm;
    const double at = o.side == ThickenSide::Inward ? 0 : o.side == ThickenSide::Outward ? t : t / 2;
    for (double d : {at, at - t})
      if (d != 0)
        if (auto note = dropSlantedRims(*net, d)) out.notes.push_back(std::move(*note));
    LUMSK_TRY(front, layerAt(*net, at, true, cx));
    cx.report(0.5, "offsetting");
    LUMSK_TRY(back, layerAt(*net, at - t, true, cx));
    std::vector<NamedFace> all;
    std::vector<TopoDS_Face> outer, inner;
    for (size_t i = 0; i < front.faces.size(); ++i) {
      NamedFace f = front.faces[i], b = back.faces[i];
      b.face.Reverse();
      f.name = faceName(o.step, "front", f.name);
      b.name = faceName(o.step, "back", b.name);
      outer.push_back(f.face);
      (net->closed ? inner : outer).push_back(b.face);
      all.push_back(std::move(f));
      all.push_back(std::move(b));
    }
    Rims rims(*net, front, back);
    for (size_t e = 0; e < net->edges.size(); ++e) {
      if (net->net.edges[e].pole || net->edges[e].kind != EdgeKind::Open) continue;
      const FaceAt& use = net->edges[e].faces.front();
      const std::string& label = net->net.edges[e].label;
      all.push_back({rims.at(int(e)), faceName(o.step, "rim", net->names[size_t(use.sheet)] + "|" + (label.empty() ? std::to_string(e) : label)), {}});
      outer.push_back(all.back().face);
    }
    LUMSK_TRY(solid, solidOf(outer, inner));
    out.body = named(solid, all);
    out.deviationMm = std::max(front.deviationMm, back.deviationMm);
    out.tightestRadiusMm = std::min(front.tightestMm, back.tightestMm);
    noteRough(out, solid);
    return out;
  });
}

} // namespace lumsk::brep

#include "brep/split/read.h"

#include "brep/convert.h"

#include <BRep_Tool.hxx>
#include <Geom_TrimmedCurve.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>

namespace lumsk::brep::split {

namespace {

constexpr double kRoughestMm = 0.05; ///< rougher foreign vertices and edges take in nothing further away

/// What an open edge's name says besides its face, without the number of a tie.
std::string labelOf(const std::string& edgeName) {
  const auto bar = edgeName.rfind('|');
  if (bar == std::string::npos) return {};
  const std::string label = edgeName.substr(bar + 1);
  return label.substr(0, label.find('#'));
}

int vertexOf(Net& net, const TopoDS_Vertex& v) {
  const int known = net.vertexMap.FindIndex(v);
  if (known > 0) return known - 1;
  // Old vertices stand first in both lists as long as bodies are read before anything is cut.
  net.vertexMap.Add(v);
  Vertex x;
  x.at = toVec(BRep_Tool::Pnt(v));
  x.toleranceMm = std::min(BRep_Tool::Tolerance(v), kRoughestMm);
  x.shape = TopoDS::Vertex(v.Oriented(TopAbs_FORWARD));
  x.old = true;
  net.vertices.push_back(std::move(x));
  return int(net.vertices.size()) - 1;
}

int edgeOf(Net& net, const TopoDS_Edge& e, const Body& b, int number) {
  const int known = net.edgeMap.FindIndex(e);
  if (known > 0) return known - 1;
  net.edgeMap.Add(e);
  OldEdge x;
  x.edge = TopoDS::Edge(e.Oriented(TopAbs_FORWARD));
  x.toleranceMm = std::min(BRep_Tool::Tolerance(e), kRoughestMm);
  x.pole = BRep_Tool::Degenerated(e);
  if (number >= 0) {
    const std::string& name = b.edgeNames[size_t(number)];
    x.label = labelOf(name);
    if (const auto asked = b.asked.find(name); asked != b.asked.end()) x.asked = asked->second;
  }
  if (x.pole) {
    BRep_Tool::Range(x.edge, x.first, x.last);
  } else {
    x.curve = BRep_Tool::Curve(x.edge, x.first, x.last);
    constexpr int kPlaces = 32;
    double longest = 0;
    Vec3 before = toVec(x.curve->Value(x.first));
    for (int i = 0; i <= kPlaces; ++i) {
      const Vec3 p = toVec(x.curve->Value(x.first + (x.last - x.first) * i / kPlaces));
      x.box.low = x.box.low.cwiseMin(p), x.box.high = x.box.high.cwiseMax(p);
      longest = std::max(longest, (p - before).norm());
      before = p;
    }
    x.box.low.array() -= longest, x.box.high.array() += longest;
  }
  const int from = vertexOf(net, TopExp::FirstVertex(x.edge)), to = vertexOf(net, TopExp::LastVertex(x.edge));
  x.paves = {{x.first, from}, {x.last, to}};
  net.edges.push_back(std::move(x));
  return int(net.edges.size()) - 1;
}

} // namespace

Expected<std::vector<int>> read(Net& net, const Body& b, int bodyNumber, int face, const Context& cx, const std::vector<FaceBox>* boxes) {
  std::vector<int> out;
  const auto all = faces(b);
  TopTools_IndexedMapOfShape edgeNumbers;
  TopExp::MapShapes(b.shape, TopAbs_EDGE, edgeNumbers);
  for (int i = 0; i < int(all.size()); ++i) {
    if (face >= 0 && i != face) continue;
    if (cx.stopped()) return fail(cancelled());
    const auto natural = b.natural.find(b.faceNames[size_t(i)]);
    LUMSK_TRY(spline,
              FaceSpline::of(all[size_t(i)], natural == b.natural.end() ? nullptr : &natural->second, cx, boxes ? &(*boxes)[size_t(i)] : nullptr));
    Sheet s(std::move(spline));
    s.body = bodyNumber;
    s.face = i;
    for (TopExp_Explorer w(s.shape, TopAbs_WIRE); w.More(); w.Next())
      for (TopExp_Explorer x(w.Current(), TopAbs_EDGE); x.More(); x.Next()) {
        const TopoDS_Edge e = TopoDS::Edge(x.Current());
        EdgeUse use;
        use.edge = edgeOf(net, e, b, edgeNumbers.FindIndex(e) - 1);
        use.reversed = e.Orientation() == TopAbs_REVERSED;
        double t0, t1;
        use.image = BRep_Tool::CurveOnSurface(e, s.shape, t0, t1);
        if (use.image.IsNull())
          return fail(problem("LM-C012", "a face has an edge without a place in its domain")
                          .at(net.vertices[size_t(net.edges[size_t(use.edge)].paves[0].vertex)].at)
                          .tryThis("knit the body again, or import it in another format"));
        ++net.edges[size_t(use.edge)].faces;
        s.border.push_back(std::move(use));
      }
    net.sheets.push_back(std::move(s));
    out.push_back(int(net.sheets.size()) - 1);
  }
  return out;
}

} // namespace lumsk::brep::split

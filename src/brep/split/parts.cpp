#include "brep/split/parts.h"

#include "brep/assemble.h"
#include "brep/convert.h"
#include "nurbs/on_skin/arrangement.h"

#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Geom2d_BSplineCurve.hxx>
#include <Geom_BSplineCurve.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Wire.hxx>

#include <algorithm>

namespace lumsk::brep::split {

namespace {

constexpr double kNodeShare = 1e-3;    ///< of a domain: places of one vertex that are nearer are one
constexpr double kShortestMm = 2 * kSnapMm; ///< a shorter stretch of a cut is none
constexpr double kGrow = 1.05;         ///< tolerances are a little larger than what was measured
constexpr int kLeastSamples = 24;
constexpr int kRoughLooks = 200; ///< of an edge

TopoDS_Vertex vertexShape(Net& net, int v) {
  Vertex& x = net.vertices[size_t(v)];
  if (x.shape.IsNull()) BRep_Builder().MakeVertex(x.shape, toPnt(x.at), x.toleranceMm);
  return x.shape;
}

/// Sewing looks at few places of an edge: where it is divided, it is as rough as its parts may be found to be.
void growEdges(Net& net) {
  for (const Sheet& s : net.sheets)
    for (const EdgeUse& u : s.border) {
      OldEdge& e = net.edges[size_t(u.edge)];
      if (e.pole || !e.divided() || u.image.IsNull()) continue;
      const Handle(Geom_Surface) surface = BRep_Tool::Surface(s.shape);
      for (int i = 0; i <= kRoughLooks; ++i) {
        const double t = e.first + (e.last - e.first) * i / kRoughLooks;
        const gp_Pnt2d uv = u.image->Value(t);
        e.toleranceMm = std::max(e.toleranceMm, kGrow * surface->Value(uv.X(), uv.Y()).Distance(e.curve->Value(t)));
      }
    }
}

/// Vertices are as rough as what meets there is apart.
void growVertices(Net& net) {
  const auto grow = [&](int v, const Vec3& p) {
    Vertex& x = net.vertices[size_t(v)];
    x.toleranceMm = std::max(x.toleranceMm, kGrow * (x.at - p).norm() + 1e-7);
  };
  for (const Cut& c : net.cuts) {
    if (c.dropped) continue;
    for (const Pave& p : c.paves) {
      grow(p.vertex, c.section.curve.at(p.t));
      for (int s : {c.sheet, c.other})
        if (s >= 0) {
          const Vec3 q = c.imageOn(s).at(p.t);
          grow(p.vertex, net.sheets[size_t(s)].surface->at(q.x(), q.y()));
        }
    }
  }
  for (const OldEdge& e : net.edges)
    if (!e.pole && e.divided())
      for (const Pave& p : e.paves) {
        grow(p.vertex, toVec(e.curve->Value(p.t)));
        net.vertices[size_t(p.vertex)].toleranceMm = std::max(net.vertices[size_t(p.vertex)].toleranceMm, e.toleranceMm);
      }
}

/// Old vertices that are rougher now are made anew: the shapes they come from are shared.
TopoDS_Vertex current(Net& net, int v) {
  Vertex& x = net.vertices[size_t(v)];
  if (x.old && x.toleranceMm > BRep_Tool::Tolerance(x.shape) * (1 + 1e-12)) {
    TopoDS_Vertex fresh;
    BRep_Builder().MakeVertex(fresh, toPnt(x.at), x.toleranceMm);
    x.shape = fresh;
    x.old = false;
  }
  return vertexShape(net, v);
}

void divide(Net& net, OldEdge& e, const std::vector<char>& renewed) {
  e.stretches.clear();
  const bool same = !e.divided() && !renewed[size_t(e.paves[0].vertex)] && !renewed[size_t(e.paves[1].vertex)];
  if (same) {
    e.stretches.push_back({e.edge, e.first, e.last, e.paves[0].vertex, e.paves[1].vertex});
    return;
  }
  BRep_Builder builder;
  for (size_t i = 0; i + 1 < e.paves.size(); ++i) {
    const Pave &a = e.paves[i], &b = e.paves[i + 1];
    if (b.t - a.t < 1e-9 * (e.last - e.first)) continue;
    TopoDS_Edge part = TopoDS::Edge(e.edge.EmptyCopied());
    part.Orientation(TopAbs_FORWARD);
    builder.UpdateEdge(part, e.toleranceMm);
    builder.Range(part, a.t, b.t);
    builder.Add(part, current(net, a.vertex).Oriented(TopAbs_FORWARD));
    builder.Add(part, current(net, b.vertex).Oriented(TopAbs_REVERSED));
    e.stretches.push_back({part, a.t, b.t, a.vertex, b.vertex});
  }
}

Handle(Geom2d_Curve) kernelImage(const Sheet& s, const nurbs::Spline& image) {
  return toDomain(image, [&](const Vec2& uv) { return s.spline.kernelPlace(uv); });
}

void makeEdgesOf(Net& net, Cut& c) {
  c.stretches.clear();
  if (c.dropped) return;
  BRep_Builder builder;
  c.curve = toCurve(c.section.curve);
  for (int k = 0; k < c.section.surfaces; ++k)
    c.images[size_t(k)] = kernelImage(net.sheets[size_t(k == 0 ? c.sheet : c.other)], c.section.images[size_t(k)]);
  double tolerance = std::max(2 * c.section.deviationMm, 1e-5); // more than is found at places between
  for (int s : {c.sheet, c.other})
    if (s >= 0) tolerance += net.sheets[size_t(s)].spline.deviationMm();
  for (size_t i = 0; i + 1 < c.paves.size(); ++i) {
    const Pave &a = c.paves[i], &b = c.paves[i + 1];
    const Vec3 p = c.section.curve.at(a.t), m = c.section.curve.at(0.5 * (a.t + b.t)), q = c.section.curve.at(b.t);
    const double length = (m - p).norm() + (q - m).norm();
    if (length < kShortestMm || (a.vertex == b.vertex && length < 2.5 * kShortestMm)) continue;
    TopoDS_Edge e;
    builder.MakeEdge(e, c.curve, tolerance);
    builder.UpdateEdge(e, c.images[0], net.sheets[size_t(c.sheet)].shape, tolerance);
    if (c.other >= 0) builder.UpdateEdge(e, c.images[1], net.sheets[size_t(c.other)].shape, tolerance);
    builder.Range(e, a.t, b.t);
    builder.SameParameter(e, true);
    builder.SameRange(e, true);
    builder.Add(e, current(net, a.vertex).Oriented(TopAbs_FORWARD));
    builder.Add(e, current(net, b.vertex).Oriented(TopAbs_REVERSED));
    c.stretches.push_back({e, a.t, b.t, a.vertex, b.vertex});
  }
}

} // namespace

void makeEdges(Net& net) {
  growEdges(net);
  growVertices(net);
  std::vector<char> renewed;
  for (const Vertex& v : net.vertices)
    renewed.push_back(v.old && v.toleranceMm > BRep_Tool::Tolerance(v.shape) * (1 + 1e-12));
  for (OldEdge& e : net.edges) divide(net, e, renewed);
  for (Cut& c : net.cuts) makeEdgesOf(net, c);
}

namespace {

/// An arc of a sheet's arrangement, and the edge that it stands for.
struct Drawn {
  TopoDS_Edge edge;
  bool forward = true; ///< the arc runs as the edge does
  int old = -1;        ///< number of an old edge
  int cut = -1, stretch = -1;
};

class PartMaker {
public:
  PartMaker(const Net& net, int sheet, const std::function<bool(int, int)>& counts)
      : net_(net), number_(sheet), s_(net.sheets[size_t(sheet)]), counts_(counts) {}

  Expected<std::vector<FacePart>> run(std::vector<int>* dangling) {
    addBorder();
    const size_t borders = arcs_.size();
    addCuts();
    if (arcs_.size() == borders && !borderDivided_) return std::vector<FacePart>{wholeFace()};
    const Vec2 domain(s_.surface->lastU() - s_.surface->firstU(), s_.surface->lastV() - s_.surface->firstV());
    const double near = std::max(kNodeShare * s_.inMm(domain).minCoeff(), 5 * kSnapMm);
    const nurbs::Arrangement a = nurbs::arranged(arcs_, near);
    if (!a.sound || a.parts.empty())
      return fail(problem("LM-C011", "the cuts do not fit together on a face")
                      .at(arcs_.size() > borders ? net_.cuts[size_t(drawn_[borders].cut)].section.curve.at(0.5)
                                                 : wholeFace().at)
                      .tryThis("move one of the cutters a little"));
    std::vector<FacePart> out;
    for (const nurbs::PlanePart& p : a.parts) out.push_back(partOf(p));
    if (dangling) {
      std::vector<char> used(arcs_.size(), 1);
      for (int i : a.dangling) used[size_t(i)] = 0;
      for (int c : s_.cuts) {
        bool any = false;
        for (size_t i = borders; i < drawn_.size(); ++i) any = any || (drawn_[i].cut == c && used[i]);
        if (!any) dangling->push_back(c);
      }
    }
    return out;
  }

private:
  void addBorder() {
    for (const EdgeUse& u : s_.border) {
      const OldEdge& e = net_.edges[size_t(u.edge)];
      borderDivided_ = borderDivided_ || e.stretches.size() != 1 || !e.stretches.front().edge.IsSame(e.edge);
      for (const Stretch& x : e.stretches) {
        nurbs::PlaneArc arc;
        const EdgeUse* use = &u;
        const double first = x.first, last = x.last;
        arc.at = [this, use, first, last, back = u.reversed](double f) {
          return s_.imageOf(*use, back ? last + f * (first - last) : first + f * (last - first));
        };
        arc.from = u.reversed ? x.to : x.from;
        arc.to = u.reversed ? x.from : x.to;
        arc.border = true;
        if (const auto b = Handle(Geom2d_BSplineCurve)::DownCast(u.image); !b.IsNull())
          arc.samples = std::max(kLeastSamples, 3 * b->NbPoles());
        arcs_.push_back(std::move(arc));
        drawn_.push_back({x.edge, !u.reversed, u.edge});
      }
    }
  }

  void addCuts() {
    for (int k : s_.cuts) {
      const Cut& c = net_.cuts[size_t(k)];
      if (c.dropped) continue;
      const nurbs::Spline& image = c.imageOn(number_);
      for (size_t i = 0; i < c.stretches.size(); ++i) {
        const Stretch& x = c.stretches[i];
        if (!counts_(k, int(i))) continue;
        nurbs::PlaneArc arc;
        arc.at = [this, &image, first = x.first, last = x.last](double f) {
          return s_.inMm(image.at(first + f * (last - first)).head<2>());
        };
        arc.from = x.from, arc.to = x.to;
        arc.samples = std::max(kLeastSamples, 3 * image.size());
        arcs_.push_back(std::move(arc));
        drawn_.push_back({x.edge, true, -1, k, int(i)});
      }
    }
  }

  FacePart wholeFace() const {
    FacePart p;
    p.sheet = number_;
    p.face = s_.spline.shape();
    const nurbs::Arrangement a = nurbs::arranged(arcs_, 5 * kSnapMm);
    if (!a.parts.empty()) {
      p.areaMm2 = a.parts.front().area;
      p.inside = a.parts.front().inside.cwiseQuotient(s_.scale);
      p.at = s_.surface->at(p.inside.x(), p.inside.y());
    }
    for (const Drawn& d : drawn_)
      if (d.old >= 0) p.edges.push_back(d.old), p.oldStretches.push_back(d.edge);
    return p;
  }

  void addWire(const nurbs::ArcLoop& loop, TopoDS_Face& face, FacePart& part) const {
    BRep_Builder builder;
    TopoDS_Wire wire;
    builder.MakeWire(wire);
    for (const nurbs::ArcUse& u : loop) {
      const Drawn& d = drawn_[size_t(u.arc)];
      builder.Add(wire, d.edge.Oriented(d.forward == u.forward ? TopAbs_FORWARD : TopAbs_REVERSED));
      if (d.old >= 0)
        part.edges.push_back(d.old), part.oldStretches.push_back(d.edge);
      else
        part.sides.push_back({d.cut, d.stretch, u.forward});
    }
    wire.Closed(true);
    builder.Add(face, wire);
  }

  FacePart partOf(const nurbs::PlanePart& plane) const {
    FacePart p;
    p.sheet = number_;
    TopLoc_Location location;
    const Handle(Geom_Surface) g = BRep_Tool::Surface(s_.shape, location);
    TopoDS_Face face;
    BRep_Builder().MakeFace(face, g, location, BRep_Tool::Tolerance(s_.shape));
    addWire(plane.outer, face, p);
    for (const nurbs::ArcLoop& hole : plane.holes) addWire(hole, face, p);
    p.face = TopoDS::Face(face.Oriented(s_.orientation));
    p.inside = plane.inside.cwiseQuotient(s_.scale);
    p.at = s_.surface->at(p.inside.x(), p.inside.y());
    p.areaMm2 = plane.area;
    return p;
  }

  const Net& net_;
  int number_;
  const Sheet& s_;
  const std::function<bool(int, int)>& counts_;
  bool borderDivided_ = false;
  std::vector<nurbs::PlaneArc> arcs_;
  std::vector<Drawn> drawn_;
};

} // namespace

Expected<std::vector<FacePart>> partsOf(const Net& net, int sheet, const std::function<bool(int, int)>& counts,
                                        std::vector<int>* dangling) {
  return PartMaker(net, sheet, counts).run(dangling);
}

} // namespace lumsk::brep::split

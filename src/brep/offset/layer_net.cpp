#include "brep/offset/layer_net.h"

#include "brep/convert.h"
#include "brep/rings.h"
#include "brep/skin.h"
#include "brep/split/cells.h"
#include "brep/split/read.h"

#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <TopExp.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>

namespace lumsk::brep::offset {

namespace {

constexpr int kPlaces = 32;      ///< at which every edge is looked at
constexpr double kFlatRim = 10;  ///< point tolerances: a ring that is as flat lies in a plane

Expected<void> readEdges(LayerNet& n) {
  n.edges.resize(n.net.edges.size());
  for (size_t s = 0; s < n.net.sheets.size(); ++s)
    for (size_t u = 0; u < n.net.sheets[s].border.size(); ++u)
      n.edges[size_t(n.net.sheets[s].border[u].edge)].faces.push_back({int(s), int(u)});
  n.closed = true;
  for (size_t i = 0; i < n.edges.size(); ++i) {
    KnownEdge& e = n.edges[i];
    const split::OldEdge& old = n.net.edges[i];
    if (old.pole) continue;
    if (e.faces.size() > 2)
      return fail(problem("LM-T003", "more than two faces share an edge")
                      .at(n.at(int(i), 0.5 * (old.first + old.last)))
                      .tryThis("offset or thicken the skins one by one"));
    e.kind = e.faces.size() == 1                        ? EdgeKind::Open
             : e.faces[0].sheet == e.faces[1].sheet ? EdgeKind::Seam
                                                    : EdgeKind::Inner;
    n.closed = n.closed && e.kind != EdgeKind::Open;
    Vec3 before = Vec3::Zero();
    for (int k = 0; k <= kPlaces; ++k) {
      e.t.push_back(old.first + (old.last - old.first) * k / kPlaces);
      const Vec3 p = n.at(int(i), e.t.back());
      if (k > 0) e.lengthMm += (p - before).norm();
      e.share.push_back(e.lengthMm);
      before = p;
    }
    for (double& x : e.share) x /= std::max(e.lengthMm, 1e-12);
  }
  return {};
}

bool sameSpline(const nurbs::Surface& a, const nurbs::Surface& b) {
  return a.sizeU() == b.sizeU() && a.sizeV() == b.sizeV() && a.degreeU() == b.degreeU() && a.degreeV() == b.degreeV() && a.grid() == b.grid() &&
         a.knotsU() == b.knotsU() && a.knotsV() == b.knotsV();
}

/// Openings that lie in a plane.
void readRims(LayerNet& n, LengthTolerance point) {
  BRep_Builder builder;
  TopoDS_Compound all;
  builder.MakeCompound(all);
  for (const split::Sheet& s : n.net.sheets) builder.Add(all, s.shape);
  for (const Ring& ring : openRings(all)) {
    const nurbs::PlaneOfPoints plane = nurbs::fitPlane(pointsAlong(ring, kPlaces));
    if (!ring.closed || !plane.unique || plane.deviationMm > kFlatRim * point.mm) continue;
    for (const TopoDS_Edge& e : ring.edges)
      if (const int k = n.net.edgeMap.FindIndex(e); k > 0)
        n.edges[size_t(k) - 1].rim = true, n.edges[size_t(k) - 1].rimPlane = plane.frame;
  }
}

void readVertices(LayerNet& n) {
  n.vertices.resize(n.net.vertices.size());
  std::vector<int> planes(n.vertices.size(), 0); // 1: one, 2: several, or none
  for (size_t i = 0; i < n.edges.size(); ++i) {
    const split::OldEdge& old = n.net.edges[i];
    for (const FaceAt& f : n.edges[i].faces)
      for (const split::Pave& p : old.paves) {
        KnownVertex& v = n.vertices[size_t(p.vertex)];
        bool known = false;
        for (const SheetAt& s : v.sheets) known = known || s.sheet == f.sheet;
        if (!known) v.sheets.push_back({f.sheet, n.imageOf(f, p.t)});
      }
    // Where a pole or a seam is, its face is looked at from there.
    if (old.pole || n.edges[i].kind == EdgeKind::Seam)
      for (const split::Pave& p : old.paves) {
        KnownVertex& v = n.vertices[size_t(p.vertex)];
        for (size_t k = 0; k < v.sheets.size(); ++k)
          if (v.sheets[k].sheet == n.edges[i].faces[0].sheet) {
            (old.pole ? v.pole : v.seam) = int(k);
            v.sheets[k].uv = n.imageOf(n.edges[i].faces[0], p.t);
          }
      }
    if (old.pole || n.edges[i].kind != EdgeKind::Open) continue;
    for (const split::Pave& p : old.paves) {
      KnownVertex& v = n.vertices[size_t(p.vertex)];
      int& state = planes[size_t(p.vertex)];
      const bool same = v.rimPlane && n.edges[i].rim &&
                        (v.rimPlane->normal().cross(n.edges[i].rimPlane.normal())).norm() < 1e-6;
      if (state == 0 && n.edges[i].rim)
        v.rimPlane = n.edges[i].rimPlane, state = 1;
      else if (!(state == 1 && same))
        v.rimPlane.reset(), state = 2;
    }
  }
}

} // namespace

Vec3 LayerNet::outside(int sheet, const Vec2& uv) const {
  const split::Sheet& s = net.sheets[size_t(sheet)];
  return s.outside(s.surface->normal(uv.x(), uv.y()));
}
double LayerNet::sign(int sheet) const {
  return net.sheets[size_t(sheet)].orientation == TopAbs_REVERSED ? -1.0 : 1.0;
}
Vec2 LayerNet::imageOf(const FaceAt& f, double t) const {
  const split::Sheet& s = net.sheets[size_t(f.sheet)];
  return s.imageOf(s.border[size_t(f.use)], t).cwiseQuotient(s.scale);
}
Vec3 LayerNet::at(int edge, double t) const { return toVec(net.edges[size_t(edge)].curve->Value(t)); }
Vec3 LayerNet::along(int edge, double t) const {
  const split::OldEdge& e = net.edges[size_t(edge)];
  gp_Pnt p;
  gp_Vec d;
  e.curve->D1(t, p, d);
  if (d.Magnitude() > 1e-9 * (e.box.high - e.box.low).norm() / std::max(e.last - e.first, 1e-12)) return toVec(d).normalized();
  const double h = 1e-4 * (e.last - e.first); // control points in one place at an end
  return (at(edge, std::min(t + h, e.last)) - at(edge, std::max(t - h, e.first))).normalized();
}

Expected<std::unique_ptr<LayerNet>> readLayers(const Body& body, const std::vector<int>& leftOut, const Context& cx) {
  auto out = std::make_unique<LayerNet>();
  LayerNet& n = *out;
  const std::vector<FaceBox> boxes = commonBoxes(body);
  for (int i = 0; i < int(body.faceNames.size()); ++i) {
    if (std::find(leftOut.begin(), leftOut.end(), i) != leftOut.end()) continue;
    LUMSK_CHECK(split::read(n.net, body, 0, i, cx, &boxes));
    const std::string& name = body.faceNames[size_t(i)];
    n.names.push_back(name);
    const auto natural = body.natural.find(name);
    n.sideNames.push_back(natural == body.natural.end() ? std::array<std::string, 4>{} : natural->second.sides);
  }
  if (n.names.empty())
    return fail(problem("LM-T004", "no face is left to be thickened")
                    .at(boxCorners(body.shape)[0])
                    .tryThis("leave fewer faces open"));
  for (size_t i = 0; i < n.net.sheets.size(); ++i) {
    size_t k = 0;
    while (k < i && !(n.firstOn[k] == int(k) && sameSpline(*n.net.sheets[k].surface, *n.net.sheets[i].surface))) ++k;
    n.firstOn.push_back(int(k));
  }
  LUMSK_CHECK(readEdges(n));
  readRims(n, cx.tolerances.point);
  readVertices(n);
  split::Groups groups(n.names.size());
  for (const KnownEdge& e : n.edges)
    if (e.kind == EdgeKind::Inner && e.faces.size() == 2) groups.join(e.faces[0].sheet, e.faces[1].sheet);
  for (size_t s = 0; s < n.names.size(); ++s)
    if (groups.of(int(s)) == int(s)) n.parts.push_back(n.net.vertices[size_t(n.net.edges[size_t(n.net.sheets[s].border[0].edge)].paves[0].vertex)].at);
  return out;
}

} // namespace lumsk::brep::offset

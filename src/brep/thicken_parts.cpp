#include "brep/thicken_parts.h"

#include "brep/convert.h"
#include "brep/rings.h"
#include "nurbs/on_skin/offset.h"

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepClass_FaceClassifier.hxx>
#include <BRepTools.hxx>
#include <BRepTools_WireExplorer.hxx>
#include <BRepTopAdaptor_FClass2d.hxx>
#include <BRep_Builder.hxx>
#include <ElSLib.hxx>
#include <Geom2d_Curve.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

constexpr double kSmoothDeg =
    10; ///< times the angle tolerance: neighbours that turn by less are offset border to border

constexpr double kSameImage = 1e-3; ///< times the point tolerance: surfaces this near are images of one another
constexpr double kSameNormal = 1e-6; ///< planes of rims are fitted

class Collector {
public:
  Collector(const Body& skin, const std::vector<int>& leftOut, const Context& cx) : skin_(skin), cx_(cx) {
    const auto all = faces(skin);
    TopoDS_Compound kept;
    BRep_Builder builder;
    builder.MakeCompound(kept);
    for (size_t i = 0; i < all.size(); ++i) {
      if (std::find(leftOut.begin(), leftOut.end(), int(i)) != leftOut.end()) continue;
      Part p;
      p.name = skin.faceNames[i];
      p.face = all[i];
      parts_.push_back(std::move(p));
      builder.Add(kept, all[i]);
    }
    kept_ = kept;
    TopExp::MapShapesAndAncestors(kept_, TopAbs_EDGE, TopAbs_FACE, owners_);
    TopExp::MapShapesAndAncestors(kept_, TopAbs_VERTEX, TopAbs_FACE, around_);
  }

  Expected<std::vector<Part>> run() {
    if (parts_.empty())
      return fail(
          problem("LM-T004", "no face is left to be thickened").inField("open").tryThis("leave fewer faces open"));
    for (Part& p : parts_) LUMSK_CHECK(classify(p));
    findRims();
    for (Part& p : parts_) LUMSK_CHECK(p.flat ? readWires(p) : readSides(p));
    findImages();
    return std::move(parts_);
  }

private:
  Expected<void> classify(Part& p) {
    if (const auto natural = skin_.natural.find(p.name); natural != skin_.natural.end()) {
      p.surface = natural->second.surface;
      p.reversed = natural->second.reversed;
      p.sideNames = natural->second.sides;
      return {};
    }
    const BRepAdaptor_Surface s(p.face);
    if (s.GetType() != GeomAbs_Plane)
      return fail(problem("LM-T004", "a face of this skin is trimmed; whole and flat faces can be thickened")
                      .at(pointsInside(p.face, 6).empty() ? Vec3(Vec3::Zero()) : pointsInside(p.face, 6).front())
                      .tryThis("thicken before trimming, or rebuild this face through its edges"));
    p.flat = true;
    gp_Pnt o;
    gp_Vec du, dv;
    s.D1(0, 0, o, du, dv);
    const Vec3 n = toVec(du.Crossed(dv)) * (p.face.Orientation() == TopAbs_REVERSED ? -1.0 : 1.0);
    p.plane = Frame::fromNormal(toVec(o), n);
    return {};
  }

  int partOf(const TopoDS_Shape& f) const {
    for (size_t i = 0; i < parts_.size(); ++i)
      if (parts_[i].face.IsSame(f)) return int(i);
    return -1;
  }

  /// Planes of the planar openings, by their edges.
  void findRims() {
    for (const Ring& r : openRings(kept_)) {
      if (!r.closed) continue;
      const nurbs::PlaneOfPoints plane = nurbs::fitPlane(pointsAlong(r, 65));
      if (!plane.unique || plane.deviationMm > 2 * cx_.tolerances.point.mm) continue;
      for (const TopoDS_Edge& e : r.edges) rims_.emplace_back(e, plane.frame);
    }
  }
  std::optional<Frame> rimOf(const TopoDS_Shape& e) const {
    for (const auto& [edge, plane] : rims_)
      if (edge.IsSame(e)) return plane;
    return {};
  }

  /// The part on the other side of an edge; -1 when it is open.
  int across(const TopoDS_Edge& e, const TopoDS_Face& f) const {
    for (const TopoDS_Shape& g : owners_.FindFromKey(e))
      if (!g.IsSame(f)) return partOf(g);
    return -1;
  }

  /// Which side of an untrimmed face an edge lies along; -1 inside.
  static int sideAlong(const TopoDS_Edge& e, const Part& p) {
    double a, b;
    const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(e, p.face, a, b);
    if (c.IsNull()) return -1;
    const nurbs::Surface& s = *p.surface;
    const double border[4] = {s.firstU(), s.lastU(), s.firstV(), s.lastV()};
    for (int k = 0; k < 4; ++k) {
      const double eps = 1e-6 * (k < 2 ? s.lastU() - s.firstU() : s.lastV() - s.firstV());
      bool on = true;
      for (double f : {0.0, 0.31, 0.5, 0.77, 1.0}) {
        const gp_Pnt2d q = c->Value(a + f * (b - a));
        on = on && std::abs((k < 2 ? q.X() : q.Y()) - border[k]) < eps;
      }
      if (on) return k;
    }
    return -1;
  }

  Expected<void> readSides(Part& p) const {
    std::array<bool, 4> seen{};
    TopTools_IndexedMapOfShape edges;
    TopExp::MapShapes(p.face, TopAbs_EDGE, edges);
    for (int i = 1; i <= edges.Extent(); ++i) {
      const TopoDS_Edge e = TopoDS::Edge(edges(i));
      if (BRep_Tool::Degenerated(e) || BRep_Tool::IsClosed(e, p.face)) continue;
      const int k = sideAlong(e, p);
      if (k < 0)
        return fail(problem("LM-T004", "a face of this skin is trimmed; whole and flat faces can be thickened")
                        .at(middleOf(e))
                        .tryThis("thicken before trimming, or rebuild this face through its edges"));
      Side side;
      side.neighbour = across(e, p.face);
      side.open = side.neighbour < 0;
      if (side.open) side.plane = rimOf(e);
      if (side.neighbour >= 0)
        side.smooth = turnAlong(e, p, parts_[size_t(side.neighbour)]) < kSmoothDeg * cx_.tolerances.angle.deg;
      Side& known = p.sides[size_t(k)];
      if (seen[size_t(k)] && (known.neighbour != side.neighbour) && !(known.smooth && side.smooth))
        return fail(problem("LM-T003", "one side of a face meets several others at a kink")
                        .at(middleOf(e))
                        .tryThis("split the face where the others meet, or join the others to one"));
      if (!seen[size_t(k)] || !side.smooth) known = side;
      seen[size_t(k)] = true;
    }
    return {};
  }

  // Images

  /// The plane in which a surface's control points are the image of another's; nothing where there is none.
  static std::optional<Frame> mirrorBetween(const nurbs::Surface& a, const nurbs::Surface& b, double nearMm) {
    if (a.knotsU() != b.knotsU() || a.knotsV() != b.knotsV() || a.degreeU() != b.degreeU() ||
        a.degreeV() != b.degreeV() || a.closedU() != b.closedU())
      return {};
    const Points d = b.grid() - a.grid();
    Eigen::Index far = 0;
    if (!(d.rowwise().squaredNorm().maxCoeff(&far) > nearMm * nearMm)) return {};
    const Vec3 n = d.row(far).normalized().transpose();
    const Frame plane = Frame::fromNormal(0.5 * (a.grid().row(far) + b.grid().row(far)).transpose(), n);
    const Points image = nurbs::mirrored(a, plane.origin, plane.normal()).grid();
    if (!((image - b.grid()).rowwise().norm().maxCoeff() <= nearMm)) return {};
    return plane;
  }

  static bool samePlaneMirrored(const Frame& a, const Frame& b, const Frame& mirror, double nearMm) {
    const auto reflected = [&](const Vec3& x, bool direction) {
      return Vec3(x - 2 * (direction ? x : Vec3(x - mirror.origin)).dot(mirror.normal()) * mirror.normal());
    };
    return reflected(a.normal(), true).cross(b.normal()).norm() < kSameNormal &&
           std::abs(b.local(reflected(a.origin, false)).z()) <= nearMm;
  }

  bool mirroredSides(const Part& p, const Part& image, const std::vector<int>& partner, const Frame& mirror) const {
    const double near = kSameImage * cx_.tolerances.point.mm;
    for (size_t k = 0; k < 4; ++k) {
      const Side &a = p.sides[k], &b = image.sides[k];
      if (a.open != b.open || a.smooth != b.smooth || a.plane.has_value() != b.plane.has_value()) return false;
      if (a.plane && !samePlaneMirrored(*a.plane, *b.plane, mirror, near)) return false;
      if (a.smooth || a.neighbour < 0) continue;
      if (b.neighbour < 0) return false;
      const Part &over = parts_[size_t(a.neighbour)], &other = parts_[size_t(b.neighbour)];
      if (over.flat != other.flat) return false;
      if (over.flat ? !samePlaneMirrored(over.plane, other.plane, mirror, near)
                    : partner[size_t(a.neighbour)] != b.neighbour)
        return false;
    }
    return true;
  }

  /// A form made of two halves: every part but flat ones has its image in one and the same plane.
  void findImages() {
    const double near = kSameImage * cx_.tolerances.point.mm;
    std::vector<int> partner(parts_.size(), -1);
    std::optional<Frame> mirror;
    for (size_t i = 0; i < parts_.size(); ++i) {
      if (parts_[i].flat || partner[i] >= 0) continue;
      for (size_t j = i + 1; j < parts_.size() && partner[i] < 0; ++j) {
        if (parts_[j].flat || partner[j] >= 0 || parts_[i].reversed == parts_[j].reversed) continue;
        const auto plane = mirrorBetween(*parts_[i].surface, *parts_[j].surface, near);
        if (!plane || (mirror && !samePlaneMirrored(*plane, *mirror, *mirror, near))) continue;
        mirror = plane;
        partner[i] = int(j), partner[j] = int(i);
      }
      if (partner[i] < 0) return;
    }
    for (size_t i = 0; i < parts_.size(); ++i)
      if (partner[i] > int(i) && !mirroredSides(parts_[i], parts_[size_t(partner[i])], partner, *mirror)) return;
    for (size_t i = 0; i < parts_.size(); ++i)
      if (partner[i] >= 0 && partner[i] < int(i)) parts_[i].imageOf = partner[i], parts_[i].mirror = *mirror;
  }

  /// At a parameter of an edge of the part.
  static Vec3 frontNormal(const Part& p, const TopoDS_Edge& e, double t) {
    if (p.flat) return p.plane.normal();
    double a, b;
    const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(e, p.face, a, b);
    if (c.IsNull()) return p.surface->normal(p.surface->firstU(), p.surface->firstV()); // no way to tell: most likely a kink
    const gp_Pnt2d uv = c->Value(t);
    return p.surface->normal(uv.X(), uv.Y()) * (p.reversed ? -1.0 : 1.0);
  }

  /// Largest angle between the fronts along an edge, degrees.
  static double turnAlong(const TopoDS_Edge& e, const Part& a, const Part& b) {
    const BRepAdaptor_Curve c(e);
    double worst = 0;
    for (int k = 1; k < 12; ++k) {
      const double t = c.FirstParameter() + (c.LastParameter() - c.FirstParameter()) * k / 12;
      worst = std::max(worst, degFromRad(angleBetweenRad(frontNormal(a, e, t), frontNormal(b, e, t))));
    }
    return worst;
  }

  Expected<void> readWires(Part& p) const {
    const TopoDS_Wire outer = BRepTools::OuterWire(p.face);
    std::vector<TopoDS_Wire> wires{outer};
    for (TopExp_Explorer w(p.face, TopAbs_WIRE); w.More(); w.Next())
      if (!w.Current().IsSame(outer)) wires.push_back(TopoDS::Wire(w.Current()));
    for (const TopoDS_Wire& w : wires) {
      FlatWire out;
      for (BRepTools_WireExplorer x(w, p.face); x.More(); x.Next()) {
        LUMSK_TRY(e, readEdge(p, x.Current()));
        out.edges.push_back(std::move(e));
      }
      p.wires.push_back(std::move(out));
    }
    return {};
  }

  Expected<FlatEdge> readEdge(const Part& p, const TopoDS_Edge& e) const {
    FlatEdge out;
    out.edge = e;
    out.neighbour = across(e, p.face);
    TopTools_IndexedMapOfShape order;
    TopExp::MapShapes(skin_.shape, TopAbs_EDGE, order);
    out.name = skin_.edgeNames[size_t(order.FindIndex(e) - 1)];
    const bool straight = BRepAdaptor_Curve(e).GetType() == GeomAbs_Line;
    if (out.neighbour >= 0 && !parts_[size_t(out.neighbour)].flat) {
      const Part& wall = parts_[size_t(out.neighbour)];
      out.side = sideAlong(e, wall);
      int shared = 0; // the wall's side must be this edge alone
      for (TopExp_Explorer x(wall.face, TopAbs_EDGE); x.More(); x.Next())
        shared += out.side >= 0 && sideAlong(TopoDS::Edge(x.Current()), wall) == out.side;
      if (out.side < 0 || shared != 1)
        return fail(problem("LM-T003", "a flat face meets part of a side of its neighbour")
                        .at(middleOf(e))
                        .tryThis("split the neighbour there"));
      return out;
    }
    const auto rim = out.neighbour < 0 ? rimOf(e) : std::nullopt;
    out.along = rim && std::abs(rim->normal().dot(p.plane.normal())) > 1 - 1e-9;
    if (out.along) return out;
    if (!straight)
      return fail(problem("LM-T003", "a curved edge of a flat face has no wall beside it")
                      .at(middleOf(e))
                      .tryThis("let a skin meet the flat face there, or thicken it before it is cut"));
    int n = 0;
    for (const TopoDS_Vertex& v : {TopExp::FirstVertex(e, true), TopExp::LastVertex(e, true)}) {
      Corner& c = out.corners[n++];
      c.at = toVec(BRep_Tool::Pnt(v));
      for (const TopoDS_Shape& f : around_.FindFromKey(v))
        if (const int k = partOf(f); std::find(c.faces.begin(), c.faces.end(), k) == c.faces.end())
          c.faces.push_back(k);
      for (const auto& [edge, plane] : rims_)
        if (TopExp::FirstVertex(edge).IsSame(v) || TopExp::LastVertex(edge).IsSame(v)) c.rim = plane;
    }
    return out;
  }

  const Body& skin_;
  const Context& cx_;
  TopoDS_Shape kept_;
  std::vector<Part> parts_;
  TopTools_IndexedDataMapOfShapeListOfShape owners_, around_;
  std::vector<std::pair<TopoDS_Edge, Frame>> rims_;
};

} // namespace

std::string Part::sideName(int k) const {
  static const char* usual[] = {"left", "right", "start", "end"};
  return sideNames[size_t(k)].empty() ? usual[k] : sideNames[size_t(k)];
}

bool Part::covers(const Vec3& p) const {
  const BRepAdaptor_Surface s(face);
  const Vec3 foot = p - plane.local(p).z() * plane.normal();
  double u, v;
  ElSLib::Parameters(s.Plane(), toPnt(foot), u, v);
  return BRepClass_FaceClassifier(face, gp_Pnt2d(u, v), 1e-7).State() == TopAbs_IN;
}

nurbs::Spline border(const nurbs::Surface& s, int k) {
  switch (k) {
  case nurbs::FirstU: return s.isoU(s.firstU());
  case nurbs::LastU: return s.isoU(s.lastU());
  case nurbs::FirstV: return s.isoV(s.firstV());
  default: return s.isoV(s.lastV());
  }
}

std::vector<Vec3> pointsInside(const TopoDS_Face& f, int across, double apartMm) {
  constexpr int kMost = 60;
  double u0, u1, v0, v1;
  BRepTools::UVBounds(f, u0, u1, v0, v1);
  if (apartMm > 0) across = std::clamp(int(std::min(std::max(u1 - u0, v1 - v0) / apartMm, double(kMost))), across, kMost);
  const BRepAdaptor_Surface s(f);
  BRepTopAdaptor_FClass2d inside(f, 1e-7);
  std::vector<Vec3> out;
  for (int i = 0; i < across; ++i)
    for (int j = 0; j < across; ++j) {
      const gp_Pnt2d uv(u0 + (u1 - u0) * (i + 0.5) / across, v0 + (v1 - v0) * (j + 0.5) / across);
      if (inside.Perform(uv) == TopAbs_IN) out.push_back(toVec(s.Value(uv.X(), uv.Y())));
    }
  return out;
}

bool wholeOrFlat(const Body& skin, const std::vector<int>& leftOut) {
  const auto all = faces(skin);
  for (size_t i = 0; i < all.size(); ++i)
    if (std::find(leftOut.begin(), leftOut.end(), int(i)) == leftOut.end() &&
        !skin.natural.count(skin.faceNames[i]) && BRepAdaptor_Surface(all[i]).GetType() != GeomAbs_Plane)
      return false;
  return true;
}

Expected<std::vector<Part>> partsOf(const Body& skin, const std::vector<int>& leftOut, const Context& cx) {
  return Collector(skin, leftOut, cx).run();
}

} // namespace lumsk::brep

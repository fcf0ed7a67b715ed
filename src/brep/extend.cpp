#include "brep/extend.h"

#include "brep/assemble.h"
#include "brep/convert.h"
#include "brep/curves_on.h"
#include "brep/edge_paths.h"
#include "brep/face_spline.h"
#include "brep/guard.h"
#include "brep/rings.h"
#include "brep/skin.h"
#include "brep/thicken_parts.h"
#include "nurbs/core/continued.h"
#include "nurbs/curves/curve_ends.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/section.h"

#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepTools.hxx>
#include <BRep_Tool.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

constexpr double kJoinsWithin = 10; ///< point tolerances: ends that are one
constexpr double kBeyondEnds = 2;  ///< lengths that edges go on at their ends, to be measured from
constexpr double kReach = 4;       ///< lengths that other edges may have to go on
constexpr double kLookBeyond = 0.3, kInSkin = 0.05; ///< lengths: an end that leads on into the skin ends there
constexpr double kRoom = 1.3;      ///< lengths that the surface has to go on
constexpr int kPlacesAcross = 7;   ///< places of a piece's face, each way

Vec3 startTangent(const nurbs::Path& p) {
  nurbs::CurveDerivatives d{};
  p.derivatives(0, 1, d);
  return d[1].normalized();
}

/// Edges that run on into one another, as paths that go on straight at their open ends, where that leads out of the skin.
struct Chain {
  nurbs::Path edges, longer;
};
Expected<std::vector<Chain>> chainsOf(const std::vector<TopoDS_Edge>& edges, const BodyFaces& skin, double mm, const Context& cx) {
  std::vector<Chain> out;
  const double near = kJoinsWithin * cx.tolerances.point.mm;
  for (const Ring& ring : chained(edges, near)) {
    const auto whole = pathAlong(ring, {near});
    if (!whole)
      return fail(problem("LM-C032", "the edges do not make a chain").at(pointsAlong(ring, 1).row(0).transpose()).tryThis("pick edges that run on into one another"));
    // Corners end a chain: both sides go on past them.
    std::vector<nurbs::Path> parts{*whole};
    if (const auto corners = whole->corners(cx.tolerances.corner); !corners.empty()) {
      LUMSK_TRY(cut, nurbs::splitAt(*whole, corners, {near}));
      parts = std::move(cut);
    }
    for (nurbs::Path& p : parts) {
      Chain c{p, p};
      for (bool atEnd : {false, true}) {
        if (p.closed()) break;
        const Vec3 ahead = atEnd ? p.tangentBefore(p.last()).normalized() : Vec3(-startTangent(p));
        const auto beyond = skin.nearest((atEnd ? p.end() : p.start()) + kLookBeyond * mm * ahead);
        if (beyond && beyond->distanceMm < kInSkin * mm) continue;
        LUMSK_TRY(longer, nurbs::extended(c.longer, atEnd, nurbs::Extension::Straight, kBeyondEnds * mm, cx));
        c.longer = std::move(longer);
      }
      out.push_back(std::move(c));
    }
  }
  return out;
}

/// Curves on a body as far from chains as a length.
Expected<std::vector<Divider>> outlines(const Body& b, const std::vector<Chain>& chains, double mm, const Context& cx) {
  LUMSK_TRY(faces, BodyFaces::of(b, -1, cx));
  std::vector<Divider> out;
  for (const Chain& c : chains) {
    LUMSK_TRY(found, faces.apartFrom(c.longer, mm, cx));
    for (nurbs::Path& p : found.curves) {
      Divider d;
      d.id = "border" + std::to_string(out.size());
      d.path = std::make_shared<const nurbs::Path>(std::move(p));
      out.push_back(std::move(d));
    }
  }
  return out;
}

std::vector<Vec3> placesOf(const Body& b) {
  std::vector<Vec3> out;
  for (const TopoDS_Face& f : faces(b))
    for (const Vec3& p : pointsInside(f, kPlacesAcross)) out.push_back(p);
  return out;
}

Expected<Rebordered> piecesOf(const Division& d, const std::vector<char>& which, const Context& cx) {
  LUMSK_TRY(made, d.bodies(which, false, false, cx));
  Rebordered out;
  for (Divided& x : made) out.bodies.push_back(std::move(x.body));
  if (out.bodies.size() == 1) return out;
  Problem apart = problem("LM-C101", "what is kept falls into " + std::to_string(out.bodies.size()) + " parts");
  for (const BodyPtr& b : out.bodies)
    if (const auto places = placesOf(*b); !places.empty()) apart.at(places[places.size() / 2]);
  out.notes.push_back(std::move(apart));
  return out;
}

/// Runs a change of borders for ten seconds at most. What cannot be followed is told by its place.
template <class F> Expected<Rebordered> inTime(const char* doing, const Vec3& at, const Context& given, F&& change) {
  const Context cx = limited(given);
  auto made = guarded(doing, [&]() -> Expected<Rebordered> { return change(cx); });
  if (made) return made;
  if (isCancelled(made.error()) && !given.stopped())
    return fail(problem("LM-C013", "the new border is not found within ten seconds").at(at).tryThis("take another length, or trim the skin"));
  if (made.error().code == "LM-G101" || made.error().code == "LM-C010")
    return fail(problem("LM-C032", "the border cannot be followed here: it crosses a seam or ends in a pole").at(at).tryThis("take another length, or trim the skin"));
  return made;
}

Vec3 startOf(const Body& b, const std::vector<int>& picked) {
  return toVec(BRep_Tool::Pnt(TopExp::FirstVertex(edges(b)[size_t(picked.front())])));
}

BodyPtr oneFace(const TopoDS_Face& forward, const std::string& name) { return skinOf({{forward, name, naturalOf(forward)}}); }

/// A face that grows beyond some of its edges.
class Grower {
public:
  Grower(const Body& b, const NamedFace& face, std::vector<TopoDS_Edge> picked, double mm, nurbs::GoOn how,
         const Context& cx)
      : b_(b), named_(face), face_(TopoDS::Face(face.face.Oriented(TopAbs_FORWARD))), picked_(std::move(picked)), mm_(mm),
        how_(how), cx_(cx) {}

  /// The larger face; what is to be told, and what its edges are called.
  Expected<NamedFace> run(Rebordered& told, EdgeLabels& called) {
    LUMSK_TRY(old, BodyFaces::of(*oneFace(face_, named_.name), -1, cx_));
    LUMSK_TRY(chains, chainsOf(picked_, old, mm_, cx_));
    LUMSK_TRY(wide, wider());
    const BodyPtr whole = oneFace(wide, named_.name);
    LUMSK_TRY(dividers, outlines(*whole, chains, mm_, cx_));
    const size_t borders = dividers.size();
    std::vector<TopoDS_Edge> left;
    std::vector<std::string> labels(borders, "border");
    const EdgeLabels known = labelsOf(b_);
    for (TopExp_Explorer e(face_, TopAbs_EDGE); e.More(); e.Next()) {
      const TopoDS_Edge edge = TopoDS::Edge(e.Current());
      if (BRep_Tool::Degenerated(edge) || BRep_Tool::IsClosed(edge, face_) || isPicked(edge)) continue;
      left.push_back(edge);
      labels.push_back(known.IsBound(edge) ? known(edge) : "");
    }
    for (size_t i = 0; i < borders; ++i) dividers[i].id = std::to_string(i);
    LUMSK_TRY(stay, asDividers(left, borders));
    for (Divider& d : stay) {
      left_.push_back(*d.path);
      dividers.push_back(std::move(d));
    }
    if (borders == 0) return leadsNowhere();
    LUMSK_TRY(division, Division::of({whole}, dividers, {kReach * mm_, ""}, cx_));
    // Pieces of the old face, and on which sides of the edges that stay it lies.
    const size_t n = division->pieces().size();
    std::vector<char> keep(n, 0), strip(n, 0);
    std::map<std::string, SideOf> sides;
    for (size_t i = 0; i < n; ++i) {
      LUMSK_TRY(skin, division->skinOf(int(i)));
      for (const Vec3& p : placesOf(*skin)) {
        const auto at = old.nearest(p);
        if (at && at->distanceMm <= onPiece())
          keep[i] = 1;
        else if (besidePicked(p, chains))
          strip[i] = 1;
      }
      if (!keep[i] || strip[i]) continue;
      for (const auto& [id, side] : division->pieces()[i].sides)
        if (side != SideOf::Both) sides.emplace(id, side);
    }
    for (size_t i = 0; i < n; ++i) {
      bool right = true;
      for (size_t k = borders; k < dividers.size(); ++k) {
        const auto mine = division->pieces()[i].sides.find(dividers[k].id);
        const auto wanted = sides.find(dividers[k].id);
        right = right && (mine == division->pieces()[i].sides.end() || wanted == sides.end() || mine->second == wanted->second || mine->second == SideOf::Both);
      }
      keep[i] = keep[i] || (strip[i] && right);
    }
    if (std::find(keep.begin(), keep.end(), char(1)) == keep.end()) return leadsNowhere();
    LUMSK_TRY(made, piecesOf(*division, keep, cx_));
    const Body& now = *made.bodies.front();
    NamedFace out = namedFaces(now).front();
    if (made.bodies.size() != 1 || now.faceNames.size() != 1 || !(massOf(out.face).areaMm2 > massOf(named_.face).areaMm2))
      return leadsNowhere();
    takeCarried(told, *division);
    noteLost(told, left, out.face, cx_.tolerances.point);
    const EdgeLabels fresh = labelsOf(now, labels);
    for (EdgeLabels::Iterator i(fresh); i.More(); i.Next()) called.Bind(i.Key(), i.Value());
    out.face = TopoDS::Face(out.face.Oriented(named_.face.Orientation()));
    if (out.natural) out.natural->reversed = named_.face.Orientation() == TopAbs_REVERSED;
    return out;
  }

private:
  double onPiece() const { return cx_.tolerances.point.mm; }
  Unexpected leadsNowhere() const {
    return fail(problem("LM-C032", "the face cannot go on beyond these edges by so much")
                    .measure(millimetres(mm_))
                    .at(toVec(BRep_Tool::Pnt(TopExp::FirstVertex(picked_.front()))))
                    .tryThis("extend by less, or pick the edges beside these as well"));
  }
  bool isPicked(const TopoDS_Edge& e) const {
    return std::any_of(picked_.begin(), picked_.end(), [&](const TopoDS_Edge& x) { return x.IsSame(e); });
  }

  /// Whether a place beyond the face is nearest to picked edges and no further from any chain there than the length.
  bool besidePicked(const Vec3& p, const std::vector<Chain>& chains) const {
    double nearest = 1e300, other = 1e300;
    for (const Chain& c : chains) nearest = std::min(nearest, nurbs::closestPoint(c.edges, p).distanceMm);
    for (const nurbs::Path& e : left_) other = std::min(other, nurbs::closestPoint(e, p).distanceMm);
    if (other < nearest - onPiece()) return false;
    for (const Chain& c : chains)
      if (nurbs::closestPoint(c.edges, p).distanceMm < nearest + onPiece() && nurbs::closestPoint(c.longer, p).distanceMm > mm_ + onPiece())
        return false;
    return true;
  }

  /// The side at which the surface ends that an edge runs along; -1: none.
  int sideOf(const TopoDS_Edge& e, const nurbs::Surface& s) const {
    const int side = sideAlong(e, face_, {s.firstU(), s.firstV()}, {s.lastU(), s.lastV()});
    return s.closedU() && side < 2 ? -1 : side;
  }
  Expected<void> naturalOnly(const TopoDS_Edge& e) const {
    if (how_ == nurbs::GoOn::Natural) return {};
    return fail(problem("LM-C034", "beyond a cut the skin goes on as it is")
                    .at(toVec(BRep_Tool::Pnt(TopExp::FirstVertex(e))))
                    .tryThis("choose 'as it bends', or restore the edge first"));
  }

  /// The face's surface, with room beyond the picked edges.
  Expected<TopoDS_Face> wider() const {
    Vec2 low(1e300, 1e300), high(-1e300, -1e300);
    LUMSK_TRY(spline, FaceSpline::of(face_, nullptr, cx_));
    const Vec2 unit = nurbs::domainScale(*spline.surface()).cwiseQuotient(spline.kernelScale().cwiseMax(1e-12)); // mm of a kernel's unit
    for (const TopoDS_Edge& e : picked_) {
      double a, b;
      const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(e, face_, a, b);
      for (int i = 0; i <= 16; ++i) {
        const gp_Pnt2d p = c->Value(a + (b - a) * i / 16);
        const Vec2 at(p.X(), p.Y()), room = kRoom * mm_ * unit.cwiseInverse();
        low = low.cwiseMin(at - room), high = high.cwiseMax(at + room);
      }
    }
    const Handle(Geom_Surface) g = BRep_Tool::Surface(face_);
    if (const auto s = toSurface(g, g->IsUClosed()); s && !g->IsUPeriodic()) {
      std::array<double, 4> by{std::max(0.0, s->firstU() - low.x()), std::max(0.0, high.x() - s->lastU()),
                               std::max(0.0, s->firstV() - low.y()), std::max(0.0, high.y() - s->lastV())},
          ends{};
      for (const TopoDS_Edge& e : picked_) {
        const int side = sideOf(e, *s);
        if (side < 0) LUMSK_CHECK(naturalOnly(e));
        if (side >= 0) ends[size_t(side)] = kRoom * mm_, by[size_t(side)] = 0;
      }
      LUMSK_TRY(longer, nurbs::extended(*s, ends, how_, cx_));
      return naturalFace(nurbs::continued(longer, by), false, cx_.tolerances.point);
    }
    LUMSK_CHECK(naturalOnly(picked_.front()));
    Vec2 first, last;
    BRepTools::UVBounds(face_, first.x(), last.x(), first.y(), last.y());
    low = low.cwiseMin(first), high = high.cwiseMax(last);
    double u0, u1, v0, v1;
    g->Bounds(u0, u1, v0, v1);
    low = low.cwiseMax(Vec2(g->IsUPeriodic() ? low.x() : u0, v0)), high = high.cwiseMin(Vec2(g->IsUPeriodic() ? high.x() : u1, v1));
    if (g->IsUPeriodic() && high.x() - low.x() > g->UPeriod()) high.x() = low.x() + g->UPeriod();
    return BRepBuilderAPI_MakeFace(g, low.x(), high.x(), low.y(), high.y(), 1e-7).Face();
  }

  const Body& b_;
  const NamedFace& named_;
  TopoDS_Face face_;
  std::vector<TopoDS_Edge> picked_;
  std::vector<nurbs::Path> left_;
  double mm_;
  nurbs::GoOn how_;
  const Context& cx_;
};

} // namespace

Expected<std::optional<Rebordered>> upTo(const BodyPtr& b, const Divider& end, const Body& keeping, const Context& cx) {
  return guarded("cutting", [&]() -> Expected<std::optional<Rebordered>> {
    std::vector<Vec3> places;
    for (const TopoDS_Face& f : faces(keeping))
      if (const auto inside = pointsInside(f, kPlacesAcross); !inside.empty()) places.push_back(inside[inside.size() / 2]);
    LUMSK_TRY(division, Division::of({b}, {end}, {}, cx));
    const auto keep = piecesAt(*division, places, cx);
    if (std::find(keep.begin(), keep.end(), char(0)) == keep.end()) return std::optional<Rebordered>();
    LUMSK_TRY(made, piecesOf(*division, keep, cx));
    return std::optional<Rebordered>(std::move(made));
  });
}

Expected<double> farthestFrom(const Divider& end, const Body& b, const std::vector<int>& picked, const Context& cx) {
  std::optional<BodyFaces> faces;
  if (!end.plane) {
    LUMSK_TRY(of, BodyFaces::of(*end.body, end.face, cx));
    faces.emplace(std::move(of));
  }
  double away = 0;
  const auto all = edges(b);
  for (int e : picked) {
    const auto path = toPath(all[size_t(e)]);
    const Points places = path ? nurbs::polyline(*path, kPlacesAcross) : Points(0, 3);
    for (Eigen::Index i = 0; i < places.rows(); ++i) {
      const Vec3 p = places.row(i).transpose();
      if (end.plane)
        away = std::max(away, std::abs(end.plane->local(p).z()));
      else if (const auto n = faces->nearest(p))
        away = std::max(away, n->distanceMm);
    }
  }
  return away;
}

std::optional<WayOut> wayOut(const Body& b, int edge) {
  const TopoDS_Edge e = edges(b)[size_t(edge)];
  const TopoDS_Face face = brep::faces(b)[size_t(facesAt(b, edge).front())];
  double first, last;
  const Handle(Geom_Curve) c = BRep_Tool::Curve(e, first, last);
  if (c.IsNull()) return {};
  gp_Pnt p;
  gp_Vec d;
  c->D1(0.5 * (first + last), p, d);
  auto on = BodyFaces::of(b, facesAt(b, edge).front(), {});
  const auto at = on ? on->beside(toVec(p)) : std::nullopt;
  if (!at) return {};
  // A face lies to the left of its edges, seen from outside.
  double side = 0;
  for (TopExp_Explorer x(face, TopAbs_EDGE); x.More(); x.Next())
    if (x.Current().IsSame(e)) side = x.Current().Orientation() == TopAbs_REVERSED ? -1 : 1;
  const Vec3 out = side * toVec(d).cross(at->normal);
  if (!(out.norm() > 0)) return {};
  return WayOut{toVec(p), out.normalized()};
}

Expected<Rebordered> shortened(const Body& b, const std::vector<int>& picked, double mm, const Context& given) {
  return inTime("shortening", startOf(b, picked), given, [&](const Context& cx) -> Expected<Rebordered> {
    const auto all = edges(b);
    std::vector<TopoDS_Edge> chosen;
    for (int e : picked) chosen.push_back(all[size_t(e)]);
    const auto whole = std::make_shared<const Body>(b);
    LUMSK_TRY(skin, BodyFaces::of(*whole, -1, cx));
    LUMSK_TRY(chains, chainsOf(chosen, skin, mm, cx));
    LUMSK_TRY(dividers, outlines(b, chains, mm, cx));
    const Vec3 at = chains.front().edges.at(0.5);
    if (dividers.empty())
      return fail(problem("LM-C004", "nothing would be left").measure(millimetres(mm)).at(at).tryThis("shorten it by less"));
    LUMSK_TRY(division, Division::of({whole}, dividers, {}, cx));
    std::vector<char> keep(division->pieces().size(), 1);
    for (size_t i = 0; i < keep.size(); ++i) {
      LUMSK_TRY(part, division->skinOf(int(i)));
      for (const Vec3& p : placesOf(*part))
        for (const Chain& c : chains)
          if (nurbs::closestPoint(c.longer, p).distanceMm < mm - cx.tolerances.point.mm) keep[i] = 0;
    }
    if (std::find(keep.begin(), keep.end(), char(0)) == keep.end())
      return fail(problem("LM-C032", "the skin cannot be cut so near to these edges").measure(millimetres(mm)).at(at).tryThis("shorten it by another length, or trim it"));
    return piecesOf(*division, keep, cx);
  });
}

Expected<Rebordered> grown(const Body& b, const std::vector<int>& picked, double mm, nurbs::GoOn how, const Context& given) {
  return inTime("extending", startOf(b, picked), given, [&](const Context& cx) -> Expected<Rebordered> {
    std::vector<NamedFace> all = namedFaces(b);
    const auto allEdges = edges(b);
    std::map<int, std::vector<TopoDS_Edge>> byFace;
    for (int e : picked) byFace[facesAt(b, e).front()].push_back(allEdges[size_t(e)]);
    Rebordered told;
    EdgeLabels called = labelsOf(b);
    for (const auto& [face, which] : byFace) {
      LUMSK_TRY(now, Grower(b, all[size_t(face)], which, mm, how, cx).run(told, called));
      all[size_t(face)] = now;
    }
    LUMSK_TRY(made, together(b, all, called, cx));
    told.bodies = std::move(made.bodies);
    told.notes.insert(told.notes.end(), made.notes.begin(), made.notes.end());
    return told;
  });
}

} // namespace lumsk::brep

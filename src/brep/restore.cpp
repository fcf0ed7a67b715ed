#include "brep/restore.h"

#include "brep/assemble.h"
#include "brep/convert.h"
#include "brep/curves_on.h"
#include "brep/face_spline.h"
#include "brep/guard.h"
#include "brep/knit.h"
#include "brep/rings.h"
#include "brep/skin.h"
#include "brep/thicken_parts.h"
#include "nurbs/measure/closest.h"

#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Precision.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopTools_MapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Wire.hxx>

#include <algorithm>
#include <cmath>
#include <set>

namespace lumsk::brep {

namespace {

constexpr double kEndless = 0.6;  ///< of a face's own size: so far surfaces without an end are looked at around it

/// The part of a surface that is restored to: its own domain, or around the face where it has no end.
struct Domain {
  Vec2 low, high;
  std::array<bool, 4> endless{}; ///< first u, last u, first v, last v
};
Domain domainOf(const TopoDS_Face& f) {
  const Handle(Geom_Surface) s = BRep_Tool::Surface(f);
  Domain d;
  s->Bounds(d.low.x(), d.high.x(), d.low.y(), d.high.y());
  Vec2 low, high;
  BRepTools::UVBounds(f, low.x(), high.x(), low.y(), high.y());
  for (int k = 0; k < 2; ++k) {
    const double more = kEndless * (high[k] - low[k]);
    if (Precision::IsInfinite(d.low[k])) d.low[k] = low[k] - more, d.endless[size_t(2 * k)] = true;
    if (Precision::IsInfinite(d.high[k])) d.high[k] = high[k] + more, d.endless[size_t(2 * k) + 1] = true;
  }
  return d;
}

/// The side of the domain that an edge of a face runs along, where it ends; -1: none.
int sideOf(const TopoDS_Edge& e, const TopoDS_Face& f, const Domain& d) {
  const int side = sideAlong(e, f, d.low, d.high);
  return side >= 0 && d.endless[size_t(side)] ? -1 : side;
}

class Restorer {
public:
  Restorer(const Body& b, const Context& cx) : b_(b), cx_(cx), all_(namedFaces(b)) {
    for (const TopoDS_Edge& e : openEdges(b.shape)) open_.Add(e);
    take(labelsOf(b));
  }

  Expected<Restored> run(const std::vector<int>& edges, const std::vector<int>& faces) {
    std::map<int, TopTools_MapOfShape> gone; // by face
    const auto allEdges = brep::edges(b_);
    for (int e : edges) {
      const TopoDS_Edge& edge = allEdges[size_t(e)];
      const auto at = facesAt(b_, e);
      if (!open_.Contains(edge))
        return fail(problem("LM-C021", "this edge joins two faces")
                        .at(BRep_Tool::Degenerated(edge) ? Vec3(Vec3::Zero()) : middleOf(edge))
                        .tryThis("pick edges of openings and open borders, or unknit the body first"));
      gone[at.front()].Add(edge);
    }
    for (int f : faces)
      for (TopExp_Explorer x(all_[size_t(f)].face, TopAbs_EDGE); x.More(); x.Next())
        if (open_.Contains(x.Current())) gone[f].Add(x.Current());
    for (auto& [face, which] : gone) LUMSK_CHECK(restoreFace(face, which));
    if (done_.IsEmpty()) {
      Problem none = problem("LM-C020", "nothing is trimmed there: the surface ends at this edge")
                         .tryThis("extend the edge instead");
      for (int e : edges) none.at(middleOf(allEdges[size_t(e)]));
      for (int f : faces)
        if (const auto inside = pointsInside(all_[size_t(f)].face, 5); !inside.empty()) none.at(inside.front());
      return fail(std::move(none));
    }
    Problem own = problem("LM-C108", "the surface itself ends at an edge that was picked").tryThis("extend it instead");
    for (int e : edges)
      if (!done_.Contains(allEdges[size_t(e)])) own.at(middleOf(allEdges[size_t(e)]));
    if (!own.where.empty()) out_.notes.push_back(std::move(own));
    LUMSK_TRY(made, together(b_, all_, labels_, cx_));
    out_.bodies = std::move(made.bodies);
    out_.notes.insert(out_.notes.end(), made.notes.begin(), made.notes.end());
    return std::move(out_);
  }

private:
  Expected<void> restoreFace(int number, const TopTools_MapOfShape& gone) {
    NamedFace& named = all_[size_t(number)];
    const TopoDS_Face f = TopoDS::Face(named.face.Oriented(TopAbs_FORWARD));
    const NaturalFace* uncut = named.natural ? named.natural->uncut.get() : nullptr;
    const TopoDS_Face whole = uncut ? naturalFace(*uncut->surface, false, cx_.tolerances.point) : f;
    const Domain domain = domainOf(whole);
    const TopoDS_Wire outer = BRepTools::OuterWire(f);
    // Openings go as a whole.
    std::vector<TopoDS_Wire> kept;
    bool changed = false;
    for (TopExp_Explorer w(f, TopAbs_WIRE); w.More(); w.Next()) {
      const TopoDS_Wire wire = TopoDS::Wire(w.Current());
      bool touched = false, open = true;
      for (TopExp_Explorer e(wire, TopAbs_EDGE); e.More(); e.Next())
        touched = touched || gone.Contains(e.Current()), open = open && open_.Contains(e.Current());
      if (wire.IsSame(outer) || !touched || !open) {
        kept.push_back(wire);
        continue;
      }
      changed = true;
      ++out_.openings;
      for (TopExp_Explorer e(wire, TopAbs_EDGE); e.More(); e.Next()) done_.Add(e.Current());
    }
    std::vector<TopoDS_Edge> trims; // of the outer border that go
    std::vector<TopoDS_Edge> left;  // that stay, and do not run along the surface's own sides
    for (const TopoDS_Wire& wire : kept)
      for (TopExp_Explorer e(wire, TopAbs_EDGE); e.More(); e.Next()) {
        const TopoDS_Edge edge = TopoDS::Edge(e.Current());
        if (BRep_Tool::Degenerated(edge) || BRep_Tool::IsClosed(edge, f)) continue;
        if (uncut ? onBorderOf(*uncut->surface, edge, cx_.tolerances.fit) : sideOf(edge, f, domain) >= 0) continue;
        (gone.Contains(edge) ? trims : left).push_back(edge);
      }
    if (trims.empty()) {
      if (!changed) return {};
      BRep_Builder builder;
      TopLoc_Location location;
      const Handle(Geom_Surface) s = BRep_Tool::Surface(f, location);
      TopoDS_Face filled;
      builder.MakeFace(filled, s, location, BRep_Tool::Tolerance(f));
      for (const TopoDS_Wire& w : kept) builder.Add(filled, w);
      put(named, filled);
      return {};
    }
    out_.edges += int(trims.size());
    for (const TopoDS_Edge& e : trims) done_.Add(e);
    if (uncut && left.empty()) {
      NaturalFace n = *uncut;
      n.reversed = named.natural->reversed; // turned over with it
      named.face = naturalFace(*n.surface, n.reversed, cx_.tolerances.point);
      named.natural = std::move(n);
      return {};
    }
    return regrow(named, whole, f, domain, trims, left);
  }

  /// The surface as far as it goes, cut again along the edges that are left: the part that holds the face.
  Expected<void> regrow(NamedFace& named, const TopoDS_Face& of, const TopoDS_Face& old, const Domain& d,
                        const std::vector<TopoDS_Edge>& trims, const std::vector<TopoDS_Edge>& left) {
    const Handle(Geom_Surface) s = BRep_Tool::Surface(of); // moved with its place
    const TopoDS_Face whole = BRepBuilderAPI_MakeFace(s, d.low.x(), d.high.x(), d.low.y(), d.high.y(), 1e-7).Face();
    if (left.empty()) {
      if (std::find(d.endless.begin(), d.endless.end(), true) != d.endless.end()) return noEnd(trims.front());
      put(named, whole);
      return {};
    }
    const BodyPtr body = skinOf({{whole, named.name, naturalOf(whole)}});
    LUMSK_TRY(dividers, asDividers(left, 0));
    const auto corners = boxCorners(whole);
    const double size = (corners.front() - corners.back()).norm();
    auto made = Division::of({body}, dividers, {size, ""}, cx_);
    if (!made && made.error().code == "LM-G101")
      return fail(problem("LM-C022", "an edge that is to stay cannot be followed here: it crosses a seam or ends in a pole")
                      .at(middleOf(trims.front()))
                      .tryThis("restore the other edges of this face as well"));
    LUMSK_TRY(division, std::move(made));
    const auto inside = pointsInside(old, 7);
    std::vector<char> kept(division->pieces().size(), 0);
    if (!inside.empty()) kept = piecesAt(*division, {inside[inside.size() / 2]}, cx_);
    if (std::find(kept.begin(), kept.end(), char(1)) == kept.end())
      return fail(problem("LM-C022", "what is left of the borders does not bound the face any more")
                      .at(middleOf(trims.front()))
                      .tryThis("restore the other edges of this face as well"));
    LUMSK_TRY(pieces, division->bodies(kept, false, false, cx_));
    const auto faces = namedFaces(*pieces.front().body);
    const TopoDS_Face now = TopoDS::Face(faces.front().face.Oriented(TopAbs_FORWARD));
    for (TopExp_Explorer e(now, TopAbs_EDGE); e.More(); e.Next()) {
      const int side = sideAlong(TopoDS::Edge(e.Current()), now, d.low, d.high);
      if (side >= 0 && d.endless[size_t(side)]) return noEnd(trims.front());
    }
    put(named, now);
    std::vector<std::string> names;
    for (const TopoDS_Edge& e : left) names.push_back(labels_.IsBound(e) ? labels_(e) : "");
    take(labelsOf(*pieces.front().body, names));
    takeCarried(out_, *division);
    noteLost(out_, left, now, cx_.tolerances.point);
    return {};
  }

  static Expected<void> noEnd(const TopoDS_Edge& e) {
    return fail(problem("LM-C022", "the surface has no end of its own there")
                    .at(middleOf(e))
                    .tryThis("extend the edge by a length instead"));
  }

  void put(NamedFace& named, const TopoDS_Face& forward) {
    named.natural = naturalOf(forward);
    named.face = TopoDS::Face(forward.Oriented(named.face.Orientation()));
    if (named.natural) named.natural->reversed = named.face.Orientation() == TopAbs_REVERSED;
  }

  void take(const EdgeLabels& more) {
    for (EdgeLabels::Iterator i(more); i.More(); i.Next()) labels_.Bind(i.Key(), i.Value());
  }

  const Body& b_;
  const Context& cx_;
  std::vector<NamedFace> all_;
  TopTools_IndexedMapOfShape open_;
  TopTools_MapOfShape done_; ///< edges that are gone
  EdgeLabels labels_;
  Restored out_;
};

} // namespace

Expected<Restored> restored(const Body& b, const std::vector<int>& edges, const std::vector<int>& faces,
                            const Context& cx) {
  return guarded("restoring", [&] { return Restorer(b, cx).run(edges, faces); });
}

} // namespace lumsk::brep

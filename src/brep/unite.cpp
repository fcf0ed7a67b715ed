#include "brep/unite.h"

#include "brep/assemble.h"
#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/reborder.h"
#include "brep/skin.h"
#include "brep/split/cells.h"
#include "brep/thicken_parts.h"
#include "brep/rings.h"
#include "nurbs/measure/closest.h"
#include "nurbs/reshape/unite.h"

#include <BRepTools_History.hxx>
#include <BRep_Tool.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_MapOfShape.hxx>
#include <TopoDS.hxx>

#include <algorithm>
#include <set>

namespace lumsk::brep {

namespace {

constexpr int kInside = 5;       ///< places of a face, each way

/// Edges between two faces of a set, by both faces' numbers.
struct Seam {
  int first = 0, second = 0;
  TopoDS_Edge edge;
};
std::vector<Seam> seamsOf(const std::vector<NamedFace>& all, const std::set<std::string>& among) {
  std::vector<Seam> out;
  for (size_t i = 0; i < all.size(); ++i) {
    if (!among.count(all[i].name)) continue;
    TopTools_MapOfShape own;
    for (TopExp_Explorer e(all[i].face, TopAbs_EDGE); e.More(); e.Next()) own.Add(e.Current());
    for (size_t k = i + 1; k < all.size(); ++k)
      for (TopExp_Explorer e(all[k].face, TopAbs_EDGE); e.More() && among.count(all[k].name); e.Next())
        if (own.Contains(e.Current()) && !BRep_Tool::Degenerated(TopoDS::Edge(e.Current())))
          out.push_back({int(i), int(k), TopoDS::Edge(e.Current())});
  }
  return out;
}

bool sameSurface(const nurbs::Surface& a, const nurbs::Surface& b) {
  return a.degreeU() == b.degreeU() && a.degreeV() == b.degreeV() && a.grid().rows() == b.grid().rows() && a.sizeU() == b.sizeU() &&
         a.grid() == b.grid() && a.knotsU() == b.knotsU() && a.knotsV() == b.knotsV();
}

/// One stage after the other, each on the faces as they are then.
class Uniter {
public:
  Uniter(const Body& b, const std::vector<int>& which, bool edges, const Context& cx) : before_(b), edges_(edges), cx_(cx) {
    out_.body = std::make_shared<const Body>(b);
    for (size_t i = 0; i < b.faceNames.size(); ++i)
      if (which.empty() || std::find(which.begin(), which.end(), int(i)) != which.end()) among_.insert(b.faceNames[i]);
    picked_ = !which.empty();
  }

  Expected<United> run() {
    LUMSK_CHECK(partsOfWholes());
    LUMSK_CHECK(byKernel());
    LUMSK_CHECK(splines());
    out_.faces = int(before_.faceNames.size() - out_.body->faceNames.size());
    out_.edges = int(before_.edgeNames.size() - out_.body->edgeNames.size());
    if (out_.faces == 0 && (!edges_ || out_.edges == 0)) return fail(nothing());
    if (picked_) noteRest();
    return std::move(out_);
  }

private:
  /// Pieces of a skin that was cut straight across: they know the whole.
  Expected<void> partsOfWholes() {
    for (bool more = true; more;) {
      more = false;
      const auto all = namedFaces(*out_.body);
      const auto seams = seamsOf(all, among_);
      const auto whole = [&](int i) { return all[size_t(i)].natural ? all[size_t(i)].natural->uncut.get() : nullptr; };
      for (const Seam& s : seams) {
        const NaturalFace *a = whole(s.first), *b = whole(s.second);
        if (!a || !b || !(a == b || sameSurface(*a->surface, *b->surface))) continue;
        // All that belong to it at once.
        split::Groups groups(all.size());
        for (const Seam& t : seams)
          if (const NaturalFace *p = whole(t.first), *q = whole(t.second); p && q && (p == q || sameSurface(*p->surface, *q->surface)))
            groups.join(t.first, t.second);
        std::vector<int> members;
        for (size_t i = 0; i < all.size(); ++i)
          if (groups.of(int(i)) == groups.of(s.first)) members.push_back(int(i));
        LUMSK_TRY(one, recut(all, members, *a));
        if (!one) continue;
        LUMSK_CHECK(replace(all, members, *one));
        more = true;
        break;
      }
    }
    return {};
  }

  /// The whole, cut again along the edges around some of its parts; nothing where that does not give one face.
  Expected<std::optional<NamedFace>> recut(const std::vector<NamedFace>& all, const std::vector<int>& members, const NaturalFace& whole) {
    std::vector<TopoDS_Edge> stay;
    std::vector<Vec3> places;
    TopTools_IndexedDataMapOfShapeListOfShape owners;
    for (int m : members) {
      TopExp::MapShapesAndAncestors(all[size_t(m)].face, TopAbs_EDGE, TopAbs_FACE, owners);
      for (const Vec3& p : pointsInside(all[size_t(m)].face, kInside)) places.push_back(p);
    }
    for (int i = 1; i <= owners.Extent(); ++i) {
      const TopoDS_Edge e = TopoDS::Edge(owners.FindKey(i));
      if (owners(i).Extent() > 1 || BRep_Tool::Degenerated(e) || BRep_Tool::IsClosed(e, TopoDS::Face(owners(i).First()))) continue;
      if (!onBorderOf(*whole.surface, e, cx_.tolerances.fit)) stay.push_back(e);
    }
    const NamedFace& first = all[size_t(members.front())];
    NaturalFace n = whole;
    n.reversed = first.natural->reversed;
    if (stay.empty()) return std::optional(NamedFace{naturalFace(*n.surface, n.reversed, cx_.tolerances.point), first.name, n});
    const TopoDS_Face shape = naturalFace(*whole.surface, false, cx_.tolerances.point);
    const BodyPtr body = skinOf({{shape, first.name, naturalOf(shape)}});
    LUMSK_TRY(dividers, asDividers(stay, 0));
    auto division = Division::of({body}, dividers, {}, cx_);
    if (!division) return std::optional<NamedFace>();
    const auto kept = piecesAt(**division, places, cx_);
    if (std::find(kept.begin(), kept.end(), char(1)) == kept.end()) return std::optional<NamedFace>();
    LUMSK_TRY(made, (*division)->bodies(kept, false, false, cx_));
    const auto faces = namedFaces(*made.front().body);
    if (made.size() != 1 || faces.size() != 1) return std::optional<NamedFace>();
    NamedFace one = faces.front();
    one.face = TopoDS::Face(one.face.Oriented(first.natural->reversed ? TopAbs_REVERSED : TopAbs_FORWARD));
    if (one.natural) one.natural->reversed = first.natural->reversed;
    return std::optional(std::move(one));
  }

  /// The body with one face in place of some.
  Expected<void> replace(const std::vector<NamedFace>& all, const std::vector<int>& members, const NamedFace& one) {
    std::vector<NamedFace> faces;
    for (size_t i = 0; i < all.size(); ++i)
      if (int(i) == members.front())
        faces.push_back(one);
      else if (std::find(members.begin(), members.end(), int(i)) == members.end())
        faces.push_back(all[i]);
    LUMSK_TRY(made, together(*out_.body, faces, labelsOf(*out_.body), cx_));
    out_.body = made.bodies.front();
    return {};
  }

  /// Pieces of the same surface, and edges.
  Expected<void> byKernel() {
    const Body& b = *out_.body;
    const auto all = namedFaces(b);
    const auto seams = seamsOf(all, among_);
    if (seams.empty() && !edges_) return {};
    const TopoDS_Shape shape = b.shape;
    ShapeUpgrade_UnifySameDomain unify(shape, edges_, true, true);
    unify.SetLinearTolerance(cx_.tolerances.point.mm);
    unify.SetAngularTolerance(radFromDeg(cx_.tolerances.angle.deg));
    unify.SetSafeInputMode(true);
    // Nothing else changes: edges beside other faces, and vertices that none of these faces has.
    TopTools_MapOfShape between, own;
    for (const Seam& s : seams) between.Add(s.edge);
    for (const NamedFace& f : all)
      for (TopExp_Explorer x(f.face, TopAbs_VERTEX); x.More() && among_.count(f.name); x.Next()) own.Add(x.Current());
    for (const TopoDS_Edge& e : brep::edges(b))
      if (!between.Contains(e) && picked_) unify.KeepShape(e);
    for (const TopoDS_Vertex& v : brep::vertices(b))
      if (!own.Contains(v)) unify.KeepShape(v);
    unify.Build();
    const TopoDS_Shape made = unify.Shape();
    if (made.IsNull()) return {};
    const Handle(BRepTools_History) past = unify.History();
    FaceHistory history;
    std::set<std::string> kept;
    TopTools_IndexedMapOfShape now;
    TopExp::MapShapes(made, TopAbs_FACE, now);
    TopTools_MapOfShape named;
    bool any = now.Extent() < int(all.size());
    for (const NamedFace& f : all) {
      const TopTools_ListOfShape& into = past->Modified(f.face);
      if (into.IsEmpty()) {
        history.keep(f);
        continue;
      }
      for (const TopoDS_Shape& x : into) {
        if (!named.Add(x)) continue; // the first one's name stays
        const TopoDS_Face face = TopoDS::Face(x);
        history.keep({face, f.name, naturalOf(TopoDS::Face(face.Oriented(TopAbs_FORWARD)))});
        any = true;
      }
    }
    const EdgeLabels labels = labelsOf(b);
    TopTools_IndexedMapOfShape edgesNow;
    TopExp::MapShapes(made, TopAbs_EDGE, edgesNow);
    any = any || edgesNow.Extent() < int(b.edgeNames.size());
    if (!any) return {};
    for (EdgeLabels::Iterator i(labels); i.More(); i.Next()) {
      const TopTools_ListOfShape& into = past->Modified(i.Key());
      if (into.IsEmpty()) history.label(i.Key(), i.Value());
      for (const TopoDS_Shape& x : into) history.label(x, i.Value());
    }
    LUMSK_CHECK(checkValid(made));
    const Mass was = massOf(b.shape), is = massOf(made);
    constexpr double kSameArea = 1e-4;
    if (std::abs(was.areaMm2 - is.areaMm2) > kSameArea * was.areaMm2)
      return fail(problem("LM-K002", "the kernel's merged faces are not what they were made of").measure({is.areaMm2, Dimension::Area}).want({was.areaMm2, Dimension::Area}).at(boxCorners(b.shape)[0]).tryThis("pick fewer faces at once"));
    auto body = std::make_shared<Body>();
    body->shape = made;
    history.finish(*body);
    out_.body = std::move(body);
    return {};
  }

  /// Whole splines side by side.
  Expected<void> splines() {
    for (bool more = true; more;) {
      more = false;
      const auto all = namedFaces(*out_.body);
      for (const Seam& s : seamsOf(all, among_)) {
        const NamedFace &a = all[size_t(s.first)], &b = all[size_t(s.second)];
        if (!a.natural || !b.natural) continue;
        const auto turned = beside(a, b, s.edge);
        if (!turned) continue;
        auto made = nurbs::united(turned->first, turned->second, cx_);
        if (!made) {
          if (isCancelled(made.error())) return fail(made.error());
          why_ = std::move(made.error());
          continue;
        }
        out_.deviationMm = std::max(out_.deviationMm, made->deviationMm);
        NaturalFace n{std::make_shared<const nurbs::Surface>(std::move(made->surface))};
        // As the first one lies: the parameters were turned along with it.
        n.reversed = frontOf(*n.surface, a) < 0;
        LUMSK_CHECK(replace(all, {s.first, s.second}, {naturalFace(*n.surface, n.reversed, cx_.tolerances.point), a.name, n}));
        more = true;
        break;
      }
    }
    return {};
  }

  /// Above nought where the surface's normal and a face's outside agree.
  double frontOf(const nurbs::Surface& s, const NamedFace& f) const {
    const nurbs::Surface& old = *f.natural->surface;
    const double u = 0.5 * (old.firstU() + old.lastU()), v = 0.5 * (old.firstV() + old.lastV());
    const Vec3 p = old.at(u, v), n = old.normal(u, v) * (f.natural->reversed ? -1 : 1);
    const auto c = nurbs::closestPoint(s, p);
    return s.normal(c.u, c.v).dot(n);
  }

  /// Two surfaces turned so that the first one's last v is the other one's first v; nothing where the edge is no whole side
  /// of both, or another side closes it.
  static std::optional<std::pair<nurbs::Surface, nurbs::Surface>> beside(const NamedFace& a, const NamedFace& b, const TopoDS_Edge& edge) {
    const auto sideIn = [&](const NamedFace& f) {
      const nurbs::Surface& s = *f.natural->surface;
      return sideAlong(edge, f.face, {s.firstU(), s.firstV()}, {s.lastU(), s.lastV()});
    };
    const int sa = sideIn(a), sb = sideIn(b);
    if (sa < 0 || sb < 0) return {};
    const auto alongU = [](const nurbs::Surface& s, int side) { return side < 2 ? nurbs::exchanged(s) : s; };
    if ((sa < 2 && a.natural->surface->closedU()) || (sb < 2 && b.natural->surface->closedU())) return {};
    nurbs::Surface first = alongU(*a.natural->surface, sa), second = alongU(*b.natural->surface, sb);
    if (sa % 2 == 0) first = nurbs::turnedV(first);
    if (sb % 2 == 1) second = nurbs::turnedV(second);
    const Vec3 p = first.at(first.firstU(), first.lastV()), q = second.at(second.firstU(), second.firstV()),
               r = second.at(second.lastU(), second.firstV());
    if ((p - r).norm() < (p - q).norm()) second = nurbs::reversedU(second);
    return std::pair(std::move(first), std::move(second));
  }

  Problem nothing() const {
    const auto all = namedFaces(before_);
    const auto seams = seamsOf(all, among_);
    if (seams.empty())
      return problem("LM-C050", "the faces do not touch one another: there is nothing to merge").at(boxCorners(before_.shape)[0]).tryThis("pick faces side by side");
    Problem p = problem("LM-C050", "no two of these faces are one smooth surface").at(middleOf(seams.front().edge)).tryThis("match one face to the other first, or leave them apart");
    if (why_) {
      p.what += ": " + why_->what;
      p.measured = why_->measured, p.required = why_->required, p.where = why_->where;
    }
    return p;
  }

  void noteRest() {
    const auto all = namedFaces(*out_.body);
    Problem rest = problem("LM-C110", "some of the picked faces are not one surface and stay as they are").tryThis("match one to the other first");
    for (const Seam& s : seamsOf(all, among_)) rest.at(middleOf(s.edge));
    if (!rest.where.empty()) out_.notes.push_back(std::move(rest));
  }

  const Body& before_;
  bool edges_, picked_ = false;
  const Context& cx_;
  std::set<std::string> among_; ///< names of the faces that may be merged
  std::optional<Problem> why_;  ///< the last two that were not
  United out_;
};

} // namespace

Expected<United> united(const Body& b, const std::vector<int>& which, bool edges, const Context& cx) {
  return guarded("merging faces", [&] { return Uniter(b, which, edges, cx).run(); });
}

} // namespace lumsk::brep

#include "brep/cut_back.h"

#include "brep/apart.h"
#include "brep/assemble.h"
#include "brep/convert.h"
#include "brep/edge_paths.h"
#include "brep/guard.h"
#include "brep/new_border.h"
#include "brep/reborder.h"
#include "brep/rings.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/ribbon.h"

#include <BRep_Tool.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

constexpr double kOnEdgeTolerances = 10; ///< of `point`
constexpr double kBorderOnFaceMm = 0.003;
constexpr double kLeastContact = 0.3; ///< of the edge's length
constexpr LengthTolerance kRejoined{0.01};

double distanceFrom(const nurbs::Path& path, const Vec3& p) { return nurbs::closestPoint(path, p).distanceMm; }

nurbs::Path inDirectionOf(const nurbs::Path& path, const nurbs::Path& of) {
  const double t = 0.5 * path.last();
  const double there = nurbs::closestPoint(of, path.at(t)).t;
  return nurbs::unitTangent(path, t).dot(nurbs::unitTangent(of, there)) < 0 ? nurbs::reversed(path) : path;
}

/// Whether a place lies on the other side of a contact than the edge.
bool liesBeyond(const Vec3& p, const nurbs::Path& contact, const nurbs::Path& edge) {
  const Vec3 c = nurbs::closestPoint(contact, p).point;
  return (p - c).dot(c - nurbs::closestPoint(edge, c).point) > 0;
}

/// One side of the edge: its faces end at a curve at the width from it.
class Side {
public:
  Side(const BodyPtr& faces, const nurbs::Path& edge, double width, int number, const Context& cx)
      : faces_(faces), edge_(edge), width_(width), number_(number), cx_(cx) {}

  /// By the width, or along a given curve.
  Expected<void> cut(const nurbs::Path* given = nullptr, const std::array<bool, 2>& fades = {}) {
    if (given && (fades[0] || fades[1])) return border(*given, fades);
    auto done = divide(given);
    if (!done && given && !isCancelled(done.error()) && border(*given, fades)) return {};
    return done;
  }

  nurbs::Path contact;
  BodyPtr left;

private:
  /// The faces with other borders.
  Expected<void> border(const nurbs::Path& given, const std::array<bool, 2>& fades) {
    const double near = kOnEdgeTolerances * cx_.tolerances.point.mm;
    std::vector<NamedFace> faces = namedFaces(*faces_);
    bool any = false;
    for (NamedFace& f : faces) {
      if (!runsBeside(f.face, edge_, near)) continue;
      auto made = withBorder(f.face, {edge_, given, fades}, near);
      if (!made) return fail(tooWide());
      f = NamedFace{*made, f.name, std::nullopt};
      any = true;
    }
    if (!any) return fail(tooWide());
    contact = given;
    left = skinOf(faces);
    return {};
  }

  Expected<void> divide(const nurbs::Path* given) {
    if (given) {
      contact = *given;
    } else {
      LUMSK_CHECK(findContact());
    }
    Divider d;
    d.id = number_ == 0 ? "left" : "right";
    d.path = std::make_shared<const nurbs::Path>(contact);
    auto division = Division::of({faces_}, {d}, {}, limited(cx_));
    if (!division) return fail(division.error().code == "LM-C001" ? tooWide() : division.error());
    std::vector<char> kept;
    for (const Piece& p : (*division)->pieces()) kept.push_back(given ? liesBeyond(p.at, contact, edge_) : distanceFrom(edge_, p.at) > width_);
    if (std::count(kept.begin(), kept.end(), char(1)) != 1 || kept.size() != 2) return fail(tooWide());
    LUMSK_TRY(made, (*division)->bodies(kept, false, false, cx_));
    left = made.front().body;
    // The blend begins on the very edges that came of it.
    std::vector<TopoDS_Edge> cutEdges;
    for (const TopoDS_Edge& e : edges(*left)) {
      if (BRep_Tool::Degenerated(e)) continue;
      const auto path = toPath(e);
      if (path && runsAlong(contact, *path, kOnEdgeTolerances * cx_.tolerances.point.mm)) cutEdges.push_back(e);
    }
    const auto rings = chained(cutEdges, kOnEdgeTolerances * cx_.tolerances.point.mm);
    if (rings.size() != 1) return fail(tooWide());
    LUMSK_TRY(path, pathAlong(rings.front(), cx_.tolerances.point));
    contact = inDirectionOf(path, contact);
    return {};
  }

  Expected<void> findContact() {
    LUMSK_TRY(ready, BodyFaces::of(*faces_, -1, cx_));
    LUMSK_TRY(found, ready.apartFrom(edge_, width_, cx_));
    // It goes as far as the edge does.
    const double length = nurbs::ArcLength(edge_).total();
    if (found.curves.empty() || nurbs::ArcLength(found.curves.front()).total() < kLeastContact * length || found.curves.front().closed() != edge_.closed())
      return fail(tooWide());
    contact = inDirectionOf(found.curves.front(), edge_);
    return {};
  }

  Problem tooWide() const {
    const std::string where = std::string(number_ == 0 ? "to the left" : "to the right") + " of the edge";
    if (!(width_ > 0)) // along a curve
      return problem("LM-H026", "the faces " + where + " cannot end where the round begins").at(edge_.at(0.5 * edge_.last())).tryThis("take less, or another section");
    return problem("LM-H026", "the width does not fit on the faces " + where)
        .measure(millimetres(width_))
        .at(edge_.at(0.5 * edge_.last()))
        .tryThis("take less, or a part of the edge");
  }

  const BodyPtr& faces_;
  const nurbs::Path& edge_;
  double width_;
  int number_;
  const Context& cx_;
};

/// Whether a face lies to the left of one of its edges along its curve, seen from the face's front: the edge's orientation says it.
bool liesLeft(const TopoDS_Face& face, const TopoDS_Edge& edge) {
  for (TopExp_Explorer e(face, TopAbs_EDGE); e.More(); e.Next())
    if (e.Current().IsSame(edge)) return e.Current().Orientation() == TopAbs_FORWARD;
  return false;
}

} // namespace

Expected<EdgeSides> edgeSides(const BodyPtr& body, const nurbs::Path& edge, const Context& cx) {
  return guarded("looking beside an edge", [&]() -> Expected<EdgeSides> {
    const double near = kOnEdgeTolerances * cx.tolerances.point.mm;
    EdgeSides faces;
    const auto all = edges(*body);
    const auto allFaces = brep::faces(*body);
    const auto add = [](std::vector<int>& to, int face) {
      if (std::find(to.begin(), to.end(), face) == to.end()) to.push_back(face);
    };
    const auto notTwo = [&](const Vec3& at) {
      return problem("LM-H025", "not two faces end at this edge").at(at).tryThis("pick an edge between two faces; two skins first have to be trimmed by each other and knitted");
    };
    for (int i = 0; i < int(all.size()); ++i) {
      if (BRep_Tool::Degenerated(all[size_t(i)])) continue;
      const auto path = toPath(all[size_t(i)]);
      if (!path || !runsAlong(edge, *path, near)) continue;
      const auto at = facesAt(*body, i);
      const Vec3 middle = path->at(0.5 * path->last());
      if (at.size() != 2) return fail(notTwo(middle));
      const double along = nurbs::unitTangent(edge, nurbs::closestPoint(edge, middle).t).dot(nurbs::unitTangent(*path, 0.5 * path->last()));
      for (int face : at) add(faces[liesLeft(allFaces[size_t(face)], all[size_t(i)]) == (along > 0) ? 0 : 1], face);
    }
    if (faces[0].empty() || faces[1].empty() ||
        std::any_of(faces[0].begin(), faces[0].end(), [&](int f) { return std::find(faces[1].begin(), faces[1].end(), f) != faces[1].end(); }))
      return fail(notTwo(edge.at(0.5 * edge.last())));
    return faces;
  });
}

namespace {

Expected<CutBack> cutFaces(const BodyPtr& body, const nurbs::Path& edge, const EdgeSides& faces, const std::array<double, 2>& widths, const std::array<nurbs::Path, 2>* contacts, const std::array<bool, 2>& fades, const Context& cx) {
  return guarded("cutting faces back", [&]() -> Expected<CutBack> {
    const double near = kOnEdgeTolerances * cx.tolerances.point.mm;
    CutBack out;
    for (size_t k : {0u, 1u}) {
      const auto parts = facesApart(*body, faces[k], false);
      if (parts.size() != 1)
        return fail(problem("LM-H025", "the faces on one side of this edge do not hang together").at(edge.at(0.5 * edge.last())).tryThis("pick edges that go on in one another"));
      Side side(parts.front(), edge, widths[k], int(k), cx);
      LUMSK_CHECK(side.cut(contacts ? &(*contacts)[k] : nullptr, fades));
      out.contacts[k] = std::move(side.contact);
      out.sides[k] = std::move(side.left);
    }
    const auto named = namedFaces(*body);
    for (int f = 0; f < int(named.size()); ++f) {
      if (std::any_of(faces.begin(), faces.end(), [&](const auto& side) { return std::find(side.begin(), side.end(), f) != side.end(); })) continue;
      if (!edge.closed())
        for (size_t end : {0u, 1u}) {
          if (fades[end]) continue;
          const Vec3 p = end ? edge.end() : edge.start();
          for (TopExp_Explorer v(named[size_t(f)].face, TopAbs_VERTEX); v.More(); v.Next())
            if ((toVec(BRep_Tool::Pnt(TopoDS::Vertex(v.Current()))) - p).norm() <= near) out.ends[end] = int(out.others.size());
        }
      out.others.push_back(named[size_t(f)]);
    }
    return out;
  });
}

} // namespace

Expected<CutBack> cutBack(const BodyPtr& body, const nurbs::Path& edge, const std::array<double, 2>& widths, const Context& cx) {
  LUMSK_TRY(sides, edgeSides(body, edge, cx));
  return cutFaces(body, edge, sides, widths, nullptr, {}, cx);
}

Expected<CutBack> cutBackAt(const BodyPtr& body, const nurbs::Path& edge, const EdgeSides& sides, const std::array<nurbs::Path, 2>& contacts, const std::array<bool, 2>& fades, const Context& cx) {
  return cutFaces(body, edge, sides, {}, &contacts, fades, cx);
}

Expected<std::vector<NamedFace>> cutBackRings(const BodyPtr& body, const std::vector<RingCut>& rings, const Context& cx) {
  return guarded("cutting faces back", [&]() -> Expected<std::vector<NamedFace>> {
    // Faces that lie beside the same edges are cut together.
    std::vector<int> cluster(body->faceNames.size(), -1);
    for (const RingCut& r : rings)
      for (const auto& side : *r.sides) {
        const int to = side.front();
        for (const int f : side) {
          const int from = cluster[size_t(f)];
          cluster[size_t(f)] = to;
          if (from >= 0) std::replace(cluster.begin(), cluster.end(), from, to);
        }
      }
    std::map<int, std::vector<std::pair<const RingCut*, size_t>>> cutsOf;
    for (const RingCut& r : rings) {
      const std::array<int, 2> of{cluster[size_t((*r.sides)[0].front())], cluster[size_t((*r.sides)[1].front())]};
      if (of[0] == of[1])
        return fail(problem("LM-H025", "the faces on both sides of this edge hang together beside others").at(r.edge->start()).tryThis("take a step for each edge"));
      for (const size_t k : {0, 1}) cutsOf[of[k]].emplace_back(&r, k);
    }
    const auto named = namedFaces(*body);
    std::vector<NamedFace> out;
    for (size_t f = 0; f < named.size(); ++f)
      if (cluster[f] < 0) out.push_back(named[f]);
    for (const auto& [number, cuts] : cutsOf) {
      const auto tooNear = [&, at = cuts.front().first->edge->start()] { return problem("LM-H026", "faces between these edges cannot end where the rounds begin").at(at).tryThis("take less"); };
      std::vector<int> faces;
      for (int f = 0; f < int(cluster.size()); ++f)
        if (cluster[size_t(f)] == number) faces.push_back(f);
      const auto parts = facesApart(*body, faces, false);
      if (parts.size() != 1) return fail(tooNear());
      std::vector<Divider> dividers;
      for (const auto& [ring, k] : cuts) {
        Divider d;
        d.id = "ring" + std::to_string(dividers.size());
        d.path = std::make_shared<const nurbs::Path>((*ring->contacts)[k]);
        dividers.push_back(std::move(d));
      }
      LUMSK_TRY(division, Division::of(parts, dividers, {}, limited(cx)));
      std::vector<char> kept;
      for (const Piece& p : division->pieces()) { // by the cut that is nearest
        std::pair<double, const std::pair<const RingCut*, size_t>*> nearest{1e300, nullptr};
        for (const auto& cut : cuts)
          if (const double mm = distanceFrom((*cut.first->contacts)[cut.second], p.at); mm < nearest.first) nearest = {mm, &cut};
        const auto& [ring, k] = *nearest.second;
        kept.push_back(liesBeyond(p.at, (*ring->contacts)[k], *ring->edge));
      }
      if (std::count(kept.begin(), kept.end(), char(1)) != 1 || kept.size() != 1 + cuts.size()) return fail(tooNear());
      LUMSK_TRY(made, division->bodies(kept, false, false, cx));
      const auto left = namedFaces(*made.front().body);
      out.insert(out.end(), left.begin(), left.end());
    }
    return out;
  });
}

Expected<BodyPtr> knittedAgain(const std::vector<NamedFace>& faces, bool solid, const Context& cx) {
  LUMSK_TRY(knitted, knitFaces(faces, kRejoined, cx, solid, false));
  if (!solid || knitted.body->solid()) return knitted.body;
  Problem open = problem("LM-H028", "the solid does not close again around the blend")
                     .tryThis("take less width, an edge that runs all around, or blend its skins and knit them by hand");
  for (const NearMiss& m : knitted.nearMisses) open.at(m.at);
  if (open.where.empty())
    for (const Ring& r : openRings(knitted.body->shape)) open.at(middleOf(r.edges.front()));
  return fail(std::move(open));
}

Expected<BodyPtr> rejoined(const CutBack& cut, const std::vector<NamedFace>& between, const std::array<nurbs::Path, 2>& borders, bool closed, bool solid,
                           const nurbs::Path& edge, const Context& cx) {
  return guarded("putting faces together", [&]() -> Expected<BodyPtr> {
    std::vector<NamedFace> faces;
    for (const BodyPtr& side : cut.sides) {
      const auto own = namedFaces(*side);
      faces.insert(faces.end(), own.begin(), own.end());
    }
    std::vector<NamedFace> others = cut.others;
    for (size_t end : {0u, 1u}) {
      if (closed || cut.ends[end] < 0) continue;
      const BodyPtr face = skinOf({others[size_t(cut.ends[end])]});
      LUMSK_TRY(on, BodyFaces::of(*face, -1, cx));
      const double off = on.farthest(borders[end], true);
      const Vec3 corner = end ? edge.end() : edge.start();
      if (off > kBorderOnFaceMm)
        return fail(problem("LM-H027", "the blend does not end in the face that the edge runs into")
                        .measure(millimetres(off))
                        .want(millimetres(kBorderOnFaceMm))
                        .at(corner)
                        .tryThis("take the same width on both sides, an edge that runs all around, or trim the end by hand"));
      if (auto cornered = withoutCorner(others[size_t(cut.ends[end])].face, corner, borders[end], kOnEdgeTolerances * cx.tolerances.point.mm)) {
        NamedFace& f = others[size_t(cut.ends[end])];
        f = NamedFace{*cornered, f.name, std::nullopt};
        continue;
      }
      Divider d;
      d.id = "end";
      d.path = std::make_shared<const nurbs::Path>(borders[end]);
      LUMSK_TRY(division, Division::of({face}, {d}, {}, limited(cx)));
      // The piece with the edge's end goes.
      const auto& pieces = division->pieces();
      const auto goes = std::min_element(pieces.begin(), pieces.end(), [&](const Piece& a, const Piece& b) { return (a.at - corner).norm() < (b.at - corner).norm(); });
      std::vector<char> kept(pieces.size(), 1);
      kept[size_t(goes - pieces.begin())] = 0;
      LUMSK_TRY(made, division->bodies(kept, false, false, cx));
      others[size_t(cut.ends[end])] = namedFaces(*made.front().body).front();
    }
    faces.insert(faces.end(), others.begin(), others.end());
    faces.insert(faces.end(), between.begin(), between.end());
    return knittedAgain(faces, solid, cx);
  });
}

} // namespace lumsk::brep

#include "brep/reborder.h"

#include "brep/convert.h"
#include "brep/curves_on.h"
#include "brep/knit.h"
#include "brep/skin.h"
#include "brep/thicken_parts.h"
#include "nurbs/measure/closest.h"

#include <BRep_Tool.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>

#include <algorithm>
#include <chrono>
#include <set>

namespace lumsk::brep {

namespace {

constexpr int kSecondsAtMost = 10;
constexpr double kPutTogether = 10; ///< point tolerances
constexpr double kOnBorder = 10;    ///< fits: a border of a fitted part is as near to its surface's own

/// Pairs of faces that share an edge, with a place of it.
std::map<std::pair<std::string, std::string>, Vec3> joinsOf(const Body& b) {
  TopTools_IndexedMapOfShape numbers;
  TopExp::MapShapes(b.shape, TopAbs_FACE, numbers);
  TopTools_IndexedDataMapOfShapeListOfShape owners;
  TopExp::MapShapesAndAncestors(b.shape, TopAbs_EDGE, TopAbs_FACE, owners);
  std::map<std::pair<std::string, std::string>, Vec3> out;
  for (int i = 1; i <= owners.Extent(); ++i) {
    const TopoDS_Edge e = TopoDS::Edge(owners.FindKey(i));
    std::set<std::string> names;
    for (const TopoDS_Shape& f : owners(i)) names.insert(b.faceNames[size_t(numbers.FindIndex(f)) - 1]);
    if (names.size() != 2 || BRep_Tool::Degenerated(e)) continue;
    double first, last;
    const Handle(Geom_Curve) c = BRep_Tool::Curve(e, first, last);
    out.emplace(std::pair(*names.begin(), *names.rbegin()), toVec(c->Value(0.5 * (first + last))));
  }
  return out;
}

} // namespace

Expected<std::vector<Divider>> asDividers(const std::vector<TopoDS_Edge>& edges, size_t first) {
  std::vector<Divider> out;
  for (const TopoDS_Edge& e : edges) {
    auto path = toPath(e);
    if (!path)
      return fail(problem("LM-C012", "an edge of the face has no curve in space")
                      .at(toVec(BRep_Tool::Pnt(TopExp::FirstVertex(e))))
                      .tryThis("knit the body again, or import it in another format"));
    Divider d;
    d.id = std::to_string(first + out.size());
    d.path = std::make_shared<const nurbs::Path>(std::move(*path));
    out.push_back(std::move(d));
  }
  return out;
}

EdgeLabels labelsOf(const Body& cut, const std::vector<std::string>& labels) {
  EdgeLabels out;
  const EdgeLabels given = labelsOf(cut);
  for (EdgeLabels::Iterator i(given); i.More(); i.Next()) {
    if (i.Value().rfind("cut:", 0) != 0) continue;
    const size_t n = size_t(std::stoul(i.Value().substr(4)));
    if (n < labels.size() && !labels[n].empty()) out.Bind(i.Key(), labels[n]);
  }
  return out;
}

Expected<Rebordered> together(const Body& before, const std::vector<NamedFace>& faces, const EdgeLabels& labels,
                              const Context& cx) {
  Rebordered out;
  if (faces.size() == 1) {
    out.bodies = {skinOf(faces, labels)};
    LUMSK_CHECK(checkValid(out.bodies.front()->shape));
    return out;
  }
  LUMSK_TRY(knitted, knitFaces(faces, {kPutTogether * cx.tolerances.point.mm}, cx));
  out.bodies = {knitted.body};
  const auto now = joinsOf(*knitted.body);
  Problem apart = problem("LM-J105", "the skin opens where its faces do not meet any more").tryThis("change the faces beside these as well");
  for (const auto& [pair, at] : joinsOf(before))
    if (!now.count(pair)) apart.at(at);
  if (!apart.where.empty()) out.notes.push_back(std::move(apart));
  return out;
}

Context limited(const Context& cx) {
  Context out = cx;
  const auto until = std::chrono::steady_clock::now() + std::chrono::seconds(kSecondsAtMost);
  if (!out.until || *out.until > until) out.until = until;
  return out;
}

bool onBorderOf(const nurbs::Surface& s, const TopoDS_Edge& e, LengthTolerance fit) {
  double a, b;
  const Handle(Geom_Curve) c = BRep_Tool::Curve(e, a, b);
  for (int side = 0; side < 4; ++side) {
    if (s.closedU() && side < 2) continue;
    const auto path = nurbs::Path::make({border(s, side)}, {1e-6});
    if (!path) continue; // a pole
    bool along = true;
    for (int i = 0; i <= 8 && along; ++i)
      along = nurbs::closestPoint(*path, toVec(c->Value(a + (b - a) * i / 8))).distanceMm <= kOnBorder * fit.mm;
    if (along) return true;
  }
  return false;
}

std::vector<char> piecesAt(const Division& division, const std::vector<Vec3>& places, const Context& cx) {
  std::vector<char> out(division.pieces().size(), 0);
  for (size_t i = 0; i < out.size(); ++i) {
    const auto skin = division.skinOf(int(i));
    if (!skin) continue;
    const auto on = BodyFaces::of(**skin, -1, cx);
    if (!on) continue;
    for (const Vec3& p : places)
      if (const auto at = on->nearest(p); at && at->distanceMm <= cx.tolerances.point.mm) out[i] = 1;
  }
  return out;
}

void noteLost(Rebordered& out, const std::vector<TopoDS_Edge>& left, const TopoDS_Face& now, LengthTolerance point) {
  std::vector<nurbs::Path> border;
  for (TopExp_Explorer e(now, TopAbs_EDGE); e.More(); e.Next())
    if (auto path = toPath(TopoDS::Edge(e.Current()))) border.push_back(std::move(*path));
  Problem lost = problem("LM-C107", "an edge that was to stay bounds nothing any more and is gone, too")
                     .tryThis("pick the edges beside it as well, or trim again");
  for (const TopoDS_Edge& e : left) {
    double first, last;
    const Handle(Geom_Curve) c = BRep_Tool::Curve(e, first, last);
    const Vec3 middle = toVec(c->Value(0.5 * (first + last)));
    if (std::none_of(border.begin(), border.end(), [&](const nurbs::Path& p) {
          return nurbs::closestPoint(p, middle).distanceMm <= kPutTogether * point.mm;
        }))
      lost.at(middle);
  }
  if (!lost.where.empty()) out.notes.push_back(std::move(lost));
}

void takeCarried(Rebordered& out, const Division& division) {
  for (CarriedOn c : division.carriedOn()) {
    c.divider.clear(); // it is an edge, no pick
    out.carriedOn.push_back(std::move(c));
  }
}

} // namespace lumsk::brep

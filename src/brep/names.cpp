#include "brep/names.h"

#include "brep/convert.h"
#include "brep/rings.h"

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRepGProp.hxx>
#include <BRepTools.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <GCPnts_AbscissaPoint.hxx>
#include <GProp_GProps.hxx>
#include <Geom2d_Curve.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>

#include <Precision.hxx>

#include <algorithm>
#include <array>
#include <functional>

namespace lumsk::brep {

std::string faceName(const std::string& step, const std::string& role, const std::string& source) {
  return step + "." + role + (source.empty() ? "" : "(" + source + ")");
}

const char* partKindName(PartKind k) { return k == PartKind::Face ? "face" : k == PartKind::Edge ? "edge" : "vertex"; }

namespace {

/// The side of a face's domain along which an edge runs, in the order of `NaturalFace`; -1: none.
int sideAlong(const TopoDS_Edge& e, const TopoDS_Face& f) {
  double a, b;
  const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(e, f, a, b);
  if (c.IsNull()) return -1;
  double u0, u1, v0, v1;
  BRepTools::UVBounds(f, u0, u1, v0, v1);
  const gp_Pnt2d p = c->Value(a), q = c->Value(b), m = c->Value(0.5 * (a + b));
  const auto all = [&](double value, auto get) {
    const double eps = 1e-6 * std::max(1.0, std::abs(value));
    return std::abs(get(p) - value) < eps && std::abs(get(q) - value) < eps && std::abs(get(m) - value) < eps;
  };
  const auto x = [](const gp_Pnt2d& g) { return g.X(); };
  const auto y = [](const gp_Pnt2d& g) { return g.Y(); };
  return all(v0, y) ? 2 : all(v1, y) ? 3 : all(u0, x) ? 0 : all(u1, x) ? 1 : -1;
}

/// "start", "end", "left", "right" for an edge along a side of the face's domain; "seam" and "rim" otherwise.
std::string sideOf(const TopoDS_Edge& e, const TopoDS_Face& f, const NaturalFace* natural) {
  static constexpr std::array<const char*, 4> kUsual{"left", "right", "start", "end"};
  if (BRep_Tool::IsClosed(e, f)) return "seam";
  const int side = sideAlong(e, f);
  if (side < 0) return "rim";
  return natural && !natural->sides[size_t(side)].empty() ? natural->sides[size_t(side)] : kUsual[size_t(side)];
}

/// Where a part lies on what it belongs to: parameters of a face, or of an edge, as shares of its range.
Vec2 placeOn(const TopoDS_Face& part, const TopoDS_Face& parent) {
  double u0, u1, v0, v1, pu0, pu1, pv0, pv1;
  BRepTools::UVBounds(part, u0, u1, v0, v1);
  BRep_Tool::Surface(parent)->Bounds(pu0, pu1, pv0, pv1);
  const auto share = [](double x, double a, double b) {
    return Precision::IsInfinite(a) || Precision::IsInfinite(b) || !(b > a) ? x : (x - a) / (b - a);
  };
  return {share(0.5 * (u0 + u1), pu0, pu1), share(0.5 * (v0 + v1), pv0, pv1)};
}
Vec2 placeOn(const TopoDS_Edge& part, const TopoDS_Face& parent) {
  double a, b, u0, u1, v0, v1;
  const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(part, parent, a, b);
  if (c.IsNull()) return Vec2::Zero();
  const gp_Pnt2d p = c->Value(0.5 * (a + b));
  BRepTools::UVBounds(parent, u0, u1, v0, v1);
  return {(p.X() - u0) / std::max(u1 - u0, 1e-12), (p.Y() - v0) / std::max(v1 - v0, 1e-12)};
}

/// Numbers equal names by the order of their places on what they belong to, along the parameter in which they lie
/// furthest apart: neither the order of the map nor a small turn of the body changes the numbers.
void numberTies(std::vector<std::string>& names, const std::vector<Vec2>& places) {
  std::map<std::string, std::vector<int>> groups;
  for (size_t i = 0; i < names.size(); ++i) groups[names[i]].push_back(int(i));
  for (auto& [name, members] : groups) {
    if (members.size() < 2) continue;
    Vec2 low = places[size_t(members[0])], high = low;
    for (int m : members) low = low.cwiseMin(places[size_t(m)]), high = high.cwiseMax(places[size_t(m)]);
    const int along = high.x() - low.x() >= high.y() - low.y() ? 0 : 1;
    std::sort(members.begin(), members.end(), [&](int a, int b) {
      for (int k : {along, 1 - along})
        if (std::abs(places[size_t(a)][k] - places[size_t(b)][k]) > 1e-9)
          return places[size_t(a)][k] < places[size_t(b)][k];
      return a < b;
    });
    for (size_t k = 1; k < members.size(); ++k) names[size_t(members[k])] += "#" + std::to_string(k + 1);
  }
}

} // namespace

void nameBody(Body& body, const FaceNames& given, const EdgeLabels& labels) {
  body.faceNames.clear();
  std::vector<Vec2> places;
  const auto allFaces = faces(body);
  for (const TopoDS_Face& f : allFaces) {
    body.faceNames.push_back(given.IsBound(f) ? given(f) : "?");
    places.push_back(placeOn(f, f));
  }
  numberTies(body.faceNames, places); // a face that was cut in two
  FaceNames faceNames;
  for (size_t i = 0; i < allFaces.size(); ++i) faceNames.Bind(allFaces[i], body.faceNames[i]);
  const auto nameOf = [&](const TopoDS_Shape& f) { return faceNames.IsBound(f) ? faceNames(f) : std::string("?"); };

  TopTools_IndexedDataMapOfShapeListOfShape edgeFaces;
  TopExp::MapShapesAndAncestors(body.shape, TopAbs_EDGE, TopAbs_FACE, edgeFaces);
  places.clear();
  const auto allEdges = edges(body);
  body.edgeNames.clear();
  for (const TopoDS_Edge& e : allEdges) {
    std::vector<std::string> owners;
    const int at = edgeFaces.FindIndex(e);
    TopoDS_Face first, parent; // the latter comes first by name
    if (at > 0)
      for (const TopoDS_Shape& f : edgeFaces(at)) {
        if (owners.empty()) first = TopoDS::Face(f);
        if (parent.IsNull() || nameOf(f) < nameOf(parent)) parent = TopoDS::Face(f);
        if (std::find(owners.begin(), owners.end(), nameOf(f)) == owners.end()) owners.push_back(nameOf(f));
      }
    std::sort(owners.begin(), owners.end());
    std::string name;
    const auto natural = first.IsNull() ? body.natural.end() : body.natural.find(nameOf(first));
    const NaturalFace* whole = natural == body.natural.end() ? nullptr : &natural->second;
    if (BRep_Tool::Degenerated(e))
      name = owners.front() + "|pole-" + sideOf(e, first, whole);
    else if (owners.size() == 1)
      name = owners.front() + "|" + (labels.IsBound(e) ? labels(e) : sideOf(e, first, whole));
    else
      for (const auto& o : owners) name += (name.empty() ? "" : "|") + o;
    body.edgeNames.push_back(name);
    places.push_back(parent.IsNull() ? Vec2(Vec2::Zero()) : placeOn(e, parent));
  }
  numberTies(body.edgeNames, places);
  // What a face's step was asked for at a side counts for the edge that lies there now.
  body.asked.clear();
  for (size_t i = 0; i < allEdges.size(); ++i) {
    if (BRep_Tool::Degenerated(allEdges[i]) || !edgeFaces.Contains(allEdges[i])) continue;
    for (const TopoDS_Shape& f : edgeFaces.FindFromKey(allEdges[i])) {
      const auto natural = body.natural.find(nameOf(f));
      const int side = natural == body.natural.end() ? -1 : sideAlong(allEdges[i], TopoDS::Face(f));
      if (side < 0 || natural->second.asked[size_t(side)] == Meets::Free) continue;
      Meets& asked = body.asked.try_emplace(body.edgeNames[i], Meets::Free).first->second;
      asked = std::max(asked, natural->second.asked[size_t(side)]);
    }
  }

  TopTools_IndexedDataMapOfShapeListOfShape vertexEdges;
  TopExp::MapShapesAndAncestors(body.shape, TopAbs_VERTEX, TopAbs_EDGE, vertexEdges);
  TopTools_IndexedMapOfShape edgeIndex;
  TopExp::MapShapes(body.shape, TopAbs_EDGE, edgeIndex);
  places.clear();
  body.vertexNames.clear();
  for (const TopoDS_Vertex& v : vertices(body)) {
    std::vector<std::string> owners;
    const int at = vertexEdges.FindIndex(v);
    std::string parent;
    double place = 0;
    if (at > 0)
      for (const TopoDS_Shape& e : vertexEdges(at)) {
        const std::string& n = body.edgeNames[edgeIndex.FindIndex(e) - 1];
        if (parent.empty() || n < parent) parent = n, place = BRep_Tool::Parameter(v, TopoDS::Edge(e));
        if (std::find(owners.begin(), owners.end(), n) == owners.end()) owners.push_back(n);
      }
    std::sort(owners.begin(), owners.end());
    std::string name;
    for (const auto& o : owners) name += (name.empty() ? "" : "&") + o;
    body.vertexNames.push_back(name);
    places.push_back({place, 0.0});
  }
  numberTies(body.vertexNames, places);
}

Signature signatureOf(const Body& b, PartKind kind, int index) {
  Signature s;
  if (kind == PartKind::Vertex) {
    s.middle = toVec(BRep_Tool::Pnt(vertices(b)[index]));
  } else if (kind == PartKind::Edge) {
    const TopoDS_Edge e = edges(b)[index];
    s.middle = middleOf(e);
    if (!BRep_Tool::Degenerated(e)) {
      const BRepAdaptor_Curve c(e);
      gp_Pnt p;
      gp_Vec d;
      c.D1(0.5 * (c.FirstParameter() + c.LastParameter()), p, d);
      s.direction = toVec(d).normalized();
      s.size = GCPnts_AbscissaPoint::Length(c, 1e-3);
    }
  } else {
    const TopoDS_Face f = faces(b)[index];
    GProp_GProps g;
    BRepGProp::SurfaceProperties(f, g, 1e-3);
    s.size = std::sqrt(std::abs(g.Mass()));
    double u0, u1, v0, v1;
    BRepTools::UVBounds(f, u0, u1, v0, v1);
    const BRepAdaptor_Surface a(f);
    gp_Pnt p;
    gp_Vec du, dv;
    a.D1(0.5 * (u0 + u1), 0.5 * (v0 + v1), p, du, dv);
    s.middle = toVec(p);
    const Vec3 n = toVec(du.Crossed(dv));
    if (n.norm() > 0) s.direction = n.normalized() * (f.Orientation() == TopAbs_REVERSED ? -1 : 1);
  }
  return s;
}

namespace {

/// The parts of a name that stand side by side, at depth nought of its parentheses.
std::vector<std::string> sideBySide(const std::string& name, char separator) {
  std::vector<std::string> out{""};
  int depth = 0;
  for (char c : name) {
    depth += (c == '(') - (c == ')');
    if (c == separator && depth == 0)
      out.emplace_back();
    else
      out.back() += c;
  }
  return out;
}

/// Applies `change` to every "role:source" of a name, inside out.
std::string changed(const std::string& name,
                    const std::function<std::string(const std::string&, const std::string&)>& change) {
  for (char separator : {'&', '|'}) {
    auto parts = sideBySide(name, separator);
    if (parts.size() < 2) continue;
    for (auto& p : parts) p = changed(p, change);
    std::sort(parts.begin(), parts.end());
    std::string out;
    for (const auto& p : parts) out += (out.empty() ? "" : std::string(1, separator)) + p;
    return out;
  }
  const auto open = name.find('(');
  if (open != std::string::npos && name.back() == ')')
    return name.substr(0, open + 1) + changed(name.substr(open + 1, name.size() - open - 2), change) + ")";
  const auto colon = name.find(':');
  return colon == std::string::npos ? name : change(name.substr(0, colon), name.substr(colon + 1));
}

/// The one name that is the same after a change; -1 when there is none or more.
int onlySame(const std::vector<std::string>& names, const std::string& name, std::string (*by)(const std::string&)) {
  const std::string wanted = by(name);
  int found = -1;
  for (size_t i = 0; i < names.size(); ++i) {
    if (by(names[i]) != wanted) continue;
    if (found >= 0) return -1;
    found = int(i);
  }
  return found;
}

std::string withoutNumber(const std::string& name) { return name.substr(0, name.rfind('#')); }

double reachOf(const Body& b) {
  Bnd_Box box;
  BRepBndLib::Add(b.shape, box);
  return 0.05 * std::sqrt(box.SquareExtent());
}

double turnBetween(PartKind kind, const Signature& a, const Signature& b) {
  if (!(a.direction.norm() > 0 && b.direction.norm() > 0)) return 0.0;
  const double turn = angleBetweenRad(a.direction, b.direction);
  return kind == PartKind::Edge ? std::min(turn, kPi - turn) : turn; // edges have no direction of their own
}

/// Whether a part of the right name lies elsewhere and otherwise than it did, while another one lies just so.
bool contrary(const Body& b, PartKind kind, int exact, const Signature& was) {
  const double reach = reachOf(b), turned = radFromDeg(60), same = radFromDeg(10);
  const Signature now = signatureOf(b, kind, exact);
  if ((now.middle - was.middle).norm() < reach || turnBetween(kind, now, was) < turned) return false;
  const int n = int(kind == PartKind::Face ? b.faceNames.size() : kind == PartKind::Edge ? b.edgeNames.size() : 0);
  for (int i = 0; i < n; ++i) {
    if (i == exact) continue;
    const Signature s = signatureOf(b, kind, i);
    if ((s.middle - was.middle).norm() < 0.1 * reach && turnBetween(kind, s, was) < same) return true;
  }
  return false;
}

/// An exact name that differs from others by its number alone is doubted where one of those lies, and it does not,
/// where the part was.
Found amongTies(const Body& b, PartKind kind, const std::vector<std::string>& names, int exact,
                const Signature* signature) {
  const std::string base = withoutNumber(names[size_t(exact)]);
  std::vector<int> ties;
  for (size_t i = 0; i < names.size(); ++i)
    if (withoutNumber(names[i]) == base) ties.push_back(int(i));
  if (!signature) return {exact, false};
  if (ties.size() < 2) return {exact, contrary(b, kind, exact, *signature)};
  const auto off = [&](int i) { return (signatureOf(b, kind, i).middle - signature->middle).norm(); };
  int best = exact;
  for (int i : ties)
    if (off(i) < off(best)) best = i;
  const double reach = reachOf(b);
  if (best == exact || off(best) > reach || off(exact) < std::max(2 * off(best), 0.1 * reach)) return {exact, false};
  return {best, true};
}

} // namespace

std::string withoutRoles(const std::string& name) {
  return changed(name, [](const std::string&, const std::string& source) { return source; });
}
std::string withoutSources(const std::string& name) {
  return changed(name, [](const std::string& role, const std::string&) { return role; });
}

Found findPart(const Body& b, PartKind kind, const std::string& name, const Signature* signature) {
  const auto& names = kind == PartKind::Face ? b.faceNames : kind == PartKind::Edge ? b.edgeNames : b.vertexNames;
  const auto it = std::find(names.begin(), names.end(), name);
  if (it != names.end()) return amongTies(b, kind, names, int(it - names.begin()), signature);
  if (const int same = onlySame(names, name, withoutRoles); same >= 0) return {same, false};
  // A name that never said what it was made from (written by an older Lumsk) is met exactly by its role.
  if (const int role = onlySame(names, name, withoutSources); role >= 0)
    return {role, name.find(':') != std::string::npos};
  if (!signature) return {};
  const double reach = reachOf(b);
  int best = -1;
  double nearest = 1e300, second = 1e300;
  for (size_t i = 0; i < names.size(); ++i) {
    const Signature s = signatureOf(b, kind, int(i));
    const double d = (s.middle - signature->middle).norm();
    if (d > reach || turnBetween(kind, s, *signature) > radFromDeg(30)) continue;
    if (d < nearest) {
      second = nearest;
      nearest = d;
      best = int(i);
    } else {
      second = std::min(second, d);
    }
  }
  if (best < 0 || 2 * nearest > second) return {};
  return {best, true};
}

} // namespace lumsk::brep

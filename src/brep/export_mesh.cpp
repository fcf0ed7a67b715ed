#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/mesh.h"
#include "brep/shaded_mesh.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <Poly_PolygonOnTriangulation.hxx>
#include <Poly_Triangulation.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopLoc_Location.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>

#include <algorithm>
#include <map>
#include <unordered_map>

namespace lumsk::brep {

namespace {

constexpr size_t kMostTriangles = 8'000'000;
constexpr int kMostRounds = 100;
constexpr double kAim = 0.9;      ///< of the limits: between the places that are tested the error is a little larger
constexpr double kFlat = 1e-9;    ///< of the tangents' size: below it they span no plane
constexpr double kBesideSeam = 0.25; ///< of a side's length in parameters
constexpr double kSideways = 0.1; ///< of a side's length
constexpr int kTurnRounds = 10;   ///< after which slivers may keep their direction: halving moves them about only
constexpr double kRoughAngleDeg = 30; ///< between the edges, where halving follows

std::uint64_t pairKey(int a, int b) {
  return (std::uint64_t(std::uint32_t(std::min(a, b))) << 32) | std::uint32_t(std::max(a, b));
}

/// Triangles on the faces of a body, with what they lie on. Points on edges belong to the edge, so the mesh stays closed.
struct BodyMesh {
  /// A point as one face sees it: the two sides of a seam have corners of their own on the same points.
  struct Corner {
    int point, face;
    double u, v;
    Vec3 normal; ///< zero where the face has none
    /// A whole border of the face in this point, along u or along v: that parameter is free.
    bool freeU = false, freeV = false;
  };
  using Triangle = std::array<int, 3>;
  /// Piece of an edge between two neighbouring points of the mesh.
  struct Segment {
    int edge;
    double first, last; ///< parameters, at the smaller and the larger point
    int middle = -1;    ///< point, once it is halved
  };
  struct FaceSide {
    int edge;
    Handle(Geom2d_Curve) curve; ///< a seam stands twice, once for each side
  };
  struct FaceData {
    BRepAdaptor_Surface surface;
    double flip = 1;
    std::vector<FaceSide> sides;
  };
  struct EdgePoints {
    std::vector<int> points;
    Handle(Geom_Curve) curve;
  };

  std::vector<EdgePoints> edgePoints; ///< by the edges' numbers, from 1
  std::vector<FaceData> faces;
  std::vector<Vec3> points;
  std::vector<Corner> corners;
  std::vector<Triangle> triangles;
  std::unordered_map<std::uint64_t, Segment> segments;

  void addSegment(int edge, int a, int b, double ta, double tb) {
    segments[pairKey(a, b)] = a < b ? Segment{edge, ta, tb} : Segment{edge, tb, ta};
  }

  Corner corner(int face, int point, const gp_XY& uv) const {
    return {point, face, uv.X(), uv.Y(), place(face, uv).normal};
  }

  struct Place {
    Vec3 point, normal; ///< the normal is zero where the face has none
  };
  Place place(int face, const gp_XY& uv) const {
    const FaceData& f = faces[size_t(face)];
    gp_Pnt p;
    gp_Vec du, dv;
    f.surface.D1(uv.X(), uv.Y(), p, du, dv);
    const Vec3 n = toVec(du).cross(toVec(dv));
    const bool has = n.norm() > kFlat * (du.SquareMagnitude() + dv.SquareMagnitude());
    return {toVec(p), has ? Vec3(n.normalized() * f.flip) : Vec3(Vec3::Zero())};
  }

  Vec3 at(int c) const { return points[size_t(corners[size_t(c)].point)]; }

  /// The piece of the face's border between two corners, if they are neighbours on it.
  Segment* segmentOf(int a, int b) {
    const auto it = segments.find(pairKey(corners[size_t(a)].point, corners[size_t(b)].point));
    if (it == segments.end()) return nullptr;
    const auto& sides = faces[size_t(corners[size_t(a)].face)].sides;
    const auto along = [&](const FaceSide& s) { return s.edge == it->second.edge; };
    const auto times = std::count_if(sides.begin(), sides.end(), along);
    if (times == 0) return nullptr;
    if (times == 1) return &it->second;
    // From one side of a seam to the other a side of a triangle goes all around between the same two points.
    const Corner &p = corners[size_t(a)], &q = corners[size_t(b)];
    const gp_XY about = middle({a, b});
    for (const FaceSide& s : sides)
      if (along(s)) {
        const gp_XY own = s.curve->Value(0.5 * (it->second.first + it->second.last)).XY();
        if ((own - about).Modulus() <= kBesideSeam * std::hypot(p.u - q.u, p.v - q.v)) return &it->second;
      }
    return nullptr;
  }

  /// Parameters of the middle of some corners; what is free at a pole follows the others.
  gp_XY middle(std::initializer_list<int> of) const {
    double u = 0, v = 0, nu = 0, nv = 0;
    for (int c : of) {
      const Corner& k = corners[size_t(c)];
      if (!k.freeU) u += k.u, ++nu;
      if (!k.freeV) v += k.v, ++nv;
    }
    const Corner& any = corners[size_t(*of.begin())];
    return {nu > 0 ? u / nu : any.u, nv > 0 ? v / nv : any.v};
  }
};

/// Edges within the limits, faces roughly.
void roughMesh(const TopoDS_Shape& s, const MeshLimits& limits, const Context& cx) {
  Bnd_Box box;
  BRepBndLib::Add(s, box, false);
  IMeshTools_Parameters p;
  const double chord = kAim * limits.chordMm;
  p.Deflection = chord;
  p.Angle = radFromDeg(kAim * limits.angleDeg);
  p.DeflectionInterior = std::max(chord, 0.01 * std::sqrt(box.SquareExtent()));
  p.AngleInterior = std::max(p.Angle, radFromDeg(kRoughAngleDeg));
  p.ControlSurfaceDeflection = false;
  p.InParallel = true;
  Handle(KernelProgress) progress = new KernelProgress(cx);
  BRepMesh_IncrementalMesh(s, p, progress->Start());
}

/// What the kernel has meshed, its nodes along edges shared by all faces that meet there.
class MeshReader {
public:
  explicit MeshReader(TopoDS_Shape s) : shape_(std::move(s)) {}

  /// Fails with LM-K005 (a face has no mesh).
  Expected<BodyMesh> run() {
    TopExp::MapShapes(shape_, TopAbs_VERTEX, vertices_);
    TopExp::MapShapes(shape_, TopAbs_EDGE, edges_);
    for (int i = 1; i <= vertices_.Extent(); ++i)
      m_.points.push_back(toVec(BRep_Tool::Pnt(TopoDS::Vertex(vertices_(i)))));
    m_.edgePoints.resize(size_t(edges_.Extent()) + 1);
    for (TopExp_Explorer f(shape_, TopAbs_FACE); f.More(); f.Next()) LUMSK_CHECK(readFace(TopoDS::Face(f.Current())));
    return std::move(m_);
  }

private:
  Expected<void> readFace(const TopoDS_Face& f) {
    TopLoc_Location where;
    const Handle(Poly_Triangulation) t = BRep_Tool::Triangulation(f, where);
    if (t.IsNull() || !t->HasUVNodes())
      return fail(
          problem("LM-K005", "a face could not be meshed")
              .at(toVec(BRep_Tool::Pnt(TopExp::FirstVertex(TopoDS::Edge(TopExp_Explorer(f, TopAbs_EDGE).Current())))))
              .tryThis("take a finer chord"));
    const int index = int(m_.faces.size());
    m_.faces.push_back({BRepAdaptor_Surface(f, false), f.Orientation() == TopAbs_REVERSED ? -1.0 : 1.0, {}});
    std::vector<int> pointOf(size_t(t->NbNodes()) + 1, -1), cornerOf(size_t(t->NbNodes()) + 1);
    std::map<int, BodyMesh::Corner> poles; // by point
    for (TopExp_Explorer e(f, TopAbs_EDGE); e.More(); e.Next())
      readEdge(TopoDS::Edge(e.Current()), f, t, where, pointOf, poles);
    std::map<int, int> cornerOfPole;
    for (int k = 1; k <= t->NbNodes(); ++k) {
      int& point = pointOf[size_t(k)];
      if (point < 0) {
        point = int(m_.points.size());
        m_.points.push_back(toVec(t->Node(k).Transformed(where)));
      }
      cornerOf[size_t(k)] = int(m_.corners.size());
      if (const auto pole = poles.find(point); pole != poles.end()) {
        const auto [known, isNew] = cornerOfPole.try_emplace(point, int(m_.corners.size()));
        cornerOf[size_t(k)] = known->second;
        if (isNew) m_.corners.push_back(pole->second);
      } else {
        m_.corners.push_back(m_.corner(index, point, t->UVNode(k).XY()));
      }
    }
    for (int k = 1; k <= t->NbTriangles(); ++k) {
      int a, b, c;
      t->Triangle(k).Get(a, b, c);
      if (f.Orientation() == TopAbs_REVERSED) std::swap(b, c);
      const BodyMesh::Triangle made{cornerOf[size_t(a)], cornerOf[size_t(b)], cornerOf[size_t(c)]};
      if (made[0] != made[1] && made[1] != made[2] && made[2] != made[0]) m_.triangles.push_back(made);
    }
    return {};
  }

  /// Gives the face's nodes along an edge the points that belong to the edge.
  void readEdge(const TopoDS_Edge& e, const TopoDS_Face& f, const Handle(Poly_Triangulation) & t,
                const TopLoc_Location& where, std::vector<int>& pointOf, std::map<int, BodyMesh::Corner>& poles) {
    const Handle(Poly_PolygonOnTriangulation) nodes = BRep_Tool::PolygonOnTriangulation(e, t, where);
    if (nodes.IsNull()) return;
    const int n = nodes->NbNodes(), index = edges_.FindIndex(e);
    TopoDS_Vertex v0, v1;
    TopExp::Vertices(TopoDS::Edge(e.Oriented(TopAbs_FORWARD)), v0, v1);
    const int first = vertices_.FindIndex(v0) - 1, last = vertices_.FindIndex(v1) - 1;
    double a, b;
    if (BRep_Tool::Degenerated(e)) {
      for (int k = 1; k <= n; ++k) pointOf[size_t(nodes->Node(k))] = first;
      const Handle(Geom2d_Curve) border = BRep_Tool::CurveOnSurface(e, f, a, b);
      const gp_XY from = border->Value(a).XY(), way = border->Value(b).XY() - from;
      BodyMesh::Corner pole = m_.corner(int(m_.faces.size()) - 1, first, from);
      pole.freeU = std::abs(way.X()) > std::abs(way.Y());
      pole.freeV = !pole.freeU;
      poles[first] = pole;
      return;
    }
    m_.faces.back().sides.push_back({index, BRep_Tool::CurveOnSurface(e, f, a, b)});
    BodyMesh::EdgePoints& own = m_.edgePoints[size_t(index)];
    if (own.points.empty()) {
      own.curve = BRep_Tool::Curve(e, a, b);
      for (int k = 1; k <= n; ++k) {
        if (k == 1 || k == n) {
          own.points.push_back(k == 1 ? first : last);
        } else {
          own.points.push_back(int(m_.points.size()));
          m_.points.push_back(toVec(t->Node(nodes->Node(k)).Transformed(where)));
        }
        if (k > 1)
          m_.addSegment(index, own.points[size_t(k) - 2], own.points[size_t(k) - 1], nodes->Parameter(k - 1),
                     nodes->Parameter(k));
      }
    }
    for (int k = 1; k <= n && k <= int(own.points.size()); ++k)
      pointOf[size_t(nodes->Node(k))] = own.points[size_t(k) - 1];
  }

  TopoDS_Shape shape_;
  TopTools_IndexedMapOfShape vertices_, edges_;
  BodyMesh m_;
};

/// The kernel meshes edges within the limits and faces roughly, since its own control of the distance is slow and
/// leaves several times the chord. Then sides of triangles are halved until curves, surfaces and normals are followed
/// (as in red-green refinement, Bank, Sherman & Weiser 1983). Points on edges belong to the edge, so the mesh stays
/// closed.
class Refiner {
public:
  Refiner(BodyMesh& m, const MeshLimits& limits, const Context& cx) : m_(m), chord_(kAim * limits.chordMm), cosAngle_(std::cos(radFromDeg(kAim * limits.angleDeg))), cx_(cx) {}

  /// Divides until all is within the limits.
  Expected<void> run() {
    fresh_.resize(m_.triangles.size());
    for (size_t i = 0; i < fresh_.size(); ++i) fresh_[i] = i;
    for (int round = 0; !fresh_.empty(); ++round) {
      if (cx_.stopped()) return fail(cancelled());
      cx_.report(1 - 1.0 / (round + 2), "meshing");
      halves_.clear();
      for (size_t t : fresh_) test(m_.triangles[t], round < kTurnRounds);
      divideAll();
      if (round > kMostRounds && !fresh_.empty())
        return fail(problem("LM-K007", "the mesh does not come within its limits here")
                        .at(m_.at(m_.triangles[fresh_.front()][0]))
                        .tryThis("take a larger chord or angle"));
      if (m_.triangles.size() > kMostTriangles)
        return fail(problem("LM-K006", "the mesh would have too many triangles")
                        .measure(count(double(m_.triangles.size())))
                        .want(count(double(kMostTriangles)))
                        .tryThis("take a larger chord or angle"));
    }
    return {};
  }

private:
  bool turned(const Vec3& a, const Vec3& b) const { return !a.isZero() && !b.isZero() && a.dot(b) < cosAngle_; }

  bool tooLong(int a, int b) {
    const BodyMesh::Corner &p = m_.corners[size_t(a)], &q = m_.corners[size_t(b)];
    const Vec3 side = m_.at(b) - m_.at(a);
    const double length = side.norm();
    // From one side of a seam to the other it goes all around, though it ends where it began.
    if (p.point == q.point) return !p.freeU && !p.freeV && std::hypot(p.u - q.u, p.v - q.v) > 0;
    // Shorter than the chord nothing is too far away, nor is a kink inside a face to be followed for ever.
    if (length < chord_) return false;
    if (turned(p.normal, q.normal)) return true;
    if (const BodyMesh::Segment* s = m_.segmentOf(a, b)) {
      const Vec3 m = toVec(m_.edgePoints[size_t(s->edge)].curve->Value(0.5 * (s->first + s->last)));
      return (m - 0.5 * (m_.at(a) + m_.at(b))).norm() > chord_;
    }
    const BodyMesh::Place m = m_.place(p.face, m_.middle({a, b}));
    const Vec3 off = m.point - 0.5 * (m_.at(a) + m_.at(b));
    // Sideways the surface may leave the side, but not so far that triangles beside each other would overlap.
    const Vec3 across = off - off.dot(side) / (length * length) * side;
    return std::abs(off.dot(m.normal)) > chord_ || across.norm() > kSideways * length;
  }

  void test(const BodyMesh::Triangle& t, bool direction) {
    int longest = 0;
    const auto length = [&](int k) { return (m_.at(t[(k + 1) % 3]) - m_.at(t[k])).norm(); };
    for (int k = 1; k < 3; ++k)
      if (length(k) > length(longest)) longest = k;
    if (length(longest) < chord_) return;
    bool rough = false;
    for (int k = 0; k < 3; ++k)
      if (tooLong(t[k], t[(k + 1) % 3])) halve(t[k], t[(k + 1) % 3]), rough = true;
    if (!rough) {
      const BodyMesh::Place m = m_.place(m_.corners[size_t(t[0])].face, m_.middle({t[0], t[1], t[2]}));
      const double lift = std::abs((m.point - (m_.at(t[0]) + m_.at(t[1]) + m_.at(t[2])) / 3).dot(m.normal));
      const Vec3 flat = (m_.at(t[1]) - m_.at(t[0])).cross(m_.at(t[2]) - m_.at(t[0]));
      // Of a triangle that is thinner than the chord the direction says nothing.
      const bool thick = direction && flat.norm() > chord_ * length(longest);
      rough = lift > chord_ || (thick && turned(flat.normalized(), m.normal));
    }
    // Its longest side at least, so that every division makes smaller triangles (Rivara 1984).
    if (rough) halve(t[longest], t[(longest + 1) % 3]);
  }

  /// Makes the middle of a side; on an edge of the body all faces that meet there take part.
  void halve(int a, int b) {
    if (BodyMesh::Segment* s = m_.segmentOf(a, b)) {
      if (s->middle >= 0) return;
      s->middle = int(m_.points.size());
      m_.points.push_back(toVec(m_.edgePoints[size_t(s->edge)].curve->Value(0.5 * (s->first + s->last))));
      return;
    }
    const auto [it, isNew] = halves_.try_emplace(pairKey(a, b), -1);
    if (!isNew) return;
    const int face = m_.corners[size_t(a)].face;
    const gp_XY uv = m_.middle({a, b});
    const BodyMesh::Place m = m_.place(face, uv);
    it->second = int(m_.corners.size());
    m_.corners.push_back({int(m_.points.size()), face, uv.X(), uv.Y(), m.normal});
    m_.points.push_back(m.point);
  }

  /// Corner in the middle of a side, or -1 if that is whole.
  int middleOf(int a, int b) {
    if (const auto it = halves_.find(pairKey(a, b)); it != halves_.end()) return it->second;
    const BodyMesh::Segment* s = m_.segmentOf(a, b);
    if (!s || s->middle < 0) return -1;
    // The place on the parameter curve; of a seam's two, that on this side.
    const gp_XY about = m_.middle({a, b});
    const int face = m_.corners[size_t(a)].face;
    gp_XY best = about;
    double nearest = 1e300;
    for (const BodyMesh::FaceSide& side : m_.faces[size_t(face)].sides) {
      if (side.edge != s->edge) continue;
      const gp_XY uv = side.curve->Value(0.5 * (s->first + s->last)).XY();
      if ((uv - about).SquareModulus() < nearest) nearest = (uv - about).SquareModulus(), best = uv;
    }
    const int made = int(m_.corners.size());
    m_.corners.push_back(m_.corner(face, s->middle, best));
    halves_[pairKey(a, b)] = made;
    return made;
  }

  void divideAll() {
    fresh_.clear();
    if (halves_.empty() &&
        std::none_of(m_.segments.begin(), m_.segments.end(), [](const auto& s) { return s.second.middle >= 0; }))
      return;
    std::vector<BodyMesh::Triangle> next;
    next.reserve(m_.triangles.size() * 2);
    for (const BodyMesh::Triangle& t : m_.triangles) divide(t, next);
    m_.triangles = std::move(next);
    divideSegments();
  }

  void divide(const BodyMesh::Triangle& t, std::vector<BodyMesh::Triangle>& next) {
    const int m[3] = {middleOf(t[0], t[1]), middleOf(t[1], t[2]), middleOf(t[2], t[0])};
    const int halved = (m[0] >= 0) + (m[1] >= 0) + (m[2] >= 0);
    const auto add = [&](int a, int b, int c) {
      if (halved) fresh_.push_back(next.size());
      next.push_back({a, b, c});
    };
    if (halved == 0) return add(t[0], t[1], t[2]);
    if (halved == 3) {
      add(t[0], m[0], m[2]);
      add(m[0], t[1], m[1]);
      add(m[2], m[1], t[2]);
      return add(m[0], m[1], m[2]);
    }
    // Turned so that the first side is halved, and with two also the second.
    int k = 0;
    while (m[k] < 0 || (halved == 2 && m[(k + 1) % 3] < 0)) ++k;
    const int a = t[k], b = t[(k + 1) % 3], c = t[(k + 2) % 3], ab = m[k], bc = m[(k + 1) % 3];
    if (halved == 1) {
      add(a, ab, c);
      return add(ab, b, c);
    }
    add(ab, b, bc);
    if ((m_.at(ab) - m_.at(c)).squaredNorm() < (m_.at(bc) - m_.at(a)).squaredNorm()) {
      add(a, ab, c);
      add(ab, bc, c);
    } else {
      add(a, ab, bc);
      add(a, bc, c);
    }
  }

  void divideSegments() {
    std::vector<std::pair<std::uint64_t, BodyMesh::Segment>> halved;
    for (const auto& [key, s] : m_.segments)
      if (s.middle >= 0) halved.emplace_back(key, s);
    for (const auto& [key, s] : halved) {
      const int a = int(key >> 32), b = int(key & 0xffffffffu);
      m_.segments.erase(key);
      const double t = 0.5 * (s.first + s.last);
      m_.addSegment(s.edge, a, s.middle, s.first, t);
      m_.addSegment(s.edge, s.middle, b, t, s.last);
    }
  }

  BodyMesh& m_;
  double chord_, cosAngle_;
  const Context& cx_;
  std::vector<size_t> fresh_; ///< triangles not tested yet
  std::unordered_map<std::uint64_t, int> halves_; ///< corner in the middle of a side that is halved in this round
};

SolidMesh closedOf(BodyMesh m) {
  SolidMesh out;
  out.points = std::move(m.points);
  for (const BodyMesh::Triangle& t : m.triangles) {
    const std::array<int, 3> p{m.corners[t[0]].point, m.corners[t[1]].point, m.corners[t[2]].point};
    if (p[0] != p[1] && p[1] != p[2] && p[2] != p[0]) out.triangles.push_back(p);
  }
  return out;
}

/// Where the surface has no normal, that of the triangles around: their mean where it is smooth, each its own at tips.
FaceMesh shadedOf(const BodyMesh& m) {
  FaceMesh out;
  std::vector<char> bare;
  for (const BodyMesh::Corner& c : m.corners) {
    out.points.push_back(m.points[size_t(c.point)]);
    out.normals.push_back(c.normal);
    bare.push_back(c.normal.isZero());
  }
  const auto flatOf = [&](const BodyMesh::Triangle& t) { return Vec3((m.at(t[1]) - m.at(t[0])).cross(m.at(t[2]) - m.at(t[0]))); };
  for (const BodyMesh::Triangle& t : m.triangles)
    for (const int c : t)
      if (bare[size_t(c)]) out.normals[size_t(c)] += flatOf(t);
  const size_t common = out.points.size();
  for (BodyMesh::Triangle t : m.triangles) {
    const Vec3 flat = flatOf(t);
    if (!(flat.norm() > 0)) continue;
    for (int& c : t) {
      if (!bare[size_t(c)] || angleBetweenRad(out.normals[size_t(c)], flat) < radFromDeg(kRoughAngleDeg)) continue;
      out.points.push_back(out.points[size_t(c)]);
      out.normals.push_back(flat.normalized());
      c = int(out.points.size()) - 1;
    }
    out.triangles.push_back(t);
  }
  for (size_t i = 0; i < common; ++i) out.normals[i] = out.normals[i].norm() > 0 ? Vec3(out.normals[i].normalized()) : Vec3(Vec3::UnitZ());
  return out;
}

/// The mesh of a body within limits. Fails as `exportMesh` does.
Expected<BodyMesh> meshOf(const Body& b, const MeshLimits& limits, const Context& cx) {
  const TopoDS_Shape own = copyOf(b.shape);
  roughMesh(own, limits, cx);
  if (cx.stopped()) return fail(cancelled());
  LUMSK_TRY(mesh, MeshReader(own).run());
  LUMSK_CHECK(Refiner(mesh, limits, cx).run());
  return std::move(mesh);
}

} // namespace

double SolidMesh::volumeMm3() const {
  double v = 0;
  for (const auto& t : triangles) v += points[t[0]].dot(points[t[1]].cross(points[t[2]])) / 6;
  return v;
}

int SolidMesh::openEdges() const {
  std::vector<std::uint64_t> forth, back; // sides as their triangles run, from the smaller point and from the larger one
  for (const auto& t : triangles)
    for (size_t k = 0; k < 3; ++k) (t[k] < t[(k + 1) % 3] ? forth : back).push_back(pairKey(t[k], t[(k + 1) % 3]));
  std::sort(forth.begin(), forth.end());
  std::sort(back.begin(), back.end());
  int open = 0;
  for (size_t i = 0, j = 0; i < forth.size() || j < back.size();) {
    const std::uint64_t key = j == back.size() ? forth[i] : i == forth.size() ? back[j] : std::min(forth[i], back[j]);
    size_t a = 0, b = 0;
    for (; i < forth.size() && forth[i] == key; ++i) ++a;
    for (; j < back.size() && back[j] == key; ++j) ++b;
    open += a != 1 || b != 1;
  }
  return open;
}

Expected<SolidMesh> exportMesh(const Body& b, const MeshLimits& limits, const Context& cx) {
  return guarded("meshing", [&]() -> Expected<SolidMesh> {
    LUMSK_TRY(mesh, meshOf(b, limits, cx));
    return closedOf(std::move(mesh));
  });
}

Expected<FaceMesh> shadedMesh(const Body& b, const MeshLimits& limits, const Context& cx) {
  return guarded("meshing", [&]() -> Expected<FaceMesh> {
    LUMSK_TRY(mesh, meshOf(b, limits, cx));
    return shadedOf(mesh);
  });
}

} // namespace lumsk::brep

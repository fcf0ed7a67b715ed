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

/// The kernel meshes edges within the limits and faces roughly, since its own control of the distance is slow and
/// leaves several times the chord. Then sides of triangles are halved until curves, surfaces and normals are followed
/// (as in red-green refinement, Bank, Sherman & Weiser 1983). Points on edges belong to the edge, so the mesh stays
/// closed.
class Refiner {
public:
  Refiner(const TopoDS_Shape& s, const MeshLimits& limits, const Context& cx)
      : shape_(s), chord_(kAim * limits.chordMm), cosAngle_(std::cos(radFromDeg(kAim * limits.angleDeg))), cx_(cx) {
    roughMesh(limits);
  }

  /// Divides until all is within the limits.
  Expected<void> run() {
    LUMSK_CHECK(readMesh());
    for (int round = 0; !fresh_.empty(); ++round) {
      if (cx_.stopped()) return fail(cancelled());
      cx_.report(1 - 1.0 / (round + 2), "meshing");
      halves_.clear();
      for (size_t t : fresh_) test(triangles_[t], round < kTurnRounds);
      divideAll();
      if (round > kMostRounds && !fresh_.empty())
        return fail(problem("LM-K007", "the mesh does not come within its limits here")
                        .at(at(triangles_[fresh_.front()][0]))
                        .tryThis("take a larger chord or angle"));
      if (triangles_.size() > kMostTriangles)
        return fail(problem("LM-K006", "the mesh would have too many triangles")
                        .measure(count(double(triangles_.size())))
                        .want(count(double(kMostTriangles)))
                        .tryThis("take a larger chord or angle"));
    }
    return {};
  }

  SolidMesh closed() && {
    SolidMesh out;
    out.points = std::move(points_);
    for (const Triangle& t : triangles_) {
      const std::array<int, 3> p{corners_[t[0]].point, corners_[t[1]].point, corners_[t[2]].point};
      if (p[0] != p[1] && p[1] != p[2] && p[2] != p[0]) out.triangles.push_back(p);
    }
    return out;
  }

  /// Where the surface has no normal, that of the triangles around: their mean where it is smooth, each its own at tips.
  FaceMesh shaded() const {
    FaceMesh out;
    std::vector<char> bare;
    for (const Corner& c : corners_) {
      out.points.push_back(points_[size_t(c.point)]);
      out.normals.push_back(c.normal);
      bare.push_back(c.normal.isZero());
    }
    const auto flatOf = [&](const Triangle& t) { return Vec3((at(t[1]) - at(t[0])).cross(at(t[2]) - at(t[0]))); };
    for (const Triangle& t : triangles_)
      for (const int c : t)
        if (bare[size_t(c)]) out.normals[size_t(c)] += flatOf(t);
    const size_t common = out.points.size();
    for (Triangle t : triangles_) {
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

private:
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

  void roughMesh(const MeshLimits& limits) {
    Bnd_Box box;
    BRepBndLib::Add(shape_, box, false);
    IMeshTools_Parameters p;
    p.Deflection = chord_;
    p.Angle = radFromDeg(kAim * limits.angleDeg);
    p.DeflectionInterior = std::max(chord_, 0.01 * std::sqrt(box.SquareExtent()));
    p.AngleInterior = std::max(p.Angle, radFromDeg(kRoughAngleDeg));
    p.ControlSurfaceDeflection = false;
    p.InParallel = true;
    Handle(KernelProgress) progress = new KernelProgress(cx_);
    BRepMesh_IncrementalMesh(shape_, p, progress->Start());
  }

  Expected<void> readMesh() {
    TopExp::MapShapes(shape_, TopAbs_VERTEX, vertices_);
    TopExp::MapShapes(shape_, TopAbs_EDGE, edges_);
    for (int i = 1; i <= vertices_.Extent(); ++i)
      points_.push_back(toVec(BRep_Tool::Pnt(TopoDS::Vertex(vertices_(i)))));
    edgePoints_.resize(size_t(edges_.Extent()) + 1);
    for (TopExp_Explorer f(shape_, TopAbs_FACE); f.More(); f.Next()) LUMSK_CHECK(readFace(TopoDS::Face(f.Current())));
    fresh_.resize(triangles_.size());
    for (size_t i = 0; i < fresh_.size(); ++i) fresh_[i] = i;
    return {};
  }

  Expected<void> readFace(const TopoDS_Face& f) {
    TopLoc_Location where;
    const Handle(Poly_Triangulation) t = BRep_Tool::Triangulation(f, where);
    if (t.IsNull() || !t->HasUVNodes())
      return fail(
          problem("LM-K005", "a face could not be meshed")
              .at(toVec(BRep_Tool::Pnt(TopExp::FirstVertex(TopoDS::Edge(TopExp_Explorer(f, TopAbs_EDGE).Current())))))
              .tryThis("take a finer chord"));
    const int index = int(faces_.size());
    faces_.push_back({BRepAdaptor_Surface(f, false), f.Orientation() == TopAbs_REVERSED ? -1.0 : 1.0, {}});
    std::vector<int> pointOf(size_t(t->NbNodes()) + 1, -1), cornerOf(size_t(t->NbNodes()) + 1);
    std::map<int, Corner> poles; // by point
    for (TopExp_Explorer e(f, TopAbs_EDGE); e.More(); e.Next())
      readEdge(TopoDS::Edge(e.Current()), f, t, where, pointOf, poles);
    std::map<int, int> cornerOfPole;
    for (int k = 1; k <= t->NbNodes(); ++k) {
      int& point = pointOf[size_t(k)];
      if (point < 0) {
        point = int(points_.size());
        points_.push_back(toVec(t->Node(k).Transformed(where)));
      }
      cornerOf[size_t(k)] = int(corners_.size());
      if (const auto pole = poles.find(point); pole != poles.end()) {
        const auto [known, isNew] = cornerOfPole.try_emplace(point, int(corners_.size()));
        cornerOf[size_t(k)] = known->second;
        if (isNew) corners_.push_back(pole->second);
      } else {
        corners_.push_back(corner(index, point, t->UVNode(k).XY()));
      }
    }
    for (int k = 1; k <= t->NbTriangles(); ++k) {
      int a, b, c;
      t->Triangle(k).Get(a, b, c);
      if (f.Orientation() == TopAbs_REVERSED) std::swap(b, c);
      const Triangle made{cornerOf[size_t(a)], cornerOf[size_t(b)], cornerOf[size_t(c)]};
      if (made[0] != made[1] && made[1] != made[2] && made[2] != made[0]) triangles_.push_back(made);
    }
    return {};
  }

  /// Gives the face's nodes along an edge the points that belong to the edge.
  void readEdge(const TopoDS_Edge& e, const TopoDS_Face& f, const Handle(Poly_Triangulation) & t,
                const TopLoc_Location& where, std::vector<int>& pointOf, std::map<int, Corner>& poles) {
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
      Corner pole = corner(int(faces_.size()) - 1, first, from);
      pole.freeU = std::abs(way.X()) > std::abs(way.Y());
      pole.freeV = !pole.freeU;
      poles[first] = pole;
      return;
    }
    faces_.back().sides.push_back({index, BRep_Tool::CurveOnSurface(e, f, a, b)});
    EdgePoints& own = edgePoints_[size_t(index)];
    if (own.points.empty()) {
      own.curve = BRep_Tool::Curve(e, a, b);
      for (int k = 1; k <= n; ++k) {
        if (k == 1 || k == n) {
          own.points.push_back(k == 1 ? first : last);
        } else {
          own.points.push_back(int(points_.size()));
          points_.push_back(toVec(t->Node(nodes->Node(k)).Transformed(where)));
        }
        if (k > 1)
          addSegment(index, own.points[size_t(k) - 2], own.points[size_t(k) - 1], nodes->Parameter(k - 1),
                     nodes->Parameter(k));
      }
    }
    for (int k = 1; k <= n && k <= int(own.points.size()); ++k)
      pointOf[size_t(nodes->Node(k))] = own.points[size_t(k) - 1];
  }

  void addSegment(int edge, int a, int b, double ta, double tb) {
    segments_[pairKey(a, b)] = a < b ? Segment{edge, ta, tb} : Segment{edge, tb, ta};
  }

  Corner corner(int face, int point, const gp_XY& uv) const {
    return {point, face, uv.X(), uv.Y(), place(face, uv).normal};
  }

  struct Place {
    Vec3 point, normal; ///< the normal is zero where the face has none
  };
  Place place(int face, const gp_XY& uv) const {
    const FaceData& f = faces_[size_t(face)];
    gp_Pnt p;
    gp_Vec du, dv;
    f.surface.D1(uv.X(), uv.Y(), p, du, dv);
    const Vec3 n = toVec(du).cross(toVec(dv));
    const bool has = n.norm() > kFlat * (du.SquareMagnitude() + dv.SquareMagnitude());
    return {toVec(p), has ? Vec3(n.normalized() * f.flip) : Vec3(Vec3::Zero())};
  }

  Vec3 at(int c) const { return points_[size_t(corners_[size_t(c)].point)]; }

  /// The piece of the face's border between two corners, if they are neighbours on it.
  Segment* segmentOf(int a, int b) {
    const auto it = segments_.find(pairKey(corners_[size_t(a)].point, corners_[size_t(b)].point));
    if (it == segments_.end()) return nullptr;
    const auto& sides = faces_[size_t(corners_[size_t(a)].face)].sides;
    const auto along = [&](const FaceSide& s) { return s.edge == it->second.edge; };
    const auto times = std::count_if(sides.begin(), sides.end(), along);
    if (times == 0) return nullptr;
    if (times == 1) return &it->second;
    // From one side of a seam to the other a side of a triangle goes all around between the same two points.
    const Corner &p = corners_[size_t(a)], &q = corners_[size_t(b)];
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
      const Corner& k = corners_[size_t(c)];
      if (!k.freeU) u += k.u, ++nu;
      if (!k.freeV) v += k.v, ++nv;
    }
    const Corner& any = corners_[size_t(*of.begin())];
    return {nu > 0 ? u / nu : any.u, nv > 0 ? v / nv : any.v};
  }

  bool turned(const Vec3& a, const Vec3& b) const { return !a.isZero() && !b.isZero() && a.dot(b) < cosAngle_; }

  bool tooLong(int a, int b) {
    const Corner &p = corners_[size_t(a)], &q = corners_[size_t(b)];
    const Vec3 side = at(b) - at(a);
    const double length = side.norm();
    // From one side of a seam to the other it goes all around, though it ends where it began.
    if (p.point == q.point) return !p.freeU && !p.freeV && std::hypot(p.u - q.u, p.v - q.v) > 0;
    // Shorter than the chord nothing is too far away, nor is a kink inside a face to be followed for ever.
    if (length < chord_) return false;
    if (turned(p.normal, q.normal)) return true;
    if (const Segment* s = segmentOf(a, b)) {
      const Vec3 m = toVec(edgePoints_[size_t(s->edge)].curve->Value(0.5 * (s->first + s->last)));
      return (m - 0.5 * (at(a) + at(b))).norm() > chord_;
    }
    const Place m = place(p.face, middle({a, b}));
    const Vec3 off = m.point - 0.5 * (at(a) + at(b));
    // Sideways the surface may leave the side, but not so far that triangles beside each other would overlap.
    const Vec3 across = off - off.dot(side) / (length * length) * side;
    return std::abs(off.dot(m.normal)) > chord_ || across.norm() > kSideways * length;
  }

  void test(const Triangle& t, bool direction) {
    int longest = 0;
    const auto length = [&](int k) { return (at(t[(k + 1) % 3]) - at(t[k])).norm(); };
    for (int k = 1; k < 3; ++k)
      if (length(k) > length(longest)) longest = k;
    if (length(longest) < chord_) return;
    bool rough = false;
    for (int k = 0; k < 3; ++k)
      if (tooLong(t[k], t[(k + 1) % 3])) halve(t[k], t[(k + 1) % 3]), rough = true;
    if (!rough) {
      const Place m = place(corners_[size_t(t[0])].face, middle({t[0], t[1], t[2]}));
      const double lift = std::abs((m.point - (at(t[0]) + at(t[1]) + at(t[2])) / 3).dot(m.normal));
      const Vec3 flat = (at(t[1]) - at(t[0])).cross(at(t[2]) - at(t[0]));
      // Of a triangle that is thinner than the chord the direction says nothing.
      const bool thick = direction && flat.norm() > chord_ * length(longest);
      rough = lift > chord_ || (thick && turned(flat.normalized(), m.normal));
    }
    // Its longest side at least, so that every division makes smaller triangles (Rivara 1984).
    if (rough) halve(t[longest], t[(longest + 1) % 3]);
  }

  /// Makes the middle of a side; on an edge of the body all faces that meet there take part.
  void halve(int a, int b) {
    if (Segment* s = segmentOf(a, b)) {
      if (s->middle >= 0) return;
      s->middle = int(points_.size());
      points_.push_back(toVec(edgePoints_[size_t(s->edge)].curve->Value(0.5 * (s->first + s->last))));
      return;
    }
    const auto [it, isNew] = halves_.try_emplace(pairKey(a, b), -1);
    if (!isNew) return;
    const int face = corners_[size_t(a)].face;
    const gp_XY uv = middle({a, b});
    const Place m = place(face, uv);
    it->second = int(corners_.size());
    corners_.push_back({int(points_.size()), face, uv.X(), uv.Y(), m.normal});
    points_.push_back(m.point);
  }

  /// Corner in the middle of a side, or -1 if that is whole.
  int middleOf(int a, int b) {
    if (const auto it = halves_.find(pairKey(a, b)); it != halves_.end()) return it->second;
    const Segment* s = segmentOf(a, b);
    if (!s || s->middle < 0) return -1;
    // The place on the parameter curve; of a seam's two, that on this side.
    const gp_XY about = middle({a, b});
    const int face = corners_[size_t(a)].face;
    gp_XY best = about;
    double nearest = 1e300;
    for (const FaceSide& side : faces_[size_t(face)].sides) {
      if (side.edge != s->edge) continue;
      const gp_XY uv = side.curve->Value(0.5 * (s->first + s->last)).XY();
      if ((uv - about).SquareModulus() < nearest) nearest = (uv - about).SquareModulus(), best = uv;
    }
    const int made = int(corners_.size());
    corners_.push_back(corner(face, s->middle, best));
    halves_[pairKey(a, b)] = made;
    return made;
  }

  void divideAll() {
    fresh_.clear();
    if (halves_.empty() &&
        std::none_of(segments_.begin(), segments_.end(), [](const auto& s) { return s.second.middle >= 0; }))
      return;
    std::vector<Triangle> next;
    next.reserve(triangles_.size() * 2);
    for (const Triangle& t : triangles_) divide(t, next);
    triangles_ = std::move(next);
    divideSegments();
  }

  void divide(const Triangle& t, std::vector<Triangle>& next) {
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
    if ((at(ab) - at(c)).squaredNorm() < (at(bc) - at(a)).squaredNorm()) {
      add(a, ab, c);
      add(ab, bc, c);
    } else {
      add(a, ab, bc);
      add(a, bc, c);
    }
  }

  void divideSegments() {
    std::vector<std::pair<std::uint64_t, Segment>> halved;
    for (const auto& [key, s] : segments_)
      if (s.middle >= 0) halved.emplace_back(key, s);
    for (const auto& [key, s] : halved) {
      const int a = int(key >> 32), b = int(key & 0xffffffffu);
      segments_.erase(key);
      const double t = 0.5 * (s.first + s.last);
      addSegment(s.edge, a, s.middle, s.first, t);
      addSegment(s.edge, s.middle, b, t, s.last);
    }
  }

  TopoDS_Shape shape_;
  double chord_, cosAngle_;
  const Context& cx_;
  TopTools_IndexedMapOfShape vertices_, edges_;
  std::vector<EdgePoints> edgePoints_;
  std::vector<FaceData> faces_;
  std::vector<Vec3> points_;
  std::vector<Corner> corners_;
  std::vector<Triangle> triangles_;
  std::vector<size_t> fresh_; ///< triangles not tested yet
  std::unordered_map<std::uint64_t, Segment> segments_;
  std::unordered_map<std::uint64_t, int> halves_; ///< corner in the middle of a side that is halved in this round
};

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
    Refiner refiner(copyOf(b.shape), limits, cx);
    if (cx.stopped()) return fail(cancelled());
    LUMSK_CHECK(refiner.run());
    return std::move(refiner).closed();
  });
}

Expected<FaceMesh> shadedMesh(const Body& b, const MeshLimits& limits, const Context& cx) {
  return guarded("meshing", [&]() -> Expected<FaceMesh> {
    Refiner refiner(copyOf(b.shape), limits, cx);
    if (cx.stopped()) return fail(cancelled());
    LUMSK_CHECK(refiner.run());
    return refiner.shaded();
  });
}

} // namespace lumsk::brep

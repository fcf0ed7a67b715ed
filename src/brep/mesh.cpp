#include "brep/mesh.h"

#include "brep/convert.h"
#include "brep/guard.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <GCPnts_QuasiUniformDeflection.hxx>
#include <GeomAdaptor_Curve.hxx>
#include <Message_ProgressIndicator.hxx>
#include <Poly_Triangulation.hxx>
#include <TopExp.hxx>
#include <TopLoc_Location.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <thread>

namespace lumsk::brep {

namespace {

/// Places along one direction: every span divided so that chords and turns stay in limits.
std::vector<double> division(const nurbs::Surface& s, bool alongU, const MeshLimits& m) {
  const auto breaks =
      alongU ? nurbs::breakpoints(s.knotsU(), s.degreeU()) : nurbs::breakpoints(s.knotsV(), s.degreeV());
  const double w0 = alongU ? s.firstV() : s.firstU(), w1 = alongU ? s.lastV() : s.lastU();
  constexpr int kParts = 4;
  std::vector<double> out;
  for (size_t k = 0; k + 1 < breaks.size(); ++k) {
    int parts = 1;
    for (int line = 0; line < 5; ++line) {
      const double w = w0 + (w1 - w0) * (line + 0.5) / 5, h = breaks[k + 1] - breaks[k];
      const auto at = [&](double f) { return alongU ? s.at(breaks[k] + f * h, w) : s.at(w, breaks[k] + f * h); };
      // The tightest part of a span decides: it may turn there and hardly anywhere else.
      Vec3 a = at(0);
      for (int part = 0; part < kParts; ++part) {
        const Vec3 b = at((part + 0.5) / kParts), c = at((part + 1.0) / kParts);
        const double sag = (b - 0.5 * (a + c)).norm(), turn = degFromRad(angleBetweenRad(b - a, c - b)) * 2;
        if ((c - a).norm() > 1e-9)
          parts = std::max({parts, int(std::ceil(kParts * std::sqrt(sag / m.chordMm) - 1e-9)),
                            int(std::ceil(kParts * turn / m.angleDeg - 1e-9))});
        a = c;
      }
    }
    parts = std::min(parts, 64);
    for (int i = 0; i < parts; ++i) out.push_back(breaks[k] + (breaks[k + 1] - breaks[k]) * i / parts);
  }
  out.push_back(breaks.back());
  return out;
}

void thin(std::vector<double>& t, double keep) {
  std::vector<double> out;
  const int n = std::max(8, int(std::ceil((t.size() - 1) * keep)));
  for (int i = 0; i <= n; ++i) {
    const double x = double(i) / n * double(t.size() - 1);
    const size_t a = std::min(size_t(x), t.size() - 2);
    out.push_back(t[a] + (t[a + 1] - t[a]) * (x - double(a)));
  }
  t = std::move(out);
}

FaceMesh gridMesh(const NaturalFace& face, std::vector<double> us, std::vector<double> vs, double share) {
  const nurbs::Surface& s = *face.surface;
  if (share < 1) {
    thin(us, std::sqrt(share));
    thin(vs, std::sqrt(share));
  }
  FaceMesh m;
  const int nu = int(us.size()), nv = int(vs.size());
  nurbs::evaluateGrid(s, us, vs, m.points, m.normals);
  if (face.reversed)
    for (Vec3& n : m.normals) n = -n;
  m.places.reserve(m.points.size());
  for (double u : us)
    for (double v : vs) m.places.emplace_back(u, v);
  for (int i = 0; i + 1 < nu; ++i)
    for (int j = 0; j + 1 < nv; ++j) {
      const int a = i * nv + j, b = a + nv, c = b + 1, d = a + 1;
      const auto add = [&](int x, int y, int z) {
        if ((m.points[x] - m.points[y]).squaredNorm() == 0 || (m.points[y] - m.points[z]).squaredNorm() == 0 ||
            (m.points[z] - m.points[x]).squaredNorm() == 0)
          return;
        if (face.reversed) std::swap(y, z);
        m.triangles.push_back({x, y, z});
      };
      add(a, b, c);
      add(a, c, d);
    }
  return m;
}

constexpr double kFinest = 1.0 / 20000; ///< of a face's size: nobody sees less, and a damaged face may be 300 m large
constexpr double kPatienceSeconds = 1;  ///< before a face is meshed more coarsely
constexpr int kFewTrimmed = 6;          ///< of more trimmed faces of one body each is drawn half as finely

/// Lets the kernel go on for so long.
class Patience : public Message_ProgressIndicator {
public:
  Standard_Boolean UserBreak() override { return std::chrono::steady_clock::now() > end_; }
  void Show(const Message_ProgressScope&, const Standard_Boolean) override {}

private:
  std::chrono::steady_clock::time_point end_ =
      std::chrono::steady_clock::now() + std::chrono::milliseconds(int(1000 * kPatienceSeconds));
};

/// Whether the kernel was done in time.
bool triangulate(const TopoDS_Face& f, double chordMm, double angleDeg) {
  IMeshTools_Parameters p;
  p.Deflection = chordMm;
  p.Angle = radFromDeg(angleDeg);
  p.Relative = false;
  Handle(Patience) patience = new Patience;
  BRepMesh_IncrementalMesh(f, p, patience->Start());
  return !patience->UserBreak();
}

FaceMesh kernelMesh(const TopoDS_Face& original, const MeshLimits& limits) {
  TopoDS_Face f = TopoDS::Face(copyOf(original));
  Bnd_Box box;
  BRepBndLib::Add(f, box, false);
  const double size = box.IsVoid() ? 0 : std::sqrt(box.SquareExtent());
  const double chord = std::max(limits.chordMm, kFinest * size);
  for (const auto& [coarser, angle] : {std::pair(1.0, limits.angleDeg), std::pair(4.0, 3 * limits.angleDeg), std::pair(100.0, 45.0)}) {
    if (coarser > 1) f = TopoDS::Face(copyOf(original));
    if (triangulate(f, coarser * chord, std::min(angle, 45.0))) break;
  }
  TopLoc_Location where;
  FaceMesh m;
  const Handle(Poly_Triangulation) t = BRep_Tool::Triangulation(f, where);
  if (t.IsNull()) return m;
  const BRepAdaptor_Surface surface(f, false);
  const bool reversed = f.Orientation() == TopAbs_REVERSED;
  for (int i = 1; i <= t->NbNodes(); ++i) {
    m.points.push_back(toVec(t->Node(i).Transformed(where)));
    gp_Pnt p;
    gp_Vec du, dv;
    m.places.emplace_back(t->UVNode(i).X(), t->UVNode(i).Y());
    surface.D1(m.places.back().x(), m.places.back().y(), p, du, dv);
    const Vec3 n = toVec(du.Crossed(dv));
    m.normals.push_back(n.norm() > 0 ? Vec3(n.normalized() * (reversed ? -1.0 : 1.0)) : Vec3(Vec3::UnitZ()));
  }
  for (int i = 1; i <= t->NbTriangles(); ++i) {
    int a, b, c;
    t->Triangle(i).Get(a, b, c);
    if (reversed) std::swap(b, c);
    m.triangles.push_back({a - 1, b - 1, c - 1});
  }
  return m;
}

std::vector<ShownEdge> edgesOf(const Body& b) {
  std::vector<ShownEdge> out;
  TopTools_IndexedDataMapOfShapeListOfShape owners;
  TopExp::MapShapesAndAncestors(b.shape, TopAbs_EDGE, TopAbs_FACE, owners);
  const auto all = edges(b);
  for (size_t i = 0; i < all.size(); ++i) {
    if (BRep_Tool::Degenerated(all[i])) continue;
    double first, last;
    const Handle(Geom_Curve) c = BRep_Tool::Curve(all[i], first, last);
    if (c.IsNull()) continue;
    ShownEdge e;
    e.name = b.edgeNames[i];
    const int at = owners.FindIndex(all[i]);
    const bool closedOnFace = at > 0 && BRep_Tool::IsClosed(all[i], TopoDS::Face(owners(at).First()));
    e.seam = closedOnFace;
    e.open = at > 0 && owners(at).Extent() == 1 && !closedOnFace;
    const GeomAdaptor_Curve a(c, first, last);
    const GCPnts_QuasiUniformDeflection places(a, 0.02);
    if (places.IsDone())
      for (int k = 1; k <= places.NbPoints(); ++k) e.points.push_back(toVec(places.Value(k)));
    out.push_back(std::move(e));
  }
  return out;
}

} // namespace

std::vector<ShownEdge> displayEdges(const Body& b) {
  const auto made = guarded("drawing edges", [&]() -> Expected<std::vector<ShownEdge>> { return edgesOf(b); });
  return made ? *made : std::vector<ShownEdge>{};
}

DisplayMesher::DisplayMesher(const Body& b, const MeshLimits& limits) : body_(b), limits_(limits) {
  for (const std::string& name : b.faceNames) {
    const auto natural = b.natural.find(name);
    grids_.emplace_back();
    if (natural == b.natural.end()) continue;
    grids_.back() = {division(*natural->second.surface, true, limits), division(*natural->second.surface, false, limits)};
  }
}

double DisplayMesher::wanted() const {
  double sum = 0;
  for (const Grid& g : grids_)
    if (!g.us.empty()) sum += 2.0 * double(g.us.size() - 1) * double(g.vs.size() - 1);
  return sum;
}

std::vector<FaceMesh> DisplayMesher::mesh(double share) const {
  std::vector<FaceMesh> out;
  std::vector<TopoDS_Face> copies;
  const auto all = faces(body_);
  MeshLimits trimmed = limits_;
  if (std::count_if(grids_.begin(), grids_.end(), [](const Grid& g) { return g.us.empty(); }) > kFewTrimmed)
    trimmed = {2 * limits_.chordMm, 2 * limits_.angleDeg};
  out.resize(all.size());
  std::vector<size_t> slow; // the kernel's, side by side
  for (size_t i = 0; i < all.size(); ++i) {
    const Grid& g = grids_[i];
    if (g.us.empty())
      slow.push_back(i);
    else
      out[i] = gridMesh(body_.natural.at(body_.faceNames[i]), g.us, g.vs, share);
  }
  std::atomic<size_t> next{0};
  const auto work = [&] {
    for (size_t k = next++; k < slow.size(); k = next++) {
      const auto made = guarded("meshing", [&]() -> Expected<FaceMesh> { return kernelMesh(copies[k], trimmed); });
      if (made) out[slow[k]] = *made;
    }
  };
  for (size_t i : slow) copies.push_back(TopoDS::Face(copyOf(all[i]))); // before anybody works on one
  const size_t helpers = std::min<size_t>(slow.size(), std::max(1u, std::thread::hardware_concurrency())) - (slow.empty() ? 0 : 1);
  std::vector<std::thread> threads;
  for (size_t t = 0; t < helpers; ++t) threads.emplace_back(work);
  work();
  for (std::thread& t : threads) t.join();
  for (size_t i = 0; i < all.size(); ++i) {
    out[i].face = body_.faceNames[i];
    out[i].findBox();
  }
  return out;
}

void FaceMesh::findBox() {
  low = Vec3::Constant(1e300), high = -low;
  for (const Vec3& p : points) low = low.cwiseMin(p), high = high.cwiseMax(p);
}

std::vector<FaceMesh> displayMesh(const Body& b, const MeshLimits& limits, int budget) {
  const DisplayMesher mesher(b, limits);
  return mesher.mesh(std::min(1.0, double(budget) * double(b.natural.size()) / std::max(1.0, mesher.wanted())));
}

} // namespace lumsk::brep

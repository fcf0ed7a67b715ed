#include "brep/offset/walls.h"

#include "brep/convert.h"
#include "brep/split/cells.h"

#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Geom2d_BSplineCurve.hxx>
#include <GeomFill.hxx>
#include <Geom_BSplineCurve.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Wire.hxx>

#include <algorithm>
#include <map>

namespace lumsk::brep::offset {

namespace {

constexpr double kGrow = 1.05;   ///< tolerances are a little larger than what was measured
constexpr double kStepMm = 0.005; ///< distances that differ by more make a step

double distanceAt(const LayerNet& n, const Distances& d, const FaceAt& f, double t) { return d.at(n, f.sheet, n.imageOf(f, t)); }

/// Faces between layers: ruled from one edge to another, with upright lines at their ends that are shared.
class Between {
public:
  Between(const LayerNet& n, const std::vector<const WallSide*>& sides, const std::string& step)
      : n_(n), sides_(sides), step_(step), levels_(n.vertices.size()) {
    for (int s = 0; s < int(sides_.size()); ++s)
      for (size_t p = 0; p < sides_[size_t(s)]->parts.size(); ++p) addLevels({s, int(p)});
    for (auto& list : levels_) std::stable_sort(list.begin(), list.end(), [](const Level& a, const Level& b) { return a.mm > b.mm; });
  }

  std::vector<NamedFace> run() {
    std::vector<NamedFace> out;
    for (size_t e = 0; e < n_.edges.size(); ++e) {
      const KnownEdge& x = n_.edges[e];
      if (n_.net.edges[e].pole) continue;
      if (x.kind == EdgeKind::Open) {
        if (sides_.size() < 2) continue;
        const int sheet = x.faces[0].sheet;
        const std::string& label = n_.net.edges[e].label;
        out.push_back({ruled(int(e), whose(0, sheet), whose(1, sheet), x.faces[0], false), faceName(step_, "rim", n_.names[size_t(sheet)] + "|" + (label.empty() ? std::to_string(e) : label)), {}});
      } else if (x.kind == EdgeKind::Inner) {
        for (int s = 0; s < int(sides_.size()); ++s) {
          const Whose a = whose(s, x.faces[0].sheet), b = whose(s, x.faces[1].sheet);
          if (a.part == b.part) continue;
          const std::string& label = n_.net.edges[e].label;
          out.push_back({ruled(int(e), a, b, x.faces[0], s == 1), faceName(step_, sides_.size() < 2 || s ? "step" : "frontStep", n_.names[size_t(x.faces[0].sheet)] + "|" + (label.empty() ? std::to_string(e) : label)), {}});
        }
      }
    }
    return out;
  }

private:
  struct Whose {
    int side = 0, part = 0;
    bool operator==(const Whose& o) const { return side == o.side && part == o.part; }
  };
  /// Where a part has a vertex, along the outside normal.
  struct Level {
    double mm;
    Whose whose;
    TopoDS_Vertex vertex;
  };

  const WallSide::Part& part(const Whose& w) const { return sides_[size_t(w.side)]->parts[size_t(w.part)]; }
  Whose whose(int side, int sheet) const { return {side, sides_[size_t(side)]->partOf[size_t(sheet)]}; }

  void addLevels(const Whose& w) {
    const WallSide::Part& p = part(w);
    for (size_t v = 0; v < levels_.size(); ++v) {
      const int own = p.vertices[v];
      if (own < 0 || p.net->vertices[size_t(own)].sheets.empty()) continue;
      const SheetAt& s = p.net->vertices[size_t(own)].sheets.front();
      levels_[v].push_back({p.distances.at(*p.net, s.sheet, s.uv), w, p.layer.vertices[size_t(own)]});
    }
  }

  /// Straight from one level to the next; made once.
  TopoDS_Edge lineBetween(int vertex, size_t level) {
    TopoDS_Edge& e = lines_[{vertex, level}];
    if (!e.IsNull()) return e;
    const TopoDS_Vertex &a = levels_[size_t(vertex)][level].vertex, &b = levels_[size_t(vertex)][level + 1].vertex;
    Points ends(2, 3);
    ends.row(0) = toVec(BRep_Tool::Pnt(a)).transpose();
    ends.row(1) = toVec(BRep_Tool::Pnt(b)).transpose();
    BRep_Builder builder;
    builder.MakeEdge(e, toCurve(nurbs::Spline::trusted(1, nurbs::uniformKnots(1, 1), ends)), std::max({1e-6, BRep_Tool::Tolerance(a), BRep_Tool::Tolerance(b)}));
    builder.Range(e, 0, 1);
    builder.SameParameter(e, true);
    builder.SameRange(e, true);
    builder.Add(e, a.Oriented(TopAbs_FORWARD));
    builder.Add(e, b.Oriented(TopAbs_REVERSED));
    return e;
  }

  /// Levels of a vertex between two parts' own.
  std::pair<size_t, size_t> rangeAt(int vertex, const Whose& a, const Whose& b) const {
    const auto& list = levels_[size_t(vertex)];
    const auto find = [&](const Whose& w) {
      return size_t(std::find_if(list.begin(), list.end(), [&](const Level& l) { return l.whose == w; }) - list.begin());
    };
    return std::minmax(find(a), find(b));
  }

  static Handle(Geom2d_Curve) straight(const Vec2& a, const Vec2& b) {
    Points ends(2, 3);
    ends.row(0) << a.x(), a.y(), 0;
    ends.row(1) << b.x(), b.y(), 0;
    return toDomain(nurbs::Spline::trusted(1, nurbs::uniformKnots(1, 1), ends), [](const Vec2& p) { return p; });
  }

  /// The upright side of a ruled face at a vertex, from its upper edge to its lower one.
  struct Upright {
    TopoDS_Edge edge;
    double from, to; ///< of the face's second parameter, at the line's start and its end
    bool down;       ///< the line runs from the face's first edge to its second
  };
  std::vector<Upright> uprights(int vertex, const Whose& first, const Whose& second) {
    const auto& list = levels_[size_t(vertex)];
    const auto [upper, lower] = rangeAt(vertex, first, second);
    const bool down = list[upper].whose == first;
    const Vec3 a = toVec(BRep_Tool::Pnt(list[down ? upper : lower].vertex)), b = toVec(BRep_Tool::Pnt(list[down ? lower : upper].vertex));
    const double whole = (b - a).squaredNorm();
    std::vector<Upright> out;
    double off = 0; // of levels between, from the straight line
    const auto along = [&](size_t level) {
      const Vec3 p = toVec(BRep_Tool::Pnt(list[level].vertex));
      const double f = whole > 0 ? (p - a).dot(b - a) / whole : 0;
      off = std::max(off, (p - a - f * (b - a)).norm());
      return f;
    };
    for (size_t k = upper; k <= lower; ++k) along(k);
    const double tolerance = kGrow * off + 1e-7;
    for (size_t k = upper; k < lower; ++k) {
      const double f = along(k), g = along(k + 1);
      BRep_Builder().UpdateEdge(lineBetween(vertex, k), tolerance);
      for (size_t end : {k, k + 1}) BRep_Builder().UpdateVertex(list[end].vertex, tolerance);
      out.push_back({lineBetween(vertex, k), k == upper ? (down ? 0 : 1) : f, k + 1 == lower ? (down ? 1 : 0) : g, down});
    }
    if (!down) std::reverse(out.begin(), out.end());
    return out;
  }

  /// From the edge of one part to that of another. `beside`: the face at the first one's edge, which uses it one way; this
  /// face uses it the other.
  TopoDS_Face ruled(int e, const Whose& first, const Whose& second, const FaceAt& beside, bool turned) {
    const auto edgeOf = [&](const Whose& w) { return size_t(part(w).edges[size_t(e)]); };
    const auto a = Handle(Geom_BSplineCurve)::DownCast(part(first).layer.curves[edgeOf(first)]),
               b = Handle(Geom_BSplineCurve)::DownCast(part(second).layer.curves[edgeOf(second)]);
    BRep_Builder builder;
    TopoDS_Face face;
    builder.MakeFace(face, GeomFill::Surface(a, b), 1e-6);
    const TopoDS_Edge &f = part(first).layer.edges[edgeOf(first)], &k = part(second).layer.edges[edgeOf(second)];
    builder.UpdateEdge(f, straight({0, 0}, {1, 0}), face, 1e-6);
    builder.UpdateEdge(k, straight({0, 1}, {1, 1}), face, 1e-6);
    const auto& paves = n_.net.edges[size_t(e)].paves;
    const int from = paves[0].vertex, to = paves[1].vertex;
    const std::vector<Upright> start = uprights(from, first, second), end = uprights(to, first, second);
    const auto image = [](const Upright& u, double x) { return straight({x, u.from}, {x, u.to}); };
    for (const Upright& u : start)
      if (from == to)
        builder.UpdateEdge(u.edge, image(u, u.down ? 1 : 0), image(u, u.down ? 0 : 1), face, 1e-6);
      else
        builder.UpdateEdge(u.edge, image(u, 0), face, 1e-6);
    if (from != to)
      for (const Upright& u : end) builder.UpdateEdge(u.edge, image(u, 1), face, 1e-6);
    TopoDS_Wire wire;
    builder.MakeWire(wire);
    builder.Add(wire, f.Oriented(TopAbs_FORWARD));
    for (const Upright& u : end) builder.Add(wire, u.edge.Oriented(u.down ? TopAbs_FORWARD : TopAbs_REVERSED));
    builder.Add(wire, k.Oriented(TopAbs_REVERSED));
    for (auto u = start.rbegin(); u != start.rend(); ++u) builder.Add(wire, u->edge.Oriented(u->down ? TopAbs_REVERSED : TopAbs_FORWARD));
    wire.Closed(true);
    builder.Add(face, wire);
    const split::Sheet& s = n_.net.sheets[size_t(beside.sheet)];
    const bool reversed = (s.border[size_t(beside.use)].reversed != (s.orientation == TopAbs_REVERSED)) != turned;
    return TopoDS::Face(face.Oriented(reversed ? TopAbs_FORWARD : TopAbs_REVERSED));
  }

  const LayerNet& n_;
  std::vector<const WallSide*> sides_;
  std::string step_;
  std::vector<std::vector<Level>> levels_; ///< by vertices, outermost first
  std::map<std::pair<int, size_t>, TopoDS_Edge> lines_;
};

/// What is known of planar openings comes from the whole skin: along a step there is none.
void takeRims(LayerNet& part, const LayerNet& whole, const WallSide::Part& p) {
  for (KnownEdge& e : part.edges) e.rim = false;
  for (KnownVertex& v : part.vertices) v.rimPlane.reset();
  for (size_t e = 0; e < whole.edges.size(); ++e)
    if (p.edges[e] >= 0 && whole.edges[e].rim) part.edges[size_t(p.edges[e])].rim = true, part.edges[size_t(p.edges[e])].rimPlane = whole.edges[e].rimPlane;
  for (size_t v = 0; v < whole.vertices.size(); ++v)
    if (p.vertices[v] >= 0) part.vertices[size_t(p.vertices[v])].rimPlane = whole.vertices[v].rimPlane;
}

} // namespace

std::vector<char> stepsOf(const LayerNet& n, const Distances& d) {
  std::vector<char> out(n.edges.size(), 0);
  for (size_t e = 0; e < n.edges.size(); ++e) {
    const KnownEdge& x = n.edges[e];
    if (x.kind != EdgeKind::Inner || n.net.edges[e].pole || x.faces.size() != 2) continue;
    for (double t : {x.t[x.t.size() / 4], x.t[x.t.size() / 2], x.t[3 * x.t.size() / 4]})
      out[e] = out[e] || std::abs(distanceAt(n, d, x.faces[0], t) - distanceAt(n, d, x.faces[1], t)) > kStepMm;
  }
  return out;
}

std::optional<Problem> dropSteppedRims(LayerNet& n, const std::vector<char>& steps) {
  std::optional<Problem> note;
  for (size_t e = 0; e < n.edges.size(); ++e)
    for (size_t k = 0; steps[e] && k < n.net.edges[e].paves.size(); ++k) {
      const KnownVertex& v = n.vertices[size_t(n.net.edges[e].paves[k].vertex)];
      if (!v.rimPlane) continue;
      if (!note) note = problem("LM-T103", "the rim follows the normal: a step of a zone ends in it");
      note->at(n.net.vertices[size_t(n.net.edges[e].paves[k].vertex)].at);
      dropRim(n, Frame(*v.rimPlane));
    }
  return note;
}

namespace {

/// Numbers of a net's edges and vertices in another one.
void findParts(WallSide::Part& p, const LayerNet& n) {
  for (int e = 1; e <= n.net.edgeMap.Extent(); ++e) p.edges.push_back(p.net->net.edgeMap.FindIndex(n.net.edgeMap(e)) - 1);
  for (int v = 1; v <= n.net.vertexMap.Extent(); ++v) p.vertices.push_back(p.net->net.vertexMap.FindIndex(n.net.vertexMap(v)) - 1);
}

} // namespace

Expected<std::optional<WallSide>> undividedSide(const Body& before, const std::vector<int>& leftOut, const LayerNet& divided, const Context& cx) {
  WallSide out;
  out.parts.resize(1);
  WallSide::Part& p = out.parts.front();
  LUMSK_TRY(own, readLayers(before, leftOut, cx));
  p.own = std::move(own);
  p.net = p.own.get();
  findParts(p, divided);
  for (size_t e = 0; e < divided.edges.size(); ++e)
    if (divided.edges[e].kind == EdgeKind::Open && p.edges[e] < 0) return std::optional<WallSide>();
  p.distances = Distances::alike(*p.net, 0);
  out.partOf.resize(divided.net.sheets.size(), 0);
  LUMSK_TRY(layer, layerAt(*p.net, p.distances, true, cx));
  p.layer = std::move(layer);
  return std::optional<WallSide>(std::move(out));
}

Expected<WallSide> wallSide(const WallSkin& skin, const Distances& d, bool flatRims, const Context& cx) {
  const LayerNet& n = *skin.net;
  const std::vector<char> steps = stepsOf(n, d);
  split::Groups groups(n.net.sheets.size());
  bool stepped = false;
  for (size_t e = 0; e < n.edges.size(); ++e) {
    stepped = stepped || steps[e];
    for (size_t k = 1; !steps[e] && k < n.edges[e].faces.size(); ++k) groups.join(n.edges[e].faces[0].sheet, n.edges[e].faces[k].sheet);
  }
  WallSide out;
  out.partOf.resize(n.net.sheets.size());
  std::map<int, int> numbers;
  for (size_t s = 0; s < out.partOf.size(); ++s) out.partOf[s] = stepped ? numbers.emplace(groups.of(int(s)), int(numbers.size())).first->second : 0;
  out.parts.resize(stepped ? numbers.size() : 1);
  for (size_t k = 0; k < out.parts.size(); ++k) {
    WallSide::Part& p = out.parts[k];
    p.net = &n;
    p.distances = d;
    if (stepped) {
      std::vector<int> leftOut = skin.leftOut;
      p.distances = {};
      for (size_t s = 0; s < out.partOf.size(); ++s)
        if (out.partOf[s] == int(k)) p.distances.mm.push_back(d.mm[s]), p.distances.ramps.push_back(d.ramps[s]);
        else leftOut.push_back(n.net.sheets[s].face);
      LUMSK_TRY(own, readLayers(*skin.body, leftOut, cx));
      p.own = std::move(own);
      p.net = p.own.get();
    }
    findParts(p, n);
    if (p.own) takeRims(*p.own, n, p);
    LUMSK_TRY(layer, layerAt(*p.net, p.distances, flatRims, cx));
    p.layer = std::move(layer);
  }
  return out;
}

std::vector<NamedFace> facesBetween(const LayerNet& n, const std::vector<const WallSide*>& sides, const std::string& step) {
  return Between(n, sides, step).run();
}

} // namespace lumsk::brep::offset

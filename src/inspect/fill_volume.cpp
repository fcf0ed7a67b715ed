#include "inspect/fill_volume.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/rings.h"
#include "brep/trim.h"
#include "inspect/face_measure.h"
#include "nurbs/on_skin/offset.h"

#include <BRep_Tool.hxx>
#include <Geom_Curve.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>

#include <algorithm>
#include <functional>
#include <numeric>

namespace lumsk::inspect {

namespace {

/// Faces that are joined below the level z = 0.
struct Component {
  double momentMm3 = 0.0, lowest = 0.0;
  bool reachesLevel = false;
  Vec3 at = Vec3::Zero(); ///< on the level
};

class Filler {
public:
  Filler(const brep::Body& b, const Context& cx) : body_(b), cx_(cx) {}

  Expected<FillVolume> run(std::optional<double> level) {
    const auto box = boxOf(body_);
    const double top = level.value_or(box.high.z());
    if (top <= box.low.z() + belowLevel()) return fail(holdsNothing(top, 0.5 * (box.low + box.high)));
    const bool whole = top >= box.high.z();
    const double cutAt = whole ? top : top - belowLevel();
    // The level becomes z = 0: a surface there adds nothing to the integral of x . n.
    Eigen::Isometry3d down = Eigen::Isometry3d::Identity();
    down.translate(Vec3(0, 0, -cutAt));
    LUMSK_TRY(lowered, brep::moved(body_, down));
    return brep::guarded("measuring a filling", [&]() -> Expected<FillVolume> {
      if (const auto quick = components(*lowered, false)) return sum({{lowered, *quick}}, top, cutAt);
      std::vector<std::pair<brep::BodyPtr, std::vector<Component>>> pieces;
      LUMSK_TRY(cut, brep::trimByPlane(*lowered, Frame{}, false, "level", cx_));
      for (const auto& piece : cut.pieces) pieces.emplace_back(piece, *components(*piece, true));
      return sum(pieces, top, cutAt);
    });
  }

private:
  static Problem holdsNothing(double level, const Vec3& at) {
    return problem("LM-Q001", "this body holds nothing up to this level")
        .measure(millimetres(level))
        .at(at)
        .tryThis("lower the level, or close what is open below it");
  }

  Expected<FillVolume> sum(const std::vector<std::pair<brep::BodyPtr, std::vector<Component>>>& pieces, double top,
                           double cutAt) const {
    FillVolume out;
    out.levelMm = top;
    Vec3 outside = Vec3::Zero();
    for (const auto& [piece, parts] : pieces) {
      if (!body_.solid()) LUMSK_CHECK(closedBelow(*piece, cutAt));
      for (const Component& c : parts) {
        if (c.reachesLevel) outside = c.at;
        const double volume = body_.solid() ? -c.momentMm3 : std::abs(c.momentMm3);
        if (!c.reachesLevel || volume <= 0) continue;
        out.volumeMm3 += volume;
        out.depthMm = std::max(out.depthMm, -c.lowest);
        out.surfaceAt = c.at;
      }
    }
    const Vec3 up(0, 0, cutAt);
    if (out.volumeMm3 <= 0) return fail(holdsNothing(top, outside + up));
    out.surfaceAt += up;
    return out;
  }

  /// Open edges of a skin lie in the level, or something runs out.
  Expected<void> closedBelow(const brep::Body& piece, double cutAt) const {
    Problem leak = problem("LM-Q002", "this skin is open below the level").tryThis("close it, or lower the level");
    for (const auto& e : brep::openEdges(piece.shape))
      if (const Vec3 low = lowestOf(e); low.z() < -near()) leak.at(low + Vec3(0, 0, cutAt));
    if (!leak.where.empty()) return fail(std::move(leak));
    return {};
  }

  static Vec3 lowestOf(const TopoDS_Edge& e) {
    Vec3 low(0, 0, 1e300);
    double a, b;
    const Handle(Geom_Curve) c = BRep_Tool::Curve(e, a, b);
    if (c.IsNull()) return brep::toVec(BRep_Tool::Pnt(TopExp::FirstVertex(e)));
    for (int k = 0; k <= 64; ++k)
      if (const Vec3 p = brep::toVec(c->Value(a + (b - a) * k / 64)); p.z() < low.z()) low = p;
    return low;
  }

  /// What of a face lies below the level.
  struct Below {
    bool any = false;
    double momentMm3 = 0.0, lowest = 0.0;
    std::optional<Vec3> onLevel;
  };

  /// Nothing where the level cuts the face in another way than straight across. `cut`: all of the piece lies below; what the
  /// kernel takes for the box of a trimmed face may still reach higher.
  std::optional<Below> below(const brep::Body& piece, const TopoDS_Face& f, const std::string& name, bool cut) const {
    const FaceMeasure m = measureFace(piece, f, name, nurbs::Extent());
    Below out{true, m.momentMm3, m.box.low.z(), {}};
    if (m.box.low.z() >= -near()) return Below{};
    if (cut || m.box.high.z() <= near()) return out;
    const auto natural = piece.natural.find(name);
    if (natural == piece.natural.end()) return {};
    nurbs::Side side{};
    const auto lower = nurbs::cutAtPlane(*natural->second.surface, Frame{}, false, cx_, side);
    if (!lower) return {};
    const nurbs::Surface& s = lower->surface;
    out.momentMm3 = nurbs::integralsOf(s).momentMm3 * (natural->second.reversed ? -1.0 : 1.0);
    const bool alongV = side == nurbs::FirstU || side == nurbs::LastU;
    const double u = alongV ? (side == nurbs::FirstU ? s.firstU() : s.lastU()) : 0.5 * (s.firstU() + s.lastU()),
                 v = alongV ? 0.5 * (s.firstV() + s.lastV()) : (side == nurbs::FirstV ? s.firstV() : s.lastV());
    out.onLevel = s.at(u, v);
    return out;
  }

  /// Cut this far below the level, so that a flat brim at the level is no part of the cut. What is missed by that is
  /// less than what the tolerances of edges leave open.
  double belowLevel() const { return 2 * cx_.tolerances.point.mm; }
  double near() const { return 10 * cx_.tolerances.point.mm; }

  /// Groups of faces that are joined below the level; nothing where it has to be cut for that.
  std::optional<std::vector<Component>> components(const brep::Body& piece, bool cut) const {
    const auto faces = brep::faces(piece);
    std::vector<Below> parts;
    for (size_t i = 0; i < faces.size(); ++i) {
      auto part = below(piece, faces[i], piece.faceNames[i], cut);
      if (!part) return {};
      parts.push_back(std::move(*part));
    }
    std::vector<int> group(faces.size());
    std::iota(group.begin(), group.end(), 0);
    const std::function<int(int)> root = [&](int i) { return group[size_t(i)] == i ? i : root(group[size_t(i)]); };
    TopTools_IndexedMapOfShape index;
    for (const auto& f : faces) index.Add(f);
    TopTools_IndexedDataMapOfShapeListOfShape owners;
    TopExp::MapShapesAndAncestors(piece.shape, TopAbs_EDGE, TopAbs_FACE, owners);
    for (int e = 1; e <= owners.Extent(); ++e) {
      const Vec3 low = lowestOf(TopoDS::Edge(owners.FindKey(e)));
      int first = -1;
      for (const TopoDS_Shape& f : owners(e)) {
        const int i = index.FindIndex(f) - 1;
        if (i < 0 || !parts[size_t(i)].any) continue;
        if (low.z() >= -near()) parts[size_t(i)].onLevel = low;
        if (first >= 0 && low.z() < -near()) group[size_t(root(i))] = root(first);
        if (first < 0) first = i;
      }
    }
    std::map<int, Component> out;
    for (size_t i = 0; i < faces.size(); ++i) {
      if (!parts[i].any) continue;
      Component& c = out[root(int(i))];
      c.momentMm3 += parts[i].momentMm3;
      c.lowest = std::min(c.lowest, parts[i].lowest);
      if (parts[i].onLevel) c.reachesLevel = true, c.at = *parts[i].onLevel;
    }
    std::vector<Component> list;
    for (auto& [key, c] : out) list.push_back(c);
    return list;
  }

  const brep::Body& body_;
  const Context& cx_;
};

} // namespace

Expected<FillVolume> fillVolume(const brep::Body& b, std::optional<double> levelMm, const Context& cx) {
  return Filler(b, cx).run(levelMm);
}

} // namespace lumsk::inspect

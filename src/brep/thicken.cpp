#include "brep/thicken.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/history.h"
#include "brep/names.h"
#include "brep/offset/offset_body.h"
#include "brep/offset/rounded_rims.h"
#include "brep/rings.h"
#include "brep/skin.h"
#include "brep/thicken_parts.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/offset.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeSolid.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepLib.hxx>
#include <BRep_Builder.hxx>
#include <GeomFill.hxx>
#include <Geom_BSplineCurve.hxx>
#include <ShapeFix_Face.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Solid.hxx>
#include <gp_Pln.hxx>

#include <unordered_map>

namespace lumsk::brep {

namespace {

using nurbs::Surface;

gp_Pln planeOf(const Frame& f) {
  const Vec3 n = f.normal();
  return {toPnt(f.origin), gp_Dir(n.x(), n.y(), n.z())};
}

using Box3 = Eigen::AlignedBox3d;
constexpr double kSameCorner = 10;     ///< point tolerances: a border's end this near to a corner is the corner
constexpr int kMostCompared = 240, kMostPlaces = 100; ///< each way
constexpr double kClearanceStep = 0.4; ///< thicknesses between the places of the skin that walls are compared with

/// Points in cells, to be asked whether one lies near.
class PointGrid {
public:
  explicit PointGrid(double cell) : cell_(cell) {}
  void add(const Vec3& p) { cells_[key(p)].push_back(p); }
  /// `reach` at most the size of a cell.
  bool within(const Vec3& p, double reach) const {
    for (int x : {-1, 0, 1})
      for (int y : {-1, 0, 1})
        for (int z : {-1, 0, 1}) {
          const auto it = cells_.find(key(p + cell_ * Vec3(x, y, z)));
          if (it == cells_.end()) continue;
          for (const Vec3& q : it->second)
            if ((q - p).squaredNorm() <= reach * reach) return true;
        }
    return false;
  }

private:
  std::int64_t key(const Vec3& p) const {
    const auto at = [&](double c) { return std::int64_t(std::floor(c / cell_)) & 0x1fffff; };
    return at(p.x()) << 42 | at(p.y()) << 21 | at(p.z());
  }
  double cell_;
  std::unordered_map<std::int64_t, std::vector<Vec3>> cells_;
};

Expected<void> checkInputs(const Body& skin, const ThickenOptions& o, const Tolerances& tol) {
  if (!(o.thicknessMm > tol.point.mm * 5) || o.thicknessMm > 1000)
    return fail(problem("LM-T004", "the thickness is out of range")
                    .measure(millimetres(o.thicknessMm))
                    .inField("thickness")
                    .tryThis("take more than 0.005 mm"));
  for (const ThickenZone& z : o.zones)
    if (!(z.thicknessMm > tol.point.mm * 5) || z.thicknessMm > 1000) {
      Problem p = problem("LM-T004", "the thickness of a zone is out of range")
                      .measure(millimetres(z.thicknessMm))
                      .at(z.borders.empty() ? Vec3(Vec3::Zero()) : z.borders.front().path.start())
                      .inField("zones")
                      .tryThis("take more than 0.005 mm; for an opening trim the skin");
      p.item = z.item;
      return fail(std::move(p));
    }
  if (skin.solid() && o.side != ThickenSide::Inward)
    return fail(problem("LM-T004", "a solid can only be hollowed inward").inField("side").tryThis("choose inward"));
  return {};
}

class Thickener {
public:
  Thickener(const Body& skin, const ThickenOptions& o, const Context& cx) : skin_(skin), o_(o), cx_(cx) {}

  Expected<Thickened> run() {
    LUMSK_TRY(parts, partsOf(skin_, o_.open, cx_));
    parts_ = std::move(parts);
    const double t = o_.thicknessMm;
    const double front = o_.side == ThickenSide::Inward ? 0 : o_.side == ThickenSide::Outward ? t : t / 2;
    LUMSK_CHECK(offsetAll(front, true));
    LUMSK_CHECK(offsetAll(front - t, false));
    LUMSK_CHECK(checkClearance(front, true));
    LUMSK_CHECK(checkClearance(front - t, false));
    cx_.report(0.8, "closing the rims");
    return assemble();
  }

private:
  // Offsets

  Expected<void> offsetAll(double distance, bool front) {
    for (size_t i = 0; i < parts_.size(); ++i) {
      if (cx_.stopped()) return fail(cancelled());
      cx_.report(0.4 * (front ? 0 : 1) + 0.4 * double(i) / double(parts_.size()), "offsetting");
      Part& p = parts_[i];
      if (p.flat) continue;
      LUMSK_TRY(s, offset(p, distance, front));
      (front ? p.front : p.back) = s;
    }
    for (Part& p : parts_)
      if (p.flat) {
        LUMSK_TRY(f, flatFace(p, distance, front));
        (front ? p.frontFace : p.backFace) = f;
      }
    return {};
  }

  Expected<std::shared_ptr<const Surface>> offset(Part& p, double distance, bool front) {
    if (distance == 0.0) return p.surface;
    if (p.imageOf >= 0) {
      const Part& of = parts_[size_t(p.imageOf)];
      for (size_t k = 0; k < 4; ++k)
        if (!of.sides[k].plane) p.sides[k].plane.reset();
      return std::make_shared<const Surface>(
          nurbs::mirrored(*(front ? of.front : of.back), p.mirror.origin, p.mirror.normal()));
    }
    nurbs::OffsetOptions off;
    off.distanceMm = p.signedDistance(distance);
    for (int k = 0; k < 4; ++k) {
      const Side& side = p.sides[size_t(k)];
      if (side.open) off.flat[size_t(k)] = side.plane;
      if (side.neighbour < 0 || side.smooth) continue;
      const Part& other = parts_[size_t(side.neighbour)];
      if (other.flat)
        off.flat[size_t(k)] = other.shifted(distance);
      else
        off.meets[size_t(k)] = nurbs::OffsetNeighbour{other.surface, other.signedDistance(distance)};
    }
    auto r = nurbs::offsetSurface(*p.surface, off, cx_);
    if (!r && r.error().code == "LM-T002" &&
        std::any_of(p.sides.begin(), p.sides.end(), [](const Side& s) { return s.open && s.plane; })) {
      // The rim lies almost in its plane there: a flat rim would need an endless extension.
      out_.notes.push_back(
          problem("LM-T102", "the rim follows the normal: the skin meets its plane at too flat an angle")
              .at(r.error().where.front()));
      for (int k = 0; k < 4; ++k)
        if (p.sides[size_t(k)].open) p.sides[size_t(k)].plane.reset(), off.flat[size_t(k)].reset();
      r = nurbs::offsetSurface(*p.surface, off, cx_);
    }
    if (!r && r.error().code == "LM-G101")
      return fail(problem("LM-T003", "the offset of this face cannot be followed closely enough")
                      .measure(r.error().measured.value_or(millimetres(0)))
                      .want(millimetres(cx_.tolerances.fit.mm))
                      .at(p.surface->at(0.5 * (p.surface->firstU() + p.surface->lastU()),
                                        0.5 * (p.surface->firstV() + p.surface->lastV())))
                      .inField("thickness")
                      .tryThis("take a smaller thickness, or smooth the curves of this face"));
    if (!r) return fail(std::move(r.error().inField("thickness")));
    out_.deviationMm = std::max(out_.deviationMm, r->deviationMm);
    out_.tightestRadiusMm = std::min(out_.tightestRadiusMm, r->tightestMm);
    return std::make_shared<const Surface>(r->surface);
  }

  /// A flat face between the offsets of its neighbours.
  Expected<TopoDS_Face> flatFace(const Part& p, double distance, bool front) const {
    if (distance == 0.0) return p.face;
    const Frame plane = p.shifted(distance);
    std::optional<BRepBuilderAPI_MakeFace> face;
    for (const FlatWire& w : p.wires) {
      BRepBuilderAPI_MakeWire wire;
      for (size_t i = 0; i < w.edges.size(); ++i) {
        LUMSK_TRY(e, flatEdge(p, w, i, distance, front));
        for (const TopoDS_Vertex& v :
             {TopExp::FirstVertex(e), TopExp::LastVertex(e)}) // neighbours meet within their fits
          BRep_Builder().UpdateVertex(v, 2 * cx_.tolerances.point.mm);
        wire.Add(e);
      }
      if (!wire.IsDone())
        return fail(problem("LM-T003", "the offset of a flat face does not close")
                        .at(p.plane.origin)
                        .inField("thickness")
                        .tryThis("take a smaller thickness, or simplify its outline"));
      if (!face) {
        face.emplace(planeOf(plane), wire.Wire(), true);
      } else {
        face->Add(wire.Wire());
      }
    }
    if (!face || !face->IsDone())
      return fail(problem("LM-T003", "the offset of a flat face cannot be built")
                      .at(p.plane.origin)
                      .inField("thickness")
                      .tryThis("take a smaller thickness"));
    ShapeFix_Face fix(face->Face());
    fix.FixOrientation();
    return fix.Face();
  }

  /// The offset of one edge of a flat face: its neighbour's border, or a line between corners.
  Expected<TopoDS_Edge> flatEdge(const Part& p, const FlatWire& w, size_t i, double distance, bool front) const {
    const FlatEdge& e = w.edges[i];
    if (e.neighbour >= 0 && !parts_[size_t(e.neighbour)].flat) {
      const Part& wall = parts_[size_t(e.neighbour)];
      return BRepBuilderAPI_MakeEdge(toCurve(border(*(front ? wall.front : wall.back), e.side))).Edge();
    }
    if (e.along) { // a hole in the flat face: its rim follows the normal
      gp_Trsf t;
      const Vec3 d = p.plane.normal() * distance;
      t.SetTranslation(gp_Vec(d.x(), d.y(), d.z()));
      return TopoDS::Edge(BRepBuilderAPI_Transform(e.edge, t, true).Shape()); // a copy: the skin is frozen
    }
    LUMSK_TRY(a, corner(e.corners[0], distance, front));
    LUMSK_TRY(b, corner(e.corners[1], distance, front));
    return BRepBuilderAPI_MakeEdge(toPnt(a), toPnt(b)).Edge();
  }

  /// Where the offsets of the faces at a corner meet: the end of a wall's border if there is one, else of planes.
  Expected<Vec3> corner(const Corner& c, double distance, bool front) const {
    Vec3 best = Vec3::Zero();
    double nearest = 1e300;
    for (int f : c.faces) {
      const Part& wall = parts_[size_t(f)];
      if (wall.flat) continue;
      const Surface &s = *wall.surface, &o = *(front ? wall.front : wall.back);
      for (double u : {0.0, 1.0})
        for (double v : {0.0, 1.0}) {
          const auto at = [](const Surface& g, double x, double y) {
            return g.at(x > 0 ? g.lastU() : g.firstU(), y > 0 ? g.lastV() : g.firstV());
          };
          if (const double d = (at(s, u, v) - c.at).norm(); d < nearest) nearest = d, best = at(o, u, v);
        }
    }
    if (nearest < kSameCorner * cx_.tolerances.point.mm) return best;
    Eigen::MatrixXd A(Eigen::Index(c.faces.size()) + (c.rim ? 1 : 0), 3);
    Eigen::VectorXd b(A.rows());
    Eigen::Index row = 0;
    for (int f : c.faces) {
      const Frame g = parts_[size_t(f)].shifted(distance);
      A.row(row) = g.normal().transpose();
      b[row++] = g.normal().dot(g.origin);
    }
    if (c.rim) A.row(row) = c.rim->normal().transpose(), b[row] = c.rim->normal().dot(c.rim->origin);
    const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(A);
    const Vec3 x = qr.solve(b);
    if (qr.rank() < 3 || (A * x - b).cwiseAbs().maxCoeff() > cx_.tolerances.point.mm)
      return fail(problem("LM-T003", "the offsets of the faces do not meet in one point at this corner")
                      .at(c.at)
                      .inField("thickness")
                      .tryThis("round this corner, or thicken the faces before they are joined"));
    return x;
  }

  // Clearance

  /// The offset must not come nearer to any part of the skin than its distance: else walls cross.
  Expected<void> checkClearance(double distance, bool front) const {
    if (distance == 0.0) return {};
    const double d = std::abs(distance);
    std::vector<Box3> boxes;
    std::vector<PointGrid> skins;
    for (const Part& p : parts_) {
      skins.emplace_back(std::max(d, 1.0));
      boxes.emplace_back();
      if (p.flat) continue;
      for (const Vec3& q : denselyOn(*p.surface, kClearanceStep * d, kMostCompared)) {
        skins.back().add(q);
        boxes.back().extend(q);
      }
      boxes.back().min().array() -= 1.5 * d;
      boxes.back().max().array() += 1.5 * d;
    }
    for (const Part& p : parts_)
      for (const Vec3& q : placesOn(p, front, d)) {
        // What is near an image is as near to the other half, but for flat faces.
        for (size_t k = 0; p.imageOf < 0 && k < parts_.size(); ++k)
          if (!parts_[k].flat && boxes[k].contains(q) && skins[k].within(q, 0.97 * d))
            if (const auto c = nurbs::closestPoint(*parts_[k].surface, q); c.distanceMm < 0.995 * d)
              return fail(tooNear(c.distanceMm, d, c.point));
        for (const Part& other : parts_)
          if (other.flat && std::abs(other.plane.local(q).z()) < 0.995 * d && other.covers(q))
            return fail(tooNear(std::abs(other.plane.local(q).z()), d, q));
      }
    return {};
  }

  static Problem tooNear(double measured, double wanted, const Vec3& at) {
    return problem("LM-T005", "the wall runs into another part of the skin")
        .measure(millimetres(measured))
        .want(millimetres(wanted))
        .at(at)
        .inField("thickness")
        .tryThis("take a smaller thickness");
  }

  /// Points of a surface about so far apart, at most so many each way.
  static std::vector<Vec3> denselyOn(const Surface& s, double step, int most) {
    const auto division = [&](bool inU) {
      const nurbs::Spline c = inU ? s.isoV(0.5 * (s.firstV() + s.lastV())) : s.isoU(0.5 * (s.firstU() + s.lastU()));
      const Points polygon = c.points();
      const double length =
          (polygon.bottomRows(polygon.rows() - 1) - polygon.topRows(polygon.rows() - 1)).rowwise().norm().sum();
      const int n = std::clamp(int(std::min(length / step, double(most))), 24, most);
      std::vector<double> t;
      for (int i = 0; i <= n; ++i) t.push_back(c.first() + (c.last() - c.first()) * i / n);
      return t;
    };
    std::vector<Vec3> points, normals;
    nurbs::evaluateGrid(s, division(true), division(false), points, normals);
    return points;
  }

  /// About as far apart as the wall and what it might run into are thick together.
  std::vector<Vec3> placesOn(const Part& p, bool front, double thickness) const {
    return p.flat ? pointsInside(front ? p.frontFace : p.backFace, 16, thickness)
                  : denselyOn(*(front ? p.front : p.back), 2 * thickness, kMostPlaces);
  }

  // Rims

  /// Face between the front's and the back's border on side k.
  TopoDS_Face rim(const Part& p, int k) const {
    const nurbs::Spline a = border(*p.front, k), b = border(*p.back, k);
    const auto ca = Handle(Geom_BSplineCurve)::DownCast(toCurve(a)),
               cb = Handle(Geom_BSplineCurve)::DownCast(toCurve(b));
    const bool ring = p.surface->closedU() && (k == nurbs::FirstV || k == nurbs::LastV);
    const auto& plane = p.sides[size_t(k)].plane;
    if (!plane) return BRepBuilderAPI_MakeFace(GeomFill::Surface(ca, cb), cx_.tolerances.point.mm * 1e-2).Face();
    if (ring) {
      // The longer ring is the outer one.
      const auto length = [](const nurbs::Spline& c) {
        const auto& P = c.points();
        return (P.bottomRows(P.rows() - 1) - P.topRows(P.rows() - 1)).rowwise().norm().sum();
      };
      const bool aOutside = length(a) > length(b);
      const TopoDS_Wire outer = BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(aOutside ? ca : cb).Edge()).Wire();
      const TopoDS_Wire inner = BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(aOutside ? cb : ca).Edge()).Wire();
      BRepBuilderAPI_MakeFace face(planeOf(*plane), outer, true);
      face.Add(inner);
      ShapeFix_Face fix(face.Face());
      fix.FixOrientation();
      return fix.Face();
    }
    BRepBuilderAPI_MakeWire wire;
    wire.Add(BRepBuilderAPI_MakeEdge(ca).Edge());
    wire.Add(BRepBuilderAPI_MakeEdge(ca->EndPoint(), cb->EndPoint()).Edge());
    wire.Add(TopoDS::Edge(BRepBuilderAPI_MakeEdge(cb).Edge().Reversed()));
    wire.Add(BRepBuilderAPI_MakeEdge(cb->StartPoint(), ca->StartPoint()).Edge());
    return BRepBuilderAPI_MakeFace(planeOf(*plane), wire.Wire(), true).Face();
  }

  /// Face between the front's and the back's edge where a flat face is open.
  Expected<TopoDS_Face> flatRim(const Part& p, const FlatWire& w, size_t i, double front) const {
    LUMSK_TRY(a, flatEdge(p, w, i, front, true));
    LUMSK_TRY(b, flatEdge(p, w, i, front - o_.thicknessMm, false));
    const auto curve = [](const TopoDS_Edge& e) {
      double t0, t1;
      const Handle(Geom_Curve) c = BRep_Tool::Curve(e, t0, t1);
      return toSplineCurve(c, t0, t1);
    };
    return BRepBuilderAPI_MakeFace(GeomFill::Surface(curve(a), curve(b)), cx_.tolerances.point.mm * 1e-2).Face();
  }

  // Assembly

  Expected<Thickened> assemble() {
    auto body = std::make_shared<Body>();
    std::vector<NamedFace> made;
    const auto add = [&](const std::shared_ptr<const Surface>& s, const Part& p, bool front) {
      const bool reversed = front == p.reversed;
      made.push_back({naturalFace(*s, reversed, cx_.tolerances.point),
                      faceName(o_.step, front ? "front" : "back", p.name), NaturalFace{s, reversed, p.sideNames}});
    };
    const double front = o_.side == ThickenSide::Inward    ? 0
                         : o_.side == ThickenSide::Outward ? o_.thicknessMm
                                                           : o_.thicknessMm / 2;
    for (const Part& p : parts_) {
      if (p.flat) {
        made.push_back({p.frontFace, faceName(o_.step, "front", p.name), {}});
        made.push_back({p.backFace, faceName(o_.step, "back", p.name), {}});
        for (const FlatWire& w : p.wires)
          for (size_t i = 0; i < w.edges.size(); ++i)
            if (w.edges[i].neighbour < 0) {
              LUMSK_TRY(face, flatRim(p, w, i, front));
              made.push_back({face, faceName(o_.step, "rim", w.edges[i].name), {}});
            }
        continue;
      }
      add(p.front, p, true);
      add(p.back, p, false);
      for (int k = 0; k < 4; ++k)
        if (p.sides[size_t(k)].open)
          made.push_back({rim(p, k), faceName(o_.step, "rim", p.name + "|" + p.sideName(k)), {}});
    }
    BRepBuilderAPI_Sewing sewing(2 * cx_.tolerances.point.mm);
    sewing.SetNonManifoldMode(false);
    for (const NamedFace& m : made) sewing.Add(m.face);
    Handle(KernelProgress) progress = new KernelProgress(cx_);
    sewing.Perform(progress->Start());
    if (cx_.stopped()) return fail(cancelled());
    LUMSK_TRY(solid, closedSolid(sewing.SewedShape()));
    body->shape = solid;
    if (const double t = largestTolerance(solid); t > kNotedToleranceMm)
      out_.notes.push_back(problem("LM-K101", "the faces of the wall meet roughly")
                               .measure(millimetres(t))
                               .want(millimetres(kNotedToleranceMm)));
    FaceHistory history;
    for (const NamedFace& m : made) history.take(sewing, m);
    history.finish(*body);
    out_.body = body;
    return std::move(out_);
  }

  /// One shell, or, for a closed skin, the outer and the inner one.
  static Expected<TopoDS_Shape> closedSolid(const TopoDS_Shape& sewn) {
    std::vector<TopoDS_Shape> shells, solids;
    for (TopExp_Explorer e(sewn, TopAbs_SHELL); e.More(); e.Next()) shells.push_back(e.Current());
    if (shells.size() != 2) return checkedSolid(sewn);
    std::vector<double> volumes;
    for (const TopoDS_Shape& shell : shells) {
      LUMSK_TRY(solid, checkedSolid(shell));
      solids.push_back(solid);
      volumes.push_back(massOf(solid).volumeMm3);
    }
    const size_t outer = volumes[0] > volumes[1] ? 0 : 1;
    TopoDS_Solid hollow;
    BRep_Builder builder;
    builder.MakeSolid(hollow);
    builder.Add(hollow, TopExp_Explorer(solids[outer], TopAbs_SHELL).Current());
    builder.Add(hollow, TopExp_Explorer(solids[1 - outer], TopAbs_SHELL).Current().Reversed());
    LUMSK_CHECK(checkValid(hollow));
    return TopoDS_Shape(hollow);
  }

  const Body& skin_;
  const ThickenOptions& o_;
  const Context& cx_;
  std::vector<Part> parts_;
  Thickened out_;
};

} // namespace

Expected<Thickened> thicken(const Body& skin, const ThickenOptions& options, const Context& cx) {
  LUMSK_CHECK(checkInputs(skin, options, cx.tolerances));
  if (options.rims == ThickenRims::Round) {
    ThickenOptions square = options;
    square.rims = ThickenRims::Square;
    LUMSK_TRY(made, thicken(skin, square, cx));
    auto rounded = guarded("rounding the rims", [&] { return offset::withRoundedRims(*made.body, options.step, options.thicknessMm, cx); });
    if (!rounded) return fail(std::move(rounded.error()));
    made.body = *rounded;
    return std::move(made);
  }
  if (!options.zones.empty() || options.rims != ThickenRims::Flat || !wholeOrFlat(skin, options.open)) return thickenLayers(skin, options, cx);
  auto made = guarded("thickening", [&] { return Thickener(skin, options, cx).run(); });
  if (made || (made.error().code != "LM-T003" && made.error().code != "LM-K002")) return made;
  // Flat faces between curved edges, corners of many faces, and faces that do not hang together.
  return thickenLayers(skin, options, cx);
}

} // namespace lumsk::brep

#include "brep/offset/layer.h"

#include "brep/assemble.h"
#include "brep/convert.h"
#include "brep/skin.h"

#include <BRepTopAdaptor_FClass2d.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Geom_Plane.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Wire.hxx>

#include <algorithm>
#include <map>
#include <set>

namespace lumsk::brep::offset {

namespace {

constexpr double kRampFit = 0.03; ///< fits, beside transitions: rims are to bend alike on both sides of their edges
constexpr double kFit = 0.6, kMost = 2; ///< fits, and point tolerances: edges lie on both faces within the first if they can
constexpr double kGrow = 1.05;
constexpr int kStepsAlong = 50;  ///< steps of an edge that is fitted
constexpr int kLeastAcross = 8;
constexpr int kAcross = 20;      ///< places of a face, each way, that are compared with the body
constexpr double kNearer = 0.01; ///< of the distance, and half of `fit`: as much nearer a wall may be by fits

class Builder {
public:
  Builder(const LayerNet& n, const Distances& distances, bool flatRims, const Context& cx)
      : n_(n), ds_(distances), flat_(flatRims), cx_(cx) {}

  Expected<Layer> run() {
    LUMSK_TRY(places, placesAt(n_, ds_, flat_, cx_));
    places_ = std::move(places);
    out_.deviationMm = places_.deviationMm;
    out_.tightestMm = places_.tightestMm;
    fitted_.resize(n_.edges.size());
    for (size_t e = 0; e < n_.edges.size(); ++e) {
      if (cx_.stopped()) return fail(cancelled());
      LUMSK_CHECK(fitEdge(int(e)));
    }
    makeVertices();
    findApart();
    for (size_t s = 0; s < n_.net.sheets.size(); ++s) shells_.push_back(emptyFace(int(s)));
    for (size_t e = 0; e < n_.edges.size(); ++e) makeEdge(int(e));
    for (size_t s = 0; s < n_.net.sheets.size(); ++s) fillFace(int(s));
    LUMSK_CHECK(checkClearance());
    return std::move(out_);
  }

private:
  Expected<void> fitEdge(int e) {
    const split::OldEdge& old = n_.net.edges[size_t(e)];
    const KnownEdge& x = n_.edges[size_t(e)];
    if (old.pole) return {};
    std::vector<const nurbs::Surface*> surfaces;
    for (const FaceAt& f : x.faces) surfaces.push_back(places_.sheets[size_t(f.sheet)].surface.get());
    nurbs::SectionTrace trace;
    trace.first = old.first, trace.last = old.last, trace.looks = x.t;
    trace.at = [&](double t) {
      const EdgePlace p = placeOn(n_, places_, e, t);
      return nurbs::SectionTrace::Place{p.point, p.uv};
    };
    double gap = 0;
    for (const EdgePlace& p : places_.edges[size_t(e)].places) gap = std::max(gap, p.gapMm);
    const EdgePlace &a = places_.edges[size_t(e)].places.front(), &b = places_.edges[size_t(e)].places.back();
    trace.closed = old.paves[0].vertex == old.paves[1].vertex && (n_.along(e, old.first) - n_.along(e, old.last)).norm() < 1e-3;
    for (size_t k = 0; k < x.faces.size(); ++k)
      trace.closed = trace.closed && (a.uv[k] - b.uv[k]).norm() < 1e-7 && (a.point - b.point).norm() < 1e-7;
    auto made = nurbs::fitSection(trace, surfaces, x.lengthMm / kStepsAlong, {(ramped_ ? kRampFit : kFit) * cx_.tolerances.fit.mm},
                                  {std::max(kMost * cx_.tolerances.point.mm, gap)});
    if (!made)
      return fail(problem("LM-T003", "an edge cannot be followed closely enough at this distance")
                      .at(n_.at(e, 0.5 * (old.first + old.last)))
                      .tryThis("take a smaller distance, or smooth this edge"));
    fitted_[size_t(e)] = std::move(*made);
    return {};
  }

  void makeVertices() {
    std::vector<double> rough(n_.vertices.size(), 1e-7);
    for (size_t e = 0; e < n_.edges.size(); ++e) {
      if (n_.net.edges[e].pole) continue;
      const auto& paves = n_.net.edges[e].paves;
      for (int k = 0; k < 2; ++k) {
        const size_t v = size_t(paves[size_t(k)].vertex);
        const auto grow = [&](const Vec3& p) { rough[v] = std::max(rough[v], kGrow * (p - places_.vertices[v]).norm() + 1e-7); };
        grow(fitted_[e].curve.at(k));
        for (size_t i = 0; i < n_.edges[e].faces.size(); ++i) {
          const Vec3 q = fitted_[e].images[i].at(k);
          grow(places_.sheets[size_t(n_.edges[e].faces[i].sheet)].surface->at(q.x(), q.y()));
        }
      }
    }
    out_.vertices.resize(n_.vertices.size());
    for (size_t v = 0; v < n_.vertices.size(); ++v)
      BRep_Builder().MakeVertex(out_.vertices[v], toPnt(places_.vertices[v]), rough[v]);
  }

  /// One for all faces on the same spline: so the kernel knows them as parts of one. Not for those of which one meets
  /// another at two places of the domain, as round a ring: an edge has but one image on a surface.
  Handle(Geom_Surface) kernelSurface(const std::shared_ptr<const nurbs::Surface>& s) {
    if (apart_.count(s.get())) return toSurface(*s);
    Handle(Geom_Surface)& known = surfaces_[s.get()];
    if (known.IsNull()) known = toSurface(*s);
    return known;
  }
  void findApart() {
    constexpr double kSamePlace = 1e-5;
    for (size_t e = 0; e < n_.edges.size(); ++e) {
      const auto& faces = n_.edges[e].faces;
      if (n_.edges[e].kind != EdgeKind::Inner || n_.net.edges[e].pole) continue;
      const auto& surface = places_.sheets[size_t(faces[0].sheet)].surface;
      if (surface != places_.sheets[size_t(faces[1].sheet)].surface) continue;
      for (const EdgePlace& p : places_.edges[e].places)
        if ((p.uv[0] - p.uv[1]).norm() > kSamePlace) apart_.insert(surface.get());
    }
  }

  TopoDS_Face emptyFace(int s) {
    const split::Sheet& sheet = n_.net.sheets[size_t(s)];
    const OffsetSheet& o = places_.sheets[size_t(s)];
    TopoDS_Face f;
    if (sheet.plane && !o.ramp) {
      const Frame& p = *sheet.plane;
      const Vec3 at = p.origin + o.distanceMm * p.normal(), n = p.normal();
      BRep_Builder().MakeFace(f, new Geom_Plane(gp_Ax3(toPnt(at), gp_Dir(n.x(), n.y(), n.z()), gp_Dir(p.x.x(), p.x.y(), p.x.z()))),
                              1e-7);
    } else {
      BRep_Builder().MakeFace(f, kernelSurface(o.surface), 1e-7);
    }
    return f;
  }

  /// A curve of an offset's domain in the kernel's parameters: planes have their own.
  Handle(Geom2d_Curve) kernelImage(int s, const nurbs::Spline& image) const {
    const split::Sheet& sheet = n_.net.sheets[size_t(s)];
    const OffsetSheet& o = places_.sheets[size_t(s)];
    return toDomain(image, [&](const Vec2& p) { return sheet.plane && !o.ramp ? sheet.spline.kernelPlace(o.low + p.cwiseProduct(o.size)) : p; });
  }

  void makeEdge(int e) {
    const split::OldEdge& old = n_.net.edges[size_t(e)];
    const KnownEdge& x = n_.edges[size_t(e)];
    BRep_Builder builder;
    TopoDS_Edge edge;
    Handle(Geom_Curve) curve;
    if (old.pole) {
      const FaceAt& f = x.faces.front();
      const OffsetSheet& o = places_.sheets[size_t(f.sheet)];
      Points ends(2, 3);
      for (int k = 0; k < 2; ++k) {
        const Vec2 p = o.place(n_.imageOf(f, k ? old.last : old.first));
        ends.row(k) << p.x(), p.y(), 0;
      }
      builder.MakeEdge(edge);
      builder.UpdateEdge(edge, kernelImage(f.sheet, nurbs::Spline::trusted(1, nurbs::uniformKnots(1, 1), ends)),
                         shells_[size_t(f.sheet)], 1e-7);
      builder.Degenerated(edge, true);
    } else {
      const nurbs::SectionCurve& c = fitted_[size_t(e)];
      curve = toCurve(c.curve);
      double tolerance = std::max(2 * c.deviationMm, 1e-5);
      builder.MakeEdge(edge, curve, tolerance);
      const auto image = [&](size_t k) { return kernelImage(x.faces[k].sheet, c.images[k]); };
      if (x.kind == EdgeKind::Seam) {
        // The first image is the one of the use that runs with the edge.
        const split::Sheet& s = n_.net.sheets[size_t(x.faces[0].sheet)];
        const bool turned = s.border[size_t(x.faces[0].use)].reversed;
        builder.UpdateEdge(edge, image(turned), image(!turned), shells_[size_t(x.faces[0].sheet)], tolerance);
      } else {
        for (size_t k = 0; k < x.faces.size(); ++k)
          builder.UpdateEdge(edge, image(k), shells_[size_t(x.faces[k].sheet)], tolerance);
      }
    }
    builder.Range(edge, 0, 1);
    builder.SameParameter(edge, true);
    builder.SameRange(edge, true);
    builder.Add(edge, out_.vertices[size_t(old.paves[0].vertex)].Oriented(TopAbs_FORWARD));
    builder.Add(edge, out_.vertices[size_t(old.paves[1].vertex)].Oriented(TopAbs_REVERSED));
    out_.edges.push_back(edge);
    out_.curves.push_back(curve);
  }

  void fillFace(int s) {
    const split::Sheet& sheet = n_.net.sheets[size_t(s)];
    BRep_Builder builder;
    TopoDS_Face face = shells_[size_t(s)];
    for (TopExp_Explorer w(sheet.shape, TopAbs_WIRE); w.More(); w.Next()) {
      TopoDS_Wire wire;
      builder.MakeWire(wire);
      for (TopExp_Explorer e(w.Current(), TopAbs_EDGE); e.More(); e.Next())
        builder.Add(wire, out_.edges[size_t(n_.net.edgeMap.FindIndex(e.Current())) - 1].Oriented(e.Current().Orientation()));
      wire.Closed(true);
      builder.Add(face, wire);
    }
    NamedFace named{TopoDS::Face(face.Oriented(sheet.orientation)), n_.names[size_t(s)], {}};
    const OffsetSheet& o = places_.sheets[size_t(s)];
    const bool whole = ds_.none() || std::all_of(sheet.border.begin(), sheet.border.end(), [&](const split::EdgeUse& use) {
      return n_.net.edges[size_t(use.edge)].pole || places_.edges[size_t(use.edge)].kept; // else it is cut at a kink or a rim
    });
    if (sheet.spline.untrimmed() && !o.larger && !sheet.plane && whole)
      named.natural = NaturalFace{o.surface, sheet.orientation == TopAbs_REVERSED, n_.sideNames[size_t(s)], {}};
    out_.faces.push_back(std::move(named));
  }

  /// The box of its domain that a face fills.
  std::pair<Vec2, Vec2> filled(int sheet) const {
    Vec2 low = Vec2::Constant(1e300), high = -low;
    for (const split::EdgeUse& use : n_.net.sheets[size_t(sheet)].border)
      for (size_t k = 0; k < n_.edges[size_t(use.edge)].faces.size(); ++k)
        for (const EdgePlace& p : places_.edges[size_t(use.edge)].places)
          if (n_.edges[size_t(use.edge)].faces[k].sheet == sheet) low = low.cwiseMin(p.uv[k]), high = high.cwiseMax(p.uv[k]);
    low = low.cwiseMax(0.0), high = high.cwiseMin(1.0);
    if (((high - low).array() <= 0).any() || places_.sheets[size_t(sheet)].surface->closedU()) return {Vec2::Zero(), Vec2::Ones()};
    return {low, high};
  }

  /// Of any of the parts of one spline.
  bool near(int first, const Vec3& p, double mm) const {
    for (size_t k = 0; k < n_.net.sheets.size(); ++k)
      if (n_.firstOn[k] == first && n_.net.sheets[k].near({p, p}, mm)) return true;
    return false;
  }
  bool inside(int first, const Vec2& uv) const {
    for (size_t k = 0; k < n_.net.sheets.size(); ++k)
      if (n_.firstOn[k] == first && n_.net.sheets[k].spline.inside(uv)) return true;
    return false;
  }

  /// No part of the offset comes nearer to the body than its distance: else it runs into another part, or folds.
  Expected<void> checkClearance() const {
    if (ds_.none()) return {};
    for (size_t s = 0; s < n_.net.sheets.size(); ++s) {
      const TopoDS_Face face = TopoDS::Face(out_.faces[s].face.Oriented(TopAbs_FORWARD));
      BRepTopAdaptor_FClass2d within(face, 1e-9);
      const OffsetSheet& o = places_.sheets[s];
      const split::Sheet& from = n_.net.sheets[s];
      const auto [low, high] = filled(int(s));
      const double part = (high - low).maxCoeff();
      const int across = std::clamp(int(std::lround(kAcross * std::sqrt(part))), kLeastAcross, kAcross);
      for (int i = 0; i < across; ++i)
        for (int j = 0; j < across; ++j) {
          if (cx_.stopped()) return fail(cancelled());
          const Vec2 uv = low + Vec2((i + 0.5) / across, (j + 0.5) / across).cwiseProduct(high - low), old = o.low + uv.cwiseProduct(o.size),
              kernel = from.plane && !o.ramp ? from.spline.kernelPlace(old) : uv;
          const double d = std::abs(o.ramp ? o.ramp->at(o.stripPlace(uv)) : ds_.mm[s]), least = d - std::max(kNearer * d, 0.5 * cx_.tolerances.fit.mm);
          if (within.Perform(gp_Pnt2d(kernel.x(), kernel.y())) != TopAbs_IN) continue;
          const Vec3 p = o.surface->at(uv.x(), uv.y());
          for (size_t k = 0; k < n_.net.sheets.size(); ++k) {
            const split::Sheet& other = n_.net.sheets[k];
            if (n_.firstOn[k] != int(k) || !near(int(k), p, d)) continue; // of the parts of a spline one stands for all
            const split::Sheet::Foot f = other.foot(p);
            const double away = (p - f.point).norm();
            if (f.beyond || away >= least || !inside(int(k), f.uv)) continue;
            return fail(problem("LM-T005", "the wall runs into another part of the skin")
                            .measure(millimetres(away))
                            .want(millimetres(d))
                            .at(f.point)
                            .tryThis("take a smaller distance"));
          }
        }
    }
    return {};
  }

  const LayerNet& n_;
  const Distances& ds_;
  bool ramped_ = std::any_of(ds_.ramps.begin(), ds_.ramps.end(), [](const auto& r) { return r != nullptr; });
  bool flat_;
  const Context& cx_;
  LayerPlaces places_;
  std::vector<nurbs::SectionCurve> fitted_;
  std::vector<TopoDS_Face> shells_;
  std::map<const nurbs::Surface*, Handle(Geom_Surface)> surfaces_;
  std::set<const nurbs::Surface*> apart_; ///< not shared by faces
  Layer out_;
};

} // namespace

Expected<Layer> layerAt(const LayerNet& n, const Distances& distances, bool flatRims, const Context& cx) {
  return Builder(n, distances, flatRims, cx).run();
}

} // namespace lumsk::brep::offset

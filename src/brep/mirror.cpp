#include "brep/mirror.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/placed.h"
#include "brep/skin.h"
#include "nurbs/joins/side_conditions.h"

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepClass_FaceClassifier.hxx>
#include <BRepTools.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

struct Extreme {
  double mm = 0.0;
  Vec3 at = Vec3::Zero();
};

class Joiner {
public:
  Joiner(const Body& half, const Frame& plane, const MirrorOptions& o, const Context& cx)
      : half_(half), plane_(plane), o_(o), cx_(cx), near_(o.largestGap.mm) {}

  Expected<Mirrored> run() {
    LUMSK_CHECK(checkSides());
    LUMSK_CHECK(checkMeets());
    Mirrored out;
    std::vector<NamedFace> all;
    LUMSK_TRY(image, mirrored(half_, plane_, o_.step));
    const auto own = namedFaces(half_), images = namedFaces(*image);
    for (size_t i = 0; i < own.size(); ++i) {
      if (inPlane(own[i].face)) continue; // between the halves of a solid
      const auto sides =
          o_.mergeSeam && own[i].natural ? sidesInPlane(*own[i].natural->surface) : std::vector<nurbs::Side>{};
      if (sides.empty()) {
        all.push_back(own[i]);
        all.push_back(images[i]);
        continue;
      }
      const auto joined = nurbs::joinedWithImage(*own[i].natural->surface, sides, plane_, cx_.tolerances.fit);
      const NaturalFace f = onSurface(*own[i].natural, std::make_shared<const nurbs::Surface>(joined.surface));
      all.push_back({naturalFace(*f.surface, f.reversed, cx_.tolerances.point), own[i].name, f});
      ++out.merged;
      out.mergedOffMm = std::max(out.mergedOffMm, joined.offMm);
    }
    LUMSK_TRY(knitted, knitFaces(all, {std::max(2 * near_, cx_.tolerances.point.mm)}, cx_));
    out.body = knitted.body;
    return out;
  }

private:
  double distance(const gp_Pnt& p) const { return (toVec(p) - plane_.origin).dot(plane_.normal()); }

  /// The half must lie on one side of the plane.
  Expected<void> checkSides() const {
    Extreme above, below;
    for (const NamedFace& named : namedFaces(half_)) {
      const TopoDS_Face& f = named.face;
      double u0, u1, v0, v1;
      BRepTools::UVBounds(f, u0, u1, v0, v1);
      const BRepAdaptor_Surface s(f);
      for (int i = 0; i <= 24; ++i)
        for (int j = 0; j <= 24; ++j) {
          const double u = u0 + (u1 - u0) * i / 24, v = v0 + (v1 - v0) * j / 24;
          const gp_Pnt p = s.Value(u, v);
          const double d = distance(p);
          Extreme& e = d > 0 ? above : below;
          if (std::abs(d) <= e.mm || std::abs(d) <= near_) continue;
          if (named.natural || BRepClass_FaceClassifier(f, gp_Pnt2d(u, v), 1e-7).State() != TopAbs_OUT)
            e = {std::abs(d), toVec(p)};
        }
    }
    const Extreme& less = above.mm < below.mm ? above : below;
    if (less.mm <= near_) return {};
    return fail(problem("LM-M001", "the half crosses its mirror plane")
                    .measure(millimetres(less.mm))
                    .want(millimetres(near_))
                    .at(less.at)
                    .tryThis("trim it by the plane first, or choose another plane"));
  }

  /// Largest distance of an edge from the plane.
  Extreme farthest(const TopoDS_Edge& e) const {
    Extreme out;
    const BRepAdaptor_Curve c(e);
    for (int i = 0; i <= 24; ++i) {
      const gp_Pnt p = c.Value(c.FirstParameter() + (c.LastParameter() - c.FirstParameter()) * i / 24);
      if (const double d = std::abs(distance(p)); d >= out.mm) out = {d, toVec(p)};
    }
    return out;
  }

  Expected<void> checkMeets() const {
    Extreme nearest{1e300};
    for (const TopoDS_Edge& e : edges(half_)) {
      if (BRep_Tool::Degenerated(e)) continue;
      if (const Extreme x = farthest(e); x.mm < nearest.mm) nearest = x;
    }
    if (nearest.mm <= near_) return {};
    return fail(
        problem("LM-M002", "the half does not reach its mirror plane: no edge lies in it")
            .measure(millimetres(nearest.mm))
            .want(millimetres(near_))
            .at(nearest.at)
            .tryThis("extend or trim it to the plane, choose another plane, or keep the image as a body of its own"));
  }

  bool inPlane(const TopoDS_Face& f) const {
    for (TopExp_Explorer e(f, TopAbs_EDGE); e.More(); e.Next())
      if (const TopoDS_Edge edge = TopoDS::Edge(e.Current());
          !BRep_Tool::Degenerated(edge) && farthest(edge).mm > near_)
        return false;
    double u0, u1, v0, v1;
    BRepTools::UVBounds(f, u0, u1, v0, v1);
    return std::abs(distance(BRepAdaptor_Surface(f).Value(0.5 * (u0 + u1), 0.5 * (v0 + v1)))) <= near_;
  }

  std::vector<nurbs::Side> sidesInPlane(const nurbs::Surface& s) const {
    const auto lies = [&](nurbs::Side side) {
      for (int i = 0; i <= 24; ++i) {
        const double f = i / 24.0, u = s.firstU() + f * (s.lastU() - s.firstU()),
                     v = s.firstV() + f * (s.lastV() - s.firstV());
        const Vec3 p = side == nurbs::FirstU   ? s.at(s.firstU(), v)
                       : side == nurbs::LastU  ? s.at(s.lastU(), v)
                       : side == nurbs::FirstV ? s.at(u, s.firstV())
                                               : s.at(u, s.lastV());
        if (std::abs(distance(toPnt(p))) > near_) return false;
      }
      return true;
    };
    std::vector<nurbs::Side> out;
    if (!s.closedU())
      for (nurbs::Side side : {nurbs::FirstU, nurbs::LastU})
        if (lies(side)) out.push_back(side);
    if (out.empty())
      for (nurbs::Side side : {nurbs::FirstV, nurbs::LastV})
        if (out.empty() && lies(side)) out.push_back(side);
    return out;
  }

  const Body& half_;
  const Frame& plane_;
  const MirrorOptions& o_;
  const Context& cx_;
  double near_;
};

} // namespace

Expected<BodyPtr> mirrored(const Body& b, const Frame& plane, const std::string& step) {
  return placed(b, nurbs::reflectionIn(plane), [&](const std::string& source) { return faceName(step, "image", source); });
}

Expected<Mirrored> joinWithImage(const Body& half, const Frame& plane, const MirrorOptions& options,
                                 const Context& cx) {
  return guarded("mirroring", [&] { return Joiner(half, plane, options, cx).run(); });
}

} // namespace lumsk::brep

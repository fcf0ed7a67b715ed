#pragma once
#include "base/context.h"
#include "brep/body.h"
#include "nurbs/curves/blend_curve.h"
#include "nurbs/joins/neighbour.h"
#include "nurbs/on_skin/surface_curves.h"

namespace lumsk::brep {

/// A place on a body.
struct PlaceOnBody {
  int face = -1;
  Vec2 uv = Vec2::Zero(); ///< of the face's spline
  Vec3 point = Vec3::Zero(), normal = Vec3::Zero();
  double distanceMm = 0.0;
};

/// Curves that were found on a body, whole across its faces, longest first.
struct FoundCurves {
  std::vector<nurbs::Path> curves;
  std::vector<Vec3> touches; ///< lone places of contact
  double deviationMm = 0.0;  ///< from the true curves
  bool contact = false;      ///< some of them are contact without crossing
};

/// The faces of a body, or one of them, as splines with their borders, made ready for finding curves on them. Faces
/// that are polynomial splines are taken as they are, others within `fit`. The body must outlive it; for use by one
/// thread.
class BodyFaces {
public:
  static Expected<BodyFaces> of(const Body& b, int face, const Context& cx); ///< face -1: all
  BodyFaces(BodyFaces&&) noexcept;
  ~BodyFaces();

  /// The nearest place; nothing when the body has no faces, or its foot lies beyond a border, as it may for places on one.
  std::optional<PlaceOnBody> nearest(const Vec3& p) const;
  /// How far the farthest of some places of a path lies from it, mm; `carriedOn`: also beyond its borders.
  double farthest(const nurbs::Path& path, bool carriedOn = false) const;
  /// Curvature of the normal section in a direction.
  nurbs::NormalSection normalSection(const PlaceOnBody& at, const Vec3& direction) const;
  /// A curve's end that leaves a place in the skin, as near to a direction as it can, bending as the skin does that
  /// way. Nothing where the direction stands square on the skin.
  std::optional<nurbs::BlendEnd> endWithin(const PlaceOnBody& at, const Vec3& direction) const;
  /// Whether a path near another one lies to the left of it, seen from the normals' side.
  bool leftOf(const nurbs::Path& path, const nurbs::Path& of) const;
  /// Places of the first face by fractions of its parameters from border to border, and the fractions of the nearest one.
  Vec3 placeAt(const Vec2& fractions) const;
  Vec2 fractionsAt(const Vec3& p) const;
  /// The surface of the nearest face beside a point, carried on beyond its border; the normal is the outside's. Unlike
  /// `nearest` it has a place for those on borders, too.
  std::optional<nurbs::NeighbourPlace> beside(const Vec3& p) const;
  /// Where the surfaces meet, both within their borders; a face does not meet itself.
  Expected<FoundCurves> meeting(const BodyFaces& other, const Context& cx) const;
  Expected<FoundCurves> cutBy(const Frame& plane, const Context& cx) const;
  /// Where the surface turns out of sight for somebody who looks along the direction from far away.
  Expected<FoundCurves> silhouette(const Vec3& direction, const Context& cx) const;
  /// Places as far from a curve as `mm` says, measured straight.
  Expected<FoundCurves> apartFrom(const nurbs::Path& path, double mm, const Context& cx) const;
  /// The image of a path along a direction, on both of its sides; `nearestOnly` keeps what is met first from the path.
  Expected<FoundCurves> projected(const nurbs::Path& path, const Vec3& direction, bool nearestOnly,
                                  const Context& cx) const;
  /// The nearest places of all places of a path, where these lie inside faces or on edges between them.
  Expected<FoundCurves> pulledOnto(const nurbs::Path& path, const Context& cx) const;
  /// The isoparametric curve of one face through the place nearest to a point, as far as the face goes.
  Expected<FoundCurves> isoparametric(const Vec3& near, bool alongU, const Context& cx) const;
  /// As above at a fraction of the first face's parameter across the curve.
  Expected<FoundCurves> isoparametricAt(double fraction, bool alongU, const Context& cx) const;

private:
  struct Face;
  BodyFaces();
  Expected<FoundCurves> zeros(const std::function<nurbs::Field(const Face&)>& field, double touch,
                              const Context& cx) const;
  Expected<FoundCurves> isoparametric(const Face& f, const Vec2& through, bool alongU, const Context& cx) const;
  FoundCurves whole(std::vector<nurbs::CurvesOnSurface> pieces, const Context& cx) const;
  std::vector<std::unique_ptr<Face>> faces_;
};

} // namespace lumsk::brep

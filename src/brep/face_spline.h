#pragma once
#include "base/context.h"
#include "brep/body.h"

namespace lumsk::brep {

class FaceBorder;

/// A part of the domain of a face's surface, in the kernel's parameters.
struct FaceBox {
  Vec2 low = Vec2::Zero(), high = Vec2::Ones();
};
/// What each face of a body fills of its surface; of those that are parts of one surface all that they fill together.
std::vector<FaceBox> commonBoxes(const Body& b);

/// A face as a spline over the part of its domain that it fills, with its border: what curves on it are found with. For
/// use by one thread.
class FaceSpline {
public:
  /// Untrimmed faces and polynomial splines are taken as they are, others within half of `fit`. `box`: what is taken of
  /// the surface; without one what the face fills.
  static Expected<FaceSpline> of(const TopoDS_Face& f, const NaturalFace* natural, const Context& cx, const FaceBox* box = nullptr);
  FaceSpline(FaceSpline&&) noexcept;
  FaceSpline& operator=(FaceSpline&&) noexcept;
  ~FaceSpline();

  const TopoDS_Face& shape() const { return shape_; }
  const std::shared_ptr<const nurbs::Surface>& surface() const { return surface_; }
  bool reversed() const { return reversed_; } ///< the face's outside is against S_u x S_v
  bool untrimmed() const { return !border_; }
  double deviationMm() const { return deviationMm_; } ///< from the face
  /// The kernel's parameters of a place of the spline's domain, and how much they are of one of its own.
  Vec2 kernelPlace(const Vec2& uv) const;
  Vec2 kernelScale() const { return scale_; }
  Vec2 place(const Vec2& kernelPlace) const;
  /// Whether a place of the domain lies within the face's border.
  bool inside(const Vec2& uv) const;

private:
  FaceSpline();
  TopoDS_Face shape_;
  std::shared_ptr<const nurbs::Surface> surface_;
  bool reversed_ = false;
  double deviationMm_ = 0.0;
  std::unique_ptr<FaceBorder> border_;
  Vec2 low_ = Vec2::Zero(), scale_ = Vec2::Ones();
};

} // namespace lumsk::brep

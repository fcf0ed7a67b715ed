#pragma once
#include "base/vec.h"

#include <BRepTopAdaptor_FClass2d.hxx>

#include <vector>

namespace lumsk::brep {

/// The border of a trimmed face in the domain of its surface, in the kernel's parameters. The kernel says what lies within;
/// where it is asked often a raster is laid over the domain, of whose cells those without a border lie within or without as
/// their middles do. For use by one thread.
class FaceBorder {
public:
  explicit FaceBorder(const TopoDS_Face& face);
  /// Places on the border count.
  bool inside(const Vec2& p);

private:
  enum class Cell : char { Unknown, Inside, Outside, Border };
  void layRaster();
  void mark(const Vec2& low, const Vec2& high);
  bool asked(const Vec2& p) const;

  TopoDS_Face face_;
  BRepTopAdaptor_FClass2d kernel_;
  int calls_ = 0;
  Vec2 low_ = Vec2::Zero(), cell_ = Vec2::Ones();
  std::vector<Cell> raster_; ///< empty: none is laid
};

} // namespace lumsk::brep

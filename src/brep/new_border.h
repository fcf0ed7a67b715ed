#pragma once
#include "brep/body.h"
#include "nurbs/core/path.h"

#include <array>
#include <optional>

namespace lumsk::brep {

/// What a face gets in place of a stretch of its border.
struct NewBorder {
  nurbs::Path gone; ///< along edges of the face and beyond it; ends that fade may lie within an edge
  nurbs::Path now;  ///< on the face, in the same direction; closed where all of a border goes
  /// Ends at which the border goes on as it was: both paths end there together. At the others `now` goes beyond the edges that
  /// come before and after, which end where it crosses them.
  std::array<bool, 2> fades{};
};

/// A face with another border, its surface as it was. Curves that leave a border tangentially divide no face cleanly; they replace
/// it. Nothing where no border of the face runs along what goes, where edges are not crossed within `nearMm`, or the face is none then.
std::optional<TopoDS_Face> withBorder(const TopoDS_Face& face, const NewBorder& border, double nearMm);

/// Whether edges of a face, or parts of them, run along a path.
bool runsBeside(const TopoDS_Face& face, const nurbs::Path& path, double nearMm);

/// A face whose corner at a place is cut off along a path between the two edges that meet there.
std::optional<TopoDS_Face> withoutCorner(const TopoDS_Face& face, const Vec3& corner, const nurbs::Path& along, double nearMm);

} // namespace lumsk::brep

#pragma once
#include "inspect/fields.h"

namespace lumsk::inspect {

/// One line of a cut: points on the form and in the plane, and how the line bends at each (curvature vector in the
/// plane, 1/mm, towards the centre of curvature).
struct CutLine {
  std::vector<Vec3> points, bend;
  bool closed = false;
};

/// Distance across the material inside the plane, between two places of the cut.
struct CutWall {
  double mm = 0.0;
  Vec3 from = Vec3::Zero(), to = Vec3::Zero();
};

/// A form cut by a plane.
struct Cut {
  Frame plane;
  std::vector<CutLine> lines;
  double lengthMm = 0.0;
  double areaMm2 = 0.0;                         ///< of the material, solids only
  Vec2 low = Vec2::Zero(), high = Vec2::Zero(); ///< box in the plane's own x and y, mm
  std::optional<CutWall> thinnest;              ///< solids only
  bool empty() const { return lines.empty(); }
};

/// The cut of the meshes by a plane, its points brought onto the surfaces themselves; bends from the surfaces' second
/// derivatives by Meusnier's theorem (1776). Lines of neighbouring faces are joined within `joinMm`.
Cut cutOf(const MeasuredForm& form, const Frame& plane, double joinMm = 0.05);

/// Triangles that fill the closed lines of a cut by the even-odd rule, for drawing.
std::vector<std::array<Vec3, 3>> fillOf(const Cut& cut);

/// Distance across the material from a place of the cut's line along the direction into it; nothing when the ray
/// meets no other line.
std::optional<CutWall> cutWallAt(const Cut& cut, const Vec3& from, const Vec3& unitInPlane);

} // namespace lumsk::inspect

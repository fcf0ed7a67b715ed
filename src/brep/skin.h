#pragma once
#include "base/context.h"
#include "brep/body.h"

#include <TopTools_ListOfShape.hxx>

#include <optional>

namespace lumsk::brep {

/// A face to be built: its spline and its lasting name.
struct NamedSurface {
  std::shared_ptr<const nurbs::Surface> surface;
  std::string name;
  bool reversed = false;
  std::array<std::string, 4> sides{}; ///< see `NaturalFace`
  std::array<Meets, 4> asked{};       ///< likewise
};

/// Skin from untrimmed faces that share whole borders (one face: no sewing). Fails with LM-K002 when the result is
/// not valid.
Expected<BodyPtr> skinFromSurfaces(const std::vector<NamedSurface>& surfaces, const Context& cx);

/// The untrimmed face of a spline surface.
TopoDS_Face naturalFace(const nurbs::Surface& s, bool reversed, LengthTolerance point);

/// The untrimmed polynomial spline that a face of foreign origin is, with its whole domain as its border; nothing for
/// trimmed, rational and other faces, and for those that are closed across v.
std::optional<NaturalFace> naturalOf(const TopoDS_Face& f);

/// The corners of the box around a shape.
std::array<Vec3, 8> boxCorners(const TopoDS_Shape& s);

/// Volume by the faces' orientations, and area: about to a thousandth, wherever the shape lies.
struct Mass {
  double volumeMm3 = 0.0, areaMm2 = 0.0;
};
Mass massOf(const TopoDS_Shape& s);
/// The share of some faces in it, as cones from a place.
Mass massOf(const TopoDS_Shape& s, const Vec3& from);

/// Checks that a shape is valid and, when it must be a solid, closed with positive volume (turned over if need be).
/// Fails with LM-K002, LM-K003 (open where it should be closed; places given), LM-K004 (edge tolerance above 0.1 mm) or
/// LM-K008 (next to no volume between its faces).
Expected<TopoDS_Shape> checkedSolid(const TopoDS_Shape& shellOrSolid);
Expected<void> checkValid(const TopoDS_Shape& s);
/// An edge or vertex that is rougher than the first is worth a note, than the second a problem.
constexpr double kNotedToleranceMm = 0.01, kRefusedToleranceMm = 0.1;
/// Largest tolerance of edges and vertices, mm.
double largestTolerance(const TopoDS_Shape& s);
/// Whether its edges and vertices lie where its faces end, by a hundredth of its size: the kernel's own check takes any
/// tolerance that a file gives.
bool meetsClosely(const TopoDS_Shape& s);

} // namespace lumsk::brep

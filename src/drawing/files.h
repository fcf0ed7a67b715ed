#pragma once
#include "drawing/curves.h"
#include "nurbs/core/path.h"

namespace lumsk::drawing {

/// What a file of drawings holds, in mm in the plane z = 0.
struct FileCurves {
  std::vector<nurbs::Segment> segments;
  std::vector<Problem> notes; ///< LM-U140 what was left out
};

/// Lines, arcs, circles, ellipses, splines, polylines with their bulges; blocks flattened; by the file's unit, mm where it
/// says none. Fails with LM-U040 (cannot be read), LM-U041 (nothing to draw), LM-U042 (too much: 50,000 pieces).
Expected<FileCurves> fromDxf(const std::string& bytes);
/// Paths, lines, polylines, polygons, rectangles, circles and ellipses with their transforms; upwards is up; by the size
/// that the file states, else 96 units an inch. Fails likewise.
Expected<FileCurves> fromSvg(const std::string& bytes);

/// A path in the plane z = 0 as it goes into a file.
struct LayeredPath {
  nurbs::Path path;
  std::string layer = "0"; ///< a word
  bool dashed = false;
};
std::vector<LayeredPath> layered(const Chains& c);

/// Paths of an SVG in mm, a group a layer: lines, arcs, splines as Bezier pieces of degree 3 (others within `fitMm`).
std::string toSvg(const std::vector<LayeredPath>& paths, double fitMm);
/// A DXF in mm by layers: lines, arcs, circles, polylines of splines within `fitMm`.
std::string toDxf(const std::vector<LayeredPath>& paths, double fitMm);

} // namespace lumsk::drawing

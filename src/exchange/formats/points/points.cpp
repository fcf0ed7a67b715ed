#include "exchange/files.h"
#include "exchange/format.h"

#include "base/text.h"

namespace lumsk::exchange {

namespace formats_ {
Format points();
}

namespace {

/// The table of points that curves are brought in from: x y z in mm a line, an empty line between curves, names as
/// comments.
Expected<void> writePoints(const std::string& path, const Contents& contents) {
  std::string out = "# x y z in mm\n";
  for (const NamedCurve& c : contents.curves) {
    out += "\n# " + oneLine(c.name) + "\n";
    const Points p = nurbs::polylineWithin(*c.curve, contents.nearMm);
    for (Eigen::Index i = 0; i < p.rows(); ++i) out += formatNumber(p(i, 0), 12) + " " + formatNumber(p(i, 1), 12) + " " + formatNumber(p(i, 2), 12) + "\n";
  }
  return replaceFile(path, out);
}

} // namespace

Format formats_::points() {
  Format f{"points", "points along curves, as a table", {".txt", ".csv", ".xyz"}, Form::Points, {}, writePoints};
  f.carries.curves = f.carries.names = true;
  return f;
}

} // namespace lumsk::exchange

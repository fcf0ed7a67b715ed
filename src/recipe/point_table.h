#pragma once
#include "base/problem.h"

namespace lumsk::recipe {

/// Reads a table of points: x y z in mm a line, separated by space, tab, comma or semicolon; # starts a comment; a
/// blank line starts the next curve. Returns one n x 3 matrix a curve. Fails with LM-F010 naming the line, LM-F011 when
/// there are no points, LM-F012 for more than a million.
Expected<std::vector<Points>> readPointTable(const std::string& text);

} // namespace lumsk::recipe

#pragma once
#include "base/problem.h"

#include <map>
#include <string>

namespace lumsk::recipe {

/// Named values that an expression may use.
using Names = std::map<std::string, Quantity>;

/// Evaluates "d_tube/2 + 3 mm": numbers with units (mm, cm, m, in, ft, deg, rad), names, + - * / ^, parentheses, and
/// functions (sin, cos, tan, asin, acos, atan, sqrt, abs, min, max, round, floor, ceil, hypot); pi. A plain number
/// takes the wanted dimension. Trigonometry takes degrees. A comma between digits outside function calls is a decimal
/// mark. Dimensions are checked by evaluating under two scales of every unit. Fails with LM-E001 (cannot be read),
/// LM-E002 (unknown name), LM-E003 (wrong dimension), LM-E004 (not a finite number).
Expected<Quantity> evaluate(const std::string& text, Dimension wanted, const Names& names);

/// Names that the text uses (for order and cycles).
std::vector<std::string> namesIn(const std::string& text);

/// Letters, digits and underscores, a letter first, and no unit or function: else LM-E005.
Expected<void> checkName(const std::string& name);

} // namespace lumsk::recipe

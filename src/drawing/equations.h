#pragma once
#include "drawing/law_rows.h"
#include "drawing/value.h"

#include <map>

namespace lumsk::drawing {

/// A drawing as equations between variables: coordinates of points first (x and y of each), then sizes, then what helps.
struct Equations {
  struct Same {
    int a, b, relation;
  };
  struct Held {
    int of;
    double value;
    int relation;
  };
  /// A variable that is a sum of others: control points of splines through points, a place that is pulled.
  struct Sum {
    int of;
    std::vector<std::pair<int, double>> parts;
  };
  /// An arc's centre, start and end; its sweep must neither vanish nor wrap while things move.
  struct Arc {
    int centre, start, end;
    double sign;
  };
  std::vector<double> start; ///< of all variables
  std::vector<Row> rows;
  std::vector<SplineForm> splines;
  std::vector<Same> same;
  std::vector<Held> held;
  std::vector<Sum> sums;
  std::vector<Arc> arcs;
  std::vector<int> positive;              ///< sizes
  std::vector<std::array<int, 2>> legs;   ///< pairs of points whose direction counts: lines, radii, ends of splines
  std::map<Id, int> sizeOf;               ///< variable of an entity's size
  double size = 1;                        ///< of the drawing, mm

  int add(double value) {
    start.push_back(value);
    return int(start.size()) - 1;
  }
};

/// Fails with LM-U003 (a relation that does not fit what it is of), LM-U004 (a dimension that cannot be so).
Expected<Equations> equationsOf(const Drawing& d);

/// The angle through which an arc runs, radians in (0, 2 pi].
double sweepOf(const Equations::Arc& a, const std::vector<double>& p);

} // namespace lumsk::drawing

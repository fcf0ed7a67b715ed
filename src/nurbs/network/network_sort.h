#pragma once
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/meet.h"

namespace lumsk::nurbs {

/// A curve of a network.
struct NetworkCurve {
  Path path;
  int family = 0; ///< 0: found by itself; 1 or 2: the person's choice
  int rank = 0; ///< the lower ones decide which family is the first and how both are directed; lasts as the picks turn
  bool leftOut = false; ///< not one of the network, for now
};

/// One place of a network's grid: where a curve of the first family meets one of the second.
struct GridPoint {
  double along = 0.0;  ///< arc length on the first family's curve, in its direction of use; mm
  double across = 0.0; ///< arc length on the second family's curve
  Vec3 at = Vec3::Zero();
  double gapMm = 0.0;
};

/// A curve as the network runs through it.
struct SortedCurve {
  int index = -1; ///< of the picked curve; -1: a pole, where all curves of the other family meet
  bool reversed = false;
};

/// A network in order: the first family's curves run along u and are placed along v ("rows"), the second family's run
/// along v ("columns"). Rows may be closed, and the first or last of them may be a pole.
struct SortedNetwork {
  std::vector<SortedCurve> rows, columns;
  bool closed = false;                      ///< the rows are; then columns are ordered around
  std::vector<std::vector<GridPoint>> grid; ///< [row][column]; closed rows have the first column again at the end
  double largestGapMm = 0.0;
  std::vector<int> familyOf;    ///< of every picked curve: 1 rows, 2 columns, 0 left out
  std::vector<double> overhang; ///< of every picked curve: longest end beyond the outermost crossing, mm
  std::vector<Vec3> overhangAt; ///< the end that it is
  std::vector<int> unfinished;  ///< curves that cross only some of the other family: the rest was sorted without them
};

/// Separates curves into two families so that every one of the first meets every one of the second, finds the
/// crossings and brings both into order. Families follow from who meets whom: curves that do not meet are of one
/// family, curves that cross inside are of two; curves that meet with their ends may be a corner or a pole. Up to three
/// curves may cross only some of the other family.
/// Fails with LM-N001 (fewer than two in a family), LM-N002 (families that do not cross), LM-N003 (a pair crosses
/// twice), LM-N004 (three curves through one point), LM-N005 (a curve twice, or two on one another), LM-N006 (nearly
/// parallel), LM-N007 (gaps above the limit), LM-N009 (crossed in different orders), LM-N012 (open and closed mixed).
Expected<SortedNetwork> sortNetwork(const std::vector<NetworkCurve>& curves, const std::vector<ArcLength>& lengths,
                                    LengthTolerance largestGap, const Tolerances& tol);

} // namespace lumsk::nurbs

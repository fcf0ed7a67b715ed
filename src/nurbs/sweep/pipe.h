#pragma once
#include "nurbs/sweep/extrude.h"
#include "nurbs/sweep/sweep.h"

namespace lumsk::nurbs {

enum class PipeEnds {
  Flat,  ///< ready to be covered
  Round, ///< half balls; of hollow pipes half rings
  Open
};

struct PipeOptions {
  int sides = 0;               ///< of a regular section, one of them level below; 0: round
  std::optional<Path> profile; ///< a section of its own instead: closed, in a plane; its middle goes along the curve
  double acrossMm = 5.0;       ///< of round sections the diameter, of regular ones across flats: of the circle within
  double wallMm = 0.0;         ///< 0: not hollow
  std::function<double(double)> turnDeg, size; ///< by the fraction of the length; empty: none
  double turns = 0.0;
  PipeEnds ends = PipeEnds::Flat;
  RailCorners corners = RailCorners::Mitre;
  double cornerRadiusMm = 1.0;
};

struct PipeSkins {
  SweepResult outer;
  std::optional<SweepResult> inner;
  std::vector<Surface> caps; ///< round ends
  bool closed = false;       ///< along the curve
  double deviationMm() const;
};

/// A section carried along a curve by least twist: exactly round or regular, hollow or not. Fails with LM-Z001 (no
/// section, or none that can be), LM-Z002 (a wall that leaves no room), and as `sweep` does.
Expected<PipeSkins> pipe(const Path& along, const PipeOptions& options, const Context& cx);

/// Curves put end to end where ends lie within `point` of one another: at a place where more than two meet those that
/// go on with the least turning; not where one would turn back. Each of a path's curves has its number.
struct PipeRun {
  Path path;
  std::vector<int> curves;
};
/// Only curves of one kind (a number each) are put together.
Expected<std::vector<PipeRun>> runsOf(const std::vector<Path>& curves, const std::vector<int>& kinds, LengthTolerance point);

} // namespace lumsk::nurbs

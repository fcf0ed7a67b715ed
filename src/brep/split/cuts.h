#pragma once
#include "brep/split/net.h"

namespace lumsk::brep::split {

/// A body that cuts.
struct CutterSheets {
  int number = 0;
  std::vector<int> sheets; ///< those of bodies' faces
  double reachMm = 0;      ///< so far it may be carried on
};

// Cuts refer to sheets: once there are any, no more sheets are read, and the net stays where it is.

/// Finds the curves along which a cutter's faces meet sheets, within the borders of both. With `both` they get images on
/// the cutter's faces, too. Fails with LM-C002 where both lie on one another over an area (place).
Expected<void> findCuts(Net& net, const std::vector<int>& targets, const CutterSheets& by, bool both,
                        const Context& cx);

/// A path that lies on sheets, or near them: its feet are the cuts. Beyond its ends it goes on straight for `reachMm`.
Expected<void> imprint(Net& net, const std::vector<int>& targets, const nurbs::Path& path, int number, double reachMm,
                       const Context& cx);

/// Carries a cut on beyond its end (or its start) to where it leaves its sheet, if that is within `reachMm`, else by as
/// much. Gives whether it is longer now.
Expected<bool> carryOn(Net& net, Cut& cut, bool atEnd, double reachMm);
/// How far a cut would have to be carried on beyond an end to leave its sheet, mm; nothing where it does not lead there.
std::optional<double> toBorder(const Cut& cut, bool atEnd);

} // namespace lumsk::brep::split

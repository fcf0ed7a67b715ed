#pragma once
#include "nurbs/curves/correspond.h"

namespace lumsk::nurbs {

/// Where a profile stands on a rail: where its plane crosses the rail nearest to it; of a straight or twisted one, where
/// both come nearest.
struct Station {
  double fraction = 0.0; ///< of the rail's length
  Vec3 onRail = Vec3::Zero(), onProfile = Vec3::Zero();
  double ownFraction = 0.0; ///< of the profile's own length: its place nearest to the rail
  double gapMm = 0.0;
};
Station stationOf(const Section& profile, const Path& rail, LengthTolerance point);

/// How far a profile reaches from the rail where it stands, mm, and how far its plane leans from square to it there, degrees
/// (nought where it has none).
double reachMm(const Section& profile, const Station& at);
double leanDeg(const Section& profile, const Path& rail, const Station& at);

/// The same path seen through an affine map; joints stay joined as they were. Fails as `Path::make` where the map leaves
/// nothing of it.
Expected<Path> mapped(const Path& p, const Eigen::Affine3d& map, LengthTolerance point);

/// A closed rail as the two rails that open profiles have their ends on: divided half way between those of a single one,
/// or at two given places; of several, from the first to the last of them. Nothing where their ends do not lie on it.
std::optional<std::array<Path, 2>> bothSides(const Path& closed, const std::vector<Section>& profiles,
                                             const std::vector<Vec3>& dividedAt, LengthTolerance gap,
                                             LengthTolerance point);

} // namespace lumsk::nurbs

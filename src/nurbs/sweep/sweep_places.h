#pragma once
#include "nurbs/sweep/sweep.h"

namespace lumsk::nurbs {

constexpr double kSameStation = 1e-6;  ///< of a rail: profiles so near stand in one place
constexpr double kCopyCloseness = 1.4; ///< fitting a profile leaves so much less than `fit`

/// A rotation that turns one direction into another and no more.
inline Eigen::Quaterniond turning(const Vec3& from, const Vec3& to) { return Eigen::Quaterniond::FromTwoVectors(from, to); }
/// Unit.
Vec3 tangentAtStart(const Path& p);

Expected<Section> mappedSection(const Section& s, const Eigen::Affine3d& by, LengthTolerance point);

/// Brings profiles and rails together before anything is carried: all rails run one way, corners are rounded where that is
/// wanted, stations are found, profiles sorted along the rail and pulled onto rails that they all but touch. Gives the
/// rails; what is known of the profiles goes into the result. Fails as `sweep` does.
Expected<std::vector<Path>> placedOn(const std::vector<Section>& profiles, std::vector<Path> rails, const SweepOptions& options,
                                     SweepResult& out, const Context& cx);

} // namespace lumsk::nurbs

#pragma once
#include "brep/skin.h"
#include "nurbs/joins/side_conditions.h"
#include "nurbs/sweep/sweep.h"
#include "steps/common.h"

#include <functional>

namespace lumsk::steps {

// What the steps that make skins through curves share: their four sides, and which side is their front.

/// Keys of the fields for the four sides, which are the sides' names too.
const std::array<std::pair<nurbs::Side, const char*>, 4>& sideKeys();

/// Names of the sides of a face by the field that governs each and by what it was made from: "end:p3".
std::array<std::string, 4> sideNames(const std::array<std::string, 4>& sources);

/// What a side was asked for: of "perpendicular" and "g1" to "g3"; all else is nothing.
Meets askedOf(const std::string& continuity);

/// A field for what a side does: free, square to its mirror plane, into a neighbour with G1 to G3, or G3 at the plane.
recipe::Field sideMeets(const std::string& key, const std::string& label, const std::string& help);
Meets sideMeetsOf(const std::string& value);

/// The plane of all sides that meet one; without it each side's own plane counts.
recipe::Field mirrorPlaneField();
std::optional<Frame> mirrorPlane(const recipe::Inputs& in);

/// Whether the normals of a skin round something, or of half of it at a mirror plane, point to its inside. The front of
/// such skins is their outside.
bool facesInwards(const std::vector<nurbs::Surface>& strips, const std::optional<Frame>& mirror);

/// Faces of a swept skin round something, named by a role, by what it is of, and by the stretch and side of each; `item`: the
/// pick at both its ends.
void addSwept(std::vector<brep::NamedSurface>& to, const recipe::Inputs& in, const nurbs::SweepResult& r, const std::string& role, const std::string& which, const std::string& item);

/// " - wrinkle index 3.1"
std::string wrinkleWords(double index);

/// The note on a skin that is bumpy: its wrinkle index is above ten times that of the same curves made the other way, and where it bends most unevenly,
/// which is made only where the index is high at all; nothing comes of it where it cannot be made.
std::optional<Problem> bumpyNote(const std::string& code, const std::vector<nurbs::Surface>& skins,
                                 double index, const std::function<std::optional<double>()>& other,
                                 const std::string& otherWay, const std::string& remedy);

} // namespace lumsk::steps

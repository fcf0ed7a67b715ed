#pragma once
#include "nurbs/curves/regions.h"
#include "nurbs/sweep/extrude.h"
#include "steps/sections.h"
#include "steps/solids.h"

namespace lumsk::steps {

// What the steps that make plain skins of profiles share: extruding and revolving.

/// Profiles with their openings: of a picked face all of its borders.
struct PlainProfiles {
  std::vector<PickedSection> picked; ///< one a profile
  std::vector<std::string> names;    ///< of each in names of faces; empty of a single one
  std::vector<nurbs::Path> paths;
  nurbs::Nesting nest;
};
recipe::Field plainProfilesField(const std::string& what);
recipe::Field plainFacesField();
/// The fields "wall", "left" and "right": lines that are given a width.
void addWall(recipe::Schema& s);
/// Profiles as they are picked, or as borders of the walls along them. `squareTo`: the normal of the plane that the wall
/// along a straight line lies in. Fails as `sectionsIn` and `bandAlong` do.
Expected<PlainProfiles> plainProfilesIn(const recipe::Inputs& in, const std::function<std::optional<Vec3>(const nurbs::Path&)>& squareTo, const Context& cx);

/// The body of one of them. `reversed`: its faces' normals point to its inside.
Expected<brep::BodyPtr> plainBody(const recipe::Inputs& in, const nurbs::PlainSkin& skin, const PlainProfiles& profiles,
                                  size_t number, bool reversed, const Context& cx);

/// Adds to the summary what there is: " - 4 faces - 32 points - 0.0002 mm".
void sayPlain(recipe::Outcome& out, const std::vector<nurbs::PlainSkin>& skins);

/// A problem with one of several profiles names it.
Problem ofProfile(Problem p, const PlainProfiles& profiles, size_t number);

} // namespace lumsk::steps

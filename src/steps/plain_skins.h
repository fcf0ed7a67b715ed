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
Expected<PlainProfiles> plainProfilesIn(const recipe::Inputs& in, const Tolerances& tol);

/// The body of one of them. `reversed`: its faces' normals point to its inside.
Expected<brep::BodyPtr> plainBody(const recipe::Inputs& in, const nurbs::PlainSkin& skin, const PlainProfiles& profiles,
                                  size_t number, bool reversed, const Context& cx);

/// Adds to the summary what there is: " - 4 faces - 32 points - 0.0002 mm".
void sayPlain(recipe::Outcome& out, const std::vector<nurbs::PlainSkin>& skins);

/// A problem with one of several profiles names it.
Problem ofProfile(Problem p, const PlainProfiles& profiles, size_t number);

} // namespace lumsk::steps

#pragma once
#include "brep/combine.h"
#include "brep/rings.h"
#include "steps/common.h"

namespace lumsk::steps {

// Skins that become solids: their ends covered, added to or cut out of a target.

/// How outputs begin that are solids by themselves, which their step has combined with others.
constexpr const char* kAlone = "alone";

/// The fields "solid", "target" and "combine".
void addSolid(recipe::Schema& s, const std::string& help);
/// The latter two, while a field has a value, or has not.
void addTarget(recipe::Schema& s, const recipe::Condition& when);

/// A skin that a step made.
struct MadeSkin {
  brep::BodyPtr skin;
  bool closed = true;    ///< it can be covered
  /// Rings besides its openings that its solid is covered along, where these do not say it.
  std::vector<brep::Ring> covers = {};
  std::vector<int> holes = {}; ///< numbers of others that lie within it and make openings through its solid
  bool within = false;   ///< it is such a one
};

/// The skins covered, those within others as openings through them. Fails with LM-L034 where one cannot be covered, and as
/// covering and knitting do.
Expected<std::vector<brep::BodyPtr>> solidsOf(const recipe::Inputs& in, const std::vector<MadeSkin>& skins, const Context& cx);
/// Solids as they are, or added to picked targets or cut out of them; by themselves they are kept hidden then, to be repeated.
Expected<void> putSolids(recipe::Outcome& out, const recipe::Inputs& in, std::vector<brep::BodyPtr> solids, const Context& cx);

/// Solids added to the picked ones of a field, cut out of each, or what these have in common; they themselves are kept
/// hidden, to be repeated. Fails as `combined` does.
Expected<void> combineInto(recipe::Outcome& out, const recipe::Inputs& in, const std::string& field, brep::Combine how, const std::vector<brep::BodyPtr>& solids, const Context& cx);

/// The skins as they are; with `solid` both of these.
Expected<void> putOut(recipe::Outcome& out, const recipe::Inputs& in, const std::vector<MadeSkin>& skins,
                      const Context& cx);

} // namespace lumsk::steps

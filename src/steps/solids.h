#pragma once
#include "brep/rings.h"
#include "steps/common.h"

namespace lumsk::steps {

// Skins that become solids: their ends covered, added to or cut out of a target.

/// The fields "solid", "target" and "combine".
void addSolid(recipe::Schema& s, const std::string& help);

/// A skin that a step made.
struct MadeSkin {
  brep::BodyPtr skin;
  bool closed = true;    ///< it can be covered
  /// Rings besides its openings that its solid is covered along, where these do not say it.
  std::vector<brep::Ring> covers = {};
  std::vector<int> holes = {}; ///< numbers of others that lie within it and make openings through its solid
  bool within = false;   ///< it is such a one
};

/// The skins as they are; with `solid` covered, skins within others as openings through them, and with a target added
/// to it or cut out of it, one after the other. Fails with LM-L034 where one cannot be covered, and as covering, knitting
/// and combining do.
Expected<void> putOut(recipe::Outcome& out, const recipe::Inputs& in, const std::vector<MadeSkin>& skins,
                      const Context& cx);

} // namespace lumsk::steps

#pragma once
#include "nurbs/curves/correspond.h"
#include "steps/sections.h"

namespace lumsk::steps {

// Sections as constructions take them, and what is shown of them in the view: flags, pairs, notes on their alignment.

/// With the starts and directions that their items give.
std::vector<nurbs::Section> sectionsOf(const recipe::Inputs& in, const std::string& key,
                                       const std::vector<PickedSection>& picked);

/// Rows of the pairs are called by the pair and the item of the section: "p1.i3".
struct NamedPair {
  std::string name; ///< "p1"
  nurbs::PairLine at;
};
std::vector<NamedPair> pairsOf(const recipe::Inputs& in, const std::vector<PickedSection>& picked);

/// Squares on all sections for every pair, those that are free where they come to lie, and a line through them.
void showPairs(recipe::Outcome& out, const std::vector<NamedPair>& pairs, const std::vector<nurbs::Section>& sections,
               const nurbs::Alignment& a, const std::vector<PickedSection>& picked);

/// A flag at every section's start, pointing along it.
std::vector<recipe::Flag> sectionFlags(const std::vector<nurbs::Section>& sections, const nurbs::Alignment& alignment,
                                       const std::vector<PickedSection>& picked);

/// Says which directions and starts were changed.
void noteAlignment(recipe::Outcome& out, const nurbs::Alignment& alignment);

} // namespace lumsk::steps

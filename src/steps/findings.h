#pragma once
#include "inspect/state.h"
#include "steps/common.h"

namespace lumsk::steps {

// What checks of finished parts have in common.

/// A finding with its places, the worst first.
template <class List, class Place> void tell(recipe::Outcome& out, Problem p, const List& list, const Place& place) {
  for (const auto& x : list) p.at(place(x));
  out.notes.push_back(std::move(p));
}

/// "2 findings".
inline std::string findingsWords(size_t n) { return n == 0 ? "nothing found" : n == 1 ? "1 finding" : std::to_string(n) + " findings"; }

/// A skin where a solid is wanted: a place on each of its openings.
inline Problem notClosed(const std::string& code, const std::string& what, const inspect::BodyState& state) {
  Problem p = problem(code, what).inField("body").tryThis("thicken it, or fill its openings and knit");
  for (const auto& o : state.openings)
    if (!o.outline.empty()) p.at(o.outline.front());
  return p;
}

} // namespace lumsk::steps

#pragma once
#include "brep/foreign.h"
#include "recipe/step.h"

namespace lumsk::steps {

// The unit of a foreign file, as several steps ask for it.

inline recipe::Field unitField() {
  return recipe::choice("unit", "Unit", "What the file's lengths are in; one that says nothing is taken as mm.",
                        {{"file", "as the file says"}, {"mm", "mm"}, {"cm", "cm"}, {"m", "m"}, {"inch", "inch"}});
}

inline brep::LengthUnit unitOf(const recipe::Inputs& in) {
  const std::string u = in.text("unit");
  return u == "mm"     ? brep::LengthUnit::Millimetre
         : u == "cm"   ? brep::LengthUnit::Centimetre
         : u == "m"    ? brep::LengthUnit::Metre
         : u == "inch" ? brep::LengthUnit::Inch
                       : brep::LengthUnit::FromFile;
}

/// Notes on units and sizes are offered the units that they may mean.
inline std::vector<Problem> withUnitsOffered(std::vector<Problem> notes) {
  for (Problem& n : notes) {
    const bool small = n.code == "LM-I106" && n.measured && n.measured->value < 1;
    if (small) n.offer({"take as inches", "unit", "inch"}).offer({"take as metres", "unit", "m"});
    if (n.code == "LM-I101" || (n.code == "LM-I106" && !small)) n.offer({"take as mm", "unit", "mm"});
  }
  return notes;
}

} // namespace lumsk::steps

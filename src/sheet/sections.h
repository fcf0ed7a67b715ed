#pragma once
#include "recipe/model.h"
#include "scene/lens.h"

#include <QString>

#include <functional>

namespace lumsk::sheet {

class Paper;

/// A plane that the form is cut by, on a sheet.
struct SheetSection {
  std::string name;
  Frame plane;
};

/// Planes that a section of a sheet can lie in: those of the recipe, as its rows are called; where the lens Cut stands, if it is on; and through the
/// middle of what is in sight, across x, y and z.
std::vector<SheetSection> sectionPlanes(const recipe::Model& model, const scene::LensState& lens);

/// The plane that words mean: the name of one of these, the id of a row, or "x=12.5", "y=..", "z=.." in mm. Fails with LM-D007.
Expected<SheetSection> sectionFor(const std::string& words, const recipe::Model& model);

/// How lengths and areas are written.
struct Figures {
  std::function<QString(double)> length, area;
};

/// Sections of the visible bodies, each hatched and to the largest scale of ISO 5455 that fits, with the size of its box, the area of its material, and
/// the least distance across it.
void drawSections(Paper& paper, const recipe::Model& model, const std::vector<SheetSection>& sections, const Figures& figures, const Context& cx);

} // namespace lumsk::sheet

#pragma once
#include "drawing/value.h"
#include "recipe/edit.h"

namespace lumsk::recipe {

// A drawing as it stands in a recipe: points, entities and relations as lists, dimensions by their expressions.

/// Fails with LM-U001, LM-U002, and as expressions do (LM-E00x), naming the dimension.
Expected<drawing::Drawing> drawingFrom(const nlohmann::json& stored, const Names& names);
nlohmann::json toJson(const drawing::Drawing& d);
/// What is wrong with a stored drawing's form; empty: nothing.
std::string drawingError(const nlohmann::json& stored);

/// The drawing of a step's field, its dimensions by the names that it can use.
Expected<drawing::Drawing> drawingAt(const Recipe& r, const ItemRef& field, const Names& names);
Recipe withDrawing(const Recipe& r, const ItemRef& field, const drawing::Drawing& d);

/// What a dimension of a law says: mm or radians. Fails as expressions do.
Expected<double> dimensionValue(drawing::Law law, const std::string& text, const Names& names);
/// A dimension that is written as something else: solved if that can be, else as it was with the new text beside it.
/// Fails as expressions do.
Expected<drawing::Drawing> withText(const drawing::Drawing& d, const drawing::Id& dimension, const std::string& text,
                                    const Names& names);
/// How a number of a dimension is written: mm or degrees, rounded to hundredths.
std::string dimensionText(drawing::Law law, double value);

} // namespace lumsk::recipe

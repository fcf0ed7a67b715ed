#pragma once
#include "recipe/step.h"

#include <nlohmann/json.hpp>

namespace lumsk::recipe {

// Edits of one step's inputs: a recipe in, another one out. What refers to something that is not there changes nothing.

/// A value in a recipe: of a step's field, or of one item of its list (then `key` names the item's value).
struct ItemRef {
  std::string step, field, item = {}, key = {};
};

const Field* fieldOf(const ItemRef& ref, const Recipe& r, const Registry& registry); ///< null: nothing such
/// As it is stored, or what stands when nothing is; null when there is no such item.
nlohmann::json valueAt(const ItemRef& ref, const Field& f, const Recipe& r);
/// In the field's unit; nought when the expression does not hold.
double numberAt(const ItemRef& ref, const Field& f, const Recipe& r, const Names& names);
/// The number of a stored value: a number, or an expression. Fails as the expression does.
Expected<double> numberOf(const nlohmann::json& value, Dimension dimension, const Names& names);
/// A list as it is stored; empty when there is none.
nlohmann::json listAt(const StepEntry& entry, const std::string& field);

/// An id for a new item: above all that are there, so that one that was let go does not come back as another thing.
std::string freeItemId(const nlohmann::json& list, const std::string& prefix);

Recipe withValue(const Recipe& r, const ItemRef& ref, const nlohmann::json& value);
Recipe withNumber(const Recipe& r, const ItemRef& ref, double value);
Recipe withoutItem(const Recipe& r, const ItemRef& ref);
/// Adds a move (mm, rounded to steps of 1 / `perMm`) to the columns x, y, z of a row, which is made when it is not there.
Recipe withMove(const Recipe& r, const ItemRef& row, const Vec3& byMm, double perMm, const Names& names);

/// Turns the switch `row.key` of a row, which is made when it is not there.
Recipe withSwitchTurned(const Recipe& r, const ItemRef& row);

/// Rows of places on rails (see recipe/rails.h).
Recipe withRailPlace(const Recipe& r, const ItemRef& row, double fraction);
/// The first place of a new line, on the rail of the pick `rail.item`.
Recipe withNewRailRow(const Recipe& r, const ItemRef& rail, double fraction, const Registry& registry);

/// A click on one of the pieces of a step: its row comes or goes. Where no pieces have been clicked so far, those that
/// are kept now become rows first.
Recipe withPieceTurned(const Recipe& r, const std::string& step, const std::vector<Region>& pieces, size_t clicked);

/// Does what a problem offers; of picks, its value is their order by ids, of tables the name in a row's first column, a
/// column's key and its value, with tabs between them.
Recipe withRemedy(const Recipe& r, const std::string& step, const Remedy& offer, const Registry& registry);
/// A click on a flag or on a chip's button: the named sub-field of an item, or its first switch or choice; without an
/// item the step's own choice. A switch is turned, a choice goes on: from "by itself" to the option after the one that
/// was found (`group`), from there back; others to the next option that fits the pick. Of tables the row that is named by the
/// item is meant, and made where there is none; it goes on from what the step's own field of that key says. Returns the field, too.
std::pair<Recipe, const Field*> withItemTurned(const Recipe& r, const ItemRef& ref, int group, const Registry& registry);

// Steps
Recipe withLabel(const Recipe& r, const std::string& step, const std::string& label);
Recipe withSwitched(const Recipe& r, const std::vector<std::string>& steps, bool on);
std::string freeLabel(const Recipe& r, const std::string& label);
/// Where a step measures: the name in its inputs becomes one under which nothing stands yet, with all its endings.
void freeMeasurementName(nlohmann::json& inputs, const Recipe& r, const Schema& schema, const Registry& registry);

} // namespace lumsk::recipe

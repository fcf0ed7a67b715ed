#pragma once
#include "brep/names.h"
#include "recipe/edit.h"

namespace lumsk::recipe {

// Picks of objects: what is stored of them, and how they come into a step's fields.

/// An object to be picked, as the view finds it.
struct PickRef {
  std::string step, part; ///< ids
  Kind kind = Kind::None;
  brep::Signature near; ///< of edges, faces and vertices
  Vec3 at = Vec3::Zero(); ///< where it was pointed at
};
bool same(const PickRef& a, const PickRef& b); ///< the same object
nlohmann::json toInput(const PickRef& p);    ///< what is stored of it, without an id

/// Fields of a new step that objects picked beforehand fill, in order and as far as they fit.
nlohmann::json inputsWith(const std::vector<PickRef>& picks, const Schema& schema);
/// A list of picks of curves alone, with ids.
nlohmann::json curvesAmong(const std::vector<PickRef>& picks);

/// What a pick brings into a field: it is added, or let go when it is there, or takes the place of the item `replacing`.
/// Where the field is full the first goes. Places on it go where the field says so (`placeGoesTo`). Null when nothing
/// changes.
StepPtr withPick(const StepEntry& entry, const Field& f, const PickRef& pick, const std::string& replacing,
                 const Model& model);
/// Several at once, as far as they fit and are not there.
StepPtr withPicks(const StepEntry& entry, const Field& f, const std::vector<PickRef>& picks);
/// A face or an edge of what a step makes, as it is of the picked body that this goes on from, by its name; nothing where it
/// has none such. What is clicked while a step is worked at is its result; what is meant is what it changes.
std::optional<PickRef> beforeStep(const StepEntry& entry, const PickRef& pick, const Model& model);
/// Whether a pick belongs into the field that takes what this one does not (`othersGoTo`); null: no.
const Field* otherFieldFor(const StepEntry& entry, const Field& f, const PickRef& pick, const Schema& schema);
/// A step drawn in place for a picks field (`Field::drawn`): a new one before the field's step, on the plane or the face
/// that was pointed at, picked by the field. What the field's step needs and has not takes the body that was pointed at.
struct DrawnStep {
  Recipe recipe;
  std::string step; ///< id of the new one
};
DrawnStep withDrawn(const Recipe& r, const ItemRef& field, const DrawnHere& what, const PickRef& on,
                    const std::optional<PickRef>& body, const Registry& registry);
/// The same for a thing that something wanted is made from by a click (`Step::byClick`).
DrawnStep withMadeByClick(const Recipe& r, const ItemRef& field, const Step& what, const PickRef& from, const std::string& replacing, const Model& model, const Registry& registry);
/// A recipe whose steps after one that goes on with bodies of earlier ones pick what it made of these: what they had picked of them
/// before it was put in between. Picks of what it has not changed stay.
Recipe withPassedOn(const Recipe& r, const std::string& step, const Model& model);
/// How many picks a field holds.
int pickedCount(const StepEntry& entry, const std::string& field);
Recipe withExtent(const Recipe& r, const ItemRef& list, const PickRef& pick, const std::string& extent);
/// The object that a stored pick means. Fails as `follow` does.
Expected<Picked> pickedBy(const ItemRef& ref, Kind accepts, const StepEntry& entry, const Model& model);

/// A place on a picked curve: a fraction of its length, and the curve that meets it there, when it stays with that.
struct CurveRef {
  std::string step, part;
};
struct PlaceOnCurve {
  double fraction = 0;
  std::optional<CurveRef> where;
};
/// Sets the item's number `ref.key`: its start, or an end of the part that is meant.
Recipe withPlaceOnCurve(const Recipe& r, const ItemRef& ref, const PlaceOnCurve& place);

} // namespace lumsk::recipe

#pragma once
#include "base/quantity.h"
#include "base/vec.h"

#include <array>
#include <functional>
#include <map>
#include <memory>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <variant>
#include <vector>

namespace lumsk::recipe {

/// What can be picked; kinds are combined with |.
enum class Kind : unsigned { None = 0, Point = 1, Curve = 2, Edge = 4, Face = 8, Skin = 16, Solid = 32, Plane = 64 };
constexpr Kind operator|(Kind a, Kind b) { return Kind(unsigned(a) | unsigned(b)); }
/// What fields accept that want a plane: a face stands for the plane that touches it where it was clicked.
constexpr Kind kPlaneOrFace = Kind::Plane | Kind::Face;
constexpr bool has(Kind set, Kind k) { return (unsigned(set) & unsigned(k)) != 0; }
std::string kindNames(Kind k); ///< "curve, edge or point"
std::string aKind(Kind k);     ///< "an edge or point"

enum class FieldKind { Quantity, Choice, Switch, Text, File, Continuity, Picks, Table, Graph, Points, Drawing };
const char* fieldKindName(FieldKind k);

/// A handle that the view offers for a quantity.
enum class Handle { None, Distance, Magnitude };

struct Option {
  std::string key, label;
  Kind onlyFor = Kind::None; ///< of a pick's choice: picks of these kinds only; none: all
};

/// A kind of step that can be drawn for a picks field while its row is open, and what a choice of this step becomes then,
/// where nobody has set it.
struct DrawnHere {
  std::string kind, key = {}, value = {};
};

/// A condition on another field's value: the field is shown and used only while it holds. Plain data.
struct Condition {
  std::string key;
  std::vector<std::string> values; ///< as text: option keys, "true", continuity names; "picked" for non-empty picks
  bool negated = false;
};

constexpr int kMostPicks = 2000; ///< of one field, where that says nothing less

/// One field of a step. The schema is the only source for form, file keys, CLI, help table, validation and defaults.
struct Field {
  FieldKind kind = FieldKind::Quantity;
  std::string key, label, help;
  std::vector<Condition> conditions; ///< all must hold
  bool seldom = false;               ///< folded away in forms until it is set
  bool byClick = false;              ///< of tables: rows come and go by clicks in the view; they are no reading for people

  // Quantity
  Dimension dimension = Dimension::Length;
  double low = -1e6, high = 1e6;
  std::string fallback; ///< default as text: expression, option key, "true"; for files and picks empty
  Handle handle = Handle::None;
  double ofPlace = 0; ///< of the size of what its step is drawn on in place: such is its value then

  // Choice and continuity
  std::vector<Option> options;
  /// Values of other fields that people keep under names of their own, to choose them like options: this one of them is chosen then.
  std::string keptOption;
  std::vector<Field> kept;

  // Picks
  Kind accepts = Kind::None;
  Kind preferred = Kind::None; ///< of several things under the pointer these come first
  int least = 0, most = kMostPicks;
  std::vector<Field> each;    ///< sub-fields of every item (start mark, flip, continuity, magnitude)
  /// Fields that say where on a picked curve (the first one) or face (both), as fractions: they take where it was clicked.
  std::array<std::string, 2> placeGoesTo;
  std::vector<DrawnHere> drawn; ///< steps that a click on a face or a plane makes and picks
  std::string othersGoTo;     ///< picks of other steps than that of the first one are meant for this field
  std::vector<Field> columns; ///< of tables

  // Points
  // Text
  bool namesMeasurement = false; ///< the text is the name under which later steps use what this one measured
  /// Values of another field with which several things are measured, and the endings of their names.
  std::string endingsField;
  std::map<std::string, std::vector<std::string>> endings;

  std::string linksField;                 ///< of drawings: picks field of what they refer to
  std::string planeField;                 ///< picks field whose plane the points lie in, if picked
  std::array<std::string, 2> endFields{}; ///< choices for the first and the last point: "free", "perpendicular", ...
  std::string mirrorField;                ///< picks field of the plane that "perpendicular" means; else the side plane
  // File
  std::string filter; ///< "Tables (*.txt *.csv *.xyz)"

  Field& seldomSet(); ///< forms fold it away
  Field& clicked();   ///< of tables: by clicks in the view
  Field& when(std::string key, std::vector<std::string> values);
  Field& unless(std::string key, std::vector<std::string> values);
  Field& within(double lo, double hi);
  Field& withHandle(Handle h);
  Field& atLeast(int n);
  Field& atMost(int n);
  Field& optional();
  Field& prefer(Kind k);
  Field& eachWith(std::vector<Field> sub); ///< besides those of a portion
  Field& othersTo(std::string picksKey);
  Field& drawnHere(std::vector<DrawnHere> kinds);
  Field& ofPlaceSize(double share);
  Field& placeTo(std::string ratioKey, std::string acrossKey = {});
  Field& onPlane(std::string picksKey);
  Field& linkedTo(std::string picksKey);
  Field& keeping(std::string option, std::vector<Field> fields);
  Field& endsAt(std::string startKey, std::string endKey, std::string mirrorPicksKey);
};

Field quantity(std::string key, std::string label, std::string help, Dimension d, std::string fallback);
Field length(std::string key, std::string label, std::string help, std::string fallback);
Field angle(std::string key, std::string label, std::string help, std::string fallback);
Field ratioField(std::string key, std::string label, std::string help, std::string fallback);
Field countField(std::string key, std::string label, std::string help, std::string fallback);
Field choice(std::string key, std::string label, std::string help, std::vector<Option> options);
Field toggle(std::string key, std::string label, std::string help, bool on);
Field text(std::string key, std::string label, std::string help, std::string fallback);
Field measurementName(std::string fallback);
Field file(std::string key, std::string label, std::string help, std::string filter);
/// One vocabulary everywhere: free, perpendicular, g0, g1, g2, g3.
Field continuity(std::string key, std::string label, std::string help, std::vector<std::string> allowed);
Field picks(std::string key, std::string label, std::string help, Kind accepts);
Field table(std::string key, std::string label, std::string help, std::vector<Field> columns);
Field graph(std::string key, std::string label, std::string help, Dimension d);
Field points(std::string key, std::string label, std::string help);
Field drawing(std::string key, std::string label, std::string help);

/// Sub-fields that every pick of a curve has: the part of it that is meant, between fractions of its length, or between
/// the places where something else meets it ("fromAt", "toAt"; the fraction then says which of several places).
const std::vector<Field>& portionFields();

/// The options of a pick's choice that a pick can have.
std::vector<Option> optionsFor(const Field& choice, const nlohmann::json& pick);

/// Sub-fields of picks used by several steps.
Field startMark();
Field flip();

using Schema = std::vector<Field>;
const Field* findField(const Schema& s, const std::string& key);

/// The value that a field has when nothing is stored.
nlohmann::json defaultValue(const Field& f);
/// Whether the field counts, given the step's values.
bool applies(const Field& f, const Schema& s, const nlohmann::json& values);
/// The names under which a step with these values gives its measurements; none for steps that measure nothing. One is
/// the name itself; several are the name with endings.
std::vector<std::string> measuredNames(const nlohmann::json& values, const Schema& s);
/// Checks shape and keys of stored values (not the numbers behind expressions). Message of the first breach, or empty.
std::string shapeError(const Schema& s, const nlohmann::json& values);
/// The values without those of another shape than their fields have, which it says one by one. What this program does
/// not know stays.
nlohmann::json withoutDamaged(const Schema& s, const nlohmann::json& values, std::vector<std::string>& errors);
/// The schema as data, for `lumsk-cli steps --json` and the file's documentation.
nlohmann::json toJson(const Schema& s);

} // namespace lumsk::recipe

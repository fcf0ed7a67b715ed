#pragma once
#include "recipe/model.h"
#include "recipe/schema.h"

#include <nlohmann/json_fwd.hpp>
#include <optional>

namespace lumsk::drawing {
struct Drawing;
}
namespace lumsk::recipe {

/// An object that a pick led to.
struct Picked {
  std::string item, step, part; ///< ids
  Kind kind = Kind::None;
  Object object;         ///< curve for curves and edges, point for points, body for skins, solids and faces
  bool doubtful = false; ///< found by shape, not by name
  std::string output;    ///< which output of the step
  brep::BodyPtr body;    ///< of faces, edges and vertices of bodies
  int index = -1;        ///< of them, in the body's order
  CurvePtr master;       ///< of a point of a curve: that curve; of a part of a curve: the whole one
  std::string objectId() const { return recipe::objectId(step, output); }
};

/// A step's inputs made ready: expressions are numbers, references are objects, fields that do not apply are gone.
/// Accessors take keys of the schema; asking for a key that is not in it is a programming error.
class Inputs {
public:
  const std::string& stepId() const { return stepId_; }
  double number(const std::string& key) const;
  int integer(const std::string& key) const;
  bool on(const std::string& key) const;
  std::string text(const std::string& key) const;
  bool has(const std::string& key) const;
  /// Points in mm; on the plane of the field's `planeField` if one is picked.
  const Points& points(const std::string& key) const { return points_.at(key); }
  const std::vector<Picked>& picked(const std::string& key) const;
  /// Sub-values of a pick's item, e.g. its start and flip; nothing and false when they are not set.
  std::optional<double> itemNumber(const std::string& key, size_t index, const std::string& subKey) const;
  struct GraphRow {
    std::string id;
    double at = 0, value = 0;
  };
  std::vector<GraphRow> graphRows(const std::string& key) const; ///< by place
  /// Rows of a graph field as (place, value), by place.
  std::vector<std::pair<double, double>> graph(const std::string& key) const;
  /// Numbers of one column of a table field, row by row.
  std::vector<double> column(const std::string& key, const std::string& columnKey) const;
  std::vector<std::string> texts(const std::string& key, const std::string& columnKey) const; ///< likewise
  std::vector<std::string> rowIds(const std::string& key) const;
  bool itemOn(const std::string& key, size_t index, const std::string& subKey) const;
  std::string itemText(const std::string& key, size_t index, const std::string& subKey) const;
  /// The drawing of a field, as it is stored; its dimensions are numbers.
  const drawing::Drawing& drawing(const std::string& key) const { return *drawings_.at(key); }
  /// Frame of the picked plane, or of a world plane when none is picked.
  Frame plane(const std::string& key, const Frame& fallback) const;
  /// Bytes of a file field; null when none is chosen.
  const std::string* file(const std::string& key) const;
  std::string fileName(const std::string& key) const; ///< as it was called where it came from
  std::string fileHash(const std::string& key) const; ///< of its bytes, hexadecimal
  const Names& names() const { return names_; }

  /// Makes inputs ready. `modelSoFar` holds the results of earlier steps. Fails with LM-R0xx.
  static Expected<Inputs> resolve(const StepEntry& entry, const Schema& schema, const Recipe& recipe,
                                  const Names& names, const Model& modelSoFar);
  /// The values that decide the result, for the cache key: numbers, options, references with the keys of their steps.
  std::string fingerprint() const { return fingerprint_; }
  std::vector<Problem> notes; ///< doubtful references
  std::vector<Flag> flags;    ///< where parts of curves begin and end

private:
  class Resolver;
  std::string stepId_, fingerprint_;
  std::shared_ptr<const nlohmann::json> values_; ///< behind a pointer: steps need not read the JSON library
  std::map<std::string, std::vector<Picked>> picked_;
  std::map<std::string, Points> points_;
  std::map<std::string, std::vector<GraphRow>> graphs_;
  std::map<std::string, std::shared_ptr<const std::string>> files_;
  std::map<std::string, std::shared_ptr<const drawing::Drawing>> drawings_;
  Names names_;
};

/// Follows one stored pick. Fails with LM-R020 (nothing there), LM-R021 (wrong kind), LM-R022 (its step has failed).
Expected<Picked> follow(const nlohmann::json& pick, Kind accepts, const Model& model);

} // namespace lumsk::recipe

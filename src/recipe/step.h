#pragma once
#include "base/context.h"
#include "recipe/inputs.h"
#include "recipe/model.h"
#include "recipe/schema.h"

namespace lumsk::recipe {

/// Stages of the work: the order of the rail.
enum class Stage { Curves, Surfaces, Flow, Trim, Solid, Check, Deliver };
constexpr int kStages = 7;
const char* stageName(Stage s);

/// Where a step holds two families of curves that cross, for steps that are made through such.
struct Crossed {
  std::string along, across; ///< keys of their picks; `across` is empty where both stand in one field
  std::string family;        ///< then, the sub-field that tells them apart: "auto", "a", "b"
  std::vector<std::string> ofAlong = {}; ///< keys of what belongs to the picks of `along`
  std::string inside = {}; ///< where `along` holds a ring, the first and last of both families: the curves inside it
  std::vector<std::string> into = {}; ///< keys of picks of what its sides flow into: one for all, or one a side
  /// Keys of what the skin does at the first and last curve of the first family, and of the second.
  std::array<std::string, 4> sides = {"start", "end", "left", "right"};
  bool ring() const { return !inside.empty(); }
};

/// Of a kind that makes skins of curves and edges without sorting them into families: how it would take what others are made through,
/// and what it is made through itself, bare.
struct MadeThrough {
  struct Way {
    std::string name; ///< after the step's own, "" for the only one
    std::shared_ptr<const nlohmann::json> inputs;
  };
  std::vector<Way> (*ways)(const nlohmann::json& picks, const Model& model) = nullptr; ///< none: not with these picks
  nlohmann::json (*picks)(const nlohmann::json& inputs, const Model& model) = nullptr; ///< without ids
};

/// What a step is begun with where something is asked for that it makes, and a thing is clicked that it is made from: the
/// value of a choice, and the picks field that takes the thing.
struct MadeByClick {
  Kind makes = Kind::None, from = Kind::None;
  std::string key, value, picks;
};

/// Of a kind that moves control points of one curve: keys of its pick and of the rows of its moves (columns x, y, z; a row is called by `row`
/// and the number of the point), and whether a step with these inputs does nothing else.
struct MovesPoints {
  std::string curve, moves, row;
  bool (*alone)(const nlohmann::json& inputs) = nullptr;
};

/// A kind of modelling step: a schema and a pure function.
struct Step {
  std::string kind;
  int version = 1;
  std::string label;
  Stage stage = Stage::Curves;
  Schema (*schema)() = nullptr;
  /// Same inputs, same outcome; cancel, progress and tolerances through the context. Never throws.
  Expected<Outcome> (*compute)(const Inputs& in, const Context& cx) = nullptr;
  std::optional<Crossed> crossed = {};
  /// Of the kind that repeats others: its inputs for what another step made; null where that is nothing to be repeated.
  nlohmann::json (*repeats)(const std::string& step, const Outcome& made) = nullptr;
  std::optional<MadeByClick> byClick = {};
  std::optional<MovesPoints> movesPoints = {};
  std::optional<MadeThrough> madeThrough = {};
  std::string heading = {}; ///< under which its tool stands among many of one stage, a verb or two; empty: none

  Step under(std::string words) && {
    heading = std::move(words);
    return std::move(*this);
  }
  Step through(MadeThrough m) && {
    madeThrough = std::move(m);
    return std::move(*this);
  }
  Step movingPoints(MovesPoints m) && {
    movesPoints = std::move(m);
    return std::move(*this);
  }
  Step madeByClick(MadeByClick m) && {
    byClick = std::move(m);
    return std::move(*this);
  }
};

/// All kinds that this program knows.
class Registry {
public:
  explicit Registry(std::vector<Step> steps);
  const std::vector<Step>& all() const { return steps_; }
  const Step* find(const std::string& kind) const;
  const Schema& schemaOf(const std::string& kind) const; ///< empty for unknown kinds
  /// The kind that makes what is asked for from a thing that is clicked; null: none does.
  const Step* madeByClick(Kind wanted, Kind clicked) const;

private:
  std::vector<Step> steps_;
  std::map<std::string, Schema> schemas_;
};

} // namespace lumsk::recipe

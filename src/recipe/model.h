#pragma once
#include "brep/body.h"
#include "brep/mesh.h"
#include "recipe/image.h"
#include "recipe/marks.h"
#include "recipe/recipe.h"

#include <variant>

namespace lumsk::recipe {

struct PlaneObject {
  Frame frame;
  double halfSizeMm = 60; ///< for show
};
struct PointObject {
  Vec3 at;
};
/// A picture on a plane, to draw over.
struct PictureObject {
  Frame frame; ///< origin in the picture's middle
  double widthMm = 0, heightMm = 0, strength = 1.0;
  std::shared_ptr<const Image> image;
};
/// A foreign form, faintly, to snap to and to compare with: never part of the model.
struct GhostObject {
  std::shared_ptr<const brep::FaceMesh> mesh;
  std::vector<std::vector<Vec3>> edges;
  std::vector<Vec3> corners;
  double strength = 1.0;
};
using GhostPtr = std::shared_ptr<const GhostObject>;
using Object = std::variant<PlaneObject, PointObject, CurvePtr, brep::BodyPtr, PictureObject, GhostPtr>;

struct Output {
  std::string name; ///< of several outputs of a step; empty for the main one
  Object object;
  std::string continues = {};          ///< bodies: the one this goes on from, as `objectId` names it
  std::string label = {}, colour = {}; ///< of bodies, as long as the person chose none
  std::vector<std::string> also = {};  ///< other names of it: of what it was put together from
  std::string group = {};              ///< of curves that one pick means all of: their common name
  std::string alone = {};              ///< of a solid by itself that its step has combined with another, how; hidden, to be repeated
};

/// How outputs are named among all steps: "s4", or "s4/2" for one of several.
std::string objectId(const std::string& step, const std::string& output);

/// A point of an output that can be picked, besides those that every curve has (`pointsOf`).
struct NamedPoint {
  std::string name; ///< lasting: "p3" is the point of that id
  Vec3 at = Vec3::Zero();
  std::string output = {};
};

/// What a step made.
struct Outcome {
  std::vector<Output> outputs;
  std::vector<NamedPoint> points;
  std::vector<Problem> notes;
  std::vector<std::string> usedUp; ///< `objectId`s of what is hidden from now on
  Marks marks;          ///< what the view shows of the open step, to be grabbed there
  Names measured;       ///< under names that later steps may use in expressions
  std::string summary;  ///< one line: "4 sections - 210 points"
  double seconds = 0.0; ///< what computing it took when it was made
};
using OutcomePtr = std::shared_ptr<const Outcome>;

enum class Status { Ok, Failed, Stale, Off };
const char* statusName(Status s);

struct StepResult {
  Status status = Status::Stale;
  OutcomePtr outcome; ///< for failed and stale steps the last good one, if any
  std::optional<Problem> problem;
  double seconds = 0.0;
  std::string key; ///< what it was computed from
};

/// A body as the person counts them: it keeps its id through the steps that change it.
struct BodyEntry {
  std::string id;     ///< "b4": after the step that made it
  std::string step;   ///< the step that changed it last
  std::string output; ///< which of its outputs it is
  std::string label;
  std::string colour; ///< "#rrggbb" or empty
  bool visible = true;
  bool stale = false;
  double opacity = 1.0;
  Finish finish = Finish::Matt;
  double density = 0.0; ///< g/cm³; nought: not told
  std::map<std::string, std::string> faceColours;
  brep::BodyPtr body;
};

/// The evaluated recipe.
struct Model {
  RecipePtr recipe;
  Names numbers;
  std::optional<Problem> numbersProblem;
  std::map<std::string, StepResult> results; ///< by step id
  std::vector<BodyEntry> bodies;             ///< those that are not used up, in order
  std::vector<std::string> hidden;           ///< `objectId`s of what was used up

  const StepResult* result(const std::string& id) const;
  bool failed() const;
  /// The recipe's numbers and what the steps before this one measured; of all steps with an empty id.
  Names namesBefore(const std::string& step) const;
  bool isHidden(const std::string& step, const std::string& output) const;
};
using ModelPtr = std::shared_ptr<const Model>;

/// Fills `bodies` and `hidden` from the results and the recipe's looks.
void collectBodies(Model& m);

/// The model as it is before a step: what that step can refer to.
Model modelBefore(const Model& m, const std::string& step);

/// The model as it is just after a step.
Model modelUpTo(const Model& m, const std::string& step);

/// Planes that are always there: "top" (z = 0), "front" (y = 0), "side" (x = 0).
const std::vector<std::pair<std::string, Frame>>& worldPlanes();

/// How many of a step's outputs are curves.
int curvesIn(const Outcome& o);

/// What a pick of one of several curves of a step stores as its part: the first has no name of its own, and a pick
/// without a part means all of them.
std::string pickPart(const Outcome& o, const Output& curve);

/// Points of a curve that can be picked: "start", "end", "centre" (of circles and ellipses), "t3" ends of segments.
std::vector<std::pair<std::string, Vec3>> pointsOf(const nurbs::Path& p);

} // namespace lumsk::recipe

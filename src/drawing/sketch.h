#pragma once
#include "drawing/value.h"

namespace lumsk::drawing {

inline const Id kBeginning = "*"; ///< stands for the place that was clicked before, which is no point yet

/// A place in a drawing that a hand pointed at, and what the program would keep of it.
struct Place {
  Vec2 at = Vec2::Zero();
  Id point = {};       ///< the point that is meant; empty: a new one
  Id on = {};          ///< the entity that the new point lies on
  Id onToo = {};       ///< and another one that crosses it there
  Id middleOf = {};    ///< the line in whose middle it lies
  Id levelWith = {};   ///< a point at the same height
  Id uprightWith = {}; ///< a point above or below
  bool origin = false; ///< the plane's origin: it is fixed there
};

struct SnapOptions {
  double reachMm = 1;             ///< how near is near
  std::optional<Vec2> from = {};  ///< where a line under way begins
  Id fromPoint = {};              ///< the point there, if it is one
  Id but = {};                    ///< a point that is dragged: it does not snap to itself
  double gridMm = 0;              ///< places that nothing is near are rounded to this
  std::vector<std::pair<Vec2, std::string>> outside = {}; ///< places of what lies outside the drawing, with their names
};

/// The nearest of: points (centres among them), middles of lines, crossings, the four outermost places of circles, entities,
/// places level with or above other points, then the grid.
struct Snapped {
  Place place;
  std::string words; ///< "together", "level, on"; empty: nothing is kept
};
Snapped snapped(const Drawing& d, const Vec2& at, const SnapOptions& o);

/// A way to draw something by clicks: a pure function of the places clicked so far.
struct Sketch {
  const char *key, *label;
  std::vector<const char*> asks;   ///< what each click is; the last stands for all that follow where `most` is more
  int least, most;
  std::vector<Law> numbers;        ///< dimensions that can be typed while it is drawn, in order
};
const std::vector<Sketch>& sketches();
const Sketch* sketchOf(const std::string& key);

struct SketchOptions {
  int sides = 6;     ///< of polygons
  int degree = 3;    ///< of splines
  bool construction = false;
  std::string text = "Lumsk"; ///< what is written
};
/// The drawing with what was drawn by these places, and the ids of the new entities and points. Fewer places than the
/// sketch needs, or places in one, give nothing.
struct Sketched {
  Drawing drawing;
  std::vector<Id> entities, points;
  std::vector<std::vector<Id>> measures; ///< of what each of the sketch's numbers is
};
std::optional<Sketched> sketched(const Drawing& d, const std::string& key, const std::vector<Place>& places, const SketchOptions& o);

/// Where the last place lies when these numbers (mm, radians) are typed: along the pointer's direction.
Vec2 byNumbers(const std::string& key, const std::vector<Place>& places, const Vec2& pointer,
               const std::vector<std::optional<double>>& numbers);

/// The arc from the end of an entity that leaves it tangent and ends at a place. Nothing where the place is straight on.
std::optional<Sketched> tangentArc(const Drawing& d, const Id& entity, const Id& end, const Place& to, bool construction);

} // namespace lumsk::drawing

#pragma once
#include "base/problem.h"

#include <optional>
#include <string>
#include <vector>

namespace lumsk::drawing {

using Id = std::string; ///< "p4" a point, "e2" an entity, "r7" a relation; never used again for another thing

/// A place that entities share. One that no entity names is a point of its own.
struct Point {
  Id id;
  Vec2 at = Vec2::Zero(); ///< mm in the drawing's plane, as it was solved last
  bool construction = false; ///< helps to draw and does not come out
  Id link = {};              ///< of one that stands for something outside: the pick; solving does not move it
};

enum class Shape { Line, Arc, Circle, Ellipse, Spline, Through, Conic, Text };
const char* shapeName(Shape s); ///< "line"; also the key in files
std::optional<Shape> shapeOf(const std::string& name);

/// A line or curve between points of the drawing:
/// line: its ends; arc: centre, start, end; circle: centre; ellipse: centre, end of its first half axis;
/// spline: control points; through: points it passes through; conic: start, corner of its tangents, end;
/// text: where its base line starts, and how high a capital letter reaches there.
struct Entity {
  Id id;
  Shape shape = Shape::Line;
  std::vector<Id> points;
  double size = 0;   ///< mm: radius of circles and arcs, second half axis of ellipses
  bool left = true;  ///< of arcs: from start to end counter-clockwise
  int degree = 3;    ///< of splines, 2 to 7
  double rho = 0.5;  ///< of conics
  bool closed = false;            ///< of splines through points
  std::vector<double> knots = {}; ///< of splines by control points; empty: even ones
  bool construction = false;      ///< helps to draw and is no part of what comes out
  bool linked = false;            ///< stands for something outside: solving does not move it
  Id link = {};                   ///< the pick that it stands for
  std::string text = {};          ///< letters and signs of one line, UTF-8
};

enum class Law {
  Level, Upright, Together, On, Parallel, Square, InLine, Equal, SameCentre, Tangent, SameCurvature, Mirrored, Middle,
  Fixed, Flat, SameStep, SameTurn,
  // Dimensions
  Length, LevelDistance, UprightDistance, Distance, Radius, Diameter, Angle, ArcLength, EndAngle, EndRadius, Turned
};
constexpr int kLaws = int(Law::Turned) + 1;
const char* lawName(Law l);  ///< key in files: "same_curvature"
const char* lawWords(Law l); ///< for people: "equal curvature"
std::optional<Law> lawOf(const std::string& name);
constexpr bool isDimension(Law l) { return l >= Law::Length; }
Dimension dimensionOf(Law l);

/// Something that holds between points and entities, or a dimension of them.
struct Relation {
  Id id;
  Law law = Law::Level;
  std::vector<Id> of;
  double value = 0;        ///< of dimensions: mm, or radians; what `text` says
  std::string text = {};   ///< of dimensions: the expression as written
  bool measured = false;   ///< of dimensions: tells and does not hold
  bool off = false;        ///< kept, and does not hold
  int turn = 0;            ///< of tangency: 1 where the curves leave their common point to the same side; of angles: bit 0 and 1 turn a line round
  Vec2 place = Vec2::Zero(); ///< of dimensions: where the number stands, from the middle of what it is of, mm
  bool holds() const { return !off && !measured; }
};

/// A planar drawing: a plain value. Coordinates are mm in its plane.
struct Drawing {
  std::vector<Point> points;
  std::vector<Entity> entities;
  std::vector<Relation> relations;
  int lastId = 0; ///< number of the last id given out

  const Point* point(const Id& id) const;
  const Entity* entity(const Id& id) const;
  const Relation* relation(const Id& id) const;
  Point* point(const Id& id);
  Entity* entity(const Id& id);
  Relation* relation(const Id& id);
  Vec2 at(const Id& point) const { return this->point(point)->at; }
  bool empty() const { return points.empty(); }

  Id addPoint(const Vec2& at);
  Id add(Entity e);   ///< with a new id
  Id add(Relation r); ///< likewise
  Id say(Law law, std::vector<Id> of, double value = 0, std::string text = {}); ///< a relation
};

/// How many points an entity of a shape names: least and most.
std::pair<int, int> pointsOf(Shape s);
/// The first and last point of what has ends; none: closed.
std::optional<std::pair<Id, Id>> endsOf(const Entity& e);
/// Knots of a spline by control points, clamped, from 0 to 1.
std::vector<double> knotsOf(const Entity& e);
/// How large it is: the diagonal of the box of all its points and circles, mm; 0 when it is empty.
double sizeOf(const Drawing& d);

/// Whether names, counts and numbers of a drawing fit each other. Fails with LM-U001 (what names something that is not
/// there, or too few), LM-U002 (a number that cannot be used).
Expected<void> check(const Drawing& d);

/// Without points, entities and relations of these ids, what stands on them, and points that nothing names any longer
/// (unless they stood alone before).
Drawing without(const Drawing& d, const std::vector<Id>& ids);

/// Two points become one: everything that named the second names the first.
Drawing withMerged(const Drawing& d, const Id& keep, const Id& gone);

} // namespace lumsk::drawing

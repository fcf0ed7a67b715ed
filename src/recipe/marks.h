#pragma once
#include "nurbs/curves/correspond.h"

#include <memory>
#include <string>
#include <variant>
#include <vector>

// What a step shows in the view while its row is unfolded, to be seen or grabbed there. A kind of mark is a struct with
// its name in files and its members told once (`members`, for keeping and reading back: the bindings do not compile when
// one is forgotten), and its place in `Mark`.

namespace lumsk::recipe {

using CurvePtr = std::shared_ptr<const nurbs::Path>;

/// On an input item: a section's flag with its start and direction.
struct Flag {
  static constexpr const char* kName = "flag";
  std::string field, item; ///< key of the picks field and id of the item
  Vec3 at = Vec3::Zero();
  Vec3 direction = Vec3::Zero(); ///< unit; zero when there is none
  bool startMovable = false;
  std::string mark;          ///< what is written on it; empty: its number
  int group = 0;             ///< flags of a second group look different
  std::string key = "start"; ///< of the item's number that dragging it along its curve sets: a fraction of the length
};
template <class Way> void members(Way& way, Flag& x) {
  auto& [field, item, at, direction, startMovable, mark, group, key] = x;
  way("field", field), way("item", item), way("at", at), way("direction", direction);
  way("startMovable", startMovable), way("mark", mark), way("group", group), way("key", key);
}

/// Where a points field has its places when no plane says so: the points are in its units from its origin.
struct PointsPlace {
  static constexpr const char* kName = "place";
  std::string field;
  Frame frame;
  double mmPerUnit = 1.0;
  Vec3 toWorld(const Vec3& p) const { return frame.at(p.x() * mmPerUnit, p.y() * mmPerUnit, p.z() * mmPerUnit); }
  Vec3 fromWorld(const Vec3& w) const { return frame.local(w) / mmPerUnit; }
};
template <class Way> void members(Way& way, PointsPlace& x) {
  auto& [field, frame, mmPerUnit] = x;
  way("field", field), way("frame", frame), way("mmPerUnit", mmPerUnit);
}

/// A place where a quantity of the step can be dragged.
struct HandlePlace {
  static constexpr const char* kName = "handle";
  std::string field;
  Vec3 at = Vec3::Zero();          ///< where the value is nought
  Vec3 direction = Vec3::Zero();   ///< unit
  double mmPerUnit = 1.0;          ///< how far the handle moves for a change of 1 of the value
  std::string item = {}, key = {}; ///< of a picks field: the item, and its number that is meant
  double most = 0;                 ///< value at which a drag stops; nought: none
};
template <class Way> void members(Way& way, HandlePlace& x) {
  auto& [field, at, direction, mmPerUnit, item, key, most] = x;
  way("field", field), way("at", at), way("direction", direction);
  way("mmPerUnit", mmPerUnit), way("item", item), way("key", key), way("most", most);
}

/// A curve on which a click adds a row to a table field (see recipe/rails.h), when that has the focus.
struct Rail {
  static constexpr const char* kName = "rail";
  std::string field, item;
  CurvePtr curve;
};
template <class Way> void members(Way& way, Rail& x) {
  auto& [field, item, curve] = x;
  way("field", field), way("item", item), way("curve", curve);
}

/// A place that can be dragged in the view: the move is added to the row of that id in a table field, whose columns are
/// x, y and z; of places on a rail the column is "at".
struct Grip {
  static constexpr const char* kName = "grip";
  std::string field, item;
  Vec3 at = Vec3::Zero();
  Vec3 along = Vec3::Zero(); ///< unit: it moves along this only; zero: in the plane of the screen, and snaps
  bool moved = false;        ///< its row holds a move already
  CurvePtr on = {};          ///< the rail that it stays on
  Vec3 plane = Vec3::Zero(); ///< unit: it moves square to this, when it does not move along something
  std::string turns = {};    ///< column of a switch that a click turns
  bool off = false;          ///< that switch is on: what stands here is left out
};
template <class Way> void members(Way& way, Grip& x) {
  auto& [field, item, at, along, moved, on, plane, turns, off] = x;
  way("field", field), way("item", item), way("at", at), way("along", along);
  way("moved", moved), way("on", on), way("plane", plane), way("turns", turns), way("off", off);
}

/// A line drawn faintly: a side of a control polygon.
struct NetLine {
  static constexpr const char* kName = "net";
  std::vector<Vec3> line;
};
template <class Way> void members(Way& way, NetLine& x) {
  auto& [line] = x;
  way("line", line);
}

/// A piece of what is cut: a click keeps it or takes it away. The field's rows are the pieces that were clicked; which of
/// them stay is said by a choice.
struct Region {
  static constexpr const char* kName = "region";
  std::string field, row;     ///< a table, and its row of this piece; empty: it has none
  std::string choice, these;  ///< key of the choice, and its value for "the clicked ones are kept"
  std::string others;         ///< and for "all but the clicked ones"
  std::string piece;          ///< what it is known by; a row holds it, and its place
  Vec3 at = Vec3::Zero();
  bool kept = false;
  std::vector<Vec3> triangles; ///< three points each
};
template <class Way> void members(Way& way, Region& x) {
  auto& [field, row, choice, these, others, piece, at, kept, triangles] = x;
  way("field", field), way("row", row), way("choice", choice), way("these", these), way("others", others);
  way("piece", piece), way("at", at), way("kept", kept), way("triangles", triangles);
}

using Mark = std::variant<Flag, PointsPlace, HandlePlace, Rail, Grip, NetLine, Region>;

class Marks {
public:
  void add(Mark m) { list_.push_back(std::move(m)); }
  template <class T> void add(std::vector<T> many) {
    for (T& m : many) add(std::move(m));
  }
  template <class T> std::vector<T> all() const { ///< in the order in which they were added
    std::vector<T> out;
    for (const Mark& m : list_)
      if (const T* x = std::get_if<T>(&m)) out.push_back(*x);
    return out;
  }
  const std::vector<Mark>& list() const { return list_; }

private:
  std::vector<Mark> list_;
};

} // namespace lumsk::recipe

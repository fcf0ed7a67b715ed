#pragma once
#include "base/context.h"
#include "drawing/system.h"

#include <memory>

namespace lumsk::drawing {

constexpr double kSolvedMm = 1e-9; ///< relations hold within this

/// The drawing with its coordinates such that all relations hold, as near to what it was as can be; nothing turns over
/// on the way. Fails with LM-U003, LM-U004, LM-U005 (relations that contradict: `contradictionIn` says which), LM-U006
/// (a dimension out of reach: how far it comes), or when cancelled.
Expected<Drawing> solved(const Drawing& d, const Context& cx = {});

/// The same without a search for reasons; nothing where it cannot be solved.
std::optional<Drawing> ifSolved(const Drawing& d);
/// Solved where that can be, else as it lies: for edits, whose value is kept either way.
Drawing settled(Drawing d);

/// Relations of which any one, given up, lets the others hold; newest first. Empty where the drawing can be solved, or
/// giving up one is not enough.
std::vector<Id> contradictionIn(const Drawing& d, const Context& cx = {});

/// What a dimension measures now: mm or radians; nothing where it does not fit.
std::optional<double> measured(const Drawing& d, const Relation& r);

/// What is grabbed: a point, or an entity at a place of it.
struct Handle {
  Id point, entity;
  Vec2 at = Vec2::Zero();
};

/// Something is pulled: the rest follows by the least movement, relations hold, and nothing turns over; what cannot come
/// to the pointer stays as near as it can.
class Drag {
public:
  static Expected<Drag> begin(const Drawing& d, const Handle& h);
  /// The drawing with what is held pulled to a place.
  const Drawing& to(const Vec2& target);
  const Drawing& now() const { return now_; }
  /// Whether it came to where it was pulled last.
  bool reached() const { return reached_; }

private:
  Drag(Drawing d, Handle h) : now_(std::move(d)), handle_(std::move(h)) {}
  Expected<void> grab();
  Vec2 place() const; ///< of what is pulled
  bool approach(const Vec2& target);
  bool lockOne();
  bool jump(const Vec2& target);
  Drawing now_;
  Handle handle_;
  Vec2 offset_ = Vec2::Zero(); ///< from the pointer
  std::array<std::vector<std::pair<int, double>>, 2> parts_; ///< what is pulled, as sums of variables
  std::unique_ptr<System> system_;
  int x_ = -1, locks_ = 0; ///< variable of what is pulled
  std::vector<int> locked_;
  bool calm_ = true, reached_ = true;
};

/// A drawing solved from where it lies; nothing where that cannot be, or something turned over since `before`.
std::optional<Drawing> settledFrom(const Drawing& before, const Drawing& asked);
/// With a point held at a place, from where `start` lies: nothing where that has no solution in which nothing turned over
/// since `d`.
std::optional<Drawing> solvedWith(const Drawing& d, const Drawing& start, const Id& point, const Vec2& at);

/// Writes what was solved into a drawing.
void writeBack(const System& s, Drawing& d);

} // namespace lumsk::drawing

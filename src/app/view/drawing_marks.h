#pragma once
#include "app/view/tool.h"
#include "drawing/value.h"

namespace lumsk::app {

class DrawingBoard;

/// How the open drawing looks: free things in ink, fixed ones green with a pin, those in conflict coral with a zigzag.
class DrawingMarks {
public:
  DrawingMarks(const DrawingBoard& board, scene::Camera camera, Tool& tool, drawing::Id hovered)
      : board_(board), camera_(std::move(camera)), tool_(tool), hovered_(std::move(hovered)) {}
  void strokes(const drawing::Drawing& d, Offer& o) const;
  void points(const drawing::Drawing& d, Offer& o) const;
  void relations(const drawing::Drawing& d, Offer& o) const;
  /// Combs of the splines that are picked, pointed to or dragged, and where each is tightest.
  void combs(const drawing::Drawing& d, const drawing::Id& held, Offer& o) const;
  static double beside(const scene::Camera& c, const Frame& f); ///< mm: how far numbers stand from what they are of
  static bool isOne(const Mark& m); ///< of a drawing
  static const MarkKind& point();
  static const MarkKind& sign();
  static const MarkKind& number();
  static const MarkKind& tightest();

private:
  enum class State { Free, Fixed, Against, Off };
  State stateOf(const drawing::Id& thing) const;
  QColor colourOf(State s) const;
  bool picked(const drawing::Id& id) const;
  QPointF beside(const drawing::Drawing& d, const drawing::Relation& r) const;
  Mark mark(const MarkKind& kind, const Vec2& at, const drawing::Id& id) const;
  std::vector<Vec3> lifted(const std::vector<Vec2>& line) const;
  const DrawingBoard& board_;
  scene::Camera camera_; // a copy: views give theirs by value
  Tool& tool_;
  drawing::Id hovered_;
};

} // namespace lumsk::app

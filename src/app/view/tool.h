#pragma once
#include "app/view/mark.h"
#include "recipe/edit.h"
#include "scene/picker.h"

#include <memory>
#include <optional>

class QKeyEvent;
class QMenu;

namespace lumsk::app {

class ViewWidget;
class Workspace;

/// The pointer, in pixels of the view.
struct Pointer {
  QPointF at, pressed; ///< now, and where its button went down
  Qt::MouseButton button = Qt::NoButton;
  Qt::KeyboardModifiers keys = {};
};

/// What is seen of a tool: marks, lines drawn faintly, and parts of surfaces.
struct Offer {
  std::vector<Mark> marks;
  std::vector<std::vector<Vec3>> lines;
  std::vector<Tint> tints;
  std::vector<Stroke> strokes;
};

/// What is said of the place under the pointer; the first tool that has something to say does.
struct Hover {
  QString label;
  std::optional<Vec3> snap;            ///< the place that would be taken
  std::optional<scene::Highlight> lit; ///< the object
};

/// What a hand does in the view. Tools are asked in the order of their list (app/CMakeLists.txt); a gesture on a mark
/// goes to whose it is. Everything happens on the window's thread; a tool that begins a change ends it exactly once.
class Tool {
public:
  explicit Tool(ViewWidget& view) : view_(view) {}
  virtual ~Tool() = default;

  /// What it shows now: asked whenever the recipe, the model, the camera or a lens changed.
  virtual void offer(Offer&) {}
  /// The pointer moves with no button down; `mark` is what lies under it, or null.
  virtual void hover(const Pointer&, const Mark*, Hover&) {}
  /// The pointer left the view, or something else is under way.
  virtual void leave() {}
  /// A button went down on `mark` or on nothing and the pointer moves: true takes the drag until it is let go.
  virtual bool grab(const Pointer&, const Mark*) { return false; }
  virtual void drag(const Pointer&) {}
  virtual void letGo(const Pointer&) {}
  virtual void cancel() {} ///< what it held was stopped from elsewhere
  /// True: done, nobody else is asked.
  virtual bool click(const Pointer&, const Mark*) { return false; }
  virtual bool doubleClick(const Pointer&, const Mark*) { return false; }
  virtual bool keyPressed(const QKeyEvent&) { return false; }
  virtual bool keyReleased(const QKeyEvent&) { return false; }
  /// Adds what can be done with what is under the pointer.
  virtual void addActions(QMenu&) {}

protected:
  ViewWidget& view() const { return view_; }
  Workspace& work() const;
  /// The left button, on a mark of this tool's.
  bool isMine(const Pointer& p, const Mark* mark) const {
    return mark && mark->tool == this && p.button == Qt::LeftButton;
  }
  const recipe::Outcome* openOutcome() const; ///< what the unfolded step made last; null: nothing
  /// A mark of this tool's at a place of the world, of a value of the recipe.
  Mark markAt(const MarkKind& kind, const Vec3& world, const recipe::ItemRef& ref, size_t index);

private:
  ViewWidget& view_;
};

/// All of them, in the order in which they are asked.
std::vector<std::unique_ptr<Tool>> makeTools(ViewWidget& view);

} // namespace lumsk::app

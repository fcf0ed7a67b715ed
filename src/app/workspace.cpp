#include "app/workspace.h"

namespace lumsk::app {

Workspace::Workspace(const recipe::Registry& registry)
    : session_(registry), results_(registry, session_.recipePtr(), *this), focus_(session_, results_),
      board_(session_, results_, focus_),
      steps_(session_, results_, focus_, *this), file_(session_, results_, focus_, *this) {
  const auto compute = [this](bool moving) { results_.request(session_.recipePtr(), moving, focus_.until()); };
  connect(&session_, &Session::valueChanged, this, compute);
  connect(&board_, &DrawingBoard::changed, this, [this] {
    if (board_.open()) focus_.drawingSays(board_.sentence());
  });
  connect(&board_, &DrawingBoard::told, this, &Workspace::told);
  connect(&focus_, &Focus::untilChanged, this, [compute] { compute(false); });
}

bool Workspace::escape() {
  if (session_.dragging()) return session_.cancelDrag(), true;
  if (results_.worthStopping()) return results_.stop(), true;
  return focus_.back();
}

} // namespace lumsk::app

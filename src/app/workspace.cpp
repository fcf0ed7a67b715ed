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
  // A step that was put in before others: what these had of the bodies that it changed is what it made of them.
  connect(&session_, &Session::draftBegan, this, [this] { putIn_ = session_.draftIsNew() ? session_.draft() : std::string(), kept_ = false; });
  connect(&session_, &Session::draftEnded, this, [this] {
    kept_ = session_.recipe().find(putIn_) && session_.recipe().steps.back()->id != putIn_;
    passOn();
  });
  connect(&results_, &Results::modelChanged, this, [this] { passOn(); });
}

void Workspace::passOn() {
  const recipe::StepResult* made = kept_ ? results_.model()->result(putIn_) : nullptr;
  if (!made || results_.model()->recipe.get() != &session_.recipe() || !session_.draft().empty() || session_.dragging()) return;
  if (!made->outcome) return; // once it has something
  kept_ = false;
  const recipe::Recipe next = recipe::withPassedOn(session_.recipe(), putIn_, *results_.model());
  if (next.steps != session_.recipe().steps) session_.edit(next, tr("use what %1 made").arg(QString::fromStdString(next.find(putIn_)->label)));
}

bool Workspace::escape() {
  if (session_.dragging()) return session_.cancelDrag(), true;
  if (results_.worthStopping()) return results_.stop(), true;
  return focus_.back();
}

} // namespace lumsk::app

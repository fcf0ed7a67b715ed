#include "app/session.h"

#include "app/words.h"

namespace lumsk::app {

using recipe::FieldKind;
using recipe::Recipe;

Session::Session(const recipe::Registry& registry)
    : registry_(registry), history_(std::make_shared<const Recipe>()), draftHistory_(history_.now()),
      now_(history_.now()), saved_(now_) {}

void Session::change(recipe::RecipePtr next, bool moving) {
  now_ = std::move(next);
  emit valueChanged(moving);
  emit recipeChanged();
}

void Session::edit(Recipe next, const QString& words) {
  auto value = std::make_shared<const Recipe>(std::move(next));
  record(value, words);
  change(value, false);
}

/// One entry to go back over: of the project's, or of the draft's own as long as there is one.
void Session::record(const recipe::RecipePtr& value, const QString& words) {
  (draft_.empty() ? history_ : draftHistory_).push(value, words.toStdString());
}

void Session::setInput(const std::string& step, const std::string& key, const json& value, const QString& words) {
  setInputs(step, json{{key, value}}, words);
}

void Session::setInputs(const std::string& step, const json& values, const QString& words) {
  const auto* entry = now_->find(step);
  if (!entry) return;
  Recipe next = *now_;
  bool changed = false, chosen = false;
  for (const auto& [key, value] : values.items()) {
    if (entry->inputs->contains(key) && (*entry->inputs)[key] == value) continue;
    const recipe::Field* f = recipe::fieldOf({step, key}, *now_, registry_);
    changed = true;
    chosen = chosen || (f && (f->kind == FieldKind::Choice || f->kind == FieldKind::Switch));
    next = recipe::withValue(next, {step, key}, value);
  }
  if (!changed) return;
  edit(std::move(next), words);
  if (chosen) emit choiceChanged(step);
}

void Session::dragTo(Recipe next) {
  if (!dragBase_) dragBase_ = now_;
  change(std::make_shared<const Recipe>(std::move(next)), true);
}

void Session::endDrag(const QString& words) {
  if (!dragBase_) return;
  dragBase_ = nullptr;
  record(now_, words);
  change(now_, false);
}

void Session::cancelDrag() {
  if (dragBase_) change(std::exchange(dragBase_, nullptr), false);
}

void Session::undo() {
  if (!draft_.empty()) {
    if (!draftHistory_.canUndo()) return dropDraft();
    draftHistory_.undo();
    return returnTo(draftHistory_.now());
  }
  history_.undo();
  returnTo(history_.now());
}

void Session::redo() {
  recipe::History& h = draft_.empty() ? history_ : draftHistory_;
  h.redo();
  returnTo(h.now());
}

void Session::returnTo(const recipe::RecipePtr& value) {
  cancelDrag();
  change(value, false);
  emit returned();
}

void Session::begin(recipe::StepEntry step) {
  if (!draft_.empty()) keepDraft();
  beforeDraft_ = now_;
  Recipe next = *now_;
  step.id = "s" + next.newId();
  draft_ = step.id;
  emit draftBegins();
  change(std::make_shared<const Recipe>(next.withInserted(std::make_shared<recipe::StepEntry>(std::move(step)))), false);
  draftHistory_ = recipe::History(now_);
  emit draftBegan();
}

void Session::endDraft() {
  draft_.clear();
  beforeDraft_ = dragBase_ = nullptr;
  beforeWay_.reset();
  emit draftEnds();
}

void Session::keepDraft() {
  if (draft_.empty()) return;
  const auto* entry = now_->find(draft_);
  const QString words = draftIsNew() ? tr("add %1") : tr("another way for %1");
  history_.push(now_, entry ? words.arg(QString::fromStdString(entry->label)).toStdString() : "");
  endDraft();
  emit recipeChanged();
  emit draftEnded();
}

void Session::dropDraft() {
  if (draft_.empty()) return;
  const auto back = beforeDraft_;
  endDraft();
  change(back, false);
  emit draftEnded();
}

void Session::showWay(const recipe::StepEntry* way, const std::string& inPlaceOf) {
  if (!way) {
    if (!beforeWay_) return;
    const recipe::StepPtr before = *beforeWay_;
    if (!before) return dropDraft();
    beforeWay_.reset();
    change(std::make_shared<const Recipe>(now_->withStep(before)), false);
    return void(emit draftBegan());
  }
  recipe::StepEntry entry = *way;
  const recipe::StepEntry* was = draft_.empty() ? now_->find(inPlaceOf) : nullptr;
  if (was) {
    draft_ = inPlaceOf;
    beforeDraft_ = now_;
    beforeWay_ = recipe::StepPtr();
    emit draftBegins();
    draftHistory_ = recipe::History(now_);
  }
  const recipe::StepEntry* old = draftIsNew() ? nullptr : beforeDraft_ ? beforeDraft_->find(draft_) : nullptr;
  // A name that somebody gave stays.
  const std::string kind = old ? said(registry_.find(old->kind)->label).toStdString() : "";
  const bool named = old && (old->kind == way->kind || old->label.compare(0, kind.size(), kind) != 0);
  entry.label = named ? old->label : recipe::freeLabel(*now_, said(registry_.find(way->kind)->label).toStdString());
  if (draft_.empty()) {
    begin(std::move(entry));
    beforeWay_ = recipe::StepPtr();
    return;
  }
  if (!beforeWay_) beforeWay_ = now_->steps[size_t(now_->indexOf(draft_))];
  entry.id = draft_;
  change(std::make_shared<const Recipe>(now_->withStep(std::make_shared<recipe::StepEntry>(std::move(entry)))), false);
  emit draftBegan();
}

void Session::replaceBy(recipe::RecipePtr recipe, bool saved) {
  history_ = recipe::History(recipe);
  saved_ = saved ? recipe : nullptr;
  endDraft();
  change(std::move(recipe), false);
}

void Session::bringAlong(const std::string& hash, std::string bytes) {
  Recipe next = *now_;
  next.imports[hash] = std::make_shared<const std::string>(std::move(bytes));
  now_ = std::make_shared<const Recipe>(std::move(next));
}

void Session::markSaved(const recipe::RecipePtr& value) {
  saved_ = value;
  emit recipeChanged();
}

} // namespace lumsk::app

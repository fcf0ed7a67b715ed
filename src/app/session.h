#pragma once
#include "recipe/edit.h"
#include "recipe/history.h"

#include <QObject>

namespace lumsk::app {

using nlohmann::json;

/// The recipe as it is edited: its history, a draft, and at most one drag, which ends exactly once.
class Session : public QObject {
  Q_OBJECT
public:
  explicit Session(const recipe::Registry& registry);

  // Values
  const recipe::Registry& registry() const { return registry_; }
  const recipe::Recipe& recipe() const { return *now_; } ///< with the draft, if there is one
  const recipe::RecipePtr& recipePtr() const { return now_; }
  bool modified() const { return now_ != saved_; }
  const std::string& draft() const { return draft_; } ///< id of a step that is not kept yet; empty: none
  bool canUndo() const { return !draft_.empty() || history_.canUndo(); }
  bool canRedo() const { return (draft_.empty() ? history_ : draftHistory_).canRedo(); }
  bool dragging() const { return dragBase_ != nullptr; }

  // Changes
  void edit(recipe::Recipe next, const QString& words); ///< one undo entry, or part of the draft
  void setInput(const std::string& step, const std::string& key, const json& value, const QString& words);
  void setInputs(const std::string& step, const json& values, const QString& words); ///< an object: value by key, in one edit
  void dragTo(recipe::Recipe next); ///< live, no undo entry yet
  void endDrag(const QString& words);
  void cancelDrag();
  void undo();
  void redo();

  // The draft
  void begin(recipe::StepEntry step); ///< at the here mark, with a new id
  void keepDraft();
  void dropDraft();
  /// The draft becomes one of the ways to make something; null: what it was before. Without a draft the step `inPlaceOf` becomes one, or
  /// else there is a new one.
  void showWay(const recipe::StepEntry* way, const std::string& inPlaceOf = {});
  bool draftIsNew() const { return beforeDraft_ && !beforeDraft_->find(draft_); }

  // Whole projects
  void replaceBy(recipe::RecipePtr recipe, bool saved);
  void bringAlong(const std::string& hash, std::string bytes); ///< of a file; the edit that uses it follows
  void markSaved(const recipe::RecipePtr& value); ///< as it was written

signals:
  void valueChanged(bool moving); ///< another recipe
  void recipeChanged();           ///< values or order of steps, or what is draft
  void choiceChanged(const std::string& step);
  void draftBegins(); ///< before what follows from it
  void draftBegan();  ///< there is one, or it became another
  void draftEnds();   ///< before what follows from it
  void draftEnded();
  void returned(); ///< to another value: undone, redone

private:
  void change(recipe::RecipePtr next, bool moving);
  void record(const recipe::RecipePtr& value, const QString& words);
  void returnTo(const recipe::RecipePtr& value);
  void endDraft();

  const recipe::Registry& registry_;
  recipe::History history_, draftHistory_;
  recipe::RecipePtr now_, saved_, dragBase_, beforeDraft_;
  std::optional<recipe::StepPtr> beforeWay_; ///< the draft before ways were shown; null in it: there was none
  std::string draft_;
};

} // namespace lumsk::app

#pragma once
#include "recipe/recipe.h"

namespace lumsk::recipe {

/// Undo and redo: a list of recipe values and a place in it.
class History {
public:
  explicit History(RecipePtr first) : list_{std::move(first)} {}
  const RecipePtr& now() const { return list_[at_]; }
  /// Adds a value after the present one; what was undone is dropped. `words` say what was done.
  void push(RecipePtr next, std::string words);
  bool canUndo() const { return at_ > 0; }
  bool canRedo() const { return at_ + 1 < list_.size(); }
  const std::string& undoWords() const { return words_[at_]; }
  const std::string& redoWords() const { return words_[at_ + 1]; }
  void undo() { at_ -= canUndo(); }
  void redo() { at_ += canRedo(); }

private:
  std::vector<RecipePtr> list_;
  std::vector<std::string> words_{""};
  size_t at_ = 0;
};

} // namespace lumsk::recipe

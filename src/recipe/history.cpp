#include "recipe/history.h"

namespace lumsk::recipe {

void History::push(RecipePtr next, std::string words) {
  list_.resize(at_ + 1);
  words_.resize(at_ + 1);
  list_.push_back(std::move(next));
  words_.push_back(std::move(words));
  ++at_;
}

} // namespace lumsk::recipe

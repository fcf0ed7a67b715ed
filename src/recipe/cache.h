#pragma once
#include "recipe/model.h"

#include <list>
#include <mutex>
#include <unordered_map>

namespace lumsk::recipe {

/// What became of a computation: an outcome, or the problem that its inputs lead to every time.
struct Known {
  OutcomePtr outcome;
  std::optional<Problem> problem;
  double seconds = 0.0; ///< what it took when it was made
};

/// Least-recently-used store of outcomes and problems by key. Shown and stale results are held by models too, so dropping one here
/// never takes it from the screen. Safe from several threads.
class Cache {
public:
  explicit Cache(size_t bytes = size_t(512) << 20) : limit_(bytes) {}
  std::optional<Known> find(const std::string& key);
  void put(const std::string& key, Known known);
  size_t bytes() const;

private:
  struct Entry {
    std::string key;
    Known known;
    size_t bytes;
  };
  mutable std::mutex mutex_;
  std::list<Entry> entries_; ///< most recent first
  std::unordered_map<std::string, std::list<Entry>::iterator> index_;
  size_t limit_, bytes_ = 0;
};

/// Estimate of the memory an outcome holds.
size_t sizeOf(const Outcome& o);

} // namespace lumsk::recipe

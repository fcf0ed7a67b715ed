#pragma once
#include "base/tolerances.h"

#include <atomic>
#include <chrono>
#include <functional>
#include <memory>
#include <optional>
#include <string>

namespace lumsk {

/// Shared flag that asks a computation to stop. Copies refer to the same flag.
class CancelToken {
public:
  void cancel() const { flag_->store(true, std::memory_order_relaxed); }
  bool cancelled() const { return flag_->load(std::memory_order_relaxed); }

private:
  std::shared_ptr<std::atomic<bool>> flag_ = std::make_shared<std::atomic<bool>>(false);
};

/// Told how far a computation is: fraction 0..1 and a few words. Called from worker threads.
using ProgressSink = std::function<void(double fraction, const std::string& words)>;

/// What every long computation gets: tolerances, cancel, progress.
struct Context {
  Tolerances tolerances;
  CancelToken cancel;
  ProgressSink progress;
  std::optional<std::chrono::steady_clock::time_point> until = {}; ///< when it is given up

  bool stopped() const { return cancel.cancelled() || late(); }
  bool late() const { return until && std::chrono::steady_clock::now() > *until; }
  void report(double fraction, const std::string& words) const {
    if (progress) progress(fraction, words);
  }
};

} // namespace lumsk

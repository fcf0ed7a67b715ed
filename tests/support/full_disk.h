#pragma once
#include <csignal>
#include <sys/resource.h>

namespace lumsk::test {

/// Files may not grow beyond this while it lives: what a full disk does to a writer.
class FullDisk {
public:
  explicit FullDisk(rlim_t bytes) {
    before_ = std::signal(SIGXFSZ, SIG_IGN);
    getrlimit(RLIMIT_FSIZE, &limit_);
    const rlimit small{bytes, limit_.rlim_max};
    setrlimit(RLIMIT_FSIZE, &small);
  }
  ~FullDisk() {
    setrlimit(RLIMIT_FSIZE, &limit_);
    std::signal(SIGXFSZ, before_);
  }

private:
  rlimit limit_{};
  void (*before_)(int) = nullptr;
};

} // namespace lumsk::test

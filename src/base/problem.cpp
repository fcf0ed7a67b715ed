#include "base/problem.h"

namespace lumsk {

namespace {
constexpr const char* kCancelledCode = "LM-A001";
}

Problem problem(std::string code, std::string what) {
  Problem p;
  p.code = std::move(code);
  p.what = std::move(what);
  return p;
}

std::string sentence(const Problem& p) {
  std::string s = p.what;
  if (p.measured) s += ": " + format(*p.measured) + " measured";
  if (p.required) s += (p.measured ? ", " : ": ") + format(*p.required) + " wanted";
  if (!p.remedyText.empty()) s += "; " + p.remedyText;
  return s;
}

Problem cancelled() { return problem(kCancelledCode, "stopped"); }
bool isCancelled(const Problem& p) { return p.code == kCancelledCode; }

} // namespace lumsk

#pragma once
#include "base/quantity.h"
#include "base/vec.h"

#include <optional>
#include <string>
#include <tl/expected.hpp>
#include <vector>

namespace lumsk {

/// A change of one input that removes a problem; offered as one click.
struct Remedy {
  std::string text;      ///< "use 1.2 mm", shown on the button
  std::string field;     ///< key of the step's field; empty when there is only advice
  std::string value;     ///< the new value as text of that field
  std::string step = {}; ///< id of the step, when it is another one
};

/// Something that went wrong, or a note on something that is not as asked.
/// The codes are listed in docs/problems.md.
struct Problem {
  std::string code;                 ///< stable, "LM-G103"
  std::string what;                 ///< in the person's words, lower case after the first letter
  std::optional<Quantity> measured; ///< what was found
  std::optional<Quantity> required; ///< what was wanted
  std::vector<Vec3> where;          ///< places in the model, mm
  std::string remedyText;           ///< something to do
  std::vector<Remedy> remedies;     ///< one-click changes
  std::string field;                ///< key of the field that is wrong, if one is
  std::string item;                 ///< id of the item of that field, if it is a list
  bool missing = false;             ///< nothing is wrong: something is still to be given

  Problem& at(const Vec3& p) {
    where.push_back(p);
    return *this;
  }
  Problem& measure(const Quantity& q) {
    measured = q;
    return *this;
  }
  Problem& want(const Quantity& q) {
    required = q;
    return *this;
  }
  Problem& tryThis(std::string text) {
    remedyText = std::move(text);
    return *this;
  }
  Problem& offer(Remedy r) {
    remedies.push_back(std::move(r));
    return *this;
  }
  Problem& isMissing() {
    missing = true;
    return *this;
  }
  Problem& inField(std::string key) {
    field = std::move(key);
    return *this;
  }
};

Problem problem(std::string code, std::string what);

/// One line for people: what, measured, required, remedy.
std::string sentence(const Problem& p);

template <class T> using Expected = tl::expected<T, Problem>;
using Unexpected = tl::unexpected<Problem>;
inline Unexpected fail(Problem p) { return Unexpected(std::move(p)); }

/// The result of a cancelled computation; `isCancelled` tells it from real problems.
Problem cancelled();
bool isCancelled(const Problem& p);

/// Leaves the function with the problem, or names the value.
#define LUMSK_TRY(name, expression)                                                                                    \
  auto name##Result = (expression);                                                                                    \
  if (!name##Result) return ::lumsk::fail(std::move(name##Result.error()));                                            \
  auto& name = *name##Result

#define LUMSK_CHECK(expression)                                                                                        \
  do {                                                                                                                 \
    auto checkResult = (expression);                                                                                   \
    if (!checkResult) return ::lumsk::fail(std::move(checkResult.error()));                                            \
  } while (false)

} // namespace lumsk

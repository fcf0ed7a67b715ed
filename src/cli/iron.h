#pragma once
#include "base/problem.h"

namespace lumsk::cli {

struct IronArguments {
  std::string file, out;
  std::vector<std::string> steps; ///< ids: of curves, or of skins whose curves are meant
  double mostMm = 0.2;
  bool why = false;    ///< only says which control points the wrinkles come from
  bool asJson = false;
};

/// Irons out curves of a project (see recipe/iron_out.h) and writes the project with the moves to OUT; or tells the control points that add
/// most to the wrinkles. Fails with LM-F037 (no such step, nowhere to write to) and as reading, ironing out and writing do.
Expected<void> iron(const IronArguments& a);

} // namespace lumsk::cli

#pragma once
#include "exchange/bureau.h"

namespace lumsk::cli {

struct SendArguments {
  std::string file;
  std::string bureau;           ///< socket; empty: the simulated one is started
  std::string manner = "usual"; ///< of the simulated one
  exchange::BureauWish wish;    ///< without a material: the first that the bureau has
  std::string layers;           ///< SVG of one layer
  int layer = -1;               ///< which, from 0; -1: the middle one
  exchange::BureauOptions options;
  bool asJson = false;
};

/// Sends the visible solids of a project to a print bureau and tells its answer: whether it accepts. Fails as `askBureau` and reading do, and with LM-F022.
Expected<bool> send(const SendArguments& a);

} // namespace lumsk::cli

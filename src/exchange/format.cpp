#include "exchange/format.h"

#include "brep/foreign.h"
#include "exchange/files.h"

#include <algorithm>
#include <cstdio>
#include <filesystem>

namespace lumsk::exchange {

const Format* formatOf(const std::string& path) {
  const std::string ending = extensionOf(path);
  for (const Format& f : formats())
    if (std::find(f.endings.begin(), f.endings.end(), ending) != f.endings.end()) return &f;
  return nullptr;
}

const Format* findFormat(const std::string& key) {
  for (const Format& f : formats())
    if (f.key == key) return &f;
  return nullptr;
}

std::array<unsigned, 3> rgbOf(const std::string& colour) {
  std::array<unsigned, 3> out{232, 226, 214};
  if (colour.size() == 7) std::sscanf(colour.c_str(), "#%2x%2x%2x", &out[0], &out[1], &out[2]);
  return out;
}

Expected<std::vector<recipe::BodyEntry>> readForeignBodies(const std::string& path) {
  LUMSK_TRY(bytes, readFile(path));
  const std::filesystem::path file(path);
  LUMSK_TRY(read, brep::readForeign(bytes, {brep::LengthUnit::FromFile, file.filename().string(),
                                            recipe::hashOf(bytes).substr(7)}, {}));
  std::vector<recipe::BodyEntry> out;
  for (auto& part : read.parts) {
    const std::string number = std::to_string(out.size() + 1);
    recipe::BodyEntry e;
    e.id = "b" + number;
    e.label = part.label.empty() ? file.stem().string() + " " + number : part.label;
    e.colour = part.colour;
    e.body = std::move(part.body);
    out.push_back(std::move(e));
  }
  return out;
}

} // namespace lumsk::exchange

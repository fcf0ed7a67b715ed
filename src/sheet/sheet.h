#pragma once
#include "recipe/model.h"
#include "scene/picture.h"
#include "sheet/sections.h"

#include <functional>

namespace lumsk::sheet {

struct SheetOptions {
  std::string title;                    ///< of the project
  std::string when;                     ///< the day, as it is to be printed
  bool letter = false;                  ///< the paper: US Letter instead of ISO A4, both lying
  scene::LensState lens;                ///< of the view from the corner
  std::optional<recipe::Finish> finish; ///< of all bodies, instead of their own
  std::vector<SheetSection> sections;   ///< planes that the form is drawn cut by
  std::optional<std::set<std::string>> measured; ///< names of the measurements that are told; nothing: all
  bool joins = true;                    ///< the table of joins
  /// Figures with their unit, as the person reads them.
  std::function<std::string(const Quantity&)> shown = [](const Quantity& q) { return format(q, 4); };
};

struct SheetDone {
  int pages = 0;
  std::string scale; ///< of the parallel views, "1:2"
};

/// A drawing's scale of ISO 5455 (1979): 1, 2 or 5 times a power of ten, enlarging or reducing.
struct Scale {
  double paperPerMm = 1.0;
  std::string name;
};
/// The largest of which `fits` (given mm on paper for a mm of the form) says that it does; 1:1000 when none does.
Scale largestScale(const std::function<bool(double)>& fits);

/// The report sheet as PDF: three parallel views to scale with the dimensions of the box, a view from the corner
/// through a lens, the state of every visible body, its joins worst first, sections, what was measured, and which steps failed.
/// Needs a display. Runs on any thread when the program has a QGuiApplication; else one is made, for this thread.
/// Fails with LM-D001, LM-D002, LM-D004 (there is nothing to be seen), LM-F022.
Expected<SheetDone> writeSheet(const recipe::Model& model, const std::string& path, const SheetOptions& options,
                               const Context& cx);

} // namespace lumsk::sheet

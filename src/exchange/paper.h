#pragma once
#include "drawing/files.h"
#include "exchange/export.h"

namespace lumsk::exchange {

/// The lines of a view: curves as they are seen, lines and arcs and splines exactly, and outlines of bodies with what
/// hides them cut away. Fails with LM-F036 and as `inspect::viewLines` does.
Expected<std::vector<PlaneLine>> linesOnPaper(const std::vector<recipe::BodyEntry>& bodies, const std::vector<NamedCurve>& curves, const PaperView& view,
                                              const Context& cx);

constexpr double kPaperFitMm = 0.001; ///< of splines that a format of lines does not have

/// The lines of a file as drawings are written, a layer for curves, outlines and what is hidden.
std::vector<drawing::LayeredPath> layersOf(const Contents& contents);

} // namespace lumsk::exchange

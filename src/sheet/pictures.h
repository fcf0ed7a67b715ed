#pragma once
#include "recipe/model.h"
#include "scene/picture.h"

#include <functional>

namespace lumsk::sheet {

/// One picture, or several that belong together.
struct PictureJob {
  scene::PictureOptions seen;         ///< size, eye, lens, ground, finish; of a page: of each view
  int frames = 0;                     ///< of a turntable; 0: no turntable
  std::vector<scene::ViewFrom> views; ///< on one page, in rows from the top left; empty: one view
};
constexpr int kFewestFrames = 2, kMostFrames = 720, kMostPixels = 8192;

struct PicturesDone {
  std::vector<std::string> files;
  int width = 0, height = 0; ///< pixels
};

/// Writes pictures: PNG, JPEG and what else Qt writes, by the ending; a page of views as PDF, too. Frames of a turntable stand beside the path, "PATH-001.png"
/// and on; views of a page that are parallel have one scale. Needs a display. Where it is stopped or fails, the files that it had written so far are
/// taken away. Fails with LM-D001, LM-D002, LM-D005 (it cannot be transparent), LM-D006 (too many frames or pixels, or both a
/// turntable and a page), LM-F022, or `cancelled`. Runs on any thread when the program has a QGuiApplication; else one is made, for this thread.
Expected<PicturesDone> writePictures(const recipe::Model& model, const std::string& path, const PictureJob& job, const Context& cx);

} // namespace lumsk::sheet

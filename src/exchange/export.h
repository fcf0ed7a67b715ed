#pragma once
#include "exchange/format.h"

namespace lumsk::exchange {

/// How lines come onto paper.
struct PaperView {
  std::string from = "front"; ///< one of `paperViews()`
  double scale = 1.0;         ///< paper mm per mm
  bool outlines = true;       ///< edges of bodies and where they turn out of sight
  bool hidden = false;        ///< those behind something, too
};
/// "front", "back", "left", "right", "top", "bottom", "corner", and "flat": square onto the plane that the curves lie in.
const std::vector<std::string>& paperViews();

struct ExportOptions {
  brep::MeshLimits mesh;   ///< of formats of triangles; points of curves lie as near as its chord
  bool curves = false;     ///< the curves that are seen, too, where the format carries them
  std::string format = {}; ///< key of the format; empty: by the file's ending
  PaperView view = {};     ///< of plane lines
};

struct Exported {
  int bodies = 0, triangles = 0, curves = 0, lines = 0;
  std::vector<std::string> leftOut; ///< "Name: why"
  std::vector<std::string> written; ///< names of the bodies, as they come in the file
};

/// The format that options and path mean; null for an unknown ending or key.
const Format* formatFor(const std::string& path, const ExportOptions& options);

/// What of a model a file in this format does not tell, one short sentence each; to be said before it is written.
std::vector<std::string> notCarried(const recipe::Model& model, const Format& format, const ExportOptions& options);

/// All visible bodies of a model to one file. Of formats that hold solids only, skins are left out; plane lines and
/// points hold curves. Nothing stale is written. Fails with LM-F023 (unknown ending), LM-F024 (nothing to write), LM-F034
/// (no curves in this format), LM-F036 (a view that does not exist, or curves that lie in no plane), and as the format
/// does.
Expected<Exported> exportModel(const recipe::Model& model, const std::string& path, const ExportOptions& options,
                               const Context& cx);

/// The model with only these bodies, in sight.
recipe::Model withOnly(const recipe::Model& model, const std::vector<std::string>& ids);

/// A word for a file out of a name that a person gave: without what file systems or shells take for something else.
std::string fileWord(const std::string& name);

/// Every visible body as a file of its own, "PATH-NAME.ENDING" beside the path; curves, where they are wanted, as one more.
/// What could be written stays when one of them fails; which it was, the problem says. Fails as `exportModel` does.
struct ExportedFile {
  std::string path;
  Exported what;
};
Expected<std::vector<ExportedFile>> exportEach(const recipe::Model& model, const std::string& path, const ExportOptions& options, const Context& cx);

/// Triangles that an export would have, for showing before it is made.
Expected<int> countTriangles(const recipe::Model& model, const Format& format, const ExportOptions& options, const Context& cx);

} // namespace lumsk::exchange

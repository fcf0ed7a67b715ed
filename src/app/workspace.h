#pragma once
#include "app/drawing_board.h"
#include "app/focus.h"
#include "app/project_file.h"
#include "app/step_edits.h"

namespace lumsk::app {

/// The open project as the window sees it: its rooms, wired to one another. Panels read values from them and ask them
/// for changes; nothing else holds state of the project.
class Workspace : public News {
  Q_OBJECT
public:
  explicit Workspace(const recipe::Registry& registry);

  Session& session() { return session_; }
  const Session& session() const { return session_; }
  Results& results() { return results_; }
  const Results& results() const { return results_; }
  Focus& focus() { return focus_; }
  const Focus& focus() const { return focus_; }
  DrawingBoard& board() { return board_; }
  StepEdits& steps() { return steps_; }
  ProjectFile& file() { return file_; }
  const ProjectFile& file() const { return file_; }

  // What nearly everybody reads
  const recipe::Registry& registry() const { return session_.registry(); }
  const recipe::Recipe& recipe() const { return session_.recipe(); }
  const recipe::ModelPtr& model() const { return results_.model(); }
  const scene::ScenePtr& scene() const { return results_.scene(); }
  bool busy() const { return results_.busy() || file_.busy(); }

  void lookAt(const Vec3& p) { emit wantsLookAt(p); }
  /// One step back: stop a drag, stop computing, then as the focus goes back. False if nothing was left.
  bool escape();

private:
  void passOn();
  std::string putIn_;  ///< the last step that was put in before others
  bool kept_ = false;  ///< it was, and they have still to use what it made
  Session session_;
  Results results_;
  Focus focus_;
  DrawingBoard board_;
  StepEdits steps_;
  ProjectFile file_;
};

} // namespace lumsk::app

#pragma once
#include "app/widgets.h"
#include "app/workspace.h"

class QProgressBar;

namespace lumsk::app {

/// Bottom edge: what the program waits for, and the quality of the step or pick at hand. Numbers are links to places.
class ReadoutStrip : public QWidget {
  Q_OBJECT
public:
  explicit ReadoutStrip(Workspace& w, QWidget* parent = nullptr);
  void progress(double fraction, const QString& words); ///< the thin line; words only for what takes long
  void tell(const QString& sentence);                   ///< a message until the next change

private:
  void sync();
  QPushButton* link(const QString& text, const Vec3& at, const QString& name);
  Workspace& w_;
  QLabel* words_;
  QHBoxLayout* figures_;
  QProgressBar* progress_;
};

} // namespace lumsk::app

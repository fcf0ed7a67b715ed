#pragma once
#include "app/widgets.h"
#include "app/workspace.h"

class QTreeWidget;

namespace lumsk::app {

/// Curves, skins and solids: visibility, colour, size, open or closed.
class PartsPanel : public QWidget {
  Q_OBJECT
public:
  explicit PartsPanel(Workspace& w, QWidget* parent = nullptr);

private:
  void sync();
  Workspace& w_;
  QTreeWidget* tree_;
  bool filling_ = false;
};

} // namespace lumsk::app

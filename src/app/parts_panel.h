#pragma once
#include "app/widgets.h"
#include "app/workspace.h"

class QComboBox;
class QLabel;
class QTreeWidget;

namespace lumsk::app {

/// Curves, skins and solids: what is in sight, colour, finish, transparency, size, open or closed.
class PartsPanel : public QWidget {
  Q_OBJECT
public:
  explicit PartsPanel(Workspace& w, QWidget* parent = nullptr);

private:
  void sync();
  void filter();
  std::vector<std::string> chosen() const; ///< ids of the chosen parts
  Workspace& w_;
  QTreeWidget* tree_;
  QComboBox* kinds_;
  QLabel* total_; ///< weight of what is in sight
  bool filling_ = false;
};

} // namespace lumsk::app

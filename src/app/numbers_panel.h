#pragma once
#include "app/widgets.h"
#include "app/workspace.h"

class QTableWidget;
class QLineEdit;

namespace lumsk::app {

/// Named numbers with expressions, and the tolerances.
class NumbersPanel : public QWidget {
  Q_OBJECT
public:
  explicit NumbersPanel(Workspace& w, QWidget* parent = nullptr);

private:
  void sync();
  void take();
  Workspace& w_;
  QTableWidget* table_;
  QLabel* problem_;
  QLabel *measured_ = nullptr, *measuredHead_ = nullptr;
  QLineEdit *point_, *fit_, *angle_, *curvature_;
  bool filling_ = false;
};

} // namespace lumsk::app

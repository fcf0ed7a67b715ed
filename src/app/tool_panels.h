#pragma once
#include "app/widgets.h"
#include "app/workspace.h"

#include <QButtonGroup>
#include <QVBoxLayout>

namespace lumsk::app {

/// Left edge: the stages in the order of the work.
class StageRail : public QWidget {
  Q_OBJECT
public:
  explicit StageRail(QWidget* parent = nullptr);
  void choose(int stage); ///< -1: none
signals:
  void chosen(int stage); ///< a click on the chosen one gives -1
private:
  QButtonGroup* buttons_;
  int now_ = -1;
};

/// Tools of the chosen stage.
class Drawer : public QWidget {
  Q_OBJECT
public:
  Drawer(Workspace& w, QWidget* parent = nullptr);
  void show(int stage);
  bool pinned() const;
  void setPinned(bool on);
signals:
  void exportWanted();
  void used(); ///< a tool was taken
private:
  Workspace& w_;
  QLabel* title_;
  QPushButton* pin_;
  QVBoxLayout* tools_;
};

} // namespace lumsk::app

#pragma once
#include "app/widgets.h"
#include "app/workspace.h"

#include <functional>

class QLineEdit;
class QListWidget;

namespace lumsk::app {

/// Opens over the view: part of a tool's or step's name, a number ("wall = 2.2"), a view.
class CommandField : public QWidget {
  Q_OBJECT
public:
  CommandField(Workspace& w, QWidget* parent);
  void open(int top, int right); ///< below and left of what else lies over the view
  void addCommand(const QString& words, std::function<void()> run);

protected:
  bool eventFilter(QObject* o, QEvent* e) override;

private:
  struct Entry {
    QString words;
    std::function<void()> run;
  };
  void filter();
  void runCurrent();
  Workspace& w_;
  QLineEdit* edit_;
  QListWidget* list_;
  std::vector<Entry> fixed_, shown_;
};

} // namespace lumsk::app

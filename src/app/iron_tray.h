#pragma once
#include "app/background.h"
#include "app/workspace.h"
#include "recipe/iron_out.h"

#include <QFrame>

class QLabel;
class QLineEdit;
class QPushButton;

namespace lumsk::app {

class ViewWidget;

/// Irons out the curves of what is picked, or of the open step: how far control points may move is stated, what came of it is told, and can be
/// tried again with another distance. What was there before is kept as before, so that B shows it. Each time is one undo entry.
class IronTray : public QFrame {
  Q_OBJECT
public:
  IronTray(Workspace& w, ViewWidget& view);
  void open();   ///< for what is picked, or the open step; says why when there is nothing to iron out
  void giveUp(); ///< what it did goes back, and it closes
  bool busy() const { return busy_; }
  const std::optional<recipe::IronedOut>& last() const { return done_; } ///< what it did last; nothing: not yet

private:
  void run();
  void finished(Expected<recipe::IronedOut> made, double seconds);
  void takeBack(); ///< what it did last, where nothing else was done since
  void end();

  Workspace& w_;
  ViewWidget& view_;
  QLabel *title_, *what_, *result_;
  QLineEdit* most_;
  QPushButton *go_, *keep_, *drop_;
  std::vector<recipe::PickRef> picks_;
  std::optional<recipe::IronedOut> done_;
  recipe::RecipePtr after_; ///< the recipe as it left it
  bool busy_ = false;
  Background work_;
};

} // namespace lumsk::app

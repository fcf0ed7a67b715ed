#pragma once
#include "app/background.h"
#include "app/workspace.h"
#include "recipe/ways.h"
#include "scene/lens_work.h"

#include <QFrame>

class QHBoxLayout;
class QLabel;
class QScrollArea;

namespace lumsk::app {

class ViewWidget;

/// A way with what its card shows.
struct TriedWay {
  recipe::Way way;
  scene::ScenePtr scene;       ///< of the model with it
  scene::LensResultPtr lensResult; ///< what the lens of the view shows on that
};

/// Every construction through the same curves as a card: a picture under the lens of the view, and figures. The best
/// one is shown in place at once; the pointer, or Left and Right, show another one; Enter keeps what is shown, Esc goes
/// back to what was there.
class WaysTray : public QFrame {
  Q_OBJECT
public:
  WaysTray(Workspace& w, ViewWidget& view);
  void open();   ///< for what is picked, or the open step; says why when that is nothing
  void giveUp(); ///< nothing stays of it
  bool busy() const { return busy_; }
  const std::vector<TriedWay>& ways() const { return ways_; } ///< those that fit, the best first
  int shown() const { return shown_; }                        ///< which of them is in place; -1: none

protected:
  bool eventFilter(QObject* o, QEvent* e) override;

private:
  void start(const json& picks);
  void finished(std::vector<TriedWay> all, double seconds);
  void show(int way);
  void end();
  QWidget* card(int way);
  QString figures(const recipe::Way& w) const;
  void clear();

  Workspace& w_;
  ViewWidget& view_;
  QLabel *title_, *reason_, *unfit_;
  QScrollArea* scroll_; ///< of the cards
  QHBoxLayout* cards_;
  std::vector<TriedWay> ways_;
  std::vector<QWidget*> frames_;
  int shown_ = -1;
  bool busy_ = false;
  std::string inPlaceOf_; ///< the open step, which they are ways to make; empty: a new one
  Background work_;
};

} // namespace lumsk::app

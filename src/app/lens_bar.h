#pragma once
#include "app/view/view_widget.h"

namespace lumsk::app {

/// The lenses as a column of tags at the edge of the view: one way of looking at surfaces is on, others may lie over
/// it. Folded, only those that are on are shown.
class LensBar : public QWidget {
  Q_OBJECT
public:
  explicit LensBar(ViewWidget& view);
signals:
  void resized();

private:
  void sync();
  ViewWidget& view_;
  QPushButton* head_;
  std::map<std::string, QPushButton*> tags_;
};

} // namespace lumsk::app

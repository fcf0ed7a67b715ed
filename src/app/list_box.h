#pragma once
#include <QComboBox>
#include <QWheelEvent>

namespace lumsk::app {

/// A list that stays as it is while the wheel scrolls what it stands in.
class ListBox : public QComboBox {
protected:
  void wheelEvent(QWheelEvent* e) override { e->ignore(); }
};

} // namespace lumsk::app

#pragma once
#include "scene/lens_work.h"

#include <QWidget>

namespace lumsk::app {

/// The colours of a lens with their ends, and above them how much of the form has which value.
class Legend : public QWidget {
  Q_OBJECT
public:
  explicit Legend(QWidget* parent = nullptr);
  void show(const scene::LensResult& result);
  QSize sizeHint() const override;

protected:
  void paintEvent(QPaintEvent*) override;

private:
  scene::LensState lens_;
  scene::ValueSpread spread_;
};

/// A value of a lens with its unit, as people read it.
QString valueText(const scene::LensState& lens, double value);

} // namespace lumsk::app

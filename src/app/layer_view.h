#pragma once
#include "exchange/bureau.h"

#include <QWidget>

namespace lumsk::app {

/// One layer of a print as it lies on the bed, to scale: what is laid down, what supports it, what lies over nothing and what is too thin.
class LayerView : public QWidget {
  Q_OBJECT
public:
  LayerView();
  /// The room that all layers of a print share, mm.
  void setBox(const Vec3& low, const Vec3& high);
  void show(const std::optional<exchange::BureauLayer>& layer);
  const std::optional<exchange::BureauLayer>& layer() const { return layer_; }
  QSize sizeHint() const override { return {360, 260}; }

protected:
  void paintEvent(QPaintEvent* e) override;

private:
  Vec3 low_ = Vec3::Zero(), high_ = Vec3::Zero();
  std::optional<exchange::BureauLayer> layer_;
};

/// What its colours mean, in words beside a patch of each.
QWidget* layerLegend();

} // namespace lumsk::app

#include "app/layer_view.h"

#include "app/theme.h"
#include "app/widgets.h"

#include <QPainter>
#include <QPainterPath>
#include <array>

namespace lumsk::app {

namespace {

constexpr double kMargin = 14; ///< pixels

enum class Laid { Support, Solid, Hanging, Thin };
/// Told apart by pattern, too.
QBrush brushOf(Laid what) {
  switch (what) {
  case Laid::Support: return {tones().soft, Qt::BDiagPattern};
  case Laid::Solid: return tones().accent;
  case Laid::Hanging: return {tones().caution, Qt::Dense3Pattern};
  default: return tones().attention;
  }
}

QPainterPath pathOf(const exchange::BureauLayer::Loops& loops) {
  QPainterPath path;
  for (const auto& loop : loops) {
    QPolygonF polygon;
    for (const auto& p : loop) polygon << QPointF(p.x(), p.y());
    path.addPolygon(polygon);
    path.closeSubpath();
  }
  return path;
}

/// A patch of one kind in a legend.
class Patch : public QWidget {
public:
  explicit Patch(Laid what) : what_(what) { setFixedSize(16, 12); }

protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    p.setPen(tones().border);
    p.setBrush(brushOf(what_));
    p.drawRect(rect().adjusted(0, 0, -1, -1));
  }

private:
  Laid what_;
};

} // namespace

LayerView::LayerView() {
  setObjectName("bureau-layer");
  setAccessibleName(tr("a layer of the print, seen from above"));
  setMinimumSize(240, 180);
}

void LayerView::setBox(const Vec3& low, const Vec3& high) {
  low_ = low, high_ = high;
  update();
}

void LayerView::show(const std::optional<exchange::BureauLayer>& layer) {
  layer_ = layer;
  update();
}

void LayerView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(tones().line);
  p.setBrush(tones().base);
  p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
  if (!layer_) return;
  const Vec3 size = (high_ - low_).cwiseMax(1e-6), middle = 0.5 * (low_ + high_);
  const double scale = std::min((width() - 2 * kMargin) / size.x(), (height() - 2 * kMargin) / size.y());
  p.translate(width() / 2.0, height() / 2.0);
  p.scale(scale, -scale);
  p.translate(-middle.x(), -middle.y());
  QPen outline(tones().ink, 1);
  outline.setCosmetic(true);
  const std::array<std::pair<Laid, const exchange::BureauLayer::Loops*>, 4> parts{
      {{Laid::Support, &layer_->support}, {Laid::Solid, &layer_->solid}, {Laid::Hanging, &layer_->hanging}, {Laid::Thin, &layer_->thin}}};
  for (const auto& [what, loops] : parts) {
    p.setPen(what == Laid::Solid ? outline : Qt::NoPen);
    QBrush brush = brushOf(what);
    brush.setTransform(p.transform().inverted()); // patterns in pixels
    p.setBrush(brush);
    p.drawPath(pathOf(*loops));
  }
}

QWidget* layerLegend() {
  auto* legend = new QWidget;
  auto* row = new QHBoxLayout(legend);
  row->setContentsMargins({});
  row->setSpacing(6);
  for (const auto& [what, words] : {std::pair{Laid::Solid, LayerView::tr("part")}, std::pair{Laid::Support, LayerView::tr("support")},
                                    std::pair{Laid::Hanging, LayerView::tr("over nothing")}, std::pair{Laid::Thin, LayerView::tr("too thin")}}) {
    row->addWidget(new Patch(what));
    row->addWidget(toned(words, "soft"));
    row->addSpacing(8);
  }
  row->addStretch();
  return legend;
}

} // namespace lumsk::app

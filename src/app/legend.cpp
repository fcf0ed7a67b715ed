#include "app/legend.h"

#include "app/preferences.h"

#include <QPainter>

namespace lumsk::app {

namespace {

constexpr int kBars = 34, kBand = 14;

} // namespace

QString valueText(const scene::LensState& lens, double v) {
  using Unit = scene::FieldLens::Unit;
  const scene::FieldLens* field = scene::fieldLensOf(lens);
  switch (field ? field->unit(lens) : Unit::Millimetres) {
  case Unit::Millimetres: return shownLength(v);
  case Unit::Degrees: return shownNumber(v) + "°";
  case Unit::PerMillimetre: return shownNumber(v) + " /mm";
  case Unit::PerSquareMillimetre: return shownNumber(v) + " /mm²";
  }
  return shownNumber(v);
}

Legend::Legend(QWidget* parent) : QWidget(parent) {
  setObjectName("legend");
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

QSize Legend::sizeHint() const { return {200, kBars + kBand + fontMetrics().height() + 6}; }

void Legend::show(const scene::LensResult& result) {
  lens_ = result.lens;
  spread_ = result.spread;
  setAccessibleName(tr("colours from %1 to %2").arg(valueText(lens_, spread_.low), valueText(lens_, spread_.high)));
  update();
}

void Legend::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const double w = width() - 1;
  double most = 1e-9;
  for (double h : spread_.histogram) most = std::max(most, h);
  const double n = double(std::max<size_t>(1, spread_.histogram.size()));
  for (size_t i = 0; i < spread_.histogram.size(); ++i) {
    // The root lets small shares be seen beside large ones.
    const double h = kBars * std::sqrt(spread_.histogram[i] / most);
    p.fillRect(QRectF(w * double(i) / n, kBars - h, w / n - 0.5, h), tones().soft);
  }
  const scene::FieldLens* field = scene::fieldLensOf(lens_);
  for (int x = 0; x <= int(w); ++x) {
    const double t = x / w;
    const auto c = field ? field->legendColour(lens_, t, spread_.low + t * (spread_.high - spread_.low)) : scene::fieldColour(t);
    p.setPen(QColor::fromRgbF(float(c[0]), float(c[1]), float(c[2])));
    p.drawLine(x, kBars + 2, x, kBars + 2 + kBand);
  }
  p.setPen(tones().text);
  const QRectF words(0, kBars + kBand + 3, w, fontMetrics().height() + 2);
  p.drawText(words, Qt::AlignLeft, valueText(lens_, spread_.low));
  p.drawText(words, Qt::AlignRight, valueText(lens_, spread_.high));
  if (spread_.low < 0 && spread_.high > 0) p.drawText(words, Qt::AlignHCenter, "0");
}

} // namespace lumsk::app

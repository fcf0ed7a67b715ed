#include "sheet/paper.h"

#include <QFontMetricsF>
#include <QPageLayout>
#include <QPainterPath>

#include <cmath>

namespace lumsk::sheet {

namespace {

constexpr double kMmPerInch = 25.4;
constexpr double kRow = 4.8, kTextPoints = 7.5, kHeadPoints = 9.5;

QColor colourOf(Paper::Tone t) {
  switch (t) {
  case Paper::Tone::Plain: return QColor(0x22262A);
  case Paper::Tone::Soft: return QColor(0x5F666B);
  case Paper::Tone::Bad: return QColor(0xA8341B);
  }
  return {};
}

} // namespace

Paper::Paper(QPagedPaintDevice& device, std::function<void(Paper&)> onEveryPage)
    : device_(device), painter_(&device), onEveryPage_(std::move(onEveryPage)) {
  k_ = device.logicalDpiX() / kMmPerInch;
  size_ = device.pageLayout().paintRect(QPageLayout::Millimeter).size();
  painter_.setRenderHint(QPainter::LosslessImageRendering);
  onEveryPage_(*this);
}

QFont Paper::font(double points, bool strong) const {
  QFont f("Inter");
  f.setPointSizeF(points);
  f.setStyleStrategy(QFont::PreferNoShaping); // signs keep their meaning when text is copied from the file
  f.setWeight(strong ? QFont::DemiBold : QFont::Normal);
  return f;
}

void Paper::need(double mm) {
  if (y_ + mm <= height()) return;
  device_.newPage();
  ++pages_;
  y_ = 0;
  onEveryPage_(*this);
}

void Paper::text(const QRectF& box, const QString& words, double points, Qt::Alignment align, bool strong, Tone tone) {
  const QFont f = font(points, strong);
  painter_.setFont(f);
  painter_.setPen(colourOf(tone));
  const QString fits = QFontMetricsF(f, &device_).elidedText(words, Qt::ElideRight, px(box).width());
  painter_.drawText(px(box), int(align | Qt::AlignVCenter) | Qt::TextSingleLine, fits);
}

void Paper::heading(const QString& words) {
  need(3 + 6 + 3 * kRow); // never alone at the foot of a page
  y_ += 3;
  text({0, y_, width(), 6}, words, kHeadPoints, Qt::AlignLeft, true);
  y_ += 6;
}

void Paper::paragraph(const QString& words, Tone tone) {
  const QFont f = font(kTextPoints, false);
  const QRectF wide(0, 0, width() * k_, 1e6);
  const double tall = QFontMetricsF(f, &device_).boundingRect(wide, Qt::TextWordWrap, words).height() / k_ + 0.8;
  need(tall);
  painter_.setFont(f);
  painter_.setPen(colourOf(tone));
  painter_.drawText(px(QRectF(0, y_, width(), tall)), Qt::TextWordWrap, words);
  y_ += tall;
}

void Paper::line(QPointF a, QPointF b, double points) {
  painter_.setPen(QPen(colourOf(Tone::Soft), points * kMmPerInch / 72 * k_, Qt::SolidLine, Qt::FlatCap));
  painter_.drawLine(px(a), px(b));
}

void Paper::outline(const QPainterPath& path, std::optional<double> hatchDeg) {
  constexpr double kApart = 1.4; ///< mm between lines of a hatching
  const QPainterPath drawn = QTransform::fromScale(k_, k_).map(path);
  if (hatchDeg) {
    painter_.save();
    painter_.setClipPath(drawn);
    const QRectF box = path.boundingRect();
    const double reach = 0.5 * std::hypot(box.width(), box.height()), a = *hatchDeg * M_PI / 180;
    const QPointF along(std::cos(a), -std::sin(a)), side(-along.y(), along.x());
    for (double at = -reach; at <= reach; at += kApart) line(box.center() + side * at - along * reach, box.center() + side * at + along * reach, 0.25);
    painter_.restore();
  }
  painter_.setPen(QPen(colourOf(Tone::Plain), 0.8 * kMmPerInch / 72 * k_, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
  painter_.setBrush(Qt::NoBrush);
  painter_.drawPath(drawn);
}

void Paper::image(const QRectF& box, const QImage& image) { painter_.drawImage(px(box), image); }

void Paper::dimension(QPointF a, QPointF b, const QString& words) {
  const QPointF d = b - a;
  const double length = std::hypot(d.x(), d.y());
  if (length < 1e-6) return;
  const QPointF along = d / length, across(-along.y(), along.x());
  line(a, b);
  for (const auto& [end, inward] : {std::pair{a, along}, std::pair{b, -along}}) {
    line(end - 1.5 * across, end + 1.5 * across);
    line(end, end + 1.6 * inward + 0.6 * across);
    line(end, end + 1.6 * inward - 0.6 * across);
  }
  const QPointF middle = 0.5 * (a + b);
  if (std::abs(d.x()) > std::abs(d.y()))
    text({middle.x() - 30, middle.y() - 5, 60, 4.5}, words, kTextPoints, Qt::AlignHCenter);
  else
    text({middle.x() - 31.5, middle.y() - 2.5, 30, 5}, words, kTextPoints, Qt::AlignRight);
}

void Paper::table(const std::vector<Column>& columns, const std::vector<QStringList>& rows) {
  double all = 0;
  for (const Column& c : columns) all += c.share;
  const auto row = [&](const std::function<QString(size_t)>& cell, bool head) {
    double x = 0;
    for (size_t c = 0; c < columns.size(); ++c) {
      const double w = width() * columns[c].share / all;
      text({x, y_, w - 2, kRow}, cell(c), kTextPoints, columns[c].number ? Qt::AlignRight : Qt::AlignLeft, false,
           head ? Tone::Soft : Tone::Plain);
      x += w;
    }
    y_ += kRow;
  };
  const auto head = [&] {
    row([&](size_t c) { return columns[c].head; }, true);
    line({0, y_}, {width(), y_});
    y_ += 0.6;
  };
  need(2 * kRow + 1);
  head();
  for (const QStringList& r : rows) {
    const int page = pages_;
    need(kRow);
    if (pages_ != page) head();
    row([&](size_t c) { return r.value(int(c)); }, false);
  }
}

} // namespace lumsk::sheet

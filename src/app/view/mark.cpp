#include "app/view/mark.h"

#include "app/theme.h"

#include <array>
#include <cmath>

namespace lumsk::app {

namespace {

constexpr double kApart = 17; ///< pixels between centres of marks that are to be hit
constexpr int kWidestLabel = 280;
constexpr double kBorder = 6;

} // namespace

QRectF MarkPainter::placeFor(QPointF at, const QSizeF& size) const {
  const auto inside = [&](QRectF r) {
    r.moveLeft(std::max(kBorder, std::min(r.left(), room_.width() - kBorder - r.width())));
    r.moveTop(std::max(kBorder, std::min(r.top(), room_.height() - kBorder - r.height())));
    return r;
  };
  const auto isFree = [&](const QRectF& r) {
    for (const QRectF& t : taken_)
      if (t.intersects(r)) return false;
    return true;
  };
  const double w = size.width(), h = size.height();
  // Beside it, right or left, then above and below; else further and further down and up.
  const std::array<QPointF, 4> beside{QPointF(12, -h / 2), QPointF(-12 - w, -h / 2), QPointF(8, -12 - h),
                                      QPointF(8, 12)};
  const auto fits = [&](const QPointF& by) { // what has to move in to be inside may lie on its own mark
    const QRectF r(at + by, size);
    return inside(r) == r && isFree(r);
  };
  for (const QPointF& by : beside)
    if (fits(by)) return {at + by, size};
  for (int k = 1; k <= 40; ++k)
    for (const double down : {10.0 * k, -10.0 * k})
      for (const QPointF& by : {beside[0], beside[1]})
        if (const QRectF r = inside({at + by + QPointF(0, down), size}); isFree(r)) return r;
  return inside({at + beside[0], size});
}

void MarkPainter::label(QPointF at, const QString& text, const QColor& ink, const QColor& border) {
  const QSizeF size = painter.fontMetrics()
                          .boundingRect(QRect(0, 0, kWidestLabel, 400), Qt::AlignLeft | Qt::TextWordWrap, text)
                          .adjusted(-7, -4, 7, 4)
                          .size();
  const QRectF r = placeFor(at, size);
  keepFree(r.adjusted(0, 0, 0, 1));
  painter.setPen(QPen(border, 1));
  painter.setBrush(tones().over);
  painter.drawRoundedRect(r, 5, 5);
  painter.setPen(ink);
  painter.drawText(r.adjusted(7, 4, -7, -4), Qt::AlignLeft | Qt::AlignVCenter | Qt::TextWordWrap, text);
}

void makeRoom(std::vector<Mark>& marks) {
  std::vector<const Mark*> settled;
  for (const bool yields : {false, true})
    for (Mark& m : marks) {
      if (!m.kind->grabbed || m.kind->yields != yields) continue;
      // Round the place where it would be, in rings: the first that is free.
      const QPointF wanted = m.at;
      const auto isFree = [&] {
        for (const Mark* o : settled)
          if (std::hypot(o->at.x() - m.at.x(), o->at.y() - m.at.y()) < kApart) return false;
        return true;
      };
      for (int k = 0; yields && k < 48 && !isFree(); ++k) {
        const double angle = -M_PI / 2 + k * M_PI / 4, reach = kApart * (1 + k / 8);
        m.at = wanted + reach * QPointF(std::cos(angle), std::sin(angle));
      }
      m.tip += m.at - wanted;
      settled.push_back(&m);
    }
}

void paintKnob(MarkPainter& mp, const Mark& m) {
  QPainter& p = mp.painter;
  p.setPen(QPen(tones().text, 1.4));
  p.drawLine(m.from, m.at);
  p.setBrush(Qt::white);
  p.drawEllipse(m.at, 6, 6);
  mp.label(m.at, m.text, tones().text, tones().line);
}

} // namespace lumsk::app

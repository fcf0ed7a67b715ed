#pragma once
#include <QPagedPaintDevice>
#include <QPainter>

#include <functional>
#include <optional>

namespace lumsk::sheet {

/// A column of a table. Shares of the width need not add up to one.
struct Column {
  QString head;
  double share = 1.0;
  bool number = false; ///< set to the right
};

/// Pages to write on from top to bottom, in millimetres from the corner of the margins.
class Paper {
public:
  Paper(QPagedPaintDevice& device, std::function<void(Paper&)> onEveryPage);
  double width() const { return size_.width(); }
  double height() const { return size_.height(); }
  double y() const { return y_; }
  void setY(double y) { y_ = y; }
  int pages() const { return pages_; }
  /// Goes to a new page unless so much of this one is left.
  void need(double mm);

  enum class Tone { Plain, Soft, Bad };
  void text(const QRectF& box, const QString& words, double points, Qt::Alignment align = Qt::AlignLeft,
            bool strong = false, Tone tone = Tone::Plain);
  void heading(const QString& words);
  void paragraph(const QString& words, Tone tone = Tone::Plain);
  void line(QPointF a, QPointF b, double points = 0.4);
  /// A line, in mm; what it encloses by the even-odd rule is hatched at an angle, if one is given (ISO 128-50, 2001).
  void outline(const QPainterPath& path, std::optional<double> hatchDeg);
  void image(const QRectF& box, const QImage& image);
  /// A dimension between two points, with its ends drawn; the words stand above it, or at its left when it is upright.
  void dimension(QPointF a, QPointF b, const QString& words);
  /// A table that goes on over pages, its head on each.
  void table(const std::vector<Column>& columns, const std::vector<QStringList>& rows);

private:
  QPointF px(QPointF mm) const { return mm * k_; }
  QRectF px(const QRectF& mm) const { return {mm.topLeft() * k_, mm.size() * k_}; }
  QFont font(double points, bool strong) const;
  QPagedPaintDevice& device_;
  QPainter painter_;
  std::function<void(Paper&)> onEveryPage_;
  double k_ = 1.0; ///< device units in a millimetre
  QSizeF size_;
  double y_ = 0.0;
  int pages_ = 1;
};

} // namespace lumsk::sheet

#include "app/view/overlay.h"

#include "app/preferences.h"
#include "app/theme.h"
#include "app/view/rays.h"

#include <QPainter>

namespace lumsk::app {

namespace {

constexpr double kReachPixels = 12; ///< of a hand

} // namespace

Overlay::Overlay(QWidget* parent) : QWidget(parent) {
  setAttribute(Qt::WA_TransparentForMouseEvents);
  setAttribute(Qt::WA_NoSystemBackground);
}

void Overlay::set(std::vector<Mark> marks, const scene::Camera& camera) {
  marks_ = std::move(marks);
  camera_ = camera;
  update();
}

void Overlay::setLit(std::vector<Lit> lit) {
  if (lit.empty() && lit_.empty()) return;
  lit_ = std::move(lit);
  update();
}

void Overlay::setLens(std::vector<LensMark> marks) {
  if (marks.empty() && lens_.empty()) return;
  lens_ = std::move(marks);
  update();
}

void Overlay::setBox(const QRectF& box) {
  box_ = box;
  update();
}

void Overlay::setNets(std::vector<std::vector<Vec3>> nets) {
  if (nets.empty() && nets_.empty()) return;
  nets_ = std::move(nets);
  update();
}

void Overlay::setTints(std::vector<Tint> tints) {
  if (tints.empty() && tints_.empty()) return;
  tints_ = std::move(tints);
  update();
}

void Overlay::setStrokes(std::vector<Stroke> strokes) {
  if (strokes.empty() && strokes_.empty()) return;
  strokes_ = std::move(strokes);
  update();
}

void Overlay::setHover(const QString& label, QPointF at) {
  if (hover_ == label && (label.isEmpty() || hoverAt_ == at)) return;
  hover_ = label;
  hoverAt_ = at;
  update();
}

void Overlay::setSnap(const std::optional<Vec3>& at) {
  if (!at && !snap_) return;
  snap_ = at;
  update();
}

const Mark* Overlay::markAt(QPointF p) const {
  const Mark* best = nullptr;
  double nearest = kReachPixels;
  for (const Mark& m : marks_) {
    const QPointF d = m.at - p;
    if (const double l = std::hypot(d.x(), d.y()); m.kind->grabbed && l < nearest) nearest = l, best = &m;
  }
  return best;
}

void Overlay::paintEvent(QPaintEvent*) {
  QPainter p(this);
  paintTints(p);
  p.setRenderHint(QPainter::Antialiasing);
  paintLit(p);
  QFont small = font();
  small.setPointSizeF(small.pointSizeF() * 0.92);
  p.setFont(small);
  paintLens(p);
  paintNets(p);
  paintStrokes(p);
  paintMarks(p);
  paintBox(p);
  paintAxes(p);
}

/// One area on the screen each, so that triangles that lie behind one another do not add up.
void Overlay::paintTints(QPainter& p) const {
  p.setPen(Qt::NoPen);
  for (const Tint& t : tints_) {
    QImage area(size(), QImage::Format_ARGB32_Premultiplied);
    area.fill(Qt::transparent);
    QPainter on(&area);
    on.setPen(Qt::NoPen);
    QColor opaque = t.colour;
    opaque.setAlpha(255);
    on.setBrush(opaque);
    for (size_t k = 0; k + 2 < t.triangles.size(); k += 3) {
      QPolygonF corners;
      for (size_t i = k; i < k + 3; ++i)
        if ((t.triangles[i] - camera_.eye).dot(camera_.direction) > 0) corners << pixelOf(camera_, t.triangles[i]);
      if (corners.size() == 3) on.drawPolygon(corners);
    }
    on.end();
    p.setOpacity(t.colour.alphaF());
    p.drawImage(0, 0, area);
  }
  p.setOpacity(1);
}

void Overlay::paintNets(QPainter& p) const {
  QColor faint = tones().text;
  faint.setAlpha(120);
  p.setPen(QPen(faint, 1, Qt::DashLine));
  for (const auto& line : nets_) paintLine(p, line);
}

void Overlay::paintStrokes(QPainter& p) const {
  p.setBrush(Qt::NoBrush);
  for (const Stroke& s : strokes_) {
    p.setPen(QPen(s.colour, s.width, s.dashed ? Qt::DashLine : Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    paintLine(p, s.line);
  }
}

void Overlay::paintMarks(QPainter& p) const {
  MarkPainter painter(p, size());
  // Words do not go under the buttons and panels that stand over the view.
  for (const QWidget* other : parentWidget()->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly))
    if (other != this && other->isVisible() && other->width() < width() / 2) painter.keepFree(other->geometry());
  for (const Mark& m : marks_)
    if (m.kind->grabbed) painter.keepFree(QRectF(m.at.x() - 9, m.at.y() - 9, 18, 18));
  for (const Mark& m : marks_) m.kind->paint(painter, m);
  if (snap_) {
    const QPointF at = pixelOf(camera_, *snap_);
    p.setPen(QPen(tones().accent, 2));
    p.setBrush(Qt::NoBrush);
    p.drawPolygon(QPolygonF{at + QPointF(0, -8), at + QPointF(8, 0), at + QPointF(0, 8), at + QPointF(-8, 0)});
  }
  if (!hover_.isEmpty()) painter.label(hoverAt_ + QPointF(6, -16), hover_, tones().accentText, tones().line);
}

void Overlay::paintBox(QPainter& p) const {
  if (box_.isEmpty()) return;
  p.setPen(QPen(tones().accentText, 1.2, Qt::DashLine));
  QColor ground = tones().accent;
  ground.setAlpha(36);
  p.setBrush(ground);
  p.drawRect(box_);
}

/// Only what is in front of the eye.
void Overlay::paintLine(QPainter& p, const std::vector<Vec3>& line) const {
  QPolygonF run;
  for (const Vec3& q : line) {
    if ((q - camera_.eye).dot(camera_.direction) > 0) {
      run << pixelOf(camera_, q);
      continue;
    }
    p.drawPolyline(run);
    run.clear();
  }
  p.drawPolyline(run);
}

void Overlay::paintLit(QPainter& p) const {
  for (const Lit& lit : lit_) {
    p.setPen(QPen(lit.colour, 2.6, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    p.setBrush(Qt::NoBrush);
    for (const auto& line : lit.outline.lines) paintLine(p, line);
    p.setPen(QPen(Qt::white, 1.5));
    p.setBrush(lit.colour);
    for (const Vec3& q : lit.outline.points)
      if ((q - camera_.eye).dot(camera_.direction) > 0) p.drawEllipse(pixelOf(camera_, q), 5.5, 5.5);
  }
}

void Overlay::paintLens(QPainter& p) const {
  for (const LensMark& m : lens_) {
    p.setPen(QPen(m.colour, 3, m.dashed ? Qt::DashLine : Qt::SolidLine, Qt::FlatCap, Qt::RoundJoin));
    p.setBrush(Qt::NoBrush);
    paintLine(p, m.line);
  }
  for (const LensMark& m : lens_) {
    if (m.letter.isEmpty()) continue;
    const QPointF at = pixelOf(camera_, m.middle);
    const double w = p.fontMetrics().horizontalAdvance(m.letter) + 10;
    const QRectF box(at.x() - w / 2, at.y() - 9, w, 18);
    p.setPen(QPen(Qt::white, 1.5));
    p.setBrush(m.colour);
    p.drawRoundedRect(box, 4, 4);
    p.drawText(box, Qt::AlignCenter, m.letter);
  }
  for (const LensMark& m : lens_) {
    if (!m.chosen) continue;
    const QPointF at = pixelOf(camera_, *m.chosen);
    p.setBrush(Qt::NoBrush);
    for (const auto& [colour, width] : {std::pair{QColor(Qt::white), 5.0}, std::pair{tones().attention, 2.5}}) {
      p.setPen(QPen(colour, width));
      p.drawEllipse(at, 13, 13);
    }
  }
}

void Overlay::paintAxes(QPainter& p) const {
  if (scaleMm_ > 0) {
    p.setPen(tones().soft);
    p.drawText(QRectF(76, height() - 52, 200, 24), Qt::AlignLeft | Qt::AlignVCenter,
               tr("floor: %1").arg(shownLength(scaleMm_)));
  }
  const QPointF o(36, height() - 40);
  const Vec3 right = camera_.direction.cross(camera_.up);
  static const std::pair<Vec3, const char*> axes[] = {{Vec3::UnitX(), "x"}, {Vec3::UnitY(), "y"}, {Vec3::UnitZ(), "z"}};
  const bool dark = theme() == Theme::Slate;
  const QColor colours[] = {QColor(dark ? "#F0937A" : "#B3401F"), QColor(dark ? "#8CC487" : "#3F7A3A"),
                            QColor(dark ? "#8FB0F0" : "#34559C")};
  for (int k = 0; k < 3; ++k) {
    const QPointF d(axes[k].first.dot(right) * 24, -axes[k].first.dot(camera_.up) * 24);
    p.setPen(QPen(colours[k], 2));
    p.drawLine(o, o + d);
    p.drawText(QRectF(o.x() + d.x() * 1.35 - 8, o.y() + d.y() * 1.35 - 8, 16, 16), Qt::AlignCenter, axes[k].second);
  }
}

} // namespace lumsk::app

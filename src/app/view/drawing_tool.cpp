#include "app/view/drawing_tool.h"

#include "app/view/rays.h"
#include "app/view/view_widget.h"
#include "drawing/measure.h"

#include <QKeyEvent>

namespace lumsk::app {

using drawing::Id;

namespace {

double distanceTo(QPointF p, QPointF a, QPointF b) {
  const QPointF w = b - a;
  const double square = QPointF::dotProduct(w, w), t = square > 0 ? std::clamp(QPointF::dotProduct(p - a, w) / square, 0.0, 1.0) : 0;
  const QPointF off = p - (a + t * w);
  return std::hypot(off.x(), off.y());
}

} // namespace

void NumberLine::keyPressEvent(QKeyEvent* e) {
  e->accept();
  if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) return taken();
  if (e->key() == Qt::Key_Escape) return left();
  if (e->key() == Qt::Key_Semicolon && text().count(';') + 1 >= parts) return; // no more are asked for
  QLineEdit::keyPressEvent(e);
  e->accept();
}

bool NumberLine::focusNextPrevChild(bool) {
  if (text().count(';') + 1 < parts) insert(";");
  return true; // the field stays
}

DrawingBoard& DrawingTool::board() const { return work().board(); }
std::string DrawingTool::toolKey() const { return board().open() && board().tool() ? board().tool()->key : std::string(); }

Vec2 DrawingTool::inPlane(QPointF p) const {
  const Vec3 local = board().frame().local(app::onPlane(board().frame(), rayThrough(view().camera(), p)));
  return {local.x(), local.y()};
}

std::vector<Vec3> DrawingTool::onPlane(const std::vector<Vec2>& line) const {
  std::vector<Vec3> out;
  for (const Vec2& p : line) out.push_back(board().toWorld(p));
  return out;
}

double DrawingTool::pixel() const { return view().camera().pixelSize(board().frame().origin); }

Id DrawingTool::entityAt(QPointF p) const {
  const scene::Camera c = view().camera();
  Id best;
  double nearest = kReachPixels;
  for (const auto& e : board().drawing().entities) {
    for (const auto& line : drawing::linesOf(board().drawing(), e, kSteps)) {
      std::optional<QPointF> last;
      for (const Vec2& q : line) {
        const QPointF at = pixelOf(c, board().toWorld(q));
        if (last)
          if (const double off = distanceTo(p, *last, at); off < nearest) nearest = off, best = e.id;
        last = at;
      }
    }
  }
  return best;
}

std::optional<scene::Hit> DrawingTool::outside(QPointF p, recipe::Kind wanted) const {
  for (const scene::Hit& h : scene::pickAt(*work().scene(), view().camera(), p.x(), p.y(), wanted))
    if (h.step != work().focus().open()) return h;
  return {};
}

drawing::SnapOptions DrawingTool::snapOptions(Qt::KeyboardModifiers keys) const {
  drawing::SnapOptions o;
  o.reachMm = keys & Qt::AltModifier ? 0 : kReachPixels * pixel();
  // Round numbers of about three pixels.
  const double rough = 3 * pixel(), ten = std::pow(10, std::floor(std::log10(rough)));
  o.gridMm = keys & Qt::AltModifier ? 0.01 : rough / ten < 2 ? 2 * ten : rough / ten < 5 ? 5 * ten : 10 * ten;
  return o;
}

NumberLine* DrawingTool::openEditor(QPointF at, const QString& text, const char* name) {
  closeEditor();
  editor_ = new NumberLine(text, &view());
  editor_->left = [this] { closeEditor(); };
  editor_->setObjectName(name);
  editor_->setAccessibleName(ViewWidget::tr("number"));
  editor_->setGeometry(int(std::clamp(at.x() + 12, 4.0, view().width() - 140.0)), int(std::clamp(at.y() - 15, 4.0, view().height() - 34.0)), 130, 30);
  editor_->show();
  editor_->setFocus();
  return editor_;
}

void DrawingTool::closeEditor() {
  if (!editor_) return;
  editor_->hide();
  editor_->deleteLater();
  editor_ = nullptr;
  view().setFocus();
}

} // namespace lumsk::app

#include "app/drawing_panels.h"

#include "app/theme.h"
#include "app/view/drawing_marks.h"
#include "app/view/rays.h"
#include "app/view/view_widget.h"
#include "app/words.h"
#include "drawing/measure.h"
#include "drawing/relate.h"

#include <QCheckBox>
#include <QFileDialog>
#include <QGridLayout>
#include <QLineEdit>

namespace lumsk::app {

namespace {

constexpr int kPerRow = 6; ///< buttons of the bar

void clear(QLayout* l) {
  while (auto* item = l->takeAt(0)) {
    if (item->widget()) item->widget()->hide(), item->widget()->deleteLater();
    delete item;
  }
}

} // namespace

DrawingTools::DrawingTools(DrawingBoard& board, QWidget* parent) : QWidget(parent), board_(board), options_(new QWidget) {
  setObjectName("drawing-tools");
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(1);
  options_->setObjectName("drawing-options");
  new QGridLayout(options_);
  options_->layout()->setContentsMargins(4, 2, 2, 4);
  QString heading;
  for (const BoardTool& t : DrawingBoard::tools()) {
    if (t.heading != heading) {
      heading = t.heading;
      auto* h = new QLabel(heading);
      h->setProperty("tone", "soft");
      layout->addWidget(h);
    }
    auto* b = new QPushButton(t.label);
    b->setObjectName("draw-" + QString::fromStdString(t.key));
    b->setProperty("role", "tool");
    b->setIcon(icon("icons/draw_" + QString::fromStdString(t.key)));
    b->setIconSize({20, 20});
    b->setCheckable(true);
    b->setToolTip(t.hint);
    b->setFocusPolicy(Qt::TabFocus);
    layout->addWidget(b);
    buttons_.push_back(b);
    connect(b, &QPushButton::clicked, this, [this, key = t.key] { board_.take(key); });
  }
  layout->insertWidget(0, options_);
  const QString files = tr("Drawings (*.dxf *.svg)");
  const auto fileButton = [&](const char* name, const QString& text, const QString& tip) {
    auto* b = new QPushButton(text);
    b->setObjectName(name);
    b->setProperty("role", "tool");
    b->setToolTip(tip);
    b->setFocusPolicy(Qt::TabFocus);
    layout->addWidget(b);
    return b;
  };
  connect(fileButton("draw-file-in", tr("From a file"), tr("lines and curves of a DXF or SVG file")), &QPushButton::clicked, this, [this, files] {
    if (const QString path = QFileDialog::getOpenFileName(window(), tr("Bring in"), {}, files); !path.isEmpty()) board_.bringIn(path);
  });
  connect(fileButton("draw-file-out", tr("To a file"), tr("what comes out, as DXF or SVG")), &QPushButton::clicked, this, [this, files] {
    if (const QString path = QFileDialog::getSaveFileName(window(), tr("Write"), "drawing.svg", files); !path.isEmpty()) board_.writeOut(path);
  });
  auto* construction = new QCheckBox(tr("construction"));
  construction->setObjectName("draw-construction");
  construction->setToolTip(tr("what is drawn now helps to draw and is no part of what comes out"));
  connect(construction, &QCheckBox::toggled, &board_, &DrawingBoard::setConstruction);
  auto* signs = new QCheckBox(tr("all signs"));
  signs->setObjectName("draw-signs");
  signs->setChecked(board_.signs());
  signs->setToolTip(tr("signs of all relations, not only of what is picked"));
  connect(signs, &QCheckBox::toggled, &board_, &DrawingBoard::showSigns);
  layout->addWidget(construction);
  layout->addWidget(signs);
  connect(&board_, &DrawingBoard::changed, this, &DrawingTools::sync);
  sync();
}

void DrawingTools::sync() {
  const BoardTool* t = board_.tool();
  for (size_t i = 0; i < buttons_.size(); ++i) buttons_[i]->setChecked(t == &DrawingBoard::tools()[i]);
  if (const std::string key = t ? t->key : ""; key != shown_) {
    shown_ = key;
    showOptions();
  }
}

void DrawingTools::showOptions() {
  auto* grid = static_cast<QGridLayout*>(options_->layout());
  clear(grid);
  const BoardTool* t = board_.tool();
  options_->setVisible(t && !t->options.empty());
  if (!t) return;
  int row = 0;
  for (const std::string& key : t->options) {
    auto* label = new QLabel(DrawingBoard::optionLabel(key));
    label->setProperty("tone", "soft");
    auto* edit = new QLineEdit(board_.option(key));
    edit->setObjectName("draw-option-" + QString::fromStdString(key));
    connect(edit, &QLineEdit::textEdited, this, [this, key](const QString& text) { board_.setOption(key, text); });
    grid->addWidget(label, row, 0);
    grid->addWidget(edit, row++, 1);
  }
  if (t->key == "offset" || t->key == "repeat_along") {
    auto* apply = new QPushButton(tr("Apply"));
    apply->setObjectName("draw-apply");
    connect(apply, &QPushButton::clicked, this, [this, key = t->key] { board_.apply(key); });
    grid->addWidget(apply, row, 0, 1, 2);
  }
}

RelationBar::RelationBar(DrawingBoard& board, ViewWidget& view) : QWidget(&view), board_(board), view_(view) {
  setObjectName("relation-bar");
  setAttribute(Qt::WA_StyledBackground);
  setAttribute(Qt::WA_NoMousePropagation);
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(4, 4, 4, 4);
  grid->setSpacing(3);
  connect(&board_, &DrawingBoard::changed, this, &RelationBar::sync);
  connect(&view_, &GlView::cameraMoved, this, &RelationBar::place);
  hide();
}

void RelationBar::sync() {
  const bool sketching = board_.open() && board_.tool() && drawing::sketchOf(board_.tool()->key);
  if (!board_.open() || board_.selection().empty() || sketching) {
    of_.clear();
    return hide();
  }
  if (of_ != board_.selection() || value_ != board_.value()) fill();
  place();
}

QPushButton* RelationBar::button(const QString& name, const QString& text) {
  auto* b = new QPushButton(text);
  b->setObjectName(name);
  b->setProperty("role", "chip");
  b->setFocusPolicy(Qt::TabFocus);
  auto* grid = static_cast<QGridLayout*>(layout());
  const int n = grid->count();
  grid->addWidget(b, n / kPerRow, n % kPerRow);
  b->show(); // it counts for the size at once
  return b;
}

void RelationBar::fill() {
  clear(layout());
  of_ = board_.selection();
  value_ = board_.value();
  const auto& d = board_.drawing();
  for (const drawing::Law law : drawing::fitting(d, of_))
    connect(button(QString("say-") + drawing::lawName(law), said(drawing::lawWords(law))), &QPushButton::clicked, this, [this, law] { board_.say(law); });
  const drawing::Relation* r = of_.size() == 1 ? d.relation(of_[0]) : nullptr;
  if (r) {
    connect(button("relation-off", r->off ? tr("switch on") : tr("switch off")), &QPushButton::clicked, this, [this, id = r->id] { board_.turnOff(id); });
    if (drawing::isDimension(r->law))
      connect(button("relation-measured", r->measured ? tr("let it hold") : tr("measure only")), &QPushButton::clicked, this, [this, id = r->id] { board_.turnMeasured(id); });
  }
  if (const auto* e = of_.size() == 1 ? d.entity(of_[0]) : nullptr; e && e->shape == drawing::Shape::Text) writeLine(*e);
  if (!r)
    connect(button("draw-turn-construction", tr("construction")), &QPushButton::clicked, &board_, &DrawingBoard::turnConstruction);
  connect(button("draw-remove", tr("remove")), &QPushButton::clicked, &board_, &DrawingBoard::removePicked);
  show();
  raise();
}

/// The letters themselves.
void RelationBar::writeLine(const drawing::Entity& e) {
  auto* line = new QLineEdit(QString::fromStdString(e.text));
  line->setObjectName("draw-letters");
  line->setAccessibleName(tr("letters"));
  line->setMinimumWidth(120);
  auto* grid = static_cast<QGridLayout*>(layout());
  const int row = (grid->count() + kPerRow - 1) / kPerRow;
  grid->addWidget(line, row, 0, 1, kPerRow);
  line->show();
  connect(line, &QLineEdit::editingFinished, &board_, [this, line, id = e.id] { board_.write(id, line->text()); });
}

void RelationBar::place() {
  if (isHidden() || of_.empty() || !board_.open()) return;
  layout()->activate();
  resize(layout()->sizeHint());
  const scene::Camera c = view_.camera();
  QRectF box;
  const auto reach = [&](const Vec2& p) {
    const QPointF q = pixelOf(c, board_.toWorld(p));
    box = box.united(QRectF(q.x() - 4, q.y() - 4, 8, 8));
  };
  const auto& d = board_.drawing();
  for (const auto& id : of_) {
    if (const auto* e = d.entity(id))
      for (const auto& line : drawing::linesOf(d, *e, 24)) std::for_each(line.begin(), line.end(), reach);
    if (const auto* p = d.point(id)) reach(p->at);
    if (const auto* r = d.relation(id)) {
      const auto at = drawing::isDimension(r->law) ? drawing::placeOf(d, *r, DrawingMarks::beside(c, board_.frame())) : std::nullopt;
      reach(at ? at->number : drawing::signPlace(d, *r));
    }
  }
  const auto inside = [&](double x, double most) { return int(std::clamp(x, 8.0, std::max(8.0, most))); };
  // Below what is picked; above it where there is no room.
  double y = box.bottom() + 22;
  if (y + height() > view_.height() - 8) y = box.top() - 22 - height();
  move(inside(box.center().x() - width() / 2.0, view_.width() - width() - 8.0), inside(y, view_.height() - height() - 8.0));
}

} // namespace lumsk::app

#include "app/recipe_column.h"

#include "app/theme.h"

#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QLineEdit>
#include <QMenu>
#include <QScrollArea>
#include <QStyle>
#include <QTimer>

namespace lumsk::app {

RecipeRow::RecipeRow(Workspace& w, ViewWidget& view, std::string step)
    : w_(w), view_(view), step_(std::move(step)), number_(new QLabel), icon_(new QLabel), label_(new QLabel),
      summary_(new QLabel), health_(new QLabel), rename_(new QLineEdit), layout_(new QVBoxLayout(this)) {
  setObjectName("row");
  setProperty("step", QString::fromStdString(step_));
  setAttribute(Qt::WA_StyledBackground);
  setFocusPolicy(Qt::TabFocus);
  layout_->setContentsMargins(6, 5, 6, 5);
  auto* head = new QHBoxLayout;
  head->setSpacing(8);
  number_->setFixedWidth(18);
  number_->setProperty("tone", "soft");
  head->addWidget(number_, 0, Qt::AlignTop);
  icon_->setFixedSize(22, 22);
  head->addWidget(icon_, 0, Qt::AlignTop);
  auto* words = new QVBoxLayout;
  words->setSpacing(1);
  label_->setProperty("tone", "head");
  summary_->setObjectName("summary");
  QFont small = font();
  small.setPointSizeF(small.pointSizeF() * 0.94);
  summary_->setFont(small);
  summary_->setWordWrap(true);
  rename_->hide();
  words->addWidget(label_);
  words->addWidget(rename_);
  words->addWidget(summary_);
  head->addLayout(words, 1);
  head->addWidget(health_, 0, Qt::AlignTop);
  layout_->addLayout(head);
  connect(rename_, &QLineEdit::editingFinished, this, [this] {
    if (!rename_->isVisible()) return;
    rename_->hide();
    label_->show();
    if (rename_->isModified()) w_.rename(step_, rename_->text());
  });
}

void RecipeRow::sync(int number) {
  const auto* entry = w_.recipe().find(step_);
  if (!entry) return;
  const bool open = w_.open() == step_, draft = w_.draft() == step_;
  number_->setText(QString::number(number));
  icon_->setPixmap(
      icon("steps/" + QString::fromStdString(entry->kind), open ? IconTone::Accent : IconTone::Text).pixmap(22, 22));
  label_->setText(QString::fromStdString(entry->label));
  const auto* r = w_.model()->result(step_);
  QString summary, mark, colour = tones().accent.name(), words;
  if (!entry->on) {
    mark = "○", colour = tones().soft.name(), words = tr("switched off"), summary = words;
  } else if (!r || r->status == recipe::Status::Off) { // switched on again, and not computed yet
    mark = "…", words = tr("computing");
  } else if (r->status == recipe::Status::Failed) {
    mark = "▲", colour = tones().attention.name(), words = tr("failed");
    summary = r->problem ? QString::fromStdString(r->problem->what) : words;
  } else if (r->status == recipe::Status::Stale) {
    mark = "◌", colour = tones().caution.name(), words = tr("waits for a step before it"),
    summary = w_.busy() ? tr("computing") : words;
  } else if (r->outcome) {
    mark = r->outcome->notes.empty() ? "●" : "◐";
    words = r->outcome->notes.empty() ? tr("good") : tr("good, with notes");
    summary = QString::fromStdString(r->outcome->summary);
  }
  if (draft) summary = summary.isEmpty() ? tr("draft") : tr("draft - %1").arg(summary);
  summary_->setText(summary);
  health_->setText(mark);
  const QString style = "color: " + colour + ";";
  if (health_->styleSheet() != style) health_->setStyleSheet(style);
  health_->setToolTip(words);
  setAccessibleName(tr("step %1, %2, %3").arg(number).arg(label_->text(), words));
  // Styling a row anew is slow, and most changes do not touch its frame.
  if (property("open").toBool() != open || property("draft").toBool() != draft) {
    setProperty("open", open);
    setProperty("draft", draft);
    QWidget::style()->unpolish(this);
    QWidget::style()->polish(this);
  }
  if (open && !form_) {
    form_ = new StepForm(w_, view_, step_, this);
    layout_->addWidget(form_);
    connect(form_, &StepForm::helpWanted, this, &RecipeRow::helpWanted);
  } else if (!open && form_) {
    form_->deleteLater();
    form_ = nullptr;
  }
  if (form_) form_->sync();
}

void RecipeRow::startRename() {
  rename_->setText(label_->text());
  label_->hide();
  rename_->show();
  rename_->setFocus();
  rename_->selectAll();
}

void RecipeRow::mouseReleaseEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || (form_ && e->position().y() > form_->y())) return;
  if (w_.draft() == step_) return;
  w_.unfold(w_.open() == step_ ? std::string() : step_);
}

void RecipeRow::contextMenuEvent(QContextMenuEvent* e) {
  const auto* entry = w_.recipe().find(step_);
  if (!entry) return;
  QMenu menu(this);
  menu.addAction(tr("Rename"), this, &RecipeRow::startRename);
  menu.addAction(entry->on ? tr("Switch off") : tr("Switch on"), this,
                 [this, on = entry->on] { w_.setOn(step_, !on); });
  const auto look = w_.recipe().looks.find(step_);
  const bool visible = look == w_.recipe().looks.end() || look->second.visible;
  menu.addAction(visible ? tr("Out of sight") : tr("In sight"), this,
                 [this, visible] { w_.setVisible(step_, !visible); });
  menu.addSeparator();
  menu.addAction(tr("Remove"), this, [this] { w_.removeStep(step_); });
  menu.exec(e->globalPos());
}

void RecipeRow::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
    return w_.draft() == step_ ? w_.keepDraft() : w_.unfold(w_.open() == step_ ? std::string() : step_);
  if (e->key() == Qt::Key_Delete) return w_.removeStep(step_);
  if (e->key() == Qt::Key_F2) return startRename();
  QWidget::keyPressEvent(e);
}

RecipeColumn::RecipeColumn(Workspace& w, ViewWidget& view, QWidget* parent)
    : QWidget(parent), w_(w), view_(view), scroll_(new QScrollArea), rows_(nullptr), empty_(new QLabel) {
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  auto* inside = new QWidget;
  rows_ = new QVBoxLayout(inside);
  rows_->setContentsMargins(8, 8, 8, 8);
  rows_->setSpacing(4);
  empty_->setText(tr("The recipe is empty.\nEvery step you keep becomes a row here."));
  empty_->setProperty("tone", "soft");
  empty_->setContentsMargins(8, 8, 8, 8);
  empty_->setWordWrap(true);
  rows_->addWidget(empty_);
  rows_->addStretch();
  scroll_->setWidget(inside);
  scroll_->setWidgetResizable(true);
  scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  layout->addWidget(scroll_);
  connect(&w_, &Workspace::recipeChanged, this, &RecipeColumn::sync);
  connect(&w_, &Workspace::modelChanged, this, &RecipeColumn::sync);
  connect(&w_, &Workspace::focusChanged, this, &RecipeColumn::sync);
}

void RecipeColumn::sync() {
  const auto& steps = w_.recipe().steps;
  empty_->setVisible(steps.empty());
  std::vector<RecipeRow*> next;
  for (const auto& s : steps) {
    const auto known = std::find_if(list_.begin(), list_.end(), [&](RecipeRow* r) { return r && r->step() == s->id; });
    if (known != list_.end()) {
      next.push_back(*known);
      *known = nullptr;
    } else {
      auto* row = new RecipeRow(w_, view_, s->id);
      connect(row, &RecipeRow::helpWanted, this, &RecipeColumn::helpWanted);
      next.push_back(row);
    }
  }
  for (RecipeRow* r : list_)
    if (r) r->deleteLater();
  list_ = std::move(next);
  for (size_t i = 0; i < list_.size(); ++i) {
    if (rows_->indexOf(list_[i]) != int(i)) rows_->insertWidget(int(i), list_[i]);
    list_[i]->sync(int(i) + 1);
    if (list_[i]->step() == w_.open())
      QTimer::singleShot(0, list_[i], [this, row = list_[i]] { scroll_->ensureWidgetVisible(row, 0, 4); });
  }
}

void RecipeColumn::renameOpen() {
  // The row that has the focus, else the one that is open.
  const auto focused = std::find_if(list_.begin(), list_.end(), [](RecipeRow* r) { return r->hasFocus(); });
  const auto row = focused != list_.end() ? focused : std::find_if(list_.begin(), list_.end(), [this](RecipeRow* r) {
    return r->step() == w_.open();
  });
  if (row != list_.end()) (*row)->startRename();
}

} // namespace lumsk::app

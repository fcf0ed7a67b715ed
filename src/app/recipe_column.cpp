#include "app/recipe_column.h"

#include "app/theme.h"
#include "app/words.h"

#include "recipe/rearrange.h"

#include <QScrollBar>
#include <QApplication>
#include <QClipboard>
#include <QColorDialog>
#include <QContextMenuEvent>
#include <QInputDialog>
#include <QKeyEvent>
#include <QLineEdit>
#include <QMenu>
#include <QMimeData>
#include <QPainter>
#include <QScrollArea>
#include <QStyle>
#include <QTimer>

namespace lumsk::app {

namespace {

/// A label that wraps, and remembers how high it is at a width: a column of many rows asks each for two or three, at
/// every change of one of them, and setting text is slow.
class Summary : public QLabel {
public:
  int heightForWidth(int width) const override {
    if (text() != of_ || font() != in_) known_.clear(), of_ = text(), in_ = font();
    const auto at = known_.find(width);
    return at != known_.end() ? at->second : known_[width] = QLabel::heightForWidth(width);
  }

private:
  mutable QString of_;
  mutable QFont in_;
  mutable std::map<int, int> known_;
};

} // namespace

RecipeRow::RecipeRow(Workspace& w, ViewWidget& view, std::string step)
    : w_(w), view_(view), step_(std::move(step)), number_(new QLabel), icon_(new QLabel), label_(new QLabel),
      summary_(new Summary), health_(new QLabel), stripe_(new QLabel), rename_(new QLineEdit),
      layout_(new QVBoxLayout(this)) {
  setObjectName("row");
  setProperty("step", QString::fromStdString(step_));
  setAttribute(Qt::WA_StyledBackground);
  setFocusPolicy(Qt::TabFocus);
  layout_->setContentsMargins(6, 5, 6, 5);
  auto* head = new QHBoxLayout;
  head->setSpacing(8);
  stripe_->setFixedWidth(4);
  stripe_->hide();
  head->addWidget(stripe_);
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
    if (rename_->isModified()) w_.steps().rename(step_, rename_->text());
  });
}

void RecipeRow::sync(const recipe::StepPtr& entry, int number) {
  const bool open = w_.focus().open() == step_, draft = w_.session().draft() == step_;
  const auto& rows = w_.focus().rows();
  const bool chosen = std::find(rows.begin(), rows.end(), step_) != rows.end();
  const auto* r = w_.model()->result(step_);
  Filled now;
  now.entry = entry;
  now.number = number;
  now.open = open, now.draft = draft, now.chosen = chosen;
  now.tone = tones().text.rgb();
  if (r) {
    now.known = true;
    now.missing = r->problem && r->problem->missing;
    now.outcome = r->outcome;
    now.status = r->status;
    if (r->problem) now.problem = said(r->problem->what);
    now.busy = r->status == recipe::Status::Stale && w_.busy();
  }
  if (filled_ && *filled_ == now && !open) return;
  filled_ = std::move(now);
  number_->setText(QString::number(number));
  icon_->setPixmap(
      icon("steps/" + QString::fromStdString(entry->kind), open ? IconTone::Accent : IconTone::Text).pixmap(22, 22));
  label_->setText(QString::fromStdString(entry->label));
  QString summary, mark, colour = tones().accentText.name(), words;
  if (!entry->on) {
    mark = "○", colour = tones().soft.name(), words = tr("switched off"), summary = words;
  } else if (!r || r->status == recipe::Status::Off) { // switched on again, and not computed yet
    mark = "…", words = tr("computing");
  } else if (r->status == recipe::Status::Failed && r->problem && r->problem->missing) {
    mark = "○", colour = tones().soft.name(), words = tr("not complete yet"), summary = said(r->problem->what);
  } else if (r->status == recipe::Status::Failed) {
    mark = "▲", colour = tones().attentionText.name(), words = tr("failed");
    summary = r->problem ? said(r->problem->what) : words;
  } else if (r->status == recipe::Status::Stale) {
    mark = "◌", colour = tones().caution.name(), words = tr("waits for a step before it"),
    summary = w_.busy() ? tr("computing") : words;
  } else if (r->outcome) {
    mark = r->outcome->notes.empty() ? "●" : "◐";
    words = r->outcome->notes.empty() ? tr("good") : tr("good, with notes");
    summary = said(r->outcome->summary);
  }
  if (draft) summary = summary.isEmpty() ? tr("draft") : tr("draft - %1").arg(summary);
  summary_->setText(summary);
  health_->setText(mark);
  const QString style = "color: " + colour + ";";
  if (health_->styleSheet() != style) health_->setStyleSheet(style);
  health_->setToolTip(words);
  const QColor stripe(QString::fromStdString(entry->colour)); // whatever the file says
  stripe_->setVisible(stripe.isValid());
  if (const QString ground = "background: " + stripe.name() + "; border-radius: 2px;";
      stripe.isValid() && stripe_->styleSheet() != ground)
    stripe_->setStyleSheet(ground);
  setAccessibleName(tr("step %1, %2, %3").arg(number).arg(label_->text(), words));
  if (property("open").toBool() != open || property("draft").toBool() != draft ||
      property("chosen").toBool() != chosen) {
    setProperty("open", open);
    setProperty("chosen", chosen);
    setProperty("draft", draft);
    QWidget::style()->unpolish(this);
    QWidget::style()->polish(this);
  }
  if (form_ && form_->kind() != entry->kind) { // made another kind of step
    form_->hide();
    form_->deleteLater();
    form_ = nullptr;
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

bool RecipeRow::fits(const QString& search) const {
  if (!filled_) return false;
  const recipe::StepEntry& entry = *filled_->entry;
  return (label_->text() + ' ' + QString::fromStdString(entry.kind + ' ' + entry.group) + ' ' + summary_->text())
      .contains(search, Qt::CaseInsensitive);
}

void RecipeRow::mousePressEvent(QMouseEvent* e) {
  pressed_ = e->position().toPoint();
  dragging_ = false;
}

void RecipeRow::mouseMoveEvent(QMouseEvent* e) {
  if (!(e->buttons() & Qt::LeftButton) || w_.session().draft() == step_ || (form_ && pressed_.y() > form_->y())) return;
  const QPoint p = e->position().toPoint();
  dragging_ = dragging_ || (p - pressed_).manhattanLength() > 6;
  if (dragging_) emit draggedTo(step_, p.y(), false);
}

void RecipeRow::mouseReleaseEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  if (dragging_) {
    dragging_ = false;
    return emit draggedTo(step_, int(e->position().y()), true);
  }
  if ((form_ && e->position().y() > form_->y()) || w_.session().draft() == step_) return;
  emit chosen(step_, e->modifiers());
}

void RecipeRow::contextMenuEvent(QContextMenuEvent* e) { emit menuWanted(step_, e->globalPos()); }

void RecipeRow::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
    return w_.session().draft() == step_ ? w_.session().keepDraft() : w_.focus().unfold(w_.focus().open() == step_ ? std::string() : step_);
  if (e->key() == Qt::Key_Delete) return w_.steps().remove({step_});
  if (e->modifiers() == Qt::AltModifier && (e->key() == Qt::Key_Up || e->key() == Qt::Key_Down)) {
    w_.steps().move(step_, w_.recipe().indexOf(step_) + (e->key() == Qt::Key_Up ? -1 : 1));
    return setFocus();
  }
  if (e->modifiers() == Qt::NoModifier && (e->key() == Qt::Key_Up || e->key() == Qt::Key_Down)) {
    focusNextPrevChild(e->key() == Qt::Key_Down);
    return;
  }
  if (e->key() == Qt::Key_F2) return startRename();
  QWidget::keyPressEvent(e);
}

GroupHead::GroupHead(const QString& name, QWidget* parent) : QPushButton(parent), name_(name) {
  setProperty("role", "group");
  setObjectName("group-" + name);
  setToolTip(tr("click to fold, double click to rename"));
}

void GroupHead::show(int steps, bool folded) {
  setText((folded ? QString::fromUtf8("▸ ") : QString::fromUtf8("▾ ")) + name_ + tr("  (%1)").arg(steps));
  setAccessibleName(tr("group %1, %2 steps").arg(name_).arg(steps));
}

void GroupHead::mouseDoubleClickEvent(QMouseEvent*) { emit renameWanted(); }

HereMark::HereMark(QWidget* parent) : QWidget(parent) {
  setObjectName("here");
  setFixedHeight(12);
  setCursor(Qt::SplitVCursor);
  setToolTip(tr("new steps go here: drag it"));
  setAccessibleName(tr("here mark: new steps go here"));
}

void HereMark::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(tones().accent, 2));
  p.drawLine(10, 6, width() - 4, 6);
  p.setBrush(tones().accent);
  p.drawPolygon(QPolygonF{QPointF(2, 1), QPointF(10, 6), QPointF(2, 11)});
}

void HereMark::mouseMoveEvent(QMouseEvent* e) { emit draggedTo(int(e->position().y()), false); }
void HereMark::mouseReleaseEvent(QMouseEvent* e) { emit draggedTo(int(e->position().y()), true); }

RecipeColumn::RecipeColumn(Workspace& w, ViewWidget& view, QWidget* parent)
    : QWidget(parent), w_(w), view_(view), search_(new QLineEdit), scroll_(new QScrollArea), inside_(new QWidget),
      rows_(new QVBoxLayout(inside_)), here_(new HereMark(inside_)), drop_(new QWidget(inside_)), empty_(new QLabel) {
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(0);
  search_->setObjectName("search-steps");
  search_->setPlaceholderText(tr("find a step"));
  search_->setAccessibleName(tr("find a step"));
  search_->setClearButtonEnabled(true);
  auto* top = new QHBoxLayout;
  top->setContentsMargins(10, 8, 14, 2);
  top->addWidget(search_);
  layout->addLayout(top);
  rows_->setContentsMargins(8, 6, 8, 8);
  rows_->setSpacing(4);
  empty_->setText(tr("The recipe is empty.\nEvery step you keep becomes a row here."));
  empty_->setProperty("tone", "soft");
  empty_->setContentsMargins(8, 8, 8, 8);
  empty_->setWordWrap(true);
  rows_->addWidget(empty_);
  rows_->addStretch(1); // what rows leave free is below them
  drop_->setAttribute(Qt::WA_TransparentForMouseEvents);
  drop_->setFixedHeight(4);
  drop_->hide();
  scroll_->setWidget(inside_);
  scroll_->setWidgetResizable(true);
  scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  layout->addWidget(scroll_);
  connect(search_, &QLineEdit::textChanged, this, &RecipeColumn::filter);
  connect(here_, &HereMark::draggedTo, this, [this](int y, bool dropped) { drag({}, here_, y, dropped); });
  connect(&w_.session(), &Session::recipeChanged, this, &RecipeColumn::sync);
  connect(&w_.results(), &Results::modelChanged, this, &RecipeColumn::sync);
  connect(&w_.focus(), &Focus::focusChanged, this, &RecipeColumn::sync);
  connect(&w_.file(), &ProjectFile::fileChanged, this, [this] {
    search_->clear();
    folded_.clear();
  });
}

void RecipeColumn::sync() {
  const auto& steps = w_.recipe().steps;
  empty_->setVisible(steps.empty());
  search_->setVisible(steps.size() > 1 || !search_->text().isEmpty());
  std::vector<RecipeRow*> next;
  for (const auto& s : steps) {
    const auto known = std::find_if(list_.begin(), list_.end(), [&](RecipeRow* r) { return r && r->step() == s->id; });
    if (known != list_.end()) {
      next.push_back(*known);
      *known = nullptr;
    } else {
      auto* row = new RecipeRow(w_, view_, s->id);
      connect(row, &RecipeRow::helpWanted, this, &RecipeColumn::helpWanted);
      connect(row, &RecipeRow::chosen, this, &RecipeColumn::choose);
      connect(row, &RecipeRow::menuWanted, this, &RecipeColumn::menu);
      connect(row, &RecipeRow::draggedTo, this,
              [this, row](const std::string& id, int y, bool dropped) { drag(id, row, y, dropped); });
      next.push_back(row);
    }
  }
  for (RecipeRow* r : list_)
    if (r) r->deleteLater();
  list_ = std::move(next);
  auto oldHeads = std::move(heads_);
  heads_.clear();
  int at = 0;
  const auto place = [&](QWidget* widget) {
    if (rows_->indexOf(widget) != at) rows_->insertWidget(at, widget);
    ++at;
  };
  const int hereAt = w_.recipe().here.empty() ? int(steps.size()) : w_.recipe().indexOf(w_.recipe().here) + 1;
  for (size_t i = 0; i < list_.size(); ++i) {
    if (int(i) == hereAt) place(here_);
    const std::string& group = steps[i]->group;
    if (!group.empty() && (i == 0 || steps[i - 1]->group != group)) {
      const std::string key = group + " " + steps[i]->id;
      auto& head = heads_[key];
      if (const auto old = oldHeads.find(key); old != oldHeads.end()) {
        head = old->second;
        oldHeads.erase(old);
      } else {
        head = new GroupHead(QString::fromStdString(group), inside_);
        connect(head, &QPushButton::clicked, this, [this, group] {
          if (!folded_.erase(group)) folded_.insert(group);
          sync();
        });
        connect(head, &GroupHead::renameWanted, this, [this, group] {
          std::vector<std::string> ids;
          for (const auto& s : w_.recipe().steps)
            if (s->group == group) ids.push_back(s->id);
          w_.focus().chooseRows(ids);
          askForGroup();
        });
      }
      size_t n = i;
      while (n < steps.size() && steps[n]->group == group) ++n;
      head->show(int(n - i), folded_.count(group) > 0);
      place(head);
    }
    place(list_[i]);
    list_[i]->sync(steps[i], int(i) + 1);
    if (list_[i]->step() == w_.focus().open())
      QTimer::singleShot(0, list_[i], [this, row = list_[i]] { scroll_->ensureWidgetVisible(row, 0, 4); scroll_->horizontalScrollBar()->setValue(0); });
  }
  if (hereAt >= int(list_.size())) place(here_);
  here_->setVisible(steps.size() > 1);
  for (auto& [key, head] : oldHeads) head->deleteLater();
  filter();
}

/// Rows that do not fit the search, or lie folded in their group, are out of sight; an open one never is.
void RecipeColumn::filter() {
  const QString words = search_->text().trimmed();
  for (RecipeRow* r : list_) {
    const bool folded = words.isEmpty() && folded_.count(r->group());
    r->setVisible(r->step() == w_.focus().open() || (!folded && (words.isEmpty() || r->fits(words))));
  }
  for (auto& [key, head] : heads_) head->setVisible(words.isEmpty());
}

void RecipeColumn::search() {
  search_->setFocus();
  search_->selectAll();
}

void RecipeColumn::choose(const std::string& step, Qt::KeyboardModifiers keys) {
  auto rows = w_.focus().rows();
  const auto known = std::find(rows.begin(), rows.end(), step);
  if (keys & Qt::ControlModifier) {
    if (known != rows.end())
      rows.erase(known);
    else
      rows.push_back(step);
    anchor_ = step;
    return w_.focus().chooseRows(std::move(rows));
  }
  if ((keys & Qt::ShiftModifier) && w_.recipe().find(anchor_)) {
    const int a = w_.recipe().indexOf(anchor_), b = w_.recipe().indexOf(step);
    rows.clear();
    for (int i = std::min(a, b); i <= std::max(a, b); ++i) rows.push_back(w_.recipe().steps[size_t(i)]->id);
    return w_.focus().chooseRows(std::move(rows));
  }
  anchor_ = step;
  if (!rows.empty()) w_.focus().chooseRows({});
  w_.focus().unfold(w_.focus().open() == step ? std::string() : step);
}

std::vector<std::string> RecipeColumn::acted() const {
  if (!w_.focus().rows().empty()) return w_.focus().rows();
  for (const RecipeRow* r : list_)
    if (r->hasFocus()) return {r->step()};
  return w_.focus().open().empty() ? std::vector<std::string>{} : std::vector<std::string>{w_.focus().open()};
}

namespace {
constexpr const char* kClipKind = "application/x-lumsk-steps";
}

void RecipeColumn::copy() const {
  const auto ids = acted();
  if (ids.empty()) return;
  auto* mime = new QMimeData;
  mime->setData(kClipKind, QByteArray::fromStdString(w_.steps().copied(ids)));
  QStringList labels;
  for (const auto& id : ids) labels << QString::fromStdString(w_.recipe().find(id)->label);
  mime->setText(labels.join("\n"));
  QApplication::clipboard()->setMimeData(mime);
  emit w_.told(tr("copied %1").arg(labels.join(", ")));
}

void RecipeColumn::paste() {
  const auto* mime = QApplication::clipboard()->mimeData();
  if (!mime || !mime->hasFormat(kClipKind)) return emit w_.told(tr("copy some steps first"));
  w_.steps().paste(mime->data(kClipKind).toStdString());
}

void RecipeColumn::askForGroup() {
  const auto ids = acted();
  if (ids.empty()) return;
  bool ok = false;
  const QString name = QInputDialog::getText(this, tr("Group"), tr("Name of the group"), QLineEdit::Normal,
                                             QString::fromStdString(w_.recipe().find(ids.front())->group), &ok);
  if (ok) w_.steps().group(ids, name);
}

void RecipeColumn::menu(const std::string& step, QPoint at) {
  const auto* entry = w_.recipe().find(step);
  if (!entry) return;
  auto ids = w_.focus().rows();
  if (std::find(ids.begin(), ids.end(), step) == ids.end()) {
    ids = {step};
    if (!w_.focus().rows().empty()) w_.focus().chooseRows({});
  }
  const auto row = std::find_if(list_.begin(), list_.end(), [&](RecipeRow* r) { return r->step() == step; });
  QMenu menu(this);
  menu.setObjectName("row-menu");
  if (ids.size() == 1) menu.addAction(tr("Rename"), *row, &RecipeRow::startRename);
  menu.addAction(entry->on ? tr("Switch off") : tr("Switch on"), this, [=, on = entry->on] { w_.steps().setOn(ids, !on); });
  const auto look = w_.recipe().looks.find(step);
  const bool visible = look == w_.recipe().looks.end() || look->second.visible;
  if (ids.size() == 1)
    menu.addAction(visible ? tr("Out of sight") : tr("In sight"), this, [=] { w_.steps().setVisible({step}, !visible); });
  menu.addSeparator();
  if (ids.size() == 1 && w_.steps().canRepeat(step)) menu.addAction(tr("Repeat what it made"), this, [=] { w_.steps().repeat(step); });
  menu.addAction(tr("Duplicate"), this, [=] { w_.steps().duplicate(ids); });
  menu.addAction(tr("Copy"), this, [=] {
    w_.focus().chooseRows(ids);
    copy();
  });
  menu.addAction(tr("Paste"), this, &RecipeColumn::paste);
  menu.addAction(tr("Group"), this, [=] {
    w_.focus().chooseRows(ids);
    askForGroup();
  });
  if (!entry->group.empty()) menu.addAction(tr("Ungroup"), this, [=] { w_.steps().group(ids, {}); });
  menu.addAction(tr("Colour"), this, [=] {
    const QColor c = QColorDialog::getColor(QColor("#C08A1E"), this, tr("Colour of the row"));
    if (c.isValid()) w_.steps().colour(ids, c.name().toStdString());
  });
  if (!entry->colour.empty()) menu.addAction(tr("No colour"), this, [=] { w_.steps().colour(ids, {}); });
  menu.addAction(tr("New steps go after it"), this, [=] { w_.steps().setHere(step); });
  menu.addSeparator();
  menu.addAction(tr("Remove"), this, [=] { w_.steps().remove(ids); });
  menu.exec(at);
}

int RecipeColumn::placeAt(int y) const {
  int n = 0;
  for (size_t i = 0; i < list_.size(); ++i)
    if (list_[i]->isVisible() && y > list_[i]->y() + std::min(list_[i]->height(), 44) / 2) n = int(i) + 1;
  return n;
}

void RecipeColumn::showDrop(int place, bool allowed) {
  const int y = place < int(list_.size()) ? list_[size_t(place)]->y() - 4 : list_.back()->geometry().bottom() + 1;
  drop_->setGeometry(8, y, inside_->width() - 16, 4);
  drop_->setStyleSheet("background: " + (allowed ? tones().accent : tones().attention).name() + ";");
  drop_->show();
  drop_->raise();
}

/// A row (or with an empty id the here mark) that is dragged from a widget.
void RecipeColumn::drag(const std::string& step, QWidget* from, int y, bool dropped) {
  if (list_.empty()) return;
  const int place = placeAt(from->y() + y);
  if (step.empty()) {
    if (!dropped) return showDrop(place, true);
    drop_->hide();
    return w_.steps().setHere(place == 0 ? w_.recipe().here : w_.recipe().steps[size_t(place - 1)]->id);
  }
  const int at = w_.recipe().indexOf(step), target = place > at ? place - 1 : place;
  const auto moved = recipe::movedTo(w_.recipe(), step, target, w_.registry());
  if (!dropped) {
    showDrop(place, moved.has_value());
    emit w_.told(moved ? tr("drop it here") : said(moved.error()));
    return;
  }
  drop_->hide();
  w_.steps().move(step, target);
}

void RecipeColumn::renameOpen() {
  // The row that has the focus, else the one that is open.
  const auto focused = std::find_if(list_.begin(), list_.end(), [](RecipeRow* r) { return r->hasFocus(); });
  const auto row = focused != list_.end() ? focused : std::find_if(list_.begin(), list_.end(), [this](RecipeRow* r) {
    return r->step() == w_.focus().open();
  });
  if (row != list_.end()) (*row)->startRename();
}

} // namespace lumsk::app

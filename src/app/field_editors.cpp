#include "app/field_editors.h"

#include "app/kept_editor.h"
#include "app/list_box.h"
#include "app/picks_editor.h"
#include "app/theme.h"
#include "app/words.h"

#include <QCheckBox>
#include <QFileDialog>
#include <QHeaderView>
#include <QKeyEvent>
#include <QSignalBlocker>
#include <QStackedLayout>
#include <QStyle>
#include <QTableWidget>
#include <QWheelEvent>
#include <set>

namespace lumsk::app {

using recipe::Field;
using recipe::FieldKind;

namespace {

constexpr int kFewestRowsShown = 2, kMostRowsShown = 6; ///< of a table, without scrolling
constexpr size_t kMostSegments = 3;                     ///< options that may stand side by side
constexpr int kSegmentMargin = 10;                      ///< px, beside the words of each

QString textOf(const json& v) {
  if (v.is_string()) return QString::fromStdString(v.get<std::string>());
  if (v.is_number()) return QString::fromStdString(formatNumber(v.get<double>(), 9));
  return {};
}

} // namespace

FieldEditor::FieldEditor(Field f, QWidget* parent) : QWidget(parent), field_(std::move(f)) {
  setObjectName("field-" + QString::fromStdString(field_.key));
  setAccessibleName(said(field_.label));
  setToolTip(said(field_.help));
}

bool FieldEditor::entered(const QEvent& e, const QLineEdit& line, const std::function<void()>& take) {
  if (e.type() != QEvent::KeyPress) return false;
  const int key = static_cast<const QKeyEvent&>(e).key();
  if (key != Qt::Key_Return && key != Qt::Key_Enter) return false;
  if (line.isModified())
    take();
  else
    emit enterAgain();
  return true;
}

void FieldEditor::markProblem(const QString&) {}

// Quantity

QuantityEditor::QuantityEditor(Field f, Workspace& w) : FieldEditor(std::move(f)), w_(w), edit_(new QLineEdit) {
  auto* l = flat(this);
  l->addWidget(edit_);
  edit_->setAccessibleName(said(field_.label));
  edit_->setObjectName("edit-" + QString::fromStdString(field_.key));
  edit_->installEventFilter(this);
  if (field_.fallback.empty()) edit_->setPlaceholderText(tr("automatic"));
  const char* unit = unitName(field_.dimension);
  if (*unit) {
    auto* u = new QLabel(QString::fromUtf8(unit));
    u->setProperty("tone", "soft");
    u->setContentsMargins(6, 0, 0, 0);
    u->setMinimumWidth(withText(32));
    l->addWidget(u);
  }
  connect(edit_, &QLineEdit::editingFinished, this, &QuantityEditor::take);
  setFocusProxy(edit_);
}

void QuantityEditor::setValue(const json& v) {
  value_ = v;
  if (!edit_->hasFocus() || !edit_->isModified()) edit_->setText(textOf(v));
  edit_->setModified(false);
}

void QuantityEditor::take() {
  if (!edit_->isModified()) return;
  edit_->setModified(false);
  const std::string text = edit_->text().trimmed().toStdString();
  const auto q = recipe::evaluate(text, field_.dimension, w_.focus().names());
  if (!q && !(text.empty() && field_.fallback.empty())) {
    // The wrong text stays to be mended; the value before stays in use.
    markProblem(said(q.error()));
    return;
  }
  markProblem({});
  value_ = text;
  emit changed(value_);
}

void QuantityEditor::markProblem(const QString& reason) {
  if (edit_->property("bad").toBool() == !reason.isEmpty() && reason.isEmpty()) return;
  edit_->setProperty("bad", !reason.isEmpty());
  edit_->setToolTip(reason.isEmpty() ? said(field_.help) : reason);
  edit_->style()->unpolish(edit_);
  edit_->style()->polish(edit_);
}

void QuantityEditor::step(double steps) {
  const auto q = recipe::evaluate(edit_->text().toStdString(), field_.dimension, w_.focus().names());
  if (!q) return;
  const double size = field_.dimension == Dimension::Angle ? 5 : field_.dimension == Dimension::Ratio ? 0.05 : 1;
  const double v = std::clamp(std::round((q->value + steps * size) * 1e6) / 1e6, field_.low, field_.high);
  edit_->setText(QString::fromStdString(formatNumber(v, 9)));
  edit_->setModified(true);
  take();
}

bool QuantityEditor::eventFilter(QObject* o, QEvent* e) {
  if (e->type() == QEvent::FocusIn) emit focused();
  if (e->type() == QEvent::KeyPress) {
    const auto* k = static_cast<QKeyEvent*>(e);
    if (k->key() == Qt::Key_Up || k->key() == Qt::Key_Down) {
      step((k->key() == Qt::Key_Up ? 1 : -1) * (k->modifiers() & Qt::ShiftModifier ? 10 : 1));
      return true;
    }
  }
  if (entered(*e, *edit_, [this] { take(); })) return true;
  if (e->type() == QEvent::Wheel && edit_->hasFocus()) {
    step(static_cast<QWheelEvent*>(e)->angleDelta().y() > 0 ? 1 : -1);
    return true;
  }
  return FieldEditor::eventFilter(o, e);
}

void QuantityEditor::setInstead(const QString& words) { edit_->setPlaceholderText(words); }

// Choice

ChoiceEditor::ChoiceEditor(Field f) : FieldEditor(std::move(f)), box_(new ListBox) {
  // Both ways lie on one another: which of them is seen changes no size, so that the form around does not move.
  pages_ = new QStackedLayout(this);
  box_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  box_->setMinimumContentsLength(6);
  for (const auto& o : field_.options) box_->addItem(said(o.label), QString::fromStdString(o.key));
  box_->setAccessibleName(said(field_.label));
  box_->setObjectName("choose-" + QString::fromStdString(field_.key));
  pages_->addWidget(box_);
  connect(box_, &QComboBox::activated, this, [this](int i) { emit changed(field_.options[i].key); });
  if (field_.options.size() > kMostSegments) return;
  auto* row = new QWidget;
  auto* l = flat(row);
  for (const auto& o : field_.options) {
    auto* b = new QPushButton(said(o.label));
    b->setProperty("role", "segment");
    b->setMinimumWidth(30);
    b->setCheckable(true);
    b->setObjectName("option-" + QString::fromStdString(field_.key + "-" + o.key));
    b->setAccessibleName(said(field_.label) + ": " + said(o.label));
    l->addWidget(b);
    segments_.push_back(b);
    connect(b, &QPushButton::clicked, this, [this, key = o.key] {
      setValue(key);
      emit changed(key);
    });
  }
  pages_->addWidget(row);
  pages_->setCurrentIndex(1);
}

/// Side by side where there is room for all words, else in a list.
void ChoiceEditor::resizeEvent(QResizeEvent* e) {
  FieldEditor::resizeEvent(e);
  if (segments_.empty()) return;
  int wide = 0;
  for (const QPushButton* b : segments_) wide += b->fontMetrics().horizontalAdvance(b->text()) + kSegmentMargin;
  pages_->setCurrentIndex(wide <= width() ? 1 : 0);
}

void ChoiceEditor::setValue(const json& v) {
  for (size_t i = 0; i < field_.options.size(); ++i) {
    const bool now = v.is_string() && v.get<std::string>() == field_.options[i].key;
    if (now) box_->setCurrentIndex(int(i));
    if (!segments_.empty()) segments_[i]->setChecked(now);
  }
}

// Switch

SwitchEditor::SwitchEditor(Field f) : FieldEditor(std::move(f)), box_(new QCheckBox) {
  flat(this)->addWidget(box_);
  box_->setObjectName("switch-" + QString::fromStdString(field_.key));
  box_->setAccessibleName(said(field_.label));
  connect(box_, &QCheckBox::clicked, this, [this](bool on) { emit changed(on); });
}

void SwitchEditor::setValue(const json& v) { box_->setChecked(v.is_boolean() && v.get<bool>()); }

// Text

TextEditor::TextEditor(Field f) : FieldEditor(std::move(f)), edit_(new QLineEdit) {
  flat(this)->addWidget(edit_);
  edit_->setObjectName("edit-" + QString::fromStdString(field_.key));
  edit_->installEventFilter(this);
  connect(edit_, &QLineEdit::editingFinished, this, &TextEditor::take);
}

void TextEditor::take() {
  if (!edit_->isModified()) return;
  edit_->setModified(false);
  emit changed(edit_->text().toStdString());
}

bool TextEditor::eventFilter(QObject* o, QEvent* e) { return entered(*e, *edit_, [this] { take(); }) || FieldEditor::eventFilter(o, e); }

void TextEditor::setValue(const json& v) { edit_->setText(textOf(v)); }

// File

FileEditor::FileEditor(Field f, Workspace& w) : FieldEditor(std::move(f)), button_(new QPushButton) {
  flat(this)->addWidget(button_);
  connect(button_, &QPushButton::clicked, this, [this, &w] {
    const QString path = QFileDialog::getOpenFileName(this, said(field_.label), {}, said(field_.filter));
    if (path.isEmpty()) return;
    const auto v = w.file().bringIn(path);
    if (v)
      emit changed(*v);
    else
      emit w.problemArose(v.error());
  });
}

void FileEditor::setValue(const json& v) {
  button_->setText(v.is_object() && v.contains("name") ? QString::fromStdString(v["name"].get<std::string>())
                                                       : tr("choose a file"));
}

// Rows

RowsEditor::RowsEditor(Field f) : FieldEditor(std::move(f)), table_(new QTableWidget) {
  table_->setWordWrap(false); // a long expression is cut at its end, not at its first sign
  auto* l = new QVBoxLayout(this);
  l->setContentsMargins(0, 0, 0, 0);
  QStringList heads;
  if (field_.kind == FieldKind::Points)
    heads << "x"
          << "y"
          << "z";
  if (field_.kind == FieldKind::Graph) heads << tr("at") << tr("value");
  for (const Field& c : field_.columns) heads << said(c.label);
  table_->setColumnCount(int(heads.size()));
  table_->setHorizontalHeaderLabels(heads);
  table_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
  table_->verticalHeader()->setDefaultSectionSize(24);
  fitHeight();
  table_->setAccessibleName(said(field_.label));
  table_->setObjectName("rows-" + QString::fromStdString(field_.key));
  table_->installEventFilter(this);
  l->addWidget(table_);
  auto* buttons = new QHBoxLayout;
  auto* add = new QPushButton(tr("Add row"));
  auto* remove = new QPushButton(tr("Take out"));
  add->setObjectName("add-row");
  remove->setObjectName("remove-row");
  buttons->addWidget(add);
  buttons->addWidget(remove);
  buttons->addStretch();
  l->addLayout(buttons);
  connect(table_, &QTableWidget::cellChanged, this, [this] {
    if (!filling_) emitRows();
  });
  connect(add, &QPushButton::clicked, this, [this] {
    filling_ = true;
    const int n = table_->rowCount(), at = table_->currentRow() >= 0 ? table_->currentRow() + 1 : n;
    table_->insertRow(at);
    // A new row starts from the one above, a little further on, so that no two points coincide.
    for (int c = 0; c < table_->columnCount(); ++c) {
      const QString above = at > 0 && table_->item(at - 1, c) ? table_->item(at - 1, c)->text() : "0";
      bool number = false;
      const double v = above.toDouble(&number);
      table_->setItem(at, c, new QTableWidgetItem(c == 0 && number && at > 0 ? QString::number(v + 10) : above));
    }
    filling_ = false;
    emitRows();
  });
  connect(remove, &QPushButton::clicked, this, [this] {
    if (table_->rowCount() == 0) return;
    table_->removeRow(table_->currentRow() >= 0 ? table_->currentRow() : table_->rowCount() - 1);
    emitRows();
  });
}

QString RowsEditor::idOf(int row) const {
  return table_->item(row, 0) ? table_->item(row, 0)->data(Qt::UserRole).toString() : QString();
}

json RowsEditor::cell(const QString& text) const {
  bool number = false;
  const double v = text.trimmed().toDouble(&number);
  return number ? json(v) : json(text.trimmed().toStdString());
}

void RowsEditor::emitRows() {
  const QSignalBlocker quiet(table_);
  json out = json::array();
  std::set<QString> used;
  for (int r = 0; r < table_->rowCount(); ++r) used.insert(idOf(r));
  for (int r = 0; r < table_->rowCount(); ++r) {
    const auto at = [&](int c) { return cell(table_->item(r, c) ? table_->item(r, c)->text() : "0"); };
    // A row keeps its id wherever it moves; a new one gets the first that is free.
    for (int n = 1; idOf(r).isEmpty(); ++n)
      if (const QString id = "q" + QString::number(n); used.insert(id).second)
        table_->item(r, 0)->setData(Qt::UserRole, id);
    json row{{"id", idOf(r).toStdString()}};
    if (field_.kind == FieldKind::Points) row["at"] = {at(0), at(1), at(2)};
    if (field_.kind == FieldKind::Graph) row["at"] = at(0), row["value"] = at(1);
    for (size_t c = 0; c < field_.columns.size(); ++c) row[field_.columns[c].key] = at(int(c));
    out.push_back(std::move(row));
  }
  value_ = out;
  fitHeight();
  emit changed(out);
}

void RowsEditor::setValue(const json& v) {
  if (v == value_ && table_->rowCount() == int(v.size())) return;
  value_ = v;
  filling_ = true;
  table_->setRowCount(int(v.size()));
  for (int r = 0; r < int(v.size()); ++r)
    for (int c = 0; c < table_->columnCount(); ++c) {
      json value;
      if (field_.kind == FieldKind::Points)
        value = v[r]["at"][c];
      else if (field_.kind == FieldKind::Graph)
        value = c == 0 ? v[r]["at"] : v[r]["value"];
      else
        value = v[r].value(field_.columns[c].key, json(""));
      if (!table_->item(r, c)) table_->setItem(r, c, new QTableWidgetItem);
      table_->item(r, c)->setText(textOf(value));
      // Rows of a table are called what the view calls them: control point "c3", place "p1.i2".
      if (c == 0 && field_.kind == FieldKind::Table)
        table_->setVerticalHeaderItem(r, new QTableWidgetItem(QString::fromStdString(v[r].value("id", ""))));
      if (c == 0) table_->item(r, c)->setData(Qt::UserRole, QString::fromStdString(v[r].value("id", "")));
    }
  filling_ = false;
  fitHeight();
}

bool RowsEditor::eventFilter(QObject* o, QEvent* e) {
  // Only when somebody went there: not when the focus falls on it because something else went away.
  if (e->type() == QEvent::FocusIn) {
    const auto why = static_cast<QFocusEvent*>(e)->reason();
    if (why == Qt::MouseFocusReason || why == Qt::TabFocusReason || why == Qt::BacktabFocusReason) emit focused();
  }
  return FieldEditor::eventFilter(o, e);
}

void RowsEditor::fitHeight() {
  // Few steps need graphs and tables: while they are empty they take little room.
  const bool spare = table_->rowCount() == 0 && field_.kind != FieldKind::Points;
  const int rows = spare ? 1 : std::clamp(table_->rowCount(), kFewestRowsShown, kMostRowsShown);
  table_->setFixedHeight(table_->horizontalHeader()->sizeHint().height() + 2 * table_->frameWidth() +
                         rows * table_->verticalHeader()->defaultSectionSize());
}

// Clicks

ClicksEditor::ClicksEditor(Field f) : FieldEditor(std::move(f)), count_(new QLabel), none_(new QPushButton(tr("None"))) {
  auto* l = flat(this);
  l->addWidget(count_);
  l->addStretch();
  l->addWidget(none_);
  none_->setObjectName("none");
  none_->setAccessibleName(tr("%1: none").arg(said(field_.label)));
  connect(none_, &QPushButton::clicked, this, [this] { emit changed(json::array()); });
  setValue(json::array());
}

void ClicksEditor::setValue(const json& v) {
  count_->setText(v.empty() ? tr("click them in the view") : tr("%n clicked in the view", nullptr, int(v.size())));
  none_->setEnabled(!v.empty());
}

// Plain

DrawingEditor::DrawingEditor(Field f) : FieldEditor(std::move(f)), button_(new QPushButton) {
  button_->setObjectName("drawing-" + QString::fromStdString(field_.key));
  button_->setProperty("role", "pick");
  flat(this)->addWidget(button_);
  connect(button_, &QPushButton::clicked, this, &FieldEditor::focused);
}

void DrawingEditor::setValue(const json& v) {
  const auto count = [&](const char* key) { return v.contains(key) && v[key].is_array() ? int(v[key].size()) : 0; };
  const int drawn = count("entities");
  button_->setText(drawn == 0 ? tr("draw in the view") : tr("lines and curves: %1, relations: %2").arg(drawn).arg(count("relations")));
}

PlainEditor::PlainEditor(Field f) : FieldEditor(std::move(f)), edit_(new QLineEdit) {
  flat(this)->addWidget(edit_);
  connect(edit_, &QLineEdit::editingFinished, this, [this] {
    const json v = json::parse(edit_->text().toStdString(), nullptr, false);
    if (!v.is_discarded() && edit_->isModified()) emit changed(v);
    edit_->setModified(false);
  });
}

void PlainEditor::setValue(const json& v) { edit_->setText(QString::fromStdString(v.dump())); }

FieldEditor* makeEditor(const Field& f, Workspace& w, ViewWidget& view) {
  switch (f.kind) {
  case FieldKind::Quantity: return new QuantityEditor(f, w);
  case FieldKind::Choice:
    if (!f.kept.empty()) return new KeptEditor(f, w);
    return new ChoiceEditor(f);
  case FieldKind::Continuity: return new ChoiceEditor(f);
  case FieldKind::Switch: return new SwitchEditor(f);
  case FieldKind::Text: return new TextEditor(f);
  case FieldKind::File: return new FileEditor(f, w);
  case FieldKind::Picks: return new PicksEditor(f, w, view);
  case FieldKind::Points:
  case FieldKind::Graph:
  case FieldKind::Table:
    if (f.byClick) return new ClicksEditor(f);
    return new RowsEditor(f);
  case FieldKind::Drawing: return new DrawingEditor(f);
  }
  return new PlainEditor(f);
}

} // namespace lumsk::app

#include "app/field_form.h"
#include "app/words.h"

#include <QGridLayout>
#include <algorithm>

namespace lumsk::app {

using recipe::FieldKind;

FieldForm::FieldForm(recipe::Schema schema, Workspace& w, ViewWidget& view, QWidget* parent)
    : QWidget(parent), schema_(std::move(schema)), more_(new QPushButton) {
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setColumnStretch(1, 1);
  grid->setHorizontalSpacing(8);
  grid->setVerticalSpacing(5);
  int row = 0;
  for (const recipe::Field& f : schema_) {
    // Chips that carry a choice need room for their name beside it.
    const bool chosen = std::any_of(f.each.begin(), f.each.end(),
                                    [](const recipe::Field& sub) { return sub.kind == FieldKind::Choice || sub.kind == FieldKind::Continuity; });
    Line line{new QLabel(said(f.label)), makeEditor(f, w, view),
              f.kind == FieldKind::Points || f.kind == FieldKind::Table || f.kind == FieldKind::Graph || chosen};
    line.label->setProperty("tone", "soft");
    line.label->setToolTip(said(f.help));
    if (line.wide) {
      grid->addWidget(line.label, row++, 0, 1, 2);
      grid->addWidget(line.editor, row, 0, 1, 2);
    } else {
      grid->addWidget(line.label, row, 0, Qt::AlignTop);
      line.label->setContentsMargins(0, 5, 0, 0);
      grid->addWidget(line.editor, row, 1);
    }
    line.label->setBuddy(line.editor);
    ++row;
    lines_.push_back(line);
    connect(line.editor, &FieldEditor::changed, this, [this, key = f.key](const json& v) { emit changed(key, v); });
    connect(line.editor, &FieldEditor::changedTogether, this, &FieldForm::changedTogether);
    connect(line.editor, &FieldEditor::focused, this, [this, key = f.key] { emit focused(key); });
    connect(line.editor, &FieldEditor::enterAgain, this, &FieldForm::enterAgain);
  }
  more_->setObjectName("more");
  more_->setProperty("role", "link");
  more_->setCheckable(true);
  grid->addWidget(more_, row, 0, 1, 2, Qt::AlignLeft);
  connect(more_, &QPushButton::toggled, this, &FieldForm::showLines);
}

bool FieldForm::folded(const Line& l) const {
  const recipe::Field& f = l.editor->field();
  if (!f.seldom) return false;
  const auto v = values_.find(f.key);
  return v == values_.end() || *v == recipe::defaultValue(f) || (v->is_array() && v->empty());
}

void FieldForm::showLines() {
  QStringList away;
  for (const Line& l : lines_) {
    const bool applies = recipe::applies(l.editor->field(), schema_, values_), isFolded = folded(l);
    if (applies && isFolded) away << said(l.editor->field().label).toLower();
    const bool on = applies && (!isFolded || more_->isChecked());
    l.editor->setVisible(on);
    l.label->setVisible(on);
  }
  more_->setVisible(!away.isEmpty());
  more_->setText(more_->isChecked() ? tr("less") : tr("more"));
  more_->setToolTip(away.join(", "));
}

void FieldForm::setValues(const json& values) {
  values_ = values;
  for (Line& l : lines_) {
    const recipe::Field& f = l.editor->field();
    l.editor->setValue(values.contains(f.key) ? values[f.key] : recipe::defaultValue(f));
    l.editor->setOthers(values);
  }
  showLines();
}

FieldEditor* FieldForm::editor(const std::string& key) const {
  for (const Line& l : lines_)
    if (l.editor->field().key == key) return l.editor;
  return nullptr;
}

} // namespace lumsk::app

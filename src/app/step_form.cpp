#include "app/step_form.h"

#include "app/picks_editor.h"
#include "app/theme.h"

#include <QGridLayout>
#include <nlohmann/json.hpp>

namespace lumsk::app {

StepForm::StepForm(Workspace& w, ViewWidget& view, std::string step, QWidget* parent)
    : QWidget(parent), w_(w), step_(std::move(step)), messages_(new QVBoxLayout), keep_(new QPushButton(tr("Keep"))),
      drop_(new QPushButton(tr("Drop"))) {
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(6, 2, 6, 8);
  auto* grid = new QGridLayout;
  grid->setColumnStretch(1, 1);
  grid->setHorizontalSpacing(8);
  grid->setVerticalSpacing(5);
  layout->addLayout(grid);
  const auto* entry = w_.recipe().find(step_);
  int row = 0;
  for (const recipe::Field& f : w_.registry().schemaOf(entry->kind)) {
    auto* label = new QLabel(QString::fromStdString(f.label));
    label->setStyleSheet("color: #5F6468;");
    label->setToolTip(QString::fromStdString(f.help));
    auto* editor = makeEditor(f, w_, view);
    const bool wide =
        f.kind == recipe::FieldKind::Points || f.kind == recipe::FieldKind::Table || f.kind == recipe::FieldKind::Graph;
    if (wide) {
      grid->addWidget(editor, row, 0, 1, 2);
      label->hide();
      label->setParent(this);
    } else {
      grid->addWidget(label, row, 0, Qt::AlignTop);
      label->setContentsMargins(0, 5, 0, 0);
      grid->addWidget(editor, row, 1);
    }
    label->setBuddy(editor);
    ++row;
    lines_.push_back({label, editor});
    connect(editor, &FieldEditor::changed, this, [this, key = f.key](const json& v) {
      w_.setInput(step_, key, v, tr("change %1").arg(QString::fromStdString(key)));
    });
    connect(editor, &FieldEditor::focused, this, [this, key = f.key] { w_.unfold(step_, key); });
    connect(editor, &FieldEditor::enterAgain, this, [this] {
      if (w_.draft() == step_) w_.keepDraft();
    });
  }
  layout->addLayout(messages_);
  auto* buttons = new QHBoxLayout;
  auto* help = new QPushButton(tr("Help"));
  help->setProperty("role", "link");
  connect(help, &QPushButton::clicked, this,
          [this, kind = QString::fromStdString(entry->kind)] { emit helpWanted(kind); });
  buttons->addWidget(help);
  buttons->addStretch();
  keep_->setProperty("role", "keep");
  keep_->setObjectName("keep");
  drop_->setObjectName("drop");
  buttons->addWidget(drop_);
  buttons->addWidget(keep_);
  layout->addLayout(buttons);
  connect(keep_, &QPushButton::clicked, &w_, &Workspace::keepDraft);
  connect(drop_, &QPushButton::clicked, &w_, &Workspace::dropDraft);
  sync();
}

void StepForm::sync() {
  const auto* entry = w_.recipe().find(step_);
  if (!entry) return;
  const auto& schema = w_.registry().schemaOf(entry->kind);
  for (Line& l : lines_) {
    const recipe::Field& f = l.editor->field();
    const bool on = recipe::applies(f, schema, *entry->inputs);
    l.editor->setVisible(on);
    const bool wide =
        f.kind == recipe::FieldKind::Points || f.kind == recipe::FieldKind::Table || f.kind == recipe::FieldKind::Graph;
    l.label->setVisible(on && !wide);
    l.editor->setValue(entry->inputs->contains(f.key) ? (*entry->inputs)[f.key] : recipe::defaultValue(f));
    if (auto* picks = dynamic_cast<PicksEditor*>(l.editor)) picks->setActive(w_.open() == step_ && w_.field() == f.key);
  }
  const bool draft = w_.draft() == step_;
  keep_->setVisible(draft);
  drop_->setVisible(draft);
  syncMessages();
}

void StepForm::syncMessages() {
  while (auto* item = messages_->takeAt(0)) {
    if (item->widget()) item->widget()->deleteLater();
    delete item;
  }
  const auto* r = w_.model()->result(step_);
  if (!r) return;
  const auto add = [&](const Problem& p, bool bad) {
    auto* text =
        new QLabel((bad ? QString::fromUtf8("▲ ") : QString::fromUtf8("• ")) + QString::fromStdString(sentence(p)));
    text->setWordWrap(true);
    text->setObjectName(bad ? "problem" : "note");
    text->setToolTip(QString::fromStdString(p.code));
    text->setStyleSheet(bad ? "color: #B3401F;" : "color: #5F6468;");
    messages_->addWidget(text);
    if (!p.where.empty()) {
      auto* there = new QPushButton(tr("show the place"));
      there->setProperty("role", "link");
      connect(there, &QPushButton::clicked, this, [this, at = p.where.front()] { w_.lookAt(at); });
      messages_->addWidget(there, 0, Qt::AlignLeft);
    }
    for (const Remedy& m : p.remedies) {
      auto* b = new QPushButton(QString::fromStdString(m.text));
      b->setProperty("role", "remedy");
      b->setObjectName("remedy");
      connect(b, &QPushButton::clicked, this, [this, m] {
        w_.setInput(m.step.empty() ? step_ : m.step, m.field, m.value, QString::fromStdString(m.text));
      });
      messages_->addWidget(b, 0, Qt::AlignLeft);
    }
  };
  if (r->problem) add(*r->problem, true);
  if (r->outcome && r->status == recipe::Status::Ok)
    for (const Problem& n : r->outcome->notes) add(n, false);
  for (Line& l : lines_)
    l.editor->markProblem(r->problem && r->problem->field == l.editor->field().key
                              ? QString::fromStdString(sentence(*r->problem))
                              : QString());
}

void StepForm::focusFirst() {
  for (Line& l : lines_)
    if (l.editor->isVisible() && l.editor->field().kind == recipe::FieldKind::Quantity) return l.editor->setFocus();
}

} // namespace lumsk::app

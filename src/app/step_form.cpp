#include "app/step_form.h"

#include "app/picks_editor.h"
#include "app/theme.h"
#include "app/words.h"
#include "recipe/crossed.h"

#include <QColorDialog>
#include <nlohmann/json.hpp>

namespace lumsk::app {

StepForm::StepForm(Workspace& w, ViewWidget& view, std::string step, QWidget* parent)
    : QWidget(parent), w_(w), step_(std::move(step)), messages_(new QVBoxLayout), keep_(new QPushButton(tr("Keep"))),
      drop_(new QPushButton(tr("Drop"))) {
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(6, 2, 6, 8);
  const auto* entry = w_.recipe().find(step_);
  kind_ = entry->kind;
  addSwitches(*layout);
  form_ = new FieldForm(w_.registry().schemaOf(entry->kind), w_, view);
  layout->addWidget(form_);
  connect(form_, &FieldForm::changed, this, [this](const std::string& key, const json& v) {
    w_.session().setInput(step_, key, v, tr("change %1").arg(QString::fromStdString(key)));
  });
  connect(form_, &FieldForm::changedTogether, this, [this](const json& values) { w_.session().setInputs(step_, values, tr("choose what is kept")); });
  connect(form_, &FieldForm::focused, this, [this](const std::string& key) { w_.focus().unfold(step_, key); });
  connect(form_, &FieldForm::enterAgain, this, [this] {
    if (w_.session().draft() == step_ || drawnInPlace()) w_.focus().done();
  });
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
  connect(keep_, &QPushButton::clicked, &w_.focus(), &Focus::done);
  connect(drop_, &QPushButton::clicked, &w_.session(), &Session::dropDraft);
  sync();
}

/// Of steps through curves that cross: both families exchanged, and the other constructions that the same curves allow.
void StepForm::addSwitches(QVBoxLayout& layout) {
  const recipe::Step* step = w_.registry().find(kind_);
  const auto others = recipe::otherKinds(kind_, w_.registry());
  if (!step || (!step->crossed && !step->madeThrough)) return;
  auto* row = new QHBoxLayout;
  const auto add = [&](const QString& text, const QString& tip, const QString& name) {
    auto* b = new QPushButton(text);
    b->setProperty("role", "link");
    b->setToolTip(tip);
    b->setObjectName(name);
    row->addWidget(b);
    return b;
  };
  if (step->crossed && !step->crossed->across.empty()) {
    swap_ = add(tr("Swap directions"), tr("The guides become the sections, and the sections the guides"), "swap");
    connect(swap_, &QPushButton::clicked, this, [this] { w_.steps().swapDirections(step_); });
  }
  connect(add(tr("Try ways"), tr("All constructions that these curves allow, side by side (T)"), "try-ways"),
          &QPushButton::clicked, &w_, &Workspace::waysWanted);
  if (step->crossed)
    connect(add(tr("Iron out"), tr("The least moves of its curves with which it wrinkles least"), "iron-out"), &QPushButton::clicked, &w_,
            &Workspace::ironWanted);
  if (!step->crossed) colour_ = add(tr("Colour of its faces"), tr("Another colour for the faces that it adds to the body"), "colour-faces");
  if (colour_)
    connect(colour_, &QPushButton::clicked, this, [this] {
      const QColor c = QColorDialog::getColor(QColor("#F3EEE4"), this, tr("Colour of its faces"));
      if (c.isValid()) w_.steps().colourFacesOf(step_, c.name().toStdString());
    });
  row->addStretch();
  layout.addLayout(row);
  constexpr int kInRow = 2; // as many as the narrowest column holds
  int placed = 0;
  for (const std::string& kind : others) {
    if (placed++ % kInRow == 0) {
      if (placed > 1) row->addStretch();
      row = new QHBoxLayout;
      layout.addLayout(row);
    }
    const QString label = said(w_.registry().find(kind)->label);
    auto* b = add(tr("Make it a %1").arg(label.toLower()), tr("The same curves; nothing is lost on the way back"),
                  "make-" + QString::fromStdString(kind));
    connect(b, &QPushButton::clicked, this, [this, kind] { w_.steps().makeAs(step_, kind); });
  }
  if (placed > 0) row->addStretch();
}

bool StepForm::drawnInPlace() const { return w_.focus().open() == step_ && !w_.focus().drawnFor().empty(); }

void StepForm::sync() {
  const auto* entry = w_.recipe().find(step_);
  if (!entry) return;
  form_->setValues(*entry->inputs);
  form_->forEach([&](FieldEditor& e) {
    if (auto* picks = dynamic_cast<PicksEditor*>(&e))
      picks->setActive(w_.focus().open() == step_ && w_.focus().field() == e.field().key);
  });
  if (swap_) { // there have to be guides enough to be sections
    const auto across = w_.registry().find(kind_)->crossed->across;
    swap_->setEnabled(entry->inputs->value(across, json::array()).size() > 1);
  }
  if (colour_) colour_->setVisible(w_.steps().addsFaces(step_));
  const bool draft = w_.session().draft() == step_;
  const auto* user = w_.recipe().find(w_.focus().drawnFor());
  keep_->setText(drawnInPlace() && user ? tr("Back to %1").arg(QString::fromStdString(user->label)) : tr("Keep"));
  keep_->setVisible(draft || drawnInPlace());
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
  const auto add = [&](const Problem& p, bool isProblem) {
    const bool bad = isProblem && !p.missing; // what is not given yet is no fault
    auto* text = new QLabel((bad ? QString::fromUtf8("▲ ") : QString::fromUtf8("• ")) + said(p));
    text->setWordWrap(true);
    text->setObjectName(isProblem ? "problem" : "note");
    text->setToolTip(QString::fromStdString(p.code));
    text->setProperty("tone", bad ? "bad" : "soft");
    messages_->addWidget(text);
    if (!p.where.empty()) {
      auto* there = new QPushButton(tr("show the place"));
      there->setProperty("role", "link");
      connect(there, &QPushButton::clicked, this, [this, at = p.where.front()] { w_.lookAt(at); });
      messages_->addWidget(there, 0, Qt::AlignLeft);
    }
    for (const Remedy& m : p.remedies) {
      auto* b = new QPushButton(said(m.text));
      b->setProperty("role", "remedy");
      b->setObjectName("remedy");
      connect(b, &QPushButton::clicked, this,
              [this, m] { w_.steps().take(m.step.empty() ? step_ : m.step, m); });
      messages_->addWidget(b, 0, Qt::AlignLeft);
    }
  };
  if (r->problem) add(*r->problem, true);
  if (r->outcome && r->status == recipe::Status::Ok)
    for (const Problem& n : r->outcome->notes) add(n, false);
  form_->forEach([&](FieldEditor& e) {
    const bool here = r->problem && !r->problem->missing && r->problem->field == e.field().key;
    e.markProblem(here ? said(*r->problem) : QString());
  });
}

} // namespace lumsk::app

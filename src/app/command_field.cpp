#include "app/command_field.h"
#include "app/words.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>

namespace lumsk::app {

CommandField::CommandField(Workspace& w, QWidget* parent)
    : QWidget(parent), w_(w), edit_(new QLineEdit), list_(new QListWidget) {
  setObjectName("command");
  auto* l = new QVBoxLayout(this);
  l->setContentsMargins(0, 0, 0, 0);
  l->setSpacing(2);
  edit_->setPlaceholderText(tr("type a tool, a step, a number, a view"));
  edit_->setAccessibleName(tr("command"));
  edit_->setObjectName("command-edit");
  edit_->setMinimumHeight(32);
  list_->setFocusPolicy(Qt::NoFocus);
  l->addWidget(edit_);
  l->addWidget(list_);
  hide();
  edit_->installEventFilter(this);
  connect(edit_, &QLineEdit::textChanged, this, &CommandField::filter);
  connect(list_, &QListWidget::itemClicked, this, &CommandField::runCurrent);
}

void CommandField::addCommand(const QString& words, std::function<void()> run) {
  fixed_.push_back({words, std::move(run)});
}

void CommandField::open(int top, int right) {
  const int w = std::min(420, right - 24);
  setGeometry((right - w) / 2, top, w, std::min(300, parentWidget()->height() - top - 8));
  edit_->clear();
  filter();
  show();
  raise();
  edit_->setFocus();
}

void CommandField::filter() {
  const QString text = edit_->text().trimmed();
  shown_.clear();
  if (const int eq = int(text.indexOf('=')); eq > 0) {
    const std::string name = text.left(eq).trimmed().toStdString(), value = text.mid(eq + 1).trimmed().toStdString();
    shown_.push_back(
        {tr("set %1 to %2").arg(QString::fromStdString(name), QString::fromStdString(value)), [this, name, value] {
           recipe::Recipe next = w_.recipe();
           for (auto& p : next.parameters)
             if (p.name == name) {
               p.expression = value;
               return w_.session().edit(std::move(next), tr("set %1").arg(QString::fromStdString(name)));
             }
           if (const auto ok = recipe::checkName(name); !ok) {
             emit w_.problemArose(ok.error());
             return;
           }
           next.parameters.push_back({name, value, Dimension::Length});
           w_.session().edit(std::move(next), tr("add %1").arg(QString::fromStdString(name)));
         }});
  } else {
    const auto offer = [&](const QString& words, std::function<void()> run) {
      if (text.isEmpty() || words.contains(text, Qt::CaseInsensitive)) shown_.push_back({words, std::move(run)});
    };
    for (const auto& s : w_.registry().all())
      offer(tr("tool: %1").arg(said(s.label)), [this, k = s.kind] { w_.focus().start(k); });
    for (const Entry& e : fixed_) offer(e.words, e.run);
    for (const auto& s : w_.recipe().steps)
      offer(tr("step: %1").arg(QString::fromStdString(s->label)), [this, id = s->id] { w_.focus().unfold(id); });
  }
  list_->clear();
  for (const Entry& e : shown_) list_->addItem(e.words);
  if (list_->count()) list_->setCurrentRow(0);
}

void CommandField::runCurrent() {
  const int i = list_->currentRow();
  hide();
  parentWidget()->setFocus();
  if (i >= 0 && i < int(shown_.size())) {
    const auto run = shown_[i].run;
    run();
  }
}

bool CommandField::eventFilter(QObject* o, QEvent* e) {
  if (e->type() == QEvent::KeyPress) {
    const int key = static_cast<QKeyEvent*>(e)->key();
    if (key == Qt::Key_Escape) {
      hide();
      parentWidget()->setFocus();
      return true;
    }
    if (key == Qt::Key_Return || key == Qt::Key_Enter) {
      runCurrent();
      return true;
    }
    if (key == Qt::Key_Down || key == Qt::Key_Up) {
      list_->setCurrentRow(
          std::clamp(list_->currentRow() + (key == Qt::Key_Down ? 1 : -1), 0, std::max(0, list_->count() - 1)));
      return true;
    }
  }
  if (e->type() == QEvent::FocusOut && !list_->underMouse()) hide();
  return QWidget::eventFilter(o, e);
}

} // namespace lumsk::app

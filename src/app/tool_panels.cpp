#include "app/tool_panels.h"

#include "app/theme.h"
#include "app/words.h"

#include <QScrollArea>
#include <QToolButton>

namespace lumsk::app {

StageRail::StageRail(QWidget* parent) : QWidget(parent), buttons_(new QButtonGroup(this)) {
  setObjectName("rail");
  setAttribute(Qt::WA_StyledBackground);
  setFixedWidth(72);
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(4, 8, 4, 8);
  layout->setSpacing(4);
  buttons_->setExclusive(false);
  for (int i = 0; i < recipe::kStages; ++i) {
    const QString key = QString(recipe::stageName(recipe::Stage(i))).toLower();
    const QString name = said(recipe::stageName(recipe::Stage(i)));
    auto* b = new QToolButton;
    b->setObjectName("stage-" + key);
    b->setText(name);
    b->setToolTip(tr("%1 (%2)").arg(name).arg(i + 1));
    b->setAccessibleName(tr("stage %1").arg(name));
    b->setIcon(icon("icons/" + key));
    b->setIconSize({24, 24});
    b->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
    b->setCheckable(true);
    b->setFixedSize(64, 58);
    buttons_->addButton(b, i);
    layout->addWidget(b);
    connect(b, &QToolButton::clicked, this, [this, i] {
      choose(now_ == i ? -1 : i);
      emit chosen(now_);
    });
  }
  layout->addStretch();
}

void StageRail::choose(int stage) {
  now_ = stage;
  for (int i = 0; i < recipe::kStages; ++i) buttons_->button(i)->setChecked(i == stage);
}

Drawer::Drawer(Workspace& w, QWidget* parent)
    : QWidget(parent), w_(w), title_(new QLabel), pin_(new QPushButton(tr("pin"))), tools_(new QVBoxLayout) {
  setObjectName("drawer");
  setAttribute(Qt::WA_StyledBackground);
  setFixedWidth(160);
  title_->setProperty("tone", "head");
  pin_->setProperty("role", "link");
  pin_->setCheckable(true);
  pin_->setChecked(true);
  pin_->setToolTip(tr("keep the drawer open"));
  auto* top = new QHBoxLayout;
  top->addWidget(title_);
  top->addStretch();
  top->addWidget(pin_);
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(10, 10, 8, 8);
  layout->addLayout(top);
  // As many tools as there are: what does not fit is scrolled to, and the window stays as high as it is.
  auto* inside = new QWidget;
  inside->setObjectName("drawer-tools");
  auto* column = new QVBoxLayout(inside);
  column->setContentsMargins(0, 0, 0, 0);
  tools_->setSpacing(2);
  column->addLayout(tools_);
  column->addStretch();
  auto* scroll = new QScrollArea;
  scroll->setWidgetResizable(true);
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  scroll->setFocusPolicy(Qt::NoFocus);
  scroll->setWidget(inside);
  layout->addWidget(scroll, 1);
  connect(pin_, &QPushButton::toggled, this, [this](bool on) { pin_->setText(on ? tr("unpin") : tr("pin")); });
  pin_->setText(tr("unpin"));
}

bool Drawer::pinned() const { return pin_->isChecked(); }
void Drawer::setPinned(bool on) { pin_->setChecked(on); }

void Drawer::show(int stage) {
  while (auto* item = tools_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  setVisible(stage >= 0);
  if (stage < 0) return;
  title_->setText(said(recipe::stageName(recipe::Stage(stage))));
  const auto& all = w_.registry().all();
  const bool close = std::count_if(all.begin(), all.end(), [&](const auto& s) { return int(s.stage) == stage; }) > 16;
  const auto add = [&](const QString& text, const QString& iconName, const QString& name) {
    auto* b = new QToolButton;
    b->setObjectName(name);
    b->setAccessibleName(text);
    b->setText(" " + text);
    b->setIcon(icon(iconName));
    b->setIconSize({22, 22});
    b->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    b->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    b->setMinimumHeight(close ? 24 : 34);
    tools_->addWidget(b);
    return b;
  };
  for (const auto& s : w_.registry().all()) {
    if (int(s.stage) != stage) continue;
    const QString kind = QString::fromStdString(s.kind);
    auto* b = add(said(s.label), "steps/" + kind, "tool-" + kind);
    connect(b, &QToolButton::clicked, this, [this, k = s.kind] {
      w_.startDraft(k);
      emit used();
    });
  }
  if (recipe::Stage(stage) == recipe::Stage::Deliver)
    for (const auto& [action, iconName] : deliveries_)
      connect(add(action->text(), iconName, "tool-" + action->objectName()), &QToolButton::clicked, action,
              &QAction::trigger);
}

} // namespace lumsk::app

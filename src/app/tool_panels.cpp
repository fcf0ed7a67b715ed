#include "app/tool_panels.h"

#include "app/theme.h"
#include "app/words.h"

#include <QScrollArea>
#include <QSettings>
#include <QTimer>
#include <QToolButton>

namespace lumsk::app {

namespace {

constexpr size_t kManyTools = 16, kLastUsed = 4; ///< drawers with more show those that were used last
constexpr int kRemembered = 24;                  ///< of all stages
constexpr const char* kLastKey = "drawer/lastUsed";

} // namespace

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
  search_ = new QPushButton(tr("search tools"));
  auto* search = search_;
  search->setObjectName("search-tools");
  search->setProperty("role", "link");
  search->setToolTip(tr("tools, steps, numbers and views by name (Space)"));
  connect(search, &QPushButton::clicked, this, &Drawer::searchWanted);
  layout->addWidget(search, 0, Qt::AlignLeft);
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

void Drawer::lend(QWidget* tools, const QString& title) {
  lent_ = tools;
  lentTitle_ = title;
  show(stage_);
}

void Drawer::show(int stage) {
  stage_ = stage;
  while (auto* item = tools_->takeAt(0)) {
    if (item->widget() && item->widget() != lent_) item->widget()->deleteLater(), item->widget()->hide();
    delete item;
  }
  setVisible(stage >= 0 || lent_);
  search_->setVisible(!lent_);
  if (lent_) {
    title_->setText(lentTitle_);
    tools_->addWidget(lent_);
    return lent_->show();
  }
  if (stage < 0) return;
  title_->setText(said(recipe::stageName(recipe::Stage(stage))));
  std::vector<const recipe::Step*> steps;
  for (const auto& s : w_.registry().all())
    if (int(s.stage) == stage) steps.push_back(&s);
  close_ = steps.size() > kManyTools;
  if (close_) addLastUsed(steps);
  std::vector<std::string> headings; // in the order of their first tools
  for (const recipe::Step* s : steps)
    if (std::find(headings.begin(), headings.end(), s->heading) == headings.end()) headings.push_back(s->heading);
  for (const std::string& h : headings) {
    const bool folded = !h.empty() && addHeading(h);
    for (const recipe::Step* s : steps)
      if (s->heading == h && !folded) addTool(*s, "tool-");
  }
  if (recipe::Stage(stage) == recipe::Stage::Deliver)
    for (const auto& [action, iconName] : deliveries_)
      connect(addButton(action->text(), iconName, "tool-" + action->objectName()), &QToolButton::clicked, action,
              &QAction::trigger);
}

QToolButton* Drawer::addButton(const QString& text, const QString& iconName, const QString& name) {
  auto* b = new QToolButton;
  b->setObjectName(name);
  b->setAccessibleName(text);
  b->setText(" " + text);
  b->setIcon(icon(iconName));
  b->setIconSize({22, 22});
  b->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
  b->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  b->setMinimumHeight(close_ ? 24 : 34);
  tools_->addWidget(b);
  return b;
}

void Drawer::addTool(const recipe::Step& s, const QString& prefix) {
  const QString kind = QString::fromStdString(s.kind);
  connect(addButton(said(s.label), "steps/" + kind, prefix + kind), &QToolButton::clicked, this, [this, k = s.kind] {
    remember(QString::fromStdString(k));
    w_.focus().start(k);
    emit used();
  });
}

/// The few tools that were taken last, so that a long drawer need not be gone through.
void Drawer::addLastUsed(const std::vector<const recipe::Step*>& steps) {
  std::vector<const recipe::Step*> last;
  for (const QString& kind : QSettings().value(kLastKey).toStringList())
    for (const recipe::Step* s : steps)
      if (kind == s->kind.c_str() && last.size() < kLastUsed) last.push_back(s);
  if (last.empty()) return;
  addHeading("last used", false);
  for (const recipe::Step* s : last) addTool(*s, "last-");
}

/// Whether its tools are folded away.
bool Drawer::addHeading(const std::string& heading, bool folds) {
  const QString key = QString("drawer/folded/") + heading.c_str();
  const bool folded = folds && QSettings().value(key, false).toBool();
  auto* b = new QPushButton;
  b->setObjectName(QString("heading-") + heading.c_str());
  b->setProperty("role", "heading");
  b->setText(folds ? (folded ? QString::fromUtf8("▸ ") : QString::fromUtf8("▾ ")) + said(heading) : said(heading));
  b->setAccessibleName(folded ? tr("%1, folded").arg(said(heading)) : said(heading));
  b->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  b->setEnabled(folds);
  if (folds)
    connect(b, &QPushButton::clicked, this, [this, key, folded] {
      QSettings().setValue(key, !folded);
      show(stage_);
    });
  tools_->addWidget(b);
  return folded;
}

void Drawer::remember(const QString& kind) {
  QStringList last = QSettings().value(kLastKey).toStringList();
  last.removeAll(kind);
  last.prepend(kind);
  QSettings().setValue(kLastKey, QStringList(last.mid(0, kRemembered)));
  if (close_) QTimer::singleShot(0, this, [this] { show(stage_); }); // the button that was clicked is still needed
}

} // namespace lumsk::app

#include "app/start_panel.h"
#include "app/demos.h"

#include "app/theme.h"

#include <QCoreApplication>
#include <QDir>
#include <QFileInfo>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QScrollBar>
#include <QToolButton>
#include <QVBoxLayout>

namespace lumsk::app {

namespace {

constexpr int kAcross = 4; ///< demos side by side

} // namespace

StartPanel::StartPanel(QWidget* parent) : QWidget(parent), recent_(new QVBoxLayout) {
  setObjectName("start");
  setAttribute(Qt::WA_StyledBackground);
  auto* l = new QVBoxLayout(this);
  l->setContentsMargins(24, 20, 24, 20);
  l->setSpacing(8);
  auto* title = new QLabel(tr("Begin a form"));
  title->setProperty("tone", "title");
  l->addWidget(title);
  auto* words = new QLabel(tr("Draw the curves a skin should run through, then loft them.\nOr drop a project, body, "
                              "mesh, picture or table of points on this window."));
  words->setProperty("tone", "soft");
  words->setWordWrap(true);
  l->addWidget(words);
  auto* tools = new QHBoxLayout;
  for (const auto& [kind, text] : {std::pair{"ring", tr("Draw a ring")}, std::pair{"spline", tr("Draw a spline")},
                                   std::pair{"points_curve", tr("Read points")}}) {
    auto* b = new QPushButton(icon("steps/" + QString(kind)), text);
    b->setObjectName("start-" + QString(kind));
    b->setIconSize({22, 22});
    tools->addWidget(b);
    connect(b, &QPushButton::clicked, this, [this, k = QString(kind)] { emit toolWanted(k); });
  }
  l->addLayout(tools);
  auto* files = new QHBoxLayout;
  auto* open = new QPushButton(tr("Open a project"));
  open->setObjectName("start-open");
  connect(open, &QPushButton::clicked, this, &StartPanel::openWanted);
  files->addWidget(open);
  auto* bring = new QPushButton(tr("Bring in a file"));
  bring->setObjectName("start-bring-in");
  bring->setToolTip(tr("bodies, meshes, pictures or points"));
  connect(bring, &QPushButton::clicked, this, &StartPanel::bringInWanted);
  files->addWidget(bring);
  files->addStretch();
  l->addLayout(files);
  addDemos(l);
  addExamples(l);
  l->addLayout(recent_);
}

QToolButton* StartPanel::opener(const QString& path, const QString& name, const QString& words, const QString& tip, QSize size) {
  const QFileInfo info(path);
  auto* b = new QToolButton;
  b->setObjectName(name);
  b->setText(words);
  b->setToolTip(tip);
  b->setAccessibleName(words);
  b->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
  b->setIconSize(size);
  const QString picture = info.path() + "/pictures/" + info.completeBaseName() + ".png";
  if (QFileInfo::exists(picture)) b->setIcon(QIcon(picture));
  connect(b, &QToolButton::clicked, this, [this, path] { emit fileWanted(path); });
  return b;
}

/// Small pictures in rows, so that the panel is no wider than a small window's view.
void StartPanel::addDemos(QVBoxLayout* l) {
  auto* demos = new QGridLayout;
  demos->setSpacing(8);
  for (const auto& info : QDir(demoFolder()).entryInfoList({"*.lumsk"}, QDir::Files)) {
    const QString name = info.completeBaseName();
    auto* b = opener(info.filePath(), "start-demo-" + name, tr("Demo: %1").arg(QString(name).replace('_', ' ')), tr("open this demo"), {150, 94});
    demos_.push_back(b);
    demos->addWidget(b, int(demos_.size() - 1) / kAcross, int(demos_.size() - 1) % kAcross);
  }
  demos->setColumnStretch(kAcross, 1);
  l->addLayout(demos);
}

/// Smaller still, in one row that is scrolled: single jobs, done from nothing.
void StartPanel::addExamples(QVBoxLayout* l) {
  const auto files = QDir(exampleFolder()).entryInfoList({"*.lumsk"}, QDir::Files);
  if (files.isEmpty()) return;
  auto* strip = new QWidget;
  auto* row = new QHBoxLayout(strip);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  for (const auto& info : files) {
    const QString name = info.completeBaseName();
    auto* b = opener(info.filePath(), "start-example-" + name, tr("Job: %1").arg(QString(name).replace('_', ' ')), tr("open this example: one job, done from nothing"), {84, 66});
    b->setFixedHeight(66 + b->fontMetrics().height() + 14);
    row->addWidget(b);
  }
  auto* area = new QScrollArea;
  area->setObjectName("start-examples");
  area->setAccessibleName(tr("examples"));
  area->setWidget(strip);
  area->setFrameShape(QFrame::NoFrame);
  area->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  area->setFixedHeight(strip->sizeHint().height() + area->horizontalScrollBar()->sizeHint().height());
  l->addWidget(area);
}

void StartPanel::setRoom(QSize view) {
  constexpr int kWidest = 660, kBorders = 48 + 3 * 12, kRows = 2;
  setFixedWidth(std::min(kWidest, view.width() - 16));
  // Pictures as large as there is room for, across and down.
  const int across = (width() - kBorders) / kAcross - 8, down = int((view.height() - 490) / kRows * 1.6);
  const int w = std::clamp(std::min(across, down), 72, 150);
  for (QToolButton* b : demos_) {
    b->setIconSize({w, w * 5 / 8});
    b->setFixedHeight(w * 5 / 8 + b->fontMetrics().height() + 14); // its own hint leaves the words no room
  }
  layout()->activate();
  adjustSize();
}

void StartPanel::setRecent(const QStringList& files) {
  while (auto* item = recent_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  for (const QString& f : files.mid(0, 4)) {
    if (!QFileInfo::exists(f)) continue;
    auto* b = new QPushButton(tr("Recent: %1").arg(QFileInfo(f).fileName()));
    b->setProperty("role", "link");
    recent_->addWidget(b, 0, Qt::AlignLeft);
    connect(b, &QPushButton::clicked, this, [this, f] { emit fileWanted(f); });
  }
  adjustSize();
}

} // namespace lumsk::app

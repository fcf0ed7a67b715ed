#include "app/main_window.h"
#include "app/bureau_window.h"

#include "app/drawing_panels.h"

#include "app/export_dialog.h"
#include "app/help.h"
#include "app/numbers_panel.h"
#include "app/parts_panel.h"
#include "app/picture_dialog.h"
#include "app/preferences.h"
#include "app/sheet_dialog.h"
#include "app/theme.h"
#include "app/words.h"
#include "exchange/files.h"

#include <QAbstractItemView>
#include <QApplication>
#include <QCloseEvent>
#include <QDropEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QLineEdit>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QSplitter>
#include <QTabWidget>

namespace lumsk::app {

MainWindow::MainWindow(const recipe::Registry& registry, const QString& unsavedFolder)
    : w_(registry), view_(new ViewWidget(w_)), before_(new CompareView(*view_)), rail_(new StageRail),
      drawer_(new Drawer(w_)), column_(new RecipeColumn(w_, *view_)), tabs_(new QTabWidget), split_(new QSplitter),
      strip_(new ReadoutStrip(w_)), views_(new QWidget), ways_(new WaysTray(w_, *view_)), iron_(new IronTray(w_, *view_)), notice_(new NoticeBar(views_)), autosave_(w_, unsavedFolder),
      desk_(w_, *view_, *strip_, *notice_, autosave_, this) {
  setObjectName("main");
  resize(1280, 800);
  setAcceptDrops(true);
  makePanels();
  new RelationBar(w_.board(), *view_);
  command_ = new CommandField(w_, view_);
  start_ = new StartPanel(view_);
  makeMenus();
  makeViewTags();
  makeCommands();
  view_->installEventFilter(this);

  wirePanels();
  wireWork();
  restore();
}

/// Rail, drawer, view, column and strip, from left to right and down.
void MainWindow::makePanels() {
  tabs_->setObjectName("column");
  tabs_->setAttribute(Qt::WA_StyledBackground);
  tabs_->addTab(column_, tr("Recipe"));
  auto* parts = new PartsPanel(w_);
  connect(parts, &PartsPanel::told, strip_, &ReadoutStrip::tell);
  tabs_->addTab(parts, tr("Parts"));
  tabs_->addTab(new NumbersPanel(w_), tr("Numbers"));
  tabs_->setMinimumWidth(290);
  split_->setObjectName("split");
  auto* beside = new QHBoxLayout(views_);
  beside->setContentsMargins(0, 0, 0, 0);
  beside->setSpacing(1);
  beside->addWidget(before_, 1);
  beside->addWidget(view_, 1);
  before_->hide();
  split_->addWidget(views_);
  split_->addWidget(tabs_);
  split_->setStretchFactor(0, 1);
  split_->setSizes({940, 310});
  split_->setCollapsible(0, false);
  auto* middle = new QHBoxLayout;
  middle->setContentsMargins(0, 0, 0, 0);
  middle->setSpacing(0);
  middle->addWidget(rail_);
  middle->addWidget(drawer_);
  middle->addWidget(split_, 1);
  auto* whole = new QWidget;
  auto* layout = new QVBoxLayout(whole);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(0);
  layout->addLayout(middle, 1);
  layout->addWidget(ways_);
  layout->addWidget(iron_);
  layout->addWidget(strip_);
  setCentralWidget(whole);
}

void MainWindow::wirePanels() {
  connect(rail_, &StageRail::chosen, drawer_, &Drawer::show);
  connect(drawer_, &Drawer::searchWanted, this, [this] { openCommand(); });
  connect(drawer_, &Drawer::used, this, [this] {
    if (!drawer_->pinned()) {
      rail_->choose(-1);
      drawer_->show(-1);
    }
    tabs_->setCurrentIndex(0);
    view_->setFocus();
  });
  connect(&w_.board(), &DrawingBoard::opened, this, [this] {
    drawer_->lend(w_.board().open() ? new DrawingTools(w_.board()) : nullptr, tr("Drawing"));
    findChild<QPushButton*>("tag-drawing")->setVisible(w_.board().open());
    placeOverView();
  });
  connect(start_, &StartPanel::toolWanted, this, [this](const QString& k) { w_.focus().start(k.toStdString()); });
  connect(start_, &StartPanel::bringInWanted, this, &MainWindow::bringInDialog);
  connect(start_, &StartPanel::openWanted, &desk_, &ProjectDesk::openDialog);
  connect(&desk_, &ProjectDesk::recentChanged, start_, &StartPanel::setRecent);
  connect(&desk_, &ProjectDesk::problemArose, this, &MainWindow::report);
  connect(start_, &StartPanel::fileWanted, this, &MainWindow::openPath);
  connect(column_, &RecipeColumn::helpWanted, this, &MainWindow::help);
}

void MainWindow::wireWork() {
  connect(&w_, &Workspace::problemArose, this, &MainWindow::report);
  connect(&w_, &Workspace::told, strip_, &ReadoutStrip::tell);
  connect(&autosave_, &Autosave::failed, this,
          [this](const Problem& p) { strip_->tell(tr("unsaved work is not being kept: %1").arg(said(p))); });
  connect(notice_, &NoticeBar::changed, this, &MainWindow::placeOverView);
  connect(&background_, &Background::progressed, strip_, &ReadoutStrip::progress);
  connect(&background_, &Background::finished, this, [this] { strip_->progress(0, {}); });
  connect(&background_, &Background::broken, this, [this](const QString& why) { emit w_.told(brokenInside(why)); });
  connect(&w_.session(), &Session::recipeChanged, this, [this] {
    syncTitle();
    syncStart();
  });
  connect(&w_.file(), &ProjectFile::fileChanged, this, [this] {
    syncTitle();
    syncStart();
  });
}

/// As the window was left.
void MainWindow::restore() {
  QSettings settings;
  restoreGeometry(settings.value("window/geometry").toByteArray());
  split_->restoreState(settings.value("window/split").toByteArray());
  drawer_->setPinned(settings.value("window/drawerPinned", true).toBool());
  chooseStage(settings.value("window/stage", 0).toInt());
  connect(rail_, &StageRail::chosen, this, [](int s) { QSettings().setValue("window/stage", s); });
  start_->setRecent(ProjectDesk::recent());
  syncTitle();
  syncStart();
  view_->setFocus();
}

void MainWindow::chooseStage(int stage) {
  rail_->choose(stage);
  drawer_->show(stage);
  QSettings().setValue("window/stage", stage);
}

void MainWindow::makeViewTags() {
  const auto tag = [&](const char* name, const QString& text, const QString& tip) {
    auto* b = new QPushButton(text);
    b->setProperty("role", "tag");
    b->setObjectName(name);
    b->setToolTip(tip);
    b->setFocusPolicy(Qt::TabFocus);
    tags_->layout()->addWidget(b);
    return b;
  };
  tags_ = new QWidget(views_);
  tags_->setObjectName("tags");
  auto* row = new QHBoxLayout(tags_);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  using scene::ViewFrom;
  const std::tuple<const char*, QString, ViewFrom> views[] = {{"tag-front", tr("Front"), ViewFrom::Front},
                                                              {"tag-left", tr("Left"), ViewFrom::Left},
                                                              {"tag-top", tr("Top"), ViewFrom::Top},
                                                              {"tag-corner", tr("Corner"), ViewFrom::Corner}};
  for (const auto& [name, text, from] : views)
    connect(tag(name, text, tr("look from here")), &QPushButton::clicked, this,
            [this, f = from] { view_->lookFrom(f); });
  connect(tag("tag-fit", tr("Fit"), tr("fit all (F)")), &QPushButton::clicked, view_, &ViewWidget::fitAll);
  auto* square = tag("tag-drawing", tr("Square on"), tr("look square to the plane of the drawing"));
  square->hide();
  connect(square, &QPushButton::clicked, this, [this] {
    std::vector<Vec3> places;
    for (const auto& p : w_.board().drawing().points) places.push_back(w_.board().toWorld(p.at));
    view_->lookSquareTo(w_.board().frame(), places);
  });
  auto* perspective = tag("tag-perspective", tr("Perspective"), tr("perspective or parallel"));
  perspective->setCheckable(true);
  perspective->setChecked(true);
  connect(perspective, &QPushButton::toggled, view_, &ViewWidget::setPerspective);
  const auto name = [](QWidget* on, const QString& text) {
    auto* l = new QLabel(text, on);
    l->setObjectName("side-name");
    l->setAttribute(Qt::WA_TransparentForMouseEvents);
    return l;
  };
  beforeName_ = name(before_, tr("before"));
  nowName_ = name(view_, tr("now"));
  nowName_->hide();
  connect(before_, &CompareView::probed, view_, &ViewWidget::probed);
  before_->installEventFilter(this);
  lenses_ = new LensBar(*view_);
  lensPanel_ = new LensPanel(w_, *view_);
  for (QWidget* over : {tags_, static_cast<QWidget*>(lenses_), static_cast<QWidget*>(lensPanel_),
                        static_cast<QWidget*>(notice_), static_cast<QWidget*>(start_)})
    over->setAttribute(Qt::WA_NoMousePropagation); // a click beside their buttons is none in the view
  connect(lenses_, &LensBar::resized, this, &MainWindow::placeOverView);
  connect(&w_.results(), &Results::modelChanged, this, &MainWindow::syncLensPanel);
  connect(&w_.results(), &Results::figuresChanged, this, &MainWindow::syncLensPanel);
}

void MainWindow::makeCommands() {
  using scene::ViewFrom;
  for (const auto& [text, from] :
       {std::pair{tr("view: Front"), ViewFrom::Front}, std::pair{tr("view: Left"), ViewFrom::Left},
        std::pair{tr("view: Right"), ViewFrom::Right}, std::pair{tr("view: Top"), ViewFrom::Top},
        std::pair{tr("view: Corner"), ViewFrom::Corner}})
    command_->addCommand(text, [this, f = from] { view_->lookFrom(f); });
  command_->addCommand(tr("view: Fit all"), [this] { view_->fitAll(); });
  command_->addCommand(tr("view: Before and now, side by side"), [this] { sideBySide_->toggle(); });
  command_->addCommand(tr("view: Floor"), [this] { findChild<QAction*>("floor")->toggle(); });
  command_->addCommand(tr("view: Other half"), [this] { findChild<QAction*>("other-half")->toggle(); });
  command_->addCommand(tr("try ways"), [this] { emit w_.waysWanted(); });
  command_->addCommand(tr("iron out"), [this] { emit w_.ironWanted(); });
  command_->addCommand(tr("file: Save"), [this] { desk_.save(); });
  command_->addCommand(tr("file: Bring in"), [this] { bringInDialog(); });
  command_->addCommand(tr("file: Export"), [this] { exportDialog(); });
  command_->addCommand(tr("file: Picture"), [this] { pictureDialog(); });
  command_->addCommand(tr("file: Report sheet"), [this] { sheetDialog(); });
  command_->addCommand(tr("file: Print bureau"), [this] { bureau(); });
  for (const auto& k : scene::lenses())
    command_->addCommand(tr("lens: %1").arg(said(k->label())), [this, key = k->key()] {
      auto state = view_->lens();
      scene::turnOn(state, key, true);
      view_->setLens(state);
    });
}

void MainWindow::setSideBySide(bool on) {
  if (on && !view_->before()) view_->keepBefore();
  // What was seen from side to side still is: the shorter side of a view always shows the same.
  const auto breadth = [this] { return std::max(1.0, double(view_->width()) / std::max(1, view_->height())); };
  const double was = breadth();
  const bool whole = view_->seesAll();
  if (on) { // both need the room
    rail_->choose(-1);
    drawer_->show(-1);
  }
  before_->setVisible(on);
  nowName_->setVisible(on);
  views_->layout()->activate();
  if (whole)
    view_->fitAll();
  else
    view_->scale(breadth() / was);
  placeOverView();
}

void MainWindow::syncLensPanel() { lensPanel_->sync(lenses_->geometry().bottom() + 9); }

void MainWindow::placeOverView() {
  tags_->adjustSize();
  for (auto* name : {beforeName_, nowName_}) {
    name->adjustSize();
    name->move(12, 20 + tags_->height());
  }
  lenses_->adjustSize();
  tags_->move(12, 12);
  // Beside the tags, else below them; what else lies there keeps to the left of it.
  const int left = view_->width() - lenses_->width() - 12;
  lenses_->move(left, left > tags_->geometry().right() + 8 ? 12 : tags_->geometry().bottom() + 8);
  syncLensPanel();
  const int room = lenses_->isVisible() ? left : view_->width();
  notice_->setMaximumWidth(room - 16);
  notice_->adjustSize();
  notice_->move(view_->x() + (room - notice_->width()) / 2, 20 + tags_->height());
  for (QWidget* over : {tags_, static_cast<QWidget*>(notice_)}) over->raise();
  QMargins covered(0, tags_->geometry().bottom(), view_->width() - lenses_->geometry().left(), 0);
  if (lensPanel_->isVisible()) { // beside it or above it, where there is more room
    const QSize panel = lensPanel_->size();
    if (panel.width() * view_->height() < panel.height() * view_->width())
      lensPanel_->x() < view_->width() / 2 ? covered.setLeft(panel.width() + 12)
                                           : covered.setRight(std::max(covered.right(), panel.width() + 12));
    else
      covered.setBottom(panel.height() + 12);
  }
  view_->setCovered(covered);
  start_->setRoom(view_->size());
  start_->move((view_->width() - start_->width()) / 2, (view_->height() - start_->height()) / 2);
}

/// Below what else lies there.
void MainWindow::openCommand() {
  const int below = notice_->isVisible() ? view_->mapFrom(views_, notice_->geometry().bottomLeft()).y() + 8 : 0;
  command_->open(std::max(60, below), lenses_->isVisible() ? lenses_->x() : view_->width());
}

void MainWindow::syncTitle() {
  const QString name = w_.file().path().isEmpty() ? tr("untitled") : QFileInfo(w_.file().path()).completeBaseName();
  setWindowTitle(name + (w_.session().modified() ? "*" : "") + " - Lumsk");
  undo_->setEnabled(w_.session().canUndo());
  redo_->setEnabled(w_.session().canRedo());
}

void MainWindow::syncStart() {
  start_->setVisible(w_.recipe().steps.empty());
  lenses_->setVisible(!w_.recipe().steps.empty()); // there is nothing to be seen through them
  placeOverView();
}

void MainWindow::help(const QString& page) {
  const auto* entry = w_.recipe().find(w_.focus().open());
  if (!help_) help_ = new HelpWindow(helpPages(w_.registry(), this), this);
  help_->open(!page.isEmpty() ? page : entry ? QString::fromStdString(entry->kind) : "handbook/first_vessel");
}

/// Into the open drawing, else into a new one on the top plane.
void MainWindow::bringInDrawing(const QString& path) {
  if (!w_.board().open())
    for (const auto& s : w_.session().registry().all())
      for (const recipe::Field& f : w_.session().registry().schemaOf(s.kind)) {
        if (f.kind != recipe::FieldKind::Drawing || w_.board().open()) continue;
        w_.focus().start(s.kind);
        w_.session().setInput(w_.session().draft(), f.planeField, {{{"id", "p1"}, {"step", "world"}, {"kind", "plane"}, {"part", "top"}}}, tr("place the drawing"));
        w_.focus().unfold(w_.session().draft(), f.key);
      }
  w_.board().bringIn(path);
  tabs_->setCurrentIndex(0);
  view_->setFocus();
}

void MainWindow::bringIn(const QString& path) {
  if (DrawingBoard::reads(path)) return bringInDrawing(path);
  const auto taker = w_.file().takerOf(path);
  if (!taker) return void(openPath(path));
  const auto file = w_.file().bringIn(path);
  if (!file) return report(file.error());
  w_.focus().start(taker->first);
  w_.session().setInput(w_.session().draft(), taker->second, *file, tr("choose a file"));
  tabs_->setCurrentIndex(0);
  view_->setFocus();
}

void MainWindow::bringInDialog() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Bring in"), {}, w_.file().takenFiles() + ";;" + tr("Drawings (*.dxf *.svg)"));
  if (!path.isEmpty()) bringIn(path);
}

void MainWindow::exportDialog() {
  ExportDialog dialog(w_, this);
  if (dialog.exec() != QDialog::Accepted) return;
  QString path =
      QFileDialog::getSaveFileName(this, tr("Export"), desk_.beside() + dialog.ending(), "*" + dialog.ending());
  if (path.isEmpty()) return;
  if (!path.endsWith(dialog.ending())) path += dialog.ending();
  dialog.each() ? exportEach(path, dialog.options()) : exportPath(path, dialog.options());
}

void MainWindow::pictureDialog() {
  PictureDialog dialog(view_->size(), view_->seen(), this);
  if (dialog.exec() != QDialog::Accepted) return;
  QString path = QFileDialog::getSaveFileName(this, tr("Picture"), desk_.beside() + ".png", dialog.job().views.empty() ? tr("Pictures (*.png *.jpg)") : tr("Pictures (*.png *.jpg *.pdf)"));
  if (path.isEmpty()) return;
  if (QFileInfo(path).suffix().isEmpty()) path += ".png";
  write<sheet::PicturesDone>(
      path, [model = w_.model(), file = path.toStdString(), job = dialog.job()](const Context& cx) { return sheet::writePictures(*model, file, job, cx); },
      [](const QString& name, const sheet::PicturesDone& done) {
        const QString first = QFileInfo(QString::fromStdString(done.files.front())).fileName();
        return done.files.size() == 1 ? tr("wrote %1: %2 × %3 pixels").arg(name).arg(done.width).arg(done.height)
                                      : tr("wrote %1 pictures, %2 and on: %3 × %4 pixels").arg(done.files.size()).arg(first).arg(done.width).arg(done.height);
      });
}

void MainWindow::bureau() {
  if (!bureau_) bureau_ = new BureauWindow(w_, this);
  bureau_->open();
}

void MainWindow::sheetDialog() {
  SheetDialog dialog(w_, view_->lens(), this);
  if (dialog.exec() != QDialog::Accepted) return;
  QString path = QFileDialog::getSaveFileName(this, tr("Report sheet"), desk_.beside() + ".pdf", tr("PDF (*.pdf)"));
  if (path.isEmpty()) return;
  if (!path.endsWith(".pdf", Qt::CaseInsensitive)) path += ".pdf";
  sheet::SheetOptions o;
  dialog.fill(o);
  sheetPath(path, std::move(o));
}

template <class T>
void MainWindow::write(const QString& path, std::function<Expected<T>(const Context&)> work,
                       std::function<QString(const QString& name, const T&)> words) {
  const QString name = QFileInfo(path).fileName();
  strip_->tell(tr("writing %1, Esc stops it").arg(name));
  background_.run<Expected<T>>(std::move(work), [this, name, words](const Expected<T>& done) {
    if (!done && isCancelled(done.error())) return strip_->tell(tr("stopped, %1 is as it was").arg(name));
    if (!done) return report(done.error());
    strip_->tell(words(name, *done));
  });
}

void MainWindow::sheetPath(const QString& path, sheet::SheetOptions o) {
  o.title = QFileInfo(desk_.beside()).fileName().toStdString();
  o.when = QLocale().toString(QDate::currentDate(), QLocale::ShortFormat).toStdString();
  o.lens = view_->lens();
  o.shown = [](const Quantity& q) { return shown(q).toStdString(); };
  write<sheet::SheetDone>(
      path,
      [model = w_.model(), file = path.toStdString(), o](const Context& cx) {
        return sheet::writeSheet(*model, file, o, cx);
      },
      [](const QString& name, const sheet::SheetDone& done) {
        return tr("wrote %1: pages: %2, views at %3").arg(name).arg(done.pages).arg(QString::fromStdString(done.scale));
      });
}

namespace {

QString countsOf(const exchange::Exported& done) {
  QString words = done.bodies == 1 ? MainWindow::tr("1 body") : MainWindow::tr("%1 bodies").arg(done.bodies);
  if (done.curves) words += done.curves == 1 ? MainWindow::tr(", 1 curve") : MainWindow::tr(", %1 curves").arg(done.curves);
  if (done.triangles) words += MainWindow::tr(", %1 triangles").arg(done.triangles);
  if (done.lines) words += MainWindow::tr(", %1 lines").arg(done.lines);
  for (const auto& l : done.leftOut) words += MainWindow::tr("; left out %1").arg(QString::fromStdString(l));
  return words;
}

} // namespace

void MainWindow::exportPath(const QString& path, const exchange::ExportOptions& options) {
  write<exchange::Exported>(
      path,
      [model = w_.model(), file = path.toStdString(), options](const Context& cx) {
        return exchange::exportModel(*model, file, options, cx);
      },
      [](const QString& name, const exchange::Exported& done) { return tr("wrote %1: %2").arg(name, countsOf(done)); });
}

void MainWindow::exportEach(const QString& path, const exchange::ExportOptions& options) {
  write<std::vector<exchange::ExportedFile>>(
      path,
      [model = w_.model(), file = path.toStdString(), options](const Context& cx) {
        return exchange::exportEach(*model, file, options, cx);
      },
      [](const QString&, const std::vector<exchange::ExportedFile>& files) {
        QStringList names;
        for (const auto& f : files) names << QFileInfo(QString::fromStdString(f.path)).fileName();
        return tr("wrote %1").arg(names.join(", "));
      });
}

void MainWindow::report(const Problem& p) {
  strip_->tell(said(p));
  auto* box = new QMessageBox(QMessageBox::NoIcon, tr("Lumsk"), said(p.what), QMessageBox::Ok, this);
  box->setObjectName("problem-box");
  box->setInformativeText(said(p.remedyText) + "\n" + QString::fromStdString(p.code));
  box->button(QMessageBox::Ok)->setIcon({});
  box->setAttribute(Qt::WA_DeleteOnClose);
  box->open();
}

void MainWindow::changeEvent(QEvent* e) {
  QMainWindow::changeEvent(e);
  if (e->type() == QEvent::ActivationChange && isActiveWindow()) desk_.lookForOthers();
}

void MainWindow::closeEvent(QCloseEvent* e) {
  if (w_.file().busy() || !desk_.mayLeave()) return e->ignore();
  autosave_.giveUp();
  QSettings s;
  s.setValue("window/geometry", saveGeometry());
  s.setValue("window/split", findChild<QSplitter*>("split")->saveState());
  s.setValue("window/drawerPinned", drawer_->pinned());
  e->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* e) {
  for (const QUrl& url : e->mimeData()->urls()) {
    const QString path = url.toLocalFile();
    bringIn(path);
    return;
  }
}

bool MainWindow::eventFilter(QObject* o, QEvent* e) {
  if ((o == view_ || o == before_) && e->type() == QEvent::Resize) placeOverView();
  return QMainWindow::eventFilter(o, e);
}

void MainWindow::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Escape) {
    if (background_.busy()) return background_.stop();
    if (ways_->isVisible()) return ways_->giveUp();
    if (iron_->isVisible()) return iron_->giveUp();
    w_.escape();
    return;
  }
  // A list that begins to be edited by a key passes the key on all the same.
  const auto* focus = focusWidget();
  if (qobject_cast<const QLineEdit*>(focus) || qobject_cast<const QAbstractItemView*>(focus))
    return QMainWindow::keyPressEvent(e);
  if (e->modifiers() == Qt::NoModifier && e->key() >= Qt::Key_1 && e->key() < Qt::Key_1 + recipe::kStages) {
    return chooseStage(e->key() - Qt::Key_1);
  }
  if (e->key() == Qt::Key_Space && e->modifiers() == Qt::NoModifier) return openCommand();
  if (e->key() == Qt::Key_Delete)
    if (const auto ids = column_->acted(); !ids.empty()) return w_.steps().remove(ids);
  QMainWindow::keyPressEvent(e);
}

} // namespace lumsk::app

// The menus of the window.
#include "app/main_window.h"
#include "app/preferences.h"
#include "app/theme.h"
#include "app/words.h"
#include "brep/confine.h"

#include <QFileInfo>
#include <QMenuBar>
#include <QMessageBox>
#include <QPushButton>
#include <QSettings>
#include <QTabWidget>

namespace lumsk::app {

QAction* MainWindow::action(QMenu* menu, const QString& text, const QKeySequence& keys, std::function<void()> run) {
  auto* a = menu->addAction(text);
  a->setShortcut(keys);
  connect(a, &QAction::triggered, this, [run = std::move(run)] { run(); });
  return a;
}

void MainWindow::makeMenus() {
  makeFileMenu();
  makeEditMenu();
  makeViewMenu();
  auto* steps = menuBar()->addMenu(tr("Steps"));
  for (const auto& s : w_.registry().all())
    steps->addAction(icon("steps/" + QString::fromStdString(s.kind)), said(s.label), this, [this, k = s.kind] {
      w_.focus().start(k);
      view_->setFocus();
    });
  makeHelpMenu();
}

/// A choice about the view that is remembered, on at first.
void MainWindow::remembered(QMenu* menu, const QString& text, const char* name, std::function<void(bool)> show) {
  auto* a = menu->addAction(text);
  const QString key = "view/" + QString(name);
  a->setObjectName(name);
  a->setCheckable(true);
  a->setChecked(QSettings().value(key, true).toBool());
  show(a->isChecked());
  connect(a, &QAction::toggled, this, [key, show = std::move(show)](bool on) {
    QSettings().setValue(key, on);
    show(on);
  });
}

void MainWindow::makeFileMenu() {
  auto* file = menuBar()->addMenu(tr("File"));
  action(file, tr("New"), QKeySequence::New, [this] {
    if (desk_.mayLeave()) w_.file().newProject();
  });
  action(file, tr("Open"), QKeySequence::Open, [this] { desk_.openDialog(); });
  auto* recent = file->addMenu(tr("Open recent"));
  connect(recent, &QMenu::aboutToShow, this, [this, recent] {
    recent->clear();
    for (const QString& f : QSettings().value("recent").toStringList())
      recent->addAction(QFileInfo(f).fileName(), this, [this, f] { openPath(f); });
  });
  file->addSeparator();
  action(file, tr("Save"), QKeySequence::Save, [this] { desk_.save(); });
  action(file, tr("Save as"), QKeySequence("Ctrl+Shift+S"), [this] { desk_.saveAs(); });
  action(file, tr("Bring in"), QKeySequence("Ctrl+I"), [this] { bringInDialog(); });
  auto* exporting = action(file, tr("Export"), QKeySequence("Ctrl+E"), [this] { exportDialog(); });
  auto* picture = action(file, tr("Picture"), QKeySequence("Ctrl+Shift+P"), [this] { pictureDialog(); });
  auto* sheet = action(file, tr("Report sheet"), QKeySequence("Ctrl+Shift+R"), [this] { sheetDialog(); });
  exporting->setObjectName("export");
  picture->setObjectName("picture");
  auto* bureau = action(file, tr("Print bureau"), QKeySequence("Ctrl+Shift+B"), [this] { this->bureau(); });
  sheet->setObjectName("sheet");
  bureau->setObjectName("bureau");
  drawer_->setDeliveries({{exporting, "icons/deliver"}, {picture, "icons/picture"}, {sheet, "icons/sheet"}, {bureau, "icons/bureau"}});
  file->addSeparator();
  action(file, tr("Quit"), QKeySequence::Quit, [this] { close(); });
}

void MainWindow::makeEditMenu() {
  auto* edit = menuBar()->addMenu(tr("Edit"));
  undo_ = action(edit, tr("Undo"), QKeySequence::Undo, [this] { w_.session().undo(); });
  redo_ = action(edit, tr("Redo"), QKeySequence("Ctrl+Shift+Z"), [this] { w_.session().redo(); });
  edit->addSeparator();
  action(edit, tr("Copy steps"), QKeySequence::Copy, [this] { column_->copy(); });
  action(edit, tr("Paste steps"), QKeySequence::Paste, [this] {
    tabs_->setCurrentIndex(0);
    column_->paste();
  });
  action(edit, tr("Duplicate steps"), QKeySequence("Ctrl+D"), [this] {
    if (const auto ids = column_->acted(); !ids.empty()) w_.steps().duplicate(ids);
  });
  action(edit, tr("Group steps"), QKeySequence("Ctrl+G"), [this] { column_->askForGroup(); });
  action(edit, tr("Preferences"), QKeySequence("Ctrl+,"), [this] {
    auto* dialog = new PreferencesDialog(this);
    connect(dialog, &PreferencesDialog::changed, this, [this] {
      emit w_.results().modelChanged(); // figures are written anew
      placeOverView();
    });
    dialog->open();
  });
  action(edit, tr("Find a step"), QKeySequence::Find, [this] {
    tabs_->setCurrentIndex(0);
    column_->search();
  });
  edit->addSeparator();
  action(edit, tr("Rename step"), QKeySequence("F2"), [this] { column_->renameOpen(); });
  action(edit, tr("Remove step"), {}, [this] {
    if (const auto ids = column_->acted(); !ids.empty()) w_.steps().remove(ids);
  });
}

void MainWindow::makeViewMenu() {
  auto* view = menuBar()->addMenu(tr("View"));
  using scene::ViewFrom;
  const std::tuple<QString, const char*, ViewFrom> views[] = {
      {tr("Front"), "Ctrl+Down", ViewFrom::Front},  {tr("Back"), "", ViewFrom::Back},
      {tr("Left"), "Ctrl+Left", ViewFrom::Left},    {tr("Right"), "Ctrl+Right", ViewFrom::Right},
      {tr("Top"), "Ctrl+Up", ViewFrom::Top},        {tr("Bottom"), "", ViewFrom::Bottom},
      {tr("Corner"), "Ctrl+Home", ViewFrom::Corner}};
  for (const auto& [name, keys, from] : views)
    action(view, name, QKeySequence(keys), [this, from = from] { view_->lookFrom(from); });
  view->addSeparator();
  action(view, tr("Keep as before"), QKeySequence("Ctrl+B"), [this] { view_->keepBefore(); });
  sideBySide_ = view->addAction(tr("Before and now, side by side"));
  sideBySide_->setObjectName("side-by-side");
  sideBySide_->setShortcut(QKeySequence("Shift+B"));
  sideBySide_->setCheckable(true);
  connect(sideBySide_, &QAction::toggled, this, &MainWindow::setSideBySide);
  connect(view_, &ViewWidget::beforeChanged, this, [this] {
    if (!view_->before()) sideBySide_->setChecked(false);
  });
  action(view, tr("Fit all"), {}, [this] { view_->fitAll(); });
  action(view, tr("Perspective or parallel"), {},
         [this] { tags_->findChild<QPushButton*>("tag-perspective")->toggle(); });
  remembered(view, tr("Show the other half"), "other-half", [this](bool on) {
    view_->showOtherHalf(on);
    before_->takeState();
  });
  remembered(view, tr("Show the floor"), "floor", [this](bool on) { view_->showFloor(on); });
  auto* ways = view->addAction(tr("Try ways (T)"), this, [this] { emit w_.waysWanted(); });
  ways->setObjectName("try-ways");
  auto* iron = view->addAction(tr("Iron out"), this, [this] { emit w_.ironWanted(); });
  iron->setObjectName("iron-out");
}

void MainWindow::makeHelpMenu() {
  auto* help = menuBar()->addMenu(tr("Help"));
  action(help, tr("Help on the step"), QKeySequence("F1"), [this] { this->help({}); });
  action(help, tr("Find in the help"), QKeySequence("Shift+F1"), [this] {
    this->help("handbook/first_vessel");
    help_->search();
  });
  action(help, tr("Keys"), {}, [this] { this->help("keys"); });
  action(help, tr("About Lumsk"), {}, [this] {
    const int landlock = brep::landlockVersion();
    const QString files = landlock > 0 ? tr("Files of other programs are read by a process that can open nothing else (Landlock %1).").arg(landlock)
                                       : tr("This system has no Landlock (Linux 5.13 and later): the process that reads files of other programs could open other files of yours.");
    QMessageBox::about(this, tr("About Lumsk"), tr("Lumsk shapes smooth exteriors from curves.\nGPL-3.0-or-later") + "\n\n" + files);
  });
}

} // namespace lumsk::app

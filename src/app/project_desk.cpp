#include "app/project_desk.h"

#include "app/demos.h"
#include "app/view/view_widget.h"
#include "app/words.h"
#include "exchange/files.h"

#include <QDateTime>
#include <QDir>
#include <QEventLoop>
#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>
#include <QPointer>
#include <QSettings>
#include <QStandardPaths>
#include <QTimer>
#include <utility>

namespace lumsk::app {

namespace {
constexpr int kSlowFileMs = 300; ///< reading or writing a project that takes longer is told of
} // namespace

ProjectDesk::ProjectDesk(Workspace& w, ViewWidget& view, ReadoutStrip& strip, NoticeBar& notice, Autosave& autosave, QWidget* window)
    : w_(w), view_(view), strip_(strip), notice_(notice), autosave_(autosave), window_(window) {
  connect(&w_.file(), &ProjectFile::changedOutside, this, &ProjectDesk::askAboutOthers);
  connect(&w_.file(), &ProjectFile::projectReplaced, this, [this] {
    if (std::exchange(askedAboutOthers_, false)) notice_.hide();
  });
  connect(&recovering_, &Background::broken, this, [this](const QString& why) { emit w_.told(brokenInside(why)); });
}

QStringList ProjectDesk::recent() { return QSettings().value("recent").toStringList(); }

bool ProjectDesk::mayLeave() {
  if (!w_.session().modified()) return true;
  const auto answer =
      QMessageBox::question(window_, tr("Save changes?"), tr("This project has changes that are not saved."),
                            QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel);
  if (answer == QMessageBox::Save) return save();
  return answer == QMessageBox::Discard;
}

void ProjectDesk::offerLostWork() {
  recovering_.run<std::vector<exchange::LostWork>>([this, paths = recent()](const Context&) {
                                                     for (const QString& p : paths) exchange::removeLeftovers(QFileInfo(p).path().toStdString());
                                                     return autosave_.recovery().lost();
                                                   },
                                                   [this](const std::vector<exchange::LostWork>& lost) {
                                                     if (!lost.empty()) tellOfLostWork(lost);
                                                   });
}

void ProjectDesk::tellOfLostWork(const std::vector<exchange::LostWork>& lost) {
  const exchange::LostWork work = lost.front();
  const QString path = QString::fromStdString(work.projectPath);
  const QString name = path.isEmpty() ? tr("a project without a name") : QFileInfo(path).fileName();
  const auto when = QDateTime::fromSecsSinceEpoch(std::chrono::system_clock::to_time_t(work.time));
  QString words = tr("Unsaved work on %1, from %2, was kept when Lumsk ended unexpectedly.")
                      .arg(name, QLocale().toString(when, QLocale::ShortFormat));
  if (lost.size() > 1) words += " " + tr("There is more: %1 in all.").arg(lost.size());
  notice_.show(words, {{tr("Open it"), "lost-open",
                         [this, work] {
                           if (mayLeave()) takeLostWork(work);
                         }},
                        {tr("Not now"), "lost-later", {}},
                        {tr("Throw it away"), "lost-discard", [this, work] {
                           autosave_.recovery().discard(work);
                           offerLostWork();
                         }}});
}

void ProjectDesk::takeLostWork(const exchange::LostWork& work) {
  const auto read = [this, work] { return autosave_.recovery().take(work); };
  const QString path = QString::fromStdString(work.projectPath);
  if (filed([&](ProjectFile::Done done) { w_.file().takeOver(read, path, std::move(done)); })) view_.setFocus();
}

void ProjectDesk::openDialog() {
  const QString path =
      QFileDialog::getOpenFileName(window_, tr("Open"), demoFolder(), tr("Lumsk projects (*.lumsk *.json)"));
  if (!path.isEmpty()) open(path);
}

/// Waits for the project's file; meanwhile the window draws itself and takes nothing else in hand.
bool ProjectDesk::filed(const std::function<void(ProjectFile::Done)>& work, Expected<void>* result) {
  QEventLoop loop;
  // Shared: the program may end before the file does.
  const auto how = std::make_shared<std::optional<Expected<void>>>();
  work([how, waiting = QPointer<QEventLoop>(&loop)](const Expected<void>& done) {
    *how = done;
    if (waiting) waiting->quit();
  });
  bool told = false;
  QTimer slow;
  slow.setSingleShot(true);
  connect(&slow, &QTimer::timeout, &loop, [&] {
    told = true;
    strip_.progress(0.5, tr("reading or writing the project"));
  });
  slow.start(kSlowFileMs);
  if (!*how) loop.exec(QEventLoop::ExcludeUserInputEvents);
  if (!*how) return false;
  if (told) strip_.progress(0, {});
  if (result) *result = **how;
  else if (!**how) emit problemArose((*how)->error());
  return (*how)->has_value();
}

bool ProjectDesk::open(const QString& path) {
  if (!mayLeave()) return false;
  if (!filed([&](ProjectFile::Done done) { w_.file().open(path, std::move(done)); })) return false;
  remember(path);
  view_.setFocus();
  return true;
}

bool ProjectDesk::saveTo(const QString& path, bool over) {
  Expected<void> how;
  if (!filed([&](ProjectFile::Done done) { w_.file().save(path, view_.thumbnail(), std::move(done), over); }, &how)) {
    if (!how && how.error().code == "LM-F043")
      askAboutOthers();
    else if (!how)
      emit problemArose(how.error());
    return false;
  }
  if (std::exchange(askedAboutOthers_, false)) notice_.hide();
  remember(path);
  strip_.tell(tr("saved %1").arg(QFileInfo(path).fileName()));
  return true;
}

void ProjectDesk::askAboutOthers() {
  askedAboutOthers_ = true;
  notice_.show(tr("Another program has changed %1 meanwhile. Nothing was written over.").arg(QFileInfo(w_.file().path()).fileName()),
               {{tr("Save mine under another name"), "changed-save-as", [this] { saveAs(); }},
                {tr("Open theirs"), "changed-open", [this] { openTheirs(); }},
                {tr("Write over it"), "changed-over", [this] { saveTo(w_.file().path(), true); }},
                {tr("Not now"), "changed-later", {}}});
}

void ProjectDesk::openTheirs() {
  if (w_.session().modified() &&
      QMessageBox::question(window_, tr("Open theirs?"), tr("The changes that you made here are not in that file; they are dropped."),
                            QMessageBox::Discard | QMessageBox::Cancel) != QMessageBox::Discard)
    return;
  const QString path = w_.file().path();
  if (filed([&](ProjectFile::Done done) { w_.file().open(path, std::move(done)); })) view_.setFocus();
}

bool ProjectDesk::save() {
  // Demos stay as they are.
  const bool own = !w_.file().path().isEmpty() && !isDemo(w_.file().path());
  return own ? saveTo(w_.file().path()) : saveAs();
}

bool ProjectDesk::saveAs() {
  QString path =
      QFileDialog::getSaveFileName(window_, tr("Save as"), beside() + ".lumsk", tr("Lumsk projects (*.lumsk)"));
  if (path.isEmpty()) return false;
  if (!path.endsWith(".lumsk")) path += ".lumsk";
  return saveTo(path);
}

QString ProjectDesk::beside() const {
  const QFileInfo project(w_.file().path());
  const QString name = w_.file().path().isEmpty() ? tr("untitled") : project.completeBaseName();
  const bool own = !w_.file().path().isEmpty() && !isDemo(w_.file().path());
  QString folder = own ? project.path() : QStandardPaths::writableLocation(QStandardPaths::DocumentsLocation);
  if (!QFileInfo(folder).isDir()) folder = QDir::homePath();
  return folder + "/" + name;
}

void ProjectDesk::remember(const QString& path) {
  QSettings s;
  QStringList list = s.value("recent").toStringList();
  const QString full = QFileInfo(path).absoluteFilePath();
  list.removeAll(full);
  list.prepend(full);
  s.setValue("recent", list.mid(0, 8));
  emit recentChanged(list);
}

} // namespace lumsk::app

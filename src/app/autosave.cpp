#include "app/autosave.h"

#include <QStandardPaths>

namespace lumsk::app {

Autosave::Autosave(Workspace& w, const QString& folder) : w_(w), recovery_(folder.toStdString()) {
  timer_.setSingleShot(true);
  connect(&timer_, &QTimer::timeout, this, &Autosave::write);
  connect(&w_.session(), &Session::recipeChanged, this, &Autosave::edited);
  connect(&w_.file(), &ProjectFile::fileChanged, this, [this] {
    if (!w_.session().modified()) giveUp();
  });
}

Autosave::~Autosave() {
  background_.wait();
  if (unwanted_) recovery_.drop();
}

QString Autosave::usualFolder() {
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/unsaved";
}

void Autosave::edited() {
  if (!w_.session().modified()) return giveUp(); // undone to what is saved
  unwanted_ = false;
  if (!timer_.isActive()) timer_.start(patienceMs_);
}

void Autosave::write() {
  constexpr int kAgainMs = 30;
  // Not in the middle of a drag, and one at a time.
  if (w_.session().dragging() || background_.busy()) return timer_.start(kAgainMs);
  if (!w_.session().modified()) return;
  background_.run<Expected<void>>(
      [this, recipe = w_.session().recipePtr(), path = w_.file().path().toStdString()](const Context&) {
        auto done = recovery_.keep(*recipe, path);
        if (unwanted_) recovery_.drop();
        return done;
      },
      [this](const Expected<void>& done) {
        ++written_;
        if (unwanted_) recovery_.drop(); // it was decided just when it was done
        if (!done && !told_) emit failed(done.error());
        told_ = !done;
      });
}

void Autosave::giveUp() {
  timer_.stop();
  unwanted_ = true; // what is being written now goes as well
  if (!background_.busy()) recovery_.drop();
}

} // namespace lumsk::app

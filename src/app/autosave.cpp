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

void Autosave::setPatience(int quietMs, int mostMs) {
  quietMs_ = quietMs;
  mostMs_ = mostMs;
}

void Autosave::edited() {
  if (!w_.session().modified()) return giveUp(); // undone to what is saved
  unwanted_ = false;
  if (!unkept_.isValid()) unkept_.start();
  timer_.start(int(std::clamp<qint64>(mostMs_ - unkept_.elapsed(), 0, quietMs_)));
}

void Autosave::write() {
  // Not in the middle of a drag, and one at a time.
  if (w_.session().dragging() || background_.busy()) return timer_.start(200);
  if (!w_.session().modified()) return;
  unkept_.invalidate();
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
  unkept_.invalidate();
  unwanted_ = true; // what is being written now goes as well
  if (!background_.busy()) recovery_.drop();
}

} // namespace lumsk::app

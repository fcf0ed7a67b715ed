#pragma once
#include "app/last_catch.h"
#include "base/context.h"

#include <QObject>
#include <QThreadPool>

namespace lumsk::app {

/// Runs one piece of work at a time off the window's thread, with progress and a way to stop it. Starting another
/// cancels the one before, whose result is dropped.
class Background : public QObject {
  Q_OBJECT
public:
  ~Background() override {
    cancel_.cancel();
    pool_.waitForDone();
  }

  /// `work` runs on another thread, `done` gets its result on this one.
  template <class T> void run(std::function<T(const Context&)> work, std::function<void(T)> done) {
    cancel_.cancel();
    cancel_ = CancelToken();
    const int serial = ++serial_;
    Context cx;
    cx.cancel = cancel_;
    cx.progress = [this, serial](double f, const std::string& words) {
      QMetaObject::invokeMethod(this, [this, serial, f, w = QString::fromStdString(words)] {
        if (busy_ && serial == serial_) emit progressed(f, w);
      });
    };
    busy_ = true;
    pool_.start([this, serial, cx, work = std::move(work), done = std::move(done)] {
      std::shared_ptr<T> result;
      const auto thrown = thrownBy([&] { result = std::make_shared<T>(work(cx)); });
      QMetaObject::invokeMethod(this, [this, serial, result, done, thrown] {
        if (serial != serial_) return;
        busy_ = false;
        emit finished();
        if (thrown)
          emit broken(*thrown);
        else
          done(std::move(*result));
      });
    });
  }
  void wait() { pool_.waitForDone(); } ///< for the work, not for `done`
  void stop() { cancel_.cancel(); } ///< `done` is still called, with what the work returns then
  bool busy() const { return busy_; }

signals:
  void progressed(double fraction, const QString& words);
  void finished();
  void broken(const QString& why); ///< the work threw: `done` is not called

private:
  QThreadPool pool_;
  CancelToken cancel_;
  int serial_ = 0;
  bool busy_ = false;
};

} // namespace lumsk::app

#pragma once
#include "app/background.h"
#include "app/workspace.h"
#include "exchange/recovery.h"

#include <QTimer>
#include <atomic>

namespace lumsk::app {

/// Keeps unsaved work off the window's thread: every edit within a third of a second, so that a crash loses no more.
class Autosave : public QObject {
  Q_OBJECT
public:
  Autosave(Workspace& w, const QString& folder);
  ~Autosave() override;
  exchange::Recovery& recovery() { return recovery_; }
  void setPatience(int ms) { patienceMs_ = ms; } ///< after an edit; those that follow meanwhile are kept with it
  int written() const { return written_; } ///< how often
  void giveUp();                           ///< the work is saved or not wanted: nothing is left behind

  static QString usualFolder();

signals:
  void failed(const lumsk::Problem& p);

private:
  void edited();
  void write();
  Workspace& w_;
  exchange::Recovery recovery_;
  Background background_;
  QTimer timer_;
  int patienceMs_ = 60, written_ = 0;
  bool told_ = false;                 ///< of a failure, once
  std::atomic<bool> unwanted_{false}; ///< what is being written is to be dropped
};

} // namespace lumsk::app

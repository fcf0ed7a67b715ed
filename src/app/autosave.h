#pragma once
#include "app/background.h"
#include "app/workspace.h"
#include "exchange/recovery.h"

#include <QElapsedTimer>
#include <QTimer>
#include <atomic>

namespace lumsk::app {

/// Keeps unsaved work beside the project, off the window's thread: a while after the last edit, and now and then while
/// edits go on.
class Autosave : public QObject {
  Q_OBJECT
public:
  Autosave(Workspace& w, const QString& folder);
  ~Autosave() override;
  const exchange::Recovery& recovery() const { return recovery_; }
  /// After the last edit, and at the latest after the first one that is not kept; ms.
  void setPatience(int quietMs, int mostMs);
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
  QElapsedTimer unkept_; ///< since the first edit that is not kept
  int quietMs_ = 4000, mostMs_ = 30000, written_ = 0;
  bool told_ = false;                 ///< of a failure, once
  std::atomic<bool> unwanted_{false}; ///< what is being written is to be dropped
};

} // namespace lumsk::app

#pragma once
#include "app/background.h"
#include "app/focus.h"
#include "exchange/project.h"

namespace lumsk::app {

/// The file that the project is kept in. Reading and writing run off the window's thread; one at a time.
class ProjectFile : public QObject {
  Q_OBJECT
public:
  ProjectFile(Session& session, Results& results, Focus& focus, News& news);

  QString path() const { return path_; } ///< empty: not saved yet
  bool busy() const { return work_.busy(); }
  void newProject();
  /// `done` hears how it went, after everything else has.
  using Done = std::function<void(const Expected<void>&)>; ///< fails with LM-F041 while another one is under way
  void open(const QString& path, Done done);
  /// To where it is kept already only if no other program has written there (LM-F043), unless that is to be `over`written.
  void save(const QString& path, const std::string& thumbnailPng, Done done, bool over = false);
  /// Looks whether another program has written where the project is kept; `changedOutside` follows, once for each time that
  /// one has.
  void lookForOthers();
  /// Work that was lost: as it was, not saved, of the file it belonged to.
  void takeOver(std::function<Expected<exchange::Project>()> read, const QString& path, Done done);

  // Files that are brought in
  /// The kind of step, and its field, that takes such a file; the one that takes the fewest kinds when several do.
  std::optional<std::pair<std::string, std::string>> takerOf(const QString& path) const;
  QString takenFiles() const; ///< all of them, for a file dialog
  /// Puts a file into the project; the value for a file field.
  Expected<json> bringIn(const QString& path);

signals:
  void fileChanged();     ///< another project, or this one saved
  void projectReplaced(); ///< another project
  void changedOutside();

private:
  struct Read {
    exchange::Project project;
    exchange::FileState state;
  };
  void adopt(Read read, const QString& path, bool saved);
  void announce();
  /// `work` beside the window, then `use` of what it gave, then `done`.
  template <class T> void beside(std::function<Expected<T>()> work, std::function<void(T)> use, Done done);

  Session& session_;
  Results& results_;
  Focus& focus_;
  News& news_;
  QString path_;
  exchange::ProjectLock lock_;
  exchange::FileState seen_; ///< of the file at `path_`, when it was read or written last
  exchange::FileState told_; ///< of it, when `changedOutside` was emitted last
  Done done_; ///< of what is under way
  Background look_;
  Background work_; ///< last: it ends before what it reports to
};

} // namespace lumsk::app

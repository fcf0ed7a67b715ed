#pragma once
#include "app/autosave.h"
#include "app/notice_bar.h"
#include "app/readout_strip.h"

namespace lumsk::app {

class ViewWidget;

/// Opening, saving and leaving a project as a person sees it: what is asked before, and told after.
class ProjectDesk : public QObject {
  Q_OBJECT
public:
  ProjectDesk(Workspace& w, ViewWidget& view, ReadoutStrip& strip, NoticeBar& notice, Autosave& autosave, QWidget* window);

  bool mayLeave(); ///< nothing is unsaved, or it was asked what is to become of it
  void openDialog();
  bool open(const QString& path);
  bool save();
  bool saveAs();
  bool saveTo(const QString& path, bool over = false);
  /// Path of files made from the project, without an ending; of a demo, among the person's own documents.
  QString beside() const;
  static QStringList recent(); ///< projects that were opened or saved last

  /// Offers what an ended process left unsaved, if there is anything, and takes away what it left half written.
  void offerLostWork();
  /// Looks whether another program has written the project's file.
  void lookForOthers() { w_.file().lookForOthers(); }

signals:
  void recentChanged(const QStringList& paths);
  void problemArose(const lumsk::Problem& p);

private:
  bool filed(const std::function<void(ProjectFile::Done)>& work, Expected<void>* how = nullptr);
  void tellOfLostWork(const std::vector<exchange::LostWork>& lost);
  void takeLostWork(const exchange::LostWork& work);
  void askAboutOthers();
  void openTheirs();
  void remember(const QString& path);

  Workspace& w_;
  ViewWidget& view_;
  ReadoutStrip& strip_;
  NoticeBar& notice_;
  Autosave& autosave_;
  QWidget* window_;
  bool askedAboutOthers_ = false; ///< the notice is about that
  Background recovering_;
};

} // namespace lumsk::app

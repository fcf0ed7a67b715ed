#pragma once
#include "app/autosave.h"
#include "app/background.h"
#include "app/command_field.h"
#include "app/view/compare_view.h"
#include "app/help.h"
#include "app/lens_bar.h"
#include "app/lens_panel.h"
#include "app/notice_bar.h"
#include "app/project_desk.h"
#include "app/readout_strip.h"
#include "app/recipe_column.h"
#include "app/start_panel.h"
#include "app/tool_panels.h"
#include "app/iron_tray.h"
#include "app/ways_tray.h"
#include "exchange/export.h"
#include "sheet/sheet.h"

#include <QMainWindow>
#include <QPointer>

class QSplitter;
class QTabWidget;

namespace lumsk::app {

class BureauWindow;

/// Wires the panels; holds nothing of the project itself.
class MainWindow : public QMainWindow {
  Q_OBJECT
public:
  explicit MainWindow(const recipe::Registry& registry, const QString& unsavedFolder = Autosave::usualFolder());
  Workspace& workspace() { return w_; }
  ViewWidget& view() { return *view_; }

  Autosave& autosave() { return autosave_; }
  /// Offers what an ended process left unsaved, if there is anything.
  void offerLostWork() { desk_.offerLostWork(); }

  bool openPath(const QString& path) { return desk_.open(path); }
  bool savePath(const QString& path) { return desk_.saveTo(path); }
  /// Writes on another thread; Esc stops it.
  void exportPath(const QString& path, const exchange::ExportOptions& options);
  void exportEach(const QString& path, const exchange::ExportOptions& options); ///< a file a body
  /// The report sheet, seen through the lens of the view; otherwise as `exportPath`.
  void sheetPath(const QString& path, sheet::SheetOptions options = {});
  bool exporting() const { return background_.busy(); }

protected:
  void closeEvent(QCloseEvent* e) override;
  void dragEnterEvent(QDragEnterEvent* e) override;
  void dropEvent(QDropEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void changeEvent(QEvent* e) override;
  bool eventFilter(QObject* o, QEvent* e) override;

private:
  void chooseStage(int stage);
  void makePanels();
  void wirePanels();
  void wireWork();
  void restore();
  void makeMenus();
  void makeFileMenu();
  void makeEditMenu();
  void makeViewMenu();
  void makeHelpMenu();
  void remembered(QMenu* menu, const QString& text, const char* name, std::function<void(bool)> show);
  void makeViewTags();
  void makeCommands();
  void placeOverView();
  void setSideBySide(bool on);
  void syncLensPanel();
  void syncTitle();
  void syncStart();
  /// A file that some step takes starts that step; others are opened as projects.
  void bringIn(const QString& path);
  void bringInDrawing(const QString& path);
  void bringInDialog();
  void openCommand();
  void exportDialog();
  void pictureDialog();
  void sheetDialog();
  void bureau();
  /// Writes a file on another thread and says what came of it; a stop or a failure leaves the file as it was.
  template <class T>
  void write(const QString& path, std::function<Expected<T>(const Context&)> work,
             std::function<QString(const QString& name, const T&)> words);
  void report(const Problem& p);
  void help(const QString& page); ///< empty: of the open step
  QAction* action(QMenu* menu, const QString& text, const QKeySequence& keys, std::function<void()> run);

  Workspace w_;
  ViewWidget* view_;
  CompareView* before_;
  StageRail* rail_;
  Drawer* drawer_;
  RecipeColumn* column_;
  QTabWidget* tabs_;
  QSplitter* split_;
  ReadoutStrip* strip_;
  QWidget* views_; ///< the view, beside the one of before when that is shown
  CommandField* command_;
  StartPanel* start_;
  WaysTray* ways_;
  IronTray* iron_;
  QWidget* tags_;
  LensBar* lenses_;
  LensPanel* lensPanel_;
  QLabel *beforeName_, *nowName_; ///< which of the two is which, while they stand side by side
  QAction *undo_, *redo_, *sideBySide_;
  NoticeBar* notice_;
  QPointer<HelpWindow> help_; ///< made when it is first wanted
  QPointer<BureauWindow> bureau_;
  Autosave autosave_;
  ProjectDesk desk_;
  Background background_;
};

} // namespace lumsk::app

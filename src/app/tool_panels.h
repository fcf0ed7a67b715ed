#pragma once
#include "app/widgets.h"
#include "app/workspace.h"

#include <QButtonGroup>
#include <QPointer>
#include <QToolButton>
#include <QVBoxLayout>

namespace lumsk::app {

/// Left edge: the stages in the order of the work.
class StageRail : public QWidget {
  Q_OBJECT
public:
  explicit StageRail(QWidget* parent = nullptr);
  void choose(int stage); ///< -1: none
signals:
  void chosen(int stage); ///< a click on the chosen one gives -1
private:
  QButtonGroup* buttons_;
  int now_ = -1;
};

/// Tools of the chosen stage.
class Drawer : public QWidget {
  Q_OBJECT
public:
  Drawer(Workspace& w, QWidget* parent = nullptr);
  void show(int stage);
  /// While a drawing is open its tools stand here instead.
  void lend(QWidget* tools, const QString& title);
  bool pinned() const;
  void setPinned(bool on);
  /// What the last stage offers beside its steps: an action and the name of its icon. The button is called
  /// "tool-" and the action's name.
  void setDeliveries(std::vector<std::pair<QAction*, QString>> d) { deliveries_ = std::move(d); }
signals:
  void used(); ///< a tool was taken
  void searchWanted();
private:
  QToolButton* addButton(const QString& text, const QString& iconName, const QString& name);
  void addTool(const recipe::Step& s, const QString& prefix);
  void addLastUsed(const std::vector<const recipe::Step*>& steps);
  bool addHeading(const std::string& heading, bool folds = true);
  void remember(const QString& kind);

  Workspace& w_;
  int stage_ = -1;
  bool close_ = false; ///< many tools: they stand close together
  QLabel* title_;
  QPushButton* pin_;
  QVBoxLayout* tools_;
  QPushButton* search_;
  QPointer<QWidget> lent_;
  QString lentTitle_;
  std::vector<std::pair<QAction*, QString>> deliveries_;
};

} // namespace lumsk::app

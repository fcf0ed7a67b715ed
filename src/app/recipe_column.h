#pragma once
#include "app/step_form.h"

#include <QPushButton>
#include <set>

class QScrollArea;
class QLineEdit;

namespace lumsk::app {

/// One step as a row that unfolds in place into its form.
class RecipeRow : public QWidget {
  Q_OBJECT
public:
  RecipeRow(Workspace& w, ViewWidget& view, std::string step);
  const std::string& step() const { return step_; }
  void sync(const recipe::StepPtr& entry, int number);
  std::string group() const { return filled_ ? filled_->entry->group : std::string(); }
  void startRename();
  bool fits(const QString& search) const; ///< label, kind, summary or problem hold the words
signals:
  void helpWanted(const QString& kind);
  void chosen(const std::string& step, Qt::KeyboardModifiers keys); ///< a click on its head
  void menuWanted(const std::string& step, QPoint at);
  void draggedTo(const std::string& step, int y, bool dropped); ///< y in the row's own pixels

protected:
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;

private:
  Workspace& w_;
  ViewWidget& view_;
  std::string step_;
  QLabel *number_, *icon_, *label_, *summary_, *health_, *stripe_;
  QLineEdit* rename_;
  QVBoxLayout* layout_;
  StepForm* form_ = nullptr;
  /// What the row was filled from: styling and laying out rows anew is slow, and most changes touch few of them.
  struct Filled {
    recipe::StepPtr entry;
    recipe::OutcomePtr outcome;
    recipe::Status status = recipe::Status::Stale;
    QString problem;
    int number = 0;
    bool known = false, missing = false; ///< there is a result; its problem is something not given yet
    bool open = false, draft = false, chosen = false, busy = false;
    QRgb tone = 0;
    bool operator==(const Filled& o) const {
      return std::tie(entry, outcome, status, problem, known, missing, number, open, draft, chosen, busy, tone) ==
             std::tie(o.entry, o.outcome, o.status, o.problem, o.known, o.missing, o.number, o.open, o.draft, o.chosen, o.busy, o.tone);
    }
  };
  std::optional<Filled> filled_;
  QPoint pressed_;
  bool dragging_ = false;
};

/// Head of rows that stand together: folds them, and is renamed with a double click.
class GroupHead : public QPushButton {
  Q_OBJECT
public:
  GroupHead(const QString& name, QWidget* parent);
  void show(int steps, bool folded);
signals:
  void renameWanted();

protected:
  void mouseDoubleClickEvent(QMouseEvent* e) override;

private:
  QString name_;
};

/// The place where new steps go: a bar between the rows that can be dragged.
class HereMark : public QWidget {
  Q_OBJECT
public:
  explicit HereMark(QWidget* parent);
signals:
  void draggedTo(int y, bool dropped); ///< y in its own pixels

protected:
  void paintEvent(QPaintEvent*) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
};

/// The recipe as a notebook of rows: chosen, dragged, grouped, searched.
class RecipeColumn : public QWidget {
  Q_OBJECT
public:
  RecipeColumn(Workspace& w, ViewWidget& view, QWidget* parent = nullptr);
  void renameOpen();
  void search(); ///< the search field takes the keys
  /// The chosen rows, else the one that has the focus or is open.
  std::vector<std::string> acted() const;
  void copy() const;
  void paste();
  void askForGroup();

signals:
  void helpWanted(const QString& kind);

private:
  void sync();
  void choose(const std::string& step, Qt::KeyboardModifiers keys);
  void menu(const std::string& step, QPoint at);
  void drag(const std::string& step, QWidget* from, int y, bool dropped);
  int placeAt(int y) const; ///< how many rows lie above a height of the column
  void showDrop(int place, bool allowed);
  void filter();
  Workspace& w_;
  ViewWidget& view_;
  QLineEdit* search_;
  QScrollArea* scroll_;
  QWidget* inside_;
  QVBoxLayout* rows_;
  std::vector<RecipeRow*> list_;
  std::map<std::string, GroupHead*> heads_; ///< by the first step under them
  std::set<std::string> folded_;            ///< names of groups
  HereMark* here_;
  QWidget* drop_; ///< where what is dragged would go
  QLabel* empty_;
  std::string anchor_; ///< where a choice with Shift begins
};

} // namespace lumsk::app

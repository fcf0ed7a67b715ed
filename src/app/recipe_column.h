#pragma once
#include "app/step_form.h"

class QScrollArea;
class QLineEdit;

namespace lumsk::app {

/// One step as a row that unfolds in place into its form.
class RecipeRow : public QWidget {
  Q_OBJECT
public:
  RecipeRow(Workspace& w, ViewWidget& view, std::string step);
  const std::string& step() const { return step_; }
  void sync(int number);
  void startRename();
signals:
  void helpWanted(const QString& kind);

protected:
  void mouseReleaseEvent(QMouseEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;

private:
  Workspace& w_;
  ViewWidget& view_;
  std::string step_;
  QLabel *number_, *icon_, *label_, *summary_, *health_;
  QLineEdit* rename_;
  QVBoxLayout* layout_;
  StepForm* form_ = nullptr;
};

/// The recipe as a notebook of rows.
class RecipeColumn : public QWidget {
  Q_OBJECT
public:
  RecipeColumn(Workspace& w, ViewWidget& view, QWidget* parent = nullptr);
  void renameOpen();
signals:
  void helpWanted(const QString& kind);

private:
  void sync();
  Workspace& w_;
  ViewWidget& view_;
  QScrollArea* scroll_;
  QVBoxLayout* rows_;
  std::vector<RecipeRow*> list_;
  QLabel* empty_;
};

} // namespace lumsk::app

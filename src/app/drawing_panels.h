#pragma once
#include "app/drawing_board.h"
#include "app/widgets.h"

namespace lumsk::app {

class ViewWidget;

/// What stands in the drawer while a drawing is open: its tools, what can be set for the one that is taken, switches.
class DrawingTools : public QWidget {
  Q_OBJECT
public:
  explicit DrawingTools(DrawingBoard& board, QWidget* parent = nullptr);

private:
  void sync();
  void showOptions();
  DrawingBoard& board_;
  std::vector<QPushButton*> buttons_;
  QWidget* options_;
  std::string shown_;
};

/// Beside what is picked in a drawing: what can hold of it, and what can be done with it.
class RelationBar : public QWidget {
  Q_OBJECT
public:
  RelationBar(DrawingBoard& board, ViewWidget& view);
  void place(); ///< beside what is picked, as seen

private:
  void sync();
  void fill();
  QPushButton* button(const QString& name, const QString& text);
  void writeLine(const drawing::Entity& e);
  DrawingBoard& board_;
  ViewWidget& view_;
  std::vector<drawing::Id> of_;
  std::shared_ptr<const drawing::Drawing> value_;
};

} // namespace lumsk::app

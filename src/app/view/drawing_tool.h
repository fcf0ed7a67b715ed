#pragma once
#include "app/view/tool.h"
#include "app/drawing_board.h"

#include <QLineEdit>
#include <QPointer>

namespace lumsk::app {

/// A number over the view; its keys go nowhere else.
class NumberLine : public QLineEdit {
public:
  using QLineEdit::QLineEdit;
  std::function<void()> taken, left;
  int parts = 1; ///< how many numbers are asked for: a semicolon or Tab parts them

protected:
  void keyPressEvent(QKeyEvent* e) override;
  bool focusNextPrevChild(bool next) override;
};

/// What hands in the open drawing share: places in its plane, what lies near, numbers written in the view.
class DrawingTool : public Tool {
public:
  using Tool::Tool;
  ~DrawingTool() override { delete editor_; } // which would still call it

protected:
  static constexpr double kReachPixels = 9;
  static constexpr int kSteps = 48; ///< of painted curves

  DrawingBoard& board() const;
  std::string toolKey() const; ///< empty: none is taken
  Vec2 inPlane(QPointF p) const;
  std::vector<Vec3> onPlane(const std::vector<Vec2>& line) const;
  double pixel() const; ///< mm
  drawing::Id entityAt(QPointF p) const;
  /// What lies under a pixel and is of another step.
  std::optional<scene::Hit> outside(QPointF p, recipe::Kind wanted) const;
  drawing::SnapOptions snapOptions(Qt::KeyboardModifiers keys) const;

  NumberLine* openEditor(QPointF at, const QString& text, const char* name);
  bool editing() const { return !editor_.isNull(); }
  void closeEditor();

private:
  QPointer<NumberLine> editor_;
};

} // namespace lumsk::app

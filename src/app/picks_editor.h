#pragma once
#include "app/field_editors.h"
#include "scene/viewer.h"

namespace lumsk::app {

/// One pick: lights its object on hover, can be dragged to another place or removed.
class Chip : public QWidget {
  Q_OBJECT
public:
  Chip(int number, const QString& text, QWidget* parent);
  QPushButton* addChoice(const QString& text, const QString& tip); ///< a button for a choice of this pick
  void addPart(bool on); ///< a button that takes only a part of the picked curve
  enum class State { Sound, Doubtful, Lost };
  void setState(State s, bool waits); ///< `waits`: the next pick takes its place
signals:
  void clicked();
  void partClicked();
  void removed();
  void hovered(bool on);
  void draggedTo(QPoint global);

protected:
  void enterEvent(QEnterEvent*) override { emit hovered(true); }
  void leaveEvent(QEvent*) override { emit hovered(false); }
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;

private:
  QPoint pressed_;
  bool dragging_ = false;
};

/// A row of chips in pick order.
class PicksEditor : public FieldEditor {
  Q_OBJECT
public:
  PicksEditor(recipe::Field f, Workspace& w, ViewWidget& view);
  void setValue(const json& v) override;
  void setActive(bool on);

protected:
  void resizeEvent(QResizeEvent* e) override;
  void mousePressEvent(QMouseEvent*) override { emit focused(); }

private:
  void sayWhatToPick();
  QString labelOf(const json& pick) const;
  void addChoices(Chip* chip, int index); ///< of those that a pick has
  void addHowMany(Chip* chip, int index);
  void addChoice(Chip* chip, const json& pick, const recipe::Field& sub);
  void addContinuity(Chip* chip, int index, const recipe::Field& sub);
  void addNumbers(int index);
  void addPart(Chip* chip, int index);
  QWidget* partRow(int index); ///< editors for the two ends of a part
  QWidget* numbersRow(int index, const std::vector<std::string>& keys);
  Chip::State stateOf(const std::string& item) const;
  void move(int from, QPoint global);
  Workspace& w_;
  ViewWidget& view_;
  QVBoxLayout* list_;
  QPushButton* more_;
  std::vector<QPushButton*> draw_; ///< one for each kind that can be drawn in place
  std::vector<Chip*> chips_;
  std::vector<QWidget*> partRows_;
  json value_;
  QStringList labels_;
};

} // namespace lumsk::app

#pragma once
#include "app/widgets.h"
#include "app/workspace.h"

#include <QLineEdit>
#include <nlohmann/json.hpp>

class QCheckBox;
class QComboBox;
class QStackedLayout;
class QTableWidget;

namespace lumsk::app {

class ViewWidget;

/// Editor of one field: shows a value and reports a new one. One class per kind of field, none per step.
class FieldEditor : public QWidget {
  Q_OBJECT
public:
  explicit FieldEditor(recipe::Field f, QWidget* parent = nullptr);
  const recipe::Field& field() const { return field_; }
  virtual void setValue(const json& v) = 0;
  virtual void setOthers(const json&) {} ///< the values of all fields of the form, for editors that look at others too
  virtual void markProblem(const QString& reason); ///< empty: none
signals:
  void changed(const nlohmann::json& value);
  void changedTogether(const nlohmann::json& values); ///< of several fields, by their keys
  void focused();
  void enterAgain(); ///< Enter on a value that is taken already

protected:
  /// Enter in a line: once takes what was typed, again keeps the draft. Whether that was it.
  bool entered(const QEvent& e, const QLineEdit& line, const std::function<void()>& take);
  recipe::Field field_;
};

/// A number: expression, units, names; up, down and wheel step sensibly.
class QuantityEditor : public FieldEditor {
  Q_OBJECT
public:
  QuantityEditor(recipe::Field f, Workspace& w);
  void setValue(const json& v) override;
  void markProblem(const QString& reason) override;
  void setInstead(const QString& words); ///< what stands there while there is no number

protected:
  bool eventFilter(QObject* o, QEvent* e) override;

private:
  void take();
  void step(double steps);
  Workspace& w_;
  QLineEdit* edit_;
  json value_;
};

class ChoiceEditor : public FieldEditor {
  Q_OBJECT
public:
  explicit ChoiceEditor(recipe::Field f); ///< also for continuity
  void setValue(const json& v) override;

protected:
  void resizeEvent(QResizeEvent* e) override;

private:
  std::vector<QPushButton*> segments_; ///< empty: there are too many
  QComboBox* box_;
  QStackedLayout* pages_;
};

class SwitchEditor : public FieldEditor {
  Q_OBJECT
public:
  explicit SwitchEditor(recipe::Field f);
  void setValue(const json& v) override;

private:
  QCheckBox* box_;
};

class TextEditor : public FieldEditor {
  Q_OBJECT
public:
  explicit TextEditor(recipe::Field f);
  void setValue(const json& v) override;

protected:
  bool eventFilter(QObject* o, QEvent* e) override;

private:
  void take();
  QLineEdit* edit_;
};

class FileEditor : public FieldEditor {
  Q_OBJECT
public:
  FileEditor(recipe::Field f, Workspace& w);
  void setValue(const json& v) override;

private:
  QPushButton* button_;
};

/// Rows of values: points, graphs and tables. Columns come from the field.
class RowsEditor : public FieldEditor {
  Q_OBJECT
public:
  explicit RowsEditor(recipe::Field f);
  void setValue(const json& v) override;
  bool eventFilter(QObject* o, QEvent* e) override;

private:
  void emitRows();
  void fitHeight();
  QString idOf(int row) const; ///< empty for a new row
  json cell(const QString& text) const;
  QTableWidget* table_;
  json value_ = json::array();
  bool filling_ = false;
};

/// Rows that come and go by clicks in the view: how many there are, and a button that takes them all out.
class ClicksEditor : public FieldEditor {
  Q_OBJECT
public:
  explicit ClicksEditor(recipe::Field f);
  void setValue(const json& v) override;

private:
  QLabel* count_;
  QPushButton* none_;
};

/// A drawing: what is in it, and a button that leads into it.
class DrawingEditor : public FieldEditor {
  Q_OBJECT
public:
  explicit DrawingEditor(recipe::Field f);
  void setValue(const json& v) override;

private:
  QPushButton* button_;
};

/// What has no editor of its own yet: its text, to be seen and changed.
class PlainEditor : public FieldEditor {
  Q_OBJECT
public:
  explicit PlainEditor(recipe::Field f);
  void setValue(const json& v) override;

private:
  QLineEdit* edit_;
};

/// A row of widgets without a margin around them or a gap between them.
inline QHBoxLayout* flat(QWidget* w) {
  auto* l = new QHBoxLayout(w);
  l->setContentsMargins(0, 0, 0, 0);
  l->setSpacing(0);
  return l;
}

FieldEditor* makeEditor(const recipe::Field& f, Workspace& w, ViewWidget& view);

} // namespace lumsk::app

#pragma once
#include "app/field_editors.h"
#include "app/view_widget.h"

class QGridLayout;

namespace lumsk::app {

/// The form of a step, made from its schema: one editor a field, conditional fields shown as they apply; notes,
/// problem and remedies below; Keep and Drop for a draft.
class StepForm : public QWidget {
  Q_OBJECT
public:
  StepForm(Workspace& w, ViewWidget& view, std::string step, QWidget* parent = nullptr);
  void sync(); ///< values, problem and buttons from the workspace
  void focusFirst();
signals:
  void helpWanted(const QString& kind);

private:
  struct Line {
    QLabel* label;
    FieldEditor* editor;
  };
  void syncMessages();
  Workspace& w_;
  std::string step_;
  std::vector<Line> lines_;
  QVBoxLayout* messages_;
  QPushButton *keep_, *drop_;
};

} // namespace lumsk::app

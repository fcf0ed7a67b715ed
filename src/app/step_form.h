#pragma once
#include "app/field_form.h"
#include "app/view/view_widget.h"

namespace lumsk::app {

/// The form of a step, made from its schema: one editor a field, conditional fields shown as they apply; notes,
/// problem and remedies below; Keep and Drop for a draft.
class StepForm : public QWidget {
  Q_OBJECT
public:
  StepForm(Workspace& w, ViewWidget& view, std::string step, QWidget* parent = nullptr);
  const std::string& kind() const { return kind_; }
  void sync(); ///< values, problem and buttons from the workspace
signals:
  void helpWanted(const QString& kind);

private:
  bool drawnInPlace() const; ///< for another row, to which Enter goes back
  void syncMessages();
  void addSwitches(QVBoxLayout& layout);
  Workspace& w_;
  std::string step_, kind_;
  FieldForm* form_;
  QVBoxLayout* messages_;
  QPushButton *keep_, *drop_, *swap_ = nullptr, *colour_ = nullptr;
};

} // namespace lumsk::app

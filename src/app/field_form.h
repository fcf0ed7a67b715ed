#pragma once
#include "app/field_editors.h"

namespace lumsk::app {

/// Editors for the fields of a schema, one a line, shown as their conditions allow.
class FieldForm : public QWidget {
  Q_OBJECT
public:
  FieldForm(recipe::Schema schema, Workspace& w, ViewWidget& view, QWidget* parent = nullptr);
  /// Values by key; defaults stand in for those that are missing.
  void setValues(const json& values);
  FieldEditor* editor(const std::string& key) const;
  template <class F> void forEach(const F& f) {
    for (Line& l : lines_) f(*l.editor);
  }
signals:
  void changed(const std::string& key, const nlohmann::json& value);
  void changedTogether(const nlohmann::json& values); ///< by their keys
  void focused(const std::string& key);
  void enterAgain();

private:
  struct Line {
    QLabel* label;
    FieldEditor* editor;
    bool wide = false; ///< takes the whole line
  };
  bool folded(const Line& l) const; ///< seldom set, and not set
  void showLines();

  recipe::Schema schema_;
  std::vector<Line> lines_;
  json values_ = json::object();
  QPushButton* more_; ///< unfolds what is seldom set
};

} // namespace lumsk::app

#pragma once
#include "app/field_editors.h"

#include <map>

class QToolButton;

namespace lumsk::app {

class ListBox;

/// A choice of which some entries are the person's own: values of other fields, kept under names in the settings of the
/// desktop's user. Choosing one sets all these fields at once; the recipe holds the values, never the name.
class KeptEditor : public FieldEditor {
  Q_OBJECT
public:
  KeptEditor(recipe::Field f, Workspace& w);
  void setValue(const json& v) override;
  void setOthers(const json& values) override;

private:
  using Kept = std::map<std::string, json>; ///< by name: values by key
  Kept kept() const;
  void keep(const Kept& all);
  void fill();
  void choose(int row);
  void offer(); ///< what can be done with the list
  void askForName();
  /// What the fields hold now, as plain numbers where they are computed from names: those belong to one project.
  json valuesNow() const;

  Workspace& w_;
  ListBox* box_;
  QToolButton* edit_;
  std::string option_;
  json others_ = json::object();
};

} // namespace lumsk::app

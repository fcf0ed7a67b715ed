#pragma once
#include "app/workspace.h"
#include "sheet/sheet.h"

#include <QDialog>

class QCheckBox;
class QComboBox;
class QLineEdit;
class QListWidget;

namespace lumsk::app {

/// What a report sheet tells besides views and bodies: sections through planes of the recipe, where the lens Cut stands or at any height, and which
/// measurements.
class SheetDialog : public QDialog {
  Q_OBJECT
public:
  SheetDialog(Workspace& w, const scene::LensState& lens, QWidget* parent);
  /// Puts what was chosen into the options.
  void fill(sheet::SheetOptions& o) const;

private:
  void addSection();
  void list(const sheet::SheetSection& s, bool chosen);
  Workspace& w_;
  QListWidget *sections_, *measured_;
  QLineEdit* at_;
  QCheckBox* joins_;
  QComboBox* paper_;
  QLabel* wrong_;
  std::vector<sheet::SheetSection> planes_; ///< as the list has them
  QStringList names_;                       ///< of the measurements, as the list has them
};

} // namespace lumsk::app

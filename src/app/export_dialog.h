#pragma once
#include "app/background.h"
#include "app/widgets.h"
#include "app/workspace.h"
#include "exchange/export.h"
#include "exchange/format.h"

#include <QDialog>

class QCheckBox;
class QLineEdit;
class QComboBox;

namespace lumsk::app {

/// Asks for format, mesh limits and curves, shows how many triangles there will be.
class ExportDialog : public QDialog {
  Q_OBJECT
public:
  ExportDialog(Workspace& w, QWidget* parent);
  QString ending() const; ///< ".3mf"
  exchange::ExportOptions options() const;

private:
  const exchange::Format& format() const;
  void count();
  Workspace& w_;
  QComboBox* format_;
  QLineEdit *chord_, *angle_;
  QLabel* triangles_;
  QWidget* mesh_;
  QCheckBox* curves_;
  Background counting_;
};

} // namespace lumsk::app

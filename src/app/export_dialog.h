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

/// Asks for format, mesh limits, curves and the side that lines are seen from; says how many triangles there will be, and
/// what such a file does not tell.
class ExportDialog : public QDialog {
  Q_OBJECT
public:
  ExportDialog(Workspace& w, QWidget* parent);
  QString ending() const; ///< ".3mf"
  exchange::ExportOptions options() const;
  bool each() const; ///< a file a body

private:
  const exchange::Format& format() const;
  void follow(); ///< what is shown, after the format or an option
  void count();
  QWidget* meshFields();
  QWidget* paperFields();
  Workspace& w_;
  QComboBox* format_;
  QLineEdit *chord_, *angle_, *scale_;
  QLabel *triangles_, *lost_;
  QComboBox* from_;
  QCheckBox *curves_, *each_, *outlines_, *hidden_;
  QWidget *mesh_, *paper_;
  Background counting_;
};

} // namespace lumsk::app

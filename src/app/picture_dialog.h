#pragma once
#include "recipe/recipe.h"

#include <QDialog>

class QComboBox;
class QSpinBox;

namespace lumsk::app {

/// Finishes as people choose them.
std::vector<std::pair<QString, recipe::Finish>> finishChoices();

/// Size and finish of a picture; what it shows is what the view shows, its lens included.
class PictureDialog : public QDialog {
  Q_OBJECT
public:
  PictureDialog(QSize view, QWidget* parent);
  QSize size() const;
  std::optional<recipe::Finish> finish() const; ///< nothing: every body its own

private:
  QSpinBox *width_, *height_;
  QComboBox* finish_;
};

} // namespace lumsk::app

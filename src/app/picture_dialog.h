#pragma once
#include "sheet/pictures.h"

#include <QDialog>

class QCheckBox;
class QComboBox;
class QLabel;
class QSpinBox;

namespace lumsk::app {

/// Finishes as people choose them.
std::vector<std::pair<QString, recipe::Finish>> finishChoices();

/// What pictures are to be made: of what the view shows, of the form turned all the way round, or several views on a page; their size, finish
/// and ground.
class PictureDialog : public QDialog {
  Q_OBJECT
public:
  /// `seen` is how the view shows the form: lens, ground, where the eye is.
  PictureDialog(QSize view, scene::PictureOptions seen, QWidget* parent);
  sheet::PictureJob job() const;

private:
  void follow(); ///< what is shown, after another kind
  scene::PictureOptions seen_;
  QComboBox *kind_, *finish_;
  QSpinBox *width_, *height_, *frames_;
  QLabel *framesWords_, *viewsWords_;
  QWidget* views_;
  std::vector<std::pair<scene::ViewFrom, QCheckBox*>> each_;
  QCheckBox* clear_;
};

} // namespace lumsk::app

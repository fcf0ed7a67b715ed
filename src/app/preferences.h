#pragma once
#include "app/theme.h"
#include "base/quantity.h"

#include <QDialog>

namespace lumsk::app {

/// What a person likes; kept in the settings of the desktop's user.
struct Preferences {
  Theme theme = Theme::Clay;
  double textScale = 1.0;
  bool inches = false;          ///< lengths are shown so; a plain number that is typed stays millimetres
  int decimals = 2;             ///< of figures; those below one have three digits at least
  double navigationSpeed = 1.0; ///< of turning and zooming
  bool smoothEdges = true;      ///< of what stands still; without a graphics card a picture takes a third of the time when they are not
};
const Preferences& preferences();          ///< those in use
void usePreferences(const Preferences& p); ///< from now on, and the next time

// Figures as the person wants them shown.
QString shownNumber(double v, int digits = 0);  ///< with so many significant digits; 0: the person's decimals
QString shownLength(double mm, int digits = 0); ///< with its unit
QString shownLengthOnly(double mm);             ///< the number alone
QString lengthUnit();                           ///< "mm" or "in"
QString shown(const Quantity& q);               ///< with its unit

/// Changes act at once.
class PreferencesDialog : public QDialog {
  Q_OBJECT
public:
  explicit PreferencesDialog(QWidget* parent);
signals:
  void changed();
};

} // namespace lumsk::app

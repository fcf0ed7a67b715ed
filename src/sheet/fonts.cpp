#include "sheet/fonts.h"

#include <QFontDatabase>

static void initFonts() { Q_INIT_RESOURCE(fonts); } // outside of any namespace, as Qt wants it

namespace lumsk::sheet {

void useOwnFonts() {
  static const bool known = [] {
    initFonts();
    for (const char* f : {"Regular", "Medium", "SemiBold"})
      QFontDatabase::addApplicationFont(QString(":/fonts/Inter-%1.otf").arg(f));
    return true;
  }();
  Q_UNUSED(known);
}

} // namespace lumsk::sheet

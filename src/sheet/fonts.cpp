#include "sheet/fonts.h"

#include <QFontDatabase>
#include <QGuiApplication>

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

void haveGui() {
  if (QCoreApplication::instance()) return;
  static int argc = 1;
  static char name[] = "lumsk";
  static char* argv[] = {name, nullptr};
  qputenv("QT_QPA_PLATFORM", "offscreen");
  new QGuiApplication(argc, argv); // to the end of the program: fonts and others outlive what would end it
}

} // namespace lumsk::sheet

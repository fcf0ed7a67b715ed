#include "app/main_window.h"
#include "app/preferences.h"
#include "app/words.h"
#include "brep/guard.h"
#include "steps/registry.h"

#include <QApplication>
#include <QFile>
#include <cstdio>

int main(int argc, char** argv) {
  // The view draws through X11 (also under Wayland, by XWayland).
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "xcb");
  if (qEnvironmentVariableIsEmpty("DISPLAY")) {
    std::fputs("Lumsk needs a display. Without one: xvfb-run -s '-screen 0 1280x800x24' lumsk\n", stderr);
    return 2;
  }
  lumsk::brep::quietKernel();
  QApplication app(argc, argv);
  QApplication::setApplicationName("Lumsk");
  QApplication::setOrganizationName("Lumsk");
  QApplication::setDesktopFileName("org.lumsk.Lumsk");
  lumsk::app::useOwnLanguage();
  lumsk::app::applyTheme(app, lumsk::app::preferences().theme, lumsk::app::preferences().textScale);
  app.setWindowIcon(lumsk::app::icon("icons/lumsk"));
  lumsk::app::MainWindow window(lumsk::steps::registry());
  window.show();
  window.offerLostWork();
  const QStringList arguments = QApplication::arguments();
  if (arguments.size() > 1) window.openPath(arguments[1]);
  return QApplication::exec();
}

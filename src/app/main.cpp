#include "app/last_catch.h"
#include "app/main_window.h"
#include "app/preferences.h"
#include "app/words.h"
#include "brep/guard.h"
#include "steps/registry.h"

#include <QApplication>
#include <QFile>
#include <cstdio>

namespace {

/// The last catch of the window's own thread: what an event's handling throws ends that event, not the program.
class Application : public QApplication {
public:
  using QApplication::QApplication;
  bool notify(QObject* receiver, QEvent* event) override {
    bool done = false;
    if (const auto why = lumsk::app::thrownBy([&] { done = QApplication::notify(receiver, event); }); why && window)
      emit window->workspace().told(lumsk::app::brokenInside(*why));
    return done;
  }
  lumsk::app::MainWindow* window = nullptr;
};

} // namespace

int main(int argc, char** argv) {
  // The view draws through X11 (also under Wayland, by XWayland).
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "xcb");
  if (qEnvironmentVariableIsEmpty("DISPLAY")) {
    std::fputs("Lumsk needs a display. Without one: xvfb-run -s '-screen 0 1280x800x24' lumsk\n", stderr);
    return 2;
  }
  lumsk::brep::quietKernel();
  Application app(argc, argv);
  QApplication::setApplicationName("Lumsk");
  QApplication::setOrganizationName("Lumsk");
  QApplication::setDesktopFileName("org.lumsk.Lumsk");
  lumsk::app::useOwnLanguage();
  lumsk::app::applyTheme(app, lumsk::app::preferences().theme, lumsk::app::preferences().textScale);
  app.setWindowIcon(lumsk::app::icon("icons/lumsk"));
  lumsk::app::MainWindow window(lumsk::steps::registry());
  app.window = &window;
  window.show();
  window.offerLostWork();
  const QStringList arguments = QApplication::arguments();
  if (arguments.size() > 1) window.openPath(arguments[1]);
  const int code = QApplication::exec();
  app.window = nullptr;
  return code;
}

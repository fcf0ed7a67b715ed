#include "app/theme.h"
#include "brep/guard.h"
#include "support/registry.h"

#include <QApplication>
#include <QSettings>
#include <QTemporaryDir>

int main(int argc, char** argv) {
  // Settings and unsaved work of the test must not touch those of the person, or of another test beside it.
  QTemporaryDir home;
  for (const char* place : {"XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"}) qputenv(place, home.path().toUtf8());
  qputenv("QT_QPA_PLATFORM", "xcb");
  lumsk::brep::quietKernel();
  QApplication app(argc, argv);
  QApplication::setOrganizationName("LumskTest");
  lumsk::app::applyTheme(app);
  int failed = 0;
  for (auto& make : lumsk::test::registry()) failed += QTest::qExec(make().get(), argc, argv);
  return failed ? 1 : 0;
}

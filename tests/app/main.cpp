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
  // Several run side by side, each on a display of its own: this one takes every so-manieth class, "LUMSK_SHARE=1/3".
  const QByteArrayList share = qgetenv("LUMSK_SHARE").split('/');
  const size_t first = share.size() == 2 ? share[0].toUInt() : 0, every = share.size() == 2 ? share[1].toUInt() : 1;
  auto& classes = lumsk::test::registry();
  int failed = 0;
  for (size_t i = first; i < classes.size(); i += every) failed += QTest::qExec(classes[i]().get(), argc, argv);
  return failed ? 1 : 0;
}

#include "app/demos.h"

#include <QCoreApplication>
#include <QDir>
#include <QFileInfo>

namespace lumsk::app {

QString demoFolder() {
  // Installed; in a build beside its sources; the tests of such a build.
  for (const char* from : {"/../share/lumsk/demos", "/../../data/demos", "/../../../data/demos"})
    if (const QDir f(QCoreApplication::applicationDirPath() + from); f.exists()) return f.canonicalPath();
  return {};
}

bool isDemo(const QString& path) { return !path.isEmpty() && QFileInfo(path).canonicalPath() == demoFolder(); }

} // namespace lumsk::app

#include "app/demos.h"

#include <QCoreApplication>
#include <QDir>
#include <QFileInfo>

namespace lumsk::app {

namespace {

QString shipped(const QString& name) {
  // Installed; in a build beside its sources; the tests of such a build.
  for (const char* from : {"/../share/lumsk/", "/../../data/", "/../../../data/"})
    if (const QDir f(QCoreApplication::applicationDirPath() + from + name); f.exists()) return f.canonicalPath();
  return {};
}

} // namespace

QString demoFolder() { return shipped("demos"); }
QString exampleFolder() { return shipped("examples"); }

bool isDemo(const QString& path) {
  const QString folder = QFileInfo(path).canonicalPath();
  return !path.isEmpty() && (folder == demoFolder() || folder == exampleFolder());
}

} // namespace lumsk::app

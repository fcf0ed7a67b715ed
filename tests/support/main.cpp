#include "support/registry.h"

#include <QCoreApplication>
#include <QTemporaryDir>

int main(int argc, char** argv) {
  const QTemporaryDir home; // what the test keeps must not be beside what a person does
  qputenv("XDG_DATA_HOME", home.path().toUtf8());
  QCoreApplication app(argc, argv);
  int failed = 0;
  for (auto& make : lumsk::test::registry()) failed += QTest::qExec(make().get(), argc, argv);
  return failed ? 1 : 0;
}

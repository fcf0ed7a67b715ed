#include "support/registry.h"

#include <QCoreApplication>

int main(int argc, char** argv) {
  QCoreApplication app(argc, argv);
  int failed = 0;
  for (auto& make : lumsk::test::registry()) failed += QTest::qExec(make().get(), argc, argv);
  return failed ? 1 : 0;
}

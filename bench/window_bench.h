#pragma once
// What the benches of the window share.
#include "app/main_window.h"
#include "app/theme.h"
#include "steps/registry.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QtTest>
#include <algorithm>
#include <cstdio>

namespace lumsk::bench {

inline double median(std::vector<double> v) {
  std::sort(v.begin(), v.end());
  return v.empty() ? 0 : v[v.size() / 2];
}

/// The program as it starts, with settings of its own.
inline std::unique_ptr<QApplication> program(int& argc, char** argv) {
  qputenv("QT_QPA_PLATFORM", "xcb");
  auto made = std::make_unique<QApplication>(argc, argv);
  QApplication::setOrganizationName("LumskBench");
  app::applyTheme(*made);
  return made;
}

/// Pictures a second while the view is turned by the mouse from an empty place for some ms.
inline double turning(app::ViewWidget& view, int ms) {
  const QPoint empty(30, view.height() / 2);
  QTest::mousePress(&view, Qt::LeftButton, {}, empty);
  QElapsedTimer clock;
  clock.start();
  const int before = view.framesPainted();
  for (int i = 1; clock.elapsed() < ms; ++i) {
    QTest::mouseMove(&view, empty + QPoint(5 + i % 9, i % 5));
    QTest::qWait(1);
  }
  const double rate = (view.framesPainted() - before) / (clock.elapsed() / 1000.0);
  QTest::mouseRelease(&view, Qt::LeftButton, {}, empty + QPoint(5, 0));
  return rate;
}

} // namespace lumsk::bench

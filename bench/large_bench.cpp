// A project of many steps (tools/make_large_project) in the real window: opening it without and with kept results, one
// point of a curve dragged in it and in a project of its own, searching and scrolling its recipe. Run it under Xvfb at
// 1280x800: large_bench FILE.lumsk
#include "window_bench.h"

#include "app/recipe_column.h"
#include "app/view/overlay.h"

#include <QLineEdit>
#include <QScrollArea>
#include <QScrollBar>
#include <QTemporaryDir>

using namespace lumsk;
using namespace lumsk::app;
using namespace lumsk::bench;

namespace {

/// Milliseconds until everything that the file holds is seen at full quality; negative if that fails.
double opening(MainWindow& window, const QString& path) {
  QElapsedTimer clock;
  clock.start();
  Workspace& w = window.workspace();
  if (!window.openPath(path)) return -1;
  const bool seen = QTest::qWaitFor(
      [&] { return !w.busy() && !w.file().busy() && !w.results().partial() && window.view().atRest(); }, 60000);
  return seen ? double(clock.elapsed()) : -1;
}

struct Rates {
  double pictures = 0, evaluations = 0, evaluationMs = 0;
};

/// The second point of the first step's curve, dragged to and fro for some seconds.
Rates dragging(MainWindow& window) {
  Workspace& w = window.workspace();
  ViewWidget& view = window.view();
  w.focus().unfold("s1");
  QTest::qWait(500);
  const Mark* point = nullptr;
  for (const Mark& m : view.marks())
    if (m.kind->name == std::string("point") && int(m.index) == 1) point = &m;
  if (!point) return {};
  const QPoint from = point->at.toPoint();
  int results = 0;
  const auto counting = QObject::connect(&w.results(), &Results::modelChanged, [&] { ++results; });
  QTest::mousePress(&view, Qt::LeftButton, {}, from);
  QElapsedTimer clock;
  clock.start();
  const int before = view.framesPainted();
  std::vector<double> took;
  for (int i = 1; clock.elapsed() < 4000; ++i) {
    QTest::mouseMove(&view, from + QPoint(2 + i % 4, 0));
    QTest::qWait(5);
    took.push_back(w.results().lastSeconds() * 1000);
  }
  const double seconds = double(clock.elapsed()) / 1000;
  const Rates rates{(view.framesPainted() - before) / seconds, results / seconds, median(took)};
  QTest::mouseRelease(&view, Qt::LeftButton, {}, from + QPoint(3, 0));
  QObject::disconnect(counting);
  (void)QTest::qWaitFor([&] { return !w.busy(); }, 20000);
  return rates;
}

void tell(const char* where, const Rates& r) {
  std::printf("dragging a point %s: %.1f pictures/s, %.1f evaluations/s, %.1f ms each\n", where, r.pictures,
              r.evaluations, r.evaluationMs);
}

/// The longest time in ms that one of the calls kept the window.
double longest(int times, const std::function<void(int)>& call) {
  double worst = 0;
  for (int i = 0; i < times; ++i) {
    QElapsedTimer clock;
    clock.start();
    call(i);
    QApplication::processEvents();
    worst = std::max(worst, double(clock.nsecsElapsed()) / 1e6);
  }
  return worst;
}

} // namespace

int main(int argc, char** argv) {
  const auto running = program(argc, argv);
  if (argc != 2) {
    std::fprintf(stderr, "large_bench FILE.lumsk\n");
    return 1;
  }
  QTemporaryDir folder;
  const QString kept = folder.filePath("kept.lumsk");
  {
    MainWindow window(steps::registry());
    window.show();
    QTest::qWait(500);
    std::printf("opened without kept results: %.0f ms\n", opening(window, argv[1]));
    bool saved = false;
    window.workspace().file().save(kept, {}, [&](const Expected<void>& done) { saved = done.has_value(); });
    if (!QTest::qWaitFor([&] { return saved; }, 20000)) return 1;
  }
  MainWindow window(steps::registry());
  window.show();
  QTest::qWait(500);
  std::printf("opened with kept results: %.0f ms\n", opening(window, kept));
  auto* column = window.findChild<RecipeColumn*>();
  auto* search = column->findChild<QLineEdit*>("search-steps");
  const QString words = "skin 57";
  std::printf("longest wait for a letter in the search: %.0f ms\n", longest(int(words.size()), [&](int i) {
                QTest::keyClick(search, words[i].toLatin1());
              }));
  search->clear();
  QTest::qWait(1000);
  QScrollBar* bar = column->findChild<QScrollArea*>()->verticalScrollBar();
  std::printf("longest wait for a step of scrolling: %.0f ms\n",
              longest(60, [&](int i) { bar->setValue(bar->maximum() * i / 60); }));
  tell("in it", dragging(window));
  recipe::Recipe alone = window.workspace().recipe();
  alone.steps.resize(3);
  window.workspace().session().edit(alone, "bench");
  (void)QTest::qWaitFor([&] { return !window.workspace().busy(); }, 20000);
  tell("in a project of its own", dragging(window));
  window.workspace().file().newProject();
  return 0;
}

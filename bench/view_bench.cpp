// Drags the height of a ring of the kettle in the real window and turns the view; prints pictures a second, the time of
// one evaluation while moving, and the time from release to full quality. Medians of 20 drags.
#include "window_bench.h"

#include "app/overlay.h"

using namespace lumsk;
using namespace lumsk::app;
using namespace lumsk::bench;

int main(int argc, char** argv) {
  qputenv("QT_QPA_PLATFORM", "xcb");
  QApplication program(argc, argv);
  QApplication::setOrganizationName("LumskBench");
  applyTheme(program);
  MainWindow window(steps::registry());
  window.show();
  Workspace& w = window.workspace();
  ViewWidget& view = window.view();
  const auto settled = [&] { return QTest::qWaitFor([&] { return !w.busy(); }, 30000); };
  if (!window.openPath(LUMSK_DATA_DIR "/demos/pell_kettle.lumsk") || !settled()) return 1;
  w.unfold("s3"); // the waist outline
  QTest::qWait(800);
  std::vector<double> fps, turnFps, compute, release;
  for (int run = 0; run < 20; ++run) {
    const Mark* handle = nullptr;
    for (const Mark& m : view.marks())
      if (m.kind == Mark::Kind::Point && m.index == 1) handle = &m;
    if (!handle) return 1;
    const QPoint from = handle->at.toPoint();
    QTest::mousePress(&view, Qt::LeftButton, {}, from);
    QElapsedTimer clock;
    clock.start();
    const int before = view.framesPainted();
    for (int i = 1; clock.elapsed() < 1000; ++i) {
      QTest::mouseMove(&view, from + QPoint((run % 2 ? -1 : 1) * (6 + i % 12), 0));
      QTest::qWait(5);
      compute.push_back(w.lastSeconds() * 1000);
    }
    fps.push_back((view.framesPainted() - before) / (clock.elapsed() / 1000.0));
    clock.restart();
    QTest::mouseRelease(&view, Qt::LeftButton, {}, from + QPoint(8, 0));
    if (!QTest::qWaitFor([&] { return !w.busy() && view.atRest(); }, 5000)) return 1;
    release.push_back(clock.elapsed());
    turnFps.push_back(turning(view, 500));
    view.lookFrom(scene::ViewFrom::Corner);
    QTest::qWait(120);
  }
  std::printf("view %dx%d: dragging %.1f pictures/s, evaluation and mesh %.1f ms a step, full quality %.0f ms after "
              "release; turning %.1f pictures/s\n",
              view.width(), view.height(), median(fps), median(compute), median(release), median(turnFps));
  w.newProject();
  return 0;
}

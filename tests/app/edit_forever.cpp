// Edits, saves and keeps unsaved work in the real window until it is killed; tells on standard output what is saved.
// Arguments: project, folder of unsaved work; "steady": edits at the pace of hands, and tells of each.
#include "app/main_window.h"
#include "app/theme.h"
#include "brep/guard.h"
#include "steps/registry.h"

#include <QApplication>
#include <QTimer>
#include <cstdio>

int main(int argc, char** argv) {
  if (argc < 3) return 2;
  lumsk::brep::quietKernel();
  QApplication app(argc, argv);
  lumsk::app::applyTheme(app);
  const QString project = argv[1];
  lumsk::app::MainWindow window(lumsk::steps::registry(), argv[2]);
  window.show();
  if (!window.openPath(project)) return 3;
  const bool steady = argc > 3;
  if (!steady) window.autosave().setPatience(1);
  QTimer timer;
  int n = std::stoi(window.workspace().recipe().parameters.front().expression);
  int writtenAt = 0;
  QObject::connect(&timer, &QTimer::timeout, &window, [&] {
    lumsk::app::Workspace& w = window.workspace();
    // One save for every few works kept.
    if (!steady && window.autosave().written() >= writtenAt + 8) {
      writtenAt = window.autosave().written();
      const int now = n; // edits go on while it is written
      if (window.savePath(project)) std::printf("saved %d\n", now), std::fflush(stdout);
    }
    lumsk::recipe::Recipe next = w.recipe();
    next.parameters.front().expression = std::to_string(++n);
    w.session().edit(std::move(next), "count");
    if (steady) std::printf("edited %d\n", n), std::fflush(stdout);
  });
  timer.start(steady ? 300 : 3);
  return QApplication::exec();
}

// Starts the program as a person does and looks at the screen: how long until its window is there, and until it stands
// as it stays. Medians of ten warm starts. Run it under Xvfb at 1280x800: start_bench PROGRAM [FILE]
#include "window_bench.h"

#include <QProcess>
#include <QScreen>
#include <QTemporaryDir>

using namespace lumsk::bench;

namespace {

constexpr int kStarts = 10, kQuietMs = 1500, kLongestMs = 20000;

} // namespace

int main(int argc, char** argv) {
  const auto running = program(argc, argv);
  if (argc < 2) {
    std::fprintf(stderr, "start_bench PROGRAM [FILE]\n");
    return 1;
  }
  QTemporaryDir home; // settings and kept work of its own
  qputenv("XDG_CONFIG_HOME", home.path().toUtf8());
  qputenv("XDG_DATA_HOME", home.path().toUtf8());
  std::vector<double> there, stands;
  for (int run = 0; run < kStarts + 1; ++run) {
    QScreen* screen = QApplication::primaryScreen();
    const QImage empty = screen->grabWindow(0).toImage();
    QImage last = empty;
    QProcess program;
    QElapsedTimer clock;
    clock.start();
    program.start(argv[1], QApplication::arguments().mid(2));
    double first = 0, changed = 0;
    while (clock.elapsed() < kLongestMs && (changed == 0 || clock.elapsed() < changed + kQuietMs)) {
      QTest::qWait(5);
      const double now = double(clock.elapsed());
      const QImage seen = screen->grabWindow(0).toImage();
      if (seen == last) continue;
      last = seen;
      changed = now;
      if (first == 0) first = now;
    }
    program.kill();
    program.waitForFinished();
    QTest::qWait(300);
    if (run == 0) continue; // a cold one
    there.push_back(first);
    stands.push_back(changed);
  }
  std::printf("window there after %.0f ms, as it stays after %.0f ms\n", median(there), median(stands));
  return 0;
}

// Lenses on the kettle in the real window: pictures a second while it is turned through each, how soon a changed
// setting is seen, and how soon walls and deviations appear, coarse and exact. Medians of 20; run it under Xvfb at
// 1280x800.

#include "window_bench.h"

#include <nlohmann/json.hpp>

using namespace lumsk;
using namespace lumsk::app;
using namespace lumsk::bench;

namespace {

constexpr int kRuns = 20;

/// ms from a change to its first picture.
double seenAfter(ViewWidget& view, const std::function<void()>& change) {
  const int before = view.framesPainted();
  QElapsedTimer clock;
  clock.start();
  change();
  if (!QTest::qWaitFor([&] { return view.framesPainted() > before; }, 5000)) return 5000;
  return double(clock.nsecsElapsed()) * 1e-6;
}

} // namespace

int main(int argc, char** argv) {
  const auto running = program(argc, argv);
  MainWindow window(steps::registry());
  window.show();
  Workspace& w = window.workspace();
  ViewWidget& view = window.view();
  const auto rests = [&] {
    return QTest::qWaitFor([&] { return !w.busy() && !view.lensBusy() && view.atRest(); }, 30000);
  };
  if (!window.openPath(LUMSK_DATA_DIR "/../tests/files/kettle_of_three.lumsk") || !rests()) return 1;
  std::printf("view %dx%d\n", view.width(), view.height());
  for (const auto& k : scene::lenses()) {
    scene::LensState s;
    scene::turnOn(s, k->key(), true);
    if (k->key() == "combs") scene::take(s, "combs", {{"isolines", true}, {"stack", true}}, {});
    view.setLens(s);
    if (!rests()) return 1;
    std::vector<double> fps;
    for (int i = 0; i < 5; ++i) fps.push_back(turning(view, 400));
    std::printf("%-10s turning %.1f pictures/s\n", k->key().c_str(), median(fps));
  }
  std::vector<double> stripes, isophotes;
  for (int i = 0; i < kRuns; ++i) {
    scene::LensState s;
    s.surface = "stripes";
    view.setLens(s);
    rests();
    stripes.push_back(seenAfter(view, [&] {
      scene::take(s, "stripes", {{"count", 20 + i}}, {});
      view.setLens(s);
    }));
    s.surface = "isophotes";
    view.setLens(s);
    rests();
    isophotes.push_back(seenAfter(view, [&] {
      scene::take(s, "isophotes", scene::ownDirection(Vec3(1, 0.1 * i, 1)), {});
      view.setLens(s);
    }));
  }
  std::printf("a changed stripe count is seen after %.0f ms, a changed isophote direction after %.0f ms\n",
              median(stripes), median(isophotes));
  for (const std::string lens : {"curvature", "wall", "deviation"}) {
    std::vector<double> first, whole;
    for (int i = 0; i < kRuns; ++i) {
      scene::LensWork work; // nothing kept from the run before
      scene::LensState s;
      s.surface = lens;
      auto scene = std::make_shared<scene::Scene>(*w.scene());
      if (lens == "deviation") { // to the same kettle, moved a little
        scene->bodies.push_back(scene->bodies.front());
        scene->bodies.front().id = "target";
        if (auto moved =
                brep::moved(*scene->bodies.front().body, Eigen::Isometry3d(Eigen::Translation3d(0.2, 0, 0)))) {
          scene->bodies.front().body = *moved;
          scene->bodies.front().faces.clear();
          for (auto& m : brep::displayMesh(**moved, {0.03, 5}, 4000))
            scene->bodies.front().faces.push_back(std::make_shared<brep::FaceMesh>(std::move(m)));
        }
        scene::take(s, "deviation", {{"to", "target"}}, {});
      }
      QElapsedTimer clock;
      clock.start();
      const auto coarse = work.make(scene, s, true, {});
      first.push_back(double(clock.nsecsElapsed()) * 1e-6);
      if (coarse.coarse) work.make(scene, s, false, {});
      whole.push_back(double(clock.nsecsElapsed()) * 1e-6);
    }
    std::printf("%s: first values after %.0f ms, exact after %.0f ms (%d triangles)\n",
                lens.c_str(),
                median(first), median(whole), w.scene()->triangles());
  }
  w.file().newProject();
  return 0;
}

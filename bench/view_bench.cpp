// Drags in the real window and prints pictures a second, the time of one evaluation while moving, and the time from
// release to full quality: a number of the drawings of the kettle's half body, and of the whole kettle; a point of a
// network of 12 curves with combs on all and a network check. Medians of 20 drags; run it under Xvfb at 1280x800.
#include "window_bench.h"

#include "app/view/overlay.h"

#include <functional>
#include <nlohmann/json.hpp>

using namespace lumsk;
using namespace lumsk::app;
using namespace lumsk::bench;
using json = nlohmann::json;

namespace {

constexpr int kRuns = 20;

/// A network of 6 by 6 curves through 5 points each, and the step that checks it.
recipe::Recipe network() {
  recipe::Recipe r;
  const auto add = [&](const char* kind, json inputs) {
    const std::string id = "s" + r.newId();
    r.steps.push_back(std::make_shared<const recipe::StepEntry>(
        recipe::StepEntry{id, kind, 1, id, true, {}, {}, std::make_shared<const json>(std::move(inputs))}));
    return id;
  };
  json picks = json::array();
  for (int k = 0; k < 12; ++k) {
    json points = json::array();
    for (int i = 0; i < 5; ++i) {
      const double along = 25.0 * i, across = 20.0 * (k % 6), x = k < 6 ? along : across, y = k < 6 ? across : along;
      const auto text = [](double mm) { return QString::number(mm, 'f', 6).toStdString(); };
      points.push_back({{"id", "q" + std::to_string(i + 1)},
                        {"at", {text(x), text(y), text(10 * std::sin(x / 30) * std::cos(y / 40))}}});
    }
    picks.push_back(
        {{"id", "i" + std::to_string(k + 1)}, {"step", add("spline", {{"points", points}})}, {"part", "curve"}});
  }
  add("network_check", {{"curves", picks}});
  return r;
}

/// What is dragged: how it is taken, moved the i-th time in a run, and let go.
struct Pull {
  std::function<bool()> take;
  std::function<void(int run, int i)> move;
  std::function<void()> letGo;
};

/// The point with an index of the unfolded row.
Pull pointPull(ViewWidget& view, int index) {
  const auto from = std::make_shared<QPoint>();
  return {[&view, index, from] {
            for (const Mark& m : view.marks())
              if (m.kind->name == std::string("point") && int(m.index) == index) {
                *from = m.at.toPoint();
                QTest::mousePress(&view, Qt::LeftButton, {}, *from);
                return true;
              }
            return false;
          },
          [&view, from](int run, int i) { QTest::mouseMove(&view, *from + QPoint((run % 2 ? -1 : 1) * (6 + i % 12), 0)); },
          [&view, from] { QTest::mouseRelease(&view, Qt::LeftButton, {}, *from + QPoint(8, 0)); }};
}

/// A number of the recipe.
Pull numberPull(Workspace& w, const std::string& name, double around) {
  return {[] { return true; },
          [&w, name, around](int run, int i) {
            recipe::Recipe r = w.recipe();
            for (auto& p : r.parameters)
              if (p.name == name) p.expression = std::to_string(around + (run % 2 ? -0.05 : 0.05) * (1 + i % 12));
            w.session().dragTo(r);
          },
          [&w] { w.session().endDrag("bench"); }};
}

/// Drags to and fro and prints what it measured.
bool dragging(const char* what, Workspace& w, ViewWidget& view, const Pull& pull) {
  std::vector<double> fps, followed, turnFps, compute, release;
  int results = 0;
  const auto counting = QObject::connect(&w.results(), &Results::modelChanged, [&] { ++results; });
  for (int run = 0; run < kRuns; ++run) {
    if (!pull.take()) {
      std::fprintf(stderr, "%s: nothing to take hold of\n", what);
      return false;
    }
    QElapsedTimer clock;
    clock.start();
    const int before = view.framesPainted(), resultsBefore = results;
    for (int i = 1; clock.elapsed() < 1000; ++i) {
      pull.move(run, i);
      QTest::qWait(5);
      compute.push_back(w.results().lastSeconds() * 1000);
    }
    fps.push_back((view.framesPainted() - before) / (clock.elapsed() / 1000.0));
    followed.push_back((results - resultsBefore) / (clock.elapsed() / 1000.0));
    clock.restart();
    pull.letGo();
    if (!QTest::qWaitFor([&] { return !w.busy() && view.atRest(); }, 5000)) {
      std::fprintf(stderr, "%s: not at rest\n", what);
      return false;
    }
    release.push_back(clock.elapsed());
    turnFps.push_back(turning(view, 500));
    view.lookFrom(scene::ViewFrom::Corner);
    QTest::qWait(120);
  }
  std::printf(
      "%s, view %dx%d: dragging %.1f pictures/s, %.1f evaluations/s, evaluation and mesh %.1f ms a step, full quality %.0f ms after "
      "release; turning %.1f pictures/s\n",
      what, view.width(), view.height(), median(fps), median(followed), median(compute), median(release), median(turnFps));
  QObject::disconnect(counting);
  return true;
}

} // namespace

int main(int argc, char** argv) {
  const auto running = program(argc, argv);
  MainWindow window(steps::registry());
  window.show();
  Workspace& w = window.workspace();
  ViewWidget& view = window.view();
  const auto settled = [&] { return QTest::qWaitFor([&] { return !w.busy(); }, 30000); };
  if (!window.openPath(LUMSK_DATA_DIR "/../tests/files/kettle_of_three.lumsk") || !settled()) return 1;
  QTest::qWait(800);
  if (!dragging("waist of the kettle, a number of its drawings", w, view, numberPull(w, "waist", 62))) return 1;
  recipe::Recipe half = w.recipe();
  while (half.steps.back()->id != "s30") half = half.without(half.steps.back()->id); // body and shoulder
  w.session().edit(half, "bench");
  if (!settled()) return 1;
  QTest::qWait(800);
  if (!dragging("waist of its half body", w, view, numberPull(w, "waist", 62))) return 1;
  w.file().newProject();
  w.session().edit(network(), "bench");
  scene::LensState combs;
  scene::turnOn(combs, "combs", true);
  view.setLens(combs);
  w.focus().unfold("s5");
  if (!settled()) return 1;
  view.lookFrom(scene::ViewFrom::Corner);
  view.fitAll();
  QTest::qWait(800);
  if (!dragging("network of 12 curves with combs", w, view, pointPull(view, 2))) return 1;
  w.file().newProject();
  return 0;
}

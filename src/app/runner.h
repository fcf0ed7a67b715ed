#pragma once
#include "exchange/cache_file.h"
#include "inspect/state.h"
#include "recipe/evaluator.h"
#include "scene/scene.h"

#include <QObject>
#include <atomic>
#include <condition_variable>
#include <mutex>
#include <thread>

namespace lumsk::app {

/// Figures of a body, measured once on the worker.
struct Measured {
  inspect::BodyState state;
  std::vector<inspect::Join> joins;
};
using MeasuredPtr = std::shared_ptr<const Measured>;
using Figures = std::map<brep::BodyPtr, MeasuredPtr>;

/// What an evaluation gave.
struct Evaluated {
  recipe::ModelPtr model;
  scene::ScenePtr scene;
  bool moving = false;
  bool partial = false; ///< more is on its way
  double seconds = 0.0;
};

/// Evaluates recipes and makes drawings on a thread of its own. A newer edit cancels the older run; while something is
/// dragged the running one is finished and at most one waits. A second thread measures bodies when evaluation rests.
class Runner : public QObject {
  Q_OBJECT
public:
  explicit Runner(const recipe::Registry& registry);
  ~Runner() override;
  /// `before`: the drawing shows what there is before this step; empty: everything.
  /// `asOf`: it shows what there is just after this step, and what comes later faintly.
  void request(recipe::RecipePtr recipe, bool moving, const std::string& before = {}, const std::string& asOf = {});
  void forget();                                        ///< what comes is another project
  void stop();                                          ///< Esc: the running evaluation
  bool busy() const { return delivered_ < requested_; } ///< something asked for has not arrived yet
  void measureWhileMoving(bool on) { measureMoving_ = on; } ///< joins follow a drag
  /// Results that a project brought along.
  void remember(const exchange::Outcomes& kept) {
    for (const auto& [key, outcome] : kept) evaluator_.remember(key, outcome);
  }

signals:
  void started();
  void progressed(double fraction, const QString& words);
  void finished(const lumsk::app::Evaluated& result);
  void measured(const lumsk::app::Figures& figures); ///< of all bodies, some time after `finished`
  void broken(const QString& why); ///< drawing or measuring threw; what was there before stays

private:
  struct Request {
    recipe::RecipePtr recipe;
    bool moving = false;
    int serial = 0;
    std::string before = {}, asOf = {};
  };
  void loop();
  Evaluated evaluated(const Request& r, const CancelToken& cancel);
  bool fresh(const recipe::Recipe& r) const;
  void measureLoop();
  Figures movingFigures(const recipe::Model& model);
  /// False if a newer request came first.
  bool measure(const recipe::Model& model);

  recipe::Evaluator evaluator_;
  std::mutex mutex_;
  std::condition_variable wake_;
  std::optional<Request> waiting_;
  CancelToken cancel_;
  bool running_ = false, quit_ = false, forget_ = false;
  int requested_ = 0, delivered_ = 0; ///< used on the window's thread only
  recipe::ModelPtr lastModel_;
  scene::ScenePtr lastScene_;
  recipe::ModelPtr toMeasure_;
  Figures figures_; ///< used on the measuring thread only
  Figures moving_;  ///< used on the evaluating thread only
  std::atomic<bool> measureMoving_{false};
  std::thread thread_, measuring_;
};

} // namespace lumsk::app

#pragma once
#include "recipe/evaluator.h"
#include "scene/drawing.h"

#include <QObject>
#include <condition_variable>
#include <mutex>
#include <thread>

namespace lumsk::app {

/// What an evaluation gave.
struct Evaluated {
  recipe::ModelPtr model;
  scene::DrawingPtr drawing;
  bool moving = false;
  double seconds = 0.0;
};

/// Evaluates recipes and makes drawings on a thread of its own. A newer edit cancels the older run; while something is
/// dragged the running one is finished and at most one waits.
class Runner : public QObject {
  Q_OBJECT
public:
  explicit Runner(const recipe::Registry& registry);
  ~Runner() override;
  void request(recipe::RecipePtr recipe, bool moving);
  void stop(); ///< Esc: the running evaluation
  bool busy() const { return busy_; }
  const recipe::Evaluator& evaluator() const { return evaluator_; }

signals:
  void started();
  void progressed(double fraction, const QString& words);
  void finished(const lumsk::app::Evaluated& result);

private:
  struct Request {
    recipe::RecipePtr recipe;
    bool moving = false;
  };
  void loop();

  recipe::Evaluator evaluator_;
  std::mutex mutex_;
  std::condition_variable wake_;
  std::optional<Request> waiting_;
  CancelToken cancel_;
  bool running_ = false, quit_ = false;
  std::atomic<bool> busy_{false};
  recipe::ModelPtr lastModel_;
  scene::DrawingPtr lastDrawing_;
  std::thread thread_;
};

} // namespace lumsk::app

#include "app/runner.h"

#include <chrono>

namespace lumsk::app {

Runner::Runner(const recipe::Registry& registry) : evaluator_(registry) { thread_ = std::thread([this] { loop(); }); }

Runner::~Runner() {
  {
    const std::lock_guard lock(mutex_);
    quit_ = true;
    cancel_.cancel();
  }
  wake_.notify_all();
  thread_.join();
}

void Runner::request(recipe::RecipePtr recipe, bool moving) {
  {
    const std::lock_guard lock(mutex_);
    waiting_ = Request{std::move(recipe), moving, ++requested_};
    if (running_ && !moving) cancel_.cancel();
  }
  wake_.notify_all();
}

void Runner::stop() {
  const std::lock_guard lock(mutex_);
  if (running_) cancel_.cancel();
}

void Runner::loop() {
  for (;;) {
    Request r;
    CancelToken cancel;
    {
      std::unique_lock lock(mutex_);
      wake_.wait(lock, [&] { return quit_ || waiting_; });
      if (quit_) return;
      r = *waiting_;
      waiting_.reset();
      cancel_ = CancelToken();
      cancel = cancel_;
      running_ = true;
    }
    QMetaObject::invokeMethod(this, [this] { emit started(); });
    const auto begin = std::chrono::steady_clock::now();
    recipe::EvaluateOptions o;
    o.cancel = cancel;
    o.lightOnly = r.moving;
    o.previous = lastModel_;
    o.progress = [this](double f, const std::string& words) {
      QMetaObject::invokeMethod(this, [this, f, w = QString::fromStdString(words)] { emit progressed(f, w); });
    };
    Evaluated e;
    e.moving = r.moving;
    e.model = evaluator_.evaluate(r.recipe, o);
    e.drawing = scene::draw(*e.model, r.moving ? scene::Quality::Moving : scene::Quality::Fine, lastDrawing_.get());
    e.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    lastModel_ = e.model;
    lastDrawing_ = e.drawing;
    bool more;
    {
      const std::lock_guard lock(mutex_);
      running_ = false;
      more = waiting_.has_value();
    }
    // A run that a newer edit has overtaken is not shown, but for drags, which would else never show anything.
    if (!more || r.moving) QMetaObject::invokeMethod(this, [this, e, serial = r.serial] {
        delivered_ = serial;
        emit finished(e);
      });
    if (!more && !r.moving) measure(*e.model);
  }
}

/// Every body that a step shows; those measured before are taken over. A newer request comes first.
void Runner::measure(const recipe::Model& model) {
  Figures next;
  for (const auto& [id, result] : model.results) {
    if (!result.outcome) continue;
    for (const auto& output : result.outcome->outputs) {
      const auto* body = std::get_if<brep::BodyPtr>(&output.object);
      if (!body) continue;
      {
        const std::lock_guard lock(mutex_);
        if (waiting_ || quit_) return;
      }
      const auto known = figures_.find(*body);
      next[*body] = known != figures_.end() ? known->second
                                            : std::make_shared<const Measured>(Measured{inspect::stateOf(**body), inspect::joins(**body, model.recipe->tolerances)});
    }
  }
  figures_ = next;
  QMetaObject::invokeMethod(this, [this, next] { emit measured(next); });
}

} // namespace lumsk::app

#include "app/runner.h"

#include "app/last_catch.h"

#include <algorithm>
#include <chrono>

namespace lumsk::app {

namespace {
constexpr auto kShownEvery = std::chrono::milliseconds(30); ///< of what is done while a project is opened
constexpr auto kMeasureAfter = std::chrono::milliseconds(200);
constexpr double kWatchedSeconds = 0.3; ///< so long steps may take in a drag whose joins are watched
}

Runner::Runner(const recipe::Registry& registry) : evaluator_(registry) {
  thread_ = std::thread([this] { loop(); });
  measuring_ = std::thread([this] { measureLoop(); });
}

Runner::~Runner() {
  {
    const std::lock_guard lock(mutex_);
    quit_ = true;
    cancel_.cancel();
  }
  wake_.notify_all();
  thread_.join();
  measuring_.join();
}

void Runner::request(recipe::RecipePtr recipe, bool moving, const std::string& before, const std::string& asOf) {
  {
    const std::lock_guard lock(mutex_);
    waiting_ = Request{std::move(recipe), moving, ++requested_, before, asOf};
    toMeasure_ = nullptr;
    if (running_ && !moving) cancel_.cancel();
  }
  wake_.notify_all();
}

void Runner::forget() {
  const std::lock_guard lock(mutex_);
  forget_ = true;
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
      // Steps of projects are called alike: what s1 was there says nothing here.
      if (std::exchange(forget_, false)) lastModel_ = nullptr, lastScene_ = nullptr;
      cancel_ = CancelToken();
      cancel = cancel_;
      running_ = true;
    }
    QMetaObject::invokeMethod(this, [this] { emit started(); });
    Evaluated e;
    Figures figures;
    const auto thrown = thrownBy([&] {
      e = evaluated(r, cancel);
      if (r.moving && measureMoving_) figures = movingFigures(*e.model);
    });
    bool more;
    {
      const std::lock_guard lock(mutex_);
      running_ = false;
      more = waiting_.has_value();
      if (!more && !r.moving && !thrown) toMeasure_ = e.model;
    }
    wake_.notify_all();
    if (thrown) {
      QMetaObject::invokeMethod(this, [this, why = *thrown, serial = r.serial] {
        delivered_ = serial;
        emit broken(why);
      });
      continue;
    }
    // A run that a newer edit has overtaken is not shown, but for drags, which would else never show anything.
    if (!more || r.moving)
      QMetaObject::invokeMethod(this, [this, e, figures, serial = r.serial] {
        delivered_ = serial;
        if (!figures.empty()) emit measured(figures);
        emit finished(e);
      });
  }
}

/// Whether nothing of a recipe has been computed: a project is opened.
bool Runner::fresh(const recipe::Recipe& r) const {
  return std::none_of(r.steps.begin(), r.steps.end(),
                      [&](const auto& s) { return lastModel_ && lastModel_->result(s->id); });
}

Evaluated Runner::evaluated(const Request& r, const CancelToken& cancel) {
  const auto begin = std::chrono::steady_clock::now();
  recipe::EvaluateOptions o;
  o.cancel = cancel;
  o.lightOnly = r.moving;
  if (measureMoving_) o.lightSeconds = kWatchedSeconds; // joins are there once their skins are knitted
  o.previous = lastModel_;
  o.progress = [this](double f, const std::string& words) {
    QMetaObject::invokeMethod(this, [this, f, w = QString::fromStdString(words)] { emit progressed(f, w); });
  };
  if (!r.moving && fresh(*r.recipe)) {
    auto last = begin - kShownEvery;
    o.reached = [this, &r, last](const recipe::ModelPtr& soFar) mutable {
      const auto now = std::chrono::steady_clock::now();
      if (now - last < kShownEvery) return;
      Evaluated e;
      e.partial = true;
      e.model = soFar;
      e.scene = lastScene_ = scene::draw(*soFar, scene::Quality::Moving, lastScene_.get());
      QMetaObject::invokeMethod(this, [this, e, serial = r.serial] {
        if (serial == requested_ && delivered_ < serial) emit finished(e);
      });
      last = std::chrono::steady_clock::now();
    };
  }
  Evaluated e;
  e.moving = r.moving;
  e.model = evaluator_.evaluate(r.recipe, o);
  const auto quality = r.moving ? scene::Quality::Moving : scene::Quality::Fine;
  e.scene = !r.before.empty() ? scene::draw(recipe::modelBefore(*e.model, r.before), quality, lastScene_.get())
              : !r.asOf.empty()
                  ? scene::draw(recipe::modelUpTo(*e.model, r.asOf), quality, lastScene_.get(), e.model.get())
                  : scene::draw(*e.model, quality, lastScene_.get());
  e.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  if (!r.moving) lastModel_ = e.model; // drafts of a drag lack what is heavy
  lastScene_ = e.scene;
  return e;
}

/// Of the bodies that are seen; only what changed is measured again.
Figures Runner::movingFigures(const recipe::Model& model) {
  Figures next;
  for (const recipe::BodyEntry& b : model.bodies) {
    const auto known = moving_.find(b.body);
    next[b.body] = known != moving_.end() ? known->second
                                          : std::make_shared<const Measured>(Measured{
                                                inspect::stateOf(*b.body), inspect::joins(*b.body, model.recipe->tolerances)});
  }
  return moving_ = next;
}

void Runner::measureLoop() {
  recipe::ModelPtr done;
  for (;;) {
    recipe::ModelPtr model;
    {
      std::unique_lock lock(mutex_);
      wake_.wait(lock, [&] { return quit_ || (toMeasure_ && toMeasure_ != done); });
      // The picture comes first, and what is edited again at once need not be measured.
      const auto now = toMeasure_;
      wake_.wait_for(lock, kMeasureAfter, [&] { return quit_ || toMeasure_ != now; });
      if (quit_) return;
      if (toMeasure_ != now) continue;
      model = now;
    }
    const auto thrown = thrownBy([&] {
      if (measure(*model)) done = model;
    });
    if (!thrown) continue;
    done = model;
    QMetaObject::invokeMethod(this, [this, why = *thrown] { emit broken(why); });
  }
}

/// Every body that a step shows; those measured before are taken over.
bool Runner::measure(const recipe::Model& model) {
  Figures next;
  for (const auto& [id, result] : model.results) {
    if (!result.outcome) continue;
    for (const auto& output : result.outcome->outputs) {
      const auto* body = std::get_if<brep::BodyPtr>(&output.object);
      if (!body) continue;
      {
        const std::lock_guard lock(mutex_);
        if (!toMeasure_ || quit_) return false;
      }
      const auto known = figures_.find(*body);
      next[*body] = known != figures_.end()
                        ? known->second
                        : std::make_shared<const Measured>(
                              Measured{inspect::stateOf(**body), inspect::joins(**body, model.recipe->tolerances)});
    }
  }
  figures_ = next;
  QMetaObject::invokeMethod(this, [this, next] { emit measured(next); });
  return true;
}

} // namespace lumsk::app

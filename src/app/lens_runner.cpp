#include "app/lens_runner.h"

#include "app/last_catch.h"

#include <algorithm>

namespace lumsk::app {

LensRunner::LensRunner() : thread_([this] { loop(); }) {}

LensRunner::~LensRunner() {
  {
    const std::lock_guard lock(mutex_);
    quit_ = true;
    cancel_.cancel();
  }
  wake_.notify_all();
  thread_.join();
}

void LensRunner::request(scene::ScenePtr scene, const scene::LensState& lens, bool moving) {
  {
    const std::lock_guard lock(mutex_);
    waiting_ = Request{std::move(scene), lens, moving, ++requested_};
    if (!moving) cancel_.cancel();
  }
  wake_.notify_all();
}

void LensRunner::probe(scene::ScenePtr scene, const scene::LensState& lens, const scene::Camera& camera, double x,
                       double y) {
  const auto [eye, unit] = camera.ray(x, y);
  const scene::DrawnBody* best = nullptr;
  double nearest = 1e300;
  for (const auto& b : scene->bodies)
    for (const auto& f : b.faces)
      if (const double along = scene::hitMesh(*f, eye, unit); along > 0 && along < nearest) nearest = along, best = &b;
  if (!best) return emit probed({});
  {
    const std::lock_guard lock(mutex_);
    probe_ = ProbeRequest{std::move(scene), lens, best->id, eye + nearest * unit, eye, unit};
  }
  wake_.notify_all();
}

void LensRunner::loop() {
  for (;;) {
    std::optional<Request> r;
    std::optional<ProbeRequest> p;
    Context cx;
    {
      std::unique_lock lock(mutex_);
      wake_.wait(lock, [&] { return quit_ || waiting_ || probe_; });
      if (quit_) return;
      r.swap(waiting_);
      p.swap(probe_);
      cancel_ = CancelToken();
      cx.cancel = cancel_;
    }
    const auto thrown = thrownBy([&] {
      if (r) make(*r, cx);
      if (p) {
        auto found = work_.probe(p->scene, p->lens, p->body, p->at, p->eye, p->unit);
        QMetaObject::invokeMethod(this, [this, found] { emit probed(found); });
      }
    });
    if (thrown)
      QMetaObject::invokeMethod(this, [this, why = *thrown, serial = r ? r->serial : 0] {
        delivered_ = std::max(delivered_, serial);
        emit broken(why);
      });
  }
}

void LensRunner::make(const Request& r, const Context& cx) {
  scene::LensResult first = work_.make(r.scene, r.lens, true, cx);
  if (cx.stopped()) return; // its successor waits
  const bool refine = first.coarse && !r.moving;
  deliver(std::move(first), refine ? r.serial - 1 : r.serial);
  if (!refine) return;
  scene::LensResult exact = work_.make(r.scene, r.lens, false, cx);
  if (!cx.stopped()) deliver(std::move(exact), r.serial);
}

void LensRunner::deliver(scene::LensResult result, int serial) {
  auto kept = std::make_shared<const scene::LensResult>(std::move(result));
  QMetaObject::invokeMethod(this, [this, kept, serial] {
    delivered_ = std::max(delivered_, serial);
    emit ready(kept);
  });
}

} // namespace lumsk::app

#pragma once
#include "scene/lens_work.h"
#include "scene/picker.h"

#include <QObject>
#include <condition_variable>
#include <mutex>
#include <thread>

namespace lumsk::app {

/// Makes what lenses show, and measures what lies under the pointer, on a thread of its own. A newer request takes the
/// place of one that waits, and stops one that is being refined.
class LensRunner : public QObject {
  Q_OBJECT
public:
  LensRunner();
  ~LensRunner() override;
  /// `moving`: something is being dragged, a coarse answer will do.
  void request(scene::ScenePtr scene, const scene::LensState& lens, bool moving);
  /// What lies under a pixel.
  void probe(scene::ScenePtr scene, const scene::LensState& lens, const scene::Camera& camera, double x, double y);
  bool busy() const { return delivered_ < requested_; } ///< something asked for has not arrived whole

signals:
  void ready(const lumsk::scene::LensResultPtr& result);
  void probed(const std::optional<lumsk::scene::Probe>& probe);
  void broken(const QString& why); ///< making what a lens shows threw

private:
  struct Request {
    scene::ScenePtr scene;
    scene::LensState lens;
    bool moving = false;
    int serial = 0;
  };
  struct ProbeRequest {
    scene::ScenePtr scene;
    scene::LensState lens;
    std::string body;
    Vec3 at, eye, unit;
  };
  void loop();
  void make(const Request& r, const Context& cx);
  void deliver(scene::LensResult result, int serial);

  scene::LensWork work_; ///< used on the thread only
  std::mutex mutex_;
  std::condition_variable wake_;
  std::optional<Request> waiting_;
  std::optional<ProbeRequest> probe_;
  CancelToken cancel_;
  bool quit_ = false;
  int requested_ = 0, delivered_ = 0; ///< used on the window's thread only
  std::thread thread_;
};

} // namespace lumsk::app

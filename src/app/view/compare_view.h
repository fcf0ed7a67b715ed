#pragma once
#include "app/view/gl_view.h"
#include "app/lens_runner.h"

namespace lumsk::app {

class ViewWidget;

/// Beside the view: what was kept as before, under the same camera, lens and range of colours. Turning either turns
/// both. Nothing is picked here.
class CompareView : public GlView {
  Q_OBJECT
public:
  explicit CompareView(ViewWidget& view);
  const scene::ScenePtr& shown() const { return shown_; }
  const scene::LensResultPtr& lensResult() const { return result_; }
  void takeState(); ///< what is kept, and how the view shows it

signals:
  void probed(const std::optional<lumsk::scene::Probe>& probe);

protected:
  void made() override;
  void sized() override;
  void showEvent(QShowEvent* e) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void keyReleaseEvent(QKeyEvent* e) override;

private:
  void takeLens();
  void showState();

  ViewWidget& view_;
  scene::ScenePtr shown_;
  scene::LensResultPtr result_;
  LensRunner lensRunner_;
  QPointF last_;
  Vec3 pivot_ = Vec3::Zero();
};

} // namespace lumsk::app

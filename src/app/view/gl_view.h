#pragma once
#include "scene/viewer.h"

#include <QOpenGLWidget>
#include <QTimer>

namespace lumsk::app {

/// A surface that a viewer of its own draws on; it knows nothing of the project. Lines are smooth once it rests.
class GlView : public QOpenGLWidget {
  Q_OBJECT
public:
  explicit GlView(QWidget* parent = nullptr);
  ~GlView() override;

  scene::Camera camera() const;
  void lookFrom(scene::ViewFrom from);
  void setPerspective(bool on);
  bool perspective() const;
  void followCamera(const GlView& other); ///< looks as the other does, and does not say so
  int framesPainted() const { return frames_; }
  bool atRest() const { return smooth_ && !stale_; } ///< what should be seen is seen, at full quality

  // Movements, in pixels of this view
  void turnBy(QPointF d, const Vec3& about);
  void panBy(QPointF d);
  void zoomBy(int wheel, QPointF at);
  void scale(double factor); ///< about the middle; above 1: larger

signals:
  void cannotDraw(const lumsk::Problem& p);
  void cameraMoved();

protected:
  virtual void made() = 0;                      ///< the viewer is new and has to be told everything
  virtual void sized() {}                       ///< the drawn area has another size
  virtual void painted() {}                     ///< a picture was drawn
  virtual bool resting() const { return true; } ///< nothing is under way that changes the picture again
  virtual bool held() const { return false; }   ///< somebody drags

  void changed(); ///< the scene, camera or lens: draws again
  void moved();   ///< as above, with more of the same to be expected: smooth only when it rests
  bool smooth() const { return smooth_; }
  scene::Viewer* viewer() const { return viewer_.get(); } ///< null while the display is not ready

  void initializeGL() override;
  void paintGL() override;
  void changeEvent(QEvent* e) override;

private:
  void setGround();
  Handle(OpenGl_GraphicDriver) driver_;
  std::unique_ptr<scene::Viewer> viewer_;
  bool stale_ = true;   ///< the picture is not what should be seen
  bool smooth_ = false; ///< the picture is of full quality
  bool slow_ = false;   ///< drawing takes too long to follow a movement
  QTimer settle_;
  int frames_ = 0;
};

} // namespace lumsk::app

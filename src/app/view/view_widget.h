#pragma once
#include "app/lens_runner.h"
#include "app/view/gl_view.h"
#include "app/view/overlay.h"
#include "app/view/tool.h"
#include "app/workspace.h"

namespace lumsk::app {

/// The view: shows the drawing and forwards what hands do to its tools.
class ViewWidget : public GlView {
  Q_OBJECT
public:
  explicit ViewWidget(Workspace& w);
  ~ViewWidget() override;

  Workspace& workspace() const { return w_; }
  const std::vector<Mark>& marks() const { return overlay_->marks(); }
  void fitAll();
  void fitPicks();                      ///< what is picked; all when nothing is
  void setCovered(const QMargins& m); ///< what lies over the view along its borders: forms are fitted into the rest
  bool seesAll() const; ///< nothing of the drawing is outside
  double partUnder(const QRect& r) const; ///< how much of the form lies there, as seen
  /// Keeps what is seen, to be compared with what comes after: holding B shows it, under the same camera and lens.
  void keepBefore();
  bool showsBefore() const { return beforeShown_; }
  const scene::ScenePtr& before() const { return before_; } ///< null: nothing is kept
  void showFloor(bool on); ///< a grid with a scale, below the form
  void showOtherHalf(bool on);                                ///< the mirror image of one modelled half, faintly
  bool showsOtherHalf() const { return otherHalf_; }
  void setLens(const scene::LensState& lens);
  const scene::LensState& lens() const { return lens_; }
  const scene::LensResultPtr& lensResult() const { return lensResult_; } ///< null: nothing asked for yet
  bool lensBusy() const { return lensRunner_.busy(); }
  void setLensMarks(std::vector<LensMark> marks) { overlay_->setLens(std::move(marks)); }
  /// Highlights the object of a chip while the pointer is on it.
  void pointTo(const std::optional<scene::Highlight>& h);
  scene::PictureOptions seen() const; ///< how it shows the form: lens, ground, where the eye is
  /// Another drawing from the same side under the same lens, with what the lens shows on it, as large as it can be.
  QImage pictureOf(const scene::ScenePtr& scene, const scene::LensResultPtr& result, QSize size);
  std::string thumbnail(); ///< PNG of the view, 320 px wide

  // For tools
  void redraw() { changed(); }
  void remark() { showMarks(); } ///< what tools show is another; the form is as it was
  void lookSquareTo(const Frame& plane, const std::vector<Vec3>& places);
  void say(const QString& words, QPointF at) { overlay_->setHover(words, at); } ///< beside the pointer
  void showSnap(const std::optional<Vec3>& at) { overlay_->setSnap(at); }
  void showBox(const QRectF& box) { overlay_->setBox(box); }
  void lightUp(const std::optional<scene::Highlight>& h); ///< what is under the pointer
  void fadeBut(const std::optional<Frame>& plane); ///< what does not lie in it; none: nothing
  void holdStill() { still_ = true; } ///< until the field with the points is left: nothing is fitted
  void setPulling(bool on); ///< what a lens shows is being dragged: roughly until it ends
  void probe(QPointF p);    ///< what the lens says of the place

signals:
  void beforeChanged();
  void hovered(const QString& label);
  void lensChanged();
  void lensResultChanged();
  void probed(const std::optional<lumsk::scene::Probe>& probe);
  void cutMoved(double atMm);
  void directionPulled(const lumsk::Vec3& d);

protected:
  void made() override;
  void sized() override;
  void painted() override;
  bool resting() const override;
  bool held() const override;
  void resizeGL(int w, int h) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void keyReleaseEvent(QKeyEvent* e) override;
  void leaveEvent(QEvent* e) override;
  bool focusNextPrevChild(bool next) override;
  void contextMenuEvent(QContextMenuEvent* e) override;

private:
  QImage drawn(QSize size);
  void refresh(); ///< new drawing or marks
  Eigen::Matrix<double, 3, 4> seenNow() const;
  void hoverAt(QPointF p);
  void showScene();
  void showBefore(bool on);
  void requestLens();
  void showMarks();
  void applyHighlights();
  bool viewKey(const QKeyEvent& e);
  void sightKey(const QKeyEvent& e);
  /// What goes on from a press to a release; a copy of the mark, since marks are made anew.
  struct Gesture {
    Pointer pointer;
    std::optional<Mark> mark;
    Tool* tool = nullptr;   ///< whose drag it is, once it is one
    bool changing = false;  ///< it has begun to change the recipe
  };
  Pointer pointerOf(const QMouseEvent& e) const;
  const Mark* pressed() const { return gesture_ && gesture_->mark ? &*gesture_->mark : nullptr; }
  template <class F> bool firstTool(F&& takes);

  Workspace& w_;
  Overlay* overlay_;
  std::vector<std::unique_ptr<Tool>> tools_;
  std::optional<Gesture> gesture_;
  scene::LensState lens_;
  scene::ScenePtr shown_;
  bool fitted_ = false, otherHalf_ = true, floor_ = true;
  std::optional<Frame> drawnOn_; ///< what lies beside it is faint
  QMargins covered_;
  std::optional<Eigen::Matrix<double, 3, 4>> fittedTo_; ///< how it was fitted to a part of a project
  bool still_ = false;   ///< points are being clicked into the view
  bool pulling_ = false; ///< a lens's handle is being dragged
  QTimer patience_;      ///< how long a drawing waits for what the lens shows on it
  LensRunner lensRunner_;
  scene::LensResultPtr lensResult_;
  scene::ScenePtr before_;
  bool beforeShown_ = false;
  QPointF lastPress_;
  std::optional<scene::Highlight> hover_, chip_;
};

} // namespace lumsk::app

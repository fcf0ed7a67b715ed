#pragma once
#include "app/gl_view.h"
#include "app/lens_runner.h"
#include "app/overlay.h"
#include "scene/snap.h"

namespace lumsk::app {

class FieldEditor;

/// The view: shows the drawing, turns it, picks, drags points, handles and flags.
class ViewWidget : public GlView {
  Q_OBJECT
public:
  explicit ViewWidget(Workspace& w);

  const std::vector<Mark>& marks() const { return overlay_->marks(); }
  void fitAll();
  void setCovered(const QMargins& m); ///< what lies over the view along its borders: forms are fitted into the rest
  bool seesAll() const; ///< nothing of the drawing is outside
  /// Keeps what is seen, to be compared with what comes after: holding B shows it, under the same camera and lens.
  void keepBefore();
  bool showsBefore() const { return beforeShown_; }
  const scene::DrawingPtr& before() const { return before_; } ///< null: nothing is kept
  void fitPicks();                                            ///< what is picked; all when nothing is
  void showOtherHalf(bool on);                                ///< the mirror image of one modelled half, faintly
  bool showsOtherHalf() const { return otherHalf_; }
  void setLens(const scene::LensState& lens);
  const scene::LensState& lens() const { return lens_; }
  const scene::LensResultPtr& lensResult() const { return lensResult_; } ///< null: nothing asked for yet
  bool lensBusy() const { return lensRunner_.busy(); }
  void setLensMarks(std::vector<LensMark> marks) { overlay_->setLens(std::move(marks)); }
  /// Highlights the object of a chip while the pointer is on it.
  void pointTo(const std::optional<scene::Highlight>& h);
  /// What is seen, at any size, without marks; with a finish, all bodies have it. Null when it cannot be drawn.
  QImage picture(QSize size, std::optional<recipe::Finish> finish);
  /// Another drawing from the same side under the same lens, with what the lens shows on it, as large as it can be.
  QImage pictureOf(const scene::DrawingPtr& drawing, const scene::LensResultPtr& result, QSize size);
  std::string thumbnail(); ///< PNG of the view, 320 px wide

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
  void hoverAt(QPointF p);
  void showDrawing();
  void showBefore(bool on);
  void requestLens();
  void showMarks();
  std::vector<Mark> allMarks() const; ///< of the open step, and the handles of lenses
  Mark cutMark() const;
  Mark directionMark(const Vec3& d) const;
  void dragMark(QPointF p, Qt::KeyboardModifiers keys);
  void dragFlag(QPointF p, const recipe::StepEntry& entry);
  void dragGrip(QPointF p, const recipe::StepEntry& entry);
  static constexpr double kArrowPixels = 90; ///< length of a lens's direction
  bool addOnRail(QPointF p);
  void resetGrip(const Mark& m); ///< back to where it was before it was moved
  void editHandle(const Mark& m);
  void closeEditor();
  void applyHighlights();
  /// Where a point goes that the pointer puts or drags; `through` is a place in its level when nothing says more.
  scene::Snap placeFor(QPointF p, const std::string& field, const Vec3& through, Qt::KeyboardModifiers keys);
  bool pointingAtPlace() const; ///< a click would put a point
  Vec3 levelOfNewPoint() const;
  bool peek(int key, bool on);

  Workspace& w_;
  Overlay* overlay_;
  FieldEditor* editor_ = nullptr;
  scene::LensState lens_, beforePeek_;
  int peeking_ = 0;
  scene::DrawingPtr shown_;
  bool fitted_ = false, otherHalf_ = true;
  bool held_ = false;    ///< a mark's drag has begun to change the recipe
  QMargins covered_;
  bool placing_ = false; ///< points are being clicked into the view
  bool pulling_ = false; ///< a lens's handle is being dragged
  QTimer patience_;      ///< how long a drawing waits for what the lens shows on it
  LensRunner lensRunner_;
  scene::LensResultPtr lensResult_;
  scene::DrawingPtr before_;
  bool beforeShown_ = false;
  QPointF pressed_, last_;
  enum class Drag { None, Pending, Turn, Pan, Mark, Box } drag_ = Drag::None;
  Qt::MouseButton button_ = Qt::NoButton;
  Vec3 pivot_ = Vec3::Zero();
  Mark grabbed_;
  std::vector<scene::Hit> under_;
  size_t cycle_ = 0;
  std::optional<scene::Highlight> hover_, chip_;
};

} // namespace lumsk::app

#include "app/theme.h"
#include "app/view/view_widget.h"

#include "app/preferences.h"
#include "app/words.h"
#include "recipe/edit.h"

#include <Image_PixMap.hxx>

#include <QBuffer>
#include <QContextMenuEvent>
#include <QGuiApplication>
#include <QMenu>
#include <QMouseEvent>
#include <nlohmann/json.hpp>

namespace lumsk::app {

using recipe::Kind;

namespace {

constexpr int kLensPatienceMs = 80;
constexpr size_t kLooksPerPart = 60; ///< places of a face or curve that are looked at
constexpr int kDragPixels = 4; ///< from the press, after which it is no click

} // namespace

ViewWidget::ViewWidget(Workspace& w) : w_(w), overlay_(new Overlay(this)), tools_(makeTools(*this)) {
  patience_.setSingleShot(true);
  patience_.setInterval(kLensPatienceMs);
  connect(&patience_, &QTimer::timeout, this, &ViewWidget::showScene);
  connect(&lensRunner_, &LensRunner::ready, this, [this](const scene::LensResultPtr& r) {
    lensResult_ = r;
    if (r->scene == (beforeShown_ ? before_ : w_.scene())) patience_.stop();
    if (!patience_.isActive()) showScene();
    emit lensResultChanged();
  });
  connect(&lensRunner_, &LensRunner::probed, this, &ViewWidget::probed);
  connect(&lensRunner_, &LensRunner::broken, this, [this](const QString& why) { emit w_.told(brokenInside(why)); });
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
  setObjectName("view");
  setAccessibleName(tr("view of the form"));
  setMinimumSize(240, 200);
  connect(&w_.results(), &Results::modelChanged, this, &ViewWidget::refresh);
  connect(&w_.focus(), &Focus::focusChanged, this, &ViewWidget::refresh);
  connect(&w_.results(), &Results::busyChanged, this, [this](bool busy) {
    if (!busy && !smooth()) changed();
  });
  connect(&w_.session(), &Session::recipeChanged, this, [this] {
    if (viewer()) showMarks();
  });
  connect(&w_.file(), &ProjectFile::projectReplaced, this, [this] {
    fitted_ = false;
    before_ = nullptr;
    emit beforeChanged();
    lens_.only.clear(); // bodies of another project
  });
  connect(&w_, &Workspace::wantsLookAt, this, [this](const Vec3& p) {
    if (!viewer()) return;
    viewer()->lookAt(p);
    changed();
    emit cameraMoved();
  });
  connect(this, &GlView::cannotDraw, &w_, &Workspace::problemArose);
}

ViewWidget::~ViewWidget() = default;

void ViewWidget::made() {
  viewer()->setLens(lens_);
  viewer()->showOtherHalf(otherHalf_);
  viewer()->showFloor(floor_);
  viewer()->fadeBut(drawnOn_);
  setCovered(covered_);
  shown_ = nullptr;
  fitted_ = false;
  refresh();
}

void ViewWidget::resizeGL(int w, int h) { overlay_->setGeometry(0, 0, w, h); }

void ViewWidget::sized() {
  if (!fitted_) fitAll();
}

bool ViewWidget::resting() const { return !held() && !w_.busy(); }
bool ViewWidget::held() const { return gesture_ && gesture_->tool; }

void ViewWidget::painted() {
  overlay_->setScale(viewer()->floorStep());
  showMarks();
}

void ViewWidget::showMarks() {
  Offer offer;
  for (const auto& tool : tools_) tool->offer(offer);
  makeRoom(offer.marks);
  overlay_->set(std::move(offer.marks), camera());
  overlay_->setNets(std::move(offer.lines));
  overlay_->setTints(std::move(offer.tints));
  overlay_->setStrokes(std::move(offer.strokes));
}

/// What decides where things are seen; how deep the drawing reaches changes with what there is.
Eigen::Matrix<double, 3, 4> ViewWidget::seenNow() const {
  const Eigen::Matrix4d m = camera().worldToClip;
  Eigen::Matrix<double, 3, 4> out;
  out << m.row(0), m.row(1), m.row(3);
  return out;
}

void ViewWidget::refresh() {
  if (!viewer()) return;
  const recipe::Field* asked = w_.focus().activeField();
  still_ = still_ && asked && (asked->kind == recipe::FieldKind::Points || asked->kind == recipe::FieldKind::Drawing);
  makeCurrent();
  if (viewer()->showPlanes(recipe::has(w_.focus().wanted(), Kind::Plane))) changed();
  if (shown_ != w_.scene()) {
    const bool first = !shown_ || (shown_->bodies.empty() && shown_->curves.empty());
    shown_ = w_.scene();
    // What the lens shows comes with the scene, or soon after.
    const bool worked = lens_.needsWork();
    if (worked) {
      requestLens();
      patience_.start();
    } else {
      viewer()->show(shown_, lensResult_);
    }
    // Never while somebody draws: the next place is where the pointer is.
    const bool grown = fittedTo_ && seenNow() == *fittedTo_; // since, and nobody has turned the view
    fittedTo_.reset();
    if (((first || grown) && !w_.session().dragging() && !still_) || !fitted_) {
      if (worked) showScene();
      fitAll();
      if (w_.results().partial()) fittedTo_ = seenNow();
    }
    // After a drag the better result is on its way: it is drawn instead of the last draft.
    if (!worked && (w_.session().dragging() || w_.results().partial() || !w_.busy())) changed();
  }
  applyHighlights();
  showMarks();
}

void ViewWidget::keepBefore() {
  before_ = w_.scene();
  emit beforeChanged();
  emit w_.told(tr("kept as before: hold B to see it"));
}

void ViewWidget::showBefore(bool on) {
  if (on && !before_) return emit w_.told(tr("keep a state as before first (Ctrl+B)"));
  if (!before_ || on == beforeShown_) return;
  beforeShown_ = on;
  requestLens();
  showScene();
  changed();
}

void ViewWidget::showScene() {
  if (!viewer() || !shown_) return;
  makeCurrent();
  viewer()->show(beforeShown_ ? before_ : shown_, lensResult_);
  if (w_.session().dragging() || w_.results().partial() || !w_.busy()) changed();
}

void ViewWidget::requestLens() {
  if (w_.scene() && lens_.needsWork())
    lensRunner_.request(beforeShown_ ? before_ : w_.scene(), lens_, w_.session().dragging() || pulling_);
}

void ViewWidget::applyHighlights() {
  if (!shown_) return;
  std::vector<Lit> lit;
  const auto add = [&](const scene::Highlight& h, const QColor& colour) {
    lit.push_back({scene::outlineOf(*shown_, h), colour});
  };
  for (const auto& h : w_.focus().selection()) add({h.kind, h.step, h.part}, tones().attention);
  const auto* entry = w_.recipe().find(w_.focus().open());
  const recipe::Field* f = w_.focus().activeField();
  if (entry && f && f->kind == recipe::FieldKind::Picks)
    for (const json& p : recipe::listAt(*entry, f->key))
      add({p.value("kind", "") == "point" ? Kind::Point : Kind::Curve, p.value("step", ""), p.value("part", "")},
          tones().attention);
  if (const auto& pointed = chip_ ? chip_ : hover_) add(*pointed, tones().accent);
  overlay_->setLit(std::move(lit));
}

void ViewWidget::pointTo(const std::optional<scene::Highlight>& h) {
  chip_ = h;
  applyHighlights();
}

void ViewWidget::setCovered(const QMargins& m) {
  covered_ = m;
  if (viewer()) viewer()->setCovered({m.left(), m.top(), m.right(), m.bottom()});
}

void ViewWidget::fitAll() {
  if (!viewer() || !w_.scene()) return;
  viewer()->view()->Camera()->SetAspect(double(std::max(1, width())) / std::max(1, height()));
  viewer()->fitScene();
  fitted_ = true;
  changed();
  emit cameraMoved();
}

bool ViewWidget::seesAll() const {
  if (!w_.scene()) return true;
  const scene::Camera c = camera();
  const Vec3 &low = w_.scene()->low, &high = w_.scene()->high;
  for (int k = 0; k < 8; ++k) {
    const Vec3 s = c.toScreen({k & 1 ? high.x() : low.x(), k & 2 ? high.y() : low.y(), k & 4 ? high.z() : low.z()});
    if (s.x() < 0 || s.y() < 0 || s.x() > c.width || s.y() > c.height) return false;
  }
  return true;
}

double ViewWidget::partUnder(const QRect& r) const {
  if (!w_.scene()) return 0;
  const scene::Camera c = camera();
  size_t all = 0, under = 0;
  const auto look = [&](const std::vector<Vec3>& points) {
    const size_t every = 1 + points.size() / kLooksPerPart;
    for (size_t i = 0; i < points.size(); i += every) {
      const Vec3 s = c.toScreen(points[i]);
      ++all;
      under += r.contains(int(s.x()), int(s.y()));
    }
  };
  for (const auto& b : w_.scene()->bodies)
    for (const auto& f : b.faces) look(f->points);
  for (const auto& curve : w_.scene()->curves) look(curve.points);
  return all ? double(under) / double(all) : 0;
}

void ViewWidget::lookSquareTo(const Frame& plane, const std::vector<Vec3>& places) {
  if (!viewer()) return;
  viewer()->lookSquareTo(plane, places);
  changed();
  emit cameraMoved();
}

void ViewWidget::fadeBut(const std::optional<Frame>& plane) {
  drawnOn_ = plane;
  if (!viewer()) return;
  makeCurrent();
  viewer()->fadeBut(plane);
  changed();
}

void ViewWidget::fitPicks() {
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (const auto& h : w_.focus().selection()) {
    const auto outline = scene::outlineOf(*shown_, {h.kind, h.step, h.part});
    const auto reach = [&](const Vec3& p) { low = low.cwiseMin(p), high = high.cwiseMax(p); };
    for (const auto& line : outline.lines) std::for_each(line.begin(), line.end(), reach);
    std::for_each(outline.points.begin(), outline.points.end(), reach);
  }
  if (!viewer() || low.x() > high.x()) return fitAll();
  viewer()->fit(low, high);
  changed();
  emit cameraMoved();
}

void ViewWidget::showFloor(bool on) {
  floor_ = on;
  if (!viewer()) return;
  viewer()->showFloor(on);
  changed();
}

void ViewWidget::showOtherHalf(bool on) {
  otherHalf_ = on;
  if (!viewer()) return;
  makeCurrent();
  viewer()->showOtherHalf(on);
  changed();
}

void ViewWidget::setLens(const scene::LensState& lens) {
  lens_ = lens;
  w_.results().measureWhileMoving(scene::isOn(lens, "joins"));
  if (viewer()) {
    makeCurrent();
    viewer()->setLens(lens);
    moved(); // at once, and smoothly when it rests
  }
  requestLens();
  emit lensChanged();
}

scene::PictureOptions ViewWidget::seen() const {
  scene::PictureOptions o;
  o.lens = lens_;
  const Tones& t = tones();
  o.ground = scene::Ground{t.viewTop.rgb() & 0xFFFFFFu, t.viewBottom.rgb() & 0xFFFFFFu, t.ink.rgb() & 0xFFFFFFu};
  if (viewer()) o.pose = viewer()->pose();
  return o;
}

QImage ViewWidget::pictureOf(const scene::ScenePtr& scene, const scene::LensResultPtr& result, QSize size) {
  if (!viewer()) return {};
  makeCurrent();
  const Handle(Graphic3d_Camera) own = new Graphic3d_Camera(viewer()->view()->Camera());
  viewer()->show(scene, result);
  viewer()->view()->Camera()->SetAspect(double(size.width()) / size.height());
  const scene::Viewer::Covered covered = viewer()->covered();
  viewer()->setCovered({});
  viewer()->fitScene();
  viewer()->setCovered(covered);
  const QImage out = drawn(2 * size); // fine stripes
  viewer()->view()->SetCamera(own);
  viewer()->show(shown_, lensResult_);
  changed();
  return out.scaled(size, Qt::IgnoreAspectRatio, Qt::SmoothTransformation);
}

/// What the viewer holds, with smooth edges and without the floor.
QImage ViewWidget::drawn(QSize size) {
  viewer()->showFloor(false);
  viewer()->syncFloor();
  auto& p = viewer()->view()->ChangeRenderingParams();
  const Graphic3d_RenderingParams before = p;
  p.NbMsaaSamples = 4;
  p.RenderResolutionScale = 1.0f;
  Image_PixMap pixels;
  const bool done = viewer()->view()->ToPixMap(pixels, size.width(), size.height());
  p = before;
  viewer()->showFloor(floor_);
  if (!done) return {};
  QImage out(int(pixels.SizeX()), int(pixels.SizeY()), QImage::Format_RGB32);
  for (int y = 0; y < out.height(); ++y)
    for (int x = 0; x < out.width(); ++x) {
      const Quantity_Color c = pixels.PixelColor(x, y).GetRGB();
      out.setPixelColor(x, y, QColor::fromRgbF(float(c.Red()), float(c.Green()), float(c.Blue())));
    }
  return out;
}

std::string ViewWidget::thumbnail() {
  const QImage image = grabFramebuffer().scaledToWidth(320, Qt::SmoothTransformation);
  QByteArray bytes;
  QBuffer buffer(&bytes);
  image.save(&buffer, "PNG");
  return bytes.toStdString();
}

// Pointer -------------------------------------------------------------------------------------------------------------

template <class F> bool ViewWidget::firstTool(F&& takes) {
  return std::any_of(tools_.begin(), tools_.end(), [&](const auto& tool) { return takes(*tool); });
}

Pointer ViewWidget::pointerOf(const QMouseEvent& e) const {
  return {e.position(), gesture_ ? gesture_->pointer.pressed : e.position(),
          gesture_ ? gesture_->pointer.button : e.button(), e.modifiers()};
}

void ViewWidget::mousePressEvent(QMouseEvent* e) {
  setFocus();
  if (gesture_) return; // another button while one is down
  gesture_ = Gesture{pointerOf(*e), {}, nullptr, false};
  lastPress_ = e->position();
  if (const Mark* m = overlay_->markAt(e->position())) gesture_->mark = *m;
}

void ViewWidget::mouseMoveEvent(QMouseEvent* e) {
  if (!gesture_) return hoverAt(e->position());
  const Pointer p = pointerOf(*e);
  if (!gesture_->tool) {
    if ((p.at - p.pressed).manhattanLength() < kDragPixels || !viewer()) return;
    const Mark* mark = pressed();
    firstTool([&](Tool& t) { return t.grab(p, mark) && (gesture_->tool = &t); });
    if (!gesture_->tool) return;
  }
  if (gesture_->changing && !w_.session().dragging()) { // stopped from elsewhere: what is held is let go
    gesture_->tool->cancel();
    gesture_.reset();
    return;
  }
  gesture_->tool->drag(p);
  gesture_->changing = w_.session().dragging();
  changed();
}

void ViewWidget::mouseReleaseEvent(QMouseEvent* e) {
  if (!gesture_ || e->button() != gesture_->pointer.button) return;
  const Pointer p = pointerOf(*e);
  const Gesture done = *std::exchange(gesture_, std::nullopt);
  overlay_->setSnap({});
  if (done.tool) return done.tool->letGo(p);
  const Mark* mark = done.mark ? &*done.mark : nullptr;
  if (firstTool([&](Tool& t) { return t.click(p, mark); })) hoverAt(p.at);
}

void ViewWidget::mouseDoubleClickEvent(QMouseEvent* e) {
  gesture_.reset(); // the release that follows is no click
  const Pointer p = pointerOf(*e);
  const Mark* under = overlay_->markAt(p.at);
  const std::optional<Mark> mark = under ? std::optional(*under) : std::nullopt;
  firstTool([&](Tool& t) { return t.doubleClick(p, mark ? &*mark : nullptr); });
}

void ViewWidget::wheelEvent(QWheelEvent* e) { zoomBy(e->angleDelta().y(), e->position()); }

void ViewWidget::contextMenuEvent(QContextMenuEvent* e) {
  const bool dragging = gesture_ && gesture_->pointer.button != Qt::RightButton;
  if (dragging || (e->pos() - lastPress_.toPoint()).manhattanLength() > kDragPixels) return;
  QMenu menu(this);
  for (const auto& tool : tools_) tool->addActions(menu);
  menu.addAction(tr("Fit all"), this, &ViewWidget::fitAll);
  menu.exec(e->globalPos());
}

void ViewWidget::leaveEvent(QEvent*) {
  for (const auto& tool : tools_) tool->leave();
  say({}, {});
  showSnap({});
  lightUp({});
}

void ViewWidget::hoverAt(QPointF p) {
  if (!viewer()) return;
  const Mark* under = overlay_->markAt(p);
  if (under)
    setCursor(Qt::OpenHandCursor);
  else
    unsetCursor();
  Hover h;
  Pointer pointer{p, p};
  pointer.keys = QGuiApplication::keyboardModifiers();
  for (const auto& tool : tools_) tool->hover(pointer, under, h);
  showSnap(h.snap);
  say(h.label, p);
  const bool other = h.lit.has_value() != hover_.has_value() ||
                     (h.lit && (h.lit->step != hover_->step || h.lit->part != hover_->part || h.lit->kind != hover_->kind));
  if (!other) return;
  emit hovered(h.label);
  lightUp(h.lit);
}

void ViewWidget::lightUp(const std::optional<scene::Highlight>& h) {
  hover_ = h;
  applyHighlights();
}

void ViewWidget::probe(QPointF p) {
  if (shown_ && lens_.tellsOfPlaces()) lensRunner_.probe(shown_, lens_, camera(), p.x(), p.y());
}

void ViewWidget::setPulling(bool on) {
  const bool ends = pulling_ && !on;
  pulling_ = on;
  if (ends) requestLens();
}

// Keys ----------------------------------------------------------------------------------------------------------------

void ViewWidget::keyPressEvent(QKeyEvent* e) {
  if (e->isAutoRepeat()) return;
  if (firstTool([&](Tool& t) { return t.keyPressed(*e); }) || viewKey(*e)) return;
  GlView::keyPressEvent(e);
}

bool ViewWidget::viewKey(const QKeyEvent& e) {
  const bool plain = e.modifiers() == Qt::NoModifier;
  switch (e.key()) {
  case Qt::Key_B: return plain && (showBefore(true), true);
  case Qt::Key_T:
    if (plain) emit w_.waysWanted();
    return plain;
  case Qt::Key_F:
    if (plain) fitAll();
    if (e.modifiers() == Qt::ShiftModifier) fitPicks();
    return plain || e.modifiers() == Qt::ShiftModifier;
  case Qt::Key_O: return sightKey(e), true;
  case Qt::Key_Tab: return GlView::focusNextPrevChild(true), true;
  case Qt::Key_Return:
  case Qt::Key_Enter: return w_.focus().done();
  default: return false;
  }
}

/// Out of sight, only this, all in sight.
void ViewWidget::sightKey(const QKeyEvent& e) {
  if (e.modifiers() == (Qt::ControlModifier | Qt::ShiftModifier)) return w_.steps().showAll();
  const auto ids = w_.focus().selectedObjects();
  if (ids.empty()) return emit w_.told(tr("pick what should go out of sight, or alone be seen"));
  if (e.modifiers() == Qt::NoModifier) {
    w_.focus().clearSelection();
    w_.steps().setVisible(ids, false);
  } else if (e.modifiers() == Qt::ShiftModifier) {
    w_.steps().showOnly(ids);
  }
}

void ViewWidget::keyReleaseEvent(QKeyEvent* e) {
  if (e->isAutoRepeat()) return GlView::keyReleaseEvent(e);
  if (e->key() == Qt::Key_B) return showBefore(false);
  if (!firstTool([&](Tool& t) { return t.keyReleased(*e); })) GlView::keyReleaseEvent(e);
}

/// Tab goes through what lies under the pointer first; what lies over the view asks it, too.
bool ViewWidget::focusNextPrevChild(bool next) { return !hasFocus() && GlView::focusNextPrevChild(next); }

} // namespace lumsk::app

#include "app/view_widget.h"

#include "app/field_editors.h"
#include "app/preferences.h"
#include "app/words.h"
#include "scene/pick_many.h"

#include <Image_PixMap.hxx>

#include <QBuffer>
#include <QContextMenuEvent>
#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <nlohmann/json.hpp>

namespace lumsk::app {

using recipe::Kind;

namespace {

constexpr int kLensPatienceMs = 80;

} // namespace

ViewWidget::ViewWidget(Workspace& w) : w_(w), overlay_(new Overlay(this)) {
  patience_.setSingleShot(true);
  patience_.setInterval(kLensPatienceMs);
  connect(&patience_, &QTimer::timeout, this, &ViewWidget::showDrawing);
  connect(&lensRunner_, &LensRunner::ready, this, [this](const scene::LensResultPtr& r) {
    lensResult_ = r;
    if (r->drawing == (beforeShown_ ? before_ : w_.drawing())) patience_.stop();
    if (!patience_.isActive()) showDrawing();
    emit lensResultChanged();
  });
  connect(&lensRunner_, &LensRunner::probed, this, &ViewWidget::probed);
  connect(&lensRunner_, &LensRunner::broken, this, [this](const QString& why) { emit w_.told(brokenInside(why)); });
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
  setObjectName("view");
  setAccessibleName(tr("view of the form"));
  setMinimumSize(240, 200);
  connect(&w_, &Workspace::modelChanged, this, &ViewWidget::refresh);
  connect(&w_, &Workspace::focusChanged, this, &ViewWidget::refresh);
  connect(&w_, &Workspace::busyChanged, this, [this](bool busy) {
    if (!busy && !smooth()) changed();
  });
  connect(&w_, &Workspace::recipeChanged, this, [this] {
    if (viewer()) showMarks();
  });
  connect(&w_, &Workspace::projectReplaced, this, [this] {
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

void ViewWidget::made() {
  viewer()->setLens(lens_);
  viewer()->showOtherHalf(otherHalf_);
  setCovered(covered_);
  shown_ = nullptr;
  fitted_ = false;
  refresh();
}

void ViewWidget::resizeGL(int w, int h) { overlay_->setGeometry(0, 0, w, h); }

void ViewWidget::sized() {
  if (!fitted_) fitAll();
}

bool ViewWidget::resting() const { return (drag_ == Drag::None || drag_ == Drag::Pending) && !w_.busy(); }

void ViewWidget::painted() { showMarks(); }

void ViewWidget::showMarks() {
  overlay_->set(allMarks(), camera());
  overlay_->setNets(netsFor(w_));
}

void ViewWidget::refresh() {
  if (!viewer()) return;
  placing_ = placing_ && pointingAtPlace();
  makeCurrent();
  if (viewer()->showPlanes(recipe::has(w_.wanted(), Kind::Plane))) changed();
  if (shown_ != w_.drawing()) {
    const bool first = !shown_ || (shown_->bodies.empty() && shown_->curves.empty());
    shown_ = w_.drawing();
    // What the lens shows comes with the drawing, or soon after.
    const bool worked = lens_.needsWork();
    if (worked) {
      requestLens();
      patience_.start();
    } else {
      viewer()->show(shown_, lensResult_);
    }
    // Never while somebody draws: the next place is where the pointer is.
    if ((first && !w_.dragging() && !placing_) || !fitted_) {
      if (worked) showDrawing();
      fitAll();
    }
    // After a drag the better result is on its way: it is drawn instead of the last draft.
    if (!worked && (w_.dragging() || !w_.busy())) changed();
  }
  applyHighlights();
  showMarks();
}

void ViewWidget::keepBefore() {
  before_ = w_.drawing();
  emit beforeChanged();
  emit w_.told(tr("kept as before: hold B to see it"));
}

void ViewWidget::showBefore(bool on) {
  if (on && !before_) return emit w_.told(tr("keep a state as before first (Ctrl+B)"));
  if (!before_ || on == beforeShown_) return;
  beforeShown_ = on;
  requestLens();
  showDrawing();
  changed();
}

void ViewWidget::showDrawing() {
  if (!viewer() || !shown_) return;
  makeCurrent();
  viewer()->show(beforeShown_ ? before_ : shown_, lensResult_);
  if (w_.dragging() || !w_.busy()) changed();
}

void ViewWidget::requestLens() {
  if (w_.drawing() && lens_.needsWork())
    lensRunner_.request(beforeShown_ ? before_ : w_.drawing(), lens_, w_.dragging() || pulling_);
}

std::vector<Mark> ViewWidget::allMarks() const {
  auto marks = marksFor(w_, camera());
  if (!w_.drawing()) return marks;
  if (lens_.cut) marks.push_back(cutMark());
  if (const auto d = scene::directionOf(lens_); d && peeking_ == 0) marks.push_back(directionMark(*d));
  return marks;
}

/// An arrow of one length from the middle of the form, which is turned by its tip.
Mark ViewWidget::directionMark(const Vec3& d) const {
  const scene::Camera c = camera();
  Mark m{Mark::Kind::Direction};
  m.world = 0.5 * (w_.drawing()->low + w_.drawing()->high);
  m.direction = d;
  const Vec3 s = c.toScreen(m.world);
  m.from = {s.x(), s.y()};
  m.at = m.from + kArrowPixels * QPointF(d.dot(c.direction.cross(c.up)), -d.dot(c.up));
  m.text = lens_.surface == scene::SurfaceLens::Draft ? tr("pull") : tr("direction");
  return m;
}

Mark ViewWidget::cutMark() const {
  const Frame plane = lens_.cutting.at(0);
  const Vec3 middle = 0.5 * (w_.drawing()->low + w_.drawing()->high), n = plane.normal();
  const scene::Camera c = camera();
  const auto pixel = [&](const Vec3& p) {
    const Vec3 s = c.toScreen(p);
    return QPointF(s.x(), s.y());
  };
  // Where the plane leaves the form's box uppermost, as seen: there nothing hides it.
  Mark m{Mark::Kind::Cut};
  double top = 1e300;
  const Vec3 half = 0.5 * (w_.drawing()->high - w_.drawing()->low);
  for (int k = 0; k < 6; ++k) {
    Vec3 p = middle;
    p[k / 2] += (k % 2 ? 1 : -1) * half[k / 2];
    p -= plane.local(p).z() * n;
    if (const double y = pixel(p).y(); y < top) top = y, m.world = p;
  }
  m.from = pixel(m.world);
  const QPointF out = pixel(m.world + n * c.pixelSize(m.world) * 46) - m.from;
  const double l = std::hypot(out.x(), out.y());
  m.at = m.from + (l > 4 ? out * (46 / l) : QPointF(32, -32));
  m.direction = n;
  m.value = lens_.cutting.offsetMm;
  m.text = tr("cut at %1").arg(shownLength(m.value));
  return m;
}

void ViewWidget::applyHighlights() {
  if (!shown_) return;
  std::vector<Lit> lit;
  const auto add = [&](const scene::Highlight& h, const QColor& colour) {
    lit.push_back({scene::outlineOf(*shown_, h), colour});
  };
  for (const auto& h : w_.selection()) add({h.kind, h.step, h.part}, tones().attention);
  const auto* entry = w_.recipe().find(w_.open());
  const recipe::Field* f = w_.activeField();
  if (entry && f && f->kind == recipe::FieldKind::Picks)
    for (const json& p : entry->inputs->value(f->key, json::array()))
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
  if (!viewer() || !w_.drawing()) return;
  viewer()->view()->Camera()->SetAspect(double(std::max(1, width())) / std::max(1, height()));
  viewer()->fitDrawing();
  fitted_ = true;
  changed();
  emit cameraMoved();
}

bool ViewWidget::seesAll() const {
  if (!w_.drawing()) return true;
  const scene::Camera c = camera();
  const Vec3 &low = w_.drawing()->low, &high = w_.drawing()->high;
  for (int k = 0; k < 8; ++k) {
    const Vec3 s = c.toScreen({k & 1 ? high.x() : low.x(), k & 2 ? high.y() : low.y(), k & 4 ? high.z() : low.z()});
    if (s.x() < 0 || s.y() < 0 || s.x() > c.width || s.y() > c.height) return false;
  }
  return true;
}

void ViewWidget::fitPicks() {
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (const auto& h : w_.selection()) {
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

void ViewWidget::showOtherHalf(bool on) {
  otherHalf_ = on;
  if (!viewer()) return;
  makeCurrent();
  viewer()->showOtherHalf(on);
  changed();
}

void ViewWidget::setLens(const scene::LensState& lens) {
  lens_ = lens;
  w_.measureWhileMoving(lens.joins);
  if (viewer()) {
    makeCurrent();
    viewer()->setLens(lens);
    moved(); // at once, and smoothly when it rests
  }
  requestLens();
  emit lensChanged();
}

QImage ViewWidget::picture(QSize size, std::optional<recipe::Finish> finish) {
  if (!viewer() || !shown_) return {};
  auto drawing = std::make_shared<scene::Drawing>(*shown_);
  for (auto* list : {&drawing->bodies, &drawing->later})
    for (auto& b : *list) b.finish = finish.value_or(b.finish);
  makeCurrent();
  viewer()->show(drawing, lensResult_);
  const QImage out = drawn(size);
  viewer()->show(shown_, lensResult_);
  changed();
  return out;
}

QImage ViewWidget::pictureOf(const scene::DrawingPtr& drawing, const scene::LensResultPtr& result, QSize size) {
  if (!viewer()) return {};
  makeCurrent();
  const Handle(Graphic3d_Camera) own = new Graphic3d_Camera(viewer()->view()->Camera());
  viewer()->show(drawing, result);
  viewer()->view()->Camera()->SetAspect(double(size.width()) / size.height());
  const scene::Viewer::Covered covered = viewer()->covered();
  viewer()->setCovered({});
  viewer()->fitDrawing();
  viewer()->setCovered(covered);
  const QImage out = drawn(2 * size); // fine stripes
  viewer()->view()->SetCamera(own);
  viewer()->show(shown_, lensResult_);
  changed();
  return out.scaled(size, Qt::IgnoreAspectRatio, Qt::SmoothTransformation);
}

/// What the viewer holds, with smooth edges.
QImage ViewWidget::drawn(QSize size) {
  const int before = viewer()->view()->ChangeRenderingParams().NbMsaaSamples;
  viewer()->view()->ChangeRenderingParams().NbMsaaSamples = 4;
  Image_PixMap pixels;
  const bool done = viewer()->view()->ToPixMap(pixels, size.width(), size.height());
  viewer()->view()->ChangeRenderingParams().NbMsaaSamples = before;
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

void ViewWidget::mousePressEvent(QMouseEvent* e) {
  setFocus();
  if (drag_ != Drag::None) return; // another button while one is down
  pressed_ = last_ = e->position();
  button_ = e->button();
  held_ = false;
  if (button_ != Qt::LeftButton) {
    drag_ = Drag::Pending;
    return;
  }
  if (const int i = overlay_->markAt(pressed_); i >= 0) {
    grabbed_ = overlay_->marks()[i];
    drag_ = Drag::Pending;
    return;
  }
  grabbed_ = Mark{Mark::Kind::Problem};
  drag_ = Drag::Pending;
  // Turning goes about the point under the pointer, else about the middle of the form.
  const auto hits = scene::pickAt(*w_.drawing(), camera(), pressed_.x(), pressed_.y(), Kind::Face | Kind::Curve);
  pivot_ = hits.empty() ? Vec3(0.5 * (w_.drawing()->low + w_.drawing()->high)) : hits.front().at;
}

void ViewWidget::mouseMoveEvent(QMouseEvent* e) {
  const QPointF p = e->position(), d = p - last_;
  if (drag_ == Drag::None) return hoverAt(p);
  if (drag_ == Drag::Pending) {
    if ((p - pressed_).manhattanLength() < 4) return;
    const bool mark = button_ == Qt::LeftButton && grabbed_.kind != Mark::Kind::Problem;
    drag_ = button_ != Qt::LeftButton          ? Drag::Pan
            : mark                             ? Drag::Mark
            : e->modifiers() & Qt::AltModifier ? Drag::Box
                                               : Drag::Turn;
  }
  last_ = p;
  if (drag_ == Drag::Turn) return turnBy(d, pivot_);
  if (drag_ == Drag::Pan) return panBy(d);
  if (drag_ == Drag::Box) return overlay_->setBox(QRectF(pressed_, p).normalized());
  if (!viewer()) return;
  if (held_ && !w_.dragging()) { // stopped from elsewhere: what is held is let go
    drag_ = Drag::None;
    return;
  }
  dragMark(p, e->modifiers());
  held_ = w_.dragging();
  changed();
}

void ViewWidget::mouseReleaseEvent(QMouseEvent* e) {
  if (e->button() != button_) return;
  const Drag was = drag_;
  drag_ = Drag::None;
  overlay_->setSnap({});
  if (was == Drag::Mark && (grabbed_.kind == Mark::Kind::Cut || grabbed_.kind == Mark::Kind::Direction)) {
    pulling_ = false;
    return requestLens();
  }
  if (was == Drag::Box) {
    overlay_->setBox({});
    const QPointF p = e->position();
    auto hits = scene::pickInside(*w_.drawing(), camera(), {pressed_.x(), pressed_.y()}, {p.x(), p.y()}, w_.wanted());
    if (hits.empty()) emit w_.told(tr("nothing that can be picked now lies whole in the box"));
    return w_.pickAll(hits);
  }
  if (was == Drag::Turn || was == Drag::Pan) changed(); // what a mark changed draws itself when it is computed
  const recipe::Field* dragged = fieldOf(w_, grabbed_);
  if (was == Drag::Mark)
    return w_.endDrag(
        grabbed_.kind == Mark::Kind::Point  ? tr("move a point")
        : grabbed_.kind == Mark::Kind::Grip ? tr("move a control point")
        : grabbed_.kind == Mark::Kind::Flag
            ? grabbed_.key == "start" ? tr("move a start") : tr("move an end of a part")
            : tr("drag %1").arg(dragged ? said(dragged->label).toLower() : QString::fromStdString(grabbed_.field)));
  if (was != Drag::Pending || e->button() != Qt::LeftButton) return;
  if (grabbed_.kind == Mark::Kind::Flag && (grabbed_.key == "start" || !grabbed_.startMovable))
    return w_.turnItem(grabbed_.step, grabbed_.field, grabbed_.item, grabbed_.group,
                       grabbed_.key == "start" ? "" : grabbed_.key);
  if (grabbed_.kind != Mark::Kind::Problem) return;
  if (!w_.rails().empty()) {
    addOnRail(e->position());
    return;
  }
  if (pointingAtPlace()) {
    const auto place = placeFor(e->position(), w_.field(), levelOfNewPoint(), e->modifiers());
    placing_ = true;
    return w_.addPoint(place.at, !place.what.empty());
  }
  hoverAt(e->position());
  if (!under_.empty())
    w_.pick(under_[cycle_ % under_.size()], e->modifiers() & Qt::ControlModifier);
  else if (!(e->modifiers() & Qt::ControlModifier) && !w_.selection().empty())
    w_.clearSelection();
}

void ViewWidget::mouseDoubleClickEvent(QMouseEvent* e) {
  drag_ = Drag::None; // the release that follows is no click
  if (const int i = overlay_->markAt(e->position()); i >= 0 && overlay_->marks()[i].kind == Mark::Kind::Handle)
    return editHandle(overlay_->marks()[i]);
  else if (i >= 0 && overlay_->marks()[i].kind == Mark::Kind::Grip)
    return resetGrip(overlay_->marks()[i]);
  hoverAt(e->position());
  if (!under_.empty() && under_[cycle_ % under_.size()].kind == Kind::Edge)
    return w_.pickChain(
        under_[cycle_ % under_.size()],
        scene::tangentChain(*w_.drawing(), under_[cycle_ % under_.size()], w_.recipe().tolerances.corner));
  if (under_.empty() && w_.wanted() != Kind::None) fitAll();
}

void ViewWidget::wheelEvent(QWheelEvent* e) { zoomBy(e->angleDelta().y(), e->position()); }

void ViewWidget::contextMenuEvent(QContextMenuEvent* e) {
  const bool dragging = drag_ != Drag::None && button_ != Qt::RightButton;
  if (dragging || (e->pos() - pressed_.toPoint()).manhattanLength() > 4) return;
  QMenu menu(this);
  if (!under_.empty()) {
    const auto hit = under_[cycle_ % under_.size()];
    if (hit.kind == Kind::Edge) {
      menu.addAction(tr("Pick its tangent chain"), this, [this, hit] {
        w_.pickChain(hit, scene::tangentChain(*w_.drawing(), hit, w_.recipe().tolerances.corner));
      });
      menu.addAction(tr("Pick similar edges"), this, [this, hit] {
        for (const auto& b : w_.drawing()->bodies)
          if (b.step == hit.step)
            if (const auto figures = w_.figuresOf(b.body))
              return w_.pickAll(scene::similarEdges(*w_.drawing(), hit, figures->joins));
        w_.pickAll(scene::similarEdges(*w_.drawing(), hit, {}));
      });
    }
    if (const int n = w_.curvesOf(hit.step); n > 1 && hit.kind == Kind::Curve) {
      auto all = hit;
      all.part.clear();
      menu.addAction(tr("Pick all %1 curves of %2").arg(n).arg(QString::fromStdString(hit.label)), this,
                     [this, all] { w_.pick(all, true); });
    }
    menu.addAction(tr("Pick %1").arg(QString::fromStdString(hit.label)), this, [this, hit] { w_.pick(hit, true); });
    if (hit.step != "world") {
      menu.addAction(tr("Open its step"), this, [this, hit] { w_.unfold(hit.step); });
      menu.addAction(tr("Out of sight"), this, [this, hit] {
        std::string id = hit.step;
        for (const auto& b : w_.model()->bodies)
          if (b.step == hit.step) id = b.id;
        w_.setVisible(id, false);
      });
    }
    menu.addSeparator();
  }
  menu.addAction(tr("Fit all"), this, &ViewWidget::fitAll);
  menu.exec(e->globalPos());
}

void ViewWidget::leaveEvent(QEvent*) {
  hover_.reset();
  under_.clear();
  overlay_->setHover({}, {});
  overlay_->setSnap({});
  applyHighlights();
}

void ViewWidget::hoverAt(QPointF p) {
  last_ = p;
  if (!viewer()) return;
  if (const int i = overlay_->markAt(p); i >= 0) {
    setCursor(Qt::OpenHandCursor);
    under_.clear();
    hover_.reset();
  } else {
    unsetCursor();
    auto hits = scene::pickAt(*w_.drawing(), camera(), p.x(), p.y(), w_.wanted());
    if (const auto* f = w_.activeField(); f && f->preferred != Kind::None)
      std::stable_partition(hits.begin(), hits.end(),
                            [&](const scene::Hit& h) { return recipe::has(f->preferred, h.kind); });
    const bool sameAsBefore =
        hits.size() == under_.size() && std::equal(hits.begin(), hits.end(), under_.begin(), scene::same);
    under_ = std::move(hits);
    if (!sameAsBefore) cycle_ = 0;
  }
  std::optional<scene::Highlight> next;
  QString label;
  if (!under_.empty()) {
    const auto& h = under_[cycle_ % under_.size()];
    next = scene::Highlight{h.kind, h.step, h.part};
    label = QString::fromStdString(h.label);
    if (under_.size() > 1) label += tr("  (Tab: %1 more)").arg(under_.size() - 1);
  }
  std::optional<Vec3> place;
  if (pointingAtPlace() && overlay_->markAt(p) < 0)
    if (const auto snap = placeFor(p, w_.field(), levelOfNewPoint(), {}); !snap.what.empty()) {
      label = said(snap.what);
      place = snap.at;
    }
  if (shown_ && lens_.tellsOfPlaces()) lensRunner_.probe(shown_, lens_, camera(), p.x(), p.y());
  overlay_->setSnap(place);
  overlay_->setHover(label, p);
  const bool changedHover =
      next.has_value() != hover_.has_value() ||
      (next && (next->step != hover_->step || next->part != hover_->part || next->kind != hover_->kind));
  if (!changedHover) return;
  hover_ = next;
  emit hovered(label);
  applyHighlights();
}

void ViewWidget::editHandle(const Mark& m) {
  const recipe::Field* f = fieldOf(w_, m);
  if (!f) return;
  closeEditor();
  editor_ = new QuantityEditor(*f, w_);
  editor_->setParent(this);
  editor_->setObjectName("handle-editor");
  editor_->setValue(valueOf(w_, m));
  editor_->setGeometry(int(m.at.x()) + 12, int(m.at.y()) - 15, 130, 30);
  editor_->show();
  auto* line = editor_->findChild<QLineEdit*>();
  line->setFocus();
  line->selectAll();
  connect(editor_, &FieldEditor::changed, this, [this, m, label = f->label](const json& v) {
    w_.setInput(m.step, m.field, inputWith(w_, m, v), tr("set %1").arg(QString::fromStdString(label).toLower()));
  });
  connect(editor_, &FieldEditor::changed, this, &ViewWidget::closeEditor);
  connect(editor_, &FieldEditor::enterAgain, this, &ViewWidget::closeEditor);
  // Left without a change, or with a text that is no number, it closes; the value before stays.
  connect(line, &QLineEdit::editingFinished, this, [this, line] {
    if (!line->hasFocus()) closeEditor();
  });
}

void ViewWidget::closeEditor() {
  if (!editor_) return;
  editor_->hide();
  editor_->deleteLater();
  editor_ = nullptr;
  setFocus();
}

// Keys ----------------------------------------------------------------------------------------------------------------

bool ViewWidget::peek(int key, bool on) {
  const auto& kinds = scene::lensKinds();
  const auto kind =
      std::find_if(kinds.begin(), kinds.end(), [&](const scene::LensKind& k) { return k.peek && int(k.peek) == key; });
  if (kind == kinds.end()) return false; // keys of letters are their capitals
  if (on && peeking_ == 0) {
    peeking_ = key;
    beforePeek_ = lens_;
    scene::LensState l = lens_;
    scene::turnOn(l, kind->key, true);
    setLens(l);
  } else if (!on && peeking_ == key) {
    peeking_ = 0;
    // Only what the key turned on goes; a setting that was changed meanwhile stays.
    scene::LensState back = lens_;
    scene::turnOn(back, kind->key, false);
    for (const auto& k : kinds)
      if (scene::isOn(beforePeek_, k.key) != scene::isOn(back, k.key))
        scene::turnOn(back, k.key, scene::isOn(beforePeek_, k.key));
    setLens(back);
  }
  return true;
}

void ViewWidget::keyPressEvent(QKeyEvent* e) {
  if (e->isAutoRepeat()) return;
  if (e->key() == Qt::Key_Escape && editor_) return closeEditor();
  if (e->modifiers() == Qt::NoModifier && e->key() == Qt::Key_B) return showBefore(true);
  if (e->modifiers() == Qt::NoModifier && peek(e->key(), true)) return;
  if (e->key() == Qt::Key_T && e->modifiers() == Qt::NoModifier) return void(emit w_.waysWanted());
  if (e->key() == Qt::Key_F && e->modifiers() == Qt::NoModifier) return fitAll();
  if (e->key() == Qt::Key_F && e->modifiers() == Qt::ShiftModifier) return fitPicks();
  if (e->key() == Qt::Key_O) {
    const auto ids = w_.selectedObjects();
    if (e->modifiers() == (Qt::ControlModifier | Qt::ShiftModifier)) return w_.showAll();
    if (ids.empty()) return emit w_.told(tr("pick what should go out of sight, or alone be seen"));
    if (e->modifiers() == Qt::NoModifier) {
      w_.clearSelection();
      return w_.setVisible(ids, false);
    }
    if (e->modifiers() == Qt::ShiftModifier) return w_.showOnly(ids);
  }
  if (e->key() == Qt::Key_Tab && !under_.empty()) {
    ++cycle_;
    const auto& h = under_[cycle_ % under_.size()];
    hover_ = scene::Highlight{h.kind, h.step, h.part};
    overlay_->setHover(QString::fromStdString(h.label), last_);
    return applyHighlights();
  }
  if (e->key() == Qt::Key_Tab) {
    GlView::focusNextPrevChild(true);
    return;
  }
  if ((e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) && !w_.draft().empty()) return w_.keepDraft();
  GlView::keyPressEvent(e);
}

void ViewWidget::keyReleaseEvent(QKeyEvent* e) {
  if (!e->isAutoRepeat() && e->key() == Qt::Key_B) return showBefore(false);
  if (!e->isAutoRepeat() && peek(e->key(), false)) return;
  GlView::keyReleaseEvent(e);
}

/// Tab goes through what lies under the pointer first; what lies over the view asks it, too.
bool ViewWidget::focusNextPrevChild(bool next) { return !hasFocus() && GlView::focusNextPrevChild(next); }

} // namespace lumsk::app

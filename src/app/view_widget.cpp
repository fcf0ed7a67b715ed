#include "app/view_widget.h"

#include "app/field_editors.h"
#include "app/preferences.h"
#include "app/words.h"
#include "nurbs/arc_length.h"
#include "recipe/portion.h"
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

Vec3 onPlane(const Frame& f, const std::pair<Vec3, Vec3>& ray) {
  const double along = ray.second.dot(f.normal());
  if (std::abs(along) < 1e-9) return f.origin;
  return ray.first + ray.second * ((f.origin - ray.first).dot(f.normal()) / along);
}

/// Parameter along an axis of the place nearest to a line of sight.
double alongAxis(const Vec3& at, const Vec3& dir, const std::pair<Vec3, Vec3>& ray) {
  const Vec3 n = dir.cross(ray.second);
  if (n.squaredNorm() < 1e-12) return 0.0;
  return (ray.first - at).cross(ray.second).dot(n) / n.squaredNorm();
}

constexpr int kLensPatienceMs = 80;
constexpr double kArrowPixels = 90; ///< length of a lens's direction

double tidy(double v) { return std::round(v * 100) / 100; }

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
    if ((first && !w_.dragging()) || !fitted_) {
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

void ViewWidget::fitAll() {
  if (!viewer() || !w_.drawing()) return;
  viewer()->view()->Camera()->SetAspect(double(std::max(1, width())) / std::max(1, height()));
  viewer()->fit(w_.drawing()->low, w_.drawing()->high);
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
  makeCurrent();
  auto drawing = std::make_shared<scene::Drawing>(*shown_);
  for (auto* list : {&drawing->bodies, &drawing->later})
    for (auto& b : *list) b.finish = finish.value_or(b.finish);
  viewer()->show(drawing, lensResult_);
  const int before = viewer()->view()->ChangeRenderingParams().NbMsaaSamples;
  viewer()->view()->ChangeRenderingParams().NbMsaaSamples = 4;
  Image_PixMap pixels;
  const bool done = viewer()->view()->ToPixMap(pixels, size.width(), size.height());
  viewer()->view()->ChangeRenderingParams().NbMsaaSamples = before;
  QImage out;
  if (done) {
    out = QImage(int(pixels.SizeX()), int(pixels.SizeY()), QImage::Format_RGB32);
    for (int y = 0; y < out.height(); ++y)
      for (int x = 0; x < out.width(); ++x) {
        const Quantity_Color c = pixels.PixelColor(x, y).GetRGB();
        out.setPixelColor(x, y, QColor::fromRgbF(float(c.Red()), float(c.Green()), float(c.Blue())));
      }
  }
  viewer()->show(shown_, lensResult_);
  changed();
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
  pressed_ = last_ = e->position();
  button_ = e->button();
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
  dragMark(p, e->modifiers());
  changed();
}

void ViewWidget::mouseReleaseEvent(QMouseEvent* e) {
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
  if (was == Drag::Mark)
    return w_.endDrag(grabbed_.kind == Mark::Kind::Point  ? tr("move a point")
                      : grabbed_.kind == Mark::Kind::Grip ? tr("move a control point")
                      : grabbed_.kind == Mark::Kind::Flag
                          ? grabbed_.key == "start" ? tr("move a start") : tr("move an end of a part")
                          : tr("drag %1").arg(QString::fromStdString(grabbed_.field)));
  if (was != Drag::Pending || e->button() != Qt::LeftButton) return;
  if (grabbed_.kind == Mark::Kind::Flag && grabbed_.key == "start") {
    return w_.turnItem(grabbed_.step, grabbed_.field, grabbed_.item, grabbed_.group);
  }
  if (grabbed_.kind != Mark::Kind::Problem) return;
  if (!w_.rails().empty()) {
    addOnRail(e->position());
    return;
  }
  if (pointingAtPlace()) {
    const auto place = placeFor(e->position(), w_.field(), levelOfNewPoint(), e->modifiers());
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
    return w_.pickAll(
        scene::tangentChain(*w_.drawing(), under_[cycle_ % under_.size()], w_.recipe().tolerances.corner));
  if (under_.empty() && w_.wanted() != Kind::None) fitAll();
}

void ViewWidget::wheelEvent(QWheelEvent* e) { zoomBy(e->angleDelta().y(), e->position()); }

void ViewWidget::contextMenuEvent(QContextMenuEvent* e) {
  if ((e->pos() - pressed_.toPoint()).manhattanLength() > 4) return;
  QMenu menu(this);
  if (!under_.empty()) {
    const auto hit = under_[cycle_ % under_.size()];
    if (hit.kind == Kind::Edge) {
      menu.addAction(tr("Pick its tangent chain"), this, [this, hit] {
        w_.pickAll(scene::tangentChain(*w_.drawing(), hit, w_.recipe().tolerances.corner));
      });
      menu.addAction(tr("Pick similar edges"), this, [this, hit] {
        for (const auto& b : w_.drawing()->bodies)
          if (b.step == hit.step)
            if (const auto figures = w_.figuresOf(b.body))
              return w_.pickAll(scene::similarEdges(*w_.drawing(), hit, figures->joins));
        w_.pickAll(scene::similarEdges(*w_.drawing(), hit, {}));
      });
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

bool ViewWidget::pointingAtPlace() const {
  const recipe::Field* f = w_.activeField();
  return f && f->kind == recipe::FieldKind::Points;
}

Vec3 ViewWidget::levelOfNewPoint() const {
  // In space: in the level of the last point seen square on, as the screen shows it. The first goes to the world's
  // plane that is looked at squarely, else to the middle of what is there.
  for (auto m = overlay_->marks().rbegin(); m != overlay_->marks().rend(); ++m)
    if (m->kind == Mark::Kind::Point) return m->world;
  const bool empty = w_.drawing()->curves.empty() && w_.drawing()->bodies.empty();
  for (const auto& [name, frame] : recipe::worldPlanes())
    if (empty || std::abs(camera().direction.dot(frame.normal())) > 0.9999) return Vec3::Zero();
  return 0.5 * (w_.drawing()->low + w_.drawing()->high);
}

scene::Snap ViewWidget::placeFor(QPointF p, const std::string& field, const Vec3& through, Qt::KeyboardModifiers keys) {
  const auto ray = camera().ray(p.x(), p.y());
  const auto* entry = w_.recipe().find(w_.open());
  const recipe::Field* f = entry ? recipe::findField(w_.registry().schemaOf(entry->kind), field) : nullptr;
  const auto place = f ? w_.placeOf(*entry, *f) : std::nullopt;
  scene::SnapRequest r;
  r.x = p.x();
  r.y = p.y();
  r.step = w_.open();
  if (place) r.plane = place->frame;
  r.loose = onPlane(place ? place->frame : Frame::fromNormal(through, camera().direction), ray);
  const auto round = [&](const Vec3& at) { return Vec3(tidy(at.x()), tidy(at.y()), tidy(at.z())); };
  if (!place)
    r.loose = round(r.loose);
  else if (place->mmPerUnit == 1.0)
    r.loose = place->toWorld(round(place->fromWorld(r.loose)));
  if (keys & Qt::AltModifier) return {r.loose, ""};
  if (!place && (keys & Qt::ShiftModifier)) {
    // Along the axis that the pointer has moved most along, as seen.
    const Vec3 free = r.loose - through;
    int k = 0;
    free.cwiseAbs().maxCoeff(&k);
    return {through + Vec3::Unit(k) * alongAxis(through, Vec3::Unit(k), ray), ""};
  }
  return scene::snapAt(*w_.drawing(), camera(), r).value_or(scene::Snap{r.loose, ""});
}

void ViewWidget::dragMark(QPointF p, Qt::KeyboardModifiers keys) {
  const auto ray = camera().ray(p.x(), p.y());
  if (grabbed_.kind == Mark::Kind::Cut) {
    const auto start = camera().ray(pressed_.x(), pressed_.y());
    pulling_ = true;
    return emit cutMoved(tidy(grabbed_.value + alongAxis(grabbed_.world, grabbed_.direction, ray) -
                              alongAxis(grabbed_.world, grabbed_.direction, start)));
  }
  if (grabbed_.kind == Mark::Kind::Direction) {
    pulling_ = true;
    // As if a ball about the form's middle were held at the tip, on the side of it that was grabbed.
    const scene::Camera c = camera();
    Vec2 off = Vec2(p.x() - grabbed_.from.x(), grabbed_.from.y() - p.y()) / kArrowPixels;
    if (off.norm() > 1) off.normalize();
    const double deep =
        std::sqrt(std::max(0.0, 1 - off.squaredNorm())) * (grabbed_.direction.dot(c.direction) < 0 ? -1 : 1);
    return emit directionPulled(off.x() * c.direction.cross(c.up) + off.y() * c.up + deep * c.direction);
  }
  const auto* entry = w_.recipe().find(grabbed_.step);
  if (!entry) return;
  if (grabbed_.kind == Mark::Kind::Handle) {
    const auto start = camera().ray(pressed_.x(), pressed_.y());
    const double moved =
        alongAxis(grabbed_.world, grabbed_.direction, ray) - alongAxis(grabbed_.world, grabbed_.direction, start);
    const recipe::Field* f = recipe::findField(w_.registry().schemaOf(entry->kind), grabbed_.field);
    const double v = std::clamp(grabbed_.value + moved / grabbed_.mmPerUnit, f->low, f->high);
    w_.dragInput(grabbed_.step, grabbed_.field, tidy(v));
  } else if (grabbed_.kind == Mark::Kind::Point) {
    const auto place = placeFor(p, grabbed_.field, grabbed_.world, keys);
    overlay_->setSnap(place.what.empty() ? std::nullopt : std::optional(place.at));
    overlay_->setHover(said(place.what), p);
    w_.dragPoint(grabbed_.step, grabbed_.field, grabbed_.item, place.at, !place.what.empty());
  } else if (grabbed_.kind == Mark::Kind::Flag && grabbed_.startMovable) {
    dragFlag(p, *entry);
  } else if (grabbed_.kind == Mark::Kind::Grip) {
    dragGrip(p, *entry);
  }
}

namespace {

constexpr double kSnapPixels = 10;

/// The place of a curve that is nearest to the line of sight through a pixel, as a fraction of its length.
double fractionUnder(const nurbs::Path& path, const scene::Camera& c, QPointF p) {
  double best = 1e300, at = 0;
  for (int i = 0; i <= 720; ++i) {
    const double t = path.last() * i / 720.0;
    const Vec3 s = c.toScreen(path.at(t));
    const double dist = std::hypot(s.x() - p.x(), s.y() - p.y()) + 0.5 * s.z();
    if (dist < best) best = dist, at = t;
  }
  return nurbs::ArcLength(path).fractionAt(at);
}

/// Rows of a table with the place of one of them on its curve.
json withRailPlace(json rows, const std::string& id, double fraction) {
  const double at = std::round(fraction * 1e4) / 1e4;
  for (json& r : rows)
    if (r["id"] == id) return r["at"] = at, rows;
  rows.push_back({{"id", id}, {"at", at}});
  return rows;
}

} // namespace

/// A click near a rail of the field that has the focus: the first place of a new pair.
bool ViewWidget::addOnRail(QPointF p) {
  const scene::Camera c = camera();
  const recipe::Rail* best = nullptr;
  double nearest = kSnapPixels, fraction = 0;
  const auto rails = w_.rails();
  for (const recipe::Rail& r : rails) {
    const double f = fractionUnder(*r.curve, c, p);
    const Vec3 s = c.toScreen(r.curve->at(nurbs::ArcLength(*r.curve).parameterAtFraction(f)));
    if (const double d = std::hypot(s.x() - p.x(), s.y() - p.y()); d < nearest) nearest = d, fraction = f, best = &r;
  }
  if (!best) return false;
  const json rows = w_.recipe().find(w_.open())->inputs->value(best->field, json::array());
  int n = 1;
  const auto used = [&](const json& r) {
    return r.value("id", std::string()).rfind("p" + std::to_string(n) + ".", 0) == 0;
  };
  while (std::any_of(rows.begin(), rows.end(), used)) ++n;
  w_.setInput(w_.open(), best->field, withRailPlace(rows, "p" + std::to_string(n) + "." + best->item, fraction),
              tr("add a pair"));
  return true;
}

/// A flag moves along its curve: a start, or an end of a part, which then stays where another curve meets it.
void ViewWidget::dragFlag(QPointF p, const recipe::StepEntry& entry) {
  json list = entry.inputs->value(grabbed_.field, json::array());
  for (json& item : list) {
    if (item["id"] != grabbed_.item) continue;
    const auto picked = recipe::follow(item, Kind::Curve | Kind::Edge, *w_.model());
    if (!picked) return;
    const auto& path = *std::get<recipe::CurvePtr>(picked->object);
    const scene::Camera c = camera();
    double fraction = fractionUnder(path, c, p);
    overlay_->setSnap({});
    if (grabbed_.key != "start") {
      item.erase(grabbed_.key + "At");
      const nurbs::ArcLength length(path);
      double nearest = kSnapPixels;
      for (const auto& other : w_.drawing()->curves) {
        if ((other.step == picked->step && other.output == picked->output) ||
            w_.recipe().indexOf(other.step) >= w_.recipe().indexOf(entry.id))
          continue;
        for (double t : recipe::meetingPlaces(path, other.path, w_.recipe().tolerances)) {
          const Vec3 at = path.at(t), s = c.toScreen(at);
          const double d = std::hypot(s.x() - p.x(), s.y() - p.y());
          if (d >= nearest) continue;
          nearest = d, fraction = length.fractionAt(t);
          item[grabbed_.key + "At"] =
              json::array({{{"id", "m1"}, {"step", other.step}, {"kind", "curve"}, {"part", other.output}}});
          overlay_->setSnap(at);
          overlay_->setHover(tr("where %1 meets it").arg(QString::fromStdString(other.label)), p);
        }
      }
    }
    item[grabbed_.key] = std::round(fraction * 1e4) / 1e4;
  }
  w_.dragInput(grabbed_.step, grabbed_.field, list);
}

/// A grip moves in the plane of the screen, and snaps, or along its own direction; the move goes into its row.
void ViewWidget::dragGrip(QPointF p, const recipe::StepEntry& entry) {
  const scene::Camera c = camera();
  if (grabbed_.on)
    return w_.dragInput(
        grabbed_.step, grabbed_.field,
        withRailPlace(w_.beforeDrag(entry.id, grabbed_.field), grabbed_.item, fractionUnder(*grabbed_.on, c, p)));
  const auto start = c.ray(pressed_.x(), pressed_.y()), now = c.ray(p.x(), p.y());
  Vec3 to = grabbed_.world;
  overlay_->setSnap({});
  if (grabbed_.direction.isZero()) {
    const auto onScreen = [&](const std::pair<Vec3, Vec3>& r) {
      const double down = r.second.dot(c.direction);
      return Vec3(r.first + (grabbed_.world - r.first).dot(c.direction) / down * r.second);
    };
    to += onScreen(now) - onScreen(start);
    scene::SnapRequest request{p.x(), p.y(), to, {}, entry.id};
    if (const auto snap = scene::snapAt(*w_.drawing(), c, request); snap && !snap->what.empty()) {
      to = snap->at;
      overlay_->setSnap(to);
      overlay_->setHover(said(snap->what), p);
    }
  } else {
    to += (alongAxis(grabbed_.world, grabbed_.direction, now) - alongAxis(grabbed_.world, grabbed_.direction, start)) *
          grabbed_.direction;
  }
  const json before = w_.beforeDrag(entry.id, grabbed_.field);
  json list = before, *row = nullptr;
  for (json& r : list)
    if (r["id"] == grabbed_.item) row = &r;
  if (!row) {
    list.push_back({{"id", grabbed_.item}});
    row = &list.back();
  }
  const Vec3 by = to - grabbed_.world;
  const char* keys[3] = {"x", "y", "z"};
  for (int k = 0; k < 3; ++k) {
    const json old = row->value(keys[k], json(0.0));
    const auto value = old.is_number() ? Expected<Quantity>(millimetres(old.get<double>()))
                                       : recipe::evaluate(old.get<std::string>(), Dimension::Length, w_.names());
    (*row)[keys[k]] = std::round(((value ? value->value : 0.0) + by[k]) * 1e6) / 1e6;
  }
  w_.dragInput(grabbed_.step, grabbed_.field, list);
}

void ViewWidget::resetGrip(const Mark& m) {
  const auto* entry = w_.recipe().find(m.step);
  if (!entry) return;
  json list = json::array();
  for (const json& r : entry->inputs->value(m.field, json::array()))
    if (r["id"] != m.item) list.push_back(r);
  w_.setInput(m.step, m.field, list, tr("put a point back"));
}

void ViewWidget::editHandle(const Mark& m) {
  const auto* entry = w_.recipe().find(m.step);
  const recipe::Field* f = entry ? recipe::findField(w_.registry().schemaOf(entry->kind), m.field) : nullptr;
  if (!f) return;
  closeEditor();
  editor_ = new QuantityEditor(*f, w_);
  editor_->setParent(this);
  editor_->setObjectName("handle-editor");
  editor_->setValue(entry->inputs->contains(m.field) ? (*entry->inputs)[m.field] : json(m.value));
  editor_->setGeometry(int(m.at.x()) + 12, int(m.at.y()) - 15, 130, 30);
  editor_->show();
  auto* line = editor_->findChild<QLineEdit*>();
  line->setFocus();
  line->selectAll();
  connect(editor_, &FieldEditor::changed, this, [this, m, label = f->label](const json& v) {
    w_.setInput(m.step, m.field, v, tr("set %1").arg(QString::fromStdString(label).toLower()));
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

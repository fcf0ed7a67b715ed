// What the mouse does to marks of the view, and where places that are pointed at come to lie.
#include "app/view_widget.h"
#include "app/words.h"
#include "nurbs/arc_length.h"
#include "recipe/portion.h"
#include "recipe/rails.h"

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

double tidy(double v) { return std::round(v * 100) / 100; }

} // namespace

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
    const recipe::Field* f = fieldOf(w_, grabbed_);
    if (!f) return;
    const double v = std::clamp(grabbed_.value + moved / grabbed_.mmPerUnit, f->low, f->high);
    w_.dragInput(grabbed_.step, grabbed_.field, inputWith(w_, grabbed_, tidy(v)));
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
constexpr double kEdgeOn = 0.03; ///< of a line of sight: planes that are seen from the side more are not dragged in

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

} // namespace

/// A click near a rail of the field that has the focus: the first place of a new line.
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
  w_.setInput(w_.open(), best->field, recipe::withRailPlace(rows, recipe::newRailRow(rows, best->item), fraction),
              tr("add to %1").arg(said(w_.activeField()->label).toLower()));
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
              json::array({{{"id", "m1"}, {"step", other.step}, {"kind", "curve"}, {"part", other.part}}});
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
    return w_.dragInput(grabbed_.step, grabbed_.field,
                        recipe::withRailPlace(w_.beforeDrag(entry.id, grabbed_.field), grabbed_.item,
                                              fractionUnder(*grabbed_.on, c, p)));
  const auto start = c.ray(pressed_.x(), pressed_.y()), now = c.ray(p.x(), p.y());
  Vec3 to = grabbed_.world;
  double grid = 1e4; // per mm; what was snapped stays exactly there
  overlay_->setSnap({});
  if (!grabbed_.plane.isZero()) {
    const auto onPlane = [&](const std::pair<Vec3, Vec3>& r) {
      const double down = r.second.dot(grabbed_.plane);
      const double t = (grabbed_.world - r.first).dot(grabbed_.plane) / down;
      return std::abs(down) > kEdgeOn ? Vec3(r.first + t * r.second) : grabbed_.world;
    };
    to += onPlane(now) - onPlane(start);
  } else if (grabbed_.direction.isZero()) {
    const auto onScreen = [&](const std::pair<Vec3, Vec3>& r) {
      const double down = r.second.dot(c.direction);
      return Vec3(r.first + (grabbed_.world - r.first).dot(c.direction) / down * r.second);
    };
    to += onScreen(now) - onScreen(start);
    scene::SnapRequest request{p.x(), p.y(), to, {}, entry.id};
    if (const auto snap = scene::snapAt(*w_.drawing(), c, request); snap && !snap->what.empty()) {
      to = snap->at;
      grid = 1e7;
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
    (*row)[keys[k]] = std::round(((value ? value->value : 0.0) + by[k]) * grid) / grid;
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

} // namespace lumsk::app

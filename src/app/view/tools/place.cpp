// Points of the open step: clicked into the view, dragged there, snapped to what is near.
#include "app/theme.h"
#include "app/view/rays.h"
#include "app/view/tool.h"
#include "app/view/view_widget.h"
#include "app/words.h"
#include "scene/snap.h"

namespace lumsk::app::tools {

namespace {

void paintPoint(MarkPainter& mp, const Mark& m) {
  mp.painter.setPen(QPen(tones().text, 1.5));
  mp.painter.setBrush(Qt::white);
  mp.painter.drawEllipse(m.at, 5, 5);
}

constexpr MarkKind kPoint{"point", true, false, paintPoint};
constexpr double kFarthestMm = 1e7; ///< places beyond are not shown

class Place : public Tool {
public:
  using Tool::Tool;

  void offer(Offer& o) override {
    shown_.clear();
    const auto* entry = work().recipe().find(work().focus().open());
    if (!entry) return;
    const auto names = work().focus().names();
    for (const recipe::Field& f : work().registry().schemaOf(entry->kind)) {
      if (f.kind != recipe::FieldKind::Points) continue;
      const auto place = work().focus().placeOf(*entry, f);
      int number = 0;
      for (const auto& [id, at] : recipe::pointsOf(*entry, f.key, names)) {
        ++number;
        if (!at || at->norm() > kFarthestMm) continue;
        const Vec3 p = place ? place->toWorld({at->x(), at->y(), 0}) : *at;
        Mark m = markAt(kPoint, p, {entry->id, f.key, id}, shown_.size());
        m.text = QString::number(number);
        shown_.push_back(m);
        o.marks.push_back(m);
      }
    }
  }

  void hover(const Pointer& p, const Mark* mark, Hover& h) override {
    if (!pointing() || mark) return;
    const auto snap = placeFor(p.at, work().focus().open(), work().focus().field(), levelOfNew(), {});
    if (snap.what.empty()) return;
    h.label = said(snap.what);
    h.snap = snap.at;
  }

  bool click(const Pointer& p, const Mark* mark) override {
    if (mark) return mark->tool == this;
    if (!pointing() || p.button != Qt::LeftButton) return false;
    const auto place = placeFor(p.at, work().focus().open(), work().focus().field(), levelOfNew(), p.keys);
    view().holdStill(); // the next place is where the pointer is
    work().focus().addPoint({place.at, !place.what.empty()});
    return true;
  }

  bool grab(const Pointer& p, const Mark* mark) override {
    if (!isMine(p, mark)) return false;
    held_ = *mark;
    return true;
  }
  void drag(const Pointer& p) override {
    const auto place = placeFor(p.at, held_.step, held_.field, held_.world, p.keys);
    view().showSnap(place.what.empty() ? std::nullopt : std::optional(place.at));
    view().say(said(place.what), p.at);
    work().focus().dragPoint({held_.step, held_.field, held_.item}, {place.at, !place.what.empty()});
  }
  void letGo(const Pointer&) override { work().session().endDrag(ViewWidget::tr("move a point")); }

private:
  /// A click would put a point.
  bool pointing() const {
    const recipe::Field* f = work().focus().activeField();
    return f && f->kind == recipe::FieldKind::Points;
  }

  /// In space: in the level of the last point seen square on, as the screen shows it. The first goes to the world's
  /// plane that is looked at squarely, else to the middle of what is there.
  Vec3 levelOfNew() const {
    if (!shown_.empty()) return shown_.back().world;
    const scene::Scene& d = *work().scene();
    const bool empty = d.curves.empty() && d.bodies.empty();
    for (const auto& [name, frame] : recipe::worldPlanes())
      if (empty || std::abs(view().camera().direction.dot(frame.normal())) > 0.9999) return Vec3::Zero();
    return 0.5 * (d.low + d.high);
  }

  /// Where a point goes that the pointer puts or drags; `through` is a place in its level when nothing says more.
  scene::Snap placeFor(QPointF p, const std::string& step, const std::string& field, const Vec3& through,
                       Qt::KeyboardModifiers keys) const {
    const scene::Camera c = view().camera();
    const Ray ray = rayThrough(c, p);
    const auto* entry = work().recipe().find(step);
    const recipe::Field* f = entry ? recipe::findField(work().registry().schemaOf(entry->kind), field) : nullptr;
    const auto place = f ? work().focus().placeOf(*entry, *f) : std::nullopt;
    scene::SnapRequest r;
    r.x = p.x();
    r.y = p.y();
    r.step = step;
    if (place) r.plane = place->frame;
    r.loose = onPlane(place ? place->frame : Frame::fromNormal(through, c.direction), ray);
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
    return scene::snapAt(*work().scene(), c, r).value_or(scene::Snap{r.loose, ""});
  }

  std::vector<Mark> shown_;
  Mark held_{&kPoint, {}};
};

} // namespace

std::unique_ptr<Tool> place(ViewWidget& view) { return std::make_unique<Place>(view); }

} // namespace lumsk::app::tools

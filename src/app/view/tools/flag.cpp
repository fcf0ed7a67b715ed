// Flags of picked curves: their start and direction, and the ends of parts of them.
#include "app/theme.h"
#include "app/view/rays.h"
#include "app/view/tool.h"
#include "app/view/view_widget.h"
#include "nurbs/measure/arc_length.h"
#include "recipe/edit.h"
#include "recipe/portion.h"

namespace lumsk::app::tools {

using recipe::Kind;

namespace {

constexpr double kFlagPixels = 26;

void paintFlag(MarkPainter& mp, const Mark& m) {
  QPainter& p = mp.painter;
  const bool second = m.group == 2;
  const QColor ground = second ? QColor("#22262A") : tones().accent;
  p.setPen(QPen(ground, 1));
  p.drawLine(m.from, m.at); // where it is, when it made room
  p.setPen(QPen(ground, 2));
  p.drawLine(m.at, m.tip);
  const QPointF d = m.tip - m.at;
  if (const double l = std::hypot(d.x(), d.y()); l > 8) {
    const QPointF u = d / l, n(-u.y(), u.x());
    p.setBrush(ground);
    p.drawPolygon(QPolygonF{m.tip + u * 4, m.tip - u * 5 + n * 4, m.tip - u * 5 - n * 4});
  }
  p.setPen(QPen(Qt::white, 1.5));
  p.setBrush(ground);
  const double half = std::max(9.0, 0.5 * p.fontMetrics().horizontalAdvance(m.text) + 4);
  const QRectF disc(m.at.x() - half, m.at.y() - 9, 2 * half, 18);
  p.drawRoundedRect(disc, second ? 4 : 9, second ? 4 : 9);
  p.drawText(disc, Qt::AlignCenter, m.text);
}

constexpr MarkKind kFlag{"flag", true, true, paintFlag};

class Flag : public Tool {
public:
  using Tool::Tool;

  void offer(Offer& o) override {
    shown_.clear();
    const recipe::Outcome* outcome = openOutcome();
    if (!outcome) return;
    const scene::Camera c = view().camera();
    for (auto& f : outcome->marks.all<recipe::Flag>()) {
      const recipe::ItemRef ref{work().focus().open(), f.field, f.item, f.key};
      Mark m = markAt(kFlag, f.at, ref, shown_.size());
      m.from = m.at;
      m.tip = pixelOf(c, f.at + f.direction * (c.pixelSize(f.at) * kFlagPixels));
      m.text = f.mark.empty() ? QString::number(shown_.size() + 1) : QString::fromStdString(f.mark);
      m.group = f.group;
      o.marks.push_back(m);
      shown_.push_back({ref, std::move(f)});
    }
  }

  bool click(const Pointer& p, const Mark* mark) override {
    if (!isMine(p, mark)) return false;
    const auto& [ref, flag] = shown_[mark->index];
    const bool start = flag.key == "start";
    if (start || !flag.startMovable) 
      work().steps().turnItem({ref.step, ref.field, ref.item, start ? "" : flag.key}, flag.group);
    return true;
  }

  bool grab(const Pointer& p, const Mark* mark) override {
    if (!isMine(p, mark)) return false;
    held_ = shown_[mark->index];
    return true;
  }

  /// It moves along its curve: a start, or an end of a part, which then stays where another curve meets it.
  void drag(const Pointer& p) override {
    const auto* entry = work().recipe().find(held_.ref.step);
    if (!entry || !held_.flag.startMovable) return;
    const auto picked = recipe::pickedBy(held_.ref, Kind::Curve | Kind::Edge, *entry, *work().model());
    if (!picked) return;
    const auto& path = *std::get<recipe::CurvePtr>(picked->object);
    recipe::PlaceOnCurve to{fractionUnder(path, view().camera(), p.at), {}};
    view().showSnap({});
    if (held_.flag.key != "start") snapToMeeting(p, path, *picked, to);
    work().session().dragTo(recipe::withPlaceOnCurve(work().recipe(), held_.ref, to));
  }

  void letGo(const Pointer&) override {
    work().session().endDrag(held_.flag.key == "start" ? ViewWidget::tr("move a start") : ViewWidget::tr("move an end of a part"));
  }

private:
  struct Shown {
    recipe::ItemRef ref;
    recipe::Flag flag;
  };

  void snapToMeeting(const Pointer& p, const nurbs::Path& path, const recipe::Picked& picked,
                     recipe::PlaceOnCurve& to) {
    const scene::Camera c = view().camera();
    const nurbs::ArcLength length(path);
    const recipe::Recipe& r = work().recipe();
    double nearest = kSnapPixels;
    for (const auto& other : work().scene()->curves) {
      const bool itself = other.step == picked.step && other.output == picked.output;
      if (itself || r.indexOf(other.step) >= r.indexOf(held_.ref.step)) continue;
      for (double t : recipe::meetingPlaces(path, other.path, r.tolerances)) {
        const Vec3 at = path.at(t);
        const QPointF d = pixelOf(c, at) - p.at;
        if (std::hypot(d.x(), d.y()) >= nearest) continue;
        nearest = std::hypot(d.x(), d.y());
        to = {length.fractionAt(t), recipe::CurveRef{other.step, other.part}};
        view().showSnap(at);
        view().say(ViewWidget::tr("where %1 meets it").arg(QString::fromStdString(other.label)), p.at);
      }
    }
  }

  std::vector<Shown> shown_;
  Shown held_;
};

} // namespace

std::unique_ptr<Tool> flag(ViewWidget& view) { return std::make_unique<Flag>(view); }

} // namespace lumsk::app::tools

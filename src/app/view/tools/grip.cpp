// Grips: places of the open step that move in the view, freely or along a curve, a direction or a plane; and clicks on
// rails, which add one.
#include "app/theme.h"
#include "app/view/rays.h"
#include "app/view/tool.h"
#include "app/view/view_widget.h"
#include "app/words.h"
#include "nurbs/measure/arc_length.h"
#include "recipe/edit.h"
#include "scene/snap.h"

namespace lumsk::app::tools {

namespace {

constexpr double kEdgeOn = 0.03; ///< of a line of sight: planes that are seen from the side more are not dragged in

void paintGrip(MarkPainter& mp, const Mark& m) {
  mp.painter.setPen(QPen(m.strong ? Qt::white : tones().accent, 1.5));
  mp.painter.setBrush(m.strong ? tones().accent : QColor(Qt::white));
  mp.painter.drawRect(QRectF(m.at.x() - 4, m.at.y() - 4, 8, 8));
}

/// What is left out: a cross in place of the square.
void paintLeftOut(MarkPainter& mp, const Mark& m) {
  for (const QColor& c : {QColor(Qt::white), tones().text}) {
    mp.painter.setPen(QPen(c, c == Qt::white ? 4 : 1.8, Qt::SolidLine, Qt::RoundCap));
    for (int side : {-1, 1}) mp.painter.drawLine(m.at + QPointF(-4, -4 * side), m.at + QPointF(4, 4 * side));
  }
}

constexpr MarkKind kGrip{"grip", true, false, paintGrip}, kLeftOut{"left out", true, false, paintLeftOut};

class Grip : public Tool {
public:
  using Tool::Tool;

  void offer(Offer& o) override {
    shown_.clear();
    const recipe::Outcome* outcome = openOutcome();
    if (!outcome) return;
    for (auto& g : outcome->marks.all<recipe::Grip>()) {
      const recipe::ItemRef ref{work().focus().open(), g.field, g.item};
      o.marks.push_back(markAt(g.off ? kLeftOut : kGrip, g.at, ref, shown_.size()));
      o.marks.back().strong = g.moved;
      shown_.push_back({ref, std::move(g)});
    }
    for (auto& net : outcome->marks.all<recipe::NetLine>()) o.lines.push_back(std::move(net.line));
  }

  void hover(const Pointer&, const Mark* mark, Hover& h) override {
    if (!mark || mark->tool != this || shown_[mark->index].grip.turns.empty() || !h.label.isEmpty()) return;
    h.label = shown_[mark->index].grip.off ? ViewWidget::tr("left out: click to take it in") : ViewWidget::tr("click to leave it out, drag to move it");
  }

  bool click(const Pointer& p, const Mark* mark) override {
    if (mark && mark->tool == this && p.button == Qt::LeftButton && !shown_[mark->index].grip.turns.empty()) {
      const Shown& s = shown_[mark->index];
      recipe::ItemRef ref = s.ref;
      ref.key = s.grip.turns;
      work().session().edit(recipe::withSwitchTurned(work().recipe(), ref), s.grip.off ? ViewWidget::tr("take a copy in") : ViewWidget::tr("leave a copy out"));
      return true;
    }
    if (mark || p.button != Qt::LeftButton) return mark && mark->tool == this;
    const auto rails = work().focus().rails();
    if (!rails.empty()) addOnRail(rails, p.at);
    return !rails.empty();
  }

  bool grab(const Pointer& p, const Mark* mark) override {
    if (!isMine(p, mark)) return false;
    held_ = shown_[mark->index];
    before_ = work().session().recipePtr();
    return true;
  }

  void drag(const Pointer& p) override {
    const recipe::Grip& g = held_.grip;
    if (g.on)
      return work().session().dragTo(recipe::withRailPlace(*before_, held_.ref, fractionUnder(*g.on, view().camera(), p.at)));
    const Moved to = movedTo(p);
    work().session().dragTo(recipe::withMove(*before_, held_.ref, to.at - g.at, to.perMm, work().focus().names()));
  }

  void letGo(const Pointer&) override {
    before_ = nullptr;
    work().session().endDrag(ViewWidget::tr("move a control point"));
  }
  void cancel() override { before_ = nullptr; }

  /// Back to where it was before it was moved.
  bool doubleClick(const Pointer&, const Mark* mark) override {
    if (!mark || mark->tool != this) return false;
    work().session().edit(recipe::withoutItem(work().recipe(), shown_[mark->index].ref), ViewWidget::tr("put a point back"));
    return true;
  }

private:
  struct Shown {
    recipe::ItemRef ref;
    recipe::Grip grip;
  };
  struct Moved {
    Vec3 at;
    double perMm; ///< steps to which the move is rounded; what was snapped stays exactly there
  };

  Moved movedTo(const Pointer& p) {
    const recipe::Grip& g = held_.grip;
    const scene::Camera c = view().camera();
    const Ray start = rayThrough(c, p.pressed), now = rayThrough(c, p.at);
    view().showSnap({});
    if (!g.plane.isZero()) {
      if (std::abs(now.second.dot(g.plane)) < kEdgeOn || std::abs(start.second.dot(g.plane)) < kEdgeOn)
        return {g.at, 1e4};
      const Frame level = Frame::fromNormal(g.at, g.plane);
      return {g.at + onPlane(level, now) - onPlane(level, start), 1e4};
    }
    if (!g.along.isZero())
      return {g.at + (alongAxis(g.at, g.along, now) - alongAxis(g.at, g.along, start)) * g.along, 1e4};
    const Frame screen = Frame::fromNormal(g.at, c.direction);
    const Vec3 to = g.at + onPlane(screen, now) - onPlane(screen, start);
    const scene::SnapRequest request{p.at.x(), p.at.y(), to, {}, held_.ref.step};
    const auto snap = scene::snapAt(*work().scene(), c, request);
    if (!snap || snap->what.empty()) return {to, 1e4};
    view().showSnap(snap->at);
    view().say(said(snap->what), p.at);
    return {snap->at, 1e7};
  }

  /// A click near a rail of the field that has the focus: the first place of a new line.
  void addOnRail(const std::vector<recipe::Rail>& rails, QPointF p) {
    const scene::Camera c = view().camera();
    const recipe::Rail* best = nullptr;
    double nearest = kSnapPixels, fraction = 0;
    for (const recipe::Rail& r : rails) {
      const double f = fractionUnder(*r.curve, c, p);
      const QPointF d = pixelOf(c, r.curve->at(nurbs::ArcLength(*r.curve).parameterAtFraction(f))) - p;
      if (std::hypot(d.x(), d.y()) < nearest) nearest = std::hypot(d.x(), d.y()), fraction = f, best = &r;
    }
    if (!best) return;
    work().session().edit(recipe::withNewRailRow(work().recipe(), {work().focus().open(), best->field, best->item, ""}, fraction, work().registry()),
                ViewWidget::tr("add to %1").arg(said(work().focus().activeField()->label).toLower()));
  }

  std::vector<Shown> shown_;
  Shown held_;
  recipe::RecipePtr before_; ///< the drag: every move starts from what was there
};

} // namespace

std::unique_ptr<Tool> grip(ViewWidget& view) { return std::make_unique<Grip>(view); }

} // namespace lumsk::app::tools

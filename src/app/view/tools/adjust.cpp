// The open drawing as it is seen: its signs and numbers; things in it are picked and dragged.
#include "app/view/drawing_marks.h"
#include "app/view/drawing_tool.h"
#include "app/view/rays.h"
#include "app/view/view_widget.h"
#include "app/words.h"
#include "drawing/measure.h"
#include "drawing/relate.h"
#include "recipe/drawing_value.h"

#include <QKeyEvent>

namespace lumsk::app::tools {

using drawing::Drawing;
using drawing::Id;

namespace {

class Adjust : public DrawingTool {
public:
  explicit Adjust(ViewWidget& v) : DrawingTool(v) {
    QObject::connect(&work().board(), &DrawingBoard::opened, &v, [this] {
      closeEditor();
      view().say({}, {});
      view().showSnap({});
      turned_ = false;
      turnTo();
      view().fadeBut(board().open() ? std::optional(board().frame()) : std::nullopt);
    });
    QObject::connect(&work().board(), &DrawingBoard::changed, &v, [this] { view().remark(); });
  }

  void offer(Offer& o) override {
    if (!board().open()) return;
    turnTo();
    const Drawing d = board().shown();
    const DrawingMarks marks(board(), view().camera(), *this, hovered_);
    marks.strokes(d, o);
    marks.points(d, o);
    marks.relations(d, o);
    marks.combs(d, drag_ ? held_ : Id(), o);
  }

  void hover(const Pointer& p, const Mark* mark, Hover& h) override {
    if (!resting()) return;
    const Id under = mark ? mark->tool == this ? mark->item : Id() : entityAt(p.at);
    if (under != hovered_) {
      hovered_ = under;
      view().remark();
    }
    if (!under.empty()) h.label = nameOf(under);
  }
  void leave() override {
    if (hovered_.empty()) return;
    hovered_.clear();
    view().remark();
  }

  bool click(const Pointer& p, const Mark* mark) override {
    if (!resting() || p.button != Qt::LeftButton || (mark && mark->tool != this)) return false;
    const Id id = mark ? mark->item : entityAt(p.at);
    if (mark && mark->kind == &DrawingMarks::tightest()) return work().lookAt(mark->world), true;
    if (mark && mark->kind == &DrawingMarks::number() && !(p.keys & Qt::ControlModifier)) {
      board().pick(id, false);
      if (!board().selection().empty()) editNumber(id, mark->at);
      return true;
    }
    if (!id.empty())
      board().pick(id, p.keys & Qt::ControlModifier);
    else if (!(p.keys & Qt::ControlModifier))
      board().clearSelection();
    return true;
  }
  bool doubleClick(const Pointer& p, const Mark*) override { return resting() && !entityAt(p.at).empty(); }

  bool grab(const Pointer& p, const Mark* mark) override {
    if (!resting() || p.button != Qt::LeftButton || (p.keys & Qt::AltModifier) || (mark && mark->tool != this)) return false;
    const Id id = mark ? mark->item : entityAt(p.pressed);
    if (id.empty() || (mark && mark->kind == &DrawingMarks::tightest())) return false;
    if (const auto* r = board().drawing().relation(id)) {
      moved_ = drawing::isDimension(r->law) ? id : Id();
      return !moved_.empty();
    }
    const Vec2 at = inPlane(p.pressed);
    auto drag = board().drawing().point(id) ? drawing::Drag::begin(board().drawing(), {id, {}, at}) : drawing::Drag::begin(board().drawing(), {{}, id, at});
    if (!drag) return emit work().told(said(drag.error())), true;
    held_ = id;
    drag_ = std::make_unique<drawing::Drag>(std::move(*drag));
    return true;
  }

  void drag(const Pointer& p) override {
    if (!moved_.empty()) {
      Drawing next = board().drawing();
      drawing::Relation& r = *next.relation(moved_);
      r.place = Vec2::Zero();
      if (const auto at = drawing::placeOf(next, r, 1)) r.place = inPlane(p.at) - 0.5 * (at->from + at->to);
      return board().dragTo(next);
    }
    if (!drag_) return;
    snapped_ = {};
    Vec2 to = inPlane(p.at);
    if (board().drawing().point(held_)) {
      auto o = snapOptions(p.keys);
      o.but = held_;
      snapped_ = drawing::snapped(board().drawing(), to, o);
      if (snapped_.place.point.empty() || !(p.keys & Qt::AltModifier)) to = snapped_.place.at;
      view().say(said(snapped_.words), p.at);
    }
    board().dragTo(drag_->to(to));
    if (!drag_->reached()) view().say(ViewWidget::tr("no further: what holds does not let it"), p.at);
  }

  void letGo(const Pointer&) override {
    view().say({}, {});
    if (!std::exchange(moved_, {}).empty()) return board().endDrag(ViewWidget::tr("move a number"));
    if (!std::exchange(drag_, nullptr)) return;
    board().endDrag(ViewWidget::tr("drag in the drawing"));
    keepSnap();
  }
  void cancel() override {
    drag_.reset();
    moved_.clear();
  }

  bool keyPressed(const QKeyEvent& e) override {
    if (!board().open()) return false;
    switch (e.key()) {
    case Qt::Key_Escape:
      if (editing()) return closeEditor(), true;
      if (board().tool()) return board().take({}), true;
      if (!board().selection().empty()) return board().clearSelection(), true;
      // What was drawn is not dropped by one key too many.
      return !board().drawing().empty() && work().focus().done();
    case Qt::Key_Delete:
    case Qt::Key_Backspace:
      if (board().selection().empty()) return false;
      return board().removePicked(), true;
    default: return false;
    }
  }

private:
  /// Nothing is being drawn: things are picked and dragged.
  bool resting() const { return board().open() && !board().tool(); }

  /// Square to the plane when it is opened; once, so that it can be looked at from elsewhere.
  void turnTo() {
    if (turned_ || !board().open() || view().width() < 10) return;
    turned_ = true;
    std::vector<Vec3> places;
    for (const auto& e : board().drawing().entities)
      for (const auto& line : drawing::linesOf(board().drawing(), e, 12))
        for (const Vec2& p : line) places.push_back(board().toWorld(p));
    view().lookSquareTo(board().frame(), places);
    view().holdStill();
  }

  QString nameOf(const Id& id) const {
    const Drawing& d = board().drawing();
    if (const auto* r = d.relation(id)) return said(drawing::lawWords(r->law));
    if (const auto* e = d.entity(id)) return said(drawing::shapeName(e->shape)) + (e->construction ? ViewWidget::tr(", construction") : QString());
    return ViewWidget::tr("point");
  }

  /// A dragged point that was let go on something stays there.
  void keepSnap() {
    const drawing::Place place = std::exchange(snapped_, {}).place;
    const Id held = std::exchange(held_, {});
    const Drawing& d = board().drawing();
    if (!d.point(held)) return;
    drawing::Relation r;
    if (!place.point.empty())
      r.law = drawing::Law::Together, r.of = {place.point, held};
    else if (!place.middleOf.empty())
      r.law = drawing::Law::Middle, r.of = {held, place.middleOf};
    else if (!place.on.empty())
      r.law = drawing::Law::On, r.of = {held, place.on};
    else
      return;
    for (const Id& id : r.of)
      if (!d.point(id) && !d.entity(id)) return;
    if ((d.at(held) - place.at).norm() > 2 * pixel() || !drawing::isNew(d, r)) return;
    board().edit(drawing::withRelations(d, {r}), said(drawing::lawWords(r.law)));
  }

  void editNumber(const Id& id, QPointF at) {
    const auto* r = board().drawing().relation(id);
    if (!r || r->measured) return;
    auto* line = openEditor(at, QString::fromStdString(r->text.empty() ? recipe::dimensionText(r->law, r->value) : r->text), "number-editor");
    line->selectAll();
    line->taken = [this, id, line] {
      const QString text = line->text();
      closeEditor();
      board().clearSelection();
      board().setText(id, text);
    };
  }

  bool turned_ = true;
  Id held_, moved_, hovered_;
  drawing::Snapped snapped_;
  std::unique_ptr<drawing::Drag> drag_;
};

} // namespace

std::unique_ptr<Tool> adjust(ViewWidget& view) { return std::make_unique<Adjust>(view); }

} // namespace lumsk::app::tools

// The open drawing: what is drawn, picked and dragged in it, its signs and its numbers.
#include "app/preferences.h"
#include "app/theme.h"
#include "app/view/drawing_marks.h"
#include "app/view/rays.h"
#include "app/view/tool.h"
#include "app/view/view_widget.h"
#include "app/words.h"
#include "drawing/edits.h"
#include "drawing/measure.h"
#include "drawing/relate.h"
#include "recipe/drawing_value.h"
#include "scene/snap.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QPointer>

namespace lumsk::app::tools {

using drawing::Drawing;
using drawing::Id;

namespace {

constexpr double kReachPixels = 9;
constexpr int kSteps = 48; ///< of painted curves

/// A number over the view; its keys go nowhere else.
class NumberLine : public QLineEdit {
public:
  using QLineEdit::QLineEdit;
  std::function<void()> taken, left;

protected:
  void keyPressEvent(QKeyEvent* e) override {
    e->accept();
    if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) return taken();
    if (e->key() == Qt::Key_Escape) return left();
    QLineEdit::keyPressEvent(e);
    e->accept();
  }
};

class Draw : public Tool {
public:
  explicit Draw(ViewWidget& v) : Tool(v) {
    QObject::connect(&work().board(), &DrawingBoard::opened, &v, [this] {
      forget();
      view().say({}, {});
      view().showSnap({});
      turned_ = false;
      turnTo();
    });
    QObject::connect(&work().board(), &DrawingBoard::changed, &v, [this] {
      if (const std::string now = toolKey(); now != taken_) taken_ = now, forget();
      view().remark();
    });
  }
  ~Draw() override { delete editor_; }

  // What is seen

  void offer(Offer& o) override {
    if (!board().open()) return;
    turnTo();
    const Drawing d = board().shown();
    const DrawingMarks marks(board(), view().camera(), *this, hovered_);
    marks.strokes(d, o);
    marks.points(d, o);
    marks.relations(d, o);
    for (const auto& line : ghost_) o.strokes.push_back({onPlane(line), tones().accent, 1.4, true});
  }

  void hover(const Pointer& p, const Mark* mark, Hover& h) override {
    if (!board().open()) return;
    last_ = p.at;
    if (toolKey() == "link") {
      if (const auto hit = outside(p.at)) h.lit = scene::Highlight{hit->kind, hit->step, hit->part}, h.label = QString::fromStdString(hit->label);
      return;
    }
    if (board().tool()) {
      const auto snap = snapAt(p.at, p.keys);
      ghost(snap.place);
      h.label = words(snap);
      if (!snap.words.empty()) h.snap = board().toWorld(snap.place.at);
      return view().remark();
    }
    const Id under = mark ? mark->tool == this ? mark->item : Id() : entityAt(p.at);
    if (under != hovered_) {
      hovered_ = under;
      view().remark();
    }
    if (!under.empty()) h.label = nameOf(under);
  }
  void leave() override {
    if (hovered_.empty() && ghost_.empty()) return;
    hovered_.clear(), ghost_.clear();
    view().remark();
  }

  // Clicks

  bool click(const Pointer& p, const Mark* mark) override {
    if (!board().open() || p.button != Qt::LeftButton || (mark && mark->tool != this)) return false;
    if (board().tool()) return clickWithTool(p, mark), true;
    const Id id = mark ? mark->item : entityAt(p.at);
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

  bool doubleClick(const Pointer& p, const Mark*) override {
    if (!board().open()) return false;
    if (!places_.empty()) return finish(), true;
    return !entityAt(p.at).empty();
  }

  // Drags

  bool grab(const Pointer& p, const Mark* mark) override {
    if (!board().open() || p.button != Qt::LeftButton || (p.keys & Qt::AltModifier)) return false;
    if (board().tool()) {
      arcing_ = toolKey() == "line" && places_.size() == 1 && !lastEntity_.empty();
      return arcing_;
    }
    if (mark && mark->tool != this) return false;
    const Id id = mark ? mark->item : entityAt(p.pressed);
    if (id.empty()) return false;
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
    if (arcing_) {
      const auto snap = snapAt(p.at, p.keys);
      ghost_.clear();
      if (const auto arc = drawing::tangentArc(board().drawing(), lastEntity_, places_[0].point, snap.place, board().construction())) ghostOf(*arc);
      view().say(words(snap), p.at);
      return view().remark();
    }
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

  void letGo(const Pointer& p) override {
    view().say({}, {});
    if (std::exchange(arcing_, false)) return arcTo(snapAt(p.at, p.keys).place);
    if (!std::exchange(moved_, {}).empty()) return board().endDrag(ViewWidget::tr("move a number"));
    if (!std::exchange(drag_, nullptr)) return;
    board().endDrag(ViewWidget::tr("drag in the drawing"));
    keepSnap();
  }
  void cancel() override {
    drag_.reset();
    moved_.clear();
    arcing_ = false;
  }

  // Keys

  bool keyPressed(const QKeyEvent& e) override {
    if (!board().open()) return false;
    switch (e.key()) {
    case Qt::Key_Escape:
      if (editor_) return closeEditor(), true;
      if (!places_.empty()) return forget(), view().remark(), true;
      if (board().tool()) return board().take({}), true;
      if (!board().selection().empty()) return board().clearSelection(), true;
      // What was drawn is not dropped by one key too many.
      return !board().drawing().empty() && work().focus().done();
    case Qt::Key_Return:
    case Qt::Key_Enter:
      if (places_.empty()) return false;
      return finish(), true;
    case Qt::Key_Delete:
    case Qt::Key_Backspace:
      if (board().selection().empty()) return false;
      return board().removePicked(), true;
    default: break;
    }
    const QString text = e.text();
    const drawing::Sketch* sketch = drawing::sketchOf(toolKey());
    if (!places_.empty() && sketch && !sketch->numbers.empty() && !text.isEmpty() && (text[0].isDigit() || text[0] == '.' || text[0] == '='))
      return typeNumbers(*sketch, text == "=" ? QString() : text), true; // = for a name
    return false;
  }

private:
  DrawingBoard& board() const { return work().board(); }
  std::string toolKey() const { return board().open() && board().tool() ? board().tool()->key : std::string(); }

  /// Square to the plane when it is opened; once, so that it can be looked at from elsewhere.
  void turnTo() {
    if (turned_ || !board().open() || view().width() < 10) return;
    turned_ = true;
    std::vector<Vec3> places;
    for (const auto& e : board().drawing().entities)
      for (const Vec2& p : drawing::alongEntity(board().drawing(), e, 12)) places.push_back(board().toWorld(p));
    view().lookSquareTo(board().frame(), places);
    view().holdStill();
  }

  Vec2 inPlane(QPointF p) const {
    const Vec3 local = board().frame().local(app::onPlane(board().frame(), rayThrough(view().camera(), p)));
    return {local.x(), local.y()};
  }
  std::vector<Vec3> onPlane(const std::vector<Vec2>& line) const {
    std::vector<Vec3> out;
    for (const Vec2& p : line) out.push_back(board().toWorld(p));
    return out;
  }
  double pixel() const { return view().camera().pixelSize(board().frame().origin); }

  Id entityAt(QPointF p) const {
    const scene::Camera c = view().camera();
    Id best;
    double nearest = kReachPixels;
    for (const auto& e : board().drawing().entities) {
      QPointF last;
      bool first = true;
      for (const Vec2& q : drawing::alongEntity(board().drawing(), e, kSteps)) {
        const QPointF at = pixelOf(c, board().toWorld(q));
        if (!first)
          if (const double off = distanceTo(p, last, at); off < nearest) nearest = off, best = e.id;
        last = at, first = false;
      }
    }
    return best;
  }
  static double distanceTo(QPointF p, QPointF a, QPointF b) {
    const QPointF w = b - a;
    const double square = QPointF::dotProduct(w, w), t = square > 0 ? std::clamp(QPointF::dotProduct(p - a, w) / square, 0.0, 1.0) : 0;
    const QPointF off = p - (a + t * w);
    return std::hypot(off.x(), off.y());
  }

  /// The curve or edge of another step under a pixel.
  std::optional<scene::Hit> outside(QPointF p) const {
    for (const scene::Hit& h : scene::pickAt(*work().scene(), view().camera(), p.x(), p.y(), recipe::Kind::Curve | recipe::Kind::Edge))
      if (h.step != work().focus().open()) return h;
    return {};
  }

  QString nameOf(const Id& id) const {
    const Drawing& d = board().drawing();
    if (const auto* r = d.relation(id)) return said(drawing::lawWords(r->law));
    if (const auto* e = d.entity(id)) return said(drawing::shapeName(e->shape)) + (e->construction ? ViewWidget::tr(", construction") : QString());
    return ViewWidget::tr("point");
  }

  // Snapping

  drawing::SnapOptions snapOptions(Qt::KeyboardModifiers keys) const {
    drawing::SnapOptions o;
    o.reachMm = keys & Qt::AltModifier ? 0 : kReachPixels * pixel();
    if (!places_.empty()) o.from = places_.back().at, o.fromPoint = places_.back().point;
    // Round numbers of about three pixels.
    const double rough = 3 * pixel(), ten = std::pow(10, std::floor(std::log10(rough)));
    o.gridMm = keys & Qt::AltModifier ? 0.01 : rough / ten < 2 ? 2 * ten : rough / ten < 5 ? 5 * ten : 10 * ten;
    return o;
  }
  drawing::Snapped snapAt(QPointF p, Qt::KeyboardModifiers keys) const {
    const Vec2 at = inPlane(p);
    auto o = snapOptions(keys);
    if (!(keys & Qt::AltModifier)) {
      // What lies outside of the drawing: its place is taken as it is now.
      scene::SnapRequest r;
      r.x = p.x(), r.y = p.y();
      r.step = work().focus().open();
      r.plane = board().frame();
      r.planes = false;
      r.loose = board().toWorld(at);
      if (const auto s = scene::snapAt(*work().scene(), view().camera(), r); s && !s->what.empty()) {
        const Vec3 local = board().frame().local(s->at);
        o.outside.push_back({{local.x(), local.y()}, s->what});
      }
    }
    return drawing::snapped(board().drawing(), at, o);
  }
  QString words(const drawing::Snapped& s) const {
    QString out = said(s.words);
    const std::string key = toolKey();
    if (const auto* sketch = drawing::sketchOf(key)) {
      const size_t n = std::min(places_.size(), sketch->asks.size() - 1);
      out = (out.isEmpty() ? QString() : out + " - ") + said(sketch->asks[n]);
      if (!places_.empty() && (key == "line" || key == "circle")) {
        const double l = (s.place.at - places_.back().at).norm() * (key == "circle" ? 2 : 1);
        out += "  " + shownLength(l);
      }
    } else if (board().tool()) {
      out = board().tool()->hint;
    }
    return out;
  }

  // Drawing

  drawing::SketchOptions sketchOptions() const {
    drawing::SketchOptions o;
    o.sides = std::clamp(int(board().optionValue("sides").value_or(6)), 3, 200);
    o.degree = std::clamp(int(board().optionValue("degree").value_or(3)), 2, 7);
    o.construction = board().construction();
    return o;
  }

  void ghost(const drawing::Place& now) {
    ghost_.clear();
    const std::string key = toolKey();
    const drawing::Sketch* s = drawing::sketchOf(key);
    if (!s || places_.empty()) return;
    std::vector<drawing::Place> places = places_;
    places.push_back(now);
    if (int(places.size()) >= s->least) {
      if (const auto made = drawing::sketched(board().drawing(), key, places, sketchOptions())) ghostOf(*made);
    } else {
      std::vector<Vec2> line;
      for (const drawing::Place& p : places) line.push_back(p.at);
      ghost_.push_back(std::move(line));
    }
  }
  void ghostOf(const drawing::Sketched& made) {
    for (const Id& id : made.entities) ghost_.push_back(drawing::alongEntity(made.drawing, *made.drawing.entity(id), kSteps));
  }

  void clickWithTool(const Pointer& p, const Mark* mark) {
    if (!drawing::sketchOf(toolKey())) return change(p, mark);
    add(snapAt(p.at, p.keys).place);
  }

  /// One more place; with the last one something is drawn.
  void add(drawing::Place place) {
    const drawing::Sketch& s = *drawing::sketchOf(toolKey());
    const bool ends = !places_.empty() && !place.point.empty() && s.most > 100 && place.point == places_.back().point;
    if (ends) return finish();
    places_.push_back(place);
    if (int(places_.size()) == s.most) commit(std::exchange(typed_, {}));
    ghost_.clear();
    view().remark();
  }

  /// Draws what the places say, and says the typed numbers of it.
  void commit(const std::vector<QString>& numbers) {
    const std::string key = toolKey();
    const drawing::Sketch& s = *drawing::sketchOf(key);
    auto made = drawing::sketched(board().drawing(), key, std::exchange(places_, {}), sketchOptions());
    if (!made) return;
    std::vector<drawing::Relation> typed;
    for (size_t i = 0; i < numbers.size() && i < made->measures.size(); ++i) {
      if (numbers[i].isEmpty()) continue;
      auto relations = drawing::relationsFor(made->drawing, s.numbers[i], made->measures[i]);
      if (relations.empty()) relations = drawing::relationsFor(made->drawing, drawing::Law::Distance, made->measures[i]);
      for (auto& r : relations) {
        r.text = numbers[i].toStdString();
        if (const auto v = value(numbers[i], r.law)) r.value = *v, typed.push_back(r);
      }
    }
    settle(made->drawing);
    board().edit(typed.empty() ? made->drawing : drawing::withRelations(made->drawing, typed), ViewWidget::tr("draw: %1").arg(said(s.label).toLower()));
    if (key != "line" || made->entities.empty()) return;
    // The next line begins where this one ends.
    lastEntity_ = made->entities[0];
    const Drawing& now = board().drawing();
    const auto* e = now.entity(lastEntity_);
    if (!e) return;
    const Id end = e->points[1];
    if (end == chainStart_) return forget();
    if (chainStart_.empty()) chainStart_ = e->points[0];
    places_ = {{now.at(end), end}};
  }

  /// What was snapped to holds; what does not bring anything new is let go.
  static void settle(Drawing& d) {
    if (auto s = drawing::solved(d)) d = *s;
  }

  void arcTo(const drawing::Place& to) {
    auto made = drawing::tangentArc(board().drawing(), lastEntity_, places_[0].point, to, board().construction());
    ghost_.clear();
    if (!made) return;
    settle(made->drawing);
    board().edit(made->drawing, ViewWidget::tr("draw: arc"));
    lastEntity_ = made->entities[0];
    const Id end = board().drawing().entity(lastEntity_)->points[2];
    if (end == chainStart_) return forget(), view().remark();
    places_ = {{board().drawing().at(end), end}};
    view().remark();
  }

  void finish() {
    const drawing::Sketch* s = drawing::sketchOf(toolKey());
    if (s && int(places_.size()) >= s->least && s->most > 100) commit({});
    forget();
    view().remark();
  }

  void forget() {
    places_.clear(), ghost_.clear(), typed_.clear();
    lastEntity_.clear(), chainStart_.clear();
    closeEditor();
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
    if ((d.at(held) - place.at).norm() > 2 * pixel() || drawing::newsOf(d, r) < 1e-4) return;
    board().edit(drawing::withRelations(d, {r}), said(drawing::lawWords(r.law)));
  }

  // Changes

  void change(const Pointer& p, const Mark* mark) {
    const std::string key = toolKey();
    if (key == "link") {
      if (const auto hit = outside(p.at)) board().link(*hit);
      return;
    }
    const Drawing& d = board().drawing();
    const Vec2 at = inPlane(p.at);
    Id point = mark && d.point(mark->item) ? mark->item : Id();
    if (point.empty()) point = drawing::snapped(d, at, {kReachPixels * pixel()}).place.point;
    const Id entity = entityAt(p.at);
    Context cx;
    cx.tolerances = work().recipe().tolerances;
    const QString label = board().tool()->label.toLower();
    const auto option = [&](const char* name) -> std::optional<double> {
      const auto v = board().optionValue(name);
      if (!v) emit work().told(said(v.error()));
      return v ? std::optional(*v) : std::nullopt;
    };
    if (key == "offset" || key == "repeat_along") return board().pick(entity.empty() ? point : entity, true);
    if (key == "mirror" || key == "repeat_round") {
      // First what is meant, with Ctrl; then the line or the centre.
      if (board().selection().empty() || (p.keys & Qt::ControlModifier)) return board().pick(entity.empty() ? point : entity, true);
      if (key == "mirror") {
        if (!entity.empty()) board().take(drawing::mirroredIn(d, board().selection(), entity), label);
      } else if (!point.empty()) {
        const auto n = option("count"), turn = option("turn");
        if (n && turn) board().take(drawing::repeatedRound(d, board().selection(), point, radFromDeg(*turn), board().option("turn").toStdString(), std::clamp(int(*n), 2, 400)), label);
      }
      return;
    }
    if (key == "round" || key == "cut_corner") {
      const auto size = option(key == "round" ? "radius" : "distance");
      if (!size || point.empty()) return;
      const std::string text = board().option(key == "round" ? "radius" : "distance").toStdString();
      return board().take(key == "round" ? drawing::rounded(d, point, *size, text) : drawing::cornerCut(d, point, *size, text), label);
    }
    if (entity.empty()) return;
    if (key == "trim") board().take(drawing::trimmed(d, entity, at, cx), label);
    if (key == "split") board().take(drawing::split(d, entity, at, cx), label);
    if (key == "lengthen") board().take(drawing::lengthened(d, entity, at, cx), label);
    if (key == "as_spline") board().take(drawing::asSpline(d, entity, cx), label);
    if (key == "more_points") board().take(drawing::withControlPoint(d, entity, at, cx), label);
    if (key == "degree")
      if (const auto n = option("degree")) board().take(drawing::withDegree(d, entity, int(*n), cx), label);
  }

  // Numbers

  std::optional<double> value(const QString& text, drawing::Law law) const {
    const auto q = recipe::evaluate(text.toStdString(), drawing::dimensionOf(law), work().focus().names());
    if (!q) {
      emit work().told(said(q.error()));
      return {};
    }
    return drawing::dimensionOf(law) == Dimension::Angle ? radFromDeg(q->value) : q->value;
  }

  NumberLine* openEditor(QPointF at, const QString& text, const char* name) {
    closeEditor();
    editor_ = new NumberLine(text, &view());
    editor_->left = [this] { closeEditor(); };
    editor_->setObjectName(name);
    editor_->setAccessibleName(ViewWidget::tr("number"));
    editor_->setGeometry(int(std::clamp(at.x() + 12, 4.0, view().width() - 140.0)), int(std::clamp(at.y() - 15, 4.0, view().height() - 34.0)), 130, 30);
    editor_->show();
    editor_->setFocus();
    return editor_;
  }
  void closeEditor() {
    if (!editor_) return;
    editor_->hide();
    editor_->deleteLater();
    editor_ = nullptr;
    view().setFocus();
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

  /// Numbers for what is under way; Enter takes them, a semicolon parts several.
  void typeNumbers(const drawing::Sketch& s, const QString& first) {
    auto* line = openEditor(last_, first, "sketch-number");
    QStringList what;
    for (const drawing::Law l : s.numbers) what << said(drawing::lawWords(l));
    line->setToolTip(what.join("; "));
    line->taken = [this, line] {
      const QStringList texts = line->text().split(';');
      closeEditor();
      takeNumbers({texts.begin(), texts.end()});
    };
  }
  void takeNumbers(const std::vector<QString>& texts) {
    const drawing::Sketch* s = drawing::sketchOf(toolKey());
    if (!s || places_.empty()) return;
    typed_.resize(places_.size() - 1); // of the clicks before
    typed_.insert(typed_.end(), texts.begin(), texts.end());
    std::vector<std::optional<double>> numbers;
    for (size_t i = 0; i < typed_.size() && i < s->numbers.size(); ++i) numbers.push_back(typed_[i].trimmed().isEmpty() ? std::nullopt : value(typed_[i], s->numbers[i]));
    for (const auto& n : numbers)
      if (n && !(*n > 0)) return emit work().told(ViewWidget::tr("take more than nought"));
    auto snap = snapAt(last_, {});
    const Vec2 at = drawing::byNumbers(s->key, places_, snap.place.at, numbers);
    if ((at - snap.place.at).norm() > 1e-9) snap.place = keptDirections(snap.place, at);
    places_.push_back(snap.place);
    if (int(places_.size()) == s->most) commit(std::exchange(typed_, {}));
    view().remark();
  }
  /// A place that a number moved is level or upright with what it began from, and else by itself.
  drawing::Place keptDirections(const drawing::Place& from, const Vec2& at) const {
    drawing::Place out{at};
    const Id start = places_.back().point.empty() ? drawing::kBeginning : places_.back().point;
    if (from.levelWith == start) out.levelWith = start;
    if (from.uprightWith == start) out.uprightWith = start;
    return out;
  }

  bool turned_ = true, arcing_ = false;
  std::string taken_;
  std::vector<drawing::Place> places_; ///< clicked so far
  std::vector<QString> typed_;
  Id lastEntity_, chainStart_, held_, moved_, hovered_;
  drawing::Snapped snapped_;
  std::vector<std::vector<Vec2>> ghost_;
  std::unique_ptr<drawing::Drag> drag_;
  QPointF last_;
  QPointer<NumberLine> editor_;
};

} // namespace

std::unique_ptr<Tool> draw(ViewWidget& view) { return std::make_unique<Draw>(view); }

} // namespace lumsk::app::tools

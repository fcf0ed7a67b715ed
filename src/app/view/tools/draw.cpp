// What is drawn and changed by clicks in the open drawing, with the tool that is taken.
#include "app/preferences.h"
#include "app/theme.h"
#include "app/view/drawing_marks.h"
#include "app/view/drawing_tool.h"
#include "app/view/view_widget.h"
#include "app/words.h"
#include "drawing/edits.h"
#include "drawing/measure.h"
#include "drawing/relate.h"
#include "recipe/drawing_value.h"
#include "scene/snap.h"

#include <QKeyEvent>

namespace lumsk::app::tools {

using drawing::Drawing;
using drawing::Id;

namespace {

constexpr recipe::Kind kLinked = recipe::Kind::Point | recipe::Kind::Curve | recipe::Kind::Edge | recipe::Kind::Skin | recipe::Kind::Solid;

class Draw : public DrawingTool {
public:
  explicit Draw(ViewWidget& v) : DrawingTool(v) {
    QObject::connect(&work().board(), &DrawingBoard::opened, &v, [this] { forget(); });
    QObject::connect(&work().board(), &DrawingBoard::changed, &v, [this] {
      if (const std::string now = toolKey(); now != taken_) taken_ = now, forget();
    });
  }

  void offer(Offer& o) override {
    if (!board().open()) return;
    for (const auto& line : ghost_) o.strokes.push_back({onPlane(line), tones().accent, 1.4, true});
  }

  void hover(const Pointer& p, const Mark*, Hover& h) override {
    if (toolKey().empty()) return;
    last_ = p.at;
    if (toolKey() == "link") {
      if (const auto hit = outside(p.at, kLinked)) h.lit = scene::Highlight{hit->kind, hit->step, hit->part}, h.label = QString::fromStdString(hit->label);
      return;
    }
    const auto snap = snapAt(p.at, p.keys);
    ghost(snap.place);
    h.label = words(snap);
    if (!snap.words.empty()) h.snap = board().toWorld(snap.place.at);
    view().remark();
  }
  void leave() override {
    if (ghost_.empty()) return;
    ghost_.clear();
    view().remark();
  }

  bool click(const Pointer& p, const Mark* mark) override {
    if (toolKey().empty() || p.button != Qt::LeftButton || (mark && !DrawingMarks::isOne(*mark))) return false;
    if (drawing::sketchOf(toolKey()))
      add(linkedAt(p).place);
    else
      change(p, mark);
    return true;
  }
  bool doubleClick(const Pointer&, const Mark*) override { return !places_.empty() && (finish(), true); }

  /// Pressed and pulled, a chain goes on with an arc.
  bool grab(const Pointer& p, const Mark*) override {
    return toolKey() == "line" && p.button == Qt::LeftButton && !(p.keys & Qt::AltModifier) && places_.size() == 1 && !lastEntity_.empty();
  }
  void drag(const Pointer& p) override {
    const auto snap = snapAt(p.at, p.keys);
    ghost_.clear();
    if (const auto arc = drawing::tangentArc(board().drawing(), lastEntity_, places_[0].point, snap.place, board().construction())) ghostOf(*arc);
    view().say(words(snap), p.at);
    view().remark();
  }
  void letGo(const Pointer& p) override {
    view().say({}, {});
    if (places_.size() == 1) arcTo(snapAt(p.at, p.keys).place);
  }

  bool keyPressed(const QKeyEvent& e) override {
    if (toolKey().empty() || places_.empty()) return false;
    if (e.key() == Qt::Key_Escape) return forget(), view().remark(), true;
    if (e.key() == Qt::Key_Return || e.key() == Qt::Key_Enter) return finish(), true;
    const QString text = e.text();
    const drawing::Sketch* sketch = drawing::sketchOf(toolKey());
    if (!sketch || sketch->numbers.empty() || text.isEmpty() || !(text[0].isDigit() || text[0] == '.' || text[0] == '=')) return false;
    return typeNumbers(*sketch, text == "=" ? QString() : text), true; // = for a name
  }

private:
  /// What a click takes: something outside that it snaps to is linked with it.
  drawing::Snapped linkedAt(const Pointer& p) {
    const auto snap = snapAt(p.at, p.keys);
    if (!outside_.count(snap.words) || !snap.place.point.empty()) return snap;
    const auto hit = outside(p.at, recipe::Kind::Point | recipe::Kind::Curve | recipe::Kind::Edge);
    if (!hit || hit->step == "world") return snap;
    const bool chain = !places_.empty();
    board().link(*hit);
    // A chain under way goes on from the point that it had.
    if (chain && places_.empty()) return snap;
    return snapAt(p.at, p.keys);
  }
  drawing::Snapped snapAt(QPointF p, Qt::KeyboardModifiers keys) {
    const Vec2 at = inPlane(p);
    auto o = snapOptions(keys);
    outside_.clear();
    if (!places_.empty()) o.from = places_.back().at, o.fromPoint = places_.back().point;
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
        const auto& ghosts = work().scene()->ghosts; // nothing can be linked to them
        const auto ofGhost = [&](const auto& g) { return s->what == "corner of " + g.label || s->what == "edge of " + g.label; };
        if (std::none_of(ghosts.begin(), ghosts.end(), ofGhost)) outside_.insert(s->what);
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
    o.text = board().option("text").toStdString();
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
    for (const Id& id : made.entities)
      for (auto& line : drawing::linesOf(made.drawing, *made.drawing.entity(id), kSteps)) ghost_.push_back(std::move(line));
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
    made->drawing = drawing::settled(std::move(made->drawing));
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

  void arcTo(const drawing::Place& to) {
    auto made = drawing::tangentArc(board().drawing(), lastEntity_, places_[0].point, to, board().construction());
    ghost_.clear();
    if (!made) return;
    made->drawing = drawing::settled(std::move(made->drawing));
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

  // Changes

  void change(const Pointer& p, const Mark* mark) {
    const std::string key = toolKey();
    if (key == "link") {
      if (const auto hit = outside(p.at, kLinked)) board().link(*hit);
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
    const bool mirror = key == "mirror" || key == "mirror_smooth";
    if (mirror || key == "repeat_round") {
      // First what is meant, with Ctrl; then the line or the centre.
      if (board().selection().empty() || (p.keys & Qt::ControlModifier)) return board().pick(entity.empty() ? point : entity, true);
      if (mirror) {
        if (!entity.empty()) board().take(drawing::mirroredIn(d, board().selection(), entity, key == "mirror_smooth"), label);
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
    const auto v = recipe::dimensionValue(law, text.toStdString(), work().focus().names());
    if (!v) emit work().told(said(v.error()));
    return v ? std::optional(*v) : std::nullopt;
  }

  /// Numbers for what is under way; Enter takes them, a semicolon parts several.
  void typeNumbers(const drawing::Sketch& s, const QString& first) {
    auto* line = openEditor(last_, first, "sketch-number");
    QStringList what;
    for (const drawing::Law l : s.numbers) what << said(drawing::lawWords(l));
    line->setToolTip(what.join("; "));
    line->parts = int(s.numbers.size());
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
    for (size_t i = 0; i < numbers.size(); ++i)
      if (numbers[i] && !(*numbers[i] > 0) && drawing::dimensionOf(s->numbers[i]) == Dimension::Length) return emit work().told(ViewWidget::tr("take more than nought"));
    auto snap = snapAt(last_, {});
    const Vec2 at = drawing::byNumbers(s->key, places_, snap.place.at, numbers);
    const bool turned = numbers.size() > 1 && numbers[1] && drawing::dimensionOf(s->numbers[1]) == Dimension::Angle;
    if (turned)
      snap.place = {at};
    else if ((at - snap.place.at).norm() > 1e-9)
      snap.place = keptDirections(snap.place, at);
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

  std::string taken_;
  std::vector<drawing::Place> places_; ///< clicked so far
  std::vector<QString> typed_;
  Id lastEntity_, chainStart_;
  std::vector<std::vector<Vec2>> ghost_;
  QPointF last_;
  std::set<std::string> outside_; ///< names of what was met outside last
};

} // namespace

std::unique_ptr<Tool> draw(ViewWidget& view) { return std::make_unique<Draw>(view); }

} // namespace lumsk::app::tools

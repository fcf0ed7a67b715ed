#include "app/drawing_board.h"

#include "app/words.h"
#include "drawing/edits.h"
#include "drawing/files.h"
#include "drawing/pieces.h"
#include "drawing/relate.h"
#include "exchange/files.h"
#include "recipe/drawing_value.h"

#include <QFile>
#include <QFileInfo>
#include <algorithm>

namespace lumsk::app {

using drawing::Drawing;
using drawing::Id;

namespace {

constexpr int kSwaySteps = 28, kSwayMs = 35; ///< of showing a way to move

struct OptionKind {
  const char *key, *label, *usual;
  Dimension dimension;
};
constexpr OptionKind kOptions[] = {{"sides", "sides", "6", Dimension::Count},
                                   {"degree", "degree", "3", Dimension::Count},
                                   {"radius", "radius", "3", Dimension::Length},
                                   {"distance", "distance", "3", Dimension::Length},
                                   {"count", "how many", "3", Dimension::Count},
                                   {"right", "to the right", "20", Dimension::Length},
                                   {"up", "upwards", "0", Dimension::Length},
                                   {"turn", "turn", "60", Dimension::Angle},
                                   {"text", "letters", "Lumsk", Dimension::Count}};
const OptionKind& optionKind(const std::string& key) {
  return *std::find_if(std::begin(kOptions), std::end(kOptions), [&](const OptionKind& o) { return key == o.key; });
}

} // namespace

DrawingBoard::DrawingBoard(Session& session, Results& results, Focus& focus) : session_(session), results_(results), focus_(focus) {
  for (const OptionKind& o : kOptions) options_[o.key] = o.usual;
  sway_.setInterval(kSwayMs);
  connect(&sway_, &QTimer::timeout, this, [this] {
    if (!open() || ++swayStep_ > kSwaySteps) swayStep_ = 0, sway_.stop();
    emit changed();
  });
  connect(&session_, &Session::valueChanged, this, &DrawingBoard::sync);
  connect(&session_, &Session::returned, this, &DrawingBoard::sync);
  connect(&focus_, &Focus::focusChanged, this, &DrawingBoard::sync);
  connect(&results_, &Results::modelChanged, this, &DrawingBoard::sync);
}

const std::vector<BoardTool>& DrawingBoard::tools() {
  static const std::vector<BoardTool> all = [] {
    std::vector<BoardTool> out;
    for (const drawing::Sketch& s : drawing::sketches()) {
      BoardTool t{s.key, said(s.label), said(s.asks.front()), {}, tr("draw")};
      if (t.key == "polygon") t.options = {"sides"};
      if (t.key == "spline" || t.key == "spline_control") t.options = {"degree"};
      if (t.key == "text") t.options = {"text"};
      out.push_back(std::move(t));
    }
    out.push_back({"link", tr("Link"), tr("click a curve, edge or point outside, or a body for its section: it is drawn here and followed"), {}, tr("bring in")});
    const QString change = tr("change");
    out.push_back({"trim", tr("Trim"), tr("click the piece that goes"), {}, change});
    out.push_back({"split", tr("Split"), tr("click where it is cut in two"), {}, change});
    out.push_back({"lengthen", tr("Lengthen"), tr("click near the end that goes on"), {}, change});
    out.push_back({"round", tr("Round corner"), tr("click a corner of lines or arcs"), {"radius"}, change});
    out.push_back({"cut_corner", tr("Cut corner"), tr("click a corner of two lines"), {"distance"}, change});
    out.push_back({"offset", tr("Offset"), tr("pick lines of a chain, then apply"), {"distance"}, change});
    out.push_back({"mirror", tr("Mirror"), tr("pick what is mirrored first, then click the line"), {}, change});
    out.push_back({"mirror_smooth", tr("Mirror smooth"), tr("pick curves first, then click the line: equal curvature across it"), {}, change});
    out.push_back({"repeat_along", tr("Repeat along"), tr("pick what is repeated, then apply"), {"count", "right", "up"}, change});
    out.push_back({"repeat_round", tr("Repeat round"), tr("pick what is repeated first, then click the centre"), {"count", "turn"}, change});
    out.push_back({"as_spline", tr("Make it a spline"), tr("click a line, arc or spline"), {}, change});
    out.push_back({"degree", tr("Change degree"), tr("click a spline"), {"degree"}, change});
    out.push_back({"more_points", tr("Put in a point"), tr("click a spline where it should get one"), {}, change});
    return out;
  }();
  return all;
}

const BoardTool* DrawingBoard::tool() const {
  const auto it = std::find_if(tools().begin(), tools().end(), [&](const BoardTool& t) { return t.key == tool_; });
  return it == tools().end() ? nullptr : &*it;
}

void DrawingBoard::take(const std::string& key) {
  tool_ = tool_ == key ? std::string() : key;
  const bool sketch = drawing::sketchOf(tool_) != nullptr;
  if (sketch) selection_.clear();
  emit changed();
}

QString DrawingBoard::optionLabel(const std::string& key) { return said(optionKind(key).label); }
void DrawingBoard::setOption(const std::string& key, const QString& text) { options_[key] = text; }
Expected<double> DrawingBoard::optionValue(const std::string& key) const {
  auto q = recipe::evaluate(options_.at(key).toStdString(), optionKind(key).dimension, names());
  if (!q) return fail(q.error());
  return q->value;
}
void DrawingBoard::setConstruction(bool on) {
  construction_ = on;
  emit changed();
}
void DrawingBoard::showSigns(bool on) {
  signs_ = on;
  emit changed();
}

/// Reads the value where it is another one.
void DrawingBoard::sync() {
  const recipe::Field* f = focus_.activeField();
  const auto* entry = session_.recipe().find(focus_.open());
  const bool wanted = entry && f && f->kind == recipe::FieldKind::Drawing;
  const auto place = wanted ? focus_.placeOf(*entry, *f) : std::nullopt;
  const bool was = open();
  const std::string before = step_;
  if (!place) {
    drawing_.reset(), read_.reset(), step_.clear();
    selection_.clear(), tool_.clear();
    if (was) emit opened(), emit changed();
    return;
  }
  frame_ = place->frame;
  step_ = entry->id;
  if (read_ != session_.recipePtr() || before != step_) {
    read_ = session_.recipePtr();
    auto d = recipe::drawingAt(session_.recipe(), ref(), names());
    if (d && !f->linksField.empty())
      if (auto linked = recipe::linkedDrawing(*d, *entry, session_.registry().schemaOf(entry->kind), f->linksField, frame_, *results_.model(), things_)) d = std::move(*linked);
    // As it is with the numbers that hold now; edits go on from there.
    if (d && !session_.dragging()) *d = drawing::settled(std::move(*d));
    problem_ = d ? std::nullopt : std::optional(d.error());
    if (d || !drawing_ || before != step_) drawing_ = std::make_shared<const Drawing>(d ? *d : Drawing());
    selection_.erase(std::remove_if(selection_.begin(), selection_.end(), [&](const Id& id) { return !drawing_->point(id) && !drawing_->entity(id) && !drawing_->relation(id); }), selection_.end());
  }
  if (!was || before != step_) {
    selection_.clear();
    tool_ = drawing_->empty() ? "line" : "";
    emit opened();
  }
  emit changed();
}

const drawing::Freedom& DrawingBoard::freedom() const {
  if (freedomOf_ != drawing_ && !session_.dragging()) {
    freedomOf_ = drawing_;
    freedom_ = drawing::freedomOf(*drawing_).value_or(drawing::Freedom{});
  }
  return freedom_;
}

std::set<Id> DrawingBoard::contradicting() const {
  std::set<Id> out;
  const auto* r = results_.model()->result(step_);
  if (!r || !r->problem || r->problem->code != "LM-U005") return out;
  for (const Remedy& offer : r->problem->remedies) out.insert(offer.value);
  return out;
}

void DrawingBoard::pick(const Id& id, bool more) {
  const auto known = std::find(selection_.begin(), selection_.end(), id);
  const bool had = known != selection_.end();
  if (!more) {
    const bool alone = had && selection_.size() == 1;
    selection_.clear();
    if (!alone) selection_.push_back(id);
  } else if (had) {
    selection_.erase(known);
  } else {
    selection_.push_back(id);
  }
  emit changed();
}

void DrawingBoard::pickAll(std::vector<Id> ids) {
  selection_ = std::move(ids);
  emit changed();
}

void DrawingBoard::edit(const Drawing& next, const QString& words) {
  session_.edit(recipe::withDrawing(session_.recipe(), ref(), next), words);
}

void DrawingBoard::take(Expected<Drawing> made, const QString& words) {
  if (!made) return emit told(said(made.error()));
  edit(*made, words);
}

void DrawingBoard::say(drawing::Law law) {
  auto relations = drawing::relationsFor(*drawing_, law, selection_);
  if (relations.empty()) return;
  for (drawing::Relation& r : relations) {
    if (!drawing::isDimension(law)) continue;
    r.text = recipe::dimensionText(law, r.value);
    r.value = recipe::dimensionValue(law, r.text, {}).value_or(r.value);
    // What follows from the rest already only tells.
    r.measured = !drawing::isNew(*drawing_, r);
    if (r.measured) emit told(tr("it follows from the rest: it measures only"));
  }
  edit(drawing::withRelations(*drawing_, relations), said(drawing::lawWords(law)));
  if (drawing::isDimension(law)) pickAll({drawing_->relations.back().id});
}

void DrawingBoard::link(const scene::Hit& hit) {
  const recipe::Field* f = focus_.activeField();
  const recipe::StepEntry& entry = *session_.recipe().find(step_);
  const recipe::Field* links = recipe::findField(session_.registry().schemaOf(entry.kind), f->linksField);
  if (!links) return;
  const auto many = [&](const recipe::StepEntry& s) { return s.inputs->value(links->key, nlohmann::json::array()).size(); };
  auto next = recipe::withPick(entry, *links, hit, {}, *results_.model());
  if (many(*next) <= many(entry)) return;
  const auto drawn = [&] { return recipe::linkedDrawing(*drawing_, *next, session_.registry().schemaOf(entry.kind), links->key, frame_, *results_.model(), things_); };
  auto d = drawn();
  if (!d && d.error().code == "LM-U033") { // it is not cut: as it is seen
    auto list = (*next->inputs)[links->key];
    list.back()["as"] = "outline";
    next = recipe::withInput(*next, links->key, list);
    d = drawn();
  }
  if (!d) return emit told(said(d.error()));
  session_.edit(recipe::withDrawing(session_.recipe().withStep(next), ref(), *d), tr("link to something outside"));
  if (hit.kind != recipe::Kind::Edge) return;
  if (const std::string below = recipe::curveBelow(hit, *results_.model()); !below.empty())
    emit told(tr("this edge lies on %1: link that curve instead, it lasts when the body is changed").arg(QString::fromStdString(below)));
}

bool DrawingBoard::reads(const QString& path) { return path.endsWith(".dxf", Qt::CaseInsensitive) || path.endsWith(".svg", Qt::CaseInsensitive); }

void DrawingBoard::bringIn(const QString& path) {
  QFile file(path);
  if (!file.open(QIODevice::ReadOnly)) return emit told(tr("%1 cannot be read").arg(QFileInfo(path).fileName()));
  const std::string bytes = file.readAll().toStdString();
  auto curves = path.endsWith(".svg", Qt::CaseInsensitive) ? drawing::fromSvg(bytes) : drawing::fromDxf(bytes);
  if (!curves) return emit told(said(curves.error()));
  Context cx;
  cx.tolerances = session_.recipe().tolerances;
  take(drawing::withSegments(*drawing_, curves->segments, cx), tr("bring in a file"));
  QStringList notes;
  for (const Problem& note : curves->notes) notes << said(note);
  if (!notes.isEmpty()) emit told(notes.join("; "));
}

void DrawingBoard::writeOut(const QString& path) {
  Context cx;
  cx.tolerances = session_.recipe().tolerances;
  const auto chains = drawing::chainsOf(*drawing_, cx);
  if (!chains) return emit told(said(chains.error()));
  const double fit = cx.tolerances.fit.mm;
  const std::string text = path.endsWith(".svg", Qt::CaseInsensitive) ? drawing::toSvg(drawing::layered(*chains), fit) : drawing::toDxf(drawing::layered(*chains), fit);
  const auto done = exchange::replaceFile(path.toStdString(), text);
  emit told(done ? tr("%1 written").arg(QFileInfo(path).fileName()) : said(done.error()));
}

void DrawingBoard::setText(const Id& dimension, const QString& text) {
  take(recipe::withText(*drawing_, dimension, text.toStdString(), names()), tr("set a dimension"));
}

void DrawingBoard::write(const Id& entity, const QString& text) {
  Drawing next = *drawing_;
  auto* e = next.entity(entity);
  if (!e || text.trimmed().isEmpty() || e->text == text.toStdString()) return;
  e->text = text.toStdString();
  edit(next, tr("write"));
}

void DrawingBoard::removePicked() {
  if (selection_.empty()) return;
  const auto ids = std::exchange(selection_, {});
  // What is linked goes with its link: it would come back else.
  recipe::Recipe next = recipe::withDrawing(session_.recipe(), ref(), drawing::without(*drawing_, ids));
  for (const Id& id : ids) {
    const auto* e = drawing_->entity(id);
    const auto* p = drawing_->point(id);
    const Id link = e && e->linked ? e->link : p ? p->link : Id();
    if (!link.empty()) next = recipe::withoutItem(next, {step_, focus_.activeField()->linksField, link});
  }
  session_.edit(next, tr("remove from the drawing"));
}

void DrawingBoard::turnConstruction() {
  Drawing next = *drawing_;
  bool on = false;
  const auto each = [&](auto&& what) {
    for (const Id& id : selection_) {
      if (auto* e = next.entity(id)) what(e->construction);
      if (auto* p = next.point(id)) what(p->construction);
    }
  };
  each([&](bool& is) { on = on || !is; });
  each([&](bool& is) { is = on; });
  edit(next, tr("construction"));
}

void DrawingBoard::turnOff(const Id& relation) {
  Drawing next = *drawing_;
  if (auto* r = next.relation(relation)) r->off = !r->off;
  edit(drawing::settled(std::move(next)), tr("switch a relation"));
}

void DrawingBoard::turnMeasured(const Id& dimension) {
  Drawing next = *drawing_;
  if (auto* r = next.relation(dimension)) {
    r->measured = !r->measured;
    // One that held nothing so far starts from what it measures.
    if (!r->measured) r->text = recipe::dimensionText(r->law, drawing::measured(next, *r).value_or(r->value));
  }
  edit(next, tr("measure only"));
  if (const auto* r = drawing_->relation(dimension); r && !r->measured) setText(dimension, QString::fromStdString(r->text));
}

void DrawingBoard::apply(const std::string& tool) {
  std::vector<Id> entities;
  for (const Id& id : selection_)
    if (drawing_->entity(id)) entities.push_back(id);
  if (selection_.empty()) return emit told(tr("pick what is meant first"));
  Context cx;
  cx.tolerances = session_.recipe().tolerances;
  const auto value = [&](const char* key) -> std::optional<double> {
    const auto v = optionValue(key);
    if (!v) emit told(said(v.error()));
    return v ? std::optional(*v) : std::nullopt;
  };
  if (tool == "offset") {
    if (const auto d = value("distance")) take(drawing::offsetBy(*drawing_, entities, *d, *d > 0 ? option("distance").toStdString() : std::string(), cx), tr("offset"));
  } else if (tool == "repeat_along") {
    const auto n = value("count"), x = value("right"), y = value("up");
    if (n && x && y) take(drawing::repeatedAlong(*drawing_, selection_, {*x, *y}, std::clamp(int(*n), 2, 200)), tr("repeat along"));
  }
}

void DrawingBoard::dragTo(const Drawing& next) { session_.dragTo(recipe::withDrawing(session_.recipe(), ref(), next)); }
void DrawingBoard::endDrag(const QString& words) { session_.endDrag(words); }

void DrawingBoard::wiggle(double mm) {
  swayMm_ = mm;
  swayStep_ = 1;
  sway_.start();
}

drawing::Drawing DrawingBoard::shown() const {
  Drawing out = *drawing_;
  if (swayStep_ > 0)
    for (drawing::Point& p : out.points)
      if (const auto by = freedom().sway.find(p.id); by != freedom().sway.end()) p.at += by->second * swayMm_ * std::sin(swayStep_ * 2 * kPi / kSwaySteps * 2);
  return out;
}

QString DrawingBoard::sentence() const {
  if (problem_) return said(*problem_);
  if (const BoardTool* t = tool()) return drawing::sketchOf(t->key) ? tr("%1: click in the view, type a number for its size; Esc ends").arg(t->label.toLower()) : t->label.toLower() + ": " + t->hint;
  if (selection_.empty()) return tr("take a tool on the left, pick things, or drag anything");
  return tr("%1 picked: choose what holds, or Del removes").arg(selection_.size());
}

} // namespace lumsk::app

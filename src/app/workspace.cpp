#include "app/workspace.h"
#include "app/words.h"

#include "exchange/files.h"
#include "recipe/crossed.h"
#include "recipe/rearrange.h"
#include "recipe/ways.h"

#include <QFileInfo>
#include <nlohmann/json.hpp>

namespace lumsk::app {

using recipe::Field;
using recipe::FieldKind;
using recipe::Kind;
using recipe::Recipe;

namespace {

constexpr std::uintmax_t kLargestImport = 256u << 20; ///< bytes
constexpr int kNoticedMs = 250;                       ///< computing that lasts longer is what Esc is meant for
} // namespace

namespace {

/// Faces without a mesh: they would be missing from the view without a word.
int undrawn(const scene::Drawing& d) {
  int count = 0;
  for (const scene::DrawnBody& b : d.bodies)
    for (const scene::MeshPtr& f : b.faces) count += f->triangles.empty();
  return count;
}

} // namespace

Workspace::Workspace(const recipe::Registry& registry)
    : registry_(registry), history_(std::make_shared<const Recipe>()), draftHistory_(history_.now()), now_(history_.now()), saved_(now_),
      runner_(registry) {
  auto model = std::make_shared<recipe::Model>();
  model->recipe = now_;
  last_.model = model;
  last_.drawing = scene::draw(*model, scene::Quality::Fine, nullptr);
  connect(&runner_, &Runner::finished, this, [this](const Evaluated& e) {
    last_ = e;
    if (const int faces = undrawn(*e.drawing); faces > 0 && !e.moving)
      emit told(tr("faces that could not be drawn: %1; look at the openings and at the steps that made them").arg(faces));
    emit modelChanged();
    emit busyChanged(runner_.busy());
  });
  connect(&runner_, &Runner::measured, this, [this](const Figures& f) {
    figures_ = f;
    emit figuresChanged();
  });
  connect(&runner_, &Runner::started, this, [this] {
    busySince_.start();
    emit busyChanged(true);
  });
  connect(&runner_, &Runner::progressed, this, &Workspace::progressed);
  connect(&runner_, &Runner::broken, this, [this](const QString& why) {
    emit busyChanged(runner_.busy());
    emit told(brokenInside(why));
  });
}

MeasuredPtr Workspace::figuresOf(const brep::BodyPtr& b) const {
  const auto it = figures_.find(b);
  return it == figures_.end() ? nullptr : it->second;
}

void Workspace::change(recipe::RecipePtr next, bool moving) {
  now_ = std::move(next);
  shownAsOf_ = asOf();
  runner_.request(now_, moving, {}, shownAsOf_);
  emit recipeChanged();
}

/// The open row, or the here mark when no row is open; nothing when that is the last one.
std::string Workspace::asOf() const {
  const std::string& id = !open_.empty() ? open_ : now_->here;
  return now_->find(id) && now_->steps.back()->id != id ? id : std::string();
}

void Workspace::showAsOf() {
  if (asOf() == shownAsOf_ || !replacing_.empty()) return;
  shownAsOf_ = asOf();
  runner_.request(now_, false, {}, shownAsOf_);
}

recipe::Names Workspace::names() const {
  const auto v = recipe::parameterValues(*now_);
  recipe::Names out = v ? *v : recipe::Names{};
  if (model()) out.merge(model()->namesBefore(open_));
  return out;
}

std::vector<std::string> Workspace::selectedBodies() const {
  std::vector<std::string> out;
  for (const auto& b : drawing()->bodies)
    if (std::any_of(selection_.begin(), selection_.end(), [&](const scene::Hit& h) {
          return h.step == b.step &&
                 (h.part == b.partName("") || b.output.empty() || h.part.rfind(b.output + "/", 0) == 0);
        }))
      out.push_back(b.id);
  return out;
}

const Field* Workspace::activeField() const {
  const auto* entry = now_->find(open_);
  return entry ? recipe::findField(registry_.schemaOf(entry->kind), field_) : nullptr;
}

std::vector<recipe::Rail> Workspace::rails() const {
  std::vector<recipe::Rail> out;
  const auto* r = model() ? model()->result(open_) : nullptr;
  if (r && r->outcome)
    for (const recipe::Rail& x : r->outcome->rails)
      if (x.field == field_) out.push_back(x);
  return out;
}

Kind Workspace::wanted() const {
  const Field* f = activeField();
  if (!rails().empty()) return Kind::None;
  if (f && f->kind == FieldKind::Picks) return f->accepts;
  if (f && f->kind == FieldKind::Points) return Kind::None;
  return Kind::Point | Kind::Curve | Kind::Edge | Kind::Face | Kind::Skin | Kind::Solid |
         (now_->steps.empty() ? Kind::Plane : Kind::None);
}

/// Whether the picks of the open step's field have flags in the view.
bool Workspace::hasFlags(const std::string& key) const {
  const auto* r = model() ? model()->result(open_) : nullptr;
  return r && r->outcome &&
         std::any_of(r->outcome->flags.begin(), r->outcome->flags.end(), [&](const auto& f) { return f.field == key; });
}

QString Workspace::instruction() const {
  const auto* entry = now_->find(open_);
  const Field* f = activeField();
  if (entry && f && f->kind == FieldKind::Picks) {
    const json v = entry->inputs->value(f->key, json::array());
    const QString what = said(recipe::kindNames(f->accepts));
    if (!replacing_.empty()) return tr("pick the %1 that takes this place").arg(what);
    if (v.empty() || int(v.size()) < f->least) return tr("pick %1 for %2").arg(what, said(f->label).toLower());
    if (int(v.size()) < f->most && f->most > 1)
      return !draft_.empty()    ? tr("pick another %1, or keep the step").arg(what)
             : hasFlags(f->key) ? tr("pick another %1, or turn a flag").arg(what)
                                : tr("pick another %1").arg(what);
  }
  if (entry && f && f->kind == FieldKind::Points) return tr("click in the view to add points, drag one to move it");
  if (f && !rails().empty())
    return tr("click a curve to add to %1, drag the squares along their curves").arg(said(f->label).toLower());
  if (!draft_.empty()) return tr("drag a handle or change a number, then keep the step");
  if (!selection_.empty()) return tr("%1 picked: choose a tool").arg(selection_.size());
  return tr("choose a tool, or pick something in the view");
}

void Workspace::edit(Recipe next, const QString& words) {
  auto value = std::make_shared<const Recipe>(std::move(next));
  record(value, words);
  change(value, false);
}

/// One entry to go back over: of the project's, or of the draft's own as long as there is one.
void Workspace::record(const recipe::RecipePtr& value, const QString& words) {
  (draft_.empty() ? history_ : draftHistory_).push(value, words.toStdString());
}

void Workspace::setInput(const std::string& step, const std::string& key, const json& value, const QString& words) {
  const auto* entry = now_->find(step);
  if (!entry || (entry->inputs->contains(key) && (*entry->inputs)[key] == value)) return;
  const Field* f = recipe::findField(registry_.schemaOf(entry->kind), key);
  const bool decides = f && (f->kind == FieldKind::Choice || f->kind == FieldKind::Switch);
  edit(now_->withStep(recipe::withInput(*entry, key, value)), words);
  if (decides && step == open_) followChoice();
}

/// Another choice may want other picks: the focus goes to them.
void Workspace::followChoice() {
  const std::string before = field_;
  const auto* entry = now_->find(open_);
  const Field* f = activeField();
  const bool stays = f && recipe::applies(*f, registry_.schemaOf(entry->kind), *entry->inputs);
  chooseField();
  const Field* chosen = activeField();
  const bool wanting = chosen && chosen->kind == FieldKind::Picks &&
                       int(entry->inputs->value(chosen->key, json::array()).size()) < chosen->least;
  if (stays && !wanting) field_ = before;
  if (field_ != before) emit focusChanged();
}

void Workspace::take(const std::string& step, const Remedy& offer) {
  const recipe::StepEntry* entry = now_->find(step);
  const Field* f = entry ? recipe::findField(registry_.schemaOf(entry->kind), offer.field) : nullptr;
  if (!f) return;
  if (f->kind == FieldKind::Switch) return setInput(step, offer.field, offer.value == "true", said(offer.text));
  if (f->kind != FieldKind::Picks) return setInput(step, offer.field, offer.value, said(offer.text));
  const QStringList order = QString::fromStdString(offer.value).split(',');
  json list = entry->inputs->value(offer.field, json::array());
  const auto place = [&](const json& item) {
    return order.indexOf(QString::fromStdString(item.value("id", std::string())));
  };
  std::stable_sort(list.begin(), list.end(), [&](const json& a, const json& b) { return place(a) < place(b); });
  setInput(step, offer.field, list, said(offer.text));
}

void Workspace::swapDirections(const std::string& step) {
  const auto* entry = now_->find(step);
  if (const auto turned = entry ? recipe::swapped(*entry, registry_) : nullptr)
    edit(now_->withStep(turned), tr("swap directions"));
}

void Workspace::makeAs(const std::string& step, const std::string& kind) {
  const auto* entry = now_->find(step);
  if (!entry) return;
  const auto* known = model()->result(step);
  const auto families = recipe::familiesIn(known ? known->outcome : nullptr);
  if (const auto made = recipe::madeAs(*entry, kind, registry_, families)) {
    edit(now_->withStep(made), tr("make it a %1").arg(said(registry_.find(kind)->label).toLower()));
    emit focusChanged();
  }
}

void Workspace::dragInput(const std::string& step, const std::string& key, const json& value) {
  if (const auto* entry = now_->find(step)) dragTo(now_->withStep(recipe::withInput(*entry, key, value)));
}

json Workspace::beforeDrag(const std::string& step, const std::string& key) const {
  const auto* entry = (dragBase_ ? dragBase_ : now_)->find(step);
  return entry ? entry->inputs->value(key, json::array()) : json::array();
}

void Workspace::dragTo(Recipe next) {
  if (!dragBase_) dragBase_ = now_;
  change(std::make_shared<const Recipe>(std::move(next)), true);
}

void Workspace::endDrag(const QString& words) {
  if (!dragBase_) return;
  dragBase_ = nullptr;
  record(now_, words);
  change(now_, false);
}

void Workspace::cancelDrag() {
  if (!dragBase_) return;
  const auto base = dragBase_;
  dragBase_ = nullptr;
  change(base, false);
}

std::string Workspace::freeLabel(const std::string& base) const {
  for (int n = 1;; ++n) {
    const std::string label = n == 1 ? base : base + " " + std::to_string(n);
    if (std::none_of(now_->steps.begin(), now_->steps.end(), [&](const auto& s) { return s->label == label; }))
      return label;
  }
}

std::string Workspace::freeMeasurementName(const std::string& base) const {
  recipe::Names taken = names();
  for (const auto& s : now_->steps)
    for (const std::string& n : recipe::measuredNames(*s->inputs, registry_.schemaOf(s->kind))) taken[n];
  std::string name = base;
  for (int n = 2; taken.count(name); ++n) name = base + std::to_string(n);
  return name;
}

void Workspace::startDraft(const std::string& kind) {
  if (!draft_.empty()) keepDraft();
  const recipe::Step* step = registry_.find(kind);
  if (!step) return;
  beforeDraft_ = now_;
  Recipe next = *now_;
  auto entry = std::make_shared<recipe::StepEntry>();
  entry->id = "s" + next.newId();
  entry->kind = kind;
  entry->version = step->version;
  entry->label = freeLabel(said(step->label).toStdString());
  json inputs = json::object();
  // Objects picked beforehand fill the inputs they fit, in order.
  std::vector<scene::Hit> left = selection_;
  for (const Field& f : registry_.schemaOf(kind)) {
    if (f.namesMeasurement) inputs[f.key] = freeMeasurementName(f.fallback);
    if (f.kind != FieldKind::Picks || !recipe::applies(f, registry_.schemaOf(kind), inputs)) continue;
    json list = json::array();
    for (auto it = left.begin(); it != left.end() && int(list.size()) < f.most;) {
      if (!recipe::has(f.accepts, it->kind)) {
        ++it;
        continue;
      }
      json p = pickValue(*it);
      p["id"] = "p" + std::to_string(list.size() + 1);
      list.push_back(p);
      it = left.erase(it);
    }
    if (!list.empty()) inputs[f.key] = list;
  }
  entry->inputs = std::make_shared<const json>(std::move(inputs));
  draft_ = entry->id;
  open_ = entry->id;
  field_.clear();
  selection_.clear();
  change(std::make_shared<const Recipe>(next.withInserted(entry)), false);
  draftHistory_ = recipe::History(now_);
  chooseField();
  emit focusChanged();
}

/// The first pick field that still wants something, else the points, else the first pick field.
void Workspace::chooseField() {
  const auto* entry = now_->find(open_);
  field_.clear();
  if (!entry) return;
  const auto& schema = registry_.schemaOf(entry->kind);
  for (const Field& f : schema)
    if (f.kind == FieldKind::Picks && recipe::applies(f, schema, *entry->inputs) && f.least > 0 &&
        int(entry->inputs->value(f.key, json::array()).size()) < f.least) {
      field_ = f.key;
      return;
    }
  for (const Field& f : schema)
    if (f.kind == FieldKind::Points) {
      field_ = f.key;
      return;
    }
  for (const Field& f : schema)
    if (f.kind == FieldKind::Picks && f.most > 1 && recipe::applies(f, schema, *entry->inputs)) {
      field_ = f.key;
      return;
    }
}

void Workspace::keepDraft() {
  if (draft_.empty()) return;
  const auto* entry = now_->find(draft_);
  history_.push(now_, entry ? tr("add %1").arg(QString::fromStdString(entry->label)).toStdString() : "");
  draft_.clear();
  beforeDraft_ = nullptr;
  beforeWay_.reset();
  open_.clear();
  field_.clear();
  showAsOf();
  emit recipeChanged();
  emit focusChanged();
}

void Workspace::dropDraft() {
  if (draft_.empty()) return;
  const auto back = beforeDraft_;
  beforeWay_.reset();
  draft_.clear();
  open_.clear();
  field_.clear();
  beforeDraft_ = nullptr;
  dragBase_ = nullptr;
  change(back, false);
  emit focusChanged();
}

json Workspace::picksForWays() const {
  if (const auto* entry = now_->find(open_)) return recipe::crossedPicks(*entry, registry_);
  json out = json::array();
  for (const scene::Hit& h : selection_)
    if (recipe::has(Kind::Curve | Kind::Edge, h.kind)) {
      out.push_back(pickValue(h));
      out.back()["id"] = "p" + std::to_string(out.size());
    }
  return out;
}

void Workspace::showWay(const recipe::StepEntry* way) {
  if (!way) {
    if (!beforeWay_) return;
    const recipe::StepPtr before = *beforeWay_;
    if (!before) return dropDraft();
    beforeWay_.reset();
    change(std::make_shared<const Recipe>(now_->withStep(before)), false);
    return void(emit focusChanged());
  }
  auto entry = std::make_shared<recipe::StepEntry>(*way);
  if (!beforeWay_) {
    const int at = now_->indexOf(draft_);
    beforeWay_ = at < 0 ? nullptr : now_->steps[size_t(at)];
  }
  Recipe next = *now_;
  if (draft_.empty()) {
    beforeDraft_ = now_;
    draft_ = "s" + next.newId();
  }
  entry->id = draft_;
  entry->label = freeLabel(said(registry_.find(way->kind)->label).toStdString());
  const bool there = next.find(draft_) != nullptr;
  open_ = draft_;
  selection_.clear();
  change(std::make_shared<const Recipe>(there ? next.withStep(entry) : next.withInserted(entry)), false);
  if (!there) draftHistory_ = recipe::History(now_);
  chooseField();
  emit focusChanged();
}

void Workspace::undo() {
  if (!draft_.empty()) {
    if (!draftHistory_.canUndo()) return dropDraft();
    draftHistory_.undo();
    return returnTo(draftHistory_.now());
  }
  history_.undo();
  returnTo(history_.now());
}

void Workspace::redo() {
  recipe::History& h = draft_.empty() ? history_ : draftHistory_;
  h.redo();
  returnTo(h.now());
}

void Workspace::returnTo(const recipe::RecipePtr& value) {
  if (dragBase_) cancelDrag();
  change(value, false);
  if (!now_->find(open_)) return unfold({});
  if (!draft_.empty()) followChoice();
}

void Workspace::unfold(const std::string& step, const std::string& field) {
  endReplacing();
  if (!draft_.empty() && step != draft_) keepDraft();
  open_ = step;
  if (field.empty())
    chooseField();
  else
    field_ = field;
  showAsOf();
  emit focusChanged();
}

void Workspace::removeStep(const std::string& id) {
  if (id == draft_) return dropDraft();
  const auto* entry = now_->find(id);
  if (!entry) return;
  const QString words = tr("remove %1").arg(QString::fromStdString(entry->label));
  if (open_ == id) unfold({});
  edit(now_->without(id), words);
}

void Workspace::rename(const std::string& id, const QString& label) {
  const auto* entry = now_->find(id);
  if (!entry || label.trimmed().isEmpty()) return;
  auto e = std::make_shared<recipe::StepEntry>(*entry);
  e->label = label.trimmed().toStdString();
  edit(now_->withStep(e), tr("rename"));
}

void Workspace::setOn(const std::vector<std::string>& ids, bool on) {
  Recipe next = *now_;
  for (const std::string& id : ids) {
    const auto* entry = next.find(id);
    if (!entry) continue;
    auto e = std::make_shared<recipe::StepEntry>(*entry);
    e->on = on;
    next = next.withStep(e);
  }
  edit(std::move(next), on ? tr("switch on") : tr("switch off"));
}

void Workspace::chooseRows(std::vector<std::string> ids) {
  rows_.clear();
  for (const auto& s : now_->steps)
    if (std::find(ids.begin(), ids.end(), s->id) != ids.end()) rows_.push_back(s->id);
  emit focusChanged();
}

void Workspace::moveStep(const std::string& id, int place) {
  auto next = recipe::movedTo(*now_, id, place, registry_);
  if (!next) return emit told(said(next.error()));
  if (now_->indexOf(id) != next->indexOf(id)) edit(std::move(*next), tr("move a step"));
}

void Workspace::duplicate(const std::vector<std::string>& ids) {
  if (!draft_.empty()) keepDraft();
  edit(recipe::duplicated(*now_, ids, registry_), tr("duplicate"));
}

std::string Workspace::copied(const std::vector<std::string>& ids) const {
  return recipe::clipOf(*now_, ids, registry_);
}

void Workspace::paste(const std::string& clip) {
  if (!draft_.empty()) keepDraft();
  auto made = recipe::pasted(*now_, clip, registry_);
  if (!made) return emit told(said(made.error()));
  edit(std::move(made->recipe), tr("paste"));
  QString words = made->steps.size() == 1 ? tr("pasted 1 step") : tr("pasted %1 steps").arg(made->steps.size());
  if (made->dropped) words += tr("; picks of things that are not here were left out: %1").arg(made->dropped);
  emit told(words);
  chooseRows(made->steps);
}

void Workspace::group(const std::vector<std::string>& ids, const QString& name) {
  edit(recipe::withGroup(*now_, ids, name.trimmed().toStdString()), name.isEmpty() ? tr("ungroup") : tr("group"));
}

void Workspace::colourRows(const std::vector<std::string>& ids, const std::string& colour) {
  edit(recipe::withColour(*now_, ids, colour), tr("colour rows"));
}

void Workspace::setHere(const std::string& id) {
  if (!draft_.empty()) keepDraft();
  Recipe next = *now_;
  next.here = !next.steps.empty() && next.steps.back()->id == id ? std::string() : id;
  if (next.here != now_->here) edit(std::move(next), tr("move the here mark"));
}

void Workspace::remove(const std::vector<std::string>& ids) {
  if (ids.size() == 1) return removeStep(ids.front());
  if (!draft_.empty()) dropDraft();
  Recipe next = *now_;
  for (const std::string& id : ids) next = next.without(id);
  if (!next.find(open_)) unfold({});
  edit(std::move(next), tr("remove %1 steps").arg(ids.size()));
}

void Workspace::setLook(const std::vector<std::string>& ids, const std::function<void(recipe::Look&)>& change,
                        const QString& words) {
  Recipe next = *now_;
  for (const std::string& id : ids) change(next.looks[id]);
  edit(std::move(next), words);
}

void Workspace::setVisible(const std::vector<std::string>& ids, bool visible) {
  setLook(
      ids, [visible](recipe::Look& l) { l.visible = visible; }, visible ? tr("show") : tr("hide"));
}

namespace {

/// Ids by which bodies, curves, points, planes and backdrops are shown or hidden.
std::vector<std::string> shownIds(const recipe::Model& m) {
  std::vector<std::string> out;
  for (const auto& b : m.bodies) out.push_back(b.id);
  for (const auto& s : m.recipe->steps)
    if (const auto* r = m.result(s->id); r && r->outcome)
      if (std::any_of(r->outcome->outputs.begin(), r->outcome->outputs.end(),
                      [](const auto& o) { return !std::holds_alternative<brep::BodyPtr>(o.object); }))
        out.push_back(s->id);
  return out;
}

} // namespace

void Workspace::showOnly(const std::vector<std::string>& ids) {
  Recipe next = *now_;
  for (const std::string& id : shownIds(*model()))
    next.looks[id].visible = std::find(ids.begin(), ids.end(), id) != ids.end();
  edit(std::move(next), tr("show only"));
}

void Workspace::showAll() { setVisible(shownIds(*model()), true); }

std::vector<std::string> Workspace::selectedObjects() const {
  std::vector<std::string> out = selectedBodies();
  for (const scene::Hit& h : selection_) {
    const bool ofBody =
        std::any_of(model()->bodies.begin(), model()->bodies.end(), [&](const auto& b) { return b.step == h.step; });
    if (!ofBody && h.step != "world") out.push_back(h.step);
  }
  return out;
}

std::optional<recipe::PointsPlace> Workspace::placeOf(const recipe::StepEntry& entry, const Field& f) const {
  if (const auto* r = model()->result(entry.id); r && r->outcome)
    for (const auto& p : r->outcome->places)
      if (p.field == f.key) return p;
  if (f.planeField.empty()) return {};
  const json planes = entry.inputs->value(f.planeField, json::array());
  if (planes.empty()) return {};
  const auto p = recipe::follow(planes[0], Kind::Plane, *model());
  if (!p) return {};
  return recipe::PointsPlace{f.key, std::get<recipe::PlaneObject>(p->object).frame, 1.0};
}

namespace {

/// A point's coordinates as they are stored: round numbers unless the place was snapped to.
json coordinates(const std::optional<recipe::PointsPlace>& place, const Vec3& world, bool snapped) {
  Vec3 p = place ? place->fromWorld(world) : world;
  if (place) p.z() = 0;
  const double grid = snapped ? 1e7 : place && place->mmPerUnit != 1.0 ? 1e5 : 1e2; // per unit
  const auto tidy = [&](double v) { return std::round(v * grid) / grid + 0.0; };
  return {tidy(p.x()), tidy(p.y()), tidy(p.z())};
}

} // namespace

/// The recipe with other points. Where the first or the last lies in the mirror plane and the next one does not, the
/// end is made square to the plane; otherwise an end that was square is free again. Only ends near the point that
/// moved.
Recipe Workspace::withPoints(const recipe::StepEntry& entry, const Field& f, const json& points,
                             const std::string& item) const {
  json inputs = *entry.inputs;
  inputs[f.key] = points;
  const auto& schema = registry_.schemaOf(entry.kind);
  Frame mirror = recipe::worldPlanes().back().second;
  if (const json picked = inputs.value(f.mirrorField, json::array()); !picked.empty())
    if (const auto p = recipe::follow(picked[0], Kind::Plane, *model()))
      mirror = std::get<recipe::PlaneObject>(p->object).frame;
  const auto place = placeOf(entry, f);
  const auto names = this->names();
  const auto inMirror = [&](const json& point) {
    Vec3 p = Vec3::Zero();
    for (int k = 0; k < 3; ++k) {
      const json& v = point["at"][size_t(k)];
      const auto q = v.is_number() ? Expected<Quantity>(millimetres(v.get<double>()))
                                   : recipe::evaluate(v.get<std::string>(), Dimension::Length, names);
      if (!q) return false;
      p[k] = q->value;
    }
    return std::abs(mirror.local(place ? place->toWorld(p) : p).z()) <= now_->tolerances.point.mm;
  };
  const size_t n = points.size();
  for (size_t end = 0; end < 2 && n >= 2; ++end) {
    const json &point = points[end ? n - 1 : 0], &next = points[end ? n - 2 : 1];
    const Field* choice = recipe::findField(schema, f.endFields[end]);
    if (!choice || !recipe::applies(*choice, schema, inputs) || (point["id"] != item && next["id"] != item)) continue;
    const bool square = inMirror(point) && !inMirror(next);
    const std::string now = inputs.value(choice->key, "free");
    if (square && now == "free") inputs[choice->key] = "perpendicular";
    if (!square && now == "perpendicular") inputs[choice->key] = "free";
  }
  auto changed = std::make_shared<recipe::StepEntry>(entry);
  changed->inputs = std::make_shared<const json>(std::move(inputs));
  return now_->withStep(std::move(changed));
}

void Workspace::addPoint(const Vec3& world, bool snapped) {
  const auto* entry = now_->find(open_);
  const Field* f = activeField();
  if (!entry || !f || f->kind != FieldKind::Points) return;
  json list = entry->inputs->value(f->key, json::array());
  int n = 1;
  while (std::any_of(list.begin(), list.end(), [&](const json& q) { return q["id"] == "q" + std::to_string(n); })) ++n;
  list.push_back({{"id", "q" + std::to_string(n)}, {"at", coordinates(placeOf(*entry, *f), world, snapped)}});
  edit(withPoints(*entry, *f, list, list.back()["id"]), tr("add a point"));
}

void Workspace::dragPoint(const std::string& step, const std::string& key, const std::string& item, const Vec3& world,
                          bool snapped) {
  const auto* entry = now_->find(step);
  const Field* f = entry ? recipe::findField(registry_.schemaOf(entry->kind), key) : nullptr;
  if (!f) return;
  json list = entry->inputs->value(key, json::array());
  for (json& p : list)
    if (p["id"] == item) p["at"] = coordinates(placeOf(*entry, *f), world, snapped);
  dragTo(withPoints(*entry, *f, list, item));
}

bool Workspace::escape() {
  if (dragBase_) return cancelDrag(), true;
  if (runner_.busy() && busySince_.isValid() && busySince_.elapsed() > kNoticedMs) return runner_.stop(), true;
  if (!replacing_.empty()) return endReplacing(), emit focusChanged(), true;
  if (!rows_.empty()) return chooseRows({}), true;
  if (!selection_.empty()) return clearSelection(), true;
  if (!draft_.empty()) return dropDraft(), true;
  if (!open_.empty()) return unfold({}), true;
  return false;
}

void Workspace::newProject() {
  lock_.release();
  history_ = recipe::History(std::make_shared<const Recipe>());
  saved_ = history_.now();
  path_.clear();
  draft_.clear();
  open_.clear();
  field_.clear();
  selection_.clear();
  rows_.clear();
  dragBase_ = beforeDraft_ = nullptr;
  change(history_.now(), false);
  emit focusChanged();
  emit projectReplaced();
  emit fileChanged();
}

namespace {

/// Everything here and above may rely on the shapes that schemas give: what a file has otherwise is put aside, and said.
QStringList withoutDamagedInputs(Recipe& recipe, const recipe::Registry& registry) {
  QStringList out;
  for (auto& step : recipe.steps) {
    if (!registry.find(step->kind)) continue;
    std::vector<std::string> errors;
    json inputs = recipe::withoutDamaged(registry.schemaOf(step->kind), *step->inputs, errors);
    if (errors.empty()) continue;
    auto sound = std::make_shared<recipe::StepEntry>(*step);
    sound->inputs = std::make_shared<const json>(std::move(inputs));
    for (const std::string& e : errors)
      out << Workspace::tr("%1: %2; the file's value was left out").arg(QString::fromStdString(step->label), QString::fromStdString(e));
    step = std::move(sound);
  }
  return out;
}

} // namespace

void Workspace::adopt(exchange::Project project, const QString& path) {
  newProject();
  for (const QString& e : withoutDamagedInputs(project.recipe, registry_)) emit told(e);
  runner_.remember(project.kept);
  history_ = recipe::History(std::make_shared<const Recipe>(std::move(project.recipe)));
  saved_ = history_.now();
  path_ = path;
  change(history_.now(), false);
  if (path.isEmpty()) return;
  if (const auto other = lock_.take(path.toStdString()))
    emit problemArose(
        problem("LM-F040", "this project may be open twice: " + *other).tryThis("save under another name"));
}

Expected<void> Workspace::openFile(const QString& path) {
  auto project = exchange::readProject(path.toStdString());
  if (!project) return fail(project.error());
  adopt(std::move(*project), path);
  emit focusChanged();
  emit projectReplaced();
  emit fileChanged();
  return {};
}

void Workspace::takeOver(exchange::Project project, const QString& path) {
  adopt(std::move(project), path);
  saved_ = nullptr;
  emit focusChanged();
  emit projectReplaced();
  emit fileChanged();
}

Expected<void> Workspace::saveFile(const QString& path, const std::string& png) {
  if (!draft_.empty()) keepDraft();
  LUMSK_CHECK(exchange::writeProject(path.toStdString(), {*now_, png, exchange::worthKeeping(*last_.model)}));
  saved_ = now_;
  if (path_ != path) lock_.take(path.toStdString());
  path_ = path;
  emit fileChanged();
  return {};
}

std::optional<std::pair<std::string, std::string>> Workspace::takerOf(const QString& path) const {
  const std::string pattern = "*" + exchange::extensionOf(path.toStdString());
  std::optional<std::pair<std::string, std::string>> best;
  long fewest = 1000;
  for (const auto& s : registry_.all())
    for (const Field& f : registry_.schemaOf(s.kind)) {
      const auto at = f.filter.find(pattern);
      const bool whole = at != std::string::npos && at + pattern.size() < f.filter.size() &&
                         (f.filter[at + pattern.size()] == ' ' || f.filter[at + pattern.size()] == ')');
      const long kinds = std::count(f.filter.begin(), f.filter.end(), '*');
      if (f.kind != FieldKind::File || !whole || kinds >= fewest) continue;
      fewest = kinds;
      best = std::pair{s.kind, f.key};
    }
  return best;
}

QString Workspace::takenFiles() const {
  QStringList kinds, endings;
  for (const auto& s : registry_.all())
    for (const Field& f : registry_.schemaOf(s.kind)) {
      if (f.kind != FieldKind::File) continue;
      kinds << said(f.filter);
      endings << QString::fromStdString(f.filter).section('(', 1).chopped(1).split(' ');
    }
  endings.removeDuplicates();
  kinds.removeDuplicates();
  return tr("All of these (%1)").arg(endings.join(' ')) + ";;" + kinds.join(";;");
}

Expected<json> Workspace::importFile(const QString& path) {
  LUMSK_TRY(bytes, exchange::readFile(path.toStdString(), kLargestImport));
  const std::string hash = recipe::hashOf(bytes);
  Recipe next = *now_;
  next.imports[hash] = std::make_shared<const std::string>(std::move(bytes));
  now_ = std::make_shared<const Recipe>(std::move(next)); // the edit that uses it follows
  return json{{"hash", hash}, {"name", QFileInfo(path).fileName().toStdString()}};
}

} // namespace lumsk::app

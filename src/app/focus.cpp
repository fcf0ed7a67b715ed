#include "app/focus.h"

#include "app/words.h"
#include "recipe/ways.h"

#include <algorithm>

namespace lumsk::app {

using recipe::Field;
using recipe::FieldKind;
using recipe::Kind;

Focus::Focus(Session& session, Results& results) : session_(session), results_(results) {
  connect(&session_, &Session::draftBegins, this, [this] {
    open_ = session_.draft();
    field_.clear();
    replacing_.clear();
    drawing_.clear();
    drawnFor_.clear();
    selection_.clear();
  });
  connect(&session_, &Session::draftBegan, this, [this] {
    chooseField();
    emit focusChanged();
  });
  connect(&session_, &Session::draftEnds, this, [this] {
    open_.clear();
    field_.clear();
    drawing_.clear();
    drawnFor_.clear();
  });
  connect(&session_, &Session::draftEnded, this, [this] {
    showUntil();
    emit focusChanged();
  });
  connect(&session_, &Session::returned, this, &Focus::afterReturn);
  connect(&session_, &Session::choiceChanged, this, [this](const std::string& step) {
    if (step == open_) followChoice();
  });
  connect(&session_, &Session::valueChanged, this, [this] { shown_ = until(); }); // it is asked for with the value
}

const Field* Focus::activeField() const { return recipe::fieldOf({open_, field_}, session_.recipe(), session_.registry()); }

std::vector<recipe::Rail> Focus::rails() const {
  const auto* r = results_.model()->result(open_);
  if (!r || !r->outcome) return {};
  auto out = r->outcome->marks.all<recipe::Rail>();
  out.erase(std::remove_if(out.begin(), out.end(), [&](const recipe::Rail& x) { return x.field != field_; }), out.end());
  return out;
}

Kind Focus::wanted() const {
  const Field* f = activeField();
  if (!drawing_.empty()) return recipe::kPlaneOrFace;
  if (!rails().empty()) return Kind::None;
  if (f && f->kind == FieldKind::Picks) {
    Kind out = f->accepts;
    for (const Kind k : {Kind::Point, Kind::Curve, Kind::Edge, Kind::Face})
      if (session_.registry().madeByClick(f->accepts, k)) out = out | k;
    return out;
  }
  if (f && (f->kind == FieldKind::Points || f->kind == FieldKind::Drawing)) return Kind::None;
  return Kind::Point | Kind::Curve | Kind::Edge | Kind::Face | Kind::Skin | Kind::Solid |
         (session_.recipe().steps.empty() ? Kind::Plane : Kind::None);
}

/// Whether the picks of the open step's field have flags in the view.
bool Focus::hasFlags(const std::string& key) const {
  const auto* r = results_.model()->result(open_);
  if (!r || !r->outcome) return false;
  const auto flags = r->outcome->marks.all<recipe::Flag>();
  return std::any_of(flags.begin(), flags.end(), [&](const auto& f) { return f.field == key; });
}

QString Focus::instruction() const {
  const auto* entry = session_.recipe().find(open_);
  const Field* f = activeField();
  const bool draft = !session_.draft().empty();
  if (!drawing_.empty())
    return tr("click the face or the plane that the %1 lies on").arg(said(session_.registry().find(drawing_)->label).toLower());
  if (entry && f && f->kind == FieldKind::Picks) {
    const int picked = recipe::pickedCount(*entry, f->key);
    const QString what = said(recipe::kindNames(f->accepts));
    if (!replacing_.empty()) return tr("pick the %1 that takes this place").arg(what);
    if (picked == 0 || picked < f->least) return tr("pick %1 for %2").arg(what, said(f->label).toLower());
    if (picked < f->most && f->most > 1)
      return draft               ? tr("pick another %1, or keep the step").arg(what)
             : hasFlags(f->key) ? tr("pick another %1, or turn a flag").arg(what)
                                : tr("pick another %1").arg(what);
  }
  if (entry && f && f->kind == FieldKind::Drawing) return drawingSays_;
  if (entry && f && f->kind == FieldKind::Points) return tr("click in the view to add points, drag one to move it");
  if (f && !rails().empty())
    return tr("click a curve to add to %1, drag the squares along their curves").arg(said(f->label).toLower());
  if (const auto* user = session_.recipe().find(drawnFor()))
    return tr("drag a handle or change a number, then go back to %1 with Enter").arg(QString::fromStdString(user->label));
  if (draft) return tr("drag a handle or change a number, then keep the step");
  if (!selection_.empty()) return tr("%1 picked: choose a tool").arg(selection_.size());
  return tr("choose a tool, or pick something in the view");
}

recipe::Names Focus::names() const {
  recipe::Names out = recipe::parameterValues(session_.recipe()).value_or(recipe::Names{});
  out.merge(results_.model()->namesBefore(open_));
  return out;
}

void Focus::drawingSays(const QString& sentence) {
  if (sentence == drawingSays_) return;
  drawingSays_ = sentence;
  emit instructionChanged();
}

/// The open row, or the here mark when no row is open; nothing when that is the last one.
std::string Focus::asOf() const {
  const recipe::Recipe& r = session_.recipe();
  const std::string user = drawnFor();
  const std::string& id = !user.empty() ? user : !open_.empty() ? open_ : r.here;
  return r.find(id) && r.steps.back()->id != id ? id : std::string();
}

Results::Until Focus::until() const {
  if (!replacing_.empty() || !drawing_.empty()) return {open_, {}}; // only what comes before can be picked
  return {{}, asOf()};
}

void Focus::showUntil() {
  if (until() == shown_) return;
  shown_ = until();
  emit untilChanged();
}

void Focus::unfold(const std::string& step, const std::string& field) {
  replacing_.clear();
  drawing_.clear();
  const bool among = drawnFor_.count(step) || std::any_of(drawnFor_.begin(), drawnFor_.end(), [&](const auto& d) { return d.second == step; });
  if (!among) drawnFor_.clear();
  if (!session_.draft().empty() && step != session_.draft() && !drawnFor_.count(step)) session_.keepDraft();
  open_ = step;
  if (field.empty())
    chooseField();
  else
    field_ = field, held_ = true;
  showUntil();
  emit focusChanged();
}

void Focus::start(const std::string& kind, const json* given) {
  session_.keepDraft();
  const recipe::Registry& registry = session_.registry();
  const recipe::Step* step = registry.find(kind);
  if (!step) return;
  recipe::StepEntry entry;
  entry.kind = kind;
  entry.version = step->version;
  entry.label = recipe::freeLabel(session_.recipe(), said(step->label).toStdString());
  json inputs = given ? *given : recipe::inputsWith({selection_.begin(), selection_.end()}, registry.schemaOf(kind));
  recipe::freeMeasurementName(inputs, session_.recipe(), registry.schemaOf(kind), registry);
  entry.inputs = std::make_shared<const json>(std::move(inputs));
  session_.begin(std::move(entry));
}

/// The first pick field that still wants something, else the points, else the first pick field.
void Focus::chooseField() {
  const auto* entry = session_.recipe().find(open_);
  field_.clear();
  held_ = false;
  if (!entry) return;
  const auto& schema = session_.registry().schemaOf(entry->kind);
  const auto first = [&](auto&& is) {
    const auto f = std::find_if(schema.begin(), schema.end(), is);
    if (field_.empty() && f != schema.end()) field_ = f->key;
  };
  const auto picks = [&](const Field& f) {
    return f.kind == FieldKind::Picks && recipe::applies(f, schema, *entry->inputs);
  };
  first([&](const Field& f) { return picks(f) && f.least > 0 && recipe::pickedCount(*entry, f.key) < f.least; });
  first([&](const Field& f) { return f.kind == FieldKind::Points || f.kind == FieldKind::Drawing; });
  first([&](const Field& f) { return picks(f) && f.most > 1; });
}

/// Whether a field of the open step has fewer picks than it needs.
bool Focus::wantsPicks() const {
  const auto* entry = session_.recipe().find(open_);
  const auto& schema = session_.registry().schemaOf(entry->kind);
  return std::any_of(schema.begin(), schema.end(), [&](const Field& f) {
    return f.kind == FieldKind::Picks && recipe::applies(f, schema, *entry->inputs) &&
           recipe::pickedCount(*entry, f.key) < f.least;
  });
}

/// Another choice may want other picks: the focus goes to them.
void Focus::followChoice() {
  const std::string before = field_;
  const auto* entry = session_.recipe().find(open_);
  const Field* f = activeField();
  const bool stays = f && recipe::applies(*f, session_.registry().schemaOf(entry->kind), *entry->inputs);
  chooseField();
  const Field* chosen = activeField();
  const bool wanting =
      chosen && chosen->kind == FieldKind::Picks && recipe::pickedCount(*entry, chosen->key) < chosen->least;
  if (stays && !wanting) field_ = before;
  if (field_ != before) emit focusChanged();
}

void Focus::afterReturn() {
  if (!session_.recipe().find(open_)) return unfold(session_.recipe().find(drawnFor()) ? drawnFor() : std::string());
  if (!session_.draft().empty()) followChoice();
}

void Focus::replace(const std::string& step, const std::string& field, const std::string& item) {
  const bool again = replacing_ == item && open_ == step && field_ == field;
  unfold(step, field);
  replacing_ = again ? "" : item;
  showUntil();
  emit focusChanged();
}

// Picks ---------------------------------------------------------------------------------------------------------------

std::vector<std::string> Focus::selectedBodies() const {
  std::vector<std::string> out;
  for (const auto& b : results_.scene()->bodies)
    if (std::any_of(selection_.begin(), selection_.end(), [&](const scene::Hit& h) {
          return h.step == b.step &&
                 (h.part == b.partName("") || b.output.empty() || h.part.rfind(b.output + "/", 0) == 0);
        }))
      out.push_back(b.id);
  return out;
}

std::vector<std::string> Focus::selectedObjects() const {
  std::vector<std::string> out = selectedBodies();
  const auto& bodies = results_.model()->bodies;
  for (const scene::Hit& h : selection_) {
    const bool ofBody = std::any_of(bodies.begin(), bodies.end(), [&](const auto& b) { return b.step == h.step; });
    if (!ofBody && h.step != "world") out.push_back(h.step);
  }
  return out;
}

json Focus::picksForWays() const {
  const recipe::Model& model = *results_.model();
  if (const auto* entry = session_.recipe().find(open_)) return recipe::picksForWays(*entry, session_.registry(), recipe::modelBefore(model, open_));
  json picks = recipe::curvesAmong({selection_.begin(), selection_.end()});
  return picks.size() == 1 ? recipe::openingOf(picks[0], model) : picks; // one edge alone stands for its opening
}

int Focus::curvesOf(const std::string& step) const {
  const auto* r = results_.model()->result(step);
  return r && r->outcome ? recipe::curvesIn(*r->outcome) : 0;
}

void Focus::draw(const std::string& field, const std::string& kind) {
  const bool again = drawing_ == kind && field_ == field;
  unfold(open_, field);
  drawing_ = again ? "" : kind;
  showUntil();
  emit focusChanged();
}

/// The open row's field picks what is drawn where this was clicked; the row of that is worked at until it is done.
void Focus::drawOn(const scene::Hit& hit) {
  const Field* f = activeField();
  const auto what = std::find_if(f->drawn.begin(), f->drawn.end(), [&](const auto& d) { return d.kind == drawing_; });
  drawing_.clear();
  scene::Hit on = hit;
  std::optional<recipe::PickRef> body;
  for (const auto& b : results_.scene()->bodies) {
    if (hit.kind != Kind::Face || hit.step != b.step) continue;
    const auto& names = b.body->faceNames;
    const auto face = std::find_if(names.begin(), names.end(), [&](const std::string& n) { return b.partName(n) == hit.part; });
    if (face == names.end()) continue;
    on.near.size = brep::signatureOf(*b.body, brep::PartKind::Face, int(face - names.begin())).size;
    body = recipe::PickRef{b.step, b.output, b.body->solid() ? Kind::Solid : Kind::Skin, {}, hit.at};
  }
  const std::string user = open_;
  auto made = recipe::withDrawn(session_.recipe(), {user, field_}, *what, on, body, session_.registry());
  session_.edit(std::move(made.recipe), tr("draw a %1").arg(said(session_.registry().find(what->kind)->label).toLower()));
  drawnFor_[made.step] = user;
  open_ = made.step;
  chooseField();
  showUntil();
  emit focusChanged();
}

std::string Focus::drawnFor() const {
  const auto it = drawnFor_.find(open_);
  return it == drawnFor_.end() ? std::string() : it->second;
}

bool Focus::canMean(const scene::Hit& hit) const {
  const auto* open = session_.recipe().find(open_);
  if (!open || hit.step != open_ || !activeField() || activeField()->kind != FieldKind::Picks) return true;
  return recipe::beforeStep(*open, hit, *results_.model()).has_value();
}

const recipe::Step* Focus::madeBy(const scene::Hit& hit) const {
  const Field* f = activeField();
  const auto* open = session_.recipe().find(open_);
  if (!open || !f || f->kind != FieldKind::Picks || recipe::has(f->accepts, hit.kind) || hit.step == open_) return nullptr;
  return session_.registry().madeByClick(f->accepts, hit.kind);
}

void Focus::pick(const scene::Hit& hit, bool toggle) {
  if (!drawing_.empty()) return drawOn(hit);
  if (const recipe::Step* kind = madeBy(hit)) {
    const std::string replacing = std::exchange(replacing_, {});
    session_.edit(recipe::withMadeByClick(session_.recipe(), {open_, field_}, *kind, hit, replacing, *results_.model(), session_.registry()).recipe,
                  tr("pick a %1 here").arg(said(kind->label).toLower()));
    if (activeField() && activeField()->most == 1) chooseField();
    return emit focusChanged();
  }
  if (const auto* open = session_.recipe().find(open_); open && hit.step == open_ && activeField() && activeField()->kind == FieldKind::Picks)
    if (const auto before = recipe::beforeStep(*open, hit, *results_.model())) {
      scene::Hit meant = hit;
      static_cast<recipe::PickRef&>(meant) = *before;
      return pick(meant, toggle);
    }
  const auto* entry = session_.recipe().find(open_);
  const Field* f = activeField();
  if (entry && f && f->kind == FieldKind::Picks && recipe::has(f->accepts, hit.kind)) {
    const Field* other = recipe::otherFieldFor(*entry, *f, hit, session_.registry().schemaOf(entry->kind));
    if (other && replacing_.empty()) {
      unfold(open_, other->key);
      return pick(hit, toggle);
    }
    const auto next = recipe::withPick(*entry, *f, hit, replacing_, *results_.model());
    replacing_.clear();
    session_.edit(session_.recipe().withStep(next), tr("pick"));
    // Where this field has what it needs and another one does not, picking goes on there.
    if (f->most == 1 || (!held_ && f->othersGoTo.empty() && recipe::pickedCount(*next, f->key) >= f->least && wantsPicks()))
      chooseField();
    return emit focusChanged();
  }
  const auto known =
      std::find_if(selection_.begin(), selection_.end(), [&](const scene::Hit& h) { return recipe::same(h, hit); });
  const bool had = known != selection_.end();
  if (had) selection_.erase(known);
  if (!toggle && !(had && selection_.empty())) selection_.clear();
  if (!had) selection_.push_back(hit);
  emit focusChanged();
}

void Focus::pickAll(const std::vector<scene::Hit>& hits) {
  const Field* f = activeField();
  if (f && f->kind == FieldKind::Picks) {
    const auto& entry = *session_.recipe().find(open_);
    std::vector<recipe::PickRef> meant;
    for (const scene::Hit& h : hits) meant.push_back(h.step == open_ ? recipe::beforeStep(entry, h, *results_.model()).value_or(h) : recipe::PickRef(h));
    const auto next = recipe::withPicks(entry, *f, meant);
    if (*next->inputs != *entry.inputs) session_.edit(session_.recipe().withStep(next), tr("pick"));
  } else {
    for (const scene::Hit& h : hits)
      if (std::none_of(selection_.begin(), selection_.end(), [&](const auto& s) { return recipe::same(s, h); }))
        selection_.push_back(h);
  }
  emit focusChanged();
}

void Focus::pickChain(const scene::Hit& edge, const std::vector<scene::Hit>& chain) {
  const Field* f = activeField();
  const Field* extent = f ? recipe::findField(f->each, "extent") : nullptr;
  if (!extent || !recipe::has(f->accepts, Kind::Edge)) return pickAll(chain);
  // Where whole openings count anyway one pick of them is enough.
  if (std::none_of(extent->options.begin(), extent->options.end(), [](const auto& o) { return o.key == "chain"; })) return pickAll({edge});
  const recipe::Recipe with =
      session_.recipe().withStep(recipe::withPicks(*session_.recipe().find(open_), *f, {edge}));
  session_.edit(recipe::withExtent(with, {open_, f->key}, edge, "chain"), tr("pick"));
  emit focusChanged();
}

void Focus::clearSelection() {
  selection_.clear();
  emit focusChanged();
}

// Points --------------------------------------------------------------------------------------------------------------

std::optional<recipe::PointsPlace> Focus::placeOf(const recipe::StepEntry& entry, const Field& f) const {
  return recipe::placeOf(entry, f, *results_.model());
}

void Focus::addPoint(const recipe::PointedAt& to) {
  session_.edit(recipe::withNewPoint(session_.recipe(), {open_, field_}, to, pointsIn()), tr("add a point"));
}

void Focus::dragPoint(const recipe::ItemRef& point, const recipe::PointedAt& to) {
  session_.dragTo(recipe::withPointAt(session_.recipe(), point, to, pointsIn()));
}

// Rows ----------------------------------------------------------------------------------------------------------------

void Focus::chooseRows(std::vector<std::string> ids) {
  rows_.clear();
  for (const auto& s : session_.recipe().steps)
    if (std::find(ids.begin(), ids.end(), s->id) != ids.end()) rows_.push_back(s->id);
  emit focusChanged();
}

bool Focus::done() {
  if (const std::string user = drawnFor(); !user.empty()) return unfold(user), true;
  if (session_.draft().empty()) return false;
  session_.keepDraft();
  return true;
}

bool Focus::back() {
  if (!replacing_.empty() || !drawing_.empty()) return replacing_.clear(), drawing_.clear(), showUntil(), emit focusChanged(), true;
  if (!rows_.empty()) return chooseRows({}), true;
  if (!selection_.empty()) return clearSelection(), true;
  if (const std::string user = drawnFor(); !user.empty()) return unfold(user), true;
  if (!session_.draft().empty()) return session_.dropDraft(), true;
  if (!open_.empty()) return unfold({}), true;
  return false;
}

void Focus::clear() {
  open_.clear();
  field_.clear();
  replacing_.clear();
  drawing_.clear();
  drawnFor_.clear();
  selection_.clear();
  rows_.clear();
}

} // namespace lumsk::app

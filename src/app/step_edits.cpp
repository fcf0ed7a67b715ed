#include "app/step_edits.h"

#include "app/words.h"
#include "recipe/crossed.h"
#include "recipe/rearrange.h"

#include <algorithm>

namespace lumsk::app {

using recipe::Recipe;

namespace {

QString tr(const char* words) { return Session::tr(words); }

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

void StepEdits::turnItem(const recipe::ItemRef& ref, int group) {
  auto [next, field] = recipe::withItemTurned(recipe(), ref, group, session_.registry());
  if (field) session_.edit(std::move(next), tr("change %1").arg(said(field->label).toLower()));
}

void StepEdits::take(const std::string& step, const Remedy& offer) {
  const Recipe next = recipe::withRemedy(recipe(), step, offer, session_.registry());
  if (const auto* entry = next.find(step)) // by the field, so that the focus follows a choice
    session_.setInput(step, offer.field, entry->inputs->value(offer.field, json()), said(offer.text));
}

void StepEdits::swapDirections(const std::string& step) {
  const auto* entry = recipe().find(step);
  if (const auto turned = entry ? recipe::swapped(*entry, session_.registry()) : nullptr)
    session_.edit(recipe().withStep(turned), tr("swap directions"));
}

void StepEdits::makeAs(const std::string& step, const std::string& kind) {
  const auto* entry = recipe().find(step);
  if (!entry) return;
  const auto* known = results_.model()->result(step);
  const auto families = recipe::familiesIn(known ? known->outcome : nullptr);
  if (const auto made = recipe::madeAs(*entry, kind, session_.registry(), families)) {
    session_.edit(recipe().withStep(made),
                  tr("make it a %1").arg(said(session_.registry().find(kind)->label).toLower()));
    emit focus_.focusChanged();
  }
}

std::pair<std::string, nlohmann::json> StepEdits::repeatOf(const std::string& step) const {
  const auto* made = results_.model()->result(step);
  if (made && made->outcome)
    for (const recipe::Step& s : session_.registry().all())
      if (s.repeats)
        if (auto inputs = s.repeats(step, *made->outcome); !inputs.is_null()) return {s.kind, std::move(inputs)};
  return {};
}

bool StepEdits::canRepeat(const std::string& step) const { return !repeatOf(step).first.empty(); }

void StepEdits::repeat(const std::string& step) {
  if (const auto [kind, inputs] = repeatOf(step); !kind.empty()) focus_.start(kind, &inputs);
}

void StepEdits::rename(const std::string& id, const QString& label) {
  if (recipe().find(id) && !label.trimmed().isEmpty())
    session_.edit(recipe::withLabel(recipe(), id, label.trimmed().toStdString()), tr("rename"));
}

void StepEdits::setOn(const std::vector<std::string>& ids, bool on) {
  session_.edit(recipe::withSwitched(recipe(), ids, on), on ? tr("switch on") : tr("switch off"));
}

void StepEdits::move(const std::string& id, int place) {
  auto next = recipe::movedTo(recipe(), id, place, session_.registry());
  if (!next) return emit news_.told(said(next.error()));
  if (recipe().indexOf(id) != next->indexOf(id)) session_.edit(std::move(*next), tr("move a step"));
}

void StepEdits::duplicate(const std::vector<std::string>& ids) {
  session_.keepDraft();
  session_.edit(recipe::duplicated(recipe(), ids, session_.registry()), tr("duplicate"));
}

std::string StepEdits::copied(const std::vector<std::string>& ids) const {
  return recipe::clipOf(recipe(), ids, session_.registry());
}

void StepEdits::paste(const std::string& clip) {
  session_.keepDraft();
  auto made = recipe::pasted(recipe(), clip, session_.registry());
  if (!made) return emit news_.told(said(made.error()));
  session_.edit(std::move(made->recipe), tr("paste"));
  QString words = made->steps.size() == 1 ? tr("pasted 1 step") : tr("pasted %1 steps").arg(made->steps.size());
  if (made->dropped) words += tr("; picks of things that are not here were left out: %1").arg(made->dropped);
  emit news_.told(words);
  focus_.chooseRows(made->steps);
}

void StepEdits::group(const std::vector<std::string>& ids, const QString& name) {
  session_.edit(recipe::withGroup(recipe(), ids, name.trimmed().toStdString()),
                name.isEmpty() ? tr("ungroup") : tr("group"));
}

void StepEdits::colour(const std::vector<std::string>& ids, const std::string& colour) {
  session_.edit(recipe::withColour(recipe(), ids, colour), tr("colour rows"));
}

void StepEdits::setHere(const std::string& id) {
  session_.keepDraft();
  Recipe next = recipe();
  next.here = !next.steps.empty() && next.steps.back()->id == id ? std::string() : id;
  if (next.here != recipe().here) session_.edit(std::move(next), tr("move the here mark"));
}

void StepEdits::remove(const std::vector<std::string>& ids) {
  if (ids.size() == 1 && ids.front() == session_.draft()) return session_.dropDraft();
  session_.dropDraft();
  Recipe next = recipe();
  for (const std::string& id : ids) next = next.without(id);
  if (next.steps.size() == recipe().steps.size()) return;
  const auto* only = ids.size() == 1 ? recipe().find(ids.front()) : nullptr;
  const QString words = only ? tr("remove %1").arg(QString::fromStdString(only->label))
                             : tr("remove %1 steps").arg(ids.size());
  if (!next.find(focus_.open())) focus_.unfold({});
  session_.edit(std::move(next), words);
}

void StepEdits::setLook(const std::vector<std::string>& ids, const std::function<void(recipe::Look&)>& change,
                        const QString& words) {
  Recipe next = recipe();
  for (const std::string& id : ids) change(next.looks[id]);
  session_.edit(std::move(next), words);
}

std::pair<std::string, std::string> StepEdits::faceOf(const scene::Hit& face) const {
  if (face.kind != recipe::Kind::Face) return {};
  for (const recipe::BodyEntry& b : results_.model()->bodies) {
    if (b.step != face.step) continue;
    const std::string begin = b.output.empty() ? "" : b.output + "/";
    if (face.part.rfind(begin, 0) != 0) continue;
    const std::string name = face.part.substr(begin.size());
    if (std::find(b.body->faceNames.begin(), b.body->faceNames.end(), name) != b.body->faceNames.end()) return {b.id, name};
  }
  return {};
}

void StepEdits::colourFaces(const std::vector<scene::Hit>& faces, const std::string& colour) {
  Recipe next = recipe();
  for (const scene::Hit& f : faces)
    if (const auto [body, name] = faceOf(f); !body.empty()) {
      if (colour.empty()) next.looks[body].faces.erase(name);
      else next.looks[body].faces[name] = colour;
    }
  session_.edit(std::move(next), tr("colour of a face"));
}

namespace {

bool isMadeBy(const std::string& face, const std::string& step) { return face.rfind(step + ".", 0) == 0; }

} // namespace

void StepEdits::colourFacesOf(const std::string& step, const std::string& colour) {
  Recipe next = recipe();
  for (const auto& b : results_.model()->bodies)
    for (const std::string& name : b.body->faceNames)
      if (isMadeBy(name, step)) next.looks[b.id].faces[name] = colour;
  session_.edit(std::move(next), tr("colour of faces"));
}

bool StepEdits::addsFaces(const std::string& step) const {
  const auto& bodies = results_.model()->bodies;
  return std::any_of(bodies.begin(), bodies.end(), [&](const auto& b) {
    const auto& names = b.body->faceNames;
    const auto own = std::count_if(names.begin(), names.end(), [&](const std::string& n) { return isMadeBy(n, step); });
    return own > 0 && own < std::ptrdiff_t(names.size());
  });
}

bool StepEdits::hasOwnColour(const scene::Hit& face) const {
  const auto [body, name] = faceOf(face);
  const auto look = recipe().looks.find(body);
  return look != recipe().looks.end() && look->second.faces.count(name) > 0;
}

void StepEdits::setVisible(const std::vector<std::string>& ids, bool visible) {
  setLook(
      ids, [visible](recipe::Look& l) { l.visible = visible; }, visible ? tr("show") : tr("hide"));
}

void StepEdits::showOnly(const std::vector<std::string>& ids) {
  Recipe next = recipe();
  for (const std::string& id : shownIds(*results_.model()))
    next.looks[id].visible = std::find(ids.begin(), ids.end(), id) != ids.end();
  session_.edit(std::move(next), tr("show only"));
}

void StepEdits::showAll() { setVisible(shownIds(*results_.model()), true); }

} // namespace lumsk::app

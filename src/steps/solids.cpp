#include "steps/solids.h"

#include "brep/cover.h"
#include "brep/names.h"
#include "steps/bodies.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;

namespace {

Unexpected cannotCover(const Vec3& at) {
  return fail(problem("LM-L034", "the ends of this skin cannot be covered: it is not closed around")
                  .at(at)
                  .inField("solid")
                  .tryThis("take closed sections, or leave it a skin"));
}

Vec3 startOf(const brep::Ring& r) { return brep::pointsAlong(r, 1).row(0).transpose(); }

/// The ring of a skin within that opens the cover of another one: the nearest to it.
const brep::Ring& ringBeside(const std::vector<brep::Ring>& rings, const brep::Ring& outer) {
  const Vec3 middle = brep::pointsAlong(outer, 4).colwise().mean().transpose();
  const brep::Ring* best = &rings.front();
  double nearest = 1e300;
  for (const brep::Ring& r : rings)
    if (const double d = (brep::pointsAlong(r, 4).colwise().mean().transpose() - middle).norm(); d < nearest)
      nearest = d, best = &r;
  return *best;
}

/// Closed skins within a closed one are hollows of its solid.
Expected<brep::BodyPtr> hollowed(const std::vector<MadeSkin>& skins, size_t number, const Context& cx) {
  const auto filled = [&](const brep::Body& skin) { return brep::knitFaces(brep::namedFaces(skin), {10 * cx.tolerances.point.mm}, cx); };
  LUMSK_TRY(outer, filled(*skins[number].skin));
  brep::BodyPtr left = outer.body;
  for (int h : skins[number].holes) {
    LUMSK_TRY(hollow, filled(*skins[size_t(h)].skin));
    LUMSK_TRY(pieces, brep::combined(left, {hollow.body}, brep::Combine::Cut, cx));
    left = pieces.front();
  }
  return left;
}

Expected<brep::BodyPtr> solidOf(const Inputs& in, const std::vector<MadeSkin>& skins, size_t number, const Context& cx) {
  const MadeSkin& made = skins[number];
  const auto rings = made.covers.empty() ? brep::openRings(made.skin->shape) : made.covers;
  if (!made.closed && !rings.empty()) return cannotCover(startOf(rings.front()));
  if (rings.empty() && !made.holes.empty()) return hollowed(skins, number, cx);
  std::vector<brep::NamedFace> faces = brep::namedFaces(*made.skin);
  std::vector<std::vector<brep::Ring>> within;
  for (int h : made.holes) {
    const brep::Body& hole = *skins[size_t(h)].skin;
    const auto more = brep::namedFaces(hole);
    faces.insert(faces.end(), more.begin(), more.end());
    within.push_back(brep::openRings(hole.shape));
  }
  // Several solids of one step have covers of their own names.
  const std::string prefix = number == 0 ? "" : std::to_string(number + 1) + ".";
  for (size_t k = 0; k < rings.size(); ++k) {
    std::vector<brep::Ring> holes;
    for (const auto& w : within)
      if (!w.empty()) holes.push_back(ringBeside(w, rings[k]));
    LUMSK_TRY(cover, brep::cover(rings[k], brep::faceName(in.stepId(), "cover", prefix + std::to_string(k + 1)), cx, holes));
    faces.push_back(cover.face);
  }
  LUMSK_TRY(knitted, brep::knitFaces(faces, {10 * cx.tolerances.point.mm}, cx));
  if (!knitted.body->solid())
    return cannotCover(rings.empty() ? Vec3(Vec3::Zero()) : startOf(rings.front()));
  return knitted.body;
}

} // namespace

void addSolid(Schema& s, const std::string& help) {
  s.push_back(toggle("solid", "Solid", help, false));
  addTarget(s, {"solid", {"true"}, false});
}

void addTarget(Schema& s, const Condition& when) {
  Field target = picks("target", "Targets", "Solids that this one is combined with.", Kind::Solid).optional();
  Field combine = choice("combine", "With the targets", "Added to them, which makes one body; cut out of each; or what each has in common with it.", {{"add", "add"}, {"cut", "cut"}, {"common", "common"}})
                      .when("target", {"picked"});
  for (Field* f : {&target, &combine}) f->conditions.push_back(when);
  s.push_back(std::move(target));
  s.push_back(std::move(combine));
}

namespace {
std::string numbered(const std::string& begin, size_t k) { return k == 0 ? begin : begin + std::to_string(k + 1); }
} // namespace

Expected<std::vector<brep::BodyPtr>> solidsOf(const Inputs& in, const std::vector<MadeSkin>& skins, const Context& cx) {
  std::vector<brep::BodyPtr> out;
  for (size_t k = 0; k < skins.size(); ++k) {
    if (skins[k].within) continue;
    LUMSK_TRY(solid, solidOf(in, skins, k, cx));
    out.push_back(solid);
  }
  return out;
}

Expected<void> putSolids(Outcome& out, const Inputs& in, std::vector<brep::BodyPtr> solids, const Context& cx) {
  if (!in.has("target") || in.picked("target").empty()) {
    for (size_t k = 0; k < solids.size(); ++k) out.outputs.push_back({numbered("", k), std::move(solids[k]), ""});
    return {};
  }
  return combineInto(out, in, "target", *brep::combineFrom(in.text("combine")), solids, cx);
}

Expected<void> combineInto(Outcome& out, const Inputs& in, const std::string& field, brep::Combine how, const std::vector<brep::BodyPtr>& solids, const Context& cx) {
  std::vector<PickedParts> targets = partsByBody(in.picked(field));
  const bool none = out.outputs.empty();
  std::vector<brep::BodyPtr> tools = solids;
  for (const PickedParts& t : targets) out.usedUp.push_back(t.object);
  if (how == brep::Combine::Add) { // all become one
    for (size_t i = 1; i < targets.size(); ++i) tools.push_back(targets[i].body);
    targets.resize(1);
  }
  for (size_t i = 0; i < targets.size(); ++i) {
    auto pieces = brep::combined(targets[i].body, tools, how, cx);
    if (!pieces) {
      Problem p = pieces.error();
      if (targets.size() > 1) p.item = targets[i].item;
      return fail(p.field.empty() && targets.size() > 1 ? p.inField(field) : p);
    }
    for (size_t k = 0; k < pieces->size(); ++k)
      out.outputs.push_back({numbered(i == 0 && none ? "" : targets[i].item + (k == 0 ? "" : "-"), k), std::move((*pieces)[k]), k == 0 ? targets[i].object : ""});
  }
  size_t alone = size_t(std::count_if(out.outputs.begin(), out.outputs.end(), [](const Output& o) { return !o.alone.empty(); }));
  for (const brep::BodyPtr& s : solids) {
    out.outputs.push_back({numbered(kAlone, alone++), s, ""});
    out.outputs.back().alone = brep::combineName(how);
    out.usedUp.push_back(objectId(in.stepId(), out.outputs.back().name));
  }
  return {};
}

Expected<void> putOut(Outcome& out, const Inputs& in, const std::vector<MadeSkin>& skins, const Context& cx) {
  if (in.on("solid")) {
    LUMSK_TRY(solids, solidsOf(in, skins, cx));
    return putSolids(out, in, std::move(solids), cx);
  }
  for (size_t k = 0; k < skins.size(); ++k) out.outputs.push_back({k == 0 ? "" : std::to_string(k + 1), skins[k].skin, ""});
  return {};
}

} // namespace lumsk::steps

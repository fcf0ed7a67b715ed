#include "steps/skin_curves.h"

namespace lumsk::steps {

using namespace recipe;

Field onSkins(const std::string& key, const std::string& label, const std::string& help) {
  return picks(key, label, help, Kind::Skin | Kind::Solid | Kind::Face).prefer(Kind::Skin);
}

Expected<std::vector<brep::BodyFaces>> facesOf(const Inputs& in, const std::string& key, const Context& cx) {
  std::vector<brep::BodyFaces> out;
  for (const Picked& p : in.picked(key)) {
    const auto* body = std::get_if<brep::BodyPtr>(&p.object);
    if (!body) continue;
    LUMSK_TRY(faces, brep::BodyFaces::of(**body, p.kind == Kind::Face ? p.index : -1, cx));
    out.push_back(std::move(faces));
  }
  return out;
}

void addFound(brep::FoundCurves more, brep::FoundCurves& to) {
  to.curves.insert(to.curves.end(), more.curves.begin(), more.curves.end());
  to.touches.insert(to.touches.end(), more.touches.begin(), more.touches.end());
  to.deviationMm = std::max(to.deviationMm, more.deviationMm);
  to.contact = to.contact || more.contact;
}

Expected<Outcome> foundOutcome(brep::FoundCurves found, const std::string& field, const std::string& none,
                               const Context& cx) {
  if (found.curves.empty()) {
    Problem p =
        problem("LM-P030", found.touches.empty() ? none : "they touch in points only").tryThis("move one of them");
    p.where = found.touches;
    return fail(p.inField(field));
  }
  const size_t n = found.curves.size();
  Outcome out = curvesOutcome(std::move(found.curves), n == 1 ? "one curve" : std::to_string(n) + " curves");
  if (n == 1) out.summary = curveSummary(*std::get<CurvePtr>(out.outputs.front().object));
  out.summary += " - within " + format(millimetres(found.deviationMm), 1);
  if (found.contact)
    out.notes.push_back(problem("LM-P109", "some of these curves are contact: the skins touch there and do not cross"));
  if (!found.touches.empty()) {
    Problem note =
        problem("LM-P102", "there are also lone places of contact").measure(count(double(found.touches.size())));
    note.where = found.touches;
    out.notes.push_back(std::move(note));
  }
  noteDeviation(out, found.deviationMm, std::get<CurvePtr>(out.outputs.front().object)->start(), cx.tolerances);
  return out;
}

} // namespace lumsk::steps

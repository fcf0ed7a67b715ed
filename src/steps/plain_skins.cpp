#include "steps/plain_skins.h"

#include "brep/edge_paths.h"
#include "brep/names.h"
#include "brep/skin.h"
#include "steps/skins.h"

namespace lumsk::steps {

using namespace recipe;

Field plainProfilesField(const std::string& what) {
  return picks("sections", "Profiles",
               what + " Curves, chains and loops of edges, faces with their openings; closed ones within others are openings.",
               Kind::Curve | Kind::Edge | Kind::Face)
      .atLeast(1)
      .prefer(Kind::Curve | Kind::Edge)
      .eachWith({extentField()});
}

Field plainFacesField() {
  return choice("faces", "Faces", "One a piece of the profile, or one from corner to corner.",
                {{"pieces", "one a piece"}, {"all", "merged where smooth"}})
      .seldomSet();
}

Expected<PlainProfiles> plainProfilesIn(const Inputs& in, const Tolerances& tol) {
  PlainProfiles out;
  LUMSK_TRY(picked, sectionsIn(in, "sections", tol, "profile"));
  for (const PickedSection& s : picked) {
    out.picked.push_back(s);
    out.names.push_back(s.item);
    out.paths.push_back(*s.curve);
    if (s.pick.kind != Kind::Face) continue;
    LUMSK_TRY(holes, brep::holesOf(*s.pick.body, s.pick.index, tol.point));
    for (nurbs::Path& h : holes) {
      out.picked.push_back(s);
      out.names.push_back(s.item + "-" + std::to_string(out.paths.size()));
      out.paths.push_back(std::move(h));
    }
  }
  std::vector<const nurbs::Path*> borders;
  for (const nurbs::Path& p : out.paths) borders.push_back(&p);
  out.nest = nurbs::nestingOf(borders, tol.point);
  if (out.paths.size() == 1) out.names.front().clear();
  return out;
}

Expected<brep::BodyPtr> plainBody(const Inputs& in, const nurbs::PlainSkin& skin, const PlainProfiles& profiles, size_t number,
                                  bool reversed, const Context& cx) {
  std::vector<brep::NamedSurface> faces;
  const std::string& item = profiles.picked[number].item;
  for (const auto& f : skin.faces) {
    std::string source = profiles.names[number];
    if (skin.pieces > 1) source += (source.empty() ? "" : ",") + std::string("piece") + std::to_string(f.piece + 1) + "of" + std::to_string(skin.pieces);
    if (f.back) source += source.empty() ? "back" : ",back";
    faces.push_back({std::make_shared<const nurbs::Surface>(f.surface), brep::faceName(in.stepId(), "skin", source), reversed,
                     sideNames({"", "", item, item}), {}});
  }
  return brep::skinFromSurfaces(faces, cx);
}

void sayPlain(Outcome& out, const std::vector<nurbs::PlainSkin>& skins) {
  int controls = 0, faces = 0;
  double off = 0;
  for (const auto& s : skins) {
    faces += int(s.faces.size());
    off = std::max(off, s.deviationMm);
    for (const auto& f : s.faces) controls += f.surface.controlPoints();
  }
  out.summary += " - " + std::to_string(faces) + (faces == 1 ? " face - " : " faces - ") + std::to_string(controls) + " points" +
                 (off > 0 ? " - " + format(millimetres(off), 1) : "");
}

Problem ofProfile(Problem p, const PlainProfiles& profiles, size_t number) {
  if (p.field.empty()) p.inField("sections");
  if (p.field == "sections" && p.item.empty() && profiles.paths.size() > 1) p.item = profiles.picked[number].item;
  return p;
}

} // namespace lumsk::steps

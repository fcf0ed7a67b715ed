#include "steps/plain_skins.h"

#include "brep/edge_paths.h"
#include "brep/names.h"
#include "brep/skin.h"
#include "nurbs/on_skin/planar.h"
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

void addWall(Schema& s) {
  s.push_back(choice("wall", "Wall", "Profiles are borders as they are; or lines that are given a width, in their plane: grooves and ribs.",
                     {{"none", "none: borders"}, {"middle", "half to either side"}, {"left", "to the left"}, {"right", "to the right"}, {"both", "each side its own"}}));
  s.push_back(length("left", "Width", "Of the wall; with each side its own, to the left of the line.", "1").within(0, 1e4).unless("wall", {"none"}));
  s.push_back(length("right", "Width right", "To the right of the line.", "1").within(0, 1e4).when("wall", {"both"}));
}

namespace {

/// Every profile becomes the borders of the wall along it.
Expected<void> giveWalls(PlainProfiles& p, const Inputs& in, const std::function<std::optional<Vec3>(const nurbs::Path&)>& squareTo, const Context& cx) {
  const std::string how = in.text("wall");
  const double width = in.number("left"), left = how == "middle" ? 0.5 * width : how == "right" ? 0.0 : width;
  const double right = how == "middle" ? 0.5 * width : how == "right" ? width : how == "both" ? in.number("right") : 0.0;
  if (!(left + right > cx.tolerances.point.mm))
    return fail(problem("LM-P052", "the wall has no width").measure(millimetres(left + right)).at(p.paths.front().start()).inField("left").tryThis("give it a width above nought"));
  PlainProfiles out;
  for (size_t k = 0; k < p.paths.size(); ++k) {
    auto plane = nurbs::fitPlane(nurbs::polyline(p.paths[k], 16));
    if (!plane.unique) {
      const Vec3 along = (p.paths[k].end() - p.paths[k].start()).normalized();
      const auto normal = squareTo(p.paths[k]);
      if (normal) plane.frame = Frame{p.paths[k].start(), along, normal->cross(along).normalized()};
    } else if (!p.paths[k].closed() && plane.frame.normal().dot(nurbs::squareTo({p.paths[k]}, cx.tolerances.point)) < 0) {
      plane.frame.y = -plane.frame.y;
    }
    auto band = nurbs::bandAlong(p.paths[k], plane.frame, left, right, cx);
    if (!band) {
      Problem told = band.error();
      told.item = p.picked[k].item;
      return fail(told.inField(told.code == "LM-P051" ? "sections" : "left"));
    }
    for (size_t i = 0; i < band->size(); ++i) {
      out.picked.push_back(p.picked[k]);
      out.names.push_back(p.names[k] + (i ? "-within" : ""));
      out.paths.push_back(std::move((*band)[i]));
    }
  }
  p = std::move(out);
  return {};
}

} // namespace

Expected<PlainProfiles> plainProfilesIn(const Inputs& in, const std::function<std::optional<Vec3>(const nurbs::Path&)>& squareTo, const Context& cx) {
  const Tolerances& tol = cx.tolerances;
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
  if (in.text("wall") != "none") LUMSK_CHECK(giveWalls(out, in, squareTo, cx));
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

#include "nurbs/loft.h"

#include "brep/names.h"
#include "brep/skin.h"
#include "steps/skins.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

Schema schema() {
  return {
      picks("sections", "Sections", "Curves the skin passes through, in order; a point may be first or last.",
            Kind::Curve | Kind::Edge | Kind::Point)
          .atLeast(2)
          .eachWith({startMark(), flip()}),
      continuity("start", "Start",
                 "How the skin leaves the first section: free, square to its plane (at a point: rounded), or G3 at a "
                 "mirror plane.",
                 {"free", "perpendicular", "g3"}),
      ratioField("startPull", "Pull", "Strength of the start condition.", "1")
          .within(0.05, 10)
          .when("start", {"perpendicular"})
          .withHandle(Handle::Magnitude),
      continuity("end", "End",
                 "How the skin reaches the last section: free, square to its plane (at a point: rounded), or G3 at "
                 "a mirror plane.",
                 {"free", "perpendicular", "g3"}),
      ratioField("endPull", "Pull", "Strength of the end condition.", "1")
          .within(0.05, 10)
          .when("end", {"perpendicular"})
          .withHandle(Handle::Magnitude),
      countField("degree", "Degree across", "Degree across the sections; lowered when there are too few.", "3")
          .within(1, 7),
      sideMeets("left", "Side at starts", "How the skin leaves the side where open sections start"),
      sideMeets("right", "Side at ends", "How the skin leaves the side where open sections end"),
      mirrorPlaneField()};
}

Expected<std::vector<nurbs::Section>> sectionsOf(const Inputs& in, const Tolerances& tol) {
  std::vector<nurbs::Section> out;
  const auto& picked = in.picked("sections");
  for (size_t i = 0; i < picked.size(); ++i) {
    nurbs::Section s;
    if (const auto* point = std::get_if<PointObject>(&picked[i].object)) {
      s.shape = point->at;
    } else {
      const auto& path = *std::get<CurvePtr>(picked[i].object);
      if (const auto at = nurbs::selfCrossings(path, tol.point); !at.empty())
        return fail(problem("LM-L007", "section " + std::to_string(i + 1) + " crosses itself")
                        .at(at.front())
                        .inField("sections")
                        .tryThis("mend that curve"));
      s.shape = path;
    }
    s.start = in.itemNumber("sections", i, "start");
    s.flip = in.itemOn("sections", i, "flip");
    out.push_back(std::move(s));
  }
  return out;
}

/// A flag at every section's start, pointing along it.
std::vector<Flag> flagsFor(const std::vector<nurbs::Section>& sections, const nurbs::LoftResult& r, const Inputs& in) {
  std::vector<Flag> out;
  for (size_t i = 0; i < sections.size(); ++i) {
    Flag f;
    f.field = "sections";
    f.item = in.picked("sections")[i].item;
    if (const nurbs::Path* p = sections[i].path()) {
      const nurbs::ArcLength length(*p);
      const auto& a = r.alignment.sections[i];
      f.at = nurbs::alignedPoint(sections[i], length, a, 0.0);
      f.direction = (nurbs::alignedPoint(sections[i], length, a, 0.004) - f.at).normalized();
      f.startMovable = r.alignment.closed;
    } else {
      f.at = *sections[i].point();
    }
    out.push_back(f);
  }
  return out;
}

void noteAlignment(Outcome& out, const nurbs::LoftResult& r) {
  std::string directions, starts;
  for (size_t i = 0; i < r.alignment.sections.size(); ++i) {
    if (r.alignment.sections[i].changedDirection)
      directions += (directions.empty() ? "" : ", ") + std::to_string(i + 1);
    if (r.alignment.sections[i].changedStart) starts += (starts.empty() ? "" : ", ") + std::to_string(i + 1);
  }
  if (!directions.empty())
    out.notes.push_back(problem("LM-L101", "turned the direction of section " + directions + " for least twist"));
  if (!starts.empty())
    out.notes.push_back(problem("LM-L102", "moved the start of section " + starts + " for least twist"));
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(sections, sectionsOf(in, cx.tolerances));
  nurbs::LoftOptions o;
  o.degree = in.integer("degree");
  const auto end = [&](const char* key) {
    const std::string how = in.text(key);
    return how == "perpendicular" ? nurbs::LoftEnd::Perpendicular
           : how == "g3"          ? nurbs::LoftEnd::G3
                                  : nurbs::LoftEnd::Free;
  };
  o.start = end("start");
  o.end = end("end");
  o.left = sideMeetsOf(in.text("left"));
  o.right = sideMeetsOf(in.text("right"));
  o.mirror = mirrorPlane(in);
  if (in.has("startPull")) o.startPull = in.number("startPull");
  if (in.has("endPull")) o.endPull = in.number("endPull");
  LUMSK_TRY(r, nurbs::loft(sections, o, cx));

  const bool reversed = (r.alignment.closed || r.mirror) && facesInwards(r.strips, r.mirror);
  std::vector<brep::NamedSurface> faces;
  int controls = 0;
  for (size_t k = 0; k < r.strips.size(); ++k) {
    controls += r.strips[k].controlPoints();
    faces.push_back({std::make_shared<const nurbs::Surface>(r.strips[k]),
                     brep::faceName(in.stepId(), "skin", r.strips.size() > 1 ? "strip" + std::to_string(k + 1) : ""),
                     reversed,
                     sideNames({"", "", in.picked("sections").front().item, in.picked("sections").back().item})});
  }
  LUMSK_TRY(body, brep::skinFromSurfaces(faces, cx));
  Outcome out;
  out.outputs.push_back({"", body, ""});
  out.flags = flagsFor(sections, r, in);
  noteAlignment(out, r);
  if (r.degree < o.degree)
    out.notes.push_back(problem("LM-L103", "too few sections for the degree across")
                            .measure(count(r.degree))
                            .want(count(o.degree))
                            .tryThis("add sections"));
  const double reach = 0.3 * (r.strips[0].at(0, 1) - r.strips[0].at(0, 0)).norm();
  nurbs::SurfaceDerivatives d;
  for (int k = 0; k < 2; ++k) {
    if ((k ? o.end : o.start) != nurbs::LoftEnd::Perpendicular) continue;
    r.strips[0].derivatives(0, k ? 1.0 : 0.0, 1, d);
    if (d(0, 1).norm() > 0)
      out.handles.push_back({k ? "endPull" : "startPull", d(0, 0), d(0, 1).normalized() * (k ? -1.0 : 1.0), reach});
  }
  out.summary = std::to_string(sections.size()) + " sections - " + std::to_string(controls) + " points - " +
                format(millimetres(r.sectionDeviationMm), 1);
  return out;
}

} // namespace

Step loft() { return {"loft", 1, "Loft", Stage::Surfaces, schema, compute}; }

} // namespace lumsk::steps

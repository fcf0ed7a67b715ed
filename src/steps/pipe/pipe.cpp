#include "nurbs/sweep/pipe.h"

#include "brep/combine.h"
#include "brep/merge.h"
#include "brep/names.h"
#include "brep/skin.h"
#include "nurbs/measure/arc_length.h"
#include "steps/graphs.h"
#include "steps/sections.h"
#include "steps/skins.h"
#include "steps/solids.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;

namespace pipe_ {

constexpr int kGraphLooks = 200;
constexpr double kFitsPart = 0.97; ///< of the largest size that does not fold

Schema schema() {
  Schema s{
      picks("paths", "Curves", "Curves and edges to run along, any number of them; those that meet end to end run on in one another.",
            Kind::Curve | Kind::Edge)
          .atLeast(1)
          .eachWith({extentField(),
                     choice("sized", "Size", "As thick as all, or of a size of its own.", {{"all", "as all"}, {"own", "own size"}}),
                     length("own", "Size", "Of this one.", "3").within(0.001, 1e5).when("sized", {"own"}).withHandle(Handle::Distance)}),
      choice("section", "Section", "What the pipes are like across.",
             {{"round", "round"}, {"square", "square"}, {"triangle", "triangular"}, {"polygon", "polygon"}, {"own", "a curve"}}),
      countField("sides", "Sides", "Of the polygon.", "6").within(3, 64).when("section", {"polygon"}),
      picks("profile", "Profile", "A closed, flat curve; its middle runs along the curves.", Kind::Curve | Kind::Edge | Kind::Face)
          .atMost(1)
          .prefer(Kind::Curve)
          .when("section", {"own"}),
      choice("by", "Size by", "What the size says: of square and polygons it is counted across flats.", {{"diameter", "diameter"}, {"radius", "radius"}})
          .unless("section", {"own"}),
      length("size", "Size", "Of all that have none of their own.", "5").within(0, 1e5).withHandle(Handle::Distance).unless("section", {"own"}),
      length("wall", "Wall", "Thickness of hollow pipes; nought: not hollow.", "0").within(0, 1e5),
      choice("ends", "Ends", "Flat; half balls (hollow: half rings); or open, which leaves skins.",
             {{"flat", "flat"}, {"round", "round"}, {"open", "open"}}),
      choice("corners", "Corners", "Of the curves: both sides end in the plane between them, or they are rounded.",
             {{"mitre", "mitre"}, {"round", "round"}}),
      length("radius", "Radius", "Of the rounded corners.", "5").within(0.001, 1e5).when("corners", {"round"}),
      angle("twist", "Twist", "Along each curve, from its start to its end; any number of turns.", "0").within(-1e6, 1e6).seldomSet(),
      graph("twistAlong", "Twist along", "Degrees besides, by the fraction of the length.", Dimension::Angle).seldomSet(),
      ratioField("endSize", "Size at the end", "Beside that at the start.", "1").within(0.001, 1000).seldomSet(),
      graph("sizeAlong", "Size along", "Factors of the size by the fraction of the length.", Dimension::Ratio).seldomSet(),
      toggle("merge", "Merge", "Pipes that cross or branch become one solid; else each is by itself.", true).unless("ends", {"open"})};
  addTarget(s, {"ends", {"open"}, true});
  return s;
}

/// What goes along one another, and the sizes.
struct Runs {
  std::vector<PickedSection> picked;
  std::vector<nurbs::PipeRun> runs;
  std::vector<double> acrossMm; ///< one a run
  std::vector<bool> ownSize;
  const PickedSection& of(size_t run) const { return picked[size_t(*std::min_element(runs[run].curves.begin(), runs[run].curves.end()))]; }
};

/// Of a pick that has one, else nought.
double ownSize(const Inputs& in, const PickedSection& p) {
  const size_t k = p.places.front();
  return in.itemText("paths", k, "sized") == "own" ? in.itemNumber("paths", k, "own").value_or(0.0) : 0.0;
}

Expected<Runs> taken(const Inputs& in, const Tolerances& tol) {
  Runs out;
  LUMSK_TRY(picked, sectionsIn(in, "paths", tol, "curve"));
  out.picked = std::move(picked);
  const bool own = in.text("section") == "own";
  const double factor = own ? 0.0 : in.text("by") == "radius" ? 2.0 : 1.0;
  std::vector<double> sizes;
  std::vector<int> kinds;
  std::vector<nurbs::Path> curves;
  std::vector<double> across;
  for (const PickedSection& p : out.picked) {
    const double mine = ownSize(in, p);
    if (mine > 0 && own) {
      Problem refused = problem("LM-Z001", "a section of its own is as large as it is drawn").at(p.curve->start()).inField("paths").tryThis("let that curve be as all");
      refused.item = p.item;
      return fail(std::move(refused));
    }
    const double size = own ? 0.0 : factor * (mine > 0 ? mine : in.number("size"));
    auto same = std::find(sizes.begin(), sizes.end(), size);
    kinds.push_back(int(same - sizes.begin()));
    if (same == sizes.end()) sizes.push_back(size);
    curves.push_back(*p.curve);
    across.push_back(size);
  }
  LUMSK_TRY(runs, nurbs::runsOf(curves, kinds, tol.point));
  out.runs = std::move(runs);
  for (const auto& r : out.runs) {
    const size_t first = size_t(r.curves.front());
    out.acrossMm.push_back(across[first]);
    out.ownSize.push_back(ownSize(in, out.picked[first]) > 0);
  }
  return out;
}

Expected<nurbs::PipeOptions> optionsOf(const Inputs& in, const Tolerances& tol) {
  nurbs::PipeOptions o;
  const std::string section = in.text("section"), ends = in.text("ends");
  o.sides = section == "square" ? 4 : section == "triangle" ? 3 : section == "polygon" ? in.integer("sides") : 0;
  if (section == "own") {
    LUMSK_TRY(profile, sectionsIn(in, "profile", tol, "profile"));
    if (profile.empty()) return fail(problem("LM-Z001", "a curve as the pipes' section").inField("profile").isMissing());
    o.profile = *profile.front().curve;
  }
  o.wallMm = in.number("wall");
  LUMSK_TRY(twistAlong, graphOf(in, "twistAlong"));
  LUMSK_TRY(sizeAlong, graphOf(in, "sizeAlong"));
  const double twist = in.number("twist"), end = in.number("endSize");
  if (twist != 0 || twistAlong) {
    o.turnDeg = [twist, twistAlong](double f) { return twist * f + (twistAlong ? twistAlong(f) : 0.0); };
    double low = 0, high = 0;
    for (int i = 0; i <= kGraphLooks; ++i) {
      const double t = o.turnDeg(double(i) / kGraphLooks);
      low = std::min(low, t), high = std::max(high, t);
    }
    o.turns = (high - low) / 360;
  }
  if (end != 1 || sizeAlong)
    o.size = [end, sizeAlong](double f) { return (1 + (end - 1) * f) * (sizeAlong ? sizeAlong(f) : 1.0); };
  o.ends = ends == "round" ? nurbs::PipeEnds::Round : ends == "open" ? nurbs::PipeEnds::Open : nurbs::PipeEnds::Flat;
  o.corners = in.text("corners") == "round" ? nurbs::RailCorners::Round : nurbs::RailCorners::Mitre;
  if (in.has("radius")) o.cornerRadiusMm = in.number("radius");
  return o;
}

using Surfaces = std::vector<brep::NamedSurface>;

struct MadePipes {
  std::vector<MadeSkin> outer, inner; ///< one a run each; the latter of hollow ones that are not closed by half rings
  int controls = 0;
  double offMm = 0;
};

Problem explained(Problem p, const Inputs& in, const Runs& r, size_t run) {
  const PickedSection& first = r.of(run);
  if (p.code == "LM-Y003") {
    p.what = "the curve bends more tightly here than the pipe is thick";
    p.tryThis("make it thinner, or let the curve bend less");
    if (p.measured && p.required && !r.ownSize[run] && in.text("section") != "own") {
      const std::string fits = formatNumber(kFitsPart * in.number("size") * p.measured->value / p.required->value, 3);
      p.inField("size").offer({"make it " + fits + " mm", "size", fits});
    }
  }
  if (p.field == "rails" || p.field == "sections" || p.field.empty()) p.inField("paths");
  if (p.field == "paths" && p.item.empty() && r.runs.size() > 1) p.item = first.item;
  return p;
}

Expected<MadePipes> madePipes(const Inputs& in, const Runs& r, nurbs::PipeOptions o, const Context& cx) {
  MadePipes out;
  for (size_t k = 0; k < r.runs.size(); ++k) {
    if (cx.stopped()) return fail(cancelled());
    o.acrossMm = r.acrossMm[k];
    auto made = nurbs::pipe(r.runs[k].path, o, cx);
    if (!made) return fail(explained(made.error(), in, r, k));
    const std::string item = r.of(k).item, which = r.runs.size() > 1 ? item : "";
    Surfaces outer, inner;
    addSwept(outer, in, made->outer, "skin", which, item);
    if (made->inner) addSwept(inner, in, *made->inner, "inner", which, item);
    for (size_t e = 0; e < made->caps.size(); ++e)
      outer.push_back({std::make_shared<const nurbs::Surface>(made->caps[e]), brep::faceName(in.stepId(), e ? "last" : "first", which), false, {}, {}});
    const bool lips = made->inner && !made->caps.empty();
    if (lips) outer.insert(outer.end(), inner.begin(), inner.end());
    LUMSK_TRY(body, brep::skinFromSurfaces(outer, cx));
    out.outer.push_back({body, true});
    if (!inner.empty() && !lips) {
      LUMSK_TRY(hollow, brep::skinFromSurfaces(inner, cx));
      out.inner.push_back({hollow, true});
    }
    for (const Surfaces* s : {&outer, &inner})
      for (const auto& f : *s) out.controls += f.surface->controlPoints();
    out.offMm = std::max(out.offMm, made->deviationMm());
  }
  return out;
}

Expected<std::vector<brep::BodyPtr>> mergedSolids(const Inputs& in, const Runs& r, const std::vector<MadeSkin>& skins, const Context& cx) {
  LUMSK_TRY(solids, solidsOf(in, skins, cx));
  if (solids.size() < 2) return solids;
  std::vector<std::string> names;
  for (const auto& run : r.runs) names.push_back("the pipe of curve " + std::to_string(*std::min_element(run.curves.begin(), run.curves.end()) + 1));
  auto all = brep::merged(solids, names, cx);
  if (!all) return fail(all.error().inField("paths"));
  return all;
}

/// One solid each, openings through the hollow ones.
Expected<std::vector<brep::BodyPtr>> apartSolids(const Inputs& in, const MadePipes& p, const Context& cx) {
  std::vector<MadeSkin> skins = p.outer;
  for (size_t k = 0; k < p.inner.size(); ++k) {
    skins[k].holes = {int(skins.size())};
    skins.push_back(p.inner[k]);
    skins.back().within = true;
  }
  return solidsOf(in, skins, cx);
}

/// Hollow pipes that meet are open into one another: what they are outside, without what they are inside.
Expected<std::vector<brep::BodyPtr>> mergedHollow(const Inputs& in, const Runs& r, const MadePipes& p, const Context& cx) {
  LUMSK_TRY(outer, mergedSolids(in, r, p.outer, cx));
  LUMSK_TRY(inner, mergedSolids(in, r, p.inner, cx));
  if (outer.size() == p.outer.size()) return apartSolids(in, p, cx); // none touches another one
  std::vector<brep::BodyPtr> out;
  for (const auto& o : outer) {
    brep::BodyPtr left = o;
    for (const auto& i : inner) {
      auto cut = brep::combined(left, {i}, brep::Combine::Cut, cx);
      if (cut)
        left = cut->front();
      else if (cut.error().code != "LM-B010") // of another one
        return fail(cut.error());
    }
    out.push_back(left);
  }
  return out;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(r, taken(in, cx.tolerances));
  LUMSK_TRY(o, optionsOf(in, cx.tolerances));
  const bool open = o.ends == nurbs::PipeEnds::Open, merge = !open && in.on("merge") && r.runs.size() > 1;
  LUMSK_TRY(made, madePipes(in, r, o, cx));
  Outcome out;
  if (open) {
    for (const auto* skins : {&made.outer, &made.inner})
      for (const MadeSkin& s : *skins) out.outputs.push_back({out.outputs.empty() ? "" : std::to_string(out.outputs.size() + 1), s.skin, ""});
  } else {
    auto solids = merge ? (made.inner.empty() ? mergedSolids(in, r, made.outer, cx) : mergedHollow(in, r, made, cx)) : apartSolids(in, made, cx);
    if (!solids) return fail(solids.error());
    if (merge && o.wallMm > 0 && o.ends == nurbs::PipeEnds::Round && solids->size() < r.runs.size())
      return fail(problem("LM-Z001", "hollow pipes that meet have flat ends: round ones would close them inside one another")
                      .at(r.runs.front().path.end())
                      .inField("ends")
                      .tryThis("take flat ends, or keep the pipes apart")
                      .offer({"flat ends", "ends", "flat"}));
    LUMSK_CHECK(putSolids(out, in, std::move(*solids), cx));
  }
  const double perMm = in.text("section") != "own" && in.text("by") == "radius" ? 1.0 : 0.5;
  bool shown = in.text("section") == "own";
  for (size_t k = 0; k < r.runs.size(); ++k) {
    if (shown && !r.ownSize[k]) continue;
    nurbs::CurveDerivatives d;
    r.runs[k].path.derivatives(0, 1, d);
    HandlePlace handle{"size", d[0], Frame::fromNormal(d[0], d[1]).y, perMm};
    if (r.ownSize[k])
      handle.field = "paths", handle.item = r.picked[size_t(r.runs[k].curves.front())].item, handle.key = "own";
    else
      shown = true;
    out.marks.add(std::move(handle));
  }
  // Graphs are the same for all: they are shown along the first.
  const nurbs::Path& first = r.runs.front().path;
  const double reach = r.acrossMm.front() > 0 ? 0.5 * r.acrossMm.front() : 0.05 * nurbs::ArcLength(first).total();
  const auto across = [&](bool level) {
    return [&first, level, length = nurbs::ArcLength(first)](double f) {
      nurbs::CurveDerivatives d;
      first.derivatives(std::min(length.parameterAtFraction(f), first.last() - 1e-9), 1, d);
      const Frame frame = Frame::fromNormal(d[0], d[1]);
      return level ? frame.x : frame.y;
    };
  };
  showGraph(out, in, "sizeAlong", first, across(false), reach);
  showGraph(out, in, "twistAlong", first, across(true), reach / 90);
  const size_t n = r.runs.size();
  out.summary = (n == 1 ? std::string("1 pipe") : std::to_string(n) + " pipes") +
                (open ? "" : n > 1 && merge && out.outputs.size() < n ? " - merged to " + std::to_string(out.outputs.size()) : "") + " - " +
                std::to_string(made.controls) + " points - " + format(millimetres(made.offMm), 1);
  return out;
}

} // namespace pipe_

Step pipe() { return {"pipe", 1, "Pipe", Stage::Surfaces, pipe_::schema, pipe_::compute}; }

} // namespace lumsk::steps

#include "brep/round.h"

#include "brep/convert.h"
#include "brep/edge_paths.h"
#include "brep/names.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "steps/bodies.h"
#include "steps/graphs.h"
#include "steps/sections.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;

namespace {

Schema schema() {
  return {
      picks("edges", "Edges", "Edges of bodies; each pick is its whole run without a corner, of closed rims all around.", Kind::Edge)
          .atLeast(1)
          .eachWith({choice("sized", "Size", "As all, or of a size of its own.", {{"all", "as all"}, {"own", "own size"}}),
                     length("own", "Size", "Of this one.", "2").within(0.001, 1e4).when("sized", {"own"}).withHandle(Handle::Distance)}),
      choice("section", "Section", "Across: what a rolling ball leaves; a conic; with the curvature of the skins at both sides.",
             {{"round", "round"}, {"conic", "conic"}, {"smooth", "smooth, G2"}}),
      ratioField("rho", "Rho", "How far the conic reaches to the edge: 0.5 is a parabola, less is flatter, more is sharper.", "0.5").within(0.05, 0.95).when("section", {"conic"}),
      choice("by", "Size by", "What the size says.", {{"radius", "radius"}, {"width", "width across"}}),
      length("size", "Size", "Radius of the ball, or width from skin to skin.", "2").within(0, 1e4).withHandle(Handle::Distance),
      graph("along", "Size along", "Factors of the size by the fraction of the edge's length.", Dimension::Ratio).seldomSet()};
}

/// One edge to be rounded.
struct Run {
  nurbs::Path path;
  std::string item;
  double size = 1;
  std::string source; ///< the edge's name, for the new face's
};

class Rounding {
public:
  Rounding(const Inputs& in, const Context& cx) : in_(in), cx_(cx) {}

  Expected<Outcome> run() {
    LUMSK_TRY(along, graphOf(in_, "along"));
    along_ = std::move(along);
    for (const PickedParts& p : partsByBody(in_.picked("edges"))) {
      LUMSK_TRY(runs, runsOf(p));
      brep::BodyPtr body = p.body;
      for (size_t k = 0; k < runs.size(); ++k) {
        if (cx_.stopped()) return fail(cancelled());
        cx_.report(double(k) / double(runs.size()), "rounding");
        LUMSK_TRY(done, roundOne(body, runs[k]));
        body = done;
      }
      putParts(out_, p, {body});
    }
    out_.summary = std::to_string(count_) + (count_ == 1 ? " edge - " : " edges - ") + std::to_string(controls_) + " points - " + format(millimetres(offMm_), 1);
    return std::move(out_);
  }

private:
  /// The runs of the picked edges, each once.
  Expected<std::vector<Run>> runsOf(const PickedParts& p) {
    std::vector<Run> out;
    const auto& picked = in_.picked("edges");
    for (size_t k = 0; k < picked.size(); ++k) {
      if (picked[k].objectId() != p.object || picked[k].index < 0) continue;
      LUMSK_TRY(path, brep::tangentChain(*p.body, picked[k].index, cx_.tolerances.corner, cx_.tolerances.point));
      const Vec3 middle = path.at(0.5 * path.last());
      if (std::any_of(out.begin(), out.end(), [&](const Run& r) { return nurbs::closestPoint(r.path, middle).distanceMm < cx_.tolerances.point.mm; })) continue;
      const bool own = in_.itemText("edges", k, "sized") == "own";
      out.push_back({std::move(path), picked[k].item, own ? in_.itemNumber("edges", k, "own").value_or(0) : in_.number("size"), p.body->edgeNames[size_t(picked[k].index)]});
      HandlePlace handle{"size", middle, Vec3::UnitZ(), 1.0};
      if (own) handle.field = "edges", handle.item = picked[k].item, handle.key = "own";
      else if (handled_) continue;
      else handled_ = true;
      handles_.push_back({std::move(handle), out.size() - 1});
    }
    return out;
  }

  nurbs::RoundOptions optionsOf(const Run& r) const {
    nurbs::RoundOptions o;
    const std::string section = in_.text("section");
    o.section = section == "conic" ? nurbs::RoundSection::Conic : section == "smooth" ? nurbs::RoundSection::Smooth : nurbs::RoundSection::Circle;
    o.by = in_.text("by") == "width" ? nurbs::RoundBy::Width : nurbs::RoundBy::Radius;
    if (in_.has("rho")) o.rho = in_.number("rho");
    o.size = [size = r.size, along = along_](double f) { return size * (along ? along(f) : 1.0); };
    return o;
  }

  Expected<brep::BodyPtr> roundOne(const brep::BodyPtr& body, const Run& r) {
    const auto told = [&](Problem p) {
      if (p.field.empty()) p.inField(r.size > 0 ? "edges" : "size");
      if (p.item.empty() && p.field == "edges") p.item = r.item;
      return p;
    };
    double most = 0;
    const auto o = optionsOf(r);
    for (int i = 0; i <= 16; ++i) most = std::max(most, o.size(i / 16.0));
    auto edge = brep::RollingEdge::of(body, r.path, 4 * most, cx_);
    if (!edge) return fail(told(edge.error()));
    auto made = brep::rounded(body, *edge, o, brep::faceName(in_.stepId(), "round", r.source), cx_);
    if (!made) {
      Problem p = told(made.error());
      if (p.code == "LM-O002" || p.code == "LM-O003" || p.code == "LM-O004" || p.code == "LM-O006")
        if (const auto fits = nurbs::largestRound(edge->edge(), o, most, cx_)) {
          const std::string mm = formatNumber(fits->mm, 3);
          p.want(millimetres(fits->mm));
          if (!along_ && in_.itemText("edges", 0, "sized") != "own") p.offer({"use " + mm + " mm", "size", mm});
        }
      return fail(std::move(p));
    }
    const auto& places = made->band.places;
    const auto& middle = places[places.size() / 2];
    for (auto& [handle, of] : handles_)
      if (handle.at == r.path.at(0.5 * r.path.last())) {
        handle.direction = (middle.contact[1] - middle.edge).normalized();
        out_.marks.add(handle);
      }
    ++count_;
    controls_ += made->band.surface.controlPoints();
    offMm_ = std::max(offMm_, made->band.deviationMm);
    return made->body;
  }

  const Inputs& in_;
  const Context& cx_;
  Outcome out_;
  std::function<double(double)> along_;
  std::vector<std::pair<HandlePlace, size_t>> handles_;
  bool handled_ = false;
  int count_ = 0, controls_ = 0;
  double offMm_ = 0;
};

Expected<Outcome> compute(const Inputs& in, const Context& cx) { return Rounding(in, cx).run(); }

} // namespace

Step round() { return {"round", 1, "Round", Stage::Solid, schema, compute}; }

} // namespace lumsk::steps

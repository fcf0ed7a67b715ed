#include "nurbs/curves/blend_curve.h"

#include "brep/curves_on.h"
#include "inspect/measure.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace blend_curve_ {

Field pull(const std::string& key, const std::string& which) {
  return ratioField(key, "Pull", "How far the " + which + " goes along its direction: 1 is the fairest.", "1")
      .within(0.05, 10)
      .withHandle(Handle::Magnitude);
}
Field bend(const std::string& key, const std::string& meets) {
  return ratioField(key, "Bend", "Moves where the curve begins to bend away, along its direction: 0 is the fairest.",
                    "0")
      .within(-5, 5)
      .when(meets, {"g2", "g3"})
      .withHandle(Handle::Magnitude);
}

Schema schema() {
  const std::vector<std::string> all{"g2", "g0", "g1", "g3"};
  return {
      picks("ends", "Ends",
            "Two ends, or two more for each further blend: end points of curves and edges, curves (the nearer end is "
            "taken), or lone points.",
            Kind::Point | Kind::Curve | Kind::Edge)
          .atLeast(2)
          .prefer(Kind::Point),
      picks("skins", "Off skins", "Lone points that lie on one of these skins leave it squarely.",
            Kind::Skin | Kind::Solid)
          .optional(),
      toggle("inwards", "Inwards", "Leaves the skins on their back instead of their front.", false)
          .when("skins", {"picked"}),
      continuity("start", "First end", "How the blend meets the first end of every pair.", all),
      pull("startPull", "first end").unless("start", {"g0"}),
      bend("startBend", "start"),
      continuity("end", "Second end", "How the blend meets the second end of every pair.", all),
      pull("endPull", "second end").unless("end", {"g0"}),
      bend("endBend", "end"),
      picks("clear", "Clear of", "Bodies to keep away from: the smallest distance is told.", Kind::Skin | Kind::Solid)
          .optional()
          .seldomSet(),
      length("clearance", "Clearance", "What the blend should keep away from them, a tube's radius for instance.", "5")
          .within(0, 1e5)
          .when("clear", {"picked"})};
}

using Skins = std::vector<brep::BodyFaces>;

/// The end that a pick means, leading out of what was picked; of a curve, the end nearer to the other pick.
Expected<nurbs::BlendEnd> blendEndOf(const Picked& p, const Vec3& other, const Skins& skins, bool inwards,
                                     const Context& cx) {
  const double near = 10 * cx.tolerances.point.mm;
  if (const auto* curve = std::get_if<CurvePtr>(&p.object)) {
    if ((*curve)->closed())
      return fail(problem("LM-P045", "a closed curve has no end").at((*curve)->start()).tryThis("take a part of it"));
    if (auto e = nurbs::endOf(**curve, nearerEnd(**curve, other))) return *e;
    return fail(problem("LM-P045", "the curve has no direction at its end")
                    .at((*curve)->end())
                    .tryThis("move its last points"));
  }
  const Vec3 at = std::get<PointObject>(p.object).at;
  if (p.master && std::min((at - p.master->start()).norm(), (at - p.master->end()).norm()) <= near)
    if (auto e = nurbs::endOf(*p.master, nearerEnd(*p.master, at))) return *e;
  nurbs::BlendEnd e;
  e.at = at;
  e.continuity = 0; // nothing to go on in
  for (const brep::BodyFaces& s : skins)
    if (const auto q = s.nearest(at); q && q->distanceMm <= near) {
      e.tangent = inwards ? Vec3(-q->normal) : q->normal;
      e.continuity = nurbs::kMostContinuity;
    }
  return e;
}

/// Asked continuity, as far as the end has it.
void ask(nurbs::BlendEnd& e, const std::string& meets, Outcome& out) {
  const int wanted = meets[1] - '0';
  const bool lone = e.continuity == 0;
  if (lone && wanted > 0)
    out.notes.push_back(problem("LM-P103", "a lone point has no direction: the blend only touches it")
                            .at(e.at)
                            .tryThis("pick the end of a curve, or the skin that the point lies on"));
  else
    e.continuity = wanted;
}

void addHandles(const nurbs::BlendCurve& b, const nurbs::BlendEnd& s, const nurbs::BlendEnd& e, Outcome& out) {
  // A third of the derivative is where a cubic's control point would be.
  if (s.continuity > 0) {
    const double reach = b.start.first / s.pull / 3;
    out.marks.add(HandlePlace{"startPull", s.at, s.tangent, reach});
    if (s.continuity > 1)
      out.marks.add(HandlePlace{"startBend", s.at + 1.5 * reach * s.pull * s.tangent, s.tangent, reach / 4});
  }
  if (e.continuity > 0) {
    const double reach = b.end.first / e.pull / 3;
    out.marks.add(HandlePlace{"endPull", e.at, -e.tangent, reach});
    if (e.continuity > 1)
      out.marks.add(HandlePlace{"endBend", e.at - 1.5 * reach * e.pull * e.tangent, e.tangent, reach / 4});
  }
}

/// The smallest distance to the bodies to keep clear of, as a mark, and as a note where it is less than wanted.
Expected<std::string> clearanceOf(const Inputs& in, const std::vector<nurbs::Path>& blends, Outcome& out,
                                  const Context& cx) {
  inspect::Nearness least{1e300};
  for (const auto& b : blends)
    for (const Picked& p : in.picked("clear")) {
      inspect::Thing curve, body;
      curve.curve = std::make_shared<const nurbs::Path>(b);
      body.body = std::get<brep::BodyPtr>(p.object);
      LUMSK_TRY(d, inspect::distanceBetween(curve, body, cx));
      if (d.mm < least.mm) least = d;
    }
  const double wanted = in.number("clearance");
  const Vec3 off = least.from - least.to;
  out.marks.add(Flag{"clear", "", least.from, off.norm() > 0 ? Vec3(off.normalized()) : Vec3(Vec3::Zero()), false,
                       formatNumber(least.mm, 3) + " mm", 1});
  if (least.mm < wanted)
    out.notes.push_back(problem("LM-P104", "the blend comes nearer to a body than wanted")
                            .measure(millimetres(least.mm))
                            .want(millimetres(wanted))
                            .at(least.from)
                            .tryThis("pull it away, or lead it over another point"));
  return " - clear by " + format(millimetres(least.mm), 3);
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const auto& picks = in.picked("ends");
  if (picks.size() % 2)
    return fail(problem("LM-P013", "every blend needs two ends: one is left over")
                    .at(placeOf(picks.back()))
                    .inField("ends")
                    .tryThis("pick one more end, or take one out"));
  Skins skins;
  for (const Picked& p : in.picked("skins")) {
    LUMSK_TRY(faces, brep::BodyFaces::of(*std::get<brep::BodyPtr>(p.object), -1, cx));
    skins.push_back(std::move(faces));
  }
  Outcome out;
  std::vector<nurbs::Path> blends;
  for (size_t k = 0; k + 1 < picks.size(); k += 2) {
    const auto end = [&](size_t i, const char* which) -> Expected<nurbs::BlendEnd> {
      auto e = blendEndOf(picks[k + i], placeOf(picks[k + 1 - i]), skins, in.has("inwards") && in.on("inwards"), cx);
      if (!e) {
        e.error().item = picks[k + i].item;
        return fail(e.error().inField("ends"));
      }
      const std::string key = which;
      ask(*e, in.text(key), out);
      e->pull = in.has(key + "Pull") ? in.number(key + "Pull") : 1.0;
      e->bend = in.has(key + "Bend") ? in.number(key + "Bend") : 0.0;
      return e;
    };
    LUMSK_TRY(s, end(0, "start"));
    LUMSK_TRY(e, end(1, "end"));
    // The blend arrives in the direction in which the second curve goes on.
    e.tangent = -e.tangent, e.third = -e.third;
    auto made = nurbs::blendCurve(s, e, cx);
    if (!made) return fail(made.error().inField("ends"));
    LUMSK_TRY(path, nurbs::Path::make({made->curve}, cx.tolerances.point));
    if (k == 0) {
      addHandles(*made, s, e, out);
      out.summary = "G" + std::to_string(s.continuity) + " to G" + std::to_string(e.continuity) + " - degree " +
                    std::to_string(made->curve.degree());
    }
    blends.push_back(std::move(path));
  }
  if (blends.size() > 1) out.summary = std::to_string(blends.size()) + " blends - " + out.summary;
  if (!in.picked("clear").empty()) {
    LUMSK_TRY(words, clearanceOf(in, blends, out, cx));
    out.summary += words;
  }
  out.outputs = curvesOutcome(std::move(blends), "").outputs;
  return out;
}

} // namespace blend_curve_

Step blend_curve() { return Step{"blend_curve", 1, "Blend curve", Stage::Curves, blend_curve_::schema, blend_curve_::compute}.under("from others"); }

} // namespace lumsk::steps

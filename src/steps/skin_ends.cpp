#include "steps/skin_ends.h"

#include "steps/curves.h"
#include "steps/graphs.h"
#include "steps/neighbours.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;

namespace {

const std::vector<std::string> kFlows{"g1", "g2", "g3"};
constexpr double kSharedEdge = 20; ///< so much more closely edges are followed that another skin has, too

/// The skin that an end or a side is to flow into: the picked one, or the face at the edge that lies there.
Expected<nurbs::Neighbour> flowsInto(const Inputs& in, const std::string& key, const Picked* edge, const Context& cx) {
  if (const auto& picked = in.picked(key + "Skin"); !picked.empty()) return neighbourFrom(picked.front(), cx);
  return edge ? neighbourAt(*edge, false, key + "Skin", cx) : nurbs::Neighbour();
}

} // namespace

void addSkinEnd(Schema& s, const std::string& key, const std::string& label, const std::string& what,
            const std::vector<std::string>& allowed, const std::string& along, const std::string& pullHelp) {
  const size_t from = s.size();
  s.push_back(continuity(key, label, "How the skin leaves " + what, allowed));
  std::vector<std::string> directed; // how it is left has a direction that a pull goes along
  for (const char* how : {"angle", "g1", "g2", "g3"})
    if (std::find(allowed.begin(), allowed.end(), how) != allowed.end()) directed.push_back(how);
  if (!directed.empty() && directed.front() == "angle")
    s.push_back(angle(key + "Angle", "Angle", "How far the skin leans outwards from square.", "10")
                    .within(-85, 85)
                    .when(key, {"angle"}));
  s.push_back(picks(key + "Skin", "Flows into",
                    "The skin, solid or face that it continues; without one, the face at the picked edge.",
                    Kind::Skin | Kind::Solid | Kind::Face)
                  .optional()
                  .atMost(1)
                  .when(key, kFlows));
  Field pull =
      ratioField(key + "Pull", "Pull", pullHelp, "1")
          .within(0.05, 10)
          .withHandle(Handle::Magnitude);
  const bool atEnd = key == "start" || key == "end";
  s[from].seldom = !atEnd;
  s.push_back(atEnd ? pull.unless(key, {"free"}) : pull.when(key, directed));
  s.push_back(graph(key + "Along", "Pull along", "Factors of the pull by the fraction along " + along, Dimension::Ratio)
                  .when(key, directed)
                  .seldomSet());
}

Expected<nurbs::LoftEndOptions> skinEndOf(const Inputs& in, const std::string& key, const std::string& sections,
                                          const Picked* edge, const Context& cx) {
  if (!in.has(key)) return nurbs::LoftEndOptions();
  nurbs::LoftEndOptions o(meetsNamed(in.text(key)));
  if (in.has(key + "Pull")) o.pull = in.number(key + "Pull");
  if (in.has(key + "Angle")) o.angleDeg = in.number(key + "Angle");
  if (in.has(key + "Along")) {
    LUMSK_TRY(along, graphOf(in, key + "Along"));
    o.along = along;
  }
  if (in.text(key)[0] != 'g') return o;
  LUMSK_TRY(neighbour, flowsInto(in, key, edge, cx));
  o.neighbour = neighbour;
  if (!neighbour && o.kind == Meets::G3) o.kind = Meets::Mirror;
  if (!neighbour && o.kind != Meets::Mirror)
    return fail(problem("LM-L017", "the skin to flow into is not known")
                    .at(placeOf(edge ? *edge : in.picked(sections).front()))
                    .inField(key + "Skin")
                    .tryThis("pick that skin, or an edge of it as section or guide"));
  return o;
}

void takeSharedEdges(const Inputs& in, std::vector<nurbs::Section>& sections, const Tolerances& tol) {
  for (const bool first : {true, false}) {
    const std::string key = first ? "start" : "end";
    nurbs::Section& s = first ? sections.front() : sections.back();
    if (!s.path()) continue;
    std::vector<const Picked*> bodies;
    if (in.has(key) && in.text(key)[0] == 'g' && !in.picked(key + "Skin").empty())
      bodies.push_back(&in.picked(key + "Skin").front());
    if (in.has("target") && !in.picked("target").empty()) bodies.push_back(&in.picked("target").front());
    for (const Picked* p : bodies)
      if (const auto* body = std::get_if<brep::BodyPtr>(&p->object))
        if (auto edge = edgeAlong(**body, *s.path(), tol)) {
          s.shape = std::move(*edge);
          if (!(in.has(key) && in.text(key)[0] == 'g')) s.closeness = kSharedEdge; // ends that flow are close anyway
          break;
        }
  }
}

void noteEnds(Outcome& out, const std::string& code, const nurbs::SkinJoin& j, const Tolerances& tol) {
  if (j.worst(tol) <= 1) return;
  out.notes.push_back(joinNote(code, "an end does not flow on as closely as asked", j, tol)
                          .tryThis("smooth that section and its neighbour, or ask for less at this end"));
}

void addPull(Outcome& out, const std::string& key, const nurbs::Surface& s, nurbs::Side side, Meets kind) {
  if (kind == Meets::Free || kind == Meets::Mirror) return;
  const bool alongV = side == nurbs::FirstV || side == nurbs::LastV,
             last = side == nurbs::LastV || side == nurbs::LastU;
  if (!alongV && kind == Meets::Perpendicular) return; // at a mirror plane
  const double u = 0.5 * (s.firstU() + s.lastU()), v = 0.5 * (s.firstV() + s.lastV());
  const auto at = [&](double f) {
    const double x = last ? 1 - f : f;
    return alongV ? std::pair(u, s.firstV() + x * (s.lastV() - s.firstV()))
                  : std::pair(s.firstU() + x * (s.lastU() - s.firstU()), v);
  };
  nurbs::SurfaceDerivatives d;
  s.derivatives(at(0).first, at(0).second, 1, d);
  const Vec3 across = d(alongV ? 0 : 1, alongV ? 1 : 0);
  if (across.norm() > 0)
    out.marks.add(HandlePlace{key + "Pull", d(0, 0), across.normalized() * (last ? -1.0 : 1.0),
                           0.3 * (s.at(at(1).first, at(1).second) - d(0, 0)).norm()});
}

} // namespace lumsk::steps

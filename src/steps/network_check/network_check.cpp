#include "nurbs/curves/curve_network.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace network_check_ {

Schema schema() {
  return {
      picks("curves", "Curves", "All curves and edges of the network.", Kind::Curve | Kind::Edge)
          .atLeast(2)
          .eachWith({toggle("hold", "Hold", "This curve stays; the others come to it.", false)}),
      length("reach", "Look within", "Gaps up to this count as crossings that are meant.", "0.5").within(1e-3, 1000),
      toggle("close", "Close gaps", "Pulls the curves together where the gap is not above the limit.", false),
      length("limit", "Limit", "The largest gap that is closed.", "0.1").within(1e-4, 1000).when("close", {"true"}),
      measurementName("open_crossings")};
}

void flagCrossings(const std::vector<nurbs::NetworkCrossing>& list, double point, Outcome& out) {
  for (const auto& c : list)
    out.marks.add(Flag{"reach", "", c.at, Vec3::Zero(), false, c.gapMm > point ? formatNumber(c.gapMm, 2) : "0",
                         c.gapMm > point ? 2 : 1});
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  std::vector<nurbs::Path> curves = curvesOf(in, "curves");
  const double point = cx.tolerances.point.mm;
  auto crossings = nurbs::crossingsOf(curves, in.number("reach"));
  Outcome out;
  if (in.on("close")) {
    std::vector<char> held;
    for (size_t i = 0; i < curves.size(); ++i) held.push_back(in.itemOn("curves", i, "hold"));
    auto closed = nurbs::closedNetwork(curves, held, in.number("limit"), cx);
    if (!closed) return fail(closed.error().inField("curves"));
    if (closed->closed > 0)
      out.notes.push_back(
          problem("LM-P110", "curves were pulled together at " + std::to_string(closed->closed) + " crossings")
              .measure(millimetres(closed->movedMm))
              .at(closed->movedAt));
    curves = std::move(closed->curves);
    crossings = nurbs::crossingsOf(curves, in.number("reach"));
    out.outputs = curvesOutcome(curves, "").outputs;
    for (const Picked& p : in.picked("curves"))
      if (p.kind == Kind::Curve) out.usedUp.push_back(p.objectId());
  }
  int open = 0;
  double worst = 0;
  std::vector<int> meets(curves.size(), 0);
  for (const auto& c : crossings) {
    open += c.gapMm > point;
    worst = std::max(worst, c.gapMm);
    ++meets[size_t(c.a)], ++meets[size_t(c.b)];
  }
  flagCrossings(crossings, point, out);
  out.measured[in.text("name")] = count(open);
  out.summary = std::to_string(crossings.size()) + " crossings - " + std::to_string(open) + " open";
  if (open > 0) out.summary += " - worst " + format(millimetres(worst), 2);
  for (const auto& c : crossings)
    if (c.gapMm > point && open > 0) {
      Problem note = problem("LM-P111", "some crossings are open")
                         .measure(millimetres(worst))
                         .want(millimetres(point))
                         .tryThis("close gaps, or move the curves");
      if (!in.on("close") && worst <= 1000) note.offer({"close them", "close", "true"});
      for (const auto& k : crossings)
        if (k.gapMm > point) note.at(k.at);
      out.notes.push_back(std::move(note));
      break;
    }
  for (size_t i = 0; i < meets.size(); ++i)
    if (meets[i] == 0)
      out.notes.push_back(problem("LM-P112", "curve " + std::to_string(i + 1) + " meets no other")
                              .at(curves[i].at(0.5 * curves[i].last())));
  return out;
}

} // namespace network_check_

Step network_check() { return {"network_check", 1, "Network check", Stage::Check, network_check_::schema, network_check_::compute}; }

} // namespace lumsk::steps

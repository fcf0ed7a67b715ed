#include "inspect/mould.h"
#include "steps/directions.h"
#include "steps/findings.h"

namespace lumsk::steps {

using namespace recipe;

namespace mould_check_ {

constexpr double kMeshChord = 3e-4, kLeastChordMm = 0.0005; ///< of the size
constexpr double kMeshAngleDeg = 5;
constexpr int kMeasuredTriangles = 30000;
constexpr double kLeastArea = 1e-5; ///< of the size squared, that is worth a word
constexpr std::chrono::seconds kPartingTime{10};

Schema schema() {
  Field name = measurementName("mould");
  name.endings[""] = {"_draft", "_low", "_undercut", "_inner", "_jumps", "_cavity"};
  return {picks("body", "Part", "The solid that is to be moulded.", Kind::Solid | Kind::Skin).atMost(1),
          choice("pull", "Pull", "The way in which the mould is pulled.", axisOptions("z, upwards")),
          picks("along", "Along", "A plane, whose normal is the pull, or something straight.", kLine).optional().atMost(1).when("pull", {"picked"}),
          toggle("halves", "Two halves", "The other half is pulled the other way; else all of it comes out of one.", true),
          angle("draft", "Draft from", "Walls that lean less along the pull are told.", "1").within(0, 45),
          angle("inner", "Inner edges from", "Hollow edges that turn by more are told.", "30").within(1, 180),
          ratioField("jump", "Walls differ by", "Walls beside one another that differ by more than this factor are told.", "1.8").within(1.05, 100),
          ratioField("shrink", "Shrink factor", "The mould is larger than the part by this factor, as it shrinks when it cools.", "1.006").within(1, 1.2),
          toggle("parting", "Parting line", "The line where the halves meet is drawn, to be used by Split.", true).when("halves", {"true"}),
          name};
}

void addParting(Outcome& out, const brep::Body& body, const Vec3& pull, const Context& cx) {
  Context limited = cx;
  limited.until = std::chrono::steady_clock::now() + kPartingTime;
  auto lines = inspect::partingLines(body, pull, limited);
  if (!lines) {
    if (cx.stopped()) return;
    out.notes.push_back(problem("LM-Q145", "the line where the mould parts could not be found" + (isCancelled(lines.error()) ? std::string(" in time") : ": " + lines.error().what)).tryThis("use Silhouette on single faces"));
    return;
  }
  int n = 0;
  for (nurbs::Path& p : *lines) {
    Output o{"line" + std::to_string(++n), std::make_shared<const nurbs::Path>(std::move(p))};
    o.group = "line";
    out.outputs.push_back(std::move(o));
  }
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const auto& body = std::get<brep::BodyPtr>(in.picked("body").front().object);
  const std::string name = in.text("name");
  const auto state = inspect::stateOf(*body);
  if (!body->solid()) return fail(notClosed("LM-Q144", "it is a skin: only solids come out of a mould", state));
  LUMSK_TRY(pull, axisIn(in, "pull", "along", cx.tolerances));
  const double size = (state.boxHigh - state.boxLow).norm();
  std::vector<std::shared_ptr<const brep::FaceMesh>> meshes;
  for (brep::FaceMesh& m : brep::displayMesh(*body, {std::max(kMeshChord * size, kLeastChordMm), kMeshAngleDeg}, kMeasuredTriangles)) meshes.push_back(std::make_shared<const brep::FaceMesh>(std::move(m)));
  const inspect::MeasuredForm form(body, std::move(meshes));
  const auto self = [](const Vec3& p) { return p; };
  Outcome out;
  const auto draft = inspect::mouldDraft(form, {pull, in.on("halves"), in.number("draft")}, cx);
  if (draft.undercutMm2 > kLeastArea * size * size)
    tell(out, problem("LM-Q141", "the mould cannot leave it here: undercuts").measure({draft.undercutMm2, Dimension::Area}).tryThis(in.on("halves") ? "pull another way, or change the form" : "make it of two halves, pull another way, or change the form"), draft.undercutAt, self);
  if (draft.lowMm2 > kLeastArea * size * size)
    tell(out, problem("LM-Q140", "walls lean less than asked, on " + format({draft.lowMm2, Dimension::Area}, 3)).measure(degrees(draft.leastDeg)).want(degrees(in.number("draft"))).tryThis("let them lean, or ask for less"), draft.lowAt, self);
  const auto inner = inspect::innerEdges(*body, in.number("inner"));
  if (!inner.empty())
    tell(out, problem("LM-Q142", "hollow edges are sharp: " + std::to_string(inner.size())).measure(degrees(inner.front().turnDeg)).tryThis("round them"), inner, [](const auto& e) { return e.at; });
  const auto jumps = inspect::wallJumps(form, in.number("jump"), cx);
  if (!jumps.empty())
    tell(out, problem("LM-Q143", "walls differ much beside one another: " + format(millimetres(jumps.front().fromMm), 3) + " and " + format(millimetres(jumps.front().toMm), 3)).tryThis("make them alike, or let one become the other slowly"), jumps, [](const auto& j) { return j.at; });
  if (cx.stopped()) return fail(cancelled());
  if (in.on("halves") && in.on("parting")) addParting(out, *body, pull, cx);
  if (cx.stopped()) return fail(cancelled());
  out.measured[name + "_draft"] = degrees(draft.leastDeg);
  out.measured[name + "_low"] = {draft.lowMm2, Dimension::Area};
  out.measured[name + "_undercut"] = {draft.undercutMm2, Dimension::Area};
  out.measured[name + "_inner"] = count(double(inner.size()));
  out.measured[name + "_jumps"] = count(double(jumps.size()));
  out.measured[name + "_cavity"] = {state.volumeMm3 * std::pow(in.number("shrink"), 3), Dimension::Volume};
  out.summary = findingsWords(out.notes.size()) + " - least draft " + format(degrees(draft.leastDeg), 3) + " - " + directionWords(pull) + " pulled";
  return out;
}

} // namespace mould_check_

Step mould_check() { return {"mould_check", 1, "Mould check", Stage::Check, mould_check_::schema, mould_check_::compute}; }

} // namespace lumsk::steps

#include "inspect/narrow.h"
#include "inspect/print_form.h"
#include "steps/directions.h"
#include "steps/findings.h"

namespace lumsk::steps {

using namespace recipe;

namespace print_check_ {

constexpr double kBetter = 0.9;       ///< of the overhang as it stands: with less another way is worth a word
constexpr double kMeshChord = 2e-4, kLeastChordMm = 0.0005; ///< of the size
constexpr double kMeshAngleDeg = 5;
constexpr int kMeasuredTriangles = 40000;
constexpr double kLeastArea = 1e-5; ///< of the size squared, that is worth a word

/// Machines that do not exist, but could: the room in which they print, mm.
struct Machine {
  const char *key, *label;
  Vec3 room;
};
const std::vector<Machine>& machines() {
  static const std::vector<Machine> all{{"alder", "Alder, 120 x 120 x 130", {120, 120, 130}}, {"birch", "Birch, 220 x 220 x 250", {220, 220, 250}},
                                        {"cedar", "Cedar, 350 x 350 x 400", {350, 350, 400}}, {"willow", "Willow, resin, 130 x 80 x 160", {130, 80, 160}}};
  return all;
}

Schema schema() {
  std::vector<Option> ways = axisOptions("z, as it stands");
  ways.insert(ways.begin() + 1, {"best", "the way with the least overhang"});
  std::vector<Option> rooms{{"none", "none"}};
  for (const Machine& m : machines()) rooms.push_back({m.key, m.label});
  rooms.push_back({"own", "a room of my own"});
  Field name = measurementName("print");
  name.endings[""] = {"_volume", "_grams", "_height", "_overhang", "_cavities", "_islands", "_wall", "_gap"};
  const auto side = [](const char* key, const char* label, const char* fallback) { return length(key, label, "Of the room in which the machine prints.", fallback).within(1, 1e4).when("machine", {"own"}); };
  const std::vector<Field> room{side("roomX", "Width", "200"), side("roomY", "Depth", "200"), side("roomZ", "Height", "200")};
  return {picks("body", "Part", "The solid that is to be printed.", Kind::Solid | Kind::Skin).atMost(1),
          choice("up", "Upwards", "How it stands while it is printed.", std::move(ways)),
          picks("along", "Along", "A plane, whose normal is upwards, or something straight.", kLine).optional().atMost(1).when("up", {"picked"}),
          angle("overhang", "Overhang", "What looks down and lies flatter than this wants support.", "45").within(0, 89),
          length("layer", "Layer", "What is lower than the first one stands on the bed.", "0.2").within(0.001, 10),
          length("wall", "Walls from", "Thinner walls are told.", "1").within(0, 100),
          length("gap", "Gaps from", "Narrower gaps may grow together.", "0.3").within(0, 100),
          ratioField("density", "Density", "Of what it is printed from, in g/cm3.", "1.24").within(0.001, 30),
          choice("machine", "Machine", "The room that it must fit into.", rooms).keeping("own", room),
          room[0],
          room[1],
          room[2],
          name};
}

Expected<Vec3> upOf(const Inputs& in, const inspect::PrintForm& form, const inspect::Standing& how, const Context& cx) {
  if (in.text("up") == "best") return inspect::bestUp(form, how, cx);
  return axisIn(in, "up", "along", cx.tolerances);
}

std::optional<Vec3> roomOf(const Inputs& in) {
  const std::string key = in.text("machine");
  if (key == "own") return Vec3(in.number("roomX"), in.number("roomY"), in.number("roomZ"));
  for (const Machine& m : machines())
    if (key == m.key) return m.room;
  return {};
}

std::string areaWords(double mm2) { return format({mm2, Dimension::Area}, 3); }

void tellWalls(Outcome& out, const Inputs& in, const std::string& name, const inspect::MeasuredForm& form, const Context& cx) {
  const auto from = [](const inspect::Narrow& n) { return n.from; };
  const double wall = in.number("wall"), gap = in.number("gap");
  const auto walls = inspect::narrowWalls(form, wall, cx);
  if (walls.least) out.measured[name + "_wall"] = millimetres(walls.least->mm);
  if (!walls.below.empty())
    tell(out, problem("LM-Q122", "walls are thinner than asked, on " + areaWords(walls.areaMm2) + " of their faces").measure(millimetres(walls.least->mm)).want(millimetres(wall)).tryThis("thicken them there, or ask for less"), walls.below, from);
  const auto gaps = inspect::narrowGaps(form, gap, cx);
  if (gaps.least) out.measured[name + "_gap"] = millimetres(gaps.least->mm);
  if (!gaps.below.empty())
    tell(out, problem("LM-Q123", "gaps are narrower than asked and may grow together").measure(millimetres(gaps.least->mm)).want(millimetres(gap)).tryThis("widen them, or ask for less"), gaps.below, from);
}

void tellOverhang(Outcome& out, const Inputs& in, const std::string& name, const inspect::PrintForm& form, const inspect::Standing& how, double size, const Context& cx) {
  const inspect::Overhang over = inspect::overhangOf(form, how);
  out.measured[name + "_overhang"] = {over.areaMm2, Dimension::Area};
  if (over.areaMm2 < kLeastArea * size * size) return;
  Problem p = problem("LM-Q124", "what hangs over wants support").measure({over.areaMm2, Dimension::Area});
  if (in.text("up") != "best") {
    inspect::Standing other = how;
    other.up = inspect::bestUp(form, how, cx);
    if (cx.stopped()) return;
    if (const double least = inspect::overhangOf(form, other).areaMm2; least < kBetter * over.areaMm2) {
      p.tryThis("with " + directionWords(other.up) + " upwards it is " + areaWords(least));
      p.offer({"stand it so", "up", "best"});
    }
  }
  tell(out, std::move(p), over.patches, [](const auto& patch) { return patch.at; });
}

void tellHollows(Outcome& out, const std::string& name, const inspect::PrintForm& form, const inspect::Standing& how, const Context& cx) {
  std::vector<inspect::Shell> cavities;
  double hollow = 0;
  for (const inspect::Shell& s : inspect::shellsOf(form))
    if (s.volumeMm3 < 0) cavities.push_back(s), hollow -= s.volumeMm3;
  out.measured[name + "_cavities"] = count(double(cavities.size()));
  if (!cavities.empty())
    tell(out, problem("LM-Q125", "it is hollow inside without a way out: powder and supports stay there").measure({hollow, Dimension::Volume}).tryThis("cut a way out, or fill the cavities by taking their faces off"), cavities, [](const auto& s) { return s.at; });
  const auto pools = inspect::poolsOf(form, how, cx);
  double holds = 0;
  for (const auto& p : pools) holds += p.volumeMm3;
  if (!pools.empty())
    tell(out, problem("LM-Q126", "as it stands it holds liquid or powder, about").measure({holds, Dimension::Volume}).tryThis("stand it otherwise, or cut a way out"), pools, [](const auto& p) { return p.at; });
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const auto& body = *std::get<brep::BodyPtr>(in.picked("body").front().object);
  const std::string name = in.text("name");
  const auto state = inspect::stateOf(body);
  if (!body.solid()) return fail(notClosed("LM-Q121", "it is a skin: only closed solids can be printed", state));
  const double size = (state.boxHigh - state.boxLow).norm();
  const brep::MeshLimits limits{std::max(kMeshChord * size, kLeastChordMm), kMeshAngleDeg};
  LUMSK_TRY(form, inspect::printForm(body, limits, cx));
  if (cx.stopped()) return fail(cancelled());
  Outcome out;
  if (form.openSides > 0)
    out.notes.push_back(problem("LM-Q129", "the mesh for printing is not closed here").measure(count(form.openSides)).at(form.openAt).tryThis("look at the joins there"));
  inspect::Standing how{Vec3::UnitZ(), in.number("overhang"), in.number("layer")};
  LUMSK_TRY(up, upOf(in, form, how, cx));
  how.up = up;
  tellOverhang(out, in, name, form, how, size, cx);
  std::vector<std::shared_ptr<const brep::FaceMesh>> meshes;
  for (brep::FaceMesh& m : brep::displayMesh(body, limits, kMeasuredTriangles)) meshes.push_back(std::make_shared<const brep::FaceMesh>(std::move(m)));
  const inspect::MeasuredForm measured(std::get<brep::BodyPtr>(in.picked("body").front().object), std::move(meshes));
  tellWalls(out, in, name, measured, cx);
  tellHollows(out, name, form, how, cx);
  const auto islands = inspect::islandsOf(form, how);
  out.measured[name + "_islands"] = count(double(islands.size()));
  if (!islands.empty())
    tell(out, problem("LM-Q127", "it begins in the air here: " + std::to_string(islands.size()) + (islands.size() == 1 ? " place" : " places") + " that nothing carries").tryThis("print it with supports, or stand it otherwise"), islands, [](const Vec3& p) { return p; });
  if (cx.stopped()) return fail(cancelled());
  const inspect::PrintSize box = inspect::printSize(form, up);
  if (const auto room = roomOf(in); room && !inspect::fitsInto(form, up, *room))
    out.notes.push_back(problem("LM-Q128", "as it stands it does not fit into the machine: " + formatNumber(box.mm.x(), 4) + " x " + formatNumber(box.mm.y(), 4) + " x " + formatNumber(box.mm.z(), 4) + " mm").inField("machine").tryThis("take a larger machine, stand it otherwise, or divide it"));
  const double grams = in.number("density") * state.volumeMm3 / 1000;
  out.measured[name + "_volume"] = {state.volumeMm3, Dimension::Volume};
  out.measured[name + "_grams"] = {grams, Dimension::Ratio};
  out.measured[name + "_height"] = millimetres(box.mm.z());
  const Vec3 middle = 0.5 * (state.boxLow + state.boxHigh);
  out.outputs.push_back({"bed", PlaneObject{Frame::fromNormal(middle + (form.lowest(up) - middle.dot(up)) * up, up), 0.6 * size}});
  out.summary = findingsWords(out.notes.size()) + " - " + formatNumber(grams, 3) + " g - " + directionWords(up) + " upwards";
  return out;
}

} // namespace print_check_

Step print_check() { return {"print_check", 1, "Print check", Stage::Check, print_check_::schema, print_check_::compute}; }

} // namespace lumsk::steps

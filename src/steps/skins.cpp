#include "steps/skins.h"

#include "brep/names.h"
#include "nurbs/measure/wrinkles.h"

namespace lumsk::steps {

using namespace recipe;

const std::array<std::pair<nurbs::Side, const char*>, 4>& sideKeys() {
  static const std::array<std::pair<nurbs::Side, const char*>, 4> keys{
      {{nurbs::FirstU, "left"}, {nurbs::LastU, "right"}, {nurbs::FirstV, "start"}, {nurbs::LastV, "end"}}};
  return keys;
}

Meets askedOf(const std::string& continuity) {
  const Meets m = meetsNamed(continuity);
  return m == Meets::Perpendicular || (m >= Meets::G1 && m <= Meets::G3) ? m : Meets::Free;
}

std::array<std::string, 4> sideNames(const std::array<std::string, 4>& sources) {
  std::array<std::string, 4> out;
  for (const auto& [side, key] : sideKeys())
    if (!sources[side].empty()) out[side] = key + (":" + sources[side]);
  return out;
}

Field sideMeets(const std::string& key, const std::string& label, const std::string& help) {
  return continuity(key, label,
                    help + ": free; square to the mirror plane it lies in; G1 to G3 into the skin it lies on; without "
                           "one, G3 at a mirror plane.",
                    {"free", "perpendicular", "g1", "g2", "g3"});
}

Meets sideMeetsOf(const std::string& value) {
  const Meets m = meetsNamed(value);
  return m == Meets::G3 ? Meets::Mirror : m == Meets::Perpendicular ? m : Meets::Free;
}

Field mirrorPlaneField() {
  return picks("mirror", "Mirror plane",
               "The plane of sides that are square or G3; without one, each side's own plane.", Kind::Plane)
      .optional()
      .atMost(1)
      .seldomSet();
}

std::optional<Frame> mirrorPlane(const Inputs& in) {
  return in.picked("mirror").empty() ? std::nullopt : std::optional(in.plane("mirror", {}));
}

bool facesInwards(const std::vector<nurbs::Surface>& strips, const std::optional<Frame>& mirror) {
  Vec3 centre = Vec3::Zero();
  for (const auto& s : strips) centre += s.grid().colwise().mean().transpose() / double(strips.size());
  if (mirror) centre -= mirror->local(centre).z() * mirror->normal(); // of both halves
  double outward = 0;
  for (const auto& s : strips)
    for (int i = 0; i < 12; ++i)
      for (int j = 1; j < 6; ++j) {
        // Outwards within the section through this place, not from the whole: bent lofts have their centre outside.
        const nurbs::Spline ring = s.isoV(j / 6.0);
        const Vec3 p = s.at(i / 12.0, j / 6.0);
        const Vec3 from = strips.size() == 1 && !mirror ? Vec3(ring.points().colwise().mean().transpose()) : centre;
        outward += s.normal(i / 12.0, j / 6.0).dot((p - from).normalized());
      }
  return outward < 0;
}

void addSwept(std::vector<brep::NamedSurface>& to, const Inputs& in, const nurbs::SweepResult& r, const std::string& role, const std::string& which, const std::string& item) {
  std::vector<nurbs::Surface> all;
  for (const auto& f : r.faces) all.push_back(f.surface);
  const bool reversed = facesInwards(all, {});
  for (const auto& f : r.faces) {
    std::string source = which;
    const auto say = [&](const std::string& what, int k, int n) {
      if (n > 1) source += (source.empty() ? "" : ",") + what + std::to_string(k + 1) + "of" + std::to_string(n);
    };
    say("stretch", f.stretch, r.stretches);
    say("side", f.strip, r.strips);
    to.push_back({std::make_shared<const nurbs::Surface>(f.surface), brep::faceName(in.stepId(), role, source), reversed,
                  sideNames({"", "", f.first ? item : "", f.last ? item : ""}), {}});
  }
}

std::string wrinkleWords(double index) {
  return " - wrinkle index " + formatNumber(index >= 100 ? std::round(index) : index, index >= 100 ? 6 : 2);
}

std::optional<Problem> bumpyNote(const std::string& code, const std::vector<nurbs::Surface>& skins,
                                 double index, const std::function<std::optional<double>()>& other,
                                 const std::string& otherWay, const std::string& remedy) {
  constexpr double kCalm = 100, kTimes = 10;
  if (!(index > kCalm)) return {};
  const auto plain = other();
  if (!plain || index <= kTimes * *plain) return {};
  return problem(code, "the skin is bumpy: its wrinkle index is far above that of the same curves " + otherWay)
      .measure(ratio(std::round(index)))
      .want(ratio(*plain >= 100 ? std::round(*plain) : *plain))
      .at(nurbs::bumpiestPlace(skins))
      .tryThis(remedy);
}

} // namespace lumsk::steps

// A plane that is moved through the form, or several.
#include "scene/lenses/cut/cut.h"

#include "scene/lenses/combs/combs.h"

namespace lumsk::scene::lenses_ {

namespace {

Frame planeAcross(const std::string& across, double turnDeg) {
  if (across == "z") {
    const Eigen::AngleAxisd r(radFromDeg(turnDeg), Vec3::UnitY());
    return {Vec3::Zero(), r * Vec3::UnitX(), Vec3::UnitY()};
  }
  const Eigen::AngleAxisd r(radFromDeg(turnDeg), Vec3::UnitZ());
  if (across == "y") return {Vec3::Zero(), r * -Vec3::UnitX(), Vec3::UnitZ()};
  return {Vec3::Zero(), r * Vec3::UnitY(), Vec3::UnitZ()};
}

class Cut : public Lens {
public:
  Cut()
      : Lens({"cut", "Cut", "a plane moved through the form", 'X',
              {recipe::choice("across", "Square to", "The direction that the plane is moved in.",
                              {{"x", "x"}, {"y", "y"}, {"z", "z"}}),
               recipe::length("at", "At", "Where the plane stands.", "0").within(-1e5, 1e5),
               recipe::angle("turn", "Turn", "Of the plane about the upright; of a level plane about y.", "0")
                   .within(-180, 180),
               recipe::countField("count", "Cuts", "Parallel planes.", "1").within(1, 40),
               recipe::length("spacing", "Apart", "Distance between the planes.", "10 mm").within(0.01, 1e4),
               recipe::toggle("away", "Look inside", "What lies before the plane is taken out of sight.", true),
               recipe::toggle("combs", "Combs", "Curvature of the cut lines.", false)}}) {}

  void take(LensState& s, const LensValues& v) const override {
    s.put(CutLook{planeAcross(v.option("across"), v.number("turn")), v.number("at"), int(v.number("count")),
                  v.number("spacing"), v.on("combs"), v.on("away")});
  }
  bool tellsOfPlaces() const override { return true; }
  bool needsWork() const override { return true; }

  void work(LensRun& run) const override {
    const auto& look = run.state.look<CutLook>();
    LensArt& art = run.out.art;
    for (int i = 0; i < look.count; ++i)
      for (const DrawnBody& b : run.bodies()) {
        if (run.cx.stopped()) return;
        inspect::Cut cut = inspect::cutOf(run.forms.of(b), look.at(i));
        if (cut.empty()) continue;
        for (const auto& l : cut.lines) art.lines.push_back({{loopOf(l)}, Ink::Coral, 2.0, true});
        if (b.solid) {
          const auto fill = inspect::fillOf(cut);
          art.fill.insert(art.fill.end(), fill.begin(), fill.end());
        }
        if (cut.thinnest) art.lines.push_back({{{cut.thinnest->from, cut.thinnest->to}}, Ink::Dark, 3.0, true});
        const auto& combs = run.state.look<CombLook>();
        if (look.combs) addCutCombs(art, cut, combs, combScale(run.scene, combs), true);
        run.out.cuts.emplace_back(b.label, std::move(cut));
      }
  }
};

} // namespace

std::unique_ptr<const Lens> cut() { return std::make_unique<Cut>(); }

} // namespace lumsk::scene::lenses_

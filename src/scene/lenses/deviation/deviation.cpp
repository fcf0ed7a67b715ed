// Distance to a body, a backdrop or measured points.
#include "scene/lenses/deviation/deviation.h"

#include <algorithm>

namespace lumsk::scene {

namespace {

const DrawnGhost* targetGhost(const Scene& d, const DeviationLook& look) {
  for (const DrawnGhost& g : d.ghosts)
    if (look.to.empty() || look.to == g.step || look.to == g.label) return &g;
  return nullptr;
}

const DrawnBody* targetBody(const Scene& d, const DeviationLook& look) {
  for (const DrawnBody& b : d.bodies)
    if (look.to.empty() ? d.bodies.size() > 1 && &b == &d.bodies.front() : look.to == b.id || look.to == b.label)
      return &b;
  return nullptr;
}

} // namespace

std::optional<DeviationTo> deviationTarget(const Scene& d, const LensState& state, MeasuredForms& forms,
                                           const DrawnBody* from) {
  const auto& look = state.look<DeviationLook>();
  if (const DrawnGhost* g = targetGhost(d, look)) {
    if (g->ghost->mesh->triangles.empty()) return {};
    return DeviationTo{{nullptr, &forms.treeOf(g->ghost)}, g->label};
  }
  const DrawnBody* b = targetBody(d, look);
  if (!b || (from && b->body == from->body)) return {};
  return DeviationTo{{&forms.of(*b), nullptr}, b->label};
}

namespace lenses_ {

namespace {

constexpr int kSteps = 16; ///< of the colours of points

class Deviation : public FieldLens {
public:
  Deviation()
      : FieldLens({"deviation", "Deviation", "distance to a body, a backdrop or points", 'V',
                   {recipe::text("to", "To", "A body, a backdrop body or points.", ""),
                    recipe::length("within", "Good within", "Smaller deviations look plain.", "0.1 mm").within(0, 1000),
                    recipe::length("range", "Ends at", "Where the colours end.", "1 mm").within(0.0001, 10000)}}) {}

  void take(LensState& s, const LensValues& v) const override {
    s.put(DeviationLook{v.option("to"), v.number("within"), v.number("range")});
  }
  bool hidesBackdrops() const override { return true; } // their triangles would hide the colours

  void work(LensRun& run) const override {
    const DrawnGhost* g = targetGhost(run.scene, run.state.look<DeviationLook>());
    if (g && g->ghost->mesh->triangles.empty()) return points(run, *g);
    const auto to = deviationTarget(run.scene, run.state, run.forms);
    if (!to) return;
    run.out.target = to->label;
    run.fill([&](const inspect::MeasuredForm& f, int m) {
      return &f == to->target.form ? inspect::FieldValues(f.meshes()[size_t(m)]->points.size())
                                   : inspect::deviationField(f, m, to->target, !run.coarse, run.cx);
    });
    run.out.coarse = run.coarse;
  }
  bool marked(const LensState& s, const inspect::FieldValue& v) const override {
    return v.b > 0 && std::abs(v.a) > s.look<DeviationLook>().withinMm;
  }
  std::pair<double, double> ends(const LensState& s, const std::vector<Weighted>&) const override {
    const double r = s.look<DeviationLook>().rangeMm;
    return {-r, r};
  }
  std::array<double, 3> legendColour(const LensState& s, double t, double value) const override {
    return fieldColour(std::abs(value) <= s.look<DeviationLook>().withinMm ? 0.5 : t);
  }
  std::string markedWords() const override { return "to %2, out of tolerance: %1 %"; }
  std::string nothingWords() const override { return "bring in a backdrop body to compare with, or choose a body"; }

  Numbers numbers(const LensState& s, double low, double high) const override {
    return {{low, high, s.look<DeviationLook>().withinMm, 0}, {}};
  }
  std::string seen() const override {
    return R"(
  vec3 c = kUnknown * s.lit;
  if (vValue.y > 0.5)
    c = abs(vValue.x) <= uA.z ? linear(vec3(0.95, 0.93, 0.88)) * s.lit : fieldLook(vValue.x, s.lit);
  return backed(s, c, 0.35);)";
  }

private:
  /// Measured points: each is coloured by how far it lies from the form.
  static void points(LensRun& run, const DrawnGhost& g) {
    const auto& look = run.state.look<DeviationLook>();
    run.out.target = g.label;
    std::map<int, std::vector<Vec3>> byColour;
    for (const Vec3& p : g.ghost->corners) {
      if (run.cx.stopped()) return;
      std::optional<double> best;
      for (const DrawnBody& b : run.bodies()) {
        const auto d = inspect::heightOver(run.forms.of(b), p);
        if (d && (!best || std::abs(*d) < std::abs(*best))) best = d;
      }
      if (!best) continue;
      const double t = 0.5 + 0.5 * *best / look.rangeMm;
      byColour[int(std::lround(std::clamp(t, 0.0, 1.0) * kSteps))].push_back(p);
      run.measured.push_back({*best, 1.0, p, std::abs(*best) > look.withinMm});
    }
    for (const auto& [step, at] : byColour)
      run.out.art.dots.push_back({at, Ink::Dark, 3.0, false, fieldColour(double(step) / kSteps)});
  }
};

} // namespace

std::unique_ptr<const Lens> deviation() { return std::make_unique<Deviation>(); }

} // namespace lenses_
} // namespace lumsk::scene

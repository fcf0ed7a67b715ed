// The angle to the pull of a mould; undercuts are marked.
#include "scene/lenses/draft/draft.h"

#include "scene/lens_work.h"

namespace lumsk::scene::lenses_ {

namespace {

constexpr double kCovered = 0.5; ///< a field value above it: hidden from where the mould is pulled

class Draft : public FieldLens {
public:
  Draft()
      : FieldLens({"draft", "Draft", "angle to the pull of a mould, undercuts marked", 'D',
                   directionFields("Where the mould is pulled.", "up",
                                   {recipe::angle("wanted", "Wanted", "Less draft than this is marked.", "3").within(0, 89),
                                    recipe::toggle("halves", "Two halves", "The other half is pulled the other way.",
                                                   true)})}) {}

  void take(LensState& s, const LensValues& v) const override {
    s.put(DraftLook{v.direction(), v.number("wanted"), v.on("halves")});
  }
  std::optional<Vec3> direction(const LensState& s) const override { return s.look<DraftLook>().pull; }
  std::string directionWord() const override { return "pull"; }
  bool withoutValues() const override { return true; } // its normals tell its draft

  void work(LensRun& run) const override {
    const auto& look = run.state.look<DraftLook>();
    run.fill([&](const inspect::MeasuredForm& f, int m) {
      return inspect::draftField(f, m, look.pull, look.bothHalves, run.cx);
    });
  }
  bool known(const inspect::FieldValue&) const override { return true; }
  bool marked(const LensState&, const inspect::FieldValue& v) const override { return v.b > kCovered; }
  std::pair<double, double> ends(const LensState&, const std::vector<Weighted>&) const override { return {-90, 90}; }
  Unit unit(const LensState&) const override { return Unit::Degrees; }
  std::string markedWords() const override { return "undercut: %1 % of the area"; }

  std::array<double, 3> legendColour(const LensState& s, double, double value) const override {
    const auto& look = s.look<DraftLook>();
    if (std::abs(value) < look.wantedDeg) return {0.86, 0.68, 0.30};
    if (value >= 0) return {0.42, 0.66, 0.58};
    if (look.bothHalves) return {0.55, 0.62, 0.78};
    return {0.80, 0.33, 0.20};
  }

  Numbers numbers(const LensState& s, double, double) const override {
    const auto& look = s.look<DraftLook>();
    return {{look.wantedDeg, look.bothHalves ? 1.0 : 0.0, 0, 0}, {look.pull.x(), look.pull.y(), look.pull.z(), 0}};
  }

  std::string seen() const override {
    return R"(
  float angle = degrees(asin(clamp(dot(s.worldN, uB.xyz), -1.0, 1.0)));
  vec3 up = linear(vec3(0.42, 0.66, 0.58)), down = linear(vec3(0.55, 0.62, 0.78));
  vec3 steep = linear(vec3(0.86, 0.68, 0.30));
  vec3 c = angle >= 0.0 ? up : down;
  c = mix(c, vec3(0.96), 0.5 * smoothstep(uA.x, 90.0, abs(angle)));
  if (abs(angle) < uA.x) c = steep;
  c *= line(angle / 15.0) * s.lit;
  if (vValue.y > 0.5 || (uA.y < 0.5 && angle < 0.0)) c = hatched(linear(kWarning) * s.lit);
  return backed(s, c, 0.35);)";
  }
};

} // namespace

std::unique_ptr<const Lens> draft() { return std::make_unique<Draft>(); }

} // namespace lumsk::scene::lenses_

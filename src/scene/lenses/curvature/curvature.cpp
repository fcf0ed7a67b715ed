// How surfaces bend, by colours.
#include "scene/lenses/curvature/curvature.h"

#include "scene/lens_work.h"

#include <algorithm>

namespace lumsk::scene::lenses_ {

namespace {

const std::vector<std::string> kShown{"mean", "gauss", "largest", "smallest", "radius"}; ///< in the order of the enum

/// The value below which a share of the area lies.
double quantile(const std::vector<Weighted>& sorted, double share) {
  double total = 0, sum = 0;
  for (const Weighted& w : sorted) total += w.area;
  for (const Weighted& w : sorted)
    if ((sum += w.area) >= share * total) return w.value;
  return sorted.back().value;
}

class Curvature : public FieldLens {
public:
  Curvature()
      : FieldLens({"curvature", "Curvature", "how surfaces bend, by colours", 'K',
                   {recipe::choice("shown", "Show", "Which curvature; hollow places are negative.",
                                   {{"mean", "mean"},
                                    {"gauss", "Gauss"},
                                    {"largest", "largest"},
                                    {"smallest", "smallest"},
                                    {"radius", "tightest radius"}}),
                    recipe::choice("range", "Range", "By itself it covers nine tenths of what is there.",
                                   {{"auto", "by itself"}, {"own", "own"}}),
                    recipe::quantity("low", "From", "Lower end of the colours: 1/mm, for Gauss 1/mm2, for the radius mm.",
                                     Dimension::Ratio, "-0.1")
                        .within(-1e6, 1e6)
                        .when("range", {"own"}),
                    recipe::quantity("high", "To", "Upper end of the colours.", Dimension::Ratio, "0.1")
                        .within(-1e6, 1e6)
                        .when("range", {"own"})}}) {}

  void take(LensState& s, const LensValues& v) const override {
    const auto at = std::find(kShown.begin(), kShown.end(), v.option("shown"));
    s.put(CurvatureLook{at == kShown.end() ? CurvatureShown::Mean : CurvatureShown(at - kShown.begin()),
                        v.option("range") != "own", v.number("low"), v.number("high")});
  }

  void work(LensRun& run) const override { run.fillKept(key(), inspect::curvatureField); }
  bool known(const inspect::FieldValue&) const override { return true; }

  double shown(const LensState& s, const inspect::FieldValue& v) const override {
    const double a = v.a, b = v.b;
    switch (s.look<CurvatureLook>().shown) {
    case CurvatureShown::Mean: return 0.5 * (a + b);
    case CurvatureShown::Gauss: return a * b;
    case CurvatureShown::Largest: return a;
    case CurvatureShown::Smallest: return b;
    case CurvatureShown::Radius: return 1.0 / std::max({std::abs(a), std::abs(b), 1e-6});
    }
    return a;
  }

  std::pair<double, double> ends(const LensState& s, const std::vector<Weighted>& sorted) const override {
    const auto& look = s.look<CurvatureLook>();
    if (!look.byItself || sorted.empty()) return {look.low, std::max(look.high, look.low + 1e-9)};
    const double low = quantile(sorted, 0.05), high = quantile(sorted, 0.95);
    if (look.shown == CurvatureShown::Radius) return {low, std::max(high, low * 1.01 + 1e-9)};
    const double reach = std::max({std::abs(low), std::abs(high), 1e-9}); // flat stays in the middle of the colours
    return {-reach, reach};
  }

  Unit unit(const LensState& s) const override {
    const CurvatureShown shown = s.look<CurvatureLook>().shown;
    return shown == CurvatureShown::Radius  ? Unit::Millimetres
           : shown == CurvatureShown::Gauss ? Unit::PerSquareMillimetre
                                            : Unit::PerMillimetre;
  }

  Numbers numbers(const LensState& s, double low, double high) const override {
    return {{low, high, double(s.look<CurvatureLook>().shown), 0}, {}};
  }

  std::string seen() const override {
    return R"(
  float v = uA.z < 0.5   ? 0.5 * (vValue.x + vValue.y)
            : uA.z < 1.5 ? vValue.x * vValue.y
            : uA.z < 2.5 ? vValue.x
            : uA.z < 3.5 ? vValue.y
                         : 1.0 / max(max(abs(vValue.x), abs(vValue.y)), 1e-6);
  return backed(s, fieldLook(v, s.lit), 0.35);)";
  }
};

} // namespace

std::unique_ptr<const Lens> curvature() { return std::make_unique<Curvature>(); }

} // namespace lumsk::scene::lenses_

// Curvature of curves, of isolines and of sections, as teeth.
#include "scene/lenses/combs/combs.h"

#include "inspect/combs.h"

#include <algorithm>

namespace lumsk::scene {

namespace {

constexpr int kBendsPerSpan = 6;
constexpr int kDensestSpans = 10;     ///< of a curve that get all their teeth
constexpr double kLongestTooth = 0.2; ///< of the form: what nine teeth in ten keep to

void addComb(LensArt& art, const std::vector<Vec3>& base, const std::vector<Vec3>& tip, bool inCut) {
  LensArt::Teeth teeth;
  teeth.inCut = inCut;
  for (size_t i = 0; i < base.size(); ++i) teeth.teeth.emplace_back(base[i], tip[i]);
  art.teeth.push_back(std::move(teeth));
  art.lines.push_back({{tip}, Ink::Green, 1.4, inCut});
}

int spansOf(const nurbs::Path& path) {
  int spans = 0;
  for (const nurbs::Segment& s : path.segments())
    if (const auto* spline = std::get_if<nurbs::Spline>(&s)) spans += spline->spans();
  return spans;
}

void addComb(LensArt& art, const nurbs::Path& path, int density, double scale) {
  // So many on a span, but not so many that those of a curve with many spans run into each other.
  const int perSpan = std::clamp(kDensestSpans * density / std::max(1, spansOf(path)), 2, density);
  const inspect::Comb comb = inspect::comb(path, perSpan, scale);
  if (comb.base.empty()) return;
  addComb(art, comb.base, comb.tip, false);
  art.dots.push_back({{comb.largestAt}, Ink::Coral, 2.0, false, {}});
  if (!comb.extremes.empty()) art.dots.push_back({comb.extremes, Ink::Green, 1.6, false, {}});
  if (!comb.inflections.empty()) art.dots.push_back({comb.inflections, Ink::Ochre, 2.0, false, {}});
}

} // namespace

double combScale(const Scene& d, const CombLook& look) {
  const double size = (d.high - d.low).norm();
  std::vector<double> bends;
  if (look.curves)
    for (const auto* list : {&d.curves, &d.otherCurves})
      for (const DrawnCurve& c : *list) {
        const auto k = inspect::comb(*c.path, kBendsPerSpan, 0.0).curvature;
        bends.insert(bends.end(), k.begin(), k.end());
      }
  double scale = 0.1 * size * 0.25 * size;
  if (!bends.empty()) {
    const auto high = bends.begin() + std::ptrdiff_t(0.9 * double(bends.size() - 1));
    std::nth_element(bends.begin(), high, bends.end());
    while (scale * *high > kLongestTooth * size) scale *= 0.5;
  }
  return scale * look.scale;
}

void addCutCombs(LensArt& art, const inspect::Cut& cut, const CombLook& look, double scale, bool inCut) {
  for (const inspect::CutLine& l : cut.lines) {
    const size_t step = std::max<size_t>(1, l.points.size() / (size_t(look.density) * 8 + 1));
    std::vector<Vec3> base, tip;
    for (size_t i = 0; i < l.points.size(); i += step) {
      base.push_back(l.points[i]);
      tip.push_back(l.points[i] - scale * l.bend[i]);
    }
    if (l.closed && !base.empty()) base.push_back(base.front()), tip.push_back(tip.front());
    addComb(art, base, tip, inCut);
    size_t tightest = 0;
    std::vector<Vec3> turns;
    for (size_t i = 1; i < l.points.size(); ++i) {
      if (l.bend[i].norm() > l.bend[tightest].norm()) tightest = i;
      if (l.bend[i].dot(l.bend[i - 1]) < 0) turns.push_back(l.points[i]);
    }
    if (!l.points.empty()) art.dots.push_back({{l.points[tightest]}, Ink::Coral, 2.0, inCut, {}});
    if (!turns.empty()) art.dots.push_back({turns, Ink::Ochre, 2.0, inCut, {}});
  }
}

std::vector<Vec3> loopOf(const inspect::CutLine& l) {
  std::vector<Vec3> out = l.points;
  if (l.closed && !out.empty()) out.push_back(out.front());
  return out;
}

namespace lenses_ {

namespace {

class Combs : public Lens {
public:
  Combs()
      : Lens({"combs", "Combs", "curvature of curves, isolines and sections", 'C',
              {recipe::toggle("curves", "Curves", "Combs on curves.", true),
               recipe::toggle("isolines", "Isolines", "Combs on lines of the skins' own net.", false),
               recipe::countField("lines", "Lines", "Isolines each way.", "6").within(1, 60).when("isolines", {"true"}),
               recipe::toggle("stack", "Sections", "Combs on a stack of parallel sections.", false),
               recipe::choice("across", "Across", "What the sections are square to.", {{"x", "x"}, {"y", "y"}, {"z", "z"}})
                   .when("stack", {"true"}),
               recipe::countField("sections", "Count", "Sections, spread over the form.", "8")
                   .within(1, 60)
                   .when("stack", {"true"}),
               recipe::countField("density", "Teeth", "On every span.", "12").within(2, 100),
               recipe::ratioField("scale", "Scale", "Length of the teeth.", "1").within(0.01, 100)}}) {}

  void take(LensState& s, const LensValues& v) const override {
    s.put(CombLook{v.on("curves"), v.on("isolines"), v.on("stack"), int(v.number("lines")), int(v.number("sections")),
                   v.axis("across"), int(v.number("density")), v.number("scale")});
  }

  bool needsWork() const override { return true; }
  void work(LensRun& run) const override {
    const auto& look = run.state.look<CombLook>();
    const Scene& d = run.scene;
    const double scale = combScale(d, look);
    if (look.curves)
      for (const auto* list : {&d.curves, &d.otherCurves})
        for (const DrawnCurve& c : *list) addComb(run.out.art, *c.path, look.density, scale);
    for (const DrawnBody& b : run.bodies()) {
      if (run.cx.stopped()) return;
      if (look.isolines) isolines(run, b, scale);
      if (look.stack) stack(run, b, scale);
    }
  }

private:
  static void stack(LensRun& run, const DrawnBody& b, double scale) {
    const auto& look = run.state.look<CombLook>();
    const double low = look.across.dot(run.scene.low), high = look.across.dot(run.scene.high);
    for (int i = 0; i < look.stackCount && !run.cx.stopped(); ++i) {
      const double at = low + (high - low) * (i + 0.5) / look.stackCount;
      const auto cut = inspect::cutOf(run.forms.of(b), Frame::fromNormal(at * look.across, look.across));
      for (const auto& l : cut.lines) run.out.art.lines.push_back({{loopOf(l)}, Ink::Dark, 1.0, false});
      addCutCombs(run.out.art, cut, look, scale, false);
    }
  }

  static void isolines(LensRun& run, const DrawnBody& b, double scale) {
    const auto& look = run.state.look<CombLook>();
    for (const auto& [name, face] : b.body->natural) {
      const nurbs::Surface& s = *face.surface;
      const int n = look.isolineCount;
      for (int i = 0; i < n && !run.cx.stopped(); ++i) {
        const double f = (i + 0.5) / n;
        for (const nurbs::Spline& c :
             {s.isoU(s.firstU() + f * (s.lastU() - s.firstU())), s.isoV(s.firstV() + f * (s.lastV() - s.firstV()))}) {
          const auto path = nurbs::Path::make({c}, run.scene.point);
          if (!path) continue; // shrunk to a pole
          addComb(run.out.art, *path, look.density, scale);
          const Points line = nurbs::polylineWithin(*path, 0.05);
          LensArt::Lines drawn{{{}}, Ink::Soft, 1.0, false};
          for (Eigen::Index k = 0; k < line.rows(); ++k) drawn.lines[0].push_back(line.row(k).transpose());
          run.out.art.lines.push_back(std::move(drawn));
        }
      }
    }
  }
};

} // namespace

std::unique_ptr<const Lens> combs() { return std::make_unique<Combs>(); }

} // namespace lenses_
} // namespace lumsk::scene

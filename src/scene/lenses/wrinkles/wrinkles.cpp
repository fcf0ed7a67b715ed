// Why a skin wrinkles: control points of the curves that it was made from, coloured and numbered by how much each adds.
#include "nurbs/measure/closest.h"
#include "nurbs/measure/wrinkles.h"
#include "nurbs/reshape/iron.h"
#include "nurbs/reshape/shape_points.h"
#include "recipe/model.h"
#include "scene/lens_work.h"

#include <algorithm>
#include <set>

namespace lumsk::scene::lenses_ {

namespace {

constexpr int kLooks = 9, kLies = 3;   ///< places of a curve; so many of them on a skin, and it leads it
constexpr double kOn = 0.05;           ///< mm: nearer to a skin than that is on it
constexpr int kNumbered = 9;           ///< control points that get words
constexpr double kTold = 0.02;         ///< of the whole, below which none does
constexpr int kMostPoints = 400;       ///< of one curve

bool leads(const nurbs::Path& curve, const nurbs::Surface& skin) {
  int on = 0;
  for (int k = 0; k < kLooks; ++k)
    on += nurbs::closestPoint(skin, curve.at(curve.last() * (k + 0.5) / kLooks)).distanceMm < kOn;
  return on >= kLies;
}

class Wrinkles : public Lens {
public:
  Wrinkles() : Lens({"wrinkles", "Wrinkles", "control points of curves by how much each adds to the wrinkles of the skin", 'U'}) {}
  bool needsWork() const override { return true; }

  void work(LensRun& run) const override {
    if (run.coarse) {
      run.out.coarse = true;
      return;
    }
    std::set<std::string> shown; // as of an earlier row a body is there once more, as it will be
    for (const DrawnBody& b : run.bodies())
      if (!run.cx.stopped() && shown.insert(b.id).second) show(b, run);
  }

private:
  static void show(const DrawnBody& b, LensRun& run) {
    std::vector<nurbs::Surface> skins;
    std::vector<nurbs::IronCurve> curves;
    std::vector<char> used(run.scene.curves.size(), 0);
    for (const auto& [name, face] : b.body->natural) {
      bool led = false;
      for (size_t i = 0; i < run.scene.curves.size() && !run.cx.stopped(); ++i)
        if (leads(*run.scene.curves[i].path, *face.surface)) led = true, used[i] = 1;
      if (led) skins.push_back(*face.surface);
    }
    LensArt::Lines polygons{{}, Ink::Soft, 1.0, false};
    for (size_t i = 0; i < used.size(); ++i) {
      if (!used[i]) continue;
      const auto net = nurbs::pointNet(*run.scene.curves[i].path, run.cx);
      if (!net || int(net->points.size()) > kMostPoints) continue;
      curves.push_back({*run.scene.curves[i].path, false, {}});
      for (const nurbs::Spline& s : net->splines) {
        std::vector<Vec3> row;
        for (Eigen::Index k = 0; k < s.points().rows(); ++k) row.push_back(s.points().row(k).transpose());
        polygons.lines.push_back(std::move(row));
      }
    }
    if (curves.empty()) return;
    nurbs::IronOptions options;
    for (const auto& [name, plane] : recipe::worldPlanes()) options.planes.push_back(plane);
    const auto shares = nurbs::wrinkleShares(skins, curves, options, run.cx);
    if (!shares || shares->empty()) return;
    run.out.art.lines.push_back(std::move(polygons));
    const double most = std::max(shares->front().share, 1e-12);
    for (size_t k = 0; k < shares->size(); ++k) {
      const nurbs::WrinkleShare& s = (*shares)[k];
      run.out.art.dots.push_back({{s.at}, Ink::Dark, 2.0 + 4.0 * s.share / most, false, fieldColour(0.5 + 0.5 * s.share / most)});
      if (int(k) < kNumbered && s.share >= kTold)
        run.out.art.words.push_back({s.at, std::to_string(k + 1) + ": " + formatNumber(100 * s.share, 2) + " %", b.id, s.share / most});
    }
  }
};

} // namespace

std::unique_ptr<const Lens> wrinkles() { return std::make_unique<Wrinkles>(); }

} // namespace lumsk::scene::lenses_

// Control points of curves and skins.
#include "scene/lens_work.h"

namespace lumsk::scene::lenses_ {

namespace {

class ControlPoints : public Lens {
public:
  ControlPoints() : Lens({"points", "Points", "control points of curves and skins", 'P'}) {}
  bool needsWork() const override { return true; }
  void work(LensRun& run) const override {
    LensArt::Lines lines{{}, Ink::Soft, 1.0, false};
    LensArt::Dots dots{{}, Ink::Dark, 2.0, false, {}};
    const auto add = [&](std::vector<Vec3> row) { lines.lines.push_back(std::move(row)); };
    for (const DrawnCurve& c : run.scene.curves)
      for (const auto& segment : c.path->segments())
        if (const auto* s = std::get_if<nurbs::Spline>(&segment)) {
          std::vector<Vec3> row;
          for (Eigen::Index i = 0; i < s->points().rows(); ++i) row.push_back(s->points().row(i).transpose());
          dots.points.insert(dots.points.end(), row.begin(), row.end());
          add(std::move(row));
        }
    for (const DrawnBody& b : run.bodies()) {
      for (const auto& [name, face] : b.body->natural) {
        const nurbs::Surface& s = *face.surface;
        for (int i = 0; i < s.sizeU(); ++i) {
          std::vector<Vec3> row;
          for (int j = 0; j < s.sizeV(); ++j) row.push_back(s.point(i, j).transpose());
          dots.points.insert(dots.points.end(), row.begin(), row.end());
          add(std::move(row));
        }
        for (int j = 0; j < s.sizeV(); ++j) {
          std::vector<Vec3> row;
          for (int i = 0; i < s.sizeU(); ++i) row.push_back(s.point(i, j).transpose());
          add(std::move(row));
        }
      }
    }
    run.out.art.lines.push_back(std::move(lines));
    run.out.art.dots.push_back(std::move(dots));
  }
};

} // namespace

std::unique_ptr<const Lens> points() { return std::make_unique<ControlPoints>(); }

} // namespace lumsk::scene::lenses_

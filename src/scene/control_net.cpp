#include "scene/control_net.h"

namespace lumsk::scene {

void addControlNets(const Scene& d, const LensState& lens, LensArt& art) {
  LensArt::Lines lines{{}, Ink::Soft, 1.0, false};
  LensArt::Dots dots{{}, Ink::Dark, 2.0, false, {}};
  const auto add = [&](std::vector<Vec3> row) { lines.lines.push_back(std::move(row)); };
  for (const DrawnCurve& c : d.curves)
    for (const auto& segment : c.path->segments())
      if (const auto* s = std::get_if<nurbs::Spline>(&segment)) {
        std::vector<Vec3> row;
        for (Eigen::Index i = 0; i < s->points().rows(); ++i) row.push_back(s->points().row(i).transpose());
        dots.points.insert(dots.points.end(), row.begin(), row.end());
        add(std::move(row));
      }
  std::vector<DrawnBody> bodies = d.bodies;
  bodies.insert(bodies.end(), d.later.begin(), d.later.end());
  for (const DrawnBody& b : bodies) {
    if (!lens.looksAt(b.id)) continue;
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
  art.lines.push_back(std::move(lines));
  art.dots.push_back(std::move(dots));
}

} // namespace lumsk::scene

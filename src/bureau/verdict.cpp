#include "bureau/verdict.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace lumsk::bureau {

namespace {

constexpr double kBeadMm = 0.4, kBeadMmPerS = 55.0, kSecondsALayer = 2.0;
constexpr double kSetUpEur = 7.5, kEurAnHour = 2.4;
constexpr int kThinLayers = 3; ///< so many on one another are a wall, fewer a tip

const Material* materialOf(const std::string& key) {
  const auto m = std::find_if(materials().begin(), materials().end(), [&](const Material& x) { return x.key == key; });
  return m == materials().end() ? nullptr : &*m;
}

/// A place on the border of an area, and how broad it is: twice its area over its border's length.
struct Piece {
  Vec3 at;
  double areaMm2 = 0.0, breadthMm = 0.0;
};
std::optional<Piece> largest(const Areas& areas, double z) {
  std::optional<Piece> found;
  for (const auto& path : areas) {
    const double area = std::abs(ClipperLib::Area(path)) / (kPerMm * kPerMm);
    if (found && found->areaMm2 >= area) continue;
    double around = 0.0;
    for (size_t k = 0; k < path.size(); ++k) {
      const auto &a = path[k], &b = path[(k + 1) % path.size()];
      around += std::hypot(double(b.X - a.X), double(b.Y - a.Y)) / kPerMm;
    }
    found = Piece{Vec3(double(path[0].X) / kPerMm, double(path[0].Y) / kPerMm, z), area, around > 0 ? 2 * area / around : 0.0};
  }
  return found;
}

} // namespace

const std::vector<Material>& materials() {
  static const std::vector<Material> list{{"pla", "PLA", 1.24e-3, 0.09}, {"petg", "PETG", 1.27e-3, 0.11}, {"asa", "ASA", 1.07e-3, 0.14}, {"pa12", "PA 12", 1.02e-3, 0.31}};
  return list;
}

const std::vector<double>& layerHeights() {
  static const std::vector<double> list{0.1, 0.15, 0.2, 0.3};
  return list;
}

Vec3 room() { return {300, 250, 300}; }

std::vector<Reason> firstReasons(const std::vector<Part>& parts, const Wish& wish) {
  std::vector<Reason> reasons;
  if (!materialOf(wish.material)) reasons.push_back({"there is no material '" + wish.material + "' here"});
  const auto& heights = layerHeights();
  if (std::none_of(heights.begin(), heights.end(), [&](double h) { return std::abs(h - wish.layerMm) < 1e-9; }))
    reasons.push_back({fmt::format("layers of {:g} mm are not printed here", wish.layerMm)});
  if (wish.copies < 1 || wish.copies > kMostCopies) reasons.push_back({fmt::format("from 1 to {} copies are printed at a time", kMostCopies)});
  std::size_t triangles = 0;
  for (const Part& p : parts) triangles += p.triangles.size();
  if (triangles > kMostTriangles) reasons.push_back({fmt::format("{} triangles are more than {}; send a coarser mesh", triangles, kMostTriangles)});
  if (!reasons.empty()) return reasons;
  for (const Part& p : parts)
    if (const auto open = openEdges(p); !open.empty())
      reasons.push_back({fmt::format("not closed: {} edges are open", open.size()), p.number, open.front()});
  const Box box = boxOf(parts);
  const Vec3 size = box.high - box.low, r = room();
  const bool fits = size.z() <= r.z() && ((size.x() <= r.x() && size.y() <= r.y()) || (size.y() <= r.x() && size.x() <= r.y()));
  if (!fits)
    reasons.push_back({fmt::format("{:.1f} × {:.1f} × {:.1f} mm is larger than the largest machine, {:g} × {:g} × {:g} mm", size.x(), size.y(), size.z(), r.x(), r.y(), r.z()), 0,
                       box.high});
  return reasons;
}

std::vector<Reason> layerReasons(const std::vector<Layer>& layers) {
  int run = 0, longest = 0, all = 0;
  std::optional<Piece> worst;
  for (const Layer& l : layers) {
    run = l.thin.empty() ? 0 : run + 1;
    longest = std::max(longest, run);
    all += l.thin.empty() ? 0 : 1;
    if (const auto p = largest(l.thin, l.zMm); p && (!worst || p->areaMm2 > worst->areaMm2)) worst = p;
  }
  if (longest < kThinLayers) return {};
  return {{fmt::format("walls under {:g} mm in {} layers, about {:.2f} mm at the longest of them", kLeastWallMm, all, worst->breadthMm), 0, worst->at}};
}

Price priced(const std::vector<Layer>& layers, const Wish& wish) {
  Price p;
  double supportMm3 = 0.0;
  for (const Layer& l : layers) {
    p.volumeMm3 += areaMm2(l.solid) * wish.layerMm;
    supportMm3 += 0.15 * areaMm2(l.support) * wish.layerMm;
    p.hangingMm2 += areaMm2(l.hanging);
  }
  const Material* m = materialOf(wish.material);
  p.grams = p.volumeMm3 * m->gramsPerMm3;
  p.supportGrams = supportMm3 * m->gramsPerMm3;
  p.hours = ((p.volumeMm3 + supportMm3) / (kBeadMm * wish.layerMm) / kBeadMmPerS + kSecondsALayer * double(layers.size())) / 3600.0;
  const double eur = kSetUpEur + wish.copies * ((p.grams + p.supportGrams) * m->eurPerGram + p.hours * kEurAnHour);
  p.eur = std::round(eur * 100.0) / 100.0;
  return p;
}

} // namespace lumsk::bureau

#include "bureau/slices.h"

#include <cmath>
#include <unordered_map>

namespace lumsk::bureau {

namespace {

namespace cl = ClipperLib;

constexpr double kArcMm = 0.02;      ///< how far rounded corners of a widened area may lie off
constexpr double kCleanMm = 0.004;   ///< corners that are nearer to their neighbours' line than this are none
constexpr double kLeastPiece = 0.25; ///< mm2: what hangs or is thin over less is none
constexpr double kGapMm = 0.4;       ///< between a form and what supports it

cl::IntPoint rounded(double x, double y) { return {cl::cInt(std::llround(x * kPerMm)), cl::cInt(std::llround(y * kPerMm))}; }

Areas widened(const Areas& areas, double mm) {
  cl::ClipperOffset offset(2.0, kArcMm * kPerMm);
  offset.AddPaths(areas, cl::jtRound, cl::etClosedPolygon);
  Areas out;
  offset.Execute(out, mm * kPerMm);
  return out;
}

Areas combined(cl::ClipType type, const Areas& a, const Areas& b) {
  if (a.empty() && type != cl::ctUnion) return {};
  cl::Clipper clipper;
  clipper.AddPaths(a, cl::ptSubject, true);
  clipper.AddPaths(b, cl::ptClip, true);
  Areas out;
  clipper.Execute(type, out, cl::pftNonZero, cl::pftNonZero);
  return out;
}

/// Pieces that are large enough to matter, holes within them kept.
Areas largePieces(const Areas& areas, double least) {
  Areas out;
  for (const cl::Path& path : areas)
    if (std::abs(cl::Area(path)) / (kPerMm * kPerMm) > least) out.push_back(path);
  return out;
}

/// Loops in which a plane cuts a closed part: segments run from the side of a triangle that goes down through the plane to the one that goes
/// up, so that the form lies at their left; the next triangle is the one beyond that side. A corner on the plane counts as above it.
class Loops {
public:
  Loops(const Part& part, double z, const std::vector<int>& triangles) : part_(part), z_(z) {
    for (int t : triangles) {
      const auto& c = part.triangles[size_t(t)];
      Segment s;
      for (size_t k = 0; k < 3; ++k) {
        const int a = c[k], b = c[(k + 1) % 3];
        if (above(a) == above(b)) continue;
        (above(a) ? s.from : s.to) = keyOf(a, b);
      }
      next_.emplace(s.from, s.to);
    }
  }

  void addTo(Areas& areas) {
    while (!next_.empty()) {
      cl::Path path;
      for (auto at = next_.begin(); at != next_.end();) {
        path.push_back(crossing(at->first));
        const std::uint64_t to = at->second;
        next_.erase(at);
        at = next_.find(to);
      }
      if (path.size() > 2) areas.push_back(std::move(path));
    }
  }

private:
  struct Segment {
    std::uint64_t from = 0, to = 0;
  };
  bool above(int p) const { return part_.points[size_t(p)].z() >= z_; }
  static std::uint64_t keyOf(int a, int b) { return (std::uint64_t(std::min(a, b)) << 32) | std::uint32_t(std::max(a, b)); }
  cl::IntPoint crossing(std::uint64_t key) const {
    const Vec3 &a = part_.points[key >> 32], &b = part_.points[key & 0xffffffffu];
    const Vec3 p = a + (z_ - a.z()) / (b.z() - a.z()) * (b - a);
    return rounded(p.x(), p.y());
  }
  const Part& part_;
  double z_;
  std::unordered_map<std::uint64_t, std::uint64_t> next_;
};

/// Which triangles each layer cuts.
std::vector<std::vector<int>> cutBy(const Part& part, double bottom, double step, size_t layers) {
  std::vector<std::vector<int>> out(layers);
  for (size_t t = 0; t < part.triangles.size(); ++t) {
    double low = std::numeric_limits<double>::infinity(), high = -low;
    for (int p : part.triangles[t]) low = std::min(low, part.points[size_t(p)].z()), high = std::max(high, part.points[size_t(p)].z());
    // Planes stand at bottom + (k + 1/2) step; those above `low` and not above `high` cut.
    const auto first = size_t(std::max(0.0, std::floor((low - bottom) / step - 0.5) + 1.0));
    for (size_t k = first; k < layers && bottom + (double(k) + 0.5) * step <= high; ++k) out[k].push_back(int(t));
  }
  return out;
}

} // namespace

double areaMm2(const Areas& areas) {
  double sum = 0.0;
  for (const cl::Path& path : areas) sum += cl::Area(path);
  return sum / (kPerMm * kPerMm);
}

std::optional<std::vector<Layer>> sliced(const std::vector<Part>& parts, const SliceOptions& options, const std::function<bool(double)>& goOn) {
  const Box box = boxOf(parts);
  const double step = options.layerMm;
  const auto count = size_t(std::max(1.0, std::ceil((box.high.z() - box.low.z()) / step - 1e-6)));
  std::vector<Layer> layers(count);
  std::vector<std::vector<std::vector<int>>> cut;
  for (const Part& part : parts) cut.push_back(cutBy(part, box.low.z(), step, count));
  for (size_t k = 0; k < count; ++k) {
    if (!goOn(0.7 * double(k) / double(count))) return std::nullopt;
    Layer& layer = layers[k];
    layer.zMm = box.low.z() + (double(k) + 0.5) * step;
    Areas loops;
    for (size_t p = 0; p < parts.size(); ++p) Loops(parts[p], layer.zMm, cut[p][k]).addTo(loops);
    layer.solid = combined(cl::ctUnion, loops, {});
    cl::CleanPolygons(layer.solid, kCleanMm * kPerMm);
    const double r = options.leastWallMm / 2;
    layer.thin = largePieces(combined(cl::ctDifference, layer.solid, widened(widened(layer.solid, -r), 1.02 * r)), kLeastPiece);
    if (k > 0) layer.hanging = largePieces(combined(cl::ctDifference, layer.solid, widened(layers[k - 1].solid, 1.001 * step)), kLeastPiece);
  }
  Areas above;
  for (size_t k = count; k-- > 0;) {
    if (!goOn(1.0 - 0.3 * double(k) / double(count))) return std::nullopt;
    layers[k].support = largePieces(combined(cl::ctDifference, above, widened(layers[k].solid, kGapMm)), kLeastPiece);
    above = combined(cl::ctUnion, layers[k].support, layers[k].hanging);
    cl::CleanPolygons(above, kArcMm * kPerMm);
  }
  return layers;
}

} // namespace lumsk::bureau

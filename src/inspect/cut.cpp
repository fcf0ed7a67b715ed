#include "inspect/cut.h"

#include <algorithm>
#include <map>

namespace lumsk::inspect {

namespace {

constexpr double kStartMm = 1e-4; ///< a ray does not meet the place where it starts
constexpr double kSameMm = 1e-7;
constexpr double kCornerRad = 0.35;
constexpr double kInwards = 0.7; ///< cosine: walls are measured where the far side is met fairly squarely, not across a corner
constexpr double kOnPlaneMm = 1e-5; ///< what is so near to the plane lies in it

struct CutPoint {
  Vec3 at, bend;
};

/// Cuts the mesh of one face: points by the mesh edge that they lie on, so that neighbouring triangles share them.
class FaceCutter {
public:
  FaceCutter(const MeasuredForm& form, int mesh, const Frame& plane)
      : surface_(form.surface(mesh)), mesh_(*form.meshes()[size_t(mesh)]), plane_(plane), normal_(plane.normal()) {}

  std::vector<CutLine> lines() {
    std::vector<double> height(mesh_.points.size());
    for (size_t i = 0; i < height.size(); ++i) {
      height[i] = (mesh_.points[i] - plane_.origin).dot(normal_);
      // A point in the plane counts as above it, on all faces that meet there: else lines that run along an edge have gaps.
      if (std::abs(height[i]) < kOnPlaneMm) height[i] = 1e-12;
    }
    std::map<Side, std::vector<Side>> next;
    for (const auto& t : mesh_.triangles) {
      std::array<Side, 2> ends;
      int n = 0;
      for (int k = 0; k < 3; ++k) {
        const int a = t[size_t(k)], b = t[size_t((k + 1) % 3)];
        if ((height[size_t(a)] > 0) == (height[size_t(b)] > 0)) continue;
        if (n < 2) ends[size_t(n)] = {std::min(a, b), std::max(a, b)};
        ++n;
      }
      if (n != 2) continue;
      next[ends[0]].push_back(ends[1]);
      next[ends[1]].push_back(ends[0]);
    }
    std::vector<CutLine> out;
    std::map<Side, bool> seen;
    const auto follow = [&](const Side& start) {
      CutLine line;
      Side at = start;
      for (bool more = true; more;) {
        seen[at] = true;
        const CutPoint p = pointOn(at, height);
        // A point of the mesh that lies in the plane is met on all its sides.
        if (line.points.empty() || (p.at - line.points.back()).norm() > kSameMm) {
          line.points.push_back(p.at);
          line.bend.push_back(p.bend);
        }
        more = false;
        for (const Side& n : next[at])
          if (!seen[n]) {
            at = n;
            more = true;
            break;
          }
      }
      const auto& back = next[at];
      const bool met = line.points.size() > 1 && (line.points.front() - line.points.back()).norm() <= kSameMm;
      if (met) {
        line.points.pop_back();
        line.bend.pop_back();
      }
      line.closed = line.points.size() > 2 && (met || std::find(back.begin(), back.end(), start) != back.end());
      out.push_back(std::move(line));
    };
    for (const auto& [side, others] : next)
      if (others.size() == 1 && !seen[side]) follow(side);
    for (const auto& [side, others] : next)
      if (!seen[side]) follow(side);
    return out;
  }

private:
  using Side = std::pair<int, int>; ///< two points of the mesh

  /// On the surface and in the plane, found between two places by false position (Illinois; Dowell & Jarratt 1971).
  CutPoint pointOn(const Side& s, const std::vector<double>& height) const {
    const size_t a = size_t(s.first), b = size_t(s.second);
    const double f = height[a] / (height[a] - height[b]);
    if (mesh_.places.empty()) return {mesh_.points[a] + f * (mesh_.points[b] - mesh_.points[a]), Vec3::Zero()};
    const Vec2 ua = mesh_.places[a], ub = mesh_.places[b];
    double lo = 0, hi = 1, hLo = height[a], hHi = height[b], t = f;
    Vec3 at = mesh_.points[a];
    for (int i = 0; i < 40; ++i) {
      at = surface_.first(ua + t * (ub - ua)).at;
      const double h = (at - plane_.origin).dot(normal_);
      if (std::abs(h) < 1e-10 || hi - lo < 1e-15) break;
      if ((h > 0) == (hHi > 0)) {
        hi = t, hHi = h, hLo *= 0.5;
      } else {
        lo = t, hLo = h, hHi *= 0.5;
      }
      t = lo + (hi - lo) * hLo / (hLo - hHi);
    }
    return {at, bendAt(ua + t * (ub - ua))};
  }

  Vec3 bendAt(const Vec2& uv) const {
    const Vec3 n = surface_.outward(uv), along = n.cross(normal_);
    const double sine = along.norm(); // between the surface's normal and the plane's
    if (sine < 1e-6) return Vec3::Zero();
    const Vec3 inPlane = (n - n.dot(normal_) * normal_) / sine; // unit
    return surface_.normalCurvature(uv, along / sine) / sine * inPlane;
  }

  const FaceSurface& surface_;
  const brep::FaceMesh& mesh_;
  Frame plane_;
  Vec3 normal_;
};

void turnRound(CutLine& l) {
  std::reverse(l.points.begin(), l.points.end());
  std::reverse(l.bend.begin(), l.bend.end());
}

/// Open lines whose ends lie together become one.
std::vector<CutLine> joined(std::vector<CutLine> parts, double within) {
  std::vector<CutLine> out, open;
  for (CutLine& l : parts) (l.closed ? out : open).push_back(std::move(l));
  while (!open.empty()) {
    CutLine line = std::move(open.back());
    open.pop_back();
    for (bool grown = true; grown;) {
      grown = false;
      double nearest = within;
      size_t best = 0;
      bool turned = false;
      for (size_t i = 0; i < open.size(); ++i) {
        const double toFirst = (open[i].points.front() - line.points.back()).norm(),
                     toLast = (open[i].points.back() - line.points.back()).norm();
        if (std::min(toFirst, toLast) > nearest) continue;
        nearest = std::min(toFirst, toLast);
        best = i;
        turned = toLast < toFirst;
        grown = true;
      }
      if ((line.points.front() - line.points.back()).norm() <= nearest && line.points.size() > 2) break;
      if (!grown) break;
      CutLine more = std::move(open[best]);
      open.erase(open.begin() + long(best));
      if (turned) turnRound(more);
      line.points.insert(line.points.end(), more.points.begin(), more.points.end());
      line.bend.insert(line.bend.end(), more.bend.begin(), more.bend.end());
    }
    line.closed = line.points.size() > 2 && (line.points.front() - line.points.back()).norm() <= within;
    if (!line.closed) { // it may go on at its other end
      for (size_t i = 0; i < open.size(); ++i)
        if (std::min((open[i].points.front() - line.points.front()).norm(),
                     (open[i].points.back() - line.points.front()).norm()) <= within) {
          turnRound(line);
          open.push_back(std::move(line));
          line.points.clear();
          break;
        }
      if (line.points.empty()) continue;
    }
    out.push_back(std::move(line));
  }
  return out;
}

template <class F> void forEachSegment(const Cut& cut, const F& f) {
  for (const CutLine& l : cut.lines) {
    const size_t n = l.points.size();
    for (size_t i = 0; i + (l.closed ? 0 : 1) < n; ++i) f(l.points[i], l.points[(i + 1) % n], l, i);
  }
}

/// Twice the area under a segment, by its sense of running; summed over a closed line, twice its area.
double crossInPlane(const Frame& f, const Vec3& a, const Vec3& b) {
  const Vec3 p = f.local(a), q = f.local(b);
  return p.x() * q.y() - p.y() * q.x();
}

/// Area by the even-odd rule from the trapezoids that fill it.
double areaOf(const Cut& cut) {
  double twice = 0;
  for (const auto& t : fillOf(cut)) twice += (t[1] - t[0]).cross(t[2] - t[0]).norm();
  return 0.5 * twice;
}

void measure(Cut& cut, bool solid) {
  Vec2 low = Vec2::Constant(1e300), high = -low;
  forEachSegment(cut, [&](const Vec3& a, const Vec3& b, const CutLine&, size_t) {
    cut.lengthMm += (b - a).norm();
    for (const Vec3& p : {a, b}) {
      low = low.cwiseMin(cut.plane.local(p).head<2>());
      high = high.cwiseMax(cut.plane.local(p).head<2>());
    }
  });
  if (cut.lines.empty()) return;
  cut.low = low;
  cut.high = high;
  if (!solid) return;
  cut.areaMm2 = areaOf(cut);
  // Into the material: closed lines that lie inside an odd number of others are holes.
  const Vec3 n = cut.plane.normal();
  for (const CutLine& l : cut.lines) {
    if (!l.closed) continue;
    double twice = 0;
    for (size_t i = 0; i < l.points.size(); ++i)
      twice += crossInPlane(cut.plane, l.points[i], l.points[(i + 1) % l.points.size()]);
    int around = 0;
    const Vec3 probe = cut.plane.local(l.points[0]);
    for (const CutLine& other : cut.lines) {
      if (&other == &l || !other.closed) continue;
      bool inside = false;
      for (size_t i = 0; i < other.points.size(); ++i) {
        const Vec3 a = cut.plane.local(other.points[i]),
                   b = cut.plane.local(other.points[(i + 1) % other.points.size()]);
        if ((a.y() > probe.y()) != (b.y() > probe.y()) &&
            probe.x() < a.x() + (b.x() - a.x()) * (probe.y() - a.y()) / (b.y() - a.y()))
          inside = !inside;
      }
      around += inside;
    }
    const double side = (twice > 0 ? 1.0 : -1.0) * (around % 2 ? -1.0 : 1.0);
    const size_t step = std::max<size_t>(1, l.points.size() / 200);
    for (size_t i = 0; i < l.points.size(); i += step) {
      const size_t count = l.points.size();
      const Vec3 before = l.points[i] - l.points[(i + count - 1) % count],
                 after = l.points[(i + 1) % count] - l.points[i];
      // At a corner of the line there is no direction across.
      if (before.norm() < 1e-9 || after.norm() < 1e-9 || angleBetweenRad(before, after) > kCornerRad) continue;
      // The tangent of the parabola through the three places.
      const Vec3 along = before / before.squaredNorm() + after / after.squaredNorm();
      const auto wall = cutWallAt(cut, l.points[i], side * n.cross(along).normalized());
      if (wall && (!cut.thinnest || wall->mm < cut.thinnest->mm)) cut.thinnest = wall;
    }
  }
}

} // namespace

Cut cutOf(const MeasuredForm& form, const Frame& plane, double joinMm) {
  Cut cut;
  cut.plane = plane;
  std::vector<CutLine> parts;
  for (size_t m = 0; m < form.meshes().size(); ++m)
    for (CutLine& l : FaceCutter(form, int(m), plane).lines()) parts.push_back(std::move(l));
  cut.lines = joined(std::move(parts), joinMm);
  measure(cut, form.body().solid());
  return cut;
}

std::vector<std::array<Vec3, 3>> fillOf(const Cut& cut) {
  struct Slanted {
    Vec2 low, high;
    double xAt(double y) const { return low.x() + (high.x() - low.x()) * (y - low.y()) / (high.y() - low.y()); }
  };
  std::vector<Slanted> sides;
  std::vector<double> levels;
  for (const CutLine& l : cut.lines) {
    if (!l.closed) continue;
    for (size_t i = 0; i < l.points.size(); ++i) {
      Vec2 a = cut.plane.local(l.points[i]).head<2>(),
           b = cut.plane.local(l.points[(i + 1) % l.points.size()]).head<2>();
      levels.push_back(a.y());
      if (a.y() == b.y()) continue;
      if (a.y() > b.y()) std::swap(a, b);
      sides.push_back({a, b});
    }
  }
  std::sort(levels.begin(), levels.end());
  levels.erase(std::unique(levels.begin(), levels.end(), [](double a, double b) { return b - a < 1e-9; }),
               levels.end());
  std::sort(sides.begin(), sides.end(), [](const Slanted& a, const Slanted& b) { return a.low.y() < b.low.y(); });
  std::vector<std::array<Vec3, 3>> out;
  std::vector<Slanted> active;
  size_t next = 0;
  for (size_t k = 0; k + 1 < levels.size(); ++k) {
    const double y0 = levels[k], y1 = levels[k + 1], ym = 0.5 * (y0 + y1);
    while (next < sides.size() && sides[next].low.y() <= ym) active.push_back(sides[next++]);
    active.erase(std::remove_if(active.begin(), active.end(), [&](const Slanted& s) { return s.high.y() <= ym; }),
                 active.end());
    std::vector<const Slanted*> across;
    for (const Slanted& s : active) across.push_back(&s);
    std::sort(across.begin(), across.end(),
              [&](const Slanted* a, const Slanted* b) { return a->xAt(ym) < b->xAt(ym); });
    for (size_t i = 0; i + 1 < across.size(); i += 2) {
      const Vec3 a = cut.plane.at(across[i]->xAt(y0), y0), b = cut.plane.at(across[i + 1]->xAt(y0), y0),
                 c = cut.plane.at(across[i + 1]->xAt(y1), y1), d = cut.plane.at(across[i]->xAt(y1), y1);
      out.push_back({a, b, c});
      out.push_back({a, c, d});
    }
  }
  return out;
}

std::optional<CutWall> cutWallAt(const Cut& cut, const Vec3& from, const Vec3& unit) {
  const Vec3 o = cut.plane.local(from);
  const Vec2 d(unit.dot(cut.plane.x), unit.dot(cut.plane.y)), p = o.head<2>();
  double nearest = 1e300;
  forEachSegment(cut, [&](const Vec3& a3, const Vec3& b3, const CutLine& line, size_t i) {
    const Vec2 a = cut.plane.local(a3).head<2>(), e = cut.plane.local(b3).head<2>() - a, r = a - p;
    const double det = d.x() * -e.y() + d.y() * e.x(); // p + t d = a + s e
    const double l = e.norm();
    if (!(l > 0) || std::abs(det) < kInwards * l) return;
    double t = (-r.x() * e.y() + r.y() * e.x()) / det;
    const double s = (d.x() * r.y() - d.y() * r.x()) / det;
    if (s < 0 || s > 1 || t <= kStartMm) return;
    // The line bulges out of its chord, away from its centre of curvature.
    const Vec3 bend = 0.5 * (line.bend[i] + line.bend[(i + 1) % line.bend.size()]);
    const Vec2 bulge = -0.5 * s * (1 - s) * l * l * Vec2(bend.dot(cut.plane.x), bend.dot(cut.plane.y));
    const Vec2 across(-e.y() / l, e.x() / l);
    t += bulge.dot(across) / d.dot(across);
    nearest = std::min(nearest, t);
  });
  if (nearest > 1e299) return {};
  return CutWall{nearest, from, from + nearest * unit};
}

} // namespace lumsk::inspect

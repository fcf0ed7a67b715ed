#include "nurbs/sweep/sweep_faces.h"

#include "nurbs/core/surface.h"
#include "nurbs/measure/arc_length.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kJointAtEnd = 1e-9; ///< of a face: joints so near to its end are there

/// Joints of a path that are no corners, as fractions of its length.
std::vector<double> jointsOf(const Path& p, AngleTolerance corner) {
  std::vector<double> out;
  const ArcLength length(p);
  const auto corners = p.corners(corner);
  for (int k = p.closed() ? 0 : 1; k < int(p.segments().size()); ++k)
    if (p.segments().size() > 1 && std::none_of(corners.begin(), corners.end(), [&](double c) { return std::abs(c - k) < kJointAtEnd; }))
      out.push_back(length.fractionAt(k));
  return out;
}

} // namespace

void addFaces(SweepResult& out, const LoftResult& r, const Section& section, int number, const Path& rail, SweepFaces faces,
              AngleTolerance corner, double from, double to) {
  std::vector<double> along;
  for (double f : faces == SweepFaces::Pieces ? jointsOf(rail, corner) : std::vector<double>{}) {
    double v = (f - from) / (to - from);
    if (rail.closed()) v -= std::floor(v);
    if (v > kJointAtEnd && v < 1 - kJointAtEnd) along.push_back(v);
  }
  std::sort(along.begin(), along.end());
  out.railPieces = std::max(out.railPieces, int(along.size()) + 1);
  for (int k = 0; k < int(r.strips.size()); ++k) {
    std::vector<double> across;
    if (faces != SweepFaces::All && section.path())
      for (double f : jointsOf(*section.path(), corner)) {
        const LoftPlace at = loftPlace(r.alignment.sections[0], r.alignment.closed, f);
        if (at.strip == k && at.t > kJointAtEnd && at.t < 1 - kJointAtEnd) across.push_back(at.t);
      }
    std::sort(across.begin(), across.end());
    out.profilePieces = std::max(out.profilePieces, int(across.size()) + 1);
    const Surface& s = r.strips[size_t(k)];
    const auto begin = [](const std::vector<double>& cuts, size_t i) { return i == 0 ? 0.0 : cuts[i - 1]; };
    const auto end = [](const std::vector<double>& cuts, size_t i) { return i == cuts.size() ? 1.0 : cuts[i]; };
    for (size_t i = 0; i <= along.size(); ++i)
      for (size_t j = 0; j <= across.size(); ++j) {
        SweepResult::Face f{s, number, int(i), k, int(j)};
        f.first = number == 0 && i == 0;
        f.last = number + 1 == out.stretches && i == along.size();
        if (!along.empty() || !across.empty()) {
          const auto u = [&](double x) { return s.firstU() + x * (s.lastU() - s.firstU()); };
          f.surface = portion(s, u(begin(across, j)), u(end(across, j)), begin(along, i), end(along, i));
        }
        out.faces.push_back(std::move(f));
      }
  }
}

} // namespace lumsk::nurbs

#include "nurbs/loft/loft_joints.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kFarthest = 0.12; ///< of a strip: places farther apart do not mean one another
constexpr double kClearly = 0.05;  ///< of the curvature there: so much it has to jump by
constexpr double kAtSeam = 1e-6;   ///< of a strip: joints that begin it

struct Joint {
  int strip;
  double t, own;
  bool tighter; ///< the section bends more after it
};

std::vector<Joint> jointsOf(const LoftPlaces& places, int section) {
  std::vector<Joint> out;
  const Vec3 middle = polyline(*places.sections[size_t(section)].path(), 4).colwise().mean().transpose();
  for (const LoftPlaces::Jump& j : places.jumps(section)) {
    if (j.change.norm() < kClearly * j.bend) continue; // as good as smooth
    const Vec3 at = places.at(section, j.at.strip, j.at.t);
    out.push_back({j.at.strip, j.at.t, ownFraction(places.alignment.sections[size_t(section)], places.alignment.closed, j.at), j.change.dot(middle - at) > 0});
  }
  std::sort(out.begin(), out.end(), [](const Joint& a, const Joint& b) { return std::pair(a.strip, a.t) < std::pair(b.strip, b.t); });
  return out;
}

/// How far two lists are apart where the second begins at `from`; more than anything where they do not go together.
double apart(const std::vector<Joint>& a, const std::vector<Joint>& b, size_t from, bool around) {
  double worst = 0;
  for (size_t i = 0; i < a.size(); ++i) {
    const Joint& x = b[(i + from) % b.size()];
    if (a[i].strip != x.strip || a[i].tighter != x.tighter) return 1e300;
    const double d = a[i].t - x.t;
    worst = std::max(worst, std::abs(around ? d - std::round(d) : d));
  }
  return worst;
}

/// Of every joint its places on all sections; nothing where the sections differ in them.
std::vector<PairLine> pairedJoints(const LoftPlaces& places) {
  const bool around = places.alignment.closed && places.alignment.strips == 1;
  std::vector<Joint> first;
  std::vector<PairLine> lines;
  for (int i = 0; i < places.count(); ++i) {
    if (!places.sections[size_t(i)].path()) return {}; // strips to a point would be needles
    const std::vector<Joint> own = jointsOf(places, i);
    if (own.empty()) return {};
    if (first.empty()) {
      first = own;
      lines.assign(own.size(), PairLine(size_t(places.count()), std::nullopt));
    }
    if (own.size() != first.size()) return {};
    size_t best = 0;
    for (size_t from = 1; around && from < own.size(); ++from)
      if (apart(first, own, from, around) < apart(first, own, best, around)) best = from;
    if (apart(first, own, best, around) > kFarthest) return {};
    for (size_t k = 0; k < own.size(); ++k) lines[k][size_t(i)] = own[(k + best) % own.size()].own;
  }
  return lines;
}

} // namespace

void alignAtJoints(LoftPlaces& places, std::vector<Section> started, bool around, const Tolerances& tol) {
  const auto lines = pairedJoints(places);
  if (lines.empty()) return;
  const bool given = std::any_of(started.begin(), started.end(), [](const Section& s) { return s.start.has_value(); });
  if (places.alignment.closed && places.alignment.strips == 1 && !given)
    for (size_t i = 0; i < started.size(); ++i) started[i].start = lines.front()[i];
  const auto jointed = alignSections(started, places.lengths, {{}, {}, lines, around}, tol);
  if (!jointed) return; // too uneven to go together smoothly
  places.alignment = *jointed;
  for (const PairLine& line : lines) {
    LoftPlace at = loftPlace(places.alignment.sections[0], places.alignment.closed, *line[0]);
    at.t -= std::floor(at.t + kAtSeam);
    places.joints.push_back(at);
  }
}

std::vector<Surface> dividedAtJoints(const std::vector<Surface>& strips, int perStretch, const std::vector<LoftPlace>& joints) {
  if (joints.empty()) return strips;
  std::vector<Surface> out;
  const size_t per = size_t(perStretch);
  for (size_t k = 0; k < strips.size() / per; ++k) {
    std::vector<double> at{0, 1};
    for (const LoftPlace& j : joints)
      if (size_t(j.strip) == k && j.t > kAtSeam && j.t < 1 - kAtSeam) at.push_back(j.t);
    std::sort(at.begin(), at.end());
    for (size_t j = 0; j + 1 < at.size(); ++j)
      for (size_t i = 0; i < per; ++i) out.push_back(portion(strips[k * per + i], at[j], at[j + 1], 0, 1));
  }
  return out;
}

} // namespace lumsk::nurbs

#include "nurbs/network/network_places.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kSpareSpread = 0.01; ///< own parameters may agree so much less at the crossings than arc lengths
constexpr double kUnevenSpeed = 6.0;  ///< and must not run faster than this times their slowest

std::vector<Member> continued(int n, const Mirrors& m) {
  std::vector<Member> out;
  for (int i = n - 1; i > 0 && m.first; --i) out.push_back({i, -1});
  for (int i = 0; i < n; ++i) out.push_back({i, 0});
  for (int i = n - 2; i >= 0 && m.last; --i) out.push_back({i, 1});
  return out;
}

} // namespace

Expected<void> NetworkPlaces::cutAtCorners(const Mirrors& ofRows, const Mirrors& ofColumns) {
  rows_.ends = ofRows;
  columns_.ends = ofColumns;
  rows_.curves = &net_.rows;
  columns_.curves = &net_.columns;
  columns_.members = continued(int(net_.columns.size()) + net_.closed, rows_.ends);
  rows_.members = continued(int(net_.rows.size()), columns_.ends);
  for (Family* f : {&rows_, &columns_}) {
    chooseParameter(*f);
    LUMSK_CHECK(cut(*f));
  }
  return {};
}

double NetworkPlaces::fromLength(const SortedCurve& c, double s) const {
  const ArcLength& l = lengths_[size_t(c.index)];
  const double L = l.total(), turns = std::floor(s / L * (1 - 1e-15)), r = s - turns * L;
  const double t = l.parameterAt(c.reversed ? L - r : r) / curves_[size_t(c.index)].path.last();
  return L * (turns + (c.reversed ? 1 - t : t));
}

double NetworkPlaces::measure(const Family& f, int own, int place) const {
  const GridPoint& g = grid(f, own, place);
  const double s = isRows(f) ? g.along : g.across;
  return f.ownParameter ? fromLength((*f.curves)[size_t(own)], s) : s;
}

double NetworkPlaces::measure(const Family& f, int own, const Member& place) const {
  const double m = measure(f, own, place.own);
  if (place.copy == 0) return m;
  return 2 * measure(f, own, place.copy < 0 ? 0 : ownPlaces(f) - 1) - m;
}

Vec3 NetworkPlaces::pointAt(const Family& f, int own, double s) const {
  const SortedCurve& c = (*f.curves)[size_t(own)];
  int copy = 0;
  if (const double a = measure(f, own, 0); f.ends.first && s < a) s = 2 * a - s, copy = -1;
  if (const double b = measure(f, own, ownPlaces(f) - 1); f.ends.last && s > b) s = 2 * b - s, copy = 1;
  const ArcLength& l = lengths_[size_t(c.index)];
  const Path& p = curves_[size_t(c.index)].path;
  if (c.reversed) s = l.total() - s;
  if (p.closed()) s -= l.total() * std::floor(s / l.total());
  s = std::clamp(s, 0.0, l.total());
  return f.ends.image(p.at(f.ownParameter ? s / l.total() * p.last() : l.parameterAt(s)), copy);
}

double NetworkPlaces::spread(const Family& f) const {
  const int n = ownPlaces(f);
  double worst = 0;
  for (int p = 1; p + 1 < n; ++p) {
    double low = 1, high = 0;
    for (size_t k = 0; k < f.curves->size(); ++k) {
      if ((*f.curves)[k].index < 0) continue;
      const double a = measure(f, int(k), 0), b = measure(f, int(k), n - 1);
      const double share = (measure(f, int(k), p) - a) / (b - a);
      low = std::min(low, share), high = std::max(high, share);
    }
    worst = std::max(worst, high - low);
  }
  return worst;
}

void NetworkPlaces::chooseParameter(Family& f) const {
  for (const SortedCurve& c : *f.curves)
    if (c.index >= 0 && (curves_[size_t(c.index)].path.segments().size() != 1 || unevenSpeed(c))) return;
  const double byLength = spread(f);
  f.ownParameter = true;
  f.ownParameter = spread(f) <= byLength + kSpareSpread;
}

bool NetworkPlaces::unevenSpeed(const SortedCurve& c) const {
  double low = 1e300, high = 0;
  const Path& p = curves_[size_t(c.index)].path;
  CurveDerivatives d;
  for (int i = 0; i <= 64; ++i) {
    p.derivatives(std::min(p.last() * i / 64, p.last() - 1e-9), 1, d);
    low = std::min(low, d[1].norm()), high = std::max(high, d[1].norm());
  }
  return high > kUnevenSpeed * low;
}

Expected<void> NetworkPlaces::cut(Family& f) const {
  const std::vector<Member>& places = other(f).members;
  const int n = int(places.size());
  std::vector<bool> corner(size_t(ownPlaces(f)), false);
  for (size_t k = 0; k < f.curves->size(); ++k)
    if ((*f.curves)[k].index >= 0) LUMSK_CHECK(markCorners(f, int(k), corner));
  const bool around = isRows(f) && net_.closed, any = std::find(corner.begin(), corner.end(), true) != corner.end();
  if (around && any && !corner.front())
    return fail(problem("LM-N008", "closed curves with corners need the first curve of the other family through one")
                    .at(grid(0, 0).at)
                    .tryThis("pick a curve through the corners before the others"));
  int first = 0;
  for (int p = 1; p < n; ++p) {
    // At a mirror plane the curves go on smoothly.
    const int own = places[size_t(p)].own;
    const bool inside = own > 0 && own + 1 < ownPlaces(f);
    if (p != n - 1 && !(inside && corner[size_t(own)])) continue;
    Strip s;
    s.first = first;
    s.last = p;
    s.closed = around && !any;
    s.at = parametersOf(f, first, p);
    LUMSK_CHECK(mapLengths(f, s));
    f.strips.push_back(std::move(s));
    first = p;
  }
  return {};
}

Expected<void> NetworkPlaces::markCorners(const Family& f, int own, std::vector<bool>& corner) const {
  const SortedCurve& c = (*f.curves)[size_t(own)];
  const Path& path = curves_[size_t(c.index)].path;
  const ArcLength& l = lengths_[size_t(c.index)];
  const int n = ownPlaces(f);
  const auto placed = [&](int p) { return isRows(f) ? grid(own, p).along : grid(p, own).across; };
  const double near = std::max(o_.largestGap.mm, 10 * cx_.tolerances.point.mm);
  for (double t : path.corners(cx_.tolerances.corner)) {
    double s = l.lengthAt(t);
    if (c.reversed) s = l.total() - s;
    while (path.closed() && s < placed(0) - near) s += l.total();
    if (s < placed(0) - near || s > placed(n - 1) + near) continue; // on an overhang
    int at = 0;
    for (int p = 1; p < n; ++p)
      if (std::abs(placed(p) - s) < std::abs(placed(at) - s)) at = p;
    if (std::abs(placed(at) - s) > near)
      return fail(problem("LM-N008", "curve " + std::to_string(c.index + 1) + " has a corner between two crossings")
                      .at(path.at(t))
                      .tryThis("put a curve of the other family through the corners, or round them"));
    corner[size_t(at)] = true;
    if (path.closed() && (at == 0 || at == n - 1)) corner.front() = corner.back() = true;
  }
  return {};
}

std::vector<double> NetworkPlaces::parametersOf(const Family& f, int first, int last) const {
  const std::vector<Member>& places = other(f).members;
  std::vector<double> t(size_t(last - first + 1), 0.0);
  int used = 0;
  for (size_t k = 0; k < f.curves->size(); ++k) {
    if ((*f.curves)[k].index < 0) continue;
    const double a = measure(f, int(k), places[size_t(first)]), b = measure(f, int(k), places[size_t(last)]);
    for (int p = first; p <= last; ++p) t[size_t(p - first)] += (measure(f, int(k), places[size_t(p)]) - a) / (b - a);
    ++used;
  }
  for (double& x : t) x /= used;
  t.front() = 0.0;
  t.back() = 1.0;
  return t;
}

Expected<void> NetworkPlaces::mapLengths(const Family& f, Strip& s) const {
  const std::vector<Member>& places = other(f).members;
  s.length.assign(f.curves->size(), std::nullopt);
  for (size_t k = 0; k < s.length.size(); ++k) {
    if ((*f.curves)[k].index < 0) continue;
    std::vector<double> y;
    for (int p = s.first; p <= s.last; ++p) y.push_back(measure(f, int(k), places[size_t(p)]));
    auto map = MonotoneMap::through(s.at, y, s.closed);
    if (!map) return fail(map.error().at(grid(f, int(k), 0).at));
    s.length[k] = std::move(*map);
  }
  return {};
}

} // namespace lumsk::nurbs

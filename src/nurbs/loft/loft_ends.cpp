#include "nurbs/loft/loft_ends.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kEndLooks = 32;               ///< places of a strip where an end is tried before it is fitted
constexpr double kMostArcTurn = 2.0;     ///< rad: arcs that turn more are as long as those
constexpr double kStraightRad = 1e-6;
constexpr double kSpansSeen = 40;      ///< about so many spans a section
constexpr double kFlattest = 0.2; ///< sine between a carried plane and the skin to flow into: flatter ones it would leave in a fold
constexpr double kSquareToSkin = 1e-3; ///< a way that leans on the neighbour by less has no clear direction in it

Vec3 within(const Vec3& v, const Vec3& normal) { return v - v.dot(normal) * normal; }

} // namespace

double LoftPlaces::fraction(int section, int k, double t) const {
  return alignedFraction(alignment.sections[size_t(section)], k, t);
}

Vec3 LoftPlaces::at(int section, int k, double t) const {
  const Section& s = sections[size_t(section)];
  if (s.point()) return *s.point();
  const AlignedSection& a = alignment.sections[size_t(section)];
  double f = fraction(section, k, t);
  // Closed sections: the end of the last stretch is the start of the first, but reached from inside.
  if (k + 2 == int(a.breaks.size()) && f >= 1.0 && f < 1.0 + 1e-9) f = 1.0 - 1e-15;
  return alignedPoint(s, lengths[size_t(section)], a, f);
}

CurveDerivatives LoftPlaces::leaving(int section, bool first) const {
  CurveDerivatives d{};
  if (const Vec3* p = sections[size_t(section)].point()) {
    d = {*p, Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
    return d;
  }
  const Path& p = *sections[size_t(section)].path();
  p.derivatives(first != alignment.sections[size_t(section)].reversed ? 0.0 : p.last(), 3, d);
  return d;
}

Vec3 LoftPlaces::tangent(int section, int k, double t) const {
  constexpr double kInside = 1e-9; // of a strip: corners have two tangents
  return alignedTangent(sections[size_t(section)], lengths[size_t(section)], alignment.sections[size_t(section)],
                        fraction(section, k, std::clamp(t, kInside, 1 - kInside)));
}

Expected<Vec3> planeTowards(const LoftPlaces& places, int i, int neighbour, LengthTolerance point) {
  const Path& p = *places.sections[size_t(i)].path();
  const PlaneOfPoints plane = fitPlane(polyline(p, 16));
  if (!plane.unique || plane.deviationMm > 10 * point.mm)
    return fail(problem("LM-L005", "the skin can only be square to a planar section")
                    .measure(millimetres(plane.deviationMm))
                    .want(millimetres(10 * point.mm))
                    .at(p.start())
                    .tryThis("take a planar section or leave this end free"));
  const Section& other = places.sections[size_t(neighbour)];
  const Vec3 there = other.point() ? *other.point() : Vec3(polyline(*other.path(), 16).colwise().mean().transpose());
  const Vec3 n = plane.frame.normal();
  return Vec3(n.dot(there - plane.frame.origin) < 0 ? -n : n);
}

double arcOver(const Vec3& chord, const Vec3& direction) {
  const double theta = std::min(angleBetweenRad(chord, direction), kMostArcTurn);
  return chord.norm() * (theta > kStraightRad ? theta / std::sin(theta) : 1.0);
}

Meets LoftEnds::kind(int e) const {
  // Guides make it differ along the section how the skin leaves squarely.
  const Meets k = end(e).kind;
  const bool varies = (!o_.guides.empty() || o_.carrier) && places_.sections[size_t(section(e))].path();
  return k == Meets::Perpendicular && varies ? Meets::Angle : k;
}

double LoftEnds::leanOf(int e) const { return radFromDeg(end(e).kind == Meets::Angle ? end(e).angleDeg : 0.0); }

int LoftEnds::order(int e) const {
  const Meets k = kind(e);
  return atMirror(k) || k == Meets::Flat ? 0 : orderOf(k); // of those the sections' own rows take care
}

Expected<void> LoftEnds::prepare(int e) {
  const Section& s = places_.sections[size_t(section(e))];
  const auto refused = [&](const char* what, const char* remedy) {
    return fail(problem("LM-L012", what).at(s.point() ? *s.point() : s.path()->start()).tryThis(remedy));
  };
  if (s.point() && order(e) > 0)
    return refused("a point has no direction to lean or to flow into", "let it be pointed, rounded or flat");
  if (!s.point() && kind(e) == Meets::Flat) return refused("only a point can be flat", "take square instead");
  if (order(e) == 0) return {};
  if (kind(e) == Meets::Angle) {
    LUMSK_TRY(normal, planeTowards(places_, section(e), beside(e), cx_.tolerances.point));
    leans_[size_t(e)].normal = normal;
    findLeans(e);
    findJumps(e);
  } else if (!places_.joints.empty()) {
    findJumps(e);
  }
  for (int k = 0; k < places_.alignment.strips; ++k)
    for (int i = 0; i <= kEndLooks; ++i) {
      std::array<Vec3, 3> r;
      LUMSK_CHECK(across(e, k, double(i) / kEndLooks, r));
    }
  return {};
}

/// Outwards is where the section's places lie from their middle.
void LoftEnds::findLeans(int e) {
  Lean& lean = leans_[size_t(e)];
  const Points pts = polyline(*places_.sections[size_t(section(e))].path(), 16);
  const Vec3 middle = pts.colwise().mean().transpose();
  const int strips = places_.alignment.strips;
  double side = 0;
  for (int k = 0; k < strips; ++k)
    for (double t : {0.1, 0.3, 0.5, 0.7, 0.9})
      side += places_.tangent(section(e), k, t).cross(lean.normal).dot(places_.at(section(e), k, t) - middle);
  lean.outwards = side < 0 ? -1.0 : 1.0;
  const double a = leanOf(e);
  // At a corner the curves of both sides run in the line in which their leaning planes meet.
  const auto mitre = [&](const Vec3& o, const Vec3& p) {
    return Vec3(std::cos(a) * lean.normal + std::sin(a) / std::max(1 + o.dot(p), 1e-3) * (o + p));
  };
  const bool closed = places_.alignment.closed;
  for (int k = 0; k < strips; ++k) {
    const bool firstFree = !closed && k == 0, lastFree = !closed && k + 1 == strips;
    const auto tangent = [&](int strip, double t) { return places_.tangent(section(e), strip, t); };
    const Vec3 t0 = tangent(k, 0), t1 = tangent(k, 1);
    const Vec3 before = tangent((k + strips - 1) % strips, 1), after = tangent((k + 1) % strips, 0);
    const auto out = [&](const Vec3& t) { return Vec3(lean.outwards * t.cross(lean.normal)); };
    lean.along.emplace_back(firstFree ? 0.0 : mitre(out(before), out(t0)).dot(t0),
                            lastFree ? 0.0 : mitre(out(t1), out(after)).dot(t1));
  }
}

std::array<Vec3, 3> byLength(const CurveDerivatives& c, double sign, const std::array<double, 3>& m) {
  const double w = c[1].norm(), w1 = c[1].dot(c[2]) / w, w2 = (c[2].squaredNorm() + c[1].dot(c[3]) - w1 * w1) / w;
  const Vec3 first = sign * c[1] / w, second = (c[2] * w - c[1] * w1) / (w * w * w);
  const Vec3 third = sign * ((c[3] * w - c[1] * w2) / (w * w * w) - 3 * w1 * second / w) / w;
  return {m[0] * first, m[0] * m[0] * second + m[1] * first,
          m[0] * m[0] * m[0] * third + 3 * m[0] * m[1] * second + m[2] * first};
}

std::array<Vec3, 3> LoftPlaces::derivatives(int i, int k, double t) const {
  const Section& s = sections[size_t(i)];
  if (s.point()) return {Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
  const AlignedSection& a = alignment.sections[size_t(i)];
  const ArcLength& l = lengths[size_t(i)];
  const LoftPlace at{k, t};
  const double own = ownFraction(a, alignment.closed, at) * l.total();
  // Just inside the strip, where a joint lies at its end.
  constexpr double kInside = 1e-9;
  const double inwards = (t < 0.5) != a.reversed ? kInside : -kInside;
  CurveDerivatives d;
  s.path()->derivatives(std::clamp(l.parameterAt(own) + inwards, 0.0, s.path()->last()), 3, d);
  const double scale = (a.breaks[size_t(k) + 1] - a.breaks[size_t(k)]) * l.total();
  std::array<double, 3> m{scale, 0, 0};
  if (size_t(k) < a.bends.size() && a.bends[size_t(k)]) {
    m = a.bends[size_t(k)]->derivatives(t);
    for (double& x : m) x *= scale;
  }
  return byLength(d, a.reversed ? -1.0 : 1.0, m);
}

std::vector<LoftPlaces::Jump> LoftPlaces::jumps(int section) const {
  constexpr double kBeside = 1e-7, kInside = 1e-6, kLeast = 1e-3; // the latter by the section's length
  const Path& p = *sections[size_t(section)].path();
  const ArcLength& length = lengths[size_t(section)];
  const AlignedSection& a = alignment.sections[size_t(section)];
  const auto bend = [&](double t) {
    CurveDerivatives d;
    p.derivatives(t, 2, d);
    const double w = d[1].squaredNorm();
    return Vec3((d[2] - d[2].dot(d[1]) / w * d[1]) / w);
  };
  std::vector<Jump> out;
  for (int joint = p.closed() ? 0 : 1; joint < int(p.segments().size()); ++joint) {
    const Vec3 after = bend(joint + kBeside), before = bend(joint == 0 ? p.last() - kBeside : joint - kBeside), change = after - before;
    if (change.norm() * length.total() < kLeast) continue;
    const LoftPlace at = loftPlace(a, alignment.closed, length.fractionAt(joint));
    const bool whole = alignment.closed && alignment.strips == 1;
    if (!whole && (at.t < kInside || at.t > 1 - kInside)) continue; // a corner
    out.push_back({at, a.reversed ? Vec3(-change) : change, std::max(after.norm(), before.norm())});
  }
  return out;
}

/// Where a neighbour's bending jumps across a line through the section, that line's direction, as an angle from the one square to
/// the section: both sides turn about it alike.
std::optional<double> LoftEnds::jointDirection(int e, const LoftPlace& at, const Vec3& along, const Vec3& square) const {
  constexpr double kBeside = 1e-5, kLeast = 1e-3; // the latter: a jump, 1/mm by the section's length
  std::array<std::array<double, 2>, 2> bend; // both sides; of the section's direction with itself, and with the square one
  for (const size_t side : {0, 1}) {
    const double t = at.t + (side ? kBeside : -kBeside);
    const auto beyond = neighbour(e, places_.at(section(e), at.strip, t - std::floor(t)));
    if (!beyond) return {};
    const auto of = [&](const Vec3& d) { return normalSection(beyond->d, beyond->normal, within(d, beyond->normal).normalized()).curvature; };
    bend[side] = {of(along), of((along + square).normalized()) - 0.5 * (of(along) + of(square))};
  }
  const double own = bend[1][0] - bend[0][0], mixed = bend[1][1] - bend[0][1];
  if (std::hypot(own, mixed) * places_.lengths[size_t(section(e))].total() < kLeast || std::abs(own) < std::abs(mixed)) return {};
  return std::atan(-mixed / own);
}

/// Along the neighbour's line where the curvature of the section and the neighbour jumps, and turned along the section just beside:
/// other directions have a kink there, out of the neighbour's plane.
Vec3 LoftEnds::squareAtJoints(int e, int k, double t, const Vec3& d) const {
  if (places_.joints.empty() || leans_[size_t(e)].jumps.empty()) return d;
  double near = 0, skew = 0;
  for (const Lean::Jump& j : leans_[size_t(e)].jumps[size_t(k)])
    for (const double turn : {-1.0, 0.0, 1.0}) {
      const double x = t + turn - j.at, reach = 0.5 * (x < 0 ? j.before : j.after);
      if (turn != 0 && !(places_.alignment.closed && places_.alignment.strips == 1)) continue;
      if (const double left = 1 - std::abs(x) / reach; left > 0) near = left * left * (3 - 2 * left), skew = j.skew;
    }
  const Vec3 along = places_.tangent(section(e), k, t), square = within(d, along);
  if (!(square.norm() > 0.1)) return d;
  const double angle = skew + turning(e, k, t);
  return ((1 - near) * d + near * (std::cos(angle) * square.normalized() + std::sin(angle) * along)).normalized();
}

void LoftEnds::findJumps(int e) {
  Lean& lean = leans_[size_t(e)];
  const int i = section(e);
  const double size = places_.lengths[size_t(i)].total();
  const bool whole = places_.alignment.closed && places_.alignment.strips == 1;
  lean.jumps.assign(size_t(places_.alignment.strips), {});
  for (const LoftPlaces::Jump& j : places_.jumps(i)) {
    // Leaning directions turn along the section with its curvature towards its outside.
    const Vec3 along = places_.tangent(i, j.at.strip, j.at.t);
    Vec3 square = lean.outwards * along.cross(lean.normal);
    double skew = 0;
    if (kind(e) != Meets::Angle) {
      const Vec3 at = places_.at(i, j.at.strip, j.at.t), way = places_.at(beside(e), j.at.strip, j.at.t) - at;
      const auto beyond = neighbour(e, at);
      if (!beyond) continue; // told where it is needed
      const Vec3 ahead = within(way, beyond->normal).normalized();
      square = within(ahead, along).normalized();
      skew = jointDirection(e, j.at, along, square).value_or(std::atan2(ahead.dot(along), ahead.dot(square)));
    }
    const double h = 1e-4, a = std::max(0.0, j.at.t - h), b = std::min(1.0, j.at.t + h);
    const double stretch = (places_.fraction(i, j.at.strip, b) - places_.fraction(i, j.at.strip, a)) / (b - a) * size;
    const double slope = j.change.dot(square) * stretch;
    lean.jumps[size_t(j.at.strip)].push_back({j.at.t, slope, 0, 0, skew});
  }
  for (auto& strip : lean.jumps) {
    std::sort(strip.begin(), strip.end(), [](const auto& x, const auto& y) { return x.at < y.at; });
    for (size_t j = 0; j < strip.size(); ++j) {
      const size_t n = strip.size();
      const double last = j > 0 ? strip[j - 1].at : whole ? strip[n - 1].at - 1 : 0.0;
      const double next = j + 1 < n ? strip[j + 1].at : whole ? strip[0].at + 1 : 1.0;
      strip[j].before = strip[j].at - last;
      strip[j].after = next - strip[j].at;
    }
  }
}

double LoftEnds::turning(int e, int k, double t) const {
  const auto& jumps = leans_[size_t(e)].jumps;
  if (size_t(k) >= jumps.size()) return 0;
  const bool whole = places_.alignment.closed && places_.alignment.strips == 1;
  double sum = 0;
  for (const Lean::Jump& j : jumps[size_t(k)])
    for (double turn : {-1.0, 0.0, 1.0}) {
      if (turn != 0.0 && !whole) continue;
      const double x = t + turn - j.at, reach = x < 0 ? j.before : j.after;
      if (std::abs(x) >= reach) continue;
      const double left = 1 - std::abs(x) / reach;
      sum += 0.5 * j.slope * std::abs(x) * left * left;
    }
  return sum;
}

/// Square to the section, in the plane in which a leaning skin leaves it.
Vec3 LoftEnds::leaning(int e, const Vec3& along) const {
  const Lean& lean = leans_[size_t(e)];
  const double a = leanOf(e);
  return std::cos(a) * lean.normal + std::sin(a) * lean.outwards * along.cross(lean.normal);
}

Expected<NeighbourPlace> LoftEnds::neighbour(int e, const Vec3& at) const {
  return placeOn(end(e).neighbour, at, cx_.tolerances.point, "section " + std::to_string(section(e) + 1),
                 "take an edge of that skin, or a curve drawn on it");
}

/// As if there were no guides.
Expected<void> LoftEnds::alone(int e, int k, double t, std::array<Vec3, 3>& out) const {
  const int i = section(e);
  const Vec3 at = places_.at(i, k, t), way = places_.at(beside(e), k, t) - at;
  const double factor = end(e).along ? end(e).along(places_.fraction(i, k, t)) : 1.0;
  const auto length = [&](const Vec3& d) { return factor * arcOver(way, d); };
  out.fill(Vec3::Zero());
  if (kind(e) == Meets::Angle) {
    const Vec3 along = places_.tangent(i, k, t);
    const auto& [first, last] = leans_[size_t(e)].along[size_t(k)];
    const Vec3 turned =
        leaning(e, along) + (first + (last - first) * t + std::sin(leanOf(e)) * turning(e, k, t)) * along;
    out[0] = length(turned) * turned;
    return {};
  }
  LUMSK_TRY(beside, neighbour(e, at));
  const Vec3 flat = within(way, beside.normal);
  if (flat.norm() < kSquareToSkin * way.norm())
    return fail(problem("LM-L014", "the way to the next section stands square on the skin to flow into")
                    .at(at)
                    .tryThis("move the sections, or leave this end free"));
  const Vec3 d = squareAtJoints(e, k, t, flat.normalized());
  out = continuing(normalSection(beside.d, beside.normal, d), beside.normal, d, length(d));
  return {};
}

/// The plane in which a skin has to leave a place, and how it has to bend out of it.
struct LoftEnds::Leaving {
  Vec3 normal;
  std::optional<SurfaceDerivatives> d; ///< of the neighbour

  double height(int order, const std::array<Vec3, 3>& moves) const {
    if (order == 1 || !d) return 0;
    const auto h = heightsAlong(*d, normal, moves[0], order > 2 ? within(moves[1], normal) : Vec3(Vec3::Zero()));
    return h[size_t(order - 2)];
  }
};

Expected<LoftEnds::Leaving> LoftEnds::leavingAt(int e, int k, double t) const {
  if (kind(e) == Meets::Angle) {
    const Vec3 along = places_.tangent(section(e), k, t);
    return Leaving{along.cross(leaning(e, along)).normalized(), {}};
  }
  LUMSK_TRY(beside, neighbour(e, places_.at(section(e), k, t)));
  return Leaving{beside.normal, beside.d};
}

/// How what is carried moves at a place of an end, order by order, by a unit of the way to the neighbouring section.
struct LoftEnds::CarriedPlace {
  const CarriedEnd& end;
  Leaving leaving;
  double scale;               ///< of parameters; below nought at the last end
  std::array<Vec3, 4> local;  ///< and what was found out about its changes
  Vec3 towards, side;         ///< within the plane across: to the leaving plane, and in it

  Vec3 carried(int order) const { return std::pow(scale, order) * end.way.at(order, local); }
  /// Brought to where it has to leave.
  Vec3 brought(int order, const Vec3& move, const std::array<Vec3, 3>& before) const {
    const Vec3& n = leaving.normal;
    return move + (leaving.height(order, before) - move.dot(n)) / towards.dot(n) * towards;
  }
  void take(int order, std::array<Vec3, 3> moves) {
    for (int q = 0; q < order; ++q) moves[size_t(q)] /= std::pow(scale, q + 1);
    end.way.solve(local, moves, order);
  }
};

Expected<LoftEnds::CarriedPlace> LoftEnds::carriedPlace(int e, int k, double t) const {
  const CarriedEnd& c = *carried_[size_t(e)];
  LUMSK_TRY(leaving, leavingAt(e, k, t));
  const Vec3 at = places_.at(section(e), k, t), &n = leaving.normal, &a = c.way.along;
  CarriedPlace out{c, leaving, e ? -c.dv : c.dv, {}, within(n, a), a.cross(n)};
  if (out.towards.dot(n) < kFlattest * kFlattest)
    return fail(problem("LM-L014", "the profile is carried too squarely away from the skin that it is to flow into")
                    .measure(degrees(degFromRad(std::asin(std::clamp(out.towards.norm(), 0.0, 1.0)))))
                    .want(degrees(degFromRad(std::asin(kFlattest))))
                    .at(at)
                    .tryThis("let the rail lean towards the skin, or leave this end free"));
  out.local.fill(Vec3::Zero());
  out.local[0] = c.here.local(at);
  if (!c.beside.shrunk()) out.local[1] = (c.beside.local(places_.at(beside(e), k, t)) - out.local[0]) / out.scale;
  return out;
}

/// Where leaving planes of both sides of a corner meet, what both add is the same: how far it lies beside that of the
/// strip alone.
Expected<std::array<double, 3>> LoftEnds::cornerTurns(int e, int k, bool last) const {
  constexpr double kOnePlane = 1e-3;
  const auto known = corners_.find({e, k, last});
  if (known != corners_.end()) return known->second;
  std::array<double, 3> turns{};
  const int strips = places_.alignment.strips, other = (k + (last ? 1 : strips - 1)) % strips;
  if (!places_.alignment.closed && k == (last ? strips - 1 : 0)) return turns;
  LUMSK_TRY(place, carriedPlace(e, k, last ? 1.0 : 0.0));
  LUMSK_TRY(beyond, leavingAt(e, other, last ? 0.0 : 1.0));
  const double across = place.side.dot(beyond.normal);
  std::array<Vec3, 3> moves{Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
  for (int q = 1; q <= order(e) && std::abs(across) > kOnePlane; ++q) {
    const Vec3 alone = place.brought(q, place.carried(q), moves);
    turns[size_t(q - 1)] = (beyond.height(q, moves) - alone.dot(beyond.normal)) / across;
    moves[size_t(q - 1)] = alone + turns[size_t(q - 1)] * place.side;
    place.take(q, moves);
  }
  return corners_[{e, k, last}] = turns;
}

Expected<void> LoftEnds::asCarried(int e, int k, double t, std::array<Vec3, 3>& out) const {
  LUMSK_TRY(place, carriedPlace(e, k, t));
  LUMSK_TRY(first, cornerTurns(e, k, false));
  LUMSK_TRY(last, cornerTurns(e, k, true));
  out.fill(Vec3::Zero());
  for (int q = 1; q <= order(e); ++q) {
    const size_t i = size_t(q - 1);
    const Vec3 carried = place.carried(q);
    out[i] = place.brought(q, carried, out) + ((1 - t) * first[i] + t * last[i]) * place.side;
    if (kind(e) == Meets::Angle) {
      const Lean& lean = leans_[size_t(e)];
      const Vec3 along = places_.tangent(section(e), k, t), outwards = lean.outwards * along.cross(lean.normal);
      out[i] += (out[i] - carried).dot(outwards) * turning(e, k, t) * along;
    }
    place.take(q, out);
  }
  return {};
}

Expected<void> LoftEnds::across(int e, int k, double t, std::array<Vec3, 3>& out) const {
  if (carried_[size_t(e)]) return asCarried(e, k, t, out);
  LUMSK_CHECK(alone(e, k, t, out));
  if (!spread_ || miss_[size_t(e)].empty()) return {};
  // What the guides ask for more is added within the plane in which the skin has to leave; how far it bends out of that
  // plane follows from the way it takes.
  const Eigen::RowVectorXd share = spread_->at(k, t);
  std::array<Vec3, 3> more{Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
  for (size_t g = 0; g < miss_[size_t(e)].size(); ++g)
    for (size_t q = 0; q < 3; ++q) more[q] += share[Eigen::Index(g)] * miss_[size_t(e)][g][q];
  if (kind(e) == Meets::Angle) {
    const Vec3 along = places_.tangent(section(e), k, t);
    out[0] += within(more[0], along.cross(leaning(e, along)).normalized());
    return {};
  }
  LUMSK_TRY(beside, neighbour(e, places_.at(section(e), k, t)));
  const Vec3& n = beside.normal;
  for (size_t q = 0; q < 3; ++q) out[q] = within(out[q] + more[q], n);
  const auto heights = heightsAlong(beside.d, n, out[0], out[1]);
  out[1] += heights[0] * n;
  out[2] += heights[1] * n;
  return {};
}

Expected<void> LoftEnds::follow(const GuideSpread& spread,
                                const std::vector<std::array<std::array<Vec3, 3>, 2>>& guides) {
  known_.clear();
  for (int e : {0, 1}) {
    if (order(e) == 0) continue;
    std::vector<std::array<Vec3, 3>> miss;
    for (size_t g = 0; g < guides.size(); ++g) {
      const LoftPlace& place = spread.guides()[g];
      const auto& wanted = guides[g][size_t(e)];
      std::array<Vec3, 3> own;
      LUMSK_CHECK(alone(e, place.strip, place.t, own));
      const Vec3 at = places_.at(section(e), place.strip, place.t);
      Vec3 normal;
      double bend = 0, most = 0;
      if (kind(e) == Meets::Angle) {
        const Vec3 along = places_.tangent(section(e), place.strip, place.t);
        normal = along.cross(leaning(e, along)).normalized();
      } else {
        LUMSK_TRY(beside, neighbour(e, at));
        normal = beside.normal;
        const double speed = wanted[0].squaredNorm();
        bend = (wanted[1].dot(normal) - heightsAlong(beside.d, normal, wanted[0], wanted[1])[0]) / speed;
        most =
            std::max(std::abs(wanted[1].dot(normal)) / speed, 1 / (10 * places_.lengths[size_t(section(e))].total()));
      }
      const double turn = std::abs(90 - degFromRad(angleBetweenRad(wanted[0], normal)));
      const std::string who = "guide " + std::to_string(g + 1);
      if (turn > cx_.tolerances.angle.deg)
        return fail(problem("LM-L026", who + " does not leave section " + std::to_string(section(e) + 1) +
                                           " in the direction that this end asks for")
                        .measure(degrees(turn))
                        .want(degrees(cx_.tolerances.angle.deg))
                        .at(at)
                        .tryThis("match the guide's end to the skin, or ask for less at this end"));
      if (order(e) > 1 && std::abs(bend) > cx_.tolerances.curvature.relative * most)
        return fail(problem("LM-L026", who + " does not bend at section " + std::to_string(section(e) + 1) +
                                           " as the skin to flow into does")
                        .measure(ratio(std::abs(bend) / most))
                        .want(ratio(cx_.tolerances.curvature.relative))
                        .at(at)
                        .tryThis("match the guide's end to the skin with G2, or ask for G1 at this end"));
      for (size_t q = 0; q < 3; ++q) own[q] = wanted[q] - own[q];
      miss.push_back(own);
    }
    miss_[size_t(e)] = std::move(miss);
  }
  spread_ = &spread;
  return {};
}

const std::array<Vec3, 3>& LoftEnds::known(int e, int k, double t) {
  const auto [it, fresh] = known_.try_emplace({e, k, t});
  if (fresh) (void)across(e, k, t, it->second);
  return it->second;
}

const std::vector<double>& LoftEnds::kinks(int e, int k) {
  const auto [it, fresh] = kinks_.try_emplace({e, k});
  if (fresh && order(e) > 0 && kind(e) != Meets::Angle) it->second = findKinks(e, k);
  return it->second;
}

/// The places where the neighbour goes over from one polynomial piece to the next, by halving.
std::vector<double> LoftEnds::findKinks(int e, int k) const {
  constexpr int kPlaces = 128, kHalvings = 22;
  constexpr size_t kMost = 100; // more come from an edge that runs along a line of knots
  const auto cell = [&](double t) -> std::optional<std::pair<std::size_t, int>> {
    const auto at = end(e).neighbour(places_.at(section(e), k, t));
    if (!at) return {};
    return std::pair(at->cell, at->smooth);
  };
  std::vector<double> out;
  auto left = cell(0);
  double from = 0;
  for (int i = 1; i <= kPlaces; ++i) {
    const double to = double(i) / kPlaces;
    const auto right = cell(to);
    if (!left || !right) return {};
    // Directions are as smooth as the neighbour less one derivative, its bending less two.
    if (left->second - order(e) >= 2) return {};
    for (int passed = 0; passed < 4 && left->first != right->first; ++passed) {
      double a = from, b = to;
      for (int it = 0; it < kHalvings; ++it) {
        const double m = 0.5 * (a + b);
        const auto at = cell(m);
        (at && at->first == left->first ? a : b) = m;
      }
      out.push_back(b);
      from = b;
      left = cell(b);
      if (!left) return {};
    }
    from = to;
    left = right;
  }
  return out.size() > kMost ? std::vector<double>() : out;
}

Vec3 LoftEnds::sharpest(int k) {
  constexpr int kPlaces = 200;
  Vec3 at = Vec3::Zero();
  double worst = -1;
  for (int e : {0, 1})
    for (int i = 1; i < kPlaces && order(e) > 0; ++i) {
      const auto first = [&](int j) -> const Vec3& { return known(e, k, double(j) / kPlaces)[0]; };
      const double change = (first(i - 1) - 2 * first(i) + first(i + 1)).norm() / first(i).norm();
      if (change > worst) worst = change, at = places_.at(section(e), k, double(i) / kPlaces);
    }
  return at;
}

std::array<double, 4> LoftEnds::weights(double share) {
  const int most = std::max(order(0), order(1));
  if (most == 0) return {1, 1, 1, 1};
  Vec3 low = Vec3::Constant(1e300), high = -low;
  double way = 1e300;
  for (int e : {0, 1})
    for (int k = 0; k < places_.alignment.strips; ++k)
      for (double t : {0.0, 0.25, 0.5, 0.75, 1.0}) {
        const Vec3 at = places_.at(section(e), k, t), next = places_.at(beside(e), k, t);
        low = low.cwiseMin(at), high = high.cwiseMax(at);
        if (order(e) > 0) way = std::min(way, (next - at).norm());
      }
  const double fit = cx_.tolerances.fit.mm, size = (high - low).norm(), span = size / kSpansSeen;
  flat_ = 1 / (10 * size);
  const double bend = share * cx_.tolerances.curvature.relative * flat_, rate = bend * flat_;
  const double angle = share * radFromDeg(cx_.tolerances.angle.deg);
  const double first = (most > 1 ? std::min(angle, bend * span) : angle) * way;
  const double second = (most > 2 ? std::min(bend, rate * span) : bend) * way * way;
  const double third = rate * way * way * way;
  const double place = most > 1 ? std::min(fit, bend * span * span) : fit;
  return {fit / place, fit / first, fit / second, fit / third};
}

SkinJoin LoftEnds::join(int e, int k, double t, const SurfaceDerivatives& d) const {
  if (kind(e) != Meets::Angle) return joinWith(end(e).neighbour, order(e), d, d(1, 0), flat_);
  SkinJoin out;
  out.at = d(0, 0);
  const Vec3 along = places_.tangent(section(e), k, t);
  out.angleDeg = degFromRad(angleBetweenRad(d(1, 0).cross(d(0, 1)), Vec3(along.cross(leaning(e, along)))));
  return out;
}

} // namespace lumsk::nurbs

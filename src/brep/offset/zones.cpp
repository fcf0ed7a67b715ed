#include "brep/offset/zones.h"

#include "brep/assemble.h"
#include "brep/curves_on.h"
#include "brep/names.h"
#include "brep/rings.h"
#include "brep/split/division.h"
#include "brep/thicken_parts.h"
#include "nurbs/curves/curve_ends.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/measure/closest.h"

#include <algorithm>

namespace lumsk::brep::offset {

namespace {

constexpr double kOnBorderMm = 0.01;  ///< edges that came of a border lie as near to it
constexpr int kSideSamples = 300;     ///< of a strip's side, at most
constexpr double kSamplesAWidth = 6;
constexpr int kCuts = 3;              ///< a ring's strip is cut across into so many: a part of a ring says which way round it goes
constexpr double kLonger = 1.0;       ///< widths: open borders are carried on past the skin's own

/// A border and its strip.
struct Line {
  int zone = -1;
  nurbs::Path path;
  bool toLeft = true;
  std::shared_ptr<const nurbs::SkinStrip> strip; ///< none: a step
};

enum class In { Unknown, In, Out, Strip };

class Zoner {
public:
  Zoner(const Body& skin, const ThickenOptions& o, const Context& cx) : skin_(skin), o_(o), cx_(cx) {}

  Expected<ZonedSkin> run() {
    const BodyPtr whole = skin_.solid() ? skinOf(namedFaces(skin_)) : std::make_shared<const Body>(skin_);
    out_.before = whole;
    LUMSK_TRY(faces, BodyFaces::of(*whole, -1, cx_));
    faces_ = &faces;
    for (size_t z = 0; z < o_.zones.size(); ++z)
      for (const ThickenZone::Border& b : o_.zones[z].borders) LUMSK_CHECK(addLine(int(z), b));
    auto divided = Division::of({whole}, dividers_, {-1, o_.step}, cx_);
    if (!divided) return notDivided(std::move(divided.error()));
    const auto& division = *divided;
    LUMSK_TRY(bodies, division->bodies(std::vector<char>(division->pieces().size(), 1), true, false, cx_));
    out_.body = bodies.front().body;
    for (int f : o_.open)
      for (int i = 0; i < int(out_.body->faceNames.size()); ++i)
        if (out_.body->faceNames[size_t(i)] == skin_.faceNames[size_t(f)]) out_.open.push_back(i);
    LUMSK_TRY(net, readLayers(*out_.body, out_.open, cx_));
    out_.net = std::move(net);
    return sorted();
  }

private:
  const ThickenZone& zoneOf(const Line& l) const { return o_.zones[size_t(l.zone)]; }

  Unexpected failed(Problem p, int zone) const {
    p.inField("zones");
    p.item = o_.zones[size_t(zone)].item;
    return fail(std::move(p));
  }

  /// What dividing has to say of a cutter, said of the zone whose border is nearest to the place.
  Unexpected notDivided(Problem p) const {
    if (isCancelled(p) || p.where.empty()) return fail(std::move(p));
    int zone = 0;
    double nearest = 1e300;
    for (const Line& l : lines_)
      if (const double d = nurbs::closestPoint(l.path, p.where.front()).distanceMm; d < nearest) nearest = d, zone = l.zone;
    if (p.code == "LM-C003" || p.code == "LM-C001") p = undivided(p.where.front());
    return failed(std::move(p), zone);
  }

  // Borders

  Expected<void> addLine(int zone, const ThickenZone::Border& b) {
    const ThickenZone& z = o_.zones[size_t(zone)];
    Line line{zone, b.path, b.toLeft, nullptr};
    const std::string id = z.item + "." + std::to_string(lines_.size() + 1);
    if (!z.transition) {
      divide(id, b.path);
      lines_.push_back(std::move(line));
      return {};
    }
    if (!line.path.closed())
      for (bool atEnd : {false, true})
        for (nurbs::Extension how : {nurbs::Extension::Natural, nurbs::Extension::Curvature, nurbs::Extension::Straight})
          if (auto longer = nurbs::extended(line.path, atEnd, how, kLonger * z.widthMm, cx_)) {
            line.path = std::move(*longer);
            break;
          }
    const auto normalAt = [&](const Vec3& p) -> std::optional<Vec3> {
      const auto place = faces_->beside(p);
      return place ? std::optional(place->normal) : std::nullopt;
    };
    auto strip = nurbs::SkinStrip::along(line.path, z.widthMm, normalAt, cx_);
    if (!strip) return failed(std::move(strip.error()), zone);
    if (const auto fold = strip->folds())
      return failed(problem("LM-T011", "the zone is narrower than its transition, or its outline turns too tightly for it")
                        .measure(millimetres(z.widthMm))
                        .want(millimetres(fold->fitsMm))
                        .at(fold->at)
                        .tryThis("take a transition of less than " + formatNumber(fold->fitsMm, 3) + " mm, or a wider outline"),
                    zone);
    line.strip = std::make_shared<const nurbs::SkinStrip>(std::move(*strip));
    const double half = 0.5 * z.widthMm;
    for (double aside : {-half, half}) LUMSK_CHECK(divideAlong(id + (aside < 0 ? "r" : "l"), *line.strip, aside));
    if (line.strip->closed())
      for (int k = 0; k < kCuts; ++k) LUMSK_CHECK(divideAcross(id + "x" + std::to_string(k + 1), *line.strip, double(k) / kCuts));
    lines_.push_back(std::move(line));
    return {};
  }

  void divide(const std::string& id, const nurbs::Path& path) {
    Divider d;
    d.id = id;
    d.path = std::make_shared<const nurbs::Path>(path);
    dividers_.push_back(std::move(d));
  }

  /// The place of the skin, carried on past its border.
  Vec3 placeOnSkin(const nurbs::SkinStrip& strip, const nurbs::SkinStrip::Place& at) const {
    const Vec3 foot = strip.at(at.t), left = strip.left(at.t), along = left.cross(strip.normal(at.t)).normalized();
    Vec3 p = foot + at.asideMm * left;
    for (int it = 0; it < 10; ++it) {
      const auto place = faces_->beside(p);
      if (!place) break;
      const Vec3 from = place->d(0, 0) - foot;
      const Vec2 r(from.dot(along), from.dot(left) - at.asideMm);
      p = place->d(0, 0);
      if (r.norm() < 1e-7) break;
      Eigen::Matrix2d J;
      J << place->d(1, 0).dot(along), place->d(0, 1).dot(along), place->d(1, 0).dot(left), place->d(0, 1).dot(left);
      const Vec2 step = J.inverse() * r;
      if (!step.allFinite()) break;
      p -= step.x() * place->d(1, 0) + step.y() * place->d(0, 1);
    }
    return p;
  }

  Expected<void> divideThrough(const std::string& id, const std::vector<Vec3>& places, bool closed) {
    Points points(Eigen::Index(places.size()), 3);
    for (size_t i = 0; i < places.size(); ++i) points.row(Eigen::Index(i)) = places[i].transpose();
    nurbs::InterpolationOptions how;
    how.degree = std::min<int>(5, int(places.size()) - 1);
    how.closed = closed;
    how.spacing = nurbs::Spacing::ChordLength;
    LUMSK_TRY(spline, nurbs::interpolate(points, how));
    LUMSK_TRY(path, nurbs::Path::make({spline}, cx_.tolerances.point));
    divide(id, path);
    return {};
  }

  Expected<void> divideAlong(const std::string& id, const nurbs::SkinStrip& strip, double asideMm) {
    const int n = std::clamp(int(kSamplesAWidth * strip.lengthMm() / strip.widthMm()), 48, kSideSamples);
    std::vector<Vec3> places;
    for (int i = 0; i < n + !strip.closed(); ++i) places.push_back(placeOnSkin(strip, {double(i) / n, asideMm}));
    return divideThrough(id, places, strip.closed());
  }

  Expected<void> divideAcross(const std::string& id, const nurbs::SkinStrip& strip, double t) {
    constexpr int kPlaces = 8;
    std::vector<Vec3> places;
    for (int i = 0; i <= kPlaces; ++i) places.push_back(placeOnSkin(strip, {t, (double(i) / kPlaces - 0.5) * strip.widthMm()}));
    return divideThrough(id, places, false);
  }

  // What lies where

  std::vector<Vec3> placesIn(int sheet) const {
    const split::Sheet& s = out_.net->net.sheets[size_t(sheet)];
    return pointsInside(s.shape, 5);
  }

  /// The strip in which a sheet lies; -1: none. Fails where it lies in two.
  Expected<int> stripOf(int sheet) const {
    int found = -1;
    std::vector<int> hits(lines_.size(), 0);
    const auto places = placesIn(sheet);
    for (size_t k = 0; k < lines_.size(); ++k) {
      if (!lines_[k].strip) continue;
      const nurbs::SkinStrip& strip = *lines_[k].strip;
      for (const Vec3& p : places) {
        const auto at = strip.placeOf(p);
        if ((!strip.closed() && (at.t < 0 || at.t > 1)) || std::abs(at.asideMm) > 0.5 * strip.widthMm()) continue;
        const Vec3 off = p - strip.at(at.t) - at.asideMm * strip.left(at.t);
        hits[k] += off.norm() < 0.5 * strip.widthMm();
      }
      if (2 * hits[k] <= int(places.size()) || places.empty()) continue;
      if (found >= 0)
        return failed(crossing(places[places.size() / 2]), lines_[k].zone);
      found = int(k);
    }
    return found;
  }

  /// Whether a sheet lies to the left of an edge of its border, seen from outside.
  bool leftOf(const FaceAt& f) const {
    const split::Sheet& s = out_.net->net.sheets[size_t(f.sheet)];
    return s.border[size_t(f.use)].reversed == (s.orientation == TopAbs_REVERSED);
  }

  /// On which side of a border a face beside it lies; nothing where the edge is none of the border's.
  std::optional<bool> sideAt(const Line& l, int edge, const FaceAt& f) const {
    const LayerNet& n = *out_.net;
    const KnownEdge& e = n.edges[size_t(edge)];
    const Vec3 m = n.at(edge, e.t[e.t.size() / 2]);
    if (l.strip) {
      const auto at = l.strip->placeOf(m);
      const double half = 0.5 * l.strip->widthMm();
      if (std::abs(std::abs(at.asideMm) - half) > kOnBorderMm || (m - l.strip->at(at.t)).norm() > 2 * half) return {};
      return (at.asideMm > 0) == l.toLeft;
    }
    for (size_t i : {e.t.size() / 4, e.t.size() / 2, 3 * e.t.size() / 4})
      if (nurbs::closestPoint(l.path, n.at(edge, e.t[i])).distanceMm > kOnBorderMm) return {};
    nurbs::CurveDerivatives d;
    l.path.derivatives(nurbs::closestPoint(l.path, m).t, 1, d);
    const bool same = d[1].dot(n.along(edge, e.t[e.t.size() / 2])) > 0;
    return (leftOf(f) == same) == l.toLeft;
  }

  /// In which sheets a zone lies: known at its borders, and carried on across all other edges.
  Expected<std::vector<In>> inZone(int zone) const {
    const LayerNet& n = *out_.net;
    std::vector<In> state(n.net.sheets.size(), In::Unknown);
    std::vector<char> border(n.edges.size(), 0);
    const auto own = [&](int line) { return line >= 0 && lines_[size_t(line)].zone == zone; };
    for (size_t s = 0; s < state.size(); ++s)
      if (own(stripOf_[s])) state[s] = In::Strip;
    std::vector<int> open;
    for (size_t e = 0; e < n.edges.size(); ++e)
      for (const Line& l : lines_) {
        if (l.zone != zone || n.net.edges[e].pole) continue;
        for (const FaceAt& f : n.edges[e].faces) {
          In& is = state[size_t(f.sheet)];
          if (is == In::Strip) continue;
          const auto side = sideAt(l, int(e), f);
          if (!side) continue;
          border[e] = 1;
          const In now = *side ? In::In : In::Out;
          if (is != In::Unknown && is != now) return failed(undivided(n.at(int(e), n.edges[e].t[n.edges[e].t.size() / 2])), zone);
          if (is == In::Unknown) open.push_back(f.sheet);
          is = now;
        }
      }
    while (!open.empty()) {
      const int s = open.back();
      open.pop_back();
      for (const split::EdgeUse& use : n.net.sheets[size_t(s)].border) {
        if (border[size_t(use.edge)] || n.net.edges[size_t(use.edge)].pole) continue;
        for (const FaceAt& f : n.edges[size_t(use.edge)].faces) {
          In& is = state[size_t(f.sheet)];
          if (is == In::Strip || is == state[size_t(s)]) continue;
          if (is != In::Unknown) return failed(undivided(n.at(use.edge, n.edges[size_t(use.edge)].t[1])), zone);
          is = state[size_t(s)];
          open.push_back(f.sheet);
        }
      }
    }
    return state;
  }

  static Problem undivided(const Vec3& at) {
    return problem("LM-T013", "the outline of the zone does not divide the skin").at(at).tryThis("close it, or let it run from border to border");
  }

  /// Two zones lie apart, or one within the other.
  Expected<void> checkNested(const std::vector<In>& a, const std::vector<In>& b, int zone) const {
    int both = -1, onlyA = -1, onlyB = -1;
    for (int s = 0; s < int(a.size()); ++s) {
      if (a[size_t(s)] == In::In && b[size_t(s)] == In::In) both = s;
      if (a[size_t(s)] == In::In && b[size_t(s)] != In::In) onlyA = s;
      if (a[size_t(s)] != In::In && b[size_t(s)] == In::In) onlyB = s;
    }
    if (both < 0 || onlyA < 0 || onlyB < 0) return {};
    const auto places = placesIn(both);
    return failed(crossing(places.empty() ? Vec3(Vec3::Zero()) : places[places.size() / 2]), zone);
  }

  static Problem crossing(const Vec3& at) {
    return problem("LM-T012", "two zones cross, or lie nearer to one another than their transitions are wide").at(at).tryThis("move them apart, or take narrower transitions");
  }

  Expected<ZonedSkin> sorted() {
    const size_t many = out_.net->net.sheets.size();
    for (size_t s = 0; s < many; ++s) {
      LUMSK_TRY(strip, stripOf(int(s)));
      stripOf_.push_back(strip);
    }
    std::vector<std::vector<In>> in;
    std::vector<double> area(o_.zones.size(), 0);
    for (size_t z = 0; z < o_.zones.size(); ++z) {
      LUMSK_TRY(state, inZone(int(z)));
      double largest = 0;
      ZonePlace place;
      for (size_t s = 0; s < many; ++s) {
        if (state[s] != In::In) continue;
        const split::Sheet& sheet = out_.net->net.sheets[s];
        const Signature looks = signatureOf(*out_.body, PartKind::Face, sheet.face);
        area[z] += std::pow(looks.size, 2);
        if (looks.size > largest) {
          largest = looks.size;
          const auto inside = placesIn(int(s));
          place.at = inside.empty() ? looks.middle : inside[inside.size() / 2];
          const split::Sheet::Foot foot = sheet.foot(place.at);
          place.normal = sheet.outside(foot.normal);
        }
      }
      if (largest == 0) return failed(undivided(o_.zones[z].borders.front().path.start()), int(z));
      in.push_back(std::move(state));
      out_.places.push_back(place);
    }
    for (size_t a = 0; a < in.size(); ++a)
      for (size_t b = 0; b < a; ++b) LUMSK_CHECK(checkNested(in[a], in[b], int(a)));
    // Of zones that hold a place the smallest counts; round a transition, of the others.
    const auto valueAt = [&](size_t s, int but) {
      int best = -1;
      for (int z = 0; z < int(in.size()); ++z)
        if (z != but && in[size_t(z)][s] == In::In && (best < 0 || area[size_t(z)] < area[size_t(best)])) best = z;
      return best < 0 ? o_.thicknessMm : o_.zones[size_t(best)].thicknessMm;
    };
    for (size_t s = 0; s < many; ++s) {
      if (stripOf_[s] < 0) {
        out_.mm.push_back(valueAt(s, -1));
        out_.ramps.push_back(nullptr);
        continue;
      }
      const Line& l = lines_[size_t(stripOf_[s])];
      auto ramp = std::make_shared<Ramp>();
      ramp->strip = l.strip, ramp->kind = *zoneOf(l).transition, ramp->toLeft = l.toLeft;
      ramp->fromMm = valueAt(s, l.zone), ramp->toMm = zoneOf(l).thicknessMm;
      out_.mm.push_back(std::abs(ramp->fromMm) > std::abs(ramp->toMm) ? ramp->fromMm : ramp->toMm);
      out_.ramps.push_back(std::move(ramp));
    }
    return std::move(out_);
  }

  const Body& skin_;
  const ThickenOptions& o_;
  const Context& cx_;
  const BodyFaces* faces_ = nullptr;
  std::vector<Line> lines_;
  std::vector<Divider> dividers_;
  std::vector<int> stripOf_; ///< by sheets: number of the line; -1: in none
  ZonedSkin out_;
};

} // namespace

Expected<ZonedSkin> zoned(const Body& skin, const ThickenOptions& options, const Context& cx) { return Zoner(skin, options, cx).run(); }

} // namespace lumsk::brep::offset

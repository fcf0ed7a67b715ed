#include "nurbs/sweep/pipe.h"

#include "nurbs/curves/chains.h"
#include "nurbs/curves/shapes.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/on_skin/planar.h"
#include "nurbs/sweep/groove.h"
#include "nurbs/sweep/revolve.h"

#include <algorithm>
#include <cmath>
#include <functional>

namespace lumsk::nurbs {

namespace {

constexpr int kPipeLooks = 64;
constexpr double kSharpestDeg = 150; ///< curves that turn by more do not run on in one another
constexpr double kFlatTolerances = 10; ///< out of a plane by at most so many point tolerances

Vec3 directionAt(const Path& p, int end) {
  if (end) return p.tangentBefore(p.last()).normalized();
  CurveDerivatives d;
  p.derivatives(0, 1, d);
  return d[1].normalized();
}

/// A section in the plane x, y around the origin.
Expected<Path> regular(int sides, double acrossMm, LengthTolerance point) {
  if (sides == 0) return circle({}, acrossMm);
  // One side lies level below.
  const double turn = radFromDeg(sides % 2 ? 90.0 : 90.0 + 180.0 / sides);
  const Frame on{Vec3::Zero(), Vec3(std::cos(turn), std::sin(turn), 0), Vec3(-std::sin(turn), std::cos(turn), 0)};
  return polygon(on, acrossMm / std::cos(kPi / sides), sides, 0, point);
}

Expected<Path> sectionOf(const PipeOptions& o, const Tolerances& tol) {
  if (!o.profile) return regular(o.sides, o.acrossMm, tol.point);
  const PlaneOfPoints plane = fitPlane(polyline(*o.profile, 24));
  if (!o.profile->closed() || !plane.unique || plane.deviationMm > kFlatTolerances * tol.point.mm)
    return fail(problem("LM-Z001", "the section of a pipe has to be closed and flat").at(o.profile->start()).inField("profile").tryThis("take another curve, or sweep it"));
  Eigen::Isometry3d in = Eigen::Isometry3d::Identity();
  in.linear().transpose() << plane.frame.x, plane.frame.y, plane.frame.normal();
  in.translation() = -(in.linear() * Vec3(polyline(*o.profile, 48).colwise().mean().transpose()));
  return transformed(*o.profile, in);
}

/// What is left of a section inside a wall.
Expected<Path> within(const Path& section, const PipeOptions& o, const Vec3& at, const Context& cx) {
  const auto refused = [&] {
    return fail(problem("LM-Z002", "the wall leaves no room in the pipe").measure(millimetres(o.wallMm)).at(at).inField("wall").tryThis("make it thinner, or the pipe thicker"));
  };
  if (!o.profile) {
    if (!(o.acrossMm - 2 * o.wallMm > 10 * cx.tolerances.point.mm)) return refused();
    return regular(o.sides, o.acrossMm - 2 * o.wallMm, cx.tolerances.point);
  }
  const auto area = [](const Path& p) { // signed, about z
    const Points pts = polyline(p, 24);
    double sum = 0;
    for (Eigen::Index i = 0; i < pts.rows(); ++i) {
      const Eigen::Index j = (i + 1) % pts.rows();
      sum += 0.5 * (pts(i, 0) * pts(j, 1) - pts(j, 0) * pts(i, 1));
    }
    return sum;
  };
  const double whole = area(section);
  for (const double sign : {1.0, -1.0}) {
    auto made = offsetInPlane(section, {}, sign * o.wallMm, OffsetCorner::Sharp, cx);
    if (!made || made->curves.size() != 1 || !made->curves.front().closed()) continue;
    if (const double left = area(made->curves.front()); std::abs(left) < std::abs(whole) && left * whole > 0) return made->curves.front();
  }
  return refused();
}

class Piper {
public:
  Piper(const Path& along, const PipeOptions& o, const Context& cx) : along_(along), o_(o), cx_(cx) {}

  Expected<PipeSkins> run() {
    constexpr double kThinnest = 20; ///< point tolerances: edges of thinner walls would be taken for one
    if (const double least = kThinnest * cx_.tolerances.point.mm; o_.wallMm > 0 && o_.wallMm < least)
      return fail(problem("LM-Z002", "the wall is thinner than what counts as one point").measure(millimetres(o_.wallMm)).want(millimetres(least)).at(along_.start()).inField("wall").tryThis("make it thicker, or nought"));
    constexpr double kThinnestPipe = 50; ///< point tolerances, likewise
    if (const double least = kThinnestPipe * cx_.tolerances.point.mm; !o_.profile && !(o_.acrossMm >= least))
      return fail(problem("LM-Z001", "a pipe needs a thickness").measure(millimetres(o_.acrossMm)).want(millimetres(least)).at(along_.start()).inField("size").tryThis("make it thicker"));
    LUMSK_TRY(section, sectionOf(o_, cx_.tolerances));
    LUMSK_TRY(outer, carried(section, o_.size));
    out_.outer = std::move(outer);
    out_.closed = along_.closed();
    if (o_.wallMm > 0) {
      LUMSK_TRY(inside, within(section, o_, along_.start(), cx_));
      LUMSK_TRY(factor, innerSize());
      LUMSK_TRY(inner, carried(inside, factor));
      out_.inner = std::move(inner);
    }
    if (o_.ends == PipeEnds::Round && !out_.closed)
      for (int e : {0, 1}) LUMSK_CHECK(roundEnd(e));
    return std::move(out_);
  }

private:
  /// The section stands at the start; of closed curves that begin in a corner within the first stretch, where it is square
  /// to the curve.
  Expected<SweepResult> carried(const Path& section, const std::function<double(double)>& size) {
    double station = 0;
    Frame stand = Frame::fromNormal(along_.start(), directionAt(along_, 0));
    if (const double t = squareStand(along_, cx_.tolerances.corner); t > 0) {
      CurveDerivatives d;
      along_.derivatives(t, 1, d);
      stand = Frame::fromNormal(d[0], d[1]);
      station = ArcLength(along_).fractionAt(t);
    }
    const double turn = o_.turnDeg ? radFromDeg(o_.turnDeg(station)) : 0.0, larger = size ? size(station) : 1.0;
    if (!(larger > 0)) return fail(problem("LM-Y007", "the pipe shrinks to nothing").measure(ratio(larger)).at(stand.origin).inField("sizeAlong").tryThis("keep the size above nought"));
    Eigen::Affine3d to = Eigen::Affine3d::Identity();
    to.linear() << stand.x, stand.y, stand.normal();
    to.linear() = to.linear() * Eigen::AngleAxisd(turn, Vec3::UnitZ()) * larger;
    to.translation() = stand.origin;
    LUMSK_TRY(placed, mapped(section, to, cx_.tolerances.point));
    SweepOptions s;
    s.frame.turnDeg = o_.turnDeg;
    s.frame.turns = o_.turns;
    s.frame.size = size;
    s.corners = o_.corners;
    s.cornerRadiusMm = o_.cornerRadiusMm;
    return sweep({{placed}}, {along_}, s, cx_);
  }

  /// The wall stays as thick while the pipe grows and shrinks.
  Expected<std::function<double(double)>> innerSize() const {
    if (!o_.size || o_.profile) return o_.size;
    const double across = o_.acrossMm, wall = 2 * o_.wallMm;
    auto inner = [size = o_.size, across, wall](double f) { return (across * size(f) - wall) / (across - wall); };
    for (int i = 0; i <= kPipeLooks; ++i)
      if (!(inner(double(i) / kPipeLooks) > 0))
        return fail(problem("LM-Z002", "the wall leaves no room in the pipe where it is thinnest")
                        .measure(millimetres(o_.wallMm))
                        .at(along_.at(along_.last() * i / kPipeLooks))
                        .inField("wall")
                        .tryThis("make it thinner, or the pipe thicker"));
    return std::function<double(double)>(inner);
  }

  /// Half a ball, or between both skins half a ring; its seam is that of the skin.
  Expected<void> roundEnd(int e) {
    if (o_.profile || o_.sides > 0)
      return fail(problem("LM-Z001", "only round pipes have round ends").at(e ? along_.end() : along_.start()).inField("ends").tryThis("take flat ends").offer({"flat ends", "ends", "flat"}));
    const auto seam = [e](const SweepResult& r) {
      const Surface& s = (e ? r.faces.back() : r.faces.front()).surface;
      return s.at(s.firstU(), e ? s.lastV() : s.firstV());
    };
    const Vec3 middle = e ? along_.end() : along_.start(), out = directionAt(along_, e) * (e ? 1.0 : -1.0);
    const Vec3 from = seam(out_.outer) - middle;
    EllipseArc arc{middle, from, from.norm() * out, 0, 0.5 * kPi};
    if (out_.inner) {
      const Vec3 other = from.normalized() * (seam(*out_.inner) - middle).norm();
      const Vec3 half = 0.5 * (from - other);
      arc = {middle + 0.5 * (from + other), half, half.norm() * out, 0, kPi};
    }
    LUMSK_TRY(profile, Path::make({arc}, cx_.tolerances.point));
    RevolveOptions turn;
    turn.at = middle, turn.axis = out;
    LUMSK_TRY(cap, revolve(profile, turn, cx_));
    out_.outer.deviationMm = std::max(out_.outer.deviationMm, cap.skin.deviationMm);
    for (auto& f : cap.skin.faces) out_.caps.push_back(std::move(f.surface));
    return {};
  }

  const Path& along_;
  const PipeOptions& o_;
  const Context& cx_;
  PipeSkins out_;
};

/// Chains divided where one curve would turn back into the next: no mitre is as long as that.
std::vector<std::vector<ChainLink>> withoutTurningBack(const std::vector<Chain>& chains, const std::function<Vec3(int, bool)>& leaving) {
  const double cosine = std::cos(radFromDeg(kSharpestDeg));
  const auto turnsBack = [&](const ChainLink& a, const ChainLink& b) { return -leaving(a.arc, !a.forward).dot(leaving(b.arc, b.forward)) < cosine; };
  std::vector<std::vector<ChainLink>> out;
  for (const Chain& chain : chains) {
    std::vector<ChainLink> links = chain.links;
    // A closed one is cut open where it turns back first.
    for (size_t i = 0; chain.closed && links.size() > 1 && i < links.size(); ++i)
      if (turnsBack(links[i], links[(i + 1) % links.size()])) {
        std::rotate(links.begin(), links.begin() + std::ptrdiff_t((i + 1) % links.size()), links.end());
        break;
      }
    out.push_back({});
    for (size_t i = 0; i < links.size(); ++i) {
      if (i > 0 && turnsBack(links[i - 1], links[i])) out.push_back({});
      out.back().push_back(links[i]);
    }
  }
  return out;
}

} // namespace

double PipeSkins::deviationMm() const { return std::max(outer.deviationMm, inner ? inner->deviationMm : 0.0); }

Expected<PipeSkins> pipe(const Path& along, const PipeOptions& options, const Context& cx) { return Piper(along, options, cx).run(); }

Expected<std::vector<PipeRun>> runsOf(const std::vector<Path>& curves, const std::vector<int>& kinds, LengthTolerance point) {
  std::vector<Vec3> places;
  std::vector<int> placeKinds;
  const auto nodeOf = [&](const Vec3& p, int kind) {
    for (size_t i = 0; i < places.size(); ++i)
      if (placeKinds[i] == kind && (places[i] - p).norm() <= point.mm) return int(i);
    places.push_back(p), placeKinds.push_back(kind);
    return int(places.size()) - 1;
  };
  std::vector<PipeRun> out;
  std::vector<std::array<int, 2>> nodes;
  std::vector<int> open;
  for (size_t i = 0; i < curves.size(); ++i) {
    if (curves[i].closed()) {
      out.push_back({curves[i], {int(i)}});
      continue;
    }
    nodes.push_back({nodeOf(curves[i].start(), kinds[i]), nodeOf(curves[i].end(), kinds[i])});
    open.push_back(int(i));
  }
  const auto leaving = [&](int arc, bool first) {
    const Path& p = curves[size_t(open[size_t(arc)])];
    return first ? directionAt(p, 0) : Vec3(-directionAt(p, 1));
  };
  for (const auto& links : withoutTurningBack(chainsOf(nodes, leaving), leaving)) {
    PipeRun run;
    std::vector<Segment> segments;
    for (const ChainLink& link : links) {
      const int curve = open[size_t(link.arc)];
      const Path p = link.forward ? curves[size_t(curve)] : reversed(curves[size_t(curve)]);
      segments.insert(segments.end(), p.segments().begin(), p.segments().end());
      run.curves.push_back(curve);
    }
    LUMSK_TRY(path, Path::make(std::move(segments), {2 * point.mm}));
    // As the first of its curves runs.
    const auto first = std::min_element(links.begin(), links.end(), [](const ChainLink& a, const ChainLink& b) { return a.arc < b.arc; });
    run.path = first->forward ? path : reversed(path);
    if (!first->forward) std::reverse(run.curves.begin(), run.curves.end());
    out.push_back(std::move(run));
  }
  std::sort(out.begin(), out.end(), [](const PipeRun& a, const PipeRun& b) {
    return *std::min_element(a.curves.begin(), a.curves.end()) < *std::min_element(b.curves.begin(), b.curves.end());
  });
  return out;
}

} // namespace lumsk::nurbs

#include "brep/offset/rounded_rims.h"

#include "brep/convert.h"
#include "brep/curves_on.h"
#include "brep/knit.h"
#include "brep/names.h"
#include "brep/skin.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/curl.h"
#include "nurbs/on_skin/ribbon.h"
#include "nurbs/on_skin/strip.h"
#include "nurbs/sweep/revolve.h"

#include <algorithm>

namespace lumsk::brep::offset {

namespace {

constexpr double kJoinTolerances = 10; ///< beads meet walls and one another within so many point tolerances
constexpr int kRimLooks = 24;

/// A rim along the front's edge, the skin to its left seen from its front.
struct Bead {
  std::string source;
  nurbs::Path path;
  nurbs::Neighbour front;
  double radiusMm = 1;
  std::array<double, 2> endTurn{0, 0}; ///< radians, about the normal
  double turnsOverMm = 1;
  std::shared_ptr<const nurbs::ArcLength> length = nullptr;
  Vec3 normalAt(const Vec3& p) const {
    const auto beside = front(p);
    return beside ? beside->normal : Vec3(Vec3::UnitZ());
  }
  /// Square to the border. At ends square to the way of the middle of a ball that rolls along, which turns aside where the skin
  /// twists: there the bead is what the ball leaves, so that parts of balls go on from it.
  nurbs::Leaving leaving(const Vec3& at, const Vec3& tangent) const {
    const Vec3 n = normalAt(at), out = tangent.cross(n).normalized();
    if (endTurn == std::array<double, 2>{0, 0}) return {out, n};
    const double s = length->lengthAt(nurbs::closestPoint(path, at).t);
    double turn = 0;
    for (const size_t e : {0, 1}) turn += endTurn[e] * (1 - nurbs::shareAcross(nurbs::Transition::Curvature, std::clamp((e ? length->total() - s : s) / turnsOverMm, 0.0, 1.0)));
    return {Eigen::AngleAxisd(turn, n) * out, n};
  }
  void turnEnds() {
    if (path.closed() && path.corners({1}).empty()) return;
    constexpr double kAsideMm = 0.01, kRadii = 6;
    length = std::make_shared<const nurbs::ArcLength>(path);
    turnsOverMm = std::min(0.5 * length->total(), kRadii * radiusMm);
    std::array<double, 2> turns{};
    for (const size_t e : {0, 1}) {
      const Vec3 at = e ? path.end() : path.start(), tangent = nurbs::unitTangent(path, e ? path.last() : 0), n = normalAt(at);
      const Vec3 inwards = (e ? -kAsideMm : kAsideMm) * tangent; // beyond, the skin has no normals
      const Vec3 by = (e ? -1 : 1) * (4 * normalAt(at + inwards) - 3 * n - normalAt(at + 2 * inwards)) / (2 * kAsideMm);
      const Vec3 out = tangent.cross(n).normalized(), wanted = (tangent - radiusMm * by).cross(n).normalized();
      turns[e] = std::atan2(out.cross(wanted).dot(n), out.dot(wanted));
    }
    endTurn = turns;
  }
  nurbs::Leaving atEnd(bool last) const { return leaving(last ? path.end() : path.start(), nurbs::unitTangent(path, last ? path.last() : 0)); }
};

class Rounder {
public:
  Rounder(const Body& wall, const std::string& step, double thicknessMm, const Context& cx)
      : wall_(wall), step_(step), mm_(thicknessMm), cx_(cx), near_(kJoinTolerances * cx.tolerances.point.mm) {}

  Expected<BodyPtr> run() {
    for (int f = 0; f < int(wall_.faceNames.size()); ++f)
      if (isOf(f, "rim")) LUMSK_CHECK(take(f));
    if (beads_.empty())
      return fail(problem("LM-T016", "the wall has no rim to be rounded").inField("rims").tryThis("leave rims flat"));
    std::vector<NamedFace> faces;
    for (NamedFace& f : namedFaces(wall_))
      if (f.name.rfind(prefix("rim"), 0) != 0) faces.push_back(std::move(f));
    for (const Bead& b : beads_) LUMSK_CHECK(addBead(faces, b));
    for (const Bead& b : beads_)
      if (!b.path.closed()) LUMSK_CHECK(addCorner(faces, b));
    LUMSK_TRY(knitted, knitFaces(faces, {near_}, cx_));
    if (knitted.body->solid()) return knitted.body;
    Problem open = problem("LM-T016", "rounded rims do not close the wall").inField("rims").tryThis("leave them flat, or round the corners of the skin first");
    for (const NearMiss& m : knitted.nearMisses) open.at(m.at);
    if (open.where.empty()) open.at(beads_.front().path.start());
    return fail(std::move(open));
  }

private:
  std::string prefix(const char* role) const { return step_ + "." + role + "("; }
  bool isOf(int face, const char* role) const { return wall_.faceNames[size_t(face)].rfind(prefix(role), 0) == 0; }

  Expected<void> take(int rim) {
    const auto all = edges(wall_);
    std::optional<nurbs::Path> path, back;
    int front = -1;
    for (int e = 0; e < int(all.size()); ++e) {
      const auto beside = facesAt(wall_, e);
      if (std::find(beside.begin(), beside.end(), rim) == beside.end()) continue;
      for (int f : beside)
        if (isOf(f, "front") || isOf(f, "back")) {
          if (isOf(f, "front")) path = toPath(all[size_t(e)]), front = f;
          else back = toPath(all[size_t(e)]);
        }
    }
    const std::string& name = wall_.faceNames[size_t(rim)];
    if (!path || !back)
      return fail(problem("LM-T016", "a rim does not lie between the front and the back").at(signatureOf(wall_, PartKind::Face, rim).middle).inField("rims").tryThis("leave rims flat"));
    LUMSK_TRY(onFront, BodyFaces::of(wall_, front, cx_));
    LUMSK_TRY(onRim, BodyFaces::of(wall_, rim, cx_));
    const auto kept = std::make_shared<BodyFaces>(std::move(onFront));
    Bead bead{name.substr(prefix("rim").size(), name.size() - prefix("rim").size() - 1), *path, [kept](const Vec3& p) { return kept->beside(p); }, 0.5 * mm_};
    const double t = 0.47 * path->last();
    const auto out = onRim.beside(path->at(t));
    if (out && bead.leaving(path->at(t), nurbs::unitTangent(*path, t)).out.dot(out->normal) < 0) bead.path = nurbs::reversed(*path);
    bead.turnEnds();
    for (int i = 0; i <= kRimLooks; ++i) {
      const double x = bead.path.last() * i / kRimLooks;
      const Vec3 at = bead.path.at(x), below = at - mm_ * bead.leaving(at, nurbs::unitTangent(bead.path, x)).front;
      if (const double off = nurbs::closestPoint(*back, below).distanceMm; off > near_)
        return fail(problem("LM-T016", "a rim is not as thick all along, or not square to the skin: it cannot be rounded").measure(millimetres(off)).at(at).inField("rims").tryThis("leave rims flat, or let zones end before the rim"));
    }
    beads_.push_back(std::move(bead));
    return {};
  }

  void add(std::vector<NamedFace>& faces, const nurbs::Surface& s, const std::string& name, bool reversed, bool asked) {
    NaturalFace n{std::make_shared<const nurbs::Surface>(s), reversed};
    if (asked) n.asked[2] = n.asked[3] = Meets::G1;
    faces.push_back({naturalFace(s, reversed, cx_.tolerances.point), name, n});
  }

  Expected<void> addBead(std::vector<NamedFace>& faces, const Bead& b) {
    nurbs::CurlOptions o;
    o.radiusMm = 0.5 * mm_;
    o.angleRad = kPi;
    o.toFront = false;
    o.leaving = [&](const Vec3& at, const Vec3& tangent) { return b.leaving(at, tangent); };
    o.onto = [&](const Vec3& at) {
      const auto below = b.front(at);
      return below ? below->d(0, 0) : at;
    };
    auto made = nurbs::curlAlong(b.path, o, cx_);
    if (!made) {
      Problem p = made.error();
      p.tryThis("take a smaller thickness, or leave rims flat");
      return fail(p.inField("rims"));
    }
    for (size_t k = 0; k < made->strips.size(); ++k)
      add(faces, made->strips[k], faceName(step_, "rim", b.source + (k ? "-" + std::to_string(k + 1) : "")), false, true);
    return {};
  }

  /// Between the bead's end and the next one's start.
  Expected<void> addCorner(std::vector<NamedFace>& faces, const Bead& b) {
    const Bead* next = nullptr;
    for (const Bead& o : beads_)
      if (!o.path.closed() && (o.path.start() - b.path.end()).norm() <= near_) next = &o;
    if (!next) return fail(problem("LM-T016", "a rim ends here without another one").at(b.path.end()).inField("rims").tryThis("leave rims flat"));
    const nurbs::Leaving from = b.atEnd(true), to = next->atEnd(false);
    const double angle = std::atan2(from.out.cross(to.out).dot(from.front), from.out.dot(to.out));
    if (std::abs(angle) * 0.5 * mm_ <= 0.5 * near_) return {};
    const bool oneNormal = from.front.cross(to.front).norm() * mm_ <= near_;
    if (angle < 0 || !oneNormal)
      return fail(problem("LM-T016", oneNormal ? "rounded rims run into one another at a corner that goes inwards" : "rounded rims do not meet where the skin has a kink").at(b.path.end()).inField("rims").tryThis("round this corner of the skin first, or leave rims flat"));
    const Vec3 at = b.path.end();
    LUMSK_TRY(profile, nurbs::Path::make({nurbs::EllipseArc{at - 0.5 * mm_ * from.front, 0.5 * mm_ * from.front, 0.5 * mm_ * from.out, 0, kPi}}, cx_.tolerances.point));
    nurbs::RevolveOptions o;
    o.at = at, o.axis = from.front, o.toDeg = degFromRad(angle);
    Context close = cx_; // as closely as beads are made, for their directions to agree
    close.tolerances.fit.mm *= 0.08;
    LUMSK_TRY(ball, nurbs::revolve(profile, o, close));
    for (const auto& f : ball.skin.faces) add(faces, f.surface, faceName(step_, "rim", b.source + "|corner"), ball.inwards, false);
    return {};
  }

  const Body& wall_;
  const std::string& step_;
  const double mm_;
  const Context& cx_;
  const double near_;
  std::vector<Bead> beads_;
};

} // namespace

Expected<BodyPtr> withRoundedRims(const Body& wall, const std::string& step, double thicknessMm, const Context& cx) {
  return Rounder(wall, step, thicknessMm, cx).run();
}

} // namespace lumsk::brep::offset

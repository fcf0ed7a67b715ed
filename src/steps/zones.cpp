#include "steps/zones.h"

#include "brep/curves_on.h"
#include "brep/edge_paths.h"
#include "brep/names.h"
#include "nurbs/measure/closest.h"
#include "steps/cutting.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;
using Border = brep::ThickenZone::Border;

namespace {

constexpr double kAside = 0.02; ///< of a border's length: so far to its left it is looked at which side that is
constexpr int kRound = 180;     ///< places of a ring, to tell its inside

/// Where a border's middle is, and a place of the skin to its left.
struct Left {
  Vec3 at, aside, direction;
};
std::optional<Left> leftOf(const nurbs::Path& path, const brep::BodyFaces& skin) {
  nurbs::CurveDerivatives d;
  path.derivatives(0.37 * path.last(), 1, d); // seldom a joint
  const auto place = skin.beside(d[0]);
  if (!place || !(d[1].norm() > 0)) return {};
  const Vec3 left = place->normal.cross(d[1]).normalized();
  Vec3 low = Vec3::Constant(1e300), high = -low;
  const Points line = nurbs::polyline(path, 16);
  for (Eigen::Index i = 0; i < line.rows(); ++i) low = low.cwiseMin(line.row(i).transpose()), high = high.cwiseMax(line.row(i).transpose());
  return Left{d[0], d[0] + kAside * (high - low).norm() * left, left};
}

/// Whether a place lies within a ring, seen square to the ring's plane (the rule of even and odd crossings).
bool within(const nurbs::PlaneOfPoints& plane, const Points& ring, const Vec3& p) {
  const Vec3 q = plane.frame.local(p);
  bool in = false;
  for (Eigen::Index i = 0; i < ring.rows(); ++i) {
    const Vec3 a = plane.frame.local(ring.row(i).transpose()), b = plane.frame.local(ring.row((i + 1) % ring.rows()).transpose());
    if ((a.y() > q.y()) != (b.y() > q.y()) && q.x() < a.x() + (q.y() - a.y()) / (b.y() - a.y()) * (b.x() - a.x())) in = !in;
  }
  return in;
}

/// A ring's zone is what lies within it; of one that goes round the skin, what its plane's normal points to. An open curve's
/// is to its left.
bool toLeft(const nurbs::Path& of, const Left& left) {
  if (!of.closed()) return true;
  const Points ring = nurbs::polyline(of, kRound);
  const nurbs::PlaneOfPoints plane = nurbs::fitPlane(ring);
  const Vec3 n = plane.frame.normal();
  if (std::abs(left.direction.dot(n)) > 0.9) return left.direction.dot(n) > 0;
  return within(plane, ring, left.aside);
}

Unexpected boundsNone(const char* what, const Vec3& at, const std::string& item) {
  Problem p = problem("LM-T014", what).at(at).tryThis("pick a ring, a drawing, or a curve that runs across the skin");
  p.item = item;
  return fail(p.inField("zones"));
}

Vec3 middleOf(const brep::Body& b) { return brep::signatureOf(b, brep::PartKind::Face, 0).middle; }

class Borders {
public:
  Borders(const brep::Body& body, const brep::BodyFaces& skin, const Context& cx) : body_(body), skin_(skin), cx_(cx) {}

  Expected<std::vector<Border>> of(const Picked& p) const {
    if (const auto* plane = std::get_if<PlaneObject>(&p.object)) {
      LUMSK_TRY(found, skin_.cutBy(plane->frame, cx_));
      return sided(found, p, [&](const Left& l) { return l.direction.dot(plane->frame.normal()) > 0; });
    }
    if (p.kind == Kind::Face && p.body.get() == &body_) return ofFace(p);
    if (p.kind == Kind::Face || std::holds_alternative<brep::BodyPtr>(p.object)) return ofBody(p);
    return ofCurve(p);
  }

private:
  template <class Side> Expected<std::vector<Border>> sided(const brep::FoundCurves& found, const Picked& p, const Side& side) const {
    std::vector<Border> out;
    for (const nurbs::Path& c : found.curves)
      if (const auto left = leftOf(c, skin_)) out.push_back({c, side(*left)});
    if (out.empty()) return boundsNone("this does not meet the skin: it bounds no zone", middleOf(body_), p.item);
    return out;
  }

  Expected<std::vector<Border>> ofFace(const Picked& p) const {
    LUMSK_TRY(outline, brep::outlineOf(body_, p.index, cx_.tolerances.point));
    LUMSK_TRY(own, brep::BodyFaces::of(body_, p.index, cx_));
    const auto left = leftOf(outline, skin_);
    if (!left) return boundsNone("this face bounds no zone", outline.start(), p.item);
    const auto near = own.nearest(left->aside);
    return std::vector<Border>{{outline, near && near->distanceMm < 0.5 * (left->aside - left->at).norm()}};
  }

  /// In front of a skin or a face; inside a solid.
  Expected<std::vector<Border>> ofBody(const Picked& p) const {
    const brep::Body& other = p.body ? *p.body : *std::get<brep::BodyPtr>(p.object);
    LUMSK_TRY(faces, brep::BodyFaces::of(other, p.kind == Kind::Face ? p.index : -1, cx_));
    LUMSK_TRY(found, skin_.meeting(faces, cx_));
    const double outside = other.solid() && p.kind != Kind::Face ? -1 : 1;
    return sided(found, p, [&](const Left& l) {
      const auto place = faces.beside(l.at);
      return place && outside * l.direction.dot(place->normal) > 0;
    });
  }

  Expected<std::vector<Border>> ofCurve(const Picked& p) const {
    const nurbs::Path& path = *curveOf(p);
    auto along = carriedAlong(path, {std::make_shared<const brep::Body>(body_)}, cx_);
    if (!along) return fail(along.error());
    auto found = *along ? skin_.projected(path, **along, true, cx_) : skin_.pulledOnto(path, cx_);
    if (!found) return fail(found.error());
    return sided(*found, p, [&](const Left& l) { return path.closed() ? toLeft(path, l) : sameWay(path, l); });
  }

  /// What lies to the left of the picked curve lies to the left of its image, unless this runs the other way.
  bool sameWay(const nurbs::Path& path, const Left& l) const {
    nurbs::CurveDerivatives d;
    path.derivatives(std::min(nurbs::closestPoint(path, l.at).t, path.last() - 1e-9), 1, d);
    const auto place = skin_.beside(l.at);
    return !place || place->normal.cross(d[1]).dot(l.direction) > 0;
  }

  const brep::Body& body_;
  const brep::BodyFaces& skin_;
  const Context& cx_;
};

std::optional<nurbs::Transition> transitionFrom(const std::string& how) {
  if (how == "step") return {};
  return how == "straight" ? nurbs::Transition::Straight : how == "tangent" ? nurbs::Transition::Tangent : nurbs::Transition::Curvature;
}

} // namespace

Field zonesField(const std::string& value, const std::string& help) {
  return picks("zones", "Zones", help, Kind::Curve | Kind::Edge | Kind::Plane | Kind::Face | Kind::Skin | Kind::Solid)
      .prefer(Kind::Curve)
      .optional()
      .drawnHere({{"ring"}, {"drawing"}})
      .eachWith({length("value", value, "Within the zone.", "3").within(-1000, 1000).withHandle(Handle::Distance),
                 choice("how", "Transition", "How the value changes over the outline.",
                        {{"curvature", "smooth, G2"}, {"tangent", "smooth, G1"}, {"straight", "straight"}, {"step", "step"}}),
                 length("width", "Width", "Of the transition, half of it on either side of the outline.", "5").within(0.01, 1000).unless("how", {"step"}),
                 toggle("flip", "Other side", "The zone is on the other side of the outline.", false)});
}

Expected<std::vector<brep::ThickenZone>> zonesIn(const Inputs& in, const brep::Body& body, const Context& cx) {
  std::vector<brep::ThickenZone> out;
  const auto& picked = in.picked("zones");
  if (picked.empty()) return out;
  LUMSK_TRY(skin, brep::BodyFaces::of(body, -1, cx));
  const Borders borders(body, skin, cx);
  for (size_t i = 0; i < picked.size(); ++i) {
    brep::ThickenZone z;
    z.item = picked[i].item;
    auto found = borders.of(picked[i]);
    if (!found) {
      Problem p = found.error();
      p.item = z.item;
      return fail(p.inField("zones"));
    }
    z.borders = std::move(*found);
    if (in.itemOn("zones", i, "flip"))
      for (Border& b : z.borders) b.toLeft = !b.toLeft;
    z.thicknessMm = in.itemNumber("zones", i, "value").value_or(3);
    const std::string how = in.itemText("zones", i, "how");
    z.transition = transitionFrom(how.empty() ? "curvature" : how);
    z.widthMm = in.itemNumber("zones", i, "width").value_or(5);
    out.push_back(std::move(z));
  }
  return out;
}

void addZoneHandles(Outcome& out, const std::vector<brep::ThickenZone>& zones, const std::vector<brep::ZonePlace>& places, double mmPerUnit) {
  for (size_t i = 0; i < zones.size() && i < places.size(); ++i)
    out.marks.add(HandlePlace{"zones", places[i].at, (mmPerUnit < 0 ? -1.0 : 1.0) * places[i].normal, std::abs(mmPerUnit), zones[i].item, "value"});
}

std::string zoneWords(const std::vector<brep::ThickenZone>& zones) {
  return zones.empty() ? "" : " - " + std::to_string(zones.size()) + (zones.size() == 1 ? " zone" : " zones");
}

} // namespace lumsk::steps

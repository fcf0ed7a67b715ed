#include "brep/round.h"

#include "brep/apart.h"
#include "brep/assemble.h"
#include "brep/convert.h"
#include "brep/curves_on.h"
#include "brep/edge_paths.h"
#include "brep/face_spline.h"
#include "brep/guard.h"
#include "brep/reborder.h"
#include "brep/skin.h"
#include "brep/split/division.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/ribbon.h"
#include "nurbs/on_skin/surface_curves.h"
#include "nurbs/reshape/extend.h"

#include <BRepBndLib.hxx>
#include <BRepClass3d_SolidClassifier.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <Eigen/Geometry>

#include <algorithm>

namespace lumsk::brep {

namespace {

constexpr double kOnFaceMm = 0.003;
constexpr double kBeyond = 3; ///< open ends: so far a band goes on, by its contacts' distance from the edge, to be cut by the faces there

/// A surface made larger beyond those sides where it can be.
/// Whether what a surface got on one side goes on from it without folding over, as it would beyond a pole near by.
bool goesOn(const nurbs::Surface& more, const nurbs::Surface& from, int side) {
  constexpr int kAlong = 16, kOut = 6;
  const bool alongV = side < 2; // the side runs along v, and more of it lies across, in u
  const double border = side == 0 ? from.firstU() : side == 1 ? from.lastU() : side == 2 ? from.firstV() : from.lastV();
  const double outer = side == 0 ? more.firstU() : side == 1 ? more.lastU() : side == 2 ? more.firstV() : more.lastV();
  const double a = alongV ? from.firstV() : from.firstU(), b = alongV ? from.lastV() : from.lastU();
  for (int i = 0; i <= kAlong; ++i) {
    const double t = a + (b - a) * i / kAlong;
    Vec3 before;
    for (int k = 0; k <= kOut; ++k) {
      const double s = border + (outer - border) * k / kOut;
      nurbs::SurfaceDerivatives d;
      more.derivatives(alongV ? s : t, alongV ? t : s, 1, d);
      const Vec3 square = d(1, 0).cross(d(0, 1));
      if (k > 0 && square.dot(before) <= 0) return false;
      before = square;
    }
  }
  return true;
}

nurbs::Surface largerBy(nurbs::Surface s, double mm, const Tolerances& tol, const Context& cx) {
  constexpr int kTries = 5; ///< each half as far as the one before
  for (int side = 0; side < 4; ++side) {
    if (side < 2 && s.closedU()) continue;
    if ((side == 2 && s.poleAtFirstV(tol.point)) || (side == 3 && s.poleAtLastV(tol.point))) continue;
    bool done = false;
    for (int k = 0; k < kTries && !done; ++k)
      for (const nurbs::GoOn how : {nurbs::GoOn::Natural, nurbs::GoOn::Straight}) {
        std::array<double, 4> by{};
        by[size_t(side)] = std::ldexp(mm, -k);
        auto more = nurbs::extended(s, by, how, cx);
        done = more && goesOn(*more, s, side);
        if (!done) continue;
        s = std::move(*more);
        break;
      }
  }
  return s;
}

} // namespace

/// The faces on one side as surfaces that go on beyond their borders.
struct RollingEdge::Skin {
  struct Face {
    nurbs::Surface surface;
    double lowU, highU, lowV, highV; ///< of the face's own domain
    bool reversed;
    std::unique_ptr<nurbs::NearestOnSurface> feet;
    Eigen::AlignedBox3d box; ///< around all of it
  };
  std::vector<std::unique_ptr<Face>> faces;
  BodyPtr body; ///< these faces alone
  std::unique_ptr<BodyFaces> within;

  /// The nearest place. Where a face only goes on it counts as so much farther as it lies beyond the face's own domain.
  std::optional<nurbs::NeighbourPlace> at(const Vec3& p) const {
    const Face* best = nullptr;
    nurbs::NearestOnSurface::Foot foot;
    double least = 1e300;
    std::vector<std::pair<double, const Face*>> near;
    for (const auto& f : faces) near.emplace_back(f->box.exteriorDistance(p), f.get());
    std::sort(near.begin(), near.end());
    for (const auto& [atLeast, f] : near) {
      if (atLeast >= least) break;
      const auto here = f->feet->foot(p);
      const Vec2 own(std::clamp(here.uv.x(), f->lowU, f->highU), std::clamp(here.uv.y(), f->lowV, f->highV));
      const double beyond = own == here.uv ? 0 : (f->surface.at(own.x(), own.y()) - here.point).norm();
      if (here.distanceMm + beyond >= least) continue;
      best = f, foot = here, least = here.distanceMm + beyond;
    }
    if (!best || foot.normal.norm() < 0.5) return {};
    nurbs::NeighbourPlace out;
    best->surface.derivatives(foot.uv.x(), foot.uv.y(), 3, out.d);
    out.normal = best->reversed ? Vec3(-foot.normal) : foot.normal;
    out.distanceMm = foot.distanceMm;
    return out;
  }
};

Expected<std::shared_ptr<const RollingEdge::Skin>> RollingEdge::skinOn(const BodyPtr& body, const std::vector<int>& faces, double reachMm, const Context& cx) {
  const auto all = brep::faces(*body);
  Context close = cx; // faces that are no splines: as closely as contacts have to be tangent
  close.tolerances.fit.mm *= 0.1;
  auto skin = std::make_shared<Skin>();
  for (int f : faces) {
    const auto natural = body->natural.find(body->faceNames[size_t(f)]);
    LUMSK_TRY(spline, FaceSpline::of(all[size_t(f)], natural == body->natural.end() ? nullptr : &natural->second, close));
    const nurbs::Surface& s = *spline.surface();
    auto face = std::make_unique<Skin::Face>(Skin::Face{largerBy(s, reachMm, cx.tolerances, cx), s.firstU(), s.lastU(), s.firstV(), s.lastV(), spline.reversed(), nullptr, {}});
    for (int i = 0; i < face->surface.sizeU(); ++i)
      for (int j = 0; j < face->surface.sizeV(); ++j) face->box.extend(Vec3(face->surface.point(i, j)));
    face->feet = std::make_unique<nurbs::NearestOnSurface>(face->surface);
    skin->faces.push_back(std::move(face));
  }
  const auto apart = facesApart(*body, faces, false);
  if (!apart.empty()) {
    skin->body = apart.front();
    LUMSK_TRY(within, BodyFaces::of(*skin->body, -1, cx));
    skin->within = std::make_unique<BodyFaces>(std::move(within));
  }
  return std::shared_ptr<const Skin>(std::move(skin));
}

Expected<RollingEdge> RollingEdge::of(const BodyPtr& body, nurbs::Path path, double reachMm, const Context& cx, Skins* ready) {
  return guarded("looking beside an edge", [&]() -> Expected<RollingEdge> {
    RollingEdge out;
    out.body_ = body;
    out.path_ = std::make_shared<const nurbs::Path>(std::move(path));
    LUMSK_TRY(sides, edgeSides(body, *out.path_, cx));
    out.sides_ = sides;
    for (const size_t k : {0, 1}) {
      std::shared_ptr<const Skin>& skin = out.skins_[k];
      if (ready) skin = (*ready)[{sides[k], reachMm}];
      if (skin) continue;
      LUMSK_TRY(made, skinOn(body, sides[k], reachMm, cx));
      skin = std::move(made);
      if (ready) (*ready)[{sides[k], reachMm}] = skin;
    }
    return out;
  });
}

RollingEdge RollingEdge::along(const nurbs::RoundStretch& stretch) const {
  RollingEdge out = *this;
  out.path_ = std::make_shared<const nurbs::Path>(stretch.path);
  out.stretch_ = stretch;
  return out;
}

std::function<double(double)> RollingEdge::sizes(std::function<double(double)> ofRun) const { return stretch_ ? nurbs::sizesAlong(*stretch_, std::move(ofRun)) : ofRun; }

nurbs::RoundEdge RollingEdge::edge() const {
  nurbs::RoundEdge out;
  out.path = path_.get();
  for (const size_t k : {0, 1}) {
    out.sides[k] = [skin = skins_[k]](const Vec3& p) { return skin->at(p); };
    // Near open ends faces may end before the contact does: there they are cut by what the edge runs into.
    out.within[k] = [skin = skins_[k], path = path_](const Vec3& p) {
      const auto isOn = [&](const Vec3& q) {
        const auto on = skin->within ? skin->within->nearest(q) : std::nullopt;
        return on && on->distanceMm < kOnFaceMm;
      };
      if (isOn(p)) return true;
      constexpr double kBesideEdgeMm = 0.02;
      const auto foot = nurbs::closestPoint(*path, p);
      if (foot.distanceMm < kBesideEdgeMm) return true;
      // Places on the edges between two faces may belong to neither: what lies beside them does.
      constexpr double kBesideMm = 0.002;
      for (const Vec3& aside : {Vec3(Vec3::UnitX()), Vec3(Vec3::UnitY()), Vec3(Vec3::UnitZ())})
        for (const double way : {kBesideMm, -kBesideMm})
          if (isOn(p + way * aside)) return true;
      if (path->closed()) return false;
      const double away = foot.distanceMm, share = foot.t / path->last();
      constexpr double kNearEnd = 0.25;
      if (share > kNearEnd && share < 1 - kNearEnd) return false;
      return std::min((p - path->start()).norm(), (p - path->end()).norm()) < 1.6 * away;
    };
  }
  return out;
}

namespace {

/// The band cut off at the faces that an open edge runs into; its end edges, start first.
Expected<BodyPtr> endedBand(const BodyPtr& band, const CutBack& cut, const nurbs::Path& edge, const std::array<bool, 2>& fades, std::array<nurbs::Path, 2>& borders, const Context& cx) {
  BodyPtr left = band;
  const Vec3 middle = edge.at(0.5 * edge.last());
  for (const size_t e : {0, 1}) {
    if (fades[e]) continue;
    const Vec3 corner = e ? edge.end() : edge.start();
    const auto unmet = [&] { return problem("LM-O007", "the round finds no face to end in here").at(corner).tryThis("take less, an edge that runs all around, or round the edges that meet here together"); };
    if (cut.ends[e] < 0) return fail(unmet());
    Divider d;
    d.id = "end";
    d.body = skinOf({cut.others[size_t(cut.ends[e])]});
    auto division = Division::of({left}, {d}, {}, limited(cx));
    if (!division) return fail(division.error().code == "LM-C001" || division.error().code == "LM-C003" ? unmet() : division.error());
    const auto& pieces = (*division)->pieces();
    const auto stays = std::min_element(pieces.begin(), pieces.end(), [&](const Piece& a, const Piece& b) { return (a.at - middle).norm() < (b.at - middle).norm(); });
    std::vector<char> kept(pieces.size(), 0);
    kept[size_t(stays - pieces.begin())] = 1;
    if (pieces.size() < 2) return fail(unmet());
    LUMSK_TRY(made, (*division)->bodies(kept, false, false, cx));
    left = made.front().body;
    LUMSK_TRY(on, BodyFaces::of(*d.body, -1, cx));
    std::vector<TopoDS_Edge> there;
    for (const TopoDS_Edge& x : edges(*left)) {
      if (BRep_Tool::Degenerated(x)) continue;
      if (const auto path = toPath(x); path && on.farthest(*path, true) < kOnFaceMm) there.push_back(x);
    }
    const auto rings = chained(there, kOnFaceMm);
    if (rings.size() != 1) return fail(unmet());
    LUMSK_TRY(path, pathAlong(rings.front(), {kOnFaceMm}));
    borders[e] = std::move(path);
  }
  return left;
}

} // namespace

namespace {

/// What lies around bands that are to replace edges of a solid; what takes long is made ready once, where it is asked.
class Room {
public:
  Room(const BodyPtr& solid, const Context& cx) : solid_(solid), cx_(cx), faces_(brep::faces(*solid)) {}

  /// Numbers of the faces that come near a box.
  std::vector<int> near(const Bnd_Box& box) {
    if (boxes_.empty())
      for (const TopoDS_Face& f : faces_) BRepBndLib::Add(f, boxes_.emplace_back());
    std::vector<int> out;
    for (int f = 0; f < int(boxes_.size()); ++f)
      if (!box.IsVoid() && !box.IsOut(boxes_[size_t(f)])) out.push_back(f);
    return out;
  }
  /// Whether a face surely is farther away: its surface is, carried on beyond its borders.
  bool fartherThan(double mm, const Vec3& p, int face) {
    auto known = surfaces_.find(face);
    if (known == surfaces_.end()) {
      auto made = BodyFaces::of(*solid_, face, cx_);
      known = surfaces_.emplace(face, made ? std::make_unique<BodyFaces>(std::move(*made)) : nullptr).first;
    }
    const auto at = known->second ? known->second->beside(p) : std::nullopt;
    return at && at->distanceMm > mm;
  }
  /// By the kernel, which is slow.
  TopAbs_State at(const Vec3& p) {
    constexpr double kOnMm = 0.002;
    if (!kernel_) kernel_ = std::make_unique<BRepClass3d_SolidClassifier>(solid_->shape);
    kernel_->Perform(toPnt(p), kOnMm);
    return kernel_->State();
  }

private:
  const BodyPtr& solid_;
  const Context& cx_;
  std::vector<TopoDS_Face> faces_;
  std::vector<Bnd_Box> boxes_;
  std::map<int, std::unique_ptr<BodyFaces>> surfaces_;
  std::unique_ptr<BRepClass3d_SolidClassifier> kernel_;
};

/// A band along a convex edge lies within the solid, one along a concave edge outside: else another face is in its way.
Expected<void> findsRoom(Room& room, const EdgeSides& sides, const nurbs::RoundBand& band, const nurbs::Path& edge) {
  // Only faces that come near it between its ends can be.
  constexpr double kEnds = 0.1;
  Bnd_Box between;
  for (size_t i = 0; i < band.places.size(); ++i)
    if (const double share = double(i) / double(band.places.size() - 1); edge.closed() || (share > kEnds && share < 1 - kEnds))
      for (const Vec3& p : {band.places[i].contact[0], band.places[i].contact[1], band.places[i].edge}) between.Add(toPnt(p));
  std::vector<int> near = room.near(between);
  for (const auto& side : sides)
    near.erase(std::remove_if(near.begin(), near.end(), [&](int f) { return std::find(side.begin(), side.end(), f) != side.end(); }), near.end());
  if (near.empty()) return {};
  constexpr int kAlong = 12;
  const double length = nurbs::ArcLength(edge).total();
  for (const nurbs::Surface& s : band.surfaces)
    for (int i = 0; i < kAlong; ++i) {
      const Vec3 p = s.at(s.firstU() + (s.lastU() - s.firstU()) * (i + 0.5) / kAlong, 0.5);
      const auto foot = nurbs::closestPoint(edge, p); // beyond open ends it goes on, to be cut there
      if (!edge.closed() && std::min((p - edge.start()).norm(), (p - edge.end()).norm()) < 1.5 * foot.distanceMm + 1e-3 * length) continue;
      // No other face comes between where none is as near as the edge is.
      if (std::all_of(near.begin(), near.end(), [&](int f) { return room.fartherThan(foot.distanceMm, p, f); })) continue;
      if (room.at(p) == (band.convex ? TopAbs_OUT : TopAbs_IN))
        return fail(problem("LM-O009", "another face is in the way of the round").at(p).tryThis("take less, or round that face's edge first"));
    }
  return {};
}

/// A band's faces.
Expected<BodyPtr> stripOf(const nurbs::RoundBand& band, nurbs::RoundSection section, const std::string& name, const Context& cx) {
  const Meets smooth = section == nurbs::RoundSection::Flat ? Meets::Free : section == nurbs::RoundSection::Smooth ? Meets::G2 : Meets::G1;
  std::vector<NamedSurface> parts;
  for (size_t k = 0; k < band.surfaces.size(); ++k) {
    const std::string own = band.surfaces.size() == 1 ? name : name + "|" + std::to_string(k + 1);
    parts.push_back({std::make_shared<const nurbs::Surface>(band.surfaces[k]), own, band.convex, {"start", "end", "left", "right"}, {Meets::Free, Meets::Free, smooth, smooth}});
  }
  return skinFromSurfaces(parts, cx);
}

} // namespace

Expected<RoundedRings> roundedRings(const BodyPtr& body, const std::vector<RingRound>& rings, const Context& cx) {
  RoundedRings out;
  for (const RingRound& r : rings) {
    LUMSK_TRY(band, nurbs::roundBand(r.edge.edge(), r.options, cx));
    out.bands.push_back(std::move(band));
  }
  return guarded("rounding edges", [&]() -> Expected<RoundedRings> {
    std::vector<RingCut> cuts;
    Room room(body, cx);
    for (size_t i = 0; i < rings.size(); ++i) {
      // Two bands that each find room within the body, or outside, and whose contacts keep apart do not cross.
      if (body->solid()) LUMSK_CHECK(findsRoom(room, rings[i].edge.sides(), out.bands[i], rings[i].edge.path()));
      cuts.push_back({&rings[i].edge.path(), &rings[i].edge.sides(), &out.bands[i].contacts});
    }
    LUMSK_TRY(faces, cutBackRings(body, cuts, cx));
    for (size_t i = 0; i < rings.size(); ++i) {
      LUMSK_TRY(strip, stripOf(out.bands[i], rings[i].options.section, rings[i].name, cx));
      const auto between = namedFaces(*strip);
      faces.insert(faces.end(), between.begin(), between.end());
    }
    LUMSK_TRY(whole, knittedAgain(faces, body->solid(), cx));
    out.body = whole;
    return std::move(out);
  });
}

Expected<Rounded> rounded(const BodyPtr& body, const RollingEdge& rolling, const nurbs::RoundOptions& options, const std::string& name, const Context& cx) {
  const nurbs::Path& path = rolling.path();
  nurbs::RoundOptions o = options;
  o.beyond = kBeyond;
  o.fades = rolling.fades();
  o.size = rolling.sizes(options.size);
  LUMSK_TRY(band, nurbs::roundBand(rolling.edge(), o, cx));
  return guarded("rounding an edge", [&]() -> Expected<Rounded> {
    Room room(body, cx);
    if (body->solid()) LUMSK_CHECK(findsRoom(room, rolling.sides(), band, path));
    LUMSK_TRY(cut, cutBackAt(body, path, rolling.sides(), band.contacts, o.fades, cx));
    LUMSK_TRY(strip, stripOf(band, o.section, name, cx));
    std::array<nurbs::Path, 2> borders;
    BodyPtr between = strip;
    if (!path.closed()) {
      LUMSK_TRY(ended, endedBand(strip, cut, path, o.fades, borders, cx));
      between = ended;
    }
    LUMSK_TRY(whole, rejoined(cut, namedFaces(*between), borders, path.closed(), body->solid(), path, cx));
    return Rounded{whole, std::move(band)};
  });
}

} // namespace lumsk::brep

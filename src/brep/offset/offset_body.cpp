#include "brep/offset/offset_body.h"

#include "brep/assemble.h"
#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/offset/walls.h"
#include "brep/offset/zones.h"
#include "brep/skin.h"
#include "brep/unite.h"

#include <BRep_Builder.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Shell.hxx>
#include <TopoDS_Solid.hxx>

#include <algorithm>

namespace lumsk::brep {

using namespace offset;

namespace {

TopoDS_Shell shellOf(const std::vector<TopoDS_Face>& faces, bool closed) {
  BRep_Builder builder;
  TopoDS_Shell shell;
  builder.MakeShell(shell);
  for (const TopoDS_Face& f : faces) builder.Add(shell, f);
  shell.Closed(closed);
  return shell;
}

void noteRough(Thickened& out, const TopoDS_Shape& s) {
  if (const double t = largestTolerance(s); t > kNotedToleranceMm)
    out.notes.push_back(problem("LM-K101", "the faces of the wall meet roughly")
                            .measure(millimetres(t))
                            .want(millimetres(kNotedToleranceMm)));
}

/// Whether a layer is a valid skin: borders that cross make it none.
Expected<void> checkBorders(const TopoDS_Shape& s) {
  auto valid = checkValid(s);
  if (valid) return {};
  Problem crossed = problem("LM-T005", "borders run into one another at this distance").tryThis("take a smaller distance");
  crossed.where = valid.error().where;
  return fail(std::move(crossed));
}

/// A body of faces whose shape is final.
std::shared_ptr<Body> named(const TopoDS_Shape& shape, const std::vector<NamedFace>& faces) {
  auto body = std::make_shared<Body>();
  body->shape = shape;
  FaceHistory history;
  for (const NamedFace& f : faces) history.keep(f);
  history.finish(*body);
  return body;
}

/// One shell, or the outer one and what is hollow within it.
Expected<TopoDS_Shape> solidOf(const std::vector<TopoDS_Face>& outer, const std::vector<TopoDS_Face>& inner) {
  const TopoDS_Shell a = shellOf(outer, true);
  if (inner.empty()) return checkedSolid(a);
  TopoDS_Solid solid;
  BRep_Builder builder;
  builder.MakeSolid(solid);
  builder.Add(solid, a);
  builder.Add(solid, shellOf(inner, true));
  LUMSK_CHECK(checkValid(solid));
  return TopoDS_Shape(solid);
}

} // namespace

namespace {

double shareInFront(ThickenSide side) { return side == ThickenSide::Inward ? 0 : side == ThickenSide::Outward ? 1 : 0.5; }

/// The skin that gets a wall, divided where zones end, and the distances of both its sides.
struct Prepared {
  BodyPtr body;
  std::unique_ptr<LayerNet> net;
  std::vector<int> open;
  std::array<Distances, 2> sides; ///< front, back
  std::vector<ZonePlace> zones;
  BodyPtr before; ///< of one that zones have divided
};

Expected<Prepared> prepared(const Body& skin, const ThickenOptions& o, const Context& cx) {
  Prepared out;
  std::vector<double> mm;
  std::vector<std::shared_ptr<const Ramp>> ramps;
  if (o.zones.empty()) {
    out.body = std::make_shared<const Body>(skin);
    out.open = o.open;
    LUMSK_TRY(net, readLayers(skin, o.open, cx));
    out.net = std::move(net);
    mm.assign(out.net->net.sheets.size(), o.thicknessMm);
    ramps.resize(mm.size());
  } else {
    LUMSK_TRY(divided, zoned(skin, o, cx));
    out.body = divided.body, out.net = std::move(divided.net), out.open = divided.open, out.zones = divided.places, out.before = divided.before;
    mm = std::move(divided.mm), ramps = std::move(divided.ramps);
  }
  // Shares of the thickness, along the outside normals.
  const double front = shareInFront(o.side);
  for (int k = 0; k < 2; ++k) {
    const double share = front - k;
    for (size_t s = 0; s < mm.size(); ++s) {
      std::shared_ptr<Ramp> ramp;
      if (ramps[s] && share != 0) {
        ramp = std::make_shared<Ramp>(*ramps[s]);
        ramp->fromMm *= share, ramp->toMm *= share;
      }
      out.sides[size_t(k)].mm.push_back(share * mm[s]);
      out.sides[size_t(k)].ramps.push_back(std::move(ramp));
    }
  }
  return out;
}

/// The side in front; where it is the skin itself and zones end within it, as this was before they divided it.
Expected<WallSide> frontOf(const WallSkin& whole, const Prepared& p, const ThickenOptions& o, const Context& cx) {
  if (p.before && p.sides[0].none()) {
    LUMSK_TRY(undivided, undividedSide(*p.before, o.open, *p.net, cx));
    if (undivided) return std::move(*undivided);
  }
  return wallSide(whole, p.sides[0], o.rims == ThickenRims::Flat, cx);
}

/// What transitions are to meet, at the edges of their faces.
void askAt(Body& body, const LayerNet& n, const WallSide& side, const Distances& d) {
  TopTools_IndexedMapOfShape edges;
  TopExp::MapShapes(body.shape, TopAbs_EDGE, edges);
  for (size_t e = 0; e < n.edges.size(); ++e) {
    const auto& faces = n.edges[e].faces;
    if (n.edges[e].kind != EdgeKind::Inner || faces.size() != 2) continue;
    const int part = side.partOf[size_t(faces[0].sheet)];
    if (part != side.partOf[size_t(faces[1].sheet)]) continue; // a step
    const auto &a = d.ramps[size_t(faces[0].sheet)], &b = d.ramps[size_t(faces[1].sheet)];
    if ((!a && !b) || (a && a->kind == nurbs::Transition::Straight) || (b && b->kind == nurbs::Transition::Straight)) continue;
    const WallSide::Part& p = side.parts[size_t(part)];
    const int at = edges.FindIndex(p.layer.edges[size_t(p.edges[e])]);
    if (at > 0) body.asked[body.edgeNames[size_t(at) - 1]] = (a ? a : b)->kind == nurbs::Transition::Tangent ? Meets::G1 : Meets::G2;
  }
}

/// Faces in front that zones have divided are whole again, where the front is the skin itself.
BodyPtr frontWhole(const BodyPtr& b, const std::string& step, const Context& cx) {
  std::vector<int> front;
  for (int i = 0; i < int(b->faceNames.size()); ++i)
    if (b->faceNames[size_t(i)].rfind(step + ".front", 0) == 0) front.push_back(i);
  if (front.size() < 2) return b;
  const auto made = united(*b, front, true, cx);
  if (!made || !made->body->solid()) return b;
  auto out = std::make_shared<Body>(*made->body);
  for (const std::string& edge : out->edgeNames)
    if (const auto it = b->asked.find(edge); it != b->asked.end()) out->asked.insert(*it);
  return out;
}

} // namespace

Expected<Thickened> offsetBody(const Body& body, const OffsetBodyOptions& o, const Context& cx) {
  return guarded("offsetting", [&]() -> Expected<Thickened> {
    ThickenOptions asWall; // the wall's front is what is wanted
    asWall.thicknessMm = o.distanceMm, asWall.side = ThickenSide::Outward, asWall.step = o.step, asWall.zones = o.zones;
    for (int i = 0; !o.faces.empty() && i < int(body.faceNames.size()); ++i)
      if (std::find(o.faces.begin(), o.faces.end(), i) == o.faces.end()) asWall.open.push_back(i);
    LUMSK_TRY(p, prepared(body, asWall, cx));
    LUMSK_TRY(side, wallSide({p.body.get(), p.net.get(), p.open}, p.sides[0], false, cx));
    Thickened out;
    out.zones = p.zones;
    std::vector<NamedFace> all;
    std::vector<TopoDS_Face> faces;
    for (WallSide::Part& part : side.parts) {
      for (NamedFace& f : part.layer.faces) {
        f.name = faceName(o.step, "offset", f.name);
        all.push_back(f);
      }
      out.deviationMm = std::max(out.deviationMm, part.layer.deviationMm);
      out.tightestRadiusMm = std::min(out.tightestRadiusMm, part.layer.tightestMm);
    }
    for (NamedFace& f : facesBetween(*p.net, {&side}, o.step)) all.push_back(std::move(f));
    for (const NamedFace& f : all) faces.push_back(f.face);
    LUMSK_CHECK(checkBorders(shellOf(faces, false)));
    std::shared_ptr<Body> made;
    if (body.solid() && p.open.empty()) {
      LUMSK_TRY(solid, solidOf(faces, {}));
      made = named(solid, all);
    } else {
      made = std::make_shared<Body>(*skinOf(all));
    }
    askAt(*made, *p.net, side, p.sides[0]);
    out.body = std::move(made);
    noteRough(out, out.body->shape);
    return out;
  });
}

Expected<Thickened> thickenLayers(const Body& skin, const ThickenOptions& o, const Context& cx) {
  return guarded("thickening", [&]() -> Expected<Thickened> {
    LUMSK_TRY(p, prepared(skin, o, cx));
    if (p.net->parts.size() > 1) {
      Problem apart = problem("LM-T004", "the faces that get a wall do not hang together").measure(count(int(p.net->parts.size()))).tryThis("leave fewer faces open, or thicken the parts one by one");
      apart.where = p.net->parts;
      return fail(std::move(apart));
    }
    Thickened out;
    out.zones = p.zones;
    const bool flat = o.rims == ThickenRims::Flat;
    for (const Distances& d : p.sides)
      if (flat && !d.none()) {
        if (auto note = dropSlantedRims(*p.net, d.most())) out.notes.push_back(std::move(*note));
        if (auto note = dropSteppedRims(*p.net, stepsOf(*p.net, d))) out.notes.push_back(std::move(*note));
      }
    const WallSkin whole{p.body.get(), p.net.get(), p.open};
    LUMSK_TRY(front, frontOf(whole, p, o, cx));
    cx.report(0.5, "offsetting");
    LUMSK_TRY(back, wallSide(whole, p.sides[1], flat, cx));
    std::vector<NamedFace> all;
    std::vector<TopoDS_Face> outer, inner;
    for (const WallSide* side : {&front, &back})
      for (const WallSide::Part& part : side->parts) {
        for (NamedFace f : part.layer.faces) {
          if (side == &back) f.face.Reverse();
          f.name = faceName(o.step, side == &front ? "front" : "back", f.name);
          (side == &back && p.net->closed ? inner : outer).push_back(f.face);
          all.push_back(std::move(f));
        }
        out.deviationMm = std::max(out.deviationMm, part.layer.deviationMm);
        out.tightestRadiusMm = std::min(out.tightestRadiusMm, part.layer.tightestMm);
      }
    for (NamedFace& f : facesBetween(*p.net, {&front, &back}, o.step)) {
      (p.net->closed ? inner : outer).push_back(f.face);
      all.push_back(std::move(f));
    }
    LUMSK_TRY(solid, solidOf(outer, inner));
    auto body = named(solid, all);
    askAt(*body, *p.net, back, p.sides[1]);
    if (!p.sides[0].none()) askAt(*body, *p.net, front, p.sides[0]);
    out.body = std::move(body);
    if (!o.zones.empty() && o.side == ThickenSide::Inward) out.body = frontWhole(out.body, o.step, cx);
    noteRough(out, solid);
    return out;
  });
}

} // namespace lumsk::brep

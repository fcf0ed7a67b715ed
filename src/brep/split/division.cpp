#include "brep/split/division_state.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/skin.h"
#include "brep/split/cuts.h"
#include "brep/split/dividers.h"
#include "brep/split/parts.h"
#include "brep/split/paves.h"
#include "brep/split/read.h"

#include <BRepClass3d_SolidClassifier.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Shell.hxx>
#include <TopoDS_Solid.hxx>

#include <algorithm>

namespace lumsk::brep {

using namespace split;

namespace {

constexpr double kSecondsAtMost = 10;  ///< of finding cuts: a case that needs more has no definite answer
constexpr double kAreaAgrees = 1e-3;   ///< of a face: its parts' areas must sum up to its own
constexpr int kRounds = 2;             ///< of carrying cutters on

SideOf both(SideOf a, SideOf b) { return a == SideOf::None || a == b ? b : SideOf::Both; }

} // namespace

Expected<void> Division::State::run(const DivisionOptions& options, const Context& cx) {
  for (size_t i = 0; i < targets.size(); ++i) {
    LUMSK_TRY(sheets, read(net, *targets[i], int(i), -1, cx));
    solid.push_back(targets[i]->solid());
    for (int s : sheets) {
      box.low = box.low.cwiseMin(net.sheets[size_t(s)].box.low);
      box.high = box.high.cwiseMax(net.sheets[size_t(s)].box.high);
    }
    sheetsOf.push_back(std::move(sheets));
  }
  LUMSK_CHECK(cut(options, cx));
  pave(net);
  LUMSK_CHECK(carryOnLooseEnds());
  makeEdges(net);
  return divide(cx);
}

Expected<void> Division::State::cut(const DivisionOptions& options, const Context& cx) {
  // All faces are read before anything is cut.
  std::vector<ReadyDivider> all;
  for (size_t k = 0; k < dividers.size(); ++k) {
    LUMSK_TRY(r, ready(net, dividers[k], int(k), targets, sheetsOf, box, options.reachMm, cx));
    reach.push_back(r.sheets.reachMm);
    cutterSheets.push_back(r.sheets.sheets);
    all.push_back(std::move(r));
  }
  const bool anySolid = std::find(solid.begin(), solid.end(), char(1)) != solid.end();
  for (const ReadyDivider& r : all) {
    const Divider& d = dividers[size_t(r.sheets.number)];
    for (size_t t = 0; t < targets.size(); ++t) {
      if (r.target == int(t)) continue;
      if (d.path && !d.direction) {
        LUMSK_CHECK(imprint(net, sheetsOf[t], *d.path, r.sheets.number, r.sheets.reachMm, cx));
        continue;
      }
      // Of two targets that cut each other the curves are found once, on both.
      const bool mutual = r.target >= 0 && std::any_of(all.begin(), all.end(), [&](const ReadyDivider& o) {
                            return o.target == int(t);
                          });
      if (mutual && int(t) > r.target) continue;
      LUMSK_CHECK(findCuts(net, sheetsOf[t], r.sheets, mutual || anySolid, cx));
    }
  }
  // What closes solids is cut, too.
  for (size_t k = 0; anySolid && k < all.size(); ++k)
    for (size_t l = k + 1; l < all.size(); ++l)
      if (all[k].target < 0 && all[l].target < 0)
        LUMSK_CHECK(findCuts(net, all[k].sheets.sheets, all[l].sheets, true, cx));
  return {};
}

Expected<void> Division::State::carryOnLooseEnds() {
  for (int round = 0; round < kRounds; ++round) {
    bool any = false;
    for (const LooseEnd& e : looseEnds(net)) {
      Cut& c = net.cuts[size_t(e.cut)];
      const double most = reach[size_t(c.cutter)];
      if (c.other >= 0 || !(most > 0)) continue;
      LUMSK_TRY(longer, carryOn(net, c, e.atEnd, most));
      any = any || longer;
    }
    if (!any) break;
    pave(net);
  }
  return {};
}

Expected<void> Division::State::divide(const Context& cx) {
  std::vector<int> dangling;
  const auto all = [](int, int) { return true; };
  for (const auto& sheets : sheetsOf)
    for (int s : sheets) {
      LUMSK_TRY(made, partsOf(net, s, all, &dangling));
      double sum = 0;
      for (const FacePart& p : made) sum += p.areaMm2;
      LUMSK_TRY(whole, partsOf(net, s, [](int, int) { return false; }));
      double area = 0;
      for (const FacePart& p : whole) area += p.areaMm2;
      if (std::abs(sum - area) > kAreaAgrees * area)
        return fail(problem("LM-C011", "the cuts do not fit together on a face")
                        .at(made.front().at)
                        .tryThis("move one of the cutters a little"));
      for (FacePart& p : made) parts.push_back(std::move(p));
    }
  LUMSK_CHECK(findCaps(cx));
  gatherPieces();
  noteUseless(dangling);
  return lookForNothing();
}

int Division::State::dividerAt(const Cut& c, int sheet) const {
  if (c.other != sheet) return c.cutter;
  const int body = net.sheets[size_t(c.sheet)].body;
  if (body < 0) return -1 - body;
  for (size_t k = 0; k < dividers.size(); ++k)
    if (dividers[k].body == targets[size_t(body)]) return int(k);
  return -1;
}

/// Parts of the cutters' faces that lie in solids.
Expected<void> Division::State::findCaps(const Context& cx) {
  for (size_t t = 0; t < targets.size(); ++t) {
    if (!solid[t]) continue;
    BRepClass3d_SolidClassifier in(targets[t]->shape);
    const auto state = [&](const Vec3& p) {
      in.Perform(toPnt(p), kSnapMm);
      return in.State();
    };
    for (size_t k = 0; k < dividers.size(); ++k) {
      if (dividers[k].body == targets[t]) continue;
      for (int s : cutterSheets[k]) {
        if (cx.stopped()) return fail(cancelled());
        LUMSK_TRY(made, partsOf(net, s, [](int, int) { return true; }));
        for (FacePart& p : made) {
          if (state(p.at) != TopAbs_IN) continue;
          for (size_t i = 0; i < p.edges.size(); ++i) {
            const OldEdge& e = net.edges[size_t(p.edges[i])];
            double a, b;
            BRep_Tool::Range(p.oldStretches[i], a, b);
            if (e.pole || e.faces > 1) continue;
            if (const Vec3 m = toVec(e.curve->Value(0.5 * (a + b))); state(m) == TopAbs_IN)
              return fail(problem("LM-C003", "a cutter ends within the solid: it divides nothing")
                              .at(m)
                              .tryThis("make the cutter larger, so that it reaches through"));
          }
          caps.push_back({std::move(p), int(t)});
        }
      }
    }
  }
  return {};
}

/// A cut that runs along an inner edge where one of its stretches lies.
const Cut* Division::State::cutAlong(int edge, const TopoDS_Edge& stretch) const {
  const OldEdge& e = net.edges[size_t(edge)];
  if (e.faces < 2 || e.cuts.empty()) return nullptr;
  double a, b;
  BRep_Tool::Range(stretch, a, b);
  const Vec3 middle = toVec(e.curve->Value(0.5 * (a + b)));
  for (int k : e.cuts)
    if (net.cuts[size_t(k)].by >= 0 && nearestOn(net.cuts[size_t(k)].section.curve, middle).distanceMm < kSnapMm)
      return &net.cuts[size_t(k)];
  return nullptr;
}

/// The height over a cutter of a place of a part beside one of its edges.
double Division::State::heightBeside(const FacePart& p, const TopoDS_Edge& stretch, const Cut& c) const {
  constexpr double kInwards = 0.01; // of the way to a place well within
  const Sheet& s = net.sheets[size_t(p.sheet)];
  double a, b;
  BRep_Tool::Range(stretch, a, b);
  const Handle(Geom2d_Curve) image = BRep_Tool::CurveOnSurface(stretch, s.shape, a, b);
  const gp_Pnt2d m = image->Value(0.5 * (a + b));
  const Vec2 uv = s.spline.place({m.X(), m.Y()}), in = uv + kInwards * (p.inside - uv);
  return net.sheets[size_t(c.by)].foot(s.surface->at(in.x(), in.y())).heightMm *
         (net.sheets[size_t(c.by)].orientation == TopAbs_REVERSED ? -1 : 1);
}

/// Shells that are hollow belong to the piece that they lie in. Gives how many pieces there are then.
int Division::State::withHollows(int n) {
  std::vector<double> volume(size_t(n), 0.0);
  std::vector<int> target(size_t(n), -1);
  std::vector<Vec3> at(size_t(n), Vec3::Zero());
  const auto each = [&](int piece, const auto& take) {
    for (const FacePart& p : parts)
      if (p.piece == piece) take(p.face);
    for (const Cap& c : caps) {
      if (c.front == piece) take(TopoDS::Face(c.part.face.Reversed()));
      if (c.back == piece) take(c.part.face);
    }
  };
  const auto add = [&](int piece, int of, const Vec3& place) { target[size_t(piece)] = of, at[size_t(piece)] = place; };
  for (const FacePart& p : parts) add(p.piece, net.sheets[size_t(p.sheet)].body, p.at);
  for (const Cap& c : caps) add(c.front, c.target, c.part.at), add(c.back, c.target, c.part.at);
  std::vector<int> host(size_t(n), -1);
  for (int k = 0; k < n; ++k) {
    if (!solid[size_t(target[size_t(k)])]) continue;
    each(k, [&](const TopoDS_Face& f) { volume[size_t(k)] += massOf(f, 0.5 * (box.low + box.high)).volumeMm3; });
  }
  for (int k = 0; k < n; ++k)
    for (int o = 0; volume[size_t(k)] < 0 && o < n && host[size_t(k)] < 0; ++o) {
      if (!(volume[size_t(o)] > 0) || target[size_t(o)] != target[size_t(k)]) continue;
      TopoDS_Shell shell;
      TopoDS_Solid around;
      BRep_Builder builder;
      builder.MakeShell(shell);
      each(o, [&](const TopoDS_Face& f) { builder.Add(shell, f); });
      builder.MakeSolid(around);
      builder.Add(around, shell);
      BRepClass3d_SolidClassifier in(around, toPnt(at[size_t(k)]), kSnapMm);
      if (in.State() == TopAbs_IN) host[size_t(k)] = o;
    }
  std::vector<int> number(size_t(n), -1);
  int count = 0;
  for (int k = 0; k < n; ++k)
    if (host[size_t(k)] < 0) number[size_t(k)] = count++;
  const auto renumber = [&](int& piece) { piece = number[size_t(host[size_t(piece)] < 0 ? piece : host[size_t(piece)])]; };
  for (FacePart& p : parts) renumber(p.piece);
  for (Cap& c : caps) renumber(c.front), renumber(c.back);
  return count;
}

void Division::State::gatherPieces() {
  std::vector<std::map<std::string, SideOf>> atEdges(parts.size());
  const auto separates = [&](size_t i, size_t k) {
    const TopoDS_Edge& e = parts[i].oldStretches[k];
    const Cut* c = cutAlong(parts[i].edges[k], e);
    if (!c) return false;
    SideOf& of = atEdges[i].try_emplace(dividers[size_t(c->cutter)].id, SideOf::None).first->second;
    of = both(of, heightBeside(parts[i], e, *c) > 0 ? SideOf::Front : SideOf::Back);
    return true;
  };
  pieces.resize(size_t(withHollows(numberPieces(net, parts, caps, separates, solid))));
  std::vector<double> largest(pieces.size(), 0.0);
  const auto bound = [&](Piece& piece, int divider, SideOf side) {
    if (divider < 0) return;
    SideOf& of = piece.sides.try_emplace(dividers[size_t(divider)].id, SideOf::None).first->second;
    of = both(of, side);
  };
  for (size_t i = 0; i < parts.size(); ++i) {
    const int number = parts[i].piece;
    const FacePart& p = parts[i];
    const Sheet& s = net.sheets[size_t(p.sheet)];
    Piece& piece = pieces[size_t(number)];
    piece.target = s.body;
    piece.faces.push_back(targets[size_t(s.body)]->faceNames[size_t(s.face)]);
    piece.areaMm2 += p.areaMm2;
    if (p.areaMm2 > largest[size_t(number)]) {
      largest[size_t(number)] = p.areaMm2;
      piece.at = p.at;
      piece.normal = s.outside(s.surface->normal(p.inside.x(), p.inside.y()));
    }
    for (const CutSide& side : p.sides) {
      const Cut& c = net.cuts[size_t(side.cut)];
      bound(piece, dividerAt(c, p.sheet), side.left == c.frontLeft[c.other == p.sheet] ? SideOf::Front : SideOf::Back);
    }
    for (const auto& [id, side] : atEdges[i]) {
      SideOf& of = piece.sides.try_emplace(id, SideOf::None).first->second;
      of = both(of, side);
    }
  }
  // Of solids what counts is the volume; a tool wholly within divides without a cut.
  for (const Cap& c : caps)
    for (bool front : {true, false}) {
      Piece& piece = pieces[size_t(front ? c.front : c.back)];
      piece.target = c.target;
      for (size_t k = 0; k < dividers.size(); ++k)
        if (std::find(cutterSheets[k].begin(), cutterSheets[k].end(), c.part.sheet) != cutterSheets[k].end())
          bound(piece, int(k), front ? SideOf::Front : SideOf::Back);
      if (piece.faces.empty()) piece.at = c.part.at;
    }
}

/// Dividers that divide nothing, how far others were carried on, and contact.
void Division::State::noteUseless(const std::vector<int>& dangling) {
  for (size_t k = 0; k < dividers.size(); ++k) {
    const std::string& id = dividers[k].id;
    const bool divides =
        std::any_of(pieces.begin(), pieces.end(), [&](const Piece& p) { return p.sides.count(id) > 0; });
    CarriedOn most{id, 0, Vec3::Zero()};
    const Cut* touching = nullptr;
    const Cut* loose = nullptr;
    for (size_t i = 0; i < net.cuts.size(); ++i) {
      const Cut& c = net.cuts[i];
      if (c.cutter != int(k) || c.dropped) continue;
      const bool useless = std::find(dangling.begin(), dangling.end(), int(i)) != dangling.end();
      if (useless) loose = &c;
      if (!useless && c.extendedMm > most.mm) most.mm = c.extendedMm, most.at = c.extendedFrom;
      if (!useless && c.contact) touching = &c;
    }
    if (divides && most.mm > kSnapMm) carried.push_back(most);
    if (touching)
      notes.push_back(problem("LM-C104", "a cutter touches along a line without crossing: the face is divided there")
                          .at(touching->section.curve.at(0.5)));
    if (divides || !loose) continue;
    double gap = 1e300;
    Vec3 at = loose->section.curve.at(0.5);
    for (bool atEnd : {false, true})
      if (const auto mm = toBorder(*loose, atEnd); mm && *mm < gap && *mm > 0)
        gap = *mm, at = loose->section.curve.at(atEnd ? 1 : 0);
    Problem p = problem("LM-C103", "a cutter stops short inside a face: it divides nothing")
                    .at(at)
                    .tryThis("make the cutter longer");
    if (gap < 1e300) p.measure(millimetres(gap + loose->extendedMm)).want(millimetres(reach[k]));
    p.item = id;
    notes.push_back(std::move(p));
  }
}

Expected<void> Division::State::lookForNothing() const {
  const bool cutSomething =
      std::any_of(pieces.begin(), pieces.end(), [](const Piece& p) { return !p.sides.empty(); });
  if (cutSomething) return {};
  for (const Problem& n : notes)
    if (n.code == "LM-C103") {
      Problem p = n;
      p.code = "LM-C003";
      return fail(std::move(p));
    }
  if (!net.cuts.empty())
    return fail(problem("LM-C001", "the cutter runs along the border of the body: there is nothing on its other side")
                    .at(net.cuts.front().section.curve.at(0.5))
                    .tryThis("move the cutter into the body"));
  if (!net.touches.empty())
    return fail(problem("LM-C001", "the cutter touches the body and does not cross it")
                    .at(net.touches.front())
                    .tryThis("move the cutter into the body"));
  // How far away the cutters are: from places of the targets to their feet.
  double nearest = 1e300;
  Vec3 at = parts.empty() ? Vec3(Vec3::Zero()) : parts.front().at;
  for (const auto& sheets : sheetsOf)
    for (int a : sheets)
      for (const Sheet& b : net.sheets) {
        if (b.body >= 0) continue;
        constexpr int kPlaces = 8;
        const nurbs::Surface& s = *net.sheets[size_t(a)].surface;
        for (int i = 0; i <= kPlaces; ++i)
          for (int j = 0; j <= kPlaces; ++j) {
            const Vec2 uv(s.firstU() + (s.lastU() - s.firstU()) * i / kPlaces,
                          s.firstV() + (s.lastV() - s.firstV()) * j / kPlaces);
            if (!net.sheets[size_t(a)].spline.inside(uv)) continue;
            const Vec3 p = s.at(uv.x(), uv.y());
            if (const double d = (p - b.foot(p).point).norm(); d < nearest) nearest = d, at = p;
          }
      }
  Problem p = problem("LM-C001", dividers.size() == 1 ? "the cutter does not meet the body"
                                                      : "none of the cutters meets the bodies")
                  .at(at)
                  .tryThis("move or extend the cutter so that it goes through");
  if (nearest < 1e300) p.measure(millimetres(nearest));
  return fail(std::move(p));
}

Division::Division() : s_(std::make_unique<State>()) {}
Division::~Division() = default;

Expected<std::unique_ptr<Division>> Division::of(const std::vector<BodyPtr>& targets,
                                                 const std::vector<Divider>& dividers, const DivisionOptions& options,
                                                 const Context& given) {
  return guarded("dividing a body", [&]() -> Expected<std::unique_ptr<Division>> {
    std::unique_ptr<Division> out(new Division);
    out->s_->targets = targets;
    out->s_->dividers = dividers;
    out->s_->step = options.step;
    Context cx = given;
    const auto until =
        std::chrono::steady_clock::now() + std::chrono::milliseconds(int(1000 * kSecondsAtMost));
    if (!cx.until || *cx.until > until) cx.until = until;
    if (auto done = out->s_->run(options, cx); !done) {
      if (isCancelled(done.error()) && !given.stopped())
        return fail(problem("LM-C013", "the cuts are not found within ten seconds: the faces nearly lie on one another")
                        .at(0.5 * (out->s_->box.low + out->s_->box.high))
                        .tryThis("move the cutter, or make it cross more steeply"));
      return fail(done.error());
    }
    return out;
  });
}

const std::vector<Piece>& Division::pieces() const { return s_->pieces; }
const std::vector<CarriedOn>& Division::carriedOn() const { return s_->carried; }
const std::vector<Problem>& Division::notes() const { return s_->notes; }

} // namespace lumsk::brep

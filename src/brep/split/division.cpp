#include "brep/split/division.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/history.h"
#include "brep/skin.h"
#include "brep/split/cuts.h"
#include "brep/split/dividers.h"
#include "brep/split/parts.h"
#include "brep/split/paves.h"
#include "brep/split/read.h"

#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <NCollection_DataMap.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_ShapeMapHasher.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Shell.hxx>

#include <algorithm>
#include <numeric>

namespace lumsk::brep {

using namespace split;

namespace {

constexpr double kSecondsAtMost = 10;  ///< of finding cuts: a case that needs more has no definite answer
constexpr double kAreaAgrees = 1e-3;   ///< of a face: its parts' areas must sum up to its own
constexpr int kRounds = 2;             ///< of carrying cutters on

/// Sets that grow together.
class Groups {
public:
  explicit Groups(size_t n) : up_(n) { std::iota(up_.begin(), up_.end(), 0); }
  int of(int i) {
    while (up_[size_t(i)] != i) i = up_[size_t(i)] = up_[size_t(up_[size_t(i)])];
    return i;
  }
  void join(int a, int b) { up_[size_t(of(a))] = of(b); }

private:
  std::vector<int> up_;
};

SideOf both(SideOf a, SideOf b) { return a == SideOf::None || a == b ? b : SideOf::Both; }

} // namespace

struct Division::State {
  std::vector<BodyPtr> targets;
  std::vector<Divider> dividers;
  split::Net net;
  std::vector<std::vector<int>> sheetsOf; ///< by target
  std::vector<FacePart> parts;
  std::vector<Piece> pieces;
  std::vector<CarriedOn> carried;
  std::vector<Problem> notes;
  std::vector<double> reach; ///< of the dividers
  nurbs::Extent box;

  Expected<void> run(const DivisionOptions& options, const Context& cx);
  Expected<void> cut(const DivisionOptions& options, const Context& cx);
  Expected<void> carryOnLooseEnds();
  Expected<void> divide();
  int dividerAt(const Cut& c, int sheet) const;
  const Cut* cutAlong(int edge, const TopoDS_Edge& stretch) const;
  double heightBeside(const FacePart& p, const TopoDS_Edge& stretch, const Cut& c) const;
  void gatherPieces();
  void noteUseless(const std::vector<int>& dangling);
  Expected<void> lookForNothing() const;
  Expected<std::vector<FacePart>> keptParts(const std::vector<char>& kept, bool keepCuts) const;
  Expected<BodyPtr> assembled(int target, const std::vector<const FacePart*>& parts) const;
};

Expected<void> Division::State::run(const DivisionOptions& options, const Context& cx) {
  for (size_t i = 0; i < targets.size(); ++i) {
    LUMSK_TRY(sheets, read(net, *targets[i], int(i), -1, cx));
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
  return divide();
}

Expected<void> Division::State::cut(const DivisionOptions& options, const Context& cx) {
  // All faces are read before anything is cut.
  std::vector<ReadyDivider> all;
  for (size_t k = 0; k < dividers.size(); ++k) {
    LUMSK_TRY(r, ready(net, dividers[k], int(k), targets, sheetsOf, box, options.reachMm, cx));
    reach.push_back(r.sheets.reachMm);
    all.push_back(std::move(r));
  }
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
      LUMSK_CHECK(findCuts(net, sheetsOf[t], r.sheets, mutual, cx));
    }
  }
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

Expected<void> Division::State::divide() {
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
  gatherPieces();
  noteUseless(dangling);
  return lookForNothing();
}

/// The divider that cuts a sheet along a cut; of two targets that cut each other it is the other one.
int Division::State::dividerAt(const Cut& c, int sheet) const {
  if (c.other != sheet) return c.cutter;
  const int target = net.sheets[size_t(c.sheet)].body;
  for (size_t k = 0; k < dividers.size(); ++k)
    if (target >= 0 && dividers[k].body == targets[size_t(target)]) return int(k);
  return -1;
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

void Division::State::gatherPieces() {
  Groups groups(parts.size());
  std::vector<std::map<std::string, SideOf>> atEdges(parts.size());
  NCollection_DataMap<TopoDS_Shape, int, TopTools_ShapeMapHasher> seen;
  for (size_t i = 0; i < parts.size(); ++i)
    for (size_t j = 0; j < parts[i].oldStretches.size(); ++j) {
      const TopoDS_Edge& e = parts[i].oldStretches[j];
      if (BRep_Tool::Degenerated(e)) continue;
      if (const Cut* c = cutAlong(parts[i].edges[j], e)) {
        const double height = heightBeside(parts[i], e, *c);
        SideOf& of = atEdges[i].try_emplace(dividers[size_t(c->cutter)].id, SideOf::None).first->second;
        of = both(of, height > 0 ? SideOf::Front : SideOf::Back);
        continue;
      }
      if (seen.IsBound(e))
        groups.join(int(i), seen(e));
      else
        seen.Bind(e, int(i));
    }
  std::map<int, int> numbers;
  std::vector<double> largest;
  for (size_t i = 0; i < parts.size(); ++i) {
    const auto [it, fresh] = numbers.try_emplace(groups.of(int(i)), int(pieces.size()));
    if (fresh) pieces.emplace_back(), largest.push_back(0);
    const int number = parts[i].piece = it->second;
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
      const int k = dividerAt(c, p.sheet);
      if (k < 0) continue;
      SideOf& of = piece.sides.try_emplace(dividers[size_t(k)].id, SideOf::None).first->second;
      of = both(of, side.left == c.frontLeft[c.other == p.sheet] ? SideOf::Front : SideOf::Back);
    }
    for (const auto& [id, side] : atEdges[i]) {
      SideOf& of = piece.sides.try_emplace(id, SideOf::None).first->second;
      of = both(of, side);
    }
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
      if (!useless && c.extendedMm > most.mm) most.mm = c.extendedMm, most.at = c.section.curve.at(1);
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

/// The parts that are kept, with cuts between kept pieces taken away.
Expected<std::vector<FacePart>> Division::State::keptParts(const std::vector<char>& kept, bool keepCuts) const {
  struct Sides {
    int left = -1, right = -1;
  };
  std::map<std::array<int, 3>, Sides> at; // by sheet, cut and stretch
  for (size_t i = 0; i < parts.size(); ++i)
    for (const CutSide& c : parts[i].sides) {
      Sides& s = at[{parts[i].sheet, c.cut, c.stretch}];
      (c.left ? s.left : s.right) = parts[i].piece;
    }
  const auto isKept = [&](int piece) { return piece >= 0 && kept[size_t(piece)]; };
  std::vector<FacePart> out;
  for (const auto& sheets : sheetsOf)
    for (int sheet : sheets) {
      bool same = true;
      const std::function<bool(int, int)> counts = [&](int cut, int stretch) {
        const auto s = at.find({sheet, cut, stretch});
        return s != at.end() && (keepCuts || isKept(s->second.left) != isKept(s->second.right));
      };
      for (const auto& [key, sides] : at)
        if (key[0] == sheet && !counts(key[1], key[2]) && isKept(sides.left)) same = false;
      if (same) {
        for (size_t i = 0; i < parts.size(); ++i)
          if (parts[i].sheet == sheet && isKept(parts[i].piece)) out.push_back(parts[i]);
        continue;
      }
      LUMSK_TRY(made, partsOf(net, sheet, counts));
      for (FacePart& p : made) {
        if (p.sides.empty()) {
          for (size_t i = 0; i < parts.size() && p.piece < 0; ++i)
            if (parts[i].sheet == sheet && isKept(parts[i].piece)) p.piece = parts[i].piece;
        } else {
          const CutSide& c = p.sides.front();
          const Sides& s = at.at({sheet, c.cut, c.stretch});
          p.piece = c.left ? s.left : s.right;
        }
        if (isKept(p.piece)) out.push_back(std::move(p));
      }
    }
  return out;
}

Expected<BodyPtr> Division::State::assembled(int target, const std::vector<const FacePart*>& kept) const {
  const Body& from = *targets[size_t(target)];
  TopoDS_Shell shell;
  BRep_Builder builder;
  builder.MakeShell(shell);
  FaceHistory history;
  NCollection_DataMap<TopoDS_Shape, int, TopTools_ShapeMapHasher> old;
  for (const FacePart* p : kept) {
    builder.Add(shell, p->face);
    const Sheet& s = net.sheets[size_t(p->sheet)];
    const std::string& name = from.faceNames[size_t(s.face)];
    const auto natural = from.natural.find(name);
    const bool untrimmed = natural != from.natural.end() && p->sides.empty();
    history.keep({p->face, name, untrimmed ? std::optional<NaturalFace>(natural->second) : std::nullopt});
    for (size_t i = 0; i < p->edges.size(); ++i) {
      old.Bind(p->oldStretches[i], p->edges[i]);
      const std::string& label = net.edges[size_t(p->edges[i])].label;
      if (!untrimmed && !label.empty()) history.label(p->oldStretches[i], label);
    }
    for (const CutSide& c : p->sides) {
      const Cut& cut = net.cuts[size_t(c.cut)];
      if (const int k = dividerAt(cut, p->sheet); k >= 0)
        history.label(cut.stretches[size_t(c.stretch)].edge, "cut:" + dividers[size_t(k)].id);
    }
  }
  LUMSK_CHECK(checkValid(shell));
  auto body = std::make_shared<Body>();
  body->shape = shell;
  history.finish(*body);
  const auto all = edges(*body);
  for (size_t i = 0; i < all.size(); ++i)
    if (old.IsBound(all[i]) && net.edges[size_t(old(all[i]))].asked != Meets::Free)
      body->asked[body->edgeNames[i]] = net.edges[size_t(old(all[i]))].asked;
  return body;
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

Expected<std::vector<Divided>> Division::bodies(const std::vector<char>& kept, bool keepCuts, bool apart,
                                                const Context& cx) const {
  return guarded("assembling pieces", [&]() -> Expected<std::vector<Divided>> {
    if (std::find(kept.begin(), kept.end(), char(1)) == kept.end())
      return fail(problem("LM-C004", "nothing would be left")
                      .at(s_->pieces.empty() ? Vec3(Vec3::Zero()) : s_->pieces.front().at)
                      .tryThis("keep at least one of the pieces"));
    LUMSK_TRY(parts, s_->keptParts(kept, keepCuts || apart));
    Groups groups(parts.size());
    NCollection_DataMap<TopoDS_Shape, int, TopTools_ShapeMapHasher> seen;
    for (size_t i = 0; i < parts.size(); ++i) {
      const int target = s_->net.sheets[size_t(parts[i].sheet)].body;
      const auto join = [&](const TopoDS_Edge& e) {
        if (BRep_Tool::Degenerated(e)) return;
        if (!seen.IsBound(e))
          seen.Bind(e, int(i));
        else if (const FacePart& o = parts[size_t(seen(e))];
                 apart ? o.piece == parts[i].piece : s_->net.sheets[size_t(o.sheet)].body == target)
          groups.join(int(i), seen(e));
      };
      for (const TopoDS_Edge& e : parts[i].oldStretches) join(e);
      if (!apart)
        for (const CutSide& c : parts[i].sides)
          join(s_->net.cuts[size_t(c.cut)].stretches[size_t(c.stretch)].edge);
    }
    std::map<int, std::vector<const FacePart*>> together;
    for (size_t i = 0; i < parts.size(); ++i) together[groups.of(int(i))].push_back(&parts[i]);
    struct Made {
      double area;
      Divided body;
    };
    std::vector<Made> made;
    for (const auto& [root, members] : together) {
      if (cx.stopped()) return fail(cancelled());
      const int target = s_->net.sheets[size_t(members.front()->sheet)].body;
      LUMSK_TRY(body, s_->assembled(target, members));
      double area = 0;
      for (const FacePart* p : members) area += p->areaMm2;
      made.push_back({area, {target, body}});
    }
    std::stable_sort(made.begin(), made.end(), [](const Made& a, const Made& b) {
      return a.body.target != b.body.target ? a.body.target < b.body.target : a.area > b.area;
    });
    std::vector<Divided> out;
    for (Made& m : made) out.push_back(std::move(m.body));
    return out;
  });
}

Expected<BodyPtr> Division::body(int piece, const Context&) const {
  return guarded("assembling a piece", [&]() -> Expected<BodyPtr> {
    std::vector<const FacePart*> members;
    for (size_t i = 0; i < s_->parts.size(); ++i)
      if (s_->parts[i].piece == piece) members.push_back(&s_->parts[i]);
    return s_->assembled(s_->pieces[size_t(piece)].target, members);
  });
}

} // namespace lumsk::brep

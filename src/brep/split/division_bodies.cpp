#include "brep/guard.h"
#include "brep/history.h"
#include "brep/rings.h"
#include "brep/skin.h"
#include "brep/split/division_state.h"

#include <BRepBuilderAPI_MakeVertex.hxx>
#include <BRepClass3d_SolidClassifier.hxx>
#include <BRepExtrema_DistShapeShape.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <NCollection_DataMap.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_ShapeMapHasher.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Shell.hxx>
#include <TopoDS_Solid.hxx>

#include <algorithm>

namespace lumsk::brep {

using namespace split;

namespace {

template <class T> using ByShape = NCollection_DataMap<TopoDS_Shape, T, TopTools_ShapeMapHasher>;

/// Faces that hang together by their edges, a shell each.
std::vector<TopoDS_Shell> shellsOf(const std::vector<TopoDS_Face>& all) {
  Groups groups(all.size());
  ByShape<int> seen;
  for (size_t i = 0; i < all.size(); ++i)
    for (TopExp_Explorer e(all[i], TopAbs_EDGE); e.More(); e.Next()) {
      if (BRep_Tool::Degenerated(TopoDS::Edge(e.Current()))) continue;
      if (seen.IsBound(e.Current()))
        groups.join(int(i), seen(e.Current()));
      else
        seen.Bind(e.Current(), int(i));
    }
  std::map<int, TopoDS_Shell> shells;
  BRep_Builder builder;
  for (size_t i = 0; i < all.size(); ++i) {
    const auto [it, fresh] = shells.try_emplace(groups.of(int(i)));
    if (fresh) builder.MakeShell(it->second);
    builder.Add(it->second, all[i]);
  }
  std::vector<TopoDS_Shell> out;
  for (auto& [root, shell] : shells) out.push_back(shell);
  return out;
}

/// One solid of its outer shell and what is hollow in it.
Expected<TopoDS_Shape> solidOf(std::vector<TopoDS_Shell> shells) {
  for (TopoDS_Shell& s : shells) {
    if (!openEdges(s).empty())
      return fail(problem("LM-C011", "a piece of a solid does not close")
                      .at(pointsAlong({openEdges(s), false}, 1).row(0).transpose())
                      .tryThis("move one of the cutters a little"));
    s.Closed(true);
  }
  std::sort(shells.begin(), shells.end(), [](const TopoDS_Shell& a, const TopoDS_Shell& b) {
    return massOf(a).volumeMm3 > massOf(b).volumeMm3;
  });
  if (!(massOf(shells.front()).volumeMm3 > 0) || (shells.size() > 1 && massOf(shells[1]).volumeMm3 > 0))
    return fail(problem("LM-C011", "pieces of a solid lie in one another")
                    .at(boxCorners(shells.front())[0])
                    .tryThis("move one of the cutters a little"));
  if (shells.size() == 1) return checkedSolid(shells.front());
  TopoDS_Solid solid;
  BRep_Builder builder;
  builder.MakeSolid(solid);
  for (const TopoDS_Shell& s : shells) builder.Add(solid, s);
  LUMSK_CHECK(checkValid(solid));
  return TopoDS_Shape(solid);
}

} // namespace

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

Expected<BodyPtr> Division::State::assembled(const Chosen& c) const {
  const Body& from = *targets[size_t(c.target)];
  FaceHistory history;
  ByShape<int> old;
  std::vector<TopoDS_Face> all;
  const auto take = [&](const FacePart& p, const TopoDS_Face& face, const std::string& name, const NaturalFace* natural) {
    all.push_back(face);
    const bool untrimmed = natural && p.sides.empty();
    history.keep({face, name, untrimmed ? std::optional<NaturalFace>(*natural) : std::nullopt});
    for (size_t i = 0; i < p.edges.size(); ++i) {
      old.Bind(p.oldStretches[i], p.edges[i]);
      const std::string& label = net.edges[size_t(p.edges[i])].label;
      if (!untrimmed && !label.empty()) history.label(p.oldStretches[i], label);
    }
    for (const CutSide& side : p.sides) {
      const Cut& cut = net.cuts[size_t(side.cut)];
      if (const int k = dividerAt(cut, p.sheet); k >= 0)
        history.label(cut.stretches[size_t(side.stretch)].edge, "cut:" + dividers[size_t(k)].id);
    }
  };
  for (const FacePart* p : c.parts) {
    const std::string& name = from.faceNames[size_t(net.sheets[size_t(p->sheet)].face)];
    const auto natural = from.natural.find(name);
    take(*p, p->face, name, natural == from.natural.end() ? nullptr : &natural->second);
  }
  for (const auto& [cap, inFront] : c.caps) {
    const Sheet& s = net.sheets[size_t(cap->part.sheet)];
    size_t k = 0;
    while (k + 1 < dividers.size() &&
           std::find(cutterSheets[k].begin(), cutterSheets[k].end(), cap->part.sheet) == cutterSheets[k].end())
      ++k;
    const Divider& d = dividers[k];
    std::string source = dividers.size() == 1 && d.plane ? "" : d.id;
    const NaturalFace* natural = nullptr;
    if (d.body) {
      const std::string& name = d.body->faceNames[size_t(s.face)];
      source += ":" + name;
      if (const auto it = d.body->natural.find(name); it != d.body->natural.end()) natural = &it->second;
    }
    // A cutter's outside is its front: what lies there has the face from behind.
    take(cap->part, inFront ? TopoDS::Face(cap->part.face.Reversed()) : cap->part.face, faceName(step, "cut", source),
         natural);
  }
  auto body = std::make_shared<Body>();
  if (solid[size_t(c.target)]) {
    LUMSK_TRY(shape, solidOf(shellsOf(all)));
    body->shape = shape;
  } else {
    TopoDS_Shell shell;
    BRep_Builder builder;
    builder.MakeShell(shell);
    for (const TopoDS_Face& f : all) builder.Add(shell, f);
    LUMSK_CHECK(checkValid(shell));
    body->shape = shell;
  }
  history.finish(*body);
  const auto edgesNow = edges(*body);
  for (size_t i = 0; i < edgesNow.size(); ++i)
    if (old.IsBound(edgesNow[i]) && net.edges[size_t(old(edgesNow[i]))].asked != Meets::Free)
      body->asked[body->edgeNames[i]] = net.edges[size_t(old(edgesNow[i]))].asked;
  return body;
}

Expected<std::vector<Divided>> Division::bodies(const std::vector<char>& kept, bool keepCuts, bool apart,
                                                const Context& cx) const {
  return guarded("assembling pieces", [&]() -> Expected<std::vector<Divided>> {
    if (std::find(kept.begin(), kept.end(), char(1)) == kept.end())
      return fail(problem("LM-C004", "nothing would be left")
                      .at(s_->pieces.empty() ? Vec3(Vec3::Zero()) : s_->pieces.front().at)
                      .tryThis("keep at least one of the pieces"));
    LUMSK_TRY(parts, s_->keptParts(kept, keepCuts || apart));
    // Pieces that stay together, by what they share.
    Groups groups(s_->pieces.size());
    ByShape<int> seen;
    const auto meet = [&](const TopoDS_Edge& e, int piece) {
      if (BRep_Tool::Degenerated(e)) return;
      if (!seen.IsBound(e))
        seen.Bind(e, piece);
      else if (s_->pieces[size_t(seen(e))].target == s_->pieces[size_t(piece)].target)
        groups.join(piece, seen(e));
    };
    for (const FacePart& p : parts) {
      if (apart || s_->solid[size_t(s_->pieces[size_t(p.piece)].target)]) continue;
      for (const TopoDS_Edge& e : p.oldStretches) meet(e, p.piece);
      for (const CutSide& c : p.sides) meet(s_->net.cuts[size_t(c.cut)].stretches[size_t(c.stretch)].edge, p.piece);
    }
    for (const Cap& c : s_->caps)
      if (!apart && kept[size_t(c.front)] && kept[size_t(c.back)]) groups.join(c.front, c.back);
    std::map<int, State::Chosen> together;
    const auto chosen = [&](int piece) -> State::Chosen& {
      State::Chosen& c = together[groups.of(piece)];
      c.target = s_->pieces[size_t(piece)].target;
      return c;
    };
    for (const FacePart& p : parts) chosen(p.piece).parts.push_back(&p);
    for (const Cap& c : s_->caps)
      for (bool front : {true, false}) {
        const int mine = front ? c.front : c.back, other = front ? c.back : c.front;
        if (kept[size_t(mine)] && (apart ? mine != other : !kept[size_t(other)])) chosen(mine).caps.emplace_back(&c, front);
      }
    struct Made {
      double size;
      Divided body;
    };
    std::vector<Made> made;
    for (const auto& [root, c] : together) {
      if (cx.stopped()) return fail(cancelled());
      LUMSK_TRY(body, s_->assembled(c));
      const Mass mass = massOf(body->shape);
      made.push_back({s_->solid[size_t(c.target)] ? mass.volumeMm3 : mass.areaMm2, {c.target, body}});
    }
    std::stable_sort(made.begin(), made.end(), [](const Made& a, const Made& b) {
      return a.body.target != b.body.target ? a.body.target < b.body.target : a.size > b.size;
    });
    std::vector<Divided> out;
    for (Made& m : made) out.push_back(std::move(m.body));
    return out;
  });
}

double Division::distanceMm(int piece, const Vec3& from) const {
  double out = (pieces()[size_t(piece)].at - from).norm();
  const auto skin = skinOf(piece);
  if (!skin) return out;
  const auto near = guarded("measuring a piece", [&]() -> Expected<double> {
    BRepExtrema_DistShapeShape apart(BRepBuilderAPI_MakeVertex(gp_Pnt(from.x(), from.y(), from.z())).Vertex(), (*skin)->shape);
    return apart.IsDone() ? apart.Value() : out;
  });
  return near.value_or(out);
}

Expected<BodyPtr> Division::skinOf(int piece) const {
  return guarded("assembling a piece", [&]() -> Expected<BodyPtr> {
    auto body = std::make_shared<Body>();
    TopoDS_Shell shell;
    BRep_Builder builder;
    builder.MakeShell(shell);
    FaceHistory history;
    const auto add = [&](const TopoDS_Face& f) {
      builder.Add(shell, f);
      history.keep({f, "piece", {}});
    };
    for (const FacePart& p : s_->parts)
      if (p.piece == piece) add(p.face);
    for (const Cap& c : s_->caps)
      if (c.front == piece || c.back == piece) add(c.part.face);
    body->shape = shell;
    history.finish(*body);
    return body;
  });
}

} // namespace lumsk::brep

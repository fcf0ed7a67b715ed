#include "brep/heal.h"

#include "brep/apart.h"
#include "brep/convert.h"
#include "brep/extend.h"
#include "brep/guard.h"
#include "brep/restore.h"
#include "brep/rings.h"
#include "brep/skin.h"
#include "brep/thicken_parts.h"

#include <BRepAlgoAPI_Defeaturing.hxx>
#include <BRep_Tool.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_MapOfShape.hxx>
#include <TopoDS.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

constexpr double kReaches[] = {1.0, 2.2}; ///< times the width of what goes: so far the faces around are carried on
constexpr int kLooksInside = 7;

/// A face beside those that go, and its edges there.
struct Beside {
  int face = -1;
  std::vector<TopoDS_Edge> edges;
};

class Healer {
public:
  Healer(BodyPtr b, const std::vector<int>& gone, const Context& cx) : b_(std::move(b)), gone_(gone), cx_(cx), all_(namedFaces(*b_)) {
    TopTools_MapOfShape edges;
    for (int f : gone_)
      for (TopExp_Explorer e(all_[size_t(f)].face, TopAbs_EDGE); e.More(); e.Next())
        if (!BRep_Tool::Degenerated(TopoDS::Edge(e.Current()))) edges.Add(e.Current());
    for (int f = 0; f < int(all_.size()); ++f) {
      if (goes(f)) continue;
      Beside beside{f, {}};
      TopTools_MapOfShape seen;
      for (TopExp_Explorer e(all_[size_t(f)].face, TopAbs_EDGE); e.More(); e.Next())
        if (edges.Contains(e.Current()) && seen.Add(e.Current())) beside.edges.push_back(TopoDS::Edge(e.Current()));
      if (!beside.edges.empty()) around_.push_back(std::move(beside));
    }
    double area = 0, longest = 1e-9;
    for (int f : gone_) area += massOf(all_[size_t(f)].face).areaMm2;
    for (const Beside& x : around_)
      for (const TopoDS_Edge& e : x.edges)
        if (const auto p = toPath(e)) longest = std::max(longest, (p->at(0) - p->at(0.5 * p->last())).norm() + (p->at(0.5 * p->last()) - p->at(p->last())).norm());
    width_ = std::max(area / longest, std::sqrt(area) * 0.2);
  }

  Expected<Rebordered> run() {
    if (around_.size() == 1) return filled();
    Expected<Rebordered> made = fail(doNotMeet());
    for (double times : kReaches) {
      made = meeting(times * width_);
      if (made || isCancelled(made.error())) break;
    }
    return made;
  }

  Problem doNotMeet() const {
    Problem p = problem("LM-C051", "the faces around do not go on until they meet").tryThis("leave an opening and cover it, or delete the faces beside these as well");
    if (const auto inside = pointsInside(all_[size_t(gone_.front())].face, 5); !inside.empty()) p.at(inside[inside.size() / 2]);
    return p;
  }

private:
  bool goes(int f) const { return std::find(gone_.begin(), gone_.end(), f) != gone_.end(); }

  std::vector<int> rest() const {
    std::vector<int> out;
    for (int f = 0; f < int(all_.size()); ++f)
      if (!goes(f)) out.push_back(f);
    return out;
  }

  /// Only one face is around: it is restored there.
  Expected<Rebordered> filled() {
    const auto left = facesApart(*b_, rest(), false);
    if (left.size() != 1) return fail(doNotMeet());
    std::vector<int> edges;
    const auto now = brep::edges(*left.front());
    for (size_t i = 0; i < now.size(); ++i)
      if (std::any_of(around_[0].edges.begin(), around_[0].edges.end(), [&](const TopoDS_Edge& e) { return e.IsSame(now[i]); })) edges.push_back(int(i));
    LUMSK_TRY(made, restored(*left.front(), edges, {}, cx_));
    return checked(std::move(made));
  }

  /// Faces around carried on and cut by one another; of each what holds the old one stays.
  Expected<Rebordered> meeting(double mm) {
    std::vector<BodyPtr> larger;
    std::vector<Divider> dividers;
    for (const Beside& x : around_) {
      const NamedFace& f = all_[size_t(x.face)];
      const auto single = facesApart(*b_, {x.face}, true).front();
      std::vector<int> edges;
      const auto now = brep::edges(*single);
      for (size_t i = 0; i < now.size(); ++i)
        if (std::any_of(x.edges.begin(), x.edges.end(), [&](const TopoDS_Edge& e) { return e.IsSame(now[i]); })) edges.push_back(int(i));
      LUMSK_TRY(grownFace, grown(*single, edges, mm, nurbs::GoOn::Natural, cx_));
      if (grownFace.bodies.size() != 1) return fail(doNotMeet());
      larger.push_back(grownFace.bodies.front());
      Divider d;
      d.id = f.name;
      d.body = larger.back();
      dividers.push_back(std::move(d));
    }
    LUMSK_TRY(division, Division::of(larger, dividers, {}, cx_));
    std::vector<Vec3> places;
    for (const Beside& x : around_)
      if (const auto inside = pointsInside(all_[size_t(x.face)].face, kLooksInside); !inside.empty()) places.push_back(inside[inside.size() / 2]);
    auto kept = piecesAt(*division, places, cx_);
    LUMSK_TRY(made, division->bodies(kept, false, false, cx_));
    if (made.size() != around_.size()) return fail(doNotMeet());
    // Names of edges that were cut by a face are told by the other face of the edge; the rest keep theirs.
    std::vector<NamedFace> faces;
    for (int f : rest())
      if (std::none_of(around_.begin(), around_.end(), [&](const Beside& x) { return x.face == f; })) faces.push_back(all_[size_t(f)]);
    for (const Divided& d : made)
      for (NamedFace f : namedFaces(*d.body)) {
        const NamedFace& was = all_[size_t(around_[size_t(d.target)].face)];
        f.face = TopoDS::Face(f.face.Oriented(was.face.Orientation()));
        f.name = was.name;
        faces.push_back(std::move(f));
      }
    LUMSK_TRY(out, together(*b_, faces, labelsOf(*b_), cx_));
    return checked(std::move(out));
  }

  /// As closed as it was, and no larger than it can be.
  template <class T> Expected<Rebordered> checked(T made) {
    Rebordered out = std::move(made);
    if (out.bodies.size() != 1) return fail(doNotMeet());
    const Body& now = *out.bodies.front();
    if (now.solid() != b_->solid() || openRings(now.shape).size() > openRings(b_->shape).size()) return fail(doNotMeet());
    for (int f = 0; f < int(all_.size()); ++f)
      if (!goes(f) && std::find(now.faceNames.begin(), now.faceNames.end(), all_[size_t(f)].name) == now.faceNames.end()) return fail(doNotMeet());
    return out;
  }

  BodyPtr b_;
  std::vector<int> gone_;
  const Context& cx_;
  std::vector<NamedFace> all_;
  std::vector<Beside> around_;
  double width_ = 1;
};

} // namespace

Expected<BodyPtr> healedHere(const Body& b, const std::vector<int>& gone, const Context& cx) {
  return guarded("removing faces", [&]() -> Expected<BodyPtr> {
    BRepAlgoAPI_Defeaturing op;
    op.SetShape(b.shape);
    const auto all = namedFaces(b);
    for (int f : gone) op.AddFaceToRemove(all[size_t(f)].face);
    op.SetToFillHistory(true);
    op.SetRunParallel(false);
    Handle(KernelProgress) progress = new KernelProgress(cx);
    op.Build(progress->Start());
    const Problem no = problem("LM-C051", "the faces around do not go on until they meet").at(boxCorners(all[size_t(gone.front())].face)[0]);
    if (!op.IsDone() || op.HasErrors() || op.HasWarnings() || op.Shape().IsNull()) return fail(no);
    TopExp_Explorer solid(op.Shape(), TopAbs_SOLID);
    if (!solid.More()) return fail(no);
    LUMSK_TRY(shape, checkedSolid(solid.Current()));
    solid.Next();
    if (solid.More()) return fail(no);
    FaceHistory history;
    for (size_t i = 0; i < all.size(); ++i)
      if (std::find(gone.begin(), gone.end(), int(i)) == gone.end()) history.take(op, all[i]);
    auto body = std::make_shared<Body>();
    body->shape = shape;
    history.finish(*body);
    if (body->faceNames.size() > all.size() - gone.size()) return fail(no);
    return BodyPtr(std::move(body));
  });
}

Expected<Rebordered> healed(const BodyPtr& b, const std::vector<int>& gone, const Context& given) {
  if (gone.size() >= b->faceNames.size())
    return fail(problem("LM-C004", "nothing would be left").at(boxCorners(b->shape)[0]).tryThis("keep at least one face, or leave the body out"));
  const Context cx = limited(given);
  Healer healer(b, gone, cx);
  auto made = guarded("healing", [&] { return healer.run(); });
  if (made || given.stopped()) return made;
  const Problem why = healer.doNotMeet();
  if (!b->solid()) return fail(why);
  auto kernel = healedByKernel(*b, gone, given);
  if (!kernel) { // that the worker is missing, or was stopped, is another matter
    const bool itsOwn = isCancelled(kernel.error()) || kernel.error().code.rfind("LM-W", 0) == 0;
    return fail(itsOwn ? kernel.error() : why);
  }
  Rebordered out;
  out.bodies = {*kernel};
  return out;
}

} // namespace lumsk::brep
